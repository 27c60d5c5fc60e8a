/** A bake from beginning to end, as events: the same for the queue's threads and for the command line. */
import { deflateSync } from 'node:zlib';
import { openScene, type Maps } from '../core/bake/open-scene';
import { planBake, stepsOf, type BakePlan } from '../core/bake/bake-plan';
import { packFrames, unpackFrames, type PackedFrames } from '../core/bake/frame-codec';
import { closeLoop, farthest, RootView, seamOf, type LoopReport } from '../core/bake/loops';
import type { Measures } from '../core/document/proof';
import { documentSchema, type GroomDocument } from '../core/document/schema';
import type { StartReport } from '../core/sway/run-report';
import { unpackCharacter } from '../formats/packed-character';
import { computeFrames, type PoolState } from './sway-pool';

export interface BakeInput { document: GroomDocument; character: Uint8Array; planting: Uint8Array; offsets: Uint8Array; maps: Maps }
/** What was stored of a bake that goes on: the newest state, and the rounds of a loop that are still needed. */
export interface BakeResume { state: PoolState; chunks: Uint8Array[]; measures: Measures[]; distances: number[] }
/** Samples that are stored together: whole groups of them, so that any one is near at hand. */
export const CHUNK_SAMPLES = 12;
/** The same streams as in the browser, by the machine's own code. */
const deflate = (plain: Uint8Array): Uint8Array => deflateSync(plain, { level: 6 });
/** Samples after which the state is kept too, and what has come is stored with it: a whole number of chunks. It is a good part of the work of storing. */
const STATE_SAMPLES = 24;

export type BakeEvent =
  | { kind: 'started'; report: StartReport; steps: number }
  /** Samples computed so far, and how many there will be as far as is known. */
  | { kind: 'step'; step: number; steps: number }
  /** Samples of the range that are final, or of a round that may become it. */
  | { kind: 'chunk'; first: number; count: number; bytes: Uint8Array; measures: Measures[]; draft: boolean }
  | { kind: 'state'; state: PoolState; distances: number[] }
  /** The samples of a loop that repeats; what was stored of its rounds before is not needed any more. */
  | { kind: 'round'; from: number }
  | { kind: 'finished'; loop: LoopReport | null };

/** Measures of whole frames, numbered as frames of the shot; `shift`: samples they are late. */
const framesOf = (measures: readonly Measures[], { samples }: BakePlan, shift = 0): Measures[] => measures.filter((m) => (m.frame - shift) % samples === 0).map((m) => ({ ...m, frame: (m.frame - shift) / samples }));

export async function* computeBake(input: BakeInput, threads: number, resume: BakeResume | null = null, shareFile?: string): AsyncGenerator<BakeEvent> {
  const whole = documentSchema.parse(input.document), plan = planBake(whole), { document, first, last, loop, rest } = plan, error = whole.bake.errorMm / 1000, { loopRounds, loopMm, closeFrames } = whole.bake;
  const character = unpackCharacter(input.character);
  if (!character.ok) throw new Error(character.error.message);
  const scene = openScene(document, character.value, input), { pointCount } = scene, view = loop > 0 ? new RootView(scene) : null, local = (sample: number, points: Float32Array): Float32Array => { const out = new Float32Array(points.length); view!.from(sample, points, out); return out; };
  const distances = [...(resume?.distances ?? [])];
  /** Samples of a loop's last rounds, and what is waiting to be stored. */
  const kept = new Map<number, PackedFrames>(), keptMeasures = new Map<number, Measures>();
  for (const bytes of resume?.chunks ?? []) for (const [sample, frame] of unpackFrames(bytes).frames) kept.set(sample, frame);
  for (const m of resume?.measures ?? []) keptMeasures.set(m.frame, m);
  let waiting: PackedFrames[] = [], waitingMeasures: Measures[] = [], steps = stepsOf(plan, distances.length + 1), settled = isSettled(distances, loopMm, loopRounds) ? distances.length : 0;
  // with a loop the round to be kept is not known while it is computed
  const chunk = (lastSample: number): BakeEvent[] => {
    if (waiting.length === 0) return [];
    const start = lastSample - waiting.length + 1, event: BakeEvent = { kind: 'chunk', first: start, count: waiting.length, bytes: packFrames(waiting, start, pointCount, loop > 0 ? 0 : error, deflate), measures: loop > 0 ? waitingMeasures : framesOf(waitingMeasures, plan), draft: loop > 0 };
    waiting = [];
    waitingMeasures = [];
    return [event];
  };
  for await (const item of computeFrames({ ...input, document, firstFrame: rest + 1, lastFrame: plan.farthest, planFrame: last + 1, round: loop > 0 ? loop : undefined, stateEvery: STATE_SAMPLES, from: resume?.state }, threads, shareFile)) {
    if (item.kind === 'started') { yield { kind: 'started', report: item.report, steps }; continue; }
    if (item.kind === 'state') {
      for (const event of chunk(item.state.frame)) yield event;
      yield { kind: 'state', state: item.state, distances };
      continue;
    }
    const { seam: _seam, ...measures } = item.measures, sample = measures.frame, frame: PackedFrames = { points: item.points, strands: item.strands, ...(item.drops ? { drops: item.drops } : {}), ...(item.presses ? { presses: item.presses } : {}) };
    if (sample >= first && (loop > 0 || sample <= last)) { waiting.push(frame); waitingMeasures.push(measures); }
    if ((sample - rest) % CHUNK_SAMPLES === 0) for (const event of chunk(sample)) yield event;
    if (loop > 0) {
      kept.set(sample, frame);
      keptMeasures.set(sample, measures);
      const round = (sample - first) / loop;
      if (settled === 0 && Number.isInteger(round) && round > distances.length) {
        distances.push(farthest(local(first, frame.points), local(first, kept.get(sample - loop)!.points), pointCount).distance);
        if (isSettled(distances, loopMm, loopRounds)) settled = round;
        else {
          steps = stepsOf(plan, round + 1);
          // only the round before is needed from here on
          for (const old of kept.keys()) if (old < sample - loop) { kept.delete(old); keptMeasures.delete(old); }
          yield { kind: 'round', from: sample - loop };
        }
      }
    }
    yield { kind: 'step', step: sample - rest, steps };
    if (settled > 0 && sample === first + (settled + 1) * loop) break;
  }
  if (loop === 0) {
    for (const event of chunk(last)) yield event;
    yield { kind: 'finished', loop: null };
    return;
  }
  const begin = first + settled * loop, tail = Math.min(Math.round(closeFrames * plan.samples), Math.floor(loop / 2)), at = (sample: number): Float32Array => kept.get(sample)!.points, shape = (sample: number): Float32Array => local(first + ((((sample - first) % loop) + loop) % loop), at(sample));
  const seam = seamOf(shape(begin - 1), shape(begin), shape(begin + loop - 1), shape(begin + loop), document.shot.fps, pointCount);
  const round = Array.from({ length: loop }, (_, k) => at(begin + k).slice()), closed = closeLoop(scene, first, round, Array.from({ length: tail }, (_, j) => at(begin - tail + j)));
  const after = tail > 0 ? seamOf(shape(begin - 1), shape(begin), local(last, round[loop - 1]), shape(begin), document.shot.fps, pointCount) : seam;
  for (let k = 0; k < loop; k += CHUNK_SAMPLES) {
    const some = round.slice(k, k + CHUNK_SAMPLES).map((points, q) => ({ ...kept.get(begin + k + q)!, points }));
    const measures = some.map((_, q) => { const m = keptMeasures.get(begin + k + q)!, j = k + q - (loop - tail); return j < 0 ? m : { ...m, depth: closed[j].left, depthGuide: closed[j].guide, below: [] }; });
    yield { kind: 'chunk', first: first + k, count: some.length, bytes: packFrames(some, first + k, pointCount, error, deflate), measures: framesOf(measures, plan, begin - first), draft: false };
  }
  yield { kind: 'finished', loop: { rounds: settled, repeats: distances[settled - 1] * 1000 <= loopMm, distances, before: seam, after, closed: tail, lifted: Math.max(0, ...closed.map((c) => c.lifted)), depth: Math.max(0, ...closed.map((c) => c.left)) } };
}
const isSettled = (distances: readonly number[], loopMm: number, most: number): boolean => distances.length > 0 && (distances[distances.length - 1] * 1000 <= loopMm || distances.length >= most);
