/**
 * Meshes from distance fields: surface nets on a rectilinear grid, projected on to the field, relaxed along it, decimated,
 * with normals and ambient occlusion taken from the field itself.
 * Source: Gibson 1998 (surface nets), *from memory*; decimation by meshoptimizer.
 */
import { MeshoptSimplifier } from 'meshoptimizer';
import { clamp, mix } from '../../src/core/math/vec';
import { clipMesh } from './cloth';
import { gradientInto, type Field } from './field';

/** Positions 3n (mm), triangles 3m, normals 3n. */
export interface Mesh {
  positions: Float64Array;
  triangles: Uint32Array;
  normals: Float32Array;
}

/** Grid lines from the first key's place to the last, with a step interpolated between the [place, step] keys. */
export function gridLines(keys: [number, number][]): Float64Array {
  const step = (x: number): number => {
    let i = 0;
    while (i < keys.length - 2 && x > keys[i + 1][0]) i++;
    return mix(keys[i][1], keys[i + 1][1], clamp((x - keys[i][0]) / (keys[i + 1][0] - keys[i][0])));
  };
  const end = keys[keys.length - 1][0];
  const lines = [keys[0][0]];
  for (let x = keys[0][0]; x < end; ) {
    x += step(x);
    lines.push(x);
  }
  return Float64Array.from(lines);
}
export const evenLines = (from: number, to: number, step: number): Float64Array => gridLines([[from, step], [to, step]]);

const CUBE_EDGES = [[0, 1], [2, 3], [4, 5], [6, 7], [0, 2], [1, 3], [4, 6], [5, 7], [0, 4], [1, 5], [2, 6], [3, 7]];
const BLOCK = 6;

interface NetOptions { lip?: number; relax?: number; eps?: number }

/** `lip` bounds how much faster than 1 the field may change; blocks farther from the surface than that are skipped. */
function surfaceNets(f: Field, X: Float64Array, Y: Float64Array, Z: Float64Array, options: NetOptions): { positions: Float64Array; triangles: Uint32Array } {
  const { lip = 1.6, relax = 3, eps = 1 } = options;
  const nx = X.length, ny = Y.length, nz = Z.length;
  const values = new Float32Array(nx * ny * nz).fill(NaN);
  const at = (i: number, j: number, k: number): number => (k * ny + j) * nx + i;
  const value = (i: number, j: number, k: number): number => {
    const q = at(i, j, k);
    let v = values[q];
    if (v !== v) {
      v = f(X[i], Y[j], Z[k]) || 1e-9;
      values[q] = v;
    }
    return v;
  };
  const vertexOfCell = new Int32Array(nx * ny * nz).fill(-1);
  const positions: number[] = [];
  const cells: number[] = [];
  const corner = new Float64Array(8);
  const visitCell = (i: number, j: number, k: number): void => {
    let mask = 0;
    for (let q = 0; q < 8; q++) {
      corner[q] = value(i + (q & 1), j + ((q >> 1) & 1), k + (q >> 2));
      if (corner[q] < 0) mask |= 1 << q;
    }
    if (mask === 0 || mask === 255) return;
    let sx = 0, sy = 0, sz = 0, n = 0;
    for (const [a, b] of CUBE_EDGES) {
      if (corner[a] < 0 === corner[b] < 0) continue;
      const t = corner[a] / (corner[a] - corner[b]);
      sx += mix(X[i + (a & 1)], X[i + (b & 1)], t);
      sy += mix(Y[j + ((a >> 1) & 1)], Y[j + ((b >> 1) & 1)], t);
      sz += mix(Z[k + (a >> 2)], Z[k + (b >> 2)], t);
      n++;
    }
    vertexOfCell[at(i, j, k)] = positions.length / 3;
    positions.push(sx / n, sy / n, sz / n);
    cells.push(i, j, k);
  };
  for (let k = 0; k < nz - 1; k += BLOCK) for (let j = 0; j < ny - 1; j += BLOCK) for (let i = 0; i < nx - 1; i += BLOCK) {
    const i1 = Math.min(i + BLOCK, nx - 1), j1 = Math.min(j + BLOCK, ny - 1), k1 = Math.min(k + BLOCK, nz - 1);
    const cx = (X[i] + X[i1]) / 2, cy = (Y[j] + Y[j1]) / 2, cz = (Z[k] + Z[k1]) / 2;
    if (Math.abs(f(cx, cy, cz)) >= Math.hypot(X[i1] - cx, Y[j1] - cy, Z[k1] - cz) * lip) continue;
    for (let c = k; c < k1; c++) for (let b = j; b < j1; b++) for (let a = i; a < i1; a++) visitCell(a, b, c);
  }
  const triangles: number[] = [];
  const quad = (a: number, b: number, c: number, d: number, turned: boolean): void => {
    if (a < 0 || b < 0 || c < 0 || d < 0) return;
    if (turned) triangles.push(a, c, b, a, d, c);
    else triangles.push(a, b, c, a, c, d);
  };
  for (let q = 0; q < cells.length; q += 3) {
    const i = cells[q], j = cells[q + 1], k = cells[q + 2];
    const inside = value(i, j, k) < 0;
    if (j > 0 && k > 0 && inside !== value(i + 1, j, k) < 0)
      quad(vertexOfCell[at(i, j, k)], vertexOfCell[at(i, j - 1, k)], vertexOfCell[at(i, j - 1, k - 1)], vertexOfCell[at(i, j, k - 1)], !inside);
    if (i > 0 && k > 0 && inside !== value(i, j + 1, k) < 0)
      quad(vertexOfCell[at(i, j, k)], vertexOfCell[at(i, j, k - 1)], vertexOfCell[at(i - 1, j, k - 1)], vertexOfCell[at(i - 1, j, k)], !inside);
    if (i > 0 && j > 0 && inside !== value(i, j, k + 1) < 0)
      quad(vertexOfCell[at(i, j, k)], vertexOfCell[at(i - 1, j, k)], vertexOfCell[at(i - 1, j - 1, k)], vertexOfCell[at(i, j - 1, k)], !inside);
  }
  const mesh = { positions: Float64Array.from(positions), triangles: Uint32Array.from(triangles) };
  let finest = Infinity;
  for (const lines of [X, Y, Z]) for (let i = 1; i < lines.length; i++) finest = Math.min(finest, lines[i] - lines[i - 1]);
  projectOnto(f, mesh.positions, 4, eps, finest * 1.5);
  const neighbours = neighbourLists(mesh.positions.length / 3, mesh.triangles);
  for (let r = 0; r < relax; r++) {
    relaxAlong(f, mesh.positions, neighbours, 0.5, eps);
    projectOnto(f, mesh.positions, 2, eps, finest);
  }
  return mesh;
}

/** Newton steps on f = 0 along the gradient, each at most `longest`. */
function projectOnto(f: Field, P: Float64Array, steps: number, eps: number, longest: number): void {
  const g = [0, 0, 0];
  for (let v = 0; v < P.length; v += 3) for (let s = 0; s < steps; s++) {
    const d = f(P[v], P[v + 1], P[v + 2]);
    if (Math.abs(d) < 1e-3 * longest) break;
    gradientInto(f, P[v], P[v + 1], P[v + 2], eps, g);
    const l = g[0] * g[0] + g[1] * g[1] + g[2] * g[2];
    if (l < 1e-6) break;
    let t = -d / Math.max(l, 0.04);
    const move = Math.abs(t) * Math.sqrt(l);
    if (move > longest) t *= longest / move;
    P[v] += g[0] * t; P[v + 1] += g[1] * t; P[v + 2] += g[2] * t;
  }
}

export function neighbourLists(count: number, T: ArrayLike<number>): number[][] {
  const lists: number[][] = Array.from({ length: count }, () => []);
  for (let t = 0; t < T.length; t += 3) for (let a = 0; a < 3; a++) {
    const u = T[t + a], w = T[t + ((a + 1) % 3)];
    if (!lists[u].includes(w)) lists[u].push(w);
    if (!lists[w].includes(u)) lists[w].push(u);
  }
  return lists;
}

/** Moves vertices toward the mean of their neighbours, along the surface only. */
function relaxAlong(f: Field, P: Float64Array, neighbours: number[][], share: number, eps: number): void {
  const Q = P.slice();
  const g = [0, 0, 0];
  for (let v = 0; v < neighbours.length; v++) {
    const list = neighbours[v];
    if (list.length === 0) continue;
    let x = 0, y = 0, z = 0;
    for (const w of list) { x += Q[w * 3]; y += Q[w * 3 + 1]; z += Q[w * 3 + 2]; }
    x = x / list.length - Q[v * 3]; y = y / list.length - Q[v * 3 + 1]; z = z / list.length - Q[v * 3 + 2];
    gradientInto(f, Q[v * 3], Q[v * 3 + 1], Q[v * 3 + 2], eps, g);
    const d = (x * g[0] + y * g[1] + z * g[2]) / (g[0] * g[0] + g[1] * g[1] + g[2] * g[2] || 1);
    P[v * 3] += share * (x - d * g[0]); P[v * 3 + 1] += share * (y - d * g[1]); P[v * 3 + 2] += share * (z - d * g[2]);
  }
}

export function fieldNormals(f: Field, P: ArrayLike<number>, eps: number): Float32Array {
  const N = new Float32Array(P.length);
  const g = [0, 0, 0];
  for (let v = 0; v < P.length; v += 3) {
    gradientInto(f, P[v], P[v + 1], P[v + 2], eps, g);
    const l = 1 / (Math.hypot(g[0], g[1], g[2]) || 1);
    N[v] = g[0] * l; N[v + 1] = g[1] * l; N[v + 2] = g[2] * l;
  }
  return N;
}

/** Openness 0…1 of each vertex: how far the field falls short of the distance walked along the normal. */
export function fieldOpenness(f: Field, P: ArrayLike<number>, N: ArrayLike<number>, steps: number[], strength = 1): Float32Array {
  const A = new Float32Array(P.length / 3);
  for (let v = 0; v < A.length; v++) {
    let closed = 0, weight = 1;
    for (const s of steps) {
      const d = f(P[v * 3] + N[v * 3] * s, P[v * 3 + 1] + N[v * 3 + 1] * s, P[v * 3 + 2] + N[v * 3 + 2] * s);
      closed += weight * clamp((s - d) / s);
      weight *= 0.8;
    }
    A[v] = clamp(1 - (strength * closed) / steps.length);
  }
  return A;
}

async function decimate(P: Float64Array, T: Uint32Array, N: Float32Array, target: number, error: number, normalWeight: number): Promise<{ positions: Float64Array; triangles: Uint32Array }> {
  await MeshoptSimplifier.ready;
  const [kept] = MeshoptSimplifier.simplifyWithAttributes(T, Float32Array.from(P), 3, N, 3, [normalWeight, normalWeight, normalWeight], null, Math.floor(target) * 3, error, ['ErrorAbsolute']);
  const slot = new Int32Array(P.length / 3).fill(-1);
  const positions: number[] = [];
  const triangles = Uint32Array.from(kept, (v) => {
    if (slot[v] < 0) {
      slot[v] = positions.length / 3;
      positions.push(P[v * 3], P[v * 3 + 1], P[v * 3 + 2]);
    }
    return slot[v];
  });
  return { positions: Float64Array.from(positions), triangles };
}

export interface ExtractOptions extends NetOptions {
  /** Parts of the surface where this is negative are cut away. */
  keep?: Field;
  normalWeight?: number;
}

/** The mesh of f = 0 with about `triangles` triangles, within `error` mm of the dense one. */
export async function extract(f: Field, X: Float64Array, Y: Float64Array, Z: Float64Array, triangles: number, error: number, options: ExtractOptions = {}): Promise<Mesh> {
  const eps = options.eps ?? 1;
  const dense = surfaceNets(f, X, Y, Z, { ...options, eps });
  const cut = options.keep ? clipMesh(dense.positions, dense.triangles, options.keep) : dense;
  const small = await decimate(cut.positions, cut.triangles, fieldNormals(f, cut.positions, eps), triangles, error, options.normalWeight ?? 0.6);
  return { ...small, normals: fieldNormals(f, small.positions, eps) };
}
