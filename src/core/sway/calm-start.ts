/**
 * Calm start: rest curvature, twist and tensions for which the present shape is at rest under gravity.
 *
 * Walking from tip to root with the weight W and moment M of all that hangs below: λ = W · t; at each node the three
 * elastic moments c = stiffness × (strain − rest) that balance M solve [a₁ a₂ a₃] c = M, with aₖ = e × ∂κₖ/∂e + (∂κₖ/∂θ) t.
 * Holds and contacts are left out: both are free of force in the groomed shape.
 * **Source:** after Hsu et al. 2023 (sag-free starts of strands), *from memory*; the per-node solve is our own.
 *
 * A strand far too soft for its pose would need a rest shape it snaps away from. Where a node would have to bend by more
 * than `MOST_PRELOAD` radians against gravity, bending carries only as much of the weight as keeps that limit, and hold
 * carries the rest: every point is held at least so strongly that its share pulls it no further than `HOLD_REACH` of the
 * length, from a target that lies by exactly that higher. Moments grow in proportion to the weight, so that the pose is at
 * rest exactly either way.
 */
import { measureNodes } from './rod/frames';
import type { RodSystem } from './rod-system';
import { startFrames } from './strand-setup';

/** Radians a node may be bent against gravity; common practice, no source: beyond it strands were seen to snap over. */
const MOST_PRELOAD = 0.35;
const HOLD_REACH = 0.05;

/**
 * For one strand that `makeRod` has made. Returns the share of the weight that hold carries, 0 … 1, and leaves in `lift`
 * (3 × points, m, if given) how far the hold targets lie from the pose.
 */
export function calmStart(one: RodSystem, gravity: readonly [number, number, number], lift?: Float64Array): number {
  const { k, pointCount: n } = one, { x, mass, tangent, director, restLength, tension, bend, twist, binormal, chi, kappa, tau, spin } = k;
  startFrames(one);
  measureNodes(k, 0, n);
  const M = [0, 0, 0], W = [0, 0, 0], preload = new Float64Array(3 * n);
  let most = 0;
  for (let i = n - 2; i >= 0; i--) {
    const a = 3 * (i + 1), e = [x[a] - x[a - 3], x[a + 1] - x[a - 2], x[a + 2] - x[a - 1]];
    for (let c = 0; c < 3; c++) W[c] += mass[i + 1] * gravity[c];
    M[0] += e[1] * W[2] - e[2] * W[1];
    M[1] += e[2] * W[0] - e[0] * W[2];
    M[2] += e[0] * W[1] - e[1] * W[0];
    const t0 = three(tangent, a - 3), t = three(tangent, a), u = three(director, a - 3), w = three(director, a);
    tension[i + 1] = dot(W, t);
    if (bend[i] === 0) continue; // a hinge carries no moment
    const u2 = cross(t0, u), w2 = cross(t, w), q = three(binormal, 3 * i), length = restLength[i + 1];
    const tt = t0.map((v, c) => (v + t[c]) / chi[i]), s2 = u2.map((v, c) => (v + w2[c]) / chi[i]), s1 = u.map((v, c) => (v + w[c]) / chi[i]);
    // gradients by the edge above, and by its spin
    const g1 = cross(t0, s2).map((v, c) => (-v - kappa[2 * i] * tt[c]) / length);
    const g2 = cross(t0, s1).map((v, c) => (v - kappa[2 * i + 1] * tt[c]) / length);
    const a1 = cross(e, g1).map((v, c) => v - spin[4 * i + 1] * t[c]);
    const a2 = cross(e, g2).map((v, c) => v - spin[4 * i + 3] * t[c]);
    const a3 = cross(e, q.map((v) => v / length)).map((v, c) => v + t[c]);
    const D = det(a1, a2, a3);
    if (!(Math.abs(D) > 1e-12)) continue;
    const l = 0.5 * (restLength[i] + restLength[i + 1]);
    preload[3 * i] = (det(M, a2, a3) / D) * (l / bend[i]);
    preload[3 * i + 1] = (det(a1, M, a3) / D) * (l / bend[i]);
    preload[3 * i + 2] = (det(a1, a2, M) / D) * (l / twist[i]);
    most = Math.max(most, Math.hypot(preload[3 * i], preload[3 * i + 1]), Math.abs(preload[3 * i + 2]));
  }
  const carried = most > MOST_PRELOAD ? MOST_PRELOAD / most : 1;
  for (let i = 0; i < n; i++) {
    if (i < n - 1 && bend[i] > 0) {
      k.restCurvature[2 * i] = kappa[2 * i] - carried * preload[3 * i];
      k.restCurvature[2 * i + 1] = kappa[2 * i + 1] - carried * preload[3 * i + 1];
      k.restTwist[i] = tau[i] - (carried * preload[3 * i + 2]) / (1 + 0.25 * tau[i] * tau[i]);
    }
    tension[i] *= carried;
  }
  if (carried < 1 && lift) {
    const g = Math.hypot(...gravity), reach = HOLD_REACH * k.length[0];
    for (let i = 1; i < n; i++) {
      const needed = ((1 - carried) * mass[i] * g) / reach;
      k.holdStiffness[i] = Math.max(k.holdStiffness[i], needed);
      for (let c = 0; c < 3; c++) lift[3 * i + c] = (-(1 - carried) * mass[i] * gravity[c]) / k.holdStiffness[i];
    }
  }
  return 1 - carried;
}

const three = (v: ArrayLike<number>, o: number): number[] => [v[o], v[o + 1], v[o + 2]];
const dot = (a: number[], b: number[]): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const cross = (a: number[], b: number[]): number[] => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
const det = (a: number[], b: number[], c: number[]): number => dot(a, cross(b, c));
