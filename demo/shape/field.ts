/**
 * Signed distance fields: functions (x, y, z) → distance to a surface, negative inside. Lengths are millimetres. Ellipsoids
 * and skewed sections are bounds rather than exact distances, which the extraction allows for.
 * Source: I. Quílez, articles on distance functions and smooth minima, *from memory*.
 */
import { clamp, mix } from '../../src/core/math/vec';

export type Field = (x: number, y: number, z: number) => number;
export type Point = readonly number[];

const { sqrt, abs, min, max, sin, cos, PI, floor } = Math;

/** Smooth union with a rounding of width `k`; `k ≤ 0` gives the plain minimum. */
export const smoothMin = (a: number, b: number, k: number): number => {
  const least = a < b ? a : b;
  if (k <= 0) return least;
  const h = k - abs(a - b);
  return h <= 0 ? least : least - (h * h) / (4 * k);
};
export const smoothMax = (a: number, b: number, k: number): number => -smoothMin(-a, -b, k);

/** Row-major matrix of the rotation Rz·Ry·Rx, degrees. */
function rotation(rx: number, ry: number, rz: number): number[] {
  const d = PI / 180;
  const a = cos(rx * d), b = sin(rx * d), c = cos(ry * d), e = sin(ry * d), f = cos(rz * d), g = sin(rz * d);
  return [f * c, f * e * b - g * a, f * e * a + g * b, g * c, g * e * b + f * a, g * e * a - f * b, -e, c * b, c * a];
}

export function ellipsoid(cx: number, cy: number, cz: number, rx: number, ry: number, rz: number, turnDeg?: [number, number, number]): Field {
  const m = turnDeg ? rotation(...turnDeg) : null;
  const ix = 1 / rx, iy = 1 / ry, iz = 1 / rz;
  const least = min(rx, ry, rz);
  return (x, y, z) => {
    x -= cx; y -= cy; z -= cz;
    if (m) {
      const u = m[0] * x + m[3] * y + m[6] * z;
      const v = m[1] * x + m[4] * y + m[7] * z;
      z = m[2] * x + m[5] * y + m[8] * z;
      x = u; y = v;
    }
    x *= ix; y *= iy; z *= iz;
    const k0 = sqrt(x * x + y * y + z * z);
    x *= ix; y *= iy; z *= iz;
    const k1 = sqrt(x * x + y * y + z * z);
    return k1 < 1e-9 ? -least : (k0 * (k0 - 1)) / k1;
  };
}

/** Tapered capsule from `a` (radius `ra`) to `b` (radius `rb`). */
export function capsule(a: Point, b: Point, ra: number, rb = ra): Field {
  const [ax, ay, az] = a;
  const bx = b[0] - ax, by = b[1] - ay, bz = b[2] - az;
  const il = 1 / (bx * bx + by * by + bz * bz || 1e-12);
  return (x, y, z) => {
    x -= ax; y -= ay; z -= az;
    const h = clamp((x * bx + y * by + z * bz) * il);
    x -= bx * h; y -= by * h; z -= bz * h;
    return sqrt(x * x + y * y + z * z) - (ra + (rb - ra) * h);
  };
}

/** Capsule whose section is stretched along the unit axis `u` by `stretchA` at `a` and `stretchB` at `b`. */
export function flatCapsule(a: Point, b: Point, ra: number, rb: number, u: Point, stretchA: number, stretchB = stretchA): Field {
  const [ax, ay, az] = a;
  const bx = b[0] - ax, by = b[1] - ay, bz = b[2] - az;
  const il = 1 / (bx * bx + by * by + bz * bz || 1e-12);
  return (x, y, z) => {
    x -= ax; y -= ay; z -= az;
    const h = clamp((x * bx + y * by + z * bz) * il);
    x -= bx * h; y -= by * h; z -= bz * h;
    const s = mix(stretchA, stretchB, h);
    const q = x * u[0] + y * u[1] + z * u[2];
    const t = q / s - q;
    x += t * u[0]; y += t * u[1]; z += t * u[2];
    return (sqrt(x * x + y * y + z * z) - (ra + (rb - ra) * h)) * min(1, s);
  };
}

/** Capsules through [x, y, z, radius] points. Chains sampled from a spline want `k = 0`: any rounding makes beads of them. */
export function chain(points: Point[], k = 0): Field {
  const parts: Field[] = [];
  for (let i = 0; i + 1 < points.length; i++) parts.push(capsule(points[i], points[i + 1], points[i][3], points[i + 1][3]));
  return (x, y, z) => {
    let d = parts[0](x, y, z);
    for (let i = 1; i < parts.length; i++) d = smoothMin(d, parts[i](x, y, z), k);
    return d;
  };
}

/** `count + 1` samples of the Catmull-Rom curve through points of any dimension. */
export function spline(points: Point[], count: number): number[][] {
  const out: number[][] = [];
  const last = points.length - 1;
  for (let i = 0; i <= count; i++) {
    const at = (i / count) * last;
    const s = min(floor(at), last - 1);
    const t = at - s;
    const p0 = points[max(s - 1, 0)], p1 = points[s], p2 = points[s + 1], p3 = points[min(s + 2, last)];
    out.push(p1.map((v, j) => 0.5 * (2 * v + (p2[j] - p0[j]) * t + (2 * p0[j] - 5 * v + 4 * p2[j] - p3[j]) * t * t
      + (3 * v - p0[j] - 3 * p2[j] + p3[j]) * t * t * t)));
  }
  return out;
}

/** Cubic Hermite through [x, value] keys with chord slopes; constant outside. */
export function curve(keys: [number, number][]): (x: number) => number {
  const n = keys.length;
  const slope = keys.map((_, i) => {
    const a = keys[max(i - 1, 0)], b = keys[min(i + 1, n - 1)];
    return (b[1] - a[1]) / (b[0] - a[0] || 1);
  });
  return (x) => {
    if (x <= keys[0][0]) return keys[0][1];
    if (x >= keys[n - 1][0]) return keys[n - 1][1];
    let i = 0;
    while (x > keys[i + 1][0]) i++;
    const h = keys[i + 1][0] - keys[i][0];
    const t = (x - keys[i][0]) / h, t2 = t * t, t3 = t2 * t;
    return (2 * t3 - 3 * t2 + 1) * keys[i][1] + (t3 - 2 * t2 + t) * h * slope[i]
      + (-2 * t3 + 3 * t2) * keys[i + 1][1] + (t3 - t2) * h * slope[i + 1];
  };
}

/** Gradient by a tetrahedron of four samples at distance `e`. */
export function gradientInto(f: Field, x: number, y: number, z: number, e: number, out: number[]): number[] {
  const a = f(x + e, y - e, z - e), b = f(x - e, y - e, z + e), c = f(x - e, y + e, z - e), d = f(x + e, y + e, z + e);
  const s = 1 / (4 * e);
  out[0] = (a - b - c + d) * s;
  out[1] = (-a - b + c + d) * s;
  out[2] = (-a + b - c + d) * s;
  return out;
}
