import { describe, expect, it, vi } from 'vitest';
import { FrameFile, FrameFileError, packFrames, type PackedFrames } from '../../core/bake/frame-codec';
import { STRAND_NUMBERS } from '../../core/proof/strand-meter';
import { BakedFrames } from './baked-frames';

/** Samples whose first coordinate is their own number. */
const part = (first: number, count: number): Uint8Array => packFrames(Array.from({ length: count }, (_, k): PackedFrames => ({ points: Float32Array.from({ length: 24 }, (_x, i) => (i === 0 ? first + k : 0.1 * i)), strands: new Float32Array(STRAND_NUMBERS) })), first, 8);
const firstOf = (frames: BakedFrames, n: number): number | undefined => { const x = frames.get(n)?.[0]; return x === undefined ? undefined : Math.round(x); };

describe('frames of the bake that is shown', () => {
  it('are there as their parts come, in any order, by the frames of the shot', () => {
    const frames = new BakedFrames();
    frames.clear(2);
    frames.add(part(12, 12), 12, 12);
    frames.add(part(-5, 5), -5, 5);
    // whole frames only: −4, −2 of the one, 12 … 22 of the other
    expect(frames.numbers).toEqual([-2, -1, 6, 7, 8, 9, 10, 11]);
    for (const n of frames.numbers) expect(firstOf(frames, n)).toBe(2 * n);
    expect([frames.get(0), frames.get(-3), frames.get(12)]).toEqual([undefined, undefined, undefined]);
    frames.add(part(0, 12), 0, 12);
    expect(frames.numbers).toEqual([-2, -1, 0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11]);
    expect(firstOf(frames, 3)).toBe(6);
    expect([frames.size, frames.drops(3)]).toEqual([14, undefined]);
    frames.clear();
    expect([frames.numbers, frames.size, frames.get(3)]).toEqual([[], 0, undefined]);
  });
  it('are unpacked a few parts at a time: those looked at longest ago are let go of, and come again', () => {
    const frames = new BakedFrames(), forget = vi.spyOn(FrameFile.prototype, 'forget');
    for (let k = 0; k < 8; k++) frames.add(part(12 * k, 12), 12 * k, 12);
    for (let n = 0; n < 48; n++) expect(firstOf(frames, n)).toBe(n);
    expect(forget).toHaveBeenCalledTimes(0);
    for (const n of [3, 50, 3, 60, 3, 70, 80]) expect(firstOf(frames, n)).toBe(n);
    // the one that is looked at again and again stays
    expect(forget).toHaveBeenCalledTimes(3);
    expect(forget.mock.contexts.some((c) => (c as FrameFile).has(3))).toBe(false);
    expect(firstOf(frames, 15)).toBe(15);
    forget.mockRestore();
  });
  it('what cannot be unpacked is told once, with its frames, and the others stay', () => {
    const frames = new BakedFrames(), told: [number, number][] = [], bad = part(24, 12).slice();
    frames.damaged = (from, to) => { told.push([from, to]); };
    expect(() => frames.add(new Uint8Array(40), 0, 12)).toThrow(FrameFileError);
    bad.fill(0x55, bad.length - 60);
    frames.add(part(0, 24), 0, 24);
    frames.add(bad, 24, 12);
    expect(firstOf(frames, 20)).toBe(20);
    expect([frames.get(35), frames.get(35), frames.get(25)]).toEqual([undefined, undefined, undefined]);
    expect(told).toEqual([[24, 35]]);
    expect(firstOf(frames, 21)).toBe(21);
    expect(frames.numbers.length).toBe(24);
  });
});
