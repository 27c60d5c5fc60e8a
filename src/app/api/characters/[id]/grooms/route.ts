import { z } from 'zod';
import { firstDocument } from '@/core/document/first-document';
import { documentSchema } from '@/core/document/schema';
import { database } from '@/server/db/connection';
import { createGroom, getAsset, loadCharacter } from '@/server/db/records';
import { readBody, route } from '@/server/http';

const body = z.object({ name: z.string().trim().min(1).max(200), document: documentSchema.optional() });
/** Begins another groom on a character: afresh, or with the document of one that was carried over to it. */
export const POST = route<{ id: string }>(async (request, { id }) => {
  const { name, document } = body.parse(JSON.parse(new TextDecoder().decode(await readBody(request, 4 * 1048576)))), db = database(), asset = await getAsset(db, id);
  return Response.json({ groomId: await createGroom(db, id, name, document ?? firstDocument(await loadCharacter(db, asset.packed)), document ? 'Carried over' : 'New groom') }, { status: 201 });
});
