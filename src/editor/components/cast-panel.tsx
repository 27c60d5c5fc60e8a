'use client';
/** Cast: the movement, the frames, what each mesh is, and what the file brought. */
import { Repeat, TriangleAlert } from 'lucide-react';
import { useMemo } from 'react';
import { ofChains } from '../../core/chain/character-of';
import { CHAIN_ROOTS } from '../../core/chain/chains';
import { roleOf, type Parameter } from '../../core/document/schema';
import { freeShotName, isNamedByClip } from '../../core/document/shots';
import { nodeKey, type CharacterMesh, type Role } from '../../core/mesh/character';
import { shotOfClip } from '../../core/document/first-document';
import { isRound, keyRate, loopSeam, loops, roundOf } from '../../core/mesh/clips';
import { restBox } from '../../core/mesh/rest-box';
import { useEditor } from '../state/store';
import { CarryPart } from './carry-part';
import { ChainsPart } from './chains-part';
import { MeshHairPart } from './drawn-part';
import { RoundNote } from './round-note';
import { ShotsPart } from './shots-part';
import { WearPart } from './wear-part';
import { Button, Note, NumberField, OneOf, Question, Toggle } from './controls';
import type { PanelProps } from './panel-parts';
import { ROLE_OPTIONS } from './roles';
import { useWorkshop } from './context';

const isWhole = (v: number): boolean => v >= 1 - 1e-6 && Math.abs(v - Math.round(v)) < 1e-3;

export function CastPanel({ document }: PanelProps) {
  const { session } = useWorkshop();
  const { shot } = document, { clips } = session.character, clip = clips.find((c) => c.name === shot.clip);
  const lastFrame = clip ? Math.max(1, Math.round(clip.duration * shot.fps)) : 240;
  const firstKey = clip ? Math.round((clip.begins ?? 0) * shot.fps) : 0;
  const edit = useEditor.getState().edit;
  const range = (label: string, help: string, min: number, max: number, fallback: number): Parameter => ({ label, unit: 'frames', min, max, step: 1, fallback, help, integer: true });
  const height = useMemo(() => { const { low, high } = restBox(session.character); return high[1] - low[1]; }, [session]);
  const cyclesBy = useMemo(() => new Map(session.character.clips.map((c) => { const s = loopSeam(session.character, c, 24); return [c.name, { ...s, loops: loops(s, height), round: isRound(s, height) }]; })), [session, height]);
  const keyed = useMemo(() => (clip ? keyRate([clip]) : null), [clip]);
  const setRate = (v: number): void => edit('Frame rate', (d) => { const k = v / d.shot.fps; d.shot.start = Math.round(d.shot.start * k); d.shot.end = Math.max(d.shot.start + 1, Math.round(d.shot.end * k)); d.shot.fps = v; }, 'shot.fps');
  const seam = clip && cyclesBy.get(clip.name);
  const setRole = (mesh: CharacterMesh, role: Role): void => edit(`${mesh.name} is ${role}`, (d) => {
    if (role === mesh.role) delete d.sway.meshRoles[mesh.name];
    else d.sway.meshRoles[mesh.name] = role;
    if (role === 'carrier') d.sway.carrier = nodeKey(session.character, mesh.node);
  });
  const vertices = session.character.meshes.reduce((n, m) => n + m.positions.length / 3, 0);
  return (
    <>
      <ShotsPart document={document} />
      <Question title="Which movement?">
        {clips.length === 0 && <p className="text-soft">This file holds no clip. The character stands in its rest pose; hair can be groomed, and swayed by gravity alone.</p>}
        <div role="radiogroup" aria-label="Clip" className="flex flex-col">
          {clips.map((c) => (
            <button key={c.name} type="button" role="radio" aria-checked={c.name === shot.clip} data-testid={`clip-${c.name}`} onClick={() => edit(`Clip ${c.name}`, (d) => { if (isNamedByClip(d)) { d.shotName = ''; d.shotName = freeShotName(d, c.name); } Object.assign(d.shot, shotOfClip(session.character, c, d.shot.fps)); })}
              className="flex h-7 items-center gap-2 rounded px-2 text-left text-soft hover:bg-raised aria-checked:bg-lifted aria-checked:text-text">
              <span aria-hidden className={`size-[7px] rounded-full ${c.name === shot.clip ? 'bg-copper' : 'border border-faint'}`} /><span className="truncate">{c.name}</span>{cyclesBy.get(c.name)?.round && <Repeat size={12} aria-label="repeats" className="shrink-0 text-faint" />}<span className="num ml-auto text-faint">{roundOf(c).toFixed(2)} s</span>
            </button>
          ))}
        </div>
      </Question>
      <Question title="Which frames?">
        <NumberField testId="shot-start" parameter={range('First', 'First frame of the shot.', 0, Math.max(0, shot.end - 1), firstKey)} value={shot.start} onChange={(v) => edit('First frame', (d) => { d.shot.start = v; }, 'shot.start')} onCommit={() => useEditor.getState().endStep()} />
        <NumberField testId="shot-end" parameter={range('Last', 'Last frame of the shot; past the end of the clip the last pose is held.', shot.start + 1, Math.max(lastFrame, 480), lastFrame)} value={shot.end} onChange={(v) => edit('Last frame', (d) => { d.shot.end = v; }, 'shot.end')} onCommit={() => useEditor.getState().endStep()} />
        <NumberField testId="shot-fps" parameter={{ label: 'Rate', unit: 'fr/s', min: 1, max: 240, step: 1, digits: 3, fallback: keyed ?? 24, help: 'Frames in a second. The movement itself does not change, only how finely it is cut.' }} value={shot.fps} onChange={setRate} onCommit={() => useEditor.getState().endStep()} />
        {firstKey > 0 && shot.start < firstKey && <p data-testid="first-key" className="my-1 flex items-center gap-2 text-[12px] leading-snug text-faint"><span>The keys of this clip begin at frame <span className="num">{firstKey}</span>; {shot.cyclic ? 'its rounds are counted from there.' : 'before it all stands still.'}</span><Button className="shrink-0" data-testid="first-key-take" onClick={() => edit('First frame', (d) => { d.shot.start = firstKey; d.shot.end = Math.max(firstKey + 1, d.shot.end); })}>Begin there</Button></p>}
        {keyed !== null && !shot.cyclic && !isWhole(shot.fps / keyed) && <p data-testid="key-rate" className="my-1 flex items-center gap-2 text-[12px] leading-snug text-faint"><span>This clip is keyed at <span className="num">{keyed}</span> frames a second: cut at another rate, frames fall between its keys.</span><Button className="shrink-0" data-testid="key-rate-take" onClick={() => { setRate(keyed); useEditor.getState().endStep(); }}>Take <span className="num">{keyed}</span></Button></p>}
        <Toggle label="Cyclic" help="The clip repeats; its pre-roll comes from the round before." checked={shot.cyclic} onChange={(v) => edit(v ? 'Cyclic clip' : 'Clip once', (d) => { d.shot.cyclic = v; })} />
        <RoundNote document={document} />
        {seam && <p data-testid="loop-seam" className="mt-1 flex items-start gap-1.5 text-[12px] leading-snug text-faint">{shot.cyclic && !seam.loops ? <TriangleAlert size={13} className="mt-px shrink-0 text-trouble" /> : null}<span>At its end every joint is within <span className="num">{(1000 * seam.gap).toFixed(seam.gap < 0.01 ? 1 : 0)} mm</span> and <span className="num">{((seam.turn * 180) / Math.PI).toFixed(1)}°</span> of its start, and its speed within <span className="num">{seam.jolt.toFixed(2)} m/s</span>: {seam.loops ? 'it can repeat.' : `repeated, it would jump${seam.node >= 0 && seam.gap > 0.001 ? ` at ${session.character.nodes[seam.node].name}` : ''}.`}</span></p>}
      </Question>
      <Question title="What is each mesh?">
        <ul>{session.character.meshes.filter((m) => m.name !== CHAIN_ROOTS).map((m) => <li key={m.name}><OneOf label={m.name} testId={`role-${m.name}`} value={roleOf(m, document.sway)} onChange={(v) => setRole(m, v)} options={ROLE_OPTIONS} /></li>)}</ul>
      </Question>
      {!ofChains(document) && <ChainsPart />}
      <MeshHairPart />
      <WearPart document={document} />
      {!ofChains(document) && <CarryPart />}
      <Question title="What came in?">
        <dl className="grid grid-cols-[auto_1fr] gap-x-3 gap-y-0.5 text-soft">
          {([['File', session.groom.character.fileName], ['Meshes', session.character.meshes.filter((m) => m.name !== CHAIN_ROOTS).length], ['Vertices', vertices.toLocaleString('en')], ['Joints', session.character.skins.reduce((n, s) => n + s.joints.length, 0)], ['Clips', clips.length]] as const).map(([k, v]) => <div key={k} className="contents"><dt className="text-faint">{k}</dt><dd className="num text-right">{v}</dd></div>)}
        </dl>
        {session.groom.character.warnings.length > 0 && <><Note>Mended or left out while reading:</Note><ul className="mt-1 list-disc pl-4 text-[12px] text-soft">{session.groom.character.warnings.map((w) => <li key={w}>{w}</li>)}</ul></>}
      </Question>
    </>
  );
}
