/** The document a new groom begins with. */
import type { Character, Clip } from '../mesh/character';
import { isRound, keyRate, loopSeam, roundOf } from '../mesh/clips';
import { restBox, usualScale } from '../mesh/rest-box';
import { BAKE_PARAMETERS, FILL_PARAMETERS, newDocument, PLANT_PARAMETERS, SWAY_PARAMETERS, type GroomDocument, type Parameter, type Shot } from './schema';

const FPS = 24, STILL_FRAMES = 48;

/** On the mesh hair most likely grows on, in the first clip: all of it, cut as it is keyed, repeated where it is a round; lengths and numbers that suit its size. */
export function firstDocument(character: Character): GroomDocument {
  const { clips, clips: [clip] } = character, document = newDocument(skinFor(character), clip ? shotOfClip(character, clip, keyRate(clips) ?? keyRate([clip]) ?? FPS) : { clip: '', start: 0, end: STILL_FRAMES, fps: FPS, cyclic: false }), scale = usualScale(character);
  if (scale !== 1) for (const [of, table, names] of [[document.plant, PLANT_PARAMETERS, ['lengthCm', 'liftMm']], [document.fill, FILL_PARAMETERS, ['turnCm']], [document.sway, SWAY_PARAMETERS, ['skinGapMm', 'loftSpacingMm']], [document.bake, BAKE_PARAMETERS, ['loopMm']]] as [Record<string, unknown>, Record<string, Parameter>, string[]][]) {
    for (const name of names) of[name] = scaled(table[name], scale);
  }
  // a large skin takes more strands, and thicker ones, to be seen on; fur of small creatures is finer
  const { plant, fill } = document, { count, preview, widthUm } = FILL_PARAMETERS, wide = Math.max(1, scale * scale);
  plant.guideCount = scaled(PLANT_PARAMETERS.guideCount, Math.min(MOST_GUIDES, wide));
  fill.count = scaled(count, wide);
  fill.preview = Math.min(MOST_SHOWN, scaled(preview, wide));
  fill.widthUm = scaled(widthUm, scale > 1 ? scale : Math.sqrt(scale));
  return document;
}
/** So many times more guides, and so many strands shown at once, a groom begins with at most. */
const MOST_GUIDES = 4, MOST_SHOWN = 30000;
/** What a length usually is, for a character of another size, in two figures. */
export function scaled({ fallback, min, max }: Pick<Parameter, 'fallback' | 'min' | 'max'>, scale: number): number { return Math.min(max, Math.max(min, Number((fallback * scale).toPrecision(2)))); }
/** All of a clip from its first key on; of a round without its last frame, which is its first again. */
export function shotOfClip(character: Character, clip: Clip, fps: number): Shot {
  const { low, high } = restBox(character), start = Math.round((clip.begins ?? 0) * fps), frames = Math.max(1, Math.round(roundOf(clip) * fps)), cyclic = isRound(loopSeam(character, clip, fps), high[1] - low[1]);
  return { clip: clip.name, start, end: start + (cyclic ? Math.max(1, frames - 1) : frames), fps, cyclic };
}

/** Where the file says that hair grows; else the largest of the body. */
function skinFor({ meshes }: Character): string {
  const largest = (list: typeof meshes): (typeof meshes)[number] | undefined => [...list].sort((a, b) => b.triangles.length - a.triangles.length)[0];
  return (meshes.find((m) => m.hair.length > 0) ?? largest(meshes.filter((m) => m.role === 'body')) ?? largest(meshes)!).name;
}
