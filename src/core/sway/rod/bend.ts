/**
 * Bending and twisting: forces, torques and their blocks of H, for the places and the spins of the edges together.
 *
 * E = Σ ½ (EI/l̄)|κ − κ̄|² + ½ (GJ/l̄)(τ − τ̄)², strains as in `frames.ts`, l̄ half the sum of the two edges. With t̃ = (t⁻ + t)/χ:
 *
 *   ∂κ₁/∂e⁻ = (t × s̃ − κ₁ t̃)/|e⁻|,  ∂κ₁/∂e = (−t⁻ × s̃ − κ₁ t̃)/|e|,  s̃ = (u₂ + w₂)/χ;  κ₂ likewise with s̃ = −(u + w)/χ
 *   ∂τ/∂e^± = ν q/|e^±|,  ν = 1 + τ²/4
 *   ∂κ₁/∂θ⁻ = −q·u,  ∂κ₁/∂θ = −q·w,  ∂κ₂/∂θ⁻ = −q·u₂,  ∂κ₂/∂θ = −q·w₂,  ∂τ/∂θ = ν = −∂τ/∂θ⁻
 *
 * The Hessian is taken in Gauss–Newton form, Σ stiffness × gradient gradientᵀ. Twist has no inertia: it settles much faster
 * than a strand swings. **Source:** Bergou et al. 2008, 2010, *from memory*; there twist is solved by itself, which makes
 * stiff curls shake in a step as long as ours.
 *
 * Damping of bending (Kelvin and Voigt): the moment is EI/l̄ (κ − κ̄ + η dκ/dt), with dκ/dt by the same formula as the
 * velocities, (κ − κv)/ĥ, κv = (4κ⁰ − κ⁻)/3 or κ⁰. Strains are seen from the material, so that turning as a whole is not
 * damped.
 */
import type { RodArrays, StepNumbers } from './arrays';
import type { f, i32 } from './lanes';

/** Keeps a strand that may spin freely (a hinged root) from being undetermined. */
const SPIN_FLOOR = 1e-5;

/** Adds bending and twist to `r` and `edgeBlock`, and writes `crossBlock` and the blocks of the spins. */
export function addBending(k: RodArrays, o: StepNumbers, s: i32, first: i32, n: i32): void {
  const { tangent, director, restLength, restCurvature, restTwist, bend, twist, bendLag, strain, strainPrev, r, ih, inverseLength, binormal, chi, kappa, tau, spin, crossBlock, spinSpin, spinNext, spinOwn, spinBelow, spinAbove } = k;
  for (let g: i32 = 0; g < 9; g++) { crossBlock[g] = 0; crossBlock[9 * (n - 1) + g] = 0; }
  for (let c: i32 = 0; c < 3; c++) { spinOwn[c] = 0; spinAbove[3 * (n - 1) + c] = 0; }
  spinSpin[0] = 0;
  const lag = bendLag[s];
  for (let i: i32 = 0; i < n - 1; i++) {
    const p: i32 = first + i, b: i32 = 3 * i, d: i32 = 4 * i, a: i32 = 3 * p;
    const ax = tangent[a], ay = tangent[a + 1], az = tangent[a + 2], bx = tangent[a + 3], by = tangent[a + 4], bz = tangent[a + 5];
    const ux = director[a], uy = director[a + 1], uz = director[a + 2], wx = director[a + 3], wy = director[a + 4], wz = director[a + 5];
    const ia = inverseLength[i], ib = inverseLength[i + 1], il = 2 / (restLength[p] + restLength[p + 1]), ix = 1 / chi[i];
    const qx = binormal[b], qy = binormal[b + 1], qz = binormal[b + 2];
    const u2x = ay * uz - az * uy, u2y = az * ux - ax * uz, u2z = ax * uy - ay * ux;
    const w2x = by * wz - bz * wy, w2y = bz * wx - bx * wz, w2z = bx * wy - by * wx;
    const k1 = kappa[2 * i], k2 = kappa[2 * i + 1], nu = 1 + 0.25 * tau[i] * tau[i];
    let eb = bend[p] * il, f1 = eb * (k1 - restCurvature[2 * p]), f2 = eb * (k2 - restCurvature[2 * p + 1]);
    const et = twist[p] * il, f3 = et * (tau[i] - restTwist[p]);
    if (o.lagging > 0) {
      const rate = lag * ih[i], past = (1 - ih[i] * o.h) * (2 / 3), now = 1 - past;
      f1 += eb * (rate * (k1 - now * strain[2 * p] - past * strainPrev[2 * p]));
      f2 += eb * (rate * (k2 - now * strain[2 * p + 1] - past * strainPrev[2 * p + 1]));
      eb = eb * (1 + rate);
    }
    const tx = (ax + bx) * ix, ty = (ay + by) * ix, tz = (az + bz) * ix;
    const sx = (u2x + w2x) * ix, sy = (u2y + w2y) * ix, sz = (u2z + w2z) * ix;
    const rx = (ux + wx) * ix, ry = (uy + wy) * ix, rz = (uz + wz) * ix;
    // m: gradients of κ₁, κ₂, τ by the edge below; p: by the edge above; n: by the spin below; o: by the spin above
    const m1x = ia * (by * sz - bz * sy - k1 * tx), m1y = ia * (bz * sx - bx * sz - k1 * ty), m1z = ia * (bx * sy - by * sx - k1 * tz);
    const p1x = ib * (az * sy - ay * sz - k1 * tx), p1y = ib * (ax * sz - az * sx - k1 * ty), p1z = ib * (ay * sx - ax * sy - k1 * tz);
    const m2x = ia * (bz * ry - by * rz - k2 * tx), m2y = ia * (bx * rz - bz * rx - k2 * ty), m2z = ia * (by * rx - bx * ry - k2 * tz);
    const p2x = ib * (ay * rz - az * ry - k2 * tx), p2y = ib * (az * rx - ax * rz - k2 * ty), p2z = ib * (ax * ry - ay * rx - k2 * tz);
    const ta = nu * ia, tb = nu * ib;
    const m3x = ta * qx, m3y = ta * qy, m3z = ta * qz, p3x = tb * qx, p3y = tb * qy, p3z = tb * qz;
    const n1 = 0 - spin[d], o1 = 0 - spin[d + 1], n2 = 0 - spin[d + 2], o2 = 0 - spin[d + 3];
    const gx = f1 * m1x + f2 * m2x + f3 * m3x, gy = f1 * m1y + f2 * m2y + f3 * m3y, gz = f1 * m1z + f2 * m2z + f3 * m3z;
    const ex = f1 * p1x + f2 * p2x + f3 * p3x, ey = f1 * p1y + f2 * p2y + f3 * p3y, ez = f1 * p1z + f2 * p2z + f3 * p3z;
    r[d] += ex - gx; r[d + 1] += ey - gy; r[d + 2] += ez - gz;
    r[d + 4] -= ex; r[d + 5] -= ey; r[d + 6] -= ez;
    r[d + 7] = 0 - (f1 * o1 + f2 * o2 + f3 * nu);
    // stiffness × gradient, for the products below
    const q1x = eb * p1x, q1y = eb * p1y, q1z = eb * p1z, q2x = eb * p2x, q2y = eb * p2y, q2z = eb * p2z, q3x = et * p3x, q3y = et * p3y, q3z = et * p3z;
    const eo1 = eb * o1, eo2 = eb * o2, eo3 = et * nu;
    addToEdge(k, 6 * i + 6, q1x * p1x + q2x * p2x + q3x * p3x, q1x * p1y + q2x * p2y + q3x * p3y, q1x * p1z + q2x * p2z + q3x * p3z, q1y * p1y + q2y * p2y + q3y * p3y, q1y * p1z + q2y * p2z + q3y * p3z, q1z * p1z + q2z * p2z + q3z * p3z);
    spinSpin[i + 1] = (1 + SPIN_FLOOR) * (eo1 * o1 + eo2 * o2 + eo3 * nu) + 1e-30;
    spinOwn[b + 3] = eo1 * p1x + eo2 * p2x + eo3 * p3x; spinOwn[b + 4] = eo1 * p1y + eo2 * p2y + eo3 * p3y; spinOwn[b + 5] = eo1 * p1z + eo2 * p2z + eo3 * p3z;
    if (i > 0) {
      const w: i32 = 9 * i;
      const en1 = eb * n1, en2 = eb * n2, en3 = 0 - eo3;
      r[d - 4] += gx; r[d - 3] += gy; r[d - 2] += gz;
      r[d + 3] -= f1 * n1 + f2 * n2 - f3 * nu;
      addToEdge(k, 6 * i, eb * (m1x * m1x + m2x * m2x) + et * m3x * m3x, eb * (m1x * m1y + m2x * m2y) + et * m3x * m3y, eb * (m1x * m1z + m2x * m2z) + et * m3x * m3z, eb * (m1y * m1y + m2y * m2y) + et * m3y * m3y, eb * (m1y * m1z + m2y * m2z) + et * m3y * m3z, eb * (m1z * m1z + m2z * m2z) + et * m3z * m3z);
      crossBlock[w] = m1x * q1x + m2x * q2x + m3x * q3x; crossBlock[w + 1] = m1x * q1y + m2x * q2y + m3x * q3y; crossBlock[w + 2] = m1x * q1z + m2x * q2z + m3x * q3z;
      crossBlock[w + 3] = m1y * q1x + m2y * q2x + m3y * q3x; crossBlock[w + 4] = m1y * q1y + m2y * q2y + m3y * q3y; crossBlock[w + 5] = m1y * q1z + m2y * q2z + m3y * q3z;
      crossBlock[w + 6] = m1z * q1x + m2z * q2x + m3z * q3x; crossBlock[w + 7] = m1z * q1y + m2z * q2y + m3z * q3y; crossBlock[w + 8] = m1z * q1z + m2z * q2z + m3z * q3z;
      spinSpin[i] += en1 * n1 + en2 * n2 + eo3 * nu;
      spinNext[i] = en1 * o1 + en2 * o2 + en3 * nu;
      spinOwn[b] += en1 * m1x + en2 * m2x + en3 * m3x; spinOwn[b + 1] += en1 * m1y + en2 * m2y + en3 * m3y; spinOwn[b + 2] += en1 * m1z + en2 * m2z + en3 * m3z;
      spinBelow[b] = eo1 * m1x + eo2 * m2x + eo3 * m3x; spinBelow[b + 1] = eo1 * m1y + eo2 * m2y + eo3 * m3y; spinBelow[b + 2] = eo1 * m1z + eo2 * m2z + eo3 * m3z;
      spinAbove[b] = en1 * p1x + en2 * p2x + en3 * p3x; spinAbove[b + 1] = en1 * p1y + en2 * p2y + en3 * p3y; spinAbove[b + 2] = en1 * p1z + en2 * p2z + en3 * p3z;
    }
  }
}

function addToEdge(k: RodArrays, at: i32, xx: f, xy: f, xz: f, yy: f, yz: f, zz: f): void {
  const { edgeBlock } = k;
  edgeBlock[at] += xx; edgeBlock[at + 1] += xy; edgeBlock[at + 2] += xz; edgeBlock[at + 3] += yy; edgeBlock[at + 4] += yz; edgeBlock[at + 5] += zz;
}
