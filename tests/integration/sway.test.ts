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
import { measuresOf, meterOf } from '../../src/core/proof/take';
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
      [{ fps: 24, frames: 2, strands: [strand], colliders: [{ kind: 'shell', positions: [1, 2], triangles: [] }] }, /^colliders\[0\]\.positions: must be/],
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

describe('what a case touches', () => {
  const run = (colliders: object[], more: object = {}) => { const r = comb([file('touch.json', { fps: 24, frames: 40, substeps: 8, strands: [{ ...strand, points: strand.points.map(([x, , z]) => [x, 0.02 + 0 * x, z]), root: 'hinged' }], airDrag: 4, colliders, ...more })]); return { ...r, result: r.status === 0 ? (JSON.parse(r.stdout) as { frames: { strands: number[][][] }[]; proof: { maxDepth: number; netUses: number } }) : null }; };
  it('hair falls on a floor and stays on it', () => {
    const { result, stderr } = run([{ kind: 'floor', height: 0, gap: 0.001 }]);
    expect(stderr).toBe('');
    for (const [, y] of result!.frames.at(-1)!.strands[0].slice(1)) { expect(y).toBeGreaterThan(0.0009); expect(y).toBeLessThan(0.021); }
    expect(result!.proof).toMatchObject({ maxDepth: 0, netUses: 0 });
  });
  it('colliders that cannot be used are told, and the case runs', () => {
    const { status, stderr } = run([{ kind: 'ball', center: [0, 0, 0], radius: 0 }, { kind: 'shell', positions: [], triangles: [] }, { kind: 'shell', positions: [0, 0, 0, 1, 0, 0, 2, 0, 0], triangles: [0, 1, 2] }]);
    expect(status).toBe(0);
    expect(stderr).toMatch(/colliders\[0\] has no radius/);
    expect(stderr).toMatch(/colliders\[1\] has no faces/);
    expect(stderr).toMatch(/colliders\[2\] has no faces with an area/);
  });
  it('one that is of no kind, or has a negative radius, is refused', () => {
    expect(run([{ kind: 'cube' }])).toMatchObject({ status: 2, stderr: expect.stringMatching(/^colliders\[0\]\.kind: must be/) as string });
    expect(run([{ kind: 'ball', center: [0, 0, 0], radius: -1 }])).toMatchObject({ status: 2, stderr: expect.stringMatching(/^colliders\[0\]\.radius/) as string });
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
    const meter = meterOf(scene), expected = Array.from({ length: 16 }, () => { const m = alone.advance(), points = alone.positions(); return { measures: meter.take(measuresOf(m), points, alone.strandNumbers), points }; });
    for (const threads of [1, 2, 5]) {
      let at = 0;
      for await (const item of computeFrames({ document, character: packed, planting, offsets, firstFrame: -4, lastFrame: 11 }, threads, path.resolve('dist/sway-share.mjs'))) {
        if (item.kind === 'started') { expect({ ...item.report, heldShare: 0 }).toEqual({ ...alone.report, heldShare: 0 }); continue; }
        if (item.kind === 'state') throw new Error('nobody asked for it');
        expect(item.measures).toEqual(expected[at].measures);
        expect(item.points).toEqual(expected[at].points);
        at++;
      }
      expect(at).toBe(16);
    }
  });
  it('and so where strands act on each other, and a tie tears', async () => {
    const character = unpackCharacter(packed);
    if (!character.ok) throw new Error(character.error.message);
    const all = Array.from({ length: GUIDES }, (_, g) => g), common = { on: true, node: '', wears: null };
    const coupled: GroomDocument = { ...document, sway: { ...document.sway, loft: 0.6, loftSpacingMm: 14, ties: [
      { ...common, id: 'a', name: 'ring', kind: 'ring', guides: all.slice(0, 12), from: 0.7, to: 0.8, firmness: 0.5, snap: null },
      { ...common, id: 'b', name: 'pin', kind: 'joint', node: 'low', guides: all.slice(20), from: 1, to: 1, firmness: 0.9, snap: 0.002 },
    ] } };
    const scene = openScene(coupled, character.value, { planting, offsets }), alone = new SwayRun(scene, -5, { plan: planRun(scene, -5, 11) });
    expect(alone.report.bodies).toBeGreaterThan(5);
    const meter = meterOf(scene), expected = Array.from({ length: 16 }, () => { const m = alone.advance(), points = alone.positions(); return { measures: meter.take(measuresOf(m), points, alone.strandNumbers), points }; });
    expect(expected[15].measures.broken).toEqual([1]);
    for (const threads of [1, 3]) {
      let at = 0;
      for await (const item of computeFrames({ document: coupled, character: packed, planting, offsets, firstFrame: -4, lastFrame: 11 }, threads, path.resolve('dist/sway-share.mjs'))) {
        if (item.kind === 'started') continue;
        if (item.kind === 'state') throw new Error('nobody asked for it');
        expect(item.measures).toEqual(expected[at].measures);
        expect(item.points).toEqual(expected[at].points);
        at++;
      }
      expect(at).toBe(16);
    }
    // left early, while shares wait for each other
    for await (const item of computeFrames({ document: coupled, character: packed, planting, offsets, firstFrame: -4, lastFrame: 11 }, 3, path.resolve('dist/sway-share.mjs'))) if (item.kind === 'frame') break;
  });
  it('ends with the reason where a share fails, and may be left early', async () => {
    const run = (change: object) => computeFrames({ document: { ...document, ...change }, character: packed, planting, offsets, firstFrame: 0, lastFrame: 11 }, 2, path.resolve('dist/sway-share.mjs'));
    await expect((async () => { for await (const item of run({ plot: { ...document.plot, mesh: 'hat' } })) void item; })()).rejects.toThrow(/a mesh of the character/);
    let frames = 0;
    for await (const item of run({})) if (item.kind === 'frame' && ++frames === 3) break;
    expect(frames).toBe(3);
  });
});
