/** What a receiver would look at: does it sit, does it follow, is it what was baked, at the right rate and size. */
import * as THREE from 'three';
import { MeshBVH } from 'three-mesh-bvh';
import type { Figure, Received } from './load';

export interface Check { name: string; passes: boolean; figure: string; wanted: string }
export interface Figures { mean: number; p95: number; worst: number }
/** What the sheet says. Lengths in m. */
export interface Told {
  frames: { first: number; last: number; count: number; fps: number; samples: number }; jointLimit: number; textureLimit: number; filled: boolean; still: boolean; errorMm: number;
  /** Mean and 95 in 100 of the cards against the bake, where it is a reduction. */
  reduction: { mean: number; p95: number } | null;
  sizes: { name: string; size: number; sha256: string }[];
  /** Joints that were moved: each stands where that point of that guide is. */
  joints: { node: number; guide: number; point: number }[];
}
/** Guide points of the bake at a frame, 3 × points × guides. */
export type Reference = (frame: number) => { points: Float32Array; pointCount: number } | null;

const mm = (v: number): string => `${(1000 * v).toFixed(v < 0.01 ? 3 : 1)} mm`;
/** m: roots of curves on the skin; of cards, which begin behind their strands' roots and are as wide as many. */
const ON_SKIN = { curves: 0.002, cards: 0.015 }, SLIPS = { curves: 0.001, cards: 0.006 };
/** m: joints that were baked, beside what their bake was kept to. */
const ON_JOINTS = 1e-4;
/** Times that are looked at. */
const LOOKS = 5;

export async function check(received: Received, figure: Figure | null, reference: Reference, told: Told, files: readonly { name: string; bytes: ArrayBuffer }[], shotFps: number): Promise<{ checks: Check[]; against: Figures | null }> {
  const checks: Check[] = [], { frames } = told, wantedSeconds = told.still ? 0 : (frames.count - 1) / frames.samples / frames.fps, curves = received.kind === 'curves';
  /** s: when the samples of the shot are. */
  const samples = Array.from({ length: frames.count }, (_, k) => k / frames.samples / frames.fps);
  checks.push(await sameFiles(told, files));
  if (!told.still) {
    // a clip that others' movements are in may go on after the shot
    checks.push({ name: 'Lasts as long as the shot', passes: told.joints.length > 0 ? received.duration > wantedSeconds - 0.6 / frames.fps : Math.abs(received.duration - wantedSeconds) < 0.6 / frames.fps, figure: `${received.duration.toFixed(3)} s`, wanted: `${wantedSeconds.toFixed(3)} s` });
    const keys = told.joints.length > 0 ? samples.filter((t) => received.times.some((x) => Math.abs(x - t) < 1e-4)).length : received.times.length;
    checks.push({ name: 'Has all its samples', passes: keys === frames.count, figure: String(keys), wanted: String(frames.count) });
  }
  if (received.joints > 0 && told.joints.length === 0) checks.push({ name: 'Joints of a skin', passes: received.joints <= told.jointLimit, figure: String(received.joints), wanted: `at most ${told.jointLimit}` });
  if (received.textures > 0) checks.push({ name: 'Pixels along a texture', passes: received.textures <= told.textureLimit, figure: String(received.textures), wanted: `at most ${told.textureLimit}` });
  const times = told.joints.length > 0 ? samples : received.times, looks = told.still ? [0] : [...new Set(Array.from({ length: LOOKS }, (_, k) => times[Math.round((k * (times.length - 1)) / (LOOKS - 1))]))], frameAt = (time: number): number => frames.first + time * (told.still ? 1 : shotFps);
  received.set(looks[0]);
  const first = received.points().slice();
  let finite = true;
  for (const t of looks) { received.set(t); if (!received.points().every(Number.isFinite)) finite = false; }
  checks.push({ name: 'Every place is a number', passes: finite, figure: finite ? 'yes' : 'no', wanted: 'yes' });
  if (figure && !(told.still && received.kind !== 'curves' && received.roots().length === 0)) {
    const far: number[][] = [], middle = (list: number[], share: number): number => [...list].sort((a, b) => a - b)[Math.floor(share * (list.length - 1))] ?? 0;
    for (const t of looks) { figure.set(frameAt(t) / shotFps); received.set(t); far.push(distances(received.roots(), figure.meshes)); }
    const sits = middle(far[0], curves ? 0.95 : 0.5), most = curves ? ON_SKIN.curves : ON_SKIN.cards, slips = middle(far.slice(1).flatMap((list) => list.map((d, k) => Math.abs(d - far[0][k]))), 0.95), least = curves ? SLIPS.curves : SLIPS.cards + 2 * (told.reduction?.mean ?? 0);
    if (far[0].length > 0 && !(told.still && !curves)) checks.push({ name: `Sits on the character: roots off it, ${curves ? '95 in 100' : 'the middle one'}`, passes: sits <= most, figure: mm(sits), wanted: `at most ${mm(most)}` });
    if (far.length > 1) checks.push({ name: 'Follows it: how that changes over the shot, 95 in 100', passes: slips <= least, figure: mm(slips), wanted: `at most ${mm(least)}` });
  }
  if (told.joints.length > 0) {
    let worst = 0, missing = 0, looked = 0;
    for (const t of looks) {
      received.set(t);
      const bake = reference(Math.round(frameAt(t)));
      for (const j of bake ? told.joints : []) {
        const at = received.nodePlace?.(j.node), p = 3 * (j.guide * bake!.pointCount + j.point);
        if (!at) { missing++; continue; }
        looked++;
        worst = Math.max(worst, Math.hypot(...at.map((v, c) => v - bake!.points[p + c])));
      }
    }
    checks.push({ name: 'Joints stand where the bake has them: farthest', passes: missing === 0 && looked > 0 && worst <= ON_JOINTS + told.errorMm / 1000, figure: missing > 0 ? `${missing} joints are missing` : mm(worst), wanted: `at most ${mm(ON_JOINTS + told.errorMm / 1000)}` });
    return { checks, against: null };
  }
  const against = told.still ? null : curves ? againstCurves(received, reference, told, shotFps, looks) : againstGuides(received, reference, shotFps, frames.first, looks, first);
  if (against && curves && !told.filled) { const most = told.errorMm / 1000 + 2e-6; checks.push({ name: 'Against the bake: farthest point', passes: against.worst <= Math.max(most, 2e-6), figure: mm(against.worst), wanted: `at most ${mm(Math.max(most, 2e-6))}` }); }
  else if (against && !curves) { const most = WITH_GUIDES + 3 * (told.reduction?.mean ?? 0); checks.push({ name: 'Moves with the bake’s guides: mean difference of vertices beside them', passes: against.mean <= most, figure: mm(against.mean), wanted: `at most ${mm(most)}` }); }
  return { checks, against };
}

/** What can be said of any file, whether it can be played or not. */
export async function sameFiles({ sizes }: Pick<Told, 'sizes'>, files: readonly { name: string; bytes: ArrayBuffer }[]): Promise<Check> {
  let wrong = 0;
  for (const f of sizes) { const own = files.find((x) => x.name === f.name), hash = own && [...new Uint8Array(await crypto.subtle.digest('SHA-256', own.bytes))].map((b) => b.toString(16).padStart(2, '0')).join(''); if (own?.bytes.byteLength !== f.size || hash !== f.sha256) wrong++; }
  return { name: 'Files are those of the sheet, to the byte', passes: wrong === 0, figure: wrong === 0 ? `${sizes.length} of ${sizes.length}` : `${wrong} differ`, wanted: 'all' };
}

/** Distances of places from the nearest of some meshes as they stand. */
function distances(places: Float32Array, meshes: readonly THREE.Mesh[]): number[] {
  const trees = meshes.map((mesh) => {
    const g = mesh.geometry, count = g.getAttribute('position').count, P = new Float32Array(3 * count), v = new THREE.Vector3();
    mesh.updateWorldMatrix(true, false);
    if ((mesh as THREE.SkinnedMesh).isSkinnedMesh) (mesh as THREE.SkinnedMesh).skeleton.update();
    for (let i = 0; i < count; i++) { mesh.getVertexPosition(i, v).applyMatrix4(mesh.matrixWorld); P.set([v.x, v.y, v.z], 3 * i); }
    const own = new THREE.BufferGeometry().setAttribute('position', new THREE.BufferAttribute(P, 3));
    own.setIndex(g.index ? [...g.index.array] : Array.from({ length: count }, (_, k) => k));
    return new MeshBVH(own);
  }), p = new THREE.Vector3(), step = Math.max(1, Math.floor(places.length / 3 / 600)), out: number[] = [];
  for (let i = 0; i < places.length / 3; i += step) { p.set(places[3 * i], places[3 * i + 1], places[3 * i + 2]); out.push(Math.min(...trees.map((t) => t.closestPointToPoint(p)?.distance ?? Infinity))); }
  return out;
}

function figuresOf(list: number[]): Figures | null {
  if (list.length === 0) return null;
  list.sort((a, b) => a - b);
  return { mean: list.reduce((a, b) => a + b, 0) / list.length, p95: list[Math.floor(0.95 * (list.length - 1))], worst: list[list.length - 1] };
}
/** Guides point by point. */
function againstCurves(received: Received, reference: Reference, told: Told, shotFps: number, looks: readonly number[]): Figures | null {
  if (told.filled) return null;
  const list: number[] = [];
  for (const t of looks) {
    const frame = told.frames.first + t * shotFps, whole = Math.round(frame), bake = Math.abs(frame - whole) < 1e-3 ? reference(whole) : null;
    if (!bake) continue;
    received.set(t);
    const P = received.points();
    if (P.length !== bake.points.length) return { mean: Infinity, p95: Infinity, worst: Infinity };
    for (let i = 0; i < P.length; i += 3) list.push(Math.hypot(P[i] - bake.points[i], P[i + 1] - bake.points[i + 1], P[i + 2] - bake.points[i + 2]));
  }
  return figuresOf(list);
}
/** m: a vertex this near a guide's point should move as it does. */
const BESIDE = 0.008;
/** m: a card moves with all the guides its strand follows, of which the one beside a vertex is only one; about the spacing of guides. */
const WITH_GUIDES = 0.01;
/** Vertices near a guide's point at the first look, and how their distance to it changes. */
function againstGuides(received: Received, reference: Reference, shotFps: number, firstFrame: number, looks: readonly number[], first: Float32Array): Figures | null {
  const start = reference(Math.round(firstFrame + looks[0] * shotFps));
  if (!start) return null;
  const pairs: [number, number][] = [], cells = new Map<string, number[]>(), cell = (x: number, y: number, z: number): string => `${Math.floor(x / BESIDE)} ${Math.floor(y / BESIDE)} ${Math.floor(z / BESIDE)}`;
  for (let i = 0; i < start.points.length / 3; i++) { const key = cell(start.points[3 * i], start.points[3 * i + 1], start.points[3 * i + 2]); cells.set(key, [...(cells.get(key) ?? []), i]); }
  for (let v = 0; v < first.length / 3; v += Math.max(1, Math.floor(first.length / 3 / 3000))) {
    let best = BESIDE, at = -1;
    for (let dx = -1; dx <= 1; dx++) for (let dy = -1; dy <= 1; dy++) for (let dz = -1; dz <= 1; dz++) for (const i of cells.get(cell(first[3 * v] + dx * BESIDE, first[3 * v + 1] + dy * BESIDE, first[3 * v + 2] + dz * BESIDE)) ?? []) { const d = Math.hypot(first[3 * v] - start.points[3 * i], first[3 * v + 1] - start.points[3 * i + 1], first[3 * v + 2] - start.points[3 * i + 2]); if (d < best) { best = d; at = i; } }
    if (at >= 0) pairs.push([v, at]);
  }
  const list: number[] = [];
  for (const t of looks.slice(1)) {
    const frame = firstFrame + t * shotFps, bake = Math.abs(frame - Math.round(frame)) < 1e-3 ? reference(Math.round(frame)) : null;
    if (!bake) continue;
    received.set(t);
    const P = received.points();
    for (const [v, i] of pairs) {
      const was = Math.hypot(first[3 * v] - start.points[3 * i], first[3 * v + 1] - start.points[3 * i + 1], first[3 * v + 2] - start.points[3 * i + 2]), is = Math.hypot(P[3 * v] - bake.points[3 * i], P[3 * v + 1] - bake.points[3 * i + 1], P[3 * v + 2] - bake.points[3 * i + 2]);
      list.push(Math.abs(is - was));
    }
  }
  return figuresOf(list);
}
