/**
 * Twist, solved quasi-statically: a strand's twist settles much faster than it swings.
 *
 * With κ₁, κ₂ and τ of a node as in `rod-assembly.ts`, turning the edge above by θ about its tangent changes them by
 * ∂κ₁/∂θ = −q·w, ∂κ₂/∂θ = −q·w₂, ∂τ/∂θ = 1 + τ²/4 (q half the curvature binormal), the edge below likewise; the Hessian is
 * tridiagonal in the edges. **Source:** Bergou et al. 2010 (quasi-static twist), *from memory*.
 */
import type { RodSystem } from './rod-system';
import type { StepScratch } from './step-scratch';

/** One Newton step on the edges' spin angles, before positions move: twist one substep late makes curls cycle. */
export function solveTwist(system: RodSystem, s: number, first: number, n: number, scratch: StepScratch): void {
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
