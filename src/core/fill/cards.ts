/**
 * Hair cards: ribbons that stand for many strands, with an atlas drawn from those very strands.
 *
 * Strands that run alike are gathered (k-means over places along them, from centres that are far apart), each gathering is split into layers
 * across its thickness, and gets a ribbon along its mean: as wide as it is spread, without twist but for lying to the skin.
 */
import { gatherAlike } from '../math/gather';
import { makeRandom } from '../math/random';
import type { Surface } from '../mesh/surface';
import { carry, STATE } from './steps';

export interface CardSettings {
  /** Triangles of the finest level at most. */
  triangles: number;
  /** Pieces of a card along, at the finest level, and across (1 flat, 2 bent). */
  segments: number; across: number;
  layers: number;
  /** Share of the strands that the width of a card takes in. */
  cover: number;
  /** How far the middle of a bent card stands out, as a share of its half width. */
  bow: number;
  tiles: number;
  /** Side of the square atlas, pixels. */
  atlas: number;
  levels: number;
}
export interface CardInput {
  /** 3 × nodes × strands, rest pose, m. */
  points: ArrayLike<number>; nodes: number;
  /** Shares of the length at the nodes. */
  shares: ArrayLike<number>;
  widthAt: (strand: number, node: number) => number;
  /** 3 × strands: normals of the skin at the roots. */
  normals: ArrayLike<number>;
  /** Every strand stands for so many. */
  each: number;
  surface: Surface;
}
export interface CardMesh {
  /** 3, 3, 2 × vertices; tangents (3) run root → tip. v of a uv runs root → tip. */
  positions: Float32Array; normals: Float32Array; tangents: Float32Array; uvs: Float32Array;
  indices: Uint32Array;
  /** Card of each vertex. */
  card: Uint32Array;
  cards: number;
  /** Strand that each card is rooted with: of its own the one nearest to its beginning. */
  strands: Uint32Array;
}
export interface Atlas {
  size: number;
  /** RGBA × pixels, the first row on top: share of the strand, the strand's own number, depth (128: middle), opacity; and way across and along (128: none), −, opacity. */
  looks: Uint8Array; ways: Uint8Array;
}
export interface CardSet { levels: CardMesh[]; atlas: Atlas; figures: { overlap: number; opacity: number; triangles: number[] } }

/** One card at its nodes. */
interface Ribbon { members: number[]; middle: Float64Array; side: Float64Array; normal: Float64Array; along: Float64Array; half: Float64Array; deep: number; length: number; thickness: number; tile: number }

/** Places along a strand by which strands are told apart, and how much each counts. */
const TELL = [[0, 1.8], [0.35, 1], [0.7, 0.8], [1, 0.6]] as const;
/** m: no card is narrower; layers of one place lie at least so far apart. */
const NARROWEST = 0.0015, BREADTH = 0.0004;
/** How stiffly a card keeps from twisting, against lying to the skin. */
const STIFF = 6;

export function makeCards(input: CardInput, settings: CardSettings): CardSet {
  const features = featuresOf(input), levels: CardMesh[] = [];
  let atlas: Atlas | null = null, tiles: Ribbon[] = [];
  for (let level = 0; level < settings.levels; level++) {
    const segments = Math.max(2, Math.round(settings.segments / 1.6 ** level)), across = level === 0 ? settings.across : 1, wanted = Math.max(1, Math.floor(settings.triangles / 4 ** level / (2 * segments * across))), layers = Math.max(1, Math.min(settings.layers, wanted, level === 0 ? 99 : level === 1 ? 2 : 1)), groups = gatherAlike(features, 3 * TELL.length, Math.max(1, Math.floor(wanted / layers)));
    const ribbons = groups.flatMap((g) => layersOf(input, g, layers).map((members) => ribbonOf(input, members, segments, settings.cover))).filter((r): r is Ribbon => r !== null);
    spreadLayers(ribbons);
    if (level === 0) { tiles = tilesFrom(ribbons, settings.tiles); atlas = drawAtlas(input, tiles, settings); }
    for (const r of ribbons) r.tile = tileFor(r, tiles);
    levels.push(meshOf(input, ribbons, segments, across, settings, tiles.length));
  }
  const figures = { ...overlapOf(input, levels[0], atlas!), triangles: levels.map((m) => m.indices.length / 3) };
  return { levels, atlas: atlas!, figures };
}

/** Places along each strand, weighted: 3 × `TELL` numbers a strand. */
function featuresOf({ points, nodes, shares }: CardInput): Float32Array {
  const n = points.length / (3 * nodes), out = new Float32Array(3 * TELL.length * n);
  for (let s = 0; s < n; s++) TELL.forEach(([t, w], q) => {
    let k = 0;
    while (k < nodes - 1 && shares[k] < t - 1e-6) k++;
    for (let c = 0; c < 3; c++) out[3 * TELL.length * s + 3 * q + c] = w * points[3 * (nodes * s + k) + c];
  });
  return out;
}

/** Strands of a gathering from the skin outwards, in so many layers. */
function layersOf({ points, nodes, normals }: CardInput, members: number[], layers: number): number[][] {
  if (layers < 2 || members.length < 2 * layers) return [members];
  const mid = nodes >> 1, n = [0, 0, 0], c = [0, 0, 0];
  for (const s of members) for (let k = 0; k < 3; k++) { n[k] += normals[3 * s + k]; c[k] += points[3 * (nodes * s + mid) + k] / members.length; }
  const out = (s: number): number => [0, 1, 2].reduce((sum, k) => sum + n[k] * (points[3 * (nodes * s + mid) + k] - c[k]), 0), sorted = [...members].sort((a, b) => out(a) - out(b) || a - b);
  return Array.from({ length: layers }, (_, l) => sorted.slice(Math.floor((l * sorted.length) / layers), Math.floor(((l + 1) * sorted.length) / layers))).filter((m) => m.length > 0);
}

/** Place of strand s at a share of its length. */
function placeAt({ points, nodes, shares }: CardInput, s: number, t: number, out: Float64Array): void {
  let k = 0;
  while (k < nodes - 2 && shares[k + 1] < t) k++;
  const f = Math.max(0, Math.min(1, (t - shares[k]) / (shares[k + 1] - shares[k]))), o = 3 * (nodes * s + k);
  for (let c = 0; c < 3; c++) out[c] = points[o + c] + f * (points[o + 3 + c] - points[o + c]);
}

function ribbonOf(input: CardInput, members: number[], segments: number, cover: number): Ribbon | null {
  const N = segments + 1, middle = new Float64Array(3 * N), side = new Float64Array(3 * N), normal = new Float64Array(3 * N), along = new Float64Array(3 * N), half = new Float64Array(N), p = new Float64Array(3);
  for (let j = 0; j < N; j++) for (const s of members) { placeAt(input, s, j / segments, p); for (let c = 0; c < 3; c++) middle[3 * j + c] += p[c] / members.length; }
  // the mean is shorter than its strands: as long as most of them
  const lengths = members.map((s) => lengthOf(input, s)).sort((a, b) => a - b), wanted = lengths[Math.floor(0.8 * (lengths.length - 1))];
  let own = 0;
  for (let j = 1; j < N; j++) own += Math.hypot(middle[3 * j] - middle[3 * j - 3], middle[3 * j + 1] - middle[3 * j - 2], middle[3 * j + 2] - middle[3 * j - 1]);
  if (!(own > 1e-6) || !(wanted > 1e-6)) return null;
  const grown = middle.slice(), k = Math.min(1.25, wanted / own);
  for (let j = 1; j < N; j++) for (let c = 0; c < 3; c++) grown[3 * j + c] = grown[3 * j - 3 + c] + k * (middle[3 * j + c] - middle[3 * j - 3 + c]);
  middle.set(grown);
  // it begins behind most of its roots, not in their midst
  const t = [0, 1, 2].map((c) => middle[3 + c] - middle[c]), tl = Math.hypot(...t) || 1, backs = members.map((s) => [0, 1, 2].reduce((sum, c) => sum - ((input.points[3 * input.nodes * s + c] - middle[c]) * t[c]) / tl, 0)).sort((a, b) => a - b), back = Math.max(0, Math.min(0.5 * tl, backs[Math.floor(0.85 * (backs.length - 1))]));
  for (let c = 0; c < 3; c++) middle[c] -= (back * t[c]) / tl;
  frameOf(input, members, middle, N, along, normal, side);
  // as wide as the strands are spread, smoothly
  const far: number[] = [], deep: number[] = [];
  for (let j = 0; j < N; j++) {
    far.length = 0;
    for (const s of members) {
      placeAt(input, s, j / segments, p);
      const x = p[0] - middle[3 * j], y = p[1] - middle[3 * j + 1], z = p[2] - middle[3 * j + 2];
      far.push(Math.abs(x * side[3 * j] + y * side[3 * j + 1] + z * side[3 * j + 2]));
      deep.push(Math.abs(x * normal[3 * j] + y * normal[3 * j + 1] + z * normal[3 * j + 2]));
    }
    far.sort((a, b) => a - b);
    half[j] = Math.max(NARROWEST / 2, far[Math.min(far.length - 1, Math.floor(cover * far.length))] + 0.5 * input.widthAt(members[0], 0));
  }
  for (let round = 0; round < 2; round++) { const was = half.slice(); for (let j = 0; j < N; j++) half[j] = 0.25 * was[Math.max(0, j - 1)] + 0.5 * was[j] + 0.25 * was[Math.min(N - 1, j + 1)]; }
  keepOut(input.surface, middle, normal, side, half, N);
  deep.sort((a, b) => a - b);
  const strandWidth = members.reduce((sum, s) => sum + input.widthAt(s, input.nodes >> 1), 0) * input.each;
  return { members, middle, side, normal, along, half, deep: deep[Math.floor(0.9 * (deep.length - 1))], length: wanted, thickness: strandWidth / (2 * half[segments >> 1]), tile: 0 };
}
function lengthOf({ points, nodes }: CardInput, s: number): number {
  let sum = 0;
  for (let k = 1; k < nodes; k++) { const o = 3 * (nodes * s + k); sum += Math.hypot(points[o] - points[o - 3], points[o + 1] - points[o - 2], points[o + 2] - points[o - 1]); }
  return sum;
}

/**
 * Frames along the middle: carried without twist as treatments carry them, then turned about the tangent toward the normal of the nearest
 * skin, as far as that turns smoothly: angles a with the least of Σ w (a − wanted)² + STIFF Σ (aⱼ − aⱼ₋₁)², solved as one tridiagonal row after the other (Thomas).
 */
function frameOf({ normals, surface }: CardInput, members: number[], P: Float64Array, N: number, T: Float64Array, out: Float64Array, side: Float64Array): void {
  for (let j = 0; j < N; j++) {
    const a = 3 * Math.max(0, j - 1), b = 3 * Math.min(N - 1, j + 1), x = P[b] - P[a], y = P[b + 1] - P[a + 1], z = P[b + 2] - P[a + 2], l = Math.hypot(x, y, z) || 1;
    T[3 * j] = x / l; T[3 * j + 1] = y / l; T[3 * j + 2] = z / l;
  }
  let r = [0, 0, 0];
  for (const s of members) for (let c = 0; c < 3; c++) r[c] += normals[3 * s + c];
  const across = (v: number[], j: number): number[] => { const d = v[0] * T[3 * j] + v[1] * T[3 * j + 1] + v[2] * T[3 * j + 2], w = [0, 1, 2].map((c) => v[c] - d * T[3 * j + c]), l = Math.hypot(...w); return l > 1e-3 * Math.hypot(...v) ? w.map((x) => x / l) : []; };
  r = across(r, 0);
  if (r.length === 0) r = across(Math.abs(T[0]) < 0.7 ? [1, 0, 0] : [0, 1, 0], 0);
  const R = new Float64Array(3 * N), wanted = new Float64Array(N), weight = new Float64Array(N), S = new Float64Array(STATE), put = (to: number, from: ArrayLike<number>, o: number): void => { for (let c = 0; c < 3; c++) S[to + c] = from[o + c]; };
  put(26, P, 0); put(29, T, 0); put(32, r, 0);
  R.set(r);
  for (let j = 1; j < N; j++) { put(0, P, 3 * j); put(14, T, 3 * j); carry(S); R.set(S.subarray(32, 35), 3 * j); }
  for (let j = 0; j < N; j++) {
    const o = 3 * j, hit = surface.nearest([P[o], P[o + 1], P[o + 2]], 0.12), u = [R[o], R[o + 1], R[o + 2]], t = [T[o], T[o + 1], T[o + 2]], v = [t[1] * u[2] - t[2] * u[1], t[2] * u[0] - t[0] * u[2], t[0] * u[1] - t[1] * u[0]];
    // away from the skin, that is: from its nearest place, and at it by its normal
    const away = hit ? [0, 1, 2].map((c) => hit.normal[c] + (hit.distance > 0.002 ? (P[o + c] - hit.point[c]) / hit.distance : 0)) : [];
    const x = hit ? dot(away, u) : 0, y = hit ? dot(away, v) : 0, sure = Math.hypot(x, y);
    wanted[j] = Math.atan2(y, x);
    if (j > 0) wanted[j] += 2 * Math.PI * Math.round((wanted[j - 1] - wanted[j]) / (2 * Math.PI));
    // hair that stands straight up lies to no skin: it keeps how it began
    weight[j] = Math.max(1e-4, hit ? sure * Math.exp(-hit.distance / 0.06) : 0);
  }
  const up = new Float64Array(N), a = new Float64Array(N);
  for (let j = 0; j < N; j++) {
    const before = j > 0 ? STIFF : 0, after = j < N - 1 ? STIFF : 0, pivot = weight[j] + before + after - (j > 0 ? before * up[j - 1] : 0);
    up[j] = after / pivot;
    a[j] = (weight[j] * wanted[j] + (j > 0 ? before * a[j - 1] : 0)) / pivot;
  }
  for (let j = N - 2; j >= 0; j--) a[j] += up[j] * a[j + 1];
  for (let j = 0; j < N; j++) {
    const o = 3 * j, u = [R[o], R[o + 1], R[o + 2]], t = [T[o], T[o + 1], T[o + 2]], v = [t[1] * u[2] - t[2] * u[1], t[2] * u[0] - t[0] * u[2], t[0] * u[1] - t[1] * u[0]], c = Math.cos(a[j]), s = Math.sin(a[j]);
    for (let q = 0; q < 3; q++) out[o + q] = c * u[q] + s * v[q];
    side[o] = out[o + 1] * T[o + 2] - out[o + 2] * T[o + 1]; side[o + 1] = out[o + 2] * T[o] - out[o] * T[o + 2]; side[o + 2] = out[o] * T[o + 1] - out[o + 1] * T[o];
  }
}
/** m: so far a card stays off the skin, and looks for it. */
const OFF = 0.0012, LOOK = 0.02;
/** Lifts a card where it, its edges or the middles of its pieces lie in the skin. */
function keepOut(surface: Surface, P: Float64Array, out: Float64Array, side: Float64Array, half: Float64Array, N: number): void {
  const below = (x: number, y: number, z: number): number => { const hit = surface.nearest([x, y, z], LOOK); return hit ? OFF - ((x - hit.point[0]) * hit.normal[0] + (y - hit.point[1]) * hit.normal[1] + (z - hit.point[2]) * hit.normal[2]) : 0; };
  for (let round = 0; round < 2; round++) for (let j = 0; j < N; j++) {
    const o = 3 * j, h = Math.min(j + 1, N - 1) * 3;
    let lift = 0;
    for (const x of [-0.8, 0, 0.8]) lift = Math.max(lift, below(P[o] + x * half[j] * side[o], P[o + 1] + x * half[j] * side[o + 1], P[o + 2] + x * half[j] * side[o + 2]));
    lift = Math.max(lift, below(0.5 * (P[o] + P[h]), 0.5 * (P[o + 1] + P[h + 1]), 0.5 * (P[o + 2] + P[h + 2])));
    lift = Math.min(lift, 0.012);
    if (lift > 0) for (let c = 0; c < 3; c++) P[o + c] += lift * out[o + c];
  }
}
const dot = (a: readonly number[], b: readonly number[]): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];

/** Cards that would lie in one another are lifted a hair's breadth apart. */
function spreadLayers(ribbons: Ribbon[]): void {
  for (let i = 1; i < ribbons.length; i++) {
    const a = ribbons[i - 1], b = ribbons[i], mid = 3 * ((a.half.length - 1) >> 1), rise = [0, 1, 2].reduce((s, c) => s + b.normal[mid + c] * (b.middle[mid + c] - a.middle[mid + c]), 0), aside = Math.hypot(...[0, 1, 2].map((c) => b.middle[mid + c] - a.middle[mid + c]));
    if (aside > 2 * a.half[mid / 3] || Math.abs(rise) >= BREADTH) continue;
    for (let j = 1; j < b.half.length; j++) for (let c = 0; c < 3; c++) b.middle[3 * j + c] += (BREADTH - Math.abs(rise)) * b.normal[3 * j + c];
  }
}

/** Ribbons the atlas is drawn from: of all thicknesses alike. */
function tilesFrom(ribbons: Ribbon[], tiles: number): Ribbon[] {
  const sorted = [...ribbons].sort((a, b) => a.thickness - b.thickness), n = Math.min(tiles, sorted.length);
  return Array.from({ length: n }, (_, k) => {
    // of those about as thick the one with the most strands tells most
    const part = sorted.slice(Math.floor((k * sorted.length) / n), Math.max(Math.floor((k * sorted.length) / n) + 1, Math.floor(((k + 1) * sorted.length) / n)));
    return part.reduce((a, b) => (b.members.length > a.members.length ? b : a));
  });
}
function tileFor(r: Ribbon, tiles: Ribbon[]): number {
  const own = tiles.indexOf(r);
  if (own >= 0) return own;
  let best = 0;
  tiles.forEach((t, k) => { if (Math.abs(Math.log(t.thickness / r.thickness)) < Math.abs(Math.log(tiles[best].thickness / r.thickness))) best = k; });
  return best;
}

/** Pixels between tiles, on each side. */
const GUTTER = 2;
/** Draws the strands of each tile's ribbon into it, root on top: over one another from the skin outwards. */
function drawAtlas(input: CardInput, tiles: Ribbon[], { atlas: size }: CardSettings): Atlas {
  const looks = new Uint8Array(4 * size * size), ways = new Uint8Array(4 * size * size), wide = size / tiles.length, p = new Float64Array(3), random = makeRandom(11), own = Float32Array.from({ length: 4096 }, () => random());
  const L = new Float32Array(4 * Math.ceil(wide) * size), W = new Float32Array(2 * Math.ceil(wide) * size);
  tiles.forEach((r, tile) => {
    const x0 = Math.floor(tile * wide), columns = Math.floor((tile + 1) * wide) - x0, inner = columns - 2 * GUTTER, N = r.half.length, segments = N - 1;
    L.fill(0);
    W.fill(0);
    const depth = (s: number): number => { placeAt(input, s, 0.5, p); const o = 3 * (segments >> 1); return [0, 1, 2].reduce((sum, c) => sum + r.normal[o + c] * (p[c] - r.middle[o + c]), 0); };
    for (const { s, z } of r.members.map((m) => ({ s: m, z: depth(m) })).sort((a, b) => a.z - b.z || a.s - b.s)) {
      const share = Math.min(1, lengthOf(input, s) / r.length);
      let before = NaN;
      for (let y = 0; y < size; y++) {
        const v = (y + 0.5) / size, t = v / share;
        if (t > 1) break;
        placeAt(input, s, t, p);
        const at = v * segments, j = Math.min(segments - 1, Math.floor(at)), f = at - j, o = 3 * j;
        let x = 0;
        for (let c = 0; c < 3; c++) { const m = r.middle[o + c] + f * (r.middle[o + 3 + c] - r.middle[o + c]); x += (r.side[o + c] + f * (r.side[o + 3 + c] - r.side[o + c])) * (p[c] - m); }
        const half = r.half[j] + f * (r.half[j + 1] - r.half[j]), u = GUTTER + inner * (0.5 + (0.5 * x) / half);
        // each strand stands for several: as wide as they are together, up to a tenth of the card
        let k = 0;
        while (k < input.nodes - 1 && input.shares[k] < t) k++;
        const w = Math.min(0.1 * inner, (input.widthAt(s, k) * input.each * inner) / (2 * half));
        const way = Number.isNaN(before) ? 0 : Math.max(-1, Math.min(1, u - before));
        before = u;
        for (let c = Math.max(GUTTER, Math.floor(u - w / 2)); c <= Math.min(columns - GUTTER - 1, Math.floor(u + w / 2)); c++) {
          const a = Math.max(0, Math.min(c + 1, u + w / 2) - Math.max(c, u - w / 2)), q = y * columns + c;
          if (a <= 0) continue;
          const over = (old: number, value: number, was: number): number => (a * value + (1 - a) * was * old) / Math.max(1e-6, a + (1 - a) * was), was = L[4 * q + 3];
          L[4 * q] = over(L[4 * q], t, was); L[4 * q + 1] = over(L[4 * q + 1], own[s & 4095], was); L[4 * q + 2] = over(L[4 * q + 2], Math.max(-1, Math.min(1, z / Math.max(1e-4, 2 * r.deep))), was);
          W[2 * q] = over(W[2 * q], way, was); W[2 * q + 1] = over(W[2 * q + 1], 1, was);
          L[4 * q + 3] = a + (1 - a) * was;
        }
      }
    }
    for (let y = 0; y < size; y++) for (let c = 0; c < columns; c++) {
      const q = y * columns + c, o = 4 * (y * size + x0 + c), l = Math.hypot(W[2 * q], W[2 * q + 1]) || 1, byte = (v: number): number => Math.max(0, Math.min(255, Math.round(v)));
      looks[o] = byte(255 * L[4 * q]); looks[o + 1] = byte(255 * L[4 * q + 1]); looks[o + 2] = byte(128 + 127 * L[4 * q + 2]); looks[o + 3] = byte(255 * L[4 * q + 3]);
      ways[o] = byte(128 + (127 * W[2 * q]) / l); ways[o + 1] = byte(128 + (127 * W[2 * q + 1]) / l); ways[o + 3] = looks[o + 3];
    }
  });
  return { size, looks, ways };
}

function meshOf({ points, nodes }: CardInput, ribbons: Ribbon[], segments: number, across: number, { atlas, bow }: CardSettings, tiles: number): CardMesh {
  const N = segments + 1, M = across + 1, vertices = ribbons.length * N * M, positions = new Float32Array(3 * vertices), normals = new Float32Array(3 * vertices), tangents = new Float32Array(3 * vertices), uvs = new Float32Array(2 * vertices), indices = new Uint32Array(6 * ribbons.length * segments * across), card = new Uint32Array(vertices), strands = new Uint32Array(ribbons.length);
  let i = 0;
  ribbons.forEach((r, n) => {
    const base = n * N * M, wide = 1 / tiles, gutter = GUTTER / atlas;
    let near = Infinity;
    for (const s of r.members) { const o = 3 * nodes * s, d = Math.hypot(points[o] - r.middle[0], points[o + 1] - r.middle[1], points[o + 2] - r.middle[2]); if (d < near) { near = d; strands[n] = s; } }
    for (let j = 0; j < N; j++) for (let m = 0; m < M; m++) {
      const v = base + j * M + m, x = (2 * m) / across - 1, rise = across > 1 ? bow * r.half[j] * (1 - x * x) : 0, lean = across > 1 ? -2 * bow * x : 0, o = 3 * j, l = Math.hypot(1, lean);
      for (let c = 0; c < 3; c++) {
        positions[3 * v + c] = r.middle[o + c] + x * r.half[j] * r.side[o + c] + rise * r.normal[o + c];
        normals[3 * v + c] = (r.normal[o + c] - lean * r.side[o + c]) / l;
        tangents[3 * v + c] = r.along[o + c];
      }
      uvs[2 * v] = r.tile * wide + gutter + (wide - 2 * gutter) * (0.5 + 0.5 * x);
      uvs[2 * v + 1] = j / segments;
      card[v] = n;
    }
    for (let j = 0; j < segments; j++) for (let m = 0; m < across; m++) {
      const a = base + j * M + m, b = a + M;
      // seen from the normal's side the corners run against the clock
      indices.set([a, b, a + 1, a + 1, b, b + 1], i);
      i += 6;
    }
  });
  return { positions, normals, tangents, uvs, indices, card, cards: ribbons.length, strands };
}

// ------------------------------------------------------------ how well cards stand for strands

const SIDES: readonly (readonly [number, number, number])[] = [[0, 0, 1], [0, 0, -1], [1, 0, 0], [-1, 0, 0], [0.6, 0.5, 0.62], [-0.6, 0.5, -0.62]];
const PIXELS = 220;
/** Above this opacity a place counts as covered. */
const COVERED = 0.5;

/** Seen from six sides: covered by both over covered by either (by area), and the mean difference of opacity where either covers anything. */
function overlapOf(input: CardInput, mesh: CardMesh, atlas: Atlas): { overlap: number; opacity: number } {
  let both = 0, either = 0, differ = 0, any = 0;
  for (const d of SIDES) {
    const up = Math.abs(d[1]) < 0.9 ? [0, 1, 0] : [1, 0, 0], u = unit([up[1] * d[2] - up[2] * d[1], up[2] * d[0] - up[0] * d[2], up[0] * d[1] - up[1] * d[0]]), v = [d[1] * u[2] - d[2] * u[1], d[2] * u[0] - d[0] * u[2], d[0] * u[1] - d[1] * u[0]];
    const box = [Infinity, -Infinity, Infinity, -Infinity], P = input.points;
    for (let o = 0; o < P.length; o += 3) { const x = P[o] * u[0] + P[o + 1] * u[1] + P[o + 2] * u[2], y = P[o] * v[0] + P[o + 1] * v[1] + P[o + 2] * v[2]; box[0] = Math.min(box[0], x); box[1] = Math.max(box[1], x); box[2] = Math.min(box[2], y); box[3] = Math.max(box[3], y); }
    const cell = Math.max(box[1] - box[0], box[3] - box[2]) / (PIXELS - 8), at = (p: ArrayLike<number>, o: number): [number, number] => [(p[o] * u[0] + p[o + 1] * u[1] + p[o + 2] * u[2] - box[0]) / cell + 4, (p[o] * v[0] + p[o + 1] * v[1] + p[o + 2] * v[2] - box[2]) / cell + 4];
    const S = new Float32Array(PIXELS * PIXELS).fill(1), C = new Float32Array(PIXELS * PIXELS).fill(1);
    for (let s = 0; s < P.length / (3 * input.nodes); s++) for (let k = 1; k < input.nodes; k++) {
      const [x0, y0] = at(P, 3 * (input.nodes * s + k - 1)), [x1, y1] = at(P, 3 * (input.nodes * s + k)), l = Math.hypot(x1 - x0, y1 - y0), steps = Math.max(1, Math.ceil(l)), a = Math.min(1, (input.widthAt(s, k) * input.each) / cell) * (l / steps);
      for (let q = 0; q < steps; q++) { const f = (q + 0.5) / steps, x = Math.floor(x0 + f * (x1 - x0)), y = Math.floor(y0 + f * (y1 - y0)); if (x >= 0 && y >= 0 && x < PIXELS && y < PIXELS) S[y * PIXELS + x] *= 1 - Math.min(1, a); }
    }
    for (let t = 0; t < mesh.indices.length; t += 3) drawCard(C, [0, 1, 2].map((c) => { const w = mesh.indices[t + c]; return [...at(mesh.positions, 3 * w), mesh.uvs[2 * w], mesh.uvs[2 * w + 1]]; }), atlas);
    for (let q = 0; q < S.length; q++) {
      const a = 1 - S[q], b = 1 - C[q];
      if (a > COVERED && b > COVERED) both++;
      if (a > COVERED || b > COVERED) either++;
      if (a > 0.02 || b > 0.02) { any++; differ += Math.abs(a - b); }
    }
  }
  return { overlap: either > 0 ? both / either : 0, opacity: any > 0 ? differ / any : 0 };
}
function drawCard(left: Float32Array, [a, b, c]: number[][], { size, looks }: Atlas): void {
  const area = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
  if (Math.abs(area) < 1e-9) return;
  for (let y = Math.max(0, Math.floor(Math.min(a[1], b[1], c[1]))); y <= Math.min(PIXELS - 1, Math.max(a[1], b[1], c[1])); y++) for (let x = Math.max(0, Math.floor(Math.min(a[0], b[0], c[0]))); x <= Math.min(PIXELS - 1, Math.max(a[0], b[0], c[0])); x++) {
    const px = x + 0.5, py = y + 0.5, p = ((b[0] - px) * (c[1] - py) - (b[1] - py) * (c[0] - px)) / area, q = ((c[0] - px) * (a[1] - py) - (c[1] - py) * (a[0] - px)) / area, r = 1 - p - q;
    if (p < 0 || q < 0 || r < 0) continue;
    const u = Math.min(size - 1, Math.floor((p * a[2] + q * b[2] + r * c[2]) * size)), v = Math.min(size - 1, Math.floor((p * a[3] + q * b[3] + r * c[3]) * size));
    left[y * PIXELS + x] *= 1 - looks[4 * (v * size + u) + 3] / 255;
  }
}
function unit(v: number[]): number[] { const l = Math.hypot(...v) || 1; return v.map((x) => x / l); }
