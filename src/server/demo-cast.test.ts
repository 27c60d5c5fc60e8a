import { beforeAll, describe, expect, it } from 'vitest';
import { bramble, oda } from '../../tests/helpers/oda';
import { floatsOf, uintsOf, unpackPlanting } from '../core/document/buffers';
import { documentSchema, type GroomDocument } from '../core/document/schema';
import { rootPlace } from '../core/groom/planting';
import { polylineLength } from '../core/groom/polyline';
import { poseCharacter, restPositions, skinPositions, type Character } from '../core/mesh/character';
import { Surface } from '../core/mesh/surface';
import { brambleGrooms } from './demo-bramble';
import { demoGroom, moreOfOda } from './demo-oda';

describe('the demo groom', () => {
  let character: Character, document: GroomDocument, buffers: Uint8Array[], surface: Surface;
  beforeAll(async () => {
    character = await oda();
    ({ document, buffers } = demoGroom(character));
    const mesh = character.meshes.find((m) => m.name === document.plot.mesh)!, P = new Float64Array(mesh.positions.length);
    skinPositions(character, mesh, poseCharacter(character, null, 0), P);
    surface = new Surface(P, mesh.triangles);
  }, 60_000);

  it('is a valid document on the head, for a clip that exists', () => {
    expect(documentSchema.safeParse(document).success).toBe(true);
    expect(document.plot.mesh).toBe('head');
    expect(character.clips.map((c) => c.name)).toContain(document.shot.clip);
  });
  it('every guide grows on the plot, from its root, 8 to 32 cm long, without a sharp corner', () => {
    const faces = new Set(uintsOf(buffers[0])), planting = unpackPlanting(buffers[1]), offsets = floatsOf(buffers[2]), points = 16;
    expect(offsets.length).toBe(3 * points * planting.faces.length);
    for (let g = 0; g < planting.faces.length; g++) {
      expect(faces.has(planting.faces[g])).toBe(true);
      const o = 3 * points * g, length = polylineLength(offsets, points * g, points);
      expect(length).toBeGreaterThan(0.07);
      expect(length).toBeLessThan(0.32);
      expect(Array.from(offsets.slice(o, o + 3))).toEqual([0, 0, 0]);
      for (let i = 1; i < points - 1; i++) {
        const e = [0, 1].map((k) => [0, 1, 2].map((c) => offsets[o + 3 * (i + k) + c] - offsets[o + 3 * (i + k - 1) + c])), l = e.map((v) => Math.hypot(...v));
        expect((e[0][0] * e[1][0] + e[0][1] * e[1][1] + e[0][2] * e[1][2]) / (l[0] * l[1])).toBeGreaterThan(-0.2);
      }
    }
  });
  it('hardly a point lies inside the head', () => {
    const planting = unpackPlanting(buffers[1]), offsets = floatsOf(buffers[2]);
    let inside = 0;
    for (let g = 0; g < planting.faces.length; g++) {
      const root = rootPlace(surface, planting, g);
      for (let i = 2; i < 16; i++) {
        const p = root.map((v, c) => v + offsets[48 * g + 3 * i + c]), near = surface.nearest(p, 0.03);
        if (near && near.distance > 0.002 && (p[0] - near.point[0]) * near.normal[0] + (p[1] - near.point[1]) * near.normal[1] + (p[2] - near.point[2]) * near.normal[2] < 0) inside++;
      }
    }
    expect(inside / (14 * planting.faces.length)).toBeLessThan(0.005);
  });
});

describe('Oda’s tail and brows', () => {
  let character: Character, grooms: ReturnType<typeof moreOfOda>, surface: Surface;
  beforeAll(async () => { character = await oda(); grooms = moreOfOda(character); const mesh = character.meshes.find((m) => m.name === 'head')!; surface = new Surface(restPositions(character, mesh), mesh.triangles); }, 60_000);
  const pointsOf = (k: number): { root: number[]; at: (i: number) => number[] }[] => { const { buffers, document } = grooms[k], p = unpackPlanting(buffers[1]), o = floatsOf(buffers[2]), n = document.plant.pointCount; return Array.from(p.faces, (_, g) => { const root = rootPlace(surface, p, g); return { root, at: (i) => root.map((v, c) => v + o[3 * (n * g + i) + c]) }; }); };
  it('are valid documents for clips that exist', () => {
    expect(grooms.map((g) => g.name)).toEqual(['tail', 'brows', 'bob']);
    for (const { document } of grooms) {
      expect(documentSchema.safeParse(document).success).toBe(true);
      expect(character.clips.map((c) => c.name)).toContain(document.shot.clip);
    }
  });
  it('a tail: all but the fringe comes together where the band is, stays outside the head, and falls behind it', () => {
    const [tie] = grooms[0].document.sway.ties, tied = new Set(tie.guides), all = pointsOf(0), n = grooms[0].document.plant.pointCount;
    expect(tied.size / all.length).toBeGreaterThan(0.8);
    const band = all.filter((_, g) => tied.has(g)).map((h) => h.at(Math.round(0.46 * (n - 1)))), middle = [0, 1, 2].map((c) => band.reduce((s, p) => s + p[c], 0) / band.length);
    expect(band.filter((p) => Math.hypot(p[0] - middle[0], p[1] - middle[1]) < 0.05).length / band.length).toBeGreaterThan(0.9);
    for (const [g, h] of all.entries()) if (tied.has(g)) expect(h.at(n - 1)[1]).toBeLessThan(middle[1]);
    let inside = 0;
    for (const h of all) for (let i = 2; i < n; i++) { const p = h.at(i), near = surface.nearest(p, 0.03); if (near && near.distance > 0.002 && (p[0] - near.point[0]) * near.normal[0] + (p[1] - near.point[1]) * near.normal[1] + (p[2] - near.point[2]) * near.normal[2] < 0) inside++; }
    expect(inside / (all.length * (n - 2))).toBeLessThan(0.01);
  });
  it('brows: short, close to the skin, from the nose outwards, on both sides', () => {
    const n = grooms[1].document.plant.pointCount, all = pointsOf(1);
    for (const h of all) {
      const tip = h.at(n - 1), side = Math.sign(h.root[0]);
      expect(side * (tip[0] - h.root[0])).toBeGreaterThan(0.001);
      expect(surface.nearest(tip)!.distance).toBeLessThan(0.003);
    }
    expect(all.filter((h) => h.root[0] > 0).length / all.length).toBeCloseTo(0.5, 1);
    expect(grooms[1].document.hidden).toContain('brows');
  });
});

describe('Bramble’s grooms', () => {
  let character: Character, grooms: ReturnType<typeof brambleGrooms>;
  beforeAll(async () => { character = await bramble(); grooms = brambleGrooms(character); }, 60_000);
  it('are mane and forelock, tail, and coat, each on the pony and for a clip that exists', () => {
    expect(grooms.map((g) => g.name)).toEqual(['mane and forelock', 'tail', 'coat']);
    for (const { document } of grooms) {
      expect(documentSchema.safeParse(document).success).toBe(true);
      expect(document.plot.mesh).toBe('pony');
      expect(character.clips.map((c) => c.name)).toContain(document.shot.clip);
    }
  });
  it('a forelock falls forward, a mane to one side, a tail down, a coat back along the body', () => {
    const mesh = character.meshes.find((m) => m.name === 'pony')!, surface = new Surface(restPositions(character, mesh), mesh.triangles);
    const tips = (k: number): { root: number[]; tip: number[] }[] => { const { buffers, document } = grooms[k], p = unpackPlanting(buffers[1]), o = floatsOf(buffers[2]), n = document.plant.pointCount; return Array.from(p.faces, (_, g) => ({ root: rootPlace(surface, p, g), tip: Array.from(o.slice(3 * (n * g + n - 1), 3 * n * (g + 1))) })); };
    const share = <T,>(list: T[], yes: (t: T) => boolean): number => list.filter(yes).length / list.length;
    expect(share(tips(0).filter((t) => t.root[2] > 0.7), (t) => t.tip[2] > 0.02)).toBeGreaterThan(0.9);
    expect(share(tips(0).filter((t) => t.root[2] < 0.6), (t) => t.tip[0] < -0.03)).toBeGreaterThan(0.9);
    expect(share(tips(1), (t) => t.tip[1] < -0.3)).toBeGreaterThan(0.95);
    expect(share(tips(2), (t) => Math.hypot(...t.tip) < 0.025)).toBe(1);
    expect(share(tips(2).filter((t) => t.root[2] > -0.2 && t.root[2] < 0.2), (t) => t.tip[2] < 0)).toBeGreaterThan(0.95);
  });
});
