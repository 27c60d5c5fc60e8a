import { SphereGeometry } from 'three';
import { describe, expect, it } from 'vitest';
import { makeRandom } from '../math/random';
import { addScaled, cross, dot, length, normalize, scale, sub, type Vec3 } from '../math/vec';
import { Surface } from '../mesh/surface';
import { flowOf, wayOf } from './flow';
import { slopeOfFaces, withoutWhorls, type WayAt } from './slope';

const R = 0.1;
function ball(rows: number): Surface {
  const g = new SphereGeometry(R, 2 * rows, rows);
  return new Surface(Float64Array.from(g.getAttribute('position').array), Uint32Array.from(g.getIndex()!.array));
}
const middle = (s: Surface, f: number): Vec3 => s.place(f, [1 / 3, 1 / 3, 1 / 3]);
const facesOf = (s: Surface): number => s.triangles.length / 3;
/** A field on each face, along it. */
const fieldOn = (s: Surface, at: (p: Vec3) => Vec3): Float64Array => {
  const out = new Float64Array(3 * facesOf(s));
  for (let f = 0; f < facesOf(s); f++) { const v = at(middle(s, f)), n = s.normal(f); out.set(addScaled(v, n, -dot(v, n)), 3 * f); }
  return out;
};
/** ∫ a·b over the skin, m². */
const times = (s: Surface, a: Float64Array, b: Float64Array): number => { let sum = 0; for (let f = 0; f < facesOf(s); f++) for (let x = 0; x < 3; x++) sum += s.area(f) * a[3 * f + x] * b[3 * f + x]; return sum; };
const less = (a: Float64Array, b: Float64Array): Float64Array => a.map((v, i) => v - b[i]);
const size = (s: Surface, a: Float64Array): number => Math.sqrt(times(s, a, a));

describe('slopes', () => {
  const s = ball(24), height = fieldOn(s, () => [0.3, 1, 0.2]), turning = fieldOn(s, (p) => scale(cross([0.2, 1, -0.4], p), 8));
  it('what is a slope stays as it is', () => { expect(size(s, less(slopeOfFaces(s, height), height)) / size(s, height)).toBeLessThan(1e-6); });
  it('what only turns round is taken away, and the more finely the mesh is made the better', () => {
    const left = (rows: number): number => { const b = ball(rows), t = fieldOn(b, (p) => cross([0.2, 1, -0.4], p)); return size(b, slopeOfFaces(b, t)) / size(b, t); };
    expect(left(24)).toBeLessThan(0.01);
    expect(left(48)).toBeLessThan(0.3 * left(24));
  });
  it('of a sum of both the slope comes back', () => {
    const both = height.map((v, i) => v + turning[i]);
    expect(size(s, less(slopeOfFaces(s, both), height)) / size(s, height)).toBeLessThan(0.01);
  });
  it('is the nearest of all slopes: what is left over is square to every other', () => {
    const random = makeRandom(4), any = fieldOn(s, (p) => [Math.sin(40 * p[1]), Math.cos(30 * p[0] * p[2] * 10), p[0] * 9]), rest = less(any, slopeOfFaces(s, any));
    for (let trial = 0; trial < 5; trial++) {
      // heights anywhere, the same on the seam of the ball; their slope told by what it does along two edges
      const w = [random(), random(), random(), random()].map((v) => 60 * (v - 0.5)), h = (p: Vec3): number => Math.sin(w[0] * p[0] + w[1] * p[1] + w[2] * p[2] + w[3]), slopes = new Float64Array(rest.length);
      for (let f = 0; f < facesOf(s); f++) {
        const [a, b, c] = s.corners(f), u = sub(b, a), v = sub(c, a), uu = dot(u, u), uv = dot(u, v), vv = dot(v, v), D = uu * vv - uv * uv;
        if (D < 1e-22) continue;
        const du = h(b) - h(a), dv = h(c) - h(a), g = addScaled(scale(u, (vv * du - uv * dv) / D), v, (uu * dv - uv * du) / D);
        slopes.set(g, 3 * f);
      }
      expect(Math.abs(times(s, rest, slopes)) / (size(s, rest) * size(s, slopes))).toBeLessThan(1e-5);
    }
  });
});

describe('flow without whorls', () => {
  const s = ball(24), round = (at: number, spiral: number): { point: Vec3; normal: Vec3 } => { const r = 0.03 + spiral * at, y = Math.sqrt(R * R - r * r), p: Vec3 = [r * Math.cos(at), y, r * Math.sin(at)]; return { point: p, normal: normalize(p) }; };
  /** How far about the crown a walk along a flow turns, rad. */
  const turned = (way: WayAt): number => {
    let p: Vec3 = [0.03, Math.sqrt(R * R - 9e-4), 0], all = 0;
    for (let k = 0; k < 130; k++) {
      const n = normalize(p), next = scale(normalize(addScaled(p, way(p, n), 0.002)), R), angle = Math.atan2(next[2], next[0]) - Math.atan2(p[2], p[0]);
      all += Math.abs(angle) > Math.PI ? angle - 2 * Math.PI * Math.sign(angle) : angle;
      p = next;
    }
    return Math.abs(all);
  };
  it('hair that goes round and round in strokes drawn as a whorl runs out of it instead', () => {
    const flow = wayOf(flowOf(0, Array.from({ length: 60 }, (_, k) => round((k / 59) * 4 * Math.PI, 0.001))));
    expect(turned(flow)).toBeGreaterThan(2 * Math.PI);
    expect(turned(withoutWhorls(s, flow))).toBeLessThan(Math.PI / 2);
  });
  it('a parting of two sides, which goes round nothing, hardly changes', () => {
    const side = (n: number, x: number): number[] => flowOf(n, Array.from({ length: 12 }, (_, k) => { const a = x * (0.1 + 0.06 * k), p: Vec3 = [R * Math.sin(a), R * Math.cos(a), 0]; return { point: p, normal: normalize(p) }; })), flow = wayOf([...side(0, 1), ...side(1, -1)]), calm = withoutWhorls(s, flow);
    for (const a of [-0.6, -0.3, 0.3, 0.6]) { const n: Vec3 = [Math.sin(a), Math.cos(a), 0], p = scale(n, R); expect(dot(flow(p, n), calm(p, n))).toBeGreaterThan(0.98); }
  });
  it('is unit and along the skin wherever it is asked for', () => {
    const flow = withoutWhorls(s, wayOf([])), random = makeRandom(2);
    for (let k = 0; k < 50; k++) { const n = normalize([random() - 0.5, random() - 0.5, random() - 0.5]), w = flow(scale(n, R), n); expect(length(w)).toBeCloseTo(1, 9); expect(dot(w, n)).toBeCloseTo(0, 9); }
  });
});
