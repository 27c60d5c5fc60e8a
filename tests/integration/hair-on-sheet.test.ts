/** Hair that lies on a sheet, through the database: a bake of the hair, what it pressed by on the lines of a sheet, and the sheet baked with it. */
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { drawnDocument, withDrawing } from '../../src/core/chain/chain-groom';
import { bufferId, bytesOf, floatsOf, packPlanting } from '../../src/core/document/buffers';
import { openGroomFile, writeGroomFile } from '../../src/core/document/groom-file';
import { plantKey } from '../../src/core/document/proof';
import { buffersOf, newDocument, type GroomDocument } from '../../src/core/document/schema';
import { influencesOf } from '../../src/core/drawn/influences';
import { layLines } from '../../src/core/drawn/lay-lines';
import type { Character } from '../../src/core/mesh/character';
import { newSheet } from '../../src/core/sway/cloth';
import { physicalRod } from '../../src/core/sway/materials';
import { BakeRunner } from '../../src/server/bake-runner';
import { BakeReader, getBake, queueBake } from '../../src/server/db/bakes';
import { getBlob, putBlob } from '../../src/server/db/blobs';
import type { Db } from '../../src/server/db/connection';
import { createGroom, createProduction, getGroom, importCharacter, saveGroom } from '../../src/server/db/records';
import { hairBakesFor, takeLoad } from '../../src/server/hair-on-sheet';
import { openProject, projectEntries } from '../../src/server/project-file';
import { zipPieces } from '../../src/server/zip-stream';
import { testDatabase } from '../helpers/database';

const GUIDES = 8, POINTS = 12, LENGTH = 0.2, shot = { clip: '', start: 0, end: 9, fps: 24, cyclic: false };
let db: Db, stop: () => Promise<void>, assetId: string, laden: string, character: Character, runner: BakeRunner, loop: Promise<void>;

/** A little level scalp, and level cloth beyond it that is pinned along the scalp's side. */
function file(): { name: string; bytes: Uint8Array } {
  const lines = ['o scalp', 'v -0.05 1.001 -0.1', 'v -0.05 1.001 0.1', 'v 0 1.001 0.1', 'v 0 1.001 -0.1', 'f 1 2 3 4', 'o cape'], n = 12;
  for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) lines.push(`v ${(0.3 * i) / n} 1 ${0.3 * (j / n - 0.5)}`);
  for (let j = 0; j < n; j++) for (let i = 0; i < n; i++) { const a = 5 + j * (n + 1) + i; lines.push(`f ${a} ${a + n + 1} ${a + n + 2} ${a + 1}`); }
  return { name: 'cloth.obj', bytes: new TextEncoder().encode(lines.join('\n')) };
}
async function hair(change: (d: GroomDocument) => void = () => undefined): Promise<string> {
  const document = newDocument('scalp', shot), faces = new Uint32Array(GUIDES), weights = new Float32Array(2 * GUIDES), offsets = new Float32Array(3 * POINTS * GUIDES);
  for (let g = 0; g < GUIDES; g++) {
    // on the far side of the scalp, side by side
    weights.set([0.3 + (0.4 * g) / GUIDES, 0.68 - (0.4 * g) / GUIDES], 2 * g);
    for (let i = 0; i < POINTS; i++) offsets.set([(LENGTH * i) / (POINTS - 1), 0, 0], 3 * (g * POINTS + i));
  }
  document.guides = { count: GUIDES, pointCount: POINTS, planting: await putBlob(db, packPlanting({ faces, weights })), offsets: await putBlob(db, bytesOf(offsets)), plantKey: plantKey(document), combed: true };
  Object.assign(document.sway, { hold: 0, calmStart: false, damping: 8, airDrag: 0, meshRoles: { cape: 'garment' }, roles: { body: 'off', garment: 'shell', accessory: 'off', prop: 'off', carrier: 'off' } });
  change(document);
  return createGroom(db, assetId, 'fringe', document, 'New');
}
/** The cape as a sheet of lines from the scalp's side outwards. */
async function sheet(): Promise<{ id: string; document: GroomDocument }> {
  const store = new Map<string, Uint8Array>(), keep = (bytes: Uint8Array): string => { const id = bufferId(bytes); store.set(id, bytes); return id; }, empty = drawnDocument(newDocument('cape', shot), ['cape']);
  empty.drawn = { ...empty.drawn!, lines: layLines(character, ['cape'], [0, 1, -0.14, 0, 1, 0, 0, 1, 0.14], { lines: 6, joints: 6, around: false }), by: 'along' };
  const { document } = withDrawing(character, empty, influencesOf(character, empty.drawn, new Map()), keep);
  Object.assign(document.sway, { sheet: { ...newSheet('leather', false), gsm: 100, bend: 20000 }, hold: 0, damping: 8, airDrag: 0, calmStart: false });
  for (const bytes of store.values()) await putBlob(db, bytes);
  return { id: await createGroom(db, assetId, 'cape', document, 'New'), document };
}
const baked = async (groom: string, on: Db = db): Promise<string> => {
  const { id } = await queueBake(on, groom);
  for (const end = Date.now() + 90_000; (await getBake(on, id)).state !== 'done'; await new Promise((r) => setTimeout(r, 100))) { const { state, message } = await getBake(on, id); if (state === 'failed' || Date.now() > end) throw new Error(`${state}: ${message ?? ''}`); }
  return id;
};
/** All buffers of a document, by their ids. */
async function buffersFor(document: GroomDocument): Promise<(id: string) => Uint8Array | undefined> {
  const found = new Map<string, Uint8Array>();
  for (const id of buffersOf(document)) found.set(id, (await getBlob(db, id))!);
  return (id) => found.get(id);
}
/** Mean height of the lines' tips in the last frame, m. */
const height = async (bakeId: string, on: Db = db): Promise<number> => { const bake = await getBake(on, bakeId), points = await (await BakeReader.open(on, bake)).sample(shot.end), n = bake.pointCount; let sum = 0; for (let g = 0; g < bake.guideCount; g++) sum += points[3 * (g * n + n - 1) + 1]; return sum / bake.guideCount; };

beforeAll(async () => {
  ({ db, stop } = await testDatabase());
  const made = await importCharacter(db, await createProduction(db, 'Test'), 'Cloth', [file()], null);
  assetId = made.asset.id;
  character = made.character;
  runner = new BakeRunner(db, path.resolve('dist/bake-thread.mjs'), { info: () => undefined, error: () => undefined }, 1);
  loop = runner.loop();
});
afterAll(async () => { await runner.stop(); await loop; await stop(); });

describe('hair on a sheet', () => {
  it('weighs on it what it weighs, and draws it down', async () => {
    const fringe = await hair(), { id, document } = await sheet(), without = await height(await baked(id)), bakeId = await baked(fringe);
    expect(await hairBakesFor(db, id)).toMatchObject([{ bakeId, groomName: 'fringe', shotName: 'still', shells: 1 }]);
    // the sheet is no hair that could lie on anything
    expect((await hairBakesFor(db, fringe)).length).toBe(0);
    const { load, taken, elsewhere } = await takeLoad(db, id, bakeId);
    expect(load).toMatchObject({ from: 'fringe, still', first: 0, frames: 10, fps: 24, cyclic: false, lines: 6, points: document.guides!.pointCount, share: 1, on: true });
    expect(elsewhere).toBe(0);
    // half an edge at the root hangs on the scalp
    const { sway } = (await getGroom(db, fringe)).document, weight = sway.gravity * physicalRod(sway).lineDensity * LENGTH * GUIDES * (1 - 0.5 / (POINTS - 1));
    expect(Math.abs(taken / weight - 1)).toBeLessThan(0.1);
    const forces = floatsOf((await getBlob(db, load.forces))!), down = [0, 0, 0];
    for (let k = 0; k < forces.length; k++) down[k % 3] += forces[k] / load.frames;
    expect(Math.abs(-down[1] / taken - 1)).toBeLessThan(0.1);
    const g = await getGroom(db, id), next = structuredClone(g.document);
    next.sway.load = { ...load, share: 4 };
    await saveGroom(db, id, g.version, next, 'Hair on it');
    expect(await height(await baked(id))).toBeLessThan(without - 0.003);
    laden = id;
  }, 180_000);
  it('goes along with a production and with a groom file: the sheet hangs there as it did here', async () => {
    const { document, production } = await getGroom(db, laden), { forces } = document.sway.load!, text = writeGroomFile('cape', document, await buffersFor(document)), again = openGroomFile(JSON.parse(text), character);
    expect(again.document.sway.load).toEqual(document.sway.load);
    expect(again.buffers.get(forces)).toEqual(new Uint8Array((await getBlob(db, forces))!));
    const { db: other, stop: end } = await testDatabase(), pieces: Uint8Array[] = [];
    try {
      for await (const p of zipPieces((await projectEntries(db, production.id, null)).entries)) pieces.push(p);
      const zip = Buffer.concat(pieces), { grooms, notes } = await openProject(other, new Blob([zip]).stream());
      expect(notes).toEqual([]);
      const opened = (await Promise.all(grooms.map((id) => getGroom(other, id)))).find((x) => x.document.sway.load !== undefined)!;
      expect(opened.document.sway.load).toEqual(document.sway.load);
      expect(await getBlob(other, forces)).toEqual(await getBlob(db, forces));
      // computed there, of the guides that were carried along
      const runner2 = new BakeRunner(other, path.resolve('dist/bake-thread.mjs'), { info: () => undefined, error: () => undefined }, 1), loop2 = runner2.loop();
      try { expect(await height(await baked(opened.id, other), other)).toBeCloseTo(await height(await baked(laden)), 9); } finally { await runner2.stop(); await loop2; }
    } finally { await end(); }
  }, 180_000);
  it('is told in plain words where there is none: hair that lies elsewhere, meets nothing, is not baked; lines that are no sheet', async () => {
    const { id } = await sheet(), apart = await baked(await hair((d) => { d.sway.gravity = 0; d.sway.skinGapMm = 0; })), bare = await baked(await hair((d) => { d.sway.roles.garment = 'off'; })), fringe = await hair(), waiting = await queueBake(db, fringe);
    await db('bakes').where({ id: waiting.id }).update({ state: 'paused' });
    await expect(takeLoad(db, id, apart)).rejects.toMatchObject({ status: 409, code: 'nothingLies', message: expect.stringMatching(/it never touches cape near these lines/) as string });
    await expect(takeLoad(db, id, bare)).rejects.toMatchObject({ status: 409, code: 'noPresses', message: expect.stringMatching(/See that cape collides/) as string });
    await expect(takeLoad(db, id, waiting.id)).rejects.toMatchObject({ status: 409, code: 'notDone' });
    await expect(takeLoad(db, fringe, apart)).rejects.toMatchObject({ status: 422, code: 'noSheet' });
    await expect(takeLoad(db, id, 'nothing')).rejects.toMatchObject({ status: 404 });
  }, 180_000);
});
