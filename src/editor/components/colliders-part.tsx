'use client';
/** What is around the hair: meshes, fitted pills, and colliders set by hand. */
import { ChevronRight, Plus, RotateCcw, Trash2, TriangleAlert } from 'lucide-react';
import { useState, type ReactNode } from 'react';
import { inCages } from '../../core/cage/cages';
import { roleOf, SWAY_PARAMETERS, type GroomDocument, type MeshCollider, type OwnCollider, type Parameter, type PillChange } from '../../core/document/schema';
import { nodeKey, type CharacterMesh } from '../../core/mesh/character';
import type { SetPill } from '../../core/sway/colliders';
import { addCollider, changeMesh, changeOwn, changePill, rounded } from '../state/collider-edits';
import { useEditor } from '../state/store';
import { Button, Choice, Fold, helpProps, IconButton, Note, NumberField, OneOf, Tick } from './controls';
import { useWorkshop } from './context';
import { Field, type PanelProps } from './panel-parts';
import { many } from '../state/many';

const edit = useEditor.getState().edit, endStep = (): void => useEditor.getState().endStep();
const cm = (label: string, help: string, min = -500, max = 500, fallback = 0): Parameter => ({ label, unit: 'cm', min, max, step: 0.1, fallback, help });

export function CollidersPart({ document }: PanelProps) {
  const { session } = useWorkshop();
  useEditor((s) => s.colliderCount);
  const { sway, hidden } = document, set = session.colliders(), meshes = session.character.meshes.filter((m) => !hidden.includes(m.name));
  const active = set.pills.filter((p) => p.on).length + set.shells.filter((s) => s.on).length + set.floors.filter((f) => f.on).length, fitted = set.pills.filter((p) => p.fitted);
  const [open, setOpen] = useState(false);
  return (
    <Fold id="around" title="What is around it?" summary={`${active} colliders`}>
      {(['skinGapMm', ...(inCages(sway) ? [] : ['friction' as const])] as const).map((n) => <Field key={n} group="sway" name={n} table={SWAY_PARAMETERS} />)}
      <h4 className="mt-1.5 text-[11px] text-faint">Meshes</h4>
      <ul>{meshes.map((m) => <MeshRow key={m.name} mesh={m} document={document} />)}</ul>
      {fitted.length > 0 && (
        <>
          <button type="button" aria-expanded={open} onClick={() => setOpen(!open)} className="mt-1 flex items-center gap-1 text-[11px] text-faint hover:text-text"><ChevronRight size={11} className={open ? 'rotate-90' : ''} />Fitted pills<span className="num ml-1">{fitted.filter((p) => p.on).length} of {fitted.length}</span></button>
          {open && <><Field group="sway" name="pillCover" table={SWAY_PARAMETERS} /><LeftOut document={document} /><ul>{fitted.map((p) => <PillRow key={p.key} pill={p} document={document} />)}</ul></>}
        </>
      )}
      {sway.colliders.length > 0 && <h4 className="mt-1.5 text-[11px] text-faint">Set by hand</h4>}
      <ul>{sway.colliders.map((c) => <OwnRow key={c.id} collider={c} />)}</ul>
      <div className="mt-1.5 flex gap-1.5">
        {(['pill', 'ball', 'floor'] as const).map((k) => <Button key={k} data-testid={`add-${k}`} onClick={() => addCollider(session, k)} {...helpProps({ pill: 'A tapered capsule on a joint.', ball: 'A ball on a joint.', floor: 'A level plane that hair lies on.' }[k])}><Plus size={13} />{k}</Button>)}
      </div>
      {set.notes.map((n) => <Note key={n}><TriangleAlert size={12} className="mr-1 inline text-copper" />{n}</Note>)}
      <Note>A switched-off collider can be compared at once: the run before stays, and comes back when the setting does.</Note>
    </Fold>
  );
}

/** A line of the list: switch, name, what it is; opens when chosen. */
function Row({ label, on, onToggle, kind, id, aside, children }: { label: string; on: boolean; onToggle: (v: boolean) => void; kind: 'collider' | 'mesh'; id: string; aside: ReactNode; children: ReactNode }) {
  const chosen = useEditor((s) => s.selected?.kind === kind && s.selected.key === id);
  return (
    <li className={chosen ? '-mx-1.5 my-0.5 rounded bg-raised px-1.5 pb-1' : ''}>
      <div className={`flex h-6 items-center gap-2 ${on ? 'text-soft' : 'text-faint'}`}>
        <Tick label={`${label} collides`} checked={on} onChange={onToggle} />
        <button type="button" aria-expanded={chosen} data-testid={`collider-${id}`} onClick={() => useEditor.setState({ selected: chosen ? null : { kind, key: id } })} className={`min-w-0 flex-1 truncate text-left hover:text-text ${chosen ? 'text-text' : ''}`}>{label}</button>
        <span className="num shrink-0 text-[11px] text-faint">{aside}</span>
      </div>
      {chosen && children}
    </li>
  );
}

/** Gap and friction of one collider; its own, or those of the settings. */
function OwnContact({ gapMm, friction, onChange }: { gapMm: number | null; friction: number | null; onChange: (change: { gapMm?: number | null; friction?: number | null }, merge: string) => void }) {
  const sway = useEditor((s) => s.history!.document.sway);
  const one = (label: string, value: number | null, common: number, parameter: Parameter, key: 'gapMm' | 'friction'): ReactNode => (
    <div className="flex items-center">
      <div className="min-w-0 flex-1"><NumberField testId={`own-${key}`} parameter={{ ...parameter, label, fallback: common }} value={value ?? common} onChange={(v) => onChange({ [key]: v }, key)} onCommit={endStep} /></div>
      <span className="w-6 text-right">{value !== null && <IconButton label={`${label} as in the settings`} onClick={() => { onChange({ [key]: null }, key); endStep(); }}><RotateCcw size={11} /></IconButton>}</span>
    </div>
  );
  return <>{one('Gap', gapMm, sway.skinGapMm, SWAY_PARAMETERS.skinGapMm, 'gapMm')}{!inCages(sway) && one('Friction', friction, sway.friction, SWAY_PARAMETERS.friction, 'friction')}</>;
}

const WHAT: Record<Exclude<MeshCollider, 'auto'>, string> = { shell: 'shell', pills: 'pills', off: 'off' };
function MeshRow({ mesh, document }: { mesh: CharacterMesh; document: GroomDocument }) {
  const { session } = useWorkshop(), { sway } = document, own = sway.meshes[mesh.name], set = session.colliders();
  const shell = set.shells.find((s) => s.key === mesh.name), source = roleOf(mesh, sway) === 'body' ? 'skin' : 'garments', wish = own?.as && own.as !== 'auto' ? own.as : sway.roles[roleOf(mesh, sway)];
  const as: Exclude<MeshCollider, 'auto'> = wish !== 'auto' ? wish : shell ? 'shell' : 'off', group = as === 'pills' ? source : mesh.name, on = as !== 'off' && !sway.groupsOff.includes(group) && (as !== 'shell' || shell?.on !== false);
  const toggle = (v: boolean): void => {
    if (v && as === 'off') { changeMesh(mesh.name, `${mesh.name} collides`, { as: 'shell' }); return; }
    edit(`${mesh.name} ${v ? 'collides' : 'does not collide'}`, (d) => { d.sway.groupsOff = d.sway.groupsOff.filter((g) => g !== group); if (!v) d.sway.groupsOff.push(group); });
  };
  return (
    <Row label={mesh.name} kind="mesh" id={mesh.name} on={on} onToggle={toggle} aside={as === 'shell' && shell?.twoSided ? 'sheet' : WHAT[as]}>
      <div className="my-0.5"><Choice label={`${mesh.name} as`} value={as} onChange={(v) => changeMesh(mesh.name, `${mesh.name} as ${v}`, { as: v })} options={[{ value: 'shell', label: 'shell', help: 'The mesh itself: exact, and slower.' }, { value: 'pills', label: 'pills', help: 'Tapered capsules fitted to it, joint by joint: quick, and rough.' }, { value: 'off', label: 'off', help: 'Hair passes through it.' }]} /></div>
      {as === 'shell' && <div className="my-0.5"><Choice label={`Sides of ${mesh.name}`} value={own?.sides ?? 'auto'} onChange={(v) => changeMesh(mesh.name, `Sides of ${mesh.name}: ${v}`, { sides: v })} options={[{ value: 'auto', label: 'by itself', help: 'A closed mesh keeps hair outside; an open one keeps hair on the side it is on.' }, { value: 'one', label: 'one side', help: 'Hair is kept on the outside.' }, { value: 'two', label: 'two sides', help: 'Hair is kept on the side it is on, as of thin cloth.' }]} /></div>}
      {as === 'shell' && <OwnContact gapMm={own?.gapMm ?? null} friction={own?.friction ?? null} onChange={(c, merge) => changeMesh(mesh.name, `Contact of ${mesh.name}`, c, `mesh.${mesh.name}.${merge}`)} />}
    </Row>
  );
}

function LeftOut({ document }: PanelProps) {
  const without = document.sway.pillsWithout;
  return (
    <div className="flex h-6 items-center text-soft" {...helpProps('Fingers and feet get no pills unless you say so: they often cause trouble and rarely matter. Remove a pill below to leave out its joint.')}>
      <span>Left out</span><span className="ml-auto text-faint">{without ? many(without.length, 'joint') : 'fingers, feet'}</span>
      {without ? <IconButton label="Fingers and feet again" onClick={() => edit('Pills without fingers and feet', (d) => { d.sway.pillsWithout = null; })}><RotateCcw size={11} /></IconButton>
        : <button type="button" className="ml-2 text-copper" onClick={() => edit('Pills for all joints', (d) => { d.sway.pillsWithout = []; })}>fit all</button>}
    </div>
  );
}

function Ends({ shape, ball, floor, onChange }: { shape: { a: readonly number[]; b: readonly number[]; radiusA: number; radiusB: number }; ball?: boolean; floor?: boolean; onChange: (change: PillChange, merge: string) => void }) {
  const axis = (end: 'a' | 'b', k: number): ReactNode => (
    <NumberField key={`${end}${k}`} parameter={cm(`${floor ? '' : ball ? 'Middle ' : end === 'a' ? 'Lower ' : 'Upper '}${floor ? 'Height' : 'xyz'[k]}`, floor ? 'Height of the floor.' : 'Place in the rest pose.')} value={shape[end][k] * 100}
      onChange={(v) => onChange({ [end]: shape[end].map((x, i) => (i === k ? rounded(v / 100) : x)) }, `${end}${k}`)} onCommit={endStep} />
  );
  const radius = (which: 'radiusA' | 'radiusB', label: string): ReactNode => <NumberField parameter={cm(label, 'Radius there.', 0, 60, 5)} value={shape[which] * 100} onChange={(v) => onChange({ [which]: rounded(v / 100) }, which)} onCommit={endStep} />;
  if (floor) return axis('a', 1);
  return <>{radius('radiusA', ball ? 'Radius' : 'Lower radius')}{!ball && radius('radiusB', 'Upper radius')}{[0, 1, 2].map((k) => axis('a', k))}{!ball && [0, 1, 2].map((k) => axis('b', k))}</>;
}

function PillRow({ pill, document }: { pill: SetPill; document: GroomDocument }) {
  const changed = document.sway.pills[pill.key], name = pill.label;
  return (
    <Row label={name} kind="collider" id={pill.key} on={pill.on} onToggle={(v) => changePill(pill.key, `${name} ${v ? 'on' : 'off'}`, { on: v })} aside={`${((pill.radiusA + pill.radiusB) * 50).toFixed(1)} cm`}>
      <p className="text-[12px] text-faint">Covers <span className="num">{((pill.cover ?? 0) * 100).toFixed(0)} %</span> of its skin, <span className="num">{((pill.sticksOut ?? 0) * 100).toFixed(0)} %</span> of it lies outside.</p>
      <Ends shape={pill} onChange={(c, merge) => changePill(pill.key, `Shape of ${name}`, c, `pill.${pill.key}.${merge}`)} />
      <OwnContact gapMm={changed?.gapMm ?? null} friction={changed?.friction ?? null} onChange={(c, merge) => changePill(pill.key, `Contact of ${name}`, c, `pill.${pill.key}.${merge}`)} />
      <div className="mt-1 flex gap-2">
        <Button disabled={!changed} onClick={() => edit(`Fit ${name} anew`, (d) => { delete d.sway.pills[pill.key]; })}><RotateCcw size={12} />As fitted</Button>
        <Button onClick={() => { const joint = pill.key.split('/')[1]; edit(`No pill for ${joint}`, (d) => { d.sway.pillsWithout = [...(d.sway.pillsWithout ?? []), joint]; }); }}><Trash2 size={12} />Leave out</Button>
      </div>
    </Row>
  );
}

function OwnRow({ collider: c }: { collider: OwnCollider }) {
  const { session } = useWorkshop(), change = (what: PillChange, merge?: string): void => changeOwn(c.id, `Change ${c.name}`, (x) => { Object.assign(x, what); }, merge && `own.${c.id}.${merge}`);
  const joints = [{ value: '', label: 'the world', help: 'It stands still.' }, ...session.character.nodes.map((_, i) => nodeKey(session.character, i)).map((value) => ({ value, label: value, help: 'It moves with this joint.' }))];
  return (
    <Row label={c.name} kind="collider" id={c.id} on={c.on} onToggle={(v) => change({ on: v })} aside={c.kind}>
      <OneOf label="Moves with" options={joints} value={c.node} onChange={(v) => changeOwn(c.id, `${c.name} on ${v || 'the world'}`, (x) => { x.node = v; })} />
      <Ends shape={c} ball={c.kind === 'ball'} floor={c.kind === 'floor'} onChange={change} />
      <OwnContact gapMm={c.gapMm} friction={c.friction} onChange={change} />
      <div className="mt-1"><Button onClick={() => { edit(`Remove ${c.name}`, (d) => { d.sway.colliders = d.sway.colliders.filter((x) => x.id !== c.id); }); useEditor.setState({ selected: null }); }}><Trash2 size={12} />Remove</Button></div>
    </Row>
  );
}
