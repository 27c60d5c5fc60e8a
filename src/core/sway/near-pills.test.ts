import { describe, expect, it } from 'vitest';
import { makeRandom } from '../math/random';
import { NearMemory } from './fast/near-memory';
import { FOUND, NearPills } from './near-pills';
import { pillDistance, type Pill } from './pills';
import { RigidColliders } from './rigid-colliders';

const GAP = 0.001, NEAR = 0.002, N = 11, STRANDS = 160, POINTS = N * STRANDS;
const out = new Float64Array(4);

/** Strands of short edges among tapered pills, both about a place so far from the world's origin, m. */
function among(away: number, seed: number, rise = Infinity) {
  const random = makeRandom(seed), spot = (): number => away + 0.16 * random();
  const pills = Array.from({ length: 7 }, (): Pill => { const a: Pill['a'] = [spot(), spot(), spot()]; return { node: 0, source: '', a, b: [a[0] + 0.08 * random(), a[1] + 0.08 * random(), a[2]], radiusA: 0.01 + 0.01 * random(), radiusB: 0.01 + 0.01 * random() }; });
  // one whose end holds the other, a ball, and one without any width
  Object.assign(pills[4], { radiusA: 0.004, radiusB: 0.03, a: pills[4].b.map((v) => v - 0.01) });
  Object.assign(pills[5], { b: pills[5].a, radiusA: 0.02, radiusB: 0.02 });
  Object.assign(pills[6], { radiusA: 0, radiusB: 0 });
  // and one that tapers much
  Object.assign(pills[3], { radiusA: 0.03, radiusB: 0.002, b: pills[3].a.map((v) => v + 0.025) });
  const rigid = new RigidColliders(pills, [], GAP, 0.3), still = Float64Array.from(pills.flatMap(() => [0, 0, 0, 1, 0, 0, 0])), memory = new NearMemory(), arc = new Float64Array(POINTS), roots = Float64Array.from({ length: 3 * STRANDS }, spot), P = new Float64Array(3 * POINTS);
  for (let s = 0; s < STRANDS; s++) for (let i = 0; i < N; i++) {
    const p = N * s + i;
    for (let c = 0; c < 3; c++) P[3 * p + c] = i === 0 ? roots[3 * s + c] : P[3 * p - 3 + c] + 0.02 * (random() - 0.4);
    arc[p] = i === 0 ? 0 : arc[p - 1] + Math.hypot(P[3 * p] - P[3 * p - 3], P[3 * p + 1] - P[3 * p - 2], P[3 * p + 2] - P[3 * p - 1]);
  }
  const near = new NearPills(rigid, memory, POINTS, N, { arc, shares: new Float64Array(0), rise });
  rigid.place(still, still, 0, 1);
  near.place();
  for (let p = 0; p < POINTS; p++) for (let c = 0; c < 3; c++) memory.places[6 * p + 3 + c] = P[3 * p + c];
  /** Place at a share of the edge below a point, and its distance from a pill. */
  const place = (p: number, s: number): number[] => [0, 1, 2].map((c) => P[3 * p - 3 + c] + s * (P[3 * p + c] - P[3 * p - 3 + c]));
  const distance = (p: number, s: number, k: number): number => { const [x, y, z] = place(p, s), e = rigid.ends.subarray(6 * k, 6 * k + 6); return pillDistance(x, y, z, e[0], e[1], e[2], e[3], e[4], e[5], rigid.radii[2 * k], rigid.radii[2 * k + 1], out); };
  const kept = (p: number): number => Math.min(GAP, rise * arc[p]);
  return { pills, near, memory, roots, P, distance, kept, find: (s: number, far = NEAR, still = 0, first = 1) => near.find(s, N * s + first, N * (s + 1), roots, far, N * s, 0.25, still) };
}

describe('what pills are near the edges of strands', () => {
  // Source: brute force over places on each edge, against every pill
  it.each([0, 300])('finds the nearest pill of every edge that one is near, and none where none is, %d m from the origin', (away) => {
    const { pills, near, find, distance, kept } = among(away, 12 + away);
    let touching = 0, free = 0;
    for (let s = 0; s < STRANDS; s++) {
      let edges = 0;
      find(s);
      for (let p = N * s + 1; p < N * (s + 1); p++) {
        if (near.counts[p] > 0) edges++;
        if (p === N * s + 1) continue;
        let least = Infinity, who = -1;
        for (let k = 0; k < pills.length; k++) for (let q = 0; q <= 60; q++) { const d = distance(p, q / 60, k) - kept(p); if (d < least) { least = d; who = k; } }
        if (near.counts[p] === 0) {
          free++;
          // what comes nearest at its lower end is the business of the edge below
          if (least < NEAR) expect(distance(p, 0, who) - kept(p)).toBeLessThan(least + 5e-5);
          continue;
        }
        touching++;
        const [k, gap, share, x, y, z] = near.found.subarray(FOUND * p);
        expect(gap).toBeGreaterThan(least - 2e-5);
        expect(gap).toBeLessThan(NEAR);
        // by the distance's own function, at the place it was found
        expect(distance(p, share, k) - kept(p)).toBeCloseTo(gap, 11);
        [x, y, z].forEach((v, c) => expect(v).toBeCloseTo(out[c], 9));
      }
      expect(find(s)).toBe(edges);
    }
    expect(touching).toBeGreaterThan(60);
    expect(free).toBeGreaterThan(200);
  });
  it('tells two contacts of an edge, the nearer first, that push in different directions', () => {
    const { near, find } = among(0, 5);
    let two = 0;
    for (let s = 0; s < STRANDS; s++) { find(s, 0.012); for (let p = N * s + 1; p < N * (s + 1); p++) if (near.counts[p] === 2) { two++; const f = near.found.subarray(FOUND * p); expect(f[1]).toBeLessThanOrEqual(f[7]); expect(f[0]).not.toBe(f[6]); } }
    expect(two).toBeGreaterThan(5);
  });
  it('puts what began inside, and what is told to be still, at the upper end, and keeps less near the root', () => {
    const { near, find, distance, kept } = among(0, 9, 0.02);
    let upper = 0, lowest = 0;
    near.begun.fill(-0.001);
    for (let s = 0; s < STRANDS; s++) { find(s); for (let p = N * s + 1; p < N * (s + 1); p++) if (near.counts[p] > 0) { upper++; expect(near.found[FOUND * p + 2]).toBe(1); expect(kept(p)).toBeLessThan(0.00101); expect(distance(p, 1, near.found[FOUND * p]) - kept(p)).toBeCloseTo(near.found[FOUND * p + 1], 11); } }
    near.begun.fill(0);
    for (let s = 0; s < STRANDS; s++) { find(s, NEAR, 4); for (let i = 1; i < 5; i++) if (near.counts[N * s + i] > 0) { lowest++; const share = near.found[FOUND * (N * s + i) + 2]; if (i === 1) expect(share).toBeGreaterThanOrEqual(0.25); else expect(share).toBe(1); } }
    expect(upper).toBeGreaterThan(30);
    expect(lowest).toBeGreaterThan(5);
  });
  it.each([0, 300])('marks every edge that is below a surface, and few others, %d m from the origin', (away) => {
    const { pills, near, memory, roots, P, distance } = among(away, 3 + away);
    let below = 0, marked = 0;
    const before = memory.places.slice();
    memory.take(32 << 20);
    expect(memory.places).toEqual(before);
    for (let s = 0; s < STRANDS; s++) {
      near.below(s, N * s, N * (s + 1), P, roots);
      for (let i = 1; i < N; i++) {
        let least = Infinity;
        for (let k = 0; k < pills.length; k++) for (let q = 0; q <= 30; q++) least = Math.min(least, distance(N * s + i, q / 30, k));
        if (near.deep[i - 1] === 1) marked++;
        if (least < 0) { below++; expect(near.deep[i - 1]).toBe(1); }
      }
    }
    expect(below).toBeGreaterThan(60);
    expect(marked).toBeLessThan(1.5 * below);
  });
});
