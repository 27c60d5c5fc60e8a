import { describe, expect, it } from 'vitest';
import { makeRandom } from '../math/random';
import { Surface } from '../mesh/surface';
import { NearMemory } from './fast/near-memory';
import type { NearShell } from './fast/near-shell';
import { Shell } from './shell';

const N = 16, GAP = 0.001, REACH = 0.0025, FRAMES = 6, SUBSTEPS = 4;

/** A ball of 8 cm that turns and goes about, at share `t` of its way. */
function ballAt(t: number): { P: Float64Array; T: Uint32Array } {
  const P: number[] = [], T: number[] = [], rings = 16, round = 24;
  for (let j = 0; j <= rings; j++) for (let i = 0; i < round; i++) {
    const a = (Math.PI * j) / rings, b = (2 * Math.PI * i) / round + 1.2 * t;
    P.push(0.08 * Math.sin(a) * Math.cos(b) + 0.15 * t, 0.08 * Math.cos(a), 0.08 * Math.sin(a) * Math.sin(b) - 0.05 * t);
  }
  for (let j = 0; j < rings; j++) for (let i = 0; i < round; i++) { const a = j * round + i, b = j * round + ((i + 1) % round); if (j > 0) T.push(a, b, a + round); if (j < rings - 1) T.push(b, b + round, a + round); }
  return { P: Float64Array.from(P), T: Uint32Array.from(T) };
}
const searchOf = (shell: Shell): NearShell => (shell as unknown as { faces: { search: NearShell } }).faces.search;
/** A shell of a ball that stands still, asked about by four points in a row, from just inside it outwards. */
function standing(P: Float64Array, T: Uint32Array, memory?: NearMemory): Shell {
  const shell = new Shell(T, P, GAP, 0.3, false, false, memory);
  shell.begin(4);
  shell.frame(P, P);
  shell.build();
  shell.place(0, 1);
  shell.ready([-1, -1, -1, 1, 1, 1]);
  for (let p = 0; p < 4; p++) for (let e = 0; e < 6; e += 3) shell.memory.places.set([0.0795 + 0.001 * p, 0, 0], 6 * p + e);
  return shell;
}
const between = (a: Float64Array, b: Float64Array, t: number): Float64Array => a.map((v, i) => v + t * (b[i] - v));

describe('looking after what hair follows of a mesh', () => {
  it('forgets nothing that can be touched: what follows nothing is farther than contacts are taken up, now and where it would go', () => {
    const strands = 40, points = strands * N, random = makeRandom(3), first = ballAt(0), shell = new Shell(first.T, first.P, GAP, 0.3), speeds = new Float64Array(3 * points);
    shell.begin(points);
    const { places } = shell.memory;
    // strands that stand about the ball's way, each point with a way of its own
    for (let s = 0; s < strands; s++) {
      const turn = 2 * Math.PI * random(), x = 0.15 * random(), far = 0.075 + 0.04 * random();
      for (let i = 0; i < N; i++) { const o = 6 * (s * N + i); places[o] = x + far * Math.cos(turn); places[o + 1] = 0.1 * (i / N - 0.5); places[o + 2] = far * Math.sin(turn); for (let c = 0; c < 3; c++) speeds[3 * (s * N + i) + c] = 0.004 * (random() - 0.5); }
    }
    let near = 0, away = 0;
    for (let f = 0; f < FRAMES; f++) {
      const from = ballAt(f / FRAMES).P, to = ballAt((f + 1) / FRAMES).P;
      shell.frame(from, to);
      shell.build();
      for (let k = 0; k < SUBSTEPS; k++) {
        shell.place(k / SUBSTEPS, (k + 1) / SUBSTEPS);
        shell.ready([-1, -1, -1, 1, 1, 1]);
        const now = new Surface(between(from, to, k / SUBSTEPS), first.T), then = new Surface(between(from, to, (k + 1) / SUBSTEPS), first.T);
        for (let p = 0; p < points; p++) for (let c = 0; c < 3; c++) { if (f + k > 0) places[6 * p + c] = places[6 * p + 3 + c]; places[6 * p + 3 + c] = places[6 * p + c] + speeds[3 * p + c]; }
        for (let s = 0; s < strands; s++) {
          let drift = 0;
          for (let p = s * N; p < (s + 1) * N; p++) drift = Math.max(drift, Math.hypot(speeds[3 * p], speeds[3 * p + 1], speeds[3 * p + 2]));
          const alive = shell.scan(s * N + 1, (s + 1) * N, drift + 1e-5);
          let counted = 0;
          for (let p = s * N + 1; p < (s + 1) * N; p++) {
            if (shell.alive[p] === 1) counted++;
            const o = 6 * p, least = Math.min(now.nearest([places[o], places[o + 1], places[o + 2]])!.distance, then.nearest([places[o + 3], places[o + 4], places[o + 5]])!.distance);
            if (least < GAP + REACH) { near++; expect(shell.alive[p]).toBe(1); expect(shell.follows(p)).toBe(true); } else if (shell.alive[p] === 0) away++;
          }
          expect(alive).toBe(counted);
        }
      }
    }
    expect(near).toBeGreaterThan(300);
    expect(away).toBeGreaterThan(3000);
  });
  it('knows nothing more of what it has been told to leave', () => {
    const { P, T } = ballAt(0), shell = standing(P, T);
    expect(shell.scan(1, 4, 1e-5)).toBe(3);
    expect([1, 2, 3].map((p) => shell.follows(p))).toEqual([true, true, true]);
    shell.leave(0, 4);
    expect([1, 2, 3].map((p) => shell.follows(p))).toEqual([false, false, false]);
  });
  it('keeps to itself beside another in the same memory, and takes in what was known in another run, though the memory grows meanwhile', () => {
    const { P, T } = ballAt(0), memory = new NearMemory(), one = standing(P, T, memory), two = standing(P.map((v) => 2 * v), T, memory), later = new Shell(T, P, GAP, 0.3);
    const known = (shell: Shell): number[][] => { const { hits, sides, budgets, rates, lookedIn } = searchOf(shell); return [hits, sides, budgets, rates, lookedIn].map((a) => [...a]); };
    expect(one.scan(1, 4, 1e-5)).toBe(3);
    expect(two.scan(1, 4, 1e-5)).toBe(0);
    const before = known(one);
    memory.take(64 << 20);
    expect(known(one)).toEqual(before);
    expect(two.scan(1, 4, 1e-5)).toBe(0);
    const { hits, sides, budgets, rates, lookedIn } = searchOf(one), search = searchOf(later);
    Object.assign(search, { hits: hits.slice(), sides: sides.slice(), budgets: budgets.slice(), rates: rates.slice(), lookedIn: lookedIn.slice() });
    search.view();
    later.frame(P, P);
    expect(known(later)).toEqual(before);
    expect([1, 2, 3].map((p) => later.follows(p))).toEqual([true, true, true]);
  });
});
