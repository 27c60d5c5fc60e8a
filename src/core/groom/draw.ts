/** Guides drawn on the model. */
import { addScaled, normalize, smoothStep, type Vec3 } from '../math/vec';
import type { Surface } from '../mesh/surface';
import { polylineLength, resampleEvenly } from './polyline';

export interface DrawOptions {
  pointCount: number;
  /** 0 … 1: how far the wobble of the hand is taken out. */
  smoothing: number;
  /** m: drawn no longer than this; Infinity for as drawn. */
  longest: number;
}

/** A stroke's places (3 × n, m), the first on the skin, as points of a guide from its root; null where it has no length. */
export function drawnGuide(path: ArrayLike<number>, { pointCount, smoothing, longest }: DrawOptions): Float32Array | null {
  const length = Math.min(polylineLength(path), longest);
  if (!(length > 1e-4)) return null;
  // even first, so that a slow hand is not smoothed more than a quick one
  let now = Float64Array.from(resampleEvenly(path, 96, length)), next = now.slice();
  for (let pass = Math.round(60 * smoothing); pass > 0; pass--) {
    for (let i = 3; i < now.length - 3; i++) next[i] = 0.5 * now[i] + 0.25 * (now[i - 3] + now[i + 3]);
    [now, next] = [next, now];
  }
  const out = resampleEvenly(now, pointCount);
  for (let i = out.length - 1; i >= 0; i--) out[i] -= out[i % 3];
  return out;
}

/**
 * A guide (3 × n, m) whose points from `from` on are drawn anew along a stroke (3 × m, m): up to the point `to` where the stroke comes back to it,
 * or to its end. As many points as before, evenly spaced; null where the stroke has no length.
 */
export function redrawn(guide: ArrayLike<number>, from: number, to: number | null, stroke: ArrayLike<number>, smoothing: number): Float32Array | null {
  const pointCount = guide.length / 3;
  if (!(polylineLength(stroke) > 1e-4) || (to !== null && to <= from)) return null;
  const smooth = drawnGuide(stroke, { pointCount: 48, smoothing, longest: Infinity });
  if (!smooth) return null;
  const start = [0, 1, 2].map((c) => guide[3 * from + c]), path: number[] = [];
  for (let i = 0; i < from; i++) path.push(guide[3 * i], guide[3 * i + 1], guide[3 * i + 2]);
  // the stroke is brought to where the guide is at both ends
  const last = smooth.length - 3, miss = to === null ? [0, 0, 0] : [0, 1, 2].map((c) => guide[3 * to + c] - start[c] - smooth[last + c]);
  for (let i = 0; i < smooth.length; i += 3) for (let c = 0; c < 3; c++) path.push(start[c] + smooth[i + c] + (miss[c] * i) / last);
  if (to !== null) for (let i = to + 1; i < pointCount; i++) path.push(guide[3 * i], guide[3 * i + 1], guide[3 * i + 2]);
  return resampleEvenly(path, pointCount);
}

/** A place lifted off the skin it was drawn on: nothing at the root, `lift` (m) at the tip of a stroke of the length given. */
export function lifted(skin: { point: Vec3; normal: Vec3 }, drawn: number, lift: number, longest: number): Vec3 {
  return addScaled(skin.point, normalize(skin.normal), lift * smoothStep(0, 1, Math.min(1, drawn / Math.max(1e-6, longest))));
}

/** Keeps all points but the root so far off the skin, m. */
export function keepOff(surface: Surface, points: Float32Array, gap: number): void {
  for (let i = 3; i < points.length; i += 3) {
    const p: Vec3 = [points[i], points[i + 1], points[i + 2]], hit = surface.nearest(p, 0.1);
    if (!hit) continue;
    const side = (p[0] - hit.point[0]) * hit.normal[0] + (p[1] - hit.point[1]) * hit.normal[1] + (p[2] - hit.point[2]) * hit.normal[2], depth = side >= 0 ? hit.distance : -hit.distance;
    if (depth < gap) { const q = addScaled(hit.point, hit.normal, gap); points[i] = q[0]; points[i + 1] = q[1]; points[i + 2] = q[2]; }
  }
}
