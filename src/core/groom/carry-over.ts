/** A groom on a newer version of its mesh, or on another one: by the same triangles, or by the nearest place in the rest pose. */
import type { Surface } from '../mesh/surface';
import { shortestTurn, type Vec3 } from '../math/vec';
import { FLOW_NUMBERS } from './flow';
import { rootPlace, type Planting } from './planting';
import { SkinGrid } from './skin-grid';

/** Roots that go farther than this are told, m. Common practice, no source. */
const FAR = 0.005;

export interface CarriedOver {
  /** Whether the triangles are the same: nothing had to be looked for. */
  same: boolean;
  faces: Uint32Array;
  planting: Planting;
  /** 3 × points × guides, m: turned as the skin turned. */
  offsets: Float32Array;
  /** Maps on the new mesh's grid, as they came in. */
  maps: Uint8Array[];
  report: { roots: number; moved: number; farthest: number; mean: number; far: number };
}

/** `maps`: 0 … 255 on the old mesh's grid. Surfaces are those of the rest poses, m. */
export function carryOver(from: Surface, to: Surface, groom: { faces: ArrayLike<number>; planting: Planting; offsets: Float32Array; pointCount: number; maps: readonly Uint8Array[] }): CarriedOver {
  const same = from.triangles.length === to.triangles.length && from.triangles.every((v, i) => v === to.triangles[i]), { planting, pointCount } = groom, n = planting.faces.length;
  const out: CarriedOver = { same, faces: Uint32Array.from(groom.faces), planting, offsets: groom.offsets.slice(), maps: [...groom.maps], report: { roots: n, moved: 0, farthest: 0, mean: 0, far: 0 } };
  if (!same) {
    const faces = new Uint32Array(n), weights = new Float32Array(2 * n);
    for (let i = 0; i < n; i++) { const hit = to.nearest(rootPlace(from, planting, i))!; faces[i] = hit.face; weights[2 * i] = hit.barycentric[1]; weights[2 * i + 1] = hit.barycentric[2]; }
    out.planting = { faces, weights };
    const chosen = new Set(Array.from(groom.faces)), kept: number[] = [];
    for (let f = 0; f < to.triangles.length / 3; f++) { const hit = from.nearest(to.place(f, [1 / 3, 1 / 3, 1 / 3])); if (hit && chosen.has(hit.face)) kept.push(f); }
    out.faces = Uint32Array.from(new Set([...kept, ...faces])).sort();
    if (groom.maps.length > 0) out.maps = carryMaps(from, to, groom.maps);
  }
  let sum = 0;
  for (let i = 0; i < n; i++) {
    const a = rootPlace(from, planting, i), b = rootPlace(to, out.planting, i), d = Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
    sum += d;
    if (d > 1e-6) out.report.moved++;
    if (d > FAR) out.report.far++;
    out.report.farthest = Math.max(out.report.farthest, d);
    turnGuide(out.offsets, i, pointCount, from.normal(planting.faces[i]), to.normal(out.planting.faces[i]));
  }
  out.report.mean = n > 0 ? sum / n : 0;
  return out;
}

/** Strokes of flow on the nearest skin of another mesh. */
export function carryFlow(flow: ArrayLike<number>, to: Surface): Float32Array {
  const out = Float32Array.from(flow);
  for (let o = 0; o < out.length; o += FLOW_NUMBERS) {
    const hit = to.nearest(out.subarray(o + 1, o + 4));
    if (!hit) continue;
    const way: Vec3 = [0, 0, 0];
    shortestTurn([out[o + 7], out[o + 8], out[o + 9]], hit.normal)(out[o + 4], out[o + 5], out[o + 6], way);
    out.set([...hit.point, ...way, ...hit.normal], o + 1);
  }
  return out;
}

function carryMaps(from: Surface, to: Surface, maps: readonly Uint8Array[]): Uint8Array[] {
  const was = new SkinGrid(from.positions, from.triangles), grid = new SkinGrid(to.positions, to.triangles), out = maps.map(() => new Uint8Array(grid.count));
  for (let f = 0; f < grid.faceCount; f++) grid.eachOf(f, (t, b, c) => {
    const hit = from.nearest(to.place(f, [1 - b - c, b, c]));
    if (hit) maps.forEach((m, k) => { out[k][t] = Math.round(255 * was.sample(m, hit.face, hit.barycentric[1], hit.barycentric[2])); });
  });
  return out;
}

/** A guide's shape (3 × points, m) turned from one skin normal to another. */
export function turnedShape(shape: Float32Array, a: Vec3, b: Vec3): Float32Array { const out = shape.slice(); turnGuide(out, 0, shape.length / 3, a, b); return out; }

function turnGuide(offsets: Float32Array, g: number, pointCount: number, a: Vec3, b: Vec3): void {
  const turn = shortestTurn(a, b), out: Vec3 = [0, 0, 0];
  for (let o = 3 * pointCount * g; o < 3 * pointCount * (g + 1); o += 3) { turn(offsets[o], offsets[o + 1], offsets[o + 2], out); offsets.set(out, o); }
}
