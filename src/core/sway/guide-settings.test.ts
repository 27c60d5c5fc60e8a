import { beforeAll, describe, expect, it } from 'vitest';
import { tubeScenes, type TubeScenes } from '../../../tests/helpers/tube-scene';
import { SECOND_SET, type SwaySettings } from '../document/schema';
import { noHand, applyHand } from '../mesh/hand';
import { poseCharacter } from '../mesh/character';
import { differing, GuideSettings, settingsBetween } from './guide-settings';
import { planRun, SwayRun, type Scene } from './run';
import { groomedShape } from '../proof/take';
import { evenSubset, FewGuides, ofSubset, settingsOfSubset } from './few-guides';

let tube: TubeScenes;
beforeAll(async () => { tube = await tubeScenes(); });
const second = (of: SwaySettings, change: Partial<SwaySettings>): SwaySettings['second'] => Object.fromEntries(SECOND_SET.map((k) => [k, change[k] ?? of[k]])) as SwaySettings['second'];
const runTo = (scene: Scene, frame: number): SwayRun => { const run = new SwayRun(scene, -2, { plan: planRun(scene, -3, frame) }); while (run.frame < frame) run.advance(); return run; };
const apart = (a: ArrayLike<number>, b: ArrayLike<number>): number => { let w = 0; for (let k = 0; k < a.length; k += 3) w = Math.max(w, Math.hypot(a[k] - b[k], a[k + 1] - b[k + 1], a[k + 2] - b[k + 2])); return w; };

describe('two sets of settings', () => {
  it('meet without a seam: multipliers by ratio, the rest evenly', () => {
    const s: SwaySettings = { ...tube.settings, stiffness: 16, hold: 0.2, second: second(tube.settings, { stiffness: 1, hold: 0.8 }) };
    expect(settingsBetween(s, 1)).toMatchObject({ stiffness: 16, hold: 0.2 });
    expect(settingsBetween(s, 0)).toMatchObject({ stiffness: 1, hold: 0.8 });
    expect(settingsBetween(s, 0.5).stiffness).toBeCloseTo(4, 9);
    expect(settingsBetween(s, 0.5).hold).toBeCloseTo(0.5, 9);
  });
  it('where the map is dark a run is to the bit the run of the second set', () => {
    const loose = { damping: 0.5, hold: 0.1, stiffness: 2, airDrag: 0 }, s = { ...tube.settings, roles: tube.bare, hold: 0.9 }, region = (v: number): Scene['maps'] => ({ region: () => v });
    const both = tube.scene({ ...s, second: second(s, loose) });
    expect(runTo({ ...both, maps: region(1) }, 10).positions()).toEqual(runTo(tube.scene({ ...s, second: second(s, loose) }), 10).positions());
    const plan = planRun({ ...both, maps: region(0) }, -3, 10), dark = new SwayRun({ ...both, maps: region(0) }, -2, { plan }), other = new SwayRun(tube.scene({ ...s, ...loose }), -2, { plan });
    for (let k = 0; k < 12; k++) { dark.advance(); other.advance(); }
    expect(apart(dark.positions(), other.positions())).toBeLessThan(1e-6);
    // halfway lies between
    const half = runTo({ ...both, maps: region(0.5) }, 10).positions();
    expect(apart(half, dark.positions())).toBeGreaterThan(1e-4);
  });
});

describe('guides that differ', () => {
  it('differ always alike, about as much as is asked, whichever share computes them', () => {
    const all = Array.from({ length: 2000 }, (_, g) => differing(0.4, g));
    expect(differing(0.4, 7)).toEqual(differing(0.4, 7));
    expect(differing(0, 7)).toEqual({ stiffness: 1, damping: 1, hold: 1 });
    const mean = all.reduce((s, d) => s + Math.log(d.stiffness), 0) / all.length;
    expect(Math.abs(mean)).toBeLessThan(0.05);
    const whole = new GuideSettings({ ...tube.settings, spread: 0.4 }, new Float64Array(24).fill(1), 0), share = new GuideSettings({ ...tube.settings, spread: 0.4 }, new Float64Array(4).fill(1), 10);
    expect(share.at(2)).toEqual(whole.at(12));
  });
});

describe('settings of a shot', () => {
  it('hair that does not move is carried by the skin, and costs no solving', () => {
    const run = runTo(tube.scene({ on: false }), 9), cast = runTo(tube.scene({ hold: 1, profiles: { ...tube.settings.profiles, hold: [[0, 1], [1, 1]] }, roles: tube.bare }), 9);
    expect(apart(run.positions(), cast.positions())).toBeLessThan(2e-5);
    expect(run.advance()).toMatchObject({ depth: 0, netUses: 0, stretch: 0 });
  });
  it('a gap that rises from the root lets hair lie nearer there, and keeps it off at the tip', () => {
    const gap: SwaySettings['profiles']['gap'] = [[0, 0], [0.5, 0], [1, 1]], settle = (profiles: SwaySettings['profiles']): SwayRun => runTo(tube.scene({ skinGapMm: 14, hold: 0.3, profiles }, { clip: null, offsets: tube.shapes({ lift: 0.004 }) }), 30);
    const all = settle(tube.settings.profiles).positions(), rising = settle({ ...tube.settings.profiles, gap }).positions(), off = (P: Float32Array, i: number): number[] => Array.from({ length: tube.guides }, (_, g) => { const p = 3 * (g * tube.points + i); return P[p + 1] > 0.6 ? 1 : Math.hypot(P[p], P[p + 2]); }), mean = (v: number[]): number => v.reduce((a, b) => a + b, 0) / v.length;
    expect(mean(off(all, 4)) - mean(off(rising, 4))).toBeGreaterThan(0.004);
    // a tube of sixteen sides is nearer at their middles
    expect(Math.min(...off(rising, tube.points - 1))).toBeGreaterThan(0.1 * Math.cos(Math.PI / 16) + 0.0135);
  });
});

describe('a run that goes on with other settings', () => {
  it('goes on from where it is: with the same settings as if nothing had been; without a jump with others', () => {
    const scene = tube.scene({ hold: 0.3, roles: tube.bare }), plan = planRun(scene, -3, 12), straight = new SwayRun(scene, -2, { plan }), old = new SwayRun(scene, -2, { plan });
    for (let k = 0; k < 8; k++) { straight.advance(); old.advance(); }
    const before = old.positions(), same = new SwayRun(scene, -2, { plan });
    same.goOnFrom(old);
    expect(apart(same.positions(), before)).toBeLessThan(1e-6);
    straight.advance(); same.advance();
    // the first substep is a backward Euler one
    expect(apart(same.positions(), straight.positions())).toBeLessThan(1.5e-3);
    const other = new SwayRun(tube.scene({ hold: 0.3, damping: 20, roles: tube.bare }), -2, { plan });
    other.goOnFrom(old);
    other.advance();
    expect(apart(other.positions(), before)).toBeLessThan(0.06);
    expect(apart(other.positions(), straight.positions())).toBeGreaterThan(1e-4);
  });
  it('a hand on the whole character takes the roots along; on a joint only what hangs on it', () => {
    const run = new SwayRun(tube.scene({ roles: tube.bare }, { clip: null }), 0), roots = (P: Float32Array): number[] => Array.from({ length: tube.guides }, (_, g) => P[3 * g * tube.points]);
    run.advance(0);
    const before = roots(run.positions());
    run.setHand({ ...noHand(-1), shift: [0.2, 0, 0] });
    run.advance(0);
    roots(run.positions()).forEach((x, g) => expect(x).toBeCloseTo(before[g] + 0.2, 6));
    expect(run.frame).toBe(0);
    const pose = poseCharacter(tube.character, null, 0), was = pose.slice(), high = tube.character.nodes.findIndex((n) => n.name === 'high'), low = tube.character.nodes.findIndex((n) => n.name === 'low');
    applyHand(pose, tube.character, { ...noHand(high), turn: [0, 0, Math.SQRT1_2, Math.SQRT1_2] });
    expect(pose.slice(16 * low, 16 * low + 16)).toEqual(was.slice(16 * low, 16 * low + 16));
    expect(pose[16 * high + 1]).toBeCloseTo(1, 9);
    expect([12, 13, 14].map((k) => pose[16 * high + k])).toEqual([12, 13, 14].map((k) => was[16 * high + k]));
  });
});

describe('a few guides for all', () => {
  it('are spread evenly: none of the others is far from one', () => {
    const roots = Float64Array.from({ length: 3 * 100 }, (_, k) => [Math.floor(k / 3) % 10, Math.floor(k / 30), 0][k % 3]), some = evenSubset(roots, 25), far = Math.max(...Array.from({ length: 100 }, (_, g) => Math.min(...Array.from(some, (s) => Math.hypot(roots[3 * g] - roots[3 * s], roots[3 * g + 1] - roots[3 * s + 1])))));
    expect(new Set(some).size).toBe(25);
    expect(far).toBeLessThan(2.3);
    expect(evenSubset(roots, 1000).length).toBe(100);
  });
  it('carry the others along, who keep their own shape and their lengths', () => {
    const n = tube.points, groomed = tube.offsets, shape = groomedShape(tube.scene()), roots = Float64Array.from({ length: 3 * tube.guides }, (_, k) => shape[3 * n * Math.floor(k / 3) + (k % 3)]), which = evenSubset(roots, 6), few = new FewGuides(which, roots, groomed, n), some = ofSubset(which, tube.planting, groomed, n), out = new Float32Array(groomed.length);
    few.spread(some.offsets, out);
    expect(apart(out, groomed)).toBeLessThan(1e-6);
    const swung = some.offsets.map((v, k) => v + (k % 3 === 0 ? 0.004 * (Math.floor(k / 3) % n) : 0));
    few.spread(swung, out);
    const length = (P: ArrayLike<number>, g: number, i: number): number => Math.hypot(...[0, 1, 2].map((c) => P[3 * (g * n + i) + c] - P[3 * (g * n + i - 1) + c]));
    for (let g = 0; g < tube.guides; g++) {
      if (which.includes(g)) continue;
      expect(out[3 * (g * n + n - 1)] - groomed[3 * (g * n + n - 1)]).toBeGreaterThan(0.01);
      for (let i = 1; i < n; i++) expect(length(out, g, i)).toBeCloseTo(length(groomed, g, i), 6);
    }
    const ties = [{ id: 'a', name: 'a', on: true, kind: 'ring' as const, guides: [which[0], which[2]], from: 0, to: 1, node: '', firmness: 1, snap: null, wears: null }, { id: 'b', name: 'b', on: true, kind: 'ring' as const, guides: [Array.from({ length: 24 }, (_, k) => k).find((k) => !which.includes(k))!], from: 0, to: 1, node: '', firmness: 1, snap: null, wears: null }];
    expect(settingsOfSubset(which, { ...tube.settings, ties }).ties).toEqual([{ ...ties[0], guides: [0, 2] }]);
  });
});
