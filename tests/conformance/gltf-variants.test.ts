/** The same small character in the forms files come in; each is read as three.js skins it. */
import { Document, NodeIO } from '@gltf-transform/core';
import { ALL_EXTENSIONS, EXTMeshoptCompression, KHRMeshQuantization } from '@gltf-transform/extensions';
import { meshopt, quantize, unweld } from '@gltf-transform/functions';
import { MeshoptDecoder, MeshoptEncoder } from 'meshoptimizer';
import { beforeAll, describe, expect, it } from 'vitest';
import * as THREE from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { clipTime, poseCharacter, skinPositions } from '../../src/core/mesh/character';
import { readGlb } from '../../src/formats/gltf';
import { tubeGlb } from '../helpers/tube';

const io = new NodeIO().registerExtensions(ALL_EXTENSIONS);
beforeAll(async () => {
  await Promise.all([MeshoptDecoder.ready, MeshoptEncoder.ready]);
  io.registerDependencies({ 'meshopt.decoder': MeshoptDecoder, 'meshopt.encoder': MeshoptEncoder });
  Object.assign(globalThis, { self: globalThis });
});

/** Greatest distance between our skinned positions and three's, over three moments of the first clip. */
async function compare(bytes: Uint8Array): Promise<{ worst: number; vertices: number; warnings: string[] }> {
  const read = await readGlb(bytes);
  if (!read.ok) throw new Error(read.error.message);
  const character = read.value, loader = new GLTFLoader();
  loader.setMeshoptDecoder(MeshoptDecoder);
  const gltf = await loader.parseAsync(bytes.slice().buffer, '');
  const mixer = new THREE.AnimationMixer(gltf.scene);
  if (gltf.animations[0]) mixer.clipAction(gltf.animations[0]).play();
  let worst = 0, vertices = 0;
  for (const time of [0, 0.3, 0.8]) {
    mixer.setTime(time);
    gltf.scene.updateMatrixWorld(true);
    const clip = character.clips[0] ?? null, pose = poseCharacter(character, clip, clip ? clipTime(time * 24, 24, clip.duration, false) : 0);
    const theirs: number[] = [], ours: number[] = [];
    gltf.scene.traverse((o) => {
      const mesh = o as THREE.SkinnedMesh;
      if (!mesh.isMesh) return;
      mesh.skeleton?.update();
      const v = new THREE.Vector3(), P = mesh.geometry.getAttribute('position');
      for (let i = 0; i < P.count; i++) {
        if (mesh.isSkinnedMesh) mesh.getVertexPosition(i, v);
        else v.fromBufferAttribute(P, i);
        v.applyMatrix4(mesh.matrixWorld);
        theirs.push(v.x, v.y, v.z);
      }
    });
    for (const mesh of character.meshes) {
      const out = new Float64Array(mesh.positions.length);
      skinPositions(character, mesh, pose, out);
      ours.push(...out);
    }
    expect(ours.length).toBe(theirs.length);
    vertices = ours.length / 3;
    ours.forEach((x, i) => { worst = Math.max(worst, Math.abs(x - theirs[i])); });
  }
  return { worst, vertices, warnings: read.warnings };
}
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
  it('a character in centimetres is taken, and its size told', async () => {
    const bytes = await change((d) => {
      const scene = d.getRoot().listScenes()[0], parent = d.createNode('armature').setScale([100, 100, 100]);
      for (const child of scene.listChildren()) { scene.removeChild(child); parent.addChild(child); }
      scene.addChild(parent);
    });
    const r = await compare(bytes);
    expect(r.worst).toBeLessThan(1e-4);
    expect(r.warnings.join(' ')).toMatch(/is 60 m large.*centimetres/);
  });
  it('lines and points beside the triangles are left out and told', async () => {
    const read = await readGlb(await change((d) => {
      const mesh = d.getRoot().listMeshes()[0], lines = d.createPrimitive().setMode(1).setAttribute('POSITION', mesh.listPrimitives()[0].getAttribute('POSITION'));
      mesh.addPrimitive(lines);
    }));
    expect(read.ok && read.warnings.join(' ')).toMatch(/points and lines were left out/);
  });
});
