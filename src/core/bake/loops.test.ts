import { beforeAll, describe, expect, it } from 'vitest';
import { tubeScenes, type TubeScenes } from '../../../tests/helpers/tube-scene';
import { planRun, SwayRun } from '../sway/run';
import { planBake, stepsOf } from './bake-plan';
import { closeLoop, farthest, RootView, seamOf } from './loops';

let tube: TubeScenes;
beforeAll(async () => { tube = await tubeScenes(16, 8); });

describe('what a bake computes', () => {
  it('a range runs up from its pre-roll; its last frame has all its samples', () => {
    const d = tube.document({}, { start: 3, end: 10 }, 5);
    expect(planBake(d)).toMatchObject({ samples: 1, first: 3, last: 10, rest: -3, loop: 0, farthest: 10 });
    d.bake.samples = 4;
    const plan = planBake(d);
    expect(plan).toMatchObject({ first: 12, last: 43, rest: -9 });
    expect(plan.document.shot).toMatchObject({ fps: 96, start: 12, end: 43 });
    expect(stepsOf(plan, 9)).toBe(52);
  });
  it('a loop goes round, whatever the pre-roll', () => {
    const d = tube.document({}, { start: 2, end: 9, cyclic: true }, 50), plan = planBake({ ...d, bake: { ...d.bake, loopRounds: 3 } });
    expect(plan).toMatchObject({ loop: 8, rest: 1, farthest: 9 + 24 + 1 });
    expect(stepsOf(plan, 2)).toBe(25);
  });
});

describe('closing a loop', () => {
  it('brings the end to the beginning, in place and in speed, with every edge as long as it was', () => {
    const L = 22, scene = { ...tube.scene({ hold: 0.15, damping: 0.5 }, { shot: { start: 0, end: L - 1, cyclic: true } }), round: L }, run = new SwayRun(scene, -1, { plan: planRun(scene, -1, L) }), frames: Float32Array[] = [];
    while (run.frame < 2 * L) { run.advance(); frames.push(run.positions()); }
    const view = new RootView(scene), local = (n: number, p: Float32Array): Float32Array => { const out = new Float32Array(p.length); view.from(n % L, p, out); return out; }, at = (n: number): Float32Array => local(n, frames[n]);
    const before = seamOf(at(L - 1), at(L), at(2 * L - 1), at(2 * L), 24, 8), round = frames.slice(L, 2 * L).map((p) => p.slice()), was = round.map((p) => p.slice());
    expect(before.gap).toBeGreaterThan(0.001);
    closeLoop(scene, 0, round, frames.slice(L - 6, L));
    const after = seamOf(at(L - 1), at(L), local(L - 1, round[L - 1]), at(L), 24, 8);
    expect(after.gap).toBe(0);
    expect(after.speed).toBeLessThan(0.5 * before.speed + 0.02);
    // what is not blended is untouched; edges keep their lengths
    for (let k = 0; k < L - 6; k++) expect(round[k]).toEqual(was[k]);
    for (let k = L - 6; k < L; k++) for (let p = 3; p < round[k].length; p += 3) if ((p / 3) % 8 !== 0) { const length = (q: Float32Array): number => Math.hypot(q[p] - q[p - 3], q[p + 1] - q[p - 2], q[p + 2] - q[p - 1]); expect(Math.abs(length(round[k]) / length(was[k]) - 1)).toBeLessThan(0.005); }
    // and nothing leaps within the blend
    for (let k = 1; k < L; k++) expect(farthest(local(k, round[k]), local(k - 1, round[k - 1]), 8).distance).toBeLessThan(0.06);
  });
  it('there and back through the roots is the same place', () => {
    const scene = tube.scene({}), view = new RootView(scene), p = new SwayRun(scene, 0).positions(), local = new Float32Array(p.length), back = new Float32Array(p.length);
    view.from(7, p, local);
    view.to(7, local, back);
    p.forEach((v, i) => expect(back[i]).toBeCloseTo(v, 5));
  });
});
