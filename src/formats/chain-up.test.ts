import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { chainUp } from './chain-up';

describe('polylines from edges', () => {
  it('follow each other in whatever order the edges stand', () => {
    expect(chainUp([[0, 1], [1, 2], [3, 4], [2, 5]])).toEqual([[0, 1, 2, 5], [3, 4]]);
    expect(chainUp([[2, 5], [3, 4], [0, 1], [1, 2]])).toEqual([[0, 1, 2, 5], [3, 4]]);
    // edges of one strand that point here and there: from the end that is named first
    expect(chainUp([[2, 1], [0, 1]])).toEqual([[2, 1, 0]]);
    expect(chainUp([[1, 2], [1, 0]])).toEqual([[2, 1, 0]]);
    expect(chainUp([[2, 1], [1, 0]])).toEqual([[2, 1, 0]]);
  });
  it('stop where three meet, go round rings, and have no edge of no length', () => {
    expect(chainUp([[0, 1], [1, 2], [1, 3]])).toEqual([[0, 1], [1, 2], [1, 3]]);
    expect(chainUp([[0, 1], [1, 2], [2, 0]])).toEqual([[0, 1, 2, 0]]);
    expect(chainUp([[4, 4], [4, 5]])).toEqual([[4, 5]]);
    expect(chainUp([])).toEqual([]);
  });
  it('are the strands that were cut into edges, however these are shuffled', () => {
    fc.assert(fc.property(fc.array(fc.integer({ min: 2, max: 9 }), { minLength: 1, maxLength: 12 }), fc.infiniteStream(fc.nat()), (counts, keys) => {
      let v = 0;
      const strands = counts.map((n) => Array.from({ length: n }, () => v++)), edges = strands.flatMap((s) => s.slice(1).map((b, i) => [s[i], b] as const)), order = edges.map((e) => ({ e, k: keys.next().value })).sort((a, b) => a.k - b.k).map((x) => x.e);
      expect(chainUp(order).sort((a, b) => a[0] - b[0])).toEqual(strands);
    }), { seed: 2, numRuns: 300 });
  });
});
