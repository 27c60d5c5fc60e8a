import { database } from '@/server/db/connection';
import { overview } from '@/server/db/records';
import { route } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route(async () => Response.json(await overview(database())));
