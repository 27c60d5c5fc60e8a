import fc from 'fast-check';
import { levenbergMarquardt } from 'ml-levenberg-marquardt';
import { beforeAll, describe, expect, it } from 'vitest';
import { oda } from '../helpers/oda';
import { demoGroom } from '../../src/server/demo-oda';
import { floatsOf, unpackPlanting } from '../../src/core/document/buffers';
import { makeRandom } from '../../src/core/math/random';
import { restPositions } from '../../src/core/mesh/character';
import { SkinField } from '../../src/core/mesh/skin-field';
import { Surface } from '../../src/core/mesh/surface';
import { rootPlace } from '../../src/core/groom/planting';
import { polylineLength } from '../../src/core/groom/polyline';
import { BRUSHES, BrushStroke, type BrushGroom, type BrushKind, type BrushSettings } from '../../src/core/groom/comb/brush-stroke';
import { cutAlongLine, cutAtBrush, cutAtSurface } from '../../src/core/groom/comb/cut';
import { FourChains } from '../../src/core/groom/comb/fast/four-chains';
import { KeepOff } from '../../src/core/groom/comb/keep-off';
import { NearestChain } from '../../src/core/groom/comb/nearest-chain';
import { brushWeight, dabOf, mirroredDab, Strides } from '../../src/core/groom/comb/reach';

const SETTINGS: BrushSettings = { radius: 0.04, strength: 0.8, falloff: 0.8, along: [[0, 1], [1, 1]], from: 0, reverse: false, curlRadius: 0.008, curlPitch: 0.03 };
const N = 16, GAP = 0.001;

let demo: { points: Float64Array; normals: Float64Array; head: KeepOff; surface: Surface; check: SkinField };
beforeAll(async () => {
  const character = await oda(), { document, buffers } = demoGroom(character), mesh = character.meshes.find((m) => m.name === document.plot.mesh)!, rest = restPositions(character, mesh), surface = new Surface(rest, mesh.triangles);
  const planting = unpackPlanting(buffers[1]), offsets = floatsOf(buffers[2]), guides = planting.faces.length, points = new Float64Array(offsets.length), normals = new Float64Array(3 * guides);
  for (let g = 0; g < guides; g++) { const r = rootPlace(surface, planting, g); for (let i = 0; i < 3 * N; i++) points[3 * N * g + i] = offsets[3 * N * g + i] + r[i % 3]; normals.set(surface.normal(planting.faces[g]), 3 * g); }
  demo = { points, normals, head: new KeepOff([{ positions: rest, triangles: mesh.triangles, worn: false }], GAP), surface, check: new SkinField(rest, mesh.triangles, true, 1, 0.006) };
}, 60_000);

const groomOf = (points: Float64Array, normals: Float64Array, chosen: Float32Array | null = null, pointCount = N): BrushGroom => ({ points, pointCount, normals, chosen });
/** A stroke over the groom from one of its points on, by a seed. */
function randomStroke(kind: BrushKind, groom: BrushGroom, seed: number, settings: Partial<BrushSettings> = {}, obstacles: KeepOff = demo.head): BrushStroke {
  const random = makeRandom(seed), all = { ...SETTINGS, radius: 0.015 + 0.05 * random(), ...settings }, stroke = new BrushStroke(kind, groom, all, obstacles);
  const p = 3 * Math.floor(random() * (groom.points.length / 3)), sight: [number, number, number] = [random() - 0.5, random() - 0.5, random() - 0.5], l = Math.hypot(...sight), at = [0, 1, 2].map((c) => groom.points[p + c]), strides = new Strides(at, all.radius), way = [0, 1, 2].map(() => 0.16 * (random() - 0.5));
  for (let k = 1; k <= 5; k++) for (const [a, b, share] of strides.to(at.map((v, c) => v + (way[c] * k) / 5), k === 5)) stroke.touch(dabOf(a, b, sight.map((v) => v / l), share));
  return stroke;
}

describe('every brush, on the demo groom', () => {
  for (const kind of BRUSHES) it(`${kind}: roots stay, lengths too, nothing goes under the skin`, () => {
    const points = demo.points.slice(), groom = groomOf(points, demo.normals), n = new Float64Array(3);
    let changed = 0;
    for (let seed = 1; seed <= 6; seed++) {
      const before = points.slice(), stroke = randomStroke(kind, groom, seed, { reverse: seed % 3 === 0 });
      changed += stroke.changed.size;
      for (let g = 0; g < points.length / (3 * N); g++) {
        const o = 3 * N * g;
        for (let c = 0; c < 3; c++) expect(points[o + c]).toBe(demo.points[o + c]);
        if (!stroke.changed.has(g)) { for (let i = 0; i < 3 * N; i++) if (points[o + i] !== before[o + i]) throw new Error(`guide ${g} moved and was not told`); continue; }
        for (let i = 1; i < N; i++) {
          const l = polylineLength(points, N * g + i - 1, 2), was = polylineLength(before, N * g + i - 1, 2);
          if (kind !== 'longer' && kind !== 'match' && Math.abs(l / was - 1) > 1e-3) throw new Error(`${kind}: edge ${i} of guide ${g} was ${was}, is ${l}`);
          // below the collar the head's mesh is open: there is no inside
          if (points[o + 3 * i + 1] < 1.5) continue;
          const d = demo.check.at(points, o + 3 * i, n, 0, n), had = demo.check.at(before, o + 3 * i, n, 0, n);
          if (!(d > -1e-4) && !(had < -1e-4)) throw new Error(`${kind}, seed ${seed}: point ${i} of guide ${g} is ${1000 * d} mm above the skin`);
        }
      }
    }
    expect(changed).toBeGreaterThan(20);
    expect(points.every(Number.isFinite)).toBe(true);
  });

  for (const kind of BRUSHES) it(`${kind}: a symmetric groom stays so under a symmetric stroke`, () => {
    const right = 60, half = demo.points.slice(0, 3 * N * right), points = new Float64Array(2 * half.length), normals = new Float64Array(6 * right);
    for (let i = 0; i < half.length; i++) { points[i] = half[i]; points[half.length + i] = i % 3 === 0 ? -half[i] : half[i]; }
    for (let i = 0; i < 3 * right; i++) { normals[i] = demo.normals[i]; normals[3 * right + i] = i % 3 === 0 ? -demo.normals[i] : demo.normals[i]; }
    // a ball has the same skin on both sides
    const stroke = new BrushStroke(kind, groomOf(points, normals), { ...SETTINGS, radius: 0.08 }, []), at = [0.03, 1.62, 0.02], strides = new Strides(at, 0.08), before = points.slice();
    for (const [a, b, share] of strides.to([-0.06, 1.55, 0.05], true)) { const d = dabOf(a, b, [0, 0, -1], share); stroke.touch(d, mirroredDab(d)); }
    expect(stroke.changed.size).toBeGreaterThan(10);
    let moved = 0;
    for (let i = 0; i < half.length; i++) { expect(Math.abs(points[half.length + i] - (i % 3 === 0 ? -points[i] : points[i]))).toBeLessThan(1e-6); moved = Math.max(moved, Math.abs(points[i] - before[i])); }
    expect(moved).toBeGreaterThan(0.002);
  });

  for (const kind of BRUSHES) it(`${kind}: comes out alike at 30 and at 240 places a second`, () => {
    const run = (rate: number): Float64Array => {
      // a parting is drawn over the crown
      const rise = kind === 'part' ? 0.12 : 0, points = demo.points.slice(), stroke = new BrushStroke(kind, groomOf(points, demo.normals), { ...SETTINGS, radius: kind === 'part' ? 0.1 : SETTINGS.radius }, demo.head), steps = Math.round(0.8 * rate), at = (k: number): number[] => { const t = k / steps; return [0.07 - 0.12 * t, 1.62 + rise - (kind === 'part' ? 0 : 0.09) * t, 0.1 + 0.02 * Math.sin(3 * t)]; }, strides = new Strides(at(0), kind === 'part' ? 0.1 : SETTINGS.radius);
      for (let k = 1; k <= steps; k++) for (const [a, b, share] of strides.to(at(k), k === steps)) stroke.touch(dabOf(a, b, [0, 0, -1], share));
      return points;
    };
    const slow = run(30), quick = run(240);
    let worst = 0, moved = 0;
    for (let g = 0; g < slow.length / (3 * N); g++) {
      const length = polylineLength(quick, N * g, N);
      for (let i = 1; i < N; i++) { const p = 3 * (N * g + i), far = (a: Float64Array): number => Math.hypot(a[p] - quick[p], a[p + 1] - quick[p + 1], a[p + 2] - quick[p + 2]); worst = Math.max(worst, far(slow) / length); moved = Math.max(moved, far(demo.points) / length); }
    }
    expect(moved).toBeGreaterThan(0.02);
    expect(worst).toBeLessThan(0.01);
  });

  it('only what is chosen changes, and below the share that is let be nothing does', () => {
    const points = demo.points.slice(), guides = points.length / (3 * N), chosen = new Float32Array(N * guides);
    for (let g = 0; g < guides; g += 2) chosen.fill(1, N * g, N * (g + 1));
    const stroke = new BrushStroke('comb', groomOf(points, demo.normals, chosen), { ...SETTINGS, radius: 0.3, from: 0.5 }, []);
    stroke.touch(dabOf([0, 1.6, 0], [0.005, 1.6, 0], [0, 0, -1]));
    expect(stroke.changed.size).toBeGreaterThan(50);
    for (const g of stroke.changed) { expect(g % 2).toBe(0); for (let i = 0; i < 3 * 7; i++) expect(Math.abs(points[3 * N * g + i] - demo.points[3 * N * g + i])).toBe(0); }
  });
});

describe('what no brush must stumble over', () => {
  const numbers = fc.double({ min: -0.3, max: 0.3, noNaN: true });
  for (const kind of BRUSHES) it(`${kind}: strands without length, of one point, folded, and strokes beside everything`, () => {
    fc.assert(fc.property(fc.integer({ min: 1, max: 6 }), fc.array(numbers, { minLength: 36, maxLength: 36 }), fc.tuple(numbers, numbers, numbers), fc.boolean(), (pointCount, values, to, flat) => {
      const guides = 2, points = Float64Array.from({ length: 3 * pointCount * guides }, (_, i) => (flat && i >= 3 * pointCount ? values[i % 3] : values[i])), roots = [points.slice(0, 3), points.slice(3 * pointCount, 3 * pointCount + 3)];
      const stroke = new BrushStroke(kind, { points, pointCount, normals: Float64Array.of(0, 1, 0, 0, 0, 1), chosen: null }, { ...SETTINGS, radius: 0.2, curlPitch: 0.01 }, []);
      for (const [a, b, share] of new Strides([0, 0, 0], 0.2).to(to, true)) stroke.touch(dabOf(a, b, [0, 0, -1], share));
      stroke.touch(dabOf([5, 5, 5], [5.01, 5, 5], [0, 0, -1]));
      stroke.touch();
      expect(points.every(Number.isFinite)).toBe(true);
      expect([points.slice(0, 3), points.slice(3 * pointCount, 3 * pointCount + 3)]).toEqual(roots);
    }), { numRuns: 60, seed: 4 });
  });
});

describe('the nearest chain', () => {
  // independent minimiser: ml-levenberg-marquardt 5.1.0, over the angles of the edges, which keep the lengths by themselves
  it('is as near to what is wanted as an independent minimiser gets it', () => {
    const random = makeRandom(11);
    for (let trial = 0; trial < 12; trial++) {
      const edges = 3, n = edges + 1, lengths = Float64Array.from({ length: n }, () => 0.01 + 0.03 * random()), wanted = new Float64Array(3 * n), out = new Float64Array(3 * n), way = [0, 0, 0];
      // a strand that was whole, each point moved by up to 4 mm along each axis
      for (let i = 1; i < n; i++) { for (let c = 0; c < 3; c++) way[c] += 0.7 * (random() - 0.5) + (c === 1 ? -0.5 : 0); const l = Math.hypot(...way); for (let c = 0; c < 3; c++) out[3 * i + c] = wanted[3 * i + c] = wanted[3 * i - 3 + c] + (lengths[i] * way[c]) / l; }
      for (let i = 3; i < 3 * n; i++) wanted[i] += 0.008 * (random() - 0.5);
      const quick = out.slice();
      new NearestChain(n, 200).solve(out, 0, n, wanted, lengths, 0);
      new NearestChain(n).solve(quick, 0, n, wanted, lengths, 0);
      const cost = (p: ArrayLike<number>): number => wanted.reduce((s, v, i) => s + (p[i] - v) ** 2, 0);
      const placed = (angles: number[]): number[] => { const p = [0, 0, 0]; for (let i = 1; i < n; i++) { const [a, b] = [angles[2 * i - 2], angles[2 * i - 1]], d = [Math.cos(a) * Math.cos(b), Math.sin(a), Math.cos(a) * Math.sin(b)]; for (let c = 0; c < 3; c++) p.push(p[3 * i - 3 + c] + lengths[i] * d[c]); } return p; };
      const start = Array.from({ length: edges }, (_, k) => { const e = [0, 1, 2].map((c) => wanted[3 * k + 3 + c] - wanted[3 * k + c]), l = Math.hypot(...e); return [Math.asin(e[1] / l), Math.atan2(e[2], e[0])]; }).flat();
      const best = levenbergMarquardt({ x: Array.from(wanted, (_, i) => i), y: Array.from(wanted, (v) => 100 * v) }, (angles: number[]) => { const p = placed(angles); return (i: number) => 100 * p[i]; }, { initialValues: start, maxIterations: 400, damping: 1e-3, errorTolerance: 1e-14, centralDifference: true, gradientDifference: 1e-5 }).parameterValues;
      expect(Math.sqrt(cost(out))).toBeLessThan(Math.sqrt(cost(placed(best))) * 1.002 + 1e-6);
      for (let i = 1; i < n; i++) for (const p of [out, quick]) expect(Math.abs(polylineLength(p, i - 1, 2) / lengths[i] - 1)).toBeLessThan(1e-9);
      // as a brush asks for it: within a fraction of a millimetre of that
      for (let i = 0; i < 3 * n; i++) expect(Math.abs(quick[i] - out[i])).toBeLessThan(4e-4);
    }
  });
});

describe('four nearest chains side by side', () => {
  const n = 16, stride = 3 * n, random = makeRandom(21);
  /** A strand of falling hair, and where it is wanted: each point up to so far along each axis. */
  const strand = (far: number): { points: Float64Array; wanted: Float64Array; lengths: Float64Array } => {
    const points = new Float64Array(stride), lengths = new Float64Array(n);
    for (let c = 0; c < 3; c++) points[c] = 1.5 * random();
    for (let i = 3; i < stride; i++) points[i] = points[i - 3] + (i % 3 === 1 ? -0.015 : 0.01 * (random() - 0.5));
    for (let i = 1; i < n; i++) lengths[i] = polylineLength(points, i - 1, 2);
    return { points, wanted: points.map((v, i) => (i < 3 ? v : v + far * (2 * random() - 1))), lengths };
  };
  it('are where float64 has them one after the other, whatever lies beside them, and as long', () => {
    const four = FourChains.of(n)!, one = new NearestChain(n);
    for (let trial = 0; trial < 40; trial++) {
      const strands = [0.0005, 0.002, 0.006, 0.006].map(strand), held = strands.map(() => Math.floor(5 * random())), out = strands.map((s) => s.points.slice());
      strands.forEach((s, l) => { for (let i = 0; i < 3 * held[l] + 3; i++) s.wanted[i] = s.points[i]; });
      strands.forEach((s, l) => { four.put(l, out[l], 0, s.wanted, s.lengths, 0, held[l]); });
      four.run();
      strands.forEach((s, l) => { four.take(l, out[l], 0, s.wanted, s.lengths, 0, held[l]); });
      strands.forEach((s, l) => {
        const twin = s.points.slice(), alone = s.points.slice();
        one.solve(twin, 0, n, s.wanted, s.lengths, 0, held[l]);
        for (let i = 0; i < stride; i++) expect(Math.abs(out[l][i] - twin[i])).toBeLessThan(2e-5);
        expect(out[l].slice(0, 3 * held[l] + 3)).toEqual(s.wanted.slice(0, 3 * held[l] + 3));
        for (let i = held[l] + 1; i < n; i++) expect(Math.abs(polylineLength(out[l], i - 1, 2) / s.lengths[i] - 1)).toBeLessThan(1e-12);
        // in another lane, beside nothing that moves
        strands.forEach((_, k) => { four.put(k, strands[0].points, 0, strands[0].points, strands[0].lengths, 0, 0); });
        four.put(3 - l, alone, 0, s.wanted, s.lengths, 0, held[l]);
        four.run();
        four.take(3 - l, alone, 0, s.wanted, s.lengths, 0, held[l]);
        expect(alone).toEqual(out[l]);
      });
    }
  });
  it('strands of no length, folded ones and such as are pulled far past their lengths stay numbers', () => {
    const four = FourChains.of(n)!, points = [new Float64Array(stride), Float64Array.from({ length: stride }, (_, i) => (i % 3 === 1 && Math.floor(i / 3) % 2 === 1 ? 0.01 : 0)), strand(0).points, strand(0).points], lengths = points.map((p) => Float64Array.from({ length: n }, (_, i) => (i > 0 ? polylineLength(p, i - 1, 2) : 0)));
    const wanted = points.map((p, l) => p.map((v, i) => (i < 3 ? v : v + [0.004, 0.006, 3, -40][l])));
    points.forEach((p, l) => { four.put(l, p, 0, wanted[l], lengths[l], 0, 0); });
    four.run();
    points.forEach((p, l) => { four.take(l, p, 0, wanted[l], lengths[l], 0, 0); expect(p.every(Number.isFinite)).toBe(true); for (let i = 1; i < n; i++) expect(polylineLength(p, i - 1, 2)).toBeCloseTo(lengths[l][i], 12); });
  });
});

describe('cutting', () => {
  const n = 12, sight = [0, 0, -1];
  const row = (): Float64Array => Float64Array.from({ length: 3 * n * 9 }, (_, i) => { const p = Math.floor(i / 3), g = Math.floor(p / n); return [0.02 * (g - 4), 0.4 - 0.015 * (p % n), 0][i % 3]; });
  it('at the brush: where a guide first enters it; what is above stays', () => {
    const p = row(), changed = cutAtBrush(p, n, 0.03, [0, 0.28, 0], sight);
    expect(changed).toEqual([3, 4, 5]);
    expect(polylineLength(p, 4 * n, n)).toBeCloseTo(0.4 - 0.31, 2);
    expect(cutAtBrush(p, n, 0.03, [0, 0.28, 0], sight, (g) => g > 6)).toEqual([]);
  });
  it('along a line drawn over them: each where it crosses it', () => {
    const p = row(), changed = cutAlongLine(p, n, [[-0.05, 0.35], [0, 0.33], [0.05, 0.3]], (x, y) => [x, y]);
    expect(changed).toEqual([2, 3, 4, 5, 6]);
    expect(polylineLength(p, 4 * n, n)).toBeCloseTo(0.07, 6);
    expect(polylineLength(p, 2 * n, n)).toBeCloseTo(0.4 - (0.35 - 0.02 * 0.01 / 0.05), 6);
  });
  it('at a surface they go through', () => {
    const p = row(), floor = new Surface(Float64Array.of(-1, 0.31, -1, 1, 0.31, -1, 0, 0.31, 1), Uint32Array.of(0, 2, 1));
    expect(cutAtSurface(p, n, floor)).toHaveLength(9);
    for (let g = 0; g < 9; g++) expect(polylineLength(p, g * n, n)).toBeCloseTo(0.09, 6);
  });
});

it('the brush is whole inside its rim and nothing outside', () => {
  expect([brushWeight(0, 0.5), brushWeight(0.5, 0.5), brushWeight(1, 0.5)]).toEqual([1, 1, 0]);
  expect(brushWeight(0.999, 0.5)).toBeLessThan(1e-4);
});
