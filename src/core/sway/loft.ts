/**
 * Hair on hair: little bodies of neighbouring points that keep their shape across the strands, move together, and keep away
 * from bodies that were no neighbours. Rings and pairs of ties are such bodies too, firmer ones.
 *
 * Each substep, with P = x + h v, c and v̄ the means by mass, t the mean direction of the strands, u and w across it (carried
 * along with t, then turned by φ = atan2(Σ m q × p, Σ m q · p)), a member at p = (P − c)·(u, w) is given
 *
 *   dv = s (α/h) [(q − p)₁ u + (q − p)₂ w] + s (1 − e^(−h rate)) (v̄ + ω × r − v)
 *
 * q is its place in the groom, ω the turning that the body's velocities have in common, so that nothing acts on a body that
 * moves rigidly, and s one over the most bodies that any of its members belongs to. The first term is made smaller for a body as a
 * whole where it would move a member too far at once: a stiff rod undoes it, and would be pushed harder each time. Strands may slide along each other freely. The
 * momentum of a body does not change. Into the step of two values of history it goes by shifting all of it: v and v⁻ by dv, x⁻
 * by −h dv; as a spring it would be virtual mass, and hair would swing too slowly.
 *
 * **Source:** shape matching without a mesh, Müller et al. 2005, *from memory*, here across the strands only.
 */
import type { RodSystem } from './rod-system';
import { meet, TIE_NUMBERS, type Coupling } from './coupling';

export interface LoftSettings {
  /** 0 … 1. */
  strength: number;
  /** m. */
  spacing: number;
  /** 1/s across the strands. */
  cohesion: number;
  /** Strength of each point, 0 … 1. */
  at: (guide: number, point: number) => number;
}
/** A body that is told: points by their numbers in the whole groom. */
export interface ToldBody { tie: number; points: readonly number[]; firmness: number; snap: number }

/** Radius of a body in spacings, its fewest members and its most. */
const RADIUS = 1.6, FEWEST = 4, MOST = 40;
/** Share of the way back in a substep, for full strength. */
const STRONGEST = 0.9;
/** Shares of the spacing and of the shortest edge by which a member is moved back in a substep at most: what the rods do not let happen must not be asked for ever harder. */
const FARTHEST = 0.4;
/** 1/s along the strands, as a share of that across. */
const ALONG = 1 / 3;
/** Bodies that were no neighbours keep apart by so many spacings; shares of what is missing, and of the speed at which they come nearer, that are taken away in a substep. */
const APART = 1.2, PUSH = 0.2, STOP = 0.5;
/** Numbers of a body that the shares tell each other: c, v̄, u, w, t, ω, push (3 each), 1 where it holds, area across as a share of the groom's, share of the way back that is asked for. */
const TOLD = 24;

export class Loft {
  /** Bodies: first member, and the end. */
  readonly start: Int32Array;
  /** Members: point; place in the groom, 2 each. */
  private readonly member: Int32Array;
  private readonly q: Float64Array;
  private readonly weight: Float64Array;
  private readonly alpha: Float64Array;
  private readonly across: Float64Array;
  private readonly along: Float64Array;
  private readonly tie: Int32Array;
  private readonly snap: Float64Array;
  private readonly bodyMass: Float64Array;
  /** Axes as they were last, 6 a body: t and u. */
  private readonly axes: Float64Array;
  /** Per point: where its (body, member) pairs begin. */
  private readonly pointStart: Int32Array;
  private readonly pointBodies: Int32Array;
  /** m: how far bodies that were no neighbours keep apart; their cells of that size, and the chains of a hashed grid of them. */
  private readonly pairDistance: number;
  private readonly cells: Int32Array;
  private readonly heads: Int32Array;
  private readonly chain: Int32Array;
  private readonly P: Float64Array;
  private readonly V: Float64Array;
  private readonly told: Float64Array;
  private readonly mass: Float64Array;
  /** Ties that have let go, by number; every share finds the same. */
  readonly broken: Uint8Array;
  /** Members of ties: N, how hard the body pulled at each in the last substep. */
  private readonly pull: Float64Array;
  /** Bodies: middles a substep ago, then their velocities. */
  private readonly last: Float64Array;
  private readonly fadeAcross: Float64Array;
  private readonly fadeAlong: Float64Array;
  private fadeStep = 0;
  private acted = false;
  private readonly restCentre: Float64Array;
  /** Bodies: m, how far a member is moved back in a substep at most. */
  private readonly farthest: Float64Array;
  /** Bodies of ties come first. */
  private readonly firstLoft: number;
  /** Bodies: root of the determinant of the groom's second moments across, kg m². */
  private readonly restArea: Float64Array;
  private readonly spacing: number;
  /** First body this share computes, and the end. */
  private readonly mine: [number, number];

  /**
   * `points` 3 × all points of the groom at its start, m; `mass` of each, kg, 0 for what does not move; `pointCount` points a
   * guide.
   */
  constructor(points: Float64Array, mass: Float64Array, private readonly pointCount: number, settings: LoftSettings | null, tied: readonly ToldBody[], ties: number, private readonly coupling: Coupling) {
    const n = mass.length;
    this.mass = mass;
    this.spacing = settings?.spacing ?? 0.01;
    this.pairDistance = APART * this.spacing;
    const bodies: { points: number[]; tie: number; firmness: number; snap: number; strength: number }[] = tied.map((b) => ({ ...b, points: [...b.points], strength: 0 }));
    this.firstLoft = bodies.length;
    if (settings && settings.strength > 0) for (const list of gatherBodies(points, mass, pointCount, settings.spacing)) {
      let strength = 0;
      for (const p of list) strength += settings.at(Math.floor(p / pointCount), p % pointCount) / list.length;
      if (strength > 0.001) bodies.push({ points: list, tie: -1, firmness: 0, snap: Infinity, strength: strength * settings.strength });
    }
    const count = bodies.length;
    this.start = new Int32Array(count + 1);
    bodies.forEach((b, k) => { this.start[k + 1] = this.start[k] + b.points.length; });
    const members = this.start[count];
    this.member = Int32Array.from(bodies.flatMap((b) => b.points));
    this.q = new Float64Array(2 * members);
    this.weight = new Float64Array(count).fill(1);
    this.alpha = Float64Array.from(bodies, (b) => (b.tie >= 0 ? 0.05 + 0.9 * b.firmness : STRONGEST * b.strength));
    this.across = Float64Array.from(bodies, (b) => (b.tie >= 0 ? 60 + 200 * b.firmness : settings!.cohesion * b.strength));
    this.along = Float64Array.from(this.across, (r, k) => (bodies[k].tie >= 0 ? r : r * ALONG));
    this.tie = Int32Array.from(bodies, (b) => b.tie);
    this.snap = Float64Array.from(bodies, (b) => b.snap);
    this.broken = new Uint8Array(ties);
    this.axes = new Float64Array(6 * count);
    this.bodyMass = new Float64Array(count);
    this.restCentre = new Float64Array(3 * count);
    this.farthest = new Float64Array(count).fill(FARTHEST * this.spacing);
    this.restArea = new Float64Array(count);
    // pairs of a point and its bodies, bodies of loft and of ties counted apart
    const counts = new Int32Array(n), lofts = new Int32Array(n), rings = new Int32Array(n);
    for (let k = 0; k < count; k++) for (let m = this.start[k]; m < this.start[k + 1]; m++) { const p = this.member[m]; counts[p]++; if (k < this.firstLoft) rings[p]++; else lofts[p]++; }
    for (let k = 0; k < count; k++) for (let m = this.start[k]; m < this.start[k + 1]; m++) { const p = this.member[m]; this.weight[k] = Math.min(this.weight[k], 1 / (k < this.firstLoft ? rings[p] : lofts[p])); }
    this.pointStart = new Int32Array(n + 1);
    for (let p = 0; p < n; p++) this.pointStart[p + 1] = this.pointStart[p] + counts[p];
    this.pointBodies = new Int32Array(2 * members);
    const at = this.pointStart.slice();
    for (let k = 0; k < count; k++) for (let m = this.start[k]; m < this.start[k + 1]; m++) { const o = 2 * at[this.member[m]]++; this.pointBodies[o] = k; this.pointBodies[o + 1] = m; }
    this.cells = new Int32Array(3 * count);
    this.chain = new Int32Array(count);
    this.heads = new Int32Array(1 << Math.max(4, Math.ceil(Math.log2(2 * count + 1))));

    const all = new Float64Array(coupling.memory);
    this.P = all.subarray(0, 3 * n);
    this.V = all.subarray(3 * n, 6 * n);
    this.told = all.subarray(6 * n, 6 * n + TOLD * count);
    const pulls = this.start[this.firstLoft], end = 6 * n + TOLD * count + pulls;
    this.pull = all.subarray(end - pulls, end);
    this.last = new Float64Array(6 * count);
    this.fadeAcross = new Float64Array(count);
    this.fadeAlong = new Float64Array(count);
    if (end > all.length - TIE_NUMBERS) throw new Error(`${count} bodies of hair are more than there is room for: make the spacing wider.`);
    const { part, parts } = coupling;
    this.mine = [Math.round((count * part) / parts), Math.round((count * (part + 1)) / parts)];
    for (let k = 0; k < count; k++) this.rest(k, points);
  }

  get bodies(): number { return this.start.length - 1; }
  /** Bodies of neighbours, without those of ties. */
  get lofted(): number { return this.bodies - this.firstLoft; }

  /** Area that the bodies of neighbours keep across their strands, as a share of the groom's: their mean by mass, at the last substep. */
  volume(): number {
    if (!this.acted) return 1;
    let sum = 0, mass = 0;
    for (let k = this.firstLoft; k < this.bodies; k++) { sum += this.bodyMass[k] * this.told[TOLD * k + 22]; mass += this.bodyMass[k]; }
    return mass > 0 ? sum / mass : 1;
  }

  /** Axes and places of a body in the groom. */
  private rest(k: number, points: Float64Array): void {
    const { start, member, axes, q, mass, restCentre: C } = this;
    let M = 0;
    for (let m = start[k]; m < start[k + 1]; m++) { const p = member[m]; M += mass[p]; for (let c = 0; c < 3; c++) C[3 * k + c] += mass[p] * points[3 * p + c]; }
    this.bodyMass[k] = M;
    for (let c = 0; c < 3; c++) C[3 * k + c] /= M;
    this.direction(k, points, axes, 6 * k);
    const t = axes.subarray(6 * k, 6 * k + 3), least = [0, 1, 2].reduce((a, b) => (Math.abs(t[b]) < Math.abs(t[a]) ? b : a), 0), d = t[least];
    let l = 0;
    for (let c = 0; c < 3; c++) { const v = (c === least ? 1 : 0) - d * t[c]; axes[6 * k + 3 + c] = v; l += v * v; }
    for (let c = 0; c < 3; c++) axes[6 * k + 3 + c] /= Math.sqrt(l);
    const u = axes.subarray(6 * k + 3, 6 * k + 6), w = [t[1] * u[2] - t[2] * u[1], t[2] * u[0] - t[0] * u[2], t[0] * u[1] - t[1] * u[0]];
    for (let m = start[k]; m < start[k + 1]; m++) {
      const p = 3 * member[m], x = points[p] - C[3 * k], y = points[p + 1] - C[3 * k + 1], z = points[p + 2] - C[3 * k + 2];
      q[2 * m] = x * u[0] + y * u[1] + z * u[2];
      q[2 * m + 1] = x * w[0] + y * w[1] + z * w[2];
      if (member[m] % this.pointCount > 0) this.farthest[k] = Math.min(this.farthest[k], FARTHEST * Math.hypot(points[p] - points[p - 3], points[p + 1] - points[p - 2], points[p + 2] - points[p - 1]));
    }
    let xx = 0, xy = 0, yy = 0;
    for (let m = start[k]; m < start[k + 1]; m++) { const g = mass[member[m]], a = q[2 * m], b = q[2 * m + 1]; xx += g * a * a; xy += g * a * b; yy += g * b * b; }
    this.restArea[k] = Math.max(1e-30, Math.sqrt(Math.max(0, xx * yy - xy * xy)));
  }
  /** Mean direction of the edges below a body's members. */
  private direction(k: number, P: Float64Array, out: Float64Array, o: number): void {
    const { start, member, pointCount } = this;
    let x = 0, y = 0, z = 0;
    for (let m = start[k]; m < start[k + 1]; m++) {
      const p = member[m], i = p % pointCount, a = 3 * (i > 0 ? p : p + 1), b = a - 3, ex = P[a] - P[b], ey = P[a + 1] - P[b + 1], ez = P[a + 2] - P[b + 2], l = 1 / Math.sqrt(ex * ex + ey * ey + ez * ez + 1e-30);
      x += ex * l; y += ey * l; z += ez * l;
    }
    const l = Math.sqrt(x * x + y * y + z * z);
    if (l < 1e-6) return; // strands that run against each other have no common direction: it stays as it was
    out[o] = x / l; out[o + 1] = y / l; out[o + 2] = z / l;
  }

  /** Puts the bodies of neighbours into a hashed grid by where they were a substep ago. */
  private sortBodies(): void {
    const { last: C, cells, heads, chain } = this, size = this.pairDistance;
    heads.fill(-1);
    for (let k = this.firstLoft; k < this.bodies; k++) {
      const x = (cells[3 * k] = Math.floor(C[3 * k] / size)), y = (cells[3 * k + 1] = Math.floor(C[3 * k + 1] / size)), z = (cells[3 * k + 2] = Math.floor(C[3 * k + 2] / size)), h = hashCell(x, y, z) & (heads.length - 1);
      chain[k] = heads[h];
      heads[h] = k;
    }
  }
  /** What a body is given because others that were no neighbours have come too near, m/s, into `push`. */
  private keepApart(k: number, h: number): void {
    const { last: C, cells, heads, chain, restCentre: R, push: G, pairDistance: reach, bodyMass, weight, alpha } = this, V3 = 3 * this.bodies, apart = (2 * RADIUS * this.spacing) ** 2;
    G[0] = G[1] = G[2] = 0;
    const x0 = cells[3 * k], y0 = cells[3 * k + 1], z0 = cells[3 * k + 2], cx = C[3 * k], cy = C[3 * k + 1], cz = C[3 * k + 2];
    for (let x = x0 - 1; x <= x0 + 1; x++) for (let y = y0 - 1; y <= y0 + 1; y++) for (let z = z0 - 1; z <= z0 + 1; z++) {
      for (let j = heads[hashCell(x, y, z) & (heads.length - 1)]; j >= 0; j = chain[j]) {
        if (j === k || cells[3 * j] !== x || cells[3 * j + 1] !== y || cells[3 * j + 2] !== z) continue;
        const kx = cx - C[3 * j], ky = cy - C[3 * j + 1], kz = cz - C[3 * j + 2], d2 = kx * kx + ky * ky + kz * kz;
        if (d2 >= reach * reach || d2 < 1e-18) continue;
        // bodies that lay on each other, or have members in common, are held by their shape
        const rx = R[3 * k] - R[3 * j], ry = R[3 * k + 1] - R[3 * j + 1], rz = R[3 * k + 2] - R[3 * j + 2];
        if (rx * rx + ry * ry + rz * rz < apart) continue;
        const far = Math.sqrt(d2), nearing = (kx * (C[3 * k + V3] - C[3 * j + V3]) + ky * (C[3 * k + V3 + 1] - C[3 * j + V3 + 1]) + kz * (C[3 * k + V3 + 2] - C[3 * j + V3 + 2])) / far;
        // as much momentum for the one as for the other, whatever their weights and masses
        const other = bodyMass[j] / (bodyMass[j] + bodyMass[k]), both = Math.min(weight[k], weight[j]) / weight[k];
        const push = ((PUSH * (reach - far)) / h + (nearing < 0 ? -STOP * nearing : 0)) * (other / far) * both * Math.min(1, 2 * Math.min(alpha[k], alpha[j]));
        G[0] += push * kx; G[1] += push * ky; G[2] += push * kz;
      }
    }
  }
  private readonly push = new Float64Array(3);

  /**
   * Before a substep of `h` seconds: what the strands of a share do to each other. `first`: number of its first guide;
   * `between`: what is to be done while all shares have told the substep before and none has begun the next.
   */
  act(system: RodSystem, first: number, h: number, between?: () => void): void {
    const { coupling } = this;
    if (this.fadeStep !== h) {
      this.fadeStep = h;
      for (let k = 0; k < this.bodies; k++) { this.fadeAcross[k] = 1 - Math.exp(-h * this.across[k]); this.fadeAlong[k] = 1 - Math.exp(-h * this.along[k]); }
    }
    this.tell(system, first, h);
    meet(coupling);
    this.letGo();
    between?.();
    if (this.acted) this.sortBodies();
    for (let k = this.mine[0]; k < this.mine[1]; k++) this.shape(k, h);
    meet(coupling);
    this.apply(system, first, h);
    this.acted = true;
  }

  /** Ties that pulled at any of their strands harder than they can. */
  private letGo(): void {
    const { start, pull, snap, tie, broken } = this;
    for (let k = 0; k < this.firstLoft; k++) for (let m = start[k]; m < start[k + 1]; m++) if (pull[m] > snap[k]) broken[tie[k]] = 1;
  }

  /** Where the points of this share would go by themselves, and how fast they are. */
  private tell(system: RodSystem, first: number, h: number): void {
    const { P, V } = this, { k: { x, v }, lanes: L, rootBefore } = system;
    for (let s = 0; s < system.strandCount; s++) {
      const n = system.pointsOf(s);
      let a = system.at(s, 0, 3), p = 3 * (first + s) * this.pointCount;
      const rx = rootBefore[3 * s], ry = rootBefore[3 * s + 1], rz = rootBefore[3 * s + 2];
      for (let i = 0; i < n; i++, a += 3 * L, p += 3) {
        const v0 = v[a], v1 = v[a + L], v2 = v[a + 2 * L];
        V[p] = v0; V[p + 1] = v1; V[p + 2] = v2;
        P[p] = x[a] + rx + h * v0; P[p + 1] = x[a + L] + ry + h * v1; P[p + 2] = x[a + 2 * L] + rz + h * v2;
      }
    }
  }

  private shape(k: number, h: number): void {
    const { start, member, mass, P, V, axes, q, told: T } = this, o = TOLD * k, a6 = 6 * k;
    if (this.tie[k] >= 0 && this.broken[this.tie[k]] === 1) { T[o + 21] = 0; return; }
    let M = 0, cx = 0, cy = 0, cz = 0, vx = 0, vy = 0, vz = 0;
    for (let m = start[k]; m < start[k + 1]; m++) {
      const i = member[m], p = 3 * i, w = mass[i];
      M += w; cx += w * P[p]; cy += w * P[p + 1]; cz += w * P[p + 2]; vx += w * V[p]; vy += w * V[p + 1]; vz += w * V[p + 2];
    }
    cx /= M; cy /= M; cz /= M; vx /= M; vy /= M; vz /= M;
    // t as the strands run now; u carried along by the smallest turn from the old t to the new
    const t0 = axes[a6], t1 = axes[a6 + 1], t2 = axes[a6 + 2];
    this.direction(k, P, axes, a6);
    const s0 = axes[a6], s1 = axes[a6 + 1], s2 = axes[a6 + 2];
    let u0 = axes[a6 + 3], u1 = axes[a6 + 4], u2 = axes[a6 + 5];
    const b0 = t1 * s2 - t2 * s1, b1 = t2 * s0 - t0 * s2, b2 = t0 * s1 - t1 * s0, cosine = t0 * s0 + t1 * s1 + t2 * s2, along = (b0 * u0 + b1 * u1 + b2 * u2) / Math.max(1e-9, 1 + cosine);
    const x0 = cosine * u0 + b1 * u2 - b2 * u1 + along * b0, x1 = cosine * u1 + b2 * u0 - b0 * u2 + along * b1, x2 = cosine * u2 + b0 * u1 - b1 * u0 + along * b2;
    const d = x0 * s0 + x1 * s1 + x2 * s2;
    u0 = x0 - d * s0; u1 = x1 - d * s1; u2 = x2 - d * s2;
    const l = 1 / Math.sqrt(u0 * u0 + u1 * u1 + u2 * u2 + 1e-30);
    u0 *= l; u1 *= l; u2 *= l;
    let w0 = s1 * u2 - s2 * u1, w1 = s2 * u0 - s0 * u2, w2 = s0 * u1 - s1 * u0;
    let turn = 0, match = 0, pxx = 0, pxy = 0, pyy = 0;
    // the turning all have in common: inertia and angular momentum about the middle
    let ixx = 0, ixy = 0, ixz = 0, iyy = 0, iyz = 0, izz = 0, lx = 0, ly = 0, lz = 0;
    for (let m = start[k]; m < start[k + 1]; m++) {
      const i = member[m], p = 3 * i, w = mass[i], rx = P[p] - cx, ry = P[p + 1] - cy, rz = P[p + 2] - cz, px = rx * u0 + ry * u1 + rz * u2, py = rx * w0 + ry * w1 + rz * w2;
      turn += w * (q[2 * m] * py - q[2 * m + 1] * px);
      match += w * (q[2 * m] * px + q[2 * m + 1] * py);
      pxx += w * px * px; pxy += w * px * py; pyy += w * py * py;
      const ax = V[p] - vx, ay = V[p + 1] - vy, az = V[p + 2] - vz;
      ixx += w * (ry * ry + rz * rz); iyy += w * (rx * rx + rz * rz); izz += w * (rx * rx + ry * ry); ixy -= w * rx * ry; ixz -= w * rx * rz; iyz -= w * ry * rz;
      lx += w * (ry * az - rz * ay); ly += w * (rz * ax - rx * az); lz += w * (rx * ay - ry * ax);
    }
    const size = Math.sqrt(turn * turn + match * match), sine = size > 0 ? turn / size : 0, cos = size > 0 ? match / size : 1;
    const y0 = cos * u0 + sine * w0, y1 = cos * u1 + sine * w1, y2 = cos * u2 + sine * w2;
    w0 = cos * w0 - sine * u0; w1 = cos * w1 - sine * u1; w2 = cos * w2 - sine * u2;
    axes[a6 + 3] = y0; axes[a6 + 4] = y1; axes[a6 + 5] = y2;
    // a body is asked for less as a whole, so that its momentum stays what it is
    let worst = 0;
    if (k >= this.firstLoft) for (let m = start[k]; m < start[k + 1]; m++) {
      const p = 3 * member[m], rx = P[p] - cx, ry = P[p + 1] - cy, rz = P[p + 2] - cz, a = q[2 * m] - rx * y0 - ry * y1 - rz * y2, b = q[2 * m + 1] - rx * w0 - ry * w1 - rz * w2;
      worst = Math.max(worst, a * a + b * b);
    }
    const farthest = this.farthest[k];
    T[o + 23] = this.alpha[k] * this.alpha[k] * worst > farthest * farthest ? farthest / (this.alpha[k] * Math.sqrt(worst)) : 1;
    // a body on one line does not turn about it
    const trace = 1e-6 * (ixx + iyy + izz) + 1e-30;
    ixx += trace; iyy += trace; izz += trace;
    const m0 = iyy * izz - iyz * iyz, m1 = ixz * iyz - ixy * izz, m2 = ixy * iyz - ixz * iyy, det = 1 / (ixx * m0 + ixy * m1 + ixz * m2);
    const ox = det * (m0 * lx + m1 * ly + m2 * lz), oy = det * (m1 * lx + (ixx * izz - ixz * ixz) * ly + (ixy * ixz - ixx * iyz) * lz), oz = det * (m2 * lx + (ixy * ixz - ixx * iyz) * ly + (ixx * iyy - ixy * ixy) * lz);
    // what has come too near, by where all were a substep ago
    if (this.acted && k >= this.firstLoft) this.keepApart(k, h);
    else this.push.fill(0);
    const G = this.push;
    T[o] = cx; T[o + 1] = cy; T[o + 2] = cz; T[o + 3] = vx; T[o + 4] = vy; T[o + 5] = vz; T[o + 6] = y0; T[o + 7] = y1; T[o + 8] = y2; T[o + 9] = w0; T[o + 10] = w1; T[o + 11] = w2;
    T[o + 12] = s0; T[o + 13] = s1; T[o + 14] = s2; T[o + 15] = ox; T[o + 16] = oy; T[o + 17] = oz; T[o + 18] = G[0]; T[o + 19] = G[1]; T[o + 20] = G[2]; T[o + 21] = 1;
    T[o + 22] = Math.sqrt(Math.max(0, pxx * pyy - pxy * pxy)) / this.restArea[k];
  }

  private apply(system: RodSystem, first: number, h: number): void {
    const { pointStart, pointBodies: B, told: T, q, weight, alpha, P, V, mass, fadeAcross, fadeAlong, last } = this, { lanes: L } = system;
    for (let s = 0; s < system.strandCount; s++) {
      const n = system.pointsOf(s);
      let a = system.at(s, 0, 3), i = (first + s) * this.pointCount;
      for (let e = 0; e < n; e++, a += 3 * L, i++) {
        if (mass[i] === 0 || pointStart[i] === pointStart[i + 1]) continue;
        const p = 3 * i;
        let dx = 0, dy = 0, dz = 0;
        for (let b = pointStart[i]; b < pointStart[i + 1]; b++) {
          const k = B[2 * b], m = B[2 * b + 1], o = TOLD * k;
          if (T[o + 21] === 0) continue;
          const rx = P[p] - T[o], ry = P[p + 1] - T[o + 1], rz = P[p + 2] - T[o + 2], u0 = T[o + 6], u1 = T[o + 7], u2 = T[o + 8], w0 = T[o + 9], w1 = T[o + 10], w2 = T[o + 11], t0 = T[o + 12], t1 = T[o + 13], t2 = T[o + 14];
          const back = (alpha[k] * T[o + 23]) / h, g1 = back * (q[2 * m] - rx * u0 - ry * u1 - rz * u2), g2 = back * (q[2 * m + 1] - rx * w0 - ry * w1 - rz * w2);
          const ex = T[o + 3] + T[o + 16] * rz - T[o + 17] * ry - V[p], ey = T[o + 4] + T[o + 17] * rx - T[o + 15] * rz - V[p + 1], ez = T[o + 5] + T[o + 15] * ry - T[o + 16] * rx - V[p + 2], et = ex * t0 + ey * t1 + ez * t2;
          const fx = fadeAcross[k], along = (fadeAlong[k] - fx) * et, s1 = weight[k];
          const jx = s1 * (g1 * u0 + g2 * w0 + fx * ex + along * t0 + T[o + 18]), jy = s1 * (g1 * u1 + g2 * w1 + fx * ey + along * t1 + T[o + 19]), jz = s1 * (g1 * u2 + g2 * w2 + fx * ez + along * t2 + T[o + 20]);
          dx += jx; dy += jy; dz += jz;
          if (k < this.firstLoft) this.pull[m] = (mass[i] * Math.sqrt(jx * jx + jy * jy + jz * jz)) / h;
        }
        system.hasten(a, dx, dy, dz, h);
      }
    }
    for (let k = 0; k < this.bodies; k++) for (let c = 0; c < 3; c++) { last[3 * k + c] = T[TOLD * k + c]; last[3 * this.bodies + 3 * k + c] = T[TOLD * k + 3 + c]; }
  }
}

/**
 * Bodies of neighbours: a seed every `spacing` over all points that move, greedily and in order; the points within `RADIUS`
 * spacings of each seed, its nearest ones where they are many.
 */
function gatherBodies(points: Float64Array, mass: Float64Array, pointCount: number, spacing: number): number[][] {
  const radius = RADIUS * spacing, cells = new Map<string, number[]>(), seeds = new Map<string, number[]>(), out: number[][] = [];
  const at = (p: number, size: number): [number, number, number] => [Math.floor(points[3 * p] / size), Math.floor(points[3 * p + 1] / size), Math.floor(points[3 * p + 2] / size)];
  const far = (p: number, q: number): number => Math.hypot(points[3 * p] - points[3 * q], points[3 * p + 1] - points[3 * q + 1], points[3 * p + 2] - points[3 * q + 2]);
  const around = (map: Map<string, number[]>, [x, y, z]: [number, number, number], each: (p: number) => void): void => {
    for (let i = x - 1; i <= x + 1; i++) for (let j = y - 1; j <= y + 1; j++) for (let k = z - 1; k <= z + 1; k++) for (const p of map.get(`${i},${j},${k}`) ?? []) each(p);
  };
  const put = (map: Map<string, number[]>, p: number, size: number): void => { const key = at(p, size).join(), list = map.get(key); if (list) list.push(p); else map.set(key, [p]); };
  for (let p = 0; p < mass.length; p++) if (p % pointCount > 0 && mass[p] > 0) put(cells, p, radius);
  for (let p = 0; p < mass.length; p++) {
    if (p % pointCount === 0 || mass[p] === 0) continue;
    let taken = false;
    around(seeds, at(p, spacing), (q) => { taken ||= far(p, q) < spacing; });
    if (taken) continue;
    put(seeds, p, spacing);
    const list: number[] = [];
    around(cells, at(p, radius), (q) => { if (far(p, q) <= radius) list.push(q); });
    if (list.length > MOST) list.sort((a, b) => far(p, a) - far(p, b) || a - b).length = MOST;
    // one strand alone keeps its own shape
    if (list.length >= FEWEST && list.some((q) => Math.floor(q / pointCount) !== Math.floor(list[0] / pointCount))) out.push(list.sort((a, b) => a - b));
  }
  return out;
}
const hashCell = (x: number, y: number, z: number): number => Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791);
