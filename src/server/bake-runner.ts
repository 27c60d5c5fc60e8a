/**
 * Takes bakes from the queue in the database and runs each in a worker thread. A bake is leased for a while and the lease
 * renewed as it runs, so that another runner takes it over from one that died.
 */
import { randomBytes } from 'node:crypto';
import { Worker } from 'node:worker_threads';
import type { Db } from './db/connection';
import { getBlob, putBlob } from './db/blobs';
import { assetOfBake, getBake } from './db/records';
import type { SwayMap } from '../core/document/schema';
import type { ThreadInput, ThreadMessage } from './bake-messages';

const LEASE_MS = 20_000;
const BEAT_MS = 2_000;
const IDLE_MS = 400;
const MOST_ATTEMPTS = 3;

export interface RunnerLog { info: (text: string) => void; error: (text: string) => void }

export class BakeRunner {
  private readonly owner = randomBytes(8).toString('hex');
  private stopping = false;
  private current: { id: string; worker: Worker } | null = null;

  constructor(private readonly db: Db, private readonly threadFile: string, private readonly log: RunnerLog) {}

  /** Runs until `stop`. Errors of the database are waited out. */
  async loop(): Promise<void> {
    while (!this.stopping) {
      try {
        const id = await this.claim();
        if (id) await this.bake(id);
        else await pause(IDLE_MS);
      } catch (cause) {
        this.log.error(String(cause));
        await pause(4 * IDLE_MS);
      }
    }
  }

  /** Ends the thread and gives its bake back to the queue. */
  async stop(): Promise<void> {
    this.stopping = true;
    const { current } = this;
    if (!current) return;
    await current.worker.terminate();
    await this.db('bakes').where({ id: current.id, state: 'running', lease_owner: this.owner }).update({ state: 'queued', lease_owner: null, lease_until: null, attempts: this.db.raw('greatest(attempts, 1) - 1') });
  }

  private claim(): Promise<string | null> {
    return this.db.transaction(async (trx) => {
      const now = new Date();
      const row: { id: string; attempts: number } | undefined = await trx('bakes')
        .where({ state: 'queued' }).orWhere((q) => q.where({ state: 'running' }).andWhere('lease_until', '<', now))
        .orderBy('created_at').forUpdate().skipLocked().first('id', 'attempts');
      if (!row) return null;
      if (row.attempts >= MOST_ATTEMPTS) {
        await trx('bakes').where({ id: row.id }).update({ state: 'failed', finished_at: now, message: `Stopped after ${MOST_ATTEMPTS} tries that ended without a word; the server's log says more.` });
        return null;
      }
      await trx('bakes').where({ id: row.id }).update({
        state: 'running', attempts: row.attempts + 1, started_at: now, steps_done: 0, message: null, cancel_wanted: false,
        lease_owner: this.owner, lease_until: new Date(now.getTime() + LEASE_MS),
      });
      await trx('bake_frames').where({ bake_id: row.id }).delete();
      return row.id;
    });
  }

  private async bake(id: string): Promise<void> {
    const bake = await getBake(this.db, id);
    const asset = await assetOfBake(this.db, bake.id);
    const { guides } = bake.document;
    const [character, planting, offsets] = await Promise.all([asset.packed, guides!.planting, guides!.offsets].map((b) => getBlob(this.db, b)));
    if (!character || !planting || !offsets) return this.end(id, 'failed', 'A part of the groom is missing from the database.');
    this.log.info(`bake ${id}: frames ${bake.startFrame}–${bake.endFrame}`);
    const maps: ThreadInput['maps'] = {};
    for (const [name, id] of Object.entries(bake.document.sway.maps) as [SwayMap, string | null][]) {
      if (!id) continue;
      const bytes = await getBlob(this.db, id);
      if (!bytes) return this.end(id, 'failed', 'A painted map is missing from the database.');
      maps[name] = bytes;
    }
    const workerData: ThreadInput = { document: bake.document, character, planting, offsets, maps, startFrame: bake.startFrame, endFrame: bake.endFrame, preRoll: bake.preRoll };
    const worker = new Worker(this.threadFile, { workerData });
    this.current = { id, worker };
    try {
      await this.follow(id, worker);
    } finally {
      this.current = null;
      await worker.terminate();
    }
  }

  private follow(id: string, worker: Worker): Promise<void> {
    return new Promise((resolve, reject) => {
      let chain = Promise.resolve(), over = false;
      const finish = (state: 'done' | 'failed' | 'cancelled' | null, message: string | null): void => {
        if (over) return;
        over = true;
        clearInterval(beat);
        chain.then(() => (state ? this.end(id, state, message) : undefined)).then(resolve, reject);
      };
      // messages are stored one after the other, in the order they came
      const queue = (task: () => Promise<unknown>): void => {
        chain = chain.then(async () => { await task(); });
        chain.catch((cause: unknown) => { finish(null, null); reject(cause instanceof Error ? cause : new Error(String(cause))); });
      };
      const beat = setInterval(() => {
        this.db('bakes').where({ id, lease_owner: this.owner }).update({ lease_until: new Date(Date.now() + LEASE_MS) })
          .then(() => this.db('bakes').where({ id }).first('cancel_wanted', 'lease_owner'))
          .then((row: { cancel_wanted: number; lease_owner: string } | undefined) => {
            if (!row || row.lease_owner !== this.owner) { void worker.terminate(); finish(null, null); }
            else if (row.cancel_wanted) { void worker.terminate(); finish('cancelled', 'Cancelled; the frames computed so far are kept.'); }
          }).catch((cause: unknown) => this.log.error(String(cause)));
      }, BEAT_MS / 4);
      worker.on('message', (message: ThreadMessage) => {
        switch (message.kind) {
          case 'started':
            return queue(() => this.db('bakes').where({ id }).update({ report: JSON.stringify(message.report) }));
          case 'preRoll':
            return queue(() => this.db('bakes').where({ id }).update({ steps_done: message.step }));
          case 'frame':
            return queue(async () => {
              const blob = await putBlob(this.db, new Uint8Array(message.points.buffer, message.points.byteOffset, message.points.byteLength));
              await this.db('bake_frames').insert({ bake_id: id, frame: message.frame, blob_id: blob, measures: JSON.stringify(message.measures) });
              await this.db('bakes').where({ id }).update({ steps_done: message.step });
            });
          case 'finished':
            return finish('done', null);
          case 'failed':
            return finish('failed', message.message);
        }
      });
      worker.on('error', (cause) => finish('failed', cause.message));
      worker.on('exit', () => { if (!this.stopping) setTimeout(() => finish('failed', 'The computation ended before its time.'), 200); else finish(null, null); });
    });
  }

  private async end(id: string, state: 'done' | 'failed' | 'cancelled', message: string | null): Promise<void> {
    await this.db('bakes').where({ id, lease_owner: this.owner }).update({ state, message, finished_at: new Date(), lease_owner: null, lease_until: null });
    this.log.info(`bake ${id}: ${state}${message ? ` (${message})` : ''}`);
  }
}

const pause = (ms: number): Promise<void> => new Promise((r) => { setTimeout(r, ms); });
