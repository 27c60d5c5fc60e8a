/** The steps of the search for the nearest chain, in the small language of `../../sway/rod/lanes.ts`: float64 one strand after the other, and translated on four float32 lanes. */
import { any, select, type f, type i32 } from '../../sway/rod/lanes';

/** Numbers of a strand, by point; edge i ends at point i. Places in m, from anywhere near the strand. */
export const CHAIN_FIELDS = {
  /** Where the points are, and where they are wanted; the same where a point does not move. */
  x: 3, wanted: 3,
  /** m; 1 for a point that moves, else 0. */
  rest: 1, moves: 1,
  /** Working numbers: the way of each edge, how hard it pulls, and what of that goes with the next one. */
  way: 3, pull: 1, above: 1,
} as const;
export type ChainArrays = { readonly [K in keyof typeof CHAIN_FIELDS]: Float64Array | Float32Array };

/** Keeps rows apart whose points do not move. */
const RIDGE = 1e-9;
/** m²: where no point goes farther in a step, the next ones would tell nothing more: half of what a strand is put out of the skin to. */
const THERE = 1e-10;

/** At most so many linear steps, each a tridiagonal solve. */
export function nearSteps(k: ChainArrays, n: i32, steps: i32): void {
  const { x, wanted, rest, moves, way, pull, above } = k;
  let open: f = 1;
  for (let step: i32 = 0; step < steps; step++) {
    // rows: −λᵢ₋₁ dᵢ·dᵢ₋₁ + 2 λᵢ − λᵢ₊₁ dᵢ·dᵢ₊₁ = −cᵢ − dᵢ·(gᵢ − gᵢ₋₁), g = x − wanted; a point that does not move counts nowhere
    let ax: f = 0, ay: f = 0, az: f = 0, pivot: f = 1, before: f = 0;
    for (let i: i32 = 1; i < n; i++) {
      const a: i32 = 3 * i, b: i32 = i - 1;
      const ex = x[a] - x[a - 3], ey = x[a + 1] - x[a - 2], ez = x[a + 2] - x[a - 1];
      const length = Math.sqrt(ex * ex + ey * ey + ez * ez), back = select(length - 1e-12, 1 / length, 0);
      const dx = back * ex, dy = back * ey, dz = back * ez;
      const gx = ex - wanted[a] + wanted[a - 3], gy = ey - wanted[a + 1] + wanted[a - 2], gz = ez - wanted[a + 2] + wanted[a - 1];
      const lower = 0 - moves[b] * (dx * ax + dy * ay + dz * az), share = lower / pivot;
      above[b] = share;
      pivot = moves[b] + moves[i] + RIDGE - lower * share;
      before = (length - rest[i] - (dx * gx + dy * gy + dz * gz) - lower * before) / pivot;
      pull[i] = before;
      way[a] = dx; way[a + 1] = dy; way[a + 2] = dz;
      ax = dx; ay = dy; az = dz;
    }
    // back, and at once the new places: x = wanted − λᵢ dᵢ + λᵢ₊₁ dᵢ₊₁
    let farthest: f = 0, next: f = 0, ux: f = 0, uy: f = 0, uz: f = 0;
    above[n - 1] = 0;
    for (let i: i32 = n - 1; i > 0; i--) {
      const a: i32 = 3 * i;
      const own = pull[i] - above[i] * next, m = moves[i];
      const dx = way[a], dy = way[a + 1], dz = way[a + 2];
      const qx = wanted[a] + m * (next * ux - own * dx), qy = wanted[a + 1] + m * (next * uy - own * dy), qz = wanted[a + 2] + m * (next * uz - own * dz);
      const ex = qx - x[a], ey = qy - x[a + 1], ez = qz - x[a + 2];
      farthest = Math.max(farthest, ex * ex + ey * ey + ez * ez);
      x[a] = select(open, qx, x[a]); x[a + 1] = select(open, qy, x[a + 1]); x[a + 2] = select(open, qz, x[a + 2]);
      next = own; ux = dx; uy = dy; uz = dz;
    }
    open = open * select(farthest - THERE, 1, 0);
    if (!any(open)) break;
  }
}
