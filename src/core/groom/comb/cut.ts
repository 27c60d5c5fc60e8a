/** Cutting guides: at the brush, along a line that was drawn over them, or where they meet a surface. What is left is spread over the same points. */
import type { Surface } from '../../mesh/surface';
import { polylineLength, resampleEvenly } from '../polyline';
import { SHORTEST } from './brush-stroke';
import { brushDistance } from './reach';

/** Places looked at on each edge. */
const SAMPLES = 4;

type Points = Float64Array | Float32Array;

/** Leaves `length` metres of guide g; false where it is no longer than that anyway. */
export function cutGuideTo(points: Points, pointCount: number, g: number, length: number): boolean {
  const o = 3 * g * pointCount, strand = points.subarray(o, o + 3 * pointCount), left = Math.max(SHORTEST, length);
  if (pointCount < 2 || left >= polylineLength(strand) - 1e-6) return false;
  strand.set(resampleEvenly(strand.slice(), pointCount, left));
  return true;
}

/** Cuts guides where they first enter the brush. `mayCut`: whether a guide is one of the chosen. */
export function cutAtBrush(points: Points, pointCount: number, radius: number, centre: ArrayLike<number>, sight: ArrayLike<number>, mayCut: (guide: number) => boolean = () => true): number[] {
  return cutEach(points, pointCount, mayCut, (...at) => brushDistance(...at, centre, sight, radius) < 1);
}
function cutEach(points: Points, pointCount: number, mayCut: (guide: number) => boolean, within: (x: number, y: number, z: number) => boolean): number[] {
  const changed: number[] = [];
  for (let g = 0; g < points.length / (3 * pointCount); g++) {
    if (!mayCut(g)) continue;
    const o = 3 * g * pointCount;
    let before = 0, cutAt = -1;
    for (let i = 0; i < pointCount - 1 && cutAt < 0; i++) {
      const p = o + 3 * i, edge = Math.hypot(points[p + 3] - points[p], points[p + 4] - points[p + 1], points[p + 5] - points[p + 2]);
      for (let k = 1; k <= SAMPLES && cutAt < 0; k++) {
        const t = k / SAMPLES;
        if (within(points[p] + (points[p + 3] - points[p]) * t, points[p + 1] + (points[p + 4] - points[p + 1]) * t, points[p + 2] + (points[p + 5] - points[p + 2]) * t)) cutAt = before + edge * t;
      }
      before += edge;
    }
    if (cutAt >= 0 && cutGuideTo(points, pointCount, g, cutAt)) changed.push(g);
  }
  return changed;
}

/** Cuts guides where they first cross a line drawn on the picture. `line`: pixels; `project`: where a place is on it, null behind the eye. */
export function cutAlongLine(points: Points, pointCount: number, line: readonly (readonly [number, number])[], project: (x: number, y: number, z: number) => readonly [number, number] | null, mayCut: (guide: number) => boolean = () => true): number[] {
  const changed: number[] = [];
  if (line.length < 2) return changed;
  for (let g = 0; g < points.length / (3 * pointCount); g++) {
    if (!mayCut(g)) continue;
    const o = 3 * g * pointCount;
    let before = 0, cutAt = -1, a = project(points[o], points[o + 1], points[o + 2]);
    for (let i = 1; i < pointCount && cutAt < 0; i++) {
      const p = o + 3 * i, edge = Math.hypot(points[p] - points[p - 3], points[p + 1] - points[p - 2], points[p + 2] - points[p - 1]), b = project(points[p], points[p + 1], points[p + 2]);
      if (a && b) {
        let first = 2;
        for (let k = 1; k < line.length; k++) { const t = crossing(a, b, line[k - 1], line[k]); if (t < first) first = t; }
        if (first <= 1) cutAt = before + first * edge;
      }
      before += edge;
      a = b;
    }
    if (cutAt >= 0 && cutGuideTo(points, pointCount, g, cutAt)) changed.push(g);
  }
  return changed;
}
/** Share of a → b at which it crosses c → d; 2 where it does not. */
function crossing(a: readonly [number, number], b: readonly [number, number], c: readonly [number, number], d: readonly [number, number]): number {
  const ux = b[0] - a[0], uy = b[1] - a[1], vx = d[0] - c[0], vy = d[1] - c[1], D = ux * vy - uy * vx;
  if (Math.abs(D) < 1e-12) return 2;
  const t = ((c[0] - a[0]) * vy - (c[1] - a[1]) * vx) / D, s = ((c[0] - a[0]) * uy - (c[1] - a[1]) * ux) / D;
  return t >= 0 && t <= 1 && s >= 0 && s <= 1 ? t : 2;
}

/** Cuts guides where they first go through a surface. */
export function cutAtSurface(points: Points, pointCount: number, surface: Surface, mayCut: (guide: number) => boolean = () => true): number[] {
  const changed: number[] = [];
  for (let g = 0; g < points.length / (3 * pointCount); g++) {
    if (!mayCut(g)) continue;
    let before = 0;
    for (let i = 1; i < pointCount; i++) {
      const p = 3 * (g * pointCount + i), a = points.subarray(p - 3, p), way = [0, 1, 2].map((c) => points[p + c] - a[c]), edge = Math.hypot(...way);
      if (edge > 0) {
        const hit = surface.raycast(a, way.map((v) => v / edge));
        if (hit && hit.distance <= edge) { if (cutGuideTo(points, pointCount, g, before + hit.distance)) changed.push(g); break; }
      }
      before += edge;
    }
  }
  return changed;
}
