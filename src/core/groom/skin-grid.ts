/**
 * Skin grid: places on a mesh at which painted values stand, fine where triangles are large, so that what is painted does not
 * depend on how densely the mesh was modelled. No UVs are needed.
 *
 * Each face is cut along its edges into `steps` equal parts; its (steps + 1)(steps + 2) / 2 texels are the corners of the small
 * triangles so made. Texel (i, j) of a face, i + j ≤ steps, stands at weights 1 − (i + j)/steps, i/steps, j/steps of its corners.
 * Faces that share an edge each have texels of their own on it, at the same places where their steps agree.
 *
 * The grid is a function of the rest mesh alone: a map is one byte a texel, 0 … 255 for 0 … 1; stored, after the four bytes “FCM1”.
 */
import { weldByPosition, type Surface } from '../mesh/surface';
import type { Density } from './planting';

/** m: texels are so far apart at most, or farther on meshes so large that there would be more than `MOST_TEXELS`. */
export const TEXEL = 0.003;
const MOST_TEXELS = 1_500_000, MOST_STEPS = 64;

export class SkinGrid {
  readonly faceCount: number;
  readonly steps: Uint8Array;
  /** First texel of each face, and the number of all. */
  readonly start: Uint32Array;
  readonly count: number;

  /** `rest`: 3 × vertices, m. */
  constructor(readonly rest: ArrayLike<number>, readonly triangles: Uint32Array) {
    const n = (this.faceCount = triangles.length / 3), longest = new Float32Array(n);
    for (let f = 0; f < n; f++) for (let k = 0; k < 3; k++) {
      const a = 3 * triangles[3 * f + k], b = 3 * triangles[3 * f + ((k + 1) % 3)];
      longest[f] = Math.max(longest[f], Math.hypot(rest[a] - rest[b], rest[a + 1] - rest[b + 1], rest[a + 2] - rest[b + 2]));
    }
    this.steps = new Uint8Array(n);
    this.start = new Uint32Array(n + 1);
    for (let texel = TEXEL; ; texel *= 1.4) {
      for (let f = 0; f < n; f++) {
        const s = (this.steps[f] = Math.max(1, Math.min(MOST_STEPS, Math.ceil(longest[f] / texel - 1e-6))));
        this.start[f + 1] = this.start[f] + ((s + 1) * (s + 2)) / 2;
      }
      if (this.start[n] <= MOST_TEXELS || texel > 1) break;
    }
    this.count = this.start[n];
  }

  /** Number of texel (i, j) within a face of so many steps. */
  static within(steps: number, i: number, j: number): number { return i * (steps + 1) - (i * (i - 1)) / 2 + j; }

  /** Value at weights (1 − b − c, b, c) of a face's corners, 0 … 1; linear between texels. */
  sample(map: Uint8Array, face: number, b: number, c: number): number {
    const s = this.steps[face], o = this.start[face], x = Math.min(s, Math.max(0, b * s)), y = Math.min(s - x, Math.max(0, c * s));
    let i = Math.min(Math.floor(x), s - 1), j = Math.min(Math.floor(y), s - 1 - i);
    if (j < 0) { j = 0; i = s - 1; }
    const u = x - i, v = y - j, at = (p: number, q: number): number => map[o + SkinGrid.within(s, p, q)];
    const value = u + v <= 1 || i + j + 2 > s ? (1 - u - v) * at(i, j) + u * at(i + 1, j) + v * at(i, j + 1) : (1 - v) * at(i + 1, j) + (1 - u) * at(i, j + 1) + (u + v - 1) * at(i + 1, j + 1);
    return Math.min(255, Math.max(0, value)) / 255;
  }

  /** Calls for every texel of a face with its weights of the second and third corner. */
  eachOf(face: number, visit: (texel: number, b: number, c: number) => void): void {
    const s = this.steps[face];
    let t = this.start[face];
    for (let i = 0; i <= s; i++) for (let j = 0; j <= s - i; j++) visit(t++, i / s, j / s);
  }

  /** Places of the texels of a face list in a pose (3 × vertices, m) into `out`, 3 × texels of them one face after another. */
  placesInto(out: Float32Array, positions: ArrayLike<number>, faces: ArrayLike<number>): void {
    const T = this.triangles;
    let o = 0;
    for (let k = 0; k < faces.length; k++) {
      const f = faces[k], A = 3 * T[3 * f], B = 3 * T[3 * f + 1], C = 3 * T[3 * f + 2], s = this.steps[f];
      for (let i = 0; i <= s; i++) for (let j = 0; j <= s - i; j++, o += 3) {
        const b = i / s, c = j / s, a = 1 - b - c;
        for (let x = 0; x < 3; x++) out[o + x] = a * positions[A + x] + b * positions[B + x] + c * positions[C + x];
      }
    }
  }
  /** Small triangles of a face list, corners numbered as `placesInto` writes them. */
  trianglesOf(faces: ArrayLike<number>): Uint32Array {
    let n = 0;
    for (let k = 0; k < faces.length; k++) n += this.steps[faces[k]] ** 2;
    const out = new Uint32Array(3 * n);
    let base = 0, o = 0;
    for (let k = 0; k < faces.length; k++) {
      const s = this.steps[faces[k]], at = (i: number, j: number): number => base + SkinGrid.within(s, i, j);
      for (let i = 0; i < s; i++) for (let j = 0; j < s - i; j++) {
        out[o++] = at(i, j); out[o++] = at(i + 1, j); out[o++] = at(i, j + 1);
        if (i + j < s - 1) { out[o++] = at(i + 1, j); out[o++] = at(i + 1, j + 1); out[o++] = at(i, j + 1); }
      }
      base += ((s + 1) * (s + 2)) / 2;
    }
    return out;
  }

  /** Neighbouring texels of each, over the edges of faces too: where those of texel t stand in `list`. Made when first asked for. */
  private graph: { first: Uint32Array; list: Uint32Array; twin: Int32Array } | null = null;
  neighbours(): { first: Uint32Array; list: Uint32Array; twin: Int32Array } {
    if (this.graph) return this.graph;
    const all = Uint32Array.from({ length: this.faceCount }, (_, f) => f), places = new Float32Array(3 * this.count);
    this.placesInto(places, this.rest, all);
    const twin = weldByPosition(places), T = this.trianglesOf(all), count = new Uint32Array(this.count + 1);
    const edges = (visit: (a: number, b: number) => void): void => { for (let t = 0; t < T.length; t += 3) for (let k = 0; k < 3; k++) { const a = twin[T[t + k]], b = twin[T[t + ((k + 1) % 3)]]; visit(a, b); visit(b, a); } };
    edges((a) => { count[a + 1]++; });
    for (let t = 0; t < this.count; t++) count[t + 1] += count[t];
    const first = count.slice(), list = new Uint32Array(count[this.count]), at = count.slice();
    edges((a, b) => { list[at[a]++] = b; });
    return (this.graph = { first, list, twin });
  }
}

/** Value everywhere. */
export const evenMap = (grid: SkinGrid, value: number): Uint8Array => new Uint8Array(grid.count).fill(Math.round(255 * value));

const MAGIC = [0x46, 0x43, 0x4d, 0x31];
/** A map ready to be stored. */
export function packMap(texels: Uint8Array): Uint8Array {
  const out = new Uint8Array(4 + texels.length);
  out.set(MAGIC);
  out.set(texels, 4);
  return out;
}
const texelsOf = (bytes: Uint8Array): Uint8Array | null => (MAGIC.every((b, k) => bytes[k] === b) ? bytes.subarray(4) : null);

/**
 * A map as it is stored, on the grid: as one byte a texel, or, as earlier documents have it, as f32 a vertex. Null where the bytes
 * are neither.
 */
export function readMap(bytes: Uint8Array, grid: SkinGrid, vertexCount: number): Uint8Array | null {
  const texels = texelsOf(bytes);
  if (texels) return texels.length === grid.count ? texels : null;
  if (bytes.length !== 4 * vertexCount) return null;
  const values = new Float32Array(Uint8Array.from(bytes).buffer), out = new Uint8Array(grid.count);
  for (let f = 0; f < grid.faceCount; f++) {
    const [p, q, r] = [0, 1, 2].map((k) => values[grid.triangles[3 * f + k]]);
    grid.eachOf(f, (t, b, c) => { out[t] = Math.round(255 * Math.min(1, Math.max(0, (1 - b - c) * p + b * q + c * r))); });
  }
  return out;
}

/** A stored map as a function of the place on the mesh. Null where the bytes are no map of it. */
export function mapSampler(bytes: Uint8Array, rest: ArrayLike<number>, triangles: Uint32Array, grid?: SkinGrid): Density | null {
  const texels = texelsOf(bytes);
  if (!texels) {
    if (bytes.length !== (4 * rest.length) / 3) return null;
    const values = new Float32Array(Uint8Array.from(bytes).buffer);
    return (f, b, c) => (1 - b - c) * values[triangles[3 * f]] + b * values[triangles[3 * f + 1]] + c * values[triangles[3 * f + 2]];
  }
  const g = grid ?? new SkinGrid(rest, triangles);
  return texels.length === g.count ? (f, b, c) => g.sample(texels, f, b, c) : null;
}

export interface Dab {
  x: number; y: number; z: number;
  /** Where the brush looks from: skin that faces away from it is not painted. */
  toward: readonly [number, number, number];
  radius: number;
  /** Share of the radius over which it fades. */
  falloff: number;
  /** 0 … 1: how much of the way to the value is gone at the middle. */
  strength: number;
}

/** How much of a dab reaches a place at a share of its radius. */
export function dabAt(share: number, falloff: number): number {
  if (share >= 1) return 0;
  const t = falloff > 1e-6 ? Math.min(1, (1 - share) / falloff) : 1;
  return t * t * (3 - 2 * t);
}

/** Draws a live map (f32 a texel, 0 … 1) toward a value under the brush; `surface`: the mesh in the pose it is seen in. Returns the faces touched. */
export function paintToward(grid: SkinGrid, map: Float32Array, surface: Surface, dab: Dab, value: number): number[] {
  return under(grid, surface, dab, (t, w) => { map[t] += (value - map[t]) * w; });
}
/** Draws each texel under the brush toward the mean of its neighbours. */
export function paintSmooth(grid: SkinGrid, map: Float32Array, surface: Surface, dab: Dab): number[] {
  const { first, list, twin } = grid.neighbours(), wanted: [number, number][] = [];
  const touched = under(grid, surface, dab, (t, w) => {
    const c = twin[t];
    let sum = map[c], n = 1;
    for (let k = first[c]; k < first[c + 1]; k++) { sum += map[list[k]]; n++; }
    wanted.push([t, map[t] + (sum / n - map[t]) * w]);
  });
  for (const [t, v] of wanted) map[t] = v;
  return touched;
}

function under(grid: SkinGrid, surface: Surface, { x, y, z, toward, radius, falloff, strength }: Dab, change: (texel: number, weight: number) => void): number[] {
  const T = grid.triangles, { positions } = surface, touched: number[] = [];
  for (const f of surface.facesNear([x, y, z], radius)) {
    const A = 3 * T[3 * f], B = 3 * T[3 * f + 1], C = 3 * T[3 * f + 2];
    const ux = positions[B] - positions[A], uy = positions[B + 1] - positions[A + 1], uz = positions[B + 2] - positions[A + 2], vx = positions[C] - positions[A], vy = positions[C + 1] - positions[A + 1], vz = positions[C + 2] - positions[A + 2];
    const nx = uy * vz - uz * vy, ny = uz * vx - ux * vz, nz = ux * vy - uy * vx;
    if (nx * toward[0] + ny * toward[1] + nz * toward[2] > 0.2 * Math.hypot(nx, ny, nz)) continue;
    let any = false;
    grid.eachOf(f, (t, b, c) => {
      const dx = positions[A] + b * ux + c * vx - x, dy = positions[A + 1] + b * uy + c * vy - y, dz = positions[A + 2] + b * uz + c * vz - z, w = strength * dabAt(Math.sqrt(dx * dx + dy * dy + dz * dz) / radius, falloff);
      if (w > 0) { any = true; change(t, w); }
    });
    if (any) touched.push(f);
  }
  return touched;
}

/** Blurred over about so far, m; a new map. */
export function blurMap(grid: SkinGrid, map: Uint8Array, reach: number): Uint8Array {
  const { first, list, twin } = grid.neighbours();
  let now = Float32Array.from(map), next = now.slice();
  // one pass moves a value by about a texel; variances add up
  const passes = Math.max(1, Math.min(400, Math.round((reach / TEXEL) ** 2)));
  for (let pass = 0; pass < passes; pass++) {
    for (let t = 0; t < now.length; t++) {
      if (twin[t] !== t) continue;
      let sum = now[t], n = 1;
      for (let k = first[t]; k < first[t + 1]; k++) { sum += now[list[k]]; n++; }
      next[t] = sum / n;
    }
    for (let t = 0; t < now.length; t++) if (twin[t] !== t) next[t] = next[twin[t]];
    [now, next] = [next, now];
  }
  return Uint8Array.from(now, (v) => Math.round(v));
}
/** Ways to put another map to one, texel by texel. */
export const MAP_BLENDS = {
  multiply: { label: 'times it', help: 'The two multiplied: 0 wherever either is 0.', of: (a: number, b: number): number => (a * b) / 255 },
  mean: { label: 'half and half', help: 'The mean of the two.', of: (a: number, b: number): number => (a + b) / 2 },
  lighter: { label: 'the greater', help: 'Whichever is greater.', of: (a: number, b: number): number => Math.max(a, b) },
  darker: { label: 'the less', help: 'Whichever is less.', of: (a: number, b: number): number => Math.min(a, b) },
  less: { label: 'less it', help: 'What the other map has is taken away, down to 0.', of: (a: number, b: number): number => Math.max(0, a - b) },
  copy: { label: 'that map', help: 'The other map takes the place of this one.', of: (_a: number, b: number): number => b },
} as const;
export type MapBlend = keyof typeof MAP_BLENDS;
/** One map with another of the same grid; a new map. */
export const blendMaps = (map: Uint8Array, other: Uint8Array, how: MapBlend): Uint8Array => map.map((v, t) => Math.round(MAP_BLENDS[how].of(v, other[t])));
export const invertMap = (map: Uint8Array): Uint8Array => map.map((v) => 255 - v);

/** From 1 at one place to 0 at another, over the faces given, straight through space; elsewhere as it was. */
export function gradientMap(grid: SkinGrid, map: Uint8Array, faces: ArrayLike<number>, positions: ArrayLike<number>, from: ArrayLike<number>, to: ArrayLike<number>): Uint8Array {
  const out = map.slice(), d = [0, 1, 2].map((c) => to[c] - from[c]), l2 = d[0] ** 2 + d[1] ** 2 + d[2] ** 2 || 1, T = grid.triangles;
  for (let k = 0; k < faces.length; k++) {
    const f = faces[k], [A, B, C] = [0, 1, 2].map((q) => 3 * T[3 * f + q]);
    grid.eachOf(f, (t, b, c) => {
      let s = 0;
      for (let x = 0; x < 3; x++) s += ((1 - b - c) * positions[A + x] + b * positions[B + x] + c * positions[C + x] - from[x]) * d[x];
      out[t] = Math.round(255 * (1 - Math.min(1, Math.max(0, s / l2))));
    });
  }
  return out;
}

/** The map of one side laid on the other, left and right of x = 0 in the rest pose; `fromLeft`: +x is copied to −x. `nearest`: closest place on the rest mesh. */
export function mirrorMap(grid: SkinGrid, map: Uint8Array, fromLeft: boolean, nearest: (p: [number, number, number]) => { face: number; barycentric: ArrayLike<number> } | null): Uint8Array {
  const out = map.slice(), { rest, triangles: T } = grid;
  for (let f = 0; f < grid.faceCount; f++) {
    const [A, B, C] = [0, 1, 2].map((q) => 3 * T[3 * f + q]), side = fromLeft ? -1 : 1;
    if (side * (rest[A] + rest[B] + rest[C]) <= 0) continue;
    grid.eachOf(f, (t, b, c) => {
      const p = [0, 1, 2].map((x) => (1 - b - c) * rest[A + x] + b * rest[B + x] + c * rest[C + x]), hit = nearest([-p[0], p[1], p[2]]);
      if (hit) out[t] = Math.round(255 * grid.sample(map, hit.face, hit.barycentric[1], hit.barycentric[2]));
    });
  }
  return out;
}
