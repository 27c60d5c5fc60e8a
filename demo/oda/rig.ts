/** Oda's skeleton, how each part follows it, and her clips. */
import { mix, smoothStep } from '../../src/core/math/vec';
import { distanceWeights, lowestPoint, sampleKeys, smoothWeights, turn, type Bone, type DemoClip, type Key, type Weights } from '../shape/rig';
import { ELBOW, SHOULDER, WRIST } from './clothes';

/** World height of her eye line, millimetres: the origin of the head's frame. */
export const EYE_LINE = 1604;

export const bones: Bone[] = [];
function bone(name: string, parent: string | null, head: number[], tail: number[], reach: number, side?: 1 | -1): void {
  const toMetres = (p: number[]): number[] => p.map((v) => v / 1000);
  bones.push({ name, parent: parent === null ? -1 : bones.findIndex((b) => b.name === parent), head: toMetres(head), tail: toMetres(tail), reach: reach / 1000, side });
}
bone('root', null, [0, 0, 0], [0, 60, 0], 50);
bone('hips', 'root', [0, 940, -36], [0, 1040, -34], 130);
bone('spine', 'hips', [0, 1050, -36], [0, 1180, -40], 130);
bone('chest', 'spine', [0, 1190, -42], [0, 1390, -50], 130);
bone('neck', 'chest', [0, 1410, -46], [0, 1505, -34], 50);
bone('head', 'neck', [0, 1520, -26], [0, 1700, -10], 90);
for (const side of [1, -1] as const) {
  const n = side > 0 ? 'L' : 'R';
  const m = (p: number[]): number[] => [p[0] * side, p[1], p[2]];
  bone(`clavicle${n}`, 'chest', m([25, 1400, -30]), m([140, 1395, -44]), 60, side);
  bone(`upperArm${n}`, `clavicle${n}`, m(SHOULDER), m(ELBOW), 62, side);
  bone(`foreArm${n}`, `upperArm${n}`, m(ELBOW), m(WRIST), 54, side);
  bone(`hand${n}`, `foreArm${n}`, m([341, 908, -27]), m([355, 760, -20]), 40, side);
  bone(`thigh${n}`, 'hips', m([88, 920, -34]), m([82, 490, -18]), 110, side);
  bone(`shin${n}`, `thigh${n}`, m([82, 490, -18]), m([82, 90, -46]), 70, side);
  bone(`foot${n}`, `shin${n}`, m([82, 90, -46]), m([86, 30, 60]), 45, side);
  bone(`toe${n}`, `foot${n}`, m([86, 30, 62]), m([90, 26, 130]), 40, side);
}
const id = (name: string): number => bones.findIndex((b) => b.name === name);
const both = (...names: string[]): string[] => names.flatMap((n) => [`${n}L`, `${n}R`]);

/** How a part follows the skeleton. */
export type Follow = 'headRigid' | 'head' | 'collar' | 'scarf' | 'scarfTail' | 'coat' | 'coatTrim' | 'hands' | 'legs';

export function followWeights(follow: Follow, P: ArrayLike<number>, T: ArrayLike<number>): Weights {
  const rows = (f: (x: number, y: number, z: number, row: Float32Array) => void): Weights => Array.from({ length: P.length / 3 }, (_, v) => {
    const row = new Float32Array(bones.length);
    f(P[v * 3], P[v * 3 + 1], P[v * 3 + 2], row);
    return row;
  });
  /** A share for one bone that grows with height, the rest for another. */
  const ramp = (upper: string, lower: string, from: number, to: number, most: number): Weights => rows((_x, y, _z, row) => {
    const t = most * smoothStep(from, to, y);
    row[id(upper)] = t;
    row[id(lower)] = 1 - t;
  });
  switch (follow) {
    case 'headRigid':
      return rows((_x, _y, _z, row) => { row[id('head')] = 1; });
    case 'head':
      return rows((_x, y, z, row) => {
        const height = y * 1000 - EYE_LINE + 0.45 * (z * 1000 + 20);
        const h = smoothStep(-150, -72, height), c = 1 - smoothStep(-205, -135, height);
        row[id('head')] = h * (1 - c);
        row[id('chest')] = c;
        row[id('neck')] = (1 - h) * (1 - c);
      });
    case 'collar':
      return ramp('neck', 'chest', 1.42, 1.5, 0.18);
    case 'scarf':
      return ramp('neck', 'chest', 1.39, 1.47, 0.55);
    case 'scarfTail':
      return ramp('spine', 'chest', 1.22, 1.13, 0.8);
    case 'hands':
      return distanceWeights(P, T, bones, both('foreArm', 'hand'), 5, 4);
    case 'legs':
      return distanceWeights(P, T, bones, ['hips', ...both('thigh', 'shin', 'foot', 'toe')], 5, 5);
    case 'coat':
    case 'coatTrim': {
      const near = distanceWeights(P, T, bones, ['hips', 'spine', 'chest', ...both('clavicle', 'upperArm', 'foreArm')], 5, follow === 'coat' ? 14 : 2);
      const W = near.map((row, v) => skirtWeights(row, P[v * 3], P[v * 3 + 1], P[v * 3 + 2]));
      return follow === 'coat' ? smoothWeights(W, P, T, 4, 0.5) : W;
    }
  }
}

/**
 * Below the waist the coat hangs from the hips and is carried by the thighs more and more toward its hem: in front, where it is open,
 * nearly as far as they go, behind by half.
 */
function skirtWeights(row: Float32Array, x: number, y: number, z: number): Float32Array {
  const arm = both('upperArm', 'foreArm').reduce((s, n) => s + row[id(n)], 0);
  if (y >= 1 || arm >= 0.5) return row;
  const front = smoothStep(-0.12, 0, z), share = mix(smoothStep(0.98, 0.55, y) * 0.62, smoothStep(0.98, 0.7, y) * 0.97, front), open = mix(0.14, 0.06, front), left = smoothStep(-open, open, x), fade = smoothStep(0.93, 1, y);
  const out = new Float32Array(row.length);
  out[id('thighL')] = share * left * (1 - fade);
  out[id('thighR')] = share * (1 - left) * (1 - fade);
  const trunk = row[id('hips')] + row[id('spine')];
  for (const n of ['hips', 'spine']) out[id(n)] += (1 - share * (1 - fade)) * (trunk > 0 ? row[id(n)] / trunk : n === 'hips' ? 1 : 0);
  return out;
}

const toQuats = (keys: Key[]): Key[] => keys.map(([t, [x, y, z]]) => [t, turn(x, y, z)]);

/** A walk of 1.08 s at 24 frames a second: one side's keys, the other half a stride later. */
export function walkClip(): DemoClip {
  const duration = 1.08, fps = 24;
  const keys = (...k: number[][]): Key[] => k.map(([t, x, y = 0, z = 0]) => [t * duration, [x, y, z]]);
  const halfLater = (k: Key[]): Key[] => {
    const s = sampleKeys(k, duration, 24 / duration, true);
    return Array.from({ length: 25 }, (_, i) => [(i / 24) * duration, s[(i + 12) % 24][1]]);
  };
  const mirrored = (k: Key[]): Key[] => k.map(([t, [x, y, z]]) => [t, [x, -y, -z]]);
  const rotations: Record<string, Key[]> = {};
  const put = (name: string, k: Key[]): void => { rotations[name] = toQuats(sampleKeys(k, duration, fps, true)); };
  const legs: Record<string, Key[]> = {
    thigh: keys([0, -24], [0.12, -17], [0.25, -3], [0.5, 19], [0.62, 8], [0.75, -17], [0.9, -27], [1, -24]),
    shin: keys([0, 4], [0.12, 14], [0.25, 7], [0.5, 22], [0.62, 52], [0.75, 50], [0.9, 10], [1, 4]),
    foot: keys([0, -12], [0.12, 3], [0.25, -4], [0.5, 12], [0.62, 16], [0.75, -4], [0.9, -8], [1, -12]),
    toe: keys([0, 0], [0.12, 0], [0.25, 0], [0.5, -24], [0.62, -4], [0.75, 0], [0.9, 0], [1, 0]),
    foreArm: keys([0, -8], [0.25, -14], [0.5, -26], [0.75, -16], [1, -8]),
  };
  for (const [name, k] of Object.entries(legs)) {
    put(`${name}L`, k);
    put(`${name}R`, halfLater(k));
  }
  const upperArm = keys([0, 20, 0, -9], [0.25, 2, 0, -9], [0.5, -18, 0, -9], [0.75, 0, 0, -9], [1, 20, 0, -9]);
  put('upperArmL', upperArm);
  put('upperArmR', mirrored(halfLater(upperArm)));
  put('hips', keys([0, 2, -5, 0], [0.25, 2, 0, 2.5], [0.5, 2, 5, 0], [0.75, 2, 0, -2.5], [1, 2, -5, 0]));
  put('spine', keys([0, 1, 4, 0], [0.25, 1, 0, -1.5], [0.5, 1, -4, 0], [0.75, 1, 0, 1.5], [1, 1, 4, 0]));
  put('chest', keys([0, -1, 5, 0], [0.25, -1, 0, -1], [0.5, -1, -5, 0], [0.75, -1, 0, 1], [1, -1, 5, 0]));
  put('head', keys([0, -2, -3, 0], [0.25, -1, 0, 0], [0.5, -2, 3, 0], [0.75, -1, 0, 0], [1, -2, -3, 0]));
  // the lowest point of either sole stands on the floor in every frame
  const soles: [string, number[]][] = ([['L', 1], ['R', -1]] as const).flatMap(([n, s]): [string, number[]][] => [
    [`foot${n}`, [0.084 * s, 0, -0.09]], [`foot${n}`, [0.088 * s, 0, 0.06]], [`toe${n}`, [0.09 * s, 0, 0.14]]]);
  const hips = bones[id('hips')].head;
  const translations = { hips: rotations.hips.map(([t], f): Key => [t, [hips[0], hips[1] - lowestPoint(bones, rotations, soles, f), hips[2]]]) };
  return { name: 'lock-beam walk', rotations, translations };
}

/** Looks back over one shoulder, fast, then the other: 70° in under a third of a second. */
export function lookBackClip(): DemoClip {
  const duration = 2;
  const turnKeys = [[0, 0], [0.3, -4], [0.55, 62], [0.68, 70], [0.85, 66], [1.05, 64], [1.3, -42], [1.42, -50], [1.6, -45], [2, 0]];
  const rotations: Record<string, Key[]> = {};
  for (const [name, share] of [['neck', 0.38], ['head', 0.56], ['chest', 0.08]] as const) {
    const k = turnKeys.map(([t, a]): Key => [t, [name === 'head' ? -Math.abs(a) * 0.05 : 0, a * share, name === 'head' ? -a * 0.06 : 0]]);
    rotations[name] = toQuats(sampleKeys(k, duration, 24, false));
  }
  return { name: 'look back', rotations, translations: {} };
}

const GRAVITY = 9.81;
/** From a crouch over a gap and down on both feet: 1.1 m in 0.4 s of free flight, weight taken up by the knees. */
export function jumpAshoreClip(): DemoClip {
  const duration = 1.75, fps = 24, reach = 1.1, off = 0.6, down = 1;
  const keys = (...k: number[][]): Key[] => k.map(([t, x, y = 0, z = 0]) => [t, [x, y, z]]);
  const sampled: Record<string, Key[]> = {}, rotations: Record<string, Key[]> = {};
  const put = (name: string, k: Key[]): void => { sampled[name] = sampleKeys(k, duration, fps, false); rotations[name] = toQuats(sampled[name]); };
  const leg = (late: number): Record<string, Key[]> => ({
    thigh: keys([0, 0], [0.12, -4], [0.4, -58], [off, 10], [0.8, -60 + late], [down, -36], [1.14, -64], [1.5, -8], [duration, 0]),
    shin: keys([0, 0], [0.12, 6], [0.4, 88], [off, 5], [0.8, 72 - late], [down, 28], [1.14, 98], [1.5, 14], [duration, 0]),
    foot: keys([0, 0], [0.12, -2], [0.4, -30], [0.52, -8], [off, 32], [0.8, 14], [down, 8], [1.14, -34], [1.5, -6], [duration, 0]),
    toe: keys([0, 0], [0.5, 0], [off, -22], [0.7, 4], [down, 0], [duration, 0]),
  });
  for (const [n, late] of [['L', 0], ['R', 9]] as const) for (const [name, k] of Object.entries(leg(late))) put(`${name}${n}`, k);
  const arm = keys([0, 0, 0, -4], [0.38, 46, 0, -8], [off, -64, 0, -14], [0.8, -92, 0, -26], [down, -50, 0, -22], [1.16, 14, 0, -12], [1.5, 4, 0, -5], [duration, 0, 0, -4]);
  put('upperArmL', arm);
  put('upperArmR', arm.map(([t, [x, y, z]]) => [t, [x, -y, -z]]));
  for (const n of ['L', 'R']) put(`foreArm${n}`, keys([0, -8], [0.38, -22], [off, -34], [0.8, -28], [1.16, -40], [duration, -8]));
  put('spine', keys([0, 0], [0.4, 20], [off, 2], [0.8, 12], [down, 10], [1.16, 24], [1.5, 4], [duration, 0]));
  put('chest', keys([0, 0], [0.4, 12], [off, -6], [0.8, 6], [1.16, 12], [1.5, 2], [duration, 0]));
  put('head', keys([0, 0], [0.4, -20], [off, 6], [0.8, 10], [down, 6], [1.18, -22], [1.5, -2], [duration, 0]));

  // where the ankle is before the hip, in the plane of the step; both feet stay where they stand
  const rad = Math.PI / 180, ankle = (thigh: number, shin: number): number => {
    const swing = (y: number, z: number, a: number): [number, number] => [y * Math.cos(a) - z * Math.sin(a), y * Math.sin(a) + z * Math.cos(a)];
    return swing(-0.43, 0.016, thigh * rad)[1] + swing(-0.4, -0.028, (thigh + shin) * rad)[1];
  };
  const before = (f: number): number => ankle(sampled.thighL[f][1][0], sampled.shinL[f][1][0]), standing = before(0);
  const soles: [string, number[]][] = ([['L', 1], ['R', -1]] as const).flatMap(([n, s]): [string, number[]][] => [[`foot${n}`, [0.084 * s, 0, -0.09]], [`foot${n}`, [0.088 * s, 0, 0.06]], [`toe${n}`, [0.09 * s, 0, 0.14]]]);
  const hips = bones[id('hips')].head, frames = sampled.spine.map(([t]) => t), offFrame = Math.round(off * fps), downFrame = Math.round(down * fps);
  const y = frames.map((_, f) => hips[1] - lowestPoint(bones, rotations, soles, f)), z = frames.map((_, f) => hips[2] - (before(f) - standing) + (f >= downFrame ? reach : 0));
  // in the air the hips fall freely between the place they leave and the place they come to
  const T = frames[downFrame] - frames[offFrame], up = (y[downFrame] - y[offFrame]) / T + (GRAVITY * T) / 2;
  for (let f = offFrame + 1; f < downFrame; f++) {
    const s = frames[f] - frames[offFrame];
    y[f] = y[offFrame] + up * s - (GRAVITY * s * s) / 2;
    z[f] = z[offFrame] + ((z[downFrame] - z[offFrame]) * s) / T;
  }
  return { name: 'jump ashore', rotations, translations: { hips: frames.map((t, f): Key => [t, [hips[0], y[f], z[f]]]) } };
}

/** Standing still on a barge that goes ahead at a walk, turns a little and rolls; the root is what carries her. */
export function bargeRideClip(): DemoClip {
  const duration = 4, fps = 24, n = duration * fps, rotations: Record<string, Key[]> = {}, root: Key[] = [];
  const put = (name: string, at: (t: number) => [number, number, number]): void => { rotations[name] = Array.from({ length: n + 1 }, (_, f) => [f / fps, turn(...at(f / fps))]); };
  const wave = (t: number, hz: number, phase = 0): number => Math.sin(2 * Math.PI * (hz * t + phase)), yaw = (t: number): number => 16 * smoothStep(0.6, 3.4, t), roll = (t: number): number => 1.8 * wave(t, 0.42) + 0.5 * wave(t, 0.9, 0.2);
  let x = 0, z = 0;
  for (let f = 0; f <= n; f++) {
    const t = f / fps, speed = 1.1 * smoothStep(0, 0.9, t), a = (yaw(t) * Math.PI) / 180;
    root.push([t, [x, 0.02 * wave(t, 0.5, 0.1), z]]);
    x += (speed * Math.sin(a)) / fps;
    z += (speed * Math.cos(a)) / fps;
  }
  put('root', (t) => [0.7 * wave(t, 0.5), yaw(t), roll(t)]);
  // she stays upright over the roll, a little late
  put('spine', (t) => [0.4 * wave(t - 0.12, 0.25), 0, -0.55 * roll(t - 0.12)]);
  put('chest', (t) => [0.9 * wave(t, 0.27, 0.3), 0, -0.25 * roll(t - 0.16)]);
  put('head', (t) => [-1 + 0.8 * wave(t, 0.19), -6 * smoothStep(1.2, 2.6, t), -0.2 * roll(t - 0.2)]);
  for (const [side, s] of [['L', 1], ['R', -1]] as const) { put(`upperArm${side}`, (t) => [2 * wave(t, 0.42, 0.15), 0, -4 * s]); put(`foreArm${side}`, (t) => [-10 + 2 * wave(t, 0.31), 0, 0]); }
  return { name: 'barge ride', rotations, translations: { root } };
}
