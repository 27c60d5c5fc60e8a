import { describe, expect, it } from 'vitest';
import { KERNELS, plainRod } from '../../../tests/helpers/strands';
import type { Tie } from '../document/schema';
import type { Character } from '../mesh/character';
import { alone } from './coupling';
import { Loft } from './loft';
import { RodSystem } from './rod-system';
import { makeRod, placeStrand } from './strand-setup';
import { PlaceTies, tieBodies, tiedPoints, tieMotion } from './ties';

const N = 12, H = 1 / 192;
const tie = (change: Partial<Tie>): Tie => ({ id: 't', name: 'tie', on: true, kind: 'place', guides: [0], from: 1, to: 1, node: '', firmness: 1, snap: null, wears: null, ...change });
const nobody = { nodes: [], skins: [], materials: [], meshes: [], clips: [] } as Character;
const still = Float64Array.of(0, 0, 0, 1, 0, 0, 0);

/** A slack cord between its root and a tie at its tip, level; hinged, so that each end carries half the weight. */
function cord(kernel: (typeof KERNELS)[number], snap: number | null) {
  const points = Array.from({ length: N }, (_, i) => [0.02 * i, -0.0004 * i * (N - 1 - i), 0]).flat(), one = placeStrand(points);
  makeRod(one, plainRod(4e-3, 1e-12));
  one.k.bend[0] = one.k.twist[0] = 0;
  const system = new RodSystem([N], kernel), coupling = alone(1, N), P = Float64Array.from(points), mass = new Float64Array(N);
  system.load(0, one);
  for (let i = 1; i < N; i++) mass[i] = one.k.mass[i];
  const ties = [tie({ snap })], loft = new Loft(P, mass, N, null, [], 1, coupling), place = new PlaceTies(ties, nobody, P, 1, N, 0, system, coupling, loft.broken);
  const step = (gravity: number): void => {
    loft.act(system, 0, H);
    place.letGo();
    place.hold(system, still, H);
    for (let i = 0; i < N; i++) system.k.damping[system.at(0, i, 1)] = 4;
    system.step({ h: H, gravityX: 0, gravityY: -gravity, gravityZ: 0, passes: 1, lagging: 0 });
    place.measure(system);
  };
  return { system, place, step, broken: loft.broken, weight: Array.from(one.k.mass).slice(0, N).reduce((a, b) => a + b, 0) };
}

describe.each(KERNELS)('ties, %s', (kernel) => {
  it('lets go at its snap force within 2 %, not before, and for good', () => {
    // Source: statics. A cord that hangs from two ends loads each with half its weight and the horizontal pull H; here the pull
    // of the tie is measured against that of the catenary's end: |F| = √(V² + H²), both by the solver's own shape at rest
    const free = cord(kernel, null);
    for (let k = 0; k < 900; k++) free.step(9.81);
    const held = free.place.forceOf(0), L = free.system.lanes, a = free.system.at(0, N - 2, 3), b = free.system.at(0, N - 1, 3);
    const e = [0, 1, 2].map((c) => free.system.k.x[b + c * L] - free.system.k.x[a + c * L]), l = Math.hypot(...e);
    // V at the tip: half the weight; the last edge carries it but for the tip's own share, and runs along the pull
    const V = 0.5 * free.weight * 9.81, tip = free.system.k.mass[free.system.at(0, N - 1, 1)] * 9.81, expected = Math.hypot(V, ((V - tip) * Math.hypot(e[0], e[2])) / Math.abs(e[1]));
    expect(l).toBeGreaterThan(0);
    expect(Math.abs(held / expected - 1)).toBeLessThan(0.02);
    // grown slowly, gravity tears it where the force passes the snap force
    const snap = 1.5 * held, torn = cord(kernel, snap);
    for (let k = 0; k < 1200; k++) torn.step((9.81 * k) / 1200);
    for (let k = 0; k < 300; k++) torn.step(9.81);
    expect(torn.broken[0]).toBe(0);
    let at = 0, before = 0;
    for (let k = 0; k < 2400 && at === 0; k++) { const g = 9.81 * (1 + k / 2400); torn.step(g); if (torn.broken[0] === 1) at = before; else before = torn.place.forceOf(0); }
    expect(at).toBeGreaterThan(0);
    expect(Math.abs(at / snap - 1)).toBeLessThan(0.02);
    for (let k = 0; k < 60; k++) torn.step(9.81);
    expect(torn.broken[0]).toBe(1);
    expect(torn.place.forceOf(0)).toBe(0);
  });
});

describe('points and bodies of ties', () => {
  it('takes the points in its range, at least one of each guide, and only guides there are', () => {
    expect(tiedPoints(tie({ guides: [0, 2], from: 0.5, to: 0.75 }), 3, 9)).toEqual([4, 5, 6, 22, 23, 24]);
    expect(tiedPoints(tie({ guides: [1], from: 0.52, to: 0.53 }), 3, 9)).toEqual([13]);
    expect(tiedPoints(tie({ guides: [7], from: 0, to: 1 }), 3, 9)).toEqual([]);
    expect(tiedPoints(tie({ guides: [0], from: 0, to: 0 }), 1, 9)).toEqual([1]);
  });
  it('a ring is one body, pairs are each with its nearest neighbour, once', () => {
    const points = [0, 0.004, 0.02, 0.023].flatMap((x) => Array.from({ length: 4 }, (_, i) => [x, -0.01 * i, 0]).flat());
    expect(tieBodies([tie({ kind: 'ring', guides: [0, 1, 2, 3], from: 1, to: 1 })], points, 4, 4)).toMatchObject([{ points: [3, 7, 11, 15], tie: 0 }]);
    expect(tieBodies([tie({ kind: 'pairs', guides: [0, 1, 2, 3], from: 1, to: 1 })], points, 4, 4).map((b) => b.points)).toEqual([[3, 7], [11, 15]]);
    expect(tieBodies([tie({ kind: 'ring', on: false })], points, 4, 4)).toEqual([]);
  });
  it('what is worn on a tie moves as its points do', () => {
    const from = [0, 1, 2].flatMap((g) => Array.from({ length: 4 }, (_, i) => [0.01 * Math.cos(2.1 * g), -0.02 * i, 0.01 * Math.sin(2.1 * g)]).flat()), c = Math.cos(0.7), s = Math.sin(0.7);
    const to = from.map((_, a) => { const p = a - (a % 3), [x, y, z] = from.slice(p, p + 3); return [c * x - s * y + 0.3, s * x + c * y - 0.1, z + 0.05][a % 3]; }), out = new Float64Array(7);
    tieMotion(from, to, [2, 6, 10], 4, out);
    expect(out[2]).toBeCloseTo(Math.sin(0.35), 6);
    expect(out[3]).toBeCloseTo(Math.cos(0.35), 6);
    [0.3, -0.1, 0.05].forEach((v, k) => expect(out[4 + k]).toBeCloseTo(v, 6));
  });
});
