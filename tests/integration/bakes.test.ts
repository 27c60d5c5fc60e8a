/** The queue of bakes against a real database, with worker processes that are killed. */
import { spawn, type ChildProcess } from 'node:child_process';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openScene } from '../../src/core/bake/open-scene';
import { handOverSchema, USUAL_RECEIVERS } from '../../src/core/document/hand-over';
import type { GroomDocument } from '../../src/core/document/schema';
import { makeRandom } from '../../src/core/math/random';
import { measuresOf, meterOf } from '../../src/core/proof/take';
import { planRun, SwayRun } from '../../src/core/sway/run';
import { BakeRunner } from '../../src/server/bake-runner';
import { BakeReader, bakeChunks, bakeMeasures, damageOf, deleteBake, getBake, mendBake, queueBake, type Bake } from '../../src/server/db/bakes';
import { blobPieces, putBlob } from '../../src/server/db/blobs';
import type { Db } from '../../src/server/db/connection';
import { deleteExport, getExport, listReceivers, queueExport, setReceivers } from '../../src/server/db/exports';
import { migrate, MIGRATIONS } from '../../src/server/db/migrations';
import { cancelJob, hurryJob, pauseJob, resumeJob } from '../../src/server/db/queue';
import { loadCharacter, saveGroom } from '../../src/server/db/records';
import { sheetOfExport } from '../../src/server/export-sheet';
import { testDatabase, tubeGroomIn } from '../helpers/database';

let db: Db, address: string, stop: () => Promise<void>;
beforeAll(async () => { ({ db, address, stop } = await testDatabase()); }, 60_000);
afterAll(() => stop());

const said: string[] = [], quiet = { info: () => undefined, error: (t: string) => { said.push(t); } };
const THREAD = path.resolve('dist/bake-thread.mjs');
const pause = (ms: number): Promise<void> => new Promise((r) => { setTimeout(r, ms); });
const until = async (check: () => Promise<boolean>, ms = 60_000): Promise<void> => { for (const end = Date.now() + ms; !(await check()); await pause(40)) if (Date.now() > end) throw new Error('waited too long'); };
/** A runner in this process for as long as something is done. */
async function running<T>(work: () => Promise<T>): Promise<T> {
  const runner = new BakeRunner(db, THREAD, quiet, 1), loop = runner.loop();
  try { return await work(); } finally { await runner.stop(); await loop; }
}
const ended = (id: string): Promise<void> => until(async () => ['done', 'failed', 'cancelled'].includes((await getBake(db, id)).state));
const blobs = async (id: string): Promise<string[]> => (await bakeChunks(db, id)).map((c) => `${c.first}+${c.count} ${c.blob}`);
async function baked(end: number, change?: (d: GroomDocument) => void): Promise<{ bake: Bake; groom: Awaited<ReturnType<typeof tubeGroomIn>> }> {
  const groom = await tubeGroomIn(db, end, change), { id } = await queueBake(db, groom.id);
  await running(() => ended(id));
  return { bake: await getBake(db, id), groom };
}
const worker = (): ChildProcess => spawn(process.execPath, ['dist/worker.mjs', address, '--threads', '1'], { stdio: ['ignore', 'pipe', 'pipe'] });
/** Bound to one another and tied, so that all there is to a state counts. */
const rich = (d: GroomDocument): void => { Object.assign(d.sway, { loft: 0.5, loftSpacingMm: 20, windSpeed: 3, meshes: { tube: { as: 'shell', sides: 'auto', gapMm: null, friction: null } } }); };

describe('a bake', () => {
  it('is the run of its groom, to the bit where every bit is kept, and within its error where not', async () => {
    const { bake, groom: { document, assetId, planting, offsets } } = await baked(20, (d) => { d.bake.errorMm = 0; }), coarse = await baked(20);
    expect([bake.state, bake.stepsDone, bake.steps]).toEqual(['done', 25, 25]);
    const measures = await bakeMeasures(db, bake.id), reader = await BakeReader.open(db, bake), rough = await BakeReader.open(db, coarse.bake), packed: { packed_blob: string } = await db('assets').where({ id: assetId }).first('packed_blob');
    expect(measures.map((m) => m.frame)).toEqual(Array.from({ length: 21 }, (_, k) => k));
    const scene = openScene(document, await loadCharacter(db, packed.packed_blob), { planting, offsets }), run = new SwayRun(scene, -5, { plan: planRun(scene, -5, 21) }), meter = meterOf(scene);
    while (run.frame < 20) {
      const m = meter.take(measuresOf(run.advance()), run.positions(), run.strandNumbers), points = run.positions();
      if (run.frame < 0) continue;
      expect(measures[run.frame]).toEqual(m);
      expect(await reader.sample(run.frame)).toEqual(points);
      const near = await rough.sample(run.frame);
      points.forEach((v, i) => expect(Math.abs(near[i] - v)).toBeLessThan(1.02e-5));
    }
    expect(coarse.bake.bytes).toBeLessThan(0.7 * bake.bytes);
  });
  it('keeps samples between frames, of which every whole frame is near the same', async () => {
    const { bake } = await baked(6, (d) => { d.bake.samples = 4; d.bake.errorMm = 0; }), one = await baked(6, (d) => { d.bake.errorMm = 0; });
    expect((await bakeChunks(db, bake.id)).reduce((n, c) => n + c.count, 0)).toBe(28);
    expect((await bakeMeasures(db, bake.id)).map((m) => m.frame)).toEqual([0, 1, 2, 3, 4, 5, 6]);
    const fine = await BakeReader.open(db, bake), plain = await BakeReader.open(db, one.bake);
    for (const frame of [0, 3, 6]) { const a = await fine.sample(4 * frame), b = await plain.sample(frame); a.forEach((v, i) => expect(Math.abs(v - b[i])).toBeLessThan(0.004)); }
  });
  it('of a loop goes round until it repeats, and its seam is closed', async () => {
    const { bake } = await baked(22, (d) => { d.shot.cyclic = true; d.bake.errorMm = 0; d.bake.loopMm = 0.5; d.sway.damping = 5; }), { loop } = bake;
    expect(loop!.repeats).toBe(true);
    expect(loop!.distances).toHaveLength(loop!.rounds);
    expect(loop!.distances.at(-1)!).toBeLessThanOrEqual(0.0005);
    for (let k = 1; k < loop!.rounds; k++) expect(loop!.distances[k - 1]).toBeGreaterThan(0.0005);
    expect(loop!.after.gap).toBeLessThan(1e-6);
    expect(loop!.after.speed).toBeLessThanOrEqual(loop!.before.speed + 1e-6);
    expect((await bakeChunks(db, bake.id)).reduce((n, c) => n + c.count, 0)).toBe(23);
    expect(await db('bake_chunks').where({ bake_id: bake.id, draft: true })).toEqual([]);
    expect((await bakeMeasures(db, bake.id)).map((m) => m.frame)).toEqual(Array.from({ length: 23 }, (_, k) => k));
    const never = (await baked(22, (d) => { d.shot.cyclic = true; d.bake.loopMm = 0.01; d.bake.loopRounds = 2; d.sway.hold = 0.05; d.sway.damping = 0; d.sway.airDrag = 0; })).bake.loop!;
    expect([never.repeats, never.rounds]).toEqual([false, 2]);
    expect(never.after.gap).toBeLessThan(1e-5);
  });
});

describe('the queue', () => {
  it('a worker killed again and again leaves the same bytes as one that is let be, and nothing twice', async () => {
    for (const [name, change] of [['bound', rich], ['loop', (d: GroomDocument) => { d.shot.cyclic = true; d.bake.loopMm = 0.2; }]] as const) {
      const end = name === 'bound' ? 90 : 22, { bake: plain } = await baked(end, change), took = Date.parse(plain.finishedAt!) - Date.parse(plain.startedAt!), groom = await tubeGroomIn(db, end, change), { id } = await queueBake(db, groom.id), random = makeRandom(7);
      let kills = 0, least = 0;
      for (let k = 0; k < 6 && (await getBake(db, id)).state !== 'done'; k++) {
        const one = worker(), gone = new Promise((r) => { one.once('exit', r); }), taken = new Promise<void>((r) => { one.stdout!.on('data', (d: Buffer) => { if (/: taken/.test(d.toString())) r(); }); });
        // anywhere between the beginning of a bake and its end, however fast this machine is
        await Promise.race([taken, gone, pause(20_000)]);
        await pause(0.7 * took * random());
        if (one.exitCode === null) { one.kill('SIGKILL'); kills++; }
        await gone;
        const { stepsDone } = await getBake(db, id);
        least = Math.max(least, stepsDone);
      }
      await running(() => ended(id));
      const bake = await getBake(db, id);
      expect([bake.state, bake.message]).toEqual(['done', null]);
      expect(kills).toBeGreaterThan(2);
      expect(await blobs(id)).toEqual(await blobs(plain.id));
      expect(await bakeMeasures(db, id)).toEqual(await bakeMeasures(db, plain.id));
      expect(bake.loop).toEqual(plain.loop);
    }
  }, 180_000);
  it('two workers share bakes, never one between them', async () => {
    const groom = await tubeGroomIn(db, 40), ids: string[] = [];
    for (let k = 0; k < 4; k++) ids.push((await queueBake(db, groom.id)).id);
    const two = [worker(), worker()], taken: string[] = [];
    for (const w of two) w.stdout!.on('data', (d: Buffer) => { taken.push(...[...d.toString().matchAll(/bake (\w+): taken/g)].map((m) => m[1])); });
    for (const id of ids) await ended(id);
    for (const w of two) w.kill('SIGTERM');
    expect(taken.filter((t) => ids.includes(t)).sort()).toEqual([...ids].sort());
    const first = await blobs(ids[0]);
    for (const id of ids) expect(await blobs(id)).toEqual(first);
  }, 120_000);
  it('a bake is paused and goes on, is cancelled and tried again, is put before others', async () => {
    // long enough that it is not over before somebody's wish is heard
    const groom = await tubeGroomIn(db, 1500), plain = await baked(1500), { id } = await queueBake(db, groom.id), later = await queueBake(db, groom.id), urgent = await queueBake(db, (await tubeGroomIn(db, 4)).id);
    await running(async () => {
      await until(async () => (await getBake(db, id)).stepsDone > 30);
      await pauseJob(db, 'bakes', id);
      await hurryJob(db, 'bakes', urgent.id);
      await until(async () => (await getBake(db, id)).state === 'paused');
      await ended(urgent.id);
      expect((await getBake(db, later.id)).stepsDone).toBe(0);
      await until(async () => (await getBake(db, later.id)).state === 'running');
      await cancelJob(db, 'bakes', later.id);
      await until(async () => (await getBake(db, later.id)).state === 'cancelled');
      await resumeJob(db, 'bakes', id);
      await ended(id);
      await resumeJob(db, 'bakes', later.id);
      await ended(later.id);
    });
    expect(await blobs(id)).toEqual(await blobs(plain.bake.id));
    expect(await blobs(later.id)).toEqual(await blobs(plain.bake.id));
  }, 120_000);
  it('a job that fails each time stops after three tries with its error; one that got on is not held for it', async () => {
    const { id, document } = await tubeGroomIn(db);
    await saveGroom(db, id, 1, { ...document, plot: { ...document.plot, mesh: 'no such mesh' } }, 'x');
    const bake = await queueBake(db, id);
    await running(() => ended(bake.id));
    expect(await getBake(db, bake.id)).toMatchObject({ state: 'failed', attempts: 3, message: expect.stringMatching(/no such mesh/) as string });
    const silent = await queueBake(db, (await tubeGroomIn(db)).id);
    await db('bakes').where({ id: silent.id }).update({ state: 'running', attempts: 12, lease_owner: 'x', lease_until: new Date(0) });
    await running(() => ended(silent.id));
    expect((await getBake(db, silent.id)).message).toMatch(/12 tries that ended without a word/);
    await db('bakes').where({ id: silent.id }).update({ state: 'running', attempts: 11, lease_owner: 'a dead one', lease_until: new Date(0), message: null });
    await running(() => ended(silent.id));
    expect((await getBake(db, silent.id)).state).toBe('done');
  });
  it('stopping a runner gives its bake back', async () => {
    const { id } = await queueBake(db, (await tubeGroomIn(db, 3000)).id);
    await running(() => until(async () => (await getBake(db, id)).stepsDone > 6));
    expect((await getBake(db, id)).state).toBe('queued');
    await cancelJob(db, 'bakes', id);
    expect((await getBake(db, id)).state).toBe('cancelled');
    await deleteBake(db, id);
    await expect(getBake(db, id)).rejects.toThrow(/does not exist/);
  });
});

it('damaged frames are found and named, and only they are baked again, as they were', async () => {
  const { bake } = await baked(40), before = await blobs(bake.id), chunks = await bakeChunks(db, bake.id), bad = chunks[1];
  expect(await damageOf(db, bake)).toEqual([]);
  const part: { chunk_id: string } = await db('blob_chunks').where({ blob_id: bad.blob }).first('chunk_id'), row: { bytes: Buffer } = await db('chunks').where({ id: part.chunk_id }).first('bytes');
  row.bytes[40] ^= 1;
  await db('chunks').where({ id: part.chunk_id }).update({ bytes: row.bytes });
  expect(await damageOf(db, bake)).toEqual([{ from: bad.first, to: bad.first + bad.count - 1 }]);
  const reader = await BakeReader.open(db, bake);
  await expect(reader.sample(bad.first)).rejects.toThrow(new RegExp(`Frames ${bad.first}–${bad.first + bad.count - 1} of this bake are damaged`));
  expect((await reader.sample(0)).length).toBe(288);
  expect(await mendBake(db, bake.id)).toHaveLength(1);
  await running(() => ended(bake.id));
  expect(await damageOf(db, bake)).toEqual([]);
  expect(await blobs(bake.id)).toEqual(before);
});

it('frames that were stored one by one, by an earlier version, are brought along as they were', async () => {
  const own = await testDatabase();
  try {
    const groom = await tubeGroomIn(own.db, 14), { id } = await queueBake(own.db, groom.id), step = MIGRATIONS.find((m) => m.name === '005-bakes')!, frames = Array.from({ length: 15 }, (_, f) => Float32Array.from({ length: 288 }, (_x, i) => Math.sin(f + i)));
    await step.down(own.db);
    await own.db('knex_migrations').where({ name: step.name }).delete();
    await own.db('bakes').where({ id }).update({ state: 'done' });
    for (const [f, points] of frames.entries()) await own.db('bake_frames').insert({ bake_id: id, frame: f, blob_id: await putBlob(own.db, new Uint8Array(points.buffer)), measures: JSON.stringify({ frame: f, stretch: 0, stretchGuide: -1, depth: 0.001 * f, depthGuide: 2, netUses: 0 }) });
    await migrate(own.db);
    const bake = await getBake(own.db, id), reader = await BakeReader.open(own.db, bake);
    for (const [f, points] of frames.entries()) expect(await reader.sample(f)).toEqual(points);
    expect((await bakeMeasures(own.db, id)).map((m) => m.depth)).toEqual(frames.map((_, f) => 0.001 * f));
    expect([bake.solver, await damageOf(own.db, bake)]).toEqual([0, []]);
    // of an earlier solver single frames are not baked again
    await expect(mendBake(own.db, id)).rejects.toThrow(/earlier version of the solver/);
  } finally { await own.stop(); }
}, 60_000);

describe('hand-over', () => {
  it('is written by the queue, with a sheet that says its checksums; goes with its bake', async () => {
    const { bake } = await baked(12), one = await queueExport(db, bake.id, handOverSchema.parse({ format: 'usdc', receiver: USUAL_RECEIVERS[2] }));
    await running(() => until(async () => ['done', 'failed'].includes((await getExport(db, one.id)).state)));
    const made = await getExport(db, one.id), file = made.files[0], pieces: Buffer[] = [];
    expect([made.state, made.message]).toEqual(['done', null]);
    for await (const p of blobPieces(db, file.blob)) pieces.push(p);
    expect(Buffer.concat(pieces).subarray(0, 8).toString()).toBe('PXR-USDC');
    expect(made.sheet).toMatchObject({ groom: 'fuzz', files: [{ name: file.name, size: file.size, sha256: file.blob }], report: { frames: { first: 0, last: 12, count: 13, fps: 24 } }, wish: { receiver: { up: 'z' } } });
    const page = await sheetOfExport(db, one.id);
    for (const text of [file.blob, file.name, '+Z', 'Proof of the bake']) expect(page).toContain(text);
    const chains = await queueExport(db, bake.id, handOverSchema.parse({ format: 'chains', receiver: USUAL_RECEIVERS[0], joints: 12, levels: 1 }));
    await running(() => until(async () => ['done', 'failed'].includes((await getExport(db, chains.id)).state)));
    expect((await getExport(db, chains.id)).sheet!.report.reductions.map((r) => r.counts)).toEqual(['guide', 'vertex']);
    await deleteExport(db, chains.id);
    const held = async (): Promise<number> => Number(((await db('blobs').count({ n: '*' }).first()) as { n: number }).n), many = await held();
    await deleteBake(db, bake.id);
    expect(await held()).toBeLessThan(many);
    await expect(getExport(db, one.id)).rejects.toThrow(/does not exist/);
  });
  it('what cannot be done says why, and an unfinished bake is not handed over', async () => {
    const { bake } = await baked(6), one = await queueExport(db, bake.id, handOverSchema.parse({ format: 'vat', receiver: { ...USUAL_RECEIVERS[0], textureLimit: 256 } })), text = await queueExport(db, bake.id, handOverSchema.parse({ format: 'usda', what: 'filled', count: 100_000, receiver: USUAL_RECEIVERS[0] }));
    await running(() => until(async () => (await getExport(db, text.id)).state === 'failed' && ['done', 'failed'].includes((await getExport(db, one.id)).state)));
    expect((await getExport(db, text.id)).message).toMatch(/at most 20,000 filled strands/);
    const waiting = await queueBake(db, bake.groomId);
    await expect(queueExport(db, waiting.id, handOverSchema.parse({ format: 'usdc', receiver: USUAL_RECEIVERS[0] }))).rejects.toThrow(/not finished/);
    await cancelJob(db, 'bakes', waiting.id);
  });
  it('receivers are kept in their order; an empty list brings the usual ones back', async () => {
    expect((await listReceivers(db)).map((r) => r.name)).toEqual(USUAL_RECEIVERS.map((r) => r.name));
    const own = [{ ...USUAL_RECEIVERS[1], name: 'Ours' }, USUAL_RECEIVERS[0]];
    expect((await setReceivers(db, own)).map((r) => r.name)).toEqual(['Ours', USUAL_RECEIVERS[0].name]);
    await expect(setReceivers(db, [own[0], { ...own[0], name: 'ours' }])).rejects.toThrow(/same name/);
    expect((await setReceivers(db, [])).length).toBe(USUAL_RECEIVERS.length);
  });
});
