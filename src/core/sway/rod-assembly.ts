/**
 * Forces and their derivatives: inertia, gravity, damping, hold, stretch, bend, twist, contact.
 *
 * E = Σ ½ (EI/l̄)|κ − κ̄|² + ½ (GJ/l̄)(τ − τ̄)² with, at the node between the edges t⁻ and t whose directors are (u, u₂) and
 * (w, w₂): q = t⁻×t / (1 + t⁻·t), κ₁ = q·(u₂ + w₂), κ₂ = −q·(u + w), τ = 2 tan(½ angle from the carried u to w);
 * ∂κ₁/∂e⁻ = (t×s̃ − κ₁t̃)/|e⁻|, ∂κ₁/∂e = (−t⁻×s̃ − κ₁t̃)/|e|, t̃ = (t⁻ + t)/(1 + t⁻·t), s̃ = (u₂ + w₂)/(1 + t⁻·t); κ₂ likewise
 * with −(u + w); ∂τ/∂e^± = q/|e^±|. The Hessian is taken in Gauss–Newton form.
 */
import type { RodSystem } from './rod-system';
import type { StepOptions, StepScratch } from './step-scratch';

/** Stiffness of the stretch penalty in units of the masses' inertia; lower values let strands ring. */
const STRETCH_PENALTY = 100;
/** The same in units of the bending stiffness EI/l³ of the edge. */
const BEND_PENALTY = 30;
/** Penalty of a contact in units of its point's inertia. */
export const CONTACT_PENALTY = 30;

/**
 * Residual r and the blocks of H: `edgeBlock` (6 an edge: xx xy xz yy yz zz) couples its two points like a spring,
 * `crossBlock` (9 a node) couples the edge below with the edge above.
 */
export function assemble(system: RodSystem, s: number, first: number, n: number, options: StepOptions, scratch: StepScratch, touching: boolean): void {
  const { x, mass, holdStiffness, holdTarget, tangent, director, restLength, tension, restCurvature, restTwist, rootPosition, rootBefore, rootTangent, rootDirector } = system;
  const { y, yv, ih, r, inverseLength, edgeBlock: Q, crossBlock: R } = scratch;
  const { damping, gravity, h } = options;
  const g0 = gravity[0], g1 = gravity[1], g2 = gravity[2], o = 3 * s;
  const rv0 = (rootPosition[o] - rootBefore[o]) / h, rv1 = (rootPosition[o + 1] - rootBefore[o + 1]) / h, rv2 = (rootPosition[o + 2] - rootBefore[o + 2]) / h;
  for (let i = 0; i < n; i++) {
    const a = 3 * (first + i), b = 3 * i;
    const m = mass[first + i], ih1 = ih[i], mi = m * ih1 * ih1, md = m * damping, k = holdStiffness[first + i];
    const x0 = x[a], x1 = x[a + 1], x2 = x[a + 2];
    r[b] = mi * (y[b] - x0) + m * g0 - md * ((x0 - yv[b]) * ih1 - rv0) + k * (holdTarget[a] - x0);
    r[b + 1] = mi * (y[b + 1] - x1) + m * g1 - md * ((x1 - yv[b + 1]) * ih1 - rv1) + k * (holdTarget[a + 1] - x1);
    r[b + 2] = mi * (y[b + 2] - x2) + m * g2 - md * ((x2 - yv[b + 2]) * ih1 - rv2) + k * (holdTarget[a + 2] - x2);
  }
  if (touching) contactForces(system, first, n, scratch);

  for (let j = 0; j < n - 1; j++) {
    const a = 3 * (first + j), b = 3 * j;
    const tx = tangent[a], ty = tangent[a + 1], tz = tangent[a + 2];
    const k = stretchStiffness(system, s, first, j, ih);
    const f = tension[first + j] + k * (1 / inverseLength[j] - restLength[first + j]);
    r[b] += f * tx; r[b + 1] += f * ty; r[b + 2] += f * tz;
    r[b + 3] -= f * tx; r[b + 4] -= f * ty; r[b + 5] -= f * tz;
    const geometric = Math.max(0, tension[first + j]) * inverseLength[j], kk = k - geometric, g = 6 * j;
    Q[g] = kk * tx * tx + geometric; Q[g + 1] = kk * tx * ty; Q[g + 2] = kk * tx * tz;
    Q[g + 3] = kk * ty * ty + geometric; Q[g + 4] = kk * ty * tz; Q[g + 5] = kk * tz * tz + geometric;
  }
  Q.fill(0, 6 * (n - 1), 6 * n);
  R.fill(0, 9 * (n - 1), 9 * n);

  const bend = system.bend[s], twist = system.twist[s];
  let ax = rootTangent[3 * s], ay = rootTangent[3 * s + 1], az = rootTangent[3 * s + 2];
  let ux = rootDirector[3 * s], uy = rootDirector[3 * s + 1], uz = rootDirector[3 * s + 2];
  let ia = inverseLength[0], lengthBelow = 0;
  for (let i = 0; i < n - 1; i++) {
    const b = 3 * i, a = 3 * (first + i);
    const bx = tangent[a], by = tangent[a + 1], bz = tangent[a + 2];
    const wx = director[a], wy = director[a + 1], wz = director[a + 2];
    const ib = inverseLength[i], length = restLength[first + i], il = 2 / (lengthBelow + length);
    lengthBelow = length;
    const eb = bend * il, et = twist * il;
    const cc = ax * bx + ay * by + az * bz, chi = Math.max(1 + cc, 1e-2), ic = 1 / chi;
    const qx = (ay * bz - az * by) * ic, qy = (az * bx - ax * bz) * ic, qz = (ax * by - ay * bx) * ic; // half the curvature binormal
    const u2x = ay * uz - az * uy, u2y = az * ux - ax * uz, u2z = ax * uy - ay * ux;
    const w2x = by * wz - bz * wy, w2y = bz * wx - bx * wz, w2z = bx * wy - by * wx;
    const d1u = qx * ux + qy * uy + qz * uz, d1w = qx * wx + qy * wy + qz * wz;
    const d2u = qx * u2x + qy * u2y + qz * u2z, d2w = qx * w2x + qy * w2y + qz * w2z;
    const k1 = d2u + d2w, k2 = -d1u - d1w;
    const f1 = eb * (k1 - restCurvature[2 * (first + i)]), f2 = eb * (k2 - restCurvature[2 * (first + i) + 1]);
    const tx = (ax + bx) * ic, ty = (ay + by) * ic, tz = (az + bz) * ic;
    const sx = (u2x + w2x) * ic, sy = (u2y + w2y) * ic, sz = (u2z + w2z) * ic;
    const rx = (ux + wx) * ic, ry = (uy + wy) * ic, rz = (uz + wz) * ic;
    // m1, m2: gradients of κ₁, κ₂ by the edge below; p1, p2: by the edge above
    const m1x = ia * (by * sz - bz * sy - k1 * tx), m1y = ia * (bz * sx - bx * sz - k1 * ty), m1z = ia * (bx * sy - by * sx - k1 * tz);
    const p1x = ib * (az * sy - ay * sz - k1 * tx), p1y = ib * (ax * sz - az * sx - k1 * ty), p1z = ib * (ay * sx - ax * sy - k1 * tz);
    const m2x = ia * (bz * ry - by * rz - k2 * tx), m2y = ia * (bx * rz - bz * rx - k2 * ty), m2z = ia * (by * rx - bx * ry - k2 * tz);
    const p2x = ib * (ay * rz - az * ry - k2 * tx), p2y = ib * (az * rx - ax * rz - k2 * ty), p2z = ib * (ax * ry - ay * rx - k2 * tz);
    const ff = d1u * chi, Kx = qx * chi, Ky = qy * chi, Kz = qz * chi;
    const hx = ux * cc + Ky * uz - Kz * uy + qx * ff, hy = uy * cc + Kz * ux - Kx * uz + qy * ff, hz = uz * cc + Kx * uy - Ky * ux + qz * ff;
    const co = hx * wx + hy * wy + hz * wz, si = hx * w2x + hy * w2y + hz * w2z;
    const tau = (-2 * si) / Math.max(1 + co, 1e-3), dt = 1 + 0.25 * tau * tau;
    const ft = et * (tau - restTwist[first + i]) * dt;
    const gx = f1 * m1x + f2 * m2x + ft * ia * qx, gy = f1 * m1y + f2 * m2y + ft * ia * qy, gz = f1 * m1z + f2 * m2z + ft * ia * qz;
    const ex = f1 * p1x + f2 * p2x + ft * ib * qx, ey = f1 * p1y + f2 * p2y + ft * ib * qy, ez = f1 * p1z + f2 * p2z + ft * ib * qz;
    r[b] += ex - gx; r[b + 1] += ey - gy; r[b + 2] += ez - gz;
    r[b + 3] -= ex; r[b + 4] -= ey; r[b + 5] -= ez;
    addOuter(Q, 6 * i, eb, p1x, p1y, p1z, p2x, p2y, p2z);
    const w = 9 * i;
    if (i > 0) {
      r[b - 3] += gx; r[b - 2] += gy; r[b - 1] += gz;
      addOuter(Q, 6 * (i - 1), eb, m1x, m1y, m1z, m2x, m2y, m2z);
      R[w] = eb * (m1x * p1x + m2x * p2x); R[w + 1] = eb * (m1x * p1y + m2x * p2y); R[w + 2] = eb * (m1x * p1z + m2x * p2z);
      R[w + 3] = eb * (m1y * p1x + m2y * p2x); R[w + 4] = eb * (m1y * p1y + m2y * p2y); R[w + 5] = eb * (m1y * p1z + m2y * p2z);
      R[w + 6] = eb * (m1z * p1x + m2z * p2x); R[w + 7] = eb * (m1z * p1y + m2z * p2y); R[w + 8] = eb * (m1z * p1z + m2z * p2z);
    } else R.fill(0, 0, 9);
    ax = bx; ay = by; az = bz; ux = wx; uy = wy; uz = wz; ia = ib;
  }
}

function addOuter(Q: Float64Array, o: number, k: number, ax: number, ay: number, az: number, bx: number, by: number, bz: number): void {
  Q[o] += k * (ax * ax + bx * bx); Q[o + 1] += k * (ax * ay + bx * by); Q[o + 2] += k * (ax * az + bx * bz);
  Q[o + 3] += k * (ay * ay + by * by); Q[o + 4] += k * (ay * az + by * bz); Q[o + 5] += k * (az * az + bz * bz);
}

/**
 * Contact: normal force N = max(0, λ − k_n g) along n; friction as a resistance to the slip over the substep that reaches
 * at most μN (Coulomb).
 */
function contactForces(system: RodSystem, first: number, n: number, scratch: StepScratch): void {
  const { x, mass, contact } = system;
  const { before, r, ih, frictionK, normalK } = scratch;
  for (let i = 1; i < n; i++) {
    const p = first + i, a = 3 * p, b = 3 * i;
    if (contact.collider[p] < 0) continue;
    frictionK[i] = 0;
    normalK[i] = 0;
    const nx = contact.normal[a], ny = contact.normal[a + 1], nz = contact.normal[a + 2];
    const k = CONTACT_PENALTY * mass[p] * ih[i] * ih[i];
    const gap = nx * x[a] + ny * x[a + 1] + nz * x[a + 2] - contact.plane[p];
    const force = contact.force[p] - k * gap;
    if (force <= 0) continue;
    normalK[i] = k;
    r[b] += force * nx; r[b + 1] += force * ny; r[b + 2] += force * nz;
    let dx = x[a] - before[b] - contact.slide[a], dy = x[a + 1] - before[b + 1] - contact.slide[a + 1], dz = x[a + 2] - before[b + 2] - contact.slide[a + 2];
    const dn = dx * nx + dy * ny + dz * nz;
    dx -= dn * nx; dy -= dn * ny; dz -= dn * nz;
    const slip = Math.sqrt(dx * dx + dy * dy + dz * dz);
    const kf = Math.min(k, (contact.friction[p] * force) / Math.max(slip, 1e-9));
    frictionK[i] = kf;
    r[b] -= kf * dx; r[b + 1] -= kf * dy; r[b + 2] -= kf * dz;
  }
}

/**
 * Penalty of edge j, N/m: well above the inertia of its points and above the bending stiffness of a short edge, or bending
 * would be traded for stretch and the projection would undo it every substep.
 */
export function stretchStiffness(system: RodSystem, s: number, first: number, j: number, ih: Float64Array): number {
  const { mass, restLength, bend } = system, l = restLength[first + j];
  return STRETCH_PENALTY * ih[j + 1] * ih[j + 1] * (mass[first + j] + mass[first + j + 1]) + (BEND_PENALTY * bend[s]) / (l * l * l);
}
