'use client';
/** What the stages' panels share. */
import type { ReactNode } from 'react';
import type { GroomDocument, Parameter } from '../../core/document/schema';
import { useEditor } from '../state/store';
import { Button, NumberField, Question } from './controls';

export type Group = 'plant' | 'fill' | 'cards' | 'planted' | 'sway' | 'bake';

/** A field bound to one number of the document. */
export function Field<G extends Group>({ group, name, table, physical }: { group: G; name: string; table: Record<string, Parameter>; physical?: string }) {
  const value = useEditor((s) => (s.history!.document[group] as unknown as Record<string, number>)[name]);
  const parameter = table[name];
  return (
    <NumberField testId={`${group}-${name}`} parameter={parameter} value={value} physical={physical}
      onChange={(v) => useEditor.getState().edit(`${parameter.label}`, (d) => { (d[group] as unknown as Record<string, number>)[name] = v; }, `${group}.${name}`)}
      onCommit={() => useEditor.getState().endStep()} />
  );
}

export interface PanelProps { document: GroomDocument }

/** A panel that cannot do anything yet says what comes first. */
export function First({ children, to, label }: { children: ReactNode; to: 'plant' | 'sway'; label: string }) {
  return <Question title="Nothing here yet"><p className="mb-3 text-soft">{children}</p><Button primary onClick={() => useEditor.setState({ stage: to })}>{label}</Button></Question>;
}

