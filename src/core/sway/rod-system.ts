/**
 * Strands as discrete elastic rods: the arrays of a whole system of strands, side by side.
 *
 * Strand s owns the points `start[s] … start[s + 1] − 1`; the edge from point i to i + 1 is kept under index i. Point 0 of a
 * strand is its root and is moved, never solved for.
 */
import { requireContract } from '../contract';
import { transportEdge } from './rod-frames';

export interface RodSystem {
  readonly strandCount: number;
  readonly pointCount: number;
  /** Strands + 1: first point of each strand. */
  readonly start: Int32Array;
  /** 3 × points, m, world: position now and one substep ago. */
  readonly x: Float64Array;
  readonly xPrev: Float64Array;
  /** 3 × points, m/s. */
  readonly v: Float64Array;
  readonly vPrev: Float64Array;
  /** Points, kg. */
  readonly mass: Float64Array;
  /** Points, N/m: pull toward `holdTarget` (3 × points, m). */
  readonly holdStiffness: Float64Array;
  readonly holdTarget: Float64Array;
  /** Edges, m and N: rest length and tension. */
  readonly restLength: Float64Array;
  readonly tension: Float64Array;
  /** 2 × points and points, dimensionless (integrated over the node): rest curvature in the material frame, rest twist. */
  readonly restCurvature: Float64Array;
  readonly restTwist: Float64Array;
  /** 3 × edges: unit tangent and first material director. */
  readonly tangent: Float64Array;
  readonly director: Float64Array;
  /** Strands, N·m²: bending and twisting stiffness. */
  readonly bend: Float64Array;
  readonly twist: Float64Array;
  /** 3 × strands: root position (m), tangent and director at the end of the substep, position at its start. */
  readonly rootPosition: Float64Array;
  readonly rootTangent: Float64Array;
  readonly rootDirector: Float64Array;
  readonly rootBefore: Float64Array;
  /** Strands: substeps taken since the last start or restart (0 makes the next one backward Euler). */
  readonly history: Int32Array;
  readonly contact: ContactSlots;
  /** How often the safety net caught a strand; 0 in a healthy run. */
  netUses: number;
}

/** One contact plane a point: n · x ≥ plane, with the surface's movement over the substep. */
export interface ContactSlots {
  /** Points: index of the collider, −1 for none. */
  readonly collider: Int32Array;
  /** 3 × points, unit, and points, m. */
  readonly normal: Float64Array;
  readonly plane: Float64Array;
  /** 3 × points, m. */
  readonly slide: Float64Array;
  /** Points, N: normal force carried from substep to substep. */
  readonly force: Float64Array;
  /** Points, m, ≤ 0: how deep the point was when it first met the collider; released over time. */
  readonly startDepth: Float64Array;
  /** Points: Coulomb's coefficient of the collider met. */
  readonly friction: Float64Array;
}

export function createRodSystem(pointCounts: ArrayLike<number>): RodSystem {
  const strandCount = pointCounts.length;
  const start = new Int32Array(strandCount + 1);
  for (let s = 0; s < strandCount; s++) {
    requireContract(pointCounts[s] >= 3, 'pointCounts', 'at least 3 points a strand', pointCounts[s]);
    start[s + 1] = start[s] + pointCounts[s];
  }
  const n = start[strandCount];
  const f = (k: number): Float64Array => new Float64Array(k);
  return {
    strandCount, pointCount: n, start,
    x: f(3 * n), xPrev: f(3 * n), v: f(3 * n), vPrev: f(3 * n),
    mass: f(n), holdStiffness: f(n), holdTarget: f(3 * n),
    restLength: f(n), tension: f(n), restCurvature: f(2 * n), restTwist: f(n),
    tangent: f(3 * n), director: f(3 * n),
    bend: f(strandCount), twist: f(strandCount),
    rootPosition: f(3 * strandCount), rootTangent: f(3 * strandCount), rootDirector: f(3 * strandCount), rootBefore: f(3 * strandCount),
    history: new Int32Array(strandCount),
    contact: {
      collider: new Int32Array(n).fill(-1), normal: f(3 * n), plane: f(n), slide: f(3 * n), force: f(n), startDepth: f(n), friction: f(n),
    },
    netUses: 0,
  };
}

/**
 * Sets a strand to rest in the shape `x` (already in `system.x`): rest lengths, lumped masses, parallel-transported frames,
 * rest curvature and twist equal to those of the shape. Velocities are set to zero. The root tangent and director must be
 * set before.
 *
 * `lineDensity` kg/m, `bend` and `twist` N·m².
 */
export function restStrand(system: RodSystem, s: number, lineDensity: number, bend: number, twist: number): void {
  const { start, x, mass, restLength } = system;
  const first = start[s], end = start[s + 1];
  mass.fill(0, first, end);
  for (let i = first; i < end - 1; i++) {
    const a = 3 * i;
    const length = Math.hypot(x[a + 3] - x[a], x[a + 4] - x[a + 1], x[a + 5] - x[a + 2]);
    restLength[i] = length;
    mass[i] += 0.5 * lineDensity * length;
    mass[i + 1] += 0.5 * lineDensity * length;
  }
  system.bend[s] = bend;
  system.twist[s] = twist;
  startFrames(system, s);
  for (let i = first; i < end - 1; i++) {
    const { kappa1, kappa2, tau } = nodeStrain(system, s, i - first);
    system.restCurvature[2 * i] = kappa1;
    system.restCurvature[2 * i + 1] = kappa2;
    system.restTwist[i] = tau;
  }
  system.v.fill(0, 3 * first, 3 * end);
  system.vPrev.fill(0, 3 * first, 3 * end);
  for (let a = 3 * first; a < 3 * end; a++) system.xPrev[a] = x[a];
  system.tension.fill(0, first, end);
  system.contact.collider.fill(-1, first, end);
  system.contact.force.fill(0, first, end);
  system.history[s] = 0;
}

/** Tangents of the present shape, directors carried along them from the root without twist. */
export function startFrames(system: RodSystem, s: number): void {
  const { start, tangent, director, rootTangent, rootDirector } = system;
  for (let i = start[s]; i < start[s + 1] - 1; i++) {
    // each edge takes over the frame below it and turns it into its own direction
    const [T, D, o] = i === start[s] ? [rootTangent, rootDirector, 3 * s] : [tangent, director, 3 * i - 3];
    for (let k = 0; k < 3; k++) { tangent[3 * i + k] = T[o + k]; director[3 * i + k] = D[o + k]; }
    transportEdge(system, i);
  }
}

/** Curvatures and twist of node `node` (0 is the root's hinge), for set-up and tests; the step has its own inner loop. */
export function nodeStrain(system: RodSystem, s: number, node: number): { kappa1: number; kappa2: number; tau: number } {
  const { start, tangent, director, rootTangent, rootDirector } = system;
  const a = 3 * (start[s] + node);
  const [T, D, o] = node === 0 ? [rootTangent, rootDirector, 3 * s] : [tangent, director, a - 3];
  const t0 = [T[o], T[o + 1], T[o + 2]], u = [D[o], D[o + 1], D[o + 2]];
  const t1 = [tangent[a], tangent[a + 1], tangent[a + 2]], w = [director[a], director[a + 1], director[a + 2]];
  const cross = (p: number[], q: number[]): number[] => [p[1] * q[2] - p[2] * q[1], p[2] * q[0] - p[0] * q[2], p[0] * q[1] - p[1] * q[0]];
  const dot = (p: number[], q: number[]): number => p[0] * q[0] + p[1] * q[1] + p[2] * q[2];
  const c = dot(t0, t1), chi = Math.max(1 + c, 1e-2);
  const K = cross(t0, t1), q = K.map((k) => k / chi);
  const u2 = cross(t0, u), w2 = cross(t1, w);
  const f = dot(K, u) / chi, Ku = cross(K, u);
  const h = u.map((v, k) => v * c + Ku[k] + K[k] * f);
  return {
    kappa1: dot(q, u2) + dot(q, w2),
    kappa2: -dot(q, u) - dot(q, w),
    tau: (-2 * dot(h, w2)) / Math.max(1 + dot(h, w), 1e-3),
  };
}

/** Half the sum of the two edges at a node; at the root's hinge half the first edge. */
export function voronoiLength(system: RodSystem, first: number, i: number): number {
  return 0.5 * ((i > first ? system.restLength[i - 1] : 0) + system.restLength[i]);
}
