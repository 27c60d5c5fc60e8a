import { database } from '@/server/db/connection';
import { route } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route(async () => {
  await database().raw('select 1');
  return Response.json({ product: 'fine-comb', ok: true });
});
