/** Messages between the page and its workers. */
import type { CardSet, CardSettings } from '../core/fill/cards';
import type { Coverage } from '../core/fill/coverage';
import type { FillOrder } from '../core/fill/open-fill';
import type { FilledStrands, Look } from '../core/fill/strands';
import type { MeanTint } from '../core/fill/open-cards';
import type { PlantOrder } from '../core/groom/plant-guides';
import type { Planting } from '../core/groom/planting';
import type { Maps } from '../core/bake/open-scene';
import type { SwaySettings } from '../core/document/schema';
import type { Pose } from '../core/mesh/character';
import type { SettleOrder } from '../core/sway/settle';
import type { Hand } from '../core/mesh/hand';
import type { FilledDepths, Proof } from '../core/document/proof';
import type { PackedFrames } from '../core/bake/frame-codec';
import type { TrialMeasure } from '../core/proof/remedies';
import type { ColliderSet } from '../core/sway/colliders';
import type { Pill } from '../core/sway/pills';
import type { FrameMeasures, StartReport } from '../core/sway/run-report';

export type SwayRequest =
  | { kind: 'character'; packed: Uint8Array }
  /** `from … to − 1`: the guides this worker computes. `shared`: room for all frames, or none where memory cannot be shared. */
  | { kind: 'run'; run: number; part: number; from: number; to: number; document: unknown; planting: Uint8Array; offsets: Uint8Array; maps: Maps; startFrame: number; endFrame: number; preRoll: number; shared: SharedArrayBuffer | null;
      /** First guide of every share, and the end; what they have in common while strands act on each other. */
      bounds: readonly number[]; coupling: { memory: SharedArrayBuffer; control: SharedArrayBuffer } | undefined }
  /** From here on one frame at a time, as `step` asks, after a run-up of so many frames in the pose of the first. */
  | { kind: 'live'; run: number; part: number; from: number; to: number; document: unknown; planting: Uint8Array; offsets: Uint8Array; maps: Maps; frame: number; runUp: number; hand: Hand | null;
      bounds: readonly number[]; coupling: { memory: SharedArrayBuffer; control: SharedArrayBuffer } | undefined }
  /** One frame on, into the pose of `frame`; with a document: by its settings from here on. */
  | { kind: 'step'; run: number; frame: number; hand: Hand | null; document: unknown; maps: Maps }
  | { kind: 'stop' };

export type SwayReply =
  | { kind: 'stepped'; run: number; part: number; frame: number; points: Float32Array; marks: Float32Array; depth: number; drops: Float32Array | null }
  | { kind: 'started'; run: number; part: number; report: StartReport }
  /** Measures name guides by their numbers in the whole groom; points and numbers of the strands come along where memory is not shared. */
  | { kind: 'frame'; run: number; part: number; measures: FrameMeasures; marks: Float32Array; points?: Float32Array; strands?: Float32Array; drops?: Float32Array }
  | { kind: 'failed'; run: number; part: number; message: string };

export type FillRequest =
  | { kind: 'surface'; positions: Float64Array; triangles: Uint32Array }
  | { kind: 'character'; packed: Uint8Array }
  /** What the groom can touch, and the pills that stand for skin and cloth where light is concerned. */
  | { kind: 'colliders'; key: string; hidden: readonly string[]; settings: SwaySettings }
  /** Filled strands, 4 × nodes of each, to be lifted out of the colliders in a pose. */
  | { kind: 'push'; key: string; nodes: Float32Array; nodeCount: number; count: number; pose: Pose; hidden: readonly string[]; settings: SwaySettings }
  | { kind: 'plant'; request: number; order: PlantOrder }
  | { kind: 'stopPlanting' }
  /** Some guides, to fall until they lie. */
  | ({ kind: 'settle'; request: number } & SettleOrder)
  /** How much skin shows between filled strands in the rest pose, from directions toward the viewer. */
  | { kind: 'coverage'; request: number; faces: Uint32Array; strands: FilledStrands; offsets: Float32Array; pointCount: number; look: Look; full: number; directions: [number, number, number][] }
  /** Cards of the groom in the rest pose. */
  | { kind: 'cards'; request: number; order: FillOrder; settings: CardSettings }
  /** `shapes`: whether the shapes between the combed guides are wanted as well. */
  | { kind: 'fill'; request: number; order: FillOrder; shapes: boolean };

export type FillReply =
  | { kind: 'colliders'; key: string; colliders: ColliderSet; light: Pill[] }
  | { kind: 'pushed'; key: string; nodes: Float32Array; deepest: number }
  | { kind: 'planting'; request: number; share: number }
  | { kind: 'planted'; request: number; planting: Planting; offsets: Float32Array }
  | { kind: 'settled'; request: number; shapes: Float32Array }
  | { kind: 'filled'; request: number; strands: FilledStrands; shapes: Float32Array<ArrayBuffer> | null }
  | { kind: 'carded'; request: number; set: CardSet; roots: Planting; places: Float32Array; tint: MeanTint | null }
  | { kind: 'covered'; request: number; result: Coverage }
  | { kind: 'failed'; request: number; what: 'fill' | 'cards' | 'plant' | 'push' | 'coverage' | 'settle'; message: string };

/** What is computed in the background: takes of other settings, and frames as bytes. */
export type TrialRequest =
  | { kind: 'character'; packed: Uint8Array }
  | { kind: 'take'; job: number; document: unknown; planting: Uint8Array; offsets: Uint8Array; maps: Maps; preRoll: number; start: number; end: number; /** Measures that cost more. */ exact: readonly TrialMeasure[]; plot: Uint32Array }
  /** Depth of the first so many filled strands in frames that were computed. */
  | { kind: 'filled'; job: number; document: unknown; planting: Uint8Array; offsets: Uint8Array; maps: Record<string, Uint8Array>; faces: Uint32Array; count: number; frames: readonly (readonly [number, Float32Array])[] }
  | { kind: 'pack'; job: number; frames: readonly PackedFrames[]; first: number; pointCount: number }
  | { kind: 'unpack'; job: number; bytes: Uint8Array }
  | { kind: 'stop'; job: number };
export type TrialReply =
  | { kind: 'progress'; job: number; done: number; of: number }
  | { kind: 'taken'; job: number; proof: Proof; frames: Map<number, PackedFrames>; more: Partial<Record<TrialMeasure, number>> }
  | { kind: 'filled'; job: number; frames: FilledDepths['frames']; colliders: string[]; below: FilledDepths['below'] }
  | { kind: 'packed'; job: number; bytes: Uint8Array }
  | { kind: 'unpacked'; job: number; frames: Map<number, PackedFrames> }
  | { kind: 'stopped'; job: number }
  | { kind: 'failed'; job: number; message: string };
