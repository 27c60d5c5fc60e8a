/** Guides planted on a plot by settings, as many as its density asks for. */
import type { GroomDocument } from '../document/schema';
import { hashUnit } from '../math/random';
import type { Surface } from '../mesh/surface';
import { Surroundings, type Around } from './around';
import { shapesBetween } from './between';
import { growAlong, wayOf } from './flow';
import { growGuide, type Lie } from './grow';
import { rootPlace, type Planting } from './planting';
import { MOST_ROOTS, plantedArea, scatterRoots } from './scatter';
import { mapSampler, type SkinGrid } from './skin-grid';
import { withoutWhorls } from './slope';

export interface PlantOrder {
  faces: Uint32Array; seed: number; pointCount: number; length: number; lengthSpread: number; lift: number; lie: Lie;
  /** So many, or so many a square metre of full density. */
  count: number | null; perM2: number;
  /** Maps as stored. */
  density: Uint8Array | null; lengths: Uint8Array | null;
  /** Which way hair lies (flow.ts). */
  flow: ArrayLike<number>;
  /** Whether it is to be without whorls (slope.ts). */
  noWhorls: boolean;
  /** What falling hair goes round, in the rest pose. */
  around: Around | null;
  /** Guides that stay as they are, with their shapes. */
  kept: { planting: Planting; offsets: Float32Array } | null;
}
/** What the settings of a document ask for, without its maps, its flow and what is worn. */
export const plantOrderOf = (plant: GroomDocument['plant'], faces: Uint32Array): PlantOrder => ({
  faces, count: plant.by === 'count' ? plant.guideCount : null, perM2: plant.perCm2 * 1e4, seed: plant.seed, pointCount: plant.pointCount, length: plant.lengthCm / 100, lengthSpread: plant.lengthSpread, lift: plant.liftMm / 1000, lie: plant.lie,
  density: null, lengths: null, flow: [], noWhorls: plant.noWhorls ?? false, around: null, kept: null,
});

export interface Planted { planting: Planting; /** 3 × points × guides, m, rest orientation. */ offsets: Float32Array }
/** All of it at once. Throws in plain words where nothing, or too much, would be planted. */
export function plantGuides(on: Surface, grid: SkinGrid, order: PlantOrder): Planted {
  for (const steps = plantingSteps(on, grid, order); ;) { const { done, value } = steps.next(); if (done) return value; }
}
/** The same guide by guide, each told as the share that is done. */
export function* plantingSteps(on: Surface, grid: SkinGrid, { faces, count, perM2, seed, density: densityMap, lengths, lengthSpread, kept, length, flow, noWhorls, around, ...options }: PlantOrder): Generator<number, Planted> {
  const mapOf = (bytes: Uint8Array | null): ReturnType<typeof mapSampler> => bytes && mapSampler(bytes, on.positions, on.triangles, grid);
  const density = mapOf(densityMap), share = mapOf(lengths), held = kept?.planting.faces.length ?? 0, wanted = count ?? Math.round(perM2 * plantedArea(on, faces, density));
  if (wanted < 1) throw new Error('At this density not one guide would be planted. Raise the density, or paint more of it.');
  if (wanted > MOST_ROOTS) throw new Error(`At this density ${wanted.toLocaleString('en')} guides would be planted; ${MOST_ROOTS.toLocaleString('en')} are the most. Lower it.`);
  const planting = scatterRoots(on, faces, Math.max(held, wanted), seed, density, kept?.planting ?? null), stride = 3 * options.pointCount, n = planting.faces.length;
  if (n === 0) throw new Error('The density is nothing all over the plot. Paint some, or clear the map.');
  const offsets = new Float32Array(stride * n);
  if (kept) {
    offsets.set(kept.offsets);
    offsets.set(shapesBetween(on, kept.planting, kept.offsets, options.pointCount, { faces: planting.faces.slice(held), weights: planting.weights.slice(2 * held) }), stride * held);
    return { planting, offsets };
  }
  const strokes = wayOf(flow), way = noWhorls && flow.length > 0 && options.lie !== 'standing' ? withoutWhorls(on, strokes) : strokes;
  const worn = options.lie === 'falling' ? Surroundings.of(around) : null;
  for (let g = 0; g < n; g++) {
    const own = length * (1 - lengthSpread * hashUnit(16 * g + 5)) * (share ? share(planting.faces[g], planting.weights[2 * g], planting.weights[2 * g + 1]) : 1);
    // a strand must have some length to be one
    const root = rootPlace(on, planting, g), normal = on.normal(planting.faces[g]), grown = { ...options, around: worn, length: Math.max(Math.min(0.002, 0.1 * length), own) };
    offsets.set(options.lie === 'lying' ? growAlong(on, root, normal, way, grown) : growGuide(on, root, normal, flow.length > 0 ? { ...grown, lead: way(root, normal) } : grown), stride * g);
    yield (g + 1) / n;
  }
  return { planting, offsets };
}
