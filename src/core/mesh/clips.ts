/** Clips of a character: those that belong together, and how well one loops. */
import { clipTime, poseCharacter, type Character, type Clip } from './character';

/** A clip that moves no more than this many things may be a piece of one. */
const FEW_CHANNELS = 1;
const FEWEST_PIECES = 3;

/** Whether the clips look like one movement cut into a clip for each thing that moves. */
export function inPieces(clips: readonly Clip[]): boolean {
  if (clips.length < FEWEST_PIECES || clips.some((c) => c.channels.length > FEW_CHANNELS)) return false;
  const moved = new Set(clips.flatMap((c) => c.channels.map((h) => `${h.node} ${h.path}`)));
  return moved.size === clips.reduce((n, c) => n + c.channels.length, 0);
}

/** All clips as one; its name is what theirs begin with, where that is a word. */
export function joinClips(clips: readonly Clip[]): Clip[] {
  if (clips.length < 2) return [...clips];
  let start = clips[0].name;
  for (const { name } of clips) while (!name.startsWith(start)) start = start.slice(0, -1);
  const name = start.replace(/[\W_]+$/, '');
  return [{ name: /\p{L}{2}/u.test(name) ? name : 'joined', duration: Math.max(...clips.map((c) => c.duration)), ...(clips.every((c) => c.begins) ? { begins: Math.min(...clips.map((c) => c.begins!)) } : {}), channels: clips.flatMap((c) => c.channels) }];
}

export interface Seam {
  /** m: farthest that any node is at the end of the clip from where it was at its start. */
  gap: number;
  /** The node. */
  node: number;
  /** rad: most that any node is turned. */
  turn: number;
  /** m/s: greatest jump in a node's velocity over the seam. */
  jolt: number;
  /** m/s: fastest node at its start; what begins at rest need not be a round. */
  speed: number;
}

/** How a clip would look repeated; `fps` is the rate at which velocity is taken. */
export function loopSeam(character: Character, clip: Clip, fps: number): Seam {
  const at = (t: number): Float64Array => poseCharacter(character, clip, clipTime(t * fps, fps, clip, false)), begins = clip.begins ?? 0, d = Math.min(1 / fps, (clip.duration - begins) / 4);
  const first = at(begins), next = at(begins + d), last = at(clip.duration), before = at(clip.duration - d), out: Seam = { gap: 0, node: -1, turn: 0, jolt: 0, speed: 0 };
  for (let n = 0; n < character.nodes.length; n++) {
    const o = 16 * n + 12, gap = Math.hypot(last[o] - first[o], last[o + 1] - first[o + 1], last[o + 2] - first[o + 2]);
    if (gap > out.gap) { out.gap = gap; out.node = n; }
    out.jolt = Math.max(out.jolt, Math.hypot(...[0, 1, 2].map((c) => (next[o + c] - first[o + c] - last[o + c] + before[o + c]) / d)));
    out.speed = Math.max(out.speed, Math.hypot(...[0, 1, 2].map((c) => (next[o + c] - first[o + c]) / d)));
    out.turn = Math.max(out.turn, turnBetween(first, last, 16 * n));
  }
  return out;
}

/** Angle between two matrices' rotations, by their normalised axes. */
function turnBetween(a: Float64Array, b: Float64Array, o: number): number {
  let trace = 0;
  for (let c = 0; c < 3; c++) {
    const p = o + 4 * c, la = Math.hypot(a[p], a[p + 1], a[p + 2]), lb = Math.hypot(b[p], b[p + 1], b[p + 2]);
    if (la > 0 && lb > 0) trace += (a[p] * b[p] + a[p + 1] * b[p + 1] + a[p + 2] * b[p + 2]) / (la * lb);
    else trace += 1;
  }
  return Math.acos(Math.min(1, Math.max(-1, (trace - 1) / 2)));
}

/** Whether a clip could be repeated without a jump: within a share of the character's height and 3°. */
export const loops = (seam: Seam, height: number): boolean => seam.gap < 0.005 * height && seam.turn < 0.05;
/** Whether it is meant to be: it does not begin at rest either. */
export const isRound = (seam: Seam, height: number): boolean => loops(seam, height) && seam.speed > 0.05 * height;

/** s: from its first key to its last. */
export const roundOf = (clip: Pick<Clip, 'begins' | 'duration'>): number => clip.duration - (clip.begins ?? 0);

/**
 * How a range of `frames` frames fits the rounds of a clip of `duration` s: how many rounds it is, by how much of a frame it is longer
 * than they are (shorter: less than 0), and the rate (frames a second) at which it is just as long.
 */
export function fitRounds(frames: number, duration: number, fps: number): { rounds: number; miss: number; rate: number } {
  const one = duration * fps, rounds = Math.max(1, Math.round(frames / one));
  return { rounds, miss: frames - rounds * one, rate: frames / (rounds * duration) };
}

/** Frames a second that movements are keyed at, those tried first that come first. Rates of film and television; *common practice, no source*. */
const RATES = [24, 25, 30, 23.976, 29.97, 48, 50, 60, 59.94];
/** Frames: a key that is no farther from a whole one stands on it. */
const ON_FRAME = 0.02;
/** Fewer different times tell nothing. */
const FEWEST_KEYS = 6;

/** Frames a second at which all keys of the clips stand on whole frames; null where they tell of none. */
export function keyRate(clips: readonly Clip[]): number | null {
  const times = new Set<number>();
  for (const { channels } of clips) for (const c of channels) for (const t of c.times) times.add(t);
  if (times.size < FEWEST_KEYS) return null;
  return RATES.find((rate) => { for (const t of times) if (Math.abs(t * rate - Math.round(t * rate)) > ON_FRAME) return false; return true; }) ?? null;
}
