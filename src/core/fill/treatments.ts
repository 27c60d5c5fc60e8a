/** The treatments there are: their parameters (every range, unit, default and explanation stands here) and how they become numbers for the steps. */
import { z } from 'zod';
import { parameter, type Parameter } from '../document/parameter';
import type { Profile } from '../math/profile';

export interface TreatmentParameter extends Parameter { choices?: readonly string[] }
const p: (...row: Parameters<typeof parameter>) => TreatmentParameter = parameter;
const choice = (label: string, choices: readonly string[], fallback: number, help: string): TreatmentParameter => ({ ...parameter(label, '', 0, choices.length - 1, 1, fallback, help, true), choices });

export interface TreatmentKind {
  label: string;
  help: string;
  /** What the amount is of; null: a share, 0 … 1. */
  amount: string;
  parameters: Record<string, TreatmentParameter>;
  /** Share of it root → tip, unless the artist says otherwise. */
  profile: Profile;
  /** Whether the length of strands may change by it. */
  lengths?: boolean;
  /** Whether it is of how strands look, and not of their shape. */
  look?: boolean;
}

const FULL: Profile = [[0, 1], [1, 1]], RISING: Profile = [[0, 0], [0.35, 0.6], [1, 1]];
/** How a centre of a clump is come by, and what a cut is at. */
export const TINT_BY = ['pigment', 'a chosen colour'] as const, CLUMP_TO = ['guides', 'own centres'] as const, CUT_AT = ['a length', 'a level', 'a mesh'] as const;

export const TREATMENTS = {
  clump: {
    label: 'Clump', help: 'Strands draw together to the middle of their lock.', amount: 'How tightly', profile: RISING,
    parameters: {
      to: choice('Around', CLUMP_TO, 1, 'The nearest guide, or centres scattered for this treatment alone.'),
      size: p('Strands', '', 2, 2000, 1, 18, 'Strands in a lock, on average, where it has its own centres.', true),
      twist: p('Twist', 'turns', -8, 8, 0.05, 0, 'How often the lock winds about its middle, root to tip.'),
      rim: p('Loose rim', '', 0, 1, 0.01, 0, 'How much less strands at the rim of a lock are drawn in.'),
    },
  },
  curl: {
    label: 'Curl', help: 'Winds each strand about the way it has.', amount: 'How wide, of the radius', profile: FULL,
    parameters: {
      radiusMm: p('Radius', 'mm', 0.2, 80, 0.1, 6, 'Distance of the strand from its axis.'),
      pitchMm: p('Pitch', 'mm', 2, 300, 0.5, 40, 'Way along the axis from one turn to the next.'),
      phases: p('Locks begin', 'turns', 0, 1, 0.01, 0.5, 'How differently locks begin: 0 all alike, 1 anyhow. Locks are those of the clump before.'),
      within: p('Strands begin', 'turns', 0, 1, 0.01, 0.06, 'How differently the strands of one lock begin.'),
      other: p('Other way', '', 0, 1, 0.01, 0, 'Share of locks that wind the other way.'),
    },
  },
  wave: {
    label: 'Wave', help: 'Bends strands to and fro in one plane.', amount: 'How high, of the height', profile: FULL,
    parameters: {
      heightMm: p('Height', 'mm', 0.1, 60, 0.1, 4, 'How far the strand goes to each side.'),
      lengthMm: p('Length', 'mm', 4, 400, 0.5, 50, 'From one crest to the next along the axis.'),
      phases: p('Locks begin', 'turns', 0, 1, 0.01, 0.2, 'How differently locks begin: 0 all alike, 1 anyhow. Locks are those of the clump before.'),
      within: p('Strands begin', 'turns', 0, 1, 0.01, 0.06, 'How differently the strands of one lock begin.'),
      planeDeg: p('Plane', '°', -90, 90, 1, 0, '0 waves off the skin and back, 90 sideways.'),
    },
  },
  frizz: {
    label: 'Frizz', help: 'Lets single strands wander.', amount: 'How far, of the height', profile: FULL,
    parameters: {
      heightMm: p('Height', 'mm', 0, 20, 0.05, 0.5, 'How far strands wander in each direction (root mean square).'),
      lengthMm: p('Length', 'mm', 2, 200, 0.5, 30, 'Wavelength of the wander; it holds those from 0.8 to 1.25 of it.'),
    },
  },
  stray: {
    label: 'Strays', help: 'A few strands leave the rest and stand off.', amount: 'How far, of the reach', profile: FULL,
    parameters: {
      share: p('Share', '', 0, 1, 0.005, 0.05, 'Share of the strands that leave.'),
      reachMm: p('Reach', 'mm', 1, 300, 1, 25, 'How far their tips go.'),
    },
  },
  bend: {
    label: 'Bend', help: 'Bends strands toward a direction, more and more to the tip.', amount: 'How far, of the angle', profile: FULL,
    parameters: {
      angleDeg: p('Angle', '°', -180, 180, 1, 30, 'How far the tip has turned.'),
      turnDeg: p('Turn', '°', -180, 180, 1, 0, 'Where to, seen from above: 0 to the front of the character, 90 to its left.'),
      riseDeg: p('Rise', '°', -90, 90, 1, 0, 'How steeply upwards; −90 is down.'),
      chance: p('By chance', '', 0, 1, 0.01, 0, 'How much of the direction each strand has for itself.'),
    },
  },
  length: {
    label: 'Random length', help: 'Makes strands shorter, each by its own share.', amount: 'Shorter by up to', profile: FULL, lengths: true,
    parameters: { even: p('Evenness', '', 0.2, 6, 0.05, 2.2, '1: all shares as likely; more: most strands stay long.') },
  },
  cut: {
    label: 'Cut', help: 'Ends strands at a length, at a level of the rest pose, or where they go through a mesh.', amount: 'How much of what is beyond is cut', profile: FULL, lengths: true,
    parameters: {
      at: choice('At', CUT_AT, 0, 'What the cut is at.'),
      lengthCm: p('Length', 'cm', 0.1, 200, 0.1, 20, 'Longest strand left.'),
      levelCm: p('Level', 'cm', -1000, 1000, 0.5, 140, 'Height above the ground in the rest pose.'),
    },
  },
  thickness: {
    label: 'Thickness', help: 'Makes strands thicker or thinner: along their length, so that tips take a shape, or here and there.', amount: 'How thick, of the width', profile: FULL, look: true,
    parameters: {},
  },
  tint: {
    label: 'Colour', help: 'Colours a part of the hair: tips, roots, streaks, or where a map is painted.', amount: 'How much of the colour', profile: FULL, look: true,
    parameters: {
      by: choice('By', TINT_BY, 0, 'By pigments, as hair grows; or by a colour, as it is dyed.'),
      melanin: p('Brown-black', '', 0, 4, 0.01, 0.2, 'Amount of eumelanin: blond 0.3, brown 1.2, black 3.'),
      redness: p('Red', '', 0, 2, 0.01, 0.2, 'Amount of pheomelanin, which makes hair red.'),
    },
  },
} as const satisfies Record<string, TreatmentKind>;
export type TreatmentName = keyof typeof TREATMENTS;
export const TREATMENT_NAMES = Object.keys(TREATMENTS) as [TreatmentName, ...TreatmentName[]];
/** Treatments of the shape of strands; the others are of their look. */
export type ShapingName = { [K in TreatmentName]: (typeof TREATMENTS)[K] extends { look: true } ? never : K }[TreatmentName];
export const SHAPING_NAMES = TREATMENT_NAMES.filter((name): name is ShapingName => !('look' in TREATMENTS[name]));
export const kindOf = (t: Pick<Treatment, 'kind'>): TreatmentKind => TREATMENTS[t.kind];

const profileSchema = z.array(z.tuple([z.number().min(0).max(1), z.number().min(0).max(1)])).min(2).max(16)
  .refine((k) => k[0][0] === 0 && k[k.length - 1][0] === 1 && k.every((v, i) => i === 0 || v[0] > k[i - 1][0]), { message: 'A profile runs from 0 to 1 in ascending steps.' });

/** How one amount varies: number × profile × map × random range; or a formula takes the place of number, map and range. */
export const driverSchema = z.object({
  amount: z.number().min(0).max(4), profile: profileSchema,
  /** Map of the plot by name; '' for none. */
  map: z.string().max(40),
  /** Each strand has its own factor between these. */
  low: z.number().min(0).max(4), high: z.number().min(0).max(4),
  /** '' for none. */
  formula: z.string().max(600),
});
export type Driver = z.infer<typeof driverSchema>;

export const treatmentSchema = z.object({
  id: z.string().min(1).max(40), name: z.string().min(1).max(60), kind: z.enum(TREATMENT_NAMES),
  on: z.boolean(), solo: z.boolean(), seed: z.number().int().min(0).max(99999),
  driver: driverSchema,
  numbers: z.record(z.string(), z.number()),
  /** Mesh a cut is at, by name; '' for none. */
  mesh: z.string().max(200),
  /** What is coloured with, where a colour is chosen. */
  colour: z.string().regex(/^#[0-9a-f]{6}$/).default('#2f6f73'),
}).superRefine((t, context) => {
  for (const [key, q] of Object.entries(kindOf(t).parameters)) {
    const v = t.numbers[key];
    if (!(v >= q.min && v <= q.max) || (q.integer && !Number.isInteger(v))) context.addIssue({ code: 'custom', path: ['numbers', key], message: `${q.label} of “${t.name}” lies between ${q.min} and ${q.max}${q.integer ? ', a whole number' : ''}.` });
  }
  if (Object.keys(t.numbers).length !== Object.keys(kindOf(t).parameters).length) context.addIssue({ code: 'custom', path: ['numbers'], message: `“${t.name}” has numbers that a ${t.kind} does not know.` });
});
export type Treatment = z.infer<typeof treatmentSchema>;

export function newTreatment(kind: TreatmentName, id: string, change: Partial<Omit<Treatment, 'numbers' | 'driver'>> & { numbers?: Record<string, number>; driver?: Partial<Driver> } = {}): Treatment {
  const k: TreatmentKind = TREATMENTS[kind], { numbers, driver, ...rest } = change;
  return {
    id, name: k.label, kind, on: true, solo: false, seed: 1, mesh: '', colour: '#2f6f73', ...rest,
    numbers: { ...Object.fromEntries(Object.entries(k.parameters).map(([key, q]) => [key, q.fallback])), ...numbers },
    driver: { amount: kind === 'clump' ? 0.6 : kind === 'length' ? 0.2 : 1, profile: k.profile.map(([x, y]) => [x, y]), map: '', low: 1, high: 1, formula: '', ...driver },
  };
}

/** Treatments that are at work: those that are on; while any is heard alone, only those. */
export function activeTreatments(list: readonly Treatment[]): Treatment[] {
  const on = list.filter((t) => t.on);
  return on.some((t) => t.solo) ? on.filter((t) => t.solo) : on;
}

/** Numbers of a treatment as its step wants them (steps.ts). */
export function stepNumbers(t: Treatment, out: Float64Array): Float64Array {
  const n = t.numbers, rad = Math.PI / 180;
  switch (t.kind) {
    case 'clump': out[0] = n.twist; break;
    case 'curl': out.set([n.radiusMm / 1000, 1000 / n.pitchMm, n.other]); break;
    case 'wave': out.set([n.heightMm / 1000, 1000 / n.lengthMm, Math.cos(n.planeDeg * rad), Math.sin(n.planeDeg * rad)]); break;
    // two sines of this height have its root mean square
    case 'frizz': out.set([n.heightMm / 1000, 1000 / n.lengthMm]); break;
    case 'stray': out.set([n.share, n.reachMm / 1000]); break;
    case 'bend': out.set([n.angleDeg / 360, Math.cos(n.riseDeg * rad) * Math.sin(n.turnDeg * rad), Math.sin(n.riseDeg * rad), Math.cos(n.riseDeg * rad) * Math.cos(n.turnDeg * rad), n.chance]); break;
  }
  return out;
}
/** The shortest wave a list of treatments asks strands to follow, m; Infinity for none. */
export function shortestWave(list: readonly Treatment[]): number {
  let least = Infinity;
  for (const t of activeTreatments(list)) {
    if (t.kind === 'curl') least = Math.min(least, Math.hypot(t.numbers.pitchMm, 2 * Math.PI * t.numbers.radiusMm * Math.min(1, t.driver.amount)) / 1000);
    else if (t.kind === 'wave') least = Math.min(least, t.numbers.lengthMm / 1000);
    // a wander is nothing to be followed, only to be had
    else if (t.kind === 'frizz') least = Math.min(least, (5.5 * t.numbers.lengthMm) / 1000);
  }
  return least;
}
