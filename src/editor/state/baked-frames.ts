/** Frames of the bake that is shown: its parts as they came, unpacked frame by frame as they are looked at. */
import { FrameFile, type PackedFrames } from '../../core/bake/frame-codec';

/** Parts whose frames are kept unpacked: the one that plays, the next, and those of a look back. */
const RECENT = 4;

export class BakedFrames {
  private parts: { file: FrameFile; first: number; count: number }[] = [];
  /** Those unpacked, the last one used at the end. */
  private recent: FrameFile[] = [];
  private samples = 1;
  /** Told of frames, from … to, that cannot be unpacked. */
  damaged: ((from: number, to: number) => void) | null = null;

  clear(samples = 1): void { this.parts = []; this.recent = []; this.samples = samples; }
  /** A part with so many samples from `first`. Throws `FrameFileError` for what is none. */
  add(bytes: Uint8Array, first: number, count: number): void { this.parts.push({ file: new FrameFile(bytes), first, count }); }
  /** Frames of the shot that are here, in their order. */
  get numbers(): number[] {
    const { samples } = this;
    return this.parts.flatMap(({ first, count }) => Array.from({ length: Math.floor((first + count - 1) / samples) - Math.ceil(first / samples) + 1 }, (_, k) => Math.ceil(first / samples) + k)).sort((a, b) => a - b);
  }
  /** How many frames of the shot are here. */
  get size(): number { return this.numbers.length; }
  /** Guide points of a frame, and its drops; none of one that is not here or cannot be unpacked. */
  get(frame: number): Float32Array | undefined { return this.unpacked(frame)?.points; }
  drops(frame: number): Float32Array | undefined { return this.unpacked(frame)?.drops; }
  private unpacked(frame: number): PackedFrames | undefined {
    const sample = frame * this.samples, k = this.parts.findIndex((p) => sample >= p.first && sample < p.first + p.count);
    if (k < 0) return undefined;
    const { file, first, count } = this.parts[k];
    this.recent = [...this.recent.filter((f) => f !== file), file];
    if (this.recent.length > RECENT) this.recent.shift()!.forget();
    try { return file.frame(sample); } catch {
      this.parts.splice(k, 1);
      this.damaged?.(Math.floor(first / this.samples), Math.floor((first + count - 1) / this.samples));
      return undefined;
    }
  }
}
