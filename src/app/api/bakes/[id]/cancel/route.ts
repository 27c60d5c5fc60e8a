import { database } from '@/server/db/connection';
import { cancelBake, getBake, publicBake } from '@/server/db/records';
import { route } from '@/server/http';

export const POST = route<{ id: string }>(async (_request, { id }) => {
  await cancelBake(database(), id);
  return Response.json(publicBake(await getBake(database(), id)));
});
