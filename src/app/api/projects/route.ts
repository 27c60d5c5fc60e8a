import { database } from '@/server/db/connection';
import { rateLimit, route } from '@/server/http';
import { openProject } from '@/server/project-file';

const limit = rateLimit(10, 60_000);
/** A project's zip as the body: taken in beside what is there. */
export const POST = route(async (request) => {
  limit();
  return Response.json(await openProject(database(), request.body), { status: 201 });
});
