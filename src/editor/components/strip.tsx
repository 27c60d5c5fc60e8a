'use client';
/** Time with its proof bands, or the root → tip profiles. */
import { Pause, Play, SkipBack, SkipForward } from 'lucide-react';
import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import { THRESHOLDS } from '../../core/document/proof';
import { smoothStep } from '../../core/math/vec';
import { holdAt } from '../../core/sway/run';
import { worst } from '../state/stages';
import { useEditor } from '../state/store';
import { Choice, follow, IconButton, useSize } from './controls';
import { useWorkshop } from './context';

export function Strip() {
  const face = useEditor((s) => s.strip);
  return (
    <section aria-label="Strip" className="grid min-h-0 grid-cols-[196px_minmax(0,1fr)] border-t border-line bg-raised">
      <div className="flex flex-col gap-2 border-r border-line px-3 py-2">
        <Choice label="Strip" value={face} onChange={(v) => useEditor.setState({ strip: v })} options={[{ value: 'time', label: 'Time', help: 'Frames, play head and the measures of every frame.' }, { value: 'profile', label: 'Profile', help: 'How settings change from root to tip.' }]} />
        {face === 'time' ? <TimeLegend /> : <ProfileLegend />}
      </div>
      {face === 'time' ? <TimeFace /> : <ProfileFace />}
    </section>
  );
}

const BANDS = [{ measure: 'depth', label: 'depth', unit: 'mm', k: 1000, digits: 2 }, { measure: 'stretch', label: 'stretch', unit: '%', k: 100, digits: 3 }] as const;

function useShownProof() {
  const { session } = useWorkshop();
  const stage = useEditor((s) => s.stage), run = useEditor((s) => s.run), bakeProof = useEditor((s) => s.bakeProof);
  useEditor((s) => s.history?.document);
  const proof = stage === 'bake' ? bakeProof : run.proof;
  return { proof: proof && proof.frames.length > 0 ? proof : null, fresh: stage === 'bake' || run.key === session.key };
}

function TimeLegend() {
  const playing = useEditor((s) => s.playing), { actions } = useWorkshop(), { proof, fresh } = useShownProof();
  const act = (id: string) => () => actions.find((a) => a.id === id)!.run();
  return (
    <>
      <div className="-mx-1 flex">
        <IconButton label="First frame" keys="Home" onClick={act('first')}><SkipBack size={14} /></IconButton>
        <IconButton label={playing ? 'Pause' : 'Play'} keys="Space" data-testid="play" onClick={act('play')}>{playing ? <Pause size={14} /> : <Play size={14} />}</IconButton>
        <IconButton label="Last frame" keys="End" onClick={act('last')}><SkipForward size={14} /></IconButton>
      </div>
      <div className={fresh ? '' : 'opacity-50'}>
        {BANDS.map((b) => {
          const w = worst(proof, b.measure, proof?.start), bad = w !== null && w.value > THRESHOLDS[b.measure];
          return (
            <div key={b.measure} className="flex h-[19px] items-center gap-2 text-[12px] text-soft">
              <svg width="9" height="9" viewBox="0 0 10 10" aria-hidden>{bad ? <path d="M5 0l5 10H0z" className="fill-trouble" /> : b.measure === 'depth' ? <circle cx="5" cy="5" r="4.5" className={proof ? 'fill-good' : 'fill-edge'} /> : <rect x=".5" y=".5" width="9" height="9" className={proof ? 'fill-good' : 'fill-edge'} />}</svg>
              {b.label}<span className="num ml-auto text-faint">{w ? `${(w.value * b.k).toFixed(b.digits)} ${b.unit}` : proof ? 'pre-roll' : 'not run'}</span>
            </div>
          );
        })}
        {!fresh && proof && <p className="text-[11px] text-copper">of an earlier run</p>}
      </div>
    </>
  );
}

function TimeFace() {
  const [box, { width }] = useSize<HTMLDivElement>();
  const shot = useEditor((s) => s.history!.document.shot), preRoll = useEditor((s) => s.history!.document.bake.preRoll), frame = useEditor((s) => s.frame), { proof, fresh } = useShownProof();
  const { start, end } = shot, first = start - preRoll;
  const x = scaleLinear([first, end + 1], [12, Math.max(60, width - 16)]);
  const at = (px: number): number => Math.min(end, Math.max(start, Math.floor(x.invert(px))));
  const w = Math.max(1, x(1) - x(0) - 0.6);
  const scrub = (e: React.PointerEvent<SVGSVGElement>): void => {
    const left = e.currentTarget.getBoundingClientRect().left, go = (m: { clientX: number }): void => useEditor.setState({ frame: at(m.clientX - left), playing: false });
    follow(e, go, () => undefined);
    go(e);
  };
  const every = [1, 2, 4, 6, 12, 24, 48, 120, 240].find((k) => k * (x(1) - x(0)) > 46) ?? 480;
  const ticks: number[] = [];
  for (let f = Math.ceil(first / every) * every; f <= end; f += every) ticks.push(f);
  const head = x(Math.round(frame)) + w / 2;
  return (
    <div ref={box} className="relative min-w-0">
      {width > 0 && (
        <svg data-testid="time" width={width} height={173} className="touch-none" onPointerDown={scrub} role="slider" tabIndex={0} aria-label="Frame" aria-valuemin={start} aria-valuemax={end} aria-valuenow={Math.round(frame)} onKeyDown={(e) => { const by = { ArrowRight: 1, ArrowLeft: -1 }[e.key]; if (by) { e.preventDefault(); useEditor.setState({ frame: Math.min(end, Math.max(start, Math.round(frame) + by)), playing: false }); } }}>
          <defs><pattern id="before" width="8" height="8" patternUnits="userSpaceOnUse" patternTransform="rotate(25)"><rect width="8" height="8" className="fill-panel" /><path d="M0 0V8" strokeWidth="1.5" className="stroke-raised" /></pattern></defs>
          {preRoll > 0 && <><rect x={x(first)} y={24} width={x(start) - x(first)} height={149} fill="url(#before)" /><text x={x(first) + 4} y={165} className="fill-faint text-[11px]">pre-roll</text></>}
          {ticks.map((f) => <g key={f}><path d={`M${x(f)} 16v8`} className="stroke-faint" /><text x={x(f) + 4} y={22} className="num fill-soft">{f}</text></g>)}
          <path d={`M12 24H${width - 16}`} className="stroke-edge" />
          {BANDS.map((b, k) => {
            const y = 84 + k * 52, limit = THRESHOLDS[b.measure], top = Math.max(limit * 1.25, ...(proof?.frames ?? []).map((f) => f[b.measure]));
            const h = scaleLinear([0, top], [0, 42]);
            return (
              <g key={b.measure} opacity={fresh ? 1 : 0.45}>
                <path d={`M12 ${y}H${width - 16}`} className="stroke-edge" />
                <path d={`M${x(start)} ${y - h(limit)}H${x(end + 1)}`} strokeDasharray="2 4" className="stroke-faint" />
                <text x={width - 18} y={y - h(limit) - 3} textAnchor="end" className="fill-faint text-[10px]">{(limit * b.k).toFixed(1)} {b.unit}</text>
                {proof?.frames.filter((f) => f.frame >= first && f.frame <= end).map((f) => {
                  const v = f[b.measure], bad = v > limit && f.frame >= start;
                  return <rect key={f.frame} x={x(f.frame)} y={y - Math.max(1, h(v))} width={w} height={Math.max(1, h(v))} opacity={f.frame < start ? 0.4 : 0.9} className={`hover:brightness-125 ${bad ? 'fill-trouble' : 'fill-soft'}`}><title>{`Frame ${f.frame}: ${b.label} ${(v * b.k).toFixed(b.digits)} ${b.unit}, guide ${b.measure === 'depth' ? f.depthGuide : f.stretchGuide}`}</title></rect>;
                })}
                <text x={14} y={y - 36} className="fill-faint text-[11px]">{b.label}</text>
              </g>
            );
          })}
          {!proof && <text x={(x(start) + x(end)) / 2} y={72} textAnchor="middle" className="fill-faint text-[12px]">Run the movement in Sway: depth and stretch of every frame appear here.</text>}
          <path d={`M${head} 12V173`} strokeWidth="1.5" className="stroke-copper" />
          <path d={`M${head - 6} 2h12v8l-6 6-6-6z`} className="fill-copper" />
        </svg>
      )}
    </div>
  );
}

function ProfileLegend() {
  const sway = useEditor((s) => s.history!.document.sway), fill = useEditor((s) => s.history!.document.fill);
  return (
    <div className="text-[12px] text-soft">
      <div className="flex h-[19px] items-center gap-2"><svg width="12" height="8" aria-hidden><path d="M0 4H12" strokeWidth="2" className="stroke-copper" /></svg>hold<span className="num ml-auto text-faint">{sway.holdRoot.toFixed(2)} → {sway.holdTip.toFixed(2)}</span></div>
      <div className="flex h-[19px] items-center gap-2"><svg width="12" height="8" aria-hidden><path d="M0 4H12" strokeWidth="2" strokeDasharray="4 2" className="stroke-cool" /></svg>width<span className="num ml-auto text-faint">{fill.widthUm} → {Math.round(fill.widthUm * fill.taper)} µm</span></div>
      <p className="mt-1.5 text-[11px] leading-snug text-faint">Drag the handles. Left is the root, right the tip.</p>
    </div>
  );
}

function ProfileFace() {
  const [box, { width }] = useSize<HTMLDivElement>();
  const sway = useEditor((s) => s.history!.document.sway), fill = useEditor((s) => s.history!.document.fill), edit = useEditor((s) => s.edit);
  const x = scaleLinear([0, 1], [34, Math.max(80, width - 24)]), y = scaleLinear([0, 1], [146, 20]);
  const shares = Array.from({ length: 81 }, (_, i) => i / 80);
  const path = (f: (s: number) => number): string => line<number>((s) => x(s), (s) => y(f(s)))(shares) ?? '';
  const clamp = (v: number, low = 0): number => Math.round(Math.min(1, Math.max(low, v)) * 100) / 100;
  const drag = (key: string, name: string, apply: (d: { sway: typeof sway; fill: typeof fill }, u: number, v: number) => void) => (e: React.PointerEvent<SVGElement>): void => {
    const frame = e.currentTarget.ownerSVGElement!.getBoundingClientRect();
    follow(e, (m) => edit(name, (d) => apply(d, x.invert(m.clientX - frame.left), y.invert(m.clientY - frame.top)), key), () => useEditor.getState().endStep());
  };
  const nudge = (key: string, name: string, apply: (d: { sway: typeof sway; fill: typeof fill }, du: number, dv: number) => void) => (e: React.KeyboardEvent): void => {
    const by = { ArrowRight: [0.02, 0], ArrowLeft: [-0.02, 0], ArrowUp: [0, 0.02], ArrowDown: [0, -0.02] }[e.key];
    if (!by) return;
    e.preventDefault();
    e.stopPropagation();
    edit(name, (d) => apply(d, by[0], by[1]), key);
    useEditor.getState().endStep();
  };
  const handle = (px: number, py: number, label: string, tone: string, onPointerDown: (e: React.PointerEvent<SVGElement>) => void, onKeyDown: (e: React.KeyboardEvent) => void) =>
    <circle cx={px} cy={py} r={5.5} tabIndex={0} role="slider" aria-label={label} aria-valuenow={0} aria-valuetext={label} strokeWidth="2" className={`cursor-move fill-raised ${tone}`} onPointerDown={onPointerDown} onKeyDown={onKeyDown}><title>{label}</title></circle>;
  return (
    <div ref={box} className="min-w-0">
      {width > 0 && (
        <svg width={width} height={173} className="touch-none">
          {[0, 0.25, 0.5, 0.75, 1].map((t) => <g key={t}><path d={`M${x(t)} 20V146`} className="stroke-edge" opacity="0.6" /><text x={x(t)} y={162} textAnchor="middle" className="num fill-faint">{t === 0 ? 'root' : t === 1 ? 'tip' : `${t * 100} %`}</text><path d={`M34 ${y(t)}H${width - 24}`} className="stroke-edge" opacity="0.35" /><text x={28} y={y(t) + 4} textAnchor="end" className="num fill-faint">{t}</text></g>)}
          <path d={path((s) => 1 + (fill.taper - 1) * smoothStep(0.3, 1, s))} fill="none" strokeWidth="1.8" strokeDasharray="6 4" className="stroke-cool" />
          <path d={path((s) => holdAt(sway, s))} fill="none" strokeWidth="2" className="stroke-copper" />
          {handle(x(1), y(fill.taper), 'Width at the tip', 'stroke-cool', drag('fill.taper', 'Tip width', (d, _u, v) => { d.fill.taper = clamp(v, 0.02); }), nudge('fill.taper', 'Tip width', (d, _u, v) => { d.fill.taper = clamp(d.fill.taper + v, 0.02); }))}
          {handle(x(0), y(sway.holdRoot), 'Hold at the root', 'stroke-copper', drag('sway.holdRoot', 'Hold at root', (d, _u, v) => { d.sway.holdRoot = clamp(v); }), nudge('sway.holdRoot', 'Hold at root', (d, _u, v) => { d.sway.holdRoot = clamp(d.sway.holdRoot + v); }))}
          {handle(x(sway.holdReach), y(sway.holdTip), 'Where the hold has reached its tip value', 'stroke-copper', drag('sway.hold', 'Hold profile', (d, u, v) => { d.sway.holdReach = clamp(u, 0.02); d.sway.holdTip = clamp(v); }), nudge('sway.hold', 'Hold profile', (d, u, v) => { d.sway.holdReach = clamp(d.sway.holdReach + u, 0.02); d.sway.holdTip = clamp(d.sway.holdTip + v); }))}
        </svg>
      )}
    </div>
  );
}
