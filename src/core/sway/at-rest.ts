/** Guides as rods at rest in their combed shape. */
import { turnInto } from '../math/mat4';
import { profileAt } from '../math/profile';
import { perpendicular, type Vec3 } from '../math/vec';
import { placeGuides } from '../groom/planting';
import { calmStart } from './calm-start';
import type { GuideSettings } from './guide-settings';
import { FIXED_HOLD, holdAt, holdRate } from './hold';
import type { RodSystem } from './rod-system';
import { mapAtRoots, type Scene } from './scene';
import type { SheetGrid } from './sheet';
import { makeRod, placeStrand } from './strand-setup';
import type { Wind } from './wind';

/** What the guides of a share are made of and where they stand: `world` as combed (3 × points, m), `shape` of all guides where it changes with the pose, `motions` of the roots (7 each), `first`: the share's first guide. */
export interface Resting {
  system: RodSystem; scene: Scene; wind: Wind; ofGuides: GuideSettings; grid: SheetGrid | null; first: number;
  world: Float64Array; shape: Float64Array | null; motions: Float64Array;
}
/** Written: 3 × guides, rest direction of the first edge and a director across it; lengths, m; and what hold adds to the shape (3 × points), where that changes. */
export interface Roots { tangents: Float64Array; directors: Float64Array; lengths: Float64Array; lifts: Float64Array | null }

/** Makes each guide a rod that rests as it is combed, by its own settings, and loads it. Tells how many are too soft for that, and the share of their weight that hold carries. */
export function restGuides({ system, scene, wind, ofGuides, grid, first, world, shape, motions }: Resting, { tangents, directors, lengths, lifts }: Roots): { cut: number; heldShare: number } {
  const { settings, offsets, pointCount } = scene, { profiles } = settings, map = mapAtRoots(scene, 'hold');
  const lift = new Float64Array(3 * pointCount), q = new Float64Array(4);
  // what moves with the pose is unloaded as it was groomed
  const unloaded = shape ? new Float64Array(offsets.length) : null;
  if (unloaded) placeGuides(offsets, motions, pointCount, unloaded);
  let cut = 0, held = 0;
  for (let g = 0; g < system.strandCount; g++) {
    const o = 3 * g * pointCount, m = 7 * g, { of, hold: own, rod: physical } = ofGuides.at(g);
    const rod = { ...physical, bendLag: of.bendDamping / 1000, airDrag: of.airDrag };
    if (of.airDrag === 0 && wind.still) rod.width = 0;
    const wide = grid ? (s: number): number => grid.share(g, s) : null;
    const along = { stiffness: (s: number) => profileAt(profiles.stiffness, s) * (wide?.(s) ?? 1), damping: (s: number) => of.damping * profileAt(profiles.damping, s), ...(wide ? { mass: wide } : {}) };
    const e: Vec3 = [offsets[o + 3] - offsets[o], offsets[o + 4] - offsets[o + 1], offsets[o + 5] - offsets[o + 2]];
    const l = Math.hypot(...e);
    const t: Vec3 = l > 0 ? [e[0] / l, e[1] / l, e[2] / l] : [0, 1, 0];
    tangents.set(t, 3 * g);
    directors.set(perpendicular(t), 3 * g);
    const one = placeStrand(world.subarray(o, o + 3 * pointCount)), { k } = one;
    turnInto(k.tangent, 0, tangents, 3 * g, motions, m);
    turnInto(k.director, 0, directors, 3 * g, motions, m);
    makeRod(one, rod, along, unloaded?.subarray(o, o + 3 * pointCount));
    lengths[g] = k.length[0];
    let at = 0;
    for (let i = 1; i < pointCount; i++) {
      at += k.restLength[i];
      const hold = map[g] * holdAt({ ...settings, hold: own }, k.length[0] > 0 ? at / k.length[0] : 0);
      k.holdStiffness[i] = k.mass[i] * holdRate(hold) ** 2;
      k.fixed[i] = hold >= FIXED_HOLD ? 1 : 0;
    }
    lift.fill(0);
    const share = settings.calmStart && settings.gravity > 0 ? calmStart(one, [0, -settings.gravity, 0], lift) : 0;
    if (share > 0) cut++;
    held += share;
    for (let c = 0; c < 3; c++) q[c] = -motions[m + c];
    q[3] = motions[m + 3];
    for (let i = 1; i < pointCount; i++) {
      turnInto(k.holdOffset, 3 * i, lift, 3 * i, q);
      if (lifts) for (let c = 0; c < 3; c++) lifts[o + 3 * i + c] = k.holdOffset[3 * i + c];
      const from = shape ?? offsets, w = shape ? o + 3 * pointCount * first : o;
      for (let c = 0; c < 3; c++) k.holdOffset[3 * i + c] += from[w + 3 * i + c] - from[w + c];
    }
    system.load(g, one);
  }
  return { cut, heldShare: system.strandCount > 0 ? held / system.strandCount : 0 };
}
