/**
 * The triangles of a shell where WebAssembly works on them (`near-shell.as`): one memory a shell, with views on what others read and write. The same bytes run in browsers, on the
 * server and in the command line, so that all answer the same to the bit.
 */
import { compiledOnce } from '../../math/wasm';
import { NEAR_SHELL_CODE } from './near-shell-code';

const BEGIN = 4096, PAGE = 65536;
/** Bytes for the first grid, and cells that a patch comes near: room for most, as growing makes all views anew. */
const FIRST_GRID = 1 << 19, FIRST_LISTS = 64;
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
  setKind(slack: number, closed: boolean, outward: number): void;
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
  static readonly madeAnew: ReadonlySet<string> = new Set(['code', 'from', 'to', 'pose', 'posed', 'near', 'boxes', 'cells', 'lists', 'places', 'alive', 'memory', 'at', 'pointsAt', 'sizes', 'fixed', 'gridAt', 'points', 'listsAt', 'cellCount']);
  readonly code: Exports;
  /** 3 × vertices, m, at both ends of the frame. */
  from!: Float64Array;
  to!: Float64Array;
  /** `POSE` a triangle, and for each the substep it was worked out for. */
  pose!: Float64Array;
  posed!: Int32Array;
  /** Of the last closest point: weights of the corners, 1 where on the triangle's rim, squared distance; and of the last search how far what is near goes against the place, m. */
  near!: Float64Array;
  /** `BOX` a patch. */
  boxes!: Float32Array;
  /** Place c is where the patches that come near cell c begin in `lists`. */
  cells!: Int32Array;
  lists!: Int32Array;
  /** Of the points: 6, m, where each is and where it would go; 3 triangles followed (by the point: nearest, another; by the middle of the edge below it), −1 for none, and the sides of them. */
  places!: Float64Array;
  hits!: Int32Array;
  sides!: Int8Array;
  /** Points, then middles of edges: m, how far all else may still come nearer before they look again; how much it can in a substep of the frame in which they looked, and which that was. */
  budgets!: Float64Array;
  rates!: Float64Array;
  lookedIn!: Int32Array;
  /** Points: whether the edge below follows anything. */
  alive!: Uint8Array;
  private readonly memory: WebAssembly.Memory;
  private readonly at: number[] = [];
  private readonly pointsAt: number[] = [0, 0, 0, 0, 0, 0, 0];
  private readonly sizes: readonly number[];
  /** Bytes before what the points know, and before the grid. */
  private readonly fixed: number;
  private gridAt = 0;
  private points = 0;
  private listsAt = 0;
  private cellCount = 0;

  /** `opposite`: half-edges; `starts`: first triangle of each patch, and the end; sorted by patch. Fails where there is no WebAssembly with SIMD. */
  constructor(triangles: Uint32Array, opposite: Int32Array, starts: Int32Array, vertices: number) {
    const compiled = nearShell();
    if (!compiled) throw new Error('A mesh that hair is kept off needs WebAssembly with SIMD, which is missing here; take pills instead.');
    const n = triangles.length / 3, patches = starts.length - 1, groups = new Int32Array(patches + 1);
    for (let k = 0; k < patches; k++) groups[k + 1] = groups[k] + Math.ceil((starts[k + 1] - starts[k]) / 4);
    // in the order of `setPlace`: triangles, opposite, from, to, pose, posed, near, first, first of balls, boxes, balls, cones, visited, looked, normals, spare; and boxes placed
    this.sizes = [12 * n, 12 * n, 24 * vertices, 24 * vertices, 8 * POSE * n + 24, 4 * n, 48, 4 * starts.length, 4 * starts.length, 4 * BOX * patches, 4 * BALLS * groups[patches], 32 * patches, 4 * patches, 4 * patches, 24 * n, 72, 4 * BOX * patches];
    let end = BEGIN;
    for (const bytes of this.sizes) { this.at.push(end); end += 16 * Math.ceil(bytes / 16); }
    this.fixed = end;
    this.memory = new WebAssembly.Memory({ initial: Math.ceil((end + FIRST_GRID + 4 * FIRST_LISTS * patches) / PAGE) });
    this.code = new WebAssembly.Instance(compiled, { env: { memory: this.memory, abort: () => { throw new Error('The search of a shell stopped.'); } } }).exports as unknown as Exports;
    this.at.forEach((at, i) => this.code.setPlace(i < 16 ? i : 25, at));
    const { buffer } = this.memory;
    new Uint32Array(buffer, this.at[0], 3 * n).set(triangles);
    new Int32Array(buffer, this.at[1], 3 * n).set(opposite);
    new Int32Array(buffer, this.at[5], n).fill(-1);
    new Int32Array(buffer, this.at[7], starts.length).set(starts);
    new Int32Array(buffer, this.at[8], starts.length).set(groups);
    this.pointsOf(0);
  }
  /** Room for what so many points know; they know nothing yet, and the grid is empty. All views may be new. */
  pointsOf(points: number): void {
    const { code } = this;
    this.points = points;
    let end = this.fixed;
    // in the order of `setPlace`: places, hits, sides, budgets, rates, looked in, alive
    [48, 12, 3, 16, 16, 8, 1].forEach((bytes, i) => {
      code.setPlace(18 + i, (this.pointsAt[i] = end));
      end += 16 * Math.ceil((bytes * points) / 16);
    });
    this.gridAt = end;
    code.setPlace(16, end);
    code.setPoints(points);
    code.setGrid(1, 0, 0, 0, 0, 0, 0);
    this.cellCount = 0;
    this.grow(end);
    this.view();
    this.hits.fill(-1);
    this.sides.fill(0);
    this.budgets.fill(-1);
    this.rates.fill(0);
    this.lookedIn.fill(0);
  }
  /** Takes in what the points knew in another run, where it has been put in the place of what is known here. */
  adopt(): void {
    const { hits, sides, budgets, rates, lookedIn } = this;
    if (hits.buffer === this.memory.buffer) return;
    this.pointsOf(hits.length / 3);
    this.hits.set(hits);
    this.sides.set(sides);
    this.budgets.set(budgets);
    this.rates.set(rates);
    this.lookedIn.set(lookedIn);
  }
  /** Room for a grid of so many cells. What was in the grid is lost; all views may be new. */
  gridOf(cells: number): void {
    const lists = this.gridAt + 16 * Math.ceil((4 * (cells + 1)) / 16);
    this.grow(lists);
    this.cells = new Int32Array(this.memory.buffer, this.gridAt, (this.cellCount = cells + 1));
    this.code.setPlace(17, (this.listsAt = lists));
  }
  /** Room for so many patches in the cells of the grid, altogether; all views may be new. */
  listsOf(patches: number): void {
    this.grow(this.listsAt + 4 * patches);
    this.lists = new Int32Array(this.memory.buffer, this.listsAt, patches);
  }
  private grow(end: number): void {
    const { memory } = this, missing = end - memory.buffer.byteLength;
    // seldom: all views are made anew by it
    if (missing <= 0) return;
    memory.grow(Math.ceil((missing + 0.5 * end) / PAGE));
    this.view();
  }
  private view(): void {
    const { at, pointsAt, sizes, points, memory: { buffer } } = this;
    this.from = new Float64Array(buffer, at[2], sizes[2] / 8);
    this.to = new Float64Array(buffer, at[3], sizes[3] / 8);
    this.pose = new Float64Array(buffer, at[4], sizes[4] / 8);
    this.posed = new Int32Array(buffer, at[5], sizes[5] / 4);
    this.near = new Float64Array(buffer, at[6], sizes[6] / 8);
    this.boxes = new Float32Array(buffer, at[9], sizes[9] / 4);
    this.places = new Float64Array(buffer, pointsAt[0], 6 * points);
    this.hits = new Int32Array(buffer, pointsAt[1], 3 * points);
    this.sides = new Int8Array(buffer, pointsAt[2], 3 * points);
    this.budgets = new Float64Array(buffer, pointsAt[3], 2 * points);
    this.rates = new Float64Array(buffer, pointsAt[4], 2 * points);
    this.lookedIn = new Int32Array(buffer, pointsAt[5], 2 * points);
    this.alive = new Uint8Array(buffer, pointsAt[6], points);
    this.cells = new Int32Array(buffer, this.gridAt, this.cellCount);
  }
}
