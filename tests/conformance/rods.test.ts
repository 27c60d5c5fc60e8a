import { describe, expect, it } from 'vitest';
import { ContactFinder } from '../../src/core/sway/contact';
import { heavyElastica } from '../helpers/elastica';
import { KERNELS, oneStrand, plainRod, straight } from '../helpers/strands';

const g = 9.81;
const SUBSTEP = 1 / (24 * 8);
/** Weight per length and stiffness that give a wanted β = qL³/EI. */
const material = (beta: number, L: number) => ({ lineDensity: 4e-6, bend: (4e-6 * g * L ** 3) / beta });

/** The largest speed after settling with strong damping. */
function settle(strand: ReturnType<typeof oneStrand>, h = SUBSTEP): void {
  for (const damping of [20, 40, 80]) strand.step(Math.round(4 / h), { h, damping });
}

describe('cantilever under its own weight, small load', () => {
  // Source: Euler–Bernoulli beam tables, uniformly loaded cantilever: tip deflection qL⁴ / 8EI
  const L = 0.1, beta = 0.02;
  const tip = (n: number, h = SUBSTEP): number => {
    const strand = oneStrand(straight(n, L, [1, 0, 0]), material(beta, L));
    settle(strand, h);
    return -strand.point(n - 1)[1] / ((beta * L) / 8) - 1;
  };
  it('16 points are within 0.5 %', () => { expect(Math.abs(tip(16))).toBeLessThan(0.005); });
  it('the error falls by at least 3.5 for each doubling of the points', () => {
    const e8 = Math.abs(tip(8)), e16 = Math.abs(tip(16));
    expect(e8 / e16).toBeGreaterThan(3.5);
  });
  it('does not depend on the substep by more than 0.05 %', () => {
    expect(Math.abs(tip(16, 1 / 48) - tip(16, 1 / 768))).toBeLessThan(0.0005);
  });
});

describe('heavy elastica', () => {
  // Source: shooting solution in tests/helpers/elastica.ts; the rows below agree with it to the digits shown
  it('the reference gives the published rows', () => {
    const one = heavyElastica(1), hundred = heavyElastica(100);
    expect(one.x).toBeCloseTo(0.99125, 4);
    expect(one.y).toBeCloseTo(0.12347, 4);
    expect(hundred.rootCurvature).toBeCloseTo(13.693, 2);
  });
  for (const beta of [1, 10, 100]) it(`β = ${beta}: tip within 0.5 % of the length`, () => {
    const L = 0.2, n = 32, reference = heavyElastica(beta);
    const strand = oneStrand(straight(n, L, [1, 0, 0]), material(beta, L));
    settle(strand);
    const [x, y] = strand.point(n - 1);
    expect(Math.hypot(x / L - reference.x, -y / L - reference.y)).toBeLessThan(0.005);
    expect(strand.system.netUses).toBe(0);
  });
});

/** Period by the zero crossings of the tip's sideways place, interpolated. */
function period(strand: ReturnType<typeof oneStrand>, tip: number, axis: number, seconds: number, gravity: [number, number, number]): number {
  const crossings: number[] = [];
  let before = strand.point(tip)[axis];
  for (let t = SUBSTEP; t < seconds; t += SUBSTEP) {
    strand.step(1, { h: SUBSTEP, gravity });
    const now = strand.point(tip)[axis];
    if (before * now < 0) crossings.push(t - (SUBSTEP * now) / (now - before));
    before = now;
  }
  return (2 * (crossings.at(-1)! - crossings[0])) / (crossings.length - 1);
}

describe('swing', () => {
  it('a hanging chain: ω = (2.4048256 / 2) √(g / L) within 1 %', () => {
    // Source: Bernoulli, first zero of J₀ (hanging chain)
    const L = 0.3, n = 16;
    const shape = straight(n, L, [0, -1, 0]);
    const strand = oneStrand(shape, { lineDensity: 4e-6, bend: 1e-13 });
    // displaced in the first mode J₀(2.4048 √(s/L)), s from the tip
    const j0 = (x: number): number => { let sum = 1, term = 1; for (let k = 1; k < 20; k++) { term *= -(x * x) / (4 * k * k); sum += term; } return sum; };
    for (let i = 1; i < n; i++) strand.system.x[3 * i] = 0.002 * j0(2.4048256 * Math.sqrt(1 - i / (n - 1)));
    for (let a = 0; a < 3 * n; a++) strand.system.xPrev[a] = strand.system.x[a];
    const omega = (2 * Math.PI) / period(strand, n - 1, 0, 12, [0, -g, 0]);
    expect(Math.abs(omega / ((2.4048256 / 2) * Math.sqrt(g / L)) - 1)).toBeLessThan(0.01);
  });

  it('a clamped-free beam: ω = 3.5160 √(EI / ρAL⁴) within 1 %', () => {
    // Source: Euler–Bernoulli beam tables, first clamped–free mode
    const L = 0.1, n = 16, rho = 4e-6, bend = 2e-9;
    const strand = oneStrand(straight(n, L, [0, -1, 0]), { lineDensity: rho, bend });
    const mode = (s: number): number => { const k = 1.8751041 * s, r = 0.7340955; return Math.cosh(k) - Math.cos(k) - r * (Math.sinh(k) - Math.sin(k)); };
    for (let i = 1; i < n; i++) strand.system.x[3 * i] = 0.0005 * mode(i / (n - 1));
    for (let a = 0; a < 3 * n; a++) strand.system.xPrev[a] = strand.system.x[a];
    const omega = (2 * Math.PI) / period(strand, n - 1, 0, 3, [0, 0, 0]);
    expect(Math.abs(omega / (3.516 * Math.sqrt(bend / (rho * L ** 4))) - 1)).toBeLessThan(0.01);
  });
});

describe('lengths', () => {
  it('stretch stays under 0.05 % when the root is jerked 0.5 m in three frames', () => {
    const n = 16, strand = oneStrand(straight(n, 0.25, [0, -1, 0]), { lineDensity: 6e-6, bend: 5e-9 });
    let worst = 0;
    for (let k = 0; k < 48 * 8; k++) {
      if (k < 24) strand.system.rootPosition[0] += 0.5 / 24;
      strand.step(1, { h: SUBSTEP });
      for (let i = 0; i < n - 1; i++) {
        const a = strand.point(i), b = strand.point(i + 1);
        worst = Math.max(worst, Math.abs(Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) / strand.system.restLength[i] - 1));
      }
    }
    expect(worst).toBeLessThan(0.0005);
    expect(strand.system.netUses).toBe(0);
  });
});

describe('calm start', () => {
  it('a groomed curl stays where it was combed for 5 s within 0.01 % of its length', () => {
    const n = 24, radius = 0.012, pitch = 0.03, turns = 2.5;
    const shape = Array.from({ length: n }, (_, i) => {
      const a = (i / (n - 1)) * turns * 2 * Math.PI;
      return [radius * (Math.cos(a) - 1), -(pitch * a) / (2 * Math.PI), radius * Math.sin(a)];
    });
    const L = 0.2, strand = oneStrand(shape, { lineDensity: 6e-6, bend: 2e-8 });
    expect(calmStart(strand.system, 0, [0, -g, 0])).toBe(false);
    strand.step(5 * 24 * 8, { h: SUBSTEP });
    const drift = Math.max(...shape.map((p, i) => Math.hypot(...strand.point(i).map((v, k) => v - p[k]))));
    expect(drift / L).toBeLessThan(1e-4);
  });
});

describe('contact', () => {
  const still = (count: number): Float64Array => Float64Array.from({ length: 7 * count }, (_, k) => (k % 7 === 3 ? 1 : 0));
  it('a strand that falls on a ball comes to rest on it: depth at most 0.2 mm at the impact, 0.01 mm at rest', () => {
    const n = 16, strand = oneStrand(straight(n, 0.2, [1, 0, 0]).map(([x, y, z]) => [x, y + 0.075, z]), { lineDensity: 6e-6, bend: 2e-9 });
    const ball = new ContactFinder([{ node: 0, source: 'ball', a: [0.1, 0, 0], b: [0.1, 0, 0.0001], radiusA: 0.06, radiusB: 0.06 }], 1, { skinGap: 0, friction: 0.3 });
    ball.cull(still(1), still(1), [0, 0.075, 0], [0, 0.075, 0], [0.2]);
    ball.place(still(1), still(1), 0, 1);
    let worst = 0;
    for (let k = 0; k < 5 * 24 * 8; k++) {
      strand.step(1, { h: SUBSTEP, damping: 2 }, ball);
      for (let i = 2; i < n; i++) worst = Math.max(worst, ball.depth(0, ...strand.point(i)));
    }
    let atRest = 0, speed = 0;
    for (let i = 2; i < n; i++) {
      atRest = Math.max(atRest, ball.depth(0, ...strand.point(i)));
      speed = Math.max(speed, Math.hypot(strand.system.v[3 * i], strand.system.v[3 * i + 1], strand.system.v[3 * i + 2]));
    }
    expect(worst).toBeLessThan(0.0002);
    expect(atRest).toBeLessThan(1e-5);
    expect(speed).toBeLessThan(5e-3);
    expect(strand.system.netUses).toBe(0);
  });
});
