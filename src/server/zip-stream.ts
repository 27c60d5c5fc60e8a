/** Zips that are never held whole: files as they are, one after the other. */
import { Zip, ZipDeflate, ZipPassThrough } from 'fflate';

export interface ZipEntry { name: string; pieces: AsyncIterable<Uint8Array>; /** Text is worth deflating, what is packed already is not. */ deflate?: boolean }

export async function* zipPieces(entries: AsyncIterable<ZipEntry> | Iterable<ZipEntry>): AsyncGenerator<Uint8Array> {
  let ready: Uint8Array[] = [], failure: Error | null = null;
  const zip = new Zip((error, data) => { if (error) failure = error; else ready.push(data); });
  const flush = function* flushing(): Generator<Uint8Array> { if (failure) throw failure; const some = ready; ready = []; yield* some; };
  for await (const { name, pieces, deflate } of entries) {
    const file = deflate ? new ZipDeflate(name, { level: 6 }) : new ZipPassThrough(name);
    zip.add(file);
    for await (const piece of pieces) { file.push(piece); yield* flush(); }
    file.push(new Uint8Array(0), true);
    yield* flush();
  }
  zip.end();
  yield* flush();
}

/** Pieces as the body of an answer, pulled as they are taken. */
export function streamOf(pieces: AsyncIterable<Uint8Array>): ReadableStream<Uint8Array> {
  const from = pieces[Symbol.asyncIterator]();
  return new ReadableStream<Uint8Array>({
    async pull(controller) {
      try { const next = await from.next(); if (next.done) controller.close(); else controller.enqueue(next.value); } catch (cause) { controller.error(cause); }
    },
    async cancel() { await from.return?.(); },
  }, { highWaterMark: 1 });
}
