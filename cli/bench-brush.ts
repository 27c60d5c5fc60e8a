/** `./comb bench brush`: what one touch of each brush costs, beside placing all guides once. */
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { cpus } from 'node:os';
import { bufferId, bytesOf, floatsOf } from '../src/core/document/buffers';
import { edit, startHistory, undo } from '../src/core/document/edits';
import { newDocument } from '../src/core/document/schema';
import { makeRandom } from '../src/core/math/random';
import { BufferStore } from '../src/editor/state/buffer-store';
import { lengthsOf } from '../src/core/groom/polyline';
import { BRUSHES, BrushStroke, type BrushKind } from '../src/core/groom/comb/brush-stroke';
import { KeepOff } from '../src/core/groom/comb/keep-off';
import { dabOf, mirroredDab, Strides } from '../src/core/groom/comb/reach';
import { growGuide } from '../src/core/groom/grow';
import { placeGuides, rootPlace } from '../src/core/groom/planting';
import { scatterRoots } from '../src/core/groom/scatter';
import { restPositions } from '../src/core/mesh/character';
import { Surface } from '../src/core/mesh/surface';
import { readGlb } from '../src/formats/gltf';

const POINTS = 16, GAP = 0.001;
const read = await readGlb(new Uint8Array(readFileSync('demo/cast/oda.glb')));
if (!read.ok) throw new Error(read.error.message);
const character = read.value, mesh = character.meshes.find((m) => m.hair.length > 0)!, rest = restPositions(character, mesh), surface = new Surface(rest, mesh.triangles);
const faces = Uint32Array.from({ length: mesh.triangles.length / 3 }, (_, f) => f).filter((f) => [0, 1, 2].every((k) => mesh.hair[mesh.triangles[3 * f + k]] > 0.5));

function groomOf(count: number): { offsets: Float32Array; points: Float64Array; normals: Float64Array; motions: Float64Array } {
  const planting = scatterRoots(surface, faces, count, 3), guides = planting.faces.length, offsets = new Float32Array(3 * POINTS * guides), points = new Float64Array(offsets.length), normals = new Float64Array(3 * guides), motions = new Float64Array(7 * guides);
  for (let g = 0; g < guides; g++) {
    const root = rootPlace(surface, planting, g), normal = surface.normal(planting.faces[g]);
    offsets.set(growGuide(surface, root, normal, { length: 0.24, pointCount: POINTS, lie: 'falling', lift: 0.004 }), 3 * POINTS * g);
    normals.set(normal, 3 * g);
    motions[7 * g + 3] = 1;
    motions.set(root, 7 * g + 4);
  }
  placeGuides(offsets, motions, POINTS, points);
  return { offsets, points, normals, motions };
}
/** Radius at which the touches of a stroke of the comb reach so many guides each, in the middle; with the other side, both together. */
function radiusFor(groom: ReturnType<typeof groomOf>, wanted: number, mirrored: boolean): number {
  let low = 0.002, high = 0.15;
  for (let k = 0; k < 10; k++) {
    const r = Math.sqrt(low * high), stroke = new BrushStroke('comb', { points: groom.points.slice(), pointCount: POINTS, normals: groom.normals, chosen: null }, settings(r), []), reached: number[] = [];
    for (const [a, b, share] of strideOf(r, 0)) { const d = dabOf(a, b, SIGHT, share); stroke.touch(d, ...(mirrored ? [mirroredDab(d)] : [])); reached.push(stroke.touched.length); }
    if (reached.sort((a, b) => a - b)[reached.length >> 1] < wanted) low = r; else high = r;
  }
  return high;
}
/** Strides of the s-th stroke: down the side of the head. */
function strideOf(radius: number, s: number): Iterable<[number[], number[], number]> {
  const from = PLACE.map((v, c) => v + [0, 0, 0.01 * (s - 2)][c]);
  return new Strides(from, radius).to([from[0], from[1] - 0.06, from[2] - 0.02], true);
}
const settings = (radius: number) => ({ radius, strength: 0.8, falloff: 0.8, along: [[0, 1], [1, 1]] as [number, number][], from: 0, reverse: false, curlRadius: 0.008, curlPitch: 0.05 });
const PLACE = [0.085, 1.58, 0.0], SIGHT = [-1, 0, 0];

const result: { machine: object; figures: Record<string, number>; ratios: Record<string, number> } = { machine: { cpu: cpus()[0]?.model, cores: cpus().length, node: process.version }, figures: {}, ratios: {} };
for (const [guides, reached] of process.env.ONE ? [[5000, 1000]] : [[5000, 500], [5000, 1000], [20000, 2000], [20000, 4000]]) {
  const groom = groomOf(guides), n = groom.normals.length / 3, radius = radiusFor(groom, reached, true), out = new Float32Array(groom.offsets.length), label = `${n.toLocaleString('en')} guides, ${reached} reached a touch, on two sides together`;
  let whole = Infinity;
  for (let k = 0; k < 5; k++) { const t = performance.now(); placeGuides(groom.offsets, groom.motions, POINTS, out); whole = Math.min(whole, performance.now() - t); }
  const built = performance.now(), skin = new KeepOff([{ positions: rest, triangles: mesh.triangles, worn: false }], GAP);
  skin.warm(groom.points, 0, () => false);
  // what the page does while nobody strokes
  result.figures[`${label}: the skin made ready for a pose, ms`] = performance.now() - built;
  result.figures[`${label}: all guides placed once, ms`] = whole;
  for (const kind of BRUSHES) {
    const times = strokes(groom, kind, radius, skin);
    result.figures[`${label}: ${kind}, ms a touch (middle)`] = times[times.length >> 1];
    result.figures[`${label}: ${kind}, ms a touch (19 of 20)`] = times[Math.floor(0.95 * times.length)];
    result.ratios[`${label}: ${kind} / all guides placed once`] = times[times.length >> 1] / whole;
  }
}
/** Times of the touches of a few strokes, ascending. */
function strokes(groom: ReturnType<typeof groomOf>, kind: BrushKind, radius: number, skin: KeepOff): number[] {
  const times: number[] = [], points = groom.points.slice();
  for (let s = 0; s < 4; s++) {
    const stroke = new BrushStroke(kind, { points, pointCount: POINTS, normals: groom.normals, chosen: null }, settings(radius), skin);
    for (const [a, b, share] of strideOf(radius, s)) {
      const d = dabOf(a, b, SIGHT, share), t = performance.now();
      stroke.touch(d, mirroredDab(d));
      times.push(performance.now() - t);
    }
  }
  return times.sort((a, b) => a - b);
}

steps(groomOf(5000));
/** A thousand strokes in a row: what a step back costs, and what is held when they are all there. */
function steps(groom: ReturnType<typeof groomOf>): void {
  const store = new BufferStore(), n = groom.normals.length / 3, radius = radiusFor(groom, 500, false), points = groom.points.slice(), offsets = groom.offsets.slice(), random = makeRandom(4), stride = 3 * POINTS, label = `${n.toLocaleString('en')} guides, a thousand strokes`;
  const first = newDocument(mesh.name, { clip: '', start: 0, end: 1, fps: 24, cyclic: false }), keep = (): string => { const bytes = bytesOf(offsets), id = bufferId(bytes); store.set(id, bytes); store.onServer.add(id); return id; };
  let id = keep(), history = startHistory({ ...first, guides: { count: n, pointCount: POINTS, planting: id, offsets: id, plantKey: '0'.repeat(64), combed: true } });
  const heldAt: number[] = [], ends: number[] = [];
  for (let k = 1; k <= 1000; k++) {
    const stroke = new BrushStroke('comb', { points, pointCount: POINTS, normals: groom.normals, chosen: null }, settings(radius), []), at = 3 * Math.floor((random() * points.length) / 3), d = dabOf(points.subarray(at, at + 3), [0, 1, 2].map((c) => points[at + c] + 0.01 * (random() - 0.5)), SIGHT);
    stroke.touch(d);
    const t = performance.now(), was = id;
    for (const g of stroke.changed) placeGuides(points.subarray(stride * g, stride * (g + 1)), groom.motions.subarray(7 * g, 7 * g + 7), POINTS, offsets.subarray(stride * g, stride * (g + 1)), true);
    id = keep();
    store.inUse = new Set([id]);
    store.follow(was, id, 4 * stride);
    history = edit(history, 'Comb', (draft) => { draft.guides!.offsets = id; });
    ends.push(performance.now() - t);
    if (k % 250 === 0) { globalThis.gc?.(); heldAt.push(store.bytes / 1048576); }
  }
  const backs: number[] = [];
  for (let k = 0; k < 40; k++) { const t = performance.now(); history = undo(history); const back = floatsOf(store.get(history.document.guides!.offsets)!); lengthsOf(back, POINTS); backs.push(performance.now() - t); }
  backs.sort((a, b) => a - b);
  ends.sort((a, b) => a - b);
  result.figures[`${label}: end of a stroke, kept and named, ms (middle)`] = ends[500];
  result.figures[`${label}: undo of a stroke, ms (middle)`] = backs[20];
  result.figures[`${label}: undo of a stroke, ms (19 of 20)`] = backs[38];
  heldAt.forEach((mb, k) => { result.figures[`${label}: held after ${250 * (k + 1)}, MB`] = mb; });
  result.ratios[`${label}: held after 1000 / after 500`] = heldAt[3] / heldAt[1];
}

mkdirSync('bench-results', { recursive: true });
const file = `bench-results/brush-${new Date().toISOString().replace(/[:.]/g, '-')}.json`, round = (o: Record<string, number>): Record<string, number> => Object.fromEntries(Object.entries(o).map(([k, v]) => [k, Number(v.toFixed(2))]));
writeFileSync(file, `${JSON.stringify({ ...result, figures: round(result.figures), ratios: round(result.ratios) }, null, 2)}\n`);
for (const part of [round(result.figures), round(result.ratios)]) { for (const [k, v] of Object.entries(part)) console.log(`${String(v).padStart(9)}  ${k}`); console.log(); }
console.log(`written to ${file}`);
