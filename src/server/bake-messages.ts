import type { SwayMap } from '../core/document/schema';
import type { Measures } from '../core/document/proof';
import type { StartReport } from '../core/sway/run';

export interface ThreadInput {
  document: unknown;
  character: Uint8Array;
  planting: Uint8Array;
  offsets: Uint8Array;
  maps: Partial<Record<SwayMap, Uint8Array>>;
  startFrame: number;
  endFrame: number;
  preRoll: number;
}

export type ThreadMessage =
  | { kind: 'started'; report: StartReport }
  | { kind: 'preRoll'; step: number }
  | { kind: 'frame'; step: number; frame: number; measures: Measures; points: Float32Array }
  | { kind: 'finished' }
  | { kind: 'failed'; message: string };
