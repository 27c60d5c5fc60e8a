/** Who moves what: shares of each vertex between the chains and what stays, and the four joints that come of them. */
import { restPositions, type Character } from '../mesh/character';
import { smoothStep } from '../math/vec';
import { evened, meshesOf, STILL, troubleWithDrawn, type Drawn, type WeightsBy } from './drawn';
import { fineLine, Room, WayMesh, type Ways } from './mesh-ways';

/** Loose parts more than which each cannot be looked at by itself. */
const MOST_PARTS = 250;
/** Share of one chain below which a vertex is left to the other. Common practice, no source. */
const LEAST_SHARE = 0.02;

/** Joints of the lines, one after the other, and what they are to the vertices of the meshes, one after the other. */
export interface Influences {
  /** Four a vertex: 0 is what stays with the animation, 1 … the joints of all lines in their order. */
  joints: Uint16Array;
  /** Summing to 1. */
  weights: Float32Array;
  /** (lines + 1) × vertices: what is still, then each line. */
  shares: Float32Array;
  notes: string[];
}

/** Vertices of all meshes of a drawing in the rest pose, one mesh after the other, and their triangles. */
export function joinedMesh(character: Character, names: readonly string[]): { positions: Float64Array; triangles: Uint32Array; starts: number[] } {
  const meshes = meshesOf(character, names), rests = meshes.map((m) => restPositions(character, m)), starts = [0];
  for (const r of rests) starts.push(starts[starts.length - 1] + r.length / 3);
  const positions = new Float64Array(3 * starts[meshes.length]), triangles = new Uint32Array(meshes.reduce((n, m) => n + m.triangles.length, 0));
  let at = 0;
  meshes.forEach((m, k) => { positions.set(rests[k], 3 * starts[k]); for (const v of m.triangles) triangles[at++] = starts[k] + v; });
  return { positions, triangles, starts };
}

/** Places of the joints, and the tip's, of each line of a drawing. */
export const jointPlaces = (drawn: Pick<Drawn, 'lines'>): number[][] => drawn.lines.map((l) => evened(l.places, l.joints));

/**
 * What the lines of a drawing are to its meshes. A vertex is a line's by how much nearer that is than the others, by the way the drawing says; along
 * the line it is shared between the two joints whose bones it lies between. `maps`: bytes of what was painted, by line.
 * Throws in plain words where the drawing cannot be used.
 */
export function influencesOf(character: Character, drawn: Drawn, maps: ReadonlyMap<string, Float32Array>, by: WeightsBy = drawn.by): Influences {
  const trouble = troubleWithDrawn(character, drawn);
  if (trouble) throw new Error(trouble);
  const { positions, triangles } = joinedMesh(character, drawn.meshes), mesh = new WayMesh(positions, triangles), count = mesh.count, notes: string[] = [], joints = jointPlaces(drawn);
  if (mesh.parts > MOST_PARTS) throw new Error(`These meshes are in ${mesh.parts.toLocaleString('en')} loose parts; ${MOST_PARTS} can be hung on chains here. Join them where they touch, or choose fewer meshes.`);
  const room = by === 'inside' ? new Room(mesh) : null, step = room ? room.cell / 2 : Math.max(1e-4, Math.min(...joints.map(lengthOf)) / 60);
  if (room && !mesh.closed) notes.push('These meshes are not closed: for ways through their inside, what their faces take up counts.');
  const ways = joints.map((p): Ways => { const line = fineLine(p, step); return room ? mesh.inside(line, room) : mesh.along(line); }), lines = joints.length, shares = new Float32Array((lines + 1) * count), still = drawn.stillMm / 1000, arcs = joints.map(arcsOf);
  for (let v = 0; v < count; v++) {
    let nearest = 0;
    for (let k = 1; k < lines; k++) if (ways[k].distance[v] < ways[nearest].distance[v]) nearest = k;
    if (!(ways[nearest].distance[v] < Infinity)) { shares[v] = 1; continue; }
    const first = Math.max(1e-9, ways[nearest].distance[v]);
    let sum = 0;
    for (let k = 0; k < lines; k++) { const d = ways[k].distance[v], f = d < Infinity ? (first / Math.max(first, d)) ** 4 : 0; if (f >= LEAST_SHARE) { shares[(k + 1) * count + v] = f; sum += f; } }
    // how much of it moves at all is said by the nearest, almost alone: what is far from all lines hangs on no place far along them
    let near = 0, moves = 0;
    for (let k = 0; k < lines; k++) { const f = shares[(k + 1) * count + v] ** 4; near += f; if (f > 0) moves += f * smoothStep(still, still + arcs[k][1] / 2, ways[k].arc[v]); }
    for (let k = 0; k < lines; k++) shares[(k + 1) * count + v] *= moves / near / sum;
    shares[v] = 1 - moves / near;
  }
  // what was painted goes before
  const painted = drawn.painted.flatMap(({ id, map }) => { const row = id === STILL ? 0 : drawn.lines.findIndex((l) => l.id === id) + 1, values = maps.get(map); return (row === 0 && id !== STILL) || values?.length !== count ? [] : [{ row, values }]; });
  for (let v = 0; v < count && painted.length > 0; v++) {
    const asked = painted.reduce((s, p) => s + p.values[v], 0), k = asked > 1 ? 1 / asked : 1;
    if (asked === 0) continue;
    for (let r = 0; r <= lines; r++) shares[r * count + v] *= 1 - k * asked;
    for (const p of painted) shares[p.row * count + v] += k * p.values[v];
  }
  return { ...gathered(shares, ways, arcs, count), shares, notes };
}

/** Up to four joints a vertex from shares of lines and places along them. */
function gathered(shares: Float32Array, ways: readonly Ways[], arcs: readonly Float64Array[], count: number): Pick<Influences, 'joints' | 'weights'> {
  const joints = new Uint16Array(4 * count), weights = new Float32Array(4 * count), firsts: number[] = [];
  let first = 1;
  for (const a of arcs) { firsts.push(first); first += a.length - 1; }
  for (let v = 0; v < count; v++) {
    const all: [number, number][] = [[0, shares[v]]];
    for (let k = 0; k < ways.length; k++) {
      const share = shares[(k + 1) * count + v];
      if (share <= 0) continue;
      // between the middles of two bones it is shared by them
      const a = arcs[k], bones = a.length - 1, s = ways[k].distance[v] < Infinity ? ways[k].arc[v] : 0, middle = (j: number): number => (a[j] + a[j + 1]) / 2;
      let j = 0;
      while (j + 1 < bones && middle(j + 1) <= s) j++;
      const t = j + 1 < bones ? Math.min(1, Math.max(0, (s - middle(j)) / (middle(j + 1) - middle(j)))) : 0;
      all.push([firsts[k] + j, share * (1 - t)]);
      if (t > 0) all.push([firsts[k] + j + 1, share * t]);
    }
    all.sort((p, q) => q[1] - p[1] || p[0] - q[0]);
    const best = all.slice(0, 4), sum = best.reduce((s, [, w]) => s + w, 0);
    best.forEach(([j, w], q) => { if (w > 0) { joints[4 * v + q] = j; weights[4 * v + q] = w / sum; } });
  }
  return { joints, weights };
}

const lengthOf = (p: readonly number[]): number => { const a = arcsOf(p); return a[a.length - 1]; };
/** How far each place is along a line, m. */
function arcsOf(p: readonly number[]): Float64Array {
  const out = new Float64Array(p.length / 3);
  for (let k = 1; k < out.length; k++) out[k] = out[k - 1] + Math.hypot(p[3 * k] - p[3 * k - 3], p[3 * k + 1] - p[3 * k - 2], p[3 * k + 2] - p[3 * k - 1]);
  return out;
}

/**
 * How thick meshes are about the lines drawn through them, m: the radius of a tube, about the thickness of a sheet; the middle one of all lines. By the lesser
 * spread of the vertices across a line.
 */
export function thicknessOf(character: Character, drawn: Drawn, { joints, weights }: Pick<Influences, 'joints' | 'weights'>): number {
  const { positions: P } = joinedMesh(character, drawn.meshes), lines = jointPlaces(drawn), found: number[] = [];
  let first = 1;
  for (const p of lines) {
    const bones = p.length / 3 - 1, per: number[] = [];
    for (let j = 0; j < bones; j++) {
      const a = p.slice(3 * j, 3 * j + 3), t = [0, 1, 2].map((c) => p[3 * j + 3 + c] - a[c]), l = Math.hypot(...t) || 1;
      for (let c = 0; c < 3; c++) t[c] /= l;
      const u = Math.abs(t[0]) < 0.9 ? [0, t[2], -t[1]] : [-t[2], 0, t[0]], ul = Math.hypot(...u) || 1, w = [0, 0, 0];
      for (let c = 0; c < 3; c++) u[c] /= ul;
      for (let c = 0; c < 3; c++) w[c] = t[(c + 1) % 3] * u[(c + 2) % 3] - t[(c + 2) % 3] * u[(c + 1) % 3];
      let n = 0, xx = 0, xy = 0, yy = 0;
      for (let k = 0; k < weights.length; k++) {
        if (joints[k] !== first + j || weights[k] < 0.5) continue;
        const v = 3 * (k >> 2), d = [P[v] - a[0], P[v + 1] - a[1], P[v + 2] - a[2]], x = d[0] * u[0] + d[1] * u[1] + d[2] * u[2], y = d[0] * w[0] + d[1] * w[1] + d[2] * w[2];
        n++; xx += x * x; xy += x * y; yy += y * y;
      }
      // of a tube x² and y² are half the radius squared each
      if (n > 5) per.push(Math.sqrt(2 * Math.max(0, (xx + yy) / 2 - Math.hypot((xx - yy) / 2, xy)) / n));
    }
    if (per.length > 0) found.push(per.sort((a, b) => a - b)[per.length >> 1]);
    first += bones;
  }
  return found.sort((a, b) => a - b)[found.length >> 1] ?? 0;
}

/** Share of all vertices' movement that two ways of weighing give to different lines, 0 … 1 a vertex. */
export function differenceOf(a: Influences, b: Influences): Float32Array {
  const count = a.weights.length / 4, rows = a.shares.length / count, out = new Float32Array(count);
  for (let v = 0; v < count; v++) { let s = 0; for (let r = 0; r < rows; r++) s += Math.abs(a.shares[r * count + v] - b.shares[r * count + v]); out[v] = s / 2; }
  return out;
}

/** Influences as bytes: u16 × 4, then f32 × 4 a vertex. */
export function packInfluences({ joints, weights }: Pick<Influences, 'joints' | 'weights'>): Uint8Array {
  const out = new Uint8Array(joints.byteLength + weights.byteLength);
  out.set(new Uint8Array(joints.buffer, joints.byteOffset, joints.byteLength));
  out.set(new Uint8Array(weights.buffer, weights.byteOffset, weights.byteLength), joints.byteLength);
  return out;
}
/** Null where the bytes are not those of so many vertices. */
export function unpackInfluences(bytes: Uint8Array, count: number): Pick<Influences, 'joints' | 'weights'> | null {
  if (bytes.byteLength !== 24 * count) return null;
  const own = bytes.slice().buffer;
  return { joints: new Uint16Array(own, 0, 4 * count), weights: new Float32Array(own, 8 * count, 4 * count) };
}
