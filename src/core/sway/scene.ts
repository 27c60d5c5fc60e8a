/** Everything a run depends on, and how it moves: roots, what carries colliders, and the meshes that are shells. */
import { inCages } from '../cage/cages';
import { invertAffine, moveInto, multiplyInto, quatFromAxes, slerpInto } from '../math/mat4';
import { cross, normalize, type Vec3 } from '../math/vec';
import { findNode, poseAtFrame, poseCharacter, restPositions, rigidMotionInto, skinPositions, type Character, type CharacterMesh, type Clip, type Pose } from '../mesh/character';
import { applyHand, type Hand } from '../mesh/hand';
import { placeGuides, restFrames, rootMotionsInto, rootVertices, type Planting, type Density } from '../groom/planting';
import type { GroomDocument, SwayMap, SwaySettings } from '../document/schema';
import type { RodSystem } from './rod-system';
import { SheetGrid } from './sheet';
import type { NearMemory } from './fast/near-memory';
import { Shell } from './shell';
import type { BodyParts } from './body-parts';
import { layersOf } from './shell-mesh';

export interface Scene {
  character: Character;
  mesh: CharacterMesh;
  clip: Clip | null;
  shot: GroomDocument['shot'];
  planting: Planting;
  /** 3 × pointCount × guides, m, rest orientation, from the root. */
  offsets: Float32Array;
  pointCount: number;
  hidden: readonly string[];
  settings: SwaySettings;
  /** Frames after which the poses are those of the shot's first frame again, to the bit; only a bake that goes round asks for it. */
  round?: number;
  /** Shape of all guides in a pose where it changes with the pose (3 × points × guides, m, as `offsets`); that of `offsets` where there is none. */
  shape?: (pose: Pose, out: Float64Array) => void;
  /** Bend limits of the guides, where they are chains, for the guides from `first` on. */
  bends?: (first: number) => { hold: (system: RodSystem, h: number) => void };
  /** What lies on the sheet (`sheet-load.ts`), N, where anything does. */
  load?: Float32Array;
  /** Painted maps; none is 1 everywhere. */
  maps?: Partial<Record<SwayMap, Density>>;
}

/** The scene with the guides `from … to − 1` only. */
export function shareOf(scene: Scene, from: number, to: number): Scene {
  const stride = 3 * scene.pointCount;
  return { ...scene, planting: { faces: scene.planting.faces.slice(from, to), weights: scene.planting.weights.slice(2 * from, 2 * to) }, offsets: scene.offsets.slice(stride * from, stride * to) };
}

/** The sheet that the guides are together, as it hangs at rest; null where they are none. */
export function sheetOf(scene: Scene): SheetGrid | null {
  const { planting: { faces: { length: guides } }, pointCount, settings } = scene;
  return settings.sheet && guides > 1 && !inCages(settings) ? new SheetGrid(settings.sheet, restPoints(scene), guides, pointCount) : null;
}
/** Guide points in the rest pose, 3 × points × guides, m. */
export function restPoints({ character, mesh, planting, offsets, pointCount }: Pick<Scene, 'character' | 'mesh' | 'planting' | 'offsets' | 'pointCount'>): Float64Array {
  const skin = restPositions(character, mesh), motions = new Float64Array(7 * planting.faces.length), points = new Float64Array(offsets.length);
  rootMotionsInto(motions, planting, restFrames(planting, skin, mesh.triangles), skin, mesh.triangles);
  placeGuides(offsets, motions, pointCount, points);
  return points;
}
/** Value of a map at each root, 1 where there is none. */
export function mapAtRoots(scene: Scene, map: SwayMap): Float64Array {
  const { faces, weights } = scene.planting, value = scene.maps?.[map];
  return Float64Array.from({ length: faces.length }, (_, g) => (value ? value(faces[g], weights[2 * g], weights[2 * g + 1]) : 1));
}

/**
 * Poses of the character as a run sees them. With a carrier the run is computed seen from it, of whose travel and turning only
 * the wanted shares are put back: with none of either it stands still, to the bit. `home` leads back to where it really is.
 */
export class Stage {
  readonly rest: Pose;
  private readonly carrier: number;
  /** The carrier where the run begins, and its inverse. */
  private readonly first: Float64Array | null;
  private readonly share: { travel: number; turning: number };

  constructor(private readonly scene: Pick<Scene, 'character' | 'clip' | 'shot' | 'settings' | 'round'>, startFrame: number, hand: Hand | null = null) {
    this.hand = hand;
    const { character, settings } = scene;
    this.rest = poseCharacter(character, null, 0);
    this.share = { travel: settings.carryTravel, turning: settings.carryTurning };
    this.carrier = this.share.travel === 1 && this.share.turning === 1 ? -1 : findNode(character, settings.carrier);
    this.first = this.carrier < 0 ? null : this.worldPose(startFrame).slice(16 * this.carrier, 16 * this.carrier + 16);
  }
  /** What is moved by hand just now; null for nothing. */
  hand: Hand | null = null;
  private clipPose(frame: number, kept?: { node: number; matrix: ArrayLike<number> }): Pose {
    const { character, clip, shot, round } = this.scene;
    return poseAtFrame(character, clip, shot, round ? shot.start + ((((frame - shot.start) % round) + round) % round) : frame, kept);
  }
  private worldPose(frame: number): Pose {
    const pose = this.clipPose(frame);
    applyHand(pose, this.scene.character, this.hand);
    return pose;
  }

  /** The pose at a frame; `home`, if given, gets the rigid motion from the run's places to the world's (7 numbers). */
  poseAt(frame: number, home?: Float64Array): Pose {
    const world = this.worldPose(frame), { first, carrier, share } = this;
    home?.set([0, 0, 0, 1, 0, 0, 0]);
    if (!first) return world;
    const { character } = this.scene, now = world.slice(16 * carrier, 16 * carrier + 16);
    const kept = share.travel === 0 && share.turning === 0 ? first : partOf(first, now, share);
    const pose = this.clipPose(frame, { node: carrier, matrix: kept });
    if (this.hand && this.hand.node >= 0) applyHand(pose, character, this.hand);
    const inverse = invertAffine(now), shift = new Float64Array(16), moved = new Float64Array(16);
    if (inverse) multiplyInto(shift, 0, kept, 0, inverse, 0);
    const carried = new Uint8Array(character.nodes.length);
    character.nodes.forEach((n, i) => {
      carried[i] = i === carrier || (n.parent >= 0 && carried[n.parent] === 1) ? 1 : 0;
      if (carried[i] === 1 || !inverse) return;
      multiplyInto(moved, 0, shift, 0, world, 16 * i);
      pose.set(moved, 16 * i);
    });
    if (home) {
      const back = new Float64Array(16), undo = invertAffine(kept);
      if (undo) { multiplyInto(back, 0, now, 0, undo, 0); rigidInto(home, back); }
    }
    return pose;
  }
}

/** The carrier when it has made only a share of its way from `first` to `now`: turned about its own place. */
function partOf(first: Float64Array, now: Float64Array, share: { travel: number; turning: number }): Float64Array {
  const inverse = invertAffine(first), D = new Float64Array(16), out = first.slice(), d = new Float64Array(7), q = new Float64Array(7);
  if (!inverse) return out;
  multiplyInto(D, 0, now, 0, inverse, 0);
  rigidInto(d, D);
  slerpInto(q, 0, [0, 0, 0, 1], 0, d, 0, share.turning);
  const column = new Float64Array(3);
  for (let c = 0; c < 3; c++) {
    moveInto(column, 0, first, 4 * c, q);
    out.set(column, 4 * c);
  }
  for (let k = 0; k < 3; k++) out[12 + k] = first[12 + k] + share.travel * (now[12 + k] - first[12 + k]);
  return out;
}
function rigidInto(out: Float64Array, m: Float64Array): void {
  const x = normalize([m[0], m[1], m[2]]), z = normalize(cross(x, [m[4], m[5], m[6]])), y = cross(z, x);
  out.set(quatFromAxes(x, y, z));
  for (let k = 0; k < 3; k++) out[4 + k] = m[12 + k];
}

/** The mesh of a scene, its guides' roots and where they are at a frame. */
export class RootPoser {
  private readonly frames: Float64Array;
  private readonly vertices: Uint32Array;
  private readonly skin: Float64Array;
  constructor(private readonly scene: Scene, readonly stage: Stage) {
    const { character, mesh, planting } = scene;
    this.skin = new Float64Array(mesh.positions.length);
    skinPositions(character, mesh, stage.rest, this.skin);
    this.frames = restFrames(planting, this.skin, mesh.triangles);
    this.vertices = rootVertices(planting, mesh.triangles);
  }
  /** Motions of the roots, 7 × guides, in a pose. */
  rootsInto(pose: Pose, motions: Float64Array): void {
    const { character, mesh, planting } = this.scene;
    skinPositions(character, mesh, pose, this.skin, this.vertices);
    rootMotionsInto(motions, planting, this.frames, this.skin, mesh.triangles);
  }
}

/** Rigid motions of what hangs on nodes (−1: on nothing) since the rest pose, 7 each. */
export function nodeMotionsInto(out: Float64Array, nodes: ArrayLike<number>, rest: Pose, pose: Pose): void {
  for (let k = 0; k < nodes.length; k++) rigidMotionInto(out, 7 * k, rest, pose, nodes[k]);
}

/** A mesh of the character, or a layer of it (`layersOf`), as a shell, and where its vertices are. */
export class WornShell {
  /** What no run becomes. */
  static readonly madeAnew: ReadonlySet<string> = new Set(['triangles', 'first']);
  readonly shell: Shell;
  /** None where another layer of the same mesh, `first`, moves the vertices for both. */
  private places: { before: Float64Array; now: Float64Array } | null = null;
  /** `triangles`: of the layer. */
  constructor(private readonly character: Character, readonly mesh: CharacterMesh, thickness: number, friction: number, twoSided: boolean, readonly triangles: Uint32Array = mesh.triangles, private readonly first: WornShell | null = null, solid = false, memory?: NearMemory) {
    if (!first) this.places = { before: new Float64Array(mesh.positions.length), now: new Float64Array(mesh.positions.length) };
    this.pose(poseCharacter(character, null, 0));
    this.shell = new Shell(triangles, this.now, thickness, friction, twoSided, solid, memory);
  }
  /** All layers of a mesh, and the sheets beside a body; `memory`: that of the run's other shells. */
  static layers(character: Character, mesh: CharacterMesh, thickness: number, friction: number, twoSided: boolean, parts: BodyParts | null = null, memory?: NearMemory): WornShell[] {
    const rest = restPositions(character, mesh), split = twoSided ? [mesh.triangles] : layersOf(parts?.solid ?? mesh.triangles, rest), out: WornShell[] = [];
    for (const triangles of split) out.push(new WornShell(character, mesh, thickness, friction, twoSided, triangles, out[0] ?? null, parts !== null, memory));
    if (parts && parts.flaps.length > 0) out.push(new WornShell(character, mesh, thickness, friction, true, parts.flaps, out[0], false, memory));
    return out;
  }
  /** 3 × vertices, m: at the frame the run is at, and at the next. */
  get before(): Float64Array { return (this.places ?? this.first!.places!).before; }
  get now(): Float64Array { return (this.places ?? this.first!.places!).now; }
  pose(pose: Pose): void { if (this.places) skinPositions(this.character, this.mesh, pose, this.places.now); }
  /** The next frame becomes the one the run is at. */
  turn(): void { const { places } = this; if (places) [places.before, places.now] = [places.now, places.before]; }
}

/** A pose's place of a node, m. */
export const placeOfNode = (pose: Pose, node: number): Vec3 => [pose[16 * node + 12], pose[16 * node + 13], pose[16 * node + 14]];
