/** Worker thread of a bake: computes frame after frame and hands them to the runner. */
import { parentPort, workerData } from 'node:worker_threads';
import { openScene } from '../core/bake/open-scene';
import { documentSchema } from '../core/document/schema';
import { SwayRun } from '../core/sway/run';
import { unpackCharacter } from '../formats/packed-character';
import type { ThreadInput, ThreadMessage } from './bake-messages';

const input = workerData as ThreadInput;
const port = parentPort!;
const send = (message: ThreadMessage, transfer: ArrayBuffer[] = []): void => port.postMessage(message, transfer);

try {
  const document = documentSchema.parse(input.document);
  const character = unpackCharacter(input.character);
  if (!character.ok) throw new Error(character.error.message);
  const run = new SwayRun(openScene(document, character.value, input), input.startFrame - input.preRoll - 1);
  send({ kind: 'started', report: run.report });
  for (let step = 0; step < input.preRoll + input.endFrame - input.startFrame + 1; step++) {
    const measures = run.advance();
    if (run.frame < input.startFrame) { send({ kind: 'preRoll', step: step + 1 }); continue; }
    const points = run.positions();
    send({ kind: 'frame', step: step + 1, frame: run.frame, measures, points }, [points.buffer as ArrayBuffer]);
  }
  send({ kind: 'finished' });
} catch (cause) {
  send({ kind: 'failed', message: cause instanceof Error ? cause.message : String(cause) });
}
