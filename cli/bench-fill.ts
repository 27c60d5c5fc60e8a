/** `./comb bench fill`: what filling costs: roots, weights, shapes, each treatment, push-out; on one core and on two. */
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { cpus } from 'node:os';
import { isMainThread, parentPort, Worker, workerData } from 'node:worker_threads';
import { FillShapes, fillPlot, type FilledStrands } from '../src/core/fill/strands';
import { fillWeights } from '../src/core/fill/weights';
import { newTreatment, SHAPING_NAMES, type Treatment } from '../src/core/fill/treatments';
import { growGuide } from '../src/core/groom/grow';
import { restFrames, rootMotionsInto, rootPlace, scatterByArea } from '../src/core/groom/planting';
import { scatterRoots } from '../src/core/groom/scatter';
import { poseCharacter, restPositions } from '../src/core/mesh/character';
import { Surface } from '../src/core/mesh/surface';
import { defaultSway, usualTreatments } from '../src/core/document/schema';
import { pushFilled } from '../src/core/sway/push-filled';
import { readGlb } from '../src/formats/gltf';
import { benchView } from './bench-view';

const STRANDS = Number(process.env.STRANDS ?? 100_000), GUIDES = 2000, POINTS = 16, NODES = 12, USUAL = usualTreatments({ clump: 0.5, lock: 0.5, frizzMm: 0.5, shorter: 0.2 });

/** Shapes of a share of the strands, on request. */
function share(): void {
  const { strands, offsets, from, to } = workerData as { strands: FilledStrands; offsets: Float32Array; from: number; to: number }, shapes = new FillShapes(strands);
  parentPort!.on('message', () => { shapes.at(offsets, POINTS, from, to); parentPort!.postMessage('done'); });
  parentPort!.postMessage('ready');
}

async function bench(): Promise<void> {
  const read = await readGlb(new Uint8Array(readFileSync('demo/cast/oda.glb')));
  if (!read.ok) throw new Error(read.error.message);
  const character = read.value, mesh = character.meshes.find((m) => m.hair.length > 0)!, rest = restPositions(character, mesh), surface = new Surface(rest, mesh.triangles);
  const faces = Uint32Array.from({ length: mesh.triangles.length / 3 }, (_, f) => f).filter((f) => [0, 1, 2].every((k) => mesh.hair[mesh.triangles[3 * f + k]] > 0.5));
  const guides = scatterRoots(surface, faces, GUIDES, 3), offsets = new Float32Array(3 * POINTS * GUIDES);
  for (let g = 0; g < GUIDES; g++) offsets.set(growGuide(surface, rootPlace(surface, guides, g), surface.normal(guides.faces[g]), { length: 0.24, pointCount: POINTS, lie: 'falling', lift: 0.012 }), 3 * POINTS * g);
  const time = (task: () => void, times = 5): number => { let best = Infinity; for (let k = 0; k < times; k++) { const t = performance.now(); task(); best = Math.min(best, performance.now() - t); } return best; };
  const fill = (treatments: readonly Treatment[]): FilledStrands => fillPlot({ surface, faces, guides, offsets, pointCount: POINTS, count: STRANDS, full: STRANDS, seed: 1, density: null, sections: null, treatments, turn: 0.04, nodes: NODES, maps: {}, mesh: () => null });

  const figures: Record<string, number> = {}, label = `${STRANDS.toLocaleString('en')} strands × ${NODES}, ${GUIDES.toLocaleString('en')} guides`;
  figures['roots thrown, ms'] = time(() => { scatterByArea(surface, faces, STRANDS, 1); }, 3);
  const roots = scatterByArea(surface, faces, STRANDS, 1);
  figures['weights, ms'] = time(() => { fillWeights(surface, guides, roots); });
  figures['the list of the usual treatments made ready, ms'] = time(() => { fill(USUAL); }, 2);
  const plain = fill([]), shapes = new FillShapes(plain), blend = time(() => { shapes.at(offsets, POINTS); });
  figures['shapes from guides, ms'] = blend;
  const frames = restFrames(plain.roots, rest, mesh.triangles), motions = new Float64Array(7 * STRANDS), P = new Float32Array(3 * NODES * STRANDS);
  rootMotionsInto(motions, plain.roots, frames, rest, mesh.triangles);
  figures['into the world, ms'] = time(() => { shapes.place(motions, P); });
  for (const kind of SHAPING_NAMES) {
    const strands = fill([newTreatment(kind, 'one')]), one = new FillShapes(strands), steps = strands.steps, all = time(() => { one.at(offsets, POINTS); });
    strands.steps = [];
    figures[`treatment: ${kind}, ms`] = all - time(() => { one.at(offsets, POINTS); });
    strands.steps = steps;
  }
  const strands = fill(USUAL), usual = new FillShapes(strands), alone = time(() => { usual.at(offsets, POINTS); }), settings = defaultSway(), pose = poseCharacter(character, null, 0);
  figures['usual treatments, ms'] = alone;
  usual.place(motions, P);
  const raw = P.slice();
  figures['pushed out of head, collar and coat, ms'] = time(() => { P.set(raw); pushFilled(character, [], settings, pose, P, NODES); }, 3);

  const halves = [[0, STRANDS >> 1], [STRANDS >> 1, STRANDS]], workers = halves.map(([from, to]) => new Worker(new URL(import.meta.url), { workerData: { strands, offsets, from, to } }));
  const answer = (w: Worker): Promise<void> => new Promise((done) => { w.once('message', () => done()); });
  await Promise.all(workers.map(answer));
  let both = Infinity;
  for (let k = 0; k < 8; k++) { const t = performance.now(), wait = Promise.all(workers.map(answer)); for (const w of workers) w.postMessage('go'); await wait; both = Math.min(both, performance.now() - t); }
  await Promise.all(workers.map((w) => w.terminate()));
  figures['usual treatments on two cores, ms'] = both;

  const view = await benchView(), hair = view.hair - view.bare, lines = view.lines - view.bare;
  Object.assign(figures, { 'view, software GL: figure without hair, ms': view.bare, 'the same with 2,000 strands, ms': view.hair, 'the same, shapes and light anew, ms': view.whole, 'the same with those strands as plain lines, ms': view.lines, 'processor’s part of a moving groom (guides and skin handed over), ms': view.own });
  const round = (o: Record<string, number>): Record<string, number> => Object.fromEntries(Object.entries(o).map(([k, v]) => [k, Number(v.toFixed(2))])), ratios = { 'two cores / one': alone / both, 'weights / shapes from guides': figures['weights, ms'] / blend, 'picture with strands / with plain lines': view.hair / view.lines, 'strands alone / plain lines alone': hair / Math.max(0.1, lines) };
  mkdirSync('bench-results', { recursive: true });
  const file = `bench-results/fill-${new Date().toISOString().replace(/[:.]/g, '-')}.json`;
  writeFileSync(file, `${JSON.stringify({ machine: { cpu: cpus()[0]?.model, cores: cpus().length, node: process.version }, what: label, figures: round(figures), ratios: round(ratios) }, null, 2)}\n`);
  console.log(label);
  for (const part of [round(figures), round(ratios)]) { for (const [k, v] of Object.entries(part)) console.log(`${String(v).padStart(9)}  ${k}`); console.log(); }
  console.log(`written to ${file}`);
}

if (isMainThread) await bench();
else share();
