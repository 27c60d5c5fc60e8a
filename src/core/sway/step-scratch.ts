/** What one substep is told, and the arrays it works in. */

export interface StepOptions {
  /** Substep, s. */
  h: number;
  /** m/s². */
  gravity: readonly [number, number, number];
  /** Damping against the root's own movement, 1/s. */
  damping: number;
}

/** Working arrays for the longest strand; one per thread. */
export interface StepScratch {
  y: Float64Array; yv: Float64Array; before: Float64Array; ih: Float64Array; mobility: Float64Array; frictionK: Float64Array; normalK: Float64Array;
  r: Float64Array; inverseLength: Float64Array; edgeBlock: Float64Array; crossBlock: Float64Array;
  pivotInverse: Float64Array; lower1: Float64Array; lower2: Float64Array; ta: Float64Array; tb: Float64Array; tr: Float64Array;
}

export function createStepScratch(longest: number): StepScratch {
  const f = (k: number): Float64Array => new Float64Array(k * longest);
  return {
    y: f(3), yv: f(3), before: f(3), ih: f(1), mobility: f(1), frictionK: f(1), normalK: f(1), r: f(3), inverseLength: f(1), edgeBlock: f(6), crossBlock: f(9),
    pivotInverse: f(6), lower1: f(9), lower2: f(9), ta: f(1), tb: f(1), tr: f(1),
  };
}
