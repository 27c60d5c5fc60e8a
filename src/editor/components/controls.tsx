'use client';
/** Small controls all stages share. */
import { Listbox, ListboxButton, ListboxOption, ListboxOptions, Switch } from '@headlessui/react';
import { Check, ChevronDown, RotateCcw } from 'lucide-react';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { create } from 'zustand';
import type { Parameter } from '../../core/document/schema';

/** The sentence shown at the foot of the tray for what is pointed at or focused. */
export const useHelp = create<{ text: string; set: (text: string) => void }>((set) => ({ text: '', set: (text) => set({ text }) }));
export const helpProps = (text: string) => ({ onPointerEnter: () => useHelp.getState().set(text), onFocus: () => useHelp.getState().set(text), onPointerLeave: () => useHelp.getState().set(''), onBlur: () => useHelp.getState().set('') });

export function IconButton({ label, keys, children, ...rest }: { label: string; keys?: string; children: ReactNode } & React.ButtonHTMLAttributes<HTMLButtonElement>) {
  return <button type="button" aria-label={label} title={keys ? `${label} (${keys})` : label} {...rest} className="rounded p-1.5 text-soft enabled:hover:bg-lifted enabled:hover:text-text disabled:opacity-35 aria-pressed:bg-lifted aria-pressed:text-copper">{children}</button>;
}

export function Button({ primary, children, ...rest }: { primary?: boolean; children: ReactNode } & React.ButtonHTMLAttributes<HTMLButtonElement>) {
  return <button type="button" {...rest} className={`flex h-7 items-center justify-center gap-1.5 rounded-md px-3 whitespace-nowrap disabled:opacity-40 ${primary ? 'bg-copper font-semibold text-copperink enabled:hover:brightness-110' : 'border border-edge bg-raised enabled:hover:bg-lifted'} ${rest.className ?? ''}`}>{children}</button>;
}

/** Block of the tray under one question. */
export function Question({ title, children, aside }: { title: string; children: ReactNode; aside?: ReactNode }) {
  return <section className="border-b border-line px-3 py-2.5"><h3 className="mb-1.5 flex items-center font-semibold">{title}{aside && <span className="ml-auto font-normal">{aside}</span>}</h3>{children}</section>;
}
/** The same, folded away; what it says in short stands beside its title. */
const useFolds = create<{ open: Record<string, boolean> }>(() => ({ open: { made: true, around: true, treated: true } }));
/** Opens all that is folded, so that any setting can be reached by name. */
export const unfold = (): void => useFolds.setState({ open: Object.fromEntries(FOLDS.map((f) => [f, true])) });
export const openFold = (id: (typeof FOLDS)[number]): void => useFolds.setState({ open: { ...useFolds.getState().open, [id]: true } });
const FOLDS = ['chosen', 'sides', 'layers', 'numbers', 'gap', 'seen', 'made', 'holds', 'around', 'loft', 'ties', 'air', 'carry', 'careful', 'second', 'treated', 'divided', 'thick', 'colour', 'lit', 'cards', 'planted', 'receivers', 'movie', 'file', 'chains', 'meshHair', 'cages', 'drops', 'sheet', 'load', 'formulas'] as const;
export function Fold({ id, title, summary, children }: { id: (typeof FOLDS)[number]; title: string; summary?: string; children: ReactNode }) {
  const open = useFolds((s) => s.open[id] ?? false);
  return (
    <section className="border-b border-line px-3 py-2">
      <h3><button type="button" data-testid={`fold-${id}`} aria-expanded={open} onClick={() => useFolds.setState({ open: { ...useFolds.getState().open, [id]: !open } })} className="flex w-full items-center font-semibold"><ChevronDown size={13} className={`mr-1 -ml-1 shrink-0 text-faint ${open ? '' : '-rotate-90'}`} />{title}{!open && summary && <span className="ml-auto truncate pl-2 font-normal text-faint">{summary}</span>}</button></h3>
      {open && <div className="mt-1">{children}</div>}
    </section>
  );
}
/** A small switch without a word of its own. */
export function Tick({ label, checked, onChange }: { label: string; checked: boolean; onChange: (v: boolean) => void }) {
  return (
    <Switch checked={checked} onChange={onChange} aria-label={label} title={label} className="flex size-[14px] shrink-0 items-center justify-center rounded-[3px] border-[1.5px] border-faint data-checked:border-copper data-checked:bg-copper">
      {checked && <svg width="9" height="9" viewBox="0 0 10 10" aria-hidden><path d="M1.5 5.2l2.4 2.4L8.6 2.4" fill="none" strokeWidth="1.8" className="stroke-copperink" /></svg>}
    </Switch>
  );
}
export const Note = ({ children }: { children: ReactNode }) => <p className="mt-1 text-[12px] leading-snug text-faint">{children}</p>;

export function Toggle({ label, help, checked, onChange, aside }: { label: string; help: string; checked: boolean; onChange: (v: boolean) => void; aside?: ReactNode }) {
  return (
    <div className="flex h-6 items-center gap-2 text-soft" {...helpProps(help)}>
      <Tick label={label} checked={checked} onChange={onChange} />
      <button type="button" tabIndex={-1} className="text-left" onClick={() => onChange(!checked)}>{label}</button>
      {aside && <span className="num ml-auto text-faint">{aside}</span>}
    </div>
  );
}

export function Choice<T extends string>({ label, options, value, onChange }: { label: string; options: readonly { value: T; label: string; help?: string }[]; value: T; onChange: (v: T) => void }) {
  return (
    <div role="radiogroup" aria-label={label} className="inline-flex rounded-md bg-ground p-0.5">
      {options.map((o) => <button key={o.value} type="button" role="radio" aria-checked={o.value === value} onClick={() => onChange(o.value)} {...helpProps(o.help ?? '')} className="rounded-[5px] px-2.5 py-[3px] text-faint hover:text-text aria-checked:bg-edge aria-checked:text-text">{o.label}</button>)}
    </div>
  );
}

/** One of many, from a list that opens. */
export function OneOf<T extends string>({ label, options, value, onChange, testId }: { label: string; options: readonly { value: T; label: string; aside?: string; help: string }[]; value: T; onChange: (v: T) => void; testId?: string }) {
  const chosen = options.find((o) => o.value === value);
  return (
    <Listbox value={value} onChange={onChange}>
      <div className="grid h-7 grid-cols-[72px_1fr] items-center gap-2 text-soft" {...helpProps(chosen?.help ?? '')}>
        <span className="truncate" title={label}>{label}</span>
        <ListboxButton aria-label={label} data-testid={testId} className="flex h-6 items-center gap-2 rounded-md border border-edge bg-raised px-2 text-left text-text hover:bg-lifted"><span className="truncate">{chosen?.label}</span><ChevronDown size={13} className="ml-auto shrink-0 text-faint" /></ListboxButton>
      </div>
      <ListboxOptions anchor="bottom end" className="z-50 max-h-80 w-72 overflow-y-auto rounded-md border border-edge bg-panel p-1 shadow-lg [--anchor-gap:4px]">
        {options.map((o) => <ListboxOption key={o.value} value={o.value} {...helpProps(o.help)} className="flex cursor-default items-center gap-2 rounded px-2 py-1 text-soft data-focus:bg-lifted data-focus:text-text"><Check size={12} className={o.value === value ? 'text-copper' : 'invisible'} />{o.label}<span className="num ml-auto text-faint">{o.aside}</span></ListboxOption>)}
      </ListboxOptions>
    </Listbox>
  );
}

const decimals = (step: number): number => Math.max(0, Math.min(4, -Math.floor(Math.log10(step) + 1e-9)));
/** A number as it is shown: to its step, or to a place more and two figures at least where it lies between. */
export function text(value: number, p: Pick<Parameter, 'step' | 'integer' | 'digits'>): string {
  if (p.integer) return String(value);
  if (p.digits !== undefined) return String(Number(value.toFixed(p.digits)));
  const places = decimals(p.step), shown = value.toFixed(places);
  if (value === 0 || Math.abs(Number(shown) - value) < 1e-9) return shown;
  return String(Number(value.toFixed(Math.min(6, Math.max(places + 1, 1 - Math.floor(Math.log10(Math.abs(value))))))));
}
/** Steps of a number that is dragged by ratio are two figures of it, where that is finer. */
export const stepAt = (p: Parameter, value: number): number => (byRatio(p) && !p.integer && value > 0 ? Math.min(p.step, 10 ** (Math.floor(Math.log10(value) + 1e-9) - 1)) : p.step);
export const boundTo = (p: Parameter, value: number): number => {
  const v = Math.min(p.max, Math.max(p.min, value));
  return p.integer ? Math.round(v) : Number(v.toFixed(6));
};
/** Wide ranges are dragged by ratio, narrow ones evenly. */
const byRatio = (p: Parameter): boolean => p.min > 0 && p.max / p.min > 100;

/** A number: drag the track or the label, type it, arrow keys, reset. `onChange` while it moves, `onCommit` when let go. */
/** `physical`: what the number comes to, shown beside it. */
export function NumberField({ parameter: p, value, onChange, onCommit, testId, physical }: { parameter: Parameter; value: number; onChange: (v: number) => void; onCommit: () => void; testId?: string; physical?: string }) {
  const [typed, setTyped] = useState<string | null>(null);
  const track = useRef<HTMLDivElement>(null);
  const share = byRatio(p) ? Math.log(value / p.min) / Math.log(p.max / p.min) : (value - p.min) / (p.max - p.min);
  const fromShare = (s: number): number => { const c = Math.min(1, Math.max(0, s)); const raw = byRatio(p) ? p.min * Math.pow(p.max / p.min, c) : p.min + c * (p.max - p.min); const step = stepAt(p, raw); return boundTo(p, Math.round(raw / step) * step); };
  const help = `${p.help}${p.unit ? ` In ${p.unit}.` : ''} From ${text(p.min, p)} to ${text(p.max, p)}; usually ${text(p.fallback, p)}.`;

  const dragTrack = (e: React.PointerEvent<HTMLDivElement>): void => {
    if (e.button !== 0) return;
    const box = track.current!.getBoundingClientRect(), move = (x: number): void => onChange(fromShare((x - box.left) / box.width));
    follow(e, (m) => move(m.clientX), onCommit);
    move(e.clientX);
  };
  const dragLabel = (e: React.PointerEvent<HTMLElement>): void => {
    if (e.button !== 0) return;
    const x0 = e.clientX, s0 = share;
    follow(e, (m) => onChange(fromShare(s0 + (m.clientX - x0) / (m.shiftKey ? 2400 : 240))), onCommit);
  };
  const nudge = (by: number): void => { onChange(boundTo(p, value + by * stepAt(p, value))); onCommit(); };
  const take = (): void => {
    if (typed === null) return;
    const v = Number(typed.replace(',', '.'));
    setTyped(null);
    // looked at only: it may be finer than is shown
    if (typed === text(value, p)) return;
    if (typed.trim() === '' || !Number.isFinite(v)) return;
    onChange(boundTo(p, v));
    onCommit();
  };
  return (
    <div className={`group grid h-6 items-center gap-2 text-soft ${physical === undefined ? 'grid-cols-[98px_1fr_74px]' : 'grid-cols-[72px_1fr_48px_82px]'}`} {...helpProps(help)}>
      <span className="flex cursor-ew-resize touch-none items-center gap-1 truncate" onPointerDown={dragLabel}>
        <span className="truncate">{p.label}</span>
        {value !== p.fallback && <button type="button" aria-label={`Reset ${p.label}`} title={`Back to ${text(p.fallback, p)}`} onPointerDown={(e) => e.stopPropagation()} onClick={() => { onChange(p.fallback); onCommit(); }} className="text-faint opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 hover:text-copper"><RotateCcw size={11} /></button>}
      </span>
      <div ref={track} role="slider" tabIndex={0} aria-label={p.label} aria-valuemin={p.min} aria-valuemax={p.max} aria-valuenow={value} onPointerDown={dragTrack}
        onKeyDown={(e) => { const by = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[e.key]; if (by) { e.preventDefault(); e.stopPropagation(); nudge(by); } }}
        className="relative flex h-4 cursor-ew-resize touch-none items-center">
        <div className="h-[3px] w-full rounded bg-edge"><div className="h-full rounded bg-copper" style={{ width: `${share * 100}%` }} /></div>
        <div className="absolute h-[11px] w-[3px] -translate-x-1/2 rounded-[1px] bg-text" style={{ left: `${share * 100}%` }} />
      </div>
      <label className="flex items-center justify-end gap-1">
        <input
          data-testid={testId} aria-label={`${p.label}, number`} value={typed ?? text(value, p)} inputMode="decimal" onFocus={(e) => { setTyped(text(value, p)); e.target.select(); }} onChange={(e) => setTyped(e.target.value)} onBlur={take}
          onKeyDown={(e) => { if (e.key === 'Enter') { take(); e.currentTarget.blur(); } else if (e.key === 'Escape') { setTyped(null); e.currentTarget.blur(); } else if (e.key === 'ArrowUp' || e.key === 'ArrowDown') { e.preventDefault(); setTyped(null); nudge(e.key === 'ArrowUp' ? 1 : -1); } }}
          className="num w-full min-w-0 rounded bg-transparent px-1 text-right text-text hover:bg-ground focus:bg-ground"
        />
        {p.unit && physical === undefined && <span className="num shrink-0 text-faint">{p.unit === 'frames' ? 'fr' : p.unit}</span>}
      </label>
      {physical !== undefined && <output className="num truncate text-right text-faint" title={physical}>{physical}</output>}
    </div>
  );
}

/** Calls `move` for a captured pointer until it is let go. */
export function follow(e: React.PointerEvent<Element>, move: (e: PointerEvent) => void, end: () => void): void {
  const target = e.currentTarget;
  target.setPointerCapture(e.pointerId);
  const onMove = (m: Event): void => move(m as PointerEvent);
  const onUp = (): void => {
    target.removeEventListener('pointermove', onMove);
    target.removeEventListener('pointerup', onUp);
    target.removeEventListener('pointercancel', onUp);
    end();
  };
  target.addEventListener('pointermove', onMove);
  target.addEventListener('pointerup', onUp);
  target.addEventListener('pointercancel', onUp);
}

/** Width and height of an element as it changes. */
export function useSize<T extends HTMLElement>(): [React.RefObject<T | null>, { width: number; height: number }] {
  const ref = useRef<T | null>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  useEffect(() => {
    const element = ref.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setSize({ width: element.clientWidth, height: element.clientHeight }));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [ref, size];
}
