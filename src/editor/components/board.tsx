'use client';
/** What stands before the view: a wedge of takes side by side, or all shots in a table. */
import { X } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import { limitOf, MEASURES, MEASURE_NAMES } from '../../core/document/proof';
import { figureOf, judge } from '../../core/proof/judge';
import { shown } from '../../core/proof/sheet';
import { openShot } from '../../core/document/shots';
import { inCages } from '../../core/cage/cages';
import { MOST_CELLS, valueOf, WEDGE_SETTINGS, wedgeKeys } from '../state/wedge-desk';
import { jobKey, type OtherGroom, type ShotRow } from '../state/shot-desk';
import { useEditor, type ShotJob, type WedgeAxis, type WedgeCell } from '../state/store';
import { Button } from './controls';
import { trying } from './trying';
import { useWorkshop } from './context';
import { Sign } from './shown-proof';


export function Board() {
  const board = useEditor((s) => s.board), stage = useEditor((s) => s.stage);
  // each belongs to its stage
  if (board === 'none' || stage !== (board === 'wedge' ? 'sway' : 'proof')) return null;
  return (
    <section aria-label={board === 'wedge' ? 'Wedge' : 'All shots'} data-testid="board" className="absolute inset-0 flex flex-col overflow-hidden bg-panel" onKeyDown={(e) => { if (e.key === 'Escape') useEditor.setState({ board: 'none' }); }}>
      {board === 'wedge' ? <Wedge /> : <Shots />}
    </section>
  );
}
const Head = ({ title, children }: { title: string; children?: React.ReactNode }) => <header className="flex h-10 shrink-0 items-center gap-3 border-b border-line px-3"><h2 className="font-semibold">{title}</h2>{children}<button type="button" aria-label="Back to the view" title="Back to the view (Esc)" data-testid="board-close" className="ml-auto rounded p-1.5 text-faint hover:bg-lifted hover:text-text" onClick={() => useEditor.setState({ board: 'none' })}><X size={15} /></button></header>;

// ---------------------------------------------------------------- wedge

function Axis({ axis, at, onChange, onRemove }: { axis: WedgeAxis; at: number; onChange: (a: WedgeAxis) => void; onRemove?: () => void }) {
  const { session } = useWorkshop(), p = WEDGE_SETTINGS[axis.key], bounded = (v: number): number => Math.min(p.max, Math.max(p.min, v));
  const number = (label: string, value: number, take: (v: number) => void, id: string): React.ReactNode => <label className="flex items-center gap-1 text-soft">{label}<input key={`${axis.key} ${value}`} aria-label={`${label}, ${p.label}`} data-testid={`wedge-${id}-${at}`} defaultValue={value} inputMode="decimal" onBlur={(e) => { const v = Number(e.target.value.replace(',', '.')); if (e.target.value.trim() !== '' && Number.isFinite(v) && v !== value) take(v); else e.target.value = String(value); }} onKeyDown={(e) => { if (e.key === 'Enter') e.currentTarget.blur(); e.stopPropagation(); }} className="num h-6 w-14 rounded bg-ground px-1 text-right text-text" /></label>;
  const choose = (key: string): void => { const q = WEDGE_SETTINGS[key], now = valueOf(session.document, key), w = 0.25 * (q.max - q.min); onChange({ key, count: axis.count, from: q.min > 0 ? Math.max(q.min, Number((now / 3).toPrecision(3))) : Math.max(q.min, Number((now - w).toPrecision(3))), to: q.min > 0 ? Math.min(q.max, Number((now * 3).toPrecision(3))) : Math.min(q.max, Number((now + w).toPrecision(3))) }); };
  return (
    <div className="flex items-center gap-2">
      <span className="w-11 text-faint">{at === 0 ? 'across' : 'down'}</span>
      <select aria-label={at === 0 ? 'Setting across' : 'Setting down'} data-testid={`wedge-key-${at}`} value={axis.key} onChange={(e) => choose(e.target.value)} className="h-6 w-36 rounded border border-edge bg-raised px-1">{wedgeKeys(session.document).map((k) => [k, WEDGE_SETTINGS[k]] as const).map(([k, q]) => <option key={k} value={k}>{q.label}{q.unit && q.unit !== '×' ? `, ${q.unit}` : ''}</option>)}</select>
      {number('from', axis.from, (v) => onChange({ ...axis, from: bounded(v) }), 'from')}{number('to', axis.to, (v) => onChange({ ...axis, to: bounded(v) }), 'to')}{number('in', axis.count, (v) => onChange({ ...axis, count: Math.min(8, Math.max(2, Math.round(v))) }), 'count')}
      {onRemove && <button type="button" className="rounded px-1.5 text-faint hover:text-trouble" onClick={onRemove}>take away</button>}
    </div>
  );
}

function Wedge() {
  const { session } = useWorkshop(), wedge = useEditor((s) => s.wedge), limits = useEditor((s) => s.limits);
  if (!wedge) return <Head title="Wedge" />;
  const { axes, cells, measure, running } = wedge, columns = session.wedges.grid(axes)[0].length, set = (i: number) => (a: WedgeAxis): void => session.wedges.setAxes(axes.map((x, k) => (k === i ? a : x))), count = session.wedges.grid(axes).reduce((n, v) => n * v.length, 1);
  return (
    <>
      <Head title="Fan out"><span className="text-faint">One setting or two over a range, a take of each; pick the best.</span></Head>
      <div className="flex shrink-0 items-start gap-4 border-b border-line px-3 py-2">
        <div className="flex flex-col gap-1.5">{axes.map((a, i) => <Axis key={i} axis={a} at={i} onChange={set(i)} onRemove={i === 1 ? () => session.wedges.setAxes(axes.slice(0, 1)) : undefined} />)}
          {axes.length === 1 && <button type="button" data-testid="wedge-second" className="w-fit rounded px-1 text-copper hover:bg-lifted" onClick={() => session.wedges.setAxes([...axes, inCages(session.document.sway) ? { key: axes[0].key === 'cages.damping' ? 'cages.amount' : 'cages.damping', from: 0.2, to: 0.8, count: 2 } : { key: axes[0].key !== 'damping' ? 'damping' : session.document.sway.sheet ? 'sheet.bend' : 'stiffness', from: 1, to: 6, count: 2 }])}>and a second setting down</button>}
        </div>
        <div className="ml-auto flex items-center gap-2">
          {running ? <Button data-testid="wedge-stop" onClick={() => session.wedges.cancel()}>Stop</Button> : <Button primary data-testid="wedge-run" disabled={count > MOST_CELLS} onClick={() => trying(session.wedges.run())}>Run {count} takes</Button>}
          <Button disabled={cells.length === 0} onClick={() => session.wedges.clear()}>Clear</Button>
        </div>
      </div>
      {count > MOST_CELLS && <p className="px-3 py-1 text-trouble">That would be {count} takes; {MOST_CELLS} at most at once. Take fewer values.</p>}
      <div className="min-h-0 flex-1 overflow-auto p-3">
        {cells.length === 0 && <p className="text-faint">Every take runs over the whole shot in the background, and stays among the takes. All are seen from the same side: turn one, and they all turn.</p>}
        <ol className="grid gap-2" style={{ gridTemplateColumns: `repeat(${Math.max(1, columns)}, minmax(0, 1fr))` }}>{cells.map((c, k) => <Cell key={k} cell={c} k={k} />)}</ol>
      </div>
      {cells.length > 0 && (
        <footer className="flex h-[112px] shrink-0 gap-3 border-t border-line px-3 py-2">
          <div className="flex w-40 flex-col gap-1"><select aria-label="Measure of the chart" data-testid="wedge-measure" value={measure} onChange={(e) => useEditor.setState({ wedge: { ...wedge, measure: e.target.value as typeof measure } })} className="h-6 rounded border border-edge bg-raised px-1">{MEASURE_NAMES.filter((n) => n !== 'filled').map((n) => <option key={n} value={n}>{MEASURES[n].label}</option>)}</select><span className="text-[11px] text-faint">{MEASURES[measure].help}</span></div>
          <WedgeChart cells={cells} columns={columns} limit={limitOf(measure, limits)} />
        </footer>
      )}
    </>
  );
}
function WedgeChart({ cells, columns, limit }: { cells: WedgeCell[]; columns: number; limit: number }) {
  const wedge = useEditor((s) => s.wedge)!, { measure } = wedge, of = cells.map((c) => (c.proof ? (figureOf(c.proof, measure)?.value ?? null) : null)), known = of.filter((v): v is number => v !== null), W = 480, H = 92, top = Math.max(1e-9, limit * 1.1, ...known), x = scaleLinear([0, Math.max(1, columns - 1)], [20, W - 20]), y = scaleLinear([0, top], [H - 16, 8]), rows = Array.from({ length: Math.ceil(cells.length / columns) }, (_, r) => r);
  if (!Number.isFinite(limit)) return null;
  return (
    <svg data-testid="wedge-chart" viewBox={`0 0 ${W} ${H}`} className="h-full min-w-0 flex-1">
      <path d={`M10 ${y(limit)}H${W - 10}`} strokeDasharray="3 4" className="stroke-trouble" /><text x={W - 10} y={y(limit) - 3} textAnchor="end" className="fill-faint text-[10px]">limit {shown(measure, limit)}</text>
      {rows.map((r) => { const own = Array.from({ length: columns }, (_, c) => ({ c, v: of[r * columns + c] ?? null })).filter((p): p is { c: number; v: number } => p.v !== null); return <g key={r}><path d={line<{ c: number; v: number }>((p) => x(p.c), (p) => y(p.v))(own) ?? ''} fill="none" strokeWidth="1.6" strokeDasharray={['', '6 3', '2 3', '8 2 2 2'][r % 4]} className="stroke-copper" />{own.map((p) => <g key={p.c}>{p.v > limit ? <path d={`M${x(p.c)} ${y(p.v) - 4}l4 7h-8z`} className="fill-trouble" /> : <circle cx={x(p.c)} cy={y(p.v)} r="3.5" className="fill-good" />}<title>{`${cells[r * columns + p.c].label}: ${shown(measure, p.v)}`}</title></g>)}</g>; })}
      {Array.from({ length: columns }, (_, c) => <text key={c} x={x(c)} y={H - 3} textAnchor="middle" className="num fill-faint text-[10px]">{cells[c].values[0]}</text>)}
    </svg>
  );
}
function Cell({ cell, k }: { cell: WedgeCell; k: number }) {
  const { session, viewport } = useWorkshop(), canvas = useRef<HTMLCanvasElement>(null), frame = useEditor((s) => s.frame), limits = useEditor((s) => s.limits), viewName = useEditor((s) => s.viewName), turned = useEditor((s) => s.turned), bad = cell.proof ? judge(cell.proof, limits).filter((v) => !v.passes).length : 0;
  useEffect(() => {
    const at = session.wedges.frame(k, Math.round(frame)), picture = at && session.takes.picture?.(at.points, Math.round(frame), 260, 200);
    if (picture && canvas.current) canvas.current.getContext('2d')!.drawImage(picture, 0, 0);
  }, [session, k, frame, cell.state, viewName, turned]);
  const drag = (e: React.PointerEvent<HTMLCanvasElement>): void => {
    if (e.buttons !== 1) return;
    viewport.current?.orbit(e.movementX, e.movementY);
    useEditor.setState({ turned: useEditor.getState().turned + 1 });
  };
  return (
    <li data-testid="wedge-cell" data-state={cell.state} className="flex min-w-0 flex-col overflow-hidden rounded-md border border-edge bg-raised">
      <div className="relative aspect-[13/10] bg-[#777471]">
        <canvas ref={canvas} width={260} height={200} onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)} onPointerMove={drag} className="h-full w-full touch-none" />
        {cell.state !== 'done' && <div className="absolute inset-0 flex flex-col items-center justify-center gap-2 p-3 text-center text-[#efe7d8]">{cell.state === 'failed' ? cell.message : cell.state === 'waits' ? 'waits' : <><span className="num">{Math.round(100 * cell.progress)} %</span><span className="h-1 w-full rounded bg-black/40"><span className="block h-full rounded bg-[#d98a4e]" style={{ width: `${100 * cell.progress}%` }} /></span></>}</div>}
      </div>
      <div className="flex items-center gap-1.5 px-2 py-1"><Sign bad={bad > 0} known={cell.proof !== null} /><span className="min-w-0 flex-1 truncate" title={cell.label}>{cell.label}</span><button type="button" data-testid="wedge-pick" disabled={cell.state !== 'done'} className="rounded px-1.5 text-copper hover:bg-lifted disabled:opacity-40" onClick={() => session.wedges.pick(k)}>pick</button></div>
    </li>
  );
}

// ---------------------------------------------------------------- all shots

const COLUMNS = ['depth', 'stretch', 'jump', 'jitter', 'drift', 'strayed', 'volume', 'net', 'seam'] as const;
function Shots() {
  const { session } = useWorkshop(), jobs = useEditor((s) => s.shotJobs), open = useEditor((s) => s.history!.document.shotName), [others, setOthers] = useState<OtherGroom[] | null>(null);
  useEditor((s) => s.takes); useEditor((s) => s.history?.document);
  const [looked, setLooked] = useState(0);
  useEffect(() => { let here = true; trying(session.shots.others().then((found) => { if (here) setOthers(found); }, (cause: unknown) => { if (here) setOthers([]); throw cause; })); return () => { here = false; }; }, [session, looked]);
  const runOther = (id: string, names: string[]): void => trying(session.shots.runOther(id, names).then(() => setLooked((n) => n + 1)));
  const rows = session.shots.rows(), old = rows.filter((r) => !r.fresh).length, busy = Object.values(jobs).some((j) => j.state !== 'failed');
  return (
    <>
      <Head title="All shots"><span className="text-faint">The newest take of each shot of this groom{others && others.length > 0 ? ', and of the character’s other grooms' : ''}.</span>
        {busy ? <Button data-testid="shots-stop" onClick={() => session.shots.cancel()}>Stop</Button> : <Button primary data-testid="shots-run" disabled={old === 0} onClick={() => trying(session.shots.run())}>{old === 0 ? 'All are up to date' : `Run ${old} out of date`}</Button>}
      </Head>
      <div className="min-h-0 flex-1 overflow-auto p-3">
        <table className="w-full text-soft">
          <thead className="text-left text-[11px] text-faint"><tr><th className="py-1 pr-3 font-medium">Shot</th><th className="pr-3 font-medium">State</th>{COLUMNS.map((n) => <th key={n} className="pr-3 text-right font-medium" title={MEASURES[n].help}>{MEASURES[n].label}</th>)}<th /></tr></thead>
          <tbody>
            {rows.map((row) => (
              <ShotLine key={row.name} row={row} job={jobs[row.name]} testId={`shot-row-${row.name}`}
                name={<button type="button" className={`rounded px-1 text-left hover:bg-lifted ${row.name === open ? 'font-semibold text-text' : ''}`} title="Open this shot" onClick={() => { if (row.name !== open) useEditor.getState().edit(`Shot ${row.name}`, (d) => openShot(d, row.name)); useEditor.setState({ board: 'none' }); }}>{row.name}</button>}
                action={!jobs[row.name] && <button type="button" className="rounded px-1.5 text-copper hover:bg-lifted" onClick={() => trying(session.shots.run([row.name]))}>run</button>} />
            ))}
          </tbody>
          {(others ?? []).map((g) => (
            <tbody key={g.id} data-testid={`shots-of-${g.name}`}>
              <tr><th colSpan={COLUMNS.length + 3} className="pt-4 pb-1 text-left font-medium text-text">{g.name}<a href={`/groom/${g.id}`} className="ml-2 rounded px-1.5 font-normal text-copper hover:bg-lifted">open</a>{g.rows.some((r) => !r.fresh) && !g.rows.some((r) => jobs[jobKey(g.id, r.name)]) && <button type="button" className="rounded px-1.5 font-normal text-copper hover:bg-lifted" onClick={() => runOther(g.id, g.rows.filter((r) => !r.fresh).map((r) => r.name))}>run what is out of date</button>}</th></tr>
              {g.rows.map((row) => <ShotLine key={row.name} row={row} testId={`shot-of-${g.name}-${row.name}`} name={<span className="px-1">{row.name}</span>} job={jobs[jobKey(g.id, row.name)]} action={(!jobs[jobKey(g.id, row.name)] || jobs[jobKey(g.id, row.name)].state === 'failed') && <button type="button" className="rounded px-1.5 text-copper hover:bg-lifted" onClick={() => runOther(g.id, [row.name])}>run</button>} />)}
            </tbody>
          ))}
        </table>
        {others === null && <p className="mt-3 text-[12px] text-faint">Looking at the character’s other grooms …</p>}
      </div>
    </>
  );
}
/** One shot of the table: how it stands, and its measures. */
function ShotLine({ row: { take, fresh }, name: shownAs, job, testId, action }: { row: ShotRow; name: React.ReactNode; job: ShotJob | undefined; testId: string; action: React.ReactNode }) {
  const limits = useEditor((s) => s.limits), verdicts = take && new Map(judge(take.proof, limits).map((v) => [v.name, v])), bad = verdicts ? [...verdicts.values()].filter((v) => !v.passes).length : 0;
  return (
    <tr data-testid={testId} data-state={job?.state ?? (take ? (fresh ? (bad > 0 ? 'attention' : 'pass') : 'stale') : 'none')} className="border-t border-line">
      <td className="py-1.5 pr-3">{shownAs}</td>
      <td className="pr-3 whitespace-nowrap">{job ? job.state === 'failed' ? <span className="text-trouble">▲ {job.message}</span> : job.state === 'waits' ? 'waits' : <span className="num">{Math.round(100 * job.progress)} %</span> : !take ? <span className="text-faint">○ never run</span> : !fresh ? <span className="text-copper">◇ out of date</span> : bad > 0 ? <span className="text-trouble">▲ attention</span> : <span className="text-good">● passes</span>}</td>
      {COLUMNS.map((n) => { const v = verdicts?.get(n); return <td key={n} className={`num pr-3 text-right whitespace-nowrap ${!v?.figure ? 'text-faint' : v.passes ? 'text-text' : 'text-trouble'} ${fresh ? '' : 'opacity-60'}`}>{v?.figure ? `${v.passes ? '' : '▲ '}${shown(n, v.figure.value)}` : '–'}</td>; })}
      <td className="text-right">{action}</td>
    </tr>
  );
}
