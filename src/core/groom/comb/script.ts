/** Strokes written down: a style as a list of what the hand did, to be done again on any guides. */
import { z } from 'zod';
import { ALONG } from './along';
import { BRUSHES, BrushStroke } from './brush-stroke';
import { cutAtBrush } from './cut';
import type { KeepOff } from './keep-off';
import { dabOf, mirroredDab, Strides } from './reach';

const place = z.tuple([z.number(), z.number(), z.number()]);
export const strokeSchema = z.object({
  tool: z.enum([...BRUSHES, 'cut']),
  /** Places the brush goes through in the rest pose, m, and the way it is looked along. */
  path: z.array(place).min(2).max(200), sight: place,
  radiusMm: z.number().min(1).max(200), strength: z.number().min(0).max(1).default(0.7), falloff: z.number().min(0).max(1).default(0.8),
  along: z.enum(Object.keys(ALONG) as [keyof typeof ALONG]).default('whole'), from: z.number().min(0).max(1).default(0),
  reverse: z.boolean().default(false), symmetric: z.boolean().default(false), curlMm: z.number().default(9), pitchMm: z.number().default(60),
});
export const strokesSchema = z.array(strokeSchema).max(2000);
export type WrittenStroke = z.infer<typeof strokeSchema>;

/** Does strokes on guides in the rest pose, in place. `points` 3 × pointCount × guides, `normals` 3 × guides. */
export function playStrokes(strokes: readonly WrittenStroke[], groom: { points: Float64Array; pointCount: number; normals: Float64Array }, keepOff: KeepOff): void {
  for (const s of strokes) {
    const radius = s.radiusMm / 1000, l = Math.hypot(...s.sight) || 1, sight = s.sight.map((v) => v / l), strides = new Strides(s.path[0], radius);
    const stroke = s.tool === 'cut' ? null : new BrushStroke(s.tool, { ...groom, chosen: null }, { radius, strength: s.strength, falloff: s.falloff, along: ALONG[s.along], from: s.from, reverse: s.reverse, curlRadius: s.curlMm / 1000, curlPitch: s.pitchMm / 1000 }, keepOff);
    const at = (a: ArrayLike<number>, b: ArrayLike<number>, share: number): void => {
      const dab = dabOf(a, b, sight, share), both = s.symmetric ? [dab, mirroredDab(dab)] : [dab];
      if (stroke) stroke.touch(...both);
      else for (const d of both) cutAtBrush(groom.points, groom.pointCount, radius, d.centre, d.sight);
    };
    if (s.tool !== 'comb' && s.tool !== 'part') at(s.path[0], s.path[0], 1);
    s.path.slice(1).forEach((to, k) => { for (const [a, b, share] of strides.to(to, k === s.path.length - 2)) at(a, b, share); });
  }
}
