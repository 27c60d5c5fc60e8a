/**
 * Which guides a filled strand follows, and how much: nearest guides by distance over the rest surface.
 *
 * w = ((1 − d/r)₊)² / (d² + ε) over the four nearest, r the distance to the fifth: smooth, no pop where the set of
 * neighbours changes, exact at a guide's root. **Source:** Franke & Little's local weights for scattered data (1980),
 * *from memory*.
 */
import { weldByPosition, type Surface } from '../mesh/surface';
import { rootPlace, type Planting } from '../groom/planting';
import type { Sections } from './sections';

export interface FillWeights {
  /** 4 × strands: guides, and their weights (sum 1). A missing guide repeats the first with weight 0. */
  guides: Uint32Array;
  weights: Float32Array;
}

const KEPT = 4;
/** The guide that a strand follows most. */
export function leadOf({ guides, weights }: FillWeights, strand: number): number {
  let guide = -1;
  for (let q = KEPT * strand, most = 0; q < KEPT * (strand + 1); q++) if (weights[q] > most) { most = weights[q]; guide = guides[q]; }
  return guide;
}
/** Guides remembered at each vertex while distances spread over the mesh. */
const SPREAD = 10, SPREAD_DIVIDED = 14;
const EPSILON = 1e-10;
/** Paths along edges overshoot; up to this ratio to the straight line (and two edges more) the straight line is the better distance. */
const DETOUR = 1.35;

/**
 * `alike(g, h)` 0…1 damps guide h beside the nearest guide g: hair combed apart is not blended. `sections`: a guide beyond a line is the farther off
 * the less it may be heard, so that it leaves without a pop.
 */
export function fillWeights(surface: Surface, guides: Planting, strands: Planting, alike: (g: number, h: number) => number = () => 1, sections: Sections | null = null): FillWeights {
  const { triangles: T, positions: V } = surface, { twin } = neighboursOf(surface), divided = sections && !sections.none ? sections : null, spread = divided ? SPREAD_DIVIDED : SPREAD, field = spreadDistances(surface, guides, strands.faces, spread), count = strands.faces.length, guideCount = guides.faces.length;
  const out: FillWeights = { guides: new Uint32Array(KEPT * count), weights: new Float32Array(KEPT * count) };
  const G = new Float64Array(3 * guideCount);
  for (let g = 0; g < guideCount; g++) G.set(rootPlace(surface, guides, g), 3 * g);
  // guides that a face knows, each once, with their distances from its three corners (by its own paths)
  const first = new Int32Array(T.length / 3).fill(-1), last = new Int32Array(T.length / 3), known: number[] = [], far: number[] = [], long = new Float64Array(T.length / 3);
  const ask = (f: number): void => {
    first[f] = known.length;
    const seen = new Map<number, number>();
    for (let k = 0; k < 3; k++) {
      const v = twin[T[3 * f + k]];
      for (let q = 0; q < field.count[v]; q++) {
        const g = field.guide[spread * v + q];
        let at = seen.get(g);
        if (at === undefined) { at = known.length; seen.set(g, at); known.push(g); far.push(Infinity, Infinity, Infinity); }
        far[3 * at + k] = field.distance[spread * v + q];
      }
    }
    last[f] = known.length;
    const [A, B, C] = surface.corners(f);
    long[f] = 2 * Math.max(Math.hypot(A[0] - B[0], A[1] - B[1], A[2] - B[2]), Math.hypot(B[0] - C[0], B[1] - C[1], B[2] - C[2]), Math.hypot(C[0] - A[0], C[1] - A[1], C[2] - A[2]));
  };
  const best = new Int32Array(KEPT + 1), distance = new Float64Array(KEPT + 1);
  for (let s = 0; s < count; s++) {
    const f = strands.faces[s], b = strands.weights[2 * s], c = strands.weights[2 * s + 1], a = 1 - b - c, i = 3 * T[3 * f], j = 3 * T[3 * f + 1], k = 3 * T[3 * f + 2];
    const x = a * V[i] + b * V[j] + c * V[k], y = a * V[i + 1] + b * V[j + 1] + c * V[k + 1], z = a * V[i + 2] + b * V[j + 2] + c * V[k + 2];
    if (first[f] < 0) ask(f);
    const r0 = Math.sqrt((x - V[i]) ** 2 + (y - V[i + 1]) ** 2 + (z - V[i + 2]) ** 2), r1 = Math.sqrt((x - V[j]) ** 2 + (y - V[j + 1]) ** 2 + (z - V[j + 2]) ** 2), r2 = Math.sqrt((x - V[k]) ** 2 + (y - V[k + 1]) ** 2 + (z - V[k + 2]) ** 2), near = long[f], grey = divided ? divided.grey(f, b, c) : 0;
    let found = 0;
    for (let q = first[f]; q < last[f]; q++) {
      const g = known[q], dx = x - G[3 * g], dy = y - G[3 * g + 1], dz = z - G[3 * g + 2], straight = Math.sqrt(dx * dx + dy * dy + dz * dz), along = Math.min(far[3 * q] + r0, far[3 * q + 1] + r1, far[3 * q + 2] + r2);
      let d = along <= DETOUR * straight + near ? straight : along;
      if (divided) { const keep = divided.reach(x, y, z, grey, g, G[3 * g], G[3 * g + 1], G[3 * g + 2]); if (keep < 1e-3) continue; d /= keep; }
      if (found > KEPT && (d > distance[KEPT] || (d === distance[KEPT] && g > best[KEPT]))) continue;
      let at = found <= KEPT ? found++ : KEPT;
      while (at > 0 && (distance[at - 1] > d || (distance[at - 1] === d && best[at - 1] > g))) { distance[at] = distance[at - 1]; best[at] = best[at - 1]; at--; }
      distance[at] = d;
      best[at] = g;
    }
    if (found === 0) {
      // an island of the plot without a guide, or all of them beyond a line: the nearest in space, this side of it if there is any
      let least = Infinity;
      for (let g = 0; g < guideCount; g++) {
        const straight = Math.hypot(x - G[3 * g], y - G[3 * g + 1], z - G[3 * g + 2]), d = divided && divided.reach(x, y, z, grey, g, G[3 * g], G[3 * g + 1], G[3 * g + 2]) < 1e-3 ? 1e3 + straight : straight;
        if (d < least) { least = d; best[0] = g; }
      }
      distance[0] = least;
      found = 1;
    }
    const r = found > KEPT ? distance[KEPT] : 1.5 * distance[found - 1] + 1e-6, o = KEPT * s;
    let sum = 0;
    for (let q = 0; q < KEPT; q++) {
      if (q >= found) { out.guides[o + q] = best[0]; out.weights[o + q] = 0; continue; }
      const d = distance[q], n = Math.max(0, 1 - d / r), w = ((n * n) / (d * d + EPSILON)) * (q === 0 ? 1 : alike(best[0], best[q]));
      out.guides[o + q] = best[q];
      out.weights[o + q] = w;
      sum += w;
    }
    if (!(sum > 0)) { out.weights[o] = 1; sum = 1; }
    for (let q = 0; q < KEPT; q++) out.weights[o + q] /= sum;
  }
  return out;
}

interface Spread { guide: Int32Array; distance: Float64Array; count: Uint8Array }
/** Neighbours of welded vertices, by mesh: they do not change from pose to pose. */
const KNOWN = new WeakMap<Uint32Array, { twin: Int32Array; first: Uint32Array; other: Uint32Array }>();
function neighboursOf({ triangles: T, positions }: Surface): { twin: Int32Array; first: Uint32Array; other: Uint32Array } {
  let known = KNOWN.get(T);
  if (known) return known;
  const twin = weldByPosition(positions), n = positions.length / 3, first = new Uint32Array(n + 1);
  for (let t = 0; t < T.length; t++) first[twin[T[t]] + 1] += 2;
  for (let v = 0; v < n; v++) first[v + 1] += first[v];
  const all = new Uint32Array(first[n]), at = first.slice();
  for (let t = 0; t < T.length; t += 3) for (let k = 0; k < 3; k++) { const a = twin[T[t + k]], b = twin[T[t + ((k + 1) % 3)]]; all[at[a]++] = b; all[at[b]++] = a; }
  // each once
  const begin = new Uint32Array(n + 1), other: number[] = [];
  for (let v = 0; v < n; v++) {
    begin[v] = other.length;
    for (let e = first[v]; e < first[v + 1]; e++) { let again = all[e] === v; for (let q = begin[v]; q < other.length && !again; q++) again = other[q] === all[e]; if (!again) other.push(all[e]); }
  }
  begin[n] = other.length;
  known = { twin, first: begin, other: Uint32Array.from(other) };
  KNOWN.set(T, known);
  return known;
}

/** Dijkstra from all guides at once until each vertex of the faces asked about knows its `most` nearest guides. */
function spreadDistances(surface: Surface, guides: Planting, asked: ArrayLike<number>, most: number): Spread {
  const { triangles: T, positions: V } = surface, { twin, first, other } = neighboursOf(surface), n = V.length / 3;
  const guide = new Int32Array(most * n).fill(-1), distance = new Float64Array(most * n), count = new Uint8Array(n), wanted = new Uint8Array(n), heap = new DistanceHeap();
  let missing = 0;
  for (let k = 0; k < asked.length; k++) for (let c = 0; c < 3; c++) { const v = twin[T[3 * asked[k] + c]]; if (!wanted[v]) { wanted[v] = 1; missing++; } }
  for (let g = 0; g < guides.faces.length; g++) {
    const p = rootPlace(surface, guides, g);
    for (let k = 0; k < 3; k++) { const v = twin[T[3 * guides.faces[g] + k]]; heap.push(Math.hypot(p[0] - V[3 * v], p[1] - V[3 * v + 1], p[2] - V[3 * v + 2]), v, g); }
  }
  while (heap.size > 0 && missing > 0) {
    heap.pop();
    const { key, vertex: v, guide: g } = heap, held = count[v];
    if (held === most) continue;
    let again = false;
    for (let q = 0; q < held; q++) if (guide[most * v + q] === g) again = true;
    if (again) continue;
    guide[most * v + held] = g;
    distance[most * v + held] = key;
    count[v] = held + 1;
    if (held + 1 === most && wanted[v]) missing--;
    for (let e = first[v]; e < first[v + 1]; e++) {
      const u = other[e], m = count[u];
      if (m === most) continue;
      let known = false;
      for (let q = 0; q < m && !known; q++) known = guide[most * u + q] === g;
      if (!known) heap.push(key + Math.sqrt((V[3 * v] - V[3 * u]) ** 2 + (V[3 * v + 1] - V[3 * u + 1]) ** 2 + (V[3 * v + 2] - V[3 * u + 2]) ** 2), u, g);
    }
  }
  return { guide, distance, count };
}

/** Binary heap ordered by key, then vertex, then guide, so that ties fall the same way everywhere. */
class DistanceHeap {
  private keys = new Float64Array(4096);
  private vertices = new Int32Array(4096);
  private guides = new Int32Array(4096);
  size = 0;
  /** Of the last that was taken out. */
  key = 0; vertex = 0; guide = 0;
  push(key: number, vertex: number, guide: number): void {
    if (this.size === this.keys.length) {
      const grown = <T extends Float64Array | Int32Array>(a: T, b: T): T => { b.set(a as never); return b; };
      this.keys = grown(this.keys, new Float64Array(2 * this.size)); this.vertices = grown(this.vertices, new Int32Array(2 * this.size)); this.guides = grown(this.guides, new Int32Array(2 * this.size));
    }
    const { keys, vertices, guides } = this;
    let i = this.size++;
    for (; i > 0;) {
      const up = (i - 1) >> 1;
      if (!(key < keys[up] || (key === keys[up] && (vertex < vertices[up] || (vertex === vertices[up] && guide < guides[up]))))) break;
      keys[i] = keys[up]; vertices[i] = vertices[up]; guides[i] = guides[up];
      i = up;
    }
    keys[i] = key; vertices[i] = vertex; guides[i] = guide;
  }
  pop(): void {
    const { keys, vertices, guides } = this;
    this.key = keys[0]; this.vertex = vertices[0]; this.guide = guides[0];
    const n = --this.size, key = keys[n], vertex = vertices[n], guide = guides[n];
    let i = 0;
    for (;;) {
      let c = 2 * i + 1;
      if (c >= n) break;
      if (c + 1 < n && (keys[c + 1] < keys[c] || (keys[c + 1] === keys[c] && (vertices[c + 1] < vertices[c] || (vertices[c + 1] === vertices[c] && guides[c + 1] < guides[c]))))) c++;
      if (!(keys[c] < key || (keys[c] === key && (vertices[c] < vertex || (vertices[c] === vertex && guides[c] < guide))))) break;
      keys[i] = keys[c]; vertices[i] = vertices[c]; guides[i] = guides[c];
      i = c;
    }
    keys[i] = key; vertices[i] = vertex; guides[i] = guide;
  }
}
