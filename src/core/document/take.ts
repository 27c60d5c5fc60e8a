/** A take as it is kept: what it was made with, and how two such sets differ. */
import type { Draft } from 'immer';
import { z } from 'zod';
import { shareAgain, withShot } from './shots';
import { chainSchema } from '../chain/chains';
import { bufferIdSchema, shotSchema, SWAY_MAPS, SWAY_PARAMETERS, SWAY_PROFILES, swaySchema, type GroomDocument, type SwaySettings } from './schema';

/** Everything a run depends on but the character. */
export const takeSettingsSchema = z.object({
  shotName: z.string().max(60), shot: shotSchema, hidden: z.array(z.string()).max(1000), sway: swaySchema, preRoll: z.number().int().min(0),
  guides: z.object({ planting: bufferIdSchema, offsets: bufferIdSchema, pointCount: z.number().int(), count: z.number().int() }).nullable(),
  chains: z.array(chainSchema).optional(),
  /** Weights of the meshes that hang on drawn chains. */
  drawn: bufferIdSchema.optional(),
});
export type TakeSettings = z.infer<typeof takeSettingsSchema>;

export function settingsOf({ shotName, shot, hidden, sway, bake, guides, chains, drawn }: GroomDocument): TakeSettings {
  return { ...(chains.length > 0 ? { chains } : {}), ...(drawn?.given ? { drawn: drawn.given.weights } : {}), shotName, shot, hidden, sway, preRoll: bake.preRoll, guides: guides && { planting: guides.planting, offsets: guides.offsets, pointCount: guides.pointCount, count: guides.count } };
}

/** Words for what of `b` is otherwise than in `a`, at most so many; what has no number of its own is named only. */
export function differences(a: TakeSettings, b: TakeSettings, most = 6): string[] {
  const out: string[] = [], text = (v: unknown): string => (typeof v === 'number' ? String(Number(v.toPrecision(4))) : typeof v === 'boolean' ? (v ? 'on' : 'off') : String(v)), alike = (x: unknown, y: unknown): boolean => JSON.stringify(x) === JSON.stringify(y);
  const joints = (t: TakeSettings): unknown => t.chains?.map(({ joints: j, kept }) => [j, kept]), bends = (t: TakeSettings): unknown => t.chains?.map((c) => c.bendDeg);
  if (!alike(joints(a), joints(b))) out.push('other chains');
  else if (a.drawn !== b.drawn) out.push('joints drawn anew');
  else if (!alike(a.guides, b.guides)) out.push(a.guides?.planting === b.guides?.planting ? 'hair combed' : 'guides planted');
  if (alike(joints(a), joints(b)) && !alike(bends(a), bends(b))) out.push('bend limits');
  if (a.shotName !== b.shotName || !alike(a.shot, b.shot)) out.push(`shot ${b.shotName}`);
  if (!alike(a.hidden, b.hidden)) out.push(b.hidden.length > 0 ? `without ${b.hidden.join(', ')}` : 'all worn');
  if (a.preRoll !== b.preRoll) out.push(`pre-roll ${a.preRoll} → ${b.preRoll}`);
  for (const key of Object.keys({ ...a.sway, ...b.sway }) as (keyof SwaySettings)[]) {
    const from = a.sway[key], to = b.sway[key];
    if (alike(from, to)) continue;
    if (key === 'profiles') { for (const p of Object.keys(SWAY_PROFILES) as (keyof typeof SWAY_PROFILES)[]) if (!alike(a.sway.profiles[p], b.sway.profiles[p])) out.push(`${SWAY_PROFILES[p].label.toLowerCase()} profile`); continue; }
    if (key === 'maps') { for (const m of Object.keys(SWAY_MAPS) as (keyof typeof SWAY_MAPS)[]) if (a.sway.maps[m] !== b.sway.maps[m]) out.push(`${SWAY_MAPS[m].toLowerCase()} map`); continue; }
    const label = key in SWAY_PARAMETERS ? SWAY_PARAMETERS[key as keyof typeof SWAY_PARAMETERS].label : OTHERS[key];
    out.push(typeof to === 'object' ? (label ?? key) : `${label ?? key} ${text(from)} → ${text(to)}`);
  }
  return out.length > most ? [...out.slice(0, most - 1), `${out.length - most + 1} more`] : out;
}
const OTHERS: Partial<Record<keyof SwaySettings, string>> = {
  material: 'Material', calmStart: 'Calm start', chooseSubsteps: 'Substeps chosen', roles: 'what collides', meshes: 'what collides', groupsOff: 'colliders switched', pillsWithout: 'joints left out', pills: 'pills', colliders: 'own colliders', ties: 'ties', carrier: 'Carrier', windKind: 'Wind from',
  second: 'second set', formulas: 'formulas', drops: 'drops', sheet: 'cloth', load: 'hair on the sheet', meshRoles: 'roles', on: 'Moves', pushFilled: 'Filled pushed out',
};

/**
 * What has changed since something was made with these settings, in words; nothing where it still holds. Looked at is the shot it was made in, whichever is open.
 * `character`, `solver`: which they are now, and which they were.
 */
export function staleBecause(made: TakeSettings, document: GroomDocument, now: { character: string; solver: number }, then: { character: string; solver: number }): string[] {
  const out: string[] = [], shots = [document.shotName, ...document.otherShots.map((o) => o.shotName)];
  if (now.character !== then.character) out.push('another version of the character');
  if (then.solver !== 0 && now.solver !== then.solver) out.push('a newer solver');
  if (!shots.includes(made.shotName)) return [...out, `shot ${made.shotName} is gone`];
  return [...out, ...differences(made, settingsOf(withShot(document, made.shotName)))];
}

/** Puts a take's settings back, in the shot that is open; hair is as it is combed now. */
export function restoreSettings(d: Draft<GroomDocument>, take: TakeSettings): void {
  for (const key of Object.keys(d.setAside) as (keyof SwaySettings)[]) if (JSON.stringify(d.setAside[key]) === JSON.stringify(take.sway[key])) shareAgain(d, key);
  // a tie knows its strands by number
  const ties = take.guides?.planting === d.guides?.planting ? take.sway.ties : d.sway.ties;
  d.sway = { ...(take.sway as Draft<SwaySettings>), ties: ties as Draft<SwaySettings>['ties'] };
  d.hidden = [...take.hidden];
  d.bake.preRoll = take.preRoll;
}
