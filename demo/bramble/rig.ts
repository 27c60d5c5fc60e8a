/** Bramble's skeleton, what each vertex follows, and the clips. */
import { smoothStep } from '../../src/core/math/vec';
import { distanceWeights, lowestPoint, sampleKeys, smoothWeights, turn, type Bone, type DemoClip, type Key, type Weights } from '../shape/rig';
import { EAR, earShare, faceShare, headPlace } from './body';

/** m a millimetre of the model: 1.3 m at the withers. */
export const SCALE = 0.000966;
const { sin, cos, max, PI } = Math;

export const bones: Bone[] = [];
const bone = (name: string, parent: string | null, head: number[], tail: number[], reachMm: number, side?: 1 | -1): void => {
  bones.push({ name, parent: parent === null ? -1 : indexOf(parent), head: head.map((v) => v * SCALE), tail: tail.map((v) => v * SCALE), reach: reachMm / 1000, side });
};
const indexOf = (name: string): number => bones.findIndex((b) => b.name === name);

bone('root', null, [0, 0, 0], [0, 60, 0], 50);
bone('pelvis', 'root', [0, 1130, -330], [0, 1120, -600], 190);
bone('spine1', 'root', [0, 1110, -300], [0, 1095, -40], 230);
bone('spine2', 'spine1', [0, 1095, -40], [0, 1110, 200], 230);
bone('chest', 'spine2', [0, 1110, 200], [0, 1060, 430], 210);
bone('neck1', 'chest', [0, 1120, 440], [0, 1255, 565], 150);
bone('neck2', 'neck1', [0, 1255, 565], [0, 1385, 665], 120);
bone('neck3', 'neck2', [0, 1385, 665], [0, 1480, 725], 95);
bone('head', 'neck3', [0, 1490, 730], headPlace(435, 0), 110);
bone('jaw', 'head', headPlace(120, -70), headPlace(385, -55), 40);
for (const s of [1, -1] as const) bone(`ear${s > 0 ? 'L' : 'R'}`, 'head', [EAR.root[0] * s, EAR.root[1], EAR.root[2]], [EAR.tip[0] * s, EAR.tip[1], EAR.tip[2]], 30, s);
bone('tail1', 'pelvis', [0, 1200, -650], [0, 1070, -738], 50);
bone('tail2', 'tail1', [0, 1070, -738], [0, 870, -735], 36);
for (const s of [1, -1] as const) {
  const n = s > 0 ? 'L' : 'R', at = (x: number, y: number, z: number): number[] => [x * s, y, z];
  bone(`shoulder${n}`, 'chest', at(120, 1130, 330), at(125, 900, 500), 110, s);
  bone(`foreArm${n}`, `shoulder${n}`, at(126, 770, 395), at(121, 432, 402), 72, s);
  bone(`foreCannon${n}`, `foreArm${n}`, at(121, 430, 402), at(120, 182, 394), 42, s);
  bone(`foreHoof${n}`, `foreCannon${n}`, at(120, 178, 394), at(120, 40, 445), 48, s);
  bone(`thigh${n}`, 'pelvis', at(112, 1080, -420), at(140, 810, -330), 140, s);
  bone(`gaskin${n}`, `thigh${n}`, at(140, 805, -335), at(125, 520, -552), 88, s);
  bone(`hindCannon${n}`, `gaskin${n}`, at(125, 518, -552), at(122, 184, -518), 44, s);
  bone(`hindHoof${n}`, `hindCannon${n}`, at(122, 180, -518), at(122, 40, -465), 50, s);
}

const only = (count: number, name: string): Weights => Array.from({ length: count }, () => { const row = new Float32Array(bones.length); row[indexOf(name)] = 1; return row; });
const draw = (row: Float32Array, to: string, share: number): void => { for (let i = 0; i < row.length; i++) row[i] *= 1 - share; row[indexOf(to)] += share; };

/** Weights of a part; positions in metres. */
export function followWeights(part: 'body' | 'head' | 'trunk', P: ArrayLike<number>, T: ArrayLike<number>): Weights {
  if (part === 'head') return only(P.length / 3, 'head');
  // cloth lies on the trunk, over the thighs, and follows no leg below them
  if (part === 'trunk') return distanceWeights(P, T, bones, ['pelvis', 'spine1', 'spine2', 'chest', 'thighL', 'thighR'], 4, 16);
  const W = distanceWeights(P, T, bones, bones.map((b) => b.name).filter((n) => !/root|jaw|ear/.test(n)), 5, 0), head = indexOf('head');
  W.forEach((row, v) => {
    const x = P[3 * v] / SCALE, y = P[3 * v + 1] / SCALE, z = P[3 * v + 2] / SCALE, { u, v: f } = faceShare(x, y, z);
    // a ramp across the throat-latch
    const ramp = z > 600 && y > 1000 ? smoothStep(-40, 70, u) * smoothStep(600, 690, z + 0.25 * (y - 1400)) : 0;
    if (ramp > 0) draw(row, 'head', ramp);
    if (z < 600) { const k = row[head]; row[head] = 0; row[indexOf('neck3')] += k; }
    if (ramp > 0.9 && u > 130) { const k = 0.9 * (1 - smoothStep(-36, -24, f)) * smoothStep(120, 230, u) * (1 - smoothStep(-44, -28, f)) * row[head]; row[head] -= k; row[indexOf('jaw')] += k; }
    for (const s of [1, -1]) {
      if (x * s <= 10) continue;
      const e = earShare(x, y, z);
      if (e.inside && e.along > -5) draw(row, s > 0 ? 'earL' : 'earR', smoothStep(0, 40, e.along));
    }
    const sum = row.reduce((a, b) => a + b, 0);
    if (sum > 0) for (let i = 0; i < row.length; i++) row[i] /= sum;
  });
  return smoothWeights(W, P, T, 7, 0.6);
}

type Angles = [share: number, x: number, y?: number, z?: number];

const STRIDE = 0.72, TROT_FPS = 40;
/** Two beats: diagonal pairs of legs; at 0 the left fore reaches forward. */
export function trotClip(): DemoClip {
  const keys = (...list: Angles[]): Key[] => list.map(([s, x, y = 0, z = 0]) => [s * STRIDE, [x, y, z]]);
  const later = (list: Key[], share: number): Key[] => { const n = 24, even = sampleKeys(list, STRIDE, n / STRIDE, true); return Array.from({ length: n + 1 }, (_, i): Key => [(i / n) * STRIDE, even[(i + Math.round(share * n) + n) % n][1]]); };
  const rotations: Record<string, Key[]> = {};
  const put = (name: string, list: Key[], share = 0): void => { rotations[name] = sampleKeys(share ? later(list, share) : list, STRIDE, TROT_FPS, true).map(([t, a]): Key => [t, turn(a[0], a[1], a[2])]); };
  const shoulder = keys([0, -13], [0.25, 0], [0.5, 11], [0.75, -3], [1, -13]), arm = keys([0, -14], [0.15, -8], [0.3, 4], [0.48, 22], [0.6, 2], [0.75, -42], [0.88, -40], [1, -14]), cannon = keys([0, 2], [0.15, 0], [0.3, 0], [0.48, 6], [0.62, 62], [0.75, 82], [0.88, 34], [1, 2]), hoof = keys([0, -6], [0.15, -22], [0.3, -26], [0.48, 4], [0.62, 42], [0.8, 44], [0.92, 8], [1, -6]);
  const thigh = keys([0, -20], [0.25, -2], [0.5, 17], [0.65, 8], [0.8, -20], [0.92, -26], [1, -20]), gaskin = keys([0, 8], [0.25, 4], [0.5, 0], [0.65, 36], [0.8, 40], [0.92, 18], [1, 8]), hindCannon = keys([0, -6], [0.15, -10], [0.25, -8], [0.5, 6], [0.65, -44], [0.8, -42], [0.92, -12], [1, -6]), hindHoof = keys([0, -4], [0.15, -16], [0.3, -22], [0.5, 8], [0.65, 44], [0.8, 40], [0.92, 6], [1, -4]);
  for (const [n, o] of [['L', 0], ['R', 0.5]] as const) { put(`shoulder${n}`, shoulder, o); put(`foreArm${n}`, arm, o); put(`foreCannon${n}`, cannon, o); put(`foreHoof${n}`, hoof, o); }
  for (const [n, o] of [['R', 0], ['L', 0.5]] as const) { put(`thigh${n}`, thigh, o); put(`gaskin${n}`, gaskin, o); put(`hindCannon${n}`, hindCannon, o); put(`hindHoof${n}`, hindHoof, o); }
  put('spine1', keys([0, 0.8, 1.2, 0.8], [0.25, -0.6], [0.5, 0.8, -1.2, -0.8], [0.75, -0.6], [1, 0.8, 1.2, 0.8]));
  put('neck1', keys([0, 1], [0.25, -1.5], [0.5, 1], [0.75, -1.5], [1, 1]));
  put('neck3', keys([0, 1.2], [0.25, -1], [0.5, 1.2], [0.75, -1], [1, 1.2]));
  put('head', keys([0, -1.5], [0.25, 1.5], [0.5, -1.5], [0.75, 1.5], [1, -1.5]));
  put('tail1', keys([0, -8, 6], [0.25, -12], [0.5, -8, -6], [0.75, -12], [1, -8, 6]));
  put('tail2', keys([0, 4, 8], [0.5, 4, -8], [1, 4, 8]));
  // the lowest sole stands on the floor; between beats the body floats
  const soles: [string, number[]][] = [];
  for (const [leg, z] of [['fore', 452], ['hind', -456]] as const) for (const [n, s] of [['L', 1], ['R', -1]] as const) for (const dz of [62, -56]) soles.push([`${leg}Hoof${n}`, [0.116 * s, 0, (z + dz) * SCALE]]);
  const translations = { root: rotations.spine1.map(([t], f): Key => [t, [0, -lowestPoint(bones, rotations, soles, f) + 0.022 * max(0, -cos(4 * PI * (t / STRIDE - 0.14))), 0]]) };
  return { name: 'trot', rotations, translations };
}

const SHAKE = 1.8, SHAKE_FPS = 40, BEATS = 4.2;
/** A shake that runs from the head down the neck, and out through ears and tail. */
export function shakeClip(): DemoClip {
  const rotations: Record<string, Key[]> = {}, frames = Math.round(SHAKE * SHAKE_FPS);
  const swing = (name: string, size: [number, number, number], delay: number, bent: [number, number, number] = [0, 0, 0]): void => {
    rotations[name] = Array.from({ length: frames + 1 }, (_, i): Key => {
      const t = (i / frames) * SHAKE, strength = smoothStep(0.15, 0.4, t) * (1 - smoothStep(1.15, 1.6, t)), a = size.map((v, k) => strength * (v * sin(2 * PI * BEATS * (t - delay) + (k === 1 ? 0.6 : 0)) + bent[k]));
      return [t, turn(a[0], a[1], a[2])];
    });
  };
  swing('neck1', [0, 4, 5], 0, [5, 0, 0]);
  swing('neck2', [0, 5, 9], 0.015, [6, 0, 0]);
  swing('neck3', [0, 5, 12], 0.03, [6, 0, 0]);
  swing('head', [3, 6, 17], 0.05, [4, 0, 0]);
  swing('earL', [0, 12, 26], 0.09);
  swing('earR', [0, 12, 26], 0.09);
  swing('spine2', [0, 1, 2], -0.02);
  swing('tail1', [0, 8, 6], 0.1);
  swing('tail2', [0, 12, 8], 0.14);
  swing('jaw', [3, 0, 0], 0.05, [4, 0, 0]);
  return { name: 'shake off', rotations, translations: {} };
}
