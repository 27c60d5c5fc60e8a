/**
 * One run: the guides of a groom stepped frame by frame under a moving character. The same in the browser's worker, on the
 * server and in tests.
 */
import { besideEachOther } from '../math/morton';
import { requireContract } from '../contract';
import { mixMotions, moveInto, rotationRowsInto, slerpInto, turnInto } from '../math/mat4';
import { profileAt } from '../math/profile';
import { inCages } from '../cage/cages';
import { InCages } from '../cage/in-cages';
import { placeGuides } from '../groom/planting';
import { polylineLength } from '../groom/polyline';
import { roleOf, type SwaySettings } from '../document/schema';
import { LoopSeam } from '../proof/loop-seam';
import { OF_STRAND, STRAND_NUMBERS, StrandMeter } from '../proof/strand-meter';
import { restGuides } from './at-rest';
import { collidersOf, type ColliderSet } from './colliders';
import { ContactFinder } from './contact';
import type { Floor } from './rigid-colliders';
import { alone, type Coupling } from './coupling';
import { DROP_NUMBERS, DropRun } from '../drops/drop-run';
import { DropWalls } from '../drops/drop-walls';
import { NearMemory } from './fast/near-memory';
import { giveInto } from './give';
import { FIXED_HOLD, holdAt } from './hold';
import { Loft } from './loft';
import { factorsOf } from './by-formula';
import { GuideSettings } from './guide-settings';
import { keepOutside } from './keep-outside';
import type { Pill } from './pills';
import type { RunPlan } from './plan';
import { Presses } from './press';
import { pushOut, type Obstacles } from './push-out';
import type { StepNumbers } from './rod/arrays';
import { pressingMarks } from './contact-told';
import { DEEP, lift } from './lift';
import { Soundings } from './soundings';
import { measureFrame, measureStart, type FrameMeasures, type StartReport } from './run-report';
import { chooseKernel, RodSystem, type KernelWish } from './rod-system';
import { findNode, type Pose } from '../mesh/character';
import type { Hand } from '../mesh/hand';
import { mapAtRoots, nodeMotionsInto, restPoints, RootPoser, shareOf, Stage, WornShell, type Scene, sheetOf } from './scene';
import { SheetGrid, SheetLinks } from './sheet';
import { SheetLoad } from './sheet-load';
import { PlaceTies, tieBodies } from './ties';
import { blow, Wind } from './wind';

export { shareOf, type Scene } from './scene';
export { planRun, type RunPlan } from './plan';

/** Hair leaves the skin by so much of its length at least before the gap counts in full. */
const GAP_RISE = 0.35;
/** 1/s: how fast hair that was kept off comes back to where its cage has it. Common practice, no source. */
const BACK_TO_CAGE = 6;
/** Steps of cages from one look for contacts to the next. */
const CAGE_STEPS_A_LOOK = 2;
/** Numbers of a mark: place, normal, force, guide. */
export const MARK_NUMBERS = 8;

export interface RunOptions {
  /** Fitted and set colliders, where they are known already. */
  colliders?: ColliderSet;
  /** What `planRun` said for the whole groom; the settings' own number of substeps otherwise. */
  plan?: RunPlan;
  kernel?: KernelWish;
  /** The guides of this share; all of them otherwise. */
  from?: number;
  to?: number;
  /** What is moved by hand at the start. */
  hand?: Hand | null;
  /** What the shares have in common; needed for more than one share where strands act on each other. */
  coupling?: Coupling;
}

/** Whether all guides of a groom must be computed in one share: drops meet any of them, and a sheet is one. */
export const needsOne = (settings: Pick<SwaySettings, 'cages' | 'drops' | 'on' | 'sheet'>): boolean => settings.on && !inCages(settings) && (settings.sheet !== undefined || rains(settings));
export const rains = (settings: Pick<SwaySettings, 'cages' | 'drops' | 'on'>): boolean => settings.on && !inCages(settings) && (settings.drops ?? []).some((d) => d.on);
/** Whether the strands of a groom act on each other, so that its shares must run in step. */
export const isCoupled = (settings: Pick<SwaySettings, 'cages' | 'loft' | 'on' | 'ties'>): boolean => !inCages(settings) && (settings.loft > 0 || settings.ties.some((t) => t.on));

export class SwayRun {
  readonly scene: Scene;
  readonly system: RodSystem;
  readonly report: StartReport;
  readonly colliders: ColliderSet;
  frame: number;
  /** The frame by which wind and drops go: on and on, also while the pose stands still. */
  private clock: number;
  private readonly first: number;
  private readonly contacts: ContactFinder | null;
  private readonly worn: readonly WornShell[];
  private readonly formulaNotes: readonly string[];
  private readonly stage: Stage;
  private readonly poser: RootPoser;
  private readonly lengths: Float64Array;
  private readonly plan: RunPlan;
  private readonly numbers: StepNumbers;
  private readonly coupling: Coupling;
  private readonly loft: Loft | null;
  private readonly ties: PlaceTies | null;
  private readonly wind: Wind;
  private readonly pills: readonly Pill[];
  /** Nodes that carry pills, then floors; and their motions, 7 each. */
  private readonly nodes: Int32Array;
  private motions: Float64Array;
  private nextMotions: Float64Array;
  private rigid: Float64Array;
  private nextRigid: Float64Array;
  private tieMotions: Float64Array;
  private nextTieMotions: Float64Array;
  private readonly tieNow: Float64Array;
  /** 3 × guides: rest direction of the first edge and a director across it. */
  private readonly rootTangents: Float64Array;
  private readonly rootDirectors: Float64Array;
  private readonly places: Float64Array;
  private readonly placesBefore: Float64Array;
  /** 3 × points, m: as computed, and as combed; where the run is computed. */
  private readonly world: Float64Array;
  private readonly combed: Float64Array;
  /** Where shapes change with the pose: those of all guides at the frame the run is at, and at the next; and what hold adds to this share's. */
  private shape: Float64Array | null = null;
  private nextShape: Float64Array | null = null;
  private readonly lifts: Float64Array | null;
  private readonly bends: { hold: (system: RodSystem, h: number) => void } | null;
  /** Share of the movement at each point that is shown; null where all of it is. */
  private readonly give: Float64Array | null;
  private readonly shown: Float64Array;
  private readonly home = Float64Array.of(0, 0, 0, 1, 0, 0, 0);
  private obstacles: Obstacles | null = null;
  private readonly ofGuides: GuideSettings;
  private readonly meter: StrandMeter;
  private readonly loop: LoopSeam | null;
  private readonly soundings: Soundings;
  /** Links of a sheet; null where the guides are none. */
  readonly sheet: SheetLinks | null;
  /** What lies on the sheet; null where nothing does. */
  private readonly load: SheetLoad | null;
  /** What the hair presses on clothes by; null where it meets none. */
  private readonly presses: Presses | null;
  /** Drops about the hair; null where none come. */
  readonly drops: DropRun | null;
  /** What the hair is moved in instead of as rods; null where it is not. */
  readonly cages: InCages | null;
  private readonly cageMotions: Float64Array;
  /** Motions of the roots and shapes between two frames, where there are cages. */
  private readonly guides: Float64Array;
  private readonly between: Float64Array | null;
  /** Where the cages would have the hair, now and a step ago. */
  private readonly aim: Float64Array;
  private readonly aimed: Float64Array;

  /** Places the guides as combed at `startFrame` and lets them rest there. */
  constructor(private readonly whole: Scene, startFrame: number, options: RunOptions = {}) {
    const all = whole.planting.faces.length, from = (this.first = options.from ?? 0), to = options.to ?? all;
    const scene = (this.scene = from === 0 && to === all ? whole : shareOf(whole, from, to));
    const { character, planting, offsets, pointCount, settings, shot } = scene;
    const guides = planting.faces.length;
    requireContract(offsets.length === 3 * pointCount * guides, 'offsets', `3 × ${pointCount} × ${guides} numbers`, offsets.length);
    this.frame = this.clock = startFrame;
    this.stage = new Stage(scene, startFrame, options.hand ?? null);
    this.poser = new RootPoser(scene, this.stage);
    this.motions = new Float64Array(7 * guides);
    this.nextMotions = new Float64Array(7 * guides);
    this.plan = options.plan ?? { substeps: settings.substeps, passes: 1, error: 0, because: 'asked', kernel: 'auto' };

    this.colliders = options.colliders ?? collidersOf(character, scene.hidden, settings);
    const gap = settings.skinGapMm / 1000, pills = (this.pills = this.colliders.pills.filter((p) => p.on)), used = this.colliders.floors.filter((f) => f.on);
    const on = this.colliders.shells.filter((s) => s.on), memory = on.length > 0 ? new NearMemory() : undefined;
    this.worn = on.flatMap((s) => WornShell.layers(character, character.meshes[s.mesh], s.gap ?? gap, s.friction ?? settings.friction, s.twoSided, s.parts, memory));
    const floors = used.map((f): Floor => ({ place: f.place, up: [0, 1, 0], gap: f.gap, friction: f.friction }));
    this.contacts = pills.length + floors.length + this.worn.length > 0
      ? new ContactFinder(pills, guides, { skinGap: gap, friction: settings.friction, floors, gapRise: GAP_RISE, gapShare: settings.profiles.gap.every(([, y]) => y === 1) ? undefined : (share) => profileAt(settings.profiles.gap, share), substeps: this.plan.substeps }, this.worn.map((w) => w.shell)) : null;
    this.nodes = Int32Array.from([...pills, ...used], (c) => c.node);
    this.rigid = new Float64Array(7 * this.nodes.length);
    this.nextRigid = new Float64Array(7 * this.nodes.length);
    const pose = this.stage.poseAt(startFrame, this.home);
    this.poser.rootsInto(pose, this.motions);
    nodeMotionsInto(this.rigid, this.nodes, this.stage.rest, pose);
    for (const w of this.worn) { w.pose(pose); w.turn(); }
    this.numbers = { h: 1 / (shot.fps * this.plan.substeps), gravityX: 0, gravityY: -settings.gravity, gravityZ: 0, passes: this.plan.passes, lagging: settings.bendDamping > 0 || (settings.second?.bendDamping ?? 0) > 0 ? 1 : 0 };

    const kernel = chooseKernel(options.kernel ?? this.plan.kernel);
    this.system = new RodSystem(new Int32Array(guides).fill(pointCount), kernel, this.contacts !== null, this.besideEachOther(guides));
    this.lengths = new Float64Array(guides);
    this.rootTangents = new Float64Array(3 * guides);
    this.rootDirectors = new Float64Array(3 * guides);
    this.places = new Float64Array(3 * guides);
    this.placesBefore = new Float64Array(3 * guides);
    this.world = new Float64Array(offsets.length);
    this.combed = new Float64Array(offsets.length);
    if (whole.shape) {
      this.shape = new Float64Array(whole.offsets.length);
      this.nextShape = new Float64Array(whole.offsets.length);
      whole.shape(pose, this.shape);
    }
    this.lifts = whole.shape ? new Float64Array(offsets.length) : null;
    this.combInto();
    this.world.set(this.combed);
    this.bends = whole.bends?.(this.first) ?? null;
    // as the strands' own rest shapes, so is what lies between them: as it is where the run begins
    const grid = settings.sheet && guides > 1 && !inCages(settings) ? new SheetGrid(settings.sheet, this.world.slice(), guides, pointCount) : null;
    this.sheet = grid ? new SheetLinks(grid) : null;
    this.load = grid && settings.load?.on && scene.load ? SheetLoad.of(scene.load, settings.load, guides, pointCount) : null;
    const isBody = (mesh: WornShell['mesh']): boolean => roleOf(mesh, settings) === 'body';
    this.presses = this.contacts && !inCages(settings) && Presses.any(this.worn, isBody) ? new Presses(this.contacts, this.system, this.worn, character, isBody) : null;
    const byFormula = factorsOf(scene, from);
    this.ofGuides = new GuideSettings(settings, mapAtRoots(scene, 'region'), from, grid, byFormula.factors);
    this.formulaNotes = byFormula.notes;
    this.give = this.givesOf();
    this.shown = this.give ? this.world.slice() : this.world;
    this.meter = new StrandMeter(pointCount, shot.fps, this.shown, this.combed);
    this.loop = shot.cyclic && startFrame < shot.start ? new LoopSeam(pointCount, shot) : null;
    this.loop?.take(startFrame, this.shown, this.motions);
    this.wind = new Wind(settings);
    requireContract(!needsOne(settings) || guides === all, 'from, to', 'all guides in one share, as drops meet any of them and a sheet is one', `${from} to ${to}`);
    this.drops = rains(settings) ? new DropRun({ sources: settings.drops!, gravity: settings.gravity, fps: shot.fps }, guides * pointCount) : null;
    this.drops?.startAt(startFrame / shot.fps);
    const { cut, heldShare } = restGuides({ system: this.system, scene, wind: this.wind, ofGuides: this.ofGuides, grid, first: from, world: this.world, shape: this.shape, motions: this.motions }, { tangents: this.rootTangents, directors: this.rootDirectors, lengths: this.lengths, lifts: this.lifts });
    this.placeRoots(this.motions, this.motions, 0);
    this.system.rootBefore.set(this.system.rootPosition);

    this.coupling = options.coupling ?? alone(all, all * pointCount);
    const { loft, ties } = this.bindStrands(startFrame, guides === all || options.coupling !== undefined);
    this.loft = loft;
    this.ties = ties;
    this.tieMotions = new Float64Array(7 * (ties?.nodes.length ?? 0));
    this.nextTieMotions = this.tieMotions.slice();
    this.tieNow = this.tieMotions.slice();
    if (ties) {
      nodeMotionsInto(this.tieMotions, ties.nodes, this.stage.rest, pose);
      ties.anchor(this.tieMotions);
    }
    this.cages = inCages(settings) ? new InCages({ cages: settings.cages!, nodes: settings.cages!.map((c) => findNode(character, c.joint)), restPoints: restPoints(whole), pointCount, from, to, gravity: settings.gravity, calm: settings.calmStart }) : null;
    this.cageMotions = new Float64Array(7 * (this.cages?.nodes.length ?? 0));
    this.guides = new Float64Array(this.cages ? 7 * guides : 0);
    this.aim = this.cages ? this.world.slice() : new Float64Array(0);
    this.aimed = this.aim.slice();
    this.between = this.cages && this.shape ? new Float64Array(offsets.length) : null;
    if (this.cages) {
      nodeMotionsInto(this.cageMotions, this.cages.nodes, this.stage.rest, pose);
      this.cages.begin(this.cageMotions);
    }
    const { substeps, passes, error, because } = this.plan, within: (Uint8Array | null)[] = [];
    this.report = { guides, cut, heldShare, pills: pills.length, shells: new Set(this.worn.map((w) => w.mesh)).size, bodies: loft?.lofted ?? 0, ...measureStart({ system: this.system, world: this.world, lengths: this.lengths, contacts: this.contacts, worn: this.worn, pills, rigid: this.rigid, drops: rains(settings) ? settings.drops! : [] }, this.startNotes(), within), length: Math.round(1e4 * (Float64Array.from({ length: all }, (_, g) => polylineLength(whole.offsets, g * pointCount, pointCount)).sort()[all >> 1] ?? 0)) / 1e4, colliders: [...pills.map((p) => (p as { label?: string }).label ?? p.source), ...used.map((f) => f.label), ...this.worn.map((w) => w.mesh.name)], kernel, plan: { substeps, passes, error, because } };
    this.soundings = new Soundings(this.worn, within, pills.length + floors.length);
  }

  private givesOf(): Float64Array | null {
    const { settings, pointCount, planting } = this.scene, map = mapAtRoots(this.scene, 'give');
    if (!settings.on) return new Float64Array(planting.faces.length * pointCount);
    const give = Float64Array.from({ length: planting.faces.length * pointCount }, (_, p) => Math.max(0, Math.min(1, this.ofGuides.at(Math.floor(p / pointCount)).of.give * map[Math.floor(p / pointCount)] * profileAt(settings.profiles.give, (p % pointCount) / (pointCount - 1)))));
    return give.every((g) => g === 1) ? null : give;
  }

  /** Loft and ties, which know the whole groom. */
  private bindStrands(startFrame: number, together: boolean): { loft: Loft | null; ties: PlaceTies | null } {
    const { whole, system } = this, { settings, pointCount, planting, offsets, character } = whole, all = planting.faces.length;
    if (!isCoupled(settings)) return { loft: null, ties: null };
    requireContract(together, 'coupling', 'a coupling of the shares, as strands act on each other', 'none');
    const motions = new Float64Array(7 * all), points = new Float64Array(offsets.length), mass = new Float64Array(all * pointCount);
    new RootPoser(whole, this.stage).rootsInto(this.stage.poseAt(startFrame), motions);
    placeGuides(offsets, motions, pointCount, points);
    const of = new GuideSettings(settings, mapAtRoots(whole, 'region'), 0, sheetOf(whole), factorsOf(whole).factors), hold = mapAtRoots(whole, 'hold');
    for (let g = 0; g < all; g++) {
      const { rod, hold: own } = of.at(g);
      let length = 0, at = 0;
      const edge = (i: number): number => { const p = 3 * (g * pointCount + i); return Math.hypot(points[p] - points[p - 3], points[p + 1] - points[p - 2], points[p + 2] - points[p - 1]); };
      for (let i = 1; i < pointCount; i++) length += edge(i);
      for (let i = 1; i < pointCount; i++) {
        const below = edge(i);
        at += below;
        mass[g * pointCount + i] = holdAt({ ...settings, hold: own }, length > 0 ? at / length : 0) * hold[g] >= FIXED_HOLD ? 0 : rod.lineDensity * 0.5 * (below + (i < pointCount - 1 ? edge(i + 1) : 0));
      }
    }
    const strength = mapAtRoots(whole, 'loft');
    const loft = new Loft(points, mass, pointCount, settings.loft > 0 ? {
      strength: settings.loft, spacing: settings.loftSpacingMm / 1000, cohesion: settings.cohesion, at: (g, i) => strength[g] * profileAt(settings.profiles.loft, i / (pointCount - 1)),
    } : null, tieBodies(settings.ties, points, all, pointCount), settings.ties.length, this.coupling);
    const ties = new PlaceTies(settings.ties, character, points, all, pointCount, this.first, system, this.coupling, loft.broken);
    return { loft, ties };
  }

  /** What there is to know of colliders, formulas, cages and loads. */
  private startNotes(): string[] {
    const { load } = this.scene.settings, notes = [...this.colliders.notes, ...this.formulaNotes, ...(this.cages?.notes ?? [])];
    if (this.sheet && load?.on && !this.load) notes.push(`What ${load.from} pressed by was taken for other lines than these, so nothing of it lies on the sheet. Take it again.`);
    return notes;
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
      rotationRowsInto(k.turn, system.strandAt(g, 9), q, 0, L);
    }
  }
  private readonly mixed = new Float64Array(4);

  /** What is moved by hand from the next frame on. */
  setHand(hand: Hand | null): void { this.stage.hand = hand; }
  /** Goes on from where another run of the same strands is, which began where this one does, with other settings. */
  goOnFrom(other: SwayRun): void {
    const { system, world, home, stage } = this;
    this.frame = other.frame;
    stage.hand = other.stage.hand;
    this.clock = other.clock;
    this.drops?.goOnFrom(other.drops, this.clock / this.scene.shot.fps);
    const pose = stage.poseAt(this.frame, home), [ax, ay, az, aw] = home, [bx, by, bz, bw] = other.home;
    this.poser.rootsInto(pose, this.motions);
    nodeMotionsInto(this.rigid, this.nodes, stage.rest, pose);
    if (this.ties) nodeMotionsInto(this.tieMotions, this.ties.nodes, stage.rest, pose);
    for (const w of this.worn) { w.pose(pose); w.turn(); }
    // what the carrier takes along may be another share of its turning
    system.takeMotion(other.system, [aw * bx - ax * bw - ay * bz + az * by, aw * by + ax * bz - ay * bw - az * bx, aw * bz - ax * by + ay * bx - az * bw, aw * bw + ax * bx + ay * by + az * bz]);
    if (this.shape) this.whole.shape!(pose, this.shape);
    if (this.cages && other.cages) {
      nodeMotionsInto(this.cageMotions, this.cages.nodes, stage.rest, pose);
      this.cages.goOnFrom(other.cages, this.cageMotions);
    }
    this.placeRoots(this.motions, this.motions, 0);
    system.rootBefore.set(system.rootPosition);
    if (this.cages) world.set(other.world); else system.positionsInto(world);
    this.combInto();
    if (this.cages) {
      this.cages.moveInto(this.aim, this.combed);
      if (!this.contacts) world.set(this.aim);
      system.standAt(world);
    }
    this.show();
    this.meter.begin(this.shown, this.combed);
  }
  /** Computes the next frame; with a frame: into its pose. */
  advance(pose?: number): FrameMeasures {
    if (pose !== undefined) this.frame = pose - 1;
    const { system, contacts, loft, ties, numbers, plan: { substeps }, whole } = this, h = numbers.h;
    const netBefore = system.netUses, posed = this.stage.poseAt(this.frame + 1, this.home);
    this.poser.rootsInto(posed, this.nextMotions);
    nodeMotionsInto(this.nextRigid, this.nodes, this.stage.rest, posed);
    if (ties) nodeMotionsInto(this.nextTieMotions, ties.nodes, this.stage.rest, posed);
    for (const w of this.worn) w.pose(posed);
    if (this.nextShape) whole.shape!(posed, this.nextShape);
    if (!this.scene.settings.on) return this.ride();
    if (this.cages) return this.frameInCages(this.cages, posed);
    if (contacts) this.meetFrame(contacts);
    this.presses?.begin();
    if (!this.wind.still) blow(this.wind, (this.clock + 0.5) / this.scene.shot.fps, system, this.world, contacts);
    const inTheWay = this.drops ? this.wayOfDrops(this.drops) : null, air = this.airOf();
    for (let s = 0; s < substeps; s++) {
      const t0 = s / substeps, t1 = (s + 1) / substeps;
      loft?.act(system, this.first, h, ties ? () => ties.letGo() : undefined);
      this.placeRoots(this.motions, this.nextMotions, t1);
      this.shapeInto(t1);
      if (ties) {
        this.mixTies(t1);
        ties.hold(system, this.tieNow, h);
      }
      this.load?.act(system, h, (this.frame + 1) / this.scene.shot.fps, this.home);
      // before contacts are looked for, as hair that is hit goes where they have to stop it
      this.drops?.act(system, h, (this.clock + t1) / this.scene.shot.fps, air, inTheWay, (1 - t1) / this.scene.shot.fps);
      if (contacts) {
        contacts.place(this.rigid, this.nextRigid, t0, t1);
        contacts.gatherAll(system, h, [0, numbers.gravityY, 0]);
      }
      system.step(numbers);
      this.presses?.add(h);
      this.sheet?.act(system, h, this.scene.settings.bendDamping / 1000);
      this.bends?.hold(system, h);
      ties?.measure(system);
    }
    this.turnFrame();
    system.positionsInto(this.world);
    this.combInto();
    let measures = this.measure(system.netUses - netBefore);
    if (contacts && measures.depth > DEEP && this.liftAll(contacts)) measures = this.measure(measures.netUses);
    measures = this.sounded(measures);
    this.show();
    this.meter.take(this.shown, this.combed);
    const seam = this.loop?.take(this.frame, this.shown, this.motions);
    return seam ? { ...measures, seam } : measures;
  }
  /** Guides by where they grow: what touches something lies beside each other. */
  private besideEachOther(guides: number): Uint32Array {
    const motions = new Float64Array(7 * guides);
    this.poser.rootsInto(this.stage.rest, motions);
    return besideEachOther(Float64Array.from({ length: 3 * guides }, (_, a) => motions[7 * Math.floor(a / 3) + 4 + (a % 3)]), guides);
  }
  /** Puts strands outside that were measured deep; whether any is less deep then. */
  private liftAll(contacts: ContactFinder): boolean {
    const { system, world, meter: { strands } } = this;
    let any = false;
    for (let g = 0; g < system.strandCount; g++) {
      const depth = strands[STRAND_NUMBERS * g + OF_STRAND.depth];
      if (depth > DEEP && lift(system, world, contacts, g, depth)) any = true;
    }
    return any;
  }
  /** Colliders that are near in the coming frame. */
  private meetFrame(contacts: ContactFinder): void {
    const { system, places, placesBefore } = this;
    this.worn.forEach((w, q) => contacts.frame(q, w.before, w.now, system.pointCount));
    for (let g = 0; g < system.strandCount; g++) for (let c = 0; c < 3; c++) {
      placesBefore[3 * g + c] = this.motions[7 * g + 4 + c];
      places[3 * g + c] = this.nextMotions[7 * g + 4 + c];
    }
    contacts.cull(this.rigid, this.nextRigid, placesBefore, places, this.lengths);
  }
  /** Velocity of the air in the coming frame by place; null where it is still. */
  private airOf(): ((x: number, y: number, z: number, out: Float64Array) => void) | null {
    return this.wind.still ? null : (x, y, z, out) => this.wind.at((this.clock + 0.5) / this.scene.shot.fps, x, y, z, out);
  }
  /** A frame in cages: they swing, the hair goes along, and is put out of what it would go into. */
  private frameInCages(cages: InCages, posed: Pose): FrameMeasures {
    const { system, contacts, world, combed, guides, aim, aimed, numbers: { h }, plan: { substeps } } = this, air = this.airOf();
    nodeMotionsInto(this.cageMotions, cages.nodes, this.stage.rest, posed);
    cages.frame(this.cageMotions);
    if (contacts) this.meetFrame(contacts);
    for (let s = 1, looked = 0; s <= substeps; s++) {
      cages.step(s - 1, substeps, h, air);
      if (!contacts || (s < substeps && s - looked < CAGE_STEPS_A_LOOK)) continue;
      const t0 = looked / substeps, t1 = s / substeps, time = (s - looked) * h, keeps = Math.exp(-BACK_TO_CAGE * time);
      looked = s;
      mixMotions(guides, this.motions, this.nextMotions, t1);
      this.combInto(guides, t1);
      aimed.set(aim);
      cages.moveInto(aim, combed);
      for (let g = 0; g < system.strandCount; g++) for (let c = 0; c < 3; c++) system.rootPosition[3 * g + c] = guides[7 * g + 4 + c];
      // looked for where it is, not where it would be inside
      system.moveAs(aimed, aim, time);
      contacts.place(this.rigid, this.nextRigid, t0, t1);
      contacts.gatherAll(system, time, [0, 0, 0]);
      // what kept it off before still does for the most part: it comes back to the cage as it went from it, bit by bit
      for (let a = 0; a < world.length; a++) world[a] = aim[a] + keeps * (world[a] - aimed[a]);
      system.standAt(world);
      keepOutside(system);
      system.rootBefore.set(system.rootPosition);
      system.positionsInto(world);
    }
    this.turnFrame();
    this.combInto();
    if (!contacts) cages.moveInto(world, combed);
    this.show();
    this.meter.take(this.shown, this.combed);
    const measures: FrameMeasures = { ...this.sounded(this.measure(0)), contacts: 0, press: 0 }, seam = this.loop?.take(this.frame, this.shown, this.motions);
    return seam ? { ...measures, seam } : measures;
  }
  /** Skin, cloth and ground as they stand at the end of the frame; null where no drops come or fly. */
  private wayOfDrops(drops: DropRun): DropWalls | null {
    const { contacts, worn } = this, { settings } = this.scene;
    drops.beginFrame();
    if (drops.flying === 0 && !(settings.drops ?? []).some((s) => s.on && this.clock + 1 >= s.from && this.clock <= s.to)) return null;
    this.dropWalls ??= new DropWalls(worn.map((w) => ({ mesh: w, shell: w.shell, get before() { return w.before; }, get now() { return w.now; } })), worn.map((w) => w.before), { pills: this.pills, floors: [[0, 1, 0, 0]] });
    this.dropWalls.frame(contacts?.rigid.placesOf(this.nextRigid) ?? []);
    return this.dropWalls;
  }
  private dropWalls: DropWalls | null = null;
  /** Drops in the frame, `DROP_NUMBERS` each, m, world; null where none come. */
  shownDrops(): Float32Array | null {
    const { drops, home } = this;
    if (!drops) return null;
    const out = drops.shown(this.system);
    if (home[3] !== 1 || home[4] !== 0 || home[5] !== 0 || home[6] !== 0) for (let d = 0; d < out.length; d += DROP_NUMBERS) { moveInto(out, d + 1, out.slice(d + 1, d + 4), 0, home); turnInto(out, d + 4, out.slice(d + 4, d + 7), 0, home); }
    return out;
  }
  /** What hair has pressed on clothes by in the frame, `PRESS_NUMBERS` each; null where it meets none. */
  shownPresses(): Float32Array | null { return this.presses && this.scene.settings.on ? this.presses.told(this.world, 1 / this.scene.shot.fps, this.home) : null; }
  /** The next frame becomes the one the run is at. */
  private turnFrame(): void {
    [this.motions, this.nextMotions] = [this.nextMotions, this.motions];
    [this.rigid, this.nextRigid] = [this.nextRigid, this.rigid];
    [this.tieMotions, this.nextTieMotions] = [this.nextTieMotions, this.tieMotions];
    [this.shape, this.nextShape] = [this.nextShape, this.shape];
    for (const w of this.worn) w.turn();
    this.frame++;
    this.clock++;
  }
  /** A frame of hair that does not move of itself: the skin carries it. */
  private ride(): FrameMeasures {
    this.turnFrame();
    this.combInto();
    this.world.set(this.combed);
    this.shown.set(this.combed);
    this.meter.take(this.shown, this.combed);
    this.meter.still();
    const seam = this.loop?.take(this.frame, this.shown, this.motions), out: FrameMeasures = { frame: this.frame, stretch: 0, stretchGuide: -1, depth: 0, depthGuide: -1, netUses: 0, contacts: 0, press: 0, broken: [], volume: 1 };
    return seam ? { ...out, seam } : out;
  }
  /** The groomed shape, carried by the skin; as the pose has it where it changes with that, at share `t` of the way to the next frame. */
  private combInto(motions = this.motions, t = 0): void {
    const { shape, nextShape, between, scene: { offsets, pointCount } } = this, from = 3 * pointCount * this.first;
    if (t > 0 && shape && nextShape && between) for (let a = 0; a < between.length; a++) between[a] = shape[from + a] + t * (nextShape[from + a] - shape[from + a]);
    placeGuides(shape ? (t > 0 && between ? between : shape.subarray(from, from + offsets.length)) : offsets, motions, pointCount, this.combed);
  }
  /** Where hold draws to, at share `t` of the way to the next frame. */
  private shapeInto(t: number): void {
    const { shape: a, nextShape: b, lifts, system, scene: { pointCount } } = this;
    if (!a || !b || !lifts) return;
    const { k, lanes: L } = system;
    for (let g = 0; g < system.strandCount; g++) for (let i = 1; i < pointCount; i++) {
      const o = 3 * (g * pointCount + i), w = o + 3 * pointCount * this.first, at = system.at(g, i, 3);
      for (let c = 0; c < 3; c++) k.holdOffset[at + c * L] = lifts[o + c] + a[w + c] + t * (b[w + c] - a[w + c]);
    }
  }
  private mixTies(t: number): void {
    mixMotions(this.tieNow, this.tieMotions, this.nextTieMotions, t);
  }

  private measure(netUses: number): FrameMeasures {
    // as all stands at the end of the frame, which is over
    this.contacts?.place(this.rigid, this.rigid, 1, 1);
    return measureFrame(this.frame, netUses, this.system, this.world, this.contacts, this.loft, this.meter.strands);
  }

  private sounded(measures: FrameMeasures): FrameMeasures { return this.contacts ? this.soundings.take(measures, this.system, this.world, this.contacts, this.meter.strands) : measures; }

  /** What is shown of the frame: all of it, or as much as give lets through, outside what is in the way. */
  private show(): void {
    const { give, shown, world, combed, scene: { pointCount } } = this;
    if (!give) return;
    for (let g = 0; g < this.system.strandCount; g++) giveInto(shown, g * pointCount, pointCount, world, combed, give);
    if (this.contacts) this.putOut(this.contacts, shown, world);
  }
  /** Puts points out of what is in the way; `right` has them on the right side of sheets. */
  private putOut(contacts: ContactFinder, points: Float64Array, right: Float64Array): void {
    this.obstacles ??= { pills: this.pills, floors: [], shells: this.worn.map((w) => ({ triangles: w.triangles, closed: w.shell.closed })) };
    pushOut(points, this.scene.pointCount, this.obstacles, contacts.rigid.placesOf(this.rigid), this.worn.map((w) => w.before), right);
  }

  /** The colliders in use, in the rest pose. */
  get usedPills(): readonly Pill[] { return this.pills; }

  /** Guide points now, 3 × pointCount × guides, m, world. */
  positions(): Float32Array {
    const out = new Float32Array(this.shown.length);
    this.positionsInto(out, 0);
    return out;
  }
  /** The same, written at `at` of an array. */
  positionsInto(out: Float32Array, at: number): void {
    const { shown, home } = this;
    if (home[3] === 1 && home[4] === 0 && home[5] === 0 && home[6] === 0) { out.set(shown, at); return; }
    for (let p = 0; p < shown.length; p += 3) moveInto(out, at + p, shown, p, home);
  }
  /** Numbers of every strand in the frame, `STRAND_NUMBERS` each. */
  get strandNumbers(): Float32Array { return this.meter.strands; }
  /** Guide points where the run is computed: seen from the carrier where there is one. */
  computed(): Float64Array { return this.world.slice(); }

  /** Contacts that press: place (3), normal (3), force in N, guide; `MARK_NUMBERS` each, m, world. */
  marks(): Float32Array {
    const out: number[] = [], v = new Float64Array(3), { home } = this;
    if (this.contacts) for (const m of pressingMarks(this.contacts, this.system)) {
      moveInto(v, 0, m.place, 0, home);
      out.push(v[0], v[1], v[2]);
      turnInto(v, 0, m.normal, 0, home);
      out.push(v[0], v[1], v[2], m.force, m.strand + this.first);
    }
    return Float32Array.from(out);
  }
}
