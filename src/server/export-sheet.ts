/** The page of a hand-over's sheet. */
import type { Knex } from 'knex';
import { sheetPage } from '../formats/hand-over-sheet';
import { getBake, proofOfBake } from './db/bakes';
import { getExport, stripOf } from './db/exports';
import { getGroom, UserError } from './db/records';
import { listTakes, blobOfTake, showLimits } from './db/takes';
import { getBlob } from './db/blobs';

export async function sheetOfExport(db: Knex, id: string): Promise<string> {
  const { sheet, bakeId } = await getExport(db, id);
  if (!sheet) throw new UserError(409, 'notDone', 'This hand-over is not finished.');
  const bake = await getBake(db, bakeId), groom = await getGroom(db, bake.groomId), take = (await listTakes(db, bake.groomId)).find((t) => t.motionKey === bake.motionKey && t.hasStrip);
  // where none came with it, a take of the same movement has some
  const own = await stripOf(db, id), strip = own ? await getBlob(db, own) : take ? await getBlob(db, await blobOfTake(db, take.id, 'strip')) : null;
  return sheetPage(sheet, await proofOfBake(db, bake), await showLimits(db, groom.production.id), strip ? [strip.toString('base64')] : []);
}
