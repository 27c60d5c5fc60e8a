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
  pose(t: number): void;
  closest(t: number, end: number, x: number, y: number, z: number): void;
  crosses(t: number, x: number, y: number, z: number, px: number, py: number, pz: number): number;
  follow(t: number, end: number, x: number, y: number, z: number): number;
  nearest(x: number, y: number, z: number, px: number, py: number, pz: number, unlike: number): number;
}

const nearShell = compiledOnce(NEAR_SHELL_CODE);

export class NearShell {
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
  private readonly memory: WebAssembly.Memory;
  private readonly at: number[] = [];
  private readonly sizes: readonly number[];
  /** Bytes before the grid. */
  private readonly fixed: number;
  private listsAt = 0;
  private cellCount = 0;

  /** `opposite`: half-edges; `starts`: first triangle of each patch, and the end; sorted by patch. Fails where there is no WebAssembly with SIMD. */
  constructor(triangles: Uint32Array, opposite: Int32Array, starts: Int32Array, vertices: number) {
    const compiled = nearShell();
    if (!compiled) throw new Error('A mesh that hair is kept off needs WebAssembly with SIMD, which is missing here; take pills instead.');
    const n = triangles.length / 3, patches = starts.length - 1, groups = new Int32Array(patches + 1);
    for (let k = 0; k < patches; k++) groups[k + 1] = groups[k] + Math.ceil((starts[k + 1] - starts[k]) / 4);
    // in the order of `setPlace`: triangles, opposite, from, to, pose, posed, near, first, first of balls, boxes, balls, cones, visited, looked, normals, spare
    this.sizes = [12 * n, 12 * n, 24 * vertices, 24 * vertices, 8 * POSE * n + 24, 4 * n, 48, 4 * starts.length, 4 * starts.length, 4 * BOX * patches, 4 * BALLS * groups[patches], 32 * patches, 4 * patches, 4 * patches, 24 * n, 72];
    let end = BEGIN;
    for (const bytes of this.sizes) { this.at.push(end); end += 16 * Math.ceil(bytes / 16); }
    this.fixed = end;
    this.memory = new WebAssembly.Memory({ initial: Math.ceil((end + FIRST_GRID + 4 * FIRST_LISTS * patches) / PAGE) });
    this.code = new WebAssembly.Instance(compiled, { env: { memory: this.memory, abort: () => { throw new Error('The search of a shell stopped.'); } } }).exports as unknown as Exports;
    this.at.forEach((at, i) => this.code.setPlace(i, at));
    const { buffer } = this.memory;
    new Uint32Array(buffer, this.at[0], 3 * n).set(triangles);
    new Int32Array(buffer, this.at[1], 3 * n).set(opposite);
    new Int32Array(buffer, this.at[5], n).fill(-1);
    new Int32Array(buffer, this.at[7], starts.length).set(starts);
    new Int32Array(buffer, this.at[8], starts.length).set(groups);
    this.gridOf(0);
    this.code.setPlace(16, this.fixed);
  }
  /** Room for a grid of so many cells. What was in the grid is lost; all views may be new. */
  gridOf(cells: number): void {
    const lists = this.fixed + 16 * Math.ceil((4 * (cells + 1)) / 16);
    this.grow(lists);
    this.cells = new Int32Array(this.memory.buffer, this.fixed, (this.cellCount = cells + 1));
    this.code.setPlace(17, (this.listsAt = lists));
  }
  /** Room for so many patches in the cells of the grid, altogether; all views may be new. */
  listsOf(patches: number): void {
    this.grow(this.listsAt + 4 * patches);
    this.lists = new Int32Array(this.memory.buffer, this.listsAt, patches);
  }
  private grow(end: number): void {
    const { at, sizes, memory } = this, missing = end - memory.buffer.byteLength;
    // seldom: all views are made anew by it
    if (missing > 0) memory.grow(Math.ceil((missing + 0.5 * end) / PAGE));
    const { buffer } = memory;
    if (this.pose?.buffer === buffer) return;
    this.from = new Float64Array(buffer, at[2], sizes[2] / 8);
    this.to = new Float64Array(buffer, at[3], sizes[3] / 8);
    this.pose = new Float64Array(buffer, at[4], sizes[4] / 8);
    this.posed = new Int32Array(buffer, at[5], sizes[5] / 4);
    this.near = new Float64Array(buffer, at[6], sizes[6] / 8);
    this.boxes = new Float32Array(buffer, at[9], sizes[9] / 4);
    this.cells = new Int32Array(buffer, this.fixed, this.cellCount);
  }
}
