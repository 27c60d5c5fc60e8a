import { bufferIdSchema } from '@/core/document/schema';
import { database } from '@/server/db/connection';
import { getBlob, hashOf, putBlob } from '@/server/db/blobs';
import { UserError } from '@/server/db/records';
import { bytesResponse, readBody, route } from '@/server/http';

const MOST_BYTES = 64 * 1048576;

export const GET = route<{ id: string }>(async (_request, { id }) => {
  const bytes = await getBlob(database(), bufferIdSchema.parse(id));
  if (!bytes) throw new UserError(404, 'notFound', 'There is no such buffer.');
  return bytesResponse(bytes, undefined, true);
});

export const PUT = route<{ id: string }>(async (request, { id }) => {
  const bytes = await readBody(request, MOST_BYTES);
  if (hashOf(bytes) !== bufferIdSchema.parse(id)) throw new UserError(400, 'damaged', 'The data arrived damaged; it is sent again.');
  await putBlob(database(), bytes);
  return new Response(null, { status: 204 });
});
