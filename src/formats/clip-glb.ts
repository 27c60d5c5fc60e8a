/**
 * A clip put to a glTF that exists already: everything the file holds stays as it is, byte by byte; accessors and an animation come
 * after it. **Source:** glTF 2.0 specification, binary container and animations.
 */
import { freeName } from '../core/document/free-name';
import type { GLTF } from '@gltf-transform/core';
import { findFile, unpackFiles, type NamedFile } from './file-set';

/** Turns of one node, x y z w, as many as times. */
export interface ClipTrack { node: number; values: Float32Array }
export interface ClipToAdd {
  name: string;
  /** s, ascending. */
  times: Float32Array;
  turns: readonly ClipTrack[];
  /** Name of a clip of the file whose other movements the new one shall have too; null for the turns alone. */
  with: string | null;
}
/** What a merged clip has otherwise than the one it was made from. */
export interface Merged { replaced: string[]; kept: number }

const MAGIC = 0x46546c67, JSON_CHUNK = 0x4e4f534a, BIN_CHUNK = 0x004e4942, FLOAT = 5126;
type Json = GLTF.IGLTF;

/** The character's file as one binary glTF. Throws where there is none among the files. */
export function glbOf(files: readonly NamedFile[]): Uint8Array {
  const unpacked = unpackFiles(files);
  if (!unpacked.ok) throw new Error(unpacked.error.message);
  const all = unpacked.value, view = (b: Uint8Array): DataView => new DataView(b.buffer, b.byteOffset, b.byteLength), glb = all.find((f) => f.bytes.length > 12 && view(f.bytes).getUint32(0, true) === MAGIC);
  if (glb) return glb.bytes;
  const gltf = all.find((f) => /\.gltf$/i.test(f.name));
  if (!gltf) throw new Error('The character did not come as glTF, so no movement can be put to its file.');
  return inOne(JSON.parse(new TextDecoder().decode(gltf.bytes)) as Json, all, gltf.name);
}
/** A glTF and what it names as one binary file: nothing in it is read or written anew, so that what is compressed stays so. */
function inOne(json: Json, files: readonly NamedFile[], name: string): Uint8Array {
  const pieces: Uint8Array[] = [], views = (json.bufferViews ??= []);
  let end = 0;
  const put = (bytes: Uint8Array): number => { const at = end; pieces.push(bytes); end = padded(at + bytes.length); return at; };
  const bytesOf = (uri: string): Uint8Array | null => (uri.startsWith('data:') ? Uint8Array.from(atob(uri.slice(uri.indexOf(',') + 1)), (c) => c.charCodeAt(0)) : findFile(files, uri, name)?.bytes ?? null);
  // a buffer without a place of its own stands for what is compressed in another
  const kept: GLTF.IBuffer[] = [], moved = (json.buffers ?? []).map((buffer) => {
    if (buffer.uri === undefined) return { buffer: kept.push(buffer), by: 0 };
    const bytes = bytesOf(buffer.uri);
    if (!bytes) throw new Error(`“${buffer.uri.slice(0, 80)}”, which the character’s file names, is not at hand.`);
    return { buffer: 0, by: put(bytes.subarray(0, buffer.byteLength)) };
  });
  const shift = (v: { buffer: number; byteOffset?: number }): void => { const to = moved[v.buffer]; v.buffer = to.buffer; if (to.by > 0) v.byteOffset = (v.byteOffset ?? 0) + to.by; };
  for (const v of views) { shift(v); const packed = v.extensions?.EXT_meshopt_compression as { buffer: number; byteOffset?: number } | undefined; if (packed) shift(packed); }
  for (const image of json.images ?? []) {
    const bytes = image.uri && !image.uri.startsWith('data:') ? bytesOf(image.uri) : null;
    if (!bytes) continue;
    image.mimeType ??= /\.jpe?g$/i.test(image.uri!) ? 'image/jpeg' : 'image/png';
    image.bufferView = views.push({ buffer: 0, byteOffset: put(bytes), byteLength: bytes.length }) - 1;
    delete image.uri;
  }
  const bin = new Uint8Array(end);
  let at = 0;
  for (const bytes of pieces) { bin.set(bytes, at); at = padded(at + bytes.length); }
  json.buffers = [{ byteLength: end }, ...kept];
  return glbFrom(json, bin);
}

/** What a binary glTF consists of. */
export function partsOf(glb: Uint8Array): { json: Json; bin: Uint8Array } {
  const view = new DataView(glb.buffer, glb.byteOffset, glb.byteLength);
  let json: Json | null = null, bin = new Uint8Array(0);
  for (let at = 12; at + 8 <= view.getUint32(8, true);) {
    const length = view.getUint32(at, true), kind = view.getUint32(at + 4, true), part = glb.subarray(at + 8, at + 8 + length);
    if (kind === JSON_CHUNK && !json) json = JSON.parse(new TextDecoder().decode(part)) as Json;
    if (kind === BIN_CHUNK) bin = part as Uint8Array<ArrayBuffer>;
    at += 8 + length;
  }
  if (!json) throw new Error('The file holds no description of what is in it.');
  return { json, bin };
}

/** The next multiple of four. */
export const padded = (n: number): number => (n + 3) & ~3;
/** A binary glTF of its parts; `bin` ends at a multiple of four. */
export function glbFrom(json: object, bin: Uint8Array): Uint8Array {
  const raw = new TextEncoder().encode(JSON.stringify(json)), text = new Uint8Array(padded(raw.length)).fill(32), out = new Uint8Array(20 + text.length + (bin.length > 0 ? 8 + bin.length : 0)), view = new DataView(out.buffer);
  text.set(raw);
  view.setUint32(0, MAGIC, true); view.setUint32(4, 2, true); view.setUint32(8, out.length, true);
  view.setUint32(12, text.length, true); view.setUint32(16, JSON_CHUNK, true);
  out.set(text, 20);
  if (bin.length > 0) { view.setUint32(20 + text.length, bin.length, true); view.setUint32(24 + text.length, BIN_CHUNK, true); out.set(bin, 28 + text.length); }
  return out;
}

/**
 * Numbers of the file's nodes in the order in which a character has them (as they are met from the scene downwards, each before
 * what hangs on it).
 */
export function nodeOrder(glb: Uint8Array): { node: number; name: string }[] {
  const { json } = partsOf(glb), nodes = json.nodes ?? [], scene = (json.scenes ?? [])[json.scene ?? 0], out: { node: number; name: string }[] = [], seen = new Set<number>();
  const visit = (first: number): void => {
    const waiting = [first];
    while (waiting.length > 0) {
      const n = waiting.pop()!;
      if (seen.has(n)) continue;
      seen.add(n);
      out.push({ node: n, name: nodes[n].name ?? '' });
      waiting.push(...[...(nodes[n].children ?? [])].reverse());
    }
  };
  for (const n of scene?.nodes ?? []) visit(n);
  const parent = new Map(nodes.flatMap((n, i) => (n.children ?? []).map((c): [number, number] => [c, i])));
  for (const skin of json.skins ?? []) for (const j of skin.joints) { let top = j; for (let up = parent.get(top); up !== undefined; up = parent.get(top)) top = up; if (!seen.has(j)) visit(top); }
  return out;
}

/** The file with one clip more. */
export function withClip(glb: Uint8Array, clip: ClipToAdd): { bytes: Uint8Array; name: string; merged: Merged | null } {
  const { json, bin } = partsOf(glb), views = (json.bufferViews ??= []), accessors = (json.accessors ??= []), animations = (json.animations ??= []), buffers = (json.buffers ??= []);
  // a file without a part of its own for numbers gets one
  if (buffers.length === 0 || buffers[0].uri !== undefined) {
    if (buffers.length > 0) throw new Error('The file keeps its numbers elsewhere. Export the character as one .glb.');
    buffers.push({ byteLength: 0 });
  }
  const start = padded(bin.length), arrays: Float32Array[] = [];
  let at = start;
  const accessor = (values: Float32Array, type: 'SCALAR' | 'VEC4', ends: boolean): number => {
    views.push({ buffer: 0, byteOffset: at, byteLength: values.byteLength });
    arrays.push(values);
    at += values.byteLength;
    return accessors.push({ bufferView: views.length - 1, componentType: FLOAT, count: type === 'SCALAR' ? values.length : values.length / 4, type, ...(ends ? { min: [values[0]], max: [values[values.length - 1]] } : {}) }) - 1;
  };
  const name = freeName(clip.name, animations.map((a) => a.name)), other = clip.with === null ? undefined : animations.find((a, k) => (a.name ?? `clip ${k + 1}`) === clip.with), own = new Set(clip.turns.map((t) => t.node)), animation: GLTF.IAnimation = { name, channels: [], samplers: [] }, merged: Merged | null = clip.with === null ? null : { replaced: [], kept: 0 };
  if (clip.with !== null && !other) throw new Error(`The file has no clip “${clip.with}”.`);
  for (const c of other?.channels ?? []) {
    const { node, path } = c.target;
    if (node !== undefined && own.has(node) && path === 'rotation') { merged!.replaced.push(json.nodes![node].name ?? `node ${node}`); continue; }
    animation.samplers.push(other!.samplers[c.sampler]);
    animation.channels.push({ target: c.target, sampler: animation.samplers.length - 1 });
    merged!.kept++;
  }
  const input = accessor(clip.times, 'SCALAR', true);
  for (const { node, values } of clip.turns) {
    animation.samplers.push({ input, output: accessor(values, 'VEC4', false), interpolation: 'LINEAR' });
    animation.channels.push({ sampler: animation.samplers.length - 1, target: { node, path: 'rotation' } });
  }
  animations.push(animation);
  const length = padded(at), numbers = new Uint8Array(length);
  numbers.set(bin);
  let o = start;
  for (const a of arrays) { numbers.set(new Uint8Array(a.buffer, a.byteOffset, a.byteLength), o); o += a.byteLength; }
  buffers[0].byteLength = at;
  return { bytes: glbFrom(json, numbers), name, merged };
}
