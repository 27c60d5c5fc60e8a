/** `./comb bench proof`: what measuring costs beside the run, and takes as bytes; ratios within one run. */
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { cpus } from 'node:os';
import { openScene } from '../src/core/bake/open-scene';
import { packFrames, unpackFrames, type PackedFrames } from '../src/core/bake/frame-codec';
import { unpackPlanting } from '../src/core/document/buffers';
import { StrandMeter } from '../src/core/proof/strand-meter';
import { groomedShape, measuresOf, meterOf } from '../src/core/proof/take';
import { planRun, SwayRun } from '../src/core/sway/run';
import { readGlb } from '../src/formats/gltf';
import { demoGroom } from '../src/server/demo-oda';

const FRAMES = 40, round = (v: number, d = 3): number => Number(v.toFixed(d));
const read = await readGlb(new Uint8Array(readFileSync('demo/cast/oda.glb')));
if (!read.ok) throw new Error(read.error.message);
const character = read.value, groom = demoGroom(character), planting = unpackPlanting(groom.buffers[1]), guides = planting.faces.length;
const BARE = { body: 'off', garment: 'off', accessory: 'off', prop: 'off', carrier: 'off' } as const;
const figures: Record<string, number> = { guides }, ratios: Record<string, number> = {};
for (const [name, sway] of [['with body and clothes', groom.document.sway], ['free', { ...groom.document.sway, roles: BARE }]] as const) {
  const scene = openScene({ ...groom.document, sway, guides: { count: guides, pointCount: 16, planting: 'a'.repeat(64), offsets: 'b'.repeat(64), plantKey: '0'.repeat(64), combed: true } }, character, { planting: groom.buffers[1], offsets: groom.buffers[2] });
  const run = new SwayRun(scene, -2, { plan: planRun(scene, -3, 48) }), whole = meterOf(scene), combed = groomedShape(scene), own = new StrandMeter(16, 24, combed, combed), frames: PackedFrames[] = [];
  const inside = run as unknown as { measure: (nets: number) => object };
  let all = 0, measured = 0;
  for (let k = 0; k < FRAMES; k++) {
    const t = performance.now(), m = run.advance();
    all += performance.now() - t;
    const points = run.positions();
    // the same once more, alone: depth and stretch, what a strand tells, what the groom tells
    const a = performance.now();
    inside.measure(0);
    own.take(points, combed);
    whole.take(measuresOf(m), points, run.strandNumbers);
    measured += performance.now() - a;
    frames.push({ points, strands: run.strandNumbers.slice() });
  }
  figures[`a frame ${name}, ms`] = round(all / FRAMES, 2);
  figures[`measuring of it ${name}, ms`] = round(measured / FRAMES, 2);
  ratios[`measuring / the run, ${name}`] = round(measured / all);
  if (name === 'free') continue;
  const t = performance.now(), bytes = packFrames(frames, 0, 16), packed = performance.now() - t, u = performance.now();
  unpackFrames(bytes);
  const unpacked = performance.now() - u, one = performance.now();
  unpackFrames(bytes, 20);
  ratios['bytes of a take / its float32'] = round(bytes.length / (FRAMES * 4 * 3 * 16 * guides));
  ratios['packing / the run'] = round(packed / all);
  ratios['unpacking / the run'] = round(unpacked / all);
  ratios['one frame of a take read alone / a frame of the run'] = round((performance.now() - one) / (all / FRAMES));
}
mkdirSync('bench-results', { recursive: true });
const file = `bench-results/proof-${new Date().toISOString().replace(/[:.]/g, '-')}.json`;
writeFileSync(file, `${JSON.stringify({ machine: { cpu: cpus()[0]?.model, cores: cpus().length, node: process.version }, figures, ratios }, null, 2)}\n`);
for (const part of [figures, ratios]) { for (const [k, v] of Object.entries(part)) console.log(`${String(v).padStart(9)}  ${k}`); console.log(); }
console.log(`written to ${file}`);
