/** The demo production: made once, when the database holds no production yet. */
import type { Knex } from 'knex';
import { plantKey } from '../core/document/proof';
import type { GroomDocument } from '../core/document/schema';
import { firstDocument } from '../core/document/first-document';
import { bufferId, unpackPlanting } from '../core/document/buffers';
import { newSource } from '../core/drops/sources';
import { putBlob } from './db/blobs';
import { createGroom, createProduction, importCharacter } from './db/records';
import { brambleChains, brambleGrooms } from './demo-bramble';
import { demoGroom, moreOfOda, odaFarOff } from './demo-oda';
import { odaCoatTails, pimPlait } from './demo-pim';

/** Files of the demo's characters. */
export interface DemoCast { oda: Uint8Array; bramble: Uint8Array; pim: Uint8Array }

/** All of it or nothing: whoever stops the program meanwhile gets a whole one the next time. */
export async function seedDemo(db: Knex, cast: DemoCast): Promise<boolean> {
  if (await db('productions').first('id')) return false;
  await db.transaction((trx) => makeDemo(trx, cast));
  return true;
}
async function makeDemo(db: Knex, cast: DemoCast): Promise<void> {
  const productionId = await createProduction(db, 'Slack Water');
  const bring = (name: string, file: string, bytes: Uint8Array) => importCharacter(db, productionId, name, [{ name: file, bytes }], null);
  const store = async (assetId: string, name: string, document: GroomDocument, buffers: Uint8Array[]): Promise<GroomDocument> => {
    const [faces, planting, offsets] = await Promise.all(buffers.map((b) => putBlob(db, b)));
    document.plot.faces = faces;
    document.guides = { count: unpackPlanting(buffers[1]).faces.length, pointCount: document.plant.pointCount, planting, offsets, plantKey: plantKey(document), combed: true };
    await createGroom(db, assetId, name, document, 'Demo groom');
    return document;
  };
  const oda = await bring('Oda', 'oda.glb', cast.oda), { document, buffers } = demoGroom(oda.character), stored = await store(oda.asset.id, 'loose hair', document, buffers);
  await createGroom(db, oda.asset.id, 'loose hair, walking', { ...stored, shotName: 'lock-beam walk', shot: { ...stored.shot, clip: 'lock-beam walk', end: 25, cyclic: true } }, 'Demo groom');
  await createGroom(db, oda.asset.id, 'loose hair, bucket', { ...stored, shotName: 'bucket at the lock', shot: { ...stored.shot, clip: 'look back', start: 0, end: 40 }, sway: { ...stored.sway, drops: [{ ...newSource('bucket', 'bucket', 'bucket', [0, 1.72, 0]), from: 4, to: 13 }] } }, 'Demo groom');
  await createGroom(db, oda.asset.id, 'loose hair, far off', { ...stored, shotName: 'lock-beam walk', shot: { ...stored.shot, clip: 'lock-beam walk', end: 25, cyclic: true }, sway: { ...stored.sway, cages: odaFarOff(oda.character, document, buffers) } }, 'Demo groom');
  for (const groom of moreOfOda(oda.character)) await store(oda.asset.id, groom.name, groom.document, groom.buffers);
  const bramble = await bring('Bramble', 'bramble.glb', cast.bramble);
  let last: GroomDocument | null = null;
  for (const groom of brambleGrooms(bramble.character)) last = await store(bramble.asset.id, groom.name, groom.document, groom.buffers);
  const chains = async (assetId: string, name: string, make: (keep: (bytes: Uint8Array) => string) => GroomDocument): Promise<void> => {
    const kept: Uint8Array[] = [], document_ = make((bytes) => { kept.push(bytes); return bufferId(bytes); });
    for (const bytes of kept) await putBlob(db, bytes);
    await createGroom(db, assetId, name, document_, 'Demo groom');
  };
  await chains(bramble.asset.id, 'dock and ears', (keep) => brambleChains(bramble.character, { ...last!, shotName: 'trot', shot: { ...last!.shot, clip: 'trot', end: 17, cyclic: true } }, keep));
  await chains(oda.asset.id, 'coat-tails', (keep) => odaCoatTails(oda.character, { ...stored, shotName: 'jump ashore', otherShots: [], shot: { ...stored.shot, clip: 'jump ashore', end: 42, cyclic: false } }, keep));
  const pim = await bring('Pim', 'pim.glb', cast.pim);
  await chains(pim.asset.id, 'plait', (keep) => pimPlait(pim.character, firstDocument(pim.character), keep));
}
