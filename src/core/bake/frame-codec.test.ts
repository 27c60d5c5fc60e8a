import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { makeRandom } from '../math/random';
import { OF_STRAND, STRAND_NUMBERS } from '../proof/strand-meter';
import { FrameFile, FrameFileError, FRAME_ERROR, packFrames, unpackFrames, type PackedFrames } from './frame-codec';

/** Hair that moves as hair does. */
function frames(guides: number, points: number, count: number, seed = 1): PackedFrames[] {
  const random = makeRandom(seed), roots = Float64Array.from({ length: 3 * guides }, () => random() + 1);
  return Array.from({ length: count }, (_, f) => {
    const out: PackedFrames = { points: new Float32Array(3 * points * guides), strands: new Float32Array(STRAND_NUMBERS * guides) };
    for (let g = 0; g < guides; g++) {
      for (let i = 0; i < points; i++) for (let c = 0; c < 3; c++) out.points[3 * (g * points + i) + c] = roots[3 * g + c] + 0.02 * f + (c === 1 ? -0.02 * i : 0.004 * i * Math.sin(0.3 * f + g));
      out.strands.set([0.0012 * (g % 3), g % 3 === 0 ? -1 : g % 5, 1e-5, 3.14, 0.0004, 0.031], STRAND_NUMBERS * g);
    }
    return out;
  });
}

describe('frames of a take as bytes', () => {
  it('come back within the stated error, and the numbers of their strands too', () => {
    const given = frames(40, 16, 30), bytes = packFrames(given, -5, 16), read = unpackFrames(bytes);
    expect([...read.frames.keys()]).toEqual(Array.from({ length: 30 }, (_, k) => k - 5));
    given.forEach(({ points, strands }, k) => {
      const back = read.frames.get(k - 5)!;
      // and the last digit of a float32
      points.forEach((v, i) => expect(Math.abs(back.points[i] - v)).toBeLessThanOrEqual(FRAME_ERROR + 2e-7));
      for (let g = 0; g < 40; g++) for (const [n, tolerance] of [[OF_STRAND.depth, 1e-6], [OF_STRAND.collider, 0], [OF_STRAND.stretch, 1e-6], [OF_STRAND.jump, 0.01], [OF_STRAND.jitter, 1e-6], [OF_STRAND.drift, 1e-5]] as const) expect(Math.abs(back.strands[STRAND_NUMBERS * g + n] - strands[STRAND_NUMBERS * g + n])).toBeLessThanOrEqual(tolerance + 1e-7);
    });
  });
  it('take a quarter of their float32 at most, and one frame is read alone', () => {
    const given = frames(60, 16, 48), bytes = packFrames(given, 0, 16);
    expect(bytes.length).toBeLessThan(0.25 * 4 * 48 * 3 * 16 * 60);
    const one = unpackFrames(bytes, 30);
    expect(one.frames.has(30)).toBe(true);
    expect(one.frames.size).toBeLessThanOrEqual(12);
    expect(one.frames.get(30)).toEqual(unpackFrames(bytes).frames.get(30));
  });
  it('one by one, in any order, to and fro, they are what they are together; what is forgotten comes again', () => {
    const given = frames(25, 16, 40, 7), bytes = packFrames(given, -7, 16), all = unpackFrames(bytes).frames, file = new FrameFile(bytes), random = makeRandom(2);
    expect(file.numbers).toEqual([...all.keys()]);
    for (let k = 0; k < 60; k++) { const n = -7 + Math.floor(40 * random()); expect(file.frame(n)).toEqual(all.get(n)); if (k % 9 === 0) file.forget(); }
    for (let n = 32; n >= -7; n--) expect(file.frame(n)).toEqual(all.get(n));
    expect([file.has(-8), file.has(33), file.groupWith(-7).length, file.groupWith(40).length]).toEqual([false, false, 6, 0]);
    expect(() => file.frame(33)).toThrow(/a frame of the file/);
    // one whose group breaks off gives what comes before, and says which frames are gone after it; others are whole
    const cut = bytes.slice();
    cut.fill(0, cut.length - 30);
    const broken = new FrameFile(cut);
    expect(broken.frame(3)).toEqual(all.get(3));
    expect(() => broken.frame(32)).toThrow(FrameFileError);
    expect(broken.frame(20)).toEqual(all.get(20));
  });
  it('of files that earlier versions wrote are read as they are', () => {
    const old = Uint8Array.from(Buffer.from('RkNGMWwAAAB7ImZpcnN0Ijo1LCJjb3VudCI6MywicG9pbnRDb3VudCI6NCwiZ3VpZGVzIjoyLCJzdGVwIjowLjAwMDAyLCJncm91cHMiOlt7ImZyYW1lIjo1LCJmcmFtZXMiOjMsImJ5dGVzIjoyMzR9XX14nGM408p4fQPTks0sj48yPdnG3r2eo+MD55sZrP9PcE54wfF6EvuNtczXJ7JceMv0OOXJVdbvs7lXdPLs/sV95jPb8bvcB85zPz7GxYAEFjxnfH2B+c0F5vknmDuuMd6ezXziB9Pk80w9CcvvMDZMZgJas+Iw4/xpzGc2MvcfZV5df+IR4/TljF/S+5lXS/+JmT+H8QL/BX4GBgR5gvEEY7doi8Jt7mb2P4Ldeh0O1/1/Oy9oZnxfeaDgsv6dsPsuT4xWm0zJ66680ch436Wjm/F1N+OBTsYF8gvkgQ6CkxOYJzADAMu+aZk=', 'base64')), { frames: read, pointCount, guides } = unpackFrames(old);
    expect([pointCount, guides, [...read.keys()]]).toEqual([4, 2, [5, 6, 7]]);
    for (let f = 0; f < 3; f++) for (let k = 0; k < 24; k++) expect(read.get(5 + f)!.points[k]).toBeCloseTo(Math.round(1000 * (Math.sin(k + 0.3 * f) + 0.01 * k)) / 1000, 4);
  });
  it('whatever places there are come back, near and far', () => {
    fc.assert(fc.property(fc.array(fc.float({ min: -1000, max: 1000, noNaN: true }), { minLength: 24, maxLength: 24 }), fc.float({ min: Math.fround(1e-6), max: Math.fround(0.01), noNaN: true }), (values, error) => {
      const points = Float32Array.from(values), read = unpackFrames(packFrames([{ points, strands: new Float32Array(STRAND_NUMBERS) }, { points: points.map((v) => -v), strands: new Float32Array(STRAND_NUMBERS) }], 7, 8, error)).frames;
      points.forEach((v, i) => { expect(Math.abs(read.get(7)!.points[i] - v)).toBeLessThanOrEqual(1.001 * error + 6e-5); expect(Math.abs(read.get(8)!.points[i] + v)).toBeLessThanOrEqual(1.001 * error + 6e-5); });
    }), { numRuns: 60 });
  });
  it('without an error, every bit comes back, in less room', () => {
    const given = frames(30, 16, 24), bytes = packFrames(given, 3, 16, 0), read = unpackFrames(bytes).frames;
    given.forEach(({ points }, k) => expect(read.get(k + 3)!.points).toEqual(points));
    expect(bytes.length).toBeLessThan(0.8 * 4 * 24 * 3 * 16 * 30);
    const odd = { points: Float32Array.of(1e-38, -1e-38, 3e38, -3e38, 0, 1, -1, 0.1, -0.1, 1e-45, 7, 8), strands: new Float32Array(STRAND_NUMBERS) };
    expect(unpackFrames(packFrames([odd, { ...odd, points: odd.points.slice().reverse() }], 0, 4, 0)).frames.get(1)!.points).toEqual(odd.points.slice().reverse());
  });
  it('what is damaged is told, and nothing hangs', () => {
    const bytes = packFrames(frames(10, 8, 30), 0, 8), other = bytes.slice();
    expect(() => unpackFrames(new Uint8Array(3))).toThrow(FrameFileError);
    expect(() => unpackFrames(new TextEncoder().encode('FCF1{}'))).toThrow(FrameFileError);
    other.fill(0x55, bytes.length - 40);
    expect(() => unpackFrames(other)).toThrow(/frames from 24 to 29 are damaged|end in the middle/);
    expect(unpackFrames(other, 3).frames.size).toBe(6);
    const random = makeRandom(5);
    for (let k = 0; k < 200; k++) { const bad = bytes.slice(); for (let n = 0; n < 6; n++) bad[Math.floor(random() * bad.length)] = Math.floor(256 * random()); try { unpackFrames(bad); } catch (e) { expect(e).toBeInstanceOf(FrameFileError); } }
    const broken = frames(2, 8, 2);
    broken[1].points[5] = NaN;
    expect(() => packFrames(broken, 0, 8)).toThrow(/no number \(guide 0\)/);
  });
});
