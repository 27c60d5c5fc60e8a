/**
 * From our axes (right-handed, +Y up, facing +Z, metres) to those of a receiver. A turn of the axes is a signed permutation M;
 * where it mirrors (det M = −1) faces are wound the other way, tangents point to the other side, and a rotation R
 * becomes M R Mᵀ, whose quaternion has the vector part det M · M v.
 */
import { z } from 'zod';

export const axesSchema = z.object({
  up: z.enum(['y', 'z']), hand: z.enum(['right', 'left']),
  /** Metres of a unit. */
  metres: z.number().min(1e-6).max(1e6),
});
export type AxesChoice = z.infer<typeof axesSchema>;
export const OUR_AXES: AxesChoice = { up: 'y', hand: 'right', metres: 1 };

/** Rows: which of our components stands at each place of the receiver's, and its sign. */
const TURNS: Record<AxesChoice['up'], Record<AxesChoice['hand'], readonly (readonly [number, 1 | -1])[]>> = {
  y: { right: [[0, 1], [1, 1], [2, 1]], left: [[0, -1], [1, 1], [2, 1]] },
  z: { right: [[0, 1], [2, -1], [1, 1]], left: [[0, 1], [2, 1], [1, 1]] },
};

export class Axes {
  private readonly turn: readonly (readonly [number, 1 | -1])[];
  /** −1 where left and right are exchanged. */
  readonly sign: 1 | -1;
  /** Receiver's units in a metre. */
  readonly scale: number;
  constructor(readonly choice: AxesChoice = OUR_AXES) {
    this.turn = TURNS[choice.up][choice.hand];
    this.sign = choice.hand === 'left' ? -1 : 1;
    this.scale = 1 / choice.metres;
  }
  /** Directions (3 × n), without the unit; `out` may be `v`. */
  directions<T extends Float32Array | Float64Array>(v: ArrayLike<number>, out: T, scale = 1): T {
    const [[a, sa], [b, sb], [c, sc]] = this.turn;
    for (let k = 0; k < v.length; k += 3) {
      const x = v[k + a], y = v[k + b], z = v[k + c];
      out[k] = scale * sa * x; out[k + 1] = scale * sb * y; out[k + 2] = scale * sc * z;
    }
    return out;
  }
  /** Places (3 × n, m) in the receiver's units. */
  places<T extends Float32Array | Float64Array>(v: ArrayLike<number>, out: T): T { return this.directions(v, out, this.scale); }
  /** Quaternions (x, y, z, w; 4 × n). */
  rotations<T extends Float32Array | Float64Array>(q: ArrayLike<number>, out: T): T {
    const [[a, sa], [b, sb], [c, sc]] = this.turn, s = this.sign;
    for (let k = 0; k < q.length; k += 4) {
      const x = q[k + a], y = q[k + b], z = q[k + c], w = q[k + 3];
      out[k] = s * sa * x; out[k + 1] = s * sb * y; out[k + 2] = s * sc * z; out[k + 3] = w;
    }
    return out;
  }
  /** Corners of triangles, wound the receiver's way. */
  winding<T extends Uint16Array | Uint32Array>(corners: T): T {
    if (this.sign === 1) return corners;
    const out = corners.slice() as T;
    for (let k = 0; k < out.length; k += 3) { out[k + 1] = corners[k + 2]; out[k + 2] = corners[k + 1]; }
    return out;
  }
}
