import { importChoicesSchema } from '@/core/mesh/placement';
import { blobPieces } from '@/server/db/blobs';
import { assetOfBake, getBake } from '@/server/db/bakes';
import { database } from '@/server/db/connection';
import { getExport } from '@/server/db/exports';
import { UserError } from '@/server/db/records';
import { route } from '@/server/http';
import { streamOf } from '@/server/zip-stream';

export const dynamic = 'force-dynamic';
/** The character's own file as it came in, and how it was placed. */
export const GET = route<{ id: string }>(async (_request, { id }) => {
  const db = database(), asset = await assetOfBake(db, await getBake(db, (await getExport(db, id)).bakeId)), row: { source_blob: string; choices: string | null; follows: string | null } | undefined = await db('assets').where({ id: asset.id }).first('source_blob', 'choices', 'follows');
  // of a character that got a garment later the file of before is the character's
  if (!row || row.follows || !/\.glb$/i.test(asset.fileName)) throw new UserError(404, 'noFile', 'This character did not come as one .glb: choose a file of it to play the hair on.');
  const choices = importChoicesSchema.safeParse(row.choices && JSON.parse(row.choices));
  return new Response(streamOf(blobPieces(db, row.source_blob)), { headers: { 'content-type': 'model/gltf-binary', 'cache-control': 'no-store', 'x-placement': JSON.stringify(choices.success ? choices.data.placement : null) } });
});
