import { database } from '@/server/db/connection';
import { keepAsClip } from '@/server/keep-clip';
import { route } from '@/server/http';

export const dynamic = 'force-dynamic';
/** Makes the movement of baked chains one more clip of the character, in a version of its own. */
export const POST = route<{ id: string }>(async (_request, { id }) => Response.json(await keepAsClip(database(), id), { status: 201 }));
