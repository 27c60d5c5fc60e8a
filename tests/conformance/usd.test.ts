/** OpenUSD curves, as text and as crate, against two readers that are not ours (tinyusdz; three's). */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeRandom } from '../../src/core/math/random';
import { floatText, writeUsda } from '../../src/formats/usda';
import { writeUsdc } from '../../src/formats/usdc';
import { clipLayer, partsOf } from '../../src/formats/usd-clips';
import { CurveStage, type CurveCache } from '../../src/formats/usd-curves';
import { DROP_NUMBERS } from '../../src/core/drops/drop-run';
import { PointsStage } from '../../src/formats/usd-points';
import { readUsdText } from '../../src/formats/usda-read';
import { readUsd, type UsdReading } from '../helpers/usd';

const counts = [4, 7, 16, 5], total = 32, frames = [-2, -1, 0, 1, 2, 3], fps = 24;
const random = makeRandom(5), list = (n: number, far = 1): Float32Array => Float32Array.from({ length: n }, () => (random() - 0.5) * far);
const points = new Map(frames.map((f) => [f, list(3 * total, 3)])), rest = list(3 * total, 3);
const widths = Float32Array.from({ length: total }, () => 4e-5 + 6e-5 * random()), uvs = Float32Array.from({ length: 8 }, () => random()), colours = Float32Array.from({ length: 12 }, () => random());
const cache: CurveCache = { name: '7 loose "hair"', fps, startFrame: -2, endFrame: 3, counts, ids: [10, 11, 12, 13], widths, uvs, colours, rest, velocities: true, points: (f) => points.get(f)!, comment: 'quotes " and \\ backslash' };
const bytesOf = async (pieces: AsyncIterable<Uint8Array | string>): Promise<Buffer> => { const all: Buffer[] = []; for await (const p of pieces) all.push(Buffer.from(p as Uint8Array)); return Buffer.concat(all); };

const dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-usd-'));
afterAll(() => { rmSync(dir, { recursive: true, force: true }); });
const readingOf = async (name: string, pieces: AsyncIterable<Uint8Array | string>): Promise<UsdReading> => { const file = path.join(dir, name); writeFileSync(file, await bytesOf(pieces)); return readUsd(file); };
const near = (a: ArrayLike<number>, b: ArrayLike<number>, most: number): void => { expect(a.length).toBe(b.length); for (let i = 0; i < b.length; i++) expect(Math.abs(a[i] - b[i])).toBeLessThanOrEqual(most); };

for (const [form, write] of [['text', writeUsda], ['crate', writeUsdc]] as const) describe(`OpenUSD curves as ${form}`, () => {
  let read: UsdReading, centimetres: UsdReading, samples: UsdReading;
  beforeAll(async () => {
    const ending = form === 'text' ? 'usda' : 'usdc';
    read = await readingOf(`a.${ending}`, write(cache));
    centimetres = await readingOf(`b.${ending}`, write({ ...cache, velocities: false, axes: { up: 'z', hand: 'right', metres: 0.01 } }));
    samples = await readingOf(`c.${ending}`, write({ ...cache, samples: 2, startFrame: 0, endFrame: 1 }));
  }, 60_000);
  for (const reader of ['independent', 'direct'] as const) {
    const who = reader === 'independent' ? 'tinyusdz' : 'three', of = (r: UsdReading, name: string) => r[reader][`/Groom/_7_loose__hair_.${name}`], at = (name: string) => of(read, name);
    it(`${who} reads the same points, widths, counts, ids, uvs and colours`, () => {
      expect(at('points').timeSamples!.times).toEqual(frames);
      frames.forEach((f, k) => near(at('points').timeSamples!.values[k], points.get(f)!, 2e-7));
      expect(at('curveVertexCounts').default).toEqual(counts);
      expect(at('primvars:id').default).toEqual([10, 11, 12, 13]);
      near(at('widths').default as number[], widths, 1e-10);
      near(at('primvars:st').default as number[], uvs, 1e-7);
      near(at('primvars:displayColor').default as number[], colours, 1e-7);
      near(at('primvars:rest').default as number[], rest, 2e-7);
    });
    it(`${who} reads velocities that are the movement of the points`, () => {
      const { times, values } = at('velocities').timeSamples!;
      expect(times).toEqual(frames);
      frames.forEach((f, k) => {
        const a = points.get(f - 1) ?? points.get(f)!, b = points.get(f + 1) ?? points.get(f)!, span = (points.has(f - 1) ? 1 : 0) + (points.has(f + 1) ? 1 : 0);
        near(values[k], Float32Array.from(b, (v, i) => ((v - a[i]) * fps) / span), 2e-5);
      });
    });
    it(`${who} reads units, axis, rate and the kind of curve`, () => {
      expect(read[reader]['/'].fields).toMatchObject({ metersPerUnit: 1, upAxis: 'Y', timeCodesPerSecond: fps, defaultPrim: 'Groom' });
      expect([at('type').default, at('basis').default, at('wrap').default]).toEqual(['cubic', 'catmullRom', 'pinned']);
    });
    it(`${who} reads a receiver’s axes and unit, and the places in them`, () => {
      expect(centimetres[reader]['/'].fields).toMatchObject({ metersPerUnit: 0.01, upAxis: 'Z' });
      const p = points.get(0)!, q = of(centimetres, 'points').timeSamples!.values[2];
      for (let i = 0; i < p.length; i += 3) near(q.slice(i, i + 3), [100 * p[i], -100 * p[i + 2], 100 * p[i + 1]], 2e-5);
      near(of(centimetres, 'widths').default as number[], widths.map((w) => 100 * w), 1e-8);
    });
    it(`${who} reads the samples of a frame at shares of it`, () => {
      expect(of(samples, 'points').timeSamples!.times).toEqual([0, 0.5, 1, 1.5]);
      near(of(samples, 'points').timeSamples!.values[3], points.get(3)!, 2e-7);
    });
  }
  it('the range, what holds without a time, and what each number belongs to are read as they were written', () => {
    for (const line of ['startTimeCode = -2', 'endTimeCode = 3', 'framesPerSecond = 24', 'kind = "component"']) expect(read.layer).toContain(line);
    for (const [name, of] of [['widths', 'vertex'], ['primvars:id', 'uniform'], ['primvars:st', 'uniform'], ['primvars:displayColor', 'uniform'], ['primvars:rest', 'vertex']]) expect(read.layer.split(`${name} = [`)[1].split(']')[1].trim()).toMatch(new RegExp(`^\\(\\s*interpolation = "${of}"`));
    const still = read.layer.split('point3f[] points = [')[1].split(']')[0].match(/-?[\d.e-]+/g)!.map(Number);
    near(still, points.get(-2)!, 2e-6);
  });
  it('the extent of every sample holds every point with its width', () => {
    const extents = read.direct['/Groom/_7_loose__hair_.extent'].timeSamples!;
    frames.forEach((f, k) => points.get(f)!.forEach((v, i) => {
      expect(extents.values[k][i % 3]).toBeLessThanOrEqual(v - Math.max(...widths) / 2);
      expect(extents.values[k][3 + (i % 3)]).toBeGreaterThanOrEqual(v + Math.max(...widths) / 2);
    }));
  });
  it('refuses points that do not match the counts, and places that are no numbers', async () => {
    const one = { name: 'a', fps: 24, startFrame: 0, endFrame: 0, counts: [4], ids: [0], widths: new Float32Array(4), comment: '' };
    await expect(bytesOf(write({ ...one, points: () => new Float32Array(9) }))).rejects.toThrow('frame 0: expected 4 points, got 3');
    await expect(bytesOf(write({ ...one, points: () => new Float32Array(12).fill(NaN) }))).rejects.toThrow(/no number/);
    await expect(bytesOf(write({ ...one, widths: new Float32Array(3), points: () => new Float32Array(12) }))).rejects.toThrow('widths: expected 4, got 3');
  });
});

describe('a take in parts', () => {
  it('every part holds its samples, and the layers that join them say where each is', async () => {
    const stage = new CurveStage(cache), parts = [{ name: 'p.001.usdc', first: -2, last: 0 }, { name: 'p.002.usdc', first: 1, last: 3 }], { manifest, layer } = clipLayer(stage, 'p', parts);
    for (const { name, first, last } of parts) {
      const read = await readingOf(name, writeUsdc(cache, { first, last }));
      for (const reader of ['independent', 'direct'] as const) {
        const { times, values } = read[reader]['/Groom/_7_loose__hair_.points'].timeSamples!;
        expect(times).toEqual(frames.filter((f) => f >= first && f <= last));
        times.forEach((f, k) => near(values[k], points.get(f)!, 2e-7));
      }
      // velocities run on over the cut
      near(read.direct['/Groom/_7_loose__hair_.velocities'].timeSamples!.values[0], Float32Array.from(points.get(first + 1)!, (v, i) => (first > -2 ? ((v - points.get(first - 1)![i]) * fps) / 2 : (v - points.get(first)![i]) * fps)), 2e-5);
    }
    async function* once(text: string): AsyncGenerator<string> { yield text; }
    const root = await readingOf('p.usda', once(layer)), list = await readingOf('p.manifest.usda', once(manifest));
    for (const text of ['./p.001.usdc', './p.002.usdc', './p.manifest.usda', '/Groom/_7_loose__hair_']) expect(root.layer).toContain(text);
    expect(layer).toContain('double2[] active = [(-2, 0), (1, 1)]');
    expect(layer).toContain('double2[] times = [(-2, -2), (0, 0), (1, 1), (3, 3)]');
    near(root.direct['/Groom/_7_loose__hair_.widths'].default as number[], widths, 1e-9);
    // the readers take the manifest; what is only declared they do not tell
    expect(list.layer).toContain('BasisCurves');
    for (const line of ['point3f[] points', 'float3[] extent', 'vector3f[] velocities']) expect(manifest).toContain(line);
  });
});

describe('a take in parts, put together by the rules of value clips', () => {
  // Source: OpenUSD documentation, "Value Clips" (active, times, linear between the samples of the active clip, held outside them), from memory; the layers and parts as tinyusdz reads them
  type Pairs = [number, number][];
  const pairs = (text: string, name: string): Pairs => [...new RegExp(`double2\\[\\] ${name} = \\[([^\\]]*)\\]`).exec(text)![1].matchAll(/\(([-\d.]+),\s*([-\d.]+)\)/g)].map((m) => [Number(m[1]), Number(m[2])]);
  const between = (list: Pairs, t: number): number => { const k = list.findLastIndex(([a]) => a <= t); if (k < 0) return list[0][1]; if (k === list.length - 1) return list[k][1]; const [a, x] = list[k], [b, y] = list[k + 1]; return x + ((t - a) / (b - a)) * (y - x); };
  it('has every sample where it belongs, and goes evenly from each to the next, over the cuts too', async () => {
    const stage = new CurveStage(cache), parts = partsOf(stage, 'q', 3), { manifest, layer } = clipLayer(stage, 'q', parts);
    expect(parts.map(({ first, last, holds }) => [first, last, holds])).toEqual([[-2, -1, 0], [0, 1, 2], [2, 3, 3]]);
    async function* once(text: string): AsyncGenerator<string> { yield text; }
    const root = (await readingOf('q.usda', once(layer))).layer, files = [...root.matchAll(/@\.\/(q\.\d+\.usdc)@/g)].map((m) => m[1]), active = pairs(root, 'active'), times = pairs(root, 'times');
    expect((await readingOf('q.manifest.usda', once(manifest))).layer).toContain('BasisCurves');
    expect(files).toEqual(parts.map((p) => p.name));
    const read = await Promise.all(parts.map(async ({ name, first, holds }) => (await readingOf(name, writeUsdc(cache, { first, last: holds }))).independent['/Groom/_7_loose__hair_.points'].timeSamples!));
    for (let t = -2; t <= 3; t += 0.25) {
      const clip = read[active.filter(([at]) => at <= t).at(-1)![1]], at = between(times, t), k = Math.max(0, clip.times.findLastIndex((x) => x <= at)), next = Math.min(clip.times.length - 1, k + 1), share = next > k ? Math.min(1, (at - clip.times[k]) / (clip.times[next] - clip.times[k])) : 0;
      const from = Math.floor(t), w = t - from, a = points.get(from)!, b = points.get(Math.min(3, from + 1))!;
      near(clip.values[k].map((v, i) => v + share * (clip.values[next][i] - v)), Float32Array.from(a, (v, i) => v + w * (b[i] - v)), 1e-6);
    }
  });
  it('is in whole samples, none twice but where parts meet, however many parts', () => {
    for (const [first, last, many] of [[0, 9, 3], [-5, 5, 4], [1, 1, 1], [0, 240, 7]] as const) {
      const parts = partsOf({ first, last }, 'r', many), all = parts.flatMap((p) => Array.from({ length: p.last - p.first + 1 }, (_, k) => p.first + k));
      expect(all).toEqual(Array.from({ length: last - first + 1 }, (_, k) => first + k));
      parts.forEach((p, k) => expect(p.holds).toBe(k < parts.length - 1 ? parts[k + 1].first : last));
      expect(new Set(parts.map((p) => p.name)).size).toBe(parts.length);
    }
  });
});

describe('drops as OpenUSD points', () => {
  // none, one, many, fewer: ids that stay, some that sit on hair (their size is told below 0)
  const drops = [0, 1, 40, 7].map((n, s) => Float32Array.from({ length: DROP_NUMBERS * n }, (_, k) => { const c = k % DROP_NUMBERS; return c === 0 ? 3 * Math.floor(k / DROP_NUMBERS) + s : c === 7 ? (k % 3 === 0 ? -1 : 1) * 0.003 : (random() - 0.5) * 4; }));
  const of = (axes?: CurveCache['axes']) => PointsStage.of({ name: 'drops', fps, startFrame: 5, endFrame: 8, colour: [0.8, 0.9, 1], comment: 'drops', drops: (n) => drops[n - 5], axes });
  for (const [form, write] of [['usda', writeUsda], ['usdc', writeUsdc]] as const) for (const reader of ['independent', 'direct'] as const) it(`${form}, read by ${reader === 'independent' ? 'tinyusdz' : 'three'}: places, ids, widths and velocities of every sample`, async () => {
    const read = await readingOf(`drops.${form}`, write(await of())), cm = await readingOf(`drops-cm.${form}`, write(await of({ up: 'z', hand: 'right', metres: 0.01 }))), at = (name: string, r = read) => r[reader][`/Groom/drops.${name}`].timeSamples!;
    expect(at('points').times).toEqual([5, 6, 7, 8]);
    drops.forEach((d, k) => {
      const some = (from: number, n: number): number[] => [...d].filter((_, i) => i % DROP_NUMBERS >= from && i % DROP_NUMBERS < from + n);
      near((at('points').values[k] ?? []) as ArrayLike<number>, some(1, 3), 2e-6);
      near((at('velocities').values[k] ?? []) as ArrayLike<number>, some(4, 3), 2e-6);
      near((at('widths').values[k] ?? []) as ArrayLike<number>, some(7, 1).map(Math.abs), 1e-8);
      // whole numbers of 64 bits: the one reader takes but their first digit out of text, the other none out of crates
      if ((form === 'usda') === (reader === 'direct')) expect(Array.from((at('ids').values[k] ?? []) as ArrayLike<number>, Number)).toEqual(some(0, 1));
      near((at('widths', cm).values[k] ?? []) as ArrayLike<number>, some(7, 1).map((v) => 100 * Math.abs(v)), 1e-6);
      const there = some(1, 3);
      near((at('points', cm).values[k] ?? []) as ArrayLike<number>, there.map((_, i) => [100 * there[i - (i % 3)], -100 * there[i - (i % 3) + 2], 100 * there[i - (i % 3) + 1]][i % 3]), 1e-4);
    });
    expect(read.layer).toContain('def Points "drops"');
    const { values } = at('extent');
    drops[2].forEach((v, i) => { const c = (i % DROP_NUMBERS) - 1; if (c >= 0 && c < 3) { expect(values[2][c]).toBeLessThanOrEqual(v - 0.0014999); expect(values[2][3 + c]).toBeGreaterThanOrEqual(v + 0.0014999); } });
  });
  it('refuses places that are no numbers, and samples that have changed meanwhile', async () => {
    let n = 0;
    await expect(bytesOf(writeUsdc(await PointsStage.of({ name: 'd', fps, startFrame: 0, endFrame: 0, colour: [1, 1, 1], comment: '', drops: () => new Float32Array(DROP_NUMBERS).fill(NaN, 1, 2) })))).rejects.toThrow(/no number/);
    await expect(bytesOf(writeUsdc(await PointsStage.of({ name: 'd', fps, startFrame: 0, endFrame: 0, colour: [1, 1, 1], comment: '', drops: () => new Float32Array(DROP_NUMBERS * ++n) })))).rejects.toThrow('expected 1 drops, got 2');
  });
});

it('numbers read back as the same float32', () => {
  for (let k = 0; k < 5000; k++) {
    const v = Math.fround((random() - 0.5) * 10 ** Math.floor(random() * 14 - 9));
    expect(Math.fround(Number(floatText(v)))).toBe(v);
  }
  expect(floatText(-0)).toBe('0');
});

describe('OpenUSD text that comes in', () => {
  it('a crate of ours, written as text by tinyusdz, holds what was put into it', async () => {
    const { layer } = await readingOf('in.usdc', writeUsdc(cache)), { specsByPath: s } = readUsdText(layer), { timeSamples } = s['/Groom/_7_loose__hair_.points'].fields as { timeSamples: { times: number[]; values: number[][] } };
    expect(timeSamples.times).toEqual(frames);
    frames.forEach((f, k) => near(timeSamples.values[k], points.get(f)!, 1e-5));
    expect(s['/Groom/_7_loose__hair_.curveVertexCounts'].fields.default).toEqual(counts);
    expect(s['/Groom/_7_loose__hair_.basis'].fields.default).toBe('catmullRom');
  });
  it('text in any layout says what tinyusdz reads in it', async () => {
    const odd = `#usda 1.0\n( metersPerUnit = 0.01\n    upAxis = "Z" doc = """two\nlines""" )\n# a note\ndef Xform "Char" ( kind = "component" ) {\n double3 xformOp:translate = (0, 0, 10)\n uniform token[] xformOpOrder = ["xformOp:translate"]\n def BasisCurves "a" ( customData = { string note = "x # y" } ) {\n int[] curveVertexCounts = [\n 3,\n 2, # two\n ]\n point3f[] points = [\n (0, 0, 150), (0, .5, 1.55e2),\n (-0, 0, 160), (1, 0, 150), (1, 0, 170),\n ]\n uniform token type = "linear"\n float[] widths = [0.01] ( interpolation = "constant" )\n point3f[] moved.timeSamples = { 1: [(0, 1, 0)], 2.5: [(0, 2, 0)], }\n rel material:binding = </Looks/hair>\n }\n}\n`;
    const file = path.join(dir, 'odd.usda');
    writeFileSync(file, odd);
    const ours = readUsdText(odd).specsByPath, theirs = readUsdText(readUsd(file).layer).specsByPath;
    expect(Object.keys(ours).sort()).toEqual(Object.keys(theirs).sort());
    for (const [at, { fields }] of Object.entries(ours)) for (const key of ['default', 'timeSamples', 'typeName', 'specifier', 'upAxis', 'metersPerUnit', 'customData']) {
      const a = fields[key], b = theirs[at].fields[key];
      if (Array.isArray(a) && typeof a[0] === 'number') near(b as number[], a as number[], 1e-6);
      else expect(b).toEqual(a);
    }
    expect(ours['/Char/a.points'].fields.default).toEqual([0, 0, 150, 0, 0.5, 155, -0, 0, 160, 1, 0, 150, 1, 0, 170]);
  });
});
