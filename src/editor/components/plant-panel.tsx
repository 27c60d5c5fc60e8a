'use client';
/** Plant: where hair grows, how dense and how long, and the guides themselves. */
import { Brush, Circle, Contrast, Droplets, Eraser, FlipHorizontal2, Lasso, Layers, PaintBucket, PenLine, Sprout, Spline, Waves, Waypoints } from 'lucide-react';
import { toast } from 'sonner';
import { clearSwayMaps } from '../../core/document/shots';
import { plantKey } from '../../core/document/proof';
import { noMaps, PLANT_PARAMETERS, PLOT_MAPS, type PlotMap } from '../../core/document/schema';
import { leadingNodes } from '../../core/mesh/character';
import { plantedArea } from '../../core/groom/scatter';
import { MAP_BLENDS, type MapBlend } from '../../core/groom/skin-grid';
import { useMemo, useState, type ReactNode } from 'react';
import { MAP_NAMES, type MapName, type PlantDesk } from '../state/plant-desk';
import { useEditor, type PlantTool } from '../state/store';
import { BrushFields } from './brush-fields';
import { CurvesPart } from './curves-part';
import { MapFiles } from './map-files';
import { Button, Choice, helpProps, IconButton, Note, NumberField, OneOf, Question, Toggle } from './controls';
import { Field, type PanelProps } from './panel-parts';
import { useWorkshop } from './context';

const setTool = (plantTool: PlantTool): void => useEditor.setState({ plantTool });
const BLUR_M = 0.008;
const MAPS = (Object.keys(MAP_NAMES) as MapName[]).map((m) => ({ value: m, label: MAP_NAMES[m], help: 'A map that is 1 everywhere where it has not been painted.' }));
const WAYS = (Object.keys(MAP_BLENDS) as MapBlend[]).map((w) => ({ value: w, label: MAP_BLENDS[w].label, help: MAP_BLENDS[w].help }));

export function PlantPanel({ document }: PanelProps) {
  const { session } = useWorkshop(), { desk } = session;
  const tool = useEditor((s) => s.plantTool), { plot } = document;
  const area = session.plotFaces.reduce((sum, f) => sum + session.restSurface.area(f), 0) * 1e4;
  return (
    <>
      <Question title="Where does hair grow?" aside={<span className="num text-faint">{area.toFixed(0)} cm²</span>}>
        <WhichMesh mesh={plot.mesh} />
        <div className="mt-1 flex items-center gap-0.5">
          <ToolButton on={tool.name === 'faces' && tool.how === 'brush' && !tool.take} label="Add skin" help="Drag over the model to add faces; with Ctrl held, to take them away." onClick={() => setTool({ name: 'faces', how: 'brush', take: false })}><Brush size={15} /></ToolButton>
          <ToolButton on={tool.name === 'faces' && tool.how === 'brush' && tool.take} label="Take skin away" help="Drag over the model to take faces out of the plot." onClick={() => setTool({ name: 'faces', how: 'brush', take: true })}><Eraser size={15} /></ToolButton>
          <ToolButton on={tool.name === 'faces' && tool.how === 'outline'} label="Draw round" help="Draw round the faces you see; with Ctrl held when you let go, to take them away." onClick={() => setTool({ name: 'faces', how: 'outline', take: false })}><Lasso size={15} /></ToolButton>
          <ToolButton on={tool.name === 'faces' && tool.how === 'part'} label="Loose part" help="Click a part of the mesh that hangs together; with Ctrl held, to take it away." onClick={() => setTool({ name: 'faces', how: 'part', take: false })}><Layers size={15} /></ToolButton>
          <span className="mx-1 h-4 w-px bg-line" />
          <Button disabled={session.plotFaces.length === 0} onClick={() => desk.grow()} {...helpProps('Add all faces that touch the plot.')}>Grow</Button>
          <Button disabled={session.plotFaces.length === 0} onClick={() => desk.shrink()} {...helpProps('Take away the faces at the plot’s rim.')}>Shrink</Button>
        </div>
        {tool.name === 'faces' && tool.how === 'brush' && <div className="mt-1.5"><BrushFields names={['radiusMm']} /></div>}
        <AddFaces desk={desk} />
        {session.plotFaces.length === 0 && <Note>Drag over the skin to choose the faces where hair grows, or paint density where there are none yet{session.mesh.hair.length > 0 ? '; or take the file’s marks' : ''}.</Note>}
      </Question>
      <Question title="How dense, how long?">
        <div className="flex flex-wrap items-center gap-1 text-soft">
          <span className="w-[72px] shrink-0">Paint</span>
          {(Object.keys(PLOT_MAPS) as PlotMap[]).map((m) => <button key={m} type="button" data-testid={`paint-${m}`} aria-pressed={tool.name === 'paint' && tool.map === m} title={`Paint ${PLOT_MAPS[m].toLowerCase()} on the skin`} onClick={() => setTool(tool.name === 'paint' && tool.map === m ? { name: 'faces', how: 'brush', take: false } : { name: 'paint', map: m, how: 'toward', value: session.plotFaces.length === 0 && m === 'density' ? 1 : 0 })} className="rounded-md border border-edge px-2 py-[2px] hover:bg-lifted aria-pressed:border-copper aria-pressed:text-copper">{PLOT_MAPS[m]}{plot.maps[m] ? ' ●' : ''}</button>)}
        </div>
        {tool.name === 'paint' && <MapTools tool={tool} desk={desk} />}
      </Question>
      <Flow document={document} />
      <Planting document={document} />
      <ByHand />
      <CurvesPart />
    </>
  );
}

function ToolButton({ on, label, help, onClick, children }: { on: boolean; label: string; help: string; onClick: () => void; children: ReactNode }) {
  return <span {...helpProps(help)}><IconButton label={label} aria-pressed={on} onClick={onClick}>{children}</IconButton></span>;
}

function WhichMesh({ mesh }: { mesh: string }) {
  const { session } = useWorkshop(), { meshes } = session.character;
  if (meshes.length < 2) return null;
  const change = (name: string): void => {
    const { document } = session, lost = document.guides !== null || document.plot.faces !== null;
    useEditor.getState().edit(`Hair on ${name}`, (d) => { d.plot = { mesh: name, faces: null, maps: noMaps(), flow: null }; d.guides = null; clearSwayMaps(d); d.sway.ties = []; });
    if (lost) toast.warning(`The plot, its guides, maps and ties were on ${mesh}: they are one Undo away.`, { action: { label: 'Undo', onClick: () => useEditor.getState().undo() } });
  };
  return <OneOf label="On" testId="plot-mesh" value={mesh} onChange={(v) => { if (v !== mesh) change(v); }} options={meshes.map((m) => ({ value: m.name, label: m.name, aside: `${(m.triangles.length / 3).toLocaleString('en')}`, help: 'The mesh that hair grows on; a scalp of its own is one, too.' }))} />;
}

/** Faces that belong together by what the file says. */
function AddFaces({ desk }: { desk: PlantDesk }) {
  const { session } = useWorkshop(), { character, mesh } = session;
  const options = useMemo(() => {
    const list: { value: string; label: string; help: string; run: () => void }[] = [{ value: '', label: 'Add or change …', help: 'Faces by what the file says of them.', run: () => undefined }];
    if (mesh.hair.length > 0) list.push({ value: 'marks', label: 'the file’s marks', help: 'The file says where hair may grow; take that as the plot.', run: () => desk.setPlot(desk.markedFaces(), 'Plot from the file’s marks') });
    for (const g of new Set(mesh.groups.map((x) => x.material))) if (mesh.groups.length > 1) list.push({ value: `m${g}`, label: `material ${character.materials[g].name}`, help: 'All faces of this material.', run: () => desk.addMaterial(g) });
    if (mesh.skin >= 0) for (const n of new Set(leadingNodes(character, mesh))) list.push({ value: `j${n}`, label: `joint ${character.nodes[n].name}`, help: 'Faces that this joint moves most.', run: () => desk.addJoint(n) });
    list.push({ value: 'mirror', label: 'the other side too', help: 'Faces across the middle of the rest pose.', run: () => desk.mirror() }, { value: 'way', label: 'the other side, by its mesh', help: 'For shapes that are not alike left and right on a mesh that is: faces are paired by how they hang together.', run: () => { if (!desk.mirrorByWay()) toast.error('The faces of this mesh are not alike on both sides of its middle. Mirror by place instead: “the other side too”.'); } }, { value: 'all', label: 'the whole mesh', help: 'All its faces.', run: () => desk.all() }, { value: 'none', label: 'nothing: clear the plot', help: 'Chooses no face.', run: () => desk.setPlot([], 'Clear the plot') });
    return list;
  }, [character, mesh, desk]);
  return <div className="mt-1"><OneOf label="Also" testId="plot-also" value="" onChange={(v) => options.find((o) => o.value === v)!.run()} options={options} /></div>;
}

function MapTools({ tool, desk }: { tool: Extract<PlantTool, { name: 'paint' }>; desk: PlantDesk }) {
  const { map, how } = tool, name = PLOT_MAPS[map].toLowerCase(), [way, setWay] = useState<MapBlend>('multiply'), others = MAPS.filter((m) => m.value !== map), [chosen, setChosen] = useState<MapName>('length'), other = chosen === map ? others[0].value : chosen;
  return (
    <div className="mt-1.5">
      <Choice label="How to paint" value={how} onChange={(v) => setTool({ ...tool, how: v })} options={[{ value: 'toward', label: 'Toward', help: 'Draws the map toward the value; with Ctrl held toward 1.' }, { value: 'smooth', label: 'Smooth', help: 'Evens out what is under the brush.' }, { value: 'gradient', label: 'Gradient', help: 'Drag from where the map is to be 1 to where it is to be 0.' }]} />
      <div className="mt-1">
        {how === 'toward' && <NumberField testId="plot-value" parameter={{ label: 'Value', unit: '', min: 0, max: 1, step: 0.01, fallback: 0, help: `The ${name} the brush paints toward, as a share of what is set below.` }} value={tool.value} onChange={(value) => setTool({ ...tool, value })} onCommit={() => undefined} />}
        {how !== 'gradient' && <BrushFields names={['radiusMm', 'strength', 'falloff']} />}
      </div>
      <div className="mt-1 flex items-center gap-0.5">
        <ToolButton on={false} label={`Fill the ${name} map with the value`} help="The value all over." onClick={() => desk.fillMap(map, tool.value)}><PaintBucket size={15} /></ToolButton>
        <ToolButton on={false} label={`Invert the ${name} map`} help="1 becomes 0 and 0 becomes 1." onClick={() => desk.invert(map)}><Contrast size={15} /></ToolButton>
        <ToolButton on={false} label={`Blur the ${name} map`} help={`Softens the map over about ${1000 * BLUR_M} mm.`} onClick={() => desk.blur(map, BLUR_M)}><Droplets size={15} /></ToolButton>
        <ToolButton on={false} label={`Copy the ${name} map from its left to its right`} help="From the character’s left (+x) to its right, by place in the rest pose." onClick={() => desk.mirrorMap(map, true)}><FlipHorizontal2 size={15} /></ToolButton>
        <ToolButton on={false} label={`Clear the ${name} map`} help="1 everywhere." onClick={() => desk.fillMap(map, 1, `Clear ${name} map`)}><Circle size={15} /></ToolButton>
      </div>
      <div className="mt-1">
        <OneOf label="With" testId="map-other" value={other} options={others} onChange={setChosen} />
        <OneOf label="Becomes" testId="map-way" value={way} options={WAYS} onChange={setWay} />
        <div className="mt-1"><Button data-testid="map-blend" onClick={() => desk.blend(map, other, way)} {...helpProps(`The ${name} map becomes what is chosen here, of it and the other map.`)}>Blend the {name} map</Button></div>
      </div>
      <MapFiles desk={desk} map={map} />
      <div aria-hidden className="mt-1.5 flex items-center gap-2 text-[11px] text-faint"><span>0</span><span className="h-2 flex-1 rounded" style={{ background: 'linear-gradient(90deg,#00224e,#434e6c,#7d7c78,#bcae6c,#fee838)' }} /><span>1</span></div>
    </div>
  );
}

/** Strokes that say which way hair lies. */
function Flow({ document }: PanelProps) {
  const { session } = useWorkshop(), { desk } = session, tool = useEditor((s) => s.plantTool), strokes = desk.flowStrokes, lies = document.plant.lie !== 'standing';
  return (
    <Question title="Which way does it lie?" aside={strokes > 0 && <span className="num text-faint">{strokes} {strokes === 1 ? 'stroke' : 'strokes'}</span>}>
      <div className="flex items-center gap-0.5">
        <span {...helpProps('Drag over the skin the way the hair lies there; with Ctrl held, strokes under the brush are taken away.')}><IconButton label="Draw which way hair lies" data-testid="flow" aria-pressed={tool.name === 'flow'} onClick={() => setTool(tool.name === 'flow' ? { name: 'faces', how: 'brush', take: false } : { name: 'flow' })}><Waves size={15} /></IconButton></span>
        <span {...helpProps('Strokes of the character’s left (+x) are laid on its right, in place of those there.')}><IconButton label="Copy the flow from its left to its right" disabled={strokes === 0} onClick={() => desk.mirrorFlow(true)}><FlipHorizontal2 size={15} /></IconButton></span>
        <span {...helpProps('Without strokes hair lies downhill.')}><IconButton label="Clear the flow" disabled={strokes === 0} onClick={() => desk.clearFlow()}><Circle size={15} /></IconButton></span>
        <span className="ml-auto text-[12px] text-faint">{strokes === 0 ? 'downhill' : lies ? 'with the strokes' : 'not used: it stands'}</span>
      </div>
      {strokes > 0 && lies && <Toggle label="Without whorls" help="Hair never lies round in a ring: what turns round in the strokes is left out, the rest of them kept. Off for a crown that is to have its whorl." checked={document.plant.noWhorls ?? false} onChange={(on) => useEditor.getState().edit(on ? 'Flow without whorls' : 'Flow with its whorls', (d) => { if (on) d.plant.noWhorls = true; else delete d.plant.noWhorls; })} />}
      {tool.name === 'flow' && strokes === 0 && <Note>A few strokes are enough: between them the ways go over into each other.</Note>}
    </Question>
  );
}

function ByHand() {
  const { session } = useWorkshop(), tool = useEditor((s) => s.plantTool), drawing = useEditor((s) => s.drawing), none = useEditor((s) => !s.history?.document.guides);
  const change = (patch: Partial<typeof drawing>): void => useEditor.setState({ drawing: { ...drawing, ...patch } });
  return (
    <Question title="One at a time?">
      <div className="flex items-center gap-0.5">
        <ToolButton on={tool.name === 'draw' && tool.how === 'skin'} label="Draw a guide along the skin" help="Drag from the root: the guide follows the skin and lifts off it toward its tip." onClick={() => setTool({ name: 'draw', how: 'skin' })}><Spline size={15} /></ToolButton>
        <ToolButton on={tool.name === 'draw' && tool.how === 'view'} label="Draw a guide in the view" help="Drag from the root: the guide lies in the plane of the view." onClick={() => setTool({ name: 'draw', how: 'view' })}><PenLine size={15} /></ToolButton>
        <span {...helpProps('Drag from a place on a guide: from there on it is drawn anew, to its end or to where you come back to it.')}><IconButton label="Redraw part of a guide" data-testid="redraw" disabled={none} aria-pressed={tool.name === 'redraw'} onClick={() => setTool({ name: 'redraw' })}><Waypoints size={15} /></IconButton></span>
        <span {...helpProps('Click, or drag for several: new guides take shape and length from their neighbours.')}><IconButton label="Add guides between others" disabled={none} aria-pressed={tool.name === 'between'} onClick={() => setTool({ name: 'between' })}><Sprout size={15} /></IconButton></span>
        <span className="ml-auto text-[12px] text-faint">{session.desk.pointCount} points each</span>
      </div>
      {tool.name === 'draw' && (
        <div className="mt-1">
          {tool.how === 'skin' && <NumberField testId="draw-lift" parameter={{ label: 'Lift at tip', unit: 'mm', min: 0, max: 100, step: 0.5, fallback: 8, help: 'How far the tip stands off the skin that was drawn on.' }} value={drawing.liftMm} onChange={(liftMm) => change({ liftMm })} onCommit={() => undefined} />}
          <NumberField testId="draw-smooth" parameter={{ label: 'Steady', unit: '', min: 0, max: 1, step: 0.01, fallback: 0.4, help: 'How far the wobble of the hand is taken out.' }} value={drawing.smoothing} onChange={(smoothing) => change({ smoothing })} onCommit={() => undefined} />
          <NumberField testId="draw-longest" parameter={{ label: 'No longer than', unit: 'cm', min: 0.5, max: 120, step: 0.5, fallback: 60, help: 'A stroke that goes on farther is cut there.' }} value={drawing.longestCm} onChange={(longestCm) => change({ longestCm })} onCommit={() => undefined} />
        </div>
      )}
      {tool.name === 'between' && <BrushFields names={['radiusMm']} />}
    </Question>
  );
}

function Planting({ document }: PanelProps) {
  const { session } = useWorkshop(), { desk } = session, planting = useEditor((s) => s.planting), share = useEditor((s) => s.plantingShare), { plant, guides, plot } = document;
  const stale = guides && guides.plantKey !== plantKey(document), edit = useEditor.getState().edit, bare = session.plotFaces.length === 0;
  const density = desk.map('density'), expected = useMemo(() => {
    if (plant.by === 'count') return plant.guideCount;
    const { grid } = desk;
    return Math.round(plant.perCm2 * 1e4 * plantedArea(session.restSurface, session.plotFaces, density && ((f, b, c) => grid.sample(density, f, b, c))));
    // the plot's faces follow its id
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [session, desk, plot.faces, density, plant.by, plant.guideCount, plant.perCm2]);
  const anew = (): void => {
    if (guides?.combed) toast.warning('Planted anew: the combing before is one Undo away.', { action: { label: 'Undo', onClick: () => useEditor.getState().undo() } });
    desk.plant();
  };
  return (
    <Question title="How is it planted?">
      <div className="mb-1"><Choice label="Guides by" value={plant.by} onChange={(v) => edit(v === 'count' ? 'Guides by number' : 'Guides by density', (d) => { d.plant.by = v; })} options={[{ value: 'count', label: 'So many', help: 'A number of guides over the whole plot.' }, { value: 'area', label: 'So dense', help: 'A number of guides on each square centimetre.' }]} /></div>
      <Field group="plant" name={plant.by === 'count' ? 'guideCount' : 'perCm2'} table={PLANT_PARAMETERS} />
      {(['lengthCm', 'lengthSpread', 'pointCount', 'seed'] as const).map((n) => <Field key={n} group="plant" name={n} table={PLANT_PARAMETERS} />)}
      <div className="mt-1.5"><Choice label="Lie" value={plant.lie} onChange={(v) => edit(`Hair ${v}`, (d) => { d.plant.lie = v; })} options={[{ value: 'falling', label: 'Falling', help: 'Guides leave the skin with the flow, bend over and hang down along it, round what is worn and not hidden.' }, { value: 'lying', label: 'Lying', help: 'Guides lie along the skin all their length, with the flow; downhill where there is none.' }, { value: 'standing', label: 'Standing', help: 'Guides stand straight out from the skin.' }]} /></div>
      {plant.lie !== 'standing' && <Field group="plant" name="liftMm" table={PLANT_PARAMETERS} />}
      <div className="mt-2.5 flex gap-2">
        <Button primary data-testid="plant" disabled={bare || planting || expected < 1} onClick={anew}><Sprout size={15} />{planting ? <>Planting … <span className="num">{Math.round(100 * share)} %</span></> : guides ? 'Plant anew' : `Plant ${expected.toLocaleString('en')} guides`}</Button>
        {planting && <Button data-testid="plant-stop" onClick={() => desk.stopPlanting()} {...helpProps('Leaves off; the guides that were there stay as they are.')}>Stop</Button>}
        {guides && !planting && <Button data-testid="plant-more" disabled={bare || planting || expected <= guides.count} onClick={() => desk.plant(true)} {...helpProps('Fills up to the number or density above; guides that are there stay as they are combed.')}>{expected > guides.count ? `Plant ${(expected - guides.count).toLocaleString('en')} more` : 'Plant more'}</Button>}
      </div>
      {guides && <Note>{guides.count.toLocaleString('en')} guides of {guides.pointCount} points are planted{stale ? '; the plot or these settings have changed since.' : '.'} {guides.combed ? 'They are combed: planting anew starts from scratch.' : ''}</Note>}
    </Question>
  );
}
