/** `./comb bench hang`: what chains, sheets, drops and cages cost a frame, beside the same strands without them in the same run. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { cpus } from 'node:os';
import { newCage } from '../src/core/cage/cages';
import { nodeKey } from '../src/core/mesh/character';
import { planRun } from '../src/core/sway/plan';
import { restPoints } from '../src/core/sway/scene';
import { newSource } from '../src/core/drops/sources';
import type { SwaySettings } from '../src/core/document/schema';
import { newSheet } from '../src/core/sway/cloth';
import { SwayRun } from '../src/core/sway/run';
import { tubeScenes } from '../tests/helpers/tube-scene';

const FPS = 24, round = (v: number, d = 2): number => Number(v.toFixed(d));
/** ms a frame: the middle one of `frames` after `warm`. */
async function cost(guides: number, points: number, change: Partial<SwaySettings>, warm = 12, frames = 16): Promise<{ ms: number; run: SwayRun }> {
  const tube = await tubeScenes(guides, points), scene = tube.scene({ roles: tube.bare, ...change }), run = new SwayRun(scene, -1, change.cages ? { plan: planRun(scene, -1, 24) } : {}), times: number[] = [];
  for (let f = 0; f < warm + frames; f++) { const t = performance.now(); run.advance(); if (f >= warm) times.push(performance.now() - t); }
  return { ms: times.sort((a, b) => a - b)[frames >> 1], run };
}
const body = { body: 'pills', garment: 'off', accessory: 'off', prop: 'off', carrier: 'off' } as const, lines: Record<string, number> = {};
const free = await cost(64, 13, {}), contact = await cost(64, 13, { roles: body });
lines['64 chains × 12 joints, free: ms'] = round(free.ms);
lines['64 chains × 12 joints, pills: ms'] = round(contact.ms);
const sheet = await cost(32, 13, { sheet: newSheet('suiting', false) }), rods = await cost(32, 13, {});
lines['sheet of 32 lines × 12 joints: ms'] = round(sheet.ms);
lines['sheet / the same rods without links'] = round(sheet.ms / rods.ms);
const dry = await cost(500, 16, {}), rain = { ...newSource('rain', 'r', 'rain', [0, 0.2, 0]), y: 0.65, wide: 0.14, speed: 3, rate: 8320, from: 0, to: 60, sizeMm: 2, sticks: 0.3, stays: 0.2 }, wet = await cost(500, 16, { drops: [rain] }, 6, 12);
lines['500 guides, dry: ms'] = round(dry.ms);
lines['500 guides under drops: ms'] = round(wet.ms);
lines['drops about'] = wet.run.drops!.count;
lines['drops: share of a frame at 24 fps'] = round((wet.ms - dry.ms) / (1000 / FPS));
// hair in a cage beside the same hair as rods: without and with the body as it is drawn
const shell = { body: 'shell', garment: 'off', accessory: 'off', prop: 'off', carrier: 'off' } as const, tube = await tubeScenes(500, 16), cage = newCage('c', 'cage', nodeKey(tube.character, tube.character.skins[0].joints[1]), restPoints(tube.scene()));
for (const [what, roles] of [['nothing', tube.bare], ['its pills', body], ['the body as drawn', shell]] as const) {
  const caged = await cost(500, 16, { roles, cages: [cage] }), alone = await cost(500, 16, { roles });
  lines[`500 guides in a cage, against ${what}: ms`] = round(caged.ms);
  lines[`the same as rods, against ${what}: ms`] = round(alone.ms);
  lines[`cage / rods, against ${what}`] = round(caged.ms / alone.ms, 3);
}
const result = { machine: { cpu: cpus()[0]?.model, cores: cpus().length, node: process.version }, lines };
mkdirSync('bench-results', { recursive: true });
writeFileSync('bench-results/hang.json', `${JSON.stringify(result, null, 2)}\n`);
console.log(JSON.stringify(result, null, 2));
