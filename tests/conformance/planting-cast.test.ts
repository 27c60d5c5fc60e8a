/** Roots on the demo cast, over every clip: where they are planted is where the skin carries them. */
import { beforeAll, describe, expect, it } from 'vitest';
import * as THREE from 'three';
import { GLTFLoader, type GLTF } from 'three/addons/loaders/GLTFLoader.js';
import { clipTime, poseCharacter, restPositions, skinPositions, type Character } from '../../src/core/mesh/character';
import { loopSeam } from '../../src/core/mesh/clips';
import { restAround } from '../../src/core/groom/around';
import { plantGuides, plantOrderOf } from '../../src/core/groom/plant-guides';
import { rootMotionsInto, restFrames, rootPlace } from '../../src/core/groom/planting';
import { polylineLength } from '../../src/core/groom/polyline';
import { SkinGrid } from '../../src/core/groom/skin-grid';
import { scatterRoots } from '../../src/core/groom/scatter';
import { Surface } from '../../src/core/mesh/surface';
import validator from 'gltf-validator';
import { bramble, brambleBytes, oda, odaBytes, pim } from '../helpers/oda';

describe.each([['Oda', oda, odaBytes, 'head'], ['Bramble', bramble, brambleBytes, 'pony']] as const)('%s', (_who, read, bytes, name) => {
  let character: Character, gltf: GLTF;
  beforeAll(async () => {
    character = await read();
    Object.assign(globalThis, { self: globalThis });
    gltf = await new GLTFLoader().parseAsync(bytes().slice().buffer, '');
  });
  it('the file has no error and is under 4 MB', async () => {
    const report = (await validator.validateBytes(bytes())) as { issues: { numErrors: number; messages: unknown[] } };
    expect(report.issues.messages).toEqual([]);
    expect(report.issues.numErrors).toBe(0);
    expect(bytes().length).toBeLessThan(4 * 1048576);
  });
  it('300 roots are within 1 µm of where three.js skins their triangles, at 13 frames of every clip', () => {
    const mesh = character.meshes.find((m) => m.name === name)!, rest = restPositions(character, mesh), surface = new Surface(rest, mesh.triangles), all = Uint32Array.from({ length: mesh.triangles.length / 3 }, (_, f) => f);
    const planting = scatterRoots(surface, all, 300, 2), frames = restFrames(planting, rest, mesh.triangles), motions = new Float64Array(7 * 300), skin = new Float64Array(rest.length);
    let found: THREE.SkinnedMesh | null = null;
    gltf.scene.traverse((o) => { const m = o as THREE.SkinnedMesh; if (m.isSkinnedMesh && m.geometry.getAttribute('position').count === rest.length / 3) found = m; });
    const object = found! as THREE.SkinnedMesh;
    let worst = 0;
    for (const clip of character.clips) {
      const mixer = new THREE.AnimationMixer(gltf.scene);
      mixer.clipAction(gltf.animations.find((a) => a.name === clip.name)!).play();
      for (let k = 0; k <= 12; k++) {
        const time = (0.999 * clip.duration * k) / 12, pose = poseCharacter(character, clip, clipTime(time * 24, 24, clip, false));
        skinPositions(character, mesh, pose, skin);
        rootMotionsInto(motions, planting, frames, skin, mesh.triangles);
        mixer.setTime(time);
        gltf.scene.updateMatrixWorld(true);
        object.skeleton.update();
        const v = new THREE.Vector3();
        for (let g = 0; g < 300; g++) {
          const f = planting.faces[g], w = [1 - planting.weights[2 * g] - planting.weights[2 * g + 1], planting.weights[2 * g], planting.weights[2 * g + 1]], p = [0, 0, 0];
          for (let c = 0; c < 3; c++) { object.getVertexPosition(mesh.triangles[3 * f + c], v).applyMatrix4(object.matrixWorld); p[0] += w[c] * v.x; p[1] += w[c] * v.y; p[2] += w[c] * v.z; }
          worst = Math.max(worst, Math.hypot(p[0] - motions[7 * g + 4], p[1] - motions[7 * g + 5], p[2] - motions[7 * g + 6]));
        }
      }
      mixer.stopAllAction();
    }
    expect(worst).toBeLessThan(1e-6);
  });
  it('keeps its volume in every clip, and what is cyclic closes', () => {
    const mesh = character.meshes.find((m) => m.name === name)!, skin = new Float64Array(mesh.positions.length);
    const volume = (P: ArrayLike<number>): number => { let v = 0; for (let t = 0; t < mesh.triangles.length; t += 3) { const [a, b, c] = [0, 1, 2].map((k) => 3 * mesh.triangles[t + k]); v += P[a] * (P[b + 1] * P[c + 2] - P[b + 2] * P[c + 1]) - P[a + 1] * (P[b] * P[c + 2] - P[b + 2] * P[c]) + P[a + 2] * (P[b] * P[c + 1] - P[b + 1] * P[c]); } return v / 6; };
    const whole = volume(restPositions(character, mesh));
    for (const clip of character.clips) {
      for (let k = 0; k < 16; k++) {
        skinPositions(character, mesh, poseCharacter(character, clip, (clip.duration * k) / 16), skin);
        // Oda's head ends open at the neck: its volume is that of the cone to the origin as well
        if (name === 'pony') { expect(volume(skin) / whole).toBeGreaterThan(0.93); expect(volume(skin) / whole).toBeLessThan(1.03); }
      }
      if (/walk|trot/.test(clip.name)) expect(loopSeam(character, clip, 24).gap).toBeLessThan(1e-4);
    }
  });
});

describe('planted with clothes on', () => {
  it.each([['Oda', oda, 0.24], ['Pim', pim, 0.15], ['Oda', oda, 0.4]] as const)('%s: hair that falls (%#) goes round collar, scarf and coat, where it would go through them', async (who, read, length) => {
    const character = await read(), mesh = character.meshes.find((m) => m.hair.length > 0) ?? character.meshes[0], rest = restPositions(character, mesh), on = new Surface(rest, mesh.triangles), grid = new SkinGrid(on.positions, on.triangles), around = restAround(character, mesh, [], { meshRoles: {} })!, worn = new Surface(around.positions, around.triangles), n = 16, count = 300;
    const faces = Uint32Array.from({ length: mesh.triangles.length / 3 }, (_, f) => f).filter((f) => mesh.hair.length === 0 || [0, 1, 2].every((k) => mesh.hair[mesh.triangles[3 * f + k]] > 0.5));
    const skinned = [0, 0], tips: number[][] = [], through = [null, around].map((a) => {
      const { planting, offsets } = plantGuides(on, grid, { ...plantOrderOf({ by: 'count', guideCount: count, perCm2: 1, seed: 7, pointCount: n, lengthCm: 100 * length, lengthSpread: 0, liftMm: 12, lie: 'falling' }, faces), around: a });
      let crossing = 0;
      tips.push(Array.from({ length: count }, (_, g) => offsets[3 * (n * g + n - 1) + 1]));
      for (let g = 0; g < count; g++) {
        const root = rootPlace(on, planting, g), at = (i: number): number[] => [0, 1, 2].map((c) => root[c] + offsets[3 * (n * g + i) + c]);
        // long edges cut the bends of what goes straight through, too
        if (a || length < 0.3) expect(polylineLength(offsets, n * g, n)).toBeGreaterThan(0.98 * length);
        for (let i = 2; i < n; i++) { const p = at(i - 1), q = at(i), l = Math.hypot(q[0] - p[0], q[1] - p[1], q[2] - p[2]), hits = (s: Surface): boolean => (s.raycast(p, q.map((v, c) => (v - p[c]) / l))?.distance ?? l) < l; if (hits(on)) skinned[a ? 1 : 0]++; if (hits(worn)) { crossing++; break; } }
      }
      return crossing;
    });
    console.log(`${who}: of ${count} guides of ${100 * length} cm ${through[0]} would go through what is worn, and ${through[1]} do`);
    const stuffed = tips[1].filter((y, g) => y > tips[0][g] + 0.2 * length).length;
    console.log(`${who}: ${stuffed} hang less low by a fifth of their length than they would with nothing around; ${skinned[1]} edges go through the skin, ${skinned[0]} would`);
    // what reaches over the collar is not stuffed into it
    if (length > 0.3) expect(stuffed).toBeLessThan(count / 10);
    // nor is any pressed into the skin
    expect(skinned[1]).toBeLessThanOrEqual(skinned[0] + count / 50);
    expect(through[0]).toBeGreaterThan(count / 4);
    // an edge may cut a corner that the strand goes round
    expect(through[1]).toBeLessThanOrEqual(count / 50);
  });
});

describe('Oda’s jump', () => {
  it('is a free fall between leaving the ground and coming down, and her feet do not slide before it', async () => {
    const character = await oda(), clip = character.clips.find((c) => c.name === 'jump ashore')!, at = (name: string, frame: number): number[] => { const pose = poseCharacter(character, clip, frame / 24), n = character.nodes.findIndex((x) => x.name === name); return Array.from(pose.slice(16 * n + 12, 16 * n + 15)); };
    // Source: free fall, the second difference of the height is −g·dt²
    for (let f = 16; f <= 22; f++) expect(24 * 24 * (at('hips', f + 1)[1] - 2 * at('hips', f)[1] + at('hips', f - 1)[1])).toBeCloseTo(-9.81, 1);
    const foot = at('footL', 0);
    for (let f = 1; f <= 11; f++) { const p = at('footL', f); expect(Math.abs(p[2] - foot[2])).toBeLessThan(0.02); }
    expect(at('hips', 42)[2] - at('hips', 0)[2]).toBeCloseTo(1.1, 2);
  });
});
