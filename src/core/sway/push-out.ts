/**
 * Push-out: strands that were not computed by themselves (filled ones, and guides whose movement is shown in part) are swept
 * from root to tip and lifted out of what they would pierce.
 *
 * Each point is first moved along with its parent, by 0.8 (`WAYS`) of how far that was moved, and set at its length from it. At a
 * contact, with e the way from the parent, n the normal and d < 0 the distance, the part of e along n is raised by what is
 * missing and the rest shortened, so that the length stays: h = min(0.9999 L, e·n − d), x = parent + h n + √(L² − h²) ê_t. Root and
 * lengths are exact by construction. A strand that is rooted inside is let be at its first points, and where it is so deep that it belongs there, until it has come out.
 */
import { pillDistance, type Pill } from './pills';
import { SkinField } from '../mesh/skin-field';
import { outwardSign } from './shell-check';
import { Winding } from '../mesh/winding';

export interface Obstacles {
  pills: readonly Pick<Pill, 'radiusA' | 'radiusB'>[];
  /** Normal and offset of each floor. */
  floors: readonly (readonly [number, number, number, number])[];
  /** `hidden`: 1 for each face that lies inside the mesh itself; `mixed`: for each that may do so in part. */
  shells: readonly { triangles: Uint32Array; closed: boolean; hidden?: Uint8Array; mixed?: Uint8Array }[];
}

/** How far outside a surface a pushed point is set, m. */
const MARGIN = 2e-4;
/** Share of a point's movement that the next one begins with, and how far outside it is set, m: the first is tried first. */
const WAYS: readonly Way[] = [{ follow: 0.8, margin: MARGIN }, { follow: 1, margin: 8e-4 }, { follow: 0.4, margin: MARGIN }, { follow: 1, margin: 2.5e-3 }, { follow: 0.8, margin: MARGIN, around: true }, { follow: 1, margin: 8e-4, around: true }];
/** `around`: a point that no contact gets out is set where it is free all round its parent, as near to where it was as can be. */
interface Way { follow: number; margin: number; around?: boolean }
/** Directions that are looked into then: evenly over the sphere (golden angle). */
const AROUND = 128, GOLDEN = Math.PI * (3 - Math.sqrt(5));
/** Half angles of the caps they are spread over, one look after the other: a gap between two surfaces may be narrow. */
const CAPS = [Math.PI, 0.35, 0.1];
/** Points a strand that is rooted inside has to come out; what is deeper than this after them, m, belongs inside. */
const ROOTED = 2, SUNK = 0.005;
/** m: what is less deep is not tried again. */
const LEFT = 2e-4;
const TESTS = 5;
/** m: what is so far outside for certain needs no exact distance; more than any margin. */
const FREE = 2.6e-3;
/** Lattice on which it is told what lies within a shell that overlaps itself: m from knot to knot, halved so often at most; half the way across a cell, in cells, and a little; and after how many knots along an axis their numbers begin anew, farther than any shell is long. */
const COARSEST = 0.004, LEVELS = 6, HALF_DIAGONAL = 0.867, KNOTS = 104_000;
/** m: edge of a cell that is told to be free as a whole; at most so many. */
const FREE_CELL = 0.006, MOST_FREE = 4_000_000;
/** Distance from a shell that is looked at, m. */
const BAND = 0.012;

/** Which way faces look, which does not change from pose to pose. */
const OUTWARD = new WeakMap<Uint32Array, 1 | -1>();
function outwardOf(triangles: Uint32Array, positions: ArrayLike<number>): 1 | -1 { let known = OUTWARD.get(triangles); if (!known) OUTWARD.set(triangles, (known = outwardSign(triangles, positions))); return known; }

/** Obstacles in one pose, ready to be asked about many strands. */
export class PosedObstacles {
  private readonly fields: SkinField[];
  /** Triangle of each shell that was nearest the last time: places are asked about one beside the other. */
  private readonly near: Int32Array;
  private readonly balls: Float64Array;
  private readonly out = new Float64Array(4);
  /** Of the last place asked about: signed distance, and the normal; and which obstacle that is: pills, then floors, then shells; −1 for none. */
  readonly found = new Float64Array(4);
  private which = -1;
  private readonly low: readonly number[];
  /** By obstacle: greatest depth that any strand swept so far had in it before, m, and the number in `strand` when it was swept. */
  readonly depths: Float64Array;
  readonly depthStrands: Int32Array;
  /** Number of the strand that is swept next. */
  strand = 0;

  /** `ends`: six numbers a pill; `positions`: of each shell's vertices; `box`: low and high corner of all strands, m. */
  constructor(private readonly obstacles: Obstacles, private readonly ends: ArrayLike<number>, private readonly positions: readonly ArrayLike<number>[], box: readonly number[]) {
    this.low = [0, 1, 2].map((c) => Math.floor(box[c] / FREE_CELL) * FREE_CELL);
    for (let c = 0; c < 3; c++) this.freeGrid[c] = Math.max(0, Math.ceil((box[3 + c] - this.low[c]) / FREE_CELL));
    if (!(this.freeGrid[0] * this.freeGrid[1] * this.freeGrid[2] <= MOST_FREE)) this.freeGrid.fill(0);
    this.free = new Uint8Array(this.freeGrid[0] * this.freeGrid[1] * this.freeGrid[2]);
    this.fields = obstacles.shells.map((s, k) => new SkinField(positions[k], s.triangles, s.closed, s.closed ? outwardOf(s.triangles, positions[k]) : 1, BAND, box, s.hidden, s.mixed));
    this.near = new Int32Array(this.fields.length).fill(-1);
    this.depths = new Float64Array(obstacles.pills.length + obstacles.floors.length + obstacles.shells.length);
    this.depthStrands = new Int32Array(this.depths.length).fill(-1);
    this.balls = new Float64Array(4 * obstacles.pills.length);
    obstacles.pills.forEach((p, k) => {
      const o = 6 * k;
      for (let c = 0; c < 3; c++) this.balls[4 * k + c] = 0.5 * (ends[o + c] + ends[o + 3 + c]);
      this.balls[4 * k + 3] = 0.5 * Math.hypot(ends[o + 3] - ends[o], ends[o + 4] - ends[o + 1], ends[o + 5] - ends[o + 2]) + Math.max(p.radiusA, p.radiusB);
    });
  }

  /** Cells of all that is asked about: 0 not looked at yet, 1 free of all shells all over, 2 not for certain. */
  private readonly free: Uint8Array;
  private readonly freeGrid = [0, 0, 0];
  private readonly cell = new Float64Array(3);
  /** Whether a place is in a cell that no shell is so near to. */
  private freeOf(x: number, y: number, z: number, enough: number): boolean {
    const { free, freeGrid: [nx, ny, nz], low, cell } = this, i = Math.floor((x - low[0]) / FREE_CELL), j = Math.floor((y - low[1]) / FREE_CELL), k = Math.floor((z - low[2]) / FREE_CELL);
    if (!(enough <= MARGIN && i >= 0 && j >= 0 && k >= 0 && i < nx && j < ny && k < nz)) return false;
    const q = i + nx * (j + ny * k);
    if (free[q] === 0) {
      cell[0] = low[0] + (i + 0.5) * FREE_CELL; cell[1] = low[1] + (j + 0.5) * FREE_CELL; cell[2] = low[2] + (k + 0.5) * FREE_CELL;
      let is = true;
      for (let f = 0; f < this.fields.length && is; f++) {
        const field = this.fields[f], b = field.bounds, r = HALF_DIAGONAL * FREE_CELL;
        if (cell[0] < b[0] - r || cell[1] < b[1] - r || cell[2] < b[2] - r || cell[0] > b[3] + r || cell[1] > b[4] + r || cell[2] > b[5] + r) continue;
        is = this.obstacles.shells[f].closed && field.isClear(cell, 0, MARGIN + r);
      }
      free[q] = is ? 1 : 2;
    }
    return free[q] === 1;
  }
  private readonly windings: (Winding | undefined)[] = [];
  /** By shell: what was told of places of a lattice. */
  private readonly told: Map<number, boolean>[] = [];
  private readonly knot: [number, number, number] = [0, 0, 0];
  /**
   * Whether shell f goes round a place that is `far`, m, from its surface. What is so near each other that no surface is between is on one side: it is told
   * once for the knot of a lattice beside it, the finer the nearer the surface, so that what was asked before never matters.
   */
  private within(f: number, A: Float64Array, far: number): boolean {
    const { triangles } = this.obstacles.shells[f], P = this.positions[f], { knot } = this, told = (this.told[f] ??= new Map());
    let level = 0, pitch = COARSEST;
    while (level < LEVELS && HALF_DIAGONAL * pitch > far) { level++; pitch *= 0.5; }
    let key = -1;
    if (level < LEVELS) {
      key = level;
      for (let c = 0; c < 3; c++) { const i = Math.round(A[c] / pitch); knot[c] = i * pitch; key = key * KNOTS + (((i % KNOTS) + KNOTS) % KNOTS); }
      const known = told.get(key);
      if (known !== undefined) return known;
    } else for (let c = 0; c < 3; c++) knot[c] = A[c];
    const is = (this.windings[f] ??= new Winding(P, triangles, outwardOf(triangles, P))).within(knot, 0);
    if (key >= 0) told.set(key, is);
    return is;
  }
  /** Signed distance to the obstacle that is deepest at a place (3 numbers); `C`: a place that is on the right side of sheets. Where it is more than `enough`, m, it need not be the distance, but is more. */
  at(A: Float64Array, C: Float64Array, enough = FREE): number {
    const { obstacles, ends, balls, out, found } = this, x = A[0], y = A[1], z = A[2];
    let best = Infinity;
    this.which = -1;
    for (let k = 0; k < obstacles.pills.length; k++) {
      const dx = x - balls[4 * k], dy = y - balls[4 * k + 1], dz = z - balls[4 * k + 2], r = balls[4 * k + 3] + MARGIN;
      if (dx * dx + dy * dy + dz * dz > r * r) continue;
      const o = 6 * k, p = obstacles.pills[k], d = pillDistance(x, y, z, ends[o], ends[o + 1], ends[o + 2], ends[o + 3], ends[o + 4], ends[o + 5], p.radiusA, p.radiusB, out);
      if (d < best) { best = d; this.which = k; found[1] = out[0]; found[2] = out[1]; found[3] = out[2]; }
    }
    for (let k = 0; k < obstacles.floors.length; k++) {
      const f = obstacles.floors[k], d = f[0] * x + f[1] * y + f[2] * z - f[3];
      if (d < best) { best = d; this.which = obstacles.pills.length + k; found[1] = f[0]; found[2] = f[1]; found[3] = f[2]; }
    }
    for (let f = this.freeOf(x, y, z, enough) ? this.fields.length : 0; f < this.fields.length; f++) {
      const field = this.fields[f], shell = obstacles.shells[f], b = field.bounds;
      if (x < b[0] || y < b[1] || z < b[2] || x > b[3] || y > b[4] || z > b[5]) { if (field.reach < best) best = field.reach; continue; }
      if (shell.closed && field.isClear(A, 0, enough)) { if (field.reach < best) best = field.reach; continue; }
      let d = field.at(A, 0, C, 0, out, this.near[f]);
      this.near[f] = field.triangle;
      // a face that goes into the mesh itself does not tell inside from outside
      if (field.triangle >= 0 && shell.mixed?.[field.triangle] === 1 && d < 0 !== this.within(f, A, Math.abs(d))) { d = -d; for (let c = 0; c < 3; c++) out[c] = -out[c]; }
      // so deep inside that no way out is known: let be
      if (d < best && d > -Infinity) { best = d; this.which = obstacles.pills.length + obstacles.floors.length + f; found[1] = out[0]; found[2] = out[1]; found[3] = out[2]; }
    }
    found[0] = best;
    return best;
  }

  private raw = new Float64Array(0);
  private best = new Float64Array(0);

  /**
   * Lifts one strand of `n` points at `o` (points) of `P` out; returns the greatest depth it had, m. `C`: the same strand on the
   * right side of sheets. Between two obstacles one sweep can end inside the one or the other: then it is swept in other ways
   * too, and the one that leaves least inside is kept.
   */
  sweep(P: Float64Array | Float32Array, o: number, n: number, C: ArrayLike<number> = P, co = o): number {
    const a = 3 * o, end = 3 * n, same = C === P && co === o;
    if (this.raw.length < end) { this.raw = new Float64Array(end); this.best = new Float64Array(end); }
    const { raw, best } = this;
    for (let k = 0; k < end; k++) raw[k] = P[a + k];
    const sides = same ? raw : C, from = same ? 0 : co, deepest = this.sweepBy(WAYS[0], P, o, n, sides, from);
    if (deepest <= 0) return deepest;
    let least = this.left(P, o, n, sides, from);
    if (least <= LEFT) return deepest;
    for (let k = 0; k < end; k++) best[k] = P[a + k];
    for (let w = 1; w < WAYS.length && least > LEFT; w++) {
      for (let k = 0; k < end; k++) P[a + k] = raw[k];
      this.sweepBy(WAYS[w], P, o, n, sides, from);
      const left = this.left(P, o, n, sides, from);
      if (left >= least) continue;
      least = left;
      for (let k = 0; k < end; k++) best[k] = P[a + k];
    }
    for (let k = 0; k < end; k++) P[a + k] = best[k];
    return deepest;
  }
  /** How deep the points of a strand, but for its first stretch, are inside, m. */
  private left(P: ArrayLike<number>, o: number, n: number, C: ArrayLike<number>, co: number): number {
    const { place: A, side: S } = this;
    let left = 0, rooted = true;
    for (let i = 2; i < n; i++) {
      for (let c = 0; c < 3; c++) { A[c] = P[3 * (o + i) + c]; S[c] = C[3 * (co + i) + c]; }
      const d = this.at(A, S, 0);
      if (rooted && d < 0 && (i <= ROOTED || d < -SUNK)) continue;
      rooted = false;
      left = Math.max(left, -d);
    }
    return left;
  }

  /** A place that is asked about, one on the right side of sheets, and what was found round it. */
  private readonly place = new Float64Array(3);
  private readonly side = new Float64Array(3);
  private readonly spot = new Float64Array(3);
  /** Into `spot`: the place at a length from (px, py, pz) that is free and lies most the way of `place`; where none is, the least deep, looked for more and more closely about what was found so far. */
  private lookAround(px: number, py: number, pz: number, length: number): void {
    const { spot, place: A, side } = this, x = A[0], y = A[1], z = A[2];
    let free = -Infinity, least = -Infinity, ax = 0, ay = 1, az = 0;
    spot.set(A);
    for (let look = 0; look < CAPS.length && free === -Infinity; look++) {
      // directions of the cap about (ax, ay, az), the first of which is the whole sphere, across (bx, by, bz) and (ex, ey, ez)
      const low = Math.abs(ay) < 0.9, l = Math.sqrt(low ? ax * ax + az * az : ay * ay + az * az), bx = low ? az / l : 0, by = low ? 0 : az / l, bz = low ? -ax / l : -ay / l, ex = ay * bz - az * by, ey = az * bx - ax * bz, ez = ax * by - ay * bx, mx = ax, my = ay, mz = az;
      for (let k = 0; k < AROUND; k++) {
        const h = 1 - ((1 - Math.cos(CAPS[look])) * (2 * k + 1)) / (2 * AROUND), r = Math.sqrt(1 - h * h), p = r * Math.cos(GOLDEN * k), q = r * Math.sin(GOLDEN * k), u = h * mx + p * bx + q * ex, v = h * my + p * by + q * ey, w = h * mz + p * bz + q * ez;
        const along = u * (x - px) + v * (y - py) + w * (z - pz);
        if (free > -Infinity && along <= free) continue;
        A[0] = px + length * u; A[1] = py + length * v; A[2] = pz + length * w;
        const d = this.at(A, side, MARGIN);
        if (d >= MARGIN) free = along; else if (free > -Infinity || d <= least) continue;
        least = d;
        spot.set(A);
        ax = u; ay = v; az = w;
      }
    }
  }

  /** A strand is so deep in the obstacle that was found. */
  private deepIn(depth: number): void {
    const { which, strand, depths, depthStrands } = this;
    if (depth < depths[which] || (depth === depths[which] && strand > depthStrands[which])) return;
    depths[which] = depth;
    depthStrands[which] = strand;
  }
  private sweepBy(way: Way, P: Float64Array | Float32Array, o: number, n: number, C: ArrayLike<number>, co: number): number {
    const a = 3 * o, { found, place: A, side: S, spot } = this, { follow, margin, around } = way;
    let sx = 0, sy = 0, sz = 0, rooted = true, deepest = 0, px = P[a], py = P[a + 1], pz = P[a + 2], bx = px, by = py, bz = pz;
    for (let i = 1; i < n; i++) {
      const q = a + 3 * i, c = 3 * (co + i), rx = P[q], ry = P[q + 1], rz = P[q + 2], length = Math.sqrt((rx - bx) ** 2 + (ry - by) ** 2 + (rz - bz) ** 2);
      bx = rx; by = ry; bz = rz;
      if (i === 1) { px = rx; py = ry; pz = rz; continue; } // the first edge is the skin's
      A[0] = rx; A[1] = ry; A[2] = rz; S[0] = C[c]; S[1] = C[c + 1]; S[2] = C[c + 2];
      const raw = this.at(A, S, 0);
      if (rooted && raw < 0 && (i <= ROOTED || raw < -SUNK)) { px = rx; py = ry; pz = rz; continue; } // nothing has been moved so far
      rooted = false;
      if (raw < 0 && way === WAYS[0]) this.deepIn(-raw);
      deepest = Math.max(deepest, -raw);
      let x = rx + follow * sx, y = ry + follow * sy, z = rz + follow * sz;
      const moved = sx !== 0 || sy !== 0 || sz !== 0;
      if (moved) {
        const l = length / Math.max(1e-12, Math.sqrt((x - px) ** 2 + (y - py) ** 2 + (z - pz) ** 2));
        x = px + l * (x - px); y = py + l * (y - py); z = pz + l * (z - pz);
      }
      let nx = 0, ny = 0, nz = 0;
      let inside = true;
      for (let test = 0; test < TESTS; test++) {
        A[0] = x; A[1] = y; A[2] = z;
        const d = moved || test > 0 ? this.at(A, S, test > 0 ? margin : 0) : raw;
        if (d >= 0 || (test > 0 && d >= margin)) { inside = false; break; }
        if (!moved && test === 0) found[0] = raw;
        // a second obstacle: between both
        nx = test === 0 ? found[1] : nx + found[1]; ny = test === 0 ? found[2] : ny + found[2]; nz = test === 0 ? found[3] : nz + found[3];
        const k = 1 / Math.max(1e-12, Math.sqrt(nx * nx + ny * ny + nz * nz));
        nx *= k; ny *= k; nz *= k;
        const ex = x - px, ey = y - py, ez = z - pz, en = ex * nx + ey * ny + ez * nz, facing = Math.max(0.2, nx * found[1] + ny * found[2] + nz * found[3]), h = Math.min(0.9999 * length, en + (margin - d) / facing);
        let tx = ex - en * nx, ty = ey - en * ny, tz = ez - en * nz;
        const tl = Math.sqrt(tx * tx + ty * ty + tz * tz);
        if (tl < 1e-9) { tx = Math.abs(nx) < 0.9 ? 1 - nx * nx : -nx * ny; ty = Math.abs(nx) < 0.9 ? -nx * ny : 1 - ny * ny; tz = Math.abs(nx) < 0.9 ? -nx * nz : -ny * nz; }
        const s = Math.sqrt(Math.max(0, length * length - h * h)) / Math.max(1e-12, Math.sqrt(tx * tx + ty * ty + tz * tz));
        x = px + h * nx + s * tx; y = py + h * ny + s * ty; z = pz + h * nz + s * tz;
      }
      if (inside && around) {
        A[0] = x; A[1] = y; A[2] = z;
        if (this.at(A, S, 0) < -LEFT) { this.lookAround(px, py, pz, length); x = spot[0]; y = spot[1]; z = spot[2]; }
      }
      P[q] = x; P[q + 1] = y; P[q + 2] = z;
      sx = x - rx; sy = y - ry; sz = z - rz;
      px = x; py = y; pz = z;
    }
    return deepest;
  }
}

/** Box round points (3 × n), with a margin, m. */
export function boxOf(points: ArrayLike<number>, margin: number): number[] {
  const box = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
  for (let a = 0; a < points.length; a++) { const c = a % 3, v = points[a]; if (v < box[c]) box[c] = v; if (v > box[3 + c]) box[3 + c] = v; }
  for (let c = 0; c < 3; c++) { box[c] -= margin; box[3 + c] += margin; }
  return box;
}

/** Sweeps strands of `n` points each, all of `P`, in place. `C`: the same strands on the right side of sheets. */
export function pushOut(P: Float64Array | Float32Array, n: number, obstacles: Obstacles, ends: ArrayLike<number>, positions: readonly ArrayLike<number>[], C: ArrayLike<number> = P): void {
  const posed = new PosedObstacles(obstacles, ends, positions, boxOf(P, 0.02));
  for (let o = 0; o < P.length / 3; o += n) posed.sweep(P, o, n, C);
}
