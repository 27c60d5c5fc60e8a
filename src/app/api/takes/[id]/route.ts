import { z } from 'zod';
import { proofSchema } from '@/core/document/proof';
import { database } from '@/server/db/connection';
import { changeTake, deleteTake } from '@/server/db/takes';
import { readBody, route } from '@/server/http';

const body = z.object({ name: z.string().min(1).max(120), pinned: z.boolean(), proof: proofSchema }).partial();
export const PATCH = route<{ id: string }>(async (request, { id }) => Response.json(await changeTake(database(), id, body.parse(JSON.parse(new TextDecoder().decode(await readBody(request, 32 * 1048576)))))));
export const DELETE = route<{ id: string }>(async (_request, { id }) => {
  await deleteTake(database(), id);
  return new Response(null, { status: 204 });
});
