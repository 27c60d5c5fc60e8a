import { handOverSchema } from '@/core/document/hand-over';
import { database } from '@/server/db/connection';
import { listExports, queueExport } from '@/server/db/exports';
import { route } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route<{ id: string }>(async (_request, { id }) => Response.json(await listExports(database(), id)));
export const POST = route<{ id: string }>(async (request, { id }) => Response.json(await queueExport(database(), id, handOverSchema.parse(await request.json())), { status: 201 }));
