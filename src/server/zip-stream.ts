/** Zips that are never held whole, however large. */
import { Readable } from 'node:stream';
import { ZipFile } from 'yazl';

export interface ZipEntry { name: string; pieces: AsyncIterable<Uint8Array>; /** Text is worth deflating, what is packed already is not. */ deflate?: boolean }

export async function* zipPieces(entries: AsyncIterable<ZipEntry> | Iterable<ZipEntry>): AsyncGenerator<Uint8Array> {
  const zip = new ZipFile(), out = zip.outputStream as Readable;
  const fail = (cause: unknown): void => { out.destroy(cause instanceof Error ? cause : new Error(String(cause))); };
  zip.on('error', fail);
  const put = (async () => {
    for await (const { name, pieces, deflate } of entries) {
      const from = Readable.from(pieces, { objectMode: false });
      from.on('error', fail);
      // the next is asked for when this one has been read
      const read = new Promise<void>((done) => { from.once('close', done); });
      zip.addReadStream(from, name, { compress: deflate === true, mtime: new Date(Date.UTC(2000, 0, 1)) });
      await read;
    }
    zip.end();
  })();
  put.catch(fail);
  for await (const piece of out) yield piece as Uint8Array;
  await put;
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
