/** Garments from files of their own and point caches: where they are in every clip, beside the same garment as it came with its character, and beside a reader that is not ours. */
import { MDDLoader } from 'three/examples/jsm/loaders/MDDLoader.js';
import { beforeAll, describe, expect, it } from 'vitest';
import { invertAffine, multiplyInto } from '../../src/core/math/mat4';
import { poseCharacter, restPositions, skinPositions, type Character, type CharacterMesh, type Clip } from '../../src/core/mesh/character';
import { placeCharacter, UNITS } from '../../src/core/mesh/placement';
import { boxOfPoints, restBox } from '../../src/core/mesh/rest-box';
import { fitScale, wear, WearError } from '../../src/core/mesh/wear';
import { packCharacter, unpackCharacter } from '../../src/formats/packed-character';
import { readPointCache } from '../../src/formats/point-cache';
import { oda } from '../helpers/oda';

let character: Character, bare: Character, coat: CharacterMesh;
beforeAll(async () => {
  character = await oda();
  coat = character.meshes.find((m) => m.name === 'coat')!;
  bare = { ...character, meshes: character.meshes.filter((m) => m !== coat) };
});

/** Only that mesh, with as much of the skeleton as its file would have. */
const alone = (mesh: CharacterMesh, change: Partial<CharacterMesh> = {}): Character => ({ ...character, meshes: [{ ...mesh, ...change }], clips: [] });
const add = { replace: null, role: 'garment', clip: null } as const;
function placesIn(c: Character, name: string, clip: Clip | null, time: number): Float64Array {
  const mesh = c.meshes.find((m) => m.name === name)!, P = new Float64Array(mesh.positions.length);
  skinPositions(c, mesh, poseCharacter(c, clip, time), P);
  return P;
}
const apart = (a: ArrayLike<number>, b: ArrayLike<number>): number => { let most = 0; for (let k = 0; k < a.length; k += 3) most = Math.max(most, Math.hypot(a[k] - b[k], a[k + 1] - b[k + 1], a[k + 2] - b[k + 2])); return most; };

/** The coat through a clip, as files of both kinds hold it. */
function cacheBytes(kind: 'pc2' | 'mdd', clip: Clip, fps: number): Uint8Array {
  const count = Math.round(clip.duration * fps) + 1, points = coat.positions.length / 3, head = kind === 'pc2' ? 32 : 8 + 4 * count, view = new DataView(new ArrayBuffer(head + 12 * points * count)), little = kind === 'pc2';
  if (little) { [...'POINTCACHE2\0'].forEach((c, k) => view.setUint8(k, c.charCodeAt(0))); view.setInt32(12, 1, true); view.setInt32(16, points, true); view.setFloat32(20, 0, true); view.setFloat32(24, 1, true); view.setInt32(28, count, true); }
  else { view.setInt32(0, count); view.setInt32(4, points); for (let k = 0; k < count; k++) view.setFloat32(8 + 4 * k, k / fps); }
  for (let k = 0, at = head; k < count; k++) for (const v of placesIn(character, 'coat', clip, k / fps)) { view.setFloat32(at, v, little); at += 4; }
  return new Uint8Array(view.buffer);
}

describe('a garment from a file of its own', () => {
  it('is where it is as part of its character, in every clip, though its joints are numbered otherwise', () => {
    // its file has its joints in another order, under a node of its own
    const n = character.nodes.length, order = Array.from({ length: n }, (_, k) => k), shift = 1;
    const file: Character = {
      ...alone(coat), nodes: [{ name: 'wardrobe', parent: -1, translation: [0, 0, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }, ...order.map((k) => ({ ...character.nodes[k], parent: character.nodes[k].parent + shift }))],
      skins: character.skins.map((s) => ({ ...s, joints: s.joints.map((j) => j + shift) })),
    };
    const worn = wear(bare, file, add);
    expect(worn.meshes).toEqual(['coat']);
    for (const clip of character.clips) for (const share of [0, 0.37, 0.81]) expect(apart(placesIn(worn.character, 'coat', clip, share * clip.duration), placesIn(character, 'coat', clip, share * clip.duration))).toBeLessThan(1e-6);
    expect(bare.meshes.some((m) => m.name === 'coat')).toBe(false);
    // and comes back from the database alike
    const again = unpackCharacter(packCharacter(worn.character));
    expect(again.ok && apart(placesIn(again.value, 'coat', character.clips[0], 1), placesIn(character, 'coat', character.clips[0], 1))).toBe(0);
  });
  it('whose joints have axes of their own, in the same places, is bound anew in the rest pose', () => {
    // every joint of the file turned a quarter about x, its children turned back
    const q = Math.SQRT1_2, times = ([ax, ay, az, aw]: readonly number[], [bx, by, bz, bw]: readonly number[]): [number, number, number, number] => [aw * bx + ax * bw + ay * bz - az * by, aw * by - ax * bz + ay * bw + az * bx, aw * bz + ax * by - ay * bx + az * bw, aw * bw - ax * bx - ay * by - az * bz];
    const nodes = character.nodes.map((n) => {
      const inner = n.parent < 0 ? n.rotation : times([-q, 0, 0, q], n.rotation), [x, y, z] = n.translation;
      return { ...n, translation: (n.parent < 0 ? [x, y, z] : [x, z, -y]) as [number, number, number], rotation: times(inner, [q, 0, 0, q]) };
    }), turned: Character = { ...alone(coat), nodes }, pose = poseCharacter(turned, null, 0);
    turned.skins = character.skins.map((s) => ({ ...s, inverseBind: Float32Array.from(Array.from(s.joints).flatMap((j, k) => { const before = poseCharacter(character, null, 0), bound = new Float64Array(16), out = new Float64Array(16); multiplyInto(bound, 0, before, 16 * j, Float64Array.from(s.inverseBind.subarray(16 * k, 16 * k + 16)), 0); multiplyInto(out, 0, invertAffine(pose, 16 * j)!, 0, bound, 0); return Array.from(out); })) }));
    expect(apart(restPositions(turned, turned.meshes[0]), restPositions(character, coat))).toBeLessThan(1e-5);
    const worn = wear(bare, turned, add), clip = character.clips[1];
    expect(worn.notes.join()).toContain('bound anew in the rest pose');
    for (const t of [0, 0.3, 0.9]) expect(apart(placesIn(worn.character, 'coat', clip, t * clip.duration), placesIn(character, 'coat', clip, t * clip.duration))).toBeLessThan(2e-5);
  });
  it('brings joints that only it has, and their movement', () => {
    const extra = character.nodes.length, clip = character.clips[0], file: Character = {
      ...alone(coat), nodes: [...character.nodes, { name: 'coat tail', parent: character.nodes.findIndex((n) => n.name === 'hips'), translation: [0, -0.1, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }],
      skins: character.skins.map((s, k) => (k === coat.skin ? { joints: Uint16Array.from([...s.joints, extra]), inverseBind: Float32Array.from([...s.inverseBind, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]) } : s)),
      clips: [{ name: clip.name, duration: 1, channels: [{ node: extra, path: 'translation', interpolation: 'LINEAR', times: Float32Array.of(0, 1), values: Float32Array.of(0, -0.1, 0, 0, -0.1, 0.2) }] }],
    };
    const worn = wear(bare, file, add), at = worn.character.nodes.findIndex((m) => m.name === 'coat tail'), hips = worn.character.nodes[at].parent;
    expect(worn.character.nodes[hips].name).toBe('hips');
    expect(worn.notes.join()).toContain('1 joints of its own came along');
    const z = (t: number): number => poseCharacter(worn.character, worn.character.clips[0], t)[16 * at + 14] - poseCharacter(worn.character, worn.character.clips[0], t)[16 * hips + 14];
    expect(z(1) - z(0)).toBeGreaterThan(0.1);
  });
  it('without joints takes the weights of what is below: a scarf stays with collar and coat through the walk', () => {
    const scarf = character.meshes.find((m) => m.name === 'scarf')!, P = restPositions(character, scarf), walk = character.clips.find((c) => c.name === 'lock-beam walk')!;
    const worn = wear({ ...character, meshes: character.meshes.filter((m) => m !== scarf) }, alone(scarf, { skin: -1, node: character.nodes.findIndex((n) => n.parent < 0), positions: Float32Array.from(P), joints: new Uint16Array(0), weights: new Float32Array(0) }), add);
    expect(worn.notes.join()).toContain('takes the weights of the skin or cloth below');
    expect(apart(placesIn(worn.character, 'scarf', null, 0), P)).toBeLessThan(1e-6);
    for (const t of [0, 0.4, 0.8]) expect(apart(placesIn(worn.character, 'scarf', walk, t), placesIn(character, 'scarf', walk, t))).toBeLessThan(0.02);
  });
  it('that comes in centimetres with Z up is brought to where it is worn', () => {
    const own = boxOfPoints(restPositions(character, coat)), low: number[] = [100 * own.low[0], -100 * own.high[2], 100 * own.low[1]], high: number[] = [100 * own.high[0], -100 * own.low[2], 100 * own.high[1]];
    expect(fitScale(restBox(character), { low, high }, UNITS)).toEqual({ scale: 0.01, up: '+z' });
    expect(fitScale(restBox(character), own, UNITS)).toEqual({ scale: 1, up: '+y' });
    const inches = placeCharacter(alone(coat), { scale: 1 / 0.0254, up: '+y', turn: 0, mirror: false });
    expect(fitScale(restBox(character), boxOfPoints(restPositions(inches, inches.meshes[0])), UNITS)).toEqual({ scale: 0.0254, up: '+y' });
  });
  it('in place of another keeps its name and role, and tells what changed', () => {
    const raised = alone(coat, { name: 'coat v2', positions: coat.positions.map((v, k) => (k % 3 === 1 && k < 300 ? v + 0.004 : v)) }), worn = wear(character, raised, { ...add, replace: 'coat', role: 'prop' });
    expect(worn.character.meshes.map((m) => m.name)).toEqual(character.meshes.map((m) => m.name));
    expect(worn.character.meshes.find((m) => m.name === 'coat')!.role).toBe('garment');
    expect(worn.notes.join()).toMatch(/coat: the same triangles; 100 vertices moved, 4\.0 mm at most/);
  });
  it('that hangs on a joint keeps its own place there, though its node is called as one of the character’s', () => {
    const n = character.nodes.length, head = character.nodes.findIndex((m) => m.name === 'head'), file: Character = { ...character, clips: [], nodes: [...character.nodes, { name: 'belt', parent: head, translation: [0, 0.2, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }], meshes: [{ ...coat, name: 'hat', node: n, skin: -1, joints: new Uint16Array(0), weights: new Float32Array(0), positions: coat.positions.map((v) => 0.05 * v) }] };
    const taken: Character = { ...bare, nodes: [...bare.nodes, { name: 'belt', parent: -1, translation: [9, 9, 9], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }] }, worn = wear(taken, file, { ...add, role: 'accessory' }), clip = character.clips[0];
    expect(worn.notes.join()).toContain('hangs on “head”');
    const P = placesIn(worn.character, 'hat', clip, 0.6), Q = placesIn({ ...file, clips: character.clips }, 'hat', clip, 0.6);
    expect(apart(P, Q)).toBeLessThan(1e-9);
  });
  it('that cannot be worn is refused with what to do', () => {
    expect(() => wear(character, alone(coat), add)).toThrow('All meshes of this file are worn already.');
    expect(() => wear(character, { ...character, clips: [] }, { ...add, replace: 'cape' })).toThrow(WearError);
    const two: Character = { ...character, meshes: [{ ...coat, name: 'a' }, { ...coat, name: 'b' }], clips: [] };
    expect(() => wear(character, two, { ...add, replace: 'scarf' })).toThrow(/none is called “scarf”: “a”, “b”/);
  });
});

describe('point caches', () => {
  it.each(['pc2', 'mdd'] as const)('%s: the coat moves by it as it moved by its joints, and evenly between frames', (kind) => {
    const clip = character.clips.find((c) => c.name === 'look back')!, fps = 24, read = readPointCache({ name: `coat.${kind}`, bytes: cacheBytes(kind, clip, fps) }, fps);
    if (!read.ok) throw new Error(read.error.message);
    const worn = wear(character, null, { replace: 'coat', role: 'garment', clip: clip.name }, read.value), moving = worn.character.clips.find((c) => c.name === clip.name)!;
    for (const frame of [0, 7, 13, 48]) expect(apart(placesIn(worn.character, 'coat', moving, frame / fps), placesIn(character, 'coat', clip, frame / fps))).toBeLessThan(2e-6);
    const between = placesIn(worn.character, 'coat', moving, 13.5 / fps), a = placesIn(character, 'coat', clip, 13 / fps), b = placesIn(character, 'coat', clip, 14 / fps);
    expect(apart(between, a.map((v, k) => 0.5 * (v + b[k])))).toBeLessThan(2e-6);
    expect(worn.notes.join()).toContain('in the other clips it stands still');
  });
  it('one after another: the shapes of the one before are moved no more', () => {
    const clip = character.clips.find((c) => c.name === 'look back')!, read = readPointCache({ name: 'x.mdd', bytes: cacheBytes('mdd', clip, 24) }, 24);
    if (!read.ok) throw new Error(read.error.message);
    const choice = { replace: 'coat', role: 'garment', clip: clip.name } as const, once = wear(character, null, choice, read.value).character, twice = wear(once, null, choice, read.value).character, weights = (c: Character): number => c.clips.flatMap((k) => k.channels).filter((h) => h.path === 'weights').length;
    expect(weights(twice)).toBe(weights(once));
    expect(apart(placesIn(twice, 'coat', twice.clips.find((c) => c.name === clip.name)!, 0.5), placesIn(character, 'coat', clip, 0.5))).toBeLessThan(2e-6);
  });
  it('MDD: frames and times are those three’s MDDLoader reads', () => {
    const clip = character.clips.find((c) => c.name === 'look back')!, bytes = cacheBytes('mdd', clip, 24), read = readPointCache({ name: 'x.mdd', bytes }, 24), theirs = new MDDLoader().parse(bytes.buffer as ArrayBuffer);
    if (!read.ok) throw new Error(read.error.message);
    expect(theirs.morphTargets.length).toBe(read.value.frames.length);
    theirs.morphTargets.forEach((t, k) => expect(Array.from((t as { array: Float32Array }).array)).toEqual(Array.from(read.value.frames[k])));
  });
  it('vertices that its file split at seams are matched by their places', () => {
    const clip = character.clips.find((c) => c.name === 'look back')!, read = readPointCache({ name: 'x.mdd', bytes: cacheBytes('mdd', clip, 24) }, 24);
    if (!read.ok) throw new Error(read.error.message);
    // every vertex twice: as many as no cache has
    const twice = alone(coat, { positions: Float32Array.from([...coat.positions, ...coat.positions]), normals: Float32Array.from([...coat.normals, ...coat.normals]), joints: Uint16Array.from([...coat.joints, ...coat.joints]), weights: Float32Array.from([...coat.weights, ...coat.weights]), colors: new Float32Array(0) });
    const worn = wear(bare, twice, { ...add, clip: clip.name }, read.value), P = placesIn(worn.character, 'coat', worn.character.clips.find((c) => c.name === clip.name)!, 0.5);
    expect(worn.notes.join()).toContain('were matched to the cache');
    expect(apart(P.subarray(0, P.length / 2), placesIn(character, 'coat', clip, 0.5))).toBeLessThan(1e-3);
  });
  it('damaged ones, and ones of another mesh, are refused with what and where', () => {
    const bytes = cacheBytes('pc2', character.clips[0], 24), wrong = (b: Uint8Array, name = 'c.pc2'): string => { const r = readPointCache({ name, bytes: b }, 24); return r.ok ? 'read' : `${r.error.type} ${r.error.where ?? ''}`; };
    expect(wrong(bytes.slice(0, 20))).toBe('truncated byte 20');
    expect(wrong(bytes.slice(0, -4))).toContain('truncated');
    expect(wrong(new TextEncoder().encode('o mesh\nv 0 0 0\n'))).toContain('notThisFormat');
    const many = bytes.slice(); new DataView(many.buffer).setInt32(28, 2 ** 30, true);
    expect(wrong(many)).toContain('unsupported');
    const none = bytes.slice(); new DataView(none.buffer).setFloat32(32, NaN, true);
    expect(wrong(none)).toBe('invalid frame 0');
    const read = readPointCache({ name: 'c.pc2', bytes }, 24);
    if (!read.ok) throw new Error(read.error.message);
    expect(() => wear(character, null, { replace: 'scarf', role: 'garment', clip: character.clips[0].name }, read.value)).toThrow(/Export both from the same mesh/);
    expect(() => wear(character, null, { replace: 'coat', role: 'garment', clip: null }, read.value)).toThrow(/choose a clip/);
  });
});
