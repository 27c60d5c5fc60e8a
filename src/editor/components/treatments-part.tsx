'use client';
/** The list of treatments: in order, each on or off, alone, with its numbers and what drives its amount. */
import { closestCenter, DndContext, KeyboardSensor, PointerSensor, useSensor, useSensors } from '@dnd-kit/core';
import { SortableContext, sortableKeyboardCoordinates, useSortable, verticalListSortingStrategy } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { ChevronDown, Copy, Eye, EyeOff, GripVertical, Headphones, Plus, RotateCcw, Trash2 } from 'lucide-react';
import { toast } from 'sonner';
import { create } from 'zustand';
import { PLOT_MAPS, SWAY_MAPS, type Parameter } from '../../core/document/schema';
import { kindOf, TREATMENT_NAMES, TREATMENTS, type Treatment } from '../../core/fill/treatments';
import { useEditor } from '../state/store';
import { helpProps, IconButton, Note, NumberField, OneOf } from './controls';
import { FormulaField } from './formula-field';
import { ProfileField } from './profile-field';
import { Spread } from './spread';
import { useWorkshop } from './context';

const useOpen = create<{ id: string }>(() => ({ id: '' }));
export const openTreatment = (id: string): void => useOpen.setState({ id });

export function TreatmentsPart({ treatments }: { treatments: readonly Treatment[] }) {
  const { session } = useWorkshop(), sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 4 } }), useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }));
  return (
    <>
      <DndContext id="treatments" sensors={sensors} collisionDetection={closestCenter} onDragEnd={({ active, over }) => { if (over && active.id !== over.id) session.fillDesk.move(String(active.id), treatments.findIndex((t) => t.id === over.id)); }}>
        <SortableContext items={treatments.map((t) => t.id)} strategy={verticalListSortingStrategy}>
          <ol aria-label="Treatments" className="flex flex-col gap-[3px]">{treatments.map((t, i) => <Row key={t.id} treatment={t} number={i + 1} />)}</ol>
        </SortableContext>
      </DndContext>
      {treatments.length === 0 && <Note>Strands lie as their guides say. Add a treatment to gather them into locks, curl them, or let them wander.</Note>}
      <div className="mt-1.5">
        <Menu>
          <MenuButton data-testid="add-treatment" disabled={treatments.length >= 24} className="flex h-7 items-center gap-1.5 rounded-md border border-edge bg-raised px-3 hover:bg-lifted disabled:opacity-40"><Plus size={13} />Add a treatment<ChevronDown size={12} className="text-faint" /></MenuButton>
          <MenuItems anchor="bottom start" className="z-50 w-64 rounded-md border border-edge bg-panel p-1 shadow-lg [--anchor-gap:4px]">
            {TREATMENT_NAMES.map((kind) => <MenuItem key={kind}><button type="button" data-testid={`add-${kind}`} onClick={() => openTreatment(session.fillDesk.add(kind))} {...helpProps(TREATMENTS[kind].help)} className="block w-full rounded px-2 py-1 text-left data-focus:bg-lifted"><span className="text-text">{TREATMENTS[kind].label}</span><span className="block text-[11px] leading-tight text-faint">{TREATMENTS[kind].help}</span></button></MenuItem>)}
          </MenuItems>
        </Menu>
      </div>
    </>
  );
}

function Row({ treatment: t, number }: { treatment: Treatment; number: number }) {
  const { session } = useWorkshop(), open = useOpen((s) => s.id === t.id), { attributes, listeners, setNodeRef, transform, transition, isDragging } = useSortable({ id: t.id }), desk = session.fillDesk;
  useEditor((s) => s.filling);
  const trouble = session.filled?.strands.troubles.find((x) => x.id === t.id);
  return (
    <li ref={setNodeRef} style={{ transform: CSS.Translate.toString(transform), transition }} data-testid={`treatment-${t.id}`} data-kind={t.kind} className={`rounded-md border bg-ground ${isDragging ? 'z-10 border-copper' : trouble ? 'border-trouble' : 'border-line'}`}>
      <div className={`flex h-7 items-center gap-0.5 pr-1 ${t.on ? '' : 'opacity-50'}`}>
        <button type="button" {...attributes} {...listeners} aria-label={`Move ${t.name}`} title="Drag to another place; with the keyboard Space, then arrows" className="cursor-grab touch-none px-1 text-faint hover:text-text"><GripVertical size={13} /></button>
        <span className="num w-3 text-[10px] text-faint">{number}</span>
        <button type="button" aria-expanded={open} onClick={() => openTreatment(open ? '' : t.id)} className="min-w-0 flex-1 truncate text-left hover:text-copper">{t.name}{t.name !== kindOf(t).label && <span className="ml-1.5 text-[11px] text-faint">{kindOf(t).label.toLowerCase()}</span>}</button>
        {trouble && <span aria-hidden className="text-trouble" title={trouble.message}>▲</span>}
        <span className="num text-[11px] text-faint">{t.driver.formula ? 'ƒ' : t.driver.amount.toFixed(2)}</span>
        <IconButton label={`Only ${t.name}`} aria-pressed={t.solo} onClick={() => desk.change(t.id, t.solo ? 'Not alone' : 'Alone', { solo: !t.solo })}><Headphones size={12} /></IconButton>
        <IconButton label={t.on ? `Switch ${t.name} off` : `Switch ${t.name} on`} onClick={() => desk.change(t.id, t.on ? 'Off' : 'On', { on: !t.on })}>{t.on ? <Eye size={13} /> : <EyeOff size={13} />}</IconButton>
      </div>
      {open && <Details treatment={t} trouble={trouble ?? null} />}
    </li>
  );
}

const EVERYWHERE = { value: '', label: 'everywhere', help: 'The same all over the plot.' };
const MAPS = [EVERYWHERE, ...Object.entries({ ...PLOT_MAPS, ...SWAY_MAPS }).map(([value, label]) => ({ value, label: `by ${label.toLowerCase()}`, help: 'Multiplied with that painted map.' }))];
const AMOUNT = { unit: '×', min: 0, max: 4, step: 0.01, fallback: 1 }, LOW: Parameter = { label: 'From', unit: '×', min: 0, max: 4, step: 0.01, fallback: 1, help: 'Each strand has its own factor; this is the least.' }, HIGH: Parameter = { ...LOW, label: 'To', help: 'Each strand has its own factor; this is the greatest.' };
const SEED: Parameter = { label: 'Seed', unit: '', min: 0, max: 99999, step: 1, fallback: 1, integer: true, help: 'Another number gives other chances.' };

function Details({ treatment: t, trouble }: { treatment: Treatment; trouble: { message: string; at: number } | null }) {
  const { session } = useWorkshop(), desk = session.fillDesk, kind = kindOf(t), { driver } = t, end = useEditor.getState().endStep, byFormula = driver.formula !== '';
  const drive = (what: string, change: Partial<Treatment['driver']>, merge = true): void => desk.change(t.id, what, { driver: change }, merge);
  return (
    <div className="border-t border-line px-2 pt-1 pb-2">
      <div className="flex items-center gap-1">
        <input aria-label="Name of the treatment" key={t.name} defaultValue={t.name} onBlur={(e) => { const name = e.target.value.trim().slice(0, 60); if (name && name !== t.name) desk.change(t.id, 'Name', { name }); else e.target.value = t.name; }} onKeyDown={(e) => { if (e.key === 'Enter') e.currentTarget.blur(); }} className="w-0 flex-1 rounded bg-transparent px-1 hover:bg-raised focus:bg-raised" />
        <IconButton label={`Duplicate ${t.name}`} onClick={() => openTreatment(desk.duplicate(t.id))}><Copy size={12} /></IconButton>
        <IconButton label={`Remove ${t.name}`} onClick={() => { desk.remove(t.id); toast.info(`${t.name} was removed; it is one Undo away.`); }}><Trash2 size={12} /></IconButton>
      </div>
      {!byFormula && <NumberField testId={`amount-${t.id}`} parameter={{ ...AMOUNT, max: t.kind === 'clump' || t.kind === 'tint' || kind.lengths ? 1 : 4, label: 'Amount', help: `${kind.amount}.` }} value={driver.amount} onChange={(amount) => drive('Amount', { amount })} onCommit={end} />}
      {Object.entries(kind.parameters).map(([key, q]) => (shows(t, key)
        ? q.choices ? <OneOf key={key} label={q.label} testId={`${t.id}-${key}`} value={String(t.numbers[key])} onChange={(v) => desk.change(t.id, q.label, { numbers: { [key]: Number(v) } })} options={q.choices.map((label, i) => ({ value: String(i), label, help: q.help }))} />
          : <NumberField key={key} testId={`${t.id}-${key}`} parameter={q} value={t.numbers[key]} onChange={(v) => desk.change(t.id, q.label, { numbers: { [key]: v } }, true)} onCommit={end} />
        : null))}
      {t.kind === 'cut' && t.numbers.at === 2 && <OneOf label="Mesh" testId={`${t.id}-mesh`} value={t.mesh} onChange={(mesh) => desk.change(t.id, 'Mesh', { mesh })} options={[{ value: '', label: 'choose …', help: 'Strands end where they go through it.' }, ...session.character.meshes.filter((m) => m !== session.mesh).map((m) => ({ value: m.name, label: m.name, help: 'Strands end where they go through it.' }))]} />}
      {t.kind === 'tint' && t.numbers.by === 1 && <label className="flex h-7 items-center gap-1.5 text-soft">Colour<input type="color" data-testid={`${t.id}-colour`} aria-label={`Colour of ${t.name}`} value={t.colour} onChange={(e) => desk.change(t.id, 'Chosen colour', { colour: e.target.value }, true)} onBlur={end} className="ml-auto h-6 w-9 rounded border border-edge bg-transparent" /><span className="num text-faint">{t.colour}</span></label>}
      {!kind.lengths && (
        <div className="mt-1">
          <div className="mb-0.5 flex items-center text-[11px] text-faint">Root to tip<span className="ml-auto"><IconButton label="Reset the curve" disabled={JSON.stringify(driver.profile) === JSON.stringify(kind.profile)} onClick={() => drive('Curve', { profile: kind.profile.map(([a, b]) => [a, b]) }, false)}><RotateCcw size={11} /></IconButton></span></div>
          <ProfileField label={`Curve of ${t.name}`} value={driver.profile} onChange={(profile) => drive('Curve', { profile })} onCommit={end} />
        </div>
      )}
      {!byFormula && (
        <>
          <OneOf label="Where" testId={`${t.id}-map`} value={driver.map} onChange={(map) => drive('Where', { map }, false)} options={MAPS} />
          <NumberField testId={`${t.id}-low`} parameter={LOW} value={driver.low} onChange={(low) => drive('Least', { low })} onCommit={end} />
          <NumberField testId={`${t.id}-high`} parameter={HIGH} value={driver.high} onChange={(high) => drive('Greatest', { high })} onCommit={end} />
        </>
      )}
      <div className="mt-1"><FormulaField label={`Formula of ${t.name}`} testId={t.id} value={driver.formula} trouble={trouble} placeholder="none: the amount above" help="Takes the place of amount, map and range: 0.5 + 0.5 * random, or ramp(10, 25, length)." maps={MAP_WORDS} onTake={(formula) => drive('Formula', { formula }, false)} /></div>
      {!trouble && <Amounts treatment={t} />}
      <NumberField testId={`${t.id}-seed`} parameter={SEED} value={t.seed} onChange={(seed) => desk.change(t.id, 'Seed', { seed }, true)} onCommit={end} />
    </div>
  );
}
/** What is said of the maps a formula can name. */
const MAP_WORDS = <><span className="num text-text">{Object.keys({ ...PLOT_MAPS, ...SWAY_MAPS }).join(', ')}</span> painted maps, 0 … 1 (length is the strand’s, in cm; the length map is lengthMap)</>;

/** Numbers that mean something as the others stand. */
function shows(t: Treatment, key: string): boolean {
  if (t.kind === 'clump' && key === 'size') return t.numbers.to === 1;
  if (t.kind === 'tint' && key !== 'by') return t.numbers.by === 0;
  if (t.kind === 'cut' && key === 'lengthCm') return t.numbers.at === 0;
  if (t.kind === 'cut' && key === 'levelCm') return t.numbers.at === 1;
  return true;
}

/** What the amount comes to over the plot. */
function Amounts({ treatment: t }: { treatment: Treatment }) {
  const { session } = useWorkshop(), values = session.filled?.strands.samples[t.id];
  useEditor((s) => s.filling);
  return values ? <Spread values={values} testId={t.id} label="Amounts over the plot" /> : null;
}
