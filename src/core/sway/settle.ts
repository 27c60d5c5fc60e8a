/** Guides let fall from their combed shape, as the unloaded one, until they lie: the solver as a brush. */
import { requireContract } from '../contract';
import type { SwaySettings } from '../document/schema';
import { rootPlace, type Planting } from '../groom/planting';
import { restPositions, type Character } from '../mesh/character';
import { Surface } from '../mesh/surface';
import { SwayRun } from './run';

/** Frames of falling, at 24 a second, and the damping that lets hair come to rest within them, 1/s. Common practice, no source. */
const FRAMES = 48, DAMPING = 6;

/** Shapes after falling, 3 × points × guides, m, rest orientation; roots stay, edges keep their lengths to what the solver keeps them. */
export function settled(character: Character, { planting, offsets, pointCount, mesh: name, hidden, settings }: { planting: Planting; offsets: Float32Array; pointCount: number; mesh: string; hidden: readonly string[]; settings: SwaySettings }): Float32Array {
  const mesh = character.meshes.find((m) => m.name === name);
  requireContract(mesh !== undefined, 'mesh', 'a mesh of the character', name);
  const still: SwaySettings = { ...settings, cages: undefined, calmStart: false, windSpeed: 0, ties: [], loft: 0, give: 1, profiles: { ...settings.profiles, give: [[0, 1], [1, 1]] }, maps: { ...settings.maps, give: null }, damping: Math.max(settings.damping, DAMPING), chooseSubsteps: false, substeps: Math.max(8, settings.substeps) };
  const run = new SwayRun({ character, mesh: mesh!, clip: null, shot: { clip: '', start: 0, end: FRAMES, fps: 24, cyclic: false }, planting, offsets, pointCount, hidden, settings: still }, -1);
  for (let k = 0; k < FRAMES; k++) run.advance();
  const out = run.positions(), surface = new Surface(restPositions(character, mesh!), mesh!.triangles), stride = 3 * pointCount;
  for (let g = 0; g < planting.faces.length; g++) {
    const root = rootPlace(surface, planting, g), o = stride * g;
    for (let i = 0; i < stride; i++) out[o + i] -= root[i % 3];
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
