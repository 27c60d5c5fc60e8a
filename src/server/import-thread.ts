/** Worker thread that reads one character's files. */
import { parentPort, workerData } from 'node:worker_threads';
import { readHere, type ReadOrder } from './read-character';

parentPort!.postMessage(await readHere(workerData as ReadOrder));
