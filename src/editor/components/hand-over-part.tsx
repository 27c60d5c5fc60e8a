'use client';
/** To whom and in which form a bake is handed over, what was, and the groom as a file. */
import { Download, FileText, MonitorPlay, Plus, RotateCcw, Trash2, X } from 'lucide-react';
import { useEffect, useState } from 'react';
import { ofChains as isOfChains } from '../../core/chain/character-of';
import { HAND_OVER_FORMATS, HAND_OVER_NAMES, MOST_FILLED, USUAL_RECEIVERS, type HandOver, type Receiver } from '../../core/document/hand-over';
import { parameter } from '../../core/document/schema';
import { bytesText } from '../../formats/hand-over-sheet';
import type { Bake, Export } from '../state/api';
import { useEditor } from '../state/store';
import { Button, Choice, Fold, helpProps, IconButton, Note, NumberField, OneOf, Question, Toggle } from './controls';
import { JOB_WORDS } from './units';
import { trying } from './trying';
import { useWorkshop } from './context';

const COUNT = parameter('Strands', '', 1, MOST_FILLED.binary, 1, 2000, 'The first so many filled strands of the groom.', true), EVERY = parameter('Every', 'frames', 1, 48, 1, 1, 'One frame out of so many.', true);
const JOINTS = parameter('Joints', '', 4, 1000, 1, 160, 'Joints of all chains together: guides that move alike share a chain, and a chain gets as many joints as pay for themselves.', true), LEVELS = parameter('Levels', '', 1, 4, 1, 2, 'Levels of detail of the cards, each with a quarter of the triangles before.', true);
const none = (): void => undefined;

export function HandOverPart({ bake, stale }: { bake: Bake; stale: readonly string[] }) {
  const { session } = useWorkshop(), chosen = useEditor((s) => s.wish), ofChains = useEditor((s) => isOfChains(s.history!.document)), wish = HAND_OVER_FORMATS[chosen.format].chains === ofChains ? chosen : { ...chosen, format: ofChains ? 'keys' as const : 'usdc' as const }, exports = useEditor((s) => s.exports), receivers = useEditor((s) => s.receivers), fill = useEditor((s) => s.history!.document.fill), format = HAND_OVER_FORMATS[wish.format], set = (change: Partial<HandOver>): void => useEditor.setState({ wish: { ...wish, ...change } });
  useEffect(() => { if (useEditor.getState().receivers.length === 0) trying(session.bakes.loadReceivers()); }, [session]);
  const FRAME = (label: string, fallback: number): ReturnType<typeof parameter> => parameter(label, '', bake.startFrame, bake.endFrame, 1, fallback, 'Frames of the bake that are handed over.', true), known = receivers.find((r) => r.name === wish.receiver.name);
  return (
    <>
      <Question title="Hand it over" aside={stale.length > 0 ? <span className="text-copper">out of date</span> : undefined}>
        <OneOf label="As" testId="hand-over-format" value={wish.format} options={HAND_OVER_NAMES.filter((n) => HAND_OVER_FORMATS[n].chains === ofChains).map((n) => ({ value: n, label: HAND_OVER_FORMATS[n].label, aside: HAND_OVER_FORMATS[n].ending, help: HAND_OVER_FORMATS[n].help }))} onChange={(v) => set({ format: v })} />
        <OneOf label="To" testId="hand-over-receiver" value={known?.id ?? ''} options={receivers.map((r) => ({ value: r.id, label: r.name, help: receiverInWords(r) }))} onChange={(id) => { const { id: _id, ...r } = receivers.find((x) => x.id === id)!; set({ receiver: r }); }} />
        {format.curves && <div className="my-1 flex items-center gap-2"><Choice label="What" value={wish.what} options={[{ value: 'guides', label: 'Guides', help: 'The guides as they were computed.' }, { value: 'filled', label: 'Filled strands', help: 'Strands of the filled groom, lifted out of what they would pierce.' }]} onChange={(v) => set({ what: v })} /></div>}
        {format.curves && wish.what === 'filled' && <NumberField testId="hand-over-count" parameter={{ ...COUNT, max: fill.count }} value={Math.min(wish.count, fill.count)} onChange={(v) => set({ count: v })} onCommit={none} />}
        {format.joints && <NumberField testId="hand-over-joints" parameter={JOINTS} value={wish.joints} onChange={(v) => set({ joints: v })} onCommit={none} />}
        {format.joints && <NumberField testId="hand-over-levels" parameter={LEVELS} value={wish.levels} onChange={(v) => set({ levels: v })} onCommit={none} />}
        {format.moving ? (
          <>
            <NumberField parameter={FRAME('From', bake.startFrame)} value={wish.from ?? bake.startFrame} onChange={(v) => set({ from: v === bake.startFrame ? null : v, to: wish.to !== null && wish.to < v ? v : wish.to })} onCommit={none} />
            <NumberField parameter={FRAME('To', bake.endFrame)} value={wish.to ?? bake.endFrame} onChange={(v) => set({ to: v === bake.endFrame ? null : v, from: wish.from !== null && wish.from > v ? v : wish.from })} onCommit={none} />
            <NumberField parameter={EVERY} value={wish.every} onChange={(v) => set({ every: v })} onCommit={none} />
          </>
        ) : <NumberField parameter={FRAME('Frame', bake.startFrame)} value={wish.from ?? bake.startFrame} onChange={(v) => set({ from: v })} onCommit={none} />}
        {format.curves && format.moving && (
          <>
            <Toggle label="Velocities" help="How every point moves, for motion blur." checked={wish.velocities} onChange={(v) => set({ velocities: v })} />
            <Toggle label="Colours" help="The colour of each strand." checked={wish.colours} onChange={(v) => set({ colours: v })} />
            <Toggle label="Rest" help="The groomed shape in the rest pose beside the moving one." checked={wish.rest} onChange={(v) => set({ rest: v })} />
          </>
        )}
        {wish.format === 'chains' && <Toggle label="Packed" help="A smaller file, compressed with meshopt: an extension of glTF that many engines know, but not all. Turns are rounded to a 32,767th; the sheet says what that can move." checked={wish.packed} onChange={(v) => set({ packed: v })} />}
        {wish.format === 'keys' && <Toggle label="One clip for all of it" help="The new clip has the other movements of the shot’s clip too, with these joints’ own turns replaced; the sheet says which. Otherwise it moves the chains’ joints alone, to be played beside." checked={wish.merge} onChange={(v) => set({ merge: v })} />}
        {wish.format === 'vat' && <div className="my-1"><Choice label="Texture" value={wish.texture} options={[{ value: 'exr', label: 'Float EXR', help: 'Exact; the larger file.' }, { value: 'png16', label: '16-bit PNG', help: 'Between a least and a greatest offset; what that costs is measured.' }]} onChange={(v) => set({ texture: v })} /></div>}
        <div className="mt-2"><Button primary={stale.length === 0} data-testid="hand-over" onClick={() => trying(session.bakes.handOver(wish))}><Download size={14} />Write it</Button></div>
        {ofChains && <KeepAsClip />}
        {stale.length > 0 && <Note>Something has changed since this was baked: {stale.join(', ')}. What you hand over is as it was then.</Note>}
        {exports.length > 0 && <ul className="mt-2 flex flex-col gap-1">{exports.map((e) => <ExportRow key={e.id} one={e} />)}</ul>}
      </Question>
      <Receivers />
    </>
  );
}

/** Baked chains for the other grooms of the character: what hangs on it moves, and hair can lie on that. */
function KeepAsClip() {
  const { session } = useWorkshop(), [busy, setBusy] = useState(false), [kept, setKept] = useState<string | null>(null);
  const keep = async (): Promise<void> => { setBusy(true); try { setKept(await session.bakes.keepAsClip()); } finally { setBusy(false); } };
  return (
    <div className="mt-2">
      <Button data-testid="keep-clip" disabled={busy} onClick={() => trying(keep())} {...helpProps('A version of the character with this movement as one more clip, all in one with the shot’s own. Hair of the character moves in it and lies on what swings.')}>{busy ? 'Making the clip …' : 'Keep as a clip of the character'}</Button>
      {kept && <p className="mt-1 text-[12px] leading-snug text-soft" role="status" data-testid="kept-clip">“{kept}” is there. In the hair’s Cast, at <em>Which version of it?</em>, use that one; then choose this clip for its shot.</p>}
    </div>
  );
}

function ExportRow({ one }: { one: Export }) {
  const { session } = useWorkshop(), { sheet } = one, going = one.state === 'running' || one.state === 'queued', size = one.files.reduce((n, f) => n + f.size, 0);
  const link = 'inline-flex h-6 items-center gap-1 rounded-md border border-edge bg-raised px-2 hover:bg-lifted', worst = sheet?.report.reductions.find((r) => r.counts === 'vertex') ?? sheet?.report.reductions[0];
  return (
    <li data-testid="export-row" data-state={one.state} data-format={one.wish.format} className="rounded bg-raised/50 px-2 py-1">
      <div className="flex items-center gap-1"><span className="min-w-0 flex-1 truncate" title={HAND_OVER_FORMATS[one.wish.format].label}>{HAND_OVER_FORMATS[one.wish.format].label}</span><span className="num text-faint">{one.state === 'done' ? bytesText(size) : JOB_WORDS[one.state]}</span>
        {(one.state === 'failed' || one.state === 'cancelled') && <IconButton label="Try again" onClick={() => trying(session.bakes.actOnExport(one.id, 'resume'))}><RotateCcw size={12} /></IconButton>}
        {going ? <IconButton label="Cancel" onClick={() => trying(session.bakes.actOnExport(one.id, 'cancel'))}><X size={12} /></IconButton> : <IconButton label="Delete this hand-over" onClick={() => { if (confirm('Delete what was handed over from here? Files you have saved stay with you.')) trying(session.bakes.removeExport(one.id)); }}><Trash2 size={12} /></IconButton>}
      </div>
      {one.state === 'running' && <div className="h-1 rounded bg-edge"><div className="h-full rounded bg-copper" style={{ width: `${(100 * one.stepsDone) / one.steps}%` }} /></div>}
      {one.message && <p className="text-[12px] text-trouble">{one.message}</p>}
      {one.state === 'done' && (
        <>
          <div className="mt-0.5 flex flex-wrap gap-1">
            <a className={link} data-testid="download" download href={`/api/exports/${one.id}/zip`} {...helpProps(`${one.files.length} file${one.files.length === 1 ? '' : 's'} with the sheet, in one zip.`)}><Download size={12} />Zip</a>
            <a className={link} data-testid="sheet" target="_blank" rel="noreferrer" href={`/api/exports/${one.id}/sheet`} {...helpProps('What it is, from what, in which axes, how large, how good: one page to print.')}><FileText size={12} />Sheet</a>
            <a className={link} data-testid="receive" target="_blank" rel="noreferrer" href={`/receive/${one.id}`} {...helpProps('Opens the files with loaders that know nothing of Fine Comb, plays them on the character and checks them.')}><MonitorPlay size={12} />Stand-in receiver</a>
          </div>
          {worst && <p className="mt-0.5 text-[12px] leading-snug text-faint">{worst.name}: mean <span className="num">{(1000 * worst.figures.mean).toFixed(2)} mm</span>, 95 in 100 <span className="num">{(1000 * worst.figures.p95).toFixed(1)}</span>, worst <span className="num">{(1000 * worst.figures.worst).toFixed(1)}</span>.</p>}
          {sheet?.received && <p className={`text-[12px] ${sheet.received.verdict === 'pass' ? 'text-good' : 'text-trouble'}`}>{sheet.received.verdict === 'pass' ? '● Received as it was sent' : '▲ The receiver found something: see the sheet'}</p>}
        </>
      )}
    </li>
  );
}

const receiverInWords = (r: Receiver): string => `+${r.up.toUpperCase()} up, ${r.hand}-handed, ${r.metres} m a unit, ${r.fps ?? 'the shot’s'} frames a second, ${r.jointLimit} joints a skin, textures to ${r.textureLimit} px.`;
const UNIT = parameter('Unit', 'm', 0.001, 1, 0.001, 1, 'Metres of the receiver’s unit: 0.01 for centimetres.'), FPS = parameter('Frames/s', '', 0, 240, 1, 0, 'Frames a second it wants; 0: those of the shot.', true), LIMIT = parameter('Joint limit', '', 4, 4096, 1, 255, 'Joints of one skin at most; more come in several files.', true), TEXTURE = parameter('Texture', 'px', 256, 16384, 256, 4096, 'Pixels along a side of a texture at most.', true);

/** The list of receivers, one of them open. */
function Receivers() {
  const { session } = useWorkshop(), receivers = useEditor((s) => s.receivers), wish = useEditor((s) => s.wish), [name, setName] = useState<string | null>(null), at = receivers.findIndex((r) => r.name === wish.receiver.name), own = receivers[at];
  const keep = (list: readonly Receiver[], now: Receiver): void => { useEditor.setState({ wish: { ...useEditor.getState().wish, receiver: now } }); trying(session.bakes.keepReceivers(list.map(({ name: n, up, hand, metres, fps, jointLimit, textureLimit, naming, turnGltf }) => ({ name: n, up, hand, metres, fps, jointLimit, textureLimit, naming, turnGltf })))); };
  if (!own) return null;
  const { id: _id, ...plain } = own, change = (c: Partial<Receiver>): void => { const now = { ...plain, ...c }; keep(receivers.map((r, k) => (k === at ? now : r)), now); };
  return (
    <Fold id="receivers" title="The receiver" summary={own.name}>
      <label className="grid h-7 grid-cols-[72px_1fr] items-center gap-2 text-soft"><span>Name</span><input aria-label="Name of the receiver" data-testid="receiver-name" value={name ?? own.name} onChange={(e) => setName(e.target.value)} onBlur={() => { if (name?.trim() && name !== own.name) change({ name: name.trim().slice(0, 120) }); setName(null); }} onKeyDown={(e) => { if (e.key === 'Enter') e.currentTarget.blur(); }} className="h-6 rounded bg-ground px-2 text-text" /></label>
      <div className="my-1 flex flex-wrap gap-1"><Choice label="Up" value={own.up} options={[{ value: 'y', label: '+Y up' }, { value: 'z', label: '+Z up' }]} onChange={(up) => change({ up })} /><Choice label="Handedness" value={own.hand} options={[{ value: 'right', label: 'Right' }, { value: 'left', label: 'Left', help: 'Left-handed: windings, turns and tangents are turned over too.' }]} onChange={(hand) => change({ hand })} /></div>
      <NumberField parameter={UNIT} value={own.metres} onChange={(v) => change({ metres: v })} onCommit={none} />
      <NumberField parameter={FPS} value={own.fps ?? 0} onChange={(v) => change({ fps: v > 0 ? v : null })} onCommit={none} />
      <NumberField parameter={LIMIT} value={own.jointLimit} onChange={(v) => change({ jointLimit: v })} onCommit={none} />
      <NumberField parameter={TEXTURE} value={own.textureLimit} onChange={(v) => change({ textureLimit: v })} onCommit={none} />
      <div className="my-1"><Choice label="Names" value={own.naming} options={[{ value: 'as it is', label: 'as-it-is' }, { value: 'lower_case', label: 'lower_case' }, { value: 'NoSpaces', label: 'NoSpaces' }]} onChange={(naming) => change({ naming })} /></div>
      <Toggle label="Turn glTF to its axes" help="glTF states its axes and receivers turn it to theirs; switch this on for one that takes the numbers as they are." checked={own.turnGltf} onChange={(turnGltf) => change({ turnGltf })} />
      <div className="mt-1 flex gap-1">
        <Button data-testid="add-receiver" onClick={() => { let n = 2; while (receivers.some((r) => r.name === `${own.name} ${n}`)) n++; const next = { ...plain, name: `${own.name} ${n}` }; keep([...receivers, next], next); }}><Plus size={13} />Another like it</Button>
        {receivers.length > 1 && <Button onClick={() => { if (confirm(`Remove the receiver “${own.name}” from the list?`)) { const rest = receivers.filter((_, k) => k !== at); keep(rest, rest[Math.max(0, at - 1)]); } }}><Trash2 size={13} />Remove</Button>}
      </div>
      {receivers.every((r) => USUAL_RECEIVERS.some((u) => u.name === r.name)) && <Note>These are usual ones; change them, or make your own.</Note>}
    </Fold>
  );
}

/** The groom as one file. */
export function FilePart() {
  const { session } = useWorkshop(), wish = useEditor((s) => s.wish), production = useEditor((s) => s.groom!.production);
  return (
    <Fold id="file" title="Take it elsewhere">
      <div className="flex flex-wrap gap-1">
        <Button data-testid="save-groom" onClick={() => session.bakes.saveGroom([wish])}><Download size={13} />This groom (.json)</Button>
        <a data-testid="save-production" download href={`/api/productions/${production.id}/zip`} className="inline-flex h-7 items-center gap-1.5 rounded-md border border-edge bg-raised px-3 hover:bg-lifted"><Download size={13} />The whole production (.zip)</a>
        <a data-testid="save-groom-zip" download href={`/api/productions/${production.id}/zip?groom=${session.groom.id}`} className="inline-flex h-7 items-center gap-1.5 rounded-md border border-edge bg-raised px-3 hover:bg-lifted"><Download size={13} />This groom with its character (.zip)</a>
      </div>
      <Note>The groom as a file bakes on the command line without a server: ./comb bake --character … --groom …; a zip is opened on the first page of another installation.</Note>
    </Fold>
  );
}
