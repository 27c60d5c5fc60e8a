'use client';
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { ChevronDown, CloudOff, CircleCheck, LoaderCircle, Moon, Redo2, Search, Sun, TriangleAlert, Undo2 } from 'lucide-react';
import { useEffect, useState } from 'react';
import { getOverview } from '../state/api';
import { useEditor, type SaveState } from '../state/store';
import { Mark } from './mark';
import { setTheme } from './theme';
import { IconButton } from './controls';
import { StepsMenu } from './steps-menu';

export function TopBar() {
  const groom = useEditor((s) => s.groom), history = useEditor((s) => s.history), theme = useEditor((s) => s.theme);
  const undoName = history?.done.at(-1)?.name, redoName = history?.undone.at(-1)?.name;
  return (
    <header className="flex items-center gap-3 bg-panel px-3.5">
      <a href="/" className="flex items-center gap-2 font-semibold" title="All grooms"><Mark />Fine Comb</a>
      <nav aria-label="Where you are" className="flex min-w-0 items-center gap-2 text-faint">
        <span className="truncate">{groom?.production.name}</span><span>/</span><span>{groom?.character.name}</span><span>/</span>
        <GroomMenu />
      </nav>
      <div className="ml-auto flex items-center gap-1">
        <IconButton label={undoName ? `Undo: ${undoName}` : 'Nothing to undo'} keys="Ctrl Z" disabled={!undoName} onClick={() => useEditor.getState().undo()}><Undo2 size={15} /></IconButton>
        <IconButton label={redoName ? `Redo: ${redoName}` : 'Nothing to redo'} keys="Ctrl Shift Z" disabled={!redoName} onClick={() => useEditor.getState().redo()}><Redo2 size={15} /></IconButton>
        <StepsMenu />
      </div>
      <button type="button" onClick={() => useEditor.setState({ commandOpen: true })} className="flex h-[26px] w-64 items-center whitespace-nowrap gap-2 rounded-md border border-edge bg-ground px-2.5 text-faint hover:text-soft">
        <Search size={13} />Find an action or a setting<kbd className="num ml-auto">Ctrl K</kbd>
      </button>
      <SaveBadge />
      <MovieBadge />
      <BakeBadge />
      <IconButton label={theme === 'peat' ? 'Light theme' : 'Dark theme'} onClick={() => setTheme(theme === 'peat' ? 'linen' : 'peat')}>{theme === 'peat' ? <Sun size={15} /> : <Moon size={15} />}</IconButton>
    </header>
  );
}

function GroomMenu() {
  const groom = useEditor((s) => s.groom), shot = useEditor((s) => s.history?.document.shotName);
  const [others, setOthers] = useState<{ id: string; name: string; shot: string | null }[]>([]);
  const load = (): void => { getOverview().then((o) => setOthers(o.productions.flatMap((p) => p.assets.flatMap((a) => a.grooms))), () => undefined); };
  useEffect(load, []);
  return (
    <Menu>
      <MenuButton className="flex items-center gap-1.5 rounded px-1 text-text hover:bg-lifted"><b className="font-semibold">{shot}</b><span className="text-faint">·</span>{groom?.name}<ChevronDown size={13} className="text-faint" /></MenuButton>
      <MenuItems anchor="bottom start" className="z-30 mt-1 min-w-56 rounded-md border border-edge bg-raised p-1 text-text shadow-xl outline-none">
        {others.map((g) => (
          <MenuItem key={g.id}><a href={`/groom/${g.id}`} aria-current={g.id === groom?.id} className="flex gap-2 rounded px-2.5 py-1.5 data-focus:bg-lifted aria-[current=true]:text-copper"><b className="font-semibold">{g.shot ?? 'cannot be read'}</b><span className="text-faint">·</span>{g.name}</a></MenuItem>
        ))}
        <MenuItem><a href="/" className="mt-1 block rounded border-t border-line px-2.5 py-1.5 data-focus:bg-lifted">All grooms, or another character …</a></MenuItem>
      </MenuItems>
    </Menu>
  );
}

const SAVE_WORDS: Record<SaveState, string> = { saved: 'Saved', unsaved: 'Not saved yet', saving: 'Saving …', offline: 'Not saved', behind: 'Changed elsewhere' };
function SaveBadge() {
  const save = useEditor((s) => s.save), message = useEditor((s) => s.saveMessage);
  const icon = save === 'saved' ? <CircleCheck size={14} className="text-good" /> : save === 'offline' ? <CloudOff size={14} className="text-trouble" /> : save === 'behind' ? <TriangleAlert size={14} className="text-trouble" /> : <LoaderCircle size={14} className="text-copper" />;
  return <span role="status" data-testid="save" data-state={save} title={message || 'Every change is saved as it is made'} className="flex h-6 items-center gap-1.5 rounded-full bg-lifted px-2.5">{icon}{SAVE_WORDS[save]}</span>;
}

function BakeBadge() {
  const running = useEditor((s) => s.bakes.find((b) => b.state === 'running' || b.state === 'queued'));
  if (!running) return null;
  return <Badge name={running.state === 'queued' ? 'Bake waits' : 'Bake'} share={running.state === 'queued' ? null : running.steps > 0 ? running.stepsDone / running.steps : 0} />;
}
function MovieBadge() {
  const movie = useEditor((s) => s.movie);
  return movie && <Badge name="Movie" share={movie.share} />;
}
/** What goes on beside the work, and how far it is; leads to where it is looked after. */
function Badge({ name, share }: { name: string; share: number | null }) {
  return (
    <button type="button" onClick={() => useEditor.setState({ stage: 'bake' })} className="flex h-6 items-center gap-2 rounded-full bg-lifted px-2.5 whitespace-nowrap">
      <svg width="14" height="14" viewBox="0 0 14 14" className="-rotate-90" aria-hidden><circle cx="7" cy="7" r="5.5" fill="none" strokeWidth="2.4" className="stroke-edge" /><circle cx="7" cy="7" r="5.5" fill="none" strokeWidth="2.4" className="stroke-copper" strokeDasharray={`${(share ?? 0) * 34.6} 40`} /></svg>
      {share === null ? name : <>{name} <span className="num">{Math.round(share * 100)} %</span></>}
    </button>
  );
}
