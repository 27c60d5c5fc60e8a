import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { turnInto } from '../math/mat4';
import { makeRandom } from '../math/random';
import { jointPlaces, jointsAt, reduceToChains } from './chains';
import { ErrorTally } from './error-tally';

const N = 9;
/** Straight strands side by side, hanging. */
const hanging = (guides: number): Float64Array => Float64Array.from({ length: 3 * N * guides }, (_, k) => { const p = Math.floor(k / 3), g = Math.floor(p / N), i = p % N; return [0.01 * g, 1 - 0.02 * i, 0.004 * (g % 3)][k % 3]; });
/** All of it turned about its own roots, as one. */
function turned(rest: Float64Array, q: number[]): Float32Array {
  const out = new Float32Array(rest.length), v = new Float64Array(3), w = new Float64Array(3);
  for (let p = 0; p < rest.length; p += 3) { const root = 3 * N * Math.floor(p / (3 * N)); for (let c = 0; c < 3; c++) v[c] = rest[p + c] - rest[root + c]; turnInto(w, 0, v, 0, q); for (let c = 0; c < 3; c++) out[p + c] = w[c] + rest[root + c]; }
  return out;
}
const about = (x: number, y: number, z: number, angle: number): number[] => { const l = Math.hypot(x, y, z), s = Math.sin(angle / 2) / l; return [x * s, y * s, z * s, Math.cos(angle / 2)]; };

describe('joint chains', () => {
  it('of strands that turn stiffly are exact with one joint each', () => {
    const rest = hanging(6), frames = [0, 0.3, 0.9, 1.6].map((a) => turned(rest, about(1, 0.2, 0.4, a)));
    const { chains, error, joints } = reduceToChains({ rest, pointCount: N, carriers: new Int32Array(6), frames, numbers: [0, 1, 2, 3], budget: 12 });
    expect(chains.length).toBeGreaterThan(1);
    expect(joints).toBeLessThanOrEqual(12);
    expect(error.worst).toBeLessThan(1e-5);
  });
  it('keep their budget, take every guide once, and come nearer with more joints', () => {
    const random = makeRandom(4), rest = hanging(30), frames = Array.from({ length: 12 }, (_, f) => {
      const out = new Float32Array(rest.length);
      for (let p = 0; p < rest.length; p += 3) { const g = Math.floor(p / (3 * N)), i = (p / 3) % N, s = i / (N - 1); out[p] = rest[p] + 0.05 * s * s * Math.sin(0.5 * f + 0.3 * g); out[p + 1] = rest[p + 1] + 0.01 * s; out[p + 2] = rest[p + 2] + 0.06 * s ** 3 * Math.cos(0.4 * f + g) + 1e-4 * random(); }
      return out;
    });
    let before = Infinity;
    for (const budget of [5, 15, 60]) {
      const { chains, joints, chainOf, error } = reduceToChains({ rest, pointCount: N, carriers: new Int32Array(30), frames, numbers: frames.map((_, k) => k), budget });
      expect(joints).toBeLessThanOrEqual(budget);
      expect(chains.flatMap((c) => c.guides).sort((a, b) => a - b)).toEqual(Array.from({ length: 30 }, (_, g) => g));
      chains.forEach((c, k) => { for (const g of c.guides) expect(chainOf[g]).toBe(k); });
      expect(error.mean).toBeLessThan(before);
      before = error.mean;
      // lengths of the pieces stay what they are in the rest pose
      const places = new Float64Array(chains[0].places.length);
      jointPlaces(chains[0], chains[0].turns[5], places);
      for (let o = 3; o < places.length; o += 3) expect(Math.hypot(places[o] - places[o - 3], places[o + 1] - places[o - 2], places[o + 2] - places[o - 1])).toBeCloseTo(Math.hypot(...[0, 1, 2].map((c) => chains[0].places[o + c] - chains[0].places[o - 3 + c])), 9);
    }
  });
  it('guides of different carriers share no chain', () => {
    const rest = hanging(12), { chains } = reduceToChains({ rest, pointCount: N, carriers: Int32Array.from({ length: 12 }, (_, g) => (g < 6 ? 3 : 8)), frames: [Float32Array.from(rest)], numbers: [0], budget: 8 });
    for (const c of chains) expect(new Set(c.guides.map((g) => (g < 6 ? 3 : 8)))).toEqual(new Set([c.carrier]));
  });
  it('weights of a place are one together, whatever the share', () => {
    fc.assert(fc.property(fc.double({ min: 0, max: 1, noNaN: true }), fc.integer({ min: 1, max: 8 }), (share, joints) => { const list = jointsAt(share, joints); expect(list.reduce((n, b) => n + b.weight, 0)).toBeCloseTo(1, 12); for (const b of list) { expect(b.joint).toBeGreaterThanOrEqual(0); expect(b.joint).toBeLessThan(joints); } }));
  });
});

it('errors are told as they are: mean and worst exact, 95 in 100 within a hundredth', () => {
  const tally = new ErrorTally();
  for (let k = 1; k <= 1000; k++) tally.take(k * 1e-5, k, 2 * k);
  const { mean, p95, worst, frame, index, count } = tally.figures;
  expect([mean, worst, frame, index, count].map((v) => Number(v.toFixed(9)))).toEqual([0.005005, 0.01, 1000, 2000, 1000]);
  expect(Math.abs(p95 / 0.0095 - 1)).toBeLessThan(0.011);
  expect(new ErrorTally().figures).toMatchObject({ mean: 0, worst: 0, count: 0 });
});
