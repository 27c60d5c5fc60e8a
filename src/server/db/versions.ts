/** Versions of a character: garments added and replaced, and the grooms that go along. */
import type { Knex } from 'knex';
import { characterOf, ofChains } from '../../core/chain/character-of';
import { troubleWith } from '../../core/chain/chains';
import type { GroomDocument } from '../../core/document/schema';
import { findNode, restPositions, type Character, type Role } from '../../core/mesh/character';
import { AS_IT_IS, importChoicesSchema, placeCharacter, UNITS, type Placement } from '../../core/mesh/placement';
import { boxOfPoints, restBox } from '../../core/mesh/rest-box';
import { fitScale, wear, WearError, type MovingPoints, type Worn } from '../../core/mesh/wear';
import { setBytes, unpackFiles, unpackSet, type NamedFile } from '../../formats/file-set';
import { packCharacter, unpackCharacter } from '../../formats/packed-character';
import { isPointCache, readPointCache } from '../../formats/point-cache';
import { readCharacter } from '../read-character';
import { getBlob, putBlob } from './blobs';
import { firstVersions, getAsset, getGroom, json, loadCharacter, newId, notFound, UserError, type GroomInfo } from './records';

/** Those of the grooms that can go to a version of their character, as they are now: where the mesh they grow on, or the joints they move, are the same there. */
async function movable(db: Knex, ids: readonly string[], character: Character): Promise<GroomInfo[]> {
  const out: GroomInfo[] = [], known = new Map<string, Character>();
  for (const id of ids) {
    const groom = await getGroom(db, id), { mesh: name } = groom.document.plot, mesh = character.meshes.find((m) => m.name === name);
    const before = known.get(groom.character.packed) ?? (await loadCharacter(db, groom.character.packed)), old = before.meshes.find((m) => m.name === name);
    known.set(groom.character.packed, before);
    // chains go along where their joints are those they were
    if (ofChains(groom.document)) { if (await sameChains(db, groom.document, before, character)) out.push(groom); continue; }
    if (!mesh || !old || mesh.triangles.length !== old.triangles.length || !mesh.triangles.every((v, k) => v === old.triangles[k])) continue;
    out.push(groom);
  }
  return out;
}
async function sameChains(db: Knex, { chains, plot, drawn }: GroomDocument, before: Character, after: Character): Promise<boolean> {
  const weights = drawn?.given ? await getBlob(db, drawn.given.weights) : null;
  try {
    const [a, b] = [before, after].map((c) => characterOf(c, { plot, drawn }, weights));
    // joints that were drawn for it are not put in twice
    if (drawn?.given && chains.every((c) => c.joints.every((j) => findNode(after, j) >= 0))) return false;
    return troubleWith(b, chains) === null && chains.every((c) => c.joints.every((j) => findNode(a, j) === findNode(b, j)));
  } catch { return false; }
}
const behind = (version?: number): UserError => new UserError(409, 'behind', 'This groom was changed in another window. Nothing was overwritten: reload to see that change.', { version });
/** Moves grooms to a version, all or none of them. */
async function moveGrooms(trx: Knex, grooms: readonly GroomInfo[], assetId: string, label: string): Promise<void> {
  for (const { id, version: now, document } of grooms) {
    const row: { version: number } | undefined = await trx('grooms').where({ id }).forUpdate().first('version');
    if (row?.version !== now) throw behind(row?.version);
    const version = now + 1, at = new Date();
    await trx('groom_versions').insert({ groom_id: id, version, label: label.slice(0, 300), document: json(document), created_at: at });
    await trx('grooms').where({ id }).update({ version, asset_id: assetId, updated_at: at });
  }
}

export interface WearOrder { files: readonly NamedFile[]; fileName: string; groomId: string; base: number; replace: string | null; role: Role; clip: string | null; fps: number; /** Null: by what fits the character. */ placement: Pick<Placement, 'scale' | 'up'> | null }

/**
 * Puts a garment from a file of its own on a character: a new version of it, to which all grooms go whose mesh is the same; the
 * version before stays.
 */
export async function wearGarment(db: Knex, assetId: string, order: WearOrder): Promise<{ assetId: string; notes: string[]; moved: number; stayed: number }> {
  const before = await getAsset(db, assetId), character = await loadCharacter(db, before.packed), groom = await getGroom(db, order.groomId);
  if (groom.version !== order.base || groom.character.id !== assetId) throw behind(groom.version);
  const worn = await dress(character, order), packed = await putBlob(db, packCharacter(worn.character)), source = await putBlob(db, order.files.length === 1 ? order.files[0].bytes : setBytes(order.files)), id = newId();
  const note = `${order.replace === null ? `${worn.meshes.join(', ')} added` : `${order.replace} replaced`} from ${order.fileName}`.slice(0, 300);
  const grooms: { id: string }[] = await db('grooms').where({ asset_id: assetId }).select('id'), moved = await movable(db, grooms.map((g) => g.id), worn.character);
  if (!moved.some((g) => g.id === order.groomId)) throw new UserError(409, 'otherMesh', ofChains(groom.document) ? 'This groom moves joints that would not be there, or not be those. Bring the newer character in on the first page and choose its chains there.' : `This groom grows on “${groom.document.plot.mesh}”, and that mesh would have other triangles. Bring the newer character in on the first page and carry the groom over.`);
  await db.transaction(async (trx) => {
    await trx('assets').insert({ id, production_id: before.productionId, name: before.name, file_name: before.fileName, source_blob: source, packed_blob: packed, warnings: json([...before.warnings, ...worn.notes]), follows: assetId, note, created_at: new Date() });
    await moveGrooms(trx, moved, id, note);
  });
  return { assetId: id, notes: worn.notes, moved: moved.length, stayed: grooms.length - moved.length };
}

export async function dress(character: Character, { files, replace, role, clip, fps, placement }: Omit<WearOrder, 'fileName' | 'groomId' | 'base'>): Promise<Worn> {
  const unpacked = unpackFiles(files);
  if (!unpacked.ok) throw new UserError(422, unpacked.error.type, unpacked.error.message);
  const caches = unpacked.value.filter((f) => isPointCache(f.name)), rest = unpacked.value.filter((f) => !isPointCache(f.name)), old = character.meshes.find((m) => m.name === replace), box = old ? boxOfPoints(restPositions(character, old)) : restBox(character);
  if (caches.length > 1) throw new UserError(422, 'unsupported', `There are ${caches.length} point caches among these files. Bring them in one after the other.`);
  const cache = caches.length === 1 ? readPointCache(caches[0], fps) : null;
  if (cache && !cache.ok) throw new UserError(422, cache.error.type, cache.error.message, { where: cache.error.where });
  let garment: Character | null = null;
  const notes: string[] = [], place = (low: ArrayLike<number>, high: ArrayLike<number>): Placement => ({ ...AS_IT_IS, ...(placement ?? fitScale(box, { low, high }, UNITS)) });
  let placed: Placement | null = null;
  if (rest.length > 0 || !cache) {
    const read = await readCharacter(rest, null);
    if (!read.ok) throw new UserError(422, read.error.type, read.error.message, { where: read.error.where });
    const open = unpackCharacter(read.value.packed);
    if (!open.ok) throw new UserError(500, open.error.type, open.error.message);
    const own = restBox(open.value);
    placed = place(own.low, own.high);
    garment = placeCharacter(open.value, placed);
    // whatever a file of clothes says of movement it does not bring, has been said
    notes.push(...read.warnings.filter((w) => !/holds no clip|bound to a skeleton/.test(w)));
  }
  let points: MovingPoints | null = null;
  if (cache) {
    const own = boxOfPoints(cache.value.frames[0]);
    placed ??= place(own.low, own.high);
    const { scale, up } = placed;
    points = { ...cache.value, frames: cache.value.frames.map((f) => f.map((v, k) => scale * (up === '+z' ? (k % 3 === 0 ? v : k % 3 === 1 ? f[k + 1] : -f[k - 1]) : v))) };
  }
  if (placed && (placed.scale !== 1 || placed.up !== '+y')) notes.push(`Read as ${Object.entries(UNITS).find(([, s]) => s === placed.scale)?.[0] ?? `${placed.scale} m`}, ${placed.up === '+z' ? 'Z' : 'Y'} up, which fits the character.`);
  try {
    const worn = wear(character, garment, { replace, role, clip }, points);
    return { ...worn, notes: [...notes, ...worn.notes] };
  } catch (cause) {
    if (cause instanceof WearError) throw new UserError(422, 'unsupported', cause.message);
    throw cause;
  }
}

export interface VersionInfo { id: string; note: string; fileName: string; createdAt: string; grooms: number }
/** All versions of a character, oldest first. */
export async function versionsOf(db: Knex, assetId: string): Promise<VersionInfo[]> {
  const all: { id: string; follows: string | null; note: string; file_name: string; created_at: Date }[] = await db('assets').where({ production_id: (await getAsset(db, assetId)).productionId }).orderBy('created_at').select('id', 'follows', 'note', 'file_name', 'created_at');
  const first = firstVersions(all);
  const root = first(assetId), mine = all.filter((a) => first(a.id) === root), counts: { asset_id: string; n: number }[] = await db('grooms').whereIn('asset_id', mine.map((a) => a.id)).groupBy('asset_id').select('asset_id').count({ n: '*' });
  return mine.map((a) => ({ id: a.id, note: a.note, fileName: a.file_name, createdAt: a.created_at.toISOString(), grooms: Number(counts.find((c) => c.asset_id === a.id)?.n ?? 0) }));
}
/** Puts one groom on another version of its character. */
export async function putOnVersion(db: Knex, groomId: string, base: number, assetId: string): Promise<void> {
  const groom = await getGroom(db, groomId), to = await getAsset(db, assetId);
  if (groom.version !== base) throw behind(groom.version);
  if (!(await versionsOf(db, groom.character.id)).some((v) => v.id === assetId)) throw new UserError(422, 'otherCharacter', 'This is another character. Carry the groom over to it.');
  const moved = await movable(db, [groomId], await loadCharacter(db, to.packed));
  if (moved.length === 0) throw new UserError(409, 'otherMesh', `The mesh “${groom.document.plot.mesh}” has other triangles in that version. Carry the groom over to it.`);
  await db.transaction((trx) => moveGrooms(trx, moved, assetId, 'Another version of the character'));
}

/** The files a character first came in, whatever it has put on since, and how it was placed. */
export async function sourceOf(db: Knex, assetId: string): Promise<{ files: NamedFile[]; placement: Placement | null }> {
  let row: { source_blob: string; file_name: string; choices: string | null; follows: string | null } | undefined;
  for (let id: string | null = assetId; id !== null; id = row.follows) {
    row = await db('assets').where({ id }).first('source_blob', 'file_name', 'choices', 'follows');
    if (!row) throw notFound('character');
  }
  const bytes = await getBlob(db, row!.source_blob);
  if (!bytes) throw notFound('character');
  const files = unpackSet(bytes, row!.file_name), choices = importChoicesSchema.safeParse(row!.choices && JSON.parse(row!.choices));
  if (!files.ok) throw new UserError(500, files.error.type, files.error.message);
  return { files: files.value, placement: choices.success ? choices.data.placement : null };
}
