/** Distances that contact goes by, against brute force and against a library of bounding-volume trees. */
import { describe, expect, it } from 'vitest';
import { SphereGeometry } from 'three';
import { makeRandom } from '../../src/core/math/random';
import { Surface } from '../../src/core/mesh/surface';
import { ContactFinder } from '../../src/core/sway/contact';
import { pillDistance } from '../../src/core/sway/pills';
import { SkinField } from '../../src/core/mesh/skin-field';
import { outwardSign } from '../../src/core/sway/shell-check';
import { oneStrand, plainRod } from '../helpers/strands';

const random = makeRandom(11), between = (a: number, b: number): number => a + (b - a) * random(), still = Float64Array.of(0, 0, 0, 1, 0, 0, 0);

describe('a segment and a capsule', () => {
  it('the gap is that of three thousand places along it, within 10 µm', () => {
    // Source: brute force over the segment, the distance to the axis by clamped projection
    let compared = 0;
    for (let k = 0; k < 400; k++) {
      const root = [between(-0.1, 0.1), between(-0.1, 0.1), between(-0.1, 0.1)], dir = [between(-1, 1), between(-1, 1), between(-1, 1)], l = Math.hypot(...dir), at = (s: number): number[] => root.map((v, c) => v + (0.03 * s * dir[c]) / l);
      // an axis that passes the segment somewhere, beside it by the radius and up to 1.5 mm
      const radius = between(0.005, 0.02), axis = [between(-1, 1), between(-1, 1), between(-1, 1)], side = [dir[1] * axis[2] - dir[2] * axis[1], dir[2] * axis[0] - dir[0] * axis[2], dir[0] * axis[1] - dir[1] * axis[0]], sl = Math.hypot(...side), place = at(between(1.1, 1.9)), from = between(-0.06, 0.005), to = from + between(0.01, 0.08);
      const end = (t: number): [number, number, number] => place.map((v, c) => v + ((radius + 0.0015 * ((k % 10) / 10)) * side[c]) / sl + t * axis[c]) as [number, number, number], a = end(from), b = end(to);
      const strand = oneStrand([at(0), at(1), at(2)], plainRod(1e-6, 1e-12)), finder = new ContactFinder([{ node: 0, source: 'c', a, b, radiusA: radius, radiusB: radius }], 1, { skinGap: 0, friction: 0, firstPoint: 2 });
      finder.cull(still, still, root, root, [0.06]);
      finder.place(still, still, 0, 1);
      finder.gatherAll(strand.system, 1e-9, [0, 0, 0]);
      const { k: f } = strand.system, slot = strand.system.at(0, 2, 2);
      if (!(f.touchOn[slot] > 0)) continue;
      const s = f.touchAt[slot], spot = at(1 + s).map((v, c) => v - root[c]), n = [0, 1, 2].map((c) => f.touchNormal[strand.system.at(0, 2, 6) + c]), gap = n[0] * spot[0] + n[1] * spot[1] + n[2] * spot[2] - f.touchPlane[slot];
      let least = Infinity;
      for (let q = 0; q <= 3000; q++) {
        const p = at(1 + q / 3000), u = b.map((v, c) => v - a[c]), w = p.map((v, c) => v - a[c]), t = Math.max(0, Math.min(1, (w[0] * u[0] + w[1] * u[1] + w[2] * u[2]) / (u[0] ** 2 + u[1] ** 2 + u[2] ** 2)));
        least = Math.min(least, Math.hypot(w[0] - t * u[0], w[1] - t * u[1], w[2] - t * u[2]) - radius);
      }
      // what is inside at the start is let down by its depth; and nearly parallel ones take a little of the middle
      if (least < 0) continue;
      const parallel = Math.abs(dir[0] * (b[0] - a[0]) + dir[1] * (b[1] - a[1]) + dir[2] * (b[2] - a[2])) / (l * Math.hypot(b[0] - a[0], b[1] - a[1], b[2] - a[2]));
      if (parallel > 0.6) continue;
      compared++;
      expect(Math.abs(gap - least)).toBeLessThan(parallel > 0.3 ? 2e-5 : 1e-5);
    }
    expect(compared).toBeGreaterThan(100);
  });
  it('a tapered one is as far as the nearest of the balls along its axis, within 1 µm', () => {
    // Source: a tapered capsule is the hull of its balls; brute force over two thousand of them, outside
    const out = new Float64Array(4);
    for (let k = 0; k < 300; k++) {
      const b = [between(0.03, 0.1), between(-0.05, 0.05), between(-0.05, 0.05)], ra = between(0.01, 0.03), rb = between(0.005, 0.02), p = [between(-0.1, 0.2), between(-0.1, 0.1), between(-0.1, 0.1)];
      const d = pillDistance(p[0], p[1], p[2], 0, 0, 0, b[0], b[1], b[2], ra, rb, out);
      let least = Infinity;
      for (let q = 0; q <= 2000; q++) { const t = q / 2000; least = Math.min(least, Math.hypot(p[0] - t * b[0], p[1] - t * b[1], p[2] - t * b[2]) - (ra + t * (rb - ra))); }
      if (least > 0.001) expect(Math.abs(d - least)).toBeLessThan(1e-6);
    }
  });
});

describe('the field that pushes filled strands out', () => {
  it('is the distance to the mesh to 1 µm near it, never on the wrong side, and the same within its box as without one', () => {
    // Source: three-mesh-bvh, closestPointToPoint
    const g = new SphereGeometry(0.06, 40, 28), positions = Float64Array.from(g.attributes.position.array), triangles = Uint32Array.from(g.index!.array), surface = new Surface(positions, triangles), outward = outwardSign(triangles, positions), field = new SkinField(positions, triangles, true, outward, 0.012, [-0.02, -0.1, -0.1, 0.1, 0.1, 0.1]), whole = new SkinField(positions, triangles, true, outward, 0.012), normal = new Float64Array(4);
    let exact = 0, all = 0, told = 0;
    for (let k = 0; k < 1500; k++) {
      const u = [between(-1, 1), between(-1, 1), between(-1, 1)], l = Math.hypot(...u), r = between(0.0575, 0.0625), p = u.map((v) => (v * r) / l), at = Float64Array.from(p), near = surface.nearest(p)!, d = field.at(at, 0, at, 0, normal);
      if (p[0] > -0.02) expect(d).toBe(whole.at(at, 0, at, 0, normal));
      // beyond it too, as far as anything is told
      else if (d !== Infinity && Math.abs(d) < 0.01) expect(d).toBe(whole.at(at, 0, at, 0, normal));
      // what its box says at once is never more than that
      const least = field.clear(at, 0);
      expect(least).toBeLessThanOrEqual(d);
      if (least > 0) told++;
      if (d === Infinity) continue;
      // outside is where a ray from the middle has passed the surface
      const hit = surface.raycast([0, 0, 0], u.map((v) => v / l))!, signed = (r > hit.distance ? 1 : -1) * near.distance;
      if (Math.abs(signed) > 0.002) continue;
      all++;
      if (Math.abs(signed) > 1e-6) expect(Math.sign(d)).toBe(Math.sign(signed));
      if (Math.abs(d - signed) < 1e-6) exact++;
    }
    expect(all).toBeGreaterThan(600);
    expect(exact).toBe(all);
    expect(told).toBeGreaterThan(20);
  });
});
