/** Which points begin inside a closed mesh. */
import { Surface } from '../mesh/surface';
import { boxOfPoints } from '../mesh/rest-box';
import { cross, normalize, sub, type Vec3 } from '../math/vec';

/** Directions that no modelled face is likely to lie along. */
const RAYS: readonly Vec3[] = ([[0.267, 0.8, 0.538], [-0.62, 0.51, -0.597], [0.71, -0.39, -0.586]] as Vec3[]).map(normalize);

/**
 * 1 for each of the points (3 × n, m) that is inside: the mesh goes round it, as two of three rays tell; also where parts of it overlap. `outward` −1 where its
 * faces look inwards.
 */
export function insideClosed(positions: ArrayLike<number>, triangles: Uint32Array, points: ArrayLike<number>, outward: 1 | -1 = 1): Uint8Array {
  const out = new Uint8Array(points.length / 3), { low, high } = boxOfPoints(positions);
  let surface: Surface | null = null;
  for (let p = 0; p < out.length; p++) {
    const at: Vec3 = [points[3 * p], points[3 * p + 1], points[3 * p + 2]];
    if (at.some((v, c) => v < low[c] || v > high[c])) continue;
    out[p] = windsRound((surface ??= new Surface(positions, triangles)), at, outward) ? 1 : 0;
  }
  return out;
}

/** Whether a closed mesh goes round a place, as two of three rays tell. */
export function windsRound(surface: Surface, at: Vec3, outward: 1 | -1): boolean {
  let within = 0;
  for (let r = 0; r < 3 && within < 2 && within + 3 - r >= 2; r++) if (outward * surface.around(at, RAYS[r]) >= 1) within++;
  return within >= 2;
}

/** m: a face is looked at from so far in front of it. */
const BEFORE = 2e-4;
/** Share of the way from the middle of a face to its corners at which it is looked at too. */
const OUT = 0.9;
/**
 * 1 for each face of a closed mesh whose front lies inside the mesh: where parts of it overlap, as a knot stuck into a scarf, or teeth in a head. No
 * hair gets there, and as the nearest face it would tell a place inside for one outside. 2 where only its middle does.
 */
export function hiddenFaces(positions: ArrayLike<number>, triangles: Uint32Array, outward: 1 | -1): Uint8Array {
  const count = triangles.length / 3, fronts = new Float64Array(3 * count), faces = Uint32Array.from({ length: count }, (_, f) => f);
  faces.forEach((f) => frontOf(fronts, f, positions, triangles, f, outward, 0, 0));
  const out = insideClosed(positions, triangles, fronts, outward), sunk = faces.filter((f) => out[f] === 1), corners = new Float64Array(9 * sunk.length);
  sunk.forEach((f, k) => { for (let c = 0; c < 3; c++) frontOf(corners, 3 * k + c, positions, triangles, f, outward, c, OUT); });
  const inside = insideClosed(positions, triangles, corners, outward);
  sunk.forEach((f, k) => { if (inside[3 * k] + inside[3 * k + 1] + inside[3 * k + 2] < 3) out[f] = 2; });
  return out;
}
/** Place before a face, so far from its middle to a corner, into place `k` of `out`. */
function frontOf(out: Float64Array, k: number, P: ArrayLike<number>, T: Uint32Array, face: number, outward: 1 | -1, corner: number, share: number): void {
  const [a, b, c] = [0, 1, 2].map((j): Vec3 => { const v = 3 * T[3 * face + j]; return [P[v], P[v + 1], P[v + 2]]; }), n = normalize(cross(sub(b, a), sub(c, a))), to = [a, b, c][corner];
  for (let x = 0; x < 3; x++) out[3 * k + x] = ((1 - share) * (a[x] + b[x] + c[x])) / 3 + share * to[x] + outward * BEFORE * n[x];
}
/** Rings of faces about the hidden ones. */
const BESIDE = 2;
/** 1 for each face that is not hidden (or only in part) but close to one that is: part of it may be, or part of that one not, and the nearest of the others tells nothing. `weld`: vertices that are one (`weldByPosition`). */
export function besideHidden(triangles: Uint32Array, weld: Int32Array, hidden: Uint8Array): Uint8Array {
  const corner = new Uint8Array(weld.length), out = hidden.map((is) => (is === 0 ? 0 : 1));
  for (let ring = 0; ring < BESIDE; ring++) {
    for (let h = 0; h < triangles.length; h++) if (out[Math.floor(h / 3)] === 1) corner[weld[triangles[h]]] = 1;
    for (let h = 0; h < triangles.length; h++) if (corner[weld[triangles[h]]] === 1) out[Math.floor(h / 3)] = 1;
  }
  return out.map((is, f) => (is === 1 && hidden[f] !== 1 ? 1 : 0));
}
