'use client';
/** A character's files before they are taken: what is in them, how large it is, which way it stands, what each mesh is. */
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react';
import { scaleLinear } from 'd3-scale';
import { TriangleAlert } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import type { Role } from '../../core/mesh/character';
import { AS_IT_IS, guessUnit, guessUp, plausibleHeight, UNITS, UPS, type ImportChoices, type Placement, type Unit } from '../../core/mesh/placement';
import type { NamedFile } from '../../formats/file-set';
import type { ImportSummary } from '../../workers/import.worker';
import { ApiError, importChoices, uploadCharacter } from '../state/api';
import { readFiles } from '../state/read-files';
import { ImportPreview, type Frame } from '../view/import-preview';
import { Button, Note, OneOf, Toggle, useHelp, useSize } from './controls';
import { tall } from './units';
import { ROLE_OPTIONS } from './roles';

const UNIT_NAMES: Record<Unit, string> = { m: 'metres', cm: 'centimetres', mm: 'millimetres', in: 'inches', ft: 'feet' };
const UP_NAMES: Record<(typeof UPS)[number], string> = { '+y': 'Y up', '-y': 'Y down', '+z': 'Z up', '-z': 'Z down', '+x': 'X up', '-x': 'X down' };

/** What the file's own numbers suggest. */
function guess(summary: ImportSummary): Placement {
  const up = guessUp(summary.low, summary.high);
  return { ...AS_IT_IS, up, scale: UNITS[guessUnit(fileHeight(summary, up))] };
}
/** In units of the file. */
function fileHeight({ low, high }: ImportSummary, up: Placement['up']): number {
  const axis = 'xyz'.indexOf(up[1]);
  return high[axis] - low[axis];
}

export function BringIn({ files, onDone, onClose, onRefused }: { files: NamedFile[]; onDone: (groomId: string, warnings: string[]) => void; onClose: () => void; onRefused: (message: string) => void }) {
  const [summary, setSummary] = useState<ImportSummary | null>(null), [remembered, setRemembered] = useState(false);
  const [step, setStep] = useState('Opening the files'), [choices, setChoices] = useState<ImportChoices | null>(null);
  const [name, setName] = useState(''), [storing, setStoring] = useState(false), [error, setError] = useState<string | null>(null);
  const refused = useRef(onRefused);
  useEffect(() => { refused.current = onRefused; }, [onRefused]);

  useEffect(() => {
    const stop = new AbortController();
    readFiles('character', files, setStep, stop.signal).then(async ({ summary: read }) => {
      const before = await importChoices(read.source).catch(() => null);
      if (stop.signal.aborted) return;
      // one program may have written files in several units
      const placement = before && plausibleHeight(before.placement.scale * fileHeight(read, before.placement.up)) ? before.placement : null;
      setRemembered(placement !== null);
      const known = Object.entries(before?.roles ?? {}).filter(([mesh]) => read.meshes.some((m) => m.name === mesh));
      setChoices({ placement: placement ?? guess(read), joinClips: read.inPieces, roles: Object.fromEntries(known) });
      setName(read.fileName.replace(/\.[^.]*$/, ''));
      setSummary(read);
    }).catch((e: unknown) => { if (!stop.signal.aborted) refused.current(e instanceof Error ? e.message : String(e)); });
    return () => stop.abort();
  }, [files]);

  const store = async (): Promise<void> => {
    if (!choices || !summary) return;
    setStoring(true);
    setError(null);
    try {
      const { groomId, warnings } = await uploadCharacter(files, summary.fileName, name.trim() || summary.fileName, choices);
      onDone(groomId, warnings);
    } catch (cause) {
      setStoring(false);
      setError(cause instanceof ApiError ? cause.message : String(cause));
    }
  };
  return (
    <Dialog open onClose={storing ? () => undefined : onClose} className="relative z-40">
      <div className="fixed inset-0 bg-black/60" aria-hidden />
      <div className="fixed inset-0 flex items-center justify-center p-6">
        <DialogPanel data-testid="bring-in" className="flex h-[760px] max-h-full w-full max-w-[1080px] flex-col overflow-hidden rounded-lg border border-edge bg-panel shadow-2xl">
          <DialogTitle className="border-b border-line px-4 py-3 text-[15px] font-semibold">Bring in {summary ? `“${summary.fileName}”` : 'a character'}</DialogTitle>
          {!summary || !choices ? (
            <div className="flex flex-1 flex-col items-center justify-center gap-3"><p role="status" className="text-soft">{step} …</p><div className="h-1 w-56 overflow-hidden rounded bg-edge"><div className="h-full w-1/3 animate-pulse rounded bg-copper" /></div><Button onClick={onClose}>Stop</Button></div>
          ) : <Choosing summary={summary} choices={choices} remembered={remembered} onChange={setChoices} name={name} onName={setName} />}
          {error && <p role="alert" className="flex items-start gap-2 border-t border-line px-4 py-2"><TriangleAlert size={16} className="mt-0.5 shrink-0 text-trouble" /><span>{error} <span className="text-faint">Nothing was stored.</span></span></p>}
          {summary && <footer className="flex items-center gap-2 border-t border-line px-4 py-3"><HelpLine /><div className="ml-auto" /><Button disabled={storing} onClick={onClose}>Leave it</Button><Button primary data-testid="take-in" disabled={storing} onClick={() => void store()}>{storing ? 'Storing it …' : 'Take it in'}</Button></footer>}
        </DialogPanel>
      </div>
    </Dialog>
  );
}
function HelpLine() { return <p aria-live="polite" className="max-w-[620px] text-[12px] text-faint">{useHelp((s) => s.text)}</p>; }

function Choosing({ summary, choices, remembered, onChange, name, onName }: { summary: ImportSummary; choices: ImportChoices; remembered: boolean; onChange: (c: ImportChoices) => void; name: string; onName: (name: string) => void }) {
  const { placement } = choices, place = (change: Partial<Placement>): void => onChange({ ...choices, placement: { ...placement, ...change } });
  const unit = (Object.keys(UNITS) as Unit[]).find((u) => UNITS[u] === placement.scale), roles = summary.meshes.map((m) => choices.roles[m.name] ?? m.role);
  const triangles = summary.meshes.reduce((n, m) => n + m.triangles, 0);
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_400px]">
      <Gauge summary={summary} placement={placement} roles={roles} />
      <div className="flex min-h-0 flex-col overflow-y-auto border-l border-line">
        <section className="border-b border-line px-4 py-3">
          <label className="flex items-center gap-2 text-soft"><span className="w-[72px]">Name</span><input value={name} onChange={(e) => onName(e.target.value)} maxLength={100} className="h-6 min-w-0 flex-1 rounded-md border border-edge bg-raised px-2 text-text" /></label>
        </section>
        <section className="border-b border-line px-4 py-3">
          <h3 className="mb-1.5 font-semibold">How does it stand?</h3>
          <OneOf label="Unit" testId="import-unit" value={unit ?? 'own'} onChange={(v) => { if (v !== 'own') place({ scale: UNITS[v] }); }} options={[...(Object.keys(UNITS) as Unit[]).map((u) => ({ value: u as Unit | 'own', label: UNIT_NAMES[u], aside: heightOf(summary, { ...placement, scale: UNITS[u] }), help: 'What one unit of the file is. The height says whether it is right: a grown person is 1.4 to 2.1 m.' })), ...(unit ? [] : [{ value: 'own' as const, label: `${placement.scale} m`, aside: '', help: 'A unit of its own.' }])]} />
          <OneOf label="Upright" testId="import-up" value={placement.up} onChange={(up) => place({ up })} options={UPS.map((value) => ({ value, label: UP_NAMES[value], help: 'Which of the file’s axes points up. The figure at the left should stand on the line.' }))} />
          <div className="mt-1.5 flex flex-wrap items-center gap-2">
            <Button data-testid="import-turn" onClick={() => place({ turn: (placement.turn + 90) % 360 })}>Turn by 90°</Button><span className="num text-faint">{placement.turn}°</span>
            <Toggle label="Mirror" help="Left and right exchanged, with the skeleton and the clips." checked={placement.mirror} onChange={(mirror) => place({ mirror })} />
          </div>
          <Note>{remembered ? 'As for the last file of this kind. ' : ''}It should look at you in the left half, and to the left in the right one.</Note>
        </section>
        <section className="border-b border-line px-4 py-3">
          <h3 className="mb-1.5 font-semibold">What is each mesh?</h3>
          <ul>{summary.meshes.map((m, i) => (
            <li key={m.name} className="grid h-7 grid-cols-[minmax(0,1fr)_64px_124px] items-center gap-2">
              <span className="truncate text-soft" title={`${m.name}${m.joints ? ', skinned' : ', moves as one piece'}${m.morphs > 0 ? `, ${m.morphs} shapes` : ''}`}>{m.name}{m.marked && <span className="text-faint"> · marked for hair</span>}</span>
              <span className="num text-right text-faint">{m.triangles.toLocaleString('en')}</span>
              <select aria-label={`Role of ${m.name}`} value={roles[i]} onChange={(e) => onChange({ ...choices, roles: { ...choices.roles, [m.name]: e.target.value as Role } })} className="h-6 rounded-md border border-edge bg-raised px-1 text-text">{ROLE_OPTIONS.map((o) => <option key={o.value} value={o.value}>{o.label}</option>)}</select>
            </li>
          ))}</ul>
          <Note>{triangles.toLocaleString('en')} triangles, {summary.joints} joints. Roles can be changed later.</Note>
        </section>
        <section className="border-b border-line px-4 py-3">
          <h3 className="mb-1.5 font-semibold">Which movements?</h3>
          {summary.clips.length === 0 && <p className="text-soft">None: it stands still.</p>}
          <ul className="max-h-32 overflow-y-auto text-soft">{summary.clips.slice(0, 60).map((c, i) => <li key={i} className="flex"><span className="truncate">{c.name}</span><span className="num ml-auto text-faint">{c.duration.toFixed(2)} s</span></li>)}</ul>
          {summary.clips.length > 1 && <div className="mt-1"><Toggle label="Make them one clip" help="For files in which every joint’s movement came as a clip of its own." checked={choices.joinClips} onChange={(joinClips) => onChange({ ...choices, joinClips })} /></div>}
          {summary.inPieces && <Note>Each of these moves one thing only: they look like one movement in pieces.</Note>}
        </section>
        {summary.notes.length > 0 && <section className="px-4 py-3"><h3 className="mb-1.5 font-semibold">What was found and mended?</h3><ul data-testid="import-notes" className="list-disc pl-4 text-[12px] text-soft">{summary.notes.map((n, i) => <li key={i}>{n}</li>)}</ul></section>}
      </div>
    </div>
  );
}

/** Height as it would be taken. */
const heightOf = (summary: ImportSummary, { up, scale }: Placement): string => tall(scale * fileHeight(summary, up));

function Gauge({ summary, placement, roles }: { summary: ImportSummary; placement: Placement; roles: Role[] }) {
  const [ref, size] = useSize<HTMLDivElement>(), canvas = useRef<HTMLCanvasElement>(null), preview = useRef<ImportPreview | null>(null);
  const [frame, setFrame] = useState<Frame | null>(null), key = roles.join();
  useEffect(() => {
    preview.current = new ImportPreview(canvas.current!, summary.shapes);
    return () => { preview.current?.dispose(); preview.current = null; };
  }, [summary]);
  useEffect(() => {
    if (size.width > 10 && preview.current) setFrame(preview.current.draw(placement, key.split(',') as Role[], size.width, size.height));
  }, [summary, placement, key, size.width, size.height]);
  const y = useMemo(() => (frame ? scaleLinear([frame.low, frame.low + frame.height], [size.height, 0]) : null), [frame, size.height]);
  return (
    <div ref={ref} className="relative min-h-[420px]">
      <canvas ref={canvas} data-testid="import-preview" className="absolute inset-0 size-full" />
      {y && frame && (
        <svg className="pointer-events-none absolute inset-0 size-full" aria-hidden>
          {y.ticks(8).map((t) => <g key={t}><line x1={0} x2={size.width} y1={y(t)} y2={y(t)} stroke="#fff" strokeOpacity={Math.abs(t) < 1e-9 ? 0.55 : 0.12} /><text x={6} y={y(t) - 3} fill="#fff" fillOpacity={0.6} fontSize={10} className="num">{Number(t.toPrecision(3))} m</text></g>)}
          {1.7 > frame.low && 1.7 < frame.low + frame.height && <g><line x1={0} x2={size.width} y1={y(1.7)} y2={y(1.7)} stroke="#e8a05c" strokeDasharray="5 4" /><text x={size.width - 6} y={y(1.7) - 4} textAnchor="end" fill="#e8a05c" fontSize={11}>a person, 1.7 m</text></g>}
          <line x1={size.width / 2} x2={size.width / 2} y1={0} y2={size.height} stroke="#000" strokeOpacity={0.5} />
          <text x={size.width / 4} y={size.height - 8} textAnchor="middle" fill="#fff" fillOpacity={0.7} fontSize={11}>front</text>
          <text x={(3 * size.width) / 4} y={size.height - 8} textAnchor="middle" fill="#fff" fillOpacity={0.7} fontSize={11}>its left side</text>
        </svg>
      )}
      <p data-testid="import-height" className="num absolute top-2 right-3 rounded bg-black/50 px-2 py-0.5 text-[13px] text-white">{heightOf(summary, placement)} tall</p>
    </div>
  );
}
