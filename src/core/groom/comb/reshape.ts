/** Changes of whole guides that no stroke is needed for: how many points, how long, how far off the skin. Shapes are 3 × points × guides, m. */
import { makeRandom } from '../../math/random';
import { polylineLength, resampleEvenly } from '../polyline';

/** Another number of points on each guide; `byShape`: closer together where it bends. `error` is how far the old points are from the new strand at most, m. */
export function repoint(offsets: Float32Array, pointCount: number, wanted: number, byShape: boolean): { offsets: Float32Array; error: number } {
  const guides = offsets.length / (3 * pointCount), out = new Float32Array(3 * wanted * guides);
  let error = 0;
  for (let g = 0; g < guides; g++) {
    const strand = offsets.subarray(3 * pointCount * g, 3 * pointCount * (g + 1)), now = byShape ? resampleByShape(strand, wanted) : resampleEvenly(strand, wanted);
    out.set(now, 3 * wanted * g);
    for (let i = 0; i < pointCount; i++) error = Math.max(error, farFrom(now, strand[3 * i], strand[3 * i + 1], strand[3 * i + 2]));
  }
  return { offsets: out, error };
}
/** Spread evenly over length and turning together: half of the points follow the length, half the bends. */
function resampleByShape(strand: Float32Array, wanted: number): Float32Array {
  const n = strand.length / 3, fine = resampleEvenly(strand, Math.max(64, 4 * n)), m = fine.length / 3, turn = new Float64Array(m);
  for (let i = 1; i < m - 1; i++) {
    const a = fine.subarray(3 * i - 3, 3 * i + 6), u = [0, 1, 2].map((c) => a[3 + c] - a[c]), v = [0, 1, 2].map((c) => a[6 + c] - a[3 + c]), s = Math.hypot(...u) * Math.hypot(...v);
    turn[i] = s > 0 ? Math.acos(Math.min(1, Math.max(-1, (u[0] * v[0] + u[1] * v[1] + u[2] * v[2]) / s))) : 0;
  }
  let all = 0;
  for (const t of turn) all += t;
  const sum = new Float64Array(m);
  for (let i = 1; i < m; i++) sum[i] = sum[i - 1] + 1 / (m - 1) + (all > 1e-6 ? (0.5 * (turn[i - 1] + turn[i])) / all : 0);
  const out = new Float32Array(3 * wanted);
  for (let k = 0, i = 0; k < wanted; k++) {
    const at = (sum[m - 1] * k) / (wanted - 1);
    while (i < m - 2 && sum[i + 1] < at) i++;
    const t = sum[i + 1] > sum[i] ? Math.min(1, Math.max(0, (at - sum[i]) / (sum[i + 1] - sum[i]))) : 0;
    for (let c = 0; c < 3; c++) out[3 * k + c] = fine[3 * i + c] + t * (fine[3 * i + 3 + c] - fine[3 * i + c]);
  }
  return out;
}
/** Distance of a place from a polyline, m. */
function farFrom(line: ArrayLike<number>, x: number, y: number, z: number): number {
  let least = Infinity;
  for (let i = 0; i + 5 < line.length; i += 3) {
    const ux = line[i + 3] - line[i], uy = line[i + 4] - line[i + 1], uz = line[i + 5] - line[i + 2], d = ux * ux + uy * uy + uz * uz, t = d > 0 ? Math.min(1, Math.max(0, ((x - line[i]) * ux + (y - line[i + 1]) * uy + (z - line[i + 2]) * uz) / d)) : 0;
    least = Math.min(least, Math.hypot(x - line[i] - t * ux, y - line[i + 1] - t * uy, z - line[i + 2] - t * uz));
  }
  return least;
}

/** Scales guides to lengths (m, by guide); the shape stays. `chosen`: which. */
export function relength(offsets: Float32Array, pointCount: number, wanted: (guide: number, now: number) => number, chosen: (guide: number) => boolean): Float32Array {
  const out = offsets.slice();
  for (let g = 0; g < out.length / (3 * pointCount); g++) {
    if (!chosen(g)) continue;
    const o = 3 * pointCount * g, now = polylineLength(out, pointCount * g, pointCount), k = now > 1e-9 ? Math.max(1e-4, wanted(g, now)) / now : 1;
    for (let i = 3; i < 3 * pointCount; i++) out[o + i] = out[o + (i % 3)] + k * (out[o + i] - out[o + (i % 3)]);
  }
  return out;
}
/** A number from 1 − spread to 1 for each guide, the same for the same seed. */
export function randomShares(guides: number, spread: number, seed: number): Float64Array {
  const random = makeRandom(seed);
  return Float64Array.from({ length: guides }, () => 1 - spread * random());
}

/** Stands roots `off` metres off the skin along its normal (3 × guides, rest pose); the strands go along. */
export function rootsOff(offsets: Float32Array, pointCount: number, normals: ArrayLike<number>, off: number, chosen: (guide: number) => boolean): Float32Array {
  const out = offsets.slice();
  for (let g = 0; g < out.length / (3 * pointCount); g++) {
    if (!chosen(g)) continue;
    const o = 3 * pointCount * g;
    for (let c = 0; c < 3; c++) { const shift = off * normals[3 * g + c] - out[o + c]; for (let i = 0; i < pointCount; i++) out[o + 3 * i + c] += shift; }
  }
  return out;
}
