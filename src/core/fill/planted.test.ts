import { describe, expect, it } from 'vitest';
import { asSmallMesh, BUILT_IN, builtIn, layAlong, packSmallMesh, unpackSmallMesh, type SmallMesh } from './planted';

/** Outward volume of a closed mesh, and its edges that are not shared by two faces that run against each other. */
function closedness({ positions: P, indices: T }: SmallMesh): { volume: number; open: number } {
  const at = (v: number): string => [0, 1, 2].map((c) => P[3 * v + c].toFixed(6)).join(), edges = new Map<string, number>();
  let volume = 0;
  for (let t = 0; t < T.length; t += 3) {
    const [a, b, c] = [0, 1, 2].map((k) => P.subarray(3 * T[t + k], 3 * T[t + k] + 3));
    volume += (a[0] * (b[1] * c[2] - b[2] * c[1]) + a[1] * (b[2] * c[0] - b[0] * c[2]) + a[2] * (b[0] * c[1] - b[1] * c[0])) / 6;
    for (let k = 0; k < 3; k++) { const u = at(T[t + k]), v = at(T[t + ((k + 1) % 3)]); if (u !== v) { edges.set(`${u} ${v}`, (edges.get(`${u} ${v}`) ?? 0) + 1); } }
  }
  return { volume, open: [...edges.keys()].filter((e) => !edges.has(e.split(' ').reverse().join(' '))).length };
}
/** Strands along x that stand on skin facing up, with so many nodes. */
const along = (nodes: number, count = 2): { points: Float32Array; shares: Float64Array; normals: Float32Array } => ({
  points: Float32Array.from({ length: 3 * nodes * count }, (_, i) => (i % 3 === 0 ? (0.1 * (Math.floor(i / 3) % nodes)) / (nodes - 1) : i % 3 === 2 ? Math.floor(i / (3 * nodes)) : 0)),
  shares: Float64Array.from({ length: nodes }, (_, k) => k / (nodes - 1)), normals: Float32Array.from({ length: 3 * count }, (_, i) => (i % 3 === 1 ? 1 : 0)),
});

describe('small meshes', () => {
  it('that are built in stand from 0 to 1, their faces outwards', () => {
    for (const name of BUILT_IN) {
      const m = builtIn(name), ys = Array.from(m.positions.filter((_, i) => i % 3 === 1));
      expect(Math.min(...ys)).toBeGreaterThan(-0.08);
      expect(Math.max(...ys)).toBeCloseTo(1, 5);
      for (let v = 0; v < m.normals.length; v += 3) expect(Math.hypot(m.normals[v], m.normals[v + 1], m.normals[v + 2])).toBeCloseTo(1, 5);
      if (name !== 'feather') expect(closedness(m).volume).toBeGreaterThan(0);
    }
  });
  it('of one’s own are stood up along their longest way, never mirrored, thick end at the root', () => {
    // a closed wedge along each axis, thick at its far end; its volume keeps its sign
    const wedge = [0, 0, 0, 10, 1, 0, 10, -1, 1, 10, -1, -1], faces = [0, 1, 2, 0, 2, 3, 0, 3, 1, 1, 3, 2], volume = closedness({ positions: Float32Array.from(wedge), normals: new Float32Array(12), indices: Uint32Array.from(faces) }).volume;
    for (const turn of [0, 1, 2]) {
      const turned = wedge.map((_, i) => wedge[3 * Math.floor(i / 3) + ((i % 3) + turn) % 3]);
      for (const flip of [false, true]) {
        const m = asSmallMesh(turned, faces, flip);
        expect([0, 1, 2, 3].map((v) => m.positions[3 * v + 1])).toEqual(flip ? [0, 1, 1, 1] : [1, 0, 0, 0]);
        expect(closedness(m)).toMatchObject({ open: 0 });
        expect(closedness(m).volume).toBeCloseTo(volume / 1000, 8);
      }
    }
  });
  it('too large or without faces are refused in words', () => {
    expect(() => asSmallMesh(new Float32Array(3 * 6000), [0, 1, 2], false)).toThrow('has 6,000 vertices; what is planted thousands of times has at most 5,000');
    expect(() => asSmallMesh([0, 0, 0, 1, 0, 0], [], false)).toThrow('has no faces');
    expect(() => asSmallMesh([1, 1, 1, 1, 1, 1, 1, 1, 1], [0, 1, 2], false)).toThrow('has no length');
  });
  it('come back from their bytes as they were', () => { const m = builtIn('feather'); expect(unpackSmallMesh(packSmallMesh(m))).toEqual(m); });
});

describe('meshes along strands', () => {
  const mesh: SmallMesh = { positions: Float32Array.of(0, 0, 0, 0, 1, 0, 0.1, 0.5, 0, 0, 0.25, 0.1), normals: Float32Array.of(0, 0, 1, 0, 0, 1, 1, 0, 0, 0, 0, 1), indices: Uint32Array.of(0, 1, 2, 0, 2, 3) };
  it('are as wide at each place as treatments make their strands, and lie along them all the same', () => {
    const { points, shares, normals } = along(5), widths = Float32Array.from({ length: 10 }, (_, i) => (i < 5 ? 2 - 0.25 * i : 0)), look = { wide: 1.5, spin: 0.4, seed: 3 };
    const plain = layAlong(mesh, points, 5, shares, normals, look), m = layAlong(mesh, points, 5, shares, normals, look, widths), axis = (s: number, v: number): number[] => [0.1 * mesh.positions[3 * v + 1], 0, s];
    for (let s = 0; s < 2; s++) for (let v = 0; v < 4; v++) {
      // linear between nodes: 2 at the root, 1 at the tip; the second strand is no thicker than a line
      const by = s === 0 ? 2 - mesh.positions[3 * v + 1] : 0;
      for (let c = 0; c < 3; c++) expect(m.positions[12 * s + 3 * v + c] - axis(s, v)[c]).toBeCloseTo(by * (plain.positions[12 * s + 3 * v + c] - axis(s, v)[c]), 6);
    }
    expect(m.normals).toEqual(plain.normals);
    expect(layAlong(mesh, points, 5, shares, normals, look, new Float32Array(10).fill(1))).toEqual(plain);
  });
  it('lie where the strand is, off the skin by z, aside by x, as long as it is', () => {
    for (const nodes of [2, 5, 16]) {
      const { points, shares, normals } = along(nodes), m = layAlong(mesh, points, nodes, shares, normals, { wide: 1, spin: 0, seed: 1 });
      const expected = [0, 0, 0, 0.1, 0, 0, 0.05, 0, -0.01, 0.025, 0.01, 0];
      // aside: tangent x, up y: up × tangent
      for (let s = 0; s < 2; s++) for (let i = 0; i < 12; i++) expect(Math.abs(m.positions[12 * s + i] - expected[i] - (i % 3 === 2 ? s : 0))).toBeLessThan(1e-6);
      expect(Array.from(m.indices)).toEqual([0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7]);
      expect(m.normals[1]).toBeCloseTo(1, 5);
    }
  });
  it('are as wide as asked, and turned about themselves by chance without leaving the strand', () => {
    const { points, shares, normals } = along(8, 40), m = layAlong(mesh, points, 8, shares, normals, { wide: 3, spin: 1, seed: 1 }), angles: number[] = [];
    for (let s = 0; s < 40; s++) {
      const [, y, z] = m.positions.subarray(12 * s + 6, 12 * s + 9);
      expect(Math.hypot(y, z - s)).toBeCloseTo(0.03, 5);
      expect(m.positions[12 * s + 3]).toBeCloseTo(0.1, 6);
      angles.push(Math.atan2(y, z - s));
    }
    expect(Math.max(...angles) - Math.min(...angles)).toBeGreaterThan(4);
  });
});
