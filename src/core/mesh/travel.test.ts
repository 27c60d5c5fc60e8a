import { describe, expect, it } from 'vitest';
import { readGlb } from '../../formats/gltf';
import { tubeGlb } from '../../../tests/helpers/tube';
import { poseAtFrame, type Character, type Clip } from './character';
import { Travel } from './travel';

const shot = { clip: '', start: 0, end: 24, fps: 24, cyclic: false };
/** The tube, 0.6 m tall, and a clip in which it goes so far along x, rising on the way. */
async function going(far: number): Promise<{ character: Character; clip: Clip }> {
  const read = await readGlb(await tubeGlb());
  if (!read.ok) throw new Error(read.error.message);
  const character = read.value, node = character.nodes.findIndex((n) => n.name === 'low');
  return { character, clip: { name: `goes ${far}`, duration: 1, channels: [{ node, path: 'translation', interpolation: 'LINEAR', times: Float32Array.of(0, 1), values: Float32Array.of(0, 0, 0, far, 1, 0) }] as unknown as Clip['channels'] } };
}

describe('where a character goes', () => {
  it('is told over the ground, from where it stands at rest', async () => {
    const { character, clip } = await going(2), travel = new Travel(character);
    expect([...travel.place]).toEqual([...travel.rest]);
    travel.stand(poseAtFrame(character, clip, shot, 12));
    expect(travel.place[0] - travel.rest[0]).toBeCloseTo(1, 6);
    expect(travel.place[1] - travel.rest[1]).toBeCloseTo(0, 9);
  });
  it('is away from its place where it is farther than half its height, in the frames of the shot', async () => {
    for (const [far, away] of [[0.2, false], [0.4, true]] as const) {
      const { character, clip } = await going(far), travel = new Travel(character);
      expect(travel.goesAway(clip, shot)).toBe(away);
      // of a part of the clip only what is in it counts, and the answer before is not taken for this one
      expect(travel.goesAway(clip, { ...shot, end: 3 })).toBe(false);
      expect(travel.goesAway(clip, shot)).toBe(away);
    }
  });
  it('is nowhere without a clip', async () => { const { character } = await going(1); expect(new Travel(character).goesAway(null, shot)).toBe(false); });
});
