'use client';
/** Where a cyclic shot is not as long as the rounds of its clip: what that does, and the way out. */
import { TriangleAlert } from 'lucide-react';
import { shotOfClip } from '../../core/document/first-document';
import { fitRounds, roundOf } from '../../core/mesh/clips';
import { useEditor } from '../state/store';
import { Button } from './controls';
import { useWorkshop } from './context';
import type { PanelProps } from './panel-parts';

/** Frames: what is left of a round and not seen. */
const UNSEEN = 1e-3;

export function RoundNote({ document: { shot } }: PanelProps) {
  const { session } = useWorkshop(), { edit } = useEditor.getState(), clip = session.character.clips.find((c) => c.name === shot.clip);
  if (!shot.cyclic || !clip || roundOf(clip) <= 0) return null;
  const frames = shot.end - shot.start + 1, { rounds, miss, rate } = fitRounds(frames, roundOf(clip), shot.fps), near = Math.abs(miss) <= 0.5 * rounds;
  if (Math.abs(miss) < UNSEEN) return null;
  return (
    <div data-testid="round-note" className="my-1 rounded-md border border-trouble/60 p-2 text-[12px] leading-snug">
      <p className="mb-1.5"><TriangleAlert size={13} className="mr-1 inline text-trouble" />{rounds === 1 ? 'The round' : `${rounds} rounds`} of this clip {rounds === 1 ? 'is' : 'are'} <span className="num">{(rounds * roundOf(clip) * shot.fps).toFixed(2)}</span> frames long and the shot is <span className="num">{frames}</span>: at its seam the movement jumps by <span className="num">{Math.abs(miss).toFixed(2)}</span> of them.</p>
      {near ? <Button data-testid="round-fit" onClick={() => edit('Rate that closes the round', (d) => { d.shot.fps = rate; })}>Cut it at <span className="num">{rate.toFixed(3)}</span> frames a second</Button>
        : <Button data-testid="round-fit" onClick={() => edit('One whole round', (d) => { const whole = shotOfClip(session.character, clip, shot.fps); Object.assign(d.shot, { ...whole, cyclic: true, end: whole.start + Math.max(1, Math.round(roundOf(clip) * shot.fps) - 1) }); })}>Take one whole round</Button>}
    </div>
  );
}
