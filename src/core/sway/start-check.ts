/** Which points begin inside a closed mesh. */
import { Winding } from '../mesh/winding';
import { boxOfPoints } from '../mesh/rest-box';
import { cross, normalize, sub, type Vec3 } from '../math/vec';

/**
 * 1 for each of the points (3 × n, m) that is inside: the mesh goes round it, as two of three rays tell; also where parts of it overlap. `outward` −1 where its
 * faces look inwards.
 */
export function insideClosed(positions: ArrayLike<number>, triangles: Uint32Array, points: ArrayLike<number>, outward: 1 | -1 = 1): Uint8Array {
  const out = new Uint8Array(points.length / 3), { low, high } = boxOfPoints(positions), winding = new Winding(positions, triangles, outward);
  for (let p = 0; p < out.length; p++) {
    const x = points[3 * p], y = points[3 * p + 1], z = points[3 * p + 2];
    if (x < low[0] || y < low[1] || z < low[2] || x > high[0] || y > high[1] || z > high[2]) continue;
    out[p] = winding.within(points, 3 * p) ? 1 : 0;
  }
  return out;
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
