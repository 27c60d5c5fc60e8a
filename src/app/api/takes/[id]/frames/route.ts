import { getBlob } from '@/server/db/blobs';
import { database } from '@/server/db/connection';
import { notFound } from '@/server/db/records';
import { blobOfTake } from '@/server/db/takes';
import { bytesResponse, route } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route<{ id: string }>(async (_request, { id }) => {
  const bytes = await getBlob(database(), await blobOfTake(database(), id, 'frames'));
  if (!bytes) throw notFound('part of the take');
  return bytesResponse(bytes, 'application/octet-stream', true);
});
