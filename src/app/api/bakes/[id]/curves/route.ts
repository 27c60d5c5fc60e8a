import { writeUsda } from '@/formats/usda';
import { physicalRod } from '@/core/sway/materials';
import { database } from '@/server/db/connection';
import { bakeFramePoints, bakeFrames, getBake, getGroom, UserError } from '@/server/db/records';
import { route } from '@/server/http';

export const dynamic = 'force-dynamic';
/** The baked guides as OpenUSD curves. */
export const GET = route<{ id: string }>(async (_request, { id }) => {
  const db = database();
  const bake = await getBake(db, id);
  if (bake.state !== 'done') throw new UserError(409, 'notDone', 'This bake is not finished; only a finished one can be handed over.');
  const groom = await getGroom(db, bake.groomId);
  const blobs = new Map((await bakeFrames(db, id)).map((f) => [f.frame, f.blob]));
  const { guideCount, pointCount, document } = bake;
  const { diameter } = physicalRod(document.sway);
  const pieces = writeUsda({
    name: groom.name, fps: document.shot.fps, startFrame: bake.startFrame, endFrame: bake.endFrame,
    counts: new Int32Array(guideCount).fill(pointCount), ids: Int32Array.from({ length: guideCount }, (_, i) => i),
    widths: new Float32Array(guideCount * pointCount).fill(diameter),
    points: async (frame) => {
      const blob = blobs.get(frame);
      if (!blob) throw new UserError(500, 'frameMissing', `Frame ${frame} of this bake is missing.`);
      return bakeFramePoints(db, blob);
    },
    comment: `${groom.production.name}: ${groom.character.name}, ${groom.name}, ${document.shot.clip}. Guide strands baked by Fine Comb; metres, +Y up, widths are diameters.`,
  });
  const encoder = new TextEncoder();
  const stream = new ReadableStream<Uint8Array>({
    async pull(controller) {
      try {
        const next = await pieces.next();
        if (next.done) controller.close();
        else controller.enqueue(encoder.encode(next.value));
      } catch (cause) { controller.error(cause); }
    },
  });
  const file = `${groom.character.name} ${groom.name} ${document.shot.clip}`.replace(/[^A-Za-z0-9]+/g, '-').toLowerCase();
  return new Response(stream, { headers: { 'content-type': 'model/vnd.usda', 'content-disposition': `attachment; filename="${file}.usda"`, 'cache-control': 'no-store' } });
});
