/**
 * Curves of an OpenUSD layer, from its text or its binary form: BasisCurves and NurbsCurves with the transforms above them.
 * **Source:** OpenUSD documentation of UsdGeomBasisCurves, UsdGeomXformOp and UsdGeomImageable, *from memory*.
 */
import { Matrix4, Vector3, Vector4 } from 'three';
import { NURBSCurve } from 'three/addons/curves/NURBSCurve.js';
import type { CurvesRead } from './curves';
import { failure } from './result';
import { composed } from './usd-compose';
import type { UsdLayer } from './usda-read';

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

/** The curves of a layer, where they stand at first. `binary`: read by the parser of that form, which leaves references unread. */
export function curvesOfLayer({ specsByPath }: UsdLayer, binary = false): CurvesRead {
  const curves: Float32Array[] = [], warnings: string[] = [], { specs, patterns } = composed(specsByPath, warnings), root = specs['/']?.fields ?? {};
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
  /** Switched off, not to be seen, or only a pattern for others; and so is what lies below. */
  const absent = (path: string): boolean => {
    for (let p = path; p.length > 1; p = p.replace(/\/[^/]*$/, '')) {
      const f = specs[p]?.fields;
      if (f && (f.active === false || f.specifier === 'class' || f.specifier === 2 || patterns.has(p) || word(`${p}.visibility`, '') === 'invisible')) return true;
    }
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
  if (off > 0) warnings.push(`${off === 1 ? 'A set of curves that is' : `${off} sets of curves that are`} switched off in it, not to be seen, or a pattern for others, is left out.`);
  if (unknown.size > 0) warnings.push(`Not applied, as it is not known here: ${[...unknown].slice(0, 4).join(', ')}. Place the curves by hand.`);
  const others = new Set(Object.values(specs).flatMap(({ fields: { references, payload, subLayers } }) => [references, payload, subLayers].flat(2)).flatMap((v) => (v && typeof v === 'object' && typeof (v as { asset?: unknown }).asset === 'string' ? [(v as { asset: string }).asset] : [])).filter((v) => v !== ''));
  if (others.size > 0) {
    const names = [...others].slice(0, 3).map((v) => `“${v}”`).join(', ');
    if (curves.length === 0) return failure('unsupported', `It holds no curves itself but refers to ${names}. Bring that file in, or export it flattened.`);
    warnings.push(`What it refers to is left out: ${names}.`);
  }
  if (binary && Object.values(specs).some(({ fields }) => fields.references === null || fields.payload === null)) {
    const what = 'takes over from other prims or files, which is not followed in the binary form: save it as text (.usda), or flattened';
    if (curves.length === 0) return failure('unsupported', `It holds no curves itself but ${what}.`);
    warnings.push(`Something in it ${what}.`);
  }
  const up = String(root.upAxis ?? '').toUpperCase(), metres = Number(root.metersPerUnit);
  return { ok: true, value: { curves: curves.filter((c) => c.length >= 6), scale: metres > 0 ? metres : root.upAxis ? 0.01 : null, up: up === 'Z' ? '+z' : up === 'Y' ? '+y' : null }, warnings };
}
