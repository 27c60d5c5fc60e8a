/**
 * A sheet as a grid of linked rods: each line is a strip of the cloth with the width it has there; its points are linked to those of the lines
 * beside it by what cloth does across the lines: stretch, shear, and bending.
 *
 * A link is a scalar C(x) that is 0 at rest, with stiffness k and a lag τ (F = −k (C + τ Ċ)). After the rods have made their substep by themselves, links
 * correct it: with α = 1 / (k h²), γ = τ / h, W = Σ |∇C|² / m, Δλ = −(C + α λ + γ (C − C₋)) / ((1 + γ) W + α), C₋ that of the last substep, one link after the other,
 * forth and back; points go Δλ ∇C / m on, and as much faster as that is in h. So links bear at rest just what they should, and nothing of it can blow up.
 * **Source:** compliant constraints with damping, Macklin, Müller and Chentanez 2016, from memory. Stretch between lines a apart whose points are b apart:
 * k = S b / a. Shear along the diagonals of a field: k = G (a² + b²) / (2 a b). Bending across: C = |xₗ − 2x + xᵣ| less what it is at rest, k = B b / a³.
 * All three follow from the energy of a plane field; *own derivation*.
 */
import { stripRod, type Sheet } from './cloth';
import type { PhysicalRod } from './materials';
import type { RodSystem } from './rod-system';

const STRETCH = 0, BEND = 1;

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
  private readonly rest: Float64Array;
  private readonly stiffness: Float64Array;
  readonly count: number;
  /** C of each link after the last substep. */
  private readonly last: Float64Array;
  private first = true;
  private readonly lambda: Float64Array;
  private readonly x: Float64Array;
  private readonly moved: Float64Array;
  private readonly w: Float64Array;
  private readonly points: number;
  static readonly madeAnew = new Set(['kind', 'strand', 'point', 'rest', 'stiffness', 'lambda', 'x', 'moved', 'w', 'way']);

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
    this.kind = Uint8Array.from(kind);
    this.strand = Int32Array.from(strand);
    this.point = Int32Array.from(point);
    this.rest = Float64Array.from(rest);
    this.stiffness = Float64Array.from(stiffness);
    this.count = kind.length;
    this.points = n;
    this.lambda = new Float64Array(this.count);
    this.last = new Float64Array(this.count);
    this.x = new Float64Array(3 * guides * n);
    this.moved = new Float64Array(3 * guides * n);
    this.w = new Float64Array(guides * n);
  }

  /** After a substep of `h` s; `lag`: s, so long what bends or stretches is behind. */
  act(system: RodSystem, h: number, lag: number): void {
    const { count, x, moved, w, points: n, lambda, last } = this, { k, lanes: L, rootPosition } = system, gamma = this.first ? 0 : lag / h;
    for (let s = 0, p = 0; s < system.strandCount; s++) for (let i = 0; i < n; i++, p++) {
      const o = system.at(s, i, 3), one = system.at(s, i, 1);
      w[p] = i === 0 || k.fixed[one] !== 0 || !(k.mass[one] > 0) ? 0 : 1 / k.mass[one];
      for (let c = 0; c < 3; c++) { x[3 * p + c] = rootPosition[3 * s + c] + k.x[o + c * L]; moved[3 * p + c] = 0; }
    }
    this.first = false;
    lambda.fill(0);
    for (let l = 0; l < count; l++) this.one(l, h, gamma);
    for (let l = count - 1; l >= 0; l--) this.one(l, h, gamma);
    for (let l = 0; l < count; l++) last[l] = this.measure(l);
    for (let s = 0, p = 0; s < system.strandCount; s++) for (let i = 0; i < n; i++, p++) {
      if (w[p] === 0) continue;
      const o = system.at(s, i, 3);
      for (let c = 0; c < 3; c++) { const d = moved[3 * p + c], a = o + c * L; k.x[a] += d; k.v[a] += d / h; k.vPrev[a] += d / h; }
    }
  }
  private readonly way = new Float64Array(3);
  /** C of a link as it is; its direction in `way`. */
  private measure(l: number): number {
    const { strand, point, x, points: n, way } = this, three = this.kind[l] === BEND, A = 3 * (strand[3 * l] * n + point[3 * l]), B = 3 * (strand[3 * l + 1] * n + point[3 * l + 1]), D = three ? 3 * (strand[3 * l + 2] * n + point[3 * l + 2]) : A, f = three ? -2 : -1, g = three ? 1 : 0;
    for (let c = 0; c < 3; c++) way[c] = x[A + c] + f * x[B + c] + g * x[D + c];
    const length = Math.hypot(way[0], way[1], way[2]);
    for (let c = 0; c < 3; c++) way[c] /= length + 1e-12;
    return length - this.rest[l];
  }
  private one(l: number, h: number, gamma: number): void {
    const { strand, point, w, points: n, lambda, last } = this, three = this.kind[l] === BEND, a = strand[3 * l] * n + point[3 * l], b = strand[3 * l + 1] * n + point[3 * l + 1], c = three ? strand[3 * l + 2] * n + point[3 * l + 2] : a, f = three ? -2 : -1, W = w[a] + f * f * w[b] + (three ? w[c] : 0);
    if (W === 0 || this.stiffness[l] === 0) return;
    const C = this.measure(l), soft = 1 / (this.stiffness[l] * h * h), d = -(C + soft * lambda[l] + gamma * (C - last[l])) / ((1 + gamma) * W + soft);
    lambda[l] += d;
    this.push(3 * a, w[a] * d);
    this.push(3 * b, f * w[b] * d);
    if (three) this.push(3 * c, w[c] * d);
  }
  private push(o: number, d: number): void { const { x, moved, way } = this; for (let c = 0; c < 3; c++) { x[o + c] += d * way[c]; moved[o + c] += d * way[c]; } }
  /** The most any line has gone from its neighbours, as a share of their distance, in places `P` (3 × points of all guides, m). */
  strain(P: ArrayLike<number>, points: number): number {
    let most = 0;
    for (let l = 0; l < this.count; l++) {
      if (this.kind[l] !== STRETCH || this.point[3 * l] !== this.point[3 * l + 1]) continue;
      const a = 3 * (this.strand[3 * l] * points + this.point[3 * l]), b = 3 * (this.strand[3 * l + 1] * points + this.point[3 * l + 1]);
      most = Math.max(most, Math.hypot(P[a] - P[b], P[a + 1] - P[b + 1], P[a + 2] - P[b + 2]) / this.rest[l] - 1);
    }
    return most;
  }
}
