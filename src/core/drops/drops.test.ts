import { beforeAll, describe, expect, it } from 'vitest';
import { tubeScenes, type TubeScenes } from '../../../tests/helpers/tube-scene';
import { packFrames, unpackFrames } from '../bake/frame-codec';
import { packRun, unpackRun } from '../bake/run-state';
import { STRAND_NUMBERS } from '../proof/strand-meter';
import { rootPlace } from '../groom/planting';
import { Surface } from '../mesh/surface';
import { RodSystem } from '../sway/rod-system';
import { insideClosed } from '../sway/start-check';
import { SwayRun } from '../sway/run';
import { DROP_NUMBERS, DropRun } from './drop-run';
import { dropSourceSchema, fallSpeed, newSource, wayOf, type DropSource } from './sources';

const source = (of: Partial<DropSource> = {}): DropSource => dropSourceSchema.parse({ ...newSource('rain', 's', 'rain', [0, 0, 0]), ...of });
let tube: TubeScenes;
beforeAll(async () => { tube = await tubeScenes(24, 10); });
/** Above the tube's hair, straight down. */
const over = (of: Partial<DropSource> = {}): DropSource => source({ x: 0.02, y: 0.65, z: 0, wide: 0.12, turn: 0, rise: -90, spread: 3, speed: 3, rate: 3000, from: 0, to: 8, sizeMm: 3, stays: 1, sticks: 0.5, ...of });

describe('how fast drops and grains fall', () => {
  it('drops of water as Gunn and Kinzer measured them, within 3 %', () => {
    // Source: Gunn and Kinzer 1949, table of terminal velocities at 20 °C, from memory
    for (const [mm, v] of [[0.8, 3.27], [1, 4.03], [1.4, 5.17], [2, 6.49], [3, 8.06], [4, 8.83], [5, 9.09]]) expect(Math.abs(fallSpeed(mm / 1000, 1000) / v - 1)).toBeLessThan(0.03);
  });
  it('small spheres by Stokes’ law: 20 µm of water', () => {
    // Source: Stokes 1851: v = Δρ g d² / 18 μ
    const d = 20e-6;
    expect(fallSpeed(d, 1000) / (((1000 - 1.204) * 9.81 * d * d) / (18 * 1.82e-5))).toBeCloseTo(1, 1);
  });
  it('a drop in flight comes to that speed, and no further', () => {
    const system = new RodSystem(new Int32Array([4])), run = new DropRun({ sources: [source({ y: 100, speed: 0, spread: 0, rate: 24, from: 0, to: 1, sizeMm: 2, sizeSpread: 0, wide: 0 })], gravity: 9.81, fps: 24 }, 4), h = 1 / 192;
    for (let k = 1; k <= 192 * 3; k++) run.act(system, h, k * h, null, null);
    const [d] = [run.shown(system)];
    expect(d.length).toBe(DROP_NUMBERS);
    expect(Math.abs(-d[5] / fallSpeed(0.002, 1000) - 1)).toBeLessThan(0.005);
  });
});

describe('drops and strands', () => {
  it('exchange momentum and make none, to rounding, whatever hits and however it bounces', () => {
    for (const [sticks, bounce, kernel] of [[0, 0, 'float64'], [0, 0.6, 'float64'], [1, 0, 'float64'], [0.5, 0.3, 'float64']] as const) {
      const run = new SwayRun(tube.scene({ drops: [over({ sticks, bounce })], roles: tube.bare }), -1, { kernel }), { drops, system } = run, k = system.k, before = [0, 0, 0];
      let hits = 0, worst = 0;
      for (let f = 0; f < 10; f++) {
        // between two calls of its own, strands are given just what drops lose: watched at the act itself
        const real = drops!.act.bind(drops!);
        drops!.act = (sys, h, time, air, obstacles) => {
          const speeds = (): number[] => [0, 1, 2].map((c) => { let s = 0; for (let g = 0; g < sys.strandCount; g++) for (let i = 1; i < sys.pointsOf(g); i++) if (k.fixed[sys.at(g, i, 1)] === 0) s += k.mass[sys.at(g, i, 1)] * k.v[sys.at(g, i, 3) + c * sys.lanes]; return s; });
          drops!.gave.fill(0);
          const a = speeds();
          real(sys, h, time, air, obstacles);
          const b = speeds(), gave = [...drops!.gave], size = Math.hypot(...gave);
          if (size > 1e-9) { hits++; for (let c = 0; c < 3; c++) worst = Math.max(worst, Math.abs(b[c] - a[c] - gave[c]) / size); for (let c = 0; c < 3; c++) before[c] += gave[c]; }
        };
        run.advance();
        drops!.act = real;
      }
      expect(hits).toBeGreaterThan(10);
      expect(worst).toBeLessThan(1e-6);
      // and it was downwards
      expect(before[1]).toBeLessThan(0);
    }
  });
  it('meet just those strands that lie on their way, moving or still, beside a search through all of them', () => {
    // a path and an edge, both straight: how near they come is convex along the path, so thirds find it
    const nearest = (p: number[], way: number[], a: number[], b: number[]): { far: number; t: number } => {
      const u = b.map((v, c) => v - a[c]), uu = u.reduce((n, v) => n + v * v, 0), off = (s: number): { far: number; t: number } => { const q = p.map((v, c) => v + s * way[c] - a[c]), t = Math.min(1, Math.max(0, q.reduce((n, v, c) => n + v * u[c], 0) / uu)); return { far: Math.hypot(...q.map((v, c) => v - t * u[c])), t }; };
      let low = 0, high = 1;
      for (let k = 0; k < 60; k++) { const x = low + (high - low) / 3, y = high - (high - low) / 3; if (off(x).far < off(y).far) high = y; else low = x; }
      return off(0.5 * (low + high));
    };
    const wet = over({ sticks: 0, bounce: 0.4, rate: 4000, lockMm: 3, sizeSpread: 0, speed: 6 }), run = new SwayRun(tube.scene({ drops: [wet], roles: tube.bare, windSpeed: 6 }), -1, { kernel: 'float64' }), drops = run.drops!, real = drops.act.bind(drops), fall = fallSpeed(0.003, 1000), reach = 0.003 + 0.0015;
    let hits = 0, missed = 0, asked = 0;
    drops.act = (sys, h, time, _air, _walls, left) => {
      const before = drops.shown(sys), { k, lanes: L, rootBefore: from, rootPosition: to } = sys, edges: { a: number[]; b: number[]; v: number[] }[] = [];
      for (let g = 0; g < sys.strandCount; g++) for (let i = 1; i < sys.pointsOf(g); i++) { const [p, q] = [sys.at(g, i - 1, 3), sys.at(g, i, 3)], axes = [0, 1, 2]; edges.push({ a: axes.map((c) => from[3 * g + c] + k.x[p + c * L]), b: axes.map((c) => from[3 * g + c] + k.x[q + c * L]), v: axes.map((c) => (to[3 * g + c] - from[3 * g + c]) / h + 0.5 * (k.v[p + c * L] + k.v[q + c * L])) }); }
      real(sys, h, time, null, null, left);
      const after = new Map<number, number[]>(), shown = drops.shown(sys);
      for (let o = 0; o < shown.length; o += DROP_NUMBERS) after.set(shown[o], [...shown.subarray(o + 1, o + 7)]);
      for (let o = 0; o < before.length; o += DROP_NUMBERS) {
        const now = after.get(before[o]), p = [...before.subarray(o + 1, o + 4)], v = [...before.subarray(o + 4, o + 7)], drag = (9.81 * Math.hypot(...v)) / (fall * fall), w = v.map((x, c) => (x - (c === 1 ? h * 9.81 : 0)) / (1 + h * drag));
        if (!now) continue;
        let closest = Infinity;
        for (const e of edges) {
          const rel = w.map((x, c) => x - e.v[c]), middle = e.a.map((x, c) => 0.5 * (x + e.b[c]) - p[c]);
          if (Math.hypot(...middle) > h * Math.hypot(...rel) + 0.5 * Math.hypot(...e.a.map((x, c) => x - e.b[c])) + 2 * reach) continue;
          const { far, t } = nearest(p, rel.map((x) => h * x), e.a, e.b), toward = rel.reduce((n, x, c) => n + x * (e.a[c] + t * (e.b[c] - e.a[c]) - p[c]), 0);
          if (toward > 1e-5) closest = Math.min(closest, far);
        }
        // float32 of what is shown: what grazes is not asked about
        if (Math.abs(closest - reach) < 2e-5) continue;
        asked++;
        const turned = Math.hypot(...[0, 1, 2].map((c) => now[3 + c] - w[c])) > 2e-5;
        if (turned) hits++;
        if (turned !== closest < reach) missed++;
      }
    };
    for (let f = 0; f < 3; f++) run.advance();
    expect(asked).toBeGreaterThan(2000);
    expect(hits).toBeGreaterThan(60);
    expect(missed).toBe(0);
  });
  it('two things that meet: the sum of drop and edge before is the sum after', () => {
    const system = new RodSystem(new Int32Array([4])), { k } = system, mass = 3e-5;
    for (let i = 0; i < 4; i++) { k.mass[system.at(0, i, 1)] = mass; k.x[system.at(0, i, 3)] = 0.05 * i; k.fixed[system.at(0, i, 1)] = 0; }
    // on an edge that is free, and on one whose lower point stands in the skin
    for (const upper of [3, 2]) for (const [sticks, bounce] of [[1, 0], [0, 0], [0, 0.7]]) {
      k.v.fill(0); k.vPrev.fill(0); k.xPrev.fill(0);
      const run = new DropRun({ sources: [source({ x: 0.05 * upper - 0.025, y: 0.01, z: 0, wide: 0, speed: 2, speedSpread: 0, spread: 0, rate: 24, from: 0, to: 1, sizeMm: 4, sizeSpread: 0, sticks, bounce, lockMm: 2 })], gravity: 0, fps: 24 }, 4), h = 1 / 100, m = (1000 * Math.PI * 0.004 ** 3) / 6;
      // in a vacuum (its own drag vanishes with gravity) it comes at two metres a second until it hits
      for (let n = 1; n < 12; n++) run.act(system, h, n * h, null, null);
      const hair = [1, 2, 3].reduce((s, i) => s + mass * k.v[system.at(0, i, 3) + 1], 0), drop = run.momentum()[1], skin = run.stood[1];
      expect(hair).toBeLessThan(-1e-7);
      expect(Math.abs(hair + drop + skin - m * -2) / (m * 2)).toBeLessThan(1e-6);
      // what stands in the skin gives the rest to it, and does not move
      if (upper === 3) expect(skin).toBe(0);
      else { expect(skin).toBeLessThan(-1e-7); expect(k.v[system.at(0, 1, 3) + 1]).toBe(0); }
      // and as fast as it should be after it: coefficient of restitution
      const at = 0.5 * (k.v[system.at(0, upper - 1, 3) + 1] + k.v[system.at(0, upper, 3) + 1]);
      if (sticks === 0) expect((drop / m - at) / 2).toBeCloseTo(bounce, 6);
      else expect(drop / m).toBeCloseTo(at, 6);
    }
  });
  it('bear hair down while they sit on it, and let it rise when they have gone', () => {
    const low = (run: SwayRun): number => { const p = run.positions(); let s = 0; for (let g = 0; g < tube.guides; g++) s += p[3 * (g * tube.points + tube.points - 1) + 1]; return s / tube.guides; }, change = { roles: tube.bare, hold: 0.05, stiffness: 1, calmStart: true };
    const still = tube.scene({ ...change }, { clip: null }), wet = tube.scene({ ...change, drops: [over({ sticks: 1, stays: 0.6, rate: 8000, speed: 1, to: 8, sizeMm: 4, lockMm: 12, wide: 0.2 })] }, { clip: null }), dry = new SwayRun(still, -1), run = new SwayRun(wet, -1), most: number[] = [], about: number[] = [];
    for (let f = 0; f < 110; f++) { dry.advance(); run.advance(); most.push(low(dry) - low(run)); about.push(run.drops!.count); }
    const sat = Math.max(...most.slice(4, 22));
    expect(sat).toBeGreaterThan(0.001);
    expect(Math.abs(most[109])).toBeLessThan(0.3 * sat);
    // they drip off, some from lock to lock
    expect(about[109]).toBeLessThan(0.03 * Math.max(...about));
  });
  it('come on by hand while the pose stands still; of a run begun in mid-shot only what comes from then on', () => {
    const steady = over({ rate: 240, from: 0, to: 1000, sticks: 0, speed: 4 }), scene = tube.scene({ drops: [steady], roles: tube.bare }), run = new SwayRun(scene, 12);
    const numbers = (r: SwayRun): number[] => { const all = r.shownDrops()!, out: number[] = []; for (let o = 0; o < all.length; o += DROP_NUMBERS) out.push(all[o]); return out; };
    run.advance(13);
    // ten a frame, and none for the twelve frames before
    expect(numbers(run).length).toBe(10);
    for (let k = 0; k < 3; k++) run.advance(13);
    expect([run.frame, numbers(run).length]).toEqual([13, 40]);
    expect(new Set(numbers(run)).size).toBe(40);
  });
  it('go on where the settings of the strands change, and begin anew where those of their sources do', () => {
    const steady = over({ rate: 240, from: 0, to: 1000, sticks: 0.5, speed: 4 }), at = (change: object): SwayRun => new SwayRun(tube.scene({ drops: [steady], roles: tube.bare, ...change }), 0), run = at({});
    for (let k = 0; k < 6; k++) run.advance();
    const before = run.shownDrops()!, softer = at({ stiffness: 0.5 }), wetter = at({ drops: [{ ...steady, rate: 480 }] });
    softer.goOnFrom(run);
    expect(softer.shownDrops()).toEqual(before);
    softer.advance();
    expect(softer.drops!.count).toBeGreaterThan(before.length / DROP_NUMBERS);
    wetter.goOnFrom(run);
    expect(wetter.shownDrops()!.length).toBe(0);
    wetter.advance();
    expect(wetter.drops!.count).toBe(20);
  });
  it('come as their source says: how many, where, how large; the same ones every time', () => {
    const make = (): DropRun => new DropRun({ sources: [source({ x: 1, y: 2, z: 3, wide: 0.5, rate: 2400, from: 0, to: 24, sizeMm: 2, sizeSpread: 0.5, speed: 0, spread: 0 })], gravity: 0, fps: 24 }, 4), system = new RodSystem(new Int32Array([4])), a = make(), b = make(), h = 1 / 240;
    for (let n = 1; n <= 240; n++) { a.act(system, h, n * h, null, null); b.act(system, h, n * h, null, null); }
    const d = a.shown(system);
    expect(d).toEqual(b.shown(system));
    expect(a.count).toBe(2400);
    let far = 0, least = 1, most = 0;
    for (let o = 0; o < d.length; o += DROP_NUMBERS) { far = Math.max(far, Math.hypot(d[o + 1] - 1, d[o + 3] - 3)); least = Math.min(least, d[o + 7]); most = Math.max(most, d[o + 7]); expect(d[o + 2]).toBeCloseTo(2, 6); }
    expect(far).toBeLessThanOrEqual(0.5 + 1e-6);
    expect([far > 0.45, least < 0.0011, most > 0.0029]).toEqual([true, true, true]);
    expect(wayOf({ turn: 90, rise: 0 }).map((v) => Math.round(v * 1e9) / 1e9)).toEqual([1, 0, 0]);
  });
  it('are stopped by skin and ground, and are gone after a while', () => {
    const run = new SwayRun(tube.scene({ drops: [over({ x: 0, z: 0, wide: 0.02, sticks: 0, lockMm: 0.5, speed: 5 })], roles: { ...tube.bare, body: 'shell' } }, { clip: null }), -1);
    let lowest = Infinity;
    for (let f = 0; f < 14; f++) { run.advance(); const d = run.shownDrops()!; for (let o = 0; o < d.length; o += DROP_NUMBERS) lowest = Math.min(lowest, d[o + 2]); }
    // the tube's cap stands in their way: whatever went by it lies on the ground
    expect(lowest).toBeGreaterThan(-0.002);
    for (let f = 0; f < 60; f++) run.advance();
    expect(run.drops!.count).toBe(0);
  });
  it('go on from a state of the run to the bit, and come back out of packed frames', () => {
    const scene = tube.scene({ drops: [over()], loft: 0.3 }), a = new SwayRun(scene, -1), b = new SwayRun(scene, -1);
    for (let f = 0; f < 5; f++) a.advance();
    unpackRun(b, packRun(a));
    b.frame = a.frame;
    for (let f = 0; f < 4; f++) { a.advance(); b.advance(); }
    expect(b.shownDrops()).toEqual(a.shownDrops());
    expect(b.positions()).toEqual(a.positions());
    const drops = a.shownDrops()!, frame = { points: a.positions(), strands: a.strandNumbers.slice() }, back = unpackFrames(packFrames([{ ...frame, drops }, frame], 3, tube.points)).frames;
    expect([back.get(3)!.drops!.length, back.get(4)!.drops!.length]).toEqual([drops.length, 0]);
    drops.forEach((v, k) => expect(Math.abs(back.get(3)!.drops![k] - v)).toBeLessThan([0.5, 6e-5, 6e-5, 6e-5, 6e-3, 6e-3, 6e-3, 6e-6][k % DROP_NUMBERS]));
    expect(unpackFrames(packFrames([frame], 0, tube.points)).frames.get(0)!.drops).toBeUndefined();
    expect(frame.strands.length).toBe(STRAND_NUMBERS * tube.guides);
  });
  it('can break ties by their snap force, where they hit hard; soft ones do not', () => {
    const tie = { id: 't', name: 'ribbon', on: true, kind: 'pairs' as const, guides: Array.from({ length: tube.guides }, (_, g) => g), from: 0.5, to: 1, node: '', firmness: 0.8, snap: 0.005, wears: null, reachMm: 60 };
    const torn = (of: Partial<DropSource> | null): number[] => { const run = new SwayRun(tube.scene({ roles: tube.bare, calmStart: true, ties: [tie], ...(of ? { drops: [over({ sticks: 0, from: 2, ...of })] } : {}) }, { clip: null }), -1); let broken: number[] = []; for (let f = 0; f < 16; f++) broken = run.advance().broken; return broken; };
    expect(torn(null)).toEqual([]);
    expect(torn({ sizeMm: 1, rate: 200, speed: 0.5 })).toEqual([]);
    expect(torn({ sizeMm: 16, sizeSpread: 0, density: 8000, rate: 4000, speed: 20 })).toEqual([0]);
  });
  it('a source inside a body is told, with where it is', () => {
    const at = rootPlace(new Surface(tube.character.meshes[0].positions, tube.character.meshes[0].triangles), tube.planting, 0), inside = new SwayRun(tube.scene({ drops: [over({ name: 'leak', x: 0, y: at[1], z: 0 })], roles: { ...tube.bare, body: 'shell' } }, { clip: null }), -1), outside = new SwayRun(tube.scene({ drops: [over()], roles: { ...tube.bare, body: 'shell' } }, { clip: null }), -1);
    expect(inside.report.notes.join()).toMatch(/“leak” begins inside “.+”.*Move where it comes from/);
    expect(outside.report.notes.join()).not.toMatch(/begins inside/);
    for (let f = 0; f < 6; f++) inside.advance();
    // what began there does not stay there
    const mesh = tube.character.meshes[0], d = inside.shownDrops()!, points = Array.from({ length: d.length / DROP_NUMBERS }, (_, k) => [...d.slice(DROP_NUMBERS * k + 1, DROP_NUMBERS * k + 4)]).flat();
    expect(d.length).toBeGreaterThan(100);
    expect(insideClosed(mesh.positions, mesh.triangles, points).reduce((n, v) => n + v, 0) / (points.length / 3)).toBeLessThan(0.02);
  });
  it('must not be shared out: a share of the guides is refused', () => {
    expect(() => new SwayRun(tube.scene({ drops: [over()] }), -1, { from: 0, to: 12 })).toThrow(/all guides in one share/);
  });
});
