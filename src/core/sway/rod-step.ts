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
import { solveBlocks } from './block-solve';
import type { ContactFinder } from './contact';
import { PROJECTION_PASSES, projectLengths } from './length-projection';
import { assemble, CONTACT_PENALTY, stretchStiffness } from './rod-assembly';
import { transportFrames } from './rod-frames';
import type { RodSystem } from './rod-system';
import { solveTwist } from './rod-twist';
import type { StepOptions, StepScratch } from './step-scratch';

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
