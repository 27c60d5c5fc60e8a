import { poseCharacter, skinPositions, type Character } from './character';

export interface Box { low: [number, number, number]; high: [number, number, number] }

/** Box round points, 3 × n. */
export function boxOfPoints(P: ArrayLike<number>, box: Box = { low: [Infinity, Infinity, Infinity], high: [-Infinity, -Infinity, -Infinity] }): Box {
  const { low, high } = box;
  for (let i = 0; i < P.length; i++) { const c = i % 3; if (P[i] < low[c]) low[c] = P[i]; if (P[i] > high[c]) high[c] = P[i]; }
  return box;
}

/** m: a character whose longest side is between these has the usual lengths of everything; one that is smaller or larger has them by as much smaller or larger. */
const SMALL = 0.8, LARGE = 3;
/** How much longer than usual is what a character begins with: hair, brushes, distances. */
export function usualScale(character: Character): number {
  const { low, high } = restBox(character), longest = Math.max(high[0] - low[0], high[1] - low[1], high[2] - low[2]);
  return !(longest > 0) ? 1 : longest < SMALL ? longest / SMALL : Number.isFinite(longest) && longest > LARGE ? longest / LARGE : 1;
}

/** Box round the body and what it wears in the rest pose; round everything where there is no body. */
export function restBox(character: Character): Box {
  const pose = poseCharacter(character, null, 0), own = character.meshes.filter((m) => m.role === 'body' || m.role === 'garment'), box = boxOfPoints([]);
  for (const mesh of own.length > 0 ? own : character.meshes) {
    const P = new Float64Array(mesh.positions.length);
    skinPositions(character, mesh, pose, P);
    boxOfPoints(P, box);
  }
  return box;
}
