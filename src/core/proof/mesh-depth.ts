/**
 * Where strands are against the meshes that are drawn, whatever the settings say of colliders: how deep in closed meshes, and
 * how many lie over skin in front that had none on it in the groom. Exact and slow: for trials, and to judge what a run
 * without colliders cannot know.
 */
import { poseAtFrame, poseCharacter, skinPositions, type CharacterMesh, type Pose } from '../mesh/character';
import { Surface } from '../mesh/surface';
import type { Scene } from '../sway/scene';
import { insideClosed } from '../sway/start-check';
import { roleOf } from '../document/schema';
import { bodyParts } from '../sway/body-parts';
import { describeShell, outwardSign } from '../sway/shell-check';

/** Share of a strand from its root that is not asked: it comes out of the skin there. */
const ROOTED = 0.2;
/** m: hair so near in front of skin lies over it. */
const OVER = 0.05;
/** Skin whose normal points so much forwards (rest: +z) is a face. */
const FRONT = 0.35;

const posed = (scene: Scene, mesh: CharacterMesh, pose: Pose): Float64Array => { const P = new Float64Array(mesh.positions.length); skinPositions(scene.character, mesh, pose, P); return P; };
export const poseOf = (scene: Scene, frame: number): Pose => poseAtFrame(scene.character, scene.clip, scene.shot, frame);

export class MeshDepth {
  private readonly closed: { mesh: CharacterMesh; triangles: Uint32Array; outward: 1 | -1 }[];
  /** `which`: the meshes asked, all that are shown and closed where left out. */
  constructor(private readonly scene: Scene, which: (mesh: CharacterMesh) => boolean = () => true) {
    const rest = poseCharacter(scene.character, null, 0);
    this.closed = scene.character.meshes.filter((m) => !scene.hidden.includes(m.name) && which(m)).flatMap((mesh) => {
      const P = posed(scene, mesh, rest), triangles = describeShell(mesh.triangles, P).closed ? mesh.triangles : roleOf(mesh, scene.settings) === 'body' ? bodyParts(mesh.triangles, P)?.solid : undefined;
      return triangles ? [{ mesh, triangles, outward: outwardSign(triangles, P) }] : [];
    });
  }
  /** Deepest point of the strands (3 × pointCount × guides, m, world) in a frame: m, strand, mesh. */
  at(frame: number, points: ArrayLike<number>): { depth: number; guide: number; mesh: string } {
    const { pointCount } = this.scene, pose = poseOf(this.scene, frame), first = Math.ceil(ROOTED * (pointCount - 1)), out = { depth: 0, guide: -1, mesh: '' };
    for (const { mesh, triangles, outward } of this.closed) {
      const P = posed(this.scene, mesh, pose), inside = insideClosed(P, triangles, points, outward);
      let surface: Surface | null = null;
      for (let p = 0; p < inside.length; p++) {
        if (!inside[p] || p % pointCount < first) continue;
        surface ??= new Surface(P, triangles);
        const depth = surface.nearest([points[3 * p], points[3 * p + 1], points[3 * p + 2]])?.distance ?? 0;
        if (depth > out.depth) Object.assign(out, { depth, guide: Math.floor(p / pointCount), mesh: mesh.name });
      }
    }
    return out;
  }
}

/** Strands that lie over skin in front, outside their plot. */
export class OverFace {
  private readonly groomed: Uint8Array;
  private readonly front: Uint8Array;
  /** `plot`: faces that hair grows on; `combed`: the groomed shape in the rest pose. */
  constructor(private readonly scene: Scene, plot: ArrayLike<number>, combed: ArrayLike<number>) {
    const { mesh } = scene, P = posed(scene, mesh, poseCharacter(scene.character, null, 0)), surface = new Surface(P, mesh.triangles), grows = new Set(Array.from(plot));
    this.front = Uint8Array.from({ length: mesh.triangles.length / 3 }, (_, f) => (!grows.has(f) && surface.normal(f)[2] > FRONT ? 1 : 0));
    this.groomed = this.over(surface, combed);
  }
  private over(surface: Surface, points: ArrayLike<number>): Uint8Array {
    const { pointCount } = this.scene, out = new Uint8Array(points.length / (3 * pointCount));
    for (let p = Math.ceil(ROOTED * (pointCount - 1)); p < points.length / 3; p++) {
      const g = Math.floor(p / pointCount);
      if (out[g] === 1 || p % pointCount < ROOTED * (pointCount - 1)) continue;
      const hit = surface.nearest([points[3 * p], points[3 * p + 1], points[3 * p + 2]], OVER);
      if (hit && this.front[hit.face] === 1) out[g] = 1;
    }
    return out;
  }
  /** Share of the strands that lie there in a frame, and did not in the groom. */
  at(frame: number, points: ArrayLike<number>): number {
    const now = this.over(new Surface(posed(this.scene, this.scene.mesh, poseOf(this.scene, frame)), this.scene.mesh.triangles), points);
    return now.reduce((n, v, g) => n + (v === 1 && this.groomed[g] === 0 ? 1 : 0), 0) / Math.max(1, now.length);
  }
}
