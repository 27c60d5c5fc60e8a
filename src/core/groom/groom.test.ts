import { describe, expect, it } from 'vitest';
import { Surface } from '../mesh/surface';
import { Surroundings } from './around';
import { growGuide } from './grow';
import { placeGuides, restFrames, rootMotionsInto, rootPlace, scatterByArea, scatterEvenly } from './planting';
import { polylineLength, resampleByEdge, resampleEvenly } from './polyline';

/** A ball of radius 0.1 m as triangles. */
function ball(rows = 24): { positions: Float64Array; triangles: Uint32Array } {
  const P: number[] = [], T: number[] = [];
  for (let j = 0; j <= rows; j++) for (let i = 0; i <= 2 * rows; i++) {
    const a = (Math.PI * j) / rows, b = (Math.PI * i) / rows;
    P.push(0.1 * Math.sin(a) * Math.sin(b), 0.1 * Math.cos(a), 0.1 * Math.sin(a) * Math.cos(b));
  }
  for (let j = 0; j < rows; j++) for (let i = 0; i < 2 * rows; i++) {
    const a = j * (2 * rows + 1) + i, b = a + 2 * rows + 1;
    if (j > 0) T.push(a, b, a + 1);
    if (j < rows - 1) T.push(a + 1, b, b + 1);
  }
  return { positions: Float64Array.from(P), triangles: Uint32Array.from(T) };
}
const { positions, triangles } = ball();
const surface = new Surface(positions, triangles);
const allFaces = Uint32Array.from({ length: triangles.length / 3 }, (_, i) => i);
const upper = allFaces.filter((f) => surface.corners(f).every((c) => c[1] > 0.02));

describe('surface', () => {
  it('finds the nearest point, its face and weights', () => {
    const near = surface.nearest([0.3, 0.1, 0.2])!;
    expect(near.distance).toBeCloseTo(Math.hypot(0.3, 0.1, 0.2) - 0.1, 2);
    surface.place(near.face, near.barycentric).forEach((v, k) => expect(v).toBeCloseTo(near.point[k], 6));
    expect(near.normal[0] * 0.3 + near.normal[1] * 0.1 + near.normal[2] * 0.2).toBeGreaterThan(0);
    expect(surface.nearest([1, 1, 1], 0.1)).toBeNull();
  });
  it('meets a ray from outside', () => {
    expect(surface.raycast([0, 0.013, 1], [0, 0, -1])!.point[2]).toBeCloseTo(0.099, 2);
    expect(surface.raycast([0, 1, 1], [0, 0, -1])).toBeNull();
  });
});

describe('planting', () => {
  it('is even: no two roots closer than half the spacing of a square grid', () => {
    const planting = scatterEvenly(surface, upper, 200, 3);
    const area = Array.from(upper).reduce((s, f) => s + surface.area(f), 0), places = Array.from(planting.faces, (_, i) => rootPlace(surface, planting, i));
    let least = Infinity;
    places.forEach((p, i) => places.slice(i + 1).forEach((q) => { least = Math.min(least, Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2])); }));
    expect(least).toBeGreaterThan(0.5 * Math.sqrt(area / 200));
    expect(planting.faces.every((f) => upper.includes(f))).toBe(true);
  });
  it('is the same for the same seed, another for another', () => {
    expect(scatterEvenly(surface, upper, 40, 3)).toEqual(scatterEvenly(surface, upper, 40, 3));
    expect(scatterEvenly(surface, upper, 40, 3)).not.toEqual(scatterEvenly(surface, upper, 40, 4));
  });
  it('a smaller count is the beginning of a larger one', () => {
    const small = scatterByArea(surface, upper, 50, 1), large = scatterByArea(surface, upper, 500, 1);
    expect(large.faces.slice(0, 50)).toEqual(small.faces);
    expect(large.weights.slice(0, 100)).toEqual(small.weights);
  });
  it('refuses an empty plot', () => { expect(() => scatterEvenly(surface, [], 5, 1)).toThrow('faces: expected at least one face, got 0'); });

  it('roots follow a turned and moved mesh exactly, and so do guides rigidly', () => {
    const planting = scatterEvenly(surface, upper, 30, 2), frames = restFrames(planting, positions, triangles);
    const c = Math.cos(0.7), s = Math.sin(0.7);
    const moved = positions.map((_, i) => { const v = i - (i % 3), x = positions[v], y = positions[v + 1], z = positions[v + 2]; return [c * x - s * y + 0.5, s * x + c * y - 0.2, z + 3][i % 3]; });
    const motions = new Float64Array(7 * 30);
    rootMotionsInto(motions, planting, frames, moved, triangles);
    const offsets = Float32Array.from({ length: 3 * 4 * 30 }, (_, i) => (i % 12 < 3 ? 0 : Math.sin(i) * 0.1)), out = new Float64Array(offsets.length);
    placeGuides(offsets, motions, 4, out);
    for (let g = 0; g < 30; g++) {
      const [x, y, z] = rootPlace(surface, planting, g);
      for (let i = 0; i < 4; i++) {
        const o = 12 * g + 3 * i, p = [x + offsets[o], y + offsets[o + 1], z + offsets[o + 2]];
        expect(out[o]).toBeCloseTo(c * p[0] - s * p[1] + 0.5, 6);
        expect(out[o + 1]).toBeCloseTo(s * p[0] + c * p[1] - 0.2, 6);
        expect(out[o + 2]).toBeCloseTo(p[2] + 3, 6);
      }
    }
    const back = new Float32Array(offsets.length);
    placeGuides(out, motions, 4, back, true);
    back.forEach((v, i) => expect(v).toBeCloseTo(offsets[i], 5));
  });
});

describe('growing', () => {
  for (const lie of ['standing', 'falling'] as const) it(`${lie} guides have the length asked for and keep out of the skin`, () => {
    for (const f of [10, 200, 500, 900]) {
      const root = surface.place(f, [0.3, 0.3, 0.4]), guide = growGuide(surface, root, surface.normal(f), { length: 0.2, pointCount: 16, lie, lift: 0.01 });
      expect(polylineLength(guide)).toBeGreaterThan(0.19);
      expect(polylineLength(guide)).toBeLessThanOrEqual(0.2001);
      for (let i = 1; i < 16; i++) expect(Math.hypot(root[0] + guide[3 * i], root[1] + guide[3 * i + 1], root[2] + guide[3 * i + 2])).toBeGreaterThan(0.098);
    }
  });
  // what is worn: brute force by sampling the guide and every triangle's plane, none of the code that is tested
  const crossings = (guide: Float32Array, root: readonly number[], P: readonly number[], T: readonly number[]): number => {
    let n = 0;
    const at = (i: number): number[] => [0, 1, 2].map((c) => root[c] + guide[3 * i + c]), minus = (a: number[], b: number[]): number[] => a.map((v, c) => v - b[c]), cross = (a: number[], b: number[]): number[] => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]], dot = (a: number[], b: number[]): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
    for (let i = 1; i < guide.length / 3; i++) for (let t = 0; t < T.length; t += 3) {
      const [a, b, c] = [0, 1, 2].map((k) => P.slice(3 * T[t + k], 3 * T[t + k] + 3)), normal = cross(minus(b, a), minus(c, a)), p = at(i - 1), q = at(i), d0 = dot(normal, minus(p, a)), d1 = dot(normal, minus(q, a));
      if (!(d0 * d1 < 0)) continue;
      const x = p.map((v, k) => v + (d0 / (d0 - d1)) * (q[k] - v)), inside = [[a, b], [b, c], [c, a]].map(([u, w]) => dot(cross(minus(w, u), minus(x, u)), normal));
      if (inside.every((v) => v > 0)) n++;
    }
    return n;
  };
  const grid = (n: number, place: (u: number, v: number) => number[]): { P: number[]; T: number[] } => {
    const P: number[] = [], T: number[] = [];
    for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) P.push(...place(i / n, j / n));
    for (let j = 0; j < n; j++) for (let i = 0; i < n; i++) { const a = j * (n + 1) + i; T.push(a, a + 1, a + n + 1, a + 1, a + n + 2, a + n + 1); }
    return { P, T };
  };
  const worn = {
    // cloth under the head, aslant; a ruff round it like a bowl; and a funnel that closes below it, out of which there is no way
    'a slanting sheet': grid(12, (u, v) => [0.8 * (u - 0.5), -0.15 + 0.1 * (u - 0.5), 0.8 * (v - 0.5)]),
    'a ruff': grid(20, (u, v) => { const a = 2 * Math.PI * u, r = 0.03 + 0.2 * v; return [r * Math.cos(a), -0.2 + 0.18 * v * v, r * Math.sin(a)]; }),
    'a funnel': grid(20, (u, v) => { const a = 2 * Math.PI * u, r = 0.002 + 0.22 * v; return [r * Math.cos(a), -0.2 + 0.22 * v, r * Math.sin(a)]; }),
  };
  it.each(Object.entries(worn))('falling guides go round what is worn, and keep their length: %s', (_what, { P, T }) => {
    const around = new Surroundings({ positions: Float64Array.from(P), triangles: Uint32Array.from(T) }), counts = { through: 0, round: 0 };
    for (const f of upper.filter((_, k) => k % 29 === 0)) {
      const root = surface.place(f, [0.3, 0.3, 0.4]), options = { length: 0.34, pointCount: 40, lie: 'falling', lift: 0.01 } as const;
      const through = growGuide(surface, root, surface.normal(f), options), round = growGuide(surface, root, surface.normal(f), { ...options, around });
      if (crossings(through, root, P, T) > 0) counts.through++;
      if (crossings(round, root, P, T) > 0) counts.round++;
      expect(polylineLength(round)).toBeGreaterThan(0.99 * 0.34);
      for (let i = 1; i < 40; i++) expect(Math.hypot(root[0] + round[3 * i], root[1] + round[3 * i + 1], root[2] + round[3 * i + 2])).toBeGreaterThan(0.09);
    }
    expect(counts.through).toBeGreaterThan(20);
    expect(counts.round).toBe(0);
  });
  it('what is far from anything worn grows as without it', () => {
    const { P, T } = worn['a slanting sheet'], around = new Surroundings({ positions: Float64Array.from(P, (v, i) => v - (i % 3 === 1 ? 1 : 0)), triangles: Uint32Array.from(T) }), options = { length: 0.2, pointCount: 16, lie: 'falling', lift: 0.01 } as const;
    for (const f of [10, 200, 500]) { const root = surface.place(f, [0.3, 0.3, 0.4]); expect(growGuide(surface, root, surface.normal(f), { ...options, around })).toEqual(growGuide(surface, root, surface.normal(f), options)); }
  });
  it('resampling keeps ends and spacing', () => {
    const line = Float32Array.of(0, 0, 0, 1, 0, 0, 1, 2, 0);
    const out = resampleEvenly(line, 7);
    expect(Array.from(out.slice(-3))).toEqual([1, 2, 0]);
    for (let i = 0; i < 6; i++) expect(polylineLength(out, i, 2)).toBeCloseTo(0.5, 6);
    expect(polylineLength(resampleEvenly(line, 9, 0.8))).toBeCloseTo(0.8, 6);
    // as the crow flies, round a corner and back over where it has been
    const bent = [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 0, 0.1, 0], even = resampleByEdge(bent, 8, 0.4)!;
    for (let i = 0; i < 7; i++) expect(polylineLength(even, i, 2)).toBeCloseTo(0.4, 6);
    for (let i = 0; i < 8; i++) expect(Math.min(...[0, 3, 6, 9].map((o) => { const u = [0, 1].map((c) => bent[o + 3 + c] - bent[o + c]), w = [0, 1].map((c) => even[3 * i + c] - bent[o + c]), t = Math.max(0, Math.min(1, (u[0] * w[0] + u[1] * w[1]) / (u[0] ** 2 + u[1] ** 2))); return Math.hypot(w[0] - t * u[0], w[1] - t * u[1]); }))).toBeLessThan(1e-6);
    expect(resampleByEdge(bent, 12, 0.4)).toBeNull();
  });
});
