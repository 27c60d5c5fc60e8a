/**
 * Finds which pills each edge of a strand touches in the coming substep.
 *
 * Pills move rigidly from one frame to the next; places within the frame are interpolated (spherical for the turn). An edge
 * keeps at most two contacts, with the nearest pills that push in different directions, each at the place of the edge that
 * comes nearest.
 */
import { slerpInto } from '../math/mat4';
import { pillDistance, type Pill } from './pills';
import type { Shell } from './shell';
import { SLOTS } from './rod/arrays';
import type { RodSystem } from './rod-system';

/** m: contacts are taken up so near. */
const NEAR = 0.002;
/** Normals that differ by less are one contact. */
const SAME_WAY = 0.97;
/** A contact is handed on to a neighbouring triangle whose normal is so alike. */
const HANDED_ON = 0.7;
/** A contact so low on an edge whose lower point cannot move would swing its upper point far. */
const LEAST_PLACE = 0.25;
/** Share of a depth that is left after a substep: it must not turn into speed. */
const KEPT_DEPTH = 0.8;

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
  /** Pills near each strand this frame: `near[s * count …]`, `nearCount[s]`. */
  private readonly near: Int32Array;
  private readonly nearCount: Int32Array;
  /** Whether a strand has been looked at before. */
  private readonly met: Uint8Array;
  /** Slots, two an edge in the system's order: pill touched, −1 for none. */
  private touched = new Int32Array(0);
  /** Edges: m, ≤ 0, depth at the first look, released over time. */
  private startDepth = new Float64Array(0);
  /** Edges that began inside and have not come out: only their upper point is watched. */
  private inside = new Uint8Array(0);
  /** Nearest two of an edge: pill, gap, place on the edge, normal. */
  private readonly found = Array.from({ length: SLOTS }, (): Found => ({ id: -1, gap: 0, s: 1, nx: 0, ny: 1, nz: 0, plane: 0, ux: 0, uy: 0, uz: 0 }));
  private shellReady = false;
  /** Strands that can reach each shell this frame. */
  private readonly reachable: Uint8Array[];
  /** First number of each shell's contacts. */
  private readonly shellIds: number[] = [];
  /** Pills: gap kept and friction, their own or the settings'. */
  private readonly gaps: Float64Array;
  private readonly frictions: Float64Array;
  /** Pills: the greater radius, m. */
  private readonly widest: Float64Array;
  private readonly firstPoint: number;

  /** `shells`: meshes besides the pills; their frames are told by `frame`. */
  constructor(readonly pills: readonly Pill[], strandCount: number, settings: ContactSettings, private readonly shells: readonly Shell[] = []) {
    this.count = pills.length;
    this.gaps = Float64Array.from(pills, (p) => p.gap ?? settings.skinGap);
    this.widest = Float64Array.from(pills, (p) => Math.max(p.radiusA, p.radiusB));
    this.frictions = Float64Array.from(pills, (p) => p.friction ?? settings.friction);
    this.firstPoint = settings.firstPoint ?? 2;
    this.reachable = shells.map(() => new Uint8Array(strandCount));
    let id = this.count;
    for (const shell of shells) { this.shellIds.push(id); id += 4 * shell.triangleCount; }
    this.shellIds.push(id);
    this.ends = new Float64Array(6 * this.count);
    this.balls = new Float64Array(4 * this.count);
    this.back = new Float64Array(12 * this.count);
    this.motion = new Float64Array(7 * this.count);
    this.motionBefore = new Float64Array(7 * this.count);
    this.near = new Int32Array(strandCount * this.count);
    this.nearCount = new Int32Array(strandCount);
    this.met = new Uint8Array(strandCount);
  }

  /** Lists, for each strand, the pills it could reach between two frames, and readies the shells that are near any. `lengths`: strand lengths, m. */
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
    this.shells.forEach((shell, q) => {
      let any = 0;
      for (let s = 0; s < this.nearCount.length; s++) {
        const r = lengths[s] + 0.01, o = 3 * s;
        any |= this.reachable[q][s] = shell.reaches(rootFrom[o], rootFrom[o + 1], rootFrom[o + 2], r) || shell.reaches(rootTo[o], rootTo[o + 1], rootTo[o + 2], r) ? 1 : 0;
      }
      if (any) shell.build();
    });
  }

  /** Places of a shell's vertices at both ends of the frame; `points`: of the whole system. */
  frame(which: number, from: Float64Array, to: Float64Array, points: number): void {
    if (!this.shellReady) for (const shell of this.shells) shell.begin(points);
    this.shellReady = true;
    this.shells[which].frame(from, to);
  }
  /** Shell that a contact's number belongs to, −1 for none. */
  private shellOf(id: number): number {
    for (let q = this.shells.length - 1; q >= 0; q--) if (id >= this.shellIds[q]) return q;
    return -1;
  }

  /** Places all pills for the substep that ends at share `t1` of the way from one frame to the next and began at `t0`. */
  place(from: RigidMotions, to: RigidMotions, t0: number, t1: number): void {
    for (const shell of this.shells) shell.place(t0, t1);
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
    const { k, lanes: L, start, rootBefore } = system, { x, v } = k;
    if (this.startDepth.length !== system.pointCount) {
      this.touched = new Int32Array(SLOTS * system.pointCount).fill(-1);
      this.startDepth = new Float64Array(system.pointCount);
      this.inside = new Uint8Array(system.pointCount);
    }
    const { found } = this, near = this.nearCount[s];
    // the first look at a strand, not every restart of its history: the safety net must not make depth a right
    const fresh = this.met[s] === 0;
    this.met[s] = 1;
    const rx = rootBefore[3 * s], ry = rootBefore[3 * s + 1], rz = rootBefore[3 * s + 2], gx = h * h * gravity[0], gy = h * h * gravity[1], gz = h * h * gravity[2];
    const first = Math.max(1, this.firstPoint), count = start[s + 1] - start[s];
    let c = system.at(s, first - 1, 3), touching = 0;
    // now, and where the points would go without any other force: leaving gravity out makes contact flicker every second substep
    let ax = x[c] + rx, ay = x[c + L] + ry, az = x[c + 2 * L] + rz, apx = ax + h * v[c] + gx, apy = ay + h * v[c + L] + gy, apz = az + h * v[c + 2 * L] + gz;
    for (let i = first; i < count; i++) {
      c = system.at(s, i, 3);
      const bx = x[c] + rx, by = x[c + L] + ry, bz = x[c + 2 * L] + rz, bpx = bx + h * v[c] + gx, bpy = by + h * v[c + L] + gy, bpz = bz + h * v[c + 2 * L] + gz;
      const p = start[s] + i;
      found[0].id = found[1].id = -1;
      if (near > 0 && (fresh || this.inside[p])) {
        this.nearest(s, i === 1, true, false, ax, ay, az, bx, by, bz);
        this.inside[p] = found[0].id >= 0 && found[0].gap < 0 ? 1 : 0;
        found[0].id = found[1].id = -1;
      }
      if (near > 0) this.nearest(s, i === 1, i === first, this.inside[p] === 1 || (i > first && this.inside[p - 1] === 1), apx, apy, apz, bpx, bpy, bpz);
      for (let q = 0; q < this.shells.length; q++) if (this.reachable[q][s]) this.nearestOfShell(q, i === 1, p, ax, ay, az, bx, by, bz, apx, apy, apz, bpx, bpy, bpz);
      touching = Math.max(touching, this.fill(system, s, i, fresh, ax, ay, az, bx, by, bz, apx, apy, apz, bpx, bpy, bpz));
      ax = bx; ay = by; az = bz; apx = bpx; apy = bpy; apz = bpz;
    }
    k.touching[system.strandAt(s, 1)] = touching;
  }

  /** The two nearest pills of an edge (or of its upper point) that push in different directions, into `found`. */
  private nearest(s: number, rooted: boolean, lowest: boolean, upper: boolean, ax: number, ay: number, az: number, bx: number, by: number, bz: number): void {
    const { ends, balls, gaps, widest, out, found } = this, ux = bx - ax, uy = by - ay, uz = bz - az, half = 0.5 * Math.sqrt(ux * ux + uy * uy + uz * uz), mx = ax + 0.5 * ux, my = ay + 0.5 * uy, mz = az + 0.5 * uz;
    const from = s * this.count, to = from + this.nearCount[s];
    for (let q = from; q < to; q++) {
      const n = this.near[q], o = 6 * n, pill = this.pills[n];
      const dx = mx - balls[4 * n], dy = my - balls[4 * n + 1], dz = mz - balls[4 * n + 2], reach = balls[4 * n + 3] + half + gaps[n] + 0.015;
      if (dx * dx + dy * dy + dz * dz > reach * reach) continue;
      // the middle of the edge against the axis: of a long pill the ball round it says little
      const vx = ends[o + 3] - ends[o], vy = ends[o + 4] - ends[o + 1], vz = ends[o + 5] - ends[o + 2], qx = mx - ends[o], qy = my - ends[o + 1], qz = mz - ends[o + 2], along = (qx * vx + qy * vy + qz * vz) / (vx * vx + vy * vy + vz * vz + 1e-18), t = along < 0 ? 0 : along > 1 ? 1 : along;
      const ex = qx - t * vx, ey = qy - t * vy, ez = qz - t * vz, far = widest[n] + half + gaps[n] + 0.012;
      if (ex * ex + ey * ey + ez * ez > far * far) continue;
      const place = upper ? 1 : nearestPlace(ax, ay, az, ux, uy, uz, ends, o);
      // what touches at its lower end is the business of the edge below
      if (place <= 1e-6 && !lowest) continue;
      if (rooted && place < LEAST_PLACE) continue;
      const gap = pillDistance(ax + place * ux, ay + place * uy, az + place * uz, ends[o], ends[o + 1], ends[o + 2], ends[o + 3], ends[o + 4], ends[o + 5], pill.radiusA, pill.radiusB, out) - gaps[n];
      if (gap > 0.012) continue;
      offer(found, n, gap, place, out[0], out[1], out[2]);
    }
  }

  /** The same for the cloth; a contact of cloth has its plane and the surface's movement with it. */
  private nearestOfShell(which: number, rooted: boolean, p: number, ax: number, ay: number, az: number, bx: number, by: number, bz: number, apx: number, apy: number, apz: number, bpx: number, bpy: number, bpz: number): void {
    const shell = this.shells[which];
    shell.ask(p, ax, ay, az, bx, by, bz, apx, apy, apz, bpx, bpy, bpz);
    for (let q = 0; q < shell.count; q++) {
      const c = shell.candidates[q];
      if (rooted && c.s < LEAST_PLACE) continue;
      const taken = offer(this.found, this.shellIds[which] + c.id, c.gap, c.s, c.nx, c.ny, c.nz);
      if (taken) { taken.plane = c.plane; taken.ux = c.ux; taken.uy = c.uy; taken.uz = c.uz; }
    }
  }

  /** Writes the contacts found for an edge into its slots; returns 1 where there is any. */
  private fill(system: RodSystem, strand: number, i: number, fresh: boolean, ax: number, ay: number, az: number, bx: number, by: number, bz: number, apx: number, apy: number, apz: number, bpx: number, bpy: number, bpz: number): number {
    const { k, lanes: L, rootPosition } = system, { touched, startDepth, found, back: B } = this, p = system.start[strand] + i, single = system.at(strand, i, SLOTS), triple = system.at(strand, i, 3 * SLOTS);
    const [first, second] = found;
    // an edge that began the run inside a pill is let be and may only come out
    const pill = first.id >= 0 && first.id < this.count ? first : second.id >= 0 && second.id < this.count ? second : null;
    if (pill) {
      const now = this.gapNow(ax + pill.s * (bx - ax), ay + pill.s * (by - ay), az + pill.s * (bz - az), pill.id) - this.gaps[pill.id];
      startDepth[p] = this.inside[p] === 0 ? 0 : Math.min(0, fresh ? now : Math.max(startDepth[p], now));
    } else startDepth[p] = 0;
    for (const f of found) if (f.id >= 0 && f.gap - (f.id < this.count ? startDepth[p] : 0) > NEAR) f.id = -1;
    if (first.id < 0 && second.id >= 0) { Object.assign(first, second); second.id = -1; }
    // a contact keeps the slot it has, and with it what is carried from substep to substep
    const at = (j: number): number => touched[SLOTS * p + j];
    const swap = (second.id >= 0 && second.id === at(0)) || (first.id >= 0 && first.id === at(1) && first.id !== at(0));
    let any = 0;
    for (let j = 0; j < SLOTS; j++) {
      const f = found[swap ? 1 - j : j], slot = SLOTS * p + j, e = single + j * L, n = triple + 3 * j * L;
      // neighbouring triangles hand a contact on while it points the same way
      const handed = f.id >= this.count && this.shellOf(f.id) === this.shellOf(touched[slot]) && k.touchNormal[n] * f.nx + k.touchNormal[n + L] * f.ny + k.touchNormal[n + 2 * L] * f.nz > HANDED_ON;
      if (f.id !== touched[slot] && !handed) {
        k.touchForce[e] = k.touchSticks[e] = k.touchWas[e] = k.touchLag[e] = 0;
        k.touchStick[n] = k.touchStick[n + L] = k.touchStick[n + 2 * L] = 0;
      }
      touched[slot] = f.id;
      if (f.id < 0) { k.touchOn[e] = 0; continue; }
      any = 1;
      const cx = apx + f.s * (bpx - apx), cy = apy + f.s * (bpy - apy), cz = apz + f.s * (bpz - apz), ofPill = f.id < this.count, begun = ofPill ? startDepth[p] : 0;
      const hx = ax + f.s * (bx - ax), hy = ay + f.s * (by - ay), hz = az + f.s * (bz - az);
      if (ofPill) {
        const o = 12 * f.id;
        f.ux = cx - (B[o] * cx + B[o + 1] * cy + B[o + 2] * cz + B[o + 3]);
        f.uy = cy - (B[o + 4] * cx + B[o + 5] * cy + B[o + 6] * cz + B[o + 7]);
        f.uz = cz - (B[o + 8] * cx + B[o + 9] * cy + B[o + 10] * cz + B[o + 11]);
      }
      const here = ofPill ? this.gapNow(hx, hy, hz, f.id) - this.gaps[f.id] - begun : f.nx * (hx + f.ux) + f.ny * (hy + f.uy) + f.nz * (hz + f.uz) - f.plane;
      k.touchOn[e] = k.touchForce[e] > 0 || f.gap - begun < 0 ? 2 : 1;
      k.touchAt[e] = f.s;
      k.touchFriction[e] = ofPill ? this.frictions[f.id] : this.shells[this.shellOf(f.id)].friction;
      k.touchNormal[n] = f.nx; k.touchNormal[n + L] = f.ny; k.touchNormal[n + 2 * L] = f.nz;
      const qx = cx - rootPosition[3 * strand], qy = cy - rootPosition[3 * strand + 1], qz = cz - rootPosition[3 * strand + 2];
      k.touchPlane[e] = f.nx * qx + f.ny * qy + f.nz * qz - (f.gap - begun) + KEPT_DEPTH * Math.min(0, here);
      k.touchSlide[n] = f.ux; k.touchSlide[n + L] = f.uy; k.touchSlide[n + 2 * L] = f.uz;
      // what sticks is turned into the present tangent plane
      const along = k.touchStick[n] * f.nx + k.touchStick[n + L] * f.ny + k.touchStick[n + 2 * L] * f.nz;
      k.touchStick[n] -= along * f.nx; k.touchStick[n + L] -= along * f.ny; k.touchStick[n + 2 * L] -= along * f.nz;
    }
    return any;
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
  /** Depth of a point beyond its side of any shell at the end of the last placed substep, m, ≥ 0. */
  shellDepth(p: number, px: number, py: number, pz: number): number {
    let depth = 0;
    for (let q = 0; q < this.shells.length; q++) depth = Math.max(depth, this.shells[q].depth(p, px, py, pz));
    return depth;
  }
}

interface Found { id: number; gap: number; s: number; nx: number; ny: number; nz: number; plane: number; ux: number; uy: number; uz: number }

/** Puts a contact among the two nearest of different directions, if it belongs there; returns its place. */
function offer(found: Found[], id: number, gap: number, s: number, nx: number, ny: number, nz: number): Found | null {
  const [first, second] = found;
  const same = (f: Found): boolean => f.id >= 0 && f.nx * nx + f.ny * ny + f.nz * nz > SAME_WAY;
  let place: Found | null = null;
  if (first.id < 0 || gap < first.gap) {
    if (first.id >= 0 && !same(first)) Object.assign(second, first);
    place = first;
  } else if (!same(first) && (second.id < 0 || gap < second.gap)) place = second;
  if (place) { place.id = id; place.gap = gap; place.s = s; place.nx = nx; place.ny = ny; place.nz = nz; }
  return place;
}

/**
 * Share of the way from A to A + u that comes nearest the axis of the pill whose ends stand at `o`; halfway where they run
 * side by side. **Source:** closest points of two segments, Ericson, Real-Time Collision Detection, *from memory*.
 */
function nearestPlace(ax: number, ay: number, az: number, ux: number, uy: number, uz: number, ends: Float64Array, o: number): number {
  const vx = ends[o + 3] - ends[o], vy = ends[o + 4] - ends[o + 1], vz = ends[o + 5] - ends[o + 2], rx = ax - ends[o], ry = ay - ends[o + 1], rz = az - ends[o + 2];
  const a = ux * ux + uy * uy + uz * uz, e = vx * vx + vy * vy + vz * vz, f = vx * rx + vy * ry + vz * rz, c = ux * rx + uy * ry + uz * rz;
  if (a < 1e-18) return 1;
  const bound = (t: number): number => (t < 0 ? 0 : t > 1 ? 1 : t);
  if (e < 1e-12) return bound(-c / a);
  const b = ux * vx + uy * vy + uz * vz, det = a * e - b * b;
  // nearly parallel: a small part of the middle, so that the place does not jump from end to end
  const soft = 1e-3 * a * e, s = bound((b * f - c * e + 0.5 * soft) / (det + soft)), t = (b * s + f) / e;
  return t < 0 ? bound(-c / a) : t > 1 ? bound((b - c) / a) : s;
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
