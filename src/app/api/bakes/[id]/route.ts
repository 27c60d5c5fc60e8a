import { database } from '@/server/db/connection';
import { bakeChunks, damageOf, deleteBake, getBake, proofOfBake, publicBake } from '@/server/db/bakes';
import { route } from '@/server/http';

export const dynamic = 'force-dynamic';
/** `?damage`: whether all of its frames can be read, which takes a while. */
export const GET = route<{ id: string }>(async (request, { id }) => {
  const db = database(), bake = await getBake(db, id);
  if (new URL(request.url).searchParams.has('damage')) return Response.json({ damage: bake.state === 'done' ? await damageOf(db, bake) : [] });
  return Response.json({ ...publicBake(bake), proof: await proofOfBake(db, bake), chunks: (await bakeChunks(db, id)).map(({ first, count }) => ({ first, count })) });
});
export const DELETE = route<{ id: string }>(async (_request, { id }) => {
  await deleteBake(database(), id);
  return new Response(null, { status: 204 });
});
