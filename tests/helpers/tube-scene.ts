/** Scenes of hair on the bending tube, for tests of whole runs. */
import { newDocument, type GroomDocument, type SwaySettings } from '../../src/core/document/schema';
import { growGuide } from '../../src/core/groom/grow';
import { rootPlace, scatterEvenly, type Planting } from '../../src/core/groom/planting';
import { skinPositions, type Character, type Clip, type Pose } from '../../src/core/mesh/character';
import { Surface } from '../../src/core/mesh/surface';
import type { Scene } from '../../src/core/sway/run';
import { readGlb } from '../../src/formats/gltf';
import { tubeGlb } from './tube';

export interface TubeScenes {
  guides: number; points: number; settings: SwaySettings; character: Character; planting: Planting; offsets: Float32Array; plot: Uint32Array;
  /** Nothing to touch. */
  bare: SwaySettings['roles'];
  scene: (change?: Partial<SwaySettings>, more?: { clip?: Clip | null; shot?: Partial<Scene['shot']>; offsets?: Float32Array; hidden?: string[] }) => Scene;
  document: (change?: Partial<SwaySettings>, shot?: Partial<Scene['shot']>, preRoll?: number) => GroomDocument;
  /** The clip in another time. */
  faster: (by: number) => Clip;
  /** Shapes of the guides anew. */
  shapes: (how: { length?: number; lie?: 'standing' | 'lying' | 'falling'; lift?: number }) => Float32Array;
  /** A place so far below the middle of a face in a pose. */
  belowSkin: (pose: Pose, face: number, depth: number) => [number, number, number];
}

export async function tubeScenes(guides = 24, points = 10): Promise<TubeScenes> {
  const read = await readGlb(await tubeGlb({ capped: true }));
  if (!read.ok) throw new Error(read.error.message);
  const character = read.value, mesh = character.meshes[0], surface = new Surface(mesh.positions, mesh.triangles), plot = Uint32Array.from({ length: 120 }, (_, i) => 240 + i), planting = scatterEvenly(surface, plot, guides, 5);
  const shapes: TubeScenes['shapes'] = ({ length = 0.18, lie = 'falling', lift = 0.012 }) => {
    const out = new Float32Array(3 * points * guides);
    for (let g = 0; g < guides; g++) out.set(growGuide(surface, rootPlace(surface, planting, g), surface.normal(planting.faces[g]), { length, pointCount: points, lie, lift }), 3 * points * g);
    return out;
  };
  const offsets = shapes({}), base = newDocument('tube', { clip: 'bend', start: 0, end: 24, fps: 24, cyclic: false }), clip = character.clips[0];
  const document: TubeScenes['document'] = (change = {}, shot = {}, preRoll = 8) => ({ ...base, shot: { ...base.shot, ...shot }, sway: { ...base.sway, ...change }, bake: { ...base.bake, preRoll } });
  return {
    guides, points, settings: base.sway, character, planting, offsets, plot, shapes, document,
    bare: { body: 'off', garment: 'off', accessory: 'off', prop: 'off', carrier: 'off' },
    scene: (change = {}, more = {}) => { const d = document(change, more.shot); return { character, mesh, clip: more.clip === undefined ? clip : more.clip, shot: d.shot, planting, offsets: more.offsets ?? offsets, pointCount: points, hidden: more.hidden ?? [], settings: d.sway }; },
    faster: (by) => ({ ...clip, duration: clip.duration / by, channels: clip.channels.map((c) => ({ ...c, times: c.times.map((t) => t / by) })) }),
    belowSkin: (pose, face, depth) => {
      const P = new Float64Array(mesh.positions.length);
      skinPositions(character, mesh, pose, P);
      const posed = new Surface(P, mesh.triangles), at = posed.place(face, [1 / 3, 1 / 3, 1 / 3]), n = posed.normal(face);
      return [0, 1, 2].map((c) => at[c] - depth * n[c]) as [number, number, number];
    },
  };
}
