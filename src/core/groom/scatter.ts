/**
 * Roots spread evenly, as blue noise, over faces and by a painted density; those that are there stay.
 *
 * Many more places than wanted are thrown by area and density, then one after the other the most crowded is taken away until the
 * wanted number is left. Distances are counted in the local unit of density, so that dense skin keeps closer roots.
 * **Source:** Yuksel, Sample Elimination for Generating Poisson Disk Sample Sets, Computer Graphics Forum 34 (2015), sections 3 and
 * 4: weights (1 − d / 2r)^8, r from the densest packing, α = 8, β = 0.65, γ = 1.5. Ours differs in the distance between places on
 * skin that faces away from each other, which does not count.
 */
import { requireContract } from '../contract';
import type { Surface } from '../mesh/surface';
import { faceDensity, scatterByArea, type Density, type Planting } from './planting';

/** Places thrown for each root wanted. */
const THROWN = 6;
const BETA = 0.65, GAMMA = 1.5;
export const MOST_ROOTS = 20000;

/** m²: area of the faces, each part of it counted by its density. */
export function plantedArea(surface: Surface, faces: ArrayLike<number>, density: Density | null): number {
  let sum = 0;
  for (let k = 0; k < faces.length; k++) sum += surface.area(faces[k]) * (density ? faceDensity(density, faces[k]) : 1);
  return sum;
}
/**
 * `count` roots, those in `kept` first and unmoved (their faces need not be among those given). The same input gives the same
 * roots. Fewer come out where the density is nothing nearly everywhere.
 */
export function scatterRoots(surface: Surface, faces: ArrayLike<number>, count: number, seed: number, density: Density | null = null, kept: Planting | null = null): Planting {
  requireContract(faces.length > 0, 'faces', 'at least one face', faces.length);
  requireContract(count >= 1 && count <= MOST_ROOTS, 'count', `1…${MOST_ROOTS}`, count);
  const held = kept?.faces.length ?? 0, wanted = Math.max(0, count - held), thrown = scatterByArea(surface, faces, THROWN * wanted, seed, density), n = held + thrown.faces.length;
  const out = (ids: readonly number[]): Planting => {
    const made: Planting = { faces: new Uint32Array(held + ids.length), weights: new Float32Array(2 * (held + ids.length)) };
    if (kept) { made.faces.set(kept.faces); made.weights.set(kept.weights); }
    ids.forEach((i, k) => { made.faces[held + k] = thrown.faces[i - held]; made.weights[2 * (held + k)] = thrown.weights[2 * (i - held)]; made.weights[2 * (held + k) + 1] = thrown.weights[2 * (i - held) + 1]; });
    return made;
  };
  if (wanted === 0 || thrown.faces.length === 0) return out([]);

  const area = plantedArea(surface, faces, density), P = new Float64Array(3 * n), N = new Float64Array(3 * n), R = new Float64Array(n), rMax = Math.sqrt(area / (2 * Math.sqrt(3) * count));
  const { positions: V, triangles: T } = surface;
  const place = (i: number, from: Planting, k: number): void => {
    const f = from.faces[k], b = from.weights[2 * k], c = from.weights[2 * k + 1], a = 1 - b - c, p = 3 * T[3 * f], q = 3 * T[3 * f + 1], r = 3 * T[3 * f + 2], o = 3 * i;
    const ux = V[q] - V[p], uy = V[q + 1] - V[p + 1], uz = V[q + 2] - V[p + 2], vx = V[r] - V[p], vy = V[r + 1] - V[p + 1], vz = V[r + 2] - V[p + 2];
    for (let x = 0; x < 3; x++) P[o + x] = a * V[p + x] + b * V[q + x] + c * V[r + x];
    N[o] = uy * vz - uz * vy; N[o + 1] = uz * vx - ux * vz; N[o + 2] = ux * vy - uy * vx;
    R[i] = rMax / Math.sqrt(Math.max(0.002, density ? density(f, b, c) : 1));
  };
  for (let k = 0; k < held; k++) place(k, kept!, k);
  for (let k = 0; k < thrown.faces.length; k++) place(held + k, thrown, k);

  const near = neighbourLists(P, N, R, n), { first, other, weight } = near, least = (1 - Math.pow(count / Math.max(count, n), GAMMA)) * BETA, heap = new LoadHeap(n, held);
  for (let i = 0; i < n; i++) {
    let sum = 0;
    for (let e = first[i]; e < first[i + 1]; e++) {
      const w = 1 - Math.max(weight[e], least), w2 = w * w, w4 = w2 * w2;
      sum += weight[e] = w4 * w4; // α = 8
    }
    heap.load[i] = sum;
  }
  heap.build();
  for (let left = thrown.faces.length; left > wanted; left--) {
    const i = heap.pop();
    for (let e = first[i]; e < first[i + 1]; e++) { const j = other[e]; if (j >= held) heap.lighten(j, weight[e]); }
  }
  return out(heap.left());
}

/** Pairs nearer than twice the greater of their radii, with their distance as a share of that; on skin that faces the same way. */
function neighbourLists(P: Float64Array, N: Float64Array, R: Float64Array, n: number): { first: Uint32Array; other: Uint32Array; weight: Float32Array } {
  // by the commoner radii; few places have far larger ones
  const cell = 2 * Float64Array.from(R).sort()[Math.floor(0.9 * (n - 1))], low = [Infinity, Infinity, Infinity], size = 1 << Math.ceil(Math.log2(2 * n + 2));
  for (let i = 0; i < 3 * n; i++) low[i % 3] = Math.min(low[i % 3], P[i]);
  const bucket = (x: number, y: number, z: number): number => (Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791)) & (size - 1);
  // sorted by cell, so that what is looked at together lies together
  const C = new Int32Array(3 * n), own = new Int32Array(n), begin = new Uint32Array(size + 1), order = new Uint32Array(n), S = new Float64Array(7 * n), Z = new Int32Array(3 * n);
  for (let i = 0; i < n; i++) {
    for (let c = 0; c < 3; c++) C[3 * i + c] = Math.floor((P[3 * i + c] - low[c]) / cell);
    begin[(own[i] = bucket(C[3 * i], C[3 * i + 1], C[3 * i + 2])) + 1]++;
  }
  for (let h = 0; h < size; h++) begin[h + 1] += begin[h];
  const fill = begin.slice();
  for (let i = 0; i < n; i++) {
    const k = fill[own[i]]++;
    order[k] = i;
    for (let c = 0; c < 3; c++) { S[7 * k + c] = P[3 * i + c]; S[7 * k + 3 + c] = N[3 * i + c]; Z[3 * k + c] = C[3 * i + c]; }
    S[7 * k + 6] = R[i];
  }
  const first = new Uint32Array(n + 1);
  let other = new Uint32Array(32 * n), share = new Float32Array(32 * n), found = 0;
  for (let i = 0; i < n; i++) {
    first[i] = found;
    const x = P[3 * i], y = P[3 * i + 1], z = P[3 * i + 2], nx = N[3 * i], ny = N[3 * i + 1], nz = N[3 * i + 2], r = R[i];
    for (let dx = -1; dx <= 1; dx++) for (let dy = -1; dy <= 1; dy++) for (let dz = -1; dz <= 1; dz++) {
      const cx = C[3 * i] + dx, cy = C[3 * i + 1] + dy, cz = C[3 * i + 2] + dz, h = bucket(cx, cy, cz);
      for (let k = begin[h]; k < begin[h + 1]; k++) {
        if (Z[3 * k] !== cx || Z[3 * k + 1] !== cy || Z[3 * k + 2] !== cz) continue;
        const o = 7 * k, reach = Math.min(cell, r + S[o + 6]), ex = S[o] - x, ey = S[o + 1] - y, ez = S[o + 2] - z, d2 = ex * ex + ey * ey + ez * ez;
        if (d2 >= reach * reach || order[k] === i || nx * S[o + 3] + ny * S[o + 4] + nz * S[o + 5] < 0) continue;
        if (found === other.length) { const more = new Uint32Array(2 * found), w = new Float32Array(2 * found); more.set(other); w.set(share); other = more; share = w; }
        other[found] = order[k];
        share[found++] = Math.sqrt(d2) / reach;
      }
    }
  }
  first[n] = found;
  return { first, other, weight: share };
}

/** Binary heap of the heaviest that may go; ties fall to the lower number, so that every machine takes the same. */
class LoadHeap {
  readonly load: Float64Array;
  private readonly items: Int32Array;
  private readonly where: Int32Array;
  private size = 0;
  constructor(private readonly count: number, private readonly held: number) {
    this.load = new Float64Array(count);
    this.items = new Int32Array(count);
    this.where = new Int32Array(count).fill(-1);
  }
  private before(a: number, b: number): boolean { const d = this.load[a] - this.load[b]; return d !== 0 ? d > 0 : a < b; }
  build(): void {
    for (let i = this.held; i < this.count; i++) { this.where[i] = this.size; this.items[this.size++] = i; }
    for (let k = (this.size >> 1) - 1; k >= 0; k--) this.down(k);
  }
  pop(): number {
    const top = this.items[0], last = this.items[--this.size];
    this.where[top] = -1;
    if (this.size > 0) { this.items[0] = last; this.where[last] = 0; this.down(0); }
    return top;
  }
  lighten(i: number, by: number): void {
    this.load[i] -= by;
    if (this.where[i] >= 0) this.down(this.where[i]);
  }
  private down(k: number): void {
    const { items, where } = this, item = items[k];
    for (;;) {
      let c = 2 * k + 1;
      if (c >= this.size) break;
      if (c + 1 < this.size && this.before(items[c + 1], items[c])) c++;
      if (!this.before(items[c], item)) break;
      items[k] = items[c];
      where[items[k]] = k;
      k = c;
    }
    items[k] = item;
    where[item] = k;
  }
  left(): number[] { return Array.from(this.items.subarray(0, this.size)).sort((a, b) => a - b); }
}
