import { describe, expect, it } from 'vitest';
import { makeRandom } from '../../core/math/random';
import { BufferStore } from './buffer-store';

const ROW = 192, ROWS = 500;
const strokes = (count: number, store: BufferStore, upload = true): Uint8Array[] => {
  const random = makeRandom(5), all = [Uint8Array.from({ length: ROW * ROWS }, () => 256 * random())];
  store.set('0', all[0]);
  for (let k = 1; k <= count; k++) {
    const next = all[k - 1].slice();
    for (let r = 0; r < 50; r++) { const row = Math.floor(random() * ROWS); for (let i = 0; i < ROW; i++) next[row * ROW + i] = 256 * random(); }
    all.push(next);
    store.set(String(k), next);
    if (upload) { store.onServer.add(String(k - 1)); store.onServer.add(String(k)); }
    store.inUse = new Set([String(k)]);
    store.follow(String(k - 1), String(k), ROW);
  }
  return all;
};

describe('buffers of strokes that follow each other', () => {
  it('all come back to the byte, in any order', () => {
    const store = new BufferStore(), all = strokes(60, store);
    for (const k of [60, 0, 31, 1, 59, 17, 17, 60]) expect(Buffer.compare(store.get(String(k))!, all[k])).toBe(0);
    expect(store.get('nothing')).toBeUndefined();
  });
  it('cost what differs, and no more than so much however many there are', () => {
    const few = new BufferStore(), many = new BufferStore();
    strokes(100, few);
    expect(few.bytes).toBeLessThan(100 * 0.3 * ROW * ROWS);
    strokes(4000, many);
    expect(many.bytes).toBeLessThan(60 << 20);
    expect(many.has('4000')).toBe(true);
    expect(many.has('3999')).toBe(true);
    // long ago: asked of the server again
    expect(many.has('3')).toBe(false);
  });
  it('nothing goes that the server does not have', () => {
    const store = new BufferStore(), all = strokes(4000, store, false);
    expect(Buffer.compare(store.get('3')!, all[3])).toBe(0);
  });
  it('buffers of other sizes stand beside each other', () => {
    const store = new BufferStore();
    store.set('a', Uint8Array.of(1, 2, 3, 4));
    store.set('b', Uint8Array.of(1, 2, 3, 4, 5, 6, 7, 8));
    store.follow('a', 'b', 4);
    expect(store.get('a')).toEqual(Uint8Array.of(1, 2, 3, 4));
  });
});
