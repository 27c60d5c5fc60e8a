import { describe, expect, it } from 'vitest';
import { withDrawing, drawnDocument } from '../chain/chain-groom';
import { openScene } from '../bake/open-scene';
import { packRun, unpackRun } from '../bake/run-state';
import { newDocument, type GroomDocument } from '../document/schema';
import { characterOf } from '../chain/character-of';
import { influencesOf } from '../drawn/influences';
import { layLines } from '../drawn/lay-lines';
import { makeRandom } from '../math/random';
import { poseCharacter, type Character, type CharacterMesh } from '../mesh/character';
import { bendingLength, CLOTHS, newSheet, stripRod, type Sheet } from './cloth';
import { RodSystem } from './rod-system';
import { SwayRun } from './run';
import { sheetOf } from './scene';
import { SheetGrid, SheetLinks } from './sheet';

/** A sheet that hangs (or lies level) from a bar, `width` × `length` m, of `n` × `m` fields. */
function sheetOn(width: number, length: number, n: number, m: number, place: (u: number, s: number) => number[]): Character {
  const P: number[] = [], T: number[] = [];
  for (let j = 0; j <= m; j++) for (let i = 0; i <= n; i++) P.push(...place((i / n - 0.5) * width, (j / m) * length));
  for (let j = 0; j < m; j++) for (let i = 0; i < n; i++) { const a = j * (n + 1) + i; T.push(a, a + n + 1, a + 1, a + 1, a + n + 1, a + n + 2); }
  const mesh: CharacterMesh = { name: 'cape', role: 'garment', node: 0, skin: -1, positions: Float32Array.from(P), normals: new Float32Array(P.length), triangles: Uint32Array.from(T), colors: new Float32Array(0), joints: new Uint16Array(0), weights: new Float32Array(0), hair: new Float32Array(0), groups: [{ material: 0, first: 0, count: T.length / 3 }], morphs: [], morphRest: new Float32Array(0) };
  return { nodes: [{ name: 'bar', parent: -1, translation: [0, 0, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }], skins: [], materials: [{ name: 'plain', color: [1, 1, 1], roughness: 1, metalness: 0, twoSided: true }], meshes: [mesh], clips: [] };
}
const shot = { clip: '', start: 0, end: 24, fps: 24, cyclic: false };
function groom(character: Character, edge: number[], sheet: Sheet, { lines = 7, joints = 10, around = false, change = {} }: { lines?: number; joints?: number; around?: boolean; change?: Partial<GroomDocument['sway']> } = {}) {
  const store = new Map<string, Uint8Array>(), keep = (bytes: Uint8Array): string => { const id = String(store.size).padStart(64, '0'); store.set(id, bytes); return id; }, empty = drawnDocument(newDocument('cape', shot), ['cape']);
  empty.drawn = { ...empty.drawn!, lines: layLines(character, ['cape'], edge, { lines, joints, around }), by: 'along' };
  const { document, character: with_ } = withDrawing(character, empty, influencesOf(character, empty.drawn, new Map()), keep);
  Object.assign(document.sway, { sheet, hold: 0, calmStart: false, damping: 6, airDrag: 0, ...change });
  const scene = openScene(document, with_, { planting: store.get(document.guides!.planting)!, offsets: store.get(document.guides!.offsets)! });
  return { document, scene, character: with_, weights: store.get(document.drawn!.given!.weights)!, store };
}
const run = (g: ReturnType<typeof groom>, frames: number): { run: SwayRun; points: Float32Array; n: number } => { const r = new SwayRun(g.scene, 0, { kernel: 'float64' }); for (let f = 0; f < frames; f++) r.advance(); return { run: r, points: r.positions() as Float32Array, n: g.scene.pointCount }; };

describe('sheets', () => {
  it('hang over an edge as Peirce’s cantilever says: the chord is 41.5° below at twice the bending length', () => {
    // Source: Peirce 1930, J. Text. Inst. 21, T377: c = L f(θ), f = (cos(θ/2) / (8 tan θ))^(1/3), which is 1/2 at 41.5°; from memory
    const f = (deg: number): number => Math.cbrt(Math.cos((deg * Math.PI) / 360) / (8 * Math.tan((deg * Math.PI) / 180)));
    expect(f(41.5)).toBeCloseTo(0.5, 1);
    // and by the heavy elastica itself, B θ'' = −σ g (L − s) cos θ, level where it is clamped and unbent at its end, shot from the clamp
    const chord = (c: number, L: number): number => {
      const shoot = (bend: number): { end: number; x: number; y: number } => { const n = 4000, d = L / n; let t = 0, k = bend, x = 0, y = 0; for (let q = 0; q < n; q++) { const s = (q + 0.5) * d; k -= (d * (L - s) * Math.cos(t)) / c ** 3; const m = t + 0.5 * d * k; t += d * k; x += d * Math.cos(m); y += d * Math.sin(m); } return { end: k, x, y }; };
      let low = 0, high = 40 / L;
      for (let q = 0; q < 60; q++) { const mid = 0.5 * (low + high); if (shoot(mid).end > 0) high = mid; else low = mid; }
      const { x, y } = shoot(low);
      return (Math.atan2(y, x) * 180) / Math.PI;
    };
    for (const cloth of ['suiting', 'canvas', 'silk'] as const) {
      const sheet = newSheet(cloth, false), length = 2 * bendingLength(sheet), g = groom(sheetOn(0.6 * length, length, 24, 40, (u, s) => [u, 1, s]), [-0.3 * length, 1, 0, 0, 1, 0, 0.3 * length, 1, 0], sheet, { lines: 4, joints: 16, change: { damping: 8 } }), { points, n } = run(g, 120);
      const angles = [0, 1, 2, 3].map((l) => { const a = 3 * l * n, b = a + 3 * (n - 1); return (Math.atan2(points[a + 1] - points[b + 1], points[b + 2] - points[a + 2]) * 180) / Math.PI; }), exact = chord(bendingLength(sheet), length);
      for (const angle of angles) { expect(Math.abs(angle - exact), `${cloth}: ${angle}, ${exact}`).toBeLessThan(1.5); expect(Math.abs(angle - 41.5), `${cloth}: ${angle}`).toBeLessThan(2); }
    }
  });
  it('weigh what cloth weighs, whatever the number of lines', () => {
    for (const lines of [5, 12]) {
      const g = groom(sheetOn(0.8, 1, 30, 20, (u, s) => [u, 2 - s, 0]), [-0.4, 2, 0, 0, 2, 0, 0.4, 2, 0], newSheet('denim', false), { lines }), grid = sheetOf(g.scene)!, r = new SwayRun(g.scene, 0);
      let mass = 0;
      for (let s = 0; s < grid.guides; s++) for (let i = 0; i < grid.points; i++) mass += r.system.k.mass[r.system.at(s, i, 1)];
      // roots weigh on nothing
      expect(mass / (0.42 * 0.8)).toBeCloseTo(1, 1);
    }
  });
  it('hang straight down where they hang still, and stretch across no more than their stiffness lets them', () => {
    const g = groom(sheetOn(0.6, 0.8, 16, 16, (u, s) => [u, 2 - s, 0]), [-0.3, 2, 0, 0, 2, 0, 0.3, 2, 0], newSheet('shirting', false)), { run: r, points, n } = run(g, 60);
    for (let p = 0; p < points.length; p += 3) expect(Math.abs(points[p + 2])).toBeLessThan(1e-3);
    expect(r.sheet!.strain(points, n)).toBeLessThan(1e-3);
  });
  it('held at one side it sags by what the shear stiffness says: σ g L² / 2G', () => {
    // plane shear of a plate: γ(x) = σ g (L − x) / G; own derivation. Six strips weigh on the five fields between them; a sheet three times as firm in ten joints sags a quarter more than that, as edges along lines are a little soft
    for (const [shear, joints] of [[20, 6], [40, 6]]) {
      const length = 0.1, sheet: Sheet = { cloth: 'shirting', gsm: 115, bend: 6, shear, stretch: 10000, around: false }, g = groom(sheetOn(0.12, length, 12, 10, (u, s) => [s, 1 + u, 0]), [0, 1.06, 0, 0, 1, 0, 0, 0.94, 0], sheet, { lines: 6, joints, change: { damping: 8 } }), { run: r, points, n } = run(g, 80), rest = sheetOf(g.scene)!.P;
      for (let l = 1; l < 5; l++) for (const at of [0.5, 1]) { const o = 3 * (l * n + Math.round(at * (n - 1))) + 1, sag = ((6 / 5) * 0.115 * 9.81 * length ** 2 * (1 - (1 - at) ** 2)) / (2 * shear); expect(Math.abs((rest[o] - points[o]) / sag - 1), `${shear}, line ${l}, at ${at}: ${(rest[o] - points[o]) / sag}`).toBeLessThan(0.12); }
      expect(r.system.netUses).toBe(0);
    }
  });
  it('links make no momentum', () => {
    const grid = new SheetGrid(newSheet('jersey', true), [...Array(4).keys()].flatMap((g) => [...Array(5).keys()].flatMap((i) => [Math.cos(g * 1.57) * 0.2, -0.1 * i, Math.sin(g * 1.57) * 0.2])), 4, 5), links = new SheetLinks(grid), system = new RodSystem(new Int32Array(4).fill(5)), { k } = system, at = (s: number, i: number, c: number): number => system.at(s, i, 3) + c * system.lanes, random = makeRandom(3);
    // upper points are as fixed as roots are
    for (let s = 0; s < 4; s++) for (let i = 0; i < 5; i++) { k.mass[system.at(s, i, 1)] = 0.001 * (1 + i); k.fixed[system.at(s, i, 1)] = 0; for (let c = 0; c < 3; c++) { k.x[at(s, i, c)] = grid.P[3 * (5 * s + i) + c] + (i === 0 ? 0 : 0.05 * (random() - 0.5)); k.v[at(s, i, c)] = i === 0 ? 0 : random() - 0.5; } }
    for (let s = 0; s < 4; s++) for (let i = 1; i < 5; i++) k.restLength[system.at(s, i, 1)] = 0.1;
    const sum = (c: number): number => { let t = 0; for (let s = 0; s < 4; s++) for (let i = 1; i < 5; i++) t += k.mass[system.at(s, i, 1)] * k.v[at(s, i, c)]; return t; };
    // links to roots give to what stands: those are let be
    const inner = links as unknown as { strand: Int32Array; point: Int32Array; stiffness: Float64Array; count: number };
    let kept = 0;
    for (let l = 0; l < inner.count; l++) if ([0, 1, 2].some((q) => inner.strand[3 * l + q] >= 0 && inner.point[3 * l + q] === 0)) inner.stiffness[l] = 0; else kept++;
    // nor are lengths to a root put right
    (links as unknown as { shorten: (l: number) => void }).shorten = () => undefined;
    expect(kept).toBeGreaterThan(30);
    for (let n = 0; n < 3; n++) { const before = [0, 1, 2].map(sum); links.act(system, 1 / 240, 0.002); [0, 1, 2].forEach((c) => expect(Math.abs(sum(c) - before[c])).toBeLessThan(1e-13)); }
  });
  it('lines are laid from an edge to where the sheet ends, side by side; all round a skirt', () => {
    const flat = sheetOn(0.6, 0.8, 24, 32, (u, s) => [u, 2 - s, 0]), lines = layLines(flat, ['cape'], [-0.3, 2, 0, 0, 2, 0, 0.3, 2, 0], { lines: 6, joints: 8, around: false });
    expect(lines.length).toBe(6);
    lines.forEach((l, k) => { const x = -0.3 + (0.6 * (k + 0.5)) / 6; for (let p = 0; p < l.places.length; p += 3) { expect(Math.abs(l.places[p] - x)).toBeLessThan(0.012); expect(Math.abs(l.places[p + 1] - (2 - (0.8 * p) / 3 / 8))).toBeLessThan(0.02); } });
    const cone = sheetOn(2 * Math.PI, 0.6, 48, 20, (u, s) => { const r = 0.15 + 0.4 * s; return [r * Math.sin(u), 1 - 0.9 * s, r * Math.cos(u)]; }), round = layLines(cone, ['cape'], [...Array(12).keys()].flatMap((k) => [0.15 * Math.sin((k * Math.PI) / 6), 1, 0.15 * Math.cos((k * Math.PI) / 6)]), { lines: 10, joints: 6, around: true });
    expect(round.length).toBe(10);
    for (const l of round) {
      const turn = Math.atan2(l.places[0], l.places[2]), end = l.places.length - 3;
      expect(Math.abs(Math.hypot(l.places[end], l.places[end + 2]) - 0.39)).toBeLessThan(0.03);
      expect(Math.abs(Math.sin(Math.atan2(l.places[end], l.places[end + 2]) - turn))).toBeLessThan(0.08);
    }
    // from an edge across its middle, downwards; not over the hem of what has two faces
    const half = layLines(flat, ['cape'], [-0.3, 1.6, 0, 0, 1.6, 0, 0.3, 1.6, 0], { lines: 5, joints: 4, around: false });
    for (const l of half) { expect(l.places[1]).toBeCloseTo(1.6, 2); expect(Math.abs(l.places.at(-2)! - 1.2)).toBeLessThan(0.02); }
    expect(() => layLines(flat, ['cape'], [0, 2, 0], { lines: 6, joints: 8, around: false })).toThrow(/one place only/);
  });
  it('the mesh follows: a cape swings from its bar as one, and comes to rest where it hung', () => {
    const g = groom(sheetOn(0.6, 0.8, 16, 16, (u, s) => [u, 2 - 0.7 * s, 0.71 * s]), [-0.3, 2, 0, 0, 2, 0, 0.3, 2, 0], newSheet('coating', false), { change: { damping: 1.5 } }), { points, n } = run(g, 200);
    const tips = [...Array(points.length / 3 / n).keys()].map((l) => [...points.slice(3 * (l * n + n - 1), 3 * (l * n + n))]);
    for (const t of tips) { expect(Math.abs(t[2] - tips[0][2])).toBeLessThan(0.03); expect(t[1]).toBeLessThan(1.35); }
    expect(g.document.chains.length).toBe(7);
    expect(poseCharacter(characterOf(g.character, g.document, g.weights), null, 0).length).toBeGreaterThan(0);
  });
  it('with what weighs as much lying on it, it hangs as cloth twice as heavy; with what was taken for other lines, as if there were none, and says so', () => {
    const length = 0.034, plain = newSheet('suiting', false), on = (sheet: Sheet, change: Partial<GroomDocument['sway']> = {}) => groom(sheetOn(0.12, length, 12, 20, (u, s) => [u, 1, s]), [-0.06, 1, 0, 0, 1, 0, 0.06, 1, 0], sheet, { lines: 4, joints: 12, change: { damping: 8, ...change } });
    const drop = (g: ReturnType<typeof groom>, load?: Float32Array): { down: number; notes: string[] } => { const r = new SwayRun({ ...g.scene, load }, 0); for (let f = 0; f < 90; f++) r.advance(); const x = r.positions(), n = g.scene.pointCount; return { down: x[3 * n + 1] - x[3 * (2 * n - 1) + 1], notes: r.report.notes }; };
    const alone = on(plain), n = alone.scene.pointCount, lines = alone.scene.planting.faces.length, { system } = new SwayRun(alone.scene, 0), forces = new Float32Array(3 * lines * n);
    for (let s = 0; s < lines; s++) for (let i = 1; i < n; i++) forces[3 * (s * n + i) + 1] = -9.81 * system.k.mass[system.at(s, i, 1)];
    const load = { forces: 'a'.repeat(64), from: 'hair', on: true, share: 1, first: 0, frames: 1, fps: 24, cyclic: false, lines, points: n };
    const single = drop(alone).down, twice = drop(on({ ...plain, gsm: 2 * plain.gsm })).down, loaded = drop(on(plain, { load }), forces), other = drop(on(plain, { load: { ...load, lines: lines + 1 } }), forces);
    expect(twice).toBeGreaterThan(1.15 * single);
    expect(Math.abs(loaded.down - twice)).toBeLessThan(0.02 * (twice - single));
    expect(loaded.notes).toEqual([]);
    expect(other.down).toBe(single);
    expect(other.notes.join()).toMatch(/taken for other lines than these/);
  });
  it('goes on from a state of its run to the bit', () => {
    const g = groom(sheetOn(0.6, 0.8, 12, 12, (u, s) => [u, 2 - 0.8 * s, 0.6 * s]), [-0.3, 2, 0, 0, 2, 0, 0.3, 2, 0], newSheet('jersey', false), { lines: 5, joints: 6 }), a = new SwayRun(g.scene, 0), b = new SwayRun(g.scene, 0);
    for (let f = 0; f < 7; f++) a.advance();
    unpackRun(b, packRun(a));
    b.frame = a.frame;
    for (let f = 0; f < 5; f++) { a.advance(); b.advance(); }
    expect(b.positions()).toEqual(a.positions());
  });
  it('cloths of the table have bending lengths as cloths have: 1 to 4 cm', () => {
    // common practice, no source: limp silk about 1.5 cm, stiff canvas over 3 cm
    for (const c of Object.values(CLOTHS)) { const length = 100 * bendingLength(c); expect(length).toBeGreaterThan(1); expect(length).toBeLessThan(4); }
    expect(stripRod(CLOTHS.suiting, 0.05)).toMatchObject({ lineDensity: expect.closeTo(0.0105, 9), bend: expect.closeTo(5e-7, 12) });
  });
});
