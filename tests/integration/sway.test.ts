/** `./comb sway` as a pipeline would call it, and the pool of worker threads against one run in one thread. */
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openScene } from '../../src/core/bake/open-scene';
import { bytesOf, packPlanting } from '../../src/core/document/buffers';
import { newDocument, type GroomDocument } from '../../src/core/document/schema';
import { growGuide } from '../../src/core/groom/grow';
import { rootPlace, scatterEvenly } from '../../src/core/groom/planting';
import { Surface } from '../../src/core/mesh/surface';
import { planRun, SwayRun } from '../../src/core/sway/run';
import { readGlb } from '../../src/formats/gltf';
import { packCharacter, unpackCharacter } from '../../src/formats/packed-character';
import { computeFrames } from '../../src/server/sway-pool';
import { tubeGlb } from '../helpers/tube';

const dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-sway-'));
afterAll(() => { rmSync(dir, { recursive: true, force: true }); });
const comb = (args: string[], input?: string) => spawnSync('./comb', ['sway', ...args], { encoding: 'utf8', input, maxBuffer: 1 << 28 });
const file = (name: string, value: unknown): string => { const p = path.join(dir, name); writeFileSync(p, typeof value === 'string' ? value : JSON.stringify(value)); return p; };
const strand = { points: Array.from({ length: 12 }, (_, i) => [0.015 * i, 1.6, 0]), rest: 'straight', diameter: 7e-5, density: 1320, youngModulus: 4e9, shearModulus: 1.3e9 };

describe('./comb sway', () => {
  it('answers a case on the output stream, and the same in a file', () => {
    const c = file('case.json', { fps: 24, frames: 6, substeps: 4, strands: [strand, { ...strand, root: 'hinged' }] }), out = path.join(dir, 'result.json');
    const a = comb([c]), b = comb([c, '--out', out]);
    expect(a.stderr).toBe('');
    expect({ a: a.status, b: b.status, out: b.stdout }).toEqual({ a: 0, b: 0, out: '' });
    const result = JSON.parse(a.stdout) as { frames: { strands: number[][][] }[]; substeps: number; kernel: string; proof: { maxStretch: number } };
    expect(readFileSync(out, 'utf8')).toBe(a.stdout);
    expect(result.frames.length).toBe(6);
    expect(result.frames[0].strands[1]).toEqual(strand.points.map((p) => p.map((v) => Math.round(v * 1e9) / 1e9)));
    expect(result).toMatchObject({ substeps: 4, kernel: 'simd' });
    expect(result.proof.maxStretch).toBeLessThan(5e-4);
    // the same case read from the input stream gives the same bytes
    expect(comb(['-'], readFileSync(c, 'utf8')).stdout).toBe(a.stdout);
  });
  it('names what is wrong by its path, on the error stream, with exit code 2 and no stack', () => {
    for (const [value, message] of [
      [{ fps: 24, frames: 2, strands: [strand, strand, { ...strand, diameter: 0 }] }, /^strands\[2\]\.diameter: /],
      ['{ "fps": 24, ', /not JSON/],
      [{ fps: 24, frames: 2, strands: [strand], colliders: [{ kind: 'shell', positions: [], triangles: [] }] }, /^colliders\[0\]\.positions: must be/],
    ] as const) {
      const r = comb([file('bad.json', value)]);
      expect(r.status).toBe(2);
      expect(r.stdout).toBe('');
      expect(r.stderr).toMatch(message);
      expect(r.stderr).not.toMatch(/\n\s+at /);
    }
    expect(comb([path.join(dir, 'none.json')])).toMatchObject({ status: 2 });
    expect(comb([]).stderr).toMatch(/^usage: /);
  });
});

describe('the pool', () => {
  const GUIDES = 30, POINTS = 10;
  let packed: Uint8Array, document: GroomDocument, planting: Uint8Array, offsets: Uint8Array;
  beforeAll(async () => {
    const read = await readGlb(await tubeGlb());
    if (!read.ok) throw new Error(read.error.message);
    const character = read.value, mesh = character.meshes[0], surface = new Surface(mesh.positions, mesh.triangles);
    const roots = scatterEvenly(surface, Uint32Array.from({ length: 120 }, (_, i) => 240 + i), GUIDES, 5), shapes = new Float32Array(3 * POINTS * GUIDES);
    for (let g = 0; g < GUIDES; g++) shapes.set(growGuide(surface, rootPlace(surface, roots, g), surface.normal(roots.faces[g]), { length: 0.18, pointCount: POINTS, lie: 'falling', lift: 0.012 }), 3 * POINTS * g);
    packed = packCharacter(character);
    planting = packPlanting(roots);
    offsets = bytesOf(shapes);
    document = { ...newDocument('tube', { clip: 'bend', start: 0, end: 11, fps: 24, cyclic: false }), guides: { count: GUIDES, pointCount: POINTS, planting: 'a'.repeat(64), offsets: 'b'.repeat(64), plantKey: 'c'.repeat(64), combed: false } };
  });
  it('gives the same bits as one run in one thread, for any number of threads', async () => {
    const character = unpackCharacter(packed);
    if (!character.ok) throw new Error(character.error.message);
    const scene = openScene(document, character.value, { planting, offsets }), alone = new SwayRun(scene, -5, { plan: planRun(scene, -5, 11) });
    const expected = Array.from({ length: 16 }, () => ({ measures: alone.advance(), points: alone.positions() }));
    for (const threads of [1, 2, 5]) {
      let at = 0;
      for await (const item of computeFrames({ document, character: packed, planting, offsets, firstFrame: -4, lastFrame: 11 }, threads, path.resolve('dist/sway-share.mjs'))) {
        if (item.kind === 'started') { expect({ ...item.report, heldShare: 0 }).toEqual({ ...alone.report, heldShare: 0 }); continue; }
        expect(item.measures).toEqual(expected[at].measures);
        expect(item.points).toEqual(expected[at].points);
        at++;
      }
      expect(at).toBe(16);
    }
  });
  it('ends with the reason where a share fails, and may be left early', async () => {
    const run = (change: object) => computeFrames({ document: { ...document, ...change }, character: packed, planting, offsets, firstFrame: 0, lastFrame: 11 }, 2, path.resolve('dist/sway-share.mjs'));
    await expect((async () => { for await (const item of run({ plot: { mesh: 'hat', faces: null } })) void item; })()).rejects.toThrow(/a mesh of the character/);
    let frames = 0;
    for await (const item of run({})) if (item.kind === 'frame' && ++frames === 3) break;
    expect(frames).toBe(3);
  });
});
