/** The same small character in the forms files come in; each is read as three.js skins it. */
import { Document, NodeIO } from '@gltf-transform/core';
import { ALL_EXTENSIONS, EXTMeshoptCompression, KHRDracoMeshCompression, KHRMeshQuantization } from '@gltf-transform/extensions';
import { meshopt, quantize, unweld } from '@gltf-transform/functions';
import draco from 'draco3dgltf';
import { MeshoptDecoder, MeshoptEncoder } from 'meshoptimizer';
import { beforeAll, describe, expect, it } from 'vitest';
import { readGlb, readGltf } from '../../src/formats/gltf';
import { compareWithThree as compare } from '../helpers/three-compare';
import { tubeGlb } from '../helpers/tube';

const io = new NodeIO().registerExtensions(ALL_EXTENSIONS);
beforeAll(async () => {
  await Promise.all([MeshoptDecoder.ready, MeshoptEncoder.ready]);
  io.registerDependencies({ 'meshopt.decoder': MeshoptDecoder, 'meshopt.encoder': MeshoptEncoder, 'draco3d.decoder': await draco.createDecoderModule(), 'draco3d.encoder': await draco.createEncoderModule() });
});

const change = async (edit: (d: Document) => void | Promise<void>): Promise<Uint8Array> => {
  const document = await io.readBinary(await tubeGlb());
  await edit(document);
  return io.writeBinary(document);
};

describe('forms of a file', () => {
  it('plain', async () => {
    expect((await compare(await tubeGlb())).worst).toBeLessThan(1e-6);
  });
  it('without an index', async () => {
    const r = await compare(await change(async (d) => { await d.transform(unweld()); }));
    expect(r.worst).toBeLessThan(1e-6);
    expect(r.vertices).toBe(16 * 12 * 6);
  });
  it('quantised', async () => {
    const r = await compare(await change(async (d) => { await d.transform(quantize()); d.createExtension(KHRMeshQuantization).setRequired(true); }));
    expect(r.worst).toBeLessThan(1e-6);
  });
  it('compressed with meshopt', async () => {
    const r = await compare(await change(async (d) => { await d.transform(meshopt({ encoder: MeshoptEncoder })); d.createExtension(EXTMeshoptCompression).setRequired(true); }));
    expect(r.worst).toBeLessThan(1e-6);
  });
  it.each(['edgebreaker', 'sequential'] as const)('compressed with Draco, %s', async (method) => {
    const packed = await change((d) => { d.createExtension(KHRDracoMeshCompression).setRequired(true).setEncoderOptions({ method: KHRDracoMeshCompression.EncoderMethod[method === 'edgebreaker' ? 'EDGEBREAKER' : 'SEQUENTIAL'], quantizationBits: { POSITION: 14 } }); });
    // three.js is handed what the package's own reader unpacks, for Node
    const plain = await io.readBinary(packed);
    for (const e of plain.getRoot().listExtensionsUsed()) e.dispose();
    const r = await compare(await io.writeBinary(plain), await readGlb(packed));
    expect(r.worst).toBeLessThan(1e-6);
    // and is where it was before it was packed, but for the steps of a 2^14th of its size: vertices come in another order
    const [before, after] = await Promise.all([readGlb(await tubeGlb()), readGlb(packed)]);
    if (!before.ok || !after.ok) throw new Error('not read');
    const sorted = (P: Float32Array): number[][] => Array.from({ length: P.length / 3 }, (_, v) => [...P.subarray(3 * v, 3 * v + 3)]), theirs = sorted(before.value.meshes[0].positions), ours = sorted(after.value.meshes[0].positions), high = Math.max(...before.value.meshes[0].positions), low = Math.min(...before.value.meshes[0].positions);
    expect(ours.length).toBeGreaterThan(100);
    for (const p of ours) expect(Math.min(...theirs.map((q) => Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2])))).toBeLessThan((1.8 * (high - low)) / 2 ** 14);
    expect(after.value.meshes[0].triangles.length).toBe(before.value.meshes[0].triangles.length);
  });
  it('compressed with Draco and written wrongly: told what is wrong', async () => {
    const document = await io.readBinary(await tubeGlb());
    document.createExtension(KHRDracoMeshCompression).setRequired(true);
    const { json, resources } = await io.writeJSON(document, {}), bytes = Object.values(resources)[0];
    json.buffers![0].uri = `data:application/octet-stream;base64,${Buffer.from(bytes).toString('base64')}`;
    type Packed = { bufferView: number; attributes: Record<string, number> };
    const with_ = async (edit: (j: typeof json, packed: Packed) => void): Promise<string> => {
      const j = structuredClone(json);
      edit(j, j.meshes![0].primitives[0].extensions!.KHR_draco_mesh_compression as Packed);
      const r = await readGltf({ name: 'a.gltf', bytes: new TextEncoder().encode(JSON.stringify(j)) }, []);
      return r.ok ? 'taken' : r.error.message;
    };
    expect(await with_(() => {})).toBe('taken');
    expect(await with_((_, p) => { p.bufferView = 99; })).toMatch(/points to buffer view 99/);
    expect(await with_((_, p) => { p.attributes.POSITION = 77; })).toMatch(/no part 77/);
    expect(await with_((_, p) => { p.attributes.TEXCOORD_5 = 0; })).toMatch(/has TEXCOORD_5, which the mesh does not know/);
    expect(await with_((j) => { delete j.meshes![0].primitives[0].indices; })).toMatch(/no list of triangles/);
    expect(await with_((j, p) => { j.bufferViews![p.bufferView].byteLength = 40; })).toMatch(/could not be read.*Export it again/);
    // what only says it is compressed is not
    const plain = await io.readBinary(await tubeGlb()), text = await io.writeJSON(plain, {}), one = Object.values(text.resources)[0];
    text.json.buffers![0].uri = `data:application/octet-stream;base64,${Buffer.from(one).toString('base64')}`;
    text.json.extensionsUsed = ['KHR_draco_mesh_compression'];
    expect((await readGltf({ name: 'a.gltf', bytes: new TextEncoder().encode(JSON.stringify(text.json)) }, [])).ok).toBe(true);
  });
  it('joints under a scaled, turned and moved parent', async () => {
    const r = await compare(await change((d) => {
      const scene = d.getRoot().listScenes()[0], parent = d.createNode('armature').setScale([2, 2, 2]).setRotation([0, Math.SQRT1_2, 0, Math.SQRT1_2]).setTranslation([1, -2, 0.5]);
      for (const child of scene.listChildren()) { scene.removeChild(child); parent.addChild(child); }
      scene.addChild(parent);
    }));
    expect(r.worst).toBeLessThan(2e-6);
  });
  it('two meshes on one skeleton, and a rigid one on a joint', async () => {
    const r = await compare(await change((d) => {
      const root = d.getRoot(), skinned = root.listNodes().find((n) => n.getMesh())!, mesh = skinned.getMesh()!;
      root.listScenes()[0].addChild(d.createNode('second').setMesh(mesh).setSkin(skinned.getSkin()));
      const plain = d.createPrimitive().setAttribute('POSITION', mesh.listPrimitives()[0].getAttribute('POSITION')).setIndices(mesh.listPrimitives()[0].getIndices());
      root.listNodes().find((n) => n.getName() === 'high')!.addChild(d.createNode('ring').setMesh(d.createMesh('ring').addPrimitive(plain)));
    }));
    expect(r.worst).toBeLessThan(1e-6);
    expect(r.vertices).toBe(3 * 16 * 13);
  });
  it('keys as cubic splines, in steps, and for several paths', async () => {
    for (const interpolation of ['CUBICSPLINE', 'STEP'] as const) {
      const r = await compare(await change((d) => {
        const accessor = (values: number[], type: 'VEC3' | 'SCALAR') => d.createAccessor().setArray(Float32Array.from(values)).setType(type).setBuffer(d.getRoot().listBuffers()[0]);
        const keys = [[0, 0.3, 0], [0.1, 0.4, 0], [0, 0.35, 0.1]], tangent = [0.02, -0.1, 0.05];
        const values = interpolation === 'CUBICSPLINE' ? keys.flatMap((k) => [...tangent, ...k, ...tangent]) : keys.flat();
        const sampler = d.createAnimationSampler().setInput(accessor([0, 0.4, 1], 'SCALAR')).setOutput(accessor(values, 'VEC3')).setInterpolation(interpolation);
        const high = d.getRoot().listNodes().find((n) => n.getName() === 'high')!;
        d.getRoot().listAnimations()[0].addSampler(sampler).addChannel(d.createAnimationChannel().setTargetNode(high).setTargetPath('translation').setSampler(sampler));
      }));
      expect(r.worst).toBeLessThan(1e-6);
    }
  });
  it('a character in centimetres is taken as it is', async () => {
    const bytes = await change((d) => {
      const scene = d.getRoot().listScenes()[0], parent = d.createNode('armature').setScale([100, 100, 100]);
      for (const child of scene.listChildren()) { scene.removeChild(child); parent.addChild(child); }
      scene.addChild(parent);
    });
    const r = await compare(bytes);
    expect(r.worst).toBeLessThan(1e-4);
  });
  it('shapes, at rest and moved by a clip', async () => {
    const r = await compare(await change((d) => {
      const root = d.getRoot(), buffer = root.listBuffers()[0], p = root.listMeshes()[0].listPrimitives()[0], n = p.getAttribute('POSITION')!.getCount(), node = root.listNodes().find((x) => x.getMesh())!;
      const target = (k: number) => d.createPrimitiveTarget(`s${k}`).setAttribute('POSITION', d.createAccessor().setType('VEC3').setBuffer(buffer).setArray(Float32Array.from({ length: 3 * n }, (_, i) => 0.03 * Math.sin(i * (k + 1)))));
      p.addTarget(target(0)).addTarget(target(1));
      root.listMeshes()[0].setWeights([0.25, 0]);
      const s = d.createAnimationSampler().setInput(d.createAccessor().setType('SCALAR').setBuffer(buffer).setArray(Float32Array.of(0, 0.5, 1))).setOutput(d.createAccessor().setType('SCALAR').setBuffer(buffer).setArray(Float32Array.of(0.25, 0, 1, 0.5, 0, 1)));
      root.listAnimations()[0].addSampler(s).addChannel(d.createAnimationChannel().setTargetNode(node).setTargetPath('weights').setSampler(s));
    }));
    expect(r.worst).toBeLessThan(1e-6);
  });
  it('lines and points beside the triangles are left out and told', async () => {
    const read = await readGlb(await change((d) => {
      const mesh = d.getRoot().listMeshes()[0], lines = d.createPrimitive().setMode(1).setAttribute('POSITION', mesh.listPrimitives()[0].getAttribute('POSITION'));
      mesh.addPrimitive(lines);
    }));
    expect(read.ok && read.warnings.join(' ')).toMatch(/points and lines were left out/);
  });
});
