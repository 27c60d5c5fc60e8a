'use client';
/** What is tied: points of strands to a place, a joint or one another. */
import { Plus, Trash2 } from 'lucide-react';
import { roleOf, type Tie } from '../../core/document/schema';
import { nodeKey } from '../../core/mesh/character';
import { useEditor } from '../state/store';
import { Button, Choice, Fold, Note, NumberField, OneOf, Tick, Toggle } from './controls';
import { BrushFields } from './brush-fields';
import { useWorkshop } from './context';
import type { PanelProps } from './panel-parts';
import { significant } from './units';

const edit = useEditor.getState().edit, endStep = (): void => useEditor.getState().endStep();
const KINDS: readonly { value: Tie['kind']; label: string; help: string }[] = [
  { value: 'ring', label: 'ring', help: 'All its strands together, as a band round a gathered tail.' },
  { value: 'pairs', label: 'pairs', help: 'Each strand to its nearest neighbours, as in a braid.' },
  { value: 'joint', label: 'joint', help: 'To the place on a joint where the strands are at the start.' },
  { value: 'place', label: 'place', help: 'To the place in the world where the strands are at the start.' },
];

export function addTie(guides: number[]): void {
  const { history } = useEditor.getState(), ties = history?.document.sway.ties ?? [], taken = new Set(ties.map((t) => t.name));
  let n = 1;
  while (taken.has(`tie ${n}`)) n++;
  const tie: Tie = { id: `t${Date.now().toString(36)}${n}`, name: `tie ${n}`, on: true, kind: 'ring', guides, from: 0.35, to: 0.45, node: '', firmness: 0.8, snap: null, wears: null };
  edit(`Add ${tie.name}`, (d) => { d.sway.ties.push(tie); });
  useEditor.setState({ selected: { kind: 'tie', key: tie.id }, swayTool: { name: 'tie' } });
}

export function TiesPart({ document }: PanelProps) {
  const { ties } = document.sway, count = document.guides?.count ?? 0;
  return (
    <Fold id="ties" title="What is tied?" summary={ties.length > 0 ? `${ties.filter((t) => t.on).length} ties` : 'nothing'}>
      <ul>{ties.map((t, k) => <TieRow key={t.id} tie={t} index={k} />)}</ul>
      <div className="mt-1"><Button data-testid="add-tie" onClick={() => addTie(Array.from({ length: count }, (_, g) => g))}><Plus size={13} />Tie</Button></div>
      {ties.length === 0 && <Note>A tie holds strands to one another, to a joint or to a place, until a force in newtons tears it. It begins with all guides: choose fewer with the brush.</Note>}
    </Fold>
  );
}

function TieRow({ tie, index }: { tie: Tie; index: number }) {
  const { session } = useWorkshop();
  const chosen = useEditor((s) => s.selected?.kind === 'tie' && s.selected.key === tie.id), tool = useEditor((s) => s.swayTool), run = useEditor((s) => s.run), frame = useEditor((s) => s.frame);
  const torn = run.key === session.key && run.proof?.frames.find((f) => f.frame === Math.round(frame))?.broken.includes(index);
  const change = (name: string, to: Partial<Tie>, merge?: string): void => edit(name, (d) => { Object.assign(d.sway.ties[index], to); }, merge && `tie.${tie.id}.${merge}`);
  const share = (key: 'from' | 'to', label: string): React.ReactNode => <NumberField testId={`tie-${key}`} parameter={{ label, unit: '%', min: 0, max: 100, step: 0.5, fallback: key === 'from' ? 35 : 45, help: 'Of the length from the root.' }} value={tie[key] * 100} onChange={(v) => change(`Range of ${tie.name}`, { [key]: v / 100 }, key)} onCommit={endStep} />;
  const accessories = session.character.meshes.filter((m) => roleOf(m, session.document.sway) === 'accessory').map((m) => ({ value: m.name, label: m.name, help: 'It moves with the tie.' }));
  const joints = session.character.nodes.map((_, i) => nodeKey(session.character, i)).map((value) => ({ value, label: value, help: 'The tie moves with this joint.' }));
  return (
    <li className={chosen ? '-mx-1.5 my-0.5 rounded bg-raised px-1.5 pb-1' : ''}>
      <div className={`flex h-6 items-center gap-2 ${tie.on ? 'text-soft' : 'text-faint'}`}>
        <Tick label={`${tie.name} holds`} checked={tie.on} onChange={(v) => change(`${tie.name} ${v ? 'on' : 'off'}`, { on: v })} />
        <button type="button" aria-expanded={chosen} data-testid={`tie-${index}`} onClick={() => useEditor.setState({ selected: chosen ? null : { kind: 'tie', key: tie.id }, swayTool: { name: 'look' } })} className={`min-w-0 flex-1 truncate text-left hover:text-text ${chosen ? 'text-text' : ''}`}>{tie.name}</button>
        <span className={`num text-[11px] ${torn ? 'text-trouble' : 'text-faint'}`}>{torn ? '▲ let go' : `${tie.kind} · ${tie.guides.length}`}</span>
      </div>
      {chosen && (
        <>
          <div className="my-0.5"><Choice label={`${tie.name} to`} value={tie.kind} onChange={(v) => change(`${tie.name}: ${v}`, { kind: v, ...(v === 'joint' && tie.node === '' ? { node: nodeKey(session.character, Math.max(0, session.mainJoint())) } : {}) })} options={KINDS} /></div>
          {tie.kind === 'joint' && <OneOf label="Joint" options={joints} value={tie.node} onChange={(v) => change(`${tie.name} on ${v}`, { node: v })} />}
          {share('from', 'From')}{share('to', 'To')}
          <NumberField testId="tie-firmness" parameter={{ label: 'Firmness', unit: '', min: 0, max: 1, step: 0.01, fallback: 0.8, help: 'From a soft band to a hard knot.' }} value={tie.firmness} onChange={(v) => change(`Firmness of ${tie.name}`, { firmness: v }, 'firmness')} onCommit={endStep} />
          <Toggle label="Lets go" help="Above its snap force the tie lets go, until the run begins anew." checked={tie.snap !== null} aside={tie.snap === null ? 'never' : undefined} onChange={(v) => change(v ? `${tie.name} can let go` : `${tie.name} never lets go`, { snap: v ? 0.5 : null })} />
          {tie.snap !== null && <NumberField testId="tie-snap" parameter={{ label: 'Snap force', unit: 'N', min: 0.001, max: 1000, step: 0.001, fallback: 0.5, help: 'Of a tie to a place or joint: its force in all. Of a ring or pairs: the greatest force on one guide, which stands for its whole lock.' }} value={tie.snap} onChange={(v) => change(`Snap force of ${tie.name}`, { snap: Number(significant(v)) }, 'snap')} onCommit={endStep} />}
          {accessories.length > 0 && <OneOf label="Wears" options={[{ value: '', label: 'nothing', help: 'No accessory follows it.' }, ...accessories]} value={tie.wears ?? ''} onChange={(v) => change(v ? `${tie.name} wears ${v}` : `${tie.name} wears nothing`, { wears: v || null })} />}
          <div className="mt-1 flex items-center gap-2">
            <Button aria-pressed={tool.name === 'tie'} onClick={() => useEditor.setState({ swayTool: tool.name === 'tie' ? { name: 'look' } : { name: 'tie' } })}>{tool.name === 'tie' ? 'Done' : 'Choose guides'}</Button>
            <Button onClick={() => { edit(`Remove ${tie.name}`, (d) => { d.sway.ties.splice(index, 1); }); useEditor.setState({ selected: null, swayTool: { name: 'look' } }); }}><Trash2 size={12} />Remove</Button>
          </div>
          {tool.name === 'tie' && <><BrushFields names={['radiusMm']} id="tie" /><Note>Drag over the roots to tie their guides; with Ctrl held, to leave them out.</Note></>}
        </>
      )}
    </li>
  );
}
