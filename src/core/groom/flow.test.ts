import { SphereGeometry } from 'three';
import { describe, expect, it } from 'vitest';
import type { Vec3 } from '../math/vec';
import { Surface } from '../mesh/surface';
import { carryFlow } from './carry-over';
import { redrawn } from './draw';
import { flowAt, flowOf, FLOW_NUMBERS, growAlong, mirroredFlow, strokesOf, wayOf, withoutFlow } from './flow';
import { greyAt, imageFromMap, mapFromImage } from './image-map';
import { polylineLength } from './polyline';
import { SkinGrid } from './skin-grid';

function ball(radius = 0.1): Surface {
  const g = new SphereGeometry(radius, 48, 32);
  return new Surface(Float64Array.from(g.getAttribute('position').array), Uint32Array.from(g.getIndex()!.array));
}
const length = (v: ArrayLike<number>): number => Math.hypot(v[0], v[1], v[2]);
/** Along a circle of latitude, at an angle each. */
const round = (at: readonly number[], y = 0, r = 0.1): { point: Vec3; normal: Vec3 }[] => at.map((a) => { const c = Math.sqrt(r * r - y * y), p: Vec3 = [c * Math.cos(a), y, c * Math.sin(a)]; return { point: p, normal: [p[0] / r, y / r, p[2] / r] }; });
const arc = (from: number, to: number): number[] => Array.from({ length: 20 }, (_, k) => from + ((to - from) * k) / 19);

describe('flow', () => {
  it('a stroke is its own way, along the skin; without strokes it is downhill', () => {
    const flow = flowOf(0, round(arc(0, 1)));
    expect(flow.length % FLOW_NUMBERS).toBe(0);
    for (const a of [0.2, 0.5, 0.8]) {
      const p: Vec3 = [0.1 * Math.cos(a), 0, 0.1 * Math.sin(a)], way = flowAt(flow, p, [Math.cos(a), 0, Math.sin(a)]);
      expect(way[0] * -Math.sin(a) + way[2] * Math.cos(a)).toBeGreaterThan(0.999);
      expect(Math.abs(way[0] * Math.cos(a) + way[2] * Math.sin(a))).toBeLessThan(1e-9);
    }
    expect(flowAt([], [0.1, 0, 0], [1, 0, 0])).toEqual([0, -1, 0]);
    expect(length(flowAt([], [0, 0.1, 0], [0, 1, 0]))).toBeCloseTo(1, 9);
  });
  it('between two strokes it turns evenly from the one to the other, without a jump', () => {
    const up = flowOf(0, Array.from({ length: 12 }, (_, k) => ({ point: [0, 0.005 * k, 0] as Vec3, normal: [0, 0, 1] as Vec3 }))), right = flowOf(1, Array.from({ length: 12 }, (_, k) => ({ point: [0.06 + 0.005 * k, 0, 0] as Vec3, normal: [0, 0, 1] as Vec3 }))), flow = [...up, ...right];
    let before = 90;
    for (let x = 0.002; x < 0.06; x += 0.002) {
      const [a, b] = flowAt(flow, [x, 0.01, 0], [0, 0, 1]), angle = (Math.atan2(b, a) * 180) / Math.PI;
      expect(angle).toBeLessThan(before + 1e-6);
      expect(before - angle).toBeLessThan(12);
      before = angle;
    }
    expect(before).toBeLessThan(15);
  });
  it('strokes are taken away by where they are, and mirrored to the other side', () => {
    const flow = [...flowOf(0, round(arc(0, 0.6))), ...flowOf(1, round(arc(0, 0.6), 0.06)), ...flowOf(2, round(arc(Math.PI - 0.6, Math.PI)))];
    expect(strokesOf(flow)).toBe(3);
    expect(strokesOf(withoutFlow(flow, [0.095, 0, 0.03], 0.01))).toBe(2);
    expect(withoutFlow(flow, [0, -0.1, 0], 0.01)).toEqual(flow);
    const both = mirroredFlow(flow, true);
    // the two of the left, and theirs on the right in place of the one that was there
    expect(strokesOf(both)).toBe(4);
    const at = (x: number): Vec3 => flowAt(both, [x * 0.095, 0, 0.031], [x * 0.95, 0, 0.31]);
    const [l, r] = [at(1), at(-1)];
    expect(l[0] + r[0]).toBeCloseTo(0, 6);
    expect(l[2] - r[2]).toBeCloseTo(0, 6);
  });
  it('a lying guide keeps to the skin and its lift with the flow, and has the length asked for', () => {
    const surface = ball(), flow = flowOf(0, round(arc(-1.4, 1.4))), normal: Vec3 = [Math.cos(-1), 0, Math.sin(-1)], root: Vec3 = [0.1 * normal[0], 0, 0.1 * normal[2]], guide = growAlong(surface, root, normal, wayOf(flow), { length: 0.12, pointCount: 16, lift: 0.004 });
    expect(Array.from(guide.slice(0, 3))).toEqual([0, 0, 0]);
    expect(polylineLength(guide)).toBeCloseTo(0.12, 6);
    for (let i = 1; i < 16; i++) {
      const p = [0, 1, 2].map((c) => root[c] + guide[3 * i + c]), off = length(p) - 0.1;
      expect(off).toBeGreaterThan(-2e-4);
      expect(off).toBeLessThan(0.006);
      expect(Math.abs(p[1])).toBeLessThan(0.004);
    }
    expect(Math.atan2(root[2] + guide[47], root[0] + guide[45])).toBeGreaterThan(0);
  });
  it('goes over to another mesh by its nearest skin', () => {
    const flow = flowOf(0, round(arc(0, 1))), on = carryFlow(flow, ball(0.11));
    for (let o = 0; o < on.length; o += FLOW_NUMBERS) { expect(length(on.subarray(o + 1, o + 4))).toBeCloseTo(0.11, 3); expect(length(on.subarray(o + 4, o + 7))).toBeCloseTo(1, 5); }
  });
});

describe('part of a guide drawn anew', () => {
  const guide = Float32Array.from({ length: 48 }, (_, k) => (k % 3 === 1 ? 0.01 * Math.floor(k / 3) : 0));
  it('from a point to the end: what was before stays, the end is the stroke’s', () => {
    const out = redrawn(guide, 8, null, [0, 0.08, 0, 0.03, 0.08, 0, 0.07, 0.08, 0], 0)!;
    expect(polylineLength(out)).toBeCloseTo(0.15, 4);
    for (let i = 0; i <= 8; i++) expect(out[3 * i + 1]).toBeCloseTo(0.01 * i, 3);
    expect([out[45], out[46]].map((v) => Math.round(1000 * v))).toEqual([70, 80]);
  });
  it('between two points: both sides of it stay, and it hangs together', () => {
    const out = redrawn(guide, 5, 10, [0, 0.05, 0, 0.03, 0.075, 0, 0.004, 0.098, 0], 0)!;
    expect(Array.from(out.slice(45))).toEqual([0, expect.closeTo(0.15, 5), 0]);
    expect(Math.max(...out.filter((_, k) => k % 3 === 0))).toBeGreaterThan(0.02);
    for (let i = 1; i < 16; i++) expect(Math.hypot(out[3 * i] - out[3 * i - 3], out[3 * i + 1] - out[3 * i - 2])).toBeLessThan(0.02);
  });
  it('a stroke without length, or back to a place before, is none', () => {
    expect(redrawn(guide, 5, null, [0, 0.05, 0, 0, 0.05, 0], 0)).toBeNull();
    expect(redrawn(guide, 5, 4, [0, 0.05, 0, 0.05, 0.05, 0], 0)).toBeNull();
  });
});

describe('maps and pictures', () => {
  // a square of 4 cm, laid out over the whole picture
  const P = [0, 0, 0, 0.04, 0, 0, 0.04, 0.04, 0, 0, 0.04, 0], grid = new SkinGrid(P, Uint32Array.of(0, 1, 2, 0, 2, 3)), uvs = [0, 0, 1, 0, 1, 1, 0, 1];
  it('a picture read as a map and written again is that picture, as finely as the grid is', () => {
    const size = 64, image = { width: size, height: size, values: Uint8Array.from({ length: size * size }, (_, p) => 127 + 120 * Math.sin((p % size) / 12) * Math.cos(Math.floor(p / size) / 15)) }, back = imageFromMap(grid, uvs, mapFromImage(grid, uvs, image), size);
    expect(back.covered).toBe(1);
    let worst = 0;
    // the picture repeats: its rim is blended with the other one
    for (let y = 6; y < size - 6; y++) for (let x = 6; x < size - 6; x++) worst = Math.max(worst, Math.abs(back.values[y * size + x] - image.values[y * size + x]));
    expect(worst).toBeLessThan(10);
  });
  it('up is up: the first row of the picture is where v is 1', () => {
    const image = { width: 4, height: 4, values: Uint8Array.from({ length: 16 }, (_, p) => (p < 8 ? 255 : 0)) }, map = mapFromImage(grid, uvs, image);
    expect(grid.sample(map, 1, 0.2, 0.7)).toBeGreaterThan(0.9);
    expect(grid.sample(map, 0, 0.7, 0.1)).toBeLessThan(0.1);
    expect(greyAt(image, 0.3, 0.7)).toBe(255);
    expect(greyAt(image, 1.3, 0.9)).toBeCloseTo(greyAt(image, 0.3, 0.9), 6);
  });
  it('beside what is laid out, its rim goes on for some pixels; the rest is black', () => {
    const half = imageFromMap(grid, uvs.map((v) => 0.5 * v), null, 64);
    expect(half.covered).toBeCloseTo(0.25, 2);
    expect([half.values[40 * 64 + 33], half.values[40 * 64 + 36], half.values[40 * 64 + 50]]).toEqual([255, 255, 0]);
  });
});
