'use client';
/** The Proof stage: every measure against its limit, the worst places, what is wrong and how to mend it, takes. */
import { Download, Printer, RotateCw, Table2, TriangleAlert } from 'lucide-react';
import { useRef, useState } from 'react';
import { toast } from 'sonner';
import { MEASURES, type MeasureName, type Proof } from '../../core/document/proof';
import { deepestBelow, heatTop, judge, worstList, type Verdict } from '../../core/proof/judge';
import { shown } from '../../core/proof/sheet';
import { goToWorst } from '../state/actions';
import { MEASURED_STRANDS, saveProof } from '../state/proof-files';
import { HEATS, useEditor, type Heat } from '../state/store';
import { Button, helpProps, Note, OneOf, Question } from './controls';
import { MendPart } from './mend-part';
import { First, type PanelProps } from './panel-parts';
import { Sign } from './shown-proof';
import { TakesPart } from './takes-part';
import { significant } from './units';
import { trying } from './trying';
import { useWorkshop } from './context';

const goTo = (frame: number, guide: number): void => useEditor.setState({ frame, marked: guide, playing: false });

/** Every measure: pass or attention, its figure, its limit, where. */
export function ProofTable({ proof }: { proof: Proof }) {
  const limits = useEditor((s) => s.limits), verdicts = judge(proof, limits).filter((v) => v.figure !== null || v.name === 'filled');
  return (
    <table className="w-full text-soft">
      <thead className="text-left text-[11px] text-faint"><tr><th className="py-0.5 font-medium">Measure</th><th className="text-right font-medium">figure</th><th className="text-right font-medium">limit</th><th className="text-right font-medium">frame</th></tr></thead>
      <tbody>{verdicts.map((v) => <Row key={v.name} verdict={v} start={proof.start} />)}<Hardest proof={proof} /></tbody>
    </table>
  );
}
function Row({ verdict: { name, figure, limit, passes }, start }: { verdict: Verdict; start: number }) {
  const { label, help } = MEASURES[name];
  return (
    <tr data-testid={`measure-${name}`} data-passes={figure ? passes : undefined} className="border-t border-line" {...helpProps(help)}>
      <td className="py-[3px]"><button type="button" title="See its chart" className="flex items-center gap-1.5 rounded text-left hover:text-text" onClick={() => useEditor.setState({ strip: 'chart', chart: name })}><Sign bad={!passes} known={figure !== null} />{label}</button></td>
      <td className={`num text-right whitespace-nowrap ${passes ? 'text-text' : 'text-trouble'}`}>{figure ? shown(name, figure.value) : 'not yet'}</td>
      <td className="text-right"><Limit name={name} limit={limit} /></td>
      <td className="text-right">{figure && figure.frame >= start && <button type="button" className="num rounded px-1 text-copper hover:bg-lifted" title="Go there" onClick={() => goTo(figure.frame, figure.guide)}>{figure.frame}</button>}</td>
    </tr>
  );
}
/** A limit of this show, typed; nothing typed is the usual one. */
function Limit({ name, limit }: { name: MeasureName; limit: number }) {
  const { session } = useWorkshop(), [typed, setTyped] = useState<string | null>(null), left = useRef(false), { scale, limit: usual } = MEASURES[name], text = String(Number((limit * scale).toPrecision(4)));
  const take = (): void => {
    const was = typed;
    setTyped(null);
    if (was === null || left.current) { left.current = false; return; }
    const v = Number(was.replace(',', '.')) / scale, { limits } = useEditor.getState(), { [name]: _, ...others } = limits;
    if (was.trim() === '' || !Number.isFinite(v) || v < 0) { if (was.trim() === '') trying(session.takes.setLimits(others)); return; }
    if (Math.abs(v - limit) > 1e-12) trying(session.takes.setLimits(Math.abs(v - usual) < 1e-12 ? others : { ...limits, [name]: v }));
  };
  return <input aria-label={`Limit of ${MEASURES[name].label.toLowerCase()} in this show`} title={`Limit in this show; usually ${Number((usual * scale).toPrecision(4))}`} value={typed ?? text} inputMode="decimal" onFocus={(e) => { setTyped(text); e.target.select(); }} onChange={(e) => setTyped(e.target.value)} onBlur={take}
    onKeyDown={(e) => { if (e.key === 'Enter') e.currentTarget.blur(); if (e.key === 'Escape') { left.current = true; e.currentTarget.blur(); } }} className={`num w-[38px] rounded bg-transparent text-right hover:bg-ground focus:bg-ground ${limit === usual ? 'text-faint' : 'text-copper'}`} />;
}
function Hardest({ proof }: { proof: Proof }) {
  const at = proof.frames.filter((f) => f.frame >= proof.start).reduce<Proof['frames'][number] | null>((a, b) => (a && a.press >= b.press ? a : b), null);
  if (!at || at.contacts === 0) return null;
  return <tr className="border-t border-line" {...helpProps('The greatest force between a guide, which stands for its whole lock, and what it touches.')}><td className="py-[3px] pl-[15px]">Hardest contact</td><td className="num text-right text-text">{significant(at.press * 1000)} mN</td><td /><td className="text-right"><button type="button" className="num rounded px-1 text-copper hover:bg-lifted" onClick={() => goTo(at.frame, -1)}>{at.frame}</button></td></tr>;
}
const counted = (n: number, what: string): React.ReactNode => <><span className="num">{n}</span> {what}{n === 1 ? '' : 's'}</>;
export function StartNotes({ proof }: { proof: Proof }) {
  const { report } = proof;
  return (
    <>
      <Note>Against {counted(report.pills, 'pill')} and {counted(report.shells, 'shell')}, {counted(report.beganInside, 'point')} of {counted(report.guides, 'guide')} began below a surface, at most <span className="num">{(report.beganDeepest * 1000).toFixed(1)} mm</span>, and <span className="num">{report.beganNear}</span> nearer than their gap: they come out over the pre-roll.{report.rooted > 0 && <> <span className="num">{report.rooted}</span> more are the first stretch of their strands, which is let be.</>}</Note>
      {report.notes.map((n) => <Note key={n}><TriangleAlert size={12} className="mr-1 inline text-copper" />{n}</Note>)}
      {report.cut > 0 && <Note>{counted(report.cut, 'guide')} {report.cut === 1 ? 'is too soft for its' : 'are too soft for their'} shape; hold carries what their stiffness cannot, <span className="num">{significant(report.heldShare * 100)} %</span> of all weight.</Note>}
      <Note>Computed by the {report.kernel === 'simd' ? 'fast kernel (float32, four strands at once)' : 'float64 step'}, <span className="num">{report.plan.substeps}</span> substeps a frame.</Note>
    </>
  );
}


/** How deep each collider was gone into. */
function BelowList({ proof }: { proof: Proof }) {
  const list = deepestBelow(proof);
  if (list.length === 0) return null;
  return <ul className="mt-1" data-testid="below-list">{list.slice(0, 8).map((w) => <li key={`${w.filled} ${w.collider} ${w.frame}`} className="flex text-[12px] text-soft"><span className="truncate">{w.filled ? 'filled strands' : 'guides'} below {w.collider}</span><span className="num ml-auto whitespace-nowrap">{shown('depth', w.depth)}</span><button type="button" title="Go there" className="num ml-2 rounded px-1 text-copper hover:bg-lifted" onClick={() => goTo(w.frame, w.guide)}>{w.frame}</button></li>)}</ul>;
}

export function ProofPanel({ document }: PanelProps) {
  const { session } = useWorkshop(), run = useEditor((s) => s.run), limits = useEditor((s) => s.limits), heat = useEditor((s) => s.heat), measuring = useEditor((s) => s.measuring), stop = useRef<AbortController | null>(null);
  useEditor((s) => s.shownTake); useEditor((s) => s.takes);
  if (!document.guides) return <First to="plant" label="Go to Plant">There is no hair to prove. Plant guides first.</First>;
  const at = session.takes.shownProof();
  if (!at) return <First to="sway" label="Go to Sway">No run has been measured yet. Run the movement in Sway; every frame of it is measured here.</First>;
  const { proof, key, take } = at, fresh = key === session.key, still = take ? !take.hasFrames : session.runs.live.size === 0, failing = judge(proof, limits).filter((v) => !v.passes), worst = worstList(proof, limits, 8).filter((w) => w.value > 0.5 * w.limit);
  return (
    <>
      <Question title={take && take.motionKey !== run.key ? take.name : 'Is the movement right?'} aside={!fresh ? <span className="text-copper">out of date</span> : undefined}>
        <p data-testid="verdict" className={`mb-1 flex items-center gap-2 rounded-md border px-2 py-1 font-semibold ${failing.length > 0 ? 'border-trouble text-trouble' : 'border-good text-good'}`}><Sign bad={failing.length > 0} />{failing.length === 0 ? 'Passes every measure' : `Attention: ${failing.map((v) => MEASURES[v.name].label.toLowerCase()).join(', ')}`}</p>
        <ProofTable proof={proof} />
        <BelowList proof={proof} />
        <div className="mt-2 flex flex-wrap gap-2"><Button primary onClick={goToWorst}>Go to worst</Button>{(!fresh || (still && !take)) && <Button onClick={() => session.runs.restart()}><RotateCw size={14} />Run again</Button>}
          {measuring === null ? <Button data-testid="filled-measure" disabled={still || !session.filled} onClick={() => { stop.current = new AbortController(); session.takes.measureFilled(Math.min(document.fill.preview, MEASURED_STRANDS), stop.current.signal).catch((e: unknown) => { if (!stop.current?.signal.aborted) toast.error(e instanceof Error ? e.message : String(e)); }); }} title="How deep filled strands go, frame by frame, before they are lifted out">Measure filled</Button> : <Button onClick={() => stop.current?.abort()}>{Math.round(100 * measuring)} % · Stop</Button>}</div>
        {!fresh && <Note>These figures are of {take ? 'that take' : 'the last run'}; hair, shot or settings have changed since.</Note>}
        {still && <Note>Figures are kept with this one, its moving picture is not: run again to see the strands move.</Note>}
      </Question>
      <MendPart />
      {worst.length > 0 && (
        <Question title="Where is it worst?">
          <ul data-testid="worst-list">{worst.map((w) => <li key={`${w.name} ${w.guide}`}><button type="button" onClick={() => { goTo(w.frame, w.guide); session.lookAt(w.guide); }} className="flex w-full items-center gap-1.5 rounded px-1 py-[2px] text-left text-soft hover:bg-raised" title="Fly there and mark the strand"><Sign bad={w.value > w.limit} /><span className="truncate">{MEASURES[w.name].label}{w.where && ` in ${w.where}`}</span><span className="num ml-auto whitespace-nowrap text-text">{shown(w.name, w.value)}</span><span className="num shrink-0 text-right whitespace-nowrap text-faint" title={`frame ${w.frame}, guide ${w.guide}`}>{w.frame} · g{w.guide}</span></button></li>)}</ul>
        </Question>
      )}
      <Question title="Seen on the hair">
        <OneOf label="Heat" testId="heat" value={heat} onChange={(v) => useEditor.setState({ heat: v })} options={HEATS.map((value: Heat) => ({ value, label: value === 'none' ? 'none' : value === 'drift' ? 'Drift' : MEASURES[value].label, help: value === 'none' ? 'The hair in its own colour.' : `${MEASURES[value].help} Dark blue is none; yellow is a quarter beyond the limit, or of drift the most there is.` }))} />
        {heat !== 'none' && (<div className="mt-1 flex items-center gap-2 text-[11px] text-faint"><span className="num">0</span><span className="h-2 flex-1 rounded-sm" style={{ background: 'linear-gradient(90deg, #00224e, #35456c, #666970, #948e77, #c8b866, #fee838)' }} /><span className="num">{shown(heat, heatTop(heat, proof, limits))}</span></div>)}
      </Question>
      <TakesPart />
      <Question title="How did it start?"><StartNotes proof={proof} /></Question>
      <Question title="On paper">
        <div className="flex flex-wrap gap-2"><Button data-testid="proof-csv" onClick={() => saveProof(session)}><Download size={14} />CSV</Button>
          {take && <a href={`/api/takes/${take.id}/sheet`} target="_blank" rel="noreferrer" data-testid="proof-sheet" className="inline-flex h-7 items-center gap-1.5 rounded-md border border-edge bg-raised px-3 hover:bg-lifted"><Printer size={14} />One page to print</a>}
          <Button data-testid="shot-check" onClick={() => useEditor.setState({ board: 'shots' })}><Table2 size={14} />All shots</Button></div>
      </Question>
    </>
  );
}
