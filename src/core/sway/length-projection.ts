/** Lengths closed exactly after the solve, by a scalar tridiagonal Newton in the metric of the step. */
import type { RodSystem } from './rod-system';
import type { StepScratch } from './step-scratch';

export const PROJECTION_PASSES = 8;
const LENGTH_TOLERANCE = 1e-4;

/**
 * Newton on |e| = l in the metric W = (m/ĥ² + contact)⁻¹ of each point: at least one pass, at most `PROJECTION_PASSES`.
 * Its multipliers are tensions and are kept. Returns the passes used.
 */
export function projectLengths(system: RodSystem, first: number, n: number, scratch: StepScratch): number {
  const { x, restLength, tension } = system;
  const { r: T, ta, tb, tr } = scratch;
  let pass = 0;
  for (; pass < PROJECTION_PASSES; pass++) {
    let worst = 0;
    for (let j = 0; j < n - 1; j++) {
      const a = 3 * (first + j), b = 3 * j;
      const ex = x[a + 3] - x[a], ey = x[a + 4] - x[a + 1], ez = x[a + 5] - x[a + 2];
      const length = Math.sqrt(ex * ex + ey * ey + ez * ez + 1e-30), il = 1 / length, rest = restLength[first + j];
      T[b] = ex * il; T[b + 1] = ey * il; T[b + 2] = ez * il;
      tr[j] = length - rest;
      const over = Math.abs(tr[j]) / rest;
      if (!(over <= worst)) worst = over;
    }
    if (pass > 0 && worst <= LENGTH_TOLERANCE) break;
    for (let j = 0; j < n - 1; j++) {
      const b = 3 * j;
      let d = through(system, scratch, first, j + 1, b, b);
      if (j > 0) {
        d += through(system, scratch, first, j, b, b);
        const off = -through(system, scratch, first, j, b, b - 3);
        tb[j - 1] = off;
        const f = off / ta[j - 1];
        d -= f * off;
        tr[j] -= f * tr[j - 1];
      }
      ta[j] = d;
    }
    let nx = 0, ny = 0, nz = 0, multiplier = 0;
    tb[n - 2] = 0;
    for (let j = n - 2; j >= 0; j--) {
      const b = 3 * j;
      multiplier = (tr[j] - tb[j] * multiplier) / ta[j];
      tension[first + j] += multiplier;
      const fx = multiplier * T[b], fy = multiplier * T[b + 1], fz = multiplier * T[b + 2];
      moveThrough(system, scratch, first, j + 1, nx - fx, ny - fy, nz - fz);
      nx = fx; ny = fy; nz = fz;
    }
  }
  return pass;
}

/** t · W_i u for the tangents that start at `oa` and `ob` of `scratch.r`. */
function through(system: RodSystem, scratch: StepScratch, first: number, i: number, oa: number, ob: number): number {
  const { r: T, mobility, normalK } = scratch;
  const plain = T[oa] * T[ob] + T[oa + 1] * T[ob + 1] + T[oa + 2] * T[ob + 2], w = mobility[i];
  if (normalK[i] === 0) return plain * w;
  const { normal } = system.contact, c = 3 * (first + i), nx = normal[c], ny = normal[c + 1], nz = normal[c + 2];
  const along = (nx * T[oa] + ny * T[oa + 1] + nz * T[oa + 2]) * (nx * T[ob] + ny * T[ob + 1] + nz * T[ob + 2]);
  return (plain - along) * tangentMobility(scratch, i) + along * normalMobility(scratch, i);
}
const tangentMobility = (scratch: StepScratch, i: number): number => 1 / (1 / scratch.mobility[i] + scratch.frictionK[i]);
const normalMobility = (scratch: StepScratch, i: number): number => 1 / (1 / scratch.mobility[i] + scratch.normalK[i]);

/** x_i += W_i f. */
function moveThrough(system: RodSystem, scratch: StepScratch, first: number, i: number, fx: number, fy: number, fz: number): void {
  const { x } = system, c = 3 * (first + i);
  if (scratch.normalK[i] === 0) {
    const w = scratch.mobility[i];
    x[c] += w * fx; x[c + 1] += w * fy; x[c + 2] += w * fz;
    return;
  }
  const { normal } = system.contact, nx = normal[c], ny = normal[c + 1], nz = normal[c + 2];
  const along = nx * fx + ny * fy + nz * fz, wt = tangentMobility(scratch, i), wn = normalMobility(scratch, i) - wt;
  x[c] += wt * fx + wn * along * nx; x[c + 1] += wt * fy + wn * along * ny; x[c + 2] += wt * fz + wn * along * nz;
}
