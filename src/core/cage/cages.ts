/** Coarse boxes of points that swing and take along the hair inside them: the light way to movement. Every parameter's range, unit, default and explanation stands here. */
import { z } from 'zod';
import { defaultsOf, numbers, parameter as p, type Parameter } from '../document/parameter';
import { cageRound, turnedAbout } from '../groom/comb/cage';

export const CAGE_PARAMETERS = {
  points: p('Points', '', 2, 5, 1, 3, 'Along each edge of the box; more of them swing in smaller waves.', true),
  x: p('x', 'm', -1000, 1000, 0.001, 0, 'Middle of the box, in the rest pose.'),
  y: p('y', 'm', -1000, 1000, 0.001, 1, 'Middle of the box, in the rest pose: height.'),
  z: p('z', 'm', -1000, 1000, 0.001, 0, 'Middle of the box, in the rest pose.'),
  wide: p('Wide', 'cm', 1, 1000, 0.5, 30, 'Along the box’s own x.'),
  high: p('High', 'cm', 1, 1000, 0.5, 30, 'Along the box’s own y.'),
  deep: p('Deep', 'cm', 1, 1000, 0.5, 30, 'Along the box’s own z.'),
  turnX: p('Turn x', '°', -180, 180, 1, 0, 'The box is turned about x, then y, then z.'),
  turnY: p('Turn y', '°', -180, 180, 1, 0, 'The box is turned about x, then y, then z.'),
  turnZ: p('Turn z', '°', -180, 180, 1, 0, 'The box is turned about x, then y, then z.'),
  softCm: p('Soft edge', 'cm', 0, 100, 0.5, 3, 'Hair outside the box goes along less and less over so much.'),
  hz: p('Swings', 'Hz', 0.2, 15, 0.05, 1.6, 'How often in a second a point of it swings about where its joint has it.'),
  damping: p('Dies away', '×', 0, 3, 0.01, 0.22, 'Damping, as a share of that with which nothing swings back: 0 swings on for ever, 1 comes back without swinging.'),
  weightG: p('Weight', 'g', 0.1, 20000, 1, 60, 'What the whole cage weighs; heavier, its springs do less against its swing.'),
  firm: p('Springs', 'N/m', 0, 2000, 0.1, 4, 'How strongly points beside each other keep their distance; half as strongly across the corners.'),
  bulk: p('Volume', 'Pa', 0, 50000, 10, 600, 'How strongly each of its cells keeps its volume: its bulk modulus.'),
  still: p('Still', '×', 0, 0.95, 0.01, 0.15, 'Points of the cage where the hair is nearer to its roots than this share of its length do not swing.'),
  rise: p('Rises over', '×', 0, 1, 0.01, 0.6, 'Over so much of its length, from the root, hair comes to take on all of the movement.'),
  amount: p('Amount', '×', 0, 2, 0.01, 1, 'How much of the cage’s movement the hair takes on; the painted map of Give and its curve count as well.'),
  air: p('Air', '1/s', 0, 40, 0.1, 0.8, 'How fast it takes on the speed of the air.'),
} satisfies Record<string, Parameter>;
export type CageParameter = keyof typeof CAGE_PARAMETERS;

export const MOST_CAGES = 12;
/** A cage: a box in the rest pose, carried by the node of that name. */
export const swayCageSchema = z.object({ id: z.string().min(1).max(40), name: z.string().min(1).max(60), on: z.boolean(), joint: z.string().max(200), ...numbers(CAGE_PARAMETERS).shape });
export type SwayCage = z.infer<typeof swayCageSchema>;

/** Whether a groom is moved in cages: nothing is stepped as rods then. */
export const inCages = (settings: { on: boolean; cages?: readonly SwayCage[] }): boolean => settings.on && (settings.cages ?? []).some((c) => c.on);

/** A new cage is nowhere thinner than this, cm, and this share of its longest side: that of a single chain is no needle. */
const LEAST_CM = 4, LEAST_SHARE = 0.2;
/** A cage round points (3 × n, m, rest pose), a little wider than they are; of the usual size where there are none. */
export function newCage(id: string, name: string, joint: string, points: ArrayLike<number>): SwayCage {
  const usual = defaultsOf(CAGE_PARAMETERS), box = cageRound(points, 2), cage: SwayCage = { id, name, on: true, joint, ...usual };
  if (!box) return cage;
  const [x, y, z] = box.low.map((v, c) => Math.round(1000 * (v + box.size[c] / 2)) / 1000), thinnest = Math.max(LEAST_CM, LEAST_SHARE * 100 * Math.max(...box.size)), [wide, high, deep] = box.size.map((v) => Math.min(1000, Math.max(Math.ceil(2 * thinnest) / 2, Math.ceil(200 * v) / 2)));
  return { ...cage, x, y, z, wide, high, deep };
}

/** Axes of a cage's box as rows of three, unit, in the rest pose. */
export function cageAxes({ turnX, turnY, turnZ }: Pick<SwayCage, 'turnX' | 'turnY' | 'turnZ'>): number[][] {
  const turn = [turnX, turnY, turnZ].map((deg) => (deg * Math.PI) / 180);
  return [0, 1, 2].map((axis) => turnedAbout([0, 1, 2].map((c) => (c === axis ? 1 : 0)), turn));
}
/** m: half the box along each of its axes. */
export const halfSizes = ({ wide, high, deep }: Pick<SwayCage, 'wide' | 'high' | 'deep'>): [number, number, number] => [wide / 200, high / 200, deep / 200];
/** Points of a cage in the rest pose, 3 × points³, m; x first. */
export function cagePoints(cage: SwayCage): Float64Array {
  const { points: n, x, y, z } = cage, axes = cageAxes(cage), half = halfSizes(cage), out = new Float64Array(3 * n ** 3);
  for (let h = 0; h < n ** 3; h++) {
    const at = [0, 1, 2].map((a) => half[a] * ((2 * (Math.floor(h / n ** a) % n)) / (n - 1) - 1));
    for (let c = 0; c < 3; c++) out[3 * h + c] = [x, y, z][c] + at[0] * axes[0][c] + at[1] * axes[1][c] + at[2] * axes[2][c];
  }
  return out;
}
