import type { Vec3 } from '../../src/core/math/vec';
import { calmStart } from '../../src/core/sway/calm-start';
import type { ContactFinder } from '../../src/core/sway/contact';
import { RodSystem, type KernelName } from '../../src/core/sway/rod-system';
import { hingeRoot, makeRod, placeStrand, type Along, type Fastening, type Rod } from '../../src/core/sway/strand-setup';

export const KERNELS = ['float64', 'simd'] as const;

export interface StrandOptions {
  kernel?: KernelName;
  along?: Along;
  rest?: number[][];
  fastening?: Fastening;
  rootTangent?: Vec3;
  hinged?: boolean;
  /** Calm start under this gravity. */
  calm?: [number, number, number];
  pinnedTip?: boolean;
}

export interface OneStrand {
  system: RodSystem;
  n: number;
  /** World place of the root and its frame; written before a step. */
  root: Float64Array;
  step(count: number, options: { h: number; gravity?: [number, number, number]; damping?: number; passes?: number }, contacts?: ContactFinder): void;
  point(i: number): [number, number, number];
  velocity(i: number): [number, number, number];
  /** Moves a point, with its history. */
  shift(i: number, by: [number, number, number]): void;
  turnRoot(tangent: ArrayLike<number>, director: ArrayLike<number>): void;
  rootFrame(): { tangent: Vec3; director: Vec3 };
  get(field: 'restLength' | 'tension' | 'mass', i: number): number;
  set(field: 'mass', i: number, value: number): void;
  /** Greatest change of an edge's length, as a share. */
  stretch(): number;
}

/** One strand through the given points, at rest in that shape unless another is given. */
export function oneStrand(points: number[][], rod: Rod, options: StrandOptions = {}): OneStrand {
  const n = points.length, one = placeStrand(points.flat(), options.rootTangent);
  makeRod(one, rod, options.along, options.rest?.flat(), options.fastening);
  if (options.hinged) hingeRoot(one);
  if (options.calm) calmStart(one, options.calm);
  if (options.pinnedTip) { one.k.fixed[n - 1] = 1; for (let c = 0; c < 3; c++) one.k.holdOffset[3 * (n - 1) + c] = points[n - 1][c] - points[0][c]; }
  const system = new RodSystem([n], options.kernel ?? 'float64', true), { k, lanes: L } = system;
  system.load(0, one);
  const three = (field: Float64Array | Float32Array, i: number): [number, number, number] => { const o = system.at(0, i, 3); return [field[o], field[o + L], field[o + 2 * L]]; };
  const strand: OneStrand = {
    system, n, root: system.rootPosition,
    step(count, { h, gravity = [0, -9.81, 0], damping, passes = 1 }, contacts) {
      if (damping !== undefined) for (let i = 0; i < n; i++) k.damping[system.at(0, i, 1)] = damping;
      const numbers = { h, gravityX: gravity[0], gravityY: gravity[1], gravityZ: gravity[2], passes, lagging: rod.bendLag ? 1 : 0 };
      for (let c = 0; c < count; c++) {
        contacts?.gatherAll(system, h, gravity);
        system.step(numbers);
      }
    },
    point: (i) => three(k.x, i).map((v, c) => v + system.rootPosition[c]) as [number, number, number],
    velocity: (i) => three(k.v, i),
    shift(i, by) { const o = system.at(0, i, 3); by.forEach((d, c) => { k.x[o + c * L] += d; k.xPrev[o + c * L] += d; }); },
    turnRoot: (tangent, director) => system.setRootFrame(0, tangent, 0, director, 0),
    rootFrame: () => ({ tangent: three(k.tangent, 0), director: three(k.director, 0) }),
    get: (field, i) => k[field][system.at(0, i, 1)],
    set: (field, i, value) => { k[field][system.at(0, i, 1)] = value; },
    stretch() {
      let worst = 0;
      for (let i = 1; i < n; i++) {
        const a = three(k.x, i - 1), b = three(k.x, i);
        worst = Math.max(worst, Math.abs(Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) / strand.get('restLength', i) - 1));
      }
      return worst;
    },
  };
  return strand;
}

/** Rod without air of a wanted weight per length and stiffness; twist two thirds of bend, as of what keeps its volume. */
export const plainRod = (lineDensity: number, bend: number, more: Partial<Rod> = {}): Rod => ({ lineDensity, bend, twist: (2 * bend) / 3, ...more });

export const straight = (n: number, length: number, direction: [number, number, number]): number[][] =>
  Array.from({ length: n }, (_, i) => direction.map((d) => (d * length * i) / (n - 1)));
