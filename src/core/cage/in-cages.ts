/** Hair in cages: what of each guide lies in which cage, and where it goes as the cages move. */
import { moveInto, multiplyQuats, turnInto } from '../math/mat4';
import { smoothStep } from '../math/vec';
import { CageMotion } from './cage-motion';
import { cageAxes, cagePoints, halfSizes, type SwayCage } from './cages';

interface Held {
  cage: SwayCage;
  motion: CageMotion;
  /** 3 × points, m: at rest; where the joint has them at the frame and at the next, now and after the step. */
  rest: Float64Array;
  from: Float64Array;
  to: Float64Array;
  at: Float64Array;
  until: Float64Array;
  /** How far the points are from where the joint has them. */
  off: Float64Array;
  /** Turn of the joint where the run begins. */
  first: Float64Array;
}
/** Of guide points: how much of the movement each takes on by itself (0: outside), whether it lies in the box itself, the cell it lies in and where in that. */
interface Places { points: number; share: Float32Array; inside: Uint8Array; cell: Uint16Array; where: Float32Array }
/** Own points that are moved by a cage: their numbers, shares of all that moves them, cells, and eight weights each. */
interface Moved { list: Uint32Array; share: Float32Array; cell: Uint16Array; weights: Float32Array }
export interface CageScene {
  cages: readonly SwayCage[];
  /** Node of each cage, −1 for none. */
  nodes: ArrayLike<number>;
  /** 3 × points of the whole groom, m, rest pose. */
  restPoints: ArrayLike<number>;
  pointCount: number;
  /** The own guides of a share. */
  from: number;
  to: number;
  gravity: number;
  /** Whether the hair is at rest as it was combed. */
  calm: boolean;
}

export class InCages {
  static readonly madeAnew: ReadonlySet<string> = new Set(['places', 'notes', 'nodes', 'motions', 'push', 'air']);
  readonly held: Held[];
  /** Of the own guides, cage by cage. */
  private readonly places: Moved[];
  /** What to know, in plain sentences. */
  readonly notes: string[] = [];
  readonly nodes: Int32Array;
  private readonly push = new Float64Array(3);
  private readonly air = new Float64Array(3);

  constructor(private readonly scene: CageScene) {
    const { restPoints: P, pointCount: n, from, to } = scene, used = scene.cages.map((c, k) => ({ c, node: scene.nodes[k] })).filter(({ c }) => c.on);
    this.nodes = Int32Array.from(used, (u) => u.node);
    const shares = sharesAlong(P, n), everywhere = new Float32Array(P.length / 3);
    const everyPlace: Places[] = [];
    this.held = used.map(({ c: cage, node }) => {
      const rest = cagePoints(cage), all = place(cage, P, n, shares), many = cage.points ** 3, near = shareOfPoints(rest, all, shares, P), pinned = Uint8Array.from({ length: many }, (_, h) => (near[h] < cage.still ? 1 : 0));
      everyPlace.push(all);
      const omega = 2 * Math.PI * cage.hz, motion = new CageMotion(rest, { points: cage.points, mass: cage.weightG / 1000, omega, damping: 2 * cage.damping * omega, air: cage.air, firm: cage.firm, bulk: cage.bulk }, pinned), holds = all.share.some((s) => s > 0);
      if (!holds) this.notes.push(`“${cage.name}” holds no hair: nothing is moved by it. Put it where hair is, or take it away.`);
      else if (pinned.every((p) => p === 1)) this.notes.push(`All points of “${cage.name}” are still, as no hair in it is far enough from its roots. Lower “Still”.`);
      if (node < 0 && cage.joint !== '') this.notes.push(`“${cage.name}” followed the joint “${cage.joint}”, which this character does not have: it stays where it is. Choose another.`);
      all.share.forEach((s, p) => { everywhere[p] = Math.max(everywhere[p], s); });
      return { cage, motion, rest, from: new Float64Array(3 * many), to: new Float64Array(3 * many), at: new Float64Array(3 * many), until: new Float64Array(3 * many), off: new Float64Array(3 * many), first: Float64Array.of(0, 0, 0, 1) };
    });
    this.places = sharedOut(everyPlace, n * from, n * to);
    let outside = 0;
    for (let p = 0; p < everywhere.length; p += n) { let most = 0; for (let i = 0; i < n; i++) most = Math.max(most, everywhere[p + i]); if (most === 0) outside++; }
    if (outside > 0 && outside < everywhere.length / n) this.notes.push(`${outside} of the guides lie in no cage and go stiffly with the skin.`);
  }

  /** Cages stand where their joints are: `motions` of their nodes since the rest pose, 7 each. */
  begin(motions: ArrayLike<number>): void {
    this.held.forEach((h, k) => {
      for (let p = 0; p < h.rest.length; p += 3) moveInto(h.at, p, h.rest, p, motions, 7 * k);
      for (let c = 0; c < 4; c++) h.first[c] = motions[7 * k + c];
      h.motion.begin(h.at);
    });
  }
  /** Goes on with how far other cages are from their joints, where they are as many and as fine. */
  goOnFrom(other: InCages, motions: ArrayLike<number>): void {
    this.begin(motions);
    this.held.forEach((h, k) => {
      const o = other.held[k] as Held | undefined;
      if (o?.at.length !== h.at.length) return;
      h.first.set(o.first);
      for (let a = 0; a < h.at.length; a++) { h.motion.x[a] += o.motion.x[a] - o.at[a]; h.motion.v[a] = o.motion.v[a]; }
    });
  }

  /** The coming frame goes from where the joints are to these motions of theirs. */
  frame(motions: ArrayLike<number>): void {
    this.held.forEach(({ rest, from, to, at }, k) => {
      from.set(at);
      for (let p = 0; p < rest.length; p += 3) moveInto(to, p, rest, p, motions, 7 * k);
    });
    this.motions = motions;
  }
  private motions: ArrayLike<number> = [];
  /** Step `s` of `steps` in the frame, each of `h` s; `wind` gives the air's velocity at a place. */
  step(s: number, steps: number, h: number, wind: ((x: number, y: number, z: number, out: Float64Array) => void) | null): void {
    const { push, air, motions, scene: { gravity, calm } } = this, t = (s + 1) / steps;
    this.held.forEach(({ motion, from, to, at, until, first }, k) => {
      // what gravity does that it did not do where the run began
      const m = 7 * k, back = multiplyQuats([motions[m], motions[m + 1], motions[m + 2], motions[m + 3]], [-first[0], -first[1], -first[2], first[3]]);
      push[0] = 0; push[1] = -gravity; push[2] = 0;
      turnInto(air, 0, push, 0, back);
      for (let c = 0; c < 3; c++) push[c] -= calm ? air[c] : 0;
      air.fill(0);
      wind?.(mean(to, 0), mean(to, 1), mean(to, 2), air);
      for (let a = 0; a < to.length; a++) until[a] = s === steps - 1 ? to[a] : from[a] + t * (to[a] - from[a]);
      motion.step(h, at, until, push, air);
      at.set(until);
    });
  }

  /** Own guide points (3 × n, m, as the skin carries them) where the cages have them; edges keep their lengths, roots stay. */
  moveInto(out: Float64Array, combed: Float64Array): void {
    const { held, places, scene: { pointCount: n } } = this;
    out.set(combed);
    for (let k = 0; k < held.length; k++) {
      const { off, motion: { x }, at, cage: { points: m, amount } } = held[k], { list, share, cell, weights: W } = places[k];
      for (let a = 0; a < off.length; a++) off[a] = amount * (x[a] - at[a]);
      const up = 3 * m, deep = 3 * m * m;
      for (let i = 0; i < list.length; i++) {
        const a = 3 * list[i], w = 8 * i, s = share[i], q = 3 * cell[i], w0 = s * W[w], w1 = s * W[w + 1], w2 = s * W[w + 2], w3 = s * W[w + 3], w4 = s * W[w + 4], w5 = s * W[w + 5], w6 = s * W[w + 6], w7 = s * W[w + 7];
        for (let c = 0; c < 3; c++) {
          const o = q + c;
          out[a + c] += w0 * off[o] + w1 * off[o + 3] + w2 * off[o + up] + w3 * off[o + up + 3] + w4 * off[o + deep] + w5 * off[o + deep + 3] + w6 * off[o + deep + up] + w7 * off[o + deep + up + 3];
        }
      }
    }
    for (let o = 0; o < out.length; o += 3 * n) {
      let px = out[o], py = out[o + 1], pz = out[o + 2];
      for (let a = o + 3; a < o + 3 * n; a += 3) {
        const cx = combed[a] - combed[a - 3], cy = combed[a + 1] - combed[a - 2], cz = combed[a + 2] - combed[a - 1], length = Math.sqrt(cx * cx + cy * cy + cz * cz);
        let x = out[a] - px, y = out[a + 1] - py, z = out[a + 2] - pz, l = Math.sqrt(x * x + y * y + z * z);
        if (!(l > 1e-9 * length)) { x = cx; y = cy; z = cz; l = length || 1; }
        px = out[a]; py = out[a + 1]; pz = out[a + 2];
        const q = length / l;
        out[a] = out[a - 3] + q * x; out[a + 1] = out[a - 2] + q * y; out[a + 2] = out[a - 1] + q * z;
      }
    }
  }
}

/**
 * What each cage moves of the points `from … to − 1`. Each cage counts by its share: what two of them hold they move together, not twice, and where one
 * ends the other takes over.
 */
function sharedOut(places: readonly Places[], from: number, to: number): Moved[] {
  return places.map(({ share, cell, where }) => {
    const list: number[] = [];
    for (let p = from; p < to; p++) if (share[p] > 0) list.push(p);
    return {
      list: Uint32Array.from(list, (p) => p - from), cell: Uint16Array.from(list, (p) => cell[p]),
      share: Float32Array.from(list, (p) => share[p] ** 2 / places.reduce((sum, o) => sum + o.share[p], 0)),
      weights: Float32Array.from({ length: 8 * list.length }, (_, k) => corner(where, 3 * list[k >> 3], k & 7)),
    };
  });
}

/** Weight of corner `b` (x + 2y + 4z) of the cell in which a point lies at `where[o …)`. */
const corner = (where: Float32Array, o: number, b: number): number => ((b & 1) !== 0 ? where[o] : 1 - where[o]) * ((b & 2) !== 0 ? where[o + 1] : 1 - where[o + 1]) * ((b & 4) !== 0 ? where[o + 2] : 1 - where[o + 2]);
const mean = (points: ArrayLike<number>, axis: number): number => { let s = 0; for (let a = axis; a < points.length; a += 3) s += points[a]; return (3 * s) / points.length; };

/** Share of the length at each point of strands of `n` points. */
function sharesAlong(P: ArrayLike<number>, n: number): Float32Array {
  const out = new Float32Array(P.length / 3);
  for (let p = 0; p < out.length; p += n) {
    let at = 0;
    for (let i = 1; i < n; i++) { const a = 3 * (p + i); at += Math.hypot(P[a] - P[a - 3], P[a + 1] - P[a - 2], P[a + 2] - P[a - 1]); out[p + i] = at; }
    if (at > 0) for (let i = 1; i < n; i++) out[p + i] /= at;
  }
  return out;
}

/** Where points lie in a cage, and how much of its movement each takes on by itself. */
function place(cage: SwayCage, P: ArrayLike<number>, n: number, along: Float32Array): Places {
  const count = P.length / 3, share = new Float32Array(count), cell = new Uint16Array(count), where = new Float32Array(3 * count), axes = cageAxes(cage), half = halfSizes(cage), { points: m, rise } = cage, soft = cage.softCm / 100, inside = new Uint8Array(count), at = [0, 0, 0];
  // the first edge stands as the skin has it, as that of a rod does
  for (let p = 0; p < count; p++) {
    let off = 0;
    for (let a = 0; a < 3; a++) {
      const v = (P[3 * p] - cage.x) * axes[a][0] + (P[3 * p + 1] - cage.y) * axes[a][1] + (P[3 * p + 2] - cage.z) * axes[a][2], out = Math.max(0, Math.abs(v) - half[a]);
      off += out * out;
      at[a] = Math.min(m - 1, Math.max(0, ((v / half[a] + 1) / 2) * (m - 1)));
    }
    off = Math.sqrt(off);
    const within = off === 0 ? 1 : off < soft ? 1 - smoothStep(0, 1, off / soft) : 0, risen = p % n < 2 ? 0 : rise > 0 ? smoothStep(0, 1, along[p] / rise) : 1;
    share[p] = within * risen;
    inside[p] = off === 0 ? 1 : 0;
    const i = at.map((v) => Math.min(m - 2, Math.floor(v)));
    cell[p] = i[0] + m * (i[1] + m * i[2]);
    for (let a = 0; a < 3; a++) where[3 * p + a] = at[a] - i[a];
  }
  return { points: m, share, inside, cell, where };
}

/** Share of its length at which the hair about each point of a cage is; of the nearest hair where there is none about it. */
function shareOfPoints(rest: Float64Array, { points: m, inside, cell, where }: Places, shares: Float32Array, P: ArrayLike<number>): Float64Array {
  const sum = new Float64Array(m ** 3), weight = new Float64Array(m ** 3);
  for (let p = 0; p < shares.length; p++) if (inside[p] === 1) for (let b = 0; b < 8; b++) {
    const q = cell[p] + (b & 1) + m * (((b >> 1) & 1) + m * (b >> 2)), k = corner(where, 3 * p, b);
    sum[q] += k * shares[p];
    weight[q] += k;
  }
  return sum.map((s, h) => {
    if (weight[h] > 1e-6) return s / weight[h];
    let best = 1, least = Infinity;
    for (let p = 0; p < shares.length; p++) { const d = (P[3 * p] - rest[3 * h]) ** 2 + (P[3 * p + 1] - rest[3 * h + 1]) ** 2 + (P[3 * p + 2] - rest[3 * h + 2]) ** 2; if (d < least) { least = d; best = shares[p]; } }
    return best;
  });
}
