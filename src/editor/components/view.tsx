'use client';
import { Eye, Footprints, Grid2x2, Spline, Waypoints, MapPin, Pill as PillIcon, TriangleAlert } from 'lucide-react';
import { useEffect, useRef } from 'react';
import { ofChains as isOfChains } from '../../core/chain/character-of';
import { goToWorst } from '../state/actions';
import { limitOf, MEASURES } from '../../core/document/proof';
import { shown } from '../../core/proof/sheet';
import { OF_STRAND, STRAND_NUMBERS } from '../../core/proof/strand-meter';
import { colliderOf, figureOf } from '../../core/proof/judge';
import { useEditor, type ViewName } from '../state/store';
import { BrushTool } from '../view/brushes';
import { DrawnTool } from '../view/drawn-view';
import { Grips } from '../view/grips';
import { HandTool } from '../view/hand-tool';
import { PickTool } from '../view/pick';
import { Viewport } from '../view/viewport';
import { Board } from './board';
import { follow, useSize } from './controls';
import { significant } from './units';
import { useWorkshop } from './context';
import { nextGrain } from './theme';

const GRAIN = { 1: 'Each pixel of the view is drawn.', 2: 'Every second pixel of the view is drawn, along and across.', 4: 'Every fourth pixel of the view is drawn, along and across.' };
const VIEWS: [ViewName, string][] = [['front', 'front'], ['side', 'side'], ['back', 'back'], ['top', 'top'], ['threeQuarter', 'three-quarter'], ['whole', 'whole']];

export function View() {
  const { session, viewport } = useWorkshop();
  const canvas = useRef<HTMLCanvasElement>(null);
  const [box, size] = useSize<HTMLDivElement>();
  useEffect(() => {
    if (!canvas.current) return;
    const view = new Viewport(canvas.current, session), grips = new Grips(canvas.current, view, session, view.overlays), tool = new BrushTool(canvas.current, view, session), hand = new HandTool(canvas.current, view, session), pick = new PickTool(canvas.current, view, session), drawn = new DrawnTool(canvas.current, view, session);
    view.gripPlaces = () => grips.grips().map((g) => g.place);
    viewport.current = view;
    // a handle for tests and pictures; it only reads
    Object.assign(window, { fineComb: { settled: () => view.settled && !useEditor.getState().filling, nodes: () => view.readNodes(), state: () => useEditor.getState(), session, view } });
    return () => { tool.dispose(); drawn.dispose(); hand.dispose(); pick.dispose(); grips.dispose(); view.dispose(); viewport.current = null; };
  }, [session, viewport]);
  useEffect(() => { viewport.current?.resize(size.width, size.height); }, [size, viewport]);

  const stage = useEditor((s) => s.stage), grain = useEditor((s) => s.grain), frame = useEditor((s) => s.frame), show = useEditor((s) => s.show), viewName = useEditor((s) => s.viewName), brush = useEditor((s) => s.brush);
  const clip = useEditor((s) => s.history?.document.shot.clip), guides = useEditor((s) => s.history?.document.guides), filling = useEditor((s) => s.filling), run = useEditor((s) => s.run), bakeId = useEditor((s) => s.bakeId), bakeProof = useEditor((s) => s.bakeProof);
  const swayTool = useEditor((s) => s.swayTool), fillTool = useEditor((s) => s.fillTool), comb = useEditor((s) => s.comb), chosen = useEditor((s) => s.chosen), ofChains = useEditor((s) => s.history !== null && isOfChains(s.history.document)), draw = useEditor((s) => s.draw), brushing = ofChains ? (stage === 'sway' && swayTool.name === 'tie') || (stage === 'plant' && draw.tool !== null) : stage === 'comb' ? !!guides && comb.tool !== 'look' && comb.tool !== 'cage' : stage === 'plant' || (stage === 'fill' && fillTool === 'parting') || (stage === 'sway' && swayTool.name !== 'look' && swayTool.name !== 'hand'), live = useEditor((s) => s.live), shownTake = useEditor((s) => s.shownTake), takes = useEditor((s) => s.takes), compare = useEditor((s) => s.compare), limits = useEditor((s) => s.limits);
  const current = run.key === session.key, follow = useEditor((s) => s.follow), away = session.goesAway;
  const take = takes.find((t) => t.id === shownTake), other = stage === 'proof' ? takes.find((t) => t.id === compare?.take) : undefined, proof = stage === 'bake' ? bakeProof : take ? take.proof : current ? run.proof : null;
  const deepest = proof && figureOf(proof, 'depth');
  const trouble = (stage === 'proof' || stage === 'sway' || stage === 'bake') && !live.on && deepest && deepest.value > limitOf('depth', limits) ? deepest : null;
  const source = stage === 'bake' ? (bakeId && bakeProof ? 'baked' : 'combed shape') : (stage === 'sway' || stage === 'proof') && live.on ? 'by hand' : (stage === 'sway' || stage === 'proof') && take ? (session.takes.frame(take.id, Math.round(frame)) ? take.name : 'combed shape') : (stage === 'sway' || stage === 'proof') && current && session.runs.live.has(Math.round(frame)) ? 'computed' : 'combed shape';
  return (
    <div ref={box} className="relative min-h-0 overflow-hidden bg-[#777471]">
      <canvas ref={canvas} data-testid="view" tabIndex={0} aria-label="The view. Drag to turn, Shift-drag or middle-drag to move, wheel to come closer." className="absolute inset-0 h-full w-full touch-none outline-none" style={{ cursor: brushing ? 'crosshair' : live.on && swayTool.name === 'hand' && stage === 'sway' ? 'grab' : 'default' }} />
      {other && compare?.mode === 'wipe' && <Wipe at={compare.at} width={size.width} />}
      {other && <div data-testid="overlaid" className="pointer-events-none absolute inset-x-0 top-11 flex justify-center gap-1.5"><span className="chip"><span className="size-2.5 rounded-full bg-[#ee9b5b]" />{compare?.mode === 'wipe' && '◀ '}{take ? take.name : 'the run'}</span><span className="chip"><span className="size-2.5 rotate-45 bg-[#5aacd0]" />{other.name}{compare?.mode === 'wipe' && ' ▶'}</span></div>}
      <div className="pointer-events-none absolute top-3 left-3 flex gap-1.5">
        <span className="chip"><b className="font-semibold">{stage === 'comb' && comb.bindPose ? 'bind pose' : clip || 'rest pose'}</b>frame <span className="num" data-testid="frame">{Math.round(frame)}</span></span>
        {guides && stage !== 'cast' && stage !== 'plant' && <span className="chip" data-testid="source">{source}</span>}
        {filling && <span className="chip">filling …</span>}
      </div>
      <div className="absolute top-3 right-3 flex gap-1.5">
        {VIEWS.map(([name, label]) => <button key={name} type="button" aria-pressed={viewName === name} onClick={() => useEditor.setState({ viewRequest: { name, count: useEditor.getState().viewRequest.count + 1 } })} className="chip hover:bg-black aria-pressed:text-[#f0a366]">{label}</button>)}
      </div>
      <div className="absolute right-3 bottom-3 flex gap-1.5">
        {live.on && stage === 'sway' && <span className="chip" data-testid="live-rate"><span className="num">{live.rate.toFixed(1)}</span>frames/s{live.depth > limitOf('depth', limits) && <> · <span className="num">{(1000 * live.depth).toFixed(1)} mm</span> deep</>}</span>}
        {(stage === 'sway' || stage === 'proof') && run.state === 'running' && <span className="chip"><span className="num">{run.rate.toFixed(1)}</span>frames/s simulated</span>}
        {stage !== 'plant' && guides && <ShowButton label="Filled hair (H)" on={show.hair} onClick={() => useEditor.setState({ show: { ...show, hair: !show.hair } })}><Eye size={14} />hair</ShowButton>}
        {(stage !== 'plant' && stage !== 'comb') && guides && <ShowButton label="Guides (G)" on={show.guides} onClick={() => useEditor.setState({ show: { ...show, guides: !show.guides } })}><Waypoints size={14} />guides</ShowButton>}
        {(stage === 'sway' || stage === 'proof') && <><ShowButton label="The groomed shape (J)" on={show.groomed} onClick={() => useEditor.setState({ show: { ...show, groomed: !show.groomed } })}><Spline size={14} />groomed</ShowButton><ShowButton label="Colliders (P)" on={show.pills} onClick={() => useEditor.setState({ show: { ...show, pills: !show.pills } })}><PillIcon size={14} />colliders</ShowButton><ShowButton label="Contacts that press, with their forces (K)" on={show.marks} onClick={() => useEditor.setState({ show: { ...show, marks: !show.marks } })}><MapPin size={14} />contacts</ShowButton></>}
        <ShowButton label={`${GRAIN[grain]} Click for ${grain === 4 ? 'each pixel' : 'coarser and quicker'}.`} on={grain > 1} onClick={nextGrain}><Grid2x2 size={14} />1:{grain}</ShowButton>
        {away && <ShowButton label="The view goes along with the character (Shift V)" on={follow ?? away} onClick={() => session.toggleFollow()}><Footprints size={14} />go along</ShowButton>}
      </div>
      <div className={`absolute left-3 flex items-center gap-1.5 ${trouble ? 'bottom-11' : 'bottom-3'}`}>
        {stage === 'fill' && brushing && <span className="chip pointer-events-none">draw a line over the skin</span>}
        {brushing && stage !== 'fill' && <span className="chip pointer-events-none num">R {stage === 'comb' && comb.size === 'screen' ? `${brush.radiusPx.toFixed(0)} px` : `${significant(brush.radiusMm)} mm`}{stage === 'comb' && <> · S {brush.strength.toFixed(2)} · F {brush.falloff.toFixed(2)}</>}{stage === 'comb' && comb.symmetric && ' · both sides'}</span>}
        {stage === 'comb' && chosen > 0 && <span className="chip pointer-events-none"><span className="num">{chosen}</span> chosen</span>}
        {stage === 'comb' && comb.mirrored && <span className="chip pointer-events-none">mirrored</span>}
        {stage === 'comb' && session.combDesk.seenWhole && <span className="chip pointer-events-none">only up to {guides?.style?.layers.find((l) => l.id === session.combDesk.layer)?.name ?? 'the base'}</span>}
        {trouble && <><span className="chip pointer-events-none"><TriangleAlert size={14} className="text-[#ff8a76]" />guide <span className="num">{trouble.guide}</span> is <span className="num">{(trouble.value * 1000).toFixed(1)} mm</span> below {proof ? colliderOf(proof, trouble) || 'a surface' : 'a surface'} at frame <span className="num">{trouble.frame}</span></span><button type="button" onClick={goToWorst} className="chip hover:bg-black">go to worst <kbd className="num">W</kbd></button></>}
      </div>
      {(stage === 'sway' || stage === 'proof' || stage === 'bake') && <div className={`absolute left-3 ${trouble ? 'bottom-[78px]' : 'bottom-11'}`}><Marked /></div>}
      <Board />
    </div>
  );
}

/** What is known of the strand that was clicked on, in this frame. */
function Marked() {
  const { session } = useWorkshop(), marked = useEditor((s) => s.marked), stage = useEditor((s) => s.stage), length = session.guides?.lengths[marked];
  useEditor((s) => s.frame); useEditor((s) => s.run); useEditor((s) => s.shownTake);
  if (marked < 0 || length === undefined) return null;
  const all = stage === 'bake' ? null : session.strandNumbers(), at = (name: keyof typeof OF_STRAND): number => all![STRAND_NUMBERS * marked + OF_STRAND[name]], told = all && all.length >= STRAND_NUMBERS * (marked + 1);
  return (
    <span className="chip" data-testid="marked">guide <span className="num">{marked}</span><span className="num text-faint">{(100 * length).toFixed(1)} cm</span>
      {told && MARKED_NUMBERS.map((name) => <span key={name} className="whitespace-nowrap">{MEASURES[name].label.toLowerCase()} <span className="num">{shown(name, at(name))}</span></span>)}
      <button type="button" aria-label="Mark no strand" className="text-faint hover:text-white" onClick={() => useEditor.setState({ marked: -1 })}>×</button>
    </span>
  );
}
const MARKED_NUMBERS = ['depth', 'stretch', 'jump'] as const;

/** The line between two takes: dragged, or moved by the arrow keys. */
function Wipe({ at, width }: { at: number; width: number }) {
  const set = (v: number): void => { const { compare } = useEditor.getState(); if (compare) useEditor.setState({ compare: { ...compare, at: Math.min(0.98, Math.max(0.02, v)) } }); };
  return (
    <div role="slider" tabIndex={0} aria-label="Wipe between the takes" data-testid="wipe" aria-valuemin={0} aria-valuemax={100} aria-valuenow={Math.round(100 * at)} className="group absolute inset-y-0 w-4 -translate-x-1/2 cursor-ew-resize touch-none" style={{ left: at * width }}
      onPointerDown={(e) => { const left = e.currentTarget.parentElement!.getBoundingClientRect().left; follow(e, (m) => set((m.clientX - left) / Math.max(1, width)), () => undefined); }}
      onKeyDown={(e) => { const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[e.key]; if (by) { e.preventDefault(); e.stopPropagation(); set(at + by); } }}>
      <span className="absolute inset-y-0 left-1/2 w-[2px] -translate-x-1/2 bg-[#efe7d8]" /><span className="absolute top-1/2 left-1/2 h-9 w-3 -translate-x-1/2 -translate-y-1/2 rounded-full border border-[#171512] bg-[#efe7d8] group-hover:bg-[#f0a366]" />
    </div>
  );
}

function ShowButton({ label, on, onClick, children }: { label: string; on: boolean; onClick: () => void; children: React.ReactNode }) {
  return <button type="button" title={label} aria-label={label} aria-pressed={on} onClick={onClick} className="chip opacity-70 hover:bg-black aria-pressed:text-[#f0a366] aria-pressed:opacity-100">{children}</button>;
}
