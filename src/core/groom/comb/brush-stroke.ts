/**
 * A brush stroke on guides. Points are 3 × pointCount × guides, m, in the pose that is seen; roots (point 0 of each guide) never move. Every
 * touch of the brush says where it wants the points of the guides it reaches; then each guide is laid out as near to that as its lengths and
 * the skin allow. Touches of both sides of a symmetric stroke are added up before that, so that neither comes first.
 */
import { profileAt, type Profile } from '../../math/profile';
import { clamp } from '../../math/vec';
import { FourChains, LANES } from './fast/four-chains';
import { KeepOff, type Obstacle } from './keep-off';
import { NearestChain } from './nearest-chain';
import { brushWeight, DEPTH, type Dab } from './reach';

/** Brushes that work touch by touch. */
export const BRUSHES = ['comb', 'smooth', 'straighten', 'part', 'gather', 'spread', 'lift', 'press', 'twist', 'curl', 'longer', 'match'] as const;
export type BrushKind = (typeof BRUSHES)[number];

export interface BrushSettings {
  /** m */
  radius: number;
  /** 0 … 1 */
  strength: number;
  /** 0 … 1: share of the radius over which the strength falls to nothing. */
  falloff: number;
  /** Root → tip: how much of it each part of a strand takes. */
  along: Profile;
  /** Share of the length below which the strand is let be. */
  from: number;
  /** The other way round: shorter, untwist, uncurl, lift for press. */
  reverse: boolean;
  /** m: of a curl. */
  curlRadius: number;
  curlPitch: number;
}

export interface BrushGroom {
  /** 3 × pointCount × guides, m; the stroke works on them in place. */
  points: Float64Array;
  pointCount: number;
  /** 3 × guides: skin normals at the roots in this pose, unit. */
  normals: Float64Array;
  /** How far each point takes part, 0 … 1; null for all. */
  chosen: Float32Array | null;
}

/** Share of its parent's way that a point takes over, so that the strand below the brush trails along. */
const TRAIL = 0.8;
/** m: no strand gets shorter. */
export const SHORTEST = 0.002;
/** m: no touch moves a point farther, so that none jumps through a head. */
const FARTHEST = 0.006;
/** A strand that cannot be laid where it is wanted is tried on a shorter way, so often in all. */
const ATTEMPTS = 3;
/** How much of the way a full stride at full strength goes. */
const RATE = 0.35;

export class BrushStroke {
  /** Guides that have changed, ever and by the last touch. */
  readonly changed = new Set<number>();
  touched: number[] = [];
  /** m, of the edge that ends at each point. */
  readonly lengths: Float64Array;
  private readonly n: number;
  private readonly guides: number;
  private readonly reach: Float64Array;
  /** Low and high corner of each guide. */
  private readonly boxes: Float64Array;
  private readonly profile: Float64Array;
  private readonly keep: KeepOff | null;
  private readonly chain: NearestChain;
  private readonly four: FourChains | null;
  /** Guides in hand, laid out together: which, where they were and where they are wanted; `before` and `wanted` are of the one in work. */
  private readonly hand = new Int32Array(LANES);
  private inHand = 0;
  private readonly befores: Float64Array[];
  private readonly wanteds: Float64Array[];
  private before: Float64Array;
  private wanted: Float64Array;
  /** Weights of the points of the guides that a touch reaches, one guide after another. */
  private weights = new Float64Array(0);
  private reached = new Int32Array(0);
  private readonly phase: Float64Array;
  /** Whether a guide's box is near each of two dabs. */
  private readonly spot = new Uint8Array(2);

  constructor(private readonly kind: BrushKind, private readonly groom: BrushGroom, private readonly settings: BrushSettings, obstacles: readonly Obstacle[] | KeepOff, gap = 0) {
    const { points, pointCount: n } = groom, guides = (this.guides = points.length / (3 * n));
    this.n = n;
    this.lengths = new Float64Array(n * guides);
    this.reach = new Float64Array(guides);
    this.boxes = new Float64Array(6 * guides);
    this.profile = new Float64Array(n);
    for (let g = 0; g < guides; g++) this.measure(g);
    for (let i = 0; i < n; i++) {
      const x = n > 1 ? i / (n - 1) : 0;
      this.profile[i] = i === 0 ? 0 : Math.max(0, profileAt(settings.along, x)) * clamp((x - settings.from) * (n - 1) + 1);
    }
    this.keep = obstacles instanceof KeepOff ? obstacles : obstacles.length > 0 ? new KeepOff(obstacles, gap) : null;
    this.keep?.begin(n * guides);
    this.chain = new NearestChain(n);
    this.four = FourChains.of(n);
    [this.befores, this.wanteds] = [0, 1].map(() => Array.from({ length: LANES }, () => new Float64Array(3 * n)));
    [this.before, this.wanted] = [this.befores[0], this.wanteds[0]];
    this.phase = new Float64Array(n);
  }

  private measure(g: number): void {
    const { n, lengths, groom: { points } } = this;
    let sum = 0;
    for (let i = 1; i < n; i++) { const p = 3 * (n * g + i); sum += lengths[n * g + i] = Math.sqrt((points[p] - points[p - 3]) ** 2 + (points[p + 1] - points[p - 2]) ** 2 + (points[p + 2] - points[p - 1]) ** 2); }
    this.reach[g] = sum;
    this.bound(g);
  }
  private bound(g: number): void {
    const { n, boxes, groom: { points } } = this, b = 6 * g;
    for (let c = 0; c < 3; c++) {
      let low = Infinity, high = -Infinity;
      for (let p = 3 * n * g + c, k = 0; k < n; k++, p += 3) { const v = points[p]; if (v < low) low = v; if (v > high) high = v; }
      boxes[b + c] = low; boxes[b + 3 + c] = high;
    }
  }

  /** One touch, or one on either side. */
  touch(...dabs: Dab[]): void {
    const { n, groom, kind } = this, per = dabs.length;
    this.touched = [];
    const found = this.find(dabs);
    if (found === 0) return;
    const stats = dabs.map((_, k) => this.gatherFrom(k, per, found, dabs[k]));
    const { points } = groom;
    for (let f = 0; f < found; f++) {
      const g = this.reached[f], o = 3 * n * g;
      this.work(this.inHand);
      const { before, wanted } = this;
      for (let i = 0; i < 3 * n; i++) before[i] = wanted[i] = points[o + i];
      let scale = 1;
      for (let k = 0; k < per; k++) {
        const w = n * (per * f + k);
        if (kind === 'longer' || kind === 'match') scale *= this.lengthFactor(g, this.strongest(w), stats[k], dabs[k].share);
        else if (kind === 'smooth' || kind === 'straighten' || kind === 'curl' || kind === 'part') this.bend(g, w, stats[k], dabs[k]);
        else this.shift(g, w, stats[k], dabs[k], per);
      }
      if (kind === 'longer' || kind === 'match') {
        if (scale === 1) continue;
        const step = FARTHEST / Math.max(this.reach[g], SHORTEST);
        scale = Math.max(Math.min(1 + step, Math.max(1 - step, scale)), SHORTEST / Math.max(this.reach[g], SHORTEST));
        for (let i = 1; i < n; i++) this.lengths[n * g + i] *= scale;
        this.reach[g] *= scale;
        for (let i = 1; i < n; i++) for (let c = 0; c < 3; c++) points[o + 3 * i + c] = points[o + c] + scale * (before[3 * i + c] - before[c]);
        this.keepOut(g, scale);
      } else {
        this.limit();
        this.hand[this.inHand++] = g;
        if (this.inHand === LANES) this.layOut();
      }
    }
    this.layOut();
  }
  private work(lane: number): void {
    this.before = this.befores[lane];
    this.wanted = this.wanteds[lane];
  }

  /** Lays the guides in hand out where the touch wants them. */
  private layOut(): void {
    const { n, four, hand, inHand, wanteds, lengths, groom: { points } } = this;
    for (let l = 0; l < inHand; l++) {
      const g = hand[l], held = this.held(g);
      if (four) four.put(l, points, 3 * n * g, wanteds[l], lengths, n * g, held); else this.chain.solve(points, 3 * n * g, n, wanteds[l], lengths, n * g, held);
    }
    if (inHand > 0) four?.run();
    for (let l = 0; l < inHand; l++) {
      const g = hand[l];
      four?.take(l, points, 3 * n * g, wanteds[l], lengths, n * g, this.held(g));
      this.work(l);
      this.keepOut(g, 1);
    }
    this.inHand = 0;
  }
  /** Keeps guide g, laid out, out of what it must not enter. */
  private keepOut(g: number, scale: number): void {
    if (!this.clear(g, scale)) return;
    this.bound(g);
    this.touched.push(g);
    this.changed.add(g);
  }
  /** Tries a shorter way where it cannot go so far; false where it stays as it was. */
  private clear(g: number, scale: number): boolean {
    const { n, groom: { points }, wanted, before, keep, lengths } = this, o = 3 * n * g;
    for (let attempt = 0; attempt < ATTEMPTS; attempt++) {
      if (attempt > 0) {
        for (let i = 0; i < 3 * n; i++) { wanted[i] = before[i] + 0.4 * (wanted[i] - before[i]); points[o + i] = before[i]; }
        this.chain.solve(points, o, n, wanted, lengths, n * g, this.held(g));
      }
      if (!keep || keep.layOut(points, o, n, n * g, before, lengths)) return true;
      if (scale !== 1) break;
    }
    if (scale !== 1) { for (let i = 1; i < n; i++) lengths[n * g + i] /= scale; this.reach[g] /= scale; }
    for (let i = 0; i < 3 * n; i++) points[o + i] = before[i];
    return false;
  }
  /** Last of the points at the root that take no part at all: they stay where they are. */
  private held(g: number): number {
    const { n, profile, groom: { chosen } } = this;
    let i = 1;
    while (i < n - 1 && (profile[i] === 0 || (chosen !== null && chosen[n * g + i] === 0))) i++;
    return i - 1;
  }
  /** Guides that are reached and how much each point of them takes part, by dab. */
  private find(dabs: readonly Dab[]): number {
    const { n, guides, boxes, groom: { points, chosen }, settings: { radius, falloff }, profile, kind, spot } = this, per = dabs.length;
    const far2 = (DEPTH * radius) ** 2, r2 = radius * radius, deep = 1 - 1 / (DEPTH * DEPTH), byRoot = kind === 'part';
    // middles, lines of sight, and half the box round each dab
    const D = Float64Array.from(dabs.flatMap(({ centre, sight }) => [...centre, ...sight, ...sight.map((s) => radius * Math.sqrt(1 + (DEPTH * DEPTH - 1) * s * s))]));
    let found = 0, { weights } = this;
    if (n < 2 || per === 0) return 0;
    for (let g = 0, b = 0; g < guides; g++, b += 6) {
      let near = false;
      for (let k = 0; k < per; k++) {
        const d = 9 * k, dx = Math.max(boxes[b] - D[d], D[d] - boxes[b + 3], 0), dy = Math.max(boxes[b + 1] - D[d + 1], D[d + 1] - boxes[b + 4], 0), dz = Math.max(boxes[b + 2] - D[d + 2], D[d + 2] - boxes[b + 5], 0);
        spot[k] = dx * dx + dy * dy + dz * dz < far2 && dx < D[d + 6] && dy < D[d + 7] && dz < D[d + 8] ? 1 : 0;
        if (spot[k] === 1) near = true;
      }
      if (!near) continue;
      const at = n * per * found;
      if (at + n * per > weights.length) { this.grow(n * per); ({ weights } = this); }
      let any = false;
      for (let k = 0; k < per; k++) {
        const w = at + n * k, d = 9 * k, cx = D[d], cy = D[d + 1], cz = D[d + 2], sx = D[d + 3], sy = D[d + 4], sz = D[d + 5];
        weights.fill(0, w, w + n);
        if (spot[k] === 0) continue;
        // a parting looks at where strands grow, the other brushes at where they are
        for (let i = 1; i < n; i++) {
          const p = 3 * (n * g + (byRoot ? 0 : i)), ex = points[p] - cx, ey = points[p + 1] - cy, ez = points[p + 2] - cz, along = ex * sx + ey * sy + ez * sz, d2 = ex * ex + ey * ey + ez * ez - deep * along * along;
          if (d2 >= r2) continue;
          const v = brushWeight(Math.sqrt(d2 < 0 ? 0 : d2) / radius, falloff) * profile[i] * (chosen ? chosen[n * g + i] : 1);
          if (v > 0) { weights[w + i] = v; any = true; }
        }
      }
      if (any) this.reached[found++] = g;
    }
    // both sides at once are no stronger than one
    if (per === 2) for (let a = 0; a < 2 * n * found; a += 2 * n) for (let i = a; i < a + n; i++) {
      const sum = weights[i] + weights[i + n];
      if (sum > 1) { weights[i] /= sum; weights[i + n] /= sum; }
    }
    return found;
  }
  private grow(row: number): void {
    const weights = new Float64Array(2 * this.weights.length + 64 * row), reached = new Int32Array(weights.length / row + 1);
    weights.set(this.weights);
    reached.set(this.reached);
    this.weights = weights;
    this.reached = reached;
  }
  private strongest(w: number): number {
    let most = 0;
    for (let i = 1; i < this.n; i++) if (this.weights[w + i] > most) most = this.weights[w + i];
    return most;
  }

  /** What the hair under one touch is like on the whole. */
  private gatherFrom(k: number, per: number, found: number, dab: Dab): Stats {
    const { n, kind, groom: { points } } = this, stats: Stats = { middle: [0, 0, 0], axis: [0, 0, 0], length: 0, ways: null, skin: [0, 0, 0] };
    if (kind === 'comb' || kind === 'lift' || kind === 'press' || kind === 'straighten' || kind === 'curl' || kind === 'longer') return stats;
    const ways = kind === 'smooth' ? new Float64Array(3 * n) : null;
    let sum = 0, strands = 0;
    for (let f = 0; f < found; f++) {
      const g = this.reached[f], w = n * (per * f + k), most = this.strongest(w);
      if (most === 0) continue;
      strands += most;
      stats.length += most * this.reach[g];
      for (let c = 0; c < 3; c++) stats.skin[c] += most * this.groom.normals[3 * g + c];
      for (let i = 1; i < n; i++) {
        const v = this.weights[w + i], p = 3 * (n * g + i), l = this.lengths[n * g + i] || 1;
        sum += v;
        for (let c = 0; c < 3; c++) {
          const way = (points[p + c] - points[p - 3 + c]) / l;
          stats.middle[c] += v * points[p + c];
          stats.axis[c] += v * way;
          if (ways) ways[3 * i + c] += v * way;
        }
      }
    }
    if (sum > 0) for (let c = 0; c < 3; c++) stats.middle[c] /= sum;
    if (strands > 0) stats.length /= strands;
    unit(stats.axis, dab.sight);
    unit(stats.skin, dab.sight);
    stats.ways = ways;
    return stats;
  }

  private lengthFactor(g: number, weight: number, stats: Stats, share: number): number {
    const { strength, reverse } = this.settings, rate = weight * strength * share;
    if (rate === 0 || this.reach[g] === 0) return 1;
    return this.kind === 'longer' ? Math.exp((reverse ? -0.12 : 0.12) * rate) : 1 + RATE * rate * (stats.length / this.reach[g] - 1);
  }

  /** Brushes that move points: adds to where they are wanted. */
  private shift(g: number, w: number, stats: Stats, dab: Dab, per: number): void {
    const { n, wanted, before, weights, kind, groom: { normals }, settings: { strength, reverse, radius } } = this, rate = strength * dab.share;
    let sx = 0, sy = 0, sz = 0;
    const [ax, ay, az] = stats.axis;
    for (let i = 1; i < n; i++) {
      const v = weights[w + i], a = 3 * i;
      let x = 0, y = 0, z = 0;
      if (v > 0) {
        if (kind === 'comb') { x = dab.move[0]; y = dab.move[1]; z = dab.move[2]; }
        else if (kind === 'lift' || kind === 'press') {
          const d = (kind === 'lift') !== reverse ? 0.12 * radius * dab.share : -0.12 * radius * dab.share;
          x = d * normals[3 * g]; y = d * normals[3 * g + 1]; z = d * normals[3 * g + 2];
        } else {
          // about the middle of the lock
          const dx = before[a] - stats.middle[0], dy = before[a + 1] - stats.middle[1], dz = before[a + 2] - stats.middle[2], along = dx * ax + dy * ay + dz * az, ox = dx - along * ax, oy = dy - along * ay, oz = dz - along * az;
          if (kind === 'gather' || kind === 'spread') {
            const d = (kind === 'gather') !== reverse ? -RATE * dab.share : RATE * dab.share;
            x = d * ox; y = d * oy; z = d * oz;
          } else {
            const angle = (reverse ? -0.5 : 0.5) * dab.hand * rate * v, c = Math.cos(angle) - 1, s = Math.sin(angle);
            // the angle holds the weight already
            x = (c * ox + s * (ay * oz - az * oy)) / (strength * v); y = (c * oy + s * (az * ox - ax * oz)) / (strength * v); z = (c * oz + s * (ax * oy - ay * ox)) / (strength * v);
          }
        }
        x *= strength * v; y *= strength * v; z *= strength * v;
      }
      const t = (TRAIL * (1 - v)) / per;
      sx = x + t * sx; sy = y + t * sy; sz = z + t * sz;
      wanted[a] += sx; wanted[a + 1] += sy; wanted[a + 2] += sz;
    }
  }

  /** Brushes that turn edges: what lies beyond comes along. */
  private bend(g: number, w: number, stats: Stats, dab: Dab): void {
    const { n, wanted, before, weights, kind, lengths, settings, phase } = this, rate = (kind === 'smooth' ? 0.5 : RATE) * settings.strength * dab.share;
    const target: [number, number, number] = [0, 0, 0], cx = before[3 * n - 3] - before[0], cy = before[3 * n - 2] - before[1], cz = before[3 * n - 1] - before[2], chord = Math.sqrt(cx * cx + cy * cy + cz * cz);
    if (kind === 'curl') this.phases(g, phase);
    // away from the line of the parting, along the skin and a little off it; where it runs itself nothing is sure
    let sure = 1, ox = 0, oy = 0, oz = 0;
    if (kind === 'part') {
      const [lx, ly, lz] = dab.move, [nx, ny, nz] = stats.skin;
      ox = ly * nz - lz * ny; oy = lz * nx - lx * nz; oz = lx * ny - ly * nx;
      const m = (settings.reverse ? -1 : 1) * Math.sqrt(ox * ox + oy * oy + oz * oz) || 1e300, away = ((before[0] - dab.centre[0]) * ox + (before[1] - dab.centre[1]) * oy + (before[2] - dab.centre[2]) * oz) / Math.abs(m), k = Math.sign(away) / m;
      ox = k * ox + 0.25 * nx; oy = k * oy + 0.25 * ny; oz = k * oz + 0.25 * nz;
      sure = Math.min(1, Math.abs(away) / (0.5 * settings.radius));
    }
    let sx = 0, sy = 0, sz = 0;
    for (let i = 1; i < n; i++) {
      const a = 3 * i, l = lengths[n * g + i], v = Math.min(1, weights[w + i] * rate * sure);
      if (v > 0 && l > 0) {
        const ex = (before[a] - before[a - 3]) / l, ey = (before[a + 1] - before[a - 2]) / l, ez = (before[a + 2] - before[a - 1]) / l;
        if (kind === 'straighten') {
          if (chord < 1e-9) continue;
          target[0] = cx / chord; target[1] = cy / chord; target[2] = cz / chord;
        } else if (kind === 'part') {
          target[0] = ox; target[1] = oy; target[2] = oz;
          unit(target, [ex, ey, ez]);
        } else if (kind === 'smooth') {
          // half of its own neighbours, half of the strands beside it
          const p = i > 1 ? a - 6 : a - 3, q = i < n - 1 ? a + 3 : a, { ways } = stats;
          target[0] = before[q] - before[p]; target[1] = before[q + 1] - before[p + 1]; target[2] = before[q + 2] - before[p + 2];
          unit(target, [ex, ey, ez]);
          if (ways) { const m = Math.hypot(ways[a], ways[a + 1], ways[a + 2]) || 1e300; for (let c = 0; c < 3; c++) target[c] += ways[a + c] / m; }
          unit(target, [ex, ey, ez]);
        } else this.curled(g, i, dab.hand, target);
        let tx = ex + v * (target[0] - ex), ty = ey + v * (target[1] - ey), tz = ez + v * (target[2] - ez);
        const m = Math.sqrt(tx * tx + ty * ty + tz * tz);
        if (m > 1e-9) { tx /= m; ty /= m; tz /= m; sx += l * (tx - ex); sy += l * (ty - ey); sz += l * (tz - ez); }
      }
      wanted[a] += sx; wanted[a + 1] += sy; wanted[a + 2] += sz;
    }
  }

  /** Turns of a helix along a strand at the middle of each edge, radians. */
  private phases(g: number, out: Float64Array): void {
    const { n, lengths, settings } = this, { curlRadius: r, curlPitch: h } = settings, turn = 2 * Math.PI / Math.max(1e-4, Math.hypot(2 * Math.PI * r, h));
    let along = 0;
    for (let i = 1; i < n; i++) { const l = lengths[n * g + i]; out[i] = turn * (along + 0.5 * l); along += l; }
  }
  /** Way of edge i of a strand curled about its own course: the course is the strand seen over a turn. */
  private curled(g: number, i: number, hand: number, out: [number, number, number]): void {
    const { n, before, lengths, settings, phase, groom: { normals } } = this, { curlRadius: r, curlPitch: h, reverse } = settings, turn = Math.hypot(2 * Math.PI * r, h), a = 3 * i;
    let from = i - 1, to = i, l = lengths[n * g + i];
    while (l < turn && (from > 0 || to < n - 1)) { if (from > 0) { l += lengths[n * g + from]; from--; } if (to < n - 1) { to++; l += lengths[n * g + to]; } }
    const course: [number, number, number] = [before[3 * to] - before[3 * from], before[3 * to + 1] - before[3 * from + 1], before[3 * to + 2] - before[3 * from + 2]];
    unit(course, [before[a] - before[a - 3], before[a + 1] - before[a - 2], before[a + 2] - before[a - 1]]);
    if (reverse) { out[0] = course[0]; out[1] = course[1]; out[2] = course[2]; return; }
    // across it: the skin's normal at the root as the first
    const nx = normals[3 * g], ny = normals[3 * g + 1], nz = normals[3 * g + 2], [tx, ty, tz] = course, along = nx * tx + ny * ty + nz * tz;
    let ux = nx - along * tx, uy = ny - along * ty, uz = nz - along * tz, m = Math.sqrt(ux * ux + uy * uy + uz * uz);
    if (m < 1e-6) { const y = Math.abs(tx) < 0.9 ? [1, 0, 0] : [0, 1, 0], k = y[0] * tx + y[1] * ty; ux = y[0] - k * tx; uy = y[1] - k * ty; uz = -k * tz; m = Math.sqrt(ux * ux + uy * uy + uz * uz); }
    ux /= m; uy /= m; uz /= m;
    const vx = hand * (ty * uz - tz * uy), vy = hand * (tz * ux - tx * uz), vz = hand * (tx * uy - ty * ux), c = h / turn, s = (2 * Math.PI * r) / turn, co = Math.cos(phase[i]), si = Math.sin(phase[i]);
    out[0] = c * tx + s * (co * ux + si * vx); out[1] = c * ty + s * (co * uy + si * vy); out[2] = c * tz + s * (co * uz + si * vz);
  }

  private limit(): void {
    const { n, wanted, before } = this;
    let most = 0;
    for (let i = 3; i < 3 * n; i += 3) most = Math.max(most, (wanted[i] - before[i]) ** 2 + (wanted[i + 1] - before[i + 1]) ** 2 + (wanted[i + 2] - before[i + 2]) ** 2);
    if (most <= FARTHEST * FARTHEST) return;
    const k = FARTHEST / Math.sqrt(most);
    for (let i = 3; i < 3 * n; i++) wanted[i] = before[i] + k * (wanted[i] - before[i]);
  }
}

interface Stats { middle: [number, number, number]; axis: [number, number, number]; length: number; ways: Float64Array | null; skin: [number, number, number] }

/** Makes `v` a unit vector, or the other one where it has no length. */
function unit(v: [number, number, number], otherwise: ArrayLike<number>): void {
  const l = Math.sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
  for (let c = 0; c < 3; c++) v[c] = l > 1e-12 ? v[c] / l : otherwise[c];
}
