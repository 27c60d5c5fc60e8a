'use client';
/** The shots this groom is set up for: clip, frames and what is worn in each. */
import { Copy, Trash2 } from 'lucide-react';
import { useState } from 'react';
import { addShot, freeShotName, openShot, removeShot, shotNames } from '../../core/document/shots';
import { useEditor } from '../state/store';
import { helpProps, IconButton, Question } from './controls';
import type { PanelProps } from './panel-parts';

export function ShotsPart({ document }: PanelProps) {
  const [naming, setNaming] = useState<string | null>(null), edit = useEditor.getState().edit, names = shotNames(document);
  const rename = (): void => {
    const name = naming?.trim() ?? '';
    setNaming(null);
    if (name !== '' && name !== document.shotName) edit(`Shot is called ${name}`, (d) => { d.shotName = freeShotName(d, name); });
  };
  return (
    <Question title="Which shot?" aside={<span className="flex">
      <IconButton label="Another shot like this one" data-testid="shot-add" onClick={() => edit('Another shot', (d) => addShot(d, d.shotName))}><Copy size={13} /></IconButton>
      <IconButton label="Take this shot away" data-testid="shot-remove" disabled={names.length < 2} onClick={() => edit(`Without shot ${document.shotName}`, removeShot)}><Trash2 size={13} /></IconButton>
    </span>}>
      <div role="radiogroup" aria-label="Shot" className="flex flex-col">
        {names.map((name) => {
          const open = name === document.shotName, { shot, hidden } = open ? document : document.otherShots.find((o) => o.shotName === name)!;
          return (
            <div key={name} className="flex h-7 items-center gap-2 rounded px-2 text-soft has-aria-checked:bg-lifted has-aria-checked:text-text hover:bg-raised" {...helpProps('A shot is a movement, its frames, and what is worn in it. Guides, fill and movement settings are the same in all; takes and bakes belong to the shot they were made in. A second click renames it.')}>
              {open && naming !== null
                ? <input autoFocus aria-label="Name of the shot" value={naming} onChange={(e) => setNaming(e.target.value)} onBlur={rename} onKeyDown={(e) => { if (e.key === 'Enter') rename(); if (e.key === 'Escape') setNaming(null); }} className="min-w-0 flex-1 rounded bg-ground px-1" />
                : <button type="button" role="radio" aria-checked={open} data-testid={`shot-${name}`} onClick={() => { if (open) setNaming(name); else edit(`Shot ${name}`, (d) => openShot(d, name)); }} className="min-w-0 flex-1 truncate text-left">{name}</button>}
              {hidden.length > 0 && <span className="text-[11px] text-faint" title={`Not worn or shown: ${hidden.join(', ')}`}>−{hidden.length}</span>}
              <span className="num text-faint">{shot.start}–{shot.end}</span>
            </div>
          );
        })}
      </div>
    </Question>
  );
}
