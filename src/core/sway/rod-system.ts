/**
 * A system of strands of any point counts, and what moves it: the float64 step, or the fast kernel with four strands side by
 * side.
 *
 * Strands of one point count are put together in groups of as many as the kernel moves at once; what is left over in the
 * last group is filled with copies that nobody asks for. A strand's result does not depend on its neighbours.
 */
import { requireContract } from '../contract';
import { turnInto } from '../math/mat4';
import { createSimdKernel, SIMD_LANES, simdRuns, type SimdKernel } from './fast/simd-kernel';
import { layOut, POINT_FIELDS, SCRATCH_FIELDS, STRAND_FIELDS, TOUCH_FIELDS, type Lanes, type RodArrays, type StepNumbers } from './rod/arrays';
import { stepStrand } from './rod/step';

export type KernelName = 'float64' | 'simd';
export type KernelWish = 'auto' | KernelName;

/** What stands for a wish here; asking for the fast kernel where it cannot run is an error, not a reason to take the other. */
export function chooseKernel(wish: KernelWish): KernelName {
  if (wish === 'simd' && !simdRuns()) throw new Error('The fast kernel needs WebAssembly with SIMD, which is missing here.');
  return wish === 'float64' || !simdRuns() ? 'float64' : 'simd';
}

type PointField = keyof typeof POINT_FIELDS;
type StrandField = keyof typeof STRAND_FIELDS;

export class RodSystem {
  readonly strandCount: number;
  readonly pointCount: number;
  /** Strands + 1: first point of each strand, counted in the order the strands were given. */
  readonly start: Int32Array;
  /** Fields of all strands; see `at` and `strandAt` for where a strand's numbers stand. */
  readonly k: RodArrays;
  /** Strands side by side: a component of a point stands this far from the next one. */
  readonly lanes: number;
  /** 3 × strands, m, world: the root at the end of the substep and at its start. */
  readonly rootPosition: Float64Array;
  readonly rootBefore: Float64Array;
  /** Bytes of all fields. */
  readonly bytes: number;
  private readonly simd: SimdKernel | null = null;
  /** Three numbers a group: its place among strands, its first point, its point count. */
  private readonly groups: Int32Array;
  private readonly first: Int32Array;
  private readonly slot: Int32Array;
  private readonly lane: Int32Array;
  /** Lanes left over after the last strand of a group. */
  private readonly spare: Int32Array;

  /** Strands in the order they lie in memory. */
  readonly order: Uint32Array;

  /** `touch`: whether the strands can have contacts; `beside`: strands in an order in which those near each other follow each other, as those that are moved together take as long as the slowest of them. */
  constructor(pointCounts: ArrayLike<number>, readonly kernel: KernelName = 'float64', readonly touch = false, beside?: ArrayLike<number>) {
    const strandCount = (this.strandCount = pointCounts.length), lanes = (this.lanes = kernel === 'simd' ? SIMD_LANES : 1);
    this.start = new Int32Array(strandCount + 1);
    this.first = new Int32Array(strandCount);
    this.slot = new Int32Array(strandCount);
    this.lane = new Int32Array(strandCount);
    this.spare = new Int32Array(strandCount);
    for (let s = 0; s < strandCount; s++) {
      requireContract(pointCounts[s] >= 2, 'pointCounts', 'at least 2 points a strand', pointCounts[s]);
      this.start[s + 1] = this.start[s] + pointCounts[s];
    }
    this.pointCount = this.start[strandCount];
    this.rootPosition = new Float64Array(3 * strandCount);
    this.rootBefore = new Float64Array(3 * strandCount);
    const order = (this.order = beside ? Uint32Array.from(beside) : Uint32Array.from({ length: strandCount }, (_, s) => s)), rank = new Uint32Array(strandCount);
    order.forEach((s, k) => { rank[s] = k; });
    order.sort((a, b) => pointCounts[a] - pointCounts[b] || rank[a] - rank[b]);
    const groups: number[] = [];
    let points = 0;
    for (let from = 0; from < strandCount;) {
      const n = pointCounts[order[from]];
      let to = from;
      while (to < strandCount && to < from + lanes && pointCounts[order[to]] === n) {
        const s = order[to];
        this.first[s] = points;
        this.slot[s] = groups.length / 3;
        this.lane[s] = to - from;
        to++;
      }
      this.spare[order[to - 1]] = from + lanes - to;
      groups.push(groups.length / 3, points, n);
      points += n;
      from = to;
    }
    this.groups = Int32Array.from(groups);
    const longest = groups.reduce((most, n, i) => (i % 3 === 2 ? Math.max(most, n) : most), 0);
    const { offsets, size } = layOut({ points, strands: groups.length / 3, longest, lanes, touch });
    if (kernel === 'simd') this.simd = createSimdKernel(size, offsets);
    const buffer = this.simd?.buffer ?? new ArrayBuffer(8 * size), base = this.simd?.base ?? 0;
    const k = {} as Record<keyof RodArrays, Lanes>;
    const open = (fields: Record<string, number>, count: number): void => {
      for (const [name, width] of Object.entries(fields)) {
        const at = offsets[name as keyof RodArrays], length = width * count * lanes;
        k[name as keyof RodArrays] = kernel === 'simd' ? new Float32Array(buffer, base + 4 * at, length) : new Float64Array(buffer, base + 8 * at, length);
      }
    };
    open(POINT_FIELDS, points);
    open(TOUCH_FIELDS, touch ? points : 0);
    open(STRAND_FIELDS, groups.length / 3);
    open(SCRATCH_FIELDS, longest + 2);
    this.k = k;
    this.bytes = k.x.BYTES_PER_ELEMENT * (layOut({ points, strands: groups.length / 3, longest: -2, lanes, touch }).size);
  }

  /** Points of strand `s`. */
  pointsOf(s: number): number { return this.start[s + 1] - this.start[s]; }
  /** Where the numbers of point `i` of strand `s` begin in a point field of the given width; further ones `lanes` apart. */
  at(s: number, i: number, width: number): number { return width * (this.first[s] + i) * this.lanes + this.lane[s]; }
  /** The same for a field of the strand. */
  strandAt(s: number, width: number): number { return width * this.slot[s] * this.lanes + this.lane[s]; }

  /** Takes over every field of a strand of its own (a system of one strand with as many points). */
  load(s: number, one: RodSystem): void {
    const n = this.pointsOf(s), { lanes } = this;
    requireContract(one.strandCount === 1 && one.pointCount === n && one.lanes === 1, 'one', `one strand of ${n} points`, one.pointCount);
    for (const [name, width] of Object.entries(POINT_FIELDS) as [PointField, number][]) {
      const to = this.k[name], from = one.k[name], o = this.at(s, 0, width);
      for (let i = 0; i < width * n; i++) to[o + i * lanes] = from[i];
    }
    for (const [name, width] of Object.entries(STRAND_FIELDS) as [StrandField, number][]) {
      const to = this.k[name], from = one.k[name], o = this.strandAt(s, width);
      for (let i = 0; i < width; i++) to[o + i * lanes] = from[i];
    }
    for (let c = 0; c < 3; c++) {
      this.rootPosition[3 * s + c] = one.rootPosition[c];
      this.rootBefore[3 * s + c] = one.rootPosition[c];
    }
    for (let lane = this.lane[s] + 1; lane <= this.lane[s] + this.spare[s]; lane++) this.copyLane(s, lane);
  }
  /** Takes over how the same strands of another system move: places, velocities and frames, turned by the rotation (x, y, z, w). Its numbers of material stay. */
  takeMotion(from: RodSystem, rotation: ArrayLike<number>): void {
    requireContract(from.strandCount === this.strandCount && from.pointCount === this.pointCount, 'from', `${this.strandCount} strands`, from.strandCount);
    const v = new Float64Array(3), w = new Float64Array(3), q = Float64Array.of(rotation[0], rotation[1], rotation[2], rotation[3], 0, 0, 0);
    for (let s = 0; s < this.strandCount; s++) {
      const n = this.pointsOf(s);
      for (const name of ['x', 'xPrev', 'v', 'vPrev', 'tangent', 'director'] as const) for (let i = 0; i < n; i++) {
        const a = from.at(s, i, 3), b = this.at(s, i, 3);
        for (let c = 0; c < 3; c++) v[c] = from.k[name][a + c * from.lanes];
        turnInto(w, 0, v, 0, q);
        for (let c = 0; c < 3; c++) this.k[name][b + c * this.lanes] = w[c];
      }
      for (let i = 0; i < n; i++) {
        this.k.tension[this.at(s, i, 1)] = from.k.tension[from.at(s, i, 1)];
        for (let c = 0; c < 2; c++) for (const name of ['strain', 'strainPrev'] as const) this.k[name][this.at(s, i, 2) + c * this.lanes] = from.k[name][from.at(s, i, 2) + c * from.lanes];
      }
      // the substep may be another: what was two substeps ago is not known
      this.k.history[this.strandAt(s, 1)] = 0;
      for (let lane = this.lane[s] + 1; lane <= this.lane[s] + this.spare[s]; lane++) this.copyLane(s, lane);
    }
  }
  /** Before a substep of `h` s: what an impulse has changed the velocity of a point by, m/s, as if it had always been so fast, which its two-step formula goes by. `a`: where its three numbers begin (`at`). */
  hasten(a: number, dx: number, dy: number, dz: number, h: number): void {
    const { lanes: L, k: { v, vPrev, xPrev } } = this;
    v[a] += dx; v[a + L] += dy; v[a + 2 * L] += dz;
    vPrev[a] += dx; vPrev[a + L] += dy; vPrev[a + 2 * L] += dz;
    xPrev[a] -= h * dx; xPrev[a + L] -= h * dy; xPrev[a + 2 * L] -= h * dz;
  }
  /** Copies a strand into a lane that is no strand's own. */
  private copyLane(s: number, lane: number): void {
    const { lanes } = this;
    for (const [fields, base, count] of [[POINT_FIELDS, this.first[s], this.pointsOf(s)], [STRAND_FIELDS, this.slot[s], 1]] as const) {
      for (const [name, width] of Object.entries(fields) as [PointField | StrandField, number][]) {
        const field = this.k[name];
        for (let i = width * base; i < width * (base + count); i++) field[i * lanes + lane] = field[i * lanes + this.lane[s]];
      }
    }
  }

  /** The frame of strand `s`'s root at the end of the substep: unit tangent and director. */
  setRootFrame(s: number, tangent: ArrayLike<number>, t: number, director: ArrayLike<number>, d: number): void {
    const o = this.at(s, 0, 3), { lanes, k } = this;
    for (let c = 0; c < 3; c++) { k.tangent[o + c * lanes] = tangent[t + c]; k.director[o + c * lanes] = director[d + c]; }
  }

  /** One substep of every strand. Roots, their turns and contact planes hold the values at its end. */
  step(numbers: StepNumbers): void {
    const { rootPosition, rootBefore, groups, k, lanes } = this;
    for (let s = 0; s < this.strandCount; s++) {
      const o = this.strandAt(s, 3);
      for (let c = 0; c < 3; c++) k.rootMove[o + c * lanes] = rootPosition[3 * s + c] - rootBefore[3 * s + c];
    }
    if (this.simd) this.simd.step(numbers, groups);
    else for (let g = 0; g < groups.length; g += 3) stepStrand(k, numbers, groups[g], groups[g + 1], groups[g + 2]);
    rootBefore.set(rootPosition);
  }

  /** Points get the velocities of what goes from one place to another (3 × points, m, world) in `h` s. */
  moveAs(from: ArrayLike<number>, to: ArrayLike<number>, h: number): void {
    const { k: { v }, lanes, start } = this;
    for (let s = 0; s < this.strandCount; s++) {
      const at = this.at(s, 0, 3), o = 3 * start[s];
      for (let a = 0; a < 3 * this.pointsOf(s); a++) v[at + a * lanes] = (to[o + a] - from[o + a]) / h;
    }
  }
  /** Puts the points of all strands (3 × points, m, world) where they are, seen from roots at `rootPosition`. */
  standAt(points: ArrayLike<number>): void {
    const { k: { x }, lanes, start, rootPosition } = this;
    for (let s = 0; s < this.strandCount; s++) {
      const to = this.at(s, 0, 3), from = 3 * start[s];
      for (let a = 0; a < 3 * this.pointsOf(s); a++) x[to + a * lanes] = points[from + a] - rootPosition[3 * s + (a % 3)];
    }
  }

  /** Writes the points of all strands, 3 × points, m, world, in the order they were given. */
  positionsInto(out: Float32Array | Float64Array): void {
    const { x } = this.k, { lanes, start, rootPosition } = this;
    for (let s = 0; s < this.strandCount; s++) {
      const n = start[s + 1] - start[s], from = this.at(s, 0, 3), to = 3 * start[s];
      const rx = rootPosition[3 * s], ry = rootPosition[3 * s + 1], rz = rootPosition[3 * s + 2];
      for (let i = 0; i < n; i++) {
        const a = from + 3 * i * lanes, b = to + 3 * i;
        out[b] = x[a] + rx; out[b + 1] = x[a + lanes] + ry; out[b + 2] = x[a + 2 * lanes] + rz;
      }
    }
  }

  /** How often the safety net has been used, all strands together. */
  get netUses(): number {
    let sum = 0;
    for (let s = 0; s < this.strandCount; s++) sum += this.k.netUses[this.strandAt(s, 1)];
    return sum;
  }
  /** The first strand the safety net has caught, −1 for none. */
  get firstCaught(): number {
    for (let s = 0; s < this.strandCount; s++) if (this.k.netUses[this.strandAt(s, 1)] > 0) return s;
    return -1;
  }
}
