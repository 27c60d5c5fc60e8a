/** The fast kernel against the float64 step it is made from; strands against their neighbours. */
import { execFileSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { CHAIN_SHA256 } from '../../src/core/groom/comb/fast/chain-code';
import { KERNEL_SHA256 } from '../../src/core/sway/fast/kernel-code';
import { ContactFinder } from '../../src/core/sway/contact';
import { chooseKernel, RodSystem, type KernelName } from '../../src/core/sway/rod-system';
import { makeRod, placeStrand } from '../../src/core/sway/strand-setup';
import { float32Suffices } from '../../src/core/sway/substeps';
import { apart, GRAVITY as g, helix, pathLength, shaken, SUBSTEP } from '../helpers/rod-cases';
import { KERNELS, oneStrand, plainRod } from '../helpers/strands';

const NUMBERS = { h: SUBSTEP, gravityX: 0, gravityY: -g, gravityZ: 0, passes: 1, lagging: 1 };
/** Strands of every kind, by number. */
function strand(i: number): RodSystem {
  const n = [8, 16, 5, 12, 16, 31, 8, 16, 2, 16, 16, 9][i % 12], points = helix(n, 0.002 + 0.001 * (i % 5), 0.03, 1 + (i % 3)).map(([x, y, z]) => [x + 0.01 * i, y + 1.5, z]);
  const one = placeStrand(points.flat());
  makeRod(one, plainRod(5e-6, 10 ** (-10 + (i % 4)), { width: 8e-5, bendLag: i % 2 ? 0.004 : 0 }), { damping: (s) => 1 + s });
  return one;
}
/** `beside`: the order they lie in memory; `floor`: m, over which they swing; as places after 96 substeps. */
function moved(kernel: KernelName, which: number[], beside?: number[], floor?: number): Float64Array[] {
  const all = which.map(strand), system = new RodSystem(all.map((s) => s.pointCount), kernel, floor !== undefined, beside), contacts = floor === undefined ? null : new ContactFinder([], which.length, { skinGap: 0, friction: 0.3, floors: [{ place: [0, floor, 0], up: [0, 1, 0], gap: 0.001, friction: 0.3 }] });
  all.forEach((one, s) => system.load(s, one));
  const still = new Float64Array(7), lengths = all.map(() => 0.3);
  for (let k = 0; k < 96; k++) {
    for (let s = 0; s < which.length; s++) system.rootPosition[3 * s] += 0.3 * SUBSTEP * Math.sin(k * 0.2 + which[s]);
    contacts?.cull(still, still, system.rootBefore, system.rootPosition, lengths);
    contacts?.place(still, still, 0, 1);
    contacts?.gatherAll(system, SUBSTEP, [0, -g, 0]);
    system.step(NUMBERS);
  }
  const world = new Float64Array(3 * system.pointCount);
  system.positionsInto(world);
  return which.map((_, s) => world.slice(3 * system.start[s], 3 * system.start[s + 1]));
}

describe('kernels', () => {
  it('agree within 0.02 mm over 2 s', () => {
    for (const [n, hertz] of [[16, 2], [16, 4], [24, 2]]) {
      const a = shaken(n, 8, 'float64', { hertz }), b = shaken(n, 8, 'simd', { hertz });
      expect(apart(a.tip, b.tip) * 250).toBeLessThan(0.02);
    }
  });
  it.each(KERNELS)('%s: a strand’s result is the same to the bit whoever its neighbours are', (kernel) => {
    const all = Array.from({ length: 23 }, (_, i) => i), together = moved(kernel, all);
    for (const i of [0, 5, 8, 13, 22]) expect(moved(kernel, [i])[0]).toEqual(together[i]);
    const shuffled = [...all].sort((a, b) => ((a * 7) % 23) - ((b * 7) % 23)), again = moved(kernel, shuffled);
    shuffled.forEach((i, s) => expect(again[s]).toEqual(together[i]));
  });
  it.each(KERNELS)('%s: nor does it matter in what order they lie in memory, where some touch a floor and some do not', (kernel) => {
    const all = Array.from({ length: 23 }, (_, i) => i), free = moved(kernel, all), floor = 1.46, plain = moved(kernel, all, undefined, floor), other = moved(kernel, all, [...all].sort((a, b) => ((a * 7) % 23) - ((b * 7) % 23)), floor);
    const touched = all.filter((i) => plain[i].some((v, a) => v !== free[i][a]));
    expect(touched.length).toBeGreaterThan(4);
    expect(touched.length).toBeLessThan(20);
    all.forEach((i) => expect(other[i]).toEqual(plain[i]));
    // alone they move as beside others
    for (const i of [touched[0], all.find((k) => !touched.includes(k))!]) expect(moved(kernel, [i], undefined, floor)[0]).toEqual(plain[i]);
  });
  it('strands of different point counts in one system move as each does alone in float64', () => {
    const a = moved('float64', [0, 1, 2, 5, 8]), b = moved('simd', [0, 1, 2, 5, 8]);
    a.forEach((p, s) => p.forEach((v, i) => expect(Math.abs(v - b[s][i])).toBeLessThan(2e-5)));
  });
  it('the kernels compile to the same bytes again', () => {
    expect(execFileSync(process.execPath, ['scripts/kernel.mjs', '--print'], { encoding: 'utf8' }).trim().split('\n')).toEqual([KERNEL_SHA256, CHAIN_SHA256]);
  });
  it('“auto” is the fast one here, and asking for one gets it', () => {
    expect(chooseKernel('auto')).toBe('simd');
    expect(chooseKernel('float64')).toBe('float64');
    expect(chooseKernel('simd')).toBe('simd');
  });
  it('memory of a strand of 16 points: at most 4 KB in the fast kernel', () => {
    expect(new RodSystem(new Int32Array(400).fill(16), 'simd').bytes / 400).toBeLessThanOrEqual(4096);
  });
});

describe('where float32 is exact enough', () => {
  /** Distance of the kernels' tips after a second, mm, for a stiffness of so many times the inertia. */
  const differ = (n: number, ratio: number): { mm: number; fine: boolean } => {
    const raw = helix(n, 0.006, 0.02, 2), k = 0.1 / pathLength(raw), points = raw.map((p) => p.map((v) => v * k)), l = 0.1 / (n - 1), h = 1 / 384, bend = (ratio * 5e-6 * l ** 4) / ((2 / 3) * h) ** 2;
    const tips = KERNELS.map((kernel) => {
      const s = oneStrand(points, plainRod(5e-6, bend), { kernel });
      for (let i = 0; i < 384; i++) { s.root[0] = 0.03 * Math.sin((4 * Math.PI * i) / 384) * Math.min(1, i / 96); s.step(1, { h, damping: 2 }); }
      return s.point(n - 1);
    });
    return { mm: 1000 * Math.hypot(...tips[0].map((v, c) => v - tips[1][c])), fine: float32Suffices(n, l * 0.999, bend, 5e-6, h) };
  };
  it('the rule lets through what agrees, and turns away what does not', () => {
    for (const [n, ratio] of [[16, 1e2], [16, 1e5], [16, 1e8], [24, 1e6], [48, 1e3], [48, 1e4]]) {
      const { mm, fine } = differ(n, ratio);
      expect(fine).toBe(true);
      expect(mm).toBeLessThan(0.1);
    }
    for (const [n, ratio] of [[48, 1e6], [128, 1e6]]) {
      const { mm, fine } = differ(n, ratio);
      expect(fine).toBe(false);
      expect(mm).toBeGreaterThan(1);
    }
  });
});
