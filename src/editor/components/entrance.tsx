'use client';
/** First page: productions, their characters and grooms; a place to drop a character. */
import { useCallback, useEffect, useRef, useState } from 'react';
import { useRouter } from 'next/navigation';
import { ArrowRight, Upload, TriangleAlert } from 'lucide-react';
import { ApiError, getOverview, uploadCharacter, type OverviewData } from '../state/api';
import { Mark } from './mark';
import { useTheme } from './theme';

const SIZE_LIMIT_MB = 256;

export function Entrance() {
  useTheme();
  const router = useRouter();
  const [data, setData] = useState<OverviewData | null>(null);
  const [error, setError] = useState<string | null>(null);
  const [busy, setBusy] = useState<string | null>(null);
  const [over, setOver] = useState(false);
  const input = useRef<HTMLInputElement>(null);

  useEffect(() => { getOverview().then(setData, (e: unknown) => setError(e instanceof Error ? e.message : String(e))); }, []);

  const upload = useCallback(async (file: File) => {
    setError(null);
    if (file.size > SIZE_LIMIT_MB * 1048576) { setError(`${file.name} is larger than ${SIZE_LIMIT_MB} MB. Export it without textures, or with meshopt compression.`); return; }
    setBusy(file.name);
    try {
      const { groomId, warnings } = await uploadCharacter(file);
      if (warnings.length > 0) sessionStorage.setItem(`warnings-${groomId}`, JSON.stringify(warnings));
      router.push(`/groom/${groomId}`);
    } catch (cause) {
      setBusy(null);
      setError(cause instanceof ApiError ? `${file.name}: ${cause.message}` : String(cause));
    }
  }, [router]);

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
                <div className="flex items-baseline gap-3 px-4 pt-3 pb-1"><span className="font-semibold">{a.name}</span><span className="num text-faint">{a.fileName}</span></div>
                <ul className="pb-2">
                  {a.grooms.map((g) => (
                    <li key={g.id}>
                      <a href={`/groom/${g.id}`} className="group flex items-center gap-3 px-4 py-1.5 hover:bg-lifted">
                        <span>{g.name}</span><span className="text-faint">in the shot “{g.shot || 'rest pose'}”</span>
                        <span className="ml-auto text-faint">{new Date(g.updatedAt).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })}</span>
                        <ArrowRight size={15} className="text-copper opacity-60 group-hover:opacity-100" />
                      </a>
                    </li>
                  ))}
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
          type="button" disabled={busy !== null} onClick={() => input.current?.click()}
          onDragOver={(e) => { e.preventDefault(); setOver(true); }} onDragLeave={() => setOver(false)}
          onDrop={(e) => { e.preventDefault(); setOver(false); const file = e.dataTransfer.files[0]; if (file) void upload(file); }}
          className={`flex w-full flex-col items-center gap-2 rounded-lg border border-dashed px-6 py-8 ${over ? 'border-copper bg-lifted' : 'border-edge bg-panel hover:bg-raised'}`}
        >
          <Upload size={22} className="text-copper" />
          <span>{busy ? `Reading ${busy} …` : 'Drop a .glb here, or choose one'}</span>
          <span className="text-faint">Binary glTF 2.0 with a skinned mesh, in metres, +Y up; at most {SIZE_LIMIT_MB} MB</span>
        </button>
        <input ref={input} type="file" accept=".glb,model/gltf-binary" className="sr-only" aria-label="Character file" onChange={(e) => { const file = e.target.files?.[0]; e.target.value = ''; if (file) void upload(file); }} />
      </section>
    </main>
  );
}
