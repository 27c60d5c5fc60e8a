import { z } from 'zod';
import { firstDocument } from '@/core/document/first-document';
import { database } from '@/server/db/connection';
import { createGroom, getAsset, loadCharacter } from '@/server/db/records';
import { readBody, route } from '@/server/http';

const body = z.object({ name: z.string().trim().min(1).max(200) });
/** Begins another groom on a character. */
export const POST = route<{ id: string }>(async (request, { id }) => {
  const { name } = body.parse(JSON.parse(new TextDecoder().decode(await readBody(request, 65536)))), db = database(), asset = await getAsset(db, id);
  return Response.json({ groomId: await createGroom(db, id, name, firstDocument(await loadCharacter(db, asset.packed)), 'New groom') }, { status: 201 });
});
