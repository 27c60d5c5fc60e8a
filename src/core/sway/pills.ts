/**
 * Pills: tapered capsules that stand for the skin or a garment around one joint, fitted to the vertices that follow it.
 * Places are metres in the world frame of the rest pose.
 */
import type { Vec3 } from '../math/vec';
import type { Surface } from '../mesh/surface';

export interface Pill {
  /** Node of the character that carries it. */
  node: number;
  a: Vec3;
  b: Vec3;
  radiusA: number;
  radiusB: number;
  /** Name of the mesh group it was fitted to, for people. */
  source: string;
  /** m; Coulomb's coefficient: its own, where it differs from the settings. */
  gap?: number;
  friction?: number;
  /** Of a fitted one: share of its vertices it reaches to within `COVERS`, and share of its own surface outside skin and cloth. */
  cover?: number;
  sticksOut?: number;
}

/**
 * Signed distance from a point to a tapered capsule given on scalars; writes the outward unit normal to `out[0..3)` and the
 * place along the axis (0…1) to `out[3]`. Exact outside, and inside except near the axis.
 */
export function pillDistance(
  px: number, py: number, pz: number, ax: number, ay: number, az: number, bx: number, by: number, bz: number, ra: number, rb: number, out: Float64Array,
): number {
  const N = NUMBERS;
  N[0] = px; N[1] = py; N[2] = pz; N[3] = ax; N[4] = ay; N[5] = az; N[6] = bx; N[7] = by; N[8] = bz; N[9] = ra; N[10] = rb;
  return pillDistanceAt(N, 0, N, 3, N, 9, out);
}
const NUMBERS = new Float64Array(11);

/** An end that is so much wider than the other as a share of their distance holds it. */
export const SWALLOWED = 0.999;
/** The same of place `k` of `P` to the pill whose ends are the six numbers from `o` on in `ends`, its radii the two from `r` on in `radii`: numbers in arrays, for inner loops. */
export function pillDistanceAt(P: Float64Array, k: number, ends: Float64Array, o: number, radii: Float64Array, r: number, out: Float64Array): number {
  const ax = ends[o], ay = ends[o + 1], az = ends[o + 2], ra = radii[r], rb = radii[r + 1];
  let ux = ends[o + 3] - ax, uy = ends[o + 4] - ay, uz = ends[o + 5] - az;
  const length = Math.sqrt(ux * ux + uy * uy + uz * uz);
  const il = length > 1e-9 ? 1 / length : 0;
  ux *= il; uy *= il; uz *= il;
  const qx = P[k] - ax, qy = P[k + 1] - ay, qz = P[k + 2] - az;
  const y = qx * ux + qy * uy + qz * uz;
  const rho = Math.sqrt(Math.max(0, qx * qx + qy * qy + qz * qz - y * y));
  const sine = (ra - rb) * il;
  // where one end holds the other there is nothing but that end
  let t = ra - rb >= SWALLOWED * length ? 0 : rb - ra >= SWALLOWED * length ? 1 : (y - (rho * sine) / Math.sqrt(1 - sine * sine)) * il;
  t = t < 0 ? 0 : t > 1 ? 1 : t;
  const nx = qx - ux * t * length, ny = qy - uy * t * length, nz = qz - uz * t * length;
  const d = Math.sqrt(nx * nx + ny * ny + nz * nz);
  const i = d > 1e-12 ? 1 / d : 0;
  out[0] = nx * i; out[1] = d > 1e-12 ? ny * i : 1; out[2] = nz * i; out[3] = t;
  return d - (ra + (rb - ra) * t);
}

/** How far from round the vertices of a last joint may be, as a share of the radius, before they are split in two. */
const SPLIT_ABOVE = 0.1;
const FEWEST_VERTICES = 24;
const MOST_SAMPLES = 160;
/** Weight of the first guess, so that an open patch of skin cannot draw a pill without bounds; along a bone, and for a last joint. */
const BONE_PRIOR = 0.3, ROUND_PRIOR = 0.03;
/** A vertex inside the pill counts this much more than one outside: better a little too slim than out of the skin. */
const INSIDE_WEIGHT = 2;
/** Distance from which a vertex counts as an outlier, m. */
const FAR = 0.008;

interface Guess { a: Vec3; b: Vec3; radiusA: number; radiusB: number; largest: number; prior: number }

/**
 * Pills for the vertices that follow one joint. A joint with others below it gets one along each bone to them; a last joint
 * (a head, say) gets one along its longest direction, split while the shape is far from round.
 *
 * `points` 3 × vertices, m, rest pose; `joint` its place; `below` the places of the joints below it.
 */
export function fitPills(points: Float64Array, node: number, joint: Vec3, below: readonly Vec3[], source: string): Pill[] {
  const bones: Vec3[] = [];
  for (const end of below) {
    // bones that hardly differ are one
    if (distance(joint, end) > 0.03 && bones.every((b) => distance(b, end) > 0.06)) bones.push(end);
  }
  if (bones.length === 0) return fitRound(points, node, source, 3);
  const shares: number[][] = bones.map(() => []);
  for (let v = 0; v < points.length; v += 3) {
    let best = 0, least = Infinity;
    bones.forEach((end, k) => { const d = toSegment(points, v, joint, end).distance; if (d < least) { least = d; best = k; } });
    shares[best].push(points[v], points[v + 1], points[v + 2]);
  }
  return bones.flatMap((end, k) => {
    const own = shares[k];
    if (own.length < 3 * FEWEST_VERTICES) return [];
    const low: number[] = [], high: number[] = [], all: number[] = [];
    for (let v = 0; v < own.length; v += 3) { const { distance: d, t } = toSegment(own, v, joint, end); all.push(d); (t < 0.5 ? low : high).push(d); }
    const typical = (list: number[]): number => { const l = (list.length >= 8 ? list : all).slice().sort((x, y) => x - y); return l[Math.floor(0.35 * l.length)]; };
    const radiusA = typical(low), radiusB = typical(high);
    const fit = fitOne(Float64Array.from(own), { a: joint, b: end, radiusA, radiusB, largest: 1.25 * Math.max(radiusA, radiusB), prior: BONE_PRIOR }, node, source);
    return fit ? [fit.pill] : [];
  });
}

function fitRound(points: Float64Array, node: number, source: string, most: number): Pill[] {
  const count = points.length / 3;
  if (count < FEWEST_VERTICES) return [];
  const { centre, axes, reach } = principalAxes(points);
  let radius = 0;
  for (let v = 0; v < points.length; v += 3) {
    const y = along(points, v, centre, axes[0]);
    radius += Math.sqrt(Math.max(0, (points[v] - centre[0]) ** 2 + (points[v + 1] - centre[1]) ** 2 + (points[v + 2] - centre[2]) ** 2 - y * y)) / count;
  }
  const largest = 1.04 * reach[1];
  radius = Math.min(radius, largest);
  const half = Math.max(reach[0] - radius, 0.15 * radius);
  const end = (side: number): Vec3 => [0, 1, 2].map((k) => centre[k] + side * half * axes[0][k]) as Vec3;
  const fit = fitOne(points, { a: end(-1), b: end(1), radiusA: radius, radiusB: radius, largest, prior: ROUND_PRIOR }, node, source);
  if (fit === null) return [];
  if (most <= 1 || fit.rms <= SPLIT_ABOVE * radius || count < 3 * FEWEST_VERTICES) return [fit.pill];
  const halves: number[][] = [[], []];
  for (let v = 0; v < points.length; v += 3) halves[along(points, v, centre, axes[0]) > 0 ? 1 : 0].push(points[v], points[v + 1], points[v + 2]);
  const upper = Math.ceil(most / 2);
  const parts = halves.flatMap((h, i) => fitRound(Float64Array.from(h), node, source, i === 0 ? most - upper : upper));
  return parts.length === 0 ? [fit.pill] : parts;
}

const distance = (a: Vec3, b: Vec3): number => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
function toSegment(points: ArrayLike<number>, v: number, a: Vec3, b: Vec3): { distance: number; t: number } {
  const u = [b[0] - a[0], b[1] - a[1], b[2] - a[2]], q = [points[v] - a[0], points[v + 1] - a[1], points[v + 2] - a[2]];
  const t = Math.min(1, Math.max(0, (q[0] * u[0] + q[1] * u[1] + q[2] * u[2]) / (u[0] ** 2 + u[1] ** 2 + u[2] ** 2 || 1)));
  return { distance: Math.hypot(q[0] - t * u[0], q[1] - t * u[1], q[2] - t * u[2]), t };
}
const along = (points: ArrayLike<number>, v: number, centre: Vec3, axis: Vec3): number => (points[v] - centre[0]) * axis[0] + (points[v + 1] - centre[1]) * axis[1] + (points[v + 2] - centre[2]) * axis[2];

/** Centre, the longest direction and the next across it, and half the extent along each and along the third. */
function principalAxes(points: Float64Array): { centre: Vec3; axes: [Vec3, Vec3]; reach: [number, number, number] } {
  const n = points.length / 3;
  const centre: Vec3 = [0, 0, 0];
  for (let v = 0; v < points.length; v++) centre[v % 3] += points[v] / n;
  const c = [0, 0, 0, 0, 0, 0];
  for (let v = 0; v < points.length; v += 3) {
    const x = points[v] - centre[0], y = points[v + 1] - centre[1], z = points[v + 2] - centre[2];
    c[0] += x * x; c[1] += x * y; c[2] += x * z; c[3] += y * y; c[4] += y * z; c[5] += z * z;
  }
  const longest = (start: Vec3, without: Vec3 | null): Vec3 => {
    let axis = start;
    for (let k = 0; k < 40; k++) {
      let [x, y, z] = axis;
      if (without) { const d = x * without[0] + y * without[1] + z * without[2]; x -= d * without[0]; y -= d * without[1]; z -= d * without[2]; }
      const next: Vec3 = [c[0] * x + c[1] * y + c[2] * z, c[1] * x + c[3] * y + c[4] * z, c[2] * x + c[4] * y + c[5] * z];
      const l = Math.hypot(...next) || 1;
      axis = [next[0] / l, next[1] / l, next[2] / l];
    }
    return axis;
  };
  const first = longest([0.36, 0.8, 0.48], null), second = longest([0.8, -0.36, 0.48], first);
  const third: Vec3 = [first[1] * second[2] - first[2] * second[1], first[2] * second[0] - first[0] * second[2], first[0] * second[1] - first[1] * second[0]];
  const reach = (axis: Vec3): number => { let most = 0; for (let v = 0; v < points.length; v += 3) most = Math.max(most, Math.abs(along(points, v, centre, axis))); return most; };
  return { centre, axes: [first, second], reach: [reach(first), reach(second), reach(third)] };
}

/** Levenberg–Marquardt on the eight numbers of a pill, from a first guess. */
function fitOne(points: Float64Array, first: Guess, node: number, source: string): { pill: Pill; rms: number } | null {
  const n = points.length / 3;
  const stride = Math.max(1, Math.floor(n / MOST_SAMPLES));
  const sample: number[] = [];
  for (let v = 0; v < n; v += stride) sample.push(points[3 * v], points[3 * v + 1], points[3 * v + 2]);
  const m = sample.length / 3;
  const out = new Float64Array(4);
  const { largest } = first, radius = Math.max(first.radiusA, first.radiusB);
  if (!(radius > 1e-4)) return null;
  const guess = [...first.a, ...first.b, first.radiusA, first.radiusB];
  const p = guess.slice(), w = first.prior * Math.sqrt(m);
  const residuals = (q: number[]): Float64Array => Float64Array.from({ length: m + 8 }, (_, i) => {
    if (i >= m) return w * (q[i - m] - guess[i - m]);
    const d = pillDistance(sample[3 * i], sample[3 * i + 1], sample[3 * i + 2], q[0], q[1], q[2], q[3], q[4], q[5], q[6], q[7], out);
    // vertices far outside (ears, a lapel) pull less: Huber's loss, *from memory*
    return d < 0 ? INSIDE_WEIGHT * d : d < FAR ? d : Math.sqrt(FAR * (2 * d - FAR));
  });
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
    for (const k of [6, 7]) trial[k] = Math.min(largest, Math.max(trial[k], 0.2 * radius));
    const rt = residuals(trial), c = cost(rt);
    if (c < best) {
      const gain = best - c;
      p.splice(0, 8, ...trial);
      r = rt;
      best = c;
      damping = Math.max(damping / 4, 1e-7);
      if (gain < 1e-5 * best) break;
    } else {
      damping *= 8;
      if (damping > 1e6) break;
    }
  }
  if (!p.every(Number.isFinite)) return null;
  return { pill: { node, source, a: [p[0], p[1], p[2]], b: [p[3], p[4], p[5]], radiusA: p[6], radiusB: p[7] }, rms: Math.sqrt(r.subarray(0, m).reduce((s, d) => s + d * d, 0) / m) };
}

/** A point of a pill farther than this from every surface, with no surface beyond it, sticks out, m. */
const STICKS_OUT = 0.01;
/** How far beyond a point of a pill skin or cloth may lie to cover it, m. */
const COVERED_WITHIN = 0.3;
/** Share of a pill's surface that may stick out. */
const MAY_STICK_OUT = 0.14;
/** A pill that must shrink below this share of its fit does not stand for its vertices and is left out. */
const SMALLEST_SHARE = 0.35;
const PILL_SAMPLES = 90;

/** A vertex no further outside a pill than this is covered, m. */
export const COVERS = 0.003;

/** Share of the vertices (3 × n, m) that a pill covers. */
export function coverOf(pill: Pick<Pill, 'a' | 'b' | 'radiusA' | 'radiusB'>, points: ArrayLike<number>, wider = 0): number {
  const out = new Float64Array(4), n = points.length / 3;
  let covered = 0;
  for (let v = 0; v < 3 * n; v += 3) if (pillDistance(points[v], points[v + 1], points[v + 2], ...pill.a, ...pill.b, pill.radiusA + wider, pill.radiusB + wider, out) <= COVERS) covered++;
  return n > 0 ? covered / n : 0;
}

/** Widens a pill, by no more than half, until it covers the wanted share of the vertices. */
export function widenToCover(pill: Pill, points: ArrayLike<number>, wanted: number): Pill {
  if (coverOf(pill, points) >= wanted) return pill;
  let low = 0, high = 0.5 * Math.max(pill.radiusA, pill.radiusB);
  if (coverOf(pill, points, high) < wanted) low = high;
  for (let k = 0; k < 12 && low < high; k++) {
    const mid = (low + high) / 2;
    if (coverOf(pill, points, mid) < wanted) low = mid;
    else high = mid;
  }
  return { ...pill, radiusA: pill.radiusA + high, radiusB: pill.radiusB + high };
}

/** Shrinks a pill until no more than the given share of it sticks out of the skin and cloth it stands for; null where nothing useful is left. */
export function shrinkInto(pill: Pill, surface: Surface, mayStickOut = MAY_STICK_OUT): Pill | null {
  const sticksOut = (share: number): number => {
    let outside = 0;
    for (let i = 0; i < PILL_SAMPLES; i++) {
      const { place, out } = pillPoint(pill, share, i);
      // not by the side of the nearest face: cloth with a thickness has an inner face that looks inward
      const beyond = surface.raycast(place, out);
      if (beyond && beyond.distance < COVERED_WITHIN) continue;
      if (!surface.nearest(place, STICKS_OUT)) outside++;
    }
    return outside / PILL_SAMPLES;
  };
  const scaled = (share: number): Pill => ({ ...pill, radiusA: pill.radiusA * share, radiusB: pill.radiusB * share, sticksOut: sticksOut(share) });
  if (sticksOut(1) <= mayStickOut) return scaled(1);
  if (sticksOut(SMALLEST_SHARE) > mayStickOut) return null;
  let low = SMALLEST_SHARE, high = 1;
  for (let k = 0; k < 5; k++) {
    const mid = (low + high) / 2;
    if (sticksOut(mid) <= mayStickOut) low = mid;
    else high = mid;
  }
  return scaled(low);
}

/** i-th of `PILL_SAMPLES` points spread over a pill's surface: a spiral over the sphere, its halves drawn apart. */
function pillPoint(pill: Pill, share: number, i: number): { place: Vec3; out: Vec3 } {
  const u = [0, 1, 2].map((k) => pill.b[k] - pill.a[k]), length = Math.hypot(...u);
  const z = length > 1e-9 ? u.map((v) => v / length) : [0, 1, 0];
  const x = Math.abs(z[0]) < 0.9 ? [1, 0, 0] : [0, 1, 0];
  const d = x[0] * z[0] + x[1] * z[1] + x[2] * z[2];
  const a = x.map((v, k) => v - d * z[k]), al = Math.hypot(...a), e = a.map((v) => v / al);
  const f = [z[1] * e[2] - z[2] * e[1], z[2] * e[0] - z[0] * e[2], z[0] * e[1] - z[1] * e[0]];
  const mean = 0.5 * (pill.radiusA + pill.radiusB) * share;
  // arc length along the outline: cap, flank, cap
  const s = ((i + 0.5) / PILL_SAMPLES) * (length + 2 * mean), angle = 2.399963 * i;
  const t = Math.min(1, Math.max(0, (s - mean) / (length || 1e-9)));
  const height = s < mean ? s / mean - 1 : s > mean + length ? (s - mean - length) / mean : 0;
  const r = (pill.radiusA + (pill.radiusB - pill.radiusA) * t) * share, side = Math.sqrt(Math.max(0, 1 - height * height));
  const out = [0, 1, 2].map((k) => height * z[k] + side * (Math.cos(angle) * e[k] + Math.sin(angle) * f[k])) as Vec3;
  return { place: [0, 1, 2].map((k) => pill.a[k] + u[k] * t + r * out[k]) as Vec3, out };
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
