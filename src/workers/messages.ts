/** Messages between the page and its workers. */
import type { FilledStrands } from '../core/fill/strands';
import type { Planting } from '../core/groom/planting';
import type { Pill } from '../core/sway/pills';
import type { FrameMeasures, StartReport } from '../core/sway/run';

export type SwayRequest =
  | { kind: 'character'; packed: Uint8Array }
  | { kind: 'run'; run: number; document: unknown; planting: Uint8Array; offsets: Uint8Array; startFrame: number; endFrame: number; preRoll: number }
  | { kind: 'stop' };

export type SwayReply =
  | { kind: 'started'; run: number; report: StartReport; pills: Pill[] }
  | { kind: 'frame'; run: number; measures: FrameMeasures; points: Float32Array; ms: number }
  | { kind: 'finished'; run: number }
  | { kind: 'failed'; run: number; message: string };

export type FillRequest =
  | { kind: 'surface'; positions: Float64Array; triangles: Uint32Array }
  | { kind: 'fill'; request: number; faces: Uint32Array; planting: Planting; offsets: Float32Array; pointCount: number; count: number; full: number; seed: number; lengthSpread: number };

export type FillReply =
  | { kind: 'filled'; request: number; strands: FilledStrands }
  | { kind: 'failed'; request: number; message: string };
