/**
 * The groom document: everything an artist decides about one groom in one shot, as plain data. Big arrays (faces of a plot,
 * plantings, guide shapes) are immutable buffers named by the SHA-256 of their bytes.
 *
 * Every parameter's range, unit, default and explanation stands here and nowhere else.
 */
import { z } from 'zod';
import { MOST_CAGES, swayCageSchema } from '../cage/cages';
import { chainSchema } from '../chain/chains';
import { drawnSchema } from '../drawn/drawn';
import { MATERIAL_NAMES, type MaterialName } from '../sway/materials';
import { ROLES, type CharacterMesh, type Role } from '../mesh/character';
import type { Profile } from '../math/profile';
import { dropSourceSchema, MOST_SOURCES } from '../drops/sources';
import { sheetSchema } from '../sway/cloth';
import { sheetLoadSchema } from '../sway/sheet-load';
import { BUILT_IN } from '../fill/planted';
import { defaultsOf, numbers, parameter, type Parameter } from './parameter';
import { newTreatment, treatmentSchema, type Treatment } from '../fill/treatments';

export const DOCUMENT_FORMAT = 11;

export { parameter, defaultsOf, type Parameter } from './parameter';

export const PLANT_PARAMETERS = {
  guideCount: parameter('Guides', '', 1, 4000, 1, 300, 'How many guides are spread evenly over the plot.', true),
  perCm2: parameter('Density', '/cm²', 0.01, 20, 0.01, 1, 'Guides planted on a square centimetre where the density map is full.'),
  lengthCm: parameter('Length', 'cm', 0.05, 300, 0.1, 24, 'Length of newly planted guides where the length map is full.'),
  lengthSpread: parameter('Shorter by', '×', 0, 0.9, 0.01, 0, 'Guides may be shorter than that by this share, at random.'),
  pointCount: parameter('Points', '', 4, 64, 1, 16, 'Points of each guide; 16 is enough for smooth long hair.', true),
  liftMm: parameter('Lift', 'mm', 0.05, 120, 0.5, 12, 'How far falling hair stays off the skin.'),
  seed: parameter('Seed', '', 1, 9999, 1, 7, 'Another number gives another even spread.', true),
} satisfies Record<string, Parameter>;

export const FILL_PARAMETERS = {
  count: parameter('Strands', '', 100, 250000, 100, 60000, 'Strands of the finished groom.', true),
  preview: parameter('Preview', '', 100, 60000, 100, 6000, 'How many of them are drawn while you work; always the first of the same strands.', true),
  turnCm: parameter('Turns with skin', 'cm', 0, 40, 0.1, 4, 'Over about so much of its length a strand turns its guides’ shapes with its own skin; 0 takes them as they hang.'),
  widthUm: parameter('Width', 'µm', 20, 400, 1, 80, 'Thickness of a strand at its root, in the world.'),
  taper: parameter('Tip width', '×', 0.02, 1, 0.01, 0.15, 'Thickness of the tip as a share of the root.'),
  tipFrom: parameter('Tapers from', '×', 0, 0.98, 0.01, 0.3, 'Share of the length from which a strand gets thinner: late for blunt cut ends, early for fine ones.'),
  widthSpread: parameter('Width spread', '×', 0, 0.9, 0.01, 0.25, 'How much thicker or thinner single strands are.'),
  melanin: parameter('Brown-black', '', 0, 4, 0.01, 0.75, 'Amount of eumelanin: blond 0.3, brown 1.2, black 3.'),
  redness: parameter('Red', '', 0, 2, 0.01, 0.35, 'Amount of pheomelanin, which makes hair red.'),
  colourSpread: parameter('Colour spread', '×', 0, 2, 0.01, 1, 'How differently strands and locks are coloured.'),
  tipColour: parameter('To the tip', '×', -2, 2, 0.01, 0.7, 'Tips lighter by so many halvings of the colour’s depth, or darker.'),
  grey: parameter('Grey', '', 0, 1, 0.01, 0, 'Share of the strands that have lost their colour.'),
  gloss: parameter('Gloss', '×', 0, 1.5, 0.01, 1, 'How clearly strands mirror the light: 1 for smooth hair, less for fur, dust and dry ends.'),
} satisfies Record<string, Parameter>;

export const CARD_PARAMETERS = {
  triangles: parameter('Triangles', '', 100, 60000, 100, 6000, 'Triangles of the finest level at most; each coarser level has a quarter.', true),
  segments: parameter('Pieces along', '', 2, 32, 1, 10, 'Pieces of a card from root to tip, at the finest level.', true),
  across: parameter('Pieces across', '', 1, 4, 1, 2, '1: flat cards; more: bent about the strands.', true),
  bow: parameter('Bow', '×', 0, 1, 0.01, 0.25, 'How far the middle of a bent card stands out, as a share of its half width.'),
  layers: parameter('Layers', '', 1, 6, 1, 2, 'Cards over one another, from the skin outwards.', true),
  cover: parameter('Takes in', '×', 0.5, 1, 0.01, 0.9, 'Share of its strands that the width of a card takes in.'),
  tiles: parameter('Tiles', '', 1, 32, 1, 12, 'Different pictures of strands in the atlas, side by side.', true),
  levels: parameter('Levels', '', 1, 4, 1, 3, 'Levels of detail, each with a quarter of the triangles before.', true),
} satisfies Record<string, Parameter>;
export const PLANTED_PARAMETERS = {
  wide: parameter('Width', '×', 0.1, 8, 0.05, 1, 'How wide planted meshes are for their length, by their own.'),
  spin: parameter('Turned', '×', 0, 1, 0.01, 0.2, 'How far each is turned about itself by chance: 0 none lies otherwise than the skin, 1 anyhow.'),
} satisfies Record<string, Parameter>;
export const ATLAS_SIZES = ['512', '1024', '2048'] as const;

export const SWAY_PARAMETERS = {
  thickness: parameter('Thickness', '×', 0.2, 5, 0.01, 1, 'Multiplies the material’s diameter; stiffness grows with its fourth power, mass with its square.'),
  weight: parameter('Density', '×', 0.1, 10, 0.01, 1, 'Multiplies the material’s density: more for oil or water that clings.'),
  stiffness: parameter('Stiffness', '×', 0.05, 200, 0.05, 6, 'Multiplies the material’s moduli: strands that cling together bend more stiffly than they would alone.'),
  twistStiffness: parameter('Twist', '×', 0.05, 20, 0.05, 1, 'Multiplies the shear modulus alone, which resists twisting.'),
  lock: parameter('Lock', 'strands', 1, 5000, 1, 100, 'How many strands a guide stands for: mass and stiffness grow alike, but the air slows a lock less than a strand.', true),
  bendDamping: parameter('Bend damping', 'ms', 0, 500, 1, 4, 'Inner friction of the strand: bending dies away, turning as a whole does not.'),
  damping: parameter('Damping', '1/s', 0, 40, 0.1, 2, 'How fast movement against the head dies away.'),
  hold: parameter('Hold', '', 0, 1, 0.01, 0.75, 'How strongly the combed shape is kept: 1 follows it, 0 is free. Its profile runs from root to tip.'),
  spread: parameter('Differs by', '×', 0, 0.9, 0.01, 0, 'How differently single guides behave: their stiffness, damping and hold are more or less by so much, at random, so that not all move alike.'),
  gravity: parameter('Gravity', 'm/s²', 0, 30, 0.01, 9.81, 'Pull of the earth.'),
  airDrag: parameter('Air drag', '×', 0, 20, 0.05, 1, 'Multiplies the drag of still air on a round strand; 0 is a vacuum.'),
  windSpeed: parameter('Wind', 'm/s', 0, 40, 0.1, 0, 'Speed of the air; of a fan, where it leaves it.'),
  windTurn: parameter('Wind turn', '°', -180, 180, 1, 0, 'Where the wind blows to, seen from above: 0 along z, 90 along x.'),
  windRise: parameter('Wind rise', '°', -90, 90, 1, 0, 'How steeply it blows upwards.'),
  gust: parameter('Gusts', '×', 0, 1.5, 0.01, 0.4, 'How far the wind swells and dies, as a share of its speed.'),
  gustHz: parameter('Quickest gust', 'Hz', 0.1, 5, 0.05, 1, 'Gusts hold no movement quicker than this.'),
  gustSeed: parameter('Gust seed', '', 1, 9999, 1, 5, 'Another number gives other gusts.', true),
  shelter: parameter('Shelter', '', 0, 1, 0.01, 0.7, 'How far hair in the lee of head and body is kept from the wind.'),
  windReach: parameter('Reach', 'm', 0.05, 20, 0.01, 1.5, 'How far the fan blows; at half the way its wind is at a little over half its speed.'),
  windX: parameter('Fan x', 'm', -50, 50, 0.01, 0, 'Where the fan stands.'),
  windY: parameter('Fan y', 'm', -50, 50, 0.01, 1.6, 'Where the fan stands: height.'),
  windZ: parameter('Fan z', 'm', -50, 50, 0.01, 1, 'Where the fan stands.'),
  give: parameter('Give', '', 0, 1, 0.01, 1, 'How much of the computed movement reaches the strand: 0 shows the combed shape, 1 all of it.'),
  loft: parameter('Loft', '', 0, 1, 0.01, 0, 'How strongly a body of hair keeps its volume and its neighbours.'),
  loftSpacingMm: parameter('Spacing', 'mm', 0.2, 60, 0.5, 10, 'Distance between the little bodies of hair that keep their shape across the strands; about that of the guides.'),
  cohesion: parameter('Cohesion', '1/s', 0, 200, 1, 60, 'How fast neighbouring strands take on the same movement across.'),
  carryTravel: parameter('Travel', '', 0, 1, 0.01, 1, 'Share of the carrier’s travel that the strands feel: 0 as if it stood still.'),
  carryTurning: parameter('Turning', '', 0, 1, 0.01, 1, 'Share of the carrier’s turning that the strands feel.'),
  pillCover: parameter('Cover', '%', 30, 99, 1, 60, 'How much of each joint’s skin its pill must reach, to within 3 mm; more makes pills wider.'),
  skinGapMm: parameter('Skin gap', 'mm', 0, 20, 0.1, 1, 'Distance kept between strands and what they touch.'),
  friction: parameter('Friction', '', 0, 2, 0.01, 0.3, 'Coulomb’s coefficient between hair and what it touches.'),
  error: parameter('Error wanted', '%', 0.1, 10, 0.1, 1, 'How far a tip may be off, as a share of the strand’s length; substeps are chosen to keep it.'),
  substeps: parameter('Substeps', '', 1, 32, 1, 8, 'Solver steps in a frame.', true),
} satisfies Record<string, Parameter>;

/** Settings that a second set can have otherwise. */
export const SECOND_SET = ['stiffness', 'weight', 'hold', 'give', 'damping', 'bendDamping', 'airDrag', 'lock'] as const satisfies (keyof typeof SWAY_PARAMETERS)[];
function pick<T extends object, K extends keyof T>(table: T, keys: readonly K[]): Pick<T, K> { return Object.fromEntries(keys.map((k) => [k, table[k]])) as Pick<T, K>; }

/** Curves root → tip that settings are multiplied with: greatest value, and least. */
export const SWAY_PROFILES = {
  hold: { label: 'Hold', least: 0, most: 1, fallback: [[0, 1], [0.45, 0.08], [1, 0.08]] },
  stiffness: { label: 'Stiffness', least: 0.05, most: 3, fallback: [[0, 1], [1, 1]] },
  damping: { label: 'Damping', least: 0, most: 3, fallback: [[0, 1], [1, 1]] },
  give: { label: 'Give', least: 0, most: 1, fallback: [[0, 1], [1, 1]] },
  loft: { label: 'Loft', least: 0, most: 1, fallback: [[0, 1], [1, 1]] },
  gap: { label: 'Skin gap', least: 0, most: 1, fallback: [[0, 1], [1, 1]] },
} as const satisfies Record<string, { label: string; least: number; most: number; fallback: Profile }>;
export type SwayProfile = keyof typeof SWAY_PROFILES;

export const BAKE_PARAMETERS = {
  preRoll: parameter('Pre-roll', 'frames', 0, 240, 1, 24, 'Frames computed before the range, so that it starts settled. A loop goes round instead until it repeats.', true),
  samples: parameter('Samples', 'a frame', 1, 8, 1, 1, 'Steps that are kept of every frame: more than one for motion blur.', true),
  errorMm: parameter('Kept to', 'mm', 0, 1, 0.001, 0.01, 'Greatest error of a stored coordinate; 0 keeps every bit, in about three times the room.'),
  loopRounds: parameter('Rounds', '', 1, 40, 1, 8, 'A loop goes round at most so often until it repeats.', true),
  loopMm: parameter('Repeats to', 'mm', 0.01, 20, 0.01, 1, 'A loop repeats when no point is farther from where it was a round before.'),
  closeFrames: parameter('Closed over', 'frames', 0, 48, 1, 8, 'Frames before the end of a loop over which what is left of the seam is blended away; 0 leaves it.', true),
} satisfies Record<string, Parameter>;

export const bufferIdSchema = z.string().regex(/^[0-9a-f]{64}$/);
export type BufferId = string;

const plantSchema = numbers(PLANT_PARAMETERS).extend({ lie: z.enum(['standing', 'lying', 'falling']), /** Whether guides are counted, or planted so many to an area. */ by: z.enum(['count', 'area']), /** Whether what goes round in the flow is left out. */ noWhorls: z.boolean().optional() });
/** Points of a profile: from share 0 to share 1, ascending. */
const profile = (least: number, most: number): z.ZodType<[number, number][]> => z.array(z.tuple([z.number().min(0).max(1), z.number().min(least).max(most)])).min(2).max(16)
  .refine((p) => p[0][0] === 0 && p[p.length - 1][0] === 1 && p.every((k, i) => i === 0 || k[0] > p[i - 1][0]), { message: 'A profile runs from 0 to 1 in ascending steps.' });
const place = z.tuple([z.number().min(-1000).max(1000), z.number().min(-1000).max(1000), z.number().min(-1000).max(1000)]);
const radius = z.number().min(0).max(100);
const name = z.string().min(1).max(120);
/** Its own gap (mm) and friction; null: those of the settings. */
const contact = { gapMm: z.number().min(0).max(200).nullable(), friction: z.number().min(0).max(2).nullable() };

/** A collider somebody has set: ends in the rest pose, m, carried by the node of that name, or by nothing. */
export const ownColliderSchema = z.object({
  id: z.string().min(1).max(40), name, kind: z.enum(['pill', 'ball', 'floor']), node: z.string().max(200), on: z.boolean(),
  /** Ends of a pill; middle of a ball; a place on a floor, which is level in the rest pose. */
  a: place, b: place, radiusA: radius, radiusB: radius, ...contact,
});
export type OwnCollider = z.infer<typeof ownColliderSchema>;
/** What has been changed about a fitted pill. */
export const pillChangeSchema = z.object({ on: z.boolean(), a: place, b: place, radiusA: radius, radiusB: radius, ...contact }).partial();
export type PillChange = z.infer<typeof pillChangeSchema>;
export const MESH_COLLIDERS = ['auto', 'shell', 'pills', 'off'] as const;
export type MeshCollider = (typeof MESH_COLLIDERS)[number];
export const SHELL_SIDES = ['auto', 'one', 'two'] as const;
export const meshColliderSchema = z.object({ as: z.enum(MESH_COLLIDERS), sides: z.enum(SHELL_SIDES), ...contact });
export type MeshColliderChange = z.infer<typeof meshColliderSchema>;

/** Strand points held together, or to a place or a joint. */
export const tieSchema = z.object({
  id: z.string().min(1).max(40), name, on: z.boolean(),
  /** A place in the world, a joint that carries it, one ring round all its strands, or each strand to its neighbours. */
  kind: z.enum(['place', 'joint', 'ring', 'pairs']),
  /** Guides by number, ascending; those points of theirs between two shares of the length. */
  guides: z.array(z.number().int().min(0)).min(1).max(20000),
  from: z.number().min(0).max(1), to: z.number().min(0).max(1),
  node: z.string().max(200),
  /** 0 … 1: soft … hard. */
  firmness: z.number().min(0).max(1),
  /** N; null: never lets go. */
  snap: z.number().min(0).max(1e6).nullable(),
  /** Accessory that sits on the tie, by mesh name. */
  wears: z.string().max(200).nullable(),
  /** mm: of pairs, how far apart the points of neighbours may be; 30 where it is not said. */
  reachMm: z.number().min(1).max(2000).optional(),
});
export type Tie = z.infer<typeof tieSchema>;

/** Painted maps of a plot, by what they multiply. */
export const PLOT_MAPS = { density: 'Density', length: 'Length', section: 'Sections', free1: 'Free map 1', free2: 'Free map 2' } as const;
export type PlotMap = keyof typeof PLOT_MAPS;
/** Painted maps of movement. */
export const SWAY_MAPS = { hold: 'Hold', give: 'Give', loft: 'Loft', region: 'Region' } as const;
export type SwayMap = keyof typeof SWAY_MAPS;

export const swaySchema = numbers(SWAY_PARAMETERS).extend({
  material: z.enum(MATERIAL_NAMES),
  profiles: z.object(Object.fromEntries(Object.entries(SWAY_PROFILES).map(([key, p]) => [key, profile(p.least, p.most)])) as Record<SwayProfile, z.ZodType<[number, number][]>>),
  /** f32 a texel of the mesh's skin grid, or a vertex of it, 0 … 1; null: 1 everywhere. */
  maps: z.object({ hold: bufferIdSchema.nullable(), give: bufferIdSchema.nullable(), loft: bufferIdSchema.nullable(), region: bufferIdSchema.nullable() }),
  /** Whether this groom moves at all; off, it is carried stiffly by the skin. */
  on: z.boolean(),
  /** The other settings, which hold where the region map is 0; between, the two blend. Null: one set everywhere. */
  second: numbers(pick(SWAY_PARAMETERS, SECOND_SET)).nullable(),
  /** What the setting is multiplied by, guide by guide (by-formula.ts). */
  formulas: z.partialRecord(z.enum(SECOND_SET), z.string().min(1).max(600)).optional(),
  /** Whether the combed shape is at rest under gravity; else it is the unloaded shape and sags. */
  calmStart: z.boolean(),
  /** Whether substeps are chosen for the wanted error. */
  chooseSubsteps: z.boolean(),
  /** How meshes collide, by role; by name where it differs. A mesh that comes later is one of its role. */
  roles: z.record(z.enum(ROLES), z.enum(MESH_COLLIDERS)),
  /** Roles of meshes, by name, where they are not those the file came in with. */
  meshRoles: z.record(z.string(), z.enum(ROLES)),
  meshes: z.record(z.string(), meshColliderSchema),
  /** Whole groups switched off for this groom: names of meshes, 'skin' and 'garments' for their pills, 'own'. */
  groupsOff: z.array(z.string()).max(1000),
  /** Joints whose skin gets no pill; null: fingers and feet, by their names. */
  pillsWithout: z.array(z.string()).max(4000).nullable(),
  pills: z.record(z.string(), pillChangeSchema),
  colliders: z.array(ownColliderSchema).max(500),
  ties: z.array(tieSchema).max(200),
  /** Node that carries the character (a boat, a saddle); '' for none. */
  carrier: z.string().max(200),
  windKind: z.enum(['everywhere', 'fan']),
  /** What drops or grains come from; left out where nothing does. */
  drops: z.array(dropSourceSchema).min(1).max(MOST_SOURCES).optional(),
  /** Boxes of points that swing and take the hair along, instead of rods; left out where there are none. */
  cages: z.array(swayCageSchema).min(1).max(MOST_CAGES).optional(),
  /** Chains that are a sheet of cloth together, each linked to the next; left out where they are not. */
  sheet: sheetSchema.optional(),
  /** Hair that lies on that sheet; left out where none does. */
  load: sheetLoadSchema.optional(),
  /** Whether filled strands are pushed out of what they would pierce while they are looked at; hand-over always does. */
  pushFilled: z.boolean(),
});
export type SwaySettings = z.infer<typeof swaySchema>;

/** A layer of style: shapes of the guides that were combed on it (`packLayer`), laid over what is below. */
export const layerSchema = z.object({
  id: z.string().min(1).max(40), name: z.string().min(1).max(60), on: z.boolean(), amount: z.number().min(0).max(1),
  /** A map of the plot that the amount is multiplied with; null: 1 everywhere. */
  mask: bufferIdSchema.nullable(),
  shapes: bufferIdSchema,
});
export type StyleLayer = z.infer<typeof layerSchema>;

/** What a mesh is in this groom. */
export const roleOf = (mesh: Pick<CharacterMesh, 'name' | 'role'>, settings: Pick<SwaySettings, 'meshRoles'>): Role => settings.meshRoles[mesh.name] ?? mesh.role;

/** A line on the skin in the rest pose that no guide reaches across. */
export const partingSchema = z.object({
  id: z.string().min(1).max(40), name: z.string().min(1).max(60), on: z.boolean(), softMm: z.number().min(0).max(60),
  /** 6 × places: place (m) and normal of the skin. */
  places: z.array(z.number().min(-1000).max(1000)).min(12).max(6 * 400).refine((p) => p.length % 6 === 0, { message: 'A parting has six numbers a place.' }),
});
export type PartingLine = z.infer<typeof partingSchema>;
const colour = z.string().regex(/^#[0-9a-f]{6}$/);
const uniqueIds = (list: readonly { id: string }[]): boolean => new Set(list.map((t) => t.id)).size === list.length;
export const fillSchema = numbers(FILL_PARAMETERS).extend({
  /** Points of a filled strand. */
  nodes: z.enum(['as needed', '16', '32', '64']),
  partings: z.array(partingSchema).max(40).refine(uniqueIds, { message: 'Two partings have the same id.' }),
  treatments: z.array(treatmentSchema).max(24).refine(uniqueIds, { message: 'Two treatments have the same id.' }),
  /** By the pigments, or colours chosen for root and tip. */
  colourBy: z.enum(['pigment', 'choice']), rootColour: colour, tipsColour: colour,
});
export type FillSettings = z.infer<typeof fillSchema>;

const inOrder = (s: { start: number; end: number }): boolean => s.end >= s.start;
export const shotSchema = z.object({
  clip: z.string(),
  /** Frames; end is the last one shown. */
  start: z.number().int().min(-10000).max(100000),
  end: z.number().int().min(-10000).max(100000),
  fps: z.number().min(1).max(240),
  cyclic: z.boolean(),
});
export type Shot = z.infer<typeof shotSchema>;
/** Names of meshes not shown in a shot; they do not collide either. */
const hiddenSchema = z.array(z.string()).max(1000);
const shotName = z.string().min(1).max(60);

/** Some of the movement settings. */
const ownSchema = swaySchema.partial();

export const documentSchema = z.object({
  format: z.literal(DOCUMENT_FORMAT),
  /** What this shot is called. */
  shotName,
  shot: shotSchema.refine(inOrder, { message: 'The last frame comes before the first.', path: ['end'] }),
  hidden: hiddenSchema,
  /** The character's other shots for this groom, by name. */
  otherShots: z.array(z.object({ shotName, shot: shotSchema.refine(inOrder), hidden: hiddenSchema, /** Movement settings that this shot alone has so. */ own: ownSchema })).max(200),
  /** Movement settings that the open shot has of its own: what they are in the shots that share them. */
  setAside: ownSchema,
  /** Joints that are moved as rods, instead of hair: guide by guide. */
  chains: z.array(chainSchema).max(200).refine(uniqueIds, { message: 'Two chains have the same id.' }),
  /** Lines drawn through meshes that have no joints; null where chains are of the character's own. */
  drawn: drawnSchema.nullable(),
  plot: z.object({
    mesh: z.string(),
    /** u32 face numbers, ascending. */
    faces: bufferIdSchema.nullable(),
    /** f32 a texel of the mesh's skin grid, 0 … 1; null: 1 everywhere. */
    maps: z.object(Object.fromEntries(Object.keys(PLOT_MAPS).map((m) => [m, bufferIdSchema.nullable()])) as Record<PlotMap, z.ZodNullable<typeof bufferIdSchema>>),
    /** Strokes that say which way hair lies: f32, `FLOW_NUMBERS` a place. */
    flow: bufferIdSchema.nullable(),
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
    /** Their shapes as they were brought in from a file: f32, 3 × points × guides. */
    brought: bufferIdSchema.optional(),
    /** Layers of style, the lowest first, over `base` (as `offsets`); `offsets` is what they come to together. */
    style: z.object({ base: bufferIdSchema, layers: z.array(layerSchema).min(1).max(40) }).optional(),
  }).nullable(),
  fill: fillSchema,
  /** What stands in place of strands: a mesh that is built in, or one's own (`packSmallMesh`). */
  planted: numbers(PLANTED_PARAMETERS).extend({ what: z.enum(['strands', ...BUILT_IN, 'own']), mesh: bufferIdSchema.nullable(), name: z.string().max(120), flip: z.boolean() }).refine((p) => p.what !== 'own' || p.mesh !== null, { message: 'There is no mesh to be planted.', path: ['mesh'] }),
  cards: numbers(CARD_PARAMETERS).extend({ atlas: z.enum(ATLAS_SIZES) }),
  sway: swaySchema,
  bake: numbers(BAKE_PARAMETERS),
}).refine((d) => new Set([d.shotName, ...d.otherShots.map((o) => o.shotName)]).size === d.otherShots.length + 1, { message: 'Two shots have the same name.', path: ['otherShots'] });
export type GroomDocument = z.infer<typeof documentSchema>;

/** What a shot is called until somebody says otherwise. */
export const nameOfShot = ({ clip }: Pick<Shot, 'clip'>): string => clip.slice(0, 60) || 'still';

export function defaultSway(): SwaySettings {
  const profiles = Object.fromEntries(Object.entries(SWAY_PROFILES).map(([name, p]) => [name, p.fallback.map(([x, y]) => [x, y])])) as unknown as SwaySettings['profiles'];
  return {
    ...defaultsOf(SWAY_PARAMETERS), material: 'scalp hair' satisfies MaterialName, profiles, calmStart: true, chooseSubsteps: true,
    maps: noSwayMaps(), on: true, second: null, roles: { body: 'auto', garment: 'auto', accessory: 'auto', prop: 'auto', carrier: 'auto' }, meshRoles: {}, meshes: {}, groupsOff: [], pillsWithout: null, pills: {}, colliders: [], ties: [], carrier: '', windKind: 'everywhere', pushFilled: true,
  };
}

/** Movement maps of a groom nobody has painted on. */
export const noSwayMaps = (): SwaySettings['maps'] => ({ hold: null, give: null, loft: null, region: null });
/** Of a plot nobody has painted on. */
export const noMaps = (): Record<PlotMap, null> => Object.fromEntries(Object.keys(PLOT_MAPS).map((m) => [m, null])) as Record<PlotMap, null>;
export function defaultFill(): FillSettings {
  return { ...defaultsOf(FILL_PARAMETERS), nodes: 'as needed', partings: [], treatments: usualTreatments({ clump: 0.5, lock: 0.6, frizzMm: 0.5, shorter: 0.2 }), colourBy: 'pigment', rootColour: '#4a3323', tipsColour: '#7a5a3c' };
}
/** The usual list: lengths, drawn to the guides, wander of locks, locks, wander of strands. */
export function usualTreatments({ clump, lock, frizzMm, shorter }: { clump: number; lock: number; frizzMm: number; shorter: number }): Treatment[] {
  const wander = (of: number): number => Math.round(100 * of * frizzMm) / 100;
  return [
    ...(shorter > 0 ? [newTreatment('length', 'length', { driver: { amount: shorter } })] : []),
    ...(clump > 0 ? [newTreatment('clump', 'guides', { name: 'Clump to guides', numbers: { to: 0 }, driver: { amount: clump, profile: [[0, 0], [0.5, 0.45], [1, 1]] } })] : []),
    ...(frizzMm > 0 && lock > 0 ? [newTreatment('frizz', 'lockwander', { name: 'Wander of locks', numbers: { heightMm: wander(0.8), lengthMm: 55 }, seed: 2 })] : []),
    ...(lock > 0 ? [newTreatment('clump', 'locks', { name: 'Locks', driver: { amount: lock, profile: [[0, 0], [0.35, 0.5], [0.7, 1], [1, 1]] } })] : []),
    ...(frizzMm > 0 ? [newTreatment('frizz', 'frizz', { numbers: { heightMm: wander(0.58) } })] : []),
  ];
}

export function newDocument(meshName: string, shot: Shot): GroomDocument {
  return {
    format: DOCUMENT_FORMAT, shotName: nameOfShot(shot), shot, hidden: [], otherShots: [], setAside: {}, chains: [], drawn: null,
    plot: { mesh: meshName, faces: null, maps: noMaps(), flow: null },
    plant: { ...defaultsOf(PLANT_PARAMETERS), lie: 'falling', by: 'count' },
    guides: null,
    fill: defaultFill(),
    planted: { ...defaultsOf(PLANTED_PARAMETERS), what: 'strands', mesh: null, name: '', flip: false },
    cards: { ...defaultsOf(CARD_PARAMETERS), atlas: '1024' },
    sway: defaultSway(),
    bake: defaultsOf(BAKE_PARAMETERS),
  };
}

/** Every buffer a document refers to. */
export const buffersOf = (d: GroomDocument): BufferId[] => [d.plot.faces, ...Object.values(d.plot.maps), d.plot.flow, d.planted.mesh, d.guides?.planting, d.guides?.offsets, d.guides?.brought, d.guides?.style?.base, d.drawn?.given?.weights, ...(d.drawn?.painted ?? []).map((p) => p.map), ...(d.guides?.style?.layers ?? []).flatMap((l) => [l.shapes, l.mask]), ...[d.sway, d.setAside, ...d.otherShots.map((o) => o.own)].flatMap((w) => [...Object.values(w.maps ?? {}), w.load?.forces])].filter((id): id is string => !!id);
