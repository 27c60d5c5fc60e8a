'use client';
import { Eye, Waypoints, MapPin, Pill as PillIcon, TriangleAlert } from 'lucide-react';
import { useEffect, useRef } from 'react';
import { goToWorst } from '../state/actions';
import { worst } from '../state/stages';
import { THRESHOLDS } from '../../core/document/proof';
import { useEditor, type ViewName } from '../state/store';
import { BrushTool } from '../view/brushes';
import { Grips } from '../view/grips';
import { Viewport } from '../view/viewport';
import { useSize } from './controls';
import { useWorkshop } from './context';

const VIEWS: [ViewName, string][] = [['front', 'front'], ['side', 'side'], ['back', 'back'], ['top', 'top'], ['threeQuarter', 'three-quarter'], ['whole', 'whole']];

export function View() {
  const { session, viewport } = useWorkshop();
  const canvas = useRef<HTMLCanvasElement>(null);
  const [box, size] = useSize<HTMLDivElement>();
  useEffect(() => {
    if (!canvas.current) return;
    const view = new Viewport(canvas.current, session), grips = new Grips(canvas.current, view, session, view.overlays), tool = new BrushTool(canvas.current, view, session);
    view.gripPlaces = () => grips.grips().map((g) => g.place);
    viewport.current = view;
    // a handle for tests and pictures; it only reads
    Object.assign(window, { fineComb: { settled: () => view.settled && !useEditor.getState().filling, nodes: () => view.readNodes(), state: () => useEditor.getState(), session, view } });
    return () => { tool.dispose(); grips.dispose(); view.dispose(); viewport.current = null; };
  }, [session, viewport]);
  useEffect(() => { viewport.current?.resize(size.width, size.height); }, [size, viewport]);

  const stage = useEditor((s) => s.stage), frame = useEditor((s) => s.frame), show = useEditor((s) => s.show), viewName = useEditor((s) => s.viewName), brush = useEditor((s) => s.brush);
  const clip = useEditor((s) => s.history?.document.shot.clip), guides = useEditor((s) => s.history?.document.guides), filling = useEditor((s) => s.filling), run = useEditor((s) => s.run), bakeId = useEditor((s) => s.bakeId), bakeProof = useEditor((s) => s.bakeProof);
  const swayTool = useEditor((s) => s.swayTool), fillTool = useEditor((s) => s.fillTool), comb = useEditor((s) => s.comb), chosen = useEditor((s) => s.chosen), brushing = stage === 'comb' ? !!guides && comb.tool !== 'look' && comb.tool !== 'cage' : stage === 'plant' || (stage === 'fill' && fillTool === 'parting') || (stage === 'sway' && swayTool.name !== 'look');
  const current = run.key === session.key;
  const proof = stage === 'bake' ? bakeProof : current ? run.proof : null;
  const deepest = worst(proof, 'depth', proof?.start);
  const trouble = (stage === 'proof' || stage === 'sway' || stage === 'bake') && deepest && deepest.value > THRESHOLDS.depth ? deepest : null;
  const source = stage === 'bake' ? (bakeId && bakeProof ? 'baked' : 'combed shape') : (stage === 'sway' || stage === 'proof') && current && session.live.has(Math.round(frame)) ? 'computed' : 'combed shape';
  return (
    <div ref={box} className="relative min-h-0 overflow-hidden bg-[#777471]">
      <canvas ref={canvas} data-testid="view" tabIndex={0} aria-label="The view. Drag to turn, Shift-drag or middle-drag to move, wheel to come closer." className="absolute inset-0 h-full w-full touch-none outline-none" style={{ cursor: brushing ? 'crosshair' : 'default' }} />
      <div className="pointer-events-none absolute top-3 left-3 flex gap-1.5">
        <span className="chip"><b className="font-semibold">{stage === 'comb' && comb.bindPose ? 'bind pose' : clip || 'rest pose'}</b>frame <span className="num" data-testid="frame">{Math.round(frame)}</span></span>
        {guides && stage !== 'cast' && stage !== 'plant' && <span className="chip" data-testid="source">{source}</span>}
        {filling && <span className="chip">filling …</span>}
      </div>
      <div className="absolute top-3 right-3 flex gap-1.5">
        {VIEWS.map(([name, label]) => <button key={name} type="button" aria-pressed={viewName === name} onClick={() => useEditor.setState({ viewRequest: { name, count: useEditor.getState().viewRequest.count + 1 } })} className="chip hover:bg-black aria-pressed:text-[#f0a366]">{label}</button>)}
      </div>
      <div className="absolute right-3 bottom-3 flex gap-1.5">
        {(stage === 'sway' || stage === 'proof') && run.state === 'running' && <span className="chip"><span className="num">{run.rate.toFixed(1)}</span>frames/s simulated</span>}
        {stage !== 'plant' && guides && <ShowButton label="Filled hair (H)" on={show.hair} onClick={() => useEditor.setState({ show: { ...show, hair: !show.hair } })}><Eye size={14} />hair</ShowButton>}
        {(stage !== 'plant' && stage !== 'comb') && guides && <ShowButton label="Guides (G)" on={show.guides} onClick={() => useEditor.setState({ show: { ...show, guides: !show.guides } })}><Waypoints size={14} />guides</ShowButton>}
        {(stage === 'sway' || stage === 'proof') && <><ShowButton label="Colliders (P)" on={show.pills} onClick={() => useEditor.setState({ show: { ...show, pills: !show.pills } })}><PillIcon size={14} />colliders</ShowButton><ShowButton label="Contacts that press, with their forces (K)" on={show.marks} onClick={() => useEditor.setState({ show: { ...show, marks: !show.marks } })}><MapPin size={14} />contacts</ShowButton></>}
      </div>
      <div className="absolute bottom-3 left-3 flex items-center gap-1.5">
        {stage === 'fill' && brushing && <span className="chip pointer-events-none">draw a line over the skin</span>}
        {brushing && stage !== 'fill' && <span className="chip pointer-events-none num">R {stage === 'comb' && comb.size === 'screen' ? `${brush.radiusPx.toFixed(0)} px` : `${brush.radiusMm.toFixed(0)} mm`}{stage === 'comb' && <> · S {brush.strength.toFixed(2)} · F {brush.falloff.toFixed(2)}</>}{stage === 'comb' && comb.symmetric && ' · both sides'}</span>}
        {stage === 'comb' && chosen > 0 && <span className="chip pointer-events-none"><span className="num">{chosen}</span> chosen</span>}
        {stage === 'comb' && comb.mirrored && <span className="chip pointer-events-none">mirrored</span>}
        {stage === 'comb' && session.combDesk.seenWhole && <span className="chip pointer-events-none">only up to {guides?.style?.layers.find((l) => l.id === session.combDesk.layer)?.name ?? 'the base'}</span>}
        {trouble && <><span className="chip pointer-events-none"><TriangleAlert size={14} className="text-[#ff8a76]" />guide <span className="num">{trouble.guide}</span> is <span className="num">{(trouble.value * 1000).toFixed(1)} mm</span> below a surface at frame <span className="num">{trouble.frame}</span></span><button type="button" onClick={goToWorst} className="chip hover:bg-black">go to worst <kbd className="num">W</kbd></button></>}
      </div>
    </div>
  );
}

function ShowButton({ label, on, onClick, children }: { label: string; on: boolean; onClick: () => void; children: React.ReactNode }) {
  return <button type="button" title={label} aria-label={label} aria-pressed={on} onClick={onClick} className="chip opacity-70 hover:bg-black aria-pressed:text-[#f0a366] aria-pressed:opacity-100">{children}</button>;
}
