import { z } from 'zod';
import { database } from '@/server/db/connection';
import { hairBakesFor, takeLoad } from '@/server/hair-on-sheet';
import { readBody, route } from '@/server/http';

export const dynamic = 'force-dynamic';
/** Bakes of hair of the character that may lie on the groom's sheet. */
export const GET = route<{ id: string }>(async (_request, { id }) => Response.json(await hairBakesFor(database(), id)));
const body = z.object({ bakeId: z.string().min(1).max(40) });
/** What one of them pressed by, as a load on the sheet as it is saved. */
export const POST = route<{ id: string }>(async (request, { id }) => Response.json(await takeLoad(database(), id, body.parse(JSON.parse(new TextDecoder().decode(await readBody(request, 4096)))).bakeId), { status: 201 }));
