/** From what a document says to its hair cards. */
import { smoothStep } from '../math/vec';
import type { FillSettings, GroomDocument } from '../document/schema';
import type { SkinGrid } from '../groom/skin-grid';
import type { Character } from '../mesh/character';
import type { Surface } from '../mesh/surface';
import { makeCards, type CardSet, type CardSettings } from './cards';
import { fillFrom, type FillOrder } from './open-fill';
import { absorptionOf, BODY_COLOUR, tipHalvings } from './pigment';
import { FillShapes, nodeAt, widthAt, type FilledStrands } from './strands';

/** Cards are made from so many strands at most: they stand for all. */
export const MOST_CARDED = 15_000;
export const cardSettingsOf = ({ cards: { atlas, ...numbers } }: Pick<GroomDocument, 'cards'>): CardSettings => ({ ...numbers, atlas: Number(atlas) });

/** Cards in the rest pose, and the strands they were made from. Throws where there is no strand. */
export function cardsOf(order: FillOrder, surface: Surface, settings: CardSettings, character: Character | null, grid?: SkinGrid): { set: CardSet; strands: FilledStrands } {
  const strands = fillFrom(order, surface, character, grid), { count, nodes } = strands, shapes = new FillShapes(strands), points = new Float32Array(3 * nodes * count);
  if (count === 0) throw new Error('There are no strands to make cards of.');
  shapes.at(order.offsets, order.pointCount);
  for (let s = 0; s < count; s++) for (let k = 0; k < nodes; k++) for (let c = 0; c < 3; c++) points[3 * (nodes * s + k) + c] = strands.places[3 * s + c] + shapes.X[4 * (nodes * s + k) + c];
  return { strands, set: makeCards({ points, nodes, shares: Float64Array.from({ length: nodes }, (_, k) => nodeAt(k, nodes)), widthAt: (s, k) => widthAt(order.fill, s, k, nodes, strands.widths), normals: strands.normals, each: Math.max(1, order.full / count), surface }, settings) };
}

/** Colour (linear) of a strand at a share of its length, for its own number 0 … 1; `tint`: as treatments have it there, 4 numbers of `FilledStrands.tints` from `at`. */
export function strandColour(fill: FillSettings): (share: number, own: number, tint?: ArrayLike<number> | null, at?: number) => number[] {
  const root = absorptionOf(fill, 'root'), tip = absorptionOf(fill, 'tip'), far = tipHalvings(fill);
  return (share, own, tint = null, at = 0) => root.map((r, c) => { const s = smoothStep(0.15, 1, share), sigma = (r + (tip[c] - r) * s) * 2 ** (fill.colourSpread * 1.4 * (own - 0.5)) * (1.18 + (1.18 * 2 ** -far - 1.18) * s) * (own < fill.grey ? 0.04 : 1), left = tint ? tint[at] * sigma + tint[at + 1 + c] : sigma; return Math.exp(-BODY_COLOUR * Math.sqrt(left)); });
}
/** What treatments make of the colour in the mean of all strands (`FilledStrands.tints`), by node and by the share of the length it is at. */
export interface MeanTint { shares: Float64Array; tints: Float64Array }
export function meanTint({ tints, nodes, count }: Pick<FilledStrands, 'tints' | 'nodes' | 'count'>): MeanTint | null {
  if (!tints || count === 0) return null;
  const mean = new Float64Array(4 * nodes);
  for (let i = 0; i < tints.length; i++) mean[i % (4 * nodes)] += tints[i];
  return { shares: Float64Array.from({ length: nodes }, (_, k) => nodeAt(k, nodes)), tints: mean.map((v) => v / count) };
}
/** The same of cards, of whose strands one picture stands for many. */
export function cardColour(fill: FillSettings, mean: MeanTint | null): (share: number, own: number) => number[] {
  const colour = strandColour(fill);
  if (!mean) return colour;
  const { shares, tints } = mean, here = new Float64Array(4);
  return (share, own) => {
    let k = 0;
    while (k < shares.length - 2 && shares[k + 1] < share) k++;
    const f = Math.max(0, Math.min(1, (share - shares[k]) / (shares[k + 1] - shares[k])));
    for (let c = 0; c < 4; c++) here[c] = tints[4 * k + c] + f * (tints[4 * k + 4 + c] - tints[4 * k + c]);
    return colour(share, own, here);
  };
}
