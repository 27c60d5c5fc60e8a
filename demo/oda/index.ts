/** Builds Oda: head, eyes, clothes, hands, skeleton and clips, as the bytes of a .glb. */
import { clamp, mix, smoothStep } from '../../src/core/math/vec';
import { faceOutward } from '../shape/cloth';
import { extract, fieldOpenness, gridLines, type Mesh } from '../shape/extract';
import { linear, writeGlb, type Material, type Part } from '../shape/glb';
import { packWeights } from '../shape/rig';
import * as clothes from './clothes';
import { browMesh, EYE, head, lashMesh, lipShare, mouthLineAt, nostrilDepth, scalpShare } from './head';
import { bargeRideClip, bones, EYE_LINE, followWeights, jumpAshoreClip, lookBackClip, walkClip, type Follow } from './rig';

const { abs, exp, min, hypot, sin, cos, PI } = Math;

const MATERIALS: Record<string, Material> = {
  skin: { roughness: 0.55 }, eye: { roughness: 0.07 },
  brow: { color: linear('#6b4a38'), roughness: 0.9 }, lash: { color: linear('#1c1310'), roughness: 0.8, twoSided: true },
  oilskin: { color: linear('#3f5560'), roughness: 0.62, twoSided: true }, oilskinTrim: { color: linear('#46606b'), roughness: 0.66, twoSided: true },
  wool: { color: linear('#96492f'), roughness: 0.95, twoSided: true }, leather: { color: linear('#4a3324'), roughness: 0.6 },
  horn: { color: linear('#2b211b'), roughness: 0.4 }, brass: { color: linear('#b59a62'), roughness: 0.35 },
  twill: { color: linear('#2e2f36'), roughness: 0.95 }, boot: { color: linear('#3b2a20'), roughness: 0.55 },
};
export const SKIN = linear('#d9a184'), FLUSH = linear('#cc8069'), LIP = linear('#b8695e');

/** Occluded skin darkens less in red than in blue. */
export const shadeSkin = (colour: number[], openness: number): number[] => colour.map((c, i) => c * mix(1, 0.45 + 0.55 * openness, [0.75, 1, 1.05][i]));

export function faceColour(x: number, y: number, z: number, openness: number): number[] {
  const ax = abs(x);
  const lips = lipShare(x, y, z);
  const seam = y - mouthLineAt(ax);
  const mouthDark = z > 70 && ax < 26 ? 0.5 * exp((-seam * seam) / 2.6) * (1 - smoothStep(19, 26, ax)) : 0;
  const nostrilDark = z > 85 ? 0.7 * (1 - smoothStep(-0.4, 0.8, nostrilDepth(ax, y, z))) : 0;
  const flush = 0.42 * exp(-((ax - 43) ** 2 / 300 + (y + 30) ** 2 / 260 + (z - 73) ** 2 / 500))
    + 0.28 * exp(-(ax ** 2 / 90 + (y + 36) ** 2 / 60 + (z - 114) ** 2 / 120))
    + (ax > 66 ? 0.35 * exp(-((y + 12) ** 2 / 700 + (z + 10) ** 2 / 500)) : 0);
  const colour = [0, 1, 2].map((i) => mix(mix(SKIN[i], FLUSH[i], flush), LIP[i], lips * 0.8));
  return shadeSkin(colour, openness).map((c) => clamp((1 - mouthDark) * (1 - nostrilDark) * c));
}

/** Eyeball with pupil, iris and limbus as vertex colours; the cornea bulges a little. */
export function eyeMesh(side: 1 | -1): Mesh & { colors: number[] } {
  const rings = [0, 6, 11, 12, 20, 27, 28, 29.5, 40, 60, 90], around = 40;
  const tint = (a: number): number[] => a < 11.5 ? [0.01, 0.008, 0.008] : a < 14 ? linear('#3d4a3a') : a < 26 ? linear('#5f7d62') : a < 27.5 ? linear('#26332c') : a < 29 ? [0.2, 0.2, 0.2] : linear('#e2dbd2');
  const P: number[] = [], N: number[] = [], C: number[] = [], T: number[] = [];
  for (const a of rings) for (let i = 0; i <= around; i++) {
    const t = (i / around) * 2 * PI, A = (a * PI) / 180, r = EYE.radius + (a < 29 ? 0.9 * (1 - (a / 29) ** 2) : 0);
    const d = [sin(A) * cos(t), sin(A) * sin(t), cos(A)];
    P.push(side * EYE.x + d[0] * r, EYE.y + d[1] * r, EYE.z + d[2] * r);
    N.push(...d);
    const underLid = 1 - 0.55 * smoothStep(0.03, 0.34, d[1]);
    C.push(...tint(a).map((c) => c * underLid));
  }
  for (let r = 0; r < rings.length - 1; r++) for (let i = 0; i < around; i++) {
    const a = r * (around + 1) + i, b = a + around + 1;
    if (r > 0) T.push(a, b + 1, a + 1);
    T.push(a, b, b + 1);
  }
  return { positions: Float64Array.from(P), normals: Float32Array.from(N), triangles: Uint32Array.from(T), colors: C };
}

export async function buildOda(): Promise<Uint8Array> {
  const parts: Part[] = [];
  /** `raise` lifts parts given in the head's frame. */
  const add = (mesh: string, material: string, follow: Follow, m: Mesh, raise = 0, extra: Pick<Part, 'colors' | 'scalars'> = {}): void => {
    const positions = Float64Array.from(m.positions, (v, i) => (v + (i % 3 === 1 ? raise : 0)) / 1000);
    parts.push({ mesh, material, positions, normals: m.normals, triangles: m.triangles, ...extra, ...packWeights(followWeights(follow, positions, m.triangles)) });
  };

  const q = 1.05; // grid step; 1 is the finest that pays
  const face = await extract(head,
    gridLines([[-240, 9 * q], [-110, 5 * q], [-92, 1.8 * q], [-48, 1.5 * q], [-24, 1.1 * q], [24, 1.1 * q], [48, 1.5 * q], [92, 1.8 * q], [110, 5 * q], [240, 9 * q]]),
    gridLines([[-262, 9 * q], [-130, 4 * q], [-92, 2 * q], [-81, 0.95 * q], [-62, 0.95 * q], [-40, 1.5 * q], [-16, 1.1 * q], [18, 1.1 * q], [30, 2.4 * q], [60, 4 * q], [130, 5 * q]]),
    gridLines([[-140, 6 * q], [-40, 2.6 * q], [20, 2.4 * q], [60, 1.6 * q], [125, 1.3 * q]]),
    19000, 0.5, { lip: 1.5, eps: 0.25, keep: (x, y, z) => min(y + 225, y < -120 ? 84 - hypot(x, z + 44) : 99) });
  const openness = fieldOpenness(head, face.positions, face.normals, [2, 5, 10, 20], 0.9);
  const colors: number[] = [], scalp: number[] = [];
  for (let v = 0; v < openness.length; v++) {
    const [x, y, z] = face.positions.subarray(v * 3, v * 3 + 3);
    colors.push(...faceColour(x, y, z, openness[v]));
    scalp.push(scalpShare(x, y, z));
  }
  add('head', 'skin', 'head', face, EYE_LINE, { colors, scalars: { _HAIR: scalp } });
  for (const side of [1, -1] as const) {
    const eye = eyeMesh(side);
    add('eyes', 'eye', 'headRigid', eye, EYE_LINE, { colors: eye.colors });
    add('brows', 'brow', 'headRigid', browMesh(side), EYE_LINE);
    add('lashes', 'lash', 'headRigid', lashMesh(side), EYE_LINE);
  }
  const hands = await clothes.handsMesh(3 * q);
  const handColors = [...fieldOpenness(clothes.handField, hands.positions, hands.normals, [2, 5, 10], 0.9)].flatMap((o) => shadeSkin(SKIN, o));
  add('hands', 'skin', 'hands', hands, 0, { colors: handColors });

  const coat = await clothes.coatMesh(7 * q);
  const outer = coat.outerCount;
  const coatOpenness = fieldOpenness(coat.field, coat.mesh.positions.subarray(0, outer * 3), coat.mesh.normals, [8, 20, 40, 70]);
  const coatColors: number[] = [];
  for (let v = 0; v < coat.mesh.positions.length / 3; v++) {
    const g = (0.35 + 0.65 * (v < 2 * outer ? coatOpenness[v % outer] : 0.9)) * (v >= outer && v < 2 * outer ? 0.55 : 1);
    coatColors.push(g, g, g);
  }
  add('coat', 'oilskin', 'coat', faceOutward(coat.mesh), 0, { colors: coatColors });
  add('coat', 'oilskinTrim', 'coatTrim', faceOutward(clothes.placketMesh()));
  for (const row of [2, 3]) for (const x of [-34, 22]) add('coat', 'horn', 'coatTrim', faceOutward(clothes.buttonMesh(row, x)));
  add('belt', 'leather', 'coatTrim', faceOutward(clothes.beltMesh()));
  add('belt', 'brass', 'coatTrim', faceOutward(clothes.buckleMesh()));
  add('collar', 'oilskinTrim', 'collar', faceOutward(clothes.collarMesh()));
  const scarf = await clothes.scarfMeshes();
  add('scarf', 'wool', 'scarf', faceOutward(scarf.wrap));
  for (const tail of scarf.tails) add('scarf', 'wool', 'scarfTail', faceOutward(tail));
  add('scarf', 'wool', 'scarf', faceOutward(scarf.knot));
  add('trousers', 'twill', 'legs', await clothes.trousersMesh(9 * q));
  add('boots', 'boot', 'legs', faceOutward(await clothes.bootsMesh(5 * q)));
  return writeGlb(parts, MATERIALS, bones, [lookBackClip(), walkClip(), jumpAshoreClip(), bargeRideClip()]);
}
