import { MeshoptDecoder } from 'meshoptimizer';
import * as THREE from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { expect } from 'vitest';
import { clipTime, poseCharacter, skinPositions, type Character } from '../../src/core/mesh/character';
import { readGlb } from '../../src/formats/gltf';
import type { Result } from '../../src/formats/result';

/** Greatest distance between our skinned positions and those of three's loader, mixer and skinning, over three moments of the first clip. `read`: what ours made of it, where it is not read from these bytes. */
export async function compareWithThree(bytes: Uint8Array, read: Result<Character> | null = null): Promise<{ worst: number; vertices: number; warnings: string[] }> {
  Object.assign(globalThis, { self: globalThis });
  await MeshoptDecoder.ready;
  read ??= await readGlb(bytes);
  if (!read.ok) throw new Error(read.error.message);
  const character = read.value, loader = new GLTFLoader();
  loader.setMeshoptDecoder(MeshoptDecoder);
  const gltf = await loader.parseAsync(bytes.slice().buffer, '');
  const mixer = new THREE.AnimationMixer(gltf.scene);
  if (gltf.animations[0]) mixer.clipAction(gltf.animations[0]).play();
  let worst = 0, vertices = 0;
  for (const time of [0, 0.3, 0.8]) {
    mixer.setTime(time);
    gltf.scene.updateMatrixWorld(true);
    const clip = character.clips[0] ?? null, pose = poseCharacter(character, clip, clip ? clipTime(time * 24, 24, clip, false) : 0);
    const theirs: number[] = [], ours: number[] = [];
    gltf.scene.traverse((o) => {
      const mesh = o as THREE.SkinnedMesh;
      if (!mesh.isMesh) return;
      mesh.skeleton?.update();
      const v = new THREE.Vector3(), P = mesh.geometry.getAttribute('position');
      for (let i = 0; i < P.count; i++) {
        mesh.getVertexPosition(i, v).applyMatrix4(mesh.matrixWorld);
        theirs.push(v.x, v.y, v.z);
      }
    });
    for (const mesh of character.meshes) {
      const out = new Float64Array(mesh.positions.length);
      skinPositions(character, mesh, pose, out);
      ours.push(...out);
    }
    expect(ours.length).toBe(theirs.length);
    vertices = ours.length / 3;
    ours.forEach((x, i) => { worst = Math.max(worst, Math.abs(x - theirs[i])); });
  }
  return { worst, vertices, warnings: read.warnings };
}
