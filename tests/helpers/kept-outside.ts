/** How deep guides and filled strands of the demo cast go below what is worn, measured by a reader that is not ours. */
import { expect } from 'vitest';
import { floatsOf, uintsOf, unpackPlanting } from '../../src/core/document/buffers';
import { FilledFrames } from '../../src/core/fill/filled-frames';
import { noMaps } from '../../src/core/document/schema';
import { clipTime, poseCharacter, skinPositions, type Character } from '../../src/core/mesh/character';
import { Surface } from '../../src/core/mesh/surface';
import { planRun, SwayRun, type Scene } from '../../src/core/sway/run';
import { insideClosed } from '../../src/core/sway/start-check';
import type { demoGroom } from '../../src/server/demo-oda';

/** Deepest of the points (3 × n, m, world) below any closed mesh of those named, m; by rays and nearest points of three-mesh-bvh. */
function deepest(character: Character, points: ArrayLike<number>, names: readonly string[], frame: number, scene: Scene, first: (p: number) => boolean): number {
  const pose = poseCharacter(character, scene.clip, clipTime(frame, scene.shot.fps, scene.clip!, scene.shot.cyclic));
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
function through(character: Character, points: ArrayLike<number>, names: readonly string[], frame: number, scene: Scene): number {
  const pose = poseCharacter(character, scene.clip, clipTime(frame, scene.shot.fps, scene.clip!, scene.shot.cyclic));
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

export const KEPT = 'no guide goes more than 0.2 mm below head, coat, collar or scarf after the run-up, no filled strand more than 0.5 mm; no strand changes its side of a cloth; the net is not used';
/** Runs a clip of Oda’s with a groom of hers and holds it to `KEPT`. */
export function keeps(character: Character, groom: ReturnType<typeof demoGroom>, clip: string, end: number, cyclic: boolean): void {
  const settings = groom.document.sway, planting = unpackPlanting(groom.buffers[1]), guides = planting.faces.length, offsets = floatsOf(groom.buffers[2]), mesh = character.meshes.find((m) => m.hair.length > 0)!;
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
    measured = Math.max(measured, deepest(character, points, worn, m.frame, scene, (p) => p % 16 < 2), deepest(character, halves, worn, m.frame, scene, (p) => p % 16 < 3));
    pierced = Math.max(pierced, through(character, points, ['coat', 'collar', 'scarf'], m.frame, scene));
    strands = Math.max(strands, deepest(character, filled.at(m.frame, points), worn, m.frame, scene, (p) => p % filled.strands.nodes < 3));
  }
  console.log(`${clip}: told ${(told * 1e3).toFixed(3)} mm, measured ${(measured * 1e3).toFixed(3)} mm, segments through cloth ${(pierced * 1e3).toFixed(2)} mm, filled ${(strands * 1e3).toFixed(3)} mm (before ${(filled.deepest * 1e3).toFixed(2)} mm)`);
  expect(nets).toBe(0);
  // the cloths are 4 mm thick and more
  expect(pierced).toBeLessThan(1e-3);
  expect(told).toBeLessThan(2e-4);
  expect(measured).toBeLessThan(2e-4);
  expect(strands).toBeLessThan(5e-4);
}
