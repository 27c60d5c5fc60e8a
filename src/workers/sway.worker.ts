/** Browser worker of the live run: computes a share of the guides from the pre-roll to the end of the range, as fast as it can. */
import { openScene } from '../core/bake/open-scene';
import { documentSchema } from '../core/document/schema';
import type { Character } from '../core/mesh/character';
import { shareOf, SwayRun } from '../core/sway/run';
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
  const { run: id, part, startFrame, endFrame, preRoll, from, to } = request;
  try {
    if (!character) throw new Error('The character has not arrived.');
    const run = new SwayRun(shareOf(openScene(documentSchema.parse(request.document), character, request), from, to), startFrame - preRoll - 1);
    reply({ kind: 'started', run: id, part, report: run.report });
    while (run.frame < endFrame) {
      const measures = run.advance();
      if (measures.stretchGuide >= 0) measures.stretchGuide += from;
      if (measures.depthGuide >= 0) measures.depthGuide += from;
      const points = run.positions();
      reply({ kind: 'frame', run: id, part, measures, points }, [points.buffer]);
      await new Promise((r) => { setTimeout(r, 0); });
      if (wanted !== id) return;
    }
  } catch (cause) {
    reply({ kind: 'failed', run: id, part, message: cause instanceof Error ? cause.message : String(cause) });
  }
}
