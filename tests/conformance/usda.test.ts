import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeRandom } from '../../src/core/math/random';
import { floatText, writeUsda } from '../../src/formats/usda';
import { readUsd, type UsdReading } from '../helpers/usd';

const counts = [4, 7, 16, 5], total = 32, frames = [-2, -1, 0, 1, 2, 3];
const random = makeRandom(5);
const points = new Map(frames.map((f) => [f, Float32Array.from({ length: 3 * total }, () => (random() - 0.5) * 3)]));
const widths = Float32Array.from({ length: total }, () => 4e-5 + 6e-5 * random());

describe('OpenUSD curves', () => {
  const dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-usd-'));
  let read: UsdReading;
  beforeAll(async () => {
    let text = '';
    for await (const piece of writeUsda({ name: '7 loose "hair"', fps: 24, startFrame: -2, endFrame: 3, counts, ids: [10, 11, 12, 13], widths, points: (f) => points.get(f)!, comment: 'quotes " and \\ backslash' })) text += piece;
    writeFileSync(path.join(dir, 'a.usda'), text);
    read = readUsd(path.join(dir, 'a.usda'));
  });
  afterAll(() => { rmSync(dir, { recursive: true, force: true }); });

  for (const reader of ['independent', 'direct'] as const) {
    const at = (name: string) => read[reader][`/Groom/_7_loose__hair_.${name}`];
    it(`${reader === 'independent' ? 'tinyusdz' : 'three'} reads the same points, widths, counts and ids`, () => {
      expect(at('points').timeSamples!.times).toEqual(frames);
      frames.forEach((f, k) => at('points').timeSamples!.values[k].forEach((v, i) => expect(Math.abs(v - points.get(f)![i])).toBeLessThan(2e-7)));
      expect(at('curveVertexCounts').default).toEqual(counts);
      expect(at('primvars:id').default).toEqual([10, 11, 12, 13]);
      (at('widths').default as number[]).forEach((v, i) => expect(Math.abs(v - widths[i])).toBeLessThan(1e-10));
    });
    it(`${reader === 'independent' ? 'tinyusdz' : 'three'} reads units, axis, rate and the kind of curve`, () => {
      expect(read[reader]['/'].fields).toMatchObject({ metersPerUnit: 1, upAxis: 'Y', timeCodesPerSecond: 24, defaultPrim: 'Groom' });
      expect([at('type').default, at('basis').default, at('wrap').default]).toEqual(['cubic', 'catmullRom', 'pinned']);
    });
  }

  it('the extent of every sample holds every point with its width', () => {
    const extents = read.direct['/Groom/_7_loose__hair_.extent'].timeSamples!;
    frames.forEach((f, k) => points.get(f)!.forEach((v, i) => {
      expect(extents.values[k][i % 3]).toBeLessThanOrEqual(v - Math.max(...widths) / 2);
      expect(extents.values[k][3 + (i % 3)]).toBeGreaterThanOrEqual(v + Math.max(...widths) / 2);
    }));
  });

  it('numbers read back as the same float32', () => {
    for (let k = 0; k < 5000; k++) {
      const v = Math.fround((random() - 0.5) * 10 ** Math.floor(random() * 14 - 9));
      expect(Math.fround(Number(floatText(v)))).toBe(v);
    }
    expect(floatText(-0)).toBe('0');
  });

  it('refuses points that do not match the counts', async () => {
    const bad = writeUsda({ name: 'a', fps: 24, startFrame: 0, endFrame: 0, counts: [4], ids: [0], widths: new Float32Array(4), points: () => new Float32Array(9), comment: '' });
    await expect((async () => { for await (const _ of bad); })()).rejects.toThrow('frame 0: expected 4 points, got 3');
  });
});
