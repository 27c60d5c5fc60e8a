import { describe, expect, it } from 'vitest';
import { SphereGeometry } from 'three';
import { makeRandom } from '../math/random';
import { boxOf, PosedObstacles } from './push-out';
import { describeShell, outwardSign } from './shell-check';
import { weldByPosition } from '../mesh/surface';
import { besideHidden, hiddenFaces, insideClosed } from './start-check';

const NODES = 16;
const ballMesh = (radius: number): { positions: Float64Array; triangles: Uint32Array } => { const g = new SphereGeometry(radius, 48, 32); return { positions: Float64Array.from(g.attributes.position.array), triangles: Uint32Array.from(g.index!.array) }; };

/** Strands rooted on a ball of 10 cm that lead back into it. */
function strands(count: number): Float32Array {
  const random = makeRandom(3), P = new Float32Array(3 * NODES * count);
  for (let s = 0; s < count; s++) {
    const u = [random() - 0.5, random() - 0.5, random() - 0.5], l = Math.hypot(...u), n = u.map((v) => v / l), side = [n[1], -n[0], 0.3], d = side[0] * n[0] + side[1] * n[1] + side[2] * n[2], t = side.map((v, k) => v - d * n[k]), tl = Math.hypot(...t);
    for (let i = 0; i < NODES; i++) {
      // out for two nodes, then along a chord that dips into the ball, and out again
      const a = 0.012 * i, h = 0.003 * Math.min(i, 2) - 0.016 * Math.max(0, Math.sin(((i - 2) / 13) * Math.PI)) * (0.5 + random() * 0.02);
      for (let c = 0; c < 3; c++) P[3 * (s * NODES + i) + c] = (0.1 + h) * (n[c] * Math.cos(a / 0.1) + (t[c] / tl) * Math.sin(a / 0.1));
    }
  }
  return P;
}
const lengths = (P: Float32Array): number[] => Array.from({ length: P.length / 3 }, (_, p) => (p % NODES === 0 ? 0 : Math.hypot(P[3 * p] - P[3 * p - 3], P[3 * p + 1] - P[3 * p - 2], P[3 * p + 2] - P[3 * p - 1])));
const deepest = (P: Float32Array): { share: number; most: number } => { let inside = 0, most = 0; for (let p = 0; p < P.length / 3; p++) { const d = 0.1 - Math.hypot(P[3 * p], P[3 * p + 1], P[3 * p + 2]); if (p % NODES < 2) continue; if (d > 5e-4) inside++; most = Math.max(most, d); } return { share: inside / (P.length / 3), most }; };

describe('push-out of filled strands', () => {
  it.each(['pill', 'mesh'] as const)('lifts them out of a %s: roots bit for bit, lengths to a ten-thousandth, hardly a point more than half a millimetre inside', (what) => {
    const P = strands(400), before = P.slice(), was = lengths(P), mesh = ballMesh(0.1);
    expect(deepest(P).share).toBeGreaterThan(0.2);
    const posed = what === 'pill'
      ? new PosedObstacles({ pills: [{ radiusA: 0.1, radiusB: 0.1 }], floors: [], shells: [] }, [0, 0, 0, 0, 0, 0], [], boxOf(P, 0.02))
      : new PosedObstacles({ pills: [], floors: [], shells: [{ triangles: mesh.triangles, closed: true }] }, [], [mesh.positions], boxOf(P, 0.02));
    let told = 0;
    for (let o = 0; o < P.length / 3; o += NODES) told = Math.max(told, posed.sweep(P, o, NODES));
    expect(told).toBeGreaterThan(0.002);
    for (let o = 0; o < P.length; o += 3 * NODES) expect(Array.from(P.subarray(o, o + 3))).toEqual(Array.from(before.subarray(o, o + 3)));
    lengths(P).forEach((l, p) => { if (was[p] > 0) expect(Math.abs(l / was[p] - 1)).toBeLessThan(1e-4); });
    const now = deepest(P);
    expect(now.share).toBeLessThan(0.001);
    expect(now.most).toBeLessThan(1e-3);
  });
  it('leaves alone what touches nothing, and what is rooted inside until it is out', () => {
    const P = Float32Array.from(Array.from({ length: NODES }, (_, i) => [0, 0.3 + 0.01 * i, 0]).flat()), free = P.slice(), inside = Float32Array.from(Array.from({ length: NODES }, (_, i) => [0, 0.05 + 0.01 * i, 0]).flat()), kept = inside.slice();
    const posed = new PosedObstacles({ pills: [{ radiusA: 0.1, radiusB: 0.1 }], floors: [], shells: [] }, [0, 0, 0, 0, 0, 0], [], [-1, -1, -1, 1, 1, 1]);
    expect(posed.sweep(P, 0, NODES)).toBe(0);
    posed.sweep(inside, 0, NODES);
    expect(P).toEqual(free);
    expect(inside).toEqual(kept);
  });
  it('stops at a floor', () => {
    const P = Float32Array.from(Array.from({ length: NODES }, (_, i) => [0.002 * i, 0.05 - 0.01 * i, 0]).flat());
    new PosedObstacles({ pills: [], floors: [[0, 1, 0, 0]], shells: [] }, [], [], [-1, -1, -1, 1, 1, 1]).sweep(P, 0, NODES);
    for (let i = 1; i < NODES; i++) expect(P[3 * i + 1]).toBeGreaterThan(-1e-4);
  });
});

describe('a mesh as a collider, in words', () => {
  const ball = ballMesh(0.1);
  it('a sound one is usable and closed, and nothing is said', () => { expect(describeShell(ball.triangles, ball.positions)).toMatchObject({ usable: true, closed: true, inverted: false, borders: 0, notes: [] }); });
  it('inverted, open, crooked and empty ones are told', () => {
    const turned = Uint32Array.from(ball.triangles).map((_, h, t) => t[h - (h % 3) + [0, 2, 1][h % 3]]);
    expect(describeShell(turned, ball.positions).notes.join(' ')).toMatch(/turned inwards/);
    expect(describeShell(ball.triangles.slice(0, 600), ball.positions)).toMatchObject({ usable: true, closed: false });
    expect(describeShell(ball.triangles.slice(9), ball.positions).notes.join(' ')).toMatch(/open edges/);
    const doubled = [...ball.triangles, ball.triangles[300], ball.triangles[301], ball.triangles[302]];
    expect(describeShell(doubled, ball.positions).notes.join(' ')).toMatch(/more than two faces/);
    expect(describeShell([], [])).toMatchObject({ usable: false, notes: ['has no faces; it is left out.'] });
    expect(describeShell([0, 1, 2], [0, 0, 0, 0, 0, 0, 1, 0, 0])).toMatchObject({ usable: false });
    expect(describeShell([0, 1, 2], [0, 0, 0, NaN, 0, 0, 1, 0, 0]).notes[0]).toMatch(/vertex \(number 1\) that is nowhere/);
  });
  it('an open wrist far from the middle does not turn a hand inside out', () => {
    const far = ball.positions.map((v, a) => v + [0.9, 0.4, -0.3][a % 3]), other = ball.positions.map((v, a) => v + [-0.9, 0.4, -0.3][a % 3]), n = ball.positions.length / 3, both = Float64Array.from([...far, ...other]);
    // both balls without a cap of their faces, which lies toward the origin for one and away from it for the other
    const kept: number[] = [];
    for (let t = 0; t < ball.triangles.length; t += 3) if (ball.positions[3 * ball.triangles[t]] > -0.0995) kept.push(ball.triangles[t], ball.triangles[t + 1], ball.triangles[t + 2]);
    expect(kept.length).toBeLessThan(ball.triangles.length);
    expect(outwardSign([...kept, ...kept.map((v) => v + n)], both)).toBe(1);
    expect(outwardSign([...kept, ...kept.map((v) => v + n)].map((_, h, t) => t[h - (h % 3) + [0, 2, 1][h % 3]]), both)).toBe(-1);
  });
  it('knows which points are inside', () => {
    expect(Array.from(insideClosed(ball.positions, ball.triangles, [0, 0, 0, 0.05, 0.05, 0.05, 0.2, 0, 0, 0.08, 0.08, 0.08, 0, 0.099, 0]))).toEqual([1, 1, 0, 0, 1]);
  });
  it('knows inside from outside beside faces that go into the mesh itself, as where two coarse balls are stuck into each other', () => {
    const ball = (x: number): SphereGeometry => new SphereGeometry(0.1, 14, 9).translate(x, 0.01 * x, 0) as SphereGeometry, [a, b] = [ball(-0.06), ball(0.06)], count = a.attributes.position.count;
    const positions = Float64Array.from([...a.attributes.position.array, ...b.attributes.position.array]), triangles = Uint32Array.from([...a.index!.array, ...Array.from(b.index!.array, (v) => v + count)]);
    const hidden = hiddenFaces(positions, triangles, 1), mixed = besideHidden(triangles, weldByPosition(positions), hidden);
    expect(hidden.reduce((n, v) => n + v, 0)).toBeGreaterThan(20);
    mixed.forEach((is, f) => { if (is === 1) expect(hidden[f]).not.toBe(1); });
    // about the ring where they meet
    const random = makeRandom(8), places: number[] = [];
    for (let k = 0; k < 3000; k++) { const t = 2 * Math.PI * random(), r = 0.08 + 0.012 * (random() - 0.5); places.push(0.02 * (random() - 0.5), r * Math.cos(t), r * Math.sin(t)); }
    const inside = insideClosed(positions, triangles, places), wrong = (shell: { hidden?: Uint8Array; mixed?: Uint8Array }): number => {
      const posed = new PosedObstacles({ pills: [], floors: [], shells: [{ triangles, closed: true, ...shell }] }, [], [positions], [-0.2, -0.2, -0.2, 0.2, 0.2, 0.2]);
      let count = 0;
      inside.forEach((is, k) => { const p = Float64Array.from(places.slice(3 * k, 3 * k + 3)), d = posed.at(p, p); if ((d < 0) !== (is === 1) && Math.abs(d) > 1e-6) count++; });
      return count;
    };
    expect(inside.reduce((n, v) => n + v, 0)).toBeGreaterThan(500);
    expect(wrong({ hidden })).toBeGreaterThan(20);
    expect(wrong({ hidden, mixed })).toBe(0);
  });
});
