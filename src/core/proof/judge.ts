/** What a proof comes to: each measure's figure over the take, where it is worst, and whether it passes. */
import { limitOf, MEASURES, MEASURE_NAMES, type Limits, type MeasureName, type Measures, type Proof } from '../document/proof';

export interface Figure {
  /** In stored units. */
  value: number;
  /** Where it is worst; −1: nowhere in particular. */
  frame: number;
  guide: number;
}

/** m/s: slower than this the skin stands still; faster than the other it moves. */
const STILL = 0.06, MOVING = 0.15;
/** s of standing still before hair should have come to rest; m: hair as short as this cannot but follow. */
const RESTS = 0.5, SHORT = 0.04;

/** A measure's value in one frame; null where it has none there. */
export function valueIn(name: MeasureName, f: Measures): { value: number; guide: number } | null {
  switch (name) {
    case 'depth': return { value: f.depth, guide: f.depthGuide };
    case 'stretch': return { value: f.stretch, guide: f.stretchGuide };
    case 'jump': return { value: f.jump, guide: f.jumpGuide };
    case 'jitter': return { value: f.jitter, guide: f.jitterGuide };
    case 'drift': return { value: f.drift, guide: f.driftGuide };
    case 'strayed': return { value: f.strayed, guide: f.driftGuide };
    case 'volume': return { value: Math.max(0, 1 - f.volume), guide: -1 };
    case 'alike': return f.alike > 0 ? { value: f.alike, guide: -1 } : null;
    case 'dead': return f.carried > MOVING ? { value: Math.max(0, 1 - f.own / f.carried), guide: -1 } : null;
    case 'net': return { value: f.netUses, guide: -1 };
    case 'broken': return { value: f.broken.length, guide: -1 };
    default: return null;
  }
}

/** The values of a measure frame by frame. */
export function seriesOf(proof: Proof, name: MeasureName): Figure[] {
  if (name === 'dead' && proof.report.length < SHORT) return [];
  if (name === 'swing') {
    const wait = Math.round(RESTS * proof.fps);
    let still = 0;
    return proof.frames.flatMap((f) => { still = f.carried < STILL ? still + 1 : 0; return still > wait ? [{ frame: f.frame, value: f.own, guide: -1 }] : []; });
  }
  if (name === 'filled') return (proof.filled?.frames ?? []).map(([frame, value, guide]) => ({ frame, value, guide }));
  return proof.frames.flatMap((f) => { const v = valueIn(name, f); return v ? [{ frame: f.frame, ...v }] : []; });
}

/** What a measure comes to over the frames that are shown; null where it could not be measured. */
export function figureOf(proof: Proof, name: MeasureName): Figure | null {
  if (name === 'seam') return proof.seam && { value: proof.seam.gap, frame: proof.end, guide: proof.seam.gapGuide };
  if (name === 'seamSpeed') return proof.seam && { value: proof.seam.speed, frame: proof.end, guide: proof.seam.speedGuide };
  const shown = seriesOf(proof, name).filter((v) => v.frame >= proof.start);
  if (shown.length === 0) return null;
  const worst = shown.reduce((a, b) => (b.value > a.value ? b : a)), sum = shown.reduce((s, v) => s + v.value, 0);
  switch (MEASURES[name].judged) {
    case 'worst': return worst;
    case 'start': return shown[0].frame === proof.start && proof.seam === null ? shown[0] : null;
    case 'mean': return { ...worst, value: sum / shown.length };
    case 'once':
      if (name === 'net') return { ...worst, value: sum };
      // what is stiff shows over some frames
      return name === 'broken' ? worst : shown.length < 4 ? null : { ...worst, value: sum / shown.length };
  }
}

export interface Verdict { name: MeasureName; figure: Figure | null; limit: number; passes: boolean }
/** Every measure of a take against its limit; what could not be measured passes. */
export const judge = (proof: Proof, limits: Limits = {}): Verdict[] => MEASURE_NAMES.map((name) => {
  const figure = figureOf(proof, name), limit = limitOf(name, limits);
  return { name, figure, limit, passes: figure === null || figure.value <= limit };
});
export const passes = (proof: Proof, limits: Limits = {}): boolean => judge(proof, limits).every((v) => v.passes);

/** Places that are worst: the greatest values of the measures that are judged by strand, one to a strand and measure, worst against their limits first. */
export function worstList(proof: Proof, limits: Limits = {}, most = 12): (Figure & { name: MeasureName; limit: number; where: string })[] {
  const out: (Figure & { name: MeasureName; limit: number; where: string })[] = [];
  for (const name of ['depth', 'filled', 'stretch', 'jump', 'jitter', 'drift'] as const) {
    const limit = limitOf(name, limits), seen = new Map<number, Figure>();
    for (const v of seriesOf(proof, name)) {
      if (v.frame < proof.start || v.guide < 0 || v.value <= 0.5 * limit || (name === 'drift' && (v.frame !== proof.start || proof.seam !== null))) continue;
      if (v.value > (seen.get(v.guide)?.value ?? 0)) seen.set(v.guide, v);
    }
    for (const v of seen.values()) out.push({ ...v, name, limit, where: name === 'depth' ? colliderOf(proof, v) : name === 'filled' ? filledColliderOf(proof, v) : '' });
  }
  return out.sort((a, b) => b.value / (b.limit || 1) - a.value / (a.limit || 1) || a.frame - b.frame).slice(0, most);
}
/** What the deepest strand of a frame is below. */
export function colliderOf(proof: Proof, { frame, guide }: Pick<Figure, 'frame' | 'guide'>): string {
  const hit = proof.frames.find((f) => f.frame === frame)?.below.find(([, , g]) => g === guide);
  return hit ? (proof.report.colliders[hit[0]] ?? '') : '';
}

/** What the filled strand that is deepest in a frame is below, where that is the deepest that collider was gone into. */
function filledColliderOf({ filled }: Proof, { frame, value }: Figure): string {
  const hit = filled?.below.find(([, f, depth]) => f === frame && depth === value);
  return hit ? (filled!.colliders[hit[0]] ?? '') : '';
}
/** How deep each collider was gone into at most in the frames that are shown, by guides and by filled strands, deepest first. */
export function deepestBelow(proof: Proof): { collider: string; filled: boolean; depth: number; frame: number; guide: number }[] {
  const worst = new Map<number, { depth: number; frame: number; guide: number }>();
  for (const f of proof.frames) if (f.frame >= proof.start) for (const [c, depth, guide] of f.below) if (depth > (worst.get(c)?.depth ?? 0)) worst.set(c, { depth, frame: f.frame, guide });
  const guides = [...worst].map(([c, w]) => ({ collider: proof.report.colliders[c] ?? 'a collider', filled: false, ...w })), filled = (proof.filled?.below ?? []).map(([c, frame, depth, guide]) => ({ collider: proof.filled!.colliders[c] ?? 'a collider', filled: true, depth, frame, guide }));
  // a mesh in several parts is one
  const told = new Set<string>(), first = (w: { collider: string; filled: boolean }): boolean => { const key = `${w.filled} ${w.collider}`, is = !told.has(key); told.add(key); return is; };
  return [...guides, ...filled].filter((w) => w.depth > TOLD).sort((a, b) => b.depth - a.depth).filter(first);
}
/** m: what is less deep is not told collider by collider. */
const TOLD = 5e-5;

/** Value at the upper end of the ramp when a measure is shown on the hair: a quarter beyond its limit; of drift, which moving hair has a lot of, the most there is. */
export const heatTop = (name: 'depth' | 'stretch' | 'jump' | 'jitter' | 'drift', proof: Proof | null, limits: Limits = {}): number =>
  (name === 'drift' ? Math.max(limitOf(name, limits), ...(proof?.frames ?? []).map((f) => f.drift)) : 1.25 * limitOf(name, limits));
