/**
 * Loops: going round until the state repeats, and closing what is left of the seam.
 *
 * The last samples of the round that is kept are blended into those of the round before, of which the round that is kept is the
 * continuation: both are movements that were computed, at the same poses, so that place and speed run on where the loop closes. The
 * blend is made as seen from the roots; every edge keeps its length, and what the blend puts into a collider is lifted out.
 */
import { poseAtFrame } from '../mesh/character';
import { z } from 'zod';
import { seamSchema, type Seam } from '../document/proof';
import { placeGuides } from '../groom/planting';
import { pushFilled } from '../sway/push-filled';
import { RootPoser, Stage, type Scene } from '../sway/scene';

/** How a loop came to repeat. */
export const loopReportSchema = z.object({
  /** Rounds before the one that is kept, and whether it repeats to what was wanted. */
  rounds: z.number().int(), repeats: z.boolean(),
  /** m: greatest distance of a point from where it was a round before; after each round. */
  distances: z.array(z.number()),
  /** The seam before it was closed, and after. */
  before: seamSchema, after: seamSchema,
  /** Samples over which it was closed; the greatest depth (m) below a closed collider in them before points were lifted out, and what is left. */
  closed: z.number(), lifted: z.number(), depth: z.number(),
});
export type LoopReport = z.infer<typeof loopReportSchema>;

/** Guide points seen from the roots, for the frames of one scene. */
export class RootView {
  private readonly poser: RootPoser;
  private readonly motions: Float64Array;
  constructor(private readonly scene: Scene) {
    this.poser = new RootPoser(scene, new Stage({ ...scene, settings: { ...scene.settings, carryTravel: 1, carryTurning: 1 } }, scene.shot.start));
    this.motions = new Float64Array(7 * scene.planting.faces.length);
  }
  /** World ⇄ seen from the roots in the pose of a frame; 3 × points, m. */
  from(frame: number, points: ArrayLike<number>, out: Float32Array): void { this.turn(frame, points, out, true); }
  to(frame: number, local: ArrayLike<number>, out: Float32Array): void { this.turn(frame, local, out, false); }
  private turn(frame: number, points: ArrayLike<number>, out: Float32Array, back: boolean): void {
    this.poser.rootsInto(this.poser.stage.poseAt(frame), this.motions);
    placeGuides(points, this.motions, this.scene.pointCount, out, back);
  }
}

/** Greatest distance of a point between two shapes, m, and its guide. */
export function farthest(a: ArrayLike<number>, b: ArrayLike<number>, pointCount: number): { distance: number; guide: number } {
  let most = 0, at = -1;
  for (let p = 0; p < a.length; p += 3) {
    const d = (a[p] - b[p]) ** 2 + (a[p + 1] - b[p + 1]) ** 2 + (a[p + 2] - b[p + 2]) ** 2;
    if (d > most) { most = d; at = Math.floor(p / (3 * pointCount)); }
  }
  return { distance: Math.sqrt(most), guide: at };
}

/** `before`, `begin`, `end`, `close`: shapes seen from the roots at the sample before the loop, its first, its last, and one after; m. */
export function seamOf(before: ArrayLike<number>, begin: ArrayLike<number>, end: ArrayLike<number>, close: ArrayLike<number>, fps: number, pointCount: number): Seam {
  const gap = farthest(close, begin, pointCount), n = begin.length, was = new Float64Array(n), is = new Float64Array(n);
  for (let k = 0; k < n; k++) { was[k] = fps * (begin[k] - before[k]); is[k] = fps * (close[k] - end[k]); }
  const speed = farthest(is, was, pointCount);
  return { gap: gap.distance, gapGuide: gap.guide, speed: speed.distance, speedGuide: speed.guide };
}

const smooth = (t: number): number => t * t * (3 - 2 * t);

/**
 * Closes a loop in place. `round`: the samples of the kept round, world, m; `tail`: those of the round before at the same poses, as
 * many as are blended; `first`: number of the round's first sample. Tells of each blended sample how deep below a collider any point was (m), and how deep one still is.
 */
export function closeLoop(scene: Scene, first: number, round: Float32Array[], tail: readonly Float32Array[]): { lifted: number; left: number; guide: number }[] {
  const view = new RootView(scene), n = scene.pointCount, size = round[0].length, a = new Float32Array(size), b = new Float32Array(size), lengths = new Float64Array(n);
  return tail.map((before, j) => {
    const at = round.length - tail.length + j, frame = first + at, w = smooth((j + 1) / (tail.length + 1)), points = round[at];
    view.from(frame, points, a);
    view.from(frame, before, b);
    for (let p = 0; p < size; p += 3 * n) {
      for (let i = 1; i < n; i++) lengths[i] = Math.hypot(a[p + 3 * i] - a[p + 3 * i - 3], a[p + 3 * i + 1] - a[p + 3 * i - 2], a[p + 3 * i + 2] - a[p + 3 * i - 1]);
      for (let k = p; k < p + 3 * n; k++) a[k] += w * (b[k] - a[k]);
      for (let i = 1; i < n; i++) {
        const o = p + 3 * i, x = a[o] - a[o - 3], y = a[o + 1] - a[o - 2], z = a[o + 2] - a[o - 1], l = Math.hypot(x, y, z), s = l > 0 ? lengths[i] / l : 0;
        const move = [a[o - 3] + s * x - a[o], a[o - 2] + s * y - a[o + 1], a[o - 1] + s * z - a[o + 2]];
        for (let q = o; q < p + 3 * n; q += 3) for (let c = 0; c < 3; c++) a[q + c] += move[c];
      }
    }
    view.to(frame, a, points);
    const pose = poseAtFrame(scene.character, scene.clip, scene.shot, frame), worst = { strand: -1 }, lift = (): number => (scene.settings.on ? pushFilled(scene.character, scene.hidden, scene.settings, pose, points, n, worst) : 0), lifted = lift();
    if (lifted === 0) return { lifted, left: 0, guide: -1 };
    worst.strand = -1;
    // what a second pass finds is what the first has left
    return { lifted, left: lift(), guide: worst.strand };
  });
}
