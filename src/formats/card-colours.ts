/** The colour picture of hair cards. */
import type { Atlas } from '../core/fill/cards';

/** Colour of the cards with their opacity, sRGB: `colourAt` gives it (linear) at a share of a strand for a strand's own number 0 … 1. */
export function colourMap({ size, looks }: Atlas, colourAt: (share: number, own: number) => readonly number[]): Uint8Array {
  const out = new Uint8Array(looks.length), table = Array.from({ length: 64 * 16 }, (_, i) => colourAt((i % 64) / 63, Math.floor(i / 64) / 15).map((v) => { const c = Math.max(0, Math.min(1, v)); return Math.round(255 * (c <= 0.0031308 ? 12.92 * c : 1.055 * c ** (1 / 2.4) - 0.055)); })), mean = table[32 + 64 * 7];
  for (let o = 0; o < 4 * size * size; o += 4) {
    const c = looks[o + 3] > 0 ? table[Math.floor(looks[o] / 4) + 64 * Math.floor(looks[o + 1] / 16)] : mean;
    out[o] = c[0]; out[o + 1] = c[1]; out[o + 2] = c[2]; out[o + 3] = looks[o + 3];
  }
  return out;
}
