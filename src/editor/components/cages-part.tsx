'use client';
/** Sway: the hair moved in boxes of points instead of as strands. */
import { Box, ChevronDown, ChevronRight, Trash2, TriangleAlert } from 'lucide-react';
import { useMemo, useState } from 'react';
import { CAGE_PARAMETERS, MOST_CAGES, type CageParameter, type SwayCage } from '../../core/cage/cages';
import { nodeKey } from '../../core/mesh/character';
import { cageNotes, changeCage, putCage } from '../state/cage-edits';
import { useEditor } from '../state/store';
import { Button, Fold, helpProps, IconButton, Note, NumberField, OneOf, Toggle } from './controls';
import { useWorkshop } from './context';
import type { PanelProps } from './panel-parts';

const USUAL: CageParameter[] = ['hz', 'damping', 'amount', 'rise', 'still', 'firm', 'bulk'], MORE: CageParameter[] = ['weightG', 'air', 'points', 'softCm', 'wide', 'high', 'deep', 'x', 'y', 'z', 'turnX', 'turnY', 'turnZ'];

export function CagesPart({ document }: PanelProps) {
  const { session } = useWorkshop(), cages = document.sway.cages ?? [], on = cages.filter((c) => c.on);
  useEditor((s) => s.choiceCount);
  const chosen = session.guides ? session.combDesk.chosenOrAll().length : 0, all = session.guides?.planting.faces.length ?? 0, { guides } = session, { cages: kept } = document.sway;
  // eslint-disable-next-line react-hooks/exhaustive-deps -- the session itself does not change
  const notes = useMemo(() => cageNotes(session, kept ?? []), [kept, guides]);
  return (
    <Fold id="cages" title="Is it moved in cages?" summary={on.length > 0 ? on.map((c) => c.name).join(', ') : cages.length > 0 ? 'off' : 'no'}>
      <div className="flex flex-wrap items-center gap-2"><Button data-testid="put-cage" disabled={cages.length >= MOST_CAGES || !session.guides} onClick={() => putCage(session)} {...helpProps('A box of points about the hair, which swings and takes along what is inside. The light way: for those who stand far off.')}><Box size={13} />Put a cage round {chosen < all ? `${chosen} chosen` : 'all of it'}</Button></div>
      <ul className="mt-1">{cages.map((c) => <CageRow key={c.id} cage={c} />)}</ul>
      {notes.map((n) => <Note key={n}><TriangleAlert size={12} className="mr-1 inline text-copper" />{n}</Note>)}
      <Note>{on.length > 0 ? 'No strand is computed by itself now: what counts is the cages, what they collide with, the air, and how much of it shows (Give, its curve and its map).' : cages.length > 0 ? 'All cages are off: strands are computed one by one.' : 'Strands are computed one by one. In a cage they all go along with a few points that swing, for a small part of the time.'}</Note>
    </Fold>
  );
}

function CageRow({ cage }: { cage: SwayCage }) {
  const { session } = useWorkshop(), chosen = useEditor((s) => s.selected?.kind === 'cage' && s.selected.key === cage.id), [more, setMore] = useState(false), { id, name } = cage, toggle = (): void => useEditor.setState({ selected: chosen ? null : { kind: 'cage', key: id } });
  const joints = [{ value: '', label: 'nothing', help: 'It stays where it is.' }, ...session.character.nodes.map((_, i) => nodeKey(session.character, i)).map((value) => ({ value, label: value, help: 'What carries the cage.' }))], gone = joints.every((j) => j.value !== cage.joint);
  return (
    <li data-testid="cage" className="mb-1 rounded bg-raised px-1.5 py-1">
      <div className="flex items-center gap-1.5">
        <button type="button" aria-label={chosen ? `Close ${name}` : `Open ${name}`} aria-expanded={chosen} data-testid={`cage-${name}`} onClick={toggle} className="shrink-0 text-faint hover:text-text">{chosen ? <ChevronDown size={14} /> : <ChevronRight size={14} />}</button>
        {chosen ? <input aria-label="Name of the cage" defaultValue={name} key={name} onBlur={(e) => { const next = e.target.value.trim().slice(0, 60); if (next !== '' && next !== name) changeCage(id, `Cage is called ${next}`, { name: next }); }} onKeyDown={(e) => { if (e.key === 'Enter') e.currentTarget.blur(); }} className="h-6 min-w-0 flex-1 rounded bg-ground px-1" />
          : <button type="button" tabIndex={-1} onClick={toggle} className="min-w-0 flex-1 truncate text-left text-soft hover:text-text">{name}</button>}
        <span className="num text-[12px] text-faint">{cage.hz} Hz</span>
        <IconButton label={`Take ${name} away`} onClick={() => { useEditor.getState().edit(`Without ${name}`, (d) => { const left = (d.sway.cages ?? []).filter((x) => x.id !== id); if (left.length > 0) d.sway.cages = left; else delete d.sway.cages; }); useEditor.setState({ selected: null }); }}><Trash2 size={13} /></IconButton>
      </div>
      {chosen && (
        <>
          <Toggle label="Moves" help="Off: nothing goes along with this cage." checked={cage.on} onChange={(v) => changeCage(id, v ? `${name} moves` : `${name} does not move`, { on: v })} />
          <OneOf label="Follows" testId="cage-joint" value={cage.joint} options={gone ? [...joints, { value: cage.joint, label: `${cage.joint}: gone`, help: 'This character has no such joint.' }] : joints} onChange={(joint) => changeCage(id, joint ? `${name} follows ${joint}` : `${name} follows nothing`, { joint })} />
          {[...USUAL, ...(more ? MORE : [])].map((key) => <NumberField key={key} testId={`cage-${key}`} parameter={CAGE_PARAMETERS[key]} value={cage[key]} onChange={(v) => changeCage(id, `${CAGE_PARAMETERS[key].label} of ${name}`, { [key]: v }, key)} onCommit={() => useEditor.getState().endStep()} />)}
          <button type="button" className="mt-0.5 text-[12px] text-faint underline hover:text-text" onClick={() => setMore(!more)}>{more ? 'fewer' : 'where, and all else'}</button>
          <Note>In the view: drag its middle to move it, a side to make it larger.</Note>
        </>
      )}
    </li>
  );
}
