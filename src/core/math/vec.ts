/**
 * Small vectors as plain tuples, for set-up code and tests. Inner loops of the core work on scalar locals instead.
 */
export type Vec3 = [number, number, number];
/** Quaternion in the order x, y, z, w. */
export type Quat = [number, number, number, number];

export const clamp = (x: number, low = 0, high = 1): number => (x < low ? low : x > high ? high : x);
export const mix = (a: number, b: number, t: number): number => a + (b - a) * t;
/** Cubic step from 0 at `low` to 1 at `high`; `low` may exceed `high`, which turns the step round. */
export const smoothStep = (low: number, high: number, x: number): number => {
  const t = clamp((x - low) / (high - low));
  return t * t * (3 - 2 * t);
};

export const add = (a: Vec3, b: Vec3): Vec3 => [a[0] + b[0], a[1] + b[1], a[2] + b[2]];
export const sub = (a: Vec3, b: Vec3): Vec3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
export const scale = (a: Vec3, s: number): Vec3 => [a[0] * s, a[1] * s, a[2] * s];
export const addScaled = (a: Vec3, b: Vec3, s: number): Vec3 => [a[0] + b[0] * s, a[1] + b[1] * s, a[2] + b[2] * s];
export const dot = (a: Vec3, b: Vec3): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
export const cross = (a: Vec3, b: Vec3): Vec3 => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
export const length = (a: Vec3): number => Math.sqrt(dot(a, a));
/** Unit vector along `a`; the zero vector stays zero. */
export const normalize = (a: Vec3): Vec3 => {
  const l = length(a);
  return l > 0 ? scale(a, 1 / l) : [0, 0, 0];
};

/** Some unit vector across the unit vector `t`: the coordinate axis least along it, made perpendicular. */
export function perpendicular(t: Vec3): Vec3 {
  const ax = Math.abs(t[0]);
  const ay = Math.abs(t[1]);
  const az = Math.abs(t[2]);
  const axis: Vec3 = ax <= ay && ax <= az ? [1, 0, 0] : ay <= az ? [0, 1, 0] : [0, 0, 1];
  return normalize(addScaled(axis, t, -dot(axis, t)));
}

/** The least rotation that takes one unit vector to another, as a function that turns (x, y, z) into `out`. Source: Rodrigues' formula. */
export function shortestTurn(from: Vec3, to: Vec3): (x: number, y: number, z: number, out: Vec3) => void {
  const axis = cross(from, to), s = Math.hypot(...axis), c = dot(from, to), k = normalize(axis);
  return (x, y, z, out) => {
    if (s < 1e-9) { out[0] = x; out[1] = y; out[2] = z; return; }
    const along = (1 - c) * (k[0] * x + k[1] * y + k[2] * z);
    out[0] = c * x + s * (k[1] * z - k[2] * y) + along * k[0];
    out[1] = c * y + s * (k[2] * x - k[0] * z) + along * k[1];
    out[2] = c * z + s * (k[0] * y - k[1] * x) + along * k[2];
  };
}
