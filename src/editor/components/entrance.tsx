'use client';
/** First page: productions, their characters and grooms; a place to drop a character. */
import { useCallback, useEffect, useRef, useState } from 'react';
import { useRouter } from 'next/navigation';
import { ArrowRight, FolderInput, Plus, Upload, TriangleAlert } from 'lucide-react';
import { CHARACTER_FILES, FILE_LIMITS, type NamedFile } from '../../formats/file-set';
import { GLTF_LIMITS } from '../../formats/gltf-check';
import { getOverview, newGroom, openProject, type OverviewData } from '../state/api';
import { BringIn } from './bring-in';
import { Button } from './controls';
import { Mark } from './mark';
import { useTheme } from './theme';

export function Entrance() {
  useTheme();
  const router = useRouter();
  const [data, setData] = useState<OverviewData | null>(null);
  const [error, setError] = useState<string | null>(null);
  const [files, setFiles] = useState<NamedFile[] | null>(null);
  const [over, setOver] = useState(false);
  const input = useRef<HTMLInputElement>(null);

  useEffect(() => { getOverview().then(setData, (e: unknown) => setError(e instanceof Error ? e.message : String(e))); }, []);

  const look = useCallback(async (chosen: Iterable<File>) => {
    const list = [...chosen], bytes = list.reduce((n, f) => n + f.size, 0);
    if (list.length === 0) return;
    setError(null);
    if (bytes > FILE_LIMITS.megabytes * 1048576) { setError(`${list.length === 1 ? list[0].name : 'Together these files'} ${list.length === 1 ? 'is' : 'are'} larger than ${FILE_LIMITS.megabytes} MB. Export without textures, or with meshopt compression.`); return; }
    if (list.length > FILE_LIMITS.files) { setError(`These are ${list.length} files; at most ${FILE_LIMITS.files} make one character.`); return; }
    try { setFiles(await Promise.all(list.map(async (f) => ({ name: f.name, bytes: new Uint8Array(await f.arrayBuffer()) })))); }
    catch { setError('The files could not be opened. Were they moved meanwhile?'); }
  }, []);
  const [project, setProject] = useState<{ busy: boolean; told: string[] }>({ busy: false, told: [] });
  const bring = async (file: File): Promise<void> => {
    setError(null);
    setProject({ busy: true, told: [] });
    try { const { name, grooms, notes } = await openProject(file); setProject({ busy: false, told: [`“${name}” was opened with ${grooms.length === 1 ? 'one groom' : `${grooms.length} grooms`}.`, ...notes] }); setData(await getOverview()); }
    catch (e) { setProject({ busy: false, told: [] }); setError(`${file.name}: ${e instanceof Error ? e.message : String(e)}`); }
  };
  const refused = useCallback((message: string) => { setError(`${files?.length === 1 ? `${files[0].name}: ` : ''}${message}`); setFiles(null); }, [files]);

  return (
    <main className="mx-auto flex min-h-full max-w-3xl flex-col gap-8 px-8 py-14">
      <header className="flex items-center gap-3">
        <Mark size={30} />
        <h1 className="text-xl font-semibold">Fine Comb</h1>
        <p className="text-faint">A workshop for hair and fur effects</p>
      </header>

      {error && <p role="alert" className="flex items-start gap-2 rounded-md border border-trouble bg-panel px-3 py-2.5"><TriangleAlert size={16} className="mt-0.5 shrink-0 text-trouble" /><span>{error}<br /><span className="text-faint">Nothing was stored.</span></span></p>}

      {data?.productions.map((p) => (
        <section key={p.id} aria-label={p.name}>
          <h2 className="mb-3 text-lg font-semibold">{p.name}</h2>
          <ul className="overflow-hidden rounded-lg border border-edge bg-panel">
            {p.assets.map((a) => (
              <li key={a.id} className="border-b border-line last:border-0">
                <div className="flex items-baseline gap-3 px-4 pt-3 pb-1"><span className="font-semibold">{a.name}</span><span className="num text-faint">{a.fileName}</span>{a.version > 1 && <span className="text-faint">version {a.version}</span>}</div>
                <ul className="pb-2">
                  {a.grooms.map((g) => (
                    <li key={g.id}>
                      <a href={`/groom/${g.id}`} className="group flex items-center gap-3 px-4 py-1.5 hover:bg-lifted">
                        <span>{g.name}</span><span className="text-faint">{g.shot === null ? 'cannot be read: it is of another version of this program, or damaged' : `in the shot “${g.shot}”`}</span>
                        <span className="ml-auto text-faint">{new Date(g.updatedAt).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })}</span>
                        <ArrowRight size={15} className="text-copper opacity-60 group-hover:opacity-100" />
                      </a>
                    </li>
                  ))}
                  <li><NewGroom character={a.name} onBegin={async (name) => { try { router.push(`/groom/${await newGroom(a.id, name)}`); } catch (e) { setError(e instanceof Error ? e.message : String(e)); } }} /></li>
                </ul>
              </li>
            ))}
          </ul>
        </section>
      ))}
      {data && data.productions.length === 0 && <p className="text-soft">There is no production here yet. Bring in a character to begin one, or start with <code className="num">./comb demo</code> to look at a finished groom.</p>}
      {!data && !error && <p className="text-faint">Opening …</p>}

      <section aria-label="Bring in a character">
        <h2 className="mb-3 text-lg font-semibold">Bring in a character</h2>
        <button
          type="button" onClick={() => input.current?.click()}
          onDragOver={(e) => { e.preventDefault(); setOver(true); }} onDragLeave={() => setOver(false)}
          onDrop={(e) => { e.preventDefault(); setOver(false); void look(e.dataTransfer.files); }}
          className={`flex w-full flex-col items-center gap-2 rounded-lg border border-dashed px-6 py-8 ${over ? 'border-copper bg-lifted' : 'border-edge bg-panel hover:bg-raised'}`}
        >
          <Upload size={22} className="text-copper" />
          <span>Drop a character here, or choose its files</span>
          <span className="text-faint">{CHARACTER_FILES}; at most {FILE_LIMITS.megabytes} MB, {GLTF_LIMITS.triangles / 1e6} million triangles, {GLTF_LIMITS.joints} joints a skin</span>
        </button>
        <input ref={input} type="file" multiple accept=".glb,.gltf,.bin,.obj,.mtl,.zip" className="sr-only" aria-label="Character file" onChange={(e) => { const list = [...(e.target.files ?? [])]; e.target.value = ''; void look(list); }} />
      </section>
      <section aria-label="Open a project">
        <label className="inline-flex cursor-pointer items-center gap-2 rounded-md border border-edge bg-panel px-3 py-1.5 hover:bg-raised has-focus-visible:outline-2 has-focus-visible:outline-copper"><FolderInput size={15} className="text-copper" />{project.busy ? 'Opening the project …' : 'Open a project from another installation (.zip)'}<input type="file" accept=".zip" disabled={project.busy} className="sr-only" aria-label="Project file" data-testid="open-project" onChange={(e) => { const f = e.target.files?.[0]; e.target.value = ''; if (f) void bring(f); }} /></label>
        {project.told.length > 0 && <ul role="status" data-testid="project-told" className="mt-2 text-soft">{project.told.map((t) => <li key={t}>{t}</li>)}</ul>}
      </section>
      {files && <BringIn files={files} onClose={() => setFiles(null)} onRefused={refused} onDone={(groomId, warnings) => { if (warnings.length > 0) sessionStorage.setItem(`warnings-${groomId}`, JSON.stringify(warnings)); router.push(`/groom/${groomId}`); }} />}
    </main>
  );
}

/** Another groom on the same character: brows beside the hair, a coat beside the mane. */
function NewGroom({ character, onBegin }: { character: string; onBegin: (name: string) => Promise<void> }) {
  const [name, setName] = useState<string | null>(null), [busy, setBusy] = useState(false);
  if (name === null) return <button type="button" aria-label={`New groom on ${character}`} onClick={() => setName('')} className="flex w-full items-center gap-1.5 px-4 py-1.5 text-left text-faint hover:bg-lifted hover:text-text"><Plus size={14} />New groom</button>;
  return (
    <form className="flex items-center gap-2 px-4 py-1" onSubmit={(e) => { e.preventDefault(); if (!name.trim() || busy) return; setBusy(true); void onBegin(name.trim()).finally(() => setBusy(false)); }}>
      <input autoFocus value={name} onChange={(e) => setName(e.target.value)} onKeyDown={(e) => { if (e.key === 'Escape') setName(null); }} maxLength={100} placeholder="brows, tail, coat …" aria-label={`Name of the new groom on ${character}`} className="h-7 w-64 rounded-md border border-edge bg-raised px-2" />
      <Button primary type="submit" disabled={!name.trim() || busy}>Begin</Button><Button onClick={() => setName(null)}>Leave it</Button>
    </form>
  );
}
