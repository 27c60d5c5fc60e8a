import { describe, expect, it } from 'vitest';
import { AS_IT_IS, placeCharacter } from '../mesh/placement';
import { usualScale } from '../mesh/rest-box';
import { readGlb } from '../../formats/gltf';
import { tubeGlb } from '../../../tests/helpers/tube';
import { firstDocument } from './first-document';
import { documentSchema, newDocument, type GroomDocument } from './schema';

describe('the document a groom begins with', async () => {
  const read = await readGlb(await tubeGlb());
  if (!read.ok) throw new Error(read.error.message);
  const tube = read.value, usual = newDocument('tube', firstDocument(tube).shot);
  const sized = (height: number): GroomDocument => firstDocument(placeCharacter(tube, { ...AS_IT_IS, scale: height / 0.6 }));
  it('has the usual numbers for what is about as large as a person, or a horse', () => {
    for (const height of [0.8, 1.7, 3]) expect({ ...sized(height), shot: usual.shot }).toEqual(usual);
  });
  it('has shorter and finer hair on a small creature, longer, more and thicker on a giant, all of it allowed', () => {
    const mouse = sized(0.1), giant = sized(9);
    expect(mouse.plant).toMatchObject({ lengthCm: 3, liftMm: 1.5, guideCount: 300 });
    expect(mouse.sway.skinGapMm).toBe(0.13);
    expect(mouse.fill).toMatchObject({ count: 60000, preview: 6000, widthUm: 28 });
    expect(giant.plant).toMatchObject({ lengthCm: 72, liftMm: 36, guideCount: 1200 });
    expect(giant.fill).toMatchObject({ count: 250000, preview: 30000, widthUm: 240 });
    for (const d of [mouse, giant, sized(1e-4), sized(900)]) expect(documentSchema.parse(d)).toEqual(d);
  });
  it('does not lose its way with a mesh that has no size', () => {
    expect(usualScale({ ...tube, meshes: tube.meshes.map((m) => ({ ...m, positions: m.positions.map(() => 0), skin: -1 })) } as never)).toBe(1);
  });
});
