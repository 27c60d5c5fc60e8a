/** A .gltf and its files as one binary file: what is read from it is what was read from them, whatever it is compressed with. */
import { Document, NodeIO, PropertyType } from '@gltf-transform/core';
import { ALL_EXTENSIONS, EXTMeshoptCompression, KHRDracoMeshCompression } from '@gltf-transform/extensions';
import { meshopt, partition } from '@gltf-transform/functions';
import draco from 'draco3dgltf';
import { MeshoptDecoder, MeshoptEncoder } from 'meshoptimizer';
import { beforeAll, describe, expect, it } from 'vitest';
import { tubeGlb } from '../../tests/helpers/tube';
import { glbOf, partsOf, withClip } from './clip-glb';
import type { NamedFile } from './file-set';
import { openCharacter } from './open-character';

const io = new NodeIO().registerExtensions(ALL_EXTENSIONS), text = (s: unknown): Uint8Array => new TextEncoder().encode(JSON.stringify(s));
beforeAll(async () => {
  await Promise.all([MeshoptDecoder.ready, MeshoptEncoder.ready]);
  io.registerDependencies({ 'meshopt.decoder': MeshoptDecoder, 'meshopt.encoder': MeshoptEncoder, 'draco3d.encoder': await draco.createEncoderModule() });
});
/** The tube as a .gltf with all its files. */
async function filesOf(edit: (d: Document) => void | Promise<void>): Promise<NamedFile[]> {
  const document = await io.readBinary(await tubeGlb({ capped: true }));
  await edit(document);
  const { json, resources } = await io.writeJSON(document, {});
  return [{ name: 'tube.gltf', bytes: text(json) }, ...Object.entries(resources).map(([name, bytes]) => ({ name, bytes }))];
}
const opened = async (files: NamedFile[]): Promise<{ numbers: number[]; clips: string[] }> => {
  const r = await openCharacter(files);
  if (!r.ok) throw new Error(r.error.message);
  const { meshes, clips, skins } = r.value.character;
  return { numbers: [...meshes.flatMap((m) => [...m.positions, ...m.triangles, ...m.weights, ...m.joints]), ...skins.flatMap((s) => [...s.inverseBind]), ...clips.flatMap((c) => c.channels.flatMap((k) => [...k.times, ...k.values]))], clips: clips.map((c) => c.name) };
};

describe('one file of several', () => {
  it.each([
    ['in one buffer', (): void => undefined],
    ['in a buffer a mesh and a clip', async (d: Document): Promise<void> => { await d.transform(partition({ meshes: true, animations: true })); }],
    ['compressed with meshopt', async (d: Document): Promise<void> => { await d.transform(meshopt({ encoder: MeshoptEncoder })); d.createExtension(EXTMeshoptCompression).setRequired(true); }],
    ['compressed with Draco', (d: Document): void => { d.createExtension(KHRDracoMeshCompression).setRequired(true); }],
  ])('%s', async (_what, edit) => {
    const files = await filesOf(edit), before = await opened(files), glb = glbOf(files);
    expect(before.numbers.length).toBeGreaterThan(1000);
    expect(await opened([{ name: 'one.glb', bytes: glb }])).toEqual(before);
    // and a clip can be put to it
    const node = partsOf(glb).json.nodes!.findIndex((n) => n.name === 'high'), more = withClip(glb, { name: 'turn', times: Float32Array.of(0, 1), turns: [{ node, values: Float32Array.of(0, 0, 0, 1, 0, 1, 0, 0) }], with: null });
    expect((await opened([{ name: 'more.glb', bytes: more.bytes }])).clips).toEqual([...before.clips, 'turn']);
  });
  it('with a picture beside it and numbers within it', async () => {
    const png = Uint8Array.from([0x89, 0x50, 0x4e, 0x47, 1, 2, 3]), files = await filesOf((d) => { const material = d.getRoot().listMaterials()[0] ?? d.createMaterial('m'); material.setBaseColorTexture(d.createTexture('t').setImage(png).setMimeType('image/png').setURI('colour map.png')); for (const p of d.getRoot().listMeshes()[0].listPrimitives()) p.setMaterial(material); }), json = JSON.parse(new TextDecoder().decode(files[0].bytes)) as { buffers: { uri: string }[]; images: { uri: string }[] }, buffer = files.find((f) => f.name === json.buffers[0].uri)!, before = await opened(files);
    json.buffers[0].uri = `data:application/octet-stream;base64,${Buffer.from(buffer.bytes).toString('base64')}`;
    const within = [{ name: 'tube.gltf', bytes: text(json) }, ...files.filter((f) => f !== files[0] && f !== buffer)], glb = glbOf(within), kept = (await io.readBinary(glb)).getRoot();
    expect((await opened([{ name: 'one.glb', bytes: glb }])).numbers).toEqual(before.numbers);
    expect(kept.listTextures().map((t) => [t.getMimeType(), ...t.getImage()!])).toEqual([['image/png', ...png]]);
    expect(kept.listMaterials().some((m) => m.getBaseColorTexture()?.propertyType === PropertyType.TEXTURE)).toBe(true);
    // what is missing is told by its name
    expect(() => glbOf([files[0], ...files.slice(1).filter((f) => f !== buffer)])).toThrow(/“.*\.bin”, which the character’s file names, is not at hand/);
  });
});
