/**
 * Lines of a sheet: from an edge that was drawn along where it is pinned, side by side down its surface to where it ends. Each goes the way on which the
 * distance from the edge (`mesh-ways.ts`) grows fastest.
 */
import { joinedMesh } from './influences';
import { evened, MOST_CLICKS, MOST_DRAWN_JOINTS, MOST_LINES, type DrawnLine } from './drawn';
import { fineLine, WayMesh } from './mesh-ways';
import { cross, normalize, type Vec3 } from '../math/vec';
import type { Character } from '../mesh/character';
import { Surface } from '../mesh/surface';

/** Lines shorter than this share of the middle one are left out: they run out at the side. */
const SHORT = 0.15;
/** Steps that go straight away from the edge. */
const BEGINS = 5;
/** m: faces of a sheet that has two lie no farther apart. */
const THICK = 0.03;
const round = (v: number): number => Math.round(1e6 * v) / 1e6;

/** `edge`: places along where it is pinned, 3 each, m, rest pose; `around`: they go all round. Throws in plain words where no sheet hangs from it. */
export function layLines(character: Character, meshes: readonly string[], edge: readonly number[], { lines, joints, around }: { lines: number; joints: number; around: boolean }): DrawnLine[] {
  if (edge.length < 6) throw new Error('The edge has one place only. Click along all of where the sheet is pinned.');
  const wanted = Math.max(2, Math.min(MOST_LINES, Math.round(lines))), count = Math.max(1, Math.min(MOST_DRAWN_JOINTS, MOST_CLICKS - 1, Math.round(joints)));
  const { positions: P, triangles: T } = joinedMesh(character, meshes), mesh = new WayMesh(P, T), closed = around ? [...edge, edge[0], edge[1], edge[2]] : edge, piece = edgeOf(T, P), fine = fineLine(evened(closed, 4 * closed.length), 0.25 * piece), { distance } = mesh.along(fine), surface = new Surface(P, T), ways = slopes(P, T, distance), whole = fine.arcs[fine.arcs.length - 1];
  const at = (s: number): Vec3 => placeAlong(fine.places, fine.arcs, s);
  const found = Array.from({ length: wanted }, (_, k) => {
    const s = (whole * (k + 0.5)) / wanted, from = at(s), before = at(Math.max(0, s - 0.5 * piece)), after = at(Math.min(whole, s + 0.5 * piece)), along = normalize([after[0] - before[0], after[1] - before[1], after[2] - before[2]]), side = normalize(cross(surface.nearest(from)!.normal, along));
    // to either side of the edge; where there is cloth at both, downwards
    const both = [1, -1].map((sign) => follow(surface, distance, ways, from, side.map((v) => sign * v) as Vec3, 0.4 * piece)), longer = both[0].length > both[1].length ? 0 : 1, drop = both.map((w) => from[1] - w.places[w.places.length - 1][1]), lower = drop[0] > drop[1] ? 0 : 1;
    return both[1 - longer].length > 0.25 * both[longer].length && drop[lower] - drop[1 - lower] > 0.2 * both[lower].length ? both[lower] : both[longer];
  });
  const middle = found.map((f) => f.length).sort((a, b) => a - b)[found.length >> 1], kept = found.filter((f) => f.length > SHORT * middle);
  if (!(middle > 2 * piece) || kept.length < 2) throw new Error('Nothing hangs from this edge far enough to be a sheet. Draw it along where the sheet is pinned, on the mesh itself.');
  return kept.map(({ places, arcs, length }, k) => {
    const flat = places.flat(), out = Array.from({ length: count + 1 }, (_, j) => placeAlong(flat, arcs, (length * j) / count)).flat();
    return { id: `sheet${k + 1}`, name: `sheet ${k + 1}`, places: (mesh.closed ? between(surface, out) : out).map(round), joints: count };
  });
}

/** The place so far along a line of places (3 each), whose lengths from its start are `arcs`. */
function placeAlong(places: ArrayLike<number>, arcs: ArrayLike<number>, s: number): Vec3 {
  let k = 1;
  while (k < arcs.length - 1 && arcs[k] < s) k++;
  const t = Math.min(1, Math.max(0, (s - arcs[k - 1]) / (arcs[k] - arcs[k - 1] || 1)));
  return [0, 1, 2].map((c) => places[3 * k - 3 + c] + t * (places[3 * k + c] - places[3 * k - 3 + c])) as Vec3;
}

/** The way from a place, to one side of the edge, on which the distance grows fastest, in steps of `step` m; to where it would turn back (over a hem to the other face). */
function follow(surface: Surface, distance: Float64Array, ways: Float64Array, from: Vec3, side: Vec3, step: number): { places: Vec3[]; arcs: number[]; length: number } {
  const { triangles: T } = surface, places: Vec3[] = [from], arcs = [0];
  const heading: Vec3 = [...side];
  let here = surface.nearest(from.map((v, c) => v + step * side[c]))!, far = -1, length = 0;
  for (let n = 0; n < 5000; n++) {
    const { face, barycentric: w } = here, way = [0, 0, 0], d = [0, 1, 2].reduce((s, k) => s + w[k] * distance[T[3 * face + k]], 0);
    // about the edge itself slopes point both ways
    const begins = n < BEGINS;
    if (!(d > far + 0.1 * step) && !begins) break;
    const before = places[places.length - 1], d3 = here.point.map((v, c) => v - before[c]), gone = Math.hypot(...d3);
    if (gone < 0.2 * step || d3[0] * heading[0] + d3[1] * heading[1] + d3[2] * heading[2] < 0.2 * gone) break;
    for (let c = 0; c < 3; c++) heading[c] = 0.8 * heading[c] + (0.2 * d3[c]) / (gone || 1);
    length += gone;
    places.push([...here.point]);
    arcs.push(length);
    far = d;
    for (let k = 0; k < 3; k++) for (let c = 0; c < 3; c++) way[c] += w[k] * ways[3 * T[3 * face + k] + c];
    if (begins) for (let c = 0; c < 3; c++) way[c] = side[c];
    const l = Math.hypot(...way);
    if (l < 1e-6) break;
    here = surface.nearest(here.point.map((v, c) => v + (step * way[c]) / l))!;
  }
  return { places, arcs, length };
}
/** By vertex: the way on which `distance` grows fastest, mean of its faces by their area. **Source:** gradient of a linear function on a triangle, from memory. */
function slopes(P: ArrayLike<number>, T: ArrayLike<number>, distance: Float64Array): Float64Array {
  const out = new Float64Array(P.length), at = (v: number): Vec3 => [P[3 * v], P[3 * v + 1], P[3 * v + 2]], minus = (a: Vec3, b: Vec3): Vec3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
  for (let t = 0; t < T.length; t += 3) {
    const v = [T[t], T[t + 1], T[t + 2]], p = v.map(at), n = cross(minus(p[1], p[0]), minus(p[2], p[0])), area = Math.hypot(...n), unit = normalize(n), g = [0, 0, 0];
    if (!(area > 1e-14) || !v.every((q) => Number.isFinite(distance[q]))) continue;
    // Σ d (n × opposite edge) / 2A, times 2A
    for (let k = 0; k < 3; k++) { const e = cross(unit, minus(p[(k + 2) % 3], p[(k + 1) % 3])); for (let c = 0; c < 3; c++) g[c] += distance[v[k]] * e[c]; }
    for (const q of v) for (let c = 0; c < 3; c++) out[3 * q + c] += g[c];
  }
  return out;
}
/** Places on one face of what has two, in the middle between them. */
function between(surface: Surface, places: readonly number[]): number[] {
  return places.flatMap((_, k) => {
    if (k % 3 !== 0) return [];
    const p: Vec3 = [places[k], places[k + 1], places[k + 2]], n = surface.nearest(p)!.normal, in_: Vec3 = [-n[0], -n[1], -n[2]], hit = surface.raycast(p.map((v, c) => v + 1e-4 * in_[c]), in_), half = hit && hit.distance < THICK ? 0.5 * hit.distance : 0;
    return p.map((v, c) => v + half * in_[c]);
  });
}
/** m: how long edges of the mesh are in the middle. */
function edgeOf(T: ArrayLike<number>, P: ArrayLike<number>): number {
  const all: number[] = [];
  for (let t = 0; t + 2 < T.length; t += 3 * Math.max(1, Math.floor(T.length / 9000))) for (let e = 0; e < 3; e++) { const a = 3 * T[t + e], b = 3 * T[t + ((e + 1) % 3)]; all.push(Math.hypot(P[a] - P[b], P[a + 1] - P[b + 1], P[a + 2] - P[b + 2])); }
  return all.sort((a, b) => a - b)[all.length >> 1] ?? 0.01;
}
