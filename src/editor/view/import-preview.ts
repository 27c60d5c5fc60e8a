/** A character that has not been taken yet, from the front and from its left, as tall as it would be. */
import * as THREE from 'three';
import { turnOf, type Placement } from '../../core/mesh/placement';
import type { Role } from '../../core/mesh/character';

const TINTS: Record<Role, number> = { body: 0xcdb6a0, garment: 0x7f8f8c, accessory: 0x9a86a8, prop: 0x8a8172, carrier: 0x6d7466 };
const BACKDROP = 0x2f2d2b;

/** What of the world is seen, m: each half is `width` wide about the middle, from `low` upwards. */
export interface Frame { low: number; height: number; width: number }

export class ImportPreview {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly turned = new THREE.Group();
  private readonly scaled = new THREE.Group();
  private readonly meshes: THREE.Mesh<THREE.BufferGeometry, THREE.MeshLambertMaterial>[];
  private width = 1;
  private height = 1;

  constructor(canvas: HTMLCanvasElement, shapes: readonly { positions: Float32Array; triangles: Uint32Array }[]) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
    this.renderer.setScissorTest(true);
    this.renderer.setClearColor(BACKDROP);
    this.meshes = shapes.map(({ positions, triangles }) => {
      const g = new THREE.BufferGeometry();
      g.setAttribute('position', new THREE.BufferAttribute(positions, 3));
      g.setIndex(new THREE.BufferAttribute(triangles, 1));
      g.computeVertexNormals();
      return new THREE.Mesh(g, new THREE.MeshLambertMaterial({ side: THREE.DoubleSide }));
    });
    this.scaled.add(...this.meshes);
    this.turned.add(this.scaled);
    this.scene.add(this.turned, new THREE.HemisphereLight(0xfff4e6, 0x4a4642, 2.2));
  }

  /** Draws it; returns what is seen. */
  draw(placement: Placement, roles: readonly Role[], width: number, height: number): Frame {
    if (width !== this.width || height !== this.height) { this.renderer.setSize(width, height, false); this.width = width; this.height = height; }
    this.meshes.forEach((m, i) => m.material.color.set(TINTS[roles[i]]));
    this.scaled.scale.set(placement.mirror ? -placement.scale : placement.scale, placement.scale, placement.scale);
    this.turned.quaternion.set(...turnOf(placement));
    this.scene.updateMatrixWorld(true);
    const box = new THREE.Box3(), own = this.meshes.filter((_, i) => roles[i] === 'body' || roles[i] === 'garment');
    for (const m of own.length > 0 ? own : this.meshes) box.union(new THREE.Box3().setFromObject(m));
    const size = box.getSize(new THREE.Vector3()), centre = box.getCenter(new THREE.Vector3()), aspect = width / 2 / height;
    const tall = 1.16 * Math.max(size.y, Math.max(size.x, size.z) / aspect, 1e-6), low = centre.y - tall / 2, across = tall * aspect, far = 4 * size.length() + 1e-3;
    const light = new THREE.DirectionalLight(0xffffff, 1.6);
    for (const [half, direction] of [[0, new THREE.Vector3(0, 0, 1)], [1, new THREE.Vector3(1, 0, 0)]] as const) {
      const camera = new THREE.OrthographicCamera(-across / 2, across / 2, tall / 2, -tall / 2, 0, 2 * far);
      camera.position.copy(centre).addScaledVector(direction, far);
      camera.lookAt(centre);
      light.position.copy(direction).add(new THREE.Vector3(-0.4, 0.9, 0.5));
      this.scene.add(light);
      const left = Math.round((half * width) / 2), right = Math.round(((half + 1) * width) / 2);
      this.renderer.setViewport(left, 0, right - left, height);
      this.renderer.setScissor(left, 0, right - left, height);
      this.renderer.render(this.scene, camera);
      this.scene.remove(light);
    }
    return { low, height: tall, width: across };
  }

  dispose(): void {
    for (const m of this.meshes) { m.geometry.dispose(); m.material.dispose(); }
    this.renderer.dispose();
  }
}
