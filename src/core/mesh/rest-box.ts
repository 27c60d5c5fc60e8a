import { poseCharacter, skinPositions, type Character } from './character';

export interface Box { low: [number, number, number]; high: [number, number, number] }

/** Box round points, 3 × n. */
export function boxOfPoints(P: ArrayLike<number>, box: Box = { low: [Infinity, Infinity, Infinity], high: [-Infinity, -Infinity, -Infinity] }): Box {
  const { low, high } = box;
  for (let i = 0; i < P.length; i++) { const c = i % 3; if (P[i] < low[c]) low[c] = P[i]; if (P[i] > high[c]) high[c] = P[i]; }
  return box;
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
