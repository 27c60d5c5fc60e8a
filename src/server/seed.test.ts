import { beforeAll, describe, expect, it } from 'vitest';
import { oda } from '../../tests/helpers/oda';
import { floatsOf, uintsOf, unpackPlanting } from '../core/document/buffers';
import { documentSchema, type GroomDocument } from '../core/document/schema';
import { rootPlace } from '../core/groom/planting';
import { polylineLength } from '../core/groom/polyline';
import { poseCharacter, skinPositions, type Character } from '../core/mesh/character';
import { Surface } from '../core/mesh/surface';
import { demoGroom } from './seed';

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
