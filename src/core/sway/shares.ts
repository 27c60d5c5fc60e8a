/**
 * A run shared among workers: each computes some of the guides and writes its points straight into frames that all share.
 * Any number of shares gives the same result to the bit; where guides act on each other the shares run in step (`coupling.ts`).
 */
import type { Seam } from '../document/proof';
import { STRAND_NUMBERS } from '../proof/strand-meter';
import type { FrameMeasures, StartReport } from './run-report';

/** First guide of each share and the end: even shares, whole groups of four guides where it can be. */
export function shareBounds(guides: number, shares: number): number[] {
  const groups = Math.ceil(guides / 4), many = Math.max(1, Math.min(shares, groups || 1));
  return Array.from({ length: many + 1 }, (_, k) => Math.min(guides, 4 * Math.round((groups * k) / many)));
}

/** Measures of one frame of two shares as those of both. */
export function joinMeasures(a: FrameMeasures, b: FrameMeasures): FrameMeasures {
  const stretch = b.stretch > a.stretch ? b : a, depth = b.depth > a.depth ? b : a;
  return { ...a, stretch: stretch.stretch, stretchGuide: stretch.stretchGuide, depth: depth.depth, depthGuide: depth.depthGuide, netUses: a.netUses + b.netUses, contacts: a.contacts + b.contacts, press: Math.max(a.press, b.press), ...(a.seam && b.seam ? { seam: joinSeams(a.seam, b.seam) } : {}) };
}
function joinSeams(a: Seam, b: Seam): Seam {
  const gap = b.gap > a.gap ? b : a, speed = b.speed > a.speed ? b : a;
  return { gap: gap.gap, gapGuide: gap.gapGuide, speed: speed.speed, speedGuide: speed.speedGuide };
}

/** A share's measures with guides numbered as in the whole groom. */
export function renumber(measures: FrameMeasures, from: number): FrameMeasures {
  const moved = (guide: number): number => (guide < 0 ? -1 : guide + from), { seam } = measures;
  return { ...measures, stretchGuide: moved(measures.stretchGuide), depthGuide: moved(measures.depthGuide), ...(seam ? { seam: { ...seam, gapGuide: moved(seam.gapGuide), speedGuide: moved(seam.speedGuide) } } : {}) };
}

/** Lists of the shares, one after the other. */
export function joined(parts: readonly Float32Array[]): Float32Array<ArrayBuffer> {
  const out = new Float32Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of parts) { out.set(p, at); at += p.length; }
  return out;
}

/** What two shares found at the start as what both found. */
export function joinReports(a: StartReport, b: StartReport): StartReport {
  const guides = a.guides + b.guides, heldShare = guides > 0 ? (a.heldShare * a.guides + b.heldShare * b.guides) / guides : 0;
  return { ...a, guides, heldShare, cut: a.cut + b.cut, beganInside: a.beganInside + b.beganInside, beganDeepest: Math.max(a.beganDeepest, b.beganDeepest), rooted: a.rooted + b.rooted, beganNear: a.beganNear + b.beganNear, notes: [...new Set([...a.notes, ...b.notes])] };
}

/** Frames in shared memory, one after the other from `firstFrame`, each with its points and the numbers of its strands; a ring of `room` frames. */
export class SharedFrames {
  private readonly each: number;
  constructor(readonly memory: SharedArrayBuffer, private readonly pointNumbers: number, private readonly guides: number, private readonly firstFrame: number, private readonly room: number) { this.each = pointNumbers + STRAND_NUMBERS * guides; }
  static bytes(pointNumbers: number, guides: number, room: number): number { return 4 * (pointNumbers + STRAND_NUMBERS * guides) * room; }
  /** The points of a frame, 3 × points of the whole groom, in the shared memory itself. */
  frame(frame: number): Float32Array { return new Float32Array(this.memory, this.at(frame), this.pointNumbers); }
  /** Numbers of its strands, `STRAND_NUMBERS` each. */
  strands(frame: number): Float32Array { return new Float32Array(this.memory, this.at(frame) + 4 * this.pointNumbers, STRAND_NUMBERS * this.guides); }
  private at(frame: number): number { return 4 * this.each * ((frame - this.firstFrame) % this.room); }
}
