import { handOverSchema } from '@/core/document/hand-over';
import { bufferIdSchema } from '@/core/document/schema';
import { database } from '@/server/db/connection';
import { listExports, queueExport } from '@/server/db/exports';
import { route } from '@/server/http';

const body = handOverSchema.extend({ strip: bufferIdSchema.nullable().default(null) });
export const dynamic = 'force-dynamic';
export const GET = route<{ id: string }>(async (_request, { id }) => Response.json(await listExports(database(), id)));
export const POST = route<{ id: string }>(async (request, { id }) => {
  const { strip, ...wish } = body.parse(await request.json());
  return Response.json(await queueExport(database(), id, wish, strip), { status: 201 });
});
