/**
 * What moves rigidly and hair can touch: pills and floors, where they are in a substep. They move rigidly from one frame to the next; places within the
 * frame are interpolated (spherical for the turn).
 */
import { mixMotion, moveInto, rotationRowsInto, turnInto } from '../math/mat4';
import { pillDistance, pillDistanceAt, type Pill } from './pills';

/** Floors that a strand's list has bits for. */
export const MOST_FLOORS = 8;
/** A level plane: hair stays on the side of `up`. */
export interface Floor { place: readonly [number, number, number]; up: readonly [number, number, number]; gap?: number; friction?: number }

/** Rigid motion of pills, then floors: 7 numbers each, quaternion x y z w and translation, from rest to the frame. */
export type RigidMotions = Float64Array;

/** What is told where a surface goes in a substep, m. */
interface Slides { ux: number; uy: number; uz: number }

export class RigidColliders {
  readonly count: number;
  /** Pills: six numbers, the ends at the end of the substep; and the radii. */
  readonly ends: Float64Array;
  readonly radii: Float64Array;
  /** Four a pill: a ball round it at the end of the substep. */
  readonly balls: Float64Array;
  /** Floors: unit normal and offset at the end of the substep. */
  readonly planes: Float64Array;
  /** Twelve a pill or floor: start of the substep seen from its end, row-major 3 × 4. */
  private readonly back: Float64Array;
  private readonly motion: Float64Array;
  private readonly motionBefore: Float64Array;
  private readonly out = new Float64Array(4);
  private readonly plane = new Float64Array(8);
  /** Pills, then floors: gap kept, m, and friction, their own or what is given. */
  readonly gaps: Float64Array;
  readonly frictions: Float64Array;
  private readonly placed: Float64Array;
  /** Of the frame: low and high, m, of what pills take up. */
  private readonly box = new Float64Array(6);

  /** `MOST_FLOORS` of the floors count. */
  constructor(readonly pills: readonly Pill[], readonly floors: readonly Floor[], gap: number, friction: number) {
    const n = (this.count = pills.length), rigid = n + floors.length;
    this.gaps = Float64Array.from([...pills, ...floors], (p) => p.gap ?? gap);
    this.frictions = Float64Array.from([...pills, ...floors], (p) => p.friction ?? friction);
    this.radii = Float64Array.from(pills.flatMap((p) => [p.radiusA, p.radiusB]));
    this.ends = new Float64Array(6 * n);
    this.placed = new Float64Array(6 * n);
    this.balls = new Float64Array(4 * n);
    this.planes = new Float64Array(4 * floors.length);
    this.back = new Float64Array(12 * rigid);
    this.motion = new Float64Array(7 * rigid);
    this.motionBefore = new Float64Array(7 * rigid);
  }

  /** Places all for the substep that ends at share `t1` of the way from one frame to the next and began at `t0`. */
  place(from: RigidMotions, to: RigidMotions, t0: number, t1: number): void {
    const E = this.ends, R = this.radii;
    for (let k = 0; k < this.count + this.floors.length; k++) {
      const o = 7 * k;
      mixMotion(this.motionBefore, o, from, to, t0);
      mixMotion(this.motion, o, from, to, t1);
      backwards(this.motionBefore, this.motion, o, this.back, 12 * k);
      if (k >= this.count) { placeFloor(this.floors[k - this.count], this.motion, o, this.planes, 4 * (k - this.count)); continue; }
      placePill(this.pills[k], this.motion, o, E, 6 * k);
      const e = 6 * k;
      for (let c = 0; c < 3; c++) this.balls[4 * k + c] = 0.5 * (E[e + c] + E[e + 3 + c]);
      this.balls[4 * k + 3] = 0.5 * Math.sqrt((E[e + 3] - E[e]) ** 2 + (E[e + 4] - E[e + 1]) ** 2 + (E[e + 5] - E[e + 2]) ** 2) + Math.max(R[2 * k], R[2 * k + 1]);
    }
  }
  /** For a frame: the space that all pills, with the distances kept from them, take up at its ends. */
  frame(from: RigidMotions, to: RigidMotions): void {
    const { box } = this;
    box.fill(Infinity, 0, 3);
    box.fill(-Infinity, 3, 6);
    for (const motions of [from, to]) {
      const E = this.placesOf(motions);
      for (let e = 0; e < E.length; e++) {
        const k = (e / 6) | 0, c = e % 3, r = this.radii[2 * k + (e % 6 < 3 ? 0 : 1)] + Math.max(0, this.gaps[k]);
        box[c] = Math.min(box[c], E[e] - r);
        box[3 + c] = Math.max(box[3 + c], E[e] + r);
      }
    }
  }
  /** Whether a ball about place `o` of `A` reaches that space. */
  reaches(A: ArrayLike<number>, o: number, r: number): boolean {
    const { box: B } = this;
    return A[o] > B[0] - r && A[o] < B[3] + r && A[o + 1] > B[1] - r && A[o + 1] < B[4] + r && A[o + 2] > B[2] - r && A[o + 2] < B[5] + r;
  }
  /** Least distance of a place to a pill's surface where pills were last placed, no more than 0, m; `deepest` is of which one, −1 for none. */
  below(at: Float64Array): number {
    const { ends, radii, balls: B } = this;
    let least = 0;
    this.deepest = -1;
    for (let k = 0; k < this.count; k++) {
      const x = at[0] - B[4 * k], y = at[1] - B[4 * k + 1], z = at[2] - B[4 * k + 2], far = B[4 * k + 3];
      if (x * x + y * y + z * z > far * far) continue;
      const d = pillDistanceAt(at, 0, ends, 6 * k, radii, 2 * k, this.out);
      if (d < least) { least = d; this.deepest = k; }
    }
    return least;
  }
  deepest = -1;
  /** Whether a strand of a length with its root at `r` could reach a floor between two frames. */
  floorNear(f: number, from: RigidMotions, to: RigidMotions, rootFrom: ArrayLike<number>, rootTo: ArrayLike<number>, r: number, length: number): boolean {
    const o = 7 * (this.count + f), P = this.plane, reach = length + this.gaps[this.count + f] + 0.01;
    placeFloor(this.floors[f], from, o, P, 0);
    placeFloor(this.floors[f], to, o, P, 4);
    return P[0] * rootFrom[r] + P[1] * rootFrom[r + 1] + P[2] * rootFrom[r + 2] - P[3] < reach || P[4] * rootTo[r] + P[5] * rootTo[r + 1] + P[6] * rootTo[r + 2] - P[7] < reach;
  }
  /** Movement over the substep of the place on a rigid collider that is at (x, y, z) at its end. */
  slide(f: Slides, id: number, x: number, y: number, z: number): void {
    const B = this.back, o = 12 * id;
    f.ux = x - (B[o] * x + B[o + 1] * y + B[o + 2] * z + B[o + 3]);
    f.uy = y - (B[o + 4] * x + B[o + 5] * y + B[o + 6] * z + B[o + 7]);
    f.uz = z - (B[o + 8] * x + B[o + 9] * y + B[o + 10] * z + B[o + 11]);
  }
  /** Distance of a point to a pill where the pill was at the start of the substep. */
  gapNow(x: number, y: number, z: number, k: number): number {
    const o = 6 * k, E = this.ends, B = this.back, w = 12 * k, R = this.radii;
    const x0 = E[o], y0 = E[o + 1], z0 = E[o + 2], x1 = E[o + 3], y1 = E[o + 4], z1 = E[o + 5];
    return pillDistance(
      x, y, z, B[w] * x0 + B[w + 1] * y0 + B[w + 2] * z0 + B[w + 3], B[w + 4] * x0 + B[w + 5] * y0 + B[w + 6] * z0 + B[w + 7], B[w + 8] * x0 + B[w + 9] * y0 + B[w + 10] * z0 + B[w + 11],
      B[w] * x1 + B[w + 1] * y1 + B[w + 2] * z1 + B[w + 3], B[w + 4] * x1 + B[w + 5] * y1 + B[w + 6] * z1 + B[w + 7], B[w + 8] * x1 + B[w + 9] * y1 + B[w + 10] * z1 + B[w + 11], R[2 * k], R[2 * k + 1], this.out,
    );
  }
  /** Points (3 × n, m) inside a pill where it was last placed. */
  insideOf(pill: Pill, points: ArrayLike<number>): number {
    const k = this.pills.indexOf(pill), o = 6 * k, E = this.ends, R = this.radii;
    let inside = 0;
    for (let p = 0; k >= 0 && p < points.length; p += 3) if (pillDistance(points[p], points[p + 1], points[p + 2], E[o], E[o + 1], E[o + 2], E[o + 3], E[o + 4], E[o + 5], R[2 * k], R[2 * k + 1], this.out) < 0) inside++;
    return inside;
  }
  /** Ends of all pills for the given motions, six numbers each, in a list that is kept. */
  placesOf(motions: RigidMotions): Float64Array {
    const out = this.placed;
    this.pills.forEach((pill, k) => placePill(pill, motions, 7 * k, out, 6 * k));
    return out;
  }
}

/** A floor's unit normal and offset, four numbers at `out[e …)`. */
function placeFloor(floor: Floor, motion: RigidMotions, o: number, out: Float64Array, e: number): void {
  turnInto(out, e, floor.up, 0, motion, o);
  moveInto(PLACE, 0, floor.place, 0, motion, o);
  out[e + 3] = out[e] * PLACE[0] + out[e + 1] * PLACE[1] + out[e + 2] * PLACE[2];
}
const PLACE = new Float64Array(3);

function placePill(pill: Pill, motion: RigidMotions, o: number, out: Float64Array, e: number): void {
  moveInto(out, e, pill.a, 0, motion, o);
  moveInto(out, e + 3, pill.b, 0, motion, o);
}

const ROTATION = new Float64Array(4), ROWS = new Float64Array(9);

/** Rows of M₀ M₁⁻¹ for two rigid motions. */
function backwards(m0: Float64Array, m1: Float64Array, o: number, out: Float64Array, w: number): void {
  // q = q0 · conj(q1)
  const ax = m0[o], ay = m0[o + 1], az = m0[o + 2], aw = m0[o + 3], bx = -m1[o], by = -m1[o + 1], bz = -m1[o + 2], bw = m1[o + 3];
  const x = aw * bx + ax * bw + ay * bz - az * by, y = aw * by - ax * bz + ay * bw + az * bx, z = aw * bz + ax * by - ay * bx + az * bw, q = aw * bw - ax * bx - ay * by - az * bz;
  ROTATION[0] = x; ROTATION[1] = y; ROTATION[2] = z; ROTATION[3] = q;
  const r = ROWS;
  rotationRowsInto(r, 0, ROTATION);
  for (let row = 0; row < 3; row++) {
    out[w + 4 * row] = r[3 * row]; out[w + 4 * row + 1] = r[3 * row + 1]; out[w + 4 * row + 2] = r[3 * row + 2];
    out[w + 4 * row + 3] = m0[o + 4 + row] - (r[3 * row] * m1[o + 4] + r[3 * row + 1] * m1[o + 5] + r[3 * row + 2] * m1[o + 6]);
  }
}
