/**
 * Drops over time as they stand in OpenUSD: one Points prim below an Xform, with as many points in a sample as there were drops; text and crate write the same.
 * Ids are those of the drops, the same from sample to sample. **Source:** OpenUSD documentation of UsdGeomPoints, *from memory*.
 */
import { DROP_NUMBERS } from '../core/drops/drop-run';
import { Axes, OUR_AXES, type AxesChoice } from './axes';
import { identifier, type MovingProperty, type StageSample, type StillProperty, type UsdStage } from './usd-curves';

export interface DropCache {
  name: string;
  fps: number;
  startFrame: number;
  endFrame: number;
  /** Samples of a frame; 1 where left out. */
  samples?: number;
  /** Drops of one sample, `DROP_NUMBERS` each, m, +Y up; asked twice, in order. */
  drops: (sample: number) => Promise<Float32Array> | Float32Array;
  /** Linear, 0 … 1, of all of them. */
  colour: readonly [number, number, number];
  axes?: AxesChoice;
  comment: string;
}

export class PointsStage implements UsdStage {
  readonly prim = 'Points';
  readonly axes: Axes;
  readonly name: string;
  readonly still: StillProperty[];
  readonly first: number;
  readonly last: number;
  private constructor(readonly cache: DropCache, private readonly counts: readonly number[]) {
    this.axes = new Axes({ ...(cache.axes ?? OUR_AXES), hand: 'right' });
    this.name = identifier(cache.name);
    this.still = [{ name: 'primvars:displayColor', type: 'color3f[]', value: cache.colour, interpolation: 'constant' }];
    [this.first, this.last] = rangeOf(cache);
  }
  /** Looks through all samples once, as the crate's layout follows from how many drops each has. */
  static async of(cache: DropCache): Promise<PointsStage> {
    const [first, last] = rangeOf(cache), counts: number[] = [];
    for (let n = first; n <= last; n++) {
      const { length } = await cache.drops(n);
      if (length % DROP_NUMBERS !== 0) throw new Error(`sample ${n}: ${length} numbers are no whole drops`);
      counts.push(length / DROP_NUMBERS);
    }
    return new PointsStage(cache, counts);
  }
  /** The most in any sample. */
  get most(): number { return Math.max(0, ...this.counts); }
  get moving(): MovingProperty[] {
    const of = (width: number) => (sample: number): number => width * this.counts[sample - this.first];
    return [{ name: 'extent', type: 'float3[]', numbers: () => 6 }, { name: 'ids', type: 'int64[]', numbers: of(1) }, { name: 'points', type: 'point3f[]', numbers: of(3) }, { name: 'velocities', type: 'vector3f[]', numbers: of(3) }, { name: 'widths', type: 'float[]', numbers: of(1) }];
  }
  timeOf(sample: number): number { return sample / (this.cache.samples ?? 1); }

  async *run(first = this.first, last = this.last): AsyncGenerator<StageSample> {
    const { axes } = this;
    for (let s = first; s <= last; s++) {
      const raw = await this.cache.drops(s), n = raw.length / DROP_NUMBERS, place = new Float32Array(3 * n), speed = new Float32Array(3 * n), ids = new BigInt64Array(n), widths = new Float32Array(n), extent = Float32Array.from([0, 0, 0, 0, 0, 0]);
      if (n !== this.counts[s - this.first]) throw new Error(`sample ${s}: expected ${this.counts[s - this.first]} drops, got ${n}`);
      for (let d = 0; d < n; d++) {
        const o = DROP_NUMBERS * d;
        ids[d] = BigInt(Math.round(raw[o]));
        widths[d] = Math.abs(raw[o + 7]) * axes.scale;
        for (let c = 0; c < 3; c++) { place[3 * d + c] = raw[o + 1 + c]; speed[3 * d + c] = raw[o + 4 + c]; }
      }
      const points = axes.places(place, new Float32Array(3 * n)), velocities = axes.places(speed, new Float32Array(3 * n));
      for (let d = 0; d < n; d++) for (let c = 0; c < 3; c++) {
        const v = points[3 * d + c], r = widths[d] / 2 + 1e-6 * axes.scale;
        if (!Number.isFinite(v)) throw new Error(`a place of drop ${ids[d]} is no number`);
        extent[c] = d === 0 ? v - r : Math.min(extent[c], v - r);
        extent[3 + c] = d === 0 ? v + r : Math.max(extent[3 + c], v + r);
      }
      yield { time: this.timeOf(s), values: { extent, ids, points, velocities, widths } };
    }
  }
}
function rangeOf({ startFrame, endFrame, samples = 1 }: DropCache): [number, number] { const first = startFrame * samples; return [first, startFrame === endFrame && samples === 1 ? first : (endFrame + 1) * samples - 1]; }
