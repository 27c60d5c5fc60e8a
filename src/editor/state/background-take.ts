/** A take of a document that is not the one on the screen, computed in the background. */
import type { PackedFrames } from '../../core/bake/frame-codec';
import { motionKey, type Proof } from '../../core/document/proof';
import type { GroomDocument } from '../../core/document/schema';
import type { TrialMeasure } from '../../core/proof/remedies';
import type { RunFrames } from './run-desk';
import type { Session } from './session';

export interface BackgroundTake { key: string; document: GroomDocument; proof: Proof; frames: Map<number, PackedFrames>; more: Partial<Record<TrialMeasure, number>> }

export async function backgroundTake(session: Session, document: GroomDocument, { range = document.shot, exact = [], ...options }: { range?: { start: number; end: number }; exact?: readonly TrialMeasure[]; onProgress?: (share: number) => void; onStart?: () => void; signal?: AbortSignal } = {}): Promise<BackgroundTake> {
  const { proof, frames, more } = await session.trials.run('take', { ...session.forWorker(document), preRoll: document.bake.preRoll, start: range.start, end: range.end, exact, plot: session.plotFaces }, options);
  return { key: motionKey(document, session.groom.character.packed), document, proof, frames, more };
}
/** Keeps it among the takes. */
export const keepBackground = (session: Session, { key, proof, frames, document }: BackgroundTake, name?: string): ReturnType<Session['takes']['keep']> =>
  session.takes.keep(key, proof, framesOf(frames), document, name);
/** Frames as a run has them. */
export const framesOf = (frames: ReadonlyMap<number, PackedFrames>): RunFrames => ({ live: new Map([...frames].map(([f, p]) => [f, p.points])), strands: new Map([...frames].map(([f, p]) => [f, p.strands])), marks: new Map(), drops: new Map([...frames].flatMap(([f, p]) => (p.drops ? [[f, p.drops]] : []))) });
