import { z } from 'zod';
import { receiverSchema } from '@/core/document/hand-over';
import { database } from '@/server/db/connection';
import { listReceivers, setReceivers } from '@/server/db/exports';
import { route } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route(async () => Response.json(await listReceivers(database())));
/** The whole list, in its order; an empty one brings the usual receivers back. */
export const PUT = route(async (request) => Response.json(await setReceivers(database(), z.array(receiverSchema).max(100).parse(await request.json()))));
