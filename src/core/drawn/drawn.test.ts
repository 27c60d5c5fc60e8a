import { describe, expect, it } from 'vitest';
import { poseCharacter, restPositions, skinPositions, type Character, type CharacterMesh } from '../mesh/character';
import { evened, jointNames, newDrawn, STILL, troubleWithDrawn, type Drawn } from './drawn';
import { halfWay } from './half-way';
import { Surface } from '../mesh/surface';
import { differenceOf, influencesOf, packInfluences, thicknessOf } from './influences';
import { fineLine, Room, WayMesh } from './mesh-ways';
import { ChainShape, heldPlaces } from '../chain/chain-pose';
import { plantChains } from '../chain/chains';
import { givenNames, givenOf, withDrawn } from './with-drawn';

type Cell = [number, number, number];
/** The closed surface of cubes that share faces, each `h` m wide. */
function cubes(cells: readonly Cell[], h: number): { positions: Float32Array; triangles: Uint32Array } {
  const filled = new Set(cells.map((c) => c.join())), positions: number[] = [], triangles: number[] = [], at = new Map<string, number>();
  const vertex = (c: Cell): number => { const key = c.join(); let v = at.get(key); if (v === undefined) { v = positions.length / 3; positions.push(...c.map((x) => x * h)); at.set(key, v); } return v; };
  for (const c of cells) for (let axis = 0; axis < 3; axis++) for (const side of [0, 1]) {
    const next: Cell = [...c];
    next[axis] += side === 1 ? 1 : -1;
    if (filled.has(next.join())) continue;
    const [u, w] = [(axis + 1) % 3, (axis + 2) % 3], corner = (a: number, b: number): number => { const p: Cell = [...c]; p[axis] += side; p[u] += a; p[w] += b; return vertex(p); }, q = side === 1 ? [corner(0, 0), corner(1, 0), corner(1, 1), corner(0, 1)] : [corner(0, 0), corner(0, 1), corner(1, 1), corner(1, 0)];
    triangles.push(q[0], q[1], q[2], q[0], q[2], q[3]);
  }
  return { positions: Float32Array.from(positions), triangles: Uint32Array.from(triangles) };
}
const box = (x: [number, number], y: [number, number], z: [number, number]): Cell[] => { const out: Cell[] = []; for (let i = x[0]; i < x[1]; i++) for (let j = y[0]; j < y[1]; j++) for (let k = z[0]; k < z[1]; k++) out.push([i, j, k]); return out; };
function character(meshes: { name: string; positions: Float32Array; triangles: Uint32Array }[]): Character {
  const plain = (m: (typeof meshes)[number]): CharacterMesh => ({ ...m, role: 'accessory', node: 1, skin: -1, normals: new Float32Array(m.positions.length), colors: new Float32Array(0), joints: new Uint16Array(0), weights: new Float32Array(0), hair: new Float32Array(0), groups: [{ material: 0, first: 0, count: m.triangles.length / 3 }], morphs: [], morphRest: new Float32Array(0) });
  return { nodes: [{ name: 'hips', parent: -1, translation: [0, 1, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }, { name: 'head', parent: 0, translation: [0.1, 0.5, 0], rotation: [0, 0, Math.SQRT1_2, Math.SQRT1_2], scale: [2, 2, 2] }], skins: [], materials: [{ name: 'plain', color: [1, 1, 1], roughness: 1, metalness: 0, twoSided: false }], meshes: meshes.map(plain), clips: [] };
}
const none = new Map<string, Float32Array>();
/** Two prongs hanging from a bridge, one cell apart. */
const FORK = [...box([0, 2], [0, 20], [0, 2]), ...box([3, 5], [0, 20], [0, 2]), ...box([0, 5], [20, 23], [0, 2])];

describe('a click through a mesh', () => {
  const blocks = (...spans: [number, number][]): Surface => { const P: number[] = [], T: number[] = []; for (const [from, to] of spans) { const c = cubes([[0, 0, 0]], 1), first = P.length / 3; for (let v = 0; v < c.positions.length; v += 3) P.push(c.positions[v], c.positions[v + 1], from + (to - from) * c.positions[v + 2]); T.push(...c.triangles.map((v) => v + first)); } return new Surface(Float64Array.from(P), Uint32Array.from(T)); };
  const depth = (s: Surface): number => halfWay(s, [0.3, 0.4, -5], [0, 0, 1])!.point[2];
  it('is half way to where it is out again, of parts that lie in one another too', () => {
    expect(depth(blocks([0, 1]))).toBeCloseTo(0.5, 5);
    // three strands of a plait, one into the other, one just behind; what is far behind is another thing
    expect(depth(blocks([0, 1], [0.8, 1.6], [1.7, 2], [4, 6]))).toBeCloseTo(1, 5);
    expect(depth(blocks([0, 2], [0.5, 1]))).toBeCloseTo(1, 5);
    expect(halfWay(blocks([0, 1]), [0.3, 0.4, 5], [0, 0, 1])).toBeNull();
  });
  it('of open meshes is half way to the next face, or on the only one', () => {
    const card = (...at: [number, boolean][]): Surface => new Surface(Float64Array.from(at.flatMap(([z]) => [0, 0, z, 1, 0, z, 0, 1, z])), Uint32Array.from(at.flatMap(([, turned], k) => turned ? [3 * k, 3 * k + 2, 3 * k + 1] : [3 * k, 3 * k + 1, 3 * k + 2])));
    expect(depth(card([0, true]))).toBeCloseTo(0, 6);
    for (const turned of [true, false]) expect(depth(card([0, turned], [1, turned], [3, turned]))).toBeCloseTo(0.5, 5);
  });
});

describe('ways over and through meshes', () => {
  it('along the surface are those of a plane, and great circles of a sphere, within 2 %', () => {
    const n = 40, P: number[] = [], T: number[] = [];
    for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) P.push(i / n, j / n, 0);
    for (let j = 0; j < n; j++) for (let i = 0; i < n; i++) { const a = j * (n + 1) + i; T.push(a, a + 1, a + n + 2, a, a + n + 2, a + n + 1); }
    const plane = new WayMesh(P, T), ways = plane.along(fineLine([0, 0, 0, 1e-9, 0, 0], 1));
    let worst = 0;
    for (let v = 0; v < P.length / 3; v++) { const d = Math.hypot(P[3 * v], P[3 * v + 1]); if (d > 0.2) worst = Math.max(worst, Math.abs(ways.distance[v] / d - 1)); }
    expect(worst).toBeLessThan(0.02);
    const S: number[] = [], F: number[] = [], rows = 48, columns = 96;
    for (let j = 0; j <= rows; j++) for (let i = 0; i < columns; i++) { const a = (Math.PI * j) / rows, b = (2 * Math.PI * i) / columns; S.push(Math.sin(a) * Math.cos(b), Math.cos(a), Math.sin(a) * Math.sin(b)); }
    for (let j = 0; j < rows; j++) for (let i = 0; i < columns; i++) { const a = j * columns + i, b = j * columns + ((i + 1) % columns); F.push(a, b, b + columns, a, b + columns, a + columns); }
    const sphere = new WayMesh(S, F), from = sphere.along(fineLine([0, 1, 0, 0, 1 + 1e-9, 0], 1));
    worst = 0;
    for (let v = 0; v < S.length / 3; v++) { const d = Math.acos(Math.min(1, Math.max(-1, S[3 * v + 1]))); if (d > 0.3) worst = Math.max(worst, Math.abs(from.distance[v] / d - 1)); }
    expect(worst).toBeLessThan(0.02);
    expect([plane.closed, sphere.closed]).toEqual([false, true]);
  });
  it('through the inside go round what is outside', () => {
    const { positions, triangles } = cubes(FORK, 0.01), mesh = new WayMesh(positions, triangles), room = new Room(mesh);
    expect([mesh.closed, mesh.parts]).toEqual([true, 1]);
    // from the foot of one prong to the foot of the other: up, over the bridge, down; in the plane of its middle at the least
    const ways = mesh.inside(fineLine([0.01, 0.005, 0.01, 0.01, 0.0051, 0.01], 1e-3), room), foot = [...positions].findIndex((_, k) => k % 3 === 0 && Math.abs(positions[k] - 0.04) < 1e-6 && positions[k + 1] < 1e-6) / 3, shortest = Math.hypot(0.01, 0.195) + 0.01 + Math.hypot(0.01, 0.2);
    expect(ways.distance[foot] / shortest).toBeGreaterThan(0.97);
    expect(ways.distance[foot] / shortest).toBeLessThan(1.1);
    // and not as the crow flies
    expect(ways.distance[foot]).toBeGreaterThan(5 * Math.hypot(0.03, 0.005));
  });
  it('go through where closed parts lie in one another, and not where they only touch outside', () => {
    const join = (...m: { positions: Float32Array; triangles: Uint32Array }[]): WayMesh => { const P: number[] = [], T: number[] = []; for (const x of m) { const first = P.length / 3; P.push(...x.positions); T.push(...[...x.triangles].map((v) => v + first)); } return new WayMesh(P, T); };
    const shifted = (m: { positions: Float32Array; triangles: Uint32Array }, x: number): typeof m => ({ ...m, positions: m.positions.map((v, k) => (k % 3 === 0 ? v + x : v)) }), bar = cubes(box([0, 10], [0, 2], [0, 2]), 0.01), into = join(bar, shifted(bar, 0.0613)), apart = join(bar, shifted(bar, 0.1113)), line = fineLine([0.002, 0.01, 0.01, 0.0021, 0.01, 0.01], 1e-3);
    const far = (m: WayMesh, x: number): number => { let d = Infinity; for (let v = 0; v < m.count; v++) if (Math.abs(m.positions[3 * v] - x) < 1e-6) d = Math.min(d, m.inside(line, new Room(m)).distance[v]); return d; };
    expect(far(into, 0.1613)).toBeGreaterThan(0.158);
    expect(far(into, 0.1613)).toBeLessThan(0.172);
    expect(new Room(apart).ways(line).distance.filter((d) => d < Infinity).every((d) => d < 0.11)).toBe(true);
  });
  it('begin on a tube all round a line in its middle', () => {
    const { positions, triangles } = cubes(box([0, 4], [0, 30], [0, 4]), 0.005), mesh = new WayMesh(positions, triangles);
    for (const ways of [mesh.along(fineLine([0.01, 0.15, 0.01, 0.01, 0, 0.01], 0.002)), mesh.inside(fineLine([0.01, 0.15, 0.01, 0.01, 0, 0.01], 0.002), new Room(mesh))]) {
      // what is at one height of it hangs on one place of the line, whatever side it is on
      for (let v = 0; v < mesh.count; v++) { const y = positions[3 * v + 1]; if (y > 0.03 && y < 0.12) expect(Math.abs(ways.arc[v] - (0.15 - y))).toBeLessThan(0.006); }
    }
  });
});

describe('drawn chains', () => {
  const fork = (): Character => character([{ name: 'fork', ...cubes(FORK, 0.01) }]);
  /** Lines down both prongs, in the world: the head is turned, twice as large, and elsewhere. */
  const down = (c: Character): Drawn => {
    const line = (x: number): number[] => { const at = (y: number): number[] => [0.1 - 2 * y, 1.5 + 2 * x, 0.02]; return [...at(0.205), ...at(0.1), ...at(0.002)]; };
    void c;
    return { ...newDrawn(['fork']), lines: [{ id: 'a', name: 'left', places: line(0.01), joints: 6 }, { id: 'b', name: 'right', places: line(0.04), joints: 6 }] };
  };

  it('are evened: joints equally far apart along a smooth line through the places', () => {
    const p = evened([0, 0, 0, 0.1, 0, 0, 0.15, 0.05, 0, 0.2, 0.2, 0.1], 12), steps = Array.from({ length: 12 }, (_, k) => Math.hypot(...[0, 1, 2].map((c) => p[3 * k + 3 + c] - p[3 * k + c])));
    expect(Math.max(...steps) / Math.min(...steps)).toBeLessThan(1.03);
    expect([p.slice(0, 3), p.slice(-3).map((v) => Math.round(v * 1e9) / 1e9)]).toEqual([[0, 0, 0], [0.2, 0.2, 0.1]]);
    // a straight line stays straight
    expect(evened([0, 0, 0, 0, -1, 0], 4).filter((_, k) => k % 3 === 1)).toEqual([0, -0.25, -0.5, -0.75, -1].map((v) => expect.closeTo(v, 9) as unknown as number));
  });
  it.each(['inside', 'along'] as const)('share every vertex out to one, and bleed across no gap (%s)', (by) => {
    const c = fork(), drawn = { ...down(c), by }, { weights, shares } = influencesOf(c, drawn, none), count = weights.length / 4, P = c.meshes[0].positions;
    let still = 0;
    for (let v = 0; v < count; v++) {
      expect(weights[4 * v] + weights[4 * v + 1] + weights[4 * v + 2] + weights[4 * v + 3]).toBeCloseTo(1, 6);
      expect(shares[v] + shares[count + v] + shares[2 * count + v]).toBeCloseTo(1, 6);
      if (shares[v] > 0.99) still++;
      // the prongs, below the bridge by more than their width
      if (P[3 * v + 1] < 0.17) { expect(shares[(P[3 * v] < 0.025 ? 2 : 1) * count + v]).toBe(0); expect(shares[(P[3 * v] < 0.025 ? 1 : 2) * count + v]).toBeGreaterThan(0.9 - (P[3 * v + 1] > 0.15 ? 0.9 : 0)); }
    }
    // what is over the lines' starts stays
    expect(still).toBeGreaterThan(8);
  });
  it('leave a mesh where it is at rest, and move it with their joints', () => {
    const c = fork(), drawn = down(c), store = new Map<string, Uint8Array>(), influences = influencesOf(c, drawn, none), given = givenOf(c, drawn, influences, (b) => { store.set('w', b); return 'f'.repeat(64); }), w = withDrawn(c, given, store.get('w')!), before = restPositions(c, c.meshes[0]), after = restPositions(w, w.meshes[0]);
    expect(given.carrier).toBe('head');
    let worst = 0;
    for (let k = 0; k < before.length; k++) worst = Math.max(worst, Math.abs(before[k] - after[k]));
    expect(worst).toBeLessThan(1e-6);
    expect(w.nodes.slice(2).map((n) => n.name)).toEqual([1, 2, 3, 4, 5, 6].map((k) => `left ${k}`).concat([1, 2, 3, 4, 5, 6].map((k) => `right ${k}`)));
    // its joints stand where the line was evened to
    const rest = poseCharacter(w, null, 0);
    given.lines.forEach(({ places }, k) => { for (let j = 0; j < 6; j++) for (let a = 0; a < 3; a++) expect(rest[16 * (2 + 6 * k + j) + 12 + a]).toBeCloseTo(places[3 * j + a], 6); });
    // the last joint of one chain moved aside takes its own prong's foot along and nothing else
    const pose = rest.slice(), out = new Float64Array(before.length);
    pose[16 * 7 + 14] += 0.1;
    skinPositions(w, w.meshes[0], pose, out);
    for (let v = 0; v < before.length / 3; v++) { const far = out[3 * v + 2] - after[3 * v + 2], P = c.meshes[0].positions; if (P[3 * v] > 0.025 || P[3 * v + 1] > 0.1) expect(Math.abs(far)).toBeLessThan(1e-6); else if (P[3 * v + 1] < 0.01) expect(far).toBeCloseTo(0.1, 3); }
    // a character with other vertices says so
    expect(() => withDrawn(character([{ name: 'fork', ...cubes(box([0, 1], [0, 1], [0, 1]), 1) }]), given, store.get('w')!)).toThrow(/other vertices.*Draw them again/);
  });
  it('are as painted where somebody has painted', () => {
    const c = fork(), count = c.meshes[0].positions.length / 3, all = new Float32Array(count).fill(1), half = new Float32Array(count).fill(0.5), drawn = down(c), map = (n: string): string => n.repeat(64);
    const still = influencesOf(c, { ...drawn, painted: [{ id: STILL, map: map('a') }] }, new Map([[map('a'), all]]));
    expect([...still.shares.subarray(0, count)].every((s) => s > 1 - 1e-6)).toBe(true);
    const free = influencesOf(c, drawn, none), some = influencesOf(c, { ...drawn, painted: [{ id: 'b', map: map('b') }, { id: 'gone', map: map('a') }] }, new Map([[map('b'), half], [map('a'), all]]));
    for (let v = 0; v < count; v++) expect(some.shares[2 * count + v]).toBeCloseTo(0.5 * free.shares[2 * count + v] + 0.5, 5);
    expect(Math.max(...differenceOf(free, some))).toBeGreaterThan(0.45);
    expect(Math.max(...differenceOf(free, free))).toBe(0);
  });
  it('keep four joints a vertex at most, also of a mesh that has joints already', () => {
    const c = fork(), skinned: Character = { ...c, skins: [{ joints: Uint16Array.of(0, 1), inverseBind: new Float32Array(32).map((_, i) => (i % 5 === 0 && i < 16 ? 1 : 0)) }] }, rest = poseCharacter(c, null, 0);
    // bound where it stands: hips and head alike
    const P = restPositions(c, c.meshes[0]);
    skinned.skins[0].inverseBind.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, -1, 0, 1], 0);
    // inverse of the head: turned back by a quarter, half as large
    skinned.skins[0].inverseBind.set([0, -0.5, 0, 0, 0.5, 0, 0, 0, 0, 0, 0.5, 0, -0.75, 0.05, 0, 1], 16);
    skinned.meshes[0] = { ...c.meshes[0], skin: 0, positions: Float32Array.from(P), joints: new Uint16Array((4 * P.length) / 3).map((_, k) => (k % 4 === 1 ? 1 : 0)), weights: new Float32Array((4 * P.length) / 3).map((_, k) => (k % 4 === 0 ? 0.3 : k % 4 === 1 ? 0.7 : 0)) };
    void rest;
    const same = restPositions(skinned, skinned.meshes[0]);
    for (let k = 0; k < P.length; k++) expect(same[k]).toBeCloseTo(P[k], 5);
    const drawn = down(c), influences = influencesOf(skinned, drawn, none), w = withDrawn(skinned, givenOf(skinned, drawn, influences, () => 'f'.repeat(64)), packInfluences(influences)), after = restPositions(w, w.meshes[0]);
    for (let k = 0; k < P.length; k++) expect(after[k]).toBeCloseTo(P[k], 5);
    for (let v = 0; v < P.length / 3; v++) expect([0, 1, 2, 3].reduce((s, q) => s + w.meshes[0].weights[4 * v + q], 0)).toBeCloseTo(1, 5);
  });
  it('are held where a mesh that had joints would have the line, with their bones as long as ever', () => {
    // a tube hung on two joints, the lower turned by a quarter
    const P: number[] = [], T: number[] = [], joints: number[] = [], weights: number[] = [];
    for (let j = 0; j <= 20; j++) for (let i = 0; i < 8; i++) { P.push(0.02 * Math.cos((i * Math.PI) / 4), -0.02 * j, 0.02 * Math.sin((i * Math.PI) / 4)); joints.push(0, 1, 0, 0); weights.push(1 - j / 20, j / 20, 0, 0); }
    for (let j = 0; j < 20; j++) for (let i = 0; i < 8; i++) { const a = 8 * j + i, b = 8 * j + ((i + 1) % 8); T.push(a, b, b + 8, a, b + 8, a + 8); }
    const base = character([{ name: 'tube', positions: Float32Array.from(P), triangles: Uint32Array.from(T) }]), c: Character = { ...base, nodes: ['top', 'knee'].map((name, k) => ({ name, parent: k - 1, translation: [0, k === 0 ? 0 : -0.1, 0] as [number, number, number], rotation: [0, 0, 0, 1] as [number, number, number, number], scale: [1, 1, 1] as [number, number, number] })), skins: [{ joints: Uint16Array.of(0, 1), inverseBind: Float32Array.of(1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0.1, 0, 1) }] };
    c.meshes[0] = { ...c.meshes[0], skin: 0, joints: Uint16Array.from(joints), weights: Float32Array.from(weights) };
    const drawn: Drawn = { ...newDrawn(['tube']), carrier: 'top', by: 'along', lines: [{ id: 'a', name: 'a', places: [0, 0, 0, 0, -0.4, 0], joints: 4 }] }, influences = influencesOf(c, drawn, none), packed = packInfluences(influences), given = givenOf(c, drawn, influences, () => 'f'.repeat(64)), w = withDrawn(c, given, packed), chains = givenNames(c, given).map((joints_) => ({ id: 'a', name: 'a', joints: joints_, kept: 0, bendDeg: null })), planted = plantChains(w, chains);
    expect(given.lines[0].held!.map((h) => h.map(([key, s]) => `${key} ${s.toFixed(2)}`).join())).toEqual(['top 1.00', 'top 0.75,knee 0.25', 'top 0.50,knee 0.50', 'top 0.25,knee 0.75', 'knee 1.00']);
    const pose = poseCharacter({ ...w, nodes: w.nodes.map((n, i) => (i === 1 ? { ...n, rotation: [Math.SQRT1_2, 0, 0, Math.SQRT1_2] } : n)) }, null, 0), out = new Float64Array(planted.offsets.length), way = (i: number): number[] => [0, 1, 2].map((k) => out[3 * i + k] - out[3 * i - 3 + k]);
    new ChainShape(w, planted.paths, planted.pointCount, planted.offsets, heldPlaces(w, chains, given)).into(pose, out);
    // the second bone goes from a place moved by a quarter of the turn to one moved by half, as the skin there
    const skin = (y: number, share: number): number[] => [0, (1 - share) * y + share * -0.1, share * (y + 0.1)], a = skin(-0.1, 0.25), b = skin(-0.2, 0.5), l = Math.hypot(...b.map((v, k) => v - a[k]));
    way(2).forEach((v, k) => expect(v).toBeCloseTo((0.1 * (b[k] - a[k])) / l, 6));
    for (let i = 1; i < 5; i++) expect(Math.hypot(...way(i))).toBeCloseTo(0.1, 4);
  });
  it('know how thick a tube is, and a sheet', () => {
    const ring = (rx: number, rz: number): { positions: Float32Array; triangles: Uint32Array } => { const P: number[] = [], T: number[] = []; for (let j = 0; j <= 30; j++) for (let i = 0; i < 24; i++) P.push(rx * Math.cos((i * Math.PI) / 12), -0.01 * j, rz * Math.sin((i * Math.PI) / 12)); for (let j = 0; j < 30; j++) for (let i = 0; i < 24; i++) { const a = 24 * j + i, b = 24 * j + ((i + 1) % 24); T.push(a, b, b + 24, a, b + 24, a + 24); } return { positions: Float32Array.from(P), triangles: Uint32Array.from(T) }; };
    for (const [rx, rz] of [[0.012, 0.012], [0.08, 0.003]]) {
      const c: Character = { ...character([{ name: 'tube', ...ring(rx, rz) }]), nodes: [0, 1].map((k) => ({ name: `n${k}`, parent: k - 1, translation: [0, 0, 0] as [number, number, number], rotation: [0, 0, 0, 1] as [number, number, number, number], scale: [1, 1, 1] as [number, number, number] })) }, drawn: Drawn = { ...newDrawn(['tube']), by: 'along', lines: [{ id: 'a', name: 'a', places: [0, 0, 0, 0, -0.3, 0], joints: 6 }] };
      expect(thicknessOf(c, drawn, influencesOf(c, drawn, none)) / rz).toBeCloseTo(1, 1);
    }
  });
  it('say what is wrong, and lose nothing', () => {
    const c = fork(), drawn = down(c);
    expect(troubleWithDrawn(c, drawn)).toBeNull();
    expect(troubleWithDrawn(c, { ...drawn, lines: [] })).toMatch(/No chain is drawn yet/);
    expect(troubleWithDrawn(c, { ...drawn, meshes: ['wig'] })).toMatch(/no mesh “wig” any more/);
    expect(troubleWithDrawn(c, { ...drawn, carrier: 'tail' })).toMatch(/no joint “tail”/);
    expect(troubleWithDrawn(c, { ...drawn, lines: [{ ...drawn.lines[0], places: [0, 0, 0] }] })).toMatch(/“left” has one place only/);
    expect(troubleWithDrawn(c, { ...drawn, lines: [{ ...drawn.lines[0], places: [0, 0, 0, 0, 0.005, 0] }] })).toMatch(/5\.0 mm long, too short for 6 joints/);
    const dust = character([{ name: 'fork', ...cubes(Array.from({ length: 300 }, (_, k): Cell => [2 * (k % 20), 2 * Math.floor(k / 20), 0]), 0.01) }]);
    expect(() => influencesOf(dust, drawn, none)).toThrow(/in 300 loose parts; 250 can be hung on chains/);
    // names that are taken get a number
    expect(jointNames({ ...c, nodes: [...c.nodes, { ...c.nodes[0], name: 'left 2' }] }, [{ name: 'left', places: [0, 0, 0, 1, 0, 0, 2, 0, 0] }])).toEqual([['left 1', 'left 2 (2)']]);
  });
  it('reach loose parts that no line goes through by the way that is nearest', () => {
    const strip = (x: number): Cell[] => box([x, x + 1], [0, 20], [0, 1]), c = character([{ name: 'fork', ...cubes([...strip(0), ...strip(2), ...strip(4)], 0.01) }]), line = (x: number): number[] => { const at = (y: number): number[] => [0.1 - 2 * y, 1.5 + 2 * x, 0.01]; return [...at(0.195), ...at(0.005)]; };
    for (const by of ['inside', 'along'] as const) {
      const { shares } = influencesOf(c, { ...newDrawn(['fork']), by, lines: [{ id: 'a', name: 'left', places: line(0.005), joints: 5 }, { id: 'b', name: 'right', places: line(0.045), joints: 5 }] }, none), count = c.meshes[0].positions.length / 3, P = c.meshes[0].positions;
      for (let v = 0; v < count; v++) if (P[3 * v + 1] < 0.1) { const [a, b] = [shares[count + v], shares[2 * count + v]]; if (P[3 * v] < 0.015) expect(a).toBeGreaterThan(0.9); else if (P[3 * v] > 0.035) expect(b).toBeGreaterThan(0.9); else expect(a + b).toBeGreaterThan(0.9); }
    }
  });
});
