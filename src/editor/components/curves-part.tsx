'use client';
/** Curves from elsewhere: placed with a live picture, seated, taken; and guides handed out the same ways. */
import { FileDown, FileUp } from 'lucide-react';
import { useRef, useState } from 'react';
import { toast } from 'sonner';
import { UNITS, UPS, type Unit } from '../../core/mesh/placement';
import { FILE_LIMITS } from '../../formats/file-set';
import { CURVE_WRITERS, type CurveWriter } from '../../formats/write-curves';
import { saveFile } from '../state/save-file';
import { useEditor, type Bringing } from '../state/store';
import { Button, helpProps, Note, NumberField, OneOf, Question, Toggle } from './controls';
import { useWorkshop } from './context';

const CURVE_ACCEPT = '.glb,.gltf,.bin,.obj,.usda,.usdc,.usd,.usdz,.hair,.data,.zip';
/** Roots are looked for so far from the skin at most. */
const MOST_LIMIT_MM = 200;
const said = (e: unknown): string => (e instanceof Error ? e.message : String(e));

export function CurvesPart() {
  const bringing = useEditor((s) => s.bringing);
  return bringing ? <Placing b={bringing} /> : <InAndOut />;
}

function InAndOut() {
  const { session } = useWorkshop(), input = useRef<HTMLInputElement>(null), [busy, setBusy] = useState(false), [error, setError] = useState<string | null>(null);
  const guides = useEditor((s) => s.history?.document.guides);
  const open = async (list: File[]): Promise<void> => {
    if (list.length === 0) return;
    setError(null);
    if (list.reduce((n, f) => n + f.size, 0) > FILE_LIMITS.megabytes * 1048576) { setError(`These files are larger than ${FILE_LIMITS.megabytes} MB. Export the guides only.`); return; }
    setBusy(true);
    try { await session.curveDesk.open(await Promise.all(list.map(async (f) => ({ name: f.name, bytes: new Uint8Array(await f.arrayBuffer()) })))); }
    catch (e) { setError(said(e)); }
    setBusy(false);
  };
  const save = async (kind: CurveWriter): Promise<void> => {
    const out = session.curveDesk.outgoing();
    if (!out) return;
    try {
      const { writeCurves } = await import('../../formats/write-curves'), bytes = await writeCurves(kind, out.curves, out);
      saveFile(bytes, `${session.groom.character.name}-${out.name}-guides.${kind}`.replace(/[^\p{L}\p{N}.-]+/gu, '-'));
    } catch (e) { setError(said(e)); }
  };
  return (
    <Question title="Curves from elsewhere?">
      <div className="flex gap-2"><Button data-testid="bring-curves" disabled={busy} onClick={() => input.current?.click()} {...helpProps('Guides made in another program: glTF lines, OBJ polylines, OpenUSD curves, .hair or .data.')}><FileUp size={15} />{busy ? 'Reading …' : guides?.brought ? 'Bring in again' : 'Bring in curves'}</Button></div>
      <input ref={input} type="file" multiple accept={CURVE_ACCEPT} className="sr-only" aria-label="Curve file" onChange={(e) => { const list = [...(e.target.files ?? [])]; e.target.value = ''; void open(list); }} />
      {error && <p role="alert" className="mt-1.5 text-[12px] leading-snug text-trouble">{error} <span className="text-faint">Nothing was changed.</span></p>}
      {guides?.brought && <Note>These guides came from a file. Brought in again, they take its new shapes; what was combed since stays on roots that are where they were.</Note>}
      {guides && <div className="mt-1.5"><OneOf label="Hand out" testId="hand-out" value="" onChange={(v) => { if (v !== '') void save(v); }} options={[{ value: '' as CurveWriter | '', label: 'Save guides as …', help: 'The guides as combed, in the rest pose; metres, +Y up.' }, ...(Object.keys(CURVE_WRITERS) as CurveWriter[]).map((k) => ({ value: k as CurveWriter | '', label: CURVE_WRITERS[k], aside: `.${k}`, help: 'The guides as combed, in the rest pose; metres, +Y up.' }))]} /></div>}
      {!guides && <Note><FileDown size={12} className="mr-1 inline" />Guides can be saved as curves once there are any.</Note>}
    </Question>
  );
}

function Placing({ b }: { b: Bringing }) {
  const { session } = useWorkshop(), { curveDesk } = session, unit = (Object.keys(UNITS) as Unit[]).find((u) => UNITS[u] === b.placement.scale);
  const move = (axis: 0 | 1 | 2, label: string): React.ReactNode => <NumberField testId={`curve-${label}`} parameter={{ label: `Move ${label}`, unit: 'm', min: -2, max: 2, step: 0.001, fallback: 0, help: 'Shifts all curves.' }} value={b.placement.move[axis]} onChange={(v) => { const to: [number, number, number] = [...b.placement.move]; to[axis] = v; curveDesk.change({ placement: { move: to } }); }} onCommit={() => undefined} />;
  // what a wider limit would seat, and how wide it would be, mm
  const others = b.lost.filter((l) => !l.beside && l.distance > b.limitMm / 1000 && l.distance <= MOST_LIMIT_MM / 1000), wide = Math.min(MOST_LIMIT_MM, Math.ceil(10000 * others.reduce((most, l) => Math.max(most, l.distance), 0) + 0.01) / 10);
  const take = (): void => { const { guides, kept } = curveDesk.take(); toast.success(`${guides.toLocaleString('en')} guides were brought in${kept > 0 ? `; combing was kept on ${kept.toLocaleString('en')} of them` : ''}.`); };
  return (
    <Question title={`Curves of “${b.fileName}”`} aside={<span className="num text-faint">{b.count.toLocaleString('en')}</span>}>
      <OneOf label="Unit" testId="curve-unit" value={unit ?? 'own'} onChange={(v) => { if (v !== 'own') curveDesk.change({ placement: { scale: UNITS[v] } }); }} options={[...(Object.keys(UNITS) as Unit[]).map((u) => ({ value: u as Unit | 'own', label: { m: 'metres', cm: 'centimetres', mm: 'millimetres', in: 'inches', ft: 'feet' }[u], help: 'What one unit of the file is.' })), ...(unit ? [] : [{ value: 'own' as const, label: `${b.placement.scale} m`, help: 'As the file says.' }])]} />
      <OneOf label="Upright" testId="curve-up" value={b.placement.up} onChange={(up) => curveDesk.change({ placement: { up } })} options={UPS.map((value) => ({ value, label: `${value[1].toUpperCase()} ${value[0] === '+' ? 'up' : 'down'}`, help: 'Which of the file’s axes points up.' }))} />
      <div className="mt-1 flex items-center gap-2"><Button onClick={() => curveDesk.change({ placement: { turn: (b.placement.turn + 90) % 360 } })}>Turn by 90°</Button><span className="num text-faint">{b.placement.turn}°</span></div>
      <Toggle label="Mirror" help="Left and right exchanged." checked={b.placement.mirror} onChange={(mirror) => curveDesk.change({ placement: { mirror } })} />
      <Toggle label="Roots are the last points" help="Which end of each curve grows from the skin; guessed by which lies nearer." checked={b.rootsLast} onChange={(rootsLast) => curveDesk.change({ rootsLast })} />
      {move(0, 'x')}{move(1, 'y')}{move(2, 'z')}
      <NumberField testId="curve-limit" parameter={{ label: 'Seat within', unit: 'mm', min: 0.1, max: MOST_LIMIT_MM, step: 0.1, fallback: 5, help: 'Roots farther from the plot’s skin than this are left out; nearer ones are set on it.' }} value={b.limitMm} onChange={(limitMm) => curveDesk.change({ limitMm })} onCommit={() => undefined} />
      <p data-testid="curve-result" className="mt-1.5 text-soft">{b.seated.toLocaleString('en')} of {b.count.toLocaleString('en')} find their skin{b.seated > 0 ? <>, at most <span className="num">{(1000 * b.farthest).toFixed(2)} mm</span> away</> : null}.</p>
      {b.lost.length > 0 && (
        <div className="mt-1 max-h-36 overflow-y-auto rounded border border-line">
          <table data-testid="curve-lost" className="w-full text-[12px] text-soft"><thead><tr className="text-left text-faint"><th className="px-2 font-normal">Left out</th><th className="px-2 text-right font-normal">from the skin</th></tr></thead><tbody>{b.lost.slice(0, 200).map((l) => <tr key={l.curve}><td className="num px-2">curve {l.curve + 1}</td><td className="num px-2 text-right">{l.beside ? 'beside the plot' : Number.isFinite(l.distance) ? `${(1000 * l.distance).toFixed(1)} mm` : '–'}</td></tr>)}</tbody></table>
          {b.lost.length > 200 && <p className="px-2 text-[12px] text-faint">and {(b.lost.length - 200).toLocaleString('en')} more</p>}
        </div>
      )}
      {others.length > 0 && <div className="mt-1.5"><Button data-testid="seat-more" onClick={() => curveDesk.change({ limitMm: wide })} {...helpProps('Widens “Seat within” so far that these are set on the skin as well.')}>Seat {others.length.toLocaleString('en')} more, within {wide.toFixed(1)} mm</Button></div>}
      {b.notes.map((n) => <Note key={n}>{n}</Note>)}
      <div className="mt-2 flex gap-2"><Button primary data-testid="take-curves" disabled={b.seated === 0} onClick={take}>Take {b.seated.toLocaleString('en')} guides</Button><Button onClick={() => curveDesk.leave()}>Leave them</Button></div>
    </Question>
  );
}
