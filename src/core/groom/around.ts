/** What hair of one mesh of a character must not go through: its clothes, and other large parts of its body. */
import { roleOf, type SwaySettings } from '../document/schema';
import { restPositions, type Character, type CharacterMesh } from '../mesh/character';
import type { Vec3 } from '../math/vec';
import { SkinField } from '../mesh/skin-field';
import { Surface, type SurfacePoint } from '../mesh/surface';

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

/** m: out to here a place is told how far off all that is. */
const REACH = 0.02;
/** The same, ready to be asked. */
export class Surroundings {
  private readonly surface: Surface;
  private readonly field: SkinField;
  private readonly place = new Float64Array(3);
  private readonly normal = new Float64Array(3);
  /** The way from the nearest place to the last one asked about, unit. */
  readonly away: Vec3 = [0, 1, 0];

  /** Null where there is nothing. */
  static of(around: Around | null): Surroundings | null { return around && new Surroundings(around); }
  constructor({ positions, triangles }: Around) {
    this.surface = new Surface(positions, triangles);
    // of either side: what is within goes round it within
    this.field = new SkinField(positions, triangles, false, 1, REACH);
  }
  /** m: how far it is from a place; where that is farther than is known, at least so far. */
  distance(p: Vec3): number {
    const { place, normal, away, field } = this;
    place[0] = p[0]; place[1] = p[1]; place[2] = p[2];
    const d = field.at(place, 0, place, 0, normal);
    if (d === Infinity) return Math.max(REACH, field.beyond);
    away[0] = normal[0]; away[1] = normal[1]; away[2] = normal[2];
    return Math.abs(d);
  }
  /** What a ray meets first. */
  ahead(p: Vec3, direction: Vec3): SurfacePoint | null { return this.surface.raycast(p, direction); }
}
