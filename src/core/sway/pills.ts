/**
 * Pills: tapered capsules that stand for the skin or a garment around one joint, fitted to the vertices that follow it.
 * Places are metres in the world frame of the rest pose.
 */
import type { Vec3 } from '../math/vec';

export interface Pill {
  /** Node of the character that carries it. */
  node: number;
  a: Vec3;
  b: Vec3;
  radiusA: number;
  radiusB: number;
  /** Name of the mesh group it was fitted to, for people. */
  source: string;
}

/**
 * Signed distance from a point to a tapered capsule given on scalars; writes the outward unit normal to `out[0..3)` and the
 * place along the axis (0…1) to `out[3]`. Exact outside, and inside except near the axis.
 */
export function pillDistance(
  px: number, py: number, pz: number, ax: number, ay: number, az: number, bx: number, by: number, bz: number, ra: number, rb: number, out: Float64Array,
): number {
  let ux = bx - ax, uy = by - ay, uz = bz - az;
  const length = Math.sqrt(ux * ux + uy * uy + uz * uz);
  const il = length > 1e-9 ? 1 / length : 0;
  ux *= il; uy *= il; uz *= il;
  const qx = px - ax, qy = py - ay, qz = pz - az;
  const y = qx * ux + qy * uy + qz * uz;
  const rho = Math.sqrt(Math.max(0, qx * qx + qy * qy + qz * qz - y * y));
  const sine = Math.max(-0.999, Math.min(0.999, (ra - rb) * il));
  let t = (y - (rho * sine) / Math.sqrt(1 - sine * sine)) * il;
  t = t < 0 ? 0 : t > 1 ? 1 : t;
  const nx = qx - ux * t * length, ny = qy - uy * t * length, nz = qz - uz * t * length;
  const d = Math.sqrt(nx * nx + ny * ny + nz * nz);
  const k = d > 1e-12 ? 1 / d : 0;
  out[0] = nx * k; out[1] = d > 1e-12 ? ny * k : 1; out[2] = nz * k; out[3] = t;
  return d - (ra + (rb - ra) * t);
}

/** How far from round a cluster may be, as a share of its radius, before it is split in two. */
const SPLIT_ABOVE = 0.08;
const FEWEST_VERTICES = 24;
const MOST_SAMPLES = 360;

/**
 * Fits one pill or up to `most` to the vertices of one joint: least squares of the signed distance, split along the
 * longest direction while the root-mean-square distance exceeds `SPLIT_ABOVE` of the radius.
 *
 * `points` 3 × vertices, m.
 */
export function fitPills(points: Float64Array, node: number, source: string, most = 3): Pill[] {
  const count = points.length / 3;
  if (count < FEWEST_VERTICES) return [];
  const fit = fitOne(points, node, source);
  if (fit === null) return [];
  const radius = 0.5 * (fit.pill.radiusA + fit.pill.radiusB);
  if (most <= 1 || fit.rms <= SPLIT_ABOVE * radius || count < 3 * FEWEST_VERTICES) return [fit.pill];
  const { centre, axis } = principalAxis(points);
  const halves: number[][] = [[], []];
  for (let v = 0; v < points.length; v += 3) {
    const side = (points[v] - centre[0]) * axis[0] + (points[v + 1] - centre[1]) * axis[1] + (points[v + 2] - centre[2]) * axis[2] > 0 ? 1 : 0;
    halves[side].push(points[v], points[v + 1], points[v + 2]);
  }
  const upper = Math.ceil(most / 2);
  const parts = halves.flatMap((h, i) => fitPills(Float64Array.from(h), node, source, i === 0 ? most - upper : upper));
  return parts.length === 0 ? [fit.pill] : parts;
}

function principalAxis(points: Float64Array): { centre: Vec3; axis: Vec3; reach: number } {
  const n = points.length / 3;
  const centre: Vec3 = [0, 0, 0];
  for (let v = 0; v < points.length; v++) centre[v % 3] += points[v] / n;
  const c = [0, 0, 0, 0, 0, 0];
  for (let v = 0; v < points.length; v += 3) {
    const x = points[v] - centre[0], y = points[v + 1] - centre[1], z = points[v + 2] - centre[2];
    c[0] += x * x; c[1] += x * y; c[2] += x * z; c[3] += y * y; c[4] += y * z; c[5] += z * z;
  }
  let axis: Vec3 = [0.36, 0.8, 0.48];
  for (let k = 0; k < 40; k++) {
    const [x, y, z] = axis;
    const next: Vec3 = [c[0] * x + c[1] * y + c[2] * z, c[1] * x + c[3] * y + c[4] * z, c[2] * x + c[4] * y + c[5] * z];
    const l = Math.hypot(...next) || 1;
    axis = [next[0] / l, next[1] / l, next[2] / l];
  }
  let reach = 0;
  for (let v = 0; v < points.length; v += 3)
    reach = Math.max(reach, Math.abs((points[v] - centre[0]) * axis[0] + (points[v + 1] - centre[1]) * axis[1] + (points[v + 2] - centre[2]) * axis[2]));
  return { centre, axis, reach };
}

/** Levenberg–Marquardt on the eight numbers of a pill. */
function fitOne(points: Float64Array, node: number, source: string): { pill: Pill; rms: number } | null {
  const { centre, axis, reach } = principalAxis(points);
  const stride = Math.max(1, Math.floor(points.length / 3 / MOST_SAMPLES));
  const sample: number[] = [];
  for (let v = 0; v < points.length / 3; v += stride) sample.push(points[3 * v], points[3 * v + 1], points[3 * v + 2]);
  const m = sample.length / 3;
  const out = new Float64Array(4);
  let radius = 0;
  for (let v = 0; v < sample.length; v += 3) {
    const q = [0, 1, 2].map((k) => sample[v + k] - centre[k]), y = q[0] * axis[0] + q[1] * axis[1] + q[2] * axis[2];
    radius += Math.sqrt(Math.max(0, q[0] ** 2 + q[1] ** 2 + q[2] ** 2 - y * y)) / m;
  }
  if (!(radius > 1e-4)) return null;
  const half = Math.max(reach - radius, 0.15 * radius);
  const p = [...centre.map((c, k) => c - axis[k] * half), ...centre.map((c, k) => c + axis[k] * half), radius, radius];
  const residuals = (q: number[]): Float64Array => Float64Array.from({ length: m }, (_, i) =>
    pillDistance(sample[3 * i], sample[3 * i + 1], sample[3 * i + 2], q[0], q[1], q[2], q[3], q[4], q[5], q[6], q[7], out));
  const cost = (r: Float64Array): number => r.reduce((s, d) => s + d * d, 0);
  let r = residuals(p), best = cost(r), damping = 1e-3;
  for (let pass = 0; pass < 40; pass++) {
    const J = p.map((_, k) => {
      const q = p.slice();
      q[k] += 1e-6;
      const d = residuals(q);
      return d.map((v, i) => (v - r[i]) * 1e6);
    });
    const A = J.map((a) => J.map((b) => a.reduce((s, v, i) => s + v * b[i], 0)));
    const g = J.map((a) => -a.reduce((s, v, i) => s + v * r[i], 0));
    const step = solveDense(A.map((row, i) => row.map((v, j) => (i === j ? v * (1 + damping) + 1e-9 : v))), g);
    const trial = p.map((v, k) => v + step[k]);
    trial[6] = Math.max(trial[6], 0.2 * radius);
    trial[7] = Math.max(trial[7], 0.2 * radius);
    const rt = residuals(trial), c = cost(rt);
    if (c < best) {
      const gain = best - c;
      p.splice(0, 8, ...trial);
      r = rt;
      best = c;
      damping = Math.max(damping / 4, 1e-7);
      if (gain < 1e-7 * best) break;
    } else {
      damping *= 8;
      if (damping > 1e6) break;
    }
  }
  if (!p.every(Number.isFinite)) return null;
  return { pill: { node, source, a: [p[0], p[1], p[2]], b: [p[3], p[4], p[5]], radiusA: p[6], radiusB: p[7] }, rms: Math.sqrt(best / m) };
}

function solveDense(A: number[][], b: number[]): number[] {
  const n = b.length, M = A.map((row, i) => [...row, b[i]]);
  for (let c = 0; c < n; c++) {
    let pivot = c;
    for (let r = c + 1; r < n; r++) if (Math.abs(M[r][c]) > Math.abs(M[pivot][c])) pivot = r;
    [M[c], M[pivot]] = [M[pivot], M[c]];
    if (Math.abs(M[c][c]) < 1e-30) continue;
    for (let r = 0; r < n; r++) {
      if (r === c) continue;
      const f = M[r][c] / M[c][c];
      for (let k = c; k <= n; k++) M[r][k] -= f * M[c][k];
    }
  }
  return M.map((row, i) => (Math.abs(row[i]) < 1e-30 ? 0 : row[n] / row[i]));
}
