/** Takes: every whole run is kept with its settings, its proof, its frames and a few pictures; looked at again, laid over another, put back. */
import type { PackedFrames } from '../../core/bake/frame-codec';
import { bufferId } from '../../core/document/buffers';
import type { Limits, Proof } from '../../core/document/proof';
import type { GroomDocument } from '../../core/document/schema';
import { restoreSettings, settingsOf } from '../../core/document/take';
import * as api from './api';
import { framesOf } from './background-take';
import type { RunFrames } from './run-desk';
import type { Session } from './session';
import { NO_RUN, useEditor } from './store';

/** Takes whose frames are kept in memory, besides those in use. */
const MOST_OPEN = 5;
/** So many takes, or bytes of them, are near what the server keeps. */
const NEAR_MANY = 55, NEAR_FULL = 450 << 20;
/** Pictures of a take, evenly over its range, and their size. */
const PICTURES = 5, WIDE = 144, HIGH = 108;
/** ms after which no further picture of a take is begun. */
const PATIENCE_MS = 1500;

export class TakeDesk {
  private readonly open = new Map<string, Map<number, PackedFrames>>();
  private readonly loading = new Map<string, Promise<Map<number, PackedFrames>>>();
  /** Given by the view: a picture of the hair in a frame. */
  picture: ((points: Float32Array, frame: number, width: number, height: number) => HTMLCanvasElement | null) | null = null;
  /** Given by the view: to wait while pictures are made. */
  pause: ((on: boolean) => void) | null = null;
  constructor(private readonly session: Session) {}

  private put(take: api.Take): void { const { takes } = useEditor.getState(); useEditor.setState({ takes: takes.some((t) => t.id === take.id) ? takes.map((t) => (t.id === take.id ? take : t)) : [take, ...takes] }); }
  find(id: string | null): api.Take | undefined { return id === null ? undefined : useEditor.getState().takes.find((t) => t.id === id); }
  /** The newest take of what is open now; else the newest of all. */
  newest(key = this.session.key): api.Take | undefined { const { takes } = useEditor.getState(); return takes.find((t) => t.motionKey === key); }
  /** Its figures stand where nothing has been run yet. */
  showNewest(): void {
    const { run, takes } = useEditor.getState(), { key } = this.session;
    if (run.state === 'running' || (run.key === key && run.state === 'done')) return;
    const take = this.newest(key) ?? (run.state === 'none' ? takes[0] : undefined);
    if (take) useEditor.setState({ run: { ...NO_RUN, state: 'done', key: take.motionKey, proof: take.proof, head: take.proof.end } });
    if (take && take.motionKey === key) void this.showRun(take);
  }
  /** The moving picture of the run that has just been opened. */
  private async showRun(take: api.Take): Promise<void> {
    if (!take.hasFrames) return;
    try {
      const frames = await this.load(take.id), { run } = useEditor.getState();
      if (run.key !== take.motionKey || this.session.runs.live.size > 0 || this.session.key !== take.motionKey) return;
      this.session.runs.adopt(take.motionKey, take.proof, framesOf(frames));
    } catch { /* it is run again where it is wanted */ }
  }

  /** Keeps a whole run. What fails is told; the run itself stays on the screen. */
  async keep(key: string, proof: Proof, frames: RunFrames, document: GroomDocument, name?: string): Promise<api.Take | null> {
    const { session } = this, { guides } = document, numbers = [...frames.live.keys()].filter((f) => f >= proof.start).sort((a, b) => a - b);
    try {
      const list: PackedFrames[] = numbers.map((f) => ({ points: frames.live.get(f)!, strands: frames.strands.get(f)!, ...(frames.drops.has(f) ? { drops: frames.drops.get(f)! } : {}) }));
      let packed: Uint8Array | null = null, strip: Uint8Array | null = null;
      if (guides && list.length > 0) packed = (await session.trials.run('pack', { frames: list, first: numbers[0], pointCount: guides.pointCount })).bytes;
      strip = await this.strip((f) => frames.live.get(f), numbers);
      const ids = await Promise.all([packed, strip].map(async (bytes) => { if (!bytes) return null; const id = bufferId(bytes); await api.putBuffer(id, bytes); return id; }));
      const take = await api.addTake(session.groom.id, { motionKey: key, name: name ?? this.freeName(document.shotName), shotName: document.shotName, proof, settings: settingsOf(document), frames: ids[0], strip: ids[1], bytes: (packed?.length ?? 0) + (strip?.length ?? 0) });
      this.hold(take.id, new Map(numbers.map((f, k) => [f, list[k]])));
      this.put(take);
      // near the limits the server lets old ones go
      const { takes } = useEditor.getState();
      if (takes.length > NEAR_MANY || takes.reduce((n, t) => n + t.bytes, 0) > NEAR_FULL) useEditor.setState({ takes: await api.listTakes(session.groom.id) });
      return take;
    } catch (cause) {
      session.onTrouble?.(`This run could not be kept as a take: ${cause instanceof Error ? cause.message : String(cause)}`);
      return null;
    }
  }
  private freeName(shot: string): string {
    const names = new Set(useEditor.getState().takes.map((t) => t.name));
    for (let n = 1; ; n++) if (!names.has(`${shot} ${n}`)) return `${shot} ${n}`;
  }
  /** A row of pictures as a PNG; null where there is no view. */
  async strip(pointsOf: (frame: number) => Float32Array | undefined, numbers: readonly number[]): Promise<Uint8Array | null> {
    if (!this.picture || numbers.length === 0) return null;
    const many = Math.min(PICTURES, numbers.length), made: { f: number; picture: HTMLCanvasElement }[] = [], began = performance.now();
    this.pause?.(true);
    try {
      // the middle first, then the ends: a slow machine makes fewer
      for (const k of [2, 0, 4, 1, 3].filter((i) => i < many)) {
        const f = numbers[Math.round((k * (numbers.length - 1)) / Math.max(1, many - 1))], points = pointsOf(f), picture = points ? this.picture(points, f, WIDE, HIGH) : null;
        if (!picture) return null;
        made.push({ f, picture });
        // the page answers between the pictures
        await new Promise((r) => { setTimeout(r, 0); });
        if (performance.now() - began > PATIENCE_MS || !this.picture) break;
      }
    } finally { this.pause?.(false); }
    const canvas = document.createElement('canvas'), context = canvas.getContext('2d')!;
    canvas.width = made.length * WIDE;
    canvas.height = HIGH;
    made.sort((x, y) => x.f - y.f).forEach(({ picture }, k) => context.drawImage(picture, k * WIDE, 0));
    const blob = await new Promise<Blob | null>((r) => { canvas.toBlob(r, 'image/png'); });
    return blob && new Uint8Array(await blob.arrayBuffer());
  }

  private hold(id: string, frames: Map<number, PackedFrames>): void {
    this.open.delete(id);
    this.open.set(id, frames);
    const { shownTake, compare } = useEditor.getState();
    for (const old of [...this.open.keys()]) if (this.open.size > MOST_OPEN && old !== id && old !== shownTake && old !== compare?.take) this.open.delete(old);
  }
  /** A frame of a take, if its frames are here. */
  frame(id: string, frame: number): PackedFrames | undefined { return this.open.get(id)?.get(frame); }
  isOpen(id: string): boolean { return this.open.has(id); }
  /** Fetches a take's frames. */
  async load(id: string): Promise<Map<number, PackedFrames>> {
    const here = this.open.get(id);
    if (here) return here;
    let coming = this.loading.get(id);
    if (!coming) {
      coming = (async () => {
        const bytes = await api.takeFrames(id), { frames } = await this.session.trials.run('unpack', { bytes });
        this.hold(id, frames);
        this.loading.delete(id);
        this.session.changed();
        return frames;
      })();
      this.loading.set(id, coming);
      coming.catch(() => this.loading.delete(id));
    }
    return coming;
  }

  /** Looks at a take in Proof; null goes back to the run. */
  async show(id: string | null): Promise<void> {
    const take = this.find(id);
    useEditor.setState({ shownTake: take ? take.id : null, marked: -1 });
    if (take?.hasFrames) await this.load(take.id);
    this.session.changed();
  }
  /** Lays a take over what is shown; null takes it away. */
  async layOver(id: string | null): Promise<void> {
    if (id === null) { useEditor.setState({ compare: null }); return; }
    const { compare } = useEditor.getState();
    await this.load(id);
    useEditor.setState({ compare: { mode: compare?.mode ?? 'wipe', at: compare?.at ?? 0.5, take: id } });
  }
  /** Puts a take's settings back as one step; its frames are those of the run again where nothing else has changed since. */
  async restore(id: string): Promise<void> {
    const take = this.find(id), { session } = this;
    if (!take?.settings) throw new Error('The settings of this take were not kept, or are of another version.');
    const { settings } = take, combed = settings.guides?.offsets !== session.document.guides?.offsets;
    useEditor.getState().edit(`Settings of ${take.name || 'a take'}`, (d) => restoreSettings(d, settings));
    useEditor.setState({ shownTake: null });
    if (session.key === take.motionKey && take.hasFrames) {
      const frames = await this.load(id);
      if (session.key === take.motionKey) session.runs.adopt(take.motionKey, take.proof, framesOf(frames));
    } else session.onTold?.(combed ? 'The settings are back; the hair is as it is combed now.' : 'The settings are back. Run again to see them move.');
  }
  async change(id: string, change: { name?: string; pinned?: boolean; proof?: Proof }): Promise<void> {
    const take = await api.changeTake(id, change);
    this.put(take);
    const { run } = useEditor.getState();
    if (change.proof && run.key === take.motionKey && run.state === 'done') useEditor.setState({ run: { ...run, proof: change.proof } });
  }
  async remove(id: string): Promise<void> {
    await api.deleteTake(id);
    const { takes, shownTake, compare } = useEditor.getState();
    this.open.delete(id);
    useEditor.setState({ takes: takes.filter((t) => t.id !== id), ...(shownTake === id ? { shownTake: null } : {}), ...(compare?.take === id ? { compare: null } : {}) });
    this.session.changed();
  }
  async setLimits(limits: Limits): Promise<void> { useEditor.setState({ limits: await api.setLimits(this.session.groom.production.id, limits) }); }

  /** What Proof judges: the take that is looked at, or the run. */
  shownProof(): { proof: Proof; key: string; take: api.Take | undefined } | null {
    const { shownTake, run } = useEditor.getState(), take = this.find(shownTake);
    if (take) return { proof: take.proof, key: take.motionKey, take };
    return run.proof && run.proof.frames.length > 0 ? { proof: run.proof, key: run.key, take: useEditor.getState().takes.find((t) => t.motionKey === run.key && t.proof.frames.length === run.proof!.frames.length) } : null;
  }

  /** Measures filled strands in the frames that are here, and puts what it finds to the proof. */
  async measureFilled(count: number, signal?: AbortSignal): Promise<void> {
    const { session } = this, { document } = session, shown = this.shownProof(), { shownTake } = useEditor.getState();
    if (!shown || !document.guides) return;
    const { proof, take } = shown, points = (f: number): Float32Array | undefined => (shownTake ? this.frame(shownTake, f)?.points : session.runs.live.get(f)), frames: [number, Float32Array][] = [];
    for (let f = proof.start; f <= proof.end; f++) { const p = points(f); if (p) frames.push([f, p]); }
    if (frames.length === 0) throw new Error('The moving picture is not here: run again first.');
    const of = take?.settings ? { ...document, sway: take.settings.sway, hidden: take.settings.hidden, shot: take.settings.shot } : document;
    useEditor.setState({ measuring: 0 });
    try {
      const { maps } = session.fillOrder(count)!, { document: d, planting, offsets } = session.forWorker(of);
      const found = await session.trials.run('filled', { document: d, planting, offsets, maps, faces: session.plotFaces, count, frames }, { signal, onProgress: (share) => useEditor.setState({ measuring: share }) }), measured = { ...proof, filled: { count, frames: found.frames, colliders: found.colliders, below: found.below } };
      if (take) await this.change(take.id, { proof: measured });
      else { const { run } = useEditor.getState(); if (run.proof === proof) useEditor.setState({ run: { ...run, proof: measured } }); }
    } finally { useEditor.setState({ measuring: null }); }
  }
}
