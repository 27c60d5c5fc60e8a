/** Bramble's mane and forelock, tail and coat, as the demo has them. */
import { chainDocument } from '../core/chain/chain-groom';
import { findChains, type Chain } from '../core/chain/chains';
import type { GroomDocument } from '../core/document/schema';
import { growGuide } from '../core/groom/grow';
import { addScaled, dot, mix, normalize, smoothStep, type Vec3 } from '../core/math/vec';
import { restPositions, type Character } from '../core/mesh/character';
import { Surface } from '../core/mesh/surface';
import { usualTreatments } from '../core/document/schema';
import { groomMaker, type DemoGroom } from './demo-groom';

const POINTS = 16, COAT_POINTS = 6;

/** Where parts of the pony lie in its rest pose, m. */
const POLL_Z = 0.676, MANE_Z = 0.26, TAIL_Z = -0.62, HOOF = 0.105;

export function brambleGrooms(character: Character): DemoGroom[] {
  const mesh = character.meshes.find((m) => m.hair.length > 0)!, P = restPositions(character, mesh), surface = new Surface(P, mesh.triangles);
  const middle = (f: number): Vec3 => { const c = surface.corners(f); return [0, 1, 2].map((k) => (c[0][k] + c[1][k] + c[2][k]) / 3) as Vec3; };
  const all = Array.from({ length: mesh.triangles.length / 3 }, (_, f) => f), marked = (f: number): boolean => [0, 1, 2].every((k) => mesh.hair[mesh.triangles[3 * f + k]] > 0.5);
  const made = groomMaker(mesh, surface);
  const mane = all.filter((f) => { const [, y, z] = middle(f); return marked(f) && z > MANE_Z && y > 1.2; });
  const tail = all.filter((f) => marked(f) && middle(f)[2] < TAIL_Z && middle(f)[1] > 0.5);
  const coat = all.filter((f) => { const [, y, z] = middle(f); return y > HOOF && !(z > 1.0 && y < 1.15); });
  return [
    made({ name: 'mane and forelock', clip: 'trot', end: 17, faces: mane, guides: 260, pointCount: POINTS }, (root, normal, random) => {
      const forelock = smoothStep(POLL_Z - 0.02, POLL_Z + 0.03, root[2]), lead = normalize([mix(-1, 0.25 * (random(1) - 0.5), forelock), mix(-0.5, -0.6, forelock), mix(0.16 + 0.2 * (random(2) - 0.5), 1, forelock)]);
      const along = smoothStep(MANE_Z, MANE_Z + 0.14, root[2]);
      return growGuide(surface, root, normal, { length: mix(mix(0.13, 0.27, along) + 0.03 * random(3), 0.19 + 0.03 * random(3), forelock), pointCount: POINTS, lie: 'falling', lift: 0.005 + 0.008 * random(4), lead });
    }, (d) => { Object.assign(d.fill, { count: 26000, preview: 5000, widthUm: 110, melanin: 2.4, redness: 0.1, treatments: usualTreatments({ clump: 0.55, lock: 0.6, frizzMm: 0.8, shorter: 0.3 }) }); Object.assign(d.sway, { material: 'horse tail', hold: 0.7 }); }),
    made({ name: 'tail', clip: 'trot', end: 17, faces: tail, guides: 160, pointCount: 20 }, (root, normal, random) => growGuide(surface, root, normal, { length: mix(0.42, 0.62, smoothStep(0.8, 1.1, root[1])) + 0.06 * random(1), pointCount: 20, lie: 'falling', lift: 0.004 + 0.01 * random(2), lead: normalize([2.5 * root[0], -0.7, -0.7]) }),
      (d) => { Object.assign(d.fill, { count: 22000, preview: 5000, widthUm: 130, melanin: 2.8, redness: 0.05, treatments: usualTreatments({ clump: 0.6, lock: 0.6, frizzMm: 0.7, shorter: 0.35 }) }); Object.assign(d.sway, { material: 'horse tail', hold: 0.5 }); }),
    made({ name: 'coat', clip: 'shake off', end: 43, faces: coat, guides: 1600, pointCount: COAT_POINTS }, (_root, normal, random) => {
      // it lies back and down, standing up a little; longer under the belly and on the jaw
      const flow: Vec3 = [0, -0.75, -0.9], flat = normalize(addScaled(flow, normal, -dot(flow, normal))), length = 0.012 + 0.006 * (1 - smoothStep(-0.7, 0.1, normal[1])) + 0.003 * random(1), out = new Float32Array(3 * COAT_POINTS);
      for (let i = 1; i < COAT_POINTS; i++) { const d = normalize(addScaled([normal[0] * mix(1, 0.25, i / COAT_POINTS), normal[1] * mix(1, 0.25, i / COAT_POINTS), normal[2] * mix(1, 0.25, i / COAT_POINTS)], flat, mix(0.5, 1.4, i / COAT_POINTS))); for (let c = 0; c < 3; c++) out[3 * i + c] = out[3 * i - 3 + c] + (d[c] * length) / (COAT_POINTS - 1); }
      return out;
    }, (d) => { d.plant.lie = 'standing'; d.plant.lengthCm = 1.5; Object.assign(d.fill, { count: 200000, preview: 30000, widthUm: 160, taper: 0.15, melanin: 2.8, redness: 0.6, gloss: 0.05, treatments: usualTreatments({ clump: 0, lock: 0.05, frizzMm: 0.05, shorter: 0.25 }) }); Object.assign(d.sway, { hold: 0.95, roles: { ...d.sway.roles, body: 'off', garment: 'off' } }); }),
  ];
}

/** Bramble's dock and ears as chains, in the shots of another of its grooms. */
export function brambleChains(character: Character, like: GroomDocument, keep: (bytes: Uint8Array) => string): GroomDocument {
  const chains = findChains(character).filter((f) => f.likely).map(({ joints }, k): Chain => ({ id: `c${k}`, name: joints[0].replace(/\d+$/, ''), joints, kept: 0, bendDeg: null })), document = chainDocument(character, like, chains, keep);
  Object.assign(document.sway, { hold: 0.4, thickness: 3, damping: 2 });
  return document;
}
