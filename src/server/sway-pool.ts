/** A pool of worker threads that compute one run together, with their frames in shared memory. */
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import { openScene, type Maps } from '../core/bake/open-scene';
import { documentSchema } from '../core/document/schema';
import type { Measures, Seam } from '../core/document/proof';
import { measuresOf, meterOf } from '../core/proof/take';
import type { KernelWish } from '../core/sway/rod-system';
import { giveUp, makeShared } from '../core/sway/coupling';
import { isCoupled, needsOne, planRun, type RunPlan } from '../core/sway/run';
import type { FrameMeasures, StartReport } from '../core/sway/run-report';
import { joined, joinMeasures, joinReports, shareBounds, SharedFrames } from '../core/sway/shares';
import { unpackCharacter } from '../formats/packed-character';

/** Frames a share may be ahead of what has been taken. */
export const RING_FRAMES = 8;
/** Place in the control words of the number of frames taken. */
export const TAKEN = 0;

export interface RunInput {
  document: unknown;
  character: Uint8Array;
  planting: Uint8Array;
  offsets: Uint8Array;
  maps?: Maps;
  /** The guides rest as combed the frame before `firstFrame`. */
  firstFrame: number;
  lastFrame: number;
  kernel?: KernelWish;
  /** Last frame that substeps are chosen for, where those after it are the same again. */
  planFrame?: number;
  /** Frames after which the poses repeat. */
  round?: number;
  /** So many frames apart, the states of the shares are handed out, and after the last frame of each such stretch. */
  stateEvery?: number;
  /** Where another pool was, which this one goes on from. */
  from?: PoolState;
}
/** The shares of a run at the end of a frame: first guide of each and the end, and what each has become. */
export interface PoolState { frame: number; bounds: number[]; parts: Uint8Array[]; report: StartReport }
export interface ShareInput extends Omit<RunInput, 'from'> { share: number; from: number; to: number; plan: RunPlan; memory: SharedArrayBuffer; control: SharedArrayBuffer; bounds: readonly number[]; coupling?: { memory: SharedArrayBuffer; control: SharedArrayBuffer }; state?: Uint8Array }
export type ShareMessage =
  | { kind: 'started'; share: number; report: StartReport }
  | { kind: 'frame'; share: number; measures: FrameMeasures; drops?: Float32Array; presses?: Float32Array }
  | { kind: 'state'; share: number; frame: number; state: Uint8Array }
  | { kind: 'failed'; message: string };

export type PoolItem = { kind: 'started'; report: StartReport } | { kind: 'frame'; measures: Measures & { seam?: Seam }; points: Float32Array; strands: Float32Array; drops?: Float32Array; presses?: Float32Array } | { kind: 'state'; state: PoolState };
/** Whether the states are handed out after a frame. */
export const isStateFrame = (frame: number, { firstFrame, stateEvery }: Pick<RunInput, 'firstFrame' | 'stateEvery'>): boolean => stateEvery !== undefined && (frame - firstFrame + 1) % stateEvery === 0;

/** Beside this file when bundled. */
const SHARE_FILE = path.join(path.dirname(fileURLToPath(import.meta.url)), 'sway-share.mjs');

/** Computes the frames in order, on as many threads as asked for. Ends its threads whichever way it is left. */
export async function* computeFrames(input: RunInput, threads: number, shareFile = SHARE_FILE): AsyncGenerator<PoolItem> {
  const character = unpackCharacter(input.character);
  if (!character.ok) throw new Error(character.error.message);
  const scene = { ...openScene(documentSchema.parse(input.document), character.value, input), round: input.round }, plan = planRun(scene, input.firstFrame - 1, input.planFrame ?? input.lastFrame), { from } = input, begin = from ? from.frame + 1 : input.firstFrame;
  const bounds = from?.bounds ?? shareBounds(scene.planting.faces.length, needsOne(scene.settings) ? 1 : threads), shares = bounds.length - 1, stride = scene.offsets.length, guides = scene.planting.faces.length, meter = meterOf(scene);
  const memory = new SharedArrayBuffer(SharedFrames.bytes(stride, guides, RING_FRAMES)), control = new SharedArrayBuffer(8), taken = new Int32Array(control);
  const frames = new SharedFrames(memory, stride, guides, input.firstFrame, RING_FRAMES);
  Atomics.store(taken, TAKEN, begin - input.firstFrame);
  const coupling = isCoupled(scene.settings) ? makeShared(scene.planting.faces.length * scene.pointCount) : undefined;
  let wake = (): void => undefined, failure: Error | null = null;
  const reports: (StartReport | undefined)[] = [], measured = new Map<number, FrameMeasures[]>(), states = new Map<number, Uint8Array[]>(), wet = new Map<number, Float32Array>(), pressed = new Map<number, Float32Array[]>();
  const workers = Array.from({ length: shares }, (_, share) => {
    const { from: _state, ...same } = input, data: ShareInput = { ...same, state: from?.parts[share], share, from: bounds[share], to: bounds[share + 1], plan, memory, control, bounds, coupling };
    const worker = new Worker(shareFile, { workerData: data });
    worker.on('message', (message: ShareMessage) => {
      if (message.kind === 'failed') failure = new Error(message.message);
      else if (message.kind === 'started') reports[message.share] = message.report;
      else if (message.kind === 'state') { const list = states.get(message.frame) ?? []; list[message.share] = message.state; states.set(message.frame, list); }
      else {
        const { frame } = message.measures, list = measured.get(frame) ?? [];
        list[message.share] = message.measures;
        if (message.drops) wet.set(frame, message.drops);
        if (message.presses) { const parts = pressed.get(frame) ?? []; parts[message.share] = message.presses; pressed.set(frame, parts); }
        measured.set(frame, list);
      }
      wake();
    });
    worker.on('error', (cause) => { failure = cause; wake(); });
    worker.on('exit', (code) => { if (code !== 0) failure ??= new Error('A part of the computation ended before its time.'); wake(); });
    return worker;
  });
  const until = async (ready: () => boolean): Promise<void> => {
    while (!ready()) {
      if (failure) throw failure;
      await new Promise<void>((r) => { wake = r; });
    }
  };
  const complete = (list: unknown[] | undefined): boolean => list?.length === shares && Array.from(list).every((x) => x !== undefined);
  try {
    await until(() => complete(reports));
    // what was found where the run began stays true of it
    const report = from?.report ?? reports.map((r) => r!).reduce(joinReports);
    yield { kind: 'started', report };
    for (let frame = begin; frame <= input.lastFrame; frame++) {
      await until(() => complete(measured.get(frame)));
      const whole = measured.get(frame)!.reduce(joinMeasures), points = frames.frame(frame).slice(), strands = frames.strands(frame).slice(), measures = { ...meter.take(measuresOf(whole), points, strands), seam: whole.seam };
      measured.delete(frame);
      const drops = wet.get(frame), parts = pressed.get(frame);
      wet.delete(frame);
      pressed.delete(frame);
      Atomics.add(taken, TAKEN, 1);
      Atomics.notify(taken, TAKEN);
      yield { kind: 'frame', measures, points, strands, ...(drops ? { drops } : {}), ...(parts ? { presses: joined(parts) } : {}) };
      if (!isStateFrame(frame, input) || frame === input.lastFrame) continue;
      await until(() => complete(states.get(frame)));
      yield { kind: 'state', state: { frame, bounds: [...bounds], parts: states.get(frame)!, report } };
      states.delete(frame);
    }
  } finally {
    // a share that waits for room must not be left waiting
    Atomics.store(taken, TAKEN, 0x3fffffff);
    Atomics.notify(taken, TAKEN);
    if (coupling) giveUp(new Int32Array(coupling.control));
    await Promise.all(workers.map((w) => w.terminate()));
  }
}
