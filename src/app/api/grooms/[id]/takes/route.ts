import { z } from 'zod';
import { proofSchema } from '@/core/document/proof';
import { bufferIdSchema } from '@/core/document/schema';
import { takeSettingsSchema } from '@/core/document/take';
import { database } from '@/server/db/connection';
import { addTake, listTakes } from '@/server/db/takes';
import { readBody, route } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route<{ id: string }>(async (_request, { id }) => Response.json(await listTakes(database(), id)));

const body = z.object({ motionKey: z.string().length(64), name: z.string().max(120), shotName: z.string().max(60), proof: proofSchema, settings: takeSettingsSchema.nullable(), frames: bufferIdSchema.nullable(), strip: bufferIdSchema.nullable(), bytes: z.number().int().min(0) });
export const POST = route<{ id: string }>(async (request, { id }) => {
  const take = body.parse(JSON.parse(new TextDecoder().decode(await readBody(request, 32 * 1048576))));
  return Response.json(await addTake(database(), id, take), { status: 201 });
});
