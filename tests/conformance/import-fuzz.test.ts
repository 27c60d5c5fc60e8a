/** 2,400 broken variants of good files: each is taken or refused in words, quickly, without an exception and without taking memory. */
import { Document, NodeIO } from '@gltf-transform/core';
import { ALL_EXTENSIONS, EXTMeshoptCompression, KHRDracoMeshCompression } from '@gltf-transform/extensions';
import { meshopt } from '@gltf-transform/functions';
import draco from 'draco3dgltf';
import { zipSync } from 'fflate';
import { MeshoptDecoder, MeshoptEncoder } from 'meshoptimizer';
import { expect, it } from 'vitest';
import { makeRandom } from '../../src/core/math/random';
import { packCharacter, unpackCharacter } from '../../src/formats/packed-character';
import { openCharacter } from '../../src/formats/open-character';
import { tubeGlb } from '../helpers/tube';

const VARIANTS = 2400;

async function originals(): Promise<{ name: string; bytes: Uint8Array }[]> {
  await Promise.all([MeshoptDecoder.ready, MeshoptEncoder.ready]);
  const io = new NodeIO().registerExtensions(ALL_EXTENSIONS).registerDependencies({ 'meshopt.decoder': MeshoptDecoder, 'meshopt.encoder': MeshoptEncoder, 'draco3d.encoder': await draco.createEncoderModule() });
  const tube = await tubeGlb(), packed: Document = await io.readBinary(tube);
  await packed.transform(meshopt({ encoder: MeshoptEncoder }));
  packed.createExtension(EXTMeshoptCompression).setRequired(true);
  const squeezed = await io.readBinary(tube);
  squeezed.createExtension(KHRDracoMeshCompression).setRequired(true);
  const { json, resources } = await io.writeJSON(await io.readBinary(tube), {}), bin = Object.values(resources)[0];
  json.buffers![0].uri = `data:application/octet-stream;base64,${Buffer.from(bin).toString('base64')}`;
  const gltf = new TextEncoder().encode(JSON.stringify(json)), obj = new TextEncoder().encode(['o a', ...Array.from({ length: 40 }, (_, i) => `v ${Math.sin(i)} ${Math.cos(i)} ${i / 40}`), ...Array.from({ length: 38 }, (_, i) => `f ${i + 1} ${i + 2} ${i + 3}`)].join('\n'));
  return [{ name: 'a.glb', bytes: tube }, { name: 'm.glb', bytes: await io.writeBinary(packed) }, { name: 'd.glb', bytes: await io.writeBinary(squeezed) }, { name: 'a.gltf', bytes: gltf }, { name: 'a.obj', bytes: obj }, { name: 'a.zip', bytes: zipSync({ 'a.gltf': gltf, 'notes.txt': obj }) }];
}

it(`${VARIANTS} broken files`, async () => {
  const files = await originals(), random = makeRandom(2024), pick = (n: number): number => Math.floor(random() * n);
  for (const f of files) expect((await openCharacter([f])).ok).toBe(true);
  const kinds = { taken: 0, refused: 0 }, before = process.memoryUsage().rss;
  let most = 0;
  for (let k = 0; k < VARIANTS; k++) {
    const file = files[k % files.length], way = pick(4), text = /gltf|obj/.test(file.name);
    let bytes = file.bytes.slice();
    if (way === 0) bytes = bytes.slice(0, pick(bytes.length));
    else if (way === 1) for (let h = 1 + pick(20); h > 0; h--) bytes[pick(bytes.length)] ^= 1 << pick(8);
    else if (way === 2) {
      // a huge or negative number where one stands in the text, or in a header
      const s = new TextDecoder('latin1').decode(bytes), numbers = [...s.matchAll(/(?<=[:[, ])\d+(?=[,\]} \n])/g)], hit = numbers[pick(numbers.length)], big = ['4294967295', '-1', '99999999999', '1e308', '268435456', '0'][pick(6)];
      if (hit && text) bytes = Uint8Array.from(Buffer.from(s.slice(0, hit.index) + big + s.slice(hit.index + hit[0].length), 'latin1'));
      else if (hit && hit.index + hit[0].length < bytes.length) for (let c = 0; c < hit[0].length; c++) bytes[hit.index + c] = 57;
      else new DataView(bytes.buffer).setUint32(4 * pick((bytes.length >> 2) - 1), 0xffffff00, true);
    } else { const from = pick(bytes.length), to = Math.min(bytes.length, from + 1 + pick(400)); bytes.set(bytes.slice(pick(bytes.length - (to - from)), bytes.length).subarray(0, to - from), from); }
    const r = await openCharacter([{ name: file.name, bytes }]);
    if (r.ok) {
      kinds.taken++;
      // what is taken can be used: every triangle inside, every number a number, and kept as it is
      for (const m of r.value.character.meshes) {
        expect(m.triangles.every((v) => v < m.positions.length / 3)).toBe(true);
        expect(m.positions.every(Number.isFinite) && m.weights.every(Number.isFinite)).toBe(true);
      }
      if (k % 20 === 0) expect(unpackCharacter(packCharacter(r.value.character)).ok).toBe(true);
    } else {
      kinds.refused++;
      expect(r.error.message.length).toBeGreaterThan(25);
    }
    most = Math.max(most, process.memoryUsage().rss - before);
  }
  expect(kinds.refused).toBeGreaterThan(VARIANTS / 4);
  expect(kinds.taken).toBeGreaterThan(VARIANTS / 20);
  expect(most).toBeLessThan(800 * 1048576);
}, 240_000);
