'use client';
/** All steps of the history: go to any, or compare the guides with how they were there. */
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';
import { Columns2, History as HistoryIcon } from 'lucide-react';
import { useEditor } from '../state/store';
import { helpProps } from './controls';

/** Steps shown at once, the newest. */
const SHOWN = 400;

export function StepsMenu() {
  const history = useEditor((s) => s.history), comparing = useEditor((s) => s.comparing);
  if (!history) return null;
  const names = ['as it was opened', ...history.done.map((e) => e.name), ...[...history.undone].reverse().map((e) => e.name)], now = history.done.length, first = Math.max(0, names.length - SHOWN);
  return (
    <Popover className="relative">
      <PopoverButton aria-label="Steps" title="All steps: go to any of them, or compare with it" data-testid="steps" className="rounded p-1.5 text-soft hover:bg-lifted hover:text-text data-open:bg-lifted data-open:text-copper"><HistoryIcon size={15} /></PopoverButton>
      <PopoverPanel anchor="bottom end" className="z-40 flex max-h-[70vh] w-80 flex-col overflow-hidden rounded-md border border-edge bg-panel shadow-xl [--anchor-gap:6px]">
        <ol className="min-h-0 flex-1 overflow-y-auto p-1" aria-label="Steps, the newest first">
          {names.map((name, k) => ({ name, k })).slice(first).reverse().map(({ name, k }) => (
            <li key={k} aria-current={k === now ? 'step' : undefined} className="group flex items-center rounded aria-[current=step]:bg-lifted">
              <button type="button" data-testid={`step-${k}`} onClick={() => useEditor.getState().jump(k)} className={`min-w-0 flex-1 truncate px-2 py-1 text-left ${k > now ? 'text-faint' : 'text-text'}`}><span className="num mr-2 text-faint">{k}</span>{name}</button>
              <button type="button" data-testid={`compare-${k}`} aria-pressed={comparing === k} aria-label={`Compare with step ${k}`} title="Show the guides of this step in blue beside those of now" onClick={() => useEditor.setState({ comparing: comparing === k ? null : k, stage: 'comb' })} {...helpProps('Shows the guides as they were after this step, in blue.')} className="rounded p-1 text-faint opacity-0 group-hover:opacity-100 focus-visible:opacity-100 hover:text-text aria-pressed:text-copper aria-pressed:opacity-100"><Columns2 size={13} /></button>
            </li>
          ))}
        </ol>
        {comparing !== null && <button type="button" onClick={() => useEditor.setState({ comparing: null })} className="border-t border-line px-3 py-1.5 text-left text-copper hover:bg-lifted">Stop comparing with step {comparing}</button>}
      </PopoverPanel>
    </Popover>
  );
}
