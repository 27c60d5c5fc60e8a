/**
 * The strand nearest to where its points are wanted whose edges keep their lengths: the least of Σ |xᵢ − rᵢ|² under
 * |xᵢ − xᵢ₋₁| = lᵢ with x₀ fixed. Sequential linear steps, each a tridiagonal solve (Thomas), then one sweep that makes the lengths exact.
 * **Source:** the projection view of constraints in Goldenthal et al. 2007, Efficient Simulation of Inextensible Cloth, *from memory*.
 */

/** m */
const SETTLED = 1e-10;
/** Steps of the search that a brush takes: always as many, so that both sides of a symmetric stroke come out alike. */
const STEPS = 5;

export class NearestChain {
  private readonly d: Float64Array;
  private readonly l: Float64Array;
  private readonly upper: Float64Array;
  private readonly x: Float64Array;

  /** For strands of at most so many points. However many steps, the lengths are exact. */
  constructor(points: number, private readonly steps = STEPS) {
    this.d = new Float64Array(3 * points);
    this.l = new Float64Array(points);
    this.upper = new Float64Array(points);
    this.x = new Float64Array(3 * points);
  }

  /**
   * Writes into `out` from `o` on (3 × n). `goal`: 3 × points, those up to `held` stay where it has them. `lengths` from `e` on: edge i ends
   * at point i. `out` holds a strand of these lengths before, near to which the answer is looked for.
   */
  solve(out: Float64Array, o: number, points: number, goal: Float64Array, lengths: Float64Array, e: number, held = 0): void {
    for (let i = 0; i < 3 * held; i++) out[o + i] = goal[i];
    this.free(out, o + 3 * held, points - held, held > 0 ? goal.subarray(3 * held) : goal, lengths, e + held);
  }
  private free(out: Float64Array, o: number, n: number, wanted: Float64Array, lengths: Float64Array, e: number): void {
    const { d, l, upper, x } = this;
    for (let i = 0; i < 3; i++) x[i] = wanted[i];
    for (let i = 3; i < 3 * n; i++) x[i] = out[o + i];
    for (let step = 0; step < this.steps; step++) {
      // rows: −λᵢ₋₁ dᵢ·dᵢ₋₁ + 2 λᵢ − λᵢ₊₁ dᵢ·dᵢ₊₁ = −cᵢ − dᵢ·(gᵢ − gᵢ₋₁), g = x − wanted
      for (let i = 1; i < n; i++) {
        const a = 3 * i, ex = x[a] - x[a - 3], ey = x[a + 1] - x[a - 2], ez = x[a + 2] - x[a - 1], length = Math.sqrt(ex * ex + ey * ey + ez * ez), k = length > 1e-12 ? 1 / length : 0;
        d[a] = ex * k; d[a + 1] = ey * k; d[a + 2] = ez * k;
        const g0 = i === 1 ? 0 : 1, rx = x[a] - wanted[a] - g0 * (x[a - 3] - wanted[a - 3]), ry = x[a + 1] - wanted[a + 1] - g0 * (x[a - 2] - wanted[a - 2]), rz = x[a + 2] - wanted[a + 2] - g0 * (x[a - 1] - wanted[a - 1]);
        const right = -(lengths[e + i] - length) - (d[a] * rx + d[a + 1] * ry + d[a + 2] * rz);
        const lower = i === 1 ? 0 : -(d[a] * d[a - 3] + d[a + 1] * d[a - 2] + d[a + 2] * d[a - 1]), diagonal = (i === 1 ? 1 : 2) + 1e-9;
        // forward sweep; `upper` of row i needs edge i + 1, so it is set when that row comes
        if (i > 1) upper[i - 1] = lower / this.pivot;
        const pivot = i > 1 ? diagonal - lower * upper[i - 1] : diagonal;
        l[i] = i > 1 ? (right - lower * l[i - 1]) / pivot : right / pivot;
        this.pivot = pivot;
      }
      for (let i = n - 2; i >= 1; i--) l[i] -= upper[i] * l[i + 1];
      let most = 0;
      for (let i = 1; i < n; i++) {
        const a = 3 * i;
        for (let c = 0; c < 3; c++) {
          const step1 = wanted[a + c] - x[a + c] - l[i] * d[a + c] + (i + 1 < n ? l[i + 1] * d[a + 3 + c] : 0);
          if (step1 > most) most = step1; else if (-step1 > most) most = -step1;
          x[a + c] += step1;
        }
      }
      if (most < SETTLED) break;
    }
    for (let c = 0; c < 3; c++) out[o + c] = wanted[c];
    for (let i = 1; i < n; i++) {
      const a = 3 * i, p = o + a, ex = x[a] - x[a - 3], ey = x[a + 1] - x[a - 2], ez = x[a + 2] - x[a - 1], length = Math.sqrt(ex * ex + ey * ey + ez * ez), k = length > 1e-12 ? lengths[e + i] / length : 0;
      out[p] = out[p - 3] + k * ex; out[p + 1] = out[p - 2] + k * ey; out[p + 2] = out[p - 1] + k * ez;
    }
  }
  private pivot = 1;
}
