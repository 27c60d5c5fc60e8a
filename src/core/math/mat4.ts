/**
 * 4 × 4 affine transforms in column-major order (element (row, column) at `column * 4 + row`), written in place at an
 * offset of a longer array, so that a skeleton's matrices lie side by side.
 */
import type { Quat, Vec3 } from './vec';

export type NumberArray = Float32Array | Float64Array | number[];

/** Writes translation · rotation · scale to `out[o .. o+16)`. */
export function composeInto(
  out: NumberArray, o: number,
  tx: number, ty: number, tz: number,
  x: number, y: number, z: number, w: number,
  sx: number, sy: number, sz: number,
): void {
  const xx = 2 * x * x, yy = 2 * y * y, zz = 2 * z * z;
  const xy = 2 * x * y, xz = 2 * x * z, yz = 2 * y * z;
  const wx = 2 * w * x, wy = 2 * w * y, wz = 2 * w * z;
  out[o] = (1 - yy - zz) * sx; out[o + 1] = (xy + wz) * sx; out[o + 2] = (xz - wy) * sx; out[o + 3] = 0;
  out[o + 4] = (xy - wz) * sy; out[o + 5] = (1 - xx - zz) * sy; out[o + 6] = (yz + wx) * sy; out[o + 7] = 0;
  out[o + 8] = (xz + wy) * sz; out[o + 9] = (yz - wx) * sz; out[o + 10] = (1 - xx - yy) * sz; out[o + 11] = 0;
  out[o + 12] = tx; out[o + 13] = ty; out[o + 14] = tz; out[o + 15] = 1;
}

/** Writes the affine product a · b to `out[oo ..]`; `out` may be neither `a` nor `b` at the same place. */
export function multiplyInto(out: NumberArray, oo: number, a: NumberArray, ao: number, b: NumberArray, bo: number): void {
  for (let c = 0; c < 4; c++) {
    const b0 = b[bo + c * 4], b1 = b[bo + c * 4 + 1], b2 = b[bo + c * 4 + 2], b3 = c === 3 ? 1 : 0;
    for (let r = 0; r < 3; r++) {
      out[oo + c * 4 + r] = a[ao + r] * b0 + a[ao + 4 + r] * b1 + a[ao + 8 + r] * b2 + a[ao + 12 + r] * b3;
    }
    out[oo + c * 4 + 3] = b3;
  }
}

/** Inverse of an affine matrix; null when it is singular. */
export function invertAffine(m: NumberArray, o = 0): Float64Array | null {
  const a = m[o], b = m[o + 4], c = m[o + 8];
  const d = m[o + 1], e = m[o + 5], f = m[o + 9];
  const g = m[o + 2], h = m[o + 6], i = m[o + 10];
  const A = e * i - f * h, B = f * g - d * i, C = d * h - e * g;
  const det = a * A + b * B + c * C;
  if (!(Math.abs(det) > 1e-30)) return null;
  const k = 1 / det;
  const r = new Float64Array(16);
  r[0] = A * k; r[4] = (c * h - b * i) * k; r[8] = (b * f - c * e) * k;
  r[1] = B * k; r[5] = (a * i - c * g) * k; r[9] = (c * d - a * f) * k;
  r[2] = C * k; r[6] = (b * g - a * h) * k; r[10] = (a * e - b * d) * k;
  const x = m[o + 12], y = m[o + 13], z = m[o + 14];
  r[12] = -(r[0] * x + r[4] * y + r[8] * z);
  r[13] = -(r[1] * x + r[5] * y + r[9] * z);
  r[14] = -(r[2] * x + r[6] * y + r[10] * z);
  r[15] = 1;
  return r;
}

/** Spherical interpolation of unit quaternions along the shorter arc. Near-parallel pairs fall back to a normalised mix. */
export function slerpInto(out: NumberArray, o: number, a: ArrayLike<number>, ao: number, b: ArrayLike<number>, bo: number, t: number): void {
  const ax = a[ao], ay = a[ao + 1], az = a[ao + 2], aw = a[ao + 3];
  let bx = b[bo], by = b[bo + 1], bz = b[bo + 2], bw = b[bo + 3];
  let c = ax * bx + ay * by + az * bz + aw * bw;
  if (c < 0) { c = -c; bx = -bx; by = -by; bz = -bz; bw = -bw; }
  let s0 = 1 - t, s1 = t;
  if (c < 0.9995) {
    const angle = Math.acos(c), k = 1 / Math.sin(angle);
    s0 = Math.sin((1 - t) * angle) * k;
    s1 = Math.sin(t * angle) * k;
  }
  const x = ax * s0 + bx * s1, y = ay * s0 + by * s1, z = az * s0 + bz * s1, w = aw * s0 + bw * s1;
  const n = 1 / Math.sqrt(x * x + y * y + z * z + w * w || 1);
  out[o] = x * n; out[o + 1] = y * n; out[o + 2] = z * n; out[o + 3] = w * n;
}

/** Unit quaternion of the rotation whose columns are the orthonormal axes x, y, z. */
export function quatFromAxes(x: Vec3, y: Vec3, z: Vec3): Quat {
  const trace = x[0] + y[1] + z[2];
  if (trace > 0) {
    const s = Math.sqrt(trace + 1) * 2;
    return [(y[2] - z[1]) / s, (z[0] - x[2]) / s, (x[1] - y[0]) / s, s / 4];
  }
  if (x[0] > y[1] && x[0] > z[2]) {
    const s = Math.sqrt(1 + x[0] - y[1] - z[2]) * 2;
    return [s / 4, (y[0] + x[1]) / s, (z[0] + x[2]) / s, (y[2] - z[1]) / s];
  }
  if (y[1] > z[2]) {
    const s = Math.sqrt(1 + y[1] - x[0] - z[2]) * 2;
    return [(y[0] + x[1]) / s, s / 4, (z[1] + y[2]) / s, (z[0] - x[2]) / s];
  }
  const s = Math.sqrt(1 + z[2] - x[0] - y[1]) * 2;
  return [(z[0] + x[2]) / s, (z[1] + y[2]) / s, s / 4, (x[1] - y[0]) / s];
}

/** The turn b, then the turn a; quaternions x, y, z, w. */
export function multiplyQuats(a: ArrayLike<number>, b: ArrayLike<number>): Quat {
  return [
    a[3] * b[0] + a[0] * b[3] + a[1] * b[2] - a[2] * b[1], a[3] * b[1] - a[0] * b[2] + a[1] * b[3] + a[2] * b[0],
    a[3] * b[2] + a[0] * b[1] - a[1] * b[0] + a[2] * b[3], a[3] * b[3] - a[0] * b[0] - a[1] * b[1] - a[2] * b[2],
  ];
}

/** Quaternion of the least turn from one direction to another (x, y, z); half a turn about anything across where they are opposite. */
export function leastTurn(from: ArrayLike<number>, x: number, y: number, z: number): Quat {
  const l = Math.sqrt((from[0] ** 2 + from[1] ** 2 + from[2] ** 2) * (x * x + y * y + z * z));
  if (l < 1e-18) return [0, 0, 0, 1];
  const cx = (from[1] * z - from[2] * y) / l, cy = (from[2] * x - from[0] * z) / l, cz = (from[0] * y - from[1] * x) / l, w = 1 + (from[0] * x + from[1] * y + from[2] * z) / l;
  if (w < 1e-9) { const a = Math.abs(x) > Math.abs(y) ? [-z, 0, x] : [0, z, -y], k = 1 / Math.hypot(...a); return [k * a[0], k * a[1], k * a[2], 0]; }
  const k = 1 / Math.sqrt(cx * cx + cy * cy + cz * cz + w * w);
  return [k * cx, k * cy, k * cz, k * w];
}

/** Rows of the rotation of a unit quaternion at `q[o …)`, nine numbers at `out[w …)`, `stride` apart. */
export function rotationRowsInto(out: NumberArray, w: number, q: ArrayLike<number>, o = 0, stride = 1): void {
  const x = q[o], y = q[o + 1], z = q[o + 2], s = q[o + 3];
  out[w] = 1 - 2 * (y * y + z * z); out[w + stride] = 2 * (x * y - z * s); out[w + 2 * stride] = 2 * (x * z + y * s);
  out[w + 3 * stride] = 2 * (x * y + z * s); out[w + 4 * stride] = 1 - 2 * (x * x + z * z); out[w + 5 * stride] = 2 * (y * z - x * s);
  out[w + 6 * stride] = 2 * (x * z - y * s); out[w + 7 * stride] = 2 * (y * z + x * s); out[w + 8 * stride] = 1 - 2 * (x * x + y * y);
}

/** out[o …) ← q v q* for the unit quaternion at `q[p …)` and the vector at `v[k …)`; components of `out` stand `stride` apart. */
export function turnInto(out: NumberArray, o: number, v: ArrayLike<number>, k: number, q: ArrayLike<number>, p = 0, stride = 1): void {
  const x = v[k], y = v[k + 1], z = v[k + 2], qx = q[p], qy = q[p + 1], qz = q[p + 2], qw = q[p + 3];
  const tx = 2 * (qy * z - qz * y), ty = 2 * (qz * x - qx * z), tz = 2 * (qx * y - qy * x);
  out[o] = x + qw * tx + qy * tz - qz * ty;
  out[o + stride] = y + qw * ty + qz * tx - qx * tz;
  out[o + 2 * stride] = z + qw * tz + qx * ty - qy * tx;
}
/** The same, then moved: a rigid motion of seven numbers, quaternion and translation, at `m[p …)`. */
export function moveInto(out: NumberArray, o: number, v: ArrayLike<number>, k: number, m: ArrayLike<number>, p = 0): void {
  turnInto(out, o, v, k, m, p);
  out[o] += m[p + 4]; out[o + 1] += m[p + 5]; out[o + 2] += m[p + 6];
}
/** A rigid motion of seven numbers at share `t` of the way from one to another, all at `o`. */
export function mixMotion(out: NumberArray, o: number, from: ArrayLike<number>, to: ArrayLike<number>, t: number): void {
  slerpInto(out, o, from, o, to, o, t);
  for (let k = o + 4; k < o + 7; k++) out[k] = from[k] + (to[k] - from[k]) * t;
}
/** The same for as many as there are. */
export function mixMotions(out: NumberArray, from: ArrayLike<number>, to: ArrayLike<number>, t: number): void {
  for (let o = 0; o < out.length; o += 7) mixMotion(out, o, from, to, t);
}
