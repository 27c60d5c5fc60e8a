/**
 * Point caches: places of a mesh's points, frame by frame; read, and written in a stream.
 *
 * PC2 (little-endian): "POINTCACHE2\0", i32 version 1, i32 points, f32 first frame, f32 frames a sample, i32 samples, then f32
 * xyz. MDD (big-endian): i32 frames, i32 points, f32 time of each frame in seconds, then f32 xyz.
 */
import { failure, type Result } from './result';

export interface PointCache {
  points: number;
  /** s, ascending; PC2 counts frames, which are taken at the rate given. */
  times: Float32Array;
  /** 3 × points of each frame, in the file's units. */
  frames: Float32Array[];
}

/** What is taken at most. */
export const CACHE_LIMITS = { frames: 2000, megabytes: 256 } as const;
const MAGIC = 'POINTCACHE2\0';

export const isPointCache = (name: string): boolean => /\.(pc2|mdd)$/i.test(name);

/** `fps`: frames a second of a PC2, which does not say. */
export function readPointCache({ name, bytes }: { name: string; bytes: Uint8Array }, fps: number): Result<PointCache> {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength), short = name.replace(/^.*\//, '');
  const pc2 = bytes.length >= 12 && [...MAGIC].every((c, k) => bytes[k] === c.charCodeAt(0));
  if (/\.pc2$/i.test(name) && !pc2) return failure('notThisFormat', `“${short}” does not begin as a PC2 point cache. Export it again.`, 'byte 0');
  const head = pc2 ? 32 : 8;
  if (bytes.length < head) return failure('truncated', `“${short}” ends before it begins. Export it again.`, `byte ${bytes.length}`);
  if (pc2 && view.getInt32(12, true) !== 1) return failure('versionTooNew', `“${short}” is of version ${view.getInt32(12, true)}; known is 1.`, 'byte 12');
  const points = pc2 ? view.getInt32(16, true) : view.getInt32(4), count = pc2 ? view.getInt32(28, true) : view.getInt32(0);
  if (!(points > 0) || !(count > 0)) return failure('invalid', `“${short}” says that it holds ${count} frames of ${points} points. Export it again.`, `byte ${pc2 ? 16 : 0}`);
  if (count > CACHE_LIMITS.frames) return failure('unsupported', `“${short}” has ${count.toLocaleString('en')} frames; taken are ${CACHE_LIMITS.frames.toLocaleString('en')}. Export fewer.`, `byte ${pc2 ? 28 : 0}`);
  const start = pc2 ? head : head + 4 * count, wanted = start + 12 * points * count;
  if (12 * points * count > CACHE_LIMITS.megabytes * 1048576) return failure('unsupported', `“${short}” would take ${Math.round((12 * points * count) / 1048576).toLocaleString('en')} MB; taken are ${CACHE_LIMITS.megabytes}. Export fewer frames or points.`);
  if (bytes.length < wanted) return failure('truncated', `“${short}” is cut off: it has ${bytes.length.toLocaleString('en')} of ${wanted.toLocaleString('en')} bytes. Export it again.`, `byte ${bytes.length}`);
  const first = pc2 ? view.getFloat32(20, true) : 0, step = pc2 ? view.getFloat32(24, true) : 0;
  const times = Float32Array.from({ length: count }, (_, k) => (pc2 ? (first + k * step) / fps : view.getFloat32(head + 4 * k)));
  if (!times.every((t, k) => Number.isFinite(t) && (k === 0 || t > times[k - 1]))) return failure('invalid', `The times of “${short}” do not ascend. Export it again.`, `byte ${pc2 ? 20 : head}`);
  const frames: Float32Array[] = [];
  for (let k = 0, at = start; k < count; k++) {
    const frame = new Float32Array(3 * points);
    for (let a = 0; a < frame.length; a++, at += 4) frame[a] = view.getFloat32(at, pc2);
    if (!frame.every(Number.isFinite)) return failure('invalid', `Frame ${k} of “${short}” has places that are not numbers. Export it again.`, `frame ${k}`);
    frames.push(frame);
  }
  return { ok: true, value: { points, times, frames }, warnings: [] };
}

/** A PC2, frames one after the other: a head, then the places of each sample, 3 × points. */
export function pc2Head(points: number, samples: number, startFrame: number, framesASample: number): Uint8Array {
  const out = new Uint8Array(32), view = new DataView(out.buffer);
  out.set(new TextEncoder().encode(MAGIC));
  view.setInt32(12, 1, true); view.setInt32(16, points, true); view.setFloat32(20, startFrame, true); view.setFloat32(24, framesASample, true); view.setInt32(28, samples, true);
  return out;
}
/** An MDD's head; `times`: s. */
export function mddHead(points: number, times: ArrayLike<number>): Uint8Array {
  const out = new Uint8Array(8 + 4 * times.length), view = new DataView(out.buffer);
  view.setInt32(0, times.length); view.setInt32(4, points);
  for (let k = 0; k < times.length; k++) view.setFloat32(8 + 4 * k, times[k]);
  return out;
}
/** Places of one sample; `big`: for an MDD. */
export function cachePlaces(places: Float32Array, big: boolean): Uint8Array {
  const out = new Uint8Array(4 * places.length), view = new DataView(out.buffer);
  for (let k = 0; k < places.length; k++) view.setFloat32(4 * k, places[k], !big);
  return out;
}
