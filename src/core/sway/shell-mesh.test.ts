import { BoxGeometry, PlaneGeometry, SphereGeometry, type BufferGeometry } from 'three';
import { describe, expect, it } from 'vitest';
import { makeRandom } from '../math/random';
import { Surface } from '../mesh/surface';
import { neighbours, weldByPosition } from '../mesh/surface';
import { SkinField } from '../mesh/skin-field';
import { PosedObstacles } from './push-out';
import { evenReach, layersOf, patchesOf } from './shell-mesh';
import { hiddenFaces } from './start-check';

interface Mesh { positions: Float64Array; triangles: Uint32Array }
/** Geometries put into one mesh, each moved along x, m. */
function joined(...parts: [BufferGeometry, number][]): Mesh {
  const P: number[] = [], T: number[] = [];
  for (const [g, x] of parts) {
    const base = P.length / 3, p = g.getAttribute('position').array;
    for (let k = 0; k < p.length; k++) P.push(p[k] + (k % 3 === 0 ? x : 0));
    for (const v of g.getIndex()!.array) T.push(base + v);
  }
  return { positions: Float64Array.from(P), triangles: Uint32Array.from(T) };
}
const ball = (r: number): SphereGeometry => new SphereGeometry(r, 32, 20);
const welded = ({ positions, triangles }: Mesh): { triangles: Uint32Array; opposite: Int32Array } => { const weld = weldByPosition(positions), t = triangles.map((v) => weld[v]).filter((_, k, all) => { const f = 3 * Math.floor(k / 3); return all[f] !== all[f + 1] && all[f + 1] !== all[f + 2] && all[f + 2] !== all[f]; }); return { triangles: t, opposite: neighbours(t) }; };

describe('layers of a mesh', () => {
  it('parts that overlap go to different layers, parts apart stay in one, and no face is lost', () => {
    const mesh = joined([ball(0.1), 0], [ball(0.05), 0.09], [ball(0.04), 0.5]), layers = layersOf(mesh.triangles, mesh.positions), middle = (l: Uint32Array): number[] => [...new Set(Array.from(l, (v) => Math.round(10 * mesh.positions[3 * v]) / 10))];
    expect(layers).toHaveLength(2);
    expect(layers.reduce((n, l) => n + l.length, 0)).toBe(mesh.triangles.length);
    // the large one and the one apart together
    expect(Math.max(...middle(layers[0]))).toBeGreaterThan(0.4);
    expect(Math.max(...middle(layers[1]))).toBeLessThan(0.2);
  });
  it('one part, and parts side by side, are the mesh itself; an open part stays with the largest', () => {
    const one = joined([ball(0.1), 0]), two = joined([ball(0.1), 0], [ball(0.1), 0.3]), patch = joined([ball(0.1), 0], [new PlaneGeometry(0.1, 0.1), 0.02]);
    for (const m of [one, two, patch]) expect(layersOf(m.triangles, m.positions)).toEqual([m.triangles]);
  });
  it('many in one place are told apart so far as there are layers', () => {
    const many = joined(...Array.from({ length: 9 }, (_, k): [BufferGeometry, number] => [ball(0.1), 0.01 * k])), layers = layersOf(many.triangles, many.positions);
    expect(layers).toHaveLength(6);
    expect(layers.reduce((n, l) => n + l.length, 0)).toBe(many.triangles.length);
  });
});

describe('how far a mesh is as good as flat', () => {
  it('on a ball as far as its normals turn by the angle that counts, on a box as far as its nearest edge', () => {
    const round = joined([new SphereGeometry(0.05, 96, 64), 0]), w = welded(round), reach = evenReach(w.triangles, w.opposite, round.positions), surface = new Surface(round.positions, w.triangles);
    // cos 14.07° = 0.97, by a chord of 2 r sin(angle/2) = 12 mm; faces are some millimetres
    for (let f = 0; f < reach.length; f += 37) if (Math.abs(surface.place(f, [1 / 3, 1 / 3, 1 / 3])[1]) < 0.04) { expect(reach[f]).toBeGreaterThan(0.0085); expect(reach[f]).toBeLessThan(0.0149); }
    const box = joined([new BoxGeometry(0.1, 0.1, 0.1, 20, 20, 20), 0]), b = welded(box), even = evenReach(b.triangles, b.opposite, box.positions), faces = new Surface(box.positions, b.triangles);
    for (let f = 0; f < even.length; f++) { const m = faces.place(f, [1 / 3, 1 / 3, 1 / 3]).map(Math.abs).sort((p, q) => p - q), edge = 0.05 - m[1]; if (edge < 0.009) expect(even[f]).toBeLessThan(edge + 0.006); }
  });
  it('patches hold every triangle once', () => {
    const mesh = joined([ball(0.1), 0]), w = welded(mesh), { order, starts } = patchesOf(w.triangles, w.opposite, mesh.positions);
    expect([...order].sort((a, b) => a - b)).toEqual(Array.from({ length: w.triangles.length / 3 }, (_, f) => f));
    expect(starts[starts.length - 1]).toBe(order.length);
  });
});

describe('faces inside their own mesh', () => {
  const mesh = joined([ball(0.1), 0], [ball(0.06), 0.1]), surface = new Surface(mesh.positions, mesh.triangles), hidden = hiddenFaces(mesh.positions, mesh.triangles, 1);
  it('are those of either ball that lie in the other, told by their distances to both middles', () => {
    let wrong = 0;
    for (let f = 0; f < hidden.length; f++) {
      const p = surface.place(f, [1 / 3, 1 / 3, 1 / 3]), first = f < ball(0.1).getIndex()!.count / 3, other = first ? Math.hypot(p[0] - 0.1, p[1], p[2]) - 0.06 : Math.hypot(...p) - 0.1;
      if (Math.abs(other) < 0.002) continue;
      if ((other < 0) !== hidden[f] > 0) wrong++;
      // all of it, or its middle alone: by how deep its corners are in the other ball
      const deepest = (c: number): number => { const v = 3 * mesh.triangles[3 * f + c], [x, y, z] = [mesh.positions[v], mesh.positions[v + 1], mesh.positions[v + 2]]; return first ? Math.hypot(x - 0.1, y, z) - 0.06 : Math.hypot(x, y, z) - 0.1; }, outermost = Math.max(deepest(0), deepest(1), deepest(2));
      if (outermost < -0.002 && hidden[f] !== 1) wrong++;
      if (outermost > 0.002 && hidden[f] === 1) wrong++;
    }
    expect(wrong).toBe(0);
    expect(hidden.filter((v) => v === 1).length).toBeGreaterThan(20);
    expect(hidden.filter((v) => v === 2).length).toBeGreaterThan(5);
  });
  it('a ray tells how often the mesh goes round a place', () => {
    expect([surface.around([-0.05, 0, 0.001], [0, 0.6, 0.8]), surface.around([0.07, 0.001, 0], [0, 0.6, 0.8]), surface.around([0.3, 0, 0], [0, 0.6, 0.8])]).toEqual([1, 2, 0]);
  });
  it('left out, the distance of a place inside is that to what is seen of the mesh, inside', () => {
    const all = new SkinField(mesh.positions, mesh.triangles, true, 1, 0.03), seen = new SkinField(mesh.positions, mesh.triangles, true, 1, 0.03, null, hidden), n = new Float64Array(3), random = makeRandom(5);
    // close to the large ball's hidden cap, within the small one: outside of the large, inside of both together
    const p = Float64Array.of(0.104, 0, 0.001);
    expect(all.at(p, 0, p, 0, n)).toBeGreaterThan(0);
    expect(seen.at(p, 0, p, 0, n)).toBeLessThan(0);
    // elsewhere nothing changes
    for (let k = 0; k < 60; k++) { const a = 2 * Math.PI * random(), r = 0.085 + 0.03 * random(), q = Float64Array.of(-Math.abs(r * Math.cos(a)), r * Math.sin(a), 0.01); expect(seen.at(q, 0, q, 0, n)).toBeCloseTo(all.at(q, 0, q, 0, n), 9); }
  });
});

describe('strands at a thin wall', () => {
  it('of those that end in it or go through it none is left in it, and lengths stay', () => {
    const wall = new BoxGeometry(0.2, 0.1, 0.004, 40, 20, 1).toNonIndexed(), P = Float64Array.from(wall.getAttribute('position').array), T = Uint32Array.from({ length: P.length / 3 }, (_, k) => k), random = makeRandom(23), n = 8, edge = 0.014;
    // bent, as a collar is, so that both its faces are near in more ways than one
    for (let v = 0; v < P.length; v += 3) { const a = P[v] / 0.05, r = 0.05 + P[v + 2]; P[v] = r * Math.sin(a); P[v + 2] = r * Math.cos(a); }
    const posed = new PosedObstacles({ pills: [], floors: [], shells: [{ triangles: T, closed: true }] }, [], [P], [-0.2, -0.2, -0.2, 0.2, 0.2, 0.2]);
    let lifted = 0, left = 0;
    for (let s = 0; s < 3000; s++) {
      const Q = new Float64Array(3 * n), a = 4 * (random() - 0.5), y = 0.06 * (random() - 0.5), lean = 1.6 * (random() - 0.5), begin = 0.02 + 0.1 * random();
      for (let i = 0; i < n; i++) { const r = 0.05 + (i * edge - begin) * Math.cos(lean), b = a + (i * edge * Math.sin(lean)) / 0.08; Q.set([r * Math.sin(b), y, r * Math.cos(b)], 3 * i); }
      const before = Q.slice(), length = (R: Float64Array, i: number): number => Math.hypot(R[3 * i] - R[3 * i - 3], R[3 * i + 1] - R[3 * i - 2], R[3 * i + 2] - R[3 * i - 1]), depth = (R: Float64Array, i: number): number => Math.max(0, 0.002 - Math.abs(Math.hypot(R[3 * i], R[3 * i + 2]) - 0.05));
      // what is rooted inside is let be
      if ([0, 1, 2].some((i) => depth(Q, i) > 0) || !(posed.sweep(Q, 0, n) > 0)) continue;
      lifted++;
      for (let i = 1; i < n; i++) expect(length(Q, i)).toBeCloseTo(length(before, i), 9);
      const end = Math.PI - 0.6;
      if (Array.from({ length: n - 1 }, (_, k) => k + 1).some((i) => Math.abs(Q[3 * i + 1]) < 0.049 && Math.abs(Math.atan2(Q[3 * i], Q[3 * i + 2])) < Math.min(2, end) - 0.05 && depth(Q, i) > 3e-4)) left++;
    }
    expect(lifted).toBeGreaterThan(500);
    expect(left).toBe(0);
  });
});
