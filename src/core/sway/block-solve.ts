/** The linear system of a strand: symmetric, 3 × 3 blocks, two blocks beside the diagonal; solved directly in O(points). */
import type { RodSystem } from './rod-system';
import type { StepOptions, StepScratch } from './step-scratch';

/** Block-pentadiagonal LDLᵀ over the points 1 … n − 1; Δ is left in `scratch.r`. */
export function solveBlocks(first: number, n: number, system: RodSystem, options: StepOptions, scratch: StepScratch): void {
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
