/**
 * Takes bakes and hand-overs from the queue in the database and has each carried out beside itself. A job is leased for a while and the lease renewed as it runs, so that another runner takes it over from one that died.
 */
import { fork } from 'node:child_process';
import path from 'node:path';
import { Worker } from 'node:worker_threads';
import { connectionOf, type Db } from './db/connection';
import { getBlob } from './db/blobs';
import { packCharacter } from '../formats/packed-character';
import { assetOfBake, characterFor, getBake, resumeOf, storeBake, type Bake } from './db/bakes';
import { beat, claim, endJob, failOnce, freeDeadLeases, giveBack, newOwner, type Queue } from './db/queue';
import { mapIds } from '../core/bake/open-scene';
import type { BakeEvent } from './bake-compute';
import type { ThreadInput, ThreadMessage } from './bake-messages';
import type { ExportAnswer, ExportOrder } from './export-process';

const BEAT_MS = 1_000;
const IDLE_MS = 400;

export interface RunnerLog { info: (text: string) => void; error: (text: string) => void }
/** A job was let go of: paused, cancelled, or the lease lost. */
class LetGo extends Error { constructor(readonly how: 'lost' | 'cancel' | 'pause') { super(how); } }

export class BakeRunner {
  private readonly owner = newOwner();
  private stopping = false;
  private current: { queue: Queue; id: string; stop: () => void } | null = null;

  /** `threads`: that compute one bake. */
  constructor(private readonly db: Db, private readonly threadFile: string, private readonly log: RunnerLog, private readonly threads: number) {}

  /** Runs until `stop`. Errors of the database are waited out. */
  async loop(): Promise<void> {
    await freeDeadLeases(this.db, 'bakes').catch(() => undefined);
    await freeDeadLeases(this.db, 'exports').catch(() => undefined);
    while (!this.stopping) {
      try {
        // a hand-over is short and somebody waits for it
        const handed = await claim(this.db, 'exports', this.owner), baked = handed ? null : await claim(this.db, 'bakes', this.owner);
        if (handed) await this.carryOut('exports', handed);
        else if (baked) await this.carryOut('bakes', baked);
        else await pause(IDLE_MS);
      } catch (cause) {
        this.log.error(String(cause));
        await pause(4 * IDLE_MS);
      }
    }
  }

  /** Lets go of what it does and gives it back to the queue. */
  async stop(): Promise<void> {
    this.stopping = true;
    const { current } = this;
    if (!current) return;
    current.stop();
    await giveBack(this.db, current.queue, current.id, this.owner);
  }

  private async carryOut(queue: Queue, id: string): Promise<void> {
    let letGo: (how: LetGo) => void = () => undefined;
    const away = new Promise<never>((_, reject) => { letGo = reject; });
    away.catch(() => undefined);
    this.current = { queue, id, stop: () => letGo(new LetGo('lost')) };
    const timer = setInterval(() => { beat(this.db, queue, id, this.owner).then((how) => { if (how !== 'go') letGo(new LetGo(how)); }).catch((cause: unknown) => this.log.error(String(cause))); }, BEAT_MS);
    try {
      this.log.info(`${queue === 'bakes' ? 'bake' : 'hand-over'} ${id}: taken`);
      if (queue === 'bakes') await this.bake(id, away);
      else await this.handOver(id, away);
      await endJob(this.db, queue, id, this.owner, 'done', null);
      this.log.info(`${queue === 'bakes' ? 'bake' : 'hand-over'} ${id}: done`);
    } catch (cause) {
      if (cause instanceof LetGo) {
        if (cause.how === 'cancel') await endJob(this.db, queue, id, this.owner, 'cancelled', 'Cancelled; what was computed is kept, and it can go on from there.');
        if (cause.how === 'pause') await endJob(this.db, queue, id, this.owner, 'paused', null, { attempts: 0 });
        this.log.info(`${id}: let go (${cause.how})`);
        return;
      }
      const message = cause instanceof Error ? cause.message : String(cause);
      this.log.error(`${id}: ${message}`);
      await failOnce(this.db, queue, id, this.owner, message);
    } finally {
      clearInterval(timer);
      this.current = null;
    }
  }

  private async bake(id: string, away: Promise<never>): Promise<void> {
    const bake = await getBake(this.db, id), worker = new Worker(this.threadFile, { workerData: await this.inputOf(bake) });
    try { await Promise.race([this.follow(bake, worker), away]); } finally { await worker.terminate(); }
  }
  /** In a process of its own, beside the thread of bakes: what a large one holds goes back to the system with it. */
  private async handOver(id: string, away: Promise<never>): Promise<void> {
    const child = fork(path.join(path.dirname(this.threadFile), 'export-process.mjs'), { stdio: ['ignore', 'inherit', 'inherit', 'ipc'] });
    const over = new Promise<void>((resolve, reject) => {
      child.once('message', (m) => { const { message } = m as ExportAnswer; if (message === null) resolve(); else reject(new Error(message)); });
      child.once('error', reject);
      child.once('exit', () => reject(new Error('The hand-over ended before its time.')));
    });
    child.send({ id, owner: this.owner, connection: connectionOf(this.db) } satisfies ExportOrder);
    try { await Promise.race([over, away]); } finally { over.catch(() => undefined); child.kill('SIGKILL'); }
  }
  private async inputOf(bake: Bake): Promise<ThreadInput> {
    const { guides, sway } = bake.document, asset = await assetOfBake(this.db, bake), part = async (blob: string): Promise<Uint8Array> => { const bytes = await getBlob(this.db, blob); if (!bytes) throw new Error('A part of the groom is missing from the database.'); return bytes; };
    const [packed, planting, offsets] = await Promise.all([asset.packed, guides!.planting, guides!.offsets].map(part)), character = bake.document.drawn?.given ? packCharacter(await characterFor(this.db, bake.document, asset.packed)) : packed, maps: ThreadInput['maps'] = {};
    for (const [name, blob] of mapIds(sway)) maps[name] = await part(blob);
    return { document: bake.document, character, planting, offsets, maps, resume: await resumeOf(this.db, bake), threads: this.threads };
  }

  /** Stores what the thread sends, in the order it comes: frames and the state after them in one step. */
  private follow(bake: Bake, worker: Worker): Promise<void> {
    const { db, owner } = this;
    let waiting: BakeEvent[] = [], progress = { step: bake.stepsDone, steps: bake.steps }, told = 0, chain: Promise<unknown> = Promise.resolve();
    return new Promise((resolve, reject) => {
      const fail = (cause: unknown): void => reject(cause instanceof Error ? cause : new Error(String(cause)));
      const queue = (task: () => Promise<unknown>): void => { chain = chain.then(task); chain.catch(fail); };
      worker.on('message', (message: ThreadMessage) => {
        if (message.kind === 'failed') return fail(message.message);
        if (message.kind === 'step') {
          progress = message;
          const { step, steps } = message;
          if (Date.now() - told > 250) { told = Date.now(); queue(() => db('bakes').where({ id: bake.id, lease_owner: owner }).update({ steps_done: step, steps })); }
          return;
        }
        waiting.push(message);
        if (message.kind !== 'state' && message.kind !== 'finished') return;
        const events = waiting, at = { ...progress };
        waiting = [];
        queue(async () => { if (!(await storeBake(db, bake.id, owner, events, at))) throw new LetGo('lost'); if (message.kind === 'finished') resolve(); });
      });
      worker.on('error', fail);
      worker.on('exit', () => { chain.then(() => setTimeout(() => fail('The computation ended before its time.'), 200), () => undefined); });
    });
  }
}

const pause = (ms: number): Promise<void> => new Promise((r) => { setTimeout(r, ms); });
