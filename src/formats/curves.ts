/**
 * Curves from any of the files they come in: glTF lines, OBJ polylines, OpenUSD curves, and two plain binary layouts of strands.
 * **Sources:** glTF 2.0 specification, 3.7.2.1 (topology); OpenUSD documentation of UsdGeomBasisCurves, the binary form read through three.js's
 * parser; the `.hair` and `.data` layouts *from memory* (docs/characters.md has them).
 */
import { USDCParser } from 'three/addons/loaders/usd/USDCParser.js';
import type { Up } from '../core/mesh/placement';
import { chainUp } from './chain-up';
import { unpackFiles, type NamedFile } from './file-set';
import { documentOf } from './gltf';
import { readObj } from './obj';
import { failure, type Result } from './result';
import { curvesOfLayer } from './usd-read-curves';
import { readUsdText, UsdTextError, type UsdLayer } from './usda-read';

export const CURVE_FILES = '.glb or .gltf lines, .obj polylines, .usda, .usdc or .usdz curves, .hair, .data, or a .zip of one';
export const CURVE_LIMITS = { curves: 200_000, points: 8_000_000 } as const;

export interface CurveSet {
  fileName: string;
  /** Places along each curve as they stand in the file, 3 × points, at least two. */
  curves: Float32Array[];
  /** m a unit and up axis, where the file says them. */
  scale: number | null;
  up: Up | null;
}

export async function openCurves(given: readonly NamedFile[]): Promise<Result<CurveSet>> {
  const unpacked = unpackFiles(given);
  if (!unpacked.ok) return unpacked;
  const files = unpacked.value, main = files.filter((f) => /\.(glb|gltf|obj|usd[acz]?|hair|data)$/i.test(f.name));
  if (main.length > 1) return failure('unsupported', `There are ${main.length} files of curves: ${main.slice(0, 4).map((f) => `“${f.name}”`).join(', ')}. Bring them in one after the other.`);
  const file = main[0] ?? (files.length === 1 ? files[0] : null);
  if (!file) return failure('notThisFormat', `None of these files holds curves. Taken are ${CURVE_FILES}.`);
  const fileName = file.name.replace(/^.*\//, '');
  let read: Result<Omit<CurveSet, 'fileName'>>;
  try { read = await byKind(file, files); }
  catch (cause) {
    if (cause instanceof UsdTextError) return failure(cause.cut ? 'truncated' : 'invalid', `“${fileName}”, line ${cause.line}: ${cause.message} ${cause.cut ? 'It was cut off: copy it again.' : 'Export it again.'}`, `line ${cause.line}`);
    read = failure('invalid', `“${fileName}” could not be read: ${cause instanceof Error ? cause.message : String(cause)}. Export it again.`);
  }
  if (!read.ok) return read;
  const { curves } = read.value, points = curves.reduce((n, c) => n + c.length / 3, 0);
  if (curves.length === 0) return failure('invalid', `“${fileName}” holds no curve of two points or more. ${['Export the guides as curves or polylines.', ...read.warnings].join(' ')}`);
  if (curves.length > CURVE_LIMITS.curves || points > CURVE_LIMITS.points) return failure('unsupported', `“${fileName}” holds ${curves.length.toLocaleString('en')} curves of ${points.toLocaleString('en')} points; at most ${CURVE_LIMITS.curves.toLocaleString('en')} and ${CURVE_LIMITS.points.toLocaleString('en')} are read. Hand over the guides, not the filled strands.`);
  if (!curves.every((c) => c.every(Number.isFinite))) return failure('invalid', `“${fileName}” has points that are not numbers. Export it again.`);
  return { ok: true, value: { ...read.value, fileName }, warnings: read.warnings };
}

export type CurvesRead = Result<Omit<CurveSet, 'fileName'>>;
type Read = CurvesRead;
/** Curves of two points or more. */
const plain = (curves: Float32Array[], warnings: string[] = [], scale: number | null = null, up: Up | null = null): Read => ({ ok: true, value: { curves: curves.filter((c) => c.length >= 6), scale, up }, warnings });

async function byKind(file: NamedFile, files: readonly NamedFile[]): Promise<Read> {
  const head = new TextDecoder('latin1').decode(file.bytes.subarray(0, 16)).replace(/^\xef\xbb\xbf/, '');
  if (/\.obj$/i.test(file.name)) { const r = readObj(file.bytes); return r.ok ? plain(r.value.lines, [...(r.value.meshes.length > 0 ? ['Surfaces in it are left out.'] : []), ...r.warnings]) : r; }
  if (head.startsWith('#usda')) return curvesOfLayer(readUsdText(new TextDecoder().decode(file.bytes)));
  if (head.startsWith('PXR-USDC')) return curvesOfLayer(new USDCParser().parseData(file.bytes.slice().buffer) as UsdLayer, true);
  if (head.startsWith('HAIR')) return fromHair(file.bytes);
  if (/\.data$/i.test(file.name)) return fromData(file.bytes);
  return fromGltf(file, files);
}

async function fromGltf(file: NamedFile, files: readonly NamedFile[]): Promise<Read> {
  const read = await documentOf(file, files), curves: Float32Array[] = [];
  if (!read.ok) return read;
  let surfaces = 0;
  for (const node of read.value.getRoot().listNodes()) {
    const m = node.getWorldMatrix();
    for (const p of node.getMesh()?.listPrimitives() ?? []) {
      const P = p.getAttribute('POSITION'), mode = p.getMode();
      if (!P || mode === 0) continue;
      if (mode > 3) { surfaces++; continue; }
      const index = p.getIndices(), n = index ? index.getCount() : P.getCount(), e: number[] = [], at = (k: number): number => (index ? index.getScalar(k) : k);
      const chains = mode === 1 ? chainUp(Array.from({ length: n >> 1 }, (_, k) => [at(2 * k), at(2 * k + 1)] as const)) : [Array.from({ length: n + (mode === 2 ? 1 : 0) }, (_, k) => at(k % n))];
      for (const chain of chains) curves.push(Float32Array.from(chain.flatMap((v) => { P.getElement(v, e); return [0, 1, 2].map((c) => m[c] * e[0] + m[4 + c] * e[1] + m[8 + c] * e[2] + m[12 + c]); })));
    }
  }
  return plain(curves, surfaces > 0 ? ['Surfaces in it are left out.'] : []);
}
function fromHair(bytes: Uint8Array): Read {
  if (bytes.length < 128) return failure('truncated', 'The file is shorter than its own header: it was cut off. Copy it again.', `byte ${bytes.length}`);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength), strands = view.getUint32(4, true), points = view.getUint32(8, true), flags = view.getUint32(12, true), even = view.getUint32(16, true);
  if (strands > CURVE_LIMITS.curves || points > CURVE_LIMITS.points) return failure('unsupported', `It says that it holds ${strands.toLocaleString('en')} strands of ${points.toLocaleString('en')} points; at most ${CURVE_LIMITS.curves.toLocaleString('en')} and ${CURVE_LIMITS.points.toLocaleString('en')} are read.`, 'byte 4');
  if ((flags & 2) === 0) return failure('invalid', 'It holds no points.', 'byte 12');
  const start = 128 + (flags & 1 ? 2 * strands : 0);
  if (start + 12 * points > bytes.length) return failure('truncated', `Its ${points.toLocaleString('en')} points need ${(start + 12 * points).toLocaleString('en')} bytes, but it has ${bytes.length.toLocaleString('en')}: it was cut off. Copy it again.`, `byte ${bytes.length}`);
  const curves: Float32Array[] = [];
  let o = 0;
  for (let s = 0; s < strands; s++) {
    const n = (flags & 1 ? view.getUint16(128 + 2 * s, true) : even) + 1;
    if (o + n > points) return failure('invalid', `Its ${strands.toLocaleString('en')} strands need more points than the ${points.toLocaleString('en')} it has. It is damaged: copy it again.`, `strand ${s}`);
    curves.push(Float32Array.from({ length: 3 * n }, (_, i) => view.getFloat32(start + 12 * o + 4 * i, true)));
    o += n;
  }
  return plain(curves);
}

function fromData(bytes: Uint8Array): Read {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength), cut = (at: number): Read => failure('truncated', 'It ends before its last strand: it was cut off, or is another kind of file. Copy it again.', `byte ${at}`), curves: Float32Array[] = [];
  if (bytes.length < 4) return cut(bytes.length);
  const strands = view.getInt32(0, true);
  if (strands < 0 || strands > CURVE_LIMITS.curves) return failure('unsupported', `It says that it holds ${strands.toLocaleString('en')} strands; at most ${CURVE_LIMITS.curves.toLocaleString('en')} are read. Perhaps it is another kind of file.`, 'byte 0');
  let at = 4;
  for (let s = 0; s < strands; s++) {
    if (at + 4 > bytes.length) return cut(at);
    const n = view.getInt32(at, true);
    at += 4;
    if (n < 0 || at + 12 * n > bytes.length) return cut(at);
    // one point: no strand grows there
    if (n > 1) curves.push(Float32Array.from({ length: 3 * n }, (_, i) => view.getFloat32(at + 4 * i, true)));
    at += 12 * n;
  }
  return plain(curves);
}
