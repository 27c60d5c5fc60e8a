'use client';
/** What the stage needs, at the right. */
import { Download, RotateCw, Trash2, TriangleAlert, Wind, Flame } from 'lucide-react';
import { toast } from 'sonner';
import type { ReactNode } from 'react';
import { BAKE_PARAMETERS } from '../../core/document/schema';
import { THRESHOLDS, type Proof } from '../../core/document/proof';
import { goToWorst } from '../state/actions';
import type { Bake } from '../state/api';
import { worst } from '../state/stages';
import { useEditor } from '../state/store';
import { Button, helpProps, Note, Question, useHelp } from './controls';
import { Field, First, type PanelProps } from './panel-parts';
import { FillPanel } from './fill-panel';
import { CastPanel } from './cast-panel';
import { CombPanel } from './comb-panel';
import { PlantPanel } from './plant-panel';
import { SwayPanel } from './sway-panel';
import { significant } from './units';
import { useWorkshop } from './context';

export function Tray() {
  const stage = useEditor((s) => s.stage), help = useHelp((s) => s.text), document = useEditor((s) => s.history?.document);
  if (!document) return null;
  const Panel = { cast: CastPanel, plant: PlantPanel, comb: CombPanel, fill: FillPanel, sway: SwayPanel, proof: ProofPanel, bake: BakePanel }[stage];
  return (
    <aside aria-label="Tray" className="flex min-h-0 flex-col border-l border-line bg-panel">
      <div className="min-h-0 flex-1 overflow-y-auto"><Panel document={document} /></div>
      <p aria-live="polite" className="h-[52px] shrink-0 overflow-hidden border-t border-line bg-raised px-3 py-2 text-[12px] leading-snug text-faint">{help || 'Point at a setting to see what it means.'}</p>
    </aside>
  );
}

function ProofTable({ proof }: { proof: Proof }) {
  const rows = ([['depth', 'Depth', 1000, 'mm', 2], ['stretch', 'Stretch', 100, '%', 3]] as const).map(([m, label, k, unit, digits]) => ({ m, label, k, unit, digits, at: worst(proof, m, proof.start), limit: THRESHOLDS[m] }));
  const nets = proof.frames.reduce((n, f) => n + f.netUses, 0);
  return (
    <table className="w-full text-soft">
      <thead className="text-left text-[11px] text-faint"><tr><th className="py-1 font-medium">Measure</th><th className="text-right font-medium">worst</th><th className="text-right font-medium">limit</th><th className="text-right font-medium">frame</th></tr></thead>
      <tbody>
        {rows.map(({ m, label, k, unit, digits, at, limit }) => (
          <tr key={m} className="border-t border-line">
            <td className="py-1">{label}</td>
            <td className={`num text-right ${at && at.value > limit ? 'text-trouble' : 'text-text'}`}>{at && at.value > limit ? '▲ ' : '● '}{((at?.value ?? 0) * k).toFixed(digits)} {unit}</td>
            <td className="num text-right text-faint">{(limit * k).toFixed(unit === '%' ? 1 : 0)}</td>
            <td className="text-right"><button type="button" className="num rounded px-1 text-copper hover:bg-lifted" onClick={() => at && useEditor.setState({ frame: at.frame, marked: at.guide, playing: false })}>{at?.frame ?? '–'}</button></td>
          </tr>
        ))}
        <tr className="border-t border-line" {...helpProps('Times a strand’s lengths did not close in a substep: it moved by more than its edges allow, or bends more sharply than its points can follow. More substeps, or fewer points, help.')}><td className="py-1">Safety net</td><td className={`num text-right ${nets > 0 ? 'text-trouble' : 'text-text'}`}>{nets > 0 ? '▲ ' : '● '}{nets}</td><td className="num text-right text-faint">0</td><td /></tr>
        <ContactRows proof={proof} />
      </tbody>
    </table>
  );
}
/** What touched, what let go, and what volume was kept. */
function ContactRows({ proof }: { proof: Proof }) {
  const ties = useEditor((st) => st.history!.document.sway.ties), shown = proof.frames.filter((f) => f.frame >= proof.start), go = (frame: number) => (): void => useEditor.setState({ frame, playing: false });
  if (shown.length === 0) return null;
  const hardest = shown.reduce((a, b) => (b.press > a.press ? b : a)), least = shown.reduce((a, b) => (Math.abs(b.volume - 1) > Math.abs(a.volume - 1) ? b : a)), torn = shown.find((f) => f.broken.length > 0);
  const row = (label: string, value: string, frame: number, help: string, bad = false): ReactNode => (
    <tr className="border-t border-line" {...helpProps(help)}><td className="py-1">{label}</td><td className={`num text-right ${bad ? 'text-trouble' : 'text-text'}`}>{value}</td><td /><td className="text-right"><button type="button" className="num rounded px-1 text-copper hover:bg-lifted" onClick={go(frame)}>{frame}</button></td></tr>
  );
  return (
    <>
      {hardest.contacts > 0 && row('Hardest contact', `${significant(hardest.press * 1000)} mN`, hardest.frame, 'The greatest force between a guide, which stands for its whole lock, and what it touches.')}
      {proof.report.bodies > 0 && row('Volume kept', `${(least.volume * 100).toFixed(0)} %`, least.frame, 'Area across the strands that neighbouring hair keeps, as a share of the groom’s: the frame that is furthest from it.', Math.abs(least.volume - 1) > 0.25)}
      {ties.some((t) => t.on && t.snap !== null) && row('Ties let go', torn ? torn.broken.map((t) => ties[t]?.name ?? t).join(', ') : 'none', torn?.frame ?? proof.start, 'Ties whose force exceeded their snap force, from this frame on.')}
    </>
  );
}
function StartNotes({ proof }: { proof: Proof }) {
  const { report } = proof;
  return (
    <>
      <Note>Against <span className="num">{report.pills}</span> pills and <span className="num">{report.shells}</span> shells, <span className="num">{report.beganInside}</span> points of <span className="num">{report.guides}</span> guides began below a surface, at most <span className="num">{(report.beganDeepest * 1000).toFixed(1)} mm</span>, and <span className="num">{report.beganNear}</span> nearer than their gap: they come out over the pre-roll.{report.rooted > 0 && <> <span className="num">{report.rooted}</span> more are the first stretch of their strands, which is let be.</>}</Note>
      {report.notes.map((n) => <Note key={n}><TriangleAlert size={12} className="mr-1 inline text-copper" />{n}</Note>)}
      {report.cut > 0 && <Note><span className="num">{report.cut}</span> guides are too soft for their shape; hold carries what their stiffness cannot, <span className="num">{significant(report.heldShare * 100)} %</span> of all weight.</Note>}
      <Note>Computed by the {report.kernel === 'simd' ? 'fast kernel (float32, four strands at once)' : 'float64 step'}, <span className="num">{report.plan.substeps}</span> substeps a frame.</Note>
    </>
  );
}

function ProofPanel({ document }: PanelProps) {
  const { session } = useWorkshop();
  const run = useEditor((s) => s.run), fresh = run.key === session.key;
  if (!document.guides) return <First to="plant" label="Go to Plant">There is no hair to prove. Plant guides first.</First>;
  if (!run.proof || run.proof.frames.length === 0) return <First to="sway" label="Go to Sway">No run has been measured yet. Run the movement in Sway; every frame of it is measured here.</First>;
  return (
    <>
      <Question title="Is the movement right?" aside={!fresh ? <span className="text-copper">out of date</span> : undefined}>
        <ProofTable proof={run.proof} />
        <div className="mt-2.5 flex gap-2"><Button primary onClick={goToWorst}>Go to worst</Button>{(!fresh || session.live.size === 0) && <Button onClick={() => session.restartRun()}><RotateCw size={14} />Run again</Button>}</div>
        {!fresh && <Note>These figures are of the last run; hair, shot or settings have changed since.</Note>}
        {fresh && session.live.size === 0 && run.state === 'done' && <Note>Figures are kept with the groom, moving pictures are not: run again to see the strands move.</Note>}
      </Question>
      <Question title="How did it start?"><StartNotes proof={run.proof} /></Question>
    </>
  );
}

const BAKE_WORDS: Record<Bake['state'], string> = { queued: 'waits', running: 'running', done: 'done', failed: 'failed', cancelled: 'cancelled' };

function BakePanel({ document }: PanelProps) {
  const { session } = useWorkshop();
  const bakes = useEditor((s) => s.bakes), bakeId = useEditor((s) => s.bakeId), proof = useEditor((s) => s.bakeProof);
  if (!document.guides) return <First to="plant" label="Go to Plant">There is nothing to bake. Plant guides first.</First>;
  const trying = (task: Promise<unknown>): void => { task.catch((e: unknown) => toast.error(e instanceof Error ? e.message : String(e))); };
  const filledCount = Math.min(document.fill.preview, document.fill.count, 20000), shown = bakes.find((b) => b.id === bakeId), busy = bakes.some((b) => b.state === 'queued' || b.state === 'running');
  return (
    <>
      <Question title="Bake the range">
        <div className="mb-1 flex text-soft"><span>Frames <span className="num text-text">{document.shot.start}–{document.shot.end}</span></span><span className="ml-auto"><span className="num text-text">{document.guides.count}</span> guides</span></div>
        <Field group="bake" name="preRoll" table={BAKE_PARAMETERS} />
        <div className="mt-2"><Button primary data-testid="bake" disabled={busy} onClick={() => trying(session.bake())}><Flame size={14} />Bake</Button></div>
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
                  <button type="button" disabled={b.state !== 'done'} onClick={() => trying(session.showBake(b.id))} className="min-w-0 flex-1 text-left">
                    <span className="num">{new Date(b.createdAt).toLocaleTimeString('en-GB')}</span> <span className={b.state === 'failed' ? 'text-trouble' : 'text-soft'}>{BAKE_WORDS[b.state]}</span>{b.state === 'done' && stale && <span className="text-copper"> · out of date</span>}
                  </button>
                  {running ? <button type="button" className="rounded px-1.5 text-copper hover:bg-raised" onClick={() => trying(session.cancelBake(b.id))}>cancel</button>
                    : <button type="button" aria-label="Delete this bake" title="Delete this bake" className="rounded p-1 text-faint hover:text-trouble" onClick={() => { if (confirm('Delete this bake and its frames? The groom itself is not touched.')) trying(session.deleteBake(b.id)); }}><Trash2 size={13} /></button>}
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
