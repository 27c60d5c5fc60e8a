/**
 * Frames of a run as few bytes: places as whole steps of twice the stated error, or to the bit; of each only what it differs by, along the
 * strand, from going on as it went in the frames before; small numbers in few bytes, deflated by groups of frames so that any
 * frame is near at hand.
 *
 * A file is `FCF1`, the length of a JSON head (u32), the head, and the groups one after the other.
 */
import { unzlibSync, zlibSync } from 'fflate';
import { z } from 'zod';
import { requireContract } from '../contract';
import { DROP_NUMBERS } from '../drops/drop-run';
import { OF_STRAND, STRAND_NUMBERS } from '../proof/strand-meter';

const MAGIC = 0x31464346;
/** Frames of a group. */
const GROUP = 12;
/** m: the usual greatest error of a coordinate. */
export const FRAME_ERROR = 1e-5;
/** Of a strand's numbers, those that are kept and the step each is kept to. */
const KEPT: readonly (readonly [number, number])[] = [[OF_STRAND.depth, 1e-6], [OF_STRAND.collider, 1], [OF_STRAND.stretch, 1e-6], [OF_STRAND.jump, 0.01], [OF_STRAND.jitter, 1e-6], [OF_STRAND.drift, 1e-5]];

const headSchema = z.object({
  first: z.number().int(), count: z.number().int().min(1).max(100000), pointCount: z.number().int().min(2).max(64), guides: z.number().int().min(1).max(100000), /** m; 0: every bit of a float32, as whole numbers in their order. */
  step: z.number().min(0),
  groups: z.array(z.object({ frame: z.number().int(), frames: z.number().int().min(1), bytes: z.number().int().min(1), /** Drops behind the rest, where any frame of the file has them. */ drops: z.boolean().optional() })),
});
export interface PackedFrames { points: Float32Array; strands: Float32Array; /** Drops of the frame, `DROP_NUMBERS` each; none where left out. */ drops?: Float32Array }
export class FrameFileError extends Error {}

/** Whole numbers of either sign as bytes, seven bits each, small ones in one. */
class Writer {
  private bytes = new Uint8Array(1 << 16);
  private at = 0;
  put(value: number): void {
    let u = value < 0 ? -2 * value - 1 : 2 * value;
    if (this.at + 8 > this.bytes.length) { const more = new Uint8Array(2 * this.bytes.length); more.set(this.bytes); this.bytes = more; }
    while (u >= 128) { this.bytes[this.at++] = (u % 128) | 128; u = Math.floor(u / 128); }
    this.bytes[this.at++] = u;
  }
  taken(): Uint8Array { return this.bytes.subarray(0, this.at); }
}
class Reader {
  private at = 0;
  constructor(private readonly bytes: Uint8Array) {}
  get(): number {
    const { bytes } = this, b = bytes[this.at++];
    if (b < 128) return (b >>> 1) ^ -(b & 1);
    const c = bytes[this.at++];
    if (c < 128) { const u = (c << 7) | (b & 127); return (u >>> 1) ^ -(u & 1); }
    let u = (b & 127) + (c & 127) * 128, scale = 16384;
    for (;;) {
      if (this.at >= bytes.length) throw new FrameFileError('The frames end in the middle.');
      const d = bytes[this.at++];
      u += (d & 127) * scale;
      if (d < 128) break;
      scale *= 128;
    }
    return u % 2 === 1 ? -(u + 1) / 2 : u / 2;
  }
}

const FLOAT = new Float32Array(1), BITS = new Int32Array(FLOAT.buffer);
/** A float32 as a whole number, in the order of the numbers themselves; −0 is 0. */
function wholeOf(value: number): number { FLOAT[0] = value; const b = BITS[0]; return b < 0 ? -(b & 0x7fffffff) : b; }
function floatOf(whole: number): number { BITS[0] = whole < 0 ? -whole | 0x80000000 : whole; return FLOAT[0]; }

/** m, m/s, m: to which places, velocities and sizes of drops are kept. */
const DROP_STEPS = [1, 1e-4, 1e-4, 1e-4, 1e-2, 1e-2, 1e-2, 1e-5] as const;
/** Number by number, each as what it differs by from the drop before. */
function putDrops(writer: Writer, drops: Float32Array): void {
  const count = drops.length / DROP_NUMBERS;
  writer.put(count);
  for (let c = 0; c < DROP_NUMBERS; c++) { let last = 0; for (let d = 0; d < count; d++) { const q = Math.round(drops[DROP_NUMBERS * d + c] / DROP_STEPS[c]); writer.put(q - last); last = q; } }
}
function getDrops(reader: Reader): Float32Array {
  const count = reader.get();
  if (count < 0 || count > 1e6) throw new FrameFileError('The drops of the frames are damaged.');
  const out = new Float32Array(DROP_NUMBERS * count);
  for (let c = 0; c < DROP_NUMBERS; c++) { let last = 0; for (let d = 0; d < count; d++) { last += reader.get(); out[DROP_NUMBERS * d + c] = last * DROP_STEPS[c]; } }
  return out;
}

/**
 * Packs frames that follow one another from `first`: 3 × pointCount × guides places (m) each, and the numbers of their
 * strands. No coordinate is off by more than `error` m, none at all with an error of 0; places that are no numbers are refused.
 */
export function packFrames(frames: readonly PackedFrames[], first: number, pointCount: number, error = FRAME_ERROR): Uint8Array {
  requireContract(frames.length > 0, 'frames', 'at least one frame', frames.length);
  const size = frames[0].points.length, guides = size / (3 * pointCount), step = 2 * error, parts: Uint8Array[] = [], groups: { frame: number; frames: number; bytes: number }[] = [];
  for (let from = 0; from < frames.length; from += GROUP) {
    const writer = new Writer(), some = frames.slice(from, from + GROUP);
    let before = new Float64Array(size), way = new Float64Array(size);
    const wet = frames.some((x) => x.drops);
    for (const [f, { points, strands, drops }] of some.entries()) {
      requireContract(points.length === size && strands.length === STRAND_NUMBERS * guides, 'frames', `${size} numbers and ${STRAND_NUMBERS * guides} of strands each`, points.length);
      const now = new Float64Array(size);
      for (let k = 0; k < size; k++) {
        const q = step > 0 ? Math.round(points[k] / step) : wholeOf(points[k]);
        if (!Number.isSafeInteger(q) || !Number.isFinite(points[k])) throw new FrameFileError(`A place of the frames is no number (guide ${Math.floor(k / (3 * pointCount))}).`);
        now[k] = q;
      }
      for (let c = 0; c < 3; c++) for (let g = 0; g < guides; g++) {
        let last = 0;
        for (let i = 0; i < pointCount; i++) {
          const k = 3 * (g * pointCount + i) + c, change = now[k] - before[k] - way[k];
          writer.put(change - last);
          last = change;
        }
      }
      for (const [n, s] of KEPT) for (let g = 0; g < guides; g++) writer.put(Math.round(Math.min(1e9, strands[STRAND_NUMBERS * g + n] / s)));
      if (wet) putDrops(writer, drops ?? new Float32Array(0));
      if (f > 0) way = now.map((v, k) => v - before[k]);
      before = now;
    }
    const packed = zlibSync(writer.taken(), { level: 6 });
    parts.push(packed);
    groups.push({ frame: first + from, frames: some.length, bytes: packed.length, ...(wet ? { drops: true } : {}) });
  }
  const head = new TextEncoder().encode(JSON.stringify({ first, count: frames.length, pointCount, guides, step, groups })), out = new Uint8Array(8 + head.length + parts.reduce((n, p) => n + p.length, 0)), view = new DataView(out.buffer);
  view.setUint32(0, MAGIC, true);
  view.setUint32(4, head.length, true);
  out.set(head, 8);
  let at = 8 + head.length;
  for (const p of parts) { out.set(p, at); at += p.length; }
  return out;
}

/** The frames of a file, by number; with `only`, just the group that holds that frame. Throws `FrameFileError` for what is no such file. */
export function unpackFrames(bytes: Uint8Array, only?: number): { pointCount: number; guides: number; frames: Map<number, PackedFrames> } {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 8 || view.getUint32(0, true) !== MAGIC || 8 + view.getUint32(4, true) > bytes.length) throw new FrameFileError('These are no frames of a take.');
  const start = 8 + view.getUint32(4, true);
  let json: unknown;
  try { json = JSON.parse(new TextDecoder().decode(bytes.subarray(8, start))); } catch { throw new FrameFileError('The head of the frames cannot be read.'); }
  const parsed = headSchema.safeParse(json);
  if (!parsed.success) throw new FrameFileError('The head of the frames cannot be read.');
  const { pointCount, guides, step, groups } = parsed.data, size = 3 * pointCount * guides, frames = new Map<number, PackedFrames>();
  let at = start;
  for (const group of groups) {
    const packed = bytes.subarray(at, at + group.bytes);
    at += group.bytes;
    if (only !== undefined && (only < group.frame || only >= group.frame + group.frames)) continue;
    let plain: Uint8Array;
    try { plain = unzlibSync(packed); } catch { throw new FrameFileError(`The frames from ${group.frame} to ${group.frame + group.frames - 1} are damaged.`); }
    const reader = new Reader(plain), now = new Float64Array(size), way = new Float64Array(size);
    for (let f = 0; f < group.frames; f++) {
      const points = new Float32Array(size), strands = new Float32Array(STRAND_NUMBERS * guides);
      for (let c = 0; c < 3; c++) for (let g = 0; g < guides; g++) {
        let last = 0;
        for (let i = 0; i < pointCount; i++) {
          const k = 3 * (g * pointCount + i) + c;
          last += reader.get();
          const change = last + way[k];
          now[k] += change;
          if (f > 0) way[k] = change;
          points[k] = step > 0 ? now[k] * step : floatOf(now[k]);
        }
      }
      for (const [n, s] of KEPT) for (let g = 0; g < guides; g++) strands[STRAND_NUMBERS * g + n] = reader.get() * s;
      frames.set(group.frame + f, group.drops ? { points, strands, drops: getDrops(reader) } : { points, strands });
    }
  }
  return { pointCount, guides, frames };
}
