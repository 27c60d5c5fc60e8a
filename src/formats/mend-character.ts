/** What every character goes through, whatever it was read from: refused where it cannot be used, mended where it can, roles guessed. */
import { poseCharacter, skinMatrices, type Channel, type Character, type CharacterMesh, type Clip, type Pose, type Role } from '../core/mesh/character';
import { flipped } from '../core/mesh/placement';
import { failure, type Result } from './result';

/** Takes a character with all its parts; clips without their durations yet. Messages of faults go into `warnings`. */
export function finishCharacter(raw: Character, warnings: string[]): Result<Character> {
  const character = { ...raw, meshes: [...raw.meshes] };
  if (character.meshes.length === 0) return failure('invalid', 'The file holds no triangle mesh. Export the character with its meshes.', 'meshes');
  for (const m of character.meshes) {
    if (!m.positions.every(Number.isFinite)) return failure('invalid', `The mesh “${m.name}” has positions that are not numbers. Export it again.`, m.name);
    if (m.triangles.length === 0) return failure('invalid', `The mesh “${m.name}” has no triangle with an area. Leave it out, or export it again.`, m.name);
    if (m.morphs.some((f) => !f.offsets.every(Number.isFinite))) return failure('invalid', `A shape of the mesh “${m.name}” has numbers that are none. Export it again.`, m.name);
    mendNormals(m);
  }
  for (const [i, s] of character.skins.entries()) if (!s.inverseBind.every(Number.isFinite)) return failure('invalid', `Skin ${i} has bind matrices that are not numbers. Export it again.`, `skins ${i}`);
  for (const n of character.nodes) {
    if (![...n.translation, ...n.rotation, ...n.scale].every(Number.isFinite)) return failure('invalid', `The joint “${n.name}” stands at a place that is not a number. Export it again.`, n.name);
    const l = Math.hypot(...n.rotation);
    n.rotation = l > 1e-9 ? (n.rotation.map((v) => v / l) as typeof n.rotation) : [0, 0, 0, 1];
  }
  /** What was found in clips, and in which. */
  const found = new Map<string, string[]>();
  character.clips = character.clips.map((c) => mendClip(character, c, (note) => { const names = found.get(note); if (names) names.push(c.name); else found.set(note, [c.name]); })).filter((c) => c.channels.length > 0);
  for (const [note, names] of found) warnings.push(`${names.length > 2 ? `${names[0]} and ${names.length - 1} other clips` : names.join(' and ')}: ${note}`);
  const clipNames = new Set<string>();
  for (const clip of character.clips) {
    const { name } = clip;
    for (let k = 2; clipNames.has(clip.name); k++) clip.name = `${name} ${k}`;
    clipNames.add(clip.name);
  }
  const rest = poseCharacter(character, null, 0);
  if (!rest.every(Number.isFinite)) return failure('invalid', 'Its joints stand at places that are not numbers. Export it again.', 'nodes');
  unmirror(character, rest, warnings);
  for (const m of character.meshes) m.role = guessRole(m, character);
  if (!character.meshes.some((m) => m.skin >= 0)) warnings.push(character.clips.length > 0 ? 'No mesh is bound to a skeleton: each moves as one piece.' : 'No mesh is bound to a skeleton and nothing moves: hair can be groomed on it, and swayed by gravity and wind alone.');
  else if (character.clips.length === 0) warnings.push('The file holds no clip; the character stands in its rest pose.');
  return { ok: true, value: character, warnings };
}

function mendNormals({ normals }: CharacterMesh): void {
  for (let v = 0; v + 2 < normals.length; v += 3) {
    const l = Math.hypot(normals[v], normals[v + 1], normals[v + 2]);
    if (l > 1e-12) { if (Math.abs(l - 1) > 1e-3) for (let c = 0; c < 3; c++) normals[v + c] /= l; }
    else { normals[v] = normals[v + 2] = 0; normals[v + 1] = 1; }
  }
}

function mendClip(character: Character, clip: Clip, tell: (note: string) => void): Clip {
  let dropped = 0, late = 0;
  const overridden = new Set<number>();
  const skinned = new Set(character.meshes.filter((m) => m.skin >= 0).map((m) => m.node)), joints = new Set(character.skins.flatMap((s) => Array.from(s.joints)));
  const channels = clip.channels.filter((c) => {
    const width = c.path === 'rotation' ? 4 : c.path === 'weights' ? morphCount(character, c) : 3;
    const whole = width > 0 && c.values.length === width * c.times.length * (c.interpolation === 'CUBICSPLINE' ? 3 : 1) && c.times.every((t, k) => Number.isFinite(t) && (k === 0 || t > c.times[k - 1])) && c.values.every(Number.isFinite);
    if (!whole) { dropped++; return false; }
    if (c.path !== 'weights' && skinned.has(c.node) && !joints.has(c.node) && !character.nodes.some((n) => n.parent === c.node)) overridden.add(c.node);
    if (c.times[0] < 0) late++;
    return true;
  });
  const duration = channels.reduce((d, c) => Math.max(d, c.times[c.times.length - 1]), 0);
  // what has one key stands still however early that is
  const begins = Math.max(0, channels.reduce((d, c) => (c.times.length > 1 ? Math.min(d, c.times[0]) : d), duration));
  if (dropped > 0) tell(`${dropped === 1 ? '1 channel was' : `${dropped} channels were`} left out, because the keys do not ascend in time, are not numbers, or move a shape that is not there.`);
  if (late > 0) tell('keys lie before zero; what lies there is not played.');
  if (overridden.size > 0) tell(overridden.size === 1 ? 'a skinned mesh is moved itself, which has no effect: its joints place it.' : `${overridden.size} skinned meshes are moved themselves, which has no effect: their joints place them.`);
  return { ...clip, duration, ...(begins > 0 && begins < duration ? { begins } : {}), channels };
}
const morphCount = (character: Character, c: Channel): number => character.meshes.find((m) => m.node === c.node && m.morphs.length > 0)?.morphs.length ?? 0;

/** Makes sure that the outside of every mesh is its outside where it stands, though a parent mirrors it. */
function unmirror(character: Character, rest: Pose, warnings: string[]): void {
  const { nodes } = character;
  character.meshes.forEach((mesh, i) => {
    if (mesh.skin >= 0) {
      if (!skinMirrors(character, mesh, rest)) return;
      character.meshes[i] = { ...mesh, triangles: flipped(mesh.triangles) };
    } else {
      if (determinant(rest, 16 * mesh.node) >= 0) return;
      // what hangs on it keeps the node; the mesh gets one of its own that mirrors it once more
      const node = nodes.push({ name: `${mesh.name} unmirrored`, parent: mesh.node, translation: [0, 0, 0], rotation: [0, 0, 0, 1], scale: [-1, 1, 1] }) - 1;
      const mirrored = (a: Float32Array): Float32Array => a.map((v, k) => (k % 3 === 0 ? -v : v));
      if (mesh.morphs.length > 0) for (const clip of character.clips) for (const c of clip.channels) if (c.path === 'weights' && c.node === mesh.node) c.node = node;
      character.meshes[i] = { ...mesh, node, positions: mirrored(mesh.positions), normals: mirrored(mesh.normals), triangles: flipped(mesh.triangles), morphs: mesh.morphs.map((f) => ({ ...f, offsets: mirrored(f.offsets) })) };
    }
    warnings.push(`${mesh.name}: stood mirrored under its parents; its surface was turned to face outwards.`);
  });
}
/** Whether most of a skinned mesh's weight lies on joints that turn it inside out. */
function skinMirrors(character: Character, mesh: CharacterMesh, rest: Pose): boolean {
  const matrices = new Float64Array(16 * character.skins[mesh.skin].joints.length);
  skinMatrices(character, mesh.skin, rest, matrices);
  let sum = 0;
  for (let k = 0; k < mesh.weights.length; k++) sum += mesh.weights[k] * (determinant(matrices, 16 * mesh.joints[k]) < 0 ? -1 : 1);
  return sum < 0;
}
const determinant = (m: ArrayLike<number>, o: number): number => m[o] * (m[o + 5] * m[o + 10] - m[o + 6] * m[o + 9]) - m[o + 4] * (m[o + 1] * m[o + 10] - m[o + 2] * m[o + 9]) + m[o + 8] * (m[o + 1] * m[o + 6] - m[o + 2] * m[o + 5]);

const GARMENT = /coat|jacket|shirt|dress|skirt|trouser|pant|shoe|boot|sock|scarf|collar|belt|glove|hood|cloak|cape|vest|cloth|armou?r|sleeve|blanket|strap|saddle|girth|bridle|hat|cap\b/i;
const ACCESSORY = /eye|brow|lash|teeth|tongue|pin|ring|button|buckle|glass|jewel|tear/i;
const CARRIER = /\b(boat|barge|ship|cart|wagon|car|sled|raft|platform)\b/i;
const PROP = /\b(prop|floor|ground|wall|table|chair|rope|box|rail|post|door)\b/i;
/** By the names people give their meshes and materials, and by what hangs on a skeleton; anything else is the body. */
function guessRole(mesh: CharacterMesh, { materials, meshes }: Character): Role {
  if (mesh.hair.length > 0) return 'body';
  const words = [mesh.name, ...mesh.groups.map((g) => materials[g.material].name)].join(' '), rigid = mesh.skin < 0 && meshes.some((m) => m.skin >= 0);
  if (ACCESSORY.test(mesh.name)) return 'accessory';
  if (rigid && CARRIER.test(mesh.name)) return 'carrier';
  if (rigid && PROP.test(mesh.name)) return 'prop';
  if (GARMENT.test(words)) return 'garment';
  return rigid ? 'accessory' : 'body';
}
