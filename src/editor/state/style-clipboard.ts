/** A style that is carried from one groom to another: which one is remembered in this browser, the shapes are on the server. */
import { z } from 'zod';
import { floatsOf, uintsOf, unpackPlanting } from '../../core/document/buffers';
import { bufferIdSchema } from '../../core/document/schema';
import { pasteStyle } from '../../core/groom/comb/across';
import { repoint } from '../../core/groom/comb/reshape';
import { restPositions } from '../../core/mesh/character';
import { Surface } from '../../core/mesh/surface';
import * as api from './api';
import type { Session } from './session';
import { many } from './many';

const KEY = 'fine-comb-style';
const schema = z.object({ groomId: z.string(), name: z.string(), characterId: z.string(), mesh: z.string(), faces: bufferIdSchema.nullable(), planting: bufferIdSchema, offsets: bufferIdSchema, pointCount: z.number().int().min(2).max(64) });
export type RememberedStyle = z.infer<typeof schema>;

export function rememberedStyle(): RememberedStyle | null {
  try { return schema.parse(JSON.parse(localStorage.getItem(KEY) ?? 'null')); } catch { return null; }
}

/** Remembers the style as it is blended; says so. Rejects where it could not be saved. */
export async function rememberStyle(session: Session): Promise<string> {
  const { document, groom } = session, { guides, plot } = document;
  if (!guides) throw new Error('There are no guides whose style could be copied.');
  if (!(await session.saveNow())) throw new Error('The groom could not be saved, so its style was not copied.');
  localStorage.setItem(KEY, JSON.stringify({ groomId: groom.id, name: groom.name, characterId: groom.character.id, mesh: plot.mesh, faces: plot.faces, planting: guides.planting, offsets: guides.offsets, pointCount: guides.pointCount } satisfies RememberedStyle));
  return `The style of “${groom.name}” is remembered. Open another groom and paste it there.`;
}

export async function pasteRemembered(session: Session): Promise<string> {
  const style = rememberedStyle(), { guides } = session;
  if (!style || !guides) throw new Error('There is no style to paste. Copy one first.');
  const { unpackCharacter } = await import('../../formats/packed-character'), own = style.characterId === session.groom.character.id;
  const read = own ? null : unpackCharacter(await api.getPackedCharacter(style.characterId));
  if (read && !read.ok) throw new Error(read.error.message);
  const character = read?.ok ? read.value : session.character, mesh = character.meshes.find((m) => m.name === style.mesh);
  if (!mesh) throw new Error(`The mesh “${style.mesh}” that the style grew on is not there any more.`);
  const [planting, offsets, faces] = await Promise.all([api.getBuffer(style.planting), api.getBuffer(style.offsets), style.faces ? api.getBuffer(style.faces) : null]), from = unpackPlanting(planting), surface = new Surface(restPositions(character, mesh), mesh.triangles);
  // with the points that the guides here have
  const shapes = style.pointCount === guides.pointCount ? floatsOf(offsets) : repoint(floatsOf(offsets), style.pointCount, guides.pointCount, false).offsets;
  const pasted = pasteStyle({ surface, planting: from, offsets: shapes, pointCount: guides.pointCount, faces: faces ? uintsOf(faces) : from.faces }, { surface: session.restSurface, planting: guides.planting, faces: session.plotFaces.length > 0 ? session.plotFaces : guides.planting.faces });
  const list = session.combDesk.chosenOrAll(), stride = 3 * guides.pointCount, next = guides.offsets.slice();
  for (const g of list) next.set(pasted.subarray(stride * g, stride * (g + 1)), stride * g);
  session.combDesk.setShapes(`Style of ${style.name}`, next, list);
  return `${many(list.length, 'guide')} ${list.length === 1 ? 'has' : 'have'} the style of “${style.name}” now.`;
}
