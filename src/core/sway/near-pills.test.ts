import { describe, expect, it } from 'vitest';
import { makeRandom } from '../math/random';
import { HOLDS, LOOKS, NEAR, NearPills } from './near-pills';
import { pillDistance, type Pill } from './pills';
import { RigidColliders } from './rigid-colliders';

const random = makeRandom(12), pillAt = (x: number, y: number, z: number): Pill => ({ node: 0, source: '', a: [x, y, z], b: [x + 0.08 * random(), y + 0.08 * random(), z], radiusA: 0.01 + 0.02 * random(), radiusB: 0.01 + 0.02 * random() });
/** Rigid motions that carry every pill a way along. */
const along = (pills: number, way: number): Float64Array => Float64Array.from(Array.from({ length: pills }, () => [0, 0, 0, 1, way, 0.3 * way, 0]).flat());

describe('what pills are near an edge', () => {
  it('says that nothing can touch only where nothing does, however edges and pills move', () => {
    const pills = Array.from({ length: 6 }, () => pillAt(0.3 * random(), 0.3 * random(), 0.1 * random())), gap = 0.001, rigid = new RigidColliders(pills, [], gap, 0.3), n = 12, strands = 60, near = new NearPills(rigid, strands), E = new Float64Array(22);
    near.begin(n * strands);
    const roots = Float64Array.from({ length: 3 * strands }, () => 0.3 * random()), P = new Float64Array(3 * n * strands);
    for (let s = 0; s < strands; s++) for (let i = 0; i < n; i++) for (let c = 0; c < 3; c++) P[3 * (n * s + i) + c] = i === 0 ? roots[3 * s + c] : P[3 * (n * s + i - 1) + c] + 0.02 * (random() - 0.4);
    let holds = 0, looks = 0, touching = 0;
    for (let f = 0; f < 4; f++) {
      const from = along(pills.length, 0.02 * f), to = along(pills.length, 0.02 * (f + 1));
      for (let s = 0; s < strands; s++) near.cull(s, rigid.placesOf(from, 0), rigid.placesOf(to, 1), roots, roots, 0.5);
      for (let t = 0; t < 8; t++) {
        rigid.place(from, to, t / 8, (t + 1) / 8);
        for (let s = 0; s < strands; s++) {
          near.goOn(s, 1 / 8);
          for (let i = 1; i < n; i++) for (let c = 0; c < 3; c++) P[3 * (n * s + i) + c] += 0.003 * (random() - 0.5);
          for (let i = 1; i < n; i++) {
            const p = n * s + i, lower = 3 * p - 3, upper = 3 * p, said = near.ask(s, p, P, lower, upper, roots, 3 * s);
            if (said === LOOKS) {
              looks++;
              for (let c = 0; c < 3; c++) { E[6 + c] = P[lower + c]; E[9 + c] = P[upper + c]; }
              near.look(s, p, E, roots);
              continue;
            }
            let least = Infinity;
            for (let k = 0; k < pills.length; k++) for (let q = 0; q <= 20; q++) {
              const u = q / 20, at = (c: number): number => P[lower + c] + u * (P[upper + c] - P[lower + c]), e = rigid.ends, o = 6 * k;
              least = Math.min(least, pillDistance(at(0), at(1), at(2), e[o], e[o + 1], e[o + 2], e[o + 3], e[o + 4], e[o + 5], rigid.radii[2 * k], rigid.radii[2 * k + 1], new Float64Array(4)) - gap);
            }
            if (least < NEAR) touching++;
            if (said === HOLDS) { holds++; expect(least).toBeGreaterThan(NEAR - 1e-9); }
          }
        }
      }
    }
    expect(holds).toBeGreaterThan(1500);
    expect(looks).toBeGreaterThan(200);
    expect(touching).toBeGreaterThan(200);
  });
});
