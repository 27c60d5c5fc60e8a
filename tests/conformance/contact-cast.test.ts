/** Contact on the demo cast. */
import { beforeAll, describe, expect, it } from 'vitest';
import { floatsOf, unpackPlanting } from '../../src/core/document/buffers';
import type { Character } from '../../src/core/mesh/character';
import { planRun, SwayRun, type Scene } from '../../src/core/sway/run';
import { demoGroom } from '../../src/server/demo-oda';
import { KEPT, keeps } from '../helpers/kept-outside';
import { oda } from '../helpers/oda';

let character: Character, few: ReturnType<typeof demoGroom>;
beforeAll(async () => { character = await oda(); few = demoGroom(character, 160); }, 120_000);

describe.each([['look back', 48, false], ['lock-beam walk', 25, true], ['jump ashore', 42, false]] as const)('Oda, %s', (clip, end, cyclic) => { it(KEPT, () => keeps(character, few, clip, end, cyclic), 240_000); });

it('hair that sags onto collar, scarf and shoulders comes to rest there: no point moves faster than 1 mm/s', () => {
  const { moved, touching, fastest } = restless(false);
  expect(moved).toBeGreaterThan(0.01);
  expect(touching).toBeGreaterThan(50);
  expect(fastest).toBeLessThan(1e-3);
}, 120_000);

/** Eight seconds without a clip; of the last one, how fast points are and how many guides have any faster than 1 mm/s. */
function restless(calmStart: boolean): { fastest: number; restless: number; moved: number; touching: number } {
  const mesh = character.meshes.find((m) => m.hair.length > 0)!, scene: Scene = { character, mesh, clip: null, shot: { clip: '', start: 0, end: 1, fps: 24, cyclic: false }, planting: unpackPlanting(few.buffers[1]), offsets: floatsOf(few.buffers[2]), pointCount: 16, hidden: [], settings: { ...few.document.sway, calmStart, hold: 0.1 } };
  const run = new SwayRun(scene, 0, { plan: planRun(scene, 0, 2) }), start = run.computed();
  const quick = new Set<number>();
  let before = start, fastest = 0, moved = 0, touching = 0;
  for (let k = 1; k <= 192; k++) {
    touching = run.advance().contacts;
    const now = run.computed();
    if (k > 168) for (let p = 0; p < now.length; p += 3) {
      const speed = 24 * Math.hypot(now[p] - before[p], now[p + 1] - before[p + 1], now[p + 2] - before[p + 2]);
      fastest = Math.max(fastest, speed);
      if (speed > 1e-3) quick.add(Math.floor(p / 48));
    }
    before = now;
  }
  for (let p = 0; p < before.length; p += 3) moved = Math.max(moved, Math.hypot(before[p] - start[p], before[p + 1] - start[p + 1], before[p + 2] - start[p + 2]));
  console.log(`at rest: ${(1e3 * fastest).toFixed(3)} mm/s, ${quick.size} guides faster than 1 mm/s, sagged ${(1e3 * moved).toFixed(0)} mm, ${touching} contacts`);
  return { fastest, restless: quick.size, moved, touching };
}

it('loft at full strength on Oda, who turns her head: rods that do not let a body have its shape are not asked for it ever harder, and the net is not used', () => {
  const thick = demoGroom(character, 1000), mesh = character.meshes.find((m) => m.hair.length > 0)!, off = { body: 'off', garment: 'off', accessory: 'off', prop: 'off', carrier: 'off' } as const;
  const scene: Scene = { character, mesh, clip: character.clips.find((c) => c.name === 'look back')!, shot: thick.document.shot, planting: unpackPlanting(thick.buffers[1]), offsets: floatsOf(thick.buffers[2]), pointCount: 16, hidden: [], settings: { ...thick.document.sway, chooseSubsteps: false, substeps: 8, roles: off, loft: 1 } };
  const run = new SwayRun(scene, -1);
  let nets = 0, volume = 1;
  for (let k = 0; k < 40; k++) { const m = run.advance(); nets += m.netUses; volume = Math.min(volume, m.volume); }
  expect(nets).toBe(0);
  expect(volume).toBeGreaterThan(0.9);
});
