/**
 * Measures of every strand in a frame that need only that strand, all against the groomed shape as the skin carries it, so
 * that what the animation does is not held against the hair: how its speed changes, how it shakes, how far it is off. Any
 * share of the guides can be measured by itself.
 */

/** Numbers a strand has in a frame: depth (m), its collider (−1: none), stretch, jump (g), jitter (m), drift (m), movement of the tip against the skin (3, m a frame), way the skin carries the tip (m a frame). */
export const STRAND_NUMBERS = 10;
export const OF_STRAND = { depth: 0, collider: 1, stretch: 2, jump: 3, jitter: 4, drift: 5, move: 6, carried: 9 } as const;
/** Changes of acceleration that must turn about one after the other for a shake: a knock makes three or four. */
const SHAKES = 5;
/** m/s²: the unit of jumps. Source: standard gravity, CGPM 1901. */
export const EARTH = 9.80665;

export class StrandMeter {
  /** `STRAND_NUMBERS` a strand. */
  readonly strands: Float32Array;
  /** Places against the carried shape now and in the three frames before, and the last changes of acceleration; 3 × points, m. */
  private x: Float64Array[];
  private third: Float64Array[];
  private combedBefore: Float64Array;
  private frames = 0;

  /** `points`, `combed`: 3 × pointCount × strands, m, where the run begins. */
  constructor(private readonly pointCount: number, private readonly fps: number, points: ArrayLike<number>, combed: ArrayLike<number>) {
    const size = points.length;
    this.strands = new Float32Array((STRAND_NUMBERS * size) / (3 * pointCount));
    this.x = [0, 1, 2, 3].map(() => new Float64Array(size));
    this.third = Array.from({ length: SHAKES }, () => new Float64Array(size));
    this.combedBefore = new Float64Array(size);
    this.begin(points, combed);
  }
  /** Begins anew from here: nothing is known of the frames before. */
  begin(points: ArrayLike<number>, combed: ArrayLike<number>): void {
    for (const x of this.x) for (let k = 0; k < x.length; k++) x[k] = points[k] - combed[k];
    for (let k = 0; k < this.combedBefore.length; k++) this.combedBefore[k] = combed[k];
    this.frames = 0;
  }

  /** Takes the next frame; depth and stretch are put in by whoever knows them. */
  take(points: ArrayLike<number>, combed: ArrayLike<number>): void {
    const { pointCount: n, strands: S, combedBefore } = this;
    this.x.unshift(this.x.pop()!);
    this.third.unshift(this.third.pop()!);
    this.frames++;
    const [a, b, c, d] = this.x, third = this.third, now = third[0], toG = this.fps ** 2 / EARTH, known = this.frames;
    for (let k = 0; k < a.length; k++) a[k] = points[k] - combed[k];
    for (let s = 0, o = 0; s < S.length; s += STRAND_NUMBERS, o += 3 * n) {
      let jump = 0, jitter = 0, drift = 0;
      for (let p = o; p < o + 3 * n; p += 3) {
        let second = 0, far = 0;
        for (let q = p; q < p + 3; q++) {
          const u = a[q] - 2 * b[q] + c[q];
          now[q] = u - (b[q] - 2 * c[q] + d[q]);
          second += u * u;
          far += a[q] * a[q];
        }
        if (second > jump) jump = second;
        if (far > drift) drift = far;
        jitter = Math.max(jitter, shake(third, p));
      }
      S[s + OF_STRAND.jump] = known >= 2 ? Math.sqrt(jump) * toG : 0;
      // a shake of ± A from frame to frame changes acceleration by 8 A
      S[s + OF_STRAND.jitter] = known >= SHAKES + 2 ? Math.sqrt(jitter) / 8 : 0;
      S[s + OF_STRAND.drift] = Math.sqrt(drift);
      const tip = o + 3 * (n - 1);
      let way = 0;
      for (let q = 0; q < 3; q++) {
        const carried = combed[tip + q] - combedBefore[tip + q];
        way += carried * carried;
        S[s + OF_STRAND.move + q] = a[tip + q] - b[tip + q];
      }
      S[s + OF_STRAND.carried] = Math.sqrt(way);
    }
    for (let k = 0; k < combedBefore.length; k++) combedBefore[k] = combed[k];
  }

  /** Nothing is asked of the colliders: hair that does not move of itself. */
  still(): void { for (let s = 0; s < this.strands.length; s += STRAND_NUMBERS) this.strands[s + OF_STRAND.collider] = -1; }
}

/** Least square of the changes of acceleration (three numbers at `p` of each) where each goes against the one before; 0 where not. */
function shake(third: readonly Float64Array[], p: number): number {
  let least = Infinity;
  for (let k = 0; k < SHAKES; k++) {
    const t = third[k], x = t[p], y = t[p + 1], z = t[p + 2];
    if (k > 0) { const u = third[k - 1]; if (u[p] * x + u[p + 1] * y + u[p + 2] * z >= 0) return 0; }
    least = Math.min(least, x * x + y * y + z * z);
  }
  return least;
}
