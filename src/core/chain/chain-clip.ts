/** Movement of baked chains as turns of their joints, key by key; and as a clip of the character's own, for other grooms to move in. */
import { Between, BakedView, type Baked } from '../bake/baked';
import { invertAffine, multiplyInto, quatFromAxes } from '../math/mat4';
import type { Character, Clip, Pose } from '../mesh/character';
import { ChainPoser } from './chain-pose';
import { plantChains } from './chains';

/**
 * Turns of the joints `free` against their parents, x y z w a frame of the shot; and s: where in the shot's clip the first of them is. `asOne`: whether
 * they are to be one with that clip's own keys, which are of one time through it. `each` is told every frame: the points, the pose without them, and the turns so far.
 */
export async function jointTurns(baked: Baked, poser: ChainPoser, free: readonly number[], list: readonly number[], asOne: boolean, each: (k: number, frame: number, points: ArrayLike<number>, pose: Pose, turns: readonly Float32Array[]) => void = () => undefined): Promise<{ turns: Float32Array[]; begins: number }> {
  const { character, document: { shot } } = baked, clip = character.clips.find((c) => c.name === shot.clip), first = list[0], last = list[list.length - 1];
  const from = shot.cyclic && clip ? Math.round((clip.begins ?? 0) * shot.fps) : 0;
  if (asOne && clip && (first < from || (shot.cyclic && last > clip.duration * shot.fps + 1))) throw new Error(`Frames ${first} … ${last} are more than once through “${clip.name}” (${from} … ${Math.floor(clip.duration * shot.fps)}), so that its movements and these cannot be one clip. Take frames of one time through, or the chains’ clip by itself.`);
  const turns = free.map(() => new Float32Array(4 * list.length)), local = new Float64Array(16), view = new BakedView(baked), between = new Between(baked);
  for (const [k, frame] of list.entries()) {
    const points = await between.at(frame), pose = view.poseAt(frame), moved = pose.slice();
    poser.into(moved, points);
    free.forEach((n, j) => {
      localTurn(character, moved, n, local);
      const out = turns[j], o = 4 * k, before = o - 4;
      out.set(local.subarray(0, 4), o);
      // the same turn, on the side of the one before
      if (k > 0 && out[o] * out[before] + out[o + 1] * out[before + 1] + out[o + 2] * out[before + 2] + out[o + 3] * out[before + 3] < 0) for (let c = 0; c < 4; c++) out[o + c] *= -1;
    });
    each(k, frame, points, pose, turns);
  }
  return { turns, begins: Math.max(0, first) / shot.fps };
}

/** All frames of a bake of chains as one clip with the other movements of the shot's clip: for the character of the bake without what its roots are planted on. Throws in plain words where that cannot be. */
export async function clipOfChains(baked: Baked, name: string): Promise<Clip> {
  const { document, character, startFrame, endFrame } = baked, { chains, shot } = document, { paths, pointCount, offsets } = plantChains(character, chains), free = paths.flatMap((p) => p.nodes), own = new Set(free), list = Array.from({ length: endFrame - startFrame + 1 }, (_, k) => startFrame + k);
  const { turns, begins } = await jointTurns(baked, new ChainPoser(character, paths, pointCount, offsets), free, list, true), times = Float32Array.from(list, (f) => begins + (f - startFrame) / shot.fps), other = character.clips.find((c) => c.name === shot.clip), first = Math.min(times[0], other ? other.begins ?? 0 : Infinity);
  return {
    name, duration: other?.duration ?? times[times.length - 1], ...(first > 0 ? { begins: first } : {}),
    channels: [...(other?.channels ?? []).filter((c) => !(c.path === 'rotation' && own.has(c.node))), ...free.map((node, j) => ({ node, path: 'rotation' as const, interpolation: 'LINEAR' as const, times, values: turns[j] }))],
  };
}

/** Turn of a node against its parent in a pose: a quaternion, x y z w. */
function localTurn(character: Character, pose: Pose, node: number, out: Float64Array): void {
  const { parent, scale, rotation } = character.nodes[node], inverse = parent >= 0 ? invertAffine(pose, 16 * parent) : null;
  if (parent >= 0 && !inverse) { out.set(rotation); return; }
  if (inverse) multiplyInto(out, 0, inverse, 0, pose, 16 * node); else out.set(pose.subarray(16 * node, 16 * node + 16));
  const axis = (c: number): [number, number, number] => { const s = Math.sign(scale[c]) || 1, l = Math.hypot(out[4 * c], out[4 * c + 1], out[4 * c + 2]) || 1; return [(s * out[4 * c]) / l, (s * out[4 * c + 1]) / l, (s * out[4 * c + 2]) / l]; };
  out.set(quatFromAxes(axis(0), axis(1), axis(2)));
}
