import { database } from '@/server/db/connection';
import { fileHeaders, route } from '@/server/http';
import { projectEntries } from '@/server/project-file';
import { streamOf, zipPieces } from '@/server/zip-stream';

export const dynamic = 'force-dynamic';
/** A production as one file; `?groom=ID`: only that groom, with its character. */
export const GET = route<{ id: string }>(async (request, { id }) => {
  const { name, entries } = await projectEntries(database(), id, new URL(request.url).searchParams.get('groom'));
  return new Response(streamOf(zipPieces(entries)), { headers: fileHeaders(`${name}.zip`, undefined, 'application/zip') });
});
