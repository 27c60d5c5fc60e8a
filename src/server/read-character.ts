/** Reads a character's files away from the thread that answers requests, with a limit on memory of its own. */
import { existsSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { Worker } from 'node:worker_threads';
import type { ImportChoices } from '../core/mesh/placement';
import { unpackSet, type NamedFile } from '../formats/file-set';
import { chosenCharacter, openCharacter } from '../formats/open-character';
import { packCharacter } from '../formats/packed-character';
import { failure, type Result } from '../formats/result';

export interface ReadCharacter { packed: Uint8Array; fileName: string; source: string }
/** Files in memory, or all of them in one file as they came. */
export type Incoming = readonly NamedFile[] | { file: string; name: string };
export interface ReadOrder { files: Incoming; choices: ImportChoices | null }

const MOST_HEAP_MB = 3000, MOST_SECONDS = 180;

/** Beside the bundled programs; where they are not built (in tests), it is read here. */
const THREAD = path.join(process.cwd(), 'dist', 'import-thread.mjs');

export async function readCharacter(files: Incoming, choices: ImportChoices | null): Promise<Result<ReadCharacter>> {
  if (!existsSync(/* turbopackIgnore: true */ THREAD)) return readHere({ files, choices });
  const order: ReadOrder = { files, choices }, worker = new Worker(/* turbopackIgnore: true */ THREAD, { workerData: order, resourceLimits: { maxOldGenerationSizeMb: MOST_HEAP_MB } });
  const limit = setTimeout(() => { void worker.terminate(); }, 1000 * MOST_SECONDS);
  try {
    return await new Promise<Result<ReadCharacter>>((done) => {
      worker.once('message', done);
      worker.once('error', (e: Error & { code?: string }) => done(failure('unsupported', e.code === 'ERR_WORKER_OUT_OF_MEMORY' ? 'The file needs more memory than there is for reading it. Reduce the mesh or its clips.' : `The file could not be read: ${e.message}. Export it again.`)));
      worker.once('exit', () => done(failure('unsupported', `Reading the file took more than ${MOST_SECONDS} s. Reduce the mesh or its clips.`)));
    });
  } finally {
    clearTimeout(limit);
    void worker.terminate();
  }
}

export async function readHere({ files, choices }: ReadOrder): Promise<Result<ReadCharacter>> {
  const given = 'file' in files ? unpackSet(readFileSync(/* turbopackIgnore: true */ files.file), files.name) : { ok: true as const, value: files };
  if (!given.ok) return given;
  const read = await openCharacter(given.value);
  if (!read.ok) return read;
  const { character, fileName, source } = read.value;
  return { ok: true, value: { packed: packCharacter(choices ? chosenCharacter(character, choices) : character), fileName, source }, warnings: read.warnings };
}
