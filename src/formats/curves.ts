/**
 * Curves from any of the files they come in: glTF lines, OBJ polylines, OpenUSD curves, and two plain binary layouts of strands.
 * **Sources:** glTF 2.0 specification, 3.7.2.1 (topology); OpenUSD documentation of UsdGeomBasisCurves, the binary form read through three.js's
 * parser; the `.hair` and `.data` layouts *from memory* (docs/characters.md has them).
 */
import { Matrix4, Vector3, Vector4 } from 'three';
import { NURBSCurve } from 'three/addons/curves/NURBSCurve.js';
import { USDCParser } from 'three/addons/loaders/usd/USDCParser.js';
import type { Up } from '../core/mesh/placement';
import { chainUp } from './chain-up';
import { unpackFiles, type NamedFile } from './file-set';
import { documentOf } from './gltf';
import { readObj } from './obj';
import { failure, type Result } from './result';
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

type Read = Result<Omit<CurveSet, 'fileName'>>;
const plain = (curves: Float32Array[], warnings: string[] = [], scale: number | null = null, up: Up | null = null): Read => ({ ok: true, value: { curves: curves.filter((c) => c.length >= 6), scale, up }, warnings });

async function byKind(file: NamedFile, files: readonly NamedFile[]): Promise<Read> {
  const head = new TextDecoder('latin1').decode(file.bytes.subarray(0, 16)).replace(/^\xef\xbb\xbf/, '');
  if (/\.obj$/i.test(file.name)) { const r = readObj(file.bytes); return r.ok ? plain(r.value.lines, [...(r.value.meshes.length > 0 ? ['Surfaces in it are left out.'] : []), ...r.warnings]) : r; }
  if (head.startsWith('#usda')) return fromUsd(readUsdText(new TextDecoder().decode(file.bytes)));
  if (head.startsWith('PXR-USDC')) return fromUsd(new USDCParser().parseData(file.bytes.slice().buffer) as UsdLayer);
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
/** A transform of a prim by its kind, null where it is none that is known. Source: OpenUSD, UsdGeomXformOp, *from memory*. */
function usdOp(kind: string, v: ArrayLike<number>): Matrix4 | null {
  const turn = (axis: string, degrees: number): Matrix4 => { const a = (degrees * Math.PI) / 180; return axis === 'X' ? new Matrix4().makeRotationX(a) : axis === 'Y' ? new Matrix4().makeRotationY(a) : new Matrix4().makeRotationZ(a); };
  if (!Array.from(v).every(Number.isFinite)) return null;
  if (kind === 'translate') return new Matrix4().makeTranslation(v[0], v[1], v[2]);
  if (kind === 'scale') return new Matrix4().makeScale(v[0], v[1], v[2]);
  // rows there are columns here
  if (kind === 'transform' && v.length === 16) return new Matrix4().fromArray(Array.from(v));
  if (/^rotate[XYZ]$/.test(kind)) return turn(kind[6], v[0]);
  // the first named is the first done
  if (/^rotate[XYZ]{3}$/.test(kind) && v.length === 3) return [...kind.slice(6)].reduce((m, axis) => m.premultiply(turn(axis, v['XYZ'.indexOf(axis)])), new Matrix4());
  return null;
}

/** Variants that are not chosen left out, the others put where they belong; what is said beside them counts more. */
function chosenOf(specs: UsdLayer['specsByPath'], warnings: string[]): UsdLayer['specsByPath'] {
  const out: UsdLayer['specsByPath'] = {}, first: Record<string, string> = {};
  for (const [path, spec] of Object.entries(specs)) if (!path.includes('{')) out[path] = { fields: { ...spec.fields } };
  for (const [path, { fields }] of Object.entries(specs)) {
    if (!path.includes('{')) continue;
    let taken = true;
    for (const m of path.matchAll(/\{([^=}]*)=([^}]*)\}/g)) {
      if (m[2] === '') { taken = false; continue; }
      const prim = placeOf(path.slice(0, m.index)), said = out[prim]?.fields ?? {}, choice = ((said.variantSelection ?? said.variants) as Record<string, string> | undefined)?.[m[1]], key = `${prim} ${m[1]}`;
      if (choice === undefined && first[key] === undefined) { first[key] = m[2]; warnings.push(`${prim} does not say which “${m[1]}” it is: “${m[2]}” is taken.`); }
      if ((choice ?? first[key]) !== m[2]) taken = false;
    }
    if (taken) { const at = placeOf(path); out[at] = { fields: { ...fields, ...out[at]?.fields } }; }
  }
  return out;
}
const placeOf = (path: string): string => path.replace(/(?:\{[^}]*\})+\/?(?=[^./{])/g, '/').replace(/\{[^}]*\}/g, '');

/**
 * Places on a curve, 3 × points, as many as its control points or a few less. A cubic goes by its control points; the places are where it is: at the ends of its pieces, and of a Bézier curve twice within.
 * **Source:** OpenUSD documentation of UsdGeomBasisCurves (bases, and `pinned`), *from memory*.
 */
function onCurve(P: Float32Array, basis: string, pinned: boolean): Float32Array {
  const n = P.length / 3;
  if (basis === 'bezier') {
    if (n < 4 || n % 3 !== 1) return P;
    return Float32Array.from(P, (x, a) => {
      const i = Math.floor(a / 3), t = (i % 3) / 3, o = a - 3 * (i % 3), u = 1 - t;
      return t === 0 ? x : u * u * u * P[o] + 3 * u * u * t * P[o + 3] + 3 * u * t * t * P[o + 6] + t * t * t * P[o + 9];
    });
  }
  if (basis === 'bspline') {
    if (n < (pinned ? 2 : 4)) return P;
    // beyond a pinned end lies its neighbour, mirrored: so it is on the curve itself
    const at = (i: number, c: number): number => (i < 0 ? 2 * P[c] - P[3 + c] : i >= n ? 2 * P[3 * n - 3 + c] - P[3 * n - 6 + c] : P[3 * i + c]), from = pinned ? 0 : 1;
    return Float32Array.from({ length: 3 * (n - 2 * from) }, (_, a) => { const i = from + Math.floor(a / 3), c = a % 3; return (at(i - 1, c) + 4 * at(i, c) + at(i + 1, c)) / 6; });
  }
  // through its points; but for the ends, which only say how it leaves
  return basis === 'catmullRom' && !pinned && n >= 4 ? P.slice(3, -3) : P;
}
/** The same of a curve with knots of its own; null where they do not fit. */
function onNurbs(P: Float32Array, order: number, knots: readonly number[], weights: readonly number[] | null): Float32Array | null {
  const n = P.length / 3;
  if (!(order >= 2) || knots.length !== n + order || n < order || !knots.every((k, i) => Number.isFinite(k) && (i === 0 || k >= knots[i - 1])) || knots[n] <= knots[order - 1]) return null;
  const curve = new NURBSCurve(order - 1, [...knots], Array.from({ length: n }, (_, i) => new Vector4(P[3 * i], P[3 * i + 1], P[3 * i + 2], weights?.[i] ?? 1)), order - 1, n), out = new Float32Array(3 * n), v = new Vector3();
  for (let i = 0; i < n; i++) curve.getPoint(i / (n - 1), v).toArray(out, 3 * i);
  return out;
}

function fromUsd({ specsByPath }: UsdLayer): Read {
  const curves: Float32Array[] = [], warnings: string[] = [], specs = chosenOf(specsByPath, warnings), root = specs['/']?.fields ?? {};
  const value = (path: string): ArrayLike<number> | null => {
    const f = specs[path]?.fields, samples = f?.timeSamples as { values?: unknown[] } | undefined, v = f?.default ?? samples?.values?.[0];
    if (!v || typeof v !== 'object') return null;
    const list = v as ArrayLike<unknown>;
    // points come flat or in threes, by the parser
    return typeof list[0] === 'number' ? (list as ArrayLike<number>) : Array.from(list, (p) => Array.from(p as ArrayLike<number>)).flat();
  };
  const word = (path: string, otherwise: string): string => { const v = specs[path]?.fields.default; return typeof v === 'string' ? v : otherwise; };
  const unknown = new Set<string>(), above = (path: string): Matrix4 => {
    const m = new Matrix4();
    for (let p = path; p.length > 1; p = p.replace(/\/[^/]*$/, '')) {
      // the parser of the binary form may keep it with the prim
      const order = specs[`${p}.xformOpOrder`]?.fields.default ?? specs[p]?.fields.xformOpOrder;
      if (!Array.isArray(order)) continue;
      const local = new Matrix4();
      for (const op of order as string[]) {
        if (op === '!resetXformStack!') continue;
        const inverse = op.startsWith('!invert!'), name = op.replace('!invert!', ''), one = usdOp(name.split(':')[1] ?? '', value(`${p}.${name}`) ?? [Number(specs[`${p}.${name}`]?.fields.default)]);
        if (!one) { unknown.add(name); continue; }
        local.multiply(inverse ? one.invert() : one);
      }
      m.premultiply(local);
      if ((order as string[]).includes('!resetXformStack!')) break;
    }
    return m;
  };
  /** Switched off, or only a pattern for others; and so is what lies below. */
  const absent = (path: string): boolean => {
    for (let p = path; p.length > 1; p = p.replace(/\/[^/]*$/, '')) { const f = specs[p]?.fields; if (f && (f.active === false || f.specifier === 'class' || f.specifier === 2)) return true; }
    return false;
  };
  let off = 0;
  for (const [path, spec] of Object.entries(specs)) {
    const nurbs = spec.fields.typeName === 'NurbsCurves';
    if (spec.fields.typeName !== 'BasisCurves' && !nurbs) continue;
    if (absent(path)) { off++; continue; }
    const counts = value(`${path}.curveVertexCounts`), points = value(`${path}.points`);
    if (!counts || !points) { warnings.push(`${path} has no points and is left out.`); continue; }
    const world = above(path), place = new Vector3(), cubic = word(`${path}.type`, 'cubic') === 'cubic', basis = word(`${path}.basis`, 'bezier'), pinned = word(`${path}.wrap`, 'nonperiodic') === 'pinned';
    const times = (specs[`${path}.points`]?.fields.timeSamples as { times?: ArrayLike<number> } | undefined)?.times;
    if (times && times.length > 1 && specs[`${path}.points`].fields.default === undefined) warnings.push(`${path} moves: its shape at ${times[0]}, the first of ${times.length} times, is taken.`);
    const orders = value(`${path}.order`), knots = value(`${path}.knots`), weights = value(`${path}.pointWeights`);
    let o = 0, knot = 0, rough = false;
    for (let k = 0; k < counts.length; k++) {
      const n = counts[k];
      if (!Number.isInteger(n) || n < 0 || 3 * (o + n) > points.length) return failure('invalid', `${path}: its curves need more points than the ${Math.floor(points.length / 3).toLocaleString('en')} it has. Export it again.`, path);
      const curve = new Float32Array(3 * n);
      for (let i = 0; i < n; i++) place.set(points[3 * (o + i)], points[3 * (o + i) + 1], points[3 * (o + i) + 2]).applyMatrix4(world).toArray(curve, 3 * i);
      if (nurbs) {
        const order = Number(orders?.[k]), own = Array.from({ length: Math.max(0, n + (order || 0)) }, (_, i) => knots?.[knot + i] ?? NaN), on = n < 2 ? curve : onNurbs(curve, order, own, weights && weights.length >= o + n ? Array.from({ length: n }, (_, i) => weights[o + i]) : null);
        knot += n + (order || 0);
        if (!on) rough = true;
        curves.push(on ?? curve);
      } else curves.push(cubic ? onCurve(curve, basis, pinned) : curve);
      o += n;
    }
    if (rough) warnings.push(`${path}: its knots do not fit its points, which are taken as they are.`);
  }
  if (off > 0) warnings.push(`${off === 1 ? 'A set of curves that is' : `${off} sets of curves that are`} switched off in it is left out.`);
  if (unknown.size > 0) warnings.push(`Not applied, as it is not known here: ${[...unknown].slice(0, 4).join(', ')}. Place the curves by hand.`);
  const others = new Set(Object.values(specs).flatMap(({ fields: { references, payload, subLayers } }) => [references, payload, subLayers].flat(2)).flatMap((v) => (v && typeof v === 'object' && typeof (v as { asset?: unknown }).asset === 'string' ? [(v as { asset: string }).asset] : [])).filter((v) => v !== ''));
  if (others.size > 0) {
    const names = [...others].slice(0, 3).map((v) => `“${v}”`).join(', ');
    if (curves.length === 0) return failure('unsupported', `It holds no curves itself but refers to ${names}. Bring that file in, or export it flattened.`);
    warnings.push(`What it refers to is left out: ${names}.`);
  }
  const up = String(root.upAxis ?? '').toUpperCase(), metres = Number(root.metersPerUnit);
  return plain(curves, warnings, metres > 0 ? metres : root.upAxis ? 0.01 : null, up === 'Z' ? '+z' : up === 'Y' ? '+y' : null);
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
