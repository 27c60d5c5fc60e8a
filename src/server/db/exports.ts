/** Hand-overs of bakes: what was asked for, their files, their sheets; and the receivers somebody keeps. */
import type { Knex } from 'knex';
import { z } from 'zod';
import { handOverSchema, receiverSchema, USUAL_RECEIVERS, type HandOver, type Receiver } from '../../core/document/hand-over';
import { sheetSchema, type Received, type Sheet } from '../../formats/hand-over-sheet';
import { getBake } from './bakes';
import { dropBlobs, getBlob } from './blobs';
import type { JobState } from './queue';
import { json, newId, notFound, UserError } from './records';

const exportRow = z.object({
  id: z.string(), bake_id: z.string(), options: z.string(), state: z.enum(['queued', 'running', 'done', 'failed', 'cancelled', 'paused']), steps_done: z.number(), steps: z.number(), message: z.string().nullable(), sheet: z.string().nullable(), checked: z.string().nullable(),
  created_at: z.date(), started_at: z.date().nullable(), finished_at: z.date().nullable(),
});
export interface ExportInfo {
  id: string; bakeId: string; wish: HandOver; state: JobState; stepsDone: number; steps: number; message: string | null; sheet: Sheet | null;
  files: { name: string; size: number; blob: string }[]; createdAt: string; startedAt: string | null; finishedAt: string | null;
}
async function toExport(db: Knex, row: unknown): Promise<ExportInfo> {
  const r = exportRow.parse(row), files: { name: string; size: number; blob_id: string }[] = await db('export_files').where({ export_id: r.id }).orderBy('place').select('name', 'size', 'blob_id');
  return {
    id: r.id, bakeId: r.bake_id, wish: handOverSchema.parse(JSON.parse(r.options)), state: r.state, stepsDone: r.steps_done, steps: Math.max(1, r.steps), message: r.message,
    sheet: r.sheet ? { ...sheetSchema.parse(JSON.parse(r.sheet)), received: r.checked ? (JSON.parse(r.checked) as Received) : null } : null,
    files: files.map((f) => ({ name: f.name, size: Number(f.size), blob: f.blob_id })), createdAt: r.created_at.toISOString(), startedAt: r.started_at?.toISOString() ?? null, finishedAt: r.finished_at?.toISOString() ?? null,
  };
}

/** `strip`: pictures of it as a stored PNG, for its sheet. */
export async function queueExport(db: Knex, bakeId: string, wish: HandOver, strip: string | null = null): Promise<ExportInfo> {
  const bake = await getBake(db, bakeId), id = newId();
  if (bake.state !== 'done') throw new UserError(409, 'notDone', 'This bake is not finished; only a finished one can be handed over.');
  if (strip && (await getBlob(db, strip))?.subarray(0, 4).toString('latin1') !== '\x89PNG') throw new UserError(400, 'notPictures', 'These are no pictures of the bake.');
  await db('exports').insert({ id, bake_id: bakeId, options: json(wish), strip_blob: strip, state: 'queued', steps: 1000, created_at: new Date() });
  return getExport(db, id);
}
export async function getExport(db: Knex, id: string): Promise<ExportInfo> {
  const row: unknown = await db('exports').where({ id }).first();
  if (!row) throw notFound('hand-over');
  return toExport(db, row);
}
/** The newest first. */
export async function listExports(db: Knex, bakeId: string): Promise<ExportInfo[]> {
  const rows: unknown[] = await db('exports').where({ bake_id: bakeId }).orderBy([{ column: 'created_at', order: 'desc' }, { column: 'id' }]).limit(30);
  return Promise.all(rows.map((r) => toExport(db, r)));
}
/** Puts the files of a hand-over in the place of those of a try before. */
export async function setExportFiles(trx: Knex, id: string, files: readonly { name: string; size: number; blob: string }[]): Promise<void> {
  await trx('export_files').where({ export_id: id }).delete();
  if (files.length > 0) await trx('export_files').insert(files.map((f, place) => ({ export_id: id, name: f.name, place, size: f.size, blob_id: f.blob })));
}
export async function deleteExport(db: Knex, id: string): Promise<void> {
  const one = await getExport(db, id);
  if (one.state === 'running') throw new UserError(409, 'stillRunning', 'This hand-over is being written; cancel it first.');
  const strip = await stripOf(db, id);
  await db('exports').where({ id }).delete();
  await dropBlobs(db, [...one.files.map((f) => f.blob), strip]);
}
/** Pictures for its sheet. */
export async function stripOf(db: Knex, id: string): Promise<string | null> { return ((await db('exports').where({ id }).first('strip_blob')) as { strip_blob: string | null } | undefined)?.strip_blob ?? null; }
export async function setReceived(db: Knex, id: string, received: Received): Promise<ExportInfo> {
  const one = await getExport(db, id);
  if (!one.sheet) throw new UserError(409, 'notDone', 'This hand-over is not finished.');
  await db('exports').where({ id }).update({ checked: json(received) });
  return getExport(db, id);
}

export interface KeptReceiver extends Receiver { id: string }
/** The usual receivers, until somebody has kept some. */
export async function listReceivers(db: Knex): Promise<KeptReceiver[]> {
  const rows: { id: string; settings: string }[] = await db('receivers').orderBy(['created_at', 'id']).select('id', 'settings');
  const kept = rows.flatMap((r) => { const p = receiverSchema.safeParse(JSON.parse(r.settings)); return p.success ? [{ id: r.id, ...p.data }] : []; });
  return kept.length > 0 ? kept : USUAL_RECEIVERS.map((r, k) => ({ id: `usual-${k}`, ...r }));
}
/** Keeps the whole list, in its order. */
export async function setReceivers(db: Knex, list: readonly Receiver[]): Promise<KeptReceiver[]> {
  const names = new Set(list.map((r) => r.name.toLowerCase()));
  if (names.size < list.length) throw new UserError(400, 'sameName', 'Two receivers have the same name.');
  await db.transaction(async (trx) => {
    await trx('receivers').delete();
    const now = Date.now();
    if (list.length > 0) await trx('receivers').insert(list.map((r, k) => ({ id: newId(), name: r.name, settings: json(receiverSchema.parse(r)), created_at: new Date(now + k) })));
  });
  return listReceivers(db);
}
