/** Further checks of the rod against closed formulas, and what it must survive. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ContactFinder } from '../../src/core/sway/contact';
import { calmStart } from '../../src/core/sway/calm-start';
import { oneStrand, straight } from '../helpers/strands';

const g = 9.81, SUBSTEP = 1 / (24 * 8);
const still = (): Float64Array => Float64Array.of(0, 0, 0, 1, 0, 0, 0);

describe('statics', () => {
  it('a hanging chain carries at its root the weight that hangs below it, and does not move', () => {
    // Source: statics; T(s) = q (L − s)
    const L = 0.3, n = 24, rho = 4e-6, strand = oneStrand(straight(n, L, [0, -1, 0]), { lineDensity: rho, bend: 1e-12 });
    strand.step(24 * 8, { h: SUBSTEP, damping: 20 });
    const weight = rho * g * (L - 0.5 * strand.system.restLength[0]);
    expect(strand.system.tension[0] / weight).toBeCloseTo(1, 2);
    for (let i = 0; i < n; i++) expect(strand.point(i)[1]).toBeCloseTo((-L * i) / (n - 1), 6);
  });

  it('a rod that is clamped upright stands below Greenhill’s height and leans above it', () => {
    // Source: Greenhill 1881: critical q L³ / EI = 7.837
    const lean = (beta: number): number => {
      const L = 0.1, n = 16, strand = oneStrand(straight(n, L, [0, 1, 0]), { lineDensity: 4e-6, bend: (4e-6 * g * L ** 3) / beta });
      for (let i = 1; i < n; i++) strand.system.x[3 * i] += 1e-5 * (i / n) ** 2;
      strand.step(8 * 24 * 8, { h: SUBSTEP, damping: 3 });
      return strand.point(n - 1)[0] / L;
    };
    expect(Math.abs(lean(7.837 * 0.9))).toBeLessThan(1e-3);
    expect(Math.abs(lean(7.837 * 1.15))).toBeGreaterThan(0.1);
  });

  it('the same β gives the same shape at ten times the length', () => {
    const shape = (L: number): number[] => {
      const n = 16, strand = oneStrand(straight(n, L, [1, 0, 0]), { lineDensity: 4e-6, bend: (4e-6 * g * L ** 3) / 8 });
      for (const damping of [20, 40, 80]) strand.step(4 * 24 * 8, { h: SUBSTEP, damping });
      return Array.from(strand.system.x, (v) => v / L);
    };
    const small = shape(0.05), large = shape(0.5);
    small.forEach((v, i) => expect(Math.abs(v - large[i])).toBeLessThan(1e-3));
  });
});

describe('movement', () => {
  it('a pendulum of large swing has the period of the arithmetic–geometric mean', () => {
    // Source: T = 2π √(L/g) / agm(1, cos(θ/2)) for a point mass; here a strand of three points with the mass at its end
    const L = 0.2, angle = 1.2, shape = [0, 0.5, 1].map((s) => [L * s * Math.sin(angle), -L * s * Math.cos(angle), 0]);
    const strand = oneStrand(shape, { lineDensity: 1e-6, bend: 1e-16 });
    strand.system.mass[1] = 1e-10;
    strand.system.mass[2] = 1e-6;
    let a = 1, b = Math.cos(angle / 2);
    for (let k = 0; k < 8; k++) [a, b] = [(a + b) / 2, Math.sqrt(a * b)];
    const expected = (2 * Math.PI * Math.sqrt(L / g)) / a, h = SUBSTEP / 8;
    const crossings: number[] = [];
    let before = strand.point(2)[0];
    for (let t = h; t < 3; t += h) {
      strand.step(1, { h });
      const now = strand.point(2)[0];
      if (before * now < 0) crossings.push(t - (h * now) / (now - before));
      before = now;
    }
    expect((2 * (crossings.at(-1)! - crossings[0])) / (crossings.length - 1) / expected).toBeCloseTo(1, 2);
  });

  it('a curl whose root turns about its tangent turns with it as a whole', () => {
    const n = 20, shape = Array.from({ length: n }, (_, i) => { const a = (i / (n - 1)) * 4 * Math.PI; return [0.006 * (Math.cos(a) - 1), -0.008 * a, 0.006 * Math.sin(a)]; });
    const strand = oneStrand(shape, { lineDensity: 4e-6, bend: 3e-8 });
    const t = [0, 1, 2].map((k) => strand.system.rootTangent[k]), u0 = [0, 1, 2].map((k) => strand.system.rootDirector[k]);
    const w0 = [t[1] * u0[2] - t[2] * u0[1], t[2] * u0[0] - t[0] * u0[2], t[0] * u0[1] - t[1] * u0[0]];
    const turned = 2.5;
    for (let k = 1; k <= 960; k++) {
      const a = turned * Math.min(1, k / 480);
      for (let c = 0; c < 3; c++) strand.system.rootDirector[c] = Math.cos(a) * u0[c] + Math.sin(a) * w0[c];
      strand.step(1, { h: SUBSTEP, gravity: [0, 0, 0], damping: 10 });
    }
    for (let i = 0; i < n; i++) {
      const p = shape[i], d = t[0] * p[0] + t[1] * p[1] + t[2] * p[2], x = [t[1] * p[2] - t[2] * p[1], t[2] * p[0] - t[0] * p[2], t[0] * p[1] - t[1] * p[0]];
      const expected = p.map((v, c) => v * Math.cos(turned) + x[c] * Math.sin(turned) + t[c] * d * (1 - Math.cos(turned)));
      expect(Math.hypot(...strand.point(i).map((v, c) => v - expected[c])) / 0.11).toBeLessThan(1e-3);
    }
  });

  it('energy never grows without a source', () => {
    const n = 16, strand = oneStrand(straight(n, 0.2, [1, 0, 0]), { lineDensity: 5e-6, bend: 1e-10 });
    const energy = (): number => {
      let e = 0;
      for (let i = 1; i < n; i++) e += strand.system.mass[i] * (0.5 * (strand.system.v[3 * i] ** 2 + strand.system.v[3 * i + 1] ** 2 + strand.system.v[3 * i + 2] ** 2) + g * strand.system.x[3 * i + 1]);
      return e;
    };
    const start = energy(), scale = strand.system.mass.reduce((a, b) => a + b) * g * 0.2;
    for (let k = 0; k < 10 * 24; k++) {
      strand.step(8, { h: SUBSTEP });
      expect((energy() - start) / scale).toBeLessThan(0.01);
    }
    expect(strand.system.netUses).toBe(0);
  });
});

describe('friction on a slope', () => {
  // Source: Coulomb's law. The slope is the side of a very large ball; friction angle 22° (μ = tan 22°)
  const slide = (degrees: number): number => {
    const n = 8, L = 0.1, a = (degrees * Math.PI) / 180, R = 1000, along = [Math.cos(a), -Math.sin(a), 0], up = [Math.sin(a), Math.cos(a), 0];
    // the root is far up the slope by a slack strand, so that it does not hold the rest; only the loose end is watched
    const points = Array.from({ length: n }, (_, i) => [0, 1, 2].map((k) => along[k] * ((L * i) / (n - 1)) * 0.35 + up[k] * 1e-5 + (k === 2 ? 0.02 * Math.sin(i * 1.6) : 0)));
    const strand = oneStrand(points, { lineDensity: 6e-6, bend: 1e-14 });
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

describe('whatever the input', () => {
  it('nothing becomes NaN: extreme stiffness, doubled points, huge leaps of the root', () => {
    const strandInput = fc.record({
      points: fc.array(fc.tuple(fc.double({ min: -0.3, max: 0.3, noNaN: true }), fc.double({ min: -0.3, max: 0.3, noNaN: true }), fc.double({ min: -0.3, max: 0.3, noNaN: true })), { minLength: 3, maxLength: 12 }),
      double: fc.boolean(),
      bend: fc.double({ min: -14, max: -2, noNaN: true }),
      leap: fc.double({ min: -3, max: 3, noNaN: true }),
      h: fc.constantFrom(1 / 24, 1 / 192, 1 / 1000),
      damping: fc.constantFrom(0, 4, 1000),
    });
    let nets = 0;
    fc.assert(fc.property(strandInput, ({ points, double, bend, leap, h, damping }) => {
      const list = points.map((p) => [...p]);
      if (double) list[list.length - 1] = [...list[list.length - 2]];
      if (Math.hypot(...list[1].map((v, k) => v - list[0][k])) < 1e-6) list[1] = list[0].map((v) => v + 0.01);
      const strand = oneStrand(list, { lineDensity: 5e-6, bend: 10 ** bend });
      calmStart(strand.system, 0, [0, -g, 0]);
      for (let k = 0; k < 12; k++) {
        if (k === 4) for (let c = 0; c < 3; c++) strand.system.rootPosition[c] += leap;
        strand.step(1, { h, damping });
      }
      expect(strand.system.x.every(Number.isFinite)).toBe(true);
      expect(strand.system.v.every(Number.isFinite)).toBe(true);
      nets += strand.system.netUses;
    }), { seed: 11, numRuns: 1500 });
    expect(nets).toBeGreaterThan(0); // the input is harsh enough to need the net
  });
});
