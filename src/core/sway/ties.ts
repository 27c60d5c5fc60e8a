/**
 * Ties: points of strands held to a place or a joint by a spring that is solved for with the strand, or to one another (as bodies
 * of `loft.ts`). A tie whose force exceeds its snap force lets go, for the rest of the run.
 *
 * The force of a tie to a place is that of its springs together, Σ k (target − x), after a substep; that of a ring or of
 * pairs the greatest on any one strand.
 */
import type { Tie } from '../document/schema';
import { moveInto, quatFromAxes, turnInto } from '../math/mat4';
import { cross, normalize, perpendicular, type Vec3 } from '../math/vec';
import { findNode, type Character } from '../mesh/character';
import { TIE_NUMBERS, type Coupling } from './coupling';
import type { ToldBody } from './loft';
import type { RodSystem } from './rod-system';

/** Swing of the softest and the hardest tie, Hz. Common practice, no source. */
const SOFTEST = 3, HARDEST = 60;
/** Points of pairs are looked for so near each other, m, unless the tie says otherwise. */
const PAIR_REACH = 0.03;

/** Numbers of the points a tie holds: of each of its guides those whose share of the length lies in its range; at least one. */
export function tiedPoints(tie: Pick<Tie, 'guides' | 'from' | 'to'>, guides: number, pointCount: number): number[] {
  const out: number[] = [], low = Math.min(tie.from, tie.to) * (pointCount - 1), high = Math.max(tie.from, tie.to) * (pointCount - 1);
  for (const g of tie.guides) {
    if (g >= guides) continue;
    let any = false;
    for (let i = 1; i < pointCount; i++) if (i >= low - 1e-9 && i <= high + 1e-9) { out.push(g * pointCount + i); any = true; }
    if (!any) out.push(g * pointCount + Math.max(1, Math.min(pointCount - 1, Math.round((low + high) / 2))));
  }
  return out;
}

/** The bodies of ties from strand to strand. `points`: 3 × all points, m, at the start. */
export function tieBodies(ties: readonly Tie[], points: ArrayLike<number>, guides: number, pointCount: number): ToldBody[] {
  const out: ToldBody[] = [];
  ties.forEach((tie, t) => {
    if (!tie.on || (tie.kind !== 'ring' && tie.kind !== 'pairs')) return;
    const list = tiedPoints(tie, guides, pointCount), snap = tie.snap ?? Infinity, common = { tie: t, firmness: tie.firmness, snap };
    if (tie.kind === 'ring') { if (list.length > 1) out.push({ ...common, points: list }); return; }
    const seen = new Set<string>();
    for (const p of list) {
      let best = -1, least = tie.reachMm === undefined ? PAIR_REACH : tie.reachMm / 1000;
      for (const q of list) {
        if (Math.floor(q / pointCount) === Math.floor(p / pointCount)) continue;
        const d = Math.hypot(points[3 * p] - points[3 * q], points[3 * p + 1] - points[3 * q + 1], points[3 * p + 2] - points[3 * q + 2]);
        if (d < least) { least = d; best = q; }
      }
      const key = `${Math.min(p, best)},${Math.max(p, best)}`;
      if (best < 0 || seen.has(key)) continue;
      seen.add(key);
      out.push({ ...common, points: [Math.min(p, best), Math.max(p, best)] });
    }
  });
  return out;
}

interface Held { tie: number; point: number; strand: number; index: number }

/** Ties to places and joints, of one share; forces are told to all shares. */
export class PlaceTies {
  /** In the order of the whole groom. */
  private readonly all: { tie: number; point: number; node: number }[] = [];
  private readonly own: (Held & { at: number })[] = [];
  /** 3 × all: where the point is tied, m, in the rest pose of its joint or in the world. */
  private readonly anchors: Float64Array;
  private readonly forces: Float64Array;
  readonly nodes: number[];
  private readonly target = new Float64Array(3);

  /** `points`: 3 × all points of the groom, m, at the start; `first`: number of the share's first guide; `motions`: of the ties' joints at the start. */
  constructor(private readonly ties: readonly Tie[], character: Character, points: ArrayLike<number>, guides: number, pointCount: number, first: number, system: RodSystem, coupling: Coupling, readonly broken: Uint8Array) {
    this.nodes = ties.map((tie) => (tie.kind === 'joint' ? findNode(character, tie.node) : -1));
    ties.forEach((tie, t) => {
      if (tie.on && (tie.kind === 'place' || tie.kind === 'joint')) for (const point of tiedPoints(tie, guides, pointCount)) this.all.push({ tie: t, point, node: this.nodes[t] });
    });
    if (3 * this.all.length > TIE_NUMBERS) throw new Error(`Ties hold ${this.all.length} points; ${Math.floor(TIE_NUMBERS / 3)} can be held. Tie fewer guides or a shorter part of them.`);
    const memory = new Float64Array(coupling.memory);
    this.forces = memory.subarray(memory.length - TIE_NUMBERS, memory.length - TIE_NUMBERS + 3 * this.all.length);
    this.anchors = new Float64Array(3 * this.all.length);
    this.all.forEach(({ tie, point }, at) => {
      for (let c = 0; c < 3; c++) this.anchors[3 * at + c] = points[3 * point + c];
      const strand = Math.floor(point / pointCount) - first;
      if (strand >= 0 && strand < system.strandCount) this.own.push({ tie, point, strand, index: point % pointCount, at });
    });
  }
  get count(): number { return this.all.length; }

  /** Anchors as seen from the joints that carry them. `motions`: 7 a tie, from the rest pose to the start. */
  anchor(motions: Float64Array): void {
    const back = new Float64Array(7), place = new Float64Array(3);
    this.all.forEach(({ tie, node }, at) => {
      if (node < 0) return;
      for (let c = 0; c < 3; c++) { back[c] = -motions[7 * tie + c]; place[c] = this.anchors[3 * at + c] - motions[7 * tie + 4 + c]; }
      back[3] = motions[7 * tie + 3];
      moveInto(this.anchors, 3 * at, place, 0, back);
    });
  }

  /** Before a substep: springs of what holds. `motions`: 7 a tie, at its end. */
  hold(system: RodSystem, motions: Float64Array, h: number): void {
    const { k, lanes: L, rootPosition } = system, { target } = this;
    for (const { tie, strand, index, at } of this.own) {
      const one = system.at(strand, index, 1), three = system.at(strand, index, 3), { firmness } = this.ties[tie], rate = Math.min(2 * Math.PI * SOFTEST * (HARDEST / SOFTEST) ** firmness, 1 / h);
      k.tieStiffness[one] = this.broken[tie] === 1 ? 0 : rate * rate * this.ownMass(system, strand);
      moveInto(target, 0, this.anchors, 3 * at, motions, 7 * tie);
      for (let c = 0; c < 3; c++) k.tieTarget[three + c * L] = target[c] - rootPosition[3 * strand + c];
    }
  }
  /** A tie is as strong as if all of its strand hung on it. */
  private ownMass(system: RodSystem, s: number): number {
    const { k: { mass }, lanes: L } = system, n = system.pointsOf(s), first = system.at(s, 0, 1);
    let sum = 0;
    for (let i = 1; i < n; i++) sum += mass[first + i * L];
    return sum;
  }

  /** After a substep: tells the forces of this share's springs. */
  measure(system: RodSystem): void {
    const { k, lanes: L } = system;
    for (const { strand, index, at } of this.own) {
      const one = system.at(strand, index, 1), three = system.at(strand, index, 3);
      for (let c = 0; c < 3; c++) this.forces[3 * at + c] = k.tieStiffness[one] * (k.tieTarget[three + c * L] - k.x[three + c * L]);
    }
  }
  /** Once all shares have told theirs, and before any tells anew: what let go. */
  letGo(): void {
    for (let from = 0; from < this.all.length;) {
      const { tie } = this.all[from];
      let x = 0, y = 0, z = 0, to = from;
      for (; to < this.all.length && this.all[to].tie === tie; to++) { x += this.forces[3 * to]; y += this.forces[3 * to + 1]; z += this.forces[3 * to + 2]; }
      if (Math.hypot(x, y, z) > (this.ties[tie].snap ?? Infinity)) this.broken[tie] = 1;
      from = to;
    }
  }
  /** N: force of each tie to a place in the last substep. */
  forceOf(tie: number): number {
    let x = 0, y = 0, z = 0;
    this.all.forEach((a, k) => { if (a.tie === tie) { x += this.forces[3 * k]; y += this.forces[3 * k + 1]; z += this.forces[3 * k + 2]; } });
    return Math.hypot(x, y, z);
  }
}

/**
 * Rigid motion (seven numbers) that takes a tie's points from one set of places to another: their middle, the mean way of their
 * strands, and the way to the first of them. For what is worn on a tie.
 */
export function tieMotion(from: ArrayLike<number>, to: ArrayLike<number>, points: readonly number[], pointCount: number, out: Float64Array): void {
  const frame = (P: ArrayLike<number>): { c: Vec3; axes: [Vec3, Vec3, Vec3] } => {
    const c: Vec3 = [0, 0, 0], t: Vec3 = [0, 0, 0];
    for (const p of points) for (let k = 0; k < 3; k++) {
      const below = p % pointCount > 0 ? p - 1 : p;
      c[k] += P[3 * p + k] / points.length;
      t[k] += P[3 * (below + 1) + k] - P[3 * below + k];
    }
    // the way to that point which is furthest from the middle in the first set: the same in both
    const y = normalize(t), e: Vec3 = [P[3 * far] - c[0], P[3 * far + 1] - c[1], P[3 * far + 2] - c[2]], d = e[0] * y[0] + e[1] * y[1] + e[2] * y[2];
    let x = normalize([e[0] - d * y[0], e[1] - d * y[1], e[2] - d * y[2]]);
    if (x.every((v) => v === 0)) x = perpendicular(y);
    return { c, axes: [x, y, cross(x, y)] };
  };
  let far = points[0], most = -1;
  const middle = [0, 1, 2].map((k) => points.reduce((m, p) => m + from[3 * p + k] / points.length, 0));
  for (const p of points) { const d = Math.hypot(from[3 * p] - middle[0], from[3 * p + 1] - middle[1], from[3 * p + 2] - middle[2]); if (d > most) { most = d; far = p; } }
  const a = frame(from), b = frame(to), qa = quatFromAxes(...a.axes), qb = quatFromAxes(...b.axes);
  // b · a⁻¹
  const x = -qa[0], y = -qa[1], z = -qa[2], w = qa[3];
  out[0] = qb[3] * x + qb[0] * w + qb[1] * z - qb[2] * y;
  out[1] = qb[3] * y - qb[0] * z + qb[1] * w + qb[2] * x;
  out[2] = qb[3] * z + qb[0] * y - qb[1] * x + qb[2] * w;
  out[3] = qb[3] * w - qb[0] * x - qb[1] * y - qb[2] * z;
  const moved = new Float64Array(3);
  turnInto(moved, 0, a.c, 0, out);
  for (let k = 0; k < 3; k++) out[4 + k] = b.c[k] - moved[k];
}
