/**
 * One implicit substep of a strand, solved directly in O(points): BDF2 in time, Gauss–Newton bend and twist (without inertia),
 * augmented-Lagrangian stretch and contact, scalar length projection. Read from here downwards.
 *
 * With ĥ = 2h/3 (h for the first substep and for points in contact), y the inertial prediction and yv the part of it that
 * velocity is measured from, the unknown Δ of a pass (places, and spins of the edges) solves H Δ = r,
 *
 *   r = M(y − x)/ĥ² + M g − drag − ∂(bend + twist)/∂x + (λ + k C) t + k_hold(target − x) + contact
 *   H = M/ĥ² + drag/ĥ + bend and twist blocks + k t tᵀ + max(λ, 0)/|e| (1 − t tᵀ) + k_hold + k_n n nᵀ + k_f(1 − n nᵀ)
 *
 * **Source:** Bergou et al. 2008, 2010 (discrete rods and their gradients); BDF2 and augmented Lagrangians from textbooks,
 * *from memory*. Where we differ: curvature is taken with the directors on both sides of the node, spins are solved for
 * together with places, and lengths are closed by a projection in the metric of the step.
 */
import type { RodArrays, StepNumbers } from './arrays';
import { addBending } from './bend';
import { solveBlocks } from './block-solve';
import { finishStep, measureStrain } from './finish';
import { measureNodes, transportFrames } from './frames';
import { any, select, type f, type i32 } from './lanes';
import { projectLengths } from './length-projection';
import { addLoads } from './loads';
import { predict } from './predict';
import { addStretch, moveAndTighten } from './stretch';
import { addTouch, markTouched, touchMetric } from './touch';

/**
 * Advances the strand `s`, whose `n` points begin at `first`, by one substep. The root's frame (edge 0), `rootMove`,
 * `turn` and the contact planes hold the values at the end of the substep.
 */
export function stepStrand(k: RodArrays, o: StepNumbers, s: i32, first: i32, n: i32): void {
  const { touching } = k;
  const touch = touching[s];
  const touches: i32 = any(touch) ? 1 : 0;
  const passes: i32 = touches > 0 && o.passes < 2 ? 2 : o.passes;
  if (touches > 0) markTouched(k, first, n);
  predict(k, o, s, first, n, touches);
  for (let pass: i32 = 0; pass < passes; pass++) {
    // the extra pass is for strands that touch something
    const active: f = pass < o.passes ? 1 : select(touch, 1, 0);
    transportFrames(k, first, n, active);
    measureNodes(k, first, n);
    addLoads(k, o, s, first, n);
    addStretch(k, s, first, n);
    addBending(k, o, s, first, n);
    if (touches > 0) addTouch(k, o, first, n, pass);
    solveBlocks(k, n);
    moveAndTighten(k, first, n, active);
  }
  if (touches > 0) touchMetric(k, n);
  projectLengths(k, s, first, n, touches);
  finishStep(k, o, s, first, n, touches);
  if (o.lagging > 0) measureStrain(k, first, n);
}
