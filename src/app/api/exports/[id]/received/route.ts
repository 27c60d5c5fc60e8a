import { receivedSchema } from '@/formats/hand-over-sheet';
import { database } from '@/server/db/connection';
import { setReceived } from '@/server/db/exports';
import { route } from '@/server/http';

/** What the stand-in receiver found goes on the sheet. */
export const PUT = route<{ id: string }>(async (request, { id }) => Response.json(await setReceived(database(), id, receivedSchema.parse(await request.json()))));
