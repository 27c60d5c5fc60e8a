/**
 * The linear system of a strand, solved directly in O(points): places x and the spins θ of the edges below them, coupled over
 * two points.
 *
 * With the points' own blocks P, the springs Q along edges, the couplings R of neighbouring edges, and for the spins the
 * blocks of `bend.ts` (T: θᵢθᵢ, S: θᵢθᵢ₊₁, A: eᵢθᵢ, B: eᵢθᵢ₊₁, C: eᵢ₊₁θᵢ), the rows of point i are
 *
 *   θᵢ: T_i to itself, B_{i−1} − A_i to x_{i−1}, S_{i−1} to θ_{i−1}, −B_{i−1} to x_{i−2}
 *   xᵢ: P_i + Q_i + Q_{i+1} − R_i − R_iᵀ to itself, A_i − C_i to θᵢ,
 *       R_{i−1}ᵀ + R_iᵀ − Q_i to x_{i−1}, C_{i−1} to θ_{i−1}, −R_{i−1}ᵀ to x_{i−2}
 *
 * Place and spin must be solved for together: with the spin held back, stiff curls feed on their own twist and shake.
 *
 * Eliminated in the order … θᵢ, xᵢ, θᵢ₊₁, xᵢ₊₁ … by LDLᵀ; x with its 3 × 3 pivot, whose inverse is kept. Kept a point, in
 * `factor`: inverse of the pivot of x (6) and of θ (1), then the rows of L: x to x_{i−1} (9), x to x_{i−2} (9), x to θᵢ (3),
 * x to θ_{i−1} (3), θ to x_{i−1} (3), θ to x_{i−2} (3), θ to θ_{i−1} (1).
 */
import type { RodArrays } from './arrays';
import type { i32 } from './lanes';

/** LDLᵀ over the points 1 … n − 1; Δx and Δθ are left in `r`, four numbers a point. */
export function solveBlocks(k: RodArrays, n: i32): void {
  const { r: y, pointBlock: P, edgeBlock: Q, crossBlock: R, spinSpin: T, spinNext: S, spinOwn: A, spinBelow: B, spinAbove: C, factor: F } = k;
  for (let i: i32 = 1; i < n; i++) {
    const b: i32 = 4 * i, q: i32 = 6 * i, r: i32 = 9 * i, t: i32 = 3 * i, f: i32 = 38 * i;
    let y0 = y[b], y1 = y[b + 1], y2 = y[b + 2], y3 = y[b + 3], dt = T[i];
    let d00 = P[q] + Q[q] + Q[q + 6] - 2 * R[r];
    let d01 = P[q + 1] + Q[q + 1] + Q[q + 7] - R[r + 1] - R[r + 3];
    let d02 = P[q + 2] + Q[q + 2] + Q[q + 8] - R[r + 2] - R[r + 6];
    let d11 = P[q + 3] + Q[q + 3] + Q[q + 9] - 2 * R[r + 4];
    let d12 = P[q + 4] + Q[q + 4] + Q[q + 10] - R[r + 5] - R[r + 7];
    let d22 = P[q + 5] + Q[q + 5] + Q[q + 11] - 2 * R[r + 8];
    let g0 = A[t] - C[t], g1 = A[t + 1] - C[t + 1], g2 = A[t + 2] - C[t + 2];
    if (i > 1) {
      const rp: i32 = r - 9, tp: i32 = t - 3, fp: i32 = f - 38, bp: i32 = b - 4;
      let e00 = R[rp] + R[r] - Q[q], e01 = R[rp + 3] + R[r + 3] - Q[q + 1], e02 = R[rp + 6] + R[r + 6] - Q[q + 2], c0 = C[tp];
      let e10 = R[rp + 1] + R[r + 1] - Q[q + 1], e11 = R[rp + 4] + R[r + 4] - Q[q + 3], e12 = R[rp + 7] + R[r + 7] - Q[q + 4], c1 = C[tp + 1];
      let e20 = R[rp + 2] + R[r + 2] - Q[q + 2], e21 = R[rp + 5] + R[r + 5] - Q[q + 4], e22 = R[rp + 8] + R[r + 8] - Q[q + 5], c2 = C[tp + 2];
      let h0 = B[tp] - A[t], h1 = B[tp + 1] - A[t + 1], h2 = B[tp + 2] - A[t + 2], st = S[i - 1];
      if (i > 2) {
        const fq: i32 = f - 76, bq: i32 = b - 8;
        const v00 = F[fq], v01 = F[fq + 1], v02 = F[fq + 2], v11 = F[fq + 3], v12 = F[fq + 4], v22 = F[fq + 5];
        const p0 = F[fp + 7], p01 = F[fp + 8], p02 = F[fp + 9], p1 = F[fp + 10], p11 = F[fp + 11], p12 = F[fp + 12], p2 = F[fp + 13], p21 = F[fp + 14], p22 = F[fp + 15], o0 = F[fp + 31], o1 = F[fp + 32], o2 = F[fp + 33];
        const z0 = y[bq], z1 = y[bq + 1], z2 = y[bq + 2];
        // the row of θ against x two points below
        const b0 = -B[tp], b1 = -B[tp + 1], b2 = -B[tp + 2];
        const l0 = b0 * v00 + b1 * v01 + b2 * v02, l1 = b0 * v01 + b1 * v11 + b2 * v12, l2 = b0 * v02 + b1 * v12 + b2 * v22;
        F[f + 34] = l0; F[f + 35] = l1; F[f + 36] = l2;
        st -= b0 * o0 + b1 * o1 + b2 * o2;
        h0 -= b0 * p0 + b1 * p01 + b2 * p02; h1 -= b0 * p1 + b1 * p11 + b2 * p12; h2 -= b0 * p2 + b1 * p21 + b2 * p22;
        dt -= b0 * l0 + b1 * l1 + b2 * l2;
        y3 -= l0 * z0 + l1 * z1 + l2 * z2;
        // the rows of x against x two points below
        const u00 = -R[rp], u01 = -R[rp + 3], u02 = -R[rp + 6];
        const u10 = -R[rp + 1], u11 = -R[rp + 4], u12 = -R[rp + 7];
        const u20 = -R[rp + 2], u21 = -R[rp + 5], u22 = -R[rp + 8];
        const k00 = u00 * v00 + u01 * v01 + u02 * v02, k01 = u00 * v01 + u01 * v11 + u02 * v12, k02 = u00 * v02 + u01 * v12 + u02 * v22;
        const k10 = u10 * v00 + u11 * v01 + u12 * v02, k11 = u10 * v01 + u11 * v11 + u12 * v12, k12 = u10 * v02 + u11 * v12 + u12 * v22;
        const k20 = u20 * v00 + u21 * v01 + u22 * v02, k21 = u20 * v01 + u21 * v11 + u22 * v12, k22 = u20 * v02 + u21 * v12 + u22 * v22;
        F[f + 16] = k00; F[f + 17] = k01; F[f + 18] = k02; F[f + 19] = k10; F[f + 20] = k11; F[f + 21] = k12; F[f + 22] = k20; F[f + 23] = k21; F[f + 24] = k22;
        c0 -= u00 * o0 + u01 * o1 + u02 * o2; g0 -= u00 * l0 + u01 * l1 + u02 * l2; e00 -= u00 * p0 + u01 * p01 + u02 * p02; e01 -= u00 * p1 + u01 * p11 + u02 * p12; e02 -= u00 * p2 + u01 * p21 + u02 * p22;
        d00 -= u00 * k00 + u01 * k01 + u02 * k02; d01 -= u00 * k10 + u01 * k11 + u02 * k12; d02 -= u00 * k20 + u01 * k21 + u02 * k22; y0 -= k00 * z0 + k01 * z1 + k02 * z2;
        c1 -= u10 * o0 + u11 * o1 + u12 * o2; g1 -= u10 * l0 + u11 * l1 + u12 * l2; e10 -= u10 * p0 + u11 * p01 + u12 * p02; e11 -= u10 * p1 + u11 * p11 + u12 * p12; e12 -= u10 * p2 + u11 * p21 + u12 * p22;
        d11 -= u10 * k10 + u11 * k11 + u12 * k12; d12 -= u10 * k20 + u11 * k21 + u12 * k22; y1 -= k10 * z0 + k11 * z1 + k12 * z2;
        c2 -= u20 * o0 + u21 * o1 + u22 * o2; g2 -= u20 * l0 + u21 * l1 + u22 * l2; e20 -= u20 * p0 + u21 * p01 + u22 * p02; e21 -= u20 * p1 + u21 * p11 + u22 * p12; e22 -= u20 * p2 + u21 * p21 + u22 * p22;
        d22 -= u20 * k20 + u21 * k21 + u22 * k22; y2 -= k20 * z0 + k21 * z1 + k22 * z2;
      }
      const w0 = y[bp], w1 = y[bp + 1], w2 = y[bp + 2], w3 = y[bp + 3], ti = F[fp + 6], x0 = F[fp + 25], x1 = F[fp + 26], x2 = F[fp + 27];
      const n00 = F[fp], n01 = F[fp + 1], n02 = F[fp + 2], n11 = F[fp + 3], n12 = F[fp + 4], n22 = F[fp + 5];
      // θ against the θ and x of the point below
      const lt = st * ti;
      h0 -= st * x0; h1 -= st * x1; h2 -= st * x2;
      const m0 = h0 * n00 + h1 * n01 + h2 * n02, m1 = h0 * n01 + h1 * n11 + h2 * n12, m2 = h0 * n02 + h1 * n12 + h2 * n22;
      F[f + 31] = m0; F[f + 32] = m1; F[f + 33] = m2; F[f + 37] = lt;
      dt -= st * lt + h0 * m0 + h1 * m1 + h2 * m2;
      y3 -= lt * w3 + m0 * w0 + m1 * w1 + m2 * w2;
      // x against them
      const a0 = c0 * ti; F[f + 28] = a0;
      e00 -= c0 * x0; e01 -= c0 * x1; e02 -= c0 * x2;
      const q00 = e00 * n00 + e01 * n01 + e02 * n02, q01 = e00 * n01 + e01 * n11 + e02 * n12, q02 = e00 * n02 + e01 * n12 + e02 * n22;
      F[f + 7] = q00; F[f + 8] = q01; F[f + 9] = q02;
      g0 -= c0 * lt + e00 * m0 + e01 * m1 + e02 * m2;
      const a1 = c1 * ti; F[f + 29] = a1;
      e10 -= c1 * x0; e11 -= c1 * x1; e12 -= c1 * x2;
      const q10 = e10 * n00 + e11 * n01 + e12 * n02, q11 = e10 * n01 + e11 * n11 + e12 * n12, q12 = e10 * n02 + e11 * n12 + e12 * n22;
      F[f + 10] = q10; F[f + 11] = q11; F[f + 12] = q12;
      g1 -= c1 * lt + e10 * m0 + e11 * m1 + e12 * m2;
      const a2 = c2 * ti; F[f + 30] = a2;
      e20 -= c2 * x0; e21 -= c2 * x1; e22 -= c2 * x2;
      const q20 = e20 * n00 + e21 * n01 + e22 * n02, q21 = e20 * n01 + e21 * n11 + e22 * n12, q22 = e20 * n02 + e21 * n12 + e22 * n22;
      F[f + 13] = q20; F[f + 14] = q21; F[f + 15] = q22;
      g2 -= c2 * lt + e20 * m0 + e21 * m1 + e22 * m2;
      d00 -= c0 * a0 + e00 * q00 + e01 * q01 + e02 * q02; d01 -= c0 * a1 + e00 * q10 + e01 * q11 + e02 * q12; d02 -= c0 * a2 + e00 * q20 + e01 * q21 + e02 * q22; y0 -= a0 * w3 + q00 * w0 + q01 * w1 + q02 * w2;
      d11 -= c1 * a1 + e10 * q10 + e11 * q11 + e12 * q12; d12 -= c1 * a2 + e10 * q20 + e11 * q21 + e12 * q22; y1 -= a1 * w3 + q10 * w0 + q11 * w1 + q12 * w2;
      d22 -= c2 * a2 + e20 * q20 + e21 * q21 + e22 * q22; y2 -= a2 * w3 + q20 * w0 + q21 * w1 + q22 * w2;
    }
    const ti = 1 / dt, s0 = g0 * ti, s1 = g1 * ti, s2 = g2 * ti;
    F[f + 6] = ti; F[f + 25] = s0; F[f + 26] = s1; F[f + 27] = s2;
    d00 -= g0 * s0; d01 -= g0 * s1; d02 -= g0 * s2; d11 -= g1 * s1; d12 -= g1 * s2; d22 -= g2 * s2;
    y[b] = y0 - s0 * y3; y[b + 1] = y1 - s1 * y3; y[b + 2] = y2 - s2 * y3; y[b + 3] = y3;
    // inverse of the symmetric 3 × 3 pivot by its own LDLᵀ
    const j0 = 1 / d00, k1 = d01 * j0, k2 = d02 * j0, r3 = d11 - k1 * d01, j3 = 1 / r3, r4 = d12 - k1 * d02, k4 = r4 * j3, j5 = 1 / (d22 - k2 * d02 - k4 * r4), m5 = k1 * k4 - k2;
    F[f] = j0 + k1 * k1 * j3 + m5 * m5 * j5; F[f + 1] = 0 - k1 * j3 - m5 * k4 * j5; F[f + 2] = m5 * j5;
    F[f + 3] = j3 + k4 * k4 * j5; F[f + 4] = 0 - k4 * j5; F[f + 5] = j5;
  }
  for (let i: i32 = n - 1; i > 0; i--) {
    const b: i32 = 4 * i, f: i32 = 38 * i;
    const y0 = y[b], y1 = y[b + 1], y2 = y[b + 2];
    let x0 = F[f] * y0 + F[f + 1] * y1 + F[f + 2] * y2;
    let x1 = F[f + 1] * y0 + F[f + 3] * y1 + F[f + 4] * y2;
    let x2 = F[f + 2] * y0 + F[f + 4] * y1 + F[f + 5] * y2;
    let s = F[f + 6] * y[b + 3];
    if (i + 1 < n) {
      const fn: i32 = f + 38, bn: i32 = b + 4;
      const t0 = y[bn], t1 = y[bn + 1], t2 = y[bn + 2], t3 = y[bn + 3];
      x0 -= F[fn + 7] * t0 + F[fn + 10] * t1 + F[fn + 13] * t2 + F[fn + 31] * t3; x1 -= F[fn + 8] * t0 + F[fn + 11] * t1 + F[fn + 14] * t2 + F[fn + 32] * t3; x2 -= F[fn + 9] * t0 + F[fn + 12] * t1 + F[fn + 15] * t2 + F[fn + 33] * t3;
      s -= F[fn + 37] * t3 + F[fn + 28] * t0 + F[fn + 29] * t1 + F[fn + 30] * t2;
    }
    if (i + 2 < n) {
      const fm: i32 = f + 76, bm: i32 = b + 8;
      const t0 = y[bm], t1 = y[bm + 1], t2 = y[bm + 2], t3 = y[bm + 3];
      x0 -= F[fm + 16] * t0 + F[fm + 19] * t1 + F[fm + 22] * t2 + F[fm + 34] * t3; x1 -= F[fm + 17] * t0 + F[fm + 20] * t1 + F[fm + 23] * t2 + F[fm + 35] * t3; x2 -= F[fm + 18] * t0 + F[fm + 21] * t1 + F[fm + 24] * t2 + F[fm + 36] * t3;
    }
    y[b] = x0; y[b + 1] = x1; y[b + 2] = x2;
    y[b + 3] = s - F[f + 25] * x0 - F[f + 26] * x1 - F[f + 27] * x2;
  }
  y[0] = 0; y[1] = 0; y[2] = 0; y[3] = 0;
}
