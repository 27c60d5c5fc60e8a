import { describe, expect, it } from 'vitest';
import { bestTurn } from './best-turn';
import { turnInto } from './mat4';
import { makeRandom } from './random';

/** Σ p ⊗ q of two sets, 3 × n. */
function sums(p: Float64Array, q: Float64Array): Float64Array {
  const H = new Float64Array(9);
  for (let o = 0; o < p.length; o += 3) for (let r = 0; r < 3; r++) for (let c = 0; c < 3; c++) H[3 * r + c] += p[o + r] * q[o + c];
  return H;
}
const random = makeRandom(3), some = (n: number): Float64Array => Float64Array.from({ length: 3 * n }, () => random() - 0.5);
const unit = (): number[] => { const q = Array.from({ length: 4 }, () => random() - 0.5), l = Math.hypot(...q); return q.map((v) => v / l); };
const turned = (p: Float64Array, q: ArrayLike<number>): Float64Array => { const out = p.slice(); for (let o = 0; o < p.length; o += 3) turnInto(out, o, p, o, q); return out; };
const misfit = (p: Float64Array, q: Float64Array): number => p.reduce((s, v, k) => s + (v - q[k]) ** 2, 0);

describe('the turn that takes one set of offsets nearest to another', () => {
  it('is the one they were turned by, half turns and turns of nearly nothing too', () => {
    for (const q of [unit(), unit(), unit(), [1, 0, 0, 0], [0, 0.6, 0.8, 0], [1e-9, 0, 0, 1], [0, 0, 0, 1]]) {
      const p = some(5), found = new Float64Array(4);
      bestTurn(sums(p, turned(p, q)), found);
      expect(Math.abs(found.reduce((s, v, c) => s + v * q[c], 0))).toBeCloseTo(1, 12);
    }
  });
  it('misses less than any turn near it, where the sets do not fit', () => {
    for (let k = 0; k < 20; k++) {
      const p = some(6), q = some(6), found = new Float64Array(4);
      bestTurn(sums(p, q), found);
      const least = misfit(turned(p, found), q);
      for (let j = 0; j < 30; j++) {
        const other = Array.from(found, (v) => v + 0.02 * (random() - 0.5)), l = Math.hypot(...other);
        expect(misfit(turned(p, other.map((v) => v / l)), q)).toBeGreaterThanOrEqual(least - 1e-12);
      }
    }
  });
});
