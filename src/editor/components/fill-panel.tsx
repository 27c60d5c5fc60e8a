'use client';
/** Fill: how many strands, what divides them, what is done to them, how they look, how the picture is lit. */
import { Camera, Eye, EyeOff, Pencil, RotateCw, Snowflake, Trash2 } from 'lucide-react';
import { useState, type ReactNode } from 'react';
import { toast } from 'sonner';
import { FILL_PARAMETERS, type GroomDocument, type Parameter } from '../../core/document/schema';
import { useEditor } from '../state/store';
import { RIGS, type Rig } from '../view/lights';
import { boundTo, Button, Choice, Fold, helpProps, IconButton, Note, NumberField, OneOf, Question, Toggle } from './controls';
import { CardsPart } from './cards-part';
import { CoveragePart } from './coverage-part';
import { Field, First, type PanelProps } from './panel-parts';
import { PlantedPart } from './planted-part';
import { TreatmentsPart } from './treatments-part';
import { useWorkshop } from './context';

const field = (n: keyof typeof FILL_PARAMETERS): ReactNode => <Field key={n} group="fill" name={n} table={FILL_PARAMETERS} />;
const SOFT: Parameter = { label: 'Soft', unit: 'mm', min: 0, max: 60, step: 0.5, fallback: 2, help: 'Within so much of the line guides from beyond it still count, less and less.' };
const DENSITY: Parameter = { label: 'Density', unit: '/cm²', min: 0.1, max: 2000, step: 0.1, fallback: 100, help: 'The same number, by the area of the plot: strands on a square centimetre where the density map is full.' };
const TURN: Parameter = { label: 'Turn', unit: '°', min: -180, max: 180, step: 1, fallback: 0, help: 'Turns the lights about the hair.' };

export function FillPanel({ document }: PanelProps) {
  const { session } = useWorkshop(), filling = useEditor((s) => s.filling), fillCount = useEditor((s) => s.fillCount), frozen = useEditor((s) => s.frozen);
  if (!document.guides) return <First to="plant" label="Go to Plant">There are no guides to fill between. Plant some first.</First>;
  const { fill } = document, on = fill.treatments.filter((t) => t.on).length, nodes = session.filled?.strands.nodes, area = session.fillDesk.plotArea;
  return (
    <>
      <Question title="How many strands?">
        {field('count')}
        {area > 0 && <NumberField testId="fill-density" parameter={DENSITY} value={Math.min(DENSITY.max, Math.max(DENSITY.min, fill.count / area))} onChange={(v) => useEditor.getState().edit('Density', (d) => { d.fill.count = boundTo(FILL_PARAMETERS.count, v * area); }, 'fill.count')} onCommit={() => useEditor.getState().endStep()} />}
        {field('preview')}
        <div className="mt-0.5 flex items-center gap-2 text-soft" {...helpProps('Points of each filled strand. As needed: enough for the shortest wave of its treatments.')}><span className="w-[98px]">Points</span><Choice label="Points of a strand" value={fill.nodes} onChange={(v) => useEditor.getState().edit('Points of a strand', (d) => { d.fill.nodes = v; })} options={(['as needed', '16', '32', '64'] as const).map((value) => ({ value, label: value === 'as needed' ? 'Auto' : value }))} /></div>
        <Note><span role="status" data-testid="fill-state">{filling ? 'Filling …' : `${fillCount.toLocaleString('en')} of ${fill.count.toLocaleString('en')} strands shown${nodes ? `, ${nodes} points each` : ''}`}</span>; {Math.round(fill.count / document.guides.count)} for each guide.</Note>
        <div className="mt-1 flex items-center gap-2" {...helpProps('Keeps all strands as they are now, computed once. Changing the guides, maps or treatments lets them follow again.')}><Button data-testid="freeze" aria-pressed={frozen !== null} onClick={() => (frozen ? session.thaw() : session.freeze())} className="aria-pressed:border-copper aria-pressed:text-copper"><Snowflake size={13} />{frozen ? 'Frozen: thaw' : 'Freeze all strands'}</Button>{frozen && frozen.bytes > 0 && <span className="num text-[12px] text-faint">{(frozen.bytes / 1048576).toFixed(0)} MB kept</span>}</div>
      </Question>
      <Fold id="treated" title="What is done to them?" summary={`${on} treatment${on === 1 ? '' : 's'}`}><TreatmentsPart treatments={fill.treatments} /></Fold>
      <Fold id="divided" title="What divides them?" summary={[fill.partings.length > 0 && `${fill.partings.length} parting${fill.partings.length === 1 ? '' : 's'}`, document.plot.maps.section && 'sections'].filter(Boolean).join(', ') || 'nothing'}><Divided document={document} /></Fold>
      <PlantedPart document={document} />
      <Fold id="thick" title="How thick are they?" summary={`${fill.widthUm} µm`}>{field('widthUm')}{field('taper')}{field('tipFrom')}{field('widthSpread')}</Fold>
      <Fold id="colour" title="What colour?" summary={fill.colourBy === 'pigment' ? 'by pigment' : 'chosen'}><Colour document={document} /></Fold>
      <Lit />
      <CardsPart document={document} />
      <CoveragePart />
    </>
  );
}

function Divided({ document }: PanelProps) {
  const { session } = useWorkshop(), desk = session.fillDesk, tool = useEditor((s) => s.fillTool), { partings } = document.fill;
  return (
    <>
      {partings.map((p) => (
        <div key={p.id} data-testid={p.id} className="mb-1 rounded border border-line px-1">
          <div className="flex items-center gap-1"><span className={`flex-1 truncate ${p.on ? '' : 'opacity-50'}`}>{p.name}</span>
            <IconButton label={p.on ? `Ignore ${p.name}` : `Heed ${p.name}`} onClick={() => { desk.changeParting(p.id, { on: !p.on }); useEditor.getState().endStep(); }}>{p.on ? <Eye size={13} /> : <EyeOff size={13} />}</IconButton>
            <IconButton label={`Remove ${p.name}`} onClick={() => { desk.removeParting(p.id); toast.info(`${p.name} was removed; it is one Undo away.`); }}><Trash2 size={12} /></IconButton></div>
          <NumberField testId={`${p.id}-soft`} parameter={SOFT} value={p.softMm} onChange={(softMm) => desk.changeParting(p.id, { softMm })} onCommit={() => useEditor.getState().endStep()} />
        </div>
      ))}
      <div className="flex flex-wrap gap-1.5">
        <Button data-testid="draw-parting" aria-pressed={tool === 'parting'} onClick={() => useEditor.setState({ fillTool: tool === 'parting' ? 'look' : 'parting' })} className="aria-pressed:border-copper aria-pressed:text-copper" {...helpProps('Draw a line over the skin: no guide reaches a strand across it.')}><Pencil size={13} />{tool === 'parting' ? 'Draw over the skin …' : 'Draw a parting'}</Button>
        <Button onClick={() => useEditor.setState({ stage: 'plant', plantTool: { name: 'paint', map: 'section', how: 'toward', value: 0 } })} {...helpProps('Paint parts of the plot in different greys: guides of one part do not reach strands of another.')}>Paint sections</Button>
      </div>
      <div className="mt-1">{field('turnCm')}</div>
    </>
  );
}

function Colour({ document: { fill } }: { document: GroomDocument }) {
  const set = (name: 'rootColour' | 'tipsColour', value: string): void => useEditor.getState().edit(name === 'rootColour' ? 'Colour of roots' : 'Colour of tips', (d) => { d.fill[name] = value; }, `fill.${name}`);
  const swatch = (name: 'rootColour' | 'tipsColour', label: string): ReactNode => <label className="flex items-center gap-1.5 text-soft"><input type="color" data-testid={name} aria-label={label} value={fill[name]} onChange={(e) => set(name, e.target.value)} onBlur={() => useEditor.getState().endStep()} className="h-6 w-9 rounded border border-edge bg-transparent" />{label}<span className="num text-faint">{fill[name]}</span></label>;
  return (
    <>
      <Choice label="Colour by" value={fill.colourBy} onChange={(v) => useEditor.getState().edit('Colour by', (d) => { d.fill.colourBy = v; })} options={[{ value: 'pigment', label: 'Pigment', help: 'By how much brown-black and red there is in it.' }, { value: 'choice', label: 'Chosen', help: 'By colours chosen for roots and tips, as of dyed hair.' }]} />
      {fill.colourBy === 'pigment' ? <>{field('melanin')}{field('redness')}{field('tipColour')}</> : <div className="mt-1 flex gap-4">{swatch('rootColour', 'Roots')}{swatch('tipsColour', 'Tips')}</div>}
      {field('colourSpread')}{field('grey')}{field('gloss')}
    </>
  );
}

function Lit() {
  const { session, viewport } = useWorkshop(), light = useEditor((s) => s.light), set = (change: Partial<typeof light>): void => useEditor.setState({ light: { ...light, ...change } }), still = useEditor((s) => s.still), fill = useEditor((s) => s.history!.document.fill);
  const [clear, setClear] = useState(true), [size, setSize] = useState<'1' | '2' | '4'>('2'), [strands, setStrands] = useState<'preview' | 'all'>('all'), [last, setLast] = useState('');
  const take = (): void => {
    setLast('');
    viewport.current?.stills.save({ clear, scale: Number(size), strands: strands === 'all' ? fill.count : null }, `${session.groom.character.name} ${session.groom.name}`).then((told) => { if (told) setLast(told); }, (e: unknown) => toast.error(e instanceof Error ? e.message : String(e)));
  };
  return (
    <Fold id="lit" title="How is it lit?" summary={RIGS[light.rig].label.toLowerCase()}>
      <div className="flex flex-wrap items-center gap-1.5">
        <Choice label="Lights" value={light.rig} onChange={(rig) => set({ rig })} options={(Object.keys(RIGS) as Rig[]).map((value) => ({ value, label: RIGS[value].label, help: RIGS[value].help }))} />
        <Button data-testid="turntable" aria-pressed={light.turning} onClick={() => set({ turning: !light.turning })} className="aria-pressed:border-copper aria-pressed:text-copper" {...helpProps('The view goes round the hair, once in twelve seconds.')}><RotateCw size={13} />Turntable</Button>
      </div>
      <div className="mt-1"><NumberField testId="light-turn" parameter={TURN} value={light.turnDeg} onChange={(turnDeg) => set({ turnDeg })} onCommit={() => undefined} /></div>
      <div className="mt-1.5 border-t border-line pt-1.5">
        <OneOf label="Still" value={size} onChange={setSize} options={(['1', '2', '4'] as const).map((value) => ({ value, label: value === '1' ? 'as large as the view' : `${value} × as large`, help: 'Size of the picture that is saved.' }))} />
        <OneOf label="With" value={strands} onChange={setStrands} options={[{ value: 'preview', label: 'the strands shown', aside: fill.preview.toLocaleString('en'), help: 'As many strands as are previewed.' }, { value: 'all', label: 'all strands', aside: fill.count.toLocaleString('en'), help: 'The finished number of strands; slower.' }]} />
        <Toggle label="Clear backdrop" help="Nothing behind the figure: the PNG is transparent there." checked={clear} onChange={setClear} />
        <div className="mt-1 flex items-center gap-2">
          {still === null ? <Button data-testid="save-still" onClick={take}><Camera size={13} />Save a still</Button> : <><Button onClick={() => viewport.current?.stills.stop()}>Stop</Button><progress aria-label="Drawing the still" value={still} max={1} className="h-1.5 flex-1 accent-copper" /></>}
        </div>
        {last && <Note>{last}</Note>}
      </div>
    </Fold>
  );
}
