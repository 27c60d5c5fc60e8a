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
const LEAST_REACH = 0.006;

export class KeepOff {
  private readonly fields: { field: SkinField; worn: boolean }[];
  private readonly normal = new Float64Array(3);
  private readonly way = new Float64Array(3);
  /** For each point of the groom: how far it can move before it has to be asked about again, m; its nearest triangle of each mesh; meshes that let it be. */
  private free = new Float64Array(0);
  private near = new Int32Array(0);
  private asked = new Uint8Array(0);
  private spared = new Uint32Array(0);

  constructor(obstacles: readonly Obstacle[], readonly gap: number) {
    this.fields = obstacles.slice(0, 32).map(({ positions, triangles, worn }) => {
      let known = CLOSED.get(triangles);
      // an open skin has an outside all the same; cloth has two sides
      if (!known) { const closed = !worn || describeShell(triangles, positions).closed; CLOSED.set(triangles, (known = { closed, outward: closed ? outwardSign(triangles, positions) : 1 })); }
      return { field: new SkinField(positions, triangles, known.closed, known.outward, Math.max(LEAST_REACH, 1.2 * gap)), worn };
    });
  }

  /** Before a stroke on so many points. */
  begin(points: number): void {
    this.free = new Float64Array(points);
    this.near = new Int32Array(points * this.fields.length).fill(-1);
    this.asked = new Uint8Array(points);
    this.spared = new Uint32Array(points);
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
      const mx = points[p] - before[3 * i], my = points[p + 1] - before[3 * i + 1], mz = points[p + 2] - before[3 * i + 2], moved = Math.sqrt(mx * mx + my * my + mz * mz);
      this.free[first + i] -= moved;
      if (this.free[first + i] > 0) continue;
      // the first points may lie closer than the gap
      const wanted = Math.min(this.gap, 0.5 * along);
      let free = Infinity;
      for (let turn = 0; turn < MOST_TURNS; turn++) {
        free = this.ask(points[p], points[p + 1], points[p + 2], before, i, first + i, wanted);
        if (free === -Infinity) return this.refuse(first, n);
        if (free >= -FINE) break;
        shifted = true;
        this.turn(points, p, q, length, -free);
      }
      // where no turn gets it clear, at least it does not go in deeper than it was
      if (free + wanted < -FINE && free + wanted < this.ask(before[3 * i], before[3 * i + 1], before[3 * i + 2], before, i, first + i, 0) - FINE) return this.refuse(first, n);
      this.free[first + i] = free;
    }
    return true;
  }

  private refuse(first: number, n: number): false {
    // what was found is of places where the points do not come to lie
    this.free.fill(0, first, first + n);
    return false;
  }

  /** How far beyond what is wanted a point is clear of everything; negative for too near, the way out is in `way` then. */
  private ask(x: number, y: number, z: number, before: Float64Array, i: number, point: number, wanted: number): number {
    const { fields, normal, way, near } = this, count = fields.length;
    let least = Infinity;
    const cx = before[3 * i], cy = before[3 * i + 1], cz = before[3 * i + 2];
    if (!this.asked[point]) {
      this.asked[point] = 1;
      let spared = 0;
      for (let k = 0; k < count; k++) {
        const d = fields[k].field.at(cx, cy, cz, cx, cy, cz, normal);
        if (d === -Infinity || (fields[k].worn && d < 0)) spared |= 1 << k;
      }
      this.spared[point] = spared;
    }
    for (let k = 0; k < count; k++) {
      if (this.spared[point] & (1 << k)) continue;
      const { field } = fields[k], d = field.at(x, y, z, cx, cy, cz, normal, near[point * count + k]);
      near[point * count + k] = field.triangle;
      if (d === -Infinity) return d;
      const room = (d === Infinity ? field.beyond : d) - wanted;
      if (room < least) { least = room; way[0] = normal[0]; way[1] = normal[1]; way[2] = normal[2]; }
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
