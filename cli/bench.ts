/** `./comb bench`: what the parts cost on this machine, as figures and as ratios within one run. */
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { cpus } from 'node:os';
import { scatterEvenly, rootPlace } from '../src/core/groom/planting';
import { growGuide } from '../src/core/groom/grow';
import { poseCharacter, skinPositions } from '../src/core/mesh/character';
import { Surface } from '../src/core/mesh/surface';
import { collidersOf } from '../src/core/sway/colliders';
import { SwayRun, type Scene } from '../src/core/sway/run';
import { newDocument } from '../src/core/document/schema';
import { readGlb } from '../src/formats/gltf';
import { demoGroom } from '../src/server/demo-oda';
import { floatsOf, unpackPlanting } from '../src/core/document/buffers';
import { startTrial } from './trial';

const GUIDES = 500, POINTS = 16, FRAMES = 24;
const read = await readGlb(new Uint8Array(readFileSync('demo/cast/oda.glb')));
if (!read.ok) throw new Error(read.error.message);
const character = read.value, mesh = character.meshes.find((m) => m.hair.length > 0)!;
const rest = new Float64Array(mesh.positions.length);
skinPositions(character, mesh, poseCharacter(character, null, 0), rest);
const surface = new Surface(rest, mesh.triangles);
const faces = Uint32Array.from({ length: mesh.triangles.length / 3 }, (_, f) => f).filter((f) => [0, 1, 2].every((k) => mesh.hair[mesh.triangles[3 * f + k]] > 0.5));

const PILLS = { body: 'pills', garment: 'pills', accessory: 'off', prop: 'off', carrier: 'off' } as const, BARE = { body: 'off', garment: 'off', accessory: 'off', prop: 'off', carrier: 'off' } as const;
/** Least of three timings, ms. */
function time(task: () => void): number {
  let least = Infinity;
  for (let k = 0; k < 3; k++) { const t = performance.now(); task(); least = Math.min(least, performance.now() - t); }
  return least;
}
const document = newDocument(mesh.name, { clip: 'look back', start: 0, end: 48, fps: 24, cyclic: false });
const planting = scatterEvenly(surface, faces, GUIDES, 1), offsets = new Float32Array(3 * POINTS * GUIDES);
const grow = time(() => { for (let g = 0; g < GUIDES; g++) offsets.set(growGuide(surface, rootPlace(surface, planting, g), surface.normal(planting.faces[g]), { length: 0.24, pointCount: POINTS, lie: 'falling', lift: 0.012 }), 3 * POINTS * g); });
const scene = (pills: boolean): Scene => ({ character, mesh, clip: character.clips.find((c) => c.name === 'look back')!, shot: document.shot, planting, offsets, pointCount: POINTS, hidden: [], settings: { ...document.sway, roles: pills ? PILLS : BARE, chooseSubsteps: false } });
const fit = time(() => { collidersOf(character, [], scene(true).settings); });
const pills = collidersOf(character, [], scene(true).settings);
const sway = (withPills: boolean): number => {
  const run = new SwayRun(scene(withPills), -1, withPills ? { colliders: pills } : {});
  for (let k = 0; k < 4; k++) run.advance();
  return time(() => { for (let k = 0; k < FRAMES / 3; k++) run.advance(); }) / (FRAMES / 3);
};
const free = sway(false), touching = sway(true);

/** The demo groom as it is baked: its strands lie on head and shoulders from the first frame. */
const demo = demoGroom(character), demoGuides = demo.buffers[2].length / (12 * POINTS);
const demoRun = new SwayRun({ ...scene(true), planting: unpackPlanting(demo.buffers[1]), offsets: floatsOf(demo.buffers[2]), settings: demo.document.sway }, -25);
const demoStart = performance.now();
for (let k = 0; k < 73; k++) demoRun.advance();
const demoTime = performance.now() - demoStart;

const trial = await startTrial();
let bake = 0;
try {
  const overview = (await (await fetch(`${trial.url}/api/overview`)).json()) as { productions: { assets: { grooms: { id: string }[] }[] }[] };
  const { id } = overview.productions[0].assets[0].grooms[0], t = performance.now();
  await fetch(`${trial.url}/api/grooms/${id}/bakes`, { method: 'POST' });
  for (;;) {
    const [first] = (await (await fetch(`${trial.url}/api/grooms/${id}/bakes`)).json()) as { state: string }[];
    if (first.state === 'done') break;
    if (first.state === 'failed') throw new Error('the bake failed');
    await new Promise((r) => { setTimeout(r, 400); });
  }
  bake = performance.now() - t;
} finally { await trial.stop(); trial.remove(); }

const round = (v: number, d = 2): number => Number(v.toFixed(d));
const result = {
  machine: { cpu: cpus()[0]?.model, cores: cpus().length, node: process.version },
  figures: {
    'sway, 500 guides × 16 points, 8 substeps, with pills, ms per frame': round(touching),
    'the same without pills, ms per frame': round(free),
    'pills fitted to the character, ms': round(fit),
    'guides grown, µs each': round((1000 * grow) / GUIDES),
    [`the demo groom, ${demoGuides} guides lying on the head, ms per frame`]: round(demoTime / 73),
    'bake of the demo groom, 49 frames and 24 of pre-roll, into the database, s': round(bake / 1000),
  },
  ratios: {
    'sway with pills / without': round(touching / free),
    'bake / computing its frames alone': round(bake / demoTime),
  },
};
mkdirSync('bench-results', { recursive: true });
const file = `bench-results/${new Date().toISOString().replace(/[:.]/g, '-')}.json`;
writeFileSync(file, `${JSON.stringify(result, null, 2)}\n`);
for (const part of [result.figures, result.ratios]) { for (const [k, v] of Object.entries(part)) console.log(`${String(v).padStart(9)}  ${k}`); console.log(); }
console.log(`written to ${file}`);
