import { takeSheet } from '@/core/proof/sheet';
import { database } from '@/server/db/connection';
import { sheetOfTake } from '@/server/db/takes';
import { route } from '@/server/http';

export const dynamic = 'force-dynamic';
/** One page to print, with everything in it. */
export const GET = route<{ id: string }>(async (_request, { id }) => new Response(takeSheet(await sheetOfTake(database(), id)), { headers: { 'content-type': 'text/html; charset=utf-8', 'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'; img-src data:", 'cache-control': 'no-store' } }));
