/**
 * What acts on each point by itself: inertia, gravity, damping, the air, hold, ties.
 *
 * Air: with u the velocity of the strand against the air and Re = |u| d / ν, the force a length l of a thin cylinder feels
 * across its axis is ½ ρ C_d d l |u| u = (½ μ l) (Re · C_d) u. For C_d we take
 *
 *   Re · C_d = 1.18 Re + 1.96 √Re + 6.8 Re^⅛
 *
 * **Source:** the terms of Sucker and Brauer 1975 (fluid dynamics of a cylinder across the stream, 10⁻⁴ < Re < 2·10⁵),
 * *from memory*; their last exponent 0.11 is taken as ⅛, which changes C_d by at most 5 % for 0.1 < Re < 200. Along the
 * axis half of the viscous term acts. **Source:** slender bodies in creeping flow, Cox 1970, *from memory*.
 */
import type { RodArrays, StepNumbers } from './arrays';
import { any, select, type f, type i32 } from './lanes';

/** Slower than this the drag law goes on in proportion to speed. */
export const LEAST_REYNOLDS = 1e-3;

/** The part of Re · C_d that friction makes. */
export function viscousDrag(number: f): f { return 6.8 * Math.sqrt(Math.sqrt(Math.sqrt(number))); }
/** Re · C_d of a cylinder across the stream. */
export function crossDrag(number: f): f { return 1.18 * number + 1.96 * Math.sqrt(number) + viscousDrag(number); }

/** Begins the residual `r` and the points' own blocks of H (`pointBlock`: xx xy xz yy yz zz). */
export function addLoads(k: RodArrays, o: StepNumbers, s: i32, first: i32, n: i32): void {
  const { x, mass, damping, holdStiffness, fixed, tieStiffness, tieTarget, drag, tangent, rootMove, air, airRate, reynolds, y, yv, ahead, target, ih, r, pointBlock } = k;
  const perH = 1 / o.h;
  const rv0 = rootMove[3 * s] * perH, rv1 = rootMove[3 * s + 1] * perH, rv2 = rootMove[3 * s + 2] * perH;
  const rate = airRate[s], re = reynolds[s];
  const blown: i32 = any(re) ? 1 : 0;
  for (let i: i32 = 0; i < n; i++) {
    const p: i32 = first + i, a: i32 = 3 * p, b: i32 = 3 * i, d: i32 = 4 * i, g: i32 = 6 * i;
    const m = mass[p], ih1 = ih[i], mi = m * ih1 * ih1, md = m * damping[p], ma = m * rate, hold = holdStiffness[p], tie = tieStiffness[p], a0 = air[a], a1 = air[a + 1], a2 = air[a + 2];
    const x0 = x[a], x1 = x[a + 1], x2 = x[a + 2];
    const v0 = (x0 - yv[b]) * ih1, v1 = (x1 - yv[b + 1]) * ih1, v2 = (x2 - yv[b + 2]) * ih1;
    // the drag law's coefficients are those of the velocity to be expected
    let cn: f = 0, ct: f = 0, tx: f = 0, ty: f = 0, tz: f = 0;
    if (blown > 0) {
      const up: i32 = i < n - 1 ? a + 3 : a;
      tx = tangent[a] + tangent[up]; ty = tangent[a + 1] + tangent[up + 1]; tz = tangent[a + 2] + tangent[up + 2];
      const it = 1 / Math.sqrt(tx * tx + ty * ty + tz * tz + 1e-12);
      tx = tx * it; ty = ty * it; tz = tz * it;
      const u0 = ahead[b] - a0, u1 = ahead[b + 1] - a1, u2 = ahead[b + 2] - a2, along = u0 * tx + u1 * ty + u2 * tz, square = u0 * u0 + u1 * u1 + u2 * u2;
      const across = Math.sqrt(Math.max(square - along * along, 0));
      const number = Math.max(across * re, LEAST_REYNOLDS);
      cn = drag[p] * crossDrag(number);
      ct = drag[p] * (0.5 * viscousDrag(number));
    }
    const w0 = v0 - a0, w1 = v1 - a1, w2 = v2 - a2, wt = (ct - cn) * (w0 * tx + w1 * ty + w2 * tz);
    const cw = ma + cn;
    r[d] = mi * (y[b] - x0) + m * o.gravityX - md * (v0 - rv0) - cw * w0 - wt * tx + hold * (target[b] - x0) + tie * (tieTarget[a] - x0);
    r[d + 1] = mi * (y[b + 1] - x1) + m * o.gravityY - md * (v1 - rv1) - cw * w1 - wt * ty + hold * (target[b + 1] - x1) + tie * (tieTarget[a + 1] - x1);
    r[d + 2] = mi * (y[b + 2] - x2) + m * o.gravityZ - md * (v2 - rv2) - cw * w2 - wt * tz + hold * (target[b + 2] - x2) + tie * (tieTarget[a + 2] - x2);
    // a point that is moved, not solved for, is a very heavy one
    const diagonal = select(fixed[p], 1e20, mi + (md + cw) * ih1 + hold + tie), kt = (ct - cn) * ih1;
    pointBlock[g] = diagonal + kt * tx * tx; pointBlock[g + 1] = kt * tx * ty; pointBlock[g + 2] = kt * tx * tz;
    pointBlock[g + 3] = diagonal + kt * ty * ty; pointBlock[g + 4] = kt * ty * tz; pointBlock[g + 5] = diagonal + kt * tz * tz;
  }
}
