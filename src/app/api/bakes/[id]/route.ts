import { database } from '@/server/db/connection';
import { bakeFrames, deleteBake, getBake, publicBake } from '@/server/db/records';
import { route } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route<{ id: string }>(async (_request, { id }) => {
  const bake = publicBake(await getBake(database(), id));
  return Response.json({ ...bake, frames: (await bakeFrames(database(), id)).map((f) => f.measures) });
});
export const DELETE = route<{ id: string }>(async (_request, { id }) => {
  await deleteBake(database(), id);
  return new Response(null, { status: 204 });
});
