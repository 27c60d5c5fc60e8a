'use client';
/** Joints that are moved as rods: chosen here, set up in Sway. */
import { Link2, Plus, Trash2 } from 'lucide-react';
import { useRouter } from 'next/navigation';
import { useMemo, useState } from 'react';
import { toast } from 'sonner';
import { findChains, jointsOf, MOST_JOINTS, type Chain } from '../../core/chain/chains';
import { findNode, nodeKey, type Character } from '../../core/mesh/character';
import { useEditor } from '../state/store';
import { Button, Fold, helpProps, IconButton, Note, NumberField, OneOf, Question, Tick } from './controls';
import { useWorkshop } from './context';
import type { PanelProps } from './panel-parts';
import { many } from '../state/many';

const newId = (n: number): string => `c${Date.now().toString(36)}${n}`;
/** What runs of joints are called: as their first joint, without the number at its end. */
const nameOf = (joints: readonly string[]): string => joints[0].replace(/[\s._-]*\d+$/, '').slice(0, 60) || joints[0].slice(0, 60);
const named = (chains: readonly Chain[], joints: readonly string[]): string => { const taken = new Set(chains.map((c) => c.name)), base = nameOf(joints); let name = base; for (let n = 2; taken.has(name); n++) name = `${base.slice(0, 55)} ${n}`; return name; };
const told = (cause: unknown): void => { toast.error(cause instanceof Error ? cause.message : String(cause)); };

/** Cast: what could be moved as chains, in a groom of its own. */
export function ChainsPart() {
  const { session } = useWorkshop(), router = useRouter(), found = useMemo(() => findChains(session.character), [session]), likely = found.filter((f) => f.likely);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(() => new Set(likely.map((f) => f.joints.join()))), [busy, setBusy] = useState(false);
  if (found.length === 0) return null;
  const begin = async (): Promise<void> => {
    const chains: Chain[] = [];
    for (const f of found) if (chosen.has(f.joints.join())) chains.push({ id: newId(chains.length), name: named(chains, f.joints), joints: f.joints.slice(0, MOST_JOINTS), kept: 0, bendDeg: null });
    setBusy(true);
    try { router.push(`/groom/${await session.chains.begin(chains.length === 1 ? `${chains[0].name} as a chain` : 'chains', chains)}`); }
    catch (e) { told(e); setBusy(false); }
  };
  const row = ({ joints }: { joints: string[] }): React.ReactNode => {
    const key = joints.join();
    return <li key={key} className="flex h-6 items-center gap-2 text-soft"><Tick label={`Move ${nameOf(joints)}`} checked={chosen.has(key)} onChange={(on) => setChosen(new Set(on ? [...chosen, key] : [...chosen].filter((k) => k !== key)))} /><span className="truncate" title={joints.join(' → ')}>{nameOf(joints)}</span><span className="num ml-auto shrink-0 text-faint">{joints.length} joint{joints.length === 1 ? '' : 's'}</span></li>;
  };
  return (
    <Fold id="chains" title="What hangs on joints?" summary={likely.length > 0 ? `${likely.length} likely` : many(found.length, 'run')}>
      <ul>{likely.map(row)}</ul>
      {found.length > likely.length && <details><summary className="cursor-pointer text-[12px] text-faint">{found.length - likely.length} other runs of joints</summary><ul className="mt-1">{found.filter((f) => !f.likely).map(row)}</ul></details>}
      <div className="mt-1.5"><Button data-testid="begin-chains" disabled={chosen.size === 0 || busy} onClick={() => void begin()} {...helpProps('Makes a groom on this character in which these joints are moved as rods; set up, run, proved and baked as hair is. The file’s own movement stays as it is.')}><Link2 size={13} />{busy ? 'Making it …' : 'Move these by dynamics'}</Button></div>
      <Note>Tails, plaits, ears, straps and coat-tails that have joints of their own. Their result is keys on these joints.</Note>
    </Fold>
  );
}

/** Plant, of a groom of chains: which joints, and how many of them stay with the animation. */
export function ChainPanel({ document, drawn = false }: PanelProps & { drawn?: boolean }) {
  const { session } = useWorkshop(), { character } = session, { chains } = document, [tip, setTip] = useState(''), marked = useEditor((s) => s.marked);
  const change = (label: string, next: readonly Chain[], merge?: string): void => { try { session.chains.change(label, next, merge); } catch (e) { told(e); } };
  const free = useMemo(() => findChains(character).filter((f) => !chains.some((c) => c.joints.some((j) => f.joints.includes(j)))), [character, chains]), joints = useMemo(() => [...jointsOf(character)].map((n) => nodeKey(character, n)), [character]);
  const line = tip === '' ? [] : lineTo(character, tip);
  const link = (): void => {
    const taken = new Set(document.sway.ties.map((t) => t.name));
    let name = 'links', n = 2;
    while (taken.has(name)) name = `links ${n++}`;
    useEditor.getState().edit('Link neighbouring chains', (d) => { d.sway.ties.push({ id: `t${Date.now().toString(36)}`, name, on: true, kind: 'pairs', guides: chains.map((_, g) => g), from: 0.1, to: 1, node: '', firmness: 0.5, snap: null, wears: null, reachMm: 200 }); });
    useEditor.setState({ stage: 'sway', selected: { kind: 'tie', key: useEditor.getState().history!.document.sway.ties.at(-1)!.id } });
  };
  return (
    <>
      <Question title="Which joints hang?" aside={<span className="num text-faint">{chains.length}</span>}>
        <ul>{chains.map((c, k) => (
          <li key={c.id} data-testid="chain" className={`mb-1 rounded px-1.5 py-1 ${marked === k ? 'bg-lifted' : 'bg-raised'}`}>
            <div className="flex items-center gap-1.5">
              <input aria-label={`Name of chain ${k + 1}`} defaultValue={c.name} onFocus={() => useEditor.setState({ marked: k })} onBlur={(e) => { const name = e.target.value.trim().slice(0, 60); if (name !== '' && name !== c.name) change(`Chain is called ${name}`, chains.map((x) => (x.id === c.id ? { ...x, name } : x))); }} onKeyDown={(e) => { if (e.key === 'Enter') e.currentTarget.blur(); }} className="h-6 min-w-0 flex-1 rounded bg-transparent px-1 hover:bg-ground focus:bg-ground" />
              <span className="num text-faint" title={c.joints.join(' → ')}>{c.joints.length} joint{c.joints.length === 1 ? '' : 's'}</span>
              {!drawn && <IconButton label={`Take ${c.name} away`} disabled={chains.length === 1} onClick={() => change(`Without ${c.name}`, chains.filter((x) => x.id !== c.id))}><Trash2 size={13} /></IconButton>}
            </div>
            {c.joints.length > 1 && <NumberField testId={`kept-${k}`} parameter={{ label: 'Keep', unit: 'joints', min: 0, max: c.joints.length - 1, step: 1, fallback: 0, integer: true, help: 'So many joints from its root on stay with the animation; the rod begins behind them.' }} value={c.kept} onChange={(kept) => { if (kept !== c.kept) change(`${c.name} keeps ${kept}`, chains.map((x) => (x.id === c.id ? { ...x, kept } : x)), `chain.${c.id}.kept`); }} onCommit={() => useEditor.getState().endStep()} />}
            <NumberField testId={`bend-${k}`} parameter={{ label: 'Bends to', unit: '°', min: 0, max: 180, step: 1, fallback: 180, help: 'How far each of its joints may bend from where the rest pose has it against the one before; 180: as far as it likes.' }} value={c.bendDeg ?? 180} onChange={(v) => useEditor.getState().edit(`${c.name} bends to ${Math.round(v)}°`, (d) => { d.chains[k].bendDeg = v >= 180 ? null : v; }, `chain.${c.id}.bend`)} onCommit={() => useEditor.getState().endStep()} />
          </li>
        ))}</ul>
        {!drawn && free.length > 0 && <OneOf label="Another" testId="chain-add" value="" onChange={(v) => { const f = free.find((x) => x.joints.join() === v); if (f) change(`Chain ${nameOf(f.joints)}`, [...chains, { id: newId(chains.length), name: named(chains, f.joints), joints: f.joints.slice(0, MOST_JOINTS), kept: 0, bendDeg: null }]); }} options={[{ value: '', label: 'a run of joints …', help: 'Joints that hang one on the other.' }, ...free.map((f) => ({ value: f.joints.join(), label: nameOf(f.joints), aside: `${f.joints.length}`, help: f.joints.join(' → ') }))]} />}
        {!drawn && <OneOf label="Or up to" testId="chain-tip" value={tip} onChange={setTip} options={[{ value: '', label: 'a joint …', help: 'The joint a chain is to end at; it begins at one above it.' }, ...joints.map((value) => ({ value, label: value, help: 'The chain ends here.' }))]} />}
        {line.length > 0 && <div className="flex flex-wrap items-center gap-1 text-soft"><span className="w-[72px]">from</span>{line.map((from, k) => <button key={from} type="button" className="rounded-md border border-edge px-1.5 py-[1px] text-[12px] hover:bg-lifted" onClick={() => { change(`Chain ${from} … ${tip}`, [...chains, { id: newId(chains.length), name: named(chains, line.slice(k)), joints: line.slice(k), kept: 0, bendDeg: null }]); setTip(''); }}><Plus size={11} className="mr-0.5 inline" />{from}</button>)}</div>}
      </Question>
      {chains.length > 1 && <Question title="Do they keep together?"><Button data-testid="link-chains" onClick={link} {...helpProps('Ties each chain to the one beside it, joint by joint, so that the strips of a skirt or of coat-tails stay together; soft or hard, as every tie.')}><Link2 size={13} />Link neighbours</Button></Question>}
      <Question title="What next?"><p className="mb-2 text-soft">A chain is a rod through its joints. What it is made of, what holds it and what it touches is set in Sway; hold draws it to the file’s own movement.</p><Button primary onClick={() => useEditor.setState({ stage: 'sway' })}>Go to Sway</Button></Question>
    </>
  );
}
/** Joints from the top down to one, the nearest last; at most so many. */
function lineTo(character: Character, tip: string): string[] {
  const out: string[] = [];
  for (let n = findNode(character, tip); n >= 0 && out.length < 12; n = character.nodes[n].parent) out.unshift(nodeKey(character, n));
  return out;
}

/** Stages that have nothing to do with chains say so. */
export function NotOfChains({ what }: { what: string }) {
  return <Question title="Not of chains"><p className="mb-3 text-soft">{what}</p><Button primary onClick={() => useEditor.setState({ stage: 'sway' })}>Go to Sway</Button></Question>;
}
