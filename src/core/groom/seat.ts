/** Curves from elsewhere made guides: placed, turned root first, seated on the nearest skin of the plot; and brought in again later. */
import { turnOf, UNITS, UPS, type Placement, type Unit } from '../mesh/placement';
import type { Surface } from '../mesh/surface';
import { rootPlace, type Planting } from './planting';
import { polylineLength, resampleEvenly } from './polyline';

export interface CurvePlacement extends Placement {
  /** m, after all else. */
  move: [number, number, number];
}

/** Curves as placed, m; each 3 × points. */
export function placeCurves(curves: readonly ArrayLike<number>[], p: CurvePlacement): Float32Array[] {
  const [a, b, c, w] = turnOf(p), sx = p.mirror ? -p.scale : p.scale;
  return curves.map((curve) => {
    const out = new Float32Array(curve.length);
    for (let i = 0; i < curve.length; i += 3) {
      const x = sx * curve[i], y = p.scale * curve[i + 1], z = p.scale * curve[i + 2], tx = 2 * (b * z - c * y), ty = 2 * (c * x - a * z), tz = 2 * (a * y - b * x);
      out[i] = x + w * tx + b * tz - c * ty + p.move[0];
      out[i + 1] = y + w * ty + c * tx - a * tz + p.move[1];
      out[i + 2] = z + w * tz + a * ty - b * tx + p.move[2];
    }
    return out;
  });
}

/** Distance beyond which a root is no nearer than any other, while a placement is guessed, m. */
const FAR = 0.3;
const SAMPLE = 60;

/**
 * Unit and up axis for which most roots lie on the skin, whichever end they are at; `wanted` are kept where given. The first of
 * equally good ones, metres and +Y before others.
 */
export function guessCurvePlacement(curves: readonly ArrayLike<number>[], skin: Surface, wanted: { scale: number | null; up: Placement['up'] | null }): CurvePlacement {
  const step = Math.max(1, Math.floor(curves.length / SAMPLE)), some = curves.filter((_, i) => i % step === 0);
  let best: CurvePlacement = { scale: wanted.scale ?? 1, up: wanted.up ?? '+y', turn: 0, mirror: false, move: [0, 0, 0] }, least = Infinity;
  for (const up of wanted.up ? [wanted.up] : UPS) for (const scale of wanted.scale ? [wanted.scale] : (Object.keys(UNITS) as Unit[]).map((u) => UNITS[u])) {
    const p: CurvePlacement = { ...best, scale, up, turn: 0, move: [0, 0, 0] }, placed = placeCurves(some, p);
    const distances = placed.map((c) => Math.min(FAR, endDistance(skin, c, 0), endDistance(skin, c, c.length - 3))), span = Math.max(...placed.map((c) => polylineLength(c)));
    // on the skin all together in a point is no better: the longest of them must be a hair
    const cost = distances.reduce((a, b) => a + b, 0) / distances.length + (span < 0.002 ? FAR : 0);
    if (cost < least - 1e-6) { least = cost; best = p; }
  }
  return best;
}
const endDistance = (skin: Surface, c: ArrayLike<number>, o: number): number => skin.nearest([c[o], c[o + 1], c[o + 2]], FAR)?.distance ?? FAR;

/** Whether roots are rather the last points: of most curves the last lies nearer the skin. */
export function rootsAreLast(curves: readonly ArrayLike<number>[], skin: Surface): boolean {
  const step = Math.max(1, Math.floor(curves.length / (4 * SAMPLE)));
  let last = 0, all = 0;
  for (let i = 0; i < curves.length; i += step, all++) if (endDistance(skin, curves[i], curves[i].length - 3) < endDistance(skin, curves[i], 0)) last++;
  return last > all / 2;
}

export interface Seated {
  planting: Planting;
  /** 3 × pointCount × guides, m: from the root, rest orientation. */
  offsets: Float32Array;
  /** Number of the curve of each guide; how far its root was from the skin, m. */
  from: Uint32Array;
  moved: Float32Array;
  /** Curves whose root found no skin of the plot within the limit, how far the nearest was, m, and whether that is beside the plot; those without length. */
  lost: { curve: number; distance: number; beside: boolean }[];
}

/** Seats placed curves. `plot`: whether a face belongs to it; `limit`: m. */
export function seatCurves(surface: Surface, plot: (face: number) => boolean, curves: readonly ArrayLike<number>[], pointCount: number, rootsLast: boolean, limit: number): Seated {
  const faces: number[] = [], weights: number[] = [], from: number[] = [], moved: number[] = [], lost: Seated['lost'] = [], shapes: Float32Array[] = [];
  curves.forEach((curve, k) => {
    const n = curve.length / 3, ordered = rootsLast ? Float32Array.from({ length: curve.length }, (_, i) => curve[3 * (n - 1 - Math.floor(i / 3)) + (i % 3)]) : curve;
    const hit = surface.nearest([ordered[0], ordered[1], ordered[2]]), length = polylineLength(ordered);
    if (!hit || hit.distance > limit || !plot(hit.face) || !(length > 1e-6)) { lost.push({ curve: k, distance: hit?.distance ?? Infinity, beside: hit !== null && !plot(hit.face) }); return; }
    faces.push(hit.face);
    weights.push(hit.barycentric[1], hit.barycentric[2]);
    from.push(k);
    moved.push(hit.distance);
    const even = resampleEvenly(ordered, pointCount), shape = new Float32Array(3 * pointCount);
    for (let i = 0; i < shape.length; i++) shape[i] = even[i] - even[i % 3];
    shapes.push(shape);
  });
  const offsets = new Float32Array(3 * pointCount * shapes.length);
  shapes.forEach((s, g) => offsets.set(s, 3 * pointCount * g));
  return { planting: { faces: Uint32Array.from(faces), weights: Float32Array.from(weights) }, offsets, from: Uint32Array.from(from), moved: Float32Array.from(moved), lost };
}

/** Roots so near each other are the same, m. */
const SAME_ROOT = 0.0015;

/**
 * Guides brought in again: what was combed since the last time is put on top of the new shapes, where a root is still where one
 * was. `before`: planting, shapes as they were brought in and as they are now, of the same point count. Returns how many kept edits.
 */
export function keepEdits(surface: Surface, seated: Seated, pointCount: number, before: { planting: Planting; brought: ArrayLike<number>; now: ArrayLike<number> }): number {
  const old = Array.from(before.planting.faces, (_, i) => rootPlace(surface, before.planting, i)), cell = 2 * SAME_ROOT, byCell = new Map<string, number[]>(), stride = 3 * pointCount;
  const key = (p: ArrayLike<number>, dx = 0, dy = 0, dz = 0): string => `${Math.floor(p[0] / cell) + dx},${Math.floor(p[1] / cell) + dy},${Math.floor(p[2] / cell) + dz}`;
  old.forEach((p, i) => { const k = key(p), list = byCell.get(k); if (list) list.push(i); else byCell.set(k, [i]); });
  let kept = 0;
  for (let g = 0; g < seated.planting.faces.length; g++) {
    const p = rootPlace(surface, seated.planting, g);
    let best = -1, least = SAME_ROOT;
    for (let dx = -1; dx <= 1; dx++) for (let dy = -1; dy <= 1; dy++) for (let dz = -1; dz <= 1; dz++) for (const i of byCell.get(key(p, dx, dy, dz)) ?? []) {
      const d = Math.hypot(old[i][0] - p[0], old[i][1] - p[1], old[i][2] - p[2]);
      if (d < least) { least = d; best = i; }
    }
    if (best < 0) continue;
    let edited = false;
    for (let i = 0; i < stride; i++) { const d = before.now[stride * best + i] - before.brought[stride * best + i]; if (Math.abs(d) > 1e-7) edited = true; seated.offsets[stride * g + i] += d; }
    if (edited) kept++;
  }
  return kept;
}
