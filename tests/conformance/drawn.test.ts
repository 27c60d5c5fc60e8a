/**
 * Meshes hung on drawn chains against what is not ours: two general-purpose glTF loaders and gltf-validator; and a machine nobody here
 * made (2CylinderEngine of Debian's assimp-testmodels), scaled, turned, mirrored.
 */
import { readFileSync } from 'node:fs';
import * as THREE from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import validator from 'gltf-validator';
import { beforeAll, describe, expect, it } from 'vitest';
import { openScene } from '../../src/core/bake/open-scene';
import { newCage } from '../../src/core/cage/cages';
import type { Baked } from '../../src/core/bake/baked';
import { clipOfChains } from '../../src/core/chain/chain-clip';
import { drawnDocument, withDrawing } from '../../src/core/chain/chain-groom';
import { characterOf } from '../../src/core/chain/character-of';
import { ChainPoser } from '../../src/core/chain/chain-pose';
import { plantChains } from '../../src/core/chain/chains';
import { floatsOf, unpackPlanting } from '../../src/core/document/buffers';
import { firstDocument } from '../../src/core/document/first-document';
import type { GroomDocument } from '../../src/core/document/schema';
import { influencesOf, joinedMesh } from '../../src/core/drawn/influences';
import { boxOfPoints } from '../../src/core/mesh/rest-box';
import { poseAtFrame, poseCharacter, restPositions, skinPositions, type Character } from '../../src/core/mesh/character';
import { AS_IT_IS, placeCharacter, type Placement } from '../../src/core/mesh/placement';
import { planRun, SwayRun } from '../../src/core/sway/run';
import { readGlb } from '../../src/formats/gltf';
import { pimPlait } from '../../src/server/demo-pim';
import { handed, type Handed } from '../helpers/baked';

type Keep = (b: Uint8Array) => string;
async function bakedDrawn(bytes: Uint8Array, placement: Placement, make: (c: Character, keep: Keep) => GroomDocument, end: number): Promise<Baked> {
  const read = await readGlb(bytes);
  if (!read.ok) throw new Error(read.error.message);
  const given = placeCharacter(read.value, placement), store = new Map<string, Uint8Array>(), document = make(given, (b) => { const id = String(store.size).padStart(64, '0'); store.set(id, b); return id; });
  document.shot = { ...document.shot, start: 0, end, cyclic: false };
  const character = characterOf(given, document, store.get(document.drawn!.given!.weights)!), buffers = { planting: store.get(document.guides!.planting)!, offsets: store.get(document.guides!.offsets)! }, scene = openScene(document, character, buffers), run = new SwayRun(scene, -6, { plan: planRun(scene, -6, end) }), frames = new Map<number, Float32Array>();
  while (run.frame < end) { run.advance(); frames.set(run.frame, run.positions()); }
  return { document, character, planting: unpackPlanting(buffers.planting), offsets: floatsOf(buffers.offsets), faces: new Uint32Array(0), maps: {}, samples: 1, startFrame: 0, endFrame: end, sample: (n) => Promise.resolve(frames.get(n)!), source: () => Promise.resolve({ files: [{ name: 'a.glb', bytes }], placement }) };
}
interface Json { nodes: { name: string; mesh?: number }[]; meshes: { primitives: { attributes: Record<string, number>; material?: number }[] }[]; accessors: unknown[]; animations: unknown[]; materials: unknown[]; skins: { joints: number[] }[] }
const parse = (b: Uint8Array): Json => JSON.parse(new TextDecoder().decode(b.subarray(20, 20 + new DataView(b.buffer, b.byteOffset).getUint32(12, true)))) as Json;
const keysOf = (h: Handed): Buffer => h.file('keys.glb');
interface Issues { issues: { numErrors: number; messages: { code: string; severity: number; pointer?: string }[] } }
const issuesOf = async (bytes: Uint8Array): Promise<Issues['issues']> => ((await validator.validateBytes(bytes)) as Issues).issues;
const told = (h: Handed): { clip: string; with: string | null } => h.report.layout as unknown as { clip: string; with: string | null };

/** All vertices of a node's mesh in three at a time, with its clips played together. */
async function threeSkin(bytes: Uint8Array, name: string, clips: string[]): Promise<(time: number) => THREE.Vector3[]> {
  const { scene, animations } = await new GLTFLoader().parseAsync(Uint8Array.from(bytes).buffer, ''), mixer = new THREE.AnimationMixer(scene);
  for (const c of clips) mixer.clipAction(animations.find((a) => a.name === c)!).setLoop(THREE.LoopOnce, 1).play().clampWhenFinished = true;
  const meshes: THREE.SkinnedMesh[] = [], wanted = THREE.PropertyBinding.sanitizeNodeName(name);
  scene.traverse((o) => { if ((o as THREE.SkinnedMesh).isSkinnedMesh && (o.name === wanted || o.parent?.name === wanted)) meshes.push(o as THREE.SkinnedMesh); });
  return (time) => {
    mixer.setTime(time);
    scene.updateMatrixWorld(true);
    return meshes.flatMap((m) => { m.skeleton.update(); return Array.from({ length: m.geometry.getAttribute('position').count }, (_, v) => m.getVertexPosition(v, new THREE.Vector3()).applyMatrix4(m.matrixWorld)); });
  };
}
/** The same by our own skinning, from the bake. */
async function ours(baked: Baked, name: string, frame: number): Promise<Float64Array> {
  const { character, document } = baked, mesh = character.meshes.find((m) => m.name === name)!, pose = poseAtFrame(character, character.clips.find((c) => c.name === document.shot.clip) ?? null, document.shot, frame), out = new Float64Array(mesh.positions.length), { paths, pointCount, offsets } = plantChains(character, document.chains);
  new ChainPoser(character, paths, pointCount, offsets).into(pose, await baked.sample(frame));
  skinPositions(character, mesh, pose, out);
  return out;
}

/** What hangs below the nape, m. */
const joinedPlait = (c: Character): number[] => { const { positions: P } = joinedMesh(c, ['hair']), out: number[] = []; for (let v = 0; v < P.length; v += 3) if (P[v + 1] < 0.9) out.push(P[v], P[v + 1], P[v + 2]); return out; };

describe('a plait that is a plain mesh', () => {
  const bytes = new Uint8Array(readFileSync('demo/cast/pim.glb'));
  let baked: Baked, h: Handed;
  beforeAll(async () => {
    Object.assign(globalThis, { self: globalThis, ProgressEvent: class { constructor(readonly type: string) {} } });
    baked = await bakedDrawn(bytes, AS_IT_IS, (c, keep) => pimPlait(c, firstDocument(c), keep), 20);
    h = await handed(baked, { format: 'keys' });
  }, 120_000);

  it('is in the character’s own file, skinned, without an error or a warning; every other mesh as it was', async () => {
    const before = await issuesOf(bytes), after = await issuesOf(keysOf(h)), was = parse(bytes), is = parse(keysOf(h));
    expect([after.numErrors, after.messages.filter((m) => m.severity < 2).map((m) => m.code)]).toEqual([0, before.messages.filter((m) => m.severity < 2).map((m) => m.code)]);
    expect(is.meshes.slice(0, was.meshes.length)).toEqual(was.meshes);
    expect(is.accessors.slice(0, was.accessors.length)).toEqual(was.accessors);
    expect([is.materials, is.animations.slice(0, was.animations.length)]).toEqual([was.materials, was.animations]);
    // its own parts keep their materials
    const node = is.nodes.findIndex((n) => n.name === 'hair moved');
    expect(is.meshes[is.nodes[node].mesh!].primitives.map((p) => p.material)).toEqual(was.meshes[was.nodes.find((n) => n.name === 'hair')!.mesh!].primitives.map((p) => p.material));
    expect(is.nodes.filter((n) => /^plait \d/.test(n.name)).length).toBe(9);
    expect(h.report.notes.join(' ')).toMatch(/“hair” had no joints for this; those of one chain were put to the file/);
  });
  it('stands in three where it was computed, vertex by vertex, to a tenth of a millimetre', async () => {
    const { clip, with: other } = told(h), at = await threeSkin(keysOf(h), 'hair moved', [clip, other!]), rest = restPositions(baked.character, baked.character.meshes.find((m) => m.name === 'hair')!);
    let moved = 0, worst = 0;
    for (const frame of [0, 7, 13, 20]) {
      const P = await ours(baked, 'hair', frame), Q = at(frame / 24);
      expect(3 * Q.length).toBe(P.length);
      Q.forEach((q, v) => { worst = Math.max(worst, Math.hypot(q.x - P[3 * v], q.y - P[3 * v + 1], q.z - P[3 * v + 2])); moved = Math.max(moved, Math.hypot(...[0, 1, 2].map((c) => P[3 * v + c] - rest[3 * v + c]))); });
    }
    expect(worst).toBeLessThan(1e-4);
    expect(moved).toBeGreaterThan(0.05);
  });
  it('kept as a clip of the character, is moved by that clip alone to where the bake has it', async () => {
    const clip = await clipOfChains(baked, 'kept'), { character, document: { shot } } = baked, hair = character.meshes.find((m) => m.name === 'hair')!, Q = new Float64Array(hair.positions.length);
    expect(clip.duration).toBe(character.clips.find((c) => c.name === shot.clip)!.duration);
    for (const frame of [0, 7, 13, 20]) {
      skinPositions(character, hair, poseCharacter(character, clip, frame / shot.fps), Q);
      expect((await ours(baked, 'hair', frame)).reduce((worst, v, k) => Math.max(worst, Math.abs(v - Q[k])), 0)).toBeLessThan(1e-4);
    }
  });
  it('moved in a cage instead stands in three where it was computed, too, and moves otherwise', async () => {
    const caged = await bakedDrawn(bytes, AS_IT_IS, (c, keep) => { const d = pimPlait(c, firstDocument(c), keep); d.sway.cages = [{ ...newCage('c', 'plait', 'head', joinedPlait(c)), hz: 1.3, still: 0.3, rise: 0.4 }]; return d; }, 14), file = await handed(caged, { format: 'keys' }), { clip, with: other } = told(file), at = await threeSkin(keysOf(file), 'hair moved', [clip, other!]);
    let worst = 0, apart = 0;
    for (const frame of [0, 9, 14]) {
      const P = await ours(caged, 'hair', frame), R = await ours(baked, 'hair', frame);
      at(frame / 24).forEach((q, v) => { worst = Math.max(worst, Math.hypot(q.x - P[3 * v], q.y - P[3 * v + 1], q.z - P[3 * v + 2])); apart = Math.max(apart, Math.hypot(...[0, 1, 2].map((c) => P[3 * v + c] - R[3 * v + c]))); });
    }
    expect(worst).toBeLessThan(1e-4);
    expect(apart).toBeGreaterThan(0.004);
  });
  it('stands in Babylon where it stands in three', async () => {
    const { FreeCamera, NullEngine, Scene, ImportMeshAsync, Vector3 } = await import('@babylonjs/core'), { registerBuiltInLoaders } = await import('@babylonjs/loaders/dynamic');
    registerBuiltInLoaders();
    const whole = await handed(baked, { format: 'keys', merge: true }), engine = new NullEngine(), scene = new Scene(engine), { clip } = told(whole);
    scene.useRightHandedSystem = true;
    new FreeCamera('c', new Vector3(0, 0, 2), scene);
    const { animationGroups, meshes } = await ImportMeshAsync(`data:model/gltf-binary;base64,${keysOf(whole).toString('base64')}`, scene, { pluginExtension: '.glb' }), group = animationGroups.find((g) => g.name === clip)!, at = await threeSkin(keysOf(whole), 'hair moved', [clip]), parts = meshes.filter((m) => m.name.startsWith('hair moved') && m.getTotalVertices() > 0);
    for (const g of animationGroups) g.stop();
    for (const frame of [5, 16]) {
      group.start(false); group.goToFrame((frame / 24) * 60); group.pause();
      scene.render();
      const Q = at(frame / 24);
      let v = 0, worst = 0;
      for (const m of parts) {
        m.computeWorldMatrix(true);
        m.skeleton!.prepare(true);
        const P = m.getPositionData(true, true)!;
        for (let k = 0; k < P.length; k += 3) { const p = Vector3.TransformCoordinates(new Vector3(P[k], P[k + 1], P[k + 2]), m.getWorldMatrix()), q = Q[v++]; worst = Math.max(worst, Math.hypot(p.x - q.x, p.y - q.y, p.z - q.z)); }
      }
      expect(v).toBe(Q.length);
      expect(worst).toBeLessThan(2e-4);
    }
    scene.dispose();
    engine.dispose();
  }, 60_000);
});

describe('a machine that nobody here made', () => {
  const bytes = new Uint8Array(readFileSync('/usr/share/assimp/models/glTF2/2CylinderEngine-glTF-Binary/2CylinderEngine.glb'));
  for (const placement of [AS_IT_IS, { scale: 0.001, up: '+z' as const, turn: 40, mirror: false }, { scale: 0.01, up: '+y' as const, turn: 0, mirror: true }]) it(`bends along a line through it and comes back into its file: × ${placement.scale}, ${placement.up} up, turned by ${placement.turn}°${placement.mirror ? ', mirrored' : ''}`, async () => {
    let name = '';
    const baked = await bakedDrawn(bytes, placement, (c, keep) => {
      // the mesh with most vertices, along its longest side
      const mesh = [...c.meshes].sort((a, b) => b.positions.length - a.positions.length)[0], { low, high } = boxOfPoints(joinedMesh(c, [mesh.name]).positions), axis = [0, 1, 2].reduce((best, k) => (high[k] - low[k] > high[best] - low[best] ? k : best), 0), end = (t: number): number[] => [0, 1, 2].map((k) => (k === axis ? low[k] + t * (high[k] - low[k]) : (low[k] + high[k]) / 2));
      name = mesh.name;
      const empty = drawnDocument(firstDocument(c), [name]), document = { ...empty, drawn: { ...empty.drawn!, by: 'along' as const, lines: [{ id: 'a', name: 'line', places: [...end(0.05), ...end(0.95)], joints: 4 }] } }, made = withDrawing(c, document, influencesOf(c, document.drawn, new Map()), keep).document;
      Object.assign(made.sway, { hold: 0.2, calmStart: false, windSpeed: 12, roles: { body: 'off', garment: 'off', accessory: 'off', prop: 'off', carrier: 'off' }, meshes: {} });
      return made;
    }, 8), h = await handed(baked, { format: 'keys' }), file = parse(keysOf(h)), shown = file.nodes.some((n) => n.name === `${name} moved`) ? `${name} moved` : name, at = await threeSkin(keysOf(h), shown, [told(h).clip]), back = new THREE.Matrix4().makeRotationY((placement.turn * Math.PI) / 180).multiply(placement.up === '+z' ? new THREE.Matrix4().makeRotationX(-Math.PI / 2) : new THREE.Matrix4()).multiply(new THREE.Matrix4().makeScale((placement.mirror ? -1 : 1) * placement.scale, placement.scale, placement.scale)), size = restPositions(baked.character, baked.character.meshes.find((m) => m.name === name)!), { low, high } = boxOfPoints(size), height = Math.hypot(...high.map((v, c) => v - low[c]));
    expect((await issuesOf(keysOf(h))).numErrors).toBe(0);
    for (const frame of [0, 8]) {
      const P = await ours(baked, name, frame);
      let worst = 0;
      at(frame / 24).forEach((q, v) => { q.applyMatrix4(back); worst = Math.max(worst, Math.hypot(q.x - P[3 * v], q.y - P[3 * v + 1], q.z - P[3 * v + 2])); });
      expect(worst / height).toBeLessThan(1e-4);
    }
  }, 120_000);
});
