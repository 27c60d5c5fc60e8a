import { describe, expect, it } from 'vitest';
import { packLayer } from '../groom/comb/layers';
import { bufferId, bytesOf, floatsOf } from './buffers';
import { edit, historyOf, jump, startHistory, undo } from './edits';
import { buffersOf, documentSchema, newDocument, type GroomDocument } from './schema';
import { composeStyle, styleThrough, styleWith, type Guides } from './style';
import { readDocument } from './upgrade';

const N = 4, store = new Map<string, Uint8Array>(), keep = (b: Uint8Array): string => { const id = bufferId(b); store.set(id, b); return id; }, get = (id: string): Uint8Array | undefined => store.get(id);
const rows = (...values: number[]): Float32Array => Float32Array.from(values.flatMap((v) => Array.from({ length: 3 * N }, (_, i) => (i < 3 ? 0 : v * Math.floor(i / 3) * (i % 3 === 1 ? 1 : 0)))));
const layer = (id: string, guides: number[], value: number, more = {}): NonNullable<Guides['style']>['layers'][number] => ({ id, name: id, on: true, amount: 1, mask: null, shapes: keep(packLayer({ guides: Uint32Array.from(guides), shapes: rows(...guides.map(() => value)) })), ...more });
const guides = (layers: NonNullable<Guides['style']>['layers']): Guides => ({ count: 3, pointCount: N, planting: '0'.repeat(64), offsets: '1'.repeat(64), plantKey: '0'.repeat(64), combed: true, style: { base: keep(bytesOf(rows(1, 1, 1))), layers } });
const lengths = (s: Float32Array): number[] => Array.from({ length: s.length / (3 * N) }, (_, g) => Number(s[3 * N * (g + 1) - 2].toFixed(5)));

describe('style', () => {
  it('the upper layer lies over the lower one; hidden ones do not count, masks do', () => {
    expect(lengths(composeStyle(get, guides([layer('a', [0, 1], 2), layer('b', [1], 3)]), () => 1))).toEqual([6, 9, 3]);
    expect(lengths(composeStyle(get, guides([layer('b', [1], 3), layer('a', [0, 1], 2)]), () => 1))).toEqual([6, 6, 3]);
    expect(lengths(composeStyle(get, guides([layer('a', [0, 1], 2, { on: false }), layer('b', [1], 3, { amount: 0.5 })]), () => 1))).toEqual([3, 6, 3]);
    expect(lengths(composeStyle(get, guides([layer('a', [0, 1], 2, { mask: '2'.repeat(64) })]), (_, g) => (g === 0 ? 0.5 : 0)))).toEqual([4.5, 3, 3]);
  });
  it('up to the layer that is combed, and that one in full', () => {
    const g = guides([layer('a', [0, 1], 2, { amount: 0.2 }), layer('b', [1], 3)]);
    expect(lengths(composeStyle(get, g, () => 1, 'a'))).toEqual([6, 6, 3]);
    expect(lengths(composeStyle(get, g, () => 1, ''))).toEqual([3, 3, 3]);
  });
  it('guides come, go and change with all layers', () => {
    const g = guides([layer('a', [0, 2], 2)]), more = { ...g, style: styleWith(get, keep, g.style, rows(5)) }, fewer = { ...g, style: styleThrough(get, keep, g.style, N, (k) => (k === 0 ? -1 : k - 1), (s) => s.map((v) => 2 * v)) };
    expect(lengths(composeStyle(get, more, () => 1))).toEqual([6, 3, 6, 15]);
    expect(lengths(composeStyle(get, fewer, () => 1))).toEqual([6, 12]);
    expect(styleWith(get, keep, undefined, rows(1))).toBeUndefined();
  });
  it('is part of the document, with all its buffers; documents from before it are read', () => {
    const d: GroomDocument = { ...newDocument('head', { clip: '', start: 0, end: 1, fps: 24, cyclic: false }), guides: guides([layer('a', [0], 2, { mask: '3'.repeat(64) })]) };
    expect(documentSchema.parse(d)).toEqual(d);
    expect(buffersOf(d)).toEqual(expect.arrayContaining([d.guides!.style!.base, d.guides!.style!.layers[0].shapes, '3'.repeat(64)]));
    expect(readDocument({ ...d, format: 5, guides: { ...d.guides, style: undefined } }).guides!.style).toBeUndefined();
    expect(floatsOf(get(d.guides!.style!.base)!)).toHaveLength(9 * N);
  });
});

describe('steps', () => {
  const first = newDocument('head', { clip: '', start: 0, end: 1, fps: 24, cyclic: false }), state = (k: number): GroomDocument => ({ ...first, plant: { ...first.plant, guideCount: 100 + k } });
  it('any can be gone to, back and forth', () => {
    let h = startHistory(first);
    for (let k = 1; k <= 5; k++) h = edit(h, `step ${k}`, (d) => { d.plant.guideCount = 100 + k; });
    const back = jump(h, 2);
    expect(back.document).toEqual(state(2));
    expect(jump(back, 5).document).toEqual(state(5));
    expect(jump(back, 99).document).toEqual(state(5));
    expect(jump(h, -3).document).toEqual(first);
  });
  it('come again from stored states; what was gone back on is gone', () => {
    const h = historyOf([{ document: state(0), name: 'opened' }, { document: state(1), name: 'a' }, { document: state(2), name: 'b' }, { document: state(1), name: 'Undo' }, { document: state(3), name: 'c' }]);
    expect(h.done.map((s) => s.name)).toEqual(['a', 'c']);
    expect(h.document).toEqual(state(3));
    expect(undo(h).document).toEqual(state(1));
    expect(undo(undo(h)).document).toEqual(state(0));
    expect(h.undone).toEqual([]);
  });
});
