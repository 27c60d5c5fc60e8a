import { z } from 'zod';
import { database } from '@/server/db/connection';
import { putOnVersion } from '@/server/db/versions';
import { readBody, route } from '@/server/http';

const order = z.object({ base: z.number().int().min(1), characterId: z.string().min(1).max(32) });
/** Puts the groom on another version of its character. */
export const PUT = route<{ id: string }>(async (request, { id }) => {
  const { base, characterId } = order.parse(JSON.parse(new TextDecoder().decode(await readBody(request, 10_000))));
  await putOnVersion(database(), id, base, characterId);
  return Response.json({ characterId });
});
