/** Binary glTF 2.0 → character. Bytes in, character out; what was mended is told as warnings. */
import { WebIO, type Accessor, type Document, type Material, type Node, type Primitive } from '@gltf-transform/core';
import { EXTMeshoptCompression, KHRMaterialsUnlit, KHRMeshQuantization } from '@gltf-transform/extensions';
import { MeshoptDecoder } from 'meshoptimizer';
import { poseCharacter, skinPositions, type Channel, type Character, type CharacterMaterial, type CharacterMesh, type CharacterNode, type Role, type Skin } from '../core/mesh/character';
import { vertexNormals } from '../core/mesh/surface';
import { failure, type Result } from './result';

const MAGIC = 0x46546c67;
const MOST_JOINTS = 1024;

/** Attribute name under which a file may say where hair grows. */
const HAIR_ATTRIBUTE = '_HAIR';

export async function readGlb(bytes: Uint8Array): Promise<Result<Character>> {
  if (bytes.length < 12) return failure('truncated', `The file has ${bytes.length} bytes; a binary glTF needs at least 12. It was probably cut off on its way: export or copy it again.`, 'byte 0');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (view.getUint32(0, true) !== MAGIC) return failure('notThisFormat', 'This is not a binary glTF file: it does not begin with “glTF”. Export the character as .glb and choose that file.', 'byte 0');
  const version = view.getUint32(4, true);
  if (version !== 2) return failure('versionTooNew', `This file is binary glTF version ${version}; version 2 is read here. Export it as glTF 2.0.`, 'byte 4');
  const stated = view.getUint32(8, true);
  if (stated > bytes.length) return failure('truncated', `The file should be ${stated.toLocaleString('en')} bytes long but has ${bytes.length.toLocaleString('en')}. It was cut off on its way: export or copy it again.`, `byte ${bytes.length}`);

  let document: Document;
  try {
    await MeshoptDecoder.ready;
    const io = new WebIO().registerExtensions([EXTMeshoptCompression, KHRMeshQuantization, KHRMaterialsUnlit]).registerDependencies({ 'meshopt.decoder': MeshoptDecoder });
    document = await io.readBinary(bytes);
  } catch (cause) {
    return failure('invalid', `The file says it is glTF but could not be read: ${cause instanceof Error ? cause.message : String(cause)}. Export it again without compression other than meshopt.`);
  }
  try {
    return convert(document);
  } catch (cause) {
    return failure('invalid', `The file could not be used: ${cause instanceof Error ? cause.message : String(cause)}.`);
  }
}

function convert(document: Document): Result<Character> {
  const warnings: string[] = [];
  const root = document.getRoot();
  const scene = root.getDefaultScene() ?? root.listScenes()[0];
  if (!scene) return failure('invalid', 'The file holds no scene. Export the character with its scene.', 'scenes');

  const order: Node[] = [], parents: number[] = [];
  const visit = (node: Node, parent: number): void => {
    const i = order.push(node) - 1;
    parents.push(parent);
    for (const child of node.listChildren()) visit(child, i);
  };
  for (const node of scene.listChildren()) visit(node, -1);
  const indexOf = new Map(order.map((n, i) => [n, i]));
  const nodes: CharacterNode[] = order.map((n, i) => ({ name: n.getName() || `joint ${i}`, parent: parents[i], translation: [...n.getTranslation()], rotation: [...n.getRotation()], scale: [...n.getScale()] }));
  const unnamed = order.filter((n) => !n.getName()).length;
  if (unnamed > 0) warnings.push(`${unnamed} unnamed nodes were given numbers for names.`);

  const skins: Skin[] = [];
  const skinIndex = new Map<object, number>();
  for (const skin of root.listSkins()) {
    const joints = skin.listJoints();
    if (joints.some((j) => !indexOf.has(j))) { warnings.push('A skin whose joints are outside the scene was left out.'); continue; }
    if (joints.length > MOST_JOINTS) return failure('unsupported', `A skin has ${joints.length} joints; at most ${MOST_JOINTS} can be used. Reduce the skeleton.`, 'skins');
    const inverseBind = new Float32Array(16 * joints.length);
    const matrices = skin.getInverseBindMatrices();
    joints.forEach((_, j) => inverseBind.set(matrices ? (matrices.getElement(j, []) as number[]) : [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1], 16 * j));
    skinIndex.set(skin, skins.push({ joints: Uint16Array.from(joints, (j) => indexOf.get(j)!), inverseBind }) - 1);
  }

  const materials: CharacterMaterial[] = [];
  const materialIndex = new Map<Material | null, number>();
  const materialOf = (m: Material | null): number => {
    let i = materialIndex.get(m);
    if (i === undefined) {
      const c = m?.getBaseColorFactor() ?? [0.6, 0.6, 0.6, 1];
      i = materials.push({ name: m?.getName() || 'plain', color: [c[0], c[1], c[2]], roughness: m?.getRoughnessFactor() ?? 0.8, metalness: m?.getMetallicFactor() ?? 0, twoSided: m?.getDoubleSided() ?? false }) - 1;
      materialIndex.set(m, i);
    }
    return i;
  };

  const meshes: CharacterMesh[] = [];
  for (const [i, node] of order.entries()) {
    const mesh = node.getMesh();
    if (!mesh) continue;
    const primitives = mesh.listPrimitives().filter((p) => p.getMode() === 4 && p.getAttribute('POSITION'));
    if (primitives.length < mesh.listPrimitives().length) warnings.push(`${mesh.getName() || node.getName() || 'A mesh'}: points and lines were left out; only triangles are used.`);
    if (primitives.length === 0) continue;
    const skin = node.getSkin() ? (skinIndex.get(node.getSkin()!) ?? -1) : -1;
    const names = meshes.map((m) => m.name);
    const wanted = node.getName() || mesh.getName() || `mesh ${i}`;
    let name = wanted;
    for (let k = 2; names.includes(name); k++) name = `${wanted} ${k}`;
    meshes.push(joinPrimitives(name, i, skin, primitives, materialOf, skins, warnings));
  }
  if (meshes.length === 0) return failure('invalid', 'The file holds no triangle mesh. Export the character with its meshes.', 'meshes');
  if (!meshes.some((m) => m.skin >= 0)) return failure('unsupported', 'No mesh in this file is bound to a skeleton, so hair planted on it could not follow a movement. Export the character with its skin (joints and weights).', 'skins');
  for (const m of meshes) m.role = guessRole(m, materials);

  const clips = root.listAnimations().map((animation, k) => {
    let duration = 0, dropped = 0;
    const channels: Channel[] = [];
    for (const channel of animation.listChannels()) {
      const target = channel.getTargetNode(), path = channel.getTargetPath(), sampler = channel.getSampler();
      const node = target ? indexOf.get(target) : undefined;
      const input = sampler?.getInput(), output = sampler?.getOutput();
      if (node === undefined || !sampler || !input || !output || (path !== 'translation' && path !== 'rotation' && path !== 'scale')) { dropped++; continue; }
      const times = floats(input);
      if (times.length === 0) continue;
      duration = Math.max(duration, times[times.length - 1]);
      channels.push({ node, path, interpolation: sampler.getInterpolation(), times, values: floats(output) });
    }
    if (dropped > 0) warnings.push(`${animation.getName() || `Clip ${k + 1}`}: ${dropped} channels that move no joint (morph weights, for one) were left out.`);
    return { name: animation.getName() || `clip ${k + 1}`, duration, channels };
  }).filter((c) => c.channels.length > 0);
  if (clips.length === 0) warnings.push('The file holds no clip; the character stands in its rest pose.');
  const character: Character = { nodes, skins, materials, meshes, clips };
  const size = greatestExtent(character);
  if (size > 30 || size < 0.03) warnings.push(`The character is ${size > 30 ? size.toFixed(0) : size.toFixed(4)} m large. glTF is in metres: if this should be ${size > 30 ? 'centimetres' : 'larger'}, export it again at its true size, or hair will move as if it were ${size > 30 ? 'a giant’s' : 'tiny'}.`);
  return { ok: true, value: character, warnings };
}

/** Longest side of the box round the skinned meshes in their rest pose, m. */
function greatestExtent(character: Character): number {
  const low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity], pose = poseCharacter(character, null, 0);
  for (const mesh of character.meshes) if (mesh.skin >= 0) {
    const P = new Float64Array(mesh.positions.length);
    skinPositions(character, mesh, pose, P);
    P.forEach((v, i) => { low[i % 3] = Math.min(low[i % 3], v); high[i % 3] = Math.max(high[i % 3], v); });
  }
  return Math.max(...high.map((v, k) => v - low[k]));
}

function floats(accessor: Accessor): Float32Array {
  const size = accessor.getElementSize(), out = new Float32Array(size * accessor.getCount());
  const element: number[] = [];
  for (let i = 0; i < accessor.getCount(); i++) {
    accessor.getElement(i, element);
    for (let k = 0; k < size; k++) out[i * size + k] = element[k];
  }
  return out;
}

function joinPrimitives(name: string, node: number, skin: number, primitives: Primitive[], materialOf: (m: Material | null) => number, skins: Skin[], warnings: string[]): CharacterMesh {
  const positions: number[] = [], normals: number[] = [], triangles: number[] = [], colors: number[] = [], joints: number[] = [], weights: number[] = [], hair: number[] = [];
  const groups: CharacterMesh['groups'] = [];
  const anyColor = primitives.some((p) => p.getAttribute('COLOR_0')), anyHair = primitives.some((p) => p.getAttribute(HAIR_ATTRIBUTE));
  let mendedWeights = 0, manyInfluences = false, dropped = 0;
  for (const primitive of primitives) {
    const base = positions.length / 3;
    const P = floats(primitive.getAttribute('POSITION')!), count = P.length / 3;
    for (const v of P) positions.push(v);
    const index = primitive.getIndices();
    const first = triangles.length / 3;
    const T = index ? Array.from({ length: index.getCount() }, (_, k) => index.getScalar(k)) : Array.from({ length: count }, (_, k) => k);
    for (let t = 0; t + 2 < T.length; t += 3) {
      const [a, b, c] = [T[t], T[t + 1], T[t + 2]];
      if (a >= count || b >= count || c >= count) throw new Error(`${name}: triangle ${t / 3} points outside the mesh`);
      if (a === b || b === c || a === c) { dropped++; continue; }
      triangles.push(base + a, base + b, base + c);
    }
    groups.push({ material: materialOf(primitive.getMaterial()), first, count: triangles.length / 3 - first });
    const N = primitive.getAttribute('NORMAL');
    for (const v of N ? floats(N) : vertexNormals(P, T)) normals.push(v);
    if (anyColor) {
      const attribute = primitive.getAttribute('COLOR_0'), size = attribute?.getElementSize() ?? 3, C = attribute ? floats(attribute) : null;
      for (let v = 0; v < count; v++) for (let k = 0; k < 3; k++) colors.push(C ? C[v * size + k] : 1);
    }
    if (anyHair) {
      const H = primitive.getAttribute(HAIR_ATTRIBUTE);
      for (const v of H ? floats(H) : new Float32Array(count)) hair.push(v);
    }
    if (skin < 0) continue;
    const J = primitive.getAttribute('JOINTS_0'), W = primitive.getAttribute('WEIGHTS_0');
    if (primitive.getAttribute('JOINTS_1')) manyInfluences = true;
    const j = J ? floats(J) : new Float32Array(4 * count), w = W ? floats(W) : new Float32Array(4 * count);
    const jointCount = skins[skin].joints.length;
    for (let v = 0; v < count; v++) {
      let sum = 0;
      for (let k = 0; k < 4; k++) {
        const value = w[4 * v + k];
        if (!(value > 0) || j[4 * v + k] >= jointCount) w[4 * v + k] = 0;
        sum += w[4 * v + k];
      }
      if (Math.abs(sum - 1) > 1e-3) mendedWeights++;
      for (let k = 0; k < 4; k++) {
        joints.push(w[4 * v + k] > 0 ? j[4 * v + k] : 0);
        weights.push(sum > 0 ? w[4 * v + k] / sum : k === 0 ? 1 : 0);
      }
    }
  }
  if (mendedWeights > 0) warnings.push(`${name}: the weights of ${mendedWeights} vertices did not sum to 1 and were scaled.`);
  if (manyInfluences) warnings.push(`${name}: more than four influences a vertex; the first four are used.`);
  if (dropped > 0) warnings.push(`${name}: ${dropped} triangles without area were left out.`);
  if (!positions.every(Number.isFinite)) throw new Error(`${name} has positions that are not numbers`);
  if (triangles.length === 0) throw new Error(`${name} has no triangle with an area`);
  return {
    name, role: 'body', node, skin, positions: Float32Array.from(positions), normals: Float32Array.from(normals), triangles: Uint32Array.from(triangles),
    colors: Float32Array.from(colors), joints: Uint16Array.from(joints), weights: Float32Array.from(weights), hair: Float32Array.from(hair), groups,
  };
}

const GARMENT = /coat|jacket|shirt|dress|skirt|trouser|pant|shoe|boot|sock|scarf|collar|belt|glove|hood|cloak|cape|vest|cloth|armou?r|sleeve|blanket|strap|saddle|hat|cap\b/i;
const ACCESSORY = /eye|brow|lash|teeth|tongue|pin|ring|button|buckle|glass|jewel|tear/i;
/** By the names people give their meshes and materials; anything else is the body. */
function guessRole(mesh: CharacterMesh, materials: CharacterMaterial[]): Role {
  if (mesh.hair.length > 0) return 'body';
  const words = [mesh.name, ...mesh.groups.map((g) => materials[g.material].name)].join(' ');
  return ACCESSORY.test(mesh.name) ? 'accessory' : GARMENT.test(words) ? 'garment' : 'body';
}
