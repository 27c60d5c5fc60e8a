'use client';
/** The proof a stage shows, and the sign of a figure. */
import { useEditor } from '../state/store';
import { useWorkshop } from './context';

export function useShownProof() {
  const { session } = useWorkshop();
  const stage = useEditor((s) => s.stage), run = useEditor((s) => s.run), bakeProof = useEditor((s) => s.bakeProof), shownTake = useEditor((s) => s.shownTake), takes = useEditor((s) => s.takes);
  useEditor((s) => s.history?.document);
  const take = takes.find((t) => t.id === shownTake), proof = stage === 'bake' ? bakeProof : (take?.proof ?? run.proof);
  return { proof: proof && proof.frames.length > 0 ? proof : null, fresh: stage === 'bake' || (take ? take.motionKey : run.key) === session.key };
}

/** Pass or attention: by shape as well as by colour. */
export function Sign({ bad, known = true }: { bad: boolean; known?: boolean }) {
  return <svg width="9" height="9" viewBox="0 0 10 10" className="shrink-0" aria-label={!known ? 'not measured' : bad ? 'attention' : 'pass'} role="img">{bad ? <path d="M5 0l5 10H0z" className="fill-trouble" /> : <circle cx="5" cy="5" r="4.5" className={known ? 'fill-good' : 'fill-edge'} />}</svg>;
}
