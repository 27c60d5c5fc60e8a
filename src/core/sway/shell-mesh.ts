/** What is found of a shell's mesh once, from its rest pose: its layers, patches of neighbours, and how far round each triangle it is as good as flat. */

import { looseParts, neighbours, weldByPosition } from '../mesh/surface';

/** Triangles of a patch. */
export const PATCH = 16;
/** Normals that differ more than this (cosine): something lies between. */
export const BENDS = 0.97;
/** Triangles that are looked at round one, and m: as far as is looked; both ends of an edge look along it. */
const MOST_AROUND = 160, FARTHEST = 0.015;

/** Triangles sorted by patches of neighbours, grown from the nearest outwards so that they stay round, and where each begins. */
export function patchesOf(triangles: Uint32Array, opposite: Int32Array, rest: ArrayLike<number>): { order: number[]; starts: number[] } {
  const n = triangles.length / 3, taken = new Uint8Array(n), order: number[] = [], starts = [0], middle = new Float64Array(3 * n), waiting: number[] = [];
  for (let t = 0; t < n; t++) for (let q = 0; q < 3; q++) for (let c = 0; c < 3; c++) middle[3 * t + c] += rest[3 * triangles[3 * t + q] + c] / 3;
  for (let seed = 0; seed < n; seed++) {
    if (taken[seed]) continue;
    // patches of one part of the mesh lie side by side: the next one begins at the rim of the last
    waiting.push(seed);
    while (waiting.length > 0) {
      const begin = waiting.pop()!;
      if (taken[begin]) continue;
      const front = [begin];
      let grown = 0;
      taken[begin] = 1;
      while (front.length > 0 && grown < PATCH) {
        let best = 0, least = Infinity;
        front.forEach((t, k) => { const d = (middle[3 * t] - middle[3 * begin]) ** 2 + (middle[3 * t + 1] - middle[3 * begin + 1]) ** 2 + (middle[3 * t + 2] - middle[3 * begin + 2]) ** 2; if (d < least) { least = d; best = k; } });
        const t = front.splice(best, 1)[0];
        order.push(t);
        grown++;
        for (let e = 0; e < 3; e++) { const h = opposite[3 * t + e], other = (h / 3) | 0; if (h >= 0 && !taken[other]) { taken[other] = 1; front.push(other); } }
      }
      for (const t of front) { taken[t] = 0; waiting.push(t); }
      starts.push(order.length);
    }
  }
  return { order, starts };
}

/** m, for each triangle: so far from its middle, along the mesh, every triangle faces as it does. */
export function evenReach(triangles: Uint32Array, opposite: Int32Array, rest: ArrayLike<number>): Float32Array {
  const n = triangles.length / 3, out = new Float32Array(n), middles = new Float64Array(3 * n), normals = new Float64Array(3 * n), seen = new Int32Array(n).fill(-1), queue = new Int32Array(MOST_AROUND);
  for (let t = 0; t < n; t++) {
    const a = 3 * triangles[3 * t], b = 3 * triangles[3 * t + 1], c = 3 * triangles[3 * t + 2], ux = rest[b] - rest[a], uy = rest[b + 1] - rest[a + 1], uz = rest[b + 2] - rest[a + 2], vx = rest[c] - rest[a], vy = rest[c + 1] - rest[a + 1], vz = rest[c + 2] - rest[a + 2];
    const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx, l = 1 / Math.max(1e-30, Math.sqrt(x * x + y * y + z * z));
    normals[3 * t] = x * l; normals[3 * t + 1] = y * l; normals[3 * t + 2] = z * l;
    for (let k = 0; k < 3; k++) middles[3 * t + k] = (rest[a + k] + rest[b + k] + rest[c + k]) / 3;
  }
  for (let t = 0; t < n; t++) {
    let count = 1, far = FARTHEST;
    queue[0] = t;
    seen[t] = t;
    for (let q = 0; q < count; q++) for (let e = 0; e < 3; e++) {
      const h = opposite[3 * queue[q] + e], other = (h / 3) | 0;
      if (h < 0 || seen[other] === t) continue;
      seen[other] = t;
      const i = 3 * t, j = 3 * other, d = Math.sqrt((middles[j] - middles[i]) ** 2 + (middles[j + 1] - middles[i + 1]) ** 2 + (middles[j + 2] - middles[i + 2]) ** 2);
      if (d >= far) continue;
      // what faces another way ends it; so does the first that there is no room to look beyond
      if (normals[i] * normals[j] + normals[i + 1] * normals[j + 1] + normals[i + 2] * normals[j + 2] < BENDS || count === MOST_AROUND) far = d;
      else queue[count++] = other;
    }
    out[t] = far;
  }
  return out;
}

/** Parts that overlap are told apart so often; the rest of them stays together. */
const MOST_LAYERS = 6;
/** Share of border edges up to which a part encloses a volume. */
const OPEN = 0.02;

/**
 * A closed mesh in layers whose parts do not overlap each other: a knot that is stuck into a scarf, an eye in its head. In one shell
 * the hidden faces of the one would speak for the inside of the other. Triangles of each layer; the mesh itself where one is enough.
 */
export function layersOf(triangles: Uint32Array, rest: ArrayLike<number>): Uint32Array[] {
  const weld = weldByPosition(rest), partOf = looseParts(triangles, weld), welded = triangles.map((v) => weld[v]), opposite = neighbours(welded);
  const parts = new Map<number, { faces: number[]; borders: number; box: Float64Array }>();
  for (let t = 0; t < welded.length; t += 3) {
    const r = partOf[welded[t]], part = parts.get(r) ?? { faces: [], borders: 0, box: Float64Array.of(Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity) };
    parts.set(r, part);
    part.faces.push(t / 3);
    for (let k = 0; k < 3; k++) {
      if (opposite[t + k] < 0) part.borders++;
      for (let c = 0; c < 3; c++) { const v = rest[3 * welded[t + k] + c]; part.box[c] = Math.min(part.box[c], v); part.box[3 + c] = Math.max(part.box[3 + c], v); }
    }
  }
  // the largest first; open parts are no inside of anything, and stay with it
  const ordered = [...parts.values()].sort((a, b) => b.faces.length - a.faces.length || a.faces[0] - b.faces[0]), layers: { faces: number[]; boxes: Float64Array[] }[] = [];
  for (const { faces, borders, box } of ordered) {
    const closed = borders < OPEN * 3 * faces.length, free = (boxes: Float64Array[]): boolean => boxes.every((b) => [0, 1, 2].some((c) => b[c] > box[3 + c] || b[3 + c] < box[c]));
    let layer = layers.find((l, k) => !closed || free(l.boxes) || k === MOST_LAYERS - 1);
    if (!layer) layers.push((layer = { faces: [], boxes: [] }));
    for (const f of faces) layer.faces.push(f);
    if (closed) layer.boxes.push(box);
  }
  if (layers.length < 2) return [triangles];
  return layers.map(({ faces }) => { const out = new Uint32Array(3 * faces.length); faces.sort((a, b) => a - b).forEach((f, k) => out.set(triangles.subarray(3 * f, 3 * f + 3), 3 * k)); return out; });
}
