/**
 * Shell: a deforming triangle mesh as a collider. A closed one (a body, a garment modelled with its thickness) keeps hair
 * outside, and lets out what begins inside by the nearest way; an open one, such as a sheet of cloth, keeps hair on the side it
 * is on.
 *
 * Once a frame the boxes that the triangles sweep are put into a grid. An edge of a strand keeps a list of the triangles near
 * it and asks the grid again when it leaves the box the list was made for; within the frame vertices move evenly. Contacts are
 * those of a point with the inside, edge or corner of a triangle, and of a strand's edge with a convex edge or a border.
 *
 * A point's side of an open shell is that of the nearest triangle at the start of a substep, set when it comes near and kept while it is. A
 * point that would end beyond its side is judged with the triangle where the two meet, so that thin cloth is not passed.
 * **Source:** closest points, Ericson, Real-Time Collision Detection; crossing in time, Bridson et al. 2002, *from memory*.
 */
import { weldByPosition } from '../mesh/surface';
import { describeShell } from './shell-check';

/** m: triangles are looked for so far from an edge, and an edge may move so far before it asks again. */
const REACH = 0.004;
const INFLATION = 0.003;
/** m: a point deeper than this is not ours: it came round a border. */
const DEEP = 0.006;
/** m: what is further behind a triangle than this lies behind it for another reason, unless it is the nearest. */
const BEHIND = 3e-4;
/** Triangles an edge can be near. */
const LIST = 64;

/** What an edge may touch: share of the edge, gap at its predicted end, normal, plane, movement of the surface, and who. */
export interface Candidate { id: number; gap: number; s: number; nx: number; ny: number; nz: number; plane: number; ux: number; uy: number; uz: number }

export class Shell {
  readonly triangleCount: number;
  /** Whether hair is kept on its outside; else on the side it is on. */
  readonly closed: boolean;
  /** Triangles dropped because an edge was near too many; 0 in a sane set-up. */
  overflow = 0;
  /** Candidates of the last edge asked about. */
  readonly candidates: Candidate[] = [];
  count = 0;
  private readonly triangles: Uint32Array;
  /** Opposite half-edge (3 × triangle + edge), −1 at a border. */
  private readonly opposite: Int32Array;
  private from: Float64Array = new Float64Array(0);
  private to: Float64Array = new Float64Array(0);
  private readonly boxes: Float64Array;
  /** Triangles: unit normal and offset of the plane half-way through the frame, and how far its corners leave it. */
  private readonly slabs: Float64Array;
  private cells = new Int32Array(0);
  /** Place c + 1: where the triangles of cell c begin. */
  private cellStart = new Int32Array(2);
  private entries = 0;
  private readonly low = new Float64Array(3);
  private readonly high = new Float64Array(3);
  private readonly grid = new Int32Array(3);
  private cell = 1;
  private readonly seen: Int32Array;
  private look = 0;
  /** Per triangle, kept for the substep: corners at its start (9) and end (9), unit normals at both (6). */
  private readonly pose: Float64Array;
  private readonly posed: Int32Array;
  private substep = 0;
  private t0 = 0;
  private t1 = 1;
  /** Edges: box (low, high) its list holds for, triangles, and how many; points: side. */
  private edgeBoxes = new Float64Array(0);
  private lists = new Int32Array(0);
  private listLengths = new Int32Array(0);
  private sides = new Int8Array(0);
  private readonly near = new Float64Array(5);
  private readonly tri = new Float64Array(9);
  /** −1 where a closed shell is wound inside out. */
  private readonly outward: number;
  /** Triangle nearest the point in hand. */
  private nearest = -1;

  /** `rest`: 3 × vertices in the rest pose, to find vertices that are one; `thickness`: m, distance kept on either side; `twoSided`: hair keeps to the side it is on, even of a closed one. */
  constructor(triangles: ArrayLike<number>, rest: ArrayLike<number>, readonly thickness: number, readonly friction: number, twoSided = false) {
    const weld = weldByPosition(rest), kept: number[] = [];
    for (let t = 0; t < triangles.length; t += 3) {
      const [a, b, c] = [weld[triangles[t]], weld[triangles[t + 1]], weld[triangles[t + 2]]];
      if (a !== b && b !== c && c !== a) kept.push(a, b, c);
    }
    this.triangles = Uint32Array.from(kept);
    const n = (this.triangleCount = kept.length / 3);
    this.opposite = new Int32Array(3 * n).fill(-1);
    const open = new Map<number, number>(), size = rest.length / 3;
    for (let h = 0; h < 3 * n; h++) {
      const a = this.triangles[h], b = this.triangles[h - (h % 3) + ((h % 3) + 1) % 3], key = a < b ? a * size + b : b * size + a, other = open.get(key);
      if (other === undefined) open.set(key, h);
      else if (this.opposite[other] < 0) { this.opposite[other] = h; this.opposite[h] = other; }
    }
    const found = describeShell(triangles, rest);
    this.closed = found.closed && !twoSided;
    this.outward = found.inverted ? -1 : 1;
    this.boxes = new Float64Array(6 * n);
    this.slabs = new Float64Array(5 * n);
    this.seen = new Int32Array(n).fill(-1);
    this.pose = new Float64Array(24 * n);
    this.posed = new Int32Array(n).fill(-1);
  }

  /** Room for the sides and lists of so many points. */
  begin(points: number): void {
    this.edgeBoxes = new Float64Array(6 * points);
    this.lists = new Int32Array(LIST * points);
    this.listLengths = new Int32Array(points);
    this.sides = new Int8Array(points);
  }

  /** Places of the vertices at both ends of the frame, 3 × vertices, m; kept until the next call. `build` must follow where hair can come near. */
  frame(from: Float64Array, to: Float64Array): void {
    this.from = from;
    this.to = to;
    const { triangles, low, high } = this;
    low.fill(Infinity);
    high.fill(-Infinity);
    for (let h = 0; h < triangles.length; h++) for (let c = 0; c < 3; c++) {
      const a = from[3 * triangles[h] + c], b = to[3 * triangles[h] + c];
      if (a < low[c]) low[c] = a;
      if (b < low[c]) low[c] = b;
      if (a > high[c]) high[c] = a;
      if (b > high[c]) high[c] = b;
    }
  }
  /** Whether a ball reaches the space the shell sweeps in the frame. */
  reaches(x: number, y: number, z: number, radius: number): boolean {
    const { low, high } = this, far = radius + this.thickness + REACH;
    return x > low[0] - far && x < high[0] + far && y > low[1] - far && y < high[1] + far && z > low[2] - far && z < high[2] + far;
  }

  /** Puts the triangles of the frame into the grid. */
  build(): void {
    const { triangles, triangleCount: n, boxes, low, high, grid, from, to } = this;
    let span = 0;
    for (let t = 0; t < n; t++) for (let c = 0; c < 3; c++) {
      let a = Infinity, b = -Infinity;
      for (let q = 0; q < 3; q++) {
        const v = 3 * triangles[3 * t + q] + c;
        a = Math.min(a, from[v], to[v]);
        b = Math.max(b, from[v], to[v]);
      }
      boxes[6 * t + c] = a; boxes[6 * t + 3 + c] = b;
      span += b - a;
    }
    for (let t = 0; t < n; t++) this.slab(t);
    this.cell = Math.max((2 * span) / Math.max(1, 3 * n), 0.004, ...[0, 1, 2].map((c) => (high[c] - low[c]) / 120));
    for (let c = 0; c < 3; c++) grid[c] = Math.max(1, Math.ceil((high[c] - low[c] + 1e-6) / this.cell));
    const cells = grid[0] * grid[1] * grid[2], starts = this.cellStart.length === cells + 1 ? this.cellStart.fill(0) : new Int32Array(cells + 1);
    for (let t = 0; t < n; t++) this.visit(t, starts, null);
    for (let c = 0; c < cells; c++) starts[c + 1] += starts[c];
    this.entries = starts[cells];
    if (this.cells.length < starts[cells]) this.cells = new Int32Array(starts[cells]);
    for (let t = n - 1; t >= 0; t--) this.visit(t, starts, this.cells);
    // filling has moved every start back to its own: what was the end of a cell is its beginning now
    this.cellStart = starts;
    this.edgeBoxes.fill(NaN); // no box holds: every list is asked for again
  }
  /** The plane of a triangle half-way through the frame, and how far its corners are from it at both ends of the frame. */
  private slab(t: number): void {
    const { triangles, from, to, slabs: S } = this, a = 3 * triangles[3 * t], b = 3 * triangles[3 * t + 1], c = 3 * triangles[3 * t + 2], o = 5 * t;
    const x = 0.5 * (from[a] + to[a]), y = 0.5 * (from[a + 1] + to[a + 1]), z = 0.5 * (from[a + 2] + to[a + 2]);
    const ux = 0.5 * (from[b] + to[b]) - x, uy = 0.5 * (from[b + 1] + to[b + 1]) - y, uz = 0.5 * (from[b + 2] + to[b + 2]) - z, vx = 0.5 * (from[c] + to[c]) - x, vy = 0.5 * (from[c + 1] + to[c + 1]) - y, vz = 0.5 * (from[c + 2] + to[c + 2]) - z;
    let nx = uy * vz - uz * vy, ny = uz * vx - ux * vz, nz = ux * vy - uy * vx;
    const l = 1 / Math.max(1e-30, Math.sqrt(nx * nx + ny * ny + nz * nz));
    nx *= l; ny *= l; nz *= l;
    const d = nx * x + ny * y + nz * z;
    let off = 0;
    for (let q = 0; q < 3; q++) {
      const v = q === 0 ? a : q === 1 ? b : c;
      off = Math.max(off, Math.abs(nx * from[v] + ny * from[v + 1] + nz * from[v + 2] - d), Math.abs(nx * to[v] + ny * to[v + 1] + nz * to[v + 2] - d));
    }
    S[o] = nx; S[o + 1] = ny; S[o + 2] = nz; S[o + 3] = d; S[o + 4] = off;
  }
  /** Counts a triangle in the cells it sweeps, or enters it there. */
  private visit(t: number, starts: Int32Array, cells: Int32Array | null): void {
    const { boxes, low, grid, cell } = this, o = 6 * t;
    const x0 = Math.floor((boxes[o] - low[0]) / cell), x1 = Math.min(grid[0] - 1, Math.floor((boxes[o + 3] - low[0]) / cell));
    const y0 = Math.floor((boxes[o + 1] - low[1]) / cell), y1 = Math.min(grid[1] - 1, Math.floor((boxes[o + 4] - low[1]) / cell));
    const z0 = Math.floor((boxes[o + 2] - low[2]) / cell), z1 = Math.min(grid[2] - 1, Math.floor((boxes[o + 5] - low[2]) / cell));
    for (let z = z0; z <= z1; z++) for (let y = y0; y <= y1; y++) for (let x = x0; x <= x1; x++) {
      const c = x + grid[0] * (y + grid[1] * z);
      if (cells) cells[--starts[c + 1]] = t;
      else starts[c + 1]++;
    }
  }

  /** The substep from share `t0` to `t1` of the frame. */
  place(t0: number, t1: number): void {
    this.t0 = t0;
    this.t1 = t1;
    this.substep++;
  }

  /**
   * Fills `candidates` for the edge whose upper point has the number `p`, from A to B now, and from Ap to Bp where the points
   * would go. `most`: m, the greatest distance to be kept.
   */
  ask(p: number, most: number, ax: number, ay: number, az: number, bx: number, by: number, bz: number, apx: number, apy: number, apz: number, bpx: number, bpy: number, bpz: number): void {
    this.count = 0;
    const B = this.edgeBoxes, o = 6 * p;
    const held = Math.min(ax, bx, apx, bpx) >= B[o] && Math.max(ax, bx, apx, bpx) <= B[o + 3] && Math.min(ay, by, apy, bpy) >= B[o + 1] && Math.max(ay, by, apy, bpy) <= B[o + 4] && Math.min(az, bz, apz, bpz) >= B[o + 2] && Math.max(az, bz, apz, bpz) <= B[o + 5];
    const n = held ? this.listLengths[p] : this.list(p, ax, ay, az, bx, by, bz, apx, apy, apz, bpx, bpy, bpz);
    if (n === 0) { this.sides[p] = 0; return; }
    this.findSide(p, n, bx, by, bz);
    const r = this.thickness < most ? this.thickness : most;
    this.touchPoint(p, n, r, bx, by, bz, bpx, bpy, bpz);
    this.touchEdge(p, n, r, ax, ay, az, bx, by, bz, apx, apy, apz, bpx, bpy, bpz);
  }

  /** Depth of a point beyond its side, m, ≥ 0, at the end of the last placed substep. */
  depth(p: number, x: number, y: number, z: number): number {
    const side = this.closed ? this.outward : this.sides[p];
    if (side === 0) return 0;
    let best = DEEP * DEEP, deep = 0;
    for (let q = p * LIST; q < p * LIST + this.listLengths[p]; q++) {
      const o = this.posedAt(this.lists[q]), P = this.pose, d = P[o + 21] * (x - P[o + 9]) + P[o + 22] * (y - P[o + 10]) + P[o + 23] * (z - P[o + 11]);
      if (d * d >= best) continue;
      this.closest(o + 9, x, y, z);
      if (this.near[4] >= best) continue;
      best = this.near[4];
      // nearest to an edge or a corner: outside a convex one, and of a hollow one a face is nearer
      deep = this.near[3] > 0 ? 0 : Math.max(0, -side * d);
    }
    return deep;
  }

  /** Asks the grid for the triangles near an edge: those whose slab reaches the box it may move in. */
  private list(p: number, ax: number, ay: number, az: number, bx: number, by: number, bz: number, apx: number, apy: number, apz: number, bpx: number, bpy: number, bpz: number): number {
    const { edgeBoxes: B, boxes, slabs: S, low, high, grid, cell, seen, lists, cells, cellStart } = this, o = 6 * p, reach = REACH + this.thickness;
    // as far again as it moves now
    B[o] = Math.min(ax, bx, 2 * apx - ax, 2 * bpx - bx) - INFLATION; B[o + 3] = Math.max(ax, bx, 2 * apx - ax, 2 * bpx - bx) + INFLATION;
    B[o + 1] = Math.min(ay, by, 2 * apy - ay, 2 * bpy - by) - INFLATION; B[o + 4] = Math.max(ay, by, 2 * apy - ay, 2 * bpy - by) + INFLATION;
    B[o + 2] = Math.min(az, bz, 2 * apz - az, 2 * bpz - bz) - INFLATION; B[o + 5] = Math.max(az, bz, 2 * apz - az, 2 * bpz - bz) + INFLATION;
    this.listLengths[p] = 0;
    const l0 = B[o] - reach, l1 = B[o + 1] - reach, l2 = B[o + 2] - reach, h0 = B[o + 3] + reach, h1 = B[o + 4] + reach, h2 = B[o + 5] + reach;
    if (l0 > high[0] || l1 > high[1] || l2 > high[2] || h0 < low[0] || h1 < low[1] || h2 < low[2]) return 0;
    const mx = 0.5 * (l0 + h0), my = 0.5 * (l1 + h1), mz = 0.5 * (l2 + h2), sx = mx - l0 - reach, sy = my - l1 - reach, sz = mz - l2 - reach;
    const id = ++this.look;
    let n = 0;
    const x0 = Math.max(0, Math.floor((l0 - low[0]) / cell)), x1 = Math.min(grid[0] - 1, Math.floor((h0 - low[0]) / cell));
    const y0 = Math.max(0, Math.floor((l1 - low[1]) / cell)), y1 = Math.min(grid[1] - 1, Math.floor((h1 - low[1]) / cell));
    const z0 = Math.max(0, Math.floor((l2 - low[2]) / cell)), z1 = Math.min(grid[2] - 1, Math.floor((h2 - low[2]) / cell));
    const last = cellStart.length - 1;
    for (let z = z0; z <= z1; z++) for (let y = y0; y <= y1; y++) {
      // cells of a row lie one after the other
      const c0 = grid[0] * (y + grid[1] * z), end = c0 + x1 + 2 <= last ? cellStart[c0 + x1 + 2] : this.entries;
      for (let q = cellStart[c0 + x0 + 1]; q < end; q++) {
        const t = cells[q];
        if (seen[t] === id) continue;
        seen[t] = id;
        const w = 6 * t;
        if (boxes[w] > h0 || boxes[w + 3] < l0 || boxes[w + 1] > h1 || boxes[w + 4] < l1 || boxes[w + 2] > h2 || boxes[w + 5] < l2) continue;
        const k = 5 * t, nx = S[k], ny = S[k + 1], nz = S[k + 2];
        if (Math.abs(nx * mx + ny * my + nz * mz - S[k + 3]) > Math.abs(nx) * sx + Math.abs(ny) * sy + Math.abs(nz) * sz + S[k + 4] + reach) continue;
        if (n < LIST) lists[p * LIST + n++] = t;
        else this.overflow++;
      }
    }
    this.listLengths[p] = n;
    return n;
  }

  /** Where a triangle's numbers stand in `pose`, computed for this substep. */
  private posedAt(t: number): number {
    const { pose: P, posed, triangles, from, to, t0, t1 } = this, o = 24 * t;
    if (posed[t] === this.substep) return o;
    posed[t] = this.substep;
    for (let q = 0; q < 3; q++) {
      const v = 3 * triangles[3 * t + q];
      for (let c = 0; c < 3; c++) {
        const a = from[v + c], d = to[v + c] - a;
        P[o + 3 * q + c] = a + t0 * d;
        P[o + 9 + 3 * q + c] = a + t1 * d;
      }
    }
    for (let k = 0; k < 2; k++) {
      const s = o + 9 * k, w = o + 18 + 3 * k;
      const ax = P[s + 3] - P[s], ay = P[s + 4] - P[s + 1], az = P[s + 5] - P[s + 2], bx = P[s + 6] - P[s], by = P[s + 7] - P[s + 1], bz = P[s + 8] - P[s + 2];
      const x = ay * bz - az * by, y = az * bx - ax * bz, z = ax * by - ay * bx, i = 1 / Math.max(1e-30, Math.sqrt(x * x + y * y + z * z));
      P[w] = x * i; P[w + 1] = y * i; P[w + 2] = z * i;
    }
    return o;
  }

  /** Closest point of the triangle whose corners stand at `o` of `from`: weights 0…2, 1 at 3 where on its rim, squared distance at 4. */
  private closest(o: number, x: number, y: number, z: number, T: Float64Array = this.pose): void {
    const ax = T[o + 3] - T[o], ay = T[o + 4] - T[o + 1], az = T[o + 5] - T[o + 2], bx = T[o + 6] - T[o], by = T[o + 7] - T[o + 1], bz = T[o + 8] - T[o + 2], px = x - T[o], py = y - T[o + 1], pz = z - T[o + 2];
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
    const ex = px - v * ax - w * bx, ey = py - v * ay - w * by, ez = pz - v * az - w * bz;
    const N = this.near;
    N[0] = 1 - v - w; N[1] = v; N[2] = w; N[3] = rim; N[4] = ex * ex + ey * ey + ez * ez;
  }

  /** The nearest triangle, which goes to the head of the list, and the side the point is on. */
  private findSide(p: number, n: number, x: number, y: number, z: number): void {
    const { pose: P, near: N, sides, lists } = this, first = p * LIST;
    let best = Infinity, side = 0, at = -1;
    for (let q = first; q < first + n; q++) {
      const t = lists[q], o = this.posedAt(t), d = P[o + 18] * (x - P[o]) + P[o + 19] * (y - P[o + 1]) + P[o + 20] * (z - P[o + 2]);
      if (d * d >= best) continue;
      this.closest(o, x, y, z);
      // of triangles equally near, the one whose inside is near says more than one whose rim is
      if (N[4] >= best - (N[3] === 0 ? 0 : 1e-12)) continue;
      best = N[4];
      at = q;
      side = d >= 0 ? 1 : -1;
      // beyond a border either side is free
      if (N[3] > 0) for (let e = 0; e < 3; e++) if (N[(e + 2) % 3] < 1e-9 && this.opposite[3 * t + e] < 0) side = 0;
    }
    this.nearest = at < 0 ? -1 : lists[at];
    if (at > first) { lists[at] = lists[first]; lists[first] = this.nearest; }
    if (this.closed) { sides[p] = this.outward; return; }
    if (side === 0) sides[p] = 0;
    else if (sides[p] === 0 || best > DEEP * DEEP) sides[p] = side;
  }

  private put(id: number, gap: number, s: number, nx: number, ny: number, nz: number, plane: number, ux: number, uy: number, uz: number): void {
    let c = this.candidates[this.count];
    if (!c) this.candidates[this.count] = c = { id: 0, gap: 0, s: 1, nx: 0, ny: 1, nz: 0, plane: 0, ux: 0, uy: 0, uz: 0 };
    this.count++;
    c.id = id; c.gap = gap; c.s = s; c.nx = nx; c.ny = ny; c.nz = nz; c.plane = plane; c.ux = ux; c.uy = uy; c.uz = uz;
  }

  /** The upper point against the triangles near it. */
  private touchPoint(p: number, n: number, r: number, x: number, y: number, z: number, px: number, py: number, pz: number): void {
    const { pose: P, near: N, tri } = this, reach = REACH + r, known = this.sides[p];
    for (let q = p * LIST; q < p * LIST + n; q++) {
      const t = this.lists[q], o = this.posedAt(t);
      const d0 = P[o + 18] * (x - P[o]) + P[o + 19] * (y - P[o + 1]) + P[o + 20] * (z - P[o + 2]), d1 = P[o + 21] * (px - P[o + 9]) + P[o + 22] * (py - P[o + 10]) + P[o + 23] * (pz - P[o + 11]);
      const s = known !== 0 ? known : d0 >= 0 ? 1 : -1;
      if (s * d1 > reach || (s * d1 < 0 && s * d0 < (t === this.nearest ? -DEEP : -BEHIND))) continue;
      let nx = s * P[o + 21], ny = s * P[o + 22], nz = s * P[o + 23];
      if (s * d1 < 0) {
        // where the point and the plane of the triangle meet
        const f = Math.max(0, Math.min(1, (s * d0) / (s * d0 - s * d1 + 1e-30)));
        for (let c = 0; c < 9; c++) tri[c] = P[o + c] + f * (P[o + 9 + c] - P[o + c]);
        this.closest(0, x + f * (px - x), y + f * (py - y), z + f * (pz - z), tri);
        const off = d0 + f * (d1 - d0);
        if (N[3] > 0 && N[4] - (f > 0 ? 0 : off * off) > 1.6e-7) continue;
      } else {
        this.closest(o + 9, px, py, pz);
        if (N[4] > reach * reach) continue;
        const l = Math.sqrt(N[4]);
        if (N[3] > 0 && l > 1e-6) {
          nx = (px - N[0] * P[o + 9] - N[1] * P[o + 12] - N[2] * P[o + 15]) / l;
          ny = (py - N[0] * P[o + 10] - N[1] * P[o + 13] - N[2] * P[o + 16]) / l;
          nz = (pz - N[0] * P[o + 11] - N[1] * P[o + 14] - N[2] * P[o + 17]) / l;
        }
      }
      const w0 = N[0], w1 = N[1], w2 = N[2];
      const cx = w0 * P[o + 9] + w1 * P[o + 12] + w2 * P[o + 15], cy = w0 * P[o + 10] + w1 * P[o + 13] + w2 * P[o + 16], cz = w0 * P[o + 11] + w1 * P[o + 14] + w2 * P[o + 17];
      const plane = nx * cx + ny * cy + nz * cz + r;
      this.put(4 * t + 3, nx * px + ny * py + nz * pz - plane, 1, nx, ny, nz, plane, cx - w0 * P[o] - w1 * P[o + 3] - w2 * P[o + 6], cy - w0 * P[o + 1] - w1 * P[o + 4] - w2 * P[o + 7], cz - w0 * P[o + 2] - w1 * P[o + 5] - w2 * P[o + 8]);
    }
  }

  /** The inside of the strand's edge against convex edges and borders. */
  private touchEdge(p: number, n: number, r: number, ax: number, ay: number, az: number, bx: number, by: number, bz: number, apx: number, apy: number, apz: number, bpx: number, bpy: number, bpz: number): void {
    const { pose: P, opposite } = this, below = this.sides[p - 1] ?? 0, above = this.sides[p], side = below === above ? below : below === 0 ? above : above === 0 ? below : 0;
    const ux = bpx - apx, uy = bpy - apy, uz = bpz - apz, uu = ux * ux + uy * uy + uz * uz;
    for (let q = p * LIST; q < p * LIST + n; q++) {
      const t = this.lists[q], o = this.posedAt(t);
      const da = P[o + 21] * (apx - P[o + 9]) + P[o + 22] * (apy - P[o + 10]) + P[o + 23] * (apz - P[o + 11]), db = P[o + 21] * (bpx - P[o + 9]) + P[o + 22] * (bpy - P[o + 10]) + P[o + 23] * (bpz - P[o + 11]);
      // nearer to an edge of the triangle than to its plane it cannot be
      if ((da > r + REACH && db > r + REACH) || (da < -r - REACH && db < -r - REACH)) continue;
      for (let e = 0; e < 3; e++) {
        const other = opposite[3 * t + e];
        if (other >= 0 && other < 3 * t + e) continue; // each edge of the mesh once
        const e0 = o + 9 + 3 * e, e1 = o + 9 + 3 * ((e + 1) % 3);
        const vx = P[e1] - P[e0], vy = P[e1 + 1] - P[e0 + 1], vz = P[e1 + 2] - P[e0 + 2], rx = apx - P[e0], ry = apy - P[e0 + 1], rz = apz - P[e0 + 2];
        const vv = vx * vx + vy * vy + vz * vz, f = vx * rx + vy * ry + vz * rz, c = ux * rx + uy * ry + uz * rz, b = ux * vx + uy * vy + uz * vz;
        if (vv < 1e-14 || uu < 1e-14) continue;
        const s = (b * f - c * vv + 5e-4 * uu * vv) / (uu * vv - b * b + 1e-3 * uu * vv), m = (b * s + f) / vv;
        if (s < 0.01 || s > 0.99 || m < 1e-4 || m > 1 - 1e-4) continue;
        const cx = P[e0] + m * vx, cy = P[e0 + 1] + m * vy, cz = P[e0 + 2] + m * vz;
        const dx = apx + s * ux - cx, dy = apy + s * uy - cy, dz = apz + s * uz - cz;
        if (dx * dx + dy * dy + dz * dz > (r + DEEP) * (r + DEEP)) continue;
        let Nx = P[o + 21], Ny = P[o + 22], Nz = P[o + 23];
        if (other >= 0) {
          const o2 = this.posedAt((other / 3) | 0), corner = o2 + 9 + 3 * (((other % 3) + 2) % 3);
          // convex as seen from the side the strand is on?
          const rise = (P[corner] - P[e0]) * Nx + (P[corner + 1] - P[e0 + 1]) * Ny + (P[corner + 2] - P[e0 + 2]) * Nz;
          if (side !== 0 && side * rise > 1e-7) continue;
          Nx += P[o2 + 21]; Ny += P[o2 + 22]; Nz += P[o2 + 23];
          const i = 1 / Math.max(1e-12, Math.sqrt(Nx * Nx + Ny * Ny + Nz * Nz));
          Nx *= i; Ny *= i; Nz *= i;
        }
        const s0 = o + 3 * e, s1 = o + 3 * ((e + 1) % 3), hx = P[s0] + m * (P[s1] - P[s0]), hy = P[s0 + 1] + m * (P[s1 + 1] - P[s0 + 1]), hz = P[s0 + 2] + m * (P[s1 + 2] - P[s0 + 2]);
        const wx = ax + s * (bx - ax) - hx, wy = ay + s * (by - ay) - hy, wz = az + s * (bz - az) - hz;
        // across both lines; the way it points by the side, or by where the strand was
        let nx = uy * vz - uz * vy, ny = uz * vx - ux * vz, nz = ux * vy - uy * vx;
        const l = Math.sqrt(nx * nx + ny * ny + nz * nz);
        if (l < 0.05 * Math.sqrt(uu * vv)) continue;
        nx /= l; ny /= l; nz /= l;
        const facing = nx * Nx + ny * Ny + nz * Nz;
        if (other >= 0 && side !== 0) {
          if (Math.abs(facing) < 0.2) continue;
          if (facing * side < 0) { nx = -nx; ny = -ny; nz = -nz; }
        } else if (nx * wx + ny * wy + nz * wz < 0) { nx = -nx; ny = -ny; nz = -nz; }
        const gap = nx * dx + ny * dy + nz * dz, before = nx * wx + ny * wy + nz * wz;
        if (gap > r + REACH || before < -0.002) continue;
        this.put(4 * t + e, gap - r, s, nx, ny, nz, nx * cx + ny * cy + nz * cz + r, cx - hx, cy - hy, cz - hz);
      }
    }
  }
}
