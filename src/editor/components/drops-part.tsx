'use client';
/** Sway: drops and grains that come to the hair. */
import { Trash2 } from 'lucide-react';
import { useState } from 'react';
import { MOST_DROPS } from '../../core/drops/drop-run';
import { DROP_KINDS, DROP_PARAMETERS, fallSpeed, KIND_WORDS, MOST_SOURCES, type DropParameter, type DropSource } from '../../core/drops/sources';
import { addSource } from '../state/drop-edits';
import { useEditor } from '../state/store';
import { Button, Fold, helpProps, IconButton, Note, NumberField, Toggle } from './controls';
import { useWorkshop } from './context';
import type { PanelProps } from './panel-parts';

const USUAL: DropParameter[] = ['rate', 'speed', 'sizeMm', 'from', 'to', 'sticks'], MORE: DropParameter[] = ['x', 'y', 'z', 'wide', 'turn', 'rise', 'spread', 'speedSpread', 'sizeSpread', 'density', 'stays', 'lockMm', 'bounce', 'seed'];

export function DropsPart({ document }: PanelProps) {
  const { session } = useWorkshop(), sources = document.sway.drops ?? [], run = useEditor((s) => s.run), frame = useEditor((s) => s.frame), live = useEditor((s) => s.live), shown = session.shownDrops(), [open, setOpen] = useState('');
  const edit = useEditor.getState().edit;
  const change = (k: number, what: Partial<DropSource>, label: string, merge?: string): void => edit(label, (d) => { Object.assign(d.sway.drops![k], what); }, merge);
  void run; void frame; void live;
  const many = sources.reduce((n, s) => n + (s.on ? Math.min(8, Math.max(0, s.to - s.from) / document.shot.fps) * s.rate : 0), 0);
  return (
    <Fold id="drops" title="Does anything rain on it?" summary={sources.length === 0 ? 'nothing' : sources.filter((s) => s.on).map((s) => s.name).join(', ') || 'off'}>
      <div className="flex flex-wrap items-center gap-1">{DROP_KINDS.map((kind) => <Button key={kind} data-testid={`add-${kind}`} disabled={sources.length >= MOST_SOURCES} onClick={() => setOpen(addSource(session, kind))} {...helpProps({ rain: 'Drops that fall over the hair at their own speed.', bucket: 'A lot of water at once, from above.', splash: 'Water that is thrown up from below.', sand: 'Grains that trickle down and do not hold on.' }[kind])}>{KIND_WORDS[kind]}</Button>)}</div>
      <ul className="mt-1">{sources.map((s, k) => (
        <li key={s.id} data-testid="drop-source" className="mb-1 rounded bg-raised px-1.5 py-1">
          <div className="flex items-center gap-1.5">
            <input aria-label={`Name of source ${k + 1}`} defaultValue={s.name} key={s.name} onBlur={(e) => { const name = e.target.value.trim().slice(0, 60); if (name !== '' && name !== s.name) change(k, { name }, `Source is called ${name}`); }} onKeyDown={(e) => { if (e.key === 'Enter') e.currentTarget.blur(); }} className="h-6 min-w-0 flex-1 rounded bg-transparent px-1 hover:bg-ground focus:bg-ground" />
            <span className="num text-[12px] text-faint">{Math.round(((s.to - s.from) / document.shot.fps) * s.rate).toLocaleString('en')}</span>
            <IconButton label={`Take ${s.name} away`} onClick={() => edit(`Without ${s.name}`, (d) => { const left = d.sway.drops!.filter((x) => x.id !== s.id); if (left.length > 0) d.sway.drops = left; else delete d.sway.drops; })}><Trash2 size={13} /></IconButton>
          </div>
          <Toggle label="Comes" help="Whether this source gives any." checked={s.on} onChange={(on) => change(k, { on }, on ? `${s.name} comes` : `No ${s.name}`)} />
          {[...USUAL, ...(open === s.id ? MORE : [])].map((key) => <NumberField key={key} testId={`drop-${k}-${key}`} parameter={DROP_PARAMETERS[key]} value={s[key]} physical={key === 'sizeMm' ? `${fallSpeed(s.sizeMm / 1000, s.density).toFixed(1)} m/s` : undefined} onChange={(v) => change(k, { [key]: v }, `${DROP_PARAMETERS[key].label} of ${s.name}`, `drop.${s.id}.${key}`)} onCommit={() => useEditor.getState().endStep()} />)}
          <button type="button" className="mt-0.5 text-[12px] text-faint underline hover:text-text" onClick={() => setOpen(open === s.id ? '' : s.id)}>{open === s.id ? 'fewer' : 'where, and all else'}</button>
        </li>
      ))}</ul>
      {many > MOST_DROPS && <Note>At most <span className="num">{MOST_DROPS.toLocaleString('en')}</span> are about at once; further ones do not come. Lower the rate.</Note>}
      {sources.length > 0 && <Note>{shown ? <><span className="num" data-testid="drops-now">{(shown.length / 8).toLocaleString('en')}</span> in this frame. </> : ''}They push the hair and are pushed by it; those that stay make it heavier until they drip off. All guides are computed together then, which takes longer.</Note>}
    </Fold>
  );
}
