/**
 * Drops and grains in flight, on hair and on skin, beside a run of strands.
 *
 * In flight: weight and the air's drag, (g / v∞²) |w| w against the air, v∞ from `fallSpeed`. A drop that meets a lock gives it an impulse along the way
 * it came, J = m* (1 + e)(relative speed), m* = 1 / (1/m + Σ wᵢ²/mᵢ) of the two points of the edge with the weights wᵢ of the place; the drop gets −J, so
 * that momentum is exchanged and never made. Some stay: every substep their velocity is made that of their place by such an impulse (e = 0), with their weight in it,
 * so that wet hair is heavier and slower; they run down to the tip and fall from there, or go when shaken off: water holds on with its surface
 * tension along the lock's circumference. Strands get the impulse as loft gives its own (`loft.ts`): v and v⁻ by dv, x⁻ by −h dv.
 */
import type { RodSystem } from '../sway/rod-system';
import { hashUnit } from '../math/random';
import type { DropWalls } from './drop-walls';
import { fallSpeed, wayOf, type DropSource } from './sources';

/** Drops at a time. */
export const MOST_DROPS = 12_000;
/** Numbers of a drop that is shown: number, place, velocity, diameter (m; less than 0 of one that sits on hair). */
export const DROP_NUMBERS = 8;
const FREE = 0, STUCK = 1, GONE = 2;
/** N/m: surface tension of water against air at 20 °C. **Source:** handbook value, from memory. */
const TENSION = 0.0728;
/** m/s: how fast a drop runs down a lock that hangs. Common practice, no source. */
const RUNS = 0.12;
/** s: after leaving a lock a drop does not stick to any; how long one lives at most; how long one lies on skin or ground. */
const AGAIN = 0.08, LIFE = 8, LIES = 0.25;
/** A hit does not change a lock's speed by more than this at once, m/s: what more there is stays with the drop. */
const HARDEST = 1.5;
/** Last point of a strand that stands in the skin, as far as drops go: contact lets the first stretch be, and nothing would stop what is knocked into the skin there. */
const STANDS = 1;
const CELL = 0.02, HEADS = 1 << 16;
/** m: balls round edges are so much larger, for float32. */
const ROOM = 1e-6;
const TWO_PI = 2 * Math.PI, EDGE = 13;
/** Substeps for which edges are sorted at once. */
const SORTED = 4;

export interface DropSettings { sources: readonly DropSource[]; gravity: number; fps: number }

export class DropRun {
  private readonly x = new Float64Array(3 * MOST_DROPS);
  private readonly v = new Float64Array(3 * MOST_DROPS);
  private readonly size = new Float64Array(MOST_DROPS);
  private readonly born = new Float64Array(MOST_DROPS);
  /** s: when one that sits lets go; of one that flies, from when on it can sit again; of one that lies, when it is gone. */
  private readonly until = new Float64Array(MOST_DROPS);
  private readonly state = new Uint8Array(MOST_DROPS).fill(GONE);
  private readonly lying = new Uint8Array(MOST_DROPS);
  private readonly source = new Uint8Array(MOST_DROPS);
  private readonly number = new Float64Array(MOST_DROPS);
  /** Of one that lies on a shell: which, its face, and where on that; −1 on the ground or a pill. */
  private readonly lieOn = new Int32Array(MOST_DROPS).fill(-1);
  private readonly lieFace = new Int32Array(MOST_DROPS);
  private readonly lieAt = new Float64Array(3 * MOST_DROPS);
  /** 1 until it has been looked for what it comes to. */
  private readonly fresh = new Uint8Array(MOST_DROPS);
  private readonly lieSide = new Int8Array(MOST_DROPS);
  /** Of one that flies: the face it comes to in this frame (−1 for none, −2 not asked yet), where on it, and the plane it lies in. */
  private readonly goal = new Int32Array(MOST_DROPS);
  private readonly goalShell = new Int32Array(MOST_DROPS);
  private readonly goalAt = new Float64Array(3 * MOST_DROPS);
  private readonly goalSide = new Int8Array(MOST_DROPS);
  private readonly plane = new Float64Array(4 * MOST_DROPS);
  /** Strand and upper point of the edge it sits on, and where on it. */
  private readonly strand = new Int32Array(MOST_DROPS).fill(-1);
  private readonly edge = new Int32Array(MOST_DROPS);
  private readonly at = new Float64Array(MOST_DROPS);
  /** How many drops each source has given. */
  private readonly given: Float64Array;
  private used = 0;
  private numbers = 0;
  /** How many could not come because there were too many. */
  lost = 0;
  /** Momentum given to hair since the last time it was asked, N·s. */
  readonly gave = new Float64Array(3);
  /** And what was given to hair where it stands in the skin, or is held, which does not move by it, N·s. */
  readonly stood = new Float64Array(3);
  private readonly fall: Float64Array;
  private readonly ways: [number, number, number][];
  /** Place c + 1 is where the edges of cell c begin in `entries`. What they were found as, before they are put by cells: cell and upper point. */
  private readonly heads = new Int32Array(HEADS + 2);
  private cells = new Int32Array(0);
  private unsorted = new Int32Array(0);
  private entries = new Int32Array(0);
  /** Four a point: a ball round the edge that ends there, all of its way in the substep, the thickest lock and the largest drop. */
  private readonly balls: Float32Array;
  private reach = 0;
  private entryCount = 0;
  private readonly seen: Int32Array;
  /** Strand of each point. */
  private strandAt: Int32Array | null = null;
  /** `EDGE` numbers of the edge that ends at a point: its ends, its velocity, its middle and how far its ends are from there. */
  private readonly edges: Float64Array;
  /** Edges that any may meet, and for how many substeps more they are known. */
  private readonly near: Int32Array;
  private nearCount = 0;
  private sortedFor = 0;
  private readonly low = new Float64Array(3);
  private readonly high = new Float64Array(3);
  private stamp = 0;
  /** An impulse, or a velocity and for how long. */
  private readonly J = new Float64Array(4);
  private readonly p = new Float64Array(3);
  private readonly q = new Float64Array(3);
  private readonly u = new Float64Array(3);
  private readonly spot = new Float64Array(3);
  private readonly close = new Float64Array(3);
  /** What is made anew in every substep and need not be kept of a run. */
  static readonly madeAnew = new Set(['heads', 'cells', 'unsorted', 'balls', 'reach', 'entries', 'seen', 'stamp', 'strandAt', 'edges', 'near', 'nearCount', 'sortedFor', 'low', 'high', 'J', 'p', 'q', 'u', 'spot', 'close', 'fall', 'ways', 'settings', 'entryCount', 'goal', 'goalShell', 'goalAt', 'goalSide', 'plane']);

  constructor(private readonly settings: DropSettings, points: number) {
    this.given = new Float64Array(settings.sources.length);
    this.ways = settings.sources.map((s) => wayOf(s));
    this.fall = Float64Array.from(settings.sources, (s) => fallSpeed(s.sizeMm / 1000, s.density));
    this.seen = new Int32Array(points);
    this.edges = new Float64Array(EDGE * points);
    this.balls = new Float32Array(4 * points);
    for (const s of settings.sources) this.reach = Math.max(this.reach, s.lockMm / 1000 + (s.sizeMm * (1 + s.sizeSpread)) / 2000);
    this.near = new Int32Array(points);
  }

  /** What sources have given up to `time` (s of the shot) is not made up for: it has come and gone. */
  startAt(time: number): void { this.settings.sources.forEach((s, k) => { this.given[k] = this.due(s, time); }); }
  /** Goes on at `time` with what another run of the same sources and strands has about; begins anew where there is none, or the sources are others. */
  goOnFrom(other: DropRun | null, time: number): void {
    if (!other || JSON.stringify(other.settings) !== JSON.stringify(this.settings)) { this.startAt(time); return; }
    const from = other as unknown as Record<string, unknown>, to = this as unknown as Record<string, unknown>;
    for (const name of Object.keys(this)) {
      if (DropRun.madeAnew.has(name)) continue;
      const value = from[name];
      if (ArrayBuffer.isView(value)) (to[name] as Float64Array).set(value as Float64Array);
      else if (typeof value === 'number') to[name] = value;
    }
  }
  /** How many a source has given by a time, s of the shot. */
  private due(s: DropSource, time: number): number { const { fps } = this.settings; return Math.floor(Math.max(0, Math.min(time, s.to / fps) - s.from / fps) * s.rate); }

  /** How many are about. */
  get count(): number { let n = 0; for (let d = 0; d < this.used; d++) if (this.state[d] !== GONE) n++; return n; }
  get flying(): number { let n = 0; for (let d = 0; d < this.used; d++) if (this.state[d] === FREE) n++; return n; }
  /** Low and high corner of all that fly, with their way in `time` s; false where none do. */
  boxInto(box: number[], time: number): boolean {
    let any = false;
    for (let c = 0; c < 3; c++) { box[c] = Infinity; box[3 + c] = -Infinity; }
    for (let d = 0; d < this.used; d++) {
      if (this.state[d] !== FREE) continue;
      any = true;
      for (let c = 0; c < 3; c++) { const a = this.x[3 * d + c], b = a + time * this.v[3 * d + c]; box[c] = Math.min(box[c], a, b); box[3 + c] = Math.max(box[3 + c], a, b); }
    }
    return any;
  }

  /** m: radius of the locks that a drop meets. */
  private lock(d: number): number { return this.settings.sources[this.source[d]].lockMm / 1000; }
  private mass(d: number): number { return (this.settings.sources[this.source[d]].density * Math.PI * this.size[d] ** 3) / 6; }

  /** Before the substeps of a frame: where each comes to is to be asked anew. */
  beginFrame(): void { this.goal.fill(-2, 0, this.used); this.sortedFor = 0; }
  /**
   * Before a substep of `h` seconds that ends at `time` (s of the shot), `left` s before the frame's end: all that drops do in it. `air`: velocity of the air at a place; `walls`: skin, cloth and ground, null for none.
   */
  act(system: RodSystem, h: number, time: number, air: ((x: number, y: number, z: number, out: Float64Array) => void) | null, walls: DropWalls | null, left = 0): void {
    this.come(h, time);
    if (this.used === 0) return;
    this.sit(system, h, time);
    this.sort(system, h);
    this.fly(system, h, time, air, walls, left);
    while (this.used > 0 && this.state[this.used - 1] === GONE) this.used--;
  }

  // ---------------------------------------------------------------- coming

  private come(h: number, time: number): void {
    const { sources } = this.settings;
    let slot = 0;
    sources.forEach((s, k) => {
      if (!s.on) return;
      const wanted = this.due(s, time);
      for (; this.given[k] < wanted; this.given[k]++) {
        while (slot < this.used && this.state[slot] !== GONE) slot++;
        if (slot >= MOST_DROPS) { this.lost++; continue; }
        this.begin(slot, s, k, this.given[k], time, h);
        this.used = Math.max(this.used, slot + 1);
      }
    });
  }
  private begin(d: number, s: DropSource, k: number, n: number, time: number, h: number): void {
    const r = (q: number): number => hashUnit((Math.imul(n + 1, 2654435761) ^ Math.imul(s.seed + 1, 97 * (q + 3))) >>> 0), [wx, wy, wz] = this.ways[k], ux = Math.abs(wy) < 0.9 ? wz : 1, uy = 0, uz = Math.abs(wy) < 0.9 ? -wx : 0, l = Math.hypot(ux, uz) || 1, a = [ux / l, uy, uz / l], b = [wy * a[2] - wz * a[1], wz * a[0] - wx * a[2], wx * a[1] - wy * a[0]];
    const ring = s.wide * Math.sqrt(r(0)), turn = TWO_PI * r(1), lean = ((s.spread * Math.PI) / 180) * Math.sqrt(r(2)), round = TWO_PI * r(3), speed = s.speed * (1 + s.speedSpread * (2 * r(4) - 1)), born = s.from / this.settings.fps + (n + 1) / s.rate, late = Math.min(h, Math.max(0, time - born));
    for (let c = 0; c < 3; c++) {
      const way = Math.cos(lean) * [wx, wy, wz][c] + Math.sin(lean) * (Math.cos(round) * a[c] + Math.sin(round) * b[c]);
      this.v[3 * d + c] = speed * way;
      // it came somewhere within the substep
      this.x[3 * d + c] = [s.x, s.y, s.z][c] + ring * (Math.cos(turn) * a[c] + Math.sin(turn) * b[c]) + (late - h) * this.v[3 * d + c];
    }
    this.size[d] = (s.sizeMm / 1000) * (1 + s.sizeSpread * (2 * r(5) - 1));
    this.born[d] = time;
    this.until[d] = time - h;
    this.state[d] = FREE;
    this.lying[d] = 0;
    this.goal[d] = -2;
    this.fresh[d] = 1;
    this.source[d] = k;
    this.number[d] = this.numbers++;
    this.strand[d] = -1;
  }

  // ---------------------------------------------------------------- on hair

  /** Place and velocity of a place on an edge (its upper point `i`, share `t` of the way to it) at the substep's start, into `p` and `q`. */
  private placeOn(system: RodSystem, s: number, i: number, t: number, h: number): void {
    const { k, lanes: L, rootBefore, rootPosition } = system, a = system.at(s, i - 1, 3), b = system.at(s, i, 3), { p, q } = this;
    for (let c = 0; c < 3; c++) {
      const o = c * L;
      p[c] = rootBefore[3 * s + c] + k.x[a + o] + t * (k.x[b + o] - k.x[a + o]);
      q[c] = (rootPosition[3 * s + c] - rootBefore[3 * s + c]) / h + k.v[a + o] + t * (k.v[b + o] - k.v[a + o]);
    }
  }
  /** 1/kg that an edge answers with at a place. */
  private answer(system: RodSystem, s: number, i: number, t: number): number {
    const { mass, fixed } = system.k, a = system.at(s, i - 1, 1), b = system.at(s, i, 1);
    return (i - 1 > STANDS && fixed[a] === 0 && mass[a] > 0 ? (1 - t) ** 2 / mass[a] : 0) + (i > STANDS && fixed[b] === 0 && mass[b] > 0 ? t ** 2 / mass[b] : 0);
  }
  private pushHair(system: RodSystem, s: number, i: number, t: number, h: number): void {
    const { k } = system, { J, gave, stood } = this;
    for (let end = 0; end < 2; end++) {
      const point = i - 1 + end, w = end === 0 ? 1 - t : t, one = system.at(s, point, 1);
      if (point <= STANDS || k.fixed[one] !== 0 || w === 0 || !(k.mass[one] > 0)) { for (let c = 0; c < 3; c++) stood[c] += w * J[c]; continue; }
      system.hasten(system.at(s, point, 3), (w * J[0]) / k.mass[one], (w * J[1]) / k.mass[one], (w * J[2]) / k.mass[one], h);
      for (let c = 0; c < 3; c++) gave[c] += w * J[c];
    }
  }

  private sit(system: RodSystem, h: number, time: number): void {
    const { x, v, J, p, q, settings } = this;
    for (let d = 0; d < this.used; d++) {
      if (this.state[d] !== STUCK) continue;
      const s = this.strand[d], n = system.pointsOf(s), m = this.mass(d), holds = TENSION * TWO_PI * this.lock(d);
      this.placeOn(system, s, this.edge[d], this.at[d], h);
      v[3 * d + 1] -= h * settings.gravity;
      const own = 1 / (1 / m + this.answer(system, s, this.edge[d], this.at[d]));
      let force = 0;
      for (let c = 0; c < 3; c++) { J[c] = own * (v[3 * d + c] - q[c]); force += J[c] * J[c]; }
      // it holds no more than it can
      const most = (holds * h) / Math.sqrt(force + 1e-30), share = Math.min(1, most);
      for (let c = 0; c < 3; c++) { J[c] *= share; v[3 * d + c] -= J[c] / m; x[3 * d + c] = p[c]; }
      this.pushHair(system, s, this.edge[d], this.at[d], h);
      if (share < 1 || time > this.until[d]) { this.state[d] = FREE; this.until[d] = time + AGAIN; this.strand[d] = -1; continue; }
      this.run(system, d, s, n, h);
    }
  }
  /** Down the strand, as far as a substep takes it. */
  private run(system: RodSystem, d: number, s: number, n: number, h: number): void {
    const { k, lanes: L } = system, i = this.edge[d], a = system.at(s, i - 1, 3), b = system.at(s, i, 3), dy = k.x[b + L] - k.x[a + L], dx = k.x[b] - k.x[a], dz = k.x[b + 2 * L] - k.x[a + 2 * L];
    this.at[d] += (-RUNS * h * dy) / (dx * dx + dy * dy + dz * dz || 1e-12);
    if (this.at[d] > 1) { if (i < n - 1) { this.edge[d]++; this.at[d] = 0; } else this.at[d] = 1; }
    if (this.at[d] < 0) { if (i > 2) { this.edge[d]--; this.at[d] = 1; } else this.at[d] = 0; }
  }

  // ---------------------------------------------------------------- in flight

  /** The edge that ends at a point, as it is. */
  private see(system: RodSystem, point: number, h: number): void {
    const { k: { x, v }, lanes: L, rootBefore, rootPosition } = system, { edges } = this, s = this.strandAt![point], i = point - system.start[s], a = system.at(s, i - 1, 3), b = system.at(s, i, 3), e = EDGE * point;
    let half = 0;
    for (let c = 0; c < 3; c++) {
      const r = rootBefore[3 * s + c], u = r + x[a + c * L], w = r + x[b + c * L];
      edges[e + c] = u; edges[e + 3 + c] = w;
      edges[e + 6 + c] = (rootPosition[3 * s + c] - r) / h + 0.5 * (v[a + c * L] + v[b + c * L]);
      edges[e + 9 + c] = 0.5 * (u + w);
      half += 0.25 * (w - u) * (w - u);
    }
    edges[e + 12] = Math.sqrt(half);
    const { balls } = this, vx = edges[e + 6], vy = edges[e + 7], vz = edges[e + 8];
    for (let c = 0; c < 3; c++) balls[4 * point + c] = edges[e + 9 + c] + 0.5 * h * edges[e + 6 + c];
    balls[4 * point + 3] = edges[e + 12] + this.reach + 0.5 * h * Math.sqrt(vx * vx + vy * vy + vz * vz) + ROOM;
  }

  /** Edges near any that fly, into a hashed grid. */
  private sort(system: RodSystem, h: number): void {
    this.strandAt ??= strandsOf(system);
    if (this.sortedFor-- > 0) { for (let q = 0; q < this.nearCount; q++) this.see(system, this.near[q], h); return; }
    this.sortedFor = SORTED - 1;
    const { settings, heads, edges, low, high } = this, time = SORTED * h, reach = Math.max(...settings.sources.map((src) => src.lockMm)) / 1000, box = [0, 0, 0, 0, 0, 0];
    heads.fill(0);
    this.entryCount = 0;
    this.nearCount = 0;
    this.boxInto(box, time);
    // and what comes meanwhile
    for (const src of settings.sources) if (src.on) [src.x, src.y, src.z].forEach((v, c) => { const r = src.wide + time * src.speed * (1 + src.speedSpread); box[c] = Math.min(box[c], v - r); box[3 + c] = Math.max(box[3 + c], v + r); });
    for (let c = 0; c < 3; c++) { box[c] -= reach + 0.02; box[3 + c] += reach + 0.02; }
    for (let s = 0; s < system.strandCount; s++) {
      const n = system.pointsOf(s);
      for (let i = 1; i < n; i++) {
        const p = system.start[s] + i, e = EDGE * p;
        this.see(system, p, h);
        let out = false;
        for (let c = 0; c < 3; c++) {
          // where it may be until then
          const u = edges[e + c], w = edges[e + 3 + c], way = time * edges[e + 6 + c], more = reach + 0.25 * Math.abs(way);
          low[c] = Math.min(u, w) + Math.min(0, way) - more; high[c] = Math.max(u, w) + Math.max(0, way) + more;
          if (low[c] > box[3 + c] || high[c] < box[c]) out = true;
        }
        if (out) continue;
        this.near[this.nearCount++] = p;
        for (let X = Math.floor(low[0] / CELL); X <= Math.floor(high[0] / CELL); X++) for (let Y = Math.floor(low[1] / CELL); Y <= Math.floor(high[1] / CELL); Y++) for (let Z = Math.floor(low[2] / CELL); Z <= Math.floor(high[2] / CELL); Z++) {
          if (this.entryCount >= this.cells.length) { this.cells = longer(this.cells); this.unsorted = longer(this.unsorted); }
          const at = this.entryCount++, cell = cellOf(X, Y, Z);
          this.cells[at] = cell;
          this.unsorted[at] = p;
          heads[cell + 1]++;
        }
      }
    }
    if (this.entries.length < this.entryCount) this.entries = new Int32Array(this.cells.length);
    const { entries, cells, unsorted } = this;
    for (let c = 0; c < HEADS; c++) heads[c + 1] += heads[c];
    heads[HEADS + 1] = this.entryCount;
    // every cell's edges from its end down to where they begin
    for (let at = 0; at < this.entryCount; at++) entries[--heads[cells[at] + 1]] = unsorted[at];
  }

  private fly(system: RodSystem, h: number, time: number, air: ((x: number, y: number, z: number, out: Float64Array) => void) | null, walls: DropWalls | null, left: number): void {
    const { x, v, u, settings } = this;
    for (let d = 0; d < this.used; d++) {
      if (this.state[d] !== FREE) continue;
      const o = 3 * d, src = this.source[d];
      if (time - this.born[d] > LIFE || (this.lying[d] === 1 && time > this.until[d])) { this.state[d] = GONE; continue; }
      if (this.lying[d] === 1) { this.lie(d, h, walls, left); continue; }
      // the larger fall faster, about as the root of their size
      const end = this.fall[src] * Math.sqrt(this.size[d] / (settings.sources[src].sizeMm / 1000));
      u.fill(0);
      if (air) air(x[o], x[o + 1], x[o + 2], u);
      const w0 = v[o] - u[0], w1 = v[o + 1] - u[1], w2 = v[o + 2] - u[2], w = Math.sqrt(w0 * w0 + w1 * w1 + w2 * w2), k = (settings.gravity * w) / (end * end);
      for (let c = 0; c < 3; c++) v[o + c] = (v[o + c] + h * (k * u[c] - (c === 1 ? settings.gravity : 0))) / (1 + h * k);
      const hit = this.entryCount > 0 ? this.meet(system, d, h, time) : 1;
      // what it met has turned it
      if (hit < 1) this.goal[d] = -2;
      this.go(d, h * hit, time, walls, left + (1 - hit) * h);
    }
  }

  /** Meets the first lock on its way in the substep; the share of the way it has made by then. */
  private meet(system: RodSystem, d: number, h: number, time: number): number {
    const { x, v, heads, entries, balls, seen, edges, close, J } = this, o = 3 * d, x0 = x[o], x1 = x[o + 1], x2 = x[o + 2], v0 = v[o], v1 = v[o + 1], v2 = v[o + 2], reach = this.lock(d) + this.size[d] / 2, way = h * Math.sqrt(v0 * v0 + v1 * v1 + v2 * v2), steps = Math.max(1, Math.ceil((2 * way) / CELL));
    // half-way, in a ball that holds all of the way
    const c0 = x0 + 0.5 * h * v0, c1 = x1 + 0.5 * h * v1, c2 = x2 + 0.5 * h * v2, stamp = ++this.stamp;
    J[3] = h;
    let first = 2, host = -1, hostT = 0, last = -1;
    for (let q0 = 0; q0 <= steps; q0++) {
      const f = (q0 / steps) * h, cell = cellOf(Math.floor((x0 + f * v0) / CELL), Math.floor((x1 + f * v1) / CELL), Math.floor((x2 + f * v2) / CELL));
      if (cell === last) continue;
      last = cell;
      for (let e = heads[cell + 1], end = heads[cell + 2]; e < end; e++) {
        const point = entries[e], b = 4 * point, b0 = balls[b] - c0, b1 = balls[b + 1] - c1, b2 = balls[b + 2] - c2, apart = balls[b + 3] + 0.5 * way;
        if (b0 * b0 + b1 * b1 + b2 * b2 > apart * apart) continue;
        if (seen[point] === stamp) continue;
        seen[point] = stamp;
        const g = EDGE * point, mx = edges[g + 9] - x0, my = edges[g + 10] - x1, mz = edges[g + 11] - x2;
        // its way as the edge sees it
        const jx = v0 - edges[g + 6], jy = v1 - edges[g + 7], jz = v2 - edges[g + 8], far = edges[g + 12] + reach + 1e-9, mj = mx * jx + my * jy + mz * jz, jj = jx * jx + jy * jy + jz * jz, near = mj <= 0 ? 0 : mj >= h * jj ? h : mj / jj, nx = mx - near * jx, ny = my - near * jy, nz = mz - near * jz;
        // where it comes nearest to the edge's middle
        if (nx * nx + ny * ny + nz * nz > far * far) continue;
        J[0] = jx; J[1] = jy; J[2] = jz;
        if (!between(x, o, J, edges, g, close) || close[2] > reach || close[0] >= first) continue;
        // what leaves a lock does not hit it
        const t = close[1], along = jx * (edges[g] + t * (edges[g + 3] - edges[g]) - x0) + jy * (edges[g + 1] + t * (edges[g + 4] - edges[g + 1]) - x1) + jz * (edges[g + 2] + t * (edges[g + 5] - edges[g + 2]) - x2);
        if (along <= 0) continue;
        first = close[0]; host = point; hostT = t;
      }
    }
    if (host < 0) return 1;
    const s = this.strandAt![host];
    this.hit(system, d, s, host - system.start[s], hostT, h, time);
    return first;
  }

  /** One hit: momentum goes from the drop to the edge. */
  private hit(system: RodSystem, d: number, s: number, i: number, t: number, h: number, time: number): void {
    const { v, J, q, settings } = this, o = 3 * d, src = settings.sources[this.source[d]], m = this.mass(d);
    this.placeOn(system, s, i, t, h);
    const answer = this.answer(system, s, i, t), own = 1 / (1 / m + answer), rel = Math.hypot(v[o] - q[0], v[o + 1] - q[1], v[o + 2] - q[2]);
    // the drop's own numbers decide whether it stays
    const sticks = time >= this.until[d] && hashUnit((Math.imul(this.number[d] + 1, 40503) ^ src.seed) >>> 0) < src.sticks, back = sticks ? 1 : 1 + src.bounce, wanted = own * back * rel, most = answer > 0 ? HARDEST / answer : Infinity, share = wanted > most ? most / wanted : 1;
    for (let c = 0; c < 3; c++) { J[c] = share * own * back * (v[o + c] - q[c]); v[o + c] -= J[c] / m; }
    this.pushHair(system, s, i, t, h);
    if (!sticks || share < 1) { this.until[d] = Math.max(this.until[d], time); return; }
    this.state[d] = STUCK;
    this.strand[d] = s; this.edge[d] = i; this.at[d] = t;
    this.until[d] = time + src.stays * (0.4 + 1.2 * hashUnit((Math.imul(this.number[d] + 7, 9176) ^ src.seed) >>> 0));
  }

  /** With what it lies on, `left` s before the frame's end. */
  private lie(d: number, h: number, walls: DropWalls | null, left: number): void {
    const { x, v, lieOn } = this, o = 3 * d, t = 1 - left * this.settings.fps;
    if (!walls || lieOn[d] < 0) { for (let c = 0; c < 3; c++) v[o + c] = 0; return; }
    for (let c = 0; c < 3; c++) v[o + c] = -x[o + c];
    walls.placeInto(x, o, lieOn[d], this.lieFace[d], this.lieAt, o, t, this.lieSide[d] * (this.size[d] / 2));
    for (let c = 0; c < 3; c++) v[o + c] = (v[o + c] + x[o + c]) / h;
  }
  private lay(d: number, time: number, shell: number): void {
    this.lying[d] = 1;
    this.until[d] = time + LIES * (0.5 + hashUnit(this.number[d]));
    this.lieOn[d] = shell;
    if (shell < 0) return;
    this.lieFace[d] = this.goal[d];
    this.lieSide[d] = this.goalSide[d];
    for (let c = 0; c < 3; c++) this.lieAt[3 * d + c] = this.goalAt[3 * d + c];
  }
  /** Which face it comes to until the frame's end. */
  private look(d: number, walls: DropWalls, left: number): void {
    const { x, v } = this, o = 3 * d, fall = 0.5 * left * this.settings.gravity, wx = v[o], wy = v[o + 1] - fall, wz = v[o + 2], speed = Math.hypot(wx, wy, wz), r = this.size[d] / 2;
    this.goal[d] = -1;
    if (speed < 1e-6 || !walls.meet(x[o], x[o + 1], x[o + 2], wx / speed, wy / speed, wz / speed, speed * left + 2 * r + 0.004, this.fresh[d] === 1)) { this.fresh[d] = 0; return; }
    this.fresh[d] = 0;
    const { normal, weights } = walls, p = 4 * d;
    this.goal[d] = walls.face;
    this.goalShell[d] = walls.shell;
    this.goalSide[d] = walls.side;
    let along = 0;
    for (let c = 0; c < 3; c++) { this.goalAt[o + c] = weights[c]; this.plane[p + c] = normal[c]; }
    // where that place is at the frame's end
    walls.placeInto(this.p, 0, walls.shell, walls.face, weights, 0, 1);
    for (let c = 0; c < 3; c++) along += normal[c] * this.p[c];
    this.plane[p + 3] = along;
    if (walls.inside) for (let c = 0; c < 3; c++) x[o + c] = this.p[c] + r * normal[c];
  }
  /** On for `h` seconds that end `left` s before the frame's end; where skin, cloth or ground is in the way, it is stopped there. */
  private go(d: number, h: number, time: number, walls: DropWalls | null, left: number): void {
    const { x, v, plane, settings } = this, o = 3 * d, r = this.size[d] / 2, src = settings.sources[this.source[d]];
    if (walls && this.goal[d] === -2) this.look(d, walls, left + h);
    for (let c = 0; c < 3; c++) x[o + c] += h * v[o + c];
    if (!walls) return;
    if (this.goal[d] >= 0) {
      const p = 4 * d, far = plane[p] * x[o] + plane[p + 1] * x[o + 1] + plane[p + 2] * x[o + 2] - plane[p + 3];
      if (far < r) { this.bounce(d, plane, p, r - far, src.bounce, time, this.goalShell[d]); this.goal[d] = -2; return; }
    }
    const { spot } = this;
    spot[0] = x[o]; spot[1] = x[o + 1]; spot[2] = x[o + 2];
    const far = walls.solid.at(spot, spot);
    if (far < r) { this.bounce(d, walls.solid.found, 1, r - far, src.bounce, time, -1); this.goal[d] = -2; }
  }
  /** Off what it has met, whose normal stands at `n` of `N`; what is slow then lies. */
  private bounce(d: number, N: ArrayLike<number>, n: number, out: number, back: number, time: number, shell: number): void {
    const { x, v } = this, o = 3 * d, into = v[o] * N[n] + v[o + 1] * N[n + 1] + v[o + 2] * N[n + 2];
    for (let c = 0; c < 3; c++) { x[o + c] += out * N[n + c]; if (into < 0) v[o + c] = 0.85 * (v[o + c] - into * N[n + c]) - back * into * N[n + c]; }
    if (back * Math.abs(into) < 0.3) this.lay(d, time, shell);
  }

  /** Drops as they are, `DROP_NUMBERS` each; those on hair where their hair is now. */
  shown(system: RodSystem): Float32Array {
    const out = new Float32Array(DROP_NUMBERS * this.count), { x, v, p } = this;
    let at = 0;
    for (let d = 0; d < this.used; d++) {
      if (this.state[d] === GONE) continue;
      const stuck = this.state[d] === STUCK;
      if (stuck) this.placeOn(system, this.strand[d], this.edge[d], this.at[d], 1);
      out[at] = this.number[d];
      for (let c = 0; c < 3; c++) { out[at + 1 + c] = stuck ? p[c] : x[3 * d + c]; out[at + 4 + c] = v[3 * d + c]; }
      out[at + 7] = stuck ? -this.size[d] : this.size[d];
      at += DROP_NUMBERS;
    }
    return out;
  }
  /** Momentum of all drops, kg m/s. */
  momentum(): [number, number, number] { const s: [number, number, number] = [0, 0, 0]; for (let d = 0; d < this.used; d++) if (this.state[d] !== GONE) for (let c = 0; c < 3; c++) s[c] += this.mass(d) * this.v[3 * d + c]; return s; }
}

const cellOf = (x: number, y: number, z: number): number => (Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791)) & (HEADS - 1);
/** Strand of every point. */
function strandsOf(system: RodSystem): Int32Array { const out = new Int32Array(system.start[system.strandCount]); for (let s = 0; s < system.strandCount; s++) out.fill(s, system.start[s], system.start[s + 1]); return out; }
const longer = (list: Int32Array): Int32Array<ArrayBuffer> => { const out = new Int32Array(Math.max(4096, 2 * list.length)); out.set(list); return out; };
/** Where a way from the place at `o` of `x`, by `w` (velocity, and for how long), comes nearest to the line between the two places at `e` of `ends`: share of the way, share of the line, distance. **Source:** closest points of two segments, Ericson 2005, from memory. */
function between(x: Float64Array, o: number, w: Float64Array, ends: Float64Array, e: number, out: Float64Array): boolean {
  const h = w[3], d1x = h * w[0], d1y = h * w[1], d1z = h * w[2], d2x = ends[e + 3] - ends[e], d2y = ends[e + 4] - ends[e + 1], d2z = ends[e + 5] - ends[e + 2], rx = x[o] - ends[e], ry = x[o + 1] - ends[e + 1], rz = x[o + 2] - ends[e + 2];
  const A = d1x * d1x + d1y * d1y + d1z * d1z, E = d2x * d2x + d2y * d2y + d2z * d2z, f = d2x * rx + d2y * ry + d2z * rz;
  if (E < 1e-18) return false;
  let s = 0, t = f / E;
  if (A > 1e-18) {
    const c = d1x * rx + d1y * ry + d1z * rz, B = d1x * d2x + d1y * d2y + d1z * d2z, den = A * E - B * B;
    s = den > 1e-18 ? Math.min(1, Math.max(0, (B * f - c * E) / den)) : 0;
    t = (B * s + f) / E;
    if (t < 0) { t = 0; s = Math.min(1, Math.max(0, -c / A)); } else if (t > 1) { t = 1; s = Math.min(1, Math.max(0, (B - c) / A)); }
  } else t = Math.min(1, Math.max(0, t));
  out[0] = s; out[1] = t;
  const x0 = rx + s * d1x - t * d2x, y0 = ry + s * d1y - t * d2y, z0 = rz + s * d1z - t * d2z;
  out[2] = Math.sqrt(x0 * x0 + y0 * y0 + z0 * z0);
  return true;
}
