/**
 * How many substeps a frame needs for a wanted error, from the movement of the roots and what the strands are like.
 *
 * The error of BDF2 on a swing of angular frequency Ω grows by (Ωh)²/3 of its size for every radian it is remembered. With
 * A the size of the movement against the root as a share of the length and Ω/c the radians in which damping c makes it
 * forget half,
 *
 *   error ≈ ¼ A (Ωh)² · clamp(Ω/c, ½, 15)
 *
 * Ω is the faster of the roots' own movement (greatest acceleration by greatest speed) and the strand's second mode, about
 * twice its slowest; the ¼ is fitted. Compared with runs of very many substeps (`tests/conformance/substeps.test.ts`, the demo
 * groom) the tips' error is this to a factor of about four. What contact and chaos add is not in it: hair that lands on the
 * one side of a shoulder or the other, soft strands under violent shaking.
 *
 * Three things cap the substep as well: a root may travel at most three edges in it, or a strand of many points folds up; it
 * may turn by at most a third of a radian; and as roots move evenly within a frame, their velocity changes at its start: what
 * that adds to their way in one substep may be at most half an edge, and at most 1.2 edges of the shortest strands. Measured on a jump that is landed at 8 g: 1.05 edges
 * fold 42 times in 160 strands, half an edge never.
 */

import { crossDrag, LEAST_REYNOLDS } from './rod/loads';

export const MOST_SUBSTEPS = 32;
const FITTED = 0.25;
const LEAST_SUBSTEPS = 2;
/** With something to touch: a contact lasts a substep at least. Common practice, no source. */
const LEAST_IN_CONTACT = 6;

export interface StrandCharacter {
  /** m: length, shortest edge. */
  length: number;
  edge: number;
  /** m: edge of the shortest strands but a few; that of all where it is not given. */
  shortEdge?: number;
  /** N·m², kg/m. */
  bend: number;
  lineDensity: number;
  /** 1/s: damping against root and air together. */
  damping: number;
}

export interface RootMovement {
  /** m/s, m/s², rad/s: greatest of any root in the range. */
  speed: number;
  acceleration: number;
  turning: number;
}

export interface StepPlan {
  substeps: number;
  /** Newton passes a substep; where hair touches something there are two. */
  passes: number;
  /** Expected error, as a share of the length. */
  error: number;
  /** What decided. */
  because: 'asked' | 'cages' | 'error' | 'root speed' | 'root turning' | 'root jolt' | 'contact' | 'least' | 'most';
}

/** `target`: wanted error as a share of the strand's length. `asked`: a number of substeps to take whatever the error. */
export function planSubsteps(fps: number, strand: StrandCharacter, root: RootMovement, gravity: number, target: number, contact: boolean, asked?: number): StepPlan {
  const { length, bend, lineDensity } = strand;
  // slowest mode: that of a hanging chain, (2.4048/2)² g/L, stiffened by that of a clamped beam, 3.516² EI/ρAL⁴
  const slow = (1.446 * gravity) / length + (12.36 * bend) / (lineDensity * length ** 4);
  const driven = root.speed > 1e-6 ? root.acceleration / root.speed : 0, fast = Math.max(driven, 2 * Math.sqrt(slow));
  const size = slow > 0 ? Math.min(0.5, root.acceleration / (slow * length)) : root.acceleration > 0 ? 0.5 : 0;
  const memory = Math.min(15, Math.max(0.5, fast / Math.max(strand.damping, 1e-6)));
  const errorAt = (substeps: number): number => FITTED * size * (fast / (fps * substeps)) ** 2 * memory;
  if (asked !== undefined) return { substeps: asked, passes: 1, error: errorAt(asked), because: 'asked' };
  const needs = [
    ['least', LEAST_SUBSTEPS],
    ['contact', contact ? LEAST_IN_CONTACT : 1],
    ['error', size > 0 ? (fast / fps) * Math.sqrt((FITTED * size * memory) / target) : 1],
    ['root speed', root.speed / (3 * strand.edge * fps)],
    ['root turning', root.turning / (0.33 * fps)],
    ['root jolt', root.acceleration / (Math.min(0.5 * strand.edge, 1.2 * (strand.shortEdge ?? strand.edge)) * fps * fps)],
  ] as const;
  let because: StepPlan['because'] = 'least', substeps = 1;
  for (const [name, need] of needs) {
    const whole = Math.ceil(need - 1e-9);
    if (whole > substeps) { substeps = whole; because = name; }
  }
  if (substeps > MOST_SUBSTEPS) { substeps = MOST_SUBSTEPS; because = 'most'; }
  return { substeps, passes: 1, error: errorAt(substeps), because };
}

/**
 * Whether float32 is enough for a strand. Solving from root to tip cancels the stiffness of one edge, about EI/l³, down to
 * that of the whole strand (n³ times less) or to the inertia m/ĥ², whichever is greater; measured
 * (`tests/conformance/kernels.test.ts`): up to 2·10⁴ times nothing is lost, from 10⁵ on the strand goes wrong.
 */
export function float32Suffices(points: number, edge: number, bend: number, lineDensity: number, h: number): boolean {
  const stiffness = (bend * ((2 / 3) * h) ** 2) / (lineDensity * edge ** 4);
  return Math.min(stiffness, points ** 3) <= 2e4;
}

/** Damping by the air of a lock that moves at `speed`, 1/s, by the drag law of `rod/loads.ts`. */
export function airDamping(width: number, lineDensity: number, speed: number, air: { density: number; viscosity: number }): number {
  return (0.5 * air.viscosity * crossDrag(Math.max((speed * width * air.density) / air.viscosity, LEAST_REYNOLDS))) / lineDensity;
}
