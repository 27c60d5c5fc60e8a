/**
 * `./comb bench rods`: what a strand-substep costs, as ratios to a scalar relaxation of distances and curvatures measured in
 * the same run; and the same hanging chains as linked bodies of a general-purpose engine.
 */
import { mkdirSync, writeFileSync } from 'node:fs';
import { cpus } from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { Worker, isMainThread, parentPort, workerData } from 'node:worker_threads';
import RAPIER from '@dimforge/rapier3d-compat';
import { RodSystem, type KernelName } from '../src/core/sway/rod-system';
import { makeRod, placeStrand } from '../src/core/sway/strand-setup';
import { pendulumEnergy } from '../tests/helpers/rod-cases';

const EDGE = 0.015, H = 1 / 96, STEPS = 48;

/** Hanging, slightly curled strands whose roots sway. */
function strands(count: number, points: number, kernel: KernelName): RodSystem {
  const system = new RodSystem(new Int32Array(count).fill(points), kernel);
  const shape = Array.from({ length: points }, (_, i) => [0.004 * Math.sin(0.7 * i), -EDGE * i, 0.004 * Math.cos(0.7 * i)]).flat(), one = placeStrand(shape);
  makeRod(one, { lineDensity: 5e-6, bend: 5e-9, twist: 3e-9, width: 8e-5 }, { damping: () => 2 });
  for (let s = 0; s < count; s++) system.load(s, one);
  return system;
}
/** µs a strand-substep; the least of three timings. */
function cost(count: number, points: number, kernel: KernelName, steps = STEPS): number {
  const system = strands(count, points, kernel), numbers = { h: H, gravityX: 0, gravityY: -9.81, gravityZ: 0, passes: 1, lagging: 0 };
  let step = 0;
  const run = (n: number): void => {
    for (let k = 0; k < n; k++, step++) {
      for (let s = 0; s < count; s++) system.rootPosition[3 * s] = 0.02 * Math.sin(0.1 * step);
      system.step(numbers);
    }
  };
  run(8);
  let least = Infinity;
  for (let k = 0; k < 3; k++) { const t = performance.now(); run(steps); least = Math.min(least, performance.now() - t); }
  return (1000 * least) / (steps * count);
}

/**
 * A scalar relaxation for comparison: one pass a substep over distances and over curvatures (vectors of second differences
 * against their rest), each with its compliance and multiplier.
 */
function relaxationCost(count: number, points: number): number {
  const size = 3 * points * count, x = new Float64Array(size), v = new Float64Array(size), p = new Float64Array(size), rest = new Float64Array(size), lambda = new Float64Array(points * count), bendLambda = new Float64Array(size);
  for (let s = 0; s < count; s++) for (let i = 0; i < points; i++) { const a = 3 * (s * points + i); x[a] = 0.004 * Math.sin(0.7 * i); x[a + 1] = -EDGE * i; x[a + 2] = 0.004 * Math.cos(0.7 * i); }
  for (let a = 3; a < size - 3; a++) rest[a] = x[a - 3] - 2 * x[a] + x[a + 3];
  const mass = 5e-6 * EDGE, inverse = 1 / mass, bendCompliance = EDGE ** 3 / 5e-9 / (H * H);
  const step = (): void => {
    for (let s = 0; s < count; s++) {
      const o = 3 * s * points, end = o + 3 * points;
      for (let a = o + 3; a < end; a++) { p[a] = x[a]; x[a] += H * v[a] - ((a - o) % 3 === 1 ? 9.81 * H * H : 0); }
      for (let i = 1; i < points; i++) {
        const a = o + 3 * i, dx = x[a] - x[a - 3], dy = x[a + 1] - x[a - 2], dz = x[a + 2] - x[a - 1], d = Math.sqrt(dx * dx + dy * dy + dz * dz), below = i === 1 ? 0 : inverse;
        const q = (EDGE - d) / (below + inverse), k = q / d;
        lambda[s * points + i] = q;
        x[a - 3] -= below * k * dx; x[a - 2] -= below * k * dy; x[a - 1] -= below * k * dz;
        x[a] += inverse * k * dx; x[a + 1] += inverse * k * dy; x[a + 2] += inverse * k * dz;
      }
      for (let i = 1; i < points - 1; i++) {
        const a = o + 3 * i, below = i === 1 ? 0 : inverse, w = below + 5 * inverse;
        for (let c = a; c < a + 3; c++) {
          const curvature = x[c - 3] - 2 * x[c] + x[c + 3] - rest[c], q = (-curvature - bendCompliance * bendLambda[c]) / (w + bendCompliance);
          bendLambda[c] = q;
          x[c - 3] += below * q; x[c] -= 2 * inverse * q; x[c + 3] += inverse * q;
        }
      }
      for (let a = o + 3; a < end; a++) v[a] = (x[a] - p[a]) / H;
    }
  };
  for (let k = 0; k < 8; k++) step();
  let least = Infinity;
  for (let r = 0; r < 3; r++) { const t = performance.now(); for (let k = 0; k < STEPS; k++) step(); least = Math.min(least, performance.now() - t); }
  return (1000 * least) / (STEPS * count);
}

/** ms for 2,000 × 16 points at 4 substeps a frame, strands split over so many worker threads. */
async function threaded(threads: number): Promise<number> {
  const file = fileURLToPath(import.meta.url);
  const workers = Array.from({ length: threads }, () => new Worker(path.join(path.dirname(file), 'bench-rods.mjs'), { workerData: { strands: 2000 / threads } }));
  const next = (w: Worker): Promise<number> => new Promise((resolve, reject) => { w.once('message', resolve); w.once('error', reject); });
  await Promise.all(workers.map(next));
  let least = Infinity;
  for (let r = 0; r < 5; r++) {
    const t = performance.now();
    await Promise.all(workers.map((w) => { const done = next(w); w.postMessage('run'); return done; }));
    least = Math.min(least, performance.now() - t);
  }
  await Promise.all(workers.map((w) => w.terminate()));
  return least / 12;
}

/** The same hanging chain as linked rigid bodies: µs a chain-step, and the error of its first mode (lengths times ten, so that the engine's margins are small). */
async function bodies(substeps: number): Promise<{ cost: number; frequency: number; stretch: number; energyLost: number }> {
  await RAPIER.init();
  const scale = 10, h = 1 / (24 * substeps), n = 16, L = EDGE * (n - 1) * scale, link = EDGE * scale;
  const build = (chains: number, angle: number): { world: InstanceType<typeof RAPIER.World>; tips: InstanceType<typeof RAPIER.RigidBody>[]; all: InstanceType<typeof RAPIER.RigidBody>[] } => {
    const world = new RAPIER.World({ x: 0, y: -9.81 * scale, z: 0 }), tips: InstanceType<typeof RAPIER.RigidBody>[] = [], all: InstanceType<typeof RAPIER.RigidBody>[] = [];
    world.timestep = h;
    const [sin, cos] = [Math.sin(angle), Math.cos(angle)], q = { x: 0, y: 0, z: Math.sin(angle / 2), w: Math.cos(angle / 2) };
    for (let c = 0; c < chains; c++) {
      let below = world.createRigidBody(RAPIER.RigidBodyDesc.fixed().setTranslation(10 * c, 0, 0)), anchor = { x: 0, y: 0, z: 0 };
      for (let i = 0; i < n - 1; i++) {
        const body = world.createRigidBody(RAPIER.RigidBodyDesc.dynamic().setTranslation(10 * c + sin * link * (i + 0.5), -cos * link * (i + 0.5), 0).setRotation(q).setAdditionalMassProperties(1, { x: 0, y: 0, z: 0 }, { x: link * link / 12, y: link * link / 1200, z: link * link / 12 }, { x: 0, y: 0, z: 0, w: 1 }).setCanSleep(false));
        world.createImpulseJoint(RAPIER.JointData.spherical(anchor, { x: 0, y: link / 2, z: 0 }), below, body, true);
        below = body;
        all.push(body);
        anchor = { x: 0, y: -link / 2, z: 0 };
      }
      tips.push(below);
    }
    return { world, tips, all };
  };
  const many = build(100, 0.05);
  for (let k = 0; k < 8; k++) many.world.step();
  const t = performance.now();
  for (let k = 0; k < STEPS; k++) many.world.step();
  const costUs = (1000 * (performance.now() - t)) / (STEPS * 100);
  const one = build(1, 0.02), tip = one.tips[0], crossings: number[] = [];
  let before = tip.translation().x;
  for (let s = h; s < 12; s += h) {
    one.world.step();
    const now = tip.translation().x;
    if (before * now < 0) crossings.push(s - (h * now) / (now - before));
    before = now;
  }
  const omega = (2 * Math.PI * (crossings.length - 1)) / (2 * (crossings[crossings.length - 1] - crossings[0]));
  const wide = build(1, 1);
  const energy = (): number => wide.all.reduce((sum, b) => { const v = b.linvel(), w = b.angvel(); return sum + 0.5 * (v.x ** 2 + v.y ** 2 + v.z ** 2) + (0.5 * link * link * (w.x ** 2 + w.z ** 2)) / 12 + 9.81 * scale * b.translation().y; }, 0);
  const start = energy(), bottom = -9.81 * scale * Array.from({ length: n - 1 }, (_, i) => link * (i + 0.5)).reduce((a, b) => a + b, 0);
  let stretch = 0;
  for (let k = 0; k < 10 * 24 * substeps; k++) {
    wide.world.step();
    const places = wide.all.map((b) => b.translation());
    places.slice(1).forEach((p, i) => { stretch = Math.max(stretch, Math.hypot(p.x - places[i].x, p.y - places[i].y, p.z - places[i].z) / link - 1); });
  }
  return { cost: costUs, frequency: omega / ((2.4048256 / 2) * Math.sqrt((9.81 * scale) / L)) - 1, stretch, energyLost: (start - energy()) / (start - bottom) };
}

if (!isMainThread) {
  const { strands: count } = workerData as { strands: number }, system = strands(count, 16, 'simd'), numbers = { h: H, gravityX: 0, gravityY: -9.81, gravityZ: 0, passes: 1, lagging: 0 };
  parentPort!.on('message', () => { for (let k = 0; k < 12 * 4; k++) system.step(numbers); parentPort!.postMessage(1); });
  for (let k = 0; k < 16; k++) system.step(numbers);
  parentPort!.postMessage(0);
} else {
  const relaxation = relaxationCost(2000, 16), simd = cost(2000, 16, 'simd'), float64 = cost(2000, 16, 'float64', 16), again = relaxationCost(2000, 16), base = Math.min(relaxation, again);
  const one = await threaded(1), two = await threaded(2), linked = await bodies(8);
  const round = (v: number, d = 2): number => Number(v.toFixed(d));
  const result = {
    machine: { cpu: cpus()[0]?.model, cores: cpus().length, node: process.version },
    figures: {
      'relaxation of distances and curvatures, 2,000 × 16, µs a strand-substep': round(base),
      'rod step, fast kernel, the same': round(simd),
      'rod step, float64, the same': round(float64),
      'fast kernel, 500 × 64, µs a strand-substep': round(cost(500, 64, 'simd')),
      'fast kernel, 10,000 × 8, µs a strand-substep': round(cost(10000, 8, 'simd', 16)),
      '2,000 × 16 at 4 substeps, one worker, ms a frame': round(one),
      'the same, two workers': round(two),
      'memory of a strand of 16 points, fast kernel, bytes': strands(400, 16, 'simd').bytes / 400,
      'linked bodies of a general engine, 16 points, µs a chain-step': round(linked.cost),
      'linked bodies, error of the chain’s first mode, %': round(100 * linked.frequency),
      'linked bodies swung from 1 rad, 8 substeps: greatest stretch, %': round(100 * linked.stretch, 3),
      'linked bodies, energy lost in 10 s, %': round(100 * linked.energyLost, 1),
      'rod step, rigid pendulum from 1 rad: energy lost in 10 s, 8 substeps, %': round(100 * (1 - pendulumEnergy(8, [10], 'simd')[0]), 1),
    },
    ratios: {
      'fast kernel / relaxation': round(simd / base),
      'float64 / relaxation': round(float64 / base, 1),
      'float64 / fast kernel': round(float64 / simd, 1),
      'two workers / one': round(two / one),
      'linked bodies / fast kernel': round(linked.cost / simd, 1),
    },
  };
  mkdirSync('bench-results', { recursive: true });
  const file = `bench-results/rods-${new Date().toISOString().replace(/[:.]/g, '-')}.json`;
  writeFileSync(file, `${JSON.stringify(result, null, 2)}\n`);
  for (const part of [result.figures, result.ratios]) { for (const [k, v] of Object.entries(part)) console.log(`${String(v).padStart(9)}  ${k}`); console.log(); }
  console.log(`written to ${file}`);
}
