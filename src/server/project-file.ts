/**
 * A production, or one groom of it, as one zip: `project.json` with all that is known (documents in every saved version, takes, bakes, where
 * characters came from), and the bytes it names, each under its SHA-256. What is handed over is not in it: it is written again
 * from the bakes.
 */
import { createHash } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Knex } from 'knex';
import { openPromise, type Entry, type ZipFile } from 'yauzl';
import { z } from 'zod';
import { buffersOf, type GroomDocument } from '../core/document/schema';
import { readDocument } from '../core/document/upgrade';
import { blobPieces, hasBlob, putBlobStream } from './db/blobs';
import { json, newId, notFound, UserError } from './db/records';
import type { ZipEntry } from './zip-stream';

export const PROJECT_KIND = 'Fine Comb project', PROJECT_VERSION = 1;
/** What is taken at most. */
export const MOST_PROJECT_MB = 4096;
const text = z.string(), id = z.string().regex(/^[\w-]{1,16}$/), blob = z.string().regex(/^[0-9a-f]{64}$/), time = z.iso.datetime(), whole = z.number().int();
const projectSchema = z.object({
  kind: z.literal(PROJECT_KIND), version: whole,
  production: z.object({ name: text.max(200), limits: text.nullable() }),
  assets: z.array(z.object({ id, name: text.max(200), file_name: text.max(300), source_blob: blob, packed_blob: blob, warnings: text, source: text.max(200), choices: text.nullable(), follows: id.nullable(), note: text.max(300), created_at: time })),
  grooms: z.array(z.object({ id, asset_id: id, name: text.max(200), created_at: time, updated_at: time, versions: z.array(z.object({ version: whole, label: text.max(300), document: z.unknown(), created_at: time })).min(1) })),
  takes: z.array(z.object({ id, groom_id: id, motion_key: blob, proof: text, name: text.max(120), shot_name: text.max(60), settings: text.nullable(), frames_blob: blob.nullable(), strip_blob: blob.nullable(), bytes: z.number(), pinned: z.boolean(), created_at: time })),
  bakes: z.array(z.object({ id, groom_id: id, asset_id: id, motion_key: blob, document: z.unknown(), start_frame: whole, end_frame: whole, pre_roll: whole, steps: whole, steps_done: whole, report: text.nullable(), loop_report: text.nullable(), solver: whole, bytes: z.number(), created_at: time, started_at: time.nullable(), finished_at: time.nullable(), chunks: z.array(z.object({ first: whole, count: whole, blob_id: blob, measures: text })) })),
});
type Project = z.infer<typeof projectSchema>;

/** Rows as they are in the database: dates as text, flags as such. */
const plain = (row: Record<string, unknown>): Record<string, unknown> => Object.fromEntries(Object.entries(row).map(([k, v]) => [k, v instanceof Date ? v.toISOString() : k === 'bytes' ? Number(v) : k === 'pinned' ? v === 1 : v]));
const blobsOf = (p: Project, documents: readonly GroomDocument[]): string[] => [...new Set([...p.assets.flatMap((a) => [a.source_blob, a.packed_blob]), ...documents.flatMap(buffersOf), ...p.takes.flatMap((t) => [t.frames_blob, t.strip_blob]), ...p.bakes.flatMap((b) => b.chunks.map((c) => c.blob_id))])].filter((b): b is string => b !== null).sort();

/** The files of a project, for a zip. `groomId`: only this groom, with its character. */
export async function projectEntries(db: Knex, productionId: string, groomId: string | null): Promise<{ name: string; entries: AsyncGenerator<ZipEntry> }> {
  const production: { name: string; limits: string | null } | undefined = await db('productions').where({ id: productionId }).first('name', 'limits');
  if (!production) throw notFound('production');
  const all: Record<string, unknown>[] = await db('assets').where({ production_id: productionId }).orderBy('created_at'), grooms: Record<string, unknown>[] = await db('grooms').whereIn('asset_id', all.map((a) => a.id as string)).modify((q) => { if (groomId) void q.where({ id: groomId }); }).orderBy('created_at');
  if (groomId && grooms.length === 0) throw notFound('groom');
  const ids = grooms.map((g) => g.id as string), bakes: Record<string, unknown>[] = await db('bakes').whereIn('groom_id', ids).where({ state: 'done' }).orderBy('created_at'), takes: Record<string, unknown>[] = await db('takes').whereIn('groom_id', ids).orderBy('created_at');
  const needed = new Set(groomId ? [...grooms.map((g) => g.asset_id as string), ...bakes.map((b) => b.asset_id as string)] : all.map((a) => a.id as string));
  // a version of a character names the one before it
  for (let grew = true; grew;) { grew = false; for (const a of all) if (needed.has(a.id as string) && a.follows && !needed.has(a.follows as string)) { needed.add(a.follows as string); grew = true; } }
  const versions: Record<string, unknown>[] = await db('groom_versions').whereIn('groom_id', ids).orderBy(['groom_id', 'version']), chunks: Record<string, unknown>[] = await db('bake_chunks').whereIn('bake_id', bakes.map((b) => b.id as string)).where({ draft: false }).orderBy(['bake_id', 'first']);
  const project = projectSchema.parse({
    kind: PROJECT_KIND, version: PROJECT_VERSION, production, assets: all.filter((a) => needed.has(a.id as string)).map(plain),
    grooms: grooms.map((g) => ({ ...plain(g), versions: versions.filter((v) => v.groom_id === g.id).map((v) => ({ ...plain(v), document: JSON.parse(v.document as string) as unknown })) })),
    takes: takes.map(plain), bakes: bakes.map((b) => ({ ...plain(b), document: JSON.parse(b.document as string) as unknown, chunks: chunks.filter((c) => c.bake_id === b.id).map(plain) })),
  }), documents = project.grooms.flatMap((g) => g.versions.flatMap((v) => { try { return [readDocument(v.document)]; } catch { return []; } }));
  const name = groomId ? `${production.name} ${project.grooms[0].name}` : production.name;
  return { name, entries: (async function* entries() {
    yield { name: 'project.json', deflate: true, pieces: (async function* once() { yield new TextEncoder().encode(`${JSON.stringify(project, null, 1)}\n`); })() };
    // a buffer of an old version that is gone is no reason to keep the rest back
    for (const b of blobsOf(project, documents)) if (await hasBlob(db, b)) yield { name: `blobs/${b}`, pieces: blobPieces(db, b) };
  })() };
}

export interface Opened { productionId: string; name: string; grooms: string[]; notes: string[] }

/** Takes a project in beside what is there; a part that is broken is left out and told, nothing half of it stays. */
export async function openProject(db: Knex, body: ReadableStream<Uint8Array> | null): Promise<Opened> {
  if (!body) throw new UserError(400, 'empty', 'No file came.');
  const dir = await mkdtemp(path.join(tmpdir(), 'fine-comb-project-'));
  try {
    let size = 0;
    const file = path.join(dir, 'project.zip');
    await pipeline(Readable.fromWeb(body as never), async function* counted(source: AsyncIterable<Uint8Array>) { for await (const part of source) { size += part.length; if (size > MOST_PROJECT_MB * 1048576) throw new UserError(413, 'tooBig', `This is larger than the ${MOST_PROJECT_MB.toLocaleString('en')} MB taken here.`); yield part; } }, createWriteStream(file));
    const zip = await openPromise(file, { lazyEntries: true, autoClose: false }).catch(() => { throw new UserError(422, 'notThisFormat', 'This is no zip, or it was cut off on its way. Save the project again.'); });
    try { return await takeIn(db, zip); } finally { zip.close(); }
  } finally { await rm(dir, { recursive: true, force: true }); }
}

async function takeIn(db: Knex, zip: ZipFile): Promise<Opened> {
  const entries = new Map<string, Entry>(), notes: string[] = [];
  for await (const e of zip.eachEntry()) entries.set(e.fileName, e);
  const head = entries.get('project.json');
  if (!head) throw new UserError(422, 'notThisFormat', 'This zip holds no project of Fine Comb.');
  if (head.uncompressedSize > 512 * 1048576) throw new UserError(422, 'tooBig', 'The list of this project is too large to be one.');
  const parts: Buffer[] = [];
  let value: unknown;
  try { for await (const p of await zip.openReadStreamPromise(head)) parts.push(p as Buffer); value = JSON.parse(Buffer.concat(parts).toString('utf8')); } catch { throw new UserError(422, 'invalid', 'The list of this project cannot be read; the file was damaged. Save the project again.'); }
  const version = (value as { version?: unknown } | null)?.version;
  if (typeof version === 'number' && version > PROJECT_VERSION) throw new UserError(422, 'versionTooNew', `This project is of version ${version}; known is ${PROJECT_VERSION}. Open it with a newer Fine Comb.`);
  const read = projectSchema.safeParse(value);
  if (!read.success) { const [issue] = read.error.issues; throw new UserError(422, 'invalid', `project.json, ${issue.path.join('.')}: ${issue.message}`); }
  const project = read.data, fine = new Map<string, boolean>();
  /** Brings one blob in, checked by its name; false where it is missing or damaged. */
  const bring = async (name: string): Promise<boolean> => {
    const known = fine.get(name);
    if (known !== undefined) return known;
    let ok = false;
    const entry = entries.get(`blobs/${name}`);
    if (await hasBlob(db, name)) ok = true;
    else if (entry) {
      // looked at before it is stored: a damaged one leaves nothing behind
      const hash = createHash('sha256');
      try { for await (const p of await zip.openReadStreamPromise(entry)) hash.update(p as Buffer); ok = hash.digest('hex') === name; } catch { ok = false; }
      if (ok) await putBlobStream(db, await zip.openReadStreamPromise(entry));
    }
    fine.set(name, ok);
    return ok;
  };
  const all = async (names: readonly (string | null)[]): Promise<boolean> => { for (const n of names) if (n && !(await bring(n))) return false; return true; };
  const names = new Set((await db('productions').select('name') as { name: string }[]).map((p) => p.name));
  let { name } = project.production;
  for (let n = 2; names.has(name); n++) name = `${project.production.name} ${n}`;
  const productionId = newId(), assetIds = new Map<string, string>(), groomIds = new Map<string, string>(), date = (t: string): Date => new Date(t), opened: string[] = [];

  const assets: Project['assets'] = [], grooms: { of: Project['grooms'][number]; versions: { version: number; label: string; document: string; created_at: Date }[] }[] = [], takes: Project['takes'] = [], bakes: Project['bakes'] = [];
  for (const a of project.assets) { if (await all([a.source_blob, a.packed_blob])) { assets.push(a); assetIds.set(a.id, newId()); } else notes.push(`The character “${a.name}” is damaged in this file and was left out, with its grooms.`); }
  for (const g of project.grooms) {
    const versions: (typeof grooms)[number]['versions'] = [];
    for (const v of g.versions) { try { const document = readDocument(v.document); if (await all(buffersOf(document))) versions.push({ version: v.version, label: v.label, document: json(document), created_at: date(v.created_at) }); } catch { /* told below */ } }
    if (!assetIds.has(g.asset_id)) continue;
    if (versions.at(-1)?.version !== g.versions.at(-1)!.version) { notes.push(`The groom “${g.name}” is damaged in this file, or of a newer version, and was left out.`); continue; }
    if (versions.length < g.versions.length) notes.push(`${g.versions.length - versions.length} earlier steps of “${g.name}” could not be read and were left out.`);
    groomIds.set(g.id, newId());
    grooms.push({ of: g, versions });
  }
  for (const t of project.takes) if (groomIds.has(t.groom_id)) { if (await all([t.frames_blob, t.strip_blob])) takes.push(t); else notes.push(`The take “${t.name || t.shot_name}” is damaged in this file and was left out.`); }
  for (const b of project.bakes) if (groomIds.has(b.groom_id) && assetIds.has(b.asset_id)) { if (await all(b.chunks.map((c) => c.blob_id))) bakes.push(b); else notes.push(`A bake of frames ${b.start_frame}–${b.end_frame} is damaged in this file and was left out: bake the range again.`); }
  if (assets.length === 0 && project.assets.length > 0) throw new UserError(422, 'damaged', `Nothing of this project can be read. ${notes[0] ?? ''}`);

  await db.transaction(async (trx) => {
    await trx('productions').insert({ id: productionId, name, limits: project.production.limits, created_at: new Date() });
    // a version comes after the one it follows
    const waiting = [...assets];
    for (let k = 0; waiting.length > 0; k++) {
      const a = waiting.shift()!;
      if (a.follows && assetIds.has(a.follows) && waiting.some((w) => w.id === a.follows) && k < 10_000) { waiting.push(a); continue; }
      await trx('assets').insert({ ...a, id: assetIds.get(a.id)!, production_id: productionId, follows: a.follows ? (assetIds.get(a.follows) ?? null) : null, created_at: date(a.created_at) });
    }
    for (const { of: g, versions } of grooms) {
      const id = groomIds.get(g.id)!;
      opened.push(id);
      await trx('grooms').insert({ id, asset_id: assetIds.get(g.asset_id)!, name: g.name, version: versions.at(-1)!.version, created_at: date(g.created_at), updated_at: date(g.updated_at) });
      for (const v of versions) await trx('groom_versions').insert({ groom_id: id, ...v });
    }
    for (const t of takes) await trx('takes').insert({ ...t, id: newId(), groom_id: groomIds.get(t.groom_id)!, created_at: date(t.created_at) });
    for (const { chunks, document, ...b } of bakes) {
      const bake = newId();
      await trx('bakes').insert({ ...b, id: bake, groom_id: groomIds.get(b.groom_id)!, asset_id: assetIds.get(b.asset_id)!, document: json(document), state: 'done', created_at: date(b.created_at), started_at: b.started_at && date(b.started_at), finished_at: b.finished_at && date(b.finished_at) });
      for (const c of chunks) await trx('bake_chunks').insert({ bake_id: bake, draft: false, ...c });
    }
  });
  return { productionId, name, grooms: opened, notes };
}
