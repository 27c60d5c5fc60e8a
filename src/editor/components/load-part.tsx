'use client';
/** Hair that lies on a sheet: of which bake, how much of it, and taken away again. */
import { useEffect, useState } from 'react';
import { ArrowDownToLine, X } from 'lucide-react';
import { LOAD_PARAMETERS, type SheetLoadSettings } from '../../core/sway/sheet-load';
import * as api from '../state/api';
import { useEditor } from '../state/store';
import { trying } from './trying';
import { Button, Fold, IconButton, Note, NumberField, OneOf, Toggle } from './controls';
import { useWorkshop } from './context';
import type { PanelProps } from './panel-parts';

export function LoadPart({ document }: PanelProps) {
  const { load } = document.sway;
  return <Fold id="load" title="Does hair lie on it?" summary={load ? `${load.from}${load.on ? '' : ', off'}` : 'no'}><Lies document={document} /></Fold>;
}
function Lies({ document }: PanelProps) {
  const { session } = useWorkshop(), load = document.sway.load, edit = useEditor.getState().edit, [bakes, setBakes] = useState<api.HairBake[] | null>(null), [chosen, setChosen] = useState(''), [busy, setBusy] = useState(false), [told, setTold] = useState<{ text: string; wrong: boolean } | null>(null);
  useEffect(() => { trying(api.hairBakes(session.groom.id).then((all) => { setBakes(all); setChosen((c) => (all.some((b) => b.bakeId === c) ? c : (all[0]?.bakeId ?? ''))); })); }, [session]);
  const take = async (): Promise<void> => {
    setBusy(true);
    setTold(null);
    try {
      if (!(await session.saveNow())) throw new Error('The sheet could not be saved, so nothing was laid on it.');
      const { load: next, taken, elsewhere } = await api.takeLoad(session.groom.id, chosen);
      await session.need(next.forces);
      edit(`${next.from} lies on the sheet`, (d) => { d.sway.load = { ...next, share: d.sway.load?.share ?? 1 }; });
      setTold({ text: `It presses on the sheet with ${newtons(taken)} in the mean, and with ${newtons(elsewhere)} on what else is worn.`, wrong: false });
    } catch (cause) { setTold({ text: cause instanceof Error ? cause.message : String(cause), wrong: true }); } finally { setBusy(false); }
  };
  const change = (label: string, to: (l: SheetLoadSettings) => void, key?: string): void => edit(label, (d) => { to(d.sway.load!); }, key);
  return (
    <>
      {load && <>
        <div className="flex items-center gap-1"><Toggle label={load.from} help="Off: the sheet moves as if no hair lay on it." checked={load.on} onChange={(on) => change(on ? 'Hair lies on the sheet' : 'No hair lies on the sheet', (l) => { l.on = on; })} /><span className="ml-auto"><IconButton label="Take this hair off the sheet" onClick={() => edit('Hair off the sheet', (d) => { delete d.sway.load; })}><X size={13} /></IconButton></span></div>
        <NumberField testId="load-share" parameter={LOAD_PARAMETERS.share} value={load.share} onChange={(v) => change('How much hair lies on the sheet', (l) => { l.share = v; }, 'load.share')} onCommit={() => useEditor.getState().endStep()} />
      </>}
      {bakes && bakes.length > 0 && <>
        <OneOf label="Bake" testId="load-bake" value={chosen} onChange={setChosen} options={bakes.map((b) => ({ value: b.bakeId, label: `${b.groomName}, ${b.shotName}`, help: `Baked ${new Date(b.finishedAt).toLocaleString('en')}, against ${b.shells} mesh${b.shells === 1 ? '' : 'es'}.` }))} />
        <div className="mt-1"><Button data-testid="take-load" disabled={busy || chosen === ''} onClick={() => void take()} title="Lays on the sheet what this hair pressed it by, frame by frame"><ArrowDownToLine size={14} />{busy ? 'Reading the bake …' : load ? 'Take it again' : 'Lay it on the sheet'}</Button></div>
      </>}
      {told && <p className={`mt-1 text-[12px] leading-snug ${told.wrong ? 'text-trouble' : 'text-soft'}`} role={told.wrong ? 'alert' : 'status'} data-testid="load-told">{told.text}</p>}
      <Note>{bakes?.length === 0 ? 'No hair of this character is baked yet. ' : ''}The two act on each other by turns: bake the sheet and keep it as a clip, bake the hair against it, lay that hair on the sheet here, and bake the sheet again; once or twice is enough as a rule.</Note>
    </>
  );
}
const newtons = (v: number): string => (v >= 0.1 ? `${v.toFixed(2)} N` : `${(1000 * v).toFixed(v >= 0.001 ? 1 : 3)} mN`);
