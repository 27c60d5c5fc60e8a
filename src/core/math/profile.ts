/**
 * Profiles: smooth curves root → tip through given points, without overshoot.
 *
 * Cubic pieces whose slopes keep every piece monotone. **Source:** Steffen 1990, A simple method for monotonic interpolation
 * in one dimension, *from memory*; the same curve as d3-shape's `curveMonotoneX`, which draws it.
 */

/** Points (x, y), x ascending from 0 to 1; outside them the end values hold. */
export type Profile = readonly (readonly [number, number])[];

/** Value of a profile at `x`. */
export function profileAt(profile: Profile, x: number): number {
  const last = profile.length - 1;
  if (last < 0) return 1;
  if (x <= profile[0][0]) return profile[0][1];
  if (x >= profile[last][0]) return profile[last][1];
  let i = 0;
  while (x > profile[i + 1][0]) i++;
  const [x0, y0] = profile[i], [x1, y1] = profile[i + 1], h = x1 - x0, t = (x - x0) / h;
  const m0 = slope(profile, i), m1 = slope(profile, i + 1);
  const a = t * t, b = a * t;
  return (2 * b - 3 * a + 1) * y0 + (b - 2 * a + t) * h * m0 + (3 * a - 2 * b) * y1 + (b - a) * h * m1;
}

function slope(profile: Profile, i: number): number {
  const last = profile.length - 1;
  if (last === 0) return 0;
  const secant = (k: number): number => (profile[k + 1][1] - profile[k][1]) / (profile[k + 1][0] - profile[k][0]);
  if (i === 0) return last === 1 ? secant(0) : (3 * secant(0) - slope(profile, 1)) / 2;
  if (i === last) return last === 1 ? secant(0) : (3 * secant(last - 1) - slope(profile, last - 1)) / 2;
  const h0 = profile[i][0] - profile[i - 1][0], h1 = profile[i + 1][0] - profile[i][0], s0 = secant(i - 1), s1 = secant(i);
  const p = (s0 * h1 + s1 * h0) / (h0 + h1);
  return (Math.sign(s0) + Math.sign(s1)) * Math.min(Math.abs(s0), Math.abs(s1), 0.5 * Math.abs(p)) || 0;
}
