/**
 * Some of the guides stand for all: those that are spread most evenly are computed, the others move as their nearest do. For
 * a movement that has to answer the hand at once.
 */
import type { Planting } from '../groom/planting';
import type { SwaySettings } from '../document/schema';

/** Computed guides that another one follows. */
const LEADERS = 3;

/** The first `count` of the guides when each next one is the farthest from those before; `roots`: 3 × guides, m. Ascending. */
export function evenSubset(roots: ArrayLike<number>, count: number): Int32Array {
  const n = roots.length / 3, near = new Float64Array(n).fill(Infinity), out: number[] = [];
  let next = 0;
  while (out.length < Math.min(count, n)) {
    out.push(next);
    let far = -1;
    const from = next;
    for (let g = 0; g < n; g++) {
      const d = (roots[3 * g] - roots[3 * from]) ** 2 + (roots[3 * g + 1] - roots[3 * from + 1]) ** 2 + (roots[3 * g + 2] - roots[3 * from + 2]) ** 2;
      if (d < near[g]) near[g] = d;
      if (near[g] > far) { far = near[g]; next = g; }
    }
  }
  return Int32Array.from(out.sort((a, b) => a - b));
}

/** The planting and shapes of those guides only. */
export function ofSubset(which: Int32Array, planting: Planting, offsets: Float32Array, pointCount: number): { planting: Planting; offsets: Float32Array } {
  const stride = 3 * pointCount, out = { planting: { faces: new Uint32Array(which.length), weights: new Float32Array(2 * which.length) }, offsets: new Float32Array(stride * which.length) };
  which.forEach((g, k) => {
    out.planting.faces[k] = planting.faces[g];
    out.planting.weights.set(planting.weights.subarray(2 * g, 2 * g + 2), 2 * k);
    out.offsets.set(offsets.subarray(stride * g, stride * (g + 1)), stride * k);
  });
  return out;
}
/** The settings with ties that know their guides among those; a tie without any is left out. */
export function settingsOfSubset(which: Int32Array, settings: SwaySettings): SwaySettings {
  const place = new Map(Array.from(which, (g, k) => [g, k]));
  return { ...settings, ties: settings.ties.map((t) => ({ ...t, guides: t.guides.flatMap((g) => place.get(g) ?? []) })).filter((t) => t.guides.length > 0) };
}

export class FewGuides {
  /** `LEADERS` a guide: numbers among the computed ones, and weights that sum to 1. */
  private readonly leaders: Int32Array;
  private readonly weights: Float64Array;
  /** `roots`: 3 × guides, m; `combed`: groomed shapes from the root, 3 × points × guides, m. */
  constructor(readonly which: Int32Array, roots: ArrayLike<number>, private readonly combed: ArrayLike<number>, private readonly pointCount: number) {
    const n = roots.length / 3, few = Math.min(LEADERS, which.length);
    this.leaders = new Int32Array(LEADERS * n);
    this.weights = new Float64Array(LEADERS * n);
    for (let g = 0; g < n; g++) {
      const all = Array.from(which, (w, k) => ({ k, d: Math.hypot(roots[3 * w] - roots[3 * g], roots[3 * w + 1] - roots[3 * g + 1], roots[3 * w + 2] - roots[3 * g + 2]) })).sort((a, b) => a.d - b.d || a.k - b.k).slice(0, few);
      const own = all[0].d < 1e-9 ? [1, 0, 0] : all.map((a) => 1 / a.d ** 2), sum = own.reduce((s, w) => s + w, 0);
      all.forEach((a, i) => { this.leaders[LEADERS * g + i] = a.k; this.weights[LEADERS * g + i] = (own[i] ?? 0) / sum; });
    }
  }
  /**
   * Shapes of all guides from their roots, 3 × points × guides, from those of the computed ones (`local`): every point goes
   * by what the same point of its leaders went from the groomed shape, longer strands further; edges keep their lengths.
   */
  spread(local: ArrayLike<number>, out: Float32Array): void {
    const { pointCount: n, leaders, weights, combed, which } = this, stride = 3 * n, lengths = (o: number, of: ArrayLike<number>): number => { let l = 0; for (let p = o + 3; p < o + stride; p += 3) l += Math.hypot(of[p] - of[p - 3], of[p + 1] - of[p - 2], of[p + 2] - of[p - 1]); return l; };
    for (let g = 0; g < out.length / stride; g++) {
      const o = stride * g, first = LEADERS * g;
      if (weights[first] === 1) { for (let k = 0; k < stride; k++) out[o + k] = local[stride * leaders[first] + k]; continue; }
      const own = lengths(o, combed);
      for (let k = 0; k < stride; k++) out[o + k] = combed[o + k];
      for (let i = 0; i < LEADERS; i++) {
        const w = weights[first + i], lead = stride * leaders[first + i], from = stride * which[leaders[first + i]];
        if (w === 0) continue;
        const scale = Math.min(3, own / Math.max(1e-6, lengths(from, combed)));
        for (let k = 0; k < stride; k++) out[o + k] += w * scale * (local[lead + k] - combed[from + k]);
      }
      // root to tip, every edge gets its own length back
      let px = combed[o], py = combed[o + 1], pz = combed[o + 2], qx = out[o], qy = out[o + 1], qz = out[o + 2];
      out[o] = px; out[o + 1] = py; out[o + 2] = pz;
      for (let p = o + 3; p < o + stride; p += 3) {
        const ex = out[p] - qx, ey = out[p + 1] - qy, ez = out[p + 2] - qz, want = Math.hypot(combed[p] - combed[p - 3], combed[p + 1] - combed[p - 2], combed[p + 2] - combed[p - 1]), l = Math.hypot(ex, ey, ez) || 1;
        qx = out[p]; qy = out[p + 1]; qz = out[p + 2];
        px += (ex * want) / l; py += (ey * want) / l; pz += (ez * want) / l;
        out[p] = px; out[p + 1] = py; out[p + 2] = pz;
      }
    }
  }
}
