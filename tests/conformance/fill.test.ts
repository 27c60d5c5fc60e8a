/** Filling against what it promises: weights, treatments measured on their output, chances, lobes, frames, cards. */
import { describe, expect, it } from 'vitest';
import { SphereGeometry } from 'three';
import { newDocument, defaultFill } from '../../src/core/document/schema';
import { makeCards } from '../../src/core/fill/cards';
import { drive, strandRandom } from '../../src/core/fill/drivers';
import { isTrouble, readFormula } from '../../src/core/fill/formula';
import { fresnel, gaussian, inner, innerGain, mirrored, mirrorGain, through, throughGain, throughWay } from '../../src/core/fill/lobes';
import { absorptionOf, BODY_COLOUR, EUMELANIN, PHEOMELANIN } from '../../src/core/fill/pigment';
import { Sections } from '../../src/core/fill/sections';
import { carry, sine, STATE } from '../../src/core/fill/steps';
import { fillPlot, FillShapes, nodeAt, nodesFor, widthAt, type FilledStrands, type FillInput } from '../../src/core/fill/strands';
import { newTreatment, type Treatment } from '../../src/core/fill/treatments';
import { fillWeights } from '../../src/core/fill/weights';
import { scatterByArea, type Planting } from '../../src/core/groom/planting';
import { scatterRoots } from '../../src/core/groom/scatter';
import { makeRandom } from '../../src/core/math/random';
import { Surface } from '../../src/core/mesh/surface';

/** A flat square of a side, m, facing up. */
function square(side: number, n = 24): Surface {
  const P: number[] = [], T: number[] = [];
  for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) P.push(side * (i / n - 0.5), 0, side * (j / n - 0.5));
  for (let j = 0; j < n; j++) for (let i = 0; i < n; i++) { const a = j * (n + 1) + i; T.push(a, a + n + 1, a + 1, a + 1, a + n + 1, a + n + 2); }
  return new Surface(Float64Array.from(P), Uint32Array.from(T));
}
const facesOf = (s: Surface): Uint32Array => Uint32Array.from({ length: s.triangles.length / 3 }, (_, f) => f);
const placeOf = (s: Surface, p: Planting, i: number): number[] => s.place(p.faces[i], [1 - p.weights[2 * i] - p.weights[2 * i + 1], p.weights[2 * i], p.weights[2 * i + 1]]);
/** Straight guides of a length, standing on a square. */
function standing(treatments: readonly Treatment[], { length = 0.3, count = 300, nodes = 64, guides = 30, change = {} as Partial<FillInput> } = {}): { strands: FilledStrands; X: Float32Array; offsets: Float32Array; surface: Surface } {
  const surface = square(0.2), faces = facesOf(surface), planting = scatterRoots(surface, faces, guides, 3), P = 16, offsets = new Float32Array(3 * P * planting.faces.length);
  for (let g = 0; g < planting.faces.length; g++) for (let i = 0; i < P; i++) offsets[3 * (P * g + i) + 1] = (length * i) / (P - 1);
  const strands = fillPlot({ surface, faces, guides: planting, offsets, pointCount: P, count, full: count, seed: 5, density: null, sections: null, treatments, turn: 0.04, nodes, maps: {}, mesh: () => null, ...change });
  return { strands, X: new FillShapes(strands).at(offsets, P), offsets, surface };
}
/** Places of strand s from its root. */
const nodesOf = ({ strands, X }: { strands: FilledStrands; X: Float32Array }, s: number): number[][] => Array.from({ length: strands.nodes }, (_, k) => Array.from(X.subarray(4 * (strands.nodes * s + k), 4 * (strands.nodes * s + k) + 3)));

describe('weights', () => {
  const surface = square(0.2), faces = facesOf(surface), guides = scatterRoots(surface, faces, 60, 1);
  const along = (n: number, sections: Sections | null = null) => {
    // a walk over the square in small steps
    const walk: Planting = { faces: new Uint32Array(n), weights: new Float32Array(2 * n) };
    for (let k = 0; k < n; k++) { const hit = surface.nearest([-0.07 + (0.14 * k) / (n - 1), 0, 0.03 * Math.sin(k / (n / 9))])!; walk.faces[k] = hit.face; walk.weights[2 * k] = hit.barycentric[1]; walk.weights[2 * k + 1] = hit.barycentric[2]; }
    return { walk, follow: fillWeights(surface, guides, walk, () => 1, sections) };
  };
  const full = (follow: ReturnType<typeof fillWeights>, k: number): Float64Array => { const out = new Float64Array(60); for (let q = 0; q < 4; q++) out[follow.guides[4 * k + q]] += follow.weights[4 * k + q]; return out; };
  it('sum to one and are never negative; at a guide’s root it alone counts', () => {
    const { follow } = along(1000), own = fillWeights(surface, guides, guides);
    for (let k = 0; k < 1000; k++) { const w = follow.weights.subarray(4 * k, 4 * k + 4); expect(Math.min(...w)).toBeGreaterThanOrEqual(0); expect(w.reduce((a, b) => a + b)).toBeCloseTo(1, 5); }
    for (let g = 0; g < 60; g++) { expect(own.guides[4 * g]).toBe(g); expect(own.weights[4 * g]).toBeGreaterThan(0.9999); }
  });
  it('do not pop: halving the step halves the greatest change', () => {
    const most = (n: number): number => { const { follow } = along(n); let worst = 0, before = full(follow, 0); for (let k = 1; k < n; k++) { const now = full(follow, k); for (let g = 0; g < 60; g++) worst = Math.max(worst, Math.abs(now[g] - before[g])); before = now; } return worst; };
    const a = most(4000), b = most(8000), c = most(16000);
    console.log(`weights: greatest change at a step of 35, 18, 9 µm: ${a.toFixed(4)}, ${b.toFixed(4)}, ${c.toFixed(4)}`);
    expect(b).toBeLessThan(0.6 * a);
    expect(c).toBeLessThan(0.6 * b);
  });
  it('no guide reaches across a parting but within its soft width, and there without a pop', () => {
    const line: number[] = [];
    for (let k = 0; k <= 40; k++) line.push(0.012, 0, -0.1 + (0.2 * k) / 40, 0, 1, 0);
    for (const soft of [0, 0.006]) {
      const sections = new Sections([{ places: line, soft }], null, guides), { walk, follow } = along(8000, sections);
      let worst = 0, before = full(follow, 0);
      for (let k = 0; k < 8000; k++) {
        const [x] = placeOf(surface, walk, k), now = full(follow, k);
        let across = 0;
        for (let g = 0; g < 60; g++) { if ((placeOf(surface, guides, g)[0] - 0.012) * (x - 0.012) < 0) across += now[g]; worst = Math.max(worst, Math.abs(now[g] - before[g])); }
        if (Math.abs(x - 0.012) > soft + 1e-4) expect(across).toBeLessThan(1e-6);
        before = now;
      }
      if (soft > 0) expect(worst).toBeLessThan(0.05);
    }
  });
  it('parts that are painted in different greys do not hear each other', () => {
    const map = (f: number): number => (surface.place(f, [1 / 3, 1 / 3, 1 / 3])[2] > 0 ? 1 : 0.4), follow = fillWeights(surface, guides, scatterByArea(surface, faces, 500, 4), () => 1, new Sections([], map, guides)), strands = scatterByArea(surface, faces, 500, 4);
    for (let s = 0; s < 500; s++) for (let q = 0; q < 4; q++) if (follow.weights[4 * s + q] > 0) expect(map(guides.faces[follow.guides[4 * s + q]])).toBe(map(strands.faces[s]));
  });
  it('curls of guides on a round head do not cancel: their turns go with the skin', () => {
    // Source: two like curls on skin that faces apart, blended; one curl's radius is known
    const g = new SphereGeometry(0.09, 48, 32), ball = new Surface(Float64Array.from(g.attributes.position.array), Uint32Array.from(g.index!.array)), faces2 = facesOf(ball), planting = scatterRoots(ball, faces2, 120, 2), P = 40, offsets = new Float32Array(3 * P * planting.faces.length), radius = 0.005, pitch = 0.02;
    for (let i = 0; i < planting.faces.length; i++) {
      const n = ball.normal(planting.faces[i]), a = Math.abs(n[1]) < 0.9 ? [0, 1, 0] : [1, 0, 0], u0 = [a[1] * n[2] - a[2] * n[1], a[2] * n[0] - a[0] * n[2], a[0] * n[1] - a[1] * n[0]], l = Math.hypot(...u0), u = u0.map((v) => v / l), w = [n[1] * u[2] - n[2] * u[1], n[2] * u[0] - n[0] * u[2], n[0] * u[1] - n[1] * u[0]];
      for (let k = 0; k < P; k++) { const h = (0.06 * k) / (P - 1), p = (2 * Math.PI * h) / pitch, r = radius * Math.min(1, h / 0.01); for (let c = 0; c < 3; c++) offsets[3 * (P * i + k) + c] = h * n[c] + r * (Math.cos(p) * u[c] + Math.sin(p) * w[c]); }
    }
    const make = (turn: number): number => {
      const band = Uint32Array.from(faces2).filter((f) => Math.abs(ball.normal(f)[1]) < 0.5), strands = fillPlot({ surface: ball, faces: band, guides: planting, offsets, pointCount: P, count: 300, full: 300, seed: 3, density: null, sections: null, treatments: [], turn, nodes: 64, maps: {}, mesh: () => null }), X = new FillShapes(strands).at(offsets, P);
      let sum = 0, n = 0;
      for (let s = 0; s < 300; s++) for (let k = 30; k < 60; k++) { const o = 4 * (64 * s + k), m = strands.normals.subarray(3 * s, 3 * s + 3), up = X[o] * m[0] + X[o + 1] * m[1] + X[o + 2] * m[2]; sum += Math.hypot(X[o] - up * m[0], X[o + 1] - up * m[1], X[o + 2] - up * m[2]); n++; }
      return sum / n;
    };
    const turned = make(0.4), hung = make(0);
    console.log(`curl of 5 mm between guides of a round head: ${(1e3 * turned).toFixed(2)} mm turned with the skin, ${(1e3 * hung).toFixed(2)} mm as they hang`);
    expect(Math.abs(turned - radius)).toBeLessThan(Math.abs(hung - radius));
    expect(turned).toBeGreaterThan(0.75 * radius);
  });
});

describe('treatments measured on their output', () => {
  it('the sine all of them share is the sine', () => { for (let x = -3; x < 3; x += 0.0037) expect(Math.abs(sine(x) - Math.sin(2 * Math.PI * x))).toBeLessThan(2e-7); });
  it('curls have the radius and pitch asked for, within 1 %, and keep the length', () => {
    for (const [radiusMm, pitchMm] of [[3, 40], [6, 40], [10, 60], [4, 90]]) {
      const made = standing([newTreatment('curl', 'c', { numbers: { radiusMm, pitchMm, phases: 1, within: 0, other: 0.4 } })]);
      let r = 0, n = 0, other = 0;
      for (let s = 0; s < 60; s++) {
        const nodes = nodesOf(made, s);
        // about the axis through the strand's own mean, beyond the first turn
        const from = nodes.findIndex((p) => p[1] > (1.2 * pitchMm) / 1000), turns = [];
        for (let k = from; k < nodes.length; k++) { r += Math.hypot(nodes[k][0], nodes[k][2]); n++; turns.push(Math.atan2(nodes[k][2], nodes[k][0])); }
        for (let k = 1; k < turns.length; k++) turns[k] += 2 * Math.PI * Math.round((turns[k - 1] - turns[k]) / (2 * Math.PI));
        const pitch = (2 * Math.PI * (nodes[nodes.length - 1][1] - nodes[from][1])) / Math.abs(turns[turns.length - 1] - turns[0]);
        expect(Math.abs(pitch / (pitchMm / 1000) - 1)).toBeLessThan(0.01);
        if (turns[turns.length - 1] > turns[0]) other++;
        const length = nodes.reduce((sum, p, k) => sum + (k === 0 ? 0 : Math.hypot(...p.map((v, c) => v - nodes[k - 1][c]))), 0);
        expect(Math.abs(length / 0.3 - 1)).toBeLessThan(1e-4);
      }
      expect(Math.abs(r / n / (radiusMm / 1000) - 1)).toBeLessThan(0.01);
      expect(other / 60).toBeGreaterThan(0.2);
      expect(other / 60).toBeLessThan(0.8);
    }
  });
  it('waves have the height and length asked for, in one plane', () => {
    for (const [heightMm, lengthMm] of [[4, 50], [8, 60]]) {
      const made = standing([newTreatment('wave', 'w', { numbers: { heightMm, lengthMm, phases: 1, within: 0, planeDeg: 30 } })]);
      for (let s = 0; s < 40; s++) {
        const nodes = nodesOf(made, s).filter((p) => p[1] > (0.75 * lengthMm) / 1000), [[ax, , az]] = [...nodes].sort((a, b) => Math.hypot(b[0], b[2]) - Math.hypot(a[0], a[2])), l = Math.hypot(ax, az), off = nodes.map((p) => (p[0] * ax + p[2] * az) / l);
        for (const p of nodes) expect(Math.abs(p[0] * az - p[2] * ax) / l).toBeLessThan(2e-4);
        expect(Math.abs(Math.max(...off.map(Math.abs)) / (heightMm / 1000) - 1)).toBeLessThan(0.03);
        // where it goes through nothing: half a wave apart
        const zeros: number[] = [];
        for (let k = 1; k < off.length; k++) if (off[k] * off[k - 1] < 0) zeros.push(nodes[k - 1][1] + ((nodes[k][1] - nodes[k - 1][1]) * off[k - 1]) / (off[k - 1] - off[k]));
        if (zeros.length > 2) expect(Math.abs((2 * (zeros[zeros.length - 1] - zeros[0])) / (zeros.length - 1) / (lengthMm / 1000) - 1)).toBeLessThan(0.03);
      }
    }
  });
  it('frizz holds the wavelengths asked for and no others, as high as asked', () => {
    const heightMm = 0.6, lengthMm = 50, made = standing([newTreatment('frizz', 'f', { numbers: { heightMm, lengthMm } })], { length: 1, count: 200, nodes: 256 }), N = 256;
    const power = new Float64Array(60), freq = (i: number): number => 2 + i; // turns a metre
    let square2 = 0, n = 0;
    for (let s = 0; s < 200; s++) {
      const nodes = nodesOf(made, s);
      for (const c of [0, 2]) {
        for (let k = 60; k < N; k++) { square2 += nodes[k][c] ** 2; n++; }
        // Source: Lomb–Scargle periodogram of unevenly spaced values, without its offset, from memory
        for (let i = 0; i < power.length; i++) { let a = 0, b = 0, aa = 0, bb = 0; for (let k = 20; k < N; k++) { const w = (nodeAt(k, N) - nodeAt(k - 1, N)), p = 2 * Math.PI * freq(i) * nodeAt(k, N), x = nodes[k][c]; a += w * x * Math.cos(p); b += w * x * Math.sin(p); aa += w * Math.cos(p) ** 2; bb += w * Math.sin(p) ** 2; } power[i] += (a * a) / aa + (b * b) / bb; }
      }
    }
    const all = power.reduce((x, y) => x + y), within = power.reduce((sum, v, i) => sum + (freq(i) >= 1000 / (1.3 * lengthMm) - 1 && freq(i) <= 1000 / (0.77 * lengthMm) + 1 ? v : 0), 0);
    console.log(`frizz of ${lengthMm} mm: ${((100 * within) / all).toFixed(1)} % of the power within its band, ${(1e3 * Math.sqrt(square2 / n)).toFixed(3)} mm root mean square of ${heightMm}`);
    expect(within / all).toBeGreaterThan(0.93);
    expect(Math.abs(Math.sqrt(square2 / n) / (heightMm / 1000) - 1)).toBeLessThan(0.05);
  });
  it('a bend turns the tip by its angle toward its direction', () => {
    const made = standing([newTreatment('bend', 'b', { numbers: { angleDeg: 60, turnDeg: 90, riseDeg: 0, chance: 0 } })]), nodes = nodesOf(made, 7), [a, b] = nodes.slice(-2), d = a.map((v, c) => b[c] - v), l = Math.hypot(...d);
    expect(Math.abs((Math.acos(d[1] / l) * 180) / Math.PI - 60)).toBeLessThan(1.5);
    expect(d[0]).toBeGreaterThan(0.8 * l);
    expect(Math.abs(d[2])).toBeLessThan(1e-4 * l);
  });
  it('a clump of amount 1 brings strands to their centre at the tip and leaves their roots; twist winds them about it', () => {
    const tight = standing([newTreatment('clump', 'k', { numbers: { size: 30 }, driver: { amount: 1, profile: [[0, 0], [0.5, 1], [1, 1]] } })]), { strands } = tight, own = strands.steps[0].own, N = strands.nodes;
    for (let s = 0; s < 300; s++) {
      const centre = own[4 * s + 1], o = 4 * (N * s + N - 1), c = 4 * (N * centre + N - 1);
      expect(centre).toBeGreaterThanOrEqual(300);
      const apart = [0, 1, 2].map((k) => strands.places[3 * s + k] + tight.X[o + k] - strands.places[3 * centre + k] - tight.X[c + k]);
      // the way there is longer than straight on, and the strand no longer than it was: half of it goes aside
      const aside = Math.hypot(strands.places[3 * s] - strands.places[3 * centre], strands.places[3 * s + 2] - strands.places[3 * centre + 2]);
      expect(Math.hypot(apart[0], apart[2])).toBeLessThan(6e-4);
      expect(apart[1]).toBeLessThan(1e-4);
      expect(-apart[1]).toBeLessThan(Math.hypot(0.15, 1.2 * aside) - 0.15 + 1e-3);
    }
    const wound = standing([newTreatment('clump', 'k', { numbers: { size: 30, twist: 1 }, driver: { amount: 0, profile: [[0, 0], [1, 1]] } })]), untouched = standing([]);
    expect(wound.X.slice(0, 4 * N * 300)).toEqual(untouched.X);
    const turned = standing([newTreatment('clump', 'k', { numbers: { size: 30, twist: 0.5 }, driver: { amount: 0.001, profile: [[0, 1], [1, 1]] } })]);
    for (let s = 0; s < 300; s++) {
      const ce = turned.strands.steps[0].own[4 * s + 1], off = [0, 2].map((k) => turned.strands.places[3 * s + k] - turned.strands.places[3 * ce + k]), tip = [0, 2].map((k) => off[k / 2] + turned.X[4 * (N * s + N - 1) + k]);
      // half a turn at the tip: on the other side
      if (Math.hypot(...off) > 0.004 && Math.hypot(...off) < 0.02) expect((off[0] * tip[0] + off[1] * tip[1]) / (off[0] ** 2 + off[1] ** 2)).toBeLessThan(-0.8);
    }
  });
  it('cuts end strands at a length, a level and a mesh', () => {
    const lid = new Surface(Float64Array.of(-1, 0.12, -1, 1, 0.12, -1, 0, 0.12, 2), Uint32Array.of(0, 1, 2)), height = (t: Treatment, change: Partial<FillInput> = {}): number[] => { const made = standing([t], { change }); return Array.from({ length: 100 }, (_, s) => nodesOf(made, s).at(-1)![1]); };
    for (const h of height(newTreatment('cut', 'x', { numbers: { at: 0, lengthCm: 11 } }))) expect(h).toBeCloseTo(0.11, 4);
    for (const h of height(newTreatment('cut', 'x', { numbers: { at: 1, levelCm: 7 } }))) expect(h).toBeCloseTo(0.07, 4);
    for (const h of height(newTreatment('cut', 'x', { numbers: { at: 2 }, mesh: 'lid' }), { mesh: (name) => (name === 'lid' ? lid : null) })) expect(h).toBeCloseTo(0.12, 4);
    expect(standing([newTreatment('cut', 'x', { numbers: { at: 2 }, mesh: 'nobody' })]).strands.troubles[0].message).toBe('There is no mesh nobody to cut at.');
  });
  it('strands get as many nodes as their shortest wave asks for', () => {
    expect(nodesFor([], 0.3)).toBe(16);
    expect(nodesFor([newTreatment('curl', 'c', { numbers: { radiusMm: 3, pitchMm: 40 } })], 0.2)).toBe(32);
    expect(nodesFor([newTreatment('wave', 'c', { numbers: { lengthMm: 5 } })], 0.4)).toBe(64);
    expect(nodesFor([newTreatment('wave', 'c', { on: false, numbers: { lengthMm: 5 } })], 0.4)).toBe(16);
  });
});

describe('chance', () => {
  /** Source: Kolmogorov–Smirnov: of n numbers from a distribution the greatest gap is below 1.63 / √n in 99 of 100 cases, from memory. */
  const gap = (values: number[], cumulative: (x: number) => number): number => { const v = [...values].sort((a, b) => a - b); return v.reduce((worst, x, i) => Math.max(worst, Math.abs((i + 1) / v.length - cumulative(x)), Math.abs(i / v.length - cumulative(x))), 0); };
  it('random numbers of strands are even, for neighbours, seeds and kinds alike', () => {
    for (const seed of [0, 1, 2, 77]) for (const k of [1, 2, 3, 7]) expect(gap(Array.from({ length: 4000 }, (_, s) => strandRandom(s, seed, k)), (x) => x)).toBeLessThan(1.63 / Math.sqrt(4000));
    // and not of one another
    let xy = 0;
    for (let s = 0; s < 4000; s++) xy += (strandRandom(s, 1, 1) - 0.5) * (strandRandom(s, 1, 2) - 0.5) + (strandRandom(s, 1, 1) - 0.5) * (strandRandom(s, 2, 1) - 0.5) + (strandRandom(s, 1, 1) - 0.5) * (strandRandom(s + 1, 1, 1) - 0.5);
    expect(Math.abs(xy / 4000)).toBeLessThan(3 * 3 * (1 / 12) / Math.sqrt(4000));
  });
  it('amounts lie evenly between least and greatest; lengths by their evenness', () => {
    const made = standing([newTreatment('curl', 'c', { driver: { amount: 2, low: 0.5, high: 0.8 } })], { count: 3000, nodes: 16 }), own = made.strands.steps[0].own;
    expect(gap(Array.from({ length: 3000 }, (_, s) => own[4 * s]), (x) => (x - 1) / 0.6)).toBeLessThan(1.63 / Math.sqrt(3000));
    const short = standing([newTreatment('length', 'l', { driver: { amount: 0.5 }, numbers: { even: 2 } })], { count: 3000, nodes: 16 });
    // a share u² of half the length goes: P(length < x) = 1 − √((1 − x)/0.5)
    expect(gap(Array.from({ length: 3000 }, (_, s) => short.X[64 * s + 3] / 0.3), (x) => 1 - Math.sqrt(Math.max(0, 1 - x) / 0.5))).toBeLessThan(1.63 / Math.sqrt(3000));
  });
  it('a share of strays is that share', () => {
    const made = standing([newTreatment('stray', 's', { numbers: { share: 0.1, reachMm: 40 } })], { count: 4000, nodes: 16 });
    let out = 0;
    for (let s = 0; s < 4000; s++) { const o = 4 * (16 * s + 15); if (Math.hypot(made.X[o], made.X[o + 2]) > 1e-4) out++; }
    // Source: binomial, three deviations
    expect(Math.abs(out / 4000 - 0.1)).toBeLessThan(3 * Math.sqrt((0.1 * 0.9) / 4000));
  });
});

describe('formulas', () => {
  const roots: Planting = { faces: new Uint32Array(3), weights: new Float32Array(6) }, input = { roots, ids: Uint32Array.of(0, 1, 2), places: Float32Array.of(0, 1, 0, 0, 1.5, 0, 0.1, 1, 0), normals: Float32Array.of(0, 1, 0, 1, 0, 0, 0, 0, 1), lengths: Float32Array.of(0.1, 0.2, 0.3), maps: { free1: () => 0.25, length: () => 0.5 }, shares: Float32Array.of(0, 0.5, 1) };
  const amounts = (formula: string) => drive({ amount: 1, profile: [[0, 1], [1, 1]], map: '', low: 1, high: 1, formula }, 1, input);
  it('name what they may name, and come to what arithmetic says', () => {
    for (const [formula, expected] of [['0.5', [0.5, 0.5, 0.5]], ['length / 40', [0.25, 0.5, 0.75]], ['up', [1, 0, 0]], ['ramp(10, 30, length)', [0, 0.5, 1]], ['free1 * 2', [0.5, 0.5, 0.5]], ['lengthMap', [0.5, 0.5, 0.5]], ['height > 120 ? 1 : 0.1', [0.1, 1, 0.1]], ['mix(0.2, 0.6, left)', [0.2, 0.6, 0.2]], ['within(length, 0, 2) ^ 2 / 4', [1, 1, 1]], ['step(15, length)', [0, 1, 1]]] as const) amounts(formula).amounts.forEach((v, s) => expect(v).toBeCloseTo(expected[s], 5));
    const along = amounts('t * 0.5');
    expect(Array.from(along.table!.subarray(0, 3))).toEqual([0, 0.25, 0.5]);
  });
  it('say what is wrong and where, and hold nothing else', () => {
    for (const [formula, at, word] of [['0.5 +', 5, 'Unexpected end'], ['0.5 + lenght', 6, 'lenght is not known'], ['foo(3)', 0, 'no function foo'], ['t.constructor', null, 'Only numbers'], ['x = 3', null, 'Only numbers'], ['[1, 2]', null, 'Only numbers'], ['"a"', null, 'Only numbers'], ['import("fs")', 0, 'no function import'], ['1; 2', null, 'Only numbers'], ['eval("1")', 0, 'no function eval'], ['f(x) = x', null, '']] as const) {
      const r = readFormula(formula, []);
      expect(isTrouble(r), formula).toBe(true);
      if (isTrouble(r)) { expect(r.message).toContain(word); if (at !== null) expect(r.at).toBe(at); }
    }
    expect(amounts('log(length - 20.5)').trouble?.message).toContain('For 2 strands');
  });
});

describe('light', () => {
  it('what goes round the whole sphere is never more than came, at any gloss and inclination', () => {
    // Source: the furnace test: a strand without colour in light from everywhere
    for (const gloss of [0, 0.5, 1, 1.5]) for (const sv of [0, 0.3, 0.6, 0.85, 0.95]) {
      const tv = Math.asin(sv), n = 240, m = 240;
      let sum = 0;
      for (let i = 0; i < n; i++) for (let j = 0; j < m; j++) {
        const tl = -Math.PI / 2 + ((i + 0.5) / n) * Math.PI, phi = ((j + 0.5) / m) * 2 * Math.PI, w = Math.cos(tl) * (Math.PI / n) * ((2 * Math.PI) / m), sl = Math.sin(tl), cp = Math.cos(phi), vl = sl * sv + Math.cos(tl) * Math.cos(tv) * cp;
        sum += w * (mirrorGain(gloss) * mirrored(sl, sv, cp, vl, 0) + throughGain(gloss) * through(sl, sv, cp, 0) + innerGain(gloss) * inner(sl, sv, cp, 0));
      }
      expect(sum).toBeLessThanOrEqual(1.0001);
      if (gloss === 0 && sv < 0.9) expect(sum).toBeGreaterThan(0.7);
    }
  });
  it('each lobe along the strand is a normal distribution of sines', () => {
    let sum = 0, second = 0;
    for (let x = -2; x < 2; x += 1e-3) { sum += gaussian(0.15, x) * 1e-3; second += x * x * gaussian(0.15, x) * 1e-3; }
    expect(sum).toBeCloseTo(1, 5);
    expect(Math.sqrt(second)).toBeCloseTo(0.15, 4);
  });
  it('reflects at the surface as Fresnel’s formulas say for an index of 1.55', () => {
    // Source: Fresnel's equations
    for (const c of [1, 0.9, 0.7, 0.5, 0.3]) { const n = 1.55, ct = Math.sqrt(1 - (1 - c * c) / (n * n)), s = ((c - n * ct) / (c + n * ct)) ** 2, p = ((ct - n * c) / (ct + n * c)) ** 2; expect(Math.abs(fresnel(c) - (s + p) / 2)).toBeLessThan(0.035); }
    expect(fresnel(1)).toBeCloseTo(((1.55 - 1) / (1.55 + 1)) ** 2, 4);
  });
  it('the way through a strand is a chord of its section, longer where light runs along it', () => {
    for (const cp of [-1, -0.5, 0]) { const w = throughWay(0, 0, cp); expect(w).toBeGreaterThan(0); expect(w).toBeLessThanOrEqual(2.0001); expect(throughWay(0.7, -0.7, cp)).toBeGreaterThan(w); }
    expect(throughWay(0, 0, -1)).toBeCloseTo(2, 4);
  });
  it('pigments absorb as published, and colours chosen come out as they are', () => {
    // Source: Pharr, Jakob & Humphreys, Physically Based Rendering, 4th ed., section 9.9, from memory: σ of unit concentration
    expect(EUMELANIN).toEqual([0.419, 0.697, 1.37]);
    expect(PHEOMELANIN).toEqual([0.187, 0.4, 1.05]);
    const fill = defaultFill(), black = absorptionOf({ ...fill, melanin: 3, redness: 0 }, 'root'), red = absorptionOf({ ...fill, melanin: 0.1, redness: 1 }, 'root');
    expect(black.every((v, k) => v > red[k])).toBe(true);
    // red hair: far less red absorbed than blue
    expect(red[2] / red[0]).toBeGreaterThan(4);
    const chosen = absorptionOf({ ...fill, colourBy: 'choice', rootColour: '#808080', tipsColour: '#ff8000' }, 'tip');
    expect(Math.exp(-BODY_COLOUR * Math.sqrt(chosen[0]))).toBeCloseTo(1, 5);
    expect(Math.exp(-BODY_COLOUR * Math.sqrt(chosen[1]))).toBeCloseTo(((128 / 255 + 0.055) / 1.055) ** 2.4, 5);
  });
});

describe('frames', () => {
  it('turn no more than they must: the error falls with the fourth power of the step', () => {
    // Source: Wang et al. 2008: fourth order; the curve is a twisted cubic, the truth a run with 4096 steps
    const at = (t: number): number[] => [t, t * t, 0.7 * t ** 3], tangent = (t: number): number[] => { const d = [1, 2 * t, 2.1 * t * t], l = Math.hypot(...d); return d.map((v) => v / l); };
    const run = (n: number): number[] => {
      const S = new Float64Array(STATE), put = (o: number, v: number[]): void => { for (let c = 0; c < 3; c++) S[o + c] = v[c]; };
      put(26, at(0)); put(29, tangent(0)); put(32, [0, 0, 1]);
      for (let k = 1; k <= n; k++) { put(0, at((1.5 * k) / n)); put(14, tangent((1.5 * k) / n)); carry(S); }
      expect(Math.abs(Math.hypot(S[32], S[33], S[34]) - 1)).toBeLessThan(1e-9);
      return [S[32], S[33], S[34]];
    };
    const truth = run(4096), error = (n: number): number => Math.hypot(...run(n).map((v, c) => v - truth[c])), order = Math.log2(error(16) / error(32)), next = Math.log2(error(32) / error(64));
    console.log(`frames: order ${order.toFixed(2)}, ${next.toFixed(2)}`);
    expect(Math.min(order, next)).toBeGreaterThan(3.7);
  });
});

describe('cards', () => {
  const g = new SphereGeometry(0.09, 48, 32), ball = new Surface(Float64Array.from(g.attributes.position.array), Uint32Array.from(g.index!.array)), upper = facesOf(ball).filter((f) => ball.normal(f)[1] > 0.1), guides = scatterRoots(ball, upper, 150, 2), P = 16, offsets = new Float32Array(3 * P * 150), random = makeRandom(3);
  // hair that falls over the ball
  for (let i = 0; i < 150; i++) {
    const root = placeOf(ball, guides, i);
    let p = [...root], d = ball.normal(guides.faces[i]) as number[];
    for (let k = 1; k < P; k++) { d = d.map((v, c) => 0.75 * v + [0, -0.3, 0][c] + 0.02 * (random() - 0.5)); const l = Math.hypot(...d); p = p.map((v, c) => v + (0.15 / (P - 1) / l) * d[c]); const r = Math.hypot(...p); if (r < 0.093) p = p.map((v) => (v * 0.093) / r); for (let c = 0; c < 3; c++) offsets[3 * (P * i + k) + c] = p[c] - root[c]; }
  }
  const strands = fillPlot({ surface: ball, faces: upper, guides, offsets, pointCount: P, count: 4000, full: 40000, seed: 4, density: null, sections: null, treatments: [newTreatment('clump', 'k')], turn: 0.04, nodes: 16, maps: {}, mesh: () => null }), shapes = new FillShapes(strands), points = new Float32Array(3 * 16 * 4000), look = newDocument('', { clip: '', start: 0, end: 1, fps: 24, cyclic: false }).fill;
  shapes.at(offsets, P);
  for (let s = 0; s < 4000; s++) for (let k = 0; k < 16; k++) for (let c = 0; c < 3; c++) points[3 * (16 * s + k) + c] = strands.places[3 * s + c] + shapes.X[4 * (16 * s + k) + c];
  const input = { points, nodes: 16, shares: Float64Array.from({ length: 16 }, (_, k) => nodeAt(k, 16)), widthAt: (s: number, k: number) => widthAt(look, s, k, 16, null), normals: strands.normals, each: 10, surface: ball };
  const settings = { triangles: 4000, segments: 8, across: 2, layers: 2, cover: 0.9, bow: 0.25, tiles: 8, atlas: 256, levels: 3 }, set = makeCards(input, settings);
  it('keep to their budget, level by level, and are the same every time', () => {
    expect(set.levels.length).toBe(3);
    set.levels.forEach((m, l) => { expect(m.indices.length / 3).toBeLessThanOrEqual(4000 / 4 ** l); expect(m.indices.length / 3).toBeGreaterThan(0.6 * (4000 / 4 ** l)); });
    expect(makeCards(input, settings).levels[0].positions).toEqual(set.levels[0].positions);
  });
  it('cover what the strands cover', () => {
    console.log(`cards: ${(100 * set.figures.overlap).toFixed(1)} % overlap, opacity differs by ${set.figures.opacity.toFixed(3)}`);
    expect(set.figures.overlap).toBeGreaterThan(0.85);
    expect(set.figures.opacity).toBeLessThan(0.2);
  });
  it('lie to the head, untwisted, their faces outwards', () => {
    const m = set.levels[0], twist: number[] = [];
    let outward = 0, all = 0;
    for (let v = 0; v < m.card.length; v++) { const n = m.normals.subarray(3 * v, 3 * v + 3), p = m.positions.subarray(3 * v, 3 * v + 3); expect(Math.abs(Math.hypot(n[0], n[1], n[2]) - 1)).toBeLessThan(1e-4); if (p[1] > -0.02) { all++; if (n[0] * p[0] + n[1] * p[1] + n[2] * p[2] > 0) outward++; } }
    expect(outward / all).toBeGreaterThan(0.97);
    // corners run as the normals say
    for (let t = 0; t < m.indices.length; t += 3) { const [a, b, c] = [0, 1, 2].map((k) => m.positions.subarray(3 * m.indices[t + k], 3 * m.indices[t + k] + 3)), u = [b[0] - a[0], b[1] - a[1], b[2] - a[2]], w = [c[0] - a[0], c[1] - a[1], c[2] - a[2]], f = [u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]], n = m.normals.subarray(3 * m.indices[t], 3 * m.indices[t] + 3); twist.push(Math.sign(f[0] * n[0] + f[1] * n[1] + f[2] * n[2])); }
    expect(twist.filter((s) => s > 0).length / twist.length).toBeGreaterThan(0.98);
  });
  it('pictures hold opacity, root to tip and own numbers, with room between the tiles', () => {
    const { looks, size } = set.atlas;
    let covered = 0, rise = 0;
    for (let y = 0; y < size; y++) for (let x = 0; x < size; x++) { const o = 4 * (y * size + x); if (looks[o + 3] > 128) { covered++; rise += Math.abs(looks[o] / 255 - y / size); } if (x % 32 < 2) expect(looks[o + 3]).toBe(0); }
    expect(covered / size ** 2).toBeGreaterThan(0.15);
    expect(rise / covered).toBeLessThan(0.15);
    for (const m of set.levels) for (const v of m.uvs) { expect(v).toBeGreaterThanOrEqual(0); expect(v).toBeLessThanOrEqual(1); }
  });
});
