/**
 * Shell: a deforming triangle mesh as a collider. A closed one (a body, a garment modelled with its thickness) keeps hair
 * outside, and lets out what begins inside by the nearest way; an open one, such as a sheet of cloth, keeps hair on the side it
 * is on.
 *
 * The triangles are put together in patches of neighbours once. Each frame the boxes that they sweep are put into a coarse
 * grid. A point of a strand (or the middle of an edge) looks for the nearest triangle, and from then on follows the surface from triangle to neighbouring triangle; it looks again when it has
 * looks again, in every fourth substep. Because it follows the surface it was near, it stays on its side of thin
 * cloth whatever lies behind. Within the frame vertices move evenly.
 *
 * Contacts are with the nearest place, at the end of the substep, of the triangle that is followed: its inside, or one of its
 * edges, where the whole strand edge is put against it. Where the ends of an edge see surfaces that face different ways, or one
 * sees none, places between them are put against it as well.
 * **Source:** closest points, Ericson, Real-Time Collision Detection, *from memory*; following a surface from face to face is a
 * well-known way to keep closest points up to date, *from memory*.
 */
import { neighbours, weldByPosition } from '../mesh/surface';
import { describeShell } from './shell-check';
import { BENDS, evenReach, PATCH, patchesOf } from './shell-mesh';

/** m: contacts are offered so near, beyond the distance kept; a point looks around for so much more, and may go so far before it looks again. */
const REACH = 0.0025;
const SLACK = 0.003;
/** m: beyond all that, what a point follows is let go of. */
const LET_GO = 0.02;
/** m: a point deeper than this at the start of a substep is not ours: it came round a border, or began there. */
const DEEP = 0.006;
/** m: what is further behind a triangle than this lies behind it for another reason, unless it is the nearest. */
const BEHIND = 3e-4;
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
/** Places on an edge that bends round something: m apart, and at most so many to either side of its middle. */
const STEP = 0.003, MOST_STEPS = 4;
/** A second surface counts where it faces another way than the nearest. */
const OTHER_WAY = 0.8;
/** A nearest place so many times further than the plane it lies in is beside it. */
const BESIDE = 1.25;
/** Contacts of an edge whose normals' cosine is less face each other; together they lean another way if their sum is so long. */
const OPPOSED = -0.3, LEANING = 0.15;
/** A surface met at the end of a substep that faces so differently (cosine) from the one it comes from is another side. */
const TURNED = 0.7;
/** m²: a way that misses a triangle by no more goes through it. */
const THROUGH = 1e-10;
/** Steps from triangle to triangle at most. */
const STEPS = 8;

/**
 * What is known of an edge that is asked about, by place in an array of `EDGE` numbers: its lower and upper point, now and where they would go, its
 * middle and any other place on it at both times (3 each, m); share of the edge that place has, m: distance kept; the greatest distance that may be
 * kept there, how far the strand goes in the substep at most, and the edge's length.
 */
export const LOWER = 0, UPPER = 3, LOWER_THEN = 6, UPPER_THEN = 9, MOST_KEPT = 26, DRIFT = 27, EDGE = 29;
const MIDDLE = 12, MIDDLE_THEN = 15, SPOT = 18, SPOT_THEN = 21, SHARE = 24, KEPT = 25, LENGTH = 28;

/** What an edge may touch: share of the edge, gap at its predicted end, normal, plane, movement of the surface, and who. */
export interface Candidate { id: number; gap: number; s: number; nx: number; ny: number; nz: number; plane: number; ux: number; uy: number; uz: number }

export class Shell {
  /** Made with the shell, or anew for every frame or substep before it is asked for: no part of what a run has become. */
  static readonly madeAnew: ReadonlySet<string> = new Set(['triangles', 'opposite', 'patchStart', 'even', 'boxes', 'balls', 'cones', 'normals', 'cellStart', 'cellPatches', 'grid', 'corner', 'cell', 'held', 'from', 'to', 'low', 'high', 'pose', 'near', 'places']);
  readonly triangleCount: number;
  /** Whether hair is kept on its outside; else on the side it is on. */
  readonly closed: boolean;
  /** m: from the upper point of the edge asked about to what it follows. */
  private upperFar = Infinity;
  /** Candidates of the last edge asked about. */
  readonly candidates: Candidate[] = [];
  count = 0;
  /** Sorted by patch. */
  readonly triangles: Uint32Array;
  /** Opposite half-edge (3 × triangle + edge), −1 at a border. */
  private readonly opposite: Int32Array;
  private readonly patchStart: Int32Array;
  /** m: how far round each triangle the mesh is as good as flat. */
  private readonly even: Float32Array;
  /** Twelve a patch: its box at both ends of the frame; in float32, so that a patch is one line of the cache. */
  private readonly boxes: Float32Array;
  /** Grid over the hair's part of the space the shell sweeps: place c is where the patches that come near cell c in the substep begin in `cellPatches`. */
  private cellStart = new Int32Array(2);
  private cellPatches = new Int32Array(0);
  private readonly grid = new Int32Array(3);
  /** Its first cell, counted from the world's origin. */
  private readonly corner = new Int32Array(3);
  private cell = 1;
  private readonly held = new Float64Array(6);
  /** Four a patch: mean normal, least cosine to it. */
  private readonly cones: Float64Array;
  private readonly normals = new Float64Array(3 * PATCH);
  /** Eight a triangle: its middle at both ends of the frame, and how far its corners are from there at most. */
  private readonly balls: Float32Array;
  private from: Float64Array = new Float64Array(0);
  private to: Float64Array = new Float64Array(0);
  private readonly low = new Float64Array(3);
  private readonly high = new Float64Array(3);
  /** Per triangle, kept for the substep: corners at its start (9) and end (9), unit normals at both (6). */
  private readonly pose: Float64Array;
  private readonly posed: Int32Array;
  private substep = 0;
  private t0 = 0;
  private t1 = 1;
  /**
   * Edges: triangles followed by the upper point (nearest, another) and by the middle, −1 for none; the side of each.
   */
  private hits = new Int32Array(0);
  private sides = new Int8Array(0);
  private points = 0;
  /** Points: 1 where the nearest place is beside what is followed, not before it, as past the rim of a collar. */
  private astray = new Uint8Array(0);
  /** Points: triangle nearest where they would go. */
  private goal = new Int32Array(0);
  /** Points, then middles of edges: m, how far all else may still come nearer before they look again; how much it can in a substep of the frame in which they looked. */
  private budget = new Float64Array(0);
  private rate = new Float64Array(0);
  private lookedIn = new Int32Array(0);
  private frameNumber = 0;
  private fastest = 0;
  private readonly near = new Float64Array(5);
  /** A place that is asked about, and where a point goes through a plane. */
  private readonly places = new Float64Array(6);
  /** −1 where a closed shell is wound inside out. */
  private readonly outward: number;

  /** `rest`: 3 × vertices in the rest pose, to find vertices that are one; `thickness`: m, distance kept on either side; `twoSided`: hair keeps to the side it is on, even of a closed one. */
  constructor(triangles: ArrayLike<number>, rest: ArrayLike<number>, readonly thickness: number, readonly friction: number, twoSided = false) {
    const weld = weldByPosition(rest), kept: number[] = [];
    for (let t = 0; t < triangles.length; t += 3) {
      const [a, b, c] = [weld[triangles[t]], weld[triangles[t + 1]], weld[triangles[t + 2]]];
      if (a !== b && b !== c && c !== a) kept.push(a, b, c);
    }
    const loose = Uint32Array.from(kept), { order, starts } = patchesOf(loose, neighbours(loose), rest);
    const sorted = (this.triangles = new Uint32Array(kept.length));
    order.forEach((t, k) => { for (let c = 0; c < 3; c++) sorted[3 * k + c] = loose[3 * t + c]; });
    const n = (this.triangleCount = kept.length / 3);
    this.opposite = neighbours(sorted);
    this.patchStart = Int32Array.from(starts);
    this.cones = new Float64Array(4 * (starts.length - 1));
    this.boxes = new Float32Array(12 * (starts.length - 1));
    this.balls = new Float32Array(8 * n);
    const found = describeShell(triangles, rest);
    this.closed = found.closed && !twoSided;
    this.outward = found.inverted ? -1 : 1;
    this.pose = new Float64Array(24 * n + 9);
    this.posed = new Int32Array(n).fill(-1);
    this.even = evenReach(sorted, this.opposite, rest);
  }

  /** Room for what so many points remember. */
  begin(points: number): void {
    this.hits = new Int32Array(3 * points).fill(-1);
    this.sides = new Int8Array(3 * points);
    this.points = points;
    this.astray = new Uint8Array(points);
    this.goal = new Int32Array(points).fill(-1);
    this.budget = new Float64Array(2 * points).fill(-1);
    this.rate = new Float64Array(2 * points);
    this.lookedIn = new Int32Array(2 * points);
  }

  /** Places of the vertices at both ends of the frame, 3 × vertices, m; kept until the next call. `build` must follow where hair can come near. */
  frame(from: Float64Array, to: Float64Array): void {
    this.from = from;
    this.to = to;
    const { triangles, low, high } = this;
    low.fill(Infinity);
    high.fill(-Infinity);
    for (let h = 0; h < triangles.length; h++) {
      const v = 3 * triangles[h];
      for (let c = 0; c < 3; c++) {
        const a = from[v + c], b = to[v + c];
        if (a < low[c]) low[c] = a;
        if (b < low[c]) low[c] = b;
        if (a > high[c]) high[c] = a;
        if (b > high[c]) high[c] = b;
      }
    }
  }
  /** Whether a ball reaches the space the shell sweeps in the frame. */
  reaches(x: number, y: number, z: number, radius: number): boolean {
    const { low, high } = this, far = radius + this.thickness + REACH;
    return x > low[0] - far && x < high[0] + far && y > low[1] - far && y < high[1] + far && z > low[2] - far && z < high[2] + far;
  }

  /** Whether anything in a box (low, high; m, at `o` of `B`) could follow it in the frame. */
  mayMeet(B: ArrayLike<number>, o: number): boolean {
    const { low, high } = this, far = this.thickness + REACH + SLACK + LET_GO;
    return B[o] < high[0] + far && B[o + 3] > low[0] - far && B[o + 1] < high[1] + far && B[o + 4] > low[1] - far && B[o + 2] < high[2] + far && B[o + 5] > low[2] - far;
  }
  /** Lets go of what the edges below the points `first … end − 1` follow: they are far away. */
  leave(first: number, end: number): void {
    this.hits.fill(-1, 3 * first, 3 * end);
    this.budget.fill(-1, first, end);
    this.budget.fill(-1, this.points + first, this.points + end);
  }
  /** Boxes and cones of the frame. */
  build(): void {
    const { boxes: B } = this;
    for (let k = 0; k + 1 < this.patchStart.length; k++) this.leaf(k);
    let most = 0;
    for (let o = 0; o < B.length; o += 12) for (let c = 0; c < 6; c++) most = Math.max(most, Math.abs(B[o + 6 + c] - B[o + c]));
    this.shellWay = 1.75 * most;
    this.frameNumber++;
    this.readyUntil = -1;
  }
  /** m: how far any part of the shell goes in the substep, at most. */
  get way(): number { return this.shellWay * (this.t1 - this.t0); }
  /** m: no part of the shell goes further in the frame; and until when the grid holds. */
  private shellWay = 0;
  private readyFrom = 0;
  private readyUntil = -1;

  /** For the substep: which patches come near which cell, in the box that holds all hair now and where it would go (low, high; m). */
  ready(hair: ArrayLike<number>): void {
    const { patchStart, boxes: B, corner, grid, low, high, t0, held } = this, patches = patchStart.length - 1, far = REACH + this.thickness + SLACK;
    // the time it holds for, the size of its cells and where they lie are the shell's own: shares of a run look alike
    const later = this.t1 > this.readyUntil;
    let holds = !later;
    for (let c = 0; c < 3; c++) if (hair[c] < held[c] || hair[3 + c] > held[3 + c]) holds = false;
    if (holds) return;
    if (later) {
      this.readyFrom = t0;
      // of what hardly moves one grid serves for several substeps
      this.readyUntil = Math.min(1, Math.max(this.t1, t0 + SLOW / (this.shellWay + 1e-9))) + 1e-9;
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
  private leaf(k: number): void {
    const { triangles, patchStart, balls, boxes: B, from, to } = this, first = patchStart[k], end = patchStart[k + 1], o = 12 * k;
    let l0 = Infinity, l1 = Infinity, l2 = Infinity, h0 = -Infinity, h1 = -Infinity, h2 = -Infinity, L0 = Infinity, L1 = Infinity, L2 = Infinity, H0 = -Infinity, H1 = -Infinity, H2 = -Infinity;
    for (let h = 3 * first; h < 3 * end; h++) {
      const v = 3 * triangles[h], x = from[v], y = from[v + 1], z = from[v + 2], X = to[v], Y = to[v + 1], Z = to[v + 2];
      if (x < l0) l0 = x; if (x > h0) h0 = x; if (y < l1) l1 = y; if (y > h1) h1 = y; if (z < l2) l2 = z; if (z > h2) h2 = z;
      if (X < L0) L0 = X; if (X > H0) H0 = X; if (Y < L1) L1 = Y; if (Y > H1) H1 = Y; if (Z < L2) L2 = Z; if (Z > H2) H2 = Z;
    }
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
    B[o] = l0 - ROUNDING; B[o + 1] = l1 - ROUNDING; B[o + 2] = l2 - ROUNDING; B[o + 3] = h0 + ROUNDING; B[o + 4] = h1 + ROUNDING; B[o + 5] = h2 + ROUNDING;
    B[o + 6] = L0 - ROUNDING; B[o + 7] = L1 - ROUNDING; B[o + 8] = L2 - ROUNDING; B[o + 9] = H0 + ROUNDING; B[o + 10] = H1 + ROUNDING; B[o + 11] = H2 + ROUNDING;
    this.cone(k);
  }
  /** Mean normal of a patch at the start of the frame, and the least cosine of any of its triangles to it. */
  private cone(k: number): void {
    const { triangles, patchStart, cones: C, normals: N, from } = this, o = 4 * k, first = patchStart[k], end = patchStart[k + 1];
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

  /** The substep from share `t0` to `t1` of the frame. */
  place(t0: number, t1: number): void {
    this.t0 = t0;
    this.t1 = t1;
    this.substep++;
  }

  /**
   * Fills `candidates` for the edge whose upper point has the number `p` and whose places are in `E` (numbers in arrays, as numbers that are
   * handed from function to function are put on the heap one by one). `rooted`: whether it is the strand's first.
   */
  ask(p: number, rooted: boolean, E: Float64Array): void {
    this.count = 0;
    for (let c = 0; c < 3; c++) { E[MIDDLE + c] = 0.5 * (E[LOWER + c] + E[UPPER + c]); E[MIDDLE_THEN + c] = 0.5 * (E[LOWER_THEN + c] + E[UPPER_THEN + c]); }
    const { hits } = this, o = 3 * p;
    E[KEPT] = Math.min(this.thickness, E[MOST_KEPT]);
    // nothing else can have come near since it looked, or it looks again
    const drift = E[DRIFT] + this.way, drain = this.lookedIn[p] === this.frameNumber && this.rate[p] < drift ? this.rate[p] : drift;
    if ((this.budget[p] -= drain) < 0) this.look(p, E);
    const below = hits[o - 3] ?? -1, seed = hits[o] >= 0 ? hits[o] : below;
    // an edge may lie across something that neither of its ends is near
    if (seed < 0) {
      const m = this.points + p, slow = this.lookedIn[m] === this.frameNumber && this.rate[m] < drift ? this.rate[m] : drift;
      if ((this.budget[m] -= slow) < 0) {
        this.fastest = 0;
        this.keep(o + 2, this.nearestTriangle(E, MIDDLE, MIDDLE_THEN, -1), E, MIDDLE);
        this.seen(m);
      }
      if (hits[o + 2] < 0) return;
    }
    E[SHARE] = 1;
    this.upperFar = Infinity;
    if (hits[o] >= 0) this.touch(p, 0, E);
    if (hits[o + 1] >= 0) this.touch(p, 1, E);
    const length = (E[LENGTH] = Math.sqrt((E[9] - E[6]) ** 2 + (E[10] - E[7]) ** 2 + (E[11] - E[8]) ** 2));
    // the surface is as good as flat between its ends, and reaches as far: they are enough
    if (hits[o] >= 0 && (rooted || (below >= 0 && this.flatBetween(p, hits[o], below, length)))) { hits[o + 2] = -1; return; }
    // the middle, from where its ends are
    if (hits[o + 2] < 0) { hits[o + 2] = seed; this.sides[o + 2] = hits[o] >= 0 ? this.sides[o] : this.sides[o - 3]; }
    E[SHARE] = 0.5;
    this.touch(p, 2, E);
    // what lies across the edge may be thin: in short steps from the middle out and from both ends in
    const middle = hits[o + 2], steps = Math.min(MOST_STEPS, Math.floor((0.5 * length) / STEP));
    for (let half = -1; half < 2; half += 2) for (let way = 0; way < 2; way++) {
      const end = half > 0 ? hits[o] : below, inner = end >= 0 ? (steps + 1) >> 1 : steps;
      hits[o + 2] = way === 0 ? middle : end;
      for (let k = 0; k < (way === 0 ? inner : steps - inner) && hits[o + 2] >= 0; k++) {
        E[SHARE] = 0.5 + (half * 0.5 * (way === 0 ? k + 1 : steps - k)) / (steps + 1);
        this.touch(p, 2, E);
      }
    }
    hits[o + 2] = middle;
    if (this.closed) this.astrideWall(E);
  }
  /**
   * An edge that lies across a wall, as over the rim of a collar, is pushed both ways by its faces and gets nowhere: in place of
   * two that face each other it gets one contact, by the surface it lies over now or, where it has gone in already, by the way
   * both lean, which is to the rim.
   */
  private astrideWall(E: Float64Array): void {
    const { candidates: C, near: N, pose: P } = this, r = E[KEPT];
    let one = -1, other = -1, worst = -BEHIND;
    for (let i = 0; i < this.count; i++) for (let j = i + 1; j < this.count; j++) {
      const a = C[i], b = C[j], sum = a.gap + b.gap + 2 * r;
      if (sum < worst && a.s !== b.s && a.nx * b.nx + a.ny * b.ny + a.nz * b.nz < OPPOSED) { worst = sum; one = i; other = j; }
    }
    if (one < 0) return;
    const a = C[one], b = C[other], s = 0.5 * (a.s + b.s), u = 1 - s;
    for (let c = 0; c < 3; c++) { E[SPOT + c] = u * E[LOWER + c] + s * E[UPPER + c]; E[SPOT_THEN + c] = u * E[LOWER_THEN + c] + s * E[UPPER_THEN + c]; }
    const x = E[SPOT], y = E[SPOT + 1], z = E[SPOT + 2], px = E[SPOT_THEN], py = E[SPOT_THEN + 1], pz = E[SPOT_THEN + 2];
    const speed = this.fastest, t = this.nearestTriangle(E, SPOT, SPOT, -1);
    this.fastest = speed;
    if (t < 0) return;
    const o = this.posedAt(t);
    this.closest(o, E, SPOT);
    const v0 = N[0], v1 = N[1], v2 = N[2], far = Math.sqrt(N[4]), rim = N[3] > 0, within = this.outward * (P[o + 18] * (x - P[o]) + P[o + 19] * (y - P[o + 1]) + P[o + 20] * (z - P[o + 2])) < 0;
    const hx = v0 * P[o] + v1 * P[o + 3] + v2 * P[o + 6], hy = v0 * P[o + 1] + v1 * P[o + 4] + v2 * P[o + 7], hz = v0 * P[o + 2] + v1 * P[o + 5] + v2 * P[o + 8];
    const cx = v0 * P[o + 9] + v1 * P[o + 12] + v2 * P[o + 15], cy = v0 * P[o + 10] + v1 * P[o + 13] + v2 * P[o + 16], cz = v0 * P[o + 11] + v1 * P[o + 14] + v2 * P[o + 17];
    let nx = a.nx + b.nx, ny = a.ny + b.ny, nz = a.nz + b.nz, gap = 0;
    if (within) {
      const l = Math.sqrt(nx * nx + ny * ny + nz * nz);
      if (l < LEANING) return;
      nx /= l; ny /= l; nz /= l;
      // by as much as it is in, with the surface's movement
      gap = nx * (px - x - cx + hx) + ny * (py - y - cy + hy) + nz * (pz - z - cz + hz) - far - r;
    } else {
      if (rim && far > 1e-6) { nx = (x - hx) / far; ny = (y - hy) / far; nz = (z - hz) / far; } else { nx = this.outward * P[o + 21]; ny = this.outward * P[o + 22]; nz = this.outward * P[o + 23]; }
      gap = nx * (px - cx) + ny * (py - cy) + nz * (pz - cz) - r;
    }
    a.id = 4 * t + 3; a.s = s; a.gap = gap; a.nx = nx; a.ny = ny; a.nz = nz; a.plane = nx * px + ny * py + nz * pz - gap; a.ux = cx - hx; a.uy = cy - hy; a.uz = cz - hz;
    // what faces against it is the wall's other face
    let kept = 0;
    for (let i = 0; i < this.count; i++) {
      const c = C[i];
      if (i !== one && (i === other || c.gap < 0 && c.nx * nx + c.ny * ny + c.nz * nz < 1 - LEANING)) continue;
      if (kept !== i) { C[i] = C[kept]; C[kept] = c; }
      kept++;
    }
    this.count = kept;
  }
  /** Whether the surface is as good as flat between the ends of an edge of a length, m, that follow triangles `a` and `b`, now and where they would go; folds lie between faces that face alike. */
  private flatBetween(p: number, a: number, b: number, length: number): boolean {
    const { astray, goal, even } = this;
    return even[a] + even[b] > length && astray[p] === 0 && astray[p - 1] === 0 && this.facing(a, b) > BENDS && goal[p] >= 0 && goal[p - 1] >= 0 && this.facing(goal[p], goal[p - 1]) > BENDS;
  }
  /** Cosine between the normals of two triangles at the end of the substep. */
  private facing(a: number, b: number): number {
    const P = this.pose, o = this.posedAt(a) + 21, q = this.posedAt(b) + 21;
    return P[o] * P[q] + P[o + 1] * P[q + 1] + P[o + 2] * P[q + 2];
  }

  /** Depth of a place on the edge below point `p` beyond its side, m, ≥ 0, at the end of the last placed substep. */
  depth(p: number, x: number, y: number, z: number): number {
    const { hits, near: N, places: A } = this;
    A[0] = x; A[1] = y; A[2] = z;
    let best = DEEP * DEEP, deep = 0;
    for (let j = 0; j < 3; j++) {
      if (hits[3 * p + j] < 0) continue;
      const t = this.follow(hits[3 * p + j], A, 0, 9), side = this.closed ? this.outward : this.sides[3 * p + j];
      if (N[4] >= best || side === 0) continue;
      best = N[4];
      deep = this.behind(t, side, x, y, z);
    }
    if (deep > 0 && this.closed) {
      // beyond a thin wall? Whatever is nearest knows
      const speed = this.fastest, t = this.nearestTriangle(A, 0, 0, -1);
      this.fastest = speed;
      if (t >= 0) {
        this.closest(this.posedAt(t) + 9, A, 0);
        deep = this.behind(t, this.outward, x, y, z);
      }
    }
    return deep;
  }

  /** How far a place is behind a triangle, whose nearest place was just found: nearest to an edge or a corner it is outside a convex one, and of a hollow one a face is nearer. */
  private behind(t: number, side: number, x: number, y: number, z: number): number {
    if (this.near[3] > 0) return 0;
    const P = this.pose, o = this.posedAt(t);
    return Math.max(0, -side * (P[o + 21] * (x - P[o + 9]) + P[o + 22] * (y - P[o + 10]) + P[o + 23] * (z - P[o + 11])));
  }

  /** Looks for the triangle nearest a point, and the nearest that faces another way. */
  private look(p: number, E: Float64Array): void {
    this.fastest = 0;
    const first = this.nearestTriangle(E, UPPER, UPPER_THEN, -1), second = first < 0 ? -1 : this.nearestTriangle(E, UPPER, UPPER_THEN, this.posedAt(first) + 18);
    this.keep(3 * p, first, E, UPPER);
    this.keep(3 * p + 1, second, E, UPPER);
    // the middle is not to be lost with its end: it looks for itself
    if (first < 0) { this.hits[3 * p + 2] = -1; this.budget[this.points + p] = -1; }
    this.seen(p);
  }
  /**
   * Triangle that is nearest to place `start` of `A` now, or to place `goal` at the end of the substep, −1 for none within reach; with `unlike` ≥ 0 of those whose normal
   * differs from the one that stands there in `pose`.
   */
  private nearestTriangle(A: Float64Array, start: number, goal: number, unlike: number): number {
    const x = A[start], y = A[start + 1], z = A[start + 2], px = A[goal], py = A[goal + 1], pz = A[goal + 2];
    const { boxes: B, patchStart, balls, near: N, pose: P, cellPatches, t0, t1 } = this, u0 = unlike < 0 ? 0 : P[unlike], u1 = unlike < 0 ? 0 : P[unlike + 1], u2 = unlike < 0 ? 0 : P[unlike + 2], s0 = 1 - t0, s1 = 1 - t1;
    const reach = REACH + this.thickness + SLACK, share = t1 - t0, wx = px - x, wy = py - y, wz = pz - z;
    let best = reach * reach, found = -1, before = -1;
    // where it is, where it would go, and half-way
    for (let stop = 0; stop < 3; stop++) {
      const at = this.cellAt(x + 0.5 * stop * wx, y + 0.5 * stop * wy, z + 0.5 * stop * wz);
      if (at < 0 || at === before) continue;
      before = at;
      const from = this.cellStart[at], end = this.cellStart[at + 1];
      for (let q = from; q < end; q++) {
        const patch = cellPatches[q], b = 12 * patch, f0 = B[b], f1 = B[b + 1], f2 = B[b + 2], f3 = B[b + 3], f4 = B[b + 4], f5 = B[b + 5], g0 = B[b + 6], g1 = B[b + 7], g2 = B[b + 8], g3 = B[b + 9], g4 = B[b + 10], g5 = B[b + 11];
        const m0 = share * (g0 - f0 + g3 - f3) * 0.5 - wx, m1 = share * (g1 - f1 + g4 - f4) * 0.5 - wy, m2 = share * (g2 - f2 + g5 - f5) * 0.5 - wz, way = Math.sqrt(m0 * m0 + m1 * m1 + m2 * m2);
        if (way > this.fastest) this.fastest = way;
        const now = outside(s0 * f0 + t0 * g0 - x, x - s0 * f3 - t0 * g3) + outside(s0 * f1 + t0 * g1 - y, y - s0 * f4 - t0 * g4) + outside(s0 * f2 + t0 * g2 - z, z - s0 * f5 - t0 * g5);
        if (now >= best && outside(s1 * f0 + t1 * g0 - px, px - s1 * f3 - t1 * g3) + outside(s1 * f1 + t1 * g1 - py, py - s1 * f4 - t1 * g4) + outside(s1 * f2 + t1 * g2 - pz, pz - s1 * f5 - t1 * g5) >= best) {
          // unless it passes the point in between
          if (way < FAST) continue;
        }
        if (unlike >= 0 && this.allAlike(patch, u0, u1, u2)) continue;
        for (let t = patchStart[patch], last = patchStart[patch + 1]; t < last; t++) {
          const c = 8 * t, c0 = balls[c], c1 = balls[c + 1], c2 = balls[c + 2], e0 = balls[c + 3], e1 = balls[c + 4], e2 = balls[c + 5], r = balls[c + 6];
          const dx = x - s0 * c0 - t0 * e0, dy = y - s0 * c1 - t0 * e1, dz = z - s0 * c2 - t0 * e2, ex = px - s1 * c0 - t1 * e0, ey = py - s1 * c1 - t1 * e1, ez = pz - s1 * c2 - t1 * e2;
          // d ≥ r + √best without the root, where it can be told
          const a = dx * dx + dy * dy + dz * dz - r * r - best, d = ex * ex + ey * ey + ez * ez - r * r - best, limit = 4 * r * r * best, nowFar = a > 0 && a * a >= limit, thenFar = d > 0 && d * d >= limit;
          if (nowFar && thenFar && !passes(dx, dy, dz, ex, ey, ez, r + reach)) continue;
          const o = this.posedAt(t);
          if (unlike >= 0 && P[o + 18] * u0 + P[o + 19] * u1 + P[o + 20] * u2 > OTHER_WAY) continue;
          // no nearer than its plane
          const over = P[o + 18] * (x - P[o]) + P[o + 19] * (y - P[o + 1]) + P[o + 20] * (z - P[o + 2]), then = P[o + 21] * (px - P[o + 9]) + P[o + 22] * (py - P[o + 10]) + P[o + 23] * (pz - P[o + 11]);
          if (Math.min(over * over, then * then) > SURELY * best && over * then > 0) continue;
          if (!nowFar) { this.closest(o, A, start); if (N[4] < best) { best = N[4]; found = t; } }
          if (!thenFar) { this.closest(o + 9, A, goal); if (N[4] < best) { best = N[4]; found = t; } }
          if (found !== t && this.crosses(o, A, start, goal) && N[4] < best) { best = N[4]; found = t; }
        }
      }
    }
    // where nothing is near, all that can come is as fast as the shell and the point themselves
    if (this.fastest === 0) this.fastest = this.way + Math.sqrt(wx * wx + wy * wy + wz * wz);
    return found;
  }
  /** Cell of a place, −1 outside the grid, where nothing is near. */
  private cellAt(x: number, y: number, z: number): number {
    const { grid, corner, cell } = this, i = Math.floor(x / cell) - corner[0], j = Math.floor(y / cell) - corner[1], k = Math.floor(z / cell) - corner[2];
    return i < 0 || j < 0 || k < 0 || i >= grid[0] || j >= grid[1] || k >= grid[2] ? -1 : i + grid[0] * (j + grid[1] * k);
  }
  private seen(p: number): void {
    this.budget[p] = 0.8 * SLACK;
    this.rate[p] = this.fastest;
    this.lookedIn[p] = this.frameNumber;
  }
  /** Whether a point goes through the plane of a triangle in the substep; `near` is then of where and when it does. */
  private crosses(o: number, A: Float64Array, start: number, goal: number): boolean {
    const P = this.pose, B = this.places, x = A[start], y = A[start + 1], z = A[start + 2], px = A[goal], py = A[goal + 1], pz = A[goal + 2], d0 = P[o + 18] * (x - P[o]) + P[o + 19] * (y - P[o + 1]) + P[o + 20] * (z - P[o + 2]), d1 = P[o + 21] * (px - P[o + 9]) + P[o + 22] * (py - P[o + 10]) + P[o + 23] * (pz - P[o + 11]);
    if (!(d0 * d1 < 0)) return false;
    const f = d0 / (d0 - d1), w = 24 * this.triangleCount;
    for (let c = 0; c < 9; c++) P[w + c] = P[o + c] + f * (P[o + 9 + c] - P[o + c]);
    B[3] = x + f * (px - x); B[4] = y + f * (py - y); B[5] = z + f * (pz - z);
    this.closest(w, B, 3);
    return true;
  }
  /** Whether all triangles of a patch face about the way u. */
  private allAlike(patch: number, u0: number, u1: number, u2: number): boolean {
    const C = this.cones, o = 4 * patch, d = C[o] * u0 + C[o + 1] * u1 + C[o + 2] * u2, least = C[o + 3];
    // the angle to the mean and the cone's own together
    return least > 0 && d > 0 && d * least - Math.sqrt(Math.max(0, (1 - d * d) * (1 - least * least))) > OTHER_WAY;
  }
  /** Follows a triangle from now on; its side is that of the point now, unless the point was on a side of it already. */
  private keep(slot: number, t: number, A: Float64Array, k: number): void {
    const { hits, sides, pose: P } = this, before = hits[slot];
    if (t < 0) { hits[slot] = -1; sides[slot] = 0; return; }
    if (this.closed) sides[slot] = this.outward;
    else {
      const o = this.posedAt(t);
      this.closest(o, A, k);
      const d = P[o + 18] * (A[k] - P[o]) + P[o + 19] * (A[k + 1] - P[o + 1]) + P[o + 20] * (A[k + 2] - P[o + 2]);
      if (before < 0 || sides[slot] === 0 || Math.abs(d) > DEEP) sides[slot] = this.pastBorder(t) ? 0 : d >= 0 ? 1 : -1;
    }
    hits[slot] = t;
  }
  /** Whether the nearest place just found is on a border: beyond it either side is free. */
  private pastBorder(t: number): boolean {
    const N = this.near;
    if (N[3] > 0) for (let e = 0; e < 3; e++) if (N[(e + 2) % 3] < 1e-9 && this.opposite[3 * t + e] < 0) return true;
    return false;
  }

  /** Where a triangle's numbers stand in `pose`, computed for this substep. */
  private posedAt(t: number): number {
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

  /** Closest point of the triangle whose corners stand at `o` of `pose` to place `k` of `A`: weights 0…2, 1 at 3 where on its rim, squared distance at 4. */
  private closest(o: number, A: Float64Array, k: number): void {
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

  /** From triangle to triangle as long as the next one is nearer; `near` is of the last. `end`: 0 at the start of the substep, 9 at its end. */
  private follow(t: number, A: Float64Array, k: number, end: number): number {
    const { near: N, opposite } = this;
    this.closest(this.posedAt(t) + end, A, k);
    let last = -1;
    for (let step = 0; step < STEPS && N[3] > 0; step++) {
      const n0 = N[0], n1 = N[1], n2 = N[2], n4 = N[4];
      let moved = -1;
      // the edges the place lies on: edge e has the weight of the corner before it at 0
      for (let e = 0; e < 3 && moved < 0; e++) {
        if ((e === 0 ? n2 : e === 1 ? n0 : n1) > 1e-9) continue;
        const h = opposite[3 * t + e];
        if (h < 0) continue;
        const other = (h / 3) | 0;
        if (other === last) continue;
        this.closest(this.posedAt(other) + end, A, k);
        if (N[4] < n4 || (N[4] === n4 && N[3] === 0)) moved = other;
      }
      if (moved < 0) { N[0] = n0; N[1] = n1; N[2] = n2; N[3] = 1; N[4] = n4; break; }
      last = t;
      t = moved;
    }
    return t;
  }

  private put(id: number, gap: number, s: number, nx: number, ny: number, nz: number, plane: number, ux: number, uy: number, uz: number): void {
    let c = this.candidates[this.count];
    if (!c) this.candidates[this.count] = c = { id: 0, gap: 0, s: 1, nx: 0, ny: 1, nz: 0, plane: 0, ux: 0, uy: 0, uz: 0 };
    this.count++;
    c.id = id; c.gap = gap; c.s = s; c.nx = nx; c.ny = ny; c.nz = nz; c.plane = plane; c.ux = ux; c.uy = uy; c.uz = uz;
  }

  /** The place of the strand's edge at the share in `E` against what it follows; the edge itself where that is an edge of the mesh. */
  private touch(p: number, slot: number, E: Float64Array): void {
    const { hits, sides, near: N, pose: P } = this, at = 3 * p + slot, s = E[SHARE], u = 1 - s, r = E[KEPT];
    for (let c = 0; c < 3; c++) { E[SPOT + c] = u * E[LOWER + c] + s * E[UPPER + c]; E[SPOT_THEN + c] = u * E[LOWER_THEN + c] + s * E[UPPER_THEN + c]; }
    const x = E[SPOT], y = E[SPOT + 1], z = E[SPOT + 2], px = E[SPOT_THEN], py = E[SPOT_THEN + 1], pz = E[SPOT_THEN + 2];
    // where it follows the surface now, and from there where the surface will be
    let here = this.follow(hits[at], E, SPOT, 0), o0 = this.posedAt(here), before = P[o0 + 18] * (x - P[o0]) + P[o0 + 19] * (y - P[o0 + 1]) + P[o0 + 20] * (z - P[o0 + 2]), start = Math.sqrt(N[4]);
    // farther from what it follows than its strand's edge is long: in a fold it has come to a place from where every way leads off
    const lost = slot === 2 && start > this.upperFar + u * E[LENGTH] + BEHIND;
    if (this.closed && (lost || this.outward * before < -BEHIND)) {
      // is it inside, or beyond a thin wall whose other face it has come to? Whatever is nearest knows
      const speed = this.fastest, nearest = this.nearestTriangle(E, SPOT, SPOT, -1);
      this.fastest = speed;
      if (nearest >= 0) here = nearest;
      o0 = this.posedAt(here);
      // also where it is the same: the search has left another triangle's numbers
      this.closest(o0, E, SPOT);
      before = P[o0 + 18] * (x - P[o0]) + P[o0 + 19] * (y - P[o0 + 1]) + P[o0 + 20] * (z - P[o0 + 2]);
      start = Math.sqrt(N[4]);
    }
    if (slot === 0) this.upperFar = start;
    let side: number = this.closed ? this.outward : sides[at];
    if (!this.closed) {
      if (this.pastBorder(here) && Math.abs(before) < 0.999 * start) side = sides[at] = 0;
      else if (side === 0 || start > DEEP) side = sides[at] = before >= 0 ? 1 : -1;
      if (side === 0) side = before >= 0 ? 1 : -1;
    }
    hits[at] = here;
    if (start > r + REACH + SLACK + LET_GO) { hits[at] = -1; this.budget[slot === 2 ? this.points + p : p] = -1; return; }
    // so deep already, or behind another surface than the nearest: not ours
    if (side * before < 0 && ((start > DEEP && N[3] === 0) || (slot === 1 && start > BEHIND))) return;
    // where it comes from: the nearest place now, carried along with the surface
    const v0 = N[0], v1 = N[1], v2 = N[2], beside = N[3] > 0;
    const t = this.follow(here, E, SPOT_THEN, 9), o = this.posedAt(t) + 9, n0 = side * P[o + 12], n1 = side * P[o + 13], n2 = side * P[o + 14];
    const w0 = N[0], w1 = N[1], w2 = N[2], rim = N[3] > 0, far = Math.sqrt(N[4]), plane = n0 * (px - P[o]) + n1 * (py - P[o + 1]) + n2 * (pz - P[o + 2]);
    const cx = w0 * P[o] + w1 * P[o + 3] + w2 * P[o + 6], cy = w0 * P[o + 1] + w1 * P[o + 4] + w2 * P[o + 7], cz = w0 * P[o + 2] + w1 * P[o + 5] + w2 * P[o + 8];
    if (slot === 0) {
      this.goal[p] = t;
      this.astray[p] = rim && far > BESIDE * Math.abs(plane) + 2e-4 ? 1 : 0;
    }
    if (t !== here && side * before > 0 && this.goesThrough(here, E) && this.cameFrom(here, r, s, side, beside, v0, v1, v2, x, y, z, px, py, pz, n0, n1, n2)) return;
    if (plane > r + REACH || (rim && plane > 0 && far > r + REACH)) return;
    if (plane < -BEHIND && side * before > 0 && this.cameFrom(here, r, s, side, beside, v0, v1, v2, x, y, z, px, py, pz, n0, n1, n2)) return;
    // past the border of a sheet there is nothing to touch but the border
    if (rim && !this.closed && this.pastBorder(t) && far > 1.2 * Math.abs(plane) + 5e-4 && side * before > -5e-4 && plane < 0) return;
    if (rim && this.againstEdge(t, side, w0, w2, E)) return;
    let nx = n0, ny = n1, nz = n2, gap = plane;
    if (rim && plane > 0 && far > 1e-6) { nx = (px - cx) / far; ny = (py - cy) / far; nz = (pz - cz) / far; gap = far; }
    const q = o - 9, ux = cx - w0 * P[q] - w1 * P[q + 3] - w2 * P[q + 6], uy = cy - w0 * P[q + 1] - w1 * P[q + 4] - w2 * P[q + 7], uz = cz - w0 * P[q + 2] - w1 * P[q + 5] - w2 * P[q + 8];
    this.put(4 * t + 3, gap - r, s, nx, ny, nz, nx * cx + ny * cy + nz * cz + r, ux, uy, uz);
  }

  /** Whether the place in `E` goes through a triangle on its straight way, and not past it: what is behind it then is not where it may go. */
  private goesThrough(t: number, E: Float64Array): boolean {
    const N = this.near, n0 = N[0], n1 = N[1], n2 = N[2], n3 = N[3], n4 = N[4], through = this.crosses(this.posedAt(t), E, SPOT, SPOT_THEN) && N[4] < THROUGH;
    N[0] = n0; N[1] = n1; N[2] = n2; N[3] = n3; N[4] = n4;
    return through;
  }
  /**
   * What would go so deep in one substep that the nearest surface faces another way, as over the rim of a collar, is kept on
   * the side of the place it comes from: weights v0 … v2 of the triangle `here`. Whether it is so.
   */
  private cameFrom(here: number, r: number, s: number, side: number, beside: boolean, v0: number, v1: number, v2: number, x: number, y: number, z: number, px: number, py: number, pz: number, n0: number, n1: number, n2: number): boolean {
    const P = this.pose, q = this.posedAt(here), o = q + 9;
    const bx = v0 * P[q] + v1 * P[q + 3] + v2 * P[q + 6], by = v0 * P[q + 1] + v1 * P[q + 4] + v2 * P[q + 7], bz = v0 * P[q + 2] + v1 * P[q + 5] + v2 * P[q + 8];
    let nx = side * P[o + 12], ny = side * P[o + 13], nz = side * P[o + 14];
    const far = beside ? Math.sqrt((x - bx) ** 2 + (y - by) ** 2 + (z - bz) ** 2) : 0;
    if (far > 1e-6) { nx = (x - bx) / far; ny = (y - by) / far; nz = (z - bz) / far; }
    if (nx * n0 + ny * n1 + nz * n2 > TURNED) return false;
    const cx = v0 * P[o] + v1 * P[o + 3] + v2 * P[o + 6], cy = v0 * P[o + 1] + v1 * P[o + 4] + v2 * P[o + 7], cz = v0 * P[o + 2] + v1 * P[o + 5] + v2 * P[o + 8], plane = nx * cx + ny * cy + nz * cz + r;
    this.put(4 * here + 3, nx * px + ny * py + nz * pz - plane, s, nx, ny, nz, plane, cx - bx, cy - by, cz - bz);
    return true;
  }

  /** The strand's edge against the edge of the mesh its nearest place lies on, if the one passes over the other; whether it is a contact. */
  private againstEdge(t: number, side: number, w0: number, w2: number, E: Float64Array): boolean {
    const ax = E[0], ay = E[1], az = E[2], bx = E[3], by = E[4], bz = E[5], apx = E[6], apy = E[7], apz = E[8], bpx = E[9], bpy = E[10], bpz = E[11], r = E[KEPT];
    const { pose: P, opposite } = this, e = w2 < 1e-9 ? 0 : w0 < 1e-9 ? 1 : 2, other = opposite[3 * t + e], o = this.posedAt(t), e0 = o + 9 + 3 * e, e1 = o + 9 + 3 * ((e + 1) % 3);
    let Nx = P[o + 21], Ny = P[o + 22], Nz = P[o + 23];
    if (other >= 0) {
      const o2 = this.posedAt((other / 3) | 0), corner = o2 + 9 + 3 * (((other % 3) + 2) % 3);
      // convex as seen from the side the strand is on? a flat or hollow one is the faces' business
      const rise = (P[corner] - P[e0]) * Nx + (P[corner + 1] - P[e0 + 1]) * Ny + (P[corner + 2] - P[e0 + 2]) * Nz;
      if (side * rise > -1e-7) return false;
      Nx += P[o2 + 21]; Ny += P[o2 + 22]; Nz += P[o2 + 23];
      const i = 1 / Math.max(1e-12, Math.sqrt(Nx * Nx + Ny * Ny + Nz * Nz));
      Nx *= i; Ny *= i; Nz *= i;
    }
    const ux = bpx - apx, uy = bpy - apy, uz = bpz - apz, uu = ux * ux + uy * uy + uz * uz;
    const vx = P[e1] - P[e0], vy = P[e1 + 1] - P[e0 + 1], vz = P[e1 + 2] - P[e0 + 2], rx = apx - P[e0], ry = apy - P[e0 + 1], rz = apz - P[e0 + 2];
    const vv = vx * vx + vy * vy + vz * vz, f = vx * rx + vy * ry + vz * rz, c = ux * rx + uy * ry + uz * rz, b = ux * vx + uy * vy + uz * vz;
    if (vv < 1e-14 || uu < 1e-14) return false;
    const s = (b * f - c * vv + 5e-4 * uu * vv) / (uu * vv - b * b + 1e-3 * uu * vv), m = (b * s + f) / vv;
    if (s < 0.01 || s > 0.99 || m < 1e-4 || m > 1 - 1e-4) return false;
    const cx = P[e0] + m * vx, cy = P[e0 + 1] + m * vy, cz = P[e0 + 2] + m * vz, dx = apx + s * ux - cx, dy = apy + s * uy - cy, dz = apz + s * uz - cz;
    if (dx * dx + dy * dy + dz * dz > (r + DEEP) * (r + DEEP)) return false;
    const s0 = e0 - 9, s1 = e1 - 9, hx = P[s0] + m * (P[s1] - P[s0]), hy = P[s0 + 1] + m * (P[s1 + 1] - P[s0 + 1]), hz = P[s0 + 2] + m * (P[s1 + 2] - P[s0 + 2]);
    const wx = ax + s * (bx - ax) - hx, wy = ay + s * (by - ay) - hy, wz = az + s * (bz - az) - hz;
    // across both lines; the way it points by the side, or by where the strand was
    let nx = uy * vz - uz * vy, ny = uz * vx - ux * vz, nz = ux * vy - uy * vx;
    const l = Math.sqrt(nx * nx + ny * ny + nz * nz);
    if (l < 0.05 * Math.sqrt(uu * vv)) return false;
    nx /= l; ny /= l; nz /= l;
    const facing = nx * Nx + ny * Ny + nz * Nz;
    if (other >= 0) {
      if (Math.abs(facing) < 0.2) return false;
      if (facing * side < 0) { nx = -nx; ny = -ny; nz = -nz; }
    } else if (nx * wx + ny * wy + nz * wz < 0) { nx = -nx; ny = -ny; nz = -nz; }
    const gap = nx * dx + ny * dy + nz * dz, before = nx * wx + ny * wy + nz * wz;
    if (gap > r + REACH || before < -0.002) return false;
    this.put(4 * t + e, gap - r, s, nx, ny, nz, nx * cx + ny * cy + nz * cz + r, cx - hx, cy - hy, cz - hz);
    return true;
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
