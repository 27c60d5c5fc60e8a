/** Bakes: what they were made from, their chunks of frames, and how far they are. */
import { deflateSync, inflateSync } from 'node:zlib';
import type { Knex } from 'knex';
import { z } from 'zod';
import { characterOf } from '../../core/chain/character-of';
import type { Character } from '../../core/mesh/character';
import { planBake, stepsOf } from '../../core/bake/bake-plan';
import { FrameFile, FrameFileError, unpackFrames, type PackedFrames } from '../../core/bake/frame-codec';
import { loopReportSchema, type LoopReport } from '../../core/bake/loops';
import { measuresSchema, motionKey, reportSchema, SOLVER_VERSION, type Measures, type Proof } from '../../core/document/proof';
import type { GroomDocument } from '../../core/document/schema';
import { settingsOf, type TakeSettings } from '../../core/document/take';
import type { StartReport } from '../../core/sway/run-report';
import type { BakeEvent, BakeResume } from '../bake-compute';
import { DamagedBlobError, dropBlobs, getBlob, putBlob } from './blobs';
import { failuresOf, holds, type JobState } from './queue';
import { getAsset, getGroom, json, loadCharacter, newId, notFound, readDocument, UserError, type AssetInfo } from './records';

const bakeRow = z.object({
  id: z.string(), groom_id: z.string(), asset_id: z.string(), motion_key: z.string(), document: z.string(), start_frame: z.number(), end_frame: z.number(), pre_roll: z.number(),
  state: z.enum(['queued', 'running', 'done', 'failed', 'cancelled', 'paused']), steps_done: z.number(), steps: z.number(), message: z.string().nullable(), report: z.string().nullable(), loop_report: z.string().nullable(),
  priority: z.number(), solver: z.number(), bytes: z.coerce.number(), attempts: z.number(), pause_wanted: z.number(), cancel_wanted: z.number(), created_at: z.date(), started_at: z.date().nullable(), finished_at: z.date().nullable(),
});
export interface BakeInfo {
  id: string; groomId: string; assetId: string; motionKey: string; startFrame: number; endFrame: number; preRoll: number; guideCount: number; pointCount: number;
  samples: number; errorMm: number; fps: number;
  state: JobState; wanted: 'pause' | 'cancel' | null; stepsDone: number; steps: number; message: string | null; attempts: number; priority: number;
  report: z.infer<typeof reportSchema> | null; loop: LoopReport | null;
  /** What it was made with; and the solver's version then, 0 where it is not known. */
  settings: TakeSettings; solver: number;
  /** Bytes of its frames as they are stored. */
  bytes: number;
  createdAt: string; startedAt: string | null; finishedAt: string | null;
}
export type Bake = BakeInfo & { document: GroomDocument };
function toBake(row: unknown): Bake {
  const r = bakeRow.parse(row), document = readDocument(r.document);
  return {
    id: r.id, groomId: r.groom_id, assetId: r.asset_id, motionKey: r.motion_key, startFrame: r.start_frame, endFrame: r.end_frame, preRoll: r.pre_roll,
    guideCount: document.guides?.count ?? 0, pointCount: document.guides?.pointCount ?? 0, samples: document.bake.samples, errorMm: document.bake.errorMm, fps: document.shot.fps,
    state: r.state, wanted: r.state !== 'running' ? null : r.cancel_wanted ? 'cancel' : r.pause_wanted ? 'pause' : null, stepsDone: r.steps_done, steps: Math.max(1, r.steps), message: r.message, attempts: failuresOf(r.attempts), priority: r.priority,
    report: r.report ? reportSchema.parse(JSON.parse(r.report)) : null, loop: r.loop_report ? loopReportSchema.parse(JSON.parse(r.loop_report)) : null,
    settings: settingsOf(document), solver: r.solver, bytes: r.bytes,
    createdAt: r.created_at.toISOString(), startedAt: r.started_at?.toISOString() ?? null, finishedAt: r.finished_at?.toISOString() ?? null, document,
  };
}
/** Without the document, as it goes to the page. */
export const publicBake = ({ document: _document, ...info }: Bake): BakeInfo => info;

export async function queueBake(db: Knex, groomId: string): Promise<BakeInfo> {
  const groom = await getGroom(db, groomId);
  if (!groom.document.guides) throw new UserError(422, 'noGuides', 'There is nothing to bake yet: plant guides first.');
  const { document } = groom, id = newId();
  await db('bakes').insert({
    id, groom_id: groomId, asset_id: groom.character.id, motion_key: motionKey(document, groom.character.packed), document: json(document), solver: SOLVER_VERSION, steps: stepsOf(planBake(document), 1),
    start_frame: document.shot.start, end_frame: document.shot.end, pre_roll: document.bake.preRoll, state: 'queued', created_at: new Date(),
  });
  return publicBake(await getBake(db, id));
}

export async function getBake(db: Knex, id: string): Promise<Bake> {
  const row: unknown = await db('bakes').where({ id }).first();
  if (!row) throw notFound('bake');
  return toBake(row);
}
/** The newest first. */
export async function listBakes(db: Knex, groomId: string): Promise<BakeInfo[]> {
  const rows: unknown[] = await db('bakes').where({ groom_id: groomId }).orderBy([{ column: 'created_at', order: 'desc' }, { column: 'id' }]).limit(30);
  return rows.map((r) => publicBake(toBake(r)));
}
export async function deleteBake(db: Knex, id: string): Promise<void> {
  const bake = await getBake(db, id);
  if (bake.state === 'running' || bake.state === 'queued') throw new UserError(409, 'stillRunning', 'This bake is still running; cancel it first.');
  const exports: { id: string; strip_blob: string | null }[] = await db('exports').where({ bake_id: id }).select('id', 'strip_blob'), files: { blob_id: string }[] = await db('export_files').whereIn('export_id', exports.map((e) => e.id)).select('blob_id');
  const chunks: { blob_id: string }[] = await db('bake_chunks').where({ bake_id: id }).select('blob_id'), row: { state_blob: string | null } | undefined = await db('bakes').where({ id }).first('state_blob');
  await db('bakes').where({ id }).delete();
  await dropBlobs(db, [...[...chunks, ...files].map((c) => c.blob_id), ...exports.map((e) => e.strip_blob), row?.state_blob ?? null]);
}

// ---------------------------------------------------------------- what a worker stores

/** What of a run is in its state: a bake that was broken off with another begins again. */
const STATE_LAYOUT = 9;
/** The states of a pool as one file: a head, and the parts one after the other. It is no other bake's, and goes when it is done with. */
function packState(bake: string, { state, distances }: Extract<BakeEvent, { kind: 'state' }>): Uint8Array {
  const { parts, ...rest } = state, head = Buffer.from(json({ bake, layout: STATE_LAYOUT, ...rest, distances, sizes: parts.map((p) => p.length) })), length = Buffer.alloc(4);
  length.writeUInt32LE(head.length);
  return deflateSync(Buffer.concat([length, head, ...parts]), { level: 1 });
}
const stateHead = z.object({ layout: z.literal(STATE_LAYOUT), frame: z.number(), bounds: z.array(z.number()), report: z.custom<StartReport>((v) => typeof v === 'object' && v !== null), distances: z.array(z.number()), sizes: z.array(z.number()) });
function unpackState(bytes: Uint8Array): Pick<BakeResume, 'state' | 'distances'> {
  const plain = inflateSync(bytes), length = plain.readUInt32LE(0), { sizes, distances, ...head } = stateHead.parse(JSON.parse(plain.subarray(4, 4 + length).toString()));
  let at = 4 + length;
  return { distances, state: { ...head, parts: sizes.map((n) => Uint8Array.from(plain.subarray(at, (at += n)))) } };
}

/** All that came since the last state was stored, and that state, in one step: a bake is never without either. False where the lease is lost. */
export async function storeBake(db: Knex, id: string, owner: string, events: readonly BakeEvent[], progress: { step: number; steps: number }): Promise<boolean> {
  for (let tries = 0; ; tries++) {
    // the same frames may be another bake's too, and be let go with it at this very moment
    try { return await storeOnce(db, id, owner, events, progress); } catch (cause) { if (tries >= 3 || !/foreign key|deadlock|lock wait/i.test(String(cause))) throw cause; }
  }
}
async function storeOnce(db: Knex, id: string, owner: string, events: readonly BakeEvent[], progress: { step: number; steps: number }): Promise<boolean> {
  const blobs = new Map<BakeEvent, string>();
  for (const e of events) {
    // a damaged chunk is put right by what was computed again
    if (e.kind === 'chunk') blobs.set(e, await putBlob(db, e.bytes, true));
    if (e.kind === 'state') blobs.set(e, await putBlob(db, packState(id, e)));
  }
  const gone: (string | null)[] = [];
  const held = await db.transaction(async (trx) => {
    if (!(await holds(trx, 'bakes', id, owner))) return false;
    for (const e of events) switch (e.kind) {
      case 'started': await trx('bakes').where({ id }).update({ report: json(e.report) }); break;
      // what is stored already is what was computed again
      case 'chunk': await trx('bake_chunks').insert({ bake_id: id, draft: e.draft, first: e.first, count: e.count, blob_id: blobs.get(e)!, measures: json(e.measures) }).onConflict(['bake_id', 'draft', 'first']).ignore(); break;
      case 'round': {
        const old: { blob_id: string }[] = await trx('bake_chunks').where({ bake_id: id, draft: true }).whereRaw('first + count <= ?', [e.from]).select('blob_id');
        gone.push(...old.map((o) => o.blob_id));
        await trx('bake_chunks').where({ bake_id: id, draft: true }).whereRaw('first + count <= ?', [e.from]).delete();
        break;
      }
      case 'state': {
        const before: { state_blob: string | null } | undefined = await trx('bakes').where({ id }).first('state_blob');
        gone.push(before?.state_blob ?? null);
        // it has got on: what went wrong before does not count any more
        await trx('bakes').where({ id }).update({ state_blob: blobs.get(e)!, attempts: 1 });
        break;
      }
      case 'finished': {
        const drafts: { blob_id: string }[] = await trx('bake_chunks').where({ bake_id: id, draft: true }).select('blob_id'), before: { state_blob: string | null } | undefined = await trx('bakes').where({ id }).first('state_blob');
        gone.push(...drafts.map((d) => d.blob_id), before?.state_blob ?? null);
        await trx('bake_chunks').where({ bake_id: id, draft: true }).delete();
        const sizes = (await trx('bake_chunks').join('blobs', 'blobs.id', 'bake_chunks.blob_id').where({ bake_id: id }).sum({ n: 'size' }).first()) as { n: string | null } | undefined;
        await trx('bakes').where({ id }).update({ state_blob: null, loop_report: e.loop && json(e.loop), bytes: Number(sizes?.n ?? 0) });
        break;
      }
    }
    await trx('bakes').where({ id }).update({ steps_done: progress.step, steps: progress.steps });
    return true;
  });
  if (held) await dropBlobs(db, gone);
  return held;
}

/** Where a bake goes on from; null for the beginning. A state that cannot be read any more is no reason to stop: it begins again. */
export async function resumeOf(db: Knex, bake: Bake): Promise<BakeResume | null> {
  const row: { state_blob: string | null } | undefined = await db('bakes').where({ id: bake.id }).first('state_blob');
  if (!row?.state_blob || bake.solver !== SOLVER_VERSION) return null;
  try {
    const bytes = await getBlob(db, row.state_blob);
    if (!bytes) return null;
    const drafts: { blob_id: string; measures: string }[] = await db('bake_chunks').where({ bake_id: bake.id, draft: true }).orderBy('first').select('blob_id', 'measures'), chunks: Uint8Array[] = [];
    for (const d of drafts) chunks.push((await getBlob(db, d.blob_id))!);
    return { ...unpackState(bytes), chunks, measures: drafts.flatMap((d) => z.array(measuresSchema).parse(JSON.parse(d.measures))) };
  } catch { return null; }
}

// ---------------------------------------------------------------- what is read of a bake

export interface ChunkInfo { first: number; count: number; blob: string }
export async function bakeChunks(db: Knex, id: string): Promise<ChunkInfo[]> {
  const rows: { first: number; count: number; blob_id: string }[] = await db('bake_chunks').where({ bake_id: id, draft: false }).orderBy('first').select('first', 'count', 'blob_id');
  return rows.map((r) => ({ first: r.first, count: r.count, blob: r.blob_id }));
}
/** Measures of its frames, in order. */
export async function bakeMeasures(db: Knex, id: string): Promise<Measures[]> {
  const rows: { measures: string }[] = await db('bake_chunks').where({ bake_id: id, draft: false }).orderBy('first').select('measures');
  return rows.flatMap((r) => z.array(measuresSchema).parse(JSON.parse(r.measures)));
}
/** The proof of a bake, as that of a take. */
export async function proofOfBake(db: Knex, bake: Bake): Promise<Proof> {
  const { startedAt, finishedAt, report, loop } = bake;
  return { start: bake.startFrame, end: bake.endFrame, fps: bake.fps, report: report ?? reportSchema.parse({ guides: bake.guideCount, cut: 0, beganInside: 0, beganDeepest: 0, pills: 0 }), frames: await bakeMeasures(db, bake.id), seam: loop?.after ?? null, seconds: startedAt && finishedAt ? (Date.parse(finishedAt) - Date.parse(startedAt)) / 1000 : 0, filled: null };
}

/** Frames of a bake that cannot be read. */
export class DamagedFramesError extends UserError {
  constructor(readonly from: number, readonly to: number) { super(500, 'framesDamaged', `Frames ${from}–${to} of this bake are damaged in the database. Bake these frames again; the others are as they were.`, { from, to }); }
}
/** Bytes of the chunk that begins with a sample. */
export async function chunkBytes(db: Knex, bake: Pick<Bake, 'id' | 'samples'>, chunk: ChunkInfo): Promise<Buffer> {
  const frames = (): DamagedFramesError => new DamagedFramesError(Math.floor(chunk.first / bake.samples), Math.floor((chunk.first + chunk.count - 1) / bake.samples));
  try {
    const bytes = await getBlob(db, chunk.blob);
    if (!bytes) throw frames();
    return bytes;
  } catch (cause) { throw cause instanceof DamagedBlobError ? frames() : cause; }
}

/** Samples of a bake one by one, with the chunk of the last one at hand. */
export class BakeReader {
  private held: FrameFile | null = null;
  private constructor(private readonly db: Knex, private readonly bake: Bake, private readonly chunks: ChunkInfo[]) {}
  static async open(db: Knex, bake: Bake): Promise<BakeReader> { return new BakeReader(db, bake, await bakeChunks(db, bake.id)); }
  /** 3 × points, m, world. */
  async sample(n: number): Promise<Float32Array> { return (await this.frame(n)).points; }
  /** `DROP_NUMBERS` a drop. */
  async drops(n: number): Promise<Float32Array> { return (await this.frame(n)).drops ?? new Float32Array(0); }
  /** What the hair of a sample presses on clothes by, `PRESS_NUMBERS` each; null where that was not kept. */
  async presses(n: number): Promise<Float32Array | null> { return (await this.frame(n)).presses ?? null; }
  private async frame(n: number): Promise<PackedFrames> {
    const frame = Math.floor(n / this.bake.samples);
    try {
      if (!this.held?.has(n)) {
        const chunk = this.chunks.find((c) => n >= c.first && n < c.first + c.count);
        if (!chunk) throw new DamagedFramesError(frame, frame);
        this.held = new FrameFile(await chunkBytes(this.db, this.bake, chunk));
      }
      return this.held.frame(n);
    } catch (cause) { throw cause instanceof FrameFileError ? new DamagedFramesError(frame, frame) : cause; }
  }
}

/** Runs of frames, from … to, that are missing or damaged. */
export async function damageOf(db: Knex, bake: Bake): Promise<{ from: number; to: number }[]> {
  const out: { from: number; to: number }[] = [], chunks = await bakeChunks(db, bake.id), last = (bake.endFrame + 1) * bake.samples;
  const put = (from: number, to: number): void => { out.push({ from: Math.floor(from / bake.samples), to: Math.floor(to / bake.samples) }); };
  let next = bake.startFrame * bake.samples;
  for (const c of chunks) {
    if (c.first > next) put(next, c.first - 1);
    next = c.first + c.count;
    try { unpackFrames(await chunkBytes(db, bake, c)); } catch (cause) { if (!(cause instanceof DamagedFramesError) && !(cause instanceof FrameFileError)) throw cause; put(c.first, next - 1); }
  }
  if (next < last) put(next, last - 1);
  return out;
}
/** Has the damaged frames computed again, and only those replaced: the run is the same to the bit, so that what is whole stays as it is. */
export async function mendBake(db: Knex, id: string): Promise<{ from: number; to: number }[]> {
  const bake = await getBake(db, id);
  if (bake.state !== 'done') throw new UserError(409, 'notDone', 'This bake is not finished; there is nothing to mend.');
  if (bake.solver !== SOLVER_VERSION) throw new UserError(409, 'otherSolver', 'This bake was made by an earlier version of the solver: single frames would not fit to the others. Bake the range again.');
  const damage = await damageOf(db, bake);
  if (damage.length === 0) return damage;
  for (const c of await bakeChunks(db, id)) {
    const from = Math.floor(c.first / bake.samples), to = Math.floor((c.first + c.count - 1) / bake.samples);
    if (!damage.some((d) => d.from <= to && d.to >= from)) continue;
    await db('bake_chunks').where({ bake_id: id, draft: false, first: c.first }).delete();
  }
  await db('bakes').where({ id }).update({ state: 'queued', state_blob: null, attempts: 0, steps_done: 0, message: null, finished_at: null });
  return damage;
}

/** The version of the character that a bake was made on. */
export const assetOfBake = (db: Knex, bake: Pick<Bake, 'assetId'>): Promise<AssetInfo> => getAsset(db, bake.assetId);

/** The character as a groom's document has it. */
export async function characterFor(db: Knex, document: GroomDocument, packed: string): Promise<Character> {
  const made = document.drawn?.given, given = await loadCharacter(db, packed);
  return characterOf(given, document, made ? await getBlob(db, made.weights) : null);
}

/** Stored maps of a plot and its movement, by name. */
export async function mapsOf(db: Knex, document: GroomDocument): Promise<Record<string, Uint8Array>> {
  const maps: Record<string, Uint8Array> = {};
  for (const [name, id] of Object.entries({ ...document.plot.maps, ...document.sway.maps })) { const bytes = id ? await getBlob(db, id) : null; if (bytes) maps[name] = bytes; }
  return maps;
}
