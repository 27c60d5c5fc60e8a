'use client';
/** One measure over the frames: against its limit, and beside the take that is laid over. */
import { ChevronLeft, ChevronRight, ZoomOut } from 'lucide-react';
import { useState } from 'react';
import { create } from 'zustand';
import { bisector } from 'd3-array';
import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import { limitOf, MEASURES } from '../../core/document/proof';
import { figureOf, seriesOf, type Figure } from '../../core/proof/judge';
import { shown as shownFigure } from '../../core/proof/sheet';
import { CHARTED } from '../state/proof-files';
import { useEditor } from '../state/store';
import { follow, helpProps, IconButton, useSize } from './controls';
import { useShownProof } from './shown-proof';

/** Frames that are looked at; null for all. */
const useWindow = create<{ range: [number, number] | null }>(() => ({ range: null }));
const step = (by: number): void => { const { chart } = useEditor.getState(), at = CHARTED.indexOf(chart); useEditor.setState({ chart: CHARTED[(at + by + CHARTED.length) % CHARTED.length] }); };

export function ChartLegend() {
  const chart = useEditor((s) => s.chart), limits = useEditor((s) => s.limits), compare = useEditor((s) => s.compare), takes = useEditor((s) => s.takes), range = useWindow((s) => s.range), { proof } = useShownProof();
  const other = takes.find((t) => t.id === compare?.take), figure = proof && figureOf(proof, chart), beside = other && figureOf(other.proof, chart), { label, help } = MEASURES[chart];
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-1 text-[12px] text-soft" {...helpProps(help)}>
      <div className="flex items-center">
        <IconButton label="Measure before" keys="Page up" onClick={() => step(-1)}><ChevronLeft size={13} /></IconButton>
        <select aria-label="Measure" data-testid="chart-measure" value={chart} onChange={(e) => useEditor.setState({ chart: e.target.value as typeof chart })} className="h-6 min-w-0 flex-1 rounded border border-edge bg-raised px-1 text-text">{CHARTED.map((n) => <option key={n} value={n}>{MEASURES[n].label}</option>)}</select>
        <IconButton label="Next measure" keys="Page down" onClick={() => step(1)}><ChevronRight size={13} /></IconButton>
      </div>
      <p className="flex items-center gap-2"><svg width="18" height="8" aria-hidden><path d="M0 4H18" strokeWidth="2" className="stroke-copper" /></svg>{label}<span className="num ml-auto">{figure ? shownFigure(chart, figure.value) : '–'}</span></p>
      {other && <p className="flex items-center gap-2"><svg width="18" height="8" aria-hidden><path d="M0 4H18" strokeWidth="2" strokeDasharray="5 3" className="stroke-cool" /></svg><span className="truncate">{other.name}</span><span className="num ml-auto">{beside ? shownFigure(chart, beside.value) : '–'}</span></p>}
      <p className="flex items-center gap-2"><svg width="18" height="8" aria-hidden><path d="M0 4H18" strokeWidth="1.5" strokeDasharray="2 3" className="stroke-trouble" /></svg>limit<span className="num ml-auto">{shownFigure(chart, limitOf(chart, limits))}</span></p>
      <div className="mt-auto flex items-center text-[11px] text-faint">{range ? <>{range[0]}–{range[1]}<IconButton label="All frames" keys="Escape" onClick={() => useWindow.setState({ range: null })}><ZoomOut size={13} /></IconButton></> : 'drag over frames to come closer'}</div>
    </div>
  );
}

export function ChartFace() {
  const [box, { width }] = useSize<HTMLDivElement>();
  const chart = useEditor((s) => s.chart), limits = useEditor((s) => s.limits), frame = useEditor((s) => s.frame), compare = useEditor((s) => s.compare), takes = useEditor((s) => s.takes), range = useWindow((s) => s.range), baking = useEditor((s) => s.stage === 'bake'), { proof, fresh } = useShownProof();
  const [drawn, setDrawn] = useState<[number, number] | null>(null), [near, setNear] = useState<Figure | null>(null);
  if (!proof) return <div ref={box} className="flex min-w-0 items-center justify-center text-faint">{baking ? 'Bake the range' : 'Run the movement in Sway'}: its measures are charted here.</div>;
  const other = takes.find((t) => t.id === compare?.take), series = seriesOf(proof, chart), beside = other ? seriesOf(other.proof, chart) : [], first = range?.[0] ?? Math.min(proof.frames[0].frame, proof.start), last = range?.[1] ?? proof.end, limit = limitOf(chart, limits);
  const inside = (v: Figure): boolean => v.frame >= first && v.frame <= last, top = Math.max(limit * 1.15, ...[...series, ...beside].filter(inside).map((v) => v.value)) || 1;
  const x = scaleLinear([first, Math.max(first + 1, last)], [46, Math.max(90, width - 18)]), y = scaleLinear([0, top], [150, 12]), { scale } = MEASURES[chart];
  const draw = line<Figure>((v) => x(v.frame), (v) => y(v.value)), go = (f: number): void => useEditor.setState({ frame: Math.min(proof.end, Math.max(proof.start, Math.round(f))), playing: false });
  const place = (e: { clientX: number }, svg: Element): number => Math.round(Math.min(last, Math.max(first, x.invert(e.clientX - svg.getBoundingClientRect().left))));
  const brush = (e: React.PointerEvent<SVGSVGElement>): void => {
    const svg = e.currentTarget, from = place(e, svg);
    let to = from;
    follow(e, (m) => { to = place(m, svg); setDrawn(Math.abs(to - from) > 1 ? [Math.min(from, to), Math.max(from, to)] : null); }, () => {
      setDrawn(null);
      if (Math.abs(to - from) > 1) useWindow.setState({ range: [Math.min(from, to), Math.max(from, to)] });
      else { go(from); const v = series.find((s) => s.frame === from); if (v && v.guide >= 0) useEditor.setState({ marked: v.guide }); }
    });
  };
  const zoom = (by: number): void => { const half = Math.max(2, ((last - first) / 2) * by), mid = Math.round(frame), a = Math.max(proof.frames[0].frame, Math.round(mid - half)), b = Math.min(proof.end, Math.round(mid + half)); useWindow.setState({ range: b - a >= proof.end - proof.frames[0].frame ? null : [a, b] }); };
  const keys = (e: React.KeyboardEvent): void => {
    const act = { ArrowRight: () => go(frame + 1), ArrowLeft: () => go(frame - 1), Home: () => go(first), End: () => go(last), PageUp: () => step(-1), PageDown: () => step(1), '+': () => zoom(0.5), '=': () => zoom(0.5), '-': () => zoom(2), Escape: () => useWindow.setState({ range: null }) }[e.key];
    if (!act) return;
    e.preventDefault();
    e.stopPropagation();
    act();
  };
  const nearest = bisector<Figure, number>((v) => v.frame);
  return (
    <div ref={box} className="min-w-0">
      {width > 0 && (
        <svg data-testid="chart" width={width} height={173} className="touch-none select-none" tabIndex={0} role="slider" aria-label={`${MEASURES[chart].label} by frame`} aria-valuemin={proof.start} aria-valuemax={proof.end} aria-valuenow={Math.round(frame)} aria-valuetext={`Frame ${Math.round(frame)}`} opacity={fresh ? 1 : 0.6}
          onPointerDown={brush} onDoubleClick={() => useWindow.setState({ range: null })} onKeyDown={keys} onPointerMove={(e) => setNear(series[Math.min(series.length - 1, nearest.center(series, place(e, e.currentTarget)))] ?? null)} onPointerLeave={() => setNear(null)}>
          <defs><clipPath id="plotted"><rect x="46" y="4" width={Math.max(1, width - 64)} height="150" /></clipPath></defs>
          {y.ticks(4).map((t) => <g key={t}><path d={`M46 ${y(t)}H${width - 18}`} className="stroke-edge" opacity="0.4" /><text x={41} y={y(t) + 4} textAnchor="end" className="num fill-faint">{Number((t * scale).toPrecision(3))}</text></g>)}
          {x.ticks(Math.max(3, Math.floor(width / 90))).filter(Number.isInteger).map((t) => <text key={t} x={x(t)} y={166} textAnchor="middle" className="num fill-faint">{t}</text>)}
          <g clipPath="url(#plotted)">
            {proof.start > first && <rect x={46} y={4} width={Math.max(0, x(proof.start) - 46)} height={150} className="fill-ground" opacity="0.35" />}
            <path d={`M46 ${y(limit)}H${width - 18}`} strokeWidth="1.2" strokeDasharray="3 4" className="stroke-trouble" />
            {beside.length > 0 && <path d={draw(beside) ?? ''} fill="none" strokeWidth="1.8" strokeDasharray="6 3" className="stroke-cool" />}
            <path data-testid="chart-line" d={draw(series) ?? ''} fill="none" strokeWidth="1.8" className="stroke-copper" />
            {series.filter((v) => inside(v) && v.value > limit && v.frame >= proof.start && MEASURES[chart].judged !== 'mean').map((v) => <path key={v.frame} d={`M${x(v.frame)} ${y(v.value) - 4}l3.5 6h-7z`} className="fill-trouble" />)}
            <path d={`M${x(Math.round(frame))} 4V154`} strokeWidth="1.5" className="stroke-copper" opacity="0.8" />
            {drawn && <rect x={x(drawn[0])} y={4} width={x(drawn[1]) - x(drawn[0])} height={150} className="fill-copper" opacity="0.2" />}
          </g>
          {near && <text x={width - 22} y={14} textAnchor="end" className="num fill-soft">{`frame ${near.frame}: ${shownFigure(chart, near.value)}${near.guide >= 0 ? `, guide ${near.guide}` : ''}`}</text>}
          {series.length === 0 && <text x={width / 2} y={84} textAnchor="middle" className="fill-faint">{chart === 'filled' ? 'Filled strands have not been measured: do so in Proof.' : 'This measure has no value in these frames.'}</text>}
        </svg>
      )}
    </div>
  );
}
