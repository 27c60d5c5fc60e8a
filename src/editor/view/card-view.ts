/** Hair cards in the scene: each goes along with the skin at its root. */
import * as THREE from 'three';
import { restFrames, rootMotionsInto, type Planting } from '../../core/groom/planting';
import type { Cards } from '../state/fill-desk';

export class CardView {
  readonly mesh: THREE.Mesh<THREE.BufferGeometry, THREE.MeshStandardMaterial>;
  private shown: { cards: Cards; level: number } | null = null;
  private planting: Planting = { faces: new Uint32Array(0), weights: new Float32Array(0) };
  private frames: Float64Array = new Float64Array(0);
  private motions: Float64Array = new Float64Array(0);

  constructor() {
    this.mesh = new THREE.Mesh(new THREE.BufferGeometry(), new THREE.MeshPhysicalMaterial({ alphaTest: 0.4, side: THREE.DoubleSide, roughness: 0.55, metalness: 0, specularIntensity: 0.3 }));
    this.mesh.frustumCulled = false;
    this.mesh.visible = false;
  }

  /** Shows a level of the cards on the mesh in its pose; `rest`: 3 × vertices of that mesh in the rest pose. */
  show(cards: Cards, level: number, rest: Float64Array, positions: ArrayLike<number>, triangles: Uint32Array): void {
    const m = cards.set.levels[Math.min(level, cards.set.levels.length - 1)], { geometry, material } = this.mesh;
    if (this.shown?.cards !== cards || this.shown.level !== level) {
      if (this.shown?.cards.colours !== cards.colours) {
        material.map?.dispose();
        const { size } = cards.set.atlas, map = new THREE.DataTexture(cards.colours, size, size, THREE.RGBAFormat);
        map.colorSpace = THREE.SRGBColorSpace;
        map.minFilter = THREE.LinearMipmapLinearFilter;
        map.magFilter = THREE.LinearFilter;
        map.generateMipmaps = true;
        map.anisotropy = 4;
        map.needsUpdate = true;
        material.map = map;
        material.needsUpdate = true;
      }
      this.shown = { cards, level };
      this.planting = { faces: Uint32Array.from(m.strands, (s) => cards.roots.faces[s]), weights: Float32Array.from(Array.from(m.strands).flatMap((s) => [cards.roots.weights[2 * s], cards.roots.weights[2 * s + 1]])) };
      this.frames = restFrames(this.planting, rest, triangles);
      this.motions = new Float64Array(7 * m.cards);
      geometry.dispose();
      geometry.setIndex(new THREE.BufferAttribute(m.indices, 1));
      geometry.setAttribute('position', new THREE.BufferAttribute(m.positions.slice(), 3));
      geometry.setAttribute('normal', new THREE.BufferAttribute(m.normals.slice(), 3));
      geometry.setAttribute('uv', new THREE.BufferAttribute(m.uvs, 2));
    }
    rootMotionsInto(this.motions, this.planting, this.frames, positions, triangles);
    const P = geometry.getAttribute('position') as THREE.BufferAttribute, N = geometry.getAttribute('normal') as THREE.BufferAttribute, q = new THREE.Quaternion(), v = new THREE.Vector3();
    for (let i = 0; i < m.card.length; i++) {
      const o = 7 * m.card[i], s = 3 * m.strands[m.card[i]];
      q.set(this.motions[o], this.motions[o + 1], this.motions[o + 2], this.motions[o + 3]);
      v.set(m.positions[3 * i] - cards.places[s], m.positions[3 * i + 1] - cards.places[s + 1], m.positions[3 * i + 2] - cards.places[s + 2]).applyQuaternion(q);
      P.setXYZ(i, v.x + this.motions[o + 4], v.y + this.motions[o + 5], v.z + this.motions[o + 6]);
      v.set(m.normals[3 * i], m.normals[3 * i + 1], m.normals[3 * i + 2]).applyQuaternion(q);
      N.setXYZ(i, v.x, v.y, v.z);
    }
    P.needsUpdate = N.needsUpdate = true;
  }
  dispose(): void { this.mesh.geometry.dispose(); this.mesh.material.map?.dispose(); this.mesh.material.dispose(); }
}
