import { SphereGeometry } from 'three';
import { describe, expect, it } from 'vitest';
import { Surface } from '../mesh/surface';
import { scatterEvenly, scatterByArea } from '../groom/planting';
import { ALL_ROUND, coverage } from './coverage';
import { fillPlot, nodeAt, NODES, strandShape } from './strands';
import { makeRandom } from '../math/random';
import { fillWeights } from './weights';

/** A flat square of 0.2 m, cut through the middle by a slit that is 1 mm wide and open at one end. */
function slitSquare(): Surface {
  const n = 20, P: number[] = [], T: number[] = [];
  for (const side of [-1, 1]) for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) P.push(side * (0.0005 + (0.1 * i) / n), 0, (0.2 * j) / n);
  for (const half of [0, 1]) for (let j = 0; j < n; j++) for (let i = 0; i < n; i++) {
    const a = half * (n + 1) ** 2 + j * (n + 1) + i, b = a + n + 1;
    if (half === 0) T.push(a, b, a + 1, a + 1, b, b + 1);
    else T.push(a, a + 1, b, a + 1, b + 1, b);
  }
  // joined along z = 0.2 only
  const l = n * (n + 1), r = (n + 1) ** 2 + l, v = P.length / 3;
  P.push(0, 0, 0.21);
  T.push(l, r, v);
  return new Surface(Float64Array.from(P), Uint32Array.from(T));
}

describe('fill weights', () => {
  const surface = slitSquare(), faces = Uint32Array.from({ length: surface.triangles.length / 3 }, (_, i) => i);
  const guides = scatterEvenly(surface, faces, 60, 1), strands = scatterByArea(surface, faces, 800, 2);
  const weights = fillWeights(surface, guides, strands);
  it('sum to 1 and are never negative', () => {
    for (let s = 0; s < 800; s++) {
      const w = Array.from(weights.weights.slice(4 * s, 4 * s + 4));
      expect(w.every((v) => v >= 0)).toBe(true);
      expect(w.reduce((a, b) => a + b)).toBeCloseTo(1, 5);
    }
  });
  it('a strand at a guide’s root follows that guide alone', () => {
    const own = fillWeights(surface, guides, guides);
    for (let g = 0; g < 60; g++) {
      expect(own.guides[4 * g]).toBe(g);
      expect(own.weights[4 * g]).toBeGreaterThan(0.999);
    }
  });
  it('go round a slit by the surface, not across it', () => {
    let crossing = 0, near = 0;
    for (let s = 0; s < 800; s++) {
      const [x, , z] = surface.place(strands.faces[s], [1 - strands.weights[2 * s] - strands.weights[2 * s + 1], strands.weights[2 * s], strands.weights[2 * s + 1]]);
      if (Math.abs(x) > 0.02 || z > 0.1) continue;
      near++;
      for (let k = 0; k < 4; k++) {
        const g = weights.guides[4 * s + k], [gx] = surface.place(guides.faces[g], [1 - guides.weights[2 * g] - guides.weights[2 * g + 1], guides.weights[2 * g], guides.weights[2 * g + 1]]);
        if (gx * x < 0) crossing += weights.weights[4 * s + k];
      }
    }
    expect(near).toBeGreaterThan(20);
    expect(crossing / near).toBeLessThan(0.01);
  });
});

describe('filled strands', () => {
  const surface = slitSquare(), faces = Uint32Array.from({ length: 800 }, (_, i) => i);
  const guides = scatterEvenly(surface, faces, 40, 1), P = 8;
  const offsets = Float32Array.from({ length: 3 * P * 40 }, (_, i) => { const k = Math.floor(i / 3) % P; return [0.004 * k * Math.sin(i), 0.02 * k, 0][i % 3]; });
  const shape = { clump: 0.6, lock: 0.5, frizz: 0.001, lengthSpread: 0.3 };
  const lengths = new Float32Array(40).fill(0.14), motion = Float64Array.of(0, 0, 0, 1, 1, 2, 3);
  const make = (count: number) => fillPlot(surface, faces, guides, offsets, P, { count, full: 2000 }, 9, 0.3);
  const points = (strands: ReturnType<typeof make>, s: number): Float64Array => { const out = new Float64Array(3 * NODES); strandShape(strands, s, offsets, lengths, P, shape, motion, out); return out; };
  it('the preview is the beginning of the full groom, with the same shapes', () => {
    const some = make(150), all = make(2000);
    for (const s of [0, 7, 149]) expect(points(some, s)).toEqual(points(all, s));
  });
  it('the root does not move under any treatment', () => {
    const strands = make(50);
    for (let s = 0; s < 50; s++) expect(Array.from(points(strands, s).slice(0, 3))).toEqual([1, 2, 3]);
  });
  it('without treatments a strand is the weighted mean of its guides', () => {
    const strands = make(20), out = new Float64Array(3 * NODES);
    strandShape(strands, 4, offsets, lengths, P, { clump: 0, lock: 0, frizz: 0, lengthSpread: 0.3 }, motion, out);
    const share = strands.detail[8 * 4 + 3];
    expect(out[3 * (NODES - 1) + 1]).toBeCloseTo(2 + 0.14 * share, 4);
    expect(nodeAt(0)).toBe(0);
    expect(nodeAt(NODES - 1)).toBe(1);
  });
});

describe('coverage', () => {
  // turned, so that its rows do not lie as the strands do
  const g = new SphereGeometry(0.1, 128, 84).rotateX(0.7).rotateZ(0.5), ball = new Surface(Float64Array.from(g.attributes.position.array), Uint32Array.from(g.index!.array)), faces = Uint32Array.from({ length: ball.triangles.length / 3 }, (_, f) => f), nodes = 2;
  /** Strands that lie level before the ball, 3 mm off it, at random, so far apart on average (m). */
  const level = (apart: number, half = 0.12): Float32Array => { const out: number[] = [], random = makeRandom(6); for (let k = 0; k < (2 * half) / apart; k++) { const y = half * (2 * random() - 1); out.push(-0.12, y, 0.103, 0.12, y, 0.103); } return Float32Array.from(out); };
  const look = (points: Float32Array, width: number, each = 1, directions: readonly (readonly [number, number, number])[] = [[0, 0, 1]]) => coverage({ surface: ball, faces, points, nodes, widthAt: () => width, each, directions });
  it('nothing covers nothing; what is seen is the half that faces', () => {
    const c = look(new Float32Array(0), 1e-3), seen = Array.from(c.faces).filter((v) => !Number.isNaN(v)).length;
    expect(c.bare).toBe(1);
    expect(seen / faces.length).toBeGreaterThan(0.3);
    expect(seen / faces.length).toBeLessThan(0.5);
    expect(Array.from(look(new Float32Array(0), 1e-3, 1, ALL_ROUND).faces).every((v) => v === 1)).toBe(true);
    expect(c.spots.length).toBeGreaterThan(3);
  });
  it('shows what lies between the strands, as found place by place', () => {
    // Source: brute force: which places of the ball, seen from the front, lie behind no strand
    for (const [width, apart] of [[2e-3, 4e-3], [1e-3, 1e-3], [2e-3, 1e-3], [2e-4, 2e-4]]) {
      const strands = level(apart), ys = Array.from({ length: strands.length / 6 }, (_, k) => strands[6 * k + 1]);
      let free = 0, all = 0;
      for (let y = -0.0975; y < 0.0975; y += 2e-5) {
        // faces are judged by their area where they face enough, as the figure is
        const r = Math.sqrt(0.01 - y * y), wide = 2 * 0.1 * Math.acos(Math.min(1, 0.02 / r));
        all += wide;
        if (ys.every((v) => Math.abs(v - y) > width / 2)) free += wide;
      }
      expect(Math.abs(look(strands, width).bare - free / all)).toBeLessThan(0.01);
    }
  });
  it('a tenth of the strands that stand for ten each, as light falls through strands at random', () => {
    // Source: Beer–Lambert; what is left is e to the mean number of strands over a place
    expect(Math.abs(look(level(2e-4), 2e-5, 10).bare - Math.exp(-1))).toBeLessThan(0.05);
  });
  it('strands behind cover nothing, and a bald patch is found', () => {
    expect(look(level(5e-4).map((v, i) => (i % 3 === 2 ? -v : v)), 1e-3).bare).toBe(1);
    const upper = look(level(5e-4).map((v, i) => (i % 3 === 1 ? Math.abs(v) + 0.02 : v)), 2e-3);
    expect(upper.spots.length).toBeGreaterThan(2);
    for (const s of upper.spots) expect(ball.place(s.face, [1 / 3, 1 / 3, 1 / 3])[1]).toBeLessThan(0.03);
  });
});
