/**
 * Flow: strokes on the skin that say which way hair lies. Between strokes directions go over into each other by distance in the
 * rest pose; skin that faces away from a stroke hardly hears it.
 */
import { addScaled, dot, normalize, smoothStep, type Vec3 } from '../math/vec';
import type { Surface } from '../mesh/surface';
import { resampleEvenly } from './polyline';
import type { WayAt } from './slope';

/** A place of a stroke: number of the stroke, place (m, rest pose), way it goes (unit, along the skin), normal of the skin. */
export const FLOW_NUMBERS = 10;
/** m: nearer than this a stroke has its way alone. */
const NEAR = 0.004;
/** Places of a stroke are so far apart, m. */
const STRIDE = 0.004;

/** A stroke's places on the skin as flow, to be put after what is there. */
export function flowOf(number: number, places: readonly { point: Vec3; normal: Vec3 }[]): number[] {
  const out: number[] = [];
  let last: (typeof places)[number] | null = null;
  for (const place of places) {
    if (last && Math.hypot(...place.point.map((v, c) => v - last!.point[c])) < STRIDE) continue;
    if (last) {
      const n = place.normal, way = place.point.map((v, c) => v - last!.point[c]) as Vec3, along = normalize(addScaled(way, n, -dot(way, n)));
      const middle = place.point.map((v, c) => 0.5 * (v + last!.point[c]));
      if (dot(along, along) > 0.5) out.push(number, middle[0], middle[1], middle[2], ...along, ...n);
    }
    last = place;
  }
  return out;
}
export const strokesOf = (flow: ArrayLike<number>): number => { let n = 0; for (let o = 0; o < flow.length; o += FLOW_NUMBERS) n = Math.max(n, flow[o] + 1); return n; };

/** The way at a place with a normal: unit, along the skin; downhill where there is no flow. */
export function flowAt(flow: ArrayLike<number>, p: ArrayLike<number>, normal: Vec3): Vec3 {
  let x = 0, y = 0, z = 0;
  for (let o = 0; o < flow.length; o += FLOW_NUMBERS) {
    const dx = flow[o + 1] - p[0], dy = flow[o + 2] - p[1], dz = flow[o + 3] - p[2], d2 = dx * dx + dy * dy + dz * dz + NEAR * NEAR;
    // the other side of an ear or a leg is near in space, and not on the skin
    const facing = 0.02 + 0.98 * Math.max(0, normal[0] * flow[o + 7] + normal[1] * flow[o + 8] + normal[2] * flow[o + 9]) ** 2, w = facing / (d2 * d2);
    x += w * flow[o + 4]; y += w * flow[o + 5]; z += w * flow[o + 6];
  }
  const v: Vec3 = x === 0 && y === 0 && z === 0 ? [0, -1, 0] : normalize([x, y, z]), along = normalize(addScaled(v, normal, -dot(v, normal)));
  if (dot(along, along) > 0.5) return along;
  const other: Vec3 = Math.abs(normal[2]) < 0.9 ? [0, 0, 1] : [1, 0, 0];
  return normalize(addScaled(other, normal, -dot(other, normal)));
}

/** The way strokes go, at any place. */
export const wayOf = (flow: ArrayLike<number>): WayAt => (p, normal) => flowAt(flow, p, normal);

/** The same strokes on the other side of x = 0 beside them: those of one side laid on the other. `fromLeft`: from +x. */
export function mirroredFlow(flow: ArrayLike<number>, fromLeft: boolean): number[] {
  const kept: number[] = [], side = new Map<number, number>();
  for (let o = 0; o < flow.length; o += FLOW_NUMBERS) side.set(flow[o], (side.get(flow[o]) ?? 0) + flow[o + 1]);
  let number = 0;
  const numbers = new Map<string, number>(), numberOf = (key: string): number => { let n = numbers.get(key); if (n === undefined) numbers.set(key, (n = number++)); return n; };
  for (let pass = 0; pass < 2; pass++) for (let o = 0; o < flow.length; o += FLOW_NUMBERS) {
    const own = side.get(flow[o])!, middle = Math.abs(own) < 1e-9;
    if (!middle && own > 0 !== fromLeft) continue;
    const s = pass === 0 ? 1 : -1, row = Array.from({ length: FLOW_NUMBERS }, (_, k) => flow[o + k]);
    kept.push(numberOf(`${pass} ${row[0]}`), s * row[1], row[2], row[3], s * row[4], row[5], row[6], s * row[7], row[8], row[9]);
  }
  return kept;
}
/** Without the strokes that come within a radius of a place, m. */
export function withoutFlow(flow: ArrayLike<number>, p: ArrayLike<number>, radius: number): number[] {
  const gone = new Set<number>(), out: number[] = [];
  for (let o = 0; o < flow.length; o += FLOW_NUMBERS) if (Math.hypot(flow[o + 1] - p[0], flow[o + 2] - p[1], flow[o + 3] - p[2]) < radius) gone.add(flow[o]);
  const numbers = new Map<number, number>();
  for (let o = 0; o < flow.length; o += FLOW_NUMBERS) {
    if (gone.has(flow[o])) continue;
    if (!numbers.has(flow[o])) numbers.set(flow[o], numbers.size);
    out.push(numbers.get(flow[o])!);
    for (let k = 1; k < FLOW_NUMBERS; k++) out.push(flow[o + k]);
  }
  return out;
}

const STEPS = 60;
/** Length over which a lying guide leaves the skin to its lift, as a share of its own and at most so much, m. */
const RISE = 0.35, MOST_RISE = 0.03;

/** Points of a guide that lies along the skin the way `flow` goes, from its root, 3 × pointCount, m; at `lift` (m) off the skin once it has left it. */
export function growAlong(surface: Surface, root: Vec3, normal: Vec3, flow: WayAt, { length, pointCount, lift }: { length: number; pointCount: number; lift: number }): Float32Array {
  const ds = length / STEPS, rise = Math.min(MOST_RISE, RISE * length), path = [0, 0, 0];
  let p: Vec3 = [...root], n = normal, way = flow(root, normal), foot: Vec3 = root;
  for (let i = 1; i <= STEPS; i++) {
    const s = i * ds, wish = flow(foot, n), turned = normalize(addScaled(way, wish, 0.35)), along = normalize(addScaled(turned, n, -dot(turned, n)));
    way = dot(along, along) > 0.5 ? along : wish;
    const ahead = addScaled(foot, way, ds), near = surface.nearest(ahead, 0.05), height = Math.min(lift, 0.25 * length) * smoothStep(0, rise, s);
    // past a rim the skin ends: straight on
    foot = near ? near.point : ahead;
    n = near ? normalize(addScaled(n, near.normal, 0.5)) : n;
    p = addScaled(foot, n, height);
    path.push(p[0] - root[0], p[1] - root[1], p[2] - root[2]);
  }
  const out = resampleEvenly(path, pointCount);
  // its length is what was asked for, whatever the skin did to the way
  let own = 0;
  for (let i = 3; i < out.length; i += 3) own += Math.hypot(out[i] - out[i - 3], out[i + 1] - out[i - 2], out[i + 2] - out[i - 1]);
  const k = own > 1e-9 ? length / own : 1;
  return out.map((v) => v * k);
}
