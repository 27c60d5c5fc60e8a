/**
 * Frames of a run as few bytes: places as whole steps of twice the stated error, or to the bit; of each only what it differs by from going on as it
 * went in the frames before, and of that only what it differs by from going on as it does along the strand; small numbers in few bytes, deflated by groups of frames so that any
 * frame is near at hand.
 *
 * A file is `FCF1`, the length of a JSON head (u32), the head, and the groups one after the other.
 */
import { Unzlib, zlibSync } from 'fflate';
import { z } from 'zod';
import { requireContract } from '../contract';
import { OF_STRAND, STRAND_NUMBERS } from '../proof/strand-meter';

const MAGIC = 0x31464346;
/** Frames of a group. */
const GROUP = 6;
/** Bytes that are inflated at once; the most a whole number takes; and what it takes no more than. */
const PIECE = 1 << 15, LONGEST = 8, SCALE = 2 ** 56;
/** m: the usual greatest error of a coordinate. */
export const FRAME_ERROR = 1e-5;
/** Of a strand's numbers, those that are kept and the step each is kept to. */
const KEPT: readonly (readonly [number, number])[] = [[OF_STRAND.depth, 1e-6], [OF_STRAND.collider, 1], [OF_STRAND.stretch, 1e-6], [OF_STRAND.jump, 0.01], [OF_STRAND.jitter, 1e-6], [OF_STRAND.drift, 1e-5]];

const headSchema = z.object({
  first: z.number().int(), count: z.number().int().min(1).max(100000), pointCount: z.number().int().min(2).max(64), guides: z.number().int().min(1).max(100000), /** m; 0: every bit of a float32, as whole numbers in their order. */
  step: z.number().min(0),
  groups: z.array(z.object({ frame: z.number().int(), frames: z.number().int().min(1).max(100000), bytes: z.number().int().min(1), /** Drops, and then presses, behind the rest, where any frame of the file has them. */ drops: z.boolean().optional(), presses: z.boolean().optional(), /** Along a strand, what each point differs by from going on as the two before it do; from the one before alone in older files. */ bent: z.boolean().optional() })),
});
export interface PackedFrames { points: Float32Array; strands: Float32Array; /** Drops of the frame, `DROP_NUMBERS` each, and what hair presses on clothes by, `PRESS_NUMBERS` each; none where left out. */ drops?: Float32Array; presses?: Float32Array }
export class FrameFileError extends Error {}

/** Whole numbers of either sign as bytes, seven bits each, small ones in one. */
class Writer {
  private bytes = new Uint8Array(1 << 16);
  private at = 0;
  /** Has room for so many numbers. */
  private room(numbers: number): void {
    if (this.at + LONGEST * numbers <= this.bytes.length) return;
    const more = new Uint8Array(2 * (this.bytes.length + LONGEST * numbers));
    more.set(this.bytes);
    this.bytes = more;
  }
  put(value: number): void { this.room(1); this.at = write(this.bytes, this.at, value); }
  /** Each of the first `n` numbers as what it differs by from going on as the two before it do. */
  putChanges(values: Float64Array, n: number): void {
    this.room(n);
    const { bytes } = this;
    let { at } = this, last = 0, way = 0;
    for (let i = 0; i < n; i++) {
      const v = values[i], d = v - last, r = i > 1 ? d - way : d;
      last = v;
      way = d;
      if (r >= -64 && r < 64) bytes[at++] = r < 0 ? -2 * r - 1 : 2 * r; else at = write(bytes, at, r);
    }
    this.at = at;
  }
  taken(): Uint8Array { return this.bytes.subarray(0, this.at); }
}
function write(bytes: Uint8Array, at: number, value: number): number {
  let u = value < 0 ? -2 * value - 1 : 2 * value;
  while (u >= 128) { bytes[at++] = (u % 128) | 128; u = Math.floor(u / 128); }
  bytes[at++] = u;
  return at;
}

const FLOAT = new Float32Array(1), BITS = new Int32Array(FLOAT.buffer);
/** A float32 as a whole number, in the order of the numbers themselves; −0 is 0. */
function wholeOf(value: number): number { FLOAT[0] = value; const b = BITS[0]; return b < 0 ? -(b & 0x7fffffff) : b; }
function floatOf(whole: number): number { BITS[0] = whole < 0 ? -whole | 0x80000000 : whole; return FLOAT[0]; }

/** m, m/s, m: to which places, velocities and sizes of drops are kept; m, N: places and forces of presses. */
const DROP_STEPS = [1, 1e-4, 1e-4, 1e-4, 1e-2, 1e-2, 1e-2, 1e-5] as const, PRESS_STEPS = [1, 1e-4, 1e-4, 1e-4, 1e-6, 1e-6, 1e-6] as const;
/** Number by number, each as what it differs by from the one before. */
function putRows(writer: Writer, rows: Float32Array, steps: readonly number[]): void {
  const count = rows.length / steps.length;
  writer.put(count);
  for (let c = 0; c < steps.length; c++) { let last = 0; for (let d = 0; d < count; d++) { const q = Math.round(rows[steps.length * d + c] / steps[c]); writer.put(q - last); last = q; } }
}

/**
 * Packs frames that follow one another from `first`: 3 × pointCount × guides places (m) each, and the numbers of their
 * strands. No coordinate is off by more than `error` m, none at all with an error of 0; places that are no numbers are refused. `deflate`: as zlib streams, by a faster one where there is one.
 */
export function packFrames(frames: readonly PackedFrames[], first: number, pointCount: number, error = FRAME_ERROR, deflate: (plain: Uint8Array) => Uint8Array = (plain) => zlibSync(plain, { level: 6 })): Uint8Array {
  requireContract(frames.length > 0, 'frames', 'at least one frame', frames.length);
  const size = frames[0].points.length, guides = size / (3 * pointCount), step = 2 * error, parts: Uint8Array[] = [], groups: z.infer<typeof headSchema>['groups'] = [];
  for (let from = 0; from < frames.length; from += GROUP) {
    const writer = new Writer(), some = frames.slice(from, from + GROUP);
    // by coordinate, strand and point: as in the last frame, and how it went there from the one before
    const before = new Float64Array(size), way = new Float64Array(size), change = new Float64Array(pointCount), wet = frames.some((x) => x.drops), pressed = frames.some((x) => x.presses);
    for (const [f, { points, strands, drops, presses }] of some.entries()) {
      requireContract(points.length === size && strands.length === STRAND_NUMBERS * guides, 'frames', `${size} numbers and ${STRAND_NUMBERS * guides} of strands each`, points.length);
      for (let c = 0, k = 0; c < 3; c++) for (let g = 0, o = c; g < guides; g++) {
        for (let i = 0; i < pointCount; i++, k++, o += 3) {
          const v = points[o], q = step > 0 ? Math.round(v / step) : wholeOf(v), gone = q - before[k];
          if (!(Math.abs(q) <= Number.MAX_SAFE_INTEGER) || !(Math.abs(v) < Infinity)) throw new FrameFileError(`A place of the frames is no number (guide ${g}).`);
          change[i] = gone - way[k];
          before[k] = q;
          if (f > 0) way[k] = gone;
        }
        writer.putChanges(change, pointCount);
      }
      for (const [n, s] of KEPT) for (let g = 0; g < guides; g++) writer.put(Math.round(Math.min(1e9, strands[STRAND_NUMBERS * g + n] / s)));
      if (wet) putRows(writer, drops ?? new Float32Array(0), DROP_STEPS);
      if (pressed) putRows(writer, presses ?? new Float32Array(0), PRESS_STEPS);
    }
    const packed = deflate(writer.taken());
    parts.push(packed);
    groups.push({ frame: first + from, frames: some.length, bytes: packed.length, bent: true, ...(wet ? { drops: true } : {}), ...(pressed ? { presses: true } : {}) });
  }
  const head = new TextEncoder().encode(JSON.stringify({ first, count: frames.length, pointCount, guides, step, groups })), out = new Uint8Array(8 + head.length + parts.reduce((n, p) => n + p.length, 0)), view = new DataView(out.buffer);
  view.setUint32(0, MAGIC, true);
  view.setUint32(4, head.length, true);
  out.set(head, 8);
  let at = 8 + head.length;
  for (const p of parts) { out.set(p, at); at += p.length; }
  return out;
}

interface GroupHas { drops?: boolean; presses?: boolean; bent?: boolean }
/** The frames of one group, one after the other, inflated only as far as they have been asked for. */
class GroupReader {
  readonly frames: PackedFrames[] = [];
  private readonly inflate: Unzlib;
  private fed = 0;
  private plain = new Uint8Array(1 << 17);
  private have = 0;
  private at = 0;
  /** Coordinates of the last frame in whole steps, and how they went on from the one before: x of all points, y, z. */
  private readonly now: Float64Array;
  private readonly way: Float64Array;
  constructor(private readonly packed: Uint8Array, private readonly guides: number, private readonly pointCount: number, private readonly step: number, private readonly has: GroupHas) {
    this.now = new Float64Array(3 * pointCount * guides);
    this.way = this.now.slice();
    this.inflate = new Unzlib((piece) => {
      if (this.have + piece.length > this.plain.length) { const more = new Uint8Array(2 * (this.have + piece.length)); more.set(this.plain.subarray(0, this.have)); this.plain = more; }
      this.plain.set(piece, this.have);
      this.have += piece.length;
    });
  }
  /** Has so many bytes ready, or all that are left. */
  private ready(bytes: number): void {
    while (this.have - this.at < bytes && this.fed < this.packed.length) {
      const end = Math.min(this.packed.length, this.fed + PIECE);
      // a view of memory that is of nothing else, as what is pushed may be kept
      this.inflate.push(this.packed.slice(this.fed, end), end === this.packed.length);
      this.fed = end;
    }
  }
  private get(): number {
    this.ready(LONGEST);
    let u = 0;
    for (let scale = 1; ; scale *= 128) {
      if (this.at >= this.have || scale > SCALE) throw new FrameFileError('The frames end in the middle.');
      const b = this.plain[this.at++];
      u += (b & 127) * scale;
      if (b < 128) return u % 2 === 1 ? -(u + 1) / 2 : u / 2;
    }
  }
  private rows(steps: readonly number[]): Float32Array {
    const count = this.get();
    if (count < 0 || count > 1e6) throw new FrameFileError('Drops or presses of the frames are damaged.');
    const out = new Float32Array(steps.length * count);
    for (let c = 0; c < steps.length; c++) { let last = 0; for (let d = 0; d < count; d++) { last += this.get(); out[steps.length * d + c] = last * steps[c]; } }
    return out;
  }
  next(): void {
    const { guides, pointCount: n, step, now, way, frames } = this, points = new Float32Array(now.length), strands = new Float32Array(STRAND_NUMBERS * guides), later = frames.length > 0, most = LONGEST * n, bent = this.has.bent === true;
    let { at, plain, have } = this;
    for (let c = 0, k = 0; c < 3; c++) for (let g = 0, o = c; g < guides; g++) {
      if (have - at < most) {
        this.at = at;
        this.ready(most);
        // room for what a damaged file goes on with
        if (this.plain.length < this.have + most) { const more = new Uint8Array(this.have + most); more.set(this.plain.subarray(0, this.have)); this.plain = more; }
        ({ plain, have } = this);
      }
      let last = 0, along = 0;
      for (let i = 0; i < n; i++, k++, o += 3) {
        const b = plain[at++];
        let r = 0;
        if (b < 128) r = (b >>> 1) ^ -(b & 1);
        else {
          const d = plain[at++];
          if (d < 128) { const u = (d << 7) | (b & 127); r = (u >>> 1) ^ -(u & 1); }
          else {
            let u = (b & 127) + (d & 127) * 128, e = d;
            for (let scale = 16384; e >= 128 && scale <= SCALE; scale *= 128) { e = plain[at++]; u += (e & 127) * scale; }
            r = u % 2 === 1 ? -(u + 1) / 2 : u / 2;
          }
        }
        along = bent && i > 1 ? along + r : r;
        last += along;
        const change = last + way[k], q = now[k] + change;
        now[k] = q;
        if (later) way[k] = change;
        points[o] = step > 0 ? q * step : floatOf(q);
      }
      if (at > have) throw new FrameFileError('The frames end in the middle.');
    }
    this.at = at;
    for (const [m, s] of KEPT) for (let g = 0; g < guides; g++) strands[STRAND_NUMBERS * g + m] = this.get() * s;
    const frame: PackedFrames = { points, strands };
    if (this.has.drops) frame.drops = this.rows(DROP_STEPS);
    if (this.has.presses) frame.presses = this.rows(PRESS_STEPS);
    frames.push(frame);
  }
}

/**
 * The frames of a file, unpacked as they are asked for: one costs those of its group that come before it, once, and the frames of the group
 * that was asked last are kept. Throws `FrameFileError` for what is no such file, and for a frame whose group is damaged.
 */
export class FrameFile {
  readonly pointCount: number;
  readonly guides: number;
  private readonly step: number;
  private readonly groups: { frame: number; frames: number; packed: Uint8Array; has: GroupHas }[] = [];
  private last: { group: number; reader: GroupReader } | null = null;
  constructor(bytes: Uint8Array) {
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    if (bytes.length < 8 || view.getUint32(0, true) !== MAGIC || 8 + view.getUint32(4, true) > bytes.length) throw new FrameFileError('These are no frames of a take.');
    const start = 8 + view.getUint32(4, true);
    let json: unknown;
    try { json = JSON.parse(new TextDecoder().decode(bytes.subarray(8, start))); } catch { throw new FrameFileError('The head of the frames cannot be read.'); }
    const parsed = headSchema.safeParse(json);
    if (!parsed.success) throw new FrameFileError('The head of the frames cannot be read.');
    ({ pointCount: this.pointCount, guides: this.guides, step: this.step } = parsed.data);
    let at = start;
    for (const { frame, frames, bytes: length, ...has } of parsed.data.groups) { this.groups.push({ frame, frames, packed: bytes.subarray(at, at + length), has }); at += length; }
  }
  /** Numbers of its frames. */
  get numbers(): number[] { return this.groups.flatMap((g) => Array.from({ length: g.frames }, (_, k) => g.frame + k)); }
  private groupOf(n: number): number { return this.groups.findIndex((g) => n >= g.frame && n < g.frame + g.frames); }
  has(n: number): boolean { return this.groupOf(n) >= 0; }
  /** Numbers of the frames that are unpacked with that one. */
  groupWith(n: number): number[] { const g = this.groups[this.groupOf(n)]; return Array.from({ length: g?.frames ?? 0 }, (_, k) => g.frame + k); }
  /** A frame that the file has. */
  frame(n: number): PackedFrames {
    const k = this.groupOf(n), group = this.groups[k];
    requireContract(k >= 0, 'n', 'a frame of the file', n);
    if (this.last?.group !== k) this.last = { group: k, reader: new GroupReader(group.packed, this.guides, this.pointCount, this.step, group.has) };
    const { reader } = this.last;
    try { while (reader.frames.length <= n - group.frame) reader.next(); } catch (cause) {
      this.last = null;
      throw cause instanceof FrameFileError ? cause : new FrameFileError(`The frames from ${group.frame} to ${group.frame + group.frames - 1} are damaged.`);
    }
    return reader.frames[n - group.frame];
  }
  /** Lets go of what is unpacked. */
  forget(): void { this.last = null; }
}

/** The frames of a file, by number; with `only`, just the group that holds that frame. Throws `FrameFileError` for what is no such file. */
export function unpackFrames(bytes: Uint8Array, only?: number): { pointCount: number; guides: number; frames: Map<number, PackedFrames> } {
  const file = new FrameFile(bytes);
  return { pointCount: file.pointCount, guides: file.guides, frames: new Map((only === undefined ? file.numbers : file.groupWith(only)).map((n) => [n, file.frame(n)])) };
}
