/** What a run tells of itself: at its start, and frame by frame. */
import { OF_STRAND, STRAND_NUMBERS } from '../proof/strand-meter';
import type { Seam } from '../document/proof';
import type { ContactFinder } from './contact';
import { countPressing } from './contact-told';
import type { RigidMotions } from './rigid-colliders';
import type { Loft } from './loft';
import type { Pill } from './pills';
import type { KernelName, RodSystem } from './rod-system';
import type { WornShell } from './scene';
import { Surface } from '../mesh/surface';
import { insideClosed } from './start-check';
import type { StepPlan } from './substeps';

export interface FrameMeasures {
  frame: number;
  /** Greatest change of length of any edge, as a share; and the guide. */
  stretch: number;
  stretchGuide: number;
  /** Greatest depth of a point or segment below a collider's surface, m; and the guide. The first stretch of a strand does not count. */
  depth: number;
  depthGuide: number;
  /** Times the solver's safety net was used. */
  netUses: number;
  /** Contacts that press at the end of the frame, and the hardest of them on a guide, N. */
  contacts: number;
  press: number;
  /** Ties that have let go, by number. */
  broken: number[];
  /** Area that the hair's bodies keep across their strands, as a share of the groom's; 1 without loft. */
  volume: number;
  /** One frame after the end of a cyclic shot: how far the loop is from closing. */
  seam?: Seam;
}

export interface StartReport {
  guides: number;
  /** Guides too soft for their pose, and the share of all guides' weight that hold carries for them. */
  cut: number;
  heldShare: number;
  /** Points that began below a collider's surface beyond the first stretch of their strands, and the deepest, m: they are pushed out slowly. */
  beganInside: number;
  beganDeepest: number;
  /** Points of first stretches that began inside: they are let be. */
  rooted: number;
  /** Points that began nearer than the gap. */
  beganNear: number;
  pills: number;
  shells: number;
  /** Bodies of hair that loft keeps. */
  bodies: number;
  kernel: KernelName;
  plan: StepPlan;
  /** What to know about the colliders, in plain sentences. */
  notes: string[];
  /** m: of the middle guide. */
  length: number;
  /** What the colliders in use are called, by their numbers. */
  colliders: string[];
}

/** A collider that holds so much of the hair at the start is told. */
const SWALLOWS = 0.5;

/** What a run begins with: its strands as they are combed, `world` (3 × points, m), and what is around them, which has not moved yet. */
export interface Beginning { system: RodSystem; world: Float64Array; lengths: Float64Array; contacts: ContactFinder | null; worn: readonly WornShell[]; pills: readonly Pill[]; rigid: RigidMotions; drops: readonly { on: boolean; name: string; x: number; y: number; z: number }[] }

/** What begins inside of what, and how deep; `notes` has what else there is to know already; `within` is told of each closed mesh which points begin inside it. */
export function measureStart({ system, world, lengths, contacts, worn, pills, rigid, drops }: Beginning, notes: string[], within: (Uint8Array | null)[]): Pick<StartReport, 'beganInside' | 'beganDeepest' | 'rooted' | 'beganNear' | 'notes'> {
  const out = { beganInside: 0, beganDeepest: 0, rooted: 0, beganNear: 0, notes };
  if (!contacts) return out;
  worn.forEach((w, q) => contacts.frame(q, w.before, w.before, system.pointCount));
  contacts.cull(rigid, rigid, system.rootPosition, system.rootPosition, lengths);
  contacts.place(rigid, rigid, 0, 1);
  // the first look: what is inside, and how deep; nothing has moved yet
  contacts.gatherAll(system, 1e-9, [0, 0, 0]);
  const swallowed = worn.map((w) => (w.shell.closed ? insideClosed(w.before, w.triangles, world, w.shell.outward) : null));
  within.push(...swallowed);
  // contact follows a surface a few millimetres deep only
  const surfaces = new Map<number, Surface>(), deepIn = (q: number, p: number): number => {
    if (swallowed[q]?.[p] !== 1) return 0;
    let surface = surfaces.get(q);
    if (!surface) surfaces.set(q, (surface = new Surface(worn[q].before, worn[q].triangles)));
    return surface.nearest([world[3 * p], world[3 * p + 1], world[3 * p + 2]])?.distance ?? 0;
  };
  let points = 0;
  for (let g = 0; g < system.strandCount; g++) for (let p = system.start[g] + 2; p < system.start[g + 1]; p++) {
    points++;
    const deep = Math.max(contacts.depth(g, world[3 * p], world[3 * p + 1], world[3 * p + 2]), contacts.shellDepth(p, world[3 * p], world[3 * p + 1], world[3 * p + 2])), within = deep > 0 || swallowed.some((s) => s?.[p] === 1);
    if (contacts.isRooted(p)) { if (within) out.rooted++; continue; }
    if (within) { out.beganInside++; out.beganDeepest = swallowed.reduce((most, _, q) => Math.max(most, deepIn(q, p)), Math.max(out.beganDeepest, deep)); }
    else if (contacts.allowance(p) > 1e-6) out.beganNear++;
  }
  swallowed.forEach((inside, q) => {
    const share = inside ? inside.reduce((n, v) => n + v, 0) / Math.max(1, points) : 0;
    if (share > SWALLOWS) out.notes.push(`“${worn[q].mesh.name}” holds most of the hair inside it and cannot push it out that far. Switch it off for this groom, or give it two sides so that hair stays within.`);
  });
  pills.forEach((pill) => {
    const share = contacts.rigid.insideOf(pill, world) / Math.max(1, system.pointCount);
    if (share > SWALLOWS) out.notes.push(`“${(pill as { label?: string }).label ?? pill.source}” holds most of the hair inside it: it is far too wide. Make it smaller, or switch it off.`);
  });
  for (const d of drops) {
    const at = [d.x, d.y, d.z], within = d.on ? worn.find((w) => w.shell.closed && insideClosed(w.before, w.triangles, at, w.shell.outward)[0] === 1) : undefined;
    if (within) out.notes.push(`“${d.name}” begins inside “${within.mesh.name}”: what comes from there is put on its outside. Move where it comes from (${at.map((v) => v.toFixed(2)).join(', ')} m).`);
  }
  return out;
}

const PLACE = new Float64Array(3);

/** Greatest depth of strand `g` at `x` (3 × points, m) below any collider's surface, m, but for its first stretch; `contacts.deepest` is of which one, where it is more than 0. */
export function strandDepth(system: RodSystem, x: ArrayLike<number>, contacts: ContactFinder, g: number): number {
  const { start } = system;
  let most = 0, collider = -1;
  contacts.deepest = -1;
  if (!contacts.sound(system, g, x)) return 0;
  for (let p = start[g] + 2; p < start[g + 1]; p++) {
    if (contacts.isRooted(p) || contacts.isClear(g, p)) continue;
    const a = 3 * p, dx = x[a] - x[a - 3], dy = x[a + 1] - x[a - 2], dz = x[a + 2] - x[a - 1];
    // the point, and two places on the segment below it; more where it lies on a mesh, which may be thin
    const places = contacts.meetsMesh(p) ? 6 : 3;
    for (let q = 0; q < places; q++) {
      if (q > 0 && (p === start[g] + 2 || contacts.isRooted(p - 1))) break;
      const t = q / places;
      PLACE[0] = x[a] - t * dx; PLACE[1] = x[a + 1] - t * dy; PLACE[2] = x[a + 2] - t * dz;
      const depth = contacts.edgeDepth(g, p, PLACE);
      if (depth > most) { most = depth; collider = contacts.deepest; }
    }
  }
  contacts.deepest = collider;
  return most;
}

/** Figures of a frame of strands at `x` (3 × points, m), and those of every strand into `strands` (`STRAND_NUMBERS` each). */
export function measureFrame(frame: number, netUses: number, system: RodSystem, x: Float64Array, contacts: ContactFinder | null, loft: Loft | null, strands: Float32Array): FrameMeasures {
  const out: FrameMeasures = { frame, stretch: 0, stretchGuide: -1, depth: 0, depthGuide: -1, netUses, contacts: 0, press: 0, broken: [], volume: loft?.volume() ?? 1 };
  loft?.broken.forEach((b, t) => { if (b) out.broken.push(t); });
  const { start, lanes } = system, { restLength } = system.k;
  for (let g = 0; g < system.strandCount; g++) {
    const rest = system.at(g, 0, 1), o = STRAND_NUMBERS * g;
    let most = 0;
    for (let p = start[g] + 1; p < start[g + 1]; p++) {
      const a = 3 * p, dx = x[a] - x[a - 3], dy = x[a + 1] - x[a - 2], dz = x[a + 2] - x[a - 1];
      const stretch = Math.abs(Math.sqrt(dx * dx + dy * dy + dz * dz) / restLength[rest + (p - start[g]) * lanes] - 1);
      if (stretch > most) most = stretch;
    }
    const deepest = contacts ? strandDepth(system, x, contacts, g) : 0;
    strands[o + OF_STRAND.depth] = deepest;
    strands[o + OF_STRAND.collider] = deepest > 0 ? contacts!.deepest : -1;
    strands[o + OF_STRAND.stretch] = most;
    if (most > out.stretch) { out.stretch = most; out.stretchGuide = g; }
    if (deepest > out.depth) { out.depth = deepest; out.depthGuide = g; }
  }
  if (contacts) countPressing(contacts, system, out);
  return out;
}
