/** Between points of chains' guides and joints: poses in which the joints follow the points, and the shape that the animation gives them. */
import { invertAffine, leastTurn, multiplyInto, multiplyQuats, rotationRowsInto, turnInto } from '../math/mat4';
import type { Given } from '../drawn/drawn';
import { findNode, poseCharacter, rigidMotionInto, type Character, type Pose } from '../mesh/character';
import type { ChainPath } from './chains';

/** Moves the joints of chains (and what hangs on them) in poses to where the guides' points are. */
export class ChainPoser {
  private readonly rest: Pose;
  private readonly motion = new Float64Array(7);
  private readonly from = new Float64Array(3);
  private readonly place = new Float64Array(3);
  private readonly turned = new Float64Array(3);
  private readonly turn = new Float64Array(9);
  private readonly before: Float64Array;
  private readonly own: Uint8Array;
  private readonly tips: Float64Array;
  /** `offsets`: as planted. */
  constructor(private readonly character: Character, private readonly paths: readonly ChainPath[], private readonly pointCount: number, offsets: ArrayLike<number>) {
    this.rest = poseCharacter(character, null, 0);
    this.tips = tipsOf(paths, pointCount, offsets);
    this.before = new Float64Array(16 * character.nodes.length);
    this.own = new Uint8Array(character.nodes.length);
  }

  /**
   * `pose` (in place) as the points (3 × points × chains, m, world) have it: a joint is turned from the rest pose as what carries its chain and,
   * from joint to joint, by the least turn that takes the bone to where it points now. Bones keep their lengths.
   */
  into(pose: Pose, points: ArrayLike<number>): void {
    const { character, rest, motion, before, own, paths, pointCount, from, place, turned, turn, tips } = this;
    before.set(pose.subarray(0, before.length));
    own.fill(0);
    paths.forEach(({ carrier, nodes, at }, g) => {
      const p = (i: number): number => 3 * (g * pointCount + at[i]);
      rigidMotionInto(motion, 0, rest, pose, carrier);
      let q: [number, number, number, number] = [motion[0], motion[1], motion[2], motion[3]];
      for (let c = 0; c < 3; c++) place[c] = points[p(0) + c];
      nodes.forEach((node, i) => {
        const o = 16 * node, next = i + 1 < nodes.length ? nodes[i + 1] : -1;
        // the bone in the rest pose
        for (let c = 0; c < 3; c++) from[c] = next >= 0 ? rest[16 * next + 12 + c] - rest[o + 12 + c] : tips[3 * g + c];
        turnInto(turned, 0, from, 0, q);
        q = multiplyQuats(leastTurn(turned, points[p(i + 1)] - points[p(i)], points[p(i + 1) + 1] - points[p(i) + 1], points[p(i + 1) + 2] - points[p(i) + 2]), q);
        rotationRowsInto(turn, 0, q);
        for (let c = 0; c < 3; c++) {
          for (let r = 0; r < 3; r++) pose[o + 4 * c + r] = turn[3 * r] * rest[o + 4 * c] + turn[3 * r + 1] * rest[o + 4 * c + 1] + turn[3 * r + 2] * rest[o + 4 * c + 2];
          pose[o + 12 + c] = place[c];
        }
        own[node] = 1;
        turnInto(turned, 0, from, 0, q);
        for (let c = 0; c < 3; c++) place[c] += turned[c];
      });
    });
    // what hangs on them keeps its place on them
    const local = new Float64Array(16);
    character.nodes.forEach((n, i) => {
      if (own[i] === 1 || n.parent < 0 || own[n.parent] === 0) return;
      own[i] = 1;
      const inverse = invertAffine(before, 16 * n.parent);
      if (!inverse) return;
      multiplyInto(local, 0, inverse, 0, before, 16 * i);
      multiplyInto(pose, 16 * i, pose, 16 * n.parent, local, 0);
    });
  }
}

/** Ways from the last joints to the tips in the rest pose, 3 a chain. */
function tipsOf(paths: readonly ChainPath[], pointCount: number, offsets: ArrayLike<number>): Float64Array {
  return Float64Array.from({ length: 3 * paths.length }, (_, k) => { const g = Math.floor(k / 3), { at } = paths[g], o = 3 * g * pointCount + (k % 3); return offsets[o + 3 * at[at.length - 1]] - offsets[o + 3 * at[at.length - 2]]; });
}

/** The shape that the animation gives chains: as the offsets of guides, from the root in the rest pose's orientation. */
export class ChainShape {
  private readonly rest: Pose;
  private readonly motion = new Float64Array(7);
  private readonly last7 = new Float64Array(7);
  private readonly place = new Float64Array(3);
  private readonly tips: Float64Array;
  private readonly held: (HeldPlace[] | null)[];
  private readonly before = new Float64Array(3);
  private readonly now = new Float64Array(3);
  /** `held`: of chains that were drawn through skinned meshes, what moves each of their places otherwise. */
  constructor(character: Character, private readonly paths: readonly ChainPath[], private readonly pointCount: number, offsets: ArrayLike<number>, held: readonly (HeldPlace[] | null)[] = []) {
    this.rest = poseCharacter(character, null, 0);
    this.tips = tipsOf(paths, pointCount, offsets);
    this.held = paths.map((_, g) => held[g] ?? null);
    this.lengths = Float64Array.from({ length: pointCount * paths.length }, (_, k) => (k % pointCount === 0 ? 0 : Math.hypot(...[0, 1, 2].map((c) => offsets[3 * k + c] - offsets[3 * k - 3 + c]))));
  }
  private readonly lengths: Float64Array;
  /** Whether a clip moves any joint of theirs. */
  static isMoved(paths: readonly ChainPath[], channels: readonly { node: number }[]): boolean { const free = new Set(paths.flatMap((p) => p.nodes)); return channels.some((c) => free.has(c.node)); }

  into(pose: Pose, out: Float64Array | Float32Array): void {
    const { paths, pointCount, motion, last7, place, rest, tips } = this;
    paths.forEach(({ carrier, nodes, at }, g) => {
      rigidMotionInto(motion, 0, rest, pose, carrier);
      const back = [-motion[0], -motion[1], -motion[2], motion[3]], o = 3 * g * pointCount, root = 16 * nodes[0] + 12, held = this.held[g];
      if (held) { this.heldInto(held, pose, back, g, at, out); return; }
      at.forEach((p, i) => {
        if (i < nodes.length) for (let c = 0; c < 3; c++) place[c] = pose[16 * nodes[i] + 12 + c] - pose[root + c];
        else {
          // the tip goes with the last joint
          const last = nodes[nodes.length - 1], m = 16 * last;
          rigidMotionInto(last7, 0, rest, pose, last);
          turnInto(place, 0, tips, 3 * g, last7);
          for (let c = 0; c < 3; c++) place[c] += pose[m + 12 + c] - pose[root + c];
        }
        turnInto(out, o + 3 * p, place, 0, back);
      });
      for (let i = 1; i < at.length; i++) for (let p = at[i - 1] + 1; p < at[i]; p++) for (let c = 0; c < 3; c++) {
        const a = out[o + 3 * at[i - 1] + c];
        out[o + 3 * p + c] = a + ((p - at[i - 1]) / (at[i] - at[i - 1])) * (out[o + 3 * at[i] + c] - a);
      }
    });
  }

  /** The line as the mesh it runs through would be moved without it; its bones keep their lengths. */
  private heldInto(held: readonly HeldPlace[], pose: Pose, back: readonly number[], g: number, at: readonly number[], out: Float64Array | Float32Array): void {
    const { pointCount, place, before, now, lengths } = this, o = 3 * g * pointCount;
    out.fill(0, o, o + 3);
    at.forEach((p, i) => {
      movedInto(now, held[i], pose);
      if (i > 0) {
        const from = at[i - 1], l = Math.hypot(now[0] - before[0], now[1] - before[1], now[2] - before[2]) || 1;
        let far = 0;
        for (let q = from + 1; q <= p; q++) {
          far += lengths[g * pointCount + q];
          for (let c = 0; c < 3; c++) place[c] = ((now[c] - before[c]) * far) / l;
          turnInto(place, 0, place, 0, back);
          for (let c = 0; c < 3; c++) out[o + 3 * q + c] = out[o + 3 * from + c] + place[c];
        }
      }
      before.set(now);
    });
  }
}

/** A place in the rest pose and what moves it: nodes, and how much each; `inverse`: 16 a node, of the rest pose. */
export interface HeldPlace { place: readonly number[]; nodes: readonly number[]; weights: readonly number[]; inverse: readonly Float64Array[] }
const WORLD = new Float64Array(16);
function movedInto(out: Float64Array, { place: [x, y, z], nodes, weights, inverse }: HeldPlace, pose: Pose): void {
  out.fill(0);
  nodes.forEach((n, k) => {
    multiplyInto(WORLD, 0, pose, 16 * n, inverse[k], 0);
    for (let c = 0; c < 3; c++) out[c] += weights[k] * (WORLD[c] * x + WORLD[4 + c] * y + WORLD[8 + c] * z + WORLD[12 + c]);
  });
}
/** What holds chains that were drawn, by chain; null where nothing does but what carries them. */
export function heldPlaces(character: Character, chains: readonly { id: string; kept: number }[], given: Given | null): (HeldPlace[] | null)[] {
  const rest = poseCharacter(character, null, 0);
  return chains.map(({ id, kept }) => {
    const line = given?.lines.find((l) => l.id === id);
    if (!line?.held) return null;
    return line.held.slice(kept).map((by, i): HeldPlace => {
      const nodes = by.map(([key]) => findNode(character, key)), sum = by.reduce((s, [, w]) => s + w, 0) || 1, usable = nodes.every((n) => n >= 0 && invertAffine(rest, 16 * n) !== null) && nodes.length > 0, carrier = Math.max(0, findNode(character, given!.carrier));
      return { place: line.places.slice(3 * (i + kept), 3 * (i + kept) + 3), nodes: usable ? nodes : [carrier], weights: usable ? by.map(([, w]) => w / sum) : [1], inverse: (usable ? nodes : [carrier]).map((n) => invertAffine(rest, 16 * n)!) };
    });
  });
}
