/** `./comb bake` on characters it has never seen, as a pipeline would call it. */
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import bunny from 'bunny';
import validator from 'gltf-validator';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { newCage } from '../../src/core/cage/cages';
import { groomFileSchema } from '../../src/core/document/groom-file';
import { newSource } from '../../src/core/drops/sources';
import { sheetSchema, type Sheet } from '../../src/formats/hand-over-sheet';
import { tubeGlb } from '../helpers/tube';
import { readUsd } from '../helpers/usd';

const dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-bake-'));
afterAll(() => { rmSync(dir, { recursive: true, force: true }); });
const at = (name: string): string => path.join(dir, name);
const put = (name: string, value: unknown): string => { writeFileSync(at(name), typeof value === 'string' || value instanceof Uint8Array ? value : JSON.stringify(value)); return at(name); };
const comb = (...args: string[]) => spawnSync('./comb', ['bake', ...args], { encoding: 'utf8', maxBuffer: 1 << 26 });
const groom = (more: object = {}): object => ({ kind: 'Fine Comb groom', version: 1, name: 'tuft', plot: { any: [{ joint: '*LOW*', least: 0.4, heightShare: { above: 0.2, below: 0.6 } }] }, document: { plant: { guideCount: 24, lengthCm: 8, pointCount: 8 }, fill: { count: 300 }, cards: { atlas: '512', triangles: 600, layers: 1 }, bake: { preRoll: 4 } }, ...more });
const sheetOf = (out: string, format: string): Sheet => sheetSchema.parse(JSON.parse(readFileSync(path.join(out, `sheet-${format}.json`), 'utf8')));
let tube: string;
beforeAll(async () => { tube = put('tube.glb', await tubeGlb()); });

describe('./comb bake', () => {
  it('plants by rules, bakes, proves and hands over; what it writes is what its sheets say', async () => {
    const out = at('out'), r = comb('--character', tube, '--groom', put('groom.json', groom()), '--out', out, '--clip', 'bend', '--frames', '0:8', '--format', 'usdc,glb,vat', '--joints', '20', '--levels', '1');
    expect([r.stderr, [0, 3].includes(r.status!)]).toEqual(['', true]);
    expect(r.stdout).toMatch(/faces of “tube” were chosen by rules[\s\S]*24 guides were planted[\s\S]*frames 0–8[\s\S]*proof:[\s\S]*Depth/);
    expect(r.stdout.trim().split('\n').at(-1)).toMatch(r.status === 0 ? /^pass$/ : /^attention: /);
    for (const format of ['usdc', 'chains', 'vat']) {
      const sheet = sheetOf(out, format);
      expect(sheet.proof.verdict).toBe(r.status === 0 ? 'pass' : 'attention');
      expect(sheet.report.frames).toMatchObject({ first: 0, last: 8, count: 9, fps: 24 });
      for (const f of sheet.files) { const bytes = readFileSync(path.join(out, f.name)); expect([bytes.length, createHash('sha256').update(bytes).digest('hex')]).toEqual([f.size, f.sha256]); }
      expect(readFileSync(path.join(out, `sheet-${format}.html`), 'utf8')).toContain(sheet.files[0].sha256);
    }
    const files = readdirSync(out), usd = readUsd(path.join(out, files.find((f) => f.endsWith('.usdc'))!)).independent, [points] = Object.keys(usd).filter((p) => p.endsWith('.points'));
    expect(usd[points].timeSamples!.values.map((v) => v.length)).toEqual(Array(9).fill(3 * 24 * 8));
    const glb = await validator.validateBytes(new Uint8Array(readFileSync(path.join(out, files.find((f) => /chains-lod0.*glb$/.test(f))!)))) as { issues: { numErrors: number; numWarnings: number } };
    expect([glb.issues.numErrors, glb.issues.numWarnings]).toEqual([0, 0]);
    // the same again is the same to the byte
    const again = at('again');
    comb('--character', tube, '--groom', at('groom.json'), '--out', again, '--clip', 'be*', '--frames', '0:8', '--format', 'usdc,chains', '--joints', '20', '--levels', '1', '--packed', '--threads', '1');
    const chainsOf = (dir: string): Buffer => readFileSync(path.join(dir, readdirSync(dir).find((f) => /chains-lod0.*glb$/.test(f))!));
    expect(chainsOf(again).toString('latin1')).toContain('EXT_meshopt_compression');
    expect(chainsOf(again).length).toBeLessThan(chainsOf(out).length);
    expect(readFileSync(path.join(again, sheetOf(again, 'usdc').files[0].name)).equals(readFileSync(path.join(out, sheetOf(out, 'usdc').files[0].name)))).toBe(true);
  }, 120_000);
  it('lets it rain, and hands the drops over beside the curves; what is no source is told', () => {
    const rain = { ...newSource('rain', 'r', 'shower', [0, 0.4, 0]), x: 0.05, y: 0.7, wide: 0.15, speed: 4, rate: 2000, from: 0, to: 6 }, out = at('wet'), wet = (drops: object[]): object => groom({ document: { plant: { guideCount: 24, lengthCm: 8, pointCount: 8 }, bake: { preRoll: 2 }, sway: { drops } } });
    const r = comb('--character', tube, '--groom', put('wet.json', wet([rain])), '--out', out, '--clip', 'bend', '--frames', '0:8', '--format', 'usdc');
    expect([r.stderr, [0, 3].includes(r.status!)]).toEqual(['', true]);
    const sheet = sheetOf(out, 'usdc'), file = sheet.files.find((f) => f.name.endsWith('.drops.usdc'))!, usd = readUsd(path.join(out, file.name)).independent, of = (name: string): number[][] => Object.entries(usd).find(([p]) => p.endsWith(`.${name}`))![1].timeSamples!.values, most = Number(sheet.report.counts.find(([n]) => n === 'most drops in a frame')![1]);
    expect(sheet.files.length).toBe(2);
    const counts = of('ids').map((v) => v.length);
    expect(Math.max(...counts)).toBe(most);
    expect(most).toBeGreaterThan(100);
    expect(of('points').map((v) => v.length / 3)).toEqual(counts);
    expect(of('velocities').map((v) => v.length / 3)).toEqual(counts);
    expect(of('widths').map((v) => v.length)).toEqual(counts);
    // drops go on under their numbers, downwards
    const [ids, points] = [of('ids'), of('points')], k = ids[3].findIndex((id) => ids[2].includes(id));
    expect(points[3][3 * k + 1]).toBeLessThan(points[2][3 * ids[2].indexOf(ids[3][k]) + 1]);
    const bad = comb('--character', tube, '--groom', put('hail.json', wet([{ ...rain, kind: 'hail' }])), '--out', at('hail'), '--clip', 'bend');
    expect(bad.status).toBe(2);
    expect(bad.stderr).toMatch(/hail\.json: sway\.drops\.0\.kind: .*"sand"/);
  }, 120_000);
  it('moves hair in a cage; one that holds nothing is told, one that is none is refused', () => {
    const cage = newCage('c', 'side', 'high', [-0.2, 0.1, -0.2, 0.2, 0.5, 0.2]), caged = (cages: object[]): object => groom({ document: { plant: { guideCount: 24, lengthCm: 8, pointCount: 8 }, bake: { preRoll: 2 }, sway: { cages } } }), bake = (name: string, cages: object[]) => comb('--character', tube, '--groom', put(`${name}.json`, caged(cages)), '--out', at(name), '--clip', 'bend', '--frames', '0:8', '--format', 'usdc');
    const points = (name: string): number[][] => Object.entries(readUsd(path.join(at(name), sheetOf(at(name), 'usdc').files[0].name)).independent).find(([p]) => p.endsWith('.points'))![1].timeSamples!.values;
    for (const [name, cages] of [['caged', [cage]], ['empty', [{ ...cage, y: 30 }]]] as const) { const r = bake(name, [...cages]); expect([r.stderr, [0, 3].includes(r.status!)]).toEqual(['', true]); expect(r.stdout.includes('“side” holds no hair')).toBe(name === 'empty'); }
    const [moved, stiff] = [points('caged'), points('empty')], apart = (f: number): number => Math.max(...moved[f].map((v, k) => Math.abs(v - stiff[f][k])));
    expect(Math.max(apart(4), apart(8))).toBeGreaterThan(0.001);
    const bad = bake('bad', [{ ...cage, points: 9 }]);
    expect([bad.status, bad.stderr]).toEqual([2, expect.stringMatching(/bad\.json: sway\.cages\.0\.points: /)]);
  }, 120_000);
  it('moves joints as chains, and puts their keys beside the clips of the file; other forms are refused', async () => {
    const out = at('chains'), file = put('chains.json', { kind: 'Fine Comb groom', version: 1, name: 'dock', chains: [{ joints: 'tail*', bendDeg: 25 }], document: { bake: { preRoll: 6 } } }), r = comb('--character', 'demo/cast/bramble.glb', '--groom', file, '--out', out, '--clip', 'trot', '--frames', '0:10');
    expect([r.stderr, [0, 3].includes(r.status!)]).toEqual(['', true]);
    expect(r.stdout).toMatch(/1 chain: “tail1”[\s\S]*dock: 1 chains, 2 joints[\s\S]*proof:/);
    const sheet = sheetOf(out, 'keys'), glb = readFileSync(path.join(out, sheet.files[0].name)), json = JSON.parse(glb.subarray(20, 20 + glb.readUInt32LE(12)).toString()) as { animations: { name: string; channels: unknown[] }[] };
    expect(json.animations.at(-1)).toMatchObject({ name: 'trot chains', channels: [{}, {}] });
    expect(sheet.report.reductions[0].figures.worst).toBeLessThan(1e-4);
    expect(((await validator.validateBytes(new Uint8Array(glb))) as { issues: { numErrors: number } }).issues.numErrors).toBe(0);
    const other = comb('--character', 'demo/cast/bramble.glb', '--groom', file, '--out', at('other'), '--format', 'usdc');
    expect([other.status, other.stderr]).toEqual([2, '--format: a groom of chains is handed over as keys, not as usdc.\n']);
  }, 120_000);
  it('goes round a loop, takes the file’s own hand-overs, and another receiver’s axes', () => {
    const receiver = { name: 'Ours', up: 'z', hand: 'right', metres: 0.01, fps: null, jointLimit: 60, textureLimit: 2048, naming: 'NoSpaces', turnGltf: false }, out = at('loop');
    const r = comb('--character', tube, '--groom', put('loop.json', groom({ document: { plant: { guideCount: 12, lengthCm: 6, pointCount: 8 }, shot: { clip: 'bend', start: 0, end: 22, fps: 24, cyclic: true }, bake: { loopMm: 2 } }, handOver: [{ format: 'usda', receiver, velocities: false }] })), '--out', out);
    expect(r.stderr).toBe('');
    expect(r.stdout).toMatch(/loop: repeats after \d+ rounds/);
    const sheet = sheetOf(out, 'usda');
    expect(sheet.loop!.after.gap).toBeLessThan(1e-5);
    expect(sheet.files[0].name).toBe('TubeTuftBend.usda');
    expect(readFileSync(path.join(out, sheet.files[0].name), 'utf8').slice(0, 400)).toMatch(/metersPerUnit = 0\.01[\s\S]*upAxis = "Z"/);
  }, 120_000);
  it('grows fur on a mesh of somebody else’s without joints or clips (the Stanford rabbit as OBJ, in its own unit)', () => {
    const obj = [...bunny.positions.map((p) => `v ${p.join(' ')}`), ...bunny.cells.map((c) => `f ${c.map((i) => i + 1).join(' ')}`)].join('\n'), out = at('fur');
    const r = comb('--character', put('rabbit.obj', obj), '--groom', 'demo/grooms/short-fur.json', '--out', out, '--unit', 'cm', '--frames', '0:2', '--format', 'usdc', '--filled', '200');
    expect([r.stderr, [0, 3].includes(r.status!)]).toEqual(['', true]);
    expect(Object.fromEntries(sheetOf(out, 'usdc').report.counts)['filled strands']).toBe(200);
  }, 120_000);
  it('says what is wrong, where, and what there is; writes nothing then', () => {
    const out = at('none'), g = put('ok.json', groom());
    for (const [args, message] of [
      [['--character', at('no.glb'), '--groom', g, '--out', out], /no\.glb: cannot be read \(ENOENT\)/],
      [['--character', put('bad.glb', 'not a model'), '--groom', g, '--out', out], /bad\.glb: /],
      [['--character', tube, '--groom', put('half.json', '{'), '--out', out], /half\.json: not JSON/],
      [['--character', tube, '--groom', put('kind.json', { kind: 'hat' }), '--out', out], /kind\.json: kind: /],
      [['--character', tube, '--groom', put('extra.json', groom({ nonsense: 1 })), '--out', out], /extra\.json: .*nonsense/],
      [['--character', tube, '--groom', put('hold.json', groom({ document: { sway: { hold: 7 } } })), '--out', out], /hold\.json: sway\.hold: /],
      [['--character', tube, '--groom', put('joint.json', groom({ plot: { any: [{ joint: 'neck' }] } })), '--out', out], /no face of “tube” meets these rules\. No joint is called “neck”; there are “/],
      [['--character', tube, '--groom', put('mesh.json', groom({ plot: { mesh: 'hat', any: [{ least: 0.1 }] } })), '--out', out], /has no mesh “hat”\. It has “tube”/],
      [['--character', tube, '--groom', put('none.json', { kind: 'Fine Comb groom', version: 1 }), '--out', out], /says nowhere where hair grows/],
      [['--character', tube, '--groom', g, '--out', out, '--clip', 'run'], /no clip “run”\. It has “bend”/],
      [['--character', tube, '--groom', g, '--out', out, '--format', 'xyz'], /“xyz” is not known\. Known are usdc/],
      [['--character', tube, '--groom', g, '--out', out, '--frames', '9'], /--frames: two frames, as 0:48/],
      [['--character', tube, '--groom', g, '--out', out, '--frobnicate'], /frobnicate/],
      [['--character', tube, '--groom', g, '--out', '.'], /is not empty; nothing was written/],
    ] as const) {
      const r = comb(...args);
      expect([r.status, r.stdout.includes('proof:')]).toEqual([2, false]);
      expect(r.stderr).toMatch(message);
      expect(r.stderr).not.toMatch(/\n\s+at /);
    }
    expect(readdirSync(dir)).not.toContain('none');
  }, 120_000);
  it('prints the schema of a groom file, which the examples keep to', () => {
    const schema = JSON.parse(comb('--print-schema').stdout) as { properties: Record<string, unknown> };
    expect(Object.keys(schema.properties)).toEqual(['kind', 'version', 'name', 'document', 'plot', 'chains', 'buffers', 'limits', 'handOver']);
    for (const name of ['cap-of-hair', 'short-fur']) expect(groomFileSchema.safeParse(JSON.parse(readFileSync(`demo/grooms/${name}.json`, 'utf8'))).success).toBe(true);
  });
});
