/**
 * Which guides a filled strand follows, and how much: nearest guides by distance over the rest surface.
 *
 * w = ((1 − d/r)₊)² / (d² + ε) over the four nearest, r the distance to the fifth: smooth, no pop where the set of
 * neighbours changes, exact at a guide's root. **Source:** Franke & Little's local weights for scattered data (1980),
 * *from memory*.
 */
import { weldByPosition, type Surface } from '../mesh/surface';
import { rootPlace, type Planting } from '../groom/planting';

export interface FillWeights {
  /** 4 × strands: guides, and their weights (sum 1). A missing guide repeats the first with weight 0. */
  guides: Uint32Array;
  weights: Float32Array;
}

const KEPT = 4;
/** Guides remembered at each vertex while distances spread over the mesh. */
const SPREAD = 7;
const EPSILON = 1e-10;
/** Paths along edges overshoot; up to this ratio to the straight line (and two edges more) the straight line is the better distance. */
const DETOUR = 1.35;

/** `alike(g, h)` 0…1 damps guide h beside the nearest guide g: hair combed apart is not blended. */
export function fillWeights(surface: Surface, guides: Planting, strands: Planting, alike: (g: number, h: number) => number = () => 1): FillWeights {
  const { triangles, positions } = surface;
  const twin = weldByPosition(positions);
  const field = spreadDistances(surface, guides, twin);
  const count = strands.faces.length;
  const out: FillWeights = { guides: new Uint32Array(KEPT * count), weights: new Float32Array(KEPT * count) };
  const guidePlaces = Array.from(guides.faces, (_, g) => rootPlace(surface, guides, g));
  // candidates of one strand: the guides its triangle's corners know, nearest first
  const candidate = new Int32Array(3 * SPREAD), distance = new Float64Array(3 * SPREAD);
  for (let s = 0; s < count; s++) {
    const p = rootPlace(surface, strands, s), [A, B, C] = surface.corners(strands.faces[s]);
    const near = 2 * Math.max(Math.hypot(A[0] - B[0], A[1] - B[1], A[2] - B[2]), Math.hypot(B[0] - C[0], B[1] - C[1], B[2] - C[2]), Math.hypot(C[0] - A[0], C[1] - A[1], C[2] - A[2]));
    let found = 0;
    for (let k = 0; k < 3; k++) {
      const v = twin[triangles[3 * strands.faces[s] + k]];
      const reach = Math.hypot(p[0] - positions[3 * v], p[1] - positions[3 * v + 1], p[2] - positions[3 * v + 2]);
      for (let q = 0; q < field.count[v]; q++) {
        const g = field.guide[SPREAD * v + q], along = field.distance[SPREAD * v + q] + reach;
        let at = 0;
        while (at < found && candidate[at] !== g) at++;
        if (at === found) { candidate[found] = g; distance[found++] = along; }
        else if (along < distance[at]) distance[at] = along;
      }
    }
    for (let q = 0; q < found; q++) {
      const place = guidePlaces[candidate[q]], straight = Math.hypot(p[0] - place[0], p[1] - place[1], p[2] - place[2]);
      if (distance[q] <= DETOUR * straight + near) distance[q] = straight;
    }
    const list: [number, number][] = [];
    for (let q = 0; q < found; q++) {
      const g = candidate[q], d = distance[q];
      let at = list.length;
      while (at > 0 && (list[at - 1][1] > d || (list[at - 1][1] === d && list[at - 1][0] > g))) at--;
      if (at <= KEPT) { list.splice(at, 0, [g, d]); if (list.length > KEPT + 1) list.pop(); }
    }
    if (list.length === 0) {
      // an island of the plot without a guide: the nearest guide in space
      let best = 0, least = Infinity;
      guidePlaces.forEach((q, g) => { const d = Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]); if (d < least) { least = d; best = g; } });
      list.push([best, least]);
    }
    const r = list.length > KEPT ? list[KEPT][1] : 1.5 * list[list.length - 1][1] + 1e-6;
    let sum = 0;
    for (let k = 0; k < KEPT; k++) {
      const entry = list[Math.min(k, list.length - 1)];
      const d = entry[1], w = k < list.length ? (Math.max(0, 1 - d / r) ** 2 / (d * d + EPSILON)) * (k === 0 ? 1 : alike(list[0][0], entry[0])) : 0;
      out.guides[KEPT * s + k] = k < list.length ? entry[0] : list[0][0];
      out.weights[KEPT * s + k] = w;
      sum += w;
    }
    if (!(sum > 0)) { out.weights[KEPT * s] = 1; sum = 1; }
    for (let k = 0; k < KEPT; k++) out.weights[KEPT * s + k] /= sum;
  }
  return out;
}

/** Dijkstra from all guides at once; each vertex keeps its `SPREAD` nearest guides. */
function spreadDistances(surface: Surface, guides: Planting, twin: Int32Array): { guide: Int32Array; distance: Float64Array; count: Uint8Array } {
  const { triangles, positions } = surface;
  const n = positions.length / 3;
  const neighbours: Set<number>[] = Array.from({ length: n }, () => new Set<number>());
  for (let t = 0; t < triangles.length; t += 3) for (let k = 0; k < 3; k++) {
    const a = twin[triangles[t + k]], b = twin[triangles[t + ((k + 1) % 3)]];
    neighbours[a].add(b);
    neighbours[b].add(a);
  }
  const guide = new Int32Array(SPREAD * n).fill(-1), distance = new Float64Array(SPREAD * n), count = new Uint8Array(n);
  const gap = (a: number, b: number): number => Math.hypot(positions[3 * a] - positions[3 * b], positions[3 * a + 1] - positions[3 * b + 1], positions[3 * a + 2] - positions[3 * b + 2]);
  const heap = new MinHeap();
  guides.faces.forEach((f, g) => {
    const p = rootPlace(surface, guides, g);
    for (let k = 0; k < 3; k++) {
      const v = twin[triangles[3 * f + k]];
      heap.push(Math.hypot(p[0] - positions[3 * v], p[1] - positions[3 * v + 1], p[2] - positions[3 * v + 2]), v, g);
    }
  });
  while (heap.size > 0) {
    const { key, vertex: v, guide: g } = heap.pop();
    if (count[v] === SPREAD) continue;
    let known = false;
    for (let q = 0; q < count[v]; q++) if (guide[SPREAD * v + q] === g) known = true;
    if (known) continue;
    guide[SPREAD * v + count[v]] = g;
    distance[SPREAD * v + count[v]] = key;
    count[v]++;
    for (const u of neighbours[v]) if (count[u] < SPREAD) heap.push(key + gap(v, u), u, g);
  }
  return { guide, distance, count };
}

/** Binary heap ordered by key, then vertex, then guide, so that ties fall the same way everywhere. */
class MinHeap {
  private readonly items: { key: number; vertex: number; guide: number }[] = [];
  get size(): number { return this.items.length; }
  private before(a: number, b: number): boolean {
    const x = this.items[a], y = this.items[b];
    return x.key !== y.key ? x.key < y.key : x.vertex !== y.vertex ? x.vertex < y.vertex : x.guide < y.guide;
  }
  private swap(a: number, b: number): void { const t = this.items[a]; this.items[a] = this.items[b]; this.items[b] = t; }
  push(key: number, vertex: number, guide: number): void {
    this.items.push({ key, vertex, guide });
    for (let i = this.items.length - 1; i > 0; ) {
      const up = (i - 1) >> 1;
      if (!this.before(i, up)) break;
      this.swap(i, up);
      i = up;
    }
  }
  pop(): { key: number; vertex: number; guide: number } {
    const top = this.items[0], last = this.items.pop()!;
    if (this.items.length > 0) {
      this.items[0] = last;
      for (let i = 0; ; ) {
        let least = i;
        for (const c of [2 * i + 1, 2 * i + 2]) if (c < this.items.length && this.before(c, least)) least = c;
        if (least === i) break;
        this.swap(i, least);
        i = least;
      }
    }
    return top;
  }
}
