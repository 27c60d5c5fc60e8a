/** Browser worker of what takes longer than a frame: planting, filling, fitting pills. */
import { roleOf } from '../core/document/schema';
import { coverage } from '../core/fill/coverage';
import { fillFrom } from '../core/fill/open-fill';
import { cardsOf, meanTint } from '../core/fill/open-cards';
import { FillShapes, widthAt } from '../core/fill/strands';
import { rootPlace } from '../core/groom/planting';
import { plantingSteps, type PlantOrder } from '../core/groom/plant-guides';
import { SkinGrid } from '../core/groom/skin-grid';
import type { Character } from '../core/mesh/character';
import { Surface } from '../core/mesh/surface';
import { collidersOf, fittedPills } from '../core/sway/colliders';
import { settled } from '../core/sway/settle';
import { pushFilled } from '../core/sway/push-filled';
import { unpackCharacter } from '../formats/packed-character';
import type { FillReply, FillRequest } from './messages';

const scope = self as unknown as { onmessage: (e: MessageEvent<FillRequest>) => void; postMessage: (m: FillReply, transfer?: Transferable[]) => void };
let surface: Surface | null = null;
let grid: SkinGrid | null = null;
let character: Character | null = null;

scope.onmessage = ({ data }) => {
  switch (data.kind) {
    case 'surface':
      surface = new Surface(data.positions, data.triangles);
      grid = null;
      growing = 0;
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
      if (surface) plant(surface, data.request, data.order).catch((cause: unknown) => { scope.postMessage({ kind: 'failed', request: data.request, what: 'plant', message: cause instanceof Error ? cause.message : String(cause) }); });
      return;
    case 'stopPlanting':
      growing = 0;
      return;
    case 'fill':
      try {
        if (!surface) return;
        const strands = fillFrom(data.order, surface, character, (grid ??= new SkinGrid(surface.positions, surface.triangles)));
        const shapes = data.shapes ? (new FillShapes(strands).at(data.order.offsets, data.order.pointCount).slice() as Float32Array<ArrayBuffer>) : null;
        scope.postMessage({ kind: 'filled', request: data.request, strands, shapes }, [...strands.steps.map((s) => s.own.buffer as ArrayBuffer), ...(shapes ? [shapes.buffer] : [])]);
      } catch (cause) {
        scope.postMessage({ kind: 'failed', request: data.request, what: 'fill', message: cause instanceof Error ? cause.message : String(cause) });
      }
  }
};

function cards(on: Surface, { request, order, settings }: Extract<FillRequest, { kind: 'cards' }>): void {
  const { set, strands } = cardsOf(order, on, settings, character, (grid ??= new SkinGrid(on.positions, on.triangles)));
  scope.postMessage({ kind: 'carded', request, set, roots: strands.roots, places: strands.places, tint: meanTint(strands) });
}

function cover(on: Surface, { request, faces, strands, offsets, pointCount, look, full, directions }: Extract<FillRequest, { kind: 'coverage' }>): void {
  const { count, nodes } = strands, shapes = new FillShapes(strands), points = new Float32Array(3 * nodes * count), motions = new Float64Array(7 * count);
  for (let s = 0; s < count; s++) motions.set([0, 0, 0, 1, ...rootPlace(on, strands.roots, s)], 7 * s);
  shapes.at(offsets, pointCount);
  shapes.place(motions, points);
  const result = coverage({ surface: on, faces, points, nodes, widthAt: (s, k) => widthAt(look, s, k, nodes, strands.widths), each: Math.max(1, full / Math.max(1, count)), directions });
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

/** Number of the planting that goes on, 0 for none; and after so many ms it tells how far it is, and lets what else is asked come between. */
let growing = 0;
const TOLD_MS = 120;
async function plant(on: Surface, request: number, order: PlantOrder): Promise<void> {
  growing = request;
  const steps = plantingSteps(on, (grid ??= new SkinGrid(on.positions, on.triangles)), order);
  for (let told = performance.now(); ;) {
    const { done, value } = steps.next();
    if (done) { scope.postMessage({ kind: 'planted', request, ...value }); return; }
    if (performance.now() - told < TOLD_MS) continue;
    scope.postMessage({ kind: 'planting', request, share: value });
    await new Promise((resolve) => { setTimeout(resolve); });
    if (growing !== request) return;
    told = performance.now();
  }
}
