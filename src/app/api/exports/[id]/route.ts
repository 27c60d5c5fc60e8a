import { database } from '@/server/db/connection';
import { deleteExport, getExport } from '@/server/db/exports';
import { route } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route<{ id: string }>(async (_request, { id }) => Response.json(await getExport(database(), id)));
export const DELETE = route<{ id: string }>(async (_request, { id }) => {
  await deleteExport(database(), id);
  return new Response(null, { status: 204 });
});
