/** Skeletons, skin weights and clips for the demo cast. Positions are metres in the world frame of the rest pose. */
import type { Quat } from '../../src/core/math/vec';
import { clamp, mix } from '../../src/core/math/vec';
import { neighbourLists } from './extract';

/** Joints stand parallel to the world at rest, so a joint's place is its only rest datum. */
export interface Bone {
  name: string;
  parent: number;
  head: number[];
  tail: number[];
  /** How far its pull reaches, metres. */
  reach: number;
  /** 1 or −1 for limbs: vertices clearly on the other side are left alone. */
  side?: 1 | -1;
}

/** One row of weights per vertex, one column per bone. */
export type Weights = Float32Array[];

/** w = 1 / max(d / reach, 0.15)^power over the allowed bones, smoothed over the mesh. */
export function distanceWeights(P: ArrayLike<number>, T: ArrayLike<number>, bones: Bone[], allowed: string[], power: number, rounds: number): Weights {
  const ids = bones.flatMap((b, i) => (allowed.includes(b.name) ? [i] : []));
  const W = Array.from({ length: P.length / 3 }, (_, v) => {
    const row = new Float32Array(bones.length);
    const x = P[v * 3], y = P[v * 3 + 1], z = P[v * 3 + 2];
    let sum = 0;
    for (const i of ids) {
      const { head: a, tail: t, side, reach } = bones[i];
      if (side && x * side < -0.012) continue;
      const dx = t[0] - a[0], dy = t[1] - a[1], dz = t[2] - a[2];
      const h = clamp(((x - a[0]) * dx + (y - a[1]) * dy + (z - a[2]) * dz) / (dx * dx + dy * dy + dz * dz || 1e-9));
      const d = Math.hypot(x - a[0] - h * dx, y - a[1] - h * dy, z - a[2] - h * dz);
      row[i] = 1 / Math.max(d / reach, 0.15) ** power;
      sum += row[i];
    }
    for (const i of ids) row[i] /= sum;
    return row;
  });
  return smoothWeights(W, P, T, rounds, 0.6);
}

/** Smooths over the mesh welded by position, so that the two sides of a seam move together. */
export function smoothWeights(W: Weights, P: ArrayLike<number>, T: ArrayLike<number>, rounds: number, share: number): Weights {
  const first = new Map<string, number>();
  const twin = new Int32Array(W.length);
  for (let v = 0; v < W.length; v++) {
    const key = [0, 1, 2].map((q) => Math.round(P[v * 3 + q] * 2e4)).join();
    if (!first.has(key)) first.set(key, v);
    twin[v] = first.get(key)!;
  }
  const near = neighbourLists(W.length, Uint32Array.from(T, (v) => twin[v]));
  let current = W;
  for (let k = 0; k < rounds; k++) {
    const before = current;
    current = before.map((row, v) => {
      if (near[v].length === 0) return row;
      return row.map((w, i) => {
        let sum = 0;
        for (const u of near[v]) sum += before[u][i];
        return mix(w, sum / near[v].length, share);
      });
    });
  }
  return current.map((row, v) => (twin[v] === v ? row : current[twin[v]]));
}

/** The four strongest influences of each vertex, normalised. */
export function packWeights(W: Weights): { joints: Uint8Array; weights: Float32Array } {
  const joints = new Uint8Array(W.length * 4), weights = new Float32Array(W.length * 4);
  W.forEach((row, v) => {
    const ids = [...row.keys()].sort((a, b) => row[b] - row[a]).slice(0, 4);
    const sum = ids.reduce((s, i) => s + row[i], 0);
    let kept = 0;
    ids.forEach((i, k) => {
      const w = row[i] / sum;
      if (w < 1e-4) return;
      joints[v * 4 + k] = i;
      weights[v * 4 + k] = w;
      kept += weights[v * 4 + k];
    });
    for (let k = 0; k < 4; k++) weights[v * 4 + k] /= kept;
  });
  return { joints, weights };
}

/** Quaternion of Rz·Ry·Rx, degrees. */
export function turn(x: number, y: number, z: number): Quat {
  const d = Math.PI / 360;
  const a = Math.sin(x * d), A = Math.cos(x * d), b = Math.sin(y * d), B = Math.cos(y * d), c = Math.sin(z * d), C = Math.cos(z * d);
  return [a * B * C - A * b * c, A * b * C + a * B * c, A * B * c - a * b * C, A * B * C + a * b * c];
}

export type Key = [time: number, value: number[]];

/** Catmull-Rom through keys of angles, sampled at `fps` up to and including `duration`. */
export function sampleKeys(keys: Key[], duration: number, fps: number, cyclic: boolean): Key[] {
  const frames = Math.round(duration * fps), n = keys.length;
  return Array.from({ length: frames + 1 }, (_, f) => {
    const t = (f / frames) * duration;
    let i = 0;
    while (i < n - 2 && t > keys[i + 1][0]) i++;
    const k1 = keys[i], k2 = keys[i + 1];
    const k0: Key = i > 0 ? keys[i - 1] : cyclic ? [keys[n - 2][0] - duration, keys[n - 2][1]] : k1;
    const k3: Key = i + 2 < n ? keys[i + 2] : cyclic ? [keys[1][0] + duration, keys[1][1]] : k2;
    const span = k2[0] - k1[0], u = clamp((t - k1[0]) / span), s = u * u, c = s * u;
    const value = k1[1].map((v, j) => {
      const m1 = ((k2[1][j] - k0[1][j]) / (k2[0] - k0[0] || 1)) * span, m2 = ((k3[1][j] - k1[1][j]) / (k3[0] - k1[0] || 1)) * span;
      return (2 * c - 3 * s + 1) * v + (c - 2 * s + u) * m1 + (-2 * c + 3 * s) * k2[1][j] + (c - s) * m2;
    });
    return [t, value];
  });
}

export interface DemoClip {
  name: string;
  /** By bone: sampled quaternions. */
  rotations: Record<string, Key[]>;
  /** By bone: sampled translations against the parent. */
  translations: Record<string, Key[]>;
}

const multiply = (a: number[], b: number[]): number[] => [
  a[3] * b[0] + a[0] * b[3] + a[1] * b[2] - a[2] * b[1], a[3] * b[1] - a[0] * b[2] + a[1] * b[3] + a[2] * b[0],
  a[3] * b[2] + a[0] * b[1] - a[1] * b[0] + a[2] * b[3], a[3] * b[3] - a[0] * b[0] - a[1] * b[1] - a[2] * b[2]];
const rotate = (q: number[], v: number[]): number[] => {
  const [x, y, z, w] = q;
  const tx = 2 * (y * v[2] - z * v[1]), ty = 2 * (z * v[0] - x * v[2]), tz = 2 * (x * v[1] - y * v[0]);
  return [v[0] + w * tx + y * tz - z * ty, v[1] + w * ty + z * tx - x * tz, v[2] + w * tz + x * ty - y * tx];
};

/** Height of the lowest of some [bone, rest place] points in frame f, with the root where it rests. */
export function lowestPoint(bones: Bone[], rotations: Record<string, Key[]>, points: [string, number[]][], f: number): number {
  const R: number[][] = [], X: number[][] = [];
  bones.forEach((b, i) => {
    const q = rotations[b.name]?.[f][1] ?? [0, 0, 0, 1];
    if (b.parent < 0) { R[i] = q; X[i] = b.head; return; }
    const p = bones[b.parent];
    const offset = rotate(R[b.parent], b.head.map((v, j) => v - p.head[j]));
    X[i] = offset.map((v, j) => v + X[b.parent][j]);
    R[i] = multiply(R[b.parent], q);
  });
  return Math.min(...points.map(([name, place]) => {
    const i = bones.findIndex((b) => b.name === name);
    return rotate(R[i], place.map((v, j) => v - bones[i].head[j]))[1] + X[i][1];
  }));
}
