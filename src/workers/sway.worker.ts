/** Browser worker of the live run: computes frames from the pre-roll to the end of the range, as fast as it can. */
import { openScene } from '../core/bake/open-scene';
import { documentSchema } from '../core/document/schema';
import type { Character } from '../core/mesh/character';
import { SwayRun } from '../core/sway/run';
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
  const { run: id, startFrame, endFrame, preRoll } = request;
  try {
    if (!character) throw new Error('The character has not arrived.');
    const run = new SwayRun(openScene(documentSchema.parse(request.document), character, request), startFrame - preRoll - 1);
    reply({ kind: 'started', run: id, report: run.report, pills: [...run.pills] });
    let last = performance.now();
    while (run.frame < endFrame) {
      const measures = run.advance();
      const points = run.positions(), now = performance.now();
      reply({ kind: 'frame', run: id, measures, points, ms: now - last }, [points.buffer]);
      last = now;
      await new Promise((r) => { setTimeout(r, 0); });
      if (wanted !== id) return;
    }
    reply({ kind: 'finished', run: id });
  } catch (cause) {
    reply({ kind: 'failed', run: id, message: cause instanceof Error ? cause.message : String(cause) });
  }
}
