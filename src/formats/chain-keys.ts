/** Chains handed over as keys on the character's own joints: its own file with one clip more. */
import { jointTurns } from '../core/chain/chain-clip';
import { ChainPoser } from '../core/chain/chain-pose';
import { plantChains } from '../core/chain/chains';
import type { Baked } from '../core/bake/baked';
import { ErrorTally } from '../core/bake/error-tally';
import { nameFor, type HandOver, type HandOverReport } from '../core/document/hand-over';
import { composeInto, multiplyInto } from '../core/math/mat4';
import { AS_IT_IS, turnOf } from '../core/mesh/placement';
import type { Pose } from '../core/mesh/character';
import { glbOf, nodeOrder, withClip } from './clip-glb';
import { withDrawnJoints } from './drawn-glb';

/** The character's file with a clip of the chains' joints. Throws in plain words where its joints are not in that file. */
export async function chainKeys(baked: Baked, source: Awaited<ReturnType<NonNullable<Baked['source']>>>, wish: HandOver, base: string, frames: { fps: number; list: readonly number[] }, report: HandOverReport, tell: (share: number) => void): Promise<{ name: string; bytes: Uint8Array }> {
  const { document, character } = baked, { chains, shot } = document, { paths, pointCount, offsets } = plantChains(character, chains), poser = new ChainPoser(character, paths, pointCount, offsets);
  const own = glbOf(source.files), placement = source.placement ?? AS_IT_IS, order = nodeOrder(own), shift = Math.abs(turnOf(placement)[3]) < 1 - 1e-12 ? 1 : 0, free = paths.flatMap((p) => p.nodes);
  const fileNode = (n: number): number => { const at = order[n - shift]; return at && (at.name.slice(0, 120) || `joint ${n - shift}`) === character.nodes[n].name ? at.node : -1; }, made = document.drawn?.given, drawn = made ? withDrawnJoints(own, character, made, placement, fileNode) : null, glb = drawn?.bytes ?? own;
  const nodes = free.map((n) => {
    const node = drawn?.nodes.get(n) ?? fileNode(n), { name } = character.nodes[n];
    if (node < 0) throw new Error(`The joint “${name}” is not in the file the character came in: it was put on later, with a garment. Bring in one file with both to hand its movement over.`);
    return node;
  });
  // where in the points each joint is
  const at = paths.flatMap((p, g) => p.nodes.map((_, i) => 3 * (g * pointCount + p.at[i])));
  const tally = new ErrorTally(), forward: Pose = new Float64Array(16 * character.nodes.length);
  const { turns, begins } = await jointTurns(baked, poser, free, frames.list, wish.merge, (k, frame, points, pose, turns) => {
    // as a receiver puts it together: these turns, and places as in the rest pose
    forward.set(pose.subarray(0, forward.length));
    free.forEach((n, j) => {
      const { parent, translation: t, scale: s } = character.nodes[n], q = turns[j], own = new Float64Array(16);
      composeInto(own, 0, t[0], t[1], t[2], q[4 * k], q[4 * k + 1], q[4 * k + 2], q[4 * k + 3], s[0], s[1], s[2]);
      if (parent >= 0) multiplyInto(forward, 16 * n, forward, 16 * parent, own, 0); else forward.set(own, 16 * n);
      tally.take(Math.hypot(...[0, 1, 2].map((c) => forward[16 * n + 12 + c] - points[at[j] + c])), frame, j);
    });
    tell(k / frames.list.length);
  });
  const first = frames.list[0];
  // a mirrored character's turns are those of its file, mirrored
  if (placement.mirror) for (const t of turns) for (let o = 0; o < t.length; o += 4) { t[o + 1] *= -1; t[o + 2] *= -1; }
  const added = withClip(glb, { name: wish.merge ? `${shot.clip || document.shotName} with chains` : `${document.shotName} chains`, times: Float32Array.from(frames.list, (frame) => begins + (frame - first) / shot.fps), turns: nodes.map((node, j) => ({ node, values: turns[j] })), with: wish.merge && shot.clip !== '' ? shot.clip : null });
  report.counts.push(['chains', chains.length], ['joints', free.length], ['keys of each', frames.list.length]);
  report.reductions.push({ name: `keys on ${free.length} joints`, of: 'the joints as they were computed', figures: tally.figures, counts: 'joint' });
  report.notes.push(added.merged ? `The clip “${added.name}” is “${shot.clip}” with these joints moved: ${added.merged.kept} of its movements are as they were${added.merged.replaced.length > 0 ? `, and the turns of ${[...new Set(added.merged.replaced)].join(', ')} are the chains’ instead` : ''}. The file’s own clips are untouched.` : `The clip “${added.name}” moves the chains’ joints and nothing else; it is played together with “${shot.clip || 'the rest pose'}”. The file’s own clips are untouched.`, ...(first < 0 ? [`It begins ${-first} frames before “${shot.clip}” does.`] : begins > 0 ? [`Its first key is at ${begins.toFixed(3)} s, where frame ${first} is in “${shot.clip || 'the shot'}”.`] : []), 'In the character’s own unit and axes, as it came.');
  if (made) report.notes.push(`${made.meshes.map((n) => `“${n}”`).join(', ')} had no joints for this; ${made.lines.length === 1 ? 'those of one chain' : `those of ${made.lines.length} chains`} were put to the file, and ${made.meshes.length === 1 ? 'it is' : 'they are'} skinned with them. Every other mesh is as it came.`);
  report.layout = { clip: added.name, with: added.merged ? null : shot.clip, placement, begins, joints: free.map((n, j) => ({ node: nodes[j], name: character.nodes[n].name, guide: Math.floor(at[j] / 3 / pointCount), point: (at[j] / 3) % pointCount })) };
  return { name: nameFor(wish.receiver, base, 'keys.glb'), bytes: added.bytes };
}
