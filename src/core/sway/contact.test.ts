import { describe, expect, it } from 'vitest';
import { BoxGeometry } from 'three';
import { KERNELS, oneStrand, plainRod, straight } from '../../../tests/helpers/strands';
import type { Vec3 } from '../math/vec';
import { ContactFinder } from './contact';
import type { Pill } from './pills';
import { Shell } from './shell';

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

describe('contact with a mesh', () => {
  /** A box of 10 cm whose near face is at x, beside a strand of 20 cm at the origin. */
  const box = (x: number): Float64Array => { const P = Float64Array.from(new BoxGeometry(0.1, 0.1, 0.1).getAttribute('position').array); for (let a = 0; a < P.length; a += 3) P[a] += x + 0.05; return P; };
  it('what was far away when it was last looked at, and came near while nobody asked, is met', () => {
    const h = 1 / 192, root = [0, 0, 0], geometry = new BoxGeometry(0.1, 0.1, 0.1), hanging = straight(12, 0.2, [0, -1, 0]), lying = straight(12, 0.2, [1, 0, 0]);
    const strand = oneStrand(hanging, material), { system } = strand, shell = new Shell(Uint32Array.from(geometry.index!.array), box(0), 0.001, 0.3), finder = new ContactFinder([], 1, { skinGap: 0.001, friction: 0.3 }, [shell]);
    const ask = (points: number[][], from: number, to: number, along = 0): void => {
      const P = points.flat();
      finder.frame(0, box(from), box(to), 12);
      finder.cull(still(), still(), root, root, [0.2]);
      finder.place(still(), still(), 0, 1);
      system.standAt(P);
      system.moveAs(P, P.map((v, a) => (a % 3 === 0 && a > 0 ? v + along : v)), h);
      finder.gatherAll(system, h, [0, 0, 0]);
    };
    // beside its root, far from its tip
    ask(hanging, 0.02, 0.02);
    expect(finder.touches[0]).toBe(0);
    // out of reach of all strands for a frame, in which this one swings up
    ask(hanging, 1, 1);
    ask(lying, 0.2015, 0.2015, 0.002);
    expect(finder.touches[0]).toBe(1);
  });
});
