'use client';
/** Time with its proof bands, or the root → tip profiles. */
import { Pause, Play, SkipBack, SkipForward } from 'lucide-react';
import { scaleLinear } from 'd3-scale';
import { limitOf, MEASURES, type MeasureName } from '../../core/document/proof';
import { figureOf, seriesOf } from '../../core/proof/judge';
import { shown as shownFigure } from '../../core/proof/sheet';
import { useEditor } from '../state/store';
import { ChartFace, ChartLegend } from './chart-face';
import { Choice, follow, helpProps, IconButton, useSize } from './controls';
import { useWorkshop } from './context';
import { ProfileFace, ProfileLegend } from './profile-face';
import { Sign, useShownProof } from './shown-proof';

export function Strip() {
  const face = useEditor((s) => s.strip);
  return (
    <section aria-label="Strip" className="grid min-h-0 grid-cols-[196px_minmax(0,1fr)] border-t border-line bg-raised">
      <div className="relative flex flex-col gap-1.5 border-r border-line px-3 pt-1.5 pb-1">
        <Choice label="Strip" value={face} onChange={(v) => useEditor.setState({ strip: v })} options={[{ value: 'time', label: 'Time', help: 'Frames, play head and the measures of every frame.' }, { value: 'profile', label: 'Profile', help: 'How settings change from root to tip.' }, { value: 'chart', label: 'Chart', help: 'One measure of the take against its limit, and of the take that is laid over.' }]} />
        {face === 'time' ? <TimeLegend /> : face === 'profile' ? <ProfileLegend /> : <ChartLegend />}
      </div>
      {face === 'time' ? <TimeFace /> : face === 'profile' ? <ProfileFace /> : <ChartFace />}
    </section>
  );
}

/** Bands of the time line, and what each is about. */
const BANDS: readonly MeasureName[] = ['depth', 'stretch', 'jump', 'jitter', 'drift', 'volume', 'alike'];
/** Height of a band, and where the first begins; the legend's lines stand beside them. */
const ROW = 15.5, TOP = 62;

function TimeLegend() {
  const playing = useEditor((s) => s.playing), limits = useEditor((s) => s.limits), baking = useEditor((s) => s.stage === 'bake'), { actions } = useWorkshop(), { proof, fresh } = useShownProof();
  const act = (id: string) => () => actions.find((a) => a.id === id)!.run();
  return (
    <>
      <div className="-mx-1 -mt-1 flex items-center">
        <IconButton label="First frame" keys="Home" onClick={act('first')}><SkipBack size={14} /></IconButton>
        <IconButton label={playing ? 'Pause' : 'Play'} keys="Space" data-testid="play" onClick={act('play')}>{playing ? <Pause size={14} /> : <Play size={14} />}</IconButton>
        <IconButton label="Last frame" keys="End" onClick={act('last')}><SkipForward size={14} /></IconButton>
        {!fresh && proof && <span className="ml-auto text-[11px] text-copper">earlier run</span>}
      </div>
      <div className={`absolute inset-x-3 ${fresh ? '' : 'opacity-50'}`} style={{ top: TOP }}>
        {BANDS.map((name) => {
          const f = proof && figureOf(proof, name), limit = limitOf(name, limits), bad = f !== null && f.value > limit, { label, help } = MEASURES[name];
          return (
            <button key={name} type="button" data-testid={`band-${name}`} title={`Chart of ${label.toLowerCase()}`} onClick={() => useEditor.setState({ strip: 'chart', chart: name })} {...helpProps(help)} className="flex w-full items-center gap-1.5 rounded text-left text-[11.5px] text-soft hover:bg-lifted" style={{ height: ROW }}>
              <Sign bad={bad} known={f !== null} />{label}<span className={`num ml-auto ${bad ? 'text-trouble' : 'text-faint'}`}>{f ? shownFigure(name, f.value) : proof ? '–' : baking ? 'not baked' : 'not run'}</span>
            </button>
          );
        })}
      </div>
    </>
  );
}
function TimeFace() {
  const [box, { width }] = useSize<HTMLDivElement>();
  const shot = useEditor((s) => s.history!.document.shot), preRoll = useEditor((s) => s.history!.document.bake.preRoll), frame = useEditor((s) => s.frame), limits = useEditor((s) => s.limits), baking = useEditor((s) => s.stage === 'bake'), { proof, fresh } = useShownProof();
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
          {preRoll > 0 && <><rect x={x(first)} y={24} width={x(start) - x(first)} height={149} fill="url(#before)" /><text x={x(first) + 4} y={42} className="fill-faint text-[11px]">pre-roll</text></>}
          {ticks.map((f) => <g key={f}><path d={`M${x(f)} 16v8`} className="stroke-faint" /><text x={x(f) + 4} y={22} className="num fill-soft">{f}</text></g>)}
          <path d={`M12 24H${width - 16}`} className="stroke-edge" />
          {proof && BANDS.map((name, k) => {
            const y = TOP + (k + 1) * ROW, limit = limitOf(name, limits), all = seriesOf(proof, name), top = Math.max(limit * 1.25, ...all.filter((v) => v.frame >= start).map((v) => v.value)), h = scaleLinear([0, top], [0, ROW - 4]).clamp(true), judged = MEASURES[name].judged;
            return (
              <g key={name} opacity={fresh ? 1 : 0.45}>
                <path d={`M12 ${y}H${width - 16}`} className="stroke-edge" />
                <path d={`M${x(start)} ${y - h(limit)}H${x(end + 1)}`} strokeDasharray="2 4" className="stroke-faint" opacity="0.7" />
                {all.filter((v) => v.frame >= first && v.frame <= end).map((v) => {
                  const bad = v.value > limit && v.frame >= start && (judged !== 'start' || v.frame === start) && judged !== 'mean';
                  return <g key={v.frame}><rect x={x(v.frame)} y={y - Math.max(1, h(v.value))} width={w} height={Math.max(1, h(v.value))} opacity={v.frame < start ? 0.35 : 0.9} className={`hover:brightness-125 ${bad ? 'fill-trouble' : 'fill-soft'}`}><title>{`Frame ${v.frame}: ${MEASURES[name].label} ${shownFigure(name, v.value)}${v.guide >= 0 ? `, guide ${v.guide}` : ''}`}</title></rect>{bad && w > 2.5 && <path d={`M${x(v.frame) + w / 2} ${y - ROW + 4}l2.4 -4h-4.8z`} className="fill-trouble" />}</g>;
                })}
              </g>
            );
          })}
          {shot.cyclic && <g className="fill-faint text-[11px]"><path d={`M${x(start)} 32v8M${x(end + 1)} 32v8M${x(start)} 36H${x(end + 1)}`} className="stroke-faint" strokeDasharray="2 3" /><text x={(x(start) + x(end + 1)) / 2} y={50} textAnchor="middle">loop</text></g>}
          {!proof && <text x={(x(start) + x(end)) / 2} y={72} textAnchor="middle" className="fill-faint text-[12px]">{baking ? 'Bake the range' : 'Run the movement in Sway'}: every frame of it is measured, and its bands appear here.</text>}
          <path d={`M${head} 12V173`} strokeWidth="1.5" className="stroke-copper" />
          <path d={`M${head - 6} 2h12v8l-6 6-6-6z`} className="fill-copper" />
        </svg>
      )}
    </div>
  );
}
