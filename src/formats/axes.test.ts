import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { turnInto } from '../core/math/mat4';
import { Axes, type AxesChoice } from './axes';
import { springNumbers, withExtension } from './springs';
import { defaultSway } from '../core/document/schema';
import { layOutVat, vatCoordinates } from './vat';

const choices: AxesChoice[] = (['y', 'z'] as const).flatMap((up) => (['right', 'left'] as const).map((hand) => ({ up, hand, metres: 0.01 })));
const number = fc.double({ min: -5, max: 5, noNaN: true });

describe('axes of receivers', () => {
  for (const choice of choices) it(`${choice.hand}-handed, +${choice.up} up: a turned place is the turned place`, () => {
    const axes = new Axes(choice);
    fc.assert(fc.property(fc.tuple(number, number, number), fc.tuple(number, number, number, number).filter((q) => Math.hypot(...q) > 0.1), (v, q) => {
      const l = Math.hypot(...q), unit = q.map((x) => x / l), here = new Float64Array(3), there = new Float64Array(3);
      turnInto(here, 0, v, 0, unit);
      turnInto(there, 0, axes.places(v, new Float64Array(3)), 0, axes.rotations(unit, new Float64Array(4)));
      axes.places(here, here).forEach((x, c) => expect(there[c]).toBeCloseTo(x, 6));
    }), { numRuns: 60 });
    // up is up, and a unit is a unit
    expect([...axes.places([0, 2, 0], new Float64Array(3))]).toEqual(choice.up === 'y' ? [0, 200, 0].map((v) => (v === 0 ? expect.closeTo(0) : v)) : [expect.closeTo(0), expect.closeTo(0), 200]);
    expect([...axes.winding(Uint16Array.of(1, 2, 3))]).toEqual(choice.hand === 'left' ? [1, 3, 2] : [1, 2, 3]);
  });
  it('ours are left as they are', () => { expect([...new Axes().places([1, 2, 3], new Float32Array(3))]).toEqual([1, 2, 3]); });
});

describe('springs', () => {
  it('hold that is firmer is stiffer, damping that is more drags more, and a calm groom has no gravity', () => {
    const sway = defaultSway(), soft = springNumbers({ ...sway, hold: 0.2 }, 0.2, 4), firm = springNumbers({ ...sway, hold: 0.6 }, 0.2, 4);
    expect(firm[0].stiffness).toBeGreaterThan(soft[0].stiffness);
    expect(springNumbers({ ...sway, damping: 9 }, 0.2, 4)[2].dragForce).toBeGreaterThan(soft[2].dragForce);
    expect([soft[0].gravityPower, springNumbers({ ...sway, calmStart: false }, 0.2, 2)[0].gravityPower]).toEqual([0, 0.1635]);
    // free hair is left with its own bending: 3.516² EI / (ρA L⁴) at the root, l Δt times as much
    const free = springNumbers({ ...sway, hold: 0 }, 0.2, 1)[0];
    expect(free.stiffness).toBeGreaterThan(0);
    expect(free.stiffness).toBeLessThan(4);
  });
  it('an extension is written into a file beside what is there', () => {
    const json = new TextEncoder().encode('{"asset":{"version":"2.0"},"extensionsUsed":["A"]}  '), glb = new Uint8Array(20 + json.length), view = new DataView(glb.buffer);
    view.setUint32(0, 0x46546c67, true); view.setUint32(4, 2, true); view.setUint32(8, glb.length, true); view.setUint32(12, json.length, true); view.setUint32(16, 0x4e4f534a, true);
    glb.set(json, 20);
    const out = withExtension(glb, 'B', { x: 1 }), to = new DataView(out.buffer);
    expect([to.getUint32(8, true), to.getUint32(12, true) % 4]).toEqual([out.length, 0]);
    expect(JSON.parse(new TextDecoder().decode(out.subarray(20)))).toEqual({ asset: { version: '2.0' }, extensionsUsed: ['A', 'B'], extensions: { B: { x: 1 } } });
  });
});

describe('a vertex animation', () => {
  it('has room for every vertex of every frame, within what the receiver takes', () => {
    fc.assert(fc.property(fc.integer({ min: 1, max: 60_000 }), fc.integer({ min: 1, max: 400 }), (vertices, frames) => {
      const layout = layOutVat(vertices, frames, 4096);
      expect(layout.width * layout.rows).toBeGreaterThanOrEqual(vertices);
      expect(layout.width).toBeLessThanOrEqual(4096);
      for (const p of layout.parts) expect(p.count * layout.rows).toBeLessThanOrEqual(4096);
      expect(layout.parts.reduce((n, p) => n + p.count, 0)).toBe(frames);
    }), { numRuns: 60 });
    expect(() => layOutVat(300 * 300, 1, 256)).toThrow(/do not fit/);
    const at = vatCoordinates(layOutVat(10, 3, 4), 10, 1);
    expect([...at].every((v) => v > 0 && v < 1)).toBe(true);
  });
});
