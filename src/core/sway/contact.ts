/**
 * Finds which pill each point of a strand touches in the coming substep.
 *
 * Pills move rigidly from one frame to the next; places within the frame are interpolated (spherical for the turn). A point
 * keeps at most one contact, with the deepest pill.
 */
import { slerpInto } from '../math/mat4';
import { pillDistance, type Pill } from './pills';
import type { RodSystem } from './rod-system';

export interface ContactSettings {
  /** Distance kept from every pill, m. */
  skinGap: number;
  /** Coulomb's coefficient. */
  friction: number;
}

/** Rigid motion of pills: 7 numbers each, quaternion x y z w and translation, from rest to the frame. */
export type RigidMotions = Float64Array;

export class ContactFinder {
  private readonly count: number;
  /** Six numbers a pill: its ends at the end of the substep. */
  private readonly ends: Float64Array;
  /** Four a pill: a ball round it at the end of the substep. */
  private readonly balls: Float64Array;
  /** Twelve a pill: start of the substep seen from its end, row-major 3 × 4. */
  private readonly back: Float64Array;
  private readonly motion: Float64Array;
  private readonly motionBefore: Float64Array;
  private readonly out = new Float64Array(4);
  private readonly hit = new Float64Array(3);
  /** Pills near each strand this frame: `near[s * count …]`, `nearCount[s]`. */
  private readonly near: Int32Array;
  private readonly nearCount: Int32Array;
  /** Whether a strand has been looked at before. */
  private readonly met: Uint8Array;

  constructor(readonly pills: readonly Pill[], strandCount: number, readonly settings: ContactSettings) {
    this.count = pills.length;
    this.ends = new Float64Array(6 * this.count);
    this.balls = new Float64Array(4 * this.count);
    this.back = new Float64Array(12 * this.count);
    this.motion = new Float64Array(7 * this.count);
    this.motionBefore = new Float64Array(7 * this.count);
    this.near = new Int32Array(strandCount * this.count);
    this.nearCount = new Int32Array(strandCount);
    this.met = new Uint8Array(strandCount);
  }

  /** Lists, for each strand, the pills it could reach between two frames. `lengths`: strand lengths, m. */
  cull(from: RigidMotions, to: RigidMotions, rootFrom: ArrayLike<number>, rootTo: ArrayLike<number>, lengths: ArrayLike<number>): void {
    const ends = [new Float64Array(6 * this.count), new Float64Array(6 * this.count)];
    this.pills.forEach((pill, k) => { placePill(pill, from, 7 * k, ends[0], 6 * k); placePill(pill, to, 7 * k, ends[1], 6 * k); });
    for (let s = 0; s < this.nearCount.length; s++) {
      let found = 0;
      for (let k = 0; k < this.count; k++) {
        const pill = this.pills[k];
        let distance = Infinity;
        for (let side = 0; side < 2; side++) {
          const root = side === 0 ? rootFrom : rootTo, E = ends[side], o = 6 * k;
          distance = Math.min(distance, pillDistance(root[3 * s], root[3 * s + 1], root[3 * s + 2], E[o], E[o + 1], E[o + 2], E[o + 3], E[o + 4], E[o + 5], pill.radiusA, pill.radiusB, this.out));
        }
        if (distance < lengths[s] + this.settings.skinGap + 0.01) this.near[s * this.count + found++] = k;
      }
      this.nearCount[s] = found;
    }
  }

  /** Places all pills for the substep that ends at share `t1` of the way from one frame to the next and began at `t0`. */
  place(from: RigidMotions, to: RigidMotions, t0: number, t1: number): void {
    for (let k = 0; k < this.count; k++) {
      const o = 7 * k;
      mixMotion(this.motionBefore, o, from, to, t0);
      mixMotion(this.motion, o, from, to, t1);
      placePill(this.pills[k], this.motion, o, this.ends, 6 * k);
      const E = this.ends, e = 6 * k;
      for (let c = 0; c < 3; c++) this.balls[4 * k + c] = 0.5 * (E[e + c] + E[e + 3 + c]);
      this.balls[4 * k + 3] = 0.5 * Math.hypot(E[e + 3] - E[e], E[e + 4] - E[e + 1], E[e + 5] - E[e + 2]) + Math.max(this.pills[k].radiusA, this.pills[k].radiusB);
      backwards(this.motionBefore, this.motion, o, this.back, 12 * k);
    }
  }

  /** Fills the contact slots of strand `s`; returns whether it touches anything. */
  gather(system: RodSystem, s: number, h: number, gravity: readonly [number, number, number]): boolean {
    const { start, x, v, contact } = system;
    const first = start[s], end = start[s + 1];
    const { skinGap, friction } = this.settings;
    const { ends, balls, out, hit } = this;
    let touching = false;
    const nearFrom = s * this.count, nearTo = nearFrom + this.nearCount[s];
    // the first look at a strand, not every restart of its history: the safety net must not make depth a right
    const fresh = this.met[s] === 0;
    this.met[s] = 1;
    for (let p = first + 2; p < end; p++) {
      const c = 3 * p;
      // where the point would go without any other force: leaving gravity out makes contact flicker every second substep
      const px = x[c] + h * v[c] + h * h * gravity[0], py = x[c + 1] + h * v[c + 1] + h * h * gravity[1], pz = x[c + 2] + h * v[c + 2] + h * h * gravity[2];
      let best = 1, deepest = -1;
      for (let q = nearFrom; q < nearTo; q++) {
        const k = this.near[q], o = 6 * k, pill = this.pills[k];
        const bx = px - balls[4 * k], by = py - balls[4 * k + 1], bz = pz - balls[4 * k + 2], reach = balls[4 * k + 3] + skinGap + 0.003;
        if (bx * bx + by * by + bz * bz > reach * reach) continue;
        const d = pillDistance(px, py, pz, ends[o], ends[o + 1], ends[o + 2], ends[o + 3], ends[o + 4], ends[o + 5], pill.radiusA, pill.radiusB, out) - skinGap;
        if (d < best) { best = d; deepest = k; hit[0] = out[0]; hit[1] = out[1]; hit[2] = out[2]; }
      }
      const before = contact.collider[p];
      // a point that began the run inside is let be and may only come out
      const now = deepest >= 0 ? this.gapNow(x, c, deepest) - skinGap : 0;
      contact.startDepth[p] = Math.min(0, fresh ? now : Math.max(contact.startDepth[p], now));
      const gap = best - contact.startDepth[p];
      const kept = before === deepest && contact.force[p] > 0 && gap < 0.002;
      if (deepest < 0 || !(gap < 0 || kept)) {
        contact.collider[p] = -1;
        contact.force[p] = 0;
        continue;
      }
      if (before !== deepest) contact.force[p] = 0;
      touching = true;
      contact.collider[p] = deepest;
      contact.friction[p] = friction;
      contact.normal[c] = hit[0]; contact.normal[c + 1] = hit[1]; contact.normal[c + 2] = hit[2];
      // the plane through the surface; a deep point is brought out by a fifth of its depth a substep, so that depth does not turn into speed
      const here = now - contact.startDepth[p];
      const released = here < 0 ? 0.8 * here : 0;
      contact.plane[p] = hit[0] * px + hit[1] * py + hit[2] * pz - gap + released;
      const B = this.back, o = 12 * deepest;
      contact.slide[c] = px - (B[o] * px + B[o + 1] * py + B[o + 2] * pz + B[o + 3]);
      contact.slide[c + 1] = py - (B[o + 4] * px + B[o + 5] * py + B[o + 6] * pz + B[o + 7]);
      contact.slide[c + 2] = pz - (B[o + 8] * px + B[o + 9] * py + B[o + 10] * pz + B[o + 11]);
    }
    return touching;
  }

  /** Distance of a point to a pill where the pill was at the start of the substep. */
  private gapNow(x: Float64Array, c: number, k: number): number {
    const pill = this.pills[k], o = 6 * k, E = this.ends, B = this.back, w = 12 * k;
    const at = (e: number, row: number): number => B[w + 4 * row] * E[e] + B[w + 4 * row + 1] * E[e + 1] + B[w + 4 * row + 2] * E[e + 2] + B[w + 4 * row + 3];
    return pillDistance(x[c], x[c + 1], x[c + 2], at(o, 0), at(o, 1), at(o, 2), at(o + 3, 0), at(o + 3, 1), at(o + 3, 2), pill.radiusA, pill.radiusB, this.out);
  }

  /** Deepest place of a point among all pills at the end of the last placed substep, m, ≥ 0. */
  depth(s: number, px: number, py: number, pz: number): number {
    let least = 0;
    for (let q = s * this.count; q < s * this.count + this.nearCount[s]; q++) {
      const k = this.near[q], o = 6 * k, E = this.ends, pill = this.pills[k];
      least = Math.min(least, pillDistance(px, py, pz, E[o], E[o + 1], E[o + 2], E[o + 3], E[o + 4], E[o + 5], pill.radiusA, pill.radiusB, this.out));
    }
    return -least;
  }
}

function mixMotion(out: Float64Array, o: number, from: RigidMotions, to: RigidMotions, t: number): void {
  slerpInto(out, o, from, o, to, o, t);
  for (let k = 4; k < 7; k++) out[o + k] = from[o + k] + (to[o + k] - from[o + k]) * t;
}

function placePill(pill: Pill, motion: RigidMotions, o: number, out: Float64Array, e: number): void {
  for (let side = 0; side < 2; side++) {
    const p = side === 0 ? pill.a : pill.b;
    const qx = motion[o], qy = motion[o + 1], qz = motion[o + 2], qw = motion[o + 3];
    const tx = 2 * (qy * p[2] - qz * p[1]), ty = 2 * (qz * p[0] - qx * p[2]), tz = 2 * (qx * p[1] - qy * p[0]);
    out[e + 3 * side] = p[0] + qw * tx + qy * tz - qz * ty + motion[o + 4];
    out[e + 3 * side + 1] = p[1] + qw * ty + qz * tx - qx * tz + motion[o + 5];
    out[e + 3 * side + 2] = p[2] + qw * tz + qx * ty - qy * tx + motion[o + 6];
  }
}

/** Rows of M₀ M₁⁻¹ for two rigid motions. */
function backwards(m0: Float64Array, m1: Float64Array, o: number, out: Float64Array, w: number): void {
  // q = q0 · conj(q1)
  const ax = m0[o], ay = m0[o + 1], az = m0[o + 2], aw = m0[o + 3], bx = -m1[o], by = -m1[o + 1], bz = -m1[o + 2], bw = m1[o + 3];
  const x = aw * bx + ax * bw + ay * bz - az * by, y = aw * by - ax * bz + ay * bw + az * bx, z = aw * bz + ax * by - ay * bx + az * bw, q = aw * bw - ax * bx - ay * by - az * bz;
  const r = [1 - 2 * (y * y + z * z), 2 * (x * y - z * q), 2 * (x * z + y * q), 2 * (x * y + z * q), 1 - 2 * (x * x + z * z), 2 * (y * z - x * q), 2 * (x * z - y * q), 2 * (y * z + x * q), 1 - 2 * (x * x + y * y)];
  for (let row = 0; row < 3; row++) {
    out[w + 4 * row] = r[3 * row]; out[w + 4 * row + 1] = r[3 * row + 1]; out[w + 4 * row + 2] = r[3 * row + 2];
    out[w + 4 * row + 3] = m0[o + 4 + row] - (r[3 * row] * m1[o + 4] + r[3 * row + 1] * m1[o + 5] + r[3 * row + 2] * m1[o + 6]);
  }
}
