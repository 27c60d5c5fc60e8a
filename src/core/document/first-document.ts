/** The document a new groom begins with. */
import type { Character } from '../mesh/character';
import { isRound, loopSeam } from '../mesh/clips';
import { restBox } from '../mesh/rest-box';
import { newDocument, type GroomDocument } from './schema';

const FPS = 24, STILL_FRAMES = 48;

/** On the mesh hair most likely grows on, in the first clip: all of it, repeated where it is a round. */
export function firstDocument(character: Character): GroomDocument {
  const clip = character.clips[0], { low, high } = restBox(character);
  return newDocument(skinFor(character), { clip: clip?.name ?? '', start: 0, end: clip ? Math.max(1, Math.round(clip.duration * FPS)) : STILL_FRAMES, fps: FPS, cyclic: !!clip && isRound(loopSeam(character, clip, FPS), high[1] - low[1]) });
}

/** Where the file says that hair grows; else the largest of the body. */
function skinFor({ meshes }: Character): string {
  const largest = (list: typeof meshes): (typeof meshes)[number] | undefined => [...list].sort((a, b) => b.triangles.length - a.triangles.length)[0];
  return (meshes.find((m) => m.hair.length > 0) ?? largest(meshes.filter((m) => m.role === 'body')) ?? largest(meshes)!).name;
}
