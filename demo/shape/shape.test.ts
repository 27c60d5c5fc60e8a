import { describe, expect, it } from 'vitest';
import { clipMesh, loft, thicken } from './cloth';
import { evenLines, extract, fieldOpenness, gridLines, neighbourLists } from './extract';
import { capsule, chain, curve, ellipsoid, flatCapsule, gradientInto, smoothMax, smoothMin, spline } from './field';
import { distanceWeights, packWeights, sampleKeys, turn, type Bone } from './rig';

describe('fields', () => {
  it('a capsule is the distance to its axis less its radius', () => {
    const f = capsule([0, 0, 0], [0, 100, 0], 10, 20);
    expect(f(30, 0, 0)).toBeCloseTo(20, 9);
    expect(f(30, 100, 0)).toBeCloseTo(10, 9);
    expect(f(0, -25, 0)).toBeCloseTo(15, 9);
  });
  it('a ball as an ellipsoid, a turned one, a chain and a flat capsule have their surfaces where they should', () => {
    const ball = ellipsoid(1, 2, 3, 5, 5, 5), long = ellipsoid(0, 0, 0, 10, 4, 4, [0, 0, 90]);
    expect(ball(9, 2, 3)).toBeCloseTo(3, 6);
    expect(long(0, 10, 0)).toBeCloseTo(0, 6);
    expect(long(4, 0, 0)).toBeCloseTo(0, 6);
    expect(chain([[0, 0, 0, 2], [10, 0, 0, 2], [10, 10, 0, 2]])(10, 12, 0)).toBeCloseTo(0, 9);
    expect(flatCapsule([0, 0, 0], [0, 10, 0], 2, 2, [1, 0, 0], 2)(4, 5, 0)).toBeCloseTo(0, 9);
  });
  it('smooth minima are rounded only near the seam', () => {
    expect(smoothMin(1, 5, 2)).toBe(1);
    expect(smoothMin(1, 1, 2)).toBeCloseTo(0.5, 9);
    expect(smoothMax(1, 1, 2)).toBeCloseTo(1.5, 9);
    expect(smoothMin(3, 4, 0)).toBe(3);
  });
  it('curves and splines go through their keys', () => {
    const c = curve([[0, 1], [2, 5], [3, 4]]);
    expect([c(-1), c(0), c(2), c(3), c(9)]).toEqual([1, 1, 5, 4, 4]);
    const s = spline([[0, 0], [1, 2], [3, 3]], 8);
    expect(s[0]).toEqual([0, 0]);
    expect(s[4]).toEqual([1, 2]);
    expect(s[8]).toEqual([3, 3]);
  });
  it('the gradient points outward with length one on a distance', () => {
    const g = gradientInto(ellipsoid(0, 0, 0, 5, 5, 5), 3, 4, 12, 0.001, []);
    expect(Math.hypot(...g)).toBeCloseTo(1, 4);
    expect(g[2] / g[0]).toBeCloseTo(4, 3);
  });
});

describe('extraction', () => {
  it('a ball comes out closed, on its surface, with outward normals', async () => {
    const radius = 20, f = ellipsoid(0, 0, 0, radius, radius, radius), lines = evenLines(-25, 25, 2.5);
    const mesh = await extract(f, lines, lines, lines, 900, 0.3, { eps: 0.2 });
    expect(mesh.triangles.length / 3).toBeGreaterThan(200);
    for (let v = 0; v < mesh.positions.length; v += 3) {
      const p = mesh.positions.subarray(v, v + 3), r = Math.hypot(p[0], p[1], p[2]);
      expect(r).toBeCloseTo(radius, 1);
      expect((p[0] * mesh.normals[v] + p[1] * mesh.normals[v + 1] + p[2] * mesh.normals[v + 2]) / r).toBeGreaterThan(0.99);
    }
    const edges = new Map<string, number>();
    for (let t = 0; t < mesh.triangles.length; t += 3) for (let k = 0; k < 3; k++) {
      const a = mesh.triangles[t + k], b = mesh.triangles[t + ((k + 1) % 3)], key = a < b ? `${a} ${b}` : `${b} ${a}`;
      edges.set(key, (edges.get(key) ?? 0) + 1);
    }
    expect([...edges.values()].every((n) => n === 2)).toBe(true);
    const open = fieldOpenness(f, mesh.positions, mesh.normals, [2, 5]);
    expect(Math.min(...open)).toBeGreaterThan(0.9);
  });
  it('grid lines are finer where asked, and reach the end', () => {
    const lines = gridLines([[0, 4], [10, 1], [20, 4]]);
    expect(lines[0]).toBe(0);
    expect(lines.at(-1)).toBeGreaterThanOrEqual(20);
    const steps = Array.from(lines.slice(1), (v, i) => v - lines[i]);
    expect(Math.min(...steps)).toBeLessThan(1.6);
    expect(steps[0]).toBeGreaterThan(2.5);
  });
});

describe('cloth', () => {
  const square = { positions: Float64Array.of(0, 0, 0, 4, 0, 0, 4, 4, 0, 0, 4, 0), triangles: Uint32Array.of(0, 1, 2, 0, 2, 3), normals: Float32Array.of(0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1) };
  const area = (P: ArrayLike<number>, T: ArrayLike<number>): number => {
    let sum = 0;
    for (let t = 0; t < T.length; t += 3) {
      const [a, b, c] = [3 * T[t], 3 * T[t + 1], 3 * T[t + 2]];
      sum += 0.5 * ((P[b] - P[a]) * (P[c + 1] - P[a + 1]) - (P[c] - P[a]) * (P[b + 1] - P[a + 1]));
    }
    return sum;
  };
  it('cutting leaves exactly the part that is kept', () => {
    const cut = clipMesh(square.positions, square.triangles, (x) => 3 - x);
    expect(area(cut.positions, cut.triangles)).toBeCloseTo(12, 9);
    expect(clipMesh(square.positions, square.triangles, () => -1).triangles.length).toBe(0);
  });
  it('a thickened sheet is closed and keeps its outer face', () => {
    const thick = thicken(square, 0.5), depths = new Set(Array.from(thick.positions).filter((_, i) => i % 3 === 2));
    expect(depths).toEqual(new Set([0, -0.5]));
    expect(thick.triangles.length / 3).toBe(2 + 2 + 8);
  });
  it('a loft of rings has caps, or none, or joins its ends', () => {
    const rings = [0, 1, 2].map((z) => Array.from({ length: 6 }, (_, i) => [Math.cos((i * Math.PI) / 3), Math.sin((i * Math.PI) / 3), z]));
    expect(loft(rings).triangles.length / 3).toBe(24 + 12);
    expect(loft(rings, { capEnds: false }).triangles.length / 3).toBe(24);
    expect(loft(rings, { cyclic: true }).triangles.length / 3).toBe(36);
  });
  it('neighbours are mutual', () => {
    const near = neighbourLists(4, square.triangles);
    near.forEach((list, v) => { for (const u of list) expect(near[u]).toContain(v); });
  });
});

describe('rig', () => {
  const bones: Bone[] = [{ name: 'a', parent: -1, head: [0, 0, 0], tail: [0, 1, 0], reach: 0.2 }, { name: 'b', parent: 0, head: [0, 1, 0], tail: [0, 2, 0], reach: 0.2 }];
  it('weights sum to 1 and fall from one bone to the next', () => {
    const P = Float64Array.from([0.1, 0.2, 0, 0.1, 1, 0, 0.1, 1.8, 0]), W = distanceWeights(P, Uint32Array.of(0, 1, 2), bones, ['a', 'b'], 4, 0);
    for (const row of W) expect(row[0] + row[1]).toBeCloseTo(1, 6);
    expect(W[0][0]).toBeGreaterThan(0.9);
    expect(W[1][0]).toBeCloseTo(0.5, 6);
    expect(W[2][1]).toBeGreaterThan(0.9);
    const { weights } = packWeights(W);
    for (let v = 0; v < 3; v++) expect(weights[4 * v] + weights[4 * v + 1] + weights[4 * v + 2] + weights[4 * v + 3]).toBeCloseTo(1, 6);
  });
  it('turns are unit quaternions; keys are met and cyclic clips close', () => {
    expect(Math.hypot(...turn(30, -50, 170))).toBeCloseTo(1, 12);
    expect(turn(0, 90, 0)[1]).toBeCloseTo(Math.SQRT1_2, 9);
    const keys = sampleKeys([[0, [1]], [0.5, [3]], [1, [1]]], 1, 24, true);
    expect(keys).toHaveLength(25);
    expect([keys[0][1][0], keys[12][1][0], keys[24][1][0]]).toEqual([1, 3, 1]);
  });
});
