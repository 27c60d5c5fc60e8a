import { beforeAll, describe, expect, it } from 'vitest';
import * as THREE from 'three';
import { GLTFLoader, type GLTF } from 'three/addons/loaders/GLTFLoader.js';
import { clipTime, poseCharacter, skinPositions, type Character } from '../../src/core/mesh/character';
import { oda, odaBytes } from '../helpers/oda';

describe('the demo character', () => {
  let character: Character, gltf: GLTF;
  beforeAll(async () => {
    character = await oda();
    Object.assign(globalThis, { self: globalThis });
    gltf = await new GLTFLoader().parseAsync(odaBytes().slice().buffer, '');
  });

  it('is a person of 1.72 m', () => {
    let top = 0;
    for (const m of character.meshes) for (let i = 1; i < m.positions.length; i += 3) top = Math.max(top, m.positions[i]);
    expect(top).toBeGreaterThan(1.70);
    expect(top).toBeLessThan(1.74);
  });

  // Source: three.js, whose loader, mixer and skinning are not ours
  for (const time of [0, 0.55, 0.68, 1.42]) it(`skinned positions at ${time} s agree with three's to 1e-6 m`, () => {
    const clip = character.clips.find((c) => c.name === 'look back')!;
    const pose = poseCharacter(character, clip, clipTime(time * 24, 24, clip, false));
    const mixer = new THREE.AnimationMixer(gltf.scene);
    mixer.clipAction(gltf.animations.find((a) => a.name === 'look back')!).play();
    mixer.setTime(time);
    gltf.scene.updateMatrixWorld(true);
    let compared = 0, worst = 0;
    for (const name of ['head', 'coat', 'collar']) {
      const mesh = character.meshes.find((m) => m.name === name)!;
      const ours = new Float64Array(mesh.positions.length);
      skinPositions(character, mesh, pose, ours);
      let offset = 0;
      const object = gltf.scene.getObjectByName(name)!;
      const parts = object instanceof THREE.SkinnedMesh ? [object] : (object.children as THREE.SkinnedMesh[]);
      for (const part of parts) {
        part.skeleton.update();
        const v = new THREE.Vector3(), count = part.geometry.getAttribute('position').count;
        for (let i = 0; i < count; i += 3) {
          part.getVertexPosition(i, v).applyMatrix4(part.matrixWorld);
          const o = 3 * (offset + i);
          worst = Math.max(worst, Math.hypot(ours[o] - v.x, ours[o + 1] - v.y, ours[o + 2] - v.z));
          compared++;
        }
        offset += count;
      }
    }
    expect(compared).toBeGreaterThan(2000);
    expect(worst).toBeLessThan(1e-6);
    mixer.stopAllAction();
  });
});
