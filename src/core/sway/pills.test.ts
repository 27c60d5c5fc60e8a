import { describe, expect, it } from 'vitest';
import { makeRandom } from '../math/random';
import { Surface } from '../mesh/surface';
import type { Vec3 } from '../math/vec';
import { ContactFinder } from './contact';
import { fitPills, pillDistance, shrinkInto } from './pills';
import { holdRate } from './hold';
import { holdAt } from './hold';

const out = new Float64Array(4);

describe('distance to a pill', () => {
  it('agrees with the least distance to the balls it is swept from', () => {
    const random = makeRandom(3), r = (): number => (random() - 0.5) * 0.6;
    for (let k = 0; k < 300; k++) {
      const a = [r(), r(), r()], b = [r(), r(), r()], ra = 0.02 + 0.05 * random(), rb = 0.02 + 0.05 * random(), p = [2 * r(), 2 * r(), 2 * r()];
      let least = Infinity;
      for (let i = 0; i <= 4000; i++) { const t = i / 4000; least = Math.min(least, Math.hypot(...p.map((v, c) => v - a[c] - t * (b[c] - a[c]))) - (ra + (rb - ra) * t)); }
      if (least < 0) continue;
      const d = pillDistance(p[0], p[1], p[2], a[0], a[1], a[2], b[0], b[1], b[2], ra, rb, out);
      expect(d).toBeCloseTo(least, 5);
      expect(Math.hypot(out[0], out[1], out[2])).toBeCloseTo(1, 9);
    }
  });
  it('is a ball where both ends meet, and defined on its axis', () => {
    expect(pillDistance(0, 0, 0.3, 0, 0, 0, 0, 0, 0, 0.1, 0.1, out)).toBeCloseTo(0.2, 12);
    expect(pillDistance(0, 0, 0, 0, 0, 0, 0, 0, 0, 0.1, 0.1, out)).toBeCloseTo(-0.1, 12);
    expect([...out].every(Number.isFinite)).toBe(true);
  });
  it('is the wider end where that holds the other, whichever it is, and beyond the narrow one too', () => {
    for (const [ra, rb, at] of [[0.1, 0.02, 0], [0.02, 0.1, 0.05], [0.02, 0.1, 0], [0.1, 0.02, 0]]) {
      const b = at === 0 && rb > ra ? 0 : 0.05, centre = ra > rb ? 0 : b;
      for (const x of [-0.2, -0.05, 0.1, 0.17]) for (const y of [0, 1e-4, 0.02, 0.15]) expect(pillDistance(x, y, 0, 0, 0, 0, b, 0, 0, ra, rb, out)).toBeCloseTo(Math.hypot(x - centre, y) - 0.1, 12);
    }
  });
});

/** Points of a tapered limb along +y from 0 to `length`. */
function limb(length: number, r0: number, r1: number): { points: number[]; triangles: number[] } {
  const points: number[] = [], triangles: number[] = [], rows = 20, around = 24;
  for (let j = 0; j <= rows; j++) for (let i = 0; i < around; i++) {
    const a = (i / around) * 2 * Math.PI, t = j / rows, r = r0 + (r1 - r0) * t;
    points.push(r * Math.cos(a), length * t, r * Math.sin(a));
  }
  for (let j = 0; j < rows; j++) for (let i = 0; i < around; i++) { const a = j * around + i, b = j * around + ((i + 1) % around); triangles.push(a, a + around, b, b, a + around, b + around); }
  return { points, triangles };
}

describe('fitting', () => {
  it('a limb along a bone gets one pill of its radii', () => {
    const { points } = limb(0.3, 0.06, 0.04);
    const pills = fitPills(Float64Array.from(points), 4, [0, 0, 0], [[0, 0.3, 0]], 'skin');
    expect(pills).toHaveLength(1);
    expect(pills[0].node).toBe(4);
    expect(pills[0].radiusA).toBeCloseTo(0.059, 2);
    expect(pills[0].radiusB).toBeCloseTo(0.041, 2);
  });
  it('a pill that sticks out is drawn in, one inside is left as it is', () => {
    const { points, triangles } = limb(0.4, 0.05, 0.05), surface = new Surface(points, Uint32Array.from(triangles));
    const pill = { node: 0, source: 'skin', a: [0, 0.1, 0] as Vec3, b: [0, 0.3, 0] as Vec3, radiusA: 0.05, radiusB: 0.05 };
    expect(shrinkInto(pill, surface)).toMatchObject(pill);
    const fat = shrinkInto({ ...pill, radiusA: 0.09, radiusB: 0.09 }, surface)!;
    expect(fat.radiusA).toBeLessThan(0.065);
    expect(fat.radiusA).toBeGreaterThan(0.045);
  });
  it('too few vertices make no pill', () => { expect(fitPills(new Float64Array(30), 0, [0, 0, 0], [], 'skin')).toEqual([]); });
});

describe('contact finder', () => {
  it('moves pills with their joint and reports the surface’s own movement', () => {
    const pill = { node: 0, source: 'skin', a: [0, 0, 0] as Vec3, b: [0, 0.1, 0] as Vec3, radiusA: 0.05, radiusB: 0.05 };
    const finder = new ContactFinder([pill], 1, { skinGap: 0, friction: 0 });
    const from = Float64Array.of(0, 0, 0, 1, 0, 0, 0), to = Float64Array.of(0, 0, 0, 1, 0.2, 0, 0);
    finder.cull(from, to, [0, 0, 0], [0, 0, 0], [0.1]);
    finder.place(from, to, 0, 0.5);
    expect(finder.depth(0, 0.1, 0.05, 0)).toBeCloseTo(0.05, 9);
    finder.place(from, to, 0.5, 1);
    expect(finder.depth(0, 0.1, 0.05, 0)).toBeCloseTo(0, 9);
    expect(finder.depth(0, 0.2, 0.05, 0)).toBeCloseTo(0.05, 9);
  });
});

describe('hold', () => {
  it('passes smoothly from its root to its tip value', () => {
    const s = { hold: 0.8, profiles: { hold: [[0, 1], [0.5, 0.125], [1, 0.125]] as [number, number][], stiffness: [], damping: [], give: [], loft: [], gap: [] } };
    expect(holdAt(s, 0)).toBeCloseTo(0.8, 12);
    expect(holdAt(s, 0.25)).toBeGreaterThan(0.3);
    expect(holdAt(s, 0.25)).toBeLessThan(0.6);
    expect(holdAt(s, 0.5)).toBeCloseTo(0.1, 12);
    expect(holdAt(s, 1)).toBeCloseTo(0.1, 12);
    expect(holdRate(0)).toBe(0);
    expect(holdRate(1)).toBeCloseTo(2 * Math.PI * 30, 9);
  });
});
