import { IcosahedronGeometry, SphereGeometry, Triangle, Vector3 } from 'three';
import { describe, expect, it } from 'vitest';
import { makeRandom } from '../math/random';
import { Surface } from '../mesh/surface';
import { carryOver } from './carry-over';
import { FaceTopology, mirrorByWay, mirroredFaces } from './face-choice';
import { rootPlace, scatterByArea, type Planting } from './planting';
import { plantedArea, scatterRoots } from './scatter';
import { blendMaps, blurMap, dabAt, evenMap, gradientMap, invertMap, mapSampler, mirrorMap, packMap, paintSmooth, paintToward, readMap, SkinGrid, type MapBlend } from './skin-grid';

const sphere = (rows: number): { positions: Float64Array; triangles: Uint32Array; surface: Surface } => {
  const g = new SphereGeometry(0.1, 2 * rows, rows), positions = Float64Array.from(g.attributes.position.array), triangles = Uint32Array.from(g.index!.array);
  return { positions, triangles, surface: new Surface(positions, triangles) };
};
const { positions, triangles, surface } = sphere(20), all = Uint32Array.from({ length: triangles.length / 3 }, (_, f) => f);
const placesOf = (p: Planting, on = surface): number[][] => Array.from(p.faces, (_, i) => rootPlace(on, p, i));
/** Least distance between any two, m. */
function nearestPair(points: number[][]): number {
  let least = Infinity;
  for (let i = 0; i < points.length; i++) for (let j = 0; j < i; j++) least = Math.min(least, Math.hypot(points[i][0] - points[j][0], points[i][1] - points[j][1], points[i][2] - points[j][2]));
  return least;
}

describe('mirrored by how the mesh hangs together', () => {
  it('finds the other side of a shape that is not alike left and right', () => {
    // a head that is dented on one side only
    const g = new IcosahedronGeometry(0.1, 6), round = Float64Array.from(g.attributes.position.array), T = Uint32Array.from({ length: round.length / 3 }, (_, v) => v), dented = round.map((v, k) => (round[k - (k % 3)] > 0.03 ? 0.8 * v + 0.01 : v)), twins = mirrorByWay(dented, T)!;
    const mid = (P: ArrayLike<number>, f: number, c: number): number => (P[9 * f + c] + P[9 * f + 3 + c] + P[9 * f + 6 + c]) / 3;
    for (let f = 0; f < T.length / 3; f++) {
      expect(twins[twins[f]]).toBe(f);
      // on the round one it is across the middle
      expect(Math.hypot(mid(round, f, 0) + mid(round, twins[f], 0), mid(round, f, 1) - mid(round, twins[f], 1), mid(round, f, 2) - mid(round, twins[f], 2))).toBeLessThan(1e-6);
    }
  });
  it('says so where there is no such side', () => {
    const g = new IcosahedronGeometry(0.1, 3), P = Float64Array.from(g.attributes.position.array), T = Uint32Array.from({ length: P.length / 3 }, (_, v) => v);
    // ten faces cut out of one side
    expect(mirrorByWay(P, T.filter((_, k) => { const f = Math.floor(k / 3); return !(P[9 * f] > 0.07); }))).toBeNull();
  });
});

describe('scattering', () => {
  it('is blue noise: no two roots nearer than 0.7 of the closest packing allows', () => {
    // Source: Lagae & Dutré, A Comparison of Methods for Generating Poisson Disk Distributions (2008): relative radius
    // ρ = r / r_max with r_max = √(A / (2√3 N)), half the spacing of the hexagonal packing; 0.7 as the measure *from memory*
    for (const count of [200, 1000, 3000]) {
      const p = scatterRoots(surface, all, count, 5), spacing = 2 * Math.sqrt(plantedArea(surface, all, null) / (2 * Math.sqrt(3) * count));
      expect(p.faces.length).toBe(count);
      expect(nearestPair(placesOf(p)) / spacing).toBeGreaterThan(0.7);
    }
    // and plain random places are not
    expect(nearestPair(placesOf(scatterByArea(surface, all, 1000, 5))) / 0.012).toBeLessThan(0.2);
  });
  it('follows a painted density, and its spacing with it', () => {
    const density = (f: number, b: number, c: number): number => (surface.place(f, [1 - b - c, b, c])[1] > 0 ? 1 : 0.25), p = scatterRoots(surface, all, 1500, 3, density), top = placesOf(p).filter((q) => q[1] > 0.002), low = placesOf(p).filter((q) => q[1] < -0.002);
    expect(top.length / low.length).toBeGreaterThan(3.6);
    expect(top.length / low.length).toBeLessThan(4.4);
    // a quarter of the density is twice the spacing
    expect(nearestPair(low) / nearestPair(top)).toBeGreaterThan(1.6);
    expect(scatterRoots(surface, all, 50, 3, () => 0).faces.length).toBe(0);
  });
  it('adds roots without moving those that are there, and not into them', () => {
    const few = scatterRoots(surface, all, 300, 9), more = scatterRoots(surface, all, 900, 9, null, few), spacing = 2 * Math.sqrt(plantedArea(surface, all, null) / (2 * Math.sqrt(3) * 900));
    expect(Array.from(more.faces.slice(0, 300))).toEqual(Array.from(few.faces));
    expect(Array.from(more.weights.slice(0, 600))).toEqual(Array.from(few.weights));
    expect(more.faces.length).toBe(900);
    expect(nearestPair(placesOf(more)) / spacing).toBeGreaterThan(0.6);
    expect(scatterRoots(surface, all, 200, 9, null, few).faces.length).toBe(300);
  });
  it('is the same for the same seed, and refuses what it cannot do', () => {
    expect(scatterRoots(surface, all, 100, 2)).toEqual(scatterRoots(surface, all, 100, 2));
    expect(scatterRoots(surface, all, 100, 2)).not.toEqual(scatterRoots(surface, all, 100, 3));
    expect(() => scatterRoots(surface, [], 10, 1)).toThrow(/at least one face/);
    expect(() => scatterRoots(surface, all, 30000, 1)).toThrow(/20000/);
  });
  it('stretched and uneven triangles get no more than their area', () => {
    // a strip of which half the area is two triangles, the other half two hundred
    const P: number[] = [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0], T: number[] = [0, 1, 2, 0, 2, 3];
    for (let k = 0; k < 100; k++) { const x = 1 + k / 100, o = P.length / 3; P.push(x, 0, 0, x + 0.01, 0, 0, x + 0.01, 1, 0, x, 1, 0); T.push(o, o + 1, o + 2, o, o + 2, o + 3); }
    const strip = new Surface(P, Uint32Array.from(T)), roots = scatterRoots(strip, Uint32Array.from({ length: T.length / 3 }, (_, f) => f), 400, 1);
    expect(Math.abs(placesOf(roots, strip).filter((p) => p[0] < 1).length - 200)).toBeLessThan(12);
  });
});

describe('the skin grid', () => {
  it('gives back a linear function exactly, on any face and at any place', () => {
    const coarse = sphere(6), grid = new SkinGrid(coarse.positions, coarse.triangles), map = new Uint8Array(grid.count), random = makeRandom(4);
    expect(grid.count).toBeGreaterThan(50 * grid.faceCount);
    // 255 × the height, from −0.1 to 0.1; rounded to a byte
    const at = (f: number, b: number, c: number): number => 0.5 + 5 * coarse.surface.place(f, [1 - b - c, b, c])[1];
    for (let f = 0; f < grid.faceCount; f++) grid.eachOf(f, (t, b, c) => { map[t] = Math.round(255 * at(f, b, c)); });
    for (let k = 0; k < 2000; k++) {
      const f = Math.floor(random() * grid.faceCount), r = Math.sqrt(random()), q = random(), b = r * (1 - q), c = r * q;
      expect(Math.abs(grid.sample(map, f, b, c) - at(f, b, c))).toBeLessThan(0.0022);
    }
    for (const [b, c] of [[0, 0], [1, 0], [0, 1], [0.5, 0.5]]) expect(Math.abs(grid.sample(map, 3, b, c) - at(3, b, c))).toBeLessThan(0.0022);
  });
  it('a head of 600 triangles carries a line 4 mm wide', () => {
    const g = new IcosahedronGeometry(0.1, 4), P = Float64Array.from(g.attributes.position.array), T = Uint32Array.from({ length: P.length / 3 }, (_, i) => i), grid = new SkinGrid(P, T), s = new Surface(P, T);
    expect(T.length / 3).toBeLessThan(600);
    const map = new Float32Array(grid.count);
    for (let a = 0; a < 6.28; a += 0.005) paintToward(grid, map, s, { x: 0.1 * Math.cos(a), y: 0, z: 0.1 * Math.sin(a), toward: [0, 0, 0], radius: 0.002, falloff: 0.01, strength: 1 }, 1);
    const bytes = Uint8Array.from(map, (v) => 255 * v), off = (y: number): number => { let sum = 0; for (let k = 0; k < 200; k++) { const a = k / 31, hit = s.nearest([0.1 * Math.cos(a), y, 0.1 * Math.sin(a)])!; sum += grid.sample(bytes, hit.face, hit.barycentric[1], hit.barycentric[2]) / 200; } return sum; };
    expect(off(0)).toBeGreaterThan(0.6);
    expect(off(0.006)).toBeLessThan(0.05);
    expect(off(-0.006)).toBeLessThan(0.05);
  });
  it('small triangles cover the mesh once', () => {
    const grid = new SkinGrid(positions, triangles), P = new Float32Array(3 * grid.count), T = grid.trianglesOf(all);
    grid.placesInto(P, positions, all);
    let area = 0;
    const small = new Surface(P, T);
    for (let f = 0; f < T.length / 3; f++) area += small.area(f);
    expect(area / plantedArea(surface, all, null)).toBeCloseTo(1, 5);
    expect(T.reduce((m, v) => Math.max(m, v), 0)).toBe(grid.count - 1);
  });
  it('paints a pose, and not the far side', () => {
    const grid = new SkinGrid(positions, triangles), map = new Float32Array(grid.count), moved = new Surface(positions.map((v, i) => (i % 3 === 0 ? v + 3 : v)), triangles);
    const touched = paintToward(grid, map, moved, { x: 3.1, y: 0, z: 0, toward: [-1, 0, 0], radius: 0.5, falloff: 1, strength: 1 }, 1);
    expect(touched.length).toBeGreaterThan(100);
    for (const f of touched) expect(surface.corners(f).some((c) => c[0] > -0.04)).toBe(true);
    expect(paintToward(grid, map, surface, { x: 3.1, y: 0, z: 0, toward: [-1, 0, 0], radius: 0.5, falloff: 1, strength: 1 }, 1)).toEqual([]);
  });
  it('the faces a brush reaches are those a look at every one finds', () => {
    const random = makeRandom(11), corner = new Vector3(), p = new Vector3(), t = new Triangle();
    for (let trial = 0; trial < 40; trial++) {
      p.set(random() - 0.5, random() - 0.5, random() - 0.5).setLength(0.07 + 0.06 * random());
      const radius = 0.002 + 0.08 * random(), found = [...all].filter((f) => { const [a, b, c] = surface.corners(f); t.set(new Vector3(...a), new Vector3(...b), new Vector3(...c)); return t.closestPointToPoint(p, corner).distanceTo(p) <= radius; });
      expect(surface.facesNear(p.toArray(), radius)).toEqual(found);
    }
  });
  it('a brush fades over its falloff and ends at its radius', () => {
    expect([0, 0.5, 1, 1.2].map((s) => dabAt(s, 0.5))).toEqual([1, 1, 0, 0]);
    expect(dabAt(0.75, 0.5)).toBeCloseTo(0.5, 9);
    expect(dabAt(0.99, 0)).toBe(1);
  });
  it('smoothing and blurring even out over the seams of faces and keep what is even', () => {
    const grid = new SkinGrid(positions, triangles), step = new Uint8Array(grid.count);
    for (let f = 0; f < grid.faceCount; f++) grid.eachOf(f, (t, b, c) => { step[t] = surface.place(f, [1 - b - c, b, c])[1] > 0 ? 255 : 0; });
    expect(blurMap(grid, evenMap(grid, 0.6), 0.01)).toEqual(evenMap(grid, 0.6));
    const soft = blurMap(grid, step, 0.012), at = (y: number): number => { const hit = surface.nearest([Math.sqrt(0.01 - y * y), y, 0])!; return grid.sample(soft, hit.face, hit.barycentric[1], hit.barycentric[2]); };
    expect(at(0.05)).toBeGreaterThan(0.97);
    expect(at(-0.05)).toBeLessThan(0.03);
    expect(at(0.004)).toBeGreaterThan(0.5);
    expect(at(0.004)).toBeLessThan(0.8);
    const live = Float32Array.from(step, (v) => v / 255), before = live.reduce((n, v) => n + (v > 0.05 && v < 0.95 ? 1 : 0), 0);
    for (let k = 0; k < 6; k++) paintSmooth(grid, live, surface, { x: 0.1, y: 0, z: 0, toward: [-1, 0, 0], radius: 0.05, falloff: 0.5, strength: 1 });
    expect(live.reduce((n, v) => n + (v > 0.05 && v < 0.95 ? 1 : 0), 0)).toBeGreaterThan(before + 100);
  });
  it('is inverted, mirrored, graded, and read from the maps of earlier documents', () => {
    const grid = new SkinGrid(positions, triangles), left = new Uint8Array(grid.count), value = (m: Uint8Array, p: number[]): number => { const h = surface.nearest(p)!; return grid.sample(m, h.face, h.barycentric[1], h.barycentric[2]); };
    for (let f = 0; f < grid.faceCount; f++) grid.eachOf(f, (t, b, c) => { const p = surface.place(f, [1 - b - c, b, c]); left[t] = p[0] > 0.03 && p[1] > 0 ? 255 : 0; });
    const both = mirrorMap(grid, left, true, (p) => surface.nearest(p));
    expect(value(both, [-0.08, 0.05, 0.02])).toBeCloseTo(1, 6);
    expect(value(both, [-0.08, -0.05, 0.02])).toBe(0);
    expect(value(both, [0.08, 0.05, 0.02])).toBeCloseTo(1, 6);
    expect(invertMap(invertMap(left))).toEqual(left);
    // two maps by hand: every texel as the words say
    const grey = evenMap(grid, 0.6), by = (how: MapBlend): number[] => [...new Set(blendMaps(grey, left, how))].sort((a, b) => a - b);
    expect([by('multiply'), by('mean'), by('lighter'), by('darker'), by('less'), by('copy')]).toEqual([[0, 153], [77, 204], [153, 255], [0, 153], [0, 153], [0, 255]]);
    expect(blendMaps(grey, left, 'multiply').every((v, t) => v === (left[t] === 255 ? 153 : 0))).toBe(true);
    expect(blendMaps(grey, left, 'less').every((v, t) => v === (left[t] === 255 ? 0 : 153))).toBe(true);
    const g = gradientMap(grid, evenMap(grid, 0), all, positions, [0, 0.1, 0], [0, -0.1, 0]);
    expect(value(g, [0.0866, 0.05, 0])).toBeCloseTo(0.75, 1);
    const old = Float32Array.from({ length: positions.length / 3 }, (_, v) => 0.5 + 5 * positions[3 * v + 1]), bytes = new Uint8Array(old.buffer), read = readMap(bytes, grid, old.length)!, direct = mapSampler(bytes, positions, triangles)!;
    for (const f of [7, 90, 300]) expect(Math.abs(grid.sample(read, f, 0.3, 0.4) - direct(f, 0.3, 0.4))).toBeLessThan(0.005);
    expect(readMap(packMap(left), grid, old.length)).toEqual(left);
    expect(mapSampler(packMap(left), positions, triangles)!(7, 0.3, 0.4)).toBe(grid.sample(left, 7, 0.3, 0.4));
    expect(readMap(packMap(left.slice(1)), grid, old.length)).toBeNull();
    expect(readMap(new Uint8Array(5), grid, old.length)).toBeNull();
    expect(mapSampler(new Uint8Array(5), positions, triangles)).toBeNull();
  });
});

describe('choosing faces', () => {
  const topology = new FaceTopology(positions, triangles);
  it('grows and shrinks by a ring, over seams, and comes back', () => {
    const patch = all.filter((f) => surface.corners(f).every((c) => c[1] > 0.05)), grown = topology.grown(patch);
    expect(grown.length).toBeGreaterThan(patch.length);
    expect(Array.from(topology.shrunk(grown))).toEqual(Array.from(patch));
    expect(topology.shrunk(all).length).toBe(all.length);
  });
  it('a loose part is what hangs together', () => {
    const two = Float64Array.from([...positions, ...positions.map((v, i) => (i % 3 === 0 ? v + 1 : v))]), both = Uint32Array.from([...triangles, ...triangles.map((v) => v + positions.length / 3)]), t = new FaceTopology(two, both);
    expect(Array.from(t.partOf(5))).toEqual(Array.from(all));
    expect(t.partOf(all.length + 5)[0]).toBe(all.length);
  });
  it('mirrors across the middle', () => {
    const right = all.filter((f) => surface.corners(f).every((c) => c[0] < -0.05)), both = mirroredFaces(surface, right);
    const area = (list: Uint32Array): number => plantedArea(surface, list, null);
    expect(area(both) / area(right)).toBeCloseTo(2, 1);
    expect(right.every((f) => both.includes(f))).toBe(true);
  });
});

describe('a groom carried over', () => {
  const P = 5, planting = scatterRoots(surface, all.slice(0, 400), 60, 4), offsets = new Float32Array(3 * P * 60);
  for (let g = 0; g < 60; g++) { const n = surface.normal(planting.faces[g]); for (let k = 0; k < P; k++) for (let c = 0; c < 3; c++) offsets[3 * (P * g + k) + c] = 0.01 * k * n[c]; }
  const grid = new SkinGrid(positions, triangles), map = new Uint8Array(grid.count), groom = { faces: all.slice(0, 400), planting, offsets, pointCount: P, maps: [map] };
  for (let f = 0; f < grid.faceCount; f++) grid.eachOf(f, (t, b, c) => { map[t] = surface.place(f, [1 - b - c, b, c])[1] > 0.05 ? 255 : 0; });
  it('to the same triangles, moved: roots stay in theirs, all else as it was', () => {
    const moved = new Surface(positions.map((v, i) => (i % 3 === 1 ? v + 0.002 : v)), triangles), r = carryOver(surface, moved, groom);
    expect(r.same).toBe(true);
    expect(r.planting).toBe(planting);
    expect(r.report).toMatchObject({ roots: 60, moved: 60, far: 0 });
    expect(r.report.farthest).toBeCloseTo(0.002, 6);
    r.offsets.forEach((v, i) => expect(Math.abs(v - offsets[i])).toBeLessThan(1e-6));
  });
  it('to another mesh of the same shape: the nearest skin, hair upright on it, the plot and its maps', () => {
    const other = sphere(31), r = carryOver(surface, other.surface, groom), old = surface.triangles.length;
    expect(r.same).toBe(false);
    expect(other.triangles.length).not.toBe(old);
    expect(r.report.farthest).toBeLessThan(0.0015);
    for (let g = 0; g < 60; g++) {
      const n = other.surface.normal(r.planting.faces[g]), tip = [0, 1, 2].map((c) => r.offsets[3 * (P * g + P - 1) + c]);
      expect((tip[0] * n[0] + tip[1] * n[1] + tip[2] * n[2]) / 0.04).toBeGreaterThan(0.999);
    }
    const area = (on: Surface, list: ArrayLike<number>): number => plantedArea(on, list, null);
    expect(area(other.surface, r.faces) / area(surface, groom.faces)).toBeCloseTo(1, 1);
    const fine = new SkinGrid(other.positions, other.triangles), value = (y: number): number => { const h = other.surface.nearest([Math.sqrt(0.01 - y * y), y, 0])!; return fine.sample(r.maps[0], h.face, h.barycentric[1], h.barycentric[2]); };
    expect(value(0.06)).toBe(1);
    expect(value(0.04)).toBe(0);
  });
});
