/**
 * How far joints of chains may bend: after every substep a bone that is turned further from where the bone before would have it is turned
 * back to its limit, and all behind it goes along. The velocity is that of the places; where a limit was reached the strand's history
 * begins anew. Angles are kept to rounding; contact is not asked again in that substep.
 */
import { leastTurn, multiplyQuats, quatFromAxes, turnInto } from '../math/mat4';
import type { Vec3 } from '../math/vec';
import type { RodSystem } from '../sway/rod-system';
import type { ChainPath } from './chains';

/** Bends of the chains of one share. */
export class BendLimits {
  private readonly place = new Float64Array(3);
  private readonly turned = new Float64Array(3);
  private readonly move = new Float64Array(3);
  /** `offsets`: of the groom as planted; `limits`: rad, of each chain, Infinity for none; `first`: number of the share's first chain. */
  constructor(private readonly paths: readonly ChainPath[], private readonly pointCount: number, private readonly offsets: ArrayLike<number>, private readonly limits: ArrayLike<number>, private readonly first: number) {}

  /** After a substep of `h` s. */
  hold(system: RodSystem, h: number): void {
    for (let s = 0; s < system.strandCount; s++) if (Number.isFinite(this.limits[this.first + s])) this.holdOne(system, s, h);
  }
  private holdOne(system: RodSystem, s: number, h: number): void {
    const { k, lanes: L } = system, g = this.first + s, { at } = this.paths[g], limit = this.limits[g], { place, turned, move, offsets, pointCount } = this, base = 3 * g * pointCount, o = system.strandAt(s, 9), t = k.turn;
    const x = (i: number, c: number): number => system.at(s, i, 3) + c * L;
    // columns of the root's turn
    let q: [number, number, number, number] = quatFromAxes([t[o], t[o + 3 * L], t[o + 6 * L]], [t[o + L], t[o + 4 * L], t[o + 7 * L]], [t[o + 2 * L], t[o + 5 * L], t[o + 8 * L]]);
    let shifted = false;
    move.fill(0);
    for (let i = 0; i + 1 < at.length; i++) {
      const a = at[i], b = at[i + 1];
      for (let c = 0; c < 3; c++) place[c] = offsets[base + 3 * b + c] - offsets[base + 3 * a + c];
      turnInto(turned, 0, place, 0, q);
      // what is behind a joint that was turned back has gone along
      if (shifted) for (let p = a + 1; p <= b; p++) for (let c = 0; c < 3; c++) this.shift(system, x(p, c), move[c], h);
      const d: Vec3 = [0, 1, 2].map((c) => k.x[x(b, c)] - k.x[x(a, c)]) as Vec3, r = leastTurn(turned, d[0], d[1], d[2]), angle = 2 * Math.acos(Math.min(1, Math.abs(r[3])));
      if (angle <= limit + 1e-6) { q = multiplyQuats(r, q); continue; }
      shifted = true;
      // the same turn, as far as it may go
      const to = Math.sin(limit / 2) / Math.sin(angle / 2), less: [number, number, number, number] = [to * r[0], to * r[1], to * r[2], Math.cos(limit / 2)], back = multiplyQuats(less, [-r[0], -r[1], -r[2], r[3]]), end = [0, 1, 2].map((c) => k.x[x(b, c)]);
      for (let p = a + 1; p <= b; p++) {
        for (let c = 0; c < 3; c++) place[c] = k.x[x(p, c)] - k.x[x(a, c)];
        turnInto(turned, 0, place, 0, back);
        for (let c = 0; c < 3; c++) this.shift(system, x(p, c), turned[c] - place[c], h);
      }
      for (let c = 0; c < 3; c++) move[c] += k.x[x(b, c)] - end[c];
      q = multiplyQuats(less, q);
    }
    if (shifted) k.history[system.strandAt(s, 1)] = 0;
  }
  private shift({ k }: RodSystem, at: number, by: number, h: number): void { k.x[at] += by; k.v[at] += by / h; }
}
