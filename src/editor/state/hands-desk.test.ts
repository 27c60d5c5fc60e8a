/** Moving by hand, with stand-ins for the workers: what is asked of them, frame by frame, and what is made of their answers. */
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { newDocument, type GroomDocument } from '../../core/document/schema';
import { newSource } from '../../core/drops/sources';
import type { SwayReply, SwayRequest } from '../../workers/messages';
import { HandsDesk } from './hands-desk';
import type { Session } from './session';
import { useEditor } from './store';

const POINTS = 4, STILL = useEditor.getState().live;
type Live = Extract<SwayRequest, { kind: 'live' }>;
type Step = Extract<SwayRequest, { kind: 'step' }>;

/** A groom of straight guides in a row, and workers that only keep what they are told. */
function setUp(count: number, workers: number, change: (d: GroomDocument) => void = () => undefined) {
  const document = newDocument('head', { clip: 'walk', start: 0, end: 5, fps: 24, cyclic: true }), offsets = new Float32Array(3 * POINTS * count), motions = new Float64Array(7 * count), shapes = new Float32Array(offsets.length);
  document.guides = { count, pointCount: POINTS, planting: 'a'.repeat(64), offsets: 'b'.repeat(64), plantKey: '', combed: true };
  change(document);
  for (let g = 0; g < count; g++) {
    motions.set([0, 0, 0, 1, 0.01 * g, 1, 0], 7 * g);
    for (let i = 0; i < POINTS; i++) { offsets[3 * (g * POINTS + i) + 1] = 0.05 * i; shapes.set([0.01 * g, 1 + 0.05 * i, 0], 3 * (g * POINTS + i)); }
  }
  const said: (Live | Step)[][] = Array.from({ length: workers }, () => []), lent = said.map((list) => ({ postMessage: (m: Live | Step) => { list.push(m); } })), trouble: string[] = [], set = vi.fn();
  let run = 0;
  const session = {
    document, guides: { planting: { faces: new Uint32Array(count), weights: new Float32Array(2 * count) }, pointCount: POINTS, offsets }, motions, runs: { lend: () => ({ workers: lent, run: ++run }) },
    groomedShape: () => shapes, mapBuffers: () => ({}), middleOfHair: () => [0, 1, 0], character: { skins: [], nodes: [] }, setFrame: set, changed: () => undefined, onTrouble: (t: string) => { trouble.push(t); },
  };
  const desk = new HandsDesk(session as unknown as Session);
  /** Every worker answers what it was asked last, its guides shifted by so much along z. */
  const answer = (z: number, drops: Float32Array | null = null, run?: number): void => said.forEach((list, part) => {
    const begun = list.findLast((m): m is Live => m.kind === 'live'), last = list.at(-1);
    if (!begun || !last || begun.part !== part) return;
    const n = begun.to - begun.from, points = new Float32Array(3 * POINTS * n);
    for (let k = 0; k < n; k++) for (let i = 0; i < POINTS; i++) points.set([0, 1 + 0.05 * i, z], 3 * (k * POINTS + i));
    desk.onStepped({ kind: 'stepped', run: run ?? begun.run, part, frame: last.frame, points, marks: new Float32Array(0), depth: 0.001 * (part + 1), drops } satisfies Extract<SwayReply, { kind: 'stepped' }>);
  });
  return { desk, session, document, said, answer, trouble, set };
}
const live = (): typeof STILL => useEditor.getState().live;

beforeEach(() => { vi.useFakeTimers(); useEditor.setState({ live: { ...STILL }, frame: 2, playing: true, swayTool: { name: 'look' } }); });
afterEach(() => { vi.useRealTimers(); });

describe('moving by hand', () => {
  it('begins from the present frame with a run-up, as many guides as are tried at first, shared among the workers', () => {
    const { desk, said } = setUp(500, 2);
    desk.start();
    // one in eight is the first number of guides that is at most 64
    expect(live()).toMatchObject({ on: true, share: 8, computed: 63 });
    expect(useEditor.getState().playing).toBe(false);
    expect(useEditor.getState().swayTool).toEqual({ name: 'hand', how: 'move' });
    expect(said.map((list) => list.map((m) => [m.kind, m.frame, (m as Live).runUp, (m as Live).from, (m as Live).to]))).toEqual([[['live', 2, 12, 0, 32]], [['live', 2, 12, 32, 63]]]);
    expect((said[0][0] as Live).bounds).toEqual([0, 32, 63]);
  });
  it('shows a frame when all shares of it have come, all guides by those that are computed, and asks for the next at the clip’s rate', () => {
    const { desk, said, answer } = setUp(500, 2);
    desk.start();
    const first = said[0][0] as Live;
    desk.onStepped({ kind: 'stepped', run: first.run, part: 0, frame: 2, points: new Float32Array(3 * POINTS * 32), marks: new Float32Array(0), depth: 0, drops: null });
    expect(desk.points).toBeNull();
    desk.start();
    answer(0.02);
    expect(desk.points!.length).toBe(3 * POINTS * 500);
    expect(live().depth).toBeCloseTo(0.002, 12);
    // roots stay on the skin
    for (let g = 0; g < 500; g += 50) { expect(desk.points![3 * POINTS * g]).toBeCloseTo(0.01 * g, 5); expect(desk.points![3 * POINTS * g + 1]).toBeCloseTo(1, 5); }
    const before = said[0].length;
    vi.advanceTimersByTime(1000 / 24 + 2);
    expect(said.map((list) => list.slice(before).map((m) => [m.kind, m.frame]))).toEqual([[['step', 3]], [['step', 3]]]);
  });
  it('of another run nothing is taken; the pose can stay; paused nothing is asked for; let go it is as it was', () => {
    const { desk, said, answer, set } = setUp(40, 1);
    desk.start();
    answer(0.01, null, 99);
    expect(desk.points).toBeNull();
    useEditor.setState({ live: { ...live(), mode: 'hold' } });
    answer(0.01);
    vi.advanceTimersByTime(60);
    expect(said[0].at(-1)).toMatchObject({ kind: 'step', frame: 2, document: null });
    answer(0.01);
    desk.pause(true);
    const asked = said[0].length;
    vi.advanceTimersByTime(500);
    expect(said[0].length).toBe(asked);
    desk.pause(false);
    vi.advanceTimersByTime(60);
    expect(said[0].length).toBe(asked + 1);
    desk.stop();
    expect([desk.points, desk.hand, live().on]).toEqual([null, null, false]);
    expect(useEditor.getState().swayTool).toEqual({ name: 'look' });
    expect(set).toHaveBeenLastCalledWith(2, true);
  });
  it('what is shown is held where the hand was when its frame was asked for, however far it has gone on', () => {
    const { desk, said, answer, set } = setUp(40, 1), shownAt: unknown[] = [];
    set.mockImplementation(() => { shownAt.push(desk.shown); });
    useEditor.setState({ live: { ...live(), mode: 'hold' } });
    desk.start();
    answer(0);
    desk.move([0.1, 0, 0], null);
    vi.advanceTimersByTime(60);
    const asked = (said[0].at(-1) as Step).hand;
    expect(asked!.shift).toEqual([0.1, 0, 0]);
    desk.move([0.2, 0, 0], null);
    shownAt.length = 0;
    answer(0);
    expect(shownAt).toEqual([asked]);
    expect(desk.hand!.shift[0]).toBeCloseTo(0.3, 12);
    desk.stop();
    expect(desk.shown).toBeNull();
  });
  it('a setting counts from the next frame on; a loop goes on from its first pose', () => {
    const { desk, said, answer, session } = setUp(40, 1);
    useEditor.setState({ frame: 5 });
    desk.start();
    answer(0);
    session.document = { ...session.document, sway: { ...session.document.sway, damping: 7 } };
    vi.advanceTimersByTime(60);
    // after the last frame comes the first
    expect(said[0].at(-1)).toMatchObject({ kind: 'step', frame: 0, document: { sway: { damping: 7 } } });
    answer(0);
    vi.advanceTimersByTime(60);
    expect(said[0].at(-1)).toMatchObject({ kind: 'step', frame: 1, document: null });
  });
  it('what rains is computed by one worker, goes on for ever where it ends with the shot or later, and is seen', () => {
    const { desk, said, answer } = setUp(200, 2, (d) => { d.sway.drops = [newSource('rain', 'r', 'rain', [0, 2, 0]), { ...newSource('bucket', 'b', 'bucket', [0, 2, 0]), from: 1, to: 3 }]; });
    desk.start();
    expect(said.map((list) => list.length)).toEqual([1, 0]);
    expect(((said[0][0] as Live).document as GroomDocument).sway.drops!.map((s) => [s.kind, s.to])).toEqual([['rain', 100_000], ['bucket', 3]]);
    const drops = new Float32Array(16);
    answer(0, drops);
    expect(desk.drops).toBe(drops);
    desk.stop();
    expect(desk.drops).toBeNull();
  });
  it('is moved and turned about where it is held, and put back', () => {
    const { desk } = setUp(40, 1);
    desk.start();
    desk.move([0.1, 0, 0], null);
    desk.move([0, 0.2, 0], [0, Math.SQRT1_2, 0, Math.SQRT1_2]);
    desk.move(null, [0, Math.SQRT1_2, 0, Math.SQRT1_2]);
    expect(desk.hand!.shift).toEqual([0.1, 0.2, 0]);
    [0, 1, 0, 0].forEach((v, k) => expect(desk.hand!.turn[k]).toBeCloseTo(v, 12));
    desk.letGo();
    expect(desk.hand!.shift).toEqual([0, 0, 0]);
  });
  it('ends with what went wrong in words', () => {
    const { desk, trouble } = setUp(40, 1);
    desk.start();
    desk.onFailed(99, 'of another');
    expect(live().on).toBe(true);
    desk.onFailed(1, 'The character has not arrived.');
    expect([live().on, trouble]).toEqual([false, ['The character has not arrived.']]);
  });
});
