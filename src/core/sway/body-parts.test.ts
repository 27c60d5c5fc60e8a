import { BufferGeometry, CylinderGeometry, LatheGeometry, PlaneGeometry, SphereGeometry, Vector2 } from 'three';
import { beforeAll, describe, expect, it } from 'vitest';
import { tubeScenes, type TubeScenes } from '../../../tests/helpers/tube-scene';
import { bodyParts } from './body-parts';
import { collidersOf } from './colliders';
import { SwayRun } from './run';
import { describeShell } from './shell-check';

interface Mesh { P: Float64Array; T: Uint32Array }
const of = (g: BufferGeometry, at = [0, 0, 0]): Mesh => ({ P: Float64Array.from(g.attributes.position.array, (v, i) => v + at[i % 3]), T: Uint32Array.from(g.index!.array) });
const together = (...all: Mesh[]): Mesh => { let base = 0; const T: number[] = [], P: number[] = []; for (const m of all) { for (const t of m.T) T.push(base + t); for (const v of m.P) P.push(v); base += m.P.length / 3; } return { P: Float64Array.from(P), T: Uint32Array.from(T) }; };
const part = ({ P, T }: Mesh) => bodyParts(T, P);
/** A limb open at one end, `l` long and `r` thick. */
const limb = (r: number, l: number, round: number): Mesh => of(new LatheGeometry([[r, 0], [r, l / 2], [r, l], [0.7 * r, l + 0.7 * r], [1e-9, l + r]].map(([x, y]) => new Vector2(x, y)), round));

describe('what of a body encloses something', () => {
  it.each([6, 12, 40])('a limb that is open where it is stuck into another does, divided into %d round', (round) => { expect(part(limb(0.04, 0.4, round))).toMatchObject({ sheets: 0 }); });
  it('a sheet, half a ball and a skirt do not', () => {
    expect(part(of(new PlaneGeometry(1, 1, 8, 8)))).toBeNull();
    expect(part(of(new SphereGeometry(0.1, 24, 12, 0, 2 * Math.PI, 0, Math.PI / 2)))).toBeNull();
    expect(part(of(new CylinderGeometry(0.3, 0.4, 0.5, 32, 4, true)))).toBeNull();
  });
  it('a strip that curls does not, though its rim goes round nothing as a whole', () => {
    const n = 60, P: number[] = [], T: number[] = [];
    for (let k = 0; k <= n; k++) for (const side of [-1, 1]) { const a = (4 * Math.PI * k) / n; P.push(0.004 * side * Math.cos(a), 0.2 * (k / n), 0.004 * side * Math.sin(a)); }
    for (let k = 0; k < n; k++) T.push(2 * k, 2 * k + 1, 2 * k + 2, 2 * k + 2, 2 * k + 1, 2 * k + 3);
    expect(part({ P: Float64Array.from(P), T: Uint32Array.from(T) })).toBeNull();
    expect(part(together(of(new SphereGeometry(0.2, 30, 20)), { P: Float64Array.from(P), T: Uint32Array.from(T) }))!.sheets).toBe(1);
  });
  it('sheets beside a body are told from it, and its cracks are none', () => {
    const ball = of(new SphereGeometry(0.2, 30, 20)), flaps = Array.from({ length: 9 }, (_, k) => of(new PlaneGeometry(0.03, 0.06, 1, 2), [0.22 * Math.cos(k), 0.22 * Math.sin(k), 0])), all = together(ball, ...flaps), found = part(all)!;
    expect([found.sheets, found.flaps.length / 3, found.solid.length]).toEqual([9, 9 * 4, ball.T.length]);
    expect(Array.from(found.solid)).toEqual(Array.from(ball.T));
    // a slit: a row of vertices on one side of which every other one is missing
    const seam = 31 * 10, slit = { P: ball.P, T: ball.T.filter((_, h) => { const t = h - (h % 3); return ![0, 1, 2].every((k) => ball.T[t + k] >= seam && ball.T[t + k] < seam + 4); }) };
    expect(part(slit)!.sheets).toBe(0);
    // and a mesh that is nearly all strips is no body
    expect(part(together(of(new SphereGeometry(0.02, 10, 8)), ...flaps))).toBeNull();
  });
});

describe('a body with openings', () => {
  let tube: TubeScenes;
  beforeAll(async () => { tube = await tubeScenes(); });
  /** The tube with strips of flaps round it, so that it has more open edges than a closed mesh may. */
  const flapped = (): TubeScenes['character'] => {
    const [mesh] = tube.character.meshes, flaps = together(...Array.from({ length: 60 }, (_, k) => of(new PlaneGeometry(0.004, 0.01, 1, 1), [0.3 + 0.01 * (k % 10), 0.1 * Math.floor(k / 10), 0.3]))), count = flaps.P.length / 3, base = mesh.positions.length / 3, joints = new Uint16Array(mesh.joints.length + 4 * count), weights = new Float32Array(mesh.weights.length + 4 * count);
    joints.set(mesh.joints);
    weights.set(mesh.weights);
    for (let v = 0; v < count; v++) weights[mesh.weights.length + 4 * v] = 1;
    return { ...tube.character, meshes: [{ ...mesh, positions: Float32Array.from([...mesh.positions, ...flaps.P]), normals: Float32Array.from([...mesh.normals, ...flaps.P.map((_, i) => (i % 3 === 2 ? 1 : 0))]), triangles: Uint32Array.from([...mesh.triangles, ...flaps.T.map((t) => base + t)]), joints, weights }] };
  };
  it('keeps hair outside all the same; its sheets on the side it is on; both are told', () => {
    const character = flapped(), [mesh] = character.meshes, set = collidersOf(character, [], tube.settings);
    expect(describeShell(mesh.triangles, Float64Array.from(mesh.positions)).closed).toBe(false);
    expect(set.shells).toMatchObject([{ twoSided: false, parts: { sheets: 60 } }]);
    expect(set.notes.join(' ')).toMatch(/open edges; it is taken as closed/);
    expect(set.notes.join(' ')).toMatch(/60 loose parts that are sheets: hair is kept on the side of them it is on/);
    const deepest = (scene: ReturnType<TubeScenes['scene']>): number => { const run = new SwayRun(scene, 0); let most = 0; for (let f = 0; f < 12; f++) most = Math.max(most, run.advance().depth); return most; };
    const scene = tube.scene({ hold: 0.3 });
    expect(new SwayRun({ ...scene, character, mesh }, 0).report.colliders).toEqual(['tube', 'tube']);
    // no deeper than into the tube alone
    expect(deepest({ ...scene, character, mesh })).toBeLessThan(deepest(scene) + 1e-4);
  });
  it('is a sheet where somebody says so, and what encloses nothing has an outside where somebody says that', () => {
    const character = flapped(), name = character.meshes[0].name, sided = (sides: 'one' | 'two') => collidersOf(character, [], { ...tube.settings, meshes: { [name]: { as: 'shell', gapMm: null, friction: null, sides } } }).shells[0];
    expect(sided('two')).toMatchObject({ twoSided: true });
    expect(sided('one')).toMatchObject({ twoSided: false, parts: { sheets: 0, solid: character.meshes[0].triangles } });
  });
});
