import { describe, expect, it } from 'vitest';
import { mixMotion, moveInto } from '../math/mat4';
import { makeRandom } from '../math/random';
import type { Pill } from './pills';
import { RigidColliders } from './rigid-colliders';

const random = makeRandom(12), between = (a: number, b: number): number => a + (b - a) * random();
const pill = (): Pill => ({ node: 0, source: 'arm', a: [between(-1, 1), between(-1, 1), between(-1, 1)], b: [between(-1, 1), between(-1, 1), between(-1, 1)], radiusA: between(0.02, 0.1), radiusB: between(0.02, 0.1) });
/** A rigid motion: a turn of less than half a round, and a shift. */
const motion = (): number[] => { const q = [between(-0.4, 0.4), between(-0.4, 0.4), between(-0.4, 0.4), 1], l = Math.hypot(...q); return [...q.map((v) => v / l), between(-1, 1), between(-1, 1), between(-1, 1)]; };
const distance = (p: readonly number[], q: ArrayLike<number>, o = 0): number => Math.hypot(p[0] - q[o], p[1] - q[o + 1], p[2] - q[o + 2]);

describe('what moves rigidly', () => {
  it('is where its motion has it at the end of a substep, and what lies on it has come from where it was at the start', () => {
    const pills = [pill(), pill(), pill()], from = Float64Array.from(pills.flatMap(motion)), to = Float64Array.from(pills.flatMap(motion)), rigid = new RigidColliders(pills, [], 0.001, 0.3), m = new Float64Array(from.length), at = new Float64Array(3), was = new Float64Array(3);
    for (const [t0, t1] of [[0, 0.125], [0.5, 0.625], [0.875, 1]]) {
      rigid.place(from, to, t0, t1);
      pills.forEach((p, k) => {
        mixMotion(m, 7 * k, from, to, t1);
        moveInto(at, 0, p.a, 0, m, 7 * k);
        expect(distance([...at], rigid.ends, 6 * k)).toBeLessThan(1e-12);
        // the ball round it holds both of its ends
        for (const o of [0, 3]) expect(distance([...rigid.balls.subarray(4 * k, 4 * k + 3)], rigid.ends, 6 * k + o) + (o === 0 ? p.radiusA : p.radiusB)).toBeLessThan(rigid.balls[4 * k + 3] + 1e-12);
        // a place of its own, at both times
        const own = [between(-1, 1), between(-1, 1), between(-1, 1)], slid = { ux: 0, uy: 0, uz: 0 };
        moveInto(at, 0, own, 0, m, 7 * k);
        mixMotion(m, 7 * k, from, to, t0);
        moveInto(was, 0, own, 0, m, 7 * k);
        rigid.slide(slid, k, at[0], at[1], at[2]);
        expect(distance([slid.ux, slid.uy, slid.uz], [at[0] - was[0], at[1] - was[1], at[2] - was[2]])).toBeLessThan(1e-12);
      });
    }
  });
  it('is as far from a place at the start of a substep as it was at the end of the one before', () => {
    const pills = [pill(), pill()], from = Float64Array.from(pills.flatMap(motion)), to = Float64Array.from(pills.flatMap(motion)), rigid = new RigidColliders(pills, [], 0.001, 0.3), inside = (k: number, x: number[]): boolean => rigid.insideOf(pills[k], x) === 1;
    for (let k = 0; k < 2; k++) for (let n = 0; n < 50; n++) {
      const x = [between(-1.5, 1.5), between(-1.5, 1.5), between(-1.5, 1.5)];
      rigid.place(from, to, 0.25, 0.375);
      const before = inside(k, x);
      rigid.place(from, to, 0.375, 0.5);
      expect(rigid.gapNow(x[0], x[1], x[2], k) < 0).toBe(before);
    }
  });
  it('and level is a plane that turns with what carries it; only strands that can reach it are near', () => {
    const rigid = new RigidColliders([], [{ place: [0, 0.5, 0], up: [0, 1, 0], gap: 0.01 }], 0.001, 0.3), still = Float64Array.of(0, 0, 0, 1, 0, 0, 0), s = Math.SQRT1_2, turned = Float64Array.of(s, 0, 0, s, 0, 0, 0);
    rigid.place(still, still, 0, 1);
    expect([...rigid.planes]).toEqual([0, 1, 0, 0.5]);
    expect([rigid.gaps[0], rigid.frictions[0]]).toEqual([0.01, 0.3]);
    // a quarter turn about x: up is z now
    rigid.place(turned, turned, 0, 1);
    [0, 0, 1, 0.5].forEach((v, k) => expect(rigid.planes[k]).toBeCloseTo(v, 12));
    const near = (y: number, length: number): boolean => rigid.floorNear(0, still, still, [0, y, 0], [0, y, 0], 0, length);
    expect([near(0.8, 0.2), near(0.8, 0.31), near(0.4, 0.1)]).toEqual([false, true, true]);
  });
  it('tells where the ends of its pills are at a time', () => {
    const pills = [pill()], rigid = new RigidColliders(pills, [], 0, 0), a = rigid.placesOf(Float64Array.from(motion())).slice(), b = rigid.placesOf(Float64Array.from(motion())).slice();
    expect(a).not.toEqual(b);
    const m = Float64Array.from(motion());
    rigid.place(m, m, 0, 1);
    expect(rigid.placesOf(m)).toEqual(rigid.ends);
  });
  it('is reached from where any of its pills is at either end of a frame, with what is kept from it, and not from far away', () => {
    const pills = [pill(), pill()], from = Float64Array.from(pills.flatMap(motion)), to = Float64Array.from(pills.flatMap(motion)), rigid = new RigidColliders(pills, [], 0.01, 0);
    rigid.frame(from, to);
    for (const motions of [from, to]) for (let k = 0; k < 2; k++) for (let e = 0; e < 2; e++) for (let c = 0; c < 3; c++) for (const side of [-1, 1]) {
      const at = rigid.placesOf(motions).slice(6 * k + 3 * e, 6 * k + 3 * e + 3);
      at[c] += side * (rigid.radii[2 * k + e] + 0.0299);
      expect(rigid.reaches(at, 0, 0.02)).toBe(true);
      at[c] += side * 100;
      expect(rigid.reaches(at, 0, 0.02)).toBe(false);
    }
  });
});
