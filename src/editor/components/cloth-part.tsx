'use client';
/** What a sheet is made of: a cloth of the table, or one's own figures, in the units cloth is measured in. */
import { bendingLength, CLOTH_NAMES, CLOTHS, newSheet, SHEET_PARAMETERS, type SheetParameter } from '../../core/sway/cloth';
import { useEditor } from '../state/store';
import { Note, NumberField, OneOf } from './controls';
import type { PanelProps } from './panel-parts';

const OPTIONS = CLOTH_NAMES.map((value) => ({ value, label: CLOTHS[value].label, help: `${CLOTHS[value].gsm} g/m², bends with ${CLOTHS[value].bend} µN·m.` }));

export function ClothFields({ document }: PanelProps) {
  const sheet = document.sway.sheet!, edit = useEditor.getState().edit;
  return (
    <>
      <OneOf label="Cloth" testId="sheet-cloth" value={sheet.cloth} options={OPTIONS} onChange={(cloth) => edit(`Cloth: ${CLOTHS[cloth].label}`, (d) => { d.sway.sheet = newSheet(cloth, sheet.around); })} />
      {(Object.keys(SHEET_PARAMETERS) as SheetParameter[]).map((key) => <NumberField key={key} testId={`sheet-${key}`} parameter={{ ...SHEET_PARAMETERS[key], fallback: CLOTHS[sheet.cloth][key] }} value={sheet[key]} physical={key === 'bend' ? `${(1000 * bendingLength(sheet)).toFixed(0)} mm` : undefined} onChange={(v) => edit(`${SHEET_PARAMETERS[key].label} of the cloth`, (d) => { d.sway.sheet![key] = v; }, `sheet.${key}`)} onCommit={() => useEditor.getState().endStep()} />)}
      <Note>Each line is a strip of this cloth as wide as it is far from its neighbours there, and is linked to them by the cloth’s stretch, shear and bending.</Note>
    </>
  );
}
