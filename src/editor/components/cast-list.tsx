'use client';
import { Eye, EyeOff } from 'lucide-react';
import { useMemo, type ReactNode } from 'react';
import { ofChains } from '../../core/chain/character-of';
import { CHAIN_ROOTS } from '../../core/chain/chains';
import { roleOf } from '../../core/document/schema';
import type { Role } from '../../core/mesh/character';
import { restBox } from '../../core/mesh/rest-box';
import { tall } from './units';
import { useEditor } from '../state/store';
import { useWorkshop } from './context';

const pretty = (name: string): string => name.replace(/[_.]+/g, ' ');

export function CastList() {
  const { session } = useWorkshop();
  const groom = useEditor((s) => s.groom), document = useEditor((s) => s.history?.document), stage = useEditor((s) => s.stage), fillCount = useEditor((s) => s.fillCount);
  useEditor((s) => s.colliderCount);
  const height = useMemo(() => { const { low, high } = restBox(session.character); return high[1] - low[1]; }, [session]);
  if (!document || !groom) return null;
  const meshes = session.character.meshes.filter((m) => m.name !== CHAIN_ROOTS);
  const toggle = (name: string): void => useEditor.getState().edit(document.hidden.includes(name) ? `Show ${pretty(name)}` : `Hide ${pretty(name)}`, (d) => { d.hidden = d.hidden.includes(name) ? d.hidden.filter((n) => n !== name) : [...d.hidden, name]; });
  const set = session.colliders(), fitted = (source: string): number => set.pills.filter((p) => p.fitted && p.on && p.source === source).length;
  const active: [string, string, string | number][] = [
    ...set.shells.filter((x) => x.on).map((x): [string, string, string] => [x.key, x.label, x.twoSided ? 'sheet' : 'shell']),
    ...(['skin', 'garments'] as const).filter((x) => fitted(x) > 0).map((x): [string, string, number] => [x, `${x} pills`, fitted(x)]),
    ...document.sway.colliders.filter((c) => c.on).map((c): [string, string, string] => [c.id, c.name, c.kind]),
  ];
  const row = (name: string, inset: boolean): ReactNode => {
    const hidden = document.hidden.includes(name);
    return (
      <li key={name} className={`group flex h-[25px] items-center gap-2 pr-2 ${inset ? 'pl-7' : 'pl-3'} ${hidden ? 'text-faint' : 'text-soft'}`}>
        <span className="truncate">{pretty(name)}</span>
        <button type="button" aria-pressed={!hidden} aria-label={hidden ? `Show ${pretty(name)} in this shot` : `Hide ${pretty(name)} in this shot`} title={hidden ? 'Show in this shot' : 'Hide in this shot; it does not collide then either'} onClick={() => toggle(name)} className={`ml-auto rounded p-0.5 hover:text-text ${hidden ? '' : 'opacity-35 group-hover:opacity-100 focus-visible:opacity-100'}`}>{hidden ? <EyeOff size={13} /> : <Eye size={13} />}</button>
      </li>
    );
  };
  const of = (role: Role): typeof meshes => meshes.filter((m) => roleOf(m, document.sway) === role);
  return (
    <aside aria-label="Cast list" className="min-h-0 overflow-y-auto border-r border-line bg-panel py-1.5">
      <Heading>In this shot</Heading>
      <div className="flex h-[25px] items-center px-3">{groom.character.name}<span className="num ml-auto text-faint">{tall(height)}</span></div>
      <ul>{of('body').map((m) => row(m.name, true))}{of('accessory').map((m) => row(m.name, true))}</ul>
      {of('garment').length > 0 && <><Heading>Worn</Heading><ul>{of('garment').map((m) => row(m.name, false))}</ul></>}
      {(of('prop').length > 0 || of('carrier').length > 0) && <><Heading>Standing by</Heading><ul>{of('carrier').map((m) => row(m.name, false))}{of('prop').map((m) => row(m.name, false))}</ul></>}
      <Heading>Groom</Heading>
      <button type="button" onClick={() => useEditor.setState({ stage: 'comb' })} className={`flex h-[25px] w-full items-center px-3 text-left ${stage === 'comb' || stage === 'fill' ? 'bg-lifted shadow-[inset_2px_0_var(--copper)]' : 'hover:bg-raised'}`}>{groom.name}<span className="num ml-auto text-faint">{document.guides ? `${document.guides.count}` : 'none yet'}</span></button>
      <button type="button" onClick={() => useEditor.setState({ stage: 'plant' })} className={`flex h-[25px] w-full items-center pr-3 pl-7 text-left text-soft ${stage === 'plant' ? 'bg-lifted shadow-[inset_2px_0_var(--copper)]' : 'hover:bg-raised'}`}>{ofChains(document) ? <>chains<span className="num ml-auto text-faint">{document.chains.reduce((n, c) => n + c.joints.length - c.kept, 0)} joints</span></> : <>plot<span className="num ml-auto text-faint">{session.plotFaces.length} faces</span></>}</button>
      {document.guides && !ofChains(document) && <div className="flex h-[25px] items-center pr-3 pl-7 text-soft">filled strands<span className="num ml-auto text-faint">{fillCount.toLocaleString('en')}</span></div>}
      <Heading>Around it</Heading>
      {active.length === 0 && <p className="px-3 text-faint">Nothing collides.</p>}
      {active.map(([key, label, aside]) => <button key={key} type="button" onClick={() => useEditor.setState({ stage: 'sway', selected: { kind: set.shells.some((x) => x.key === key) ? 'mesh' : 'collider', key } })} className="flex h-[25px] w-full items-center px-3 text-left text-soft hover:bg-raised"><span className="truncate">{pretty(label)}</span><span className="num ml-auto text-faint">{aside}</span></button>)}
      {document.sway.ties.length > 0 && <Heading>Tied</Heading>}
      {document.sway.ties.map((t) => <button key={t.id} type="button" onClick={() => useEditor.setState({ stage: 'sway', selected: { kind: 'tie', key: t.id } })} className={`flex h-[25px] w-full items-center px-3 text-left hover:bg-raised ${t.on ? 'text-soft' : 'text-faint'}`}><span className="truncate">{t.name}</span><span className="num ml-auto text-faint">{t.kind}</span></button>)}
    </aside>
  );
}

const Heading = ({ children }: { children: ReactNode }) => <h2 className="mt-2.5 mb-0.5 px-3 text-[11px] font-medium text-faint">{children}</h2>;
