/** Productions, characters, grooms and their versions: rows ⇄ checked values. */
import { randomBytes } from 'node:crypto';
import { createReadStream } from 'node:fs';
import type { Knex } from 'knex';
import { z } from 'zod';
import { buffersOf, documentSchema, type GroomDocument } from '../../core/document/schema';
import { readDocument as upgraded } from '../../core/document/upgrade';
import type { Character } from '../../core/mesh/character';
import { importChoicesSchema, type ImportChoices } from '../../core/mesh/placement';
import { setBytes } from '../../formats/file-set';
import { unpackCharacter } from '../../formats/packed-character';
import { readCharacter, type Incoming } from '../read-character';
import { getBlob, hasBlob, putBlob, putBlobStream } from './blobs';

export const newId = (): string => randomBytes(8).toString('hex');
export const json = (value: unknown): string => JSON.stringify(value);

/** An error that is told to the person who asked, with an HTTP status. */
export class UserError extends Error {
  constructor(readonly status: number, readonly code: string, message: string, readonly details?: unknown) {
    super(message);
    this.name = 'UserError';
  }
}
export const notFound = (what: string): UserError => new UserError(404, 'notFound', `This ${what} does not exist (any more).`);

// ---------------------------------------------------------------- productions and characters

const assetRow = z.object({ id: z.string(), production_id: z.string(), name: z.string(), file_name: z.string(), packed_blob: z.string(), warnings: z.string() });
export interface AssetInfo { id: string; productionId: string; name: string; fileName: string; packed: string; warnings: string[] }
const toAsset = (row: unknown): AssetInfo => {
  const r = assetRow.parse(row);
  return { id: r.id, productionId: r.production_id, name: r.name, fileName: r.file_name, packed: r.packed_blob, warnings: z.array(z.string()).parse(JSON.parse(r.warnings)) };
};

export async function createProduction(db: Knex, name: string, id = newId()): Promise<string> {
  await db('productions').insert({ id, name, created_at: new Date() });
  return id;
}

/** Reads an uploaded character as somebody chose to have it, and stores it; nothing is stored where it cannot be used. */
export async function importCharacter(db: Knex, productionId: string, name: string, files: Incoming, choices: ImportChoices | null, id = newId()): Promise<{ asset: AssetInfo; character: Character }> {
  const read = await readCharacter(files, choices);
  if (!read.ok) throw new UserError(422, read.error.type, read.error.message, { where: read.error.where });
  const { fileName, source: from, packed } = read.value, again = unpackCharacter(packed);
  if (!again.ok) throw new UserError(500, again.error.type, again.error.message);
  const source = 'file' in files ? (await putBlobStream(db, createReadStream(/* turbopackIgnore: true */ files.file))).id : await putBlob(db, files.length === 1 ? files[0].bytes : setBytes(files)), stored = await putBlob(db, packed);
  await db('assets').insert({ id, production_id: productionId, name: name.slice(0, 200), file_name: fileName.slice(0, 300), source_blob: source, packed_blob: stored, warnings: json(read.warnings), source: from.slice(0, 200), choices: choices && json(choices), created_at: new Date() });
  return { asset: await getAsset(db, id), character: again.value };
}
/** How the last file of that source was placed; null where there was none. */
export async function choicesFor(db: Knex, source: string): Promise<ImportChoices | null> {
  const row = (await db('assets').where({ source }).whereNotNull('choices').orderBy('created_at', 'desc').first('choices')) as { choices: string } | undefined;
  const parsed = importChoicesSchema.safeParse(row && JSON.parse(row.choices));
  return parsed.success ? parsed.data : null;
}

export async function getAsset(db: Knex, id: string): Promise<AssetInfo> {
  const row: unknown = await db('assets').where({ id }).first();
  if (!row) throw notFound('character');
  return toAsset(row);
}

export async function loadCharacter(db: Knex, packed: string): Promise<Character> {
  const bytes = await getBlob(db, packed);
  if (!bytes) throw notFound('character');
  const read = unpackCharacter(bytes);
  if (!read.ok) throw new UserError(500, read.error.type, read.error.message);
  return read.value;
}

export interface Overview {
  productions: { id: string; name: string; assets: { id: string; name: string; fileName: string; /** 1 for what came in; counted along what it follows. */ version: number; grooms: { id: string; name: string; /** Null of a groom that cannot be read. */ shot: string | null; updatedAt: string }[] }[] }[];
}
/** Of a version of a character the id of the one it came from in the end. */
export function firstVersions(all: readonly { id: string; follows: string | null }[]): (id: string) => string {
  const byId = new Map(all.map((a) => [a.id, a]));
  return (id) => { let at = id; for (let a = byId.get(at); a?.follows && byId.has(a.follows); a = byId.get(at)) at = a.follows; return at; };
}
export async function overview(db: Knex): Promise<Overview> {
  const [productions, assets, grooms] = await Promise.all([
    db('productions').orderBy('created_at').select('id', 'name') as Promise<{ id: string; name: string }[]>,
    db('assets').orderBy('created_at').select('id', 'production_id', 'name', 'file_name', 'follows') as Promise<{ id: string; production_id: string; name: string; file_name: string; follows: string | null }[]>,
    db('grooms as g').join('groom_versions as v', function on() { this.on('v.groom_id', 'g.id').andOn('v.version', 'g.version'); }).orderBy('g.created_at').select('g.id', 'g.asset_id', 'g.name', 'g.updated_at', 'v.document') as Promise<{ id: string; asset_id: string; name: string; updated_at: Date; document: string }[]>,
  ]);
  const byId = new Map(assets.map((a) => [a.id, a])), followed = new Set(assets.map((a) => a.follows));
  const versionOf = (a: (typeof assets)[number]): number => { const before = a.follows ? byId.get(a.follows) : undefined; return before ? versionOf(before) + 1 : 1; };
  const first = firstVersions(assets), worn = new Set(grooms.map((g) => first(g.asset_id)));
  return {
    productions: productions.map((p) => ({
      ...p,
      // versions that nothing grows on are kept, and not listed where another of the same character is
      assets: assets.filter((a) => a.production_id === p.id && (grooms.some((g) => g.asset_id === a.id) || (!followed.has(a.id) && !worn.has(first(a.id))))).map((a) => ({
        id: a.id, name: a.name, fileName: a.file_name, version: versionOf(a),
        grooms: grooms.filter((g) => g.asset_id === a.id).map((g) => ({ id: g.id, name: g.name, shot: shotOf(g.document), updatedAt: g.updated_at.toISOString() })),
      })),
    })),
  };
}

// ---------------------------------------------------------------- grooms

export const readDocument = (text: string): GroomDocument => upgraded(JSON.parse(text));
/** The open shot of a stored document; null of one that is not understood, which must not hide the others. */
const shotOf = (text: string): string | null => { try { return readDocument(text).shotName; } catch { return null; } };

export interface GroomInfo { id: string; name: string; version: number; document: GroomDocument; character: AssetInfo; production: { id: string; name: string } }

export async function createGroom(db: Knex, assetId: string, name: string, document: GroomDocument, label: string, id = newId()): Promise<string> {
  await requireBuffers(db, document);
  const now = new Date();
  await db.transaction(async (trx) => {
    await trx('grooms').insert({ id, asset_id: assetId, name: name.slice(0, 200), version: 1, created_at: now, updated_at: now });
    await trx('groom_versions').insert({ groom_id: id, version: 1, label, document: json(documentSchema.parse(document)), created_at: now });
  });
  return id;
}

export async function getGroom(db: Knex, id: string): Promise<GroomInfo> {
  const row: { name: string; version: number; asset_id: string; document: string } | undefined = await db('grooms as g').join('groom_versions as v', function on() { this.on('v.groom_id', 'g.id').andOn('v.version', 'g.version'); }).where('g.id', id).first('g.name', 'g.version', 'g.asset_id', 'v.document');
  if (!row) throw notFound('groom');
  const character = await getAsset(db, row.asset_id);
  const production: { id: string; name: string } = await db('productions').where({ id: character.productionId }).first('id', 'name');
  return { id, name: row.name, version: row.version, document: readDocument(row.document), character, production };
}

async function requireBuffers(db: Knex, document: GroomDocument): Promise<void> {
  for (const id of buffersOf(document)) if (!(await hasBlob(db, id))) throw new UserError(409, 'bufferMissing', 'A part of the groom has not arrived on the server yet; it is sent again.', { buffer: id });
}

/** Stores the next version. Refused where `base` is not the newest: somebody else has saved since. */
/** `between`: steps on the way there, the oldest first; each becomes a version of its own. */
export async function saveGroom(db: Knex, id: string, base: number, document: GroomDocument, label: string, between: readonly { document: GroomDocument; label: string }[] = []): Promise<number> {
  for (const step of [...between, { document }]) await requireBuffers(db, step.document);
  return db.transaction(async (trx) => {
    const row: { version: number } | undefined = await trx('grooms').where({ id }).forUpdate().first('version');
    if (!row) throw notFound('groom');
    if (row.version !== base) throw new UserError(409, 'behind', 'This groom was changed in another window. Nothing was overwritten: reload to see that change, or keep this one as a copy.', { version: row.version });
    const version = row.version + between.length + 1, now = new Date();
    await trx('groom_versions').insert([...between, { document, label }].map((step, k) => ({ groom_id: id, version: row.version + k + 1, label: step.label.slice(0, 300), document: json(step.document), created_at: now })));
    await trx('grooms').where({ id }).update({ version, updated_at: now });
    return version;
  });
}

/** The newest versions of a groom, the oldest of them first; those that cannot be read any more are left out, with what came before. */
export async function groomSteps(db: Knex, id: string, most: number): Promise<{ version: number; label: string; document: GroomDocument }[]> {
  const rows: { version: number; label: string; document: string }[] = await db('groom_versions').where({ groom_id: id }).orderBy('version', 'desc').limit(most).select('version', 'label', 'document'), out: { version: number; label: string; document: GroomDocument }[] = [];
  for (const r of rows) {
    try { out.unshift({ version: r.version, label: r.label, document: readDocument(r.document) }); }
    catch { break; }
  }
  return out;
}
