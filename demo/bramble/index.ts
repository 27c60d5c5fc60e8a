/** Builds Bramble: body, eyes, tack, skeleton and clips, as the bytes of a .glb. */
import { extract, fieldOpenness, gridLines, type Mesh } from '../shape/extract';
import { faceOutward } from '../shape/cloth';
import { linear, writeGlb, type Material, type Part } from '../shape/glb';
import { packWeights } from '../shape/rig';
import { body, coatColour, EYE, fromHead, hairShare } from './body';
import { bones, followWeights, SCALE, shakeClip, trotClip } from './rig';
import { blanketMesh, girthMesh } from './tack';

const { sin, cos, PI } = Math;
const MATERIALS: Record<string, Material> = { coat: { roughness: 0.9 }, eye: { roughness: 0.06 }, wool: { color: linear('#35506a'), roughness: 0.96, twoSided: true }, leather: { color: linear('#4a3324'), roughness: 0.6, twoSided: true } };

/** Eyeball with a wide pupil and a brown iris; it looks to the side. */
function eyeMesh(side: 1 | -1): Mesh & { colors: number[] } {
  const rings = [0, 12, 22, 34, 50, 70, 90], around = 28, aside = 0.55, P: number[] = [], N: number[] = [], C: number[] = [], T: number[] = [];
  for (const a of rings) for (let i = 0; i <= around; i++) {
    const t = (i / around) * 2 * PI, A = (a * PI) / 180, l = [cos(A), sin(A) * sin(t), sin(A) * cos(t)], d = [l[0] * cos(aside) - l[2] * sin(aside), l[1], l[0] * sin(aside) + l[2] * cos(aside)];
    const p = fromHead([0, 1, 2].map((c) => EYE.centre[c] + d[c] * EYE.radius));
    P.push(side * p[0], p[1], p[2]);
    N.push(side * d[0], d[1], d[2]);
    C.push(...(a < 20 ? [0.012, 0.01, 0.012] : a < 48 ? linear('#2e1c12') : linear('#4a362a')));
  }
  for (let r = 0; r < rings.length - 1; r++) for (let i = 0; i < around; i++) {
    const a = r * (around + 1) + i, b = a + around + 1, faces = r === 0 ? [[a, b, b + 1]] : [[a, b, b + 1], [a, b + 1, a + 1]];
    for (const [x, y, z] of faces) T.push(...(side > 0 ? [x, z, y] : [x, y, z]));
  }
  return { positions: Float64Array.from(P), normals: Float32Array.from(N), triangles: Uint32Array.from(T), colors: C };
}

export async function buildBramble(): Promise<Uint8Array> {
  const parts: Part[] = [];
  const add = (mesh: string, material: string, follow: Parameters<typeof followWeights>[0], m: Mesh, extra: Pick<Part, 'colors' | 'scalars'> = {}): void => {
    const positions = Float64Array.from(m.positions, (v) => v * SCALE);
    parts.push({ mesh, material, positions, normals: m.normals, triangles: m.triangles, ...extra, ...packWeights(followWeights(follow, positions, m.triangles)) });
  };
  const skin = await extract(body,
    gridLines([[-300, 14], [-150, 11], [-112, 3.6], [112, 3.6], [150, 11], [300, 14]]),
    gridLines([[-8, 4], [110, 5], [200, 8], [300, 13], [1000, 14], [1080, 5], [1190, 3.4], [1540, 3.4], [1740, 4]]),
    gridLines([[-790, 13], [-500, 11], [-100, 15], [350, 12], [600, 9], [730, 4], [900, 3.5], [1160, 4]]),
    27000, 3, { lip: 1.7, eps: 1, normalWeight: 2.5 });
  const openness = fieldOpenness(body, skin.positions, skin.normals, [8, 20, 45, 80], 0.9), colors: number[] = [], hair: number[] = [];
  for (let v = 0; v < openness.length; v++) {
    const [x, y, z] = skin.positions.subarray(3 * v, 3 * v + 3);
    colors.push(...coatColour(x, y, z, skin.normals[3 * v + 1], openness[v]));
    hair.push(hairShare(x, y, z, skin.normals.subarray(3 * v, 3 * v + 3)));
  }
  add('pony', 'coat', 'body', skin, { colors, scalars: { _HAIR: hair } });
  for (const side of [1, -1] as const) { const eye = eyeMesh(side); add('eyes', 'eye', 'head', outwardAs(eye), { colors: eye.colors }); }
  add('blanket', 'wool', 'trunk', faceOutward(await blanketMesh(11)));
  add('girth', 'leather', 'trunk', faceOutward(await girthMesh(9)));
  return writeGlb(parts, MATERIALS, bones, [trotClip(), shakeClip()]);
}

/** Winds an open piece as its normals say. */
function outwardAs(m: Mesh): Mesh {
  const { positions: P, triangles: T, normals: N } = m, [a, b, c] = [3 * T[30], 3 * T[31], 3 * T[32]], u = [0, 1, 2].map((k) => P[b + k] - P[a + k]), w = [0, 1, 2].map((k) => P[c + k] - P[a + k]);
  if ((u[1] * w[2] - u[2] * w[1]) * N[a] + (u[2] * w[0] - u[0] * w[2]) * N[a + 1] + (u[0] * w[1] - u[1] * w[0]) * N[a + 2] >= 0) return m;
  const triangles = T.slice();
  for (let t = 0; t < T.length; t += 3) { triangles[t] = T[t + 1]; triangles[t + 1] = T[t]; }
  return { ...m, triangles };
}
