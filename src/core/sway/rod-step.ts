/**
 * One implicit substep of a strand, solved directly in O(points): BDF2 in time, Gauss–Newton bend, quasi-static twist,
 * augmented-Lagrangian stretch and contact, scalar length projection.
 *
 * With ĥ = 2h/3 (h for the first substep and for points in contact), y the inertial prediction and yv the part of it that
 * velocity is measured from, the unknown Δ of a pass solves H Δ = r,
 *
 *   r = M(y − x)/ĥ² + M g − c M((x − yv)/ĥ − v_root) − ∂(bend + twist)/∂x + (λ + k C) t + k_hold(target − x) + contact
 *   H = M(1/ĥ² + c/ĥ) + bend blocks + k t tᵀ + max(λ, 0)/|e| (1 − t tᵀ) + k_hold + k_n n nᵀ + k_f(1 − n nᵀ)
 *
 * **Source:** Bergou et al. 2008, 2010 (discrete rods and their gradients); BDF2 and augmented Lagrangians from textbooks,
 * *from memory*. Where we differ: curvature is taken with the directors on both sides of the node, twist is eliminated
 * before the position solve, and lengths are closed by a projection in the metric of the step.
 */
import type { RodSystem } from './rod-system';
import type { ContactFinder } from './contact';

export interface StepOptions {
  /** Substep, s. */
  h: number;
  /** m/s². */
  gravity: readonly [number, number, number];
  /** Damping against the root's own movement, 1/s. */
  damping: number;
}

/** Stiffness of the stretch penalty in units of the masses' inertia; lower values let strands ring. */
const STRETCH_PENALTY = 100;
/** The same in units of the bending stiffness EI/l³ of the edge. */
const BEND_PENALTY = 30;
/** Penalty of a contact in units of its point's inertia. */
const CONTACT_PENALTY = 30;
const PROJECTION_PASSES = 8;
const LENGTH_TOLERANCE = 1e-4;

/** Working arrays for the longest strand; one per thread. */
export interface StepScratch {
  y: Float64Array; yv: Float64Array; before: Float64Array; ih: Float64Array; mobility: Float64Array; frictionK: Float64Array; normalK: Float64Array;
  r: Float64Array; inverseLength: Float64Array; edgeBlock: Float64Array; crossBlock: Float64Array;
  pivotInverse: Float64Array; lower1: Float64Array; lower2: Float64Array; ta: Float64Array; tb: Float64Array; tr: Float64Array;
}

export function createStepScratch(longest: number): StepScratch {
  const f = (k: number): Float64Array => new Float64Array(k * longest);
  return {
    y: f(3), yv: f(3), before: f(3), ih: f(1), mobility: f(1), frictionK: f(1), normalK: f(1), r: f(3), inverseLength: f(1), edgeBlock: f(6), crossBlock: f(9),
    pivotInverse: f(6), lower1: f(9), lower2: f(9), ta: f(1), tb: f(1), tr: f(1),
  };
}

/**
 * Advances strand `s` by one substep. `rootPosition`, `rootTangent`, `rootDirector` and `holdTarget` hold the values at the
 * end of the substep, `rootBefore` the root's place at its start. Returns the passes the length projection took.
 */
export function stepStrand(system: RodSystem, s: number, options: StepOptions, scratch: StepScratch, contacts: ContactFinder | null): number {
  const first = system.start[s], n = system.start[s + 1] - first;
  const touching = contacts ? contacts.gather(system, s, options.h, options.gravity) : false;
  predict(system, s, first, n, options, scratch);
  const passes = touching ? 2 : 1;
  for (let pass = 0; pass < passes; pass++) {
    transportFrames(system, first, n, scratch);
    solveTwist(system, s, first, n, scratch);
    assemble(system, s, first, n, options, scratch, touching);
    solveBlocks(first, n, system, options, scratch);
    applyUpdate(system, s, first, n, scratch);
  }
  const used = projectLengths(system, first, n, scratch);
  finish(system, s, first, n, options, scratch, used >= PROJECTION_PASSES, touching);
  return used;
}

function predict(system: RodSystem, s: number, first: number, n: number, options: StepOptions, scratch: StepScratch): void {
  const { x, xPrev, v, vPrev, mass, contact, rootPosition, rootBefore, history } = system;
  const { y, yv, before, ih, normalK, frictionK, mobility } = scratch;
  const { h } = options;
  const multistep = history[s] > 0;
  const r = 3 * s;
  // linearise half a substep ahead, riding on the root's own leap
  const lx = 0.5 * (rootPosition[r] - rootBefore[r]), ly = 0.5 * (rootPosition[r + 1] - rootBefore[r + 1]), lz = 0.5 * (rootPosition[r + 2] - rootBefore[r + 2]);
  for (let i = 0; i < n; i++) {
    const a = 3 * (first + i), b = 3 * i;
    const bdf2 = multistep && contact.collider[first + i] < 0;
    // BDF2: yv = (4 x − x⁻)/3, y = yv + ĥ (4 v − v⁻)/3; backward Euler: yv = x, y = x + h v
    const hh = bdf2 ? (2 * h) / 3 : h, now = bdf2 ? 4 / 3 : 1, past = bdf2 ? -1 / 3 : 0;
    const x0 = x[a], x1 = x[a + 1], x2 = x[a + 2], v0 = v[a], v1 = v[a + 1], v2 = v[a + 2];
    const y0 = now * x0 + past * xPrev[a], y1 = now * x1 + past * xPrev[a + 1], y2 = now * x2 + past * xPrev[a + 2];
    before[b] = x0; before[b + 1] = x1; before[b + 2] = x2;
    yv[b] = y0; yv[b + 1] = y1; yv[b + 2] = y2;
    y[b] = y0 + hh * (now * v0 + past * vPrev[a]); y[b + 1] = y1 + hh * (now * v1 + past * vPrev[a + 1]); y[b + 2] = y2 + hh * (now * v2 + past * vPrev[a + 2]);
    xPrev[a] = x0; xPrev[a + 1] = x1; xPrev[a + 2] = x2;
    vPrev[a] = v0; vPrev[a + 1] = v1; vPrev[a + 2] = v2;
    x[a] = x0 + lx + 0.5 * h * v0; x[a + 1] = x1 + ly + 0.5 * h * v1; x[a + 2] = x2 + lz + 0.5 * h * v2;
    ih[i] = 1 / hh;
    mobility[i] = (hh * hh) / mass[first + i];
    normalK[i] = 0;
    frictionK[i] = 0;
  }
  const a = 3 * first;
  x[a] = rootPosition[r]; x[a + 1] = rootPosition[r + 1]; x[a + 2] = rootPosition[r + 2];
}

/** New tangents; directors carried from the old tangent to the new one without spin. */
function transportFrames(system: RodSystem, first: number, n: number, scratch: StepScratch): void {
  const { x, tangent, director } = system;
  for (let j = 0; j < n - 1; j++) {
    const a = 3 * (first + j);
    const ex = x[a + 3] - x[a], ey = x[a + 4] - x[a + 1], ez = x[a + 5] - x[a + 2];
    const il = 1 / Math.sqrt(ex * ex + ey * ey + ez * ez + 1e-30);
    const tx = ex * il, ty = ey * il, tz = ez * il;
    const ox = tangent[a], oy = tangent[a + 1], oz = tangent[a + 2];
    const ux = director[a], uy = director[a + 1], uz = director[a + 2];
    const c = ox * tx + oy * ty + oz * tz;
    const kx = oy * tz - oz * ty, ky = oz * tx - ox * tz, kz = ox * ty - oy * tx;
    const f = (kx * ux + ky * uy + kz * uz) / Math.max(1 + c, 1e-3);
    let px = ux * c + ky * uz - kz * uy + kx * f;
    let py = uy * c + kz * ux - kx * uz + ky * f;
    let pz = uz * c + kx * uy - ky * ux + kz * f;
    const q = px * tx + py * ty + pz * tz;
    px -= q * tx; py -= q * ty; pz -= q * tz;
    const k = 1 / Math.sqrt(px * px + py * py + pz * pz + 1e-30);
    director[a] = px * k; director[a + 1] = py * k; director[a + 2] = pz * k;
    tangent[a] = tx; tangent[a + 1] = ty; tangent[a + 2] = tz;
    scratch.inverseLength[j] = il;
  }
}

/** One Newton step on the edges' spin angles, before positions move: twist one substep late makes curls cycle. */
function solveTwist(system: RodSystem, s: number, first: number, n: number, scratch: StepScratch): void {
  const { tangent, director, restLength, restCurvature, restTwist, rootTangent, rootDirector } = system;
  const { ta, tb, tr } = scratch;
  const bend = system.bend[s], twist = system.twist[s];
  ta.fill(1e-30, 0, n - 1); tb.fill(0, 0, n - 1); tr.fill(0, 0, n - 1);
  let ax = rootTangent[3 * s], ay = rootTangent[3 * s + 1], az = rootTangent[3 * s + 2];
  let ux = rootDirector[3 * s], uy = rootDirector[3 * s + 1], uz = rootDirector[3 * s + 2];
  let lengthBelow = 0;
  for (let i = 0; i < n - 1; i++) {
    const a = 3 * (first + i);
    const bx = tangent[a], by = tangent[a + 1], bz = tangent[a + 2];
    const wx = director[a], wy = director[a + 1], wz = director[a + 2];
    const length = restLength[first + i], il = 2 / (lengthBelow + length);
    lengthBelow = length;
    const eb = bend * il, et = twist * il;
    const cc = ax * bx + ay * by + az * bz, chi = Math.max(1 + cc, 1e-2), ic = 1 / chi;
    const Kx = ay * bz - az * by, Ky = az * bx - ax * bz, Kz = ax * by - ay * bx;
    const qx = Kx * ic, qy = Ky * ic, qz = Kz * ic;
    const u2x = ay * uz - az * uy, u2y = az * ux - ax * uz, u2z = ax * uy - ay * ux;
    const w2x = by * wz - bz * wy, w2y = bz * wx - bx * wz, w2z = bx * wy - by * wx;
    const d1u = qx * ux + qy * uy + qz * uz, d1w = qx * wx + qy * wy + qz * wz;
    const d2u = qx * u2x + qy * u2y + qz * u2z, d2w = qx * w2x + qy * w2y + qz * w2z;
    const f1 = eb * (d2u + d2w - restCurvature[2 * (first + i)]), f2 = eb * (-d1u - d1w - restCurvature[2 * (first + i) + 1]);
    const ff = d1u * chi;
    const hx = ux * cc + Ky * uz - Kz * uy + qx * ff, hy = uy * cc + Kz * ux - Kx * uz + qy * ff, hz = uz * cc + Kx * uy - Ky * ux + qz * ff;
    const co = hx * wx + hy * wy + hz * wz, si = hx * w2x + hy * w2y + hz * w2z;
    const tau = (-2 * si) / Math.max(1 + co, 1e-3), dt = 1 + 0.25 * tau * tau;
    const ft = et * (tau - restTwist[first + i]) * dt, eh = et * dt * dt;
    ta[i] += eh + eb * (d1w * d1w + d2w * d2w);
    tr[i] += -ft + f1 * d1w + f2 * d2w;
    if (i > 0) {
      ta[i - 1] += eh + eb * (d1u * d1u + d2u * d2u);
      tr[i - 1] += ft + f1 * d1u + f2 * d2u;
      tb[i - 1] = eb * (d1u * d1w + d2u * d2w) - eh;
    }
    ax = bx; ay = by; az = bz; ux = wx; uy = wy; uz = wz;
  }
  for (let j = 1; j < n - 1; j++) {
    const f = tb[j - 1] / ta[j - 1];
    ta[j] -= f * tb[j - 1];
    tr[j] -= f * tr[j - 1];
  }
  let angle = 0;
  for (let j = n - 2; j >= 0; j--) {
    const a = 3 * (first + j);
    angle = (tr[j] - tb[j] * angle) / ta[j];
    const half = Math.max(-0.5, Math.min(0.5, 0.5 * angle)), d = 1 / (1 + half * half);
    const c = (1 - half * half) * d, si = 2 * half * d;
    const px = director[a], py = director[a + 1], pz = director[a + 2], tx = tangent[a], ty = tangent[a + 1], tz = tangent[a + 2];
    director[a] = c * px + si * (ty * pz - tz * py);
    director[a + 1] = c * py + si * (tz * px - tx * pz);
    director[a + 2] = c * pz + si * (tx * py - ty * px);
  }
}

/**
 * Residual r and the blocks of H: `edgeBlock` (6 an edge: xx xy xz yy yz zz) couples its two points like a spring,
 * `crossBlock` (9 a node) couples the edge below with the edge above.
 */
function assemble(system: RodSystem, s: number, first: number, n: number, options: StepOptions, scratch: StepScratch, touching: boolean): void {
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

/** Block-pentadiagonal LDLᵀ over the points 1 … n − 1; Δ is left in `scratch.r`. */
function solveBlocks(first: number, n: number, system: RodSystem, options: StepOptions, scratch: StepScratch): void {
  const { mass, holdStiffness, contact } = system;
  const { r: RR, ih, frictionK, normalK, edgeBlock: Q, crossBlock: R, pivotInverse: DI, lower1: LA, lower2: LB } = scratch;
  for (let i = 1; i < n; i++) {
    const b = 3 * i, q = 6 * i, qp = q - 6, r = 9 * i, rp = r - 9, p = first + i, c = 3 * p;
    const m = mass[p];
    let diagonal = m * ih[i] * (ih[i] + options.damping) + holdStiffness[p];
    let nx = 0, ny = 0, nz = 0, kn = 0;
    if (contact.collider[p] >= 0 && normalK[i] > 0) {
      diagonal += frictionK[i];
      kn = normalK[i] - frictionK[i];
      nx = contact.normal[c]; ny = contact.normal[c + 1]; nz = contact.normal[c + 2];
    }
    let d0 = diagonal + kn * nx * nx + Q[qp] + Q[q] - 2 * R[r];
    let d1 = kn * nx * ny + Q[qp + 1] + Q[q + 1] - R[r + 1] - R[r + 3];
    let d2 = kn * nx * nz + Q[qp + 2] + Q[q + 2] - R[r + 2] - R[r + 6];
    let d3 = diagonal + kn * ny * ny + Q[qp + 3] + Q[q + 3] - 2 * R[r + 4];
    let d4 = kn * ny * nz + Q[qp + 4] + Q[q + 4] - R[r + 5] - R[r + 7];
    let d5 = diagonal + kn * nz * nz + Q[qp + 5] + Q[q + 5] - 2 * R[r + 8];
    let y0 = RR[b], y1 = RR[b + 1], y2 = RR[b + 2];
    if (i > 1) {
      let e0 = R[rp] + R[r] - Q[qp], e1 = R[rp + 3] + R[r + 3] - Q[qp + 1], e2 = R[rp + 6] + R[r + 6] - Q[qp + 2];
      let e3 = R[rp + 1] + R[r + 1] - Q[qp + 1], e4 = R[rp + 4] + R[r + 4] - Q[qp + 3], e5 = R[rp + 7] + R[r + 7] - Q[qp + 4];
      let e6 = R[rp + 2] + R[r + 2] - Q[qp + 2], e7 = R[rp + 5] + R[r + 5] - Q[qp + 4], e8 = R[rp + 8] + R[r + 8] - Q[qp + 5];
      if (i > 2) {
        const u0 = -R[rp], u1 = -R[rp + 3], u2 = -R[rp + 6], u3 = -R[rp + 1], u4 = -R[rp + 4], u5 = -R[rp + 7], u6 = -R[rp + 2], u7 = -R[rp + 5], u8 = -R[rp + 8];
        const a0 = LA[rp], a1 = LA[rp + 1], a2 = LA[rp + 2], a3 = LA[rp + 3], a4 = LA[rp + 4], a5 = LA[rp + 5], a6 = LA[rp + 6], a7 = LA[rp + 7], a8 = LA[rp + 8];
        e0 -= u0 * a0 + u1 * a1 + u2 * a2; e1 -= u0 * a3 + u1 * a4 + u2 * a5; e2 -= u0 * a6 + u1 * a7 + u2 * a8;
        e3 -= u3 * a0 + u4 * a1 + u5 * a2; e4 -= u3 * a3 + u4 * a4 + u5 * a5; e5 -= u3 * a6 + u4 * a7 + u5 * a8;
        e6 -= u6 * a0 + u7 * a1 + u8 * a2; e7 -= u6 * a3 + u7 * a4 + u8 * a5; e8 -= u6 * a6 + u7 * a7 + u8 * a8;
        const z = q - 12, v0 = DI[z], v1 = DI[z + 1], v2 = DI[z + 2], v3 = DI[z + 3], v4 = DI[z + 4], v5 = DI[z + 5];
        const g0 = u0 * v0 + u1 * v1 + u2 * v2, g1 = u0 * v1 + u1 * v3 + u2 * v4, g2 = u0 * v2 + u1 * v4 + u2 * v5;
        const g3 = u3 * v0 + u4 * v1 + u5 * v2, g4 = u3 * v1 + u4 * v3 + u5 * v4, g5 = u3 * v2 + u4 * v4 + u5 * v5;
        const g6 = u6 * v0 + u7 * v1 + u8 * v2, g7 = u6 * v1 + u7 * v3 + u8 * v4, g8 = u6 * v2 + u7 * v4 + u8 * v5;
        LB[r] = g0; LB[r + 1] = g1; LB[r + 2] = g2; LB[r + 3] = g3; LB[r + 4] = g4; LB[r + 5] = g5; LB[r + 6] = g6; LB[r + 7] = g7; LB[r + 8] = g8;
        d0 -= u0 * g0 + u1 * g1 + u2 * g2; d1 -= u0 * g3 + u1 * g4 + u2 * g5; d2 -= u0 * g6 + u1 * g7 + u2 * g8;
        d3 -= u3 * g3 + u4 * g4 + u5 * g5; d4 -= u3 * g6 + u4 * g7 + u5 * g8; d5 -= u6 * g6 + u7 * g7 + u8 * g8;
        const t0 = RR[b - 6], t1 = RR[b - 5], t2 = RR[b - 4];
        y0 -= g0 * t0 + g1 * t1 + g2 * t2; y1 -= g3 * t0 + g4 * t1 + g5 * t2; y2 -= g6 * t0 + g7 * t1 + g8 * t2;
      }
      const z = q - 6, v0 = DI[z], v1 = DI[z + 1], v2 = DI[z + 2], v3 = DI[z + 3], v4 = DI[z + 4], v5 = DI[z + 5];
      const g0 = e0 * v0 + e1 * v1 + e2 * v2, g1 = e0 * v1 + e1 * v3 + e2 * v4, g2 = e0 * v2 + e1 * v4 + e2 * v5;
      const g3 = e3 * v0 + e4 * v1 + e5 * v2, g4 = e3 * v1 + e4 * v3 + e5 * v4, g5 = e3 * v2 + e4 * v4 + e5 * v5;
      const g6 = e6 * v0 + e7 * v1 + e8 * v2, g7 = e6 * v1 + e7 * v3 + e8 * v4, g8 = e6 * v2 + e7 * v4 + e8 * v5;
      LA[r] = g0; LA[r + 1] = g1; LA[r + 2] = g2; LA[r + 3] = g3; LA[r + 4] = g4; LA[r + 5] = g5; LA[r + 6] = g6; LA[r + 7] = g7; LA[r + 8] = g8;
      d0 -= e0 * g0 + e1 * g1 + e2 * g2; d1 -= e0 * g3 + e1 * g4 + e2 * g5; d2 -= e0 * g6 + e1 * g7 + e2 * g8;
      d3 -= e3 * g3 + e4 * g4 + e5 * g5; d4 -= e3 * g6 + e4 * g7 + e5 * g8; d5 -= e6 * g6 + e7 * g7 + e8 * g8;
      const t0 = RR[b - 3], t1 = RR[b - 2], t2 = RR[b - 1];
      y0 -= g0 * t0 + g1 * t1 + g2 * t2; y1 -= g3 * t0 + g4 * t1 + g5 * t2; y2 -= g6 * t0 + g7 * t1 + g8 * t2;
    }
    RR[b] = y0; RR[b + 1] = y1; RR[b + 2] = y2;
    // inverse of the symmetric 3 × 3 pivot by its own LDLᵀ
    const i0 = 1 / d0, l1 = d1 * i0, l2 = d2 * i0, s3 = d3 - l1 * d1, i3 = 1 / s3, s4 = d4 - l1 * d2, l4 = s4 * i3, i5 = 1 / (d5 - l2 * d2 - l4 * s4), n2 = l1 * l4 - l2;
    DI[q + 5] = i5; DI[q + 4] = -l4 * i5; DI[q + 2] = n2 * i5;
    DI[q + 3] = i3 + l4 * l4 * i5; DI[q + 1] = -l1 * i3 - n2 * l4 * i5; DI[q] = i0 + l1 * l1 * i3 + n2 * n2 * i5;
  }
  for (let i = n - 1; i >= 1; i--) {
    const b = 3 * i, q = 6 * i;
    const y0 = RR[b], y1 = RR[b + 1], y2 = RR[b + 2];
    let x0 = DI[q] * y0 + DI[q + 1] * y1 + DI[q + 2] * y2;
    let x1 = DI[q + 1] * y0 + DI[q + 3] * y1 + DI[q + 4] * y2;
    let x2 = DI[q + 2] * y0 + DI[q + 4] * y1 + DI[q + 5] * y2;
    if (i + 1 < n) {
      const w = 9 * (i + 1), t0 = RR[b + 3], t1 = RR[b + 4], t2 = RR[b + 5];
      x0 -= LA[w] * t0 + LA[w + 3] * t1 + LA[w + 6] * t2; x1 -= LA[w + 1] * t0 + LA[w + 4] * t1 + LA[w + 7] * t2; x2 -= LA[w + 2] * t0 + LA[w + 5] * t1 + LA[w + 8] * t2;
    }
    if (i + 2 < n) {
      const w = 9 * (i + 2), t0 = RR[b + 6], t1 = RR[b + 7], t2 = RR[b + 8];
      x0 -= LB[w] * t0 + LB[w + 3] * t1 + LB[w + 6] * t2; x1 -= LB[w + 1] * t0 + LB[w + 4] * t1 + LB[w + 7] * t2; x2 -= LB[w + 2] * t0 + LB[w + 5] * t1 + LB[w + 8] * t2;
    }
    RR[b] = x0; RR[b + 1] = x1; RR[b + 2] = x2;
  }
  RR[0] = 0; RR[1] = 0; RR[2] = 0;
}

/**
 * Penalty of edge j, N/m: well above the inertia of its points and above the bending stiffness of a short edge, or bending
 * would be traded for stretch and the projection would undo it every substep.
 */
function stretchStiffness(system: RodSystem, s: number, first: number, j: number, ih: Float64Array): number {
  const { mass, restLength, bend } = system, l = restLength[first + j];
  return STRETCH_PENALTY * ih[j + 1] * ih[j + 1] * (mass[first + j] + mass[first + j + 1]) + (BEND_PENALTY * bend[s]) / (l * l * l);
}

/** λ += k(C + t · Δe), x += Δ. */
function applyUpdate(system: RodSystem, s: number, first: number, n: number, scratch: StepScratch): void {
  const { x, tangent, restLength, tension } = system;
  const { r, ih, inverseLength } = scratch;
  for (let j = 0; j < n - 1; j++) {
    const a = 3 * (first + j), b = 3 * j;
    const k = stretchStiffness(system, s, first, j, ih);
    const change = tangent[a] * (r[b + 3] - r[b]) + tangent[a + 1] * (r[b + 4] - r[b + 1]) + tangent[a + 2] * (r[b + 5] - r[b + 2]);
    tension[first + j] += k * (1 / inverseLength[j] - restLength[first + j] + change);
  }
  for (let b = 0; b < 3 * n; b++) x[3 * first + b] += r[b];
}

/**
 * Newton on |e| = l in the metric W = (m/ĥ² + contact)⁻¹ of each point: at least one pass, at most `PROJECTION_PASSES`.
 * Its multipliers are tensions and are kept. Returns the passes used.
 */
function projectLengths(system: RodSystem, first: number, n: number, scratch: StepScratch): number {
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

/** Velocities, contact multipliers; the safety net where the projection did not converge or a value is not finite. */
function finish(system: RodSystem, s: number, first: number, n: number, options: StepOptions, scratch: StepScratch, caught: boolean, touching: boolean): void {
  const { x, xPrev, v, vPrev, restLength, tension, contact, rootPosition, rootBefore, history, mass } = system;
  const { yv, before, ih } = scratch;
  const { h } = options;
  const r = 3 * s;
  const last = 3 * (first + n - 1);
  const finite = Number.isFinite(x[last] + x[last + 1] + x[last + 2]);
  if (!finite) for (let b = 3; b < 3 * n; b++) x[3 * first + b] = before[b] + rootPosition[r + (b % 3)] - rootBefore[r + (b % 3)];
  if (caught || !finite) restoreLengths(x, restLength, tension, first, n);
  let length = 0;
  for (let j = first; j < first + n - 1; j++) length += restLength[j];
  const most = (0.25 * length) / h, trouble = caught || !finite;
  const rv0 = (rootPosition[r] - rootBefore[r]) / h, rv1 = (rootPosition[r + 1] - rootBefore[r + 1]) / h, rv2 = (rootPosition[r + 2] - rootBefore[r + 2]) / h;
  for (let i = 0; i < n; i++) {
    const a = 3 * (first + i), b = 3 * i, ih1 = ih[i];
    v[a] = rv0 + bounded((x[a] - yv[b]) * ih1 - rv0, most);
    v[a + 1] = rv1 + bounded((x[a + 1] - yv[b + 1]) * ih1 - rv1, most);
    v[a + 2] = rv2 + bounded((x[a + 2] - yv[b + 2]) * ih1 - rv2, most);
  }
  if (trouble) for (let i = 0; i < n; i++) for (let k = 0; k < 3; k++) {
    const a = 3 * (first + i) + k, rootVelocity = k === 0 ? rv0 : k === 1 ? rv1 : rv2;
    v[a] = finite ? rootVelocity + 0.5 * (v[a] - rootVelocity) : rootVelocity;
    xPrev[a] = x[a];
    vPrev[a] = v[a];
  }
  history[s] = trouble ? 0 : history[s] + 1;
  if (trouble) {
    system.netUses++;
    if (!finite) startFramesSafely(system, s, first, n);
  }
  if (!touching) return;
  for (let i = 1; i < n; i++) {
    const p = first + i, c = 3 * p;
    if (contact.collider[p] < 0) continue;
    const gap = contact.normal[c] * x[c] + contact.normal[c + 1] * x[c + 1] + contact.normal[c + 2] * x[c + 2] - contact.plane[p];
    contact.force[p] = caught ? 0 : Math.max(0, contact.force[p] - CONTACT_PENALTY * mass[p] * ih[i] * ih[i] * gap);
    // leaving a contact restarts the point's own two-step history
    if (contact.force[p] === 0) { xPrev[c] = x[c] - h * v[c]; xPrev[c + 1] = x[c + 1] - h * v[c + 1]; xPrev[c + 2] = x[c + 2] - h * v[c + 2]; vPrev[c] = v[c]; vPrev[c + 1] = v[c + 1]; vPrev[c + 2] = v[c + 2]; }
  }
}

const bounded = (v: number, most: number): number => (v > most ? most : v < -most ? -most : v);

function restoreLengths(x: Float64Array, restLength: Float64Array, tension: Float64Array, first: number, n: number): void {
  let px = x[3 * first], py = x[3 * first + 1], pz = x[3 * first + 2], sx = 0, sy = 0, sz = 0;
  for (let j = 0; j < n - 1; j++) {
    const a = 3 * (first + j + 1), qx = x[a], qy = x[a + 1], qz = x[a + 2];
    const ex = qx - px, ey = qy - py, ez = qz - pz;
    const k = restLength[first + j] / Math.sqrt(ex * ex + ey * ey + ez * ez + 1e-30) - 1;
    sx += k * ex; sy += k * ey; sz += k * ez;
    x[a] = qx + sx; x[a + 1] = qy + sy; x[a + 2] = qz + sz;
    px = qx; py = qy; pz = qz;
    tension[first + j] = 0;
  }
}

function startFramesSafely(system: RodSystem, s: number, first: number, n: number): void {
  const { tangent, director, rootTangent, rootDirector } = system;
  for (let i = first; i < first + n - 1; i++) for (let k = 0; k < 3; k++) {
    tangent[3 * i + k] = rootTangent[3 * s + k];
    director[3 * i + k] = rootDirector[3 * s + k];
  }
}
