import { SphereGeometry, Triangle, Vector3 } from 'three';
import { describe, expect, it } from 'vitest';
import { OF_STRAND, STRAND_NUMBERS } from '../proof/strand-meter';
import { makeRandom } from '../math/random';
import type { FrameMeasures } from './run-report';
import { Shell } from './shell';
import { Soundings } from './soundings';

const N = 8, GUIDES = 40, RADIUS = 0.1, BEFORE = 3;
/** A ball of triangles about the origin, and with `hole` one that is open at the top. */
function ball(hole = 0): { P: Float64Array; T: Uint32Array } {
  const g = new SphereGeometry(RADIUS, 40, 30, 0, 2 * Math.PI, hole, Math.PI - hole);
  return { P: Float64Array.from(g.attributes.position.array), T: Uint32Array.from(g.index!.array) };
}
/** m: distance to the nearest of all triangles, by three.js. */
function farFrom({ P, T }: { P: Float64Array; T: Uint32Array }, x: number[]): number {
  const place = new Vector3(...x), corner = (h: number): Vector3 => new Vector3(P[3 * T[h]], P[3 * T[h] + 1], P[3 * T[h] + 2]), on = new Vector3();
  let least = Infinity;
  for (let t = 0; t < T.length; t += 3) least = Math.min(least, new Triangle(corner(t), corner(t + 1), corner(t + 2)).closestPointToPoint(place, on).distanceTo(place));
  return least;
}
const measures = (depth: number): FrameMeasures => ({ frame: 7, stretch: 0, stretchGuide: -1, depth, depthGuide: depth > 0 ? 0 : -1, netUses: 0, contacts: 0, press: 0, broken: [], volume: 1 });
const system = { start: Int32Array.from({ length: GUIDES + 1 }, (_, g) => N * g), strandCount: GUIDES };
/** Strands that go from outside into the ball, each so far; rooted up to point 1. */
function strands(): Float64Array {
  const random = makeRandom(3), x = new Float64Array(3 * N * GUIDES);
  for (let g = 0; g < GUIDES; g++) {
    const way = [random() - 0.5, random() - 0.5, random() - 0.5], l = Math.hypot(...way), far = 0.02 + 0.07 * random();
    for (let i = 0; i < N; i++) { const r = RADIUS + 0.02 - (far * i) / (N - 1) - 0.02 * (i / (N - 1)); for (let c = 0; c < 3; c++) x[3 * (N * g + i) + c] = (r * way[c]) / l; }
  }
  return x;
}
const seen = (depth: number, collider = BEFORE): Float32Array => Float32Array.from({ length: STRAND_NUMBERS * GUIDES }, (_, k) => (k % STRAND_NUMBERS === OF_STRAND.depth ? depth : k % STRAND_NUMBERS === OF_STRAND.collider ? collider : 0));

describe('strands that contact has lost', () => {
  const mesh = ball(), shell = new Shell(mesh.T, mesh.P, 0.001, 0.2), worn = [{ before: mesh.P, triangles: mesh.T, shell }], free = { isRooted: () => false }, x = strands();
  it('are as deep as the nearest of all triangles is far, with the strand and the mesh', () => {
    const numbers = seen(0.003), out = new Soundings(worn, [new Uint8Array(N * GUIDES)], BEFORE).take(measures(0.003), system, x, free, numbers);
    let worst = 0, at = -1;
    for (let g = 0; g < GUIDES; g++) {
      const tip = 3 * (N * g + N - 1), depth = farFrom(mesh, [x[tip], x[tip + 1], x[tip + 2]]);
      expect(numbers[STRAND_NUMBERS * g + OF_STRAND.depth]).toBeCloseTo(depth, 6);
      expect(numbers[STRAND_NUMBERS * g + OF_STRAND.collider]).toBe(BEFORE);
      if (depth > worst) { worst = depth; at = g; }
    }
    expect(out.depthGuide).toBe(at);
    expect(out.depth).toBeCloseTo(worst, 4);
    expect(out.depth).toBeGreaterThan(0.05);
  });
  it('are not asked about where nothing is seen below a surface, and what began inside, or is rooted there, is let be', () => {
    const outside = seen(1e-4), began = seen(0.003), rooted = seen(0.003), m = measures(1e-4);
    expect(new Soundings(worn, [new Uint8Array(N * GUIDES)], BEFORE).take(m, system, x, free, outside)).toBe(m);
    expect(outside).toEqual(seen(1e-4));
    expect(new Soundings(worn, [new Uint8Array(N * GUIDES).fill(1)], BEFORE).take(measures(0.003), system, x, free, began).depth).toBe(0.003);
    expect(new Soundings(worn, [new Uint8Array(N * GUIDES)], BEFORE).take(measures(0.003), system, x, { isRooted: () => true }, rooted).depth).toBe(0.003);
    // a sheet has no inside
    expect(new Soundings(worn, [null], BEFORE).take(measures(0.003), system, x, free, seen(0.003)).depth).toBe(0.003);
    // below a pill it is as deep as that says
    expect(new Soundings(worn, [new Uint8Array(N * GUIDES)], BEFORE).take(measures(0.003), system, x, free, seen(0.003, 1)).depth).toBe(0.003);
  });
  it('a mesh whose faces look inwards, and one with an opening, have an inside all the same', () => {
    for (const { P, T } of [{ P: mesh.P, T: mesh.T.map((_, h) => mesh.T[h - (h % 3) + [0, 2, 1][h % 3]]) }, ball(0.12)]) {
      const numbers = seen(0.003, 0);
      new Soundings([{ before: P, triangles: T, shell: new Shell(T, P, 0.001, 0.2) }], [new Uint8Array(N * GUIDES)], 0).take(measures(0.003), system, x, free, numbers);
      for (let g = 0; g < GUIDES; g++) if (x[3 * (N * g + N - 1) + 1] < 0.02) expect(numbers[STRAND_NUMBERS * g + OF_STRAND.depth]).toBeGreaterThan(0.015);
    }
  });
});
