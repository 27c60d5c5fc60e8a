/** What hair of one mesh of a character must not go through: its clothes, and other large parts of its body. */
import { roleOf, type SwaySettings } from '../document/schema';
import { restPositions, type Character, type CharacterMesh } from '../mesh/character';
import { Surface } from '../mesh/surface';

/** Parts of the body with less than this share of the mesh's triangles (eyes, lashes, brows) are within its skin. */
const SMALL = 0.25;
/** Hair that came as a mesh: what is planted takes its place. */
const HAIR = /hair|wig|beard|moustache/i;

export function meshesAround(character: Character, own: CharacterMesh, hidden: readonly string[], settings: Pick<SwaySettings, 'meshRoles'>, garments = true): CharacterMesh[] {
  return character.meshes.filter((m) => {
    const role = roleOf(m, settings);
    if (m === own || hidden.includes(m.name) || m.triangles.length === 0) return false;
    return role === 'body' ? m.triangles.length >= SMALL * own.triangles.length && !HAIR.test(m.name) : garments && role === 'garment';
  });
}

/** Places (3 × vertices, m) and triangles, all in one. */
export interface Around { positions: Float64Array; triangles: Uint32Array }
/** The same meshes in the rest pose as one; null where there are none. */
export function restAround(character: Character, own: CharacterMesh, hidden: readonly string[], settings: Pick<SwaySettings, 'meshRoles'>): Around | null {
  const parts = meshesAround(character, own, hidden, settings).map((m) => ({ places: restPositions(character, m), triangles: m.triangles }));
  if (parts.length === 0) return null;
  const positions = new Float64Array(parts.reduce((n, p) => n + p.places.length, 0)), triangles = new Uint32Array(parts.reduce((n, p) => n + p.triangles.length, 0));
  let at = 0, t = 0;
  for (const p of parts) {
    positions.set(p.places, at);
    for (let k = 0; k < p.triangles.length; k++) triangles[t + k] = p.triangles[k] + at / 3;
    at += p.places.length;
    t += p.triangles.length;
  }
  return { positions, triangles };
}
export const surfaceOf = (around: Around | null): Surface | null => around && new Surface(around.positions, around.triangles);
