'use client';
/** Bakes on the server, and what is handed over of them. */
import { ArrowUpToLine, Ban, Flame, Pause, Play, RotateCcw, Trash2, TriangleAlert, Wrench } from 'lucide-react';
import { BAKE_PARAMETERS } from '../../core/document/schema';
import type { Bake } from '../state/api';
import { bytesText } from '../../formats/hand-over-sheet';
import { useEditor } from '../state/store';
import { Button, IconButton, Note, Question } from './controls';
import { FilePart, HandOverPart } from './hand-over-part';
import { MoviePart } from './movie-part';
import { Field, First, type PanelProps } from './panel-parts';
import { ProofTable, StartNotes } from './proof-panel';
import { RoundNote } from './round-note';
import { trying } from './trying';
import { JOB_WORDS } from './units';
import { useWorkshop } from './context';

export function BakePanel({ document }: PanelProps) {
  const { session } = useWorkshop();
  const bakes = useEditor((s) => s.bakes), bakeId = useEditor((s) => s.bakeId), proof = useEditor((s) => s.bakeProof), damage = useEditor((s) => s.bakeDamage);
  if (!document.guides) return <First to="plant" label="Go to Plant">There is nothing to bake. Plant guides first.</First>;
  const shown = bakes.find((b) => b.id === bakeId), { shot, bake } = document, loop = shot.end - shot.start + 1;
  return (
    <>
      <Question title="Bake the range" aside={<span className="num text-faint">{shot.start}–{shot.end}</span>}>
        {shot.cyclic ? (
          <>
            <p className="mb-1 text-soft">A loop of <span className="num text-text">{loop}</span> frames: it goes round until it repeats, and what is left of the seam is closed.</p>
            <RoundNote document={document} />
            {(['loopMm', 'loopRounds', 'closeFrames'] as const).map((name) => <Field key={name} group="bake" name={name} table={BAKE_PARAMETERS} />)}
          </>
        ) : <Field group="bake" name="preRoll" table={BAKE_PARAMETERS} />}
        <Field group="bake" name="samples" table={BAKE_PARAMETERS} />
        <Field group="bake" name="errorMm" table={BAKE_PARAMETERS} />
        <div className="mt-2 flex items-center gap-2"><Button primary data-testid="bake" onClick={() => trying(session.bakes.bake())}><Flame size={14} />Bake</Button><span className="text-faint"><span className="num">{document.guides.count}</span> guides{bake.samples > 1 && <>, <span className="num">{bake.samples}</span> samples a frame</>}</span></div>
        <Note>Computed on the server; this window may be closed meanwhile.</Note>
      </Question>
      <Question title="Bakes">
        {bakes.length === 0 && <p className="text-faint">None yet.</p>}
        <ul className="flex flex-col gap-0.5">{bakes.map((b) => <BakeRow key={b.id} bake={b} shown={b.id === bakeId} first={bakes.filter((x) => x.state === 'queued').length > 1} />)}</ul>
        {damage.length > 0 && shown && (
          <div role="alert" data-testid="damage" className="mt-2 rounded-md border border-trouble/60 p-2 text-[12px] leading-snug">
            <p className="mb-1.5"><TriangleAlert size={13} className="mr-1 inline text-trouble" />{damage.map((d) => `Frames ${d.from}–${d.to}`).join(', ')} of this bake cannot be read any more. The others are as they were.</p>
            <Button data-testid="mend-bake" onClick={() => trying(session.bakes.act(shown.id, 'mend'))}><Wrench size={13} />Bake these frames again</Button>
          </div>
        )}
      </Question>
      {shown?.state === 'done' && <HandOverPart bake={shown} stale={session.bakes.stale(shown)} />}
      <MoviePart />
      <FilePart />
      {proof && <Question title="Proof of this bake"><ProofTable proof={proof} /><StartNotes proof={proof} /></Question>}
    </>
  );
}

function BakeRow({ bake: b, shown, first }: { bake: Bake; shown: boolean; first: boolean }) {
  const { session } = useWorkshop(), stale = b.state === 'done' ? session.bakes.stale(b) : [], going = b.state === 'running' || b.state === 'queued', act = (action: Parameters<typeof session.bakes.act>[1]) => () => trying(session.bakes.act(b.id, action));
  return (
    <li data-testid="bake-row" data-state={b.state} className={`rounded px-2 py-1 ${shown ? 'bg-lifted' : 'hover:bg-raised'}`}>
      <div className="flex items-center gap-0.5">
        <button type="button" disabled={b.state !== 'done'} aria-pressed={shown} onClick={() => trying(session.bakes.show(b.id))} className="min-w-0 flex-1 truncate text-left">
          {b.settings.shotName} <span className="num text-faint">{b.startFrame}–{b.endFrame}</span> <span className={b.state === 'failed' ? 'text-trouble' : 'text-soft'}>{b.wanted ? `${b.wanted === 'pause' ? 'pausing' : 'ending'} …` : b.state === 'done' ? new Date(b.finishedAt ?? b.createdAt).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' }) : JOB_WORDS[b.state]}</span>
        </button>
        {b.state === 'queued' && first && <IconButton label="Before all others" onClick={act('hurry')}><ArrowUpToLine size={13} /></IconButton>}
        {going && <IconButton label="Pause this bake" onClick={act('pause')}><Pause size={13} /></IconButton>}
        {b.state === 'paused' && <IconButton label="Go on with this bake" onClick={act('resume')}><Play size={13} /></IconButton>}
        {(b.state === 'failed' || b.state === 'cancelled') && <IconButton label="Try again, from where it got to" onClick={act('resume')}><RotateCcw size={13} /></IconButton>}
        {going || b.state === 'paused' ? <IconButton label="Cancel this bake" onClick={act('cancel')}><Ban size={13} /></IconButton>
          : <IconButton label="Delete this bake" onClick={() => { if (confirm('Delete this bake, its frames, and what was handed over of it from here? The groom itself is not touched.')) trying(session.bakes.remove(b.id)); }}><Trash2 size={13} /></IconButton>}
      </div>
      {(going || b.state === 'paused') && <div className="mt-0.5 flex items-center gap-2"><div className="h-1 flex-1 rounded bg-edge"><div className="h-full rounded bg-copper" style={{ width: `${Math.min(100, (b.stepsDone / b.steps) * 100)}%` }} /></div><span className="num text-faint">{b.stepsDone}/{b.steps}{b.state === 'running' && timeLeft(b)}</span></div>}
      {stale.length > 0 && <p data-testid="stale" className="text-[12px] leading-snug text-copper">Out of date: {stale.join(', ')}.</p>}
      {shown && b.state === 'done' && <p className="text-[12px] leading-snug text-faint">{b.errorMm > 0 ? `To ${b.errorMm} mm` : 'Every bit'}: <span className="num">{bytesText(b.bytes)}</span> of <span className="num">{bytesText(plainBytes(b))}</span>.{b.loop && <> {b.loop.repeats ? 'Repeats' : 'Does not repeat'} after <span className="num">{b.loop.rounds}</span> round{b.loop.rounds === 1 ? '' : 's'} (<span className="num">{(1000 * (b.loop.distances[b.loop.rounds - 1] ?? 0)).toFixed(2)} mm</span>); seam <span className="num">{(1000 * b.loop.before.gap).toFixed(2)}</span> → <span className="num">{(1000 * b.loop.after.gap).toFixed(2)} mm</span>.</>}</p>}
      {b.message && <p className={`text-[12px] leading-snug ${b.state === 'failed' ? 'text-trouble' : 'text-faint'}`}>{b.state === 'queued' && b.attempts > 0 ? `Failed ${b.attempts === 1 ? 'once' : `${b.attempts} times`}: ` : ''}{b.message}</p>}
    </li>
  );
}
const plainBytes = (b: Bake): number => 12 * b.guideCount * b.pointCount * (b.endFrame - b.startFrame + 1) * b.samples;

function timeLeft(b: Bake): string {
  if (!b.startedAt || b.stepsDone < 3) return '';
  const each = (Date.now() - Date.parse(b.startedAt)) / b.stepsDone, left = Math.round((each * (b.steps - b.stepsDone)) / 1000);
  return left > 0 ? ` · ${Math.floor(left / 60)}:${String(left % 60).padStart(2, '0')}` : '';
}
