/** Immutable buffers of a document: their bytes, and the name that follows from the bytes. */
import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex } from '@noble/hashes/utils.js';
import type { Planting } from '../groom/planting';
import type { BufferId } from './schema';

export const bufferId = (bytes: Uint8Array): BufferId => bytesToHex(sha256(bytes));

/** Bytes of a typed array, copied. */
export const bytesOf = (array: Float32Array | Uint32Array): Uint8Array => new Uint8Array(array.buffer, array.byteOffset, array.byteLength).slice();

/** A copy of its own: the `slice` of a Node Buffer would be a view of its pool. */
const aligned = (bytes: Uint8Array): ArrayBuffer => Uint8Array.from(bytes).buffer;
export const floatsOf = (bytes: Uint8Array): Float32Array => new Float32Array(aligned(bytes));
export const uintsOf = (bytes: Uint8Array): Uint32Array => new Uint32Array(aligned(bytes));

/** 12 bytes a root: u32 face, f32 weight of the second corner, f32 of the third. Little-endian. */
export function packPlanting(planting: Planting): Uint8Array {
  const out = new Uint8Array(12 * planting.faces.length), view = new DataView(out.buffer);
  planting.faces.forEach((f, i) => {
    view.setUint32(12 * i, f, true);
    view.setFloat32(12 * i + 4, planting.weights[2 * i], true);
    view.setFloat32(12 * i + 8, planting.weights[2 * i + 1], true);
  });
  return out;
}

export function unpackPlanting(bytes: Uint8Array): Planting {
  const n = Math.floor(bytes.length / 12), view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const out: Planting = { faces: new Uint32Array(n), weights: new Float32Array(2 * n) };
  for (let i = 0; i < n; i++) {
    out.faces[i] = view.getUint32(12 * i, true);
    out.weights[2 * i] = view.getFloat32(12 * i + 4, true);
    out.weights[2 * i + 1] = view.getFloat32(12 * i + 8, true);
  }
  return out;
}
