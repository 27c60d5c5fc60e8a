'use client';
/** Hair that is a plain mesh: chains drawn through it, and what they move. */
import { Brush, Eraser, PanelTop, PenLine, RefreshCw, Trash2 } from 'lucide-react';
import { useRouter } from 'next/navigation';
import { useMemo, useState } from 'react';
import { toast } from 'sonner';
import { jointsOf } from '../../core/chain/chains';
import { MOST_DRAWN_JOINTS, MOST_LINES, STILL, troubleWithDrawn, type WeightsBy } from '../../core/drawn/drawn';
import { parameter } from '../../core/document/schema';
import { CLOTHS } from '../../core/sway/cloth';
import { nodeKey } from '../../core/mesh/character';
import { useEditor, type DrawState } from '../state/store';
import { colourOfLine } from '../view/drawn-view';
import { BrushFields } from './brush-fields';
import { Button, Choice, Fold, helpProps, IconButton, Note, NumberField, OneOf, Question, Tick, Toggle } from './controls';
import { ChainPanel } from './chains-part';
import { ClothFields } from './cloth-part';
import { useWorkshop } from './context';
import type { PanelProps } from './panel-parts';
import { many } from '../state/many';

const told = (cause: unknown): void => { toast.error(cause instanceof Error ? cause.message : String(cause)); };
const setDraw = (change: Partial<DrawState>): void => useEditor.setState({ draw: { ...useEditor.getState().draw, ...change } });
/** Words in the names of meshes that are hair. Common practice, no source. */
const HAIRY = /hair|plait|braid|pony|tail|fringe|lock|wig|beard|mane|curl|bun/i;
const JOINTS = parameter('Joints', '', 1, MOST_DRAWN_JOINTS, 1, 8, 'How many joints the line is made into, evenly along it.', true);
const STILL_MM = parameter('Still to', 'mm', 0, 2000, 1, 0, 'So far along a line, from its start, the mesh stays with what carries it; from there it moves more and more.');
const BEND = parameter('Bend to try', '°', -180, 180, 1, 0, 'Bends every chain by so much in all, here only, to see what the mesh does.');
const BY: { value: WeightsBy; label: string; help: string }[] = [
  { value: 'inside', label: 'through it', help: 'A vertex moves with the line it is nearest to by ways through the inside of the mesh, however it lies outside. Of open meshes, through the room their faces take up.' },
  { value: 'along', label: 'along it', help: 'By ways along the surface of the mesh: strips and cards keep apart although they touch.' },
];

/** Cast: meshes through which chains could be drawn. */
export function MeshHairPart() {
  const { session } = useWorkshop(), router = useRouter(), { meshes } = session.before, [chosen, setChosen] = useState<ReadonlySet<string>>(() => new Set(meshes.filter((m) => HAIRY.test(m.name)).map((m) => m.name))), [busy, setBusy] = useState(false);
  const likely = meshes.filter((m) => HAIRY.test(m.name)).length;
  const begin = async (): Promise<void> => {
    setBusy(true);
    try { router.push(`/groom/${await session.drawn.begin(`${[...chosen][0]} as chains`.slice(0, 100), meshes.filter((m) => chosen.has(m.name)).map((m) => m.name))}`); }
    catch (e) { told(e); setBusy(false); }
  };
  return (
    <Fold id="meshHair" title="Is hair a plain mesh?" summary={likely > 0 ? `${likely} likely` : many(meshes.length, 'mesh', 'meshes')}>
      <ul>{meshes.map((m) => <li key={m.name} className="flex h-6 items-center gap-2 text-soft"><Tick label={`Draw chains through ${m.name}`} checked={chosen.has(m.name)} onChange={(on) => setChosen(new Set(on ? [...chosen, m.name] : [...chosen].filter((n) => n !== m.name)))} /><span className="truncate">{m.name}</span><span className="num ml-auto shrink-0 text-faint">{(m.positions.length / 3).toLocaleString('en')} vertices</span></li>)}</ul>
      <div className="mt-1.5"><Button data-testid="begin-drawn" disabled={chosen.size === 0 || busy} onClick={() => void begin()} {...helpProps('Makes a groom on this character in which chains are drawn through these meshes, which have no joints for it. The character’s own file stays as it is.')}><PenLine size={13} />{busy ? 'Making it …' : 'Draw chains through these'}</Button></div>
      <Note>A plait, a tail, a wig or a skirt that came without joints of its own: it gets some, and moves by them.</Note>
    </Fold>
  );
}

const LINES = parameter('Lines', '', 2, MOST_LINES, 1, 12, 'How many lines are laid side by side; each stands for a strip of the cloth.', true);
const DOWN = parameter('Joints', '', 1, MOST_DRAWN_JOINTS, 1, 8, 'How many joints each line has on its way down.', true);

/** Lines laid over a sheet from the edge it is pinned along. */
function SheetPart({ document }: PanelProps) {
  const { session } = useWorkshop(), drawn = document.drawn!, sheet = document.sway.sheet, [lines, setLines] = useState(12), [joints, setJoints] = useState(8), [around, setAround] = useState(sheet?.around ?? false), [edge, setEdge] = useState(''), chosen = drawn.lines.find((l) => l.id === edge) ?? drawn.lines.at(-1);
  const lay = (): void => { try { session.drawn.lay(chosen!, { lines, joints, around }); } catch (e) { told(e); } };
  return (
    <Fold id="sheet" title="Is it a sheet?" summary={sheet ? `${CLOTHS[sheet.cloth].label.toLowerCase()}, ${many(drawn.lines.length, 'line')}` : 'no'}>
      {drawn.lines.length > 1 && <OneOf label="Edge" testId="sheet-edge" value={chosen!.id} onChange={setEdge} options={drawn.lines.map((l) => ({ value: l.id, label: l.name, help: 'This line runs along the edge that the sheet hangs from.' }))} />}
      <NumberField testId="sheet-lines" parameter={LINES} value={lines} onChange={setLines} onCommit={() => undefined} />
      <NumberField testId="sheet-joints" parameter={DOWN} value={joints} onChange={setJoints} onCommit={() => undefined} />
      <Toggle label="All round" help="The edge closes on itself, as a skirt’s waist does; off: from one end of it to the other." checked={around} onChange={setAround} />
      <div className="mt-1"><Button data-testid="lay-sheet" disabled={!chosen} onClick={lay} {...helpProps('Takes the lines away and lays new ones from this edge to where the mesh ends, side by side. They are a sheet of cloth together, each linked to the next.')}><PanelTop size={13} />Lay lines from {chosen ? `“${chosen.name}”` : 'an edge'}</Button></div>
      {!sheet && <Note>A cape, a skirt, a flag: draw one line along the edge it is pinned by, on its surface, and lay the others from it. Its weight and bending are then those of cloth.</Note>}
      {sheet && <><ClothFields document={document} /><div className="mt-1"><Button data-testid="no-sheet" onClick={() => useEditor.getState().edit('No sheet', (d) => { delete d.sway.sheet; })} {...helpProps('The lines stay, as chains that do not know of each other.')}>Not a sheet</Button></div></>}
    </Fold>
  );
}

/** Plant, where chains are drawn. */
export function DrawnPanel({ document }: PanelProps) {
  const { session } = useWorkshop(), desk = session.drawn, drawn = document.drawn!, draw = useEditor((s) => s.draw), [busy, setBusy] = useState(false), { before } = session;
  const joints = useMemo(() => [...jointsOf(before)].map((n) => nodeKey(before, n)), [before]), meshes = before.meshes.map((m) => m.name), trouble = troubleWithDrawn(before, drawn), difference = draw.shown === 'difference' ? desk.difference() : null, { now } = desk.influences();
  const give = async (): Promise<void> => { setBusy(true); try { await desk.give(); } catch (e) { told(e); setBusy(false); } };
  const drawing = draw.tool?.name === 'line', painting = draw.tool?.name === 'share' ? draw.tool : null, owners: [string, string, string][] = [...drawn.lines.map((l, k): [string, string, string] => [l.id, l.name, colourOfLine(k)]), [STILL, 'still', '#8a857c']];
  return (
    <>
      <Question title="Where do chains run?" aside={<span className="num text-faint">{drawn.lines.length}</span>}>
        <div className="flex flex-wrap items-center gap-1.5">
          <Button aria-pressed={drawing} data-testid="draw-chains" onClick={() => setDraw({ tool: drawing ? null : { name: 'line', line: '', through: true }, place: null })} {...helpProps('Click along the mesh from where it is fixed to its tip; Enter ends a chain. Dots can be dragged; Delete takes the chosen one away.')}><PenLine size={13} />{drawing ? 'Drawing: click on the mesh' : 'Draw chains'}</Button>
          {drawing && draw.tool?.name === 'line' && draw.tool.line !== '' && <Button data-testid="end-line" onClick={() => desk.end()} {...helpProps('The next click begins another chain. Enter does the same.')}>End it</Button>}
        </div>
        {draw.tool?.name === 'line' && <Toggle label="In the middle" help="Places lie half way between where the pointer goes into the mesh and where it comes out; off: on its surface." checked={draw.tool.through} onChange={(through) => { if (draw.tool?.name === 'line') setDraw({ tool: { ...draw.tool, through } }); }} />}
        <ul className="mt-1">{drawn.lines.map((l, k) => (
          <li key={l.id} data-testid="drawn-line" className="mb-1 rounded bg-raised px-1.5 py-1">
            <div className="flex items-center gap-1.5">
              <span aria-hidden className="size-2.5 shrink-0 rounded-full" style={{ background: colourOfLine(k) }} />
              <input aria-label={`Name of chain ${k + 1}`} defaultValue={l.name} key={l.name} onBlur={(e) => { const name = e.target.value.trim().slice(0, 60); if (name !== '' && name !== l.name) desk.edit(`Chain is called ${name}`, (d) => { d.lines[k].name = name; }); }} onKeyDown={(e) => { if (e.key === 'Enter') e.currentTarget.blur(); }} className="h-6 min-w-0 flex-1 rounded bg-transparent px-1 hover:bg-ground focus:bg-ground" />
              <span className="num text-faint">{l.places.length / 3} place{l.places.length === 3 ? '' : 's'}</span>
              <IconButton label={`Go on drawing ${l.name}`} aria-pressed={draw.tool?.name === 'line' && draw.tool.line === l.id} onClick={() => setDraw({ tool: { name: 'line', line: l.id, through: draw.tool?.name === 'line' ? draw.tool.through : true } })}><PenLine size={13} /></IconButton>
              <IconButton label={`Take ${l.name} away`} onClick={() => desk.edit(`Without ${l.name}`, (d) => { d.lines.splice(k, 1); d.painted = d.painted.filter((p) => p.id !== l.id); })}><Trash2 size={13} /></IconButton>
            </div>
            <NumberField testId={`joints-${k}`} parameter={JOINTS} value={l.joints} onChange={(v) => desk.edit(`${l.name} has ${v} joints`, (d) => { d.lines[k].joints = v; }, `drawn.${l.id}.joints`)} onCommit={() => useEditor.getState().endStep()} />
          </li>
        ))}</ul>
        {drawn.lines.length === 0 && !drawing && <Note>No chain yet. Draw one from the root of the hair to its tip, as many as it has strands that move by themselves.</Note>}
      </Question>
      <SheetPart document={document} />
      <Question title="What moves with them?">
        <Choice label="Nearest" value={drawn.by} onChange={(by) => desk.edit(`Weights ${by === 'inside' ? 'through the mesh' : 'along the mesh'}`, (d) => { d.by = by; })} options={BY} />
        <Choice label="Colours" value={draw.shown} onChange={(shown) => setDraw({ shown })} options={[{ value: 'shares', label: 'who moves', help: 'Each vertex in the colours of the chains that move it.' }, { value: 'difference', label: 'both ways', help: 'How differently the two ways of weighing share each vertex out: dark alike, bright otherwise.' }]} />
        {difference && <p data-testid="difference" className="text-[12px] leading-snug text-faint">Between the two ways <span className="num">{(100 * difference.mean).toFixed(1)} %</span> of the movement goes to another chain; at <span className="num">{(100 * difference.many).toFixed(0)} %</span> of the vertices more than a tenth, at most <span className="num">{(100 * difference.most).toFixed(0)} %</span>.</p>}
        <NumberField testId="still-mm" parameter={STILL_MM} value={drawn.stillMm} onChange={(v) => desk.edit(`Still to ${v} mm`, (d) => { d.stillMm = v; }, 'drawn.still')} onCommit={() => useEditor.getState().endStep()} />
        <OneOf label="Carried by" testId="drawn-carrier" value={drawn.carrier} onChange={(v) => desk.edit('What carries the chains', (d) => { d.carrier = v; })} options={[{ value: '', label: desk.carrierName === '' || drawn.carrier !== '' ? 'what the mesh hangs on' : desk.carrierName, help: 'What the first of these meshes hangs on.' }, ...joints.map((j) => ({ value: j, label: j, help: 'The first joints of the chains hang on this one.' }))]} />
        <div className="mt-1 flex flex-wrap items-center gap-1 text-soft"><span className="w-[72px] shrink-0">Paint</span>
          {owners.map(([id, name, colour]) => <button key={id} type="button" data-testid={`share-${id === STILL ? 'still' : name}`} aria-pressed={painting?.who === id} onClick={() => setDraw({ tool: painting?.who === id ? null : { name: 'share', who: id, take: false } })} title={`Paint what ${id === STILL ? 'stays with the animation' : `${name} moves`}`} className="flex items-center gap-1 rounded-md border border-edge px-1.5 py-[1px] text-[12px] hover:bg-lifted aria-pressed:border-copper aria-pressed:text-copper"><span aria-hidden className="size-2 rounded-full" style={{ background: colour }} />{name}{drawn.painted.some((p) => p.id === id) ? ' ●' : ''}</button>)}
        </div>
        {painting && <div className="mt-1 flex items-center gap-1.5"><IconButton label="Give" aria-pressed={!painting.take} onClick={() => setDraw({ tool: { ...painting, take: false } })}><Brush size={14} /></IconButton><IconButton label="Take back what was painted" aria-pressed={painting.take} onClick={() => setDraw({ tool: { ...painting, take: true } })}><Eraser size={14} /></IconButton><Button disabled={!drawn.painted.some((p) => p.id === painting.who)} onClick={() => desk.edit('Nothing painted', (d) => { d.painted = d.painted.filter((p) => p.id !== painting.who); })}>As computed</Button></div>}
        {painting && <BrushFields names={['radiusMm', 'strength', 'falloff']} />}
        {now && <NumberField testId="bend-try" parameter={BEND} value={draw.bend} onChange={(bend) => setDraw({ bend })} onCommit={() => undefined} />}
        {desk.trouble !== '' && !trouble && <p role="alert" className="mt-1 text-[12px] text-trouble">{desk.trouble}</p>}
        {now?.notes.map((n) => <Note key={n}>{n}</Note>)}
        <details className="mt-1"><summary className="cursor-pointer text-[12px] text-faint">{drawn.meshes.length} of {meshes.length} meshes</summary><ul>{meshes.map((n) => <li key={n} className="flex h-6 items-center gap-2 text-soft"><Tick label={`${n} hangs on these chains`} checked={drawn.meshes.includes(n)} onChange={(on) => { if (on || drawn.meshes.length > 1) desk.edit(on ? `${n} hangs on chains` : `${n} does not hang on chains`, (d) => { d.meshes = on ? meshes.filter((m) => m === n || d.meshes.includes(m)) : d.meshes.filter((m) => m !== n); d.painted = []; }); }} /><span className="truncate">{n}</span></li>)}</ul></details>
      </Question>
      <Question title="Are they right?">
        {trouble && <Note>{trouble}</Note>}
        <Button primary={!desk.upToDate} data-testid="give-joints" disabled={trouble !== null || busy || desk.upToDate} onClick={() => void give()} {...helpProps('Makes joints of the lines and hangs the mesh on them. Everything after this is as for joints the character came with; it can be drawn over and made again.')}><RefreshCw size={13} />{busy ? 'Making joints …' : desk.upToDate ? 'The mesh hangs on these joints' : drawn.given ? 'Make the joints again' : 'Make joints of them'}</Button>
        {drawn.given && !desk.upToDate && !trouble && <Note>The drawing has changed since its joints were made.</Note>}
      </Question>
      {document.chains.length > 0 && <ChainPanel document={document} drawn />}
    </>
  );
}
