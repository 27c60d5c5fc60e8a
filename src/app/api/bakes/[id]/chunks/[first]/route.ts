import { z } from 'zod';
import { database } from '@/server/db/connection';
import { bakeChunks, chunkBytes, getBake } from '@/server/db/bakes';
import { notFound } from '@/server/db/records';
import { bytesResponse, route } from '@/server/http';

export const dynamic = 'force-dynamic';
/** The samples that are stored together from one on, as they are stored. */
export const GET = route<{ id: string; first: string }>(async (_request, { id, first }) => {
  const db = database(), bake = await getBake(db, id), at = z.coerce.number().int().parse(first), chunk = (await bakeChunks(db, id)).find((c) => c.first === at);
  if (!chunk) throw notFound('part of the bake');
  return bytesResponse(await chunkBytes(db, bake, chunk));
});
