'use client';
/** Profiles root → tip: curves over one axis, edited in place. */
import { Plus, RotateCcw, Trash2 } from 'lucide-react';
import { useState } from 'react';
import { create } from 'zustand';
import { scaleLinear } from 'd3-scale';
import { curveMonotoneX, line } from 'd3-shape';
import { FILL_PARAMETERS, SWAY_PROFILES, type SwayProfile } from '../../core/document/schema';
import { profileAt, type Profile } from '../../core/math/profile';
import { smoothStep } from '../../core/math/vec';
import { useEditor } from '../state/store';
import { follow, helpProps, IconButton, useSize } from './controls';

type Shown = SwayProfile | 'width';
/** The curve that is edited and its chosen knot. */
const useProfile = create<{ shown: Shown; knot: number }>(() => ({ shown: 'hold', knot: 0 }));
const LOOKS: Record<Shown, { tone: string; dash: string | undefined; help: string }> = {
  hold: { tone: 'stroke-copper', dash: undefined, help: 'How strongly the combed shape is kept, from root to tip; multiplied with Hold.' },
  stiffness: { tone: 'stroke-cool', dash: '7 3', help: 'Multiplies bending and twisting stiffness along the strand.' },
  damping: { tone: 'stroke-good', dash: '2 3', help: 'Multiplies damping against the head along the strand.' },
  give: { tone: 'stroke-trouble', dash: '9 2 2 2', help: 'How much of the computed movement reaches the strand along its length; multiplied with Give.' },
  loft: { tone: 'stroke-faint', dash: '4 4', help: 'How strongly hair keeps its volume along the strand; multiplied with Loft.' },
  gap: { tone: 'stroke-text', dash: '1 4', help: 'How much of the skin gap is kept along the strand: less near the root keeps hair from standing off.' },
  width: { tone: 'stroke-soft', dash: '10 3 2 3', help: 'Thickness of a drawn strand as a share of its root; its tip is set in Fill.' },
};
const ALL: readonly Shown[] = ['hold', 'stiffness', 'damping', 'give', 'loft', 'gap', 'width'];
const MOST_KNOTS = 16;
const labelOf = (shown: Shown): string => (shown === 'width' ? 'Width' : SWAY_PROFILES[shown].label);
const limits = (shown: Shown): { least: number; most: number } => (shown === 'width' ? { least: FILL_PARAMETERS.taper.min, most: 1 } : SWAY_PROFILES[shown]);
const rounded = (v: number): number => Math.round(v * 1000) / 1000;

function useKnots(): Profile {
  const shown = useProfile((s) => s.shown), profiles = useEditor((s) => s.history!.document.sway.profiles), taper = useEditor((s) => s.history!.document.fill.taper);
  return shown === 'width' ? [[0, 1], [1, taper]] : profiles[shown];
}

/** Puts a knot at (x, y), kept between its neighbours and within the curve's limits. */
function setKnot(shown: Shown, i: number, x: number, y: number): void {
  const { least, most } = limits(shown), v = rounded(Math.min(most, Math.max(least, y)));
  useEditor.getState().edit(`${labelOf(shown)} profile`, (d) => {
    if (shown === 'width') { d.fill.taper = v; return; }
    const knots = d.sway.profiles[shown], last = knots.length - 1;
    const u = i === 0 ? 0 : i === last ? 1 : rounded(Math.min(knots[i + 1][0] - 0.005, Math.max(knots[i - 1][0] + 0.005, x)));
    knots[i] = [u, v];
  }, `profile.${shown}.${i}`);
}
function addKnot(shown: SwayProfile, x: number, y: number): void {
  const { least, most } = limits(shown), u = rounded(x);
  const knots = useEditor.getState().history!.document.sway.profiles[shown];
  if (knots.length >= MOST_KNOTS || knots.some((k) => Math.abs(k[0] - u) < 0.005) || u <= 0 || u >= 1) return;
  const at = knots.findIndex((k) => k[0] > u);
  useEditor.getState().edit(`${labelOf(shown)} profile: point added`, (d) => { d.sway.profiles[shown].splice(at, 0, [u, rounded(Math.min(most, Math.max(least, y)))]); });
  useProfile.setState({ knot: at });
}
function removeKnot(shown: SwayProfile, i: number): void {
  const count = useEditor.getState().history!.document.sway.profiles[shown].length;
  if (i <= 0 || i >= count - 1) return;
  useEditor.getState().edit(`${labelOf(shown)} profile: point removed`, (d) => { d.sway.profiles[shown].splice(i, 1); });
  useProfile.setState({ knot: i - 1 });
}
/** A free place for another knot: the middle of the widest gap. */
function widestGap(knots: Profile): number {
  let best = 0;
  for (let i = 1; i < knots.length - 1; i++) if (knots[i + 1][0] - knots[i][0] > knots[best + 1][0] - knots[best][0]) best = i;
  return (knots[best][0] + knots[best + 1][0]) / 2;
}

export function ProfileLegend() {
  const { shown, knot } = useProfile(), knots = useKnots(), chosen = Math.min(knot, knots.length - 1), sway = shown === 'width' ? null : shown;
  const fallback: Profile | null = sway && SWAY_PROFILES[sway].fallback, changed = fallback !== null && JSON.stringify(knots) !== JSON.stringify(fallback);
  return (
    <div className="flex min-h-0 flex-1 flex-col text-[12px] text-soft">
      <div role="radiogroup" aria-label="Curve">
        {ALL.map((s) => <button key={s} type="button" role="radio" aria-checked={s === shown} onClick={() => useProfile.setState({ shown: s, knot: 0 })} {...helpProps(LOOKS[s].help)} className="flex h-[12.5px] w-full items-center gap-2 rounded px-1 text-left hover:bg-lifted aria-checked:bg-lifted aria-checked:text-text"><svg width="18" height="8" aria-hidden><path d="M0 4H18" strokeWidth="2" strokeDasharray={LOOKS[s].dash} className={LOOKS[s].tone} /></svg>{labelOf(s)}</button>)}
      </div>
      <div className="mt-auto flex items-center gap-1 pt-1">
        <KnotNumber key={`x${shown}${chosen}`} label="Place of the point, % from the root" value={knots[chosen][0] * 100} digits={1} unit="%" fixed={chosen === 0 || chosen === knots.length - 1} onTake={(v) => setKnot(shown, chosen, v / 100, knots[chosen][1])} />
        <KnotNumber key={`y${shown}${chosen}`} label="Value at the point" value={knots[chosen][1]} digits={3} unit="" fixed={shown === 'width' && chosen === 0} onTake={(v) => setKnot(shown, chosen, knots[chosen][0], v)} />
      </div>
      <div className="-mx-1 flex">
        <IconButton label="Add a point" disabled={!sway || knots.length >= MOST_KNOTS} onClick={() => { const x = widestGap(knots); if (sway) addKnot(sway, x, profileAt(knots, x)); }}><Plus size={13} /></IconButton>
        <IconButton label="Remove the point" keys="Delete" disabled={!sway || chosen === 0 || chosen === knots.length - 1} onClick={() => sway && removeKnot(sway, chosen)}><Trash2 size={13} /></IconButton>
        <IconButton label="Reset the curve" disabled={!changed} onClick={() => { if (sway && fallback) { useEditor.getState().edit(`Reset ${labelOf(sway).toLowerCase()} profile`, (d) => { d.sway.profiles[sway] = fallback.map(([x, y]) => [x, y]); }); useProfile.setState({ knot: 0 }); } }}><RotateCcw size={13} /></IconButton>
      </div>
    </div>
  );
}

function KnotNumber({ label, value, digits, unit, fixed, onTake }: { label: string; value: number; digits: number; unit: string; fixed: boolean; onTake: (v: number) => void }) {
  const [typed, setTyped] = useState<string | null>(null), shown = String(Number(value.toFixed(digits)));
  const take = (): void => {
    const v = Number((typed ?? '').replace(',', '.'));
    if (typed !== null && typed.trim() !== '' && Number.isFinite(v)) { onTake(v); useEditor.getState().endStep(); }
    setTyped(null);
  };
  return (
    <label className="flex items-center gap-0.5 rounded bg-ground px-1">
      <input aria-label={label} disabled={fixed} value={typed ?? shown} inputMode="decimal" onFocus={(e) => { setTyped(shown); e.target.select(); }} onChange={(e) => setTyped(e.target.value)} onBlur={take}
        onKeyDown={(e) => { if (e.key === 'Enter') e.currentTarget.blur(); else if (e.key === 'Escape') { setTyped(null); e.currentTarget.value = shown; } e.stopPropagation(); }} className="num w-[52px] bg-transparent text-right text-text disabled:text-faint" />
      {unit && <span className="num text-faint">{unit}</span>}
    </label>
  );
}

export function ProfileFace() {
  const [box, { width }] = useSize<HTMLDivElement>();
  const { shown, knot } = useProfile(), knots = useKnots(), profiles = useEditor((s) => s.history!.document.sway.profiles), { taper, tipFrom } = useEditor((s) => s.history!.document.fill);
  const x = scaleLinear([0, 1], [34, Math.max(80, width - 24)]), yOf = (s: Shown) => scaleLinear([0, limits(s).most], [146, 20]), y = yOf(shown);
  const draw = line<readonly [number, number]>((k) => x(k[0]), (k) => k[1]).curve(curveMonotoneX);
  const path = (s: Shown): string => {
    const ys = yOf(s), points: Profile = s === 'width' ? Array.from({ length: 41 }, (_, i) => [i / 40, 1 + (taper - 1) * smoothStep(tipFrom, 1, i / 40)] as const) : profiles[s];
    return draw(points.map(([u, v]) => [u, ys(v)] as const)) ?? '';
  };
  const place = (e: { clientX: number; clientY: number }, svg: Element): [number, number] => { const r = svg.getBoundingClientRect(); return [x.invert(e.clientX - r.left), y.invert(e.clientY - r.top)]; };
  const drag = (i: number) => (e: React.PointerEvent<SVGElement>): void => {
    e.stopPropagation();
    const svg = e.currentTarget.ownerSVGElement!;
    useProfile.setState({ knot: i });
    follow(e, (m) => { const [u, v] = place(m, svg); setKnot(shown, i, u, v); }, () => useEditor.getState().endStep());
  };
  const keys = (i: number) => (e: React.KeyboardEvent): void => {
    const [u, v] = knots[i], step = limits(shown).most / 50, by = { ArrowRight: [0.02, 0], ArrowLeft: [-0.02, 0], ArrowUp: [0, step], ArrowDown: [0, -step] }[e.key];
    if (by) setKnot(shown, i, u + by[0], v + by[1]);
    else if ((e.key === 'Delete' || e.key === 'Backspace') && shown !== 'width') removeKnot(shown, i);
    else return;
    e.preventDefault();
    e.stopPropagation();
    useEditor.getState().endStep();
  };
  return (
    <div ref={box} className="min-w-0">
      {width > 0 && (
        <svg width={width} height={173} data-testid="profile" className="touch-none select-none" onDoubleClick={(e) => { if (shown === 'width') return; const [u, v] = place(e, e.currentTarget); addKnot(shown, u, v); }}>
          {[0, 0.25, 0.5, 0.75, 1].map((t) => <g key={t}><path d={`M${x(t)} 20V146`} className="stroke-edge" opacity="0.6" /><text x={x(t)} y={162} textAnchor="middle" className="num fill-faint">{t === 0 ? 'root' : t === 1 ? 'tip' : `${t * 100} %`}</text></g>)}
          {y.ticks(4).map((t) => <g key={t}><path d={`M34 ${y(t)}H${width - 24}`} className="stroke-edge" opacity="0.35" /><text x={28} y={y(t) + 4} textAnchor="end" className="num fill-faint">{t}</text></g>)}
          {ALL.filter((s) => s !== shown).map((s) => <path key={s} d={path(s)} fill="none" strokeWidth="1.3" strokeDasharray={LOOKS[s].dash} opacity="0.35" className={LOOKS[s].tone} />)}
          <path d={path(shown)} fill="none" strokeWidth="2" strokeDasharray={LOOKS[shown].dash} className={LOOKS[shown].tone} />
          {knots.map(([u, v], i) => (shown === 'width' && i === 0 ? null : (
            <circle key={i} cx={x(u)} cy={y(v)} r={i === knot ? 6.5 : 5} tabIndex={0} role="slider" aria-label={`${labelOf(shown)} at ${Math.round(u * 100)} %`} aria-valuemin={limits(shown).least} aria-valuemax={limits(shown).most} aria-valuenow={v} strokeWidth="2"
              className={`cursor-move ${i === knot ? 'fill-lifted' : 'fill-raised'} ${LOOKS[shown].tone}`} onFocus={() => useProfile.setState({ knot: i })} onPointerDown={drag(i)} onKeyDown={keys(i)}><title>{`${labelOf(shown)} ${v} at ${rounded(u * 100)} %`}</title></circle>
          )))}
          {shown !== 'width' && <text x={width - 26} y={14} textAnchor="end" className="fill-faint text-[11px]">double-click adds a point, Delete removes it</text>}
        </svg>
      )}
    </div>
  );
}
