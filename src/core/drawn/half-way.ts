/** Where a click through a mesh means: half way from where the ray comes in to where it has come out again. */
import { addScaled, dot, type Vec3 } from '../math/vec';
import type { Surface, SurfacePoint } from '../mesh/surface';

/** Parts that lie closer behind one another than this share of what the ray has gone through are one. */
const CLOSE = 0.25;
const MOST_FACES = 256;
/** Steps off a face that was met (m). */
const OFF = 1e-6;

/**
 * The first place where a ray meets a mesh, moved half way to where it has left the mesh again. Closed parts that lie in one another, as
 * the strands of a plait do, count as one: the ray is out where it has left as many as it came into. Where it meets an open mesh from
 * behind, or never comes out, the next face is the other side. `direction` is unit. Null where nothing is met.
 */
export function halfWay(surface: Surface, origin: Vec3, direction: Vec3): SurfacePoint | null {
  const first = surface.raycast(origin, direction);
  if (!first) return null;
  const next = (far: number): { far: number; enters: boolean } | null => {
    const hit = surface.raycast(addScaled(origin, direction, far + OFF), direction);
    return hit ? { far: far + OFF + hit.distance, enters: dot(hit.normal, direction) < 0 } : null;
  };
  const until = (far: number): SurfacePoint => ({ ...first, point: addScaled(first.point, direction, (far - first.distance) / 2) });
  const second = next(first.distance);
  if (!second) return first;
  if (dot(first.normal, direction) >= 0) return until(second.far);
  let inside = 1, out = -1;
  for (let hit: typeof second | null = second, n = 0; hit && n < MOST_FACES; hit = next(hit.far), n++) {
    if (inside === 0 && hit.far - out > CLOSE * (out - first.distance)) break;
    inside += hit.enters ? 1 : -1;
    if (inside < 0) break;
    if (inside === 0) out = hit.far;
  }
  return until(out < 0 ? second.far : out);
}
