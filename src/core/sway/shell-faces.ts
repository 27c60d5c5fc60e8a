/** The triangles of a shell where they are in a substep, at its start and at its end: worked out when first asked for. */
import { NearMemory } from './fast/near-memory';
import { NearShell, POSE } from './fast/near-shell';

export class ShellFaces {
  /** Nothing is carried from frame to frame but what the search knows of points. */
  static readonly madeAnew: ReadonlySet<string> = new Set(['triangles', 'from', 'to', 'substep']);
  readonly search: NearShell;
  readonly count: number;
  private substep = 0;
  t0 = 0;
  t1 = 1;
  /** Places of the vertices at both ends of the frame, 3 × vertices, m. */
  from: Float64Array = new Float64Array(0);
  to: Float64Array = new Float64Array(0);

  /** `opposite`: half-edges; `starts`: first triangle of each patch, and the end; `memory`: that of the run's other colliders. */
  constructor(readonly triangles: Uint32Array, opposite: Int32Array, starts: Int32Array, vertices: number, memory = new NearMemory()) {
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
}
