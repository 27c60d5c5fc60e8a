import { describe, expect, it } from 'vitest';
import { defaultSway } from '../document/schema';
import { giveInto } from './give';
import { RodSystem } from './rod-system';
import { blow, Wind, windOf, type WindSettings } from './wind';

const wind = (change: Partial<WindSettings>): Wind => new Wind({ ...defaultSway(), windSpeed: 5, windTurn: 90, gust: 0, ...change });
const at = (w: Wind, t: number, x = 0, y = 0, z = 0): number[] => { const out = new Float64Array(3); w.at(t, x, y, z, out); return Array.from(out); };

describe('wind', () => {
  it('blows where it is told', () => {
    expect(windOf({ windSpeed: 3, windTurn: 0, windRise: 0 })).toEqual([0, 0, 3]);
    const [x, y, z] = windOf({ windSpeed: 2, windTurn: 90, windRise: 30 });
    expect([x, y, z].map((v) => Math.round(v * 1e9) / 1e9)).toEqual([1.732050808, 1, 0]);
    expect(at(wind({}), 1.3, 2, 1, 0).map((v) => Math.round(v * 1e9) / 1e9)).toEqual([5, 0, 0]);
    expect(wind({ windSpeed: 0 }).still).toBe(true);
  });
  it('at the points of strands is the same to the bit whatever it was asked for before, as a run that goes on from a state must have it', () => {
    const w = wind({ gust: 0.7, windRise: 20 }), world = Float64Array.from({ length: 24 }, (_, k) => 0.3 * Math.sin(7 * k)), air = (before: number): number[] => {
      const system = new RodSystem(new Int32Array([5, 3]));
      blow(w, before, system, world, null);
      blow(w, 2.4, system, world, null);
      return Array.from(system.k.air);
    };
    expect(air(0.1)).toEqual(air(9.3));
    // in the order of the system the shorter strand comes first
    expect(air(0.1).slice(0, 3)).toEqual(at(w, 2.4, world[15], world[16], world[17]));
  });
  it('gusts have the wanted mean square, hold nothing quicker than asked, and repeat by their seed', () => {
    const w = wind({ gust: 0.3, gustHz: 1 }), n = 8192, dt = 1 / 16, along = Float64Array.from({ length: n }, (_, k) => at(w, k * dt)[0] / 5 - 1);
    const mean = along.reduce((a, b) => a + b, 0) / n, square = along.reduce((a, b) => a + (b - mean) ** 2, 0) / n;
    expect(Math.abs(mean)).toBeLessThan(0.03);
    expect(Math.sqrt(square)).toBeGreaterThan(0.26);
    expect(Math.sqrt(square)).toBeLessThan(0.34);
    // power at frequencies above the quickest, by a plain Fourier sum with a window
    const power = (hz: number): number => { let re = 0, im = 0; for (let k = 0; k < n; k++) { const window = 0.5 - 0.5 * Math.cos((2 * Math.PI * k) / n), a = 2 * Math.PI * hz * k * dt; re += window * along[k] * Math.cos(a); im += window * along[k] * Math.sin(a); } return re * re + im * im; };
    let slow = 0, fast = 0;
    for (let k = 1; k <= 40; k++) { slow = Math.max(slow, power(k / 40)); fast = Math.max(fast, power(1.1 + k / 10)); }
    expect(fast / slow).toBeLessThan(1e-4);
    expect(at(wind({ gust: 0.3 }), 7)).toEqual(at(wind({ gust: 0.3 }), 7));
    expect(at(wind({ gust: 0.3, gustSeed: 6 }), 7)).not.toEqual(at(wind({ gust: 0.3 }), 7));
    // gusts travel with the wind: what is here now is 5 m further on in a second
    expect(at(w, 4, 1)[0]).toBeCloseTo(at(w, 5, 6)[0], 9);
  });
  it('a fan blows in its cone and to its reach', () => {
    const fan = wind({ windKind: 'fan', windX: 0, windY: 1, windZ: 0, windReach: 2 });
    expect(at(fan, 0, 0.05, 1)[0]).toBeGreaterThan(4.9);
    expect(at(fan, 0, 1, 1)[0]).toBeGreaterThan(0.5 * 5);
    expect(at(fan, 0, 2.1, 1)).toEqual([0, 0, 0]);
    expect(at(fan, 0, 0.5, 2)).toEqual([0, 0, 0]);
    expect(at(fan, 0, -0.5, 1)).toEqual([0, 0, 0]);
  });
  it('the lee of a pill keeps wind away behind it, not before it nor beside', () => {
    const w = wind({ shelter: 0.8 }), ends = [0, -0.2, 0, 0, 0.2, 0], radii = [0.1, 0.1];
    expect(w.lee(0.12, 0, 0, ends, radii, 1)).toBeLessThan(0.3);
    expect(w.lee(0.3, 0, 0, ends, radii, 1)).toBeLessThan(0.8);
    expect(w.lee(-0.12, 0, 0, ends, radii, 1)).toBe(1);
    expect(w.lee(0.12, 0, 0.13, ends, radii, 1)).toBe(1);
    expect(w.lee(0.5, 0, 0, ends, radii, 1)).toBe(1);
    expect(wind({ shelter: 0 }).lee(0.12, 0, 0, ends, radii, 1)).toBe(1);
  });
});

describe('give', () => {
  const combed = Array.from({ length: 5 }, (_, i) => [0, -0.1 * i, 0]).flat(), computed = Array.from({ length: 5 }, (_, i) => [0.1 * i, 0, 0]).flat();
  it('keeps lengths and roots, shows all or nothing at its ends, and stays alive near nothing', () => {
    for (const g of [0, 0.05, 0.5, 1]) {
      const out = new Float64Array(15);
      giveInto(out, 0, 5, computed, combed, new Float64Array(5).fill(g));
      expect(Array.from(out.subarray(0, 3))).toEqual([0, 0, 0]);
      for (let i = 1; i < 5; i++) expect(Math.hypot(out[3 * i] - out[3 * i - 3], out[3 * i + 1] - out[3 * i - 2], out[3 * i + 2] - out[3 * i - 1])).toBeCloseTo(0.1, 9);
      if (g === 0) out.forEach((v, a) => expect(v).toBeCloseTo(combed[a], 9));
      if (g === 1) out.forEach((v, a) => expect(v).toBeCloseTo(computed[a], 9));
      if (g === 0.05) { expect(out[12]).toBeGreaterThan(0.01); expect(out[12]).toBeLessThan(0.05); }
    }
  });
  it('opposite directions have no middle: the computed one stays', () => {
    const out = new Float64Array(6);
    giveInto(out, 0, 2, [0, 0, 0, 0, 0.1, 0], [0, 0, 0, 0, -0.1, 0], [0.5, 0.5]);
    expect(out.every(Number.isFinite)).toBe(true);
    expect(out[4]).toBeCloseTo(0.1, 9);
  });
});
