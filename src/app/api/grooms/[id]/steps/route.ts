import { database } from '@/server/db/connection';
import { groomSteps } from '@/server/db/records';
import { route } from '@/server/http';

/** Steps that survive a reload. */
const STEPS = 201;

export const dynamic = 'force-dynamic';
/** The newest states of a groom with what led to each. */
export const GET = route<{ id: string }>(async (_request, { id }) => Response.json(await groomSteps(database(), id, STEPS)));
