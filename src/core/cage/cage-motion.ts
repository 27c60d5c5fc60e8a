/**
 * Points of a cage as masses. Each is drawn to where its joint has it, as a damped oscillator; neighbours are joined by springs, and every
 * cell keeps its volume.
 *
 * A step is split in two. What acts between points changes their velocities by a linearised implicit step, which no spring makes unstable
 * (conjugate gradients; Baraff and Witkin 1998, *from memory*). Then each point moves as the damped oscillator it is, in closed form:
 * u″ + c u′ + ω² u = a, with u from where the joint has it, which moves evenly within the step. A point alone is therefore exact with any step.
 */
import { requireContract } from '../contract';
import { oscillatorStep } from './oscillator';

export interface CageSprings {
  /** Points along an edge. */
  points: number;
  /** kg, of all points together. */
  mass: number;
  /** 1/s and 1/s: angular frequency about the joint's place, and damping against its movement; and against the air. */
  omega: number;
  damping: number;
  air: number;
  /** N/m and Pa. */
  firm: number;
  bulk: number;
}

const MOST_STEPS = 60;
/** A solve ends where what is left is this share of what there was. */
const GOOD = 1e-8;
/**
 * The two ways of cutting a cell into five tetrahedra, corners numbered x + 2y + 4z: half the sum of both is the volume of the trilinear cell, and
 * favours no corner.
 */
const TETS = [[0, 1, 3, 5], [0, 3, 2, 6], [0, 4, 5, 6], [3, 5, 7, 6], [0, 5, 3, 6], [1, 0, 4, 2], [1, 2, 7, 3], [1, 5, 7, 4], [2, 4, 7, 6], [1, 4, 7, 2]] as const;

export class CageMotion {
  static readonly madeAnew: ReadonlySet<string> = new Set(['of', 'pinned', 'pairs', 'rest', 'rate', 'cells', 'restVolume', 'grow', 'force', 'dv', 'r', 'd', 'Ad', 'along', 'one']);
  readonly count: number;
  /** 3 × count, m and m/s. */
  readonly x: Float64Array;
  readonly v: Float64Array;
  private readonly pairs: Uint16Array;
  private readonly rest: Float64Array;
  private readonly rate: Float64Array;
  private readonly cells: Uint16Array;
  private readonly restVolume: Float64Array;
  private readonly grow: Float64Array;
  private readonly force: Float64Array;
  private readonly dv: Float64Array;
  private readonly r: Float64Array;
  private readonly d: Float64Array;
  private readonly Ad: Float64Array;
  /** Of each pair: direction, and share of the spring that acts across it. */
  private readonly along: Float64Array;

  /** `points`: 3 × n³, m, at rest, x first; `pinned`: 1 for points that go exactly where the joint has them. */
  constructor(points: ArrayLike<number>, private readonly of: CageSprings, private readonly pinned: ArrayLike<number> = new Uint8Array(of.points ** 3)) {
    const n = of.points, count = (this.count = n ** 3), pairs: number[] = [], rate: number[] = [], cells: number[] = [], at = (i: number, j: number, k: number): number => i + n * (j + n * k);
    requireContract(points.length === 3 * count && pinned.length === count, 'points', `3 × ${n}³ numbers`, points.length);
    for (let k = 0; k < n; k++) for (let j = 0; j < n; j++) for (let i = 0; i < n; i++) {
      const here = at(i, j, k), join = (a: number, b: number, share: number): void => { pairs.push(a, b); rate.push(share * of.firm); };
      if (i < n - 1) join(here, at(i + 1, j, k), 1);
      if (j < n - 1) join(here, at(i, j + 1, k), 1);
      if (k < n - 1) join(here, at(i, j, k + 1), 1);
      // corners of the faces, which keep the cells square
      if (i < n - 1 && j < n - 1) { join(here, at(i + 1, j + 1, k), 0.5); join(at(i + 1, j, k), at(i, j + 1, k), 0.5); }
      if (j < n - 1 && k < n - 1) { join(here, at(i, j + 1, k + 1), 0.5); join(at(i, j + 1, k), at(i, j, k + 1), 0.5); }
      if (k < n - 1 && i < n - 1) { join(here, at(i + 1, j, k + 1), 0.5); join(at(i, j, k + 1), at(i + 1, j, k), 0.5); }
      if (i < n - 1 && j < n - 1 && k < n - 1) for (let b = 0; b < 8; b++) cells.push(at(i + (b & 1), j + ((b >> 1) & 1), k + (b >> 2)));
    }
    this.pairs = Uint16Array.from(pairs);
    this.rate = Float64Array.from(rate);
    this.cells = Uint16Array.from(cells);
    this.x = Float64Array.from(points);
    this.v = new Float64Array(3 * count);
    this.rest = Float64Array.from(rate, (_, e) => Math.hypot(...[0, 1, 2].map((c) => points[3 * pairs[2 * e + 1] + c] - points[3 * pairs[2 * e] + c])));
    this.grow = new Float64Array(3 * cells.length);
    this.restVolume = new Float64Array(cells.length / 8);
    for (let q = 0; q < this.restVolume.length; q++) this.restVolume[q] = this.cell(q, false);
    this.force = new Float64Array(3 * count);
    this.dv = new Float64Array(3 * count);
    this.r = new Float64Array(3 * count);
    this.d = new Float64Array(3 * count);
    this.Ad = new Float64Array(3 * count);
    this.along = new Float64Array(4 * rate.length);
  }

  /** Points stand where the joint has them, and move as it does. */
  begin(goals: ArrayLike<number>, velocity = 0): void { this.x.set(goals); this.v.fill(velocity); }

  /** One step of `h` s, in which where the joint has the points goes evenly from `from` to `to`. `push`: acceleration of all (m/s²); `wind`: velocity of the air (m/s). */
  step(h: number, from: ArrayLike<number>, to: ArrayLike<number>, push: ArrayLike<number>, wind: ArrayLike<number>): void {
    const { x, v, pinned, of: { omega, damping, air, firm, bulk }, one } = this;
    if (firm > 0 || bulk > 0) this.pull(h);
    oscillatorStep(h, omega, damping + air, one);
    const [uu, uv, vu, vv] = one;
    for (let a = 0; a < x.length; a++) {
      const g = (to[a] - from[a]) / h, c = a % 3;
      if (pinned[(a - c) / 3] !== 0) { x[a] = to[a]; v[a] = g; continue; }
      // where it would come to rest under the push and the wind
      const lean = (push[c] + air * (wind[c] - g)) / (omega * omega), u = x[a] - from[a] - lean, w = v[a] - g;
      x[a] = to[a] + lean + uu * u + uv * w;
      v[a] = g + vu * u + vv * w;
    }
  }
  private readonly one = new Float64Array(4);

  /** Volume of all cells as a share of that at rest. */
  get volume(): number {
    let now = 0, rest = 0;
    for (let q = 0; q < this.restVolume.length; q++) { now += this.cell(q, false); rest += this.restVolume[q]; }
    return now / rest;
  }
  /** Volume of a cell, m³; and by how much it grows as its corners move. */
  private cell(q: number, grows: boolean): number {
    const { cells, x, grow } = this, o = 8 * q, g = 24 * q;
    let volume = 0;
    if (grows) grow.fill(0, g, g + 24);
    for (const [a, b, c, d] of TETS) {
      const A = 3 * cells[o + a], B = 3 * cells[o + b], C = 3 * cells[o + c], D = 3 * cells[o + d];
      const bx = x[B] - x[A], by = x[B + 1] - x[A + 1], bz = x[B + 2] - x[A + 2], cx = x[C] - x[A], cy = x[C + 1] - x[A + 1], cz = x[C + 2] - x[A + 2], dx = x[D] - x[A], dy = x[D + 1] - x[A + 1], dz = x[D + 2] - x[A + 2];
      const ux = (cy * dz - cz * dy) / 12, uy = (cz * dx - cx * dz) / 12, uz = (cx * dy - cy * dx) / 12;
      volume += bx * ux + by * uy + bz * uz;
      if (!grows) continue;
      const vx = (dy * bz - dz * by) / 12, vy = (dz * bx - dx * bz) / 12, vz = (dx * by - dy * bx) / 12, wx = (by * cz - bz * cy) / 12, wy = (bz * cx - bx * cz) / 12, wz = (bx * cy - by * cx) / 12;
      grow[g + 3 * b] += ux; grow[g + 3 * b + 1] += uy; grow[g + 3 * b + 2] += uz;
      grow[g + 3 * c] += vx; grow[g + 3 * c + 1] += vy; grow[g + 3 * c + 2] += vz;
      grow[g + 3 * d] += wx; grow[g + 3 * d + 1] += wy; grow[g + 3 * d + 2] += wz;
      grow[g + 3 * a] -= ux + vx + wx; grow[g + 3 * a + 1] -= uy + vy + wy; grow[g + 3 * a + 2] -= uz + vz + wz;
    }
    return volume;
  }

  /** What acts between points, over `h`: (m + h² K) Δv = h (f − h K v). */
  private pull(h: number): void {
    const { x, v, pairs, rest, rate, along, force, cells, restVolume, grow, of: { bulk, mass }, count, pinned, dv, r, d, Ad } = this, m = mass / count;
    force.fill(0);
    for (let e = 0; e < rate.length; e++) {
      const a = 3 * pairs[2 * e], b = 3 * pairs[2 * e + 1], dx = x[b] - x[a], dy = x[b + 1] - x[a + 1], dz = x[b + 2] - x[a + 2], l = Math.max(1e-9, Math.sqrt(dx * dx + dy * dy + dz * dz)), f = (rate[e] * (l - rest[e])) / l;
      along[4 * e] = dx / l; along[4 * e + 1] = dy / l; along[4 * e + 2] = dz / l;
      // pressed together it would help to give way sideways: left out, so that the system has one solution
      along[4 * e + 3] = Math.max(0, 1 - rest[e] / l);
      force[a] += f * dx; force[a + 1] += f * dy; force[a + 2] += f * dz;
      force[b] -= f * dx; force[b + 1] -= f * dy; force[b + 2] -= f * dz;
    }
    if (bulk > 0) for (let q = 0; q < restVolume.length; q++) {
      const p = bulk * (this.cell(q, true) / restVolume[q] - 1);
      for (let b = 0; b < 8; b++) for (let c = 0; c < 3; c++) force[3 * cells[8 * q + b] + c] -= p * grow[24 * q + 3 * b + c];
    }
    // r = h (f − h K v), without what is pinned
    this.springs(v, Ad);
    let rr = 0;
    for (let a = 0; a < r.length; a++) {
      r[a] = pinned[Math.floor(a / 3)] !== 0 ? 0 : h * (force[a] - h * Ad[a]);
      d[a] = r[a];
      dv[a] = 0;
      rr += r[a] * r[a];
    }
    const enough = GOOD * GOOD * rr;
    for (let k = 0; k < MOST_STEPS && rr > enough && rr > 1e-300; k++) {
      this.springs(d, Ad);
      let dAd = 0;
      for (let a = 0; a < d.length; a++) { Ad[a] = pinned[Math.floor(a / 3)] !== 0 ? 0 : m * d[a] + h * h * Ad[a]; dAd += d[a] * Ad[a]; }
      const s = rr / dAd;
      let next = 0;
      for (let a = 0; a < d.length; a++) { dv[a] += s * d[a]; r[a] -= s * Ad[a]; next += r[a] * r[a]; }
      const t = next / rr;
      for (let a = 0; a < d.length; a++) d[a] = r[a] + t * d[a];
      rr = next;
    }
    for (let a = 0; a < v.length; a++) v[a] += dv[a];
  }

  /** out = K w, K the stiffness of springs and cells as they stand. */
  private springs(w: Float64Array, out: Float64Array): void {
    const { pairs, rate, along, cells, restVolume, grow, of: { bulk } } = this;
    out.fill(0);
    for (let e = 0; e < rate.length; e++) {
      const a = 3 * pairs[2 * e], b = 3 * pairs[2 * e + 1], o = 4 * e, x = w[b] - w[a], y = w[b + 1] - w[a + 1], z = w[b + 2] - w[a + 2], across = rate[e] * along[o + 3], f = (rate[e] - across) * (x * along[o] + y * along[o + 1] + z * along[o + 2]);
      const fx = across * x + f * along[o], fy = across * y + f * along[o + 1], fz = across * z + f * along[o + 2];
      out[a] -= fx; out[a + 1] -= fy; out[a + 2] -= fz;
      out[b] += fx; out[b + 1] += fy; out[b + 2] += fz;
    }
    if (bulk > 0) for (let q = 0; q < restVolume.length; q++) {
      let s = 0;
      for (let b = 0; b < 8; b++) for (let c = 0; c < 3; c++) s += grow[24 * q + 3 * b + c] * w[3 * cells[8 * q + b] + c];
      s *= bulk / restVolume[q];
      for (let b = 0; b < 8; b++) for (let c = 0; c < 3; c++) out[3 * cells[8 * q + b] + c] += s * grow[24 * q + 3 * b + c];
    }
  }
}
