/** Filled strands and what collides in one pose: where the two parts meet. */
import type { SwaySettings } from '../document/schema';
import { moveInto } from '../math/mat4';
import { poseCharacter, restPositions, skinPositions, type Character, type Pose } from '../mesh/character';
import { collidersOf, type ColliderSet } from './colliders';
import { boxOf, PosedObstacles, type Obstacles } from './push-out';
import { nodeMotionsInto } from './scene';
import { describeShell, outwardSign } from './shell-check';
import { besideHidden, hiddenFaces } from './start-check';
import { weldByPosition } from '../mesh/surface';

/** Colliders of a character as last asked for, with the shells that have an outside. */
let known: { character: Character; key: string; set: ColliderSet; obstacles: Obstacles; shells: number[]; nodes: number[] } | null = null;

function obstaclesOf(character: Character, hidden: readonly string[], settings: SwaySettings): NonNullable<typeof known> {
  const { roles, meshes, groupsOff, pillsWithout, pills, colliders, pillCover } = settings, key = JSON.stringify([hidden, roles, meshes, groupsOff, pillsWithout, pills, colliders, pillCover]);
  if (known?.character === character && known.key === key) return known;
  const set = collidersOf(character, hidden, settings), rest = poseCharacter(character, null, 0), used = set.pills.filter((p) => p.on);
  // of a sheet a filled strand does not know on which side it belongs
  const solid = set.shells.filter((s) => s.on && !s.twoSided).filter(({ mesh: m, parts }) => {
    if (parts) return true;
    const P = new Float64Array(character.meshes[m].positions.length);
    skinPositions(character, character.meshes[m], rest, P);
    return describeShell(character.meshes[m].triangles, P).closed;
  }), shells = solid.map((s) => s.mesh);
  known = { character, key, set, shells, nodes: used.map((p) => p.node), obstacles: { pills: used, floors: [], shells: solid.map(({ mesh: m, parts }) => { const triangles = parts?.solid ?? character.meshes[m].triangles; return { triangles, closed: true, ...overlapOf(character, m, triangles) }; }) } };
  return known;
}

/** By mesh, as they are the same for every groom and setting. */
const OVERLAPS = new WeakMap<Uint32Array, { hidden: Uint8Array; mixed: Uint8Array }>();
/** Faces of a closed mesh that lie inside itself, and those beside them that may do so in part. */
function overlapOf(character: Character, m: number, triangles: Uint32Array): { hidden: Uint8Array; mixed: Uint8Array } {
  let known = OVERLAPS.get(triangles);
  if (!known) {
    const P = restPositions(character, character.meshes[m]), hidden = hiddenFaces(P, triangles, outwardSign(triangles, P));
    OVERLAPS.set(triangles, (known = { hidden, mixed: besideHidden(triangles, weldByPosition(P), hidden) }));
  }
  return known;
}

/** What filled strands are lifted out of, by name, as `Deepest.below` counts them. */
export function filledColliders(character: Character, hidden: readonly string[], settings: SwaySettings): string[] {
  const { set, shells } = obstaclesOf(character, hidden, settings);
  return [...set.pills.filter((p) => p.on).map((p) => p.label), ...set.floors.filter((f) => f.on).map((f) => f.label), ...shells.map((m) => set.shells.find((s) => s.mesh === m)!.label)];
}

/** The deepest strand, −1 for none; and of each collider that any is below: its number, the greatest depth, m, and the strand. */
export interface Deepest { strand: number; below?: [number, number, number][] }

/**
 * Lifts filled strands (3 × nodes × strands, m, world, in place) out of the colliders of a character in a pose. Returns the
 * greatest depth any had before, m; `worst` is told which.
 */
export function pushFilled(character: Character, hidden: readonly string[], settings: SwaySettings, pose: Pose, P: Float32Array, nodes: number, worst?: Deepest): number {
  const { set, obstacles, shells, nodes: carriers } = obstaclesOf(character, hidden, settings), rest = poseCharacter(character, null, 0), used = set.pills.filter((p) => p.on);
  const motions = new Float64Array(7 * carriers.length), ends = new Float64Array(6 * used.length);
  nodeMotionsInto(motions, carriers, rest, pose);
  used.forEach((p, k) => { moveInto(ends, 6 * k, p.a, 0, motions, 7 * k); moveInto(ends, 6 * k + 3, p.b, 0, motions, 7 * k); });
  const on = set.floors.filter((f) => f.on), place = new Float64Array(3), move = new Float64Array(7);
  const floors = on.map((f): [number, number, number, number] => {
    nodeMotionsInto(move, [f.node], rest, pose);
    const up = new Float64Array(3);
    moveInto(up, 0, [0, 1, 0], 0, Float64Array.of(move[0], move[1], move[2], move[3], 0, 0, 0));
    moveInto(place, 0, f.place, 0, move);
    return [up[0], up[1], up[2], up[0] * place[0] + up[1] * place[1] + up[2] * place[2]];
  });
  const positions = shells.map((m) => { const Q = new Float64Array(character.meshes[m].positions.length); skinPositions(character, character.meshes[m], pose, Q); return Q; });
  const posed = new PosedObstacles({ ...obstacles, floors }, ends, positions, boxOf(P, 0.02));
  let deepest = 0;
  for (const strand of inPlaces(P, nodes)) {
    posed.strand = strand;
    const depth = posed.sweep(P, strand * nodes, nodes);
    if (depth < deepest || (depth === deepest && worst && strand > worst.strand)) continue;
    deepest = depth;
    if (worst) worst.strand = strand;
  }
  if (worst) { worst.below = []; posed.depths.forEach((depth, k) => { if (depth > 0) worst.below!.push([k, depth, posed.depthStrands[k]]); }); }
  return deepest;
}

/** Bits of a place along each axis. */
const BITS = 7;
/** Strands by where their middles are, neighbours one after the other: what is asked of the obstacles is still at hand then. Along a curve of Morton, *from memory*. */
function inPlaces(P: Float32Array, nodes: number): Uint32Array {
  const count = P.length / 3 / nodes, low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity], middle = 3 * (nodes >> 1), keys = new Float64Array(count);
  for (let s = 0; s < count; s++) for (let c = 0; c < 3; c++) { const v = P[3 * nodes * s + middle + c]; low[c] = Math.min(low[c], v); high[c] = Math.max(high[c], v); }
  const per = low.map((v, c) => (2 ** BITS - 1) / Math.max(1e-9, high[c] - v));
  for (let s = 0; s < count; s++) {
    const o = 3 * nodes * s + middle, x = (P[o] - low[0]) * per[0], y = (P[o + 1] - low[1]) * per[1], z = (P[o + 2] - low[2]) * per[2];
    let key = 0;
    for (let bit = BITS - 1; bit >= 0; bit--) key = 8 * key + 4 * ((x >> bit) & 1) + 2 * ((y >> bit) & 1) + ((z >> bit) & 1);
    keys[s] = key * 2 ** 30 + s;
  }
  return Uint32Array.from(keys.sort(), (k) => k % 2 ** 30);
}
