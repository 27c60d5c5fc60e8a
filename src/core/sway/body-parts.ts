/**
 * What of a body's skin encloses something although it is open here and there, and what of it are sheets: lashes, a beard of flaps, strips of a mane. Told loose part by loose part
 * from how large its openings are beside it, however finely it is divided: the openings of a limb that is stuck into another, or a neck, are small; a rim that goes round as much as
 * the part itself is that of a sheet, and so is one that is long for it, as of a strip that curls.
 */
import { looseParts, weldByPosition } from '../mesh/surface';

/** Openings that are so large a share of a part make a sheet of it: a limb open at one end has a tenth or less, half a ball has a half, a sheet all. *Common practice, no source.* */
const OPEN = 0.3;
/** So many times its area is the square of the length of all rims of a part that may enclose something: of a limb half, half a ball 6, a square 16, a strip four times its length by its width. *Common practice, no source.* */
const LONG = 20;
/** A body is at least so much of its area. */
const SOLID = 0.7;

export interface BodyParts {
  /** Triangles of what encloses something. */
  solid: Uint32Array;
  /** Those of the sheets, and how many there are. */
  flaps: Uint32Array;
  sheets: number;
}

const KNOWN = new WeakMap<Uint32Array, BodyParts | null>();

/** The parts of a body's skin in the rest pose (`P`: 3 × vertices, m); null where most of it encloses nothing. */
export function bodyParts(triangles: Uint32Array, P: ArrayLike<number>): BodyParts | null {
  let known = KNOWN.get(triangles);
  if (known === undefined) KNOWN.set(triangles, (known = partsOf(triangles, P)));
  return known;
}

function partsOf(T: Uint32Array, P: ArrayLike<number>): BodyParts | null {
  const weld = weldByPosition(P), part = looseParts(T, weld), rims = rimsOf(T, weld), area = new Map<number, number>(), open = new Map<number, number>(), long = new Map<number, number>();
  for (let t = 0; t < T.length; t += 3) add(area, part[T[t]], 0.5 * Math.hypot(...crossOf(P, T[t], T[t + 1], T[t + 2])));
  for (const rim of rims) {
    // area that its edges go round: half the sum of a × b, seen from anywhere
    const sum = [0, 0, 0];
    for (const [a, b] of rim) {
      crossOf(P, rim[0][0], a, b).forEach((v, c) => { sum[c] += 0.5 * v; });
      add(long, part[a], Math.hypot(P[3 * a] - P[3 * b], P[3 * a + 1] - P[3 * b + 1], P[3 * a + 2] - P[3 * b + 2]));
    }
    add(open, part[rim[0][0]], Math.hypot(...sum));
  }
  const isSheet = (r: number): boolean => (open.get(r) ?? 0) > OPEN * area.get(r)! || (long.get(r) ?? 0) ** 2 > LONG * area.get(r)!;
  let whole = 0, sheet = 0, sheets = 0;
  for (const [r, a] of area) { whole += a; if (isSheet(r)) { sheet += a; sheets++; } }
  if (!(whole > 0) || sheet > (1 - SOLID) * whole) return null;
  const pick = (wanted: boolean): Uint32Array => T.filter((_, h) => isSheet(part[T[h - (h % 3)]]) === wanted);
  return { solid: sheets === 0 ? T : pick(false), flaps: sheets === 0 ? new Uint32Array(0) : pick(true), sheets };
}
function add(sums: Map<number, number>, key: number, value: number): void { sums.set(key, (sums.get(key) ?? 0) + value); }
/** (b − a) × (c − a) of vertices. */
function crossOf(P: ArrayLike<number>, a: number, b: number, c: number): number[] {
  const u = [0, 1, 2].map((k) => P[3 * b + k] - P[3 * a + k]), v = [0, 1, 2].map((k) => P[3 * c + k] - P[3 * a + k]);
  return [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
}
/** Edges with one face, as that walks them, by what hangs together. */
function rimsOf(T: Uint32Array, weld: Int32Array): [number, number][][] {
  const faces = new Map<number, number>(), count = weld.length, edges: [number, number][] = [];
  const edge = (h: number): [number, number] => [weld[T[h]], weld[T[h - (h % 3) + ((h + 1) % 3)]]], key = ([a, b]: [number, number]): number => Math.min(a, b) * count + Math.max(a, b);
  for (let h = 0; h < T.length; h++) { const k = key(edge(h)); faces.set(k, (faces.get(k) ?? 0) + 1); }
  for (let h = 0; h < T.length; h++) { const e = edge(h); if (e[0] !== e[1] && faces.get(key(e)) === 1) edges.push(e); }
  const parent = Int32Array.from({ length: count }, (_, v) => v), root = (v: number): number => { while (parent[v] !== v) v = parent[v] = parent[parent[v]]; return v; };
  for (const [a, b] of edges) parent[root(a)] = root(b);
  const rims = new Map<number, [number, number][]>();
  for (const e of edges) { const r = root(e[0]), rim = rims.get(r); if (rim) rim.push(e); else rims.set(r, [e]); }
  return [...rims.values()];
}
