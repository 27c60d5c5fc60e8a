import { z } from 'zod';
import { database } from '@/server/db/connection';
import { bakeFramePoints, bakeFrames } from '@/server/db/records';
import { bytesResponse, route } from '@/server/http';

const query = z.object({ from: z.coerce.number().int(), to: z.coerce.number().int() }).refine((q) => q.to - q.from < 256, 'at most 256 frames at once');
/** Frames one after the other: i32 frame, u32 floats, then the floats (guide points, m, world). Little-endian. */
export const GET = route<{ id: string }>(async (request, { id }) => {
  const { from, to } = query.parse(Object.fromEntries(new URL(request.url).searchParams));
  const db = database();
  const frames = await Promise.all((await bakeFrames(db, id, from, to)).map(async (f) => ({ frame: f.frame, points: await bakeFramePoints(db, f.blob) })));
  const out = new Uint8Array(frames.reduce((n, f) => n + 8 + f.points.byteLength, 0)), view = new DataView(out.buffer);
  let at = 0;
  for (const f of frames) {
    view.setInt32(at, f.frame, true);
    view.setUint32(at + 4, f.points.length, true);
    out.set(new Uint8Array(f.points.buffer), at + 8);
    at += 8 + f.points.byteLength;
  }
  return bytesResponse(out);
});
