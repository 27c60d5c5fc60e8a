/** The other side: touches of a symmetric stroke, styles carried from left to right, and from one plot to another. Lengths in metres. */
import { shapesBetween } from '../between';
import { rootPlace, type Planting } from '../planting';
import { shortestTurn, type Vec3 } from '../../math/vec';
import type { Surface } from '../../mesh/surface';
import { mirroredDab, type Dab } from './reach';

/** A source guide so near to where one is wanted is taken as it is, m. */
const SAME = 1e-4;

/** Places of all roots in the rest pose, 3 × guides. */
export function rootPlaces(surface: Surface, planting: Planting): Float64Array {
  const out = new Float64Array(3 * planting.faces.length);
  for (let g = 0; g < planting.faces.length; g++) out.set(rootPlace(surface, planting, g), 3 * g);
  return out;
}

/**
 * The touch on the other side in the present pose: brought to the rest pose as the skin under it has moved, mirrored there, and out again as the
 * skin has moved there. `motions` 7 × guides, `rest` 3 × guides: the roots' movements and rest places.
 */
export function acrossDab(dab: Dab, motions: ArrayLike<number>, rest: ArrayLike<number>): Dab {
  const guides = rest.length / 3;
  if (guides === 0) return mirroredDab(dab);
  const nearest = (p: ArrayLike<number>, of: (g: number, c: number) => number): number => {
    let best = 0, least = Infinity;
    for (let g = 0; g < guides; g++) { const d = (of(g, 0) - p[0]) ** 2 + (of(g, 1) - p[1]) ** 2 + (of(g, 2) - p[2]) ** 2; if (d < least) { least = d; best = g; } }
    return best;
  };
  const g = nearest(dab.centre, (k, c) => motions[7 * k + 4 + c]), o = 7 * g, out = (v: readonly number[]): Vec3 => turned(v, -motions[o], -motions[o + 1], -motions[o + 2], motions[o + 3]);
  const back = mirroredDab({ ...dab, centre: out(dab.centre.map((v, c) => v - motions[o + 4 + c])).map((v, c) => v + rest[3 * g + c]) as Vec3, move: out(dab.move), sight: out(dab.sight) });
  const h = nearest(back.centre, (k, c) => rest[3 * k + c]), q = 7 * h, to = (v: readonly number[]): Vec3 => turned(v, motions[q], motions[q + 1], motions[q + 2], motions[q + 3]);
  return { ...back, centre: to(back.centre.map((v, c) => v - rest[3 * h + c])).map((v, c) => v + motions[q + 4 + c]) as Vec3, move: to(back.move), sight: to(back.sight) };
}
function turned([x, y, z]: readonly number[], qx: number, qy: number, qz: number, qw: number): Vec3 {
  const tx = 2 * (qy * z - qz * y), ty = 2 * (qz * x - qx * z), tz = 2 * (qx * y - qy * x);
  return [x + qw * tx + qy * tz - qz * ty, y + qw * ty + qz * tx - qx * tz, z + qw * tz + qx * ty - qy * tx];
}

/** A groom's guides: where they stand on which rest surface, and their shapes (3 × points × guides, rest orientation). */
export interface StyleSource { surface: Surface; planting: Planting; offsets: ArrayLike<number>; pointCount: number }

/** Shapes at places of the same surface: of the very guide that stands there, else as its neighbours have it. */
function shapesAt(from: StyleSource, places: Planting): Float32Array {
  const out = shapesBetween(from.surface, from.planting, from.offsets as Float32Array, from.pointCount, places), roots = rootPlaces(from.surface, from.planting), stride = 3 * from.pointCount;
  for (let k = 0; k < places.faces.length; k++) {
    const p = rootPlace(from.surface, places, k);
    for (let g = 0; g < roots.length / 3; g++) if (Math.abs(roots[3 * g] - p[0]) < SAME && Math.abs(roots[3 * g + 1] - p[1]) < SAME && Math.abs(roots[3 * g + 2] - p[2]) < SAME) { for (let i = 0; i < stride; i++) out[stride * k + i] = from.offsets[stride * g + i]; break; }
  }
  return out;
}
const picked = (planting: Planting, guides: readonly number[]): Planting => ({ faces: Uint32Array.from(guides, (g) => planting.faces[g]), weights: Float32Array.from(guides.flatMap((g) => [planting.weights[2 * g], planting.weights[2 * g + 1]])) });

/**
 * Shapes with those of one side (`fromLeft`: x > 0 of the rest pose) mirrored on the other. `twins`: the mirrored half-edge of each by how the mesh
 * hangs together; without it, by place. Guides in the very middle stay. Null where the side has no guides.
 */
export function mirrorStyle(from: StyleSource, fromLeft: boolean, twins: Int32Array | null): Float32Array | null {
  const { surface, planting, pointCount } = from, roots = rootPlaces(surface, planting), side = fromLeft ? 1 : -1, source: number[] = [], target: number[] = [], places: Planting = { faces: new Uint32Array(planting.faces.length), weights: new Float32Array(2 * planting.faces.length) };
  for (let g = 0; g < planting.faces.length; g++) {
    const x = side * roots[3 * g];
    if (x >= -SAME) source.push(g);
    if (x >= -SAME) continue;
    const found = twins ? byWay(planting, g, twins) : byPlace(surface, [-roots[3 * g], roots[3 * g + 1], roots[3 * g + 2]]);
    if (!found) continue;
    places.faces[target.length] = found.face;
    places.weights.set([found.b, found.c], 2 * target.length);
    target.push(g);
  }
  if (source.length === 0) return null;
  const stride = 3 * pointCount, shapes = new Float32Array(stride * source.length), out = Float32Array.from(from.offsets as ArrayLike<number>);
  source.forEach((g, k) => { for (let i = 0; i < stride; i++) shapes[stride * k + i] = from.offsets[stride * g + i]; });
  const mirrored = shapesAt({ surface, planting: picked(planting, source), offsets: shapes, pointCount }, { faces: places.faces.slice(0, target.length), weights: places.weights.slice(0, 2 * target.length) });
  target.forEach((g, k) => { for (let i = 0; i < stride; i++) out[stride * g + i] = i % 3 === 0 ? -mirrored[stride * k + i] : mirrored[stride * k + i]; });
  return out;
}
const byPlace = (surface: Surface, p: readonly number[]): { face: number; b: number; c: number } | null => { const hit = surface.nearest(p); return hit && { face: hit.face, b: hit.barycentric[1], c: hit.barycentric[2] }; };
/** The mirrored half-edge runs the other way: the corner where one begins is the one where the other ends. */
function byWay(planting: Planting, g: number, twins: Int32Array): { face: number; b: number; c: number } | null {
  const f = planting.faces[g], b = planting.weights[2 * g], c = planting.weights[2 * g + 1], own = [1 - b - c, b, c], out = [0, 0, 0];
  if (twins[3 * f] < 0) return null;
  for (let k = 0; k < 3; k++) out[(twins[3 * f + k] + 1 - 3 * Math.floor(twins[3 * f] / 3)) % 3] = own[k];
  return { face: Math.floor(twins[3 * f] / 3), b: out[1], c: out[2] };
}

/**
 * A style on other guides. On the same mesh (same triangles) each takes the shape that is at its very place; on another one the place that
 * corresponds when the plots are laid over each other, middle on middle and as large, and shapes grow with the plot.
 */
export function pasteStyle(from: StyleSource & { faces: ArrayLike<number> }, to: { surface: Surface; planting: Planting; faces: ArrayLike<number> }): Float32Array {
  const same = from.surface.triangles.length === to.surface.triangles.length && from.surface.triangles.every((v, i) => v === to.surface.triangles[i]);
  const n = to.planting.faces.length, stride = 3 * from.pointCount;
  let places = to.planting, size = 1;
  if (!same) {
    const a = boxOf(from.surface, from.faces), b = boxOf(to.surface, to.faces);
    size = b.size / a.size;
    places = { faces: new Uint32Array(n), weights: new Float32Array(2 * n) };
    for (let g = 0; g < n; g++) {
      const p = rootPlace(to.surface, to.planting, g), hit = from.surface.nearest(p.map((v, c) => a.middle[c] + (v - b.middle[c]) / size))!;
      places.faces[g] = hit.face;
      places.weights.set([hit.barycentric[1], hit.barycentric[2]], 2 * g);
    }
  }
  const out = shapesAt(from, places), v: Vec3 = [0, 0, 0];
  for (let g = 0; g < n; g++) {
    const turn = shortestTurn(from.surface.normal(places.faces[g]), to.surface.normal(to.planting.faces[g]));
    for (let i = stride * g; i < stride * (g + 1); i += 3) { turn(size * out[i], size * out[i + 1], size * out[i + 2], v); out.set(v, i); }
  }
  return out;
}
function boxOf(surface: Surface, faces: ArrayLike<number>): { middle: Vec3; size: number } {
  const low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity];
  for (let k = 0; k < faces.length; k++) for (const corner of surface.corners(faces[k])) for (let c = 0; c < 3; c++) { low[c] = Math.min(low[c], corner[c]); high[c] = Math.max(high[c], corner[c]); }
  return { middle: low.map((v, c) => (v + high[c]) / 2) as Vec3, size: Math.max(1e-6, Math.hypot(...high.map((v, c) => v - low[c]))) };
}
