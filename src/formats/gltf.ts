/** glTF 2.0, binary or with its files beside it → character. Bytes in, character out; what was mended is told as warnings. */
import { WebIO, type Accessor, type Document, type GLTF, type Material, type Node, type Primitive } from '@gltf-transform/core';
import { EXTMeshoptCompression, KHRDracoMeshCompression, KHRMaterialsUnlit, KHRMeshQuantization } from '@gltf-transform/extensions';
import { MeshoptDecoder } from 'meshoptimizer';
import type { Channel, Character, CharacterMaterial, CharacterMesh, CharacterNode, Clip, Skin } from '../core/mesh/character';
import { vertexNormals } from '../core/mesh/surface';
import { dracoDecoder, forgetDraco } from './draco';
import { findFile, type NamedFile } from './file-set';
import { checkGltf, checkUnpacked, DRACO, gltfSchema, isDraco, type Gltf } from './gltf-check';
import { finishCharacter } from './mend-character';
import { failure, type Result } from './result';

const MAGIC = 0x46546c67, JSON_CHUNK = 0x4e4f534a, BIN_CHUNK = 0x004e4942;
/** Attribute name under which a file may say where hair grows. */
const HAIR_ATTRIBUTE = '_HAIR';
/** Documents name meshes, joints and clips; longer names are cut. */
const LONGEST_NAME = 120;
/** What cannot be done without and is understood; all that only concerns looks can be done without. */
const UNDERSTOOD = ['EXT_meshopt_compression', DRACO, 'KHR_mesh_quantization', 'KHR_materials_unlit'];
const ONLY_LOOKS = /^(KHR|EXT)_(materials_|texture_|lights_)|^(EXT|KHR)_texture/;

export const readGlb = (bytes: Uint8Array): Promise<Result<Character>> => readGltf({ name: 'character.glb', bytes }, []);

/** `beside`: the files that a `.gltf` may name. */
export async function readGltf(file: NamedFile, beside: readonly NamedFile[]): Promise<Result<Character>> {
  const read = await documentOf(file, beside);
  if (!read.ok) return read;
  try {
    return convert(read.value, read.warnings);
  } catch (cause) {
    return failure('invalid', `The file could not be used: ${cause instanceof Error ? cause.message : String(cause)}.`);
  }
}

/** All that a glTF holds but for its looks, looked through before anything is made of it. */
export async function documentOf(file: NamedFile, beside: readonly NamedFile[]): Promise<Result<Document>> {
  const opened = openGltf(file);
  if (!opened.ok) return opened;
  const { json, bin } = opened.value, resources: Record<string, Uint8Array<ArrayBuffer>> = {}, warnings: string[] = [];

  const version = (json as { asset?: { version?: unknown } } | null)?.asset?.version ?? '1.0 or none';
  if (!String(version).startsWith('2')) return failure('versionTooNew', `This file is glTF version ${String(version).slice(0, 20)}; version 2 is read here. Export it as glTF 2.0.`, 'asset');
  const parsed = gltfSchema.safeParse(json);
  if (!parsed.success) {
    const issue = parsed.error.issues[0], where = issue.path.join(' ');
    return failure('invalid', `The file’s description is not glTF at “${where || 'its beginning'}”: ${issue.message}. Export it again.`, where);
  }
  const g = parsed.data;
  for (const name of g.extensionsRequired ?? []) {
    if (!UNDERSTOOD.includes(name) && !ONLY_LOOKS.test(name)) return failure('unsupported', `The file cannot be read without ${name}, which is not known here. Export it without.`, 'extensionsRequired');
  }
  const lengths: number[] = [];
  for (const [i, buffer] of (g.buffers ?? []).entries()) {
    // stands for what is compressed in another buffer
    if (buffer.uri === undefined && buffer.extensions?.EXT_meshopt_compression?.fallback) { lengths.push(0); continue; }
    const found = bufferBytes(buffer.uri, i, bin, beside, file.name);
    if (!found.ok) return found;
    if (found.value.length < buffer.byteLength) return failure('truncated', `${buffer.uri && !buffer.uri.startsWith('data:') ? `“${buffer.uri}”` : `Buffer ${i}`} should have ${buffer.byteLength.toLocaleString('en')} bytes but has ${found.value.length.toLocaleString('en')}. It was cut off on its way: export or copy it again.`, `buffers ${i}`);
    lengths.push(buffer.byteLength);
    const key = `buffer-${i}.bin`;
    buffer.uri = key;
    resources[key] = Uint8Array.from(found.value);
  }
  const wrong = checkGltf(g, lengths);
  if (wrong) return { ok: false, error: wrong };
  if (withoutLooks(g)) warnings.push('Pictures on its surfaces are left out; it is drawn in its plain colours.');

  try {
    await MeshoptDecoder.ready;
    const io = new WebIO().registerExtensions([EXTMeshoptCompression, KHRDracoMeshCompression, KHRMeshQuantization, KHRMaterialsUnlit]).registerDependencies({ 'meshopt.decoder': MeshoptDecoder });
    if (g.extensionsUsed?.includes(DRACO)) io.registerDependencies({ 'draco3d.decoder': await dracoDecoder() });
    const document = await io.readJSON({ json: g as unknown as GLTF.IGLTF, resources }), wrongInside = checkUnpacked(document);
    return wrongInside ? { ok: false, error: wrongInside } : { ok: true, value: document, warnings };
  } catch (cause) {
    forgetDraco();
    return failure('invalid', `The file says it is glTF but could not be read: ${cause instanceof Error ? cause.message : String(cause)}. Export it again, if need be without compression.`);
  }
}

/** What wrote the file, as it says itself; '' where it does not. */
export function generatorOf(file: NamedFile): string {
  const opened = openGltf(file), asset = opened.ok ? (opened.value.json as { asset?: { generator?: unknown } } | null)?.asset : undefined;
  return typeof asset?.generator === 'string' ? asset.generator.slice(0, 180) : '';
}

function openGltf({ bytes }: NamedFile): Result<{ json: unknown; bin: Uint8Array | null }> {
  const first = new TextDecoder().decode(bytes.subarray(0, 64)).replace(/^\uFEFF/, '').trimStart();
  if (first.startsWith('{')) {
    try { return { ok: true, value: { json: JSON.parse(new TextDecoder().decode(bytes)) as unknown, bin: null }, warnings: [] }; }
    catch { return failure('truncated', 'The .gltf is not complete JSON: it was cut off on its way or changed by hand. Export or copy it again.', 'JSON'); }
  }
  if (bytes.length < 12) return failure('truncated', `The file has ${bytes.length} bytes; a binary glTF needs at least 12. It was probably cut off on its way: export or copy it again.`, 'byte 0');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (view.getUint32(0, true) !== MAGIC) return failure('notThisFormat', 'This is not a binary glTF file: it does not begin with “glTF”. Export the character as .glb and choose that file.', 'byte 0');
  const version = view.getUint32(4, true);
  if (version !== 2) return failure('versionTooNew', `This file is binary glTF version ${version}; version 2 is read here. Export it as glTF 2.0.`, 'byte 4');
  const stated = view.getUint32(8, true);
  if (stated > bytes.length) return failure('truncated', `The file should be ${stated.toLocaleString('en')} bytes long but has ${bytes.length.toLocaleString('en')}. It was cut off on its way: export or copy it again.`, `byte ${bytes.length}`);
  let json: unknown = null, bin: Uint8Array | null = null;
  for (let at = 12; at + 8 <= stated; ) {
    const length = view.getUint32(at, true), kind = view.getUint32(at + 4, true), from = at + 8;
    if (from + length > stated) return failure('invalid', `A part of the file should have ${length.toLocaleString('en')} bytes but only ${(stated - from).toLocaleString('en')} are left. Export it again.`, `byte ${at}`);
    if (kind === JSON_CHUNK && json === null) {
      try { json = JSON.parse(new TextDecoder().decode(bytes.subarray(from, from + length))) as unknown; }
      catch { return failure('invalid', 'The description in the file is not JSON: the file is damaged. Export it again.', `byte ${from}`); }
    } else if (kind === BIN_CHUNK) bin ??= bytes.subarray(from, from + length);
    at = from + length + ((4 - (length % 4)) % 4);
  }
  if (json === null) return failure('invalid', 'The file holds no description of what is in it: it is damaged. Export it again.', 'byte 12');
  return { ok: true, value: { json, bin }, warnings: [] };
}

function bufferBytes(uri: string | undefined, i: number, bin: Uint8Array | null, beside: readonly NamedFile[], own: string): Result<Uint8Array> {
  const given = (value: Uint8Array): Result<Uint8Array> => ({ ok: true, value, warnings: [] });
  if (uri === undefined) return bin && i === 0 ? given(bin) : failure('truncated', `The file names no place for its buffer ${i}. It was cut off on its way: export or copy it again.`, `buffers ${i}`);
  if (uri.startsWith('data:')) {
    const comma = uri.indexOf(',');
    try {
      if (!uri.slice(0, comma).endsWith(';base64')) throw new Error('not base64');
      return given(Uint8Array.from(atob(uri.slice(comma + 1)), (c) => c.charCodeAt(0)));
    } catch { return failure('invalid', `Buffer ${i} is written into the file in a way that cannot be read. Export it again.`, `buffers ${i}`); }
  }
  const found = findFile(beside, uri, own);
  return found ? given(found.bytes) : failure('truncated', `The file needs “${uri}”, which is not among those given. Drop it together with the .gltf, or a zip of both.`, `buffers ${i}`);
}

/** Takes pictures and finishes of materials out, which are not drawn here; whether there were pictures. */
function withoutLooks(g: Gltf): boolean {
  const raw = g as Record<string, unknown>, had = Array.isArray(raw.images) && raw.images.length > 0;
  for (const key of ['images', 'textures', 'samplers', 'cameras']) delete raw[key];
  for (const m of (g.materials ?? []) as Record<string, unknown>[]) {
    for (const key of ['normalTexture', 'occlusionTexture', 'emissiveTexture', 'extensions']) delete m[key];
    for (const key of ['baseColorTexture', 'metallicRoughnessTexture']) delete (m.pbrMetallicRoughness as Record<string, unknown> | undefined)?.[key];
  }
  for (const n of (g.nodes ?? []) as Record<string, unknown>[]) { delete n.camera; delete n.extensions; }
  for (const m of g.meshes ?? []) for (const p of m.primitives) if (isDraco(p)) p.extensions = { [DRACO]: p.extensions[DRACO] }; else delete p.extensions;
  const known = (names: string[] | undefined): string[] | undefined => names?.filter((n) => UNDERSTOOD.includes(n));
  g.extensionsRequired = known(g.extensionsRequired);
  // by what there is, not by what the file says of itself
  const packed = g.meshes?.some((m) => m.primitives.some(isDraco)) ?? false;
  g.extensionsUsed = [...(known(g.extensionsUsed) ?? []).filter((n) => n !== DRACO), ...(packed ? [DRACO] : [])];
  delete raw.extensions;
  return had;
}

function convert(document: Document, warnings: string[]): Result<Character> {
  const root = document.getRoot();
  const scene = root.getDefaultScene() ?? root.listScenes()[0];
  if (!scene) return failure('invalid', 'The file holds no scene. Export the character with its scene.', 'scenes');

  const order: Node[] = [], parents: number[] = [], indexOf = new Map<Node, number>();
  // not by recursion: a chain may be long
  const visit = (first: Node): void => {
    const waiting: [Node, number][] = [[first, -1]];
    while (waiting.length > 0) {
      const [node, parent] = waiting.pop()!, i = order.push(node) - 1;
      parents.push(parent);
      indexOf.set(node, i);
      for (const child of node.listChildren().reverse()) waiting.push([child, i]);
    }
  };
  for (const node of scene.listChildren()) visit(node);
  const shown = order.length;
  for (const skin of root.listSkins()) for (const joint of skin.listJoints()) {
    if (indexOf.has(joint)) continue;
    let top = joint;
    for (let up = top.getParentNode(); up; up = up.getParentNode()) top = up;
    visit(top);
  }
  if (order.length > shown) warnings.push(`${order.length - shown} joints stood outside the scene and were taken in.`);
  const nodes: CharacterNode[] = order.map((n, i) => ({ name: n.getName().slice(0, LONGEST_NAME) || `joint ${i}`, parent: parents[i], translation: [...n.getTranslation()], rotation: [...n.getRotation()], scale: [...n.getScale()] }));
  const unnamed = order.filter((n) => !n.getName()).length;
  if (unnamed > 0) warnings.push(`${unnamed} unnamed nodes were given numbers for names.`);

  const skins: Skin[] = root.listSkins().map((skin) => {
    const joints = skin.listJoints(), matrices = skin.getInverseBindMatrices(), inverseBind = new Float32Array(16 * joints.length);
    joints.forEach((_, j) => inverseBind.set(matrices ? (matrices.getElement(j, []) as number[]) : [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1], 16 * j));
    return { joints: Uint16Array.from(joints, (j) => indexOf.get(j)!), inverseBind };
  });
  const skinIndex = new Map(root.listSkins().map((s, i) => [s, i]));

  const materials: CharacterMaterial[] = [], materialIndex = new Map<Material | null, number>();
  const materialOf = (m: Material | null): number => {
    let i = materialIndex.get(m);
    if (i === undefined) {
      const c = m?.getBaseColorFactor() ?? [0.6, 0.6, 0.6, 1];
      i = materials.push({ name: m?.getName() || 'plain', color: [c[0], c[1], c[2]], roughness: m?.getRoughnessFactor() ?? 0.8, metalness: m?.getMetallicFactor() ?? 0, twoSided: m?.getDoubleSided() ?? false }) - 1;
      materialIndex.set(m, i);
    }
    return i;
  };

  const meshes: CharacterMesh[] = [], names = new Set<string>();
  for (const [i, node] of order.entries()) {
    const mesh = i < shown ? node.getMesh() : null;
    if (!mesh) continue;
    const primitives = mesh.listPrimitives().filter((p) => p.getMode() >= 4 && p.getAttribute('POSITION')?.getElementSize() === 3);
    if (primitives.length < mesh.listPrimitives().length) warnings.push(`${mesh.getName() || node.getName() || 'A mesh'}: points and lines were left out; only triangles are used.`);
    if (primitives.length === 0) continue;
    const wanted = (node.getName() || mesh.getName() || `mesh ${i}`).slice(0, LONGEST_NAME);
    let name = wanted;
    for (let k = 2; names.has(name); k++) name = `${wanted} ${k}`;
    names.add(name);
    const skin = node.getSkin(), weights = node.getWeights().length > 0 ? node.getWeights() : mesh.getWeights();
    meshes.push(joinPrimitives(name, i, skin ? skinIndex.get(skin)! : -1, primitives, weights, materialOf, skins, warnings));
  }
  const clips = root.listAnimations().map((animation, k): Clip => {
    const name = animation.getName().slice(0, LONGEST_NAME) || `clip ${k + 1}`, channels: Channel[] = [];
    let dropped = 0;
    for (const channel of animation.listChannels()) {
      const target = channel.getTargetNode(), path = channel.getTargetPath(), sampler = channel.getSampler(), input = sampler?.getInput(), output = sampler?.getOutput(), node = target ? indexOf.get(target) : undefined;
      if (node === undefined || !sampler || !input || !output || !path || input.getCount() === 0) { dropped++; continue; }
      channels.push({ node, path, interpolation: sampler.getInterpolation(), times: floats(input), values: floats(output) });
    }
    if (dropped > 0) warnings.push(`${name}: ${dropped} channels that move nothing here were left out.`);
    return { name, duration: 0, channels };
  });
  return finishCharacter({ nodes, skins, materials, meshes, clips }, warnings);
}

/** All numbers of an accessor, those given as shares of an integer made what they stand for. */
function floats(accessor: Accessor): Float32Array {
  const array = accessor.getArray();
  if (array instanceof Float32Array) return array.slice();
  const size = accessor.getElementSize(), out = new Float32Array(size * accessor.getCount()), element: number[] = [];
  for (let i = 0; i < accessor.getCount(); i++) {
    accessor.getElement(i, element);
    for (let k = 0; k < size; k++) out[i * size + k] = element[k];
  }
  return out;
}

/** Corners of all triangles of a primitive: a list, a strip or a fan. */
function cornersOf(primitive: Primitive, count: number): Uint32Array {
  const index = primitive.getIndices()?.getArray(), at = (k: number): number => (index ? index[k] : k), n = index ? index.length : count, mode = primitive.getMode();
  if (mode === 4) return Uint32Array.from({ length: n - (n % 3) }, (_, k) => at(k));
  return Uint32Array.from({ length: 3 * Math.max(0, n - 2) }, (_, k) => {
    const t = (k / 3) | 0, c = k % 3;
    return mode === 6 ? at(c === 0 ? 0 : t + c) : at(t + (t % 2 === 1 && c > 0 ? 3 - c : c));
  });
}

function joinPrimitives(name: string, node: number, skin: number, primitives: Primitive[], morphRest: readonly number[], materialOf: (m: Material | null) => number, skins: readonly Skin[], warnings: string[]): CharacterMesh {
  const counts = primitives.map((p) => p.getAttribute('POSITION')!.getCount()), total = counts.reduce((a, b) => a + b, 0), corners = primitives.map((p, k) => cornersOf(p, counts[k]));
  const some = (attribute: string): boolean => primitives.some((p) => p.getAttribute(attribute));
  const positions = new Float32Array(3 * total), normals = new Float32Array(3 * total), colors = new Float32Array(some('COLOR_0') ? 3 * total : 0).fill(1), hair = new Float32Array(some(HAIR_ATTRIBUTE) ? total : 0), uvs = new Float32Array(some('TEXCOORD_0') ? 2 * total : 0);
  const joints = new Uint16Array(skin >= 0 ? 4 * total : 0), weights = new Float32Array(joints.length), triangles = new Uint32Array(corners.reduce((n, c) => n + c.length, 0));
  const targets = primitives[0].listTargets().length, groups: CharacterMesh['groups'] = [];
  const morphs = Array.from({ length: targets }, (_, k) => ({ name: primitives[0].listTargets()[k].getName() || `shape ${k + 1}`, offsets: new Float32Array(3 * total) }));
  let base = 0, corner = 0, mended = 0, beyondFour = 0, dropped = 0;
  primitives.forEach((primitive, q) => {
    const P = floats(primitive.getAttribute('POSITION')!), count = counts[q], T = corners[q], first = corner / 3;
    positions.set(P, 3 * base);
    for (let t = 0; t + 2 < T.length; t += 3) {
      const [a, b, c] = [T[t], T[t + 1], T[t + 2]];
      if (a >= count || b >= count || c >= count) throw new Error(`${name}: triangle ${t / 3} points outside the mesh`);
      if (a === b || b === c || a === c) { dropped++; continue; }
      triangles[corner++] = base + a; triangles[corner++] = base + b; triangles[corner++] = base + c;
    }
    groups.push({ material: materialOf(primitive.getMaterial()), first, count: corner / 3 - first });
    const N = primitive.getAttribute('NORMAL');
    normals.set(N?.getElementSize() === 3 ? floats(N) : vertexNormals(P, T), 3 * base);
    const C = primitive.getAttribute('COLOR_0');
    if (C && C.getElementSize() >= 3) { const size = C.getElementSize(), all = floats(C); for (let v = 0; v < count; v++) for (let k = 0; k < 3; k++) colors[3 * (base + v) + k] = all[size * v + k]; }
    const U = primitive.getAttribute('TEXCOORD_0');
    if (U?.getElementSize() === 2) floats(U).forEach((v, k) => { uvs[2 * base + k] = k % 2 === 0 ? v : 1 - v; });
    const H = primitive.getAttribute(HAIR_ATTRIBUTE);
    if (H?.getElementSize() === 1) hair.set(floats(H), base);
    primitive.listTargets().slice(0, targets).forEach((target, k) => { const D = target.getAttribute('POSITION'); if (D?.getElementSize() === 3) morphs[k].offsets.set(floats(D), 3 * base); });
    if (skin >= 0) {
      const sets: { j: Float32Array; w: Float32Array }[] = [], jointCount = skins[skin].joints.length;
      for (let k = 0; primitive.getAttribute(`JOINTS_${k}`); k++) {
        const J = primitive.getAttribute(`JOINTS_${k}`)!, W = primitive.getAttribute(`WEIGHTS_${k}`);
        if (W && J.getElementSize() === 4 && W.getElementSize() === 4) sets.push({ j: floats(J), w: floats(W) });
      }
      const best: { joint: number; weight: number }[] = [];
      for (let v = 0; v < count; v++) {
        best.length = 0;
        let given = 0;
        for (const { j, w } of sets) for (let k = 0; k < 4; k++) { const weight = w[4 * v + k], joint = j[4 * v + k]; if (weight > 0 && joint < jointCount) { best.push({ joint, weight }); given += weight; } }
        if (best.length > 4) { best.sort((a, b) => b.weight - a.weight); best.length = 4; beyondFour++; }
        else if (!(Math.abs(given - 1) <= 1e-3)) mended++;
        const sum = best.reduce((s, b) => s + b.weight, 0), o = 4 * (base + v);
        if (!(sum > 0) || !Number.isFinite(sum)) weights[o] = 1;
        else best.forEach((b, k) => { joints[o + k] = b.joint; weights[o + k] = b.weight / sum; });
      }
    }
    base += count;
  });
  if (mended > 0) warnings.push(`${name}: the weights of ${mended.toLocaleString('en')} vertices did not sum to 1 and were scaled.`);
  if (beyondFour > 0) warnings.push(`${name}: ${beyondFour.toLocaleString('en')} vertices hang on more than four joints; the four that pull most are used.`);
  if (dropped > 0) warnings.push(`${name}: ${dropped.toLocaleString('en')} triangles without area were left out.`);
  return { name, role: 'body', node, skin, positions, normals, triangles: triangles.subarray(0, corner).slice(), colors, joints, weights, hair, groups, morphs, morphRest: Float32Array.from({ length: targets }, (_, k) => (Number.isFinite(morphRest[k]) ? morphRest[k] : 0)), ...(uvs.length > 0 && uvs.every(Number.isFinite) ? { uvs } : {}) };
}
