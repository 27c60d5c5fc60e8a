'use client';
/** The one screen: rail, cast list, view, tray, strip. */
import { useEffect, useMemo, useRef, useState } from 'react';
import { Toaster, toast } from 'sonner';
import { buildActions, comboOf } from '../state/actions';
import { startAutosave } from '../state/autosave';
import { Session } from '../state/session';
import { useEditor } from '../state/store';
import type { Viewport } from '../view/viewport';
import { BehindDialog, KeysDialog } from './dialogs';
import { CastList } from './cast-list';
import { CombRail } from './comb-rail';
import { CommandBox } from './command-box';
import { WorkshopProvider } from './context';
import { Mark } from './mark';
import { Strip } from './strip';
import { useTheme } from './theme';
import { TopBar } from './top-bar';
import { Tray } from './tray';
import { View } from './view';

export function Workshop({ groomId }: { groomId: string }) {
  useTheme();
  const [session, setSession] = useState<Session | null>(null);
  const [error, setError] = useState<string | null>(null), [opened, setOpened] = useState(0);

  useEffect(() => {
    let ended = false, open: Session | null = null, stopSaving = (): void => undefined;
    Session.open(groomId).then((s) => {
      if (ended) { s.close(); return; }
      open = s;
      stopSaving = startAutosave(s);
      s.onTrouble = (message) => toast.error(message);
      s.onTold = (message) => toast.info(message);
      const warnings = sessionStorage.getItem(`warnings-${groomId}`);
      if (warnings) {
        sessionStorage.removeItem(`warnings-${groomId}`);
        toast.info((JSON.parse(warnings) as string[]).join(' '), { duration: 12000 });
      }
      // with other joints it is another character: all is opened again, as soon as what asked for it is kept
      s.onOther = () => { void s.saveNow().then((saved) => { if (saved && !ended) setOpened((n) => n + 1); else if (!ended) toast.error('The change could not be saved yet; it is shown as soon as it is. Reload then.'); }); };
      setSession(s);
    }, (e: unknown) => { if (!ended) setError(e instanceof Error ? e.message : String(e)); });
    return () => { ended = true; stopSaving(); open?.close(); setSession(null); };
  }, [groomId, opened]);

  if (error) return (
    <main className="flex h-full flex-col items-center justify-center gap-4 p-8 text-center">
      <Mark size={34} /><p role="alert" className="max-w-md">{error}</p><a className="text-copper underline" href="/">Back to all grooms</a>
    </main>
  );
  if (!session) return <main className="flex h-full flex-col items-center justify-center gap-4"><Mark size={34} /><p className="text-faint">Opening the groom …</p></main>;
  return <Loaded session={session} />;
}

function Loaded({ session }: { session: Session }) {
  const theme = useEditor((s) => s.theme);
  const viewport = useRef<Viewport | null>(null);
  const actions = useMemo(() => buildActions(session, (m) => toast.error(m)), [session]);
  const value = useMemo(() => ({ session, actions, viewport }), [session, actions]);

  useEffect(() => {
    const byCombo = new Map(actions.flatMap((a) => (a.combo ?? []).map((c) => [c, a] as const)));
    const onKey = (e: KeyboardEvent): void => {
      const typing = e.target instanceof HTMLElement && (/INPUT|TEXTAREA|SELECT/.test(e.target.tagName) || e.target.isContentEditable);
      const action = byCombo.get(comboOf(e));
      if (!action || (typing && !comboOf(e).startsWith('ctrl+k'))) return;
      // space and arrows belong to a focused control first
      if (e.target instanceof HTMLElement && [' ', 'arrowleft', 'arrowright', 'home', 'end'].includes(comboOf(e)) && e.target.closest('button,[role=slider],[role=switch],[role=menu],[role=dialog],a')) return;
      if (document.querySelector('[role=dialog]') && action.id !== 'commands') return;
      e.preventDefault();
      if (action.enabled()) action.run();
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, [actions]);

  return (
    <WorkshopProvider value={value}>
      <div className="grid h-full min-w-[960px] grid-rows-[40px_52px_minmax(0,1fr)_174px] select-none">
        <TopBar />
        <CombRail />
        <div className="grid min-h-0 grid-cols-[196px_minmax(0,1fr)_288px]">
          <CastList />
          <View />
          <Tray />
        </div>
        <Strip />
      </div>
      <CommandBox />
      <KeysDialog />
      <BehindDialog />
      <Toaster position="bottom-center" theme={theme === 'peat' ? 'dark' : 'light'} offset={190} />
    </WorkshopProvider>
  );
}
