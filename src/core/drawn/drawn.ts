/**
 * Chains that are drawn through meshes which have no joints for it: a plait, a tail, a whole head of hair that is a plain mesh. The lines
 * that were drawn become joints, and the meshes hang on them by weights. A document has the drawing, and what was last made of it.
 */
import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { z } from 'zod';
import { findNode, type Character, type CharacterMesh } from '../mesh/character';

export const MOST_LINES = 64, MOST_CLICKS = 60, MOST_DRAWN_JOINTS = 40;
const id = z.string().min(1).max(40), name = z.string().min(1).max(60), bufferId = z.string().regex(/^[0-9a-f]{64}$/), number = z.number().min(-1000).max(1000);
/** Places, 3 each, m, in the rest pose. */
const places = (least: number, most: number): z.ZodType<number[]> => z.array(number).min(3 * least).max(3 * most).refine((p) => p.length % 3 === 0, { message: 'A place has three numbers.' });

export const drawnLineSchema = z.object({ id, name, places: places(1, MOST_CLICKS), joints: z.number().int().min(1).max(MOST_DRAWN_JOINTS) });
export type DrawnLine = z.infer<typeof drawnLineSchema>;

export const WEIGHTS_BY = ['inside', 'along'] as const;
export type WeightsBy = (typeof WEIGHTS_BY)[number];

/** What meshes hang on: joints of each line (their places and the tip's) and, mesh by mesh, four of them to a vertex. */
export const givenSchema = z.object({
  carrier: z.string().max(200),
  lines: z.array(z.object({
    id, name, places: places(2, MOST_DRAWN_JOINTS + 1),
    /** Of meshes that had joints already: by place, what moves the mesh there as it came (keys of nodes) and how much; where hold draws it to. */
    held: z.array(z.array(z.tuple([z.string().max(200), z.number().min(0).max(1)])).max(4)).max(MOST_DRAWN_JOINTS + 1).optional(),
  })).min(1).max(MOST_LINES),
  meshes: z.array(z.string()).min(1).max(40),
  /** `packInfluences`, one mesh after the other. */
  weights: bufferId,
  /** `drawnKey` of the drawing it was made of. */
  of: z.string().length(64),
});
export type Given = z.infer<typeof givenSchema>;

export const drawnSchema = z.object({
  meshes: z.array(z.string().min(1).max(200)).min(1).max(40),
  lines: z.array(drawnLineSchema).max(MOST_LINES).refine((l) => new Set(l.map((x) => x.id)).size === l.length, { message: 'Two lines have the same id.' }),
  /** Node that carries the first joints; '' for what the first of the meshes hangs on. */
  carrier: z.string().max(200),
  by: z.enum(WEIGHTS_BY),
  /** So far along its line a mesh stays with what carries it, mm. */
  stillMm: z.number().min(0).max(2000),
  /** By line, or `STILL`: f32 a vertex, 0 … 1, the share that was painted to it; one mesh after the other. */
  painted: z.array(z.object({ id, map: bufferId })).max(MOST_LINES + 1),
  given: givenSchema.nullable(),
});
export type Drawn = z.infer<typeof drawnSchema>;
/** What is painted to stay with the animation. */
export const STILL = 'still';

export const newDrawn = (meshes: readonly string[]): Drawn => ({ meshes: [...meshes], lines: [], carrier: '', by: 'inside', stillMm: 0, painted: [], given: null });

/** Key of all that joints and weights of a drawing come from. */
export const drawnKey = ({ meshes, lines, carrier, by, stillMm, painted }: Drawn): string => bytesToHex(sha256(utf8ToBytes(JSON.stringify([meshes, lines.map((l) => [l.id, l.name, l.places, l.joints]), carrier, by, stillMm, painted.map((p) => [p.id, p.map])]))));

/** Meshes of a drawing, as far as the character has them. */
export const meshesOf = (character: Character, names: readonly string[]): CharacterMesh[] => names.flatMap((n) => character.meshes.find((m) => m.name === n) ?? []);

/** Node that carries drawn chains; −1 for none. */
export function carrierOf(character: Character, drawn: Pick<Drawn, 'carrier' | 'meshes'>): number {
  if (drawn.carrier !== '') return findNode(character, drawn.carrier);
  const mesh = character.meshes.find((m) => m.name === drawn.meshes[0]);
  if (!mesh) return -1;
  if (mesh.skin < 0) return mesh.node;
  // the joint that most of it hangs on
  const joints = character.skins[mesh.skin].joints, sums = new Float64Array(joints.length);
  for (let k = 0; k < mesh.weights.length; k++) sums[mesh.joints[k]] += mesh.weights[k];
  return joints[sums.reduce((best, w, j) => (w > sums[best] ? j : best), 0)];
}

/**
 * A smooth line through places (3 each), evened: `count` + 1 places so far from one another along it as each other. **Source:** cubic
 * through points, Catmull and Rom 1974, centripetal; from memory.
 */
export function evened(through: readonly number[], count: number): number[] {
  const n = through.length / 3, at = (i: number, c: number): number => i < 0 ? 2 * through[c] - through[3 + c] : i >= n ? 2 * through[3 * (n - 1) + c] - through[3 * (n - 2) + c] : through[3 * i + c], fine: number[] = [], FINE = 24;
  for (let i = 0; i + 1 < n; i++) {
    const P = [-1, 0, 1, 2].map((d) => [0, 1, 2].map((c) => at(i + d, c))), T = [0];
    for (let k = 0; k < 3; k++) T.push(T[k] + Math.max(1e-9, Math.sqrt(Math.hypot(...P[k + 1].map((v, c) => v - P[k][c])))));
    for (let f = i === 0 ? 0 : 1; f <= FINE; f++) {
      const t = T[1] + (f / FINE) * (T[2] - T[1]), mix = (a: number[], b: number[], t0: number, t1: number): number[] => a.map((v, c) => ((t1 - t) * v + (t - t0) * b[c]) / (t1 - t0));
      const a = mix(P[0], P[1], T[0], T[1]), b = mix(P[1], P[2], T[1], T[2]), c = mix(P[2], P[3], T[2], T[3]);
      fine.push(...mix(mix(a, b, T[0], T[2]), mix(b, c, T[1], T[3]), T[1], T[2]));
    }
  }
  const m = fine.length / 3, arc = new Float64Array(m);
  for (let k = 1; k < m; k++) arc[k] = arc[k - 1] + Math.hypot(fine[3 * k] - fine[3 * k - 3], fine[3 * k + 1] - fine[3 * k - 2], fine[3 * k + 2] - fine[3 * k - 1]);
  const out: number[] = [];
  for (let j = 0, k = 1; j <= count; j++) {
    const s = (j / count) * arc[m - 1];
    while (k < m - 1 && arc[k] < s) k++;
    const t = arc[k] > arc[k - 1] ? Math.min(1, Math.max(0, (s - arc[k - 1]) / (arc[k] - arc[k - 1]))) : 0;
    for (let c = 0; c < 3; c++) out.push(fine[3 * k - 3 + c] + t * (fine[3 * k + c] - fine[3 * k - 3 + c]));
  }
  return out;
}

/** m: shortest line that can be made a chain. */
const SHORTEST = 0.002;
/** What keeps a drawing from being made joints, in plain words; null where nothing does. */
export function troubleWithDrawn(character: Character, drawn: Drawn): string | null {
  const gone = drawn.meshes.find((n) => !character.meshes.some((m) => m.name === n));
  if (gone !== undefined) return `This character has no mesh “${gone}” any more. Choose the meshes again.`;
  if (drawn.lines.length === 0) return 'No chain is drawn yet. Click along the mesh from where it is fixed to its tip.';
  if (carrierOf(character, drawn) < 0) return `This character has no joint “${drawn.carrier}”. Choose again what carries the chains.`;
  for (const { name: n, places: p, joints } of drawn.lines) {
    if (p.length < 6) return `“${n}” has one place only. Click its tip as well, or take it away.`;
    let length = 0;
    for (let k = 3; k < p.length; k += 3) length += Math.hypot(p[k] - p[k - 3], p[k + 1] - p[k - 2], p[k + 2] - p[k - 1]);
    if (length < SHORTEST * joints) return `“${n}” is ${(1000 * length).toFixed(1)} mm long, too short for ${joints} joint${joints === 1 ? '' : 's'}. Draw it longer or give it fewer.`;
  }
  return null;
}

/** Names of the joints of drawn lines on this character: the line's and a number, none used twice. */
export function jointNames(character: Character, lines: readonly { name: string; places: readonly number[] }[]): string[][] {
  const taken = new Set(character.nodes.map((n) => n.name));
  return lines.map(({ name: base, places: p }) => Array.from({ length: p.length / 3 - 1 }, (_, j) => {
    let out = `${base} ${j + 1}`;
    for (let k = 2; taken.has(out); k++) out = `${base} ${j + 1} (${k})`;
    taken.add(out);
    return out;
  }));
}
