/**
 * Curves over time as they stand in OpenUSD: one BasisCurves prim below an Xform, and what is said of it; text (`usda.ts`)
 * and crate (`usdc.ts`) write the same.
 *
 * Source: OpenUSD documentation of UsdGeomBasisCurves, *from memory*. What readers do not check is checked here: counts and
 * points of every sample, widths, and the extent of every sample, which holds every point with half its width.
 */
import { Axes, OUR_AXES, type AxesChoice } from './axes';

export interface CurveCache {
  /** Prim name: letters, digits, underscores. */
  name: string;
  fps: number;
  startFrame: number;
  endFrame: number;
  /** Samples of a frame; 1 where left out. Sample n lies at frame n / samples. */
  samples?: number;
  /** Points of each curve. */
  counts: ArrayLike<number>;
  /** Diameters, m, one a point. */
  widths: ArrayLike<number>;
  /** One a curve. */
  ids: ArrayLike<number>;
  /** Of the roots, 2 a curve. */
  uvs?: ArrayLike<number>;
  /** Linear, 0 … 1, 3 a curve. */
  colours?: ArrayLike<number>;
  /** 3 × points, m: in the rest pose. */
  rest?: ArrayLike<number>;
  /** Whether velocities are written. */
  velocities?: boolean;
  /** Points of one sample, 3 × points, m, +Y up; asked in order, some more than once. */
  points: (sample: number) => Promise<Float32Array> | Float32Array;
  axes?: AxesChoice;
  /** A sentence for whoever opens the file. */
  comment: string;
}

export type Interpolation = 'uniform' | 'vertex' | 'constant';
/** What stands still. */
export interface StillProperty { name: string; type: 'token' | 'int[]' | 'float[]' | 'color3f[]' | 'texCoord2f[]' | 'point3f[]'; value: string | ArrayLike<number>; uniform?: boolean; interpolation?: Interpolation }
/** What is sampled in time: its numbers of a sample. */
export interface MovingProperty { name: string; type: 'float3[]' | 'point3f[]' | 'vector3f[]' | 'float[]' | 'int64[]'; numbers: (sample: number) => number }
export interface StageSample { time: number; values: Record<string, Float32Array | BigInt64Array> }
/** One prim of a layer, with what stands still of it and what moves. */
export interface UsdStage {
  readonly prim: 'BasisCurves' | 'Points';
  readonly name: string;
  readonly axes: Axes;
  readonly cache: { comment: string; fps: number; startFrame: number; endFrame: number };
  readonly still: StillProperty[];
  readonly moving: MovingProperty[];
  readonly first: number;
  readonly last: number;
  timeOf: (sample: number) => number;
  /** Samples one after the other, checked; arrays of one may be written over for the next. */
  run: (first?: number, last?: number) => AsyncGenerator<StageSample>;
}

/** Prims cannot have other names. */
export const identifier = (name: string): string => name.replace(/[^A-Za-z0-9_]/g, '_').replace(/^(\d)/, '_$1') || 'strands';
export const GROUP = 'Groom';

export class CurveStage implements UsdStage {
  readonly prim = 'BasisCurves';
  readonly axes: Axes;
  readonly name: string;
  readonly points: number;
  readonly samples: number;
  readonly still: StillProperty[];
  readonly moving: MovingProperty[];
  private readonly widest: number;
  /** Room for samples, used again and again: only one run goes on at a time. */
  private readonly held = new Map<number, Float32Array>();
  private readonly free: Float32Array[] = [];
  private speeds: Float32Array | null = null;
  /** First and last sample. */
  readonly first: number;
  readonly last: number;
  constructor(readonly cache: CurveCache) {
    const { counts, widths, ids, uvs, colours, rest, velocities } = cache, curves = counts.length;
    let total = 0;
    for (let k = 0; k < curves; k++) total += counts[k];
    this.points = total;
    const need = (what: string, list: ArrayLike<number> | undefined, n: number): void => { if (list && list.length !== n) throw new Error(`${what}: expected ${n}, got ${list.length}`); };
    need('widths', widths, total);
    need('ids', ids, curves);
    need('uvs', uvs, 2 * curves);
    need('colours', colours, 3 * curves);
    need('rest', rest, 3 * total);
    this.axes = new Axes({ ...(cache.axes ?? OUR_AXES), hand: 'right' });
    this.name = identifier(cache.name);
    this.samples = cache.samples ?? 1;
    this.first = cache.startFrame * this.samples;
    this.last = cache.startFrame === cache.endFrame && this.samples === 1 ? this.first : (cache.endFrame + 1) * this.samples - 1;
    const scaled = Float32Array.from(widths, (w) => w * this.axes.scale);
    this.widest = scaled.reduce((a, b) => Math.max(a, b), 0);
    this.still = [
      { name: 'basis', type: 'token', value: 'catmullRom', uniform: true },
      { name: 'curveVertexCounts', type: 'int[]', value: counts },
      { name: 'primvars:id', type: 'int[]', value: ids, interpolation: 'uniform' },
      ...(uvs ? [{ name: 'primvars:st', type: 'texCoord2f[]', value: uvs, interpolation: 'uniform' } as const] : []),
      ...(colours ? [{ name: 'primvars:displayColor', type: 'color3f[]', value: colours, interpolation: 'uniform' } as const] : []),
      ...(rest ? [{ name: 'primvars:rest', type: 'point3f[]', value: this.axes.places(rest, new Float32Array(rest.length)), interpolation: 'vertex' } as const] : []),
      { name: 'type', type: 'token', value: 'cubic', uniform: true },
      { name: 'widths', type: 'float[]', value: scaled, interpolation: 'vertex' },
      { name: 'wrap', type: 'token', value: 'pinned', uniform: true },
    ];
    this.moving = [{ name: 'extent', type: 'float3[]', numbers: () => 6 }, { name: 'points', type: 'point3f[]', numbers: () => 3 * total }, ...(velocities ? [{ name: 'velocities', type: 'vector3f[]', numbers: () => 3 * total } as const] : [])];
  }
  timeOf(sample: number): number { return sample / this.samples; }

  /** Samples one after the other, checked; the arrays of one are written over for the next. With velocities the sample before and after are asked for too, as far as there are any. */
  async *run(first = this.first, last = this.last): AsyncGenerator<StageSample> {
    const { cache, axes, points: total } = this, { held, free } = this, speeds = cache.velocities ? (this.speeds ??= new Float32Array(3 * total)) : null;
    for (const p of held.values()) free.push(p);
    held.clear();
    const get = async (n: number): Promise<Float32Array> => {
      const known = held.get(n);
      if (known) return known;
      const raw = await cache.points(n);
      if (raw.length !== 3 * total) throw new Error(`frame ${this.timeOf(n)}: expected ${total} points, got ${raw.length / 3}`);
      const old = held.get(n - 3);
      if (old) { held.delete(n - 3); free.push(old); }
      const p = axes.places(raw, free.pop() ?? new Float32Array(raw.length));
      held.set(n, p);
      return p;
    };
    for (let n = first; n <= last; n++) {
      const a = n > this.first && cache.velocities ? await get(n - 1) : null, p = await get(n), b = n < this.last && cache.velocities ? await get(n + 1) : null, values: StageSample['values'] = { points: p, extent: this.extentOf(p) };
      if (speeds) {
        const v = speeds, from = a ?? p, to = b ?? p, k = a || b ? (cache.fps * this.samples) / ((a ? 1 : 0) + (b ? 1 : 0)) : 0;
        for (let i = 0; i < v.length; i++) v[i] = k * (to[i] - from[i]);
        values.velocities = v;
      }
      yield { time: this.timeOf(n), values };
    }
  }
  private extentOf(points: Float32Array): Float32Array {
    const low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity];
    for (let i = 0; i < points.length; i += 3) for (let c = 0; c < 3; c++) {
      const v = points[i + c];
      if (!Number.isFinite(v)) throw new Error(`a place of point ${i / 3} is no number`);
      if (v < low[c]) low[c] = v;
      if (v > high[c]) high[c] = v;
    }
    // a hair wider, so that rounding never leaves a point outside
    const pad = this.widest / 2 + 1e-6 * this.axes.scale;
    return Float32Array.from([...low.map((v) => v - pad), ...high.map((v) => v + pad)]);
  }
}
