/**
 * How a file's character is brought to metres, to +Y up and +Z ahead: its unit, its axes, a mirror.
 *
 * Unit and mirror are worked into every array, so that what is computed later meets plain rotations only: with D the scaling or
 * the mirror, each node's matrix M becomes D M D⁻¹, each vertex p becomes D p, each inverse bind B becomes D B D⁻¹, and so what is
 * skinned, M B p, becomes D (M B p). Turning is one more node above all others.
 */
import { z } from 'zod';
import { ROLES, type Channel, type Character, type CharacterNode } from './character';

export const UPS = ['+y', '-y', '+z', '-z', '+x', '-x'] as const;
export type Up = (typeof UPS)[number];

/** Metres in a unit that files are made in. */
export const UNITS = { m: 1, cm: 0.01, mm: 0.001, in: 0.0254, ft: 0.3048 } as const;
export type Unit = keyof typeof UNITS;

export const placementSchema = z.object({
  /** m a unit of the file. */
  scale: z.number().min(1e-6).max(1e6),
  up: z.enum(UPS),
  /** Degrees about the upright axis, after it has been set up. */
  turn: z.number().int().min(0).max(359),
  /** Left and right exchanged. */
  mirror: z.boolean(),
});
export type Placement = z.infer<typeof placementSchema>;
export const AS_IT_IS: Placement = { scale: 1, up: '+y', turn: 0, mirror: false };

/** All that is decided about a file before it is stored. */
export const importChoicesSchema = z.object({
  placement: placementSchema,
  /** Whether clips that move one thing each are made one clip. */
  joinClips: z.boolean(),
  /** By mesh name, where it is not the role guessed. */
  roles: z.record(z.string().max(200), z.enum(ROLES)),
});
export type ImportChoices = z.infer<typeof importChoicesSchema>;

type Quat = [number, number, number, number];

/** Quaternion that stands a file's up axis upright, then turns it. */
export function turnOf({ up, turn }: Pick<Placement, 'up' | 'turn'>): Quat {
  const h = Math.SQRT1_2, stand: Record<Up, Quat> = { '+y': [0, 0, 0, 1], '-y': [0, 0, 1, 0], '+z': [-h, 0, 0, h], '-z': [h, 0, 0, h], '+x': [0, 0, h, h], '-x': [0, 0, -h, h] };
  const a = (turn * Math.PI) / 360, [x, y, z, w] = stand[up], s = Math.sin(a), c = Math.cos(a);
  // about y, times what stands it up
  return [c * x + s * z, c * y + s * w, c * z - s * x, c * w - s * y];
}

/** A new character; what is not changed is shared with the old one. */
export function placeCharacter(character: Character, placement: Placement): Character {
  const { scale, mirror } = placement, q = turnOf(placement), turned = Math.abs(q[3]) < 1 - 1e-12;
  let out = character;
  if (scale !== 1 || mirror) out = conjugated(out, scale, mirror);
  return turned ? underTurn(out, q) : out;
}

function conjugated(character: Character, k: number, mirror: boolean): Character {
  const sx = mirror ? -1 : 1;
  /** Every third number from `offset` of places, mirrored and scaled. */
  const places = (a: Float32Array): Float32Array => a.map((v, i) => (i % 3 === 0 ? sx * k * v : k * v));
  const turns = (a: Float32Array): Float32Array => (mirror ? a.map((v, i) => (i % 4 === 1 || i % 4 === 2 ? -v : v)) : a);
  const channel = (c: Channel): Channel => ({ ...c, values: c.path === 'translation' ? places(c.values) : c.path === 'rotation' ? turns(c.values) : c.values });
  return {
    ...character,
    nodes: character.nodes.map(({ translation: [x, y, z], rotation: [a, b, c, w], ...n }): CharacterNode => ({ ...n, translation: [sx * k * x, k * y, k * z], rotation: mirror ? [a, -b, -c, w] : [a, b, c, w] })),
    skins: character.skins.map((s) => ({
      ...s,
      inverseBind: s.inverseBind.map((v, i) => {
        const row = i % 4, column = (i >> 2) % 4, sign = (row === 0 ? sx : 1) * (column === 0 ? sx : 1);
        return column === 3 && row < 3 ? sign * k * v : sign * v;
      }),
    })),
    meshes: character.meshes.map((m) => ({
      ...m, positions: places(m.positions), normals: mirror ? m.normals.map((v, i) => (i % 3 === 0 ? -v : v)) : m.normals,
      triangles: mirror ? flipped(m.triangles) : m.triangles,
      morphs: m.morphs.map((f) => ({ ...f, offsets: places(f.offsets) })),
    })),
    clips: character.clips.map((c) => ({ ...c, channels: c.channels.map(channel) })),
  };
}

function underTurn(character: Character, rotation: Quat): Character {
  const top: CharacterNode = { name: freeName(character, 'upright'), parent: -1, translation: [0, 0, 0], rotation, scale: [1, 1, 1] };
  return {
    ...character,
    nodes: [top, ...character.nodes.map((n) => ({ ...n, parent: n.parent + 1 }))],
    skins: character.skins.map((s) => ({ ...s, joints: s.joints.map((j) => j + 1) })),
    meshes: character.meshes.map((m) => ({ ...m, node: m.node + 1 })),
    clips: character.clips.map((c) => ({ ...c, channels: c.channels.map((h) => ({ ...h, node: h.node + 1 })) })),
  };
}
function freeName({ nodes }: Character, wish: string): string {
  const names = new Set(nodes.map((n) => n.name));
  let name = wish;
  for (let k = 2; names.has(name); k++) name = `${wish} ${k}`;
  return name;
}

/** The same triangles seen from their other side. */
export function flipped(triangles: Uint32Array): Uint32Array {
  const out = triangles.slice();
  for (let t = 0; t + 2 < out.length; t += 3) { out[t + 1] = triangles[t + 2]; out[t + 2] = triangles[t + 1]; }
  return out;
}

/** m: a person's height, and the height of anything hair grows on. Common practice, no source. */
const PERSON = [1.4, 2.1] as const, CREATURE = [0.05, 4] as const;

/** Unit in which something so tall (in units of the file) is the size of a person, or else of some creature, or else nearest to that. */
export function guessUnit(height: number): Unit {
  const units = Object.keys(UNITS) as Unit[], off = (u: Unit): number => { const h = height * UNITS[u]; return h > CREATURE[1] ? h / CREATURE[1] : CREATURE[0] / h; };
  const fits = ([low, high]: readonly [number, number]): Unit | undefined => units.find((u) => height * UNITS[u] >= low && height * UNITS[u] <= high);
  return fits(PERSON) ?? fits(CREATURE) ?? (height > 0 && Number.isFinite(height) ? units.reduce((best, u) => (off(u) < off(best) ? u : best)) : 'm');
}
/** Whether something that comes out so tall, m, has its unit right as far as can be told: no mountain and no mite. */
export const plausibleHeight = (height: number): boolean => height > CREATURE[0] / 5 && height < CREATURE[1] * 5;

/** Up axis of a file whose box is given: what it says (+Y), unless all of it lies flat and stands on z = 0. */
export function guessUp(low: ArrayLike<number>, high: ArrayLike<number>): Up {
  const size = [0, 1, 2].map((c) => high[c] - low[c]);
  const lying = size[2] > 2.5 * size[1] && size[2] > 1.2 * size[0] && Math.abs(low[2]) < 0.05 * size[2];
  return lying ? '+z' : '+y';
}
