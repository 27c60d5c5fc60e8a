/**
 * Joint chains from all guides: guides that move alike are gathered, each gathering gets a chain along its mean with as many joints as pay
 * for themselves within a budget, and every joint is turned, frame by frame, as fits the points of its guides best.
 *
 * Everything is seen from the joint that carries the hair: in the places of the rest pose, moved rigidly as that joint moves.
 */
import { bestTurn } from '../math/best-turn';
import { gatherAlike } from '../math/gather';
import { multiplyQuats, turnInto } from '../math/mat4';
import type { Character, CharacterMesh } from '../mesh/character';
import { ErrorTally, type ErrorFigures } from './error-tally';

export interface ChainInput {
  /** 3 × points × guides, m: groomed shape in the rest pose. */
  rest: ArrayLike<number>;
  pointCount: number;
  /** Node that carries each guide. */
  carriers: Int32Array;
  /** Points of each frame seen from their guides' carriers, as `rest`. */
  frames: readonly Float32Array[];
  /** Number of each frame, for reports. */
  numbers: readonly number[];
  /** Joints there may be in all. */
  budget: number;
}
export interface Chain {
  carrier: number;
  guides: number[];
  /** 3 × (joints + 1), m, rest: joints from the root, then the end of the last. */
  places: Float64Array;
  /** For each frame 4 × joints: turn of each joint from the rest pose, seen from the carrier. */
  turns: Float64Array[];
}
export interface ChainSet { chains: Chain[]; joints: number; /** Chain of each guide. */ chainOf: Int32Array; error: ErrorFigures }

/** Joints of a chain that are tried. */
const JOINTS = [1, 2, 3, 4, 5, 6, 8] as const;
/** Parts of the budget that chains are tried with: one chain for so many joints. */
const SHARES = [2, 3, 4, 6] as const;
/** Frames looked at while joints are shared out, and for telling guides apart. */
const TRIED_FRAMES = 24, TOLD_FRAMES = 10;
/** How firmly a joint keeps the turn of the one before where its points do not say: as a share of what they say. */
const KEEP = 2e-3;
/** A carrier of fewer guides than this share is not worth a chain of its own. */
const FEW = 0.02;

/** Node with most of the weight at each root's face; `faces`: of the roots. Those with few guides go to the carrier of most. */
export function carriersOf(character: Character, mesh: CharacterMesh, faces: ArrayLike<number>): Int32Array {
  const out = new Int32Array(faces.length), counts = new Map<number, number>();
  for (let g = 0; g < faces.length; g++) {
    let best = mesh.node;
    if (mesh.skin >= 0) {
      const sums = new Map<number, number>();
      for (let k = 0; k < 3; k++) { const v = mesh.triangles[3 * faces[g] + k]; for (let q = 0; q < 4; q++) { const node = character.skins[mesh.skin].joints[mesh.joints[4 * v + q]]; sums.set(node, (sums.get(node) ?? 0) + mesh.weights[4 * v + q]); } }
      best = [...sums].sort((a, b) => b[1] - a[1] || a[0] - b[0])[0][0];
    }
    out[g] = best;
    counts.set(best, (counts.get(best) ?? 0) + 1);
  }
  const most = [...counts].sort((a, b) => b[1] - a[1] || a[0] - b[0])[0]?.[0] ?? -1;
  for (let g = 0; g < out.length; g++) if (counts.get(out[g])! < FEW * out.length) out[g] = most;
  return out;
}

/** Weights of a place at a share of the length on the joints of a chain: the two nearest middles of pieces. */
export function jointsAt(share: number, joints: number): { joint: number; weight: number }[] {
  const x = Math.max(0, Math.min(joints - 1, share * joints - 0.5)), j = Math.min(joints - 1, Math.floor(x)), t = x - j;
  return t > 1e-6 ? [{ joint: j, weight: 1 - t }, { joint: j + 1, weight: t }] : [{ joint: j, weight: 1 }];
}

export function reduceToChains(input: ChainInput): ChainSet {
  const { rest, pointCount: n, carriers, frames, numbers, budget } = input, guides = carriers.length, groups = new Map<number, number[]>();
  for (let g = 0; g < guides; g++) groups.set(carriers[g], [...(groups.get(carriers[g]) ?? []), g]);
  const tried = spread(frames.length, TRIED_FRAMES), features = featuresOf(input);
  let best: { gatherings: number[][]; joints: number[]; cost: number } | null = null;
  for (const share of SHARES) {
    const wanted = Math.max(groups.size, Math.min(guides, Math.floor(budget / share))), gatherings: number[][] = [];
    for (const [, members] of [...groups].sort((a, b) => a[0] - b[0])) {
      const own = Math.max(1, Math.round((wanted * members.length) / guides)), D = features.length / guides, F = new Float32Array(D * members.length);
      members.forEach((g, k) => F.set(features.subarray(D * g, D * (g + 1)), D * k));
      for (const list of gatherAlike(F, D, own)) gatherings.push(list.map((k) => members[k]));
    }
    while (gatherings.length > budget) { gatherings.sort((a, b) => b.length - a.length); gatherings[gatherings.length - 2].push(...gatherings.pop()!); }
    const shared = shareOut(input, gatherings, tried, budget);
    if (!best || shared.cost < best.cost) best = { gatherings, ...shared };
    if (gatherings.length >= guides) break;
  }
  const chainOf = new Int32Array(guides), all = frames.map((_, k) => k), chains = best!.gatherings.map((list, c): Chain => {
    for (const g of list) chainOf[g] = c;
    const places = placesOf(rest, n, list, best!.joints[c]);
    return { carrier: carriers[list[0]], guides: list, places, turns: fitTurns(rest, n, list, places, frames, all) };
  });
  const tally = new ErrorTally();
  for (const chain of chains) eachError(rest, n, chain.guides, chain.places, chain.turns, frames, all, (error, k, g) => tally.take(error, numbers[k], g));
  return { chains, joints: chains.reduce((sum, c) => sum + c.places.length / 3 - 1, 0), chainOf, error: tally.figures };
}

/** So many numbers below n, evenly spread. */
const spread = (n: number, most: number): number[] => (n <= most ? Array.from({ length: n }, (_, k) => k) : Array.from({ length: most }, (_, k) => Math.round((k * (n - 1)) / (most - 1))));

/** What guides are told apart by: where they are in the rest pose, and how they move from it. */
function featuresOf({ rest, pointCount: n, frames, carriers }: ChainInput): Float32Array {
  const guides = carriers.length, told = spread(frames.length, TOLD_FRAMES), places = [[0, 1.8], [0.35, 1], [0.7, 0.8], [1, 0.6]] as const, moves = [[0.5, 1], [1, 1]] as const, D = 3 * (places.length + moves.length * told.length), F = new Float32Array(D * guides), heavy = 2.5 / Math.sqrt(Math.max(1, told.length));
  for (let g = 0; g < guides; g++) {
    let o = D * g;
    const at = (share: number): number => 3 * (g * n + Math.round(share * (n - 1)));
    for (const [share, w] of places) for (let c = 0; c < 3; c++) F[o++] = w * rest[at(share) + c];
    for (const k of told) for (const [share, w] of moves) for (let c = 0; c < 3; c++) F[o++] = w * heavy * (frames[k][at(share) + c] - rest[at(share) + c]);
  }
  return F;
}

/** Gives each gathering as many joints as pay most within the budget. */
function shareOut({ rest, pointCount: n, frames }: ChainInput, gatherings: readonly number[][], tried: readonly number[], budget: number): { joints: number[]; cost: number } {
  const costs = gatherings.map((list) => JOINTS.map((joints) => {
    if (joints > n - 1) return Infinity;
    const places = placesOf(rest, n, list, joints);
    let cost = 0;
    eachError(rest, n, list, places, fitTurns(rest, n, list, places, frames, tried), frames, tried, (error) => { cost += error * error; });
    return cost;
  })), level = gatherings.map(() => 0);
  let left = budget - gatherings.length;
  for (;;) {
    let at = -1, to = 0, gain = 0;
    // the best bargain, which may be more than one joint at once
    costs.forEach((list, c) => { for (let k = level[c] + 1; k < JOINTS.length; k++) { const price = JOINTS[k] - JOINTS[level[c]], g = (list[level[c]] - list[k]) / price; if (price <= left && g > gain) { gain = g; at = c; to = k; } } });
    if (at < 0) break;
    left -= JOINTS[to] - JOINTS[level[at]];
    level[at] = to;
  }
  return { joints: level.map((k) => JOINTS[k]), cost: costs.reduce((sum, list, c) => sum + list[level[c]], 0) };
}

/** Joints evenly along the mean of the guides, and its end; 3 × (joints + 1). */
function placesOf(rest: ArrayLike<number>, n: number, list: readonly number[], joints: number): Float64Array {
  const out = new Float64Array(3 * (joints + 1));
  for (let j = 0; j <= joints; j++) {
    const x = (j / joints) * (n - 1), i = Math.min(n - 2, Math.floor(x)), t = x - i;
    for (const g of list) for (let c = 0; c < 3; c++) { const p = 3 * (g * n + i) + c; out[3 * j + c] += (rest[p] + t * (rest[p + 3] - rest[p])) / list.length; }
  }
  return out;
}

/** Turns of the joints of one chain in some frames: from the root on, each as fits the points of its piece, from where the joint has come to. */
function fitTurns(rest: ArrayLike<number>, n: number, list: readonly number[], places: Float64Array, frames: readonly Float32Array[], which: readonly number[]): Float64Array[] {
  const joints = places.length / 3 - 1, H = new Float64Array(9), at = new Float64Array(3), q = new Float64Array(4), way = new Float64Array(3), now = new Float64Array(3);
  let before: Float64Array | null = null;
  return which.map((f) => {
    const P = frames[f], out = new Float64Array(4 * joints);
    for (let c = 0; c < 3; c++) at[c] = places[c];
    for (let j = 0; j < joints; j++) {
      H.fill(0);
      way.fill(0);
      now.fill(0);
      const a = places[3 * j], b = places[3 * j + 1], d = places[3 * j + 2];
      for (const g of list) for (let i = Math.max(1, Math.ceil((j / joints) * (n - 1) + 1e-9)); i <= Math.floor(((j + 1) / joints) * (n - 1) + 1e-9); i++) {
        const p = 3 * (g * n + i), x = rest[p] - a, y = rest[p + 1] - b, z = rest[p + 2] - d, u = P[p] - at[0], v = P[p + 1] - at[1], w = P[p + 2] - at[2];
        way[0] += x; way[1] += y; way[2] += z; now[0] += u; now[1] += v; now[2] += w;
        H[0] += x * u; H[1] += x * v; H[2] += x * w; H[3] += y * u; H[4] += y * v; H[5] += y * w; H[6] += z * u; H[7] += z * v; H[8] += z * w;
      }
      // along a line of points nothing says how far it is turned about itself: as the joint before
      const keep = KEEP * (Math.abs(H[0]) + Math.abs(H[4]) + Math.abs(H[8]) + 1e-12), [x, y, z, w] = j === 0 ? [0, 0, 0, 1] : [out[4 * j - 4], out[4 * j - 3], out[4 * j - 2], out[4 * j - 1]];
      H[0] += keep * (1 - 2 * (y * y + z * z)); H[1] += keep * 2 * (x * y + w * z); H[2] += keep * 2 * (x * z - w * y);
      H[3] += keep * 2 * (x * y - w * z); H[4] += keep * (1 - 2 * (x * x + z * z)); H[5] += keep * 2 * (y * z + w * x);
      H[6] += keep * 2 * (x * z + w * y); H[7] += keep * 2 * (y * z - w * x); H[8] += keep * (1 - 2 * (x * x + y * y));
      bestTurn(H, q);
      // keeping the turn before bends the way a little too: it goes back to that of the points
      straighten(q, way, now);
      // of the two quaternions of a turn the one near that of the frame before
      const near: Float64Array = before ?? out, o = before ? 4 * j : -1, side = o >= 0 ? q[0] * near[o] + q[1] * near[o + 1] + q[2] * near[o + 2] + q[3] * near[o + 3] : q[3], s = side < 0 ? -1 : 1;
      for (let c = 0; c < 4; c++) out[4 * j + c] = s * q[c];
      moveOn(at, places, j, out);
    }
    before = out;
    return out;
  });
}
/** Adds to a turn the least one that takes where it has `way` to the direction of `now`. */
function straighten(q: Float64Array, way: Float64Array, now: Float64Array): void {
  const is = new Float64Array(3);
  turnInto(is, 0, way, 0, q);
  const l = Math.sqrt((is[0] ** 2 + is[1] ** 2 + is[2] ** 2) * (now[0] ** 2 + now[1] ** 2 + now[2] ** 2));
  if (!(l > 1e-18)) return;
  const c = (is[0] * now[0] + is[1] * now[1] + is[2] * now[2]) / l, d = [(is[1] * now[2] - is[2] * now[1]) / l, (is[2] * now[0] - is[0] * now[2]) / l, (is[0] * now[1] - is[1] * now[0]) / l, 1 + c], n = Math.hypot(...d);
  if (n < 1e-6) return;
  q.set(multiplyQuats(d.map((v) => v / n), q));
}
/** From joint j to the next one, as it is turned. */
function moveOn(at: Float64Array, places: Float64Array, j: number, turns: Float64Array): void {
  const x = places[3 * j + 3] - places[3 * j], y = places[3 * j + 4] - places[3 * j + 1], z = places[3 * j + 5] - places[3 * j + 2], qx = turns[4 * j], qy = turns[4 * j + 1], qz = turns[4 * j + 2], qw = turns[4 * j + 3], ux = 2 * (qy * z - qz * y), uy = 2 * (qz * x - qx * z), uz = 2 * (qx * y - qy * x);
  at[0] += x + qw * ux + qy * uz - qz * uy; at[1] += y + qw * uy + qz * ux - qx * uz; at[2] += z + qw * uz + qx * uy - qy * ux;
}
/** Where the joints are in one frame, and the end; 3 × (joints + 1), m, seen from the carrier. */
export function jointPlaces({ places }: Pick<Chain, 'places'>, turns: Float64Array, out: Float64Array): void {
  const at = Float64Array.of(places[0], places[1], places[2]);
  out.set(at);
  for (let j = 0; j < places.length / 3 - 1; j++) { moveOn(at, places, j, turns); out.set(at, 3 * j + 3); }
}

/** How far each point of the guides is, in each frame, from where its chain has it. */
function eachError(rest: ArrayLike<number>, n: number, list: readonly number[], places: Float64Array, turns: readonly Float64Array[], frames: readonly Float32Array[], which: readonly number[], tell: (error: number, frame: number, guide: number) => void): void {
  const joints = places.length / 3 - 1, now = new Float64Array(places.length), bonds = Array.from({ length: n }, (_, i) => jointsAt(i / (n - 1), joints));
  turns.forEach((T, k) => {
    const P = frames[which[k]];
    jointPlaces({ places }, T, now);
    for (const g of list) for (let i = 0; i < n; i++) {
      const p = 3 * (g * n + i);
      let ex = -P[p], ey = -P[p + 1], ez = -P[p + 2];
      for (const { joint: j, weight } of bonds[i]) {
        const x = rest[p] - places[3 * j], y = rest[p + 1] - places[3 * j + 1], z = rest[p + 2] - places[3 * j + 2], qx = T[4 * j], qy = T[4 * j + 1], qz = T[4 * j + 2], qw = T[4 * j + 3], ux = 2 * (qy * z - qz * y), uy = 2 * (qz * x - qx * z), uz = 2 * (qx * y - qy * x);
        ex += weight * (now[3 * j] + x + qw * ux + qy * uz - qz * uy); ey += weight * (now[3 * j + 1] + y + qw * uy + qz * ux - qx * uz); ez += weight * (now[3 * j + 2] + z + qw * uz + qx * uy - qy * ux);
      }
      tell(Math.sqrt(ex * ex + ey * ey + ez * ez), which[k], g);
    }
  });
}
