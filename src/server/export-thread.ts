/** Worker thread of a hand-over: cards and chains take their time, and the runner's lease must be renewed meanwhile. */
import { parentPort, workerData } from 'node:worker_threads';
import { openConnection } from './db/connection';
import { runExport } from './run-export';

const { id, owner, connection } = workerData as { id: string; owner: string; connection: object }, db = openConnection(connection, 2);
let message: string | null = null;
try { await runExport(db, id, owner); } catch (cause) { message = cause instanceof Error ? cause.message : String(cause); }
await db.destroy();
parentPort!.postMessage({ message });
