import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { bufferId, bytesOf, floatsOf, packPlanting, unpackPlanting } from './buffers';
import { closeStep, edit, redo, startHistory, undo } from './edits';
import { motionKey, plantKey } from './proof';
import { documentSchema, FILL_PARAMETERS, newDocument, PLANT_PARAMETERS, SWAY_PARAMETERS } from './schema';

const fresh = () => newDocument('head', { clip: 'walk', start: 0, end: 24, fps: 24, cyclic: true });

describe('document', () => {
  it('a new one is valid', () => { expect(documentSchema.parse(fresh())).toEqual(fresh()); });
  it('every default lies in its range', () => {
    for (const p of Object.values({ ...PLANT_PARAMETERS, ...FILL_PARAMETERS, ...SWAY_PARAMETERS })) {
      expect(p.fallback).toBeGreaterThanOrEqual(p.min);
      expect(p.fallback).toBeLessThanOrEqual(p.max);
      expect(p.help.length).toBeGreaterThan(10);
    }
  });
  it('refuses a range that ends before it begins, and values out of range', () => {
    expect(documentSchema.safeParse({ ...fresh(), shot: { ...fresh().shot, end: -1 } }).success).toBe(false);
    expect(documentSchema.safeParse({ ...fresh(), sway: { ...fresh().sway, substeps: 0 } }).success).toBe(false);
    expect(documentSchema.safeParse({ ...fresh(), sway: { ...fresh().sway, gravity: NaN } }).success).toBe(false);
  });
});

describe('edits', () => {
  it('random histories: undo all gives the start, redo all the end', () => {
    const change = fc.oneof(
      fc.record({ kind: fc.constant('number' as const), value: fc.integer({ min: 1, max: 32 }) }),
      fc.record({ kind: fc.constant('hide' as const), value: fc.integer({ min: 0, max: 4 }) }),
      fc.record({ kind: fc.constant('undo' as const), value: fc.constant(0) }),
      fc.record({ kind: fc.constant('redo' as const), value: fc.constant(0) }),
    );
    fc.assert(fc.property(fc.array(change, { maxLength: 40 }), (changes) => {
      let h = startHistory(fresh());
      for (const c of changes) {
        if (c.kind === 'undo') h = undo(h);
        else if (c.kind === 'redo') h = redo(h);
        else if (c.kind === 'number') h = edit(h, 'Substeps', (d) => { d.sway.substeps = c.value; });
        else h = edit(h, 'Hide', (d) => { d.hidden = d.hidden.includes(`m${c.value}`) ? d.hidden.filter((n) => n !== `m${c.value}`) : [...d.hidden, `m${c.value}`]; });
      }
      while (h.undone.length > 0) h = redo(h);
      const end = h.document;
      while (h.done.length > 0) h = undo(h);
      expect(h.document).toEqual(fresh());
      while (h.undone.length > 0) h = redo(h);
      expect(h.document).toEqual(end);
    }), { seed: 20261124, numRuns: 200 });
  });
  it('a drag is one step, the next drag another', () => {
    let h = startHistory(fresh());
    for (const v of [2, 3, 4]) h = edit(h, 'Substeps', (d) => { d.sway.substeps = v; }, 'sway.substeps');
    h = closeStep(h);
    h = edit(h, 'Substeps', (d) => { d.sway.substeps = 9; }, 'sway.substeps');
    expect(h.done.length).toBe(2);
    expect(undo(h).document.sway.substeps).toBe(4);
    expect(undo(undo(h)).document.sway.substeps).toBe(8);
  });
  it('a change that changes nothing is no step', () => { const h = startHistory(fresh()); expect(edit(h, 'x', (d) => { d.sway.substeps = 8; })).toBe(h); });
});

describe('keys', () => {
  it('the motion key follows what moves, not what is only drawn', () => {
    const a = fresh(), key = motionKey(a, 'c');
    expect(motionKey({ ...a, fill: { ...a.fill, widthUm: 120 } }, 'c')).toBe(key);
    expect(motionKey({ ...a, sway: { ...a.sway, damping: 9 } }, 'c')).not.toBe(key);
    expect(motionKey({ ...a, hidden: ['coat'] }, 'c')).not.toBe(key);
    expect(motionKey(a, 'd')).not.toBe(key);
    expect(plantKey(a)).not.toBe(plantKey({ ...a, plant: { ...a.plant, seed: 8 } }));
  });
});

describe('buffers', () => {
  it('are named by the SHA-256 of their bytes', () => {
    // Source: FIPS 180-2, example for "abc"
    expect(bufferId(new TextEncoder().encode('abc'))).toBe('ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad');
  });
  it('plantings and floats survive packing', () => {
    const planting = { faces: Uint32Array.of(0, 7, 4294967295), weights: Float32Array.of(0.25, 0.5, 1, 0, 0.1, 0.2) };
    expect(unpackPlanting(packPlanting(planting))).toEqual(planting);
    expect(floatsOf(bytesOf(Float32Array.of(1.5, -2)))).toEqual(Float32Array.of(1.5, -2));
  });
});
