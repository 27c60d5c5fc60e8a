/**
 * The strand nearest to where its points are wanted whose edges keep their lengths: the least of Σ |xᵢ − rᵢ|² under
 * |xᵢ − xᵢ₋₁| = lᵢ with x₀ fixed. Sequential linear steps, each a tridiagonal solve (Thomas), then one sweep that makes the lengths exact.
 * **Source:** the projection view of constraints in Goldenthal et al. 2007, Efficient Simulation of Inextensible Cloth, *from memory*.
 */
import { CHAIN_FIELDS, nearSteps, type ChainArrays } from './near-steps';

/** Steps of the search that a brush takes at most. */
export const STEPS = 4;

export class NearestChain {
  private readonly k: ChainArrays;

  /** For strands of at most so many points. However many steps, the lengths are exact. */
  constructor(points: number, private readonly steps = STEPS) {
    this.k = Object.fromEntries(Object.entries(CHAIN_FIELDS).map(([name, size]) => [name, new Float64Array(size * points)])) as unknown as ChainArrays;
  }

  /**
   * Writes into `out` from `o` on (3 × n). `goal`: 3 × points, those up to `held` stay where it has them. `lengths` from `e` on: edge i ends
   * at point i. `out` holds a strand of these lengths before, near to which the answer is looked for.
   */
  solve(out: Float64Array, o: number, points: number, goal: Float64Array, lengths: Float64Array, e: number, held = 0): void {
    const { x, wanted, rest, moves } = this.k, fixed = 3 * held + 3;
    for (let i = 0; i < 3 * points; i++) { wanted[i] = goal[i]; x[i] = i < fixed ? goal[i] : out[o + i]; }
    for (let i = 0; i < points; i++) { rest[i] = lengths[e + i]; moves[i] = i > held ? 1 : 0; }
    nearSteps(this.k, points, this.steps);
    layAlong(out, o, points, goal, x, 1, 0, lengths, e, held);
  }
}

/** Lays a strand out along the ways of one in `x` (every `stride`-th number from `lane` on), its lengths exact; its points up to `held` as in `goal`. */
export function layAlong(out: Float64Array, o: number, points: number, goal: Float64Array, x: Float64Array | Float32Array, stride: number, lane: number, lengths: Float64Array, e: number, held: number): void {
  for (let i = 0; i < 3 * held + 3; i++) out[o + i] = goal[i];
  for (let i = held + 1, p = o + 3 * i, a = 3 * stride * i + lane; i < points; i++, p += 3, a += 3 * stride) {
    const ex = x[a] - x[a - 3 * stride], ey = x[a + stride] - x[a - 2 * stride], ez = x[a + 2 * stride] - x[a - stride], length = Math.sqrt(ex * ex + ey * ey + ez * ez), k = length > 1e-12 ? lengths[e + i] / length : 0;
    out[p] = out[p - 3] + k * ex; out[p + 1] = out[p - 2] + k * ey; out[p + 2] = out[p - 1] + k * ez;
  }
}
