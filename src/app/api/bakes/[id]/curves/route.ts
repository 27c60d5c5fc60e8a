import { writeUsda } from '@/formats/usda';
import { physicalRod } from '@/core/sway/materials';
import { database } from '@/server/db/connection';
import { z } from 'zod';
import { widthAt } from '@/core/fill/strands';
import { bakeFramePoints, bakeFrames, getBake, getGroom, openFilled, UserError } from '@/server/db/records';
import { route } from '@/server/http';

export const dynamic = 'force-dynamic';
/** Filled strands in one text file: more make files that hardly any program opens. */
const MOST_FILLED = 20000;
const query = z.object({ filled: z.coerce.number().int().min(1).max(MOST_FILLED).optional() });
/** The baked guides as OpenUSD curves; or with `?filled=N` the first N filled strands, pushed out of what collides. */
export const GET = route<{ id: string }>(async (request, { id }) => {
  const wanted = query.safeParse(Object.fromEntries(new URL(request.url).searchParams));
  if (!wanted.success) throw new UserError(400, 'filledCount', `As text, between 1 and ${MOST_FILLED.toLocaleString('en')} filled strands can be handed over.`);
  const { filled: count } = wanted.data;
  const db = database();
  const bake = await getBake(db, id);
  if (bake.state !== 'done') throw new UserError(409, 'notDone', 'This bake is not finished; only a finished one can be handed over.');
  const groom = await getGroom(db, bake.groomId);
  const blobs = new Map((await bakeFrames(db, id)).map((f) => [f.frame, f.blob]));
  const { guideCount, pointCount, document } = bake;
  const { diameter } = physicalRod(document.sway);
  const guidePoints = async (frame: number): Promise<Float32Array> => {
    const blob = blobs.get(frame);
    if (!blob) throw new UserError(500, 'frameMissing', `Frame ${frame} of this bake is missing.`);
    return bakeFramePoints(db, blob);
  };
  const filled = count === undefined ? null : await openFilled(db, bake, count), strands = filled?.strands.count ?? 0, nodes = filled?.strands.nodes ?? 0;
  const pieces = writeUsda(filled ? {
    name: `${groom.name} filled`, fps: document.shot.fps, startFrame: bake.startFrame, endFrame: bake.endFrame,
    counts: new Int32Array(strands).fill(nodes), ids: Int32Array.from({ length: strands }, (_, i) => i), widths: Float32Array.from({ length: nodes * strands }, (_, i) => widthAt(document.fill, Math.floor(i / nodes), i % nodes, nodes)),
    points: async (frame) => filled.at(frame, await guidePoints(frame)),
    comment: `${groom.production.name}: ${groom.character.name}, ${groom.name}, ${document.shot.clip}. ${strands} of ${document.fill.count} filled strands, pushed out of what collides, by Fine Comb; metres, +Y up, widths are diameters.`,
  } : {
    name: groom.name, fps: document.shot.fps, startFrame: bake.startFrame, endFrame: bake.endFrame,
    counts: new Int32Array(guideCount).fill(pointCount), ids: Int32Array.from({ length: guideCount }, (_, i) => i),
    widths: new Float32Array(guideCount * pointCount).fill(diameter),
    points: guidePoints,
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
  return new Response(stream, { headers: { 'content-type': 'model/vnd.usda', 'content-disposition': `attachment; filename="${file}${count === undefined ? '' : `-filled-${count}`}.usda"`, 'cache-control': 'no-store' } });
});
