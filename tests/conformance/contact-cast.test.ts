/** Contact on the demo cast: how deep guides and filled strands go below what is worn, measured by a reader that is not ours. */
import { beforeAll, describe, expect, it } from 'vitest';
import { floatsOf, uintsOf, unpackPlanting } from '../../src/core/document/buffers';
import { FilledFrames } from '../../src/core/fill/filled-frames';
import { noMaps } from '../../src/core/document/schema';
import { clipTime, poseCharacter, skinPositions, type Character } from '../../src/core/mesh/character';
import { Surface } from '../../src/core/mesh/surface';
import { planRun, SwayRun, type Scene } from '../../src/core/sway/run';
import { insideClosed } from '../../src/core/sway/start-check';
import { demoGroom } from '../../src/server/demo-oda';
import { oda } from '../helpers/oda';

let character: Character, few: ReturnType<typeof demoGroom>;
beforeAll(async () => { character = await oda(); few = demoGroom(character, 160); });

/** Deepest of the points (3 × n, m, world) below any closed mesh of those named, m; by rays and nearest points of three-mesh-bvh. */
function deepest(points: ArrayLike<number>, names: readonly string[], frame: number, scene: Scene, first: (p: number) => boolean): number {
  const pose = poseCharacter(character, scene.clip, clipTime(frame, scene.shot.fps, scene.clip!.duration, scene.shot.cyclic));
  let most = 0;
  for (const name of names) {
    const mesh = character.meshes.find((m) => m.name === name)!, P = new Float64Array(mesh.positions.length);
    skinPositions(character, mesh, pose, P);
    const inside = insideClosed(P, mesh.triangles, points), surface = new Surface(P, mesh.triangles);
    inside.forEach((yes, p) => { if (yes && !first(p)) most = Math.max(most, surface.nearest([points[3 * p], points[3 * p + 1], points[3 * p + 2]])!.distance); });
  }
  return most;
}

/**
 * Deepest place, m, of segments that go through a cloth, beyond the first stretch of their guides: a strand that has changed its
 * side of a cloth goes through it somewhere, as its root has not, and is half the cloth's thickness deep there.
 */
function through(points: ArrayLike<number>, names: readonly string[], frame: number, scene: Scene): number {
  const pose = poseCharacter(character, scene.clip, clipTime(frame, scene.shot.fps, scene.clip!.duration, scene.shot.cyclic));
  const places: number[] = [];
  let deep = 0;
  for (const name of names) {
    const mesh = character.meshes.find((m) => m.name === name)!, P = new Float64Array(mesh.positions.length);
    skinPositions(character, mesh, pose, P);
    const surface = new Surface(P, mesh.triangles);
    for (let p = 3; p < points.length / 3; p++) {
      if (p % 16 < 3) continue;
      const a = [0, 1, 2].map((c) => points[3 * p - 3 + c]), d = [0, 1, 2].map((c) => points[3 * p + c] - a[c]), l = Math.hypot(...d), hit = surface.raycast(a, d.map((v) => v / l));
      if (hit && hit.distance < l) for (let k = 1; k < 24; k++) places.push(...a.map((v, c) => v + (k / 24) * d[c]));
    }
    insideClosed(P, mesh.triangles, places).forEach((yes, k) => { if (yes) deep = Math.max(deep, surface.nearest(places.slice(3 * k, 3 * k + 3))!.distance); });
    places.length = 0;
  }
  return deep;
}

const KEPT = 'no guide goes more than 0.2 mm below head, coat, collar or scarf after the run-up, no filled strand more than 0.5 mm; no strand changes its side of a cloth; the net is not used';
const keeps = (clip: string, end: number, cyclic: boolean, guides = 160) => (): void => {
  const groom = guides === 160 ? few : demoGroom(character, guides), settings = groom.document.sway, planting = unpackPlanting(groom.buffers[1]), offsets = floatsOf(groom.buffers[2]), mesh = character.meshes.find((m) => m.hair.length > 0)!;
  const document = { ...groom.document, shot: { clip, start: 0, end, fps: 24, cyclic }, plot: { mesh: mesh.name, faces: null, maps: noMaps(), flow: null }, guides: { count: guides, pointCount: 16, planting: 'a'.repeat(64), offsets: 'b'.repeat(64), plantKey: 'c'.repeat(64), combed: true } };
  const scene: Scene = { character, mesh, clip: character.clips.find((c) => c.name === clip)!, shot: document.shot, planting, offsets, pointCount: 16, hidden: [], settings };
  const run = new SwayRun(scene, -25, { plan: planRun(scene, -25, end) }), filled = new FilledFrames({ document, character, planting, offsets, faces: uintsOf(groom.buffers[0]), count: Math.max(400, 2 * guides) }), worn = ['head', 'coat', 'collar', 'scarf'];
  expect(run.report.shells).toBeGreaterThanOrEqual(4);
  let told = 0, measured = 0, strands = 0, nets = 0, pierced = 0;
  while (run.frame < end) {
    const m = run.advance();
    nets += m.netUses;
    if (m.frame < 0) continue;
    told = Math.max(told, m.depth);
    if (m.frame % 6 !== 0) continue;
    const points = run.positions(), halves = new Float64Array(points.length);
    // points, and the middles of the segments below them
    for (let a = 3; a < points.length; a++) halves[a] = 0.5 * (points[a] + points[a - 3]);
    measured = Math.max(measured, deepest(points, worn, m.frame, scene, (p) => p % 16 < 2), deepest(halves, worn, m.frame, scene, (p) => p % 16 < 3));
    pierced = Math.max(pierced, through(points, ['coat', 'collar', 'scarf'], m.frame, scene));
    strands = Math.max(strands, deepest(filled.at(m.frame, points), worn, m.frame, scene, (p) => p % filled.strands.nodes < 3));
  }
  console.log(`${clip}: told ${(told * 1e3).toFixed(3)} mm, measured ${(measured * 1e3).toFixed(3)} mm, segments through cloth ${(pierced * 1e3).toFixed(2)} mm, filled ${(strands * 1e3).toFixed(3)} mm (before ${(filled.deepest * 1e3).toFixed(2)} mm)`);
  expect(nets).toBe(0);
  // the cloths are 4 mm thick and more
  expect(pierced).toBeLessThan(1e-3);
  expect(told).toBeLessThan(2e-4);
  expect(measured).toBeLessThan(2e-4);
  expect(strands).toBeLessThan(5e-4);
};
describe.each([['look back', 48, false], ['lock-beam walk', 25, true], ['jump ashore', 42, false]] as const)('Oda, %s', (clip, end, cyclic) => { it(KEPT, keeps(clip, end, cyclic), 240_000); });
it(`Oda's walk with 2,000 guides and 4,000 filled strands: ${KEPT}`, keeps('lock-beam walk', 25, true, 2000), 900_000);

let sagged: ReturnType<typeof restless>;
it('hair at rest on collar and shoulders stays at rest: no point moves faster than 1 mm/s', () => {
  expect(restless(true).fastest).toBeLessThan(1e-3);
}, 120_000);
it('hair that sags onto collar and shoulders comes to rest there, but for a few tips between scarf and neck', () => {
  const { moved, touching, restless: few } = (sagged = restless(false));
  expect(moved).toBeGreaterThan(0.01);
  expect(touching).toBeGreaterThan(50);
  expect(few / 160).toBeLessThan(0.06);
}, 120_000);
// known fault: tips that find no room between scarf, collar and neck go to and fro by up to 3 mm
it.fails('… and those too', () => { expect(sagged.fastest).toBeLessThan(1e-3); });

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
