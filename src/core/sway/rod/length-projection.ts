/** Lengths closed exactly after the solve, by a scalar tridiagonal Newton in the metric of the step. */
import type { RodArrays } from './arrays';
import { any, finite, select, type f, type i32 } from './lanes';

/** The safety net is used where so many passes do not close the lengths. */
export const PROJECTION_PASSES = 8;
/** Share of an edge's length. */
const LENGTH_TOLERANCE = 1e-4;

/**
 * Newton on |e| = l in the metric W = (m/ĥ² + contact)⁻¹ of each point: at least one pass, at most `PROJECTION_PASSES`;
 * its multipliers are tensions and are kept. The passes used are left in `projections`. An edge between two points that
 * are both moved is left as it is.
 */
export function projectLengths(k: RodArrays, s: i32, first: i32, n: i32, touches: i32): void {
  const { x, restLength, tension, fixed, projections, r: T, ta, tb, tr, mobility } = k;
  let open: f = 1, used: f = 0;
  for (let pass: i32 = 0; pass < PROJECTION_PASSES; pass++) {
    let worst: f = 0;
    for (let i: i32 = 1; i < n; i++) {
      const p: i32 = first + i, a: i32 = 3 * p, b: i32 = 3 * i;
      const ex = x[a] - x[a - 3], ey = x[a + 1] - x[a - 2], ez = x[a + 2] - x[a - 1];
      const length = Math.sqrt(ex * ex + ey * ey + ez * ez + 1e-30), il = 1 / length, rest = restLength[p];
      T[b] = ex * il; T[b + 1] = ey * il; T[b + 2] = ez * il;
      const over = (1 - fixed[p] * fixed[p - 1]) * (length - rest);
      tr[i] = over;
      worst = Math.max(worst, Math.abs(over) - LENGTH_TOLERANCE * rest);
    }
    // what is no number is not closed either
    if (pass > 0) open = open * (1 - select(worst, 0, finite(worst)));
    if (pass > 0 && !any(open)) break;
    used = used + open;
    for (let i: i32 = 1; i < n; i++) {
      const b: i32 = 3 * i;
      let d: f = mobility[i] + 1e-30, off: f = 0;
      if (touches > 0) d = through(k, i, b, b) + 1e-30;
      if (i > 1) {
        const t = T[b] * T[b - 3] + T[b + 1] * T[b - 2] + T[b + 2] * T[b - 1];
        if (touches > 0) {
          d = d + through(k, i - 1, b, b);
          off = 0 - through(k, i - 1, b, b - 3);
        } else {
          d = d + mobility[i - 1];
          off = 0 - t * mobility[i - 1];
        }
        tb[i - 1] = off;
        const g = off / ta[i - 1];
        d = d - g * off;
        tr[i] -= g * tr[i - 1];
      }
      ta[i] = d;
    }
    let nx: f = 0, ny: f = 0, nz: f = 0, multiplier: f = 0;
    tb[n - 1] = 0;
    for (let i: i32 = n - 1; i > 0; i--) {
      const b: i32 = 3 * i;
      multiplier = (tr[i] - tb[i] * multiplier) / ta[i];
      tension[first + i] += select(open, multiplier, 0);
      const fx = multiplier * T[b], fy = multiplier * T[b + 1], fz = multiplier * T[b + 2];
      if (touches > 0) moveThrough(k, first, i, select(open, nx - fx, 0), select(open, ny - fy, 0), select(open, nz - fz, 0));
      else {
        const c: i32 = 3 * (first + i);
        const w = mobility[i];
        x[c] += select(open, w * (nx - fx), 0); x[c + 1] += select(open, w * (ny - fy), 0); x[c + 2] += select(open, w * (nz - fz), 0);
      }
      nx = fx; ny = fy; nz = fz;
    }
  }
  projections[s] = used;
}

/** t · W_i u for the tangents that start at `oa` and `ob`; the same number as (t · u) W_i where the point touches nothing. */
function through(k: RodArrays, i: i32, oa: i32, ob: i32): f {
  const { r: T, mobility, metric: W, held } = k;
  const g: i32 = 6 * i;
  const ax = T[oa], ay = T[oa + 1], az = T[oa + 2], bx = T[ob], by = T[ob + 1], bz = T[ob + 2];
  const plain: f = oa === ob ? 1 : ax * bx + ay * by + az * bz;
  const wx = W[g] * bx + W[g + 1] * by + W[g + 2] * bz, wy = W[g + 1] * bx + W[g + 3] * by + W[g + 4] * bz, wz = W[g + 2] * bx + W[g + 4] * by + W[g + 5] * bz;
  return select(held[i], ax * wx + ay * wy + az * wz, plain * mobility[i]);
}

/** x_i += W_i f. */
function moveThrough(k: RodArrays, first: i32, i: i32, fx: f, fy: f, fz: f): void {
  const { x, mobility, metric: W, held } = k;
  const c: i32 = 3 * (first + i), g: i32 = 6 * i;
  const w = mobility[i], touched = held[i];
  x[c] += select(touched, W[g] * fx + W[g + 1] * fy + W[g + 2] * fz, w * fx);
  x[c + 1] += select(touched, W[g + 1] * fx + W[g + 3] * fy + W[g + 4] * fz, w * fy);
  x[c + 2] += select(touched, W[g + 2] * fx + W[g + 4] * fy + W[g + 5] * fz, w * fz);
}
