/** The end of a substep: velocities, contact forces, history, and the safety net where something went wrong. */
import type { RodArrays, StepNumbers } from './arrays';
import { measureNodes, transportFrames } from './frames';
import { any, finite, select, type f, type i32 } from './lanes';
import { PROJECTION_PASSES } from './length-projection';
import { keepTouch } from './touch';

/**
 * v = (x − yv)/ĥ, at most a quarter of the strand's length a substep against the root.
 *
 * Safety net: where the lengths did not close they are restored from root to tip, tensions dropped, the velocity against
 * the root halved; where a number is not finite the strand goes back to where it was and rides with its root. Either way
 * its history begins anew, and the use is counted.
 */
export function finishStep(k: RodArrays, o: StepNumbers, s: i32, first: i32, n: i32, touches: i32): void {
  const { x, xPrev, v, vPrev, rootMove, length, history, netUses, projections, yv, ih } = k;
  let sum: f = 0;
  for (let b: i32 = 0; b < 3 * n; b++) sum = sum + x[3 * first + b];
  const good = finite(sum), open = select(projections[s] - (PROJECTION_PASSES - 0.5), 1, 0);
  const caught = Math.max(open, 1 - good);
  if (any(caught)) restoreLengths(k, s, first, n, caught, good);
  const perH = 1 / o.h, most = 0.25 * length[s] * perH, least = 0 - most;
  const rv0 = rootMove[3 * s] * perH, rv1 = rootMove[3 * s + 1] * perH, rv2 = rootMove[3 * s + 2] * perH;
  const kept = select(caught, select(good, 0.5, 0), 1);
  for (let i: i32 = 0; i < n; i++) {
    const a: i32 = 3 * (first + i), b: i32 = 3 * i;
    const ih1 = ih[i];
    const d0 = Math.max(least, Math.min(most, (x[a] - yv[b]) * ih1 - rv0));
    const d1 = Math.max(least, Math.min(most, (x[a + 1] - yv[b + 1]) * ih1 - rv1));
    const d2 = Math.max(least, Math.min(most, (x[a + 2] - yv[b + 2]) * ih1 - rv2));
    v[a] = rv0 + select(good, kept * d0, 0);
    v[a + 1] = rv1 + select(good, kept * d1, 0);
    v[a + 2] = rv2 + select(good, kept * d2, 0);
  }
  if (any(caught)) {
    for (let a: i32 = 3 * first; a < 3 * (first + n); a++) {
      xPrev[a] = select(caught, x[a], xPrev[a]);
      vPrev[a] = select(caught, v[a], vPrev[a]);
    }
  }
  history[s] = select(caught, 0, history[s] + 1);
  netUses[s] += caught;
  if (touches > 0) keepTouch(k, o, first, n, caught);
}

/** Root to tip; frames of a strand with numbers that are not finite begin anew from its root's. */
function restoreLengths(k: RodArrays, s: i32, first: i32, n: i32, caught: f, good: f): void {
  const { x, restLength, tension, tangent, director, rootMove, before } = k;
  const f0: i32 = 3 * first;
  for (let i: i32 = 1; i < n; i++) {
    for (let axis: i32 = 0; axis < 3; axis++) {
      const b: i32 = 3 * i + axis;
      x[f0 + b] = select(good, x[f0 + b], before[b] + rootMove[3 * s + axis]);
    }
  }
  let px = x[f0], py = x[f0 + 1], pz = x[f0 + 2], sx: f = 0, sy: f = 0, sz: f = 0;
  for (let i: i32 = 1; i < n; i++) {
    const a: i32 = 3 * (first + i);
    const qx = x[a], qy = x[a + 1], qz = x[a + 2];
    const ex = qx - px, ey = qy - py, ez = qz - pz;
    const c = restLength[first + i] / Math.sqrt(ex * ex + ey * ey + ez * ez + 1e-30) - 1;
    sx = sx + c * ex; sy = sy + c * ey; sz = sz + c * ez;
    x[a] = select(caught, qx + sx, qx); x[a + 1] = select(caught, qy + sy, qy); x[a + 2] = select(caught, qz + sz, qz);
    px = qx; py = qy; pz = qz;
    tension[first + i] = select(caught, 0, tension[first + i]);
    for (let axis: i32 = 0; axis < 3; axis++) {
      tangent[a + axis] = select(good, tangent[a + axis], tangent[f0 + axis]);
      director[a + axis] = select(good, director[a + axis], director[f0 + axis]);
    }
  }
}

/** Keeps the curvatures at the end of the substep, for the damping of bending in the next one. */
export function measureStrain(k: RodArrays, first: i32, n: i32): void {
  const { kappa, strain, strainPrev } = k;
  transportFrames(k, first, n, 1);
  measureNodes(k, first, n);
  for (let b: i32 = 0; b < 2 * (n - 1); b++) {
    strainPrev[2 * first + b] = strain[2 * first + b];
    strain[2 * first + b] = kappa[b];
  }
}
