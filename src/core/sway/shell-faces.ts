/** The triangles of a shell where they are in a substep, at its start and at its end: worked out when first asked for. */

export class ShellFaces {
  static readonly madeAnew: ReadonlySet<string> = new Set(['triangles', 'from', 'to', 'pose', 'posed', 'near', 'places', 'substep']);
  /** Per triangle, kept for the substep: corners at its start (9) and end (9), unit normals at both (6). */
  readonly pose: Float64Array;
  private readonly posed: Int32Array;
  private substep = 0;
  t0 = 0;
  t1 = 1;
  /** Of the last closest point: weights of the corners, 1 where on the triangle's rim, squared distance. */
  readonly near = new Float64Array(5);
  private readonly places = new Float64Array(6);
  /** Places of the vertices at both ends of the frame, 3 × vertices, m. */
  from: Float64Array = new Float64Array(0);
  to: Float64Array = new Float64Array(0);
  readonly count: number;

  constructor(readonly triangles: Uint32Array) {
    const n = (this.count = triangles.length / 3);
    this.pose = new Float64Array(24 * n + 9);
    this.posed = new Int32Array(n).fill(-1);
  }

  place(t0: number, t1: number): void {
    this.t0 = t0;
    this.t1 = t1;
    this.substep++;
  }

  /** Where a triangle's numbers stand in `pose`, computed for this substep. */
  posedAt(t: number): number {
    const { pose: P, posed, triangles, from, to, t0, t1 } = this, o = 24 * t;
    if (posed[t] === this.substep) return o;
    posed[t] = this.substep;
    for (let q = 0; q < 3; q++) {
      const v = 3 * triangles[3 * t + q], w = o + 3 * q;
      const a = from[v], b = from[v + 1], c = from[v + 2], x = to[v] - a, y = to[v + 1] - b, z = to[v + 2] - c;
      P[w] = a + t0 * x; P[w + 1] = b + t0 * y; P[w + 2] = c + t0 * z;
      P[w + 9] = a + t1 * x; P[w + 10] = b + t1 * y; P[w + 11] = c + t1 * z;
    }
    for (let k = 0; k < 2; k++) {
      const s = o + 9 * k, w = o + 18 + 3 * k;
      const ax = P[s + 3] - P[s], ay = P[s + 4] - P[s + 1], az = P[s + 5] - P[s + 2], bx = P[s + 6] - P[s], by = P[s + 7] - P[s + 1], bz = P[s + 8] - P[s + 2];
      const x = ay * bz - az * by, y = az * bx - ax * bz, z = ax * by - ay * bx, i = 1 / Math.max(1e-30, Math.sqrt(x * x + y * y + z * z));
      P[w] = x * i; P[w + 1] = y * i; P[w + 2] = z * i;
    }
    return o;
  }

  /** Closest point of the triangle whose corners stand at `o` of `pose` to place `k` of `A`, into `near`. */
  closest(o: number, A: Float64Array, k: number): void {
    const T = this.pose, ax = T[o + 3] - T[o], ay = T[o + 4] - T[o + 1], az = T[o + 5] - T[o + 2], bx = T[o + 6] - T[o], by = T[o + 7] - T[o + 1], bz = T[o + 8] - T[o + 2], px = A[k] - T[o], py = A[k + 1] - T[o + 1], pz = A[k + 2] - T[o + 2];
    const d1 = ax * px + ay * py + az * pz, d2 = bx * px + by * py + bz * pz, aa = ax * ax + ay * ay + az * az, ab = ax * bx + ay * by + az * bz, bb = bx * bx + by * by + bz * bz, D = aa * bb - ab * ab + 1e-40;
    let v = (bb * d1 - ab * d2) / D, w = (aa * d2 - ab * d1) / D, rim = 0;
    if (v < 0 || w < 0 || v + w > 1) {
      rim = 1;
      const c2 = d2 - d1 + aa - ab, e2 = aa + bb - 2 * ab;
      const s0 = d1 <= 0 ? 0 : d1 >= aa ? 1 : d1 / aa, s1 = d2 <= 0 ? 0 : d2 >= bb ? 1 : d2 / bb, s2 = c2 <= 0 ? 0 : c2 >= e2 ? 1 : c2 / e2;
      // squared distances, but for that of the first corner
      const q0 = s0 * (s0 * aa - 2 * d1), q1 = s1 * (s1 * bb - 2 * d2), q2 = aa - 2 * d1 + s2 * (s2 * e2 - 2 * c2);
      if (q0 <= q1 && q0 <= q2) { v = s0; w = 0; } else if (q1 <= q2) { v = 0; w = s1; } else { v = 1 - s2; w = s2; }
    }
    const ex = px - v * ax - w * bx, ey = py - v * ay - w * by, ez = pz - v * az - w * bz, N = this.near;
    N[0] = 1 - v - w; N[1] = v; N[2] = w; N[3] = rim; N[4] = ex * ex + ey * ey + ez * ez;
  }

  /** Whether a point goes through the plane of a triangle in the substep; `near` is then of where and when it does. */
  crosses(o: number, A: Float64Array, start: number, goal: number): boolean {
    const P = this.pose, B = this.places, x = A[start], y = A[start + 1], z = A[start + 2], px = A[goal], py = A[goal + 1], pz = A[goal + 2], d0 = P[o + 18] * (x - P[o]) + P[o + 19] * (y - P[o + 1]) + P[o + 20] * (z - P[o + 2]), d1 = P[o + 21] * (px - P[o + 9]) + P[o + 22] * (py - P[o + 10]) + P[o + 23] * (pz - P[o + 11]);
    if (!(d0 * d1 < 0)) return false;
    const f = d0 / (d0 - d1), w = 24 * this.count;
    for (let c = 0; c < 9; c++) P[w + c] = P[o + c] + f * (P[o + 9 + c] - P[o + c]);
    B[3] = x + f * (px - x); B[4] = y + f * (py - y); B[5] = z + f * (pz - z);
    this.closest(w, B, 3);
    return true;
  }
}
