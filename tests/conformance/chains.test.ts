/**
 * Chains against what is not ours: the hanging chain's frequencies, two general-purpose glTF loaders, gltf-validator, and a skeleton
 * that nobody here made (simple_skin of Debian's assimp-testmodels, BSD-3).
 */
import { readdirSync, readFileSync } from 'node:fs';
import RAPIER from '@dimforge/rapier3d-compat';
import * as THREE from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import validator from 'gltf-validator';
import { beforeAll, describe, expect, it } from 'vitest';
import { openScene } from '../../src/core/bake/open-scene';
import type { Baked } from '../../src/core/bake/baked';
import { ChainPoser } from '../../src/core/chain/chain-pose';
import { chainDocument } from '../../src/core/chain/chain-groom';
import { findChains, plantChains, withChainRoots, type Chain } from '../../src/core/chain/chains';
import { firstDocument } from '../../src/core/document/first-document';
import { floatsOf, unpackPlanting } from '../../src/core/document/buffers';
import type { GroomDocument } from '../../src/core/document/schema';
import { AS_IT_IS, placeCharacter, type Placement } from '../../src/core/mesh/placement';
import { poseCharacter, restPositions, skinPositions, type Character } from '../../src/core/mesh/character';
import { planRun, SwayRun, type Scene } from '../../src/core/sway/run';
import { glbOf } from '../../src/formats/clip-glb';
import { readGlb } from '../../src/formats/gltf';
import { handed, type Handed } from '../helpers/baked';
import { bramble, brambleBytes } from '../helpers/oda';

const chain = (joints: string[], kept = 0): Chain => ({ id: joints[0], name: joints[0], joints, kept, bendDeg: null });
/** A bake of chains on a character, in memory; `bytes` the file it came in. */
async function bakedChains(bytes: Uint8Array, placement: Placement, chains: Chain[], end: number, change: (d: GroomDocument) => void = () => undefined): Promise<Baked> {
  const read = await readGlb(bytes);
  if (!read.ok) throw new Error(read.error.message);
  const given = placeCharacter(read.value, placement), character = withChainRoots(given), store = new Map<string, Uint8Array>(), like = firstDocument(given);
  const document = chainDocument(character, like, chains, (b) => { const id = String(store.size).padStart(64, '0'); store.set(id, b); return id; });
  document.shot = { ...document.shot, start: 0, end, cyclic: false };
  change(document);
  const buffers = { planting: store.get(document.guides!.planting)!, offsets: store.get(document.guides!.offsets)! }, scene = openScene(document, given, buffers), run = new SwayRun(scene, -6, { plan: planRun(scene, -6, end) }), frames = new Map<number, Float32Array>();
  while (run.frame < end) { run.advance(); frames.set(run.frame, run.positions()); }
  return { document, character, planting: unpackPlanting(buffers.planting), offsets: floatsOf(buffers.offsets), faces: new Uint32Array(0), maps: {}, samples: 1, startFrame: 0, endFrame: end, sample: (n) => Promise.resolve(frames.get(n)!), source: () => Promise.resolve({ files: [{ name: 'a.glb', bytes }], placement }) };
}
interface Told { clip: string; with: string; joints: { node: number; name: string; guide: number; point: number }[] }
const toldBy = (h: Handed): Told => h.report.layout as unknown as Told;
const keysOf = (h: Handed): Buffer => h.file('keys.glb');
interface Issues { issues: { numErrors: number; messages: { code: string; severity: number; pointer?: string }[] } }
const issuesOf = async (bytes: Uint8Array): Promise<Issues['issues']> => ((await validator.validateBytes(bytes)) as Issues).issues;
const arrayOf = (b: Uint8Array): ArrayBuffer => Uint8Array.from(b).buffer;
/** A glTF in three, two clips played together, the first with the last word. */
async function threeAt(bytes: Uint8Array, clips: string[]) {
  const { scene, animations, parser } = await new GLTFLoader().parseAsync(arrayOf(bytes), ''), mixer = new THREE.AnimationMixer(scene), first = animations.find((a) => a.name === clips[0])!, own = new Set(first.tracks.map((t) => t.name));
  for (const name of clips) { const a = animations.find((x) => x.name === name)!; mixer.clipAction(a === first ? a : new THREE.AnimationClip(a.name, a.duration, a.tracks.filter((t) => !own.has(t.name)))).setLoop(THREE.LoopOnce, 1).play().clampWhenFinished = true; }
  const last = first.duration - 1e-6;
  const nodes = new Map([...(parser.associations as Map<THREE.Object3D, { nodes?: number } | undefined>)].flatMap(([o, of]): [number, THREE.Object3D][] => (of?.nodes !== undefined && o.isObject3D ? [[of.nodes, o]] : [])));
  const at = (time: number): void => { mixer.setTime(Math.min(time, last)); scene.updateMatrixWorld(true); };
  return {
    node: (time: number, node: number): THREE.Vector3 => { at(time); return new THREE.Vector3().setFromMatrixPosition(nodes.get(node)!.matrixWorld); },
    /** Skinned vertices of the first mesh. */
    skin: (time: number): THREE.Vector3[] => { at(time); let mesh: THREE.SkinnedMesh | null = null; scene.traverse((o) => { if ((o as THREE.SkinnedMesh).isSkinnedMesh) mesh ??= o as THREE.SkinnedMesh; }); mesh!.skeleton.update(); return Array.from({ length: mesh!.geometry.getAttribute('position').count }, (_, v) => mesh!.getVertexPosition(v, new THREE.Vector3()).applyMatrix4(mesh!.matrixWorld)); },
  };
}

/** A rope of `n` links hanging from a joint, and one small triangle of skin that reaches to its end. */
function rope(n: number, length: number): Character {
  const nodes: Character['nodes'] = Array.from({ length: n + 1 }, (_, i) => ({ name: i === 0 ? 'top' : `rope${i - 1}`, parent: i - 1, translation: [0, i < 2 ? 0 : -length / n, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }));
  return { nodes, skins: [{ joints: Uint16Array.from(nodes, (_, i) => i), inverseBind: Float32Array.from(nodes.flatMap((_, i) => { const y = i < 2 ? 0 : ((i - 1) * length) / n; return [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, y, 0, 1]; })) }], materials: [{ name: 'a', color: [1, 1, 1], roughness: 1, metalness: 0, twoSided: false }], clips: [], meshes: [{ name: 'skin', role: 'body', node: 0, skin: 0, positions: Float32Array.of(-0.001, -length, 0, 0.001, -length, 0, 0, -length + 0.001, 0), normals: Float32Array.of(0, 0, 1, 0, 0, 1, 0, 0, 1), triangles: Uint32Array.of(0, 1, 2), colors: new Float32Array(0), joints: Uint16Array.of(n, 0, 0, 0, n, 0, 0, 0, n, 0, 0, 0), weights: Float32Array.of(1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0), hair: new Float32Array(0), groups: [{ material: 0, first: 0, count: 1 }], morphs: [], morphRest: new Float32Array(0) }] };
}
/** The scene of such a rope without stiffness, air or damping. */
function ropeScene(character: Character, fps: number): Scene {
  const chains = [chain(character.nodes.slice(1).map((x) => x.name))], store = new Map<string, Uint8Array>(), document = chainDocument(withChainRoots(character), firstDocument(character), chains, (b) => { const id = String(store.size).padStart(64, '0'); store.set(id, b); return id; });
  Object.assign(document.sway, { material: 'elastic cord', thickness: 0.2, stiffness: 0.05, hold: 0, damping: 0, bendDamping: 0, airDrag: 0, calmStart: false, chooseSubsteps: false, substeps: 32, roles: { body: 'off', garment: 'off', accessory: 'off', prop: 'off', carrier: 'off' }, meshes: {} });
  document.shot = { ...document.shot, fps, start: 0, end: 2000 };
  return openScene(document, character, { planting: store.get(document.guides!.planting)!, offsets: store.get(document.guides!.offsets)! });
}

describe('a hanging chain', () => {
  it('swings at ω = (j/2)√(g/L) in its first three modes, j the zeros of J₀, within 1 %', async () => {
    // Source: Bernoulli 1733; zeros of J₀ from Abramowitz and Stegun, table 9.5
    const zeros = [2.404826, 5.520078, 8.653728], n = 58, length = 1.2, character = rope(n, length), planted = plantChains(character, [chain(character.nodes.slice(1).map((x) => x.name))]);
    expect(planted.offsets[3 * (planted.pointCount - 1) + 1]).toBeCloseTo(-length, 5);
    const swing = (mode: number): number => {
      const bessel = (x: number): number => { let s = 0; for (let k = 0; k < 400; k++) s += Math.cos(x * Math.sin((Math.PI * (k + 0.5)) / 400)) / 400; return s; };
      const scene = ropeScene(character, 240), N = scene.pointCount, P = scene.offsets;
      // begun in its shape, small: J₀(j √(z / L)), z from the free end
      for (let i = 1; i < N; i++) P[3 * i] = 0.004 * bessel(zeros[mode] * Math.sqrt(Math.max(0, 1 + P[3 * i + 1] / length)));
      // modes do not mix in the sum of their shapes: they are orthogonal in the chain's mass, which is even
      const run = new SwayRun(scene, 0), shape = Float64Array.from({ length: N }, (_, i) => bessel(zeros[mode] * Math.sqrt(Math.max(0, 1 + P[3 * i + 1] / length)))), x: number[] = [];
      for (let f = 0; f < 2400; f++) { run.advance(); const p = run.positions(); x.push(shape.reduce((sum, v, i) => sum + v * p[3 * i], 0)); }
      // where its spectrum is highest, under Hann's window
      const strength = (w: number): number => { let a = 0, b = 0; x.forEach((v, f) => { const h = v * (1 - Math.cos((2 * Math.PI * f) / x.length)); a += h * Math.cos((w * f) / 240); b += h * Math.sin((w * f) / 240); }); return a * a + b * b; }, near = (zeros[mode] / 2) * Math.sqrt(9.81 / length);
      let best = near, most = 0;
      for (let w = 0.9 * near; w < 1.1 * near; w += 5e-4 * near) { const s = strength(w); if (s > most) { most = s; best = w; } }
      return best;
    };
    for (const [mode, j] of zeros.entries()) expect(Math.abs(swing(mode) / ((j / 2) * Math.sqrt(9.81 / length)) - 1)).toBeLessThan(0.01);
  }, 120_000);
  it('of eight links, let go from 35°, swings as the same links do in a rigid-body engine: half a second to 1 % of its length', async () => {
    // Source: Rapier (dimforge), bodies at the joints with the chain’s own masses, ball joints, steps of 1/12000 s
    await RAPIER.init();
    const n = 8, length = 0.8, link = length / n, angle = (35 * Math.PI) / 180, [sin, cos] = [Math.sin(angle), Math.cos(angle)], scene = ropeScene(rope(n, length), 240), { offsets: P, pointCount: N } = scene;
    for (let i = 1; i < N; i++) { P[3 * i] = sin * link * i; P[3 * i + 1] = -cos * link * i; P[3 * i + 2] = 0; }
    const run = new SwayRun(scene, 0), SCALE = 10, world = new RAPIER.World({ x: 0, y: -9.81 * SCALE, z: 0 });
    world.timestep = 1 / 12000;
    world.numSolverIterations = 8;
    let below = world.createRigidBody(RAPIER.RigidBodyDesc.fixed());
    const q = { x: 0, y: 0, z: Math.sin(angle / 2), w: Math.cos(angle / 2) }, l = SCALE * link, bodies = Array.from({ length: n }, (_, k) => {
      const mass = 1000 * run.system.k.mass[run.system.at(0, k + 1, 1)], thin = 1e-4 * mass * l * l, body = world.createRigidBody(RAPIER.RigidBodyDesc.dynamic().setTranslation(sin * l * (k + 1), -cos * l * (k + 1), 0).setRotation(q).setAdditionalMassProperties(mass, { x: 0, y: 0, z: 0 }, { x: thin, y: thin, z: thin }, { x: 0, y: 0, z: 0, w: 1 }).setCanSleep(false));
      world.createImpulseJoint(RAPIER.JointData.spherical({ x: 0, y: 0, z: 0 }, { x: 0, y: l, z: 0 }), below, body, true);
      below = body;
      return body;
    });
    let worst = 0, moved = 0;
    for (let f = 1; f <= 120; f++) {
      run.advance();
      for (let s = 0; s < 50; s++) world.step();
      const X = run.positions();
      bodies.forEach((b, k) => { const { x, y, z } = b.translation(), o = 3 * (k + 1); worst = Math.max(worst, Math.hypot(x / SCALE - X[o], y / SCALE - X[o + 1], z / SCALE - X[o + 2])); moved = Math.max(moved, Math.abs(X[o] - sin * link * (k + 1))); });
    }
    world.free();
    expect(moved).toBeGreaterThan(0.5);
    expect(worst / length).toBeLessThan(0.01);
  }, 120_000);
});

describe('keys on a character’s own joints', () => {
  let baked: Baked, beside: Handed, whole: Handed;
  beforeAll(async () => {
    Object.assign(globalThis, { self: globalThis, ProgressEvent: class { constructor(readonly type: string) {} } });
    const found = findChains(await bramble()).filter((f) => f.likely);
    expect(found.map((f) => f.joints.join())).toEqual(expect.arrayContaining(['tail1,tail2', 'earL', 'earR']));
    baked = await bakedChains(brambleBytes(), AS_IT_IS, found.map((f) => chain(f.joints)), 17, (d) => { d.shot.clip = 'trot'; d.sway.hold = 0.2; });
    beside = await handed(baked, { format: 'keys' });
    whole = await handed(baked, { format: 'keys', merge: true });
  }, 120_000);

  it('are a file without an error or a warning, and all that was in it is there as it was', async () => {
    const before = await issuesOf(brambleBytes()), after = await issuesOf(keysOf(beside));
    expect([after.numErrors, after.messages.filter((m) => m.severity < 2).length]).toEqual([0, before.messages.filter((m) => m.severity < 2).length]);
    const parse = (b: Uint8Array): { animations: { name: string; channels: { target: { node: number; path: string } }[] }[]; meshes: unknown[]; nodes: unknown[]; accessors: unknown[] } => JSON.parse(new TextDecoder().decode(b.subarray(20, 20 + new DataView(b.buffer, b.byteOffset).getUint32(12, true)))) as ReturnType<typeof parse>, was = parse(brambleBytes()), is = parse(keysOf(beside));
    expect([is.meshes, is.nodes]).toEqual([was.meshes, was.nodes]);
    expect(is.accessors.slice(0, was.accessors.length)).toEqual(was.accessors);
    expect(is.animations.slice(0, was.animations.length)).toEqual(was.animations);
    expect(is.animations.at(-1)!.channels.map((c) => c.target.path)).toEqual(Array.from({ length: 4 }, () => 'rotation'));
    // one clip for all: every other movement of the trot is in it, and what is not the clip's own is told
    const merged = parse(keysOf(whole)).animations.at(-1)!, trot = was.animations.find((a) => a.name === 'trot')!;
    expect(merged.name).toBe('trot with chains');
    expect(new Set(merged.channels.map((c) => `${c.target.node} ${c.target.path}`)).size).toBe(merged.channels.length);
    for (const c of trot.channels) expect(merged.channels.some((m) => m.target.node === c.target.node && m.target.path === c.target.path)).toBe(true);
    expect(whole.report.notes.join(' ')).toMatch(/turns of .*tail1.* are the chains’ instead/);
  });
  it('stand in three where the take has them, to a tenth of a millimetre; played beside the clip, and as one clip', async () => {
    const { clip, with: other, joints } = toldBy(beside), two = await threeAt(keysOf(beside), [clip, other]), one = await threeAt(keysOf(whole), ['trot with chains']);
    let moved = 0;
    for (const frame of [0, 3, 8, 13, 17]) {
      const P = await baked.sample(frame), rest = poseCharacter(baked.character, baked.character.clips.find((c) => c.name === 'trot')!, frame / 24);
      for (const { node, name, guide, point } of joints) {
        const o = 3 * (guide * baked.document.guides!.pointCount + point), p: [number, number, number] = [P[o], P[o + 1], P[o + 2]];
        for (const at of [two, one]) expect(at.node(frame / 24, node).distanceTo(new THREE.Vector3(...p))).toBeLessThan(1e-4);
        const n = baked.character.nodes.findIndex((x) => x.name === name);
        moved = Math.max(moved, Math.hypot(...p.map((v, c) => v - rest[16 * n + 12 + c])));
      }
    }
    // it is not the clip's own movement that was found again
    expect(moved).toBeGreaterThan(0.004);
    expect(beside.report.reductions[0].figures.worst).toBeLessThan(1e-4);
  });
  it('of a part of the shot lie where that part is in the clip, beside it and as one with it; a range that goes round is not made one clip', async () => {
    const part = await handed(baked, { format: 'keys', from: 5, to: 12 }), merged = await handed(baked, { format: 'keys', merge: true, from: 5, to: 12 }), { clip, with: other, joints } = toldBy(part);
    expect(part.report.layout.begins).toBeCloseTo(5 / 24, 6);
    expect(part.report.notes.join(' ')).toContain('0.208 s');
    const two = await threeAt(keysOf(part), [clip, other]), one = await threeAt(keysOf(merged), ['trot with chains']);
    for (const frame of [5, 9, 12]) {
      const P = await baked.sample(frame);
      for (const { node, guide, point } of joints) { const o = 3 * (guide * baked.document.guides!.pointCount + point); for (const at of [two, one]) expect(at.node(frame / 24, node).distanceTo(new THREE.Vector3(P[o], P[o + 1], P[o + 2]))).toBeLessThan(1e-4); }
    }
    const { document } = baked, trot = baked.character.clips.find((c) => c.name === 'trot')!, end = 17;
    trot.duration /= 2;
    document.shot.cyclic = true;
    await expect(handed(baked, { format: 'keys', merge: true })).rejects.toThrow(/once through “trot”/);
    trot.duration *= 2;
    document.shot.cyclic = false;
    expect(document.shot.end).toBe(end);
  });
  it('stand in Babylon where three has them', async () => {
    const { FreeCamera, NullEngine, Scene, ImportMeshAsync, Vector3 } = await import('@babylonjs/core'), { registerBuiltInLoaders } = await import('@babylonjs/loaders/dynamic');
    registerBuiltInLoaders();
    const engine = new NullEngine(), scene = new Scene(engine);
    scene.useRightHandedSystem = true;
    new FreeCamera('c', new Vector3(0, 0, 2), scene);
    const { animationGroups, transformNodes, meshes } = await ImportMeshAsync(`data:model/gltf-binary;base64,${keysOf(whole).toString('base64')}`, scene, { pluginExtension: '.glb' }), one = await threeAt(keysOf(whole), ['trot with chains']), group = animationGroups.find((g) => g.name === 'trot with chains')!;
    for (const g of animationGroups) g.stop();
    for (const frame of [2, 9, 15]) {
      group.start(false);
      group.goToFrame((frame / 24) * 60);
      group.pause();
      scene.render();
      for (const name of ['tail2', 'earL']) {
        const node = [...transformNodes, ...meshes].find((t) => t.name === name)!, told = toldBy(whole).joints.find((j) => j.name === name)!;
        node.computeWorldMatrix(true);
        const p = node.getAbsolutePosition(), q = one.node(frame / 24, told.node);
        expect(Math.hypot(p.x - q.x, p.y - q.y, p.z - q.z)).toBeLessThan(1e-4);
      }
    }
    scene.dispose();
    engine.dispose();
  }, 60_000);
});

describe('a skeleton that nobody here made', () => {
  // two joints one below the other, and a skin of ten vertices between them
  const dir = '/usr/share/assimp/models/glTF2/simple_skin', file = (name: string): { name: string; bytes: Uint8Array } => ({ name, bytes: new Uint8Array(readFileSync(`${dir}/${name}`)) });
  for (const placement of [AS_IT_IS, { scale: 0.1, up: '+y' as const, turn: 90, mirror: false }, { scale: 1, up: '+z' as const, turn: 0, mirror: false }, { scale: 0.5, up: '+y' as const, turn: 0, mirror: true }]) it(`hangs, and comes back into its file as it was computed: × ${placement.scale}, turned by ${placement.turn}°, ${placement.up} up${placement.mirror ? ', mirrored' : ''}`, async () => {
    const bytes = glbOf(readdirSync(dir).map(file)), read = await readGlb(bytes);
    if (!read.ok) throw new Error(read.error.message);
    const [found] = findChains(read.value), baked = await bakedChains(bytes, placement, [chain(found.joints.slice(1))], 10, (d) => { Object.assign(d.sway, { hold: 0, calmStart: false, windSpeed: 9, roles: { body: 'off', garment: 'off', accessory: 'off', prop: 'off', carrier: 'off' }, meshes: {} }); });
    expect(found.joints.length).toBe(2); // of which the first only turns what stands where it does
    const h = await handed(baked, { format: 'keys' }), { clip, joints } = toldBy(h);
    expect((await issuesOf(keysOf(h))).numErrors).toBe(0);
    const at = await threeAt(keysOf(h), [clip]), back = new THREE.Matrix4().makeRotationY((placement.turn * Math.PI) / 180).multiply(placement.up === '+z' ? new THREE.Matrix4().makeRotationX(-Math.PI / 2) : new THREE.Matrix4()).multiply(new THREE.Matrix4().makeScale((placement.mirror ? -1 : 1) * placement.scale, placement.scale, placement.scale));
    let moved = 0;
    for (const frame of [0, 5, 10]) {
      const P = await baked.sample(frame), n = baked.document.guides!.pointCount;
      for (const j of joints) {
        const p = 3 * (j.guide * n + j.point), q = at.node(frame / 24, j.node).applyMatrix4(back);
        expect(Math.hypot(P[p] - q.x, P[p + 1] - q.y, P[p + 2] - q.z)).toBeLessThan(1e-4);
      }
      // and its skin with it
      const pose = poseCharacter(baked.character, null, 0), mesh = baked.character.meshes[0], skin = new Float64Array(mesh.positions.length), rest = restPositions(baked.character, mesh), { paths, pointCount, offsets } = plantChains(baked.character, baked.document.chains);
      new ChainPoser(baked.character, paths, pointCount, offsets).into(pose, P);
      skinPositions(baked.character, mesh, pose, skin);
      at.skin(frame / 24).forEach((v, k) => {
        v.applyMatrix4(back);
        expect(Math.hypot(skin[3 * k] - v.x, skin[3 * k + 1] - v.y, skin[3 * k + 2] - v.z)).toBeLessThan(1e-4);
        moved = Math.max(moved, Math.hypot(skin[3 * k] - rest[3 * k], skin[3 * k + 1] - rest[3 * k + 1], skin[3 * k + 2] - rest[3 * k + 2]));
      });
    }
    expect(moved).toBeGreaterThan(0.02 * placement.scale);
  });
});

it('what a chain moves and what hangs on it keep together: a turned tail takes its end along', async () => {
  const character = await bramble(), chains = [chain(['tail1'])], { paths, pointCount, offsets } = plantChains(character, chains), pose = poseCharacter(character, null, 0), n1 = character.nodes.findIndex((n) => n.name === 'tail1'), n2 = character.nodes.findIndex((n) => n.name === 'tail2'), before = Math.hypot(...[0, 1, 2].map((c) => pose[16 * n2 + 12 + c] - pose[16 * n1 + 12 + c]));
  const points = Float64Array.from(offsets, (v, k) => pose[16 * n1 + 12 + (k % 3)] + (k % 3 === 2 ? -offsets[k - 1] : k % 3 === 1 ? offsets[k + 1] : v));
  new ChainPoser(character, paths, pointCount, offsets).into(pose, points);
  expect(Math.hypot(...[0, 1, 2].map((c) => pose[16 * n2 + 12 + c] - pose[16 * n1 + 12 + c]))).toBeCloseTo(before, 6);
  expect(Math.abs(pose[16 * n2 + 14] - pose[16 * n1 + 14])).toBeGreaterThan(0.5 * before);
});
