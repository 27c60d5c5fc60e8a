/** Browser worker of the live run: computes a share of the guides from the pre-roll to the end of the range, as fast as it can. */
import { openScene } from '../core/bake/open-scene';
import { documentSchema } from '../core/document/schema';
import type { Character } from '../core/mesh/character';
import { GivenUp, type Coupling } from '../core/sway/coupling';
import { STRAND_NUMBERS } from '../core/proof/strand-meter';
import { inCages } from '../core/cage/cages';
import { planRun, SwayRun, type RunPlan, type Scene } from '../core/sway/run';
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
  if (data.kind === 'step') { step(data); return; }
  live = null;
  wanted = data.kind === 'run' ? data.run : 0;
  if (data.kind === 'run') void compute(data);
  if (data.kind === 'live') begin(data);
};

/** The run that goes one frame at a time, and what it was begun with. */
let live: { run: SwayRun; of: Extract<SwayRequest, { kind: 'live' }>; coupling: Coupling | undefined } | null = null;

function begin(of: Extract<SwayRequest, { kind: 'live' }>): void {
  const { part, from, to, frame, runUp, hand } = of;
  try {
    if (!character) throw new Error('The character has not arrived.');
    const scene = openScene(documentSchema.parse(of.document), character, of), coupling = of.coupling && { part, parts: of.bounds.length - 1, bounds: of.bounds, memory: of.coupling.memory, control: new Int32Array(of.coupling.control) };
    const run = new SwayRun(scene, frame - runUp, { from, to, coupling, hand, plan: planLive(scene, frame) });
    while (run.frame < frame) run.advance();
    live = { run, of, coupling };
    tell(0);
  } catch (cause) { trouble(of.run, part, cause); }
}
/** Substeps for whatever a hand may do: those of the shot, and enough for a quick one. */
const planLive = (scene: Scene, frame: number): RunPlan => { const plan = planRun(scene, Math.min(frame, scene.shot.start) - 1, scene.shot.end); return { ...plan, substeps: Math.max(plan.substeps, LEAST_LIVE_SUBSTEPS) }; };
const LEAST_LIVE_SUBSTEPS = 8;

function step(request: Extract<SwayRequest, { kind: 'step' }>): void {
  if (!live || live.of.run !== request.run) return;
  const { of, coupling } = live;
  try {
    if (request.document) {
      const scene = openScene(documentSchema.parse(request.document), character!, { planting: of.planting, offsets: of.offsets, maps: request.maps }), before = live.run, anew = inCages(scene.settings) !== (before.cages !== null);
      // rods do not go on from a cage, nor a cage from rods: it begins as combed, where it is
      live.run = new SwayRun(scene, anew ? before.frame : of.frame - of.runUp, { from: of.from, to: of.to, coupling, hand: anew ? request.hand : of.hand, plan: planLive(scene, of.frame) });
      if (!anew) live.run.goOnFrom(before);
    }
    live.run.setHand(request.hand);
    tell(live.run.advance(request.frame).depth);
  } catch (cause) { live = null; trouble(request.run, of.part, cause); }
}
function tell(depth: number): void {
  const { run, of } = live!, points = run.positions(), marks = run.marks(), drops = run.shownDrops();
  reply({ kind: 'stepped', run: of.run, part: of.part, frame: run.frame, points, marks, depth, drops }, [points.buffer as ArrayBuffer, marks.buffer as ArrayBuffer]);
}
function trouble(run: number, part: number, cause: unknown): void {
  if (!(cause instanceof GivenUp)) reply({ kind: 'failed', run, part, message: cause instanceof Error ? cause.message : String(cause) });
}

async function compute(request: Extract<SwayRequest, { kind: 'run' }>): Promise<void> {
  const { run: id, part, startFrame, endFrame, preRoll, from, to, shared } = request, firstFrame = startFrame - preRoll;
  try {
    if (!character) throw new Error('The character has not arrived.');
    const scene = openScene(documentSchema.parse(request.document), character, request);
    const frames = shared && new SharedFrames(shared, scene.offsets.length, scene.planting.faces.length, firstFrame, endFrame - firstFrame + 1);
    const coupling = request.coupling && { part, parts: request.bounds.length - 1, bounds: request.bounds, memory: request.coupling.memory, control: new Int32Array(request.coupling.control) };
    const run = new SwayRun(scene, firstFrame - 1, { from, to, plan: planRun(scene, firstFrame - 1, endFrame), coupling });
    reply({ kind: 'started', run: id, part, report: run.report });
    while (run.frame < endFrame) {
      const measures = renumber(run.advance(), from), marks = run.marks(), shown = run.shownDrops(), drops = shown ? { drops: shown } : {};
      if (frames) {
        run.positionsInto(frames.frame(run.frame), 3 * scene.pointCount * from);
        frames.strands(run.frame).set(run.strandNumbers, STRAND_NUMBERS * from);
        reply({ kind: 'frame', run: id, part, measures, marks, ...drops }, [marks.buffer as ArrayBuffer]);
      } else {
        const points = run.positions(), strands = run.strandNumbers.slice();
        reply({ kind: 'frame', run: id, part, measures, marks, points, strands, ...drops }, [points.buffer as ArrayBuffer, strands.buffer, marks.buffer as ArrayBuffer]);
      }
      await new Promise((r) => { setTimeout(r, 0); });
      if (wanted !== id) return;
    }
  } catch (cause) {
    trouble(id, part, cause);
  }
}
