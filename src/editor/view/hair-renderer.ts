/** Draws filled strands: keeps their textures, runs the passes of hair-shaders.ts, offers a mesh of ribbons to the scene. */
import * as THREE from 'three';
import type { FilledStrands } from '../../core/fill/strands';
import type { GroomDocument } from '../../core/document/schema';
import * as S from './hair-shaders';

const ROW = 1024, NODE_ROW = 2048, STRANDS_PER_ROW = 128, MOST_PILLS = 16;

export const LIGHTS = {
  key: new THREE.Vector3(-0.5, 0.62, 0.62).normalize(), keyPower: new THREE.Vector3(3.1, 2.95, 2.75),
  rim: new THREE.Vector3(0.62, 0.5, -0.62).normalize(), rimPower: new THREE.Vector3(2.6, 2.75, 3.0),
  sky: new THREE.Vector3(0.8, 0.84, 0.9), ground: new THREE.Vector3(0.42, 0.39, 0.37),
};

function dataTexture(width: number, height: number): THREE.DataTexture {
  const t = new THREE.DataTexture(new Float32Array(4 * width * height), width, height, THREE.RGBAFormat, THREE.FloatType);
  t.minFilter = t.magFilter = THREE.NearestFilter;
  t.needsUpdate = true;
  return t;
}
const target = (width: number, height: number, options: THREE.RenderTargetOptions = {}): THREE.WebGLRenderTarget =>
  new THREE.WebGLRenderTarget(width, height, { depthBuffer: false, minFilter: THREE.NearestFilter, magFilter: THREE.NearestFilter, type: THREE.FloatType, ...options });

export class HairRenderer {
  readonly mesh: THREE.Mesh;
  /** Uniforms that skin and cloth share, to be shadowed by the hair. */
  readonly bodyUniforms = { tLight: { value: null as THREE.Texture | null }, tOpen: { value: null as THREE.Texture | null }, uBox: { value: new THREE.Vector4(0, 0, 0, 1) }, uTint: { value: new THREE.Vector3(1, 1, 1) }, uHair: { value: 0 } };
  strandCount = 0;
  private guideTexture = dataTexture(1, 1);
  private strandTexture = dataTexture(1, 1);
  private rootTexture = dataTexture(1, 1);
  private nodes: THREE.WebGLRenderTarget | null = null;
  private colours: THREE.WebGLRenderTarget | null = null;
  private readonly density = target(512, 512, { type: THREE.HalfFloatType });
  private readonly softened = target(512, 512, { type: THREE.HalfFloatType, minFilter: THREE.LinearFilter, magFilter: THREE.LinearFilter });
  private readonly light = target(512, 512, { type: THREE.HalfFloatType, count: 2, minFilter: THREE.LinearFilter, magFilter: THREE.LinearFilter });
  private readonly screenScene = new THREE.Scene();
  private readonly screenCamera = new THREE.OrthographicCamera(-1, 1, 1, -1, 0, 1);
  private readonly screen = new THREE.Mesh<THREE.BufferGeometry, THREE.Material>(new THREE.PlaneGeometry(2, 2));
  private readonly points = new THREE.Points<THREE.BufferGeometry, THREE.Material>(new THREE.BufferGeometry());
  private readonly pointsScene = new THREE.Scene();
  private readonly materials = new Map<string, THREE.RawShaderMaterial>();
  private readonly box = new THREE.Vector4(0, 1.6, 0, 0.6);
  private readonly ribbons: THREE.RawShaderMaterial;
  private fullCount = 1;
  private drawn = 1;
  private fill: GroomDocument['fill'] | null = null;
  private pointCount = 16;

  constructor(private readonly renderer: THREE.WebGLRenderer) {
    this.screen.frustumCulled = false;
    this.screenScene.add(this.screen);
    this.points.frustumCulled = false;
    this.pointsScene.add(this.points);
    this.ribbons = this.material('ribbons', S.RIBBON_VERTEX, S.RIBBON_FRAGMENT, { side: THREE.DoubleSide, depthTest: true, depthWrite: true });
    this.mesh = new THREE.Mesh(new THREE.BufferGeometry(), this.ribbons);
    this.mesh.frustumCulled = false;
    this.mesh.visible = false;
  }

  material(name: string, vertexShader: string, fragmentShader: string, options: Partial<THREE.ShaderMaterialParameters> = {}): THREE.RawShaderMaterial {
    let m = this.materials.get(name);
    if (!m) this.materials.set(name, (m = new THREE.RawShaderMaterial({ vertexShader, fragmentShader, glslVersion: THREE.GLSL3, blending: THREE.NoBlending, depthTest: false, depthWrite: false, ...options })));
    return m;
  }
  setUniforms(m: THREE.RawShaderMaterial, values: Record<string, unknown>): THREE.RawShaderMaterial {
    for (const [key, value] of Object.entries(values)) {
      if (m.uniforms[key]) m.uniforms[key].value = value;
      else m.uniforms[key] = { value };
    }
    m.uniformsNeedUpdate = true;
    return m;
  }
  /** Runs a full-screen pass into a target (null: the canvas). */
  pass(m: THREE.Material, into: THREE.WebGLRenderTarget | null): void {
    this.screen.material = m;
    this.renderer.setRenderTarget(into);
    this.renderer.render(this.screenScene, this.screenCamera);
  }

  /** Takes a new set of strands. */
  setStrands(strands: FilledStrands, fullCount: number): void {
    const n = strands.roots.faces.length, data = new Float32Array(4 * ROW * Math.ceil((4 * n) / ROW));
    for (let s = 0; s < n; s++) {
      for (let k = 0; k < 4; k++) { data[16 * s + k] = strands.follow.guides[4 * s + k]; data[16 * s + 4 + k] = strands.follow.weights[4 * s + k]; }
      for (let k = 0; k < 8; k++) data[16 * s + 8 + k] = strands.detail[8 * s + k];
    }
    this.strandTexture.dispose();
    this.strandTexture = new THREE.DataTexture(data, ROW, Math.ceil((4 * n) / ROW), THREE.RGBAFormat, THREE.FloatType);
    this.strandTexture.needsUpdate = true;
    this.rootTexture.dispose();
    this.rootTexture = dataTexture(ROW, Math.ceil((2 * n) / ROW));
    this.fullCount = Math.max(fullCount, n);
    if (n === this.strandCount) return;
    this.strandCount = n;
    const rows = Math.max(1, Math.ceil(n / STRANDS_PER_ROW));
    this.nodes?.dispose();
    this.colours?.dispose();
    this.nodes = target(NODE_ROW, rows);
    this.colours = target(NODE_ROW, rows, { type: THREE.HalfFloatType });
    const index = new Uint32Array(90 * n), one: number[] = [];
    for (let i = 0; i < 15; i++) one.push(2 * i, 2 * i + 1, 2 * i + 2, 2 * i + 2, 2 * i + 1, 2 * i + 3);
    for (let s = 0; s < n; s++) for (let j = 0; j < 90; j++) index[90 * s + j] = 32 * s + one[j];
    this.mesh.geometry.dispose();
    this.mesh.geometry = new THREE.BufferGeometry();
    this.mesh.geometry.setIndex(new THREE.BufferAttribute(index, 1));
    this.points.geometry.dispose();
    this.points.geometry = new THREE.BufferGeometry();
    this.points.geometry.setIndex(new THREE.BufferAttribute(Uint32Array.from({ length: 15 * n }, (_, i) => i), 1));
  }

  /** Guide shapes, rest-oriented offsets (3 × pointCount × guides), with each guide's length. */
  setGuides(local: ArrayLike<number>, lengths: ArrayLike<number>, pointCount: number): void {
    const guides = lengths.length;
    if (this.guideTexture.image.width !== pointCount || this.guideTexture.image.height !== guides) {
      this.guideTexture.dispose();
      this.guideTexture = dataTexture(pointCount, Math.max(1, guides));
    }
    const data = this.guideTexture.image.data as Float32Array;
    for (let g = 0; g < guides; g++) for (let i = 0; i < pointCount; i++) {
      const o = 4 * (g * pointCount + i), p = 3 * (g * pointCount + i);
      data[o] = local[p]; data[o + 1] = local[p + 1]; data[o + 2] = local[p + 2]; data[o + 3] = lengths[g];
    }
    this.guideTexture.needsUpdate = true;
    this.pointCount = pointCount;
  }

  /** Strand roots' movement, 7 × strands. */
  setRoots(motions: Float64Array): void {
    const data = this.rootTexture.image.data as Float32Array;
    for (let s = 0; s < motions.length / 7; s++) {
      for (let k = 0; k < 4; k++) data[8 * s + k] = motions[7 * s + k];
      for (let k = 0; k < 3; k++) data[8 * s + 4 + k] = motions[7 * s + 4 + k];
    }
    this.rootTexture.needsUpdate = true;
  }

  /** Box of the light volume, from the guides' points in the world. */
  setBounds(points: ArrayLike<number>): void {
    const low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity];
    for (let i = 0; i < points.length; i++) { low[i % 3] = Math.min(low[i % 3], points[i]); high[i % 3] = Math.max(high[i % 3], points[i]); }
    const size = Math.max(high[0] - low[0], high[1] - low[1], high[2] - low[2]) + 0.08;
    // in steps, so that the voxels do not crawl over the hair from frame to frame
    const step = size / 16;
    const centre = low.map((v, k) => Math.round((v + high[k]) / 2 / step) * step);
    this.box.set(centre[0], centre[1], centre[2], Math.ceil(size / 0.05) * 0.05);
  }

  /**
   * Recomputes nodes and light; to be called when guides, roots or looks changed. `pills`: a xyz r, b xyz r, 8 numbers each,
   * in the world. `drawn`: the first so many strands are enough; `relight`: whether light is followed through them anew.
   */
  update(fill: GroomDocument['fill'], pills: Float64Array, drawn = this.strandCount, relight = true): void {
    const { nodes } = this;
    this.setDrawn(drawn);
    if (!nodes || this.strandCount === 0) { this.mesh.visible = false; this.bodyUniforms.uHair.value = 0; return; }
    this.fill = fill;
    this.pass(this.setUniforms(this.material('nodes', S.SCREEN_VERTEX, S.NODE_FRAGMENT), {
      tGuide: this.guideTexture, tStrand: this.strandTexture, tRoot: this.rootTexture, uStrands: this.drawn, uPoints: this.pointCount, uClump: fill.clump, uLock: fill.lock, uFrizz: fill.frizzMm / 1000,
    }), nodes);
    if (relight) this.relight(fill, pills);
  }

  /** Takes other places for the nodes than the treatments gave, 4 × NODES × strands, and lights them. */
  replaceNodes(data: Float32Array, fill: GroomDocument['fill'], pills: Float64Array): void {
    const { nodes } = this;
    if (!nodes || data.length !== 4 * NODE_ROW * nodes.height) return;
    const texture = new THREE.DataTexture(data, NODE_ROW, nodes.height, THREE.RGBAFormat, THREE.FloatType);
    texture.needsUpdate = true;
    this.pass(this.setUniforms(this.material('copy', S.SCREEN_VERTEX, S.COPY_FRAGMENT), { tFrom: texture }), nodes);
    texture.dispose();
    this.relight(fill, pills);
  }

  private relight(fill: GroomDocument['fill'], pills: Float64Array): void {
    const nodes = this.nodes!;
    const voxel = this.box.w / 64;
    this.points.material = this.setUniforms(this.material('splat', S.SPLAT_VERTEX, S.SPLAT_FRAGMENT, { blending: THREE.CustomBlending, blendSrc: THREE.OneFactor, blendDst: THREE.OneFactor, blendSrcAlpha: THREE.OneFactor, blendDstAlpha: THREE.OneFactor }), {
      tNodes: nodes.texture, uBox: this.box, uExtinction: (fill.widthUm * 1e-6 * (this.fullCount / this.drawn) * 0.78) / voxel ** 3,
    });
    this.renderer.setRenderTarget(this.density);
    this.renderer.setClearColor(0, 0);
    this.renderer.clear();
    this.renderer.render(this.pointsScene, this.screenCamera);
    const a: THREE.Vector4[] = [], b: THREE.Vector4[] = [];
    const count = Math.min(MOST_PILLS, pills.length / 8);
    for (let i = 0; i < MOST_PILLS; i++) {
      const o = 8 * (i < count ? i : 0), at = (k: number): number => (count > 0 ? pills[o + k] : 0);
      a.push(new THREE.Vector4(at(0), at(1), at(2), at(3)));
      b.push(new THREE.Vector4(at(4), at(5), at(6), at(7)));
    }
    this.pass(this.setUniforms(this.material('soften', S.SCREEN_VERTEX, S.SOFTEN_FRAGMENT), { tVolume: this.density.texture, uBox: this.box, uPills: count, uPillA: a, uPillB: b }), this.softened);
    this.pass(this.setUniforms(this.material('march', S.SCREEN_VERTEX, S.MARCH_FRAGMENT), { tVolume: this.softened.texture, uBox: this.box, uLight0: LIGHTS.key, uLight1: LIGHTS.rim }), this.light);
    const absorb = this.absorption();
    this.bodyUniforms.tLight.value = this.light.textures[0];
    this.bodyUniforms.tOpen.value = this.light.textures[1];
    this.bodyUniforms.uBox.value.copy(this.box);
    this.bodyUniforms.uTint.value.set(Math.exp(-Math.sqrt(absorb.x) * 1.2), Math.exp(-Math.sqrt(absorb.y) * 1.2), Math.exp(-Math.sqrt(absorb.z) * 1.2));
  }

  /** Source: d'Eon et al. 2011 (absorption of eumelanin and pheomelanin), *from memory*. */
  private absorption(): THREE.Vector3 {
    const { melanin = 1, redness = 0 } = this.fill ?? {};
    return new THREE.Vector3(0.419 * melanin + 0.187 * redness, 0.697 * melanin + 0.4 * redness, 1.37 * melanin + 1.05 * redness);
  }

  /** Draws the first `count` strands only, each a little wider: a fair picture of the whole while it moves. */
  setDrawn(count: number): void {
    this.drawn = Math.max(1, Math.min(count, this.strandCount));
    this.mesh.geometry.setDrawRange(0, 90 * this.drawn);
    this.points.geometry.setDrawRange(0, 15 * this.drawn);
  }

  /** Colours the nodes for a camera and readies the ribbons. */
  prepare(camera: THREE.PerspectiveCamera, height: number, frame: number, visible: boolean): void {
    const { nodes, colours, fill } = this;
    this.mesh.visible = visible && this.strandCount > 0 && nodes !== null && fill !== null;
    this.bodyUniforms.uHair.value = this.mesh.visible ? 1 : 0;
    if (!this.mesh.visible || !nodes || !colours || !fill) return;
    const eye = camera.position, forward = camera.getWorldDirection(new THREE.Vector3());
    if (frame === 0) this.pass(this.setUniforms(this.material('colour', S.SCREEN_VERTEX, S.COLOUR_FRAGMENT), {
      tNodes: nodes.texture, tStrand: this.strandTexture, tLight: this.light.textures[0], tOpen: this.light.textures[1], uStrands: this.drawn, uBox: this.box, uEye: eye,
      uLight0: LIGHTS.key, uLight1: LIGHTS.rim, uPower0: LIGHTS.keyPower, uPower1: LIGHTS.rimPower, uSky: LIGHTS.sky, uGround: LIGHTS.ground, uAbsorb: this.absorption(), uGloss: this.fill?.gloss ?? 1,
    }), colours);
    const fewer = this.fullCount / this.drawn;
    this.setUniforms(this.ribbons, {
      tNodes: nodes.texture, tColour: colours.texture, uViewProjection: new THREE.Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse), uEye: eye, uForward: forward,
      uPixel: (2 * Math.tan((camera.fov * Math.PI) / 360)) / height, uWidth: fill.widthUm * 1e-6, uTaper: fill.taper, uThicken: Math.pow(fewer, 0.7), uFrame: frame,
    });
  }

  /** Node positions as they stand on the GPU, 4 × NODES × strands (for tests). */
  readNodes(): Float32Array {
    if (!this.nodes) return new Float32Array(0);
    const out = new Float32Array(4 * NODE_ROW * this.nodes.height);
    this.renderer.readRenderTargetPixels(this.nodes, 0, 0, NODE_ROW, this.nodes.height, out);
    return out;
  }

  dispose(): void {
    for (const t of [this.density, this.softened, this.light, this.nodes, this.colours]) t?.dispose();
    for (const t of [this.guideTexture, this.strandTexture, this.rootTexture]) t.dispose();
    for (const m of this.materials.values()) m.dispose();
    this.mesh.geometry.dispose();
  }
}
