import { z } from 'zod';
import { ROLES } from '@/core/mesh/character';
import { placementSchema } from '@/core/mesh/placement';
import { FILE_LIMITS, unpackSet } from '@/formats/file-set';
import { database } from '@/server/db/connection';
import { UserError } from '@/server/db/records';
import { wearGarment } from '@/server/db/versions';
import { rateLimit, readBody, route } from '@/server/http';

const limit = rateLimit(30, 60_000);
const query = z.object({
  fileName: z.string().min(1).max(300), groomId: z.string().min(1).max(32), base: z.coerce.number().int().min(1), replace: z.string().max(200).optional(), role: z.enum(ROLES),
  clip: z.string().max(200).optional(), fps: z.coerce.number().min(1).max(240), scale: z.coerce.number().optional(), up: z.string().optional(),
});

/** A garment's file, or a set of them, as the body: a new version of the character that wears it. */
export const POST = route<{ id: string }>(async (request, { id }) => {
  limit();
  const { fileName, replace, clip, scale, up, ...order } = query.parse(Object.fromEntries(new URL(request.url).searchParams));
  const placement = scale === undefined ? null : placementSchema.pick({ scale: true, up: true }).parse({ scale, up });
  const files = unpackSet(await readBody(request, FILE_LIMITS.megabytes * 1048576), fileName);
  if (!files.ok) throw new UserError(422, files.error.type, files.error.message);
  return Response.json(await wearGarment(database(), id, { ...order, files: files.value, fileName, replace: replace ?? null, clip: clip ?? null, placement }), { status: 201 });
});
