/** `./comb bake --character FILE --groom GROOM.json --out DIR …`: plants, fills, sways, proves, bakes and hands over, with no server and no database. */
import { createHash } from 'node:crypto';
import { createWriteStream, existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { once } from 'node:events';
import { availableParallelism } from 'node:os';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { z } from 'zod';
import type { Baked } from '../src/core/bake/baked';
import { FrameFile, type PackedFrames } from '../src/core/bake/frame-codec';
import type { LoopReport } from '../src/core/bake/loops';
import { mapIds } from '../src/core/bake/open-scene';
import { characterOf, ofChains as isOfChains } from '../src/core/chain/character-of';
import { bufferId, floatsOf, uintsOf, unpackPlanting } from '../src/core/document/buffers';
import { GroomFileError, groomFileSchema, openGroomFile } from '../src/core/document/groom-file';
import { HAND_OVER_FORMATS, HAND_OVER_NAMES, handOverSchema, USUAL_RECEIVERS, type HandOver, type HandOverFormatName } from '../src/core/document/hand-over';
import { MEASURES, SOLVER_VERSION, type Measures, type Proof } from '../src/core/document/proof';
import { AS_IT_IS, guessUnit, guessUp, UNITS, UPS, type Placement, type Unit, type Up } from '../src/core/mesh/placement';
import { inPieces } from '../src/core/mesh/clips';
import { restBox } from '../src/core/mesh/rest-box';
import { judge } from '../src/core/proof/judge';
import { shown } from '../src/core/proof/sheet';
import { handOver } from '../src/formats/hand-over';
import { bytesText, proofInShort, sheetPage, type Sheet } from '../src/formats/hand-over-sheet';
import { chosenCharacter, openCharacter } from '../src/formats/open-character';
import { packCharacter, unpackCharacter } from '../src/formats/packed-character';
import { computeBake } from '../src/server/bake-compute';
import { dress } from '../src/server/db/versions';

const USAGE = `usage: ./comb bake --character FILE.glb --groom GROOM.json --out DIR
  --garment FILE          a garment in a file of its own; as often as there are some
  --clip NAME             the clip to be baked; * stands for anything
  --frames A:B            frames of it
  --format usdc,chains,…  ${HAND_OVER_NAMES.join(', ')} (glb means chains); the groom file's own hand-overs otherwise
  --receiver NAME|FILE    one of the usual receivers (--receiver list), or a JSON file
  --filled N              N filled strands in place of the guides, for curves
  --joints N --levels N   joints of all chains, levels of detail
  --packed                joint chains compressed with meshopt
  --unit m|cm|mm|in|ft    of the character's file; guessed from its size otherwise
  --up +y|-y|+z|…         axis of the character's file that points up; guessed otherwise
  --threads N             threads that compute
  --overwrite             into a directory that is not empty
  --print-schema          the JSON Schema of a groom file
Exit code: 0 the proof passes, 3 it asks for attention, 1 it failed, 2 something asked for is wrong.`;
class Wrong extends Error {}
const say = (text: string): void => { process.stdout.write(`${text}\n`); };

function readArguments(): z.infer<typeof schema> | null {
  const { values } = parseArgs({ options: { character: { type: 'string' }, groom: { type: 'string' }, garment: { type: 'string', multiple: true }, out: { type: 'string' }, clip: { type: 'string' }, frames: { type: 'string' }, format: { type: 'string' }, receiver: { type: 'string' }, filled: { type: 'string' }, joints: { type: 'string' }, levels: { type: 'string' }, packed: { type: 'boolean' }, unit: { type: 'string' }, up: { type: 'string' }, threads: { type: 'string' }, overwrite: { type: 'boolean' }, 'print-schema': { type: 'boolean' }, help: { type: 'boolean' } }, allowPositionals: false });
  if (values.help) { say(USAGE); return null; }
  if (values['print-schema']) { say(JSON.stringify(z.toJSONSchema(groomFileSchema, { io: 'input', unrepresentable: 'any' }), null, 2)); return null; }
  if (values.receiver === 'list') { say(USUAL_RECEIVERS.map((r) => r.name).join('\n')); return null; }
  const parsed = schema.safeParse(values);
  if (!parsed.success) throw new Wrong(`${parsed.error.issues.map((i) => `--${i.path.join('.')}: ${i.message}`).join('\n')}\n\n${USAGE}`);
  return parsed.data;
}
const whole = z.coerce.number().int();
const schema = z.object({
  character: z.string({ error: 'say which character' }), groom: z.string({ error: 'say which groom' }), out: z.string({ error: 'say where to' }), garment: z.array(z.string()).default([]), clip: z.string().optional(),
  frames: z.string().regex(/^-?\d+:-?\d+$/, 'two frames, as 0:48').transform((t) => { const [start, end] = t.split(':').map(Number); return { start, end }; }).refine((f) => f.end >= f.start, 'the last comes before the first').optional(),
  format: z.string().optional(), receiver: z.string().optional(), filled: whole.min(1).optional(), joints: whole.min(4).max(4000).optional(), levels: whole.min(1).max(4).optional(), packed: z.boolean().default(false),
  unit: z.enum(Object.keys(UNITS) as [Unit, ...Unit[]]).optional(), up: z.enum(UPS as unknown as [Up, ...Up[]]).optional(), threads: whole.min(1).max(64).default(availableParallelism()), overwrite: z.boolean().default(false),
});

function read(file: string): Uint8Array {
  try { return readFileSync(file); } catch (cause) { throw new Wrong(`${file}: cannot be read (${(cause as NodeJS.ErrnoException).code ?? 'error'})`); }
}
function readJson(file: string): unknown {
  try { return JSON.parse(Buffer.from(read(file)).toString('utf8')); } catch (cause) { if (cause instanceof Wrong) throw cause; throw new Wrong(`${file}: not JSON: ${cause instanceof Error ? cause.message : String(cause)}`); }
}
const issues = (file: string, error: z.ZodError): Wrong => new Wrong(error.issues.slice(0, 12).map((i) => `${file}: ${i.path.join('.') || 'the file'}: ${i.message}`).join('\n'));

function wishes(args: NonNullable<ReturnType<typeof readArguments>>, own: HandOver[], ofChains: boolean): HandOver[] {
  const more = { ...(args.filled ? { what: 'filled' as const, count: args.filled } : {}), ...(args.joints ? { joints: args.joints } : {}), ...(args.levels ? { levels: args.levels } : {}), ...(args.packed ? { packed: true } : {}) };
  let receiver = USUAL_RECEIVERS[0];
  if (args.receiver) {
    const found = USUAL_RECEIVERS.find((r) => r.name.toLowerCase() === args.receiver!.toLowerCase());
    if (!found && !existsSync(args.receiver)) throw new Wrong(`--receiver: there is no “${args.receiver}”, and no file of that name. The usual ones:\n${USUAL_RECEIVERS.map((r) => `  ${r.name}`).join('\n')}`);
    const parsed = handOverSchema.shape.receiver.safeParse(found ?? readJson(args.receiver));
    if (!parsed.success) throw issues(args.receiver, parsed.error);
    receiver = parsed.data;
  }
  const names = args.format?.split(',').map((n) => n.trim()).filter(Boolean).map((n) => (n === 'glb' ? 'chains' : n)), unknown = names?.find((n) => !(n in HAND_OVER_FORMATS));
  if (unknown !== undefined) throw new Wrong(`--format: “${unknown}” is not known. Known are ${HAND_OVER_NAMES.join(', ')}.`);
  const other = names?.find((n) => HAND_OVER_FORMATS[n as HandOverFormatName].chains !== ofChains);
  if (other !== undefined) throw new Wrong(ofChains ? `--format: a groom of chains is handed over as keys, not as ${other}.` : `--format: ${other} is of grooms of chains; this one is of hair.`);
  if (!names && own.length > 0) return own.map((w) => ({ ...w, ...more, ...(args.receiver ? { receiver } : {}) }));
  return (names ?? [ofChains ? 'keys' : 'usdc']).map((format) => handOverSchema.parse({ format: format as HandOverFormatName, receiver, ...more }));
}

async function main(): Promise<number> {
  const args = readArguments();
  if (!args) return 0;
  const groomJson = readJson(args.groom);
  if (existsSync(args.out) && readdirSync(args.out).length > 0 && !args.overwrite) throw new Wrong(`--out: ${args.out} is not empty; nothing was written. Choose another directory, or say --overwrite.`);

  const opened = await openCharacter([{ name: path.basename(args.character), bytes: read(args.character) }]);
  if (!opened.ok) throw new Wrong(`${args.character}: ${opened.error.message}`);
  const box = restBox(opened.value.character), up = args.up ?? guessUp(box.low, box.high), axis = up.endsWith('z') ? 2 : up.endsWith('x') ? 0 : 1, unit = args.unit ?? guessUnit(box.high[axis] - box.low[axis]), placement: Placement = { ...AS_IT_IS, up, scale: UNITS[unit] };
  let character = chosenCharacter(opened.value.character, { placement, joinClips: inPieces(opened.value.character.clips), roles: {} });
  const size = restBox(character);
  say(`${opened.value.fileName}: ${(size.high[1] - size.low[1]).toFixed(2)} m tall, read as ${unit}, ${up} up; ${character.meshes.length} meshes, ${character.clips.length} clips`);
  for (const note of opened.warnings) say(`  ${note}`);
  for (const file of args.garment) {
    const worn = await dress(character, { files: [{ name: path.basename(file), bytes: read(file) }], replace: null, role: 'garment', clip: null, fps: 24, placement: null });
    character = worn.character;
    say(`${path.basename(file)}: ${worn.meshes.join(', ')}`);
    for (const note of worn.notes) say(`  ${note}`);
  }

  let groom;
  try { groom = openGroomFile(groomJson, character, { clip: args.clip, frames: args.frames }); }
  catch (cause) { if (cause instanceof z.ZodError) throw issues(args.groom, cause); if (cause instanceof GroomFileError) throw new Wrong(`${args.groom}: ${cause.message}`); throw cause; }
  const { document } = groom, ofChains = isOfChains(document), wanted = wishes(args, groom.handOver.filter((w) => HAND_OVER_FORMATS[w.format].chains === ofChains), ofChains);
  for (const note of groom.notes) say(note);
  const { shot } = document, get = (id: string): Uint8Array => groom.buffers.get(id)!, maps = (names: Record<string, string | null>): Record<string, Uint8Array> => Object.fromEntries(Object.entries(names).flatMap(([name, id]) => (id ? [[name, get(id)]] : [])));
  say(`${groom.name}: ${ofChains ? `${document.chains.length} chains, ${document.chains.reduce((n, c) => n + c.joints.length - c.kept, 0)} joints` : `${document.guides!.count} guides of ${document.guides!.pointCount} points on “${document.plot.mesh}”`}; ${shot.clip ? `clip “${shot.clip}”` : 'no clip'}, frames ${shot.start}–${shot.end} at ${shot.fps} a second${shot.cyclic ? ', a loop' : ''}`);

  const made = document.drawn?.given, packed = packCharacter(characterOf(character, document, made ? get(made.weights) : null)), planting = get(document.guides!.planting), offsets = get(document.guides!.offsets), chunks: Uint8Array[] = [], measures: Measures[] = [], began = Date.now();
  let report: Proof['report'] | null = null, loop: LoopReport | null = null, told = -1;
  for await (const event of computeBake({ document, character: packed, planting, offsets, maps: maps(Object.fromEntries(mapIds(document.sway))) }, args.threads, null, path.join(import.meta.dirname, 'sway-share.mjs'))) {
    if (event.kind === 'started') { report = event.report; for (const note of event.report.notes) say(`  ${note}`); }
    if (event.kind === 'step') { const share = Math.floor((10 * event.step) / event.steps); if (share > told) { told = share; say(`  ${event.step} of ${event.steps}`); } }
    if (event.kind === 'chunk' && !event.draft) { chunks.push(event.bytes); measures.push(...event.measures); }
    if (event.kind === 'finished') loop = event.loop;
  }
  const seconds = (Date.now() - began) / 1000, proof: Proof = { start: shot.start, end: shot.end, fps: shot.fps, report: report!, frames: measures, seam: loop?.after ?? null, seconds, filled: null };
  const verdicts = judge(proof, groom.limits), failed = verdicts.filter((v) => !v.passes);
  if (loop) say(`loop: ${loop.repeats ? 'repeats' : 'does not repeat'} after ${loop.rounds} rounds (${(1000 * loop.distances[loop.rounds - 1]).toFixed(2)} mm); seam ${(1000 * loop.before.gap).toFixed(2)} → ${(1000 * loop.after.gap).toFixed(2)} mm`);
  say('proof:');
  for (const v of verdicts) if (v.figure) say(`  ${v.passes ? 'pass     ' : 'attention'}  ${MEASURES[v.name].label.padEnd(16)} ${shown(v.name, v.figure.value).padStart(12)}  limit ${shown(v.name, v.limit)}${v.figure.frame >= shot.start ? `, frame ${v.figure.frame}` : ''}`);

  mkdirSync(args.out, { recursive: true });
  const files = chunks.map((bytes) => new FrameFile(bytes));
  let held = files[0];
  const frameOf = (n: number): PackedFrames => {
    if (!held.has(n)) { held.forget(); held = files.find((f) => f.has(n))!; }
    return held.frame(n);
  };
  const read0 = unpackCharacter(packed);
  if (!read0.ok) throw new Error(read0.error.message);
  const baked: Baked = {
    document, character: characterOf(read0.value, document, null), planting: unpackPlanting(planting), offsets: floatsOf(offsets), faces: document.plot.faces ? uintsOf(get(document.plot.faces)) : new Uint32Array(0), source: () => Promise.resolve({ files: [{ name: path.basename(args.character), bytes: read(args.character) }], placement }), maps: maps({ ...document.plot.maps, ...document.sway.maps }), samples: document.bake.samples, startFrame: shot.start, endFrame: shot.end,
    sample: async (n) => frameOf(n).points, drops: async (n) => frameOf(n).drops ?? new Float32Array(0),
  };
  const names = { production: '', character: path.basename(args.character).replace(/\.[^.]*$/, ''), groom: groom.name, shot: document.shotName };
  for (const wish of wanted) {
    const files: Sheet['files'] = [], run = handOver(baked, wish, { ...names, production: 'command line' });
    let next = await run.next();
    for (; !next.done; next = await run.next()) {
      const { name, pieces } = next.value, out = createWriteStream(path.join(args.out, name)), hash = createHash('sha256');
      let bytes = 0;
      for await (const piece of pieces) { hash.update(piece); bytes += piece.length; await new Promise<void>((done, failed) => { out.write(piece, (e) => { if (e) failed(e); else done(); }); }); }
      out.end();
      await once(out, 'close');
      files.push({ name, size: bytes, sha256: hash.digest('hex') });
      say(`${path.join(args.out, name)}  ${bytesText(bytes)}`);
    }
    for (const r of next.value.reductions) say(`  ${r.name}: mean ${(1000 * r.figures.mean).toFixed(2)} mm, 95 in 100 ${(1000 * r.figures.p95).toFixed(2)} mm, worst ${(1000 * r.figures.worst).toFixed(2)} mm (frame ${r.figures.frame}, ${r.counts} ${r.figures.index})`);
    const sheet: Sheet = {
      made: 'Fine Comb', at: new Date().toISOString(), production: '', character: names.character, groom: names.groom, shot: names.shot, clip: shot.clip,
      from: { character: bufferId(packed), document: bufferId(Buffer.from(JSON.stringify(document))), solver: SOLVER_VERSION, bake: 'command line', bakedAt: new Date(began).toISOString() },
      wish, report: next.value, files, loop, proof: proofInShort(proof, groom.limits), received: null,
    };
    writeFileSync(path.join(args.out, `sheet-${wish.format}.json`), `${JSON.stringify(sheet, null, 2)}\n`);
    writeFileSync(path.join(args.out, `sheet-${wish.format}.html`), sheetPage(sheet, proof, groom.limits));
  }
  say(failed.length === 0 ? 'pass' : `attention: ${failed.map((v) => MEASURES[v.name].label.toLowerCase()).join(', ')}`);
  return failed.length === 0 ? 0 : 3;
}

try { process.exitCode = await main(); }
catch (cause) {
  const told = cause instanceof Wrong || (cause instanceof TypeError && (cause as NodeJS.ErrnoException).code?.startsWith('ERR_PARSE_ARGS'));
  process.stderr.write(`${told ? (cause as Error).message : cause instanceof Error ? (process.env.FINE_COMB_DEBUG ? cause.stack : cause.message) : String(cause)}\n`);
  process.exitCode = told ? 2 : 1;
}
