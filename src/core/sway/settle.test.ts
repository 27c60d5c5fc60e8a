import { beforeAll, describe, expect, it } from 'vitest';
import { tubeGlb } from '../../../tests/helpers/tube';
import { readGlb } from '../../formats/gltf';
import { newDocument } from '../document/schema';
import { growGuide } from '../groom/grow';
import { placeGuides, restFrames, rootMotionsInto, rootPlace, scatterEvenly, type Planting } from '../groom/planting';
import { poseCharacter, restPositions, skinPositions, stillClip, type Character } from '../mesh/character';
import { Surface } from '../mesh/surface';
import { settled } from './settle';

const GUIDES = 20, POINTS = 10, TIME = 0.6, TURNED = { clip: 'turned', time: 0 };
let character: Character, planting: Planting, offsets: Float32Array;
beforeAll(async () => {
  const read = await readGlb(await tubeGlb());
  if (!read.ok) throw new Error(read.error.message);
  character = read.value;
  // far over: what hangs in the rest pose does not hang there
  const { node } = character.clips.find((c) => c.name === 'bend')!.channels.find((c) => c.path === 'rotation')!, half = 0.55;
  character = { ...character, clips: [...character.clips, { name: 'turned', duration: 0, channels: [{ node, path: 'rotation', interpolation: 'LINEAR', times: Float32Array.of(0), values: Float32Array.of(0, 0, Math.sin(half), Math.cos(half)) }] }] };
  const mesh = character.meshes[0], surface = new Surface(mesh.positions, mesh.triangles);
  planting = scatterEvenly(surface, Uint32Array.from({ length: 120 }, (_, i) => 240 + i), GUIDES, 5);
  offsets = new Float32Array(3 * POINTS * GUIDES);
  for (let g = 0; g < GUIDES; g++) offsets.set(growGuide(surface, rootPlace(surface, planting, g), surface.normal(planting.faces[g]), { length: 0.12, pointCount: POINTS, lie: 'standing', lift: 0 }), 3 * POINTS * g);
});
const fall = (pose: { clip: string; time: number } | null, start = offsets): Float32Array => settled(character, { planting, offsets: start, pointCount: POINTS, mesh: character.meshes[0].name, hidden: [], settings: { ...newDocument('tube', { clip: '', start: 0, end: 1, fps: 24, cyclic: false }).sway, hold: 0 }, pose });
/** Mean height of the tips above their roots as a pose shows shapes, m. */
function hanging(shapes: Float32Array, { clip, time }: { clip: string; time: number }): number {
  const mesh = character.meshes[0], rest = restPositions(character, mesh), skin = new Float64Array(rest.length), motions = new Float64Array(7 * GUIDES), world = new Float32Array(shapes.length);
  skinPositions(character, mesh, poseCharacter(character, character.clips.find((c) => c.name === clip)!, time), skin);
  rootMotionsInto(motions, planting, restFrames(planting, rest, mesh.triangles), skin, mesh.triangles);
  placeGuides(shapes, motions, POINTS, world);
  let sum = 0;
  for (let g = 0; g < GUIDES; g++) sum += world[3 * (POINTS * g + POINTS - 1) + 1] - world[3 * POINTS * g + 1];
  return sum / GUIDES;
}

describe('settling', () => {
  it('hair falls down as the pose has it, not as the rest pose does; seen in that pose it hangs lower', () => {
    const still = fall(null), posed = fall(TURNED), straight = { clip: 'bend', time: 0 };
    expect(hanging(posed, TURNED)).toBeLessThan(hanging(offsets, TURNED) - 0.02);
    expect(hanging(posed, TURNED)).toBeLessThan(hanging(still, TURNED) - 0.004);
    expect(hanging(still, straight)).toBeLessThan(hanging(posed, straight) - 0.004);
  });
  it('roots stay and edges keep their lengths, in any pose', () => {
    for (const pose of [null, TURNED]) {
      const out = fall(pose), edge = (o: Float32Array, a: number): number => Math.hypot(o[a] - o[a - 3], o[a + 1] - o[a - 2], o[a + 2] - o[a - 1]);
      for (let g = 0; g < GUIDES; g++) for (let i = 0; i < POINTS; i++) {
        const a = 3 * (POINTS * g + i);
        if (i === 0) expect(Array.from(out.slice(a, a + 3))).toEqual(Array.from(offsets.slice(a, a + 3)));
        else expect(edge(out, a)).toBeCloseTo(edge(offsets, a), 6);
      }
    }
  });
});

describe('a still clip', () => {
  it('is the pose of its clip at that time, whenever it is asked for, for every kind of channel', () => {
    const clip = character.clips.find((c) => c.name === 'bend')!, still = stillClip(clip, TIME);
    for (const t of [0, 0.3, 9]) expect(poseCharacter(character, still, t)).toEqual(poseCharacter(character, stillClip(clip, TIME), 0));
    const a = poseCharacter(character, still, 0), b = poseCharacter(character, clip, TIME);
    for (let i = 0; i < a.length; i++) expect(a[i]).toBeCloseTo(b[i], 6);
    const cubic = { node: 1, path: 'translation' as const, interpolation: 'CUBICSPLINE' as const, times: Float32Array.of(0, 1), values: Float32Array.from([0, 0, 0, 0, 0, 0, 1, 0, 0, -1, 0, 0, 2, 1, 0, 0, 0, 0]) };
    const own = { name: 'c', duration: 1, channels: [cubic] }, p = poseCharacter(character, own, 0.4), q = poseCharacter(character, stillClip(own, 0.4), 0.9);
    for (let i = 0; i < p.length; i++) expect(q[i]).toBeCloseTo(p[i], 6);
  });
});
