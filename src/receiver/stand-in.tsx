'use client';
/** A receiver that stands in for whoever gets the files: it opens them with general-purpose loaders only, plays them and checks them. */
import { Pause, Play, RotateCw } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import * as THREE from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import { z } from 'zod';
import { unpackFrames } from '../core/bake/frame-codec';
import { check, sameFiles, type Check, type Figures, type Reference, type Told } from './checks';
import { figure, NotPlayed, receive, type Figure, type NamedBytes, type Received } from './load';

const handed = z.object({
  id: z.string(), bakeId: z.string(), state: z.string(), files: z.array(z.object({ name: z.string(), size: z.number() })),
  wish: z.object({ format: z.string(), what: z.string(), receiver: z.object({ name: z.string(), up: z.enum(['y', 'z']), hand: z.enum(['right', 'left']), metres: z.number(), jointLimit: z.number(), textureLimit: z.number(), turnGltf: z.boolean() }) }),
  sheet: z.object({ character: z.string(), groom: z.string(), shot: z.string(), clip: z.string(), files: z.array(z.object({ name: z.string(), size: z.number(), sha256: z.string() })), report: z.object({ frames: z.object({ first: z.number(), last: z.number(), count: z.number(), fps: z.number(), samples: z.number() }), reductions: z.array(z.object({ of: z.string(), figures: z.object({ mean: z.number(), p95: z.number() }) })), layout: z.record(z.string(), z.unknown()) }) }).nullable(),
});
type Handed = z.infer<typeof handed>;
const baked = z.object({ fps: z.number(), samples: z.number(), errorMm: z.number(), pointCount: z.number(), chunks: z.array(z.object({ first: z.number(), count: z.number() })) });
/** What is told of keys on a character's own joints. */
const keysSchema = z.object({ clip: z.string(), with: z.string().nullable(), begins: z.number().default(0), placement: z.object({ scale: z.number(), up: z.string(), turn: z.number(), mirror: z.boolean() }), joints: z.array(z.object({ node: z.number(), guide: z.number(), point: z.number() })) });
const STILL = new Set(['springs', 'lines', 'obj']);

async function bytesOf(path: string): Promise<ArrayBuffer> { const answer = await fetch(path); if (!answer.ok) throw new Error(((await answer.json().catch(() => ({}))) as { message?: string }).message ?? `The server answered ${answer.status}.`); return answer.arrayBuffer(); }

/** Everything that is played, in one scene. */
class Stage {
  readonly renderer: THREE.WebGLRenderer;
  readonly scene = new THREE.Scene();
  readonly camera = new THREE.PerspectiveCamera(32, 1, 0.01, 200);
  readonly controls: OrbitControls;
  received: Received | null = null;
  figure: Figure | null = null;
  shotFps = 24;
  firstFrame = 0;
  /** Guides of the bake, laid over. */
  reference: Reference | null = null;
  readonly guides = new THREE.LineSegments(new THREE.BufferGeometry(), new THREE.LineBasicMaterial({ color: 0x7fd4ff, depthTest: false, transparent: true, opacity: 0.7 }));
  constructor(readonly canvas: HTMLCanvasElement) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
    this.renderer.setClearColor(0x55565a);
    this.scene.add(new THREE.HemisphereLight(0xffffff, 0x8a8580, 2.2));
    const key = new THREE.DirectionalLight(0xfff1de, 2.2);
    key.position.set(1.5, 3, 2.5);
    this.scene.add(key);
    this.guides.visible = false;
    this.guides.frustumCulled = false;
    this.scene.add(this.guides);
    this.controls = new OrbitControls(this.camera, canvas);
  }
  show(time: number): void {
    this.received?.set(time);
    this.figure?.set(this.firstFrame / this.shotFps + time);
    const bake = this.guides.visible ? this.reference?.(Math.round(this.firstFrame + time * this.shotFps)) : null;
    if (bake) this.layOver(bake);
    this.draw();
  }
  private layOver({ points, pointCount }: { points: Float32Array; pointCount: number }): void {
    const g = this.guides.geometry, known = g.getAttribute('position') as THREE.BufferAttribute | undefined;
    if (known?.array.length === points.length) { known.array.set(points); known.needsUpdate = true; return; }
    g.setAttribute('position', new THREE.BufferAttribute(points.slice(), 3)).setIndex(Array.from({ length: points.length / (3 * pointCount) }, (_, s) => Array.from({ length: pointCount - 1 }, (_x, i) => [s * pointCount + i, s * pointCount + i + 1])).flat(2));
  }
  draw(): void {
    const { clientWidth: w, clientHeight: h } = this.canvas;
    if (this.canvas.width !== w || this.canvas.height !== h) { this.renderer.setSize(w, h, false); this.camera.aspect = w / h; this.camera.updateProjectionMatrix(); }
    this.renderer.render(this.scene, this.camera);
  }
  frame(): void {
    const P = this.received?.points();
    if (!P || P.length === 0) return;
    const box = new THREE.Box3().setFromArray(P), size = box.getSize(new THREE.Vector3()).length(), middle = box.getCenter(new THREE.Vector3());
    this.controls.target.copy(middle);
    this.camera.position.copy(middle).add(new THREE.Vector3(0.55, 0.25, 1).normalize().multiplyScalar(1.7 * size + 0.15));
    this.controls.update();
  }
}

export function StandIn({ exportId }: { exportId: string }) {
  const canvas = useRef<HTMLCanvasElement>(null), stage = useRef<Stage | null>(null), [one, setOne] = useState<Handed | null>(null), [trouble, setTrouble] = useState(''), [checks, setChecks] = useState<Check[] | null>(null), [facts, setFacts] = useState<[string, string][]>([]), [playing, setPlaying] = useState(false), [time, setTime] = useState(0), [duration, setDuration] = useState(0), [on, setOn] = useState(''), [rate, setRate] = useState<number | null>(null), [doing, setDoing] = useState('Opening …');
  const stuff = useRef<{ files: NamedBytes[]; reference: Reference; told: Told; shotFps: number } | null>(null);

  const judge = async (who: string): Promise<void> => {
    const { received, figure: body } = stage.current!, { files, reference, told, shotFps } = stuff.current!;
    setDoing('Checking …');
    await new Promise((r) => { setTimeout(r, 30); });
    const { checks: found, against } = await check(received!, body, reference, told, files, shotFps);
    setChecks(found);
    setDoing('');
    const speed = measure(stage.current!);
    setRate(speed);
    await fetch(`/api/exports/${exportId}/received`, { method: 'PUT', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ at: new Date().toISOString(), verdict: found.every((c) => c.passes) ? 'pass' : 'attention', checks: found, against: finite(against), rate: speed, on: who }) }).then(async (r) => { if (!r.ok) throw new Error(((await r.json()) as { message?: string }).message ?? 'The sheet could not be written.'); });
  };
  useEffect(() => {
    let closed = false;
    const s = (stage.current = new Stage(canvas.current!)), open = async (): Promise<void> => {
      const told = handed.parse(JSON.parse(new TextDecoder().decode(await bytesOf(`/api/exports/${exportId}`))));
      setOne(told);
      if (told.state !== 'done' || !told.sheet) throw new Error('This hand-over is not finished yet.');
      const bake = baked.parse(JSON.parse(new TextDecoder().decode(await bytesOf(`/api/bakes/${told.bakeId}`)))), { report } = told.sheet, { receiver } = told.wish, files: NamedBytes[] = [], frames = new Map<number, Float32Array>();
      for (const f of told.files) files.push({ name: f.name, bytes: await bytesOf(`/api/exports/${exportId}/files/${encodeURIComponent(f.name)}`) });
      for (const c of bake.chunks) for (const [n, { points }] of unpackFrames(new Uint8Array(await bytesOf(`/api/bakes/${told.bakeId}/chunks/${c.first}`))).frames) if (n % bake.samples === 0) frames.set(n / bake.samples, points);
      const keys = told.wish.format === 'keys' ? keysSchema.parse(report.layout) : null;
      if (keys?.placement.mirror) throw new Error('This character was mirrored when it came in; it is not mirrored here.');
      const cards = report.reductions.find((r) => /cards/.test(r.of));
      stuff.current = { files, shotFps: bake.fps, reference: (n) => { const points = frames.get(n); return points ? { points, pointCount: bake.pointCount } : null; }, told: { frames: report.frames, jointLimit: receiver.jointLimit, textureLimit: receiver.textureLimit, filled: told.wish.what === 'filled', still: STILL.has(told.wish.format), errorMm: bake.errorMm, reduction: cards?.figures ?? null, sizes: told.sheet.files, joints: keys?.joints ?? [] } };
      s.shotFps = bake.fps;
      s.reference = stuff.current.reference;
      s.firstFrame = report.frames.first;
      s.received = await receive(files, { fps: report.frames.fps, first: report.frames.first, metres: receiver.metres, up: receiver.up, hand: receiver.hand, turned: receiver.turnGltf, ...(keys ? { clips: [keys.clip, ...(keys.with ? [keys.with] : [])], begins: keys.begins, placement: keys.placement } : {}) }).catch(async (e: unknown) => { if (e instanceof NotPlayed) setChecks([await sameFiles(stuff.current!.told, files)]); throw e; });
      if (closed) return;
      s.scene.add(s.received.object);
      let who = 'nobody';
      try {
        const answer = keys ? null : await fetch(`/api/exports/${exportId}/character`);
        if (keys) who = `${told.sheet.character}, in the file itself`;
        if (answer?.ok) { const placement = JSON.parse(answer.headers.get('x-placement') ?? 'null') as { scale: number; up: string; turn: number } | null; s.figure = await figure(await answer.arrayBuffer(), placement); s.figure.choose(told.sheet.clip); s.scene.add(s.figure.object); who = `${told.sheet.character}, its own file`; }
      } catch { /* the hair is played alone */ }
      setOn(who);
      s.received.set(0);
      s.frame();
      s.show(0);
      setFacts(s.received.facts);
      setDuration(s.received.duration);
      await judge(who);
      s.show(0);
    };
    open().catch((e: unknown) => { setDoing(''); setTrouble(e instanceof Error ? e.message : String(e)); });
    const again = (): void => s.draw();
    s.controls.addEventListener('change', again);
    window.addEventListener('resize', again);
    return () => { closed = true; window.removeEventListener('resize', again); s.controls.dispose(); s.renderer.dispose(); };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- one hand-over a page
  }, [exportId]);
  useEffect(() => {
    if (!playing || duration <= 0) return undefined;
    let handle = 0;
    const begin = performance.now() - 1000 * time, tick = (now: number): void => { const t = ((now - begin) / 1000) % (duration + 1e-9); setTime(t); stage.current?.show(t); handle = requestAnimationFrame(tick); };
    handle = requestAnimationFrame(tick);
    return () => cancelAnimationFrame(handle);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- begins where it stands
  }, [playing, duration]);
  const another = async (file: File): Promise<void> => {
    const s = stage.current!;
    try {
      const next = await figure(await file.arrayBuffer(), null);
      if (s.figure) s.scene.remove(s.figure.object);
      s.figure = next;
      next.choose(next.clips.find((c) => c === one?.sheet?.clip) ?? '');
      s.scene.add(next.object);
      setOn(file.name);
      s.show(time);
      await judge(file.name);
    } catch (e) { setTrouble(e instanceof Error ? e.message : String(e)); }
  };
  const sheet = one?.sheet;
  return (
    <main className="flex h-screen flex-col bg-ground text-text">
      <header className="flex h-11 shrink-0 items-center gap-3 border-b border-line bg-panel px-4"><span className="font-semibold">Stand-in receiver</span>{sheet && <span className="truncate text-soft">{sheet.character} · {sheet.groom} · {sheet.shot}, for {one.wish.receiver.name}</span>}<span className="ml-auto text-faint">{doing}</span></header>
      <div className="flex min-h-0 flex-1">
        <div className="flex min-w-0 flex-1 flex-col">
          <canvas ref={canvas} data-testid="receiver-view" className="min-h-0 w-full flex-1" />
          <div className="flex h-10 shrink-0 items-center gap-3 border-t border-line bg-panel px-3">
            <button type="button" aria-label={playing ? 'Pause' : 'Play'} disabled={duration <= 0} onClick={() => setPlaying(!playing)} className="rounded p-1.5 text-soft enabled:hover:bg-lifted disabled:opacity-35">{playing ? <Pause size={15} /> : <Play size={15} />}</button>
            <input aria-label="Time" type="range" min={0} max={duration || 1} step={duration / 1000 || 0.001} value={time} disabled={duration <= 0} onChange={(e) => { setPlaying(false); const t = Number(e.target.value); setTime(t); stage.current?.show(t); }} className="flex-1 accent-[var(--copper)]" />
            <span className="num w-28 text-right text-faint">{time.toFixed(2)} / {duration.toFixed(2)} s</span>
            <button type="button" aria-label="Frame it" title="Frame it" onClick={() => { stage.current?.frame(); stage.current?.draw(); }} className="rounded p-1.5 text-soft hover:bg-lifted"><RotateCw size={14} /></button>
          </div>
        </div>
        <aside className="w-[340px] shrink-0 overflow-y-auto border-l border-line bg-panel p-3">
          {trouble && <p role="alert" className="mb-3 rounded-md border border-trouble/60 p-2">{trouble}</p>}
          <h2 className="mb-1 font-semibold">Opened</h2>
          <ul className="mb-2 text-soft">{one?.files.map((f) => <li key={f.name} className="flex gap-2"><span className="truncate">{f.name}</span><span className="num ml-auto text-faint">{(f.size / 1e6).toFixed(2)} MB</span></li>)}</ul>
          <dl className="mb-3 grid grid-cols-[1fr_auto] gap-x-3 text-soft">{facts.map(([k, v]) => <div key={k} className="contents"><dt>{k}</dt><dd className="num text-right text-text">{v}</dd></div>)}{rate !== null && <div className="contents"><dt>pictures a second here</dt><dd className="num text-right text-text">{rate.toFixed(0)}</dd></div>}</dl>
          <h2 className="mb-1 font-semibold">Checked</h2>
          {!checks && <p className="text-faint">{trouble ? 'Nothing could be checked.' : doing}</p>}
          <ul data-testid="checks" data-done={checks ? 'yes' : 'no'} className="flex flex-col gap-1.5">{checks?.map((c) => <li key={c.name} data-passes={c.passes} className="leading-snug"><span className={c.passes ? 'text-good' : 'text-trouble'}>{c.passes ? '●' : '▲'}</span> {c.name}<div className="num pl-4 text-faint"><span className="text-text">{c.figure}</span> · {c.wanted}</div></li>)}</ul>
          <label className="mt-3 flex items-center gap-2 text-soft"><input type="checkbox" data-testid="lay-over" onChange={(e) => { const s = stage.current!; s.guides.visible = e.target.checked; s.show(time); }} />Guides of the full bake laid over</label>
          {checks && on && <p className="mt-2 text-[12px] text-faint">Played on {on}. What was found stands on the sheet.</p>}
          <label className="mt-3 block text-soft">Play it on another character<input type="file" accept=".glb" aria-label="Another character" data-testid="another" className="mt-1 block w-full text-[12px]" onChange={(e) => { const f = e.target.files?.[0]; if (f) void another(f); }} /></label>
        </aside>
      </div>
    </main>
  );
}
const finite = (f: Figures | null): Figures | null => (f && Number.isFinite(f.worst) ? f : null);
/** Pictures a second, over some that are drawn at once; a pixel is read of each, so that it has been drawn. */
function measure(stage: Stage): number {
  const begin = performance.now(), gl = stage.renderer.getContext(), pixel = new Uint8Array(4);
  let n = 0;
  while (n < 2 || (performance.now() - begin < 300 && n < 120)) { stage.show((n / 24) % (stage.received!.duration || 1)); gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, pixel); n++; }
  return (1000 * n) / (performance.now() - begin);
}
