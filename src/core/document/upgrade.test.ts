import { describe, expect, it } from 'vitest';
import { physicalRod } from '../sway/materials';
import { holdAt } from '../sway/hold';
import { DOCUMENT_FORMAT, newDocument, noMaps } from './schema';
import { readDocument } from './upgrade';

/** A new document with its filling as it was up to format 6. */
const asOfFormat6 = (...x: Parameters<typeof newDocument>) => {
  const { cards: _later, planted: _too, ...rest } = newDocument(...x), { density, length } = rest.plot.maps;
  return { ...rest, plot: { ...rest.plot, maps: { density, length } }, fill: { count: 50000, preview: 5000, widthUm: 70, taper: 0.2, clump: 0.4, lock: 0.3, frizzMm: 0.6, lengthSpread: 0.25, melanin: 1.1, redness: 0.2, gloss: 0.8 } };
};
const format1 = () => {
  const { sway: _now, ...rest } = asOfFormat6('head', { clip: 'walk', start: 0, end: 24, fps: 24, cyclic: true });
  return { ...rest, format: 1, sway: { diameterUm: 90, stiffness: 8, damping: 4, holdRoot: 0.6, holdTip: 0.12, holdReach: 0.5, gravity: 9.81, skinGapMm: 1.5, friction: 0.3, substeps: 6, calmStart: true, skinPills: true, garmentPills: false } };
};

describe('documents of earlier formats', () => {
  it('format 1 keeps its strand, its hold and its substeps', () => {
    const d = readDocument(format1());
    expect(d.format).toBe(DOCUMENT_FORMAT);
    expect(d.sway.roles).toEqual({ body: 'pills', garment: 'off', accessory: 'off', prop: 'auto', carrier: 'auto' });
    expect(physicalRod(d.sway).diameter).toBeCloseTo(90e-6, 9);
    expect(d.sway).toMatchObject({ damping: 4, skinGapMm: 1.5, substeps: 6, chooseSubsteps: false, airDrag: 0, lock: 1 });
    for (const [share, hold] of [[0, 0.6], [0.5, 0.12], [1, 0.12]]) expect(holdAt(d.sway, share)).toBeCloseTo(hold, 9);
  });
  it('format 2 keeps what it touched, its profiles and its air', () => {
    const now = asOfFormat6('head', { clip: 'walk', start: 0, end: 24, fps: 24, cyclic: true }), { stiffness, damping } = now.sway.profiles;
    const rest = Object.fromEntries(Object.entries(now.sway).filter(([k]) => k !== 'roles')), old = (garments: string, skinPills: boolean): unknown => ({ ...now, format: 2, sway: { ...rest, profiles: { hold: [[0, 0.4], [1, 0.2]], stiffness, damping }, windSpeed: 3, skinPills, garments } });
    const d = readDocument(old('shells', true));
    expect(d.sway.roles).toEqual({ body: 'pills', garment: 'shell', accessory: 'off', prop: 'auto', carrier: 'auto' });
    expect(d.sway.profiles.hold).toEqual([[0, 0.4], [1, 0.2]]);
    expect(d.sway.profiles.give).toEqual([[0, 1], [1, 1]]);
    expect(readDocument(old('off', false)).sway.roles).toEqual({ body: 'off', garment: 'off', accessory: 'off', prop: 'auto', carrier: 'auto' });
    expect(d.sway.windSpeed).toBe(3);
  });
  it('format 3 keeps its plot and its roles, and knows the new ones', () => {
    const { meshRoles: _later, ...sway } = newDocument('head', { clip: 'walk', start: 0, end: 24, fps: 24, cyclic: true }).sway, plant = { guideCount: 40, lengthCm: 12, pointCount: 16, liftMm: 9, seed: 3, lie: 'standing' };
    const d = readDocument({ ...asOfFormat6('head', { clip: 'walk', start: 0, end: 24, fps: 24, cyclic: true }), format: 3, plot: { mesh: 'head', faces: 'a'.repeat(64) }, plant, sway: { ...sway, roles: { body: 'pills', garment: 'off', accessory: 'shell' } } });
    expect(d.plot).toEqual({ mesh: 'head', faces: 'a'.repeat(64), maps: noMaps(), flow: null });
    expect(d.plant).toMatchObject({ ...plant, by: 'count' });
    expect(d.sway.roles).toEqual({ body: 'pills', garment: 'off', accessory: 'shell', prop: 'auto', carrier: 'auto' });
  });
  it('format 4 keeps its shot, which gets a name', () => {
    const { shotName: _name, otherShots: _none, plot: { flow: _still, ...plot }, ...same } = asOfFormat6('head', { clip: 'walk', start: 3, end: 24, fps: 24, cyclic: true }), old = { ...same, plot }, d = readDocument({ ...old, format: 4 });
    const six = readDocument({ ...asOfFormat6('head', { clip: 'walk', start: 3, end: 24, fps: 24, cyclic: true }), format: 6 });
    expect(six.format).toBe(DOCUMENT_FORMAT);
    expect(d).toEqual({ ...six, ...old, plot: { ...plot, maps: noMaps(), flow: null }, fill: six.fill, format: DOCUMENT_FORMAT, shotName: 'walk', otherShots: [] });
    expect(() => readDocument({ ...d, otherShots: [{ shotName: 'walk', shot: d.shot, hidden: [], own: {} }] })).toThrow('Two shots have the same name.');
  });
  it('format 6 keeps what was done to its strands, as a list of treatments', () => {
    const old = asOfFormat6('head', { clip: 'walk', start: 0, end: 24, fps: 24, cyclic: true }), { fill, plot, cards } = readDocument({ ...old, format: 6, plot: { ...old.plot, maps: { density: 'a'.repeat(64), length: null } } });
    expect(plot.maps).toEqual({ ...noMaps(), density: 'a'.repeat(64) });
    // shapes of guides were taken as they hang
    expect(fill).toMatchObject({ count: 50000, preview: 5000, widthUm: 70, taper: 0.2, melanin: 1.1, redness: 0.2, gloss: 0.8, turnCm: 0, partings: [] });
    expect(fill.treatments.map((t) => [t.kind, t.driver.amount, t.numbers.heightMm ?? null])).toEqual([['length', 0.25, null], ['clump', 0.4, null], ['frizz', 1, 0.48], ['clump', 0.3, null], ['frizz', 1, 0.35]]);
    expect(fill.treatments[1].numbers.to).toBe(0);
    expect(cards.triangles).toBeGreaterThan(0);
    expect(readDocument({ ...old, format: 6, fill: { ...old.fill, clump: 0, lock: 0, frizzMm: 0, lengthSpread: 0 } }).fill.treatments).toEqual([]);
  });
  it('format 7 keeps its movement: one set of settings for all shots, alike all over', () => {
    const now = newDocument('head', { clip: 'walk', start: 0, end: 24, fps: 24, cyclic: true }), { spread: _a, on: _b, second: _c, profiles: { gap: _d, ...profiles }, maps: { region: _e, ...maps }, ...sway } = now.sway, { setAside: _f, ...rest } = now;
    const old = { ...rest, format: 7, otherShots: [{ shotName: 'b', shot: now.shot, hidden: ['scarf'] }], sway: { ...sway, hold: 0.3, profiles, maps: { ...maps, hold: 'a'.repeat(64) } } };
    expect(readDocument(old)).toEqual({ ...now, otherShots: [{ shotName: 'b', shot: now.shot, hidden: ['scarf'], own: {} }], sway: { ...now.sway, hold: 0.3, maps: { ...now.sway.maps, hold: 'a'.repeat(64) } } });
  });
  it('a hold that reaches the tip, or none at all, is a profile too', () => {
    expect(readDocument({ ...format1(), sway: { ...format1().sway, holdReach: 1 } }).sway.profiles.hold.length).toBe(2);
    expect(holdAt(readDocument({ ...format1(), sway: { ...format1().sway, holdRoot: 0, holdTip: 0 } }).sway, 0.3)).toBe(0);
  });
  it('the present format is read as it is, anything else refused', () => {
    const d = newDocument('head', { clip: 'walk', start: 0, end: 24, fps: 24, cyclic: true });
    expect(readDocument(d)).toEqual(d);
    for (const bad of [null, 3, {}, { format: 99 }, { ...d, format: DOCUMENT_FORMAT + 1 }, { ...d, fill: { ...d.fill, treatments: [{ ...d.fill.treatments[0], numbers: {} }] } }, { ...d, fill: { ...d.fill, treatments: [d.fill.treatments[0], d.fill.treatments[0]] } }]) expect(() => readDocument(bad)).toThrow();
  });
  it('profiles must run from root to tip in ascending steps', () => {
    const d = newDocument('head', { clip: 'walk', start: 0, end: 24, fps: 24, cyclic: true }), change = (hold: number[][]) => ({ ...d, sway: { ...d.sway, profiles: { ...d.sway.profiles, hold } } });
    for (const bad of [[[0, 1]], [[0, 1], [0.5, 1]], [[0.1, 1], [1, 1]], [[0, 1], [0.6, 1], [0.4, 1], [1, 1]], [[0, 1], [1, 2]]]) expect(() => readDocument(change(bad))).toThrow();
  });
});
