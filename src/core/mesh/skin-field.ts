/**
 * How far a place is from a mesh in one pose, and on which side: for many questions close to it, such as a brush asks. Space is cut into boxes; each
 * knows the triangles that pass through it. A question looks into the box of its place and into those around it, as far as anything nearer can be; a box that
 * is asked in again and again has all that can be near listed, the nearest first. Of two triangles that are as near the lower number counts, so that what was
 * asked before never matters.
 */
import { clamp } from '../math/vec';
import { closestOnTriangle } from './closest';
import { neighbours, weldByPosition } from './surface';

/** Neighbours of meshes, which do not change from pose to pose. */
const KNOWN = new WeakMap<Uint32Array, Int32Array>();
const MOST_CELLS = 6_000_000, MOST_ENTRIES = 14_000_000;
/** Boxes in the reach. */
const WIDE = 2;
/** Boxes: inside a closed mesh the way out is known as far as this, wherever the boxes lie; such a place is so many rings off at most. */
const DEEP = 3.7, DEEP_RINGS = 4;
/** Boxes farther than so many from those that know triangles are not told apart. */
const RINGS = 9;
const FAR_OFF = 255;
/** From the middle of a box to its corner, in boxes; a little more. Triangles of a larger radius are looked at themselves. */
const HALF = 0.8661, LARGE = 0.6;
const FACTS = 8, CORNERS = 9;
/** m: what single precision may be off. */
const ROUND = 2e-6;
/** A box in which so many questions were asked has a list of its own, in so many stretches by the distance from its middle. */
const OFTEN = 2, STRETCHES = 24;
/** Such a box is cut so many times along each axis, to tell sooner what is clear of everything; to the corner of such a part, in boxes. */
const FINE = 4, PARTS = FINE ** 3;
/** Of a mesh that is very dense not all lists are kept. */
const MOST_LISTED = 8_000_000;
/** Farther than anything, m. */
const ANY = 1e9;

export class SkinField {
  /** m: out to here distances are exact; places farther off are Infinity, or −Infinity deep inside a closed mesh. */
  readonly reach: number;
  /** m: of a place that is not within reach, how far off it is at the least. */
  beyond = 0;
  /** Nearest triangle of the last place asked about; −1 for none within reach. */
  triangle = -1;
  /** Low and high corner of where anything is within reach, m. */
  readonly bounds = new Float64Array(6);
  /** m: of a box. */
  private readonly size: number;
  private readonly low: [number, number, number] = [Infinity, Infinity, Infinity];
  private readonly grid: [number, number, number];
  /** Triangles of each box: where those of box q begin in `list`. */
  private readonly first: Uint32Array;
  private readonly list: Uint32Array;
  /** Of each box how often it was asked in, up to `OFTEN`; from then on that and where its list begins in `lists`: the ends of its stretches, distances of the middles of its parts (`partly`), then triangles. */
  private readonly asked: Uint32Array;
  private lists = new Uint32Array(1 << 14);
  /** The same numbers as single precision. */
  private partly = new Float32Array(this.lists.buffer);
  private listed = 0;
  /** How many boxes each is from one that knows triangles. */
  private readonly rings: Uint8Array;
  /** Of boxes without triangles: 0 not asked yet, 1 outside, 2 inside. */
  private readonly inside: Uint8Array;
  /** Corners of each triangle, m: as they are asked for together. */
  private readonly corners: Float64Array;
  /** Middle and radius (a little more) of each triangle, its normal: `FACTS` numbers. */
  private readonly facts: Float32Array;
  /** The question in which each triangle was looked at last, so that it is not looked at from two boxes. */
  private readonly seen: Uint32Array;
  private question = 0;
  private readonly opposite: Int32Array;
  /** The place asked about, and the middle of a box. */
  private readonly spot = new Float64Array(3);
  private readonly middle = new Float64Array(3);
  private readonly hit = new Float64Array(5);
  private readonly best = new Float64Array(5);
  private readonly way = new Float64Array(3);
  /** Distance of the middle of each box, found when it is first asked about; made when any is. */
  private middles: Float32Array | null = null;
  private readonly middleNormal = new Float64Array(3);
  private readonly asking = new Float64Array(3);
  /** Triangle that was nearest the last of them, which a next one is likely to be beside. */
  private last = -1;
  /** Whether the nearest place is on an open edge. */
  private border = false;

  /** `P` 3 × vertices, m; `outward` −1 where faces look inwards; `closed`: whether it encloses a volume, else it has two sides. `box`: low and high corner of where is asked, m; everywhere where it is null. `hidden`: 1 for each face that is none of its surface; `mixed`: for each that is so in part, before which a place may be inside. */
  constructor(P: ArrayLike<number>, T: Uint32Array, readonly closed: boolean, private readonly outward: 1 | -1, reach: number, box: readonly number[] | null = null, private readonly hidden: Uint8Array | null = null, private readonly mixed: Uint8Array | null = null) {
    const high = [-Infinity, -Infinity, -Infinity], { low } = this, n = T.length / 3;
    for (let v = 0; v < P.length; v += 3) for (let c = 0; c < 3; c++) { const x = P[v + c]; if (x < low[c]) low[c] = x; if (x > high[c]) high[c] = x; }
    // `reach` is added on every side below
    if (box) for (let c = 0; c < 3; c++) { low[c] = Math.max(low[c], box[c]); high[c] = Math.max(low[c], Math.min(high[c], box[3 + c])); }
    let opposite = KNOWN.get(T);
    if (!opposite) { const weld = weldByPosition(P); KNOWN.set(T, (opposite = neighbours(T.map((v) => weld[v])))); }
    this.opposite = opposite;
    this.facts = new Float32Array(FACTS * n);
    this.corners = new Float64Array(CORNERS * n);
    this.seen = new Uint32Array(n);
    for (let t = 0; t < n; t++) this.describe(t, P, T);
    // boxes as small as the reach allows, larger where there would be too many of them, or too much in them
    let size = reach / WIDE;
    const cells = (): number => [0, 1, 2].reduce((k, c) => k * (Math.ceil((high[c] - low[c]) / size) + 2 * (WIDE + 2)), 1);
    const entries = (): number => { let sum = 0; for (let t = 0; t < n; t++) sum += ((2 * this.facts[FACTS * t + 3]) / size) ** 2; return sum; };
    while (cells() > MOST_CELLS || entries() > MOST_ENTRIES) size *= 1.3;
    this.size = size;
    this.reach = WIDE * size;
    // boxes lie the same wherever the place that is asked about begins
    for (let c = 0; c < 3; c++) low[c] = (Math.floor(low[c] / size - WIDE - 1.5)) * size;
    this.grid = [0, 1, 2].map((c) => Math.max(1, Math.ceil((high[c] + (WIDE + 1.5) * size - low[c]) / size))) as [number, number, number];
    for (let c = 0; c < 3; c++) { this.bounds[c] = low[c]; this.bounds[3 + c] = low[c] + this.grid[c] * size; }
    const count = new Uint32Array(this.grid[0] * this.grid[1] * this.grid[2] + 1);
    for (let t = 0; t < n; t++) this.enter(t, count, null);
    for (let q = 1; q < count.length; q++) count[q] += count[q - 1];
    this.first = count.slice();
    this.list = new Uint32Array(count[count.length - 1]);
    for (let t = 0; t < n; t++) this.enter(t, count, this.list);
    this.rings = this.distances();
    this.asked = new Uint32Array(count.length);
    this.inside = new Uint8Array(closed ? count.length : 0);
  }

  private describe(t: number, P: ArrayLike<number>, T: Uint32Array): void {
    const { corners: C, facts } = this, o = FACTS * t, q = CORNERS * t;
    for (let k = 0; k < 3; k++) for (let c = 0; c < 3; c++) C[q + 3 * k + c] = P[3 * T[3 * t + k] + c];
    for (let c = 0; c < 3; c++) facts[o + c] = (C[q + c] + C[q + 3 + c] + C[q + 6 + c]) / 3;
    let far = 0;
    for (let k = q; k < q + 9; k += 3) { const x = C[k] - facts[o], y = C[k + 1] - facts[o + 1], z = C[k + 2] - facts[o + 2]; far = Math.max(far, x * x + y * y + z * z); }
    facts[o + 3] = Math.sqrt(far) * (1 + 1e-5) + ROUND;
    const ux = C[q + 3] - C[q], uy = C[q + 4] - C[q + 1], uz = C[q + 5] - C[q + 2], vx = C[q + 6] - C[q], vy = C[q + 7] - C[q + 1], vz = C[q + 8] - C[q + 2];
    const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx, l = this.outward / (Math.sqrt(x * x + y * y + z * z) || 1e300);
    facts[o + 4] = x * l; facts[o + 5] = y * l; facts[o + 6] = z * l;
  }
  /**
   * Counts a triangle in the boxes it passes through, or may (one place on, so that sums come out as beginnings), or writes it there. What is within reach
   * beyond the outermost boxes counts as in them, so that they know as much as the others.
   */
  private enter(t: number, count: Uint32Array, list: Uint32Array | null): void {
    const { low, grid: [nx, ny, nz], size, facts, corners: C } = this, q = CORNERS * t;
    if (!Number.isFinite(facts[FACTS * t] + facts[FACTS * t + 1] + facts[FACTS * t + 2] + facts[FACTS * t + 3]) || this.hidden?.[t] === 1) return;
    const large = facts[FACTS * t + 3] > LARGE * size, near2 = (HALF * size) ** 2, nearEdge2 = (HALF * size + this.reach) ** 2;
    const least = (c: number): number => Math.floor((Math.min(C[q + c], C[q + 3 + c], C[q + 6 + c]) - ROUND - low[c]) / size), most = (c: number): number => Math.floor((Math.max(C[q + c], C[q + 3 + c], C[q + 6 + c]) + ROUND - low[c]) / size);
    const ax = least(0), bx = most(0), ay = least(1), by = most(1), az = least(2), bz = most(2);
    if (bx < -WIDE || ax > nx - 1 + WIDE || by < -WIDE || ay > ny - 1 + WIDE || bz < -WIDE || az > nz - 1 + WIDE) return;
    const x0 = clamp(ax, 0, nx - 1), x1 = clamp(bx, 0, nx - 1), y0 = clamp(ay, 0, ny - 1), y1 = clamp(by, 0, ny - 1), z1 = clamp(bz, 0, nz - 1);
    for (let z = clamp(az, 0, nz - 1); z <= z1; z++) for (let y = y0; y <= y1; y++) for (let x = x0, b = x0 + nx * (y + ny * z); x <= x1; x++, b++) {
      if (large) {
        // what bounds it says too little of it
        this.middleOf(x, y, z);
        closestOnTriangle(C, q, this.middle, 0, this.hit);
        if (this.hit[3] > (x === 0 || y === 0 || z === 0 || x === nx - 1 || y === ny - 1 || z === nz - 1 ? nearEdge2 : near2)) continue;
      }
      if (list) list[count[b]++] = t; else count[b + 1]++;
    }
  }
  /** Middle of box (i, j, k) into `middle`. */
  private middleOf(i: number, j: number, k: number): void {
    const { middle, low, size } = this;
    middle[0] = low[0] + (i + 0.5) * size; middle[1] = low[1] + (j + 0.5) * size; middle[2] = low[2] + (k + 0.5) * size;
  }
  /** Rings of boxes to those that know triangles, there and back over the grid. **Source:** chessboard distance in two passes, Rosenfeld & Pfaltz 1966, *from memory*. */
  private distances(): Uint8Array {
    const { grid: [nx, ny, nz], first } = this, n = first.length - 1, out = new Uint8Array(n);
    for (let q = 0; q < n; q++) out[q] = first[q] !== first[q + 1] ? 0 : FAR_OFF;
    for (let way = 1; way >= -1; way -= 2) for (let c = 0; c < nz; c++) for (let b = 0; b < ny; b++) {
      const z = way > 0 ? c : nz - 1 - c, y = way > 0 ? b : ny - 1 - b, row = nx * (y + ny * z);
      for (let a = 0; a < nx; a++) {
        const x = way > 0 ? a : nx - 1 - a, from = x > 0 ? -1 : 0, to = x < nx - 1 ? 1 : 0, q = row + x;
        let least = out[q];
        if (least === 0) continue;
        if (a > 0 && out[q - way] + 1 < least) least = out[q - way] + 1;
        // the rows that were gone over before and touch it
        for (let k = 0; k < 4; k++) {
          const j = k === 0 ? -way : k - 2, i = k === 0 ? 0 : -way;
          if (y + j < 0 || y + j >= ny || z + i < 0 || z + i >= nz) continue;
          for (let d = from, o = q + nx * (j + ny * i); d <= to; d++) if (out[o + d] + 1 < least) least = out[o + d] + 1;
        }
        out[q] = least;
      }
    }
    for (let q = 0; q < n; q++) if (out[q] > RINGS) out[q] = FAR_OFF;
    return out;
  }
  /** Whether the middle of a box is inside; a box from which nothing is near is as the next one on the way to something. */
  private enclosed(q: number): boolean {
    const { grid: [nx, ny, nz], rings, inside } = this, r = rings[q];
    if (inside[q] !== 0) return inside[q] === 2;
    const x = q % nx, y = Math.floor(q / nx) % ny, z = Math.floor(q / (nx * ny));
    let is = false;
    if (r <= 1) {
      this.middleOf(x, y, z);
      this.spot.set(this.middle);
      is = this.nearest(-1, ANY) >= 0 && this.side() < 0;
    } else if (r === FAR_OFF) {
      // as the nearest box that way of which something is known; all that way there is nothing but more of the same
      let b = q;
      while (b > q - x && rings[b] === FAR_OFF && inside[b] === 0) b--;
      is = rings[b] === FAR_OFF && inside[b] === 0 ? false : this.enclosed(b);
      for (let k = b; k < q; k++) if (inside[k] === 0) inside[k] = is ? 2 : 1;
    } else {
      let next = -1;
      for (let k = Math.max(0, z - 1); k <= Math.min(nz - 1, z + 1) && next < 0; k++) for (let j = Math.max(0, y - 1); j <= Math.min(ny - 1, y + 1) && next < 0; j++) for (let i = Math.max(0, x - 1); i <= Math.min(nx - 1, x + 1) && next < 0; i++) if (rings[i + nx * (j + ny * k)] === r - 1) next = i + nx * (j + ny * k);
      is = next >= 0 && this.enclosed(next);
    }
    inside[q] = is ? 2 : 1;
    return is;
  }

  /**
   * Nearest triangle to `spot` within `limit`, its place in `best`, the sum of the normals of all that are as near in `way`; −1 for none. Boxes are looked into ring by
   * ring round the place, as long as one can hold something nearer.
   */
  private nearest(guess: number, limit: number): number {
    const { low, size, rings, corners: C, facts, spot, hit, best, way } = this, nx = this.grid[0], ny = this.grid[1], x = spot[0], y = spot[1], z = spot[2], i = Math.floor((x - low[0]) / size), j = Math.floor((y - low[1]) / size), k = Math.floor((z - low[2]) / size), q = i + nx * (j + ny * k), ring = rings[q];
    if (ring === FAR_OFF) return -1;
    const list = limit <= this.reach ? this.listOf(q, i, j, k) : -1;
    this.question++;
    this.found = -1;
    best[3] = limit * limit;
    this.far = limit;
    if (guess >= 0) {
      this.seen[guess] = this.question;
      closestOnTriangle(C, CORNERS * guess, spot, 0, hit);
      if (hit[3] < best[3]) { for (let c = 0; c < 5; c++) best[c] = hit[c]; this.far = Math.sqrt(hit[3]); this.found = guess; }
    }
    if (list >= 0) { this.middleOf(i, j, k); this.through(list); }
    else this.around(i, j, k, ring);
    const nearest = this.found;
    if (nearest < 0) return -1;
    for (let c = 0; c < 3; c++) way[c] = facts[FACTS * nearest + 4 + c];
    this.border = false;
    if (best[4] >= 0) this.together();
    return nearest;
  }
  private found = -1;
  private far = 0;
  private around(i: number, j: number, k: number, ring: number): void {
    // how far it is to the nearest side of its own box
    const { low, grid: [nx, ny, nz], size, spot: [x, y, z] } = this, fx = x - low[0] - i * size, fy = y - low[1] - j * size, fz = z - low[2] - k * size, room = Math.min(fx, size - fx, fy, size - fy, fz, size - fz), last = Math.max(nx, ny, nz);
    for (let r = ring; r <= last && (r === 0 || (r - 1) * size + room <= this.far); r++) {
      const z0 = Math.max(0, k - r), z1 = Math.min(nz - 1, k + r), y0 = Math.max(0, j - r), y1 = Math.min(ny - 1, j + r);
      for (let c = z0; c <= z1; c++) for (let b = y0; b <= y1; b++) {
        const row = nx * (b + ny * c), whole = c === k - r || c === k + r || b === j - r || b === j + r;
        if (whole) { for (let a = Math.max(0, i - r); a <= Math.min(nx - 1, i + r); a++) this.look(row + a, a, b, c); }
        else { if (i - r >= 0) this.look(row + i - r, i - r, b, c); if (i + r < nx) this.look(row + i + r, i + r, b, c); }
      }
    }
  }
  /** Looks for what is nearer to `spot` in box q, at (a, b, c) of the grid. */
  private look(q: number, a: number, b: number, c: number): void {
    const { first, low, size, spot, far } = this, from = first[q], to = first[q + 1];
    if (from === to) return;
    const ox = low[0] + a * size - spot[0], oy = low[1] + b * size - spot[1], oz = low[2] + c * size - spot[2], bx = Math.max(0, ox, -ox - size), by = Math.max(0, oy, -oy - size), bz = Math.max(0, oz, -oz - size);
    if (bx * bx + by * by + bz * bz <= far * far) this.among(this.list, from, to);
  }
  /** The same in a list, that of the box `middle` is of. */
  private through(begin: number): void {
    const { lists, spot, middle } = this, off = Math.sqrt((spot[0] - middle[0]) ** 2 + (spot[1] - middle[1]) ** 2 + (spot[2] - middle[2]) ** 2), wide = (this.reach + HALF * this.size) / STRETCHES;
    let from = begin + STRETCHES + PARTS;
    for (let k = 0; k < STRETCHES && k * wide <= this.far + off + ROUND; k++) {
      const to = lists[begin + k];
      if (to > from) this.among(lists, from, to);
      from = to;
    }
  }
  /** The same among triangles `from … to − 1` of a list. */
  private among(list: Uint32Array, from: number, to: number): void {
    const { facts, corners: C, spot, hit, best, seen, question } = this, x = spot[0], y = spot[1], z = spot[2];
    let { far } = this;
    for (let s = from; s < to; s++) {
      const t = list[s], o = FACTS * t, dx = x - facts[o], dy = y - facts[o + 1], dz = z - facts[o + 2], radius = facts[o + 3], bound = far + radius, d2 = dx * dx + dy * dy + dz * dz;
      if (d2 > bound * bound) continue;
      // no nearer than its plane, and in that no nearer than the circle it lies in
      const height = Math.abs(facts[o + 4] * dx + facts[o + 5] * dy + facts[o + 6] * dz), off = height - ROUND, wide2 = (far + ROUND) ** 2 - (off > 0 ? off * off : 0);
      if (wide2 < 0) continue;
      const across = radius + Math.sqrt(wide2);
      if (d2 - height * height > across * across || seen[t] === question) continue;
      seen[t] = question;
      closestOnTriangle(C, CORNERS * t, spot, 0, hit);
      if (hit[3] > best[3] || (hit[3] === best[3] && t > this.found)) continue;
      far = Math.sqrt(hit[3]);
      best[0] = hit[0]; best[1] = hit[1]; best[2] = hit[2]; best[3] = hit[3]; best[4] = hit[4];
      this.found = t;
    }
    this.far = far;
  }
  /** Where the list of box q, at (i, j, k) of the grid, begins, −1 where it has none: all within reach of any place in it. */
  private listOf(q: number, i: number, j: number, k: number): number {
    const { asked, size, reach, first, list, seen, corners: C, hit } = this, nx = this.grid[0], ny = this.grid[1], nz = this.grid[2];
    if (asked[q] > OFTEN) return asked[q] - OFTEN - 1;
    if (asked[q] < OFTEN) { asked[q]++; return -1; }
    if (this.listed > MOST_LISTED) return -1;
    this.middleOf(i, j, k);
    const { middle } = this, most = reach + HALF * size, wide = most / STRETCHES, question = ++this.question, r = WIDE + 1, found: number[] = [], at: number[] = [], ends = new Uint32Array(STRETCHES);
    for (let c = Math.max(0, k - r); c <= Math.min(nz - 1, k + r); c++) for (let b = Math.max(0, j - r); b <= Math.min(ny - 1, j + r); b++) {
      // boxes of a row lie beside each other, and so do their triangles
      const row = nx * (b + ny * c), end = first[row + Math.min(nx - 1, i + r) + 1];
      for (let s = first[row + Math.max(0, i - r)]; s < end; s++) {
        const t = list[s];
        if (seen[t] === question) continue;
        seen[t] = question;
        closestOnTriangle(C, CORNERS * t, middle, 0, hit);
        const far = Math.sqrt(hit[3]);
        if (far > most + ROUND) continue;
        found.push(t);
        const stretch = Math.min(STRETCHES - 1, Math.floor(far / wide));
        at.push(stretch);
        ends[stretch]++;
      }
    }
    const begin = this.listed, end = begin + STRETCHES + PARTS + found.length;
    if (end > this.lists.length) { const more = new Uint32Array(Math.max(end, 2 * this.lists.length)); more.set(this.lists.subarray(0, begin)); this.lists = more; this.partly = new Float32Array(more.buffer); }
    for (let n = 0, sum = begin + STRETCHES + PARTS; n < STRETCHES; n++) { const many = ends[n]; ends[n] = sum; sum += many; }
    for (let n = 0; n < found.length; n++) this.lists[ends[at[n]]++] = found[n];
    this.lists.set(ends, begin);
    this.partly.fill(NaN, begin + STRETCHES, begin + STRETCHES + PARTS);
    this.listed = end;
    asked[q] = OFTEN + 1 + begin;
    return begin;
  }
  /** On an edge or a corner all faces that meet there tell together which side is out: the sum of their normals, in `way`. */
  private together(): void {
    const { low, grid: [nx, ny, nz], size, first, list, facts, corners: C, seen, spot, hit, best, way } = this, tie = best[3] * (1 + 1e-7) + 1e-16, question = ++this.question;
    // they pass through the box of that place, or through one it touches
    const x0 = clamp(Math.floor((best[0] - ROUND - low[0]) / size), 0, nx - 1), x1 = clamp(Math.floor((best[0] + ROUND - low[0]) / size), 0, nx - 1), y0 = clamp(Math.floor((best[1] - ROUND - low[1]) / size), 0, ny - 1), y1 = clamp(Math.floor((best[1] + ROUND - low[1]) / size), 0, ny - 1), z0 = clamp(Math.floor((best[2] - ROUND - low[2]) / size), 0, nz - 1), z1 = clamp(Math.floor((best[2] + ROUND - low[2]) / size), 0, nz - 1);
    way[0] = way[1] = way[2] = 0;
    for (let c = z0; c <= z1; c++) for (let b = y0; b <= y1; b++) for (let a = x0; a <= x1; a++) {
      const q = a + nx * (b + ny * c);
      for (let s = first[q]; s < first[q + 1]; s++) {
        const t = list[s], o = FACTS * t;
        if (seen[t] === question) continue;
        seen[t] = question;
        const dx = best[0] - facts[o], dy = best[1] - facts[o + 1], dz = best[2] - facts[o + 2], bound = facts[o + 3] + ROUND;
        if (dx * dx + dy * dy + dz * dz > bound * bound) continue;
        closestOnTriangle(C, CORNERS * t, spot, 0, hit);
        if (hit[3] > tie) continue;
        const w = this.weight(t);
        way[0] += w * facts[o + 4]; way[1] += w * facts[o + 5]; way[2] += w * facts[o + 6];
        // at a corner: either edge of it may be open
        if (hit[4] >= 0 && (this.opposite[3 * t + hit[4]] < 0 || (this.corner >= 0 && (this.opposite[3 * t + this.corner] < 0 || this.opposite[3 * t + ((this.corner + 2) % 3)] < 0)))) this.border = true;
      }
    }
    // nothing tells: the nearest alone
    if (way[0] === 0 && way[1] === 0 && way[2] === 0) for (let c = 0; c < 3; c++) way[c] = facts[FACTS * this.found + 4 + c];
  }
  /** Which corner of the last face weighed the nearest place is, −1 for none. */
  private corner = -1;
  /** How much a face counts at the nearest place: its angle there, if that is a corner. **Source:** Bærentzen & Aanæs 2005, Signed distance computation using the angle weighted pseudonormal, *from memory*. */
  private weight(t: number): number {
    const { corners: C, best } = this, q = CORNERS * t;
    this.corner = -1;
    for (let k = 0; k < 3; k++) {
      const a = q + 3 * k;
      if ((C[a] - best[0]) ** 2 + (C[a + 1] - best[1]) ** 2 + (C[a + 2] - best[2]) ** 2 > 1e-16) continue;
      this.corner = k;
      const b = q + 3 * ((k + 1) % 3), c = q + 3 * ((k + 2) % 3), ux = C[b] - C[a], uy = C[b + 1] - C[a + 1], uz = C[b + 2] - C[a + 2], vx = C[c] - C[a], vy = C[c + 1] - C[a + 1], vz = C[c + 2] - C[a + 2];
      return Math.acos(Math.min(1, Math.max(-1, (ux * vx + uy * vy + uz * vz) / (Math.hypot(ux, uy, uz) * Math.hypot(vx, vy, vz) || 1))));
    }
    return 1;
  }
  /** Below 0 for a place that is behind the nearest triangles and not past an open edge. */
  private side(): number { const { way, spot, best } = this; return this.border ? 0 : way[0] * (spot[0] - best[0]) + way[1] * (spot[1] - best[1]) + way[2] * (spot[2] - best[2]); }

  /**
   * How far place `k` of `A` (m) is outside a closed mesh at the least, m, as the middle of its box tells: no more than 0 where that is not certain. Quick where `at` is exact.
   */
  clear(A: Float64Array, k: number): number {
    const { low, grid, size } = this, x = A[k], y = A[k + 1], z = A[k + 2], a = Math.floor((x - low[0]) / size), b = Math.floor((y - low[1]) / size), c = Math.floor((z - low[2]) / size);
    if (!(a >= 0 && b >= 0 && c >= 0 && a < grid[0] && b < grid[1] && c < grid[2])) return this.reach;
    const mx = low[0] + (a + 0.5) * size, my = low[1] + (b + 0.5) * size, mz = low[2] + (c + 0.5) * size;
    return this.middleClear(a + grid[0] * (b + grid[1] * c), mx, my, mz) - Math.sqrt((x - mx) ** 2 + (y - my) ** 2 + (z - mz) ** 2) - ROUND;
  }
  /** m: how far the middle of box q, which is at (x, y, z), is outside for certain. */
  private middleClear(q: number, x: number, y: number, z: number): number {
    const middles = (this.middles ??= new Float32Array(this.first.length).fill(NaN)), known = middles[q];
    return known === known ? known : (middles[q] = this.certain(x, y, z));
  }
  /**
   * Whether place `k` of `A` (m) is for certain more than `enough` (m, ≥ 0, less than `reach`) outside a closed mesh, as the middle of its box tells, or of the part of it. Quick
   * where `at` is exact; what is not certain may be clear all the same.
   */
  isClear(A: Float64Array, k: number, enough: number): boolean {
    const { low, grid, size, asked } = this, x = A[k], y = A[k + 1], z = A[k + 2], u = (x - low[0]) / size, v = (y - low[1]) / size, w = (z - low[2]) / size, a = Math.floor(u), b = Math.floor(v), c = Math.floor(w);
    if (!(a >= 0 && b >= 0 && c >= 0 && a < grid[0] && b < grid[1] && c < grid[2])) return enough < this.reach;
    const q = a + grid[0] * (b + grid[1] * c);
    let dx = u - a - 0.5, dy = v - b - 0.5, dz = w - c - 0.5, d = this.middleClear(q, low[0] + (a + 0.5) * size, low[1] + (b + 0.5) * size, low[2] + (c + 0.5) * size);
    let over = d - enough - ROUND;
    if (over > 0 && over * over > (dx * dx + dy * dy + dz * dz) * size * size) return true;
    // no part of the box is so far from everything, or it is not asked about often
    if (asked[q] <= OFTEN || d + HALF * size <= enough) return false;
    const i = Math.min(FINE - 1, Math.floor((u - a) * FINE)), j = Math.min(FINE - 1, Math.floor((v - b) * FINE)), l = Math.min(FINE - 1, Math.floor((w - c) * FINE)), part = asked[q] - OFTEN - 1 + STRETCHES + i + FINE * (j + FINE * l);
    const mx = a + (i + 0.5) / FINE, my = b + (j + 0.5) / FINE, mz = c + (l + 0.5) / FINE;
    d = this.partly[part];
    if (d !== d) { d = this.certain(low[0] + mx * size, low[1] + my * size, low[2] + mz * size); this.partly[part] = d; }
    dx = u - mx; dy = v - my; dz = w - mz;
    over = d - enough - ROUND;
    return over > 0 && over * over > (dx * dx + dy * dy + dz * dz) * size * size;
  }
  /** m: how far a place is outside; no more than 0 where that is not certain, no more than `reach`. */
  private certain(x: number, y: number, z: number): number {
    const { asking: place } = this;
    place[0] = x; place[1] = y; place[2] = z;
    const d = this.at(place, 0, place, 0, this.middleNormal, this.last);
    if (this.triangle >= 0) this.last = this.triangle;
    // an open edge leaves the side unsaid, and so does a face that goes into the mesh: nothing is certain near one
    return d > 0 && this.triangle >= 0 && (this.border || this.mixed?.[this.triangle] === 1) ? 0 : Math.min(d, this.reach);
  }

  /**
   * Signed distance of place `k` of `A`, m, and the way out in `normal`. Of a sheet, the side on which place `m` of `C` lies is out. Farther than `reach`
   * from it: Infinity; −Infinity so deep inside a closed mesh that no way out is known. `guess`: a triangle that may be near, such as `triangle`
   * was the last time; it only makes the answer quicker.
   */
  at(A: Float64Array, k: number, C: Float64Array, m: number, normal: Float64Array, guess = -1): number {
    const { low, grid, reach, size, best, way, spot } = this, x = A[k], y = A[k + 1], z = A[k + 2], cx = C[m], cy = C[m + 1], cz = C[m + 2], a = Math.floor((x - low[0]) / size), b = Math.floor((y - low[1]) / size), c = Math.floor((z - low[2]) / size);
    this.triangle = -1;
    this.beyond = reach;
    if (!(a >= 0 && b >= 0 && c >= 0 && a < grid[0] && b < grid[1] && c < grid[2])) return Infinity;
    const q = a + grid[0] * (b + grid[1] * c), ring = this.rings[q];
    spot[0] = x; spot[1] = y; spot[2] = z;
    let nearest = ring > WIDE + 1 ? -1 : this.nearest(guess, reach);
    this.triangle = nearest;
    if (nearest < 0) {
      this.beyond = Math.max(reach, ((ring === FAR_OFF ? RINGS + 1 : ring) - 1) * size);
      if (!this.closed || !this.enclosed(q)) return Infinity;
      // inside, a little farther from it than that
      if (ring > DEEP_RINGS) return -Infinity;
      spot[0] = x; spot[1] = y; spot[2] = z;
      nearest = this.nearest(-1, DEEP * size);
      if (nearest < 0) return -Infinity;
    }
    const far = Math.sqrt(best[3]);
    let nx = way[0], ny = way[1], nz = way[2];
    const side = this.closed || nx * (cx - best[0]) + ny * (cy - best[1]) + nz * (cz - best[2]) >= 0 ? 1 : -1, l = side / (Math.sqrt(nx * nx + ny * ny + nz * nz) || 1e300);
    nx *= l; ny *= l; nz *= l;
    const plane = nx * (x - best[0]) + ny * (y - best[1]) + nz * (z - best[2]);
    if (plane >= 0 && far > 1e-9) { normal[0] = (x - best[0]) / far; normal[1] = (y - best[1]) / far; normal[2] = (z - best[2]) / far; return far; }
    normal[0] = nx; normal[1] = ny; normal[2] = nz;
    // past an open edge nothing is in the way
    if (this.border && far + plane > 1e-4) return far;
    return -far;
  }
}
