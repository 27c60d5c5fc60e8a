/** Which points begin inside a closed mesh. */
import { Surface } from '../mesh/surface';
import type { Vec3 } from '../math/vec';

/** Directions that no modelled face is likely to lie along. */
const RAYS: readonly Vec3[] = [[0.267, 0.8, 0.538], [-0.62, 0.51, -0.597], [0.71, -0.39, -0.586]];

/** 1 for each of the points (3 × n, m) that is inside: whichever way it looks, the first face it sees shows its back; two of three ways decide. */
export function insideClosed(positions: ArrayLike<number>, triangles: Uint32Array, points: ArrayLike<number>): Uint8Array {
  const out = new Uint8Array(points.length / 3), low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity];
  for (let v = 0; v < positions.length; v++) { low[v % 3] = Math.min(low[v % 3], positions[v]); high[v % 3] = Math.max(high[v % 3], positions[v]); }
  let surface: Surface | null = null;
  for (let p = 0; p < out.length; p++) {
    const at: Vec3 = [points[3 * p], points[3 * p + 1], points[3 * p + 2]];
    if (at.some((v, c) => v < low[c] || v > high[c])) continue;
    surface ??= new Surface(positions, triangles);
    let backs = 0;
    for (let r = 0; r < 3 && backs + 3 - r >= 2 && backs < 2; r++) {
      const d = RAYS[r], l = Math.hypot(...d), ray: Vec3 = [d[0] / l, d[1] / l, d[2] / l], hit = surface.raycast(at, ray);
      if (hit && hit.normal[0] * ray[0] + hit.normal[1] * ray[1] + hit.normal[2] * ray[2] > 0) backs++;
    }
    out[p] = backs >= 2 ? 1 : 0;
  }
  return out;
}

/** m: a face is looked at from so far in front of it. */
const BEFORE = 2e-4;
/**
 * 1 for each face of a closed mesh whose front lies inside the mesh: where parts of it overlap, as a knot stuck into a scarf, or teeth in a head. No
 * hair gets there, and as the nearest face it would tell a place inside for one outside.
 */
export function hiddenFaces(positions: ArrayLike<number>, triangles: Uint32Array, outward: 1 | -1): Uint8Array {
  const surface = new Surface(positions, triangles), out = new Uint8Array(triangles.length / 3);
  for (let f = 0; f < out.length; f++) {
    const n = surface.normal(f), m = surface.place(f, [1 / 3, 1 / 3, 1 / 3]), at = m.map((v, c) => v + outward * BEFORE * n[c]);
    let within = 0;
    for (let r = 0; r < 3 && within < 2 && within + 3 - r >= 2; r++) { const d = RAYS[r], l = Math.hypot(...d); if (outward * surface.around(at, [d[0] / l, d[1] / l, d[2] / l]) >= 1) within++; }
    out[f] = within >= 2 ? 1 : 0;
  }
  return out;
}
