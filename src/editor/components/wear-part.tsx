'use client';
/** Garments and newer meshes from files of their own, and the versions of the character they make. */
import { useEffect, useRef, useState } from 'react';
import type { Role } from '../../core/mesh/character';
import { UNITS, UPS } from '../../core/mesh/placement';
import { listVersions, putOnVersion, wearGarment, type Version, type WornAnswer } from '../state/api';
import { Button, helpProps, Note, OneOf, Question } from './controls';
import type { PanelProps } from './panel-parts';
import { ROLE_OPTIONS } from './roles';
import { useWorkshop } from './context';
import { many } from '../state/many';

const KEPT = 'fine-comb worn';
const FILES = '.glb,.gltf,.bin,.obj,.mtl,.zip,.pc2,.mdd';

export function WearPart({ document }: PanelProps) {
  const { session } = useWorkshop(), { id: characterId } = session.groom.character, input = useRef<HTMLInputElement>(null);
  const [replace, setReplace] = useState(''), [role, setRole] = useState<Role>('garment'), [unit, setUnit] = useState('fit'), [up, setUp] = useState<(typeof UPS)[number]>('+y');
  const [busy, setBusy] = useState(false), [error, setError] = useState<string | null>(null), [versions, setVersions] = useState<Version[]>([]), [worn, setWorn] = useState<WornAnswer | null>(null);
  useEffect(() => { listVersions(characterId).then(setVersions, () => undefined); }, [characterId]);
  useEffect(() => {
    // what the page said before it was loaded again with the new version
    const kept = sessionStorage.getItem(KEPT);
    if (!kept) return;
    sessionStorage.removeItem(KEPT);
    const answer = JSON.parse(kept) as WornAnswer;
    if (answer.assetId === characterId) queueMicrotask(() => setWorn(answer));
  }, [characterId]);
  const again = async (task: () => Promise<WornAnswer | null>): Promise<void> => {
    setBusy(true);
    setError(null);
    try {
      if (!(await session.saveNow())) throw new Error('The last changes could not be saved; nothing was done. Try again when the server answers.');
      const answer = await task();
      if (answer) sessionStorage.setItem(KEPT, JSON.stringify(answer));
      window.location.reload();
    } catch (e) { setError(e instanceof Error ? e.message : String(e)); setBusy(false); }
  };
  const take = (list: FileList | null): void => {
    if (!list || list.length === 0) return;
    const files = [...list];
    void again(async () => wearGarment({ id: session.groom.id, characterId }, await Promise.all(files.map(async (f) => ({ name: f.name, bytes: new Uint8Array(await f.arrayBuffer()) }))), { replace: replace === '' ? null : replace, role, clip: document.shot.clip || null, fps: document.shot.fps, placement: unit === 'fit' ? null : { scale: UNITS[unit as keyof typeof UNITS], up } }));
    input.current!.value = '';
  };
  return (
    <>
      <Question title="Something else to wear?">
        <OneOf label="In place of" testId="wear-replace" value={replace} onChange={setReplace} options={[{ value: '', label: 'nothing', help: 'It is added to what is worn.' }, ...session.character.meshes.map((m) => ({ value: m.name, label: m.name, help: 'A newer version of this mesh: it keeps its name, and with it its role, its settings as a collider, and whether it is worn in each shot.' }))]} />
        {replace === '' && <OneOf label="It is" testId="wear-role" value={role} onChange={setRole} options={ROLE_OPTIONS} />}
        <OneOf label="Its unit" testId="wear-unit" value={unit} onChange={setUnit} options={[{ value: 'fit', label: 'what fits', help: 'The unit and the axes in which it lies on the character.' }, ...Object.keys(UNITS).map((u) => ({ value: u, label: u, help: 'What one unit of the file is.' }))]} />
        {unit !== 'fit' && <OneOf label="Upwards" testId="wear-up" value={up} onChange={setUp} options={UPS.map((u) => ({ value: u, label: u, help: 'Axis of the file that points upwards.' }))} />}
        <input ref={input} type="file" multiple accept={FILES} data-testid="wear-file" className="hidden" onChange={(e) => take(e.target.files)} />
        <div className="mt-1"><Button data-testid="wear" disabled={busy} onClick={() => input.current!.click()} {...helpProps('A .glb, .gltf, .obj or .zip, with a .pc2 or .mdd beside it if it moves by a point cache; a point cache alone moves the mesh it takes the place of, in the clip of this shot.')}>{busy ? 'Putting it on …' : 'Choose its file …'}</Button></div>
        {error && <p role="alert" data-testid="wear-error" className="mt-1 text-[12px] text-trouble">{error}</p>}
        {worn && <ul data-testid="worn" className="mt-1.5 list-disc pl-4 text-[12px] leading-snug text-soft">{worn.notes.map((n) => <li key={n}>{n}</li>)}<li>{worn.moved === 1 ? 'This groom' : `${many(worn.moved, 'groom')}`} went along{worn.stayed > 0 ? `; ${worn.stayed} stayed with the version before, as the mesh they grow on is another one now` : ''}.</li></ul>}
      </Question>
      {versions.length > 1 && (
        <Question title="Which version of it?">
          <ol className="flex flex-col" data-testid="versions">{versions.map((v, k) => (
            <li key={v.id} className="flex min-h-7 items-center gap-2 rounded px-2 text-soft" {...helpProps(`${v.note || `as it came in ${v.fileName}`}, ${new Date(v.createdAt).toLocaleString('en-GB')}`)}>
              <span className="num text-faint">{k + 1}</span><span className="min-w-0 flex-1 truncate">{v.note || `from ${v.fileName}`}</span>
              {v.id === characterId ? <span className="text-copper">here</span> : <button type="button" disabled={busy} data-testid={`version-${k + 1}`} onClick={() => void again(async () => { await putOnVersion(session.groom.id, v.id); return null; })} className="text-soft underline hover:text-text">use it</button>}
            </li>
          ))}</ol>
          <Note>This groom moves to it; the others stay where they are.</Note>
        </Question>
      )}
    </>
  );
}
