/** A groom carried over to another character or a newer file of its own; the one that is open stays as it is. */
import { bufferId, bytesOf, packPlanting } from '../../core/document/buffers';
import { plantKey } from '../../core/document/proof';
import { noMaps, type BufferId, type GroomDocument, type PlotMap, type SwayMap } from '../../core/document/schema';
import { clearSwayMaps } from '../../core/document/shots';
import { styleThrough } from '../../core/document/style';
import { carryFlow, carryOver, turnedShape, type CarriedOver } from '../../core/groom/carry-over';
import { packMap } from '../../core/groom/skin-grid';
import { restPositions } from '../../core/mesh/character';
import { Surface } from '../../core/mesh/surface';
import * as api from './api';
import type { Session } from './session';

export interface Carried { groomId: string; mesh: string; same: boolean; report: CarriedOver['report']; clipLost: string | null }

export async function carryGroom(session: Session, characterId: string): Promise<Carried> {
  const { document, guides } = session;
  if (!guides || !document.guides) throw new Error('There are no guides to carry over yet.');
  const { unpackCharacter } = await import('../../formats/packed-character'), read = unpackCharacter(await api.getPackedCharacter(characterId));
  if (!read.ok) throw new Error(read.error.message);
  const character = read.value, largest = [...character.meshes].sort((a, b) => b.triangles.length - a.triangles.length)[0], mesh = character.meshes.find((m) => m.name === document.plot.mesh) ?? character.meshes.find((m) => m.hair.length > 0) ?? largest;
  const names: ({ plot: PlotMap } | { sway: SwayMap })[] = [], maps: Uint8Array[] = [];
  for (const plot of Object.keys(document.plot.maps) as PlotMap[]) { const m = session.desk.map(plot); if (m) { names.push({ plot }); maps.push(m); } }
  for (const sway of Object.keys(document.sway.maps) as SwayMap[]) { const m = session.desk.map(sway); if (m) { names.push({ sway }); maps.push(m); } }
  const to = new Surface(restPositions(character, mesh), mesh.triangles), r = carryOver(session.restSurface, to, { faces: session.plotFaces, planting: guides.planting, offsets: session.guides!.offsets, pointCount: guides.pointCount, maps });

  const store = async (bytes: Uint8Array): Promise<BufferId> => { const id = bufferId(bytes); await api.putBuffer(id, bytes); return id; };
  const next = structuredClone(document) as GroomDocument;
  next.plot = { mesh: mesh.name, faces: await store(bytesOf(r.faces)), maps: noMaps(), flow: r.same ? document.plot.flow : session.desk.flow.length > 0 ? await store(bytesOf(carryFlow(session.desk.flow, to))) : null };
  clearSwayMaps(next);
  for (const [k, name] of names.entries()) { const id = await store(packMap(r.maps[k])); if ('plot' in name) next.plot.maps[name.plot] = id; else next.sway.maps[name.sway] = id; }
  const made = new Map<BufferId, Uint8Array>(), style = styleThrough((id) => session.buffers.get(id), (bytes) => { const id = bufferId(bytes); made.set(id, bytes); return id; }, document.guides.style, guides.pointCount, (g) => g, (shape, g) => turnedShape(shape, session.restSurface.normal(guides.planting.faces[g]), to.normal(r.planting.faces[g])));
  for (const bytes of made.values()) await store(bytes);
  // masks are maps of the old mesh
  if (style && !r.same) for (const layer of style.layers) layer.mask = null;
  next.guides = { count: document.guides.count, pointCount: guides.pointCount, planting: await store(packPlanting(r.planting)), offsets: await store(bytesOf(r.offsets)), plantKey: '0'.repeat(64), combed: true, brought: r.same ? document.guides.brought : undefined, style };
  next.guides.plantKey = plantKey(next);
  const clip = character.clips.some((c) => c.name === next.shot.clip), clipLost = clip || next.shot.clip === '' ? null : next.shot.clip;
  if (!clip) next.shot.clip = character.clips[0]?.name ?? '';
  return { groomId: await api.newGroom(characterId, session.groom.name, next), mesh: mesh.name, same: r.same, report: r.report, clipLost };
}
