import { z } from 'zod';
import { database } from '@/server/db/connection';
import { getBake, mendBake, publicBake } from '@/server/db/bakes';
import { cancelJob, hurryJob, pauseJob, resumeJob } from '@/server/db/queue';
import { route } from '@/server/http';

const ACTIONS = { cancel: cancelJob, pause: pauseJob, resume: resumeJob, hurry: hurryJob };
const action = z.enum(['cancel', 'pause', 'resume', 'hurry', 'mend']);
/** What a person asks of a bake. */
export const POST = route<{ id: string; action: string }>(async (_request, { id, action: asked }) => {
  const db = database(), what = action.parse(asked);
  await getBake(db, id);
  if (what === 'mend') await mendBake(db, id);
  else await ACTIONS[what](db, 'bakes', id);
  return Response.json(publicBake(await getBake(db, id)));
});
