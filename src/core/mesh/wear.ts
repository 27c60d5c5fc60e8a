/**
 * Puts what came in a file of its own on a character: a garment, an accessory, a newer version of a mesh.
 *
 * What is skinned is bound to the character's joints of the same names, and joints that only the garment has come along with
 * their movement. What hangs on a named joint hangs on that joint. What comes with a point cache moves by it in one clip: each
 * frame is a shape of the mesh. Anything else takes the weights of the skin or cloth below it.
 */
import { requireContract } from '../contract';
import { invertAffine, multiplyInto } from '../math/mat4';
import { poseCharacter, restPositions, type Channel, type Character, type CharacterMesh, type CharacterNode, type Role, type Skin } from './character';
import { Surface, vertexNormals } from './surface';

export interface WearChoices {
  /** Name of the mesh it takes the place of, null to add to them. */
  replace: string | null;
  role: Role;
  /** Clip a point cache belongs to. */
  clip: string | null;
}
/** Places of points in time, in the character's metres and axes. */
export interface MovingPoints { points: number; times: Float32Array; frames: Float32Array[] }

export interface Worn { character: Character; /** Names of the meshes that came. */ meshes: string[]; notes: string[] }

/** A garment that cannot be worn: why, and what to do. */
export class WearError extends Error {}

/** mm: joints that stand farther apart in the two files are told. */
const MOST_MILLIMETRES = 1;
/** 1 − cosine of about 5°; and m: joints as near as this stand in the same place. */
const TURNED_AXES = 0.004, SAME_PLACE = 0.005;

/** A new character; what is not changed is shared with the old one. `cache`: of the one mesh that comes, or of the one replaced. */
export function wear(character: Character, garment: Character | null, choices: WearChoices, cache: MovingPoints | null = null): Worn {
  const notes: string[] = [], old = choices.replace === null ? null : character.meshes.find((m) => m.name === choices.replace) ?? null;
  if (choices.replace !== null && !old) throw new WearError(`There is no mesh “${choices.replace}” to take the place of.`);
  const out: Character = { ...character, nodes: [...character.nodes], skins: [...character.skins], materials: [...character.materials], meshes: [...character.meshes], clips: character.clips.map((c) => ({ ...c, channels: [...c.channels] })) };
  let coming: CharacterMesh[];
  if (garment) {
    coming = chosenMeshes(character, garment, old, notes).map((m) => bringMesh(out, garment, m, notes));
  } else {
    requireContract(cache !== null, 'wear', 'a garment or a point cache', 'neither');
    if (!old) throw new WearError('A point cache alone moves a mesh that is there: say which one.');
    coming = [old];
  }
  if (cache) {
    if (coming.length !== 1) throw new WearError(`A point cache moves one mesh, and the file holds ${coming.length}. Bring them in one after the other.`);
    coming = [moveByCache(out, coming[0], cache, choices.clip, notes)];
  }
  coming = coming.map((m) => ({ ...m, role: old?.role ?? choices.role }));
  if (old) {
    const [now] = coming;
    tellChange(character, old, out, now, notes);
    out.meshes[character.meshes.indexOf(old)] = { ...now, name: old.name };
    // shapes of what is gone are moved no more
    for (const clip of out.clips) clip.channels = clip.channels.filter((c) => c.path !== 'weights' || out.meshes.some((m) => m.node === c.node && m.morphs.length > 0));
    return { character: out, meshes: [old.name], notes };
  }
  const names: string[] = [];
  for (const m of coming) { const name = freeName(out, m.name); names.push(name); out.meshes.push({ ...m, name }); }
  return { character: out, meshes: names, notes };
}

const freeName = ({ meshes }: Character, wish: string): string => {
  let name = wish;
  for (let k = 2; meshes.some((m) => m.name === name); k++) name = `${wish} ${k}`;
  return name;
};
const sameTriangles = (a: CharacterMesh, b: CharacterMesh): boolean => a.positions.length === b.positions.length && a.triangles.length === b.triangles.length && a.triangles.every((v, k) => v === b.triangles[k]);

/** Which of a file's meshes come: in place of one, the one of its name or the only one; else all that are not there yet. */
function chosenMeshes(character: Character, garment: Character, old: CharacterMesh | null, notes: string[]): CharacterMesh[] {
  if (old) {
    const one = garment.meshes.find((m) => m.name === old.name) ?? (garment.meshes.length === 1 ? garment.meshes[0] : undefined);
    if (!one) throw new WearError(`The file holds ${garment.meshes.length} meshes and none is called “${old.name}”: ${garment.meshes.slice(0, 5).map((m) => `“${m.name}”`).join(', ')}. Call the one that takes its place the same, or export it alone.`);
    return [one];
  }
  const fresh = garment.meshes.filter((m) => !character.meshes.some((k) => k.name === m.name && sameTriangles(k, m)));
  if (fresh.length === 0) throw new WearError('All meshes of this file are worn already.');
  const left = garment.meshes.length - fresh.length;
  if (left > 0) notes.push(`${left} meshes that are there already were left out.`);
  return fresh;
}

function bringMesh(out: Character, garment: Character, mesh: CharacterMesh, notes: string[]): CharacterMesh {
  const groups = mesh.groups.map((g) => ({ ...g, material: out.materials.push(garment.materials[g.material]) - 1 })), skinned = mesh.skin >= 0;
  if (skinned && Array.from(garment.skins[mesh.skin].joints).some((j) => named(garment.nodes[j]) && nodeOf(out, garment.nodes[j].name) >= 0)) return { ...bindByName(out, garment, mesh, notes), groups };
  if (skinned) notes.push(`${mesh.name}: none of its joints is called as one of the character’s; it takes the weights of the skin or cloth below.`);
  const hanger = skinned ? -1 : hangsOn(out, garment, mesh.node);
  if (hanger >= 0) {
    const node = ownNode(out, garment, mesh.node);
    bringMorphMovement(out, garment, mesh, node, notes);
    notes.push(`${mesh.name}: hangs on “${out.nodes[hanger].name}”.`);
    return { ...mesh, groups, node };
  }
  if (!skinned && moves(garment, mesh.node)) {
    const node = ownNode(out, garment, mesh.node);
    bringMorphMovement(out, garment, mesh, node, notes);
    notes.push(`${mesh.name}: moves by itself, as in its file.`);
    return { ...mesh, groups, node };
  }
  return { ...bindToSkin(out, garment, mesh, notes), groups };
}

const named = (n: CharacterNode): boolean => n.name !== '' && !n.name.startsWith('#');
const nodeOf = (character: Character, name: string): number => character.nodes.findIndex((n) => n.name === name);

/** The node of the character that one of the garment's is, or is brought in as under its nearest known parent. */
function bringNode(out: Character, garment: Character, node: number, known = new Map<number, number>()): number {
  const before = known.get(node);
  if (before !== undefined) return before;
  const n = garment.nodes[node], same = named(n) ? nodeOf(out, n.name) : -1;
  let at = same;
  if (same < 0) at = ownNode(out, garment, node, known);
  known.set(node, at);
  return at;
}
/** The garment's node as a new one, under its nearest known parent; with its movement, in the clips of the same names. */
function ownNode(out: Character, garment: Character, node: number, known?: Map<number, number>): number {
  const n = garment.nodes[node], at = out.nodes.push({ ...n, parent: n.parent < 0 ? -1 : bringNode(out, garment, n.parent, known) }) - 1;
  for (const clip of garment.clips) {
    const into = clipFor(out, garment, clip.name);
    if (into) for (const c of clip.channels) if (c.node === node && c.path !== 'weights') into.channels.push({ ...c, node: at });
  }
  return at;
}
function clipFor(out: Character, garment: Character, name: string): Character['clips'][number] | undefined {
  return out.clips.find((c) => c.name === name) ?? (garment.clips.length === 1 && out.clips.length === 1 ? out.clips[0] : undefined);
}
function bringMorphMovement(out: Character, garment: Character, mesh: CharacterMesh, node: number, notes: string[]): void {
  if (mesh.morphs.length === 0) return;
  for (const clip of garment.clips) {
    const into = clipFor(out, garment, clip.name), channels = clip.channels.filter((c) => c.node === mesh.node && c.path === 'weights');
    if (into) into.channels.push(...channels.map((c): Channel => ({ ...c, node })));
    else if (channels.length > 0) notes.push(`${mesh.name}: the character has no clip “${clip.name}”; its movement there was left out.`);
  }
}
/** Node of the character that a mesh of the garment hangs on by name, −1 for none. */
function hangsOn(out: Character, garment: Character, node: number): number {
  const joints = new Set(out.skins.flatMap((s) => Array.from(s.joints)));
  for (let n = garment.nodes[node].parent; n >= 0; n = garment.nodes[n].parent) {
    const at = named(garment.nodes[n]) ? nodeOf(out, garment.nodes[n].name) : -1;
    if (at >= 0 && joints.has(at)) return at;
  }
  return -1;
}
function moves(garment: Character, node: number): boolean {
  for (let n = node; n >= 0; n = garment.nodes[n].parent) if (garment.clips.some((c) => c.channels.some((h) => h.node === n))) return true;
  return false;
}

function bindByName(out: Character, garment: Character, mesh: CharacterMesh, notes: string[]): CharacterMesh {
  const skin = garment.skins[mesh.skin], known = new Map<number, number>(), had = out.nodes.length;
  const joints = Uint16Array.from(skin.joints, (j) => bringNode(out, garment, j, known)), fresh = joints.filter((j) => j >= had).length;
  const here = poseCharacter(out, null, 0), there = poseCharacter(garment, null, 0);
  let farthest = 0, at = 0, turned = 0;
  skin.joints.forEach((j, k) => {
    if (joints[k] >= had) return;
    const h = 16 * joints[k], t = 16 * j, d = Math.hypot(...[12, 13, 14].map((c) => here[h + c] - there[t + c]));
    if (d > farthest) { farthest = d; at = joints[k]; }
    for (let c = 0; c < 3; c++) {
      const a = here.subarray(h + 4 * c, h + 4 * c + 3), b = there.subarray(t + 4 * c, t + 4 * c + 3);
      turned = Math.max(turned, 1 - (a[0] * b[0] + a[1] * b[1] + a[2] * b[2]) / (Math.hypot(...a) * Math.hypot(...b) || 1));
    }
  });
  // joints in the same places whose axes point another way: a matter of who wrote the file, not of the pose
  const again = turned > TURNED_AXES && farthest < SAME_PLACE, inverseBind = again ? new Float64Array(16 * joints.length) : skin.inverseBind;
  if (again) {
    const bound = new Float64Array(16), m = new Float64Array(16);
    skin.joints.forEach((j, k) => {
      multiplyInto(bound, 0, there, 16 * j, Float64Array.from(skin.inverseBind.subarray(16 * k, 16 * k + 16)), 0);
      m.set(invertAffine(here, 16 * joints[k]) ?? identity());
      multiplyInto(inverseBind as Float64Array, 16 * k, m, 0, bound, 0);
    });
    notes.push(`${mesh.name}: the axes of its joints point another way in its file; it was bound anew in the rest pose.`);
  }
  notes.push(`${mesh.name}: bound to ${joints.length - fresh} of the character’s joints${fresh > 0 ? `; ${fresh} joints of its own came along` : ''}.`);
  if (1000 * farthest > MOST_MILLIMETRES) notes.push(`${mesh.name}: its joints stand up to ${(100 * farthest).toFixed(1)} cm elsewhere in its file (“${out.nodes[at].name}”); it goes where the character’s are.`);
  return { ...mesh, node: 0, skin: out.skins.push({ joints, inverseBind: Float32Array.from(inverseBind) }) - 1 };
}

/** Takes the weights of the nearest place of the skin or cloth below, in the rest pose: of a dressed character cloth may be all there is. */
function bindToSkin(out: Character, garment: Character, mesh: CharacterMesh, notes: string[]): CharacterMesh {
  const P = restPositions(garment, mesh), skins = out.meshes.filter((m) => (m.role === 'body' || m.role === 'garment') && m.skin >= 0 && m.name !== mesh.name), positions = Float32Array.from(P), count = P.length / 3;
  if (skins.length === 0) {
    notes.push(`${mesh.name}: stands still, as the character has no skin to bind it to.`);
    return { ...mesh, node: out.nodes.push({ name: `${mesh.name} stands`, parent: -1, translation: [0, 0, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }) - 1, skin: -1, positions, normals: Float32Array.from(vertexNormals(P, mesh.triangles)), joints: new Uint16Array(0), weights: new Float32Array(0), morphs: [], morphRest: new Float32Array(0) };
  }
  const surfaces = skins.map((m) => new Surface(restPositions(out, m), m.triangles)), used = new Map<number, number>(), joints = new Uint16Array(4 * count), weights = new Float32Array(4 * count);
  let farthest = 0;
  for (let v = 0; v < count; v++) {
    let best: { body: CharacterMesh; hit: NonNullable<ReturnType<Surface['nearest']>> } | null = null;
    surfaces.forEach((s, k) => { const hit = s.nearest(P.subarray(3 * v, 3 * v + 3), best?.hit.distance ?? Infinity); if (hit && (!best || hit.distance < best.hit.distance)) best = { body: skins[k], hit }; });
    const { body, hit } = best!, sum = new Map<number, number>();
    farthest = Math.max(farthest, hit.distance);
    for (let c = 0; c < 3; c++) for (let k = 0; k < 4; k++) {
      const u = body.triangles[3 * hit.face + c], w = hit.barycentric[c] * body.weights[4 * u + k], node = out.skins[body.skin].joints[body.joints[4 * u + k]];
      if (w > 0) sum.set(node, (sum.get(node) ?? 0) + w);
    }
    const most = [...sum].sort((a, b) => b[1] - a[1]).slice(0, 4), whole = most.reduce((n, [, w]) => n + w, 0) || 1;
    most.forEach(([node, w], k) => {
      if (!used.has(node)) used.set(node, used.size);
      joints[4 * v + k] = used.get(node)!;
      weights[4 * v + k] = w / whole;
    });
  }
  const rest = poseCharacter(out, null, 0), inverseBind = new Float32Array(16 * used.size);
  for (const [node, k] of used) inverseBind.set(invertAffine(rest, 16 * node) ?? identity(), 16 * k);
  notes.push(`${mesh.name}: came without joints; it takes the weights of the skin or cloth below, ${(100 * farthest).toFixed(1)} cm away at most.`);
  return { ...mesh, node: 0, skin: out.skins.push({ joints: Uint16Array.from(used.keys()), inverseBind } satisfies Skin) - 1, positions, normals: Float32Array.from(vertexNormals(P, mesh.triangles)), joints, weights, morphs: [], morphRest: new Float32Array(0) };
}
const identity = (): Float64Array => Float64Array.of(1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1);

/** m: a mesh whose points are numbered otherwise is matched by places, which may be so far apart in the frame that fits best. */
const MATCHED = 0.001;

/** Number of the cache's point for each vertex. */
function pointsOf(mesh: CharacterMesh, rest: ArrayLike<number>, cache: MovingPoints, notes: string[]): Uint32Array {
  const count = rest.length / 3, given = mesh.points;
  if (given) {
    const used = [...new Set(given)].sort((a, b) => a - b);
    if (cache.points === used.length) { const rank = new Map(used.map((p, k) => [p, k])); return given.map((p) => rank.get(p)!); }
    if (cache.points > used[used.length - 1]) return given;
  } else if (cache.points === count) return Uint32Array.from({ length: count }, (_, v) => v);
  // vertices that were split at seams: by where they are in the frame that fits best
  const cells = new Map<string, number[]>(), key = (x: number, y: number, z: number): string => `${Math.floor(x / MATCHED)},${Math.floor(y / MATCHED)},${Math.floor(z / MATCHED)}`;
  const boxOf = (P: ArrayLike<number>): number[] => { const b = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity]; for (let a = 0; a < P.length; a++) { b[a % 3] = Math.min(b[a % 3], P[a]); b[3 + (a % 3)] = Math.max(b[3 + (a % 3)], P[a]); } return b; };
  const box = boxOf(rest), unlike = cache.frames.map((f) => boxOf(f).reduce((n, v, k) => n + Math.abs(v - box[k]), 0)), frame = cache.frames[unlike.indexOf(Math.min(...unlike))];
  for (let p = 0; p < cache.points; p++) { const k = key(frame[3 * p], frame[3 * p + 1], frame[3 * p + 2]), list = cells.get(k); if (list) list.push(p); else cells.set(k, [p]); }
  const out = new Uint32Array(count);
  for (let v = 0; v < count; v++) {
    const x = rest[3 * v], y = rest[3 * v + 1], z = rest[3 * v + 2];
    let best = -1, least = MATCHED;
    for (let i = -1; i < 2; i++) for (let j = -1; j < 2; j++) for (let k = -1; k < 2; k++) for (const p of cells.get(key(x + i * MATCHED, y + j * MATCHED, z + k * MATCHED)) ?? []) {
      const d = Math.hypot(frame[3 * p] - x, frame[3 * p + 1] - y, frame[3 * p + 2] - z);
      if (d < least) { least = d; best = p; }
    }
    if (best < 0) throw new WearError(`The point cache holds ${cache.points.toLocaleString('en')} points and the mesh “${mesh.name}” ${count.toLocaleString('en')} vertices, and they do not lie at the same places in any frame. Export both from the same mesh.`);
    out[v] = best;
  }
  notes.push(`${mesh.name}: its ${count.toLocaleString('en')} vertices were matched to the cache’s ${cache.points.toLocaleString('en')} points by their places.`);
  return out;
}

function moveByCache(out: Character, mesh: CharacterMesh, cache: MovingPoints, clipName: string | null, notes: string[]): CharacterMesh {
  const clip = out.clips.find((c) => c.name === clipName);
  if (!clip) throw new WearError('A point cache belongs to a movement: choose a clip of the character first.');
  const rest = restPositions(out, mesh), which = pointsOf(mesh, rest, cache, notes), n = cache.frames.length;
  const morphs = cache.frames.map((frame, k) => ({ name: `frame ${k}`, offsets: Float32Array.from(rest, (v, a) => frame[3 * which[(a / 3) | 0] + (a % 3)] - v) }));
  const node = out.nodes.push({ name: `${mesh.name} moves`, parent: -1, translation: [0, 0, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }) - 1, values = new Float32Array(n * n);
  for (let k = 0; k < n; k++) values[k * n + k] = 1;
  clip.channels.push({ node, path: 'weights', interpolation: 'LINEAR', times: cache.times, values });
  const last = cache.times[n - 1];
  notes.push(`${mesh.name}: moves by its point cache, ${n} frames, from ${cache.times[0].toFixed(2)} to ${last.toFixed(2)} s of “${clip.name}”${out.clips.length > 1 ? '; in the other clips it stands still' : ''}.`);
  if (last < clip.duration - 0.05) notes.push(`${mesh.name}: the cache ends ${(clip.duration - last).toFixed(2)} s before the clip; its last frame is held.`);
  return { ...mesh, node, skin: -1, positions: Float32Array.from(rest), normals: Float32Array.from(vertexNormals(rest, mesh.triangles)), joints: new Uint16Array(0), weights: new Float32Array(0), morphs, morphRest: new Float32Array(n) };
}

function tellChange(before: Character, old: CharacterMesh, after: Character, now: CharacterMesh, notes: string[]): void {
  const count = (m: CharacterMesh): string => `${(m.positions.length / 3).toLocaleString('en')} vertices, ${(m.triangles.length / 3).toLocaleString('en')} triangles`;
  if (!sameTriangles(old, now)) { notes.push(`${old.name}: ${count(old)} before, ${count(now)} now.`); return; }
  const a = restPositions(before, old), b = restPositions(after, now);
  let far = 0, moved = 0;
  for (let v = 0; v < a.length; v += 3) { const d = Math.hypot(a[v] - b[v], a[v + 1] - b[v + 1], a[v + 2] - b[v + 2]); if (d > 1e-6) moved++; far = Math.max(far, d); }
  notes.push(moved === 0 ? `${old.name}: the same triangles in the same places.` : `${old.name}: the same triangles; ${moved.toLocaleString('en')} vertices moved, ${(1000 * far).toFixed(far < 0.001 ? 2 : 1)} mm at most.`);
}

/** How a garment's file is brought to the character's metres and axes, as far as can be told: by where and how large it would be. */
export function fitScale(character: { low: ArrayLike<number>; high: ArrayLike<number> }, garment: { low: ArrayLike<number>; high: ArrayLike<number> }, units: Readonly<Record<string, number>>): { scale: number; up: '+y' | '+z' } {
  const middle = [0, 1, 2].map((c) => 0.5 * (character.low[c] + character.high[c])), size = Math.hypot(...[0, 1, 2].map((c) => character.high[c] - character.low[c]));
  let best: { scale: number; up: '+y' | '+z' } = { scale: 1, up: '+y' }, least = Infinity;
  for (const up of ['+y', '+z'] as const) for (const scale of Object.values(units)) {
    const turn = (p: ArrayLike<number>): number[] => (up === '+y' ? [p[0], p[1], p[2]] : [p[0], p[2], -p[1]]).map((v) => v * scale), a = turn(garment.low), b = turn(garment.high);
    const low = a.map((v, c) => Math.min(v, b[c])), high = a.map((v, c) => Math.max(v, b[c]));
    // beyond the character's box, and how far from its middle; what is read as it is written wins a tie
    const beyond = [0, 1, 2].reduce((n, c) => n + Math.max(0, character.low[c] - low[c]) + Math.max(0, high[c] - character.high[c]), 0), off = Math.hypot(...[0, 1, 2].map((c) => 0.5 * (low[c] + high[c]) - middle[c])), small = Math.hypot(...low.map((v, c) => high[c] - v));
    const cost = beyond / size + 0.3 * (off / size) + (small < 0.02 * size ? 1 : 0) + (scale === 1 ? 0 : 0.02) + (up === '+y' ? 0 : 0.05);
    if (cost < least) { least = cost; best = { scale, up }; }
  }
  return best;
}
