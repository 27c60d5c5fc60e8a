/** Bakes as the server has them: asked for, followed, shown; and what is handed over of them. */
import { bufferId } from '../../core/document/buffers';
import type { HandOver, Receiver } from '../../core/document/hand-over';
import { writeGroomFile } from '../../core/document/groom-file';
import type { GroomDocument } from '../../core/document/schema';
import { SOLVER_VERSION } from '../../core/document/proof';
import { staleBecause } from '../../core/document/take';
import * as api from './api';
import { BakedFrames } from './baked-frames';
import { fileNameOf, saveFile } from './save-file';
import type { Session } from './session';
import { useEditor } from './store';

const active = (state: api.JobState): boolean => state === 'queued' || state === 'running';

export class BakeDesk {
  /** Frames of the bake that is shown. */
  readonly frames = new BakedFrames();
  private pollTimer: ReturnType<typeof setTimeout> | undefined;
  private closed = false;
  /** Counts what has been shown: loading that something else came after stops. */
  private turn = 0;
  /** Bakes whose shots may be changed: somebody has said so. */
  private readonly thawed = new Set<string>();
  constructor(private readonly session: Session) { useEditor.setState({ mayChange: (before, next) => this.thaw(before, next) }); }
  close(): void { this.closed = true; this.turn++; useEditor.setState({ mayChange: () => true }); clearTimeout(this.pollTimer); }

  take(bakes: api.Bake[]): void {
    const { bakeId } = useEditor.getState();
    const newest = bakes.find((b) => b.state === 'done') ?? bakes[0];
    useEditor.setState({ bakes });
    if (bakes.some((b) => active(b.state))) this.pollSoon();
    if (!bakeId || !bakes.some((b) => b.id === bakeId)) void this.show(newest?.id ?? null);
  }
  private pollSoon(): void {
    clearTimeout(this.pollTimer);
    this.pollTimer = setTimeout(() => { void this.refresh(); }, 500);
  }
  async refresh(): Promise<void> {
    if (this.closed) return;
    try {
      const { bakes: before, exports: handed } = useEditor.getState(), bakes = await api.listBakes(this.session.groom.id);
      const ended = bakes.find((b) => b.state === 'done' && before.some((x) => x.id === b.id && x.state !== 'done'));
      this.take(bakes);
      if (ended) await this.show(ended.id);
      else if (handed.some((e) => active(e.state))) await this.refreshExports();
    } catch { this.pollSoon(); }
  }
  /** A baked shot is frozen: a change that would make its bake out of date is asked about, once. */
  private thaw(before: GroomDocument, next: GroomDocument): boolean {
    const bake = useEditor.getState().bakes.find((b) => b.state === 'done' && b.settings.shotName === before.shotName);
    if (!bake || this.thawed.has(bake.id) || next.shotName !== before.shotName || this.stale(bake, before).length > 0) return true;
    const because = this.stale(bake, next);
    if (because.length === 0) return true;
    if (!confirm(`This shot is baked. Thaw it? The bake stays as it is, and will be out of date: ${because.join(', ')}.`)) return false;
    this.thawed.add(bake.id);
    return true;
  }
  /** Why a bake does not hold any more; nothing where it does. */
  stale(bake: api.Bake, document = this.session.document): string[] {
    const { groom } = this.session;
    return staleBecause(bake.settings, document, { character: groom.character.id, solver: SOLVER_VERSION }, { character: bake.assetId, solver: bake.solver });
  }
  async bake(): Promise<void> {
    if (!(await this.session.saveNow())) throw new Error('The groom could not be saved, so it was not baked.');
    const bake = await api.startBake(this.session.groom.id);
    useEditor.setState({ bakes: [bake, ...useEditor.getState().bakes] });
    this.pollSoon();
  }
  async act(id: string, action: api.BakeAction): Promise<void> { await api.actOnBake(id, action); if (action === 'mend' && useEditor.getState().bakeId === id) useEditor.setState({ bakeDamage: [] }); await this.refresh(); this.pollSoon(); }
  async remove(id: string): Promise<void> { await api.deleteBake(id); if (useEditor.getState().bakeId === id) useEditor.setState({ bakeId: null, bakeProof: null, exports: [] }); await this.refresh(); }
  /** Loads a bake's frames for playback; what cannot be read is told, the rest is shown. */
  async show(id: string | null): Promise<void> {
    const turn = ++this.turn, here = (): boolean => turn === this.turn && useEditor.getState().bakeId === id;
    this.frames.clear();
    useEditor.setState({ bakeId: id, bakeProof: null, bakeDamage: [], exports: [] });
    const bake = useEditor.getState().bakes.find((b) => b.id === id);
    if (!bake || bake.state !== 'done') { this.session.changed(); return; }
    const { proof, chunks } = await api.getBake(bake.id), left = [...chunks];
    const damaged = (from: number, to: number): void => { useEditor.setState({ bakeDamage: [...useEditor.getState().bakeDamage, { from, to }].sort((x, y) => x.from - y.from) }); };
    if (!here()) return;
    this.frames.clear(bake.samples);
    this.frames.damaged = damaged;
    useEditor.setState({ bakeProof: proof });
    void this.refreshExports();
    while (left.length > 0) {
      // the part that is looked at first, then those after it, then those before
      const at = Math.round(useEditor.getState().frame) * bake.samples, k = left.findIndex((c) => c.first + c.count > at), { first, count } = left.splice(Math.max(0, k), 1)[0];
      try {
        const bytes = await api.bakeChunk(bake.id, first);
        if (!here()) return;
        this.frames.add(bytes, first, count);
      } catch {
        if (!here()) return;
        damaged(Math.floor(first / bake.samples), Math.floor((first + count - 1) / bake.samples));
      }
      this.session.changed();
    }
  }

  // ------------------------------------------------------------ handing over

  private async refreshExports(): Promise<void> {
    const { bakeId } = useEditor.getState();
    if (!bakeId || this.closed) return;
    const exports = await api.listExports(bakeId);
    if (useEditor.getState().bakeId !== bakeId) return;
    useEditor.setState({ exports });
    if (exports.some((e) => active(e.state))) this.pollSoon();
  }
  async handOver(wish: HandOver): Promise<void> {
    const { bakeId } = useEditor.getState();
    if (!bakeId) return;
    await api.startExport(bakeId, wish, await this.pictures(bakeId));
    await this.refreshExports();
  }
  /** The shown bake of chains as a clip of the character; its name. */
  async keepAsClip(): Promise<string> {
    const { bakeId } = useEditor.getState();
    if (!bakeId) throw new Error('Bake the chains first.');
    return (await api.keepAsClip(bakeId)).clip;
  }
  /** A row of pictures of a bake, stored; made once. */
  private async pictures(bakeId: string): Promise<string | null> {
    const bytes = this.strip?.bakeId === bakeId ? this.strip.bytes : await this.session.takes.strip((f) => this.frames.get(f), this.frames.numbers);
    if (!bytes) return null;
    this.strip = { bakeId, bytes };
    const id = bufferId(bytes);
    // it may have been let go with an earlier hand-over
    await api.putBuffer(id, bytes);
    return id;
  }
  private strip: { bakeId: string; bytes: Uint8Array } | null = null;
  async actOnExport(id: string, action: 'cancel' | 'resume'): Promise<void> { await api.actOnExport(id, action); await this.refreshExports(); }
  async removeExport(id: string): Promise<void> { await api.deleteExport(id); await this.refreshExports(); }
  async loadReceivers(): Promise<void> { useEditor.setState({ receivers: await api.listReceivers() }); }
  async keepReceivers(list: readonly Receiver[]): Promise<void> { useEditor.setState({ receivers: await api.setReceivers(list) }); }

  /** The groom as one file, for the command line and for other installations. */
  saveGroom(handOver: HandOver[]): void {
    const { groom, document, buffers } = this.session, { limits } = useEditor.getState(), name = `${groom.character.name} ${groom.name}`;
    saveFile(new TextEncoder().encode(writeGroomFile(groom.name, document, (id) => buffers.get(id), { limits, handOver })), `${fileNameOf(name)}-groom.json`, 'application/json');
  }
}
