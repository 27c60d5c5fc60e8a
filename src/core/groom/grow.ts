/** First shapes of planted guides. */
import { addScaled, cross, dot, normalize, perpendicular, scale, smoothStep, type Vec3 } from '../math/vec';
import type { Surface, SurfacePoint } from '../mesh/surface';
import type { Surroundings } from './around';
import { resampleByEdge, resampleEvenly } from './polyline';

/** `lying` follows the skin and its flow all along (flow.ts). */
export type Lie = 'standing' | 'lying' | 'falling';

export interface GrowOptions {
  /** m */
  length: number;
  pointCount: number;
  lie: Lie;
  /** How far falling hair stays off the skin, m. */
  lift: number;
  /** Where the hair is led near the root (unit); downhill where it is not given. */
  lead?: Vec3;
  /** The strand ends where this says so, once it is half its length. */
  endAt?: (p: Vec3) => boolean;
  /** What a falling strand goes round, such as clothes. */
  around?: Surroundings | null;
}

/** Steps of the walk that lays a falling strand over the skin. */
const STEPS = 90;
/** Tightest bend of a falling strand, as a radius, m: hair has no sharp corner. */
const TIGHTEST = 0.006;
/** m: skin farther off does nothing, unless the hair is to be as far off. */
const NEAR_SKIN = 0.05;
/** Length over which the lead gives way to gravity, m. */
const LED = 0.09;
/** Falling hair keeps so far off what it goes round: m, and no more than this share of its length, as a mouse's is. It is turned aside from so many times as far, and has this share of it as room ahead at least. */
const OFF = 0.006, OFF_SHARE = 1 / 40, ASIDE = 2.5, AHEAD = 0.5;
/** A strand whose edges cut what it goes round is laid again, so many times as far off. */
const WIDER = [1.7, 2.7, 4];
/** One that hangs by so much of its length less low than it would with nothing around is stuffed into something, such as a collar; it is laid outside if it hangs lower there by `GAIN`, standing off the skin by so much of its length more. */
const STUFFED = 0.2, GAIN = 0.1, OUTSIDE = [0.06, 0.12, 0.2];
/** Surfaces that a step is turned along at most; a strand that has gone round something goes on for so many steps more, as its edges cut its bends, and is asked every so many whether that is enough. */
const TURNS = 3, MORE = 90, ASKED = 6;

/**
 * Points of one guide as offsets from its root, 3 × pointCount, m. A standing guide follows the skin's normal; a falling one
 * leaves the skin at a slant, follows its lead, then slides down the surface at the given lift and hangs free below it, round what is `around`.
 */
export function growGuide(surface: Surface, root: Vec3, normal: Vec3, options: GrowOptions): Float32Array {
  const { length, pointCount, lie, around } = options;
  if (lie === 'standing') return Float32Array.from({ length: 3 * pointCount }, (_, i) => (normal[i % 3] * length * Math.floor(i / 3)) / (pointCount - 1));
  const off = Math.min(OFF, OFF_SHARE * length), { points, turned } = fall(surface, root, normal, options, off, 0);
  if (!around || !turned) return points;
  const tip = (of: Float32Array): number => of[of.length - 2];
  let best = points, least = cuts(surface, around, root, best);
  for (let k = 0; k < WIDER.length && least > 0; k++) {
    const other = fall(surface, root, normal, options, WIDER[k] * off, 0).points, n = cuts(surface, around, root, other);
    if (n < least) { best = other; least = n; }
  }
  // none hangs lower than straight down
  if (tip(best) <= (STUFFED - 1) * length) return best;
  const low = tip(fall(surface, root, normal, { ...options, around: null }, off, 0).points) + STUFFED * length;
  for (let k = 0; k < OUTSIDE.length && tip(best) > low; k++) {
    const other = fall(surface, root, normal, options, off, OUTSIDE[k] * length).points, n = tip(other) < tip(best) - GAIN * length ? cuts(surface, around, root, other) : Infinity;
    if (n <= least) { best = other; least = n; }
  }
  return best;
}

/** What a ray meets first of what is around and the skin. */
function ahead(surface: Surface, around: Surroundings, p: Vec3, direction: Vec3): SurfacePoint | null {
  const worn = around.ahead(p, direction), skin = surface.raycast(p, direction);
  return worn && skin ? (worn.distance <= skin.distance ? worn : skin) : worn ?? skin;
}
/** How many edges of a strand, seen from its root, go through what is around, or the skin; the first belongs to its root. */
function cuts(surface: Surface, around: Surroundings, root: Vec3, points: Float32Array): number {
  let n = 0;
  for (let o = 3; o < points.length - 3; o += 3) {
    const way: Vec3 = [points[o + 3] - points[o], points[o + 4] - points[o + 1], points[o + 5] - points[o + 2]], long = Math.sqrt(dot(way, way));
    if (!(long > 0)) continue;
    const hit = ahead(surface, around, [root[0] + points[o], root[1] + points[o + 1], root[2] + points[o + 2]], scale(way, 1 / long));
    if (hit && hit.distance < long) n++;
  }
  return n;
}

/** A falling guide that keeps `off` (m) from what it goes round, and `beyond` (m) farther off the skin where that is steep. */
function fall(surface: Surface, root: Vec3, normal: Vec3, options: GrowOptions, off: number, beyond: number): { points: Float32Array; turned: boolean } {
  const { length, pointCount, lift, around } = options, most = Math.max(NEAR_SKIN, 1.3 * (lift + beyond));
  const lead = options.lead ?? [0, -1, 0];
  const ds = length / STEPS, aside = ASIDE * off, next = ds + AHEAD * off;
  let direction = normalize(addScaled(scale(normal, 0.9), tangential(lead, normal), 1));
  let p: Vec3 = [...root];
  const path = [0, 0, 0];
  let walked = 0, reach = most, turned = false, room = 0;
  // what hung straight is as long along its edges as along its way
  const byEdge = (): Float32Array | null => resampleByEdge(path, pointCount, (length * 0.9999) / (pointCount - 1));
  for (let i = 0; i < (turned ? STEPS + MORE : STEPS); i++) {
    const whole = i >= STEPS && i % ASKED === 0 ? byEdge() : null;
    if (whole) return { points: whole, turned };
    const s = i * ds, led = 1 - smoothStep(0.2 * LED, LED, s);
    let wish: Vec3 = [led * lead[0], led * lead[1] - (1 - led), led * lead[2]];
    // the skin cannot be farther off than it was, plus the step
    const near = surface.nearest(p, reach);
    reach = near ? Math.min(most, near.distance + 1.05 * ds) : most;
    if (near) {
      const away: Vec3 = [p[0] - near.point[0], p[1] - near.point[1], p[2] - near.point[2]];
      const outside = dot(away, near.normal) >= 0 || near.distance < 1e-6;
      const n = outside && near.distance > 2e-4 ? normalize(away) : near.normal;
      const missing = lift * smoothStep(0, 0.035, s) + beyond * smoothStep(0, 0.3, s / length) * (1 - smoothStep(0, 0.6, n[1])) - (outside ? near.distance : -near.distance);
      // drawn in toward the skin only where the skin carries it; pushed out wherever it is too close
      const carried = smoothStep(-0.35, 0.15, n[1]) * (1 - smoothStep(0.5, 0.9, s / length));
      const turn = missing > 0 ? Math.min(1.2, missing / 0.006) : carried * Math.max(-0.5, missing / 0.012);
      const onto = dot(wish, n);
      wish = addScaled(addScaled(wish, n, -onto * (missing > -0.012 ? 1 : 0)), n, turn);
    }
    // what is far off is not asked about again before it can have come near
    let worn = Infinity;
    if (around && (room -= ds) <= 0) {
      const enough = Math.max(aside, next), found = around.distance(p);
      room = found - enough;
      if (room <= 0) worn = found;
    }
    if (around && worn < Infinity) {
      const n = around.away, onto = dot(wish, n);
      turned = true;
      if (onto < 0) wish = addScaled(wish, n, -onto * (1 - smoothStep(off, aside, worn)));
      wish = addScaled(wish, n, Math.min(1.2, (2 * Math.max(0, off - worn)) / off));
    }
    direction = turnToward(direction, normalize(wish), Math.min(0.3, ds / TIGHTEST));
    if (around && worn <= next) {
      // where there is no way on it turns aside, and back up in the end
      const across = cross(around.away, direction), ways: Vec3[] = [direction, across, scale(across, -1), around.away];
      let clear: Vec3 | null = null;
      for (let k = 0; k < ways.length && !clear; k++) clear = clearOf(surface, around, p, normalize(ways[k]), next);
      if (!clear) break;
      direction = clear;
    }
    p = addScaled(p, direction, ds);
    walked += ds;
    path.push(p[0] - root[0], p[1] - root[1], p[2] - root[2]);
    if (walked > 0.5 * length && options.endAt?.(p)) break;
  }
  return { points: (turned ? byEdge() : null) ?? resampleEvenly(path, pointCount, Math.min(length, walked) * 0.9999), turned };
}

/** A direction in which there is so much room, m: this one, or along what is in the way; null where there is none. */
function clearOf(surface: Surface, around: Surroundings, p: Vec3, direction: Vec3, room: number): Vec3 | null {
  let d = direction, before: Vec3 | null = null;
  for (let k = 0; k <= TURNS; k++) {
    const hit = ahead(surface, around, p, d);
    if (!hit || hit.distance > room) return d;
    const n = dot(hit.normal, d) > 0 ? scale(hit.normal, -1) : hit.normal, along = addScaled(d, n, -dot(d, n)), fold: Vec3 | null = before && normalize(cross(before, n));
    // two surfaces are followed along the fold between them
    if (fold && dot(fold, fold) > 0) d = normalize(addScaled(scale(fold, dot(fold, direction) < 0 ? -1 : 1), addScaled(before!, n, 1), 0.05));
    else d = normalize(addScaled(dot(along, along) > 1e-6 ? normalize(along) : perpendicular(n), n, 0.05));
    before = n;
  }
  return null;
}

/** `from` turned toward `to`, both unit, by a fifth of the way but at most `most` radians. */
function turnToward(from: Vec3, to: Vec3, most: number): Vec3 {
  const next = normalize(addScaled(scale(from, 0.78), to, 0.22)), c = dot(from, next);
  if (c >= Math.cos(most)) return next;
  const across = normalize(addScaled(next, from, -c));
  return addScaled(scale(from, Math.cos(most)), across, Math.sin(most));
}

function tangential(v: Vec3, normal: Vec3): Vec3 {
  const t = normalize(addScaled(v, normal, -dot(v, normal)));
  return dot(t, t) > 0 ? t : perpendicular(normal);
}
