import { z } from 'zod';
import { database } from '@/server/db/connection';
import { getExport } from '@/server/db/exports';
import { cancelJob, resumeJob } from '@/server/db/queue';
import { route } from '@/server/http';

export const POST = route<{ id: string; action: string }>(async (_request, { id, action }) => {
  const db = database();
  await getExport(db, id);
  await (z.enum(['cancel', 'resume']).parse(action) === 'cancel' ? cancelJob : resumeJob)(db, 'exports', id);
  return Response.json(await getExport(db, id));
});
