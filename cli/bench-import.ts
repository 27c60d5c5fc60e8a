/** `./comb bench import`: what it takes to read a large character, beside merely copying its bytes. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { cpus } from 'node:os';
import { Document, NodeIO } from '@gltf-transform/core';
import { Surface } from '../src/core/mesh/surface';
import { poseCharacter, skinPositions } from '../src/core/mesh/character';
import { AS_IT_IS } from '../src/core/mesh/placement';
import { chosenCharacter, openCharacter } from '../src/formats/open-character';
import { packCharacter, unpackCharacter } from '../src/formats/packed-character';

const ROWS = 250, AROUND = 400, JOINTS = 60, SECONDS = 20, RATE = 30;

/** A skinned tube of 200,000 triangles on a chain of joints that all move for 20 s. */
async function large(): Promise<Uint8Array> {
  const d = new Document(), buffer = d.createBuffer(), scene = d.createScene(), n = (ROWS + 1) * AROUND;
  const P = new Float32Array(3 * n), J = new Uint16Array(4 * n), W = new Float32Array(4 * n), T = new Uint32Array(6 * ROWS * AROUND);
  for (let j = 0; j <= ROWS; j++) for (let i = 0; i < AROUND; i++) {
    const v = j * AROUND + i, a = (i / AROUND) * 2 * Math.PI, along = (j / ROWS) * (JOINTS - 1), joint = Math.min(JOINTS - 2, Math.floor(along));
    P.set([0.2 * Math.cos(a), 1.7 * (j / ROWS), 0.2 * Math.sin(a)], 3 * v);
    J.set([joint, joint + 1, 0, 0], 4 * v);
    W.set([1 - (along - joint), along - joint, 0, 0], 4 * v);
  }
  for (let j = 0, o = 0; j < ROWS; j++) for (let i = 0; i < AROUND; i++, o += 6) { const a = j * AROUND + i, b = j * AROUND + ((i + 1) % AROUND); T.set([a, a + AROUND, b, b, a + AROUND, b + AROUND], o); }
  const put = (array: Float32Array<ArrayBuffer> | Uint16Array<ArrayBuffer> | Uint32Array<ArrayBuffer>, type: 'SCALAR' | 'VEC3' | 'VEC4' | 'MAT4') => d.createAccessor().setArray(array).setType(type).setBuffer(buffer);
  const joints = Array.from({ length: JOINTS }, (_, k) => d.createNode(`joint ${k}`).setTranslation([0, k === 0 ? 0 : 1.7 / (JOINTS - 1), 0]));
  joints.slice(1).forEach((j, k) => joints[k].addChild(j));
  const skin = d.createSkin(), bind = new Float32Array(16 * JOINTS);
  joints.forEach((j, k) => { skin.addJoint(j); bind.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, (-1.7 * k) / (JOINTS - 1), 0, 1], 16 * k); });
  skin.setInverseBindMatrices(put(bind, 'MAT4'));
  const body = d.createPrimitive().setAttribute('POSITION', put(P, 'VEC3')).setAttribute('JOINTS_0', put(J, 'VEC4')).setAttribute('WEIGHTS_0', put(W, 'VEC4')).setIndices(put(T, 'SCALAR'));
  scene.addChild(joints[0]).addChild(d.createNode('body').setMesh(d.createMesh('body').addPrimitive(body)).setSkin(skin));
  const clip = d.createAnimation('walk'), keys = SECONDS * RATE + 1, times = put(Float32Array.from({ length: keys }, (_, k) => k / RATE), 'SCALAR');
  for (const [k, joint] of joints.entries()) {
    const values = new Float32Array(4 * keys);
    for (let q = 0; q < keys; q++) { const a = 0.01 * Math.sin(q / 9 + k); values.set([Math.sin(a), 0, 0, Math.cos(a)], 4 * q); }
    const s = d.createAnimationSampler().setInput(times).setOutput(put(values, 'VEC4'));
    clip.addSampler(s).addChannel(d.createAnimationChannel().setTargetNode(joint).setTargetPath('rotation').setSampler(s));
  }
  return new NodeIO().writeBinary(d);
}

const bytes = await large(), lines: [string, number][] = [];
const time = async <T>(name: string, work: () => T | Promise<T>): Promise<T> => { const t = performance.now(), out = await work(); lines.push([name, performance.now() - t]); return out; };
await time('copying its bytes ten times', () => { for (let k = 0; k < 10; k++) bytes.slice(); });
const opened = await time('reading and mending it', () => openCharacter([{ name: 'large.glb', bytes }]));
if (!opened.ok) throw new Error(opened.error.message);
const placed = await time('bringing it from centimetres, mirrored and turned', () => chosenCharacter(opened.value.character, { placement: { ...AS_IT_IS, scale: 0.01, mirror: true, up: '+z' }, joinClips: false, roles: {} }));
const packed = await time('packing it', () => packCharacter(placed));
await time('unpacking it, as a page does', () => unpackCharacter(packed));
const P = new Float64Array(placed.meshes[0].positions.length);
await time('skinning a frame', () => skinPositions(placed, placed.meshes[0], poseCharacter(placed, placed.clips[0], 7), P));
await time('a tree to point at it', () => new Surface(P, placed.meshes[0].triangles));

const all = lines.slice(1).reduce((s, [, ms]) => s + ms, 0);
for (const [name, ms] of lines) console.log(`${ms.toFixed(0).padStart(7)} ms  ${(ms / all).toFixed(3).padStart(6)} of all  ${name}`);
console.log(`${all.toFixed(0).padStart(7)} ms  all of it; ${placed.meshes[0].triangles.length / 3} triangles, ${SECONDS} s of ${JOINTS} joints, ${(bytes.length / 1048576).toFixed(1)} MB`);
mkdirSync('bench-results', { recursive: true });
writeFileSync(`bench-results/import-${new Date().toISOString().replace(/[:.]/g, '-')}.json`, `${JSON.stringify({ machine: { cpu: cpus()[0]?.model, node: process.version }, lines: Object.fromEntries(lines) }, null, 2)}\n`);
