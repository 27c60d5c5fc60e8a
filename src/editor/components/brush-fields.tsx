'use client';
import type { Parameter } from '../../core/document/schema';
import { BRUSH_RADIUS, useEditor } from '../state/store';
import { NumberField } from './controls';

/** The three numbers of a brush, as far as it has them. */
export function BrushFields({ names, id = 'brush' }: { names: ('radiusMm' | 'radiusPx' | 'strength' | 'falloff')[]; id?: string }) {
  const brush = useEditor((s) => s.brush);
  const table: Record<string, Parameter> = {
    radiusMm: BRUSH_RADIUS,
    radiusPx: { label: 'Radius', unit: 'px', min: 2, max: 400, step: 1, fallback: 90, help: 'Size of the brush on the screen. Hold R and move the pointer sideways to change it.' },
    strength: { label: 'Strength', unit: '', min: 0.02, max: 1, step: 0.01, fallback: 0.7, help: 'How much of the stroke the hair follows. Hold S and move the pointer.' },
    falloff: { label: 'Falloff', unit: '', min: 0.02, max: 1, step: 0.01, fallback: 0.8, help: 'Share of the radius over which the strength fades. Hold F and move the pointer.' },
  };
  return <>{names.map((n) => <NumberField key={n} testId={`${id}-${n}`} parameter={table[n]} value={brush[n]} onChange={(v) => useEditor.setState({ brush: { ...useEditor.getState().brush, [n]: v } })} onCommit={() => undefined} />)}</>;
}
