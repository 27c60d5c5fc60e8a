/**
 * What a substep has left inside. Contact goes by planes that are found before the substep; at a rim, or between two surfaces, a tip that moves fast ends
 * beyond them. Such a strand is looked at again where it stands, and put outside; it goes on as fast as it was.
 */
import type { ContactFinder } from './contact';
import { keepStrandOutside } from './keep-outside';
import type { RodSystem } from './rod-system';
import { strandDepth } from './run-report';

/** m: strands that are no deeper are left to the next substep. */
export const DEEP = 1e-4;
/** Share of the distance kept that is asked for, one after the other, each from where it was: between two surfaces there may be no room for all of it. */
const ASKED = [1, 0.5, 0.2];
/** The planes are others where it comes to stand: it is looked at so often. */
const ROUNDS = 3;
/** m: nothing is moved farther; colliders are at hand so far round the hair. */
const FARTHEST = 0.008;

/**
 * Lifts strand `s`, which is `depth` m deep at `world` (3 × points, m) after a substep; true where it is less deep then. What began inside, and comes out evenly,
 * is let be; so are strands with points beyond the root that are held fast, and what no place can be found for.
 */
export function lift(system: RodSystem, world: Float64Array, contacts: ContactFinder, s: number, depth: number): boolean {
  const { start, k: { x, xPrev, fixed }, lanes: L, rootPosition } = system, n = system.pointsOf(s), o = 3 * start[s], first = system.at(s, 0, 3);
  for (let i = 1; i < n; i++) { const p = start[s] + i; if ((contacts.allowance(p) > 0 && !contacts.isRooted(p)) || (i > 1 && fixed[system.at(s, i, 1)] > 0)) return false; }
  const before = Float64Array.from({ length: 3 * n }, (_, a) => x[first + a * L]), best = before.slice();
  let least = depth;
  for (let way = 0; way < ASKED.length && least > DEEP; way++) {
    for (let a = 0; a < 3 * n; a++) x[first + a * L] = before[a];
    for (let round = 0; round < ROUNDS && least > DEEP; round++) {
      contacts.lookAgain(system, s, ASKED[way]);
      keepStrandOutside(system, s);
      for (let a = 0; a < 3 * n; a++) world[o + a] = x[first + a * L] + rootPosition[3 * s + (a % 3)];
      const now = strandDepth(system, world, contacts, s);
      if (now >= least || before.some((v, a) => Math.abs(x[first + a * L] - v) > FARTHEST)) continue;
      least = now;
      for (let a = 0; a < 3 * n; a++) best[a] = x[first + a * L];
    }
  }
  for (let a = 0; a < 3 * n; a++) {
    const at = first + a * L;
    x[at] = best[a];
    // where it was goes along, so that its velocity stays
    xPrev[at] += best[a] - before[a];
    world[o + a] = best[a] + rootPosition[3 * s + (a % 3)];
  }
  return least < depth;
}
