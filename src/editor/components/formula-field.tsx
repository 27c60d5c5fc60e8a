'use client';
/** A formula in the tray: typed, checked where it stands, with what it can name beside it. */
import { useState, type ReactNode } from 'react';
import { FORMULA_FUNCTIONS, FORMULA_INPUTS } from '../../core/fill/formula-words';
import { helpProps } from './controls';

/** `inputs`: those of `FORMULA_INPUTS` it can name; `maps`: what is said of the maps it can. */
export function FormulaField({ label, testId, value, trouble, placeholder, help, inputs = Object.keys(FORMULA_INPUTS) as (keyof typeof FORMULA_INPUTS)[], maps, onTake }: { label: string; testId: string; value: string; trouble: { message: string; at: number } | null; placeholder: string; help: string; inputs?: readonly (keyof typeof FORMULA_INPUTS)[]; maps: ReactNode; onTake: (formula: string) => void }) {
  const [typed, setTyped] = useState<string | null>(null), [open, setOpen] = useState(false), take = (): void => { if (typed !== null && typed.trim() !== value) onTake(typed.trim()); setTyped(null); };
  return (
    <>
      <div className="flex items-center text-[11px] text-faint">Formula<button type="button" aria-expanded={open} onClick={() => setOpen(!open)} className="ml-auto underline decoration-dotted hover:text-text">what it can name</button></div>
      <textarea rows={value.length > 34 || typed ? 2 : 1} aria-label={label} data-testid={`${testId}-formula`} spellCheck={false} maxLength={600} placeholder={placeholder} value={typed ?? value} onChange={(e) => setTyped(e.target.value)} onKeyDown={(e) => { e.stopPropagation(); if (e.key === 'Enter') { e.preventDefault(); e.currentTarget.blur(); } else if (e.key === 'Escape') { setTyped(null); e.currentTarget.blur(); } }} {...helpProps(help)} onFocus={() => setTyped(value)} onBlur={take} className={`num w-full resize-none rounded bg-raised px-1.5 py-1 text-[12px] text-text placeholder:text-faint ${trouble && value ? 'outline outline-trouble' : ''}`} />
      {trouble && <p role="alert" data-testid={`${testId}-trouble`} className="text-[12px] leading-snug text-trouble">▲ {value && trouble.at > 0 ? <>at <code className="num">{value.slice(trouble.at, trouble.at + 14) || 'the end'}</code>: </> : null}{trouble.message}</p>}
      {open && (
        <dl className="mt-1 rounded bg-raised p-1.5 text-[11px] leading-snug text-faint">
          {inputs.map((name) => <div key={name}><dt className="num inline text-text">{name}</dt> <dd className="inline">{FORMULA_INPUTS[name]}</dd></div>)}
          <div>{maps}</div>
          {Object.values(FORMULA_FUNCTIONS).map((what) => <div key={what}>{what}</div>)}
          <div>and + − * / ^, a &lt; b ? c : d, abs, sqrt, sin, cos, min, max, floor, round, exp, log</div>
        </dl>
      )}
    </>
  );
}
