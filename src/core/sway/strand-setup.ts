/** One strand as a rod, set up in float64 before it joins a system: places, masses, stiffness, rest shape, the air. */
import { perpendicular, type Vec3 } from '../math/vec';
import { measureNodes, transportFrames } from './rod/frames';
import { RodSystem } from './rod-system';

/** Air at 20 °C and one atmosphere: density kg/m³, viscosity Pa·s. Source: handbook tables of dry air, *from memory*. */
export const AIR = { density: 1.204, viscosity: 1.81e-5 } as const;

/** m: points that lie on one another are taken to be so far apart. */
const SHORTEST_EDGE = 1e-6;

export interface Rod {
  /** kg/m. */
  lineDensity: number;
  /** N·m². */
  bend: number;
  twist: number;
  /** s: Kelvin–Voigt lag of bending. */
  bendLag?: number;
  /** Width the air meets, m, and a multiplier of the drag law; 0 or left out: no such drag. */
  width?: number;
  airDrag?: number;
  /** 1/s: linear drag against the air. */
  airRate?: number;
}

/** Values at a point by its share of the length from the root. */
export interface Along {
  mass?: (share: number) => number;
  stiffness?: (share: number) => number;
  /** 1/s against the root's own movement. */
  damping?: (share: number) => number;
}

/** A strand through `points` (3 × n, m, world), its root's tangent along the first edge unless given. */
export function placeStrand(points: ArrayLike<number>, rootTangent?: Vec3): RodSystem {
  const one = new RodSystem([points.length / 3]), { k, rootPosition, rootBefore } = one;
  for (let c = 0; c < 3; c++) rootPosition[c] = rootBefore[c] = points[c];
  for (let a = 0; a < points.length; a++) k.x[a] = k.xPrev[a] = points[a] - points[a % 3];
  const t = rootTangent ?? unit([k.x[3], k.x[4], k.x[5]]);
  one.setRootFrame(0, t, 0, perpendicular(t), 0);
  k.fixed[0] = 1;
  k.turn[0] = k.turn[4] = k.turn[8] = 1;
  return one;
}

/** Unit vector; upwards for none. */
function unit(v: Vec3): Vec3 {
  const l = Math.hypot(...v);
  return l > 0 ? [v[0] / l, v[1] / l, v[2] / l] : [0, 1, 0];
}

/** Tangents of the present shape, directors carried along them from the root's without twist. */
export function startFrames(one: RodSystem): void {
  const { k, pointCount } = one;
  for (let i = 1; i < pointCount; i++) {
    // each edge takes over the frame below it and turns it into its own direction
    for (let c = 3 * i; c < 3 * i + 3; c++) { k.tangent[c] = k.tangent[c - 3]; k.director[c] = k.director[c - 3]; }
    transportFrames(k, i - 1, 2, 1);
  }
}

/** How the rest shape is fastened to the root's frame. */
export type Fastening = 'as placed' | 'along its first edge' | 'along its root tangent';

/**
 * Makes a rod of the strand, unloaded in the shape `rest` (3 × n, m; its own where left out) and at rest where it is.
 * The rest shape's first edge lies in the root's frame as it is placed; or along the root's tangent; or the tangent that
 * the rest shape has at its root, half a node's bend before the first edge, does.
 */
export function makeRod(one: RodSystem, rod: Rod, along: Along = {}, rest?: ArrayLike<number>, fastening: Fastening = 'as placed'): void {
  const { k, pointCount: n } = one;
  restShape(one, rest, fastening);
  let length = 0;
  for (let i = 1; i < n; i++) length += k.restLength[i];
  k.length[0] = length;
  k.reynolds[0] = ((rod.width ?? 0) * AIR.density) / AIR.viscosity;
  k.airRate[0] = rod.airRate ?? 0;
  k.bendLag[0] = rod.bendLag ?? 0;
  let at = 0;
  for (let i = 0; i < n; i++) {
    at += k.restLength[i];
    const share = length > 0 ? at / length : 0, reach = 0.5 * (k.restLength[i] + (i < n - 1 ? k.restLength[i + 1] : 0)), stiff = along.stiffness?.(share) ?? 1;
    k.mass[i] = rod.lineDensity * reach * (along.mass?.(share) ?? 1);
    k.bend[i] = rod.bend * stiff;
    k.twist[i] = rod.twist * stiff;
    k.damping[i] = along.damping?.(share) ?? 0;
    k.drag[i] = rod.width ? 0.5 * AIR.viscosity * reach * (rod.airDrag ?? 1) : 0;
  }
}

function restShape(one: RodSystem, rest: ArrayLike<number> | undefined, fastening: Fastening): void {
  const { k, pointCount: n } = one, own = k.x.slice();
  if (rest) for (let a = 0; a < 3 * n; a++) k.x[a] = rest[a] - rest[a % 3];
  startFrames(one);
  measureNodes(k, 0, n);
  for (let i = 0; i < n - 1; i++) {
    k.restCurvature[2 * i] = k.kappa[2 * i];
    k.restCurvature[2 * i + 1] = k.kappa[2 * i + 1];
    k.restTwist[i] = k.tau[i];
  }
  if (fastening !== 'as placed') {
    const bend = fastening === 'along its first edge' ? 0 : 0.5;
    // turned as a whole, so that the frames further up stay as they are
    k.restCurvature[0] = bend * k.restCurvature[2];
    k.restCurvature[1] = bend * k.restCurvature[3];
    k.restTwist[0] = 0;
  }
  for (let i = 1; i < n; i++) k.restLength[i] = Math.max(SHORTEST_EDGE, Math.hypot(k.x[3 * i] - k.x[3 * i - 3], k.x[3 * i + 1] - k.x[3 * i - 2], k.x[3 * i + 2] - k.x[3 * i - 1]));
  k.x.set(own);
  startFrames(one);
  measureNodes(k, 0, n);
  for (let b = 0; b < 2 * (n - 1); b++) k.strain[b] = k.strainPrev[b] = k.kappa[b];
}

/** Frees the root to turn: it keeps its place only. */
export function hingeRoot(one: RodSystem): void {
  one.k.bend[0] = 0;
  one.k.twist[0] = 0;
}
