import { WebIO } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { AS_IT_IS, placeCharacter } from '../mesh/placement';
import { usualScale } from '../mesh/rest-box';
import { readGlb } from '../../formats/gltf';
import { packCharacter, unpackCharacter } from '../../formats/packed-character';
import { tubeGlb } from '../../../tests/helpers/tube';
import { brambleBytes } from '../../../tests/helpers/oda';
import { poseAtFrame, type Character } from '../mesh/character';
import { loopSeam } from '../mesh/clips';
import { firstDocument, shotOfClip } from './first-document';
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

describe('a clip whose keys begin late', () => {
  const LATE = 1.25;
  it('is a shot from its first key on, goes round as it would have, and stands where its file has it', async () => {
    const read = async (bytes: Uint8Array): Promise<Character> => { const r = await readGlb(bytes); if (!r.ok) throw new Error(r.error.message); return r.value; };
    const io = new WebIO(), file = await io.readBinary(brambleBytes());
    for (const times of new Set(file.getRoot().listAnimations().flatMap((a) => a.listSamplers()).map((s) => s.getInput()!))) times.setArray(Float32Array.from({ length: times.getCount() }, (_, k) => times.getScalar(k) + LATE));
    const [early, late] = await Promise.all([read(brambleBytes()), read(await io.writeBinary(file))]), [a, b] = [early, late].map((c) => c.clips.find((k) => k.name === 'trot')!);
    expect(a.begins).toBeUndefined();
    expect(b.begins).toBeCloseTo(LATE, 6);
    // as it is stored, too
    const kept = unpackCharacter(packCharacter(late));
    expect(kept.ok && kept.value.clips).toEqual(late.clips);
    const was = shotOfClip(early, a, 24), is = shotOfClip(late, b, 24), by = 24 * LATE;
    expect(was.cyclic).toBe(true);
    expect(is).toEqual({ ...was, start: was.start + by, end: was.end + by });
    expect(loopSeam(late, b, 24).gap).toBeCloseTo(loopSeam(early, a, 24).gap, 5);
    for (const frame of [-40, 0, 7, 200]) {
      const p = poseAtFrame(early, a, was, frame), q = poseAtFrame(late, b, is, frame + by);
      for (let k = 0; k < p.length; k++) expect(Math.abs(p[k] - q[k])).toBeLessThan(1e-4);
    }
    // once through, the lead is there, and still
    const once = { ...is, cyclic: false };
    expect(poseAtFrame(late, b, once, 0)).toEqual(poseAtFrame(late, b, once, by));
    expect(poseAtFrame(late, b, once, by + 4)).not.toEqual(poseAtFrame(late, b, once, by));
  });
});
