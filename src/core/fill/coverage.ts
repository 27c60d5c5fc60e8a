/**
 * Coverage: how much of a plot's skin shows between the strands, as seen from outside.
 *
 * From each direction the skin is drawn into a grid of depths, then each strand over it: a stretch that lies before the skin takes from
 * each cell it crosses the share that its width covers there. What is left of a cell is the light that still reaches the skin, and
 * a place on the skin is as bare as its cell in the directions that face it, weighted by how squarely they do.
 */
import type { Surface } from '../mesh/surface';

/** Cells along the longer side; more see finer gaps and take longer. */
const CELLS = 640;
/** m: a strand nearer the skin than this counts as before it. */
const TOLERANCE = 0.0015;
/** Skin seen flatter than this is not judged from there: cosine. */
const FLATTEST = 0.2;

/** Fourteen directions all round: axes and corners of a cube. */
export const ALL_ROUND: readonly (readonly [number, number, number])[] = [
  ...[0, 1, 2].flatMap((c) => [1, -1].map((s) => [0, 1, 2].map((k) => (k === c ? s : 0)) as [number, number, number])),
  ...[1, -1].flatMap((x) => [1, -1].flatMap((y) => [1, -1].map((z) => [x / Math.sqrt(3), y / Math.sqrt(3), z / Math.sqrt(3)] as [number, number, number]))),
];

/**
 * How many times as many strands, or as thick, leave `wanted` of the skin bare where `bare` of it is: what lies anywhere leaves e^−a bare, with a the area of the strands beside that
 * of the skin. **Source:** Poisson coverage, *from memory*.
 */
export const timesToCover = (bare: number, wanted: number): number => Math.log(wanted) / Math.log(Math.min(bare, 1 - 1e-9));

export interface CoverageInput {
  surface: Surface;
  /** Faces of the plot. */
  faces: ArrayLike<number>;
  /** 3 × nodes × strands, m; all strands have `nodes` points. */
  points: ArrayLike<number>;
  nodes: number;
  /** Diameter of node k of strand s, m. */
  widthAt: (strand: number, node: number) => number;
  /** Every drawn strand stands for so many. */
  each: number;
  /** Unit vectors toward the viewer. */
  directions: readonly (readonly [number, number, number])[];
}
export interface Coverage {
  /** 0 … 1 by area: how much of the plot's skin shows, of what can be seen from the directions at all. */
  bare: number;
  /** How much of each face shows; NaN where none of the directions sees it. */
  faces: Float32Array;
  /** Faces that show most, the barest first, no two within 3 cm. */
  spots: { face: number; bare: number }[];
}

export function coverage(input: CoverageInput): Coverage {
  const { surface, faces, directions } = input, n = faces.length, sum = new Float64Array(n), weight = new Float64Array(n);
  for (const d of directions) seenFrom(input, d, sum, weight);
  const out = new Float32Array(n).fill(NaN);
  let bare = 0, area = 0;
  for (let k = 0; k < n; k++) {
    if (!(weight[k] > 0)) continue;
    out[k] = sum[k] / weight[k];
    const a = surface.area(faces[k]);
    bare += a * out[k];
    area += a;
  }
  return { bare: area > 0 ? bare / area : 0, faces: out, spots: barest(surface, faces, out) };
}

function barest(surface: Surface, faces: ArrayLike<number>, bare: Float32Array): Coverage['spots'] {
  const APART = 0.03, MOST = 40, SHOWS = 0.35, order = Array.from(bare.keys()).filter((k) => bare[k] > SHOWS).sort((a, b) => bare[b] - bare[a] || a - b), places: number[][] = [], out: Coverage['spots'] = [];
  for (const k of order) {
    const p = surface.place(faces[k], [1 / 3, 1 / 3, 1 / 3]);
    if (places.some((q) => Math.hypot(q[0] - p[0], q[1] - p[1], q[2] - p[2]) < APART)) continue;
    places.push(p);
    out.push({ face: faces[k], bare: bare[k] });
    if (out.length === MOST) break;
  }
  return out;
}

function seenFrom({ surface, faces, points, nodes, widthAt, each }: CoverageInput, d: readonly [number, number, number], sum: Float64Array, weight: Float64Array): void {
  const { positions: P, triangles: T } = surface, up = Math.abs(d[1]) < 0.9 ? [0, 1, 0] : [1, 0, 0];
  const u = unit([up[1] * d[2] - up[2] * d[1], up[2] * d[0] - up[0] * d[2], up[0] * d[1] - up[1] * d[0]]), v = [d[1] * u[2] - d[2] * u[1], d[2] * u[0] - d[0] * u[2], d[0] * u[1] - d[1] * u[0]];
  const on = (a: readonly number[], x: number, y: number, z: number): number => a[0] * x + a[1] * y + a[2] * z;
  // the frame: the plot with a little room, so that cells are spent where they matter
  let lu = Infinity, hu = -Infinity, lv = Infinity, hv = -Infinity;
  for (let k = 0; k < faces.length; k++) for (let c = 0; c < 3; c++) { const o = 3 * T[3 * faces[k] + c], a = on(u, P[o], P[o + 1], P[o + 2]), b = on(v, P[o], P[o + 1], P[o + 2]); lu = Math.min(lu, a); hu = Math.max(hu, a); lv = Math.min(lv, b); hv = Math.max(hv, b); }
  const cell = Math.max(hu - lu, hv - lv, 1e-6) / (CELLS - 4), W = Math.ceil((hu - lu) / cell) + 4, H = Math.ceil((hv - lv) / cell) + 4, depth = new Float32Array(W * H).fill(-1e9), left = new Float32Array(W * H).fill(1);
  const col = (x: number, y: number, z: number): number => (on(u, x, y, z) - lu) / cell + 2, row = (x: number, y: number, z: number): number => (on(v, x, y, z) - lv) / cell + 2;
  for (let t = 0; t < T.length; t += 3) drawTriangle(depth, W, H, [0, 1, 2].map((c) => { const o = 3 * T[t + c]; return [col(P[o], P[o + 1], P[o + 2]), row(P[o], P[o + 1], P[o + 2]), on(d, P[o], P[o + 1], P[o + 2])]; }));
  for (let s = 0; s < points.length / (3 * nodes); s++) for (let i = 0; i + 1 < nodes; i++) {
    const o = 3 * (s * nodes + i), x0 = col(points[o], points[o + 1], points[o + 2]), y0 = row(points[o], points[o + 1], points[o + 2]), z0 = on(d, points[o], points[o + 1], points[o + 2]), x1 = col(points[o + 3], points[o + 4], points[o + 5]), y1 = row(points[o + 3], points[o + 4], points[o + 5]), z1 = on(d, points[o + 3], points[o + 4], points[o + 5]);
    const l = Math.hypot(x1 - x0, y1 - y0), steps = Math.max(1, Math.ceil(l)), wide = (each * 0.5 * (widthAt(s, i) + widthAt(s, i + 1))) / cell;
    // what is wider than a cell is drawn as several side by side, a cell apart, the last of what is left of the width
    const side = Math.max(1, Math.ceil(wide)), ax = l > 1e-9 ? -(y1 - y0) / l : 1, ay = l > 1e-9 ? (x1 - x0) / l : 0;
    for (let k = 0; k < steps; k++) for (let m = 0; m < side; m++) {
      const f = (k + 0.5) / steps, off = m - 0.5 * (side - 1), x = Math.floor(x0 + f * (x1 - x0) + off * ax), y = Math.floor(y0 + f * (y1 - y0) + off * ay);
      if (x < 0 || y < 0 || x >= W || y >= H) continue;
      const c = y * W + x;
      if (z0 + f * (z1 - z0) > depth[c] - TOLERANCE) left[c] *= 1 - Math.min(1, wide - m) * (l / steps);
    }
  }
  for (let k = 0; k < faces.length; k++) {
    const f = faces[k], n = surface.normal(f), facing = on(d, n[0], n[1], n[2]);
    if (facing < FLATTEST) continue;
    // four places of the face: hidden ones do not count
    for (const w of [[1 / 3, 1 / 3, 1 / 3], [0.6, 0.2, 0.2], [0.2, 0.6, 0.2], [0.2, 0.2, 0.6]]) {
      const p = surface.place(f, w), x = Math.floor(col(p[0], p[1], p[2])), y = Math.floor(row(p[0], p[1], p[2])), c = y * W + x;
      if (x < 0 || y < 0 || x >= W || y >= H || on(d, p[0], p[1], p[2]) < depth[c] - 0.004) continue;
      sum[k] += facing * left[c];
      weight[k] += facing;
    }
  }
}

/** Draws a triangle of [column, row, depth] corners; the nearest stays. */
function drawTriangle(depth: Float32Array, W: number, H: number, [a, b, c]: number[][]): void {
  const area = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
  if (Math.abs(area) < 1e-12) return;
  const x0 = Math.max(0, Math.floor(Math.min(a[0], b[0], c[0]))), x1 = Math.min(W - 1, Math.ceil(Math.max(a[0], b[0], c[0]))), y0 = Math.max(0, Math.floor(Math.min(a[1], b[1], c[1]))), y1 = Math.min(H - 1, Math.ceil(Math.max(a[1], b[1], c[1])));
  for (let y = y0; y <= y1; y++) for (let x = x0; x <= x1; x++) {
    const px = x + 0.5, py = y + 0.5, p = ((b[0] - px) * (c[1] - py) - (b[1] - py) * (c[0] - px)) / area, q = ((c[0] - px) * (a[1] - py) - (c[1] - py) * (a[0] - px)) / area, r = 1 - p - q;
    if (p < -0.02 || q < -0.02 || r < -0.02) continue;
    const z = p * a[2] + q * b[2] + r * c[2], o = y * W + x;
    if (z > depth[o]) depth[o] = z;
  }
}
function unit(v: number[]): number[] { const l = Math.hypot(...v) || 1; return v.map((x) => x / l); }
