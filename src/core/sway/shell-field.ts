import { closestOnTriangle } from '../mesh/closest';
import { neighbours, weldByPosition } from '../mesh/surface';
import { outwardSign } from './shell-check';

/** Neighbours of meshes and which way their faces look, which do not change from pose to pose. */
const KNOWN = new WeakMap<Uint32Array, { opposite: Int32Array; outward: 1 | -1 }>();

/**
 * Nearest triangles of a mesh on a grid round the hair: for many questions about one pose. From the triangle that is nearest the
 * middle of a cell a question follows the surface to the one that is nearest the place.
 */
export class ShellField {
  private readonly low: [number, number, number];
  private readonly grid: [number, number, number];
  private readonly cell: number;
  /** Triangle + 1 of each cell, 0 for none near. */
  private readonly nearest: Int32Array;
  private readonly distance: Float32Array;
  private readonly outward: number;
  private readonly near = new Float64Array(5);
  /** Edge the nearest place lies on, −1 for none. */
  private rim = -1;
  private readonly opposite: Int32Array;

  /** `box`: low and high corner, m; `band`: distance from the mesh that is kept, m. */
  constructor(private readonly P: ArrayLike<number>, private readonly T: Uint32Array, private readonly closed: boolean, box: readonly number[], band: number) {
    const low: [number, number, number] = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity];
    let known = KNOWN.get(T);
    if (!known) { const weld = weldByPosition(P); KNOWN.set(T, (known = { opposite: neighbours(T.map((v) => weld[v])), outward: closed ? outwardSign(T, P) : 1 })); }
    this.opposite = known.opposite;
    for (let v = 0; v < P.length; v++) { const c = v % 3; if (P[v] < low[c]) low[c] = P[v]; if (P[v] > high[c]) high[c] = P[v]; }
    for (let c = 0; c < 3; c++) { low[c] = Math.max(low[c] - band, box[c]); high[c] = Math.min(high[c] + band, box[3 + c]); }
    const size = [0, 1, 2].map((c) => high[c] - low[c]);
    this.low = low;
    this.cell = Math.max(0.003, ...size.map((s) => s / 160));
    this.grid = size.map((s) => Math.max(0, Math.ceil(s / this.cell))) as [number, number, number];
    const cells = size.some((s) => !(s > 0)) ? 0 : this.grid[0] * this.grid[1] * this.grid[2];
    this.nearest = new Int32Array(cells);
    this.distance = new Float32Array(cells).fill(band * band);
    this.outward = known.outward;
    for (let t = 0; cells > 0 && t < T.length / 3; t++) this.enter(t, band);
  }

  private enter(t: number, band: number): void {
    const { P, T, low, cell, grid, near } = this, a = 3 * T[3 * t], b = 3 * T[3 * t + 1], c = 3 * T[3 * t + 2], from = [0, 0, 0], to = [0, 0, 0];
    for (let k = 0; k < 3; k++) {
      from[k] = Math.max(0, Math.floor((Math.min(P[a + k], P[b + k], P[c + k]) - band - low[k]) / cell));
      to[k] = Math.min(grid[k] - 1, Math.floor((Math.max(P[a + k], P[b + k], P[c + k]) + band - low[k]) / cell));
      if (from[k] > to[k]) return;
    }
    const ux = P[b] - P[a], uy = P[b + 1] - P[a + 1], uz = P[b + 2] - P[a + 2], vx = P[c] - P[a], vy = P[c + 1] - P[a + 1], vz = P[c + 2] - P[a + 2];
    let nx = uy * vz - uz * vy, ny = uz * vx - ux * vz, nz = ux * vy - uy * vx;
    const l = Math.sqrt(nx * nx + ny * ny + nz * nz);
    if (!(l > 1e-16)) return;
    nx /= l; ny /= l; nz /= l;
    for (let z = from[2]; z <= to[2]; z++) for (let y = from[1]; y <= to[1]; y++) for (let x = from[0]; x <= to[0]; x++) {
      const q = x + grid[0] * (y + grid[1] * z), px = low[0] + (x + 0.5) * cell, py = low[1] + (y + 0.5) * cell, pz = low[2] + (z + 0.5) * cell, d = nx * (px - P[a]) + ny * (py - P[a + 1]) + nz * (pz - P[a + 2]);
      if (d * d >= this.distance[q]) continue;
      this.closest(t, px, py, pz);
      if (near[3] < this.distance[q]) { this.distance[q] = near[3]; this.nearest[q] = t + 1; }
    }
  }

  /** Closest point of a triangle into `near`, its squared distance at 3. */
  private closest(t: number, x: number, y: number, z: number): void {
    closestOnTriangle(this.P, this.T, t, x, y, z, this.near);
    this.rim = this.near[4];
  }

  private readonly face = new Float64Array(3);
  private normalOf(t: number): void {
    const { P, T, face } = this, a = 3 * T[3 * t], b = 3 * T[3 * t + 1], c = 3 * T[3 * t + 2], ux = P[b] - P[a], uy = P[b + 1] - P[a + 1], uz = P[b + 2] - P[a + 2], vx = P[c] - P[a], vy = P[c + 1] - P[a + 1], vz = P[c + 2] - P[a + 2];
    const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx, l = 1 / Math.max(1e-30, Math.sqrt(x * x + y * y + z * z));
    face[0] = x * l; face[1] = y * l; face[2] = z * l;
  }
  /** Signed distance, Infinity where nothing is near, and the outward normal; a sheet's outside is where (cx, cy, cz) is. */
  at(x: number, y: number, z: number, cx: number, cy: number, cz: number, normal: Float64Array): number {
    const { low, cell, grid, P, T, near: N } = this, i = Math.floor((x - low[0]) / cell), j = Math.floor((y - low[1]) / cell), k = Math.floor((z - low[2]) / cell);
    if (i < 0 || j < 0 || k < 0 || i >= grid[0] || j >= grid[1] || k >= grid[2]) return Infinity;
    let t = this.nearest[i + grid[0] * (j + grid[1] * k)] - 1;
    if (t < 0) return Infinity;
    this.closest(t, x, y, z);
    for (let step = 0; step < 8 && this.rim >= 0; step++) {
      const far = N[3], rim = this.rim;
      let moved = false;
      // over the edge it lies on first, then over the others: it may lie on a corner
      for (let k = 0; k < 3 && !moved; k++) {
        const h = this.opposite[3 * t + ((rim + k) % 3)];
        if (h < 0) continue;
        const other = (h / 3) | 0;
        this.closest(other, x, y, z);
        if (N[3] < far) { t = other; moved = true; }
      }
      if (!moved) { this.closest(t, x, y, z); break; }
    }
    this.normalOf(t);
    let nx = this.face[0], ny = this.face[1], nz = this.face[2];
    const a = 3 * T[3 * t], h = this.rim >= 0 ? this.opposite[3 * t + this.rim] : -1;
    if (h >= 0) {
      // on an edge the two faces tell together which side is out
      this.normalOf((h / 3) | 0);
      nx += this.face[0]; ny += this.face[1]; nz += this.face[2];
    }
    const side = this.closed ? this.outward : nx * (cx - P[a]) + ny * (cy - P[a + 1]) + nz * (cz - P[a + 2]) >= 0 ? 1 : -1, l = side / Math.max(1e-30, Math.sqrt(nx * nx + ny * ny + nz * nz));
    nx *= l; ny *= l; nz *= l;
    const plane = nx * (x - N[0]) + ny * (y - N[1]) + nz * (z - N[2]), far = Math.sqrt(N[3]);
    if (plane >= 0 && far > 1e-9) { normal[0] = (x - N[0]) / far; normal[1] = (y - N[1]) / far; normal[2] = (z - N[2]) / far; return far; }
    normal[0] = nx; normal[1] = ny; normal[2] = nz;
    // past a border of a sheet nothing is in the way
    return this.closed || far + plane < 1e-4 ? -far : far;
  }
}
