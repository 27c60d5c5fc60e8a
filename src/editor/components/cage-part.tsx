'use client';
/** The cage's numbers. */
import { useState } from 'react';
import { parameter } from '../../core/document/schema';
import { setComb as set, useEditor } from '../state/store';
import { Button, helpProps, Note, NumberField, Toggle } from './controls';
import { useWorkshop } from './context';

const N = {
  size: parameter('Handles', '', 2, 5, 1, 3, 'Along each edge of the box.', true),
  falloff: parameter('Falloff', 'cm', 0, 40, 0.5, 0, 'Handles so near to a chosen one go along, less the farther they are.'),
  move: ['x', 'y', 'z'].map((a) => parameter(`Move ${a}`, 'mm', -300, 300, 1, 0, 'How far the chosen handles move.')),
  turn: ['x', 'y', 'z'].map((a) => parameter(`Turn ${a}`, '°', -180, 180, 1, 0, 'How far they turn about their middle.')),
  scale: parameter('Scale', '×', 0.1, 3, 0.01, 1, 'How far they move away from their middle.'),
};

export function CagePart() {
  const { session } = useWorkshop(), { cage } = session.combDesk, comb = useEditor((s) => s.comb);
  useEditor((s) => s.choiceCount);
  const [by, setBy] = useState({ move: [0, 0, 0], turn: [0, 0, 0], scale: 1 }), standing = cage.cage;
  const go = (): void => { if (standing) cage.move(standing, { move: by.move.map((v) => v / 1000), turn: by.turn.map((v) => (v * Math.PI) / 180), scale: by.scale }); setBy({ move: [0, 0, 0], turn: [0, 0, 0], scale: 1 }); };
  const axis = (kind: 'move' | 'turn', k: number) => <NumberField key={kind + k} testId={`cage-${kind}-${'xyz'[k]}`} parameter={N[kind][k]} value={by[kind][k]} onChange={(v) => setBy({ ...by, [kind]: by[kind].map((w, c) => (c === k ? v : w)) })} onCommit={() => undefined} />;
  return (
    <div className="mt-1.5">
      <NumberField testId="cage-size" parameter={N.size} value={comb.cageSize} onChange={(cageSize) => set({ cageSize })} onCommit={() => undefined} />
      <NumberField parameter={N.falloff} value={comb.cageFalloffCm} onChange={(cageFalloffCm) => set({ cageFalloffCm })} onCommit={() => undefined} />
      <Toggle label="Lengths stay" help="Strands keep their lengths; else they grow and shrink with the cage." checked={comb.cageKeepsLengths} onChange={(cageKeepsLengths) => set({ cageKeepsLengths })} />
      <div className="mt-1 flex flex-wrap gap-1">
        <Button data-testid="cage-put" primary={!standing} onClick={() => cage.put()} {...helpProps('Round the chosen hair, or all of it. A cage that stands has its shape taken first.')}>{standing ? 'Another cage' : 'Put a cage round it'}</Button>
        {standing && <Button onClick={() => cage.pickAll()}>All handles</Button>}
      </div>
      {standing && (
        <>
          <Note>{cage.chosen.size === 0 ? 'Drag a handle; Ctrl-click chooses more of them.' : `${cage.chosen.size} handles chosen.`}</Note>
          {[0, 1, 2].map((k) => axis('move', k))}{[0, 1, 2].map((k) => axis('turn', k))}
          <NumberField testId="cage-scale" parameter={N.scale} value={by.scale} onChange={(scale) => setBy({ ...by, scale })} onCommit={() => undefined} />
          <div className="mt-1 flex gap-1"><Button data-testid="cage-move" disabled={cage.chosen.size === 0} onClick={go} {...helpProps('Moves, turns and scales the chosen handles by these numbers.')}>Move by that</Button><Button data-testid="cage-take" primary disabled={!cage.moved} onClick={() => cage.take()}>Take the shape</Button><Button onClick={() => cage.leave()}>Leave it</Button></div>
        </>
      )}
    </div>
  );
}
