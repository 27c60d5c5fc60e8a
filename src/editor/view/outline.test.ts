import { expect, it } from 'vitest';
import { insideOutline } from './outline';

it('a place is inside an outline as it was drawn, hollows and all', () => {
  // a U: the hollow between its arms is outside
  const u: [number, number][] = [[0, 0], [9, 0], [9, 9], [6, 9], [6, 3], [3, 3], [3, 9], [0, 9]];
  expect([[1, 5], [8, 5], [4.5, 1], [4.5, 6], [-1, 5], [10, 1]].map(([x, y]) => insideOutline(u, x, y))).toEqual([true, true, true, false, false, false]);
  expect(insideOutline([], 0, 0)).toBe(false);
});
