/**
 * What of a shell is near a place: its triangles in patches of neighbours, and the patches that come near each cell of a coarse grid
 * over the hair's part of the space that the shell sweeps.
 */
import type { ShellFaces } from './shell-faces';
import { BOX } from './fast/near-shell';

/** m: a cell of the grid; at most so many along an axis. */
const CELL = 0.012, MOST_CELLS = 128;
/** m: a shell that goes less than this keeps its grid; the grid has so much room round the hair. */
const SLOW = 0.006, HAIR_ROOM = 0.02;
/** m: boxes and balls are so much wider, for float32; and by such a share of how far from the world's origin they are. */
const ROUNDING = 2e-6, SINGLE = 4e-7;

export class ShellGrid {
  /** Nothing is carried from frame to frame. */
  static readonly madeAnew: ReadonlySet<string> = new Set(['faces', 'reach', 'patchStart', 'corners', 'cornerStart', 'grid', 'corner', 'cell', 'held', 'low', 'high', 'shellWay', 'readyFrom', 'readyUntil', 'frame']);
  private readonly patchStart: Int32Array;
  /** The vertices of each patch, each once, and where they begin. */
  private readonly corners: Uint32Array;
  private readonly cornerStart: Int32Array;
  private readonly grid = new Int32Array(3);
  /** Its first cell, counted from the world's origin. */
  private readonly corner = new Int32Array(3);
  private cell = 1;
  private readonly held = new Float64Array(6);
  private frame = 0;

  /** `starts`: first triangle of each patch, and the end; `reach`: m, so far is looked; `low`, `high`: m, of the space the shell sweeps in the frame, its owner's. */
  constructor(private readonly faces: ShellFaces, starts: ArrayLike<number>, private readonly reach: number, private readonly low: Float64Array, private readonly high: Float64Array) {
    this.patchStart = Int32Array.from(starts);
    const corners: number[] = [];
    this.cornerStart = this.patchStart.map((end, k) => {
      if (k > 0) for (const v of new Set(faces.triangles.subarray(3 * this.patchStart[k - 1], 3 * end))) corners.push(v);
      return corners.length;
    });
    this.corners = Uint32Array.from(corners);
  }

  /** Boxes of the frame whose places the faces know. */
  build(): void {
    const { search, from, to } = this.faces, { boxes: B } = search;
    let most = 0, size = 0;
    for (let c = 0; c < 3; c++) size = Math.max(size, Math.abs(this.low[c]), Math.abs(this.high[c]));
    const room = ROUNDING + SINGLE * size;
    search.from.set(from);
    search.to.set(to);
    search.code.setFrame(++this.frame, this.reach, room);
    search.code.setSwept(this.low[0], this.low[1], this.low[2], this.high[0], this.high[1], this.high[2]);
    for (let k = 0; k + 1 < this.patchStart.length; k++) this.boxIn(k, room);
    for (let o = 0; o < B.length; o += BOX) for (let c = 0; c < 8; c++) most = Math.max(most, Math.abs(B[o + 8 + c] - B[o + c]));
    this.shellWay = 1.75 * most;
    this.placed();
    this.readyUntil = -1;
  }
  /** The substep that the faces were placed for. */
  placed(): void {
    const { t0, t1, search: { code } } = this.faces;
    code.setWay(this.shellWay * (t1 - t0));
    code.placeBoxes(this.patchStart.length - 1);
  }
  /** m: no part of the shell goes further in the frame; and until when the grid holds. */
  private shellWay = 0;
  private readyFrom = 0;
  private readyUntil = -1;

  /** For the substep: which patches come near which cell, in the box that holds all hair now and where it would go (low, high; m). */
  ready(hair: ArrayLike<number>): void {
    const { corner, grid, low, high, held, reach: far, faces: { t0, t1, search } } = this, patches = this.patchStart.length - 1;
    // the time it holds for, the size of its cells and where they lie are the shell's own: shares of a run look alike
    const later = t1 > this.readyUntil;
    let holds = !later;
    for (let c = 0; c < 3; c++) if (hair[c] < held[c] || hair[3 + c] > held[3 + c]) holds = false;
    if (holds) return;
    if (later) {
      this.readyFrom = t0;
      // of what hardly moves one grid serves for several substeps
      this.readyUntil = Math.min(1, Math.max(t1, t0 + SLOW / (this.shellWay + 1e-9))) + 1e-9;
    }
    const from = this.readyFrom, until = Math.min(1, this.readyUntil);
    this.cell = Math.max(CELL, Math.max(high[0] - low[0], high[1] - low[1], high[2] - low[2]) / MOST_CELLS);
    for (let c = 0; c < 3; c++) {
      held[c] = hair[c] - HAIR_ROOM;
      held[3 + c] = hair[3 + c] + HAIR_ROOM;
      corner[c] = Math.floor(Math.max(low[c] - far, held[c]) / this.cell);
      grid[c] = Math.max(0, Math.floor(Math.min(high[c] + far, held[3 + c]) / this.cell) + 1 - corner[c]);
    }
    const cells = grid[0] * grid[1] * grid[2];
    search.gridOf(cells);
    search.cells.fill(0);
    for (let pass = 0; pass < 2 && cells > 0; pass++) {
      const { boxes: B, cells: starts, lists } = search;
      for (let k = 0; k < patches; k++) {
        const o = BOX * k;
        // swept in the substep
        const x0 = this.firstCell(0, lower(B[o], B[o + 8], from, until) - far), x1 = this.lastCell(0, higher(B[o + 4], B[o + 12], from, until) + far);
        if (x0 > x1) continue;
        const y0 = this.firstCell(1, lower(B[o + 1], B[o + 9], from, until) - far), y1 = this.lastCell(1, higher(B[o + 5], B[o + 13], from, until) + far), z0 = this.firstCell(2, lower(B[o + 2], B[o + 10], from, until) - far), z1 = this.lastCell(2, higher(B[o + 6], B[o + 14], from, until) + far);
        for (let z = z0; z <= z1; z++) for (let y = y0; y <= y1; y++) for (let c = x0 + grid[0] * (y + grid[1] * z), end = c + x1 - x0; c <= end; c++) {
          if (pass === 0) starts[c]++;
          else lists[--starts[c]] = k;
        }
      }
      if (pass === 1) break;
      // sums, so that place c is the end of cell c; filling moves each back to its beginning
      for (let c = 1; c <= cells; c++) starts[c] += starts[c - 1];
      search.listsOf(starts[cells]);
    }
    search.code.setGrid(this.cell, corner[0], corner[1], corner[2], grid[0], grid[1], grid[2]);
  }
  private firstCell(axis: number, v: number): number { const c = Math.floor(v / this.cell) - this.corner[axis]; return c < 0 ? 0 : c; }
  private lastCell(axis: number, v: number): number { const c = Math.floor(v / this.cell) - this.corner[axis]; return c >= this.grid[axis] ? this.grid[axis] - 1 : c; }
  /** Box of a patch: low and high at the start of the frame, and at its end, with room for rounding. */
  private boxIn(k: number, room: number): void {
    const { corners, cornerStart, faces: { from, to, search: { boxes: B } } } = this, end = cornerStart[k + 1], o = BOX * k;
    let l0 = Infinity, l1 = Infinity, l2 = Infinity, h0 = -Infinity, h1 = -Infinity, h2 = -Infinity, L0 = Infinity, L1 = Infinity, L2 = Infinity, H0 = -Infinity, H1 = -Infinity, H2 = -Infinity;
    for (let h = cornerStart[k]; h < end; h++) {
      const v = 3 * corners[h], x = from[v], y = from[v + 1], z = from[v + 2], X = to[v], Y = to[v + 1], Z = to[v + 2];
      if (x < l0) l0 = x; if (x > h0) h0 = x; if (y < l1) l1 = y; if (y > h1) h1 = y; if (z < l2) l2 = z; if (z > h2) h2 = z;
      if (X < L0) L0 = X; if (X > H0) H0 = X; if (Y < L1) L1 = Y; if (Y > H1) H1 = Y; if (Z < L2) L2 = Z; if (Z > H2) H2 = Z;
    }
    B[o] = l0 - room; B[o + 1] = l1 - room; B[o + 2] = l2 - room; B[o + 4] = h0 + room; B[o + 5] = h1 + room; B[o + 6] = h2 + room;
    B[o + 8] = L0 - room; B[o + 9] = L1 - room; B[o + 10] = L2 - room; B[o + 12] = H0 + room; B[o + 13] = H1 + room; B[o + 14] = H2 + room;
  }

  /**
   * Triangle that is nearest to place `start` of `A` now, or to place `goal` at the end of the substep, −1 for none within reach; with `unlike` ≥ 0 of those whose normal
   * differs from the one that stands there in `pose`.
   */
  nearest(A: Float64Array, start: number, goal: number, unlike: number): number {
    return this.faces.search.code.nearest(A[start], A[start + 1], A[start + 2], A[goal], A[goal + 1], A[goal + 2], unlike);
  }
}

/** Least of two ends' values within a share of the way between them, and greatest. */
const lower = (a: number, b: number, t0: number, t1: number): number => Math.min(a + t0 * (b - a), a + t1 * (b - a));
const higher = (a: number, b: number, t0: number, t1: number): number => Math.max(a + t0 * (b - a), a + t1 * (b - a));
