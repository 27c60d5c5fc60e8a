import { describe, expect, it } from 'vitest';
import { KERNELS, oneStrand, plainRod, straight } from '../../../tests/helpers/strands';
import type { Vec3 } from '../math/vec';
import { ContactFinder } from './contact';
import type { Pill } from './pills';

const SUBSTEP = 1 / 192;
const still = (): Float64Array => Float64Array.of(0, 0, 0, 1, 0, 0, 0);
const moved = (x: number): Float64Array => Float64Array.of(0, 0, 0, 1, x, 0, 0);
const pill = (a: Vec3, b: Vec3, radius: number): Pill => ({ node: 0, source: 'skin', a, b, radiusA: radius, radiusB: radius });
const material = plainRod(6e-6, 2e-9);

/** A strand that hangs beside a pill of radius 5 cm whose surface is 2 mm from it. */
function beside(friction: number, kernel: (typeof KERNELS)[number] = 'float64'): { strand: ReturnType<typeof oneStrand>; finder: ContactFinder } {
  const strand = oneStrand(straight(12, 0.2, [0, -1, 0]), material, { kernel });
  const finder = new ContactFinder([pill([-0.052, -0.1, 0], [-0.052, -0.2, 0], 0.05)], 1, { skinGap: 0, friction });
  finder.cull(still(), moved(0.04), [0, 0, 0], [0, 0, 0], [0.2]);
  return { strand, finder };
}

describe('contact with pills', () => {
  it.each(KERNELS)('%s: a pill that moves into hair pushes it aside and is not passed', (kernel) => {
    const { strand, finder } = beside(0, kernel);
    let deepest = 0;
    for (let k = 0; k < 96; k++) {
      finder.place(still(), moved(0.04), k / 96, (k + 1) / 96);
      strand.step(1, { h: SUBSTEP, damping: 2 }, finder);
      for (let i = 2; i < 12; i++) deepest = Math.max(deepest, finder.depth(0, ...strand.point(i)));
    }
    expect(deepest).toBeLessThan(2e-4);
    expect(strand.point(8)[0]).toBeGreaterThan(0.035);
    expect(strand.system.netUses).toBe(0);
  });

  it('a pill far away changes nothing, to the bit', () => {
    const free = oneStrand(straight(12, 0.2, [1, 0, 0]), material), beside2 = oneStrand(straight(12, 0.2, [1, 0, 0]), material);
    const finder = new ContactFinder([pill([3, 0, 0], [3, 1, 0], 0.1)], 1, { skinGap: 0.001, friction: 0.3 });
    finder.cull(still(), still(), [0, 0, 0], [0, 0, 0], [0.2]);
    finder.place(still(), still(), 0, 1);
    free.step(60, { h: SUBSTEP });
    beside2.step(60, { h: SUBSTEP }, finder);
    expect(beside2.system.k.x).toEqual(free.system.k.x);
  });

  it('the skin gap is kept', () => {
    const strand = oneStrand(straight(12, 0.15, [1, 0, 0]), material);
    const finder = new ContactFinder([pill([0.1, -0.06, -0.2], [0.1, -0.06, 0.2], 0.04)], 1, { skinGap: 0.004, friction: 0.2 });
    finder.cull(still(), still(), [0, 0, 0], [0, 0, 0], [0.15]);
    finder.place(still(), still(), 0, 1);
    strand.step(600, { h: SUBSTEP, damping: 6 }, finder);
    let nearest = Infinity;
    for (let i = 2; i < 12; i++) nearest = Math.min(nearest, Math.hypot(strand.point(i)[0] - 0.1, strand.point(i)[1] + 0.06) - 0.04);
    expect(nearest).toBeGreaterThan(0.0039);
    expect(nearest).toBeLessThan(0.0045);
  });

  it('hair that begins inside is let be: it does not jump out', () => {
    const strand = oneStrand(straight(12, 0.2, [0, -1, 0]), material);
    const finder = new ContactFinder([pill([0.01, -0.05, 0], [0.01, -0.25, 0], 0.03)], 1, { skinGap: 0, friction: 0.3 });
    finder.cull(still(), still(), [0, 0, 0], [0, 0, 0], [0.2]);
    finder.place(still(), still(), 0, 1);
    let fastest = 0;
    for (let k = 0; k < 192; k++) {
      strand.step(1, { h: SUBSTEP }, finder);
      fastest = Math.max(fastest, ...strand.system.k.v.map(Math.abs));
    }
    expect(fastest).toBeLessThan(0.02);
    for (let i = 0; i < 12; i++) expect(Math.abs(strand.point(i)[0])).toBeLessThan(1e-3);
  });
});
