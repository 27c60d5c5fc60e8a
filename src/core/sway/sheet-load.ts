/**
 * Hair that lies on a sheet: forces on its points, frame by frame, from what a bake of hair has pressed on the mesh by (`press.ts`). With it the two act on
 * each other by turns: the sheet moves, hair is computed against it, the sheet is computed again with what the hair pressed, until nothing changes any more.
 *
 * A press lies at a place of the mesh in the rest pose; its force goes to the lines on either side of it and the points above and below, so much the more the nearer. None of it is lost.
 */
import { z } from 'zod';
import { parameter } from '../document/parameter';
import { PRESS_NUMBERS } from './press';
import type { RodSystem } from './rod-system';

export const LOAD_PARAMETERS = { share: parameter('How much of it', '×', 0, 4, 0.01, 1, 'Multiplies what the hair pressed by: 0 nothing, 1 just that. More where few guides stand for more hair.') };
/** What lies on a sheet: `forces` names f32, 3 × lines × points × frames, N. `first`: number of the first of them, at `fps`; a cyclic one goes round. `from`: of which hair, for people. */
export const sheetLoadSchema = z.object({
  forces: z.string().regex(/^[0-9a-f]{64}$/), from: z.string().min(1).max(300), on: z.boolean(), share: z.number().min(0).max(LOAD_PARAMETERS.share.max),
  first: z.number().int().min(-1e6).max(1e7), frames: z.number().int().min(1).max(1e6), fps: z.number().min(1).max(2000), cyclic: z.boolean(), lines: z.number().int().min(1), points: z.number().int().min(2).max(64),
});
export type SheetLoadSettings = z.infer<typeof sheetLoadSchema>;

export class SheetLoad {
  private constructor(private readonly forces: Float32Array, private readonly settings: SheetLoadSettings) {}
  /** None where it was taken for other lines than these. */
  static of(forces: Float32Array, settings: SheetLoadSettings, lines: number, points: number): SheetLoad | null {
    return settings.lines === lines && settings.points === points && forces.length === 3 * lines * points * settings.frames ? new SheetLoad(forces, settings) : null;
  }
  /** Place of the frame whose mean holds in the time that ends at `time` s: the first before there is any, the last after. */
  private at(time: number): number {
    const { first, frames, fps, cyclic } = this.settings, n = Math.ceil(time * fps - 1e-6) - first;
    return cyclic ? ((n % frames) + frames) % frames : Math.max(0, Math.min(frames - 1, n));
  }
  /** Before a substep of `h` s within a step that ends at `time` s of the shot. `home`: from where the run is computed to the world (quaternion first). Strands get the impulse as from drops. */
  act(system: RodSystem, h: number, time: number, home: ArrayLike<number>): void {
    const { forces, settings: { points, lines, share } } = this, { k } = system, qx = -home[0], qy = -home[1], qz = -home[2], qw = home[3];
    let o = 3 * lines * points * this.at(time);
    for (let s = 0; s < lines; s++) for (let i = 0; i < points; i++, o += 3) {
      const fx = forces[o], fy = forces[o + 1], fz = forces[o + 2], one = system.at(s, i, 1);
      if (i === 0 || k.fixed[one] !== 0 || !(k.mass[one] > 0) || (fx === 0 && fy === 0 && fz === 0)) continue;
      const ux = 2 * (qy * fz - qz * fy), uy = 2 * (qz * fx - qx * fz), uz = 2 * (qx * fy - qy * fx), by = (share * h) / k.mass[one], a = system.at(s, i, 3);
      system.hasten(a, by * (fx + qw * ux + qy * uz - qz * uy), by * (fy + qw * uy + qz * ux - qx * uz), by * (fz + qw * uz + qx * uy - qy * ux), h);
    }
  }
}

/** How far beyond its lines a sheet still takes what lies on the mesh, as a multiple of how far these are apart; and m, at least. */
const BEYOND = 1.5, LEAST = 0.02;

/**
 * The forces of one frame on the points of a sheet, 3 × lines × points, N, from presses (`PRESS_NUMBERS` each). `rest`: 3 × lines × points, m, the sheet's lines in the
 * rest pose; `next`: the line beside each, −1 for none; `meshes`: numbers of the meshes it moves. What lies too far from all lines is left out.
 */
export class LoadTaker {
  private readonly reach: number;
  /** Lines beside each, on both sides. */
  private readonly sides: number[][];
  /** Low and high corner of each line, m. */
  private readonly boxes: Float64Array;
  /** N: what has been taken, and what lay elsewhere, in the sum of all frames. */
  taken = 0;
  elsewhere = 0;
  constructor(private readonly rest: ArrayLike<number>, private readonly lines: number, private readonly points: number, next: ArrayLike<number>, private readonly meshes: ReadonlySet<number>) {
    let far = 0, count = 0;
    this.boxes = new Float64Array(6 * lines);
    for (let g = 0; g < lines; g++) for (let c = 0; c < 3; c++) {
      const along = Array.from({ length: points }, (_, i) => rest[3 * (g * points + i) + c]);
      this.boxes[6 * g + c] = Math.min(...along);
      this.boxes[6 * g + 3 + c] = Math.max(...along);
    }
    this.sides = Array.from({ length: lines }, (_, g) => Array.from({ length: lines }, (_w, k) => k).filter((k) => k !== g && (next[g] === k || next[k] === g)));
    for (let g = 0; g < lines; g++) if (next[g] >= 0) for (let i = 0; i < points; i++) { far += Math.hypot(...[0, 1, 2].map((c) => rest[3 * (g * points + i) + c] - rest[3 * (next[g] * points + i) + c])); count++; }
    this.reach = Math.max(LEAST, (BEYOND * far) / Math.max(1, count));
  }
  /** m: no place of a line is nearer. */
  private least(g: number, x: number, y: number, z: number): number {
    const B = this.boxes, o = 6 * g, dx = Math.max(0, B[o] - x, x - B[o + 3]), dy = Math.max(0, B[o + 1] - y, y - B[o + 4]), dz = Math.max(0, B[o + 2] - z, z - B[o + 5]);
    return Math.sqrt(dx * dx + dy * dy + dz * dz);
  }
  /** Nearest place of a line: its distance (m), and points of it, as a number with the share of the way to the next. */
  private nearest(g: number, x: number, y: number, z: number): [number, number] {
    const { rest: P, points } = this;
    let best = Infinity, at = 0;
    for (let i = 1; i < points; i++) {
      const a = 3 * (g * points + i - 1), ux = P[a + 3] - P[a], uy = P[a + 4] - P[a + 1], uz = P[a + 5] - P[a + 2], px = x - P[a], py = y - P[a + 1], pz = z - P[a + 2], l = ux * ux + uy * uy + uz * uz, t = l > 0 ? Math.max(0, Math.min(1, (ux * px + uy * py + uz * pz) / l)) : 0, d = Math.hypot(px - t * ux, py - t * uy, pz - t * uz);
      if (d < best) { best = d; at = i - 1 + t; }
    }
    return [best, at];
  }
  into(presses: ArrayLike<number>, out: Float32Array): void {
    const { lines, points, sides, reach, meshes } = this;
    for (let o = 0; o < presses.length; o += PRESS_NUMBERS) {
      if (!meshes.has(presses[o])) continue;
      const x = presses[o + 1], y = presses[o + 2], z = presses[o + 3], F = Math.hypot(presses[o + 4], presses[o + 5], presses[o + 6]);
      let line = -1, far = Infinity, at = 0;
      for (let g = 0; g < lines; g++) {
        if (this.least(g, x, y, z) >= Math.min(far, reach)) continue;
        const [d, p] = this.nearest(g, x, y, z);
        if (d < far) { far = d; at = p; line = g; }
      }
      if (line < 0 || far > reach) { this.elsewhere += F; continue; }
      this.taken += F;
      let beside = -1, other = Infinity, otherAt = 0;
      for (const g of sides[line]) { const [d, p] = this.nearest(g, x, y, z); if (d < other) { other = d; otherAt = p; beside = g; } }
      const share = beside < 0 || far + other === 0 ? 1 : other / (far + other);
      for (const [g, p, s] of [[line, at, share], [beside, otherAt, 1 - share]]) {
        if (g < 0 || s === 0) continue;
        const i = Math.min(points - 2, Math.floor(p)), t = p - i;
        for (let end = 0; end < 2; end++) for (let c = 0; c < 3; c++) out[3 * (g * points + i + end) + c] += s * (end === 0 ? 1 - t : t) * presses[o + 4 + c];
      }
    }
  }
}
