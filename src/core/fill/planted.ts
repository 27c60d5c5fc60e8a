/**
 * Small meshes planted in place of strands: needles, quills, feathers, or any mesh of somebody's own. Each lies along a filled strand, bent as it is, so
 * that density, lengths, directions, chances and treatments are those of the strands.
 */
import { vertexNormals } from '../mesh/surface';
import { strandRandom } from './drivers';

/** A mesh to be planted: y from 0 (root) to 1 (tip), x across and z off the skin in shares of its length; faces outwards. */
export interface SmallMesh { positions: Float32Array; normals: Float32Array; indices: Uint32Array }
export const BUILT_IN = ['needle', 'quill', 'feather'] as const;
export type BuiltIn = (typeof BUILT_IN)[number];
export const MOST_VERTICES = 5000;

/** How planted meshes are laid: width (× their own), turned about themselves at random (0 none … 1 anyhow), for a seed. */
export interface PlantedLook { wide: number; spin: number; seed: number }

export function builtIn(name: BuiltIn): SmallMesh {
  if (name === 'feather') return feather();
  // a body of revolution: radius along it
  const radius = name === 'needle' ? (y: number): number => 0.018 * Math.sqrt(Math.max(0, 1 - y)) * (0.7 + 0.3 * Math.min(1, y * 8)) : (y: number): number => 0.03 * (y < 0.12 ? 0.5 + 0.5 * (y / 0.12) : 1) * Math.max(0, y > 0.55 ? 1 - ((y - 0.55) / 0.45) ** 1.6 : 1);
  return revolved(radius, 10, 8);
}
function revolved(radius: (y: number) => number, rings: number, sides: number): SmallMesh {
  const positions: number[] = [], indices: number[] = [];
  for (let j = 0; j <= rings; j++) { const y = j / rings, r = j === rings ? 0 : radius(y); for (let i = 0; i < sides; i++) { const a = (2 * Math.PI * i) / sides; positions.push(r * Math.cos(a), y, r * Math.sin(a)); } }
  for (let j = 0; j < rings; j++) for (let i = 0; i < sides; i++) { const a = j * sides + i, b = j * sides + ((i + 1) % sides); indices.push(a, a + sides, b, b, a + sides, b + sides); }
  return withNormals(Float32Array.from(positions), Uint32Array.from(indices));
}
/** A shaft with a vane on each side that lifts toward its edges. */
function feather(): SmallMesh {
  const rows = 12, positions: number[] = [], indices: number[] = [];
  for (let j = 0; j <= rows; j++) {
    const y = j / rows, wide = y < 0.14 ? 0.012 : 0.16 * Math.sin(Math.PI * Math.min(1, (y - 0.1) / 0.9)) ** 0.6 * (1 - 0.25 * y);
    for (const x of [-1, -0.5, 0, 0.5, 1]) positions.push(x * Math.max(0.006, wide), y - 0.03 * Math.abs(x) * (y > 0.14 ? 1 : 0) * 2, 0.35 * wide * Math.abs(x) ** 1.5 - (x === 0 ? 0.004 : 0));
  }
  for (let j = 0; j < rows; j++) for (let i = 0; i < 4; i++) { const a = 5 * j + i, b = a + 5; indices.push(a, a + 1, b, a + 1, b + 1, b); }
  const flip = indices.slice();
  for (let t = 0; t < flip.length; t += 3) [flip[t], flip[t + 1]] = [flip[t + 1], flip[t]];
  // seen from both sides: the same once more, the other way round
  const n = positions.length / 3, P = Float32Array.from([...positions, ...positions]);
  return withNormals(P, Uint32Array.from([...indices, ...flip.map((v) => v + n)]));
}

/** Somebody's own mesh (3 × vertices, any unit; 3 × faces) stood up along its longest way, its root where it is thicker, or thinner for `flip`. Throws with words for a person. */
export function asSmallMesh(positions: ArrayLike<number>, indices: ArrayLike<number>, flip: boolean): SmallMesh {
  const n = positions.length / 3, low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity];
  if (n < 3 || indices.length < 3) throw new Error('This mesh has no faces.');
  if (n > MOST_VERTICES) throw new Error(`This mesh has ${n.toLocaleString('en')} vertices; what is planted thousands of times has at most ${MOST_VERTICES.toLocaleString('en')}. Bring a coarser one.`);
  for (let v = 0; v < positions.length; v++) { const c = v % 3; low[c] = Math.min(low[c], positions[v]); high[c] = Math.max(high[c], positions[v]); }
  const size = high.map((h, c) => h - low[c]), axis = size.indexOf(Math.max(...size)), L = size[axis];
  if (!(L > 0) || !Number.isFinite(L)) throw new Error('This mesh has no length.');
  // x, y, z of the new from those of the old, turned, never mirrored
  const from = axis === 1 ? [0, 1, 2] : axis === 0 ? [2, 0, 1] : [1, 2, 0], middle = (c: number): number => 0.5 * (low[c] + high[c]);
  const spread = [0, 0], out = new Float32Array(3 * n);
  for (let v = 0; v < n; v++) {
    const y = (positions[3 * v + from[1]] - low[from[1]]) / L;
    out[3 * v] = (positions[3 * v + from[0]] - middle(from[0])) / L; out[3 * v + 1] = y; out[3 * v + 2] = (positions[3 * v + from[2]] - middle(from[2])) / L;
    spread[y < 0.5 ? 0 : 1] += Math.hypot(out[3 * v], out[3 * v + 2]);
  }
  // turned over about x: y and z change their signs
  if ((spread[1] > spread[0]) !== flip) for (let v = 0; v < n; v++) { out[3 * v + 1] = 1 - out[3 * v + 1]; out[3 * v + 2] = -out[3 * v + 2]; }
  return withNormals(out, Uint32Array.from(indices));
}

const withNormals = (positions: Float32Array, indices: Uint32Array): SmallMesh => ({ positions, normals: Float32Array.from(vertexNormals(positions, indices)), indices });

/** Bytes of a small mesh to be stored, and back. */
export function packSmallMesh({ positions, normals, indices }: SmallMesh): Uint8Array {
  const out = new Uint8Array(8 + 4 * (positions.length + normals.length + indices.length)), head = new Uint32Array(out.buffer, 0, 2), body = new Float32Array(out.buffer, 8);
  head[0] = positions.length / 3; head[1] = indices.length;
  body.set(positions); body.set(normals, positions.length);
  new Uint32Array(out.buffer, 8 + 4 * (positions.length + normals.length)).set(indices);
  return out;
}
export function unpackSmallMesh(bytes: Uint8Array): SmallMesh {
  const own = bytes.slice().buffer, [n, m] = new Uint32Array(own, 0, 2);
  return { positions: new Float32Array(own, 8, 3 * n).slice(), normals: new Float32Array(own, 8 + 12 * n, 3 * n).slice(), indices: new Uint32Array(own, 8 + 24 * n, m).slice() };
}

/** Turn of mesh `s` about itself, radians: the view does the same (hair-shaders.ts). */
export const spinOf = (s: number, { spin, seed }: PlantedLook): number => 2 * Math.PI * spin * (strandRandom(s, seed, 9) - 0.5);

/**
 * All meshes in one, laid along strands: `points` 3 × nodes × strands (m), nodes at `shares` of the length (ascending from 0 to 1), `normals` 3 × strands: of the
 * skin as it stands; `widths`: nodes × strands, what treatments make of the thickness (× 1 without). A vertex at y is where the strand is at that share, aside by x
 * and z of its length, × its width there. Normals are those of a mesh as wide all along.
 */
export function layAlong(mesh: SmallMesh, points: ArrayLike<number>, nodes: number, shares: ArrayLike<number>, normals: ArrayLike<number>, look: PlantedLook, widths: ArrayLike<number> | null = null): SmallMesh {
  const count = points.length / (3 * nodes), n = mesh.positions.length / 3, positions = new Float32Array(3 * n * count), out = new Float32Array(3 * n * count), indices = new Uint32Array(mesh.indices.length * count);
  const where = Array.from({ length: n }, (_, v) => { const y = Math.max(0, Math.min(1, mesh.positions[3 * v + 1])); let k = 0; while (k < nodes - 2 && shares[k + 1] < y) k++; return [k, (y - shares[k]) / (shares[k + 1] - shares[k])] as const; });
  for (let s = 0; s < count; s++) {
    let length = 0;
    for (let k = 1; k < nodes; k++) { const o = 3 * (nodes * s + k); length += Math.hypot(points[o] - points[o - 3], points[o + 1] - points[o - 2], points[o + 2] - points[o - 1]); }
    const a = spinOf(s, look), cos = Math.cos(a), sin = Math.sin(a), all = length * look.wide, m = [normals[3 * s], normals[3 * s + 1], normals[3 * s + 2]];
    for (let v = 0; v < n; v++) {
      const [k, f] = where[v], o = 3 * (nodes * s + k), before = o - (k > 0 ? 3 : 0), after = o + (k < nodes - 2 ? 6 : 3), t = [0, 1, 2].map((c) => (1 - f) * (points[o + 3 + c] - points[before + c]) + f * (points[after + c] - points[o + c])), tl = Math.hypot(...t) || 1;
      for (let c = 0; c < 3; c++) t[c] /= tl;
      const d = t[0] * m[0] + t[1] * m[1] + t[2] * m[2], u = [m[0] - d * t[0], m[1] - d * t[1], m[2] - d * t[2]], ul = Math.hypot(...u);
      if (ul < 1e-3) { const q = Math.abs(t[0]) < 0.7 ? 0 : 1, e = t[q]; for (let c = 0; c < 3; c++) u[c] = (c === q ? 1 : 0) - e * t[c]; }
      const l = Math.hypot(...u), side = [(u[1] * t[2] - u[2] * t[1]) / l, (u[2] * t[0] - u[0] * t[2]) / l, (u[0] * t[1] - u[1] * t[0]) / l], p = mesh.positions, N = mesh.normals, x = cos * p[3 * v] - sin * p[3 * v + 2], z = sin * p[3 * v] + cos * p[3 * v + 2], nx = cos * N[3 * v] - sin * N[3 * v + 2], nz = sin * N[3 * v] + cos * N[3 * v + 2], w = 3 * (n * s + v);
      const wide = widths ? all * (widths[nodes * s + k] + f * (widths[nodes * s + k + 1] - widths[nodes * s + k])) : all;
      for (let c = 0; c < 3; c++) {
        positions[w + c] = points[o + c] + f * (points[o + 3 + c] - points[o + c]) + wide * (x * side[c] + (z * u[c]) / l);
        out[w + c] = nx * side[c] + N[3 * v + 1] * t[c] * look.wide + (nz * u[c]) / l;
      }
      const h = Math.hypot(out[w], out[w + 1], out[w + 2]) || 1;
      for (let c = 0; c < 3; c++) out[w + c] /= h;
    }
    for (let i = 0; i < mesh.indices.length; i++) indices[mesh.indices.length * s + i] = n * s + mesh.indices[i];
  }
  return { positions, normals: out, indices };
}
