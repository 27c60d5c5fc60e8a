/**
 * How far a place is from a mesh in one pose, and on which side: for many questions close to it, such as a brush asks. Places in boxes of
 * one size share a list of the triangles near them, made when first asked for.
 */
import { closestOnTriangle } from './closest';
import { neighbours, weldByPosition } from './surface';

/** Neighbours of meshes, which do not change from pose to pose. */
const KNOWN = new WeakMap<Uint32Array, Int32Array>();
const MOST_CELLS = 6_000_000;
/** Boxes that are looked through for the side of a place; farther from the surface all is outside. */
const RINGS = 8;
/** Boxes in the reach. */
const WIDE = 2;
/** From the middle of a box to its corner, in boxes; a little more. */
const HALF = 0.8661;

/** Triangles, the least distance of each from any place in a box where that is known, and balls round them. */
interface Near { faces: Uint32Array; from: Float64Array | null; balls: Float64Array }

export class SkinField {
  /** m: out to here distances are exact; places farther off are Infinity, or −Infinity deep inside a closed mesh. */
  readonly reach: number;
  /** m: of a box. */
  private readonly size: number;
  private readonly low: [number, number, number] = [Infinity, Infinity, Infinity];
  private readonly grid: [number, number, number];
  /** Triangles of each box by their bounds: where those of box q begin in `list`. */
  private readonly first: Uint32Array;
  private readonly list: Uint32Array;
  /** Of boxes without triangles: 0 not asked yet, 1 outside, 2 inside. */
  private readonly inside: Uint8Array;
  private readonly rings: Uint8Array;
  /** m: of a place that is not within reach, how far off it is at the least. */
  beyond = 0;
  private readonly near = new Map<number, Near>();
  private readonly seen: Uint32Array;
  private round = 0;
  /** Middle and radius of each triangle. */
  private readonly balls: Float64Array;
  private readonly normals: Float64Array;
  private readonly opposite: Int32Array;
  private readonly hit = new Float64Array(5);
  private readonly best = new Float64Array(5);
  private readonly way = new Float64Array(3);
  /** Nearest triangle of the last place asked about; −1 for none within reach. */
  triangle = -1;

  /** `P` 3 × vertices, m; `outward` −1 where faces look inwards; `closed`: whether it encloses a volume, else it has two sides. */
  constructor(private readonly P: ArrayLike<number>, private readonly T: Uint32Array, private readonly closed: boolean, private readonly outward: 1 | -1, reach: number) {
    const high = [-Infinity, -Infinity, -Infinity], { low } = this, n = T.length / 3;
    for (let v = 0; v < P.length; v++) { const c = v % 3; if (P[v] < low[c]) low[c] = P[v]; if (P[v] > high[c]) high[c] = P[v]; }
    let size = reach / WIDE;
    const cells = (): number => [0, 1, 2].reduce((k, c) => k * (Math.ceil((high[c] - low[c]) / size) + 3), 1);
    while (cells() > MOST_CELLS) size *= 1.3;
    this.size = size;
    this.reach = WIDE * size;
    for (let c = 0; c < 3; c++) low[c] -= 1.5 * size;
    this.grid = [0, 1, 2].map((c) => Math.max(1, Math.ceil((high[c] + 1.5 * size - low[c]) / size))) as [number, number, number];
    let opposite = KNOWN.get(T);
    if (!opposite) { const weld = weldByPosition(P); KNOWN.set(T, (opposite = neighbours(T.map((v) => weld[v])))); }
    this.opposite = opposite;
    this.balls = new Float64Array(4 * n);
    this.normals = new Float64Array(3 * n);
    this.seen = new Uint32Array(n);
    for (let t = 0; t < n; t++) this.describe(t);
    const count = new Uint32Array(this.grid[0] * this.grid[1] * this.grid[2] + 1);
    for (let t = 0; t < n; t++) this.boxes(t, (q) => { count[q + 1]++; });
    for (let q = 1; q < count.length; q++) count[q] += count[q - 1];
    this.first = count;
    this.list = new Uint32Array(count[count.length - 1]);
    const at = count.slice();
    for (let t = 0; t < n; t++) this.boxes(t, (q) => { this.list[at[q]++] = t; });
    this.rings = this.distances();
    this.inside = new Uint8Array(closed ? count.length : 0);
  }

  private describe(t: number): void {
    const { P, T, balls, normals } = this, a = 3 * T[3 * t], b = 3 * T[3 * t + 1], c = 3 * T[3 * t + 2];
    for (let k = 0; k < 3; k++) balls[4 * t + k] = (P[a + k] + P[b + k] + P[c + k]) / 3;
    const far = (v: number): number => Math.hypot(P[v] - balls[4 * t], P[v + 1] - balls[4 * t + 1], P[v + 2] - balls[4 * t + 2]);
    balls[4 * t + 3] = Math.max(far(a), far(b), far(c));
    const ux = P[b] - P[a], uy = P[b + 1] - P[a + 1], uz = P[b + 2] - P[a + 2], vx = P[c] - P[a], vy = P[c + 1] - P[a + 1], vz = P[c + 2] - P[a + 2];
    const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx, l = this.outward / (Math.hypot(x, y, z) || 1e300);
    normals[3 * t] = x * l; normals[3 * t + 1] = y * l; normals[3 * t + 2] = z * l;
  }
  private boxes(t: number, visit: (box: number) => void): void {
    const { P, T, low, grid, size } = this, a = 3 * T[3 * t], b = 3 * T[3 * t + 1], c = 3 * T[3 * t + 2], from = [0, 0, 0], to = [0, 0, 0];
    for (let k = 0; k < 3; k++) {
      from[k] = Math.max(0, Math.floor((Math.min(P[a + k], P[b + k], P[c + k]) - low[k]) / size));
      to[k] = Math.min(grid[k] - 1, Math.floor((Math.max(P[a + k], P[b + k], P[c + k]) - low[k]) / size));
    }
    for (let z = from[2]; z <= to[2]; z++) for (let y = from[1]; y <= to[1]; y++) for (let x = from[0]; x <= to[0]; x++) visit(x + grid[0] * (y + grid[1] * z));
  }
  /** How many boxes each is away from the nearest with triangles, up to `RINGS`; 255 farther off. */
  private distances(): Uint8Array {
    const { grid, first } = this, [nx, ny, nz] = grid, n = first.length - 1, out = new Uint8Array(n).fill(255);
    let front: number[] = [];
    for (let q = 0; q < n; q++) if (first[q] !== first[q + 1]) { out[q] = 0; front.push(q); }
    for (let r = 1; r <= RINGS; r++) {
      const next: number[] = [];
      for (const q of front) {
        const x = q % nx, y = Math.floor(q / nx) % ny, z = Math.floor(q / (nx * ny));
        for (let k = Math.max(0, z - 1); k <= Math.min(nz - 1, z + 1); k++) for (let j = Math.max(0, y - 1); j <= Math.min(ny - 1, y + 1); j++) for (let i = Math.max(0, x - 1); i <= Math.min(nx - 1, x + 1); i++) {
          const b = i + nx * (j + ny * k);
          if (out[b] === 255) { out[b] = r; next.push(b); }
        }
      }
      front = next;
    }
    return out;
  }
  /** Whether a box without triangles is inside: by the nearest triangle where there is one beside it, else as the next box that way. */
  private enclosed(q: number): boolean {
    const { grid, low, size, rings, inside } = this, [nx, ny, nz] = grid, r = rings[q];
    if (r === 255) return false;
    if (inside[q] === 0) {
      const x = q % nx, y = Math.floor(q / nx) % ny, z = Math.floor(q / (nx * ny));
      if (r === 1) {
        const px = low[0] + (x + 0.5) * size, py = low[1] + (y + 0.5) * size, pz = low[2] + (z + 0.5) * size;
        inside[q] = this.nearest(this.about(q, 1), px, py, pz, -1, 1e9) >= 0 && this.side(px, py, pz) < 0 ? 2 : 1;
      } else {
        let next = -1;
        for (let k = Math.max(0, z - 1); k <= Math.min(nz - 1, z + 1) && next < 0; k++) for (let j = Math.max(0, y - 1); j <= Math.min(ny - 1, y + 1) && next < 0; j++) for (let i = Math.max(0, x - 1); i <= Math.min(nx - 1, x + 1) && next < 0; i++) if (rings[i + nx * (j + ny * k)] === r - 1) next = i + nx * (j + ny * k);
        inside[q] = this.enclosed(next) ? 2 : 1;
      }
    }
    return inside[q] === 2;
  }
  /** Triangles that can be within reach of a place in a box, those nearest to its middle first. */
  private around(q: number): Near {
    const known = this.near.get(q);
    if (known) return known;
    const { grid, low, reach, size, hit } = this, x = low[0] + ((q % grid[0]) + 0.5) * size, y = low[1] + ((Math.floor(q / grid[0]) % grid[1]) + 0.5) * size, z = low[2] + (Math.floor(q / (grid[0] * grid[1])) + 0.5) * size, half = HALF * size, found: [number, number][] = [], all = this.about(q, WIDE);
    for (const t of all.faces) {
      closestOnTriangle(this.P, this.T, t, x, y, z, hit);
      const d = Math.sqrt(hit[3]);
      if (d <= half + reach) found.push([d, t]);
    }
    found.sort((a, b) => a[0] - b[0] || a[1] - b[1]);
    const near: Near = { faces: Uint32Array.from(found, (f) => f[1]), from: Float64Array.from(found, (f) => f[0] - half), balls: Float64Array.from(found.flatMap((f) => [0, 1, 2, 3].map((k) => this.balls[4 * f[1] + k]))) };
    this.near.set(q, near);
    return near;
  }
  /** Triangles of a box and of those about it, in no order. */
  private about(q: number, r: number): Near {
    const { grid, first, list, seen } = this, [nx, ny, nz] = grid, x = q % nx, y = Math.floor(q / nx) % ny, z = Math.floor(q / (nx * ny)), found: number[] = [];
    this.round++;
    for (let k = Math.max(0, z - r); k <= Math.min(nz - 1, z + r); k++) for (let j = Math.max(0, y - r); j <= Math.min(ny - 1, y + r); j++) for (let i = Math.max(0, x - r); i <= Math.min(nx - 1, x + r); i++) {
      const b = i + nx * (j + ny * k);
      for (let s = first[b]; s < first[b + 1]; s++) if (seen[list[s]] !== this.round) { seen[list[s]] = this.round; found.push(list[s]); }
    }
    return { faces: Uint32Array.from(found), from: null, balls: Float64Array.from(found.flatMap((t) => [0, 1, 2, 3].map((k) => this.balls[4 * t + k]))) };
  }

  /** Nearest of some triangles within `limit`, its place in `best`, the sum of the normals of all that are as near in `way`; −1 for none. */
  private nearest({ faces, from, balls }: Near, x: number, y: number, z: number, guess: number, limit: number): number {
    const { P, T, hit, best, normals, way } = this;
    let nearest = -1, far = limit, least = far * far;
    if (guess >= 0) {
      closestOnTriangle(P, T, guess, x, y, z, hit);
      if (hit[3] < least) { least = hit[3]; far = Math.sqrt(least); nearest = guess; for (let k = 0; k < 5; k++) best[k] = hit[k]; }
    }
    for (let s = 0, o = 0; s < faces.length; s++, o += 4) {
      if (from !== null && from[s] > far) break;
      const dx = x - balls[o], dy = y - balls[o + 1], dz = z - balls[o + 2], bound = far + balls[o + 3];
      if (dx * dx + dy * dy + dz * dz > bound * bound) continue;
      closestOnTriangle(P, T, faces[s], x, y, z, hit);
      if (hit[3] >= least) continue;
      least = hit[3]; far = Math.sqrt(least); nearest = faces[s];
      for (let k = 0; k < 5; k++) best[k] = hit[k];
    }
    if (nearest < 0) return -1;
    way[0] = normals[3 * nearest]; way[1] = normals[3 * nearest + 1]; way[2] = normals[3 * nearest + 2];
    this.border = false;
    if (best[4] < 0) return nearest;
    // on an edge or a corner all faces that meet there tell together which side is out
    const tie = least * (1 + 1e-7) + 1e-16;
    way[0] = way[1] = way[2] = 0;
    for (let s = 0, o = 0; s < faces.length; s++, o += 4) {
      if (from !== null && from[s] > far * 1.0001) break;
      const dx = x - balls[o], dy = y - balls[o + 1], dz = z - balls[o + 2], bound = far * 1.0001 + balls[o + 3];
      if (dx * dx + dy * dy + dz * dz > bound * bound) continue;
      const t = faces[s];
      closestOnTriangle(P, T, t, x, y, z, hit);
      if (hit[3] > tie) continue;
      way[0] += normals[3 * t]; way[1] += normals[3 * t + 1]; way[2] += normals[3 * t + 2];
      if (hit[4] >= 0 && this.opposite[3 * t + hit[4]] < 0) this.border = true;
    }
    return nearest;
  }
  /** Whether the nearest place is on an open edge. */
  private border = false;
  /** Below 0 for a place that is behind the nearest triangles and not past an open edge. */
  private side(x: number, y: number, z: number): number { return this.border ? 0 : this.way[0] * (x - this.best[0]) + this.way[1] * (y - this.best[1]) + this.way[2] * (z - this.best[2]); }

  /**
   * Signed distance of (x, y, z), m, and the way out in `normal`. Of a sheet, the side on which (cx, cy, cz) lies is out. Farther than `reach`
   * from it: Infinity; −Infinity so deep inside a closed mesh that no way out is known. `guess`: a triangle that may be near,
   * such as `triangle` was the last time; it only makes the answer quicker.
   */
  at(x: number, y: number, z: number, cx: number, cy: number, cz: number, normal: Float64Array, guess = -1): number {
    const { low, grid, reach, size, best, way } = this, i = Math.floor((x - low[0]) / size), j = Math.floor((y - low[1]) / size), k = Math.floor((z - low[2]) / size);
    this.triangle = -1;
    this.beyond = reach;
    if (!(i >= 0 && j >= 0 && k >= 0 && i < grid[0] && j < grid[1] && k < grid[2])) return Infinity;
    const q = i + grid[0] * (j + grid[1] * k), ring = this.rings[q];
    this.beyond = Math.max(reach, ((ring === 255 ? RINGS + 1 : ring) - 1) * size);
    const nearest = ring > WIDE ? -1 : this.nearest(this.around(q), x, y, z, guess, reach);
    this.triangle = nearest;
    if (nearest < 0) {
      if (!this.closed) return Infinity;
      // beside the surface the nearest triangle tells the side of the place itself, farther off that of its box will do
      let found = ring <= WIDE ? this.nearest(this.around(q), x, y, z, -1, 1e9) : -1;
      if (found < 0 && ring > 0 && !this.enclosed(q)) return Infinity;
      if (found < 0) found = this.nearest(this.about(q, Math.min(RINGS, ring) + 1), x, y, z, -1, 1e9);
      if (found < 0) return -Infinity;
      if (this.side(x, y, z) >= 0) return Infinity;
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
