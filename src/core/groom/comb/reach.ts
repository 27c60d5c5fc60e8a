/** How far a brush reaches and how a stroke is cut into strides. Lengths in metres. */

/** How much deeper than wide the brush reaches along the line of sight, so that it goes through the thickness of the hair. */
export const DEPTH = 2.5;
/** Stride of a stroke, in radii, and m at most: large brushes go in shorter strides, so that no strand jumps through a head. */
const STRIDE = 0.15, LONGEST = 0.006;

/** 1 inside, 0 from the rim on. `d` in radii; `falloff` is the share of the radius over which it falls. */
export function brushWeight(d: number, falloff: number): number {
  if (d >= 1) return 0;
  const t = (1 - d) / (falloff > 1e-3 ? falloff : 1e-3);
  return t >= 1 ? 1 : t * t * (3 - 2 * t);
}

/** Distance from the middle of a brush in radii: a ball that is longer along the line of sight. */
export function brushDistance(x: number, y: number, z: number, centre: ArrayLike<number>, sight: ArrayLike<number>, radius: number): number {
  const dx = x - centre[0], dy = y - centre[1], dz = z - centre[2], along = dx * sight[0] + dy * sight[1] + dz * sight[2];
  const across = Math.max(0, dx * dx + dy * dy + dz * dz - along * along);
  return Math.sqrt(across + (along / DEPTH) ** 2) / radius;
}

/** One touch of a brush: `move` is its way since the touch before; `share` how much of a whole stride that is. */
export interface Dab {
  centre: [number, number, number];
  move: [number, number, number];
  /** Unit, from the eye. */
  sight: [number, number, number];
  share: number;
  /** −1 on the mirrored side: twists and curls go round the other way there. */
  hand: 1 | -1;
}

/**
 * Cuts a stroke into strides of one length, wherever the pointer happened to be sampled: the same stroke comes out alike
 * however fast the screen is.
 */
export class Strides {
  private at: number[];
  constructor(from: ArrayLike<number>, private readonly radius: number) { this.at = [from[0], from[1], from[2]]; }

  /** Strides that the way to a new place completes, each from, to and its share of a whole one; with `last` also the rest. */
  *to(place: ArrayLike<number>, last = false): Generator<[number[], number[], number]> {
    const whole = STRIDE * this.radius, stride = Math.min(whole, LONGEST);
    for (;;) {
      const way = [place[0] - this.at[0], place[1] - this.at[1], place[2] - this.at[2]], length = Math.hypot(...way);
      if (length < stride && !(last && length > 1e-6)) return;
      const share = Math.min(1, stride / length), next = this.at.map((v, k) => v + way[k] * share), from = this.at;
      this.at = next;
      yield [from, next, (share * length) / whole];
    }
  }
}

/** The touch in the middle of a stride. */
export function dabOf(from: ArrayLike<number>, to: ArrayLike<number>, sight: ArrayLike<number>, share = 1): Dab {
  return { centre: [0, 1, 2].map((c) => 0.5 * (from[c] + to[c])) as Dab['centre'], move: [0, 1, 2].map((c) => to[c] - from[c]) as Dab['move'], sight: [sight[0], sight[1], sight[2]], share, hand: 1 };
}
/** The same touch on the other side of x = 0. */
export const mirroredDab = (d: Dab): Dab => ({ centre: [-d.centre[0], d.centre[1], d.centre[2]], move: [-d.move[0], d.move[1], d.move[2]], sight: [-d.sight[0], d.sight[1], d.sight[2]], share: d.share, hand: d.hand === 1 ? -1 : 1 });
