import { describe, expect, it } from 'vitest';
import { besideEachOther } from './morton';
import { makeRandom } from './random';

describe('places in an order in which neighbours follow each other', () => {
  const random = makeRandom(3), places = Float64Array.from({ length: 3 * 400 }, () => random() - 0.5);
  const way = (order: ArrayLike<number>): number => { let sum = 0; for (let k = 1; k < order.length; k++) sum += Math.hypot(...[0, 1, 2].map((c) => places[3 * order[k] + c] - places[3 * order[k - 1] + c])); return sum; };
  it('has each of them once, and goes a third of the way that any order goes', () => {
    const order = besideEachOther(places, 400);
    expect(Array.from(order).sort((a, b) => a - b)).toEqual(Array.from({ length: 400 }, (_, k) => k));
    expect(way(order)).toBeLessThan(way(Array.from({ length: 400 }, (_, k) => k)) / 3);
  });
  it('is that of the octants of a box, x before y before z', () => {
    const corners: number[] = [];
    for (const z of [1, 0]) for (const y of [0, 1]) for (const x of [1, 0]) corners.push(x, y, z);
    // x, y and z of the first bit in turn: the places of (0,0,0), (0,0,1), (0,1,0) …
    expect(Array.from(besideEachOther(corners, 8), (k) => corners.slice(3 * k, 3 * k + 3).join(''))).toEqual(['000', '001', '010', '011', '100', '101', '110', '111']);
  });
  it('keeps the order of places that are one, and takes none and one', () => {
    expect(Array.from(besideEachOther([1, 1, 1, 1, 1, 1, 1, 1, 1], 3))).toEqual([0, 1, 2]);
    expect(Array.from(besideEachOther([], 0))).toEqual([]);
    expect(Array.from(besideEachOther([4, 5, 6], 1))).toEqual([0]);
  });
});
