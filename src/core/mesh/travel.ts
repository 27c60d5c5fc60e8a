/** Where a character goes as a whole, over the ground. */
import { poseAtFrame, poseCharacter, type Character, type Clip, type Pose } from './character';
import { restBox } from './rest-box';

/** A character goes away from its place where it goes farther than this share of its height; less is moving on the spot. */
const AWAY = 0.5;
/** Frames of a shot that are looked at, at most. */
const LOOKS = 48;

export class Travel {
  /** Nodes that move what is seen: joints of skins, and nodes of meshes without one. */
  private readonly nodes: Int32Array;
  private readonly height: number;
  private known: { key: string; far: number } | null = null;
  /** m: middle of the character over the ground, x and z, in the pose last told. */
  readonly place = new Float64Array(2);
  /** The same in the rest pose. */
  readonly rest = new Float64Array(2);

  constructor(private readonly character: Character) {
    const { low, high } = restBox(character), nodes = new Set(character.skins.flatMap((s) => [...s.joints]));
    for (const m of character.meshes) if (m.skin < 0) nodes.add(m.node);
    this.nodes = Int32Array.from(nodes);
    this.height = high[1] - low[1];
    this.middleInto(poseCharacter(character, null, 0), this.rest);
    this.place.set(this.rest);
  }
  /** Tells where it stands in a pose. */
  stand(pose: Pose): void { this.middleInto(pose, this.place); }
  /** Whether it goes away from its place in the frames of a shot. */
  goesAway(clip: Clip | null, shot: { start: number; end: number; fps: number; cyclic: boolean }): boolean {
    if (!clip) return false;
    const key = JSON.stringify([clip.name, shot.start, shot.end, shot.fps, shot.cyclic]);
    if (this.known?.key !== key) {
      const first = new Float64Array(2), at = new Float64Array(2), step = Math.max(1, (shot.end - shot.start) / LOOKS);
      let far = 0;
      this.middleInto(poseAtFrame(this.character, clip, shot, shot.start), first);
      for (let frame = shot.start + step; frame <= shot.end + 1e-6; frame += step) {
        this.middleInto(poseAtFrame(this.character, clip, shot, frame), at);
        far = Math.max(far, Math.hypot(at[0] - first[0], at[1] - first[1]));
      }
      this.known = { key, far };
    }
    return this.known.far > AWAY * this.height;
  }
  /** Middle over the ground in a pose, x and z, m. */
  middleInto(pose: Pose, out: Float64Array): void {
    const { nodes } = this, by = 1 / Math.max(1, nodes.length);
    out[0] = out[1] = 0;
    for (const n of nodes) { out[0] += by * pose[16 * n + 12]; out[1] += by * pose[16 * n + 14]; }
  }
}
