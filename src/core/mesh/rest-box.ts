import { poseCharacter, skinPositions, type Character } from './character';

/** Box round the body and what it wears in the rest pose; round everything where there is no body. */
export function restBox(character: Character): { low: [number, number, number]; high: [number, number, number] } {
  const low: [number, number, number] = [Infinity, Infinity, Infinity], high: [number, number, number] = [-Infinity, -Infinity, -Infinity], pose = poseCharacter(character, null, 0);
  const own = character.meshes.filter((m) => m.role === 'body' || m.role === 'garment');
  for (const mesh of own.length > 0 ? own : character.meshes) {
    const P = new Float64Array(mesh.positions.length);
    skinPositions(character, mesh, pose, P);
    for (let i = 0; i < P.length; i++) { const c = i % 3; if (P[i] < low[c]) low[c] = P[i]; if (P[i] > high[c]) high[c] = P[i]; }
  }
  return { low, high };
}

