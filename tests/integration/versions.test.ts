/** Versions of a character in the database: who goes along, what stays, what is refused. */
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { chainDocument } from '../../src/core/chain/chain-groom';
import { findChains, withChainRoots } from '../../src/core/chain/chains';
import { bufferId, bytesOf, packPlanting } from '../../src/core/document/buffers';
import { plantKey } from '../../src/core/document/proof';
import { newDocument } from '../../src/core/document/schema';
import { scatterEvenly } from '../../src/core/groom/planting';
import { Surface } from '../../src/core/mesh/surface';
import type { Db } from '../../src/server/db/connection';
import { putBlob } from '../../src/server/db/blobs';
import { BakeRunner } from '../../src/server/bake-runner';
import { assetOfBake, getBake, queueBake } from '../../src/server/db/bakes';
import { createGroom, createProduction, getAsset, getGroom, importCharacter, loadCharacter, overview, saveGroom } from '../../src/server/db/records';
import { putOnVersion, sourceOf, versionsOf, wearGarment, type WearOrder } from '../../src/server/db/versions';
import { keepAsClip } from '../../src/server/keep-clip';
import { testDatabase } from '../helpers/database';
import { tubeGlb } from '../helpers/tube';

let db: Db, stop: () => Promise<void>, production: string;
beforeAll(async () => { ({ db, stop } = await testDatabase()); production = await createProduction(db, 'Test'); });
afterAll(() => stop());

/** A square of cloth beside the tube, as a file. */
const cloth = (name: string, size = 0.1): { name: string; bytes: Uint8Array } => ({ name: 'cloth.obj', bytes: new TextEncoder().encode([`o ${name}`, `v 0.06 0 0`, `v 0.06 ${size} 0`, `v 0.06 ${size} ${size}`, `v 0.06 0 ${size}`, 'f 1 2 3 4'].join('\n')) });

async function tube(): Promise<{ assetId: string; groom: (name: string) => Promise<string> }> {
  const { asset, character } = await importCharacter(db, production, 'Tube', [{ name: 'tube.glb', bytes: await tubeGlb() }], null), mesh = character.meshes[0];
  const planting = scatterEvenly(new Surface(mesh.positions, mesh.triangles), Uint32Array.from({ length: 80 }, (_, i) => 250 + i), 4, 1), document = newDocument('tube', { clip: 'bend', start: 0, end: 3, fps: 24, cyclic: false });
  document.guides = { count: 4, pointCount: 4, planting: await putBlob(db, packPlanting(planting)), offsets: await putBlob(db, bytesOf(Float32Array.from({ length: 48 }, (_, k) => (k % 12 === 0 ? 0 : 0.01 * k)))), plantKey: plantKey(document), combed: false };
  return { assetId: asset.id, groom: (name) => createGroom(db, asset.id, name, document, 'New') };
}
const order = (groomId: string, base: number, change: Partial<WearOrder> = {}): WearOrder => ({ files: [cloth('cape')], fileName: 'cloth.obj', groomId, base, replace: null, role: 'garment', clip: 'bend', fps: 24, placement: { scale: 1, up: '+y' }, ...change });
const count = async (table: string): Promise<number> => Number(((await db(table).count({ n: '*' })) as { n: number }[])[0].n);

describe('versions of a character', () => {
  it('a garment makes one: all grooms on the same mesh go along, what they say stays, and the version before is as it was', async () => {
    const { assetId, groom } = await tube(), [a, b] = [await groom('a'), await groom('b')], before = await getGroom(db, a), packed = (await getAsset(db, assetId)).packed;
    const worn = await wearGarment(db, assetId, order(a, 1));
    expect(worn).toMatchObject({ moved: 2, stayed: 0 });
    for (const id of [a, b]) expect(await getGroom(db, id)).toMatchObject({ version: 2, character: { id: worn.assetId }, document: before.document });
    expect((await loadCharacter(db, (await getAsset(db, worn.assetId)).packed)).meshes.map((m) => [m.name, m.role])).toEqual([['tube', 'body'], ['cape', 'garment']]);
    expect((await getAsset(db, assetId)).packed).toBe(packed);
    expect((await versionsOf(db, worn.assetId)).map((v) => [v.note, v.grooms])).toEqual([['', 0], ['cape added from cloth.obj', 2]]);
    // the one nothing grows on any more is not listed
    expect((await overview(db)).productions[0].assets.filter((x) => [assetId, worn.assetId].includes(x.id)).map((x) => x.version)).toEqual([2]);
    // and one groom goes back
    await putOnVersion(db, a, 2, assetId);
    expect(await getGroom(db, a)).toMatchObject({ version: 3, character: { id: assetId }, document: before.document });
    expect(await getGroom(db, b)).toMatchObject({ version: 2, character: { id: worn.assetId } });
  });
  it('a groom of chains goes along where its joints are what they were, and back, and its keys are put into the file that came first', async () => {
    const { assetId } = await tube(), character = await loadCharacter(db, (await getAsset(db, assetId)).packed), [found] = findChains(character), chains = [{ id: 'a', name: 'a', joints: found.joints.slice(-1), kept: 0, bendDeg: null }], made: Uint8Array[] = [];
    const document = chainDocument(withChainRoots(character), newDocument('tube', { clip: 'bend', start: 0, end: 3, fps: 24, cyclic: false }), chains, (bytes) => { made.push(bytes); return bufferId(bytes); });
    for (const bytes of made) await putBlob(db, bytes);
    const id = await createGroom(db, assetId, 'chain', document, 'New'), worn = await wearGarment(db, assetId, order(id, 1));
    expect(worn).toMatchObject({ moved: 1, stayed: 0 });
    expect((await getGroom(db, id)).document.chains).toEqual(chains);
    const { files, placement } = await sourceOf(db, worn.assetId);
    expect([files.map((f) => f.name), placement, Buffer.from(files[0].bytes).equals(Buffer.from(await tubeGlb()))]).toEqual([['tube.glb'], null, true]);
    await putOnVersion(db, id, 2, assetId);
    expect((await getGroom(db, id)).character.id).toBe(assetId);
  });
  it('a bake of chains becomes one more clip of a version that nobody is moved to; what is no such bake does not', async () => {
    const { assetId, groom } = await tube(), hair = await groom('hair'), character = await loadCharacter(db, (await getAsset(db, assetId)).packed), [found] = findChains(character), chains = [{ id: 'a', name: 'a', joints: found.joints.slice(-1), kept: 0, bendDeg: null }], made: Uint8Array[] = [];
    const document = chainDocument(withChainRoots(character), newDocument('tube', { clip: 'bend', start: 1, end: 3, fps: 24, cyclic: false }), chains, (bytes) => { made.push(bytes); return bufferId(bytes); });
    for (const bytes of made) await putBlob(db, bytes);
    const chain = await createGroom(db, assetId, 'rope', document, 'New'), before = await count('assets'), { id } = await queueBake(db, chain), notYet = await queueBake(db, hair), runner = new BakeRunner(db, path.resolve('dist/bake-thread.mjs'), { info: () => undefined, error: () => undefined }, 1);
    await expect(keepAsClip(db, id)).rejects.toMatchObject({ status: 409, code: 'notDone' });
    const loop = runner.loop();
    for (const end = Date.now() + 60_000; Date.now() < end && [(await getBake(db, id)).state, (await getBake(db, notYet.id)).state].some((s) => s !== 'done');) await new Promise((r) => setTimeout(r, 200));
    await runner.stop();
    await loop;
    await expect(keepAsClip(db, notYet.id)).rejects.toMatchObject({ status: 422, code: 'notChains' });
    expect(await count('assets')).toBe(before);
    const one = await keepAsClip(db, id), two = await keepAsClip(db, id), now = await loadCharacter(db, (await getAsset(db, one.assetId)).packed), own = now.clips.find((c) => c.name === one.clip)!, bend = now.clips.find((c) => c.name === 'bend')!;
    expect([one.clip, two.clip]).toEqual(['bend with rope', 'bend with rope']);
    expect(now.clips.length).toBe(character.clips.length + 1);
    // its keys lie where those frames are in the clip, beside all that the clip moves otherwise
    const node = now.nodes.findIndex((x) => found.joints.at(-1)!.endsWith(x.name)), keys = own.channels.filter((c) => c.node === node && c.path === 'rotation');
    expect(keys.map((c) => [...c.times].map((t) => Math.round(24 * t)))).toEqual([[1, 2, 3]]);
    expect(own.channels.filter((c) => c !== keys[0])).toEqual(bend.channels.filter((c) => !(c.node === node && c.path === 'rotation')));
    for (const g of [hair, chain]) expect((await getGroom(db, g)).character.id).toBe(assetId);
    expect((await overview(db)).productions[0].assets.filter((x) => [assetId, one.assetId, two.assetId].includes(x.id)).map((x) => x.id)).toEqual([assetId]);
    await putOnVersion(db, hair, 1, one.assetId);
    expect((await getGroom(db, hair)).character.id).toBe(one.assetId);
  }, 120_000);
  it('a bake keeps the version it was made on', async () => {
    const { assetId, groom } = await tube(), id = await groom('a'), bake = await queueBake(db, id), worn = await wearGarment(db, assetId, order(id, 1));
    expect((await assetOfBake(db, bake)).id).toBe(assetId);
    expect((await assetOfBake(db, await queueBake(db, id))).id).toBe(worn.assetId);
    expect((await queueBake(db, id)).motionKey).not.toBe(bake.motionKey);
  });
  it('from a window that is behind, from another character’s list, or where the hair’s own mesh would change, nothing is done', async () => {
    const { assetId, groom } = await tube(), id = await groom('a'), other = await tube(), assets = await count('assets');
    await saveGroom(db, id, 1, (await getGroom(db, id)).document, 'another window');
    await expect(wearGarment(db, assetId, order(id, 1))).rejects.toMatchObject({ code: 'behind' });
    await expect(putOnVersion(db, id, 1, assetId)).rejects.toMatchObject({ code: 'behind' });
    await expect(putOnVersion(db, id, 2, other.assetId)).rejects.toMatchObject({ code: 'otherCharacter' });
    await expect(wearGarment(db, assetId, order(id, 2, { files: [cloth('tube')], replace: 'tube' }))).rejects.toMatchObject({ code: 'otherMesh' });
    await expect(wearGarment(db, assetId, order(id, 2, { files: [{ name: 'x.obj', bytes: new Uint8Array(40) }] }))).rejects.toMatchObject({ status: 422 });
    await expect(wearGarment(db, assetId, order(id, 2, { replace: 'cape' }))).rejects.toThrow('There is no mesh “cape”');
    expect(await count('assets')).toBe(assets);
    expect(await getGroom(db, id)).toMatchObject({ version: 2, character: { id: assetId } });
  });
});
