/** Keeps combed strands out of skin and clothes, at a distance, while their lengths stay. */
import { SkinField } from '../../mesh/skin-field';
import { describeShell, outwardSign } from '../../sway/shell-check';

/** A mesh in the present pose that strands keep off. */
export interface Obstacle {
  /** 3 × vertices, m. */
  positions: ArrayLike<number>;
  triangles: Uint32Array;
  /** What is worn: strands that are under it when a stroke begins are let be by it. */
  worn: boolean;
}

/** Meshes are closed or not in every pose. */
const CLOSED = new WeakMap<Uint32Array, { closed: boolean; outward: 1 | -1 }>();
const MOST_TURNS = 4;
/** m: how finely a strand that turns out of the skin is put where it belongs. */
const FINE = 2e-5;
const LEAST_REACH = 0.004;
/** m: through a sheet nothing tells that a point has gone but the sheet itself: it is looked for farther off than a touch moves a point. */
const SHEET_REACH = 0.009;
/** m: so far below cloth a point is under it, and not just pressed into it. */
const UNDER = 5e-4;
/** Share of the gap that a point at its edge may move before it is asked about again. */
const SLACK = 0.08;

export class KeepOff {
  private readonly fields: { field: SkinField; worn: boolean }[];
  private readonly normal = new Float64Array(3);
  private readonly way = new Float64Array(3);
  /** For each point of the groom: how far from where it may be without being asked about again, m; its nearest triangle of each mesh. They hold from stroke to stroke. */
  private free = new Float64Array(0);
  private from = new Float64Array(0);
  private near = new Int32Array(0);

  constructor(obstacles: readonly Obstacle[], readonly gap: number) {
    this.fields = obstacles.slice(0, 32).map(({ positions, triangles, worn }) => {
      let known = CLOSED.get(triangles);
      // an open skin has an outside all the same; cloth has two sides
      if (!known) { const closed = !worn || describeShell(triangles, positions).closed; CLOSED.set(triangles, (known = { closed, outward: closed ? outwardSign(triangles, positions) : 1 })); }
      return { field: new SkinField(positions, triangles, known.closed, known.outward, Math.max(known.closed ? LEAST_REACH : SHEET_REACH, 1.2 * gap)), worn };
    });
  }

  /** Asks about points (3 × count, m) before anybody strokes, until the time given has come; the number of the first that is left. */
  warm(points: Float64Array, begin: number, until: () => boolean): number {
    const n = points.length / 3;
    this.begin(n);
    for (let p = begin; p < n; p++) {
      if (!this.sure(p, points, 3 * p)) {
        // what is quickly told is known of its box from now on
        this.surely(points, 3 * p, points, 3 * p);
        this.know(p, points, 3 * p, this.ask(points, 3 * p, points, 3 * p, p) - this.gap);
      }
      if (p % 64 === 63 && until()) return p + 1;
    }
    return n;
  }
  /** Before a stroke on so many points. */
  begin(points: number): void {
    if (this.free.length === points) return;
    this.free = new Float64Array(points);
    this.from = new Float64Array(3 * points);
    this.near = new Int32Array(points * this.fields.length).fill(-1);
  }
  private know(point: number, A: Float64Array, k: number, free: number): void {
    this.free[point] = Math.max(0, free);
    for (let c = 0; c < 3; c++) this.from[3 * point + c] = A[k + c];
  }
  /** Whether a point that is at place `k` of `A` is clear by what is known of it. */
  private sure(point: number, A: Float64Array, k: number): boolean {
    const { from, free } = this, f = 3 * point;
    return (A[k] - from[f]) ** 2 + (A[k + 1] - from[f + 1]) ** 2 + (A[k + 2] - from[f + 2]) ** 2 < free[point] ** 2;
  }

  /**
   * Lays a strand out root → tip (points from `o`, numbered from `first`, lengths from `e`) near where it is wanted: each edge keeps its length and turns about
   * the point before it until its end is clear. `before`: where the points were. False where a point would end inside and
   * cannot be helped; the points are not to be used then.
   */
  layOut(points: Float64Array, o: number, n: number, first: number, before: Float64Array, lengths: Float64Array, e = first): boolean {
    if (this.fields.length === 0) return true;
    let along = 0, shifted = false;
    for (let i = 1; i < n; i++) {
      const p = o + 3 * i, q = p - 3, length = lengths[e + i];
      along += length;
      if (shifted) {
        // the point before has moved: from there toward where this one is wanted
        const ex = points[p] - points[q], ey = points[p + 1] - points[q + 1], ez = points[p + 2] - points[q + 2], far = Math.sqrt(ex * ex + ey * ey + ez * ez), k = far > 1e-12 ? length / far : 0;
        points[p] = points[q] + k * ex; points[p + 1] = points[q + 1] + k * ey; points[p + 2] = points[q + 2] + k * ez;
      }
      if (this.sure(first + i, points, p)) continue;
      // the first points may lie closer than the gap
      const wanted = Math.min(this.gap, 0.5 * along);
      let free = this.surely(points, p, before, 3 * i) - wanted;
      if (free >= 0) { this.know(first + i, points, p, free); continue; }
      for (let turn = 0; turn < MOST_TURNS; turn++) {
        free = this.ask(points, p, before, 3 * i, first + i) - wanted;
        if (free === -Infinity) return false;
        if (free >= -FINE) break;
        shifted = true;
        this.turn(points, p, q, length, -free);
      }
      // where no turn gets it clear, at least it does not go in deeper than it was
      if (free + wanted < -FINE && free + wanted < this.ask(before, 3 * i, before, 3 * i, first + i) - FINE) return false;
      this.know(first + i, points, p, free + SLACK * wanted);
    }
    return true;
  }
  /** How far place `k` of `A` is clear of everything at the least, m, as far as that is quickly told; place `m` of `C`: where the point was. */
  private surely(A: Float64Array, k: number, C: Float64Array, m: number): number {
    const { fields } = this, way2 = (A[k] - C[m]) ** 2 + (A[k + 1] - C[m + 1]) ** 2 + (A[k + 2] - C[m + 2]) ** 2;
    let least = Infinity;
    for (let f = 0; f < fields.length; f++) {
      const { field } = fields[f], d = field.clear(A, k);
      // a sheet that is farther away than the point has come it has not gone through
      if (!field.closed && d * d < way2) return -Infinity;
      if (d < least) least = d;
    }
    return least;
  }
  /** How far the same is clear of everything, below 0 inside; the way out is in `way`. */
  private ask(A: Float64Array, k: number, C: Float64Array, m: number, point: number): number {
    const { fields, normal, way, near } = this, count = fields.length;
    let least = Infinity;
    for (let f = 0; f < count; f++) {
      const { field, worn } = fields[f], d = field.at(A, k, C, m, normal, near[point * count + f]), nx = normal[0], ny = normal[1], nz = normal[2];
      near[point * count + f] = field.triangle;
      const room = d === Infinity ? field.beyond : d;
      if (room >= least) continue;
      if (d < 0) {
        // what is under cloth already, or deep inside, is let be
        const was = A[k] === C[m] && A[k + 1] === C[m + 1] && A[k + 2] === C[m + 2] ? d : field.at(C, m, C, m, normal);
        if (was === -Infinity || (worn && was < -UNDER)) continue;
      }
      least = room;
      way[0] = nx; way[1] = ny; way[2] = nz;
    }
    return least;
  }

  /** Turns the edge q → p about q until p has come so far along the way out; its length stays. */
  private turn(points: Float64Array, p: number, q: number, length: number, rise: number): void {
    const { way } = this, ex = points[p] - points[q], ey = points[p + 1] - points[q + 1], ez = points[p + 2] - points[q + 2], now = ex * way[0] + ey * way[1] + ez * way[2];
    const up = Math.max(-0.9999 * length, Math.min(0.9999 * length, now + rise));
    let tx = ex - now * way[0], ty = ey - now * way[1], tz = ez - now * way[2], across = Math.sqrt(tx * tx + ty * ty + tz * tz);
    if (across < 1e-9) {
      // straight in: any way across will do
      const a = Math.abs(way[0]) < 0.6 ? 1 : 0;
      tx = a - way[0] * (a * way[0] + (1 - a) * way[1]); ty = 1 - a - way[1] * (a * way[0] + (1 - a) * way[1]); tz = -way[2] * (a * way[0] + (1 - a) * way[1]);
      across = Math.sqrt(tx * tx + ty * ty + tz * tz);
    }
    const k = Math.sqrt(Math.max(0, length * length - up * up)) / across;
    points[p] = points[q] + k * tx + up * way[0]; points[p + 1] = points[q + 1] + k * ty + up * way[1]; points[p + 2] = points[q + 2] + k * tz + up * way[2];
  }
}
