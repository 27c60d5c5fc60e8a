/**
 * Sections: what divides a head of hair. Across a drawn parting, or between parts that the section map paints in different greys, no guide
 * reaches a strand, but for a soft width.
 */
import { smoothStep } from '../math/vec';
import type { Density, Planting } from '../groom/planting';

/** A line on the skin in the rest pose. */
export interface Parting {
  /** 6 × places: place (m) and normal of the skin (unit). */
  places: readonly number[];
  /** m: within so much of the line guides from beyond it still count, less and less. */
  soft: number;
}

/** m: a parting divides what stands so far off the skin at its line. */
const TALL = 0.05;
/** Greys of the section map that differ by less belong together, by more do not. */
const SAME = 0.08, APART = 0.2;

export class Sections {
  /** Per stretch of a parting: start (3), along (3, unit), its length, across (3, unit), normal (3), soft width. */
  private readonly stretches: Float64Array;
  private static readonly NUMBERS = 14;
  private readonly guideGrey: Float32Array | null;

  constructor(partings: readonly Parting[], private readonly map: Density | null, guides: Planting) {
    const out: number[] = [];
    for (const { places, soft } of partings) for (let o = 0; o + 11 < places.length; o += 6) {
      const a = places.slice(o, o + 6), b = places.slice(o + 6, o + 12), d = [0, 1, 2].map((c) => b[c] - a[c]), length = Math.hypot(...d);
      if (length < 1e-6) continue;
      const u = d.map((v) => v / length), n = [0, 1, 2].map((c) => a[3 + c] + b[3 + c]), m = [n[1] * u[2] - n[2] * u[1], n[2] * u[0] - n[0] * u[2], n[0] * u[1] - n[1] * u[0]], l = Math.hypot(...m) || 1;
      const nl = Math.hypot(...n) || 1;
      out.push(a[0], a[1], a[2], ...u, length, ...m.map((v) => v / l), ...n.map((v) => v / nl), soft);
    }
    this.stretches = Float64Array.from(out);
    this.guideGrey = map ? Float32Array.from(guides.faces, (f, g) => map(f, guides.weights[2 * g], guides.weights[2 * g + 1])) : null;
  }
  get none(): boolean { return this.stretches.length === 0 && !this.map; }
  /** Grey of the section map at a place. */
  grey(face: number, b: number, c: number): number { return this.map ? this.map(face, b, c) : 0; }

  /** Grey of the section map at a guide's root; that of the strands that hear it. */
  greyOfGuide(g: number): number { return this.guideGrey ? this.guideGrey[g] : 0; }

  /** How far guide `g` with its root at (gx, gy, gz) counts for a strand at (x, y, z) with this grey: 1 on the same side, 0 beyond a line. */
  reach(x: number, y: number, z: number, grey: number, g: number, gx: number, gy: number, gz: number): number {
    const { stretches: s } = this;
    let keep = this.guideGrey ? 1 - smoothStep(SAME, APART, Math.abs(grey - this.guideGrey[g])) : 1;
    for (let o = 0; o < s.length && keep > 0; o += Sections.NUMBERS) {
      const px = x - s[o], py = y - s[o + 1], pz = z - s[o + 2], qx = gx - s[o], qy = gy - s[o + 1], qz = gz - s[o + 2];
      const a = px * s[o + 7] + py * s[o + 8] + pz * s[o + 9], b = qx * s[o + 7] + qy * s[o + 8] + qz * s[o + 9];
      if (a * b > 0 || a === b) continue;
      const f = a / (a - b), cx = px + f * (qx - px), cy = py + f * (qy - py), cz = pz + f * (qz - pz), along = cx * s[o + 3] + cy * s[o + 4] + cz * s[o + 5], up = cx * s[o + 10] + cy * s[o + 11] + cz * s[o + 12];
      if (along < 0 || along >= s[o + 6] || Math.abs(up) > TALL) continue;
      keep *= 1 - smoothStep(0, Math.max(1e-6, s[o + 13]), Math.abs(a));
    }
    return keep;
  }
}
