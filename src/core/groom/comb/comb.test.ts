import { describe, expect, it } from 'vitest';
import { makeRandom } from '../../math/random';
import { Surface } from '../../mesh/surface';
import { mirroredEdges } from '../face-choice';
import { rootPlace, type Planting } from '../planting';
import { polylineLength } from '../polyline';
import { acrossDab, mirrorStyle, pasteStyle, rootPlaces } from './across';
import { cageRound, moveHandles, throughCage } from './cage';
import { chooseAlong, chooseAlso, chosenGuides, growChoice, invertChoice, rootSpacing, softenAcross, wholeGuides } from './choice';
import { keepOnLayer, layOver, packLayer, readLayer, renumbered } from './layers';
import { dabOf, mirroredDab } from './reach';
import { randomShares, relength, repoint, rootsOff } from './reshape';

const N = 8;
/** Guides in a row, hanging, each a little bent. */
const shapes = (guides: number): Float32Array => Float32Array.from({ length: 3 * N * guides }, (_, k) => { const i = Math.floor(k / 3) % N, g = Math.floor(k / (3 * N)); return [0.01 * Math.sin(i + g), -0.02 * i, 0.004 * i * i][k % 3] * (i === 0 ? 0 : 1); });
const edges = (s: ArrayLike<number>, g: number, n = N): number[] => Array.from({ length: n - 1 }, (_, i) => polylineLength(s, n * g + i, 2));
/** A flat plate of faces in x and z, the same left and right of x = 0. */
function plate(cells = 6, size = 0.1, stretch = 1): Surface {
  const P: number[] = [], T: number[] = [], at = (i: number, j: number): number => i * (cells + 1) + j;
  for (let i = 0; i <= cells; i++) for (let j = 0; j <= cells; j++) P.push(size * stretch * (i / cells - 0.5), 0, size * (j / cells - 0.5));
  for (let i = 0; i < cells; i++) for (let j = 0; j < cells; j++) {
    // mirrored diagonals on the two halves
    const [a, b, c, d] = [at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i + 1, j)];
    if (i < cells / 2) T.push(a, b, c, a, c, d); else T.push(d, a, b, d, b, c);
  }
  return new Surface(Float64Array.from(P), Uint32Array.from(T));
}
const planted = (surface: Surface, places: [number, number][]): Planting => { const hits = places.map(([x, z]) => surface.nearest([x, 0, z])!); return { faces: Uint32Array.from(hits, (h) => h.face), weights: Float32Array.from(hits.flatMap((h) => [h.barycentric[1], h.barycentric[2]])) }; };

describe('chosen strands', () => {
  const roots = Float64Array.from({ length: 30 }, (_, k) => (k % 3 === 0 ? 0.01 * Math.floor(k / 3) : 0));
  it('come, go and turn over', () => {
    const some = wholeGuides([2, 5], 10, N), more = chooseAlso(some, wholeGuides([6], 10, N), 'add');
    expect(chosenGuides(more, N)).toEqual([2, 5, 6]);
    expect(chosenGuides(chooseAlso(more, wholeGuides([5], 10, N), 'take'), N)).toEqual([2, 6]);
    expect(chosenGuides(chooseAlso(more, wholeGuides([1], 10, N), 'only'), N)).toEqual([1]);
    expect(chosenGuides(invertChoice(more), N)).toEqual([0, 1, 3, 4, 7, 8, 9]);
    expect(chosenGuides(chooseAlso(null, wholeGuides([1], 10, N), 'take'), N)).toEqual([]);
  });
  it('grow to neighbouring roots, shrink at the rim, get a soft rim', () => {
    expect(rootSpacing(roots)).toBeCloseTo(0.01, 9);
    const some = wholeGuides([4, 5], 10, N), grown = growChoice(some, N, roots, 0.016);
    expect(chosenGuides(grown, N)).toEqual([3, 4, 5, 6]);
    expect(chosenGuides(growChoice(grown, N, roots, 0.016, true), N)).toEqual([4, 5]);
    const soft = softenAcross(some, N, roots, 0.03);
    expect([3, 2, 1].map((g) => soft[g * N])).toEqual([3, 2, 1].map((g) => { const t = (4 - g) / 3; return Math.fround(1 - t * t * (3 - 2 * t)); }));
    expect(soft[9 * N]).toBe(0);
  });
  it('along their length, softly at both ends', () => {
    const some = chooseAlong(wholeGuides([0], 1, 11), 11, 0.4, 0.8, 0.2);
    expect(Array.from(some, (v) => Number(v.toFixed(3)))).toEqual([0, 0, 0, 0.5, 1, 1, 1, 1, 1, 0.5, 0]);
  });
});

describe('layers of style', () => {
  const below = shapes(3), over = { guides: Uint32Array.of(1), shapes: Float32Array.from(shapes(3).subarray(3 * N, 6 * N), (v, k) => (k % 3 === 0 ? v + 0.01 * Math.floor(k / 3) : 1.3 * v)) };
  it('in full they are what was combed, at nothing what is below, elsewhere what is below', () => {
    const full = below.slice(), none = below.slice();
    layOver(full, N, over, () => 1);
    layOver(none, N, over, () => 0);
    expect(full.slice(3 * N, 6 * N)).toEqual(over.shapes);
    expect(full.slice(0, 3 * N)).toEqual(below.slice(0, 3 * N));
    expect(none).toEqual(below);
  });
  it('between, edges are as long as between, and ways turn over without a jump', () => {
    let before = below.slice();
    for (let k = 0; k <= 20; k++) {
      const now = below.slice(), w = k / 20;
      layOver(now, N, over, () => w);
      const a = edges(below, 1), b = edges(over.shapes, 0);
      edges(now, 1).forEach((l, i) => expect(l).toBeCloseTo((1 - w) * a[i] + w * b[i], 6));
      for (let i = 0; i < now.length; i++) expect(Math.abs(now[i] - before[i])).toBeLessThan(0.02);
      before = now;
    }
  });
  it('opposite ways and strands without length leave no hole', () => {
    const a = Float32Array.of(0, 0, 0, 0, -0.1, 0, 0, -0.1, 0), now = a.slice();
    layOver(now, 3, { guides: Uint32Array.of(0), shapes: Float32Array.of(0, 0, 0, 0, 0.1, 0, 0, 0.2, 0) }, () => 0.5);
    expect(now.every(Number.isFinite)).toBe(true);
    expect(polylineLength(now, 0, 2)).toBeCloseTo(0.1, 6);
  });
  it('keep what is combed, in bytes too; numbers of guides may change', () => {
    const two = keepOnLayer(over, N, [0, 1], below), back = readLayer(packLayer(two), N)!;
    expect(back).toEqual(two);
    expect(Array.from(two.guides)).toEqual([0, 1]);
    expect(two.shapes.slice(3 * N)).toEqual(below.slice(3 * N, 6 * N));
    expect(readLayer(packLayer(two), N + 1)).toBeNull();
    expect(readLayer(new Uint8Array(3), N)).toBeNull();
    expect(Array.from(renumbered(two, 3 * N, (g) => (g === 0 ? -1 : 7)).guides)).toEqual([7]);
  });
});

describe('the cage', () => {
  const points = Float64Array.from({ length: 60 }, (_, k) => Math.sin(3 * k) * 0.1);
  it('leaves points where they are until a handle moves, and carries all of them with all handles', () => {
    for (const n of [2, 3, 5]) {
      const cage = cageRound(points, n)!, out = new Float64Array(60), all = Array.from({ length: n ** 3 }, (_, h) => h);
      throughCage(cage, points, () => 1, out);
      out.forEach((v, k) => expect(v).toBeCloseTo(points[k], 10));
      throughCage(moveHandles(cage, all, { move: [0.01, 0.02, 0.03], turn: [0, 0, 0], scale: 1 }, 0), points, () => 0.5, out);
      out.forEach((v, k) => expect(v).toBeCloseTo(points[k] + 0.5 * [0.01, 0.02, 0.03][k % 3], 10));
    }
  });
  it('turns and scales about the middle of the handles; neighbours follow within the falloff', () => {
    const cage = cageRound(points, 3)!, all = Array.from({ length: 27 }, (_, h) => h), turned = moveHandles(cage, all, { move: [0, 0, 0], turn: [0, 0, Math.PI / 2], scale: 2 }, 0), middle = [0, 1, 2].map((c) => cage.low[c] + cage.size[c] / 2);
    for (let h = 0; h < 27; h++) {
      const x = cage.handles[3 * h] - middle[0], y = cage.handles[3 * h + 1] - middle[1];
      expect(turned.handles[3 * h] - middle[0]).toBeCloseTo(-2 * y, 9);
      expect(turned.handles[3 * h + 1] - middle[1]).toBeCloseTo(2 * x, 9);
    }
    const one = moveHandles(cage, [0], { move: [0.1, 0, 0], turn: [0, 0, 0], scale: 1 }, 1.5 * cage.size[0] / 2);
    expect(one.handles[0] - cage.handles[0]).toBeCloseTo(0.1, 9);
    expect(one.handles[3] - cage.handles[3]).toBeGreaterThan(0.01);
    expect(one.handles[3] - cage.handles[3]).toBeLessThan(0.09);
    expect(one.handles[3 * 26]).toBe(cage.handles[3 * 26]);
  });
  it('round nothing there is none; round flat things it has a thickness', () => {
    expect(cageRound(new Float64Array(0), 3)).toBeNull();
    expect(cageRound(Float64Array.of(0, 0, 0, 1, 0, 0), 2)!.size.every((s) => s >= 0.01)).toBe(true);
  });
});

describe('numbers of whole guides', () => {
  it('another number of points keeps shape and length; where it bends more of them keep it better', () => {
    const s = shapes(5), even = repoint(s, N, 24, false), back = repoint(even.offsets, 24, N, false);
    expect(even.error).toBeLessThan(0.002);
    for (let g = 0; g < 5; g++) expect(polylineLength(even.offsets, 24 * g, 24)).toBeCloseTo(polylineLength(s, N * g, N), 2);
    // no farther than half of the new, longer edges
    for (let g = 0; g < 5; g++) expect(back.error).toBeLessThan(0.5 * Math.max(...Array.from({ length: 5 }, (_, q) => polylineLength(back.offsets, N * q, N) / (N - 1))));
    // straight, then a sharp bend, then straight
    const bent = Float32Array.from({ length: 3 * 41 }, (_, k) => { const i = Math.floor(k / 3); return [i <= 30 ? 0 : 0.005 * (i - 30), -0.005 * Math.min(i, 30), 0][k % 3]; });
    expect(repoint(bent, 41, 10, true).error).toBeLessThan(0.6 * repoint(bent, 41, 10, false).error);
    expect(Array.from(repoint(bent, 41, 9, true).offsets.slice(-3)).map((v, k) => Math.abs(v - bent[bent.length - 3 + k]) < 1e-6)).toEqual([true, true, true]);
  });
  it('lengths by number and at random, of the chosen alone', () => {
    const s = shapes(6), now = relength(s, N, () => 0.2, (g) => g !== 2), shares = randomShares(6, 0.5, 9);
    for (let g = 0; g < 6; g++) expect(polylineLength(now, N * g, N)).toBeCloseTo(g === 2 ? polylineLength(s, N * 2, N) : 0.2, 6);
    expect(shares).toEqual(randomShares(6, 0.5, 9));
    shares.forEach((v) => { expect(v).toBeGreaterThan(0.5); expect(v).toBeLessThanOrEqual(1); });
  });
  it('roots stand off the skin as far as asked, not farther each time', () => {
    const normals = Float64Array.of(0, 1, 0, 1, 0, 0), once = rootsOff(shapes(2), N, normals, 0.003, () => true), twice = rootsOff(once, N, normals, 0.003, () => true);
    expect(Array.from(once.slice(0, 3)).map((v) => Number(v.toFixed(6)))).toEqual([0, 0.003, 0]);
    once.forEach((v, k) => expect(twice[k]).toBeCloseTo(v, 7));
    edges(once, 1).forEach((l, i) => expect(l).toBeCloseTo(edges(shapes(2), 1)[i], 6));
  });
});

describe('the other side', () => {
  const surface = plate(), random = makeRandom(3), right = Array.from({ length: 12 }, (): [number, number] => [-0.045 * random() - 0.002, 0.09 * (random() - 0.5)]), left = right.map(([x, z]): [number, number] => [-x, z]), planting = planted(surface, [...left, ...right]);
  const source = Float32Array.from({ length: 3 * N * 24 }, (_, k) => shapes(24)[k] * (k % 3 === 1 ? -1 : 1));
  for (const way of ['place', 'mesh'] as const) it(`takes the very shape of a guide's twin, mirrored, by ${way}`, () => {
    const twins = way === 'mesh' ? mirroredEdges(surface.positions, surface.triangles) : null;
    if (way === 'mesh') expect(twins).not.toBeNull();
    const now = mirrorStyle({ surface, planting, offsets: source, pointCount: N }, true, twins)!;
    for (let g = 0; g < 12; g++) for (let i = 0; i < 3 * N; i++) {
      expect(now[3 * N * g + i]).toBe(source[3 * N * g + i]);
      expect(now[3 * N * (12 + g) + i]).toBeCloseTo(i % 3 === 0 ? -source[3 * N * g + i] : source[3 * N * g + i], 6);
    }
    expect(mirrorStyle({ surface, planting: planted(surface, left), offsets: source.slice(0, 3 * N * 12), pointCount: N }, false, twins)).toBeNull();
  });
  it('a touch in another pose comes to the twin of where it was', () => {
    // the whole plate turned about y and moved; what it does on one side is done on the other in the same turned frame
    const rest = rootPlaces(surface, planting), motions = new Float64Array(7 * 24), a = 0.6, q = [0, Math.sin(a / 2), 0, Math.cos(a / 2)], turn = (p: ArrayLike<number>): number[] => [Math.cos(a) * p[0] + Math.sin(a) * p[2], p[1], -Math.sin(a) * p[0] + Math.cos(a) * p[2]], shift = [1, 2, 3];
    for (let g = 0; g < 24; g++) { motions.set(q, 7 * g); turn(rest.subarray(3 * g, 3 * g + 3)).forEach((v, c) => { motions[7 * g + 4 + c] = v + shift[c]; }); }
    const flat = dabOf([0.02, 0.01, 0.01], [0.03, 0.01, 0], [0, -1, 0]), posed = { ...flat, centre: turn(flat.centre).map((v, c) => v + shift[c]) as [number, number, number], move: turn(flat.move) as [number, number, number], sight: turn(flat.sight) as [number, number, number] };
    const there = acrossDab(posed, motions, rest), wanted = mirroredDab(flat);
    turn(wanted.centre).forEach((v, c) => expect(there.centre[c]).toBeCloseTo(v + shift[c], 9));
    turn(wanted.move).forEach((v, c) => expect(there.move[c]).toBeCloseTo(v, 9));
    expect(there.hand).toBe(-1);
  });
  it('a style is pasted to the same places of the same mesh, and plot over plot on a larger one', () => {
    const faces = Array.from({ length: surface.triangles.length / 3 }, (_, f) => f), from = { surface, planting, offsets: source, pointCount: N, faces };
    expect(pasteStyle(from, { surface, planting, faces })).toEqual(source);
    const large = plate(7, 0.2), places = planted(large, left.map(([x, z]): [number, number] => [2 * x, 2 * z])), pasted = pasteStyle(from, { surface: large, planting: places, faces: Array.from({ length: large.triangles.length / 3 }, (_, f) => f) });
    expect(rootPlace(large, places, 0)[0]).toBeCloseTo(2 * left[0][0], 5);
    for (let g = 0; g < 12; g++) for (let i = 0; i < 3 * N; i++) expect(pasted[3 * N * g + i]).toBeCloseTo(2 * source[3 * N * g + i], 5);
  });
});
