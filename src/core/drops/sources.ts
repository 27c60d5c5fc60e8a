/** Where drops and grains come from: rain, a bucket, a splash, sand. Every parameter's range, unit, default and explanation stands here. */
import { z } from 'zod';
import { numbers, parameter as p, type Parameter } from '../document/parameter';

export const DROP_KINDS = ['rain', 'bucket', 'splash', 'sand'] as const;
export type DropKind = (typeof DROP_KINDS)[number];

export const DROP_PARAMETERS = {
  x: p('x', 'm', -1000, 1000, 0.01, 0, 'Where they come from.'),
  y: p('y', 'm', -1000, 1000, 0.01, 2.4, 'Where they come from: height.'),
  z: p('z', 'm', -1000, 1000, 0.01, 0, 'Where they come from.'),
  wide: p('Mouth', 'm', 0, 20, 0.01, 0.1, 'Radius of the round mouth they come out of, across the way they go.'),
  turn: p('Turn', '°', -180, 180, 1, 0, 'Where they go, seen from above: 0 along z, 90 along x.'),
  rise: p('Rise', '°', -90, 90, 1, -90, 'How steeply they go upwards; −90 straight down.'),
  spread: p('Spread', '°', 0, 90, 1, 6, 'How far from that way they may go, to each side.'),
  speed: p('Speed', 'm/s', 0, 60, 0.1, 2, 'How fast they come out.'),
  speedSpread: p('Speeds differ', '×', 0, 0.9, 0.01, 0.15, 'How much faster or slower single ones are.'),
  rate: p('Rate', '/s', 1, 100000, 1, 800, 'How many come out in a second.'),
  from: p('From', 'frame', -10000, 100000, 1, 0, 'Frame at which they begin to come.', true),
  to: p('To', 'frame', -10000, 100000, 1, 24, 'Frame at which no more come.', true),
  sizeMm: p('Size', 'mm', 0.1, 20, 0.05, 3, 'Diameter; a large raindrop has 5 mm. Beside it: how fast such a drop falls in still air.'),
  sizeSpread: p('Sizes differ', '×', 0, 0.9, 0.01, 0.3, 'How much larger or smaller single ones are.'),
  density: p('Density', 'kg/m³', 10, 20000, 1, 1000, 'Water 1000, sand 2650, petals 100.'),
  sticks: p('Sticks', '×', 0, 1, 0.01, 0.4, 'Share of those that hit hair which stay on it; the others go on.'),
  stays: p('Stays', 's', 0, 60, 0.1, 3, 'How long they stay, on average; they run to the tip and drip off there.'),
  lockMm: p('Lock', 'mm', 0.5, 40, 0.1, 4, 'Radius of the lock that a guide stands for, which they meet.'),
  bounce: p('Bounces', '×', 0, 1, 0.01, 0.1, 'Share of the speed with which they leave what they hit.'),
  seed: p('Seed', '', 1, 9999, 1, 3, 'Another number gives other drops.', true),
} satisfies Record<string, Parameter>;
export type DropParameter = keyof typeof DROP_PARAMETERS;

export const MOST_SOURCES = 6;
export const dropSourceSchema = z.object({ id: z.string().min(1).max(40), name: z.string().min(1).max(60), on: z.boolean(), kind: z.enum(DROP_KINDS), ...numbers(DROP_PARAMETERS).shape });
export type DropSource = z.infer<typeof dropSourceSchema>;

/** What a source of a kind is like to begin with, where it differs from the parameters' own. Common practice, no source. */
const USUAL: Record<DropKind, Partial<Record<DropParameter, number>>> = {
  rain: { wide: 0.8, y: 2.6, speed: 7, speedSpread: 0.05, spread: 2, rate: 900, sizeMm: 2, sizeSpread: 0.5, sticks: 0.6, stays: 6, from: -24, to: 240 },
  bucket: { wide: 0.14, y: 2.3, speed: 2.2, spread: 9, rate: 6000, sizeMm: 5, sizeSpread: 0.5, sticks: 0.35, stays: 3, from: 4, to: 14 },
  splash: { wide: 0.05, y: 0.05, rise: 70, speed: 4, speedSpread: 0.5, spread: 30, rate: 3000, sizeMm: 3, sizeSpread: 0.6, sticks: 0.3, stays: 2, from: 6, to: 9 },
  sand: { wide: 0.12, y: 2.2, speed: 0.5, spread: 6, rate: 6000, sizeMm: 0.8, sizeSpread: 0.3, density: 2650, sticks: 0.05, stays: 1, bounce: 0.3, from: 0, to: 24 },
};
export const KIND_WORDS: Record<DropKind, string> = { rain: 'Rain', bucket: 'Bucket', splash: 'Splash', sand: 'Sand' };
/** `at`: where it is aimed, m; a source over it comes from above, a splash from below. */
export function newSource(kind: DropKind, id: string, name: string, at: readonly [number, number, number]): DropSource {
  const usual = { ...Object.fromEntries(Object.entries(DROP_PARAMETERS).map(([k, d]) => [k, d.fallback])), ...USUAL[kind] } as Record<DropParameter, number>, up = kind === 'splash' ? 0.05 : at[1] + (kind === 'rain' ? 1.2 : 0.55);
  return { id, name, on: true, kind, ...usual, x: Math.round(100 * at[0]) / 100, y: Math.round(100 * up) / 100, z: Math.round(100 * (at[2] + (kind === 'splash' ? 0.3 : 0))) / 100 };
}

/** Unit vector along which a source's drops go. */
export function wayOf({ turn, rise }: Pick<DropSource, 'turn' | 'rise'>): [number, number, number] {
  const a = (turn * Math.PI) / 180, b = (rise * Math.PI) / 180;
  return [Math.sin(a) * Math.cos(b), Math.sin(b), Math.cos(a) * Math.cos(b)];
}

const AIR_DENSITY = 1.204, AIR_VISCOSITY = 1.82e-5, GRAVITY = 9.81;
/** Liquids are flattened by the air from here on, mm; and a drop does not get larger than this without breaking. */
const FLATTENED = 0.7, LARGEST = 6;
/**
 * Speed at which a drop or grain of a diameter (m) and density (kg/m³) falls in still air, m/s. Liquids of about water's density by Atlas, Srivastava
 * and Sekhon 1973 (a fit to Gunn and Kinzer's 1949 table): v = 9.65 − 10.3 e^(−0.6 D), D in mm. Spheres by the drag law of Clift and
 * Gauvin 1970: C = 24/Re (1 + 0.15 Re^0.687) + 0.42 / (1 + 42500 Re^−1.16). Both from memory.
 */
export function fallSpeed(diameter: number, density: number): number {
  const mm = 1000 * diameter;
  if (density > 700 && density < 1500 && mm > FLATTENED) return (9.65 - 10.3 * Math.exp(-0.6 * Math.min(mm, LARGEST))) * Math.sqrt(density / 1000);
  const weight = ((density - AIR_DENSITY) * GRAVITY * diameter * 4) / (3 * AIR_DENSITY);
  let v = 1;
  for (let k = 0; k < 60; k++) {
    const re = Math.max(1e-9, (AIR_DENSITY * v * diameter) / AIR_VISCOSITY), drag = (24 / re) * (1 + 0.15 * re ** 0.687) + 0.42 / (1 + 42500 * re ** -1.16);
    v = 0.5 * (v + Math.sqrt(Math.max(1e-12, weight) / drag));
  }
  return v;
}
