import { beforeAll, describe, expect, it } from 'vitest';
import { z } from 'zod';
import { bramble, oda } from '../../../tests/helpers/oda';
import { tubeScenes, type TubeScenes } from '../../../tests/helpers/tube-scene';
import type { Character } from '../mesh/character';
import { restBox } from '../mesh/rest-box';
import { Surface } from '../mesh/surface';
import { restPositions } from '../mesh/character';
import { uintsOf } from './buffers';
import { GROOM_FILE, GroomFileError, groomFileSchema, matches, openGroomFile, selectFaces, writeGroomFile } from './groom-file';
import { nameFor } from './hand-over';

let tube: TubeScenes, woman: Character;
beforeAll(async () => { tube = await tubeScenes(); woman = await oda(); });
const file = (more: object = {}): object => ({ kind: GROOM_FILE, version: 1, plot: { any: [{ heightShare: { above: 0.3, below: 0.6 } }] }, document: { plant: { guideCount: 20 } }, ...more });

describe('rules in place of faces', () => {
  it('each says what it says, on a head nobody picked faces on', () => {
    const mesh = woman.meshes.find((m) => m.name === 'head')!, surface = new Surface(restPositions(woman, mesh), mesh.triangles), middle = (f: number): number[] => [0, 1, 2].map((c) => surface.corners(f).reduce((n, p) => n + p[c] / 3, 0)), { low, high } = restBox(woman), least = 0.5;
    const crown = selectFaces(woman, mesh, [{ heightShare: { above: 0.95 }, least }]);
    expect(crown.length).toBeGreaterThan(20);
    for (const f of crown) expect(middle(f)[1]).toBeGreaterThanOrEqual(low[1] + 0.95 * (high[1] - low[1]) - 1e-9);
    for (const f of selectFaces(woman, mesh, [{ normal: { towards: [0, 1, 0], within: 30 }, least }])) expect(surface.normal(f)[1]).toBeGreaterThanOrEqual(Math.cos(Math.PI / 6) - 1e-9);
    const side = selectFaces(woman, mesh, [{ side: { above: 0.01 }, height: { above: 1.6 }, least }]);
    for (const f of side) expect(middle(f)[0]).toBeGreaterThanOrEqual(0.01);
    const marked = selectFaces(woman, mesh, [{ hair: true, least }]);
    expect(marked.length).toBeGreaterThan(100);
    // any of the rules, none of the exceptions
    const both = selectFaces(woman, mesh, [{ heightShare: { above: 0.95 }, least }, { side: { above: 0.01 }, height: { above: 1.6 }, least }]);
    expect([...both]).toEqual([...new Set([...crown, ...side])].sort((a, b) => a - b));
    expect([...selectFaces(woman, mesh, [{ heightShare: { above: 0.95 }, least }], [{ side: { above: 0 }, least }])].every((f) => middle(f)[0] < 0)).toBe(true);
    expect(selectFaces(woman, mesh, [{ joint: '*head*', least: 0.6 }]).length).toBeGreaterThan(1000);
    expect(selectFaces(woman, mesh, [{ joint: 'head', least: 0.6, material: 'no such' }]).length).toBe(0);
  });
  it('names are meant with stars, and without their case', () => {
    expect([matches('Head_01', '*head*'), matches('Head', 'head'), matches('Forehead', 'head'), matches('a.b', 'a?b'), matches('L_Arm.001', 'l_*1')]).toEqual([true, true, false, false, true]);
  });
});

describe('a groom as a file', () => {
  it('opens with what differs from a new one; written and opened again it is the same', () => {
    const open = openGroomFile(file({ document: { plant: { guideCount: 20, lengthCm: 5 }, sway: { hold: 0.4, profiles: { hold: [[0, 1], [1, 0.5]] } }, bake: { samples: 2 } } }), tube.character), { document, buffers } = open;
    expect([document.guides!.count, document.sway.hold, document.bake.samples, document.sway.damping, document.shot.clip]).toEqual([20, 0.4, 2, tube.settings.damping, 'bend']);
    expect(uintsOf(buffers.get(document.plot.faces!)!).length).toBeGreaterThan(10);
    const again = openGroomFile(JSON.parse(writeGroomFile(open.name, document, (id) => buffers.get(id))), tube.character);
    expect(again.document).toEqual(document);
    expect([...again.buffers.keys()].sort()).toEqual([...buffers.keys()].sort());
    expect(groomFileSchema.safeParse(JSON.parse(writeGroomFile('a', document, (id) => buffers.get(id)))).success).toBe(true);
  });
  it('takes another clip and other frames; a loop stays one only as a whole', () => {
    expect(openGroomFile(file(), tube.character, { clip: 'BEND', frames: { start: 2, end: 5 } }).document.shot).toMatchObject({ clip: 'bend', start: 2, end: 5, cyclic: false });
    expect(() => openGroomFile(file(), tube.character, { clip: 'walk' })).toThrow(/no clip “walk”\. It has “bend”/);
  });
  it('says where something is wrong, and what to do', () => {
    const whole = JSON.parse(writeGroomFile('a', openGroomFile(file(), tube.character).document, (id) => openGroomFile(file(), tube.character).buffers.get(id))) as { buffers: Record<string, string>; document: { plot: { faces: string } } }, [first] = Object.keys(whole.buffers);
    for (const [value, message] of [
      [{ ...whole, buffers: { ...whole.buffers, [first]: btoa('other') } }, /bytes do not match its name/],
      [{ ...whole, buffers: {} }, /not in the file/],
      [file({ plot: { any: [{ height: { above: 99 } }] } }), /no face of “tube” meets these rules\. The character stands from/],
      [file({ plot: { mesh: 'cap', any: [{ least: 0 }] } }), /has no mesh “cap”/],
      [{ kind: GROOM_FILE, version: 1 }, /says nowhere where hair grows/],
    ] as const) expect(() => openGroomFile(value, tube.character)).toThrow(message);
    expect(() => openGroomFile(whole, woman)).toThrow(GroomFileError);
    expect(() => openGroomFile(file({ document: { sway: { hold: 9 } } }), tube.character)).toThrow(z.ZodError);
  });
});

it('files are named as the receiver names things', () => {
  expect([nameFor({ naming: 'as it is' }, 'Oda', 'loose hair', 'look back'), nameFor({ naming: 'lower_case' }, 'Oda', 'loose hair'), nameFor({ naming: 'NoSpaces' }, 'Oda', 'loose hair', 'lod0.glb'), nameFor({ naming: 'as it is' }, '…', ''), nameFor({ naming: 'lower_case' }, 'Ünder/..\\weg')]).toEqual(['Oda-loose-hair-look-back', 'oda_loose_hair', 'OdaLooseHairLod0.glb', 'hair', 'u_nder_.._weg']);
});

describe('chains in a groom file', () => {
  let pony: Character;
  beforeAll(async () => { pony = await bramble(); });
  const chains = (rules: object[], more: object = {}): object => ({ kind: GROOM_FILE, version: 1, chains: rules, ...more });
  it('are found by the names of joints, on a character nobody chose them on', () => {
    const { document, notes, buffers } = openGroomFile(chains([{ joints: 'tail*', bendDeg: 30 }, { joints: 'EAR*' }], { document: { sway: { hold: 0.9 } } }), pony, { clip: 'trot' });
    expect(document.chains.map((c) => [c.joints.join(), c.kept, c.bendDeg])).toEqual([['tail1,tail2', 0, 30], ['earL', 0, null], ['earR', 0, null]]);
    expect([document.sway.hold, document.sway.material, document.guides!.count, document.shot.clip, document.plot.faces]).toEqual([0.9, 'rope', 3, 'trot', null]);
    expect(notes.join(' ')).toContain('3 chains: “tail1”, “earL”, “earR”.');
    // what is saved of it opens again as it is
    const again = openGroomFile(JSON.parse(writeGroomFile('a', document, (id) => buffers.get(id))), pony);
    expect([again.document.chains, again.document.guides, again.document.sway]).toEqual([document.chains, document.guides, document.sway]);
  });
  it('say what is wrong with their rules', () => {
    const error = (value: object, on = pony): string => { try { openGroomFile(value, on); return ''; } catch (e) { return e instanceof GroomFileError ? e.message : `not told: ${String(e)}`; } };
    expect(error(chains([{ joints: 'wing*' }]))).toMatch(/^chains\.0: no joint is called “wing\*”; there are “/);
    expect(error(chains([{ joints: '*' }]))).toMatch(/^chains\.0: several of the joints “\*” hang on “[^”]+”: a chain cannot branch/);
    expect(error(chains([{ joints: 'tail*', kept: 2 }]))).toMatch(/has 2 joints, of which 2 would be kept/);
    expect(error(chains([{ joints: 'tail*' }, { joints: 'tail2' }]))).toMatch(/^chains: The joint “tail2” is moved by/);
    expect(error(chains([{ joints: 'tail*' }], { plot: { any: [{ heightShare: { above: 0.5 } }] } }))).toMatch(/not both/);
  });
});
