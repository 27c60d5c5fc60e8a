import { describe, expect, it } from 'vitest';
import { helix, pathLength } from '../../../tests/helpers/rod-cases';
import { plainRod, straight } from '../../../tests/helpers/strands';
import { calmStart } from './calm-start';
import { holdRate } from './hold';
import { measureNodes } from './rod/frames';
import { RodSystem } from './rod-system';
import { AIR, hingeRoot, makeRod, placeStrand } from './strand-setup';

const rod = plainRod(6e-6, 2e-8, { width: 8e-5 });

describe('a strand made a rod', () => {
  const points = helix(20, 0.01, 0.03, 2), one = placeStrand(points.flat());
  makeRod(one, rod, { mass: (s) => 1 + s, stiffness: (s) => 2 - s, damping: (s) => 3 * s });
  it('weighs its length times its weight, heavier where the profile says so', () => {
    const even = placeStrand(points.flat());
    makeRod(even, rod);
    expect(Array.from(even.k.mass).reduce((a, b) => a + b)).toBeCloseTo(6e-6 * pathLength(points), 15);
    expect(one.k.mass[19] / even.k.mass[19]).toBeCloseTo(2, 9);
    expect(one.k.mass[0] / even.k.mass[0]).toBeCloseTo(1, 9);
  });
  it('stiffness and damping follow their profiles', () => {
    expect(one.k.bend[0]).toBeCloseTo(2 * rod.bend, 18);
    expect(one.k.bend[19]).toBeCloseTo(rod.bend, 18);
    expect(one.k.twist[0] / one.k.bend[0]).toBeCloseTo(2 / 3, 9);
    expect(one.k.damping[19]).toBeCloseTo(3, 9);
  });
  it('is without strain in its own shape, and the air meets half its viscosity times its length', () => {
    measureNodes(one.k, 0, 20);
    for (let b = 0; b < 38; b++) expect(one.k.kappa[b]).toBeCloseTo(one.k.restCurvature[b], 12);
    expect(Array.from(one.k.drag).reduce((a, b) => a + b)).toBeCloseTo(0.5 * AIR.viscosity * pathLength(points), 12);
    expect(one.k.reynolds[0]).toBeCloseTo((8e-5 * AIR.density) / AIR.viscosity, 9);
  });
  it('a rest shape is fastened as asked', () => {
    const bent = straight(8, 0.1, [1, 0, 0]), arc = Array.from({ length: 8 }, (_, i) => [0.05 * Math.sin(0.2 * i), 0.05 * (1 - Math.cos(0.2 * i)), 0]);
    const root = (fastening: 'as placed' | 'along its first edge' | 'along its root tangent'): number => { const s = placeStrand(bent.flat(), [1, 0, 0]); makeRod(s, rod, {}, arc.flat(), fastening); return Math.hypot(s.k.restCurvature[0], s.k.restCurvature[1]); };
    // κ is 2 tan of half the turn; the arc's first edge leaves its tangent by half the turn between its edges
    expect(root('as placed')).toBeCloseTo(2 * Math.tan(0.05), 6);
    expect(root('along its first edge')).toBe(0);
    expect(root('along its root tangent')).toBeCloseTo(Math.tan(0.1), 6);
    const s = placeStrand(bent.flat());
    makeRod(s, rod, {}, arc.flat());
    expect(s.k.restLength[1]).toBeCloseTo(0.1 * Math.sin(0.1), 9);
  });
  it('a hinge carries nothing at the root', () => {
    const s = placeStrand(points.flat());
    makeRod(s, rod);
    hingeRoot(s);
    expect([s.k.bend[0], s.k.twist[0]]).toEqual([0, 0]);
    expect(s.k.bend[1]).toBeGreaterThan(0);
  });
  it('points on one another keep a length that can be divided by', () => {
    const s = placeStrand([0, 0, 0, 0, 0, 0, 0.1, 0, 0]);
    makeRod(s, rod);
    expect(s.k.restLength[1]).toBe(1e-6);
    for (const field of [s.k.mass, s.k.tangent, s.k.restCurvature]) for (const v of field) expect(Number.isFinite(v)).toBe(true);
  });
});

describe('calm start', () => {
  const start = (bend: number, gravity: [number, number, number] = [0, -9.81, 0], hold = 0): { share: number; lift: Float64Array; one: RodSystem } => {
    const one = placeStrand(straight(16, 0.25, [1, 0, 0]).flat()), lift = new Float64Array(48);
    makeRod(one, plainRod(6e-6, bend));
    for (let i = 1; i < 16; i++) one.k.holdStiffness[i] = one.k.mass[i] * holdRate(hold) ** 2;
    return { share: calmStart(one, gravity, lift), lift, one };
  };
  it('what is too soft for its pose is told, the softer the more; what is stiff enough is not', () => {
    expect(start(5e-6).share).toBe(0);
    expect(start(1e-8).share).toBeGreaterThan(0);
    expect(start(1e-9).share).toBeGreaterThan(start(1e-8).share);
    expect(start(1e-12).share).toBeLessThanOrEqual(1);
  });
  it('hold carries exactly the share: its pull at each point is that part of the point’s weight', () => {
    for (const hold of [0, 0.5]) {
      const { share, lift, one } = start(1e-9, [0, -9.81, 0], hold);
      for (let i = 1; i < 16; i++) {
        expect(one.k.holdStiffness[i] * lift[3 * i + 1]).toBeCloseTo(share * one.k.mass[i] * 9.81, 14);
        expect(lift[3 * i + 1]).toBeLessThanOrEqual(0.05 * 0.25 + 1e-9);
      }
    }
  });
  it('without gravity nothing is preloaded', () => {
    const { share, one } = start(2e-9, [0, 0, 0]);
    expect(share).toBe(0);
    for (let b = 0; b < 30; b++) expect(one.k.restCurvature[b]).toBeCloseTo(0, 14);
  });
  it('tension at the root is the weight along the strand', () => {
    const one = placeStrand(straight(10, 0.2, [0, -1, 0]).flat());
    makeRod(one, rod);
    calmStart(one, [0, -9.81, 0]);
    expect(one.k.tension[1]).toBeCloseTo(6e-6 * 9.81 * (0.2 - 0.5 * one.k.restLength[1]), 12);
    expect(one.k.tension[9]).toBeCloseTo(one.k.mass[9] * 9.81, 14);
  });
});

describe('a system of strands', () => {
  it('keeps their order, and joins them with whole strands only', () => {
    const counts = [5, 16, 16, 5, 7, 16, 16, 16], system = new RodSystem(counts, 'simd');
    counts.forEach((n, s) => { const one = placeStrand(straight(n, 0.1 + 0.01 * s, [0, 1, 0]).map(([x, y, z]) => [x + s, y, z]).flat()); makeRod(one, rod); system.load(s, one); });
    const world = new Float64Array(3 * system.pointCount);
    system.positionsInto(world);
    counts.forEach((n, s) => { const tip = 3 * (system.start[s] + n - 1); expect(world[tip]).toBeCloseTo(s, 6); expect(world[tip + 1]).toBeCloseTo(0.1 + 0.01 * s, 6); });
    expect(() => system.load(0, placeStrand(straight(9, 0.1, [0, 1, 0]).flat()))).toThrow(/one strand of 5 points/);
    expect(() => new RodSystem([4, 1])).toThrow(/at least 2 points/);
    expect(new RodSystem([]).pointCount).toBe(0);
  });
});
