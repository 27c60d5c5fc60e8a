import { describe, expect, it } from 'vitest';
import { tubeScenes } from '../../../tests/helpers/tube-scene';
import { packRun, unpackRun } from '../bake/run-state';
import { documentSchema } from '../document/schema';
import { polylineLength } from '../groom/polyline';
import { computeTake, type TakeFrame } from '../proof/take';
import { planRun, SwayRun, type Scene } from '../sway/run';
import { restPoints } from '../sway/scene';
import { cageAxes, cagePoints, halfSizes, newCage, type SwayCage } from './cages';

const tube = await tubeScenes(24, 10), joint = tube.character.nodes[tube.character.skins[0].joints[1]].name, around = restPoints(tube.scene());
const cage = (change: Partial<SwayCage> = {}): SwayCage => ({ ...newCage('a', 'side', joint, around), ...change });
const scene = (cages: SwayCage[], more: Parameters<typeof tube.scene>[0] = {}): Scene => tube.scene({ cages, roles: tube.bare, ...more }, { clip: tube.faster(4), shot: { end: 24 } });
const begun = (s: Scene, options = {}): SwayRun => new SwayRun(s, 0, { plan: planRun(s, 0, 24), ...options });
function frames(s: Scene, count = 12): { run: SwayRun; all: Float32Array[] } { const run = begun(s), all: Float32Array[] = []; for (let f = 0; f < count; f++) { run.advance(); all.push(run.positions()); } return { run, all }; }
const apart = (a: ArrayLike<number>, b: ArrayLike<number>): number => { let most = 0; for (let p = 0; p < a.length; p += 3) most = Math.max(most, Math.hypot(a[p] - b[p], a[p + 1] - b[p + 1], a[p + 2] - b[p + 2])); return most; };
const still = (s: Scene): Float32Array[] => frames({ ...s, settings: { ...s.settings, on: false } }).all;

describe('cages', () => {
  it('are put round what is given them, in boxes that turn', () => {
    const c = cage({ points: 3 }), points = cagePoints(c), low = [0, 1, 2].map((k) => Math.min(...points.filter((_, a) => a % 3 === k))), high = [0, 1, 2].map((k) => Math.max(...points.filter((_, a) => a % 3 === k)));
    for (let a = 0; a < around.length; a++) { expect(around[a]).toBeGreaterThan(low[a % 3] - 0.006); expect(around[a]).toBeLessThan(high[a % 3] + 0.006); }
    const turned = cageAxes({ turnX: 0, turnY: 0, turnZ: 90 });
    [[0, 1, 0], [-1, 0, 0], [0, 0, 1]].forEach((row, k) => row.forEach((v, n) => expect(turned[k][n]).toBeCloseTo(v, 12)));
    expect(halfSizes({ wide: 20, high: 40, deep: 10 })).toEqual([0.1, 0.2, 0.05]);
    expect(newCage('a', 'nothing', '', [])).toMatchObject({ wide: 30, on: true });
    expect(documentSchema.safeParse({ ...tube.document({ cages: [cage()] }) }).success).toBe(true);
    expect(documentSchema.safeParse({ ...tube.document({ cages: [cage({ points: 6 })] }) }).success).toBe(false);
  });
  it('move the hair, which keeps its roots and its lengths; where nothing moves nothing does', () => {
    const s = scene([cage()]), { all, run } = frames(s), stiff = still(s), n = tube.points;
    expect(Math.max(...all.map((f, k) => apart(f, stiff[k])))).toBeGreaterThan(0.01);
    all.forEach((f, k) => {
      for (let g = 0; g < tube.guides; g++) {
        for (let c = 0; c < 3; c++) expect(f[3 * n * g + c]).toBe(stiff[k][3 * n * g + c]);
        for (let i = 1; i < n; i++) { const edge = (p: ArrayLike<number>): number => polylineLength(p, g * n + i - 1, 2); expect(Math.abs(edge(f) / edge(stiff[k]) - 1)).toBeLessThan(1e-4); }
      }
    });
    expect(run.report).toMatchObject({ guides: tube.guides, plan: { because: 'cages', substeps: 4 }, notes: [] });
    const rest = tube.scene({ cages: [cage()], roles: tube.bare }, { clip: null }), there = frames(rest);
    for (const f of there.all) expect(apart(f, still(rest)[0])).toBeLessThan(1e-9);
  });
  it('hang down where the joint is turned over, unless the combed shape is without weight', () => {
    // the same cage with gravity and without: at rest both are as combed, until the joint turns
    const end = (gravity: number, calmStart = true): Float32Array => frames(scene([cage({ hz: 1 })], { gravity, calmStart })).all.at(-1)!;
    expect(apart(end(9.81), end(0))).toBeGreaterThan(0.002);
    const { run } = frames(tube.scene({ cages: [cage({ hz: 1.5, damping: 0.5, still: 0 })], roles: tube.bare, calmStart: false }, { clip: null }), 96), { x } = run.cages!.held[0].motion, points = cagePoints(cage());
    // by g/ω² where nothing else holds it, all of it alike
    for (let a = 1; a < x.length; a += 3) expect(points[a] - x[a]).toBeCloseTo(9.81 / (2 * Math.PI * 1.5) ** 2, 6);
  });
  it('take hair along by as much as is painted, and share it out where they lie in one another', () => {
    const one = frames(scene([cage()])).all.at(-1)!, stiff = still(scene([cage()])).at(-1)!;
    const painted = { ...scene([cage()]), maps: { give: (face: number) => (face < 300 ? 0 : 1) } }, half = frames(painted).all.at(-1)!, n = tube.points;
    for (let g = 0; g < tube.guides; g++) expect(apart(half.subarray(3 * n * g, 3 * n * (g + 1)), (tube.planting.faces[g] < 300 ? stiff : one).subarray(3 * n * g, 3 * n * (g + 1)))).toBeLessThan(1e-6);
    expect(apart(frames(scene([cage(), cage({ id: 'b', name: 'again' })])).all.at(-1)!, one)).toBeLessThan(1e-6);
    expect(apart(frames(scene([cage({ amount: 0 })])).all.at(-1)!, stiff)).toBeLessThan(1e-6);
    // each its own part: the far half of the tube in a cage of its own that does not move
    const low = cage({ wide: 60, high: 60, deep: 60 }), both = frames(scene([low, cage({ id: 'b', name: 'calm', amount: 0, wide: 60, high: 60, deep: 60 })])).all.at(-1)!, alone = frames(scene([low])).all.at(-1)!;
    expect(apart(both, stiff)).toBeLessThan(apart(alone, stiff));
    expect(apart(both, stiff)).toBeGreaterThan(0.2 * apart(alone, stiff));
  });
  it('are put out of what they would go into, and measured', () => {
    const s = tube.scene({ cages: [cage({ hz: 0.6, damping: 0.1, still: 0 })] }, { clip: tube.faster(4) }), taken = (of: Scene): TakeFrame['measures'][] => [...computeTake(of, 1, { start: 0, end: 24 })].map((f) => f.measures), loose = taken({ ...s, settings: { ...s.settings, roles: tube.bare } }), kept = taken(s);
    expect(kept.length).toBe(loose.length);
    const deepest = Math.max(...kept.map((f) => f.depth));
    expect(deepest).toBeLessThan(0.003);
    expect(kept.every((f) => f.stretch < 1e-3)).toBe(true);
    expect(kept.some((f) => Math.abs(f.volume - 1) > 1e-4)).toBe(true);
  });
  it('give each share what they give the whole, and go on to the bit from what a run had become', () => {
    const s = scene([cage(), cage({ id: 'b', name: 'low', points: 4, high: 10 })]), whole = frames(s).all.at(-1)!, n = 3 * tube.points;
    for (const [from, to] of [[0, 8], [8, 24]]) { const run = begun(s, { from, to }); for (let f = 0; f < 12; f++) run.advance(); expect(run.positions()).toEqual(whole.slice(n * from, n * to)); }
    const first = begun(s), second = begun(s);
    for (let f = 0; f < 5; f++) first.advance();
    unpackRun(second, packRun(first));
    for (let f = 0; f < 4; f++) { first.advance(); second.advance(); expect(second.positions()).toEqual(first.positions()); }
    // by hand: with other settings from here
    const other = begun(scene([cage({ hz: 3 }), cage({ id: 'b', name: 'low', points: 4, high: 10 })]));
    other.goOnFrom(first);
    expect(apart(other.advance() && other.positions(), first.advance() && first.positions())).toBeLessThan(0.03);
  });
  it('go in four steps a frame where they go in sixteen, to a tenth of how far they move', () => {
    const moved = (substeps: number): Float32Array[] => frames(scene([cage()], { chooseSubsteps: false, substeps }), 24).all, [few, many] = [moved(4), moved(16)], stiff = frames({ ...scene([cage()]), settings: { ...scene([cage()]).settings, on: false } }, 24).all;
    const way = Math.max(...many.map((f, k) => apart(f, stiff[k])));
    expect(way).toBeGreaterThan(0.01);
    for (const [k, f] of few.entries()) expect(apart(f, many[k])).toBeLessThan(0.1 * way);
  });
  it('that hold nothing, or whose joint is gone, are told', () => {
    const notes = (c: SwayCage[]): string => begun(scene(c)).report.notes.join(' ');
    expect(notes([cage({ y: 40, name: 'lost' })])).toMatch(/“lost” holds no hair: nothing is moved by it/);
    expect(notes([cage({ joint: 'tail 9' })])).toMatch(/followed the joint “tail 9”, which this character does not have/);
    expect(notes([cage({ still: 0.95, wide: 4, high: 4, deep: 4, softCm: 0 })])).toMatch(/holds no hair|are still|lie in no cage/);
    expect(notes([cage({ joint: '' })])).toBe('');
  });
});
