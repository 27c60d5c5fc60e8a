/**
 * The turn that takes a set of offsets nearest to another, least squares: the greatest eigenvector of a 4 × 4 matrix. `H`: Σ offset ⊗ offset wanted,
 * 9, row-major; `q`: x y z w. **Source:** Horn 1987, Closed-form solution of absolute orientation using unit quaternions, *from memory*.
 */
export function bestTurn(H: Float64Array, q: Float64Array): void {
  const [xx, xy, xz, yx, yy, yz, zx, zy, zz] = H;
  // rows and columns: w, x, y, z
  let A = [xx + yy + zz, yz - zy, zx - xz, xy - yx, yz - zy, xx - yy - zz, xy + yx, zx + xz, zx - xz, xy + yx, yy - xx - zz, yz + zy, xy - yx, zx + xz, yz + zy, zz - xx - yy];
  let size = 0;
  for (const v of A) size += v * v;
  size = Math.sqrt(size) || 1;
  A = A.map((v) => v / size);
  for (let d = 0; d < 16; d += 5) A[d] += 1;
  // squared so often that the greatest eigenvector is all that is left, also where the next is nearly as great
  for (let round = 0; round < 22; round++) {
    const B = new Array<number>(16).fill(0);
    let norm = 0;
    for (let i = 0; i < 4; i++) for (let j = 0; j < 4; j++) { let s = 0; for (let k = 0; k < 4; k++) s += A[4 * i + k] * A[4 * k + j]; B[4 * i + j] = s; norm = Math.max(norm, Math.abs(s)); }
    A = B.map((v) => v / norm);
  }
  let column = 0;
  for (let c = 1; c < 4; c++) if (A[5 * c] > A[5 * column]) column = c;
  const v = [0, 1, 2, 3].map((r) => A[4 * r + column]), l = Math.hypot(...v) || 1;
  q[0] = v[1] / l; q[1] = v[2] / l; q[2] = v[3] / l; q[3] = v[0] / l;
}
