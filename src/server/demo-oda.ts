/** Oda’s hair, as the demo has it. */
import { bytesOf, packPlanting } from '../core/document/buffers';
import { newDocument, type GroomDocument } from '../core/document/schema';
import { growGuide } from '../core/groom/grow';
import { rootPlace, scatterEvenly } from '../core/groom/planting';
import { makeRandom } from '../core/math/random';
import { mix, normalize, smoothStep, type Vec3 } from '../core/math/vec';
import { poseCharacter, skinPositions, type Character } from '../core/mesh/character';
import { Surface } from '../core/mesh/surface';

export const ODA_GUIDES = 420;
const POINTS = 16;

/** Oda's loose hair, combed from a parting on her left: shoulder-length at the back, a fringe in front. */
export function demoGroom(character: Character, guides = ODA_GUIDES): { document: GroomDocument; buffers: Uint8Array[] } {
  const mesh = character.meshes.find((m) => m.hair.length > 0)!;
  const P = new Float64Array(mesh.positions.length);
  skinPositions(character, mesh, poseCharacter(character, null, 0), P);
  const surface = new Surface(P, mesh.triangles);
  const faces: number[] = [];
  for (let f = 0; f < mesh.triangles.length / 3; f++) if ([0, 1, 2].every((k) => mesh.hair[mesh.triangles[3 * f + k]] > 0.5)) faces.push(f);
  const document = newDocument(mesh.name, { clip: 'look back', start: 0, end: 48, fps: 24, cyclic: false });
  document.plant.guideCount = guides;
  Object.assign(document.fill, { melanin: 0.32, redness: 0.5 });
  const planting = scatterEvenly(surface, faces, guides, document.plant.seed);
  const collars = character.meshes.filter((m) => m.role === 'garment' && /collar|scarf|coat/.test(m.name)).map((m) => {
    const Q = new Float64Array(m.positions.length);
    skinPositions(character, m, poseCharacter(character, null, 0), Q);
    return new Surface(Q, m.triangles);
  });
  const random = makeRandom(11);
  const offsets = new Float32Array(3 * POINTS * guides);
  const crown = crownOf(P, mesh.triangles, faces);
  for (let g = 0; g < guides; g++) {
    const root = rootPlace(surface, planting, g), normal = surface.normal(planting.faces[g]);
    const look = hairAt(root, crown, random);
    offsets.set(growGuide(surface, root, normal, {
      length: look.length, pointCount: POINTS, lie: 'falling', lift: look.lift, lead: look.lead,
      endAt: (p) => collars.some((c) => (c.nearest(p, 0.009)?.distance ?? 1) < 0.008),
    }), 3 * POINTS * g);
  }
  const faceBytes = bytesOf(Uint32Array.from(faces)), plantBytes = packPlanting(planting), offsetBytes = bytesOf(offsets);
  return { document, buffers: [faceBytes, plantBytes, offsetBytes] };
}

function crownOf(P: Float64Array, triangles: Uint32Array, faces: number[]): { top: number; front: number; back: number; width: number } {
  const box = { top: -Infinity, front: -Infinity, back: Infinity, width: 0 };
  for (const f of faces) for (let k = 0; k < 3; k++) {
    const v = 3 * triangles[3 * f + k];
    box.top = Math.max(box.top, P[v + 1]);
    box.front = Math.max(box.front, P[v + 2]);
    box.back = Math.min(box.back, P[v + 2]);
    box.width = Math.max(box.width, Math.abs(P[v]));
  }
  return box;
}

/** Where the hair at a root is led, how long it is, how far it stands off. */
function hairAt(root: Vec3, crown: ReturnType<typeof crownOf>, random: () => number): { lead: Vec3; length: number; lift: number } {
  const height = crown.top - root[1];
  const forward = smoothStep(mix(crown.back, crown.front, 0.6), mix(crown.back, crown.front, 0.95), root[2]);
  // the parting ends at the crown; behind it the hair falls straight back
  const parting = 0.02, parted = smoothStep(mix(crown.back, crown.front, 0.3), mix(crown.back, crown.front, 0.55), root[2]);
  const side = root[0] > parting ? 1 : -1;
  const high = 1 - smoothStep(0.02, 0.1, height);
  const fringe = forward * high > 0.25 && Math.abs(root[0] - 0.004) < 0.046;
  const lead = fringe
    ? normalize([(root[0] - parting) * 9, -0.3, 1])
    : normalize([parted * side * mix(0.35, 1, high) + mix(0.6, 3, parted) * root[0], -0.7, mix(-0.85, -0.5, forward)]);
  const wander = 0.5 - random();
  const length = fringe ? 0.083 + 0.016 * random() : mix(0.2, 0.3, high) + 0.02 * wander;
  return { lead, length, lift: fringe ? 0.006 + 0.004 * random() : mix(0.004, 0.014, high) + 0.007 * random() };
}
