/** A painted map on the skin, or how much of it shows, on an even ramp from dark blue (0) to yellow (1). */
import * as THREE from 'three';
import { SkinGrid } from '../../core/groom/skin-grid';
import type { MapName } from '../state/plant-desk';
import type { Session } from '../state/session';

/** Texels of a map that are drawn one by one. */
const MOST_TEXELS_SHOWN = 500_000;

export class MapView {
  readonly mesh = new THREE.Mesh(new THREE.BufferGeometry(), new THREE.MeshBasicMaterial({ vertexColors: true, transparent: true, opacity: 0.88, polygonOffset: true, polygonOffsetFactor: -2, polygonOffsetUnits: -2 }));
  private layout = '';

  /** `ramp`: 256 colours, linear RGB. */
  constructor(private readonly session: Session, private readonly ramp: Float32Array) { this.mesh.frustumCulled = false; }
  dispose(): void { this.mesh.geometry.dispose(); this.mesh.material.dispose(); }

  /** Over the plot, and what is being painted beside it; null for none. */
  show(map: MapName | null): void {
    const { session, mesh } = this, { desk } = session;
    mesh.visible = map !== null;
    if (map === null) return;
    const { grid } = desk, faces = this.facesOf(map), key = `${session.mesh.name} ${faces.length} ${faces[0]} ${faces[faces.length - 1]} ${faces[faces.length >> 1]}`;
    let texels = 0;
    for (const f of faces) texels += grid.start[f + 1] - grid.start[f];
    // of a mesh that is fine itself the corners of its faces show enough
    if (texels > MOST_TEXELS_SHOWN) { this.showCorners(map, faces, key); return; }
    this.layOut(key, texels, () => grid.trianglesOf(faces));
    const { values, full } = desk.shown(map), [places, colours] = this.arrays();
    grid.placesInto(places, session.skin, faces);
    let o = 0;
    for (const f of faces) for (let t = grid.start[f]; t < grid.start[f + 1]; t++, o += 3) this.colour(colours, o, values ? values[t] / full : 1);
  }
  private facesOf(map: MapName): Uint32Array {
    const { desk, plotFaces } = this.session;
    if (plotFaces.length === 0 && map !== 'density') return Uint32Array.from({ length: desk.grid.faceCount }, (_, f) => f);
    const beside = desk.painting?.map === map ? desk.painting.beside : new Set<number>();
    if (beside.size === 0) return plotFaces;
    const all = new Uint32Array(plotFaces.length + beside.size);
    all.set(plotFaces);
    all.set([...beside], plotFaces.length);
    return all;
  }
  /** By the corners of faces alone. */
  private showCorners(map: MapName, faces: Uint32Array, key: string): void {
    const { session } = this, { grid } = session.desk, T = session.mesh.triangles, { values, full } = session.desk.shown(map);
    this.layOut(`corners ${key}`, 3 * faces.length, null);
    const [places, colours] = this.arrays();
    for (let k = 0, o = 0; k < faces.length; k++) {
      const f = faces[k], s = grid.steps[f], first = grid.start[f];
      for (let c = 0; c < 3; c++, o += 3) {
        const v = 3 * T[3 * f + c], texel = first + (c === 0 ? 0 : c === 1 ? SkinGrid.within(s, s, 0) : SkinGrid.within(s, 0, s));
        for (let x = 0; x < 3; x++) places[o + x] = session.skin[v + x];
        this.colour(colours, o, values ? values[texel] / full : 1);
      }
    }
  }
  /** How much skin shows, face by face: yellow is bare, grey not looked at; nothing where it is not known of this plot. */
  showBare(bare: Float32Array | null): void {
    const { session } = this, faces = session.plotFaces, T = session.mesh.triangles, known = bare !== null && bare.length === faces.length;
    this.mesh.visible = known;
    if (!known) return;
    this.layOut(`bare ${faces.length}`, 3 * faces.length, null);
    const [places, colours] = this.arrays();
    for (let k = 0, o = 0; k < faces.length; k++) for (let c = 0; c < 3; c++, o += 3) {
      for (let x = 0; x < 3; x++) places[o + x] = session.skin[3 * T[3 * faces[k] + c] + x];
      if (Number.isNaN(bare[k])) colours.fill(0.25, o, o + 3);
      else this.colour(colours, o, bare[k]);
    }
  }

  private colour(out: Float32Array, at: number, value: number): void { const k = 3 * Math.round(255 * value); for (let x = 0; x < 3; x++) out[at + x] = this.ramp[k + x]; }
  /** Room for so many corners; what was laid out under that name before is used again. */
  private layOut(layout: string, corners: number, index: (() => Uint32Array) | null): void {
    const g = this.mesh.geometry;
    if (this.layout === layout) return;
    this.layout = layout;
    g.dispose();
    g.setIndex(index ? new THREE.BufferAttribute(index(), 1) : null);
    for (const name of ['position', 'color']) g.setAttribute(name, new THREE.BufferAttribute(new Float32Array(3 * corners), 3));
  }
  /** Places and colours, to be written. */
  private arrays(): [Float32Array, Float32Array] {
    const of = (name: string): Float32Array => { const a = this.mesh.geometry.getAttribute(name) as THREE.BufferAttribute; a.needsUpdate = true; return a.array as Float32Array; };
    return [of('position'), of('color')];
  }
}
