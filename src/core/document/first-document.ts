/** The document a new groom begins with. */
import type { Character, Clip } from '../mesh/character';
import { isRound, keyRate, loopSeam } from '../mesh/clips';
import { restBox } from '../mesh/rest-box';
import { newDocument, type GroomDocument, type Shot } from './schema';

const FPS = 24, STILL_FRAMES = 48;

/** On the mesh hair most likely grows on, in the first clip: all of it, cut as it is keyed, repeated where it is a round. */
export function firstDocument(character: Character): GroomDocument {
  const { clips, clips: [clip] } = character;
  return newDocument(skinFor(character), clip ? shotOfClip(character, clip, keyRate(clips) ?? keyRate([clip]) ?? FPS) : { clip: '', start: 0, end: STILL_FRAMES, fps: FPS, cyclic: false });
}
/** All of a clip; of a round without its last frame, which is its first again. */
export function shotOfClip(character: Character, clip: Clip, fps: number): Shot {
  const { low, high } = restBox(character), frames = Math.max(1, Math.round(clip.duration * fps)), cyclic = isRound(loopSeam(character, clip, fps), high[1] - low[1]);
  return { clip: clip.name, start: 0, end: cyclic ? Math.max(1, frames - 1) : frames, fps, cyclic };
}

/** Where the file says that hair grows; else the largest of the body. */
function skinFor({ meshes }: Character): string {
  const largest = (list: typeof meshes): (typeof meshes)[number] | undefined => [...list].sort((a, b) => b.triangles.length - a.triangles.length)[0];
  return (meshes.find((m) => m.hair.length > 0) ?? largest(meshes.filter((m) => m.role === 'body')) ?? largest(meshes)!).name;
}
