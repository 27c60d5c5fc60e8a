import { z } from 'zod';
import { documentSchema } from '@/core/document/schema';
import { database } from '@/server/db/connection';
import { getGroom, saveGroom } from '@/server/db/records';
import { readBody, route } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route<{ id: string }>(async (_request, { id }) => Response.json(await getGroom(database(), id)));

const save = z.object({ base: z.number().int().min(1), label: z.string(), document: documentSchema, between: z.array(z.object({ label: z.string(), document: documentSchema })).max(100).default([]) });
export const PUT = route<{ id: string }>(async (request, { id }) => {
  const { base, label, document, between } = save.parse(JSON.parse(new TextDecoder().decode(await readBody(request, 16 * 1048576))));
  return Response.json({ version: await saveGroom(database(), id, base, document, label, between) });
});
