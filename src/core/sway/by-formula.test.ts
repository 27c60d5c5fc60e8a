import { beforeAll, describe, expect, it } from 'vitest';
import { tubeGlb } from '../../../tests/helpers/tube';
import { readGlb } from '../../formats/gltf';
import { newDocument, swaySchema } from '../document/schema';
import { growGuide } from '../groom/grow';
import { rootPlace, scatterEvenly } from '../groom/planting';
import { Surface } from '../mesh/surface';
import { extremes, factorsOf, readSwayFormula } from './by-formula';
import { planRun, SwayRun, type Scene } from './run';

const GUIDES = 24, POINTS = 10;
let base: Scene;
beforeAll(async () => {
  const read = await readGlb(await tubeGlb());
  if (!read.ok) throw new Error(read.error.message);
  const character = read.value, mesh = character.meshes[0], surface = new Surface(mesh.positions, mesh.triangles), planting = scatterEvenly(surface, Uint32Array.from({ length: 120 }, (_, i) => 240 + i), GUIDES, 5), offsets = new Float32Array(3 * POINTS * GUIDES);
  for (let g = 0; g < GUIDES; g++) offsets.set(growGuide(surface, rootPlace(surface, planting, g), surface.normal(planting.faces[g]), { length: 0.1 + 0.005 * g, pointCount: POINTS, lie: 'standing', lift: 0 }), 3 * POINTS * g);
  const { sway, shot } = newDocument('tube', { clip: 'bend', start: 0, end: 24, fps: 24, cyclic: false });
  base = { character, mesh, clip: character.clips.find((c) => c.name === 'bend')!, shot, planting, offsets, pointCount: POINTS, hidden: [], settings: { ...sway, roles: { body: 'off', garment: 'off', accessory: 'off', prop: 'off', carrier: 'off' } } };
});
const withRules = (formulas: Scene['settings']['formulas'], more: Partial<Scene['settings']> = {}): Scene => ({ ...base, settings: { ...base.settings, ...more, formulas } });
const after = (scene: Scene, frames = 12): Float32Array => { const run = new SwayRun(scene, 0, { plan: planRun(scene, 0, 12) }); for (let k = 0; k < frames; k++) run.advance(); return run.positions(); };

describe('settings by formula', () => {
  it('a factor for each guide from its length, its place and the maps; the same whichever share it is in', () => {
    const { factors } = factorsOf(withRules({ hold: 'length / 10', weight: '0.5 + random' }));
    for (let g = 0; g < GUIDES; g++) expect(factors!.hold![g]).toBeCloseTo((10 + 0.5 * g) / 10, 4);
    const mapped: Scene = { ...withRules({ hold: 'region', give: '1 - 0.5 * region' }), maps: { region: (_f, b) => b } }, by = factorsOf(mapped).factors!;
    for (let g = 0; g < GUIDES; g++) { expect(by.hold![g]).toBeCloseTo(base.planting.weights[2 * g], 6); expect(by.give![g]).toBeCloseTo(1 - 0.5 * base.planting.weights[2 * g], 6); }
    const from = 10, share: Scene = { ...withRules({ weight: '0.5 + random' }), planting: { faces: base.planting.faces.slice(from), weights: base.planting.weights.slice(2 * from) }, offsets: base.offsets.slice(3 * POINTS * from) };
    expect(Array.from(factorsOf(share, from).factors!.weight!)).toEqual(Array.from(factors!.weight!.slice(from)));
    expect(new Set(factors!.weight!).size).toBe(GUIDES);
  });
  it('nothing of it, or 1, is a run without it to the bit; a setting of all guides times two is that setting twice', () => {
    const plain = after(base);
    expect(after(withRules({ damping: '1', stiffness: '1' }))).toEqual(plain);
    const doubled = after(withRules({ stiffness: '2' })), direct = after({ ...base, settings: { ...base.settings, stiffness: 2 * base.settings.stiffness } });
    expect(doubled).toEqual(direct);
    expect(doubled).not.toEqual(plain);
  });
  it('hold by a rule holds those guides it says and no others', () => {
    const free = after(withRules(undefined, { hold: 0 })), held = after(withRules({ hold: 'length > 16 ? 1 : 0' }, { hold: 1 })), moved = (g: number): number => { const o = 3 * (POINTS * g + POINTS - 1); return Math.hypot(free[o] - held[o], free[o + 1] - held[o + 1], free[o + 2] - held[o + 2]); };
    for (let g = 0; g < 12; g++) expect(moved(g)).toBeLessThan(1e-6);
    const held12 = Array.from({ length: 10 }, (_, k) => moved(14 + k));
    for (const m of held12) expect(m).toBeGreaterThan(1e-5);
    expect(held12.reduce((a, b) => a + b) / held12.length).toBeGreaterThan(3e-4);
  });
  it('what is no formula of movement is told with its place, and counts as 1', () => {
    expect(readSwayFormula('0.5 + t')).toMatchObject({ message: expect.stringMatching(/profiles/) as string, at: 6 });
    expect(readSwayFormula('0.5 + density')).toMatchObject({ message: expect.stringMatching(/density is not known here. There are: random, /) as string });
    const { factors, notes } = factorsOf(withRules({ hold: 'nonsense +', weight: '1 / (random - random)' }));
    expect(factors!.hold).toBeUndefined();
    expect(Array.from(factors!.weight!)).toEqual(Array.from({ length: GUIDES }, () => 1));
    expect(notes).toEqual([expect.stringMatching(/formula of Hold is left out/) as string, expect.stringMatching(/no number for 24 guides/) as string]);
    const run = new SwayRun(withRules({ hold: 'nonsense +' }), 0);
    expect(run.report.notes.join(' ')).toMatch(/formula of Hold/);
    expect(swaySchema.safeParse({ ...base.settings, formulas: { gravity: '2' } }).success).toBe(false);
  });
  it('a run is careful enough for the stiffest guide and the lightest', () => {
    const all = extremes({ stiffness: 2, weight: 3, hold: 0.5, give: 1, damping: 1, bendDamping: 1, airDrag: 1, lock: 1 }, { stiffness: Float64Array.of(0.5, 4), weight: Float64Array.of(0.2, 1) });
    expect(Math.max(...all.map((o) => o.stiffness / o.weight))).toBeCloseTo(8 / 0.6, 9);
    expect(planRun(withRules({ stiffness: '1 + 9 * step(0.5, random)' }), 0, 12).substeps).toBeGreaterThanOrEqual(planRun(base, 0, 12).substeps);
  });
});
