/**
 * Finds what each edge of a strand touches in the coming substep: pills, floors, and the triangles of shells.
 *
 * An edge keeps at most two contacts, with the nearest colliders that push in different directions, each at the place of the edge
 * that comes nearest.
 *
 * What begins inside is not thrown out: as deep as it was, so much lower its plane is laid, and it is raised evenly until the
 * hair is out. Where a strand comes out of the skin it is rooted in, its first stretch is let be.
 */
import { NearMemory } from './fast/near-memory';
import { copyFound, offer, takeFound, type Found } from './found';
import { FOUND, NearPills } from './near-pills';
import type { Pill } from './pills';
import { MOST_FLOORS, RigidColliders, type Floor, type RigidMotions } from './rigid-colliders';
import { EDGE, LOWER_THEN, MOST_KEPT, UPPER, UPPER_THEN, type Shell } from './shell';
import { SLOTS } from './rod/arrays';
import type { RodSystem } from './rod-system';

/** m: contacts are taken up so near; and looked for where hair began inside something, as it may come out of it in a substep. */
const NEAR = 0.002, WIDE = 0.012;
/** A contact is handed on to a neighbouring triangle whose normal is so alike. */
const HANDED_ON = 0.7;
/** A contact so low on an edge whose lower point cannot move would swing its upper point far. */
const LEAST_PLACE = 0.25;
/** m: of two alike, the one an edge touches already is kept until the other is so much nearer. */
const HELD = 3e-5;
/** Share of a depth that is left after a substep: it must not turn into speed. */
const KEPT_DEPTH = 0.8;
const STILL = [0, 0, 0] as const;
/** What began inside comes out in so many frames, but no faster than this share of the strand's length a frame. */
const RELEASE_FRAMES = 16;
const RELEASE_SHARE = 0.005;

export interface ContactSettings {
  /** Distance kept, m, where a collider has none of its own. */
  skinGap: number;
  /** Coulomb's coefficient, where a collider has none of its own. */
  friction: number;
  /** First point of a strand that can touch; those before it are skin. */
  firstPoint?: number;
  /** Share of the way from the root, along the strand, that the gap may be at most: hair must leave the skin somehow. Infinite where not given. */
  gapRise?: number;
  /** Gap as a share of a collider's own, by the share of the length from the root; everywhere all of it where left out. */
  gapShare?: (share: number) => number;
  floors?: readonly Floor[];
  /** Substeps in a frame, 8 where not given, by which what began inside comes out. */
  substeps?: number;
}

export class ContactFinder {
  /** Made anew for every substep. */
  static readonly madeAnew: ReadonlySet<string> = new Set(['near', 'under', 'memory', 'ownPlaces', 'around', 'alive', 'nearPills']);
  /** Pills and floors; `count` of them pills. */
  readonly rigid: RigidColliders;
  private readonly count: number;
  private readonly floors: readonly Floor[];
  /** Where the searches work; none where nothing but floors is. */
  private readonly memory: NearMemory | null;
  private ownPlaces = new Float64Array(0);
  /** The edge that is looked at, as shells ask for it; and a place. */
  private readonly edge = new Float64Array(EDGE);
  private readonly at = new Float64Array(3);
  /** Floors near each strand this frame, as bits; and whether it can reach the space that all pills go through. */
  private readonly nearFloors: Uint8Array;
  private readonly nearPills: Uint8Array;
  /** What pills are near; null where there are none. */
  private near: NearPills | null = null;
  /** Whether a strand has been looked at before, and whether it touched anything in the last substep. */
  private readonly met: Uint8Array;
  readonly touches: Uint8Array;
  /** Slots, two an edge in the system's order: collider touched, −1 for none. */
  touched: Int32Array = new Int32Array(0);
  /** Edges: m, ≤ 0, how much lower the planes lie; m a substep, how fast they rise; 1: the first stretch of a strand, let be. */
  private startDepth = new Float64Array(0);
  private release = new Float64Array(0);
  private rooted = new Uint8Array(0);
  /** Edges that touched something in the last substep: 1 where that pressed, or was about to. */
  private pressing = new Uint8Array(0);
  /** Edges: length from the root to the upper point, m. */
  private arc = new Float64Array(0);
  /** Nearest two of an edge. */
  private readonly found = Array.from({ length: SLOTS }, (): Found => ({ id: -1, rank: 0, gap: 0, s: 1, nx: 0, ny: 1, nz: 0, plane: 0, ux: 0, uy: 0, uz: 0 }));
  private shellReady = false;
  /** Of how deep an edge is, how much lower its planes lie; and of the distance kept, how much is asked for. */
  private keptDepth = KEPT_DEPTH;
  private askedGap = 1;
  /** Points beyond the root that stay where they are, and from which place on the edge that is looked at can be moved: one a little above a fixed end would swing the other far. */
  private still = 0;
  private leastPlace = 0;
  /** Shells that any strand can reach in the frame; and the box of all hair now and where it would go, m. */
  private readonly shellsNear: Uint8Array;
  private readonly hairBox = new Float64Array(6);
  /** Strands: m, how far their fastest point goes in the substep. */
  private readonly strandWays: Float64Array;
  /** Strands that can reach each shell this frame; those it has let go of; and a box round each strand now and where it would go (low, high; m). */
  private readonly reachable: Uint8Array[];
  private readonly left: Uint8Array[];
  private readonly strandBoxes: Float64Array;
  /** Shells that may be near the strand that is looked at, or sounded. */
  private readonly around: Int32Array;
  /** Of those it is gathered for, by point: whether the edge below follows anything. */
  private readonly alive: Uint8Array[] = [];
  /** Strands: whether any of its edges began below a gap. */
  private readonly begun: Uint8Array;
  /** First number of each shell's contacts. */
  readonly shellIds: number[] = [];
  private readonly firstPoint: number;
  private readonly gapRise: number;
  private readonly gapShare: ((share: number) => number) | null;
  /** Shares of the gap at each point; empty where it is all of it. */
  private gapShares = new Float64Array(0);
  private readonly releaseSubsteps: number;
  /** `shells`: meshes besides the pills; their frames are told by `frame`. */
  constructor(readonly pills: readonly Pill[], private readonly strandCount: number, settings: ContactSettings, private readonly shells: readonly Shell[] = []) {
    this.rigid = new RigidColliders(pills, settings.floors ?? [], settings.skinGap, settings.friction);
    this.count = pills.length;
    this.floors = this.rigid.floors;
    this.firstPoint = Math.max(1, settings.firstPoint ?? 2);
    this.gapRise = settings.gapRise ?? Infinity;
    this.gapShare = settings.gapShare ?? null;
    this.releaseSubsteps = (settings.substeps ?? 8) * RELEASE_FRAMES;
    this.shellsNear = new Uint8Array(shells.length);
    this.strandWays = new Float64Array(strandCount);
    this.reachable = shells.map(() => new Uint8Array(strandCount));
    this.left = shells.map(() => new Uint8Array(strandCount));
    this.strandBoxes = new Float64Array(6 * strandCount);
    this.around = new Int32Array(shells.length);
    this.begun = new Uint8Array(strandCount);
    let id = this.count + this.floors.length;
    for (const shell of shells) { this.shellIds.push(id); id += 4 * shell.triangleCount; }
    this.shellIds.push(id);
    this.memory = shells[0]?.memory ?? (pills.length > 0 ? new NearMemory() : null);
    this.nearFloors = new Uint8Array(strandCount);
    this.nearPills = new Uint8Array(strandCount);
    this.met = new Uint8Array(strandCount);
    this.touches = new Uint8Array(strandCount);
  }

  /** Lists, for each strand, the floors and shells it could reach between two frames, and readies the shells that are near any. `lengths`: strand lengths, m. */
  cull(from: RigidMotions, to: RigidMotions, rootFrom: ArrayLike<number>, rootTo: ArrayLike<number>, lengths: ArrayLike<number>): void {
    this.rigid.frame(from, to);
    for (let s = 0; s < this.strandCount; s++) {
      this.nearPills[s] = this.rigid.reaches(rootFrom, 3 * s, lengths[s] + 0.01) || this.rigid.reaches(rootTo, 3 * s, lengths[s] + 0.01) ? 1 : 0;
      let floors = 0;
      for (let f = 0; f < this.floors.length && f < MOST_FLOORS; f++) if (this.rigid.floorNear(f, from, to, rootFrom, rootTo, 3 * s, lengths[s])) floors |= 1 << f;
      this.nearFloors[s] = floors;
    }
    this.shells.forEach((shell, q) => {
      let any = 0;
      for (let s = 0; s < this.strandCount; s++) {
        const r = lengths[s] + 0.01, o = 3 * s;
        any |= this.reachable[q][s] = shell.reaches(rootFrom[o], rootFrom[o + 1], rootFrom[o + 2], r) || shell.reaches(rootTo[o], rootTo[o + 1], rootTo[o + 2], r) ? 1 : 0;
      }
      this.shellsNear[q] = any;
      if (any) shell.build();
    });
  }
  /** Places of a shell's vertices at both ends of the frame; `points`: of the whole system. */
  frame(which: number, from: Float64Array, to: Float64Array, points: number): void {
    if (!this.shellReady) for (const shell of this.shells) shell.begin(points);
    this.shellReady = true;
    this.shells[which].frame(from, to);
  }
  /** Of a contact with a shell: the triangle, by the shell’s own order. */
  triangleOfContact(id: number): number { return (id - this.shellIds[this.shellOf(id)]) >> 2; }
  /** Shell that a contact's number belongs to, by its place in the list, −1 for none. */
  shellOf(id: number): number {
    for (let q = this.shells.length - 1; q >= 0; q--) if (id >= this.shellIds[q]) return q;
    return -1;
  }

  /** Places all colliders for the substep that ends at share `t1` of the way from one frame to the next and began at `t0`. */
  place(from: RigidMotions, to: RigidMotions, t0: number, t1: number): void {
    for (const shell of this.shells) shell.place(t0, t1);
    this.rigid.place(from, to, t0, t1);
    this.near?.place();
  }

  private begin(system: RodSystem): void {
    const n = system.pointCount;
    this.touched = new Int32Array(SLOTS * n).fill(-1);
    if (!this.memory) this.ownPlaces = new Float64Array(6 * n);
    this.startDepth = new Float64Array(n);
    this.near = null;
    this.release = new Float64Array(n);
    this.rooted = new Uint8Array(n);
    this.pressing = new Uint8Array(n);
    this.arc = new Float64Array(n);
    for (let s = 0; s < system.strandCount; s++) for (let i = 1; i < system.pointsOf(s); i++) this.arc[system.start[s] + i] = this.arc[system.start[s] + i - 1] + system.k.restLength[system.at(s, i, 1)];
    if (!this.gapShare) return;
    this.gapShares = new Float64Array(n);
    for (let s = 0; s < system.strandCount; s++) for (let p = system.start[s]; p < system.start[s + 1]; p++) this.gapShares[p] = Math.max(0, this.gapShare(this.arc[p] / Math.max(1e-9, this.arc[system.start[s + 1] - 1])));
  }

  /** Of the system's points: 6, m, where each is and where it would go. */
  private get places(): Float64Array { return this.memory ? this.memory.places : this.ownPlaces; }
  private nearOf(system: RodSystem): NearPills {
    let longest = 0;
    for (let s = 0; s < system.strandCount; s++) longest = Math.max(longest, system.pointsOf(s));
    const near = new NearPills(this.rigid, this.memory!, system.pointCount, longest, { arc: this.arc, shares: this.gapShares, rise: this.gapRise });
    near.place();
    return near;
  }

  /** Finds the contact planes of all strands for the coming substep of `h` seconds. */
  gatherAll(system: RodSystem, h: number, gravity: readonly [number, number, number]): void {
    if (this.startDepth.length !== system.pointCount) this.begin(system);
    if (this.count > 0) this.near ??= this.nearOf(system);
    let meshes = false;
    for (let q = 0; q < this.shells.length; q++) if (this.shellsNear[q] === 1) meshes = true;
    if (meshes) {
      this.hairBox.fill(Infinity, 0, 3);
      this.hairBox.fill(-Infinity, 3, 6);
      for (let s = 0; s < system.strandCount; s++) { this.goesTo(system, s, h, gravity); this.sweeps(system, s, h); }
      for (let c = 0; c < 3; c++) { this.hairBox[c] -= 0.01; this.hairBox[3 + c] += 0.01; }
      for (let q = 0; q < this.shells.length; q++) if (this.shellsNear[q] === 1) this.shells[q].ready(this.hairBox);
    }
    // one beside the other: what is near one is near the next
    for (const s of system.order) {
      if (!meshes && (this.nearPills[s] === 1 || this.nearFloors[s] !== 0 || this.met[s] === 0)) this.goesTo(system, s, h, gravity);
      this.gather(system, s);
    }
  }

  /** Looks at a strand again where it stands at the end of the last substep. Its planes are not lowered by how deep it is then; `gap`: the share of the distance kept that is asked for. */
  lookAgain(system: RodSystem, s: number, gap: number): void {
    this.keptDepth = 0;
    this.still = 1;
    this.askedGap = gap;
    this.goesTo(system, s, 0, STILL);
    this.sweeps(system, s, 0);
    this.gather(system, s);
    this.keptDepth = KEPT_DEPTH;
    this.still = 0;
    this.askedGap = 1;
  }

  /** Where the points of a strand are, and where they would go without any other force: leaving gravity out makes contact flicker every second substep. */
  private goesTo(system: RodSystem, s: number, h: number, gravity: readonly [number, number, number]): void {
    const { k: { x, v }, lanes: L, rootBefore, start } = system, P = this.places;
    const rx = rootBefore[3 * s], ry = rootBefore[3 * s + 1], rz = rootBefore[3 * s + 2], gx = h * h * gravity[0], gy = h * h * gravity[1], gz = h * h * gravity[2];
    for (let c = system.at(s, 0, 3), q = 6 * start[s]; q < 6 * start[s + 1]; c += 3 * L, q += 6) {
      const a = x[c] + rx, b = x[c + L] + ry, d = x[c + 2 * L] + rz;
      P[q] = a; P[q + 1] = b; P[q + 2] = d; P[q + 3] = a + h * v[c] + gx; P[q + 4] = b + h * v[c + L] + gy; P[q + 5] = d + h * v[c + 2 * L] + gz;
    }
  }
  /** The space that a strand goes through, and all hair with it; and how far its fastest point goes. */
  private sweeps(system: RodSystem, s: number, h: number): void {
    const { k: { v }, lanes: L, start } = system, P = this.places, B = this.hairBox, S = this.strandBoxes;
    let way = 0, s0 = Infinity, s1 = Infinity, s2 = Infinity, e0 = -Infinity, e1 = -Infinity, e2 = -Infinity;
    for (let c = system.at(s, 0, 3), q = 6 * start[s]; q < 6 * start[s + 1]; c += 3 * L, q += 6) {
      const v0 = h * v[c], v1 = h * v[c + L], v2 = h * v[c + 2 * L], a = P[q], b = P[q + 1], d = P[q + 2], ap = P[q + 3], bp = P[q + 4], dp = P[q + 5];
      way = Math.max(way, v0 * v0 + v1 * v1 + v2 * v2);
      s0 = Math.min(s0, a, ap); s1 = Math.min(s1, b, bp); s2 = Math.min(s2, d, dp); e0 = Math.max(e0, a, ap); e1 = Math.max(e1, b, bp); e2 = Math.max(e2, d, dp);
    }
    const o = 6 * s;
    S[o] = s0; S[o + 1] = s1; S[o + 2] = s2; S[o + 3] = e0; S[o + 4] = e1; S[o + 5] = e2;
    B[0] = Math.min(B[0], s0); B[1] = Math.min(B[1], s1); B[2] = Math.min(B[2], s2); B[3] = Math.max(B[3], e0); B[4] = Math.max(B[4], e1); B[5] = Math.max(B[5], e2);
    // what is looked at again has gone its way already
    if (h > 0) this.strandWays[s] = Math.sqrt(way);
  }

  /** The contact planes of a strand whose `places` are known. */
  private gather(system: RodSystem, s: number): void {
    const { k, start, rootPosition } = system, { found, places: P, shells, around, alive } = this;
    const first = this.firstPoint, count = start[s + 1] - start[s];
    let meshes = 0;
    for (let q = 0; q < shells.length; q++) {
      if (this.reachable[q][s] === 1 && shells[q].mayMeet(this.strandBoxes, 6 * s)) {
        this.left[q][s] = 0;
        if (shells[q].scan(start[s] + first, start[s + 1], this.strandWays[s] + 1e-5) > 0) { alive[meshes] = shells[q].alive; around[meshes++] = q; }
      }
      // what is not asked about goes its way unseen: nothing that is known of it holds
      else if (this.left[q][s] === 0) { this.left[q][s] = 1; shells[q].leave(start[s], start[s + 1]); }
    }
    // the first look at a strand, not every restart of its history: the safety net must not make depth a right
    const near = this.nearPills[s] === 1 ? this.near : null, floors = this.nearFloors[s], fresh = this.met[s] === 0, begun = this.begun[s] === 1;
    if (near && begun) near.begun.set(this.startDepth.subarray(start[s], start[s + 1]), start[s]);
    const some = near ? near.find(s, start[s] + first, start[s + 1], rootPosition, fresh || begun ? WIDE : NEAR, start[s], LEAST_PLACE, this.still) : 0;
    // what nothing is near, and that touched nothing, has nothing to be done for it
    const idle = floors === 0 && !fresh && !begun;
    if (idle && some === 0 && meshes === 0) {
      if (this.touches[s] === 1) this.letGo(system, s);
      return;
    }
    this.met[s] = 1;
    const E = this.edge;
    let touching = 0, deep = 0;
    for (let i = first; i < count; i++) {
      const p = start[s] + i, w = 6 * p, pills = near ? near.counts[p] : 0;
      let follows = false;
      for (let a = 0; a < meshes; a++) if (alive[a][p] === 1) follows = true;
      if (idle && pills === 0 && !follows && this.touched[SLOTS * p] < 0 && this.touched[SLOTS * p + 1] < 0) continue;
      for (let c = 0; c < 3; c++) { E[c] = P[w - 6 + c]; E[UPPER + c] = P[w + c]; E[LOWER_THEN + c] = P[w - 3 + c]; E[UPPER_THEN + c] = P[w + 3 + c]; }
      found[0].id = found[1].id = -1;
      this.leastPlace = i === 1 ? LEAST_PLACE : i <= 1 + this.still ? 1 : 0;
      for (let j = 0; j < pills; j++) takeFound(found[j], near!.found, FOUND * p + 6 * j);
      if (floors !== 0) this.onFloors(floors, p, E[UPPER_THEN], E[UPPER_THEN + 1], E[UPPER_THEN + 2]);
      if (follows) {
        const kept = this.gapAt(p), share = this.shareAt(p);
        for (let a = 0; a < meshes; a++) {
          const q = around[a];
          if (alive[a][p] === 0) continue;
          E[MOST_KEPT] = Math.min(kept, share * shells[q].thickness);
          this.nearestOfShell(q, i === 1, p);
        }
      }
      if (fresh) this.firstLook(system, s, i);
      else if (this.startDepth[p] < 0 && this.rooted[p] === 0) this.startDepth[p] = Math.min(0, this.startDepth[p] + this.release[p]);
      if (found[0].id >= 0 || this.touched[SLOTS * p] >= 0 || this.touched[SLOTS * p + 1] >= 0) touching = Math.max(touching, this.fill(system, s, i));
      if (this.startDepth[p] < 0) deep = 1;
    }
    this.touches[s] = touching;
    k.touching[system.strandAt(s, 1)] = touching;
    if (begun && deep === 0) {
      this.begun[s] = 0;
      near?.begun.fill(0, start[s], start[s + 1]);
    }
  }
  /** Looks which edges of a strand at `A` (3 × points, m, world) may be deep in anything, at the end of the last placed substep; `isClear` tells. Whether any may. */
  sound({ start, rootPosition }: Pick<RodSystem, 'start' | 'rootPosition'>, s: number, A: ArrayLike<number>): boolean {
    this.sounded = start[s] + 1;
    this.beside = 0;
    for (let q = 0; q < this.shells.length; q++) if (this.left[q][s] === 0) this.around[this.beside++] = q;
    this.under = this.nearPills[s] === 1 ? this.near : null;
    const below = this.under ? this.under.below(s, start[s], start[s + 1], A, rootPosition) : 0;
    return below > 0 || this.beside > 0 || this.nearFloors[s] !== 0;
  }
  /** First edge of that strand; how many shells, the first ones `around`, it follows; and the pills where it can reach any. */
  private under: NearPills | null = null;
  private sounded = 0;
  private beside = 0;
  /** Whether the edge below a point of the strand that `sound` looked at cannot be deep in anything. */
  isClear(s: number, p: number): boolean {
    if (this.nearFloors[s] !== 0) return false;
    for (let a = 0; a < this.beside; a++) if (this.shells[this.around[a]].follows(p)) return false;
    return !this.under || this.under.deep[p - this.sounded] === 0;
  }
  /** A strand that touched something and is now far from everything. */
  private letGo(system: RodSystem, s: number): void {
    const { k, lanes: L, start } = system;
    this.touches[s] = 0;
    k.touching[system.strandAt(s, 1)] = 0;
    for (let i = 1; i < system.pointsOf(s); i++) for (let j = 0; j < SLOTS; j++) {
      this.touched[SLOTS * (start[s] + i) + j] = -1;
      k.touchOn[system.at(s, i, SLOTS) + j * L] = 0;
    }
  }

  /** How much of a collider's gap an edge has to keep: all of it, or less near its root. */
  private gapAt(p: number): number { return this.gapRise * this.arc[p]; }
  /** Distance that an edge keeps from what it touches, m. */
  private keptFrom(id: number, p: number): number { return Math.min(this.gapAt(p), this.shareAt(p) * (id < this.rigid.gaps.length ? this.rigid.gaps[id] : this.shells[this.shellOf(id)].thickness)); }
  private shareAt(p: number): number { return this.gapShares.length > 0 ? this.gapShares[p] : 1; }

  /**
   * The first look at an edge: as deep as it is below any gap, so much lower its planes are laid. From the root on, edges
   * whose upper point is within a collider are the strand's first stretch.
   */
  private firstLook(system: RodSystem, s: number, i: number): void {
    const p = system.start[s] + i, bx = this.edge[UPPER], by = this.edge[UPPER + 1], bz = this.edge[UPPER + 2];
    let depth = 0;
    for (const f of this.found) if (f.id >= 0) depth = Math.min(depth, f.id < this.count ? this.gapOfPill(f.id, p, bx, by, bz) : this.gapBefore(f, p));
    const within = this.within(s, p, bx, by, bz), last = i <= this.firstPoint || this.rooted[p - 1] === 1;
    this.rooted[p] = within && last ? 1 : 0;
    this.startDepth[p] = depth;
    if (depth < 0) {
      this.begun[s] = 1;
      const length = this.arc[system.start[s + 1] - 1];
      this.release[p] = Math.min(-depth, RELEASE_FRAMES * RELEASE_SHARE * length) / this.releaseSubsteps;
    }
  }
  /** Whether a point lies below the surface of a pill, or of a closed shell's side. */
  private within(s: number, p: number, x: number, y: number, z: number): boolean {
    return this.depth(s, x, y, z) > 0 || this.shellDepth(p, x, y, z) > 0;
  }
  private gapOfPill(k: number, p: number, x: number, y: number, z: number): number { return this.rigid.gapNow(x, y, z, k) - Math.min(this.rigid.gaps[k] * this.shareAt(p), this.gapAt(p)); }
  /** Gap of a contact at the start of the substep; of a pill or floor by where it was then. */
  private gapBefore(f: Found, p: number): number {
    const E = this.edge, hx = E[0] + f.s * (E[3] - E[0]), hy = E[1] + f.s * (E[4] - E[1]), hz = E[2] + f.s * (E[5] - E[2]);
    if (f.id < this.count) return this.gapOfPill(f.id, p, hx, hy, hz);
    return f.nx * (hx + f.ux) + f.ny * (hy + f.uy) + f.nz * (hz + f.uz) - f.plane;
  }

  /** Upper points and floors: an edge over a plane is nearest it at one of its ends. */
  private onFloors(floors: number, p: number, x: number, y: number, z: number): void {
    const { planes: P, gaps } = this.rigid, most = this.gapAt(p), share = this.shareAt(p);
    for (let f = 0; f < this.floors.length; f++) {
      if ((floors & (1 << f)) === 0) continue;
      const id = this.count + f, kept = Math.min(gaps[id] * share, most), gap = P[4 * f] * x + P[4 * f + 1] * y + P[4 * f + 2] * z - P[4 * f + 3] - kept;
      if (gap > WIDE) continue;
      const taken = offer(this.found, id, gap, gap, 1, P[4 * f], P[4 * f + 1], P[4 * f + 2]);
      if (taken) {
        taken.plane = P[4 * f + 3] + kept;
        this.rigid.slide(taken, id, x, y, z);
      }
    }
  }
  /** The same for the cloth; a contact of cloth has its plane and the surface's movement with it. */
  private nearestOfShell(which: number, rooted: boolean, p: number): void {
    const shell = this.shells[which];
    shell.ask(p, rooted, this.edge);
    for (let q = 0; q < shell.count; q++) {
      const c = shell.candidates[q];
      if (c.s < this.leastPlace) continue;
      const id = this.shellIds[which] + c.id, held = id === this.touched[SLOTS * p] || id === this.touched[SLOTS * p + 1];
      const taken = offer(this.found, id, held ? c.gap - HELD : c.gap, c.gap, c.s, c.nx, c.ny, c.nz);
      if (taken) { taken.plane = c.plane; taken.ux = c.ux; taken.uy = c.uy; taken.uz = c.uz; }
    }
  }

  /** Whether a contact is the one in a slot, whose normal stands at `n`: 2 by its number; 1 where neighbouring triangles hand it on while it points the same way; 0 where it is another, or there was none. */
  private goesOn({ touchNormal }: RodSystem['k'], f: Found, slot: number, n: number, L: number): 0 | 1 | 2 {
    const was = this.touched[slot];
    if (f.id < 0 || was < 0) return 0;
    if (f.id < this.shellIds[0] || was < this.shellIds[0]) return f.id === was ? 2 : 0;
    if (touchNormal[n] * f.nx + touchNormal[n + L] * f.ny + touchNormal[n + 2 * L] * f.nz <= HANDED_ON || this.shellOf(f.id) !== this.shellOf(was)) return 0;
    return f.id === was ? 2 : 1;
  }
  /** Writes the contacts found for an edge into its slots; returns 1 where there is any. */
  private fill(system: RodSystem, strand: number, i: number): number {
    const E = this.edge, apx = E[6], apy = E[7], apz = E[8], bpx = E[9], bpy = E[10], bpz = E[11];
    const { k, lanes: L, rootPosition } = system, { touched, startDepth, found, rigid: { frictions } } = this, p = system.start[strand] + i, single = system.at(strand, i, SLOTS), triple = system.at(strand, i, 3 * SLOTS);
    const first = found[0], second = found[1];
    if (this.rooted[p] === 1) {
      // the first stretch of a strand is let be and may only come out
      let now = 0;
      for (let j = 0; j < SLOTS; j++) if (found[j].id >= 0) now = Math.min(now, this.gapBefore(found[j], p));
      startDepth[p] = Math.min(0, Math.max(startDepth[p], now));
      if (startDepth[p] === 0) this.rooted[p] = 0;
    }
    const begun = startDepth[p];
    for (let j = 0; j < SLOTS; j++) if (found[j].id >= 0 && found[j].gap - begun > NEAR) found[j].id = -1;
    if (first.id < 0 && second.id >= 0) { copyFound(first, second); second.id = -1; }
    // a contact keeps the slot it has, and with it what is carried from substep to substep
    const keep = this.goesOn(k, first, SLOTS * p, triple, L) + this.goesOn(k, second, SLOTS * p + 1, triple + 3 * L, L), swap = this.goesOn(k, first, SLOTS * p + 1, triple + 3 * L, L) + this.goesOn(k, second, SLOTS * p, triple, L) > keep;
    let any = 0;
    this.pressing[p] = 0;
    for (let j = 0; j < SLOTS; j++) {
      const f = swap ? (j === 0 ? second : first) : (j === 0 ? first : second), slot = SLOTS * p + j, e = single + j * L, n = triple + 3 * j * L;
      if (this.goesOn(k, f, slot, n, L) === 0) {
        k.touchForce[e] = k.touchSticks[e] = k.touchWas[e] = k.touchLag[e] = 0;
        k.touchStick[n] = k.touchStick[n + L] = k.touchStick[n + 2 * L] = 0;
      }
      touched[slot] = f.id;
      if (f.id < 0) { k.touchOn[e] = 0; continue; }
      const cx = apx + f.s * (bpx - apx), cy = apy + f.s * (bpy - apy), cz = apz + f.s * (bpz - apz);
      if (f.id < this.count) this.rigid.slide(f, f.id, cx, cy, cz);
      // farther out than it has moved against the surface: it was not below it before
      const sx = E[0] + f.s * (E[3] - E[0]) - cx + f.ux, sy = E[1] + f.s * (E[4] - E[1]) - cy + f.uy, sz = E[2] + f.s * (E[5] - E[2]) - cz + f.uz, left = f.gap - begun;
      const here = left > 0 && left * left > sx * sx + sy * sy + sz * sz ? 0 : this.gapBefore(f, p) - begun;
      if ((k.touchOn[e] = k.touchForce[e] > 0 || f.gap - begun < 0 ? 2 : 1) === 2) this.pressing[p] = 1;
      any = 1;
      k.touchAt[e] = f.s;
      k.touchFriction[e] = f.id < frictions.length ? frictions[f.id] : this.shells[this.shellOf(f.id)].friction;
      k.touchNormal[n] = f.nx; k.touchNormal[n + L] = f.ny; k.touchNormal[n + 2 * L] = f.nz;
      const qx = cx - rootPosition[3 * strand], qy = cy - rootPosition[3 * strand + 1], qz = cz - rootPosition[3 * strand + 2];
      k.touchPlane[e] = f.nx * qx + f.ny * qy + f.nz * qz - (f.gap - begun) + this.keptDepth * Math.min(0, here) - (1 - this.askedGap) * this.keptFrom(f.id, p);
      k.touchSlide[n] = f.ux; k.touchSlide[n + L] = f.uy; k.touchSlide[n + 2 * L] = f.uz;
      // what sticks is turned into the present tangent plane
      const along = k.touchStick[n] * f.nx + k.touchStick[n + L] * f.ny + k.touchStick[n + 2 * L] * f.nz;
      k.touchStick[n] -= along * f.nx; k.touchStick[n + L] -= along * f.ny; k.touchStick[n + 2 * L] -= along * f.nz;
    }
    return any;
  }

  /** Deepest place of a point below the surface of any pill or floor at the end of the last placed substep, m, ≥ 0. */
  depth(s: number, px: number, py: number, pz: number): number {
    const { at, rigid: { planes: P } } = this;
    at[0] = px; at[1] = py; at[2] = pz;
    let least = this.rigid.below(at);
    for (let f = 0; f < this.floors.length; f++) if ((this.nearFloors[s] & (1 << f)) !== 0) least = Math.min(least, P[4 * f] * px + P[4 * f + 1] * py + P[4 * f + 2] * pz - P[4 * f + 3]);
    return -least;
  }
  /** The same for a place, `at`, on the edge below point `p`, shells and all; `deepest` is of which of them. */
  edgeDepth(s: number, p: number, at: Float64Array): number {
    const { planes: P } = this.rigid;
    let least = this.rigid.below(at);
    this.deepest = this.rigid.deepest;
    if (this.nearFloors[s] !== 0) for (let f = 0; f < this.floors.length; f++) if ((this.nearFloors[s] & (1 << f)) !== 0) {
      const d = P[4 * f] * at[0] + P[4 * f + 1] * at[1] + P[4 * f + 2] * at[2] - P[4 * f + 3];
      if (d < least) { least = d; this.deepest = this.count + f; }
    }
    let depth = -least;
    for (let q = 0; q < this.shells.length; q++) {
      const d = this.shells[q].follows(p) ? this.shells[q].depth(p, at, this.meets(q, p)) : 0;
      if (d > depth) { depth = d; this.deepest = this.count + this.floors.length + q; }
    }
    return depth;
  }
  /** Whether the edge below a point presses on anything, and touches any shell; or a certain one. */
  meetsMesh(p: number): boolean { return this.pressing[p] === 1 && (this.touched[SLOTS * p] >= this.shellIds[0] || this.touched[SLOTS * p + 1] >= this.shellIds[0]); }
  private meets(q: number, p: number): boolean { return this.meetsMesh(p) && (this.shellOf(this.touched[SLOTS * p]) === q || this.shellOf(this.touched[SLOTS * p + 1]) === q); }
  /** Collider that the last `edgeDepth` found deepest: pills, then floors, then shells; −1 for none. */
  deepest = -1;
  /** Depth of a point beyond its side of any shell at the end of the last placed substep, m, ≥ 0. */
  shellDepth(p: number, px: number, py: number, pz: number): number {
    const { at } = this;
    let depth = 0;
    at[0] = px; at[1] = py; at[2] = pz;
    for (let q = 0; q < this.shells.length; q++) depth = Math.max(depth, this.shells[q].depth(p, at));
    return depth;
  }
  /** Whether the edge below a point belongs to the first stretch of its strand, which is let be. */
  isRooted(p: number): boolean { return this.rooted[p] === 1; }
  /** How deep an edge may still lie below its gap, m, having begun there. */
  allowance(p: number): number { return -(this.startDepth[p] ?? 0); }
}
