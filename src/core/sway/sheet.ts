/**
 * A sheet as a grid of linked rods: each line is a strip of the cloth with the width it has there; its points are linked to those of the lines
 * beside it by what cloth does across the lines: stretch, shear, and bending.
 *
 * A link is a scalar C(x) that is 0 at rest, with stiffness k and a lag τ: F = −k (C + τ Ċ). After the rods have made their substep by themselves, all links correct it
 * together, with edges along the lines as firm as can be: (M / ĥ² + Σ k (1 + τ/h) ∇C ∇Cᵀ) Δx = −Σ k (C + τ/h (C − C₋)) ∇C, C₋ that of the last substep, ĥ = 2h/3 as the
 * rods step by BDF2; solved by conjugate gradients that are scaled by mass, whose every step keeps momentum. Points go Δx on, and Δx / ĥ faster. So links bear at rest just what they should, and nothing of it can blow up. Then each edge gets its length back from its root down.
 * **Source:** implicit step for cloth, Baraff and Witkin 1998, from memory. Stretch between lines a apart whose points are b apart: k = S b / a. Shear along the
 * diagonals of a field: k = G (a² + b²) / (2 a b). Bending across: C = |xₗ − 2x + xᵣ| less what it is at rest, k = B b / a³. All three follow from the energy of a plane field; *own derivation*.
 */
import { stripRod, type Sheet } from './cloth';
import type { PhysicalRod } from './materials';
import type { RodSystem } from './rod-system';

const STRETCH = 0, BEND = 1;
/** N/m: what cannot be stretched. Steps of the solver at most, and the share of what is wrong that may be left. */
const STIFF = 1e7, STEPS = 60, LEFT = 1e-4;
/** How many times as firm as its points are heavy (m / h²) a link is at most: farther it would give no nearer. */
const FIRMEST = 4000;
/** How often lengths are put right by moving both ends, before they are set from the root down. */
const PASSES = 2;

export class SheetGrid {
  /** m: how wide the strip of each point is, guides × points; and of each guide on the whole. */
  readonly widths: Float64Array;
  readonly wide: Float64Array;
  /** Neighbours of each guide, −1 for none. */
  readonly next: Int32Array;
  /** `P`: 3 × points of all guides, m, as they hang at rest. */
  constructor(readonly sheet: Sheet, readonly P: ArrayLike<number>, readonly guides: number, readonly points: number) {
    const n = points, around = sheet.around && guides > 2;
    this.next = Int32Array.from({ length: guides }, (_, g) => (g + 1 < guides ? g + 1 : around ? 0 : -1));
    const before = (g: number): number => (g > 0 ? g - 1 : around ? guides - 1 : -1), far = (a: number, b: number, i: number): number => Math.hypot(P[3 * (a * n + i)] - P[3 * (b * n + i)], P[3 * (a * n + i) + 1] - P[3 * (b * n + i) + 1], P[3 * (a * n + i) + 2] - P[3 * (b * n + i) + 2]);
    this.widths = new Float64Array(guides * n);
    this.wide = new Float64Array(guides);
    for (let g = 0; g < guides; g++) {
      for (let i = 0; i < n; i++) {
        const sides = [before(g), this.next[g]].filter((o) => o >= 0 && o !== g);
        // half way to the line at either side; the outermost lie in the middle of theirs too
        const w = sides.reduce((sum, o) => sum + far(g, o, i) / sides.length, 0);
        this.widths[g * n + i] = Math.max(1e-3, w);
        this.wide[g] += this.widths[g * n + i] / n;
      }
    }
  }
  get mean(): number { let s = 0; for (const w of this.wide) s += w / this.guides; return s; }
  rod(g: number): PhysicalRod { return stripRod(this.sheet, this.wide[g]); }
  /** How much wider the strip of guide `g` is at a share of its length than on the whole. */
  share(g: number, s: number): number {
    const n = this.points, at = Math.min(n - 1, Math.max(0, s * (n - 1))), i = Math.min(n - 2, Math.floor(at)), t = at - i, o = g * n + i;
    return (this.widths[o] + t * (this.widths[o + 1] - this.widths[o])) / this.wide[g];
  }
}

export class SheetLinks {
  private readonly kind: Uint8Array;
  /** Two or three points of each: strand and point on it. */
  private readonly strand: Int32Array;
  private readonly point: Int32Array;
  /** Where its points are in lists of places. */
  private readonly place: Int32Array;
  private readonly rest: Float64Array;
  private readonly stiffness: Float64Array;
  readonly count: number;
  /** How many of them are between lines; the others are along them. */
  readonly across: number;
  /** C of each link after the last substep. */
  private readonly last: Float64Array;
  private first = true;
  private readonly x: Float64Array;
  private readonly w: Float64Array;
  /** Of the solver: what is asked, what is left, its way, and what that makes of it; by link: direction (3), and stiffness. */
  private readonly moved: Float64Array;
  private readonly asked: Float64Array;
  private readonly left: Float64Array;
  private readonly way: Float64Array;
  private readonly made: Float64Array;
  private readonly scale: Float64Array;
  private readonly along: Float64Array;
  private readonly firm: Float64Array;
  static readonly madeAnew = new Set(['kind', 'strand', 'point', 'place', 'x', 'w', 'asked', 'left', 'way', 'made', 'scale', 'along', 'firm']);

  constructor(grid: SheetGrid) {
    const { sheet, P, guides, points: n, next } = grid, kind: number[] = [], strand: number[] = [], point: number[] = [], rest: number[] = [], stiffness: number[] = [];
    const far = (a: number, i: number, b: number, j: number): number => Math.hypot(P[3 * (a * n + i)] - P[3 * (b * n + j)], P[3 * (a * n + i) + 1] - P[3 * (b * n + j) + 1], P[3 * (a * n + i) + 2] - P[3 * (b * n + j) + 2]);
    const add = (k: number, of: [number, number][], length: number, stiff: number): void => { if (!(stiff > 0)) return; kind.push(k); for (let q = 0; q < 3; q++) { strand.push(of[q]?.[0] ?? -1); point.push(of[q]?.[1] ?? 0); } rest.push(length); stiffness.push(stiff); };
    for (let i = 1; i < n; i++) for (let g = 0; g < guides; g++) {
      const o = next[g];
      if (o < 0) continue;
      const below = 0.5 * (far(g, i, g, i - 1) + far(o, i, o, i - 1)), beyond = i < n - 1 ? 0.5 * (far(g, i, g, i + 1) + far(o, i, o, i + 1)) : 0, b = 0.5 * (below + beyond), a = far(g, i, o, i);
      if (a > 1e-6) add(STRETCH, [[g, i], [o, i]], a, (sheet.stretch * b) / a);
      const across = 0.5 * (a + far(g, i - 1, o, i - 1));
      if (across > 1e-6 && below > 1e-6) for (const [p, q] of [[[g, i - 1], [o, i]], [[g, i], [o, i - 1]]] as [number, number][][]) add(STRETCH, [p, q], far(p[0], p[1], q[0], q[1]), (sheet.shear * (across ** 2 + below ** 2)) / (2 * across * below));
      const after = next[o];
      if (after >= 0 && after !== g) {
        const second = 0.5 * (a + far(o, i, after, i)), m = (q: number, c: number): number => P[3 * (q * n + i) + c];
        if (second > 1e-6) add(BEND, [[g, i], [o, i], [after, i]], Math.hypot(...[0, 1, 2].map((c) => m(g, c) - 2 * m(o, c) + m(after, c))), (1e-6 * sheet.bend * b) / second ** 3);
      }
    }
    this.across = kind.length;
    // along the lines nothing stretches: what links have drawn long is drawn back at once
    for (let g = 0; g < guides; g++) for (let i = 1; i < n; i++) add(STRETCH, [[g, i - 1], [g, i]], far(g, i - 1, g, i), STIFF);
    this.kind = Uint8Array.from(kind);
    this.strand = Int32Array.from(strand);
    this.point = Int32Array.from(point);
    this.rest = Float64Array.from(rest);
    this.stiffness = Float64Array.from(stiffness);
    this.count = kind.length;
    this.place = Int32Array.from(strand, (g, q) => (g < 0 ? 0 : 3 * (g * n + point[q])));
    this.last = new Float64Array(this.count);
    this.x = new Float64Array(3 * guides * n);
    this.w = new Float64Array(guides * n);
    this.moved = new Float64Array(3 * guides * n);
    this.asked = new Float64Array(3 * guides * n);
    this.left = new Float64Array(3 * guides * n);
    this.way = new Float64Array(3 * guides * n);
    this.made = new Float64Array(3 * guides * n);
    this.scale = new Float64Array(guides * n);
    this.along = new Float64Array(3 * this.count);
    this.firm = new Float64Array(this.count);
  }

  /** After a substep of `h` s; `lag`: s, so long what bends or stretches is behind. */
  act(system: RodSystem, h: number, lag: number): void {
    const { count, across, x, w, moved, last } = this, n = w.length / system.strandCount, { k, lanes: L, rootPosition } = system, gamma = this.first ? 0 : lag / h;
    for (let s = 0, p = 0; s < system.strandCount; s++) for (let i = 0; i < n; i++, p++) {
      const o = system.at(s, i, 3), one = system.at(s, i, 1);
      w[p] = i === 0 || k.fixed[one] !== 0 || !(k.mass[one] > 0) ? 0 : 1 / k.mass[one];
      for (let c = 0; c < 3; c++) x[3 * p + c] = rootPosition[3 * s + c] + k.x[o + c * L];
    }
    this.first = false;
    this.solve(h, gamma);
    this.asked.set(moved);
    for (let q = 0; q < moved.length; q++) x[q] += moved[q];
    for (let q = 0; q < PASSES; q++) for (let l = across; l < count; l++) this.shorten(l);
    for (let s = 0, p = 0; s < system.strandCount; s++) for (let i = 0; i < n; i++, p++) {
      if (w[p] === 0) continue;
      const o = system.at(s, i, 3), e = 3 * p;
      // each edge at its length from the point above; no part of what anything is pushed by
      let length = 0;
      for (let c = 0; c < 3; c++) length += (x[e + c] - x[e - 3 + c]) ** 2;
      const stretch = k.restLength[system.at(s, i, 1)] / (Math.sqrt(length) || 1);
      for (let c = 0; c < 3; c++) { const a = o + c * L; x[e + c] = x[e - 3 + c] + stretch * (x[e + c] - x[e - 3 + c]); k.x[a] = x[e + c] - rootPosition[3 * s + c]; k.v[a] += (1.5 * moved[e + c]) / h; }
    }
    for (let l = 0; l < across; l++) last[l] = this.measure(l);
    // the next solve begins with what this one has found
    moved.set(this.asked);
  }
  /** C of a link as it is; its direction into `along`. */
  private measure(l: number): number {
    const { x, along, place } = this, A = place[3 * l], B = place[3 * l + 1], three = this.kind[l] === BEND, D = three ? place[3 * l + 2] : A, f = three ? -2 : -1, g = three ? 1 : 0, dx = x[A] + f * x[B] + g * x[D], dy = x[A + 1] + f * x[B + 1] + g * x[D + 1], dz = x[A + 2] + f * x[B + 2] + g * x[D + 2], length = Math.sqrt(dx * dx + dy * dy + dz * dz), by = 1 / (length + 1e-12);
    along[3 * l] = dx * by; along[3 * l + 1] = dy * by; along[3 * l + 2] = dz * by;
    return length - this.rest[l];
  }
  /** What all links together move their points by, into `moved`. */
  private solve(h: number, gamma: number): void {
    const { count, across, kind, place, along, firm, stiffness, last, w, moved, left, way, made, scale } = this, points = w.length, inertia = 2.25 / (h * h);
    left.fill(0);
    for (let p = 0; p < points; p++) scale[p] = w[p] > 0 ? inertia / w[p] : 1;
    for (let l = 0; l < count; l++) {
      const C = this.measure(l), three = kind[l] === BEND, W = w[place[3 * l] / 3] + (three ? 4 : 1) * w[place[3 * l + 1] / 3] + (three ? w[place[3 * l + 2] / 3] : 0), k = W > 0 ? Math.min(stiffness[l], (FIRMEST * inertia) / W) : 0, late = l < across ? gamma : 0, F = -k * (C + late * (C - last[l]));
      firm[l] = k * (1 + late);
      for (let q = 0; q < (three ? 3 : 2); q++) { const o = place[3 * l + q], f = q === 1 ? (three ? -2 : -1) : 1; for (let c = 0; c < 3; c++) left[o + c] += f * F * along[3 * l + c]; }
    }
    // what was asked, then what is left of it after what moved the last time
    let asked = 0, before = 0;
    for (let p = 0; p < points; p++) for (let c = 0, o = 3 * p; c < 3; c++, o++) { if (w[p] === 0) { left[o] = moved[o] = 0; } asked += (left[o] * left[o]) / scale[p]; made[o] = w[p] > 0 ? scale[p] * moved[o] : 0; }
    for (let l = 0; l < count; l++) this.apply(l, moved, made);
    for (let p = 0; p < points; p++) for (let c = 0, o = 3 * p; c < 3; c++, o++) { left[o] = w[p] > 0 ? left[o] - made[o] : 0; way[o] = left[o] / scale[p]; before += left[o] * way[o]; }
    for (let step = 0; step < STEPS && before > LEFT * LEFT * asked && before > 0; step++) {
      for (let p = 0; p < points; p++) for (let c = 0, o = 3 * p; c < 3; c++, o++) made[o] = w[p] > 0 ? (inertia / w[p]) * way[o] : 0;
      for (let l = 0; l < count; l++) this.apply(l, way, made);
      let down = 0;
      for (let p = 0; p < points; p++) { const o = 3 * p; if (w[p] > 0) down += way[o] * made[o] + way[o + 1] * made[o + 1] + way[o + 2] * made[o + 2]; }
      if (!(down > 0)) break;
      const a = before / down;
      let now = 0;
      for (let p = 0; p < points; p++) { if (w[p] === 0) continue; for (let c = 0, o = 3 * p; c < 3; c++, o++) { moved[o] += a * way[o]; left[o] -= a * made[o]; now += (left[o] * left[o]) / scale[p]; } }
      const b = now / before;
      before = now;
      for (let p = 0; p < points; p++) for (let c = 0, o = 3 * p; c < 3; c++, o++) way[o] = w[p] > 0 ? left[o] / scale[p] + b * way[o] : 0;
    }
  }
  /** Adds to `out` what a link makes of a way: of bending as stiff in every direction, as that of a flat sheet may turn. */
  private apply(l: number, way: Float64Array, out: Float64Array): void {
    const { along, firm, place } = this, A = place[3 * l], B = place[3 * l + 1], k = firm[l], nx = along[3 * l], ny = along[3 * l + 1], nz = along[3 * l + 2];
    if (this.kind[l] === BEND) {
      const D = place[3 * l + 2];
      for (let c = 0; c < 3; c++) { const d = k * (way[A + c] - 2 * way[B + c] + way[D + c]); out[A + c] += d; out[B + c] -= 2 * d; out[D + c] += d; }
      return;
    }
    const d = k * (nx * (way[A] - way[B]) + ny * (way[A + 1] - way[B + 1]) + nz * (way[A + 2] - way[B + 2]));
    out[A] += d * nx; out[A + 1] += d * ny; out[A + 2] += d * nz;
    out[B] -= d * nx; out[B + 1] -= d * ny; out[B + 2] -= d * nz;
  }
  /** An edge along a line gets its length back by both of its ends, the lighter going farther. */
  private shorten(l: number): void {
    const { w, x, moved, along, place } = this, A = place[3 * l], B = place[3 * l + 1], W = w[A / 3] + w[B / 3];
    if (W === 0) return;
    const d = -this.measure(l) / W;
    for (let c = 0; c < 3; c++) { const a = w[A / 3] * d * along[3 * l + c], b = -w[B / 3] * d * along[3 * l + c]; x[A + c] += a; moved[A + c] += a; x[B + c] += b; moved[B + c] += b; }
  }
  /** The most any line has gone from its neighbours, as a share of their distance, in places `P` (3 × points of all guides, m). */
  strain(P: ArrayLike<number>, points: number): number {
    let most = 0;
    for (let l = 0; l < this.across; l++) {
      if (this.kind[l] !== STRETCH || this.point[3 * l] !== this.point[3 * l + 1]) continue;
      const a = 3 * (this.strand[3 * l] * points + this.point[3 * l]), b = 3 * (this.strand[3 * l + 1] * points + this.point[3 * l + 1]);
      most = Math.max(most, Math.hypot(P[a] - P[b], P[a + 1] - P[b + 1], P[a + 2] - P[b + 2]) / this.rest[l] - 1);
    }
    return most;
  }
}
