'use client';
/** Strands, or small meshes in their place. */
import { Download, FileUp } from 'lucide-react';
import { useRef, useState } from 'react';
import { toast } from 'sonner';
import { PLANTED_PARAMETERS, type GroomDocument } from '../../core/document/schema';
import { useEditor } from '../state/store';
import { Button, Fold, helpProps, Note, OneOf, Toggle } from './controls';
import { Field } from './panel-parts';
import { useWorkshop } from './context';

export const PLANTED_WORDS = { strands: 'strands', needle: 'needles', quill: 'quills', feather: 'feathers', own: 'a mesh of one’s own' } as const;
const said = (e: unknown): string => (e instanceof Error ? e.message : String(e));

export function PlantedPart({ document: { planted } }: { document: GroomDocument }) {
  const { session, viewport } = useWorkshop(), desk = session.fillDesk, input = useRef<HTMLInputElement>(null), [busy, setBusy] = useState(false), [error, setError] = useState('');
  const bring = (list: File[]): void => {
    if (list.length === 0) return;
    setBusy(true);
    setError('');
    Promise.all(list.map(async (f) => ({ name: f.name, bytes: new Uint8Array(await f.arrayBuffer()) }))).then((files) => desk.bringMesh(files)).catch((e: unknown) => setError(said(e))).finally(() => setBusy(false));
  };
  const save = (): void => { const nodes = viewport.current?.readNodes(); if (!nodes) return; setBusy(true); desk.savePlanted(nodes).then((told) => toast.info(told), (e: unknown) => toast.error(said(e))).finally(() => setBusy(false)); };
  return (
    <Fold id="planted" title="Strands, or something else?" summary={planted.what === 'own' ? planted.name : PLANTED_WORDS[planted.what]}>
      <OneOf label="Planted" testId="planted-what" value={planted.what} onChange={(what) => { if (what === 'own' && !planted.mesh) input.current?.click(); else useEditor.getState().edit(`Plant ${PLANTED_WORDS[what]}`, (d) => { d.planted.what = what; }); }} options={[
        { value: 'strands', label: 'Strands', help: 'Hair and fur.' }, { value: 'needle', label: 'Needles', help: 'Thin spikes that taper all along.' }, { value: 'quill', label: 'Quills', help: 'Thick, with a point.' }, { value: 'feather', label: 'Feathers', help: 'A shaft with a vane on each side.' },
        { value: 'own', label: planted.mesh ? `${planted.name}` : 'A mesh from a file …', help: 'Any small mesh, stood up along its longest way.' },
      ]} />
      <input ref={input} type="file" aria-label="Mesh to be planted" className="hidden" accept=".glb,.gltf,.bin,.obj,.mtl,.zip" multiple onChange={(e) => { bring([...(e.target.files ?? [])]); e.target.value = ''; }} />
      {planted.what !== 'strands' && (
        <>
          <Field group="planted" name="wide" table={PLANTED_PARAMETERS} /><Field group="planted" name="spin" table={PLANTED_PARAMETERS} />
          {planted.what === 'own' && <Toggle label="Other end up" help="Its root is taken for its tip." checked={planted.flip} onChange={() => desk.flipMesh()} />}
          <div className="mt-1 flex gap-2">
            {planted.what === 'own' && <Button disabled={busy} onClick={() => input.current?.click()}><FileUp size={13} />Another mesh</Button>}
            <Button data-testid="save-planted" disabled={busy} onClick={save} {...helpProps('All meshes that are shown, as they lie now, as one .glb.')}><Download size={13} />Save as .glb</Button>
          </div>
          <Note>They lie along the filled strands: number, length, maps and treatments are theirs.</Note>
        </>
      )}
      {error && <p role="alert" className="mt-1 text-[12px] text-trouble">▲ {error}</p>}
    </Fold>
  );
}
