/** Carries out one hand-over: its files are streamed into the database, then its sheet is written. */
import { createHash } from 'node:crypto';
import type { Knex } from 'knex';
import { floatsOf, uintsOf, unpackPlanting } from '../core/document/buffers';
import { ofChains } from '../core/chain/character-of';
import type { Baked } from '../core/bake/baked';
import { handOver } from '../formats/hand-over';
import { proofInShort, type Sheet } from '../formats/hand-over-sheet';
import { assetOfBake, BakeReader, characterFor, getBake, mapsOf, proofOfBake, type Bake } from './db/bakes';
import { dropBlobs, getBlob, putBlobStream } from './db/blobs';
import { getExport, setExportFiles } from './db/exports';
import { holds } from './db/queue';
import { getGroom, json, UserError } from './db/records';
import { showLimits } from './db/takes';
import { sourceOf } from './db/versions';

/** A bake ready to be handed over. */
export async function openBaked(db: Knex, bake: Bake): Promise<Baked> {
  const { guides, plot } = bake.document, asset = await assetOfBake(db, bake), reader = await BakeReader.open(db, bake);
  const [planting, offsets, faces] = await Promise.all([guides?.planting, guides?.offsets, plot.faces].map((id) => (id ? getBlob(db, id) : null)));
  if (!planting || !offsets || (!faces && !ofChains(bake.document))) throw new UserError(409, 'notFilled', 'This bake has no plot: it was made before its skin was chosen.');
  return { document: bake.document, character: await characterFor(db, bake.document, asset.packed), planting: unpackPlanting(planting), offsets: floatsOf(offsets), faces: faces ? uintsOf(faces) : new Uint32Array(0), source: () => sourceOf(db, asset.id), maps: await mapsOf(db, bake.document), samples: bake.samples, startFrame: bake.startFrame, endFrame: bake.endFrame, sample: (n) => reader.sample(n), drops: (n) => reader.drops(n) };
}

export async function runExport(db: Knex, id: string, owner: string): Promise<void> {
  const { bakeId, wish, files: before } = await getExport(db, id), bake = await getBake(db, bakeId), groom = await getGroom(db, bake.groomId), asset = await assetOfBake(db, bake), limits = await showLimits(db, groom.production.id), proof = await proofOfBake(db, bake);
  let told = 0;
  const tell = (share: number): void => {
    if (Date.now() - told < 300) return;
    told = Date.now();
    void db('exports').where({ id, lease_owner: owner }).update({ steps: 1000, steps_done: Math.round(1000 * Math.min(1, share)) }).catch(() => undefined);
  };
  const run = handOver(await openBaked(db, bake), wish, { production: groom.production.name, character: groom.character.name, groom: groom.name, shot: bake.settings.shotName }, tell), files: { name: string; size: number; blob: string }[] = [];
  let next = await run.next();
  for (; !next.done; next = await run.next()) {
    const { id: blob, size } = await putBlobStream(db, next.value.pieces);
    files.push({ name: next.value.name, size, blob });
  }
  const sheet: Sheet = {
    made: 'Fine Comb', at: new Date().toISOString(), production: groom.production.name, character: groom.character.name, groom: groom.name, shot: bake.settings.shotName, clip: bake.document.shot.clip,
    from: { character: asset.packed, document: createHash('sha256').update(json(bake.document)).digest('hex'), solver: bake.solver, bake: bake.id, bakedAt: bake.finishedAt ?? bake.createdAt },
    wish, report: next.value, files: files.map(({ name, size, blob }) => ({ name, size, sha256: blob })), loop: bake.loop, proof: proofInShort(proof, limits), received: null,
  };
  await db.transaction(async (trx) => {
    if (!(await holds(trx, 'exports', id, owner))) return;
    await setExportFiles(trx, id, files);
    await trx('exports').where({ id }).update({ sheet: json(sheet), checked: null, steps: 1000, steps_done: 1000 });
  });
  const kept = new Set(files.map((f) => f.blob));
  await dropBlobs(db, before.map((f) => f.blob).filter((b) => !kept.has(b)));
}
