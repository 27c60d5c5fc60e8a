import { database } from '@/server/db/connection';
import { getBlob } from '@/server/db/blobs';
import { getAsset, UserError } from '@/server/db/records';
import { bytesResponse, route } from '@/server/http';

export const GET = route<{ id: string }>(async (_request, { id }) => {
  const asset = await getAsset(database(), id);
  const bytes = await getBlob(database(), asset.packed);
  if (!bytes) throw new UserError(404, 'notFound', 'The character’s data is missing.');
  return bytesResponse(bytes);
});
