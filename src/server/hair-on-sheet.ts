/** What baked hair pressed on clothes by, as a load on a sheet of the same character: the way back, from hair to cloth. */
import type { Knex } from 'knex';
import { z } from 'zod';
import { ofChains } from '../core/chain/character-of';
import { CHAIN_ROOTS } from '../core/chain/chains';
import { openScene } from '../core/bake/open-scene';
import { findNode, type Character } from '../core/mesh/character';
import { bytesOf } from '../core/document/buffers';
import { planBake } from '../core/bake/bake-plan';
import type { GroomDocument } from '../core/document/schema';
import { PRESS_NUMBERS } from '../core/sway/press';
import { restPoints, sheetOf } from '../core/sway/scene';
import { LoadTaker, type SheetLoadSettings } from '../core/sway/sheet-load';
import { assetOfBake, BakeReader, characterFor, getBake } from './db/bakes';
import { getBlob, putBlob } from './db/blobs';
import { firstVersions, getGroom, loadCharacter, notFound, readDocument, UserError } from './db/records';

const shellsOf = z.object({ shells: z.number().default(0) });
/** A bake of hair of the same character, on any version of it. */
export interface HairBake { bakeId: string; groomName: string; shotName: string; finishedAt: string; shells: number }

/** The newest first; of grooms that are not chains themselves. */
export async function hairBakesFor(db: Knex, groomId: string): Promise<HairBake[]> {
  const { character, production } = await getGroom(db, groomId), assets: { id: string; follows: string | null }[] = await db('assets').where({ production_id: production.id }).select('id', 'follows'), first = firstVersions(assets), mine = first(character.id);
  const rows: { id: string; name: string; document: string; report: string | null; finished_at: Date }[] = await db('bakes').join('grooms', 'grooms.id', 'bakes.groom_id').whereIn('bakes.asset_id', assets.map((a) => a.id).filter((id) => first(id) === mine)).where({ 'bakes.state': 'done' }).whereNot({ 'bakes.groom_id': groomId })
    .orderBy('bakes.finished_at', 'desc').limit(60).select('bakes.id', 'grooms.name', 'bakes.document', 'bakes.report', 'bakes.finished_at');
  return rows.flatMap(({ id, name, document: text, report, finished_at }) => {
    const document = readDocument(text);
    return ofChains(document) ? [] : [{ bakeId: id, groomName: name, shotName: document.shotName, finishedAt: finished_at.toISOString(), shells: shellsOf.parse(JSON.parse(report ?? '{}')).shells }];
  });
}

/** Meshes that the joints of a sheet's chains move, by name. */
function movedMeshes(character: Character, { chains }: GroomDocument): Set<string> {
  const joints = new Set(chains.flatMap((c) => c.joints.map((j) => findNode(character, j))));
  return new Set(character.meshes.filter((m) => m.name !== CHAIN_ROOTS && m.skin >= 0 && character.skins[m.skin].joints.some((j) => joints.has(j))).map((m) => m.name));
}

export interface TakenLoad { load: SheetLoadSettings; /** N, in the mean of the frames: what was taken, and what the hair pressed on besides. */ taken: number; elsewhere: number }

/** The load of a bake on the sheet of a groom, as it is saved; its forces are stored. Throws in plain words where there is none. */
export async function takeLoad(db: Knex, groomId: string, bakeId: string): Promise<TakenLoad> {
  const groom = await getGroom(db, groomId), { document } = groom, bake = await getBake(db, bakeId);
  if (!document.guides || !document.sway.sheet) throw new UserError(422, 'noSheet', 'These chains are no sheet: lay its lines first, in Plant.');
  if (bake.state !== 'done') throw new UserError(409, 'notDone', 'That bake is not finished yet.');
  const [planting, offsets] = await Promise.all([document.guides.planting, document.guides.offsets].map((id) => getBlob(db, id)));
  if (!planting || !offsets) throw notFound('sheet’s lines');
  const character = await characterFor(db, document, groom.character.packed), scene = openScene(document, character, { planting, offsets }), grid = sheetOf(scene);
  if (!grid) throw new UserError(422, 'noSheet', 'A sheet has two lines at least.');
  const moved = movedMeshes(character, document), hair = await loadCharacter(db, (await assetOfBake(db, bake)).packed), meshes = new Set(hair.meshes.flatMap((m, k) => (moved.has(m.name) ? [k] : [])));
  const { name } = await getGroom(db, bake.groomId), of = `“${name}”`, lies = [...moved].join(', ');
  if (meshes.size === 0) throw new UserError(409, 'otherClothes', `The character that ${of} was baked on has no ${lies || 'mesh that this sheet moves'}. Put the hair on a version that has it, and bake again.`);
  const { first, last } = planBake(bake.document), each = 3 * document.guides.count * document.guides.pointCount, frames = last - first + 1, forces = new Float32Array(each * frames), taker = new LoadTaker(restPoints(scene), document.guides.count, document.guides.pointCount, grid.next, meshes), reader = await BakeReader.open(db, bake);
  let known = 0, pressed = 0;
  for (let n = first; n <= last; n++) {
    const presses = await reader.presses(n);
    if (!presses) continue;
    known++;
    for (let o = 0; o < presses.length; o += PRESS_NUMBERS) if (!meshes.has(presses[o])) pressed += Math.hypot(presses[o + 4], presses[o + 5], presses[o + 6]);
    taker.into(presses, forces.subarray(each * (n - first), each * (n - first + 1)));
  }
  if (known === 0) throw new UserError(409, 'noPresses', `It was not kept what ${of} pressed clothes by: none collide as drawn in it, or it was baked before that was kept. See that ${lies} collides (Sway, What is around it?), and bake the hair again.`);
  if (known < frames) throw new UserError(409, 'somePresses', `What ${of} pressed clothes by was kept of ${known} of its ${frames} frames only. Bake the hair again.`);
  if (taker.taken === 0) throw new UserError(409, 'nothingLies', `In that bake nothing of ${of} lies on this sheet: it never touches ${lies} near these lines.`);
  const { shot } = bake.document;
  return { load: { forces: await putBlob(db, bytesOf(forces)), from: `${name}, ${bake.settings.shotName}`.slice(0, 300), on: true, share: 1, first, frames, fps: shot.fps * bake.samples, cyclic: shot.cyclic, lines: document.guides.count, points: document.guides.pointCount }, taken: taker.taken / frames, elsewhere: (taker.elsewhere + pressed) / frames };
}
