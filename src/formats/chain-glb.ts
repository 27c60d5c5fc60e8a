/**
 * Joint chains with hair cards skinned to them as glTF binary: the joints that carry the hair, with the character's movement
 * baked, below each its chains, with keys of every frame; all tracks share their times.
 *
 * A chain's joints are turned as the world is in the rest pose, so that a joint's place seen from the one before is the way between them,
 * and the inverse bind matrix only takes back where it is.
 */
import { Document, WebIO, type Node } from '@gltf-transform/core';
import { EXTMeshoptCompression } from '@gltf-transform/extensions';
import { MeshoptEncoder } from 'meshoptimizer';
import { jointsAt, type Chain } from '../core/bake/chains';
import type { CardMesh } from '../core/fill/cards';
import { multiplyQuats, quatFromAxes } from '../core/math/mat4';
import type { Vec3 } from '../core/math/vec';
import { Axes } from './axes';
import { accessorIn, cardMaterial, cardPrimitive } from './card-mesh';

/** A joint of the character that carries hair, or colliders: where it is in the rest pose and in every frame. */
export interface CarrierTrack { name: string; rest: RigidPlace; frames: readonly RigidPlace[] }
/** Quaternion, place (m) and size. */
export interface RigidPlace { rotation: readonly [number, number, number, number]; place: readonly [number, number, number]; scale: number }

/** A place of a node from its matrix; parts that are no turn, move or even size are left out. */
export function placeOf(m: ArrayLike<number>, o = 0): RigidPlace {
  const column = (c: number): [number, number, number] => [m[o + 4 * c], m[o + 4 * c + 1], m[o + 4 * c + 2]], length = (v: readonly number[]): number => Math.hypot(...v) || 1, unit = (v: readonly number[]): number[] => v.map((x) => x / length(v));
  const x = unit(column(0)), y0 = column(1), d = x[0] * y0[0] + x[1] * y0[1] + x[2] * y0[2], y = unit(y0.map((v, k) => v - d * x[k])), z = [x[1] * y[2] - x[2] * y[1], x[2] * y[0] - x[0] * y[2], x[0] * y[1] - x[1] * y[0]];
  return { rotation: quatFromAxes(x as Vec3, y as Vec3, z as Vec3), place: column(3), scale: (length(column(0)) + length(column(1)) + length(column(2))) / 3 };
}

/** Which joints a vertex of a card follows; up to four, weights sum to 1. `guides`: bonds of the vertex to guides and the share of their length. */
export function skinOf(bonds: readonly { guide: number; share: number; weight: number }[], chains: readonly Chain[], chainOf: ArrayLike<number>, allowed?: ReadonlySet<number>): { chain: number; joint: number; weight: number }[] {
  const sums = new Map<number, number>();
  for (const b of bonds) {
    const chain = chainOf[b.guide];
    if (allowed && !allowed.has(chain)) continue;
    for (const { joint, weight } of jointsAt(b.share, chains[chain].places.length / 3 - 1)) sums.set(1000 * chain + joint, (sums.get(1000 * chain + joint) ?? 0) + b.weight * weight);
  }
  const best = [...sums].sort((a, b) => b[1] - a[1] || a[0] - b[0]).slice(0, 4), total = best.reduce((n, [, w]) => n + w, 0) || 1;
  return best.map(([key, w]) => ({ chain: Math.floor(key / 1000), joint: key % 1000, weight: w / total }));
}

export interface ChainFile {
  name: string;
  clip: string;
  /** s */
  times: Float32Array;
  carriers: readonly CarrierTrack[];
  /** Carrier of each chain, by number in `carriers`. */
  chains: readonly { chain: Chain; carrier: number; name: string }[];
  cards: { mesh: CardMesh; triangles: Uint32Array; skin: (vertex: number) => { chain: number; joint: number; weight: number }[] };
  atlas: number;
  colours: Uint8Array;
  axes: Axes;
  /** Without: the still groom. */
  animated: boolean;
  /** Put to the file before it is written; nodes by name. */
  more?: (document: Document, nodes: ReadonlyMap<string, Node>) => void;
  /** Whether chains end in a node that no vertex follows. */
  ends?: boolean;
  /** Turns as 16-bit numbers, and all numbers compressed with meshopt without a loss. */
  packed?: boolean;
}

/** Turns of a packed file are rounded to so many steps from 0 to 1. */
const TURN_STEPS = 32767;
/** m: how far rounded turns can move any joint or tip at most: each of them by the angle that a quaternion half a step off in all its numbers is off, about all that hangs on it. */
export function roundingOf(chains: readonly { places: ArrayLike<number> }[], carriers: readonly (readonly number[])[]): number {
  const angle = 2 / TURN_STEPS;
  let most = 0;
  chains.forEach(({ places: P }, c) => {
    const n = P.length, apart = (a: ArrayLike<number>, o: number, p: number): number => Math.hypot(a[o] - P[p], a[o + 1] - P[p + 1], a[o + 2] - P[p + 2]);
    let rest = 0, sum = 0, farthest = 0;
    for (let o = n - 6; o >= 0; o -= 3) { rest += apart(P, o, o + 3); sum += rest; }
    for (let o = 0; o < n; o += 3) farthest = Math.max(farthest, apart(carriers[c], 0, o));
    most = Math.max(most, angle * (sum + farthest));
  });
  return most;
}

export async function writeChainGlb(file: ChainFile): Promise<Uint8Array> {
  const { axes, times, carriers, chains, cards } = file, document = new Document(), buffer = document.createBuffer(), accessor = accessorIn(document, buffer), scene = document.createScene(file.name), nodes = new Map<string, Node>();
  document.getRoot().getAsset().generator = 'Fine Comb';
  document.getRoot().setDefaultScene(scene);
  const input = file.animated ? accessor('SCALAR', times) : null, animation = file.animated ? document.createAnimation(file.clip || 'still') : null;
  const track = (node: Node, path: 'rotation' | 'translation' | 'scale', values: Float32Array): void => {
    if (!animation || !input) return;
    const output = path !== 'rotation' ? accessor('VEC3', values) : file.packed ? accessor('VEC4', Int16Array.from(values, (v) => Math.round(TURN_STEPS * v))).setNormalized(true) : accessor('VEC4', values);
    const sampler = document.createAnimationSampler().setInput(input).setOutput(output).setInterpolation('LINEAR');
    animation.addSampler(sampler).addChannel(document.createAnimationChannel().setTargetNode(node).setTargetPath(path).setSampler(sampler));
  };
  const q3 = (q: ArrayLike<number>): [number, number, number, number] => [...axes.rotations(q, new Float64Array(4))] as [number, number, number, number], p3 = (p: ArrayLike<number>): [number, number, number] => [...axes.places(p, new Float64Array(3))] as [number, number, number];
  // joints of a skin have one node above them all
  const above = document.createNode(`${file.name}_root`);
  scene.addChild(above);
  const carrierNodes = carriers.map((c) => {
    const node = document.createNode(c.name).setRotation(unitQuat(q3(c.rest.rotation))).setTranslation(p3(c.rest.place)).setScale([c.rest.scale, c.rest.scale, c.rest.scale]);
    above.addChild(node);
    nodes.set(c.name, node);
    const rotations = steady(Float32Array.from(c.frames.flatMap((f) => unitQuat(q3(f.rotation)))));
    track(node, 'rotation', rotations);
    track(node, 'translation', Float32Array.from(c.frames.flatMap((f) => p3(f.place))));
    if (c.frames.some((f) => Math.abs(f.scale - c.rest.scale) > 1e-6)) track(node, 'scale', Float32Array.from(c.frames.flatMap((f) => [f.scale, f.scale, f.scale])));
    return node;
  });
  const joints: Node[] = [], binds: number[] = [], place = new Map<number, number>();
  chains.forEach(({ chain, carrier, name }, c) => {
    const { rest } = carriers[carrier], count = chain.places.length / 3 - 1, back: [number, number, number, number] = [-rest.rotation[0], -rest.rotation[1], -rest.rotation[2], rest.rotation[3]];
    let parent = carrierNodes[carrier];
    for (let j = 0; j < count + (file.ends ? 1 : 0); j++) {
      const at = chain.places.subarray(3 * j, 3 * j + 3), node = document.createNode(`${name}_${j === count ? 'end' : j + 1}`);
      if (j === 0) {
        const away = turned(back, [at[0] - rest.place[0], at[1] - rest.place[1], at[2] - rest.place[2]]);
        node.setTranslation(p3(away.map((v) => v / rest.scale))).setRotation(unitQuat(q3(back))).setScale([1 / rest.scale, 1 / rest.scale, 1 / rest.scale]);
      } else node.setTranslation(p3([at[0] - chain.places[3 * j - 3], at[1] - chain.places[3 * j - 2], at[2] - chain.places[3 * j - 1]]));
      parent.addChild(node);
      nodes.set(node.getName(), node);
      parent = node;
      if (j === count) break;
      place.set(1000 * c + j, joints.length);
      joints.push(node);
      const p = p3(at);
      binds.push(1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -p[0], -p[1], -p[2], 1);
      const keys = new Float32Array(4 * times.length);
      chain.turns.forEach((T, f) => {
        const own = T.subarray(4 * j, 4 * j + 4), before = j === 0 ? back : [-T[4 * j - 4], -T[4 * j - 3], -T[4 * j - 2], T[4 * j - 1]];
        keys.set(unitQuat(q3(multiplyQuats(before, own))), 4 * f);
      });
      track(node, 'rotation', steady(keys));
    }
  });
  const skin = document.createSkin('hair').setInverseBindMatrices(accessor('MAT4', Float32Array.from(binds)));
  for (const j of joints) skin.addJoint(j);
  const { primitive, kept } = cardPrimitive(document, buffer, cards.mesh, cardMaterial(document, file.atlas, file.colours), axes, cards.triangles);
  const J = joints.length > 256 ? new Uint16Array(4 * kept.length) : new Uint8Array(4 * kept.length), W = new Float32Array(4 * kept.length);
  kept.forEach((v, k) => cards.skin(v).forEach(({ chain, joint, weight }, q) => { J[4 * k + q] = place.get(1000 * chain + joint)!; W[4 * k + q] = weight; }));
  primitive.setAttribute('JOINTS_0', accessor('VEC4', J)).setAttribute('WEIGHTS_0', accessor('VEC4', W));
  scene.addChild(document.createNode(file.name).setMesh(document.createMesh(file.name).addPrimitive(primitive)).setSkin(skin));
  file.more?.(document, nodes);
  const io = new WebIO();
  if (file.packed) {
    await MeshoptEncoder.ready;
    io.registerExtensions([EXTMeshoptCompression]).registerDependencies({ 'meshopt.encoder': MeshoptEncoder });
    document.createExtension(EXTMeshoptCompression).setRequired(true).setEncoderOptions({ method: EXTMeshoptCompression.EncoderMethod.QUANTIZE });
  }
  return io.writeBinary(document);
}

const unitQuat = (q: readonly [number, number, number, number]): [number, number, number, number] => { const l = Math.hypot(...q) || 1; return [q[0] / l, q[1] / l, q[2] / l, q[3] / l]; };
const turned = ([x, y, z, w]: readonly number[], [a, b, c]: readonly number[]): [number, number, number] => { const u = 2 * (y * c - z * b), v = 2 * (z * a - x * c), t = 2 * (x * b - y * a); return [a + w * u + y * t - z * v, b + w * v + z * u - x * t, c + w * t + x * v - y * u]; };
/** Of the two quaternions of a turn always the one near the one before, so that nothing spins between keys. */
function steady(keys: Float32Array): Float32Array {
  for (let o = 4; o < keys.length; o += 4) {
    const d = keys[o] * keys[o - 4] + keys[o + 1] * keys[o - 3] + keys[o + 2] * keys[o - 2] + keys[o + 3] * keys[o - 1];
    if (d < 0) for (let c = 0; c < 4; c++) keys[o + c] = -keys[o + c];
  }
  return keys;
}
