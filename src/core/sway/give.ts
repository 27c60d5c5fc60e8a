/**
 * Give: how much of the computed movement reaches the strand. Each edge turns from its combed direction toward the computed
 * one by the share of its place; lengths stay as they are.
 */

/** Writes the strand of `n` points at `o` (points) of `out`: `computed` and `combed` are 3 × points, m; `give` one value a point. */
export function giveInto(out: Float64Array | Float32Array, o: number, n: number, computed: ArrayLike<number>, combed: ArrayLike<number>, give: ArrayLike<number>): void {
  const a = 3 * o;
  for (let c = 0; c < 3; c++) out[a + c] = computed[a + c];
  for (let i = 1; i < n; i++) {
    const b = a + 3 * i, share = give[o + i];
    let ex = computed[b] - computed[b - 3], ey = computed[b + 1] - computed[b - 2], ez = computed[b + 2] - computed[b - 1];
    const length = Math.sqrt(ex * ex + ey * ey + ez * ez);
    if (share < 1 && length > 0) {
      const fx = combed[b] - combed[b - 3], fy = combed[b + 1] - combed[b - 2], fz = combed[b + 2] - combed[b - 1], k = ((1 - share) * length) / Math.max(1e-12, Math.sqrt(fx * fx + fy * fy + fz * fz));
      const x = share * ex + k * fx, y = share * ey + k * fy, z = share * ez + k * fz, l = Math.sqrt(x * x + y * y + z * z);
      // directions that are opposite have no middle: the computed one stays
      if (l > 1e-6 * length) { ex = (x * length) / l; ey = (y * length) / l; ez = (z * length) / l; }
    }
    out[b] = out[b - 3] + ex; out[b + 1] = out[b - 2] + ey; out[b + 2] = out[b - 1] + ez;
  }
}
