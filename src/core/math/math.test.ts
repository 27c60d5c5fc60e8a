import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import * as THREE from 'three';
import { composeInto, invertAffine, multiplyInto, quatFromAxes, slerpInto } from './mat4';
import { hashUnit, makeRandom } from './random';
import { add, addScaled, clamp, cross, dot, length, mix, normalize, perpendicular, scale, smoothStep, sub, type Vec3 } from './vec';

const SEED = { seed: 4310, numRuns: 200 };
const number = fc.double({ min: -10, max: 10, noNaN: true });
const vector = fc.tuple(number, number, number) as fc.Arbitrary<Vec3>;
const quaternion = fc.tuple(number, number, number, number)
  .filter((q) => Math.hypot(...q) > 0.1)
  .map((q) => q.map((v) => v / Math.hypot(...q)) as [number, number, number, number]);

describe('vectors', () => {
  it('cross is perpendicular to both and as long as the parallelogram', () => {
    fc.assert(fc.property(vector, vector, (a, b) => {
      const c = cross(a, b);
      expect(Math.abs(dot(c, a))).toBeLessThan(1e-9 * (1 + length(a) ** 2 * length(b)));
      expect(Math.abs(dot(c, b))).toBeLessThan(1e-9 * (1 + length(b) ** 2 * length(a)));
      expect(dot(c, c)).toBeCloseTo(dot(a, a) * dot(b, b) - dot(a, b) ** 2, 3);
    }), SEED);
  });
  it('perpendicular gives a unit vector across any unit vector', () => {
    fc.assert(fc.property(vector.filter((v) => length(v) > 0.01), (v) => {
      const t = normalize(v), p = perpendicular(t);
      expect(length(p)).toBeCloseTo(1, 9);
      expect(dot(p, t)).toBeCloseTo(0, 9);
    }), SEED);
  });
  it('the zero vector stays zero when normalised', () => {
    expect(normalize([0, 0, 0])).toEqual([0, 0, 0]);
  });
  it('sums, differences and mixes are componentwise', () => {
    expect(add([1, 2, 3], [4, 5, 6])).toEqual([5, 7, 9]);
    expect(sub([1, 2, 3], [4, 5, 6])).toEqual([-3, -3, -3]);
    expect(scale([1, -2, 3], 2)).toEqual([2, -4, 6]);
    expect(addScaled([1, 1, 1], [1, 2, 3], 0.5)).toEqual([1.5, 2, 2.5]);
    expect(mix(2, 4, 0.25)).toBe(2.5);
    expect([clamp(-1), clamp(0.4), clamp(7)]).toEqual([0, 0.4, 1]);
  });
  it('smoothStep is flat at both ends, runs either way, and is one half in the middle', () => {
    expect(smoothStep(2, 4, 1)).toBe(0);
    expect(smoothStep(2, 4, 5)).toBe(1);
    expect(smoothStep(2, 4, 3)).toBe(0.5);
    expect(smoothStep(4, 2, 3.9)).toBeLessThan(0.01);
    expect(smoothStep(0, 1, 1e-4)).toBeLessThan(1e-7);
  });
});

describe('transforms, against three.js', () => {
  it('composition of translation, rotation and scale', () => {
    fc.assert(fc.property(vector, quaternion, vector, (t, q, s) => {
      const m = new Float64Array(16);
      composeInto(m, 0, ...t, ...q, ...s);
      const expected = new THREE.Matrix4().compose(new THREE.Vector3(...t), new THREE.Quaternion(...q), new THREE.Vector3(...s)).elements;
      m.forEach((v, i) => expect(v).toBeCloseTo(expected[i], 9));
    }), SEED);
  });
  it('product and inverse', () => {
    fc.assert(fc.property(vector, quaternion, vector, quaternion, (t, q, u, r) => {
      const a = new Float64Array(16), b = new Float64Array(16), ab = new Float64Array(16), back = new Float64Array(16);
      composeInto(a, 0, ...t, ...q, 2, 1, 0.5);
      composeInto(b, 0, ...u, ...r, 1, 3, 1);
      multiplyInto(ab, 0, a, 0, b, 0);
      const expected = new THREE.Matrix4().fromArray(Array.from(a)).multiply(new THREE.Matrix4().fromArray(Array.from(b))).elements;
      ab.forEach((v, i) => expect(v).toBeCloseTo(expected[i], 8));
      multiplyInto(back, 0, ab, 0, invertAffine(ab)!, 0);
      back.forEach((v, i) => expect(v).toBeCloseTo(i % 5 === 0 ? 1 : 0, 7));
    }), SEED);
  });
  it('a flattened transform has no inverse', () => {
    const flat = new Float64Array(16);
    composeInto(flat, 0, 1, 2, 3, 0, 0, 0, 1, 1, 0, 1);
    expect(invertAffine(flat)).toBeNull();
  });
  it('slerp takes the shorter arc and stays on the unit sphere', () => {
    fc.assert(fc.property(quaternion, quaternion, fc.double({ min: 0, max: 1, noNaN: true }), (a, b, t) => {
      const out = new Float64Array(4);
      slerpInto(out, 0, a, 0, b, 0, t);
      const expected = new THREE.Quaternion(...a).slerp(new THREE.Quaternion(...b), t);
      const same = Math.abs(out[0] * expected.x + out[1] * expected.y + out[2] * expected.z + out[3] * expected.w);
      expect(Math.hypot(...out)).toBeCloseTo(1, 9);
      expect(same).toBeGreaterThan(1 - 1e-6);
    }), SEED);
  });
  it('axes of a rotation give its quaternion, whichever branch computes it', () => {
    fc.assert(fc.property(quaternion, (q) => {
      const m = new THREE.Matrix4().makeRotationFromQuaternion(new THREE.Quaternion(...q)).elements;
      const r = quatFromAxes([m[0], m[1], m[2]], [m[4], m[5], m[6]], [m[8], m[9], m[10]]);
      expect(Math.abs(r[0] * q[0] + r[1] * q[1] + r[2] * q[2] + r[3] * q[3])).toBeCloseTo(1, 9);
    }), { ...SEED, numRuns: 500 });
    for (const axis of [[1, 0, 0], [0, 1, 0], [0, 0, 1]]) {
      const m = new THREE.Matrix4().makeRotationAxis(new THREE.Vector3(...axis), Math.PI).elements;
      const r = quatFromAxes([m[0], m[1], m[2]], [m[4], m[5], m[6]], [m[8], m[9], m[10]]);
      expect(Math.abs(r[0] * axis[0] + r[1] * axis[1] + r[2] * axis[2])).toBeCloseTo(1, 9);
    }
  });
});

describe('random numbers', () => {
  it('the same seed gives the same numbers, within [0, 1)', () => {
    const a = makeRandom(9), b = makeRandom(9), c = makeRandom(10);
    const first = Array.from({ length: 50 }, a);
    expect(Array.from({ length: 50 }, b)).toEqual(first);
    expect(Array.from({ length: 50 }, c)).not.toEqual(first);
    expect(first.every((v) => v >= 0 && v < 1)).toBe(true);
  });
  it('are spread evenly: chi-squared of 20 bins within its 0.1 % bounds', () => {
    // Source: chi-squared table, 19 degrees of freedom: 99.9 % below 43.8, 0.1 % below 5.4
    for (const draw of [makeRandom(1), ((): (() => number) => { let k = 0; return () => hashUnit(k++); })()]) {
      const bins = new Array<number>(20).fill(0), n = 20000;
      for (let k = 0; k < n; k++) bins[Math.floor(draw() * 20)]++;
      const chi = bins.reduce((s, b) => s + (b - n / 20) ** 2 / (n / 20), 0);
      expect(chi).toBeLessThan(43.8);
      expect(chi).toBeGreaterThan(5.4);
    }
  });
  it('neighbouring hashes are not alike', () => {
    let products = 0;
    for (let k = 0; k < 10000; k++) products += (hashUnit(k) - 0.5) * (hashUnit(k + 1) - 0.5);
    expect(Math.abs(products / 10000)).toBeLessThan(0.003);
  });
});
