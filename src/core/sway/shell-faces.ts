/** The triangles of a shell where they are in a substep, at its start and at its end: worked out when first asked for. */
import { NearMemory } from './fast/near-memory';
import { NearShell, POSE } from './fast/near-shell';

/** Faces about a corner that are asked at most. */
const MOST_ABOUT = 64;
/** m²: what is so near a rim lies on it. */
const TOUCHING = 1e-12;

export class ShellFaces {
  /** Nothing is carried from frame to frame but what the search knows of points. */
  static readonly madeAnew: ReadonlySet<string> = new Set(['triangles', 'opposite', 'from', 'to', 'substep']);
  readonly search: NearShell;
  readonly count: number;
  private substep = 0;
  t0 = 0;
  t1 = 1;
  /** Places of the vertices at both ends of the frame, 3 × vertices, m. */
  from: Float64Array = new Float64Array(0);
  to: Float64Array = new Float64Array(0);

  /** `opposite`: half-edges; `starts`: first triangle of each patch, and the end; `memory`: that of the run's other colliders. */
  constructor(readonly triangles: Uint32Array, private readonly opposite: Int32Array, starts: Int32Array, vertices: number, memory = new NearMemory()) {
    this.count = triangles.length / 3;
    this.search = new NearShell(triangles, opposite, starts, vertices, memory);
  }
  /** Per triangle, kept for the substep: corners at its start (9) and end (9), unit normals at both (6). */
  get pose(): Float64Array { return this.search.pose; }
  /** Of the last closest point: weights of the corners, 1 where on the triangle's rim, squared distance. */
  get near(): Float64Array { return this.search.near; }

  place(t0: number, t1: number): void {
    this.t0 = t0;
    this.t1 = t1;
    this.search.code.setSubstep(++this.substep, t0, t1);
  }
  /** Where a triangle's numbers stand in `pose`, computed for this substep. */
  posedAt(t: number): number {
    if (this.search.posed[t] !== this.substep) this.search.code.pose(t);
    return POSE * t;
  }
  /** Closest point of a triangle to place `k` of `A`, into `near`; `end`: 0 at the start of the substep, 9 at its end. */
  closest(t: number, end: 0 | 9, A: Float64Array, k: number): void { this.search.code.closest(t, end, A[k], A[k + 1], A[k + 2]); }
  /** Whether a point goes through the plane of a triangle in the substep; `near` is then of where and when it does. */
  crosses(t: number, A: Float64Array, start: number, goal: number): boolean { return this.search.code.crosses(t, A[start], A[start + 1], A[start + 2], A[goal], A[goal + 1], A[goal + 2]) !== 0; }
  /** From triangle to triangle as long as the next one is nearer to place `k` of `A`; `near` is of the last. */
  follow(t: number, end: 0 | 9, A: Float64Array, k: number): number { return this.search.code.follow(t, end, A[k], A[k + 1], A[k + 2]); }
  /** Whether the nearest place just found is on a border: beyond it either side is free. */
  pastBorder(t: number): boolean {
    const N = this.near;
    if (N[3] > 0) for (let e = 0; e < 3; e++) if (N[(e + 2) % 3] < 1e-9 && this.opposite[3 * t + e] < 0) return true;
    return false;
  }
  /**
   * Whether place `k` of `A` is outside where the nearest one just found, at the substep's start (0) or end (9), lies on an edge between two faces: by the mean of both; or in a corner:
   * by the mean of all faces about it, weighted by their angles there. False where it is on no rim, or on an edge that is a border; in a corner on a border, by the faces to one side of it. **Source:** Bærentzen and Aanæs, Signed distance computation using the angle weighted pseudonormal, *from memory*.
   */
  outsideRim(t: number, side: number, end: 0 | 9, A: Float64Array, k: number): boolean {
    const { near: N, pose: P, opposite } = this, o = this.posedAt(t) + end, normal = end === 0 ? 18 : 21, n = o - end + normal;
    if (N[3] === 0 || N[4] < TOUCHING) return false;
    const dx = A[k] - N[0] * P[o] - N[1] * P[o + 3] - N[2] * P[o + 6], dy = A[k + 1] - N[0] * P[o + 1] - N[1] * P[o + 4] - N[2] * P[o + 7], dz = A[k + 2] - N[0] * P[o + 2] - N[1] * P[o + 5] - N[2] * P[o + 8];
    const e = N[2] < 1e-9 ? 0 : N[0] < 1e-9 ? 1 : 2, corner = N[(e + 1) % 3] < 1e-9 ? e : N[e] < 1e-9 ? (e + 1) % 3 : -1;
    if (corner < 0) {
      const other = opposite[3 * t + e];
      if (other < 0) return false;
      const m = this.posedAt((other / 3) | 0) + normal;
      return side * ((P[n] + P[m]) * dx + (P[n + 1] + P[m + 1]) * dy + (P[n + 2] + P[m + 2]) * dz) > 0;
    }
    let sum = 0, f = t, c = corner;
    for (let about = 0; about < MOST_ABOUT; about++) {
      const b = this.posedAt(f), v = b + end + 3 * c, p = b + end + 3 * ((c + 1) % 3), q = b + end + 3 * ((c + 2) % 3);
      const px = P[p] - P[v], py = P[p + 1] - P[v + 1], pz = P[p + 2] - P[v + 2], qx = P[q] - P[v], qy = P[q + 1] - P[v + 1], qz = P[q + 2] - P[v + 2];
      const cos = (px * qx + py * qy + pz * qz) / Math.max(1e-30, Math.sqrt((px * px + py * py + pz * pz) * (qx * qx + qy * qy + qz * qz)));
      sum += Math.acos(Math.max(-1, Math.min(1, cos))) * (P[b + normal] * dx + P[b + normal + 1] * dy + P[b + normal + 2] * dz);
      const h = opposite[3 * f + c];
      if (h < 0) break;
      f = (h / 3) | 0;
      c = ((h % 3) + 1) % 3;
      if (f === t) break;
    }
    return side * sum > 0;
  }
}
