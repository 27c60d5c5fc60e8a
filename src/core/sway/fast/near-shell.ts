/**
 * The triangles of shells where WebAssembly works on them (`near-shell.as`), in the memory of all that looks for contacts in a run, with views on what others
 * read and write. The same bytes run in browsers, on the server and in the command line, so that all answer the same to the bit.
 */
import { compiledOnce } from '../../math/wasm';
import type { NearMemory } from './near-memory';
import { NEAR_SHELL_CODE } from './near-shell-code';

/** Room for the first grid: cells, and cells that a patch comes near; enough for most. */
const FIRST_CELLS = 1 << 17, FIRST_LISTS = 64;
/** Of a triangle: its numbers in `pose`. Of a patch: numbers of its box, low and high at both ends of the frame, four each. Of four triangles: numbers of the balls round them. */
export const POSE = 24, BOX = 16, BALLS = 28;

interface Exports {
  setPlace(i: number, at: number): void;
  setSubstep(number: number, t0: number, t1: number): void;
  setFrame(number: number, reach: number, room: number): void;
  setGrid(cell: number, c0: number, c1: number, c2: number, n0: number, n1: number, n2: number): void;
  setPoints(count: number): void;
  setWay(most: number): void;
  placeBoxes(patches: number): void;
  setSwept(low0: number, low1: number, low2: number, high0: number, high1: number, high2: number): void;
  setKind(slack: number, deep: number, closed: boolean, outward: number): void;
  scan(first: number, end: number, drift: number, frame: number): number;
  pose(t: number): void;
  closest(t: number, end: number, x: number, y: number, z: number): void;
  crosses(t: number, x: number, y: number, z: number, px: number, py: number, pz: number): number;
  follow(t: number, end: number, x: number, y: number, z: number): number;
  nearest(x: number, y: number, z: number, px: number, py: number, pz: number, unlike: number): number;
}

const nearShell = compiledOnce(NEAR_SHELL_CODE);

export class NearShell {
  /** All but what the points know: `hits`, `sides`, `budgets`, `rates`, `lookedIn`. */
  static readonly madeAnew: ReadonlySet<string> = new Set(['code', 'from', 'to', 'pose', 'posed', 'near', 'boxes', 'cells', 'lists', 'alive', 'shared', 'at', 'pointsAt', 'sizes', 'points', 'cellsAt', 'cellsRoom', 'cellCount', 'listsAt', 'listsRoom']);
  readonly code: Exports;
  /** 3 × vertices, m, at both ends of the frame. */
  from!: Float64Array;
  to!: Float64Array;
  /** `POSE` a triangle, and for each the substep it was worked out for. */
  pose!: Float64Array;
  posed!: Int32Array;
  /** Of the last closest point: weights of the corners, 1 where on the triangle's rim, squared distance; the sixth is the search's own. */
  near!: Float64Array;
  /** `BOX` a patch. */
  boxes!: Float32Array;
  /** Place c is where the patches that come near cell c begin in `lists`. */
  cells!: Int32Array;
  lists!: Int32Array;
  /** Of the points: 3 triangles followed (by the point: nearest, another; by the middle of the edge below it), −1 for none, and the sides of them. */
  hits!: Int32Array;
  sides!: Int8Array;
  /** Points, then middles of edges: m, how far all else may still come nearer before they look again; how much it can in a substep of the frame in which they looked, and which that was. */
  budgets!: Float64Array;
  rates!: Float64Array;
  lookedIn!: Int32Array;
  /** Points: whether the edge below follows anything. */
  alive!: Uint8Array;
  /** 1 where the middle of the edge below is farther from what it follows than has been looked; set by who asks. */
  stray!: Uint8Array;
  private readonly at: number[] = [];
  private readonly pointsAt: number[] = [0, 0, 0, 0, 0, 0, 0];
  private readonly sizes: readonly number[];
  private points = 0;
  /** Where the grid's cells and lists stand, and how many there is room for. */
  private cellsAt = 0;
  private cellsRoom = 0;
  private cellCount = 0;
  private listsAt = 0;
  private listsRoom = 0;

  /** `opposite`: half-edges; `starts`: first triangle of each patch, and the end; sorted by patch. Fails where there is no WebAssembly with SIMD. */
  constructor(triangles: Uint32Array, opposite: Int32Array, starts: Int32Array, vertices: number, readonly shared: NearMemory) {
    const compiled = nearShell();
    if (!compiled) throw new Error('Hair is kept off colliders in WebAssembly with SIMD, which is missing here.');
    const n = triangles.length / 3, patches = starts.length - 1, groups = new Int32Array(patches + 1);
    for (let k = 0; k < patches; k++) groups[k + 1] = groups[k] + Math.ceil((starts[k + 1] - starts[k]) / 4);
    // in the order of `setPlace`: triangles, opposite, from, to, pose, posed, near, first, first of balls, boxes, balls, cones, visited, looked, normals, spare; and boxes placed
    this.sizes = [12 * n, 12 * n, 24 * vertices, 24 * vertices, 8 * POSE * n + 24, 4 * n, 48, 4 * starts.length, 4 * starts.length, 4 * BOX * patches, 4 * BALLS * groups[patches], 32 * patches, 4 * patches, 4 * patches, 24 * n, 72, 4 * BOX * patches];
    for (const bytes of this.sizes) this.at.push(shared.take(bytes));
    this.listsAt = shared.take(4 * (this.listsRoom = FIRST_LISTS * patches));
    this.cellsAt = shared.take(4 * (this.cellsRoom = FIRST_CELLS));
    this.code = new WebAssembly.Instance(compiled, { env: { memory: shared.memory, abort: () => { throw new Error('The search of a shell stopped.'); } } }).exports as unknown as Exports;
    this.at.forEach((at, i) => this.code.setPlace(i < 16 ? i : 26, at));
    shared.add(this);
    this.view();
    const { memory: { buffer } } = shared;
    new Uint32Array(buffer, this.at[0], 3 * n).set(triangles);
    new Int32Array(buffer, this.at[1], 3 * n).set(opposite);
    this.posed.fill(-1);
    new Int32Array(buffer, this.at[7], starts.length).set(starts);
    new Int32Array(buffer, this.at[8], starts.length).set(groups);
    this.pointsOf(0);
  }
  /** Room for what so many points know; they know nothing yet, and the grid is empty. All views may be new. */
  pointsOf(points: number): void {
    const { code, shared } = this;
    // in the order of `setPlace`, after the places of all: hits, sides, budgets, rates, looked in, alive, stray
    const at = [12, 3, 16, 16, 8, 1, 1].map((bytes) => shared.take(bytes * points));
    code.setPlace(18, shared.placesOf(points));
    at.forEach((place, i) => { code.setPlace(19 + i, (this.pointsAt[i] = place)); });
    this.points = points;
    code.setPoints(points);
    code.setGrid(1, 0, 0, 0, 0, 0, 0);
    this.viewPoints();
    this.hits.fill(-1);
    this.sides.fill(0);
    this.budgets.fill(-1);
    this.rates.fill(0);
    this.lookedIn.fill(0);
    this.stray.fill(0);
  }
  /** Takes in what the points knew in another run, where it has been put in the place of what is known here. */
  adopt(): void {
    const { hits, sides, budgets, rates, lookedIn, stray } = this;
    if (hits.buffer === this.shared.memory.buffer) return;
    this.pointsOf(hits.length / 3);
    this.hits.set(hits);
    this.sides.set(sides);
    this.budgets.set(budgets);
    this.rates.set(rates);
    this.lookedIn.set(lookedIn);
    this.stray.set(stray);
  }
  /** Room for a grid of so many cells. What was in the grid is lost; all views may be new. */
  gridOf(cells: number): void {
    if (cells >= this.cellsRoom) this.cellsAt = this.shared.take(4 * (this.cellsRoom = Math.ceil(1.5 * cells) + 1));
    this.code.setPlace(16, this.cellsAt);
    this.cells = new Int32Array(this.shared.memory.buffer, this.cellsAt, (this.cellCount = cells + 1));
  }
  /** Room for so many patches in the cells of the grid, altogether; all views may be new. */
  listsOf(patches: number): void {
    if (patches > this.listsRoom) this.listsAt = this.shared.take(4 * (this.listsRoom = Math.ceil(1.5 * patches)));
    this.code.setPlace(17, this.listsAt);
    this.lists = new Int32Array(this.shared.memory.buffer, this.listsAt, this.listsRoom);
  }
  /** The memory has grown. */
  view(): void {
    const { at, sizes, shared: { memory: { buffer } } } = this;
    this.from = new Float64Array(buffer, at[2], sizes[2] / 8);
    this.to = new Float64Array(buffer, at[3], sizes[3] / 8);
    this.pose = new Float64Array(buffer, at[4], sizes[4] / 8);
    this.posed = new Int32Array(buffer, at[5], sizes[5] / 4);
    this.near = new Float64Array(buffer, at[6], sizes[6] / 8);
    this.boxes = new Float32Array(buffer, at[9], sizes[9] / 4);
    this.cells = new Int32Array(buffer, this.cellsAt, this.cellCount);
    this.lists = new Int32Array(buffer, this.listsAt, this.listsRoom);
    // what has been put in the place of what the points know here, and not been taken in yet, stays
    if (!this.hits || this.hits.length === 0) this.viewPoints();
  }
  private viewPoints(): void {
    const { pointsAt, points, shared: { memory: { buffer } } } = this;
    this.hits = new Int32Array(buffer, pointsAt[0], 3 * points);
    this.sides = new Int8Array(buffer, pointsAt[1], 3 * points);
    this.budgets = new Float64Array(buffer, pointsAt[2], 2 * points);
    this.rates = new Float64Array(buffer, pointsAt[3], 2 * points);
    this.lookedIn = new Int32Array(buffer, pointsAt[4], 2 * points);
    this.alive = new Uint8Array(buffer, pointsAt[5], points);
    this.stray = new Uint8Array(buffer, pointsAt[6], points);
  }
}
