/** Measures of a frame that need the whole groom: the worst strand of each, what room neighbours keep, whether all move alike. */
import type { Measures } from '../document/proof';
import { OF_STRAND, STRAND_NUMBERS } from './strand-meter';

/** Neighbours of a guide whose distance counts, and the shares of the length at which it does. */
const NEIGHBOURS = 4;
const LEVELS = [1 / 3, 2 / 3, 1] as const;
/** m a frame: where the mean of all tips moves less, nothing moves alike. */
const MOVES = 0.001;
/** As a share of the mean movement: so near it, a strand moves like it. */
const LIKE = 1 / 3;

/** The nearest others of each root in the groom, pairs a < b; `roots`: 3 × guides, m, rest. */
export function neighbourPairs(roots: ArrayLike<number>): Int32Array {
  const n = roots.length / 3, pairs = new Set<number>();
  for (let a = 0; a < n; a++) {
    const best: [number, number][] = [];
    for (let b = 0; b < n; b++) {
      if (b === a) continue;
      const d = (roots[3 * a] - roots[3 * b]) ** 2 + (roots[3 * a + 1] - roots[3 * b + 1]) ** 2 + (roots[3 * a + 2] - roots[3 * b + 2]) ** 2;
      if (best.length === NEIGHBOURS && d >= best[NEIGHBOURS - 1][0]) continue;
      let at = best.length;
      while (at > 0 && best[at - 1][0] > d) at--;
      best.splice(at, 0, [d, b]);
      if (best.length > NEIGHBOURS) best.pop();
    }
    for (const [, b] of best) pairs.add(Math.min(a, b) * n + Math.max(a, b));
  }
  return Int32Array.from([...pairs].sort((p, q) => p - q).flatMap((p) => [Math.floor(p / n), p % n]));
}

export class FrameMeter {
  private readonly levels: number[];
  private readonly pairs: Int32Array;
  /** Σ of the squared distances between neighbours in the groom, m². */
  private readonly groomed: number;
  private readonly lengths: Float64Array;

  /** `combed`: 3 × pointCount × guides, m, the groomed shape in any pose, all of it in one. */
  constructor(private readonly pointCount: number, private readonly fps: number, combed: ArrayLike<number>) {
    const guides = combed.length / (3 * pointCount), stride = 3 * pointCount;
    this.levels = [...new Set(LEVELS.map((l) => Math.round(l * (pointCount - 1))))];
    this.pairs = neighbourPairs(Float64Array.from({ length: 3 * guides }, (_, k) => combed[Math.floor(k / 3) * stride + (k % 3)]));
    this.groomed = this.apart(combed);
    this.lengths = Float64Array.from({ length: guides }, (_, g) => {
      let length = 0;
      for (let p = g * stride + 3; p < (g + 1) * stride; p += 3) length += Math.hypot(combed[p] - combed[p - 3], combed[p + 1] - combed[p - 2], combed[p + 2] - combed[p - 1]);
      return length;
    });
  }
  private apart(points: ArrayLike<number>): number {
    const { pairs, levels, pointCount } = this;
    let sum = 0;
    for (let k = 0; k < pairs.length; k += 2) for (const level of levels) {
      const a = 3 * (pairs[k] * pointCount + level), b = 3 * (pairs[k + 1] * pointCount + level);
      sum += (points[a] - points[b]) ** 2 + (points[a + 1] - points[b + 1]) ** 2 + (points[a + 2] - points[b + 2]) ** 2;
    }
    return sum;
  }

  /** `measures` with everything that the points (3 × points, m) and numbers of all strands tell. */
  take(measures: Measures, points: ArrayLike<number>, strands: ArrayLike<number>): Measures {
    const out: Measures = { ...measures, jump: 0, jumpGuide: -1, jitter: 0, jitterGuide: -1, drift: 0, driftGuide: -1, below: [] }, guides = this.lengths.length, mean = [0, 0, 0], below = new Map<number, [number, number]>();
    let own = 0, carried = 0, strayed = 0;
    for (let g = 0; g < guides; g++) {
      const o = STRAND_NUMBERS * g, jump = strands[o + OF_STRAND.jump], jitter = strands[o + OF_STRAND.jitter], drift = strands[o + OF_STRAND.drift], collider = strands[o + OF_STRAND.collider], depth = strands[o + OF_STRAND.depth], m = o + OF_STRAND.move;
      if (jump > out.jump) { out.jump = jump; out.jumpGuide = g; }
      if (jitter > out.jitter) { out.jitter = jitter; out.jitterGuide = g; }
      if (drift > out.drift) { out.drift = drift; out.driftGuide = g; }
      if (collider >= 0 && depth > (below.get(collider)?.[0] ?? 0)) below.set(collider, [depth, g]);
      if (this.lengths[g] > 0) strayed += Math.min(2, drift / this.lengths[g]) / guides;
      own += Math.hypot(strands[m], strands[m + 1], strands[m + 2]) / guides;
      carried += strands[o + OF_STRAND.carried] / guides;
      for (let c = 0; c < 3; c++) mean[c] += strands[m + c] / guides;
    }
    const way = Math.hypot(...mean);
    let alike = 0;
    if (way > MOVES && guides > 1) for (let g = 0; g < guides; g++) {
      const m = STRAND_NUMBERS * g + OF_STRAND.move;
      if (Math.hypot(strands[m] - mean[0], strands[m + 1] - mean[1], strands[m + 2] - mean[2]) < LIKE * way) alike += 1 / guides;
    }
    out.alike = alike;
    out.own = own * this.fps;
    out.carried = carried * this.fps;
    out.strayed = strayed;
    out.volume = this.groomed > 0 ? this.apart(points) / this.groomed : 1;
    out.below = [...below].sort((a, b) => a[0] - b[0]).map(([c, [depth, guide]]) => [c, depth, guide]);
    return out;
  }
}
