/** What a bake computes: its samples, where it begins, and whether it goes round until it repeats. */
import type { GroomDocument } from '../document/schema';

/**
 * Samples are the frames of a bake: `samples` a frame of the shot, of which sample n lies at frame n / samples. A setting
 * means the same at every rate, so that a bake with more samples is the same shot at a higher rate.
 */
export interface BakePlan {
  /** The document at the rate of the samples. */
  document: GroomDocument;
  samples: number;
  /** First and last sample that is kept; the last frame has all its samples. */
  first: number;
  last: number;
  /** Sample before the first that is computed, where the guides rest as combed. */
  rest: number;
  /** Samples of a loop, 0 where there is none. */
  loop: number;
  /** Last sample that can come to be computed. */
  farthest: number;
}

export function planBake(document: GroomDocument): BakePlan {
  const { shot, bake: { samples, preRoll, loopRounds } } = document, first = shot.start * samples, last = (shot.end + 1) * samples - 1, loop = shot.cyclic ? last - first + 1 : 0;
  return {
    document: { ...document, shot: { ...shot, start: first, end: last, fps: shot.fps * samples } },
    samples, first, last, loop, rest: loop > 0 ? first - 1 : first - preRoll * samples - 1,
    // the round that is kept comes after the last that is compared, and one sample more tells its seam
    farthest: loop > 0 ? last + loopRounds * loop + 1 : last,
  };
}
/** Samples that are computed of a bake that goes round `rounds` times before the round that is kept. */
export const stepsOf = (plan: BakePlan, rounds: number): number => (plan.loop > 0 ? (rounds + 1) * plan.loop + 1 : plan.last - plan.rest);
