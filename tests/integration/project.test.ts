/** A production as one zip, out and in again; broken ones by part. Read by unzip, which is not ours. */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { unzipSync, zipSync, strToU8 } from 'fflate';
import { proofSchema, reportSchema } from '../../src/core/document/proof';
import { settingsOf } from '../../src/core/document/take';
import { BakeRunner } from '../../src/server/bake-runner';
import { bakeChunks, BakeReader, damageOf, getBake, listBakes, queueBake } from '../../src/server/db/bakes';
import { hashOf } from '../../src/server/db/blobs';
import type { Db } from '../../src/server/db/connection';
import { getGroom, groomSteps, loadCharacter, overview, saveGroom } from '../../src/server/db/records';
import { addTake, listTakes, setLimits, showLimits } from '../../src/server/db/takes';
import { openProject, projectEntries } from '../../src/server/project-file';
import { streamOf, zipPieces } from '../../src/server/zip-stream';
import { testDatabase, tubeGroomIn } from '../helpers/database';

let db: Db, stop: () => Promise<void>, other: Db, stopOther: () => Promise<void>, bytes: Uint8Array, groomId: string, productionId: string;
const dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-zip-'));
const zipOf = async (from: Db, production: string, groom: string | null): Promise<Uint8Array> => { const all: Uint8Array[] = []; for await (const p of zipPieces((await projectEntries(from, production, groom)).entries)) all.push(p); return Buffer.concat(all); };
const open = (into: Db, zip: Uint8Array) => openProject(into, streamOf((async function* pieces() { for (let at = 0; at < zip.length; at += 50_000) yield zip.subarray(at, at + 50_000); })()));
beforeAll(async () => {
  ({ db, stop } = await testDatabase());
  ({ db: other, stop: stopOther } = await testDatabase());
  const made = await tubeGroomIn(db, 8), bake = await queueBake(db, made.id);
  groomId = made.id;
  const runner = new BakeRunner(db, path.resolve('dist/bake-thread.mjs'), { info: () => undefined, error: (t) => { throw new Error(t); } }, 1), loop = runner.loop();
  while ((await getBake(db, bake.id)).state !== 'done') await new Promise((r) => { setTimeout(r, 50); });
  await runner.stop();
  await loop;
  await saveGroom(db, groomId, 1, { ...made.document, sway: { ...made.document.sway, hold: 0.31 } }, 'Hold');
  ({ production: { id: productionId } } = await getGroom(db, groomId));
  await addTake(db, groomId, { motionKey: 'b'.repeat(64), name: 'the good one', shotName: 'bend', proof: proofSchema.parse({ start: 0, end: 1, fps: 24, report: reportSchema.parse({ guides: 1, cut: 0, beganInside: 0, beganDeepest: 0, pills: 0 }), frames: [] }), settings: settingsOf(made.document), frames: null, strip: null, bytes: 0 });
  await setLimits(db, productionId, { depth: 0.002 });
  bytes = await zipOf(db, productionId, null);
}, 120_000);
afterAll(async () => { await stop(); await stopOther(); rmSync(dir, { recursive: true, force: true }); });

describe('a production as one file', () => {
  it('is a zip whose files are named by their checksums', () => {
    const file = path.join(dir, 'a.zip');
    writeFileSync(file, bytes);
    expect(execFileSync('unzip', ['-t', file]).toString()).toMatch(/No errors detected/);
    execFileSync('unzip', ['-q', file, '-d', dir]);
    const names = Object.keys(unzipSync(bytes)).filter((n) => n.startsWith('blobs/'));
    expect(names.length).toBeGreaterThan(5);
    for (const n of names) expect(hashOf(readFileSync(path.join(dir, n)))).toBe(n.slice(6));
  });
  it('comes in on another installation without loss, and beside itself under another name', async () => {
    const { grooms: [id], name, notes } = await open(other, bytes), was = await getGroom(db, groomId), is = await getGroom(other, id);
    expect([name, notes]).toEqual(['Test', []]);
    expect(is).toMatchObject({ name: was.name, version: was.version, document: was.document, character: { name: was.character.name, packed: was.character.packed } });
    expect((await groomSteps(other, id, 9)).map((s) => [s.version, s.label, s.document])).toEqual((await groomSteps(db, groomId, 9)).map((s) => [s.version, s.label, s.document]));
    expect((await loadCharacter(other, is.character.packed)).meshes[0].name).toBe('tube');
    expect(await showLimits(other, is.production.id)).toEqual({ depth: 0.002 });
    expect((await listTakes(other, id)).map((t) => [t.name, t.settings])).toEqual((await listTakes(db, groomId)).map((t) => [t.name, t.settings]));
    const [bake] = await listBakes(other, id), [before] = await listBakes(db, groomId), there = await getBake(other, bake.id);
    expect((await bakeChunks(other, bake.id)).map((c) => c.blob)).toEqual((await bakeChunks(db, before.id)).map((c) => c.blob));
    expect(await damageOf(other, there)).toEqual([]);
    expect((await (await BakeReader.open(other, there)).sample(8)).length).toBe(288);
    expect((await open(other, bytes)).name).toBe('Test 2');
    const again = await zipOf(other, is.production.id, id);
    expect(Object.keys(unzipSync(again)).sort()).toEqual(Object.keys(unzipSync(bytes)).sort());
  });
  it('one groom comes with its character alone', async () => {
    const zip = unzipSync(await zipOf(db, productionId, groomId)), project = JSON.parse(new TextDecoder().decode(zip['project.json'])) as { grooms: unknown[]; assets: unknown[] };
    expect([project.grooms.length, project.assets.length]).toEqual([1, 1]);
    await expect(projectEntries(db, productionId, 'nobody')).rejects.toThrow(/does not exist/);
  });
  it('of a broken one what is whole comes in and the rest is told; nothing half stays', async () => {
    const files = unzipSync(bytes), project = JSON.parse(new TextDecoder().decode(files['project.json'])) as { version: number; grooms: { versions: { document: Record<string, unknown> }[] }[]; assets: { packed_blob: string }[]; bakes: { chunks: { blob_id: string }[] }[] }, { db: fresh, stop: end } = await testDatabase();
    try {
      const counts = async (): Promise<number[]> => Promise.all(['productions', 'assets', 'grooms', 'bakes'].map(async (t) => Number(((await fresh(t).count({ n: '*' }).first()) as { n: number }).n)));
      const packed = (change: (f: Record<string, Uint8Array>, p: typeof project) => void): Uint8Array => { const f = { ...files }, p = structuredClone(project); change(f, p); f['project.json'] = strToU8(JSON.stringify(p)); return zipSync(f, { level: 0 }); };
      await expect(open(fresh, bytes.subarray(0, bytes.length - 40))).rejects.toThrow(/no zip, or it was cut off/);
      await expect(open(fresh, zipSync({ 'a.txt': strToU8('a') }))).rejects.toThrow(/no project of Fine Comb/);
      await expect(open(fresh, packed((_f, p) => { p.version = 99; }))).rejects.toThrow(/of version 99/);
      await expect(open(fresh, packed((f, p) => { f[`blobs/${p.assets[0].packed_blob}`] = strToU8('other'); }))).rejects.toThrow(/Nothing of this project can be read.*character “Tube” is damaged/);
      expect(await counts()).toEqual([0, 0, 0, 0]);
      const noBake = await open(fresh, packed((f, p) => { f[`blobs/${p.bakes[0].chunks[0].blob_id}`] = strToU8('other'); }));
      expect(noBake.notes).toEqual([expect.stringMatching(/A bake of frames 0–8 is damaged/)]);
      expect(await counts()).toEqual([1, 1, 1, 0]);
      const old = await open(fresh, packed((_f, p) => { for (const v of p.grooms[0].versions) { v.document.format = 8; v.document.bake = { preRoll: 11 }; } }));
      expect((await getGroom(fresh, old.grooms[0])).document.bake).toMatchObject({ preRoll: 11, samples: 1, errorMm: 0.01 });
      const newer = await open(fresh, packed((_f, p) => { p.grooms[0].versions.at(-1)!.document.format = 99; }));
      expect(newer.notes[0]).toMatch(/groom “fuzz” is damaged in this file, or of a newer version/);
      expect((await overview(fresh)).productions.length).toBe(3);
    } finally { await end(); }
  }, 60_000);
});
