/** Material frames of a strand, carried along as it moves, and the strains they show. */
import type { RodArrays } from './arrays';
import { select, type f, type i32 } from './lanes';

/**
 * New tangents; directors carried from the old tangent t⁻ to the new one t without spin:
 * u ← u c + K × u + K (K·u)/(1 + c), K = t⁻ × t, c = t⁻ · t. Nothing changes where `active` is 0.
 */
export function transportFrames(k: RodArrays, first: i32, n: i32, active: f): void {
  const { x, tangent, director, inverseLength } = k;
  inverseLength[0] = 0;
  for (let i: i32 = 1; i < n; i++) {
    const a: i32 = 3 * (first + i);
    const ex = x[a] - x[a - 3], ey = x[a + 1] - x[a - 2], ez = x[a + 2] - x[a - 1];
    const il = 1 / Math.sqrt(ex * ex + ey * ey + ez * ez + 1e-30);
    const tx = ex * il, ty = ey * il, tz = ez * il;
    const ox = tangent[a], oy = tangent[a + 1], oz = tangent[a + 2];
    const ux = director[a], uy = director[a + 1], uz = director[a + 2];
    const c = ox * tx + oy * ty + oz * tz;
    const kx = oy * tz - oz * ty, ky = oz * tx - ox * tz, kz = ox * ty - oy * tx;
    const g = (kx * ux + ky * uy + kz * uz) / Math.max(1 + c, 1e-3);
    let px = ux * c + ky * uz - kz * uy + kx * g;
    let py = uy * c + kz * ux - kx * uz + ky * g;
    let pz = uz * c + kx * uy - ky * ux + kz * g;
    const q = px * tx + py * ty + pz * tz;
    px = px - q * tx; py = py - q * ty; pz = pz - q * tz;
    const m = 1 / Math.sqrt(px * px + py * py + pz * pz + 1e-30);
    director[a] = select(active, px * m, ux); director[a + 1] = select(active, py * m, uy); director[a + 2] = select(active, pz * m, uz);
    tangent[a] = select(active, tx, ox); tangent[a + 1] = select(active, ty, oy); tangent[a + 2] = select(active, tz, oz);
    inverseLength[i] = il;
  }
}

/**
 * Curvatures and twist of every node between the edges t⁻ and t, whose directors are (u, u₂) and (w, w₂):
 * q = t⁻×t / χ, χ = 1 + t⁻·t; κ₁ = q·(u₂ + w₂), κ₂ = −q·(u + w); τ = 2 tan(½ angle from the carried u to w).
 *
 * Left in `binormal` (q), `chi`, `kappa`, `tau` and `spin`: q·u, q·w, q·u₂, q·w₂, the changes of κ under spin of an edge.
 */
export function measureNodes(k: RodArrays, first: i32, n: i32): void {
  const { tangent, director, binormal, chi, kappa, tau, spin } = k;
  let ax = tangent[3 * first], ay = tangent[3 * first + 1], az = tangent[3 * first + 2];
  let ux = director[3 * first], uy = director[3 * first + 1], uz = director[3 * first + 2];
  for (let i: i32 = 0; i < n - 1; i++) {
    const a: i32 = 3 * (first + i) + 3, b: i32 = 3 * i;
    const bx = tangent[a], by = tangent[a + 1], bz = tangent[a + 2];
    const wx = director[a], wy = director[a + 1], wz = director[a + 2];
    const c = ax * bx + ay * by + az * bz, x = Math.max(1 + c, 1e-2), ix = 1 / x;
    const kx = ay * bz - az * by, ky = az * bx - ax * bz, kz = ax * by - ay * bx;
    const qx = kx * ix, qy = ky * ix, qz = kz * ix;
    const u2x = ay * uz - az * uy, u2y = az * ux - ax * uz, u2z = ax * uy - ay * ux;
    const w2x = by * wz - bz * wy, w2y = bz * wx - bx * wz, w2z = bx * wy - by * wx;
    const qu = qx * ux + qy * uy + qz * uz, qw = qx * wx + qy * wy + qz * wz;
    const qu2 = qx * u2x + qy * u2y + qz * u2z, qw2 = qx * w2x + qy * w2y + qz * w2z;
    const g = qu * x;
    // u carried over to the edge above
    const hx = ux * c + ky * uz - kz * uy + qx * g, hy = uy * c + kz * ux - kx * uz + qy * g, hz = uz * c + kx * uy - ky * ux + qz * g;
    const co = hx * wx + hy * wy + hz * wz, si = hx * w2x + hy * w2y + hz * w2z;
    binormal[b] = qx; binormal[b + 1] = qy; binormal[b + 2] = qz;
    chi[i] = x;
    kappa[2 * i] = qu2 + qw2;
    kappa[2 * i + 1] = 0 - qu - qw;
    tau[i] = (-2 * si) / Math.max(1 + co, 1e-3);
    spin[4 * i] = qu; spin[4 * i + 1] = qw; spin[4 * i + 2] = qu2; spin[4 * i + 3] = qw2;
    ax = bx; ay = by; az = bz; ux = wx; uy = wy; uz = wz;
  }
}
