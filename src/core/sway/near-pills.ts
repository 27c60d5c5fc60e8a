/**
 * What pills are near the edges of strands. Most edges are far from everything most of the time: an edge that was looked at keeps the pills near it, how far it may go (or they
 * may come) before it has to look again, and how far before any of them can touch it.
 */
import { pillDistance, pillDistanceAt } from './pills';
import type { RigidColliders } from './rigid-colliders';

/** m: contacts are taken up so near. */
export const NEAR = 0.002;
/** Pills an edge remembers, and how far it goes, m, before it looks for others. */
export const REMEMBERED = 4;
export const LEASE = 0.012;
/** What is known of an edge holds; a pill may touch it; it has to look again. */
export const HOLDS = 0, MAY_TOUCH = 1, LOOKS = 2;

export class NearPills {
  /** Pills that each strand could reach this frame: `near[s * pills …]`, `nearCount[s]`. */
  readonly near: Int32Array;
  readonly nearCount: Int32Array;
  /** Edges: the pills it saw when it last looked, the nearest first: `kept[REMEMBERED * p …]`, `keptCount[p]`. */
  kept = new Int32Array(0);
  keptCount = new Uint8Array(0);
  /** How far the pills near a strand move in the frame against its root, m; and what they have moved since the strand's edges were last sure of nothing. */
  private readonly drift: Float64Array;
  private readonly drifted: Float64Array;
  /** Edges: where it was when it last looked (both points, from the root), how far it may go, and how far before anything can touch it, m; the drift then. */
  private seenAt = new Float64Array(0);
  private slack = new Float64Array(0);
  private untouched = new Float64Array(0);
  private seenDrift = new Float64Array(0);
  private readonly gapsFound = new Float64Array(REMEMBERED + 1);
  private readonly out = new Float64Array(4);
  private readonly at = new Float64Array(3);

  constructor(private readonly rigid: RigidColliders, strandCount: number) {
    this.near = new Int32Array(strandCount * rigid.count);
    this.nearCount = new Int32Array(strandCount);
    this.drift = new Float64Array(strandCount);
    this.drifted = new Float64Array(strandCount);
  }
  /** Room for what so many points remember. */
  begin(points: number): void {
    this.seenAt = new Float64Array(6 * points);
    this.slack = new Float64Array(points).fill(-1);
    this.untouched = new Float64Array(points).fill(-1);
    this.seenDrift = new Float64Array(points);
    this.kept = new Int32Array(REMEMBERED * points);
    this.keptCount = new Uint8Array(points);
  }

  /** Lists the pills that a strand of a length, m, could reach between two frames; `F`, `T`: their ends at both. */
  cull(s: number, F: Float64Array, T: Float64Array, rootFrom: ArrayLike<number>, rootTo: ArrayLike<number>, length: number): void {
    const { near, rigid: { count, radii, gaps } } = this, r = 3 * s, mx = rootTo[r] - rootFrom[r], my = rootTo[r + 1] - rootFrom[r + 1], mz = rootTo[r + 2] - rootFrom[r + 2];
    let found = 0, drift = 0, changed = false;
    for (let k = 0; k < count; k++) {
      const o = 6 * k, reach = length + gaps[k] + 0.01;
      if (pillDistance(rootFrom[r], rootFrom[r + 1], rootFrom[r + 2], F[o], F[o + 1], F[o + 2], F[o + 3], F[o + 4], F[o + 5], radii[2 * k], radii[2 * k + 1], this.out) >= reach
        && pillDistance(rootTo[r], rootTo[r + 1], rootTo[r + 2], T[o], T[o + 1], T[o + 2], T[o + 3], T[o + 4], T[o + 5], radii[2 * k], radii[2 * k + 1], this.out) >= reach) continue;
      const q = s * count + found++;
      if (near[q] !== k) { near[q] = k; changed = true; }
      for (let e = o; e < o + 6; e += 3) drift = Math.max(drift, Math.hypot(T[e] - F[e] - mx, T[e + 1] - F[e + 1] - my, T[e + 2] - F[e + 2] - mz));
    }
    if (this.nearCount[s] !== found) { this.nearCount[s] = found; changed = true; }
    // an edge that has looked does not know of pills that came to the list since
    if (changed) this.drifted[s] += 1e3;
    // the way between is bowed where a collider turns
    this.drift[s] = 1.1 * drift;
  }
  /** The pills near a strand go on for a share of the frame. */
  goOn(s: number, share: number): void { this.drifted[s] += this.drift[s] * share; }

  /** What the edge below a point of a strand that pills are near has to do, with its ends at `lower` and `upper` of `A` (m, world), its root at `r` of `roots`: `HOLDS`, `MAY_TOUCH` or `LOOKS`. */
  ask(s: number, p: number, A: ArrayLike<number>, lower: number, upper: number, roots: ArrayLike<number>, r: number): number {
    const S = this.seenAt, o = 6 * p, ex = roots[r], ey = roots[r + 1], ez = roots[r + 2], drift = this.drifted[s] - this.seenDrift[p], free = this.slack[p] - drift, clear = this.untouched[p] - drift;
    const d0 = A[lower] - ex - S[o], d1 = A[lower + 1] - ey - S[o + 1], d2 = A[lower + 2] - ez - S[o + 2], d3 = A[upper] - ex - S[o + 3], d4 = A[upper + 1] - ey - S[o + 4], d5 = A[upper + 2] - ez - S[o + 5];
    const moved2 = Math.max(d0 * d0 + d1 * d1 + d2 * d2, d3 * d3 + d4 * d4 + d5 * d5);
    if (!(free > 0 && moved2 < free * free)) return LOOKS;
    return this.keptCount[p] === 0 || (clear > 0 && moved2 < clear * clear) ? HOLDS : MAY_TOUCH;
  }
  /** Looks through all pills near the strand for those the edge `E` (its ends would go to the places at 6 and 9) could touch before it looks again. */
  look(s: number, p: number, E: Float64Array, roots: ArrayLike<number>): void {
    const M = this.at, ax = E[6], ay = E[7], az = E[8], bx = E[9], by = E[10], bz = E[11], ex = roots[3 * s], ey = roots[3 * s + 1], ez = roots[3 * s + 2];
    const { out, gapsFound: G, kept, rigid: { count, ends, balls, radii, gaps } } = this, from = s * count, to = from + this.nearCount[s], o6 = 6 * p, first = REMEMBERED * p;
    const ux = bx - ax, uy = by - ay, uz = bz - az, half = 0.5 * Math.sqrt(ux * ux + uy * uy + uz * uz), mx = ax + 0.5 * ux, my = ay + 0.5 * uy, mz = az + 0.5 * uz;
    let n = 0, next = Infinity;
    M[0] = mx; M[1] = my; M[2] = mz;
    for (let q = from; q < to; q++) {
      const k = this.near[q], o = 6 * k, dx = mx - balls[4 * k], dy = my - balls[4 * k + 1], dz = mz - balls[4 * k + 2];
      // at least so far away
      let gap = Math.sqrt(dx * dx + dy * dy + dz * dz) - balls[4 * k + 3] - half - gaps[k];
      if (gap < 4 * LEASE) gap = pillDistanceAt(M, 0, ends, o, radii, 2 * k, out) - gaps[k] - half;
      if (gap > LEASE + NEAR) { if (gap < next) next = gap; continue; }
      // the nearest few, in order
      let at = n;
      while (at > 0 && G[at - 1] > gap) { if (at < REMEMBERED) { G[at] = G[at - 1]; kept[first + at] = kept[first + at - 1]; } else if (G[at - 1] < next) next = G[at - 1]; at--; }
      if (at < REMEMBERED) { G[at] = gap; kept[first + at] = k; if (n < REMEMBERED) n++; } else if (gap < next) next = gap;
    }
    this.keptCount[p] = n;
    // the distance to a pill is convex along the edge: nowhere less than its tangent, at the place nearest the axis
    let least = next;
    for (let q = first; q < first + n; q++) {
      const k = kept[q], o = 6 * k, place = nearestPlace(E, ends, o);
      M[0] = ax + place * ux; M[1] = ay + place * uy; M[2] = az + place * uz;
      const gap = pillDistanceAt(M, 0, ends, o, radii, 2 * k, out) - gaps[k], slope = out[0] * ux + out[1] * uy + out[2] * uz;
      least = Math.min(least, gap + Math.min(-place * slope, (1 - place) * slope));
    }
    this.untouched[p] = least - NEAR;
    this.slack[p] = Math.max(1e-4, n === 0 ? next - NEAR : Math.min(LEASE, next - NEAR));
    this.seenDrift[p] = this.drifted[s];
    const S = this.seenAt;
    S[o6] = ax - ex; S[o6 + 1] = ay - ey; S[o6 + 2] = az - ez; S[o6 + 3] = bx - ex; S[o6 + 4] = by - ey; S[o6 + 5] = bz - ez;
  }
}

/**
 * Share of the way along an edge, where it would go, that comes nearest the axis of the pill whose ends stand at `o`; halfway where they run
 * side by side. **Source:** closest points of two segments, Ericson, Real-Time Collision Detection, *from memory*.
 */
export function nearestPlace(E: Float64Array, ends: Float64Array, o: number): number {
  const ax = E[6], ay = E[7], az = E[8], ux = E[9] - ax, uy = E[10] - ay, uz = E[11] - az;
  const vx = ends[o + 3] - ends[o], vy = ends[o + 4] - ends[o + 1], vz = ends[o + 5] - ends[o + 2], rx = ax - ends[o], ry = ay - ends[o + 1], rz = az - ends[o + 2];
  const a = ux * ux + uy * uy + uz * uz, e = vx * vx + vy * vy + vz * vz, f = vx * rx + vy * ry + vz * rz, c = ux * rx + uy * ry + uz * rz;
  if (a < 1e-18) return 1;
  if (e < 1e-12) return bound(-c / a);
  const b = ux * vx + uy * vy + uz * vz, det = a * e - b * b;
  // nearly parallel: a small part of the middle, so that the place does not jump from end to end
  const soft = 1e-3 * a * e, s = bound((b * f - c * e + 0.5 * soft) / (det + soft)), t = (b * s + f) / e;
  return t < 0 ? bound(-c / a) : t > 1 ? bound((b - c) / a) : s;
}

const bound = (t: number): number => (t < 0 ? 0 : t > 1 ? 1 : t);
