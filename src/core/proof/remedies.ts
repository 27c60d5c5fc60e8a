/**
 * Troubles by the words people use for them, how each is found in a proof, and changes that may cure it. A change is never
 * taken on trust: it is run on the frames concerned and measured (`compare`).
 */
import type { Draft } from 'immer';
import { CAGE_PARAMETERS, inCages, type CageParameter } from '../cage/cages';
import { limitOf, MEASURES, type Limits, type MeasureName, type Proof } from '../document/proof';
import type { GroomDocument, SwaySettings } from '../document/schema';
import { BAKE_PARAMETERS, SWAY_PARAMETERS } from '../document/schema';
import { SHEET_PARAMETERS, type Sheet, type SheetParameter } from '../sway/cloth';
import { colliderOf, figureOf, judge, type Figure } from './judge';

/** Measures that only a trial takes: depth in all that is drawn, strands over the face, work of a frame. */
export const TRIAL_MEASURES = {
  drawnDepth: { label: 'Depth in what is drawn', unit: 'mm', scale: 1000, digits: 2, limit: 0.001 },
  face: { label: 'Strands over the face', unit: '%', scale: 100, digits: 1, limit: 0.02 },
  work: { label: 'Work of a frame', unit: 'steps', scale: 1, digits: 0, limit: Infinity },
} as const;
export type TrialMeasure = keyof typeof TRIAL_MEASURES;
export type AnyMeasure = MeasureName | TrialMeasure;
export const measureWords = (name: AnyMeasure): { label: string; unit: string; scale: number; digits: number } => (name in TRIAL_MEASURES ? TRIAL_MEASURES[name as TrialMeasure] : MEASURES[name as MeasureName]);
export const wordsOf = (name: AnyMeasure, value: number): string => { const { unit, scale, digits } = measureWords(name), v = value * scale, fine = v !== 0 && Math.abs(v) < 10 ** -digits; return `${fine ? Number(v.toPrecision(2)) : v.toFixed(digits)}${unit ? ` ${unit}` : ''}`; };

/** What a remedy looks at. */
export interface Patient {
  document: Pick<GroomDocument, 'sway' | 'bake' | 'shot' | 'hidden'>;
  proof: Proof;
  /** Names of meshes that are worn. */
  garments: readonly string[];
  /** m: between neighbouring guides, in the middle. */
  spacing: number;
  /** Nodes that could be what carries the character, the outermost first. */
  carriers: readonly string[];
}
export type Settings = Draft<Pick<GroomDocument, 'sway' | 'bake'>>;
export interface Offer { label: string; change: (d: Settings) => void }
export interface Trouble {
  /** In the words of those who complain. */
  title: string;
  help: string;
  /** What must get better. */
  measure: AnyMeasure;
  /** Whether the proof shows it, and in what words; null: only the artist can say. */
  find: ((p: Patient, limits: Limits) => string | null) | null;
  offers: (p: Patient) => Offer[];
}

const within = (key: keyof typeof SWAY_PARAMETERS, value: number): number => {
  const { min, max, integer } = SWAY_PARAMETERS[key], v = Math.min(max, Math.max(min, value));
  return integer ? Math.round(v) : Number(v.toPrecision(3));
};
/** A setting multiplied; of the second set as well. What bends a strand is the cloth of a sheet. */
function times(p: Patient, key: Exclude<keyof typeof SWAY_PARAMETERS, never>, by: number, least = 0): Offer | null {
  if (key === 'stiffness' && p.document.sway.sheet) return inCloth(p.document.sway.sheet, 'bend', by);
  const now = p.document.sway[key], next = within(key, Math.max(now * by, least));
  if (next === now) return null;
  const { label, unit } = SWAY_PARAMETERS[key];
  return { label: `${label} ${now} → ${next}${unit && unit !== '×' ? ` ${unit}` : ''}`, change: (d) => { d.sway[key] = next; const second = d.sway.second as Record<string, number> | null; if (second && key in second) second[key] = within(key, Math.max(second[key] * by, least)); } };
}
function inCloth(sheet: Sheet, key: SheetParameter, by: number): Offer | null {
  const { min, max, label, unit } = SHEET_PARAMETERS[key], next = Number(Math.min(max, Math.max(min, sheet[key] * by)).toPrecision(3));
  return next === sheet[key] ? null : { label: `${label} of the cloth ${sheet[key]} → ${next} ${unit}`, change: (d) => { if (d.sway.sheet) d.sway.sheet[key] = next; } };
}
const to = (p: Patient, key: keyof typeof SWAY_PARAMETERS, value: number): Offer | null => {
  // lines of a sheet do not differ from each other
  if (key === 'spread' && p.document.sway.sheet) return null;
  const next = within(key, value), now = p.document.sway[key];
  return next === now ? null : { label: `${SWAY_PARAMETERS[key].label} ${now} → ${next}`, change: (d) => { d.sway[key] = next; } };
};
const runUp = (p: Patient, frames: number): Offer | null => {
  const next = Math.min(BAKE_PARAMETERS.preRoll.max, Math.round(frames)), now = p.document.bake.preRoll;
  return next <= now ? null : { label: `Pre-roll ${now} → ${next} frames`, change: (d) => { d.bake.preRoll = next; } };
};
const some = (...offers: (Offer | null)[]): Offer[] => offers.filter((o): o is Offer => o !== null);

const careful = (p: Patient): Offer[] => {
  const { sway } = p.document, now = p.proof.report.plan.substeps;
  return some(
    sway.chooseSubsteps ? times(p, 'error', 0.5) : { label: `Substeps chosen, not ${sway.substeps}`, change: (d) => { d.sway.chooseSubsteps = true; } },
    now < SWAY_PARAMETERS.substeps.max ? { label: `Substeps ${now} → ${within('substeps', 2 * now)}`, change: (d) => { d.sway.chooseSubsteps = false; d.sway.substeps = within('substeps', 2 * now); } } : null,
  );
};
const profileTo = (p: Patient, key: keyof SwaySettings['profiles'], knots: readonly (readonly [number, number])[], label: string): Offer | null =>
  JSON.stringify(p.document.sway.profiles[key]) === JSON.stringify(knots) ? null : { label, change: (d) => { d.sway.profiles[key] = knots.map(([x, y]) => [x, y]); } };
/** Held by so much at least, and by so much of that out to the tip. */
const firmer = (p: Patient, hold: number, least: number): Offer | null => {
  const { sway } = p.document, now = sway.profiles.hold, knots = now.map(([x, y]) => [x, Math.max(y, least)] as [number, number]), next = Math.max(sway.hold, hold);
  if (next === sway.hold && JSON.stringify(now) === JSON.stringify(knots)) return null;
  return { label: `Hold ${next}, at least ${least} of it to the tip`, change: (d) => { d.sway.hold = next; d.sway.profiles.hold = knots; const { second } = d.sway; if (second) second.hold = Math.max(second.hold, hold); } };
};
/** Loft between neighbours that are as far apart as these guides are. */
const lofted = (p: Patient, loft: number): Offer | null => {
  const mm = within('loftSpacingMm', Math.round(1000 * p.spacing)), { sway } = p.document;
  return sway.loft >= loft && sway.loftSpacingMm === mm ? null : { label: `Loft ${loft}, every ${mm} mm`, change: (d) => { d.sway.loft = loft; d.sway.loftSpacingMm = mm; } };
};
const collidesAgain = (p: Patient, worn: boolean): Offer | null => {
  const { roles, groupsOff, meshes } = p.document.sway, role = worn ? 'garment' : 'body', mine = (name: string): boolean => (worn ? name === 'garments' || p.garments.includes(name) : name === 'skin' || !p.garments.includes(name));
  const off = roles[role] === 'off' || groupsOff.some((g) => g !== 'own' && mine(g)) || Object.entries(meshes).some(([m, c]) => mine(m) && c.as === 'off');
  return off ? { label: worn ? 'Collide with clothes again' : 'Collide with the body again', change: (d) => {
    if (d.sway.roles[role] === 'off') d.sway.roles[role] = 'auto';
    d.sway.groupsOff = d.sway.groupsOff.filter((g) => g === 'own' || !mine(g));
    for (const [m, c] of Object.entries(d.sway.meshes)) if (mine(m) && c.as === 'off') c.as = 'auto';
  } } : null;
};
const asShell = (p: Patient, worn: boolean): Offer | null => (p.document.sway.roles[worn ? 'garment' : 'body'] === 'pills' ? { label: worn ? 'Clothes as they are drawn, not as pills' : 'The body as it is drawn, not as pills', change: (d) => { d.sway.roles[worn ? 'garment' : 'body'] = 'shell'; } } : null);
const twoSided = (p: Patient): Offer[] => p.garments.filter((m) => !p.document.hidden.includes(m) && colliderNames(p).includes(m) && p.document.sway.meshes[m]?.sides !== 'two').slice(0, 1).map((m) => ({
  label: `“${m}” keeps hair to both its sides`, change: (d: Settings) => { const own = d.sway.meshes[m] as SwaySettings['meshes'][string] | undefined; d.sway.meshes[m] = { as: own?.as ?? 'shell', gapMm: own?.gapMm ?? null, friction: own?.friction ?? null, sides: 'two' }; },
}));
/** What the deepest strands are below. */
const colliderNames = (p: Patient): string[] => [...new Set(p.proof.frames.flatMap((f) => f.below.map(([c]) => p.proof.report.colliders[c] ?? '')))];

const failing = (p: Patient, name: MeasureName, limits: Limits): Figure | null => { const f = figureOf(p.proof, name); return f && f.value > limitOf(name, limits) ? f : null; };
const says = (name: MeasureName) => (p: Patient, limits: Limits): string | null => { const f = failing(p, name, limits); return f && `${MEASURES[name].label} ${wordsOf(name, f.value)}${f.frame >= p.proof.start ? ` at frame ${f.frame}` : ''}`; };
const deepIn = (worn: boolean) => (p: Patient, limits: Limits): string | null => {
  const f = failing(p, 'depth', limits), name = f ? colliderOf(p.proof, f) : '';
  return f && p.garments.includes(name) === worn ? `${wordsOf('depth', f.value)} below ${name || 'a collider'} at frame ${f.frame}` : null;
};
/** Whether hair began where it must not be, and what began there. */
const began = (p: Patient): string | null => { const r = p.proof.report; return r.beganInside > 0 ? `${r.beganInside} points began up to ${(1000 * r.beganDeepest).toFixed(1)} mm below a surface` : r.beganNear > 0.1 * r.guides ? `${r.beganNear} points began nearer than their gap` : null; };

export const TROUBLES = {
  leftBehind: {
    title: 'Left behind at the start', help: 'The character moves off and the hair stays where it was.', measure: 'drift',
    find: (p, limits) => { const f = failing(p, 'drift', limits), first = p.proof.frames.find((x) => x.frame === p.proof.start); return f && first && first.carried > 0.4 ? `${says('drift')(p, limits)}, while the skin goes at ${first.carried.toFixed(1)} m/s` : null; },
    offers: (p) => some(runUp(p, Math.max(24, 2 * p.document.bake.preRoll)), p.document.sway.carrier === '' && p.carriers[0] ? { label: `Carried by “${p.carriers[0]}”, feels none of its travel`, change: (d) => { d.sway.carrier = p.carriers[0]; d.sway.carryTravel = 0; } } : p.document.sway.carrier !== '' ? to(p, 'carryTravel', 0) : null, firmer(p, 0.7, 0.3), firmer(p, 0.9, 0.6)),
  },
  sags: {
    title: 'Sags at the first frame', help: 'The combed shape falls before anything has moved.', measure: 'drift',
    find: (p, limits) => { const f = failing(p, 'drift', limits), first = p.proof.frames.find((x) => x.frame === p.proof.start); return f && first && first.carried <= 0.4 && (!p.document.sway.calmStart || began(p) === null) ? says('drift')(p, limits) : null; },
    offers: (p) => some(p.document.sway.calmStart ? null : { label: 'Start from the combed shape', change: (d) => { d.sway.calmStart = true; } }, firmer(p, 0.7, 0.3), firmer(p, 0.9, 0.6), times(p, 'stiffness', 4)),
  },
  thrownOff: {
    title: 'Thrown off at the start', help: 'Hair stands off or springs away when the run begins, since it begins inside a collider or too near one.', measure: 'drift',
    find: (p, limits) => { const f = failing(p, 'drift', limits), why = began(p); return f && why ? `${says('drift')(p, limits)}; ${why}` : null; },
    offers: (p) => some(times(p, 'skinGapMm', 0.4), times(p, 'skinGapMm', 0.1), profileTo(p, 'gap', [[0, 0], [0.5, 0.3], [1, 1]], 'Skin gap rises from root to tip'), runUp(p, Math.max(24, 2 * p.document.bake.preRoll)), p.document.sway.pillCover > 60 ? to(p, 'pillCover', 60) : null),
  },
  throughBody: {
    title: 'Goes through the body', help: 'Shoulder, neck or face pierce the hair.', measure: 'drawnDepth', find: deepIn(false),
    offers: (p) => some(collidesAgain(p, false), asShell(p, false), ...careful(p), times(p, 'skinGapMm', 2, 2)),
  },
  throughCloth: {
    title: 'Goes through the clothes', help: 'Collar, scarf or coat pierce the hair.', measure: 'drawnDepth', find: deepIn(true),
    offers: (p) => some(collidesAgain(p, true), asShell(p, true), ...twoSided(p), ...careful(p), times(p, 'skinGapMm', 2, 2)),
  },
  overFace: {
    title: 'Flops over the face', help: 'Hair comes to lie on skin in front that was free in the groom.', measure: 'face', find: null,
    offers: (p) => some(firmer(p, 0.7, 0.3), firmer(p, 0.9, 0.6), times(p, 'stiffness', 4), times(p, 'damping', 3), p.document.sway.windSpeed > 0 ? to(p, 'windSpeed', 0) : null),
  },
  springy: {
    title: 'Too springy', help: 'It goes on swinging long after the movement.', measure: 'swing', find: says('swing'),
    offers: (p) => some(times(p, 'damping', 2.5, 2), times(p, 'damping', 6, 5), times(p, 'bendDamping', 4, 20), times(p, 'airDrag', 4, 1)),
  },
  stiff: {
    title: 'Too stiff, dead', help: 'It follows the head as if it were cast.', measure: 'dead', find: says('dead'),
    offers: (p) => some(times(p, 'hold', 0.5), times(p, 'hold', 0.2), profileTo(p, 'hold', [[0, 1], [0.3, 0.05], [1, 0]], 'Hold profile free toward the tip'), times(p, 'stiffness', 0.25), p.document.sway.give < 1 ? to(p, 'give', 1) : null, p.document.sway.on ? null : { label: 'Let it move in this shot', change: (d) => { d.sway.on = true; } }),
  },
  longer: {
    title: 'Grows longer when running', help: 'Strands stretch.', measure: 'stretch', find: says('stretch'),
    offers: (p) => careful(p),
  },
  jitter: {
    title: 'Jitters', help: 'It shakes from frame to frame.', measure: 'jitter', find: says('jitter'),
    offers: (p) => some(...careful(p), times(p, 'damping', 3, 3), times(p, 'bendDamping', 5, 20), times(p, 'skinGapMm', 2, 2), p.document.sway.windSpeed > 0 && p.document.sway.gust > 0 ? times(p, 'gustHz', 0.4) : null),
  },
  losesShape: {
    title: 'Loses its shape', help: 'It does not come back to how it was combed.', measure: 'strayed', find: says('strayed'),
    offers: (p) => some(p.document.sway.calmStart ? null : { label: 'Start from the combed shape', change: (d) => { d.sway.calmStart = true; } }, firmer(p, 0.7, 0.3), firmer(p, 0.9, 0.6), times(p, 'stiffness', 4), p.document.sway.windSpeed > 0 ? times(p, 'windSpeed', 0.5) : null),
  },
  losesVolume: {
    title: 'Loses volume', help: 'A body of hair falls together.', measure: 'volume', find: says('volume'),
    offers: (p) => some(lofted(p, 0.4), lofted(p, 0.9), times(p, 'stiffness', 4), firmer(p, 0.7, 0.3)),
  },
  allAlike: {
    title: 'All moves alike', help: 'The hair moves like one piece.', measure: 'alike', find: says('alike'),
    offers: (p) => some(to(p, 'spread', 0.5), to(p, 'spread', 0.9), p.document.sway.loft > 0 ? times(p, 'cohesion', 0.3) : null, times(p, 'hold', 0.5)),
  },
  loopSeam: {
    title: 'The loop does not close', help: 'The last frame does not run into the first.', measure: 'seam', find: says('seam'),
    offers: (p) => { const loop = p.document.shot.end - p.document.shot.start + 1; return some(runUp(p, loop * (Math.floor(p.document.bake.preRoll / loop) + 1)), runUp(p, 3 * loop), runUp(p, 6 * loop), times(p, 'damping', 3, 3), p.document.sway.gust > 0 && p.document.sway.windSpeed > 0 ? to(p, 'gust', 0) : null); },
  },
  tiesGo: {
    title: 'Ties let go', help: 'A tie’s force exceeded its snap force.', measure: 'broken', find: (p, limits) => (failing(p, 'broken', limits) ? `${figureOf(p.proof, 'broken')!.value} let go, the first at frame ${p.proof.frames.find((f) => f.frame >= p.proof.start && f.broken.length > 0)?.frame ?? p.proof.start}` : null),
    offers: (p) => (p.document.sway.ties.some((t) => t.on && t.snap !== null) ? [2, 5].map((by) => ({ label: `Snap forces × ${by}`, change: (d: Settings) => { for (const t of d.sway.ties) if (t.snap !== null) t.snap *= by; } })).concat([{ label: 'Ties never let go', change: (d) => { for (const t of d.sway.ties) t.snap = null; } }]) : []),
  },
  slow: {
    title: 'Too slow', help: 'The run takes too long to work with.', measure: 'work', find: null,
    offers: (p) => some(
      p.document.sway.chooseSubsteps ? times(p, 'error', 4, 4) : null, p.document.sway.roles.body !== 'pills' && p.document.sway.roles.body !== 'off' ? { label: 'The body as pills', change: (d) => { d.sway.roles.body = 'pills'; } } : null,
      p.document.sway.roles.garment !== 'pills' && p.document.sway.roles.garment !== 'off' && p.garments.length > 0 ? { label: 'Clothes as pills', change: (d) => { d.sway.roles.garment = 'pills'; } } : null,
      p.proof.report.plan.substeps > 4 ? { label: `Substeps ${p.proof.report.plan.substeps} → ${Math.ceil(p.proof.report.plan.substeps / 2)}`, change: (d) => { d.sway.chooseSubsteps = false; d.sway.substeps = Math.ceil(p.proof.report.plan.substeps / 2); } } : null,
    ),
  },
} as const satisfies Record<string, Trouble>;
export type TroubleName = keyof typeof TROUBLES;
export const TROUBLE_NAMES = Object.keys(TROUBLES) as TroubleName[];

/** A number of all cages multiplied. */
const inAll = (p: Patient, key: CageParameter, by: number, least = 0): Offer | null => {
  const { min, max, label } = CAGE_PARAMETERS[key], next = (v: number): number => Number(Math.min(max, Math.max(min, least, v * by)).toPrecision(3)), cages = (p.document.sway.cages ?? []).filter((c) => c.on);
  return cages.every((c) => next(c[key]) === c[key]) ? null : { label: `${label} of ${cages.length > 1 ? 'all cages' : 'the cage'}: ${cages.length > 1 ? `× ${by}` : `${cages[0][key]} → ${next(cages[0][key])}`}`, change: (d) => { for (const c of d.sway.cages ?? []) if (c.on) c[key] = next(c[key]); } };
};
/** What helps hair that is moved in cages: their own numbers, and what it collides with. */
const forCages = (p: Patient, { measure, offers }: Trouble): Offer[] => some(
  ...(measure === 'drawnDepth' ? [collidesAgain(p, false), collidesAgain(p, true), asShell(p, false), asShell(p, true), ...twoSided(p)] : measure === 'seam' || measure === 'drift' ? offers(p).filter((o) => o.label.startsWith('Pre-roll')) : []),
  inAll(p, 'amount', 0.5), inAll(p, 'hz', 1.6), measure === 'dead' || measure === 'alike' ? inAll(p, 'hz', 0.6) : null, inAll(p, 'damping', 2.5, 0.3), measure === 'dead' ? inAll(p, 'rise', 0.5) : null, measure === 'volume' ? inAll(p, 'bulk', 8, 200) : null,
);
/** What may help against a trouble, in the order it is tried. */
export const offersFor = (name: TroubleName, p: Patient): Offer[] => (inCages(p.document.sway) ? forCages(p, TROUBLES[name]) : TROUBLES[name].offers(p));

/** Troubles that a proof shows, in words, those furthest beyond their limits first. */
export function findTroubles(p: Patient, limits: Limits = {}): { name: TroubleName; because: string }[] {
  const beyond = (name: TroubleName): number => { const m = TROUBLES[name].measure, own: MeasureName = m === 'drawnDepth' ? 'depth' : (m as MeasureName), f = m in TRIAL_MEASURES && m !== 'drawnDepth' ? null : figureOf(p.proof, own); return f ? f.value / Math.max(1e-12, limitOf(own, limits)) : 0; };
  return TROUBLE_NAMES.flatMap((name) => { const because = (TROUBLES[name] as Trouble).find?.(p, limits) ?? null; return because ? [{ name, because }] : []; }).sort((a, b) => beyond(b.name) - beyond(a.name));
}

/** Last frame a trial has to be computed to. */
export function framesConcerned(name: TroubleName, proof: Proof): { start: number; end: number } {
  const { measure } = TROUBLES[name], { start, end } = proof;
  if (measure === 'seam' || measure in TRIAL_MEASURES && measure !== 'drawnDepth') return { start, end };
  const own = measure === 'drawnDepth' ? 'depth' : (measure as MeasureName), judged = MEASURES[own].judged;
  if (judged === 'mean' || judged === 'once' || own === 'swing') return { start, end };
  const f = judged === 'start' ? { frame: start, value: 1 } : figureOf(proof, own);
  // a run that does not know of a collider cannot say where it went through
  if (!f || f.value < 0.5 * MEASURES[own].limit) return { start, end };
  return { start, end: Math.min(end, Math.max(start + 2, f.frame + 3)) };
}

export interface TrialFigures { proof: Proof; /** Of the trial measures that were asked for. */ more: Partial<Record<TrialMeasure, number>> }
export interface Comparison { before: number; after: number; /** Share of the trouble that is gone, below 0 where it is worse. */ gain: number; /** Passed before, and fail now. */ broke: MeasureName[]; verdict: 'cures' | 'helps' | 'no help' | 'worse' | 'at a price' }

const valueOf = (f: TrialFigures, m: AnyMeasure): number => (m in TRIAL_MEASURES ? f.more[m as TrialMeasure] ?? 0 : figureOf(f.proof, m as MeasureName)?.value ?? 0);
/** What a change did to a trouble, and to everything else. */
export function compare(name: TroubleName, before: TrialFigures, after: TrialFigures, limits: Limits = {}): Comparison {
  const { measure } = TROUBLES[name], a = valueOf(before, measure), b = valueOf(after, measure), limit = measure in TRIAL_MEASURES ? TRIAL_MEASURES[measure as TrialMeasure].limit : limitOf(measure as MeasureName, limits), gain = a > 0 ? 1 - b / a : 0;
  const failed = new Set(judge(before.proof, limits).filter((v) => !v.passes).map((v) => v.name)), broke = judge(after.proof, limits).filter((v) => !v.passes && !failed.has(v.name) && v.name !== measure).map((v) => v.name);
  const verdict = gain < -0.05 ? 'worse' : gain < 0.1 ? 'no help' : broke.length > 0 ? 'at a price' : (a > limit && b <= limit) || gain >= 0.9 ? 'cures' : 'helps';
  return { before: a, after: b, gain, broke, verdict };
}
/** Whether a figure is so far within its limit that the trouble hardly shows in it. */
export const hardlyShows = (measure: AnyMeasure, value: number, limits: Limits = {}): boolean => value < 0.1 * (measure in TRIAL_MEASURES ? (Number.isFinite(TRIAL_MEASURES[measure as TrialMeasure].limit) ? TRIAL_MEASURES[measure as TrialMeasure].limit : 0) : limitOf(measure as MeasureName, limits));
/** Steps that a frame of a run takes: substeps of every strand, each with its passes, and what it is held against. */
export function workOf(proof: Proof): number {
  const { plan, guides, pills, shells } = proof.report;
  return plan.substeps * plan.passes * guides * (1 + 0.05 * Math.min(pills, 8) + 2.2 * shells);
}
