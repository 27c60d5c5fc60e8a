import { z } from 'zod';
import { documentSchema } from '@/core/document/schema';
import { database } from '@/server/db/connection';
import { createGroom, getGroom } from '@/server/db/records';
import { readBody, route } from '@/server/http';

const body = z.object({ name: z.string().min(1).max(200), document: documentSchema });
/** A new groom on the same character. */
export const POST = route<{ id: string }>(async (request, { id }) => {
  const { name, document } = body.parse(JSON.parse(new TextDecoder().decode(await readBody(request, 4 * 1048576))));
  const groom = await getGroom(database(), id);
  return Response.json({ groomId: await createGroom(database(), groom.character.id, name, document, `Copy of ${groom.name}`) }, { status: 201 });
});
