/**
 * Brushes on guides. Points are 3 × pointCount × guides, m, in the pose that is seen; roots (point 0 of each guide) never
 * move. A brush is a ball flattened across the line of sight, so that it reaches through the thickness of the hair.
 */
import { clamp } from '../math/vec';
import type { Surface } from '../mesh/surface';
import { polylineLength, resampleEvenly } from './polyline';

export interface Brush {
  /** m */
  radius: number;
  /** 0…1 */
  strength: number;
  /** 0…1: share of the radius over which the strength falls to nothing. */
  falloff: number;
}

/** How much deeper than wide the brush reaches along the line of sight. */
const DEPTH = 2.5;
/** Stride of a stroke, in radii. */
const STRIDE = 0.15;
/** Share of its parent's shift that a point takes over, so that the strand below the brush trails along. */
const TRAIL = 0.8;

/** 1 inside, 0 from the rim on. `d` in radii. */
export function brushWeight(d: number, falloff: number): number {
  if (d >= 1) return 0;
  const t = clamp((1 - d) / Math.max(falloff, 1e-3));
  return t * t * (3 - 2 * t);
}

function reach(x: number, y: number, z: number, centre: ArrayLike<number>, sight: ArrayLike<number>, radius: number): number {
  const dx = x - centre[0], dy = y - centre[1], dz = z - centre[2];
  const along = dx * sight[0] + dy * sight[1] + dz * sight[2];
  const across = Math.max(0, dx * dx + dy * dy + dz * dz - along * along);
  return Math.sqrt(across + (along / DEPTH) ** 2) / radius;
}

/**
 * Cuts a stroke into strides of one length, wherever the pointer happened to be sampled: the same stroke comes out alike
 * however fast the screen is.
 */
export class Strides {
  private at: number[];
  constructor(from: ArrayLike<number>, private readonly radius: number) { this.at = [from[0], from[1], from[2]]; }

  /** Strides that the way to a new place completes; with `last` also the rest. */
  *to(place: ArrayLike<number>, last = false): Generator<[number[], number[]]> {
    const stride = STRIDE * this.radius;
    for (;;) {
      const way = [place[0] - this.at[0], place[1] - this.at[1], place[2] - this.at[2]], length = Math.hypot(...way);
      if (length < stride && !(last && length > 1e-6)) return;
      const share = Math.min(1, stride / length), next = this.at.map((v, k) => v + way[k] * share), from = this.at;
      this.at = next;
      yield [from, next];
    }
  }
}

/**
 * Combs the guides along one stride of the brush from `from` to `to` (m; see `Strides`). Lengths between points are kept; points are kept
 * `gap` metres off `skin`. Returns which guides changed.
 */
export function combGuides(
  points: Float32Array, pointCount: number, brush: Brush, from: ArrayLike<number>, to: ArrayLike<number>, sight: ArrayLike<number>, skin: Surface | null, gap: number,
): Set<number> {
  const move = [to[0] - from[0], to[1] - from[1], to[2] - from[2]];
  const centre = [0, 1, 2].map((c) => from[c] + 0.5 * move[c]);
  const changed = new Set<number>();
  const raw = new Float64Array(3 * pointCount);
  for (let g = 0; g < points.length / (3 * pointCount); g++) {
    const o = 3 * g * pointCount;
    let touched = false;
    raw[0] = points[o]; raw[1] = points[o + 1]; raw[2] = points[o + 2];
    for (let i = 1; i < pointCount; i++) {
      const p = o + 3 * i;
      const w = brush.strength * brushWeight(reach(points[p], points[p + 1], points[p + 2], centre, sight, brush.radius), brush.falloff);
      if (w > 0) touched = true;
      for (let c = 0; c < 3; c++) raw[3 * i + c] = points[p + c] + w * move[c];
    }
    if (!touched) continue;
    changed.add(g);
    layOut(points, o, pointCount, raw, skin, gap);
  }
  return changed;
}

/** One sweep root → tip: each point as near to `raw` as its distance to the point before it and the skin allow. */
function layOut(points: Float32Array, o: number, pointCount: number, raw: Float64Array, skin: Surface | null, gap: number): void {
  let sx = 0, sy = 0, sz = 0;
  let oldX = points[o], oldY = points[o + 1], oldZ = points[o + 2];
  for (let i = 1; i < pointCount; i++) {
    const p = o + 3 * i, q = p - 3;
    const length = Math.hypot(points[p] - oldX, points[p + 1] - oldY, points[p + 2] - oldZ);
    oldX = points[p]; oldY = points[p + 1]; oldZ = points[p + 2];
    let ex = raw[3 * i] + TRAIL * sx - points[q], ey = raw[3 * i + 1] + TRAIL * sy - points[q + 1], ez = raw[3 * i + 2] + TRAIL * sz - points[q + 2];
    let k = length / (Math.hypot(ex, ey, ez) || 1e-12);
    ex *= k; ey *= k; ez *= k;
    if (skin) {
      const at = [points[q] + ex, points[q + 1] + ey, points[q + 2] + ez];
      const near = skin.nearest(at, Math.max(0.012, 4 * gap));
      if (near) {
        const n = near.normal;
        const height = (at[0] - near.point[0]) * n[0] + (at[1] - near.point[1]) * n[1] + (at[2] - near.point[2]) * n[2];
        // the first points may lie closer than the gap
        const wanted = Math.min(gap, 0.5 * length * i);
        if (height < wanted) {
          // turn the edge about the point before it until its end is clear; its length stays
          const rise = Math.min(0.9999 * length, ex * n[0] + ey * n[1] + ez * n[2] + wanted - height);
          const en = ex * n[0] + ey * n[1] + ez * n[2];
          let tx = ex - en * n[0], ty = ey - en * n[1], tz = ez - en * n[2];
          k = Math.sqrt(Math.max(0, length * length - rise * rise)) / (Math.hypot(tx, ty, tz) || 1e-12);
          tx *= k; ty *= k; tz *= k;
          ex = tx + rise * n[0]; ey = ty + rise * n[1]; ez = tz + rise * n[2];
        }
      }
    }
    sx = points[q] + ex - points[p]; sy = points[q + 1] + ey - points[p + 1]; sz = points[q + 2] + ez - points[p + 2];
    points[p] = points[q] + ex; points[p + 1] = points[q + 1] + ey; points[p + 2] = points[q + 2] + ez;
  }
}

/** Shortest length a cut leaves, m. */
const SHORTEST = 0.004;

/** Cuts the guides where they first enter the brush; what is left is spread over the same number of points. */
export function cutGuides(points: Float32Array, pointCount: number, brush: Brush, centre: ArrayLike<number>, sight: ArrayLike<number>): Set<number> {
  const changed = new Set<number>();
  const SAMPLES = 4;
  for (let g = 0; g < points.length / (3 * pointCount); g++) {
    const o = 3 * g * pointCount;
    const strand = points.subarray(o, o + 3 * pointCount);
    let before = 0, cutAt = -1;
    for (let i = 0; i < pointCount - 1 && cutAt < 0; i++) {
      const p = 3 * i;
      const edge = Math.hypot(strand[p + 3] - strand[p], strand[p + 4] - strand[p + 1], strand[p + 5] - strand[p + 2]);
      for (let k = 1; k <= SAMPLES && cutAt < 0; k++) {
        const t = k / SAMPLES;
        if (reach(strand[p] + (strand[p + 3] - strand[p]) * t, strand[p + 1] + (strand[p + 4] - strand[p + 1]) * t, strand[p + 2] + (strand[p + 5] - strand[p + 2]) * t, centre, sight, brush.radius) < 1) cutAt = before + edge * t;
      }
      before += edge;
    }
    if (cutAt < 0) continue;
    const length = Math.max(SHORTEST, cutAt);
    if (length >= polylineLength(strand) - 1e-6) continue;
    strand.set(resampleEvenly(strand.slice(), pointCount, length));
    changed.add(g);
  }
  return changed;
}
