/** What a run is measured by, as it is stored; and the key of everything a run depends on. */
import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { z } from 'zod';
import type { GroomDocument } from './schema';

/** Changed whenever the solver gives other results for the same input. */
export const SOLVER_VERSION = 6;

export const measuresSchema = z.object({
  frame: z.number().int(), stretch: z.number(), stretchGuide: z.number().int(), depth: z.number(), depthGuide: z.number().int(), netUses: z.number().int(),
  contacts: z.number().int().default(0), press: z.number().default(0), broken: z.array(z.number().int()).default([]), volume: z.number().default(1),
});
const planSchema = z.object({ substeps: z.number().int(), passes: z.number().int(), error: z.number(), because: z.enum(['asked', 'error', 'root speed', 'root turning', 'root jolt', 'contact', 'least', 'most']) });
/** What was not yet measured by earlier versions stands at its default. */
export const reportSchema = z.object({
  kernel: z.enum(['float64', 'simd']).default('float64'), plan: planSchema.default({ substeps: 8, passes: 1, error: 0, because: 'asked' }), heldShare: z.number().default(0), guides: z.number().int(), cut: z.number().int(), beganInside: z.number().int(), beganDeepest: z.number(), pills: z.number().int(),
  rooted: z.number().int().default(0), beganNear: z.number().int().default(0), shells: z.number().int().default(0), bodies: z.number().int().default(0), notes: z.array(z.string()).default([]),
});
export const proofSchema = z.object({ start: z.number().int(), end: z.number().int(), fps: z.number(), report: reportSchema, frames: z.array(measuresSchema).max(100000) });
export type Proof = z.infer<typeof proofSchema>;

/** Limits above which a measure is trouble. Common practice, no source. */
export const THRESHOLDS = { stretch: 0.002, depth: 0.001 } as const;

/** Key of all that a run depends on: the character, the shot, the guides, the settings, the solver. Looks do not count. */
export function motionKey(document: GroomDocument, characterId: string): string {
  const { shot, hidden, plot, guides, sway } = document;
  return keyOf({ solver: SOLVER_VERSION, characterId, shot, hidden: [...hidden].sort(), mesh: plot.mesh, guides: guides && { planting: guides.planting, offsets: guides.offsets, pointCount: guides.pointCount }, sway });
}

/** Key of all that planting depends on. */
export function plantKey({ plot: { maps: { density, length }, flow, ...plot }, plant: { by, perCm2, guideCount, lengthSpread, ...plant } }: Pick<GroomDocument, 'plot' | 'plant'>): string {
  // what is not used is not named: guides of documents from before it are not out of date
  return keyOf({ plot: { ...plot, ...(density || length ? { maps: { density, length } } : {}), ...(flow && plant.lie !== 'standing' ? { flow } : {}) }, plant: { ...plant, ...(by === 'area' ? { perCm2 } : { guideCount }), ...(lengthSpread > 0 ? { lengthSpread } : {}) } });
}

function keyOf(value: unknown): string {
  return bytesToHex(sha256(utf8ToBytes(stableJson(value))));
}

/** JSON with the keys of every object in order. */
function stableJson(value: unknown): string {
  return JSON.stringify(value, (_k, v: unknown) =>
    v !== null && typeof v === 'object' && !Array.isArray(v) ? Object.fromEntries(Object.entries(v).sort(([a], [b]) => (a < b ? -1 : 1))) : v);
}
