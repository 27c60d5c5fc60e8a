/** Shells: meshes as colliders, closed and open. */
import { BufferAttribute, BufferGeometry, SphereGeometry, Vector3 } from 'three';
import { MeshBVH } from 'three-mesh-bvh';
import { describe, expect, it } from 'vitest';
import { makeRandom } from '../../src/core/math/random';
import { ContactFinder } from '../../src/core/sway/contact';
import { EDGE, LOWER, LOWER_THEN, MOST_KEPT, Shell, UPPER, UPPER_THEN } from '../../src/core/sway/shell';
import { GRAVITY as g, SUBSTEP } from '../helpers/rod-cases';
import { KERNELS, oneStrand, plainRod, straight, type OneStrand } from '../helpers/strands';

const none = new Float64Array(0);
interface Mesh { positions: Float64Array; triangles: number[] }
/** A sheet in the plane y = 0, `n` × `n` squares. */
function sheet(size: number, n: number): Mesh {
  const positions: number[] = [], triangles: number[] = [];
  for (let z = 0; z <= n; z++) for (let x = 0; x <= n; x++) positions.push(size * (x / n - 0.5), 0, size * (z / n - 0.5));
  for (let z = 0; z < n; z++) for (let x = 0; x < n; x++) { const a = z * (n + 1) + x, b = a + n + 1; triangles.push(a, b, a + 1, a + 1, b, b + 1); }
  return { positions: Float64Array.from(positions), triangles };
}
/** A closed plate: two sheets `thick` apart and a rim. */
function plate(size: number, n: number, thick: number): Mesh {
  const top = sheet(size, n), count = top.positions.length / 3, positions = [...top.positions, ...top.positions.map((v, i) => (i % 3 === 1 ? v - thick : v))], triangles = [...top.triangles];
  for (let t = 0; t < top.triangles.length; t += 3) triangles.push(top.triangles[t] + count, top.triangles[t + 2] + count, top.triangles[t + 1] + count);
  const rim: number[] = [];
  for (let k = 0; k < n; k++) rim.push(k);
  for (let k = 0; k < n; k++) rim.push(k * (n + 1) + n);
  for (let k = n; k > 0; k--) rim.push(n * (n + 1) + k);
  for (let k = n; k > 0; k--) rim.push(k * (n + 1));
  rim.forEach((a, k) => { const b = rim[(k + 1) % rim.length]; triangles.push(a, b, a + count, b, b + count, a + count); });
  return { positions: Float64Array.from(positions), triangles };
}
/** Steps a strand against a mesh that is moved by `at` (frames of eight substeps). */
function play(strand: OneStrand, shell: Shell, frames: number, at: (frame: number) => Float64Array, options: { damping?: number; each?: () => void } = {}): ContactFinder {
  const finder = new ContactFinder([], 1, { skinGap: 0, friction: 0, firstPoint: 1 }, [shell]);
  let from = at(0);
  for (let f = 1; f <= frames; f++) {
    const to = at(f);
    finder.frame(0, from, to, strand.n);
    finder.cull(none, none, strand.root, strand.root, [1]);
    for (let k = 0; k < 8; k++) {
      finder.place(none, none, k / 8, (k + 1) / 8);
      strand.step(1, { h: SUBSTEP, damping: options.damping ?? 1 }, finder);
      options.each?.();
    }
    from = to;
  }
  return finder;
}
const lifted = (mesh: Mesh, y: number): Float64Array => mesh.positions.map((v, i) => (i % 3 === 1 ? v + y : v));

describe('a shell', () => {
  it('knows whether it is closed, and drops triangles that are none', () => {
    const p = plate(0.3, 6, 0.004), s = sheet(0.3, 6);
    expect(new Shell(p.triangles, p.positions, 0.001, 0.3).closed).toBe(true);
    expect(new Shell(s.triangles, s.positions, 0.001, 0.3).closed).toBe(false);
    expect(new Shell([...s.triangles, 0, 0, 1], s.positions, 0.001, 0.3).triangleCount).toBe(s.triangles.length / 3);
    expect(new Shell([], [], 0.001, 0.3).triangleCount).toBe(0);
  });
  it('gives the distance that a bounding-volume tree gives, within 1 µm', () => {
    // Source: three-mesh-bvh, closestPointToPoint
    const ball = new SphereGeometry(0.05, 24, 16), positions = Float64Array.from(ball.attributes.position.array), triangles = Array.from(ball.index!.array);
    const geometry = new BufferGeometry();
    geometry.setAttribute('position', new BufferAttribute(Float32Array.from(positions), 3));
    geometry.setIndex(triangles);
    const tree = new MeshBVH(geometry), shell = new Shell(triangles, positions, 0, 0.3), random = makeRandom(5);
    expect(shell.closed).toBe(true);
    shell.begin(500);
    shell.frame(positions, positions);
    shell.build();
    shell.place(0, 1);
    shell.ready([-1, -1, -1, 1, 1, 1]);
    const edge = new Float64Array(EDGE), { places } = shell.memory;
    edge[MOST_KEPT] = Infinity;
    let asked = 0;
    for (let k = 0; k < 400; k++) {
      const u = new Vector3(random() - 0.5, random() - 0.5, random() - 0.5).normalize().multiplyScalar(0.0503 + 0.003 * random()), near = tree.closestPointToPoint(u)!.distance;
      shell.place(0, 1);
      for (const [place, far] of [[LOWER, 1.2], [UPPER, 1], [LOWER_THEN, 1.2], [UPPER_THEN, 1]]) edge.set([far * u.x, far * u.y, far * u.z], place);
      for (const [point, far] of [[k, 1.2], [k + 1, 1]]) places.set([far * u.x, far * u.y, far * u.z, far * u.x, far * u.y, far * u.z], 6 * point);
      // the edge follows something, or there is nothing to be asked about
      if (shell.scan(k + 1, k + 2, 0.01) === 0) continue;
      expect(shell.alive[k + 1]).toBe(1);
      shell.ask(k + 1, false, edge);
      const points = shell.candidates.slice(0, shell.count).filter((c) => c.s === 1);
      if (points.length === 0) continue;
      asked++;
      expect(Math.abs(Math.min(...points.map((c) => c.gap)) - near)).toBeLessThan(1e-6);
    }
    expect(asked).toBeGreaterThan(200);
  });
});

describe.each(KERNELS)('hair on a shell, %s', (kernel) => {
  it('lies on a plate of 4 mm: 0.4 mm deep at the impact, then at rest, its normal forces the weight less what the root carries', () => {
    const mesh = plate(0.3, 12, 0.004), shell = new Shell(mesh.triangles, mesh.positions, 0.001, 0.3), n = 16, strand = oneStrand(straight(n, 0.12, [1, 0, 0]).map(([x, y, z]) => [x - 0.06, y + 0.012, z + 0.003]), plainRod(6e-6, 1e-11), { kernel, hinged: true });
    // the root comes down to the plate as well, and is free to turn
    let deepest = Infinity;
    play(strand, shell, 96, () => mesh.positions, { damping: 4, each: () => { if (strand.root[1] > 0.001) strand.root[1] -= 2e-5; for (let i = 1; i < n; i++) deepest = Math.min(deepest, strand.point(i)[1]); } });
    expect(deepest).toBeGreaterThan(0.0006);
    const { k } = strand.system;
    let force = 0, speed = 0;
    for (let i = 1; i < n; i++) {
      for (let j = 0; j < 2; j++) { const e = strand.system.at(0, i, 2) + j * strand.system.lanes, v = strand.system.at(0, i, 6) + 3 * j * strand.system.lanes + strand.system.lanes; force += k.touchForce[e] * k.touchNormal[v]; }
      speed = Math.max(speed, Math.hypot(...strand.velocity(i)));
    }
    const weight = 6e-6 * g * 0.12;
    expect(Math.abs(force / weight - 1)).toBeLessThan(0.06); // the root carries half a segment of it
    expect(speed).toBeLessThan(5e-3);
    expect(strand.system.netUses).toBe(0);
  });
  it.each([[1.5, 4], [3, 8]])('cloth that leaps up at %f m/s is not passed: at most %i times a point is beyond, and none stays there', (speed, most) => {
    const mesh = sheet(0.4, 16), shell = new Shell(mesh.triangles, mesh.positions, 0.001, 0.3), n = 16, strand = oneStrand(straight(n, 0.15, [1, 0, 0]).map(([x, y, z]) => [x - 0.07, y + 0.16, z + 0.002]), plainRod(6e-6, 2e-9), { kernel });
    let wrong = 0, height = 0;
    // up in one frame, under the hair that hangs there; down again; and so on
    const y = (t: number): number => (Math.floor(t * 24 + 1e-9) % 12 >= 6 ? speed / 24 : 0);
    let substep = 0;
    play(strand, shell, 48, (f) => lifted(mesh, y(f / 24)), {
      each: () => {
        substep++;
        const f = Math.floor((substep - 1) / 8), s = substep / 8 - f;
        height = y(f / 24) + s * (y((f + 1) / 24) - y(f / 24));
        for (let i = 1; i < n; i++) if (strand.point(i)[1] < height) wrong++;
      },
    });
    expect(wrong).toBeLessThanOrEqual(most);
    for (let i = 1; i < n; i++) expect(strand.point(i)[1]).toBeGreaterThan(height);
  });
  it('what begins inside a closed shell comes out, and is not thrown', () => {
    const mesh = plate(0.3, 12, 0.008), shell = new Shell(mesh.triangles, mesh.positions, 0.001, 0.3), n = 12, strand = oneStrand(straight(n, 0.1, [1, 0, 0]).map(([x, y, z], i) => [x - 0.05, y + Math.max(-0.002, 0.006 - 0.003 * i), z + 0.003]), plainRod(6e-6, 2e-9), { kernel });
    let fastest = 0;
    play(strand, shell, 48, () => mesh.positions, { damping: 2, each: () => { for (let i = 1; i < n; i++) fastest = Math.max(fastest, Math.hypot(...strand.velocity(i))); } });
    expect(fastest).toBeLessThan(0.3);
    for (let i = 1; i < n; i++) expect(strand.point(i)[1]).toBeGreaterThan(0.0005);
  });
  it('that falls over the sharp edge of a plate, however it lies there, comes to rest: no point moves faster than 0.5 mm/s', () => {
    // 3 mm thick in the middle, as a blade at its rim
    const mesh = plate(0.08, 9, 0.003);
    for (let v = 0; v < mesh.positions.length; v += 3) if (mesh.positions[v + 1] < -0.001 && Math.max(Math.abs(mesh.positions[v]), Math.abs(mesh.positions[v + 2])) > 0.0399) mesh.positions[v + 1] = -0.0001;
    const shell = (): Shell => new Shell(mesh.triangles, mesh.positions, 0.001, 0.3), n = 12, random = makeRandom(11);
    let touching = 0, fastest = 0;
    for (let k = 0; k < 12; k++) {
      // rooted over the plate, or beside it, reaching across its edge
      const turn = 0.8 * (random() - 0.5), x = 0.02 + 0.03 * random(), y = 0.003 + 0.006 * random(), z = 0.04 * (random() - 0.5), way = x > 0.04 ? -1 : 1;
      const strand = oneStrand(straight(n, 0.05 + 0.06 * random(), [way * Math.cos(turn), 0, Math.sin(turn)]).map(([a, b, c]) => [a + x, b + y, c + z]), plainRod(6e-6, 2e-10), { kernel });
      let speed = 0, substep = 0;
      const finder = play(strand, shell(), 120, () => mesh.positions, { damping: 4, each: () => { if (++substep > 8 * 108) for (let i = 1; i < n; i++) speed = Math.max(speed, Math.hypot(...strand.velocity(i))); } });
      if (finder.touches[0] === 1) touching++;
      fastest = Math.max(fastest, speed);
    }
    expect(touching).toBeGreaterThan(6);
    expect(fastest).toBeLessThan(5e-4);
  });
});
