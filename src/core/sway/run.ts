/**
 * One run: the guides of a groom stepped frame by frame under a moving character. The same in the browser's worker, on the
 * server and in tests.
 */
import { requireContract } from '../contract';
import { slerpInto } from '../math/mat4';
import { perpendicular, smoothStep, type Vec3 } from '../math/vec';
import { clipTime, leadingNodes, poseCharacter, rigidMotionInto, skinPositions, type Character, type CharacterMesh, type Clip, type Pose } from '../mesh/character';
import { placeGuides, restFrames, rootMotionsInto, rootVertices, type Planting } from '../groom/planting';
import type { GroomDocument, SwaySettings } from '../document/schema';
import { calmStart } from './calm-start';
import { ContactFinder } from './contact';
import { Surface } from '../mesh/surface';
import { fitPills, shrinkInto, type Pill } from './pills';
import { createRodSystem, restStrand, type RodSystem } from './rod-system';
import { stepStrand } from './rod-step';
import { createStepScratch, type StepScratch } from './step-scratch';

/** Human hair. Source: Robbins, Chemical and Physical Behavior of Human Hair, *from memory*. */
export const HAIR_DENSITY = 1320;
export const HAIR_MODULUS = 4e9;

/** Stiffest hold, as the frequency in Hz at which a held point would swing. */
const HOLD_FREQUENCY = 30;

/** Everything a run depends on. */
export interface Scene {
  character: Character;
  mesh: CharacterMesh;
  clip: Clip | null;
  shot: GroomDocument['shot'];
  planting: Planting;
  /** 3 × pointCount × guides, m, rest orientation, from the root. */
  offsets: Float32Array;
  pointCount: number;
  hidden: readonly string[];
  settings: SwaySettings;
}

/** The scene with the guides `from … to − 1` only. Guides do not act on each other, so that shares may be computed apart. */
export function shareOf(scene: Scene, from: number, to: number): Scene {
  const stride = 3 * scene.pointCount;
  return { ...scene, planting: { faces: scene.planting.faces.slice(from, to), weights: scene.planting.weights.slice(2 * from, 2 * to) }, offsets: scene.offsets.slice(stride * from, stride * to) };
}

/** Measures of one frame of two shares as those of both. */
export function joinMeasures(a: FrameMeasures, b: FrameMeasures): FrameMeasures {
  const stretch = b.stretch > a.stretch ? b : a, depth = b.depth > a.depth ? b : a;
  return { frame: a.frame, stretch: stretch.stretch, stretchGuide: stretch.stretchGuide, depth: depth.depth, depthGuide: depth.depthGuide, netUses: a.netUses + b.netUses };
}

export interface FrameMeasures {
  frame: number;
  /** Greatest change of length of any edge, as a share; and the guide. */
  stretch: number;
  stretchGuide: number;
  /** Greatest depth into a pill beyond where the point began, m; and the guide. */
  depth: number;
  depthGuide: number;
  /** Times the solver's safety net was used. */
  netUses: number;
}

export interface StartReport {
  guides: number;
  /** Guides whose calm start had to be cut. */
  cut: number;
  /** Points that began inside a pill, and the deepest, m. */
  beganInside: number;
  beganDeepest: number;
  pills: number;
}

/** How strongly a point is held, by its share of the length from the root. */
export function holdAt(settings: Pick<SwaySettings, 'holdRoot' | 'holdTip' | 'holdReach'>, share: number): number {
  return settings.holdTip + (settings.holdRoot - settings.holdTip) * (1 - smoothStep(0, settings.holdReach, share));
}
/** Angular frequency (rad/s) at which a point held by `hold` would swing. */
export const holdRate = (hold: number): number => 2 * Math.PI * HOLD_FREQUENCY * Math.pow(hold, 1.5);

/** Pills of the shown meshes, by the node that leads each vertex. Body and garments are fitted apart, none sticks far out of them. */
export function characterPills(character: Character, hidden: readonly string[], roles: { skin: boolean; garments: boolean }): Pill[] {
  const rest = poseCharacter(character, null, 0);
  const clusters = new Map<string, { node: number; source: string; points: number[] }>();
  const all: { positions: number[]; triangles: number[] } = { positions: [], triangles: [] };
  for (const mesh of character.meshes) {
    if (hidden.includes(mesh.name) || mesh.role === 'accessory') continue;
    const P = new Float64Array(mesh.positions.length);
    skinPositions(character, mesh, rest, P);
    const base = all.positions.length / 3;
    for (const v of P) all.positions.push(v);
    for (const t of mesh.triangles) all.triangles.push(base + t);
    if (mesh.role === 'body' ? !roles.skin : !roles.garments) continue;
    const lead = leadingNodes(character, mesh), source = mesh.role === 'body' ? 'skin' : 'garments';
    lead.forEach((node, v) => {
      const key = `${source}/${node}`;
      let cluster = clusters.get(key);
      if (!cluster) clusters.set(key, (cluster = { node, source, points: [] }));
      cluster.points.push(P[3 * v], P[3 * v + 1], P[3 * v + 2]);
    });
  }
  if (clusters.size === 0) return [];
  const surface = new Surface(all.positions, Uint32Array.from(all.triangles));
  const joints = new Set(character.skins.flatMap((s) => Array.from(s.joints)));
  const placeOf = (node: number): Vec3 => [rest[16 * node + 12], rest[16 * node + 13], rest[16 * node + 14]];
  const below = (node: number): Vec3[] => character.nodes.flatMap((n, i) => (n.parent === node && joints.has(i) ? [placeOf(i)] : []));
  return [...clusters.values()].flatMap((c) => fitPills(Float64Array.from(c.points), c.node, placeOf(c.node), below(c.node), c.source))
    .map((pill) => shrinkInto(pill, surface)).filter((pill): pill is Pill => pill !== null);
}

export class SwayRun {
  readonly system: RodSystem;
  readonly report: StartReport;
  frame: number;
  private readonly scratch: StepScratch;
  private readonly contacts: ContactFinder | null;
  private readonly rest: Pose;
  private readonly frames: Float64Array;
  private readonly vertices: Uint32Array;
  private readonly skin: Float64Array;
  private readonly lengths: Float64Array;
  private motions: Float64Array;
  private nextMotions: Float64Array;
  private pillMotions: Float64Array;
  private nextPillMotions: Float64Array;
  /** 3 × guides: rest direction of the first edge and a director across it. */
  private readonly rootTangents: Float64Array;
  private readonly rootDirectors: Float64Array;
  /** Points that began inside a pill. */
  private readonly began: Float64Array;

  /** Places the guides as combed at `startFrame` and lets them rest there. */
  constructor(readonly scene: Scene, startFrame: number, pills?: Pill[]) {
    const { character, mesh, planting, offsets, pointCount, settings } = scene;
    const guides = planting.faces.length;
    requireContract(offsets.length === 3 * pointCount * guides, 'offsets', `3 × ${pointCount} × ${guides} numbers`, offsets.length);
    this.frame = startFrame;
    this.rest = poseCharacter(character, null, 0);
    this.skin = new Float64Array(mesh.positions.length);
    skinPositions(character, mesh, this.rest, this.skin);
    this.frames = restFrames(planting, this.skin, mesh.triangles);
    this.vertices = rootVertices(planting, mesh.triangles);
    this.motions = new Float64Array(7 * guides);
    this.nextMotions = new Float64Array(7 * guides);
    const used = pills ?? characterPills(character, scene.hidden, { skin: settings.skinPills, garments: settings.garmentPills });
    this.contacts = used.length > 0 ? new ContactFinder(used, guides, { skinGap: settings.skinGapMm / 1000, friction: settings.friction }) : null;
    this.pillMotions = new Float64Array(7 * used.length);
    this.nextPillMotions = new Float64Array(7 * used.length);
    this.poseInto(startFrame, this.motions, this.pillMotions);

    this.system = createRodSystem(new Int32Array(guides).fill(pointCount));
    this.scratch = createStepScratch(pointCount);
    this.lengths = new Float64Array(guides);
    this.rootTangents = new Float64Array(3 * guides);
    this.rootDirectors = new Float64Array(3 * guides);
    this.began = new Float64Array(guides * pointCount);
    placeGuides(offsets, this.motions, pointCount, this.system.x);
    const cut = this.restGuides();
    this.report = { guides, cut, pills: used.length, ...this.measureStart() };
  }

  private restGuides(): number {
    const { system, scene } = this;
    const { settings, offsets, pointCount } = scene;
    const d = settings.diameterUm * 1e-6;
    const lineDensity = (HAIR_DENSITY * Math.PI * d * d) / 4;
    // EI and GJ of a round rod; hair's shear modulus is taken as a third of its Young's modulus (incompressible)
    const bend = (HAIR_MODULUS * settings.stiffness * Math.PI * d ** 4) / 64, twist = (2 * bend) / 3;
    let cut = 0;
    for (let g = 0; g < system.strandCount; g++) {
      const o = 3 * g * pointCount;
      const e: Vec3 = [offsets[o + 3] - offsets[o], offsets[o + 4] - offsets[o + 1], offsets[o + 5] - offsets[o + 2]];
      const l = Math.hypot(...e) || 1;
      const t: Vec3 = [e[0] / l, e[1] / l, e[2] / l];
      this.rootTangents.set(t, 3 * g);
      this.rootDirectors.set(perpendicular(t), 3 * g);
    }
    this.placeRoots(this.motions, this.motions, 0);
    system.rootBefore.set(system.rootPosition);
    for (let g = 0; g < system.strandCount; g++) {
      restStrand(system, g, lineDensity, bend, twist);
      if (settings.calmStart && settings.gravity > 0 && calmStart(system, g, [0, -settings.gravity, 0])) cut++;
      const first = system.start[g];
      let length = 0;
      for (let i = 0; i < pointCount - 1; i++) length += system.restLength[first + i];
      this.lengths[g] = length;
      let along = 0;
      for (let i = 0; i < pointCount; i++) {
        system.holdStiffness[first + i] = system.mass[first + i] * holdRate(holdAt(settings, along / (length || 1))) ** 2;
        along += i < pointCount - 1 ? system.restLength[first + i] : 0;
      }
    }
    return cut;
  }

  private measureStart(): { beganInside: number; beganDeepest: number } {
    const { contacts, system } = this;
    let beganInside = 0, beganDeepest = 0;
    if (!contacts) return { beganInside, beganDeepest };
    contacts.cull(this.pillMotions, this.pillMotions, system.rootPosition, system.rootPosition, this.lengths);
    contacts.place(this.pillMotions, this.pillMotions, 0, 1);
    for (let g = 0; g < system.strandCount; g++) for (let p = system.start[g] + 2; p < system.start[g + 1]; p++) {
      const depth = contacts.depth(g, system.x[3 * p], system.x[3 * p + 1], system.x[3 * p + 2]);
      this.began[p] = depth;
      if (depth > 0) beganInside++;
      beganDeepest = Math.max(beganDeepest, depth);
    }
    return { beganInside, beganDeepest };
  }

  private poseInto(frame: number, motions: Float64Array, pillMotions: Float64Array): void {
    const { character, mesh, clip, shot, planting } = this.scene;
    const pose = poseCharacter(character, clip, clip ? clipTime(frame, shot.fps, clip.duration, shot.cyclic) : 0);
    skinPositions(character, mesh, pose, this.skin, this.vertices);
    rootMotionsInto(motions, planting, this.frames, this.skin, mesh.triangles);
    this.contacts?.pills.forEach((pill, k) => rigidMotionInto(pillMotions, 7 * k, this.rest, pose, pill.node));
  }

  /** Roots and hold targets at share `t` of the way between two frames. */
  private placeRoots(from: Float64Array, to: Float64Array, t: number): void {
    const { system, scene } = this;
    const { offsets, pointCount } = scene;
    const q = this.mixed;
    for (let g = 0; g < system.strandCount; g++) {
      const o = 7 * g;
      slerpInto(q, 0, from, o, to, o, t);
      for (let k = 4; k < 7; k++) q[k] = from[o + k] + (to[o + k] - from[o + k]) * t;
      for (let k = 0; k < 3; k++) system.rootPosition[3 * g + k] = q[4 + k];
      turnInto(system.rootTangent, 3 * g, this.rootTangents, 3 * g, q);
      turnInto(system.rootDirector, 3 * g, this.rootDirectors, 3 * g, q);
      for (let i = 0; i < pointCount; i++) {
        const p = 3 * (g * pointCount + i);
        turnInto(system.holdTarget, p, offsets, p, q);
        system.holdTarget[p] += q[4]; system.holdTarget[p + 1] += q[5]; system.holdTarget[p + 2] += q[6];
      }
    }
  }
  private readonly mixed = new Float64Array(7);

  /** Computes the next frame. */
  advance(): FrameMeasures {
    const { system, scene, contacts } = this;
    const { settings, shot } = scene;
    const h = 1 / (shot.fps * settings.substeps);
    const options = { h, gravity: [0, -settings.gravity, 0] as const, damping: settings.damping };
    const netBefore = system.netUses;
    this.poseInto(this.frame + 1, this.nextMotions, this.nextPillMotions);
    if (contacts) {
      const places = (m: Float64Array): Float64Array => Float64Array.from({ length: 3 * system.strandCount }, (_, k) => m[7 * Math.floor(k / 3) + 4 + (k % 3)]);
      contacts.cull(this.pillMotions, this.nextPillMotions, places(this.motions), places(this.nextMotions), this.lengths);
    }
    for (let k = 0; k < settings.substeps; k++) {
      const t0 = k / settings.substeps, t1 = (k + 1) / settings.substeps;
      system.rootBefore.set(system.rootPosition);
      this.placeRoots(this.motions, this.nextMotions, t1);
      contacts?.place(this.pillMotions, this.nextPillMotions, t0, t1);
      for (let g = 0; g < system.strandCount; g++) stepStrand(system, g, options, this.scratch, contacts);
    }
    [this.motions, this.nextMotions] = [this.nextMotions, this.motions];
    [this.pillMotions, this.nextPillMotions] = [this.nextPillMotions, this.pillMotions];
    this.frame++;
    return this.measure(system.netUses - netBefore);
  }

  private measure(netUses: number): FrameMeasures {
    const { system, contacts } = this;
    const out: FrameMeasures = { frame: this.frame, stretch: 0, stretchGuide: -1, depth: 0, depthGuide: -1, netUses };
    const { x, start, restLength } = system;
    for (let g = 0; g < system.strandCount; g++) {
      for (let p = start[g]; p < start[g + 1]; p++) {
        const a = 3 * p;
        if (p < start[g + 1] - 1) {
          const stretch = Math.abs(Math.hypot(x[a + 3] - x[a], x[a + 4] - x[a + 1], x[a + 5] - x[a + 2]) / restLength[p] - 1);
          if (stretch > out.stretch) { out.stretch = stretch; out.stretchGuide = g; }
        }
        if (!contacts || p < start[g] + 2) continue;
        const depth = contacts.depth(g, x[a], x[a + 1], x[a + 2]) - this.began[p];
        if (depth > out.depth) { out.depth = depth; out.depthGuide = g; }
      }
    }
    return out;
  }

  /** The pills in use, in the rest pose. */
  get pills(): readonly Pill[] { return this.contacts?.pills ?? []; }

  /** Guide points now, 3 × pointCount × guides, m, world. */
  positions(): Float32Array {
    return Float32Array.from(this.system.x);
  }
}

function turnInto(out: Float64Array, o: number, v: ArrayLike<number>, k: number, q: ArrayLike<number>): void {
  const x = v[k], y = v[k + 1], z = v[k + 2];
  const tx = 2 * (q[1] * z - q[2] * y), ty = 2 * (q[2] * x - q[0] * z), tz = 2 * (q[0] * y - q[1] * x);
  out[o] = x + q[3] * tx + q[1] * tz - q[2] * ty;
  out[o + 1] = y + q[3] * ty + q[2] * tx - q[0] * tz;
  out[o + 2] = z + q[3] * tz + q[0] * ty - q[1] * tx;
}
