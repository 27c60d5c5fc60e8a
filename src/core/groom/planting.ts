/**
 * Planting: roots bound to triangles of the rest mesh by barycentric weights, and how they move with the skin.
 *
 * A guide's shape is kept as offsets from its root in the orientation of the rest pose. In another pose the skin at the root
 * has turned by a rotation q (from the triangle's edge frame), so that a point stands at root + q · offset.
 */
import { makeRandom } from '../math/random';
import { quatFromAxes } from '../math/mat4';
import { cross, normalize, sub, type Vec3 } from '../math/vec';
import { requireContract } from '../contract';
import type { Surface } from '../mesh/surface';

export interface Planting {
  /** Face of each root. */
  faces: Uint32Array;
  /** 2 × roots: weights of the face's second and third corner. */
  weights: Float32Array;
}

/** Candidates thrown for every root wanted. */
const CANDIDATES_PER_ROOT = 10;

/**
 * Spreads `count` roots evenly over the chosen faces: random places by area, of which the farthest from those already
 * taken is taken next. The same faces, count and seed give the same roots.
 */
export function scatterEvenly(surface: Surface, faces: ArrayLike<number>, count: number, seed: number): Planting {
  requireContract(faces.length > 0, 'faces', 'at least one face', faces.length);
  requireContract(count >= 1 && count <= 8000, 'count', '1…8000', count);
  const pool = scatterByArea(surface, faces, count * CANDIDATES_PER_ROOT, seed);
  const n = pool.faces.length;
  const P = new Float64Array(3 * n);
  for (let i = 0; i < n; i++) P.set(rootPlace(surface, pool, i), 3 * i);
  const nearest = new Float64Array(n).fill(Infinity);
  const taken: number[] = [];
  let next = 0;
  for (let k = 0; k < count; k++) {
    taken.push(next);
    const x = P[3 * next], y = P[3 * next + 1], z = P[3 * next + 2];
    let far = -1;
    for (let i = 0; i < n; i++) {
      const d = (P[3 * i] - x) ** 2 + (P[3 * i + 1] - y) ** 2 + (P[3 * i + 2] - z) ** 2;
      if (d < nearest[i]) nearest[i] = d;
      if (nearest[i] > far) { far = nearest[i]; next = i; }
    }
  }
  return {
    faces: Uint32Array.from(taken, (i) => pool.faces[i]),
    weights: Float32Array.from(taken.flatMap((i) => [pool.weights[2 * i], pool.weights[2 * i + 1]])),
  };
}

/** 0 … 1 at weights (1 − b − c, b, c) of a face. */
export type Density = (face: number, b: number, c: number) => number;
/** Mean over a face, from seven places that stand for equal parts of it. Common practice, no source. */
export function faceDensity(density: Density, f: number): number {
  return (density(f, 1 / 3, 1 / 3) + density(f, 0.1, 0.1) + density(f, 0.8, 0.1) + density(f, 0.1, 0.8) + density(f, 0.47, 0.06) + density(f, 0.06, 0.47) + density(f, 0.47, 0.47)) / 7;
}
/** Throws within a face at most, where its density refuses places. */
const ATTEMPTS = 12;

/**
 * Random places over the faces, each square metre as likely as another, or by the density where one is given. Any beginning of
 * the list is a fair sample. None come out where there is no density at all.
 */
export function scatterByArea(surface: Surface, faces: ArrayLike<number>, count: number, seed: number, density: Density | null = null): Planting {
  const sums = new Float64Array(faces.length);
  let total = 0;
  for (let i = 0; i < faces.length; i++) { total += surface.area(faces[i]) * (density ? faceDensity(density, faces[i]) : 1); sums[i] = total; }
  if (!(total > 0)) return { faces: new Uint32Array(0), weights: new Float32Array(0) };
  const random = makeRandom(seed);
  const out: Planting = { faces: new Uint32Array(count), weights: new Float32Array(2 * count) };
  for (let k = 0; k < count; k++) {
    const wanted = random() * total;
    let low = 0, high = faces.length - 1;
    while (low < high) {
      const mid = (low + high) >> 1;
      if (sums[mid] > wanted) high = mid;
      else low = mid + 1;
    }
    out.faces[k] = faces[low];
    for (let attempt = 0, best = -1; attempt < ATTEMPTS; attempt++) {
      // uniform over a triangle. Source: Osada et al. 2002, from memory
      const r = Math.sqrt(random()), q = random(), b = r * (1 - q), c = r * q, d = density ? density(faces[low], b, c) : 1;
      if (d > best) { best = d; out.weights[2 * k] = b; out.weights[2 * k + 1] = c; }
      if (!density || random() <= d) { out.weights[2 * k] = b; out.weights[2 * k + 1] = c; break; }
    }
  }
  return out;
}

export function rootPlace(surface: Surface, planting: Planting, i: number): Vec3 {
  const b = planting.weights[2 * i], c = planting.weights[2 * i + 1];
  return surface.place(planting.faces[i], [1 - b - c, b, c]);
}

/** All vertices that the roots hang on, each once. */
export function rootVertices(planting: Planting, triangles: Uint32Array): Uint32Array {
  const set = new Set<number>();
  for (const f of planting.faces) for (let k = 0; k < 3; k++) set.add(triangles[3 * f + k]);
  return Uint32Array.from(set).sort();
}

/** Edge frame of a triangle: x along its first edge, y its normal. */
function faceAxes(P: ArrayLike<number>, triangles: Uint32Array, face: number): [Vec3, Vec3, Vec3] {
  const at = (k: number): Vec3 => { const v = 3 * triangles[3 * face + k]; return [P[v], P[v + 1], P[v + 2]]; };
  const a = at(0), x = normalize(sub(at(1), a)), y = normalize(cross(x, sub(at(2), a)));
  return [x, y, cross(x, y)];
}

/** Places of the roots, m, and unit normals of their faces, 3 × roots each, where the mesh stands at `P`. */
export function rootSeats(planting: Planting, P: ArrayLike<number>, triangles: Uint32Array): { places: Float32Array; normals: Float32Array } {
  const { faces, weights } = planting, places = new Float32Array(3 * faces.length), normals = new Float32Array(3 * faces.length);
  for (let i = 0; i < faces.length; i++) {
    const [A, B, C] = [0, 1, 2].map((k) => 3 * triangles[3 * faces[i] + k]), b = weights[2 * i], c = weights[2 * i + 1];
    for (let x = 0; x < 3; x++) places[3 * i + x] = (1 - b - c) * P[A + x] + b * P[B + x] + c * P[C + x];
    normals.set(faceAxes(P, triangles, faces[i])[1], 3 * i);
  }
  return { places, normals };
}

/** Rest frames of the roots as quaternions, 4 × roots, to be given to `rootMotionsInto`. */
export function restFrames(planting: Planting, restPositions: ArrayLike<number>, triangles: Uint32Array): Float64Array {
  const out = new Float64Array(4 * planting.faces.length);
  planting.faces.forEach((f, i) => out.set(quatFromAxes(...faceAxes(restPositions, triangles, f)), 4 * i));
  return out;
}

/**
 * Writes each root's movement from rest: rotation x y z w, then its place (m, world); 7 × roots. `positions`: the mesh in
 * the pose, 3 × vertices. A root is exactly the barycentric mean of its triangle's corners.
 */
export function rootMotionsInto(out: Float64Array, planting: Planting, frames: Float64Array, positions: ArrayLike<number>, triangles: Uint32Array): void {
  const { faces, weights } = planting;
  for (let i = 0; i < faces.length; i++) {
    const f = faces[i], o = 7 * i;
    const A = 3 * triangles[3 * f], B = 3 * triangles[3 * f + 1], C = 3 * triangles[3 * f + 2];
    const b = weights[2 * i], c = weights[2 * i + 1], a = 1 - b - c;
    for (let k = 0; k < 3; k++) out[o + 4 + k] = a * positions[A + k] + b * positions[B + k] + c * positions[C + k];
    const q = quatFromAxes(...faceAxes(positions, triangles, f));
    // q · conj(rest)
    const r = 4 * i, bx = -frames[r], by = -frames[r + 1], bz = -frames[r + 2], bw = frames[r + 3];
    out[o] = q[3] * bx + q[0] * bw + q[1] * bz - q[2] * by;
    out[o + 1] = q[3] * by - q[0] * bz + q[1] * bw + q[2] * bx;
    out[o + 2] = q[3] * bz + q[0] * by - q[1] * bx + q[2] * bw;
    out[o + 3] = q[3] * bw - q[0] * bx - q[1] * by - q[2] * bz;
  }
}

/**
 * Places guide offsets (3 × points × guides, m, rest orientation) by root motions: world points of the same layout.
 * `inverse` goes the other way.
 */
export function placeGuides(offsets: ArrayLike<number>, motions: Float64Array, pointCount: number, out: Float32Array | Float64Array, inverse = false): void {
  const guides = motions.length / 7;
  for (let g = 0; g < guides; g++) {
    const o = 7 * g, s = inverse ? -1 : 1;
    const qx = s * motions[o], qy = s * motions[o + 1], qz = s * motions[o + 2], qw = motions[o + 3];
    const rx = motions[o + 4], ry = motions[o + 5], rz = motions[o + 6];
    for (let i = 0; i < pointCount; i++) {
      const p = 3 * (g * pointCount + i);
      let x = offsets[p], y = offsets[p + 1], z = offsets[p + 2];
      if (inverse) { x -= rx; y -= ry; z -= rz; }
      const tx = 2 * (qy * z - qz * y), ty = 2 * (qz * x - qx * z), tz = 2 * (qx * y - qy * x);
      const wx = x + qw * tx + qy * tz - qz * ty, wy = y + qw * ty + qz * tx - qx * tz, wz = z + qw * tz + qx * ty - qy * tx;
      out[p] = inverse ? wx : wx + rx;
      out[p + 1] = inverse ? wy : wy + ry;
      out[p + 2] = inverse ? wz : wz + rz;
    }
  }
}
