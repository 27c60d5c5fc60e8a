import { takeSheet } from '@/core/proof/sheet';
import { database } from '@/server/db/connection';
import { sheetOfTake } from '@/server/db/takes';
import { pageHeaders, route } from '@/server/http';

export const dynamic = 'force-dynamic';
/** One page to print, with everything in it. */
export const GET = route<{ id: string }>(async (_request, { id }) => new Response(takeSheet(await sheetOfTake(database(), id)), { headers: pageHeaders }));
