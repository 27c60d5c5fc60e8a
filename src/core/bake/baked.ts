/** A bake as what is handed over sees it: its frames, and how skin and guides stand in them. */
import type { GroomDocument } from '../document/schema';
import type { Placement } from '../mesh/placement';
import { placeGuides, restFrames, rootMotionsInto, rootVertices, type Planting } from '../groom/planting';
import { poseAtFrame, restPositions, skinPositions, type Character, type CharacterMesh, type Pose } from '../mesh/character';

export interface Baked {
  document: GroomDocument;
  character: Character;
  planting: Planting;
  /** 3 × points × guides, m, rest orientation, from the root. */
  offsets: Float32Array;
  /** Faces of the plot. */
  faces: Uint32Array;
  /** Stored maps, by name. */
  maps: Record<string, Uint8Array>;
  samples: number;
  startFrame: number;
  endFrame: number;
  /** The files the character came in, and how it was placed; where they are at hand. */
  source?: () => Promise<{ files: { name: string; bytes: Uint8Array }[]; placement: Placement | null }>;
  /** Guide points of a sample, 3 × points × guides, m, world; sample n lies at frame n / samples. */
  sample: (n: number) => Promise<Float32Array>;
  /** Drops of a sample, `DROP_NUMBERS` each. */
  drops?: (n: number) => Promise<Float32Array>;
}

/** Guides of a bake and their skin at any frame, whole or between. */
export class BakedView {
  readonly mesh: CharacterMesh;
  /** 3 × vertices of the mesh, m, in the rest pose. */
  readonly restSkin: Float64Array;
  /** 3 × points × guides, m: the groomed shape in the rest pose. */
  readonly rest: Float64Array;
  readonly pointCount: number;
  readonly guides: number;
  private readonly frames: Float64Array;
  private readonly vertices: Uint32Array;
  private readonly skin: Float64Array;
  constructor(readonly baked: Baked) {
    const { document, character, planting, offsets } = baked, mesh = character.meshes.find((m) => m.name === document.plot.mesh);
    if (!mesh) throw new Error(`The character has no mesh “${document.plot.mesh}” any more.`);
    this.mesh = mesh;
    this.pointCount = document.guides!.pointCount;
    this.guides = planting.faces.length;
    this.restSkin = restPositions(character, mesh);
    this.frames = restFrames(planting, this.restSkin, mesh.triangles);
    this.vertices = rootVertices(planting, mesh.triangles);
    this.skin = this.restSkin.slice();
    this.rest = new Float64Array(offsets.length);
    const motions = new Float64Array(7 * this.guides);
    rootMotionsInto(motions, planting, this.frames, this.restSkin, mesh.triangles);
    placeGuides(offsets, motions, this.pointCount, this.rest);
  }
  poseAt(frame: number): Pose {
    const { document: { shot }, character } = this.baked, clip = character.clips.find((c) => c.name === shot.clip) ?? null;
    return poseAtFrame(character, clip, shot, frame);
  }
  /** Motions of the guides' roots from the rest pose: 7 × guides. */
  rootsInto(pose: Pose, motions: Float64Array): void {
    const { character, planting } = this.baked;
    skinPositions(character, this.mesh, pose, this.skin, this.vertices);
    rootMotionsInto(motions, planting, this.frames, this.skin, this.mesh.triangles);
  }

  /**
   * How each point of the guides is turned from the rest pose, quaternions, 4 × points × guides: the root as its skin, and from point to
   * point by the least turn that takes the edge above from where the point below would have it to where it is.
   */
  turnsInto(points: ArrayLike<number>, motions: Float64Array, out: Float64Array): void {
    const { rest, pointCount: n } = this;
    for (let g = 0; g < this.guides; g++) {
      let qx = motions[7 * g], qy = motions[7 * g + 1], qz = motions[7 * g + 2], qw = motions[7 * g + 3];
      for (let i = 0; i < n; i++) {
        const p = 3 * (g * n + i), a = i < n - 1 ? p : p - 3, o = 4 * (g * n + i);
        if (i < n - 1) {
          const rx = rest[a + 3] - rest[a], ry = rest[a + 4] - rest[a + 1], rz = rest[a + 5] - rest[a + 2], tx = points[a + 3] - points[a], ty = points[a + 4] - points[a + 1], tz = points[a + 5] - points[a + 2];
          // the edge as the turn so far has it
          const ux = 2 * (qy * rz - qz * ry), uy = 2 * (qz * rx - qx * rz), uz = 2 * (qx * ry - qy * rx), ex = rx + qw * ux + qy * uz - qz * uy, ey = ry + qw * uy + qz * ux - qx * uz, ez = rz + qw * uz + qx * uy - qy * ux;
          const l = Math.sqrt((ex * ex + ey * ey + ez * ez) * (tx * tx + ty * ty + tz * tz));
          if (l > 1e-18) {
            let dx = (ey * tz - ez * ty) / l, dy = (ez * tx - ex * tz) / l, dz = (ex * ty - ey * tx) / l, dw = 1 + (ex * tx + ey * ty + ez * tz) / l;
            if (dw < 1e-9) { dx = 0; dy = 0; dz = 0; dw = 1; } // turned about: any way round
            const k = 1 / Math.sqrt(dx * dx + dy * dy + dz * dz + dw * dw);
            dx *= k; dy *= k; dz *= k; dw *= k;
            const nx = dw * qx + dx * qw + dy * qz - dz * qy, ny = dw * qy - dx * qz + dy * qw + dz * qx, nz = dw * qz + dx * qy - dy * qx + dz * qw, nw = dw * qw - dx * qx - dy * qy - dz * qz;
            qx = nx; qy = ny; qz = nz; qw = nw;
          }
        }
        out[o] = qx; out[o + 1] = qy; out[o + 2] = qz; out[o + 3] = qw;
      }
    }
  }
}

/** Places between samples by cubics through those around (Catmull and Rom's, 1974, *from memory*); at a sample exactly it. */
export class Between {
  private readonly held = new Map<number, Float32Array>();
  constructor(private readonly baked: Baked) {}
  private async get(n: number): Promise<Float32Array> {
    const { samples, startFrame, endFrame } = this.baked, k = Math.max(startFrame * samples, Math.min((endFrame + 1) * samples - 1, n)), known = this.held.get(k);
    if (known) return known;
    const points = await this.baked.sample(k);
    this.held.set(k, points);
    for (const old of this.held.keys()) if (old < k - 6) this.held.delete(old);
    return points;
  }
  /** Points at a frame, whole or between. */
  async at(frame: number): Promise<Float32Array> {
    const x = frame * this.baked.samples, k = Math.floor(x + 1e-9), t = Math.max(0, x - k);
    if (t < 1e-6) return this.get(k);
    const a = await this.get(k - 1), b = await this.get(k), c = await this.get(k + 1), d = await this.get(k + 2), out = new Float32Array(b.length);
    for (let i = 0; i < out.length; i++) out[i] = b[i] + 0.5 * t * (c[i] - a[i] + t * (2 * a[i] - 5 * b[i] + 4 * c[i] - d[i] + t * (3 * (b[i] - c[i]) + d[i] - a[i])));
    return out;
  }
}
