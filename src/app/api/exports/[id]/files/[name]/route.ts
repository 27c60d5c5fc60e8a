import { blobPieces } from '@/server/db/blobs';
import { database } from '@/server/db/connection';
import { getExport } from '@/server/db/exports';
import { notFound } from '@/server/db/records';
import { fileHeaders, route } from '@/server/http';
import { streamOf } from '@/server/zip-stream';

export const dynamic = 'force-dynamic';
export const GET = route<{ id: string; name: string }>(async (_request, { id, name }) => {
  const db = database(), file = (await getExport(db, id)).files.find((f) => f.name === decodeURIComponent(name));
  if (!file) throw notFound('file');
  return new Response(streamOf(blobPieces(db, file.blob)), { headers: fileHeaders(file.name, file.size) });
});
