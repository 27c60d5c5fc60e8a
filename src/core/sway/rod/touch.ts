/**
 * Contact of points with planes: normal force N = max(0, λ − k_n g) along n; friction as a resistance to the slip over the
 * substep that reaches at most μN (Coulomb).
 */
import type { RodArrays } from './arrays';
import { select, type i32 } from './lanes';

/** Penalty of a contact in units of its point's inertia. */
export const CONTACT_PENALTY = 30;

/** Adds contact to `r` and `pointBlock`; leaves the stiffnesses in `normalK` and `frictionK`. */
export function addTouch(k: RodArrays, first: i32, n: i32): void {
  const { x, mass, contactOn, contactNormal, contactPlane, contactSlide, contactForce, contactFriction, before, r, ih, pointBlock, normalK, frictionK } = k;
  for (let i: i32 = 1; i < n; i++) {
    const p: i32 = first + i, a: i32 = 3 * p, b: i32 = 3 * i, d: i32 = 4 * i, g: i32 = 6 * i;
    const nx = contactNormal[a], ny = contactNormal[a + 1], nz = contactNormal[a + 2];
    const stiff = CONTACT_PENALTY * mass[p] * ih[i] * ih[i];
    const gap = nx * x[a] + ny * x[a + 1] + nz * x[a + 2] - contactPlane[p];
    const force = contactOn[p] * Math.max(0, contactForce[p] - stiff * gap);
    let dx = x[a] - before[b] - contactSlide[a], dy = x[a + 1] - before[b + 1] - contactSlide[a + 1], dz = x[a + 2] - before[b + 2] - contactSlide[a + 2];
    const dn = dx * nx + dy * ny + dz * nz;
    dx = dx - dn * nx; dy = dy - dn * ny; dz = dz - dn * nz;
    const slip = Math.sqrt(dx * dx + dy * dy + dz * dz);
    const kn = select(force, stiff, 0), kf = select(force, Math.min(stiff, (contactFriction[p] * force) / Math.max(slip, 1e-9)), 0), kd = kn - kf;
    normalK[i] = kn;
    frictionK[i] = kf;
    r[d] += force * nx - kf * dx; r[d + 1] += force * ny - kf * dy; r[d + 2] += force * nz - kf * dz;
    pointBlock[g] += kf + kd * nx * nx; pointBlock[g + 1] += kd * nx * ny; pointBlock[g + 2] += kd * nx * nz;
    pointBlock[g + 3] += kf + kd * ny * ny; pointBlock[g + 4] += kd * ny * nz; pointBlock[g + 5] += kf + kd * nz * nz;
  }
}
