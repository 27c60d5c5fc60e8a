/**
 * One run: the guides of a groom stepped frame by frame under a moving character. The same in the browser's worker, on the
 * server and in tests.
 */
import { requireContract } from '../contract';
import { slerpInto } from '../math/mat4';
import { profileAt } from '../math/profile';
import { perpendicular, type Vec3 } from '../math/vec';
import { clipTime, leadingNodes, poseCharacter, rigidMotionInto, skinPositions, type Character, type CharacterMesh, type Clip, type Pose } from '../mesh/character';
import { polylineLength } from '../groom/polyline';
import { placeGuides, restFrames, rootMotionsInto, rootVertices, type Planting } from '../groom/planting';
import type { GroomDocument, SwaySettings } from '../document/schema';
import { calmStart } from './calm-start';
import { ContactFinder } from './contact';
import { Surface } from '../mesh/surface';
import { FIXED_HOLD, holdRate } from './hold';
import { physicalRod } from './materials';
import { fitPills, shrinkInto, type Pill } from './pills';
import type { StepNumbers } from './rod/arrays';
import { Shell } from './shell';
import { chooseKernel, RodSystem, type KernelName, type KernelWish } from './rod-system';
import { AIR, makeRod, placeStrand } from './strand-setup';
import { airDamping, float32Suffices, planSubsteps, type RootMovement, type StepPlan } from './substeps';

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
  /** Guides too soft for their pose, and the share of all guides' weight that hold carries for them. */
  cut: number;
  heldShare: number;
  /** Points that began inside a pill, and the deepest, m. */
  beganInside: number;
  beganDeepest: number;
  pills: number;
  kernel: KernelName;
  plan: StepPlan;
}

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

/** How strongly a point is held, by its share of the length from the root. */
export const holdAt = (settings: Pick<SwaySettings, 'hold' | 'profiles'>, share: number): number => Math.min(1, settings.hold * profileAt(settings.profiles.hold, share));

/** Velocity of the air, m/s. */
export function windOf(settings: Pick<SwaySettings, 'windSpeed' | 'windTurn' | 'windRise'>): Vec3 {
  const turn = (settings.windTurn * Math.PI) / 180, rise = (settings.windRise * Math.PI) / 180, level = settings.windSpeed * Math.cos(rise);
  return [level * Math.sin(turn), settings.windSpeed * Math.sin(rise), level * Math.cos(turn)];
}

/** The mesh of a scene, its guides' roots and where they are at a frame. */
class RootPoser {
  private readonly rest: Pose;
  private readonly frames: Float64Array;
  private readonly vertices: Uint32Array;
  private readonly skin: Float64Array;
  constructor(private readonly scene: Scene) {
    const { character, mesh, planting } = scene;
    this.rest = poseCharacter(character, null, 0);
    this.skin = new Float64Array(mesh.positions.length);
    skinPositions(character, mesh, this.rest, this.skin);
    this.frames = restFrames(planting, this.skin, mesh.triangles);
    this.vertices = rootVertices(planting, mesh.triangles);
  }
  /** Motions of the roots (7 × guides) and of pills (7 × pills) at a frame. */
  poseInto(frame: number, motions: Float64Array, pills: readonly Pill[] = [], pillMotions?: Float64Array, worn: readonly WornShell[] = []): void {
    const { character, mesh, clip, shot, planting } = this.scene;
    const pose = poseCharacter(character, clip, clip ? clipTime(frame, shot.fps, clip.duration, shot.cyclic) : 0);
    skinPositions(character, mesh, pose, this.skin, this.vertices);
    rootMotionsInto(motions, planting, this.frames, this.skin, mesh.triangles);
    pills.forEach((pill, k) => rigidMotionInto(pillMotions!, 7 * k, this.rest, pose, pill.node));
    for (const w of worn) w.pose(pose);
  }
}

/** A mesh of the character as a shell, and where its vertices are. */
class WornShell {
  readonly shell: Shell;
  /** 3 × vertices, m, world: at the frame the run is at, and at the next. */
  before: Float64Array;
  now: Float64Array;
  constructor(private readonly character: Character, private readonly mesh: CharacterMesh, thickness: number, friction: number) {
    this.before = new Float64Array(mesh.positions.length);
    this.now = new Float64Array(mesh.positions.length);
    this.pose(poseCharacter(character, null, 0));
    this.shell = new Shell(mesh.triangles, this.now, thickness, friction);
  }
  pose(pose: Pose): void { skinPositions(this.character, this.mesh, pose, this.now); }
  /** The next frame becomes the one the run is at. */
  turn(): void { [this.before, this.now] = [this.now, this.before]; }
}

/**
 * The substeps of a run over a range of frames, from the movement of all its roots: to be asked for the whole groom, before
 * it is shared out, so that every share steps alike.
 */
export function planRun(scene: Scene, firstFrame: number, lastFrame: number): RunPlan {
  const { settings, shot, planting, offsets, pointCount } = scene, guides = planting.faces.length;
  const root: RootMovement = { speed: 0, acceleration: 0, turning: 0 };
  if (scene.clip) {
    const poser = new RootPoser(scene), past = [0, 1, 2].map(() => new Float64Array(7 * guides));
    for (let frame = firstFrame; frame <= lastFrame; frame++) {
      past.push(past.shift()!);
      const [a, b, c] = past;
      poser.poseInto(frame, c);
      for (let o = 0; frame > firstFrame && o < 7 * guides; o += 7) {
        root.speed = Math.max(root.speed, shot.fps * Math.hypot(c[o + 4] - b[o + 4], c[o + 5] - b[o + 5], c[o + 6] - b[o + 6]));
        const same = Math.abs(c[o] * b[o] + c[o + 1] * b[o + 1] + c[o + 2] * b[o + 2] + c[o + 3] * b[o + 3]);
        root.turning = Math.max(root.turning, 2 * shot.fps * Math.acos(Math.min(1, same)));
        if (frame > firstFrame + 1) root.acceleration = Math.max(root.acceleration, shot.fps ** 2 * Math.hypot(...[4, 5, 6].map((k) => c[o + k] - 2 * b[o + k] + a[o + k])));
      }
    }
  }
  const lengths: number[] = [];
  for (let g = 0; g < guides; g++) lengths.push(polylineLength(offsets, g * pointCount, pointCount));
  const length = Math.max(1e-4, lengths.sort((a, b) => a - b)[guides >> 1] ?? 0), rod = physicalRod(settings);
  const meanDamping = settings.damping * [0.1, 0.3, 0.5, 0.7, 0.9].reduce((sum, s) => sum + profileAt(settings.profiles.damping, s) / 5, 0);
  const damping = meanDamping + settings.airDrag * airDamping(rod.width, rod.lineDensity, Math.max(0.1, 0.3 * root.speed), AIR);
  const plan = planSubsteps(shot.fps, { length, edge: length / (pointCount - 1), bend: rod.bend, lineDensity: rod.lineDensity, damping }, root, settings.gravity, settings.error / 100, settings.skinPills || settings.garments !== 'off', settings.chooseSubsteps ? undefined : settings.substeps);
  const stiffest = Math.max(...[0, 0.25, 0.5, 0.75, 1].map((s) => profileAt(settings.profiles.stiffness, s))), shortest = Math.max(1e-4, lengths[0] ?? length) / (pointCount - 1);
  return { ...plan, kernel: float32Suffices(pointCount, shortest, rod.bend * stiffest, rod.lineDensity, 1 / (shot.fps * plan.substeps)) ? 'auto' : 'float64' };
}

/** What a run steps with: the substeps, and the kernel that is exact enough for its strands. */
export interface RunPlan extends StepPlan { kernel: 'auto' | 'float64' }

export interface RunOptions {
  pills?: Pill[];
  /** What `planRun` said for the whole groom; the settings' own number of substeps otherwise. */
  plan?: RunPlan;
  kernel?: KernelWish;
}

export class SwayRun {
  readonly system: RodSystem;
  readonly report: StartReport;
  frame: number;
  private readonly contacts: ContactFinder | null;
  private readonly worn: readonly WornShell[];
  private readonly poser: RootPoser;
  private readonly lengths: Float64Array;
  private readonly plan: RunPlan;
  private readonly numbers: StepNumbers;
  private motions: Float64Array;
  private nextMotions: Float64Array;
  private pillMotions: Float64Array;
  private nextPillMotions: Float64Array;
  /** 3 × guides: rest direction of the first edge and a director across it. */
  private readonly rootTangents: Float64Array;
  private readonly rootDirectors: Float64Array;
  private readonly places: Float64Array;
  private readonly placesBefore: Float64Array;
  /** Points that began inside a pill. */
  private readonly began: Float64Array;
  /** 3 × points, m, world: now. */
  private readonly world: Float64Array;

  /** Places the guides as combed at `startFrame` and lets them rest there. */
  constructor(readonly scene: Scene, startFrame: number, options: RunOptions = {}) {
    const { character, planting, offsets, pointCount, settings, shot } = scene;
    const guides = planting.faces.length;
    requireContract(offsets.length === 3 * pointCount * guides, 'offsets', `3 × ${pointCount} × ${guides} numbers`, offsets.length);
    this.frame = startFrame;
    this.poser = new RootPoser(scene);
    this.motions = new Float64Array(7 * guides);
    this.nextMotions = new Float64Array(7 * guides);
    const used = options.pills ?? characterPills(character, scene.hidden, { skin: settings.skinPills, garments: settings.garments === 'pills' }), gap = settings.skinGapMm / 1000;
    this.worn = settings.garments === 'shells' ? character.meshes.filter((m) => m.role === 'garment' && !scene.hidden.includes(m.name)).map((m) => new WornShell(character, m, gap, settings.friction)) : [];
    this.contacts = used.length > 0 || this.worn.length > 0 ? new ContactFinder(used, guides, { skinGap: gap, friction: settings.friction }, this.worn.map((w) => w.shell)) : null;
    this.pillMotions = new Float64Array(7 * used.length);
    this.nextPillMotions = new Float64Array(7 * used.length);
    this.poser.poseInto(startFrame, this.motions, used, this.pillMotions, this.worn);
    for (const w of this.worn) w.turn();
    this.plan = options.plan ?? { substeps: settings.substeps, passes: 1, error: 0, because: 'asked', kernel: 'auto' };
    this.numbers = { h: 1 / (shot.fps * this.plan.substeps), gravityX: 0, gravityY: -settings.gravity, gravityZ: 0, passes: this.plan.passes, lagging: settings.bendDamping > 0 ? 1 : 0 };

    const kernel = chooseKernel(options.kernel ?? this.plan.kernel);
    this.system = new RodSystem(new Int32Array(guides).fill(pointCount), kernel, this.contacts !== null);
    this.lengths = new Float64Array(guides);
    this.rootTangents = new Float64Array(3 * guides);
    this.rootDirectors = new Float64Array(3 * guides);
    this.places = new Float64Array(3 * guides);
    this.placesBefore = new Float64Array(3 * guides);
    this.began = new Float64Array(guides * pointCount);
    this.world = new Float64Array(offsets.length);
    placeGuides(offsets, this.motions, pointCount, this.world);
    const { cut, heldShare } = this.restGuides();
    this.placeRoots(this.motions, this.motions, 0);
    this.system.rootBefore.set(this.system.rootPosition);
    this.report = { guides, cut, heldShare, pills: used.length, ...this.measureStart(), kernel, plan: { substeps: this.plan.substeps, passes: this.plan.passes, error: this.plan.error, because: this.plan.because } };
  }

  private restGuides(): { cut: number; heldShare: number } {
    const { system, scene } = this, { settings, offsets, pointCount } = scene, { profiles } = settings;
    const rod = { ...physicalRod(settings), bendLag: settings.bendDamping / 1000, airDrag: settings.airDrag };
    if (settings.airDrag === 0 && settings.windSpeed === 0) rod.width = 0;
    const along = { stiffness: (s: number) => profileAt(profiles.stiffness, s), damping: (s: number) => settings.damping * profileAt(profiles.damping, s) };
    const wind = windOf(settings), lift = new Float64Array(3 * pointCount), q = new Float64Array(4);
    let cut = 0, held = 0;
    for (let g = 0; g < system.strandCount; g++) {
      const o = 3 * g * pointCount, m = 7 * g;
      const e: Vec3 = [offsets[o + 3] - offsets[o], offsets[o + 4] - offsets[o + 1], offsets[o + 5] - offsets[o + 2]];
      const l = Math.hypot(...e);
      const t: Vec3 = l > 0 ? [e[0] / l, e[1] / l, e[2] / l] : [0, 1, 0];
      this.rootTangents.set(t, 3 * g);
      this.rootDirectors.set(perpendicular(t), 3 * g);
      const one = placeStrand(this.world.subarray(o, o + 3 * pointCount)), { k } = one;
      turnInto(k.tangent, 0, this.rootTangents, 3 * g, this.motions, m);
      turnInto(k.director, 0, this.rootDirectors, 3 * g, this.motions, m);
      makeRod(one, rod, along);
      this.lengths[g] = k.length[0];
      let at = 0;
      for (let i = 1; i < pointCount; i++) {
        at += k.restLength[i];
        const hold = holdAt(settings, k.length[0] > 0 ? at / k.length[0] : 0);
        k.holdStiffness[i] = k.mass[i] * holdRate(hold) ** 2;
        k.fixed[i] = hold >= FIXED_HOLD ? 1 : 0;
      }
      lift.fill(0);
      const share = settings.calmStart && settings.gravity > 0 ? calmStart(one, [0, -settings.gravity, 0], lift) : 0;
      if (share > 0) cut++;
      held += share;
      for (let c = 0; c < 3; c++) q[c] = -this.motions[m + c];
      q[3] = this.motions[m + 3];
      for (let i = 1; i < pointCount; i++) {
        turnInto(k.holdOffset, 3 * i, lift, 3 * i, q, 0);
        for (let c = 0; c < 3; c++) k.holdOffset[3 * i + c] += offsets[o + 3 * i + c] - offsets[o + c];
      }
      for (let c = 0; c < 3; c++) k.air[c] = wind[c];
      system.load(g, one);
    }
    return { cut, heldShare: system.strandCount > 0 ? held / system.strandCount : 0 };
  }

  private measureStart(): { beganInside: number; beganDeepest: number } {
    const { contacts, system, world } = this;
    let beganInside = 0, beganDeepest = 0;
    if (!contacts) return { beganInside, beganDeepest };
    contacts.cull(this.pillMotions, this.pillMotions, system.rootPosition, system.rootPosition, this.lengths);
    contacts.place(this.pillMotions, this.pillMotions, 0, 1);
    for (let g = 0; g < system.strandCount; g++) for (let p = system.start[g] + 2; p < system.start[g + 1]; p++) {
      const depth = contacts.depth(g, world[3 * p], world[3 * p + 1], world[3 * p + 2]);
      this.began[p] = depth;
      if (depth > 0) beganInside++;
      beganDeepest = Math.max(beganDeepest, depth);
    }
    return { beganInside, beganDeepest };
  }

  /** Roots with their frames at share `t` of the way between two frames. */
  private placeRoots(from: Float64Array, to: Float64Array, t: number): void {
    const { system, mixed: q } = this, { k, lanes: L } = system;
    for (let g = 0; g < system.strandCount; g++) {
      const o = 7 * g;
      slerpInto(q, 0, from, o, to, o, t);
      for (let c = 0; c < 3; c++) system.rootPosition[3 * g + c] = from[o + 4 + c] + (to[o + 4 + c] - from[o + 4 + c]) * t;
      turnInto(k.tangent, system.at(g, 0, 3), this.rootTangents, 3 * g, q, 0, L);
      turnInto(k.director, system.at(g, 0, 3), this.rootDirectors, 3 * g, q, 0, L);
      const x = q[0], y = q[1], z = q[2], w = q[3], r = system.strandAt(g, 9), R = k.turn;
      R[r] = 1 - 2 * (y * y + z * z); R[r + L] = 2 * (x * y - z * w); R[r + 2 * L] = 2 * (x * z + y * w);
      R[r + 3 * L] = 2 * (x * y + z * w); R[r + 4 * L] = 1 - 2 * (x * x + z * z); R[r + 5 * L] = 2 * (y * z - x * w);
      R[r + 6 * L] = 2 * (x * z - y * w); R[r + 7 * L] = 2 * (y * z + x * w); R[r + 8 * L] = 1 - 2 * (x * x + y * y);
    }
  }
  private readonly mixed = new Float64Array(4);

  /** Computes the next frame. */
  advance(): FrameMeasures {
    const { system, contacts, places, placesBefore, plan: { substeps } } = this;
    const netBefore = system.netUses;
    this.poser.poseInto(this.frame + 1, this.nextMotions, contacts?.pills, this.nextPillMotions, this.worn);
    if (contacts) {
      this.worn.forEach((w, q) => contacts.frame(q, w.before, w.now, system.pointCount));
      for (let g = 0; g < system.strandCount; g++) for (let c = 0; c < 3; c++) {
        placesBefore[3 * g + c] = this.motions[7 * g + 4 + c];
        places[3 * g + c] = this.nextMotions[7 * g + 4 + c];
      }
      contacts.cull(this.pillMotions, this.nextPillMotions, placesBefore, places, this.lengths);
    }
    for (let s = 0; s < substeps; s++) {
      this.placeRoots(this.motions, this.nextMotions, (s + 1) / substeps);
      if (contacts) {
        contacts.place(this.pillMotions, this.nextPillMotions, s / substeps, (s + 1) / substeps);
        contacts.gatherAll(system, this.numbers.h, [0, this.numbers.gravityY, 0]);
      }
      system.step(this.numbers);
    }
    [this.motions, this.nextMotions] = [this.nextMotions, this.motions];
    [this.pillMotions, this.nextPillMotions] = [this.nextPillMotions, this.pillMotions];
    for (const w of this.worn) w.turn();
    this.frame++;
    system.positionsInto(this.world);
    return this.measure(system.netUses - netBefore);
  }

  private measure(netUses: number): FrameMeasures {
    const { system, contacts, world: x } = this;
    const out: FrameMeasures = { frame: this.frame, stretch: 0, stretchGuide: -1, depth: 0, depthGuide: -1, netUses };
    const { start, lanes } = system, { restLength } = system.k;
    for (let g = 0; g < system.strandCount; g++) {
      const rest = system.at(g, 0, 1);
      for (let p = start[g] + 1; p < start[g + 1]; p++) {
        const a = 3 * p;
        const dx = x[a] - x[a - 3], dy = x[a + 1] - x[a - 2], dz = x[a + 2] - x[a - 1];
        const stretch = Math.abs(Math.sqrt(dx * dx + dy * dy + dz * dz) / restLength[rest + (p - start[g]) * lanes] - 1);
        if (stretch > out.stretch) { out.stretch = stretch; out.stretchGuide = g; }
        if (!contacts || p < start[g] + 2) continue;
        const depth = Math.max(contacts.depth(g, x[a], x[a + 1], x[a + 2]) - this.began[p], contacts.shellDepth(p, x[a], x[a + 1], x[a + 2]));
        if (depth > out.depth) { out.depth = depth; out.depthGuide = g; }
      }
    }
    return out;
  }

  /** The pills in use, in the rest pose. */
  get pills(): readonly Pill[] { return this.contacts?.pills ?? []; }

  /** Guide points now, 3 × pointCount × guides, m, world. */
  positions(): Float32Array {
    return Float32Array.from(this.world);
  }
  /** The same, written at `at` of an array. */
  positionsInto(out: Float32Array, at: number): void { out.set(this.world, at); }
}

/** out ← q v q*; components of `out` stand `stride` apart. */
function turnInto(out: Float64Array | Float32Array, o: number, v: ArrayLike<number>, k: number, q: ArrayLike<number>, p: number, stride = 1): void {
  const x = v[k], y = v[k + 1], z = v[k + 2], qx = q[p], qy = q[p + 1], qz = q[p + 2], qw = q[p + 3];
  const tx = 2 * (qy * z - qz * y), ty = 2 * (qz * x - qx * z), tz = 2 * (qx * y - qy * x);
  out[o] = x + qw * tx + qy * tz - qz * ty;
  out[o + stride] = y + qw * ty + qz * tx - qx * tz;
  out[o + 2 * stride] = z + qw * tz + qx * ty - qy * tx;
}
