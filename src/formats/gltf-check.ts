/**
 * Looks through a glTF's JSON before anything is made of it: that what it points to is there, that no count asks for more than the
 * bytes hold, that nodes are a tree. Whatever passes can be read without surprise and without a limit on memory of its own.
 * **Source:** glTF 2.0 specification, sections 3.5 (nodes) to 3.11 (animations); EXT_meshopt_compression.
 */
import type { Document } from '@gltf-transform/core';
import { z } from 'zod';
import { failure, type FormatError } from './result';

export const GLTF_LIMITS = { vertices: 4_000_000, triangles: 4_000_000, nodes: 20_000, joints: 1024, depth: 2000, clips: 1000, morphs: 256, numbers: 150_000_000 } as const;

const index = z.number().int().min(0), size = z.number().int().min(0).max(2 ** 40);
const meshoptSchema = z.looseObject({ buffer: index, byteOffset: size.optional(), byteLength: size, byteStride: z.number().int().min(1).max(256), count: size });
export const DRACO = 'KHR_draco_mesh_compression';
const dracoSchema = z.looseObject({ bufferView: index, attributes: z.record(z.string(), index) });
const named = { name: z.string().max(1000).optional() };
const attributes = z.record(z.string(), index);
const numbers = (n: number) => z.array(z.number()).length(n).optional();
export const gltfSchema = z.looseObject({
  asset: z.looseObject({ version: z.string(), generator: z.string().optional() }),
  scene: index.optional(),
  scenes: z.array(z.looseObject({ ...named, nodes: z.array(index).optional() })).optional(),
  nodes: z.array(z.looseObject({ ...named, children: z.array(index).optional(), mesh: index.optional(), skin: index.optional(), translation: numbers(3), rotation: numbers(4), scale: numbers(3), matrix: numbers(16), weights: z.array(z.number()).optional() })).optional(),
  meshes: z.array(z.looseObject({ ...named, weights: z.array(z.number()).optional(), primitives: z.array(z.looseObject({ attributes, indices: index.optional(), material: index.optional(), mode: z.number().int().min(0).max(6).optional(), targets: z.array(attributes).optional(), extensions: z.looseObject({ [DRACO]: dracoSchema.optional() }).optional() })) })).optional(),
  skins: z.array(z.looseObject({ joints: z.array(index), inverseBindMatrices: index.optional(), skeleton: index.optional() })).optional(),
  materials: z.array(z.looseObject({ ...named, pbrMetallicRoughness: z.looseObject({}).optional() })).optional(),
  animations: z.array(z.looseObject({
    ...named, samplers: z.array(z.looseObject({ input: index, output: index, interpolation: z.string().optional() })),
    channels: z.array(z.looseObject({ sampler: index, target: z.looseObject({ node: index.optional(), path: z.string() }) })),
  })).optional(),
  accessors: z.array(z.looseObject({
    bufferView: index.optional(), byteOffset: size.optional(), componentType: z.number(), count: size, type: z.string(),
    sparse: z.looseObject({ count: size, indices: z.looseObject({ bufferView: index, byteOffset: size.optional(), componentType: z.number() }), values: z.looseObject({ bufferView: index, byteOffset: size.optional() }) }).optional(),
  })).optional(),
  bufferViews: z.array(z.looseObject({ buffer: index, byteOffset: size.optional(), byteLength: size, byteStride: z.number().int().min(1).max(256).optional(), extensions: z.looseObject({ EXT_meshopt_compression: meshoptSchema.optional() }).optional() })).optional(),
  buffers: z.array(z.looseObject({ uri: z.string().optional(), byteLength: size, extensions: z.looseObject({ EXT_meshopt_compression: z.looseObject({ fallback: z.boolean().optional() }).optional() }).optional() })).optional(),
  extensionsUsed: z.array(z.string()).optional(),
  extensionsRequired: z.array(z.string()).optional(),
});
export type Gltf = z.infer<typeof gltfSchema>;
type Primitive = NonNullable<Gltf['meshes']>[number]['primitives'][number];
/** Whether the geometry stands in one piece, compressed with Draco. */
export const isDraco = (p: Primitive): p is Primitive & { extensions: { [DRACO]: z.infer<typeof dracoSchema> } } => p.extensions?.[DRACO] !== undefined;

const COMPONENT_BYTES: Record<number, number> = { 5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4 };
const WIDTHS: Record<string, number> = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4, MAT2: 4, MAT3: 9, MAT4: 16 };

class Refusal extends Error { constructor(readonly error: FormatError) { super(error.message); } }
function refuse(where: string, what: string, type: FormatError['type'] = 'invalid'): never {
  throw new Refusal(failure(type, `${what} (${where}). ${type === 'unsupported' ? '' : 'The file is damaged or was written wrongly: export it again.'}`.trim(), where).error);
}

/** The first thing wrong, or null. `lengths`: bytes of each buffer. */
export function checkGltf(g: Gltf, lengths: readonly number[]): FormatError | null {
  try {
    checkBytes(g, lengths);
    checkNodes(g);
    checkMeshes(g);
    checkMotion(g);
    return null;
  } catch (cause) {
    if (cause instanceof Refusal) return cause.error;
    throw cause;
  }
}

const at = <T>(list: readonly T[] | undefined, i: number, where: string, what: string): T => list?.[i] ?? refuse(where, `It points to ${what} ${i}, which is not there`);

function checkBytes(g: Gltf, lengths: readonly number[]): void {
  const within = (buffer: number, from: number, length: number, where: string): void => {
    if (buffer >= lengths.length) refuse(where, `It points to buffer ${buffer}, which is not there`);
    if (from + length > lengths[buffer]) refuse(where, `It needs ${(from + length).toLocaleString('en')} bytes of a buffer that has ${lengths[buffer].toLocaleString('en')}`);
  };
  let all = 0;
  g.bufferViews?.forEach((v, i) => {
    const where = `bufferViews ${i}`, packed = v.extensions?.EXT_meshopt_compression;
    if (!packed) { within(v.buffer, v.byteOffset ?? 0, v.byteLength, where); return; }
    within(packed.buffer, packed.byteOffset ?? 0, packed.byteLength, where);
    if (packed.count * packed.byteStride !== v.byteLength) refuse(where, 'What is compressed is not as long as it should be');
    all += v.byteLength / 4;
  });
  g.accessors?.forEach((a, i) => {
    const where = `accessors ${i}`, width = WIDTHS[a.type], bytes = COMPONENT_BYTES[a.componentType];
    if (!width || !bytes) refuse(where, `Numbers of the kind ${a.type}/${a.componentType} do not exist in glTF`);
    all += a.count * width;
    const fits = (view: number, from: number, stride: number, element: number, count: number): void => {
      const v = at(g.bufferViews, view, where, 'buffer view');
      if (count > 0 && from + stride * (count - 1) + element > v.byteLength) refuse(where, `${count.toLocaleString('en')} elements do not fit into ${v.byteLength.toLocaleString('en')} bytes`);
    };
    if (a.bufferView !== undefined) {
      const element = width * bytes, stride = at(g.bufferViews, a.bufferView, where, 'buffer view').byteStride ?? element;
      fits(a.bufferView, a.byteOffset ?? 0, stride, element, a.count);
    }
    if (a.sparse) {
      const s = a.sparse, b = COMPONENT_BYTES[s.indices.componentType] ?? refuse(where, 'Its sparse places are of an unknown kind');
      if (s.count > a.count) refuse(where, 'It replaces more elements than it has');
      fits(s.indices.bufferView, s.indices.byteOffset ?? 0, b, b, s.count);
      fits(s.values.bufferView, s.values.byteOffset ?? 0, width * bytes, width * bytes, s.count);
    }
  });
  if (all > GLTF_LIMITS.numbers) refuse('accessors', `It asks for ${Math.round(all / 1e6)} million numbers; at most ${GLTF_LIMITS.numbers / 1e6} million are read`, 'unsupported');
}

function checkNodes(g: Gltf): void {
  const count = g.nodes?.length ?? 0, parent = new Int32Array(count).fill(-1);
  if (count > GLTF_LIMITS.nodes) refuse('nodes', `It has ${count} nodes; at most ${GLTF_LIMITS.nodes} are read`, 'unsupported');
  g.nodes?.forEach((n, i) => {
    for (const c of n.children ?? []) {
      at(g.nodes, c, `nodes ${i}`, 'node');
      if (parent[c] >= 0) refuse(`nodes ${c}`, 'A node has two parents');
      parent[c] = i;
    }
    if (n.mesh !== undefined) at(g.meshes, n.mesh, `nodes ${i}`, 'mesh');
    if (n.skin !== undefined) at(g.skins, n.skin, `nodes ${i}`, 'skin');
  });
  const depth = new Int32Array(count).fill(-1);
  for (let i = 0; i < count; i++) {
    let n = i, steps = 0;
    for (; n >= 0 && depth[n] < 0; n = parent[n], steps++) if (steps > count) refuse(`nodes ${i}`, 'Its nodes hang on each other in a circle');
    const d = (n >= 0 ? depth[n] : -1) + steps;
    if (d > GLTF_LIMITS.depth) refuse(`nodes ${i}`, `Nodes hang ${d} deep; at most ${GLTF_LIMITS.depth} are read`, 'unsupported');
    for (let m = i, k = d; m >= 0 && depth[m] < 0; m = parent[m], k--) depth[m] = k;
  }
  g.scenes?.forEach((s, i) => {
    const seen = new Set<number>();
    for (const n of s.nodes ?? []) { at(g.nodes, n, `scenes ${i}`, 'node'); if (seen.has(n) || parent[n] >= 0) refuse(`scenes ${i}`, `Node ${n} stands in the scene twice`); seen.add(n); }
  });
  if (g.scene !== undefined) at(g.scenes, g.scene, 'scene', 'scene');
}

function checkMeshes(g: Gltf): void {
  const counts = g.meshes?.map((m, i) => {
    let vertices = 0, triangles = 0;
    m.primitives.forEach((p, k) => {
      const where = `meshes ${i}, primitive ${k}`, position = p.attributes.POSITION, n = position === undefined ? -1 : at(g.accessors, position, where, 'accessor').count;
      for (const [name, a] of Object.entries(p.attributes)) if (n >= 0 && at(g.accessors, a, where, 'accessor').count !== n) refuse(where, `${name} has another number of entries than its positions`);
      if (p.targets && p.targets.length > GLTF_LIMITS.morphs) refuse(where, `It has ${p.targets.length} morph targets; at most ${GLTF_LIMITS.morphs} are read`, 'unsupported');
      for (const t of p.targets ?? []) for (const [name, a] of Object.entries(t)) if (at(g.accessors, a, where, 'accessor').count !== n) refuse(where, `A morph’s ${name} has another number of entries than the mesh`);
      if (isDraco(p)) {
        const packed = p.extensions[DRACO];
        at(g.bufferViews, packed.bufferView, where, 'buffer view');
        if (p.indices === undefined || (p.mode ?? 4) !== 4) refuse(where, 'Its geometry is compressed with Draco, but is no list of triangles');
        for (const name of Object.keys(packed.attributes)) if (p.attributes[name] === undefined) refuse(where, `Its compressed geometry has ${name.slice(0, 40)}, which the mesh does not know`);
      }
      if (p.material !== undefined) at(g.materials, p.material, where, 'material');
      const corners = p.indices === undefined ? Math.max(0, n) : at(g.accessors, p.indices, where, 'accessor');
      if (typeof corners !== 'number' && corners.type !== 'SCALAR') refuse(where, 'Its corners are not a list of numbers');
      vertices += Math.max(0, n);
      triangles += (typeof corners === 'number' ? corners : corners.count) / 3;
    });
    return { vertices, triangles };
  }) ?? [];
  let vertices = 0, triangles = 0;
  for (const n of g.nodes ?? []) if (n.mesh !== undefined) { vertices += counts[n.mesh].vertices; triangles += counts[n.mesh].triangles; }
  if (vertices > GLTF_LIMITS.vertices || triangles > GLTF_LIMITS.triangles) refuse('meshes', `It has ${Math.round(vertices).toLocaleString('en')} vertices and ${Math.round(triangles).toLocaleString('en')} triangles; at most ${GLTF_LIMITS.vertices / 1e6} million of each are read. Reduce the mesh`, 'unsupported');
}

/** What compressed geometry turned out to hold, which its description may have told wrongly: the first thing wrong, or null. */
export function checkUnpacked(document: Document): FormatError | null {
  let vertices = 0, triangles = 0;
  for (const mesh of document.getRoot().listMeshes()) for (const p of mesh.listPrimitives()) {
    const counts = [...p.listAttributes(), ...p.listTargets().flatMap((t) => t.listAttributes())].map((a) => a.getCount());
    if (counts.some((n) => n !== counts[0])) return failure('invalid', `The parts of the mesh “${mesh.getName()}” have different numbers of vertices once they are unpacked. The file is damaged or was written wrongly: export it again.`, 'meshes').error;
    vertices += counts[0] ?? 0;
    triangles += (p.getIndices()?.getCount() ?? counts[0] ?? 0) / 3;
  }
  return vertices > GLTF_LIMITS.vertices || triangles > GLTF_LIMITS.triangles ? failure('unsupported', `Unpacked it has ${Math.round(vertices).toLocaleString('en')} vertices and ${Math.round(triangles).toLocaleString('en')} triangles; at most ${GLTF_LIMITS.vertices / 1e6} million of each are read. Reduce the mesh.`, 'meshes').error : null;
}

function checkMotion(g: Gltf): void {
  g.skins?.forEach((s, i) => {
    const where = `skins ${i}`;
    if (s.joints.length > GLTF_LIMITS.joints) refuse(where, `A skin has ${s.joints.length} joints; at most ${GLTF_LIMITS.joints} can be used. Reduce the skeleton`, 'unsupported');
    if (s.joints.length === 0) refuse(where, 'A skin has no joints');
    for (const j of s.joints) at(g.nodes, j, where, 'node');
    if (s.inverseBindMatrices !== undefined) {
      const a = at(g.accessors, s.inverseBindMatrices, where, 'accessor');
      if (a.type !== 'MAT4' || a.componentType !== 5126 || a.count < s.joints.length) refuse(where, 'Its inverse bind matrices do not fit its joints');
    }
  });
  if ((g.animations?.length ?? 0) > GLTF_LIMITS.clips) refuse('animations', `It has ${g.animations!.length} clips; at most ${GLTF_LIMITS.clips} are read`, 'unsupported');
  g.animations?.forEach((a, i) => {
    const where = `animations ${i}`;
    for (const s of a.samplers) {
      if (at(g.accessors, s.input, where, 'accessor').type !== 'SCALAR') refuse(where, 'Its times are not a list of numbers');
      at(g.accessors, s.output, where, 'accessor');
    }
    for (const c of a.channels) {
      at(a.samplers, c.sampler, where, 'sampler');
      if (c.target.node !== undefined) at(g.nodes, c.target.node, where, 'node');
    }
  });
}
