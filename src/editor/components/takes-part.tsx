'use client';
/** Takes that are kept: looked at, laid over another, pinned, put back. */
import { Blend, Pin, PinOff, RotateCcw, Trash2 } from 'lucide-react';
import { useState } from 'react';
import { differences } from '../../core/document/take';
import { troubles } from '../state/stages';
import { useEditor } from '../state/store';
import { Choice, helpProps, Note, Question } from './controls';
import { trying } from './trying';
import { useWorkshop } from './context';
import { Sign } from './shown-proof';


export function TakesPart() {
  const { session } = useWorkshop(), takes = useEditor((s) => s.takes), shownTake = useEditor((s) => s.shownTake), compare = useEditor((s) => s.compare), limits = useEditor((s) => s.limits), run = useEditor((s) => s.run);
  const [naming, setNaming] = useState<{ id: string; name: string } | null>(null), [all, setAll] = useState(false);
  const rename = (): void => { if (naming && naming.name.trim() !== '') trying(session.takes.change(naming.id, { name: naming.name.trim() })); setNaming(null); };
  const listed = all ? takes : takes.slice(0, 8), at = shownTake ?? (run.state === 'done' ? takes.find((t) => t.motionKey === run.key)?.id : undefined);
  return (
    <Question title="Takes" aside={<span className="num text-faint">{takes.length}</span>}>
      {takes.length === 0 && <p className="text-faint">Every run over the range is kept here with its settings and figures.</p>}
      {shownTake && <p className="mb-1 flex items-center text-[12px] text-copper">An earlier take is shown.<button type="button" data-testid="take-leave" className="ml-auto rounded px-1.5 underline hover:bg-lifted" onClick={() => trying(session.takes.show(null))}>back to the run</button></p>}
      <ul className="flex flex-col gap-0.5">
        {listed.map((t) => {
          const k = takes.indexOf(t), before = takes[k + 1], bad = troubles(t.proof, limits), over = compare?.take === t.id, changes = t.settings && before?.settings ? differences(before.settings, t.settings, 4) : [];
          return (
            <li key={t.id} data-testid="take-row" data-id={t.id} className={`rounded px-1.5 py-1 ${at === t.id ? 'bg-lifted' : 'hover:bg-raised'}`}>
              <div className="flex items-center gap-1.5">
                <Sign bad={bad > 0} />
                {naming?.id === t.id
                  ? <input autoFocus aria-label="Name of the take" value={naming.name} onChange={(e) => setNaming({ id: t.id, name: e.target.value })} onBlur={rename} onKeyDown={(e) => { if (e.key === 'Enter') rename(); if (e.key === 'Escape') setNaming(null); }} className="min-w-0 flex-1 rounded bg-ground px-1" />
                  : <button type="button" aria-pressed={shownTake === t.id} onClick={() => (at === t.id ? setNaming({ id: t.id, name: t.name }) : trying(session.takes.show(run.key === t.motionKey && run.state === 'done' ? null : t.id)))} {...helpProps('Shows this take; a second click renames it.')} className="min-w-0 flex-1 truncate text-left">{t.name || t.shotName || 'take'}</button>}
                <span className="flex shrink-0">
                  <Small label={over ? 'Take it away' : 'Lay over what is shown'} testId="take-over" pressed={over} disabled={!t.hasFrames || (at === t.id && !over)} onClick={() => trying(session.takes.layOver(over ? null : t.id))}><Blend size={12} /></Small>
                  <Small label="Put its settings back" testId="take-restore" disabled={!t.settings || session.key === t.motionKey} onClick={() => trying(session.takes.restore(t.id))}><RotateCcw size={12} /></Small>
                  <Small label={t.pinned ? 'Let it age' : 'Pin: it never goes by itself'} testId="take-pin" pressed={t.pinned} onClick={() => trying(session.takes.change(t.id, { pinned: !t.pinned }))}>{t.pinned ? <Pin size={12} /> : <PinOff size={12} />}</Small>
                  <Small label="Delete this take" testId="take-delete" onClick={() => { if (confirm(`Delete “${t.name || 'this take'}” with its frames and figures? The groom is not touched.`)) trying(session.takes.remove(t.id)); }}><Trash2 size={12} /></Small>
                </span>
              </div>
              {t.hasStrip && (at === t.id || k < 3) && <img alt={`Frames of ${t.name}`} src={`/api/takes/${t.id}/strip`} loading="lazy" className="mt-0.5 max-h-[46px] max-w-full rounded-sm" draggable={false} />}
              <p className="num truncate text-[10.5px] text-faint" title={changes.join('; ')}>{new Date(t.createdAt).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })} · {t.shotName || 'shot'}{t.proof.seconds > 0 && ` · ${t.proof.seconds.toFixed(0)} s`}{t.bytes > 0 && ` · ${(t.bytes / 1e6).toFixed(1)} MB`}{changes.length > 0 && ` · ${changes.join('; ')}`}</p>
            </li>
          );
        })}
      </ul>
      {takes.length > 8 && <button type="button" className="mt-1 text-copper underline" onClick={() => setAll(!all)}>{all ? 'only the newest' : `all ${takes.length}`}</button>}
      {compare && <div className="mt-1.5 flex items-center gap-2 text-soft"><span>Laid over</span><Choice label="How takes are laid over each other" value={compare.mode} onChange={(mode) => useEditor.setState({ compare: { ...compare, mode } })} options={[{ value: 'wipe', label: 'wipe', help: 'What is shown at the left of the line, the other take at its right; drag the line.' }, { value: 'both', label: 'both', help: 'Both at once, each in its own colour.' }]} /></div>}
      {takes.length > 0 && <Note>The oldest go by themselves when their frames take more than 512 MB; pinned ones stay.</Note>}
    </Question>
  );
}
function Small({ label, testId, pressed, disabled, onClick, children }: { label: string; testId: string; pressed?: boolean; disabled?: boolean; onClick: () => void; children: React.ReactNode }) {
  return <button type="button" aria-label={label} title={label} data-testid={testId} aria-pressed={pressed} disabled={disabled} onClick={onClick} className="rounded p-1 text-faint enabled:hover:bg-lifted enabled:hover:text-text disabled:opacity-30 aria-pressed:text-copper">{children}</button>;
}
