/**
 * Filled strands: roots thrown over the plot, each following the guides around it, then the treatments one after the other. The lists made
 * here hold all that is random or drawn, so that shapes follow from them and the guides alone. The strand shaders of the view
 * (src/editor/view/hair-shaders.ts) do the same with the same steps.
 */
import { hashUnit } from '../math/random';
import { profileAt } from '../math/profile';
import { clamp, smoothStep } from '../math/vec';
import { vertexNormals, weldByPosition, type Surface } from '../mesh/surface';
import { lengthsOf } from '../groom/polyline';
import { scatterByArea, type Density, type Planting } from '../groom/planting';
import { drive, strandRandom, type Driven } from './drivers';
import { FastFill } from './fast/fill-kernel';
import type { Sections } from './sections';
import * as step from './steps';
import { absorptionOfColour, absorptionOfPigments } from './pigment';
import { activeTreatments, kindOf, shortestWave, stepNumbers, type ShapingName, type Treatment } from './treatments';
import { fillWeights, type FillWeights } from './weights';

/** Points of a filled strand; closer together near the root. */
export const NODE_COUNTS = [16, 32, 64] as const;
/** Share of the length at node k of n. */
export const nodeAt = (k: number, n: number): number => Math.pow(k / (n - 1), SPACING);
const SPACING = 1.4;
/** The node nearest to a share of the length. */
export const nodeNear = (share: number, n: number): number => Math.round((n - 1) * Math.pow(share, 1 / SPACING));
/** Nodes a wave needs to be seen as one. */
const NODES_A_WAVE = 6;
/** Nodes that strands of such a length need for their treatments. */
export function nodesFor(treatments: readonly Treatment[], longest: number): number {
  // half-way along, where they are 1.1 of the even spacing apart
  const wanted = 1 + (1.1 * NODES_A_WAVE * longest) / shortestWave(treatments);
  return NODE_COUNTS.find((n) => n >= wanted) ?? NODE_COUNTS[NODE_COUNTS.length - 1];
}

export interface Look { widthUm: number; taper: number; tipFrom: number; widthSpread: number }
/** Thickness of node k of strand s, m: as the view draws it, each strand a little thicker or thinner; `widths`: as treatments have it (`FilledStrands`). */
export function widthAt(look: Look, s: number, k: number, nodes: number, widths: Float32Array | null): number {
  const own = (1 + look.widthSpread * (2 * hashUnit(16 * s + 8) - 1)) * (widths ? widths[nodes * s + k] : 1);
  return look.widthUm * 1e-6 * own * (1 + (look.taper - 1) * smoothStep(look.tipFrom, 1, nodeAt(k, nodes)));
}

/** One treatment, ready for all strands. */
export interface FillStep {
  id: string;
  kind: ShapingName;
  /** Parameters of the step (steps.ts). */
  numbers: Float64Array;
  /** Share of the amount at each node. */
  profile: Float32Array;
  /** 4 × strands. clump: amount, centre (−1 none), nodes of the centre per node of the strand, −. length, cut: nodes before per node after, −, −, −. Else amount and three random numbers. */
  own: Float32Array;
  /** Amount at each node of each strand in place of the first of `own` × profile; nodes × strands. */
  table: Float32Array | null;
}
export interface FilledStrands {
  nodes: number;
  /** Strands to be shown; after them come the centres of clumps. */
  count: number;
  roots: Planting;
  follow: FillWeights;
  /** 3 × all: normals of the skin, and places of the roots in the rest pose, m. */
  normals: Float32Array; places: Float32Array;
  /** 3 × guides: normals of the skin at their roots. */
  guideNormals: Float32Array;
  /** m: over about so much of its length a strand turns its guides' shapes with its own skin. */
  turn: number;
  steps: FillStep[];
  /** What treatments make of the width at each node, nodes × count; null for nothing. */
  widths: Float32Array | null;
  /** And of the absorption that gives the colour, 4 × nodes × count: how much of the strand's own is left, and what is added in red, green and blue; null for nothing. */
  tints: Float32Array | null;
  /** Number of the lock a strand is of. */
  locks: Float32Array;
  /** What could not be done, by treatment. */
  troubles: { id: string; message: string; at: number }[];
  /** Amounts of the treatments as driven, for plots: up to `SAMPLE` strands of each. */
  samples: Record<string, Float32Array>;
}
const SAMPLE = 2000;

export interface FillInput {
  surface: Surface;
  faces: ArrayLike<number>;
  guides: Planting;
  /** 3 × pointCount × guides: offsets from the root in the orientation of rest, m. */
  offsets: ArrayLike<number>; pointCount: number;
  /** Strands wanted now, always the beginning of the full list, with the same shapes; and of the finished groom. */
  count: number; full: number;
  seed: number;
  density: Density | null;
  sections: Sections | null;
  treatments: readonly Treatment[];
  /** m. */
  turn: number;
  nodes: number;
  /** By name. */
  maps: Readonly<Record<string, Density>>;
  /** A mesh in the rest pose, by name. */
  mesh: (name: string) => Surface | null;
}

/** Throws strands on the plot and readies the treatments; fewer strands come out where the density is nothing. */
export function fillPlot(input: FillInput): FilledStrands {
  const { surface, faces, guides, offsets, pointCount, seed, density, sections, nodes, turn } = input, alike = (g: number, h: number): number => likeness(offsets, pointCount, g, h);
  const active = activeTreatments(input.treatments), treatments = active.filter((t) => !kindOf(t).look), shown = scatterByArea(surface, faces, input.count, seed, density), count = shown.faces.length;
  const weigh = (roots: Planting): FillWeights => fillWeights(surface, guides, roots, alike, sections);

  // clumps from the last to the first: their centres are strands themselves, that the treatments before them shape
  interface Part { roots: Planting; follow: FillWeights; ids: Uint32Array; places: Float32Array }
  const part = (roots: Planting, ids: Uint32Array, follow = weigh(roots)): Part => ({ roots, ids, follow, places: placesOf(surface, roots) });
  const parts: { at: number; part: Part }[] = [{ at: treatments.length, part: part(shown, Uint32Array.from({ length: count }, (_, s) => s)) }], centreOf = new Map<number, { of: Part; centre: Int32Array; spacing: number }[]>();
  for (let i = treatments.length - 1; i >= 0; i--) {
    const t = treatments[i];
    if (t.kind !== 'clump' || count === 0) continue;
    const own = t.numbers.to === 1, all = own ? scatterByArea(surface, faces, Math.max(1, Math.ceil(input.full / t.numbers.size)), seed ^ Math.imul(t.seed + 1, 0x51ed27), density) : guides, follow = weigh(all), places = placesOf(surface, all), spacing = own ? spacingOf(places, follow) : 0;
    const finder = new CentreFinder(places, follow, alike, (s, p, own, c) => (sections ? sections.reach(p[3 * s], p[3 * s + 1], p[3 * s + 2], sections.greyOfGuide(own), follow.guides[4 * c], places[3 * c], places[3 * c + 1], places[3 * c + 2]) : 1)), found = parts.map((q) => ({ of: q.part, centre: finder.of(q.part.places, q.part.follow), spacing }));
    const used = [...new Set(found.flatMap((f) => [...f.centre]))].filter((c) => c >= 0).sort((a, b) => a - b), slot = new Map(used.map((c, k) => [c, k]));
    for (const f of found) for (let s = 0; s < f.centre.length; s++) f.centre[s] = f.centre[s] < 0 ? -1 : slot.get(f.centre[s])!;
    centreOf.set(i, found);
    const pick = (from: Planting): Planting => ({ faces: Uint32Array.from(used, (c) => from.faces[c]), weights: Float32Array.from(used.flatMap((c) => [from.weights[2 * c], from.weights[2 * c + 1]])) });
    const followed: FillWeights = { guides: Uint32Array.from(used.flatMap((c) => [...follow.guides.subarray(4 * c, 4 * c + 4)])), weights: Float32Array.from(used.flatMap((c) => [...follow.weights.subarray(4 * c, 4 * c + 4)])) };
    parts.push({ at: i, part: part(pick(all), Uint32Array.from(used, (c) => (Math.imul(i + 1, 0x1000000) + 0x40000000 + c) >>> 0), followed) });
  }
  const begins = new Map<Part, number>();
  let total = 0;
  for (const { part: q } of parts) { begins.set(q, total); total += q.ids.length; }
  const joined = <T extends Float32Array | Uint32Array>(make: (n: number) => T, each: number, of: (q: Part) => T): T => { const out = make(each * total); for (const { part: q } of parts) out.set(of(q), each * begins.get(q)!); return out; };
  const f32 = (n: number): Float32Array<ArrayBuffer> => new Float32Array(n), u32 = (n: number): Uint32Array<ArrayBuffer> => new Uint32Array(n);
  const roots: Planting = { faces: joined<Uint32Array>(u32, 1, (q) => q.roots.faces), weights: joined<Float32Array>(f32, 2, (q) => q.roots.weights) };
  const follow: FillWeights = { guides: joined<Uint32Array>(u32, 4, (q) => q.follow.guides), weights: joined<Float32Array>(f32, 4, (q) => q.follow.weights) };
  const ids = joined<Uint32Array>(u32, 1, (q) => q.ids), places = joined<Float32Array>(f32, 3, (q) => q.places), smooth = smoothNormals(surface), normals = normalsOf(smooth, surface, roots), guideNormals = normalsOf(smooth, surface, guides);
  const lengths = new Float32Array(total), guideLengths = lengthsOf(offsets, pointCount);
  for (let s = 0; s < total; s++) for (let q = 0; q < 4; q++) lengths[s] += follow.weights[4 * s + q] * guideLengths[follow.guides[4 * s + q]];
  const shares = Float32Array.from({ length: nodes }, (_, k) => nodeAt(k, nodes)), driving = { roots, ids, places, normals, lengths, maps: input.maps, shares };

  const made: FilledStrands = { nodes, count, roots, follow, normals, places, guideNormals, turn, steps: [], widths: null, tints: null, locks: Float32Array.from({ length: total }, (_, s) => s), troubles: [], samples: {} };
  /** Length of each strand after the treatments so far, as a share. */
  const left = new Float32Array(total).fill(1);
  treatments.forEach((t, i) => {
    const driven = drive(t.driver, t.seed, driving), own = new Float32Array(4 * total), profile = Float32Array.from(shares, (x) => profileAt(t.driver.profile, x));
    if (driven.trouble) made.troubles.push({ id: t.id, ...driven.trouble });
    made.samples[t.id] = sampleOf(driven, nodes, count);
    // a centre has been through what comes before its own clump, no more
    const working = parts.filter((q) => q.at > i).reduce((n, q) => n + q.part.ids.length, 0), one: FillStep = { id: t.id, kind: t.kind as ShapingName, numbers: stepNumbers(t, new Float64Array(8)), profile, own, table: driven.table };
    if (t.kind === 'clump') {
      for (const { of, centre, spacing } of centreOf.get(i) ?? []) {
        const at = begins.get(of)!, from = begins.get(parts.find((q) => q.at === i)!.part)!;
        for (let s = 0; s < centre.length; s++) {
          const o = at + s, c = centre[s];
          own[4 * o + 1] = c < 0 ? -1 : from + c;
          if (c < 0) continue;
          const far = Math.hypot(places[3 * o] - places[3 * (from + c)], places[3 * o + 1] - places[3 * (from + c) + 1], places[3 * o + 2] - places[3 * (from + c) + 2]), rim = t.numbers.rim * smoothStep(0.5, 1.1, far / Math.max(1e-6, spacing > 0 ? spacing : 0.01));
          own[4 * o] = Math.min(1, driven.amounts[o]) * (1 - rim);
          own[4 * o + 2] = Math.pow((lengths[o] * left[o]) / Math.max(1e-9, lengths[from + c] * left[from + c]), 1 / SPACING);
          if (driven.table) for (let k = 0; k < nodes; k++) driven.table[nodes * o + k] = Math.min(1, driven.table[nodes * o + k]) * (1 - rim);
          made.locks[o] = ids[from + c] & 0xffffff;
        }
      }
    } else if (t.kind === 'length' || t.kind === 'cut') {
      const crossing = t.kind === 'cut' ? crossings(made, t, input, lengths, left) : null;
      if (crossing?.trouble) made.troubles.push({ id: t.id, message: crossing.trouble, at: 0 });
      for (let s = 0; s < total; s++) {
        const a = s < working ? Math.min(1, driven.amounts[s]) : 0, share = Math.max(0.02, crossing ? 1 - a * (1 - crossing.shares[s]) : 1 - a * Math.pow(strandRandom(ids[s], t.seed, 1), t.numbers.even));
        own[4 * s] = Math.pow(share, 1 / SPACING);
        left[s] *= share;
      }
      one.table = null;
    } else for (let s = 0; s < working; s++) {
      own[4 * s] = driven.amounts[s];
      for (let k = 1; k < 4; k++) own[4 * s + k] = strandRandom(ids[s], t.seed, k);
      // the strands of a lock go together
      if (t.kind === 'curl' || t.kind === 'wave') { own[4 * s + 1] = t.numbers.phases * (strandRandom(made.locks[s], t.seed, 4) - 0.5) + t.numbers.within * (own[4 * s + 1] - 0.5); own[4 * s + 2] = strandRandom(made.locks[s], t.seed, 5); }
    }
    if (one.table) for (let s = working; s < total; s++) one.table.fill(0, nodes * s, nodes * (s + 1));
    if (!driven.trouble || driven.amounts.some((a) => a > 0)) made.steps.push(one);
  });
  for (const t of active) if (kindOf(t).look) dress(made, t, drive(t.driver, t.seed, driving), shares);
  return made;
}

/** Takes a treatment of the look into the widths and colours of the strands. */
function dress(made: FilledStrands, t: Treatment, driven: Driven, shares: Float32Array): void {
  const { nodes, count } = made, profile = Float32Array.from(shares, (x) => profileAt(t.driver.profile, x)), at = (s: number, k: number): number => profile[k] * (driven.table ? driven.table[nodes * s + k] : driven.amounts[s]);
  made.samples[t.id] = sampleOf(driven, nodes, count);
  if (driven.trouble) { made.troubles.push({ id: t.id, ...driven.trouble }); return; }
  if (t.kind === 'thickness') {
    const widths = (made.widths ??= new Float32Array(nodes * count).fill(1));
    for (let s = 0, o = 0; s < count; s++) for (let k = 0; k < nodes; k++, o++) widths[o] *= at(s, k);
    return;
  }
  const tints = (made.tints ??= Float32Array.from({ length: 4 * nodes * count }, (_, i) => (i % 4 === 0 ? 1 : 0))), colour = t.numbers.by === 1 ? absorptionOfColour(t.colour) : absorptionOfPigments(t.numbers.melanin, t.numbers.redness);
  for (let s = 0, o = 0; s < count; s++) for (let k = 0; k < nodes; k++, o += 4) {
    const share = Math.min(1, at(s, k));
    tints[o] *= 1 - share;
    for (let c = 0; c < 3; c++) tints[o + 1 + c] = (1 - share) * tints[o + 1 + c] + share * colour[c];
  }
}

function sampleOf({ amounts, table }: Driven, nodes: number, count: number): Float32Array {
  const n = Math.min(SAMPLE, count), out = new Float32Array(n);
  for (let k = 0; k < n; k++) { const s = Math.floor(((k + 0.5) * count) / n); out[k] = table ? table[nodes * s + Math.floor(((k * 7919) % 1000) / 1000 * nodes)] : amounts[s]; }
  return out;
}
function placesOf({ positions: V, triangles: T }: Surface, { faces, weights }: Planting): Float32Array {
  const out = new Float32Array(3 * faces.length);
  for (let s = 0; s < faces.length; s++) {
    const b = weights[2 * s], c = weights[2 * s + 1], a = 1 - b - c, f = 3 * faces[s];
    for (let k = 0; k < 3; k++) out[3 * s + k] = a * V[3 * T[f] + k] + b * V[3 * T[f + 1] + k] + c * V[3 * T[f + 2] + k];
  }
  return out;
}
/** Unit normals of vertices, seams of the file closed; by vertex as the mesh numbers them. */
function smoothNormals({ positions: V, triangles: T }: Surface): Float32Array {
  const weld = weldByPosition(V), N = vertexNormals(V, T.map((v) => weld[v]));
  return Float32Array.from({ length: V.length }, (_, i) => N[3 * weld[Math.floor(i / 3)] + (i % 3)]);
}
function normalsOf(N: Float32Array, { triangles: T }: Surface, { faces, weights }: Planting): Float32Array {
  const out = new Float32Array(3 * faces.length);
  for (let s = 0; s < faces.length; s++) {
    const w = [1 - weights[2 * s] - weights[2 * s + 1], weights[2 * s], weights[2 * s + 1]], n = [0, 0, 0];
    for (let q = 0; q < 3; q++) { const o = 3 * T[3 * faces[s] + q]; for (let k = 0; k < 3; k++) n[k] += w[q] * N[o + k]; }
    const l = Math.hypot(...n) || 1;
    for (let k = 0; k < 3; k++) out[3 * s + k] = n[k] / l;
  }
  return out;
}
/** 1 for guides that run the same way, 0 for guides combed apart; by their directions a third and two thirds along. */
function likeness(offsets: ArrayLike<number>, pointCount: number, g: number, h: number): number {
  let least = 1;
  for (let part = 1; part <= 2; part++) {
    const i = 3 * Math.round((part / 3) * (pointCount - 1)), a = 3 * pointCount * g + i, b = 3 * pointCount * h + i;
    const la = Math.sqrt(offsets[a] * offsets[a] + offsets[a + 1] * offsets[a + 1] + offsets[a + 2] * offsets[a + 2]), lb = Math.sqrt(offsets[b] * offsets[b] + offsets[b + 1] * offsets[b + 1] + offsets[b + 2] * offsets[b + 2]);
    least = Math.min(least, smoothStep(0.55, 0.85, (offsets[a] * offsets[b] + offsets[a + 1] * offsets[b + 1] + offsets[a + 2] * offsets[b + 2]) / (la * lb || 1)));
  }
  return least;
}

/** m: how far apart centres are, about: the middle distance from one to the next. */
function spacingOf(places: Float32Array, follow: FillWeights): number {
  const finder = new CentreFinder(places, follow, () => 1), n = places.length / 3, all: number[] = [];
  for (let c = 0; c < n && all.length < 400; c += Math.max(1, Math.floor(n / 400))) all.push(finder.nearestOther(c));
  return all.filter(Number.isFinite).sort((a, b) => a - b)[all.length >> 1] ?? 0.01;
}
/** Finds the centre of the clump a strand is of: the nearest of those that follow guides like its own. */
class CentreFinder {
  private readonly byGuide = new Map<number, number[]>();
  constructor(private readonly places: Float32Array, private readonly follow: FillWeights, private readonly alike: (g: number, h: number) => number, private readonly sameSide: (strand: number, places: Float32Array, own: number, centre: number) => number = () => 1) {
    for (let c = 0; c < places.length / 3; c++) { const g = follow.guides[4 * c], list = this.byGuide.get(g); if (list) list.push(c); else this.byGuide.set(g, [c]); }
  }
  private far(c: number, x: number, y: number, z: number): number { const p = this.places; return (p[3 * c] - x) ** 2 + (p[3 * c + 1] - y) ** 2 + (p[3 * c + 2] - z) ** 2; }
  of(places: Float32Array, follow: FillWeights): Int32Array {
    const out = new Int32Array(places.length / 3).fill(-1);
    for (let s = 0; s < out.length; s++) {
      const own = follow.guides[4 * s], x = places[3 * s], y = places[3 * s + 1], z = places[3 * s + 2];
      let least = Infinity;
      // guides that are heard are on its side of every line
      for (let q = 0; q < 4; q++) {
        const g = follow.guides[4 * s + q];
        if (follow.weights[4 * s + q] <= 0 || (q > 0 && this.alike(own, g) < 0.5)) continue;
        for (const c of this.byGuide.get(g) ?? []) { const d = this.far(c, x, y, z); if (d < least) { least = d; out[s] = c; } }
      }
      // where centres are few: the nearest of all that is not beyond a line nor combed apart
      if (out[s] < 0) for (let c = 0; c < this.places.length / 3; c++) { const d = this.far(c, x, y, z); if (d < least && this.alike(own, this.follow.guides[4 * c]) >= 0.5 && this.sameSide(s, places, own, c) > 0.5) { least = d; out[s] = c; } }
    }
    return out;
  }
  nearestOther(c: number): number {
    const p = this.places;
    let least = Infinity;
    for (let q = 0; q < 4; q++) for (const o of this.byGuide.get(this.follow.guides[4 * c + q]) ?? []) if (o !== c) least = Math.min(least, this.far(o, p[3 * c], p[3 * c + 1], p[3 * c + 2]));
    return Math.sqrt(least);
  }
}

/** Share of each strand's length that a cut leaves. */
function crossings(made: FilledStrands, t: Treatment, input: FillInput, lengths: Float32Array, left: Float32Array): { shares: Float32Array; trouble: string | null } {
  const total = lengths.length, shares = new Float32Array(total).fill(1), at = t.numbers.at, mesh = at === 2 ? input.mesh(t.mesh) : null;
  if (at === 0) { for (let s = 0; s < total; s++) shares[s] = Math.min(1, (t.numbers.lengthCm / 100) / Math.max(1e-9, lengths[s] * left[s])); return { shares, trouble: null }; }
  if (at === 2 && !mesh) return { shares, trouble: t.mesh ? `There is no mesh ${t.mesh} to cut at.` : 'Choose the mesh to cut at.' };
  const { nodes, places } = made, X = new FillShapes(made, false).at(input.offsets, input.pointCount), level = t.numbers.levelCm / 100;
  for (let s = 0; s < total; s++) {
    let along = 0, hit = -1;
    for (let k = 1; k < nodes && hit < 0; k++) {
      const o = 4 * (nodes * s + k), edge = X[o + 3], ax = X[o - 4] + places[3 * s], ay = X[o - 3] + places[3 * s + 1], az = X[o - 2] + places[3 * s + 2], by = X[o + 1] + places[3 * s + 1];
      if (!mesh) { if ((ay - level) * (by - level) < 0) hit = along + (edge * (ay - level)) / (ay - by); }
      else if (edge > 1e-9) {
        const d = [(X[o] - X[o - 4]) / edge, (X[o + 1] - X[o - 3]) / edge, (X[o + 2] - X[o - 2]) / edge], found = k === 1 ? null : mesh.raycast([ax, ay, az], d);
        if (found && found.distance <= edge) hit = along + found.distance;
      }
      along += edge;
    }
    if (hit >= 0) shares[s] = hit / Math.max(1e-9, X[4 * nodes * s + 3]);
  }
  return { shares, trouble: null };
}

/** Catmull–Rom through a guide's evenly spaced points at share u (0…1) of its length; writes to `out` at `o`. */
function guideAt(local: ArrayLike<number>, pointCount: number, g: number, u: number, out: Float64Array, o: number): void {
  const last = pointCount - 1, x = clamp(u) * last, i = Math.min(Math.floor(x), last - 1), f = x - i, p = 3 * (pointCount * g + i);
  for (let c = 0; c < 3; c++) {
    const b = local[p + c], d = local[p + 3 + c], a = i > 0 ? local[p - 3 + c] : 2 * b - d, e = i < last - 1 ? local[p + 6 + c] : 2 * d - b;
    out[o + c] = b + 0.5 * f * (d - a + f * (2 * a - 5 * b + 4 * d - e + f * (3 * (b - d) + e - a)));
  }
}
/** Of a guide at a node: place (3), chord from the node before (at node 0 the sum of them), how far it turns with the skin, that times its rise over the skin. */
const GUIDE_NUMBERS = 6;
/** Guides at the nodes of strands, `GUIDE_NUMBERS` × nodes × guides. */
function guideNodes(local: ArrayLike<number>, pointCount: number, { nodes, guideNormals: N, turn }: FilledStrands, out: Float64Array): Float64Array {
  for (let g = 0; g < local.length / (3 * pointCount); g++) {
    const first = GUIDE_NUMBERS * nodes * g;
    let sum = 0;
    for (let k = 0; k < nodes; k++) {
      const o = first + GUIDE_NUMBERS * k, b = o - GUIDE_NUMBERS;
      guideAt(local, pointCount, g, nodeAt(k, nodes), out, o);
      if (k > 0) sum += out[o + 3] = Math.sqrt((out[o] - out[b]) ** 2 + (out[o + 1] - out[b + 1]) ** 2 + (out[o + 2] - out[b + 2]) ** 2);
    }
    out[first + 3] = sum;
    for (let k = 1; k < nodes; k++) {
      const o = first + GUIDE_NUMBERS * k, far = turn > 0 ? (nodeAt(k, nodes) * sum) / turn : 0;
      out[o + 4] = turn > 0 ? 1 / (1 + far * far) : 0;
      out[o + 5] = out[o + 4] * (N[3 * g] * out[o] + N[3 * g + 1] * out[o + 1] + N[3 * g + 2] * out[o + 2]);
    }
  }
  return out;
}

/** Shapes of filled strands on the processor. Its arrays are kept from call to call. */
export class FillShapes {
  /** 4 × nodes × all strands: place from the root in the orientation of rest, m, and length of the edge that ends there; at node 0 the strand's length. */
  readonly X: Float32Array;
  private guides = new Float64Array(0);
  private readonly S = new Float64Array(step.STATE);
  private readonly shares: Float64Array;
  private readonly line: Float64Array;
  private readonly fast: FastFill | null;

  /** `fast`: four strands at once in float32, where that runs; else one after the other in float64. */
  constructor(private readonly strands: FilledStrands, fast = true) {
    const { nodes, roots } = strands;
    this.shares = Float64Array.from({ length: nodes }, (_, k) => nodeAt(k, nodes));
    this.fast = fast ? FastFill.of(strands, this.shares) : null;
    this.X = this.fast?.X ?? new Float32Array(4 * nodes * roots.faces.length);
    this.line = new Float64Array(3 * nodes);
  }

  /**
   * Shapes from the guides' (3 × pointCount × guides, offsets from their roots turned back to the rest orientation, m). `from … to − 1`: the strands
   * wanted, all by default; the centres of their clumps always come along.
   */
  at(local: ArrayLike<number>, pointCount: number, from = 0, to = this.strands.count): Float32Array {
    const { strands } = this, { nodes, count, roots } = strands, total = roots.faces.length, size = (GUIDE_NUMBERS * nodes * local.length) / (3 * pointCount);
    if (this.guides.length !== size) this.guides = new Float64Array(size);
    guideNodes(local, pointCount, strands, this.guides);
    this.fast?.guides(this.guides, GUIDE_NUMBERS);
    for (const [a, b] of [[from, to], [count, total]]) if (this.fast) this.fast.blend(a, b); else this.blend(a, b);
    for (const one of strands.steps) { this.apply(one, count, total); this.apply(one, from, to); }
    return this.X;
  }

  private blend(from: number, to: number): void {
    const { X, guides: G, strands: { nodes, follow, normals, guideNormals: N } } = this, stride = GUIDE_NUMBERS * nodes;
    for (let s = from; s < to; s++) {
      const w = 4 * s, g0 = follow.guides[w], g1 = follow.guides[w + 1], g2 = follow.guides[w + 2], g3 = follow.guides[w + 3], w0 = follow.weights[w], w1 = follow.weights[w + 1], w2 = follow.weights[w + 2], w3 = follow.weights[w + 3];
      const nx = normals[3 * s], ny = normals[3 * s + 1], nz = normals[3 * s + 2], o = 4 * nodes * s, a = 3 * g0, b = 3 * g1, c = 3 * g2, d = 3 * g3;
      const ax = w0 * N[a], ay = w0 * N[a + 1], az = w0 * N[a + 2], bx = w1 * N[b], by = w1 * N[b + 1], bz = w1 * N[b + 2], cx = w2 * N[c], cy = w2 * N[c + 1], cz = w2 * N[c + 2], dx = w3 * N[d], dy = w3 * N[d + 1], dz = w3 * N[d + 2];
      let sum = 0, lx = 0, ly = 0, lz = 0, x = 0, y = 0, z = 0;
      X[o] = X[o + 1] = X[o + 2] = 0;
      for (let k = 1, p = stride * g0 + GUIDE_NUMBERS, q = stride * g1 + GUIDE_NUMBERS, r = stride * g2 + GUIDE_NUMBERS, t = stride * g3 + GUIDE_NUMBERS; k < nodes; k++, p += GUIDE_NUMBERS, q += GUIDE_NUMBERS, r += GUIDE_NUMBERS, t += GUIDE_NUMBERS) {
        // each shape turned from its guide's skin to the strand's, about normal × normal by the sine, less and less: f ((n × m) × p) = f m (n · p) − f n (m · p)
        const e0 = G[p + 4] * (nx * G[p] + ny * G[p + 1] + nz * G[p + 2]), e1 = G[q + 4] * (nx * G[q] + ny * G[q + 1] + nz * G[q + 2]), e2 = G[r + 4] * (nx * G[r] + ny * G[r + 1] + nz * G[r + 2]), e3 = G[t + 4] * (nx * G[t] + ny * G[t + 1] + nz * G[t + 2]), m = w0 * G[p + 5] + w1 * G[q + 5] + w2 * G[r + 5] + w3 * G[t + 5];
        const px = w0 * G[p] + w1 * G[q] + w2 * G[r] + w3 * G[t] + m * nx - (e0 * ax + e1 * bx + e2 * cx + e3 * dx);
        const py = w0 * G[p + 1] + w1 * G[q + 1] + w2 * G[r + 1] + w3 * G[t + 1] + m * ny - (e0 * ay + e1 * by + e2 * cy + e3 * dy);
        const pz = w0 * G[p + 2] + w1 * G[q + 2] + w2 * G[r + 2] + w3 * G[t + 2] + m * nz - (e0 * az + e1 * bz + e2 * cz + e3 * dz);
        // the mean of shapes is shorter than they are: each edge gets the mean of their lengths
        const edge = w0 * G[p + 3] + w1 * G[q + 3] + w2 * G[r + 3] + w3 * G[t + 3], ex = px - lx, ey = py - ly, ez = pz - lz, h = edge / Math.sqrt(Math.max(1e-24, ex * ex + ey * ey + ez * ez)), i = o + 4 * k;
        x += h * ex; y += h * ey; z += h * ez;
        X[i] = x; X[i + 1] = y; X[i + 2] = z; X[i + 3] = edge;
        lx = px; ly = py; lz = pz;
        sum += edge;
      }
      X[o + 3] = sum;
    }
  }

  private apply(one: FillStep, from: number, to: number): void {
    if (this.fast) this.fast.apply(one, from, to);
    else if (one.kind === 'length' || one.kind === 'cut') this.shorten(one, from, to);
    else this.displace(one, from, to);
  }

  /** Each strand again, only as far as is left of it, with as many nodes. */
  private shorten({ own }: FillStep, from: number, to: number): void {
    const { X, line, strands: { nodes } } = this;
    for (let s = from; s < to; s++) {
      const per = own[4 * s], o = 4 * nodes * s;
      if (per >= 1) continue;
      for (let k = 0; k < nodes; k++) for (let c = 0; c < 3; c++) line[3 * k + c] = X[o + 4 * k + c];
      let bx = 0, by = 0, bz = 0, sum = 0;
      for (let k = 1; k < nodes; k++) {
        const x = k * per, i = Math.min(Math.floor(x), nodes - 2), f = x - i, b = 3 * i, q = o + 4 * k;
        for (let c = 0; c < 3; c++) {
          const B = line[b + c], D = line[b + 3 + c], A = i > 0 ? line[b - 3 + c] : 2 * B - D, E = i < nodes - 2 ? line[b + 6 + c] : 2 * D - B;
          X[q + c] = B + 0.5 * f * (D - A + f * (2 * A - 5 * B + 4 * D - E + f * (3 * (B - D) + E - A)));
        }
        const l = Math.sqrt((X[q] - bx) ** 2 + (X[q + 1] - by) ** 2 + (X[q + 2] - bz) ** 2);
        bx = X[q]; by = X[q + 1]; bz = X[q + 2];
        X[q + 3] = l;
        sum += l;
      }
      X[o + 3] = sum;
    }
  }

  private displace(one: FillStep, from: number, to: number): void {
    const { X, S, shares, strands: { nodes, normals, places } } = this, { kind, own, profile, table, numbers: A } = one, clumps = kind === 'clump', frames = one.kind === 'curl' || one.kind === 'wave' || one.kind === 'bend', wanders = one.kind === 'frizz', last = nodes - 1;
    for (let s = from; s < to; s++) {
      if (!(own[4 * s] > 0)) continue;
      const o = 4 * nodes * s, centre = clumps ? own[4 * s + 1] : -1;
      if (clumps && centre < 0) continue;
      const per = own[4 * s + 2], oc = 4 * nodes * centre, cx = clumps ? places[3 * centre] - places[3 * s] : 0, cy = clumps ? places[3 * centre + 1] - places[3 * s + 1] : 0, cz = clumps ? places[3 * centre + 2] - places[3 * s + 2] : 0, twisted = clumps && A[0] !== 0;
      S[0] = X[o]; S[1] = X[o + 1]; S[2] = X[o + 2];
      S[9] = X[o + 3];
      S[11] = own[4 * s + 1]; S[12] = own[4 * s + 2]; S[13] = own[4 * s + 3];
      S[23] = normals[3 * s]; S[24] = normals[3 * s + 1]; S[25] = normals[3 * s + 2];
      if (frames) { this.tangent(o, 0, last); step.begin(S); }
      S[26] = S[0]; S[27] = S[1]; S[28] = S[2];
      let along = 0, qx = S[0], qy = S[1], qz = S[2], x = qx, y = qy, z = qz, nx = X[o + 4], ny = X[o + 5], nz = X[o + 6];
      for (let k = 1; k <= last; k++) {
        const i = o + 4 * k, edge = X[i + 3];
        along += edge;
        const px = nx, py = ny, pz = nz;
        S[0] = px; S[1] = py; S[2] = pz;
        S[6] = edge; S[7] = shares[k]; S[8] = along;
        S[10] = table ? table[nodes * s + k] * profile[k] : own[4 * s] * profile[k];
        if (k < last) { nx = X[i + 4]; ny = X[i + 5]; nz = X[i + 6]; }
        if (frames || wanders) {
          // the node before has been moved already, its old place is known
          const bx = S[26], by = S[27], bz = S[28], ex = nx - bx, ey = ny - by, ez = nz - bz, l = 1 / Math.sqrt(Math.max(1e-30, ex * ex + ey * ey + ez * ez));
          S[14] = l * ex; S[15] = l * ey; S[16] = l * ez;
          if (wanders) { S[26] = px; S[27] = py; S[28] = pz; }
        } else if (clumps) {
          const u = k * per, j = Math.min(Math.floor(u), last - 1), f = u - j, a = oc + 4 * j, ux = X[a + 4] - X[a], uy = X[a + 5] - X[a + 1], uz = X[a + 6] - X[a + 2];
          S[17] = cx + X[a] + f * ux; S[18] = cy + X[a + 1] + f * uy; S[19] = cz + X[a + 2] + f * uz;
          if (twisted) { const l = 1 / Math.sqrt(Math.max(1e-30, ux * ux + uy * uy + uz * uz)); S[20] = l * ux; S[21] = l * uy; S[22] = l * uz; }
        }
        // by name, so that each is compiled into the loop
        switch (kind) {
          case 'clump': step.clump(S, A); break;
          case 'curl': step.curl(S, A); break;
          case 'wave': step.wave(S, A); break;
          case 'frizz': step.frizz(S, A); break;
          case 'stray': step.stray(S, A); break;
          default: step.bend(S, A);
        }
        let ex = S[3] - qx, ey = S[4] - qy, ez = S[5] - qz;
        const dx = qx - x, dy = qy - y, dz = qz - z, d = (ex * dx + ey * dy + ez * dz) / Math.max(1e-24, ex * ex + ey * ey + ez * ez), c = step.toward(ex, ey, ez, dx, dy, dz);
        ex += c * (dx - d * ex); ey += c * (dy - d * ey); ez += c * (dz - d * ez);
        const m = edge / Math.max(1e-12, Math.sqrt(ex * ex + ey * ey + ez * ez));
        x += m * ex; y += m * ey; z += m * ez;
        X[i] = x; X[i + 1] = y; X[i + 2] = z;
        qx = S[3]; qy = S[4]; qz = S[5];
      }
    }
  }
  /** Tangent at the root into the state. */
  private tangent(o: number, k: number, last: number): void {
    const { X, S } = this, a = o + 4 * Math.max(0, k - 1), b = o + 4 * Math.min(last, k + 1), ex = X[b] - X[a], ey = X[b + 1] - X[a + 1], ez = X[b + 2] - X[a + 2], l = 1 / Math.sqrt(Math.max(1e-30, ex * ex + ey * ey + ez * ez));
    S[14] = l * ex; S[15] = l * ey; S[16] = l * ez;
  }

  /** Shapes into the world: 3 × nodes × strands shown, m. `motions`: rotation and place of every strand's root, 7 numbers each. */
  place(motions: ArrayLike<number>, out: Float32Array, from = 0, to = this.strands.count): Float32Array {
    const { X, strands: { nodes } } = this;
    for (let s = from; s < to; s++) {
      const m = 7 * s, qx = motions[m], qy = motions[m + 1], qz = motions[m + 2], qw = motions[m + 3], rx = motions[m + 4], ry = motions[m + 5], rz = motions[m + 6];
      for (let k = 0; k < nodes; k++) {
        const i = 4 * (nodes * s + k), o = 3 * (nodes * s + k), x = X[i], y = X[i + 1], z = X[i + 2], tx = 2 * (qy * z - qz * y), ty = 2 * (qz * x - qx * z), tz = 2 * (qx * y - qy * x);
        out[o] = rx + x + qw * tx + qy * tz - qz * ty;
        out[o + 1] = ry + y + qw * ty + qz * tx - qx * tz;
        out[o + 2] = rz + z + qw * tz + qx * ty - qy * tx;
      }
    }
    return out;
  }
}
