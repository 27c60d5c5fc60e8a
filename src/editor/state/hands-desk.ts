/**
 * Moving by hand: the run goes on frame by frame at the clip's own rate while the character, or a joint of it, is dragged
 * about and settings change; each change counts from the next frame on.
 */
import { CONTROL_WORDS, couplingNumbers, giveUp } from '../../core/sway/coupling';
import { noHand, type Hand } from '../../core/mesh/hand';
import { nodeKey } from '../../core/mesh/character';
import { bytesOf, packPlanting } from '../../core/document/buffers';
import { placeGuides } from '../../core/groom/planting';
import { evenSubset, FewGuides, ofSubset, settingsOfSubset } from '../../core/sway/few-guides';
import { isCoupled, needsOne } from '../../core/sway/run';
import { shareBounds } from '../../core/sway/shares';
import type { SwayReply, SwayRequest } from '../../workers/messages';
import type { GroomDocument } from '../../core/document/schema';
import type { Session } from './session';
import { NO_TAKES, useEditor, type LiveState } from './store';

/** Frames that hair is given to lie down before it is shown, and the fewest guides worth a worker of their own. */
const RUN_UP = 12, FEWEST_IN_SHARE = 24;
/** The same where a clip begins again, from the rest that hair starts in. */
const CALM_RUN_UP = 2;
/** Frame until which what does not end within the shot goes on. */
const FOR_EVER = 100_000;
/** Of so many guides one is computed: as few as keep the rate, but not fewer guides than this. */
export const SHARES = [1, 2, 4, 8, 16] as const;
const FEWEST = 24;
/** Guides that are tried at first. */
const FIRST_TRIED = 64;
/** Frames after which it is seen whether the rate is kept; the share of it that is near enough; and how much of a frame's time may be used where more guides are to be tried. */
const LOOK_AFTER = 6, KEEPS = 0.8, IDLE = 0.3;

export class HandsDesk {
  /** Points of the guides just now; null where nothing is moved by hand. */
  points: Float32Array | null = null;
  hand: Hand | null = null;
  /** Where the hand had what it holds in the frame that is shown, and in the one that is asked for: it may have gone on since. */
  shown: Hand | null = null;
  private sent: Hand | null = null;
  /** Drops just now, `DROP_NUMBERS` each. */
  drops: Float32Array | null = null;
  private run = 0;
  private shares: number[] = [];
  private missing = 0;
  private workers: readonly Worker[] = [];
  private control: Int32Array | null = null;
  private few: FewGuides | null = null;
  private local = new Float32Array(0);
  private steps = 0;
  private took = 0;
  private asked = 0;
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

  private reduce: (d: GroomDocument) => GroomDocument = (d) => d;
  /** From the present frame, after a run-up in its pose. */
  start(runUp = RUN_UP): void {
    const { session } = this, { document } = session, g = document.guides, { frame, live } = useEditor.getState();
    if (!g) return;
    if (live.share === 0) { this.set({ share: SHARES.find((k) => g.count / k <= FIRST_TRIED) ?? SHARES[SHARES.length - 1] }); this.most = 1; }
    const { share } = useEditor.getState().live, { rate } = live, hand = this.of && this.hand ? this.hand : null, { planting, pointCount, offsets } = session.guides!;
    const goesOn = this.of !== null;
    this.end();
    const { workers, run } = session.runs.lend(), coupled = isCoupled(document.sway), alone = (coupled && !crossOriginIsolated) || needsOne(document.sway), count = Math.max(Math.min(FEWEST, g.count), Math.ceil(g.count / share));
    this.workers = workers;
    this.run = run;
    // guides spread most evenly stand for the others
    const groomed = session.groomedShape(), roots = Float64Array.from({ length: 3 * g.count }, (_, k) => groomed[3 * pointCount * Math.floor(k / 3) + (k % 3)]), which = evenSubset(roots, count), some = ofSubset(which, planting, offsets, pointCount);
    this.few = new FewGuides(which, roots, offsets, pointCount);
    this.reduce = (d) => ({ ...d, guides: { ...d.guides!, count, style: undefined }, sway: { ...settingsOfSubset(which, d.sway), drops: d.sway.drops?.map((s) => (s.to >= d.shot.end ? { ...s, to: FOR_EVER } : s)) } });
    this.shares = shareBounds(count, alone ? 1 : Math.min(workers.length, Math.ceil(count / FEWEST_IN_SHARE)));
    const coupling = coupled && !alone ? { memory: new SharedArrayBuffer(8 * couplingNumbers(count * g.pointCount)), control: new SharedArrayBuffer(4 * CONTROL_WORDS) } : undefined;
    this.control = coupling ? new Int32Array(coupling.control) : null;
    this.of = document;
    this.hand = this.sent = hand ?? noHand(live.node, session.middleOfHair());
    this.frame = Math.round(frame);
    this.steps = 0;
    this.took = 0;
    this.looked = false;
    this.lastAt = 0;
    this.set({ on: true, paused: false, rate, depth: 0, computed: count });
    useEditor.setState({ playing: false, shownTake: null, ...(goesOn || useEditor.getState().swayTool.name !== 'look' ? {} : { swayTool: { name: 'hand', how: 'move' } as const }) });
    this.expect();
    const sent = { document: this.reduce(document), planting: packPlanting(some.planting), offsets: bytesOf(some.offsets), maps: session.mapBuffers() };
    this.shares.slice(0, -1).forEach((from, part) => workers[part].postMessage({ kind: 'live', run, part, from, to: this.shares[part + 1], ...sent, frame: this.frame, runUp, hand: this.hand, bounds: this.shares, coupling } satisfies SwayRequest));
    this.due = performance.now();
  }
  /** Lets the workers go; what is seen stays. */
  private end(): void {
    clearTimeout(this.timer);
    if (this.control) giveUp(this.control);
    this.control = null;
    this.of = null;
  }
  stop(): void {
    if (!this.of) return;
    this.end();
    this.points = this.drops = null;
    this.hand = this.shown = this.sent = null;
    this.session.runs.lend();
    const { mode, speed, node, share, auto } = useEditor.getState().live;
    this.set({ ...NO_TAKES.live, mode, speed, node, share, auto });
    if (useEditor.getState().swayTool.name === 'hand') useEditor.setState({ swayTool: { name: 'look' } });
    this.session.setFrame(useEditor.getState().frame, true);
  }
  private expect(): void { this.missing = this.shares.length - 1; this.gathered = new Float32Array(3 * (this.few?.which.length ?? 0) * (this.session.guides?.pointCount ?? 0)); this.asked = performance.now(); this.depth = 0; }

  onFailed(run: number, message: string): void {
    if (!this.of || run !== this.run) return;
    this.stop();
    this.session.onTrouble?.(message);
  }
  onStepped(reply: Extract<SwayReply, { kind: 'stepped' }>): void {
    const { session } = this;
    if (!this.of || reply.run !== this.run || !this.gathered || !session.guides) return;
    if (reply.part === 0) this.drops = reply.drops;
    this.gathered.set(reply.points, 3 * session.guides.pointCount * this.shares[reply.part]);
    this.depth = Math.max(this.depth, reply.depth);
    if (--this.missing > 0) return;
    this.spread(this.gathered);
    const now = performance.now(), { live } = useEditor.getState(), rate = this.lastAt > 0 ? 1000 / Math.max(1, now - this.lastAt) : 0;
    this.lastAt = now;
    this.set({ rate: live.rate > 0 ? 0.9 * live.rate + 0.1 * rate : rate, depth: this.depth });
    this.steps++;
    if (this.steps > 1) this.took += now - this.asked;
    if (this.fewer()) return;
    if (!live.paused) this.waitForNext();
  }
  /** All guides from those that are computed, in the pose of the frame that has come. */
  private spread(points: Float32Array): void {
    const { session, few } = this, { guides } = session;
    if (!guides || !few) return;
    this.shown = this.sent;
    const { pointCount } = guides, motions = new Float64Array(7 * few.which.length), all = new Float32Array(guides.offsets.length);
    if (useEditor.getState().frame !== this.frame) useEditor.setState({ frame: this.frame });
    else session.setFrame(this.frame, true);
    few.which.forEach((g, k) => { for (let c = 0; c < 7; c++) motions[7 * k + c] = session.motions[7 * g + c]; });
    if (this.local.length !== points.length) this.local = new Float32Array(points.length);
    placeGuides(points, motions, pointCount, this.local, true);
    few.spread(this.local, all);
    const out = new Float32Array(all.length);
    placeGuides(all, session.motions, pointCount, out);
    this.points = out;
    session.changed();
  }
  /** The fewest guides to one that have not been found too slow. */
  private most = 1;
  private looked = false;
  /** Where the rate is not kept, half the guides do; where there is time to spare, twice as many are tried; true where it has begun anew. */
  private fewer(): boolean {
    const { live } = useEditor.getState(), at = SHARES.indexOf(live.share as 1), { count } = this.session.document.guides!;
    if (!live.auto || live.paused || this.looked || this.steps < LOOK_AFTER || this.took === 0 || at < 0) return false;
    this.looked = true;
    const used = (this.took / (this.steps - 1) / 1000) * this.session.document.shot.fps * live.speed, few = SHARES.at(at + 1), many = at > 0 ? SHARES[at - 1] : undefined;
    if (used > 1 / KEEPS && few !== undefined && Math.ceil(count / live.share) > FEWEST) { this.most = few; this.set({ share: few }); }
    else if (used < IDLE && many !== undefined && many >= this.most) this.set({ share: many });
    else return false;
    this.start();
    return true;
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
    if (document.guides !== of.guides || document.shot !== of.shot || document.hidden !== of.hidden || document.plot.mesh !== of.plot.mesh || isCoupled(document.sway) !== isCoupled(of.sway) || needsOne(document.sway) !== needsOne(of.sway)) { if (document.guides) this.start(); else this.stop(); return; }
    const end = shot.end;
    if (live.mode === 'play' && this.frame >= end) {
      if (!shot.cyclic) { useEditor.setState({ frame: shot.start }); this.start(CALM_RUN_UP); return; }
      // a loop goes on from its first pose; the hair knows nothing of it
      this.frame = shot.start - 1;
    }
    if (live.mode === 'play') this.frame++;
    if (this.hand && this.hand.node !== live.node) this.hand = noHand(live.node, session.middleOfHair());
    const changed = document.sway !== of.sway;
    if (changed) this.of = document;
    this.expect();
    this.sent = this.hand;
    for (const w of this.workers.slice(0, this.shares.length - 1)) w.postMessage({ kind: 'step', run: this.run, frame: this.frame, hand: this.hand, document: changed ? this.reduce(document) : null, maps: changed ? session.mapBuffers() : {} } satisfies SwayRequest);
  }
  pause(paused: boolean): void { this.set({ paused }); if (paused) clearTimeout(this.timer); if (!paused && this.missing <= 0) { this.due = performance.now(); this.waitForNext(); } }
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
