import { describe, expect, it } from 'vitest';
import { makeRandom } from '../math/random';
import { keepOutside } from './keep-outside';
import { SLOTS } from './rod/arrays';
import { RodSystem } from './rod-system';

const N = 9, EDGE = 0.02;
/** Strands that lead down from y = 0.05, and a level plane under each edge at `floor`; touched where the edge's upper point is. */
function hanging(kernel: 'float64' | 'simd', count: number, floor: number, place: number) {
  const random = makeRandom(4), system = new RodSystem(new Int32Array(count).fill(N), kernel, true), { k, lanes: L } = system, P = new Float64Array(3 * N * count);
  for (let s = 0; s < count; s++) {
    system.rootPosition.set([0.1 * s, 0.05, 0], 3 * s);
    k.touching[system.strandAt(s, 1)] = 1;
    const lean = 0.6 * random();
    for (let i = 0; i < N; i++) {
      P.set([0.1 * s + EDGE * i * Math.sin(lean), 0.05 - EDGE * i * Math.cos(lean), 0], 3 * (s * N + i));
      k.restLength[system.at(s, i, 1)] = i > 0 ? EDGE : 0;
      if (i < 2) continue;
      const e = system.at(s, i, SLOTS), n = system.at(s, i, 3 * SLOTS);
      k.touchOn[e] = 1; k.touchAt[e] = place; k.touchNormal[n + L] = 1;
      // planes are seen from the root
      k.touchPlane[e] = floor - 0.05;
    }
  }
  system.standAt(P);
  return { system, P };
}
const after = (system: RodSystem, count: number): Float64Array => { const out = new Float64Array(3 * N * count); system.positionsInto(out); return out; };

describe('strands put outside what they touch', () => {
  it.each([['float64', 1], ['float64', 0.6], ['simd', 1]] as const)('%s, touched at %s: all lie on or over the plane, as long as they were; the first edge stands', (kernel, place) => {
    const { system, P } = hanging(kernel, 6, 0.01, place);
    keepOutside(system);
    const Q = after(system, 6);
    let low = Infinity;
    for (let p = 0; p < 6 * N; p++) {
      const i = p % N;
      if (i < 2) { for (let c = 0; c < 3; c++) expect(Q[3 * p + c]).toBeCloseTo(P[3 * p + c], 6); continue; }
      expect(Math.hypot(Q[3 * p] - Q[3 * p - 3], Q[3 * p + 1] - Q[3 * p - 2], Q[3 * p + 2] - Q[3 * p - 1])).toBeCloseTo(EDGE, 6);
      low = Math.min(low, (1 - place) * Q[3 * p - 2] + place * Q[3 * p + 1]);
    }
    // what the last edge lengths cost is under a millimetre
    expect(low).toBeGreaterThan(0.01 - 1e-3);
  });
  it('leaves alone what is outside, but for its lengths', () => {
    const { system, P } = hanging('float64', 2, -1, 1);
    for (let s = 0; s < 2; s++) for (let i = 2; i < N; i++) P[3 * (s * N + i) + 2] += 0.004 * i;
    system.standAt(P);
    keepOutside(system);
    const Q = after(system, 2);
    for (let p = 0; p < 2 * N; p++) if (p % N > 0) expect(Math.hypot(Q[3 * p] - Q[3 * p - 3], Q[3 * p + 1] - Q[3 * p - 2], Q[3 * p + 2] - Q[3 * p - 1])).toBeCloseTo(EDGE, 9);
    // each edge goes the way it went
    for (let p = 0; p < 2 * N; p++) if (p % N > 1) { const way = (X: Float64Array): number[] => { const v = [0, 1, 2].map((c) => X[3 * p + c] - X[3 * p - 3 + c]), l = Math.hypot(...v); return v.map((x) => x / l); }; way(P).forEach((v, c) => expect(way(Q)[c]).toBeCloseTo(v, 9)); }
  });
});
