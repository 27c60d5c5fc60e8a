/** What can be handed over, to whom, and how: formats, receivers, and the choices of one hand-over. */
import { z } from 'zod';

/** Somebody, or some program, that takes what is handed over: what it wants is kept under its name. */
export const receiverSchema = z.object({
  name: z.string().trim().min(1).max(120),
  up: z.enum(['y', 'z']), hand: z.enum(['right', 'left']),
  /** Metres of its unit. */
  metres: z.number().min(1e-6).max(1e6),
  /** Frames a second; null: the shot's own. */
  fps: z.number().min(1).max(240).nullable(),
  /** Joints of one skin, and pixels along a texture's side, at most. */
  jointLimit: z.number().int().min(4).max(4096), textureLimit: z.number().int().min(256).max(16384),
  naming: z.enum(['as it is', 'lower_case', 'NoSpaces']),
  /** glTF states its axes and receivers turn it to theirs; one that does not wants them turned before. */
  turnGltf: z.boolean(),
});
export type Receiver = z.infer<typeof receiverSchema>;
export const USUAL_RECEIVERS: readonly Receiver[] = [
  { name: 'As it is: metres, +Y up', up: 'y', hand: 'right', metres: 1, fps: null, jointLimit: 255, textureLimit: 4096, naming: 'as it is', turnGltf: false },
  { name: 'Rendering: centimetres, +Y up', up: 'y', hand: 'right', metres: 0.01, fps: null, jointLimit: 255, textureLimit: 8192, naming: 'NoSpaces', turnGltf: false },
  { name: 'Rendering: metres, +Z up', up: 'z', hand: 'right', metres: 1, fps: null, jointLimit: 255, textureLimit: 8192, naming: 'NoSpaces', turnGltf: false },
  { name: 'Engine: left-handed, centimetres, +Z up, 30 a second', up: 'z', hand: 'left', metres: 0.01, fps: 30, jointLimit: 255, textureLimit: 4096, naming: 'NoSpaces', turnGltf: false },
  { name: 'Engine: left-handed, metres, +Y up, small', up: 'y', hand: 'left', metres: 1, fps: 30, jointLimit: 60, textureLimit: 2048, naming: 'lower_case', turnGltf: false },
];

export interface HandOverFormat {
  label: string;
  ending: string;
  help: string;
  /** Which choices it has. */
  curves: boolean; cards: boolean; joints: boolean; moving: boolean;
  /** Of grooms of chains, not of hair. */
  chains: boolean;
}
const format = (label: string, ending: string, help: string, has: Partial<Omit<HandOverFormat, 'label' | 'ending' | 'help'>>): HandOverFormat => ({ label, ending, help, curves: false, cards: false, joints: false, moving: true, chains: false, ...has });
export const HAND_OVER_FORMATS = {
  usdc: format('OpenUSD curves, binary', '.usdc', 'For rendering: curves with widths, ids, root coordinates, colours and velocities. Very large takes come in parts with a layer that joins them.', { curves: true }),
  usda: format('OpenUSD curves, text', '.usda', 'The same to be read by eye; for small takes.', { curves: true }),
  usdz: format('OpenUSD package', '.usdz', 'The binary curves as one file for delivery.', { curves: true }),
  chains: format('Joint chains and cards', '.glb', 'For engines: cards skinned to chains of joints, with the movement baked in their keys.', { cards: true, joints: true }),
  springs: format('Still groom with springs', '.glb', 'For engines: cards on chains that the receiver moves itself, with the settings of this groom in the open avatar springs extension.', { cards: true, joints: true, moving: false }),
  vat: format('Vertex animation textures', '.exr', 'For engines: cards whose vertices are moved by a texture.', { cards: true }),
  pc2: format('Point cache of the cards', '.pc2', 'The vertices of the cards frame by frame, little-endian.', { cards: true }),
  mdd: format('Point cache of the cards', '.mdd', 'The vertices of the cards frame by frame, big-endian.', { cards: true }),
  lines: format('glTF lines', '.glb', 'Curves of one frame as lines.', { curves: true, moving: false }),
  obj: format('OBJ polylines', '.obj', 'Curves of one frame as polylines.', { curves: true, moving: false }),
  keys: format('Character with keys', '.glb', 'The character’s own file with one clip more: keys on the joints of the chains. Its own clips stay as they are.', { chains: true }),
} as const satisfies Record<string, HandOverFormat>;
export type HandOverFormatName = keyof typeof HAND_OVER_FORMATS;
export const HAND_OVER_NAMES = Object.keys(HAND_OVER_FORMATS) as [HandOverFormatName, ...HandOverFormatName[]];

export const MOST_FILLED = { text: 20_000, binary: 250_000 } as const;
export const handOverSchema = z.object({
  format: z.enum(HAND_OVER_NAMES),
  receiver: receiverSchema,
  what: z.enum(['guides', 'filled']).default('guides'),
  /** Filled strands: the first so many of the groom. */
  count: z.number().int().min(1).max(MOST_FILLED.binary).default(2000),
  /** Frames; null: from the first, to the last of the bake. Of what stands still only `from` counts. */
  from: z.number().int().nullable().default(null), to: z.number().int().nullable().default(null),
  /** Every so many frames. */
  every: z.number().int().min(1).max(100).default(1),
  velocities: z.boolean().default(true), colours: z.boolean().default(true), rest: z.boolean().default(true),
  /** Joints of all chains together. */
  joints: z.number().int().min(4).max(4000).default(160),
  /** Levels of detail of the cards. */
  levels: z.number().int().min(1).max(4).default(2),
  /** Of joint chains: smaller, in a form that not every receiver knows. */
  packed: z.boolean().default(false),
  /** How vertex animation is written. */
  texture: z.enum(['exr', 'png16']).default('exr'),
  /** Of keys: whether the new clip has the other movements of the shot's clip too. */
  merge: z.boolean().default(false),
});
export type HandOver = z.infer<typeof handOverSchema>;
export type HandOverWish = z.input<typeof handOverSchema>;

/** A name as the receiver wants it; always one that every file system takes. */
export function nameFor(receiver: Pick<Receiver, 'naming'>, ...parts: string[]): string {
  const plain = parts.filter(Boolean).join(' ').normalize('NFKD').replace(/[^A-Za-z0-9._ -]+/g, ' ').replace(/^[\s.]+|\s+$/g, '') || 'hair';
  if (receiver.naming === 'lower_case') return plain.toLowerCase().replace(/[^a-z0-9.]+/g, '_');
  if (receiver.naming === 'NoSpaces') return plain.split(/[^A-Za-z0-9.]+/).map((w) => w.charAt(0).toUpperCase() + w.slice(1)).join('');
  return plain.replace(/\s+/g, '-');
}

const errorFigures = z.object({ mean: z.number(), p95: z.number(), worst: z.number(), frame: z.number(), index: z.number(), count: z.number() });
/** What a reduction costs against the full bake, m. */
export const reductionSchema = z.object({ name: z.string(), of: z.string(), figures: errorFigures, /** What `index` counts. */ counts: z.string() });
export type Reduction = z.infer<typeof reductionSchema>;
/** What a hand-over is, in numbers. */
export const handOverReportSchema = z.object({
  frames: z.object({ first: z.number(), last: z.number(), count: z.number(), fps: z.number(), samples: z.number() }),
  counts: z.array(z.tuple([z.string(), z.number()])),
  reductions: z.array(reductionSchema),
  notes: z.array(z.string()),
  /** What a texture or a cache needs to be understood. */
  layout: z.record(z.string(), z.unknown()),
});
export type HandOverReport = z.infer<typeof handOverReportSchema>;
