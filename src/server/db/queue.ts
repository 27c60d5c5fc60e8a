/**
 * Work in the database that any number of workers take from: a row is leased for a while and the lease renewed as the work goes
 * on, so that another worker takes it over from one that died. All times are the database's own.
 */
import { hostname } from 'node:os';
import { existsSync } from 'node:fs';
import { randomBytes } from 'node:crypto';
import type { Knex } from 'knex';

export type Queue = 'bakes' | 'exports';
export type JobState = 'queued' | 'running' | 'done' | 'failed' | 'cancelled' | 'paused';
export const LEASE_SECONDS = 20;
/**
 * Tries are counted from the last time something new was stored. One whose worker was killed from outside tells nothing of the job and counts one; one that
 * ended with an error, the worker alive, counts `FAILURE` in all: three of those, or twelve silent ends, and the job stops.
 */
export const FAILURE = 4, MOST_ATTEMPTS = 12;

const now = (db: Knex): Knex.Raw => db.raw('utc_timestamp(3)');
const leaseEnd = (db: Knex): Knex.Raw => db.raw('utc_timestamp(3) + interval ? second', [LEASE_SECONDS]);

/** Who holds a lease: machine, process, and a number of its own. */
export const newOwner = (): string => `${hostname().slice(0, 30)}:${process.pid}:${randomBytes(8).toString('hex')}`;

/** Leases of processes of this machine that do not run any more are let go at once. */
export async function freeDeadLeases(db: Knex, queue: Queue): Promise<void> {
  const rows: { id: string; lease_owner: string }[] = await db(queue).where({ state: 'running' }).whereNotNull('lease_owner').select('id', 'lease_owner');
  for (const r of rows) {
    const [host, pid] = r.lease_owner.split(':');
    if (host !== hostname().slice(0, 30) || !/^\d+$/.test(pid ?? '') || existsSync(`/proc/${pid}`)) continue;
    await db(queue).where({ id: r.id, lease_owner: r.lease_owner }).update({ lease_until: now(db) });
  }
}

/** Takes the next job, the most urgent and then the oldest first; null where there is none. One that ended too often without getting on fails. */
export function claim(db: Knex, queue: Queue, owner: string): Promise<string | null> {
  return db.transaction(async (trx) => {
    const row: { id: string; attempts: number; message: string | null } | undefined = await trx(queue)
      .where({ state: 'queued' }).orWhere((q) => q.where({ state: 'running' }).andWhere('lease_until', '<', now(trx)))
      .orderBy([{ column: 'priority', order: 'desc' }, { column: 'created_at' }, { column: 'id' }]).forUpdate().skipLocked().first('id', 'attempts', 'message');
    if (!row) return null;
    if (row.attempts >= MOST_ATTEMPTS) {
      await trx(queue).where({ id: row.id }).update({ state: 'failed', finished_at: now(trx), lease_owner: null, lease_until: null, message: row.message ?? `Stopped after ${MOST_ATTEMPTS} tries that ended without a word; the log of the worker says more.` });
      return null;
    }
    await trx(queue).where({ id: row.id }).update({ state: 'running', attempts: row.attempts + 1, started_at: now(trx), finished_at: null, cancel_wanted: false, pause_wanted: false, lease_owner: owner, lease_until: leaseEnd(trx) });
    return row.id;
  });
}

/** Renews a lease; what is wanted of its holder: that it goes on, or lets go. */
export async function beat(db: Knex, queue: Queue, id: string, owner: string): Promise<'go' | 'lost' | 'cancel' | 'pause'> {
  const held = await db(queue).where({ id, lease_owner: owner, state: 'running' }).update({ lease_until: leaseEnd(db) });
  if (!held) return 'lost';
  const row: { cancel_wanted: number; pause_wanted: number } | undefined = await db(queue).where({ id }).first('cancel_wanted', 'pause_wanted');
  return !row ? 'lost' : row.cancel_wanted ? 'cancel' : row.pause_wanted ? 'pause' : 'go';
}

/** Whether the lease is still held; inside a transaction it is held until its end. */
export async function holds(trx: Knex.Transaction, queue: Queue, id: string, owner: string): Promise<boolean> {
  return (await trx(queue).where({ id, lease_owner: owner, state: 'running' }).forUpdate().first('id')) !== undefined;
}

export async function endJob(db: Knex, queue: Queue, id: string, owner: string, state: JobState, message: string | null, more: object = {}): Promise<void> {
  const over = state === 'done' || state === 'failed' || state === 'cancelled';
  await db(queue).where({ id, lease_owner: owner, state: 'running' }).update({ ...more, state, message, finished_at: over ? now(db) : null, lease_owner: null, lease_until: null });
}
/** A try ended with an error: the job is tried again, until it has failed too often. */
export const failOnce = (db: Knex, queue: Queue, id: string, owner: string, message: string): Promise<void> => endJob(db, queue, id, owner, 'queued', message, { attempts: db.raw('attempts + ?', [FAILURE - 1]) });
/** Errors a job has ended with, of so many counted tries. */
export const failuresOf = (attempts: number): number => Math.floor(attempts / FAILURE);
/** Gives a job back as if it had not been taken. */
export const giveBack = (db: Knex, queue: Queue, id: string, owner: string): Promise<void> => endJob(db, queue, id, owner, 'queued', null, { attempts: db.raw('greatest(attempts, 1) - 1') });

// ---------------------------------------------------------------- what a person asks for

export async function cancelJob(db: Knex, queue: Queue, id: string): Promise<void> {
  await db(queue).where({ id }).whereIn('state', ['queued', 'paused']).update({ state: 'cancelled', finished_at: now(db), message: null });
  await db(queue).where({ id, state: 'running' }).update({ cancel_wanted: true });
}
export async function pauseJob(db: Knex, queue: Queue, id: string): Promise<void> {
  await db(queue).where({ id, state: 'queued' }).update({ state: 'paused' });
  await db(queue).where({ id, state: 'running' }).update({ pause_wanted: true });
}
/** Puts a job that is paused, failed or cancelled in the queue again; it goes on from what is stored. */
export async function resumeJob(db: Knex, queue: Queue, id: string): Promise<void> {
  await db(queue).where({ id }).whereIn('state', ['paused', 'failed', 'cancelled']).update({ state: 'queued', attempts: 0, message: null, finished_at: null });
  await db(queue).where({ id, state: 'running' }).update({ pause_wanted: false, cancel_wanted: false });
}
/** Before all others that wait. */
export async function hurryJob(db: Knex, queue: Queue, id: string): Promise<void> {
  const most = (await db(queue).whereIn('state', ['queued', 'running']).max({ most: 'priority' }).first()) as { most: number | null } | undefined;
  await db(queue).where({ id }).update({ priority: (most?.most ?? 0) + 1 });
}
