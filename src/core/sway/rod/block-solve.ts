/**
 * The linear system of a strand: symmetric, 4 × 4 blocks (place and spin of the edge below a point), two blocks beside the
 * diagonal; solved directly in O(points).
 *
 * With the points' own blocks P, the springs Q along edges, the couplings R of neighbouring edges, and for the spins θ the
 * blocks of `bend.ts` (T: θᵢθᵢ, S: θᵢθᵢ₊₁, A: eᵢθᵢ, B: eᵢθᵢ₊₁, C: eᵢ₊₁θᵢ), the row of point i is
 *
 *   D_i = [P_i + Q_i + Q_{i+1} − R_i − R_iᵀ, A_i − C_i; ·, T_i]
 *   E_i (to i − 1) = [R_{i−1}ᵀ + R_iᵀ − Q_i, C_{i−1}; B_{i−1} − A_i, S_{i−1}]
 *   U_i (to i − 2) = [−R_{i−1}ᵀ, 0; −B_{i−1}, 0]
 *
 * Place and spin must be solved for together: with the spin held back, stiff curls feed on their own twist and shake.
 */
import type { RodArrays } from './arrays';
import type { i32 } from './lanes';

/** Block-pentadiagonal LDLᵀ over the points 1 … n − 1; Δx and Δθ are left in `r`, four numbers a point. */
export function solveBlocks(k: RodArrays, n: i32): void {
  const { r: RR, pointBlock: P, edgeBlock: Q, crossBlock: R, spinSpin: T, spinNext: S, spinOwn: A, spinBelow: B, spinAbove: C, pivotInverse: DI, lower1: LA, lower2: LB } = k;
  for (let i: i32 = 1; i < n; i++) {
    const b: i32 = 4 * i, q: i32 = 6 * i, qn: i32 = q + 6, r: i32 = 9 * i, rp: i32 = r - 9, t: i32 = 3 * i, tp: i32 = t - 3, g: i32 = 16 * i, gp: i32 = g - 16, z: i32 = 10 * i, zp: i32 = z - 10, zq: i32 = z - 20;
    let d00 = P[q] + Q[q] + Q[qn] - 2 * R[r];
    let d01 = P[q + 1] + Q[q + 1] + Q[qn + 1] - R[r + 1] - R[r + 3];
    let d02 = P[q + 2] + Q[q + 2] + Q[qn + 2] - R[r + 2] - R[r + 6];
    let d11 = P[q + 3] + Q[q + 3] + Q[qn + 3] - 2 * R[r + 4];
    let d12 = P[q + 4] + Q[q + 4] + Q[qn + 4] - R[r + 5] - R[r + 7];
    let d22 = P[q + 5] + Q[q + 5] + Q[qn + 5] - 2 * R[r + 8];
    let d03 = A[t] - C[t], d13 = A[t + 1] - C[t + 1], d23 = A[t + 2] - C[t + 2], d33 = T[i];
    let y0 = RR[b], y1 = RR[b + 1], y2 = RR[b + 2], y3 = RR[b + 3];
    if (i > 1) {
      let e00 = R[rp] + R[r] - Q[q], e01 = R[rp + 3] + R[r + 3] - Q[q + 1], e02 = R[rp + 6] + R[r + 6] - Q[q + 2], e03 = C[tp];
      let e10 = R[rp + 1] + R[r + 1] - Q[q + 1], e11 = R[rp + 4] + R[r + 4] - Q[q + 3], e12 = R[rp + 7] + R[r + 7] - Q[q + 4], e13 = C[tp + 1];
      let e20 = R[rp + 2] + R[r + 2] - Q[q + 2], e21 = R[rp + 5] + R[r + 5] - Q[q + 4], e22 = R[rp + 8] + R[r + 8] - Q[q + 5], e23 = C[tp + 2];
      let e30 = B[tp] - A[t], e31 = B[tp + 1] - A[t + 1], e32 = B[tp + 2] - A[t + 2], e33 = S[i - 1];
      if (i > 2) {
        const u00 = -R[rp], u01 = -R[rp + 3], u02 = -R[rp + 6], u10 = -R[rp + 1], u11 = -R[rp + 4], u12 = -R[rp + 7], u20 = -R[rp + 2], u21 = -R[rp + 5], u22 = -R[rp + 8];
        const u30 = -B[tp], u31 = -B[tp + 1], u32 = -B[tp + 2];
        // E −= U LAᵀ of the row before; its column of spins is zero in U
        const a00 = LA[gp], a01 = LA[gp + 1], a02 = LA[gp + 2], a10 = LA[gp + 4], a11 = LA[gp + 5], a12 = LA[gp + 6], a20 = LA[gp + 8], a21 = LA[gp + 9], a22 = LA[gp + 10], a30 = LA[gp + 12], a31 = LA[gp + 13], a32 = LA[gp + 14];
        e00 -= u00 * a00 + u01 * a01 + u02 * a02; e01 -= u00 * a10 + u01 * a11 + u02 * a12; e02 -= u00 * a20 + u01 * a21 + u02 * a22; e03 -= u00 * a30 + u01 * a31 + u02 * a32;
        e10 -= u10 * a00 + u11 * a01 + u12 * a02; e11 -= u10 * a10 + u11 * a11 + u12 * a12; e12 -= u10 * a20 + u11 * a21 + u12 * a22; e13 -= u10 * a30 + u11 * a31 + u12 * a32;
        e20 -= u20 * a00 + u21 * a01 + u22 * a02; e21 -= u20 * a10 + u21 * a11 + u22 * a12; e22 -= u20 * a20 + u21 * a21 + u22 * a22; e23 -= u20 * a30 + u21 * a31 + u22 * a32;
        e30 -= u30 * a00 + u31 * a01 + u32 * a02; e31 -= u30 * a10 + u31 * a11 + u32 * a12; e32 -= u30 * a20 + u31 * a21 + u32 * a22; e33 -= u30 * a30 + u31 * a31 + u32 * a32;
        const v00 = DI[zq], v01 = DI[zq + 1], v02 = DI[zq + 2], v03 = DI[zq + 3], v11 = DI[zq + 4], v12 = DI[zq + 5], v13 = DI[zq + 6], v22 = DI[zq + 7], v23 = DI[zq + 8];
        const g00 = u00 * v00 + u01 * v01 + u02 * v02, g01 = u00 * v01 + u01 * v11 + u02 * v12, g02 = u00 * v02 + u01 * v12 + u02 * v22, g03 = u00 * v03 + u01 * v13 + u02 * v23;
        const g10 = u10 * v00 + u11 * v01 + u12 * v02, g11 = u10 * v01 + u11 * v11 + u12 * v12, g12 = u10 * v02 + u11 * v12 + u12 * v22, g13 = u10 * v03 + u11 * v13 + u12 * v23;
        const g20 = u20 * v00 + u21 * v01 + u22 * v02, g21 = u20 * v01 + u21 * v11 + u22 * v12, g22 = u20 * v02 + u21 * v12 + u22 * v22, g23 = u20 * v03 + u21 * v13 + u22 * v23;
        const g30 = u30 * v00 + u31 * v01 + u32 * v02, g31 = u30 * v01 + u31 * v11 + u32 * v12, g32 = u30 * v02 + u31 * v12 + u32 * v22, g33 = u30 * v03 + u31 * v13 + u32 * v23;
        LB[g] = g00; LB[g + 1] = g01; LB[g + 2] = g02; LB[g + 3] = g03; LB[g + 4] = g10; LB[g + 5] = g11; LB[g + 6] = g12; LB[g + 7] = g13; LB[g + 8] = g20; LB[g + 9] = g21; LB[g + 10] = g22; LB[g + 11] = g23; LB[g + 12] = g30; LB[g + 13] = g31; LB[g + 14] = g32; LB[g + 15] = g33;
        d00 -= u00 * g00 + u01 * g01 + u02 * g02; d01 -= u00 * g10 + u01 * g11 + u02 * g12; d02 -= u00 * g20 + u01 * g21 + u02 * g22; d03 -= u00 * g30 + u01 * g31 + u02 * g32;
        d11 -= u10 * g10 + u11 * g11 + u12 * g12; d12 -= u10 * g20 + u11 * g21 + u12 * g22; d13 -= u10 * g30 + u11 * g31 + u12 * g32;
        d22 -= u20 * g20 + u21 * g21 + u22 * g22; d23 -= u20 * g30 + u21 * g31 + u22 * g32;
        d33 -= u30 * g30 + u31 * g31 + u32 * g32;
        const t0 = RR[b - 8], t1 = RR[b - 7], t2 = RR[b - 6], t3 = RR[b - 5];
        y0 -= g00 * t0 + g01 * t1 + g02 * t2 + g03 * t3; y1 -= g10 * t0 + g11 * t1 + g12 * t2 + g13 * t3; y2 -= g20 * t0 + g21 * t1 + g22 * t2 + g23 * t3; y3 -= g30 * t0 + g31 * t1 + g32 * t2 + g33 * t3;
      }
      const w00 = DI[zp], w01 = DI[zp + 1], w02 = DI[zp + 2], w03 = DI[zp + 3], w11 = DI[zp + 4], w12 = DI[zp + 5], w13 = DI[zp + 6], w22 = DI[zp + 7], w23 = DI[zp + 8], w33 = DI[zp + 9];
      const h00 = e00 * w00 + e01 * w01 + e02 * w02 + e03 * w03, h01 = e00 * w01 + e01 * w11 + e02 * w12 + e03 * w13, h02 = e00 * w02 + e01 * w12 + e02 * w22 + e03 * w23, h03 = e00 * w03 + e01 * w13 + e02 * w23 + e03 * w33;
      const h10 = e10 * w00 + e11 * w01 + e12 * w02 + e13 * w03, h11 = e10 * w01 + e11 * w11 + e12 * w12 + e13 * w13, h12 = e10 * w02 + e11 * w12 + e12 * w22 + e13 * w23, h13 = e10 * w03 + e11 * w13 + e12 * w23 + e13 * w33;
      const h20 = e20 * w00 + e21 * w01 + e22 * w02 + e23 * w03, h21 = e20 * w01 + e21 * w11 + e22 * w12 + e23 * w13, h22 = e20 * w02 + e21 * w12 + e22 * w22 + e23 * w23, h23 = e20 * w03 + e21 * w13 + e22 * w23 + e23 * w33;
      const h30 = e30 * w00 + e31 * w01 + e32 * w02 + e33 * w03, h31 = e30 * w01 + e31 * w11 + e32 * w12 + e33 * w13, h32 = e30 * w02 + e31 * w12 + e32 * w22 + e33 * w23, h33 = e30 * w03 + e31 * w13 + e32 * w23 + e33 * w33;
      LA[g] = h00; LA[g + 1] = h01; LA[g + 2] = h02; LA[g + 3] = h03; LA[g + 4] = h10; LA[g + 5] = h11; LA[g + 6] = h12; LA[g + 7] = h13; LA[g + 8] = h20; LA[g + 9] = h21; LA[g + 10] = h22; LA[g + 11] = h23; LA[g + 12] = h30; LA[g + 13] = h31; LA[g + 14] = h32; LA[g + 15] = h33;
      d00 -= e00 * h00 + e01 * h01 + e02 * h02 + e03 * h03; d01 -= e00 * h10 + e01 * h11 + e02 * h12 + e03 * h13; d02 -= e00 * h20 + e01 * h21 + e02 * h22 + e03 * h23; d03 -= e00 * h30 + e01 * h31 + e02 * h32 + e03 * h33;
      d11 -= e10 * h10 + e11 * h11 + e12 * h12 + e13 * h13; d12 -= e10 * h20 + e11 * h21 + e12 * h22 + e13 * h23; d13 -= e10 * h30 + e11 * h31 + e12 * h32 + e13 * h33;
      d22 -= e20 * h20 + e21 * h21 + e22 * h22 + e23 * h23; d23 -= e20 * h30 + e21 * h31 + e22 * h32 + e23 * h33;
      d33 -= e30 * h30 + e31 * h31 + e32 * h32 + e33 * h33;
      const s0 = RR[b - 4], s1 = RR[b - 3], s2 = RR[b - 2], s3 = RR[b - 1];
      y0 -= h00 * s0 + h01 * s1 + h02 * s2 + h03 * s3; y1 -= h10 * s0 + h11 * s1 + h12 * s2 + h13 * s3; y2 -= h20 * s0 + h21 * s1 + h22 * s2 + h23 * s3; y3 -= h30 * s0 + h31 * s1 + h32 * s2 + h33 * s3;
    }
    RR[b] = y0; RR[b + 1] = y1; RR[b + 2] = y2; RR[b + 3] = y3;
    // inverse of the symmetric 4 × 4 pivot by its own LDLᵀ: rows of L⁻¹ are (1), (−l10, 1), (m20, −l21, 1), (m30, m31, −l32, 1)
    const p0 = 1 / d00, l10 = d01 * p0, l20 = d02 * p0, l30 = d03 * p0;
    const c11 = d11 - l10 * d01, p1 = 1 / c11, c12 = d12 - l10 * d02, c13 = d13 - l10 * d03, l21 = c12 * p1, l31 = c13 * p1;
    const c22 = d22 - l20 * d02 - l21 * c12, p2 = 1 / c22, c23 = d23 - l20 * d03 - l21 * c13, l32 = c23 * p2;
    const p3 = 1 / (d33 - l30 * d03 - l31 * c13 - l32 * c23);
    const m20 = l10 * l21 - l20, m31 = l21 * l32 - l31, m30 = l10 * l31 - l30 - l32 * m20;
    DI[z] = p0 + l10 * l10 * p1 + m20 * m20 * p2 + m30 * m30 * p3;
    DI[z + 1] = m30 * m31 * p3 - l10 * p1 - m20 * l21 * p2;
    DI[z + 2] = m20 * p2 - m30 * l32 * p3;
    DI[z + 3] = m30 * p3;
    DI[z + 4] = p1 + l21 * l21 * p2 + m31 * m31 * p3;
    DI[z + 5] = 0 - l21 * p2 - m31 * l32 * p3;
    DI[z + 6] = m31 * p3;
    DI[z + 7] = p2 + l32 * l32 * p3;
    DI[z + 8] = 0 - l32 * p3;
    DI[z + 9] = p3;
  }
  for (let i: i32 = n - 1; i > 0; i--) {
    const b: i32 = 4 * i, z: i32 = 10 * i;
    const y0 = RR[b], y1 = RR[b + 1], y2 = RR[b + 2], y3 = RR[b + 3];
    let x0 = DI[z] * y0 + DI[z + 1] * y1 + DI[z + 2] * y2 + DI[z + 3] * y3;
    let x1 = DI[z + 1] * y0 + DI[z + 4] * y1 + DI[z + 5] * y2 + DI[z + 6] * y3;
    let x2 = DI[z + 2] * y0 + DI[z + 5] * y1 + DI[z + 7] * y2 + DI[z + 8] * y3;
    let x3 = DI[z + 3] * y0 + DI[z + 6] * y1 + DI[z + 8] * y2 + DI[z + 9] * y3;
    if (i + 1 < n) {
      const g: i32 = 16 * (i + 1);
      const t0 = RR[b + 4], t1 = RR[b + 5], t2 = RR[b + 6], t3 = RR[b + 7];
      x0 -= LA[g] * t0 + LA[g + 4] * t1 + LA[g + 8] * t2 + LA[g + 12] * t3; x1 -= LA[g + 1] * t0 + LA[g + 5] * t1 + LA[g + 9] * t2 + LA[g + 13] * t3; x2 -= LA[g + 2] * t0 + LA[g + 6] * t1 + LA[g + 10] * t2 + LA[g + 14] * t3; x3 -= LA[g + 3] * t0 + LA[g + 7] * t1 + LA[g + 11] * t2 + LA[g + 15] * t3;
    }
    if (i + 2 < n) {
      const g: i32 = 16 * (i + 2);
      const t0 = RR[b + 8], t1 = RR[b + 9], t2 = RR[b + 10], t3 = RR[b + 11];
      x0 -= LB[g] * t0 + LB[g + 4] * t1 + LB[g + 8] * t2 + LB[g + 12] * t3; x1 -= LB[g + 1] * t0 + LB[g + 5] * t1 + LB[g + 9] * t2 + LB[g + 13] * t3; x2 -= LB[g + 2] * t0 + LB[g + 6] * t1 + LB[g + 10] * t2 + LB[g + 14] * t3; x3 -= LB[g + 3] * t0 + LB[g + 7] * t1 + LB[g + 11] * t2 + LB[g + 15] * t3;
    }
    RR[b] = x0; RR[b + 1] = x1; RR[b + 2] = x2; RR[b + 3] = x3;
  }
  RR[0] = 0; RR[1] = 0; RR[2] = 0; RR[3] = 0;
}
