/**
 * What of a shell is near a place: its triangles in patches of neighbours, and the patches that come near each cell of a coarse grid
 * over the hair's part of the space that the shell sweeps.
 */
import type { ShellFaces } from './shell-faces';
import { PATCH } from './shell-mesh';

/** m: what moves further against a point in a substep may pass it. */
const FAST = 0.004;
/** What is farther by so much more than rounding. */
const SURELY = 1 + 1e-6;
/** m: a cell of the grid; at most so many along an axis. */
const CELL = 0.012, MOST_CELLS = 128;
/** m: a shell that goes less than this keeps its grid; the grid has so much room round the hair. */
const SLOW = 0.006, HAIR_ROOM = 0.02;
/** m: boxes are so much wider, for float32. */
const ROUNDING = 2e-6;
/** A second surface counts where it faces another way than the nearest. */
const OTHER_WAY = 0.8;

export class ShellGrid {
  /** Nothing is carried from frame to frame. */
  static readonly madeAnew: ReadonlySet<string> = new Set(['faces', 'reach', 'patchStart', 'boxes', 'cones', 'normals', 'balls', 'cellStart', 'cellPatches', 'grid', 'corner', 'cell', 'held', 'low', 'high', 'shellWay', 'readyFrom', 'readyUntil', 'fastest', 'ways', 'visited', 'visit', 'lookedIn', 'frame']);
  private readonly patchStart: Int32Array;
  /** Twelve a patch: its box at both ends of the frame; in float32, so that a patch is one line of the cache. */
  private readonly boxes: Float32Array;
  /** Place c is where the patches that come near cell c in the substep begin in `cellPatches`. */
  private cellStart = new Int32Array(2);
  private cellPatches = new Int32Array(0);
  private readonly grid = new Int32Array(3);
  /** Its first cell, counted from the world's origin. */
  private readonly corner = new Int32Array(3);
  private cell = 1;
  private readonly held = new Float64Array(6);
  /** The search of the frame in which each patch was looked at last. */
  private readonly visited: Int32Array;
  private visit = 0;
  /** The frame in which each patch was last looked into. */
  private readonly lookedIn: Int32Array;
  private frame = 0;
  /** Four a patch: mean normal, least cosine to it. */
  private readonly cones: Float64Array;
  private readonly normals = new Float64Array(3 * PATCH);
  /** Eight a triangle: its middle at both ends of the frame, and how far its corners are from there at most. */
  private readonly balls: Float32Array;
  /** m: how far what is near the last place looked for goes against it in the substep, at most. */
  fastest = 0;
  /** m: how far any part of the shell goes in the substep, at most. */
  readonly ways = new Float64Array(1);

  /** `starts`: first triangle of each patch, and the end; `reach`: m, so far is looked; `low`, `high`: m, of the space the shell sweeps in the frame, its owner's. */
  constructor(private readonly faces: ShellFaces, starts: ArrayLike<number>, private readonly reach: number, private readonly low: Float64Array, private readonly high: Float64Array) {
    this.patchStart = Int32Array.from(starts);
    this.cones = new Float64Array(4 * (starts.length - 1));
    this.visited = new Int32Array(starts.length - 1);
    this.lookedIn = new Int32Array(starts.length - 1);
    this.boxes = new Float32Array(12 * (starts.length - 1));
    this.balls = new Float32Array(8 * faces.count);
  }

  /** Boxes of the frame whose places the faces know. */
  build(): void {
    const { boxes: B } = this;
    this.frame++;
    this.visited.fill(0);
    this.visit = 0;
    for (let k = 0; k + 1 < this.patchStart.length; k++) this.boxIn(k);
    let most = 0;
    for (let o = 0; o < B.length; o += 12) for (let c = 0; c < 6; c++) most = Math.max(most, Math.abs(B[o + 6 + c] - B[o + c]));
    this.shellWay = 1.75 * most;
    this.placed();
    this.readyUntil = -1;
  }
  /** The substep that the faces were placed for. */
  placed(): void { this.ways[0] = this.shellWay * (this.faces.t1 - this.faces.t0); }
  /** m: no part of the shell goes further in the frame; and until when the grid holds. */
  private shellWay = 0;
  private readyFrom = 0;
  private readyUntil = -1;

  /** For the substep: which patches come near which cell, in the box that holds all hair now and where it would go (low, high; m). */
  ready(hair: ArrayLike<number>): void {
    const { patchStart, boxes: B, corner, grid, low, high, held, reach: far, faces: { t0, t1 } } = this, patches = patchStart.length - 1;
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
    const cells = grid[0] * grid[1] * grid[2], starts = this.cellStart.length === cells + 1 ? this.cellStart.fill(0) : new Int32Array(cells + 1);
    for (let pass = 0; pass < 2 && cells > 0; pass++) {
      for (let k = 0; k < patches; k++) {
        const o = 12 * k;
        // swept in the substep
        const x0 = this.firstCell(0, lower(B[o], B[o + 6], from, until) - far), x1 = this.lastCell(0, higher(B[o + 3], B[o + 9], from, until) + far);
        if (x0 > x1) continue;
        const y0 = this.firstCell(1, lower(B[o + 1], B[o + 7], from, until) - far), y1 = this.lastCell(1, higher(B[o + 4], B[o + 10], from, until) + far), z0 = this.firstCell(2, lower(B[o + 2], B[o + 8], from, until) - far), z1 = this.lastCell(2, higher(B[o + 5], B[o + 11], from, until) + far);
        for (let z = z0; z <= z1; z++) for (let y = y0; y <= y1; y++) for (let c = x0 + grid[0] * (y + grid[1] * z), end = c + x1 - x0; c <= end; c++) {
          if (pass === 0) starts[c]++;
          else this.cellPatches[--starts[c]] = k;
        }
      }
      if (pass === 1) break;
      // sums, so that place c is the end of cell c; filling moves each back to its beginning
      for (let c = 1; c <= cells; c++) starts[c] += starts[c - 1];
      if (this.cellPatches.length < starts[cells]) this.cellPatches = new Int32Array(2 * starts[cells]);
    }
    this.cellStart = starts;
  }
  private firstCell(axis: number, v: number): number { const c = Math.floor(v / this.cell) - this.corner[axis]; return c < 0 ? 0 : c; }
  private lastCell(axis: number, v: number): number { const c = Math.floor(v / this.cell) - this.corner[axis]; return c >= this.grid[axis] ? this.grid[axis] - 1 : c; }
  /** Box of a patch. */
  private boxIn(k: number): void {
    const { patchStart, boxes: B, faces: { triangles, from, to } } = this, first = patchStart[k], end = patchStart[k + 1], o = 12 * k;
    let l0 = Infinity, l1 = Infinity, l2 = Infinity, h0 = -Infinity, h1 = -Infinity, h2 = -Infinity, L0 = Infinity, L1 = Infinity, L2 = Infinity, H0 = -Infinity, H1 = -Infinity, H2 = -Infinity;
    for (let h = 3 * first; h < 3 * end; h++) {
      const v = 3 * triangles[h], x = from[v], y = from[v + 1], z = from[v + 2], X = to[v], Y = to[v + 1], Z = to[v + 2];
      if (x < l0) l0 = x; if (x > h0) h0 = x; if (y < l1) l1 = y; if (y > h1) h1 = y; if (z < l2) l2 = z; if (z > h2) h2 = z;
      if (X < L0) L0 = X; if (X > H0) H0 = X; if (Y < L1) L1 = Y; if (Y > H1) H1 = Y; if (Z < L2) L2 = Z; if (Z > H2) H2 = Z;
    }
    B[o] = l0 - ROUNDING; B[o + 1] = l1 - ROUNDING; B[o + 2] = l2 - ROUNDING; B[o + 3] = h0 + ROUNDING; B[o + 4] = h1 + ROUNDING; B[o + 5] = h2 + ROUNDING;
    B[o + 6] = L0 - ROUNDING; B[o + 7] = L1 - ROUNDING; B[o + 8] = L2 - ROUNDING; B[o + 9] = H0 + ROUNDING; B[o + 10] = H1 + ROUNDING; B[o + 11] = H2 + ROUNDING;
  }
  /** Balls and cone of a patch, when it is first looked into in the frame. */
  private lookInto(k: number): void {
    const { patchStart, balls, faces: { triangles, from, to } } = this, first = patchStart[k], end = patchStart[k + 1];
    this.lookedIn[k] = this.frame;
    for (let t = first; t < end; t++) {
      const a = 3 * triangles[3 * t], b = 3 * triangles[3 * t + 1], c = 3 * triangles[3 * t + 2], q = 8 * t;
      const x = (from[a] + from[b] + from[c]) / 3, y = (from[a + 1] + from[b + 1] + from[c + 1]) / 3, z = (from[a + 2] + from[b + 2] + from[c + 2]) / 3, X = (to[a] + to[b] + to[c]) / 3, Y = (to[a + 1] + to[b + 1] + to[c + 1]) / 3, Z = (to[a + 2] + to[b + 2] + to[c + 2]) / 3;
      let most = 0;
      for (let e = 0; e < 3; e++) {
        const v = e === 0 ? a : e === 1 ? b : c, d0 = from[v] - x, d1 = from[v + 1] - y, d2 = from[v + 2] - z, e0 = to[v] - X, e1 = to[v + 1] - Y, e2 = to[v + 2] - Z;
        most = Math.max(most, d0 * d0 + d1 * d1 + d2 * d2, e0 * e0 + e1 * e1 + e2 * e2);
      }
      balls[q] = x; balls[q + 1] = y; balls[q + 2] = z; balls[q + 3] = X; balls[q + 4] = Y; balls[q + 5] = Z; balls[q + 6] = Math.sqrt(most) + ROUNDING;
    }
    this.cone(k);
  }
  /** Mean normal of a patch at the start of the frame, and the least cosine of any of its triangles to it. */
  private cone(k: number): void {
    const { patchStart, cones: C, normals: N, faces: { triangles, from } } = this, o = 4 * k, first = patchStart[k], end = patchStart[k + 1];
    let x = 0, y = 0, z = 0;
    for (let t = first; t < end; t++) {
      const a = 3 * triangles[3 * t], b = 3 * triangles[3 * t + 1], c = 3 * triangles[3 * t + 2], q = 3 * (t - first);
      const ux = from[b] - from[a], uy = from[b + 1] - from[a + 1], uz = from[b + 2] - from[a + 2], vx = from[c] - from[a], vy = from[c + 1] - from[a + 1], vz = from[c + 2] - from[a + 2];
      const nx = uy * vz - uz * vy, ny = uz * vx - ux * vz, nz = ux * vy - uy * vx, l = 1 / Math.max(1e-30, Math.sqrt(nx * nx + ny * ny + nz * nz));
      N[q] = nx * l; N[q + 1] = ny * l; N[q + 2] = nz * l;
      x += nx * l; y += ny * l; z += nz * l;
    }
    const l = 1 / Math.max(1e-30, Math.sqrt(x * x + y * y + z * z));
    let least = 1;
    for (let q = 0; q < 3 * (end - first); q += 3) least = Math.min(least, l * (N[q] * x + N[q + 1] * y + N[q + 2] * z));
    C[o] = x * l; C[o + 1] = y * l; C[o + 2] = z * l; C[o + 3] = least - 0.02;
  }

  /**
   * Triangle that is nearest to place `start` of `A` now, or to place `goal` at the end of the substep, −1 for none within reach; with `unlike` ≥ 0 of those whose normal
   * differs from the one that stands there in `pose`.
   */
  nearest(A: Float64Array, start: number, goal: number, unlike: number): number {
    const x = A[start], y = A[start + 1], z = A[start + 2], px = A[goal], py = A[goal + 1], pz = A[goal + 2];
    const { boxes: B, patchStart, balls, cellPatches, reach, faces, faces: { near: N, pose: P, t0, t1 } } = this, u0 = unlike < 0 ? 0 : P[unlike], u1 = unlike < 0 ? 0 : P[unlike + 1], u2 = unlike < 0 ? 0 : P[unlike + 2], s0 = 1 - t0, s1 = 1 - t1;
    const share = t1 - t0, wx = px - x, wy = py - y, wz = pz - z;
    const visit = ++this.visit, { visited } = this;
    let best = reach * reach, found = -1, before = -1, fastest = 0;
    // where it is, where it would go, and half-way
    for (let stop = 0; stop < 3; stop++) {
      const at = this.cellAt(x + 0.5 * stop * wx, y + 0.5 * stop * wy, z + 0.5 * stop * wz);
      if (at < 0 || at === before) continue;
      before = at;
      const from = this.cellStart[at], end = this.cellStart[at + 1];
      for (let q = from; q < end; q++) {
        const patch = cellPatches[q], b = 12 * patch;
        // it comes near several of the cells
        if (visited[patch] === visit) continue;
        visited[patch] = visit;
        const f0 = B[b], f1 = B[b + 1], f2 = B[b + 2], f3 = B[b + 3], f4 = B[b + 4], f5 = B[b + 5], g0 = B[b + 6], g1 = B[b + 7], g2 = B[b + 8], g3 = B[b + 9], g4 = B[b + 10], g5 = B[b + 11];
        const m0 = share * (g0 - f0 + g3 - f3) * 0.5 - wx, m1 = share * (g1 - f1 + g4 - f4) * 0.5 - wy, m2 = share * (g2 - f2 + g5 - f5) * 0.5 - wz, way2 = m0 * m0 + m1 * m1 + m2 * m2;
        if (way2 > fastest) fastest = way2;
        const now = outside(s0 * f0 + t0 * g0 - x, x - s0 * f3 - t0 * g3) + outside(s0 * f1 + t0 * g1 - y, y - s0 * f4 - t0 * g4) + outside(s0 * f2 + t0 * g2 - z, z - s0 * f5 - t0 * g5);
        if (now >= best && outside(s1 * f0 + t1 * g0 - px, px - s1 * f3 - t1 * g3) + outside(s1 * f1 + t1 * g1 - py, py - s1 * f4 - t1 * g4) + outside(s1 * f2 + t1 * g2 - pz, pz - s1 * f5 - t1 * g5) >= best) {
          // unless it passes the point in between
          if (way2 < FAST * FAST) continue;
        }
        if (this.lookedIn[patch] !== this.frame) this.lookInto(patch);
        if (unlike >= 0 && this.allAlike(patch, u0, u1, u2)) continue;
        for (let t = patchStart[patch], last = patchStart[patch + 1]; t < last; t++) {
          const c = 8 * t, c0 = balls[c], c1 = balls[c + 1], c2 = balls[c + 2], e0 = balls[c + 3], e1 = balls[c + 4], e2 = balls[c + 5], r = balls[c + 6];
          const dx = x - s0 * c0 - t0 * e0, dy = y - s0 * c1 - t0 * e1, dz = z - s0 * c2 - t0 * e2, ex = px - s1 * c0 - t1 * e0, ey = py - s1 * c1 - t1 * e1, ez = pz - s1 * c2 - t1 * e2;
          // d ≥ r + √best without the root, where it can be told
          const a = dx * dx + dy * dy + dz * dz - r * r - best, d = ex * ex + ey * ey + ez * ez - r * r - best, limit = 4 * r * r * best, nowFar = a > 0 && a * a >= limit, thenFar = d > 0 && d * d >= limit;
          if (nowFar && thenFar && !passes(dx, dy, dz, ex, ey, ez, r + reach)) continue;
          const o = faces.posedAt(t);
          if (unlike >= 0 && P[o + 18] * u0 + P[o + 19] * u1 + P[o + 20] * u2 > OTHER_WAY) continue;
          // no nearer than its plane
          const over = P[o + 18] * (x - P[o]) + P[o + 19] * (y - P[o + 1]) + P[o + 20] * (z - P[o + 2]), then = P[o + 21] * (px - P[o + 9]) + P[o + 22] * (py - P[o + 10]) + P[o + 23] * (pz - P[o + 11]);
          if (Math.min(over * over, then * then) > SURELY * best && over * then > 0) continue;
          if (!nowFar) { faces.closest(o, A, start); if (N[4] < best) { best = N[4]; found = t; } }
          if (!thenFar) { faces.closest(o + 9, A, goal); if (N[4] < best) { best = N[4]; found = t; } }
          if (faces.crosses(o, A, start, goal) && N[4] < best) { best = N[4]; found = t; }
        }
      }
    }
    this.fastest = Math.max(this.fastest, Math.sqrt(fastest));
    // where nothing is near, all that can come is as fast as the shell and the point themselves
    if (this.fastest === 0) this.fastest = this.ways[0] + Math.sqrt(wx * wx + wy * wy + wz * wz);
    return found;
  }
  /** m: how much farther than is looked a place is, now and where it would go, from all the space that the shell sweeps in the frame; not above 0 where it is not. */
  beyond(A: Float64Array, start: number, goal: number): number {
    const { low, high } = this;
    let most = 0;
    for (let c = 0; c < 3; c++) most = Math.max(most, low[c] - Math.max(A[start + c], A[goal + c]), Math.min(A[start + c], A[goal + c]) - high[c]);
    return most - this.reach;
  }
  /** Cell of a place, −1 outside the grid, where nothing is near. */
  private cellAt(x: number, y: number, z: number): number {
    const { grid, corner, cell } = this, i = Math.floor(x / cell) - corner[0], j = Math.floor(y / cell) - corner[1], k = Math.floor(z / cell) - corner[2];
    return i < 0 || j < 0 || k < 0 || i >= grid[0] || j >= grid[1] || k >= grid[2] ? -1 : i + grid[0] * (j + grid[1] * k);
  }
  /** Whether all triangles of a patch face about the way u. */
  private allAlike(patch: number, u0: number, u1: number, u2: number): boolean {
    const C = this.cones, o = 4 * patch, d = C[o] * u0 + C[o + 1] * u1 + C[o + 2] * u2, least = C[o + 3];
    // the angle to the mean and the cone's own together
    return least > 0 && d > 0 && d * least - Math.sqrt(Math.max(0, (1 - d * d) * (1 - least * least))) > OTHER_WAY;
  }
}

/** Least of two ends' values within a share of the way between them, and greatest. */
const lower = (a: number, b: number, t0: number, t1: number): number => Math.min(a + t0 * (b - a), a + t1 * (b - a));
const higher = (a: number, b: number, t0: number, t1: number): number => Math.max(a + t0 * (b - a), a + t1 * (b - a));
/** Square of how far a place is beyond either of two sides. */
const outside = (below: number, above: number): number => (below > 0 ? below * below : above > 0 ? above * above : 0);
/** Whether something seen at d and then at e, going straight, comes nearer than `within`. */
function passes(dx: number, dy: number, dz: number, ex: number, ey: number, ez: number, within: number): boolean {
  const wx = ex - dx, wy = ey - dy, wz = ez - dz, ww = wx * wx + wy * wy + wz * wz;
  if (ww < FAST * FAST) return false;
  const t = Math.max(0, Math.min(1, -(dx * wx + dy * wy + dz * wz) / ww)), x = dx + t * wx, y = dy + t * wy, z = dz + t * wz;
  return x * x + y * y + z * z < within * within;
}
