/** Drops and grains as they fly and sit: little bodies, drawn out along the way they go in the time a picture is exposed. */
import * as THREE from 'three';
import { DROP_NUMBERS } from '../../core/drops/drop-run';

/** s: half a frame at 24 a second, as cameras are usually set. Common practice, no source. */
const EXPOSED = 1 / 48;
const UP = new THREE.Vector3(0, 1, 0);

export class DropsView {
  readonly group = new THREE.Group();
  private mesh: THREE.InstancedMesh<THREE.BufferGeometry, THREE.MeshStandardMaterial> | null = null;
  private readonly place = new THREE.Object3D();
  private readonly way = new THREE.Vector3();
  private shown: Float32Array | null = null;

  /** `drops`: `DROP_NUMBERS` each; null for none. `still`: one moment, not drawn out. */
  update(drops: Float32Array | null, grains: boolean): void {
    this.group.visible = drops !== null && drops.length > 0;
    if (!drops || drops === this.shown) return;
    this.shown = drops;
    const count = drops.length / DROP_NUMBERS;
    if (!this.mesh || this.mesh.instanceMatrix.count < count) {
      this.drop();
      const material = new THREE.MeshStandardMaterial({ roughness: 0.08, metalness: 0, transparent: true });
      this.mesh = new THREE.InstancedMesh(new THREE.IcosahedronGeometry(0.5, 1), material, Math.max(256, 2 ** Math.ceil(Math.log2(Math.max(1, count)))));
      this.mesh.frustumCulled = false;
      this.mesh.renderOrder = 1;
      this.group.add(this.mesh);
    }
    const { mesh, place, way } = this;
    mesh.material.color.set(grains ? '#b59a6a' : '#cfe3ee');
    mesh.material.opacity = grains ? 1 : 0.45;
    mesh.material.roughness = grains ? 0.95 : 0.08;
    mesh.count = count;
    for (let d = 0; d < count; d++) {
      const o = DROP_NUMBERS * d, size = Math.abs(drops[o + 7]), stuck = drops[o + 7] < 0;
      place.position.set(drops[o + 1], drops[o + 2], drops[o + 3]);
      way.set(drops[o + 4], drops[o + 5], drops[o + 6]);
      const speed = way.length();
      place.quaternion.identity();
      let long = size;
      if (stuck) place.scale.set(0.85 * size, 1.3 * size, 0.85 * size);
      else {
        if (speed > 0.2) { place.quaternion.setFromUnitVectors(UP, way.multiplyScalar(1 / speed)); long = size + 0.4 * EXPOSED * speed; }
        const thin = size * Math.sqrt(size / long) ** 0.5;
        place.scale.set(thin, long, thin);
      }
      place.updateMatrix();
      mesh.setMatrixAt(d, place.matrix);
    }
    mesh.instanceMatrix.needsUpdate = true;
  }
  private drop(): void { if (!this.mesh) return; this.group.remove(this.mesh); this.mesh.geometry.dispose(); this.mesh.material.dispose(); this.mesh.dispose(); this.mesh = null; }
  dispose(): void { this.drop(); }
}
