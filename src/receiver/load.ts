/** The files of a hand-over, opened by loaders that know nothing of who wrote them. */
import * as THREE from 'three';
import { DRACO_GLTF_CONFIG, DRACOLoader } from 'three/addons/loaders/DRACOLoader.js';
import { EXRLoader } from 'three/addons/loaders/EXRLoader.js';
import { GLTFLoader, type GLTF } from 'three/addons/loaders/GLTFLoader.js';
import { MDDLoader } from 'three/addons/loaders/MDDLoader.js';
import { OBJLoader } from 'three/addons/loaders/OBJLoader.js';
import { USDAParser } from 'three/addons/loaders/usd/USDAParser.js';
import { USDCParser } from 'three/addons/loaders/usd/USDCParser.js';
import { unzipSync } from 'fflate';
import { MeshoptDecoder } from 'meshoptimizer';

/** What was received, playable at any time (s) of its own. */
export interface Received {
  object: THREE.Object3D;
  kind: 'curves' | 'skinned' | 'vertices' | 'still';
  duration: number;
  /** s: when its samples are. */
  times: number[];
  set: (time: number) => void;
  /** Places of its points in the world as they are now, 3 × points, m; of curves in their order. */
  points: () => Float32Array;
  /** First points of curves, or vertices at the root end of cards. */
  roots: () => Float32Array;
  facts: [string, string][];
  joints: number;
  textures: number;
  /** Points of each curve; none for meshes. */
  counts: number[];
  /** Where a node of the file stands now, m, by its number; null for none. */
  nodePlace?: (node: number) => [number, number, number] | null;
}
export interface NamedBytes { name: string; bytes: ArrayBuffer }
export interface Wanted { fps: number; first: number; metres: number; up: 'y' | 'z'; hand: 'right' | 'left'; turned: boolean; /** Clips that are played; the first of the file where it is not said. */ clips?: string[]; /** s: where in them the first frame is. */ begins?: number; placement?: PlacedAs | null }
export interface PlacedAs { scale: number; up: string; turn: number }

/** What can be told of a file but not played here. */
export class NotPlayed extends Error {}

export async function receive(files: readonly NamedBytes[], wanted: Wanted): Promise<Received> {
  const ends = (e: RegExp): NamedBytes[] => files.filter((f) => e.test(f.name)), usd = [...ends(/\.usd[ac]$/i).filter((f) => !/manifest/.test(f.name)), ...ends(/\.usdz$/i)];
  if (usd.length > 0) return curvesOf(usd);
  const mdd = ends(/\.mdd$/i)[0], glb = ends(/\.glb$/i), vat = ends(/vat\.json$/i)[0], obj = ends(/\.obj$/i)[0];
  if (ends(/\.pc2$/i).length > 0) throw new NotPlayed('There is no general-purpose loader of PC2 here; the same as MDD can be played.');
  if (vat) return vertexAnimation(vat, files, glb[0], wanted);
  if (mdd) return pointCache(mdd, glb[0], wanted);
  if (glb.length > 0) return gltf(glb, wanted);
  if (obj) return still(new OBJLoader().parse(new TextDecoder().decode(obj.bytes)), wanted);
  throw new NotPlayed('None of these files can be played here.');
}

// ---------------------------------------------------------------- OpenUSD

interface Spec { fields: Record<string, unknown> }
interface Sampled { times: number[]; values: ArrayLike<number>[] }

function curvesOf(given: readonly NamedBytes[]): Received {
  const file = given[0], bytes = /\.usdz$/i.test(file.name) ? Object.values(unzipSync(new Uint8Array(file.bytes)))[0].slice().buffer as ArrayBuffer : file.bytes, crate = new TextDecoder('latin1').decode(bytes.slice(0, 8)) === 'PXR-USDC';
  const specs = ((crate ? new USDCParser().parseData(bytes) : new USDAParser().parseData(new TextDecoder().decode(bytes))) as { specsByPath: Record<string, Spec> }).specsByPath, head = specs['/'].fields as { metersPerUnit?: number; upAxis?: string; timeCodesPerSecond?: number };
  const path = Object.keys(specs).find((p) => p.endsWith('.points'));
  if (!path) throw new NotPlayed('The file holds no curves.');
  const prim = path.slice(0, -'.points'.length), field = (name: string): Record<string, unknown> => specs[`${prim}.${name}`]?.fields ?? {}, samples = field('points').timeSamples as Sampled, counts = Array.from(field('curveVertexCounts').default as ArrayLike<number>), widths = field('widths').default as ArrayLike<number>;
  const metres = head.metersPerUnit ?? 0.01, fps = head.timeCodesPerSecond ?? 24, zUp = head.upAxis === 'Z', points = new Float32Array(samples.values[0].length), starts = counts.reduce<number[]>((s, c) => [...s, s[s.length - 1] + c], [0]).slice(0, -1);
  const pairs: number[] = [];
  counts.forEach((c, k) => { for (let i = 0; i + 1 < c; i++) pairs.push(starts[k] + i, starts[k] + i + 1); });
  const geometry = new THREE.BufferGeometry().setAttribute('position', new THREE.BufferAttribute(points, 3)).setIndex(pairs), object = new THREE.LineSegments(geometry, new THREE.LineBasicMaterial({ color: 0x6b4a32 }));
  object.frustumCulled = false;
  const times = Array.from(samples.times, (t) => (t - samples.times[0]) / fps);
  const put = (k: number): void => {
    const v = samples.values[k];
    for (let i = 0; i < points.length; i += 3) { points[i] = metres * v[i]; points[i + 1] = metres * (zUp ? v[i + 2] : v[i + 1]); points[i + 2] = metres * (zUp ? -v[i + 1] : v[i + 2]); }
    (geometry.getAttribute('position') as THREE.BufferAttribute).needsUpdate = true;
  };
  put(0);
  return {
    object, kind: 'curves', duration: times[times.length - 1] ?? 0, times, counts, joints: 0, textures: 0,
    set: (time) => put(nearest(times, time)), points: () => points, roots: () => Float32Array.from(starts.flatMap((s) => [points[3 * s], points[3 * s + 1], points[3 * s + 2]])),
    facts: [['curves', counts.length.toLocaleString('en')], ['points', (points.length / 3).toLocaleString('en')], ['samples', String(times.length)], ['stated axes', `+${head.upAxis ?? '?'} up, ${metres} m a unit`], ['widths', `${(1e6 * metres * Math.min(...Array.from(widths))).toFixed(0)}–${(1e6 * metres * Math.max(...Array.from(widths))).toFixed(0)} µm`]],
  };
}
const nearest = (times: readonly number[], time: number): number => { let best = 0; times.forEach((t, k) => { if (Math.abs(t - time) < Math.abs(times[best] - time)) best = k; }); return best; };

// ---------------------------------------------------------------- glTF

let loader: GLTFLoader | null = null;
/** What is compressed is unpacked by what three.js and the makers of meshopt offer for it. */
const parse = async (file: NamedBytes): Promise<GLTF> => (loader ??= new GLTFLoader().setMeshoptDecoder(MeshoptDecoder).setDRACOLoader(new DRACOLoader().setDecoderPath(DRACO_GLTF_CONFIG))).parseAsync(file.bytes, '');
/** Back from a receiver's axes, where the numbers of a file are turned to them. */
function upright({ metres, up, hand, turned }: Wanted): THREE.Matrix4 {
  if (!turned) return new THREE.Matrix4();
  const m = up === 'y' ? new THREE.Matrix4().makeScale(hand === 'left' ? -1 : 1, 1, 1) : hand === 'left' ? new THREE.Matrix4().set(1, 0, 0, 0, 0, 0, 1, 0, 0, 1, 0, 0, 0, 0, 0, 1) : new THREE.Matrix4().set(1, 0, 0, 0, 0, 0, 1, 0, 0, -1, 0, 0, 0, 0, 0, 1);
  return m.multiply(new THREE.Matrix4().makeScale(metres, metres, metres));
}

async function gltf(files: readonly NamedBytes[], wanted: Wanted): Promise<Received> {
  // of levels of detail the finest is looked at; parts belong together
  const level = (f: NamedBytes): string => /lod_?(\d)/i.exec(f.name)?.[1] ?? '0', finest = files.filter((f) => level(f) === level([...files].sort((a, b) => level(a).localeCompare(level(b)))[0])), object = new THREE.Group(), mixers: THREE.AnimationMixer[] = [], skinned: THREE.SkinnedMesh[] = [], lines: THREE.Object3D[] = [];
  const begins = wanted.begins ?? 0;
  let duration = 0, textures = 0;
  const times = new Set<number>(), nodes = new Map<number, THREE.Object3D>();
  for (const file of finest) {
    const { scene, animations, parser } = await parse(file);
    for (const [o, of] of parser.associations as Map<THREE.Object3D, { nodes?: number } | undefined>) if (of?.nodes !== undefined && o.isObject3D) nodes.set(of.nodes, o);
    scene.traverse((o) => {
      if ((o as THREE.SkinnedMesh).isSkinnedMesh) { skinned.push(o as THREE.SkinnedMesh); o.frustumCulled = false; }
      if ((o as THREE.LineSegments).isLineSegments) lines.push(o);
      const map = ((o as THREE.Mesh).material as THREE.MeshStandardMaterial | undefined)?.map;
      if (map?.image) textures = Math.max(textures, (map.image as { width: number }).width);
    });
    const playing = wanted.clips ? animations.filter((a) => wanted.clips!.includes(a.name)) : animations.slice(0, 1);
    if (playing.length > 0) {
      const mixer = new THREE.AnimationMixer(scene), first = wanted.clips ? playing.find((a) => a.name === wanted.clips![0]) ?? playing[0] : playing[0];
      // of what two clips move, the first named has the last word: the other loses those tracks
      for (const a of playing) { const own = new Set(first.tracks.map((t) => t.name)), clip = a === first ? a : new THREE.AnimationClip(a.name, a.duration, a.tracks.filter((t) => !own.has(t.name))); mixer.clipAction(clip).setLoop(a === first ? THREE.LoopOnce : THREE.LoopRepeat, a === first ? 1 : Infinity).play(); }
      (mixer as { clampWhenFinished?: boolean }).clampWhenFinished = true;
      mixers.push(mixer);
      duration = Math.max(duration, first.duration - begins);
      for (const t of first.tracks) for (const x of t.times) times.add(Math.round((x - begins) * 1e5) / 1e5);
    }
    object.add(scene);
  }
  if (wanted.placement) place(object, wanted.placement);
  else object.applyMatrix4(upright(wanted));
  if (skinned.length === 0) return still(object, wanted, lines.length > 0);
  const counts = skinned.map((m) => m.geometry.getAttribute('position').count), all = new Float32Array(3 * counts.reduce((a, b) => a + b, 0)), v = new THREE.Vector3(), rootEnd: number[] = [];
  let o = 0;
  for (const mesh of skinned) { const uv = wanted.placement === undefined ? (mesh.geometry.getAttribute('uv') as THREE.BufferAttribute | undefined) : undefined; for (let i = 0; uv && i < uv.count; i++) if (uv.getY(i) < 1e-4) rootEnd.push(o + i); o += mesh.geometry.getAttribute('position').count; }
  const points = (): Float32Array => { let at = 0; object.updateMatrixWorld(true); for (const mesh of skinned) { mesh.skeleton.update(); for (let i = 0; i < mesh.geometry.getAttribute('position').count; i++) { mesh.getVertexPosition(i, v).applyMatrix4(mesh.matrixWorld); all[at++] = v.x; all[at++] = v.y; all[at++] = v.z; } } return all; };
  return {
    object, kind: mixers.length > 0 ? 'skinned' : 'still', duration, times: [...times].sort((a, b) => a - b), counts: [], joints: Math.max(...skinned.map((m) => m.skeleton.bones.length)), textures,
    nodePlace: (node) => { const found = nodes.get(node); if (!found) return null; object.updateMatrixWorld(true); v.setFromMatrixPosition(found.matrixWorld); return [v.x, v.y, v.z]; },
    set: (time) => { for (const m of mixers) m.setTime(begins + Math.min(time, duration - 1e-6)); }, points, roots: () => { const p = points(); return Float32Array.from(rootEnd.flatMap((r) => [p[3 * r], p[3 * r + 1], p[3 * r + 2]])); },
    facts: [['files opened', String(finest.length)], ['joints', skinned.reduce((n, m) => n + m.skeleton.bones.length, 0).toLocaleString('en')], ['vertices', (all.length / 3).toLocaleString('en')], ['keys', String(times.size)]],
  };
}

function still(object: THREE.Object3D, wanted: Wanted, keepsAxes = false): Received {
  if (!keepsAxes) object.applyMatrix4(upright({ ...wanted, turned: true }));
  object.updateMatrixWorld(true);
  const list: number[] = [], v = new THREE.Vector3();
  object.traverse((o) => { const g = (o as THREE.Mesh).geometry as THREE.BufferGeometry | undefined, p = g?.getAttribute('position'); if (!p) return; (o as THREE.LineSegments).material = new THREE.LineBasicMaterial({ color: 0x6b4a32 }); for (let i = 0; i < p.count; i++) { v.fromBufferAttribute(p, i).applyMatrix4(o.matrixWorld); list.push(v.x, v.y, v.z); } });
  const points = Float32Array.from(list);
  return { object, kind: 'still', duration: 0, times: [0], counts: [], joints: 0, textures: 0, set: () => undefined, points: () => points, roots: () => new Float32Array(0), facts: [['points', (points.length / 3).toLocaleString('en')]] };
}

// ---------------------------------------------------------------- vertices by texture or cache

interface VatSheet { vertices: number; framesPerSecond: number; frames: number; width: number; rowsOfAFrame: number; low?: number[]; high?: number[]; files: { offsets: string; firstFrame: number; frames: number }[] }

async function vertexAnimation(sheet: NamedBytes, files: readonly NamedBytes[], cards: NamedBytes, wanted: Wanted): Promise<Received> {
  const told = JSON.parse(new TextDecoder().decode(sheet.bytes)) as VatSheet, { scene } = await parse(cards), mesh = firstMesh(scene), rest = ownPlaces(mesh).array.slice() as Float32Array, frames: Float32Array[] = [];
  let height = 0;
  for (const part of told.files) {
    const file = files.find((f) => f.name === part.offsets);
    if (!file) throw new NotPlayed(`“${part.offsets}” is missing.`);
    const pixels = /\.exr$/i.test(part.offsets) ? exr(file.bytes) : await png16(file.bytes, told);
    height = Math.max(height, pixels.height, pixels.width);
    for (let f = 0; f < part.frames; f++) { const at = new Float32Array(3 * told.vertices); for (let v = 0; v < told.vertices; v++) { const q = 3 * ((f * told.rowsOfAFrame + Math.floor(v / told.width)) * told.width + (v % told.width)); for (let c = 0; c < 3; c++) at[3 * v + c] = rest[3 * v + c] + pixels.data[q + c]; } frames.push(at); }
  }
  return byVertices(scene, mesh, frames, told.framesPerSecond, { ...wanted, turned: true }, height);
}
/** Red, green and blue from the top. */
function exr(bytes: ArrayBuffer): { data: Float32Array; width: number; height: number } {
  const { data, width, height } = new EXRLoader().setDataType(THREE.FloatType).parse(bytes) as unknown as { data: Float32Array; width: number; height: number }, out = new Float32Array(3 * width * height), of = data.length / (width * height);
  // the loader has the last row first
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) for (let c = 0; c < 3; c++) out[3 * (y * width + x) + c] = data[of * ((height - 1 - y) * width + x) + c];
  return { data: out, width, height };
}
async function png16(bytes: ArrayBuffer, { low, high }: VatSheet): Promise<{ data: Float32Array; width: number; height: number }> {
  const { decode } = await import('fast-png'), { data, width, height, channels } = decode(bytes), out = new Float32Array(3 * width * height);
  for (let k = 0; k < width * height; k++) for (let c = 0; c < 3; c++) out[3 * k + c] = low![c] + ((high![c] - low![c]) * data[channels * k + c]) / 65535;
  return { data: out, width, height };
}
async function pointCache(file: NamedBytes, cards: NamedBytes, wanted: Wanted): Promise<Received> {
  const { scene } = await parse(cards), mesh = firstMesh(scene), { morphTargets } = new MDDLoader().parse(file.bytes) as unknown as { morphTargets: THREE.BufferAttribute[] };
  return byVertices(scene, mesh, morphTargets.map((m) => m.array as Float32Array), wanted.fps, { ...wanted, turned: true }, 0);
}
/** Places of a mesh's vertices in an array of their own: a file may have them among other numbers. */
function ownPlaces(mesh: THREE.Mesh): THREE.BufferAttribute {
  const from = mesh.geometry.getAttribute('position'), own = new THREE.BufferAttribute(new Float32Array(3 * from.count), 3);
  for (let i = 0; i < from.count; i++) own.setXYZ(i, from.getX(i), from.getY(i), from.getZ(i));
  mesh.geometry.setAttribute('position', own);
  return own;
}
function firstMesh(scene: THREE.Object3D): THREE.Mesh { let found: THREE.Mesh | null = null; scene.traverse((o) => { if ((o as THREE.Mesh).isMesh) found ??= o as THREE.Mesh; }); if (!found) throw new NotPlayed('The file of the cards holds no mesh.'); return found; }
function byVertices(scene: THREE.Object3D, mesh: THREE.Mesh, frames: Float32Array[], fps: number, wanted: Wanted, textures: number): Received {
  const position = ownPlaces(mesh), uv = mesh.geometry.getAttribute('uv'), object = new THREE.Group(), v = new THREE.Vector3(), rootEnd: number[] = [];
  if (frames.some((f) => f.length !== position.array.length)) throw new NotPlayed(`The frames have ${frames[0].length / 3} points, the mesh ${position.count}.`);
  object.add(scene);
  object.applyMatrix4(upright(wanted));
  object.updateMatrixWorld(true);
  mesh.frustumCulled = false;
  for (let i = 0; i < uv.count; i++) if (uv.getY(i) < 1e-4) rootEnd.push(i);
  const points = (): Float32Array => { const out = new Float32Array(position.array.length); for (let i = 0; i < position.count; i++) { v.fromBufferAttribute(position, i).applyMatrix4(mesh.matrixWorld); out.set([v.x, v.y, v.z], 3 * i); } return out; };
  return {
    object, kind: 'vertices', duration: (frames.length - 1) / fps, times: frames.map((_, k) => k / fps), counts: [], joints: 0, textures,
    set: (time) => { (position.array as Float32Array).set(frames[Math.max(0, Math.min(frames.length - 1, Math.round(time * fps)))]); position.needsUpdate = true; }, points, roots: () => { const p = points(); return Float32Array.from(rootEnd.flatMap((r) => [p[3 * r], p[3 * r + 1], p[3 * r + 2]])); },
    facts: [['vertices', position.count.toLocaleString('en')], ['frames', String(frames.length)], ...(textures > 0 ? [['texture', `${textures} px along its longer side`] as [string, string]] : [])],
  };
}

// ---------------------------------------------------------------- the character

export interface Figure { object: THREE.Object3D; meshes: THREE.Mesh[]; clips: string[]; set: (time: number) => void; choose: (clip: string) => void }
/** A character as it was placed when it came in. */
function place(object: THREE.Object3D, placement: PlacedAs): void { object.scale.setScalar(placement.scale); if (placement.up === '+z') object.rotation.x = -Math.PI / 2; if (placement.turn) object.rotateOnWorldAxis(new THREE.Vector3(0, 1, 0), (placement.turn * Math.PI) / 180); }
export async function figure(bytes: ArrayBuffer, placement: PlacedAs | null): Promise<Figure> {
  const { scene, animations } = await parse({ name: 'character.glb', bytes }), object = new THREE.Group(), mixer = new THREE.AnimationMixer(scene), meshes: THREE.Mesh[] = [];
  let duration = 0;
  scene.traverse((o) => { if ((o as THREE.Mesh).isMesh) { meshes.push(o as THREE.Mesh); o.frustumCulled = false; } });
  object.add(scene);
  if (placement) place(object, placement);
  const choose = (name: string): void => { mixer.stopAllAction(); const clip = animations.find((a) => a.name === name); if (!clip) { duration = 0; return; } duration = clip.duration; mixer.clipAction(clip).play(); };
  return { object, meshes, clips: animations.map((a) => a.name), choose, set: (time) => { if (duration > 0) mixer.setTime(Math.min(time, duration - 1e-6)); object.updateMatrixWorld(true); } };
}
