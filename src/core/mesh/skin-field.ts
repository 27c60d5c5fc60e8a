/**
 * How far a place is from a mesh in one pose, and on which side: for many questions close to it, such as a brush asks. Space is cut into boxes; each
 * knows the triangles that can be within reach of a place in it.
 */
import { closestOnTriangle } from './closest';
import { neighbours, weldByPosition } from './surface';

/** Neighbours of meshes, which do not change from pose to pose. */
const KNOWN = new WeakMap<Uint32Array, Int32Array>();
const MOST_CELLS = 6_000_000, MOST_ENTRIES = 14_000_000;
/** Boxes in the reach. */
const WIDE = 2;
/** Boxes farther than so many from those that know triangles are not told apart. */
const RINGS = 6;
const FAR_OFF = 255;
/** From the middle of a box to its corner, in boxes; a little more. Triangles of a larger radius are looked at themselves. */
const HALF = 0.8661, LARGE = 0.6;
const FACTS = 8;
/** m: what single precision may be off. */
const ROUND = 2e-6;

export class SkinField {
  /** m: out to here distances are exact; places farther off are Infinity, or −Infinity deep inside a closed mesh. */
  readonly reach: number;
  /** m: of a place that is not within reach, how far off it is at the least. */
  beyond = 0;
  /** Nearest triangle of the last place asked about; −1 for none within reach. */
  triangle = -1;
  /** m: of a box. */
  private readonly size: number;
  private readonly low: [number, number, number] = [Infinity, Infinity, Infinity];
  private readonly grid: [number, number, number];
  /** Triangles of each box: where those of box q begin in `list`. */
  private readonly first: Uint32Array;
  private readonly list: Uint32Array;
  /** How many boxes each is from one that knows triangles. */
  private readonly rings: Uint8Array;
  /** Of boxes without triangles: 0 not asked yet, 1 outside, 2 inside. */
  private readonly inside: Uint8Array;
  /** Middle and radius (a little more) of each triangle, its normal: `FACTS` numbers, close together as they are asked for together. */
  private readonly facts: Float32Array;
  private readonly opposite: Int32Array;
  private readonly hit = new Float64Array(5);
  private readonly best = new Float64Array(5);
  private readonly way = new Float64Array(3);
  /** Distance of the middle of each box, found when it is first asked about; made when any is. */
  private middles: Float32Array | null = null;
  private readonly middleNormal = new Float64Array(3);
  /** Whether the nearest place is on an open edge. */
  private border = false;

  /** `P` 3 × vertices, m; `outward` −1 where faces look inwards; `closed`: whether it encloses a volume, else it has two sides. `box`: low and high corner of where is asked, m; everywhere where it is null. `hidden`: 1 for each face that is none of its surface. */
  constructor(private readonly P: ArrayLike<number>, private readonly T: Uint32Array, private readonly closed: boolean, private readonly outward: 1 | -1, reach: number, box: readonly number[] | null = null, private readonly hidden: Uint8Array | null = null) {
    const high = [-Infinity, -Infinity, -Infinity], { low } = this, n = T.length / 3;
    for (let v = 0; v < P.length; v++) { const c = v % 3; if (P[v] < low[c]) low[c] = P[v]; if (P[v] > high[c]) high[c] = P[v]; }
    // `reach` is added on every side below
    if (box) for (let c = 0; c < 3; c++) { low[c] = Math.max(low[c], box[c]); high[c] = Math.max(low[c], Math.min(high[c], box[3 + c])); }
    let opposite = KNOWN.get(T);
    if (!opposite) { const weld = weldByPosition(P); KNOWN.set(T, (opposite = neighbours(T.map((v) => weld[v])))); }
    this.opposite = opposite;
    this.facts = new Float32Array(FACTS * n);
    for (let t = 0; t < n; t++) this.describe(t);
    // boxes as small as the reach allows, larger where there would be too many of them, or too much in them
    let size = reach / WIDE;
    const cells = (): number => [0, 1, 2].reduce((k, c) => k * (Math.ceil((high[c] - low[c]) / size) + 2 * (WIDE + 2)), 1);
    const entries = (): number => { let sum = 0; for (let t = 0; t < n; t++) { const across = (2 * this.facts[FACTS * t + 3]) / size + 2 * WIDE; sum += 0.5 * across ** 3; } return sum; };
    while (cells() > MOST_CELLS || entries() > MOST_ENTRIES) size *= 1.3;
    this.size = size;
    this.reach = WIDE * size;
    for (let c = 0; c < 3; c++) low[c] -= (WIDE + 1.5) * size;
    this.grid = [0, 1, 2].map((c) => Math.max(1, Math.ceil((high[c] + (WIDE + 1.5) * size - low[c]) / size))) as [number, number, number];
    const count = new Uint32Array(this.grid[0] * this.grid[1] * this.grid[2] + 1);
    for (let t = 0; t < n; t++) this.enter(t, count, null);
    for (let q = 1; q < count.length; q++) count[q] += count[q - 1];
    this.first = count.slice();
    this.list = new Uint32Array(count[count.length - 1]);
    for (let t = 0; t < n; t++) this.enter(t, count, this.list);
    this.rings = this.distances();
    this.inside = new Uint8Array(closed ? count.length : 0);
  }

  private describe(t: number): void {
    const { P, T, facts } = this, o = FACTS * t, a = 3 * T[3 * t], b = 3 * T[3 * t + 1], c = 3 * T[3 * t + 2];
    for (let k = 0; k < 3; k++) facts[o + k] = (P[a + k] + P[b + k] + P[c + k]) / 3;
    const far = (v: number): number => Math.hypot(P[v] - facts[o], P[v + 1] - facts[o + 1], P[v + 2] - facts[o + 2]);
    facts[o + 3] = Math.max(far(a), far(b), far(c)) * (1 + 1e-5) + ROUND;
    const ux = P[b] - P[a], uy = P[b + 1] - P[a + 1], uz = P[b + 2] - P[a + 2], vx = P[c] - P[a], vy = P[c + 1] - P[a + 1], vz = P[c + 2] - P[a + 2];
    const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx, l = this.outward / (Math.hypot(x, y, z) || 1e300);
    facts[o + 4] = x * l; facts[o + 5] = y * l; facts[o + 6] = z * l;
  }
  /** Counts a triangle in the boxes it can be within reach of (one place on, so that sums come out as beginnings), or writes it there. */
  private enter(t: number, count: Uint32Array, list: Uint32Array | null): void {
    const { low, grid: [nx, ny, nz], size, reach, facts } = this, o = FACTS * t, far = facts[o + 3] + reach, far2 = far * far, cx = facts[o] - low[0], cy = facts[o + 1] - low[1], cz = facts[o + 2] - low[2];
    if (!Number.isFinite(cx + cy + cz + far) || this.hidden?.[t] === 1) return;
    const large = facts[o + 3] > LARGE * size, near2 = (reach + HALF * size) ** 2;
    const least = (v: number): number => Math.max(0, Math.floor((v - far) / size)), most = (v: number, n: number): number => Math.min(n - 1, Math.floor((v + far) / size)), z1 = most(cz, nz), y1 = most(cy, ny), x1 = most(cx, nx), x0 = least(cx), y0 = least(cy);
    for (let z = least(cz); z <= z1; z++) {
      const dz = Math.max(0, z * size - cz, cz - (z + 1) * size);
      for (let y = y0; y <= y1; y++) {
        const dy = Math.max(0, y * size - cy, cy - (y + 1) * size), left = far2 - dz * dz - dy * dy;
        if (left < 0) continue;
        for (let x = x0, q = x0 + nx * (y + ny * z); x <= x1; x++, q++) {
          const dx = Math.max(0, x * size - cx, cx - (x + 1) * size);
          if (dx * dx > left) continue;
          if (large) {
            // a ball says too little of it
            closestOnTriangle(this.P, this.T, t, low[0] + (x + 0.5) * size, low[1] + (y + 0.5) * size, low[2] + (z + 0.5) * size, this.hit);
            if (this.hit[3] > near2) continue;
          }
          if (list) list[count[q]++] = t; else count[q + 1]++;
        }
      }
    }
  }
  private distances(): Uint8Array {
    const { grid: [nx, ny, nz], first } = this, n = first.length - 1, out = new Uint8Array(n).fill(FAR_OFF);
    let front: number[] = [];
    for (let q = 0; q < n; q++) if (first[q] !== first[q + 1]) { out[q] = 0; front.push(q); }
    for (let r = 1; r <= RINGS; r++) {
      const next: number[] = [];
      for (const q of front) {
        const x = q % nx, y = Math.floor(q / nx) % ny, z = Math.floor(q / (nx * ny));
        for (let k = Math.max(0, z - 1); k <= Math.min(nz - 1, z + 1); k++) for (let j = Math.max(0, y - 1); j <= Math.min(ny - 1, y + 1); j++) for (let i = Math.max(0, x - 1); i <= Math.min(nx - 1, x + 1); i++) {
          const b = i + nx * (j + ny * k);
          if (out[b] === FAR_OFF) { out[b] = r; next.push(b); }
        }
      }
      front = next;
    }
    return out;
  }
  /** Whether a box without triangles is inside: as the next one that way, and beside one that has some, as its middle is. */
  private enclosed(q: number): boolean {
    const { grid: [nx, ny, nz], low, size, rings, inside, first } = this, r = rings[q];
    if (r === FAR_OFF) return false;
    if (inside[q] === 0) {
      const x = q % nx, y = Math.floor(q / nx) % ny, z = Math.floor(q / (nx * ny));
      if (r === 0) {
        const px = low[0] + (x + 0.5) * size, py = low[1] + (y + 0.5) * size, pz = low[2] + (z + 0.5) * size;
        inside[q] = this.nearest(first[q], first[q + 1], px, py, pz, -1, 1e9) >= 0 && this.side(px, py, pz) < 0 ? 2 : 1;
      } else {
        let next = -1;
        for (let k = Math.max(0, z - 1); k <= Math.min(nz - 1, z + 1) && next < 0; k++) for (let j = Math.max(0, y - 1); j <= Math.min(ny - 1, y + 1) && next < 0; j++) for (let i = Math.max(0, x - 1); i <= Math.min(nx - 1, x + 1) && next < 0; i++) if (rings[i + nx * (j + ny * k)] === r - 1) next = i + nx * (j + ny * k);
        inside[q] = next >= 0 && this.enclosed(next) ? 2 : 1;
      }
    }
    return inside[q] === 2;
  }

  /** Nearest of the triangles `from … to − 1` of the list within `limit`, its place in `best`, the sum of the normals of all that are as near in `way`; −1 for none. */
  private nearest(from: number, to: number, x: number, y: number, z: number, guess: number, limit: number): number {
    const { P, T, facts, list, hit, best, way } = this;
    let nearest = -1, far = limit, least = far * far;
    if (guess >= 0) {
      closestOnTriangle(P, T, guess, x, y, z, hit);
      if (hit[3] < least) { least = hit[3]; far = Math.sqrt(least); nearest = guess; for (let k = 0; k < 5; k++) best[k] = hit[k]; }
    }
    for (let s = from; s < to; s++) {
      const t = list[s], o = FACTS * t, dx = x - facts[o], dy = y - facts[o + 1], dz = z - facts[o + 2], bound = far + facts[o + 3];
      if (dx * dx + dy * dy + dz * dz > bound * bound || t === guess) continue;
      // no nearer than its plane
      if (Math.abs(facts[o + 4] * dx + facts[o + 5] * dy + facts[o + 6] * dz) > far + ROUND) continue;
      closestOnTriangle(P, T, t, x, y, z, hit);
      if (hit[3] >= least) continue;
      least = hit[3]; far = Math.sqrt(least); nearest = t;
      for (let k = 0; k < 5; k++) best[k] = hit[k];
    }
    if (nearest < 0) return -1;
    for (let k = 0; k < 3; k++) way[k] = facts[FACTS * nearest + 4 + k];
    this.border = false;
    if (best[4] < 0) return nearest;
    // on an edge or a corner all faces that meet there tell together which side is out
    const tie = least * (1 + 1e-7) + 1e-16;
    way[0] = way[1] = way[2] = 0;
    for (let s = from; s < to; s++) {
      const t = list[s], o = FACTS * t, dx = x - facts[o], dy = y - facts[o + 1], dz = z - facts[o + 2], bound = far * 1.0001 + facts[o + 3];
      if (dx * dx + dy * dy + dz * dz > bound * bound) continue;
      closestOnTriangle(P, T, t, x, y, z, hit);
      if (hit[3] > tie) continue;
      const w = this.weight(t);
      way[0] += w * facts[o + 4]; way[1] += w * facts[o + 5]; way[2] += w * facts[o + 6];
      if (hit[4] >= 0 && this.opposite[3 * t + hit[4]] < 0) this.border = true;
    }
    return nearest;
  }
  /** How much a face counts at the nearest place: its angle there, if that is a corner. **Source:** Bærentzen & Aanæs 2005, Signed distance computation using the angle weighted pseudonormal, *from memory*. */
  private weight(t: number): number {
    const { P, T, best } = this;
    for (let k = 0; k < 3; k++) {
      const a = 3 * T[3 * t + k];
      if ((P[a] - best[0]) ** 2 + (P[a + 1] - best[1]) ** 2 + (P[a + 2] - best[2]) ** 2 > 1e-16) continue;
      const b = 3 * T[3 * t + ((k + 1) % 3)], c = 3 * T[3 * t + ((k + 2) % 3)], ux = P[b] - P[a], uy = P[b + 1] - P[a + 1], uz = P[b + 2] - P[a + 2], vx = P[c] - P[a], vy = P[c + 1] - P[a + 1], vz = P[c + 2] - P[a + 2];
      return Math.acos(Math.min(1, Math.max(-1, (ux * vx + uy * vy + uz * vz) / (Math.hypot(ux, uy, uz) * Math.hypot(vx, vy, vz) || 1))));
    }
    return 1;
  }
  /** Below 0 for a place that is behind the nearest triangles and not past an open edge. */
  private side(x: number, y: number, z: number): number { return this.border ? 0 : this.way[0] * (x - this.best[0]) + this.way[1] * (y - this.best[1]) + this.way[2] * (z - this.best[2]); }

  /**
   * How far a place is outside a closed mesh at the least, m, as the middle of its box tells: no more than 0 where that is not certain. Quick where `at` is exact.
   */
  clear(x: number, y: number, z: number): number {
    const { low, grid, size } = this, i = Math.floor((x - low[0]) / size), j = Math.floor((y - low[1]) / size), k = Math.floor((z - low[2]) / size);
    if (!(i >= 0 && j >= 0 && k >= 0 && i < grid[0] && j < grid[1] && k < grid[2])) return this.reach;
    const q = i + grid[0] * (j + grid[1] * k), mx = low[0] + (i + 0.5) * size, my = low[1] + (j + 0.5) * size, mz = low[2] + (k + 0.5) * size, middles = (this.middles ??= new Float32Array(this.first.length).fill(NaN));
    let d = middles[q];
    // an open edge leaves the side unsaid: nothing is certain near one
    if (Number.isNaN(d)) { d = this.at(mx, my, mz, mx, my, mz, this.middleNormal); middles[q] = d = d > 0 && this.border && this.triangle >= 0 ? 0 : d; }
    return Math.min(d, this.reach) - Math.sqrt((x - mx) ** 2 + (y - my) ** 2 + (z - mz) ** 2) - ROUND;
  }

  /**
   * Signed distance of (x, y, z), m, and the way out in `normal`. Of a sheet, the side on which (cx, cy, cz) lies is out. Farther than `reach`
   * from it: Infinity; −Infinity so deep inside a closed mesh that no way out is known. `guess`: a triangle that may be near, such as `triangle`
   * was the last time; it only makes the answer quicker.
   */
  at(x: number, y: number, z: number, cx: number, cy: number, cz: number, normal: Float64Array, guess = -1): number {
    const { low, grid, reach, size, best, way, first } = this, i = Math.floor((x - low[0]) / size), j = Math.floor((y - low[1]) / size), k = Math.floor((z - low[2]) / size);
    this.triangle = -1;
    this.beyond = reach;
    if (!(i >= 0 && j >= 0 && k >= 0 && i < grid[0] && j < grid[1] && k < grid[2])) return Infinity;
    const q = i + grid[0] * (j + grid[1] * k), ring = this.rings[q];
    if (ring > 0) {
      this.beyond = reach + ((ring === FAR_OFF ? RINGS + 1 : ring) - 1) * size;
      return this.closed && this.enclosed(q) ? -Infinity : Infinity;
    }
    let nearest = this.nearest(first[q], first[q + 1], x, y, z, guess, reach);
    this.triangle = nearest;
    if (nearest < 0) {
      if (!this.closed) return Infinity;
      // inside, however far from it
      nearest = this.nearest(first[q], first[q + 1], x, y, z, -1, 1e9);
      if (nearest < 0 || this.side(x, y, z) >= 0) return Infinity;
    }
    const far = Math.sqrt(best[3]);
    let [nx, ny, nz] = way;
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
