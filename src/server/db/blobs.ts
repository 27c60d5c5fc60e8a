/** Large bytes: chunks of at most 1 MiB, each under the SHA-256 of its content, so that nothing is stored twice. */
import { createHash } from 'node:crypto';
import type { Knex } from 'knex';

const CHUNK = 1 << 20;

export const hashOf = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

/** A blob's chunk is missing or does not match its checksum. */
export class DamagedBlobError extends Error {
  constructor(readonly blob: string, readonly chunk: number, reason: string) {
    super(`Stored data ${blob.slice(0, 12)}… is damaged: chunk ${chunk} ${reason}.`);
    this.name = 'DamagedBlobError';
  }
}

/** Stores bytes and returns their id. Chunks are written before the row that refers to them. `heal`: what is stored under that name already is looked at, and put right where it is damaged. */
export async function putBlob(db: Knex, bytes: Uint8Array, heal = false): Promise<string> {
  const id = hashOf(bytes);
  if (await hasBlob(db, id)) { if (heal) await healChunks(db, bytes); return id; }
  const parts: { seq: number; chunk: string }[] = [];
  for (let seq = 0, at = 0; at < bytes.length || seq === 0; seq++, at += CHUNK) {
    const part = Buffer.from(bytes.subarray(at, at + CHUNK));
    const chunk = hashOf(part);
    await db('chunks').insert({ id: chunk, bytes: part }).onConflict('id').ignore();
    parts.push({ seq, chunk });
  }
  await db.transaction(async (trx) => {
    await trx('blobs').insert({ id, size: bytes.length }).onConflict('id').ignore();
    await trx('blob_chunks').insert(parts.map((p) => ({ blob_id: id, seq: p.seq, chunk_id: p.chunk }))).onConflict(['blob_id', 'seq']).ignore();
  });
  return id;
}

async function healChunks(db: Knex, bytes: Uint8Array): Promise<void> {
  for (let at = 0; at < bytes.length; at += CHUNK) {
    const part = Buffer.from(bytes.subarray(at, at + CHUNK)), id = hashOf(part), stored: { bytes: Buffer } | undefined = await db('chunks').where({ id }).first('bytes');
    if (stored && hashOf(stored.bytes) !== id) await db('chunks').where({ id }).update({ bytes: part });
  }
}

export async function hasBlob(db: Knex, id: string): Promise<boolean> {
  return (await db('blobs').where({ id }).first('id')) !== undefined;
}

/** Bytes of a blob, every chunk checked; null where there is none of this id. */
export async function getBlob(db: Knex, id: string): Promise<Buffer | null> {
  const blob: { size: number } | undefined = await db('blobs').where({ id }).first('size');
  if (!blob) return null;
  const rows: { chunk_id: string; bytes: Buffer; seq: number }[] = await db('blob_chunks').join('chunks', 'chunks.id', 'blob_chunks.chunk_id').where({ blob_id: id }).orderBy('seq').select('chunk_id', 'bytes', 'seq');
  rows.forEach((r, i) => {
    if (r.seq !== i) throw new DamagedBlobError(id, i, 'is missing');
    if (hashOf(r.bytes) !== r.chunk_id) throw new DamagedBlobError(id, i, 'does not match its checksum');
  });
  const bytes = Buffer.concat(rows.map((r) => r.bytes));
  if (bytes.length !== Number(blob.size)) throw new DamagedBlobError(id, rows.length, 'is missing');
  return bytes;
}

/** Deletes a blob that nothing refers to any more, with the chunks no other blob has; whoever still refers to it keeps it. */
export async function dropBlob(db: Knex, id: string): Promise<void> {
  const chunks: { chunk_id: string }[] = await db('blob_chunks').where({ blob_id: id }).select('chunk_id');
  try { await db('blobs').where({ id }).delete(); } catch (cause) { if (/foreign key/i.test(String(cause))) return; throw cause; }
  for (const { chunk_id: chunk } of chunks) if (!(await db('blob_chunks').where({ chunk_id: chunk }).first('blob_id'))) await db('chunks').where({ id: chunk }).delete().catch((cause: unknown) => { if (!/foreign key/i.test(String(cause))) throw cause; });
}

/** Stores bytes that come piece by piece; never more than a few chunks are held. Returns their id and size. */
export async function putBlobStream(db: Knex, pieces: AsyncIterable<Uint8Array>): Promise<{ id: string; size: number }> {
  const whole = createHash('sha256'), parts: string[] = [], room = Buffer.alloc(CHUNK);
  let held = 0, size = 0;
  const flush = async (): Promise<void> => {
    const part = Buffer.from(room.subarray(0, held)), chunk = hashOf(part);
    await db('chunks').insert({ id: chunk, bytes: part }).onConflict('id').ignore();
    parts.push(chunk);
    held = 0;
  };
  for await (const piece of pieces) {
    whole.update(piece);
    size += piece.length;
    for (let at = 0; at < piece.length;) {
      const take = Math.min(CHUNK - held, piece.length - at);
      room.set(piece.subarray(at, at + take), held);
      held += take;
      at += take;
      if (held === CHUNK) await flush();
    }
  }
  if (held > 0 || parts.length === 0) await flush();
  const id = whole.digest('hex');
  await db.transaction(async (trx) => {
    await trx('blobs').insert({ id, size }).onConflict('id').ignore();
    for (let k = 0; k < parts.length; k += 500) await trx('blob_chunks').insert(parts.slice(k, k + 500).map((chunk, j) => ({ blob_id: id, seq: k + j, chunk_id: chunk }))).onConflict(['blob_id', 'seq']).ignore();
  });
  return { id, size };
}

/** The chunks of a blob one after the other, each checked. Throws `DamagedBlobError`. */
export async function* blobPieces(db: Knex, id: string): AsyncGenerator<Buffer> {
  const rows: { seq: number; chunk_id: string }[] = await db('blob_chunks').where({ blob_id: id }).orderBy('seq').select('seq', 'chunk_id');
  for (const [i, r] of rows.entries()) {
    const row: { bytes: Buffer } | undefined = r.seq === i ? await db('chunks').where({ id: r.chunk_id }).first('bytes') : undefined;
    if (!row) throw new DamagedBlobError(id, i, 'is missing');
    if (hashOf(row.bytes) !== r.chunk_id) throw new DamagedBlobError(id, i, 'does not match its checksum');
    yield row.bytes;
  }
}

/** Deletes blobs once the rows that referred to them are gone. */
export async function dropBlobs(db: Knex, ids: Iterable<string | null>): Promise<void> {
  for (const id of new Set(ids)) if (id) await dropBlob(db, id);
}
