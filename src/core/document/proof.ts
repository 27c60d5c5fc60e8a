/** What a run is measured by, as it is stored; the limits of a show; and the key of everything a run depends on. */
import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { z } from 'zod';
import type { GroomDocument } from './schema';

/** Changed whenever the solver gives other results for the same input. */
export const SOLVER_VERSION = 16;

const count = z.number().int();
/** Where a loop closes: how far the strands are from where they were when it began, m and m/s, seen from their roots; and the guides. */
export const seamSchema = z.object({ gap: z.number(), gapGuide: count, speed: z.number(), speedGuide: count });
export type Seam = z.infer<typeof seamSchema>;

export const measuresSchema = z.object({
  frame: count, stretch: z.number(), stretchGuide: count, depth: z.number(), depthGuide: count, netUses: count,
  contacts: count.default(0), press: z.number().default(0), broken: z.array(count).default([]), volume: z.number().default(1),
  jump: z.number().default(0), jumpGuide: count.default(-1), jitter: z.number().default(0), jitterGuide: count.default(-1), drift: z.number().default(0), driftGuide: count.default(-1),
  strayed: z.number().default(0), alike: z.number().default(0), own: z.number().default(0), carried: z.number().default(0),
  /** Colliders that any strand is below: number of the collider, depth in m, guide. */
  below: z.array(z.tuple([count, z.number(), count])).default([]),
});
export type Measures = z.infer<typeof measuresSchema>;
const planSchema = z.object({ substeps: count, passes: count, error: z.number(), because: z.enum(['asked', 'cages', 'error', 'root speed', 'root turning', 'root jolt', 'contact', 'least', 'most']) });
/** What was not yet measured by earlier versions stands at its default. */
export const reportSchema = z.object({
  kernel: z.enum(['float64', 'simd']).default('float64'), plan: planSchema.default({ substeps: 8, passes: 1, error: 0, because: 'asked' }), heldShare: z.number().default(0), guides: count, cut: count, beganInside: count, beganDeepest: z.number(), pills: count,
  rooted: count.default(0), beganNear: count.default(0), shells: count.default(0), bodies: count.default(0), notes: z.array(z.string()).default([]),
  /** m: of the middle guide. */
  length: z.number().default(0),
  /** What the colliders are called, by their numbers. */
  colliders: z.array(z.string()).default([]),
});
/**
 * Filled strands against the closed meshes and pills, before they are pushed out: frame, depth in m, and the guide that the deepest strand follows most.
 * What the colliders are called, and how deep each was gone into at most: its number, frame, depth in m, guide.
 */
export const filledSchema = z.object({ count, frames: z.array(z.tuple([count, z.number(), count])).max(100000), colliders: z.array(z.string()).default([]), below: z.array(z.tuple([count, count, z.number(), count])).default([]) })
  // an earlier version told no colliders, and strands where guides belong
  .transform((f) => (f.colliders.length > 0 ? f : { ...f, frames: f.frames.map(([frame, depth]): [number, number, number] => [frame, depth, -1]) }));
export type FilledDepths = z.infer<typeof filledSchema>;
export const proofSchema = z.object({
  start: count, end: count, fps: z.number(), report: reportSchema, frames: z.array(measuresSchema).max(100000), seam: seamSchema.nullable().default(null), seconds: z.number().default(0),
  filled: filledSchema.nullable().default(null),
});
export type Proof = z.infer<typeof proofSchema>;

/** How a measure is judged over a take: by its worst frame, by the first that is shown, by the mean, or once for the take. */
export type Judged = 'worst' | 'start' | 'mean' | 'once';
export interface Measure {
  label: string;
  unit: string;
  /** Shown value = stored value × `scale`. */
  scale: number;
  digits: number;
  /** Above it is trouble, in stored units. Common practice, no source. */
  limit: number;
  judged: Judged;
  help: string;
}
const measure = (label: string, unit: string, scale: number, digits: number, limit: number, judged: Judged, help: string): Measure => ({ label, unit, scale, digits, limit, judged, help });

/** Every measure a take is judged by. */
export const MEASURES = {
  depth: measure('Depth', 'mm', 1000, 2, 0.001, 'worst', 'Greatest depth of a guide below the surface of a collider; the first stretch from the root does not count.'),
  filled: measure('Depth, filled', 'mm', 1000, 2, 0.003, 'worst', 'Greatest depth of a filled strand below a collider, before it is lifted out for hand-over. Measured when asked for.'),
  stretch: measure('Stretch', '%', 100, 3, 0.002, 'worst', 'Greatest change of length of any edge.'),
  jump: measure('Jump', 'g', 1, 1, 40, 'worst', 'Greatest change of speed against the skin from one frame to the next, in units of the earth’s pull.'),
  jitter: measure('Jitter', 'mm', 1000, 2, 0.008, 'worst', 'How far a strand shakes to and fro against the skin from frame to frame, five times running.'),
  drift: measure('Start drift', 'mm', 1000, 1, 0.025, 'start', 'How far a strand is from its groomed shape, carried by the skin, in the first frame that is shown; of a loop, which begins in motion, it is not asked.'),
  strayed: measure('Shape lost', '%', 100, 0, 0.4, 'mean', 'Mean distance of the tips from the groomed shape, as a share of the strands’ length, over the whole range.'),
  volume: measure('Volume lost', '%', 100, 0, 0.35, 'mean', 'How much less room neighbouring guides keep between them than in the groom.'),
  alike: measure('All alike', '%', 100, 0, 0.85, 'mean', 'Share of the strands that move as the mean of all does, within a third of it; over the frames in which hair moves.'),
  swing: measure('Swings on', 'm/s', 1, 2, 0.2, 'worst', 'Mean speed of the tips against the skin half a second after the skin has come to rest, and later.'),
  dead: measure('Stiffness', '%', 100, 0, 0.97, 'once', 'How much of the tips’ movement is just the skin’s: 100 % follows rigidly. Not asked of hair shorter than 4 cm.'),
  net: measure('Not closed', '', 1, 0, 0, 'once', 'Times a strand’s lengths did not close in a substep: it moved by more than its edges allow, or bends more sharply than its points can follow.'),
  broken: measure('Ties let go', '', 1, 0, 0, 'once', 'Ties whose force exceeded their snap force.'),
  seam: measure('Loop seam', 'mm', 1000, 2, 0.003, 'once', 'How far strands are, where the loop closes, from where they were when it began.'),
  seamSpeed: measure('Seam speed', 'm/s', 1, 2, 0.15, 'once', 'How differently strands move where the loop closes.'),
} as const satisfies Record<string, Measure>;
export type MeasureName = keyof typeof MEASURES;
export const MEASURE_NAMES = Object.keys(MEASURES) as MeasureName[];

/** Limits of a show, where they are not the usual ones; stored units. */
export const limitsSchema = z.partialRecord(z.enum(MEASURE_NAMES as [MeasureName, ...MeasureName[]]), z.number().min(0).max(1e6));
export type Limits = z.infer<typeof limitsSchema>;
export const limitOf = (name: MeasureName, limits: Limits): number => limits[name] ?? MEASURES[name].limit;

/** Key of all that a run depends on: the character, the shot, the guides, the settings, the solver. Looks do not count. */
export function motionKey(document: GroomDocument, characterId: string): string {
  const { shot, hidden, plot, guides, sway, bake, chains, drawn } = document;
  return keyOf({ solver: SOLVER_VERSION, characterId, shot, hidden: [...hidden].sort(), preRoll: bake.preRoll, mesh: plot.mesh, guides: guides && { planting: guides.planting, offsets: guides.offsets, pointCount: guides.pointCount }, sway, ...(chains.length > 0 ? { chains: chains.map(({ joints, kept, bendDeg }) => ({ joints, kept, bendDeg })) } : {}), ...(drawn?.given ? { drawn: drawn.given } : {}) });
}

/** Key of all that planting depends on. */
export function plantKey({ plot: { maps: { density, length }, flow, ...plot }, plant: { by, perCm2, guideCount, lengthSpread, noWhorls, ...plant } }: Pick<GroomDocument, 'plot' | 'plant'>): string {
  // what is not used is not named: guides of documents from before it are not out of date
  return keyOf({ plot: { ...plot, ...(density || length ? { maps: { density, length } } : {}), ...(flow && plant.lie !== 'standing' ? { flow, ...(noWhorls ? { noWhorls } : {}) } : {}) }, plant: { ...plant, ...(by === 'area' ? { perCm2 } : { guideCount }), ...(lengthSpread > 0 ? { lengthSpread } : {}) } });
}

function keyOf(value: unknown): string {
  return bytesToHex(sha256(utf8ToBytes(stableJson(value))));
}

/** JSON with the keys of every object in order. */
function stableJson(value: unknown): string {
  return JSON.stringify(value, (_k, v: unknown) =>
    v !== null && typeof v === 'object' && !Array.isArray(v) ? Object.fromEntries(Object.entries(v).sort(([a], [b]) => (a < b ? -1 : 1))) : v);
}
