/** Worker thread of a bake: has frame after frame computed and hands them to the runner. */
import { parentPort, workerData } from 'node:worker_threads';
import { computeBake } from './bake-compute';
import type { ThreadInput, ThreadMessage } from './bake-messages';

const { resume, threads, ...input } = workerData as ThreadInput;
const port = parentPort!;
const send = (message: ThreadMessage): void => port.postMessage(message);

try {
  for await (const event of computeBake(input, threads, resume)) send(event);
} catch (cause) {
  send({ kind: 'failed', message: cause instanceof Error ? cause.message : String(cause) });
}
