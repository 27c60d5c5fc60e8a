/** A character as the core sees it: nodes, skinned meshes, clips; its pose in time and its skin in that pose. */
import { composeInto, invertAffine, multiplyInto, quatFromAxes, slerpInto } from '../math/mat4';
import { cross, normalize, type Vec3 } from '../math/vec';

/** What a mesh is to the work: skin and cloth, what is worn on them, what stands by, what carries the character. */
export const ROLES = ['body', 'garment', 'accessory', 'prop', 'carrier'] as const;
export type Role = (typeof ROLES)[number];

export interface CharacterNode {
  name: string;
  /** Index of the parent, always smaller than the node's own; −1 for none. */
  parent: number;
  translation: [number, number, number];
  /** x, y, z, w. */
  rotation: [number, number, number, number];
  scale: [number, number, number];
}

export interface Skin {
  /** Node of each joint. */
  joints: Uint16Array;
  /** 16 × joints, column-major. */
  inverseBind: Float32Array;
}

export interface CharacterMaterial {
  name: string;
  /** Linear RGB. */
  color: [number, number, number];
  roughness: number;
  metalness: number;
  twoSided: boolean;
}

export interface CharacterMesh {
  name: string;
  role: Role;
  /** Node it hangs on; counts only where `skin` is −1. */
  node: number;
  skin: number;
  /** 3 × vertices, m, before skinning. */
  positions: Float32Array;
  normals: Float32Array;
  triangles: Uint32Array;
  /** Linear RGB, 3 × vertices, or empty. */
  colors: Float32Array;
  /** 4 × vertices, into the skin's joints; weights sum to 1. Empty without a skin. */
  joints: Uint16Array;
  weights: Float32Array;
  /** 0…1 a vertex: where the file says that hair may grow; empty where it says nothing. */
  hair: Float32Array;
  /** Runs of triangles with one material; `first` and `count` in triangles. */
  groups: { material: number; first: number; count: number }[];
  /** Shapes the mesh can take on: offsets from `positions`, 3 × vertices, m. */
  morphs: { name: string; offsets: Float32Array }[];
  /** How much of each is in the rest pose. */
  morphRest: Float32Array;
  /** Number each vertex has in the file, where the file numbers points otherwise: several vertices may be one point. */
  points?: Uint32Array;
  /** Texture coordinates, 2 × vertices, v upwards; where the file has any. */
  uvs?: Float32Array;
}

export interface Channel {
  node: number;
  /** `weights`: of all morphs of the meshes on the node. */
  path: 'translation' | 'rotation' | 'scale' | 'weights';
  interpolation: 'LINEAR' | 'STEP' | 'CUBICSPLINE';
  times: Float32Array;
  values: Float32Array;
}

export interface Clip {
  name: string;
  /** s: its last key. */
  duration: number;
  /** s: its first key, up to which all stands still; 0 where there is none. */
  begins?: number;
  channels: Channel[];
}

export interface Character {
  nodes: CharacterNode[];
  skins: Skin[];
  materials: CharacterMaterial[];
  meshes: CharacterMesh[];
  clips: Clip[];
}

/**
 * World matrices of all nodes, 16 × nodes, column-major, m; then how much there is of each mesh's morphs, in the order of the
 * meshes.
 */
export type Pose = Float64Array;

/** Where a mesh's morphs stand in a pose. */
export function morphPlace(character: Character, mesh: CharacterMesh): number {
  let at = 16 * character.nodes.length;
  for (const m of character.meshes) {
    if (m === mesh) return at;
    at += m.morphs.length;
  }
  return at;
}

/** Time in a clip of frame `frame`: held at the ends, or wrapped where the shot is cyclic: from its last key to its first. */
export function clipTime(frame: number, fps: number, clip: Pick<Clip, 'begins' | 'duration'>, cyclic: boolean): number {
  const t = frame / fps, { duration } = clip, begins = clip.begins ?? 0, round = duration - begins;
  if (!cyclic || round <= 0) return Math.min(Math.max(t, 0), duration);
  const w = (t - begins) % round;
  return begins + (w < 0 ? w + round : w);
}

/**
 * Pose of the character at `time` (s) of a clip; without a clip its rest pose. `kept`: a node that stands where the matrix
 * (16 numbers) says, whatever the clip does, and what hangs on it with it.
 */
export function poseCharacter(character: Character, clip: Clip | null, time: number, kept?: { node: number; matrix: ArrayLike<number> }): Pose {
  const { nodes } = character;
  const trs = new Float64Array(10 * nodes.length);
  nodes.forEach((n, i) => {
    trs.set(n.translation, 10 * i);
    trs.set(n.rotation, 10 * i + 3);
    trs.set(n.scale, 10 * i + 7);
  });
  const pose = new Float64Array(16 * nodes.length + character.meshes.reduce((n, m) => n + m.morphs.length, 0));
  let at = 16 * nodes.length;
  for (const mesh of character.meshes) { pose.set(mesh.morphRest, at); at += mesh.morphs.length; }
  for (const channel of clip?.channels ?? []) {
    if (channel.path === 'weights') morphsInto(character, channel, time, pose);
    else sampleChannel(channel, time, channel.path === 'rotation' ? 4 : 3, trs, 10 * channel.node + (channel.path === 'translation' ? 0 : channel.path === 'rotation' ? 3 : 7));
  }
  const local = new Float64Array(16);
  nodes.forEach((n, i) => {
    const o = 10 * i;
    composeInto(n.parent < 0 ? pose : local, n.parent < 0 ? 16 * i : 0, trs[o], trs[o + 1], trs[o + 2], trs[o + 3], trs[o + 4], trs[o + 5], trs[o + 6], trs[o + 7], trs[o + 8], trs[o + 9]);
    if (n.parent >= 0) multiplyInto(pose, 16 * i, pose, 16 * n.parent, local, 0);
    if (kept?.node === i) pose.set(kept.matrix as Pose, 16 * i);
  });
  return pose;
}

/** Pose at a frame, whole or between, of a shot; what `kept` is, `poseCharacter` says. */
export function poseAtFrame(character: Character, clip: Clip | null, shot: { fps: number; cyclic: boolean }, frame: number, kept?: { node: number; matrix: ArrayLike<number> }): Pose {
  return poseCharacter(character, clip, clip ? clipTime(frame, shot.fps, clip, shot.cyclic) : 0, kept);
}

/** A clip that stays as another is at one time, s. */
export function stillClip(clip: Clip, time: number): Clip {
  return {
    name: clip.name, duration: 0,
    channels: clip.channels.filter((c) => c.times.length > 0).map((c) => {
      const width = c.values.length / (c.times.length * (c.interpolation === 'CUBICSPLINE' ? 3 : 1)), values = new Float64Array(width);
      sampleChannel(c, time, width, values, 0);
      return { ...c, interpolation: 'STEP' as const, times: Float32Array.of(0), values: Float32Array.from(values) };
    }),
  };
}

function morphsInto(character: Character, channel: Channel, time: number, pose: Pose): void {
  for (const mesh of character.meshes) {
    const count = mesh.morphs.length;
    // a channel of another count belongs to no mesh of this file
    if (mesh.node === channel.node && count > 0 && channel.values.length === count * channel.times.length * (channel.interpolation === 'CUBICSPLINE' ? 3 : 1)) sampleChannel(channel, time, count, pose, morphPlace(character, mesh));
  }
}

/** Writes `width` numbers. Source: glTF 2.0 specification, appendix C (animation sampler interpolation modes). */
function sampleChannel(channel: Channel, time: number, width: number, out: Float64Array, o: number): void {
  const { times, values, interpolation, path } = channel;
  const last = times.length - 1;
  const cubic = interpolation === 'CUBICSPLINE';
  const at = (k: number): number => (cubic ? 3 * k + 1 : k) * width;
  const copy = (k: number): void => { for (let c = 0; c < width; c++) out[o + c] = values[at(k) + c]; };
  if (last < 0) return;
  if (time <= times[0]) return copy(0);
  if (time >= times[last]) return copy(last);
  let low = 0, high = last;
  while (high - low > 1) {
    const mid = (low + high) >> 1;
    if (times[mid] <= time) low = mid;
    else high = mid;
  }
  if (interpolation === 'STEP') return copy(low);
  const span = times[high] - times[low], t = (time - times[low]) / span;
  if (!cubic && path === 'rotation') return slerpInto(out, o, values, at(low), values, at(high), t);
  const t2 = t * t, t3 = t2 * t;
  let norm = 0;
  for (let c = 0; c < width; c++) {
    const a = values[at(low) + c], b = values[at(high) + c];
    out[o + c] = cubic
      ? (2 * t3 - 3 * t2 + 1) * a + span * (t3 - 2 * t2 + t) * values[at(low) + width + c] + (3 * t2 - 2 * t3) * b + span * (t3 - t2) * values[at(high) - width + c]
      : a + (b - a) * t;
    norm += out[o + c] ** 2;
  }
  if (path === 'rotation') for (let c = 0; c < 4; c++) out[o + c] /= Math.sqrt(norm) || 1;
}

/** Joint matrices world · inverse bind, 16 × joints of the skin. */
export function skinMatrices(character: Character, skin: number, pose: Pose, out: Float64Array): void {
  const { joints, inverseBind } = character.skins[skin];
  for (let j = 0; j < joints.length; j++) multiplyInto(out, 16 * j, pose, 16 * joints[j], inverseBind as unknown as Float64Array, 16 * j);
}

/**
 * Writes the mesh's positions in a pose, 3 × vertices, m, world; linear blend skinning. `only`: vertices to write (others are
 * left as they are).
 */
export function skinPositions(character: Character, mesh: CharacterMesh, pose: Pose, out: Float64Array, only?: ArrayLike<number>): void {
  const { joints, weights } = mesh, positions = morphedPositions(character, mesh, pose);
  const matrices = meshMatrices(character, mesh, pose);
  const count = only ? only.length : positions.length / 3;
  for (let i = 0; i < count; i++) {
    const v = only ? only[i] : i;
    const x = positions[3 * v], y = positions[3 * v + 1], z = positions[3 * v + 2];
    let ox = 0, oy = 0, oz = 0;
    for (let k = 0; k < 4; k++) {
      const w = mesh.skin < 0 ? (k === 0 ? 1 : 0) : weights[4 * v + k];
      if (w === 0) continue;
      const m = mesh.skin < 0 ? 0 : 16 * joints[4 * v + k];
      ox += w * (matrices[m] * x + matrices[m + 4] * y + matrices[m + 8] * z + matrices[m + 12]);
      oy += w * (matrices[m + 1] * x + matrices[m + 5] * y + matrices[m + 9] * z + matrices[m + 13]);
      oz += w * (matrices[m + 2] * x + matrices[m + 6] * y + matrices[m + 10] * z + matrices[m + 14]);
    }
    out[3 * v] = ox; out[3 * v + 1] = oy; out[3 * v + 2] = oz;
  }
}

/** Places of a mesh in the rest pose, 3 × vertices, m. */
export function restPositions(character: Character, mesh: CharacterMesh): Float64Array {
  const out = new Float64Array(mesh.positions.length);
  skinPositions(character, mesh, poseCharacter(character, null, 0), out);
  return out;
}

/** Positions before skinning, with the morphs of the pose; the mesh's own where there are none. */
export function morphedPositions(character: Character, mesh: CharacterMesh, pose: Pose): Float32Array | Float64Array {
  const at = morphPlace(character, mesh);
  let out: Float64Array | null = null;
  mesh.morphs.forEach(({ offsets }, k) => {
    const w = pose[at + k];
    if (w === 0) return;
    out ??= Float64Array.from(mesh.positions);
    for (let i = 0; i < offsets.length; i++) out[i] += w * offsets[i];
  });
  return out ?? mesh.positions;
}

function meshMatrices(character: Character, mesh: CharacterMesh, pose: Pose): Float64Array {
  if (mesh.skin < 0) return pose.subarray(16 * mesh.node, 16 * mesh.node + 16);
  const matrices = new Float64Array(16 * character.skins[mesh.skin].joints.length);
  skinMatrices(character, mesh.skin, pose, matrices);
  return matrices;
}

/** Node that moves most of each vertex. */
export function leadingNodes(character: Character, mesh: CharacterMesh): Int32Array {
  return Int32Array.from({ length: mesh.positions.length / 3 }, (_, v) => {
    if (mesh.skin < 0) return mesh.node;
    let best = 0;
    for (let k = 1; k < 4; k++) if (mesh.weights[4 * v + k] > mesh.weights[4 * v + best]) best = k;
    return character.skins[mesh.skin].joints[mesh.joints[4 * v + best]];
  });
}

/** What a node is called in documents: its name, or its number where it has none of its own. */
export function nodeKey(character: Character, node: number): string {
  const { name } = character.nodes[node];
  return name !== '' && !name.startsWith('#') && character.nodes.findIndex((n) => n.name === name) === node ? name : `#${node}`;
}
/** Node of that key, −1 for none. */
export function findNode(character: Character, key: string): number {
  if (key === '') return -1;
  if (key.startsWith('#')) { const n = Number(key.slice(1)); return Number.isInteger(n) && n >= 0 && n < character.nodes.length ? n : -1; }
  return character.nodes.findIndex((n) => n.name === key);
}

/** Rigid part of a node's movement from the rest pose: quaternion and translation, 7 numbers at `out[o …)`; nothing moves what hangs on no node (−1). */
export function rigidMotionInto(out: Float64Array, o: number, rest: Pose, pose: Pose, node: number): void {
  if (node < 0) { out.fill(0, o, o + 7); out[o + 3] = 1; return; }
  const inverse = invertAffine(rest, 16 * node);
  const m = new Float64Array(16);
  if (inverse) multiplyInto(m, 0, pose, 16 * node, inverse, 0);
  const x = normalize([m[0], m[1], m[2]]), y0: Vec3 = [m[4], m[5], m[6]];
  const z = normalize(cross(x, y0)), y = cross(z, x);
  const q = inverse && z.some((v) => v !== 0) ? quatFromAxes(x, y, z) : [0, 0, 0, 1];
  for (let k = 0; k < 4; k++) out[o + k] = q[k];
  for (let k = 0; k < 3; k++) out[o + 4 + k] = m[12 + k];
}
