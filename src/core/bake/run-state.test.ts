import { beforeAll, describe, expect, it } from 'vitest';
import { tubeScenes, type TubeScenes } from '../../../tests/helpers/tube-scene';
import type { SwaySettings } from '../document/schema';
import { planRun, SwayRun, type Scene } from '../sway/run';
import { packRun, RunStateError, unpackRun } from './run-state';

let tube: TubeScenes;
beforeAll(async () => { tube = await tubeScenes(24, 10); });

/** Points and measures from frame 9 on: of one run, and of another that takes over its state there. */
function goneOn(scene: Scene, first = -9, from = 9, to = 20): { one: unknown[]; other: unknown[]; bytes: Uint8Array } {
  const plan = planRun(scene, first, to), begin = (): SwayRun => new SwayRun(scene, first, { plan }), a = begin(), b = begin(), one: unknown[] = [], other: unknown[] = [];
  while (a.frame < from) a.advance();
  const bytes = packRun(a);
  while (a.frame < to) { const m = a.advance(); one.push([m, [...a.positions()], [...a.strandNumbers]]); }
  unpackRun(b, bytes);
  while (b.frame < to) { const m = b.advance(); other.push([m, [...b.positions()], [...b.strandNumbers]]); }
  return { one, other, bytes };
}

describe('a run goes on in another', () => {
  const ring = (): SwaySettings['ties'] => [{ id: 'a', name: 'ring', on: true, kind: 'ring', guides: [0, 1, 2, 3], from: 0.4, to: 0.6, node: '', firmness: 0.7, snap: null, wears: null }, { id: 'b', name: 'joint', on: true, kind: 'joint', guides: [8, 9], from: 0.7, to: 1, node: 'tip', firmness: 0.5, snap: 0.4, wears: null }];
  for (const [name, change, shot] of [
    ['free', () => ({ roles: tube.bare }), {}],
    ['against a shell, with wind and damping', () => ({ meshes: { tube: { as: 'shell' as const, sides: 'auto' as const, gapMm: null, friction: null } }, windSpeed: 4, bendDamping: 20 }), {}],
    ['against pills and a floor, part of it shown', () => ({ give: 0.7, meshes: { tube: { as: 'pills' as const, sides: 'auto' as const, gapMm: 2, friction: 0.5 } }, colliders: [{ id: 'f', name: 'floor', kind: 'floor' as const, node: '', on: true, a: [0, 0.1, 0] as [number, number, number], b: [0, 0, 0] as [number, number, number], radiusA: 0, radiusB: 0, gapMm: null, friction: null }] }), {}],
    ['bound to one another, with ties', () => ({ loft: 0.8, ties: ring() }), {}],
    ['in a loop', () => ({ spread: 0.4 }), { cyclic: true, start: 0, end: 18 }],
    ['carried', () => ({ carrier: 'root', carryTravel: 0.3, carryTurning: 0.5 }), {}],
  ] as const) it(`to the bit: ${name}`, () => {
    const { one, other, bytes } = goneOn(tube.scene(change(), { shot }));
    expect(one.length).toBe(11);
    expect(other).toEqual(one);
    expect(bytes.byteLength).toBeLessThan(2e6);
  });
  it('the state of another run, or a cut one, is refused', () => {
    const { bytes } = goneOn(tube.scene({}), -3, 0, 1), lofted = tube.scene({ loft: 0.5 }), other = new SwayRun(lofted, 0), same = new SwayRun(tube.scene({}), 0);
    expect(() => unpackRun(other, bytes)).toThrow(RunStateError);
    expect(() => unpackRun(same, bytes.subarray(0, bytes.length >> 1))).toThrow(RunStateError);
    expect(() => unpackRun(same, bytes.slice().fill(7, 0, 4))).toThrow(RunStateError);
  });
});
