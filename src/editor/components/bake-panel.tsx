'use client';
/** Bakes on the server, and what is handed over of them. */
import { Download, Flame, Trash2, Wind } from 'lucide-react';
import { BAKE_PARAMETERS } from '../../core/document/schema';
import type { Bake } from '../state/api';
import { useEditor } from '../state/store';
import { Button, helpProps, Note, Question } from './controls';
import { Field, First, type PanelProps } from './panel-parts';
import { ProofTable, StartNotes } from './proof-panel';
import { trying } from './trying';
import { useWorkshop } from './context';

const BAKE_WORDS: Record<Bake['state'], string> = { queued: 'waits', running: 'running', done: 'done', failed: 'failed', cancelled: 'cancelled' };

export function BakePanel({ document }: PanelProps) {
  const { session } = useWorkshop();
  const bakes = useEditor((s) => s.bakes), bakeId = useEditor((s) => s.bakeId), proof = useEditor((s) => s.bakeProof);
  if (!document.guides) return <First to="plant" label="Go to Plant">There is nothing to bake. Plant guides first.</First>;
  const filledCount = Math.min(document.fill.preview, document.fill.count, 20000), shown = bakes.find((b) => b.id === bakeId), busy = bakes.some((b) => b.state === 'queued' || b.state === 'running');
  return (
    <>
      <Question title="Bake the range">
        <div className="mb-1 flex text-soft"><span>Frames <span className="num text-text">{document.shot.start}–{document.shot.end}</span></span><span className="ml-auto"><span className="num text-text">{document.guides.count}</span> guides</span></div>
        <Field group="bake" name="preRoll" table={BAKE_PARAMETERS} />
        <div className="mt-2"><Button primary data-testid="bake" disabled={busy} onClick={() => trying(session.bakes.bake())}><Flame size={14} />Bake</Button></div>
        <Note>Computed on the server; this window may be closed meanwhile.</Note>
      </Question>
      <Question title="Bakes">
        {bakes.length === 0 && <p className="text-faint">None yet.</p>}
        <ul className="flex flex-col gap-0.5">
          {bakes.map((b) => {
            const stale = b.motionKey !== session.key, running = b.state === 'running' || b.state === 'queued';
            return (
              <li key={b.id} data-testid="bake-row" data-state={b.state} className={`rounded px-2 py-1 ${b.id === bakeId ? 'bg-lifted' : 'hover:bg-raised'}`}>
                <div className="flex items-center gap-2">
                  <button type="button" disabled={b.state !== 'done'} onClick={() => trying(session.bakes.show(b.id))} className="min-w-0 flex-1 text-left">
                    <span className="num">{new Date(b.createdAt).toLocaleTimeString('en-GB')}</span> <span className={b.state === 'failed' ? 'text-trouble' : 'text-soft'}>{BAKE_WORDS[b.state]}</span>{b.state === 'done' && stale && <span className="text-copper"> · out of date</span>}
                  </button>
                  {running ? <button type="button" className="rounded px-1.5 text-copper hover:bg-raised" onClick={() => trying(session.bakes.cancel(b.id))}>cancel</button>
                    : <button type="button" aria-label="Delete this bake" title="Delete this bake" className="rounded p-1 text-faint hover:text-trouble" onClick={() => { if (confirm('Delete this bake and its frames? The groom itself is not touched.')) trying(session.bakes.remove(b.id)); }}><Trash2 size={13} /></button>}
                </div>
                {running && <div className="mt-1 flex items-center gap-2"><div className="h-1 flex-1 rounded bg-edge"><div className="h-full rounded bg-copper" style={{ width: `${(b.stepsDone / b.steps) * 100}%` }} /></div><span className="num text-faint">{b.stepsDone}/{b.steps}{timeLeft(b)}</span></div>}
                {b.message && <p className="text-[12px] text-faint">{b.message}</p>}
              </li>
            );
          })}
        </ul>
      </Question>
      {shown?.state === 'done' && (
        <Question title="Hand it over">
          <a href={`/api/bakes/${shown.id}/curves`} download data-testid="download" className="inline-flex h-7 items-center gap-1.5 rounded-md border border-edge bg-raised px-3 hover:bg-lifted"><Download size={14} />OpenUSD curves (.usda)</a>
          <a href={`/api/bakes/${shown.id}/curves?filled=${filledCount}`} download data-testid="download-filled" className="mt-1.5 inline-flex h-7 items-center gap-1.5 rounded-md border border-edge bg-raised px-3 hover:bg-lifted" {...helpProps('The filled strands themselves, as many as the preview draws, lifted out of what they would pierce.')}><Download size={14} />{filledCount.toLocaleString('en')} filled strands (.usda)</a>
          <Note>{shown.guideCount} curves of {shown.pointCount} points, frames {shown.startFrame}–{shown.endFrame}; metres, +Y up, widths are diameters.</Note>
          {shown.motionKey !== session.key && <Note><Wind size={12} className="mr-1 inline" />Something has changed since this was baked; bake again before you hand it over.</Note>}
        </Question>
      )}
      {proof && <Question title="Proof of this bake"><ProofTable proof={proof} /><StartNotes proof={proof} /></Question>}
    </>
  );
}

function timeLeft(b: Bake): string {
  if (!b.startedAt || b.stepsDone < 3) return '';
  const each = (Date.now() - Date.parse(b.startedAt)) / b.stepsDone, left = Math.round((each * (b.steps - b.stepsDone)) / 1000);
  return left > 0 ? ` · ${Math.floor(left / 60)}:${String(left % 60).padStart(2, '0')}` : '';
}
