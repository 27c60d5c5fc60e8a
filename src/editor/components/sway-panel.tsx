'use client';
/** The Sway stage's questions. */
import { CircleStop, Hand, Play, RotateCw, StepForward, Undo2 } from 'lucide-react';
import type { ReactNode } from 'react';
import { BAKE_PARAMETERS, SECOND_SET, SWAY_MAPS, SWAY_PARAMETERS, type SwayMap } from '../../core/document/schema';
import { moveHere, ownSettings, shareAgain } from '../../core/document/shots';
import { nodeKey } from '../../core/mesh/character';
import { inCages } from '../../core/cage/cages';
import { BrushFields } from './brush-fields';
import { LoadPart } from './load-part';
import { CLOTHS } from '../../core/sway/cloth';
import { MATERIALS, physicalRod, type MaterialName } from '../../core/sway/materials';
import { ClothFields } from './cloth-part';
import { useEditor } from '../state/store';
import { CollidersPart } from './colliders-part';
import { FormulasPart } from './formulas-part';
import { Button, Choice, Fold, IconButton, Note, NumberField, OneOf, Question, Toggle } from './controls';
import { useWorkshop } from './context';
import { Field, First, type PanelProps } from './panel-parts';
import { DropsPart } from './drops-part';
import { CagesPart } from './cages-part';
import { TiesPart } from './ties-part';
import { length, pascals, scientific, significant } from './units';

const MATERIAL_OPTIONS = (Object.keys(MATERIALS) as MaterialName[]).map((value) => ({ value, label: MATERIALS[value].label, aside: length(MATERIALS[value].diameter), help: MATERIALS[value].source }));
/** Why so many substeps. */
const REASONS = {
  asked: 'As asked.', cages: 'Cages need no more.', error: 'Chosen to keep the error.', 'root speed': 'The roots move so fast that fewer would fold the hair.', 'root turning': 'The roots turn so fast that fewer would lose the hair.', 'root jolt': 'The roots start and stop so hard that fewer would fold the hair.',
  contact: 'As many as contact needs.', least: 'The fewest there are.', most: 'The most there are; the movement would need more.',
} as const;

export function SwayPanel({ document }: PanelProps) {
  const { session } = useWorkshop();
  const run = useEditor((s) => s.run), playing = useEditor((s) => s.playing), live = useEditor((s) => s.live);
  if (!document.guides) return <First to="plant" label="Go to Plant">There is no hair to move. Plant guides first.</First>;
  const { sway } = document, edit = useEditor.getState().edit;
  const field = (n: keyof typeof SWAY_PARAMETERS, physical?: string): ReactNode => <Field key={n} group="sway" name={n} table={SWAY_PARAMETERS} physical={physical} />;
  const rod = physicalRod(sway), caged = inCages(sway), plan = run.key === session.key ? run.proof?.report.plan : undefined;
  const fresh = run.key === session.key, total = document.bake.preRoll + document.shot.end - document.shot.start + 1;
  const carriers = [{ value: '', label: 'nothing', help: 'The character moves by itself: its hair feels all of its travel and turning.' }, ...session.character.nodes.map((_, i) => nodeKey(session.character, i)).map((value) => ({ value, label: value, help: 'Its travel and turning reach the hair only as far as the shares below say.' }))];
  return (
    <>
      <Question title="Let it move" aside={fresh && run.state !== 'none' && !live.on ? <span className="num text-faint">{run.state === 'running' ? `${run.proof?.frames.length ?? 0} / ${total}` : 'computed'}</span> : undefined}>
        <div className="flex flex-wrap gap-1">
          <Button primary data-testid="run" disabled={!sway.on} onClick={() => { session.runs.restart(); useEditor.setState({ shownTake: null, frame: document.shot.start, playing: true }); }}>{fresh && run.state === 'done' ? <RotateCw size={14} /> : <Play size={14} />}{fresh && run.state !== 'none' ? 'Again' : 'Run'}</Button>
          {run.state === 'running' ? <Button onClick={() => { session.runs.stop(); useEditor.setState({ playing: false }); }}><CircleStop size={14} />Stop</Button> : <Button disabled={live.on} onClick={() => { session.runs.start(); useEditor.setState({ playing: !playing }); }}>{playing ? 'Pause' : 'Play'}</Button>}
          <Button data-testid="live" aria-pressed={live.on} disabled={!sway.on} onClick={() => { if (live.on) session.hands.stop(); else session.hands.start(); }} title="It goes on and on while you drag the character about and change settings (Shift L)"><Hand size={14} />{live.on ? 'Let go' : 'By hand'}</Button>
        </div>
        {run.state === 'running' && <div className="mt-2 h-1 rounded bg-edge"><div className="h-full rounded bg-copper" style={{ width: `${((run.proof?.frames.length ?? 0) / total) * 100}%` }} /></div>}
        {live.on && <LivePart />}
        {!fresh && run.state === 'done' && !live.on && <Note>The last run was made with other settings or other hair.</Note>}
        <div className="mt-1.5 flex flex-wrap items-center gap-x-3 gap-y-1"><Toggle label="Moves in this shot" help="Off: in this shot the hair of this groom is carried stiffly by the skin, and costs nothing. Other shots keep what they have." checked={sway.on} onChange={(v) => edit(v ? 'It moves' : 'It does not move', (x) => moveHere(x, v))} />
          <button type="button" data-testid="wedge-open" className="ml-auto rounded px-1.5 text-copper hover:bg-lifted" onClick={() => session.wedges.open()}>fan a setting out …</button></div>
        {document.otherShots.length > 0 && <OwnPart document={document} />}
      </Question>
      <CagesPart document={document} />
      {caged ? null : sway.sheet ? <Fold id="made" title="What is it made of?" summary={CLOTHS[sway.sheet.cloth].label}><ClothFields document={document} /></Fold> : <Fold id="made" title="What is it made of?" summary={MATERIALS[sway.material].label}>
        <OneOf label="Material" testId="sway-material" options={MATERIAL_OPTIONS} value={sway.material} onChange={(v) => edit(`Material: ${MATERIALS[v].label}`, (x) => { x.sway.material = v; })} />
        {field('thickness', length(rod.diameter))}{field('weight', `${significant(rod.density)} kg/m³`)}{field('stiffness', pascals(rod.youngModulus))}{field('twistStiffness', pascals(rod.shearModulus))}{field('lock', `${length(rod.width)} wide`)}
        <Note>A guide weighs <span className="num">{significant(rod.lineDensity * 1e6)} mg/m</span> and bends with EI <span className="num">{scientific(rod.bend)} N·m²</span>. Numbers at the left multiply the material’s own.</Note>
      </Fold>}
      {sway.sheet && !caged && <LoadPart document={document} />}
      <Fold id="holds" title="What holds it?" summary={caged ? `give ${sway.give}` : `hold ${sway.hold}`}>
        <div className="mb-1 flex items-center gap-2 text-soft"><span className="w-[72px] shrink-0">Starts from</span><Choice label="Starts from" value={sway.calmStart ? 'combed' : 'unloaded'} onChange={(v) => edit(v === 'combed' ? 'Start from the combed shape' : 'Start from the unloaded shape', (x) => { x.sway.calmStart = v === 'combed'; })} options={[{ value: 'combed', label: 'combed', help: 'The combed shape is the shape of rest under gravity: nothing sags when the shot begins.' }, { value: 'unloaded', label: 'unloaded', help: 'The combed shape is what the hair would be without gravity: it sags from there.' }]} /></div>
        {!caged && field('hold')}{field('give')}{!caged && <>{field('damping')}{field('bendDamping')}{!sway.sheet && field('spread')}</>}{field('gravity')}
        <Note>{caged ? 'Give and gap run' : 'Hold, give, stiffness, damping and gap run'} from root to tip by their <button type="button" className="text-copper underline" onClick={() => useEditor.setState({ strip: 'profile' })}>profiles</button>.</Note>
        <MapsPart />
      </Fold>
      {!caged && <SecondPart document={document} />}
      {!caged && !sway.sheet && <FormulasPart document={document} />}
      <CollidersPart document={document} />
      {!caged && <Fold id="loft" title="How does hair lie on hair?" summary={sway.loft > 0 ? `loft ${sway.loft}` : 'not at all'}>
        {field('loft')}{sway.loft > 0 && <>{field('loftSpacingMm')}{field('cohesion')}</>}
        <Note>{sway.loft > 0 ? 'Neighbouring strands keep the room they have in the groom across their length, and slide freely along it; hair that meets other hair does not pass through it.' : 'Guides do not feel each other. With loft a gathered tail keeps its girth, and hair lies on hair.'}</Note>
      </Fold>}
      {!caged && <><TiesPart document={document} /><DropsPart document={document} /></>}
      <Fold id="air" title="How does the air move?" summary={sway.windSpeed > 0 ? `${sway.windSpeed} m/s` : 'still'}>
        {!caged && field('airDrag')}{field('windSpeed')}
        {sway.windSpeed > 0 && (
          <>
            <div className="my-1 flex items-center gap-2 text-soft"><span className="w-[72px] shrink-0">From</span><Choice label="Wind from" value={sway.windKind} onChange={(v) => edit(v === 'fan' ? 'Wind from a fan' : 'Wind everywhere', (x) => { x.sway.windKind = v; })} options={[{ value: 'everywhere', label: 'everywhere', help: 'The same wind at every place.' }, { value: 'fan', label: 'a fan', help: 'A cone of wind from a place, drawn in the view.' }]} /></div>
            {field('windTurn')}{field('windRise')}{field('gust')}{sway.gust > 0 && <>{field('gustHz')}{field('gustSeed')}</>}{!caged && field('shelter')}
            {sway.windKind === 'fan' && <>{field('windReach')}{field('windX')}{field('windY')}{field('windZ')}</>}
          </>
        )}
      </Fold>
      <Fold id="carry" title="What carries it?" summary={sway.carrier || 'nothing'}>
        <OneOf label="Carrier" testId="sway-carrier" options={carriers} value={sway.carrier} onChange={(v) => edit(v ? `Carrier: ${v}` : 'No carrier', (x) => { x.sway.carrier = v; })} />
        {sway.carrier !== '' && <>{field('carryTravel')}{field('carryTurning')}<Note>At 0 the hair is computed as if the carrier stood still, and rides along. Gravity and wind keep their directions as the carrier sees them. Its place and its way in this shot are drawn in the view; above the hair, drag along the bar for its travel and round the half ring for its turning.</Note></>}
      </Fold>
      <Fold id="careful" title="How careful?" summary={plan ? `${plan.substeps} substeps` : ''}>
        <Toggle label="Choose substeps" help="Substeps are chosen for the wanted error from the hair and the movement of its roots; off: your own number." checked={sway.chooseSubsteps} aside={sway.chooseSubsteps && plan ? `${plan.substeps} a frame` : undefined} onChange={(v) => edit(v ? 'Substeps chosen' : 'Substeps by hand', (x) => { x.sway.chooseSubsteps = v; if (!v && plan) x.sway.substeps = plan.substeps; })} />
        {!sway.chooseSubsteps ? field('substeps') : !caged && field('error')}
        {plan && plan.because !== 'cages' && !caged && <Note>{sway.chooseSubsteps ? `${REASONS[plan.because]} ` : ''}Expected error <span className="num">{significant(plan.error * 100)} %</span> of the length, <span className="num">{plan.passes}</span> pass a substep, 2 where hair touches.</Note>}
        <Field group="bake" name="preRoll" table={BAKE_PARAMETERS} />
        <Toggle label="Push filled strands out" help="While the picture rests, filled strands are lifted out of what they would pierce. What is handed over always is." checked={sway.pushFilled} onChange={(v) => edit(v ? 'Push filled strands out' : 'Leave filled strands', (x) => { x.sway.pushFilled = v; })} />
      </Fold>
    </>
  );
}

/** What is done while the run goes on under the hand. */
function LivePart() {
  const { session } = useWorkshop(), live = useEditor((s) => s.live), tool = useEditor((s) => s.swayTool), set = (change: Partial<typeof live>): void => useEditor.setState({ live: { ...useEditor.getState().live, ...change } });
  return (
    <div className="mt-2 rounded-md border border-edge px-2 py-1.5" data-testid="live-part">
      <div className="flex items-center gap-1.5">
        <Choice label="The clip" value={live.mode} onChange={(mode) => set({ mode })} options={[{ value: 'play', label: 'clip runs', help: 'The animation plays round and round.' }, { value: 'hold', label: 'pose stays', help: 'The animation stands still in this frame; only your hand moves the character.' }]} />
        <span className="ml-auto flex"><IconButton label={live.paused ? 'Go on' : 'Pause'} onClick={() => session.hands.pause(!live.paused)}>{live.paused ? <Play size={13} /> : <CircleStop size={13} />}</IconButton><IconButton label="One frame on" disabled={!live.paused} onClick={() => session.hands.step()}><StepForward size={13} /></IconButton><IconButton label="Back to where it was" onClick={() => session.hands.letGo()}><Undo2 size={13} /></IconButton></span>
      </div>
      <OneOf label="Held by" testId="live-node" value={String(live.node)} onChange={(v) => set({ node: Number(v) })} options={session.hands.places().map(({ node, label }) => ({ value: String(node), label, help: 'What the hand moves; all that hangs on it goes along.' }))} />
      <div className="mt-1 flex items-center gap-1.5 text-soft"><Choice label="A drag" value={tool.name === 'hand' ? tool.how : 'look'} onChange={(how) => useEditor.setState({ swayTool: how === 'look' ? { name: 'look' } : { name: 'hand', how } })} options={[{ value: 'move', label: 'moves', help: 'A drag moves it in the plane of the view; with Shift it turns it.' }, { value: 'turn', label: 'turns', help: 'A drag turns it; with Shift it moves it.' }, { value: 'look', label: 'looks', help: 'A drag turns the view, as elsewhere.' }]} /></div>
      <div className="mt-1 flex items-center gap-1.5 text-soft"><span className="w-[52px]">Speed</span><Choice label="Speed" value={String(live.speed)} onChange={(v) => set({ speed: Number(v) })} options={[{ value: '1', label: '1', help: 'At the clip’s speed, if this machine keeps up.' }, { value: '0.5', label: '½', help: 'Half as fast.' }, { value: '0.25', label: '¼', help: 'A quarter as fast.' }]} /></div>
      <div className="mt-1 flex items-center gap-1.5 text-soft"><span className="w-[52px]">Guides</span><Choice label="Guides computed" value={live.auto ? 'auto' : String(live.share)} onChange={(v) => { set(v === 'auto' ? { auto: true, share: 0 } : { auto: false, share: Number(v) }); session.hands.start(); }} options={[{ value: 'auto', label: 'auto', help: 'As many guides are computed as keep the speed; the others move as their neighbours do.' }, { value: '1', label: 'all', help: 'Every guide is computed.' }, { value: '4', label: '¼', help: 'One of four; the others move as their neighbours do.' }, { value: '16', label: '1⁄16', help: 'One of sixteen.' }]} /><span className="num ml-auto text-faint">{live.computed}</span></div>
      <Note>Settings count from the next frame on. Nothing of this is kept; Run keeps a take.</Note>
    </div>
  );
}

/** Which settings this shot has otherwise than the groom's other shots. */
function OwnPart({ document }: PanelProps) {
  const onlyHere = useEditor((s) => s.onlyHere), own = ownSettings(document), edit = useEditor.getState().edit, label = (k: string): string => (k in SWAY_PARAMETERS ? SWAY_PARAMETERS[k as keyof typeof SWAY_PARAMETERS].label : k);
  return (
    <div className="mt-1.5 border-t border-line pt-1.5 text-soft">
      <div className="flex items-center gap-2"><span>Changes count in</span><Choice label="Changes of movement count in" value={onlyHere ? 'here' : 'all'} onChange={(v) => useEditor.setState({ onlyHere: v === 'here' })} options={[{ value: 'all', label: 'all shots', help: 'A setting is the same in all shots of this groom, unless one has its own.' }, { value: 'here', label: 'this shot', help: 'What you change from now on is this shot’s own; the other shots keep what they have.' }]} /></div>
      {own.length > 0 && <ul data-testid="own-settings" className="mt-1 flex flex-wrap gap-1">{own.map((k) => <li key={k}><button type="button" title="As in the other shots again" className="rounded border border-copper px-1.5 text-[12px] text-copper hover:bg-lifted" onClick={() => edit(`${label(k)} shared again`, (d) => shareAgain(d, k))}>{label(k)} ×</button></li>)}</ul>}
    </div>
  );
}

/** A second set of settings, where the region map is dark. */
function SecondPart({ document }: PanelProps) {
  const { second } = document.sway, edit = useEditor.getState().edit, tool = useEditor((s) => s.swayTool);
  return (
    <Fold id="second" title="Where is it otherwise?" summary={second ? 'two sets' : 'nowhere'}>
      <Toggle label="A second set of settings" help="Where the region map is dark the second set holds, where it is light the first; between, the two blend." checked={second !== null} onChange={(v) => edit(v ? 'A second set of settings' : 'One set of settings', (d) => { d.sway.second = v ? Object.fromEntries(SECOND_SET.map((k) => [k, d.sway[k]])) as typeof d.sway.second : null; })} />
      {second && (
        <>
          {SECOND_SET.filter((k) => !document.sway.sheet || k !== 'lock').map((k) => <NumberField key={k} testId={`second-${k}`} parameter={{ ...SWAY_PARAMETERS[k], fallback: document.sway[k] }} value={second[k]} onChange={(v) => edit(`${SWAY_PARAMETERS[k].label}, second set`, (d) => { if (d.sway.second) d.sway.second[k] = v; }, `second.${k}`)} onCommit={() => useEditor.getState().endStep()} />)}
          <div className="mt-1"><Button data-testid="paint-region-open" onClick={() => useEditor.setState({ swayTool: tool.name === 'paint' && tool.map === 'region' ? { name: 'look' } : { name: 'paint', map: 'region', value: 0 } })}>{tool.name === 'paint' && tool.map === 'region' ? 'Done painting' : 'Paint the region'}</Button></div>
          {!document.sway.maps.region && <Note>The region map is light everywhere as yet: paint dark where the second set shall hold.</Note>}
        </>
      )}
    </Fold>
  );
}

/** Painted maps: choose one, paint it in the view. */
function MapsPart() {
  const { session } = useWorkshop();
  const tool = useEditor((s) => s.swayTool), maps = useEditor((s) => s.history!.document.sway.maps);
  const painting = tool.name === 'paint' ? tool : null;
  return (
    <div className="mt-1.5 border-t border-line pt-1.5">
      <div className="flex items-center gap-1 text-soft">
        <span className="w-[72px] shrink-0">Paint</span>
        {(Object.keys(SWAY_MAPS) as SwayMap[]).filter((m) => m !== 'region').map((m) => (
          <button key={m} type="button" data-testid={`paint-${m}`} aria-pressed={painting?.map === m} title={`Paint how much of ${SWAY_MAPS[m].toLowerCase()} counts where`} onClick={() => useEditor.setState({ swayTool: painting?.map === m ? { name: 'look' } : { name: 'paint', map: m, value: painting?.value ?? 0 } })} className="rounded-md border border-edge px-2 py-[2px] hover:bg-lifted aria-pressed:border-copper aria-pressed:text-copper">{SWAY_MAPS[m]}{maps[m] ? ' ●' : ''}</button>
        ))}
      </div>
      {painting && (
        <div className="mt-1">
          <NumberField testId="paint-value" parameter={{ label: 'Toward', unit: '', min: 0, max: 1, step: 0.01, fallback: 0, help: 'The value the brush paints toward; with Ctrl held it paints toward 1.' }} value={painting.value} onChange={(v) => useEditor.setState({ swayTool: { ...painting, value: v } })} onCommit={() => undefined} />
          <BrushFields names={['radiusMm']} id="paint" />
          <div className="mt-1 flex gap-2"><Button onClick={() => session.desk.fillMap(painting.map, painting.value)}>Fill</Button><Button disabled={!maps[painting.map]} onClick={() => session.desk.fillMap(painting.map, 1, `Clear ${SWAY_MAPS[painting.map].toLowerCase()} map`)}>Clear</Button></div>
          <Note>Drag over the skin. Light is 1, dark 0; the map multiplies {SWAY_MAPS[painting.map].toLowerCase()}.</Note>
        </div>
      )}
    </div>
  );
}
