/** Worker thread of a bake: has frame after frame computed and hands them to the runner. */
import { availableParallelism } from 'node:os';
import { parentPort, workerData } from 'node:worker_threads';
import type { ThreadInput, ThreadMessage } from './bake-messages';
import { computeFrames } from './sway-pool';

const input = workerData as ThreadInput;
const port = parentPort!;
const send = (message: ThreadMessage, transfer: ArrayBuffer[] = []): void => port.postMessage(message, transfer);

try {
  let step = 0;
  for await (const item of computeFrames({ ...input, firstFrame: input.startFrame - input.preRoll, lastFrame: input.endFrame }, Math.max(1, availableParallelism() - 1))) {
    if (item.kind === 'started') { send(item); continue; }
    step++;
    const { frame } = item.measures;
    if (frame < input.startFrame) send({ kind: 'preRoll', step });
    else send({ kind: 'frame', step, frame, measures: item.measures, points: item.points }, [item.points.buffer as ArrayBuffer]);
  }
  send({ kind: 'finished' });
} catch (cause) {
  send({ kind: 'failed', message: cause instanceof Error ? cause.message : String(cause) });
}
