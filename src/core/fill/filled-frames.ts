/** Filled strands of a groom frame by frame, as they are handed over: pushed out of what collides. */
import type { GroomDocument } from '../document/schema';
import { placeGuides, restFrames, rootMotionsInto, type Planting } from '../groom/planting';
import { mapSampler } from '../groom/skin-grid';
import { polylineLength } from '../groom/polyline';
import { clipTime, poseCharacter, restPositions, skinPositions, type Character } from '../mesh/character';
import { Surface } from '../mesh/surface';
import { pushFilled } from '../sway/push-filled';
import { fillPlot, NODES, strandShape, type FilledStrands } from './strands';

export interface FilledInput { document: GroomDocument; character: Character; planting: Planting; offsets: Float32Array; faces: ArrayLike<number>; count: number; /** Stored density map of the plot. */ density?: Uint8Array | null }

export class FilledFrames {
  readonly strands: FilledStrands;
  /** Greatest depth any strand had below a collider before it was pushed out, m. */
  deepest = 0;
  private readonly lengths: Float32Array;
  private readonly frames: Float64Array;
  private readonly guideFrames: Float64Array;
  private readonly skin: Float64Array;
  private readonly motions: Float64Array;
  private readonly guideMotions: Float64Array;

  constructor(private readonly input: FilledInput) {
    const { document, character, planting, offsets, faces } = input, { guides, plant, fill } = document, mesh = this.mesh();
    const rest = restPositions(character, mesh);
    const density = input.density ? mapSampler(input.density, rest, mesh.triangles) : null;
    this.strands = fillPlot(new Surface(rest, mesh.triangles), faces, planting, offsets, guides!.pointCount, { count: input.count, full: Math.max(input.count, fill.count) }, plant.seed, fill.lengthSpread, density);
    const count = this.strands.roots.faces.length;
    this.frames = restFrames(this.strands.roots, rest, mesh.triangles);
    this.guideFrames = restFrames(planting, rest, mesh.triangles);
    this.skin = rest.slice();
    this.lengths = Float32Array.from({ length: planting.faces.length }, (_, g) => polylineLength(offsets, g * guides!.pointCount, guides!.pointCount));
    this.motions = new Float64Array(7 * count);
    this.guideMotions = new Float64Array(7 * planting.faces.length);
  }
  private mesh(): Character['meshes'][number] { return this.input.character.meshes.find((m) => m.name === this.input.document.plot.mesh)!; }

  /** 3 × NODES × strands, m, world, from the guides' points of the frame. */
  at(frame: number, guides: Float32Array): Float32Array {
    const { document, character, planting } = this.input, count = this.strands.roots.faces.length, { shot, fill, sway, hidden } = document, { pointCount } = document.guides!, mesh = this.mesh(), clip = character.clips.find((c) => c.name === shot.clip) ?? null;
    const pose = poseCharacter(character, clip, clip ? clipTime(frame, shot.fps, clip.duration, shot.cyclic) : 0), local = new Float32Array(guides.length), P = new Float32Array(3 * NODES * count), one = new Float32Array(3 * NODES);
    skinPositions(character, mesh, pose, this.skin);
    rootMotionsInto(this.motions, this.strands.roots, this.frames, this.skin, mesh.triangles);
    rootMotionsInto(this.guideMotions, planting, this.guideFrames, this.skin, mesh.triangles);
    placeGuides(guides, this.guideMotions, pointCount, local, true);
    const shape = { clump: fill.clump, lock: fill.lock, frizz: fill.frizzMm / 1000, lengthSpread: fill.lengthSpread };
    for (let s = 0; s < count; s++) {
      strandShape(this.strands, s, local, this.lengths, pointCount, shape, this.motions.subarray(7 * s, 7 * s + 7), one);
      P.set(one, 3 * NODES * s);
    }
    this.deepest = Math.max(this.deepest, pushFilled(character, hidden, sway, pose, P));
    return P;
  }
}
