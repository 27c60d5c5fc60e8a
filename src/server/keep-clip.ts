/** A bake of chains as one more clip of the character, so that other grooms move in it: hair against a skirt that swings. */
import type { Knex } from 'knex';
import { ofChains } from '../core/chain/character-of';
import { clipOfChains } from '../core/chain/chain-clip';
import { freeName } from '../core/document/free-name';
import { withDrawn } from '../core/drawn/with-drawn';
import { packCharacter } from '../formats/packed-character';
import { assetOfBake, getBake } from './db/bakes';
import { getBlob, putBlob } from './db/blobs';
import { getGroom, json, loadCharacter, newId, notFound, UserError } from './db/records';
import { openBaked } from './run-export';

/** Makes a version of the character with that clip; no groom is moved to it. */
export async function keepAsClip(db: Knex, bakeId: string): Promise<{ assetId: string; clip: string }> {
  const bake = await getBake(db, bakeId), { drawn } = bake.document;
  if (bake.state !== 'done') throw new UserError(409, 'notDone', 'This bake is not finished yet.');
  if (!ofChains(bake.document)) throw new UserError(422, 'notChains', 'Only chains move a character’s own joints: the movement of hair is no clip of it.');
  const asset = await assetOfBake(db, bake), given = await loadCharacter(db, asset.packed), groom = await getGroom(db, bake.groomId), weights = drawn?.given ? await getBlob(db, drawn.given.weights) : null;
  if (drawn?.given && !weights) throw notFound('weights of the drawn chains');
  const character = drawn?.given ? withDrawn(given, drawn.given, weights!) : given, name = freeName(`${bake.document.shot.clip || bake.settings.shotName} with ${groom.name}`.slice(0, 110), character.clips.map((c) => c.name));
  let clip;
  try { clip = await clipOfChains(await openBaked(db, bake), name); } catch (cause) { throw new UserError(409, 'noClip', (cause as Error).message); }
  const packed = await putBlob(db, packCharacter({ ...character, clips: [...character.clips, clip] })), id = newId(), note = `clip “${name}” from a bake of ${groom.name}`.slice(0, 300);
  await db('assets').insert({ id, production_id: asset.productionId, name: asset.name, file_name: asset.fileName, source_blob: (await db('assets').where({ id: asset.id }).first('source_blob') as { source_blob: string }).source_blob, packed_blob: packed, warnings: json(asset.warnings), follows: asset.id, note, created_at: new Date() });
  return { assetId: id, clip: name };
}
