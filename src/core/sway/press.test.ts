import { describe, expect, it, vi } from 'vitest';
import { packFrames, unpackFrames } from '../bake/frame-codec';
import { packRun, unpackRun } from '../bake/run-state';
import { newDocument, type SwaySettings } from '../document/schema';
import type { Planting } from '../groom/planting';
import { makeRandom } from '../math/random';
import type { Character, CharacterMesh, Clip } from '../mesh/character';
import { STRAND_NUMBERS } from '../proof/strand-meter';
import { newSheet } from './cloth';
import { PRESS_NUMBERS } from './press';
import { RodSystem } from './rod-system';
import { SwayRun } from './run';
import type { Scene } from './scene';
import { SheetGrid } from './sheet';
import { Shell } from './shell';
import { LoadTaker, SheetLoad, type SheetLoadSettings } from './sheet-load';

const POINTS = 16, LENGTH = 0.3;
function mesh(name: string, role: CharacterMesh['role'], node: number, P: number[], T: number[]): CharacterMesh {
  return { name, role, node, skin: -1, positions: Float32Array.from(P), normals: new Float32Array(P.length), triangles: Uint32Array.from(T), colors: new Float32Array(0), joints: new Uint16Array(0), weights: new Float32Array(0), hair: new Float32Array(0), groups: [{ material: 0, first: 0, count: T.length / 3 }], morphs: [], morphRest: new Float32Array(0) };
}
/** Level cloth of `n` × `n` fields at y = 0 beyond x = 0, on a node of its own, and a little level scalp before it, as high above as hair keeps. */
function cloth(n = 8): { character: Character; scalp: CharacterMesh } {
  const P: number[] = [], T: number[] = [];
  for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) P.push((0.5 * i) / n, 0, 0.5 * (j / n - 0.5));
  for (let j = 0; j < n; j++) for (let i = 0; i < n; i++) { const a = j * (n + 1) + i; T.push(a, a + n + 1, a + 1, a + 1, a + n + 1, a + n + 2); }
  const scalp = mesh('scalp', 'body', 0, [-0.02, 0.001, -0.2, -0.02, 0.001, 0.2, 0.001, 0.001, 0], [0, 1, 2]);
  return { scalp, character: { nodes: [{ name: 'still', parent: -1, translation: [0, 0, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }, { name: 'table', parent: -1, translation: [0, 0, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }], skins: [], materials: [{ name: 'plain', color: [1, 1, 1], roughness: 1, metalness: 0, twoSided: true }], meshes: [scalp, mesh('cloth', 'garment', 1, P, T)], clips: [] } };
}
/** Hair that lies straight out over it. */
function lying(guides: number, change: Partial<SwaySettings> = {}, clip: Clip | null = null): Scene {
  const { character, scalp } = cloth(), planting: Planting = { faces: new Uint32Array(guides), weights: new Float32Array(2 * guides) }, offsets = new Float32Array(3 * POINTS * guides), document = newDocument('scalp', { clip: '', start: 0, end: 24, fps: 24, cyclic: false });
  for (let g = 0; g < guides; g++) {
    const w = (g + 0.5) / guides;
    planting.weights.set([0.3 * w, 0.69], 2 * g);
    for (let i = 0; i < POINTS; i++) offsets.set([(LENGTH * i) / (POINTS - 1), 0, 0], 3 * (g * POINTS + i));
  }
  Object.assign(document.sway, { hold: 0, calmStart: false, damping: 6, airDrag: 0, skinGapMm: 1, roles: { body: 'off', garment: 'shell', accessory: 'off', prop: 'off', carrier: 'off' }, ...change });
  return { character, mesh: scalp, clip, shot: document.shot, planting, offsets, pointCount: POINTS, hidden: [], settings: document.sway };
}
/** Force of all presses, and weight of all points that move. */
function sums(run: SwayRun, presses: Float32Array): { force: number[]; weight: number } {
  const force = [0, 0, 0];
  for (let o = 0; o < presses.length; o += PRESS_NUMBERS) for (let c = 0; c < 3; c++) force[c] += presses[o + 4 + c];
  let mass = 0;
  const { system } = run;
  for (let s = 0; s < system.strandCount; s++) for (let i = 1; i < system.pointsOf(s); i++) mass += system.k.mass[system.at(s, i, 1)];
  return { force, weight: 9.81 * mass };
}

describe('what hair presses on clothes by', () => {
  it('is its weight where it lies on them, at the places it lies at', () => {
    const run = new SwayRun(lying(6), -1);
    for (let f = 0; f < 40; f++) run.advance();
    const presses = run.shownPresses()!, { force, weight } = sums(run, presses);
    // the scalp carries what is left of the first edge
    expect(Math.abs(-force[1] / weight - 1)).toBeLessThan(0.05);
    expect(Math.abs(force[0]) + Math.abs(force[2])).toBeLessThan(0.05 * weight);
    const points = run.positions();
    for (let o = 0; o < presses.length; o += PRESS_NUMBERS) {
      expect(presses[o]).toBe(1);
      expect(Math.abs(presses[o + 2])).toBeLessThan(1e-6);
      let near = Infinity;
      for (let p = 0; p < points.length; p += 3) near = Math.min(near, Math.hypot(points[p] - presses[o + 1], points[p + 2] - presses[o + 3]));
      expect(near).toBeLessThan(LENGTH / (POINTS - 1));
    }
  });
  it('is what slows the cloth’s friction: cloth that is drawn away takes hair along, and is held back by as much', () => {
    // hair that lies still on cloth that goes sideways at a constant speed slides on it: friction is μ times what presses (Coulomb)
    const clip: Clip = { name: 'away', duration: 2, channels: [{ node: 1, path: 'translation', interpolation: 'LINEAR', times: Float32Array.of(0, 2), values: Float32Array.of(0, 0, 0, 0.3, 0, 0) }] };
    const run = new SwayRun(lying(4, { friction: 0.4, damping: 0 }, clip), -1);
    for (let f = 0; f < 20; f++) run.advance();
    const { force } = sums(run, run.shownPresses()!);
    expect(force[0] / force[1]).toBeCloseTo(0.4, 1);
    expect(force[0]).toBeLessThan(0);
  });
  it('is none of the body’s, nor where nothing is worn; the same in shares and after a state is taken up', () => {
    const bare = lying(4);
    expect(new SwayRun({ ...bare, settings: { ...bare.settings, meshRoles: { cloth: 'body' }, roles: { ...bare.settings.roles, body: 'shell' } } }, -1).shownPresses()).toBeNull();
    const a = new SwayRun(lying(8), -1), parts = [[0, 4], [4, 8]].map(([from, to]) => new SwayRun(lying(8), -1, { from, to })), b = new SwayRun(lying(8), -1);
    for (let f = 0; f < 9; f++) { a.advance(); for (const p of parts) p.advance(); }
    expect(Float32Array.from(parts.flatMap((p) => [...p.shownPresses()!]))).toEqual(a.shownPresses());
    unpackRun(b, packRun(a));
    b.frame = a.frame;
    a.advance(); b.advance();
    expect(b.shownPresses()).toEqual(a.shownPresses());
  });
  it('is kept with the frames, to a micronewton and a tenth of a millimetre', () => {
    const run = new SwayRun(lying(5), -1), frames = [];
    for (let f = 0; f < 14; f++) { run.advance(); frames.push({ points: run.positions(), strands: run.strandNumbers.slice(), presses: run.shownPresses()! }); }
    const back = unpackFrames(packFrames(frames, 3, POINTS)).frames;
    frames.forEach(({ presses }, k) => {
      const got = back.get(k + 3)!.presses!;
      expect(got.length).toBe(presses.length);
      presses.forEach((v, o) => expect(Math.abs(got[o] - v)).toBeLessThanOrEqual(o % PRESS_NUMBERS === 0 ? 0 : o % PRESS_NUMBERS < 4 ? 5.1e-5 : 5.1e-7));
    });
    expect(unpackFrames(packFrames(frames.map(({ points, strands }) => ({ points, strands })), 0, POINTS)).frames.get(0)!.presses).toBeUndefined();
    expect(frames[0].strands.length).toBe(5 * STRAND_NUMBERS);
  });
});

describe('cloth that comes and goes', () => {
  // a cloth that sweeps up from below through where the hair hangs, on and away again: mostly far, at times near
  const keys = [0, 0.25, 0.5, 0.75, 1], clip: Clip = { name: 'sweep', duration: 1, channels: [{ node: 1, path: 'translation', interpolation: 'LINEAR', times: Float32Array.from(keys), values: Float32Array.from(keys.flatMap((t) => [0, -0.25 + 0.25 * Math.sin(2 * Math.PI * t), 0])) }] };
  const sweep = (): Scene => { const s = lying(6, { damping: 2 }, clip); return { ...s, shot: { ...s.shot, clip: 'sweep' } }; };
  it('is asked only by strands it could meet in a frame, and hair moves as if all of them asked', () => {
    const near = vi.spyOn(Shell.prototype, 'mayMeet'), few = new SwayRun(sweep(), -1), frames: Float32Array[] = [];
    for (let f = 0; f < 24; f++) { few.advance(); frames.push(few.positions()); }
    const answers = near.mock.results.map((r) => r.value as boolean), far = answers.filter((a) => !a).length;
    expect(far).toBeGreaterThan(0.3 * answers.length);
    expect(far).toBeLessThan(answers.length);
    near.mockImplementation(() => true);
    const all = new SwayRun(sweep(), -1);
    frames.forEach((points, f) => { all.advance(); points.forEach((v, k) => expect(Math.abs(v - all.positions()[k]), `frame ${f}`).toBeLessThan(1e-6)); });
    near.mockRestore();
    expect(few.system.netUses).toBe(0);
  });
  it('a strand that was let go of is met again when it comes back, on the side it was on', () => {
    const run = new SwayRun(sweep(), -1);
    let pressed = 0, bare = 0, deepest = 0;
    for (let f = 0; f < 48; f++) { const m = run.advance(); deepest = Math.max(deepest, m.depth); if (run.shownPresses()!.length > 0) pressed++; else bare++; }
    expect(pressed).toBeGreaterThan(8);
    expect(bare).toBeGreaterThan(8);
    expect(deepest).toBeLessThan(5e-4);
  });
});

describe('hair on a sheet', () => {
  const lines = 4, points = 5, P = [...Array(lines).keys()].flatMap((g) => [...Array(points).keys()].flatMap((i) => [0.1 * g, 1 - 0.08 * i, 0.01 * g * i])), grid = new SheetGrid(newSheet('silk', false), P, lines, points);
  it('is laid on it whole, near where it pressed; what lies elsewhere is told', () => {
    const random = makeRandom(9), taker = new LoadTaker(P, lines, points, grid.next, new Set([3])), many: number[] = [], want = [0, 0, 0], turn = [0, 0, 0], spun = [0, 0, 0];
    for (let n = 0; n < 200; n++) {
      const u = 3 * random(), s = 4 * random(), g = Math.min(2, Math.floor(u)), i = Math.min(3, Math.floor(s)), at = [0, 1, 2].map((c) => { const a = (x: number, y: number): number => P[3 * (x * points + y) + c], p = u - g, q = s - i; return (1 - p) * ((1 - q) * a(g, i) + q * a(g, i + 1)) + p * ((1 - q) * a(g + 1, i) + q * a(g + 1, i + 1)); }), F = [random() - 0.5, -random(), random() - 0.5];
      many.push(3, ...at, ...F);
      for (let c = 0; c < 3; c++) { want[c] += F[c]; turn[c] += at[(c + 1) % 3] * F[(c + 2) % 3] - at[(c + 2) % 3] * F[(c + 1) % 3]; }
    }
    // of another mesh, and far from any line
    many.push(0, 0.1, 1, 0, 0, -50, 0, 3, 5, 5, 5, 0, -7, 0);
    const out = new Float32Array(3 * lines * points);
    taker.into(Float32Array.from(many), out);
    for (let c = 0; c < 3; c++) { let sum = 0; for (let p = c; p < out.length; p += 3) sum += out[p]; expect(Math.abs(sum - want[c])).toBeLessThan(1e-4 * 100); }
    for (let p = 0; p < out.length; p += 3) for (let c = 0; c < 3; c++) spun[c] += P[p + (c + 1) % 3] * out[p + (c + 2) % 3] - P[p + (c + 2) % 3] * out[p + (c + 1) % 3];
    for (let c = 0; c < 3; c++) expect(Math.abs(spun[c] - turn[c])).toBeLessThan(0.02 * Math.hypot(...turn));
    expect(taker.elsewhere).toBeCloseTo(7, 6);
    expect(taker.taken).toBeGreaterThan(100);
  });
  it('goes to the line that is nearest of all and the nearer of its neighbours, on sheets of any shape', () => {
    const random = makeRandom(4);
    for (let round = 0; round < 12; round++) {
      const L = 3 + Math.floor(5 * random()), N = 3 + Math.floor(4 * random()), around = round % 2 === 1, Q = [...Array(L).keys()].flatMap((g) => [...Array(N).keys()].flatMap((i) => { const a = (2 * Math.PI * g) / L; return around ? [0.2 * Math.cos(a) + 0.02 * random(), -0.1 * i, 0.2 * Math.sin(a) + 0.02 * random()] : [0.1 * g + 0.03 * random(), -0.1 * i, 0.05 * random()]; })), next = new SheetGrid(newSheet('silk', around), Q, L, N).next;
      const taker = new LoadTaker(Q, L, N, next, new Set([0])), at = (g: number, i: number, t: number, c: number): number => Q[3 * (g * N + i) + c] + t * (Q[3 * (g * N + i + 1) + c] - Q[3 * (g * N + i) + c]);
      /** Distance of a place to a line, by many places on it. */
      const far = (g: number, x: number[]): number => { let least = Infinity; for (let i = 0; i < N - 1; i++) for (let t = 0; t <= 1; t += 0.01) least = Math.min(least, Math.hypot(...[0, 1, 2].map((c) => at(g, i, t, c) - x[c]))); return least; };
      for (let k = 0; k < 20; k++) {
        const g = Math.floor(L * random()), i = Math.floor((N - 1) * random()), x = [0, 1, 2].map((c) => at(g, i, random(), c) + 0.04 * (random() - 0.5)), out = new Float32Array(3 * L * N), distances = [...Array(L).keys()].map((l) => far(l, x)), first = distances.indexOf(Math.min(...distances)), beside = [...Array(L).keys()].filter((l) => l !== first && (next[l] === first || next[first] === l)), second = beside.reduce((a, b) => (distances[b] < distances[a] ? b : a));
        taker.into([0, ...x, 0, -1, 0], out);
        const shares = [...Array(L).keys()].map((l) => { let sum = 0; for (let q = 0; q < N; q++) sum -= out[3 * (l * N + q) + 1]; return sum; });
        expect(shares.reduce((a, b) => a + b, 0)).toBeCloseTo(1, 5);
        shares.forEach((s, l) => { if (l !== first && l !== second) expect(s).toBe(0); });
        expect(shares[first]).toBeCloseTo(distances[second] / (distances[first] + distances[second]), 1);
      }
      expect(taker.elsewhere).toBe(0);
    }
  });
  it('gives its points just its impulse, in the turn of where they are computed; never those that are fixed', () => {
    const system = new RodSystem(new Int32Array(lines).fill(points)), { k } = system, settings: SheetLoadSettings = { forces: 'a'.repeat(64), from: 'hair', on: true, share: 0.5, first: 10, frames: 3, fps: 24, cyclic: false, lines, points }, forces = Float32Array.from({ length: 3 * lines * points * 3 }, (_, q) => Math.sin(q)), turned = [0, Math.SQRT1_2, 0, Math.SQRT1_2, 0, 0, 0];
    for (let s = 0; s < lines; s++) for (let i = 0; i < points; i++) { k.mass[system.at(s, i, 1)] = 0.001 * (1 + i); k.fixed[system.at(s, i, 1)] = s === 1 && i === 2 ? 1 : 0; }
    const momentum = (): number[] => [0, 1, 2].map((c) => { let t = 0; for (let s = 0; s < lines; s++) for (let i = 1; i < points; i++) t += k.mass[system.at(s, i, 1)] * k.v[system.at(s, i, 3) + c * system.lanes]; return t; });
    const load = SheetLoad.of(forces, settings, lines, points)!, h = 1 / 192;
    for (const [time, frame] of [[5 / 24, 0], [10 / 24, 0], [10.5 / 24, 1], [11 / 24, 1], [90 / 24, 2]]) {
      const before = momentum(), want = [0, 0, 0];
      load.act(system, h, time, turned);
      for (let s = 0; s < lines; s++) for (let i = 1; i < points; i++) if (!(s === 1 && i === 2)) { const o = 3 * (lines * points * frame + s * points + i); want[0] += 0.5 * h * -forces[o + 2]; want[1] += 0.5 * h * forces[o + 1]; want[2] += 0.5 * h * forces[o]; }
      momentum().forEach((m, c) => expect(Math.abs(m - before[c] - want[c])).toBeLessThan(1e-12));
    }
    expect(k.v[system.at(1, 2, 3)]).toBe(0);
    // a loop goes round; other lines are not these
    const round = SheetLoad.of(forces, { ...settings, cyclic: true }, lines, points)!, before = momentum();
    round.act(system, h, 13 / 24, [0, 0, 0, 1]);
    let first = 0;
    for (let s = 0; s < lines; s++) for (let i = 1; i < points; i++) if (!(s === 1 && i === 2)) first += 0.5 * h * forces[3 * (s * points + i)];
    expect(momentum()[0] - before[0]).toBeCloseTo(first, 12);
    expect(SheetLoad.of(forces, settings, lines + 1, points)).toBeNull();
    expect(SheetLoad.of(forces.subarray(3), settings, lines, points)).toBeNull();
  });
});
