import { describe, expect, it } from 'vitest';
import { IcosahedronGeometry } from 'three';
import { KeepOff } from '../groom/comb/keep-off';
import { makeRandom } from '../math/random';
import { SkinField } from './skin-field';
import { Surface } from './surface';

const ball = new IcosahedronGeometry(0.1, 6), P = Float64Array.from(ball.getAttribute('position').array), T = Uint32Array.from({ length: P.length / 3 }, (_, v) => v), surface = new Surface(P, T), n = new Float64Array(3);
const at = (p: readonly number[]): Float64Array => Float64Array.from(p), MIDDLE = at([0, 0, 0]);
const sheet = { P: Float64Array.of(-0.1, 0, -0.1, 0.1, 0, -0.1, 0.1, 0, 0.1, -0.1, 0, 0.1), T: Uint32Array.of(0, 2, 1, 0, 3, 2) };

describe('distances from the skin', () => {
  it('are quickly told to be no less than so much, and not far from it', () => {
    const field = new SkinField(P, T, true, 1, 0.006), random = makeRandom(4);
    let told = 0, sure = 0, known = 0;
    for (let k = 0; k < 4000; k++) {
      const v = [random() - 0.5, random() - 0.5, random() - 0.5], l = Math.hypot(...v), r = 0.09 + 0.02 * random(), p = at(v.map((x) => (x / l) * r)), least = field.clear(p, 0), enough = 0.004 * random(), free = field.isClear(p, 0, enough), d = field.at(p, 0, MIDDLE, 0, n);
      expect(least).toBeLessThanOrEqual(d);
      // the finer the oftener it is asked
      if (free) expect(d).toBeGreaterThan(enough);
      if (k > 2000 && d > enough + 0.0015) { sure++; if (free) known++; }
      // from the middle of a box of half the reach, there and back
      if (Math.abs(d) < 0.004) { told++; expect(d - least).toBeLessThan(0.0054); }
    }
    expect(told).toBeGreaterThan(1000);
    expect(sure).toBeGreaterThan(200);
    expect(known / sure).toBeGreaterThan(0.9);
  });
  // against three-mesh-bvh, which Surface asks
  it('are those of a tree of boxes, with the side, on random places', () => {
    const field = new SkinField(P, T, true, 1, 0.006), random = makeRandom(2);
    let near = 0;
    for (let k = 0; k < 4000; k++) {
      const v = [random() - 0.5, random() - 0.5, random() - 0.5], l = Math.hypot(...v), r = 0.085 + 0.03 * random(), p = v.map((x) => (x / l) * r), d = field.at(at(p), 0, MIDDLE, 0, n), hit = surface.nearest(p)!, inside = hit.normal.reduce((s, x, c) => s + x * (p[c] - hit.point[c]), 0) < 0;
      if (hit.distance > field.reach) { expect(d === Infinity || d === -Infinity || d < -field.reach).toBe(true); expect(d < 0).toBe(inside); if (d === Infinity) expect(field.beyond).toBeLessThanOrEqual(hit.distance + 1e-6); continue; }
      near++;
      expect(Math.abs(Math.abs(d) - hit.distance)).toBeLessThan(1e-6);
      if (hit.distance > 1e-6) expect(d < 0).toBe(inside);
      // the way out leads out
      expect(n[0] * p[0] + n[1] * p[1] + n[2] * p[2]).toBeGreaterThan(0);
    }
    expect(near).toBeGreaterThan(1000);
    expect(field.at(at([9, 9, 9]), 0, MIDDLE, 0, n)).toBe(Infinity);
  });
  it('know what is deep inside however large the mesh, and what is far outside', () => {
    const field = new SkinField(P, T, true, 1, 0.003);
    for (const p of [[0, 0, 0], [0.03, -0.04, 0.02], [-0.05, 0.05, 0]]) expect(field.at(at(p), 0, MIDDLE, 0, n)).toBe(-Infinity);
    // out to the corners of the box round it
    for (const p of [[0.099, 0.099, 0.099], [-0.099, 0.099, -0.05], [0.07, -0.09, 0.07]]) expect(field.at(at(p), 0, MIDDLE, 0, n)).toBe(Infinity);
  });
  it('tell the same to the bit whatever was asked before, how often, and with what guess', () => {
    const random = makeRandom(8), places = Array.from({ length: 150 }, () => [0.2 * random() - 0.1, 0.2 * random() - 0.1, 0.2 * random() - 0.1].map((x) => Math.round(x * 500) / 500)), asked = (field: SkinField, p: number[], guess: number): number[] => { const d = field.at(at(p), 0, MIDDLE, 0, n, guess); return [d, field.triangle, ...(Number.isFinite(d) ? n : [])]; };
    const fresh = places.map((p) => asked(new SkinField(P, T, true, 1, 0.02), p, -1)), worn = new SkinField(P, T, true, 1, 0.02);
    for (let round = 0; round < 6; round++) places.forEach((_, k) => { const i = round % 2 === 0 ? k : places.length - 1 - k; expect(asked(worn, places[i], round < 2 ? -1 : Math.floor(random() * (T.length / 3)))).toEqual(fresh[i]); });
    expect(fresh.filter((f) => f.length > 2).length).toBeGreaterThan(30);
  });
  it('are found in a mesh of many more faces than questions, without end or delay', () => {
    // half a million faces on a patch of a metre: as dense as a scanned head
    const m = 500, wide = Float64Array.from({ length: 3 * (m + 1) ** 2 }, (_, k) => { const v = Math.floor(k / 3), x = v % (m + 1), z = Math.floor(v / (m + 1)); return k % 3 === 0 ? x / m : k % 3 === 1 ? 0.02 * Math.sin(x / 40) : z / m; }), faces = new Uint32Array(6 * m * m);
    for (let z = 0, o = 0; z < m; z++) for (let x = 0; x < m; x++, o += 6) { const a = x + (m + 1) * z; faces.set([a, a + m + 1, a + 1, a + 1, a + m + 1, a + m + 2], o); }
    const field = new SkinField(wide, faces, false, 1, 0.012), tree = new Surface(wide, faces), random = makeRandom(4);
    for (let k = 0; k < 200; k++) { const p = [0.1 + 0.8 * random(), 0.02 * random(), 0.1 + 0.8 * random()], hit = tree.nearest(p)!; if (hit.distance < field.reach) expect(Math.abs(Math.abs(field.at(at(p), 0, at([0, 1, 0]), 0, n)) - hit.distance)).toBeLessThan(1e-6); }
  });
  it('of a sheet: the side one comes from is out, and past its border nothing is in the way', () => {
    const field = new SkinField(sheet.P, sheet.T, false, 1, 0.01);
    expect(field.at(at([0, 0.004, 0]), 0, at([0, 1, 0]), 0, n)).toBeCloseTo(0.004, 9);
    expect(field.at(at([0, -0.004, 0]), 0, at([0, 1, 0]), 0, n)).toBeCloseTo(-0.004, 9);
    expect(field.at(at([0, -0.004, 0]), 0, at([0, -1, 0]), 0, n)).toBeCloseTo(0.004, 9);
    expect(field.at(at([0.105, -0.002, 0]), 0, at([0, 1, 0]), 0, n)).toBeGreaterThan(0);
  });
  it.each([0, 1, 2])('past the rim of a mesh that is open below, as a neck is, places are outside, whether an edge of it is nearest or a corner, whichever corner its faces begin with: %d', (begin) => {
    const around = 14, ring = (y: number, jags: number): number[] => Array.from({ length: around }, (_, k) => [0.05 * Math.cos((2 * Math.PI * k) / around), y + jags * (k % 2), 0.05 * Math.sin((2 * Math.PI * k) / around)]).flat(), faces: number[] = [];
    for (let k = 0; k < around; k++) { const a = k, b = (k + 1) % around; faces.push(a, a + around, b, b, a + around, b + around, a + around, 2 * around, b + around); }
    const neck = Float64Array.from([...ring(0, 0.012), ...ring(0.06, 0), 0, 0.07, 0]), field = new SkinField(neck, Uint32Array.from(faces, (_, h) => faces[3 * Math.floor(h / 3) + ((h + begin) % 3)]), true, 1, 0.02), random = makeRandom(6);
    let corners = 0;
    for (let k = 0; k < 3000; k++) {
      const turn = 2 * Math.PI * random(), r = 0.04 + 0.02 * random(), p = at([r * Math.cos(turn), -0.001 - 0.012 * random(), r * Math.sin(turn)]);
      expect(field.at(p, 0, MIDDLE, 0, n)).toBeGreaterThan(0);
      if (Array.from({ length: around }, (_, v) => Math.hypot(neck[3 * v] - p[0], neck[3 * v + 1] - p[1], neck[3 * v + 2] - p[2])).some((d) => Math.abs(d - field.at(p, 0, MIDDLE, 0, n)) < 1e-9)) corners++;
    }
    expect(corners).toBeGreaterThan(50);
    expect(field.at(at([0.04, 0.02, 0]), 0, MIDDLE, 0, n)).toBeLessThan(0);
    expect(field.at(at([0.06, 0.02, 0]), 0, MIDDLE, 0, n)).toBeGreaterThan(0);
  });
});

describe('what strands keep off', () => {
  const strand = (...y: number[]): Float64Array => Float64Array.from(y.flatMap((v, i) => [0, v, 0.01 * i])), lengths = (s: Float64Array): Float64Array => Float64Array.from({ length: s.length / 3 }, (_, i) => (i === 0 ? 0 : Math.hypot(s[3 * i] - s[3 * i - 3], s[3 * i + 1] - s[3 * i - 2], s[3 * i + 2] - s[3 * i - 1])));
  it('stay out of cloth they are pushed into, lengths kept; what is under it already is let be', () => {
    const keep = new KeepOff([{ positions: sheet.P, triangles: sheet.T, worn: true }], 0.001), before = strand(0.02, 0.012, 0.006, 0.004), wanted = strand(0.02, 0.012, 0.003, -0.004), l = lengths(before), own = lengths(wanted);
    keep.begin(4);
    const now = wanted.slice();
    expect(keep.layOut(now, 0, 4, 0, before, own)).toBe(true);
    for (let i = 2; i < 4; i++) expect(now[3 * i + 1]).toBeGreaterThan(0.0009);
    lengths(now).forEach((v, i) => expect(v).toBeCloseTo(own[i], 9));
    expect(l[3]).toBeGreaterThan(0);
    const under = new KeepOff([{ positions: P, triangles: T, worn: true }], 0.001), low = strand(0.09, 0.088, 0.086, 0.084), lower = low.slice();
    lower[10] -= 0.002;
    under.begin(4);
    expect(under.layOut(lower, 0, 4, 0, low, lengths(lower))).toBe(true);
    expect(lower[10]).toBeCloseTo(low[10] - 0.002, 9);
  });
  it('know places from stroke to stroke, and ask again where strands have gone', () => {
    const keep = new KeepOff([{ positions: P, triangles: T, worn: false }], 0.001), out = Float64Array.of(0, 0.1, 0, 0, 0.11, 0, 0, 0.12, 0), into = Float64Array.of(0, 0.1, 0, 0.009, 0.099, 0, 0.018, 0.094, 0), first = out.slice();
    keep.begin(3);
    expect(keep.layOut(first, 0, 3, 0, out, lengths(out))).toBe(true);
    expect(first).toEqual(out);
    expect(keep.warm(out, 0, () => false)).toBe(3);
    const now = into.slice();
    keep.begin(3);
    expect(keep.layOut(now, 0, 3, 0, out, lengths(into))).toBe(true);
    for (let i = 1; i < 3; i++) expect(Math.hypot(now[3 * i], now[3 * i + 1], now[3 * i + 2])).toBeGreaterThan(0.0995);
  });
});
