import fc from 'fast-check';
import { strToU8 } from 'fflate';
import { SphereGeometry } from 'three';
import { describe, expect, it } from 'vitest';
import { guessCurvePlacement, keepEdits, placeCurves, rootsAreLast, seatCurves, type CurvePlacement } from '../core/groom/seat';
import { shapesBetween } from '../core/groom/between';
import { drawnGuide, keepOff, lifted } from '../core/groom/draw';
import { polylineLength } from '../core/groom/polyline';
import { rootPlace, scatterByArea } from '../core/groom/planting';
import { Surface } from '../core/mesh/surface';
import { openCurves } from './curves';
import { CURVE_WRITERS, writeCurves, type CurveWriter } from './write-curves';

const g = new SphereGeometry(0.1, 40, 28), surface = new Surface(Float64Array.from(g.attributes.position.array), Uint32Array.from(g.index!.array)), all = Uint32Array.from({ length: surface.triangles.length / 3 }, (_, f) => f);
/** Hair that stands off the ball and bends, 5 to 12 points each. */
const hairs = (n: number): Float32Array[] => {
  const roots = scatterByArea(surface, all, n, 4);
  return Array.from({ length: n }, (_, i) => {
    const p = rootPlace(surface, roots, i), d = surface.normal(roots.faces[i]), points = 5 + (i % 8);
    return Float32Array.from({ length: 3 * points }, (_, k) => { const s = (0.08 * Math.floor(k / 3)) / (points - 1); return p[k % 3] + s * d[k % 3] + (k % 3 === 1 ? -4 * s * s : 0); });
  });
};
const PLACE: CurvePlacement = { scale: 1, up: '+y', turn: 0, mirror: false, move: [0, 0, 0] };
const opened = async (name: string, bytes: Uint8Array) => { const r = await openCurves([{ name, bytes }]); if (!r.ok) throw new Error(r.error.message); return r.value; };
const refused = async (name: string, bytes: Uint8Array): Promise<string> => { const r = await openCurves([{ name, bytes }]); if (r.ok) throw new Error('was taken'); return r.error.message; };

describe('curve files', () => {
  it.each(Object.keys(CURVE_WRITERS) as CurveWriter[])('%s: what is written is read again, to float32', async (kind) => {
    const curves = hairs(40), back = await opened(`a.${kind}`, await writeCurves(kind, curves, { name: 'fringe 1', width: 8e-5, comment: 'forty hairs' }));
    expect(back.curves.length).toBe(40);
    curves.forEach((c, k) => { expect(back.curves[k].length).toBe(c.length); c.forEach((x, i) => expect(Math.abs(back.curves[k][i] - x)).toBeLessThan(1e-7)); });
    if (kind === 'usda') expect(back).toMatchObject({ scale: 1, up: '+y' });
  });
  it('.hair with the same number of segments for all, made byte by byte', async () => {
    // golden bytes of the layout in docs/characters.md: 2 strands of 2 segments, points and nothing else
    const b = new Uint8Array(128 + 6 * 12), v = new DataView(b.buffer);
    b.set(strToU8('HAIR'));
    for (const [at, x] of [[4, 2], [8, 6], [12, 2], [16, 2]]) v.setUint32(at, x, true);
    for (let i = 0; i < 18; i++) v.setFloat32(128 + 4 * i, i, true);
    expect((await opened('a.hair', b)).curves.map((c) => Array.from(c))).toEqual([[0, 1, 2, 3, 4, 5, 6, 7, 8], [9, 10, 11, 12, 13, 14, 15, 16, 17]]);
  });
  it('.data leaves out strands of one point', async () => {
    const b = new Uint8Array(4 + 4 + 12 + 4 + 24), v = new DataView(b.buffer);
    v.setInt32(0, 2, true); v.setInt32(4, 1, true); v.setInt32(20, 2, true);
    for (let i = 0; i < 6; i++) v.setFloat32(24 + 4 * i, i, true);
    expect((await opened('a.data', b)).curves.map((c) => Array.from(c))).toEqual([[0, 1, 2, 3, 4, 5]]);
  });
  it('polylines that were written edge by edge are put together; free-form ones are told', async () => {
    const v = [0, 1, 2, 3].map((y) => `v 0 ${y} 0`).join('\n');
    expect((await opened('a.obj', strToU8(`${v}\nl 3 4\nl 1 2\nl 2 3`))).curves.map((c) => Array.from(c))).toEqual([[0, 0, 0, 0, 1, 0, 0, 2, 0, 0, 3, 0]]);
    // strands that begin at one place stay two
    expect((await opened('a.obj', strToU8(`${v}\nl 1 2 3\nl 1 4`))).curves.length).toBe(2);
    expect(await refused('a.obj', strToU8(`${v}\ncstype bspline\ndeg 3\ncurv 0 1 1 2 3 4\nparm u 0 0 0 0 1 1 1 1\nend`))).toMatch(/holds no curve.*A free-form curve was left out/);
  });
  it('a unit and an axis that the file says are told', async () => {
    const text = new TextDecoder().decode(await writeCurves('usda', hairs(2), { name: 'a', width: 1e-4, comment: '' }));
    // what stands above the curves moves them: turned about z first, then doubled, then moved; by a matrix the same
    const under = (ops: string): string => text.replace(/def (\w+) "/, `def Xform "above" {\n${ops}\n    def $1 "`) + '\n}\n';
    const plainOnes = await opened('a.usda', strToU8(text)), [x, y, z] = plainOnes.curves[0].slice(3, 6), wanted = [1 - 2 * y, 2 + 2 * x, 3 + 2 * z];
    for (const ops of ['double3 xformOp:translate = (1, 2, 3)\n float3 xformOp:scale = (2, 2, 2)\n float xformOp:rotateZ = 90\n uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:scale", "xformOp:rotateZ"]', 'matrix4d xformOp:transform = ( (0, 2, 0, 0), (-2, 0, 0, 0), (0, 0, 2, 0), (1, 2, 3, 1) )\n uniform token[] xformOpOrder = ["xformOp:transform"]', 'double3 xformOp:translate = (1, 2, 3)\n float3 xformOp:rotateXYZ = (0, 0, 90)\n float3 xformOp:scale = (0.5, 0.5, 0.5)\n uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:rotateXYZ", "!invert!xformOp:scale"]']) {
      const moved = await opened('a.usda', strToU8(under(ops)));
      [...moved.curves[0].slice(3, 6)].forEach((v, c) => expect(v).toBeCloseTo(wanted[c], 4));
    }
    expect(await opened('a.usda', strToU8(text.replace('metersPerUnit = 1', 'metersPerUnit = 0.01').replace('upAxis = "Y"', 'upAxis = "Z"')))).toMatchObject({ scale: 0.01, up: '+z' });
  });
  it('what is wrong is told', async () => {
    const hair = await writeCurves('hair', hairs(3), { name: 'a', width: 1, comment: '' }), data = await writeCurves('data', hairs(3), { name: 'a', width: 1, comment: '' });
    expect(await refused('a.hair', hair.slice(0, 200))).toMatch(/points need [\d,]+ bytes, but it has 200/);
    expect(await refused('a.data', data.slice(0, 60))).toMatch(/ends before its last strand/);
    expect(await refused('a.obj', strToU8('v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3'))).toMatch(/holds no curve/);
    expect(await refused('a.txt', strToU8('dear diary, nothing of note'))).toMatch(/not a binary glTF/);
    const many = hair.slice();
    new DataView(many.buffer).setUint32(4, 4e9, true);
    expect(await refused('a.hair', many)).toMatch(/at most 200,000/);
  });
  it('whatever is broken, the answer is a result', async () => {
    const whole = await Promise.all((Object.keys(CURVE_WRITERS) as CurveWriter[]).map(async (k) => [k, await writeCurves(k, hairs(4), { name: 'a', width: 1, comment: '' })] as const));
    await fc.assert(fc.asyncProperty(fc.nat(4), fc.nat(), fc.array(fc.tuple(fc.nat(), fc.nat(255)), { maxLength: 10 }), async (which, cut, hits) => {
      const [kind, bytes] = whole[which], broken = bytes.slice(0, hits.length === 0 ? cut % bytes.length : undefined);
      for (const [at, value] of hits) broken[at % broken.length] = value;
      const r = await openCurves([{ name: `a.${kind}`, bytes: broken }]);
      if (r.ok) expect(r.value.curves.every((c) => c.length >= 6 && c.every(Number.isFinite))).toBe(true);
      else expect(r.error.message.length).toBeGreaterThan(20);
    }), { seed: 5, numRuns: 400 });
  });
});

describe('seating', () => {
  it('unit, axis and root end are guessed from where the skin is', () => {
    const curves = hairs(80);
    for (const [scale, up, change] of [[1, '+y', (x: number, y: number, z: number) => [x, y, z]], [0.01, '+z', (x: number, y: number, z: number) => [100 * x, -100 * z, 100 * y]], [0.0254, '-x', (x: number, y: number, z: number) => [-y / 0.0254, x / 0.0254, z / 0.0254]]] as const) {
      const file = curves.map((c) => Float32Array.from({ length: c.length }, (_, i) => { const o = i - (i % 3); return change(c[o], c[o + 1], c[o + 2])[i % 3]; })), p = guessCurvePlacement(file, surface, { scale: null, up: null });
      expect(p.scale).toBe(scale);
      // a ball looks the same any way up; its hair, which falls, does not say which: only where roots lie counts
      const seated = seatCurves(surface, () => true, placeCurves(file, p), 8, rootsAreLast(placeCurves(file, p), surface), 0.001);
      expect(seated.from.length).toBe(80);
      expect(placeCurves(file, { ...PLACE, scale, up })[3][5]).toBeCloseTo(curves[3][5], 5);
    }
    const backwards = curves.map((c) => Float32Array.from({ length: c.length }, (_, i) => c[c.length - 3 - 3 * Math.floor(i / 3) + (i % 3)]));
    expect(rootsAreLast(curves, surface)).toBe(false);
    expect(rootsAreLast(backwards, surface)).toBe(true);
    const a = seatCurves(surface, () => true, curves, 12, false, 0.001), b = seatCurves(surface, () => true, backwards, 12, true, 0.001);
    a.offsets.forEach((x, i) => expect(Math.abs(x - b.offsets[i])).toBeLessThan(1e-6));
  });
  it('roots go to the skin with their shape; those too far, or beside the plot, are told', () => {
    const curves = hairs(50).map((c, k) => (k === 7 ? c.map((x, i) => (i % 3 === 0 ? x + 0.5 : x)) : k === 9 ? c.map((x) => x * 1.02) : c)), s = seatCurves(surface, (f) => surface.corners(f)[0][1] > -0.08, curves, 10, false, 0.005);
    expect(s.lost.find((l) => l.curve === 7)!.distance).toBeGreaterThan(0.3);
    expect(s.lost.length).toBeGreaterThan(1);
    // below the plot there is skin, which is not of it
    expect(s.lost.some((l) => l.beside && l.distance < 0.005 && curves[l.curve][1] < -0.075)).toBe(true);
    expect(s.lost.filter((l) => !l.beside).every((l) => l.distance > 0.005)).toBe(true);
    expect(s.from.length + s.lost.length).toBe(50);
    const at = Array.from(s.from).indexOf(9);
    expect(s.moved[at]).toBeGreaterThan(0.001);
    expect(polylineLength(s.offsets, 10 * at, 10)).toBeCloseTo(polylineLength(curves[9]), 3);
    for (let g = 0; g < s.from.length; g++) expect(Math.hypot(...rootPlace(surface, s.planting, g))).toBeGreaterThan(0.098);
  });
  it('brought in again, combing stays where roots are the same', () => {
    const curves = hairs(30), first = seatCurves(surface, () => true, curves, 8, false, 0.001), now = first.offsets.slice();
    // guide 4 was combed sideways; then the file came back longer, one guide gone, one new
    for (let i = 1; i < 8; i++) now[24 * 4 + 3 * i] += 0.002 * i;
    const again = seatCurves(surface, () => true, [...curves.filter((_, k) => k !== 11).map((c) => c.map((x, i) => c[i % 3] + 1.2 * (x - c[i % 3]))), hairs(31)[30]], 8, false, 0.001), plain = again.offsets.slice();
    expect(keepEdits(surface, again, 8, { planting: first.planting, brought: first.offsets, now })).toBe(1);
    expect(again.offsets[24 * 4 + 21] - plain[24 * 4 + 21]).toBeCloseTo(0.014, 6);
    expect(Array.from(again.offsets.slice(24 * 5))).toEqual(Array.from(plain.slice(24 * 5)));
  });
});

describe('guides by hand', () => {
  it('one between others takes their shape as the skin turns, and their length', () => {
    const roots = scatterByArea(surface, all, 200, 8), P = 8, offsets = new Float32Array(3 * P * 200);
    for (let i = 0; i < 200; i++) { const n = surface.normal(roots.faces[i]); for (let k = 0; k < P; k++) for (let c = 0; c < 3; c++) offsets[3 * (i * P + k) + c] = (0.05 * k * n[c]) / (P - 1); }
    const fresh = scatterByArea(surface, all, 20, 99), shapes = shapesBetween(surface, roots, offsets, P, fresh);
    for (let i = 0; i < 20; i++) {
      const n = surface.normal(fresh.faces[i]), tip = [0, 1, 2].map((c) => shapes[3 * (i * P + P - 1) + c]);
      expect(polylineLength(shapes, i * P, P)).toBeCloseTo(0.05, 5);
      expect((tip[0] * n[0] + tip[1] * n[1] + tip[2] * n[2]) / 0.05).toBeGreaterThan(0.999);
    }
    // exact at a guide's own root
    const same = shapesBetween(surface, roots, offsets, P, { faces: roots.faces.slice(3, 4), weights: roots.weights.slice(6, 8) });
    same.forEach((x, i) => expect(Math.abs(x - offsets[3 * P * 3 + i])).toBeLessThan(1e-6));
  });
  it('a drawn one is even, no longer than wanted, and less wobbly than the hand', () => {
    const path = Array.from({ length: 60 }, (_, i) => [i * 0.002, 0.0015 * Math.sin(i * 1.7) * (i > 0 ? 1 : 0), 0]).flat();
    const rough = drawnGuide(path, { pointCount: 20, smoothing: 0, longest: Infinity })!, steady = drawnGuide(path, { pointCount: 20, smoothing: 0.5, longest: Infinity })!, wobble = (p: Float32Array): number => Math.max(...Array.from({ length: 18 }, (_, i) => Math.abs(p[3 * (i + 1) + 1])));
    expect(Array.from(steady.slice(0, 3))).toEqual([0, 0, 0]);
    expect(wobble(steady)).toBeLessThan(0.4 * wobble(rough));
    const cut = drawnGuide(path, { pointCount: 10, smoothing: 0, longest: 0.05 })!;
    expect(polylineLength(cut)).toBeLessThan(0.0501);
    expect(drawnGuide([0, 0, 0, 0, 0, 0], { pointCount: 5, smoothing: 0, longest: 1 })).toBeNull();
  });
  it('along the skin it lifts toward the tip, and stays off it', () => {
    const skin = { point: [0, 0.1, 0] as [number, number, number], normal: [0, 1, 0] as [number, number, number] };
    expect(lifted(skin, 0, 0.01, 0.1)[1]).toBeCloseTo(0.1, 9);
    expect(lifted(skin, 0.1, 0.01, 0.1)[1]).toBeCloseTo(0.11, 9);
    const points = Float32Array.from([0, 0.1, 0, 0.02, 0.08, 0, 0.04, 0.15, 0]), before = points.slice();
    keepOff(surface, points, 0.001);
    expect(Math.hypot(points[3], points[4], points[5])).toBeGreaterThan(0.1004);
    expect(Array.from(points.slice(6))).toEqual(Array.from(before.slice(6)));
  });
});
