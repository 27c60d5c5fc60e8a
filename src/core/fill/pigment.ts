/** What gives hair its colour: absorption inside a strand by its pigments, or as a chosen colour asks for it. */
import type { FillSettings } from '../document/schema';

/**
 * Absorption of one unit of each pigment for red, green, blue.
 * **Source:** d'Eon, Francois, Hill, Letteri & Aubry 2011, An Energy-Conserving Hair Reflectance Model, *from memory*.
 */
export const EUMELANIN = [0.419, 0.697, 1.37] as const, PHEOMELANIN = [0.187, 0.4, 1.05] as const;
/** How the view makes a body colour of an absorption: e^(−k √σ). */
export const BODY_COLOUR = 3.6;

/** Halvings of the colour's depth toward the tip; chosen colours are met at both ends (1.18 at the root comes to 1). */
export const tipHalvings = (fill: Pick<FillSettings, 'colourBy' | 'tipColour'>): number => (fill.colourBy === 'pigment' ? fill.tipColour : Math.log2(1.18));

type Rgb = [number, number, number];
const linear = (hex: string): number[] => [1, 3, 5].map((o) => { const v = parseInt(hex.slice(o, o + 2), 16) / 255; return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4; });

/** Absorption of so much of each pigment, and that whose body colour is a chosen one. */
export const absorptionOfPigments = (melanin: number, redness: number): Rgb => [0, 1, 2].map((k) => melanin * EUMELANIN[k] + redness * PHEOMELANIN[k]) as Rgb;
export const absorptionOfColour = (hex: string): Rgb => linear(hex).map((c) => (Math.log(Math.max(0.002, c)) / BODY_COLOUR) ** 2) as Rgb;

/** Absorption at a strand's root or tip, per unit of its width. */
export function absorptionOf(fill: Pick<FillSettings, 'melanin' | 'redness' | 'colourBy' | 'rootColour' | 'tipsColour'>, end: 'root' | 'tip'): Rgb {
  if (fill.colourBy === 'choice') return absorptionOfColour(end === 'root' ? fill.rootColour : fill.tipsColour);
  return absorptionOfPigments(fill.melanin, fill.redness);
}
