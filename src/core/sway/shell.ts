/**
 * Shell: a deforming triangle mesh as a collider. A closed one (a body, a garment modelled with its thickness) keeps hair
 * outside, and lets out what begins inside by the nearest way; an open one, such as a sheet of cloth, keeps hair on the side it
 * is on.
 *
 * A point of a strand (or the middle of an edge) looks for the nearest triangle, and from then on follows the surface from triangle to
 * neighbouring triangle; it looks again when another could have come near. Because it follows the surface it was near, it stays on its
 * side of thin cloth whatever lies behind. Within the frame vertices move evenly.
 *
 * Contacts are with the nearest place, at the end of the substep, of the triangle that is followed: its inside, or one of its
 * edges, where the whole strand edge is put against it. Where the ends of an edge see surfaces that face different ways, or one
 * sees none, places between them are put against it as well.
 * **Source:** closest points, Ericson, Real-Time Collision Detection, *from memory*; following a surface from face to face is a
 * well-known way to keep closest points up to date, *from memory*.
 */
import { neighbours, weldByPosition } from '../mesh/surface';
import { describeShell, outwardSign } from './shell-check';
import type { NearMemory } from './fast/near-memory';
import { ShellFaces } from './shell-faces';
import { ShellGrid } from './shell-grid';
import { BENDS, evenReach, patchesOf } from './shell-mesh';

/** m: contacts are offered so near, beyond the distance kept; a point looks around for so much more, and may go so far before it looks again. */
const REACH = 0.0025;
const SLACK = 0.003;
/** Of that slack, what is left at least when a place looks again (`seen`, fast/near-shell.as). */
const LOOKED_AGAIN = 0.2;
/** m: beyond all that, what a point follows is let go of. */
const LET_GO = 0.02;
/** m: a point deeper than this at the start of a substep is not ours: it came round a border, or began there. */
const DEEP = 0.006;
/** m: what is further behind a triangle than this lies behind it for another reason, unless it is the nearest. */
const BEHIND = 3e-4;
/** Places on an edge that bends round something: m apart, and at most so many to either side of its middle. */
const STEP = 0.003, MOST_STEPS = 4;
/** A nearest place so many times further than the plane it lies in is beside it. */
const BESIDE = 1.25;
/** m: what is so near, beyond the distance kept, an edge lies on. */
const PRESSES = 3e-4;
/** Contacts of an edge whose normals' cosine is less face each other; together they lean another way if their sum is so long. */
const OPPOSED = -0.3, LEANING = 0.15;
/** A surface met at the end of a substep that faces so differently (cosine) from the one it comes from is another side. */
const TURNED = 0.7;
/** m²: a way that misses a triangle by no more goes through it. */
const THROUGH = 1e-10;

/**
 * What is known of an edge that is asked about, by place in an array of `EDGE` numbers: its lower and upper point, now and where they would go, and a
 * place on it at both times (3 each, m); share of the edge that place has, m: distance kept; the greatest distance that may be kept there, and the edge's length.
 */
export const LOWER = 0, UPPER = 3, LOWER_THEN = 6, UPPER_THEN = 9, MOST_KEPT = 20, EDGE = 22;
const SPOT = 12, SPOT_THEN = 15, SHARE = 18, KEPT = 19, LENGTH = 21;

/** What an edge may touch: share of the edge, gap at its predicted end, normal, plane, movement of the surface, and who. */
export interface Candidate { id: number; gap: number; s: number; nx: number; ny: number; nz: number; plane: number; ux: number; uy: number; uz: number }

/** None. Numbers that are not whole from the start: others would be put elsewhere when they become so. */
const nothing = (): Candidate => ({ id: -1, gap: 0.5, s: 0.5, nx: 0.5, ny: 0.5, nz: 0.5, plane: 0.5, ux: 0.5, uy: 0.5, uz: 0.5 });

export class Shell {
  /** Made with the shell, or anew for every frame or substep before it is asked for: no part of what a run has become. */
  static readonly madeAnew: ReadonlySet<string> = new Set(['triangles', 'corners', 'opposite', 'even', 'low', 'high', 'weights', 'far', 'mostFar', 'topOf', 'top', 'foot']);
  readonly triangleCount: number;
  /** Whether hair is kept on its outside; else on the side it is on. */
  readonly closed: boolean;
  /** m: from the last place to what it follows, and how far the nearest can be from the next one, as that is not far away on the edge. */
  private far = Infinity;
  private mostFar = Infinity;
  /** m: how much farther from what it follows the last place was than any contact of it, where it would go. */
  private clear = 0;
  /** Candidates of the last edge asked about. */
  readonly candidates: Candidate[] = [];
  count = 0;
  /** Sorted by patch; and the vertices at their corners, each once. */
  readonly triangles: Uint32Array;
  private readonly corners: Uint32Array;
  /** Opposite half-edge (3 × triangle + edge), −1 at a border. */
  private readonly opposite: Int32Array;
  /** m: how far round each triangle the mesh is as good as flat. */
  private readonly even: Float32Array;
  private readonly faces: ShellFaces;
  private readonly grid: ShellGrid;
  private readonly low = new Float64Array(3);
  private readonly high = new Float64Array(3);
  /** Points: 1 where the nearest place is beside what is followed, not before it, as past the rim of a collar. */
  private astray = new Uint8Array(0);
  /** Points: triangle nearest where they would go. */
  private goal = new Int32Array(0);
  /** Points: 1 where the edge below lies on something between its ends. */
  private lies = new Uint8Array(0);
  private frameNumber = 0;
  /** Weights of the corners at the place an edge's place comes from. */
  private readonly weights = new Float64Array(3);
  /** −1 where a closed shell is wound inside out. */
  readonly outward: 1 | -1;

  /** `rest`: 3 × vertices in the rest pose, to find vertices that are one; `thickness`: m, distance kept on either side; `twoSided`: hair keeps to the side it is on, even of a closed one; `solid`: closed, whatever its edges say; `memory`: that of the run's other colliders. */
  constructor(triangles: ArrayLike<number>, rest: ArrayLike<number>, readonly thickness: number, readonly friction: number, twoSided = false, solid = false, memory?: NearMemory) {
    const weld = weldByPosition(rest), kept: number[] = [];
    for (let t = 0; t < triangles.length; t += 3) {
      const [a, b, c] = [weld[triangles[t]], weld[triangles[t + 1]], weld[triangles[t + 2]]];
      if (a !== b && b !== c && c !== a) kept.push(a, b, c);
    }
    const loose = Uint32Array.from(kept), { order, starts } = patchesOf(loose, neighbours(loose), rest);
    const sorted = (this.triangles = new Uint32Array(kept.length));
    order.forEach((t, k) => { for (let c = 0; c < 3; c++) sorted[3 * k + c] = loose[3 * t + c]; });
    this.triangleCount = kept.length / 3;
    this.corners = Uint32Array.from(new Set(sorted));
    this.opposite = neighbours(sorted);
    this.faces = new ShellFaces(sorted, this.opposite, Int32Array.from(starts), rest.length / 3, memory);
    this.grid = new ShellGrid(this.faces, starts, REACH + thickness + SLACK, this.low, this.high);
    const found = describeShell(triangles, rest);
    this.closed = (found.closed || solid) && !twoSided;
    this.outward = found.inverted || (!found.closed && this.closed && outwardSign(triangles, rest) < 0) ? -1 : 1;
    this.even = evenReach(sorted, this.opposite, rest);
    this.faces.search.code.setKind(SLACK, DEEP, this.closed, this.outward);
  }

  private get pose(): Float64Array { return this.faces.pose; }
  private get near(): Float64Array { return this.faces.near; }

  /** Room for what so many points remember. */
  begin(points: number): void {
    this.faces.search.pointsOf(points);
    this.astray = new Uint8Array(points);
    this.goal = new Int32Array(points).fill(-1);
    this.lies = new Uint8Array(points);
  }

  /** Places of the vertices at both ends of the frame, 3 × vertices, m; kept until the next call. `build` must follow where hair can come near. */
  frame(from: Float64Array, to: Float64Array): void {
    this.faces.search.adopt();
    this.faces.from = from;
    this.faces.to = to;
    let l0 = Infinity, l1 = Infinity, l2 = Infinity, h0 = -Infinity, h1 = -Infinity, h2 = -Infinity;
    for (const corner of this.corners) {
      const v = 3 * corner, a = from[v], b = from[v + 1], c = from[v + 2], d = to[v], e = to[v + 1], f = to[v + 2];
      l0 = Math.min(l0, a, d); l1 = Math.min(l1, b, e); l2 = Math.min(l2, c, f);
      h0 = Math.max(h0, a, d); h1 = Math.max(h1, b, e); h2 = Math.max(h2, c, f);
    }
    const { low, high } = this;
    low[0] = l0; low[1] = l1; low[2] = l2; high[0] = h0; high[1] = h1; high[2] = h2;
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
    const { hits, budgets } = this.faces.search, points = hits.length / 3;
    hits.fill(-1, 3 * first, 3 * end);
    budgets.fill(-1, first, end);
    budgets.fill(-1, points + first, points + end);
  }
  /** What is asked about in the frame that `frame` told of. */
  build(): void {
    this.grid.build();
    this.frameNumber++;
  }
  /** For the substep: what is near, in the box that holds all hair now and where it would go (low, high; m). */
  ready(hair: ArrayLike<number>): void { this.grid.ready(hair); }

  /** The substep from share `t0` to `t1` of the frame. */
  place(t0: number, t1: number): void {
    this.topOf = -1;
    this.faces.place(t0, t1);
    this.grid.placed();
  }

  /** Where the places of all points are, which `scan` goes by. */
  get memory(): NearMemory { return this.faces.search.shared; }
  /**
   * Looks after what the points `first … end − 1` of a strand follow, by the places that the memory has of them; `drift`: m, how far the strand's points go at most. How many edges (a
   * point's lies below it) are to be asked about; `alive` (1 by point) says which.
   */
  scan(first: number, end: number, drift: number): number { return this.faces.search.code.scan(first, end, drift, this.frameNumber); }
  get alive(): Uint8Array { return this.faces.search.alive; }
  /** Whether the edge below a point follows anything. */
  follows(p: number): boolean { const { hits } = this.faces.search; return hits[3 * p] >= 0 || hits[3 * p + 1] >= 0 || hits[3 * p + 2] >= 0; }

  /**
   * Fills `candidates` for the edge whose upper point has the number `p`, which `scan` has looked after, and whose places are in `E` (numbers in arrays, as numbers that are
   * handed from function to function are put on the heap one by one). `rooted`: whether it is the strand's first.
   */
  ask(p: number, rooted: boolean, E: Float64Array): void {
    this.count = 0;
    const { hits, sides, budgets, stray } = this.faces.search, o = 3 * p, below = p > 0 ? hits[o - 3] : -1, seed = hits[o] >= 0 ? hits[o] : below;
    if (seed < 0 && hits[o + 2] < 0) return;
    E[KEPT] = Math.min(this.thickness, E[MOST_KEPT]);
    E[SHARE] = 1;
    this.far = this.mostFar = Infinity;
    this.takeOver(p);
    if (hits[o] >= 0) this.touch(p, 0, E);
    this.remember(p);
    const upperFar = this.far;
    this.mostFar = Infinity;
    if (hits[o + 1] >= 0) this.touch(p, 1, E);
    const length = (E[LENGTH] = Math.sqrt((E[9] - E[6]) ** 2 + (E[10] - E[7]) ** 2 + (E[11] - E[8]) ** 2));
    // the surface is as good as flat between its ends, and reaches as far: they are enough
    if (hits[o] >= 0 && (rooted || (below >= 0 && this.lies[p] === 0 && this.flatBetween(p, hits[o], below, length)))) { hits[o + 2] = -1; stray[p] = 0; return; }
    const ends = this.count;
    // what lies across the edge may be thin: in short steps from both ends in, then the middle, and in short steps from there out
    if (hits[o + 2] < 0) { hits[o + 2] = seed; sides[o + 2] = hits[o] >= 0 ? sides[o] : sides[o - 3]; }
    let middle = hits[o + 2], side = sides[o + 2];
    const steps = Math.min(MOST_STEPS, Math.floor((0.5 * length) / STEP)), apart = (0.5 * length) / (steps + 1), lower = below >= 0 ? (steps + 1) >> 1 : steps, upper = hits[o] >= 0 ? (steps + 1) >> 1 : steps;
    this.mostFar = this.clear = Infinity;
    if (below >= 0) { hits[o + 2] = below; sides[o + 2] = sides[o - 3]; this.clear = 0; }
    for (let k = steps - 1; k >= lower && hits[o + 2] >= 0; k--) this.step(p, 0.5 - (0.5 * (k + 1)) / (steps + 1), apart, E);
    const fromLower = this.mostFar;
    this.mostFar = upperFar; this.clear = 0;
    if (hits[o] >= 0) { hits[o + 2] = hits[o]; sides[o + 2] = sides[o]; }
    for (let k = steps - 1; k >= upper && hits[o + 2] >= 0; k--) this.step(p, 0.5 + (0.5 * (k + 1)) / (steps + 1), apart, E);
    const fromUpper = this.mostFar;
    hits[o + 2] = middle; sides[o + 2] = side;
    const looked = REACH + SLACK + this.thickness;
    // where nothing was found so near, `scan` looks again when something may have come
    this.mostFar = Math.min(fromLower + (lower + 1) * apart, fromUpper + (upper + 1) * apart, stray[p] === 1 ? Infinity : looked);
    E[SHARE] = 0.5;
    this.touch(p, 2, E);
    middle = hits[o + 2]; side = sides[o + 2];
    // what it follows is nearest only as far as has been looked
    const far = this.far, strayed = this.closed && far > looked, clear = strayed ? Math.min(this.clear, LOOKED_AGAIN * SLACK) : this.clear;
    if (strayed && stray[p] === 0) budgets[hits.length / 3 + p] = -1;
    stray[p] = strayed ? 1 : 0;
    for (let half = -1; half < 2; half += 2) {
      const inner = half < 0 ? lower : upper, fromEnd = half < 0 ? fromLower : fromUpper;
      hits[o + 2] = middle; sides[o + 2] = side;
      this.mostFar = far; this.clear = clear;
      for (let k = 0; k < inner && hits[o + 2] >= 0; k++) {
        this.mostFar = Math.min(this.mostFar, fromEnd + (inner - k - 1) * apart);
        this.step(p, 0.5 + (half * 0.5 * (k + 1)) / (steps + 1), apart, E);
      }
    }
    hits[o + 2] = middle; sides[o + 2] = side;
    this.lies[p] = this.leastIsAfter(ends) ? 1 : 0;
    if (this.closed) this.astrideWall(E);
  }
  /** Whether the least gap of all candidates is of one from the given on, and is about to close. */
  private leastIsAfter(ends: number): boolean {
    const { candidates: C, count } = this;
    let least = PRESSES, after = false;
    for (let i = 0; i < count; i++) if (C[i].gap < least) { least = C[i].gap; after = i >= ends; }
    return after;
  }
  /** What the upper point touched of the edge that was asked about last; and, where that lies below this one, its lower point. */
  private topOf = -1;
  private readonly top = nothing();
  private readonly foot = nothing();
  private takeOver(p: number): void {
    const { top, foot } = this;
    foot.id = this.topOf === p - 1 ? top.id : -1;
    foot.gap = top.gap; foot.nx = top.nx; foot.ny = top.ny; foot.nz = top.nz;
  }
  private remember(p: number): void {
    const { top, candidates: [c] } = this;
    this.topOf = p;
    top.id = this.count > 0 && c.s === 1 ? c.id : -1;
    if (top.id >= 0) { top.gap = c.gap; top.nx = c.nx; top.ny = c.ny; top.nz = c.nz; }
  }
  /** The next place along an edge, at a share of it and so far from the last, m; passed over where it is nowhere near by the last one's distance. */
  private step(p: number, share: number, apart: number, E: Float64Array): void {
    this.mostFar += apart;
    if ((this.clear -= apart) > 0) return;
    E[SHARE] = share;
    this.touch(p, 2, E);
    this.mostFar = Math.min(this.mostFar, this.far);
  }
  /**
   * An edge that lies across a wall, as over the rim of a collar, is pushed both ways by its faces and gets nowhere: in place of
   * two that face each other it gets one contact, by the surface it lies over now or, where it has gone in already, by the way
   * both lean, which is to the rim.
   */
  private astrideWall(E: Float64Array): void {
    const { candidates: C, near: N, pose: P, foot } = this, r = E[KEPT];
    let one = -1, other = -1, worst = -BEHIND;
    for (let i = 0; i < this.count; i++) for (let j = i + 1; j < this.count; j++) {
      const a = C[i], b = C[j], sum = a.gap + b.gap + 2 * r;
      if (sum < worst && a.s !== b.s && a.nx * b.nx + a.ny * b.ny + a.nz * b.nz < OPPOSED) { worst = sum; one = i; other = j; }
    }
    // its lower point, which the edge below pushes
    if (foot.id >= 0) for (let i = 0; i < this.count; i++) {
      const a = C[i], sum = a.gap + foot.gap + 2 * r;
      if (sum < worst && a.nx * foot.nx + a.ny * foot.ny + a.nz * foot.nz < OPPOSED) { worst = sum; one = i; other = -1; }
    }
    if (one < 0) return;
    const a = C[one], b = other < 0 ? foot : C[other], s = 0.5 * (a.s + (other < 0 ? 0 : b.s)), u = 1 - s;
    for (let c = 0; c < 3; c++) { E[SPOT + c] = u * E[LOWER + c] + s * E[UPPER + c]; E[SPOT_THEN + c] = u * E[LOWER_THEN + c] + s * E[UPPER_THEN + c]; }
    const x = E[SPOT], y = E[SPOT + 1], z = E[SPOT + 2], px = E[SPOT_THEN], py = E[SPOT_THEN + 1], pz = E[SPOT_THEN + 2];
    const t = this.grid.nearest(E, SPOT, SPOT, -1);
    if (t < 0) return;
    const o = this.faces.posedAt(t);
    this.faces.closest(t, 0, E, SPOT);
    const v0 = N[0], v1 = N[1], v2 = N[2], far = Math.sqrt(N[4]), rim = N[3] > 0;
    const hx = v0 * P[o] + v1 * P[o + 3] + v2 * P[o + 6], hy = v0 * P[o + 1] + v1 * P[o + 4] + v2 * P[o + 7], hz = v0 * P[o + 2] + v1 * P[o + 5] + v2 * P[o + 8];
    const cx = v0 * P[o + 9] + v1 * P[o + 12] + v2 * P[o + 15], cy = v0 * P[o + 10] + v1 * P[o + 13] + v2 * P[o + 16], cz = v0 * P[o + 11] + v1 * P[o + 14] + v2 * P[o + 17];
    const within = this.outward * (P[o + 18] * (x - P[o]) + P[o + 19] * (y - P[o + 1]) + P[o + 20] * (z - P[o + 2])) < 0 && !this.faces.outsideRim(t, this.outward, 0, E, SPOT);
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
      // it goes free of what it lies over there: that would keep neither end out
      if (gap > 0) return;
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
    const P = this.pose, o = this.faces.posedAt(a) + 21, q = this.faces.posedAt(b) + 21;
    return P[o] * P[q] + P[o + 1] * P[q + 1] + P[o + 2] * P[q + 2];
  }

  /** Depth of place `A` on the edge below point `p` beyond its side, m, ≥ 0, at the end of the last placed substep; `touches`: whether that edge touches it, as it may be in farther than what it follows tells. */
  depth(p: number, A: Float64Array, touches = false): number {
    const { near: N, faces: { search: { hits, sides } } } = this;
    let best = DEEP * DEEP, deep = 0;
    for (let j = 0; j < 3 && !(touches && this.closed); j++) {
      if (hits[3 * p + j] < 0) continue;
      const t = this.faces.follow(hits[3 * p + j], 9, A, 0), side = this.closed ? this.outward : sides[3 * p + j];
      if (N[4] >= best || side === 0) continue;
      best = N[4];
      deep = this.behind(t, side, A);
    }
    if (this.closed && (deep > 0 || touches)) {
      // beyond a thin wall? Whatever is nearest knows
      const t = this.grid.nearest(A, 0, 0, -1);
      if (t >= 0) {
        this.faces.closest(t, 9, A, 0);
        deep = this.behind(t, this.outward, A);
      }
    }
    return deep;
  }

  /** How far a place is behind a triangle, whose nearest place was just found: nearest to an edge or a corner it is outside a convex one; of places inside that are nearest to the bottom of a notch nothing is told. */
  private behind(t: number, side: number, A: Float64Array): number {
    if (this.near[3] > 0) return 0;
    const P = this.pose, o = this.faces.posedAt(t);
    return Math.max(0, -side * (P[o + 21] * (A[0] - P[o + 9]) + P[o + 22] * (A[1] - P[o + 10]) + P[o + 23] * (A[2] - P[o + 11])));
  }

  /** Room for one more candidate. Its numbers are set in place: numbers that are handed on are put on the heap one by one. */
  private more(): Candidate {
    const { candidates: C } = this;
    if (C.length === this.count) C.push(nothing());
    return C[this.count++];
  }

  /** The place of the strand's edge at the share in `E` against what it follows; the edge itself where that is an edge of the mesh. */
  private touch(p: number, slot: number, E: Float64Array): void {
    const { near: N, pose: P, faces: { search: { hits, sides, budgets } } } = this, at = 3 * p + slot, s = E[SHARE], u = 1 - s, r = E[KEPT];
    for (let c = 0; c < 3; c++) { E[SPOT + c] = u * E[LOWER + c] + s * E[UPPER + c]; E[SPOT_THEN + c] = u * E[LOWER_THEN + c] + s * E[UPPER_THEN + c]; }
    this.clear = 0;
    const x = E[SPOT], y = E[SPOT + 1], z = E[SPOT + 2], px = E[SPOT_THEN], py = E[SPOT_THEN + 1], pz = E[SPOT_THEN + 2];
    // where it follows the surface now, and from there where the surface will be
    let here = this.faces.follow(hits[at], 0, E, SPOT), o0 = this.faces.posedAt(here), before = P[o0 + 18] * (x - P[o0]) + P[o0 + 19] * (y - P[o0 + 1]) + P[o0 + 20] * (z - P[o0 + 2]), start = Math.sqrt(N[4]);
    // what it follows is farther than something is known to be: in a fold it has come to a place from where every way leads off
    const lost = slot === 2 && start > this.mostFar + BEHIND;
    if (this.closed && (lost || (slot !== 1 && this.outward * before < -BEHIND && !this.faces.outsideRim(here, this.outward, 0, E, SPOT)))) {
      // is it inside, or beyond a thin wall whose other face it has come to? Whatever is nearest knows
      const nearest = this.grid.nearest(E, SPOT, SPOT, -1);
      if (nearest >= 0) here = nearest;
      o0 = this.faces.posedAt(here);
      // also where it is the same: the search has left another triangle's numbers
      this.faces.closest(here, 0, E, SPOT);
      before = P[o0 + 18] * (x - P[o0]) + P[o0 + 19] * (y - P[o0 + 1]) + P[o0 + 20] * (z - P[o0 + 2]);
      start = Math.sqrt(N[4]);
    }
    this.far = start;
    let side: number = this.closed ? this.outward : sides[at];
    if (!this.closed) {
      if (this.faces.pastBorder(here) && Math.abs(before) < 0.999 * start) side = sides[at] = 0;
      else if (side === 0 || start > DEEP) side = sides[at] = before >= 0 ? 1 : -1;
      if (side === 0) side = before >= 0 ? 1 : -1;
    }
    hits[at] = here;
    if (start > r + REACH + SLACK + LET_GO) { hits[at] = -1; budgets[slot === 2 ? hits.length / 3 + p : p] = -1; return; }
    const { weights: W } = this, beside = N[3] > 0;
    W[0] = N[0]; W[1] = N[1]; W[2] = N[2];
    const front = side * before > 0 || this.faces.outsideRim(here, side, 0, E, SPOT);
    // so deep already, or behind another surface than the nearest: not ours
    if (!front && ((start > DEEP && !beside) || (slot === 1 && start > BEHIND))) return;
    // where it comes from: the nearest place now, carried along with the surface
    const t = this.faces.follow(here, 9, E, SPOT_THEN), o = this.faces.posedAt(t) + 9, n0 = side * P[o + 12], n1 = side * P[o + 13], n2 = side * P[o + 14];
    const w0 = N[0], w1 = N[1], w2 = N[2], rim = N[3] > 0, far = Math.sqrt(N[4]), plane = n0 * (px - P[o]) + n1 * (py - P[o + 1]) + n2 * (pz - P[o + 2]);
    const cx = w0 * P[o] + w1 * P[o + 3] + w2 * P[o + 6], cy = w0 * P[o + 1] + w1 * P[o + 4] + w2 * P[o + 7], cz = w0 * P[o + 2] + w1 * P[o + 5] + w2 * P[o + 8];
    this.clear = far - r - REACH;
    if (slot === 0) {
      this.goal[p] = t;
      this.astray[p] = rim && far > BESIDE * Math.abs(plane) + 2e-4 ? 1 : 0;
    }
    if (t !== here && front && this.goesThrough(here, E) && this.cameFrom(here, t, side, beside, E)) return;
    if (plane > r + REACH || (rim && plane > 0 && far > r + REACH)) return;
    // behind the plane of a face it lies beside, but outside of the edge between that and the next
    const outside = plane <= 0 && this.faces.outsideRim(t, side, 9, E, SPOT_THEN);
    if (plane < -BEHIND && front && !outside && this.cameFrom(here, t, side, beside, E)) return;
    if ((outside && far > r + REACH) || (rim && plane <= 0 && far > (slot === 1 && !outside ? BEHIND : DEEP))) return;
    // past the border of a sheet there is nothing to touch but the border
    if (rim && !this.closed && this.faces.pastBorder(t) && far > 1.2 * Math.abs(plane) + 5e-4 && side * before > -5e-4 && plane < 0) return;
    if (rim && this.againstEdge(t, side, E)) return;
    let nx = n0, ny = n1, nz = n2, gap = plane;
    if (outside || (rim && plane > 0 && far > 1e-6)) { nx = (px - cx) / far; ny = (py - cy) / far; nz = (pz - cz) / far; gap = far; }
    const q = o - 9, ux = cx - w0 * P[q] - w1 * P[q + 3] - w2 * P[q + 6], uy = cy - w0 * P[q + 1] - w1 * P[q + 4] - w2 * P[q + 7], uz = cz - w0 * P[q + 2] - w1 * P[q + 5] - w2 * P[q + 8];
    const c = this.more();
    c.id = 4 * t + 3; c.gap = gap - r; c.s = s; c.nx = nx; c.ny = ny; c.nz = nz; c.plane = nx * cx + ny * cy + nz * cz + r; c.ux = ux; c.uy = uy; c.uz = uz;
  }

  /** Whether the place in `E` goes through a triangle on its straight way, and not past it: what is behind it then is not where it may go. */
  private goesThrough(t: number, E: Float64Array): boolean {
    const N = this.near, n0 = N[0], n1 = N[1], n2 = N[2], n3 = N[3], n4 = N[4], through = this.faces.crosses(t, E, SPOT, SPOT_THEN) && N[4] < THROUGH;
    N[0] = n0; N[1] = n1; N[2] = n2; N[3] = n3; N[4] = n4;
    return through;
  }
  /**
   * What would go so deep in one substep that the nearest surface faces another way, as over the rim of a collar, is kept on
   * the side of the place it comes from: `weights` of the triangle `here`, where `t` is nearest. Whether it is so.
   */
  private cameFrom(here: number, t: number, side: number, beside: boolean, E: Float64Array): boolean {
    const { pose: P, weights: W } = this, q = this.faces.posedAt(here), o = q + 9, to = this.faces.posedAt(t) + 21, v0 = W[0], v1 = W[1], v2 = W[2], r = E[KEPT];
    const x = E[SPOT], y = E[SPOT + 1], z = E[SPOT + 2], px = E[SPOT_THEN], py = E[SPOT_THEN + 1], pz = E[SPOT_THEN + 2];
    const bx = v0 * P[q] + v1 * P[q + 3] + v2 * P[q + 6], by = v0 * P[q + 1] + v1 * P[q + 4] + v2 * P[q + 7], bz = v0 * P[q + 2] + v1 * P[q + 5] + v2 * P[q + 8];
    let nx = side * P[o + 12], ny = side * P[o + 13], nz = side * P[o + 14];
    const far = beside ? Math.sqrt((x - bx) ** 2 + (y - by) ** 2 + (z - bz) ** 2) : 0;
    if (far > 1e-6) { nx = (x - bx) / far; ny = (y - by) / far; nz = (z - bz) / far; }
    if (nx * (side * P[to]) + ny * (side * P[to + 1]) + nz * (side * P[to + 2]) > TURNED) return false;
    const cx = v0 * P[o] + v1 * P[o + 3] + v2 * P[o + 6], cy = v0 * P[o + 1] + v1 * P[o + 4] + v2 * P[o + 7], cz = v0 * P[o + 2] + v1 * P[o + 5] + v2 * P[o + 8], plane = nx * cx + ny * cy + nz * cz + r;
    const gap = nx * px + ny * py + nz * pz - plane;
    // it would stay before that all the same, and be inside elsewhere
    if (gap > 0) return false;
    const c = this.more();
    c.id = 4 * here + 3; c.gap = gap; c.s = E[SHARE]; c.nx = nx; c.ny = ny; c.nz = nz; c.plane = plane; c.ux = cx - bx; c.uy = cy - by; c.uz = cz - bz;
    return true;
  }

  /** The strand's edge against the edge of the mesh its nearest place lies on, if the one passes over the other; whether it is a contact. */
  private againstEdge(t: number, side: number, E: Float64Array): boolean {
    const w0 = this.near[0], w2 = this.near[2], ax = E[0], ay = E[1], az = E[2], bx = E[3], by = E[4], bz = E[5], apx = E[6], apy = E[7], apz = E[8], bpx = E[9], bpy = E[10], bpz = E[11], r = E[KEPT];
    const { pose: P, opposite } = this, e = w2 < 1e-9 ? 0 : w0 < 1e-9 ? 1 : 2, other = opposite[3 * t + e], o = this.faces.posedAt(t), e0 = o + 9 + 3 * e, e1 = o + 9 + 3 * ((e + 1) % 3);
    let Nx = P[o + 21], Ny = P[o + 22], Nz = P[o + 23];
    if (other >= 0) {
      const o2 = this.faces.posedAt((other / 3) | 0), corner = o2 + 9 + 3 * (((other % 3) + 2) % 3);
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
    const found = this.more();
    found.id = 4 * t + e; found.gap = gap - r; found.s = s; found.nx = nx; found.ny = ny; found.nz = nz; found.plane = nx * cx + ny * cy + nz * cz + r; found.ux = cx - hx; found.uy = cy - hy; found.uz = cz - hz;
    return true;
  }
}
