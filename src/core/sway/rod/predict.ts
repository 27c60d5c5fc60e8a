/** History and prediction: where a strand would be by its own movement, and the place it is linearised about. */
import type { RodArrays, StepNumbers } from './arrays';
import { select, type f, type i32 } from './lanes';

/**
 * BDF2: yv = (4 x − x⁻)/3, y = yv + ĥ (4 v − v⁻)/3, ĥ = 2h/3; backward Euler (first substep, points in contact): yv = x,
 * y = x + h v, ĥ = h. Linearised about x + h v: half-way there costs a pendulum ten times the energy. A point in
 * contact is linearised half-way, before it would be deep inside.
 */
export function predict(k: RodArrays, o: StepNumbers, s: i32, first: i32, n: i32, touches: i32): void {
  const { x, xPrev, v, vPrev, mass, fixed, holdOffset, rootMove, turn, history, y, yv, before, ahead, target, ih, mobility, held } = k;
  const h = o.h, perH = 1 / h;
  const again = select(history[s], 1, 0);
  const m0 = rootMove[3 * s], m1 = rootMove[3 * s + 1], m2 = rootMove[3 * s + 2];
  const w: i32 = 9 * s;
  const r00 = turn[w], r01 = turn[w + 1], r02 = turn[w + 2], r10 = turn[w + 3], r11 = turn[w + 4], r12 = turn[w + 5], r20 = turn[w + 6], r21 = turn[w + 7], r22 = turn[w + 8];
  for (let i: i32 = 0; i < n; i++) {
    const p: i32 = first + i, a: i32 = 3 * p, b: i32 = 3 * i;
    let touched: f = 0;
    if (touches > 0) touched = held[i];
    const two = again * (1 - touched) * (1 / 3);
    const hh = h * (1 - two), now = 1 + two, past = 0 - two;
    const x0 = x[a], x1 = x[a + 1], x2 = x[a + 2], v0 = v[a], v1 = v[a + 1], v2 = v[a + 2];
    // seen from where the root will be
    const b0 = x0 - m0, b1 = x1 - m1, b2 = x2 - m2;
    const y0 = now * b0 + past * (xPrev[a] - m0), y1 = now * b1 + past * (xPrev[a + 1] - m1), y2 = now * b2 + past * (xPrev[a + 2] - m2);
    before[b] = b0; before[b + 1] = b1; before[b + 2] = b2;
    yv[b] = y0; yv[b + 1] = y1; yv[b + 2] = y2;
    y[b] = y0 + hh * (now * v0 + past * vPrev[a]);
    y[b + 1] = y1 + hh * (now * v1 + past * vPrev[a + 1]);
    y[b + 2] = y2 + hh * (now * v2 + past * vPrev[a + 2]);
    // the velocity to be expected at the end of the substep
    ahead[b] = v0 + 3 * two * (v0 - vPrev[a]); ahead[b + 1] = v1 + 3 * two * (v1 - vPrev[a + 1]); ahead[b + 2] = v2 + 3 * two * (v2 - vPrev[a + 2]);
    xPrev[a] = b0; xPrev[a + 1] = b1; xPrev[a + 2] = b2;
    vPrev[a] = v0; vPrev[a + 1] = v1; vPrev[a + 2] = v2;
    const lead = h * (1 - 0.5 * touched), still = fixed[p], h0 = holdOffset[a], h1 = holdOffset[a + 1], h2 = holdOffset[a + 2];
    const t0 = r00 * h0 + r01 * h1 + r02 * h2, t1 = r10 * h0 + r11 * h1 + r12 * h2, t2 = r20 * h0 + r21 * h1 + r22 * h2;
    target[b] = t0; target[b + 1] = t1; target[b + 2] = t2;
    x[a] = select(still, t0, b0 + lead * v0);
    x[a + 1] = select(still, t1, b1 + lead * v1);
    x[a + 2] = select(still, t2, b2 + lead * v2);
    ih[i] = perH * (1 + 1.5 * two);
    mobility[i] = select(still, 1e-9, 1) * (hh * hh / mass[p]);
  }
}
