import { curveMonotoneX, line } from 'd3-shape';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { profileAt, type Profile } from './profile';

const profile = fc.array(fc.tuple(fc.double({ min: 0.01, max: 0.99, noNaN: true }), fc.double({ min: 0, max: 3, noNaN: true })), { maxLength: 8 })
  .map((inner): Profile => [[0, 1.5], ...inner.sort((a, b) => a[0] - b[0]).filter((k, i, all) => i === 0 || k[0] - all[i - 1][0] > 1e-3), [1, 0.5]]);

describe('profiles', () => {
  it('are the curve that d3 draws', () => {
    fc.assert(fc.property(profile, (knots) => {
      // d3 hands out Bézier pieces whose controls lie a third apart, so that x runs evenly
      const pieces: { from: number[]; c: number[] }[] = [];
      let at: number[] = [];
      const context = { moveTo: (x: number, y: number) => { at = [x, y]; }, lineTo: (x: number, y: number) => { pieces.push({ from: at, c: [at[0], at[1], x, y, x, y] }); at = [x, y]; }, bezierCurveTo: (...c: number[]) => { pieces.push({ from: at, c }); at = [c[4], c[5]]; }, closePath: () => undefined };
      line<readonly [number, number]>((k) => k[0], (k) => k[1]).curve(curveMonotoneX).context(context as unknown as CanvasRenderingContext2D)(knots as [number, number][]);
      if (knots.length === 2) { expect(profileAt(knots, 0.25)).toBeCloseTo(1.25, 12); return; }
      for (const { from, c } of pieces) for (const t of [0.1, 0.5, 0.8]) {
        const u = 1 - t, x = from[0] + t * (c[4] - from[0]);
        expect(profileAt(knots, x)).toBeCloseTo(u * u * u * from[1] + 3 * u * u * t * c[1] + 3 * u * t * t * c[3] + t * t * t * c[5], 9);
      }
    }), { seed: 3, numRuns: 200 });
  });
  it('pass through their points, hold beyond them, and do not overshoot', () => {
    fc.assert(fc.property(profile, fc.double({ min: 0, max: 1, noNaN: true }), (knots, x) => {
      for (const [u, v] of knots) expect(profileAt(knots, u)).toBeCloseTo(v, 12);
      const i = knots.findIndex((k) => k[0] >= x), a = knots[Math.max(0, i - 1)][1], b = knots[Math.max(0, i)][1], v = profileAt(knots, x);
      expect(v).toBeGreaterThanOrEqual(Math.min(a, b) - 1e-12);
      expect(v).toBeLessThanOrEqual(Math.max(a, b) + 1e-12);
    }), { seed: 4 });
    expect(profileAt([[0, 2], [1, 5]], -1)).toBe(2);
    expect(profileAt([[0, 2], [1, 5]], 2)).toBe(5);
    expect(profileAt([], 0.5)).toBe(1);
  });
});
