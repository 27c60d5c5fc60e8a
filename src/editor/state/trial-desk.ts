/** Computing in the background: a few workers, and whoever waits for one. */
import type { TrialReply, TrialRequest } from '../../workers/messages';

type Job = Exclude<TrialRequest, { kind: 'character' | 'stop' }>;
type Of<K extends Job['kind']> = Omit<Extract<Job, { kind: K }>, 'job' | 'kind'>;
type Answer = { take: Extract<TrialReply, { kind: 'taken' }>; filled: Extract<TrialReply, { kind: 'filled' }>; pack: Extract<TrialReply, { kind: 'packed' }>; unpack: Extract<TrialReply, { kind: 'unpacked' }> };

/** Of all cores but the one that draws. */
const MOST_WORKERS = 4;
export class Cancelled extends Error {}

interface Waiting { request: Job; resolve: (reply: never) => void; reject: (cause: Error) => void; onProgress: ((share: number) => void) | undefined; onStart: (() => void) | undefined; signal: AbortSignal | undefined; quick: boolean }
interface Place { worker: Worker; now: Waiting | null; quick: boolean }

export class TrialDesk {
  private places: Place[] | null = null;
  private queue: Waiting[] = [];
  private number = 0;
  constructor(private readonly packed: Uint8Array) {}
  close(): void {
    for (const p of this.places ?? []) { p.worker.terminate(); p.now?.reject(new Cancelled('The groom was closed.')); }
    for (const w of this.queue) w.reject(new Cancelled('The groom was closed.'));
    this.places = [];
    this.queue = [];
  }
  /** Jobs at a time. */
  get width(): number { return Math.max(1, Math.min(MOST_WORKERS, (navigator.hardwareConcurrency || 2) - 1)); }

  /** Workers are made when first needed; one of its own packs frames, so that nothing waits long to be kept. */
  private open(): Place[] {
    return (this.places ??= Array.from({ length: this.width + 1 }, (_, k) => {
      const place: Place = { worker: new Worker(new URL('../../workers/trial.worker.ts', import.meta.url), { type: 'module' }), now: null, quick: k === this.width };
      place.worker.onmessage = (e: MessageEvent<TrialReply>) => this.onReply(place, e.data);
      if (!place.quick) place.worker.postMessage({ kind: 'character', packed: this.packed });
      return place;
    }));
  }

  /** Computes; rejected with `Cancelled` when the signal says so. */
  run<K extends Job['kind']>(kind: K, request: Of<K>, { onProgress, onStart, signal }: { onProgress?: (share: number) => void; onStart?: () => void; signal?: AbortSignal } = {}): Promise<Answer[K]> {
    return new Promise<Answer[K]>((resolve, reject) => {
      const waiting: Waiting = { request: { ...request, kind, job: ++this.number } as unknown as Job, resolve: resolve as (reply: never) => void, reject, onProgress, onStart, signal, quick: kind === 'pack' || kind === 'unpack' };
      if (signal?.aborted) { reject(new Cancelled('Cancelled.')); return; }
      signal?.addEventListener('abort', () => {
        if (this.queue.includes(waiting)) { this.queue = this.queue.filter((w) => w !== waiting); reject(new Cancelled('Cancelled.')); }
        else this.places?.find((p) => p.now === waiting)?.worker.postMessage({ kind: 'stop', job: waiting.request.job } satisfies TrialRequest);
      }, { once: true });
      this.queue.push(waiting);
      this.next();
    });
  }
  private next(): void {
    for (const place of this.open()) {
      if (place.now) continue;
      const at = this.queue.findIndex((w) => w.quick === place.quick);
      if (at < 0) continue;
      const [waiting] = this.queue.splice(at, 1);
      place.now = waiting;
      waiting.onStart?.();
      place.worker.postMessage(waiting.request);
    }
  }
  private onReply(place: Place, reply: TrialReply): void {
    const { now } = place;
    if (!now || reply.job !== now.request.job) return;
    if (reply.kind === 'progress') { now.onProgress?.(reply.done / reply.of); return; }
    place.now = null;
    if (reply.kind === 'failed') now.reject(new Error(reply.message));
    else if (reply.kind === 'stopped') now.reject(new Cancelled('Cancelled.'));
    else now.resolve(reply as never);
    this.next();
  }
}
