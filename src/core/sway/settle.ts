/** Guides let fall from their combed shape, as the unloaded one, until they lie: the solver as a brush. */
import { requireContract } from '../contract';
import type { SwaySettings } from '../document/schema';
import { placeGuides, restFrames, rootMotionsInto, type Planting } from '../groom/planting';
import { poseCharacter, restPositions, skinPositions, stillClip, type Character } from '../mesh/character';
import { SwayRun } from './run';

/** Frames of falling, at 24 a second, and the damping that lets hair come to rest within them, 1/s. Common practice, no source. */
const FRAMES = 48, DAMPING = 6;

export interface SettleOrder {
  planting: Planting; offsets: Float32Array; pointCount: number; mesh: string; hidden: readonly string[]; settings: SwaySettings;
  /** The pose they fall in: a clip and its time, s; null for the rest pose. */
  pose: { clip: string; time: number } | null;
}

/** Shapes after falling, 3 × points × guides, m, rest orientation; roots stay, edges keep their lengths to what the solver keeps them. */
export function settled(character: Character, { planting, offsets, pointCount, mesh: name, hidden, settings, pose }: SettleOrder): Float32Array {
  const mesh = character.meshes.find((m) => m.name === name);
  requireContract(mesh !== undefined, 'mesh', 'a mesh of the character', name);
  const moving = pose && character.clips.find((c) => c.name === pose.clip), clip = moving ? stillClip(moving, pose.time) : null;
  const still: SwaySettings = { ...settings, cages: undefined, calmStart: false, windSpeed: 0, ties: [], loft: 0, give: 1, profiles: { ...settings.profiles, give: [[0, 1], [1, 1]] }, maps: { ...settings.maps, give: null }, damping: Math.max(settings.damping, DAMPING), chooseSubsteps: false, substeps: Math.max(8, settings.substeps) };
  const run = new SwayRun({ character, mesh: mesh!, clip, shot: { clip: clip?.name ?? '', start: 0, end: FRAMES, fps: 24, cyclic: false }, planting, offsets, pointCount, hidden, settings: still }, -1);
  for (let k = 0; k < FRAMES; k++) run.advance();
  const { triangles } = mesh!, rest = restPositions(character, mesh!), skin = new Float64Array(rest.length), motions = new Float64Array(7 * planting.faces.length), stride = 3 * pointCount, out = new Float32Array(offsets.length);
  skinPositions(character, mesh!, poseCharacter(character, clip, 0), skin);
  rootMotionsInto(motions, planting, restFrames(planting, rest, triangles), skin, triangles);
  placeGuides(run.positions(), motions, pointCount, out, true);
  for (let g = 0; g < planting.faces.length; g++) {
    const o = stride * g;
    // lengths to the bit of what they were
    for (let c = 0; c < 3; c++) out[o + c] = offsets[o + c];
    let px = out[o], py = out[o + 1], pz = out[o + 2];
    for (let a = o + 3; a < o + stride; a += 3) {
      const length = Math.hypot(offsets[a] - offsets[a - 3], offsets[a + 1] - offsets[a - 2], offsets[a + 2] - offsets[a - 1]), x = out[a] - px, y = out[a + 1] - py, z = out[a + 2] - pz, k = length / (Math.hypot(x, y, z) || 1e300);
      px = out[a]; py = out[a + 1]; pz = out[a + 2];
      out[a] = out[a - 3] + k * x; out[a + 1] = out[a - 2] + k * y; out[a + 2] = out[a - 1] + k * z;
    }
  }
  return out;
}
