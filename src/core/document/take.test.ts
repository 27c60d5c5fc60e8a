import { produce } from 'immer';
import { describe, expect, it } from 'vitest';
import { edit, startHistory, undo } from './edits';
import { newDocument, documentSchema, type GroomDocument } from './schema';
import { addShot, keepOwn, moveHere, openShot, ownSettings, shareAgain, withShot } from './shots';
import { differences, restoreSettings, settingsOf, takeSettingsSchema } from './take';

const fresh = (): GroomDocument => ({ ...newDocument('head', { clip: 'walk', start: 0, end: 24, fps: 24, cyclic: false }), guides: { count: 4, pointCount: 8, planting: 'a'.repeat(64), offsets: 'b'.repeat(64), plantKey: 'c'.repeat(64), combed: true } });

describe('a take', () => {
  it('keeps all it was made with, and says in words how that differs', () => {
    const a = fresh(), b = produce(a, (d) => { d.sway.hold = 0.4; d.sway.profiles.hold = [[0, 1], [1, 0.5]]; d.sway.calmStart = false; d.bake.preRoll = 60; d.hidden = ['scarf']; d.guides!.offsets = 'd'.repeat(64); });
    expect(takeSettingsSchema.parse(JSON.parse(JSON.stringify(settingsOf(b))))).toEqual(settingsOf(b));
    expect(differences(settingsOf(a), settingsOf(b), 10)).toEqual(['hair combed', 'without scarf', 'pre-roll 24 → 60', 'Hold 0.75 → 0.4', 'hold profile', 'Calm start on → off']);
    expect(differences(settingsOf(a), settingsOf(b), 3)).toEqual(['hair combed', 'without scarf', '4 more']);
    expect(differences(settingsOf(a), settingsOf(a))).toEqual([]);
  });
  it('gives its settings back as one step that can be undone; ties stay where the guides are others', () => {
    const a = fresh(), tie = { id: 't', name: 'band', on: true, kind: 'ring' as const, guides: [0, 1], from: 0.3, to: 0.5, node: '', firmness: 1, snap: null, wears: null };
    const now = produce(a, (d) => { d.sway.hold = 0.1; d.sway.ties = [tie]; d.bake.preRoll = 3; }), h = edit(startHistory(now), 'back', (d) => restoreSettings(d, settingsOf(a)));
    expect(h.done.length).toBe(1);
    expect(settingsOf(h.document)).toEqual(settingsOf(a));
    expect(undo(h).document).toEqual(now);
    const others = edit(startHistory(produce(now, (d) => { d.guides!.planting = 'e'.repeat(64); })), 'back', (d) => restoreSettings(d, settingsOf(a))).document;
    expect(others.sway.ties).toEqual([tie]);
    expect(others.sway.hold).toBe(a.sway.hold);
  });
});

describe('settings of one shot alone', () => {
  const two = (): GroomDocument => produce(fresh(), (d) => { d.shotName = 'one'; addShot(d, 'two'); openShot(d, 'one'); });
  const here = (d: GroomDocument, change: (d: GroomDocument) => void): GroomDocument => produce(d, (draft) => { change(draft as GroomDocument); keepOwn(draft, d); });
  it('go with their shot; what is shared is shared', () => {
    let d = here(two(), (x) => { x.sway.damping = 9; x.sway.profiles.hold = [[0, 1], [1, 0.9]]; });
    expect(ownSettings(d).sort()).toEqual(['damping', 'profiles']);
    d = produce(d, (x) => { openShot(x, 'two'); });
    expect(d.sway.damping).toBe(fresh().sway.damping);
    expect(d.sway.profiles).toEqual(fresh().sway.profiles);
    // a change for all reaches the other shot too, but not what that has of its own
    d = produce(d, (x) => { x.sway.damping = 4; x.sway.hold = 0.5; openShot(x, 'one'); });
    expect(d.sway).toMatchObject({ damping: 9, hold: 0.5 });
    expect(documentSchema.safeParse(d).success).toBe(true);
    d = produce(d, (x) => { shareAgain(x, 'damping'); });
    expect(d.sway.damping).toBe(4);
    expect(ownSettings(d)).toEqual(['profiles']);
  });
  it('hair is stilled in one shot and moves in the others; moved again, nothing is left of it', () => {
    const off = produce(two(), (d) => { moveHere(d, false); });
    expect([off.sway.on, withShot(off, 'two').sway.on]).toEqual([false, true]);
    expect(produce(off, (d) => { moveHere(d, true); })).toEqual(two());
    expect(produce(fresh(), (d) => { moveHere(d, false); }).setAside).toEqual({});
  });
  it('a shot like the open one has them as well; looking at another shot changes nothing', () => {
    const d = here(two(), (x) => { x.sway.on = false; }), three = produce(d, (x) => { addShot(x, 'three'); });
    expect(three.sway.on).toBe(false);
    expect(withShot(three, 'one').sway.on).toBe(false);
    expect(withShot(three, 'two').sway.on).toBe(true);
    expect(withShot(three, 'three')).toBe(three);
    // there and back again is where it was
    const back = withShot(withShot(three, 'two'), 'three');
    expect({ ...back, otherShots: [...back.otherShots].sort((a, b) => (a.shotName < b.shotName ? -1 : 1)) }).toEqual({ ...three, otherShots: [...three.otherShots].sort((a, b) => (a.shotName < b.shotName ? -1 : 1)) });
  });
});
