/**
 * Moving by hand: the run goes on frame by frame at the clip's own rate while the character, or a joint of it, is dragged
 * about and settings change; each change counts from the next frame on.
 */
import { CONTROL_WORDS, couplingNumbers, giveUp } from '../../core/sway/coupling';
import { noHand, type Hand } from '../../core/mesh/hand';
import { nodeKey } from '../../core/mesh/character';
import { isCoupled } from '../../core/sway/run';
import { shareBounds } from '../../core/sway/shares';
import type { SwayReply, SwayRequest } from '../../workers/messages';
import type { GroomDocument } from '../../core/document/schema';
import type { Session } from './session';
import { NO_TAKES, useEditor, type LiveState } from './store';

/** Frames that hair is given to lie down before it is shown, and the fewest guides worth a worker of their own. */
const RUN_UP = 12, FEWEST_IN_SHARE = 24;

export class HandsDesk {
  /** Points of the guides just now; null where nothing is moved by hand. */
  points: Float32Array | null = null;
  hand: Hand | null = null;
  private run = 0;
  private shares: number[] = [];
  private missing = 0;
  private workers: readonly Worker[] = [];
  private control: Int32Array | null = null;
  private of: GroomDocument | null = null;
  private gathered: Float32Array | null = null;
  private depth = 0;
  private frame = 0;
  private due = 0;
  private lastAt = 0;
  private timer: ReturnType<typeof setTimeout> | undefined;
  constructor(private readonly session: Session) {}
  close(): void { this.stop(); }
  private set(change: Partial<LiveState>): void { useEditor.setState({ live: { ...useEditor.getState().live, ...change } }); }

  /** From the present frame, after a run-up in its pose. */
  start(): void {
    const { session } = this, { document } = session, g = document.guides, { frame, live } = useEditor.getState();
    if (!g) return;
    this.stop();
    const { workers, run } = session.runs.lend(), coupled = isCoupled(document.sway), alone = coupled && !crossOriginIsolated;
    this.workers = workers;
    this.run = run;
    this.shares = shareBounds(g.count, alone ? 1 : Math.min(workers.length, Math.ceil(g.count / FEWEST_IN_SHARE)));
    const coupling = coupled && !alone ? { memory: new SharedArrayBuffer(8 * couplingNumbers(g.count * g.pointCount)), control: new SharedArrayBuffer(4 * CONTROL_WORDS) } : undefined;
    this.control = coupling ? new Int32Array(coupling.control) : null;
    this.of = document;
    this.hand = noHand(live.node, session.middleOfHair());
    this.frame = Math.round(frame);
    this.set({ on: true, paused: false, rate: 0, depth: 0 });
    useEditor.setState({ playing: false, shownTake: null, swayTool: { name: 'hand', how: 'move' } });
    this.expect();
    this.shares.slice(0, -1).forEach((from, part) => workers[part].postMessage({ kind: 'live', run, part, from, to: this.shares[part + 1], ...session.forWorker(), frame: this.frame, runUp: RUN_UP, hand: this.hand, bounds: this.shares, coupling } satisfies SwayRequest));
    this.due = performance.now();
  }
  stop(): void {
    clearTimeout(this.timer);
    if (!this.of) return;
    if (this.control) giveUp(this.control);
    this.control = null;
    this.of = null;
    this.points = null;
    this.hand = null;
    this.session.runs.lend();
    this.set({ ...NO_TAKES.live, mode: useEditor.getState().live.mode, speed: useEditor.getState().live.speed, node: useEditor.getState().live.node });
    if (useEditor.getState().swayTool.name === 'hand') useEditor.setState({ swayTool: { name: 'look' } });
    this.session.setFrame(useEditor.getState().frame, true);
  }
  private expect(): void { this.missing = this.shares.length - 1; this.gathered = new Float32Array(this.session.guides?.offsets.length ?? 0); this.depth = 0; }

  onFailed(run: number, message: string): void {
    if (!this.of || run !== this.run) return;
    this.stop();
    this.session.onTrouble?.(message);
  }
  onStepped(reply: Extract<SwayReply, { kind: 'stepped' }>): void {
    const { session } = this;
    if (!this.of || reply.run !== this.run || !this.gathered || !session.guides) return;
    this.gathered.set(reply.points, 3 * session.guides.pointCount * this.shares[reply.part]);
    this.depth = Math.max(this.depth, reply.depth);
    if (--this.missing > 0) return;
    this.points = this.gathered;
    const now = performance.now(), { live } = useEditor.getState(), rate = this.lastAt > 0 ? 1000 / Math.max(1, now - this.lastAt) : 0;
    this.lastAt = now;
    this.set({ rate: live.rate > 0 ? 0.9 * live.rate + 0.1 * rate : rate, depth: this.depth });
    if (useEditor.getState().frame !== this.frame) useEditor.setState({ frame: this.frame });
    else session.setFrame(this.frame, true);
    if (!live.paused) this.waitForNext();
  }
  private waitForNext(): void {
    const { live } = useEditor.getState(), each = 1000 / (this.session.document.shot.fps * live.speed), now = performance.now();
    this.due = Math.max(this.due + each, now - each);
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.step(), Math.max(0, this.due - now));
  }
  /** One frame on. */
  step(): void {
    const { session, of } = this, { live } = useEditor.getState(), { document } = session, { shot } = document;
    if (!of || this.missing > 0) return;
    // other hair or another shot: from the start again
    if (document.guides !== of.guides || document.shot !== of.shot || document.hidden !== of.hidden || document.plot.mesh !== of.plot.mesh || isCoupled(document.sway) !== isCoupled(of.sway)) { if (document.guides) this.start(); else this.stop(); return; }
    const end = shot.end;
    if (live.mode === 'play' && this.frame >= end) {
      if (!shot.cyclic) { useEditor.setState({ frame: shot.start }); this.start(); return; }
      // a loop goes on from its first pose; the hair knows nothing of it
      this.frame = shot.start - 1;
    }
    if (live.mode === 'play') this.frame++;
    if (this.hand && this.hand.node !== live.node) this.hand = noHand(live.node, session.middleOfHair());
    const changed = document.sway !== of.sway;
    if (changed) this.of = document;
    this.expect();
    for (const w of this.workers.slice(0, this.shares.length - 1)) w.postMessage({ kind: 'step', run: this.run, frame: this.frame, hand: this.hand, document: changed ? document : null, maps: changed ? session.mapBuffers() : {} } satisfies SwayRequest);
  }
  pause(paused: boolean): void { this.set({ paused }); if (!paused && this.missing <= 0) { this.due = performance.now(); this.waitForNext(); } }
  /** Puts the hand back where it took hold. */
  letGo(): void { const { live } = useEditor.getState(); if (this.hand) this.hand = noHand(live.node, this.session.middleOfHair()); }
  /** Shifts what is held by so much, m, or turns it by a rotation further. */
  move(shift: readonly [number, number, number] | null, turn: readonly [number, number, number, number] | null): void {
    const { hand } = this;
    if (!hand) return;
    const [x, y, z, w] = hand.turn;
    this.hand = {
      ...hand, shift: shift ? [hand.shift[0] + shift[0], hand.shift[1] + shift[1], hand.shift[2] + shift[2]] : hand.shift,
      turn: turn ? unit([turn[3] * x + turn[0] * w + turn[1] * z - turn[2] * y, turn[3] * y - turn[0] * z + turn[1] * w + turn[2] * x, turn[3] * z + turn[0] * y - turn[1] * x + turn[2] * w, turn[3] * w - turn[0] * x - turn[1] * y - turn[2] * z]) : hand.turn,
    };
  }
  /** What can be taken hold of. */
  places(): { node: number; label: string }[] { const { character } = this.session, joints = new Set(character.skins.flatMap((s) => Array.from(s.joints))); return [{ node: -1, label: 'all of it' }, ...character.nodes.map((_, i) => i).filter((i) => joints.has(i)).map((node) => ({ node, label: nodeKey(character, node) }))]; }
}
function unit(q: [number, number, number, number]): [number, number, number, number] { const l = Math.hypot(...q) || 1; return [q[0] / l, q[1] / l, q[2] / l, q[3] / l]; }
