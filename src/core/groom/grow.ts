/** First shapes of planted guides. */
import { addScaled, clamp, dot, mix, normalize, scale, smoothStep, type Vec3 } from '../math/vec';
import type { Surface } from '../mesh/surface';
import { resampleEvenly } from './polyline';

export type Lie = 'standing' | 'falling';

export interface GrowOptions {
  /** m */
  length: number;
  pointCount: number;
  lie: Lie;
  /** How far falling hair stays off the skin, m. */
  lift: number;
  /** Where the hair is led near the root (unit or zero); downhill where it is not given. */
  lead?: (root: Vec3, normal: Vec3) => Vec3;
  /** The hair keeps out of other things, too: positive distance outside, and the way out. */
  avoid?: (p: Vec3) => { distance: number; out: Vec3 } | null;
}

/** Steps of the walk that lays a falling strand over the skin. */
const STEPS = 90;

/**
 * Points of one guide as offsets from its root, 3 × pointCount, m. A standing guide follows the skin's normal; a falling one
 * leaves along it, bends over and slides down the surface at the given lift.
 */
export function growGuide(surface: Surface, root: Vec3, normal: Vec3, options: GrowOptions): Float32Array {
  const { length, pointCount, lie } = options;
  if (lie === 'standing') return Float32Array.from({ length: 3 * pointCount }, (_, i) => (normal[i % 3] * length * Math.floor(i / 3)) / (pointCount - 1));
  const given = options.lead?.(root, normal) ?? [0, 0, 0];
  const downhill = tangential(dot(given, given) > 0 ? given : [0, -1, 0], normal);
  let direction = normalize(addScaled(scale(normal, 0.75), downhill, 1));
  let p: Vec3 = [...root];
  const path = [0, 0, 0];
  const ds = length / STEPS;
  for (let i = 0; i < STEPS; i++) {
    const s = i * ds;
    direction = normalize(addScaled(direction, [0, -1, 0], 0.16 * smoothStep(0, 0.05, s) + 0.02));
    let next = addScaled(p, direction, ds);
    // hug: wanted height above the skin grows from the root to the lift
    const height = options.lift * smoothStep(0, 0.03, s);
    const near = surface.nearest(next, 0.06);
    if (near) {
      const away: Vec3 = [next[0] - near.point[0], next[1] - near.point[1], next[2] - near.point[2]];
      const outside = dot(away, near.normal) >= 0;
      const n = outside && near.distance > 1e-5 ? normalize(away) : near.normal;
      const d = outside ? near.distance : -near.distance;
      if (d < height) next = addScaled(next, n, (height - d) * 0.9);
      else if (s < 0.6 * length) next = addScaled(next, n, -clamp((d - height) * 0.25, 0, 0.6 * ds));
    }
    const other = options.avoid?.(next);
    if (other && other.distance < 0.002) next = addScaled(next, other.out, 0.002 - other.distance);
    const step: Vec3 = [next[0] - p[0], next[1] - p[1], next[2] - p[2]];
    direction = normalize(step);
    p = addScaled(p, direction, ds);
    path.push(p[0] - root[0], p[1] - root[1], p[2] - root[2]);
  }
  return resampleEvenly(path, pointCount, length * 0.9999);
}

function tangential(v: Vec3, normal: Vec3): Vec3 {
  const t = normalize(addScaled(v, normal, -dot(v, normal)));
  return dot(t, t) > 0 ? t : [mix(1, 0, Math.abs(normal[0])), 0, Math.abs(normal[0])];
}
