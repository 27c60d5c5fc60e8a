/** Browser worker of what takes longer than a frame: planting, filling, fitting pills. */
import { roleOf } from '../core/document/schema';
import { coverage } from '../core/fill/coverage';
import { fillFrom } from '../core/fill/open-fill';
import { makeCards } from '../core/fill/cards';
import { FillShapes, nodeAt, widthAt } from '../core/fill/strands';
import { shapesBetween } from '../core/groom/between';
import { flowAt, growAlong } from '../core/groom/flow';
import { growGuide } from '../core/groom/grow';
import { rootPlace, type Density } from '../core/groom/planting';
import { MOST_ROOTS, plantedArea, scatterRoots } from '../core/groom/scatter';
import { mapSampler, SkinGrid } from '../core/groom/skin-grid';
import { hashUnit } from '../core/math/random';
import type { Character } from '../core/mesh/character';
import { Surface } from '../core/mesh/surface';
import { collidersOf, fittedPills } from '../core/sway/colliders';
import { settled } from '../core/sway/settle';
import { pushFilled } from '../core/sway/push-filled';
import { unpackCharacter } from '../formats/packed-character';
import type { FillReply, FillRequest, PlantOrder } from './messages';

const scope = self as unknown as { onmessage: (e: MessageEvent<FillRequest>) => void; postMessage: (m: FillReply, transfer?: Transferable[]) => void };
let surface: Surface | null = null;
let grid: SkinGrid | null = null;
let character: Character | null = null;

scope.onmessage = ({ data }) => {
  switch (data.kind) {
    case 'surface':
      surface = new Surface(data.positions, data.triangles);
      grid = null;
      return;
    case 'character': {
      const read = unpackCharacter(data.packed);
      if (read.ok) character = read.value;
      return;
    }
    case 'colliders':
      if (character) scope.postMessage({ kind: 'colliders', key: data.key, colliders: collidersOf(character, data.hidden, data.settings), light: fittedPills(character, data.hidden, { role: (m) => roleOf(m, data.settings), skin: () => true, garments: () => true }) });
      return;
    case 'push':
      try { if (character) push(character, data); }
      catch (cause) { scope.postMessage({ kind: 'failed', request: 0, what: 'push', message: cause instanceof Error ? cause.message : String(cause) }); }
      return;
    case 'coverage':
      try { if (surface) cover(surface, data); }
      catch (cause) { scope.postMessage({ kind: 'failed', request: data.request, what: 'coverage', message: cause instanceof Error ? cause.message : String(cause) }); }
      return;
    case 'settle':
      try {
        if (!character) return;
        const shapes = settled(character, data);
        scope.postMessage({ kind: 'settled', request: data.request, shapes }, [shapes.buffer as ArrayBuffer]);
      } catch (cause) { scope.postMessage({ kind: 'failed', request: data.request, what: 'settle', message: cause instanceof Error ? cause.message : String(cause) }); }
      return;
    case 'cards':
      try { if (surface) cards(surface, data); }
      catch (cause) { scope.postMessage({ kind: 'failed', request: data.request, what: 'cards', message: cause instanceof Error ? cause.message : String(cause) }); }
      return;
    case 'plant':
    case 'fill':
      try {
        if (!surface) return;
        if (data.kind === 'plant') plant(surface, data.request, data.order);
        else {
          const strands = fillFrom(data.order, surface, character, (grid ??= new SkinGrid(surface.positions, surface.triangles)));
          const shapes = data.shapes ? (new FillShapes(strands).at(data.order.offsets, data.order.pointCount) as Float32Array<ArrayBuffer>) : null;
          scope.postMessage({ kind: 'filled', request: data.request, strands, shapes }, [...strands.steps.map((s) => s.own.buffer as ArrayBuffer), ...(shapes ? [shapes.buffer] : [])]);
        }
      } catch (cause) {
        scope.postMessage({ kind: 'failed', request: data.request, what: data.kind, message: cause instanceof Error ? cause.message : String(cause) });
      }
  }
};

function cards(on: Surface, { request, order, settings }: Extract<FillRequest, { kind: 'cards' }>): void {
  const strands = fillFrom(order, on, character, (grid ??= new SkinGrid(on.positions, on.triangles))), { count, nodes } = strands, shapes = new FillShapes(strands), points = new Float32Array(3 * nodes * count);
  if (count === 0) throw new Error('There are no strands to make cards of.');
  shapes.at(order.offsets, order.pointCount);
  for (let s = 0; s < count; s++) for (let k = 0; k < nodes; k++) for (let c = 0; c < 3; c++) points[3 * (nodes * s + k) + c] = strands.places[3 * s + c] + shapes.X[4 * (nodes * s + k) + c];
  const set = makeCards({ points, nodes, shares: Float64Array.from({ length: nodes }, (_, k) => nodeAt(k, nodes)), widthAt: (s, k) => widthAt(order.fill, s, k, nodes), normals: strands.normals, each: Math.max(1, order.full / count), surface: on }, settings);
  scope.postMessage({ kind: 'carded', request, set, roots: strands.roots, places: strands.places });
}

function cover(on: Surface, { request, faces, strands, offsets, pointCount, look, full, directions }: Extract<FillRequest, { kind: 'coverage' }>): void {
  const { count, nodes } = strands, shapes = new FillShapes(strands), points = new Float32Array(3 * nodes * count), motions = new Float64Array(7 * count);
  for (let s = 0; s < count; s++) motions.set([0, 0, 0, 1, ...rootPlace(on, strands.roots, s)], 7 * s);
  shapes.at(offsets, pointCount);
  shapes.place(motions, points);
  const result = coverage({ surface: on, faces, points, nodes, widthAt: (s, k) => widthAt(look, s, k, nodes), each: Math.max(1, full / Math.max(1, count)), directions });
  scope.postMessage({ kind: 'covered', request, result }, [result.faces.buffer as ArrayBuffer]);
}

/** Lifts filled strands out of what collides in the pose. */
function push(of: Character, { key, nodes, nodeCount, count, pose, hidden, settings }: Extract<FillRequest, { kind: 'push' }>): void {
  const P = new Float32Array(3 * nodeCount * count);
  for (let i = 0; i < nodeCount * count; i++) for (let c = 0; c < 3; c++) P[3 * i + c] = nodes[4 * i + c];
  const deepest = pushFilled(of, hidden, settings, pose, P, nodeCount);
  for (let i = 0; i < nodeCount * count; i++) for (let c = 0; c < 3; c++) nodes[4 * i + c] = P[3 * i + c];
  scope.postMessage({ kind: 'pushed', key, nodes, deepest }, [nodes.buffer as ArrayBuffer]);
}

/** A stored map of the surface. */
function mapOf(on: Surface, bytes: Uint8Array | null): Density | null {
  return bytes && mapSampler(bytes, on.positions, on.triangles, (grid ??= new SkinGrid(on.positions, on.triangles)));
}

function plant(on: Surface, request: number, { faces, count, perM2, seed, density: densityMap, lengths, lengthSpread, kept, length, flow, ...options }: PlantOrder): void {
  const density = mapOf(on, densityMap), share = mapOf(on, lengths), held = kept?.planting.faces.length ?? 0, wanted = count ?? Math.round(perM2 * plantedArea(on, faces, density));
  if (wanted < 1) throw new Error('At this density not one guide would be planted. Raise the density, or paint more of it.');
  if (wanted > MOST_ROOTS) throw new Error(`At this density ${wanted.toLocaleString('en')} guides would be planted; ${MOST_ROOTS.toLocaleString('en')} are the most. Lower it.`);
  const planting = scatterRoots(on, faces, Math.max(held, wanted), seed, density, kept?.planting ?? null), stride = 3 * options.pointCount, n = planting.faces.length;
  if (n === 0) throw new Error('The density is nothing all over the plot. Paint some, or clear the map.');
  const offsets = new Float32Array(stride * n);
  if (kept) {
    offsets.set(kept.offsets);
    offsets.set(shapesBetween(on, kept.planting, kept.offsets, options.pointCount, { faces: planting.faces.slice(held), weights: planting.weights.slice(2 * held) }), stride * held);
  } else for (let g = 0; g < n; g++) {
    const own = length * (1 - lengthSpread * hashUnit(16 * g + 5)) * (share ? share(planting.faces[g], planting.weights[2 * g], planting.weights[2 * g + 1]) : 1);
    // a strand must have some length to be one
    const root = rootPlace(on, planting, g), normal = on.normal(planting.faces[g]), grown = { ...options, length: Math.max(0.002, own) };
    offsets.set(options.lie === 'lying' ? growAlong(on, root, normal, flow, grown) : growGuide(on, root, normal, flow.length > 0 ? { ...grown, lead: flowAt(flow, root, normal) } : grown), stride * g);
  }
  scope.postMessage({ kind: 'planted', request, planting, offsets });
}
