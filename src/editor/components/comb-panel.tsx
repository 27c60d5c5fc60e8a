'use client';
/** Comb: brushes, chosen strands, both sides, layers of style, numbers of whole guides. */
import { ArrowDown, ArrowUp, Eye, EyeOff, Plus, Trash2 } from 'lucide-react';
import { useState, type ReactNode } from 'react';
import { toast } from 'sonner';
import { parameter, PLANT_PARAMETERS, SWAY_PARAMETERS } from '../../core/document/schema';
import { ALONG } from '../../core/groom/comb/along';
import { rememberStyle, pasteRemembered, rememberedStyle } from '../state/style-clipboard';
import { MAP_NAMES, type MapName } from '../state/plant-desk';
import { setComb as set, useEditor, type CombState, type CombTool } from '../state/store';
import { BrushFields } from './brush-fields';
import { CagePart } from './cage-part';
import { Button, Choice, Fold, helpProps, IconButton, Note, NumberField, OneOf, Question, Tick, Toggle } from './controls';
import { Field, First, type PanelProps } from './panel-parts';
import { ProfileField } from './profile-field';
import { useWorkshop } from './context';
import { many } from '../state/many';

/** What each brush is called in the palette, and what it does, in a sentence. */
export const BRUSH_HELP: Record<CombTool, { name: string; help: string }> = {
  look: { name: 'Look', help: 'No brush: the pointer only looks around, and layers are seen blended.' },
  comb: { name: 'Comb', help: 'Hair follows the stroke. Roots and lengths stay.' },
  smooth: { name: 'Smooth', help: 'Evens out kinks, and ways that differ from the strands beside.' },
  straighten: { name: 'Straight', help: 'Draws strands straight between root and tip.' },
  part: { name: 'Part', help: 'Draw a line over the skin: hair on either side is laid away from it. With Ctrl, toward it.' },
  gather: { name: 'Gather', help: 'Draws hair under the brush together into a lock. With Ctrl, apart.' },
  spread: { name: 'Spread', help: 'Drives hair under the brush apart. With Ctrl, together.' },
  twist: { name: 'Twist', help: 'Winds hair under the brush about the middle of the lock. With Ctrl, back.' },
  lift: { name: 'Lift', help: 'Raises hair off the skin. With Ctrl, presses it.' },
  press: { name: 'Press', help: 'Lays hair down on the skin, as near as the gap allows. With Ctrl, lifts it.' },
  settle: { name: 'Settle', help: 'Paint over hair: when you let go, the solver lets it fall for two seconds, in the pose you see. More strength, less hold.' },
  curl: { name: 'Curl', help: 'Winds strands into curls of the radius and pitch below. With Ctrl, takes curls out.' },
  longer: { name: 'Longer', help: 'Lengthens hair under the brush. With Ctrl, shortens it; the shape stays.' },
  match: { name: 'Match', help: 'Brings lengths under the brush to their mean.' },
  cut: { name: 'Cut', help: 'Cuts guides where they enter the brush, or where they cross a line that you draw.' },
  add: { name: 'Add', help: 'Plants guides under the brush that take after their neighbours.' },
  remove: { name: 'Remove', help: 'Takes away guides whose roots are under the brush.' },
  paint: { name: 'Paint', help: 'Paints a map toward the value; with Ctrl toward 1.' },
  choose: { name: 'Choose', help: 'Chooses strands or points: brushes then work on these alone. With Ctrl, fewer.' },
  cage: { name: 'Cage', help: 'A box of handles round the chosen hair: drag them, or type how far.' },
};
const ROWS: [string, CombTool[]][] = [
  ['way', ['comb', 'smooth', 'straighten', 'part']], ['lock', ['gather', 'spread', 'twist', 'curl']], ['skin', ['lift', 'press', 'settle']],
  ['length', ['longer', 'match', 'cut']], ['guides', ['add', 'remove', 'paint']], ['hand', ['choose', 'cage', 'look']],
];
const N = {
  from: parameter('From', '×', 0, 0.95, 0.01, 0, 'Share of the length below which strands are let be: 0 takes whole strands, 0.5 their outer half.'),
  curlMm: parameter('Curl radius', 'mm', 1, 60, 0.5, 9, 'Radius of the curls.'),
  pitchMm: parameter('Curl pitch', 'mm', 5, 300, 1, 60, 'Way along the strand from one turn to the next. A turn needs four points or more.'),
  value: parameter('Value', '', 0, 1, 0.01, 0.5, 'What the map is painted toward.'),
  lengthCm: parameter('Length', 'cm', 0.2, 120, 0.1, 20, 'Length of the chosen guides, or all.'),
  spread: parameter('Shorter by', '×', 0, 0.9, 0.01, 0, 'Guides get shorter than that by up to this share, at random.'),
  offMm: parameter('Roots off', 'mm', 0, 10, 0.05, 0, 'How far the roots stand off the skin along its normal.'),
  softCm: parameter('Soft rim', 'cm', 0.1, 20, 0.1, 2, 'Guides so far from the chosen ones take part less and less.'),
  along0: parameter('Root side', '×', 0, 1, 0.01, 0.5, 'From this share of the length on.'),
  along1: parameter('Tip side', '×', 0, 1, 0.01, 1, 'Up to this share of the length.'),
};

export function CombPanel({ document }: PanelProps) {
  const comb = useEditor((s) => s.comb);
  if (!document.guides) return <First to="plant" label="Go to Plant">There are no guides to comb. Plant some first.</First>;
  return (
    <>
      <Question title="Which brush?"><Palette tool={comb.tool} /><ToolSettings comb={comb} /></Question>
      <Chosen comb={comb} />
      <Sides comb={comb} />
      <Layers document={document} />
      <Numbers document={document} />
      <Fold id="gap" title="How far from the skin?" summary={comb.keepOff === 'nothing' ? 'not kept' : `${document.sway.skinGapMm} mm`}>
        <Choice label="What hair keeps off" value={comb.keepOff} onChange={(keepOff) => set({ keepOff })} options={[{ value: 'skin', label: 'Skin', help: 'No brush pushes hair into the skin.' }, { value: 'clothes', label: 'Skin and clothes', help: 'Nor into what is worn; what is under it already stays there.' }, { value: 'nothing', label: 'Nothing', help: 'Brushes go through everything.' }]} />
        <div className="mt-1"><Field group="sway" name="skinGapMm" table={SWAY_PARAMETERS} /></div>
        <Note>The movement keeps this distance, too.</Note>
      </Fold>
      <Seeing comb={comb} />
    </>
  );
}

function Palette({ tool }: { tool: CombTool }) {
  return (
    <div role="radiogroup" aria-label="Brush" className="flex flex-col gap-[3px]">
      {ROWS.map(([label, tools]) => (
        <div key={label} className="grid grid-cols-[40px_repeat(4,1fr)] items-center gap-[3px]">
          <span className="text-[11px] text-faint">{label}</span>
          {tools.map((t) => <button key={t} type="button" role="radio" data-testid={`brush-${t}`} aria-checked={tool === t} onClick={() => set({ tool: t })} {...helpProps(BRUSH_HELP[t].help)} className="h-[22px] truncate rounded-[5px] bg-ground px-0.5 text-[12px] text-soft hover:bg-lifted hover:text-text aria-checked:bg-copper aria-checked:font-semibold aria-checked:text-copperink">{BRUSH_HELP[t].name}</button>)}
        </div>
      ))}
    </div>
  );
}

const MAPS = (Object.keys(MAP_NAMES) as MapName[]).map((m) => ({ value: m, label: MAP_NAMES[m], help: 'The map that is painted.' }));
function ToolSettings({ comb }: { comb: CombState }) {
  const { tool } = comb, settling = useEditor((s) => s.settling), field = (key: 'from' | 'curlMm' | 'pitchMm' | 'value'): ReactNode => <NumberField testId={`comb-${key}`} parameter={N[key]} value={comb[key]} onChange={(v) => set({ [key]: v })} onCommit={() => undefined} />;
  const round = comb.size === 'world' ? 'radiusMm' as const : 'radiusPx' as const, styling = !['look', 'cut', 'settle', 'add', 'remove', 'paint', 'choose', 'cage'].includes(tool);
  if (tool === 'look') return <Note>The pointer only looks around.{useEditor.getState().history?.document.guides?.style ? ' Layers are seen as they are blended.' : ''}</Note>;
  if (tool === 'cage') return <CagePart />;
  return (
    <div className="mt-1.5">
      {tool === 'choose' && (
        <div className="mb-1 flex flex-wrap gap-1.5">
          <Choice label="How to choose" value={comb.choose} onChange={(choose) => set({ choose })} options={[{ value: 'brush', label: 'Brush', help: 'Drag over the hair.' }, { value: 'outline', label: 'Outline', help: 'Draw round what you see.' }, { value: 'click', label: 'Click', help: 'One guide.' }]} />
          <Choice label="Strands or points" value={comb.what} onChange={(what) => set({ what })} options={[{ value: 'strands', label: 'Strands', help: 'Whole guides.' }, { value: 'points', label: 'Points', help: 'Only the points under the pointer.' }]} />
          <Choice label="With what is chosen" value={comb.how} onChange={(how) => set({ how })} options={[{ value: 'only', label: 'Only these', help: 'What was chosen before is let go.' }, { value: 'add', label: 'These too', help: 'Beside what is chosen.' }, { value: 'take', label: 'Not these', help: 'Lets go of them; the same as with Ctrl.' }]} />
        </div>
      )}
      {tool === 'cut' && <div className="mb-1"><Choice label="How to cut" value={comb.cut} onChange={(cut) => set({ cut })} options={[{ value: 'brush', label: 'At the brush', help: 'What lies beyond the brush falls.' }, { value: 'line', label: 'Along a line', help: 'Draw a line over the hair; all of it is cut there, whatever its depth.' }]} /></div>}
      {tool === 'cut' && <CutAtMesh />}
      {tool === 'paint' && <OneOf label="Map" testId="comb-map" value={comb.map} onChange={(map) => set({ map })} options={MAPS} />}
      {tool === 'paint' && field('value')}
      {!(tool === 'cut' && comb.cut === 'line') && !(tool === 'choose' && comb.choose !== 'brush') && <BrushFields names={styling || tool === 'paint' ? [round, 'strength', 'falloff'] : tool === 'settle' ? [round, 'strength'] : [round]} />}
      {styling && (
        <>
          {field('from')}
          <div className="mt-1"><Choice label="Along the strand" value={comb.along} onChange={(along) => set(along === 'own' && comb.along !== 'own' ? { along, ownAlong: ALONG[comb.along].map(([u, v]) => [u, v]) } : { along })} options={[{ value: 'whole', label: 'Even', help: 'All parts of a strand alike.' }, { value: 'roots', label: 'Roots', help: 'Most at the root.' }, { value: 'middle', label: 'Middle', help: 'Most half-way.' }, { value: 'tips', label: 'Tips', help: 'Most at the tip.' }, { value: 'own', label: 'Curve', help: 'As the curve below says, root to tip; it begins as what was chosen before.' }]} /></div>
          {comb.along === 'own' && <div className="mt-1"><ProfileField label="The brush along the strand" value={comb.ownAlong} onChange={(ownAlong) => set({ ownAlong })} onCommit={() => undefined} /></div>}
        </>
      )}
      {tool === 'curl' && <>{field('curlMm')}{field('pitchMm')}</>}
      <div className="mt-1 flex items-center gap-3">
        <Toggle label="Same on screen" help="The radius is so many pixels, however near you are; else so many millimetres of hair." checked={comb.size === 'screen'} onChange={(on) => set({ size: on ? 'screen' : 'world' })} />
        {styling && <Toggle label="Both sides" help="Every stroke is done on the other side of the rest pose as well. Key M." checked={comb.symmetric} onChange={(symmetric) => set({ symmetric })} />}
      </div>
      {settling && <p role="status" className="text-copper">Settling …</p>}
    </div>
  );
}

function CutAtMesh() {
  const { session } = useWorkshop(), others = session.character.meshes.filter((m) => m !== session.mesh && !session.document.hidden.includes(m.name));
  if (others.length === 0) return null;
  const cut = (name: string): void => { if (name === '') return; const n = session.combDesk.cutAtMesh(name); toast.info(n === 0 ? `No guide goes through ${name}.` : `${many(n, 'guide')} ${n === 1 ? 'was' : 'were'} cut at ${name}.`); };
  return <OneOf label="At a mesh" testId="cut-at" value="" onChange={cut} options={[{ value: '', label: 'choose …', help: 'Cuts guides where they go through another mesh.' }, ...others.map((m) => ({ value: m.name, label: m.name, help: 'Cuts guides where they go through it.' }))]} />;
}

function Chosen({ comb }: { comb: CombState }) {
  const chosen = useEditor((s) => s.chosen), { session } = useWorkshop(), { combDesk: desk } = session, all = session.guides?.planting.faces.length ?? 0;
  const [soft, setSoft] = useState(2), [along, setAlong] = useState<[number, number]>([0.5, 1]), [length, setLength] = useState<[number, number]>([0, 10]), [range, setRange] = useState<[number, number]>([0.5, 1]), [map, setMap] = useState<MapName>('length');
  const two = (label: string, value: [number, number], onChange: (v: [number, number]) => void, unit: string, id: string): ReactNode => (
    <span className="flex items-center gap-1">{label}{[0, 1].map((k) => <input key={k} aria-label={`${label} ${k === 0 ? 'from' : 'to'}`} data-testid={`${id}-${k}`} inputMode="decimal" defaultValue={value[k]} onBlur={(e) => { const v = Number(e.target.value.replace(',', '.')); if (Number.isFinite(v)) onChange(k === 0 ? [v, value[1]] : [value[0], v]); else e.target.value = String(value[k]); }} onKeyDown={(e) => { if (e.key === 'Enter') e.currentTarget.blur(); }} className="num w-11 rounded bg-ground px-1 text-right text-text" />)}{unit}</span>
  );
  return (
    <Fold id="chosen" title="Which strands?" summary={chosen === 0 ? 'all' : `${chosen} of ${all}`}>
      <div className="flex flex-wrap gap-1">
        <Button data-testid="choose-none" disabled={chosen === 0} onClick={() => desk.setChoice(null)} {...helpProps('Lets go of the choice: brushes work on all hair again. Esc.')}>All</Button>
        <Button disabled={chosen === 0} onClick={() => desk.invert()} {...helpProps('Chooses the others instead.')}>Others</Button>
        <Button data-testid="choose-grow" disabled={chosen === 0} onClick={() => desk.grow(false)} {...helpProps('Chooses the guides whose roots are next to chosen ones as well.')}>Grow</Button>
        <Button disabled={chosen === 0} onClick={() => desk.grow(true)} {...helpProps('Lets go of the guides at the rim.')}>Shrink</Button>
      </div>
      <div className="mt-1 flex items-center gap-2"><div className="flex-1"><NumberField parameter={N.softCm} value={soft} onChange={setSoft} onCommit={() => undefined} /></div><Button disabled={chosen === 0} onClick={() => desk.soften(soft / 100)}>Soften</Button></div>
      <div className="mt-1 flex items-center text-soft">{two('Along', along, setAlong, '', 'along')}<span className="ml-auto"><Button onClick={() => desk.along(along[0], along[1], 0.1)} {...helpProps('Only these shares of the length of the chosen strands, with a soft passage.')}>Only these</Button></span></div>
      <div className="mt-1 flex items-center text-soft">{two('Length', length, setLength, 'cm', 'length')}<span className="ml-auto"><Button data-testid="choose-length" onClick={() => desk.byLength(length[0] / 100, length[1] / 100, comb.how)}>Choose</Button></span></div>
      <OneOf label="By map" value={map} onChange={setMap} options={MAPS.map((m) => ({ ...m, help: 'Guides whose map value at the root is in the range.' }))} />
      <div className="flex items-center text-soft">{two('Value', range, setRange, '', 'range')}<span className="ml-auto"><Button onClick={() => desk.byMap(map, range[0], range[1], comb.how)}>Choose</Button></span></div>
      <Toggle label="Hide the rest" help="Only the chosen guides are shown." checked={comb.isolate} onChange={(isolate) => set({ isolate })} />
    </Fold>
  );
}

function Sides({ comb }: { comb: CombState }) {
  const { session } = useWorkshop(), { combDesk: desk } = session, [byWay, setByWay] = useState(false), [busy, setBusy] = useState(false), groomId = useEditor((s) => s.groom?.id), remembered = rememberedStyle();
  const mirror = (left: boolean): void => { const trouble = desk.mirror(left, byWay); if (trouble) toast.error(trouble); };
  const trying = (task: Promise<string>): void => { setBusy(true); task.then((m) => toast.info(m), (e: unknown) => toast.error(e instanceof Error ? e.message : String(e))).finally(() => setBusy(false)); };
  return (
    <Fold id="sides" title="Both sides, other heads?" summary={comb.symmetric ? 'both sides' : ''}>
      <Toggle label="Comb both sides" help="Every stroke is done on the other side of the rest pose as well. Key M." checked={comb.symmetric} onChange={(symmetric) => set({ symmetric })} />
      <div className="mt-1 flex flex-wrap gap-1">
        <Button data-testid="mirror-left" onClick={() => mirror(true)} {...helpProps('Guides on the character’s right take the shapes of its left, mirrored.')}>Left to right</Button>
        <Button onClick={() => mirror(false)} {...helpProps('Guides on the character’s left take the shapes of its right, mirrored.')}>Right to left</Button>
      </div>
      <Toggle label="By the mesh" help="Sides are paired by how the faces hang together, for shapes that are not alike left and right." checked={byWay} onChange={setByWay} />
      <div className="mt-1 flex flex-wrap gap-1">
        <Button data-testid="copy-style" disabled={busy} onClick={() => trying(rememberStyle(session))} {...helpProps('Remembers the style of this groom, to be laid on another one.')}>Copy the style</Button>
        <Button data-testid="paste-style" disabled={busy || !remembered} onClick={() => trying(pasteRemembered(session))} {...helpProps(remembered ? `Lays the style of “${remembered.name}” on the guides here: place by place on the same mesh, plot over plot on another.` : 'Copy a style first, here or in another groom.')}>Paste{remembered && remembered.groomId !== groomId ? ` ${remembered.name}` : ''}</Button>
      </div>
    </Fold>
  );
}

function Layers({ document }: PanelProps) {
  const { session } = useWorkshop(), { combDesk: desk } = session, chosen = (useEditor((s) => s.comb.layer), desk.layer), layers = document.guides?.style?.layers ?? [], look = (): void => set({ tool: 'look' });
  const row = (id: string, content: ReactNode): ReactNode => <div key={id} data-testid={`layer-${id || 'base'}`} aria-current={desk.layer === id} className="rounded border border-transparent px-1 py-0.5 aria-[current=true]:border-copper aria-[current=true]:bg-lifted">{content}</div>;
  const masks = [{ value: '', label: 'everywhere', help: 'The layer counts alike all over.' }, ...(Object.keys(MAP_NAMES) as MapName[]).filter((m) => desk.mapId(m)).map((m) => ({ value: m as string, label: `by ${MAP_NAMES[m].toLowerCase()} as it is`, help: 'The layer counts as much as that map says now.' }))];
  return (
    <Fold id="layers" title="Which layer?" summary={layers.length === 0 ? 'one style' : `${layers.find((l) => l.id === chosen)?.name ?? 'base'} of ${layers.length + 1}`}>
      {[...layers].reverse().map((l) => row(l.id, (
        <>
          <div className="flex items-center gap-1">
            <IconButton label={l.on ? `Hide ${l.name}` : `Show ${l.name}`} onClick={() => { look(); desk.changeLayer(l.id, { on: !l.on }); }}>{l.on ? <Eye size={13} /> : <EyeOff size={13} />}</IconButton>
            <input aria-label="Name of the layer" defaultValue={l.name} key={l.name} onFocus={() => set({ layer: l.id })} onBlur={(e) => { const name = e.target.value.trim().slice(0, 60); if (name && name !== l.name) desk.changeLayer(l.id, { name }); else e.target.value = l.name; }} onKeyDown={(e) => { if (e.key === 'Enter') e.currentTarget.blur(); }} className="w-0 flex-1 rounded bg-transparent px-1 hover:bg-ground focus:bg-ground" />
            <button type="button" data-testid={`comb-layer-${l.id}`} onClick={() => set({ layer: l.id, tool: useEditor.getState().comb.tool === 'look' ? 'comb' : useEditor.getState().comb.tool })} className="rounded px-1.5 text-[12px] text-copper hover:bg-ground">{chosen === l.id ? 'combed' : 'comb'}</button>
            <IconButton label={`Move ${l.name} up`} disabled={layers.indexOf(l) === layers.length - 1} onClick={() => { look(); desk.moveLayer(l.id, layers.indexOf(l) + 1); }}><ArrowUp size={12} /></IconButton>
            <IconButton label={`Move ${l.name} down`} disabled={layers.indexOf(l) === 0} onClick={() => { look(); desk.moveLayer(l.id, layers.indexOf(l) - 1); }}><ArrowDown size={12} /></IconButton>
            <IconButton label={`Remove ${l.name}`} onClick={() => { desk.removeLayer(l.id); toast.info(`${l.name} was removed; it is one Undo away.`); }}><Trash2 size={12} /></IconButton>
          </div>
          <NumberField testId={`amount-${l.id}`} parameter={parameter('Amount', '', 0, 1, 0.01, 1, 'How far the layer is laid over what is below.')} value={l.amount} onChange={(amount) => { look(); desk.changeLayer(l.id, { amount }); }} onCommit={() => useEditor.getState().endStep()} />
          {masks.length > 1 && <OneOf label="Mask" value={l.mask === null ? '' : (masks.find((m) => m.value !== '' && desk.mapId(m.value as MapName) === l.mask)?.value ?? 'own')} onChange={(v) => { look(); desk.changeLayer(l.id, { mask: v === '' ? null : desk.mapId(v as MapName) }); }} options={l.mask !== null && !masks.some((m) => m.value !== '' && desk.mapId(m.value as MapName) === l.mask) ? [...masks, { value: 'own', label: 'a map as it was', help: 'A map that has been painted on since.' }] : masks} />}
        </>
      )))}
      {layers.length > 0 && row('', <button type="button" data-testid="comb-layer-base" onClick={() => set({ layer: '' })} className="w-full px-1 text-left">base<span className="float-right text-[12px] text-copper">{desk.layer === '' ? 'combed' : 'comb'}</span></button>)}
      <div className="mt-1"><Button data-testid="add-layer" onClick={() => { desk.addLayer(); }} {...helpProps('A layer keeps the shape of every strand that is combed on it; the rest shows what lies below.')}><Plus size={13} />Add a layer</Button></div>
      {layers.length > 0 && <Note>While a brush is in hand the chosen layer is seen whole and none above it. Take Look to see them blended.</Note>}
    </Fold>
  );
}

function Numbers({ document }: PanelProps) {
  const { session } = useWorkshop(), { combDesk: desk } = session, guides = document.guides!, chosen = useEditor((s) => s.chosen);
  const [length, setLength] = useState(20), [spread, setSpread] = useState(0), [off, setOff] = useState(0), [points, setPoints] = useState(guides.pointCount), [byShape, setByShape] = useState(false), [byMap, setByMap] = useState(false);
  useEditor((s) => s.history?.document.guides?.offsets);
  const lengths = session.guides?.lengths ?? new Float32Array(1), sorted = Float32Array.from(lengths).sort(), whose = chosen > 0 ? `${chosen} chosen` : 'all';
  return (
    <Fold id="numbers" title="How long, how many?" summary={`${(100 * sorted[sorted.length >> 1]).toFixed(1)} cm · ${guides.pointCount} pts`}>
      <dl className="grid grid-cols-3 text-center">
        {([['shortest', sorted[0]], ['middle', sorted[sorted.length >> 1]], ['longest', sorted[sorted.length - 1]]] as const).map(([k, v]) => <div key={k}><dd className="num text-text">{(v * 100).toFixed(1)} cm</dd><dt className="text-[11px] text-faint">{k}</dt></div>)}
      </dl>
      <NumberField testId="set-length" parameter={N.lengthCm} value={length} onChange={setLength} onCommit={() => undefined} />
      <NumberField testId="set-spread" parameter={N.spread} value={spread} onChange={setSpread} onCommit={() => undefined} />
      <div className="flex items-center gap-2"><Toggle label="× length map" help="Multiplied with the painted length map." checked={byMap} onChange={setByMap} /><span className="ml-auto"><Button data-testid="set-lengths" onClick={() => desk.setLengths(length / 100, spread, byMap ? 'length' : null, document.plant.seed)}>Set, {whose}</Button></span></div>
      <div className="mt-1 flex items-center gap-2"><div className="flex-1"><NumberField testId="roots-off" parameter={N.offMm} value={off} onChange={setOff} onCommit={() => undefined} /></div><Button data-testid="set-roots-off" onClick={() => desk.rootsOff(off / 1000)}>Set</Button></div>
      <div className="mt-1 flex items-center gap-2"><div className="flex-1"><NumberField testId="set-points" parameter={{ ...PLANT_PARAMETERS.pointCount, label: 'Points' }} value={points} onChange={setPoints} onCommit={() => undefined} /></div><Button data-testid="repoint" disabled={points === guides.pointCount} onClick={() => { const error = desk.setPoints(points, byShape); toast.info(`Every guide has ${many(points, 'point')} now; no point that was is farther than ${(1000 * error).toFixed(2)} mm from its new strand.`); }}>Set</Button></div>
      <div className="flex items-center gap-2 text-soft" {...helpProps('Closer together where strands bend, else evenly along their length.')}><Tick label="More where it bends" checked={byShape} onChange={setByShape} />More where it bends</div>
    </Fold>
  );
}

function Seeing({ comb }: { comb: CombState }) {
  return (
    <Fold id="seen" title="How is it seen?" summary={[comb.colour !== 'plain' && comb.colour, comb.xray && 'x-ray', comb.mirrored && 'mirrored', comb.bindPose && 'bind pose'].filter(Boolean).join(', ')}>
      <div className="flex items-center gap-2 text-soft"><span className="w-[62px]">Guides</span><Choice label="Colour of guides" value={comb.colour} onChange={(colour) => set({ colour })} options={[{ value: 'plain', label: 'Plain', help: 'All of one colour.' }, { value: 'length', label: 'Length', help: 'From dark blue, the shortest, to yellow, the longest.' }, { value: 'chosen', label: 'Chosen', help: 'How far each point is chosen.' }, { value: 'hold', label: 'Hold', help: 'What the hold map says at the root.' }]} /></div>
      <Toggle label="X-ray" help="Guides are seen through the body." checked={comb.xray} onChange={(xray) => set({ xray })} />
      <Toggle label="Mirrored" help="The picture is seen as in a mirror, to judge it with fresh eyes." checked={comb.mirrored} onChange={(mirrored) => set({ mirrored })} />
      <Toggle label="Bind pose" help="The pose the character was bound in, whatever the frame." checked={comb.bindPose} onChange={(bindPose) => set({ bindPose })} />
    </Fold>
  );
}
