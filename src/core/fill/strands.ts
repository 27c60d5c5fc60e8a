/**
 * Filled strands: what each one is made of, and its shape from the guides. The shape is defined here and, line by line, in
 * `src/editor/view/hair-shaders.ts`; a test compares the two.
 */
import { hashUnit } from '../math/random';
import { clamp, smoothStep, type Vec3 } from '../math/vec';
import type { Surface } from '../mesh/surface';
import { rootPlace, scatterByArea, type Density, type Planting } from '../groom/planting';
import { fillWeights, type FillWeights } from './weights';

/** Points of a filled strand; closer together near the root. */
export const NODES = 16;
export const nodeAt = (k: number): number => Math.pow(k / (NODES - 1), 1.4);

/** Thickness of node k of strand s, m: as the view draws it, each strand a little thicker or thinner. */
export function widthAt(fill: { widthUm: number; taper: number }, s: number, k: number): number {
  const own = 0.75 + 0.5 * hashUnit(16 * s + 8);
  return fill.widthUm * 1e-6 * own * (1 + (fill.taper - 1) * smoothStep(0.3, 1, nodeAt(k)));
}

export interface FillShape {
  /** 0…1: how far strands draw together toward their nearest guide. */
  clump: number;
  /** 0…1: the same for the small locks within. */
  lock: number;
  /** m: sideways wander of single strands. */
  frizz: number;
  /** 0…1: how much shorter than its guides a strand may be. */
  lengthSpread: number;
}

export interface FilledStrands {
  roots: Planting;
  follow: FillWeights;
  /** 8 × strands: offset to the nearest guide's root (3), length share, offset to the lock's root (3), lock number. m, rest. */
  detail: Float32Array;
}

/** Strands of one lock. */
const LOCK_SIZE = 18;
const FRIZZ_WAVELENGTH = 0.03;

export interface FillCounts {
  /** Strands wanted now; always the beginning of the full list, with the same shapes. */
  count: number;
  /** Strands of the finished groom. */
  full: number;
}

/**
 * Throws strands on the plot. `offsets` are the guides' shapes (3 × pointCount × guides), by which hair combed apart is told
 * apart; fewer strands come out where `density` is nothing.
 */
export function fillPlot(surface: Surface, plotFaces: ArrayLike<number>, guides: Planting, offsets: ArrayLike<number>, pointCount: number, counts: FillCounts, seed: number, lengthSpread: number, density: Density | null = null): FilledStrands {
  const alike = (g: number, h: number): number => likeness(offsets, pointCount, g, h);
  const roots = scatterByArea(surface, plotFaces, counts.count, seed, density), count = roots.faces.length;
  const follow = fillWeights(surface, guides, roots, alike);
  const locks = scatterByArea(surface, plotFaces, Math.max(1, Math.ceil(counts.full / LOCK_SIZE)), seed ^ 0x51ed27, density);
  const lockFollow = fillWeights(surface, guides, locks, alike);
  const detail = new Float32Array(8 * count);
  const placesOf = (planting: Planting): Vec3[] => Array.from(planting.faces, (_, i) => rootPlace(surface, planting, i));
  const places = placesOf(roots), guidePlaces = placesOf(guides), lockPlaces = placesOf(locks);
  const lockOf = nearestLocks(places, follow, lockPlaces, lockFollow);
  for (let s = 0; s < count; s++) {
    const p = places[s], q = guidePlaces[follow.guides[4 * s]], lock = lockOf[s], l = lock < 0 ? p : lockPlaces[lock], o = 8 * s;
    for (let c = 0; c < 3; c++) { detail[o + c] = q[c] - p[c]; detail[o + 4 + c] = l[c] - p[c]; }
    detail[o + 3] = 1 - lengthSpread * Math.pow(hashUnit(16 * s + 9), 2.2);
    detail[o + 7] = lock < 0 ? locks.faces.length + s : lock;
  }
  return { roots, follow, detail };
}

/** 1 for guides that run the same way, 0 for guides combed apart; by their directions a third and two thirds along. */
function likeness(offsets: ArrayLike<number>, pointCount: number, g: number, h: number): number {
  let least = 1;
  for (const share of [0.34, 0.67]) {
    const i = 3 * Math.round(share * (pointCount - 1)), a = 3 * pointCount * g + i, b = 3 * pointCount * h + i;
    const la = Math.hypot(offsets[a], offsets[a + 1], offsets[a + 2]), lb = Math.hypot(offsets[b], offsets[b + 1], offsets[b + 2]);
    const c = (offsets[a] * offsets[b] + offsets[a + 1] * offsets[b + 1] + offsets[a + 2] * offsets[b + 2]) / (la * lb || 1);
    least = Math.min(least, smoothStep(0.55, 0.85, c));
  }
  return least;
}

/** The nearest lock that shares the strand's nearest guide; −1 where there is none. */
function nearestLocks(places: Vec3[], follow: FillWeights, lockPlaces: Vec3[], lockFollow: FillWeights): Int32Array {
  const byGuide = new Map<number, number[]>();
  lockPlaces.forEach((_, l) => {
    const g = lockFollow.guides[4 * l], list = byGuide.get(g);
    if (list) list.push(l);
    else byGuide.set(g, [l]);
  });
  return Int32Array.from(places, (p, s) => {
    let best = -1, least = Infinity;
    for (const l of byGuide.get(follow.guides[4 * s]) ?? []) {
      const q = lockPlaces[l], d = (q[0] - p[0]) ** 2 + (q[1] - p[1]) ** 2 + (q[2] - p[2]) ** 2;
      if (d < least) { least = d; best = l; }
    }
    return best;
  });
}

/** Catmull–Rom through a guide's evenly spaced points at share u (0…1) of its length; writes to `out`. */
function guideAt(local: ArrayLike<number>, pointCount: number, g: number, u: number, out: Float64Array): void {
  const last = pointCount - 1, x = clamp(u) * last, i = Math.min(Math.floor(x), last - 1), f = x - i, o = 3 * pointCount * g;
  for (let c = 0; c < 3; c++) {
    const b = local[o + 3 * i + c], d = local[o + 3 * i + 3 + c];
    const a = i > 0 ? local[o + 3 * i - 3 + c] : 2 * b - d, e = i < last - 1 ? local[o + 3 * i + 6 + c] : 2 * d - b;
    out[c] = b + 0.5 * f * (d - a + f * (2 * a - 5 * b + 4 * d - e + f * (3 * (b - d) + e - a)));
  }
}

/**
 * World points of strand s, 3 × NODES, m. `local`: guide shapes as offsets from their roots turned back to the rest
 * orientation (3 × pointCount × guides); `lengths`: guide lengths, m; `motion`: the strand root's rotation and place (7 numbers).
 */
export function strandShape(strands: FilledStrands, s: number, local: ArrayLike<number>, lengths: ArrayLike<number>, pointCount: number, shape: FillShape, motion: ArrayLike<number>, out: Float32Array | Float64Array): void {
  const { guides, weights } = strands.follow;
  const d = 8 * s, lock = strands.detail[d + 7];
  const p = new Float64Array(3), at = new Float64Array(3);
  const random = (k: number): number => hashUnit(16 * s + k);
  const r = [0, 1, 2, 3, 4, 5].map((k) => random(k) * 2 - 1), phase = 6.2831853 * random(6);
  const lockRandom = [0, 1, 2].map((k) => hashUnit(16 * lock + 10 + k) * 2 - 1);
  for (let k = 0; k < NODES; k++) {
    const t = nodeAt(k), u = t * strands.detail[d + 3];
    const toGuide = shape.clump * smoothStep(0.05, 1, t), toLock = shape.lock * smoothStep(0.02, 0.7, t) * (1 - toGuide);
    p.fill(0);
    for (let q = 0; q < 4; q++) {
      const w = weights[4 * s + q] * (1 - toGuide) + (q === 0 ? toGuide : 0);
      if (w === 0) continue;
      guideAt(local, pointCount, guides[4 * s + q], u, at);
      for (let c = 0; c < 3; c++) p[c] += w * at[c];
    }
    const along = u * lengths[guides[4 * s]], envelope = smoothStep(0, 0.06, along), wave = (6.2831853 / FRIZZ_WAVELENGTH) * along;
    for (let c = 0; c < 3; c++) {
      p[c] += strands.detail[d + c] * toGuide + strands.detail[d + 4 + c] * toLock;
      p[c] += envelope * shape.frizz * (r[c] * Math.sin(wave + phase) + r[3 + c] * Math.cos(0.7 * wave + phase) + 2 * lockRandom[c] * Math.sin(0.55 * wave + 6.2831853 * hashUnit(16 * lock + 13)));
    }
    const [qx, qy, qz, qw, x, y, z] = [motion[0], motion[1], motion[2], motion[3], motion[4], motion[5], motion[6]];
    const tx = 2 * (qy * p[2] - qz * p[1]), ty = 2 * (qz * p[0] - qx * p[2]), tz = 2 * (qx * p[1] - qy * p[0]);
    out[3 * k] = x + p[0] + qw * tx + qy * tz - qz * ty;
    out[3 * k + 1] = y + p[1] + qw * ty + qz * tx - qx * tz;
    out[3 * k + 2] = z + p[2] + qw * tz + qx * ty - qy * tx;
  }
}
