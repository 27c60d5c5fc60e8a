import { limitsSchema } from '@/core/document/proof';
import { database } from '@/server/db/connection';
import { setLimits, showLimits } from '@/server/db/takes';
import { readBody, route } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route<{ id: string }>(async (_request, { id }) => Response.json(await showLimits(database(), id)));
export const PUT = route<{ id: string }>(async (request, { id }) => Response.json(await setLimits(database(), id, limitsSchema.parse(JSON.parse(new TextDecoder().decode(await readBody(request, 65536)))))));
