import { produce } from 'immer';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { newCage } from '../../core/cage/cages';
import { motionKey, plantKey, measuresSchema, MEASURES, reportSchema, SOLVER_VERSION, type Proof } from '../../core/document/proof';
import { newDocument, type GroomDocument } from '../../core/document/schema';
import { comboOf, goToWorst } from './actions';
import type { Bake, Groom } from './api';
import { startAutosave } from './autosave';
import { BufferStore } from './buffer-store';
import type { Session } from './session';
import { figureOf } from '../../core/proof/judge';
import { settingsOf } from '../../core/document/take';
import { newSheet } from '../../core/sway/cloth';
import { inTrouble, stageStatus } from './stages';
import { NO_RUN, useEditor } from './store';
import { spreadOf, valueOf, wedgeKeys } from './wedge-desk';

const document = (): GroomDocument => ({ ...newDocument('head', { clip: 'walk', start: 0, end: 10, fps: 24, cyclic: false }) });
const withGuides = (): GroomDocument => { const d = document(); return { ...d, guides: { count: 3, pointCount: 8, planting: 'a'.repeat(64), offsets: 'b'.repeat(64), plantKey: plantKey(d), combed: true } }; };
const groom = (d: GroomDocument): Groom => ({ id: 'g1', name: 'hair', version: 4, document: d, character: { id: 'c1', name: 'Oda', fileName: 'oda.glb', packed: 'p'.repeat(64), warnings: [] }, production: { id: 'x', name: 'Test' } });
const frame = (f: number, depth = 0, stretch = 0, netUses = 0): Proof['frames'][number] => measuresSchema.parse({ frame: f, depth, depthGuide: 2, stretch, stretchGuide: 1, netUses });
const proof = (frames: Proof['frames']): Proof => ({ start: 0, end: 10, fps: 24, report: reportSchema.parse({ guides: 3, cut: 0, beganInside: 0, beganDeepest: 0, pills: 1 }), frames, seam: null, seconds: 0, filled: null });
const bake = (state: Bake['state'], d: GroomDocument): Bake => ({ id: 'b', groomId: 'g1', assetId: 'c1', motionKey: 'm', samples: 1, errorMm: 0.01, fps: 24, wanted: null, attempts: 0, priority: 0, loop: null, settings: settingsOf(d), solver: SOLVER_VERSION, bytes: 0, startFrame: 0, endFrame: 10, preRoll: 4, guideCount: 3, pointCount: 8, state, stepsDone: 0, steps: 15, message: null, report: null, createdAt: '', startedAt: null, finishedAt: null });

beforeEach(() => {
  useEditor.setState({ groom: null, history: null, run: NO_RUN, bakes: [], save: 'saved', stage: 'cast', marked: -1, frame: 0 });
});

describe('the teeth of the rail', () => {
  const status = (stage: Parameters<typeof stageStatus>[0]) => stageStatus(stage, useEditor.getState());
  it('are open before anything is made', () => {
    expect(status('cast')).toBe('open');
    useEditor.getState().open(groom(document()));
    expect(['cast', 'plant', 'comb', 'fill', 'sway', 'proof', 'bake'].map((s) => status(s as 'cast'))).toEqual(['done', 'open', 'open', 'open', 'open', 'open', 'open']);
  });
  it('plant is out of date when its settings change after planting', () => {
    useEditor.getState().open(groom(withGuides()));
    expect(status('plant')).toBe('done');
    useEditor.getState().edit('Length', (d) => { d.plant.lengthCm = 30; });
    expect(status('plant')).toBe('stale');
    useEditor.getState().undo();
    expect(status('plant')).toBe('done');
  });
  it('runs and bakes are out of date when what moves changes, not when looks do', () => {
    const d = withGuides(), key = motionKey(d, 'p'.repeat(64));
    useEditor.getState().open(groom(d));
    useEditor.setState({ run: { ...NO_RUN, state: 'done', key, proof: proof([frame(0), frame(1)]) }, bakes: [bake('done', d)] });
    expect([status('sway'), status('proof'), status('bake')]).toEqual(['done', 'done', 'done']);
    useEditor.getState().edit('Width', (x) => { x.fill.widthUm = 120; });
    expect([status('sway'), status('proof'), status('bake')]).toEqual(['done', 'done', 'done']);
    useEditor.getState().edit('Hide', (x) => { x.hidden = ['coat']; });
    expect([status('sway'), status('proof'), status('bake')]).toEqual(['stale', 'stale', 'stale']);
  });
  it('trouble is a measure above its limit, a use of the net, a failed bake', () => {
    const d = withGuides(), key = motionKey(d, 'p'.repeat(64));
    useEditor.getState().open(groom(d));
    const run = (p: Proof): void => useEditor.setState({ run: { ...NO_RUN, state: 'done', key, proof: p } });
    run(proof([frame(0, MEASURES.depth.limit * 1.1)]));
    expect(status('proof')).toBe('trouble');
    run(proof([frame(-3, 1), frame(0)])); // before the range it does not count
    expect(status('proof')).toBe('done');
    expect(inTrouble(proof([frame(1, 0, 0, 1)]), {})).toBe(true);
    useEditor.setState({ bakes: [bake('failed', d), bake('done', d)] });
    expect(status('bake')).toBe('trouble');
  });
});

describe('the worst frame', () => {
  it('is the deepest in the range, with its guide; without depth the most stretched', () => {
    useEditor.getState().open(groom(withGuides()));
    const p = proof([frame(-1, 9), frame(2, 0.003), frame(5, 0.001, 0.5)]);
    expect(figureOf(p, 'depth')).toEqual({ value: 0.003, frame: 2, guide: 2 });
    useEditor.setState({ stage: 'proof', run: { ...NO_RUN, state: 'done', proof: p } });
    goToWorst();
    expect(useEditor.getState()).toMatchObject({ frame: 2, marked: 2, playing: false, stage: 'proof' });
    useEditor.setState({ stage: 'sway', run: { ...NO_RUN, state: 'done', proof: proof([frame(1), frame(4, 0, 0.01)]) } });
    goToWorst();
    expect(useEditor.getState()).toMatchObject({ frame: 4, marked: 1, stage: 'sway' });
  });
});

describe('key combinations', () => {
  const press = (key: string, more: Partial<KeyboardEvent> = {}): string => comboOf({ key, ctrlKey: false, metaKey: false, shiftKey: false, ...more } as KeyboardEvent);
  it('read alike with Ctrl or ⌘, and name Shift only where it is no part of the character', () => {
    expect(press('z', { ctrlKey: true })).toBe('ctrl+z');
    expect(press('z', { metaKey: true })).toBe('ctrl+z');
    expect(press('Z', { ctrlKey: true, shiftKey: true })).toBe('ctrl+shift+z');
    expect(press('?', { shiftKey: true })).toBe('shift+?');
    expect(press('ArrowLeft')).toBe('arrowleft');
    expect(press(' ')).toBe(' ');
    expect(press('3')).toBe('3');
  });
});

describe('autosave', () => {
  interface Call { method: string; path: string; body: string }
  let calls: Call[], answers: ((call: Call) => Response)[], stop: () => void;
  const session = { buffers: new BufferStore(), combDesk: { cage: { moved: false } }, saveNow: () => Promise.resolve(false) };
  const settle = async (): Promise<void> => { for (let k = 0; k < 12; k++) await vi.advanceTimersByTimeAsync(200); };
  const ok = (version: number) => (): Response => Response.json({ version });

  beforeEach(() => {
    vi.useFakeTimers();
    calls = [];
    answers = [];
    session.buffers = new BufferStore();
    vi.stubGlobal('window', { addEventListener: () => undefined, removeEventListener: () => undefined });
    vi.stubGlobal('fetch', (path: string, init: RequestInit = {}) => {
      if (path.endsWith('/steps')) return Promise.resolve(Response.json([]));
      const call = { method: init.method ?? 'GET', path, body: typeof init.body === 'string' ? init.body : '' };
      calls.push(call);
      if (path.startsWith('/api/buffers/')) return Promise.resolve(new Response(null, { status: 204 }));
      const answer = answers.shift();
      return answer ? Promise.resolve(answer(call)) : Promise.reject(new TypeError('network'));
    });
    useEditor.getState().open(groom(withGuides()));
    stop = startAutosave(session as unknown as Session);
  });
  afterEach(() => { stop(); vi.useRealTimers(); vi.unstubAllGlobals(); });

  it('sends new buffers first, then the document on top of its version; a burst of edits goes as one', async () => {
    answers = [ok(5), ok(6)];
    session.buffers.set('c'.repeat(64), Uint8Array.of(1, 2));
    for (const v of [1, 2, 3]) useEditor.getState().edit('Damping', (d) => { d.sway.damping = v; });
    useEditor.getState().edit('Comb', (d) => { d.guides!.offsets = 'c'.repeat(64); });
    expect(useEditor.getState().save).toBe('unsaved');
    await settle();
    expect(calls.map((c) => `${c.method} ${c.path.slice(0, 14)}`)).toEqual(['PUT /api/buffers/c', 'PUT /api/grooms/g1'].map((s) => s.slice(0, 4) + s.slice(4, 18)));
    expect(JSON.parse(calls[1].body)).toMatchObject({ base: 4, label: 'Comb', document: { sway: { damping: 3 } } });
    // with every step on the way
    expect((JSON.parse(calls[1].body) as { between: { label: string; document: { sway: { damping: number } } }[] }).between.map((b) => [b.label, b.document.sway.damping])).toEqual([['Damping', 1], ['Damping', 2], ['Damping', 3]]);
    expect(useEditor.getState().save).toBe('saved');
    useEditor.getState().edit('Damping', (d) => { d.sway.damping = 9; });
    await settle();
    expect((JSON.parse(calls[2].body) as { base: number }).base).toBe(5);
    expect(calls).toHaveLength(3);
  });

  it('without a server nothing is lost: it says so, tries again, and succeeds later', async () => {
    useEditor.getState().edit('Damping', (d) => { d.sway.damping = 7; });
    await vi.advanceTimersByTimeAsync(600);
    expect(useEditor.getState().save).toBe('offline');
    expect(useEditor.getState().saveMessage).toMatch(/kept in this window/);
    answers = [ok(5)];
    await vi.advanceTimersByTimeAsync(4000);
    expect(useEditor.getState().save).toBe('saved');
    expect(JSON.parse(calls.at(-1)!.body)).toMatchObject({ base: 4, document: { sway: { damping: 7 } } });
  });

  it('a newer version elsewhere stops saving until the artist decides', async () => {
    answers = [() => Response.json({ code: 'behind', message: 'This groom was changed in another window.' }, { status: 409 }), ok(9)];
    useEditor.getState().edit('Damping', (d) => { d.sway.damping = 7; });
    await settle();
    expect(useEditor.getState().save).toBe('behind');
    useEditor.getState().edit('Damping', (d) => { d.sway.damping = 8; });
    await settle();
    expect(calls).toHaveLength(1);
  });

  it('saveNow waits until the document is stored', async () => {
    answers = [ok(5)];
    useEditor.getState().edit('Damping', (d) => { d.sway.damping = 7; });
    const done = session.saveNow();
    await settle();
    expect(await done).toBe(true);
    expect(calls).toHaveLength(1);
  });
});

describe('a wedge', () => {
  it('spreads a setting evenly, or by ratio where the range is wide; whole numbers once each; within its bounds', () => {
    expect(spreadOf({ key: 'hold', from: 0, to: 1, count: 5 })).toEqual([0, 0.25, 0.5, 0.75, 1]);
    expect(spreadOf({ key: 'stiffness', from: 1, to: 100, count: 3 })).toEqual([1, 10, 100]);
    expect(spreadOf({ key: 'substeps', from: 2, to: 4, count: 8 })).toEqual([2, 3, 4]);
    expect(spreadOf({ key: 'hold', from: -5, to: 9, count: 2 })).toEqual([0, 1]);
    expect(spreadOf({ key: 'preRoll', from: 24, to: 0, count: 2 })).toEqual([24, 0]);
  });
  it('has what counts: of strands, of a sheet, in cages', () => {
    const strands = document(), sheet = produce(strands, (d) => { d.sway.sheet = { ...newSheet('denim', false), bend: 61 }; }), caged = produce(sheet, (d) => { d.sway.cages = [newCage('a', 'cage', 'joint', new Float64Array(6))]; });
    expect(wedgeKeys(strands).filter((k) => k.includes('.'))).toEqual([]);
    expect(wedgeKeys(strands)).toEqual(expect.arrayContaining(['stiffness', 'spread', 'hold', 'preRoll']));
    expect(wedgeKeys(sheet).filter((k) => k.includes('.'))).toEqual(['sheet.gsm', 'sheet.bend', 'sheet.shear', 'sheet.stretch']);
    expect(wedgeKeys(sheet).filter((k) => ['stiffness', 'spread', 'thickness', 'weight', 'lock', 'hold'].includes(k))).toEqual(['hold']);
    expect(valueOf(sheet, 'sheet.bend')).toBe(61);
    expect(wedgeKeys(caged).some((k) => k.startsWith('sheet.'))).toBe(false);
  });
});

describe('changes that count in one shot only', () => {
  it('are the open shot’s own from then on, whatever edits them, and one undo takes them back', () => {
    useEditor.getState().open(groom(withGuides()));
    useEditor.setState({ onlyHere: true });
    useEditor.getState().edit('Hold', (d) => { d.sway.hold = 0.3; });
    useEditor.getState().edit('Length', (d) => { d.plant.lengthCm = 30; });
    expect(useEditor.getState().history!.document.setAside).toEqual({ hold: withGuides().sway.hold });
    useEditor.getState().undo();
    useEditor.getState().undo();
    expect(useEditor.getState().history!.document).toEqual(withGuides());
    useEditor.setState({ onlyHere: false });
    useEditor.getState().edit('Hold', (d) => { d.sway.hold = 0.3; });
    expect(useEditor.getState().history!.document.setAside).toEqual({});
  });
});
