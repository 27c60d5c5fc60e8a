import { database } from '@/server/db/connection';
import { versionsOf } from '@/server/db/versions';
import { route } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route<{ id: string }>(async (_request, { id }) => Response.json(await versionsOf(database(), id)));
