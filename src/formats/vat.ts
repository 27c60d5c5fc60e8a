/**
 * Vertex animation textures: where every vertex of a mesh is in every frame, against the rest pose. Column and row of a vertex in a
 * frame's rows stand in the mesh's second texture coordinates; a frame has as many rows as its vertices need, one frame below the
 * other. As float32 EXR, or as 16 bits a channel in a PNG between a least and a greatest offset that the sheet tells.
 */
import { encode } from 'fast-png';
import { DataTexture, FloatType, RGBAFormat } from 'three';
import { EXRExporter, NO_COMPRESSION } from 'three/addons/exporters/EXRExporter.js';

export interface VatLayout { width: number; rows: number; frames: number; /** Frames of each texture. */ parts: { first: number; count: number }[] }
/** `most`: pixels along a side. Throws where not even one frame fits. */
export function layOutVat(vertices: number, frames: number, most: number): VatLayout {
  const rows = Math.ceil(vertices / most), width = Math.ceil(vertices / rows), each = Math.floor(most / rows), parts: VatLayout['parts'] = [];
  if (each < 1) throw new Error(`${vertices.toLocaleString('en')} vertices do not fit into a texture of ${most} pixels a side. Choose a coarser level or a larger limit.`);
  for (let first = 0; first < frames; first += each) parts.push({ first, count: Math.min(each, frames - first) });
  return { width, rows, frames, parts };
}
/** Second texture coordinates of the vertices in a texture of so many frames: middle of the pixel of the first frame, v from the top. */
export function vatCoordinates({ width, rows }: VatLayout, vertices: number, frames: number): Float32Array {
  const out = new Float32Array(2 * vertices);
  for (let v = 0; v < vertices; v++) { out[2 * v] = ((v % width) + 0.5) / width; out[2 * v + 1] = (Math.floor(v / width) + 0.5) / (rows * frames); }
  return out;
}

/** Three numbers a vertex of every frame of a part, in rows from the top; RGB. */
function pixelsOf({ width, rows }: VatLayout, frames: readonly Float32Array[]): Float32Array {
  const out = new Float32Array(3 * width * rows * frames.length);
  frames.forEach((values, f) => out.set(values, 3 * width * rows * f));
  return out;
}
export function writeVatExr(layout: VatLayout, frames: readonly Float32Array[]): Promise<Uint8Array> {
  const pixels = pixelsOf(layout, frames), { width } = layout, height = layout.rows * frames.length, data = new Float32Array(4 * width * height);
  // the writer puts the last row on top
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) { const from = 3 * (y * width + x), to = 4 * ((height - 1 - y) * width + x); data[to] = pixels[from]; data[to + 1] = pixels[from + 1]; data[to + 2] = pixels[from + 2]; data[to + 3] = 1; }
  return new EXRExporter().parse(new DataTexture(data, width, height, RGBAFormat, FloatType), { type: FloatType, compression: NO_COMPRESSION });
}
/** `low`, `high`: offsets that 0 and 65535 stand for, three numbers each. */
export function writeVatPng(layout: VatLayout, frames: readonly Float32Array[], low: readonly number[], high: readonly number[]): Uint8Array {
  const pixels = pixelsOf(layout, frames), data = Uint16Array.from(pixels, (v, k) => { const c = k % 3, span = high[c] - low[c]; return span > 0 ? Math.round((65535 * Math.max(0, Math.min(span, v - low[c]))) / span) : 0; });
  return encode({ width: layout.width, height: layout.rows * frames.length, data, channels: 3, depth: 16 });
}
/** Directions as 8 bits a channel: 128 is none. */
export function writeDirectionsPng(layout: VatLayout, frames: readonly Float32Array[]): Uint8Array {
  const data = Uint8Array.from(pixelsOf(layout, frames), (v) => Math.round(127.5 + 127.5 * Math.max(-1, Math.min(1, v))));
  return encode({ width: layout.width, height: layout.rows * frames.length, data, channels: 3, depth: 8 });
}
