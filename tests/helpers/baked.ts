/** A bake of hair on the bending tube, in memory; and what a hand-over of it comes to. */
import { planBake } from '../../src/core/bake/bake-plan';
import type { Baked } from '../../src/core/bake/baked';
import { handOverSchema, USUAL_RECEIVERS, type HandOver, type HandOverReport, type HandOverWish } from '../../src/core/document/hand-over';
import { planRun, SwayRun } from '../../src/core/sway/run';
import { handOver } from '../../src/formats/hand-over';
import { tubeScenes } from './tube-scene';

export async function bakedTube(options: { guides?: number; end?: number; samples?: number } = {}): Promise<Baked> {
  const { guides = 40, end = 12, samples = 1 } = options, tube = await tubeScenes(guides, 10), document = tube.document({ hold: 0.3, damping: 2 }, { end }, 4);
  document.bake.samples = samples;
  document.fill = { ...document.fill, count: 400, preview: 400 };
  document.cards = { ...document.cards, atlas: '512', triangles: 900, layers: 1, levels: 2, segments: 5 };
  document.guides = { count: guides, pointCount: 10, planting: 'a'.repeat(64), offsets: 'b'.repeat(64), plantKey: 'c'.repeat(64), combed: false };
  const plan = planBake(document), scene = { ...tube.scene({ hold: 0.3, damping: 2 }), shot: plan.document.shot }, run = new SwayRun(scene, plan.rest, { plan: planRun(scene, plan.rest, plan.last) }), frames = new Map<number, Float32Array>();
  while (run.frame < plan.last) { run.advance(); if (run.frame >= plan.first) frames.set(run.frame, run.positions()); }
  return { document, character: tube.character, planting: tube.planting, offsets: tube.offsets, faces: tube.plot, maps: {}, samples, startFrame: 0, endFrame: end, sample: (n) => Promise.resolve(frames.get(n)!) };
}

export interface Handed { files: Map<string, Buffer>; report: HandOverReport; wish: HandOver; file: (ending: string) => Buffer }
export async function handed(baked: Baked, asked: Omit<HandOverWish, 'receiver'> & { receiver?: HandOverWish['receiver'] }): Promise<Handed> {
  const wish = handOverSchema.parse({ receiver: USUAL_RECEIVERS[0], ...asked }), files = new Map<string, Buffer>(), run = handOver(baked, wish, { production: 'Test', character: 'Tube', groom: 'fuzz', shot: 'bend' });
  let next = await run.next();
  for (; !next.done; next = await run.next()) { const parts: Buffer[] = []; for await (const p of next.value.pieces) parts.push(Buffer.from(p)); files.set(next.value.name, Buffer.concat(parts)); }
  return { files, report: next.value, wish, file: (ending) => { const found = [...files].find(([n]) => n.endsWith(ending)); if (!found) throw new Error(`no ${ending} among ${[...files.keys()].join(', ')}`); return found[1]; } };
}
