/** `./comb bench contact`: what contact, loft and push-out cost beside the free solve, as ratios within one run. */
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { cpus } from 'node:os';
import { floatsOf, uintsOf, unpackPlanting } from '../src/core/document/buffers';
import { usualTreatments, type GroomDocument } from '../src/core/document/schema';
import { fillPlot, FillShapes } from '../src/core/fill/strands';
import { rootPlace } from '../src/core/groom/planting';
import { poseCharacter, skinPositions } from '../src/core/mesh/character';
import { Surface } from '../src/core/mesh/surface';
import { collidersOf } from '../src/core/sway/colliders';
import { boxOf, PosedObstacles } from '../src/core/sway/push-out';
import { SwayRun, type Scene } from '../src/core/sway/run';
import { readGlb } from '../src/formats/gltf';
import { demoGroom } from '../src/server/demo-oda';

const GUIDES = Number(process.argv[2] ?? 2000), POINTS = 16, WARM = 30, FRAMES = 8, SUBSTEPS = 8, STRANDS = 4000;
const read = await readGlb(new Uint8Array(readFileSync('demo/cast/oda.glb')));
if (!read.ok) throw new Error(read.error.message);
const character = read.value, mesh = character.meshes.find((m) => m.hair.length > 0)!, rest = new Float64Array(mesh.positions.length);
skinPositions(character, mesh, poseCharacter(character, null, 0), rest);
/** The demo's groom with more guides: combed off collar and scarf, as a groom is that contact is to keep so. */
const demo = demoGroom(character, GUIDES), { document } = demo, planting = unpackPlanting(demo.buffers[1]), offsets = floatsOf(demo.buffers[2]), faces = uintsOf(demo.buffers[0]), surface = new Surface(rest, mesh.triangles);

type Sway = GroomDocument['sway'];
const roles = (as: 'off' | 'pills' | 'shell'): Sway['roles'] => ({ body: as, garment: as, accessory: 'off', prop: 'off', carrier: 'off' });
const scene = (change: Partial<Sway>, hidden: string[] = []): Scene => ({ character, mesh, clip: character.clips.find((c) => c.name === 'look back')!, shot: document.shot, planting, offsets, pointCount: POINTS, hidden, settings: { ...document.sway, chooseSubsteps: false, substeps: SUBSTEPS, ...change } });

interface Cost { ms: number; contacts: number; depth: number; nets: number }
function cost(s: Scene): Cost {
  const run = new SwayRun(s, -1, { colliders: collidersOf(character, s.hidden, s.settings) });
  for (let k = 0; k < WARM; k++) run.advance();
  let depth = 0, contacts = 0, nets = 0;
  const times: number[] = [];
  for (let k = 0; k < FRAMES; k++) {
    const t = performance.now(), m = run.advance();
    times.push(performance.now() - t);
    depth = Math.max(depth, m.depth);
    contacts += m.contacts / FRAMES;
    nets += m.netUses;
  }
  return { ms: times.sort((a, b) => a - b)[FRAMES >> 1], contacts, depth, nets };
}
const far = { id: 'far', name: 'far', kind: 'pill' as const, node: '', on: true, a: [5, 0, 0] as [number, number, number], b: [5, 1, 0] as [number, number, number], radiusA: 0.1, radiusB: 0.1, gapMm: null, friction: null };
// body and coat: 36,000 triangles; 20,000 of them are the head and the collar and scarf round it
const cases: [string, Scene][] = [
  ['free', scene({ roles: roles('off') })],
  ['nothing near', scene({ roles: roles('off'), colliders: [far] })],
  ['pills of skin and garments', scene({ roles: roles('pills') })],
  ['head and collar as shells', scene({ roles: { body: 'shell', garment: 'off', accessory: 'off', prop: 'off', carrier: 'off' }, meshes: { collar: { as: 'shell', sides: 'auto', gapMm: null, friction: null } } })],
  ['everything as shells', scene({ roles: roles('shell') })],
  ['loft 0.5', scene({ roles: roles('off'), loft: 0.5 })],
  ['all together', scene({ roles: roles('shell'), loft: 0.5, windSpeed: 3 })],
];
const costs = cases.map(([name, s]) => [name, cost(s)] as const), free = costs[0][1].ms;
const NODES = 16, strands = fillPlot({ surface, faces, guides: planting, offsets, pointCount: POINTS, count: STRANDS, full: STRANDS, seed: 1, density: null, sections: null, treatments: usualTreatments({ clump: 0.5, lock: 0.6, frizzMm: 0.5, shorter: 0.2 }), turn: 0, nodes: NODES, maps: {}, mesh: () => null }), shapes = new FillShapes(strands), motions = new Float64Array(7 * STRANDS);
const P = new Float32Array(3 * NODES * STRANDS);
for (let s = 0; s < STRANDS; s++) motions.set([0, 0, 0, 1, ...rootPlace(surface, strands.roots, s)], 7 * s);
let t = performance.now();
shapes.at(offsets, POINTS);
shapes.place(motions, P);
const evaluate = performance.now() - t;
t = performance.now();
const posed = new PosedObstacles({ pills: [], floors: [], shells: [{ triangles: mesh.triangles, closed: true }] }, [], [rest], boxOf(P, 0.02)), field = performance.now() - t;
t = performance.now();
for (let s = 0; s < STRANDS; s++) posed.sweep(P, NODES * s, NODES);
const sweep = performance.now() - t;

const round = (v: number, d = 2): number => Number(v.toFixed(d));
const lines: Record<string, number> = {};
for (const [name, c] of costs) {
  lines[`${name}: ms a frame`] = round(c.ms, 1);
  if (name !== 'free') lines[`${name}: cost beside the free solve, ×`] = round(c.ms / free - 1);
  if (c.contacts > 0) { lines[`${name}: contacts that press`] = Math.round(c.contacts); lines[`${name}: depth, mm`] = round(1000 * c.depth, 3); }
  if (c.nets > 0) lines[`${name}: safety net`] = c.nets;
}
const all = costs.at(-1)![1].ms;
lines['all together: share of a frame at 24 fps in one thread'] = round(all / (1000 / 24));
lines['push-out of a filled strand / its shape'] = round(sweep / evaluate);
lines['field of the head for push-out / shapes of 60,000 strands'] = round(field / (evaluate * (60000 / STRANDS)), 3);
const result = { machine: { cpu: cpus()[0]?.model, cores: cpus().length, node: process.version }, set: { guides: GUIDES, points: POINTS, substeps: SUBSTEPS, clip: 'look back' }, lines };
mkdirSync('bench-results', { recursive: true });
const file = `bench-results/contact-${new Date().toISOString().replace(/[:.]/g, '-')}.json`;
writeFileSync(file, `${JSON.stringify(result, null, 2)}\n`);
for (const [k, v] of Object.entries(lines)) console.log(`${String(v).padStart(9)}  ${k}`);
console.log(`\nwritten to ${file}`);
