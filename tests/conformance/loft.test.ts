/** Hair on hair: volume, calm, momentum, swing time; ties and their snap force. Sources beside the checks. */
import { describe, expect, it } from 'vitest';
import { alone } from '../../src/core/sway/coupling';
import { Loft, type ToldBody } from '../../src/core/sway/loft';
import { RodSystem, type KernelName } from '../../src/core/sway/rod-system';
import { makeRod, placeStrand } from '../../src/core/sway/strand-setup';
import { calmStart } from '../../src/core/sway/calm-start';
import { KERNELS, plainRod } from '../helpers/strands';

const N = 16, SUB = 8, H = 1 / (24 * SUB), g = 9.81;
const GRAVITY = { gravityX: 0, gravityY: -g, gravityZ: 0 }, NUMBERS = { h: H, ...GRAVITY, passes: 1, lagging: 0 };

/** A gathered tail: strands on rings round an axis that hangs down, `length` m, `radius` m, at rest in that shape. */
function tail(kernel: KernelName, options: { rings?: number; length?: number; radius?: number; calm?: boolean; loft?: number; told?: ToldBody[]; bend?: number; varied?: boolean; damping?: number } = {}) {
  const { rings = 3, length = 0.3, radius = 0.018, calm = true, loft = 0.5, told = [], bend = 2e-9, varied = false, damping = 0 } = options, places: [number, number][] = [[0, 0]];
  for (let r = 1; r <= rings; r++) for (let k = 0; k < 6 * r; k++) { const a = (2 * Math.PI * k) / (6 * r); places.push([(radius * r / rings) * Math.cos(a), (radius * r / rings) * Math.sin(a)]); }
  const system = new RodSystem(new Int32Array(places.length).fill(N), kernel), points = new Float64Array(3 * N * places.length), mass = new Float64Array(N * places.length);
  places.forEach(([x, z], s) => {
    const own = Array.from({ length: N }, (_, i) => [x, (-length * i) / (N - 1), z]).flat(), one = placeStrand(own);
    // strands of a tail are not alike: some are stiffer, so that they would move apart
    makeRod(one, plainRod(6e-6, bend * (varied ? 10 ** (((s * 7) % 11) / 5 - 1) : 1)), { damping: () => damping });
    if (calm) calmStart(one, [0, -g, 0]);
    points.set(own, 3 * N * s);
    for (let i = 1; i < N; i++) mass[s * N + i] = one.k.mass[i];
    system.load(s, one);
  });
  const body = new Loft(points, mass, N, loft > 0 ? { strength: loft, spacing: 0.01, cohesion: 60, at: () => 1 } : null, told, 1, alone(places.length, N * places.length));
  const root = system.rootPosition.slice();
  const world = new Float64Array(points.length);
  const area = (i: number): number => {
    // root of the determinant of the second moments across the strands, over all of them at point i
    const S = system.strandCount, c = [0, 0, 0], t = [0, 0, 0];
    for (let s = 0; s < S; s++) for (let k = 0; k < 3; k++) { const p = 3 * (s * N + i) + k; c[k] += world[p] / S; t[k] += world[p] - world[p - 3]; }
    const l = Math.hypot(...t), d = t.map((v) => v / l), a = Math.abs(d[0]) < 0.9 ? [1 - d[0] * d[0], -d[0] * d[1], -d[0] * d[2]] : [-d[0] * d[1], 1 - d[1] * d[1], -d[1] * d[2]], al = Math.hypot(...a), u = a.map((v) => v / al), w = [d[1] * u[2] - d[2] * u[1], d[2] * u[0] - d[0] * u[2], d[0] * u[1] - d[1] * u[0]];
    let xx = 0, xz = 0, zz = 0;
    for (let s = 0; s < S; s++) {
      const e = [0, 1, 2].map((k) => world[3 * (s * N + i) + k] - c[k]), x = e[0] * u[0] + e[1] * u[1] + e[2] * u[2], z = e[0] * w[0] + e[1] * w[1] + e[2] * w[2];
      xx += x * x; xz += x * z; zz += z * z;
    }
    return Math.sqrt(Math.max(0, xx * zz - xz * xz));
  };
  return {
    system, body, world, mass, points, area,
    /** Steps with the roots moved by `shift` (m) and turned about the vertical by `turn` (radians) at the end of each substep. */
    play(frames: number, shift: (t: number) => [number, number, number] = () => [0, 0, 0], each?: (t: number) => void, turn: (t: number) => number = () => 0, from = 0) {
      const { k, lanes: L } = system;
      for (let f = 0; f < frames; f++) {
        for (let q = 0; q < SUB; q++) {
          const t = from + (f * SUB + q + 1) * H, d = shift(t), a = turn(t), c = Math.cos(a), s = Math.sin(a);
          body.act(system, 0, H);
          for (let st = 0; st < system.strandCount; st++) {
            const x = root[3 * st], z = root[3 * st + 2];
            system.rootPosition.set([c * x + s * z + d[0], root[3 * st + 1] + d[1], -s * x + c * z + d[2]], 3 * st);
            const o = system.at(st, 0, 3), w = system.strandAt(st, 9);
            k.director[o] = c; k.director[o + L] = 0; k.director[o + 2 * L] = -s;
            [c, 0, s, 0, 1, 0, -s, 0, c].forEach((v, i) => { k.turn[w + i * L] = v; });
          }
          system.step(NUMBERS);
          if (each) { system.positionsInto(world); each(t); }
        }
      }
      system.positionsInto(world);
    },
    /** Sum of m v, kg m/s. */
    momentum(): [number, number, number] {
      const { k: { v }, lanes: L } = system, sum: [number, number, number] = [0, 0, 0];
      for (let s = 0; s < system.strandCount; s++) for (let i = 1; i < N; i++) for (let c = 0; c < 3; c++) sum[c] += mass[s * N + i] * v[system.at(s, i, 3) + c * L];
      return sum;
    },
  };
}

describe.each(KERNELS)('loft, %s', (kernel) => {
  it('the groom stays at rest: 0.01 mm and 0.1 mm/s in two seconds', () => {
    const t = tail(kernel);
    expect(t.body.lofted).toBeGreaterThan(50);
    t.play(48);
    const before = t.world.slice();
    let worst = 0;
    for (let a = 0; a < before.length; a++) worst = Math.max(worst, Math.abs(before[a] - t.points[a]));
    expect(worst).toBeLessThan(kernel === 'simd' ? 2e-5 : 1e-5);
    t.play(1);
    let moved = 0;
    for (let a = 0; a < before.length; a++) moved = Math.max(moved, Math.abs(t.world[a] - before[a]) * 24);
    expect(moved).toBeLessThan(1e-4);
  });
  it('nothing acts on a body that moves and turns as a whole', () => {
    // by hand: all points of the tail in rigid motion, their velocities with it
    const t = tail(kernel), { k, lanes: L } = t.system, w = [0.7, 1.9, -0.4], u = [0.3, -0.2, 0.5];
    for (let s = 0; s < t.system.strandCount; s++) for (let i = 0; i < N; i++) {
      const p = 3 * (s * N + i), o = t.system.at(s, i, 3), [x, y, z] = t.points.slice(p, p + 3);
      [u[0] + w[1] * z - w[2] * y, u[1] + w[2] * x - w[0] * z, u[2] + w[0] * y - w[1] * x].forEach((v, c) => { k.v[o + c * L] = v; });
    }
    const before = k.v.slice();
    t.body.act(t.system, 0, H);
    let worst = 0;
    for (let a = 0; a < before.length; a++) worst = Math.max(worst, Math.abs(k.v[a] - before[a]));
    // P goes along the tangent: what is left is of second order in ω h (here 1 cm · ω² h / 2)
    expect(worst).toBeLessThan(0.5 * 0.02 * 4.2 * H * 3);
  });
  it('momentum is kept, to the rounding of the kernel', () => {
    const t = tail(kernel), { k, lanes: L } = t.system;
    let seed = 7;
    const random = (): number => { seed = (seed * 16807) % 2147483647; return seed / 2147483647 - 0.5; };
    for (let s = 0; s < t.system.strandCount; s++) for (let i = 1; i < N; i++) for (let c = 0; c < 3; c++) { const o = t.system.at(s, i, 3) + c * L; k.v[o] = 0.4 * random(); k.x[o] += 0.003 * random(); }
    const before = t.momentum();
    let scale = 0;
    for (let s = 0; s < t.system.strandCount; s++) for (let i = 1; i < N; i++) scale += t.mass[s * N + i] * 0.2;
    t.body.act(t.system, 0, H);
    const after = t.momentum();
    for (let c = 0; c < 3; c++) expect(Math.abs(after[c] - before[c]) / scale).toBeLessThan(kernel === 'simd' ? 1e-6 : 1e-12);
  });
  it('a shaken tail keeps its girth, and comes back to it; without loft it does not', () => {
    const shaken = (loft: number): { least: number; most: number; end: number } => {
      const t = tail(kernel, { loft, varied: true, damping: 1 }), rest = [6, 9, 12].map((i) => { t.system.positionsInto(t.world); return t.area(i); });
      let least = Infinity, most = 0;
      t.play(24, (s) => [0.03 * Math.sin(2 * Math.PI * 2.5 * s), 0, 0], () => { [6, 9, 12].forEach((i, q) => { least = Math.min(least, t.area(i) / rest[q]); most = Math.max(most, t.area(i) / rest[q]); }); });
      t.play(48, () => [0.03 * Math.sin(2 * Math.PI * 2.5), 0, 0], undefined, undefined, 1);
      return { least, most, end: t.area(12) / rest[2] };
    };
    // ten times stiffer strands beside ten times softer ones, shaken by 3 cm at 2.5 Hz
    const held = shaken(1), loose = shaken(0);
    expect(held.least).toBeGreaterThan(0.9);
    expect(held.most).toBeLessThan(1.3);
    expect(Math.abs(held.end - 1)).toBeLessThan(0.02);
    expect(loose.most).toBeGreaterThan(2);
    expect(Math.abs(loose.end - 1)).toBeGreaterThan(0.05);
  });
  it('swings as fast as without: within 1 %', () => {
    // the tail let go from a slant: time of the first half swing of its tips' middle
    const half = (loft: number): number => {
      const t = tail(kernel, { loft, calm: false, bend: 1e-11 }), { k, lanes: L } = t.system;
      for (let s = 0; s < t.system.strandCount; s++) for (let i = 1; i < N; i++) { const o = t.system.at(s, i, 3); const y = k.x[o + L]; k.x[o] = -y * Math.sin(0.15); k.x[o + L] = y * Math.cos(0.15); k.xPrev[o] = k.x[o]; k.xPrev[o + L] = k.x[o + L]; }
      let time = 0, was = 0, before = 0;
      t.play(24, undefined, (now) => { let x = 0; for (let s = 0; s < t.system.strandCount; s++) x += t.world[3 * (s * N + N - 1)]; if (time === 0 && was > 0 && x <= 0) time = before + ((now - before) * was) / (was - x); was = x; before = now; });
      return time;
    };
    const free = half(0), lofted = half(0.5);
    expect(free).toBeGreaterThan(0.1);
    expect(Math.abs(lofted / free - 1)).toBeLessThan(0.01);
  });
});

describe('what came near', () => {
  it('two tails that swing into each other do not pass through, and their momentum together is kept', () => {
    // two rows of strands 10 cm apart, thrown at each other without gravity; roots far up
    const run = (loft: number): { gap: number; drift: number } => {
      const rows = 5, system = new RodSystem(new Int32Array(2 * rows * 3).fill(N)), { k } = system, points: number[] = [], mass = new Float64Array(2 * rows * 3 * N);
      for (let side = 0; side < 2; side++) for (let a = 0; a < rows; a++) for (let b = 0; b < 3; b++) {
        const s = side * rows * 3 + a * 3 + b, own = Array.from({ length: N }, (_, i) => [(side === 0 ? -0.05 : 0.05) + 0.005 * (b - 1), -0.3 * (i / (N - 1)), 0.005 * (a - 2)]).flat(), one = placeStrand(own);
        makeRod(one, plainRod(6e-6, 1e-12));
        for (let i = 1; i < N; i++) { mass[s * N + i] = one.k.mass[i]; one.k.v[3 * i] = one.k.vPrev[3 * i] = (side === 0 ? 0.5 : -0.5) * (i / (N - 1)); }
        points.push(...own);
        system.load(s, one);
      }
      const body = new Loft(Float64Array.from(points), mass, N, loft > 0 ? { strength: loft, spacing: 0.008, cohesion: 60, at: () => 1 } : null, [], 0, alone(2 * rows * 3, 2 * rows * 3 * N)), world = new Float64Array(points.length);
      let gap = Infinity, drift = 0;
      for (let f = 0; f < 6; f++) {
        for (let q = 0; q < SUB; q++) {
          const sum = (): number => { let m = 0; for (let p = 0; p < mass.length; p++) m += mass[p] * k.v[3 * p]; return m; }, before = sum();
          body.act(system, 0, H);
          drift = Math.max(drift, Math.abs(sum() - before));
          system.step({ ...NUMBERS, gravityY: 0 });
        }
        system.positionsInto(world);
        const mean = (side: number): number => { let x = 0; for (let s = 0; s < rows * 3; s++) x += world[3 * ((side * rows * 3 + s) * N + N - 1)] / (rows * 3); return x; };
        gap = Math.min(gap, mean(1) - mean(0));
      }
      return { gap, drift };
    };
    const free = run(0), lofted = run(0.8);
    expect(free.gap).toBeLessThan(0);
    expect(lofted.gap).toBeGreaterThan(0.003);
    expect(lofted.drift).toBeLessThan(1e-12);
  });
});

