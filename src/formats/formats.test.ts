import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { tubeGlb } from '../../tests/helpers/tube';
import { readGlb } from './gltf';
import { packCharacter, unpackCharacter } from './packed-character';

describe('reading .glb', () => {
  let tube: Uint8Array;
  beforeAll(async () => { tube = await tubeGlb(); });
  const refused = async (bytes: Uint8Array) => { const r = await readGlb(bytes); if (r.ok) throw new Error('was taken'); return r.error; };

  it('takes a skinned mesh with its skeleton and clip', async () => {
    const r = await readGlb(tube);
    if (!r.ok) throw new Error(r.error.message);
    expect(r.value.meshes.map((m) => m.name)).toEqual(['tube']);
    expect(r.value.meshes[0].triangles.length).toBe(16 * 12 * 2 * 3);
    expect(r.value.clips[0]).toMatchObject({ name: 'bend', duration: 1 });
    expect(r.value.skins[0].joints.length).toBe(2);
    expect(r.warnings).toEqual([]);
  });
  it('mends weights that do not sum to 1 and says so', async () => {
    const r = await readGlb(await tubeGlb({ weightScale: 0.5, named: false }));
    if (!r.ok) throw new Error(r.error.message);
    const { weights } = r.value.meshes[0];
    for (let v = 0; v < weights.length; v += 4) expect(weights[v] + weights[v + 1]).toBeCloseTo(1, 5);
    expect(r.warnings.join(' ')).toMatch(/weights of 208 vertices did not sum to 1/);
    expect(r.warnings.join(' ')).toMatch(/unnamed/);
  });
  it('a truncated file is told to be cut off, with both lengths', async () => {
    const e = await refused(tube.slice(0, 3000));
    expect(e.type).toBe('truncated');
    expect(e.message).toMatch(/should be [\d,]+ bytes long but has 3,000/);
  });
  it('a text file under that name is told to be no glTF', async () => {
    const e = await refused(new TextEncoder().encode('this is a note, not a model, whatever its name says'));
    expect(e.type).toBe('notThisFormat');
    expect(e.message).toMatch(/Export the character as \.glb/);
  });
  it('a model without a skin is taken as one piece, and told', async () => {
    const r = await readGlb(await tubeGlb({ skinned: false }));
    expect(r.ok && r.value.meshes[0].skin).toBe(-1);
    expect(r.ok && r.warnings.join(' ')).toMatch(/No mesh is bound to a skeleton and nothing moves/);
  });
  it('an empty file and an older version are told apart', async () => {
    expect((await refused(new Uint8Array(0))).type).toBe('truncated');
    const old = tube.slice();
    new DataView(old.buffer).setUint32(4, 1, true);
    expect((await refused(old)).type).toBe('versionTooNew');
  });
  it('whatever bytes are broken, the answer is a result and never an exception', async () => {
    await fc.assert(fc.asyncProperty(fc.array(fc.tuple(fc.nat(), fc.nat(255)), { minLength: 1, maxLength: 12 }), async (hits) => {
      const bytes = tube.slice();
      for (const [at, value] of hits) bytes[at % bytes.length] = value;
      const r = await readGlb(bytes);
      if (r.ok) for (const m of r.value.meshes) expect(m.triangles.every((v) => v < m.positions.length / 3)).toBe(true);
      else expect(r.error.message.length).toBeGreaterThan(20);
    }), { seed: 7, numRuns: 150 });
  });
});

describe('packed character', () => {
  it('reads back what was written', async () => {
    const r = await readGlb(await tubeGlb());
    if (!r.ok) throw new Error(r.error.message);
    const back = unpackCharacter(packCharacter(r.value));
    if (!back.ok) throw new Error(back.error.message);
    expect(back.value).toEqual(r.value);
  });
  it('is refused when cut off, foreign or newer', async () => {
    const r = await readGlb(await tubeGlb());
    if (!r.ok) throw new Error(r.error.message);
    const packed = packCharacter(r.value);
    for (const length of [0, 4, 40, packed.length - 8]) expect(unpackCharacter(packed.slice(0, length)).ok).toBe(false);
    const newer = packed.slice();
    newer[4] = 9;
    const answer = unpackCharacter(newer);
    expect(!answer.ok && answer.error.type).toBe('versionTooNew');
    expect(unpackCharacter(Uint8Array.from({ length: 64 }, (_, i) => i)).ok).toBe(false);
  });
});
