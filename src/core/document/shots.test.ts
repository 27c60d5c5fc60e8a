import { produce } from 'immer';
import { describe, expect, it } from 'vitest';
import { documentSchema, newDocument } from './schema';
import { addShot, freeShotName, isNamedByClip, openShot, removeShot, shotNames } from './shots';

const one = newDocument('head', { clip: 'walk', start: 0, end: 24, fps: 24, cyclic: true });

describe('shots', () => {
  it('a new one is like the open one and changes by itself', () => {
    const two = produce(one, (d) => { addShot(d, 'walk'); d.shot.end = 12; d.hidden.push('scarf'); });
    expect(shotNames(two)).toEqual(['walk', 'walk 2']);
    expect(two).toMatchObject({ shotName: 'walk 2', shot: { end: 12 }, hidden: ['scarf'] });
    const back = produce(two, (d) => openShot(d, 'walk'));
    expect(back).toMatchObject({ shotName: 'walk', shot: one.shot, hidden: [] });
    expect(produce(back, (d) => openShot(d, 'walk 2'))).toEqual(two);
    expect(documentSchema.safeParse(back).success).toBe(true);
  });
  it('one taken away leaves the others; the last one stays; what is not there is not opened', () => {
    const three = produce(one, (d) => { addShot(d, 'b'); addShot(d, 'c'); openShot(d, 'b'); });
    const less = produce(three, removeShot);
    expect(shotNames(less)).toEqual(['c', 'walk']);
    expect(less.shotName).toBe('c');
    expect(produce(one, removeShot)).toBe(one);
    expect(produce(one, (d) => openShot(d, 'nowhere'))).toBe(one);
  });
  it('names stay apart and are never empty', () => {
    expect(freeShotName(one, '  ')).toBe('shot');
    expect([one, { ...one, shotName: 'walk 12' }, { ...one, shotName: 'walk on' }, { ...one, shotName: 'run' }].map(isNamedByClip)).toEqual([true, true, false, false]);
    expect(freeShotName(one, 'walk')).toBe('walk 2');
    expect(freeShotName(one, 'x'.repeat(99)).length).toBe(50);
  });
});
