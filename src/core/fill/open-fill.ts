/** From what a document says to filled strands. */
import type { FillSettings } from '../document/schema';
import type { Planting } from '../groom/planting';
import { lengthsOf } from '../groom/polyline';
import { mapSampler, SkinGrid } from '../groom/skin-grid';
import { restPositions, type Character } from '../mesh/character';
import { Surface } from '../mesh/surface';
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
  return nodesFor(fill.treatments, lengthsOf(offsets, pointCount).reduce((a, b) => Math.max(a, b), 0));
}

/** `surface`: of the plot's mesh in the rest pose; `character`: whose other meshes strands may be cut at. */
export function fillFrom(order: FillOrder, surface: Surface, character: Character | null, grid = new SkinGrid(surface.positions, surface.triangles)): FilledStrands {
  const mesh = (name: string): Surface | null => { const m = character?.meshes.find((x) => x.name === name); return m && character ? new Surface(restPositions(character, m), m.triangles) : null; };
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
