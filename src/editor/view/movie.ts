/** A moving picture of what the view shows, frame by frame at still quality: as WebM, or as numbered PNGs in a zip. */
import { zipSync } from 'fflate';
import { BufferTarget, CanvasSource, canEncodeVideo, Output, WebMOutputFormat } from 'mediabunny';
import { fileNameOf } from '../state/save-file';
import type { Stills } from './stills';

export interface MovieWish {
  as: 'webm' | 'png';
  from: number; to: number; fps: number;
  width: number; height: number;
  /** Strands it is drawn with; null: those of the preview. */
  strands: number | null;
  /** How often each frame is drawn over. */
  fine: number;
  turntable: boolean;
  /** Words burnt in at the foot, with the number of the frame; null for none. */
  words: string | null;
}
export interface MovieMade { bytes: Uint8Array; file: string; type: string; /** What it is, in words. */ words: string }
const CODECS = ['vp9', 'vp8', 'av1'] as const;

/** Null where it was stopped. */
export async function makeMovie(stills: Stills, wish: MovieWish, name: string): Promise<MovieMade | null> {
  const { width, height, fps } = wish, sheet = document.createElement('canvas'), to = (sheet.width = width, sheet.height = height, sheet.getContext('2d')!), frames = Array.from({ length: wish.to - wish.from + 1 }, (_, k) => wish.from + k);
  const put = (canvas: HTMLCanvasElement, frame: number): void => {
    to.drawImage(canvas, 0, 0);
    if (wish.words === null) return;
    const size = Math.max(11, Math.round(height / 40)), text = [wish.words, String(frame)];
    to.font = `500 ${size}px "JetBrains Mono Variable", monospace`;
    to.textBaseline = 'alphabetic';
    to.fillStyle = '#000a';
    to.fillRect(0, height - 1.9 * size, width, 1.9 * size);
    to.fillStyle = '#f2ece2';
    to.fillText(text[0], size, height - 0.65 * size, width - 8 * size);
    to.textAlign = 'right';
    to.fillText(text[1], width - size, height - 0.65 * size);
    to.textAlign = 'left';
  };
  if (wish.as === 'png') {
    const files: Record<string, Uint8Array> = {};
    const whole = await stills.film({ ...wish, frames }, async (canvas, frame) => { put(canvas, frame); const blob = await new Promise<Blob | null>((r) => { sheet.toBlob(r, 'image/png'); }); if (!blob) throw new Error('A frame could not be written.'); files[`${fileNameOf(name)}.${String(frame).padStart(5, '0')}.png`] = new Uint8Array(await blob.arrayBuffer()); });
    if (!whole) return null;
    const bytes = zipSync(files, { level: 0 });
    return { bytes, file: `${fileNameOf(name)}-frames.zip`, type: 'application/zip', words: `${frames.length} frames of ${width} × ${height} pixels, ${(bytes.length / 1e6).toFixed(1)} MB.` };
  }
  const codec = await firstThat(CODECS, (c) => canEncodeVideo(c, { width, height, bitrate: bitrateOf(wish) }));
  if (!codec) throw new Error('This browser writes no WebM. Save the frames as PNG instead.');
  const output = new Output({ format: new WebMOutputFormat(), target: new BufferTarget() }), source = new CanvasSource(sheet, { codec, bitrate: bitrateOf(wish) });
  output.addVideoTrack(source, { frameRate: fps });
  await output.start();
  const whole = await stills.film({ ...wish, frames }, async (canvas, frame, k) => { put(canvas, frame); await source.add(k / fps, 1 / fps); });
  if (!whole) { await output.cancel(); return null; }
  await output.finalize();
  const bytes = new Uint8Array(output.target.buffer!);
  return { bytes, file: `${fileNameOf(name)}.webm`, type: 'video/webm', words: `${frames.length} frames of ${width} × ${height} pixels at ${fps} a second, ${(bytes.length / 1e6).toFixed(1)} MB.` };
}
/** Hair is fine detail that moves: a third of a bit a pixel. */
const bitrateOf = ({ width, height, fps }: Pick<MovieWish, 'width' | 'height' | 'fps'>): number => Math.round(0.35 * width * height * fps);
async function firstThat<T>(list: readonly T[], test: (t: T) => Promise<boolean>): Promise<T | null> { for (const t of list) if (await test(t)) return t; return null; }
