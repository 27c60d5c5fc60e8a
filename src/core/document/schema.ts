/**
 * The groom document: everything an artist decides about one groom in one shot, as plain data. Big arrays (faces of a plot,
 * plantings, guide shapes) are immutable buffers named by the SHA-256 of their bytes.
 *
 * Every parameter's range, unit, default and explanation stands here and nowhere else.
 */
import { z } from 'zod';

export const DOCUMENT_FORMAT = 1;

export interface Parameter {
  label: string;
  unit: string;
  min: number;
  max: number;
  step: number;
  fallback: number;
  /** One sentence for the artist. */
  help: string;
  integer?: boolean;
}

const parameter = (label: string, unit: string, min: number, max: number, step: number, fallback: number, help: string, integer = false): Parameter => ({ label, unit, min, max, step, fallback, help, integer });

export const PLANT_PARAMETERS = {
  guideCount: parameter('Guides', '', 1, 4000, 1, 300, 'How many guides are spread evenly over the plot.', true),
  lengthCm: parameter('Length', 'cm', 0.5, 120, 0.1, 24, 'Length of every newly planted guide.'),
  pointCount: parameter('Points', '', 4, 64, 1, 16, 'Points of each guide; 16 is enough for smooth long hair.', true),
  liftMm: parameter('Lift', 'mm', 1, 60, 0.5, 12, 'How far falling hair stays off the skin.'),
  seed: parameter('Seed', '', 1, 9999, 1, 7, 'Another number gives another even spread.', true),
} satisfies Record<string, Parameter>;

export const FILL_PARAMETERS = {
  count: parameter('Strands', '', 100, 250000, 100, 60000, 'Strands of the finished groom.', true),
  preview: parameter('Preview', '', 100, 60000, 100, 6000, 'How many of them are drawn while you work; always the first of the same strands.', true),
  widthUm: parameter('Width', 'µm', 20, 400, 1, 80, 'Thickness of a strand at its root, in the world.'),
  taper: parameter('Tip width', '×', 0.02, 1, 0.01, 0.15, 'Thickness of the tip as a share of the root.'),
  clump: parameter('Clump', '', 0, 1, 0.01, 0.5, 'How far strands draw together toward their nearest guide.'),
  lock: parameter('Inner locks', '', 0, 1, 0.01, 0.6, 'How far strands draw together into small locks.'),
  frizzMm: parameter('Frizz', 'mm', 0, 10, 0.05, 0.5, 'Sideways wander of single strands.'),
  lengthSpread: parameter('Shorter by up to', '×', 0, 0.9, 0.01, 0.2, 'Strands may be shorter than their guides by this share.'),
  melanin: parameter('Brown-black', '', 0, 4, 0.01, 0.75, 'Amount of eumelanin: blond 0.3, brown 1.2, black 3.'),
  redness: parameter('Red', '', 0, 2, 0.01, 0.35, 'Amount of pheomelanin, which makes hair red.'),
} satisfies Record<string, Parameter>;

export const SWAY_PARAMETERS = {
  diameterUm: parameter('Thickness', 'µm', 20, 400, 1, 80, 'Diameter of the strand that is computed; stiffness grows with its fourth power.'),
  stiffness: parameter('Bend ×', '×', 0.05, 200, 0.05, 6, 'Multiplies the bending and twisting stiffness; a lock of strands is stiffer than one strand.'),
  damping: parameter('Damping', '1/s', 0, 40, 0.1, 4, 'How fast movement against the head dies away.'),
  holdRoot: parameter('Hold at root', '', 0, 1, 0.01, 0.75, 'How strongly the combed shape is kept near the skin: 1 follows it, 0 is free.'),
  holdTip: parameter('Hold at tip', '', 0, 1, 0.01, 0.06, 'The same at the tip.'),
  holdReach: parameter('Hold reaches', '×', 0.02, 1, 0.01, 0.45, 'Share of the length over which hold passes from its root to its tip value.'),
  gravity: parameter('Gravity', 'm/s²', 0, 30, 0.01, 9.81, 'Pull of the earth.'),
  skinGapMm: parameter('Skin gap', 'mm', 0, 20, 0.1, 1, 'Distance kept between strands and pills.'),
  friction: parameter('Friction', '', 0, 2, 0.01, 0.3, 'Coulomb’s coefficient between hair and what it touches.'),
  substeps: parameter('Substeps', '', 1, 32, 1, 8, 'Solver steps in a frame; 6 to 8 settle a fast head turn.', true),
} satisfies Record<string, Parameter>;

export const BAKE_PARAMETERS = {
  preRoll: parameter('Pre-roll', 'frames', 0, 240, 1, 24, 'Frames computed before the range, so that it starts settled.', true),
} satisfies Record<string, Parameter>;

type Values<T> = { -readonly [K in keyof T]: z.ZodNumber };
function numbers<T extends Record<string, Parameter>>(table: T): z.ZodObject<Values<T>> {
  const shape = Object.fromEntries(Object.entries(table).map(([key, p]) => {
    const n = z.number().min(p.min).max(p.max);
    return [key, p.integer ? n.int() : n];
  }));
  return z.object(shape as Values<T>);
}
export function defaultsOf<T extends Record<string, Parameter>>(table: T): { [K in keyof T]: number } {
  return Object.fromEntries(Object.entries(table).map(([key, p]) => [key, p.fallback])) as { [K in keyof T]: number };
}

export const bufferIdSchema = z.string().regex(/^[0-9a-f]{64}$/);
export type BufferId = string;

const plantSchema = numbers(PLANT_PARAMETERS).extend({ lie: z.enum(['standing', 'falling']) });
export const swaySchema = numbers(SWAY_PARAMETERS).extend({ calmStart: z.boolean(), skinPills: z.boolean(), garmentPills: z.boolean() });
export type SwaySettings = z.infer<typeof swaySchema>;

export const documentSchema = z.object({
  format: z.literal(DOCUMENT_FORMAT),
  shot: z.object({
    clip: z.string(),
    /** Frames; end is the last one shown. */
    start: z.number().int().min(-10000).max(100000),
    end: z.number().int().min(-10000).max(100000),
    fps: z.number().min(1).max(240),
    cyclic: z.boolean(),
  }),
  /** Names of meshes not shown in this shot; they do not collide either. */
  hidden: z.array(z.string()).max(1000),
  plot: z.object({
    mesh: z.string(),
    /** u32 face numbers, ascending. */
    faces: bufferIdSchema.nullable(),
  }),
  plant: plantSchema,
  guides: z.object({
    count: z.number().int().min(1),
    pointCount: z.number().int().min(4).max(64),
    /** u32 face, f32 × 2 weights, for each guide. */
    planting: bufferIdSchema,
    /** f32, 3 × points × guides: offsets from the root in the rest orientation, m. */
    offsets: bufferIdSchema,
    /** Key of the plot and settings they were planted from. */
    plantKey: z.string().length(64),
    /** Whether a brush has touched them since. */
    combed: z.boolean(),
  }).nullable(),
  fill: numbers(FILL_PARAMETERS),
  sway: swaySchema,
  bake: numbers(BAKE_PARAMETERS),
}).refine((d) => d.shot.end >= d.shot.start, { message: 'The last frame comes before the first.', path: ['shot', 'end'] });
export type GroomDocument = z.infer<typeof documentSchema>;

export function newDocument(meshName: string, shot: GroomDocument['shot']): GroomDocument {
  return {
    format: DOCUMENT_FORMAT, shot, hidden: [],
    plot: { mesh: meshName, faces: null },
    plant: { ...defaultsOf(PLANT_PARAMETERS), lie: 'falling' },
    guides: null,
    fill: defaultsOf(FILL_PARAMETERS),
    sway: { ...defaultsOf(SWAY_PARAMETERS), calmStart: true, skinPills: true, garmentPills: true },
    bake: defaultsOf(BAKE_PARAMETERS),
  };
}

/** Every buffer a document refers to. */
export const buffersOf = (d: GroomDocument): BufferId[] => [d.plot.faces, d.guides?.planting, d.guides?.offsets].filter((id): id is string => !!id);
