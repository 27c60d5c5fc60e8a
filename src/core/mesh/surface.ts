/** A mesh's surface in one pose, for questions about it: nearest point, ray, neighbouring faces, area. */
import { BufferAttribute, BufferGeometry, Ray, Sphere, Vector3, DoubleSide } from 'three';
import { MeshBVH, type HitPointInfo } from 'three-mesh-bvh';
import type { Vec3 } from '../math/vec';

export interface SurfacePoint {
  face: number;
  point: Vec3;
  /** Unit normal of the face, right-handed winding. */
  normal: Vec3;
  distance: number;
  /** Weights of the face's three corners. */
  barycentric: Vec3;
}

export class Surface {
  private readonly bvh: MeshBVH;
  private readonly query = new Vector3();
  private readonly target: HitPointInfo = { point: new Vector3(), distance: 0, faceIndex: 0 };

  /** `positions` 3 × vertices, m; `triangles` 3 × faces. Neither is copied for reading; the tree keeps its own order. */
  constructor(readonly positions: ArrayLike<number>, readonly triangles: Uint32Array) {
    const geometry = new BufferGeometry();
    geometry.setAttribute('position', new BufferAttribute(Float32Array.from(positions), 3));
    geometry.setIndex(new BufferAttribute(Uint32Array.from(triangles), 1));
    this.bvh = new MeshBVH(geometry, { indirect: true });
  }

  /** Nearest point within `reach` (m), or null. */
  nearest(p: ArrayLike<number>, reach = Infinity): SurfacePoint | null {
    this.query.set(p[0], p[1], p[2]);
    const hit = this.bvh.closestPointToPoint(this.query, this.target, 0, reach);
    return hit ? this.describe(hit.faceIndex, [hit.point.x, hit.point.y, hit.point.z], hit.distance) : null;
  }

  /** First face a ray meets. `direction` is unit. */
  raycast(origin: ArrayLike<number>, direction: ArrayLike<number>): SurfacePoint | null {
    const ray = new Ray(new Vector3(origin[0], origin[1], origin[2]), new Vector3(direction[0], direction[1], direction[2]));
    const hit = this.bvh.raycastFirst(ray, DoubleSide);
    return hit && hit.faceIndex != null ? this.describe(hit.faceIndex, [hit.point.x, hit.point.y, hit.point.z], hit.distance) : null;
  }

  /** How often the mesh goes round a place, as a ray from it tells: 1 inside a closed mesh, 2 where two parts of it overlap. `direction` is unit. */
  around(origin: ArrayLike<number>, direction: ArrayLike<number>): number {
    const ray = new Ray(new Vector3(origin[0], origin[1], origin[2]), new Vector3(direction[0], direction[1], direction[2]));
    let count = 0;
    for (const hit of this.bvh.raycast(ray, DoubleSide)) if (hit.faceIndex != null) { const n = this.normal(hit.faceIndex); count += n[0] * direction[0] + n[1] * direction[1] + n[2] * direction[2] > 0 ? 1 : -1; }
    return count;
  }
  /** Faces that come within `radius` (m) of a place, in the order of their numbers. */
  facesNear(p: ArrayLike<number>, radius: number): number[] {
    const out: number[] = [], ball = new Sphere(new Vector3(p[0], p[1], p[2]), radius);
    this.bvh.shapecast({
      intersectsBounds: (box) => ball.intersectsBox(box),
      intersectsTriangle: (triangle, face) => { if (triangle.closestPointToPoint(ball.center, this.query).distanceToSquared(ball.center) <= radius * radius) out.push(face); return false; },
    });
    return out.sort((a, b) => a - b);
  }

  private describe(face: number, point: Vec3, distance: number): SurfacePoint {
    return { face, point, distance, normal: this.normal(face), barycentric: this.barycentric(face, point) };
  }

  normal(face: number): Vec3 {
    const [a, b, c] = this.corners(face);
    const u = [b[0] - a[0], b[1] - a[1], b[2] - a[2]], v = [c[0] - a[0], c[1] - a[1], c[2] - a[2]];
    const n: Vec3 = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
    const l = Math.hypot(...n) || 1;
    return [n[0] / l, n[1] / l, n[2] / l];
  }

  /** m² */
  area(face: number): number {
    const [a, b, c] = this.corners(face);
    const u = [b[0] - a[0], b[1] - a[1], b[2] - a[2]], v = [c[0] - a[0], c[1] - a[1], c[2] - a[2]];
    return 0.5 * Math.hypot(u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]);
  }

  corners(face: number): [Vec3, Vec3, Vec3] {
    const at = (k: number): Vec3 => {
      const v = 3 * this.triangles[3 * face + k];
      return [this.positions[v], this.positions[v + 1], this.positions[v + 2]];
    };
    return [at(0), at(1), at(2)];
  }

  place(face: number, w: ArrayLike<number>): Vec3 {
    const [a, b, c] = this.corners(face);
    return [0, 1, 2].map((k) => a[k] * w[0] + b[k] * w[1] + c[k] * w[2]) as Vec3;
  }

  /** Source: Ericson, Real-Time Collision Detection, 3.4, *from memory*. */
  private barycentric(face: number, p: Vec3): Vec3 {
    const [a, b, c] = this.corners(face);
    const v0 = [b[0] - a[0], b[1] - a[1], b[2] - a[2]], v1 = [c[0] - a[0], c[1] - a[1], c[2] - a[2]], v2 = [p[0] - a[0], p[1] - a[1], p[2] - a[2]];
    const dot = (s: number[], t: number[]): number => s[0] * t[0] + s[1] * t[1] + s[2] * t[2];
    const d00 = dot(v0, v0), d01 = dot(v0, v1), d11 = dot(v1, v1), d20 = dot(v2, v0), d21 = dot(v2, v1);
    const d = d00 * d11 - d01 * d01;
    if (!(Math.abs(d) > 1e-30)) return [1, 0, 0];
    const v = Math.min(1, Math.max(0, (d11 * d20 - d01 * d21) / d)), w = Math.min(1 - v, Math.max(0, (d00 * d21 - d01 * d20) / d));
    return [1 - v - w, v, w];
  }
}

/** Unit normals of the vertices, 3 × vertices: the mean of their faces' normals by area. */
export function vertexNormals(positions: ArrayLike<number>, triangles: ArrayLike<number>): Float64Array {
  const N = new Float64Array(positions.length);
  for (let t = 0; t + 2 < triangles.length; t += 3) {
    const a = 3 * triangles[t], b = 3 * triangles[t + 1], c = 3 * triangles[t + 2];
    const ux = positions[b] - positions[a], uy = positions[b + 1] - positions[a + 1], uz = positions[b + 2] - positions[a + 2];
    const vx = positions[c] - positions[a], vy = positions[c + 1] - positions[a + 1], vz = positions[c + 2] - positions[a + 2];
    const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx;
    for (const q of [a, b, c]) { N[q] += x; N[q + 1] += y; N[q + 2] += z; }
  }
  for (let v = 0; v < N.length; v += 3) {
    const l = Math.hypot(N[v], N[v + 1], N[v + 2]) || 1;
    N[v] /= l; N[v + 1] /= l; N[v + 2] /= l;
  }
  return N;
}

/** Vertices that share a position get one number, so that seams of the file are no borders. */
export function weldByPosition(positions: ArrayLike<number>): Int32Array {
  const seen = new Map<string, number>();
  return Int32Array.from({ length: positions.length / 3 }, (_, v) => {
    const key = `${Math.round(positions[3 * v] * 1e5)},${Math.round(positions[3 * v + 1] * 1e5)},${Math.round(positions[3 * v + 2] * 1e5)}`;
    const known = seen.get(key);
    if (known !== undefined) return known;
    seen.set(key, v);
    return v;
  });
}

/** The loose part each vertex belongs to, by the number of one of its vertices; `weld`: vertices that are one (`weldByPosition`). */
export function looseParts(triangles: ArrayLike<number>, weld: Int32Array): Int32Array {
  const parent = Int32Array.from(weld), root = (v: number): number => { while (parent[v] !== v) v = parent[v] = parent[parent[v]]; return v; };
  for (let t = 0; t < triangles.length; t += 3) for (let k = 1; k < 3; k++) parent[root(weld[triangles[t + k]])] = root(weld[triangles[t]]);
  return weld.map((v) => root(v));
}

/** Opposite half-edge of each (3 × triangle + edge), −1 at a border or where more than two faces meet. */
export function neighbours(triangles: ArrayLike<number>): Int32Array {
  const opposite = new Int32Array(triangles.length).fill(-1), open = new Map<number, number>();
  let size = 0;
  for (let h = 0; h < triangles.length; h++) size = Math.max(size, triangles[h] + 1);
  for (let h = 0; h < triangles.length; h++) {
    const a = triangles[h], b = triangles[h - (h % 3) + ((h % 3) + 1) % 3], key = a < b ? a * size + b : b * size + a, other = open.get(key);
    if (other === undefined) open.set(key, h);
    else if (opposite[other] < 0) { opposite[other] = h; opposite[h] = other; }
  }
  return opposite;
}
