import { describe, expect, it } from 'vitest';
import { heavyElastica } from '../../../tests/helpers/elastica';
import { helix, pathLength } from '../../../tests/helpers/rod-cases';
import { straight } from '../../../tests/helpers/strands';
import { caseErrors, caseSchema, runCase, type CaseResult } from './sway-case';

const hair = { diameter: 7e-5, density: 1320, youngModulus: 4e9, shearModulus: 1.3e9 };
const area = (Math.PI * hair.diameter ** 2) / 4, EI = (hair.youngModulus * Math.PI * hair.diameter ** 4) / 64;
const line = (n: number, L: number, d: [number, number, number] = [1, 0, 0]): number[][] => straight(n, L, d);
function run(input: object): CaseResult & { frames: number[][][] } {
  const frames: number[][][] = [], c = caseSchema.parse({ fps: 24, frames: 1, ...input });
  const result = runCase(c, (points) => { frames.push(Array.from({ length: points.length / 3 }, (_, i) => Array.from(points.slice(3 * i, 3 * i + 3)))); });
  return { ...result, frames };
}
const turnAboutY = (a: number, x = 0): number[] => [Math.cos(a), 0, -Math.sin(a), 0, 0, 1, 0, 0, Math.sin(a), 0, Math.cos(a), 0, x, 0, 0, 1];
const errors = (input: object): string[] => { const r = caseSchema.safeParse({ fps: 24, frames: 2, ...input }); return r.success ? [] : caseErrors(r.error); };

describe('a case', () => {
  it.each(['float64', 'simd'])('%s: settles to the heavy elastica, clamped level whichever way it starts', (kernel) => {
    const L = ((10 * EI) / (hair.density * area * 9.81)) ** (1 / 3), reference = heavyElastica(10);
    const { frames, proof } = run({ settle: true, kernel, strands: [{ ...hair, points: line(32, L), rest: 'straight' }, { ...hair, points: line(32, L, [0, -1, 0]), rest: 'straight', rootDirection: [2, 0, 0] }] });
    expect(proof.settled).toBe(true);
    for (const tip of [frames[0][31], frames[0][63]]) expect(Math.hypot(tip[0] / L - reference.x, -tip[1] / L - reference.y)).toBeLessThan(0.002);
  });
  it('answers exactly the frames asked for, the first the pose, and says what it did', () => {
    const { frames, substeps, kernel, proof } = run({ frames: 7, substeps: 5, strands: [{ ...hair, points: line(12, 0.2) }] });
    expect(frames.length).toBe(7);
    expect(frames[0]).toEqual(line(12, 0.2));
    expect({ substeps, kernel }).toEqual({ substeps: 5, kernel: 'simd' });
    expect(proof.maxStretch).toBeLessThan(5e-4);
  });
  it('unloaded and without gravity, a strand takes its rest shape, whatever its clamp and start', () => {
    const curl = helix(24, 0.01, 0.04, 1), n = 24, still = { settle: true, gravity: [0, 0, 0], airDrag: 0 };
    const far = (a: number[][], b: number[][]): number => Math.max(...a.map((p, i) => Math.hypot(...p.map((v, c) => v - b[i][c])))) / pathLength(curl);
    expect(far(run({ ...still, strands: [{ ...hair, points: curl, rest: 'pose' }] }).frames[0], curl)).toBeLessThan(1e-4);
    // clamped along its own tangent at the root, pulled straight, then let go
    const c = 0.02 * Math.PI, pitch = 0.04, tangent = [0, -pitch, c].map((v) => v / Math.hypot(pitch, c)) as [number, number, number];
    const pulled = straight(n, pathLength(curl), tangent);
    expect(far(run({ ...still, strands: [{ ...hair, points: pulled, rest: curl, rootDirection: tangent }] }).frames[0], curl)).toBeLessThan(2e-3);
  });
  it('a calm start stays; without one the same curl sags', () => {
    const curl = helix(24, 0.012, 0.03, 2.5), strands = [{ ...hair, points: curl, rest: 'pose', youngModulus: 4e10, shearModulus: 1.3e10 }];
    const drift = (calmStart: boolean): number => { const { frames } = run({ frames: 120, calmStart, strands }); return Math.max(...frames[119].map((p, i) => Math.hypot(...p.map((v, c) => v - curl[i][c])))) / pathLength(curl); };
    expect(drift(true)).toBeLessThan(1e-4);
    expect(drift(false)).toBeGreaterThan(0.01);
  });
  it('says what share hold carries where a pose is far too soft', () => {
    const { proof, frames } = run({ frames: 48, calmStart: true, strands: [{ ...hair, youngModulus: 4e6, shearModulus: 1e6, points: line(16, 0.3) }] });
    expect(proof.heldShare).toBeGreaterThan(0.9);
    expect(Math.abs(frames[47][15][1])).toBeLessThan(1e-4);
  });
  it('roots follow the matrices: on a circle while turning, straight while sliding', () => {
    const points = line(8, 0.1, [0, -1, 0]).map(([x, y, z]) => [x + 0.1, y, z]), rootMotion = Array.from({ length: 5 }, (_, f) => turnAboutY(0.3 * f));
    const { frames } = run({ frames: 5, rootMotion, strands: [{ ...hair, points }] });
    frames.forEach((f, i) => { expect(f[0][0]).toBeCloseTo(0.1 * Math.cos(0.3 * i), 6); expect(f[0][2]).toBeCloseTo(-0.1 * Math.sin(0.3 * i), 6); });
  });
  it('held by 1 it moves rigidly; pinned at both ends the tip stays', () => {
    const points = line(10, 0.1), rootMotion = Array.from({ length: 4 }, (_, f) => turnAboutY(0.2 * f, 0.01 * f));
    const rigid = run({ frames: 4, rootMotion, strands: [{ ...hair, points, hold: 1 }] }).frames[3];
    rigid.forEach((p, i) => expect(Math.hypot(p[0] - (points[i][0] * Math.cos(0.6) + 0.03), p[1], p[2] + points[i][0] * Math.sin(0.6))).toBeLessThan(1e-6));
    const slack = helix(20, 0.01, 0.02, 2), moved = run({ frames: 12, rootMotion: Array.from({ length: 12 }, (_, f) => turnAboutY(0, 0.001 * f)), strands: [{ ...hair, points: slack, tip: 'pinned' }] }).frames;
    for (const f of moved) slack[19].forEach((v, c) => expect(f[19][c]).toBeCloseTo(v, 5));
    expect(moved[11][0][0]).toBeCloseTo(0.011, 6);
  });
  it('a hinged strand swings where a clamped one stands off', () => {
    const tip = (root: string): number => run({ settle: true, strands: [{ ...hair, youngModulus: 4e12, points: line(10, 0.05), rest: 'straight', root }] }).frames[0][9][1];
    expect(tip('clamped')).toBeGreaterThan(-0.001);
    expect(tip('hinged')).toBeLessThan(-0.049);
  });
  it('lies on a ball and a pill, each with its own gap', () => {
    const { frames, proof } = run({ settle: true, strands: [{ ...hair, points: line(24, 0.2).map(([x, y, z]) => [x, y + 0.06, z]), rest: 'straight' }], colliders: [{ kind: 'ball', center: [0.06, 0, 0], radius: 0.05, gap: 0.002 }, { kind: 'pill', a: [0.14, 0, -0.1], b: [0.14, 0, 0.1], radiusA: 0.03, radiusB: 0.03 }] });
    const nearest = Math.min(...frames[0].slice(1).map((p) => Math.hypot(p[0] - 0.06, p[1], p[2]) - 0.05));
    expect(nearest).toBeGreaterThan(0.0018);
    expect(nearest).toBeLessThan(0.003);
    expect(proof.maxDepth).toBeLessThan(1e-4);
  });
  it('lies on a shell, given in a row or in threes, and is lifted by one that moves', () => {
    const n = 9, positions: number[] = [], triangles: number[] = [];
    for (let z = 0; z <= n; z++) for (let x = 0; x <= n; x++) positions.push(0.3 * (x / n - 0.3), 0, 0.3 * (z / n - 0.5));
    for (let z = 0; z < n; z++) for (let x = 0; x < n; x++) { const a = z * (n + 1) + x, b = a + n + 1; triangles.push(a, b, a + 1, a + 1, b, b + 1); }
    const three = (list: number[]): number[][] => Array.from({ length: list.length / 3 }, (_, i) => list.slice(3 * i, 3 * i + 3)), strands = [{ ...hair, points: line(16, 0.15).map(([x, y, z]) => [x, y + 0.03, z + 0.001]), rest: 'straight' }];
    const flat = run({ settle: true, strands, colliders: [{ kind: 'shell', positions, triangles, gap: 0.002 }] }), nested = run({ settle: true, strands, colliders: [{ kind: 'shell', positions: three(positions), triangles: three(triangles), gap: 0.002 }] });
    expect(nested.frames).toEqual(flat.frames);
    expect(Math.min(...flat.frames[0].map((p) => p[1]))).toBeGreaterThan(0.0018);
    expect(flat.frames[0][15][1]).toBeLessThan(0.004);
    expect(flat.proof.maxDepth).toBe(0);
    // up by 5 cm in ten frames, beyond where the hair's tip hung
    const frames = Array.from({ length: 24 }, (_, f) => positions.map((v, i) => (i % 3 === 1 ? v - 0.06 + 0.005 * Math.min(f, 16) : v)));
    const lifted = run({ frames: 24, strands, colliders: [{ kind: 'shell', positions, triangles, frames }] });
    expect(Math.min(...lifted.frames[23].slice(1).map((p) => p[1]))).toBeGreaterThan(0.0195);
    expect(lifted.proof.netUses).toBe(0);
    expect(lifted.proof.maxDepth).toBeLessThan(5e-4);
  });
  it('strands of many point counts come back in their order', () => {
    const counts = [5, 16, 2, 9, 16, 31, 16, 16], { frames } = run({ frames: 3, strands: counts.map((n, i) => ({ ...hair, points: line(n, 0.1).map(([x, y, z]) => [x, y, z + i]) })) });
    let at = 0;
    for (const [i, n] of counts.entries()) { for (let k = 0; k < n; k++) expect(Math.abs(frames[2][at + k][2] - i)).toBeLessThan(1e-6); at += n; }
  });
  it('warns where float32 is asked for and cannot do', () => {
    const stiff = { ...hair, diameter: 2e-3, points: line(80, 0.05) };
    expect(run({ frames: 2, kernel: 'simd', strands: [stiff] }).warning).toMatch(/strands\[0\]: too stiff/);
    expect(run({ frames: 2, strands: [stiff] })).toMatchObject({ kernel: 'float64', warning: undefined });
  });
});

describe('a case that is wrong', () => {
  const strands = [{ ...hair, points: line(4, 0.1) }];
  it.each([
    [{ strands: [strands[0], strands[0], { ...strands[0], diameter: -1 }] }, /^strands\[2\]\.diameter: /],
    [{ strands: [{ ...strands[0], points: [[0, 0, 0], [1, 0, 0], [1, 0, 0]] }] }, /^strands\[0\]\.points\[2\]: lies on the point before it/],
    [{ strands: [{ ...strands[0], points: [[0, 0, 0], [1, 0, null]] }] }, /^strands\[0\]\.points\[1\]\[2\]: /],
    [{ strands: [{ ...strands[0], rest: [[0, 0, 0], [1, 0, 0]] }] }, /^strands\[0\]\.rest: has 2 points, but the strand has 4/],
    [{ strands: [{ ...strands[0], hold: [0, 1] }] }, /^strands\[0\]\.hold: has 2 values/],
    [{ strands: [{ ...strands[0], rootDirection: [0, 0, 0] }] }, /^strands\[0\]\.rootDirection: has no length/],
    [{ strands, airdrag: 2 }, /^airdrag: no such setting/],
    [{ strands, fps: 'fast' }, /^fps: expected number, received string/],
    [{ strands, kernel: 'gpu' }, /^kernel: /],
    [{ strands, rootMotion: [turnAboutY(0)] }, /^rootMotion: has 1 matrices, but 2 frames/],
    [{ strands, rootMotion: [turnAboutY(0), turnAboutY(0).map((v) => 2 * v)] }, /^rootMotion\[1\]: is not a rigid motion/],
    [{ strands, rootMotion: [turnAboutY(0), [-1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]] }, /^rootMotion\[1\]: is a mirror image/],
    [{ strands, colliders: [{ kind: 'cone' }] }, /^colliders\[0\]\.kind: must be "ball"/],
    [{ strands, colliders: [{ kind: 'shell', positions: [0, 0], triangles: [0, 1, 2] }] }, /^colliders\[0\]\.positions: must be x, y, z of each vertex/],
    [{ strands, colliders: [{ kind: 'shell', positions: [[0, 0, 0], [1, 0, 0], [0, 1, 0]], triangles: [[0, 1, 3]] }] }, /^colliders\[0\]\.triangles: names vertex 3, but there are 3/],
    [{ strands, colliders: [{ kind: 'shell', positions: [[0, 0, 0], [1, 0, 0], [0, 1, 0]], triangles: [0, 1, 2], frames: [[0, 0, 0]] }] }, /^colliders\[0\]\.frames\[0\]: has 1 vertices, but the shell has 3/],
    [{ strands: [] }, /^strands: /],
    [{}, /^strands: /],
  ])('%#: says where', (input, message) => {
    const found = errors(input);
    expect(found.length).toBeGreaterThan(0);
    expect(found[0]).toMatch(message);
  });
});
