import { database } from '@/server/db/connection';
import { sheetOfExport } from '@/server/export-sheet';
import { pageHeaders, route } from '@/server/http';

export const dynamic = 'force-dynamic';
/** One page to print, with everything in it. */
export const GET = route<{ id: string }>(async (_request, { id }) => new Response(await sheetOfExport(database(), id), { headers: pageHeaders }));
