/** Oda’s hair, as the demo has it. */
import { newCage, type SwayCage } from '../core/cage/cages';
import { bytesOf, floatsOf, packPlanting, unpackPlanting } from '../core/document/buffers';
import { newDocument, type GroomDocument } from '../core/document/schema';
import { KeepOff } from '../core/groom/comb/keep-off';
import { playStrokes, strokesSchema } from '../core/groom/comb/script';
import { flowOf, growAlong, wayOf } from '../core/groom/flow';
import { restAround, Surroundings } from '../core/groom/around';
import { growGuide } from '../core/groom/grow';
import { rootPlace, scatterEvenly } from '../core/groom/planting';
import { makeRandom } from '../core/math/random';
import { resampleEvenly } from '../core/groom/polyline';
import { addScaled, dot, mix, normalize, scale, smoothStep, type Vec3 } from '../core/math/vec';
import { poseCharacter, restPositions, skinPositions, type Character, type CharacterMesh } from '../core/mesh/character';
import { Surface } from '../core/mesh/surface';
import { restPoints } from '../core/sway/scene';
import bobStrokes from './bob.strokes.json';
import { usualTreatments } from '../core/document/schema';
import { groomMaker, type DemoGroom } from './demo-groom';

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

/** Steps of the way over the scalp to the band, and of the tail below it. */
const SCALP_STEPS = 24, TAIL_STEPS = 30, TAIL_POINTS = 22;

/** Oda's other grooms: her hair gathered into a tail at the back, with a fringe left out, and her brows. */
export function moreOfOda(character: Character): DemoGroom[] {
  const mesh = character.meshes.find((m) => m.hair.length > 0)!, P = restPositions(character, mesh), surface = new Surface(P, mesh.triangles), made = groomMaker(mesh, surface);
  const scalp = Array.from({ length: mesh.triangles.length / 3 }, (_, f) => f).filter((f) => [0, 1, 2].every((k) => mesh.hair[mesh.triangles[3 * f + k]] > 0.5)), crown = crownOf(P, mesh.triangles, scalp);
  return [tailOf(made, surface, scalp, crown), browsOf(made, surface, character), bobOf(made, mesh, surface, scalp, character)];
}

function tailOf(made: ReturnType<typeof groomMaker>, surface: Surface, scalp: number[], crown: ReturnType<typeof crownOf>): DemoGroom {
  const middle: Vec3 = [0, crown.top - 0.095, mix(crown.back, crown.front, 0.42)];
  /** Skin as seen from the middle of the head, or as far as it would be. */
  const skin = (d: Vec3): Vec3 => surface.raycast(addScaled(middle, d, 0.3), scale(d, -1))?.point ?? addScaled(middle, d, 0.095);
  const back = normalize([0, 0.22, -1]), tie = addScaled(skin(back), back, 0.012), fringes: number[] = [];
  let g = -1;
  const groom = made({ name: 'tail', clip: 'lock-beam walk', end: 25, faces: scalp, guides: 360, pointCount: TAIL_POINTS }, (root, normal, random) => {
    g++;
    const look = hairAt(root, crown, () => random(1));
    if (look.length < 0.1) { fringes.push(g); return growGuide(surface, root, normal, { length: look.length, pointCount: TAIL_POINTS, lie: 'falling', lift: look.lift, lead: look.lead }); }
    // its place across the bundle, from where it comes: what comes from above lies on top
    const from = normalize(addScaled(root, middle, -1)), r = 0.012 * Math.sqrt(0.15 + 0.85 * random(2)), a = Math.atan2(from[1] - back[1], from[0]) + 0.5 * (random(3) - 0.5), across: Vec3 = [r * Math.cos(a), 0.8 * r * Math.sin(a), 0];
    const path = [0, 0, 0], put = (p: Vec3): void => { path.push(p[0] - root[0], p[1] - root[1], p[2] - root[2]); };
    const angle = Math.acos(Math.min(1, Math.max(-1, dot(from, back)))), off = 0.003 + 0.004 * random(4);
    for (let i = 1; i <= SCALP_STEPS; i++) {
      const t = i / SCALP_STEPS, s = Math.sin(angle) || 1, d = normalize(addScaled(scale(from, Math.sin((1 - t) * angle) / s), back, Math.sin(t * angle) / s)), on = addScaled(skin(d), d, off * smoothStep(0, 0.25, t)), near = smoothStep(0.62, 1, t);
      put([0, 1, 2].map((c) => mix(on[c], tie[c] + across[c], near)) as Vec3);
    }
    const length = 0.25 + 0.05 * random(5), ds = length / TAIL_STEPS;
    let p: Vec3 = [0, 1, 2].map((c) => tie[c] + across[c]) as Vec3;
    for (let i = 1; i <= TAIL_STEPS; i++) {
      const s = i * ds, fall = smoothStep(0, 0.075, s), wide = 1 + 1.4 * smoothStep(0.02, 0.12, s) - 1.9 * smoothStep(0.14, 0.3, s), spread = 0.6 * (wide - (1 + 1.4 * smoothStep(0.02, 0.12, s - ds) - 1.9 * smoothStep(0.14, 0.3, s - ds)));
      p = addScaled(p, normalize([0, mix(0.12, -1, fall), mix(-1, -0.16, fall)]), ds);
      p = [p[0] + across[0] * spread, p[1], p[2] - across[1] * spread];
      put(p);
    }
    return resampleEvenly(path, TAIL_POINTS);
  }, (d, count) => {
    Object.assign(d.fill, { melanin: 0.32, redness: 0.5, count: 50000, treatments: usualTreatments({ clump: 0.35, lock: 0.4, frizzMm: 0.25, shorter: 0.15 }) });
    Object.assign(d.sway, { hold: 0.85, loft: 0.35, loftSpacingMm: 8, profiles: { ...d.sway.profiles, hold: [[0, 1], [0.42, 1], [0.55, 0.12], [1, 0.05]] } });
    d.plant.lengthCm = 38;
    d.sway.ties = [{ id: 'band', name: 'band', on: true, kind: 'ring', guides: Array.from({ length: count }, (_, k) => k).filter((k) => !fringes.includes(k)), from: 0.34, to: 0.44, node: '', firmness: 0.9, snap: null, wears: null }];
  });
  return groom;
}

/** Short hair along the painted brows, from the nose outwards; the painted ones are not shown. */
function browsOf(made: ReturnType<typeof groomMaker>, surface: Surface, character: Character): DemoGroom {
  const painted = character.meshes.find((m) => m.name === 'brows')!, Q = restPositions(character, painted), brow = new Surface(Q, painted.triangles), flow: number[] = [];
  for (const side of [1, -1]) {
    const xs = Array.from({ length: Q.length / 3 }, (_, v) => v).filter((v) => side * Q[3 * v] > 0), inner = Math.min(...xs.map((v) => side * Q[3 * v])), outer = Math.max(...xs.map((v) => side * Q[3 * v]));
    const line = Array.from({ length: 14 }, (_, k) => { const x = mix(inner, outer, (k + 0.5) / 14), near = xs.filter((v) => Math.abs(side * Q[3 * v] - x) < (outer - inner) / 14), p = [0, 1, 2].map((c) => near.reduce((n, v) => n + Q[3 * v + c], 0) / near.length) as Vec3; return surface.nearest(p)!; });
    flow.push(...flowOf(side > 0 ? 0 : 1, line));
  }
  const faces = Array.from({ length: surface.triangles.length / 3 }, (_, f) => f).filter((f) => brow.nearest(surface.place(f, [1 / 3, 1 / 3, 1 / 3]), 0.0022) !== null);
  return made({ name: 'brows', clip: 'look back', end: 48, faces, guides: 90, pointCount: 8 }, (root, normal, random) => growAlong(surface, root, normal, wayOf(flow), { length: 0.0075 + 0.003 * random(1), pointCount: 8, lift: 0.0012 }), (d) => {
    d.hidden = ['brows'];
    d.plant.lengthCm = 0.9;
    d.plant.lie = 'lying';
    Object.assign(d.fill, { count: 1400, preview: 1400, widthUm: 90, taper: 0.1, melanin: 0.9, redness: 0.5, gloss: 0.4, treatments: usualTreatments({ clump: 0.1, lock: 0.1, frizzMm: 0.15, shorter: 0.35 }) });
    Object.assign(d.sway, { hold: 0.98, roles: { ...d.sway.roles, body: 'off', garment: 'off', accessory: 'off' } });
  });
}

/** How the bob is planted: what the strokes begin on. */
export const BOB = { guides: 360, lengthCm: 21, liftMm: 6 } as const;

/** A parted bob, made by strokes of the brushes from hair as it is planted. */
function bobOf(made: ReturnType<typeof groomMaker>, mesh: CharacterMesh, surface: Surface, scalp: number[], character: Character): DemoGroom {
  const around = Surroundings.of(restAround(character, mesh, [], { meshRoles: {} }));
  const groom = made({ name: 'bob', clip: 'look back', end: 48, faces: scalp, guides: BOB.guides, pointCount: POINTS }, (root, normal) => growGuide(surface, root, normal, { length: BOB.lengthCm / 100, pointCount: POINTS, lie: 'falling', lift: BOB.liftMm / 1000, around }), (d) => {
    Object.assign(d.fill, { melanin: 1.1, redness: 0.3, treatments: usualTreatments({ clump: 0.45, lock: 0.5, frizzMm: 0.3, shorter: 0.12 }) });
    Object.assign(d.plant, { lengthCm: BOB.lengthCm, liftMm: BOB.liftMm });
  });
  const planting = unpackPlanting(groom.buffers[1]), offsets = floatsOf(groom.buffers[2]), points = new Float64Array(offsets.length), normals = new Float64Array(3 * planting.faces.length), stride = 3 * POINTS;
  for (let g = 0; g < planting.faces.length; g++) { const root = rootPlace(surface, planting, g); for (let i = 0; i < stride; i++) points[stride * g + i] = root[i % 3] + offsets[stride * g + i]; normals.set(surface.normal(planting.faces[g]), 3 * g); }
  const worn = character.meshes.filter((m) => m.role === 'garment' && /collar|scarf|coat/.test(m.name)).map((m) => ({ positions: restPositions(character, m), triangles: m.triangles, worn: true }));
  playStrokes(strokesSchema.parse(bobStrokes), { points, pointCount: POINTS, normals }, new KeepOff([{ positions: surface.positions, triangles: surface.triangles, worn: false }, ...worn], 0.001));
  for (let k = 0; k < offsets.length; k++) { const g = Math.floor(k / stride); offsets[k] = k % stride < 3 ? 0 : points[k] - points[stride * g + (k % 3)]; }
  groom.buffers[2] = bytesOf(offsets);
  return groom;
}

/** Cages for the same hair where she stands far off: one about all of it, and a slower one about what hangs below the jaw. */
export function odaFarOff(character: Character, document: GroomDocument, buffers: Uint8Array[]): SwayCage[] {
  const mesh = character.meshes.find((m) => m.name === document.plot.mesh)!, pointCount = document.plant.pointCount, points = restPoints({ character, mesh, planting: unpackPlanting(buffers[1]), offsets: floatsOf(buffers[2]), pointCount }), below: number[] = [], JAW = 1.5;
  for (let p = 0; p < points.length; p += 3) if (points[p + 1] < JAW) below.push(points[p], points[p + 1], points[p + 2]);
  return [{ ...newCage('all', 'all of it', 'head', points), hz: 3.2, rise: 0.9 }, { ...newCage('ends', 'ends', 'head', below), hz: 1.5, damping: 0.18, rise: 0.7, softCm: 6 }];
}
