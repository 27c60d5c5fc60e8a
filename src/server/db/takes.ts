/** Takes of a groom with their frames and pictures, and the limits of a show. */
import type { Knex } from 'knex';
import { limitsSchema, proofSchema, type Limits, type Proof } from '../../core/document/proof';
import { BAKE_PARAMETERS, defaultsOf, defaultSway } from '../../core/document/schema';
import { differences, takeSettingsSchema, type TakeSettings } from '../../core/document/take';
import type { SheetInput } from '../../core/proof/sheet';
import { dropBlob, getBlob } from './blobs';
import { getGroom, json, newId, notFound, UserError } from './records';

export interface TakeInfo {
  id: string; name: string; shotName: string; motionKey: string; proof: Proof; pinned: boolean; bytes: number; hasFrames: boolean; hasStrip: boolean; createdAt: string;
  /** Null of takes from before settings were kept, or of settings that are not understood any more. */
  settings: TakeSettings | null;
}
export interface NewTake { motionKey: string; name: string; shotName: string; proof: Proof; settings: TakeSettings | null; frames: string | null; strip: string | null; bytes: number }
/** Bytes of frames that the takes of a groom may have together, and how many there may be; the oldest that are not pinned go first. */
const MOST_BYTES = 512 << 20, MOST_TAKES = 60;

const FRAMES_MAGIC = 'FCF1', PNG_MAGIC = '\x89PNG';

interface TakeRow { id: string; name: string; shot_name: string; motion_key: string; proof: string; settings: string | null; frames_blob: string | null; strip_blob: string | null; bytes: number; pinned: number; created_at: Date }
function toTake(r: TakeRow): TakeInfo {
  const settings = takeSettingsSchema.safeParse(r.settings === null ? null : JSON.parse(r.settings));
  return {
    id: r.id, name: r.name, shotName: r.shot_name, motionKey: r.motion_key, proof: proofSchema.parse(JSON.parse(r.proof)), pinned: r.pinned === 1, bytes: Number(r.bytes), hasFrames: r.frames_blob !== null, hasStrip: r.strip_blob !== null,
    createdAt: r.created_at.toISOString(), settings: settings.success ? settings.data : null,
  };
}

export async function addTake(db: Knex, groomId: string, take: NewTake, most = { bytes: MOST_BYTES, takes: MOST_TAKES }): Promise<TakeInfo> {
  const id = newId(), { motionKey, name, shotName, proof, settings, frames, strip, bytes } = take;
  await getGroom(db, groomId);
  for (const [blob, magic] of [[frames, FRAMES_MAGIC], [strip, PNG_MAGIC]] as const) {
    if (!blob) continue;
    const stored = await getBlob(db, blob);
    if (!stored) throw new UserError(409, 'bufferMissing', 'The frames of this take have not arrived on the server; they are sent again.', { buffer: blob });
    // what goes with a take must be its own: never a part of a groom
    if (stored.subarray(0, 4).toString('latin1') !== magic) throw new UserError(400, 'notFrames', 'This is not the frames or the pictures of a take.', { buffer: blob });
  }
  await db('takes').insert({ id, groom_id: groomId, motion_key: motionKey, name: name.slice(0, 120), shot_name: shotName.slice(0, 60), proof: json(proof), settings: settings && json(settings), frames_blob: frames, strip_blob: strip, bytes, created_at: new Date() });
  await ageTakes(db, groomId, most);
  return getTake(db, id);
}

/** Lets the oldest takes go that are too much; pinned ones stay, whatever they take. */
async function ageTakes(db: Knex, groomId: string, most: { bytes: number; takes: number }): Promise<void> {
  const rows: { id: string; bytes: number; pinned: number }[] = await db('takes').where({ groom_id: groomId }).orderBy([{ column: 'created_at', order: 'desc' }, { column: 'id' }]).select('id', 'bytes', 'pinned');
  let bytes = 0, kept = 0;
  for (const r of rows) {
    bytes += Number(r.bytes);
    kept++;
    if (r.pinned === 1 || kept === 1 || (bytes <= most.bytes && kept <= most.takes)) continue;
    bytes -= Number(r.bytes);
    kept--;
    await deleteTake(db, r.id);
  }
}

export async function getTake(db: Knex, id: string): Promise<TakeInfo> { return toTake(await row(db, id)); }
async function row(db: Knex, id: string): Promise<TakeRow> {
  const found: TakeRow | undefined = await db('takes').where({ id }).first();
  if (!found) throw notFound('take');
  return found;
}
/** The newest first; one that is not understood any more hides no others. */
export async function listTakes(db: Knex, groomId: string): Promise<TakeInfo[]> {
  const rows: TakeRow[] = await db('takes').where({ groom_id: groomId }).orderBy([{ column: 'created_at', order: 'desc' }, { column: 'id' }]);
  return rows.flatMap((r) => { try { return [toTake(r)]; } catch { return []; } });
}
export async function changeTake(db: Knex, id: string, change: { name?: string; pinned?: boolean; proof?: Proof }): Promise<TakeInfo> {
  await row(db, id);
  const { name, pinned, proof } = change;
  await db('takes').where({ id }).update({ ...(name === undefined ? {} : { name: name.slice(0, 120) }), ...(pinned === undefined ? {} : { pinned }), ...(proof === undefined ? {} : { proof: json(proof) }), id });
  return getTake(db, id);
}
export async function deleteTake(db: Knex, id: string): Promise<void> {
  const { frames_blob: frames, strip_blob: strip } = await row(db, id);
  await db('takes').where({ id }).delete();
  for (const blob of [frames, strip]) if (blob && !(await db('takes').where({ frames_blob: blob }).orWhere({ strip_blob: blob }).first('id'))) await dropBlob(db, blob);
}
/** Blob of a take's frames or pictures. */
export async function blobOfTake(db: Knex, id: string, which: 'frames' | 'strip'): Promise<string> {
  const found = await row(db, id), blob = which === 'frames' ? found.frames_blob : found.strip_blob;
  if (!blob) throw new UserError(404, 'notKept', which === 'frames' ? 'The moving picture of this take was not kept, only its figures: run it again to see it.' : 'There are no pictures of this take.');
  return blob;
}

export async function showLimits(db: Knex, productionId: string): Promise<Limits> {
  const found: { limits: string | null } | undefined = await db('productions').where({ id: productionId }).first('limits');
  if (!found) throw notFound('production');
  const parsed = limitsSchema.safeParse(found.limits === null ? {} : JSON.parse(found.limits));
  return parsed.success ? parsed.data : {};
}
export async function setLimits(db: Knex, productionId: string, limits: Limits): Promise<Limits> {
  await showLimits(db, productionId);
  await db('productions').where({ id: productionId }).update({ limits: json(limits) });
  return showLimits(db, productionId);
}

/** All that a take's page says. */
export async function sheetOfTake(db: Knex, id: string): Promise<SheetInput> {
  const found = await row(db, id), take = toTake(found), groom = await getGroom(db, (found as TakeRow & { groom_id: string }).groom_id), limits = await showLimits(db, groom.production.id), strip = found.strip_blob && (await getBlob(db, found.strip_blob));
  const usual = take.settings && differences({ ...take.settings, sway: defaultSway(), preRoll: defaultsOf(BAKE_PARAMETERS).preRoll, hidden: [] }, take.settings, 30);
  return { production: groom.production.name, character: groom.character.name, groom: groom.name, take: { name: take.name || take.shotName || 'take', shotName: take.shotName, createdAt: take.createdAt, changes: usual ?? [] }, proof: take.proof, limits, strip: strip ? strip.toString('base64') : null };
}
