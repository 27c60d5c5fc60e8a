import { nameFor } from '@/core/document/hand-over';
import { blobPieces } from '@/server/db/blobs';
import { database } from '@/server/db/connection';
import { getExport } from '@/server/db/exports';
import { UserError } from '@/server/db/records';
import { sheetOfExport } from '@/server/export-sheet';
import { fileHeaders, route } from '@/server/http';
import { streamOf, zipPieces, type ZipEntry } from '@/server/zip-stream';

export const dynamic = 'force-dynamic';
/** All files of a hand-over with its sheet. */
export const GET = route<{ id: string }>(async (_request, { id }) => {
  const db = database(), one = await getExport(db, id);
  if (!one.sheet) throw new UserError(409, 'notDone', 'This hand-over is not finished.');
  const page = await sheetOfExport(db, id), text = (value: string): AsyncIterable<Uint8Array> => (async function* once() { yield new TextEncoder().encode(value); })();
  const entries: ZipEntry[] = [...one.files.map((f) => ({ name: f.name, pieces: blobPieces(db, f.blob) })), { name: 'sheet.json', pieces: text(`${JSON.stringify(one.sheet, null, 2)}\n`), deflate: true }, { name: 'sheet.html', pieces: text(page), deflate: true }];
  return new Response(streamOf(zipPieces(entries)), { headers: fileHeaders(`${nameFor(one.wish.receiver, one.sheet.character, one.sheet.groom, one.sheet.shot, one.wish.format)}.zip`) });
});
