/**
 * Flow without whorls: the slope of a height over the skin, the one that lies nearest to a flow (least squares, by area). What runs
 * down a slope never goes round in a ring: the flow's own turning round is left out, the rest of it kept (Helmholtz–Hodge).
 *
 * Heights stand at the vertices and are linear on each face; cotangent weights. **Source:** Tong, Lombeyda, Hirani & Desbrun,
 * "Discrete multiscale vector field decomposition", ACM TOG 22 (2003), the curl-free part; *from memory*. Checked in slope.test.ts.
 */
import { addScaled, cross, dot, length, normalize, scale, sub, type Vec3 } from '../math/vec';
import { weldByPosition, type Surface, type SurfacePoint } from '../mesh/surface';

/** A way to go at a place of a mesh: unit, along the skin. */
export type WayAt = (p: Vec3, normal: Vec3) => Vec3;

const ENOUGH = 1e-7, MOST_ROUNDS = 4000;

/** Slope of each face, 3 × faces; `ways`: 3 × faces, along each; `twin`: vertices that are one. */
export function slopeOfFaces(surface: Surface, ways: Float64Array, twin = weldByPosition(surface.positions)): Float64Array {
  const { triangles: T } = surface, n = T.length / 3, size = surface.positions.length / 3;
  // gradients of the three corners' shares on each face: a height's slope is their sum times its corners' heights
  const G = new Float64Array(9 * n), areas = new Float64Array(n), diagonal = new Float64Array(size), wanted = new Float64Array(size);
  for (let f = 0; f < n; f++) {
    const C = surface.corners(f), normal = cross(sub(C[1], C[0]), sub(C[2], C[0])), twice = length(normal);
    if (twice < 1e-14) continue;
    areas[f] = 0.5 * twice;
    const unit = scale(normal, 1 / twice), way: Vec3 = [ways[3 * f], ways[3 * f + 1], ways[3 * f + 2]];
    for (let k = 0; k < 3; k++) {
      const g = scale(cross(unit, sub(C[(k + 2) % 3], C[(k + 1) % 3])), 1 / twice), v = twin[T[3 * f + k]];
      G.set(g, 9 * f + 3 * k);
      diagonal[v] += areas[f] * dot(g, g);
      wanted[v] += areas[f] * dot(g, way);
    }
  }
  const heights = solve((x, out) => {
    out.fill(0);
    for (let f = 0; f < n; f++) {
      const o = 9 * f, a = twin[T[3 * f]], b = twin[T[3 * f + 1]], c = twin[T[3 * f + 2]], X = x[a], Y = x[b], Z = x[c];
      const gx = areas[f] * (X * G[o] + Y * G[o + 3] + Z * G[o + 6]), gy = areas[f] * (X * G[o + 1] + Y * G[o + 4] + Z * G[o + 7]), gz = areas[f] * (X * G[o + 2] + Y * G[o + 5] + Z * G[o + 8]);
      out[a] += gx * G[o] + gy * G[o + 1] + gz * G[o + 2];
      out[b] += gx * G[o + 3] + gy * G[o + 4] + gz * G[o + 5];
      out[c] += gx * G[o + 6] + gy * G[o + 7] + gz * G[o + 8];
    }
  }, wanted, diagonal);
  const out = new Float64Array(3 * n);
  for (let f = 0; f < n; f++) for (let k = 0; k < 3; k++) for (let x = 0; x < 3; x++) out[3 * f + x] += heights[twin[T[3 * f + k]]] * G[9 * f + 3 * k + x];
  return out;
}

/** Conjugate gradients, scaled by the diagonal; heights of loose parts are each told up to a constant, which no slope sees. */
function solve(apply: (x: Float64Array, out: Float64Array) => void, wanted: Float64Array, diagonal: Float64Array): Float64Array {
  const n = wanted.length, x = new Float64Array(n), r = wanted.slice(), z = new Float64Array(n), p = new Float64Array(n), q = new Float64Array(n);
  const scaled = (): number => { let s = 0; for (let i = 0; i < n; i++) { z[i] = diagonal[i] > 0 ? r[i] / diagonal[i] : 0; s += r[i] * z[i]; } return s; };
  let rz = scaled();
  const enough = ENOUGH * ENOUGH * rz;
  p.set(z);
  for (let round = 0; round < MOST_ROUNDS && rz > enough; round++) {
    apply(p, q);
    let pq = 0;
    for (let i = 0; i < n; i++) pq += p[i] * q[i];
    if (!(pq > 0)) break;
    const a = rz / pq;
    for (let i = 0; i < n; i++) { x[i] += a * p[i]; r[i] -= a * q[i]; }
    const next = scaled(), b = next / rz;
    rz = next;
    for (let i = 0; i < n; i++) p[i] = z[i] + b * p[i];
  }
  return x;
}

/** A flow without its whorls: at each place the slope of the faces round about, by their shares; where there is none the flow itself. */
export function withoutWhorls(surface: Surface, flow: WayAt): WayAt {
  const { triangles: T } = surface, n = T.length / 3, ways = new Float64Array(3 * n), twin = weldByPosition(surface.positions);
  for (let f = 0; f < n; f++) ways.set(flow(surface.place(f, [1 / 3, 1 / 3, 1 / 3]), surface.normal(f)), 3 * f);
  const slope = slopeOfFaces(surface, ways, twin), corner = new Float64Array(surface.positions.length);
  for (let f = 0; f < n; f++) { const area = surface.area(f); for (let k = 0; k < 3; k++) for (let x = 0; x < 3; x++) corner[3 * twin[T[3 * f + k]] + x] += area * slope[3 * f + x]; }
  const unit = (v: number): Vec3 => normalize([corner[3 * v], corner[3 * v + 1], corner[3 * v + 2]]);
  return (p, normal) => {
    const at: SurfacePoint | null = surface.nearest(p);
    if (!at) return flow(p, normal);
    let way: Vec3 = [0, 0, 0];
    for (let k = 0; k < 3; k++) way = addScaled(way, unit(twin[T[3 * at.face + k]]), at.barycentric[k]);
    const along = addScaled(way, normal, -dot(way, normal));
    return length(along) > 1e-3 ? normalize(along) : flow(p, normal);
  };
}
