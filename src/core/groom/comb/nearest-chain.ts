/**
 * The strand nearest to where its points are wanted whose edges keep their lengths: the least of Σ |xᵢ − rᵢ|² under
 * |xᵢ − xᵢ₋₁| = lᵢ with x₀ fixed. Sequential linear steps, each a tridiagonal solve (Thomas), then one sweep that makes the lengths exact.
 * **Source:** the projection view of constraints in Goldenthal et al. 2007, Efficient Simulation of Inextensible Cloth, *from memory*.
 */

/** Keeps rows of folded strands apart. */
const RIDGE = 1e-9;
/** Steps of the search that a brush takes at most; and m²: where no point goes farther in a step, the next ones would tell nothing more. */
const STEPS = 4, THERE = 1e-12;

export class NearestChain {
  private readonly d: Float64Array;
  private readonly l: Float64Array;
  private readonly upper: Float64Array;
  private readonly x: Float64Array;

  /** For strands of at most so many points. However many steps, the lengths are exact. */
  constructor(points: number, private readonly steps = STEPS) {
    this.d = new Float64Array(3 * points);
    this.l = new Float64Array(points);
    this.upper = new Float64Array(points);
    this.x = new Float64Array(3 * points);
  }

  /**
   * Writes into `out` from `o` on (3 × n). `goal`: 3 × points, those up to `held` stay where it has them. `lengths` from `e` on: edge i ends
   * at point i. `out` holds a strand of these lengths before, near to which the answer is looked for.
   */
  solve(out: Float64Array, o: number, points: number, goal: Float64Array, lengths: Float64Array, e: number, held = 0): void {
    for (let i = 0; i < 3 * held; i++) out[o + i] = goal[i];
    this.free(out, o + 3 * held, points - held, held > 0 ? goal.subarray(3 * held) : goal, lengths, e + held);
  }
  private free(out: Float64Array, o: number, n: number, wanted: Float64Array, lengths: Float64Array, e: number): void {
    const { d, l, upper, x } = this;
    for (let i = 0; i < 3; i++) x[i] = wanted[i];
    for (let i = 3; i < 3 * n; i++) x[i] = out[o + i];
    for (let step = 0; step < this.steps; step++) {
      // rows: −λᵢ₋₁ dᵢ·dᵢ₋₁ + 2 λᵢ − λᵢ₊₁ dᵢ·dᵢ₊₁ = −cᵢ − dᵢ·(gᵢ − gᵢ₋₁), g = x − wanted; the root does not move, so that its g is 0
      let px = x[0], py = x[1], pz = x[2], gx = 0, gy = 0, gz = 0, ax = 0, ay = 0, az = 0, pivot = 1, before = 0;
      for (let i = 1, a = 3; i < n; i++, a += 3) {
        const qx = x[a], qy = x[a + 1], qz = x[a + 2], ex = qx - px, ey = qy - py, ez = qz - pz, length = Math.sqrt(ex * ex + ey * ey + ez * ez), k = length > 1e-12 ? 1 / length : 0, dx = k * ex, dy = k * ey, dz = k * ez;
        const hx = qx - wanted[a], hy = qy - wanted[a + 1], hz = qz - wanted[a + 2];
        const right = length - lengths[e + i] - (dx * (hx - gx) + dy * (hy - gy) + dz * (hz - gz));
        if (i === 1) { pivot = 1 + RIDGE; before = right / pivot; } else {
          const lower = -(dx * ax + dy * ay + dz * az), up = lower / pivot;
          upper[i - 1] = up;
          pivot = 2 + RIDGE - lower * up;
          before = (right - lower * before) / pivot;
        }
        l[i] = before;
        d[a] = dx; d[a + 1] = dy; d[a + 2] = dz;
        px = qx; py = qy; pz = qz; gx = hx; gy = hy; gz = hz; ax = dx; ay = dy; az = dz;
      }
      let farthest = 0;
      // back, and at once the new places: x = wanted − lᵢ dᵢ + lᵢ₊₁ dᵢ₊₁
      let next = 0;
      ax = ay = az = 0;
      for (let i = n - 1, a = 3 * n - 3; i >= 1; i--, a -= 3) {
        const own = i === n - 1 ? l[i] : l[i] - upper[i] * next, dx = d[a], dy = d[a + 1], dz = d[a + 2];
        const qx = wanted[a] - own * dx + next * ax, qy = wanted[a + 1] - own * dy + next * ay, qz = wanted[a + 2] - own * dz + next * az, ex = qx - x[a], ey = qy - x[a + 1], ez = qz - x[a + 2], far = ex * ex + ey * ey + ez * ez;
        if (far > farthest) farthest = far;
        x[a] = qx; x[a + 1] = qy; x[a + 2] = qz;
        next = own; ax = dx; ay = dy; az = dz;
      }
      if (farthest < THERE) break;
    }
    for (let c = 0; c < 3; c++) out[o + c] = wanted[c];
    for (let i = 1; i < n; i++) {
      const a = 3 * i, p = o + a, ex = x[a] - x[a - 3], ey = x[a + 1] - x[a - 2], ez = x[a + 2] - x[a - 1], length = Math.sqrt(ex * ex + ey * ey + ez * ez), k = length > 1e-12 ? lengths[e + i] / length : 0;
      out[p] = out[p - 3] + k * ex; out[p + 1] = out[p - 2] + k * ey; out[p + 2] = out[p - 1] + k * ez;
    }
  }
}
