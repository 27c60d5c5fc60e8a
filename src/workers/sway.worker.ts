/** Browser worker of the live run: computes a share of the guides from the pre-roll to the end of the range, as fast as it can. */
import { openScene } from '../core/bake/open-scene';
import { documentSchema } from '../core/document/schema';
import type { Character } from '../core/mesh/character';
import { GivenUp } from '../core/sway/coupling';
import { planRun, SwayRun } from '../core/sway/run';
import { renumber, SharedFrames } from '../core/sway/shares';
import { unpackCharacter } from '../formats/packed-character';
import type { SwayReply, SwayRequest } from './messages';

const scope = self as unknown as { onmessage: (e: MessageEvent<SwayRequest>) => void; postMessage: (m: SwayReply, transfer?: Transferable[]) => void };
const reply = (message: SwayReply, transfer: Transferable[] = []): void => scope.postMessage(message, transfer);

let character: Character | null = null;
let wanted = 0;

scope.onmessage = ({ data }) => {
  if (data.kind === 'character') {
    const read = unpackCharacter(data.packed);
    if (read.ok) character = read.value;
    return;
  }
  wanted = data.kind === 'run' ? data.run : 0;
  if (data.kind === 'run') void compute(data);
};

async function compute(request: Extract<SwayRequest, { kind: 'run' }>): Promise<void> {
  const { run: id, part, startFrame, endFrame, preRoll, from, to, shared } = request, firstFrame = startFrame - preRoll;
  try {
    if (!character) throw new Error('The character has not arrived.');
    const scene = openScene(documentSchema.parse(request.document), character, request);
    const frames = shared && new SharedFrames(shared, scene.offsets.length, firstFrame, endFrame - firstFrame + 1);
    const coupling = request.coupling && { part, parts: request.bounds.length - 1, bounds: request.bounds, memory: request.coupling.memory, control: new Int32Array(request.coupling.control) };
    const run = new SwayRun(scene, firstFrame - 1, { from, to, plan: planRun(scene, firstFrame - 1, endFrame), coupling });
    reply({ kind: 'started', run: id, part, report: run.report });
    while (run.frame < endFrame) {
      const measures = renumber(run.advance(), from), marks = run.marks();
      if (frames) {
        run.positionsInto(frames.frame(run.frame), 3 * scene.pointCount * from);
        reply({ kind: 'frame', run: id, part, measures, marks }, [marks.buffer as ArrayBuffer]);
      } else {
        const points = run.positions();
        reply({ kind: 'frame', run: id, part, measures, marks, points }, [points.buffer as ArrayBuffer, marks.buffer as ArrayBuffer]);
      }
      await new Promise((r) => { setTimeout(r, 0); });
      if (wanted !== id) return;
    }
  } catch (cause) {
    if (cause instanceof GivenUp) return;
    reply({ kind: 'failed', run: id, part, message: cause instanceof Error ? cause.message : String(cause) });
  }
}
