import { mkdirSync, mkdtempSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { claimDataDirectory, databasePassword, readPlaces } from '../../cli/places';
import { limitsSchema, proofSchema, reportSchema } from '../../src/core/document/proof';
import { settingsOf } from '../../src/core/document/take';
import { DamagedBlobError, getBlob, hashOf, putBlob } from '../../src/server/db/blobs';
import { choicesFor, createProduction, getGroom, importCharacter, overview, saveGroom } from '../../src/server/db/records';
import { addTake, blobOfTake, changeTake, deleteTake, getTake, listTakes, setLimits, showLimits } from '../../src/server/db/takes';
import type { Db } from '../../src/server/db/connection';
import { testDatabase, tubeGroomIn } from '../helpers/database';
import { tubeGlb } from '../helpers/tube';

let db: Db, stop: () => Promise<void>;
beforeAll(async () => { ({ db, stop } = await testDatabase()); });
afterAll(() => stop());

const tubeGroom = (end?: number): ReturnType<typeof tubeGroomIn> => tubeGroomIn(db, end);
const pause = (ms: number): Promise<void> => new Promise((r) => { setTimeout(r, ms); });

describe('blobs', () => {
  it('come back as they went in, over several chunks, and are stored once', async () => {
    const bytes = Uint8Array.from({ length: 2.5 * 1048576 }, (_, i) => (i * 7 + (i >> 9)) & 255);
    const id = await putBlob(db, bytes);
    expect(id).toBe(hashOf(bytes));
    expect(await putBlob(db, bytes)).toBe(id);
    expect((await getBlob(db, id))!.equals(Buffer.from(bytes))).toBe(true);
    expect(await db('blob_chunks').where({ blob_id: id }).count({ n: '*' })).toEqual([{ n: 3 }]);
  });
  it('an empty blob is a blob, an unknown id is none', async () => {
    expect((await getBlob(db, await putBlob(db, new Uint8Array(0))))!.length).toBe(0);
    expect(await getBlob(db, 'f'.repeat(64))).toBeNull();
  });
  it('a damaged chunk is found and named', async () => {
    const id = await putBlob(db, Uint8Array.of(1, 2, 3, 4, 99));
    await db('chunks').where({ id }).update({ bytes: Buffer.from([1, 2, 3, 4, 98]) });
    await expect(getBlob(db, id)).rejects.toThrow(DamagedBlobError);
    await expect(getBlob(db, id)).rejects.toThrow(/chunk 0 does not match its checksum/);
  });
});

describe('grooms', () => {
  it('a save on an older version is refused and changes nothing', async () => {
    const { id, document } = await tubeGroom();
    const next = { ...document, hidden: ['tube'] };
    expect(await saveGroom(db, id, 1, next, 'Hide tube')).toBe(2);
    await expect(saveGroom(db, id, 1, document, 'late')).rejects.toMatchObject({ code: 'behind', status: 409 });
    expect((await getGroom(db, id)).document).toEqual(next);
    expect((await db('groom_versions').where({ groom_id: id }).orderBy('version')).map((r: { label: string }) => r.label)).toEqual(['New', 'Hide tube']);
  });
  it('of two saves at once one wins, the other is told', async () => {
    const { id, document } = await tubeGroom();
    const results = await Promise.allSettled([saveGroom(db, id, 1, document, 'a'), saveGroom(db, id, 1, document, 'b')]);
    expect(results.map((r) => r.status).sort()).toEqual(['fulfilled', 'rejected']);
  });
  it('a document whose buffers have not arrived is refused', async () => {
    const { id, document } = await tubeGroom();
    await expect(saveGroom(db, id, 1, { ...document, guides: { ...document.guides!, offsets: 'a'.repeat(64) } }, 'x')).rejects.toMatchObject({ code: 'bufferMissing' });
  });
  it('a file that cannot be used leaves nothing behind', async () => {
    const production = await createProduction(db, 'Bad'), tube = await tubeGlb(), tables = ['assets', 'blobs', 'chunks', 'blob_chunks', 'grooms', 'groom_versions'];
    const counts = (): Promise<unknown[]> => Promise.all(tables.map((t) => db(t).count({ n: '*' }))), before = await counts();
    const cut = Array.from({ length: 24 }, (_, k) => tube.slice(0, Math.floor((tube.length * k) / 24))), points = tube.slice();
    new DataView(points.buffer).setUint32(8, 0xffffff, true);
    for (const bytes of [new TextEncoder().encode('not a model'), points, ...cut])
      await expect(importCharacter(db, production, 'x', [{ name: 'x.glb', bytes }], null)).rejects.toMatchObject({ status: 422 });
    expect(await counts()).toEqual(before);
    expect((await overview(db)).productions.find((p) => p.name === 'Bad')!.assets).toEqual([]);
  });
  it('how a file was placed is remembered for the next of its source', async () => {
    const production = await createProduction(db, 'Placed'), choices = { placement: { scale: 0.01, up: '+z' as const, turn: 90, mirror: false }, joinClips: false, roles: { tube: 'prop' as const } };
    const { asset, character } = await importCharacter(db, production, 'Tube', [{ name: 'tube.glb', bytes: await tubeGlb() }], choices), row = (await db('assets').where({ id: asset.id }).first()) as { source: string };
    expect(character.meshes[0].role).toBe('prop');
    expect(await choicesFor(db, row.source)).toEqual(choices);
    expect(await choicesFor(db, 'gltf of nobody')).toBeNull();
  });
  it('a groom that cannot be read does not hide the others', async () => {
    const { id } = await tubeGroom(), bad = await tubeGroom();
    await db('groom_versions').where({ groom_id: bad.id }).update({ document: '{"format":99}' });
    const grooms = (await overview(db)).productions.flatMap((p) => p.assets.flatMap((a) => a.grooms));
    expect(grooms.find((g) => g.id === id)!.shot).toBe('bend');
    expect(grooms.find((g) => g.id === bad.id)!.shot).toBeNull();
    await expect(getGroom(db, bad.id)).rejects.toThrow();
    await db('groom_versions').where({ groom_id: bad.id }).delete();
    await db('grooms').where({ id: bad.id }).delete();
  });
  const proof = (end: number) => proofSchema.parse({ start: 0, end, fps: 24, report: reportSchema.parse({ guides: 1, cut: 0, beganInside: 0, beganDeepest: 0, pills: 0 }), frames: [] });
  const take = (end: number, more = {}) => ({ motionKey: 'b'.repeat(64), name: `take ${end}`, shotName: 'still', proof: proof(end), settings: null, frames: null, strip: null, bytes: 0, ...more });
  it('keeps takes, the newest first; the oldest go when there are too many, or too large, but not what is pinned', async () => {
    const { id } = await tubeGroom(), most = { bytes: 1000, takes: 8 };
    const first = await addTake(db, id, take(0), most);
    await changeTake(db, first.id, { pinned: true, name: 'the good one' });
    for (let k = 1; k < 12; k++) { await addTake(db, id, take(k, { bytes: 10 }), most); await pause(3); }
    let all = await listTakes(db, id);
    expect(all.map((t) => t.proof.end)).toEqual([11, 10, 9, 8, 7, 6, 5, 4, 0]);
    expect(all.at(-1)).toMatchObject({ name: 'the good one', pinned: true });
    // one that is larger than all there may be is kept, alone but for the pinned one
    await addTake(db, id, take(12, { bytes: 5000 }), most);
    all = await listTakes(db, id);
    expect(all.map((t) => t.proof.end)).toEqual([12, 0]);
    // one of another version does not hide the others
    await db('takes').where({ id: first.id }).update({ proof: '{"of":"another version"}' });
    expect((await listTakes(db, id)).map((t) => t.proof.end)).toEqual([12]);
  });
  it('keeps a take’s settings and frames, and lets its frames go with it, unless another has the same', async () => {
    const { id, document } = await tubeGroom(), settings = settingsOf(document), bytes = new Uint8Array(3 * 1048576).map((_, k) => (k < 4 ? 'FCF1'.charCodeAt(k) : (k * 7919 + (k >> 8)) % 251)), frames = await putBlob(db, bytes);
    const a = await addTake(db, id, take(1, { settings, frames, bytes: bytes.length })), b = await addTake(db, id, take(2, { frames }));
    expect((await getTake(db, a.id)).settings).toEqual(settings);
    expect(await getBlob(db, await blobOfTake(db, a.id, 'frames'))).toEqual(Buffer.from(bytes));
    await expect(blobOfTake(db, a.id, 'strip')).rejects.toThrow(/no pictures/);
    await deleteTake(db, a.id);
    expect(await getBlob(db, frames)).not.toBeNull();
    const chunks = async (): Promise<number> => Number((await db('chunks').count({ n: '*' }).first() as { n: number }).n), before = await chunks();
    await deleteTake(db, b.id);
    expect(await getBlob(db, frames)).toBeNull();
    expect(await chunks()).toBe(before - 3);
    await expect(addTake(db, id, take(3, { frames }))).rejects.toThrow(/have not arrived/);
    await expect(getTake(db, a.id)).rejects.toThrow(/does not exist/);
    // what a groom is made of is never let go by mistake
    await expect(addTake(db, id, take(4, { frames: document.guides!.offsets }))).rejects.toThrow(/not the frames/);
  });
  it('a show has limits of its own; those that are nonsense are refused', async () => {
    const production = await createProduction(db, 'Limits');
    expect(await showLimits(db, production)).toEqual({});
    expect(await setLimits(db, production, { depth: 0.002 })).toEqual({ depth: 0.002 });
    expect(limitsSchema.safeParse({ depth: -1 }).success).toBe(false);
    expect(limitsSchema.safeParse({ nothing: 1 }).success).toBe(false);
    await expect(showLimits(db, 'nowhere')).rejects.toThrow(/does not exist/);
  });
});

describe('places', () => {
  const base = mkdtempSync(path.join(tmpdir(), 'fine-comb-places-'));
  afterAll(() => { rmSync(base, { recursive: true, force: true }); });
  it('a foreign data directory is told, not touched', () => {
    const data = path.join(base, 'foreign');
    mkdirSync(data);
    writeFileSync(path.join(data, 'letters.txt'), 'dear');
    expect(() => claimDataDirectory(readPlaces({ FINE_COMB_DATA: data, XDG_CONFIG_HOME: base }))).toThrow(/was not made by Fine Comb/);
  });
  it('the password lies outside the data directory, readable by its owner only, and is missed when gone', () => {
    const places = readPlaces({ FINE_COMB_DATA: path.join(base, 'own'), XDG_CONFIG_HOME: path.join(base, 'config') });
    claimDataDirectory(places);
    const password = databasePassword(places, false);
    expect(databasePassword(places, true)).toBe(password);
    expect(places.secrets.startsWith(places.data)).toBe(false);
    expect(statSync(places.secrets).mode & 0o077).toBe(0);
    rmSync(places.secrets);
    expect(() => databasePassword(places, true)).toThrow(/that file is gone/);
  });
  it('a port that is no port is told, and threads that are none', () => {
    expect(() => readPlaces({ FINE_COMB_PORT: '80' })).toThrow(/FINE_COMB_PORT should be a port/);
    expect(() => readPlaces({ FINE_COMB_BAKE_THREADS: '0' })).toThrow(/FINE_COMB_BAKE_THREADS should be a number from 1 to 64/);
    expect(readPlaces({ FINE_COMB_BAKE_THREADS: '3' }).bakeThreads).toBe(3);
  });
});
