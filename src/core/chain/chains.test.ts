import { describe, expect, it } from 'vitest';
import { openScene } from '../bake/open-scene';
import { packRun, unpackRun } from '../bake/run-state';
import { floatsOf } from '../document/buffers';
import { newDocument, type GroomDocument } from '../document/schema';
import { multiplyInto } from '../math/mat4';
import { poseCharacter, type Character, type Clip } from '../mesh/character';
import { placeGuides } from '../groom/planting';
import { RootPoser, Stage } from '../sway/scene';
import { SwayRun } from '../sway/run';
import { chainDocument, withChains } from './chain-groom';
import { ChainPoser, ChainShape } from './chain-pose';
import { CHAIN_ROOTS, findChains, plantChains, troubleWith, withChainRoots, type Chain } from './chains';

/** A post with `n` joints that hang on it one below the other, 10 cm apart, and a second limb beside them; a square of skin on every joint. */
function post(n: number, clip: Clip | null = null): Character {
  const nodes: Character['nodes'] = [{ name: 'base', parent: -1, translation: [0, 0, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }, { name: 'top', parent: 0, translation: [0, 2, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }];
  for (let i = 0; i < n; i++) nodes.push({ name: `tail${i + 1}`, parent: i === 0 ? 1 : nodes.length - 1, translation: i === 0 ? [0.1, 0, 0] : [0, -0.1, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] });
  nodes.push({ name: 'arm', parent: 1, translation: [-0.3, 0, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] });
  const bare: Character = { nodes, skins: [], materials: [{ name: 'plain', color: [1, 1, 1], roughness: 1, metalness: 0, twoSided: false }], meshes: [], clips: clip ? [clip] : [] }, rest = poseCharacter(bare, null, 0), positions: number[] = [], joints: number[] = [], triangles: number[] = [], inverseBind = new Float32Array(16 * nodes.length);
  nodes.forEach((_, i) => {
    const [x, y, z] = [rest[16 * i + 12], rest[16 * i + 13], rest[16 * i + 14]], v = positions.length / 3;
    for (const [a, b] of [[-1, 0], [1, 0], [1, -1], [-1, -1]]) { positions.push(x + 0.01 * a, y + 0.05 * b, z); joints.push(i, 0, 0, 0); }
    triangles.push(v, v + 2, v + 1, v, v + 3, v + 2);
    inverseBind.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -x, -y, -z, 1], 16 * i);
  });
  return {
    ...bare, skins: [{ joints: Uint16Array.from(nodes, (_, i) => i), inverseBind }],
    meshes: [{ name: 'body', role: 'body', node: 0, skin: 0, positions: Float32Array.from(positions), normals: new Float32Array(positions.length).fill(0), triangles: Uint32Array.from(triangles), colors: new Float32Array(0), joints: Uint16Array.from(joints), weights: Float32Array.from(joints, (_, k) => (k % 4 === 0 ? 1 : 0)), hair: new Float32Array(0), groups: [{ material: 0, first: 0, count: triangles.length / 3 }], morphs: [], morphRest: new Float32Array(0) }],
  };
}
const chain = (of: Partial<Chain> & { joints: string[] }): Chain => ({ id: of.joints[0], name: of.joints[0], kept: 0, bendDeg: null, ...of });
const tail = (n: number, from = 1): string[] => Array.from({ length: n - from + 1 }, (_, i) => `tail${from + i}`);
const shot = { clip: '', start: 0, end: 24, fps: 24, cyclic: false };
/** A groom of chains and its scene. */
function groomOf(character: Character, chains: Chain[], change: (d: GroomDocument) => void = () => undefined, clip = '') {
  const store = new Map<string, Uint8Array>(), document = chainDocument(withChainRoots(character), newDocument('body', { ...shot, clip }), chains, (bytes) => { const id = String(store.size).padStart(64, '0'); store.set(id, bytes); return id; });
  change(document);
  return { document, scene: openScene(document, character, { planting: store.get(document.guides!.planting)!, offsets: store.get(document.guides!.offsets)! }), offsets: floatsOf(store.get(document.guides!.offsets)!) };
}

describe('chains', () => {
  it('are found where joints hang one on the other; those that look like it come first', () => {
    expect(findChains(post(4)).map((f) => [f.joints.join(), f.likely])).toEqual([['tail1,tail2,tail3,tail4', true]]);
    // the mesh that roots are planted on makes no joints
    const c = post(4);
    expect(findChains(withChainRoots(c))).toEqual(findChains(c));
  });
  it('say what is wrong with them', () => {
    const c = post(5), all = tail(5);
    expect(troubleWith(c, [chain({ joints: all })])).toBeNull();
    expect(troubleWith(c, [chain({ joints: ['tail1', 'tail3'] })])).toMatch(/“tail3” does not hang on “tail1”.*branches/);
    expect(troubleWith(c, [chain({ joints: ['nothing'] })])).toMatch(/no joint “nothing”/);
    expect(troubleWith(c, [chain({ joints: all }), chain({ joints: tail(5, 4), name: 'end' })])).toMatch(/“tail4” is moved by “tail1” and by “end”/);
    expect(troubleWith(c, [chain({ joints: tail(3) }), chain({ joints: tail(5, 4), name: 'end' })])).toMatch(/“end” hangs on “tail3”, which “tail1” moves/);
    expect(troubleWith(c, [chain({ joints: all, kept: 3 })])).toBeNull();
    const flat = post(3);
    flat.nodes[4] = { ...flat.nodes[4], translation: [0, 0, 0] };
    expect(troubleWith(flat, [chain({ joints: tail(3) })])).toMatch(/two of its joints stand in one place/);
    expect(() => plantChains(c, [chain({ joints: ['tail2', 'tail1'] })])).toThrow(/does not hang on/);
  });
  it('become guides with a point at every joint and one at the tip, as far as the skin reaches', () => {
    const { planting, offsets, pointCount, paths } = plantChains(post(4), [chain({ joints: tail(4) }), chain({ joints: ['arm'] })]);
    expect([...planting.faces]).toEqual([2, 6]);
    const [a, b] = paths;
    expect([a.carrier, ...a.nodes]).toEqual([1, 2, 3, 4, 5]);
    a.at.forEach((p, i) => expect(offsets[3 * p + 1]).toBeCloseTo(i < 4 ? -0.1 * i : -0.35, 6));
    expect([a.at, b.at]).toEqual([[0, 1, 2, 3, 4], [0, 4]]);
    expect([a.at[4], b.at.at(-1)]).toEqual([pointCount - 1, pointCount - 1]);
    // no edge is empty
    for (let g = 0; g < 2; g++) for (let i = 1; i < pointCount; i++) expect(Math.hypot(...[0, 1, 2].map((c) => offsets[3 * (g * pointCount + i) + c] - offsets[3 * (g * pointCount + i - 1) + c]))).toBeGreaterThan(1e-3);
  });
  it('are rooted at their first free joint and carried by what it hangs on, to a micrometre', () => {
    const { scene, document } = groomOf(post(5), [chain({ joints: tail(5), kept: 2 })]), stage = new Stage(scene, 0), poser = new RootPoser(scene, stage), pose = stage.rest.slice(), motions = new Float64Array(7), points = new Float64Array(scene.offsets.length), turn = Float64Array.of(0, 0, 1, 0, 0, 1, 0, 0, -1, 0, 0, 0, 0.2, 0.3, 0.4, 1), moved = new Float64Array(16);
    expect([document.plot.mesh, scene.mesh.name]).toEqual([CHAIN_ROOTS, CHAIN_ROOTS]);
    for (let i = 0; i < scene.character.nodes.length; i++) { multiplyInto(moved, 0, turn, 0, stage.rest, 16 * i); pose.set(moved, 16 * i); }
    poser.rootsInto(pose, motions);
    placeGuides(scene.offsets, motions, scene.pointCount, points);
    const { paths: [{ nodes, at }] } = plantChains(scene.character, document.chains);
    nodes.forEach((n, i) => { for (let c = 0; c < 3; c++) expect(points[3 * at[i] + c]).toBeCloseTo(pose[16 * n + 12 + c], 6); });
  });
  it('put the joints where the points are: bones keep their lengths, the skin its place on them', () => {
    const character = post(4), chains = [chain({ joints: tail(4) })], { paths, pointCount, offsets } = plantChains(character, chains), poser = new ChainPoser(character, paths, pointCount, offsets), pose = poseCharacter(character, null, 0), points = new Float64Array(offsets.length);
    // as planted: the rest pose
    for (let p = 0; p < pointCount; p++) for (let c = 0; c < 3; c++) points[3 * p + c] = offsets[3 * p + c] + pose[16 * 2 + 12 + c];
    const rest = pose.slice();
    poser.into(pose, points);
    pose.forEach((v, k) => expect(v).toBeCloseTo(rest[k], 6));
    // bent into a quarter of a circle of the same length
    const length = 0.35, r = length / (Math.PI / 2);
    for (let p = 0; p < pointCount; p++) { const s = -offsets[3 * p + 1] / r; points.set([0.1 + r * (1 - Math.cos(s)), 2 - r * Math.sin(s), 0], 3 * p); }
    poser.into(pose, points);
    // the bones are chords of it: all alike, each as long as it was, turned as the points have it
    const length0 = (i: number): number => Math.hypot(...[0, 1, 2].map((c) => pose[16 * paths[0].nodes[i + 1] + 12 + c] - pose[16 * paths[0].nodes[i] + 12 + c]));
    for (let i = 0; i < 3; i++) expect(length0(i)).toBeCloseTo(0.1, 9);
    paths[0].nodes.forEach((n, i) => {
      // the way a joint's −y points is the way to the next point
      const a = 3 * paths[0].at[i], b = 3 * paths[0].at[i + 1], l = Math.hypot(points[b] - points[a], points[b + 1] - points[a + 1]);
      for (let c = 0; c < 2; c++) expect(-pose[16 * n + 4 + c]).toBeCloseTo((points[b + c] - points[a + c]) / l, 6);
    });
    expect(pose.slice(16 * 6, 16 * 7)).toEqual(rest.slice(16 * 6, 16 * 7));
  });
  it('give back what an animation has: its shape, put on as points, is its pose', () => {
    const h = Math.SQRT1_2, clip: Clip = { name: 'wag', duration: 1, channels: [3, 4].map((node) => ({ node, path: 'rotation' as const, interpolation: 'LINEAR' as const, times: Float32Array.of(0, 1), values: Float32Array.of(0, 0, 0, 1, 0, 0, Math.sin(0.3), Math.cos(0.3)) })) };
    clip.channels.push({ node: 1, path: 'rotation', interpolation: 'LINEAR', times: Float32Array.of(0, 1), values: Float32Array.of(0, 0, 0, 1, h, 0, 0, h) });
    const { document, scene } = groomOf(post(5, clip), [chain({ joints: tail(5) })], () => undefined, 'wag'), { character } = scene, { paths, pointCount, offsets } = plantChains(character, document.chains), shape = new ChainShape(character, paths, pointCount, offsets), pose = poseCharacter(character, character.clips[0], 1), out = new Float64Array(offsets.length), motions = new Float64Array(7), world = new Float64Array(out.length);
    expect(scene.shape).toBeDefined();
    shape.into(pose, out);
    new RootPoser(scene, new Stage(scene, 0)).rootsInto(pose, motions);
    placeGuides(out, motions, pointCount, world);
    const again = pose.slice();
    new ChainPoser(character, paths, pointCount, offsets).into(again, world);
    // a turn in one plane has no twist that could be lost
    again.forEach((v, k) => expect(v).toBeCloseTo(pose[k], 5));
  });
  it('follow the animation where hold is full, and hang where it is none', () => {
    const clip: Clip = { name: 'wag', duration: 1, channels: [{ node: 3, path: 'rotation', interpolation: 'LINEAR', times: Float32Array.of(0, 0.5, 1), values: Float32Array.of(0, 0, 0, 1, 0, 0, Math.sin(0.25), Math.cos(0.25), 0, 0, 0, 1) }] };
    const run = (hold: number): number => {
      const { document, scene } = groomOf(post(5, clip), [chain({ joints: tail(5) })], (d) => { d.sway.hold = hold; d.sway.profiles.hold = [[0, 1], [1, 1]]; d.sway.roles = { body: 'off', garment: 'off', accessory: 'off', prop: 'off', carrier: 'off' }; d.sway.meshes = {}; }, 'wag'), sway = new SwayRun(scene, -4, { kernel: 'float64' });
      const { paths: [{ nodes, at }] } = plantChains(scene.character, document.chains);
      while (sway.frame < 12) sway.advance();
      const pose = poseCharacter(scene.character, scene.clip, 0.5), points = sway.positions();
      return Math.max(...nodes.map((n, i) => Math.hypot(...[0, 1, 2].map((c) => points[3 * at[i] + c] - pose[16 * n + 12 + c]))));
    };
    expect(run(1)).toBeLessThan(2e-3);
    expect(run(0)).toBeGreaterThan(0.05);
  });
  it('bend no further than they may, in any joint and any frame, in both kernels; bones keep their lengths', () => {
    for (const kernel of ['float64', 'simd'] as const) for (const bendDeg of [12, 40]) {
      const { document, scene } = groomOf(post(6), [chain({ joints: tail(6), bendDeg }), chain({ joints: ['arm'] })], (d) => { Object.assign(d.sway, { hold: 0, damping: 0.2, bendDamping: 0, calmStart: false, windSpeed: 25, windTurn: 90, windRise: 40, gust: 1, material: 'elastic cord', roles: { body: 'off', garment: 'off', accessory: 'off', prop: 'off', carrier: 'off' }, meshes: {} }); }), run = new SwayRun(scene, 0, { kernel }), { paths: [{ at }], offsets } = plantChains(scene.character, document.chains);
      let most = 0, stretch = 0;
      while (run.frame < 24) {
        stretch = Math.max(stretch, run.advance().stretch);
        const P = run.positions(), way = (A: ArrayLike<number>, i: number): number[] => { const v = [0, 1, 2].map((c) => A[3 * at[i + 1] + c] - A[3 * at[i] + c]), l = Math.hypot(...v); return v.map((x) => x / l); };
        // all bones point down in the rest pose, and the root does not turn
        for (let i = 0; i + 1 < at.length; i++) { const d = way(P, i), before = i > 0 ? way(P, i - 1) : way(offsets, 0); most = Math.max(most, (180 / Math.PI) * Math.acos(Math.min(1, d.reduce((s, v, c) => s + v * before[c], 0)))); }
      }
      expect(most).toBeGreaterThan(bendDeg - 0.5);
      expect(most).toBeLessThan(bendDeg + 0.5);
      expect(stretch).toBeLessThan(2e-3);
    }
  });
  it('go on in another run to the bit, animated and limited', () => {
    const clip: Clip = { name: 'wag', duration: 1, channels: [{ node: 3, path: 'rotation', interpolation: 'LINEAR', times: Float32Array.of(0, 0.5, 1), values: Float32Array.of(0, 0, 0, 1, 0, 0, Math.sin(0.4), Math.cos(0.4), 0, 0, 0, 1) }] }, { scene } = groomOf(post(5, clip), [chain({ joints: tail(5), bendDeg: 15 })], (d) => { d.sway.hold = 0.3; }, 'wag'), begin = (): SwayRun => new SwayRun(scene, -3), a = begin(), b = begin();
    while (a.frame < 7) a.advance();
    unpackRun(b, packRun(a));
    while (a.frame < 14) { a.advance(); b.advance(); expect([...b.positions()]).toEqual([...a.positions()]); }
  });
  it('leave fingers and feet without pills, as hair does, and give up none of them when a chain goes', () => {
    const character = post(4), keep = (): string => '0'.repeat(64), chains = [chain({ joints: tail(4) })];
    character.nodes[character.nodes.length - 1] = { ...character.nodes[character.nodes.length - 1], name: 'footL' };
    const first = chainDocument(withChainRoots(character), newDocument('body', shot), chains, keep);
    expect(first.sway.pillsWithout).toEqual(['footL', ...tail(4)]);
    expect(withChains(character, first, [chain({ joints: tail(4), kept: 3 })], keep).sway.pillsWithout).toEqual(['footL', 'tail4']);
  });
  it('are changed as one thing: what collides follows, what was set stays', () => {
    const character = post(5), keep = (): string => '0'.repeat(64), one = [chain({ joints: tail(5) })], first = chainDocument(withChainRoots(character), newDocument('body', shot), one, keep);
    expect([first.sway.pillsWithout, first.sway.meshes.body.as, first.guides!.count]).toEqual([tail(5), 'pills', 1]);
    first.sway.hold = 0.9;
    const two = withChains(character, first, [chain({ joints: tail(5), kept: 3 }), chain({ joints: ['arm'] })], keep);
    expect([two.sway.hold, two.guides!.count, two.sway.pillsWithout]).toEqual([0.9, 2, ['tail4', 'tail5', 'arm']]);
  });
});
