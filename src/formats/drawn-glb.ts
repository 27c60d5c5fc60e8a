/**
 * Joints that were drawn put to a glTF that exists already, and its meshes hung on them. What the file holds stays as it is, materials, pictures
 * and clips too; nodes, a skin a mesh, and two attributes a vertex come after it. **Source:** glTF 2.0 specification, skins.
 */
import { freeName } from '../core/document/free-name';
import type { GLTF } from '@gltf-transform/core';
import type { Given } from '../core/drawn/drawn';
import { turnOf, type Placement } from '../core/mesh/placement';
import type { Character } from '../core/mesh/character';
import { glbFrom, padded, partsOf } from './clip-glb';

const FLOAT = 5126, USHORT = 5123;
const unskinned = <T>(attributes: Record<string, T>): Record<string, T> => Object.fromEntries(Object.entries(attributes).filter(([a]) => !/^(JOINTS|WEIGHTS)_/.test(a)));

/** The file, and where in it each drawn joint is, by its node's number in the character. `fileNode`: number in the file of a node the character came with; −1 for none. Throws in plain words. */
export function withDrawnJoints(glb: Uint8Array, character: Character, given: Given, placement: Placement, fileNode: (node: number) => number): { bytes: Uint8Array; nodes: Map<number, number> } {
  const { json, bin } = partsOf(glb), views = (json.bufferViews ??= []), accessors = (json.accessors ??= []), buffers = (json.buffers ??= []), nodes = (json.nodes ??= []), skins = (json.skins ??= []), meshes = (json.meshes ??= []), scene = (json.scenes ??= [{ nodes: [] }])[json.scene ?? 0];
  if (buffers.length === 0) buffers.push({ byteLength: 0 });
  if (buffers[0].uri !== undefined) throw new Error('The file keeps its numbers elsewhere. Export the character as one .glb.');
  const pieces: { at: number; bytes: Uint8Array }[] = [], count = given.lines.reduce((n, l) => n + l.places.length / 3 - 1, 0), first = character.nodes.length - count, out = new Map<number, number>();
  let end = padded(bin.length);
  const accessor = (values: Float32Array | Uint16Array, type: 'VEC4' | 'MAT4', vertices: boolean): number => {
    views.push({ buffer: 0, byteOffset: end, byteLength: values.byteLength, ...(vertices ? { target: 34962 } : {}) });
    pieces.push({ at: end, bytes: new Uint8Array(values.buffer, values.byteOffset, values.byteLength) });
    end = padded(end + values.byteLength);
    return accessors.push({ bufferView: views.length - 1, componentType: values instanceof Float32Array ? FLOAT : USHORT, count: values.length / (type === 'VEC4' ? 4 : 16), type }) - 1;
  };
  // a node of the character is metres and as it was placed; the file has its own
  const { scale: k, mirror } = placement, sx = mirror ? -1 : 1, turned = Math.abs(turnOf(placement)[3]) < 1 - 1e-12;
  const placeIn = (n: number): number => out.get(n) ?? fileNode(n);
  for (let n = first; n < character.nodes.length; n++) {
    const { name, parent, translation: [x, y, z] } = character.nodes[n], over = placeIn(parent), here = nodes.push({ name, translation: [x / (sx * k), y / k, z / k] }) - 1;
    out.set(n, here);
    // what stands a file upright is no node of it
    if (over >= 0) (nodes[over].children ??= []).push(here);
    else if (turned && parent === 0) (scene.nodes ??= []).push(here);
    else throw new Error(`“${character.nodes[parent].name}”, which carries the chains, is not in the file the character came in.`);
  }
  for (const name of given.meshes) {
    const mesh = character.meshes.find((m) => m.name === name)!, node = fileNode(mesh.node), own = node >= 0 ? nodes[node].mesh : undefined;
    if (own === undefined) throw new Error(`The mesh “${name}” is not in the file the character came in: it was put on later, with a garment. Bring in one file with both to hand its movement over.`);
    // the character's mesh is its parts of triangles, one after the other
    const parts = meshes[own].primitives.filter((p) => (p.mode ?? 4) >= 4 && p.attributes.POSITION !== undefined && accessors[p.attributes.POSITION].type === 'VEC3'), total = parts.reduce((n, p) => n + accessors[p.attributes.POSITION].count, 0);
    if (4 * total !== mesh.joints.length) throw new Error(`The mesh “${name}” has ${total.toLocaleString('en')} vertices in its file and ${(mesh.joints.length / 4).toLocaleString('en')} here. Bring the character in again.`);
    let from = 0;
    const made = new Map<GLTF.IMeshPrimitive, GLTF.IMeshPrimitive>();
    for (const p of parts) {
      const n = accessors[p.attributes.POSITION].count, attributes = unskinned(p.attributes), packed = p.extensions?.KHR_draco_mesh_compression as { attributes: Record<string, number> } | undefined;
      made.set(p, { ...p, ...(packed ? { extensions: { ...p.extensions, KHR_draco_mesh_compression: { ...packed, attributes: unskinned(packed.attributes) } } } : {}), attributes: { ...attributes, JOINTS_0: accessor(mesh.joints.slice(4 * from, 4 * (from + n)), 'VEC4', true), WEIGHTS_0: accessor(mesh.weights.slice(4 * from, 4 * (from + n)), 'VEC4', true) } });
      from += n;
    }
    const skin = character.skins[mesh.skin], matrices = skin.inverseBind.map((v, i) => { const row = i % 4, column = (i >> 2) % 4, sign = (row === 0 ? sx : 1) * (column === 0 ? sx : 1); return column === 3 && row < 3 ? (sign * v) / k : sign * v; });
    skins.push({ name: `${name} on drawn chains`, joints: [...skin.joints].map(placeIn), inverseBindMatrices: accessor(matrices, 'MAT4', false) });
    meshes.push({ ...meshes[own], primitives: meshes[own].primitives.map((p) => made.get(p) ?? p) });
    // a skinned mesh hangs on nothing, and what hung on its node stays there
    const was = nodes[node], alone = (scene.nodes ?? []).includes(node) && was.matrix === undefined && was.translation === undefined && was.rotation === undefined && was.scale === undefined;
    if (alone) { was.mesh = meshes.length - 1; was.skin = skins.length - 1; }
    else {
      const { mesh: _m, skin: _s, weights, ...rest } = was, moved = nodes.push({ name: freeName(`${name} moved`, nodes.map((n) => n.name)), mesh: meshes.length - 1, skin: skins.length - 1, ...(weights ? { weights } : {}) }) - 1;
      nodes[node] = rest;
      (scene.nodes ??= []).push(moved);
      for (const a of json.animations ?? []) for (const c of a.channels) if (c.target.node === node && c.target.path === 'weights') c.target = { ...c.target, node: moved };
    }
  }
  const numbers = new Uint8Array(end);
  numbers.set(bin);
  for (const { at, bytes } of pieces) numbers.set(bytes, at);
  buffers[0].byteLength = end;
  return { bytes: glbFrom(json, numbers), nodes: out };
}

