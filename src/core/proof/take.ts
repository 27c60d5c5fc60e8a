/** A take from beginning to end: a run over a range of frames with everything that is measured of it. */
import type { Measures, Proof } from '../document/proof';
import type { Shot } from '../document/schema';
import { placeGuides } from '../groom/planting';
import type { RunOptions } from '../sway/run';
import { planRun, SwayRun } from '../sway/run';
import { RootPoser, Stage, type Scene } from '../sway/scene';
import { FrameMeter } from './frame-meter';

/** The groomed shape in the rest pose, 3 × points, m. */
export function groomedShape(scene: Scene): Float64Array {
  const stage = new Stage(scene, scene.shot.start), motions = new Float64Array(7 * scene.planting.faces.length), out = new Float64Array(scene.offsets.length);
  new RootPoser(scene, stage).rootsInto(stage.rest, motions);
  placeGuides(scene.offsets, motions, scene.pointCount, out);
  return out;
}
export const meterOf = (scene: Scene): FrameMeter => new FrameMeter(scene.pointCount, scene.shot.fps, groomedShape(scene));

/** Last frame that is computed: of a loop one more, to see whether it closes. */
export const lastComputed = ({ end, cyclic }: Pick<Shot, 'end' | 'cyclic'>): number => (cyclic ? end + 1 : end);

/** Another frame put to a proof; what lies after its end only tells the seam. */
export function withFrame(proof: Proof, measures: Measures & { seam?: Proof['seam'] }): Proof {
  const { seam, ...frame } = measures;
  return { ...proof, seam: seam ?? proof.seam, frames: frame.frame > proof.end ? proof.frames : [...proof.frames, frame] };
}

export interface TakeFrame { frame: number; points: Float32Array; strands: Float32Array; measures: Measures; proof: Proof; drops?: Float32Array }

/** Computes a take frame by frame; `proof` grows. `range`: the frames to be judged, the shot's own where left out. */
export function* computeTake(scene: Scene, preRoll: number, range: { start: number; end: number } = scene.shot, options: RunOptions = {}): Generator<TakeFrame, Proof> {
  const { start, end } = range, last = end === scene.shot.end ? lastComputed(scene.shot) : end, first = start - preRoll - 1;
  const run = new SwayRun(scene, first, { plan: planRun(scene, first, last), ...options }), meter = meterOf(scene);
  let proof: Proof = { start, end, fps: scene.shot.fps, report: run.report, frames: [], seam: null, seconds: 0, filled: null };
  while (run.frame < last) {
    const computed = run.advance(), points = run.positions(), strands = run.strandNumbers.slice(), measures = meter.take(measuresOf(computed), points, strands);
    proof = withFrame(proof, { ...measures, seam: computed.seam });
    const drops = run.shownDrops();
    yield { frame: run.frame, points, strands, measures, proof, ...(drops ? { drops } : {}) };
  }
  return proof;
}
/** What a run says of a frame, with room for what the whole groom tells. */
export const measuresOf = <T extends object>(frame: T): T & Omit<Measures, keyof T> => ({ jump: 0, jumpGuide: -1, jitter: 0, jitterGuide: -1, drift: 0, driftGuide: -1, strayed: 0, alike: 0, own: 0, carried: 0, below: [], ...frame }) as T & Omit<Measures, keyof T>;
