/** Browser worker that weighs meshes against the chains drawn through them. */
import { influencesOf, type Influences } from '../core/drawn/influences';
import type { Drawn, WeightsBy } from '../core/drawn/drawn';
import type { Character } from '../core/mesh/character';
import { unpackCharacter } from '../formats/packed-character';

export type WeightsRequest = { kind: 'character'; packed: Uint8Array } | { kind: 'weigh'; request: number; drawn: Drawn; maps: ReadonlyMap<string, Float32Array>; by: WeightsBy };
export type WeightsReply = { request: number; influences: Influences } | { request: number; message: string };

const scope = self as unknown as { onmessage: (e: MessageEvent<WeightsRequest>) => void; postMessage: (m: WeightsReply) => void };
let character: Character | null = null;

scope.onmessage = ({ data }) => {
  if (data.kind === 'character') {
    const read = unpackCharacter(data.packed);
    if (read.ok) character = read.value;
    return;
  }
  const { request, drawn, maps, by } = data;
  try {
    if (!character) throw new Error('The character has not arrived.');
    scope.postMessage({ request, influences: influencesOf(character, drawn, maps, by) });
  } catch (cause) { scope.postMessage({ request, message: cause instanceof Error ? cause.message : String(cause) }); }
};
