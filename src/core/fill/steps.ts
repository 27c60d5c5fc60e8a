/**
 * What each treatment does to one node of a strand, root → tip. The only definition there is: the processor runs these lines,
 * and scripts/treatments.mjs turns the same lines into the shaders (src/editor/view/treatments-glsl.ts). They keep to a small
 * language: numbers, the arrays `S` and `A`, `Math`, functions of this file; an `if` asks parameters alone. scripts/fill-kernel.mjs makes of them what moves four strands at once.
 *
 * `S`: what is known of the node and what the step keeps from node to node, at the places named below. `A`: parameters of the treatment, in
 * the order of `TREATMENTS`. A step reads the node's place P and writes where it is wanted, Q; the caller then keeps the lengths: it goes
 * on from the node before by the length of the edge in the direction of Q − Q before, and toward the line through them where it is beside it (`toward`). All in m, from the root, in the orientation of rest.
 *
 * | place | what |
 * |---|---|
 * | 0, 3 | P: where the node is; Q: where it is wanted |
 * | 6, 7, 8, 9 | length of the edge that ends at the node; its share of the strand (0 … 1); its way from the root; the strand's length |
 * | 10, 11 … 13 | how much of the treatment there is at the node; three random numbers of the strand, 0 … 1 |
 * | 14, 17, 20 | tangent; where the centre of the clump is at the node; the centre's tangent |
 * | 23 | normal of the skin at the root |
 * | 26, 29, 32 | kept: the place before, the tangent before, a direction across that turns no more than it must |
 * | 35, 38, 39 | kept: place on the axis, way along it, distance from it |
 */

/** Places there are in `S`. */
export const STATE = 40;

/** Sine of so many turns, to 2e-7: the same operations everywhere. With q = |x| (½ − |x|) it is x (½ − |x|) times a cubic of q. **Source:** fitted to the sine for the least error. */
export function sine(turns: number): number {
  const x = turns - Math.floor(turns + 0.5), a = 0.5 - Math.abs(x), q = a * (0.5 - a);
  return x * a * (12.566345841224734 + q * (50.26931388361032 + q * (71.20310289298564 + q * 56.04551932007919)));
}
/** From 0 to 1, without a corner at either. */
export function eased(x: number): number {
  const t = Math.max(0, Math.min(1, x));
  return t * t * (3 - 2 * t);
}

/** Before the first node: a direction across the strand at its root, as near to the skin's normal as may be. */
export function begin(S: Float64Array): void {
  const tx = S[14], ty = S[15], tz = S[16], along = S[23] * tx + S[24] * ty + S[25] * tz;
  const ux = S[23] - along * tx, uy = S[24] - along * ty, uz = S[25] - along * tz;
  // it stands straight: any direction will do
  const straight = ux * ux + uy * uy + uz * uz < 0.01 ? 1 : 0, ax = Math.abs(tx) < 0.7 ? 1 : 0, ay = 1 - ax, d = ax * tx + ay * ty;
  const x = straight > 0 ? ax - d * tx : ux, y = straight > 0 ? ay - d * ty : uy, z = straight > 0 ? -d * tz : uz;
  const k = 1 / Math.sqrt(x * x + y * y + z * z);
  S[32] = k * x; S[33] = k * y; S[34] = k * z;
  S[26] = S[0]; S[27] = S[1]; S[28] = S[2];
  S[29] = tx; S[30] = ty; S[31] = tz;
  S[35] = S[0]; S[36] = S[1]; S[37] = S[2];
  S[38] = 0; S[39] = 0;
  S[3] = S[0]; S[4] = S[1]; S[5] = S[2];
}
/**
 * Carries the direction across along from the node before without turning it about the strand.
 * **Source:** Wang, Jüttler, Zheng & Liu 2008, Computation of Rotation Minimizing Frames, the double reflection method, *from memory*.
 */
export function carry(S: Float64Array): void {
  const ax = S[0] - S[26], ay = S[1] - S[27], az = S[2] - S[28], c1 = 2 / Math.max(1e-30, ax * ax + ay * ay + az * az);
  const r1 = c1 * (ax * S[32] + ay * S[33] + az * S[34]), t1 = c1 * (ax * S[29] + ay * S[30] + az * S[31]);
  const rx = S[32] - r1 * ax, ry = S[33] - r1 * ay, rz = S[34] - r1 * az;
  const bx = S[14] - (S[29] - t1 * ax), by = S[15] - (S[30] - t1 * ay), bz = S[16] - (S[31] - t1 * az), c2 = 2 / Math.max(1e-30, bx * bx + by * by + bz * bz);
  const r2 = c2 * (bx * rx + by * ry + bz * rz);
  S[32] = rx - r2 * bx; S[33] = ry - r2 * by; S[34] = rz - r2 * bz;
  S[26] = S[0]; S[27] = S[1]; S[28] = S[2];
  S[29] = S[14]; S[30] = S[15]; S[31] = S[16];
}

/**
 * How much of the way aside is made up with an edge: of an edge (ex, ey, ez) between places wanted, with the node before off by (dx, dy, dz) from
 * where it was wanted; what is along the edge does not count, and it turns by half a right angle at most.
 */
export function toward(ex: number, ey: number, ez: number, dx: number, dy: number, dz: number): number {
  const ee = Math.max(1e-24, ex * ex + ey * ey + ez * ez), d = (ex * dx + ey * dy + ez * dz) / ee, aside = Math.max(1e-24, dx * dx + dy * dy + dz * dz - d * d * ee);
  return Math.min(1, Math.sqrt(ee / aside));
}

/** Draws the strand to the centre of its clump. A: turns of the clump about its centre. */
export function clump(S: Float64Array, A: Float64Array): void {
  let x = S[0] - S[17], y = S[1] - S[18], z = S[2] - S[19];
  if (A[0] !== 0) {
    const turns = A[0] * S[7], c = sine(turns + 0.25), s = sine(turns), ux = S[20], uy = S[21], uz = S[22], d = (1 - c) * (ux * x + uy * y + uz * z);
    const vx = c * x + s * (uy * z - uz * y) + d * ux, vy = c * y + s * (uz * x - ux * z) + d * uy;
    z = c * z + s * (ux * y - uy * x) + d * uz;
    x = vx; y = vy;
  }
  const left = 1 - S[10];
  S[3] = S[17] + left * x; S[4] = S[18] + left * y; S[5] = S[19] + left * z;
}

/**
 * Winds the strand about the way it had. A: radius (m), turns on a metre of the axis (1 / pitch), share of curls the other way; the first random number is the phase (turns), the second tells the way.
 * The axis shortens so that the strand keeps its length at the radius wanted: an edge E spans Δ of the axis where
 * E² = Δ² + 4 r² sin²(πΔ/pitch).
 */
export function curl(S: Float64Array, A: Float64Array): void {
  const radius = A[0] * S[10] * eased(2 * A[1] * S[38]), k = 6.283185307179586 * radius * A[1], perEdge = 3.141592653589793 * A[1], kk = k * k, most = perEdge * perEdge * S[6] * S[6];
  // sin² x = x² (1 − x²/3 + 2 x⁴/45 − …) with v = x²: one round, then one step of Newton's method, which is exact enough
  const v = most / (1 + kk), first = 1 / (1 + kk * Math.max(0.2, 1 - v * (0.3333333333333333 - v * (0.044444444444444446 - v * 0.0031746031746031746)))), w = most * first;
  const rise = Math.max(0.2, 1 - w * (0.3333333333333333 - w * (0.044444444444444446 - w * 0.0031746031746031746))), slope = Math.max(0.2, 1 - w * (0.6666666666666666 - w * (0.13333333333333333 - w * 0.012698412698412698)));
  const share = Math.sqrt((1 + kk * (slope - rise) * first) / (1 + kk * slope)), span = share * S[6];
  S[38] = S[38] + span;
  S[35] = S[35] + share * (S[0] - S[26]); S[36] = S[36] + share * (S[1] - S[27]); S[37] = S[37] + share * (S[2] - S[28]);
  carry(S);
  const turns = S[38] * A[1], phase = S[11] + (S[12] < A[2] ? -turns : turns), c = radius * sine(phase + 0.25), s = radius * sine(phase);
  const bx = S[15] * S[34] - S[16] * S[33], by = S[16] * S[32] - S[14] * S[34], bz = S[14] * S[33] - S[15] * S[32];
  S[3] = S[35] + c * S[32] + s * bx; S[4] = S[36] + c * S[33] + s * by; S[5] = S[37] + c * S[34] + s * bz;
}

/** Bends the strand to and fro in one plane. A: height (m), waves on a metre, cosine and sine of how far the plane is turned from off the skin; the first random number is the phase (turns). */
export function wave(S: Float64Array, A: Float64Array): void {
  const height = A[0] * S[10] * eased(2 * A[1] * S[38]), phase = S[11];
  const ee = S[6] * S[6], start = phase + S[38] * A[1];
  // two rounds, and from there to where they lead. **Source:** Aitken's delta-squared process, *from memory*
  const first = height * sine(start + S[6] * A[1]), d1 = first - S[39], s1 = Math.sqrt(Math.max(0.04 * ee, ee - d1 * d1));
  const second = height * sine(start + s1 * A[1]), d2 = second - S[39], s2 = Math.sqrt(Math.max(0.04 * ee, ee - d2 * d2));
  const gone = s1 - S[6], per = gone / Math.max(1e-24, gone * gone), rate = Math.max(-0.5, Math.min(0.5, per * (s2 - s1)));
  const span = s2 + (rate / (1 - rate)) * (s2 - s1), off = second + Math.max(-1, Math.min(1, per * (span - s1))) * (second - first);
  const share = span / Math.max(1e-12, S[6]);
  S[38] = S[38] + span;
  S[39] = off;
  S[35] = S[35] + share * (S[0] - S[26]); S[36] = S[36] + share * (S[1] - S[27]); S[37] = S[37] + share * (S[2] - S[28]);
  carry(S);
  const c = off * A[2], s = off * A[3], bx = S[15] * S[34] - S[16] * S[33], by = S[16] * S[32] - S[14] * S[34], bz = S[14] * S[33] - S[15] * S[32];
  S[3] = S[35] + c * S[32] + s * bx; S[4] = S[36] + c * S[33] + s * by; S[5] = S[37] + c * S[34] + s * bz;
}

/** Lets the strand wander across itself. A: how far (m, root mean square of each direction), 1 / wavelength (1/m): the wander holds wavelengths from 0.8 to 1.25 of that. */
export function frizz(S: Float64Array, A: Float64Array): void {
  const w = S[8] * A[1], a = A[0] * S[10] * eased(2 * w), u = S[11], v = S[12], t = S[13];
  const x = a * (sine(0.8 * w + u) + sine(1.19 * w + 7.13 * v)), y = a * (sine(0.88 * w + v) + sine(1.25 * w + 5.71 * t)), z = a * (sine(1.04 * w + t) + sine(0.83 * w + 6.37 * u));
  // along itself it does not: with lengths kept that would add up to a drift
  const d = x * S[14] + y * S[15] + z * S[16];
  S[3] = S[0] + x - d * S[14]; S[4] = S[1] + y - d * S[15]; S[5] = S[2] + z - d * S[16];
}

/** Lets a share of the strands stand off. A: share of the strands, how far their tips go (m). */
export function stray(S: Float64Array, A: Float64Array): void {
  const z = 2 * S[12] - 1, r = Math.sqrt(Math.max(0, 1 - z * z)), c = sine(S[13] + 0.25), s = sine(S[13]), on = S[11] < A[0] ? A[1] * S[10] * S[7] * S[7] : 0;
  // outwards rather than in
  const x = r * c, y = z, w = r * s, d = x * S[23] + y * S[24] + w * S[25], up = d < 0 ? -2 * d : 0;
  S[3] = S[0] + on * (x + up * S[23]); S[4] = S[1] + on * (y + up * S[24]); S[5] = S[2] + on * (w + up * S[25]);
}

/** Bends the strand toward a direction. A: angle at the tip (turns), the direction (unit, rest pose), how much of it is left to chance. */
export function bend(S: Float64Array, A: Float64Array): void {
  const z = 2 * S[12] - 1, r = Math.sqrt(Math.max(0, 1 - z * z)), m = A[4];
  const wx = (1 - m) * A[1] + m * r * sine(S[13] + 0.25), wy = (1 - m) * A[2] + m * z, wz = (1 - m) * A[3] + m * r * sine(S[13]);
  // about an axis across the root's direction and the one wanted
  const tx = S[29], ty = S[30], tz = S[31];
  let ax = ty * wz - tz * wy, ay = tz * wx - tx * wz, az = tx * wy - ty * wx;
  const l = Math.sqrt(ax * ax + ay * ay + az * az), k = l > 1e-4 ? 1 / l : 0;
  ax = k * ax; ay = k * ay; az = k * az;
  const turns = A[0] * S[10] * S[7], c = sine(turns + 0.25), s = sine(turns), ex = S[0] - S[26], ey = S[1] - S[27], ez = S[2] - S[28], d = (1 - c) * (ax * ex + ay * ey + az * ez);
  S[3] = S[3] + c * ex + s * (ay * ez - az * ey) + d * ax; S[4] = S[4] + c * ey + s * (az * ex - ax * ez) + d * ay; S[5] = S[5] + c * ez + s * (ax * ey - ay * ex) + d * az;
  S[26] = S[0]; S[27] = S[1]; S[28] = S[2];
}
