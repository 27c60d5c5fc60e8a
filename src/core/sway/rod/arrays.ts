/**
 * The numbers of a system of strands, field by field, as flat arrays.
 *
 * A strand's points are numbered from its root, 0 … n − 1; the point i of a strand stands at `first + i` in every point
 * field. **Edge i lies below point i**, from i − 1 to i; edge 0 stands for the scalp: its frame is the root's, its length 0.
 * **Node i** is the joint between the edges i and i + 1; node 0 is the root's hinge against the scalp, with half a Voronoi
 * length.
 *
 * Places are seen **from the strand's root** along the world's axes: numbers stay small wherever the character goes, which
 * is what lets float32 suffice, and a root that travels evenly changes nothing.
 */

/** Numbers a point (or edge, or node) has in each field; units in SI. */
export const POINT_FIELDS = {
  /** m and m/s, from the root of the same moment: now and one substep ago. */
  x: 3, xPrev: 3, v: 3, vPrev: 3,
  /** kg; 1/s against the root's own movement. */
  mass: 1, damping: 1,
  /** N/m toward the target, `holdOffset` (m, from the root) turned by the root's `turn`; 1 where the point is moved there, never solved for. */
  holdStiffness: 1, holdOffset: 3, fixed: 1,
  /** N/m toward the place of a tie; that place, m, from the root along the world's axes, at the end of the substep. */
  tieStiffness: 1, tieTarget: 3,
  /** m/s: velocity of the air at the point. */
  air: 3,
  /** ½ μ l, kg/s: viscosity of the air times the length the point stands for; see `loads.ts`. */
  drag: 1,
  /** Edges, m and N. */
  restLength: 1, tension: 1,
  /** Edges: unit tangent and first material director. */
  tangent: 3, director: 3,
  /** Nodes, N·m²: bending and twisting stiffness. */
  bend: 1, twist: 1,
  /** Nodes, dimensionless (integrated over the node): rest curvatures and twist. */
  restCurvature: 2, restTwist: 1,
  /** Nodes: curvatures at the end of this substep and of the one before; kept up only where bending is damped. */
  strain: 2, strainPrev: 2,
} as const;

/** Contacts an edge can have at once. */
export const SLOTS = 2;

/**
 * Numbers an edge has for its contacts, for both slots; there only in systems that touch something. A contact acts between
 * the points i − 1 and i of the edge i, with the weights 1 − s and s.
 */
export const TOUCH_FIELDS = {
  /** 0: none; 1: near; 2: expected to press. */
  touchOn: 2,
  /** s; unit normal; n · x ≥ plane, m, from the root at the end of the substep; m: the surface's movement over the substep. */
  touchAt: 2, touchNormal: 6, touchPlane: 2, touchSlide: 6,
  /** Coulomb's coefficient. */
  touchFriction: 2,
  /** Carried from substep to substep: N, normal force; N, friction of a contact that sticks; 1 where it sticks; 1 where it pressed; m, what the slip was underestimated by. */
  touchForce: 2, touchStick: 6, touchSticks: 2, touchWas: 2, touchLag: 2,
} as const;

/** Numbers a strand has in each field. */
export const STRAND_FIELDS = {
  /** m: the root's movement over the substep; its rotation at the end, row by row. */
  rootMove: 3, turn: 9,
  /** m. */
  length: 1,
  /** 1/s: linear drag against the air; s/m: Reynolds' number of a speed. */
  airRate: 1, reynolds: 1,
  /** s: bending stress lags behind strain by this time (Kelvin and Voigt). */
  bendLag: 1,
  /** Substeps since the last start or restart; 0 makes the next one backward Euler. */
  history: 1,
  /** 1 where any edge has a contact. */
  touching: 1,
  /** How often the safety net has caught the strand; 0 in a healthy run. */
  netUses: 1,
  /** Passes of the length projection in the last substep. */
  projections: 1,
} as const;

/** Working numbers a point of the strand in hand has; one set a thread, one point longer than the longest strand. */
export const SCRATCH_FIELDS = {
  y: 3, yv: 3, before: 3, ahead: 3, target: 3, ih: 1, mobility: 1, held: 1,
  touchBlock: 6, metric: 6, touchActive: 2, touchK: 2, touchStiff: 2, touchCarried: 6,
  inverseLength: 1, stretchiness: 1, binormal: 3, chi: 1, kappa: 2, tau: 1, spin: 4,
  r: 4, pointBlock: 6, edgeBlock: 6, crossBlock: 9, spinSpin: 1, spinNext: 1, spinOwn: 3, spinBelow: 3, spinAbove: 3,
  factor: 38, ta: 1, tb: 1, tr: 1,
} as const;

export type Lanes = Float64Array | Float32Array;
type Names = keyof typeof POINT_FIELDS | keyof typeof TOUCH_FIELDS | keyof typeof STRAND_FIELDS | keyof typeof SCRATCH_FIELDS;
export type RodArrays = { readonly [K in Names]: Lanes };

/** What holds for all strands of a substep. */
export interface StepNumbers {
  /** Substep, s. */
  h: number;
  /** m/s². */
  gravityX: number; gravityY: number; gravityZ: number;
  /** Newton passes; where a strand touches something at least two. */
  passes: number;
  /** Whether any bending is damped. */
  lagging: number;
}

export interface Layout { points: number; strands: number; longest: number; lanes: number; touch: boolean }

/** Offset, in numbers, of each field of a system; and the size of it all. Lanes are kept side by side. */
export function layOut({ points, strands, longest, lanes, touch }: Layout): { offsets: Record<Names, number>; size: number } {
  const offsets = {} as Record<Names, number>;
  let size = 0;
  const take = (fields: Record<string, number>, count: number): void => {
    for (const [name, width] of Object.entries(fields)) { offsets[name as Names] = size; size += width * count * lanes; }
  };
  take(POINT_FIELDS, points);
  take(TOUCH_FIELDS, touch ? points : 0);
  take(STRAND_FIELDS, strands);
  take(SCRATCH_FIELDS, longest + 2);
  return { offsets, size };
}
