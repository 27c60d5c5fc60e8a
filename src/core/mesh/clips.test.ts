import { describe, expect, it } from 'vitest';
import type { Clip } from './character';
import { fitRounds, keyRate } from './clips';

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

describe('the rate a clip is keyed at', () => {
  const keyed = (...times: number[]): Clip => ({ name: 'c', duration: Math.max(...times), channels: [{ node: 0, path: 'translation', times: Float32Array.from(times), values: new Float32Array(3 * times.length), interpolation: 'LINEAR' }] as unknown as Clip['channels'] });
  const every = (rate: number, frames: number, from = 0): number[] => Array.from({ length: frames }, (_, k) => (from + k) / rate);
  it.each([24, 25, 30, 23.976, 29.97, 48, 50, 60, 59.94])('%d is found by its keys', (rate) => { expect(keyRate([keyed(...every(rate, 2000, 1))])).toBe(rate); });
  it('is the lowest on whose frames all keys of all clips stand', () => {
    // every third of 24: on those of 24 as well as of 48
    expect(keyRate([keyed(...every(8, 20))])).toBe(24);
    expect(keyRate([keyed(...every(24, 20)), keyed(...every(30, 20))])).toBeNull();
    expect(keyRate([keyed(...every(25, 20)), keyed(...every(50, 20))])).toBe(50);
  });
  it('is not told by few keys, nor by keys that stand anywhere', () => {
    expect(keyRate([keyed(0, 0.4, 1)])).toBeNull();
    expect(keyRate([keyed(...every(30, 40).map((t) => t + 0.003 * Math.sin(99 * t)))])).toBeNull();
    expect(keyRate([])).toBeNull();
  });
});
