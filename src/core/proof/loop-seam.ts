/** Whether a loop closes. */
import type { Seam } from '../document/proof';
import type { Shot } from '../document/schema';
import { placeGuides } from '../groom/planting';

/** Places and velocities seen from the roots where a loop begins, held against those where it closes. */
export class LoopSeam {
  private readonly kept = new Map<number, Float32Array>();
  constructor(private readonly pointCount: number, private readonly shot: Pick<Shot, 'start' | 'end' | 'fps'>) {}
  /** Tells the seam one frame after the end. */
  take(frame: number, points: ArrayLike<number>, motions: Float64Array): Seam | null {
    const { start, end, fps } = this.shot, n = this.pointCount;
    if (![start - 1, start, end, end + 1].includes(frame)) return null;
    const local = new Float32Array(points.length);
    placeGuides(points, motions, n, local, true);
    this.kept.set(frame, local);
    const [a, b, c] = [start - 1, start, end].map((f) => this.kept.get(f));
    if (frame !== end + 1 || !a || !b || !c) return null;
    const out: Seam = { gap: 0, gapGuide: -1, speed: 0, speedGuide: -1 };
    for (let p = 0; p < local.length; p += 3) {
      const guide = Math.floor(p / (3 * n)), gap = Math.hypot(local[p] - b[p], local[p + 1] - b[p + 1], local[p + 2] - b[p + 2]);
      const speed = fps * Math.hypot(...[0, 1, 2].map((k) => local[p + k] - c[p + k] - (b[p + k] - a[p + k])));
      if (gap > out.gap) { out.gap = gap; out.gapGuide = guide; }
      if (speed > out.speed) { out.speed = speed; out.speedGuide = guide; }
    }
    return out;
  }
}
