import { describe, expect, it } from 'vitest';
import { makeRandom } from '../math/random';
import { Surface } from '../mesh/surface';
import { EDGE, LOWER, LOWER_THEN, MOST_KEPT, Shell, UPPER, UPPER_THEN, type Candidate } from './shell';

const GAP = 0.001;
/** m: contacts are taken up so near, beyond the distance kept. */
const REACH = 0.0025;
type Place = [number, number, number];
interface Mesh { P: Float64Array; T: Uint32Array }

/** A closed wedge 4 cm long whose sharp edge lies along z at the origin; it opens toward −x. */
function wedge(): Mesh {
  const P: number[] = [], T: number[] = [], rows = 10, ring = 3;
  for (let k = 0; k <= rows; k++) { const z = 0.04 * (k / rows - 0.5); P.push(0, 0, z, -0.05, 0.004, z, -0.05, -0.004, z); }
  for (let k = 0; k < rows; k++) for (let i = 0; i < ring; i++) { const a = ring * k + i, b = ring * k + ((i + 1) % ring); T.push(a, a + ring, b, b, a + ring, b + ring); }
  T.push(0, 1, 2, ring * rows, ring * rows + 2, ring * rows + 1);
  return { P: Float64Array.from(P), T: Uint32Array.from(T) };
}
/** A closed needle of seven faces whose tip, at the origin, points along x. */
function needle(): Mesh {
  const P = [0, 0, 0], T: number[] = [], faces = 7;
  for (let i = 0; i < faces; i++) P.push(-0.05, 0.005 * Math.cos((2 * Math.PI * i) / faces), 0.005 * Math.sin((2 * Math.PI * i) / faces));
  P.push(-0.05, 0, 0);
  for (let i = 0; i < faces; i++) { const a = 1 + i, b = 1 + ((i + 1) % faces); T.push(0, a, b, faces + 1, b, a); }
  return { P: Float64Array.from(P), T: Uint32Array.from(T) };
}
/** Boxes (low and high corner, m) as one mesh of several parts. */
function boxes(...all: [Place, Place][]): Mesh {
  const P: number[] = [], T: number[] = [];
  all.forEach(([low, high], b) => {
    for (let k = 0; k < 8; k++) for (let c = 0; c < 3; c++) P.push((k >> c) & 1 ? high[c] : low[c]);
    for (const [p, q, r, s] of [[0, 4, 6, 2], [1, 3, 7, 5], [0, 1, 5, 4], [2, 6, 7, 3], [0, 2, 3, 1], [4, 5, 7, 6]]) T.push(8 * b + p, 8 * b + q, 8 * b + r, 8 * b + p, 8 * b + r, 8 * b + s);
  });
  return { P: Float64Array.from(P), T: Uint32Array.from(T) };
}

/** What an edge that stands still touches. */
const touched = (mesh: Mesh, lower: Place, upper: Place): readonly Candidate[] => asked(mesh, lower, upper).found;
function asked({ P, T }: Mesh, lower: Place, upper: Place): { shell: Shell; found: readonly Candidate[] } {
  const shell = new Shell(T, P, GAP, 0.3), E = new Float64Array(EDGE);
  expect(shell.closed).toBe(true);
  shell.begin(2);
  shell.frame(P, P);
  shell.build();
  shell.place(0, 1);
  shell.ready([-1, -1, -1, 1, 1, 1]);
  for (const [place, at] of [[LOWER, lower], [UPPER, upper], [LOWER_THEN, lower], [UPPER_THEN, upper]] as const) E.set(at, place);
  E[MOST_KEPT] = Infinity;
  for (const [p, at] of [[0, lower], [1, upper]] as const) shell.memory.places.set([...at, ...at], 6 * p);
  if (shell.scan(0, 2, 1e-5) === 0) return { shell, found: [] };
  shell.ask(1, false, E);
  return { shell, found: shell.candidates.slice(0, shell.count) };
}

describe('what an edge of a strand is said to touch of a mesh', () => {
  it.each([['a sharp edge', wedge()], ['a sharp tip', needle()]] as const)('is near it: beyond %s the plane of no face goes on', (_, mesh) => {
    // Source: brute force, the closest point of all triangles
    const surface = new Surface(mesh.P, mesh.T), random = makeRandom(7);
    let touching = 0, beyond = 0;
    for (let k = 0; k < 600; k++) {
      // from just over it, on either side, to somewhere beyond its end
      const side = k % 2 === 0 ? 1 : -1, x = -0.004 * random(), upper: Place = [x, side * (0.0008 + 0.002 * random() - 0.08 * x), 0.01 * (random() - 0.5)], lower: Place = [0.03 * random(), 0.012 * (random() - 0.5), 0.02 * (random() - 0.5)];
      const found = touched(mesh, lower, upper);
      if (found.length > 0) touching++;
      for (const c of found) {
        const spot = lower.map((v, q) => v + c.s * (upper[q] - v)) as Place;
        if (spot[0] > 0) beyond++;
        expect(surface.nearest(spot)!.distance).toBeLessThan(GAP + REACH + 1e-4);
      }
    }
    expect(touching).toBeGreaterThan(100);
    expect(beyond).toBeGreaterThan(50);
  });
  it('and how deep a place on it is then, is how far the nearest of all triangles is', () => {
    // two plates 2 mm thick, one over the other, and edges through both
    const low: Place = [-0.02, 0, -0.02], plates = boxes([low, [0.02, 0.002, 0.02]], [[-0.02, 0.006, -0.02], [0.02, 0.008, 0.02]]), surface = new Surface(plates.P, plates.T), random = makeRandom(3);
    let deep = 0;
    for (let k = 0; k < 60; k++) {
      const place = (y: number): Place => [0.02 * (random() - 0.5), y, 0.02 * (random() - 0.5)], lower = place(-0.002), upper = place(0.01), { shell } = asked(plates, lower, upper);
      for (let q = 1; q < 12; q++) {
        const A = Float64Array.from(lower, (v, c) => v + (q / 12) * (upper[c] - v)), inside = (A[1] > 0 && A[1] < 0.002) || (A[1] > 0.006 && A[1] < 0.008);
        expect(shell.depth(1, A, true)).toBeCloseTo(inside ? surface.nearest([A[0], A[1], A[2]])!.distance : 0, 9);
        if (inside) deep++;
      }
    }
    expect(deep).toBeGreaterThan(100);
  });
  it('is found in its middle too where nothing that its ends are near leads there', () => {
    // it lies over two walls 3 cm apart, and through a bar between them that touches neither
    const walls = boxes([[-0.02, -0.03, -0.02], [-0.014, 0, 0.02]], [[0.014, -0.03, -0.02], [0.02, 0, 0.02]], [[-0.002, -0.01, -0.02], [0.002, 0.0018, 0.02]]);
    const middle = touched(walls, [-0.016, 0.0015, 0], [0.016, 0.0015, 0.001]).filter((c) => c.s > 0.3 && c.s < 0.7);
    expect(middle.length).toBeGreaterThan(0);
    // the bar rises 0.3 mm above it, and wants its gap
    const least = Math.min(...middle.map((c) => c.gap));
    expect(least).toBeGreaterThan(-0.0003 - GAP - 1e-6);
    expect(least).toBeLessThan(-GAP);
    expect(middle.find((c) => c.gap === least)!.ny).toBeGreaterThan(0.9);
  });
  it('and looks again there: what comes up between the walls is met before it passes', () => {
    const rise = 0.0007, at = (k: number): Float64Array => { const { P } = boxes([[-0.02, -0.03, -0.02], [-0.014, 0, 0.02]], [[0.014, -0.03, -0.02], [0.02, 0, 0.02]], [[-0.002, -0.06, -0.02], [0.002, -0.02, 0.02]]); for (let a = 3 * 16 + 1; a < P.length; a += 3) P[a] += k * rise; return P; };
    const { T } = boxes([[0, 0, 0], [1, 1, 1]], [[0, 0, 0], [1, 1, 1]], [[0, 0, 0], [1, 1, 1]]), shell = new Shell(T, at(0), GAP, 0.3), E = new Float64Array(EDGE), lower: Place = [-0.016, 0.0015, 0], upper: Place = [0.016, 0.0015, 0.001];
    shell.begin(2);
    for (const [p, place] of [[0, lower], [1, upper]] as const) shell.memory.places.set([...place, ...place], 6 * p);
    let met = 0, looked = 0;
    for (let k = 0; k < 31; k++) {
      shell.frame(at(k), at(k + 1));
      shell.build();
      shell.place(0, 1);
      shell.ready([-1, -1, -1, 1, 1, 1]);
      for (const [place, spot] of [[LOWER, lower], [UPPER, upper], [LOWER_THEN, lower], [UPPER_THEN, upper]] as const) E.set(spot, place);
      E[MOST_KEPT] = Infinity;
      expect(shell.scan(0, 2, 1e-5)).toBeGreaterThan(0);
      shell.ask(1, false, E);
      const gap = 0.0015 - (-0.02 + (k + 1) * rise) - GAP, least = Math.min(Infinity, ...shell.candidates.slice(0, shell.count).filter((c) => c.s > 0.3 && c.s < 0.7).map((c) => c.gap));
      if (gap > REACH) { expect(least).toBeGreaterThan(REACH - 1e-4); looked++; continue; }
      expect(Math.abs(least - gap)).toBeLessThan(1e-6);
      met++;
    }
    expect(looked).toBeGreaterThan(20);
    expect(met).toBeGreaterThan(3);
  });
});
