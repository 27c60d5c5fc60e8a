/**
 * Hand-overs read by readers that are not ours: gltf-validator, three's and Babylon's glTF loaders, three's MDD and EXR loaders, OpenEXR's and
 * OpenImageIO's tools, unzip, tinyusdz, and a spring-bone runtime (three-vrm).
 */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import * as THREE from 'three';
import { EXRLoader } from 'three/addons/loaders/EXRLoader.js';
import { GLTFLoader, type GLTF } from 'three/addons/loaders/GLTFLoader.js';
import { MDDLoader } from 'three/addons/loaders/MDDLoader.js';
import { OBJLoader } from 'three/addons/loaders/OBJLoader.js';
import validator from 'gltf-validator';
import { MeshoptDecoder } from 'meshoptimizer';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Baked } from '../../src/core/bake/baked';
import { USUAL_RECEIVERS, type Receiver } from '../../src/core/document/hand-over';
import { Axes } from '../../src/formats/axes';
import { bakedTube, handed, type Handed } from '../helpers/baked';
import { readUsd } from '../helpers/usd';

const dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-hand-'));
afterAll(() => { rmSync(dir, { recursive: true, force: true }); });
const save = (name: string, bytes: Uint8Array): string => { const file = path.join(dir, name); writeFileSync(file, bytes); return file; };
let baked: Baked, chains: Handed, vat: Handed;
beforeAll(async () => {
  // a loader of pages asks for pictures; there are none here, and nobody looks
  Object.assign(globalThis, { self: globalThis, ProgressEvent: class { constructor(readonly type: string) {} } });
  baked = await bakedTube();
  chains = await handed(baked, { format: 'chains', joints: 40, levels: 2 });
  vat = await handed(baked, { format: 'vat' });
}, 60_000);

const withoutPictures = (glb: Buffer): ArrayBuffer => {
  // pictures take the material with them
  const length = glb.readUInt32LE(12), json = JSON.parse(glb.subarray(20, 20 + length).toString()) as { materials?: object[]; textures?: unknown; images?: unknown; meshes: { primitives: { material?: number }[] }[] };
  delete json.textures; delete json.images; delete json.materials;
  for (const m of json.meshes) for (const p of m.primitives) delete p.material;
  const raw = Buffer.from(JSON.stringify(json)), padded = Buffer.concat([raw, Buffer.alloc((4 - (raw.length % 4)) % 4, 32)]), head = Buffer.from(glb.subarray(0, 20)), rest = glb.subarray(20 + length);
  head.writeUInt32LE(padded.length, 12);
  head.writeUInt32LE(20 + padded.length + rest.length, 8);
  const all = Buffer.concat([head, padded, rest]);
  return all.buffer.slice(all.byteOffset, all.byteOffset + all.length);
};
const load = (glb: Buffer): Promise<GLTF> => new GLTFLoader().parseAsync(withoutPictures(glb), '');
const skinnedOf = (g: GLTF): THREE.SkinnedMesh => { let found: THREE.SkinnedMesh | null = null; g.scene.traverse((o) => { if ((o as THREE.SkinnedMesh).isSkinnedMesh) found = o as THREE.SkinnedMesh; }); return found!; };
/** Skinned vertices at a time as three has them, world. */
function verticesAt(g: GLTF, time: number): Float32Array {
  const mesh = skinnedOf(g), mixer = new THREE.AnimationMixer(g.scene), out = new Float32Array(3 * mesh.geometry.getAttribute('position').count), v = new THREE.Vector3();
  if (g.animations[0]) { mixer.clipAction(g.animations[0]).setLoop(THREE.LoopOnce, 1).play(); mixer.setTime(Math.min(time, g.animations[0].duration - 1e-7)); }
  g.scene.updateMatrixWorld(true);
  mesh.skeleton.update();
  for (let i = 0; i < out.length / 3; i++) { mesh.getVertexPosition(i, v).applyMatrix4(mesh.matrixWorld); out.set([v.x, v.y, v.z], 3 * i); }
  return out;
}
const known = new Map<string, Float32Array>();
/** Vertices of a file that stays the same, asked for again and again. */
const verticesOf = (g: GLTF, frame: number): Float32Array => { const key = `${g.scene.uuid} ${frame}`, at = known.get(key) ?? verticesAt(g, frame / 24); known.set(key, at); return at; };
const pictureBytes = (glb: Buffer): number => { const json = JSON.parse(glb.subarray(20, 20 + glb.readUInt32LE(12)).toString()) as { images?: { bufferView: number }[]; bufferViews: { byteLength: number }[] }; return (json.images ?? []).reduce((n, i) => n + json.bufferViews[i.bufferView].byteLength, 0); };
interface Issues { issues: { numErrors: number; numWarnings: number; messages: { code: string; severity: number }[] } }
const issuesOf = async (glb: Buffer): Promise<Issues['issues']> => ((await validator.validateBytes(new Uint8Array(glb))) as Issues).issues;
/** Where the cards' vertices are by the full bake, out of the vertex animation: float32 offsets from the rest pose. */
function fullCards(frame: number): { rest: Float32Array; at: Float32Array } {
  const layout = vat.report.layout as { vertices: number; width: number; rowsOfAFrame: number }, pixels = exrOf(vat.file('offsets.exr')), rest = restOf(vat.file('cards.glb')), at = rest.slice();
  for (let v = 0; v < layout.vertices; v++) for (let c = 0; c < 3; c++) at[3 * v + c] += pixels.data[3 * ((frame * layout.rowsOfAFrame + Math.floor(v / layout.width)) * pixels.width + (v % layout.width)) + c];
  return { rest, at };
}
function restOf(glb: Buffer): Float32Array {
  const length = glb.readUInt32LE(12), json = JSON.parse(glb.subarray(20, 20 + length).toString()) as { meshes: { primitives: { attributes: { POSITION: number } }[] }[]; accessors: { bufferView: number; byteOffset?: number; count: number }[]; bufferViews: { byteOffset?: number; byteStride?: number }[] }, a = json.accessors[json.meshes[0].primitives[0].attributes.POSITION], view = json.bufferViews[a.bufferView], out = new Float32Array(3 * a.count);
  for (let i = 0; i < a.count; i++) for (let c = 0; c < 3; c++) out[3 * i + c] = glb.readFloatLE(28 + length + (view.byteOffset ?? 0) + (a.byteOffset ?? 0) + i * (view.byteStride ?? 12) + 4 * c);
  return out;
}
/** An EXR as three reads it, rows from the top; that the first and the last row are not mistaken is checked with OpenImageIO. */
function exrOf(bytes: Buffer): { data: Float32Array; width: number; height: number } {
  const { data, width, height } = new EXRLoader().setDataType(THREE.FloatType).parse(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length) as ArrayBuffer) as unknown as { data: Float32Array; width: number; height: number }, out = new Float32Array(3 * width * height), each = data.length / (width * height);
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) for (let c = 0; c < 3; c++) out[3 * (y * width + x) + c] = data[each * ((height - 1 - y) * width + x) + c];
  return { data: out, width, height };
}
/** Red, green and blue of pixels, from the top, as OpenImageIO reads them. */
function pixelsOf(file: string, places: readonly [number, number][]): number[][] {
  const lines = new Map(execFileSync('oiiotool', ['--dumpdata', file], { maxBuffer: 1 << 28 }).toString().split('\n').flatMap((l): [string, string][] => { const m = /Pixel \((\d+), (\d+)\): (.*)/.exec(l); return m ? [[`${m[1]} ${m[2]}`, m[3]]] : []; }));
  return places.map(([x, y]) => { const text = lines.get(`${x} ${y}`)!, inner = /\(([^)]*)\)/.exec(text); return (inner ? inner[1] : text).trim().split(/\s+/).map(Number).slice(0, 3); });
}

describe('joint chains with cards', () => {
  it('are glTF without an error or a warning', async () => {
    for (const [name, bytes] of chains.files) if (name.endsWith('.glb')) { const { numErrors, numWarnings, messages } = await issuesOf(bytes); expect([name, numErrors, numWarnings, messages.filter((m) => m.severity < 2)]).toEqual([name, 0, 0, []]); }
  });
  it('move in three as the sheet says: their vertices against the full bake', async () => {
    const g = await load(chains.file('lod0.glb')), { figures } = chains.report.reductions.find((r) => /level 0/.test(r.name))!;
    let sum = 0, n = 0, worst = 0;
    for (const frame of [0, 1, 5, 8, 12]) {
      const is = verticesAt(g, frame / 24), { at } = fullCards(frame);
      expect(is.length).toBe(at.length);
      for (let i = 0; i < is.length; i += 3) { const d = Math.hypot(is[i] - at[i], is[i + 1] - at[i + 1], is[i + 2] - at[i + 2]); sum += d; n++; worst = Math.max(worst, d); }
    }
    expect(worst).toBeLessThanOrEqual(figures.worst + 1e-5);
    expect(sum / n).toBeGreaterThan(0.3 * figures.mean);
    expect(sum / n).toBeLessThan(3 * figures.mean);
    expect(figures.mean).toBeLessThan(0.01);
    expect(figures.p95).toBeGreaterThanOrEqual(figures.mean);
  });
  it('move in Babylon as in three', async () => {
    const { FreeCamera, NullEngine, Scene, ImportMeshAsync, Vector3 } = await import('@babylonjs/core'), { registerBuiltInLoaders } = await import('@babylonjs/loaders/dynamic');
    registerBuiltInLoaders();
    const engine = new NullEngine(), scene = new Scene(engine), bytes = withoutPictures(chains.file('lod0.glb'));
    scene.useRightHandedSystem = true;
    new FreeCamera('c', new Vector3(0, 0, 2), scene);
    const { meshes, animationGroups } = await ImportMeshAsync(`data:model/gltf-binary;base64,${Buffer.from(bytes).toString('base64')}`, scene, { pluginExtension: '.glb' }), mesh = meshes.find((m) => m.skeleton)!, g = await load(chains.file('lod0.glb'));
    for (const frame of [0, 4, 11]) {
      animationGroups[0].start(false);
      animationGroups[0].goToFrame(frame / 24 * 60);
      animationGroups[0].pause();
      scene.render();
      mesh.skeleton!.prepare(true);
      const places = mesh.getPositionData(true, true)!, world = mesh.computeWorldMatrix(true), is = verticesAt(g, frame / 24), v = new Vector3();
      let worst = 0;
      for (let i = 0; i < is.length; i += 3) { v.set(places[i], places[i + 1], places[i + 2]); const w = Vector3.TransformCoordinates(v, world); worst = Math.max(worst, Math.hypot(w.x - is[i], w.y - is[i + 1], w.z - is[i + 2])); }
      expect(worst).toBeLessThan(2e-4);
    }
    scene.dispose();
    engine.dispose();
  }, 60_000);
  it('packed are the same in three but for what the sheet says, and smaller', async () => {
    const packed = await handed(baked, { format: 'chains', joints: 40, levels: 2, packed: true }), said = Number(/by more than ([\d.]+) mm/.exec(packed.report.notes.join())![1]) / 1000;
    expect(said).toBeGreaterThan(0);
    expect(said).toBeLessThan(2e-4);
    await MeshoptDecoder.ready;
    for (const level of ['lod0.glb', 'lod1.glb']) {
      const bytes = packed.file(level), { numErrors } = await issuesOf(bytes), g = await new GLTFLoader().setMeshoptDecoder(MeshoptDecoder).parseAsync(withoutPictures(bytes), ''), plain = await load(chains.file(level));
      expect(numErrors).toBe(0);
      let worst = 0;
      for (const frame of [0, 3, 7.5, 12]) verticesAt(g, frame / 24).forEach((v, i) => { worst = Math.max(worst, Math.abs(v - verticesOf(plain, frame)[i])); });
      expect(worst).toBeGreaterThan(0);
      expect(worst).toBeLessThan(said);
      // pictures are packed already
      const numbers = (b: Buffer): number => b.length - pictureBytes(b);
      expect(numbers(bytes) / numbers(chains.file(level))).toBeLessThan(0.75);
    }
  });
  it('have no more joints than asked for, in files of no more than the receiver takes', async () => {
    const small = await handed(baked, { format: 'chains', joints: 30, levels: 1, receiver: { ...USUAL_RECEIVERS[0], jointLimit: 12 } }), glbs = [...small.files].filter(([n]) => n.endsWith('.glb'));
    expect(glbs.length).toBeGreaterThan(2);
    let joints = 0, triangles = 0;
    for (const [, bytes] of glbs) { const mesh = skinnedOf(await load(bytes)); expect(mesh.skeleton.bones.length).toBeLessThanOrEqual(12); joints += mesh.skeleton.bones.length; triangles += mesh.geometry.index!.count / 3; }
    expect(joints).toBeLessThanOrEqual(30);
    expect(triangles).toBe(Object.fromEntries(small.report.counts)['triangles, level 0']);
  });
  it('more joints come nearer', async () => {
    const errors: number[] = [];
    for (const joints of [8, 24, 80]) errors.push((await handed(baked, { format: 'chains', joints, levels: 1 })).report.reductions[0].figures.mean);
    expect(errors[1]).toBeLessThan(errors[0]);
    expect(errors[2]).toBeLessThan(errors[1]);
  });
  for (const receiver of USUAL_RECEIVERS.slice(3)) it(`are turned to the axes of one that takes glTF as it is: ${receiver.name}`, async () => {
    const raw: Receiver = { ...receiver, fps: null, turnGltf: true, jointLimit: 255 }, other = await handed(baked, { format: 'chains', joints: 40, levels: 1, receiver: raw }), g = await load([...other.files].find(([n]) => n.endsWith('.glb'))![1]), plain = await load(chains.file('lod0.glb')), axes = new Axes(raw), I = skinnedOf(g).geometry.index!, J = skinnedOf(plain).geometry.index!;
    for (const frame of [0, 6, 12]) {
      const a = verticesAt(plain, frame / 24), wanted = axes.places(a, new Float32Array(a.length)), is = verticesAt(g, frame / 24);
      for (let i = 0; i < is.length; i++) expect(Math.abs(is[i] - wanted[i])).toBeLessThan(3e-5 * axes.scale);
    }
    // left-handed: faces are wound the other way
    expect([I.getX(0), I.getX(1), I.getX(2)]).toEqual([J.getX(0), J.getX(2), J.getX(1)]);
  });
});

describe('vertex animation', () => {
  it('is an EXR that OpenEXR knows, and holds what moves the cards', async () => {
    const told = execFileSync('exrinfo', [save('a.exr', vat.file('offsets.exr'))]).toString(), layout = vat.report.layout as { width: number; rowsOfAFrame: number; frames: number };
    expect(told).toMatch(new RegExp(`${layout.width} x ${layout.rowsOfAFrame * layout.frames}`));
    expect(told).toMatch(/'R': float/);
    const read = exrOf(vat.file('offsets.exr'));
    const places: [number, number][] = [[3, 0], [7, read.height - 1], [1, read.height >> 1]];
    pixelsOf(path.join(dir, 'a.exr'), places).forEach((p, k) => p.forEach((v, c) => expect(v).toBeCloseTo(read.data[3 * (places[k][1] * read.width + places[k][0]) + c], 7)));
    expect((await issuesOf(vat.file('cards.glb'))).numErrors).toBe(0);
    // against the skinned cards, which are near
    const is = verticesAt(await load(chains.file('lod0.glb')), 0.5), { at } = fullCards(12);
    let sum = 0;
    for (let i = 0; i < is.length; i += 3) sum += Math.hypot(is[i] - at[i], is[i + 1] - at[i + 1], is[i + 2] - at[i + 2]) / (is.length / 3);
    expect(sum).toBeLessThan(0.01);
  });
  it('as a 16-bit PNG differs by what the sheet says', async () => {
    const png = await handed(baked, { format: 'vat', texture: 'png16' }), { low, high, width } = png.report.layout as { low: number[]; high: number[]; width: number }, file = save('a.png', png.file('offsets.png'));
    expect(execFileSync('oiiotool', ['--info', '-v', file]).toString()).toMatch(/3 channel, uint16 png/);
    const exact = exrOf(vat.file('offsets.exr')), { figures } = png.report.reductions.find((r) => /16 bits/.test(r.name))!;
    let worst = 0;
    const places: [number, number][] = [[0, 0], [5, 3], [width - 1, exact.height - 1], [width >> 1, exact.height >> 1]];
    pixelsOf(file, places).forEach((p, k) => { worst = Math.max(worst, Math.hypot(...p.map((v, c) => low[c] + (high[c] - low[c]) * v - exact.data[3 * (places[k][1] * width + places[k][0]) + c]))); });
    expect(worst).toBeLessThan(1.2 * figures.worst + 2e-7);
    expect(figures.worst).toBeLessThan(2e-5);
  });
  it('is cut into textures that the receiver takes, or says why not', async () => {
    const cut = await handed(baked, { format: 'vat', receiver: { ...USUAL_RECEIVERS[0], textureLimit: 256 } }), { files } = cut.report.layout as { files: { offsets: string; frames: number }[] };
    expect(files.reduce((n, f) => n + f.frames, 0)).toBe(13);
    for (const f of files) { const { width, height } = exrOf(cut.files.get(f.offsets)!); expect(Math.max(width, height)).toBeLessThanOrEqual(256); }
  });
});

describe('point caches', () => {
  it('MDD reads in three as the vertices of the full bake', async () => {
    const made = await handed(baked, { format: 'mdd' }), file = made.file('.mdd'), { morphTargets } = new MDDLoader().parse(file.buffer.slice(file.byteOffset, file.byteOffset + file.length) as ArrayBuffer) as unknown as { morphTargets: THREE.BufferAttribute[] };
    expect(morphTargets.length).toBe(13);
    for (const frame of [0, 7, 12]) { const { at } = fullCards(frame), is = morphTargets[frame].array; for (let i = 0; i < at.length; i++) expect(Math.abs(is[i] - at[i])).toBeLessThan(1e-6); }
  });
  it('PC2 is its layout to the byte', async () => {
    const { file } = await handed(baked, { format: 'pc2', from: 3, to: 5 }), bytes = file('.pc2'), { rest } = fullCards(0), n = rest.length / 3;
    expect(bytes.subarray(0, 12).toString('latin1')).toBe('POINTCACHE2\0');
    expect([bytes.readInt32LE(12), bytes.readInt32LE(16), bytes.readFloatLE(20), bytes.readFloatLE(24), bytes.readInt32LE(28), bytes.length]).toEqual([1, n, 3, 1, 3, 32 + 36 * n]);
    const { at } = fullCards(4);
    for (let i = 0; i < at.length; i++) expect(Math.abs(bytes.readFloatLE(32 + 12 * n + 4 * i) - at[i])).toBeLessThan(1e-6);
  });
  it('frames at another rate lie between those of the shot', async () => {
    const fast = await handed(baked, { format: 'mdd', receiver: { ...USUAL_RECEIVERS[0], fps: 48 } }), file = fast.file('.mdd');
    expect([file.readInt32BE(0), fast.report.frames.fps]).toEqual([25, 48]);
    const at = (k: number): number[] => Array.from({ length: 30 }, (_, i) => file.readFloatBE(8 + 4 * 25 + 12 * file.readInt32BE(4) * k + 4 * (i + 900)));
    at(10).forEach((v, i) => expect(Math.abs(v - fullCards(5).at[900 + i])).toBeLessThan(1e-6));
    at(11).forEach((v, i) => { const a = at(10)[i], b = at(12)[i]; expect(Math.abs(v - (a + b) / 2)).toBeLessThan(0.3 * Math.abs(b - a) + 2e-3); });
    expect(fast.report.notes.join(' ')).toMatch(/24 frames a second, the receiver at 48/);
  });
});

describe('springs', () => {
  it('load in a spring-bone runtime, hang still where the groom is at rest, and swing back', async () => {
    const made = await handed(baked, { format: 'springs', joints: 40, levels: 1 }), glb = made.file('lod0.glb'), issues = await issuesOf(glb);
    expect([issues.numErrors, issues.numWarnings]).toEqual([0, 0]);
    const { VRMSpringBoneLoaderPlugin } = await import('@pixiv/three-vrm-springbone'), loader = new GLTFLoader();
    loader.register((parser) => new VRMSpringBoneLoaderPlugin(parser) as never);
    const g = await loader.parseAsync(withoutPictures(glb), ''), manager = g.userData.vrmSpringBoneManager as { joints: Set<{ bone: THREE.Object3D; settings: { stiffness: number; dragForce: number; gravityPower: number } }>; colliders: unknown[]; setInitState: () => void; reset: () => void; update: (dt: number) => void };
    expect(manager.joints.size).toBe(Object.fromEntries(made.report.counts).joints);
    expect(manager.colliders.length).toBeGreaterThan(0);
    for (const j of manager.joints) { expect(j.settings.stiffness).toBeGreaterThan(0); expect(j.settings.dragForce).toBeGreaterThan(0); expect(j.settings.dragForce).toBeLessThan(1); expect(j.settings.gravityPower).toBe(0); }
    g.scene.updateMatrixWorld(true);
    manager.setInitState();
    const tip = (): THREE.Vector3 => [...manager.joints].at(-1)!.bone.getWorldDirection(new THREE.Vector3()), before = tip();
    for (let k = 0; k < 60; k++) manager.update(1 / 60);
    expect(tip().angleTo(before)).toBeLessThan(0.35);
    g.scene.position.x += 0.3;
    for (let k = 0; k < 240; k++) { g.scene.updateMatrixWorld(true); manager.update(1 / 60); }
    expect(Number.isFinite(tip().x)).toBe(true);
    expect(tip().angleTo(before)).toBeLessThan(0.35);
  });
});

describe('curves', () => {
  const close = (a: ArrayLike<number>, b: ArrayLike<number>, most: number): void => { expect(a.length).toBe(b.length); for (let i = 0; i < b.length; i++) expect(Math.abs(a[i] - b[i])).toBeLessThanOrEqual(most); };
  it('of guides are those of the bake in two readers, in the receiver’s axes', async () => {
    const made = await handed(baked, { format: 'usdc', receiver: USUAL_RECEIVERS[2] }), read = readUsd(save('a.usdc', made.file('.usdc'))), axes = new Axes(USUAL_RECEIVERS[2]);
    for (const reader of ['independent', 'direct'] as const) {
      const [name] = Object.keys(read[reader]).filter((p) => p.endsWith('.points')), { times, values } = read[reader][name].timeSamples!;
      expect(times).toEqual(Array.from({ length: 13 }, (_, k) => k));
      for (const f of [0, 7, 12]) { const p = await baked.sample(f); close(values[f], axes.places(p, new Float32Array(p.length)), 1e-6); }
    }
  });
  it('of filled strands have their widths, and no point below what collides', async () => {
    const made = await handed(baked, { format: 'usdc', what: 'filled', count: 60, velocities: false, rest: true }), read = readUsd(save('f.usdc', made.file('.usdc'))).direct, [name] = Object.keys(read).filter((p) => p.endsWith('.points')), prim = name.slice(0, -7), counts = read[`${prim}.curveVertexCounts`].default as number[], widths = read[`${prim}.widths`].default as number[];
    expect(counts.length).toBe(60);
    expect(widths[0]).toBeGreaterThan(widths[counts[0] - 1]);
    expect((read[`${prim}.primvars:rest`].default as number[]).length).toBe(3 * widths.length);
    expect((read[`${prim}.primvars:displayColor`].default as number[]).every((v) => v >= 0 && v <= 1)).toBe(true);
  });
  it('in a package are where a package wants them', async () => {
    const made = await handed(baked, { format: 'usdz', velocities: false }), bytes = made.file('.usdz'), file = save('a.usdz', bytes);
    expect(execFileSync('unzip', ['-tv', file]).toString()).toMatch(/No errors detected/);
    expect(execFileSync('unzip', ['-v', file]).toString()).toMatch(/Stored/);
    const at = bytes.indexOf('PXR-USDC');
    expect(at % 64).toBe(0);
    execFileSync('unzip', ['-q', '-o', file, '-d', dir]);
    const [name] = Object.keys(readUsd(path.join(dir, [...made.files.keys()][0].replace('.usdz', '.usdc'))).direct).filter((p) => p.endsWith('.points'));
    expect(name).toMatch(/^\/Groom\//);
  });
  it('with samples between frames, and every so many frames', async () => {
    const fine = await bakedTube({ guides: 8, end: 4, samples: 2 }), made = await handed(fine, { format: 'usda' }), read = readUsd(save('s.usda', made.file('.usda'))).independent, [name] = Object.keys(read).filter((p) => p.endsWith('.points'));
    expect(read[name].timeSamples!.times).toEqual([0, 0.5, 1, 1.5, 2, 2.5, 3, 3.5, 4, 4.5]);
    close(read[name].timeSamples!.values[3], await fine.sample(3), 1e-6);
    const few = readUsd(save('e.usda', (await handed(fine, { format: 'usda', every: 2, velocities: false })).file('.usda'))).independent[name].timeSamples!;
    expect(few.times).toEqual([0, 1, 2]);
    close(few.values[1], await fine.sample(4), 1e-6);
  });
  it('as OBJ polylines and glTF lines of one frame', async () => {
    const obj = new OBJLoader().parse((await handed(baked, { format: 'obj', from: 6 })).file('.obj').toString()), p = await baked.sample(6), lines = obj.children[0] as THREE.LineSegments, at = lines.geometry.getAttribute('position');
    expect(at.count).toBe(2 * 9 * 40);
    close([at.getX(0), at.getY(0), at.getZ(0), at.getX(1)], [p[0], p[1], p[2], p[3]], 1e-6);
    const glb = (await handed(baked, { format: 'lines', from: 6 })).file('.glb'), g = await load(glb);
    expect((await issuesOf(glb)).numErrors).toBe(0);
    let found: THREE.LineSegments | null = null;
    g.scene.traverse((o) => { if ((o as THREE.LineSegments).isLineSegments) found = o as THREE.LineSegments; });
    close(found!['geometry'].getAttribute('position').array.slice(0, 30), p.slice(0, 30), 1e-6);
  });
});
