'use client';
/** Whether skin shows between the strands: a figure, a map, and the bald spots one after the other. */
import { ChevronLeft, ChevronRight } from 'lucide-react';
import { ALL_ROUND, timesToCover } from '../../core/fill/coverage';
import { useEditor } from '../state/store';
import { Button, helpProps, IconButton, Note, Question } from './controls';
import { useWorkshop } from './context';

/** Share of the skin that still shows in hair that looks full. *Common practice, no source.* */
const LEFT_BARE = 0.05;

export function CoveragePart() {
  const { session, viewport } = useWorkshop(), covered = useEditor((s) => s.covered), covering = useEditor((s) => s.covering), filling = useEditor((s) => s.filling), width = useEditor((s) => s.history!.document.fill.widthUm);
  const fromHere = (): void => { const f = viewport.current?.forward; if (f) session.cover([[-f.x, -f.y, -f.z]], 'here'); };
  const go = (by: number): void => {
    if (!covered || covered.spots.length === 0) return;
    const n = covered.spots.length, at = (covered.at + by + n + (covered.at < 0 && by < 0 ? 1 : 0)) % n;
    useEditor.setState({ covered: { ...covered, at } });
    viewport.current?.flyTo(covered.spots[at].face);
  };
  return (
    <Question title="Does skin show through?">
      <div className="flex gap-2">
        <Button data-testid="cover-here" disabled={covering || filling} onClick={fromHere} {...helpProps('Looks at the rest pose from where you look now.')}>From here</Button>
        <Button data-testid="cover-round" disabled={covering || filling} onClick={() => session.cover(ALL_ROUND.map((d) => [...d]), 'round')} {...helpProps('Looks at the rest pose from fourteen sides.')}>All round</Button>
        {covered && <Button onClick={() => session.uncover()}>Hide</Button>}
      </div>
      {covering && <Note>Looking through {session.filled?.strands.count.toLocaleString('en')} strands …</Note>}
      {covered && (
        <>
          <p data-testid="bare" className="mt-1.5 text-soft"><span className="num text-text">{(100 * covered.bare).toFixed(1)} %</span> of the plot’s skin shows {covered.from === 'here' ? 'from here' : 'all round'}, at {width} µm and the finished number of strands.{covered.bare > 2 * LEFT_BARE && covered.bare < 0.999 && <> About <span className="num text-text">{Number(timesToCover(covered.bare, LEFT_BARE).toPrecision(2)).toLocaleString('en')}</span> times as many, or as thick, would leave {100 * LEFT_BARE} %.</>}</p>
          <div aria-hidden className="mt-1 flex items-center gap-2 text-[11px] text-faint"><span>covered</span><span className="h-2 flex-1 rounded" style={{ background: 'linear-gradient(90deg,#00224e,#434e6c,#7d7c78,#bcae6c,#fee838)' }} /><span>bare</span></div>
          {covered.spots.length > 0
            ? <div className="mt-1 flex items-center gap-1 text-soft"><IconButton label="Bald spot before" onClick={() => go(-1)}><ChevronLeft size={14} /></IconButton><span className="num">{covered.at < 0 ? `${covered.spots.length} bald spots` : `${covered.at + 1} of ${covered.spots.length}: ${(100 * covered.spots[covered.at].bare).toFixed(0)} % bare`}</span><IconButton label="Next bald spot" onClick={() => go(1)}><ChevronRight size={14} /></IconButton></div>
            : <Note>No spot shows more than a third of its skin.</Note>}
        </>
      )}
    </Question>
  );
}
