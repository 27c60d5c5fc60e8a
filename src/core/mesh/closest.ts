/**
 * Closest point of triangle `t` to (x, y, z) into `out`: the point, its squared distance, and the edge it lies on (0 … 2, −1 for within).
 * `P` 3 × vertices, m; `T` 3 × faces. **Source:** Ericson, Real-Time Collision Detection, 5.1.5, *from memory*.
 */
export function closestOnTriangle(P: ArrayLike<number>, T: ArrayLike<number>, t: number, x: number, y: number, z: number, out: Float64Array): void {
  const a = 3 * T[3 * t], b = 3 * T[3 * t + 1], c = 3 * T[3 * t + 2];
  const ux = P[b] - P[a], uy = P[b + 1] - P[a + 1], uz = P[b + 2] - P[a + 2], vx = P[c] - P[a], vy = P[c + 1] - P[a + 1], vz = P[c + 2] - P[a + 2], px = x - P[a], py = y - P[a + 1], pz = z - P[a + 2];
  const d1 = ux * px + uy * py + uz * pz, d2 = vx * px + vy * py + vz * pz, aa = ux * ux + uy * uy + uz * uz, ab = ux * vx + uy * vy + uz * vz, bb = vx * vx + vy * vy + vz * vz, D = aa * bb - ab * ab + 1e-40;
  let s = (bb * d1 - ab * d2) / D, w = (aa * d2 - ab * d1) / D, rim = -1;
  if (s < 0 || w < 0 || s + w > 1) {
    const c2 = d2 - d1 + aa - ab, e2 = aa + bb - 2 * ab, s0 = d1 <= 0 ? 0 : d1 >= aa ? 1 : d1 / aa, s1 = d2 <= 0 ? 0 : d2 >= bb ? 1 : d2 / bb, s2 = c2 <= 0 ? 0 : c2 >= e2 ? 1 : c2 / e2;
    const q0 = s0 * (s0 * aa - 2 * d1), q1 = s1 * (s1 * bb - 2 * d2), q2 = aa - 2 * d1 + s2 * (s2 * e2 - 2 * c2);
    if (q0 <= q1 && q0 <= q2) { s = s0; w = 0; rim = 0; } else if (q1 <= q2) { s = 0; w = s1; rim = 2; } else { s = 1 - s2; w = s2; rim = 1; }
  }
  out[0] = P[a] + s * ux + w * vx; out[1] = P[a + 1] + s * uy + w * vy; out[2] = P[a + 2] + s * uz + w * vz;
  out[3] = (x - out[0]) ** 2 + (y - out[1]) ** 2 + (z - out[2]) ** 2;
  out[4] = rim;
}
