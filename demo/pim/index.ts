/**
 * Builds Pim, a child at the lock: Oda's forms in a child's proportions, an oilskin and boots; her hair is a plain mesh on the head's
 * node, a cap drawn back into a plait, without a joint of its own.
 */
import { clamp, mix, smoothStep } from '../../src/core/math/vec';
import * as clothes from '../oda/clothes';
import { bareHead, browMesh, EYE, hairlineHeight, head, lashMesh, lipShare } from '../oda/head';
import { eyeMesh, faceColour, SKIN, shadeSkin } from '../oda/index';
import { bones as grown, EYE_LINE, followWeights, lookBackClip, type Follow } from '../oda/rig';
import { faceOutward, loft } from '../shape/cloth';
import { evenLines, extract, fieldOpenness, gridLines, type Mesh } from '../shape/extract';
import { curve, smoothMax, spline, type Field } from '../shape/field';
import { linear, writeGlb, type Material, type Part } from '../shape/glb';
import { lowestPoint, packWeights, sampleKeys, turn, type Bone, type DemoClip, type Key } from '../shape/rig';

const { abs, min, max, hypot, sin, cos, PI, atan2, pow } = Math;

const MATERIALS: Record<string, Material> = {
  skin: { roughness: 0.55 }, eye: { roughness: 0.07 }, brow: { color: linear('#4a3325'), roughness: 0.9 }, lash: { color: linear('#1c1310'), roughness: 0.8, twoSided: true },
  oilskin: { color: linear('#c99a3a'), roughness: 0.58, twoSided: true }, trim: { color: linear('#b5862c'), roughness: 0.62, twoSided: true }, horn: { color: linear('#2b211b'), roughness: 0.4 },
  twill: { color: linear('#39506a'), roughness: 0.95 }, boot: { color: linear('#6d2f2b'), roughness: 0.5 }, hair: { color: linear('#6a452b'), roughness: 0.5 }, ribbon: { color: linear('#5e8fa6'), roughness: 0.7 },
};

// a child of six beside a woman: where each height of hers is on the child, mm; how wide the body is for hers
const heightOf = curve([[0, 0], [60, 44], [372, 196], [490, 278], [700, 384], [920, 498], [1050, 572], [1200, 658], [1350, 742], [1410, 776]]), wideOf = curve([[0, 0.72], [400, 0.64], [700, 0.64], [920, 0.7], [1090, 0.8], [1200, 0.72], [1300, 0.65], [1400, 0.61]]);
/** Where the middle of the head's frame is on the child. */
const EYES = 897, HEAD = 1;
/** From Oda's world to the child's, mm; clothes follow the body all the way up. */
function small([x, y, z]: readonly number[], cloth = false): [number, number, number] {
  const top = cloth ? 0 : smoothStep(1446, 1512, y), w = wideOf(min(y, 1410)), low = [x * w, heightOf(min(y, 1410)) + 0.6 * max(0, y - 1410), (z + 40) * w - 34], [hx, hy, hz] = childHead([x, y - EYE_LINE, z]);
  return [mix(low[0], hx, top), mix(low[1], hy + EYES, top), mix(low[2], hz, top)];
}
/** In the head's frame: a rounder skull, a lower and shorter face, fuller cheeks, larger eyes, a smaller nose. */
function childHead([x0, y0, z0]: ArrayLike<number> & Iterable<number>): [number, number, number] {
  const side = Math.sign(x0) || 1, ex = x0 - side * EYE.x, ey = y0 - EYE.y, ez = z0 - EYE.z, far = hypot(ex, ey, 0.7 * ez), larger = 1 + 0.24 * (1 - smoothStep(13, 40, far)), nose = Math.exp(-(x0 * x0) / 260) * smoothStep(6, -14, y0) * smoothStep(-52, -38, y0) * smoothStep(80, 92, z0);
  const x = side * EYE.x + ex * larger + side * 1.2 * (1 - smoothStep(13, 40, far)), y = EYE.y + ey * larger + 3 * nose, z = EYE.z + ez * (1 + 0.3 * (larger - 1)) - 2.5 * nose;
  const face = smoothStep(10, 60, z), below = max(0, -y), jaw = smoothStep(20, 110, below) * (1 - smoothStep(125, 170, below)), cheek = Math.exp(-((below - 48) ** 2) / 1000) * face * smoothStep(16, 40, abs(x)), mouth = Math.exp(-((below - 68) ** 2) / 500) * smoothStep(66, 80, z) * (1 - smoothStep(24, 46, abs(x)));
  return [HEAD * x * (1 - 0.05 * jaw * face + 0.1 * cheek - 0.16 * mouth), HEAD * (y < 0 ? y * mix(1, 0.82, smoothStep(0, 60, below) * (1 - smoothStep(130, 200, below))) : y * 1.02), HEAD * z * (1 - 0.06 * jaw * face)];
}

/** Hers, but behind the ear and not round it. */
const hairline = (x: number, z: number): number => { const a = (atan2(x, z + 20) * 180) / PI; return a > 76 && a < 112 ? mix(mix(2, 18, smoothStep(76, 92, a)), -8, smoothStep(96, 112, a)) : hairlineHeight(a); };
/** The cap: over the scalp, combed back to the nape in grooves, parted in the middle. */
const NAPE = [0, -34, -104];
const cap: Field = (x, y, z) => {
  const back = atan2(x, y - NAPE[1] + 18), depth = 7.5 + 2.2 * smoothStep(20, 90, y) + 1.3 * cos(44 * back) * smoothStep(14, 40, hypot(x, y - NAPE[1])) - 5 * Math.exp(-(x * x) / 7) * smoothStep(36, 62, y) * smoothStep(-70, -30, z), bare = bareHead(x, y, z), shell = smoothMax(bare - depth, -(bare + 4), 3);
  // drawn in at the edge of the hair
  return smoothMax(shell, 0.8 * (hairline(abs(x), z) - y), 5);
};
const PLAIT = spline([[0, -38, -108], [0, -62, -126], [2, -100, -140], [4, -160, -147], [2, -230, -152], [-2, -300, -156], [0, -362, -160]], 160), STRANDS = 3, TURNS = 6.5;

/** One of the three strands: a tube that crosses the others over and over, with its own hairs as grooves. */
function strand(k: number): Mesh {
  const rings: number[][][] = [], last = PLAIT.length - 1, ring = 14;
  const place = (i: number): number[] => {
    const t = i / last, a = 2 * PI * (TURNS * t + k / STRANDS), w = mix(15, 9.5, t) * smoothStep(-0.02, 0.05, t), [x, y, z] = PLAIT[i];
    return [x + w * sin(a), y, z + 0.55 * w * sin(2 * a)];
  };
  for (let i = 0; i <= last; i++) {
    const p = place(i), q = place(min(last, i + 1)), o = place(max(0, i - 1)), d = [0, 1, 2].map((c) => q[c] - o[c]), l = hypot(...d) || 1, t = d.map((v) => v / l), share = i / last, r = mix(13, 8.5, share) * smoothStep(-0.02, 0.04, share) * (1 - 0.45 * smoothStep(0.93, 1, share));
    const u = [t[1], -t[0], 0], ul = hypot(...u) || 1, a = u.map((v) => v / ul), b = [t[1] * a[2] - t[2] * a[1], t[2] * a[0] - t[0] * a[2], t[0] * a[1] - t[1] * a[0]];
    rings.push(Array.from({ length: ring }, (_, n) => { const g = (n / ring) * 2 * PI, s = r * (1 + 0.07 * cos(7 * g + 9 * share)); return [0, 1, 2].map((c) => p[c] + s * (cos(g) * a[c] + sin(g) * b[c])); }));
  }
  return loft(rings);
}
/** What hangs free below the ribbon. */
function tuft(): Mesh {
  const rings: number[][][] = [], ring = 20;
  for (let i = 0; i <= 18; i++) {
    const t = i / 18, r = 11 * pow(sin(PI * (0.22 + 0.72 * t)), 0.9) * (1 + 0.5 * t) * (1 - smoothStep(0.72, 1, t) * 0.82), y = -362 - 78 * t;
    rings.push(Array.from({ length: ring }, (_, n) => { const g = (n / ring) * 2 * PI, s = r * (1 + 0.13 * cos(6 * g + 2 * t)); return [s * cos(g) + 3 * t * sin(3 * t), y, -160 + 0.8 * s * sin(g) - 5 * t]; }));
  }
  return loft(rings);
}
function ribbon(): Mesh {
  return loft(Array.from({ length: 28 }, (_, i) => { const a = (i / 28) * 2 * PI; return Array.from({ length: 10 }, (__, k) => { const b = (k / 10) * 2 * PI, r = 12 + 4.2 * cos(b); return [r * cos(a), -362 + 9 * sin(b), -160 + 0.85 * r * sin(a)]; }); }), { cyclic: true });
}

function hops(bones: readonly Bone[]): DemoClip {
  const duration = 2, fps = 24, gravity = 9.81, sampled: Record<string, Key[]> = {}, rotations: Record<string, Key[]> = {}, keys = (...k: number[][]): Key[] => k.map(([t, x, y = 0, z = 0]) => [t, [x, y, z]]), put = (name: string, k: Key[]): void => { sampled[name] = sampleKeys(k, duration, fps, true); rotations[name] = sampled[name].map(([t, [x, y, z]]): Key => [t, turn(x, y, z)]); };
  // down, off, and down again, twice; the second hop with half a turn of the shoulders
  const off = [0.5, 1.375], down = [0.833, 1.708];
  for (const n of ['L', 'R']) {
    put(`thigh${n}`, keys([0, -6], [0.33, -44], [off[0], 6], [0.66, -24], [down[0], -16], [1, -38], [1.2, -40], [off[1], 6], [1.54, -30], [down[1], -14], [1.87, -34], [2, -6]));
    put(`shin${n}`, keys([0, 10], [0.33, 74], [off[0], 4], [0.66, 52], [down[0], 22], [1, 62], [1.2, 68], [off[1], 4], [1.54, 60], [down[1], 20], [1.87, 56], [2, 10]));
    put(`foot${n}`, keys([0, -4], [0.33, -30], [off[0], 30], [0.66, 22], [down[0], 6], [1, -24], [1.2, -28], [off[1], 30], [1.54, 20], [down[1], 6], [1.87, -22], [2, -4]));
  }
  put('spine', keys([0, 2, -3], [0.33, 12, -4], [off[0], -2], [down[0], 4], [1, 9, 5], [1.2, 10, 9], [off[1], -2, -6], [down[1], 4, -12], [1.87, 8, -8], [2, 2, -3]));
  put('chest', keys([0, 0, -3], [0.33, 6, -4], [off[0], -6], [down[0], 2], [1.2, 6, 8], [off[1], -6, -8], [down[1], 2, -14], [2, 0, -3]));
  put('head', keys([0, 0, 8], [0.33, -10, 10], [off[0], 6, 0], [down[0], 2, -6], [1, -8, -14], [1.2, -9, -22], [off[1], 6, 8], [down[1], 2, 24], [1.87, -7, 18], [2, 0, 8]));
  // one arm waves, the other swings
  put('upperArmL', keys([0, -12, 0, 70], [0.5, -16, 0, 92], [1, -12, 0, 76], [1.4, -16, 0, 96], [2, -12, 0, 70]));
  put('foreArmL', Array.from({ length: 17 }, (_, k): Key => [k / 8, [-14, 0, k % 2 === 0 ? 48 : 8]]));
  put('upperArmR', keys([0, 8, 0, -12], [0.33, 30, 0, -14], [off[0], -24, 0, -22], [down[0], -6, 0, -26], [1.2, 30, 0, -14], [off[1], -24, 0, -22], [down[1], -6, 0, -26], [2, 8, 0, -12]));
  put('foreArmR', keys([0, -14], [0.33, -26], [off[0], -34], [down[0], -24], [1.2, -28], [off[1], -36], [2, -14]));
  const soles = ([['L', 1], ['R', -1]] as const).flatMap(([n, s]): [string, number[]][] => ([[`foot${n}`, [84 * s, 0, -90]], [`foot${n}`, [88 * s, 0, 60]], [`toe${n}`, [90 * s, 0, 140]]] as [string, number[]][]).map(([b, p]) => [b, small(p).map((v) => v / 1000)])), hips = bones[bones.findIndex((b) => b.name === 'hips')].head, frames = sampled.spine.map(([t]) => t), y = frames.map((_, f) => hips[1] - lowestPoint(bones as Bone[], rotations, soles, f));
  // free flight between leaving the ground and coming down
  off.forEach((o, h) => {
    const a = Math.round(o * fps), b = Math.round(down[h] * fps), T = frames[b] - frames[a], up = (y[b] - y[a]) / T + (gravity * T) / 2;
    for (let f = a + 1; f < b; f++) { const s = frames[f] - frames[a]; y[f] = y[a] + up * s - (gravity * s * s) / 2; }
  });
  return { name: 'hops and waves', rotations, translations: { hips: frames.map((t, f): Key => [t, [hips[0], y[f], hips[2]]]) } };
}

export async function buildPim(): Promise<Uint8Array> {
  const parts: Part[] = [], bones: Bone[] = grown.map((b) => ({ ...b, head: small(b.head.map((v) => v * 1000)).map((v) => v / 1000), tail: small(b.tail.map((v) => v * 1000)).map((v) => v / 1000) }));
  /** Weighed as Oda's, then made small. `raise` lifts parts given in the head's frame. */
  const add = (mesh: string, material: string, follow: Follow, m: Mesh, raise = 0, extra: Pick<Part, 'colors' | 'scalars'> = {}): void => {
    const whole = Float64Array.from(m.positions, (v, i) => (v + (i % 3 === 1 ? raise : 0)) / 1000), positions = new Float64Array(whole.length);
    for (let v = 0; v < whole.length; v += 3) positions.set(small([1000 * whole[v], 1000 * whole[v + 1], 1000 * whole[v + 2]], /^(coat|collar)/.test(follow)).map((x) => x / 1000), v);
    parts.push({ mesh, material, positions, normals: m.normals, triangles: m.triangles, ...extra, ...packWeights(followWeights(follow, whole, m.triangles)) });
  };
  const q = 1.25, face = await extract(head,
    gridLines([[-240, 12 * q], [-110, 5 * q], [-92, 2.2 * q], [-48, 1.8 * q], [-24, 1.2 * q], [24, 1.2 * q], [48, 1.8 * q], [92, 2.2 * q], [110, 5 * q], [240, 12 * q]]),
    gridLines([[-262, 12 * q], [-130, 5 * q], [-92, 2.2 * q], [-81, 1 * q], [-62, 1 * q], [-40, 1.7 * q], [-16, 1.2 * q], [18, 1.2 * q], [30, 3 * q], [60, 5 * q], [130, 6 * q]]),
    gridLines([[-140, 8 * q], [-40, 3.2 * q], [20, 2.8 * q], [60, 1.8 * q], [125, 1.4 * q]]),
    11000, 0.5, { lip: 1.5, eps: 0.25, keep: (x, y, z) => min(y + 225, y < -120 ? 84 - hypot(x, z + 44) : 99) }), openness = fieldOpenness(head, face.positions, face.normals, [2, 5, 10, 20], 0.9), colors: number[] = [];
  for (let v = 0; v < openness.length; v++) { const [x, y, z] = face.positions.subarray(v * 3, v * 3 + 3); colors.push(...faceColour(x, y, z, mix(1, openness[v], 1 - 0.4 * lipShare(x, y, z)))); }
  add('head', 'skin', 'head', face, EYE_LINE, { colors });
  for (const side of [1, -1] as const) { const eye = eyeMesh(side); add('eyes', 'eye', 'headRigid', eye, EYE_LINE, { colors: eye.colors }); add('brows', 'brow', 'headRigid', browMesh(side), EYE_LINE); add('lashes', 'lash', 'headRigid', lashMesh(side), EYE_LINE); }
  const hands = await clothes.handsMesh(4);
  add('hands', 'skin', 'hands', hands, 0, { colors: [...fieldOpenness(clothes.handField, hands.positions, hands.normals, [2, 5, 10], 0.9)].flatMap((o) => shadeSkin(SKIN, o)) });
  const coat = await clothes.coatMesh(9), outer = coat.outerCount, open = fieldOpenness(coat.field, coat.mesh.positions.subarray(0, outer * 3), coat.mesh.normals, [8, 20, 40, 70]), shades: number[] = [];
  for (let v = 0; v < coat.mesh.positions.length / 3; v++) { const g = (0.35 + 0.65 * (v < 2 * outer ? open[v % outer] : 0.9)) * (v >= outer && v < 2 * outer ? 0.55 : 1); shades.push(g, g, g); }
  add('coat', 'oilskin', 'coat', faceOutward(coat.mesh), 0, { colors: shades });
  add('coat', 'trim', 'coatTrim', faceOutward(clothes.placketMesh()));
  for (const row of [0, 1, 2, 3]) add('coat', 'horn', 'coatTrim', faceOutward(clothes.buttonMesh(row, -6)));
  add('collar', 'trim', 'collar', faceOutward(clothes.collarMesh()));
  add('trousers', 'twill', 'legs', await clothes.trousersMesh(11));
  add('boots', 'boot', 'legs', faceOutward(await clothes.bootsMesh(6)));

  // the hair: a plain mesh on the head's node
  const headBone = bones.find((b) => b.name === 'head')!, crown = await extract(cap, evenLines(-104, 104, 3), evenLines(-90, 140, 3), evenLines(-136, 90, 3), 9000, 0.6, { eps: 0.5, lip: 2 });
  const hang = (m: Mesh, material: string, shade: (x: number, y: number, z: number, v: number) => number): void => {
    const positions = new Float64Array(m.positions.length), tints: number[] = [];
    for (let v = 0; v < m.positions.length; v += 3) {
      const p = m.positions.subarray(v, v + 3), s = shade(p[0], p[1], p[2], v / 3), [x, y, z] = childHead(p);
      // below the neck nothing is shortened as a face is
      const low = smoothStep(-60, -110, p[1]);
      positions.set([mix(x, HEAD * p[0], low) / 1000, (mix(y, HEAD * p[1] + 9, low) + EYES) / 1000, mix(z, HEAD * p[2], low) / 1000].map((w, c) => w - headBone.head[c]), v);
      tints.push(s, s, s);
    }
    parts.push({ mesh: 'hair', material, positions, normals: m.normals, triangles: m.triangles, colors: tints, on: 'head' });
  };
  const light = (v: number): number => clamp(v, 0.25, 1), crownOpen = fieldOpenness(cap, crown.positions, crown.normals, [3, 7, 14], 1);
  hang(crown, 'hair', (_x, _y, _z, v) => light(0.35 + 0.65 * crownOpen[v]));
  for (let k = 0; k < STRANDS; k++) { const m = faceOutward(strand(k)); hang(m, 'hair', (x, y, z) => { const i = clamp(Math.round(((-38 - y) / 324) * 160), 0, 160), c = PLAIT[i]; return light(0.4 + 0.034 * hypot(x - c[0], 1.3 * (z - c[2]))); }); }
  hang(faceOutward(tuft()), 'hair', (_x, y) => light(0.62 + 0.3 * smoothStep(-362, -430, y)));
  hang(faceOutward(ribbon()), 'ribbon', () => 0.95);
  return writeGlb(parts, MATERIALS, bones, [hops(bones), { ...lookBackClip(), name: 'looks round' }]);
}
