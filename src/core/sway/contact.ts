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
  /** First point of a strand that can touch; those before it are skin. */
  firstPoint?: number;
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
  /** Points, in the system's order: pill touched, −1 for none; m, ≤ 0: depth at the first look, released over time. */
  private collider = new Int32Array(0);
  private startDepth = new Float64Array(0);

  /** Pills: gap kept and friction, their own or the settings'. */
  private readonly gaps: Float64Array;
  private readonly frictions: Float64Array;
  private readonly firstPoint: number;

  constructor(readonly pills: readonly Pill[], strandCount: number, settings: ContactSettings) {
    this.count = pills.length;
    this.gaps = Float64Array.from(pills, (p) => p.gap ?? settings.skinGap);
    this.frictions = Float64Array.from(pills, (p) => p.friction ?? settings.friction);
    this.firstPoint = settings.firstPoint ?? 2;
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
        if (distance < lengths[s] + this.gaps[k] + 0.01) this.near[s * this.count + found++] = k;
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

  /** Finds the contact planes of all strands for the coming substep of `h` seconds. */
  gatherAll(system: RodSystem, h: number, gravity: readonly [number, number, number]): void {
    for (let s = 0; s < system.strandCount; s++) this.gather(system, s, h, gravity);
  }

  private gather(system: RodSystem, s: number, h: number, gravity: readonly [number, number, number]): void {
    const { k, lanes, start, rootBefore, rootPosition } = system;
    const { x, v, contactOn, contactNormal, contactPlane, contactSlide, contactForce, contactFriction } = k;
    if (this.collider.length !== system.pointCount) {
      this.collider = new Int32Array(system.pointCount).fill(-1);
      this.startDepth = new Float64Array(system.pointCount);
    }
    const { gaps, frictions, ends, balls, out, hit, collider, startDepth } = this;
    let touching = 0;
    const nearFrom = s * this.count, nearTo = nearFrom + this.nearCount[s];
    // the first look at a strand, not every restart of its history: the safety net must not make depth a right
    const fresh = this.met[s] === 0;
    this.met[s] = 1;
    const rx = rootBefore[3 * s], ry = rootBefore[3 * s + 1], rz = rootBefore[3 * s + 2];
    const from = system.at(s, 0, 3), single = system.at(s, 0, 1), L = lanes;
    for (let i = this.firstPoint; i < start[s + 1] - start[s]; i++) {
      const p = start[s] + i, c = from + 3 * i * L, d = single + i * L;
      const cx = x[c] + rx, cy = x[c + L] + ry, cz = x[c + 2 * L] + rz;
      // where the point would go without any other force: leaving gravity out makes contact flicker every second substep
      const px = cx + h * v[c] + h * h * gravity[0], py = cy + h * v[c + L] + h * h * gravity[1], pz = cz + h * v[c + 2 * L] + h * h * gravity[2];
      let best = 1, deepest = -1;
      for (let q = nearFrom; q < nearTo; q++) {
        const n = this.near[q], o = 6 * n, pill = this.pills[n];
        const bx = px - balls[4 * n], by = py - balls[4 * n + 1], bz = pz - balls[4 * n + 2], reach = balls[4 * n + 3] + gaps[n] + 0.003;
        if (bx * bx + by * by + bz * bz > reach * reach) continue;
        const far = pillDistance(px, py, pz, ends[o], ends[o + 1], ends[o + 2], ends[o + 3], ends[o + 4], ends[o + 5], pill.radiusA, pill.radiusB, out) - gaps[n];
        if (far < best) { best = far; deepest = n; hit[0] = out[0]; hit[1] = out[1]; hit[2] = out[2]; }
      }
      const before = collider[p];
      // a point that began the run inside is let be and may only come out
      const now = deepest >= 0 ? this.gapNow(cx, cy, cz, deepest) - gaps[deepest] : 0;
      startDepth[p] = Math.min(0, fresh ? now : Math.max(startDepth[p], now));
      const gap = best - startDepth[p];
      const kept = before === deepest && contactForce[d] > 0 && gap < 0.002;
      if (deepest < 0 || !(gap < 0 || kept)) {
        collider[p] = -1;
        contactOn[d] = 0;
        contactForce[d] = 0;
        continue;
      }
      if (before !== deepest) contactForce[d] = 0;
      touching = 1;
      collider[p] = deepest;
      contactOn[d] = 1;
      contactFriction[d] = frictions[deepest];
      contactNormal[c] = hit[0]; contactNormal[c + L] = hit[1]; contactNormal[c + 2 * L] = hit[2];
      // the plane through the surface; a deep point is brought out by a fifth of its depth a substep, so that depth does not turn into speed
      const here = now - startDepth[p];
      const released = here < 0 ? 0.8 * here : 0;
      const qx = px - rootPosition[3 * s], qy = py - rootPosition[3 * s + 1], qz = pz - rootPosition[3 * s + 2];
      contactPlane[d] = hit[0] * qx + hit[1] * qy + hit[2] * qz - gap + released;
      const B = this.back, o = 12 * deepest;
      contactSlide[c] = px - (B[o] * px + B[o + 1] * py + B[o + 2] * pz + B[o + 3]);
      contactSlide[c + L] = py - (B[o + 4] * px + B[o + 5] * py + B[o + 6] * pz + B[o + 7]);
      contactSlide[c + 2 * L] = pz - (B[o + 8] * px + B[o + 9] * py + B[o + 10] * pz + B[o + 11]);
    }
    k.touching[system.strandAt(s, 1)] = touching;
  }

  /** Distance of a point to a pill where the pill was at the start of the substep. */
  private gapNow(x: number, y: number, z: number, k: number): number {
    const pill = this.pills[k], o = 6 * k, E = this.ends, B = this.back, w = 12 * k;
    const at = (e: number, row: number): number => B[w + 4 * row] * E[e] + B[w + 4 * row + 1] * E[e + 1] + B[w + 4 * row + 2] * E[e + 2] + B[w + 4 * row + 3];
    return pillDistance(x, y, z, at(o, 0), at(o, 1), at(o, 2), at(o + 3, 0), at(o + 3, 1), at(o + 3, 2), pill.radiusA, pill.radiusB, this.out);
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
