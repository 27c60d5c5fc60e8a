/**
 * The character as it is kept in the database and sent to workers: one JSON header, then its arrays.
 *
 * Layout (little-endian): "FCCH", u32 version, u32 header bytes, header (UTF-8 JSON, padded with spaces to a multiple of 4),
 * then the arrays one after another, each padded to a multiple of 4 bytes. In the header an array is {"$": [type, offset,
 * length]}, offset from the first array, length in elements.
 */
import { z } from 'zod';
import { ROLES, type Character } from '../core/mesh/character';
import { failure, type Result } from './result';

const MAGIC = 'FCCH';
/** 2: morphs; 3: points and texture coordinates. */
const VERSION = 3;
const TYPES = { f32: Float32Array, u16: Uint16Array, u32: Uint32Array } as const;
type TypeName = keyof typeof TYPES;
type Packed = Float32Array | Uint16Array | Uint32Array;

const typeName = (a: Packed): TypeName => (a instanceof Float32Array ? 'f32' : a instanceof Uint16Array ? 'u16' : 'u32');

export function packCharacter(character: Character): Uint8Array {
  const arrays: Packed[] = [];
  let offset = 0;
  const json = JSON.stringify(character, (_key, value: unknown) => {
    if (!(value instanceof Float32Array || value instanceof Uint16Array || value instanceof Uint32Array)) return value;
    arrays.push(value);
    const at = offset;
    offset += Math.ceil(value.byteLength / 4) * 4;
    return { $: [typeName(value), at, value.length] };
  });
  const text = new TextEncoder().encode(json);
  const headerLength = Math.ceil(text.length / 4) * 4;
  const out = new Uint8Array(12 + headerLength + offset).fill(0x20, 12, 12 + headerLength);
  const view = new DataView(out.buffer);
  for (let k = 0; k < 4; k++) out[k] = MAGIC.charCodeAt(k);
  view.setUint32(4, VERSION, true);
  view.setUint32(8, headerLength, true);
  out.set(text, 12);
  let at = 12 + headerLength;
  for (const a of arrays) {
    out.set(new Uint8Array(a.buffer, a.byteOffset, a.byteLength), at);
    at += Math.ceil(a.byteLength / 4) * 4;
  }
  return out;
}

const array = z.custom<Packed>((v) => ArrayBuffer.isView(v));
const number = z.number();
const triple = z.tuple([number, number, number]);
const schema = z.object({
  nodes: z.array(z.object({ name: z.string(), parent: number, translation: triple, rotation: z.tuple([number, number, number, number]), scale: triple })),
  skins: z.array(z.object({ joints: array, inverseBind: array })),
  materials: z.array(z.object({ name: z.string(), color: triple, roughness: number, metalness: number, twoSided: z.boolean() })),
  meshes: z.array(z.object({
    name: z.string(), role: z.enum(ROLES), node: number, skin: number, positions: array, normals: array, triangles: array,
    colors: array, joints: array, weights: array, hair: array, groups: z.array(z.object({ material: number, first: number, count: number })),
    morphs: z.array(z.object({ name: z.string(), offsets: array })).default([]), morphRest: array.default(() => new Float32Array(0)), points: array.optional(), uvs: array.optional(),
  })),
  clips: z.array(z.object({
    name: z.string(), duration: number, begins: number.optional(),
    channels: z.array(z.object({ node: number, path: z.enum(['translation', 'rotation', 'scale', 'weights']), interpolation: z.enum(['LINEAR', 'STEP', 'CUBICSPLINE']), times: array, values: array })),
  })),
});

export function unpackCharacter(bytes: Uint8Array): Result<Character> {
  if (bytes.length < 12) return failure('truncated', 'The stored character is cut off.', 'byte 0');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (String.fromCharCode(...bytes.subarray(0, 4)) !== MAGIC) return failure('notThisFormat', 'This is not a stored character.', 'byte 0');
  if (view.getUint32(4, true) > VERSION) return failure('versionTooNew', 'The stored character was written by a newer version.', 'byte 4');
  const headerLength = view.getUint32(8, true), start = 12 + headerLength;
  if (start > bytes.length) return failure('truncated', 'The stored character is cut off.', `byte ${bytes.length}`);
  try {
    const parsed: unknown = JSON.parse(new TextDecoder().decode(bytes.subarray(12, start)), (_key, value: unknown) => {
      const spec = (value as { $?: [TypeName, number, number] } | null)?.$;
      if (!spec) return value;
      const Type = TYPES[spec[0]], from = start + spec[1], to = from + spec[2] * Type.BYTES_PER_ELEMENT;
      if (to > bytes.length) throw new RangeError('cut off');
      // a copy, aligned; `slice` of a Node Buffer would be a view of its pool
      return new Type(Uint8Array.from(bytes.subarray(from, to)).buffer);
    });
    return { ok: true, value: schema.parse(parsed) as unknown as Character, warnings: [] };
  } catch (cause) {
    return failure(cause instanceof RangeError ? 'truncated' : 'invalid', 'The stored character is damaged.', String(cause).slice(0, 200));
  }
}
