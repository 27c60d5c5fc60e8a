import { database } from '@/server/db/connection';
import { listBakes, queueBake } from '@/server/db/bakes';
import { route } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route<{ id: string }>(async (_request, { id }) => Response.json(await listBakes(database(), id)));
/** Queues a bake of the groom as it is saved now. */
export const POST = route<{ id: string }>(async (_request, { id }) => Response.json(await queueBake(database(), id), { status: 201 }));
