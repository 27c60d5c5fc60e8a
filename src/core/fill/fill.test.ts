import { SphereGeometry } from 'three';
import { describe, expect, it } from 'vitest';
import { Surface } from '../mesh/surface';
import { scatterEvenly, scatterByArea } from '../groom/planting';
import { ALL_ROUND, coverage, timesToCover } from './coverage';
import { cardColour, meanTint, strandColour } from './open-cards';
import { BODY_COLOUR } from './pigment';
import { fillPlot, FillShapes, nodeAt, nodeNear, widthAt, type FilledStrands } from './strands';
import { newTreatment, TREATMENT_NAMES, type Treatment } from './treatments';
import { defaultFill, usualTreatments } from '../document/schema';
import { makeRandom } from '../math/random';
import { fillWeights } from './weights';

/** A flat square of 0.2 m, cut through the middle by a slit that is 1 mm wide and open at one end. */
function slitSquare(): Surface {
  const n = 20, P: number[] = [], T: number[] = [];
  for (const side of [-1, 1]) for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) P.push(side * (0.0005 + (0.1 * i) / n), 0, (0.2 * j) / n);
  for (const half of [0, 1]) for (let j = 0; j < n; j++) for (let i = 0; i < n; i++) {
    const a = half * (n + 1) ** 2 + j * (n + 1) + i, b = a + n + 1;
    if (half === 0) T.push(a, b, a + 1, a + 1, b, b + 1);
    else T.push(a, a + 1, b, a + 1, b + 1, b);
  }
  // joined along z = 0.2 only
  const l = n * (n + 1), r = (n + 1) ** 2 + l, v = P.length / 3;
  P.push(0, 0, 0.21);
  T.push(l, r, v);
  return new Surface(Float64Array.from(P), Uint32Array.from(T));
}

describe('fill weights', () => {
  const surface = slitSquare(), faces = Uint32Array.from({ length: surface.triangles.length / 3 }, (_, i) => i);
  const guides = scatterEvenly(surface, faces, 60, 1), strands = scatterByArea(surface, faces, 800, 2);
  const weights = fillWeights(surface, guides, strands);
  it('sum to 1 and are never negative', () => {
    for (let s = 0; s < 800; s++) {
      const w = Array.from(weights.weights.slice(4 * s, 4 * s + 4));
      expect(w.every((v) => v >= 0)).toBe(true);
      expect(w.reduce((a, b) => a + b)).toBeCloseTo(1, 5);
    }
  });
  it('a strand at a guide’s root follows that guide alone', () => {
    const own = fillWeights(surface, guides, guides);
    for (let g = 0; g < 60; g++) {
      expect(own.guides[4 * g]).toBe(g);
      expect(own.weights[4 * g]).toBeGreaterThan(0.999);
    }
  });
  it('go round a slit by the surface, not across it', () => {
    let crossing = 0, near = 0;
    for (let s = 0; s < 800; s++) {
      const [x, , z] = surface.place(strands.faces[s], [1 - strands.weights[2 * s] - strands.weights[2 * s + 1], strands.weights[2 * s], strands.weights[2 * s + 1]]);
      if (Math.abs(x) > 0.02 || z > 0.1) continue;
      near++;
      for (let k = 0; k < 4; k++) {
        const g = weights.guides[4 * s + k], [gx] = surface.place(guides.faces[g], [1 - guides.weights[2 * g] - guides.weights[2 * g + 1], guides.weights[2 * g], guides.weights[2 * g + 1]]);
        if (gx * x < 0) crossing += weights.weights[4 * s + k];
      }
    }
    expect(near).toBeGreaterThan(20);
    expect(crossing / near).toBeLessThan(0.01);
  });
});

describe('filled strands', () => {
  const surface = slitSquare(), faces = Uint32Array.from({ length: 800 }, (_, i) => i), N = 16;
  const guides = scatterEvenly(surface, faces, 40, 1), P = 8;
  const offsets = Float32Array.from({ length: 3 * P * 40 }, (_, i) => { const k = Math.floor(i / 3) % P; return [0.004 * k * Math.sin(i), 0.02 * k, 0][i % 3]; });
  const USUAL = usualTreatments({ clump: 0.6, lock: 0.5, frizzMm: 1, shorter: 0.3 });
  const make = (count: number, treatments: readonly Treatment[] = USUAL, full = 2000): FilledStrands => fillPlot({ surface, faces, guides, offsets, pointCount: P, count, full, seed: 9, density: null, sections: null, treatments, turn: 0.04, nodes: N, maps: {}, mesh: () => null });
  const shapes = (strands: FilledStrands): Float32Array => new FillShapes(strands).at(offsets, P);
  const one = (X: Float32Array, s: number): number[] => Array.from(X.subarray(4 * N * s, 4 * N * (s + 1)));
  const length = (X: Float32Array, s: number): number => { let sum = 0; for (let k = 1; k < N; k++) { const o = 4 * (N * s + k); sum += Math.hypot(X[o] - X[o - 4], X[o + 1] - X[o - 3], X[o + 2] - X[o - 2]); } return sum; };
  it('the preview is the beginning of the full groom, with the same shapes, whatever the treatments', () => {
    for (const list of [USUAL, TREATMENT_NAMES.map((k, i) => newTreatment(k, k, { seed: i }))]) {
      const some = shapes(make(150, list)), all = shapes(make(2000, list));
      for (const s of [0, 7, 149]) expect(one(some, s)).toEqual(one(all, s));
    }
  });
  it('a share of the strands alone comes out as all together', () => {
    const strands = make(300), all = shapes(strands).slice(), part = new FillShapes(strands).at(offsets, P, 120, 180);
    for (const s of [120, 150, 179]) expect(one(part, s)).toEqual(one(all, s));
  });
  it.each([...TREATMENT_NAMES.map((kind, i) => [kind, [newTreatment(kind, kind, { seed: i, driver: { amount: 0.7 } })]] as const), ['the usual ones', USUAL] as const, ['all of them', TREATMENT_NAMES.map((k, i) => newTreatment(k, k, { seed: i }))] as const,
    ['a clump that turns, within another', [newTreatment('clump', 'a'), { ...newTreatment('clump', 'b', { seed: 3 }), numbers: { ...newTreatment('clump', 'b').numbers, to: 1, size: 9, twist: 2 } }]] as const,
    ['amounts from node to node', [newTreatment('curl', 'c', { driver: { formula: '0.3 + 0.5 * along * random' } }), newTreatment('frizz', 'f', { driver: { amount: 1, profile: [[0, 0.2], [1, 1]] } })]] as const])('four strands at once in float32 come out as one after the other in float64, to a two-hundredth of a millimetre: %s', (_, list) => {
    // more than are handed over at once, and not by fours
    const strands = make(4203, list, 6000), slow = new FillShapes(strands, false).at(offsets, P), fast = new FillShapes(strands).at(offsets, P);
    expect(slow.some((v, i) => v !== fast[i])).toBe(true);
    let most = 0;
    for (let i = 0; i < 4 * N * 4203; i++) most = Math.max(most, Math.abs(slow[i] - fast[i]));
    expect(most).toBeLessThan(5e-6);
  });
  it('the root does not move, and lengths stay where the treatment is not about them', () => {
    const bare = shapes(make(200, []));
    for (const kind of TREATMENT_NAMES) {
      const X = shapes(make(200, [newTreatment(kind, kind, { driver: { amount: 0.7 } })]));
      for (let s = 0; s < 200; s++) {
        expect(one(X, s).slice(0, 3)).toEqual([0, 0, 0]);
        const was = length(bare, s), is = length(X, s);
        if (kind === 'length' || kind === 'cut') expect(is).toBeLessThan(was * 1.001);
        else expect(Math.abs(is / was - 1)).toBeLessThan(1e-4);
        expect(Math.abs(X[4 * N * s + 3] / is - 1)).toBeLessThan(1e-4);
      }
    }
  });
  it('without treatments each edge is as long as its guides’ are in the mean', () => {
    const strands = make(60, []), X = shapes(strands), alone = make(40, []);
    alone.follow.guides.set(Uint32Array.from({ length: 160 }, (_, i) => Math.floor(i / 4)));
    const G = shapes(alone);
    for (let s = 0; s < 60; s++) for (let k = 1; k < N; k++) { let mean = 0; for (let q = 0; q < 4; q++) mean += strands.follow.weights[4 * s + q] * G[4 * (N * strands.follow.guides[4 * s + q] + k) + 3]; expect(X[4 * (N * s + k) + 3]).toBeCloseTo(mean, 6); }
  });
  it('a strand at a guide’s root has the guide’s own shape', () => {
    const strands = make(40, []);
    strands.roots.faces.set(guides.faces);
    for (let g = 0; g < 40; g++) { strands.follow.guides.set([g, g, g, g], 4 * g); strands.follow.weights.set([1, 0, 0, 0], 4 * g); strands.normals.set(strands.guideNormals.subarray(3 * g, 3 * g + 3), 3 * g); }
    const X = shapes(strands);
    for (let g = 0; g < 40; g++) for (let c = 0; c < 3; c++) expect(X[4 * (N * g + N - 1) + c]).toBeCloseTo(offsets[3 * (P * g + P - 1) + c], 6);
    expect(nodeAt(0, N)).toBe(0);
    expect(nodeAt(N - 1, N)).toBe(1);
  });
  const COLOURED = (id: string, change: Parameters<typeof newTreatment>[2] = {}): Treatment => newTreatment('tint', id, { colour: '#808080', ...change, numbers: { by: 1, ...change.numbers } });
  it('thickness follows number, curve and formula, one after the other, and a preview has the same; shapes stay', () => {
    const tips = newTreatment('thickness', 'tips', { driver: { amount: 2, profile: [[0, 1], [0.5, 1], [1, 0.25]] } }), some = make(60, [tips, newTreatment('thickness', 'own', { driver: { formula: '0.5 + random' } })]), all = make(500, [tips, newTreatment('thickness', 'own', { driver: { formula: '0.5 + random' } })]);
    expect(shapes(some)).toEqual(shapes(make(60, [])));
    expect(all.widths!.subarray(0, N * 60)).toEqual(some.widths);
    const look = { widthUm: 80, taper: 1, tipFrom: 0, widthSpread: 0 };
    for (let s = 0; s < 60; s++) {
      const own = some.widths![N * s] / 2;
      expect(own).toBeGreaterThanOrEqual(0.5);
      expect(own).toBeLessThanOrEqual(1.5);
      expect(some.widths![N * s + N - 1]).toBeCloseTo(2 * own * 0.25, 5);
      expect(widthAt(look, s, 0, N, some.widths)).toBeCloseTo(80e-6 * 2 * own, 9);
      expect(widthAt(look, s, 0, N, null)).toBeCloseTo(80e-6, 9);
    }
    expect(new Set(Array.from({ length: 60 }, (_, s) => some.widths![N * s])).size).toBeGreaterThan(50);
    expect(make(60).widths).toBe(null);
    expect(make(20, [newTreatment('thickness', 'bad', { driver: { formula: 'nothing + 1' } })]).troubles.map((t) => t.id)).toEqual(['bad']);
  });
  it('a colour that is chosen is met where there is all of it; half of it is half way in absorption; what comes later lies over', () => {
    // Source: IEC 61966-2-1 (sRGB): 128 of 255 is 0.2158605 in linear light; 255 is 1, which hair comes near to, and 0 is nothing
    const fill = { ...defaultFill(), colourSpread: 0, grey: 0 }, bare = strandColour(fill), met = make(30, [COLOURED('grey')]), half = make(30, [COLOURED('half', { driver: { amount: 0.5 } })]);
    for (const share of [0, 0.4, 1]) for (const c of [0, 1, 2]) {
      const k = nodeNear(share, N), at = 4 * (N * 7 + k);
      expect(strandColour(fill)(share, 0.5, met.tints, at)[c]).toBeCloseTo(0.2158605, 5);
      const depth = (v: number): number => (Math.log(v) / BODY_COLOUR) ** 2;
      expect(depth(strandColour(fill)(share, 0.5, half.tints, at)[c])).toBeCloseTo(0.5 * depth(bare(share, 0.5)[c]) + 0.5 * depth(0.2158605), 5);
    }
    const over = make(30, [COLOURED('first', { colour: '#ff2000' }), COLOURED('then')]), under = make(30, [COLOURED('then'), COLOURED('first', { colour: '#ff2000', driver: { amount: 0 } })]);
    expect(strandColour(fill)(0.5, 0.5, over.tints, 4 * N * 3)[0]).toBeCloseTo(0.2158605, 5);
    expect(strandColour(fill)(0.5, 0.5, under.tints, 4 * N * 3)[0]).toBeCloseTo(0.2158605, 5);
  });
  it('streaks are of as many strands as the formula says; cards have the mean of them', () => {
    const streaks = make(2000, [newTreatment('tint', 'streaks', { numbers: { melanin: 0.1, redness: 0 }, driver: { formula: 'step(0.8, random) * ramp(0.2, 0.6, t)' } })]), last = (s: number): number => streaks.tints![4 * (N * s + N - 1)];
    let many = 0;
    for (let s = 0; s < 2000; s++) { expect(streaks.tints![4 * N * s]).toBe(1); expect([0, 1]).toContain(last(s)); if (last(s) === 0) many++; }
    expect(Math.abs(many / 2000 - 0.2)).toBeLessThan(0.03);
    const mean = meanTint(streaks)!, fill = defaultFill(), light = cardColour(fill, mean)(1, 0.5), plain = cardColour(fill, null)(1, 0.5);
    expect(mean.tints[4 * (N - 1)]).toBeCloseTo(1 - many / 2000, 6);
    expect(cardColour(fill, mean)(0, 0.5)).toEqual(cardColour(fill, null)(0, 0.5));
    for (const c of [0, 1, 2]) expect(light[c]).toBeGreaterThan(plain[c]);
  });
  it('treatments that are off do nothing; one that is alone silences the others', () => {
    const off = USUAL.map((t) => ({ ...t, on: false }));
    expect(shapes(make(20, off))).toEqual(shapes(make(20, [])));
    expect(shapes(make(20, [...USUAL, { ...newTreatment('curl', 'c'), solo: true }])).slice(0, 4 * N * 20)).toEqual(shapes(make(20, [newTreatment('curl', 'c')])));
  });
  it('a formula that cannot be read leaves its treatment out and says where', () => {
    const made = make(20, [newTreatment('curl', 'c', { driver: { formula: '0.5 + wdth' } })]);
    expect(made.troubles).toEqual([{ id: 'c', at: 6, message: expect.stringContaining('wdth is not known here') as string }]);
    expect(shapes(made)).toEqual(shapes(make(20, [])));
  });
});

describe('coverage', () => {
  // turned, so that its rows do not lie as the strands do
  const g = new SphereGeometry(0.1, 128, 84).rotateX(0.7).rotateZ(0.5), ball = new Surface(Float64Array.from(g.attributes.position.array), Uint32Array.from(g.index!.array)), faces = Uint32Array.from({ length: ball.triangles.length / 3 }, (_, f) => f), nodes = 2;
  /** Strands that lie level before the ball, 3 mm off it, at random, so far apart on average (m). */
  const level = (apart: number, half = 0.12): Float32Array => { const out: number[] = [], random = makeRandom(6); for (let k = 0; k < (2 * half) / apart; k++) { const y = half * (2 * random() - 1); out.push(-0.12, y, 0.103, 0.12, y, 0.103); } return Float32Array.from(out); };
  const look = (points: Float32Array, width: number, each = 1, directions: readonly (readonly [number, number, number])[] = [[0, 0, 1]]) => coverage({ surface: ball, faces, points, nodes, widthAt: () => width, each, directions });
  it('nothing covers nothing; what is seen is the half that faces', () => {
    const c = look(new Float32Array(0), 1e-3), seen = Array.from(c.faces).filter((v) => !Number.isNaN(v)).length;
    expect(c.bare).toBe(1);
    expect(seen / faces.length).toBeGreaterThan(0.3);
    expect(seen / faces.length).toBeLessThan(0.5);
    expect(Array.from(look(new Float32Array(0), 1e-3, 1, ALL_ROUND).faces).every((v) => v === 1)).toBe(true);
    expect(c.spots.length).toBeGreaterThan(3);
  });
  it('shows what lies between the strands, as found place by place', () => {
    // Source: brute force: which places of the ball, seen from the front, lie behind no strand
    for (const [width, apart] of [[2e-3, 4e-3], [1e-3, 1e-3], [2e-3, 1e-3], [2e-4, 2e-4]]) {
      const strands = level(apart), ys = Array.from({ length: strands.length / 6 }, (_, k) => strands[6 * k + 1]);
      let free = 0, all = 0;
      for (let y = -0.0975; y < 0.0975; y += 2e-5) {
        // faces are judged by their area where they face enough, as the figure is
        const r = Math.sqrt(0.01 - y * y), wide = 2 * 0.1 * Math.acos(Math.min(1, 0.02 / r));
        all += wide;
        if (ys.every((v) => Math.abs(v - y) > width / 2)) free += wide;
      }
      expect(Math.abs(look(strands, width).bare - free / all)).toBeLessThan(0.01);
    }
  });
  it('a tenth of the strands that stand for ten each, as light falls through strands at random', () => {
    // Source: Beer–Lambert; what is left is e to the mean number of strands over a place
    expect(Math.abs(look(level(2e-4), 2e-5, 10).bare - Math.exp(-1))).toBeLessThan(0.05);
  });
  it('as many times as many strands, or as thick, as is said leave what is wanted', () => {
    const bare = look(level(2e-4), 5e-5).bare, times = timesToCover(bare, 0.2);
    expect(times).toBeGreaterThan(4);
    for (const now of [look(level(2e-4), 5e-5 * times).bare, look(level(2e-4 / times), 5e-5).bare]) expect(Math.abs(now - 0.2)).toBeLessThan(0.05);
  });
  it('strands behind cover nothing, and a bald patch is found', () => {
    expect(look(level(5e-4).map((v, i) => (i % 3 === 2 ? -v : v)), 1e-3).bare).toBe(1);
    const upper = look(level(5e-4).map((v, i) => (i % 3 === 1 ? Math.abs(v) + 0.02 : v)), 2e-3);
    expect(upper.spots.length).toBeGreaterThan(2);
    for (const s of upper.spots) expect(ball.place(s.face, [1 / 3, 1 / 3, 1 / 3])[1]).toBeLessThan(0.03);
  });
});
