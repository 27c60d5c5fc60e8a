/** Draws filled strands: keeps their textures, runs the passes of hair-shaders.ts, offers a mesh of ribbons to the scene. */
import * as THREE from 'three';
import type { FilledStrands, FillStep } from '../../core/fill/strands';
import type { GroomDocument } from '../../core/document/schema';
import { absorptionOf, tipHalvings } from '../../core/fill/pigment';
import type { PlantedLook, SmallMesh } from '../../core/fill/planted';
import * as S from './hair-shaders';
import { lightsOf } from './lights';

const ROW = 1024, NODE_ROW = 2048, MOST_PILLS = 16;
/** Treatments of one groom that are ready on the graphics card. */
interface ReadyStep { kind: FillStep['kind']; own: THREE.DataTexture; table: THREE.DataTexture | null; profile: number[]; numbers: number[] }

function dataTexture(width: number, height: number): THREE.DataTexture {
  const t = new THREE.DataTexture(new Float32Array(4 * width * height), width, height, THREE.RGBAFormat, THREE.FloatType);
  t.minFilter = t.magFilter = THREE.NearestFilter;
  t.needsUpdate = true;
  return t;
}
/** px that are looked at about a click. */
const PICKED = 9;

/** What is drawn into, read texel by texel: floats without depth where nothing else is said. */
export const target = (width: number, height: number, options: THREE.RenderTargetOptions = {}): THREE.WebGLRenderTarget =>
  new THREE.WebGLRenderTarget(width, height, { depthBuffer: false, minFilter: THREE.NearestFilter, magFilter: THREE.NearestFilter, type: THREE.FloatType, ...options });

export class HairRenderer {
  readonly mesh: THREE.Mesh;
  /** Small meshes in place of strands. */
  readonly planted: THREE.Mesh<THREE.InstancedBufferGeometry, THREE.RawShaderMaterial>;
  private small: SmallMesh | null = null;
  private laid: PlantedLook = { wide: 1, spin: 0, seed: 0 };
  /** Uniforms that skin and cloth share, to be shadowed by the hair. */
  readonly bodyUniforms = { tLight: { value: null as THREE.Texture | null }, tOpen: { value: null as THREE.Texture | null }, uBox: { value: new THREE.Vector4(0, 0, 0, 1) }, uTint: { value: new THREE.Vector3(1, 1, 1) }, uHair: { value: 0 } };
  /** Colour that the hair is marked with, and how much: to tell two takes apart. */
  readonly mark = { colour: new THREE.Vector3(), amount: 0 };
  private heatTexture = dataTexture(1, 1);
  private heat = 0;
  strandCount = 0;
  lights = lightsOf('bench', 0);
  private guideTexture = dataTexture(1, 1);
  private guideNormals = dataTexture(1, 1);
  private guideNodes: THREE.WebGLRenderTarget | null = null;
  private strandTexture = dataTexture(1, 1);
  private plantTexture = dataTexture(1, 1);
  private skinTexture = dataTexture(1, 1);
  private roots: THREE.WebGLRenderTarget | null = null;
  private readonly empty = dataTexture(1, 1);
  private readonly ramp: THREE.DataTexture;
  private steps: ReadyStep[] = [];
  /** Strands with the centres of their clumps, and where those begin. */
  private total = 0;
  private turn = 0;
  private nodeCount = 16;
  /** Shapes from the root, before and after a treatment, with room for the centres. */
  private shapes: [THREE.WebGLRenderTarget, THREE.WebGLRenderTarget] | null = null;
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
  /** What treatments make of widths and colours, by node; null for nothing. */
  private widths: THREE.DataTexture | null = null;
  private tints: THREE.DataTexture | null = null;
  private fullCount = 1;
  private drawn = 1;
  private fill: GroomDocument['fill'] | null = null;
  private pointCount = 16;

  /** `ramp`: 256 colours, linear RGB, for what is shown on the hair. */
  constructor(private readonly renderer: THREE.WebGLRenderer, ramp: Float32Array) {
    this.ramp = dataTexture(256, 1);
    for (let k = 0; k < 256; k++) for (let c = 0; c < 3; c++) (this.ramp.image.data as Float32Array)[4 * k + c] = ramp[3 * k + c];
    this.screen.frustumCulled = false;
    this.screenScene.add(this.screen);
    this.points.frustumCulled = false;
    this.pointsScene.add(this.points);
    this.ribbons = this.material('ribbons', S.RIBBON_VERTEX, S.RIBBON_FRAGMENT, { side: THREE.DoubleSide, depthTest: true, depthWrite: true });
    this.mesh = new THREE.Mesh(new THREE.BufferGeometry(), this.ribbons);
    this.mesh.frustumCulled = false;
    this.mesh.visible = false;
    this.planted = new THREE.Mesh(new THREE.InstancedBufferGeometry(), this.material('planted', S.PLANTED_VERTEX, S.PLANTED_FRAGMENT, { depthTest: true, depthWrite: true }));
    this.planted.frustumCulled = false;
    this.planted.visible = false;
  }

  /** What stands in place of strands; null for strands. */
  setPlanted(small: SmallMesh | null, laid: PlantedLook): void {
    this.laid = laid;
    if (small === this.small) return;
    this.small = small;
    this.planted.geometry.dispose();
    const g = (this.planted.geometry = new THREE.InstancedBufferGeometry());
    if (!small) return;
    g.setIndex(new THREE.BufferAttribute(small.indices, 1));
    g.setAttribute('position', new THREE.BufferAttribute(small.positions, 3));
    g.setAttribute('normal', new THREE.BufferAttribute(small.normals, 3));
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

  /** Takes a new set of strands. `frames`: rest frames of their roots; `triangles`: of the mesh they are on. */
  setStrands(strands: FilledStrands, frames: Float64Array, triangles: Uint32Array, fullCount: number): void {
    const n = strands.count, total = strands.roots.faces.length, { nodes } = strands, textureOf = (width: number, fill: (data: Float32Array) => void): THREE.DataTexture => { const t = dataTexture(ROW, Math.max(1, Math.ceil(width / ROW))); fill(t.image.data as Float32Array); return t; };
    this.strandTexture.dispose();
    this.strandTexture = textureOf(4 * total, (data) => {
      for (let s = 0; s < total; s++) {
        for (let k = 0; k < 4; k++) { data[16 * s + k] = strands.follow.guides[4 * s + k]; data[16 * s + 4 + k] = strands.follow.weights[4 * s + k]; }
        for (let k = 0; k < 3; k++) { data[16 * s + 8 + k] = strands.normals[3 * s + k]; data[16 * s + 12 + k] = strands.places[3 * s + k]; }
        data[16 * s + 11] = strands.locks[s];
      }
    });
    this.guideNormals.dispose();
    this.guideNormals = textureOf(strands.guideNormals.length / 3, (data) => { for (let g = 0; g < strands.guideNormals.length / 3; g++) for (let k = 0; k < 3; k++) data[4 * g + k] = strands.guideNormals[3 * g + k]; });
    for (const { own, table } of this.steps) { own.dispose(); table?.dispose(); }
    this.steps = strands.steps.map(({ kind, own, table, profile, numbers }) => ({
      kind, own: textureOf(total, (data) => data.set(own)), table: table && textureOf(Math.ceil(table.length / 4), (data) => data.set(table)),
      profile: Array.from({ length: 64 }, (_, k) => profile[Math.min(k, nodes - 1)]), numbers: Array.from(numbers),
    }));
    this.widths?.dispose();
    this.tints?.dispose();
    this.widths = strands.widths && textureOf(Math.ceil(strands.widths.length / 4), (data) => data.set(strands.widths!));
    this.tints = strands.tints && textureOf(strands.tints.length / 4, (data) => data.set(strands.tints!));
    this.plantTexture.dispose();
    this.plantTexture = textureOf(3 * n, (data) => {
      for (let s = 0; s < n; s++) {
        for (let k = 0; k < 3; k++) data[12 * s + k] = triangles[3 * strands.roots.faces[s] + k];
        data[12 * s + 4] = strands.roots.weights[2 * s]; data[12 * s + 5] = strands.roots.weights[2 * s + 1];
        for (let k = 0; k < 4; k++) data[12 * s + 8 + k] = frames[4 * s + k];
      }
    });
    const rootRows = Math.max(1, Math.ceil((2 * n) / ROW));
    if (this.roots?.height !== rootRows) { this.roots?.dispose(); this.roots = target(ROW, rootRows); }
    this.fullCount = Math.max(fullCount, n);
    this.turn = strands.turn;
    const perRow = NODE_ROW / nodes, rows = Math.max(1, Math.ceil(n / perRow)), allRows = Math.max(1, Math.ceil(total / perRow));
    if (!this.shapes || this.shapes[0].height !== allRows) { for (const t of this.shapes ?? []) t.dispose(); this.shapes = [target(NODE_ROW, allRows), target(NODE_ROW, allRows)]; }
    this.total = total;
    if (n === this.strandCount && nodes === this.nodeCount) return;
    this.strandCount = n;
    this.nodeCount = nodes;
    this.nodes?.dispose();
    this.colours?.dispose();
    this.nodes = target(NODE_ROW, rows);
    this.colours = target(NODE_ROW, rows, { type: THREE.HalfFloatType });
    const each = 6 * (nodes - 1), index = new Uint32Array(each * n), one: number[] = [];
    for (let i = 0; i < nodes - 1; i++) one.push(2 * i, 2 * i + 1, 2 * i + 2, 2 * i + 2, 2 * i + 1, 2 * i + 3);
    for (let s = 0; s < n; s++) for (let j = 0; j < each; j++) index[each * s + j] = 2 * nodes * s + one[j];
    this.mesh.geometry.dispose();
    this.mesh.geometry = new THREE.BufferGeometry();
    this.mesh.geometry.setIndex(new THREE.BufferAttribute(index, 1));
    this.points.geometry.dispose();
    this.points.geometry = new THREE.BufferGeometry();
    this.points.geometry.setIndex(new THREE.BufferAttribute(Uint32Array.from({ length: (nodes - 1) * n }, (_, i) => i), 1));
  }
  private get layout(): { uNodes: number; uPerRow: number } { return { uNodes: this.nodeCount, uPerRow: NODE_ROW / this.nodeCount }; }

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

  /** A value of each guide, 0 … 1, that is shown on the hair along the ramp; null for none. */
  setHeat(values: ArrayLike<number> | null): void {
    this.heat = values ? 0.92 : 0;
    if (!values) return;
    const rows = Math.max(1, Math.ceil(values.length / ROW));
    if (this.heatTexture.image.width !== ROW || this.heatTexture.image.height !== rows) { this.heatTexture.dispose(); this.heatTexture = dataTexture(ROW, rows); }
    const data = this.heatTexture.image.data as Float32Array;
    for (let g = 0; g < values.length; g++) data[4 * g] = values[g];
    this.heatTexture.needsUpdate = true;
  }

  /** Takes the mesh in a pose, 3 × vertices, m. */
  setSkin(positions: ArrayLike<number>): void {
    const rows = Math.max(1, Math.ceil(positions.length / (3 * ROW)));
    if (this.skinTexture.image.width !== ROW || this.skinTexture.image.height !== rows) { this.skinTexture.dispose(); this.skinTexture = dataTexture(ROW, rows); }
    const data = this.skinTexture.image.data as Float32Array;
    for (let v = 0, o = 0; v < positions.length; v += 3, o += 4) { data[o] = positions[v]; data[o + 1] = positions[v + 1]; data[o + 2] = positions[v + 2]; }
    this.skinTexture.needsUpdate = true;
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
   * in the world. `drawn`: the first so many strands are enough; `relight`: whether light is followed through them anew;
   * `combed`: whether guides are as they were combed, so that frozen shapes hold.
   */
  update(fill: GroomDocument['fill'], pills: Float64Array, drawn = this.strandCount, relight = true, combed = false): void {
    const { nodes } = this;
    this.setDrawn(drawn);
    if (!nodes || this.strandCount === 0) { this.mesh.visible = false; this.bodyUniforms.uHair.value = 0; return; }
    this.fill = fill;
    const shapes = this.shapes!;
    if (!(combed && this.restoreFrozen())) this.shape(shapes);
    this.pass(this.setUniforms(this.material('roots', S.SCREEN_VERTEX, S.ROOT_FRAGMENT), { tSkin: this.skinTexture, tPlant: this.plantTexture, uStrands: this.drawn }), this.roots);
    this.pass(this.setUniforms(this.material('place', S.SCREEN_VERTEX, S.PLACE_FRAGMENT), { ...this.layout, tIn: shapes[0].texture, tRoot: this.roots!.texture, uStrands: this.drawn, uWidthSpread: fill.widthSpread, tWidths: this.widths ?? this.empty, uWidths: this.widths ? 1 : 0 }), nodes);
    if (relight) this.relight(fill, pills);
  }

  /** Shapes of the strands from their guides into the first of two targets, treatment by treatment. */
  private shape(shapes: [THREE.WebGLRenderTarget, THREE.WebGLRenderTarget]): void {
    const { guideTexture, nodeCount } = this, guides = guideTexture.image.height;
    this.frozenShown = false;
    if (this.guideNodes?.width !== nodeCount + 1 || this.guideNodes.height !== guides) { this.guideNodes?.dispose(); this.guideNodes = target(nodeCount + 1, guides); }
    this.pass(this.setUniforms(this.material('guides', S.SCREEN_VERTEX, S.GUIDE_FRAGMENT), { tGuide: guideTexture, tGuideNormal: this.guideNormals, uPoints: this.pointCount, uNodes: nodeCount }), this.guideNodes);
    const all = { ...this.layout, tStrand: this.strandTexture, uStrands: this.drawn, uCentres: this.strandCount, uTotal: this.total };
    this.pass(this.setUniforms(this.material('blend', S.SCREEN_VERTEX, S.BLEND_FRAGMENT), { ...all, tGuideNodes: this.guideNodes.texture, uTurn: this.turn }), shapes[1]);
    this.pass(this.setUniforms(this.material('edges', S.SCREEN_VERTEX, S.EDGES_FRAGMENT), { ...all, tIn: shapes[1].texture }), shapes[0]);
    for (const step of this.steps) {
      const kind = step.kind === 'length' || step.kind === 'cut' ? null : step.kind;
      this.pass(this.setUniforms(this.material(`treatment ${kind}`, S.SCREEN_VERTEX, S.treatmentFragment(kind)), { ...all, tIn: shapes[0].texture, tOwn: step.own, tTable: step.table ?? this.empty, uTabled: step.table ? 1 : 0, uProfile: step.profile, A: step.numbers }), shapes[1]);
      shapes.reverse();
    }
  }

  private frozen: Float32Array<ArrayBuffer> | null = null;
  private frozenShown = false;
  /** Shapes that hold while the guides are as they were combed (`FillShapes.X`); null for none. */
  setFrozen(shapes: Float32Array<ArrayBuffer> | null): void { this.frozen = shapes; this.frozenShown = false; }
  /** Puts frozen shapes in the first target, if there are any. */
  private restoreFrozen(): boolean {
    if (!this.frozen || !this.shapes) return false;
    if (this.frozenShown) return true;
    const [to] = this.shapes, data = new Float32Array(4 * NODE_ROW * to.height);
    data.set(this.frozen);
    const texture = new THREE.DataTexture(data, NODE_ROW, to.height, THREE.RGBAFormat, THREE.FloatType);
    texture.needsUpdate = true;
    this.pass(this.setUniforms(this.material('copy', S.SCREEN_VERTEX, S.COPY_FRAGMENT), { tFrom: texture }), to);
    texture.dispose();
    return (this.frozenShown = true);
  }

  /** Takes other places for the nodes than the treatments gave, 4 × nodes × strands, and lights them. */
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
      ...this.layout, tNodes: nodes.texture, uBox: this.box, uExtinction: (fill.widthUm * 1e-6 * (this.fullCount / this.drawn) * 0.78) / voxel ** 3,
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
    this.pass(this.setUniforms(this.material('march', S.SCREEN_VERTEX, S.MARCH_FRAGMENT), { tVolume: this.softened.texture, uBox: this.box, uLight0: this.lights.key, uLight1: this.lights.rim }), this.light);
    const absorb = this.absorption();
    this.bodyUniforms.tLight.value = this.light.textures[0];
    this.bodyUniforms.tOpen.value = this.light.textures[1];
    this.bodyUniforms.uBox.value.copy(this.box);
    this.bodyUniforms.uTint.value.set(Math.exp(-Math.sqrt(absorb.x) * 1.2), Math.exp(-Math.sqrt(absorb.y) * 1.2), Math.exp(-Math.sqrt(absorb.z) * 1.2));
  }

  private absorption(end: 'root' | 'tip' = 'root'): THREE.Vector3 { return this.fill ? new THREE.Vector3(...absorptionOf(this.fill, end)) : new THREE.Vector3(1, 1, 1); }

  /** Draws the first `count` strands only, each a little wider: a fair picture of the whole while it moves. */
  setDrawn(count: number): void {
    this.drawn = Math.max(1, Math.min(count, this.strandCount));
    this.mesh.geometry.setDrawRange(0, 6 * (this.nodeCount - 1) * this.drawn);
    this.points.geometry.setDrawRange(0, (this.nodeCount - 1) * this.drawn);
  }

  /** Colours the nodes for a camera and readies the ribbons. */
  prepare(camera: THREE.PerspectiveCamera, height: number, frame: number, visible: boolean): void {
    const { nodes, colours, fill } = this;
    const seen = visible && this.strandCount > 0 && nodes !== null && fill !== null;
    this.mesh.visible = seen && !this.small;
    this.planted.visible = seen && this.small !== null;
    this.bodyUniforms.uHair.value = seen ? 1 : 0;
    if (!seen || !nodes || !colours || !fill) return;
    const shading = {
      ...this.layout, tNodes: nodes.texture, tStrand: this.strandTexture, tLight: this.light.textures[0], tOpen: this.light.textures[1], uBox: this.box, uEye: camera.position,
      uLight0: this.lights.key, uLight1: this.lights.rim, uPower0: this.lights.keyPower, uPower1: this.lights.rimPower, uSky: this.lights.sky, uGround: this.lights.ground,
      uAbsorb: this.absorption(), uAbsorbTip: this.absorption('tip'), uGloss: fill.gloss, uSpread: fill.colourSpread, uTip: tipHalvings(fill), uGrey: fill.grey,
      tHeat: this.heatTexture, tRamp: this.ramp, uHeat: this.heat, tTints: this.tints ?? this.empty, uTints: this.tints ? 1 : 0, uMark: this.mark.colour, uTinted: this.mark.amount,
    }, viewProjection = new THREE.Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse);
    if (this.small) {
      this.planted.geometry.instanceCount = this.drawn;
      this.setUniforms(this.planted.material, { ...shading, tShapes: this.shapes![0].texture, tRoot: this.roots!.texture, uViewProjection: viewProjection, uWide: this.laid.wide, uWidthSpread: fill.widthSpread, uSpin: this.laid.spin, uSeed: this.laid.seed });
      return;
    }
    const eye = camera.position, forward = camera.getWorldDirection(new THREE.Vector3());
    if (frame === 0) this.pass(this.setUniforms(this.material('colour', S.SCREEN_VERTEX, S.COLOUR_FRAGMENT), { ...shading, uStrands: this.drawn }), colours);
    const fewer = this.fullCount / this.drawn;
    this.setUniforms(this.ribbons, {
      ...this.layout, tNodes: nodes.texture, tColour: colours.texture, uViewProjection: viewProjection, uEye: eye, uForward: forward,
      uPixel: (2 * Math.tan((camera.fov * Math.PI) / 360)) / height, uWidth: fill.widthUm * 1e-6, uTaper: fill.taper, uTipFrom: fill.tipFrom, uThicken: Math.pow(fewer, 0.7), uFrame: frame,
    });
  }

  /**
   * The strand that is seen at (x, y) of a view of so many pixels, or next to it, and its depth along the view, m; null where none is, or `solid` is before it.
   * Numbers and depths of a few pixels are drawn in place of colours.
   */
  pick(camera: THREE.PerspectiveCamera, solid: THREE.Object3D, x: number, y: number, width: number, height: number): { strand: number; depth: number } | null {
    if (!this.mesh.visible || !this.ribbons.uniforms.uViewProjection) return null;
    const { renderer } = this, material = this.material('pick', S.RIBBON_VERTEX, S.PICK_FRAGMENT, { side: THREE.DoubleSide, depthTest: true, depthWrite: true }), seen = (this.picked ??= target(PICKED, PICKED, { depthBuffer: true })), half = PICKED >> 1, data = new Float32Array(4 * PICKED * PICKED), before = this.ribbons.uniforms.uViewProjection.value as THREE.Matrix4;
    camera.setViewOffset(width, height, Math.round(x) - half, Math.round(y) - half, PICKED, PICKED);
    camera.updateMatrixWorld();
    material.uniforms = this.ribbons.uniforms;
    this.setUniforms(material, { uViewProjection: new THREE.Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse) });
    renderer.setRenderTarget(seen);
    renderer.setClearColor(0, 0);
    renderer.clear();
    renderer.render(solid, camera);
    this.mesh.material = material;
    renderer.render(this.mesh, camera);
    this.mesh.material = this.ribbons;
    this.setUniforms(this.ribbons, { uViewProjection: before });
    camera.clearViewOffset();
    renderer.readRenderTargetPixels(seen, 0, 0, PICKED, PICKED, data);
    let best: { strand: number; depth: number } | null = null, least = Infinity;
    for (let k = 0; k < PICKED * PICKED; k++) {
      if (data[4 * k + 3] !== 2) continue;
      const far = ((k % PICKED) - half) ** 2 + (Math.floor(k / PICKED) - half) ** 2;
      if (far < least) { least = far; best = { strand: data[4 * k] - 1, depth: data[4 * k + 1] }; }
    }
    return best;
  }
  private picked: THREE.WebGLRenderTarget | null = null;

  /** Node positions as they stand on the GPU, 4 × nodes × strands (for tests). */
  readNodes(): Float32Array {
    if (!this.nodes) return new Float32Array(0);
    const out = new Float32Array(4 * NODE_ROW * this.nodes.height);
    this.renderer.readRenderTargetPixels(this.nodes, 0, 0, NODE_ROW, this.nodes.height, out);
    return out;
  }

  dispose(): void {
    for (const t of [this.picked, this.density, this.softened, this.light, this.nodes, this.colours, this.guideNodes, this.roots, ...(this.shapes ?? [])]) t?.dispose();
    for (const t of [this.guideTexture, this.guideNormals, this.strandTexture, this.plantTexture, this.skinTexture, this.empty, this.widths, this.tints, this.ramp, this.heatTexture, ...this.steps.flatMap((x) => [x.own, x.table])]) t?.dispose();
    for (const m of this.materials.values()) m.dispose();
    this.mesh.geometry.dispose();
    this.planted.geometry.dispose();
  }
}
