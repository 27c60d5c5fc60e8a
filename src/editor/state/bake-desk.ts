/** Bakes as the server has them: asked for, followed, shown. */
import * as api from './api';
import { emptyProof, NO_REPORT } from './run-desk';
import type { Session } from './session';
import { useEditor } from './store';

export class BakeDesk {
  /** Frames of the bake that is shown. */
  readonly frames = new Map<number, Float32Array>();
  private pollTimer: ReturnType<typeof setTimeout> | undefined;
  private closed = false;
  constructor(private readonly session: Session) {}
  close(): void { this.closed = true; clearTimeout(this.pollTimer); }

  take(bakes: api.Bake[]): void {
    const { bakeId } = useEditor.getState();
    const newest = bakes.find((b) => b.state === 'done') ?? bakes[0];
    useEditor.setState({ bakes });
    if (bakes.some((b) => b.state === 'queued' || b.state === 'running')) this.pollSoon();
    if (!bakeId || !bakes.some((b) => b.id === bakeId)) void this.show(newest?.id ?? null);
  }
  private pollSoon(): void {
    clearTimeout(this.pollTimer);
    this.pollTimer = setTimeout(() => { void this.refresh(); }, 500);
  }
  async refresh(): Promise<void> {
    if (this.closed) return;
    try {
      const before = useEditor.getState().bakes, bakes = await api.listBakes(this.session.groom.id);
      const ended = bakes.find((b) => b.state === 'done' && before.some((x) => x.id === b.id && x.state !== 'done'));
      this.take(bakes);
      if (ended) await this.show(ended.id);
    } catch { this.pollSoon(); }
  }
  async bake(): Promise<void> {
    if (!(await this.session.saveNow())) throw new Error('The groom could not be saved, so it was not baked.');
    const bake = await api.startBake(this.session.groom.id);
    useEditor.setState({ bakes: [bake, ...useEditor.getState().bakes] });
    this.pollSoon();
  }
  async cancel(id: string): Promise<void> { await api.cancelBake(id); await this.refresh(); }
  async remove(id: string): Promise<void> { await api.deleteBake(id); if (useEditor.getState().bakeId === id) useEditor.setState({ bakeId: null, bakeProof: null }); await this.refresh(); }
  /** Loads a bake's frames for playback. */
  async show(id: string | null): Promise<void> {
    this.frames.clear();
    useEditor.setState({ bakeId: id, bakeProof: null });
    const bake = useEditor.getState().bakes.find((b) => b.id === id);
    if (!bake || bake.state !== 'done') { this.session.changed(); return; }
    const frames = await api.bakeMeasures(bake.id);
    useEditor.setState({ bakeProof: { ...emptyProof(bake.startFrame, bake.endFrame, this.session.document.shot.fps, bake.report ?? { ...NO_REPORT, guides: bake.guideCount }), frames } });
    for (let from = bake.startFrame; from <= bake.endFrame; from += 24) {
      const part = await api.bakeFrames(bake.id, from, Math.min(bake.endFrame, from + 23));
      if (useEditor.getState().bakeId !== id) return;
      for (const [frame, points] of part) this.frames.set(frame, points);
      this.session.changed();
    }
  }
}
