import { strToU8, zipSync } from 'fflate';
import { Document, NodeIO } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { tubeGlb } from '../../tests/helpers/tube';
import { inPieces, isRound, joinClips, loops, loopSeam } from '../core/mesh/clips';
import { findNode, poseCharacter, skinPositions, type Character } from '../core/mesh/character';
import { AS_IT_IS, guessUnit, guessUp, placeCharacter, plausibleHeight, turnOf, UPS, type Placement } from '../core/mesh/placement';
import { restBox } from '../core/mesh/rest-box';
import { setBytes, unpackFiles, unpackSet, type NamedFile } from './file-set';
import { chosenCharacter, openCharacter } from './open-character';
import { readObj } from './obj';

const glb = async (edit: (d: Document) => void): Promise<NamedFile> => {
  const io = new NodeIO(), d = await io.readBinary(await tubeGlb());
  edit(d);
  return { name: 'tube.glb', bytes: await io.writeBinary(d) };
};
const open = async (...files: NamedFile[]): Promise<{ character: Character; warnings: string[]; source: string; fileName: string }> => {
  const r = await openCharacter(files);
  if (!r.ok) throw new Error(r.error.message);
  return { ...r.value, warnings: r.warnings };
};
const refusal = async (...files: NamedFile[]): Promise<string> => { const r = await openCharacter(files); if (r.ok) throw new Error('was taken'); return r.error.message; };
/** Skinned places of all meshes at a time of the first clip. */
function places(c: Character, time: number): number[] {
  const pose = poseCharacter(c, c.clips[0] ?? null, time);
  return c.meshes.flatMap((m) => { const P = new Float64Array(m.positions.length); skinPositions(c, m, pose, P); return Array.from(P); });
}
/** Volume that the triangles of a mesh enclose, m³: negative where it is inside out. */
function volume(c: Character, i: number): number {
  const m = c.meshes[i], P = new Float64Array(m.positions.length);
  skinPositions(c, m, poseCharacter(c, null, 0), P);
  let v = 0;
  for (let t = 0; t < m.triangles.length; t += 3) {
    const [a, b, d] = [3 * m.triangles[t], 3 * m.triangles[t + 1], 3 * m.triangles[t + 2]];
    v += (P[a] * (P[b + 1] * P[d + 2] - P[b + 2] * P[d + 1]) - P[a + 1] * (P[b] * P[d + 2] - P[b + 2] * P[d]) + P[a + 2] * (P[b] * P[d + 1] - P[b + 1] * P[d])) / 6;
  }
  return v;
}

describe('sets of files', () => {
  const gltf = async (): Promise<NamedFile[]> => {
    const io = new NodeIO(), { json, resources } = await io.writeJSON(await io.readBinary(await tubeGlb()), {});
    return [{ name: 'tube.gltf', bytes: strToU8(JSON.stringify(json)) }, ...Object.entries(resources).map(([name, bytes]) => ({ name, bytes }))];
  };
  it('a .gltf with its buffer, and a zip of both in a folder, are the same character as the .glb', async () => {
    const files = await gltf(), whole = await open({ name: 'tube.glb', bytes: await tubeGlb() }), parts = await open(...files);
    const zip = zipSync(Object.fromEntries(files.map((f) => [`kit/${f.name}`, f.bytes])), { level: 6 }), packed = await open({ name: 'kit.zip', bytes: zip });
    expect(places(parts.character, 0.4)).toEqual(places(whole.character, 0.4));
    expect(places(packed.character, 0.4)).toEqual(places(whole.character, 0.4));
    expect(packed.fileName).toBe('tube.gltf');
    expect(packed.source).toMatch(/^gltf glTF-Transform/);
  });
  it('what is missing, cut off or one too many is told by name', async () => {
    const [main, bin] = await gltf();
    expect(await refusal(main)).toMatch(/needs “.*\.bin”, which is not among those given/);
    expect(await refusal(main, { ...bin, bytes: bin.bytes.slice(0, 100) })).toMatch(/should have [\d,]+ bytes but has 100/);
    expect(await refusal({ name: 'a.glb', bytes: await tubeGlb() }, { name: 'b.glb', bytes: await tubeGlb() })).toMatch(/2 characters among these files: “a.glb”, “b.glb”/);
    expect(await refusal({ name: 'notes.txt', bytes: strToU8('hello') }, { name: 'more.txt', bytes: strToU8('x') })).toMatch(/None of these files holds a character/);
    expect(await refusal({ name: 'cut.zip', bytes: zipSync({ 'a.glb': await tubeGlb() }).slice(0, 900) })).toMatch(/archive cut.zip could not be unpacked/);
  });
  it('an archive that unpacks to more than is taken is stopped on its way', () => {
    const bomb = zipSync(Object.fromEntries(Array.from({ length: 9 }, (_, k) => [`${k}.bin`, new Uint8Array(1 << 20)])), { level: 9 }), told = (b: Uint8Array): string => { const r = unpackFiles([{ name: 'bomb.zip', bytes: b }], 8); return r.ok ? 'taken' : r.error.message; };
    expect(bomb.length).toBeLessThan(20000);
    expect(told(bomb)).toMatch(/more than 8 MB/);
    // one that lies about the sizes in its directory
    const liar = bomb.slice(), view = new DataView(liar.buffer);
    for (let at = 0; at + 4 < liar.length; at++) if (view.getUint32(at, true) === 0x02014b50) view.setUint32(at + 24, 10, true);
    expect(told(liar)).toMatch(/more than 8 MB/);
  });
  it('a set travels as one body and comes apart again', () => {
    const files = [{ name: 'a b.gltf', bytes: strToU8('{}') }, { name: 'ü.bin', bytes: Uint8Array.of(1, 2, 3) }], back = unpackSet(setBytes(files), 'x');
    expect(back.ok && back.value.map((f) => [f.name, Array.from(f.bytes)])).toEqual(files.map((f) => [f.name, Array.from(f.bytes)]));
    expect(unpackSet(setBytes(files).slice(0, 30), 'x').ok).toBe(false);
  });
});

describe('what files bring', () => {
  it('more than four influences: the four that pull most are used, and told', async () => {
    const file = await glb((d) => {
      const p = d.getRoot().listMeshes()[0].listPrimitives()[0], n = p.getAttribute('POSITION')!.getCount(), buffer = d.getRoot().listBuffers()[0];
      const j = new Uint16Array(4 * n), w = new Float32Array(4 * n).fill(0.25);
      p.setAttribute('JOINTS_0', d.createAccessor().setArray(new Uint16Array(4 * n)).setType('VEC4').setBuffer(buffer)).setAttribute('WEIGHTS_0', d.createAccessor().setArray(new Float32Array(4 * n).fill(0.05)).setType('VEC4').setBuffer(buffer));
      for (let v = 0; v < n; v++) j[4 * v] = 1;
      p.setAttribute('JOINTS_1', d.createAccessor().setArray(j).setType('VEC4').setBuffer(buffer)).setAttribute('WEIGHTS_1', d.createAccessor().setArray(w).setType('VEC4').setBuffer(buffer));
    });
    const { character, warnings } = await open(file), { joints, weights } = character.meshes[0];
    expect(warnings.join(' ')).toMatch(/208 vertices hang on more than four joints/);
    expect(Array.from(joints.slice(0, 4))).toEqual([1, 0, 0, 0]);
    expect(weights[0]).toBeCloseTo(0.25, 6);
  });
  it('a mesh mirrored by its parent faces outwards, where it stands', async () => {
    const make = (scale: [number, number, number]): Promise<NamedFile> => glb((d) => {
      const root = d.getRoot(), tube = root.listNodes().find((n) => n.getMesh())!;
      // closed at both ends by nothing: the sign of the volume still says which way it faces
      root.listScenes()[0].addChild(d.createNode('mirror').setScale(scale).addChild(d.createNode('left').setMesh(d.createMesh('left').addPrimitive(d.createPrimitive().setAttribute('POSITION', tube.getMesh()!.listPrimitives()[0].getAttribute('POSITION')).setIndices(tube.getMesh()!.listPrimitives()[0].getIndices())))));
    });
    const plain = await open(await make([1, 1, 1])), mirrored = await open(await make([-1, 1, 1]));
    expect(volume(mirrored.character, 1)).toBeCloseTo(volume(plain.character, 1), 9);
    expect(mirrored.warnings.join(' ')).toMatch(/left: stood mirrored under its parents/);
    const xs = (c: Character): number[] => { const n = c.meshes[0].positions.length; return places(c, 0).slice(n); };
    expect(xs(mirrored.character).map((v, i) => (i % 3 === 0 ? -v : v)).every((v, i) => Math.abs(v - xs(plain.character)[i]) < 1e-7)).toBe(true);
  });
  it('keys that do not ascend are left out and told; what moves a skinned mesh itself has no effect', async () => {
    const { warnings, character } = await open(await glb((d) => {
      const root = d.getRoot(), buffer = root.listBuffers()[0], clip = root.listAnimations()[0], add = (times: number[], node: string): void => {
        const s = d.createAnimationSampler().setInput(d.createAccessor().setArray(Float32Array.from(times)).setType('SCALAR').setBuffer(buffer)).setOutput(d.createAccessor().setArray(new Float32Array(3 * times.length)).setType('VEC3').setBuffer(buffer));
        clip.addSampler(s).addChannel(d.createAnimationChannel().setTargetNode(root.listNodes().find((n) => n.getName() === node)!).setTargetPath('translation').setSampler(s));
      };
      add([0, 0.5, 0.4], 'low');
      add([0, 1], 'tube');
    }));
    expect(warnings.join(' ')).toMatch(/1 channel was left out, because the keys do not ascend/);
    expect(warnings.join(' ')).toMatch(/a skinned mesh is moved itself, which has no effect/);
    expect(character.clips[0].channels.length).toBe(2);
  });
  it('clips of one name get names of their own, names without end are cut', async () => {
    const { character } = await open(await glb((d) => {
      const root = d.getRoot(), [first] = root.listAnimations(), again = d.createAnimation('bend');
      for (const s of first.listSamplers()) again.addSampler(s);
      for (const c of first.listChannels()) again.addChannel(d.createAnimationChannel().setTargetNode(c.getTargetNode()).setTargetPath('rotation').setSampler(c.getSampler()));
      root.listNodes().find((n) => n.getMesh())!.setName('x'.repeat(900));
    }));
    expect(character.clips.map((c) => c.name)).toEqual(['bend', 'bend 2']);
    expect(character.meshes[0].name.length).toBe(120);
  });
  it('one movement in pieces is seen, and joined', () => {
    const piece = (name: string, node: number) => ({ name, duration: 1, channels: [{ node, path: 'rotation' as const, interpolation: 'LINEAR' as const, times: Float32Array.of(0, 1), values: new Float32Array(8) }] });
    const clips = [piece('walk_hip', 0), piece('walk_knee', 1), piece('walk_foot', 2)];
    expect(inPieces(clips)).toBe(true);
    expect(inPieces([...clips, piece('again', 0)])).toBe(false);
    expect(joinClips(clips)).toMatchObject([{ name: 'walk', duration: 1 }]);
    expect(joinClips(clips)[0].channels.length).toBe(3);
  });
  it('the seam of a clip is measured', async () => {
    const { character } = await open({ name: 'tube.glb', bytes: await tubeGlb() }), whole = loopSeam(character, character.clips[0], 24), half = loopSeam(character, { ...character.clips[0], duration: 0.5 }, 24);
    // the tube bends by 45° and back
    expect(whole.turn).toBeLessThan(1e-6);
    expect(half.turn).toBeCloseTo(Math.PI / 4, 4);
    expect(loops(whole, 0.6)).toBe(true);
    expect(isRound(half, 0.6)).toBe(false);
  });
});

describe('placing', () => {
  const matrix = (p: Placement, [x, y, z]: number[]): number[] => {
    const [a, b, c, w] = turnOf(p), v = [(p.mirror ? -1 : 1) * p.scale * x, p.scale * y, p.scale * z], t = [2 * (b * v[2] - c * v[1]), 2 * (c * v[0] - a * v[2]), 2 * (a * v[1] - b * v[0])];
    return [v[0] + w * t[0] + b * t[2] - c * t[1], v[1] + w * t[1] + c * t[0] - a * t[2], v[2] + w * t[2] + a * t[1] - b * t[0]];
  };
  it.each([{ scale: 0.01 }, { mirror: true }, { up: '+z' as const }, { scale: 0.0254, mirror: true, up: '-x' as const, turn: 90 }])('skinned places are those of the file, moved as asked: %o', async (change) => {
    const { character } = await open({ name: 'tube.glb', bytes: await tubeGlb() }), p = { ...AS_IT_IS, ...change }, placed = placeCharacter(character, p);
    for (const time of [0, 0.3, 0.7]) {
      const from = places(character, time), to = places(placed, time);
      for (let v = 0; v < from.length; v += 3) matrix(p, from.slice(v, v + 3)).forEach((x, k) => expect(Math.abs(x - to[v + k])).toBeLessThan(2e-7));
    }
    expect(Math.sign(volume(placed, 0))).toBe(Math.sign(volume(character, 0)));
  });
  it('every up axis ends upright', () => {
    for (const up of UPS) {
      const axis = ['x', 'y', 'z'].indexOf(up[1]), v = [0, 0, 0];
      v[axis] = up[0] === '-' ? -1 : 1;
      matrix({ ...AS_IT_IS, up }, v).forEach((x, k) => expect(x).toBeCloseTo(k === 1 ? 1 : 0, 12));
    }
  });
  it('units are guessed from the height, and lying files seen', () => {
    expect([1.7, 172, 1720, 67, 5.6].map(guessUnit)).toEqual(['m', 'cm', 'mm', 'in', 'ft']);
    expect([1.3, 0.2, 3.2].map(guessUnit)).toEqual(['m', 'm', 'm']);
    // what fits nothing is taken for the nearest
    expect([7974, 5e-4, 0].map(guessUnit)).toEqual(['mm', 'm', 'm']);
    expect([7974, 7.97, 0.3, 1e-3].map(plausibleHeight)).toEqual([false, true, true, false]);
    expect(guessUp([-0.4, -0.2, 0], [0.4, 0.2, 1.7])).toBe('+z');
    expect(guessUp([-0.4, 0, -0.2], [0.4, 1.7, 0.2])).toBe('+y');
    // a quadruped that stands on its feet is longer than tall, but no lying person
    expect(guessUp([-0.25, 0, -0.9], [0.25, 1.3, 0.9])).toBe('+y');
  });
  it('roles and joined clips are those chosen', async () => {
    const { character } = await open({ name: 'tube.glb', bytes: await tubeGlb() }), made = chosenCharacter(character, { placement: { ...AS_IT_IS, up: '+z' }, joinClips: false, roles: { tube: 'garment' } });
    expect(made.meshes[0].role).toBe('garment');
    expect(made.nodes[findNode(made, 'low')].parent).toBe(0);
    const { low, high } = restBox(made);
    expect(high[2] - low[2]).toBeCloseTo(0.6, 5);
  });
});

describe('OBJ', () => {
  const text = (lines: string[]): Uint8Array => strToU8(lines.join('\n'));
  const square = ['v 0 0 0', 'v 1 0 0', 'v 1 1 0', 'v 0 1 0'];
  it('faces by number, backwards, with normals, over several lines; polylines; materials with their colours', () => {
    const r = readObj(text([...square, 'vn 0 0 1', 'o plate', 'usemtl red', 'f 1//1 2//1 3//1 4//1', 'o back', 'f -4 \\', '-3 -2', 'l 1 2 3']), [text(['newmtl red', 'Kd 1 0.2 0'])]);
    if (!r.ok) throw new Error(r.error.message);
    expect(r.value.meshes.map((m) => [m.name, m.triangles.length])).toEqual([['plate', 6], ['back', 3]]);
    expect(Array.from(r.value.meshes[0].normals.slice(0, 3))).toEqual([0, 0, 1]);
    expect(r.value.materials[0].color).toEqual([1, 0.2, 0]);
    expect(Array.from(r.value.lines[0])).toEqual([0, 0, 0, 1, 0, 0, 1, 1, 0]);
  });
  it('a hollow polygon is cut within its outline', () => {
    const r = readObj(text(['v 0 0 0', 'v 2 0 0', 'v 2 2 0', 'v 1 0.5 0', 'v 0 2 0', 'f 1 2 3 4 5']));
    if (!r.ok) throw new Error(r.error.message);
    const m = r.value.meshes[0];
    let area = 0;
    for (let t = 0; t < m.triangles.length; t += 3) {
      const [a, b, c] = [0, 1, 2].map((k) => m.positions.slice(3 * m.triangles[t + k], 3 * m.triangles[t + k] + 3)), s = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
      expect(s).toBeGreaterThan(0);
      area += s / 2;
    }
    expect(area).toBeCloseTo(2.5, 6); // the square of 4 less the notch of 1.5
  });
  it('what is wrong is told with its line', async () => {
    expect(await refusal({ name: 'a.obj', bytes: text([...square, 'f 1 2 9']) })).toMatch(/Line 5: a face names vertex 9, but 4 are there/);
    expect(await refusal({ name: 'a.obj', bytes: text(['v 0 zero 0']) })).toMatch(/Line 1: .*not a place of three numbers/);
    expect(await refusal({ name: 'a.obj', bytes: text([...square, 'l 1 2 3']) })).toMatch(/holds 1 lines and no surface/);
    expect(await refusal({ name: 'a.obj', bytes: text(['dear diary']) })).toMatch(/not an OBJ file/);
  });
});
