/** Contact, friction, the air, and what the rod must survive. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ContactFinder } from '../../src/core/sway/contact';
import { roundRod } from '../../src/core/sway/materials';
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

it.each(KERNELS)('walls that close on hanging hair until they leave it no room press with an end, and let it go as it was, %s', (kernel) => {
  const n = 16, strand = oneStrand(straight(n, 0.15, [0, -1, 0]), plainRod(6e-6, 2e-9), { kernel }), { system } = strand, { k, lanes: L } = system;
  const walls = new ContactFinder([], 1, { skinGap: 0, friction: 0.3, floors: [{ place: [0, -0.05, 0], up: [1, 0, 0] }, { place: [0, -0.05, 0], up: [-1, 0, 0] }] });
  /** Each wall so far from the middle, m. */
  const at = (d: number): Float64Array => Float64Array.of(0, 0, 0, 1, -d, 0, 0, 0, 0, 0, 1, d, 0, 0);
  const way = (frame: number): number => (frame < 24 ? 0.02 - (0.023 * frame) / 24 : frame < 72 ? -0.003 : Math.min(0.02, -0.003 + (0.023 * (frame - 72)) / 24));
  let hardest = 0, fastest = 0;
  for (let frame = 0; frame < 120; frame++) {
    const from = at(way(frame)), to = at(way(frame + 1));
    walls.cull(from, to, [0, 0, 0], [0, 0, 0], [0.15]);
    for (let s = 0; s < 8; s++) { walls.place(from, to, s / 8, (s + 1) / 8); strand.step(1, { h: SUBSTEP }, walls); }
    for (let i = 1; i < n; i++) {
      fastest = Math.max(fastest, Math.hypot(...strand.velocity(i)));
      for (let j = 0; j < 2; j++) hardest = Math.max(hardest, k.touchForce[system.at(0, i, 2) + j * L]);
    }
  }
  // 1,440 times the weight of what meets the wall; without an end it was 19 times as much as this bound
  expect(hardest).toBeLessThan(14_400 * 6e-6 * 0.01);
  expect(hardest).toBeGreaterThan(0);
  expect(fastest).toBeLessThan(1);
  expect(system.netUses).toBe(0);
  expect(Math.abs(strand.point(n - 1)[0])).toBeLessThan(0.004);
});

describe.each(KERNELS)('a rope over a turning cylinder, %s', (kernel) => {
  // Source: Euler and Eytelwein, T₁/T₂ = e^{μφ}; φ = π here. The root is held, the tip pulled by a constant force
  const ratio = (mu: number, turns: number): { ratio: number; net: number } => {
    const R = 0.03, n = 48, down = 0.04, arc = Math.PI * R, total = 2 * down + arc, r = R + 1e-5, pull = 2e-6;
    const points = Array.from({ length: n }, (_, i) => { const s = (total * i) / (n - 1), a = (s - down) / R; return s < down ? [-r, s - down, 0] : s < down + arc ? [-r * Math.cos(a), r * Math.sin(a), 0] : [r, -(s - down - arc), 0]; });
    const strand = oneStrand(points, { lineDensity: 2e-6, bend: 1e-13, twist: 1e-13 }, { kernel, hinged: true }), { system } = strand, { k } = system, tip = system.at(0, n - 1, 3);
    k.holdStiffness[system.at(0, n - 1, 1)] = pull; // toward a target a metre below: a force that hardly changes
    k.holdOffset[tip] = 2 * R;
    k.holdOffset[tip + system.lanes] = -1;
    const finder = new ContactFinder([{ node: 0, source: 'cylinder', a: [0, 0, -0.2], b: [0, 0, 0.2], radiusA: R, radiusB: R }], 1, { skinGap: 0, friction: mu, firstPoint: 1 }), turned = (a: number): Float64Array => Float64Array.of(0, 0, Math.sin(a / 2), Math.cos(a / 2), 0, 0, 0);
    finder.cull(turned(0), turned(0), points[0], points[0], [total]);
    let sum = 0, looks = 0;
    for (let i = 0; i < 5 * 192; i++) {
      finder.place(turned(turns * 3 * i * SUBSTEP), turned(turns * 3 * (i + 1) * SUBSTEP), 0, 1);
      strand.step(1, { h: SUBSTEP, damping: 3, gravity: [0, 0, 0] }, finder);
      if (i >= 4 * 192) { sum += strand.get('tension', 1) / strand.get('tension', n - 1); looks++; }
    }
    return { ratio: sum / looks, net: system.netUses };
  };
  it.each([[0.3, 1], [0.3, -1], [0.6, 1]])('μ = %f, turning %i: the tensions stand as e^{μφ} within 2 %%', (mu, turns) => {
    const found = ratio(mu, turns);
    expect(Math.abs(found.ratio / Math.exp(-turns * mu * Math.PI) - 1)).toBeLessThan(0.02);
    expect(found.net).toBe(0);
  });
});

describe.each(KERNELS)('edges, %s', (kernel) => {
  it('a bar thinner than the points’ spacing is not passed: edges touch, not points only', () => {
    const n = 6, strand = oneStrand(straight(n, 0.1, [1, 0, 0]), plainRod(6e-6, 1e-12), { kernel }), bar = new ContactFinder([{ node: 0, source: 'bar', a: [0.05, -0.01, -0.1], b: [0.05, -0.01, 0.1], radiusA: 1e-3, radiusB: 1e-3 }], 1, { skinGap: 0, friction: 0.5, firstPoint: 1 });
    bar.cull(still(), still(), [0, 0, 0], [0, 0, 0], [0.1]);
    bar.place(still(), still(), 0, 1);
    let least = Infinity;
    for (let k = 0; k < 3 * 192; k++) {
      strand.step(1, { h: SUBSTEP, damping: 6 }, bar);
      for (let i = 1; i < n; i++) for (let s = 0; s <= 10; s++) { const a = strand.point(i - 1), b = strand.point(i), x = a[0] + (s / 10) * (b[0] - a[0]), y = a[1] + (s / 10) * (b[1] - a[1]); least = Math.min(least, Math.hypot(x - 0.05, y + 0.01) - 1e-3); }
    }
    expect(least).toBeGreaterThan(-2e-4);
    expect(least).toBeLessThan(5e-4); // it did come down on it
    expect(strand.system.netUses).toBe(0);
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
  it('a hair that lies across its fall reaches 0.47 m/s, a lock of a hundred 3.0 m/s', () => {
    // Source: weight against drag, ρ A g = ½ ρ_air C_d d v², with C_d of the correlation above
    for (const [n, expected] of [[1, 0.473], [100, 2.98]]) {
      const { width, lineDensity } = roundRod(75e-6, 1320, 4e9, 1.3e9, n);
      let low = 0, high = 20;
      for (let k = 0; k < 60; k++) { const v = (low + high) / 2; if (airDamping(width, lineDensity, v, AIR) * v < g) low = v; else high = v; }
      expect(Math.abs(low / expected - 1)).toBeLessThan(0.03);
    }
  });
  it.each(KERNELS)('%s: a short stiff hair in a cross wind bends by qL⁴/8EI with q = ½ρC_d d u²', (kernel) => {
    const d = 1e-4, u = 1, L = 0.02, n = 16, bend = (4e9 * Math.PI * d ** 4) / 64, strand = oneStrand(straight(n, L, [0, 1, 0]), { lineDensity: (1320 * Math.PI * d * d) / 4, bend, twist: bend, width: d, airDrag: 1 }, { kernel });
    for (let i = 0; i < n; i++) strand.system.k.air[strand.system.at(0, i, 3)] = u;
    for (const damping of [20, 40, 80]) strand.step(4 * 192, { h: SUBSTEP, damping, gravity: [0, 0, 0] });
    const re = (u * d * AIR.density) / AIR.viscosity, cd = 1.18 + 6.8 / re ** 0.89 + 1.96 / Math.sqrt(re), q = 0.5 * AIR.density * cd * d * u * u;
    expect(Math.abs(strand.point(n - 1)[0] / ((q * L ** 4) / (8 * bend)) - 1)).toBeLessThan(0.03);
  });
  it('a strand carried by the wind at the wind’s own speed feels none', () => {
    const strand = oneStrand(straight(8, 0.1, [0, -1, 0]), plainRod(5e-6, 1e-9, { width: 8e-5, airDrag: 1 }));
    for (let i = 0; i < strand.n; i++) strand.system.k.air[3 * i] = 3;
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
    fc.assert(fc.property(fc.array(input, { minLength: TOGETHER, maxLength: TOGETHER }), fc.constantFrom(1 / 24, 1 / 192, 1 / 1000), fc.tuple(number(0.3), number(0.3), number(0.3), fc.double({ min: 0, max: 0.3, noNaN: true })), (all, h, [bx, by, bz, radius]) => {
      const system = new RodSystem(all.map((s) => s.points.length), kernel, true);
      // a ball that leaps among them, every third time none
      const ball = new ContactFinder(radius < 0.1 ? [] : [{ node: 0, source: 'ball', a: [bx, by, bz], b: [bx, by + 0.1, bz], radiusA: radius, radiusB: 0.5 * radius }], all.length, { skinGap: 0.001, friction: 0.5, firstPoint: 1 }), away = Float64Array.of(0, 0, 0, 1, 0.2, -0.1, 0.3), lengths = new Float64Array(all.length).fill(5);
      all.forEach(({ points, double, bend, damping, calm }, s) => {
        const list = points.map((p) => [...p]);
        if (double) list[list.length - 1] = [...list[list.length - 2]];
        const one = placeStrand(list.flat());
        makeRod(one, plainRod(5e-6, 10 ** bend, { width: 8e-5 }), { damping: () => damping });
        if (calm) calmStart(one, [0, -g, 0], new Float64Array(3 * list.length));
        system.load(s, one);
      });
      ball.cull(still(), away, system.rootPosition, system.rootPosition, lengths);
      for (let k = 0; k < 12; k++) {
        ball.place(still(), away, k / 12, (k + 1) / 12);
        ball.gatherAll(system, h, [0, -g, 0]);
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
