/** Sheets: cutting a mesh along a field, giving a sheet thickness, and skins over rings of points. */
import type { Field } from './field';
import type { Mesh } from './extract';

/** Keeps the part of the mesh where `keep ≥ 0`, cutting triangles exactly at 0. */
export function clipMesh(P: Float64Array, T: Uint32Array, keep: Field): { positions: Float64Array; triangles: Uint32Array } {
  const V = Array.from(P);
  const value: number[] = [];
  for (let v = 0; v < V.length; v += 3) value.push(keep(V[v], V[v + 1], V[v + 2]));
  const cutOf = new Map<number, number>();
  const cut = (a: number, b: number): number => {
    const key = a < b ? a * 4e6 + b : b * 4e6 + a;
    const known = cutOf.get(key);
    if (known !== undefined) return known;
    const t = value[a] / (value[a] - value[b]);
    const i = V.length / 3;
    for (let q = 0; q < 3; q++) V.push(V[a * 3 + q] + (V[b * 3 + q] - V[a * 3 + q]) * t);
    value.push(0);
    cutOf.set(key, i);
    return i;
  };
  const out: number[] = [];
  for (let t = 0; t < T.length; t += 3) {
    const p = [T[t], T[t + 1], T[t + 2]];
    const kept = p.map((v) => value[v] >= 0);
    if (!kept.includes(true)) continue;
    if (!kept.includes(false)) { out.push(...p); continue; }
    const polygon: number[] = [];
    for (let i = 0; i < 3; i++) {
      const j = (i + 1) % 3;
      if (kept[i]) polygon.push(p[i]);
      if (kept[i] !== kept[j]) polygon.push(cut(p[i], p[j]));
    }
    for (let i = 1; i + 1 < polygon.length; i++) out.push(polygon[0], polygon[i], polygon[i + 1]);
  }
  const slot = new Map<number, number>();
  const positions: number[] = [];
  const triangles = Uint32Array.from(out, (v) => {
    let s = slot.get(v);
    if (s === undefined) {
      s = positions.length / 3;
      slot.set(v, s);
      positions.push(V[v * 3], V[v * 3 + 1], V[v * 3 + 2]);
    }
    return s;
  });
  return { positions: Float64Array.from(positions), triangles };
}

/**
 * Adds an inner face `thickness` mm below the sheet and a rim round its open edges. The first third of the vertices is the
 * outer face, the next the inner one, the rest the rim.
 */
export function thicken(mesh: Mesh, thickness: number): Mesh {
  const { positions: P, triangles: T, normals: N } = mesh;
  const n = P.length / 3;
  const V = Array.from(P), M = Array.from(N), out = Array.from(T);
  for (let v = 0; v < n * 3; v++) { V.push(P[v] - N[v] * thickness); }
  for (let v = 0; v < n * 3; v++) M.push(-N[v]);
  for (let t = 0; t < T.length; t += 3) out.push(T[t] + n, T[t + 2] + n, T[t + 1] + n);
  const directed = new Set<string>();
  for (let t = 0; t < T.length; t += 3) for (let k = 0; k < 3; k++) directed.add(`${T[t + k]}_${T[t + ((k + 1) % 3)]}`);
  for (const key of directed) {
    const [a, b] = key.split('_').map(Number);
    if (directed.has(`${b}_${a}`)) continue;
    const i = V.length / 3;
    for (const q of [a, b, a + n, b + n]) V.push(V[q * 3], V[q * 3 + 1], V[q * 3 + 2]);
    const ex = V[b * 3] - V[a * 3], ey = V[b * 3 + 1] - V[a * 3 + 1], ez = V[b * 3 + 2] - V[a * 3 + 2];
    const rx = ey * N[a * 3 + 2] - ez * N[a * 3 + 1], ry = ez * N[a * 3] - ex * N[a * 3 + 2], rz = ex * N[a * 3 + 1] - ey * N[a * 3];
    const l = Math.hypot(rx, ry, rz) || 1;
    for (let q = 0; q < 4; q++) M.push(rx / l, ry / l, rz / l);
    out.push(i, i + 2, i + 1, i + 1, i + 2, i + 3);
  }
  return { positions: Float64Array.from(V), triangles: Uint32Array.from(out), normals: Float32Array.from(M) };
}

export function smoothNormals(P: ArrayLike<number>, T: ArrayLike<number>): Float32Array {
  const N = new Float32Array(P.length);
  for (let t = 0; t < T.length; t += 3) {
    const a = T[t] * 3, b = T[t + 1] * 3, c = T[t + 2] * 3;
    const ux = P[b] - P[a], uy = P[b + 1] - P[a + 1], uz = P[b + 2] - P[a + 2];
    const vx = P[c] - P[a], vy = P[c + 1] - P[a + 1], vz = P[c + 2] - P[a + 2];
    const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx;
    for (const q of [a, b, c]) { N[q] += x; N[q + 1] += y; N[q + 2] += z; }
  }
  for (let v = 0; v < N.length; v += 3) {
    const l = 1 / (Math.hypot(N[v], N[v + 1], N[v + 2]) || 1);
    N[v] *= l; N[v + 1] *= l; N[v + 2] *= l;
  }
  return N;
}

/** Skin over rings of points, each ring closed; ends capped unless `capEnds` is false; `cyclic` joins the last ring to the first. */
export function loft(rings: number[][][], { capEnds = true, cyclic = false } = {}): Mesh {
  const P: number[] = [], T: number[] = [];
  const m = rings[0].length, n = rings.length;
  for (const ring of rings) for (const p of ring) P.push(...p);
  for (let i = 0; i < (cyclic ? n : n - 1); i++) for (let j = 0; j < m; j++) {
    const a = i * m + j, b = i * m + ((j + 1) % m), c = ((i + 1) % n) * m + j, d = ((i + 1) % n) * m + ((j + 1) % m);
    T.push(a, b, d, a, d, c);
  }
  if (capEnds && !cyclic) for (const [i, first] of [[0, true], [n - 1, false]] as const) {
    const centre = [0, 0, 0];
    for (const p of rings[i]) for (let k = 0; k < 3; k++) centre[k] += p[k] / m;
    const id = P.length / 3;
    P.push(...centre);
    for (let j = 0; j < m; j++) {
      const a = i * m + j, b = i * m + ((j + 1) % m);
      T.push(...(first ? [id, b, a] : [id, a, b]));
    }
  }
  return { positions: Float64Array.from(P), triangles: Uint32Array.from(T), normals: smoothNormals(P, T) };
}

/** Turns a closed part whose winding points inward. */
export function faceOutward(mesh: Mesh): Mesh {
  const { positions: P, triangles: T, normals: N } = mesh;
  let volume = 0;
  for (let t = 0; t < T.length; t += 3) {
    const a = T[t] * 3, b = T[t + 1] * 3, c = T[t + 2] * 3;
    volume += P[a] * (P[b + 1] * P[c + 2] - P[b + 2] * P[c + 1]) - P[a + 1] * (P[b] * P[c + 2] - P[b + 2] * P[c]) + P[a + 2] * (P[b] * P[c + 1] - P[b + 1] * P[c]);
  }
  if (volume >= 0) return mesh;
  const triangles = T.slice();
  for (let t = 0; t < T.length; t += 3) { triangles[t] = T[t + 1]; triangles[t + 1] = T[t]; }
  return { positions: P, triangles, normals: N.map((v) => -v) };
}
