/**
 * Cases with known answers, as figures: the conformance tests judge them, and the plots of docs/physics.md are drawn from
 * them. Every case runs on either kernel.
 */
import type { KernelName } from '../../src/core/sway/rod-system';
import { heavyElastica } from './elastica';
import { oneStrand, plainRod, straight, type OneStrand } from './strands';

export const GRAVITY = 9.81;
/** Substep of 8 a frame at 24 frames a second. */
export const SUBSTEP = 1 / 192;
const RHO = 4e-6;
/** Stiffness for a wanted β = qL³/EI. */
export const stiffnessFor = (beta: number, L: number): number => (RHO * GRAVITY * L ** 3) / beta;

/** Settles by strong damping. */
export function settle(strand: OneStrand, h = SUBSTEP, seconds = 4): void {
  for (const damping of [20, 40, 80]) strand.step(Math.round(seconds / h), { h, damping });
}

/** Share by which the tip of a cantilever of small load misses qL⁴/8EI (Euler–Bernoulli beam tables). */
export function cantileverError(n: number, h: number, kernel: KernelName): number {
  const L = 0.1, beta = 0.02, strand = oneStrand(straight(n, L, [1, 0, 0]), plainRod(RHO, stiffnessFor(beta, L)), { kernel });
  settle(strand, h);
  return -strand.point(n - 1)[1] / ((beta * L) / 8) - 1;
}

/** Distance of the tip of the heavy elastica from the shooting solution, as a share of the length; net uses. */
export function elasticaError(beta: number, n: number, kernel: KernelName, h = SUBSTEP): { error: number; net: number } {
  const L = 0.2, reference = heavyElastica(beta), strand = oneStrand(straight(n, L, [1, 0, 0]), plainRod(RHO, stiffnessFor(beta, L)), { kernel });
  settle(strand, h);
  const [x, y] = strand.point(n - 1);
  return { error: Math.hypot(x / L - reference.x, -y / L - reference.y), net: strand.system.netUses };
}

/** Period by the zero crossings of a point's place along an axis, interpolated; and the damping ratio of its peaks. */
export function swing(strand: OneStrand, point: number, axis: number, seconds: number, gravity: [number, number, number], h = SUBSTEP): { period: number; damping: number } {
  const crossings: number[] = [], peaks: number[] = [];
  let before = strand.point(point)[axis], peak = 0;
  for (let t = h; t < seconds; t += h) {
    strand.step(1, { h, gravity });
    const now = strand.point(point)[axis];
    if (before * now < 0) {
      crossings.push(t - (h * now) / (now - before));
      peaks.push(peak);
      peak = 0;
    }
    peak = Math.max(peak, Math.abs(now));
    before = now;
  }
  // the first half swing is not whole
  const whole = peaks.slice(1), cycles = (whole.length - 1) / 2;
  return { period: (2 * (crossings[crossings.length - 1] - crossings[0])) / (crossings.length - 1), damping: Math.log(whole[0] / whole[whole.length - 1]) / (2 * Math.PI * cycles) };
}

/** First mode of a hanging chain (Bernoulli: ω = (2.4048256/2) √(g/L)): share by which ω misses, and damping ratio. */
export function chainMode(n: number, kernel: KernelName, h = SUBSTEP): { error: number; damping: number } {
  const L = 0.3, strand = oneStrand(straight(n, L, [0, -1, 0]), plainRod(RHO, 1e-13), { kernel });
  const j0 = (x: number): number => { let sum = 1, term = 1; for (let k = 1; k < 20; k++) { term *= -(x * x) / (4 * k * k); sum += term; } return sum; };
  for (let i = 1; i < n; i++) strand.shift(i, [0.002 * j0(2.4048256 * Math.sqrt(1 - i / (n - 1))), 0, 0]);
  const { period, damping } = swing(strand, n - 1, 0, 12, [0, -GRAVITY, 0], h);
  return { error: (2 * Math.PI) / period / ((2.4048256 / 2) * Math.sqrt(GRAVITY / L)) - 1, damping };
}

/** First clamped–free bending mode (beam tables: ω = 3.5160 √(EI/ρAL⁴)): share by which ω misses, and damping ratio. */
export function beamMode(n: number, kernel: KernelName, lag = 0, h = SUBSTEP): { error: number; damping: number; omega: number } {
  const L = 0.1, bend = 2e-9, strand = oneStrand(straight(n, L, [0, -1, 0]), plainRod(RHO, bend, { bendLag: lag }), { kernel });
  const mode = (s: number): number => { const k = 1.8751041 * s, r = 0.7340955; return Math.cosh(k) - Math.cos(k) - r * (Math.sinh(k) - Math.sin(k)); };
  for (let i = 1; i < n; i++) strand.shift(i, [0.0005 * mode(i / (n - 1)), 0, 0]);
  const omega = 3.516 * Math.sqrt(bend / (RHO * L ** 4)), { period, damping } = swing(strand, n - 1, 0, lag > 0 ? 6 : 3, [0, 0, 0], h);
  return { error: (2 * Math.PI) / period / omega - 1, damping, omega };
}

/** Kinetic and potential energy of a strand, J. */
export function energyOf(strand: OneStrand): number {
  let e = 0;
  for (let i = 1; i < strand.n; i++) {
    const v = strand.velocity(i);
    e += strand.get('mass', i) * (0.5 * (v[0] ** 2 + v[1] ** 2 + v[2] ** 2) + GRAVITY * strand.point(i)[1]);
  }
  return e;
}

/** Energy left of a rigid pendulum (a stiff rod on a hinge, swung out by 1 rad), as a share, after each of the given times. */
export function pendulumEnergy(substeps: number, seconds: readonly number[], kernel: KernelName): number[] {
  const n = 8, L = 0.2, h = 1 / (24 * substeps);
  const strand = oneStrand(straight(n, L, [Math.sin(1), -Math.cos(1), 0]), plainRod(5e-6, 1e-6), { kernel, hinged: true });
  let bottom = 0;
  for (let i = 1; i < n; i++) bottom -= (strand.get('mass', i) * GRAVITY * L * i) / (n - 1);
  const start = energyOf(strand);
  let steps = 0;
  return seconds.map((t) => {
    const wanted = Math.round(t / h);
    strand.step(wanted - steps, { h });
    steps = wanted;
    return (energyOf(strand) - bottom) / (start - bottom);
  });
}

/** Points of a helix whose root is at the origin, its axis downwards. */
export const helix = (n: number, radius: number, pitch: number, turns: number): number[][] =>
  Array.from({ length: n }, (_, i) => { const a = (i / (n - 1)) * turns * 2 * Math.PI; return [radius * (Math.cos(a) - 1), (-pitch * a) / (2 * Math.PI), radius * Math.sin(a)]; });
export const pathLength = (points: number[][]): number => points.slice(1).reduce((sum, p, i) => sum + Math.hypot(...p.map((v, c) => v - points[i][c])), 0);

/** Drift of a combed curl after a calm start, as a share of its length. */
export function curlDrift(bend: number, substeps: number, kernel: KernelName, seconds = 5): number {
  const shape = helix(24, 0.012, 0.03, 2.5), h = 1 / (24 * substeps), strand = oneStrand(shape, plainRod(6e-6, bend), { kernel, calm: [0, -GRAVITY, 0] });
  strand.step(Math.round(seconds / h), { h });
  return Math.max(...shape.map((p, i) => Math.hypot(...strand.point(i).map((v, c) => v - p[c])))) / pathLength(shape);
}

/** A strand hanging from a root that shakes by `amplitude` at `hertz`; places of its tip every frame. */
export function shaken(n: number, substeps: number, kernel: KernelName, options: { hertz?: number; amplitude?: number; width?: number; passes?: number; frames?: number; fps?: number } = {}): { tip: number[][]; stretch: number; net: number } {
  const { hertz = 2, amplitude = 0.05, width = 8e-5, passes = 1, frames = 48, fps = 24 } = options, L = 0.25, h = 1 / (fps * substeps);
  const strand = oneStrand(straight(n, L, [0, -1, 0]), plainRod(6.6e-6, 3.2e-8, { width, airDrag: 1 }), { kernel });
  const tip: number[][] = [];
  let stretch = 0;
  for (let f = 0; f < frames; f++) {
    for (let k = 1; k <= substeps; k++) {
      const t = (f * substeps + k) * h, ease = Math.min(1, 4 * t);
      strand.root[0] = amplitude * ease * Math.sin(2 * Math.PI * hertz * t);
      strand.step(1, { h, passes });
      stretch = Math.max(stretch, strand.stretch());
    }
    tip.push([...strand.point(n - 1)]);
  }
  return { tip, stretch, net: strand.system.netUses };
}
/** Greatest distance between two tracks, as a share of 0.25 m. */
export const apart = (a: number[][], b: number[][]): number => Math.max(...a.map((p, f) => Math.hypot(...p.map((v, c) => v - b[f][c])))) / 0.25;
