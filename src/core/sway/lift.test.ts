import { describe, expect, it } from 'vitest';
import { KERNELS, oneStrand, plainRod, straight, type OneStrand } from '../../../tests/helpers/strands';
import { ContactFinder } from './contact';
import { DEEP, lift } from './lift';
import { strandDepth } from './run-report';
import { Shell } from './shell';

const N = 12, LENGTH = 0.15, GAP = 0.001, none = new Float64Array(0);
interface Box { triangles: number[]; places: Float64Array }
/** A closed box between heights, as triangles that look outwards. */
function box(low: number, high: number): Box {
  const places = Float64Array.from([low, high].flatMap((y) => [[-0.1, y, -0.1], [0.3, y, -0.1], [0.3, y, 0.1], [-0.1, y, 0.1]].flat()));
  return { triangles: [0, 1, 2, 0, 2, 3, 4, 6, 5, 4, 7, 6, 0, 4, 5, 0, 5, 1, 1, 5, 6, 1, 6, 2, 2, 6, 7, 2, 7, 3, 3, 7, 4, 3, 4, 0], places };
}
/** A level strand with boxes about it, looked at once where it is and with what is above it far off; its points are then sunk by `sunk` m. */
function among(kernel: (typeof KERNELS)[number], boxes: Box[], sunk: number, start = 0, pinnedTip = false): { strand: OneStrand; finder: ContactFinder; world: Float64Array; depth: number } {
  const strand = oneStrand(straight(N, LENGTH, [1, 0, 0]), plainRod(6e-6, 2e-9), { kernel, pinnedTip }), { system } = strand, { x, v } = system.k, L = system.lanes;
  const shells = boxes.map((b) => new Shell(b.triangles, b.places, GAP, 0.2)), finder = new ContactFinder([], 1, { skinGap: GAP, friction: 0.2, firstPoint: 2 }, shells);
  const sink = (by: number): void => { for (let i = 3; i < N; i++) x[system.at(0, i, 3) + L] -= by; };
  sink(start);
  const stand = (above: number): void => {
    boxes.forEach((b, q) => { const places = b.places.map((y, a) => (a % 3 === 1 && b.places[1] > -0.05 ? y + above : y)); finder.frame(q, places, places, N); });
    finder.cull(none, none, strand.root, strand.root, [LENGTH]);
    finder.place(none, none, 0, 1);
  };
  stand(0.05);
  finder.gatherAll(system, 1e-9, [0, 0, 0]);
  stand(0);
  sink(sunk);
  for (let i = 1; i < N; i++) for (let c = 0; c < 3; c++) v[system.at(0, i, 3) + c * L] = 0.1 * i - 0.3 * c;
  const world = new Float64Array(3 * N);
  finder.place(none, none, 1, 1);
  finder.gatherAll(system, 0, [0, 0, 0]);
  system.positionsInto(world);
  return { strand, finder, world, depth: strandDepth(system, world, finder, 0) };
}
const stretch = ({ system }: OneStrand, world: Float64Array): number => Math.max(...Array.from({ length: N - 1 }, (_, i) => Math.abs(Math.hypot(...[0, 1, 2].map((c) => world[3 * i + 3 + c] - world[3 * i + c])) / system.k.restLength[system.at(0, i + 1, 1)] - 1)));

describe('strands that a substep has left inside', () => {
  it.each(KERNELS)('%s: are put outside, as long as they were and as fast, the root and the first edge where they are', (kernel) => {
    const { strand, finder, world, depth } = among(kernel, [box(-0.1, -0.002)], 0.0032), { k } = strand.system, before = { world: world.slice(), v: k.v.slice(), went: k.x.map((a, i) => a - k.xPrev[i]) };
    expect(depth).toBeCloseTo(0.0012, 5);
    expect(lift(strand.system, world, finder, 0, depth)).toBe(true);
    expect(strandDepth(strand.system, world, finder, 0)).toBeLessThan(DEEP);
    const low = Math.min(...Array.from({ length: N - 3 }, (_, i) => world[3 * i + 10]));
    expect(low).toBeGreaterThan(-0.002);
    // no farther than it has to
    expect(low).toBeLessThan(-0.002 + 1.2 * GAP);
    expect(stretch(strand, world)).toBeLessThan(1e-5);
    for (let a = 0; a < 6; a++) expect(world[a]).toBeCloseTo(before.world[a], 7);
    expect(k.v).toEqual(before.v);
    k.x.forEach((a, i) => expect(a - k.xPrev[i]).toBeCloseTo(before.went[i], 6));
  });
  it('find a place where there is less room between two surfaces than both would keep', () => {
    const { strand, finder, world, depth } = among('float64', [box(-0.1, -0.0012), box(0.0002, 0.1)], 0.0024);
    expect(depth).toBeGreaterThan(1e-3);
    expect(lift(strand.system, world, finder, 0, depth)).toBe(true);
    expect(strandDepth(strand.system, world, finder, 0)).toBeLessThan(DEEP);
    for (let i = 4; i < N; i++) { expect(world[3 * i + 1]).toBeGreaterThan(-0.0013); expect(world[3 * i + 1]).toBeLessThan(0.0003); }
  });
  it('are put outside as well where their first edge was knocked into the surface: the next one is turned out about its end', () => {
    const { strand, finder, world } = among('float64', [box(-0.1, -0.002)], 0), { system } = strand, { x } = system.k, L = system.lanes, edge = LENGTH / (N - 1), down = 0.0075, up = 0.003;
    // the first edge goes in, the second some of the way out again: where that is deepest is beside its lower end, which stays
    for (let i = 1; i < N; i++) { x[system.at(0, i, 3)] += Math.sqrt(edge * edge - down * down) - edge + (i > 1 ? Math.sqrt(edge * edge - up * up) - edge : 0); x[system.at(0, i, 3) + L] -= i > 1 ? down - up : down; }
    finder.gatherAll(system, 0, [0, 0, 0]);
    system.positionsInto(world);
    const depth = strandDepth(system, world, finder, 0), first = world.slice(3, 6);
    expect(depth).toBeCloseTo(0.0025, 4);
    expect(lift(system, world, finder, 0, depth)).toBe(true);
    for (let i = 2; i < N; i++) expect(world[3 * i + 1]).toBeGreaterThan(-0.002 - DEEP);
    for (let c = 0; c < 3; c++) expect(world[3 + c]).toBeCloseTo(first[c], 7);
    expect(stretch(strand, world)).toBeLessThan(1e-5);
  });
  it('stay where they began inside: those come out evenly', () => {
    const { strand, finder, world, depth } = among('float64', [box(-0.1, -0.002)], 0.0005, 0.0032), before = world.slice();
    expect(depth).toBeGreaterThan(DEEP);
    expect(lift(strand.system, world, finder, 0, depth)).toBe(false);
    expect(world).toEqual(before);
  });
  it('stay where they are held fast', () => {
    const { strand, finder, world, depth } = among('float64', [box(-0.1, -0.002)], 0.0032, 0, true), before = world.slice();
    expect(depth).toBeCloseTo(0.0012, 5);
    expect(lift(strand.system, world, finder, 0, depth)).toBe(false);
    expect(world).toEqual(before);
  });
  it('are not carried far off: so deep, they stay', () => {
    const { strand, finder, world, depth } = among('float64', [box(-0.1, -0.002)], 0.0075), before = world.slice();
    expect(depth).toBeGreaterThan(0.005);
    if (lift(strand.system, world, finder, 0, depth)) expect(Math.max(...world.map((v, a) => Math.abs(v - before[a])))).toBeLessThan(0.008 + 1e-9);
    else expect(world).toEqual(before);
  });
  it('come less deep where two surfaces leave no room; where nothing is better than it was they stay, to the bit', () => {
    const tight = [box(-0.1, -0.002), box(-0.004, 0.1)], { strand, finder, world, depth } = among('float64', tight, 0.003), x = strand.system.k.x.slice(), before = world.slice();
    // asked to be better than all that can be had
    expect(lift(strand.system, world, finder, 0, 1.001 * DEEP)).toBe(false);
    expect(world).toEqual(before);
    expect(strand.system.k.x).toEqual(x);
    expect(lift(strand.system, world, finder, 0, depth)).toBe(true);
    expect(strandDepth(strand.system, world, finder, 0)).toBeLessThan(0.6 * depth);
    expect(stretch(strand, world)).toBeLessThan(1e-9);
  });
});
