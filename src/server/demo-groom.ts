/** How the grooms of the demo are made: guides spread over faces, each shaped from its root. */
import { bytesOf, packPlanting } from '../core/document/buffers';
import { newDocument, type GroomDocument } from '../core/document/schema';
import { rootPlace } from '../core/groom/planting';
import { scatterRoots } from '../core/groom/scatter';
import { hashUnit } from '../core/math/random';
import type { Vec3 } from '../core/math/vec';
import type { CharacterMesh } from '../core/mesh/character';
import type { Surface } from '../core/mesh/surface';

export interface DemoGroom { name: string; document: GroomDocument; buffers: Uint8Array[] }
export interface DemoPlot { name: string; clip: string; end: number; faces: readonly number[]; guides: number; pointCount: number }
/** Offsets of a guide from its root, 3 × points, m; `random`: a number of its own in 0 … 1 for each k. */
export type DemoShape = (root: Vec3, normal: Vec3, random: (k: number) => number) => Float32Array;

export const groomMaker = (mesh: CharacterMesh, surface: Surface) => ({ name, clip, end, faces, guides, pointCount }: DemoPlot, shape: DemoShape, change: (d: GroomDocument, count: number) => void): DemoGroom => {
  const document = newDocument(mesh.name, { clip, start: 0, end, fps: 24, cyclic: clip === 'trot' }), planting = scatterRoots(surface, Uint32Array.from(faces), guides, document.plant.seed), count = planting.faces.length, offsets = new Float32Array(3 * pointCount * count);
  for (let g = 0; g < count; g++) offsets.set(shape(rootPlace(surface, planting, g), surface.normal(planting.faces[g]), (k) => hashUnit(16 * g + k)), 3 * pointCount * g);
  document.plant.guideCount = guides;
  document.plant.pointCount = pointCount;
  change(document, count);
  return { name, document, buffers: [bytesOf(Uint32Array.from(faces)), packPlanting(planting), bytesOf(offsets)] };
};
