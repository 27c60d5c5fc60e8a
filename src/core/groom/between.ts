/** New guides that take shape and length from their neighbours. */
import { fillWeights } from '../fill/weights';
import { shortestTurn, type Vec3 } from '../math/vec';
import type { Surface } from '../mesh/surface';
import type { Planting } from './planting';
import { polylineLength } from './polyline';

/**
 * Shapes of guides at new roots, 3 × pointCount × roots, m: the neighbours' shapes, each turned as the skin turns between its root
 * and the new one, blended by the weights that filled strands have; lengths are blended by themselves, so that guides that point apart
 * do not make a short one.
 */
export function shapesBetween(surface: Surface, guides: Planting, offsets: ArrayLike<number>, pointCount: number, roots: Planting): Float32Array {
  const { guides: near, weights } = fillWeights(surface, guides, roots), stride = 3 * pointCount, out = new Float32Array(stride * roots.faces.length), turned: Vec3 = [0, 0, 0];
  for (let r = 0; r < roots.faces.length; r++) {
    const o = stride * r, to = surface.normal(roots.faces[r]);
    let length = 0;
    for (let q = 0; q < 4; q++) {
      const w = weights[4 * r + q], g = near[4 * r + q];
      if (w === 0) continue;
      const turn = shortestTurn(surface.normal(guides.faces[g]), to);
      length += w * polylineLength(offsets, g * pointCount, pointCount);
      for (let i = 0; i < stride; i += 3) {
        turn(offsets[stride * g + i], offsets[stride * g + i + 1], offsets[stride * g + i + 2], turned);
        for (let c = 0; c < 3; c++) out[o + i + c] += w * turned[c];
      }
    }
    const own = polylineLength(out, r * pointCount, pointCount), k = own > 1e-9 ? length / own : 1;
    for (let i = 0; i < stride; i++) out[o + i] *= k;
  }
  return out;
}
