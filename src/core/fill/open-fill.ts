/** From what a document says to filled strands. */
import type { FillSettings } from '../document/schema';
import type { Planting } from '../groom/planting';
import { mapSampler, SkinGrid } from '../groom/skin-grid';
import type { Surface } from '../mesh/surface';
import { Sections } from './sections';
import { fillPlot, nodesFor, type FilledStrands } from './strands';

export interface FillOrder {
  fill: FillSettings;
  seed: number;
  faces: Uint32Array;
  planting: Planting; offsets: Float32Array; pointCount: number;
  /** Strands wanted; never more than the groom has unless `full` says so. */
  count: number; full: number;
  /** Maps as stored, by name; what is missing is 1 everywhere. */
  maps: Record<string, Uint8Array>;
}

/** Nodes of the strands a groom's settings ask for. */
export function nodesOf(fill: FillSettings, offsets: ArrayLike<number>, pointCount: number): number {
  if (fill.nodes !== 'as needed') return Number(fill.nodes);
  let longest = 0;
  for (let g = 0; g < offsets.length / (3 * pointCount); g++) {
    let sum = 0;
    for (let i = 1; i < pointCount; i++) { const o = 3 * (g * pointCount + i); sum += Math.hypot(offsets[o] - offsets[o - 3], offsets[o + 1] - offsets[o - 2], offsets[o + 2] - offsets[o - 1]); }
    longest = Math.max(longest, sum);
  }
  return nodesFor(fill.treatments, longest);
}

export function fillFrom(order: FillOrder, surface: Surface, mesh: (name: string) => Surface | null, grid = new SkinGrid(surface.positions, surface.triangles)): FilledStrands {
  const { fill, planting, offsets, pointCount } = order;
  // a map that is not there is full
  const maps = Object.fromEntries(Object.entries(order.maps).flatMap(([name, bytes]) => { const m = mapSampler(bytes, surface.positions, surface.triangles, grid); return m ? [[name, m]] : []; }));
  const full = (): number => 1, known = Object.fromEntries(['density', 'length', 'section', 'free1', 'free2', 'hold', 'give', 'loft'].map((name) => [name, maps[name] ?? full]));
  const sections = new Sections(fill.partings.filter((p) => p.on).map((p) => ({ places: p.places, soft: p.softMm / 1000 })), maps.section ?? null, planting);
  return fillPlot({
    surface, faces: order.faces, guides: planting, offsets, pointCount, count: order.count, full: order.full, seed: order.seed, density: maps.density ?? null, sections, treatments: fill.treatments,
    turn: fill.turnCm / 100, nodes: nodesOf(fill, offsets, pointCount), maps: known, mesh,
  });
}
