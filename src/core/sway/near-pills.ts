/** What pills touch the edges of strands where they would go, and which edges may be below the surface of one: asked of WebAssembly (`fast/near-pills.as`), a strand at a time. */
import { compiledOnce } from '../math/wasm';
import { NEAR_PILLS_CODE } from './fast/near-pills-code';
import type { NearMemory } from './fast/near-memory';
import { SAME_WAY } from './found';
import { SWALLOWED } from './pills';
import type { RigidColliders } from './rigid-colliders';

/** Numbers of an edge's contacts in `found`, for two: which pill, gap, share of the edge, and the direction away. */
export const FOUND = 12;
const PILL_BYTES = 128;

interface Exports {
  setPlace(i: number, at: number): void;
  setUp(count: number, lanes: number, rise: number, share: number, same: number, holds: number): void;
  place(): void;
  find(first: number, end: number, rx: number, ry: number, rz: number, far: number, root: number, least: number, still: number): number;
  deep(n: number, rx: number, ry: number, rz: number): number;
}

const nearPills = compiledOnce(NEAR_PILLS_CODE);

/** Lengths from the root, m, and shares of the distance kept, both by point; empty where all of it is kept. `rise`: share of the length from the root that a distance may be. */
export interface Kept { arc: Float64Array; shares: Float64Array; rise: number }

export class NearPills {
  /** Of a point's edge, the one below it: contacts, two at most, the nearest first. */
  counts!: Uint8Array;
  found!: Float64Array;
  /** Of the edges of the strand last asked about: whether it may be below a pill's surface. */
  deep!: Uint8Array;
  /** By point: how deep its edge began, m, ≤ 0. */
  begun!: Float64Array;
  private ends!: Float64Array;
  private measured!: Float64Array;
  private readonly code: Exports;
  private readonly at: number[];
  private readonly sizes: number[];

  /** `longest`: points of the longest strand. Fails where there is no WebAssembly with SIMD. */
  constructor(private readonly rigid: RigidColliders, private readonly memory: NearMemory, private readonly points: number, longest: number, { arc, shares, rise }: Kept) {
    const compiled = nearPills();
    if (!compiled) throw new Error('Hair is kept off colliders in WebAssembly with SIMD, which is missing here.');
    const { count, radii, gaps } = rigid, lanes = 4 * Math.ceil(longest / 4);
    // in the order of `setPlace`: ends, radii, gaps, pills, found, counts, lanes, measured, deep, lengths, shares, begun, masks
    this.sizes = [48 * count, 16 * count, 8 * count, PILL_BYTES * count, 8 * FOUND * points, points, 24 * lanes, 24 * longest, longest, 8 * points, 8 * shares.length, 8 * points, lanes / 4];
    this.at = this.sizes.map((bytes) => memory.take(bytes));
    const places = memory.placesOf(points), code = (this.code = new WebAssembly.Instance(compiled, { env: { memory: memory.memory, abort: () => { throw new Error('The search of pills stopped.'); } } }).exports as unknown as Exports);
    this.at.forEach((at, i) => { if (i !== SHARES || shares.length > 0) code.setPlace(i, at); });
    code.setPlace(this.at.length, places);
    code.setUp(count, lanes, rise, shares.reduce((most, s) => Math.max(most, s), shares.length > 0 ? 0 : 1), SAME_WAY, SWALLOWED);
    memory.add(this);
    this.view();
    const { memory: { buffer } } = memory;
    new Float64Array(buffer, this.at[1], 2 * count).set(radii);
    new Float64Array(buffer, this.at[2], count).set(gaps.subarray(0, count));
    new Float64Array(buffer, this.at[9], points).set(arc);
    new Float64Array(buffer, this.at[SHARES], shares.length).set(shares);
  }
  /** The memory has grown. */
  view(): void {
    const { at, sizes, points, memory: { memory: { buffer } } } = this;
    this.ends = new Float64Array(buffer, at[0], sizes[0] / 8);
    this.found = new Float64Array(buffer, at[4], FOUND * points);
    this.counts = new Uint8Array(buffer, at[5], points);
    this.measured = new Float64Array(buffer, at[7], sizes[7] / 8);
    this.deep = new Uint8Array(buffer, at[8], sizes[8]);
    this.begun = new Float64Array(buffer, at[11], points);
  }
  /** Pills stand where they are at the end of a substep. */
  place(): void {
    this.ends.set(this.rigid.ends);
    this.code.place();
  }
  /**
   * Contacts, nearer than `far` (m) beyond the distance kept, of the edges below the points `first … end − 1` of a strand whose places the memory has, into `found` and `counts`; how many edges have any. `roots`: 3 a strand, m,
   * world; `root`: the strand's first point. Its first edge has no contact below the share `least` of it; and the points from its second to `still` have theirs at their own end.
   */
  find(s: number, first: number, end: number, roots: ArrayLike<number>, far: number, root: number, least: number, still: number): number { return this.code.find(first, end, roots[3 * s], roots[3 * s + 1], roots[3 * s + 2], far, root, least, still); }
  /** Marks in `deep` the edges that may be below a pill's surface of the strand whose points, from the `first` on, stand in `A` (3 each, m, world); how many times. */
  below(s: number, first: number, end: number, A: ArrayLike<number>, roots: ArrayLike<number>): number {
    const M = this.measured;
    for (let a = 3 * first, o = 0; a < 3 * end; a++, o++) M[o] = A[a];
    return this.code.deep(end - first - 1, roots[3 * s], roots[3 * s + 1], roots[3 * s + 2]);
  }
}
const SHARES = 10;
