/**
 * Calm start: rest curvature, twist and tensions for which the present shape is at rest under gravity.
 *
 * Walking from tip to root with the weight W and moment M of all that hangs below: λ = W · t; at each node the three
 * elastic moments c = stiffness × (strain − rest) that balance M solve [a₁ a₂ a₃] c = M, with aₖ = e × ∂κₖ/∂e + (∂κₖ/∂θ) t.
 * Holds and contacts are left out: both are free of force in the groomed shape.
 * **Source:** after Hsu et al. 2023 (sag-free starts of strands), *from memory*; the per-node solve is our own.
 *
 * A strand far too soft for its pose would need a rest shape it snaps away from. Where a node would have to bend by more
 * than `MOST_PRELOAD` radians against gravity its preload is cut there, and the share of strands so cut is told.
 */
import { voronoiLength, nodeStrain, type RodSystem } from './rod-system';

const MOST_PRELOAD = 0.35;

/** Returns whether any node's preload had to be cut. `restStrand` must have been called on the shape before. */
export function calmStart(system: RodSystem, s: number, gravity: readonly [number, number, number]): boolean {
  const { start, x, mass, tangent, director, rootTangent, rootDirector, restLength, tension } = system;
  const first = start[s], n = start[s + 1] - first;
  const M = [0, 0, 0], W = [0, 0, 0];
  let cut = false;
  for (let i = n - 2; i >= 0; i--) {
    const p = first + i, a = 3 * p;
    const e = [x[a + 3] - x[a], x[a + 4] - x[a + 1], x[a + 5] - x[a + 2]];
    for (let k = 0; k < 3; k++) W[k] += mass[p + 1] * gravity[k];
    M[0] += e[1] * W[2] - e[2] * W[1];
    M[1] += e[2] * W[0] - e[0] * W[2];
    M[2] += e[0] * W[1] - e[1] * W[0];
    const t = [tangent[a], tangent[a + 1], tangent[a + 2]];
    tension[p] = dot(W, t);
    const [T, D, o] = i === 0 ? [rootTangent, rootDirector, 3 * s] : [tangent, director, a - 3];
    const t0 = [T[o], T[o + 1], T[o + 2]], u = [D[o], D[o + 1], D[o + 2]], w = [director[a], director[a + 1], director[a + 2]];
    const chi = Math.max(1e-2, 1 + dot(t0, t)), length = restLength[p];
    const kb = cross(t0, t).map((v) => (2 * v) / chi);
    const u2 = cross(t0, u), w2 = cross(t, w);
    const tt = t0.map((v, k) => (v + t[k]) / chi);
    const { kappa1, kappa2, tau } = nodeStrain(system, s, i);
    // gradients by the edge above, and by its spin
    const s2 = u2.map((v, k) => (v + w2[k]) / chi), s1 = u.map((v, k) => (v + w[k]) / chi);
    const g1 = cross(t0, s2).map((v, k) => (-v - kappa1 * tt[k]) / length);
    const g2 = cross(t0, s1).map((v, k) => (v - kappa2 * tt[k]) / length);
    const a1 = cross(e, g1).map((v, k) => v - 0.5 * dot(kb, w) * t[k]);
    const a2 = cross(e, g2).map((v, k) => v - 0.5 * dot(kb, w2) * t[k]);
    const a3 = cross(e, kb.map((v) => v / (2 * length))).map((v, k) => v + t[k]);
    const D3 = det(a1, a2, a3);
    if (!(Math.abs(D3) > 1e-12)) continue;
    const l = voronoiLength(system, first, p);
    let r1 = (det(M, a2, a3) / D3) * (l / system.bend[s]), r2 = (det(a1, M, a3) / D3) * (l / system.bend[s]), r3 = (det(a1, a2, M) / D3) * (l / system.twist[s]);
    const most = Math.max(Math.hypot(r1, r2), Math.abs(r3));
    if (most > MOST_PRELOAD) {
      const k = MOST_PRELOAD / most;
      r1 *= k; r2 *= k; r3 *= k;
      cut = true;
    }
    system.restCurvature[2 * p] = kappa1 - r1;
    system.restCurvature[2 * p + 1] = kappa2 - r2;
    system.restTwist[p] = tau - r3 / (1 + 0.25 * tau * tau);
  }
  return cut;
}

const dot = (a: number[], b: number[]): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const cross = (a: number[], b: number[]): number[] => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
const det = (a: number[], b: number[], c: number[]): number => dot(a, cross(b, c));
