/** The character in the scene: skinned on the GPU from the core's own pose. */
import * as THREE from 'three';
import { morphedPositions, type Character, type CharacterMesh, type Pose } from '../../core/mesh/character';
import { vertexNormals } from '../../core/mesh/surface';
import { BODY_DECLARE, BODY_SHADE } from './hair-shaders';
import type { HairRenderer } from './hair-renderer';

/** Meshes of more shapes, as those that move by a point cache, are put together here and not on the GPU. */
const MOST_GPU_MORPHS = 16;

/** There is nothing around that metal could mirror: all of one would be black, and a file that does not say is of metal. */
const MOST_METAL = 0.4;

export class CharacterView {
  readonly group = new THREE.Group();
  private readonly meshes = new Map<string, THREE.Mesh>();
  private readonly skeletons: THREE.Skeleton[] = [];
  private readonly boneNodes: Uint16Array[] = [];

  constructor(private readonly character: Character, private readonly hair: HairRenderer) {
    for (const skin of character.skins) {
      const bones = Array.from(skin.joints, () => { const b = new THREE.Bone(); b.matrixAutoUpdate = false; return b; });
      const inverses = bones.map((_, j) => new THREE.Matrix4().fromArray(skin.inverseBind, 16 * j));
      this.skeletons.push(new THREE.Skeleton(bones, inverses));
      this.boneNodes.push(skin.joints);
    }
    for (const mesh of character.meshes) this.add(mesh);
  }

  private add(mesh: CharacterMesh): void {
    const geometry = new THREE.BufferGeometry();
    const many = mesh.morphs.length > MOST_GPU_MORPHS;
    geometry.setAttribute('position', new THREE.BufferAttribute(many ? mesh.positions.slice() : mesh.positions, 3));
    geometry.setAttribute('normal', new THREE.BufferAttribute(many ? mesh.normals.slice() : mesh.normals, 3));
    if (mesh.colors.length > 0) geometry.setAttribute('color', new THREE.BufferAttribute(mesh.colors, 3));
    geometry.setIndex(new THREE.BufferAttribute(mesh.triangles, 1));
    if (mesh.morphs.length > 0 && !many) {
      geometry.morphAttributes.position = mesh.morphs.map((m) => new THREE.BufferAttribute(m.offsets, 3));
      geometry.morphTargetsRelative = true;
    }
    for (const [k, g] of mesh.groups.entries()) geometry.addGroup(3 * g.first, 3 * g.count, k);
    const materials = mesh.groups.map((g) => {
      const m = this.character.materials[g.material];
      const material = new THREE.MeshStandardMaterial({ color: new THREE.Color(...m.color), roughness: m.roughness, metalness: Math.min(MOST_METAL, m.metalness), side: m.twoSided ? THREE.DoubleSide : THREE.FrontSide, vertexColors: mesh.colors.length > 0 });
      material.onBeforeCompile = (shader) => {
        Object.assign(shader.uniforms, this.hair.bodyUniforms);
        shader.vertexShader = shader.vertexShader.replace('#include <common>', '#include <common>\nvarying vec3 vCombWorld;').replace('#include <project_vertex>', '#include <project_vertex>\nvCombWorld=(modelMatrix*vec4(transformed,1.)).xyz;');
        shader.fragmentShader = shader.fragmentShader.replace('#include <common>', `#include <common>\n${BODY_DECLARE}`).replace('#include <aomap_fragment>', `#include <aomap_fragment>\n${BODY_SHADE}`);
      };
      return material;
    });
    let object: THREE.Mesh;
    if (mesh.skin >= 0) {
      geometry.setAttribute('skinIndex', new THREE.BufferAttribute(mesh.joints, 4));
      geometry.setAttribute('skinWeight', new THREE.BufferAttribute(mesh.weights, 4));
      const skinned = new THREE.SkinnedMesh(geometry, materials);
      skinned.bindMode = THREE.DetachedBindMode;
      skinned.bind(this.skeletons[mesh.skin], new THREE.Matrix4());
      object = skinned;
    } else object = new THREE.Mesh(geometry, materials);
    object.matrixAutoUpdate = false;
    object.frustumCulled = false;
    this.meshes.set(mesh.name, object);
    this.group.add(object);
  }

  setPose(pose: Pose): void {
    this.skeletons.forEach((skeleton, s) => {
      skeleton.bones.forEach((bone, j) => { bone.matrixWorld.fromArray(pose, 16 * this.boneNodes[s][j]); });
      skeleton.update();
    });
    let at = 16 * this.character.nodes.length;
    for (const mesh of this.character.meshes) {
      const object = this.meshes.get(mesh.name)!;
      if (mesh.morphs.length > MOST_GPU_MORPHS) {
        const P = morphedPositions(this.character, mesh, pose), { position, normal } = object.geometry.attributes;
        (position.array as Float32Array).set(P);
        (normal.array as Float32Array).set(vertexNormals(P, mesh.triangles));
        position.needsUpdate = normal.needsUpdate = true;
      } else mesh.morphs.forEach((_, k) => { object.morphTargetInfluences![k] = pose[at + k]; });
      at += mesh.morphs.length;
    }
    for (const mesh of this.character.meshes) if (mesh.skin < 0) {
      const object = this.meshes.get(mesh.name)!;
      object.matrix.fromArray(pose, 16 * mesh.node);
      object.matrixWorld.copy(object.matrix);
    }
  }
  /** What is worn on a tie moves with it: rigid motions (quaternion, translation) by mesh name, on top of the pose. */
  setWorn(motions: ReadonlyMap<string, Float64Array>): void {
    for (const mesh of this.character.meshes) {
      const object = this.meshes.get(mesh.name)!, m = motions.get(mesh.name);
      if (mesh.skin >= 0) object.matrix.identity();
      if (m) object.matrix.premultiply(new THREE.Matrix4().compose(new THREE.Vector3(m[4], m[5], m[6]), new THREE.Quaternion(m[0], m[1], m[2], m[3]), new THREE.Vector3(1, 1, 1)));
      object.matrixWorld.copy(object.matrix);
    }
  }
  setHidden(hidden: readonly string[]): void { for (const [name, mesh] of this.meshes) mesh.visible = !hidden.includes(name); }

  dispose(): void {
    for (const mesh of this.meshes.values()) {
      mesh.geometry.dispose();
      for (const m of mesh.material as THREE.Material[]) m.dispose();
    }
    for (const s of this.skeletons) s.dispose();
  }
}
