/**
 * Closest point of the triangle whose corners stand at `o` of `C` (9 numbers, m) to place `k` of `P` (m; in arrays, as numbers that are handed on are put on the heap one by one) into `out`: the point, its squared distance, and the edge it
 * lies on (0 … 2, −1 for within). **Source:** Ericson, Real-Time Collision Detection, 5.1.5, *from memory*.
 */
export function closestOnTriangle(C: Float64Array, o: number, P: Float64Array, k: number, out: Float64Array): void {
  const x = P[k], y = P[k + 1], z = P[k + 2];
  const ax = C[o], ay = C[o + 1], az = C[o + 2], ux = C[o + 3] - ax, uy = C[o + 4] - ay, uz = C[o + 5] - az, vx = C[o + 6] - ax, vy = C[o + 7] - ay, vz = C[o + 8] - az, px = x - ax, py = y - ay, pz = z - az;
  const d1 = ux * px + uy * py + uz * pz, d2 = vx * px + vy * py + vz * pz, aa = ux * ux + uy * uy + uz * uz, ab = ux * vx + uy * vy + uz * vz, bb = vx * vx + vy * vy + vz * vz, D = aa * bb - ab * ab + 1e-40;
  let s = (bb * d1 - ab * d2) / D, w = (aa * d2 - ab * d1) / D, rim = -1;
  if (s < 0 || w < 0 || s + w > 1) {
    const c2 = d2 - d1 + aa - ab, e2 = aa + bb - 2 * ab, s0 = d1 <= 0 ? 0 : d1 >= aa ? 1 : d1 / aa, s1 = d2 <= 0 ? 0 : d2 >= bb ? 1 : d2 / bb, s2 = c2 <= 0 ? 0 : c2 >= e2 ? 1 : c2 / e2;
    const q0 = s0 * (s0 * aa - 2 * d1), q1 = s1 * (s1 * bb - 2 * d2), q2 = aa - 2 * d1 + s2 * (s2 * e2 - 2 * c2);
    if (q0 <= q1 && q0 <= q2) { s = s0; w = 0; rim = 0; } else if (q1 <= q2) { s = 0; w = s1; rim = 2; } else { s = 1 - s2; w = s2; rim = 1; }
  }
  const qx = ax + s * ux + w * vx, qy = ay + s * uy + w * vy, qz = az + s * uz + w * vz, dx = x - qx, dy = y - qy, dz = z - qz;
  out[0] = qx; out[1] = qy; out[2] = qz;
  out[3] = dx * dx + dy * dy + dz * dz;
  out[4] = rim;
}
