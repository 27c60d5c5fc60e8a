import { z } from 'zod';
import { proofSchema } from '@/core/document/proof';
import { database } from '@/server/db/connection';
import { addTake, newestTake } from '@/server/db/records';
import { readBody, route } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route<{ id: string }>(async (request, { id }) => Response.json(await newestTake(database(), id, z.string().length(64).optional().parse(new URL(request.url).searchParams.get('key') ?? undefined))));

const body = z.object({ motionKey: z.string().length(64), proof: proofSchema });
export const POST = route<{ id: string }>(async (request, { id }) => {
  const { motionKey, proof } = body.parse(JSON.parse(new TextDecoder().decode(await readBody(request, 16 * 1048576))));
  return Response.json({ id: await addTake(database(), id, motionKey, proof) }, { status: 201 });
});
