'use client';
/** Time with its proof bands, or the root → tip profiles. */
import { Pause, Play, SkipBack, SkipForward } from 'lucide-react';
import { scaleLinear } from 'd3-scale';
import { THRESHOLDS } from '../../core/document/proof';
import { worst } from '../state/stages';
import { useEditor } from '../state/store';
import { Choice, follow, IconButton, useSize } from './controls';
import { useWorkshop } from './context';
import { ProfileFace, ProfileLegend } from './profile-face';

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
