'use client';
/** Sway: settings that a formula makes differ from guide to guide. */
import { useEffect, useState } from 'react';
import { X } from 'lucide-react';
import { SECOND_SET, SWAY_MAPS, SWAY_PARAMETERS, type SwayMap } from '../../core/document/schema';
import { FORMULA_INPUTS } from '../../core/fill/formula-words';
import type { Factors, FormulaSetting } from '../../core/sway/by-formula';
import { useEditor } from '../state/store';
import { useWorkshop } from './context';
import { Fold, IconButton, Note, OneOf } from './controls';
import { FormulaField } from './formula-field';
import type { PanelProps } from './panel-parts';
import { Spread } from './spread';

const INPUTS = (Object.keys(FORMULA_INPUTS) as (keyof typeof FORMULA_INPUTS)[]).filter((name) => name !== 't');
interface Found { troubles: Partial<Record<FormulaSetting, { message: string; at: number }>>; factors: Factors | null }

export function FormulasPart({ document }: PanelProps) {
  const { session } = useWorkshop(), formulas = document.sway.formulas ?? {}, chosen = SECOND_SET.filter((key) => formulas[key] !== undefined), left = SECOND_SET.filter((key) => formulas[key] === undefined), { edit } = useEditor.getState();
  const [found, setFound] = useState<Found>({ troubles: {}, factors: null }), key = JSON.stringify([formulas, document.guides?.offsets, document.guides?.planting, document.sway.maps]);
  // the library that reads formulas comes when there is one to read
  useEffect(() => {
    let gone = false;
    if (chosen.length > 0) void Promise.all([import('../../core/sway/by-formula'), import('../../core/bake/open-scene')]).then(([{ readSwayFormula, factorsOf }, { openScene }]) => {
      if (gone) return;
      const troubles: Found['troubles'] = {};
      for (const k of chosen) { const read = readSwayFormula(formulas[k]!); if ('message' in read) troubles[k] = read; }
      const { guides } = document, bytes = (id: string | null | undefined): Uint8Array | undefined => (id ? session.buffers.get(id) : undefined), planting = bytes(guides?.planting), offsets = bytes(guides?.offsets), maps = Object.fromEntries((Object.keys(SWAY_MAPS) as SwayMap[]).map((m) => [m, bytes(document.sway.maps[m])]));
      setFound({ troubles, factors: planting && offsets ? factorsOf(openScene(document, session.character, { planting, offsets, maps })).factors : null });
    });
    return () => { gone = true; };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key says all that counts
  }, [key]);
  const set = (k: FormulaSetting, text: string): void => edit(text ? `Formula of ${SWAY_PARAMETERS[k].label.toLowerCase()}` : `${SWAY_PARAMETERS[k].label} without a formula`, (d) => {
    const next = { ...d.sway.formulas };
    if (text) next[k] = text; else delete next[k];
    if (Object.keys(next).length > 0) d.sway.formulas = next; else delete d.sway.formulas;
  });
  return (
    <Fold id="formulas" title="By what rule does it differ?" summary={chosen.length > 0 ? chosen.map((k) => SWAY_PARAMETERS[k].label.toLowerCase()).join(', ') : 'none'}>
      {chosen.map((k) => (
        <div key={k} className="mb-2" data-testid={`rule-${k}`}>
          <div className="flex items-center text-soft">{SWAY_PARAMETERS[k].label}<span className="num ml-1.5 text-faint">{document.sway[k]} ×</span><span className="ml-auto"><IconButton label={`${SWAY_PARAMETERS[k].label} without a formula`} onClick={() => set(k, '')}><X size={13} /></IconButton></span></div>
          <FormulaField label={`Formula of ${SWAY_PARAMETERS[k].label}`} testId={`rule-${k}`} value={formulas[k]!} trouble={found.troubles[k] ?? null} placeholder="1" help="What the setting is multiplied by, guide by guide: 0.5 + random, or ramp(25, 10, length)." inputs={INPUTS}
            maps={<><span className="num text-text">{Object.keys(SWAY_MAPS).join(', ')}</span> painted maps, 0 … 1</>} onTake={(text) => set(k, text)} />
          {found.factors?.[k] && !found.troubles[k] && <Spread values={found.factors[k]} testId={`rule-${k}`} label="Factors over the guides" />}
        </div>
      ))}
      {left.length > 0 && <OneOf label="Setting" testId="rule-add" value="" onChange={(k: FormulaSetting | '') => { if (k) set(k, '0.7 + 0.6 * random'); }} options={[{ value: '', label: 'add one …', help: 'It begins with some of each guide’s own chance; change the formula to what you mean.' }, ...left.map((value) => ({ value, label: SWAY_PARAMETERS[value].label, help: SWAY_PARAMETERS[value].help }))]} />}
      {chosen.length === 0 && <Note>A formula multiplies a setting guide by guide: by length, by where it grows, by a map, or by chance.</Note>}
    </Fold>
  );
}
