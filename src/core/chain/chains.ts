/**
 * Chains: joints of a character that are moved as rods. A chain is a line of joints, each hung on the one before; its first ones can
 * stay with the animation. The rod begins at the first joint that does not, is carried by the one that joint hangs on, and goes through all
 * joints behind it and on to the tip.
 *
 * To the rest of the program a chain is a guide: its root is planted on a small mesh (`withChainRoots`) that has a triangle at each
 * node, carried by what the node hangs on, so that runs, takes, proof and bakes take chains as they are.
 */
import { z } from 'zod';
import { invertAffine } from '../math/mat4';
import { findNode, leadingNodes, nodeKey, poseCharacter, restPositions, type Character, type CharacterMesh } from '../mesh/character';
import type { Planting } from '../groom/planting';

/** Mesh that the roots of chains are planted on: the triangle of a node has its number. */
export const CHAIN_ROOTS = 'roots of chains';
/** m: edge of such a triangle. */
const TRIANGLE = 0.0005;

export const MOST_JOINTS = 60;
export const chainSchema = z.object({
  id: z.string().min(1).max(40), name: z.string().min(1).max(60),
  /** Keys of its joints, from the root on. */
  joints: z.array(z.string().min(1).max(200)).min(1).max(MOST_JOINTS),
  /** How many of them stay with the animation. */
  kept: z.number().int().min(0).max(MOST_JOINTS),
  /** Degrees that a joint may bend from where the rest pose has it against the one before; null: any. */
  bendDeg: z.number().min(0).max(180).nullable().default(null),
}).refine((c) => c.kept < c.joints.length, { message: 'At least one joint of a chain must be free.', path: ['kept'] });
export type Chain = z.infer<typeof chainSchema>;
/** Bend limits, rad, in the order of the chains. */
export const bendLimits = (chains: readonly Chain[]): Float64Array => Float64Array.from(chains, (c) => (c.bendDeg === null ? Infinity : (c.bendDeg * Math.PI) / 180));

/** Words in the names of what hangs on characters. Common practice, no source. */
const HANGS = new Set('tail hair braid plait pony ponytail pigtail mane lock fringe bangs ear skirt coat cape cloak scarf ribbon strap rope chain cord belt sleeve beard feather fin tentacle antenna tassel earring dress robe veil trunk whisker bow lace flap'.split(' '));
const hangs = (name: string): boolean => name.split(/[^A-Za-z]+|(?<=[a-z])(?=[A-Z])/).some((w) => HANGS.has(w.toLowerCase()) || HANGS.has(w.toLowerCase().replace(/s$/, '')));

/** Nodes that are joints of a skin; the skin of the roots of chains does not count. */
export function jointsOf(character: Character): Set<number> {
  const roots = character.meshes.find((m) => m.name === CHAIN_ROOTS)?.skin;
  return new Set(character.skins.flatMap((s, k) => (k === roots ? [] : [...s.joints])));
}

/** What may be moved so: runs of joints each of which has one joint hung on it, to their ends; those that look like it first. A single joint only where it does. */
export function findChains(character: Character): { joints: string[]; likely: boolean }[] {
  const joints = jointsOf(character), below = (n: number): number[] => character.nodes.flatMap((c, i) => (c.parent === n && joints.has(i) ? [i] : [])), out: { joints: string[]; likely: boolean }[] = [];
  for (const end of joints) {
    if (below(end).length > 0) continue;
    const line = [end];
    for (let n = character.nodes[end].parent; n >= 0 && joints.has(n) && below(n).length === 1; n = character.nodes[n].parent) line.unshift(n);
    const likely = line.some((n) => hangs(character.nodes[n].name));
    if (line.length >= 2 || likely) out.push({ joints: line.map((n) => nodeKey(character, n)), likely });
  }
  return out.sort((a, b) => Number(b.likely) - Number(a.likely));
}

/**
 * Joints that are meant, as lines in which each hangs on the one before it; `forked`: the joint on which two of them hang, for which there is no line.
 */
export function linesOf(character: Character, meant: (joint: number) => boolean): { lines: string[][]; forked: string | null } {
  const chosen = [...jointsOf(character)].filter(meant).sort((a, b) => a - b), among = new Set(chosen), below = (n: number): number[] => chosen.filter((c) => character.nodes[c].parent === n), lines: string[][] = [];
  for (const top of chosen) {
    if (among.has(character.nodes[top].parent)) continue;
    const line = [top];
    for (let next = below(top); next.length > 0; next = below(next[0])) {
      if (next.length > 1) return { lines: [], forked: nodeKey(character, line[line.length - 1]) };
      line.push(next[0]);
    }
    lines.push(line.map((n) => nodeKey(character, n)));
  }
  return { lines, forked: null };
}

/** What is wrong with chains on this character, in plain words; null where nothing is. */
export function troubleWith(character: Character, chains: readonly Chain[]): string | null {
  const taken = new Map<number, string>();
  for (const { name, joints, kept } of chains) {
    const nodes = joints.map((key) => findNode(character, key)), gone = nodes.findIndex((n) => n < 0);
    if (gone >= 0) return `“${name}”: this character has no joint “${joints[gone]}”. Choose the chain’s joints again.`;
    for (let i = 1; i < nodes.length; i++) {
      if (character.nodes[nodes[i]].parent !== nodes[i - 1]) return `“${name}”: the joint “${joints[i]}” does not hang on “${joints[i - 1]}”. A chain goes from joint to joint; one that branches is several chains.`;
    }
    if (new Set(nodes).size < nodes.length) return `“${name}” comes back to a joint it has already. A chain cannot be a ring.`;
    for (const n of nodes.slice(kept)) {
      const other = taken.get(n);
      if (other !== undefined) return `The joint “${nodeKey(character, n)}” is moved by “${other}” and by “${name}”. Leave it to one of them: let the other keep more joints, or end it earlier.`;
      taken.set(n, name);
    }
    const places = pathOf(character, { joints, kept }).places;
    for (let i = 3; i < places.length; i += 3) if (Math.hypot(places[i] - places[i - 3], places[i + 1] - places[i - 2], places[i + 2] - places[i - 1]) < 1e-5) return `“${name}”: two of its joints stand in one place. Leave one of them out.`;
  }
  // what carries a chain must not be moved itself
  for (const { name, joints, kept } of chains) for (let n = character.nodes[findNode(character, joints[kept])].parent; n >= 0; n = character.nodes[n].parent) {
    const other = taken.get(n);
    if (other !== undefined) return `“${name}” hangs on “${nodeKey(character, n)}”, which “${other}” moves. A chain cannot hang on another: make them one chain, or let “${other}” keep that joint.`;
  }
  return null;
}

/** The character with the mesh that roots of chains are planted on. */
export function withChainRoots(character: Character): Character {
  if (character.meshes.some((m) => m.name === CHAIN_ROOTS)) return character;
  const rest = poseCharacter(character, null, 0), n = character.nodes.length, positions = new Float32Array(9 * n), inverseBind = new Float32Array(16 * n), h = (TRIANGLE * Math.sqrt(3)) / 2;
  for (let i = 0; i < n; i++) {
    const inverse = invertAffine(rest, 16 * i), [x, y, z] = [rest[16 * i + 12], rest[16 * i + 13], rest[16 * i + 14]];
    // its middle is the joint; what hangs on nothing carries itself
    positions.set([x - TRIANGLE / 2, y, z + h / 3, x + TRIANGLE / 2, y, z + h / 3, x, y, z - (2 * h) / 3], 9 * i);
    if (inverse) inverseBind.set(inverse, 16 * i); else for (let c = 0; c < 4; c++) inverseBind[16 * i + 5 * c] = 1;
  }
  const mesh: CharacterMesh = {
    name: CHAIN_ROOTS, role: 'prop', node: 0, skin: character.skins.length, positions, normals: new Float32Array(9 * n).fill(0).map((_, k) => (k % 3 === 1 ? 1 : 0)), triangles: Uint32Array.from({ length: 3 * n }, (_, k) => k), colors: new Float32Array(0),
    joints: Uint16Array.from({ length: 12 * n }, (_, k) => { const i = Math.floor(k / 12), { parent } = character.nodes[i]; return k % 4 > 0 ? 0 : parent >= 0 ? parent : i; }), weights: Float32Array.from({ length: 12 * n }, (_, k) => (k % 4 === 0 ? 1 : 0)), hair: new Float32Array(0), groups: [], morphs: [], morphRest: new Float32Array(0),
  };
  return { ...character, skins: [...character.skins, { joints: Uint16Array.from({ length: n }, (_, i) => i), inverseBind }], meshes: [...character.meshes, mesh] };
}

/** Share of a last bone that its tip is taken to be from its joint where no skin says so. Common practice, no source. */
const BARE_TIP = 0.6;
/** Skin whose middle is nearer its joint than this share of its reach lies around it and leads nowhere. Common practice, no source. */
const SIDED = 0.15;
/** Places of the vertices that a node leads, in the rest pose, 3 each. */
function ledSkin(character: Character, node: number): number[] {
  const out: number[] = [];
  for (const mesh of character.meshes) {
    if (mesh.skin < 0 || mesh.name === CHAIN_ROOTS) continue;
    const lead = leadingNodes(character, mesh);
    if (!lead.includes(node)) continue;
    const P = restPositions(character, mesh);
    for (let v = 0; v < lead.length; v++) if (lead[v] === node) out.push(P[3 * v], P[3 * v + 1], P[3 * v + 2]);
  }
  return out;
}
/** Nodes of a chain's rod and where they stand in the rest pose, 3 each, m; after the last joint comes the tip. */
function pathOf(character: Character, { joints, kept }: Pick<Chain, 'joints' | 'kept'>): { nodes: number[]; places: Float64Array } {
  const rest = poseCharacter(character, null, 0), nodes = joints.slice(kept).map((key) => findNode(character, key)), places = new Float64Array(3 * (nodes.length + 1));
  nodes.forEach((n, i) => { for (let c = 0; c < 3; c++) places[3 * i + c] = rest[16 * n + 12 + c]; });
  // the tip lies where the skin that the last joint leads goes on to; without any, as the bone that leads to it goes on
  const last = nodes.length - 1, b = 3 * last, before = last > 0 ? nodes[last - 1] : character.nodes[nodes[0]].parent, led = ledSkin(character, nodes[last]), bone = [0, 1, 2].map((c) => places[b + c] - (before < 0 ? 0 : rest[16 * before + 12 + c])), length = Math.hypot(...bone);
  const along = (way: readonly number[], v: number): number => way.reduce((s, w, c) => s + w * (led[v + c] - places[b + c]), 0), reach = (way: readonly number[]): number => { let far = 0; for (let v = 0; v < led.length; v += 3) far = Math.max(far, along(way, v)); return far; }, unit = (v: readonly number[]): number[] => { const l = Math.hypot(...v); return l > 1e-9 ? v.map((x) => x / l) : [0, -1, 0]; };
  const middle = [0, 1, 2].map((c) => led.reduce((s, v, k) => (k % 3 === c ? s + v - places[b + c] : s), 0) / Math.max(1, led.length / 3)), toSkin = unit(middle), far = reach(toSkin), leads = far > 1e-4 && Math.hypot(...middle) > SIDED * far, way = leads || length < 1e-6 ? toSkin : unit(bone), on = leads ? far : Math.max(1e-3, reach(way) > 0.05 * length ? reach(way) : BARE_TIP * length);
  for (let c = 0; c < 3; c++) places[b + 3 + c] = places[b + c] + on * way[c];
  return { nodes, places };
}

export interface ChainPath {
  /** Node that carries it; −1 for none. */
  carrier: number;
  /** Nodes of the joints from the one the rod begins at. */
  nodes: number[];
  /** Point of the guide that each stands at, and the tip's. */
  at: number[];
}
export interface PlantedChains { planting: Planting; offsets: Float32Array; pointCount: number; paths: ChainPath[] }

/** Points of a guide at the least. */
const FEWEST = 4;
/** Chains as guides: every joint is a point of its guide, and no other between, so that links are as stiff as bones; points that other chains have more lie between the last joint and the tip. Throws where `troubleWith` has something to say. */
export function plantChains(character: Character, chains: readonly Chain[]): PlantedChains {
  const trouble = troubleWith(character, chains);
  if (trouble) throw new Error(trouble);
  const found = chains.map((c) => pathOf(character, c)), pointCount = Math.min(64, Math.max(FEWEST, ...found.map((f) => f.nodes.length + 1))), offsets = new Float32Array(3 * pointCount * chains.length);
  const paths = found.map(({ nodes, places }, g): ChainPath => {
    const at = [0];
    nodes.forEach((_, i) => {
      // behind the last joint there is nothing that a bend could draw nearer
      const n = i < nodes.length - 1 ? 1 : pointCount - nodes.length;
      for (let k = 1; k <= n; k++) for (let c = 0; c < 3; c++) offsets[3 * (g * pointCount + at[i] + k) + c] = places[3 * i + c] + (k / n) * (places[3 * i + 3 + c] - places[3 * i + c]) - places[c];
      at.push(at[i] + n);
    });
    return { carrier: character.nodes[nodes[0]].parent, nodes, at };
  });
  return { planting: { faces: Uint32Array.from(found, (f) => f.nodes[0]), weights: new Float32Array(2 * chains.length).fill(1 / 3) }, offsets, pointCount, paths };
}

/** Nodes that chains move, and all that hangs on them. */
export function movedNodes(character: Character, chains: readonly Chain[]): Set<number> {
  const out = new Set(chains.flatMap((c) => c.joints.slice(c.kept).map((k) => findNode(character, k))).filter((n) => n >= 0));
  character.nodes.forEach((n, i) => { if (n.parent >= 0 && out.has(n.parent)) out.add(i); });
  return out;
}

/** How meshes collide with chains to begin with: the skin as pills but for those of the chains' own joints, and never what the chains move. */
export function chainColliders(character: Character, chains: readonly Chain[]): { meshes: Record<string, 'pills' | 'off'>; without: string[] } {
  if (chains.length === 0) return { meshes: {}, without: [] };
  const moved = movedNodes(character, chains), meshes: Record<string, 'pills' | 'off'> = {};
  for (const mesh of character.meshes) if (mesh.name !== CHAIN_ROOTS && leadingNodes(character, mesh).some((n) => moved.has(n))) meshes[mesh.name] = mesh.role === 'body' ? 'pills' : 'off';
  return { meshes, without: [...moved].map((n) => nodeKey(character, n)) };
}
