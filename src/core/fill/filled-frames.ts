/** Filled strands of a groom frame by frame, as they are handed over: pushed out of what collides. */
import type { GroomDocument } from '../document/schema';
import { placeGuides, restFrames, rootMotionsInto, type Planting } from '../groom/planting';
import { poseAtFrame, restPositions, skinPositions, type Character } from '../mesh/character';
import { Surface } from '../mesh/surface';
import { filledColliders, pushFilled, type Deepest } from '../sway/push-filled';
import { fillFrom } from './open-fill';
import { FillShapes, type FilledStrands } from './strands';

export interface FilledInput { document: GroomDocument; character: Character; planting: Planting; offsets: Float32Array; faces: Uint32Array; count: number; /** Stored maps, by name. */ maps?: Record<string, Uint8Array> }

export class FilledFrames {
  readonly strands: FilledStrands;
  /** Greatest depth any strand had below a collider before it was pushed out, m. */
  deepest = 0;
  /** The same of the last frame alone, with the strand, and collider by collider. */
  last: Deepest & { depth: number } = { depth: 0, strand: -1 };
  private readonly shapes: FillShapes;
  private readonly frames: Float64Array;
  private readonly guideFrames: Float64Array;
  private readonly skin: Float64Array;
  private readonly motions: Float64Array;
  private readonly guideMotions: Float64Array;
  private points: Float32Array | null = null;

  constructor(private readonly input: FilledInput) {
    const { document, character, planting, offsets, faces } = input, { guides, plant, fill } = document, mesh = this.mesh(), rest = restPositions(character, mesh);
    this.strands = fillFrom({ fill, seed: plant.seed, faces, planting, offsets, pointCount: guides!.pointCount, count: input.count, full: Math.max(input.count, fill.count), maps: input.maps ?? {} }, new Surface(rest, mesh.triangles), character);
    this.shapes = new FillShapes(this.strands);
    this.frames = restFrames(this.strands.roots, rest, mesh.triangles);
    this.guideFrames = restFrames(planting, rest, mesh.triangles);
    this.skin = rest.slice();
    this.motions = new Float64Array(7 * this.strands.roots.faces.length);
    this.guideMotions = new Float64Array(7 * planting.faces.length);
  }
  /** What `last.below` counts. */
  get colliders(): string[] { const { character, document } = this.input; return filledColliders(character, document.hidden, document.sway); }
  private mesh(): Character['meshes'][number] { return this.input.character.meshes.find((m) => m.name === this.input.document.plot.mesh)!; }

  /** 3 × nodes × strands, m: as groomed, in the rest pose. */
  rest(): Float32Array {
    const { count, nodes, roots, places } = this.strands, P = new Float32Array(3 * nodes * count), motions = new Float64Array(7 * roots.faces.length);
    for (let s = 0; s < roots.faces.length; s++) motions.set([0, 0, 0, 1, places[3 * s], places[3 * s + 1], places[3 * s + 2]], 7 * s);
    this.shapes.at(this.input.offsets, this.input.document.guides!.pointCount);
    this.shapes.place(motions, P);
    return P;
  }
  /** 3 × nodes × strands, m, world, from the guides' points of the frame; what was given the last time is written over. */
  at(frame: number, guides: Float32Array): Float32Array {
    const { document, character, planting } = this.input, { count, nodes, roots } = this.strands, { shot, sway, hidden } = document, { pointCount } = document.guides!, mesh = this.mesh(), clip = character.clips.find((c) => c.name === shot.clip) ?? null;
    const pose = poseAtFrame(character, clip, shot, frame), local = new Float32Array(guides.length), P = (this.points ??= new Float32Array(3 * nodes * count));
    skinPositions(character, mesh, pose, this.skin);
    rootMotionsInto(this.motions, roots, this.frames, this.skin, mesh.triangles);
    rootMotionsInto(this.guideMotions, planting, this.guideFrames, this.skin, mesh.triangles);
    placeGuides(guides, this.guideMotions, pointCount, local, true);
    this.shapes.at(local, pointCount);
    this.shapes.place(this.motions, P);
    this.last = { depth: 0, strand: -1 };
    this.last.depth = pushFilled(character, hidden, sway, pose, P, nodes, this.last);
    this.deepest = Math.max(this.deepest, this.last.depth);
    return P;
  }
}
