/**
 * A case: strands, their movement and what they touch as plain data, and its answer. The core without a screen, for
 * pipelines and for checks by others (`./comb sway`).
 */
import { z } from 'zod';
import { rotationRowsInto, slerpInto, quatFromAxes } from '../math/mat4';
import type { Vec3 } from '../math/vec';
import { calmStart } from './calm-start';
import { ContactFinder } from './contact';
import { NearMemory } from './fast/near-memory';
import { FIXED_HOLD, holdRate } from './hold';
import { roundRod } from './materials';
import type { Pill } from './pills';
import { chooseKernel, RodSystem, type KernelName } from './rod-system';
import { AIR, hingeRoot, makeRod, placeStrand, type Fastening } from './strand-setup';
import { Shell } from './shell';
import { describeShell } from './shell-check';
import { airDamping, float32Suffices, MOST_SUBSTEPS, planSubsteps, type StepPlan } from './substeps';

const vec3 = z.tuple([z.number(), z.number(), z.number()]);
const positive = z.number().positive();
const share = z.number().min(0).max(1);

const strandSchema = z.strictObject({
  /** m, world, at frame 0; the first is the root. */
  points: z.array(vec3).min(2).max(4096),
  /** Unloaded shape; lengths are the pose's unless points are given. */
  rest: z.union([z.enum(['straight', 'pose']), z.array(vec3)]).default('pose'),
  /** m, kg/m³, Pa. */
  diameter: positive.max(1), density: positive.max(1e5), youngModulus: positive.max(1e13), shearModulus: positive.max(1e13),
  root: z.enum(['clamped', 'hinged']).default('clamped'),
  rootDirection: vec3.optional(),
  tip: z.enum(['free', 'pinned']).default('free'),
  hold: z.union([share, z.array(share)]).optional(),
});
/** Numbers in a row, or in threes. */
const threes = (item: z.ZodNumber): z.ZodType<number[]> => z.union([z.array(item), z.array(z.tuple([item, item, item]))]).transform((list): number[] => (list as (number | number[])[]).flat());
const contactShape = { gap: z.number().min(0).max(1).optional(), friction: z.number().min(0).max(100).optional() };
const colliderSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('ball'), center: vec3, radius: z.number().min(0), ...contactShape }),
  z.strictObject({ kind: z.literal('pill'), a: vec3, b: vec3, radiusA: z.number().min(0), radiusB: z.number().min(0), ...contactShape }),
  /** A level plane; hair stays above it. Of several the highest counts. */
  z.strictObject({ kind: z.literal('floor'), height: z.number(), ...contactShape }),
  /** A mesh, closed or open; `frames`: its positions frame by frame, where it moves. */
  z.strictObject({ kind: z.literal('shell'), positions: threes(z.number()), triangles: threes(z.number().int().min(0)), frames: z.array(threes(z.number())).optional(), ...contactShape }),
]);

export const caseSchema = z.strictObject({
  fps: z.number().min(0.1).max(10000),
  /** Frames answered, the starting pose among them. */
  frames: z.number().int().min(1).max(1_000_000),
  substeps: z.number().int().min(1).max(1024).optional(),
  gravity: vec3.default([0, -9.81, 0]),
  /** 1/s, linear; left out: the drag law of air at 20 °C. */
  airDrag: z.number().min(0).max(1e6).optional(),
  wind: vec3.default([0, 0, 0]),
  settle: z.boolean().default(false),
  calmStart: z.boolean().default(false),
  kernel: z.enum(['auto', 'float64', 'simd']).default('auto'),
  strands: z.array(strandSchema).min(1).max(1_000_000),
  rootMotion: z.array(z.array(z.number()).length(16)).optional(),
  colliders: z.array(colliderSchema).max(10_000).default([]),
}).superRefine((c, context) => {
  const wrong = (path: (string | number)[], message: string): void => { context.addIssue({ code: 'custom', path, message }); };
  c.strands.forEach((s, i) => {
    checkPoints(s.points, ['strands', i, 'points'], wrong);
    if (Array.isArray(s.rest)) {
      if (s.rest.length !== s.points.length) wrong(['strands', i, 'rest'], `has ${s.rest.length} points, but the strand has ${s.points.length}`);
      else checkPoints(s.rest, ['strands', i, 'rest'], wrong);
    }
    if (Array.isArray(s.hold) && s.hold.length !== s.points.length) wrong(['strands', i, 'hold'], `has ${s.hold.length} values, but the strand has ${s.points.length} points`);
    if (s.rootDirection && Math.hypot(...s.rootDirection) < 1e-9) wrong(['strands', i, 'rootDirection'], 'has no length');
  });
  c.rootMotion?.forEach((m, f) => { const why = notRigid(m); if (why) wrong(['rootMotion', f], why); });
  c.colliders.forEach((shell, i) => {
    if (shell.kind !== 'shell') return;
    const vertices = shell.positions.length / 3, at = (what: string): (string | number)[] => ['colliders', i, what];
    if (vertices % 1 !== 0) wrong(at('positions'), 'must be x, y, z of each vertex');
    else if (shell.triangles.length % 3 !== 0) wrong(at('triangles'), 'must be three vertex numbers for each triangle');
    else {
      const beyond = shell.triangles.findIndex((v) => v >= vertices);
      if (beyond >= 0) wrong(at('triangles'), `names vertex ${shell.triangles[beyond]}, but there are ${vertices}`);
      shell.frames?.forEach((f, k) => { if (f.length !== shell.positions.length) wrong([...at('frames'), k], `has ${f.length / 3} vertices, but the shell has ${vertices}`); });
      if (shell.frames && !c.settle && shell.frames.length < c.frames) wrong(at('frames'), `has ${shell.frames.length} frames, but ${c.frames} are wanted`);
    }
  });
  if (c.rootMotion && !c.settle && c.rootMotion.length < c.frames) wrong(['rootMotion'], `has ${c.rootMotion.length} matrices, but ${c.frames} frames are wanted`);
});
export type SwayCase = z.infer<typeof caseSchema>;

function checkPoints(points: readonly (readonly number[])[], path: (string | number)[], wrong: (path: (string | number)[], message: string) => void): void {
  for (let i = 1; i < points.length; i++) {
    if (Math.hypot(points[i][0] - points[i - 1][0], points[i][1] - points[i - 1][1], points[i][2] - points[i - 1][2]) < 1e-7) return wrong([...path, i], 'lies on the point before it');
  }
}

/** Why a column-major matrix is not a rigid motion. */
function notRigid(m: readonly number[]): string | null {
  const c = [0, 1, 2].map((k) => [m[4 * k], m[4 * k + 1], m[4 * k + 2]]), dot = (a: number[], b: number[]): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
  if (Math.abs(m[3]) + Math.abs(m[7]) + Math.abs(m[11]) + Math.abs(m[15] - 1) > 1e-6) return 'is not a rigid motion: the last row must be 0 0 0 1 (numbers are column after column)';
  for (let i = 0; i < 3; i++) for (let j = i; j < 3; j++) if (Math.abs(dot(c[i], c[j]) - (i === j ? 1 : 0)) > 1e-3) return 'is not a rigid motion: its axes are not of length 1 and square to each other';
  const cross = [c[0][1] * c[1][2] - c[0][2] * c[1][1], c[0][2] * c[1][0] - c[0][0] * c[1][2], c[0][0] * c[1][1] - c[0][1] * c[1][0]];
  return dot(cross, c[2]) < 0 ? 'is a mirror image, not a rigid motion' : null;
}

/** `strands[2].diameter` for a path. */
export const pathText = (path: readonly PropertyKey[]): string => path.map((p, i) => (typeof p === 'number' ? `[${p}]` : `${i > 0 ? '.' : ''}${String(p)}`)).join('') || 'the case';

/** One line an issue: where it is, and what is wrong. */
export function caseErrors(error: z.ZodError): string[] {
  return error.issues.map((issue) => {
    if (issue.code === 'unrecognized_keys') return issue.keys.map((key) => `${pathText([...issue.path, key])}: no such setting`).join('\n');
    if (issue.code === 'invalid_union' && issue.path[0] === 'colliders' && issue.path.at(-1) === 'kind') return `${pathText(issue.path)}: must be "ball", "pill", "floor" or "shell"`;
    if (issue.code === 'invalid_union') return `${pathText(issue.path)}: none of what can stand here`;
    return `${pathText(issue.path)}: ${issue.message.replace(/^Invalid input: /, '')}`;
  });
}

export interface CaseResult {
  substeps: number;
  kernel: KernelName;
  plan: StepPlan;
  /** What to know about the result. */
  warning?: string;
  proof: {
    /** Greatest change of length of any edge after the first frame, as a share. */
    maxStretch: number;
    /** Deepest any point or segment went below a collider's surface, m. */
    maxDepth: number;
    /** How often the safety net caught a strand, and the first one caught. */
    netUses: number;
    netStrand: number | null;
    /** Share of the weight that hold carries after a calm start, mean over strands. */
    heldShare: number;
    /** When settling: whether it came to rest. */
    settled?: boolean;
  };
}

/** Target error of cases that do not say their substeps, as a share of a strand's length. */
const CASE_ERROR = 0.005;

/**
 * Computes a case. `onFrame` is given each frame's points (3 × points of all strands, m, world; the same array each time).
 * Throws where the wanted kernel is missing.
 */
export function runCase(c: SwayCase, onFrame: (points: Float64Array, frame: number) => void): CaseResult {
  const gravity = c.gravity as Vec3, plan = planCase(c), tooStiff = c.strands.findIndex((s) => !fitsFloat32(c, s, plan));
  const kernel = chooseKernel(c.kernel === 'auto' && tooStiff >= 0 ? 'float64' : c.kernel);
  const system = new RodSystem(c.strands.map((s) => s.points.length), kernel, c.colliders.length > 0), { k, lanes: L } = system;
  const tangents: Vec3[] = [], directors: Vec3[] = [], lengths = new Float64Array(c.strands.length);
  let held = 0;
  c.strands.forEach((s, i) => {
    const one = setUp(c, s), { k: o } = one;
    const lift = new Float64Array(3 * s.points.length), carried = c.calmStart ? calmStart(one, gravity, lift) : 0;
    held += carried / c.strands.length;
    for (let a = 0; a < lift.length; a++) o.holdOffset[a] = o.x[a] + lift[a];
    tangents.push([o.tangent[0], o.tangent[1], o.tangent[2]]);
    directors.push([o.director[0], o.director[1], o.director[2]]);
    lengths[i] = o.length[0];
    system.load(i, one);
  });
  const roots = system.rootPosition.slice(), motions = rootMotions(c), none = Float64Array.of(0, 0, 0, 1, 0, 0, 0);
  const warnings: string[] = [], pills = pillsOf(c, warnings), floors = highest(c.colliders.flatMap((x) => (x.kind === 'floor' ? [{ place: [0, x.height, 0] as const, up: [0, 1, 0] as const, gap: x.gap, friction: x.friction }] : []))), meshes = shellsOf(c, warnings), still = new Float64Array(7 * (pills.length + floors.length)).map((_, i) => (i % 7 === 3 ? 1 : 0));
  const finder = pills.length + floors.length + meshes.length > 0 ? new ContactFinder(pills, c.strands.length, { skinGap: 0, friction: DEFAULT_FRICTION, firstPoint: 1, floors, substeps: plan.substeps }, meshes.map((m) => m.shell)) : null;
  const h = 1 / (c.fps * plan.substeps), numbers = { h, gravityX: gravity[0], gravityY: gravity[1], gravityZ: gravity[2], passes: plan.passes, lagging: 0 };
  const mixed = new Float64Array(7), placesBefore = roots.slice(), places = roots.slice(), world = new Float64Array(3 * system.pointCount);

  const placeRoots = (from: Float64Array, to: Float64Array, t: number): void => {
    slerpInto(mixed, 0, from, 0, to, 0, t);
    for (let q = 4; q < 7; q++) mixed[q] = from[q] + (to[q] - from[q]) * t;
    const R = rows(mixed);
    for (let i = 0; i < c.strands.length; i++) {
      moved(R, mixed, roots, 3 * i, system.rootPosition, 3 * i);
      system.setRootFrame(i, turned(R, tangents[i]), 0, turned(R, directors[i]), 0);
      const w = system.strandAt(i, 9);
      for (let q = 0; q < 9; q++) k.turn[w + q * L] = R[q];
      if (c.strands[i].tip === 'pinned') pin(system, i, c.strands[i].points, R);
    }
  };
  const substep = (): void => {
    finder?.gatherAll(system, h, gravity);
    system.step(numbers);
  };
  const proof: CaseResult['proof'] = { maxStretch: 0, maxDepth: 0, netUses: 0, netStrand: null, heldShare: held };
  const measure = (): void => {
    for (let i = 0; i < system.strandCount; i++) for (let p = system.start[i]; p < system.start[i + 1]; p++) {
      const a = 3 * p;
      if (finder && p > system.start[i]) proof.maxDepth = Math.max(proof.maxDepth, finder.depth(i, world[a], world[a + 1], world[a + 2]), finder.shellDepth(p, world[a], world[a + 1], world[a + 2]));
      if (p === system.start[i]) continue;
      if (finder) for (let q = 1; q < 4; q++) { const t = q / 4; proof.maxDepth = Math.max(proof.maxDepth, finder.edgeDepth(i, p, Float64Array.of(world[a] - t * (world[a] - world[a - 3]), world[a + 1] - t * (world[a + 1] - world[a - 2]), world[a + 2] - t * (world[a + 2] - world[a - 1])))); }
      const length = Math.hypot(world[a] - world[a - 3], world[a + 1] - world[a - 2], world[a + 2] - world[a - 1]);
      proof.maxStretch = Math.max(proof.maxStretch, Math.abs(length / k.restLength[system.at(i, p - system.start[i], 1)] - 1));
    }
  };
  const reach = (from: Float64Array, to: Float64Array, frame: number): void => {
    meshes.forEach((m, q) => finder!.frame(q, m.at(frame - 1), m.at(frame), system.pointCount));
    for (let i = 0; i < c.strands.length; i++) { moved(rows(from), from, roots, 3 * i, placesBefore, 3 * i); moved(rows(to), to, roots, 3 * i, places, 3 * i); }
    finder?.cull(still, still, placesBefore, places, lengths);
  };
  if (c.settle) {
    reach(none, none, 0);
    finder?.place(still, still, 0, 1);
    placeRoots(none, none, 0);
    proof.settled = settleDown(system, c, substep);
    system.positionsInto(world);
    measure();
    onFrame(world, 0);
  } else {
    c.strands.forEach((s, i) => world.set(s.points.flat(), 3 * system.start[i]));
    onFrame(world, 0);
    for (let frame = 1; frame < c.frames; frame++) {
      const from = motions?.[frame - 1] ?? none, to = motions?.[frame] ?? none;
      reach(from, to, frame);
      for (let s = 1; s <= plan.substeps; s++) {
        placeRoots(from, to, s / plan.substeps);
        finder?.place(still, still, (s - 1) / plan.substeps, s / plan.substeps);
        substep();
      }
      system.positionsInto(world);
      measure();
      onFrame(world, frame);
    }
  }
  proof.netUses = system.netUses;
  proof.netStrand = system.firstCaught < 0 ? null : system.firstCaught;
  if (kernel === 'simd' && tooStiff >= 0) warnings.push(`strands[${tooStiff}]: too stiff for its many points in float32; the result may be wrong. Leave "kernel" at "auto".`);
  const warning = warnings.length > 0 ? warnings.join('\n') : undefined;
  return { substeps: plan.substeps, kernel, plan, proof, warning };
}

function fitsFloat32(c: SwayCase, s: CaseStrand, plan: StepPlan): boolean {
  const rod = roundRod(s.diameter, s.density, s.youngModulus, s.shearModulus), shortest = Math.min(...s.points.slice(1).map((_, i) => Math.hypot(...edge(s.points, i))));
  return float32Suffices(s.points.length, shortest, rod.bend, rod.lineDensity, 1 / (c.fps * plan.substeps));
}

type CaseStrand = SwayCase['strands'][number];

function setUp(c: SwayCase, s: CaseStrand): RodSystem {
  const direction = s.rootDirection && (s.rootDirection.map((v) => v / Math.hypot(...s.rootDirection!)) as Vec3);
  const one = placeStrand(s.points.flat(), direction), { k, pointCount: n } = one;
  const rod = { ...roundRod(s.diameter, s.density, s.youngModulus, s.shearModulus), airRate: c.airDrag ?? 0 };
  // still air does not change where a strand comes to rest, it only takes longer
  const still = c.wind.every((v) => v === 0);
  if (c.airDrag !== undefined || (c.settle && still)) rod.width = 0;
  if (c.settle && still) rod.airRate = 0;
  const rest = s.rest === 'straight' ? straightened(s.points, direction) : s.rest === 'pose' ? undefined : s.rest.flat();
  makeRod(one, rod, {}, rest, fastening(s, direction));
  if (s.root === 'hinged') hingeRoot(one);
  for (let i = 1; i < n; i++) {
    const hold = Array.isArray(s.hold) ? s.hold[i] : (s.hold ?? 0);
    k.holdStiffness[i] = k.mass[i] * holdRate(hold) ** 2;
    k.fixed[i] = hold >= FIXED_HOLD ? 1 : 0;
  }
  if (s.tip === 'pinned') k.fixed[n - 1] = 1;
  for (let a = 0; a < 3 * n; a++) k.air[a] = c.wind[a % 3];
  return one;
}

/** A straight line with the pose's edge lengths along its first edge, or along the direction it is clamped in. */
function straightened(points: readonly (readonly number[])[], direction?: Vec3): number[] {
  const e = points[1].map((v, k) => v - points[0][k]), l = Math.hypot(...e), t = direction ?? e.map((v) => v / l), out = [...points[0]];
  for (let i = 1, at = 0; i < points.length; i++) {
    at += Math.hypot(...points[i].map((v, k) => v - points[i - 1][k]));
    for (let k = 0; k < 3; k++) out.push(points[0][k] + at * t[k]);
  }
  return out;
}

/**
 * How a rest shape sits in the clamp. Without a direction the clamp holds that of the pose's first edge, and the rest shape's
 * first edge lies along it. With one, a curved shape whose first edge leaves it by no more than its own next bend is taken
 * as placed (a first edge is a chord, the direction a tangent); any other is turned until its root's tangent lies along it.
 */
function fastening(s: CaseStrand, direction?: Vec3): Fastening {
  if (s.rest === 'straight') return 'as placed';
  if (!direction) return s.rest === 'pose' ? 'as placed' : 'along its first edge';
  const shape = s.rest === 'pose' ? s.points : s.rest, first = edge(shape, 0);
  const bend = shape.length > 2 ? angle(first, edge(shape, 1)) : 0;
  return angle(first, direction) <= bend + 1e-6 ? 'as placed' : 'along its root tangent';
}
const edge = (p: readonly (readonly number[])[], i: number): number[] => p[i + 1].map((v, k) => v - p[i][k]);
const angle = (a: readonly number[], b: readonly number[]): number => Math.acos(Math.max(-1, Math.min(1, (a[0] * b[0] + a[1] * b[1] + a[2] * b[2]) / (Math.hypot(...a) * Math.hypot(...b)))));

const DEFAULT_FRICTION = 0.3;
/** m: a shell that moves further in a substep may be passed. */
const SHELL_STEP = 0.01;

interface CaseShell { shell: Shell; at(frame: number): Float64Array }
function shellsOf(c: SwayCase, warnings: string[]): CaseShell[] {
  const memory = c.colliders.some((x) => x.kind === 'shell') ? new NearMemory() : undefined;
  return c.colliders.flatMap((x, i) => {
    if (x.kind !== 'shell') return [];
    const found = describeShell(x.triangles, x.positions);
    warnings.push(...found.notes.map((n) => `colliders[${i}] ${n}`));
    if (!found.usable) return [];
    const frames = (x.frames && !c.settle ? x.frames : [x.positions]).map((f) => Float64Array.from(f));
    return [{ shell: new Shell(x.triangles, frames[0], x.gap ?? 0, x.friction ?? DEFAULT_FRICTION, false, false, memory), at: (frame) => frames[Math.max(0, Math.min(frames.length - 1, frame))] }];
  });
}
/** Greatest way of any vertex of any shell in a frame, m. */
function shellWay(c: SwayCase): number {
  let most = 0;
  if (!c.settle) for (const x of c.colliders) if (x.kind === 'shell' && x.frames) for (let f = 1; f < Math.min(x.frames.length, c.frames); f++) {
    const a = x.frames[f - 1], b = x.frames[f];
    for (let v = 0; v < a.length; v += 3) most = Math.max(most, Math.hypot(b[v] - a[v], b[v + 1] - a[v + 1], b[v + 2] - a[v + 2]));
  }
  return most;
}

/** Of level floors only the one that keeps hair highest matters. */
function highest<T extends { place: readonly [number, number, number]; gap?: number }>(floors: T[]): T[] { return floors.length < 2 ? floors : [floors.reduce((a, b) => (b.place[1] + (b.gap ?? 0) > a.place[1] + (a.gap ?? 0) ? b : a))]; }
function pillsOf(c: SwayCase, warnings: string[]): Pill[] {
  return c.colliders.flatMap((x, i) => {
    if (x.kind === 'shell' || x.kind === 'floor') return [];
    const pill = asPill(x);
    if (Math.max(pill.radiusA, pill.radiusB) > 0) return [pill];
    warnings.push(`colliders[${i}] has no radius, so nothing can touch it; it is left out.`);
    return [];
  });
}
const asPill = (c: Exclude<SwayCase['colliders'][number], { kind: 'shell' | 'floor' }>): Pill => ({
  node: 0, source: c.kind, gap: c.gap, friction: c.friction,
  ...(c.kind === 'ball' ? { a: c.center as Vec3, b: c.center as Vec3, radiusA: c.radius, radiusB: c.radius } : { a: c.a as Vec3, b: c.b as Vec3, radiusA: c.radiusA, radiusB: c.radiusB }),
});

/** Seven numbers a frame (quaternion, translation), against frame 0. */
function rootMotions(c: SwayCase): Float64Array[] | null {
  if (!c.rootMotion) return null;
  const all = c.rootMotion.map((m) => Float64Array.of(...quatFromAxes([m[0], m[1], m[2]], [m[4], m[5], m[6]], [m[8], m[9], m[10]]), m[12], m[13], m[14]));
  const [x, y, z, w] = all[0], R0 = rows([-x, -y, -z, w]), T0 = all[0].slice(4);
  return all.map((m) => {
    // M · M₀⁻¹, so that frame 0 is where the points say
    const q = product(m, [-x, -y, -z, w]), R = rows(m), back = turned(R0, [T0[0], T0[1], T0[2]]), t = turned(R, back);
    return Float64Array.of(...q, m[4] - t[0], m[5] - t[1], m[6] - t[2]);
  });
}
function product(a: ArrayLike<number>, b: ArrayLike<number>): number[] {
  return [a[3] * b[0] + a[0] * b[3] + a[1] * b[2] - a[2] * b[1], a[3] * b[1] - a[0] * b[2] + a[1] * b[3] + a[2] * b[0], a[3] * b[2] + a[0] * b[1] - a[1] * b[0] + a[2] * b[3], a[3] * b[3] - a[0] * b[0] - a[1] * b[1] - a[2] * b[2]];
}
function rows(q: ArrayLike<number>): number[] {
  const R = new Array<number>(9).fill(0);
  rotationRowsInto(R, 0, q);
  return R;
}
const turned = (R: readonly number[], v: ArrayLike<number>): Vec3 => [R[0] * v[0] + R[1] * v[1] + R[2] * v[2], R[3] * v[0] + R[4] * v[1] + R[5] * v[2], R[6] * v[0] + R[7] * v[1] + R[8] * v[2]];
function moved(R: readonly number[], motion: ArrayLike<number>, from: ArrayLike<number>, o: number, out: Float64Array, at: number): void {
  const x = from[o], y = from[o + 1], z = from[o + 2];
  for (let r = 0; r < 3; r++) out[at + r] = R[3 * r] * x + R[3 * r + 1] * y + R[3 * r + 2] * z + motion[4 + r];
}

/** Keeps a pinned tip where it was, seen from a root that moves and turns. */
function pin(system: RodSystem, s: number, points: readonly (readonly number[])[], R: readonly number[]): void {
  const tip = points[points.length - 1], o = system.at(s, points.length - 1, 3), d = tip.map((v, c) => v - system.rootPosition[3 * s + c]);
  for (let c = 0; c < 3; c++) system.k.holdOffset[o + c * system.lanes] = R[c] * d[0] + R[3 + c] * d[1] + R[6 + c] * d[2];
}

/** Substeps for the strand that needs most. */
function planCase(c: SwayCase): StepPlan {
  const root = { speed: 0, acceleration: 0, turning: 0 }, motions = rootMotions(c), gravity = Math.hypot(...c.gravity);
  if (motions && !c.settle) {
    const place = (f: number, s: number): number[] => { const out = new Float64Array(3); moved(rows(motions[f]), motions[f], c.strands[s].points[0], 0, out, 0); return Array.from(out); };
    for (let s = 0; s < c.strands.length; s++) for (let f = 1; f < c.frames; f++) {
      const a = place(f - 1, s), b = place(f, s);
      root.speed = Math.max(root.speed, c.fps * Math.hypot(...b.map((v, k) => v - a[k])));
      if (f > 1) { const z = place(f - 2, s); root.acceleration = Math.max(root.acceleration, c.fps ** 2 * Math.hypot(...b.map((v, k) => v - 2 * a[k] + z[k]))); }
    }
    for (let f = 1; f < c.frames; f++) root.turning = Math.max(root.turning, 2 * c.fps * Math.acos(Math.min(1, Math.abs([0, 1, 2, 3].reduce((sum, k) => sum + motions[f][k] * motions[f - 1][k], 0)))));
  }
  let most: StepPlan | null = null;
  for (const s of c.strands) {
    const rod = roundRod(s.diameter, s.density, s.youngModulus, s.shearModulus), edges = s.points.slice(1).map((_, i) => Math.hypot(...edge(s.points, i))), length = edges.reduce((a, b) => a + b, 0);
    // without gravity to fall under, or where the start is not at rest, the strand's own swing counts as a movement
    const moving = c.calmStart ? root : { ...root, acceleration: Math.max(root.acceleration, gravity), speed: Math.max(root.speed, 0.25 * Math.sqrt(gravity * length)) };
    const damping = (c.airDrag ?? airDamping(rod.width, rod.lineDensity, Math.max(0.1, 0.3 * moving.speed), AIR));
    const plan = planSubsteps(c.fps, { length, edge: Math.min(...edges), bend: rod.bend, lineDensity: rod.lineDensity, damping }, moving, gravity, CASE_ERROR, c.colliders.length > 0, c.substeps);
    if (!most || plan.substeps > most.substeps) most = plan;
  }
  const plan = most!, forShells = Math.min(MOST_SUBSTEPS, Math.ceil(shellWay(c) / SHELL_STEP));
  return c.substeps === undefined && forShells > plan.substeps ? { ...plan, substeps: forShells, because: 'contact' } : plan;
}

/** Seconds of settling at most, and how little a point may move in a quarter of a second, as a share of its strand's length. */
const SETTLE_SECONDS = 60;
const SETTLED_SHARE = 2e-6;

/** Runs with strong damping, each strand's own, until nothing moves; whether it came to rest. */
function settleDown(system: RodSystem, c: SwayCase, substep: () => void): boolean {
  const { k } = system, gravity = Math.hypot(...c.gravity);
  c.strands.forEach((s, i) => {
    const rod = roundRod(s.diameter, s.density, s.youngModulus, s.shearModulus), length = k.length[system.strandAt(i, 1)];
    // about twice the slowest mode: the fastest way to rest
    const rate = 2 * Math.sqrt((1.446 * gravity) / length + (12.36 * rod.bend) / (rod.lineDensity * length ** 4));
    for (let p = 0; p < s.points.length; p++) k.damping[system.at(i, p, 1)] = Math.min(rate, 200);
  });
  const now = new Float64Array(3 * system.pointCount), before = now.slice(), perLook = Math.max(1, Math.round(0.25 * c.fps * (c.substeps ?? 8)));
  for (let look = 0; look < SETTLE_SECONDS * 4; look++) {
    system.positionsInto(before);
    for (let i = 0; i < perLook; i++) substep();
    system.positionsInto(now);
    let worst = 0;
    for (let s = 0; s < system.strandCount; s++) for (let a = 3 * system.start[s]; a < 3 * system.start[s + 1]; a++) worst = Math.max(worst, Math.abs(now[a] - before[a]) / k.length[system.strandAt(s, 1)]);
    if (worst < SETTLED_SHARE) return true;
  }
  return false;
}
