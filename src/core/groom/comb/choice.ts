/** Chosen strands: how far each point of each guide is chosen, 0 … 1; guides × points, row by row. */
import { clamp, smoothStep } from '../../math/vec';

export type Choice = Float32Array;
export type HowToChoose = 'only' | 'add' | 'take';

/** Distances between neighbouring roots, m: the middle of each one's nearest. */
export function rootSpacing(roots: ArrayLike<number>): number {
  const n = roots.length / 3, nearest: number[] = [];
  // a sample is enough
  for (let g = 0; g < n; g += Math.max(1, Math.floor(n / 300))) {
    let least = Infinity;
    for (let h = 0; h < n; h++) if (h !== g) least = Math.min(least, (roots[3 * g] - roots[3 * h]) ** 2 + (roots[3 * g + 1] - roots[3 * h + 1]) ** 2 + (roots[3 * g + 2] - roots[3 * h + 2]) ** 2);
    nearest.push(Math.sqrt(least));
  }
  nearest.sort((a, b) => a - b);
  return nearest.length > 0 && Number.isFinite(nearest[0]) ? nearest[nearest.length >> 1] : 0.01;
}

/** Guides of which anything is chosen. */
export function chosenGuides(choice: Choice, points: number): number[] {
  const out: number[] = [];
  for (let g = 0; g < choice.length / points; g++) { for (let i = 0; i < points; i++) if (choice[g * points + i] > 0) { out.push(g); break; } }
  return out;
}
const strength = (choice: Choice, points: number, g: number): number => { let most = 0; for (let i = 0; i < points; i++) most = Math.max(most, choice[g * points + i]); return most; };

/** A choice with others put to it, taken from it, or in its place. */
export function chooseAlso(now: Choice | null, other: Choice, how: HowToChoose): Choice {
  if (how === 'only' || (!now && how === 'add')) return other.slice();
  if (!now) return new Float32Array(other.length);
  return now.map((v, i) => (how === 'add' ? Math.max(v, other[i]) : Math.min(v, 1 - other[i])));
}
/** Whole guides. */
export function wholeGuides(guides: Iterable<number>, count: number, points: number): Choice {
  const out = new Float32Array(count * points);
  for (const g of guides) if (g >= 0 && g < count) out.fill(1, g * points, (g + 1) * points);
  return out;
}
export const invertChoice = (choice: Choice): Choice => choice.map((v) => 1 - v);

/** Guides whose roots are within `reach` of a chosen one come in too; or, with `shrink`, those go that have one within it that is not chosen. */
export function growChoice(choice: Choice, points: number, roots: ArrayLike<number>, reach: number, shrink = false): Choice {
  const n = choice.length / points, on = Uint8Array.from({ length: n }, (_, g) => (strength(choice, points, g) > 0 ? 1 : 0)), out = choice.slice();
  for (let g = 0; g < n; g++) {
    if (on[g] !== (shrink ? 1 : 0)) continue;
    for (let h = 0; h < n; h++) {
      if (on[h] === on[g] || Math.hypot(roots[3 * g] - roots[3 * h], roots[3 * g + 1] - roots[3 * h + 1], roots[3 * g + 2] - roots[3 * h + 2]) > reach) continue;
      if (shrink) out.fill(0, g * points, (g + 1) * points);
      else out.set(choice.subarray(h * points, (h + 1) * points), g * points);
      break;
    }
  }
  return out;
}

/** A soft rim: guides outside are chosen less and less over `across` metres from the chosen roots. */
export function softenAcross(choice: Choice, points: number, roots: ArrayLike<number>, across: number): Choice {
  const n = choice.length / points, out = choice.slice(), on = chosenGuides(choice, points);
  if (!(across > 0)) return out;
  for (let g = 0; g < n; g++) {
    let far = Infinity, from = -1;
    for (const h of on) { const d = Math.hypot(roots[3 * g] - roots[3 * h], roots[3 * g + 1] - roots[3 * h + 1], roots[3 * g + 2] - roots[3 * h + 2]); if (d < far) { far = d; from = h; } }
    if (from < 0 || far >= across) continue;
    const w = 1 - smoothStep(0, across, far);
    for (let i = 0; i < points; i++) out[g * points + i] = Math.max(out[g * points + i], w * choice[from * points + i]);
  }
  return out;
}
/** Only from share `from` to share `to` of the length; between 0 and 1 over a share of `soft` at both. */
export function chooseAlong(choice: Choice, points: number, from: number, to: number, soft: number): Choice {
  return choice.map((v, k) => {
    const x = points > 1 ? (k % points) / (points - 1) : 0, s = Math.max(soft, 1e-6);
    return v === 0 ? 0 : Math.max(v, strength(choice, points, Math.floor(k / points))) * clamp((x - from) / s + 1) * clamp((to - x) / s + 1) * (x < from - s || x > to + s ? 0 : 1);
  });
}
