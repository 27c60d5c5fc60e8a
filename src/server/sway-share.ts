/** Worker thread of a pool: computes its share of the guides into the frames all shares have in common. */
import { parentPort, workerData } from 'node:worker_threads';
import { openScene } from '../core/bake/open-scene';
import { documentSchema } from '../core/document/schema';
import { packRun, unpackRun } from '../core/bake/run-state';
import { GivenUp, meet } from '../core/sway/coupling';
import { STRAND_NUMBERS } from '../core/proof/strand-meter';
import { SwayRun } from '../core/sway/run';
import { renumber, SharedFrames } from '../core/sway/shares';
import { unpackCharacter } from '../formats/packed-character';
import { isStateFrame, RING_FRAMES, TAKEN, type ShareInput, type ShareMessage } from './sway-pool';

const input = workerData as ShareInput, port = parentPort!;
const send = (message: ShareMessage): void => port.postMessage(message);

try {
  const character = unpackCharacter(input.character);
  if (!character.ok) throw new Error(character.error.message);
  const scene = { ...openScene(documentSchema.parse(input.document), character.value, input), round: input.round };
  const coupling = input.coupling && { part: input.share, parts: input.bounds.length - 1, bounds: input.bounds, memory: input.coupling.memory, control: new Int32Array(input.coupling.control) };
  const run = new SwayRun(scene, input.firstFrame - 1, { from: input.from, to: input.to, plan: input.plan, kernel: input.kernel, coupling });
  if (input.state) unpackRun(run, input.state);
  // what the shares have in common is put in its place by each of them before any goes on
  if (coupling) meet(coupling);
  send({ kind: 'started', share: input.share, report: run.report });
  const frames = new SharedFrames(input.memory, scene.offsets.length, scene.planting.faces.length, input.firstFrame, RING_FRAMES), control = new Int32Array(input.control);
  while (run.frame < input.lastFrame) {
    // wait until the frame that stands in this place of the ring has been taken
    for (;;) {
      const taken = Atomics.load(control, TAKEN);
      if (run.frame + 1 - input.firstFrame < taken + RING_FRAMES) break;
      Atomics.wait(control, TAKEN, taken);
    }
    const measures = run.advance();
    run.positionsInto(frames.frame(run.frame), 3 * scene.pointCount * input.from);
    frames.strands(run.frame).set(run.strandNumbers, STRAND_NUMBERS * input.from);
    const drops = run.shownDrops(), presses = run.shownPresses();
    send({ kind: 'frame', share: input.share, measures: renumber(measures, input.from), ...(drops ? { drops } : {}), ...(presses ? { presses } : {}) });
    if (!isStateFrame(run.frame, input) || run.frame === input.lastFrame) continue;
    if (coupling) meet(coupling);
    const state = packRun(run);
    if (coupling) meet(coupling);
    port.postMessage({ kind: 'state', share: input.share, frame: run.frame, state } satisfies ShareMessage, [state.buffer as ArrayBuffer]);
  }
} catch (cause) {
  if (!(cause instanceof GivenUp)) send({ kind: 'failed', message: cause instanceof Error ? cause.message : String(cause) });
}
