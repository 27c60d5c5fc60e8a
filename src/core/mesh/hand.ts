/** A joint, or the whole character, moved by hand: everything that hangs on it goes along. */
import { multiplyInto } from '../math/mat4';
import type { Character, Pose } from './character';

/** `node` −1: all of it. Turned by the quaternion about the joint's own place (of all: about `about`), then shifted, m. */
export interface Hand { node: number; turn: readonly [number, number, number, number]; shift: readonly [number, number, number]; about: readonly [number, number, number] }
export const noHand = (node: number, about: readonly [number, number, number] = [0, 0, 0]): Hand => ({ node, turn: [0, 0, 0, 1], shift: [0, 0, 0], about });

/** Moves a pose (16 numbers a node, column by column) in place. */
export function applyHand(pose: Pose, character: Character, hand: Hand | null): void {
  if (!hand) return;
  const [x, y, z, w] = hand.turn, c = hand.node >= 0 ? [pose[16 * hand.node + 12], pose[16 * hand.node + 13], pose[16 * hand.node + 14]] : hand.about;
  const M = Float64Array.of(1 - 2 * (y * y + z * z), 2 * (x * y + w * z), 2 * (x * z - w * y), 0, 2 * (x * y - w * z), 1 - 2 * (x * x + z * z), 2 * (y * z + w * x), 0, 2 * (x * z + w * y), 2 * (y * z - w * x), 1 - 2 * (x * x + y * y), 0, 0, 0, 0, 1);
  for (let k = 0; k < 3; k++) M[12 + k] = c[k] + hand.shift[k] - (M[k] * c[0] + M[4 + k] * c[1] + M[8 + k] * c[2]);
  const moved = new Float64Array(16), goes = new Uint8Array(character.nodes.length);
  character.nodes.forEach((n, i) => {
    goes[i] = hand.node < 0 || i === hand.node || (n.parent >= 0 && goes[n.parent] === 1) ? 1 : 0;
    if (goes[i] === 0) return;
    multiplyInto(moved, 0, M, 0, pose, 16 * i);
    pose.set(moved, 16 * i);
  });
}
