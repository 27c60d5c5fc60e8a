import { IcosahedronGeometry, TorusGeometry, type BufferGeometry } from 'three';
import { describe, expect, it } from 'vitest';
import { makeRandom } from '../math/random';
import { Surface } from './surface';
import { Winding } from './winding';

const of = (g: BufferGeometry): { P: number[]; T: Uint32Array } => ({ P: Array.from(g.getAttribute('position').array), T: Uint32Array.from(g.getIndex()?.array ?? Array.from({ length: g.getAttribute('position').count }, (_, v) => v)) });
const ball = of(new IcosahedronGeometry(0.1, 5)), ring = of(new TorusGeometry(0.1, 0.03, 24, 48));
/** Two that overlap, as one mesh. */
const both = { P: [...ball.P, ...ring.P], T: Uint32Array.from([...ball.T, ...ring.T.map((v) => v + ball.P.length / 3)]) };
/** Unit of a cube’s edge from −1 to 1: corners, and faces that look outwards. */
const CUBE = { P: [-1, -1, -1, 1, -1, -1, 1, 1, -1, -1, 1, -1, -1, -1, 1, 1, -1, 1, 1, 1, 1, -1, 1, 1], T: Uint32Array.of(0, 2, 1, 0, 3, 2, 4, 5, 6, 4, 6, 7, 0, 1, 5, 0, 5, 4, 1, 2, 6, 1, 6, 5, 2, 3, 7, 2, 7, 6, 3, 0, 4, 3, 4, 7) };

describe('how often a mesh goes round a place', () => {
  // against three-mesh-bvh, which Surface asks
  it.each([['a ball', ball], ['a ring', ring], ['both in one', both]])('%s: is what rays through a tree of boxes tell, on random places', (_, { P, T }) => {
    const winding = new Winding(P, T, 1), surface = new Surface(P, T), random = makeRandom(3), way = [0.267, 0.8, 0.538].map((v) => v / Math.hypot(0.267, 0.8, 0.538));
    let inside = 0;
    for (let k = 0; k < 1500; k++) {
      const p = [0, 1, 2].map(() => 0.3 * (random() - 0.5)), told = surface.around(p, way);
      for (let axis = 0; axis < 3; axis++) expect(winding.along(p, 0, axis)).toBe(told);
      expect(winding.within(p, 0)).toBe(told >= 1);
      if (told >= 1) inside++;
    }
    expect(inside).toBeGreaterThan(60);
  });
  it('rays along faces, through edges and through corners of a cube go through as many faces as any', () => {
    const winding = new Winding(CUBE.P, CUBE.T, 1), steps = [-1.5, -1, -0.5, 0, 0.5, 1, 1.5];
    for (const x of steps) for (const y of steps) for (const z of steps) {
      const at = [x, y, z], within = at.every((v) => Math.abs(v) < 1);
      if (at.every((v) => Math.abs(v) <= 1) && !within) continue; // on it: either
      for (let axis = 0; axis < 3; axis++) expect(winding.along(at, 0, axis), at.join()).toBe(within ? 1 : 0);
    }
  });
  it('is the other way round for faces that look inwards; a mesh with a hole is told by the rays that do not leave by it', () => {
    const inwards = CUBE.T.map((_, h) => CUBE.T[3 * Math.floor(h / 3) + [0, 2, 1][h % 3]]), open = CUBE.T.slice(6);
    expect(new Winding(CUBE.P, inwards, -1).within([0.1, 0.2, 0.3], 0)).toBe(true);
    expect(new Winding(CUBE.P, open, 1).within([0.1, 0.2, 0.3], 0)).toBe(true);
    expect(new Winding(CUBE.P, open, 1).within([0.1, 0.2, -3], 0)).toBe(false);
    expect(new Winding([], new Uint32Array(0), 1).within([0, 0, 0], 0)).toBe(false);
  });
});
