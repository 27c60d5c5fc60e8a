/** Runs over the shot's range: shared out among workers, their frames kept while they are of use, every whole one kept as a take. */
import type { Measures, Proof } from '../../core/document/proof';
import type { GroomDocument } from '../../core/document/schema';
import { FrameMeter } from '../../core/proof/frame-meter';
import { lastComputed, measuresOf, withFrame } from '../../core/proof/take';
import { CONTROL_WORDS, couplingNumbers, giveUp } from '../../core/sway/coupling';
import { isCoupled, needsOne } from '../../core/sway/run';
import type { FrameMeasures, StartReport } from '../../core/sway/run-report';
import { joined, joinMeasures, joinReports, shareBounds, SharedFrames } from '../../core/sway/shares';
import { STRAND_NUMBERS } from '../../core/proof/strand-meter';
import type { SwayReply, SwayRequest } from '../../workers/messages';
import type { Session } from './session';
import { NO_RUN, useEditor, type EditorState } from './store';

/** Workers of a run at most, and the fewest guides worth one of their own. */
const MOST_SHARES = 6, FEWEST_IN_SHARE = 24;
/** Runs of other settings that are kept to compare, and their bytes together at most. */
const MOST_KEPT_RUNS = 6, MOST_KEPT_BYTES = 512 << 20;
/** Frames of a longer run come by messages, one at a time. */
const MOST_SHARED_BYTES = 1 << 30;

export const NO_REPORT: StartReport = { guides: 0, cut: 0, heldShare: 0, beganInside: 0, beganDeepest: 0, rooted: 0, beganNear: 0, pills: 0, shells: 0, bodies: 0, length: 0, colliders: [], notes: [], kernel: 'float64', plan: { substeps: 0, passes: 0, error: 0, because: 'asked' } };
export const emptyProof = (start: number, end: number, fps: number, report: StartReport): Proof => ({ start, end, fps, report, frames: [], seam: null, seconds: 0, filled: null });

/** Frames of a run: points (3 × points, m, world), numbers of the strands, contacts that press. */
export interface RunFrames { live: Map<number, Float32Array>; strands: Map<number, Float32Array>; marks: Map<number, Float32Array>; /** Drops, `DROP_NUMBERS` each. */ drops: Map<number, Float32Array> }
const noFrames = (): RunFrames => ({ live: new Map(), strands: new Map(), marks: new Map(), drops: new Map() });

export class RunDesk {
  private frames = noFrames();
  get live(): Map<number, Float32Array> { return this.frames.live; }
  get strands(): Map<number, Float32Array> { return this.frames.strands; }
  get marks(): Map<number, Float32Array> { return this.frames.marks; }
  get drops(): Map<number, Float32Array> { return this.frames.drops; }
  private readonly workers: Worker[];
  private runNumber = 0;

  constructor(private readonly session: Session, packed: Uint8Array) {
    this.workers = Array.from({ length: Math.max(1, Math.min(MOST_SHARES, (navigator.hardwareConcurrency || 2) - 1)) }, () => new Worker(new URL('../../workers/sway.worker.ts', import.meta.url), { type: 'module' }));
    for (const w of this.workers) w.onmessage = (e: MessageEvent<SwayReply>) => this.onReply(e.data);
    this.post({ kind: 'character', packed });
  }
  close(): void {
    this.abandon();
    for (const w of this.workers) w.terminate();
  }
  private post(message: SwayRequest, worker?: Worker): void { for (const w of worker ? [worker] : this.workers) w.postMessage(message); }

  /** Computes the range from its pre-roll, unless it is computed already. */
  start(): void {
    const { run } = useEditor.getState(), { session } = this;
    if (!session.document.guides) return;
    if (run.key === session.key && (run.state === 'running' || (run.state === 'done' && this.live.size > 0))) return;
    if (!this.recall()) this.restart();
  }
  /** Runs of other settings, newest last: to switch a collider off and on and compare at once. */
  private readonly kept = new Map<string, { frames: RunFrames; run: EditorState['run'] }>();
  private keep(): void {
    const { run } = useEditor.getState();
    if (run.state !== 'done' || this.live.size === 0) return;
    this.kept.delete(run.key);
    this.kept.set(run.key, { frames: this.frames, run });
    const bytes = (): number => [...this.kept.values()].reduce((n, { frames: f }) => n + [...f.live.values(), ...f.strands.values(), ...f.marks.values(), ...f.drops.values()].reduce((m, a) => m + a.byteLength, 0), 0);
    while (this.kept.size > 1 && (this.kept.size > MOST_KEPT_RUNS || bytes() > MOST_KEPT_BYTES)) this.kept.delete(this.kept.keys().next().value!);
  }
  /** Shows a run that was made with the present settings, if it is still there. */
  recall(): boolean {
    const kept = this.kept.get(this.session.key), { run } = useEditor.getState();
    if (!kept || (run.key === this.session.key && this.live.size > 0)) return false;
    this.frames = kept.frames;
    useEditor.setState({ run: kept.run });
    this.session.changed();
    return true;
  }
  /** Takes over frames that were computed or kept elsewhere as those of the present settings. */
  adopt(key: string, proof: Proof, frames: RunFrames): void {
    this.stopWorkers();
    this.frames = frames;
    useEditor.setState({ run: { ...NO_RUN, state: 'done', key, proof, head: proof.end } });
    this.keep();
    this.session.changed();
  }
  /** What follows from a change of the document. */
  follow(): void {
    const { run } = useEditor.getState();
    if (run.state === 'running') { if (this.session.key !== run.key) this.restart(); return; }
    // what was run before is shown again: from here, or from the takes
    if (!this.recall()) this.session.takes.showNewest();
  }

  restart(): void {
    const { session } = this, { document } = session, g = document.guides;
    if (!g) return;
    session.hands.stop();
    this.abandon();
    this.frames = noFrames();
    const { start, end, fps } = document.shot;
    useEditor.setState({ run: { state: 'running', key: session.key, proof: emptyProof(start, end, fps, { ...NO_REPORT, guides: g.count }), rate: 0, head: start - document.bake.preRoll - 1 } });
    const run = ++this.runNumber;
    this.gathering.clear();
    const first = start - document.bake.preRoll, last = lastComputed(document.shot), room = last - first + 1, numbers = 3 * g.pointCount * g.count, bytes = SharedFrames.bytes(numbers, g.count, room);
    const shared = crossOriginIsolated && bytes <= MOST_SHARED_BYTES ? new SharedArrayBuffer(bytes) : null;
    // strands that act on each other need memory in common, or one worker for all of them
    const coupled = isCoupled(document.sway), alone = (coupled && !crossOriginIsolated) || needsOne(document.sway);
    this.shares = shareBounds(g.count, alone ? 1 : Math.min(this.workers.length, Math.ceil(g.count / FEWEST_IN_SHARE)));
    const coupling = coupled && !alone ? { memory: new SharedArrayBuffer(8 * couplingNumbers(g.count * g.pointCount)), control: new SharedArrayBuffer(4 * CONTROL_WORDS) } : undefined;
    this.control = coupling ? new Int32Array(coupling.control) : null;
    this.sharedFrames = shared && new SharedFrames(shared, numbers, g.count, first, room);
    this.report = null;
    this.meter = new FrameMeter(g.pointCount, fps, session.groomedShape());
    this.began = this.lastFrameAt = performance.now();
    this.of = document;
    this.post({ kind: 'stop' });
    this.shares.slice(0, -1).forEach((from, part) => this.post({
      kind: 'run', run, part, from, to: this.shares[part + 1], shared, ...session.forWorker(), startFrame: start, endFrame: last, preRoll: document.bake.preRoll, bounds: this.shares, coupling,
    }, this.workers[part]));
  }
  /** Words of the shares that run in step; set to let them go. */
  private control: Int32Array | null = null;
  private abandon(): void { if (this.control) giveUp(this.control); this.control = null; }
  private stopWorkers(): void {
    this.runNumber++;
    this.abandon();
    this.post({ kind: 'stop' });
  }
  /** First guide of each worker's share, and the end; the memory they write to; frames of which some shares are still missing. */
  private shares: number[] = [];
  private sharedFrames: SharedFrames | null = null;
  private readonly gathering = new Map<number, { points: Float32Array; strands: Float32Array; parts: (FrameMeasures | undefined)[]; marks: Float32Array[]; missing: number }>();
  private report: StartReport | null = null;
  private meter: FrameMeter | null = null;
  private began = 0;
  private lastFrameAt = 0;
  /** What is being run. */
  private of: GroomDocument | null = null;

  stop(): void {
    this.stopWorkers();
    const { run } = useEditor.getState();
    if (run.state === 'running') useEditor.setState({ run: NO_RUN });
    this.frames = noFrames();
    this.session.changed();
  }
  private onReply(reply: SwayReply): void {
    if (reply.kind === 'stepped') { this.session.hands.onStepped(reply); return; }
    if (reply.run !== this.runNumber) { if (reply.kind === 'failed') this.session.hands.onFailed(reply.run, reply.message); return; }
    const { run } = useEditor.getState(), { guides } = this.session;
    if (reply.kind === 'failed') {
      useEditor.setState({ run: NO_RUN, playing: false, saveMessage: reply.message });
      this.session.onTrouble?.(reply.message);
      return;
    }
    if (!run.proof || !guides) return;
    if (reply.kind === 'started') {
      this.report = this.report ? joinReports(this.report, reply.report) : reply.report;
      useEditor.setState({ run: { ...run, proof: { ...run.proof, report: this.report } } });
      return;
    }
    const { frame } = reply.measures;
    let whole = this.gathering.get(frame);
    if (!whole) this.gathering.set(frame, (whole = { points: this.sharedFrames?.frame(frame) ?? new Float32Array(guides.offsets.length), strands: this.sharedFrames?.strands(frame) ?? new Float32Array(STRAND_NUMBERS * guides.planting.faces.length), parts: [], marks: [], missing: this.shares.length - 1 }));
    if (reply.points) whole.points.set(reply.points, 3 * guides.pointCount * this.shares[reply.part]);
    if (reply.strands) whole.strands.set(reply.strands, STRAND_NUMBERS * this.shares[reply.part]);
    whole.parts[reply.part] = reply.measures;
    whole.marks.push(reply.marks);
    if (reply.drops) this.drops.set(frame, reply.drops);
    if (--whole.missing > 0) return;
    this.gathering.delete(frame);
    this.marks.set(frame, joined(whole.marks));
    const parts = whole.parts.map((m) => m!).reduce(joinMeasures);
    this.onFrame(whole.points, whole.strands, { ...this.meter!.take(measuresOf(parts), whole.points, whole.strands), seam: parts.seam });
  }
  private onFrame(points: Float32Array, strands: Float32Array, measures: Measures & { seam?: Proof['seam'] }): void {
    const { run } = useEditor.getState();
    if (!run.proof || !this.of) return;
    const { frame } = measures, now = performance.now(), ms = now - this.lastFrameAt, last = lastComputed(this.of.shot);
    if (frame <= run.proof.end) { this.live.set(frame, points); this.strands.set(frame, strands); }
    this.lastFrameAt = now;
    const rate = ms > 0 ? (run.rate > 0 ? 0.85 * run.rate + 150 / ms : 1000 / ms) : run.rate, done = frame >= last;
    const proof = { ...withFrame(run.proof, measures), seconds: done ? (now - this.began) / 1000 : 0 };
    useEditor.setState({ run: { ...run, state: done ? 'done' : 'running', rate, head: Math.min(frame, run.proof.end), proof } });
    if (Math.round(useEditor.getState().frame) === frame) this.session.changed();
    if (!done) return;
    this.keep();
    void this.session.takes.keep(run.key, proof, this.frames, this.of);
  }

  /** Hands the workers over to whoever steps them one frame at a time. */
  lend(): { workers: readonly Worker[]; run: number } {
    this.stopWorkers();
    const { run } = useEditor.getState();
    if (run.state === 'running') { useEditor.setState({ run: NO_RUN }); this.frames = noFrames(); }
    return { workers: this.workers, run: this.runNumber };
  }
}
