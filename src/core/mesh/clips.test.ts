import { describe, expect, it } from 'vitest';
import { fitRounds } from './clips';

describe('a range beside the rounds of its clip', () => {
  it('is told what it is longer by, and the rate at which it is not', () => {
    // 1.08 s at 24 frames a second are 25.92 frames
    const one = fitRounds(26, 1.08, 24), two = fitRounds(52, 1.08, 24);
    expect([one.rounds, two.rounds]).toEqual([1, 2]);
    expect(one.miss).toBeCloseTo(0.08, 9);
    expect(two.miss).toBeCloseTo(0.16, 9);
    for (const { rounds, rate } of [one, two]) expect(fitRounds(26 * rounds, 1.08, rate).miss).toBeCloseTo(0, 9);
  });
  it('of whole rounds misses nothing', () => { expect(fitRounds(48, 2, 24)).toEqual({ rounds: 1, miss: 0, rate: 24 }); });
  it('that is far from any round says so', () => { expect(fitRounds(36, 2, 24).miss).toBe(-12); });
});
