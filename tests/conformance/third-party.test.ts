/**
 * Files that nobody here made, read as three.js reads them.
 * Sources: Debian's assimp-testmodels (BSD-3), the generic hand of @webxr-input-profiles/assets (MIT), the npm package bunny
 * (public domain: the Stanford bunny, decimated).
 */
import { readFileSync, readdirSync } from 'node:fs';
import path from 'node:path';
import { NodeIO, type Document } from '@gltf-transform/core';
import { ALL_EXTENSIONS } from '@gltf-transform/extensions';
import { unpartition } from '@gltf-transform/functions';
import bunny from 'bunny';
import { describe, expect, it } from 'vitest';
import { OBJLoader } from 'three/addons/loaders/OBJLoader.js';
import type { Mesh } from 'three';
import { restBox } from '../../src/core/mesh/rest-box';
import type { NamedFile } from '../../src/formats/file-set';
import { openCharacter } from '../../src/formats/open-character';
import { compareWithThree } from '../helpers/three-compare';

const MODELS = '/usr/share/assimp/models';
const beside = (file: string): NamedFile[] => [file, ...readdirSync(path.dirname(file)).filter((n) => /\.(bin|mtl)$/i.test(n)).map((n) => path.join(path.dirname(file), n))].map((f) => ({ name: path.basename(f), bytes: new Uint8Array(readFileSync(f)) }));
const io = new NodeIO().registerExtensions(ALL_EXTENSIONS);

describe('glTF', () => {
  it.each(['glTF2/simple_skin/simple_skin.gltf', 'glTF2/glTF-Sample-Models/AnimatedMorphCube-glTF/AnimatedMorphCube.gltf', 'glTF2/2CylinderEngine-glTF-Binary/2CylinderEngine.glb', 'glTF2/BoxTextured-glTF-Embedded/BoxTextured.gltf'])('%s: every place at three times is within 1e-4 of its height', async (file) => {
    const full = path.join(MODELS, file), opened = await openCharacter(beside(full));
    if (!opened.ok) throw new Error(opened.error.message);
    const { low, high } = restBox(opened.value.character);
    const r = await compareWithThree(await io.writeBinary(await withoutPictures(await io.read(full))), { ok: true, value: opened.value.character, warnings: [] });
    expect(r.vertices).toBeGreaterThan(7);
    expect(r.worst).toBeLessThan(1e-4 * Math.max(...high.map((v, k) => v - low[k])));
  });
  it('an engine compressed with Draco is the one that is not', async () => {
    const [packed, plain] = await Promise.all(['glTF2/draco/2CylinderEngine.gltf', 'glTF2/2CylinderEngine-glTF-Binary/2CylinderEngine.glb'].map((f) => openCharacter(beside(path.join(MODELS, f)))));
    if (!packed.ok || !plain.ok) throw new Error('not read');
    const a = restBox(packed.value.character), b = restBox(plain.value.character), size = Math.max(...b.high.map((v, k) => v - b.low[k])), triangles = (o: typeof packed.value): number => o.character.meshes.reduce((n, m) => n + m.triangles.length / 3, 0);
    for (let k = 0; k < 3; k++) { expect(Math.abs(a.low[k] - b.low[k])).toBeLessThan(1e-3 * size); expect(Math.abs(a.high[k] - b.high[k])).toBeLessThan(1e-3 * size); }
    // triangles that packing has made a line or a point are left out
    expect(Math.abs(triangles(packed.value) / triangles(plain.value) - 1)).toBeLessThan(0.01);
  });
  it('a hand of 25 joints from a headset’s kit', async () => {
    const bytes = new Uint8Array(readFileSync('node_modules/@webxr-input-profiles/assets/dist/profiles/generic-hand/left.glb')), r = await compareWithThree(bytes);
    expect(r.vertices).toBeGreaterThan(1000);
    expect(r.worst).toBeLessThan(1e-6);
  });
  it.each([['glTF2/MissingBin/BoxTextured.gltf', /needs “BoxTextured0\.bin”/], ['glTF2/RecursiveNodes/RecursiveNodes.gltf', /in a circle/], ['glTF2/BoxWithInfinites-glTF-Binary/BoxWithInfinites.glb', /not numbers/], ['glTF2/IndexOutOfRange/IndexOutOfRange.gltf', /outside the mesh/], ['glTF2/IncorrectVertexArrays/Cube.gltf', /needs 936 bytes/], ['glTF/CesiumMilkTruck/CesiumMilkTruck.gltf', /glTF version 1/]])('%s is refused in plain words', async (file, words) => {
    const r = await openCharacter(beside(path.join(MODELS, file)));
    expect(!r.ok && r.error.message).toMatch(words);
  });
});

describe('OBJ', () => {
  it.each(['OBJ/spider.obj', 'OBJ/WusonOBJ.obj', 'OBJ/regr01.obj', 'OBJ/box_longline.obj'])('%s: the same surface as three’s reader finds', async (file) => {
    const full = path.join(MODELS, file), opened = await openCharacter(beside(full));
    if (!opened.ok) throw new Error(opened.error.message);
    const theirs = new OBJLoader().parse(readFileSync(full, 'utf8')), box = { area: 0, low: [Infinity, Infinity, Infinity], high: [-Infinity, -Infinity, -Infinity] }, ours = structuredClone(box);
    const add = (into: typeof box, P: ArrayLike<number>, T: ArrayLike<number>): void => {
      for (let t = 0; t < T.length; t += 3) {
        const [a, b, c] = [0, 1, 2].map((k) => [0, 1, 2].map((x) => P[3 * T[t + k] + x])), u = b.map((v, k) => v - a[k]), w = c.map((v, k) => v - a[k]);
        into.area += 0.5 * Math.hypot(u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]);
        for (const p of [a, b, c]) p.forEach((v, k) => { into.low[k] = Math.min(into.low[k], v); into.high[k] = Math.max(into.high[k], v); });
      }
    };
    theirs.traverse((o) => { const P = (o as Mesh).isMesh ? (o as Mesh).geometry.getAttribute('position').array : null; if (P) add(box, P, Uint32Array.from({ length: P.length / 3 }, (_, i) => i)); });
    for (const m of opened.value.character.meshes) add(ours, m.positions, m.triangles);
    for (let k = 0; k < 3; k++) { expect(ours.low[k]).toBeCloseTo(box.low[k], 4); expect(ours.high[k]).toBeCloseTo(box.high[k], 4); }
    // quads that are not flat have no one area: either way across is right
    expect(Math.abs(ours.area / box.area - 1)).toBeLessThan(0.005);
  });
  it('the bunny, 3,674 triangles, goes in as a body without a skeleton', async () => {
    const { positions, cells } = bunny, text = [...positions.map((p) => `v ${p.join(' ')}`), ...cells.map((c) => `f ${c.map((v) => v + 1).join(' ')}`)].join('\n');
    const opened = await openCharacter([{ name: 'bunny.obj', bytes: new TextEncoder().encode(text) }]);
    if (!opened.ok) throw new Error(opened.error.message);
    expect(opened.value.character.meshes).toMatchObject([{ role: 'body', skin: -1 }]);
    expect(opened.value.character.meshes[0].triangles.length).toBe(3 * cells.length);
  });
});

/** Without pictures, which a Node program cannot decode, and in one buffer. */
async function withoutPictures(d: Document): Promise<Document> { for (const t of d.getRoot().listTextures()) t.dispose(); return d.transform(unpartition()); }
