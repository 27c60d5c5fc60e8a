/**
 * A groom as one JSON file, to be baked on any character: its document (all of it, or what differs from a new one), the buffers that
 * the document names, and, in place of faces, rules by which they are found on a character that has not been seen before.
 */
import { z } from 'zod';
import { chainDocument, withChains } from '../chain/chain-groom';
import { chainsOfDrawn } from '../chain/character-of';
import { drawnSchema, newDrawn, type Drawn } from '../drawn/drawn';
import { influencesOf } from '../drawn/influences';
import { givenOf, withDrawn } from '../drawn/with-drawn';
import { chainSchema, jointsOf, linesOf, MOST_JOINTS, troubleWith, withChainRoots, type Chain } from '../chain/chains';
import { fromBase64, toBase64 } from '../math/base64';
import { restPositions, leadingNodes, type Character, type CharacterMesh } from '../mesh/character';
import { restBox } from '../mesh/rest-box';
import { Surface } from '../mesh/surface';
import { restAround } from '../groom/around';
import { plantGuides, plantOrderOf } from '../groom/plant-guides';
import { SkinGrid } from '../groom/skin-grid';
import { bufferId, bytesOf, floatsOf, packPlanting, uintsOf } from './buffers';
import { firstDocument, shotOfClip } from './first-document';
import { handOverSchema, type HandOver } from './hand-over';
import { limitsSchema, plantKey, type Limits } from './proof';
import { bufferIdSchema, buffersOf, DOCUMENT_FORMAT, nameOfShot, type GroomDocument } from './schema';
import { readDocument } from './upgrade';

export const GROOM_FILE = 'Fine Comb groom';
export const GROOM_FILE_VERSION = 1;

const pattern = z.string().min(1).max(200).describe('A name; * stands for anything, and case does not count.');
const between = z.strictObject({ above: z.number().optional(), below: z.number().optional() }).refine((r) => r.above !== undefined || r.below !== undefined, { message: 'Say “above” or “below”, or both.' });
/** Faces that meet every condition in it. */
export const selectorSchema = z.strictObject({
  joint: pattern.optional().describe('Joint that moves the face’s corners, together by at least `least`.'),
  least: z.number().min(0).max(1).default(0.5),
  height: between.optional().describe('Height of the face’s middle in the rest pose, m.'),
  heightShare: between.optional().describe('The same as a share of the character’s height: 0 at its lowest point, 1 at its highest.'),
  forward: between.optional().describe('Place of the face’s middle along +z (the character faces +z), m.'),
  side: between.optional().describe('Place of the face’s middle along x, m.'),
  normal: z.strictObject({ towards: z.tuple([z.number(), z.number(), z.number()]), within: z.number().min(0).max(180) }).optional().describe('Direction the face looks to, within so many degrees.'),
  material: pattern.optional(),
  hair: z.boolean().optional().describe('Where the character’s own file says that hair may grow.'),
});
export type Selector = z.infer<typeof selectorSchema>;

/** Joints that are moved as rods. */
const chainRule = z.strictObject({
  joints: pattern.describe('Joints by name; those that hang one on the other are one chain.'),
  kept: z.number().int().min(0).max(MOST_JOINTS).default(0).describe('So many of each, from its root on, stay with the animation.'),
  bendDeg: z.number().min(0).max(180).nullable().default(null).describe('How far a joint may bend, degrees.'),
});

export const groomFileSchema = z.strictObject({
  kind: z.literal(GROOM_FILE), version: z.literal(GROOM_FILE_VERSION),
  name: z.string().min(1).max(200).default('hair'),
  document: z.record(z.string(), z.unknown()).default({}).describe('A groom document, or the parts of it that differ from a new one.'),
  plot: z.strictObject({ mesh: pattern.optional().describe('The mesh hair grows on; the usual one where left out.'), any: z.array(selectorSchema).min(1), except: z.array(selectorSchema).default([]) }).optional().describe('Where hair grows: faces that meet any of these, but none of the exceptions. Guides are then planted anew.'),
  chains: z.array(chainRule).min(1).max(40).optional().describe('In place of a plot: joints of the character that are moved as rods, instead of hair.'),
  buffers: z.record(bufferIdSchema, z.string()).default({}).describe('Bytes that the document names, base64, by their SHA-256.'),
  limits: limitsSchema.default({}),
  handOver: z.array(handOverSchema).max(20).default([]),
});
export type GroomFile = z.infer<typeof groomFileSchema>;

/** What is wrong with a groom file: where, and what to do. */
export class GroomFileError extends Error { constructor(readonly where: string, message: string) { super(`${where}: ${message}`); } }

/** A groom as a file. `get`: bytes of a buffer. Throws where one is missing. */
export function writeGroomFile(name: string, document: GroomDocument, get: (id: string) => Uint8Array | null | undefined, more: { limits?: Limits; handOver?: HandOver[] } = {}): string {
  const buffers = Object.fromEntries([...new Set(buffersOf(document))].sort().map((id) => { const bytes = get(id); if (!bytes) throw new Error('A part of the groom has not arrived yet.'); return [id, toBase64(bytes)]; }));
  return `${JSON.stringify({ kind: GROOM_FILE, version: GROOM_FILE_VERSION, name, document, buffers, limits: more.limits ?? {}, handOver: more.handOver ?? [] }, null, 1)}\n`;
}

export interface OpenGroom { name: string; document: GroomDocument; buffers: Map<string, Uint8Array>; limits: Limits; handOver: HandOver[]; notes: string[] }
export interface OpenChoices { clip?: string; frames?: { start: number; end: number } }

/** Reads a groom file for a character: finds its plot, plants its guides where it has none, sets its shot. Throws `GroomFileError` or Zod's error. */
export function openGroomFile(value: unknown, given: Character, choices: OpenChoices = {}): OpenGroom {
  const file = groomFileSchema.parse(value), notes: string[] = [], buffers = new Map<string, Uint8Array>();
  for (const [id, text] of Object.entries(file.buffers)) {
    const bytes = fromBase64(text);
    if (!bytes || bufferId(bytes) !== id) throw new GroomFileError(`buffers.${id.slice(0, 12)}…`, 'its bytes do not match its name; the file was damaged. Save it again.');
    buffers.set(id, bytes);
  }
  const keep = (bytes: Uint8Array): string => { const id = bufferId(bytes); buffers.set(id, bytes); return id; };
  const whole = typeof file.document.format === 'number', drawing = drawnOf(file, given, buffers, keep), base0 = drawing?.given ? withDrawn(given, drawing.given, buffers.get(drawing.given.weights)!) : given, listed = chainsOf(file, base0), chains = listed ?? (drawing ? chainsOfDrawn(given, drawing, []) : null), trouble = chains && troubleWith(base0, chains);
  if (trouble) throw new GroomFileError('chains', trouble);
  const character = chains ? withChainRoots(base0) : given, fresh = firstDocument(given), first = chains && !whole ? chainDocument(character, fresh, chains, keep) : fresh, base = whole ? file.document : merged(first, { format: DOCUMENT_FORMAT, ...file.document });
  let document = structuredClone(readDocument({ ...(base as object), ...(drawing ? { drawn: drawing } : {}) }));
  if (chains) {
    document = withChains(character, document, chains, keep);
    notes.push(`${chains.length} ${chains.length === 1 ? 'chain' : 'chains'}: ${list(chains.map((c) => c.name))}.`);
  }
  const asked = (file.document.plot as { mesh?: string } | undefined)?.mesh, wanted = file.plot?.mesh ?? asked;
  const mesh = wanted === undefined ? character.meshes.find((m) => m.name === document.plot.mesh) : named(character.meshes, wanted, (m) => m.name);
  if (!mesh) throw new GroomFileError(file.plot?.mesh ? 'plot.mesh' : 'document.plot.mesh', `the character has no mesh “${wanted ?? document.plot.mesh}”. It has ${list(character.meshes.map((m) => m.name))}.`);
  document.plot.mesh = mesh.name;
  document = withShot(document, character, file.document.shot === undefined, choices);
  const surface = new Surface(restPositions(character, mesh), mesh.triangles), faceCount = mesh.triangles.length / 3;
  if (chains) return { name: file.name, document: readDocument(document), buffers, limits: file.limits, handOver: file.handOver, notes };
  if (file.plot) {
    const faces = selectFaces(character, mesh, file.plot.any, file.plot.except);
    if (faces.length === 0) throw new GroomFileError('plot', `no face of “${mesh.name}” meets these rules. ${tellWhy(character, mesh, file.plot.any)}`);
    document.plot.faces = keep(bytesOf(faces));
    document.plot.maps = { density: null, length: null, section: null, free1: null, free2: null };
    document.plot.flow = null;
    document.sway.maps = { hold: null, give: null, loft: null, region: null };
    delete document.sway.load;
    document.guides = null;
    notes.push(`${faces.length} faces of “${mesh.name}” were chosen by rules.`);
  }
  if (!document.plot.faces) throw new GroomFileError('plot', 'the file says nowhere where hair grows. Put rules in “plot”, or save a groom that has a plot.');
  const faces = buffers.get(document.plot.faces);
  if (!faces) throw new GroomFileError('document.plot.faces', 'the bytes of this buffer are not in the file.');
  if (uintsOf(faces).some((f) => f >= faceCount)) throw new GroomFileError('document.plot.faces', `“${mesh.name}” has ${faceCount.toLocaleString('en')} faces, and the plot names others: this groom was made on another mesh. Use rules in “plot” instead.`);
  if (!document.guides) {
    const bytes = (id: string | null): Uint8Array | null => (id ? (buffers.get(id) ?? null) : null), flow = bytes(document.plot.flow);
    const { planting, offsets } = plantGuides(surface, new SkinGrid(surface.positions, surface.triangles), { ...plantOrderOf(document.plant, uintsOf(faces)), density: bytes(document.plot.maps.density), lengths: bytes(document.plot.maps.length), flow: flow ? floatsOf(flow) : [], around: restAround(character, mesh, document.hidden, document.sway) });
    document.guides = { count: planting.faces.length, pointCount: document.plant.pointCount, planting: keep(packPlanting(planting)), offsets: keep(bytesOf(offsets)), plantKey: plantKey(document), combed: false };
    notes.push(`${planting.faces.length} guides were planted.`);
  }
  const missing = buffersOf(document).find((id) => !buffers.has(id));
  if (missing) throw new GroomFileError('buffers', `${missing.slice(0, 12)}… is named by the document but not in the file. Save the groom again.`);
  return { name: file.name, document: readDocument(document), buffers, limits: file.limits, handOver: file.handOver, notes };
}

/** The drawing of the file, with the joints and weights it gives on this character; null where it has none. */
function drawnOf(file: GroomFile, character: Character, buffers: ReadonlyMap<string, Uint8Array>, keep: (bytes: Uint8Array) => string): Drawn | null {
  const own = (file.document as { drawn?: Record<string, unknown> | null }).drawn;
  if (!own) return null;
  const drawn = drawnSchema.parse({ ...newDrawn([]), ...own });
  if (drawn.lines.length === 0 || (drawn.given && buffers.has(drawn.given.weights))) return drawn;
  try {
    const influences = influencesOf(character, drawn, new Map(drawn.painted.flatMap((p) => { const bytes = buffers.get(p.map); return bytes ? [[p.map, floatsOf(bytes)]] : []; })));
    return { ...drawn, given: givenOf(character, drawn, influences, keep) };
  } catch (cause) { throw new GroomFileError('document.drawn', cause instanceof Error ? cause.message : String(cause)); }
}

/** Chains by the file's rules, or those of its document; null of a groom of hair. */
function chainsOf(file: GroomFile, character: Character): Chain[] | null {
  if (!file.chains) {
    const own = z.array(chainSchema).safeParse((file.document as { chains?: unknown }).chains ?? []);
    return own.success && own.data.length > 0 ? own.data : null;
  }
  if (file.plot) throw new GroomFileError('chains', 'a file has rules for hair (“plot”) or for joints (“chains”), not both. Make two files.');
  const out: Chain[] = [], joints = [...jointsOf(character)].map((n) => character.nodes[n].name);
  for (const [k, rule] of file.chains.entries()) {
    const { lines, forked } = linesOf(character, (n) => matches(character.nodes[n].name, rule.joints));
    if (forked !== null) throw new GroomFileError(`chains.${k}`, `several of the joints “${rule.joints}” hang on “${forked}”: a chain cannot branch. Name them so that it does not.`);
    if (lines.length === 0) throw new GroomFileError(`chains.${k}`, joints.length === 0 ? 'the character has no joints.' : `no joint is called “${rule.joints}”; there are ${list(joints)}.`);
    for (const line of lines) {
      if (rule.kept >= line.length) throw new GroomFileError(`chains.${k}`, `“${line[0]}” has ${line.length} joint${line.length === 1 ? '' : 's'}, of which ${rule.kept} would be kept: at least one must be free.`);
      out.push({ id: `c${out.length}`, name: line[0].slice(0, 60), joints: line.slice(0, MOST_JOINTS), kept: rule.kept, bendDeg: rule.bendDeg });
    }
  }
  return out;
}

function withShot(document: GroomDocument, character: Character, free: boolean, { clip: wanted, frames }: OpenChoices): GroomDocument {
  const { shot } = document, clip = wanted === undefined ? character.clips.find((c) => c.name === shot.clip) : named(character.clips, wanted, (c) => c.name);
  if (wanted !== undefined && !clip) throw new GroomFileError('--clip', `the character has no clip “${wanted}”. It has ${list(character.clips.map((c) => c.name)) || 'none'}.`);
  if (wanted === undefined && shot.clip !== '' && !clip) throw new GroomFileError('document.shot.clip', `the character has no clip “${shot.clip}”. It has ${list(character.clips.map((c) => c.name)) || 'none'}; choose one with --clip.`);
  const out = { ...document, shot: { ...shot } };
  if (clip && (wanted !== undefined || free)) out.shot = shotOfClip(character, clip, shot.fps);
  if (frames) out.shot = { ...out.shot, ...frames, cyclic: out.shot.cyclic && frames.start === out.shot.start && frames.end === out.shot.end };
  if (out.otherShots.every((o) => o.shotName !== nameOfShot(out.shot))) out.shotName = nameOfShot(out.shot);
  return out;
}

/** Whether a name is meant by a pattern. */
export function matches(name: string, wanted: string): boolean {
  return new RegExp(`^${wanted.split('*').map((part) => part.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')).join('.*')}$`, 'i').test(name);
}
function named<T>(things: readonly T[], wanted: string, nameOf: (t: T) => string): T | undefined { return things.find((t) => nameOf(t) === wanted) ?? things.find((t) => matches(nameOf(t), wanted)); }
const list = (names: readonly string[]): string => `${names.slice(0, 8).map((n) => `“${n}”`).join(', ')}${names.length > 8 ? ' …' : ''}`;

/** Faces that meet any of the rules and no exception, ascending. */
export function selectFaces(character: Character, mesh: CharacterMesh, any: readonly Selector[], except: readonly Selector[] = []): Uint32Array {
  const rest = restPositions(character, mesh), surface = new Surface(rest, mesh.triangles), { low, high } = restBox(character), out: number[] = [], rules = any.map((s) => testOf(character, mesh, surface, s, low[1], high[1])), exceptions = except.map((s) => testOf(character, mesh, surface, s, low[1], high[1]));
  for (let f = 0; f < mesh.triangles.length / 3; f++) if (rules.some((t) => t(f)) && !exceptions.some((t) => t(f))) out.push(f);
  return Uint32Array.from(out);
}
function testOf(character: Character, mesh: CharacterMesh, surface: Surface, s: Selector, low: number, high: number): (f: number) => boolean {
  const T = mesh.triangles, tests: ((f: number) => boolean)[] = [], middle = (f: number, c: number): number => surface.corners(f).reduce((sum, p) => sum + p[c] / 3, 0), within = (range: { above?: number; below?: number }, v: number): boolean => (range.above === undefined || v >= range.above) && (range.below === undefined || v <= range.below);
  if (s.joint !== undefined) {
    const wanted = s.joint, joints = mesh.skin >= 0 ? character.skins[mesh.skin].joints : null, meant = joints ? Uint8Array.from(joints, (n) => (matches(character.nodes[n].name, wanted) ? 1 : 0)) : null, lead = leadingNodes(character, mesh);
    tests.push((f) => {
      let sum = 0;
      for (let k = 0; k < 3; k++) { const v = T[3 * f + k]; if (!meant) sum += matches(character.nodes[lead[v]]?.name ?? '', wanted) ? 1 / 3 : 0; else for (let q = 0; q < 4; q++) sum += (meant[mesh.joints[4 * v + q]] * mesh.weights[4 * v + q]) / 3; }
      return sum >= s.least;
    });
  }
  if (s.height) { const r = s.height; tests.push((f) => within(r, middle(f, 1))); }
  if (s.heightShare) { const r = s.heightShare; tests.push((f) => within(r, (middle(f, 1) - low) / Math.max(1e-9, high - low))); }
  if (s.forward) { const r = s.forward; tests.push((f) => within(r, middle(f, 2))); }
  if (s.side) { const r = s.side; tests.push((f) => within(r, middle(f, 0))); }
  if (s.normal) { const { towards: t, within: degrees } = s.normal, l = Math.hypot(...t) || 1, least = Math.cos((degrees * Math.PI) / 180); tests.push((f) => { const n = surface.normal(f); return (n[0] * t[0] + n[1] * t[1] + n[2] * t[2]) / l >= least; }); }
  if (s.material !== undefined) { const wanted = s.material, inside = new Set(mesh.groups.filter((g) => matches(character.materials[g.material]?.name ?? '', wanted)).flatMap((g) => Array.from({ length: g.count }, (_, k) => g.first + k))); tests.push((f) => inside.has(f)); }
  if (s.hair !== undefined) { const wanted = s.hair; tests.push((f) => (mesh.hair.length > 0 && [0, 1, 2].every((k) => mesh.hair[T[3 * f + k]] > 0.5)) === wanted); }
  return (f) => tests.every((t) => t(f));
}
function tellWhy(character: Character, mesh: CharacterMesh, any: readonly Selector[]): string {
  const joints = mesh.skin >= 0 ? [...character.skins[mesh.skin].joints].map((n) => character.nodes[n].name) : [], unknown = any.map((s) => s.joint).find((j) => j !== undefined && !joints.some((n) => matches(n, j))), { low, high } = restBox(character);
  return unknown !== undefined ? `No joint is called “${unknown}”; there are ${list(joints)}.` : `The character stands from ${low[1].toFixed(2)} to ${high[1].toFixed(2)} m.`;
}

/** `b` laid over `a`: objects part by part, anything else as a whole. */
function merged(a: unknown, b: unknown): unknown {
  if (b === undefined) return a;
  if (a === null || b === null || typeof a !== 'object' || typeof b !== 'object' || Array.isArray(a) || Array.isArray(b)) return b;
  const out: Record<string, unknown> = { ...(a as object) };
  for (const [k, v] of Object.entries(b)) out[k] = merged(out[k], v);
  return out;
}
