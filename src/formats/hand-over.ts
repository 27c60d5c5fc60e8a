/** A bake → the files of a hand-over, in streams, with what was counted and measured on the way. */
import { Document, WebIO } from '@gltf-transform/core';
import { BakedView, Between, type Baked } from '../core/bake/baked';
import { CardMotion } from '../core/bake/card-motion';
import { carriersOf, jointPlaces, reduceToChains, type Chain, type ChainSet } from '../core/bake/chains';
import { ErrorTally } from '../core/bake/error-tally';
import { HAND_OVER_FORMATS, MOST_FILLED, nameFor, type HandOver, type HandOverReport, type Reduction } from '../core/document/hand-over';
import type { CardMesh } from '../core/fill/cards';
import { FilledFrames } from '../core/fill/filled-frames';
import { cardSettingsOf, cardColour, cardsOf, meanTint, MOST_CARDED, strandColour } from '../core/fill/open-cards';
import { nodeNear, widthAt } from '../core/fill/strands';
import { DROP_NUMBERS } from '../core/drops/drop-run';
import type { Planting } from '../core/groom/planting';
import { hashUnit } from '../core/math/random';
import { invertAffine, moveInto, multiplyQuats, turnInto } from '../core/math/mat4';
import { poseCharacter, rigidMotionInto, type Pose } from '../core/mesh/character';
import { Surface } from '../core/mesh/surface';
import { collidersOf, type SetPill } from '../core/sway/colliders';
import { physicalRod } from '../core/sway/materials';
import { Axes, OUR_AXES } from './axes';
import { colourMap } from './card-colours';
import { accessorIn, cardMaterial, cardPrimitive, pngOf } from './card-mesh';
import { placeOf, roundingOf, skinOf, writeChainGlb, type CarrierTrack } from './chain-glb';
import { cachePlaces, mddHead, pc2Head } from './point-cache';
import { springExtension, springNumbers, SPRING_EXTENSION, withExtension, type SpringCollider } from './springs';
import { clipLayer, partsOf as partsOfTake } from './usd-clips';
import { CurveStage, type CurveCache } from './usd-curves';
import { PointsStage } from './usd-points';
import { writeUsda } from './usda';
import { writeUsdc } from './usdc';
import { writeUsdz } from './usdz';
import { ofChains } from '../core/chain/character-of';
import { chainKeys } from './chain-keys';
import { layOutVat, vatCoordinates, writeDirectionsPng, writeVatExr, writeVatPng } from './vat';
import { writeCurves } from './write-curves';

export interface HandOverNames { production: string; character: string; groom: string; shot: string }
export interface HandOverFile { name: string; pieces: AsyncIterable<Uint8Array> }
/** Told now and then: 0 … 1. */
export type Tell = (share: number) => void;
/** Share of the length at which a strand has the one colour that a receiver is told. */
const COLOUR_AT = 0.4;
/** Above this many bytes a crate comes in parts. */
export const PART_BYTES = 500e6;
const encoder = new TextEncoder();
async function* once(bytes: Uint8Array | Promise<Uint8Array>): AsyncGenerator<Uint8Array> { yield await bytes; }
async function* asBytes(text: AsyncIterable<string>): AsyncGenerator<Uint8Array> { for await (const t of text) yield encoder.encode(t); }

/** The frames of a hand-over: where each lies in the shot, and how fast they run. */
interface Frames { fps: number; list: number[]; samples: number; first: number; last: number }
function framesOf({ document: { shot }, startFrame, endFrame, samples }: Baked, { from, to, every, receiver }: HandOver, canSample: boolean): Frames {
  const first = Math.max(startFrame, Math.min(endFrame, from ?? startFrame)), last = Math.max(first, Math.min(endFrame, to ?? endFrame)), fps = receiver.fps ?? shot.fps, step = (every * shot.fps) / fps, list: number[] = [];
  const sampled = canSample && every === 1 && fps === shot.fps ? samples : 1;
  for (let k = 0; first + k * step <= last + 1e-6; k++) list.push(first + k * step);
  return { fps: fps / every, list, samples: sampled, first, last };
}

/** Files one after the other; each must be read to its end before the next is asked for. The report is what is returned. */
export async function* handOver(baked: Baked, wish: HandOver, names: HandOverNames, tell: Tell = () => undefined): AsyncGenerator<HandOverFile, HandOverReport> {
  const base = nameFor(wish.receiver, names.character, names.groom, names.shot), report: HandOverReport = { frames: { first: 0, last: 0, count: 0, fps: 0, samples: 1 }, counts: [], reductions: [], notes: [], layout: {} };
  const frames = framesOf(baked, wish, HAND_OVER_FORMATS[wish.format].curves), still = !HAND_OVER_FORMATS[wish.format].moving;
  report.frames = { first: frames.first, last: still ? frames.first : frames.last, count: still ? 1 : frames.list.length * frames.samples, fps: frames.fps, samples: frames.samples };
  if (!still && wish.receiver.fps && wish.receiver.fps !== baked.document.shot.fps) report.notes.push(`The shot runs at ${baked.document.shot.fps} frames a second, the receiver at ${wish.receiver.fps}: frames between were computed by cubics through those around.`);
  if (HAND_OVER_FORMATS[wish.format].chains !== ofChains(baked.document)) throw new Error(ofChains(baked.document) ? 'Chains are handed over as keys on the character’s joints.' : 'Keys on the character’s joints are of grooms of chains; this one is of hair.');
  if (hasDrops(baked) && !wish.format.startsWith('usd')) report.notes.push('Drops are handed over beside OpenUSD curves only.');
  if (wish.format === 'keys') {
    if (!baked.source) throw new Error('The file the character came in is not at hand.');
    const { name, bytes } = await chainKeys(baked, await baked.source(), wish, base, frames, report, tell);
    yield { name, pieces: once(bytes) };
  } else if (HAND_OVER_FORMATS[wish.format].curves) yield* curves(baked, wish, names, base, frames, report, tell);
  else yield* cards(baked, wish, base, frames, report, tell);
  return report;
}

// ---------------------------------------------------------------- curves

async function* curves(baked: Baked, wish: HandOver, names: HandOverNames, base: string, frames: Frames, report: HandOverReport, tell: Tell): AsyncGenerator<HandOverFile> {
  const { document, character } = baked, between = new Between(baked), view = new BakedView(baked), filledWanted = wish.what === 'filled', { format, receiver } = wish;
  if (filledWanted && format !== 'usdc' && format !== 'usdz' && wish.count > MOST_FILLED.text) throw new Error(`As text, at most ${MOST_FILLED.text.toLocaleString('en')} filled strands can be handed over: choose the binary form for more.`);
  const filled = filledWanted ? new FilledFrames({ document, character, planting: baked.planting, offsets: baked.offsets, faces: baked.faces, count: Math.min(wish.count, document.fill.count), maps: baked.maps }) : null;
  const count = filled ? filled.strands.count : view.guides, nodes = filled ? filled.strands.nodes : view.pointCount, total = count * nodes, { diameter } = physicalRod(document.sway), roots: Planting = filled ? filled.strands.roots : baked.planting;
  const at = async (frame: number): Promise<Float32Array> => { const guides = await between.at(frame); return filled ? filled.at(frame, guides) : guides; };
  report.counts.push([filled ? 'filled strands' : 'guides', count], ['points of each', nodes]);
  const text = `${names.production}: ${names.character}, ${names.groom}, shot ${names.shot}. ${filled ? `${count} of ${document.fill.count} filled strands, pushed out of what collides` : 'Guide strands'}, by Fine Comb. Widths are diameters.`;
  if (format === 'lines' || format === 'obj') {
    const points = await at(frames.first), turnAxes = format === 'obj' || receiver.turnGltf, axes = new Axes(turnAxes ? receiver : OUR_AXES), placed = axes.places(points, new Float32Array(points.length));
    const list = Array.from({ length: count }, (_, s) => placed.subarray(3 * nodes * s, 3 * nodes * (s + 1)));
    tell(0.5);
    yield { name: nameFor(receiver, base, `lines${HAND_OVER_FORMATS[format].ending}`), pieces: once(writeCurves(format === 'lines' ? 'glb' : 'obj', list, { name: base, width: (filled ? document.fill.widthUm * 1e-6 : diameter) * axes.scale, comment: text })) };
    report.notes.push(turnAxes ? axesNote(receiver) : 'glTF is in metres, +Y up, right-handed by its own rule.');
    return;
  }
  // samples of the file: whole frames counted from the first, or those of the bake
  const same = frames.list.every((f) => Number.isInteger(f)) && wish.every === 1, start = frames.first, samples = frames.samples, end = same ? frames.last : start + frames.list.length - 1;
  if (!same && wish.every > 1) report.notes.push(`Every ${wish.every} frames: frame ${start} + k of the file is frame ${start} + ${wish.every} k of the shot.`);
  // one colour a strand: that of its middle part
  const middle = nodeNear(COLOUR_AT, nodes), uvs = rootCoordinates(baked, roots), colour = strandColour(document.fill), cache: CurveCache = {
    name: base, fps: frames.fps, startFrame: start, endFrame: end, samples, counts: new Int32Array(count).fill(nodes), ids: Int32Array.from({ length: count }, (_, i) => i),
    widths: filled ? Float32Array.from({ length: total }, (_, i) => widthAt(document.fill, Math.floor(i / nodes), i % nodes, nodes, filled.strands.widths)) : new Float32Array(total).fill(diameter),
    uvs, colours: wish.colours ? Float32Array.from({ length: 3 * count }, (_, i) => colour(COLOUR_AT, hashUnit(16 * Math.floor(i / 3) + 9), filled?.strands.tints, 4 * (nodes * Math.floor(i / 3) + middle))[i % 3]) : undefined,
    rest: wish.rest ? (filled ? filled.rest() : Float32Array.from(view.rest)) : undefined, velocities: wish.velocities && end > start, axes: receiver, comment: text,
    points: async (sample) => { tell((sample - start * samples) / Math.max(1, (end - start + 1) * samples)); return at(same ? sample / samples : frames.list[sample - start]); },
  };
  if (!uvs) report.notes.push('The plot’s mesh has no texture coordinates: the roots have none.');
  report.notes.push(`OpenUSD states its axes and unit: +${receiver.up.toUpperCase()} up, ${receiver.metres} m a unit, right-handed.${receiver.hand === 'left' ? ' A left-handed receiver turns it over itself.' : ''}`);
  const stage = new CurveStage(cache), each = 12 * total * (cache.velocities ? 2 : 1), all = each * (stage.last - stage.first + 1);
  if (hasDrops(baked)) {
    const list = same ? null : frames.list, drops = await PointsStage.of({ name: `${base}_drops`, fps: frames.fps, startFrame: start, endFrame: end, samples, axes: receiver, colour: baked.document.sway.drops!.every((d) => d.kind === 'sand') ? [0.45, 0.32, 0.15] : [0.8, 0.9, 0.95], comment: `${names.production}: drops of ${names.character}, ${names.groom}, shot ${names.shot}, by Fine Comb. Widths are diameters; ids stay with their drop.`, drops: (n) => dropsAt(baked, list ? list[n - start] : n / samples) });
    if (drops.most === 0) report.notes.push('No drops are about in these frames.');
    else { report.counts.push(['most drops in a frame', drops.most]); yield format === 'usda' ? { name: `${base}.drops.usda`, pieces: asBytes(writeUsda(drops)) } : { name: `${base}.drops.usdc`, pieces: writeUsdc(drops) }; }
  }
  if (format === 'usda') { yield { name: `${base}.usda`, pieces: asBytes(writeUsda(cache)) }; return finish(); }
  if (format === 'usdz') {
    let size = 0;
    for await (const piece of writeUsdc({ ...cache, points: () => ZERO(3 * total) })) size += piece.length;
    yield { name: `${base}.usdz`, pieces: writeUsdz([{ name: `${base}.usdc`, size, pieces: () => writeUsdc(cache) }]) };
    return finish();
  }
  const parts = Math.ceil(all / PART_BYTES);
  if (parts === 1) { yield { name: `${base}.usdc`, pieces: writeUsdc(stage) }; return finish(); }
  const list = partsOfTake(stage, base, parts);
  for (const { name, first, holds } of list) yield { name, pieces: writeUsdc(stage, { first, last: holds }) };
  const { manifest, layer } = clipLayer(stage, base, list);
  yield { name: `${base}.manifest.usda`, pieces: once(encoder.encode(manifest)) };
  yield { name: `${base}.usda`, pieces: once(encoder.encode(layer)) };
  report.notes.push(`In ${list.length} parts of ${list[0].last - list[0].first + 1} samples: open ${base}.usda, which joins them by value clips. Each part but the last holds the first sample of the next too, so that nothing is missing between them.`);
  finish();

  function finish(): void { if (filled) report.counts.push(['greatest depth before strands were pushed out, µm', Math.round(1e6 * filled.deepest)]); }
}
const hasDrops = ({ document: { sway }, drops }: Baked): boolean => drops !== undefined && (sway.drops ?? []).some((d) => d.on);
/** Drops at a frame; between two samples, those of the one before, gone on as fast as they were. */
async function dropsAt({ drops, samples, document: { shot } }: Baked, frame: number): Promise<Float32Array> {
  const sample = Math.floor(frame * samples + 1e-6), late = (frame - sample / samples) / shot.fps, out = (await drops!(sample)).slice();
  if (late > 1e-9) for (let o = 0; o < out.length; o += DROP_NUMBERS) for (let c = 0; c < 3; c++) out[o + 1 + c] += late * out[o + 4 + c];
  return out;
}
let zero = new Float32Array(0);
const ZERO = (n: number): Float32Array => (zero.length === n ? zero : (zero = new Float32Array(n)));
const axesNote = (r: { up: string; hand: string; metres: number }): string => `Written in the receiver’s axes: +${r.up.toUpperCase()} up, ${r.hand}-handed, ${r.metres} m a unit.`;

/** Texture coordinates of the roots, 2 each; none where the mesh has none. */
function rootCoordinates({ document, character }: Baked, { faces, weights }: Planting): Float32Array | undefined {
  const mesh = character.meshes.find((m) => m.name === document.plot.mesh)!, { uvs, triangles } = mesh;
  if (!uvs || uvs.length === 0) return undefined;
  const out = new Float32Array(2 * faces.length);
  for (let s = 0; s < faces.length; s++) {
    const b = weights[2 * s], c = weights[2 * s + 1], corners = [0, 1, 2].map((k) => triangles[3 * faces[s] + k]);
    for (let e = 0; e < 2; e++) out[2 * s + e] = (1 - b - c) * uvs[2 * corners[0] + e] + b * uvs[2 * corners[1] + e] + c * uvs[2 * corners[2] + e];
  }
  return out;
}

// ---------------------------------------------------------------- cards

async function* cards(baked: Baked, wish: HandOver, base: string, frames: Frames, report: HandOverReport, tell: Tell): AsyncGenerator<HandOverFile> {
  const { document, character, planting, offsets, faces, maps } = baked, { receiver, format } = wish, view = new BakedView(baked), between = new Between(baked), settings = { ...cardSettingsOf(document), levels: format === 'chains' || format === 'springs' ? wish.levels : 1 };
  const { set, strands } = cardsOf({ fill: document.fill, seed: document.plant.seed, faces, planting, offsets, pointCount: view.pointCount, count: Math.min(document.fill.count, MOST_CARDED), full: document.fill.count, maps }, new Surface(view.restSkin, view.mesh.triangles), settings, character);
  const colours = colourMap(set.atlas, cardColour(document.fill, meanTint(strands))), standard = !receiver.turnGltf, axes = new Axes(standard ? OUR_AXES : receiver), own = new Axes(receiver);
  report.counts.push(['guides', view.guides], ...set.levels.map((m, k): [string, number] => [`cards, level ${k}`, m.cards]), ...set.levels.map((m, k): [string, number] => [`triangles, level ${k}`, m.indices.length / 3]));
  tell(0.1);
  if (format === 'chains' || format === 'springs') {
    yield* chained(baked, wish, base, frames, report, tell, { view, between, levels: set.levels, motions: set.levels.map((m) => new CardMotion(view, m, strands)), atlas: set.atlas.size, colours, axes });
    report.notes.push(standard ? 'glTF is in metres, +Y up, right-handed by its own rule; receivers turn it to their axes.' : `${axesNote(receiver)} This is not what glTF says of itself: for receivers that take it raw.`);
  } else yield* moved(wish, base, frames, report, tell, { view, between, mesh: set.levels[0], motion: new CardMotion(view, set.levels[0], strands), atlas: set.atlas.size, colours, axes: own, clip: document.shot.clip });
  yield { name: nameFor(receiver, base, 'atlas-looks.png'), pieces: once(pngOf(set.atlas.size, set.atlas.looks)) };
  yield { name: nameFor(receiver, base, 'atlas-ways.png'), pieces: once(pngOf(set.atlas.size, set.atlas.ways)) };
  report.counts.push(['pixels along the atlas', set.atlas.size]);
}

interface CardsIn { view: BakedView; between: Between; atlas: number; colours: Uint8Array; axes: Axes }

/** Cards in a frame: their guides' points and turns. */
class PosedCards {
  private readonly motions: Float64Array;
  private readonly turns: Float64Array;
  constructor(private readonly view: BakedView) { this.motions = new Float64Array(7 * view.guides); this.turns = new Float64Array(4 * view.pointCount * view.guides); }
  at(frame: number, points: Float32Array, motion: CardMotion, out: Float32Array, normals?: Float32Array): void {
    this.view.rootsInto(this.view.poseAt(frame), this.motions);
    this.view.turnsInto(points, this.motions, this.turns);
    motion.at(points, this.turns, out, normals);
  }
}

async function* chained(baked: Baked, wish: HandOver, base: string, frames: Frames, report: HandOverReport, tell: Tell, { view, between, levels, motions, atlas, colours, axes }: CardsIn & { levels: readonly CardMesh[]; motions: readonly CardMotion[] }): AsyncGenerator<HandOverFile> {
  const { document, character, planting } = baked, { receiver, format } = wish, n = view.pointCount, rest = poseCharacter(character, null, 0), carriers = carriersOf(character, view.mesh, planting.faces), names = [...new Set(carriers)].sort((a, b) => a - b);
  const world: Float32Array[] = [], seen: Float32Array[] = [], poses: Pose[] = [], motion = new Float64Array(7);
  for (const frame of frames.list) {
    const points = await between.at(frame), pose = view.poseAt(frame), local = new Float32Array(points.length), inverses = new Map<number, Float64Array>();
    for (const c of names) { rigidMotionInto(motion, 0, rest, pose, c); inverses.set(c, motion.slice()); }
    for (let g = 0; g < view.guides; g++) { const m = inverses.get(carriers[g])!, back = [-m[0], -m[1], -m[2], m[3]], v = new Float64Array(3); for (let p = 3 * g * n; p < 3 * (g + 1) * n; p += 3) { for (let c = 0; c < 3; c++) v[c] = points[p + c] - m[4 + c]; turnInto(local, p, v, 0, back); } }
    world.push(points);
    seen.push(local);
    poses.push(pose);
  }
  tell(0.2);
  const budget = wish.joints, set = reduceToChains({ rest: view.rest, pointCount: n, carriers, frames: seen, numbers: frames.list, budget });
  tell(0.6);
  report.counts.push(['chains', set.chains.length], ['joints', set.joints]);
  report.reductions.push({ name: `${set.joints} joints in ${set.chains.length} chains`, of: 'all points of all guides', figures: set.error, counts: 'guide' });
  const tracks = names.map((c): CarrierTrack => {
    const stand = placeOf(rest, 16 * c), at = new Float64Array(3);
    return { name: character.nodes[c]?.name || 'root', rest: stand, frames: poses.map((pose) => { rigidMotionInto(motion, 0, rest, pose, c); moveInto(at, 0, stand.place, 0, motion); return { rotation: multiplyQuats(motion, stand.rotation), place: [at[0], at[1], at[2]], scale: stand.scale }; }) };
  });
  for (const part of partsOf(set, receiver.jointLimit)) for (const [level, mesh] of levels.entries()) {
    const bonds = (v: number): { guide: number; share: number; weight: number }[] => motions[level].bondsOf(v).map(({ point, weight }) => ({ guide: Math.floor(point / n), share: (point % n) / (n - 1), weight }));
    const home = homeOf(mesh, bonds, set), allowed = new Set(part.chains), place = new Map(part.chains.map((c, k) => [c, k])), triangles = mesh.indices.filter((_, k) => allowed.has(home[mesh.card[mesh.indices[k - (k % 3)]]]));
    const skin = (v: number): { chain: number; joint: number; weight: number }[] => skinOf(bonds(v), set.chains, set.chainOf, allowed), list = part.chains.map((c, k) => ({ chain: set.chains[c], carrier: names.indexOf(set.chains[c].carrier), name: nameFor(receiver, 'hair', String(c + 1).padStart(3, '0')).replace(/-/g, '_'), k }));
    const many = part.of > 1 ? ` part ${part.number}` : '', file = { name: nameFor(receiver, base, format === 'springs' ? 'springs' : 'chains', `lod${level}${many}`), clip: document.shot.clip, times: Float32Array.from(frames.list, (_, k) => k / frames.fps), carriers: tracks, chains: list, cards: { mesh, triangles, skin: (v: number) => skin(v).map((s) => ({ ...s, chain: place.get(s.chain)! })) }, atlas, colours, axes, animated: format === 'chains', packed: wish.packed && format === 'chains' };
    if (format === 'chains') {
      report.reductions.push({ name: `cards of level ${level}${many}, skinned`, of: 'the same cards moved by all guides', figures: cardError(view, motions[level], triangles, skin, set, frames.list, rest, poses, world), counts: 'vertex' });
      yield { name: `${file.name}.glb`, pieces: once(writeChainGlb(file)) };
    } else yield { name: `${file.name}.glb`, pieces: once(withSprings(baked, file, tracks)) };
    tell(0.6 + (0.3 * (level + 1)) / levels.length);
  }
  if (wish.packed && format === 'chains') report.notes.push(`Packed with meshopt: a receiver has to know the extension EXT_meshopt_compression. Turns are rounded to a 32,767th, which moves no joint and no tip by more than ${(1000 * roundingOf(set.chains, set.chains.map((c) => tracks[names.indexOf(c.carrier)].rest.place))).toFixed(3)} mm; all else is as it would be.`);
  if (format === 'springs') report.notes.push(`Stiffness, drag and gravity of every joint come from the groom’s own settings at a step of 1/60 s.${document.sway.calmStart ? ' The groom is at rest under gravity, so the springs have none.' : ''}`);
}

/** Chains in parts of so many joints at most, those of one carrier together. */
function partsOf({ chains }: ChainSet, limit: number): { chains: number[]; number: number; of: number }[] {
  const order = chains.map((_, c) => c).sort((a, b) => chains[a].carrier - chains[b].carrier || Math.atan2(chains[a].places[0], chains[a].places[2]) - Math.atan2(chains[b].places[0], chains[b].places[2]) || a - b), parts: number[][] = [[]];
  let held = 0;
  for (const c of order) {
    const joints = chains[c].places.length / 3 - 1;
    if (held + joints > limit && held > 0) { parts.push([]); held = 0; }
    parts[parts.length - 1].push(c);
    held += joints;
  }
  return parts.map((list, k) => ({ chains: list.sort((a, b) => a - b), number: k + 1, of: parts.length }));
}
/** The chain that each card follows most. */
function homeOf(mesh: CardMesh, bonds: (v: number) => { guide: number; weight: number }[], { chainOf }: ChainSet): Int32Array {
  const sums = Array.from({ length: mesh.cards }, () => new Map<number, number>());
  for (let v = 0; v < mesh.card.length; v++) for (const b of bonds(v)) { const s = sums[mesh.card[v]], c = chainOf[b.guide]; s.set(c, (s.get(c) ?? 0) + b.weight); }
  return Int32Array.from(sums, (s) => [...s].sort((a, b) => b[1] - a[1] || a[0] - b[0])[0]?.[0] ?? 0);
}

/** How far skinned vertices are from where all guides have them. */
function cardError(view: BakedView, motion: CardMotion, triangles: Uint32Array, skin: (v: number) => { chain: number; joint: number; weight: number }[], set: ChainSet, list: readonly number[], rest: Pose, poses: readonly Pose[], guides: readonly Float32Array[]): Reduction['figures'] {
  const tally = new ErrorTally(), posed = new PosedCards(view), full = new Float32Array(3 * motion.vertices), used = [...new Set(triangles)].sort((a, b) => a - b), weights = new Map(used.map((v) => [v, skin(v)])), P = motion.mesh.positions, rigid = new Float64Array(7), v3 = new Float64Array(3), turned = new Float64Array(3), places = set.chains.map((c) => new Float64Array(c.places.length));
  list.forEach((frame, f) => {
    posed.at(frame, guides[f], motion, full);
    set.chains.forEach((c, k) => jointPlaces(c, c.turns[f], places[k]));
    const moves = set.chains.map((c) => { rigidMotionInto(rigid, 0, rest, poses[f], c.carrier); return rigid.slice(); });
    for (const v of used) {
      let x = 0, y = 0, z = 0;
      for (const { chain, joint, weight } of weights.get(v)!) {
        const c = set.chains[chain], m = moves[chain], at = places[chain];
        for (let k = 0; k < 3; k++) v3[k] = P[3 * v + k] - c.places[3 * joint + k];
        turnInto(turned, 0, v3, 0, c.turns[f], 4 * joint);
        for (let k = 0; k < 3; k++) v3[k] = at[3 * joint + k] + turned[k];
        moveInto(turned, 0, v3, 0, m);
        x += weight * turned[0]; y += weight * turned[1]; z += weight * turned[2];
      }
      tally.take(Math.hypot(x - full[3 * v], y - full[3 * v + 1], z - full[3 * v + 2]), frame, v);
    }
  });
  return tally.figures;
}

/** The still groom with its springs, and its pills on nodes of their joints. */
async function withSprings({ document, character }: Baked, file: Parameters<typeof writeChainGlb>[0], tracks: readonly CarrierTrack[]): Promise<Uint8Array> {
  const { sway, hidden } = document, rest = poseCharacter(character, null, 0), pills = springPills(character, hidden, sway), known = new Set(tracks.map((t) => t.name)), more: CarrierTrack[] = [], { axes } = file;
  for (const p of pills) { const { name } = character.nodes[p.node]; if (known.has(name)) continue; known.add(name); more.push({ name, rest: placeOf(rest, 16 * p.node), frames: [] }); }
  const colliders = pills.map((p): SpringCollider => {
    const inverse = invertAffine(rest, 16 * p.node)!, local = (v: readonly number[]): [number, number, number] => [...axes.places([0, 1, 2].map((r) => inverse[r] * v[0] + inverse[4 + r] * v[1] + inverse[8 + r] * v[2] + inverse[12 + r]), new Float64Array(3))] as [number, number, number], scale = placeOf(rest, 16 * p.node).scale, ball = p.kind === 'ball' || Math.hypot(p.a[0] - p.b[0], p.a[1] - p.b[1], p.a[2] - p.b[2]) < 1e-6;
    // the standard's capsules are not tapered: as thick as the thicker end
    return { node: character.nodes[p.node].name, name: p.key, radius: (Math.max(p.radiusA, p.radiusB) * axes.scale) / scale, offset: local(p.a), tail: ball ? null : local(p.b) };
  });
  const springs = file.chains.map(({ chain, name }) => ({ name, end: `${name}_end`, joints: springNumbers(sway, lengthOf(chain), chain.places.length / 3 - 1).map((numbers, j) => ({ node: `${name}_${j + 1}`, ...numbers })) }));
  let extension: object = {};
  const glb = await writeChainGlb({ ...file, carriers: [...file.carriers, ...more], animated: false, ends: true, more: (doc) => { extension = springExtension(doc, springs, colliders); } });
  return withExtension(glb, SPRING_EXTENSION, extension);
}
/** Pills the hair touches; where the body is touched as a mesh, which the standard does not know, those fitted to its joints. */
function springPills(character: Baked['character'], hidden: readonly string[], sway: Baked['document']['sway']): SetPill[] {
  const on = (roles: typeof sway.roles): SetPill[] => collidersOf(character, hidden, { ...sway, roles }).pills.filter((p) => p.on && p.node >= 0), own = on(sway.roles);
  return own.length > 0 || sway.roles.body === 'off' ? own : on({ ...sway.roles, body: 'pills' });
}
const lengthOf = ({ places }: Chain): number => { let sum = 0; for (let o = 3; o < places.length; o += 3) sum += Math.hypot(places[o] - places[o - 3], places[o + 1] - places[o - 2], places[o + 2] - places[o - 1]); return sum; };

// ---------------------------------------------------------------- vertices frame by frame

async function* moved(wish: HandOver, base: string, frames: Frames, report: HandOverReport, tell: Tell, { view, between, mesh, motion, atlas, colours, axes, clip }: CardsIn & { mesh: CardMesh; motion: CardMotion; clip: string }): AsyncGenerator<HandOverFile> {
  const { format, receiver } = wish, vertices = motion.vertices, posed = new PosedCards(view), { list } = frames;
  const at = async (frame: number, normals?: Float32Array): Promise<Float32Array> => { const out = new Float32Array(3 * vertices); posed.at(frame, await between.at(frame), motion, out, normals); if (normals) axes.directions(normals, normals); return axes.places(out, out); };
  report.counts.push(['vertices', vertices]);
  if (format === 'pc2' || format === 'mdd') {
    report.notes.push(axesNote(receiver));
    const tellAll = tell;
    yield { name: `${base}${HAND_OVER_FORMATS[format].ending}`, pieces: (async function* pieces() {
      yield format === 'pc2' ? pc2Head(vertices, list.length, frames.first, 1) : mddHead(vertices, Float32Array.from(list, (_, k) => k / frames.fps));
      for (const [k, f] of list.entries()) { yield cachePlaces(await at(f), format === 'mdd'); tellAll(k / list.length); }
    })() };
    yield { name: `${base}-cards.glb`, pieces: once(restGlb(base, mesh, atlas, colours, axes)) };
    return;
  }
  const layout = layOutVat(vertices, list.length, receiver.textureLimit), rest = axes.places(mesh.positions, new Float32Array(mesh.positions.length)), low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity], png = wish.texture === 'png16';
  const offsetsAt = async (f: number, normals?: Float32Array): Promise<Float32Array> => { const p = await at(f, normals); for (let k = 0; k < p.length; k++) p[k] -= rest[k]; return p; };
  if (png) for (const f of list) (await offsetsAt(f)).forEach((v, k) => { low[k % 3] = Math.min(low[k % 3], v); high[k % 3] = Math.max(high[k % 3], v); });
  const tally = new ErrorTally(), files: object[] = [];
  for (const [p, part] of layout.parts.entries()) {
    const offsets: Float32Array[] = [], normals: Float32Array[] = [];
    for (let k = part.first; k < part.first + part.count; k++) { const n = new Float32Array(3 * vertices); offsets.push(await offsetsAt(list[k], n)); normals.push(n); tell(0.1 + (0.8 * k) / list.length); }
    if (png) offsets.forEach((o, k) => { for (let v = 0; v < vertices; v++) tally.take(Math.hypot(...[0, 1, 2].map((c) => { const span = high[c] - low[c] || 1, x = o[3 * v + c]; return Math.round((65535 * (x - low[c])) / span) * (span / 65535) + low[c] - x; })) / axes.scale, list[part.first + k], v); });
    const many = layout.parts.length > 1 ? `-${p + 1}` : '', image = nameFor(receiver, base, `offsets${many}${png ? '.png' : '.exr'}`), directions = nameFor(receiver, base, `normals${many}.png`);
    yield { name: image, pieces: once(png ? writeVatPng(layout, offsets, low, high) : writeVatExr(layout, offsets)) };
    yield { name: directions, pieces: once(writeDirectionsPng(layout, normals)) };
    files.push({ offsets: image, normals: directions, firstFrame: part.first, frames: part.count });
  }
  yield { name: `${base}-cards.glb`, pieces: once(restGlb(base, mesh, atlas, colours, axes, vatCoordinates(layout, vertices, layout.parts[0].count))) };
  report.layout = { kind: 'vertex animation', clip, vertices, framesPerSecond: frames.fps, frames: list.length, width: layout.width, rowsOfAFrame: layout.rows, files, values: png ? 'offset from the rest pose = low + (high − low) × value / 65535, a channel an axis; no colour space, no filtering' : 'offset from the rest pose in red, green, blue, float32; no filtering', ...(png ? { low, high } : {}), normals: 'direction = value / 127.5 − 1', coordinates: 'TEXCOORD_1: u, and v from the top, of a vertex in the first frame of the first texture; a frame later is lower by its rows', unitMetres: receiver.metres, up: receiver.up, hand: receiver.hand };
  yield { name: nameFor(receiver, base, 'vat.json'), pieces: once(encoder.encode(`${JSON.stringify(report.layout, null, 2)}\n`)) };
  if (png) report.reductions.push({ name: '16 bits a channel', of: 'the same vertices as float32', figures: tally.figures, counts: 'vertex' });
  report.notes.push(axesNote(receiver));
}

/** The cards in the rest pose, all vertices in their order; `second`: another set of texture coordinates. */
function restGlb(name: string, mesh: CardMesh, atlas: number, colours: Uint8Array, axes: Axes, second?: Float32Array): Promise<Uint8Array> {
  const document = new Document(), buffer = document.createBuffer();
  document.getRoot().getAsset().generator = 'Fine Comb';
  const { primitive } = cardPrimitive(document, buffer, mesh, cardMaterial(document, atlas, colours), axes);
  if (second) primitive.setAttribute('TEXCOORD_1', accessorIn(document, buffer)('VEC2', second));
  document.createScene(name).addChild(document.createNode(name).setMesh(document.createMesh(name).addPrimitive(primitive)));
  return new WebIO().writeBinary(document);
}
