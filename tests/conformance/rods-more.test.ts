/** Contact, friction, the air, and what the rod must survive. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ContactFinder } from '../../src/core/sway/contact';
import { RodSystem } from '../../src/core/sway/rod-system';
import { calmStart } from '../../src/core/sway/calm-start';
import { AIR, makeRod, placeStrand } from '../../src/core/sway/strand-setup';
import { airDamping } from '../../src/core/sway/substeps';
import { GRAVITY as g, SUBSTEP } from '../helpers/rod-cases';
import { KERNELS, oneStrand, plainRod, straight } from '../helpers/strands';

const still = (): Float64Array => Float64Array.of(0, 0, 0, 1, 0, 0, 0);

describe.each(KERNELS)('contact, %s', (kernel) => {
  it('a strand that falls on a ball comes to rest on it: depth at most 0.2 mm at the impact, 0.01 mm at rest', () => {
    const n = 16, strand = oneStrand(straight(n, 0.2, [1, 0, 0]).map(([x, y, z]) => [x, y + 0.075, z]), plainRod(6e-6, 2e-9), { kernel });
    const ball = new ContactFinder([{ node: 0, source: 'ball', a: [0.1, 0, 0], b: [0.1, 0, 0.0001], radiusA: 0.06, radiusB: 0.06 }], 1, { skinGap: 0, friction: 0.3 });
    ball.cull(still(), still(), [0, 0.075, 0], [0, 0.075, 0], [0.2]);
    ball.place(still(), still(), 0, 1);
    let worst = 0;
    for (let k = 0; k < 5 * 24 * 8; k++) {
      strand.step(1, { h: SUBSTEP, damping: 2 }, ball);
      for (let i = 2; i < n; i++) worst = Math.max(worst, ball.depth(0, ...strand.point(i)));
    }
    let atRest = 0, speed = 0;
    for (let i = 2; i < n; i++) {
      atRest = Math.max(atRest, ball.depth(0, ...strand.point(i)));
      speed = Math.max(speed, Math.hypot(...strand.velocity(i)));
    }
    expect(worst).toBeLessThan(0.0002);
    expect(atRest).toBeLessThan(1e-5);
    expect(speed).toBeLessThan(5e-3);
    expect(strand.system.netUses).toBe(0);
  });
  // Source: Coulomb's law. The slope is the side of a very large ball; friction angle 22° (μ = tan 22°)
  const slide = (degrees: number): number => {
    const n = 8, L = 0.1, a = (degrees * Math.PI) / 180, R = 1000, along = [Math.cos(a), -Math.sin(a), 0], up = [Math.sin(a), Math.cos(a), 0];
    // the root is far up the slope by a slack strand, so that it does not hold the rest; only the loose end is watched
    const points = Array.from({ length: n }, (_, i) => [0, 1, 2].map((k) => along[k] * ((L * i) / (n - 1)) * 0.35 + up[k] * 1e-5 + (k === 2 ? 0.02 * Math.sin(i * 1.6) : 0)));
    const strand = oneStrand(points, plainRod(6e-6, 1e-14), { kernel });
    const finder = new ContactFinder([{ node: 0, source: 'slope', a: [-up[0] * R, -up[1] * R, 0], b: [-up[0] * R, -up[1] * R, 1e-4], radiusA: R, radiusB: R }], 1, { skinGap: 0, friction: Math.tan((22 * Math.PI) / 180) });
    finder.cull(still(), still(), [0, 0, 0], [0, 0, 0], [L]);
    finder.place(still(), still(), 0, 1);
    const tip = strand.point(n - 1);
    strand.step(24 * 8, { h: SUBSTEP }, finder);
    return strand.point(n - 1).reduce((s, v, k) => s + (v - tip[k]) * along[k], 0) / L;
  };
  it('hair lies still well below the friction angle and slides well above it', () => {
    expect(slide(15)).toBeLessThan(0.05);
    expect(slide(35)).toBeGreaterThan(0.15);
  });
});

describe('the air', () => {
  it('drag of a cylinder across the stream is that of the tables within 12 %', () => {
    // Source: measured drag coefficients of a long cylinder (Tritton 1959, Wieselsberger 1921), read off tables *from memory*
    for (const [re, cd] of [[0.5, 16.5], [1, 10.5], [10, 2.8], [40, 1.65], [100, 1.4]]) {
      const width = 1e-4, lineDensity = 1e-5, speed = (re * AIR.viscosity) / (AIR.density * width);
      const ours = (airDamping(width, lineDensity, speed, AIR) * lineDensity) / (0.5 * AIR.density * width * speed);
      expect(Math.abs(ours / cd - 1)).toBeLessThan(0.12);
    }
  });
  it('and that of the correlation it is taken from within 5 % for 0.1 < Re < 200', () => {
    // Source: Sucker and Brauer 1975: C_d = 1.18 + 6.8/Re^0.89 + 1.96/√Re − 0.0004 Re/(1 + 3.64e−7 Re²), *from memory*
    for (let re = 0.1; re < 200; re *= 1.3) {
      const width = 1e-4, speed = (re * AIR.viscosity) / (AIR.density * width);
      const ours = airDamping(width, 1, speed, AIR) / (0.5 * AIR.density * width * speed), theirs = 1.18 + 6.8 / re ** 0.89 + 1.96 / Math.sqrt(re) - (0.0004 * re) / (1 + 3.64e-7 * re * re);
      expect(Math.abs(ours / theirs - 1)).toBeLessThan(0.05);
    }
  });
  it.each(KERNELS)('%s: a short stiff hair in a cross wind bends by qL⁴/8EI with q = ½ρC_d d u²', (kernel) => {
    const d = 1e-4, u = 1, L = 0.02, n = 16, bend = (4e9 * Math.PI * d ** 4) / 64, strand = oneStrand(straight(n, L, [0, 1, 0]), { lineDensity: (1320 * Math.PI * d * d) / 4, bend, twist: bend, width: d, airDrag: 1 }, { kernel });
    strand.system.k.air[strand.system.strandAt(0, 3)] = u;
    for (const damping of [20, 40, 80]) strand.step(4 * 192, { h: SUBSTEP, damping, gravity: [0, 0, 0] });
    const re = (u * d * AIR.density) / AIR.viscosity, cd = 1.18 + 6.8 / re ** 0.89 + 1.96 / Math.sqrt(re), q = 0.5 * AIR.density * cd * d * u * u;
    expect(Math.abs(strand.point(n - 1)[0] / ((q * L ** 4) / (8 * bend)) - 1)).toBeLessThan(0.03);
  });
  it('a strand carried by the wind at the wind’s own speed feels none', () => {
    const strand = oneStrand(straight(8, 0.1, [0, -1, 0]), plainRod(5e-6, 1e-9, { width: 8e-5, airDrag: 1 }));
    for (let c = 0; c < 3; c++) strand.system.k.air[c] = [3, 0, 0][c];
    for (let k = 0; k < 96; k++) { strand.root[0] += 3 * SUBSTEP; strand.step(1, { h: SUBSTEP, gravity: [0, 0, 0] }); }
    // it begins at rest in a wind, is blown along, and ends straight in the moving air
    expect(Math.abs(strand.velocity(7)[0] - 3)).toBeLessThan(0.3);
  });
});

describe('whatever the input', () => {
  const number = (most: number): fc.Arbitrary<number> => fc.double({ min: -most, max: most, noNaN: true });
  const input = fc.record({
    points: fc.array(fc.tuple(number(0.3), number(0.3), number(0.3)), { minLength: 2, maxLength: 12 }),
    double: fc.boolean(),
    bend: fc.double({ min: -14, max: -2, noNaN: true }),
    leap: number(3),
    damping: fc.constantFrom(0, 4, 1000),
    calm: fc.boolean(),
  });
  /**
   * `FINE_COMB_FUZZ=1000000 npm run conformance` makes a million strands of them. 64 strands share a system, so that every
   * harsh one has neighbours.
   */
  const wanted = Number(process.env.FINE_COMB_FUZZ ?? 40_000), TOGETHER = 64;
  it.each(KERNELS)(`%s: nothing becomes NaN in ${wanted / 2} strands: extreme stiffness, doubled points, huge leaps of the root`, (kernel) => {
    let nets = 0;
    fc.assert(fc.property(fc.array(input, { minLength: TOGETHER, maxLength: TOGETHER }), fc.constantFrom(1 / 24, 1 / 192, 1 / 1000), (all, h) => {
      const system = new RodSystem(all.map((s) => s.points.length), kernel);
      all.forEach(({ points, double, bend, damping, calm }, s) => {
        const list = points.map((p) => [...p]);
        if (double) list[list.length - 1] = [...list[list.length - 2]];
        const one = placeStrand(list.flat());
        makeRod(one, plainRod(5e-6, 10 ** bend, { width: 8e-5 }), { damping: () => damping });
        if (calm) calmStart(one, [0, -g, 0], new Float64Array(3 * list.length));
        system.load(s, one);
      });
      for (let k = 0; k < 12; k++) {
        if (k === 4) all.forEach(({ leap }, s) => { for (let c = 0; c < 3; c++) system.rootPosition[3 * s + c] += leap; });
        system.step({ h, gravityX: 0, gravityY: -g, gravityZ: 0, passes: 1, lagging: 0 });
      }
      const world = new Float64Array(3 * system.pointCount);
      system.positionsInto(world);
      expect(world.every(Number.isFinite)).toBe(true);
      expect(system.k.v.every(Number.isFinite)).toBe(true);
      nets += system.netUses;
      if (system.netUses > 0) expect(system.firstCaught).toBeGreaterThanOrEqual(0);
    }), { seed: 11, numRuns: Math.ceil(wanted / 2 / TOGETHER), endOnFailure: true });
    expect(nets).toBeGreaterThan(0); // the input is harsh enough to need the net
  }, 3_600_000);
});
