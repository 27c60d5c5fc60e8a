/** Strands put outside the planes that contact has found for their edges, where no substep does it: those that are not stepped, and single ones after it. */
import { SLOTS } from './rod/arrays';
import type { RodSystem } from './rod-system';

const PASSES = 4;
/** Share of a point's movement that the next one takes over. */
const FOLLOW = 0.8;
/** A place near the fixed end of an edge is moved by it only so fast. */
const LEAST_HOLD = 0.04;

/**
 * Moves points (in the system, from the root) out of the planes of their edges' contacts, from root to tip, each edge keeping its length: in each pass
 * the ends of an edge by how much they weigh in the place that touches, then all below along. What two planes leave no room for stays in a little.
 */
export function keepOutside(system: RodSystem): void {
  for (let s = 0; s < system.strandCount; s++) keepStrandOutside(system, s);
}
/** The same for one strand. */
export function keepStrandOutside(system: RodSystem, s: number): void {
  if (system.k.touching[system.strandAt(s, 1)] !== 0) for (let pass = 0; pass < PASSES && pushed(system, s); pass++) keepLengths(system, s);
  keepLengths(system, s);
}

/** One pass over a strand; whether anything was inside. */
function pushed(system: RodSystem, s: number): boolean {
  const { k: { x, touchOn, touchAt, touchNormal, touchPlane }, lanes: L } = system, n = system.pointsOf(s), step = 3 * L;
  let moved = false, dx = 0, dy = 0, dz = 0;
  for (let i = 2, b = system.at(s, 2, 3); i < n; i++, b += step) {
    const a = b - step;
    // what moved the point above moves this one along, the less the farther on
    x[b] += dx; x[b + L] += dy; x[b + 2 * L] += dz;
    const px = x[b], py = x[b + L], pz = x[b + 2 * L];
    for (let j = 0, e = system.at(s, i, SLOTS), v = system.at(s, i, 3 * SLOTS); j < SLOTS; j++, e += L, v += step) {
      if (touchOn[e] === 0) continue;
      const w = touchAt[e], nx = touchNormal[v], ny = touchNormal[v + L], nz = touchNormal[v + 2 * L];
      const gap = nx * ((1 - w) * x[a] + w * x[b]) + ny * ((1 - w) * x[a + L] + w * x[b + L]) + nz * ((1 - w) * x[a + 2 * L] + w * x[b + 2 * L]) - touchPlane[e];
      if (gap >= 0) continue;
      // the first edge stands as the skin has it
      const upper = i > 2 ? 1 - w : 0, by = -gap / Math.max(upper * upper + w * w, LEAST_HOLD);
      x[b] += w * by * nx; x[b + L] += w * by * ny; x[b + 2 * L] += w * by * nz;
      x[a] += upper * by * nx; x[a + L] += upper * by * ny; x[a + 2 * L] += upper * by * nz;
      moved = true;
    }
    dx = FOLLOW * (dx + x[b] - px); dy = FOLLOW * (dy + x[b + L] - py); dz = FOLLOW * (dz + x[b + 2 * L] - pz);
  }
  return moved;
}
/** Every edge gets its length back, from the root on. */
function keepLengths(system: RodSystem, s: number): void {
  const { k: { x, restLength }, lanes: L } = system, n = system.pointsOf(s), step = 3 * L;
  let ox = x[system.at(s, 0, 3)], oy = x[system.at(s, 0, 3) + L], oz = x[system.at(s, 0, 3) + 2 * L];
  for (let i = 1, b = system.at(s, 1, 3); i < n; i++, b += step) {
    const a = b - step, ex = x[b] - ox, ey = x[b + L] - oy, ez = x[b + 2 * L] - oz, l = Math.sqrt(ex * ex + ey * ey + ez * ez), q = l > 1e-12 ? restLength[system.at(s, i, 1)] / l : 0;
    ox = x[b]; oy = x[b + L]; oz = x[b + 2 * L];
    x[b] = x[a] + q * ex; x[b + L] = x[a + L] + q * ey; x[b + 2 * L] = x[a + 2 * L] + q * ez;
  }
}
