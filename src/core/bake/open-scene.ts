/** From a document, its character and its buffers to what a run needs. */
import { BendLimits } from '../chain/bend-limits';
import { ChainShape, heldPlaces } from '../chain/chain-pose';
import { bendLimits, plantChains } from '../chain/chains';
import { characterOf } from '../chain/character-of';
import { ContractError } from '../contract';
import { floatsOf, unpackPlanting } from '../document/buffers';
import type { BufferId, GroomDocument, SwayMap, SwaySettings } from '../document/schema';
import { mapSampler } from '../groom/skin-grid';
import { restPositions, type Character, type Clip } from '../mesh/character';
import type { Scene } from '../sway/run';

/** Bytes of the painted maps, and of what lies on a sheet, as they are stored. */
export type Maps = Partial<Record<SwayMap | 'load', Uint8Array>>;
/** The buffers of those, by name. */
export const mapIds = ({ maps, load }: Pick<SwaySettings, 'load' | 'maps'>): [keyof Maps, BufferId][] => [...Object.entries(maps), ['load', load?.forces ?? null]].filter((e): e is [keyof Maps, BufferId] => e[1] !== null);

/** `given`: with what was drawn on it, where anything was. Throws `ContractError` where the parts do not fit together. */
export function openScene(document: GroomDocument, given: Character, buffers: { planting: Uint8Array; offsets: Uint8Array; maps?: Maps }): Scene {
  const { guides, plot, shot, hidden, sway } = document, character = characterOf(given, document, null), clip = character.clips.find((c) => c.name === shot.clip) ?? null;
  if (!guides) throw new ContractError('document.guides', 'planted guides', null);
  const mesh = character.meshes.find((m) => m.name === plot.mesh);
  if (!mesh) throw new ContractError('document.plot.mesh', 'a mesh of the character', plot.mesh);
  const planting = unpackPlanting(buffers.planting), offsets = floatsOf(buffers.offsets);
  if (planting.faces.length !== guides.count) throw new ContractError('planting', `${guides.count} roots`, planting.faces.length);
  const faceCount = mesh.triangles.length / 3;
  if (planting.faces.some((f) => f >= faceCount)) throw new ContractError('planting', `faces below ${faceCount}`, 'a face beyond the mesh');
  if (offsets.length !== 3 * guides.pointCount * guides.count) throw new ContractError('offsets', `${3 * guides.pointCount * guides.count} numbers`, offsets.length);
  const maps: Scene['maps'] = {};
  let rest: Float64Array | null = null;
  const { load, ...painted } = buffers.maps ?? {};
  for (const [name, bytes] of Object.entries(painted) as [SwayMap, Uint8Array | undefined][]) {
    if (!bytes) continue;
    rest ??= restPositions(character, mesh);
    const map = mapSampler(bytes, rest, mesh.triangles);
    if (!map) throw new ContractError(`maps.${name}`, 'a map of the plot’s mesh', `${bytes.length} bytes`);
    maps[name] = map;
  }
  return { character, mesh, clip, shot, planting, offsets, pointCount: guides.pointCount, hidden, settings: sway, maps, ...(load ? { load: floatsOf(load) } : {}), ...chainParts(document, character, clip) };
}
/** What chains have that hair has not: the shape the animation gives them in a pose, where it moves their joints, and how far these may bend. */
function chainParts({ chains, drawn }: GroomDocument, character: Character, clip: Clip | null): Pick<Scene, 'shape' | 'bends'> {
  if (chains.length === 0) return {};
  const { paths, pointCount, offsets } = plantChains(character, chains), limits = bendLimits(chains), out: Pick<Scene, 'shape' | 'bends'> = {};
  if (limits.some(Number.isFinite)) out.bends = (first) => new BendLimits(paths, pointCount, offsets, limits, first);
  const held = heldPlaces(character, chains, drawn?.given ?? null);
  if (!clip || (!ChainShape.isMoved(paths, clip.channels) && held.every((h) => h === null))) return out;
  const shape = new ChainShape(character, paths, pointCount, offsets, held);
  return { ...out, shape: (pose, to) => shape.into(pose, to) };
}
