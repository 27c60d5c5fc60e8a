/** Settings of movement that formulas make differ from guide to guide: what each yields multiplies the setting there. */
import { SECOND_SET, SWAY_MAPS, SWAY_PARAMETERS, type SwayMap } from '../document/schema';
import { scopeOf, strandRandom } from '../fill/drivers';
import { isTrouble, readFormula, type Formula, type FormulaTrouble } from '../fill/formula';
import { polylineLength } from '../groom/polyline';
import { rootSeats } from '../groom/planting';
import { restPositions } from '../mesh/character';
import { mapAtRoots, type Scene } from './scene';

export type FormulaSetting = (typeof SECOND_SET)[number];
/** Factor of each guide, by setting. */
export type Factors = Partial<Record<FormulaSetting, Float64Array>>;
/** Most that a setting is multiplied by; those that nothing can be without are not multiplied by less than the other. */
const MOST = 10, LEAST = 0.05, NEEDED: readonly FormulaSetting[] = ['stiffness', 'weight', 'lock'];

/** A formula of movement: the inputs of all formulas but the place along the strand, which profiles are for, and the maps of movement. */
export const readSwayFormula = (text: string): Formula | FormulaTrouble => readFormula(text, Object.keys(SWAY_MAPS), { t: 'A guide has one value of this; along it the profiles say how much of it there is.' });

/** `first`: number of the scene's first guide in the whole groom. `notes`: what is wrong with formulas, which then count as 1. */
export function factorsOf(scene: Scene, first = 0): { factors: Factors | null; notes: string[] } {
  const formulas = Object.entries(scene.settings.formulas ?? {}) as [FormulaSetting, string][], notes: string[] = [], factors: Factors = {};
  if (formulas.length === 0) return { factors: null, notes };
  const { planting, offsets, pointCount } = scene, count = planting.faces.length, seats = rootSeats(planting, restPositions(scene.character, scene.mesh), scene.mesh.triangles);
  for (const [setting, text] of formulas) {
    const formula = readSwayFormula(text), { label } = SWAY_PARAMETERS[setting];
    if (isTrouble(formula)) { notes.push(`The formula of ${label} is left out: ${formula.message}`); continue; }
    const out = (factors[setting] = new Float64Array(count)), least = NEEDED.includes(setting) ? LEAST : 0, maps = (Object.keys(SWAY_MAPS) as SwayMap[]).filter((m) => formula.names.has(m)).map((m): [SwayMap, Float64Array] => [m, mapAtRoots(scene, m)]), scope: Record<string, number> = {};
    let bad = 0;
    for (let g = 0; g < count; g++) {
      scopeOf(scope, seats, g, polylineLength(offsets, g * pointCount, pointCount), strandRandom(first + g, SECOND_SET.indexOf(setting), 11));
      for (const [name, values] of maps) scope[name] = values[g];
      const v = formula.evaluate(scope);
      if (!Number.isFinite(v)) bad++;
      out[g] = Number.isFinite(v) ? Math.max(least, Math.min(MOST, v)) : 1;
    }
    if (bad > 0) notes.push(`The formula of ${label} comes to no number for ${bad.toLocaleString('en')} guides; they have the setting as it is.`);
  }
  return { factors: Object.keys(factors).length > 0 ? factors : null, notes };
}

/** Settings as they are where each factor is least and greatest: what a run has to be careful enough for. */
export function extremes<T extends Record<FormulaSetting, number>>(of: T, factors: Factors | null): T[] {
  if (!factors) return [of];
  const range = (key: FormulaSetting): [number, number] => { const f = factors[key]; return f && f.length > 0 ? [f.reduce((a, b) => Math.min(a, b), Infinity), f.reduce((a, b) => Math.max(a, b), 0)] : [1, 1]; };
  const [stiffness, weight, damping, airDrag] = (['stiffness', 'weight', 'damping', 'airDrag'] as const).map(range);
  return [0, 1].flatMap((s) => [0, 1].map((w): T => ({ ...of, stiffness: of.stiffness * stiffness[s], weight: of.weight * weight[w], damping: of.damping * damping[0], airDrag: of.airDrag * airDrag[0] })));
}
