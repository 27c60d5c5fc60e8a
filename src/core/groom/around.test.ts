import { describe, expect, it } from 'vitest';
import { pim } from '../../../tests/helpers/oda';
import { restPositions } from '../mesh/character';
import { meshesAround, restAround } from './around';

describe('what hair goes round', () => {
  it('is clothes and large parts of the body that are seen, but no eyes, no hair that came as a mesh, and not the skin it grows on', async () => {
    const character = await pim(), own = character.meshes.find((m) => m.name === 'head')!, names = (hidden: string[] = [], meshRoles = {}, garments = true): string[] => meshesAround(character, own, hidden, { meshRoles }, garments).map((m) => m.name);
    const worn = character.meshes.filter((m) => m.role === 'garment').map((m) => m.name), [first] = worn;
    expect(worn.length).toBeGreaterThan(1);
    expect(names()).toEqual(expect.arrayContaining(worn));
    for (const name of ['head', 'eyes']) expect(names()).not.toContain(name);
    expect(names([first])).toEqual(names().filter((n) => n !== first));
    expect(names([], {}, false)).toEqual(names().filter((n) => !worn.includes(n)));
    // as roles are chosen, not as they were guessed
    expect(names([], { [first]: 'accessory' })).not.toContain(first);
    const hair = { ...character.meshes.find((m) => m.name === first)!, name: 'Long_Hair.001', role: 'body' as const };
    expect(meshesAround({ ...character, meshes: [...character.meshes, hair] }, own, [], { meshRoles: {} })).not.toContain(hair);
  });
  it('comes as one mesh in the rest pose, or as none', async () => {
    const character = await pim(), own = character.meshes.find((m) => m.name === 'head')!, parts = meshesAround(character, own, [], { meshRoles: {} }), all = restAround(character, own, [], { meshRoles: {} })!;
    expect(all.triangles.length).toBe(parts.reduce((n, m) => n + m.triangles.length, 0));
    // the last triangle of the last part is the last of all
    const last = parts[parts.length - 1], rest = restPositions(character, last);
    for (let k = 1; k <= 3; k++) expect([0, 1, 2].map((c) => all.positions[3 * all.triangles[all.triangles.length - k] + c])).toEqual([0, 1, 2].map((c) => rest[3 * last.triangles[last.triangles.length - k] + c]));
    expect(restAround(character, own, parts.map((m) => m.name), { meshRoles: {} })).toBeNull();
  });
});
