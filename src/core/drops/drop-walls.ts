/**
 * What stands in the way of drops: shells, pills and the ground. Of a shell each drop is told once a frame which face it will meet, by a ray along
 * the way it will go in it; within the frame only that face's plane is asked about, and another ray is cast when the drop goes another way. Pills and
 * the ground are asked about in every substep.
 */
import { BufferAttribute, BufferGeometry, DoubleSide, Ray, Vector3 } from 'three';
import { MeshBVH, type HitPointInfo } from 'three-mesh-bvh';
import { PosedObstacles, type Obstacles } from '../sway/push-out';
import { describeShell } from '../sway/shell-check';

/** A shell's mesh, and its places at the frame's start and end, m. */
export interface WallShell { mesh: { triangles: Uint32Array }; before: ArrayLike<number>; now: ArrayLike<number>; shell: { closed: boolean } }

export class DropWalls {
  private readonly trees: MeshBVH[];
  private readonly places: BufferAttribute[];
  private readonly outward: number[];
  private readonly ray = new Ray(new Vector3(), new Vector3());
  private readonly spot = new Vector3();
  private readonly nearest: HitPointInfo = { point: new Vector3(), distance: 0, faceIndex: 0 };
  private readonly corners = new Float64Array(9);
  private readonly posed: Obstacles;
  /** Pills and ground as they stand at the frame's end. */
  solid: PosedObstacles;
  /** Of the last face met: shell, face, weights of its corners, unit normal toward where the drop came from, m from there to it; whether the drop was inside already. */
  shell = -1;
  face = -1;
  distance = 0;
  inside = false;
  /** 1 on its outside, −1 on its inside (of a sheet, its other face). */
  side: 1 | -1 = 1;
  readonly weights = new Float64Array(3);
  readonly normal = new Float64Array(3);

  /** `rest`: each shell's places in the rest pose. */
  constructor(private readonly shells: readonly WallShell[], rest: readonly ArrayLike<number>[], solids: Pick<Obstacles, 'pills' | 'floors'>) {
    this.places = rest.map((p) => new BufferAttribute(Float32Array.from(p), 3));
    this.trees = shells.map((s, k) => {
      const geometry = new BufferGeometry();
      geometry.setAttribute('position', this.places[k]);
      geometry.setIndex(new BufferAttribute(Uint32Array.from(s.mesh.triangles), 1));
      return new MeshBVH(geometry, { indirect: true });
    });
    this.outward = shells.map((s, k) => (describeShell(s.mesh.triangles, rest[k]).inverted ? -1 : 1));
    this.posed = { ...solids, shells: [] };
    this.solid = new PosedObstacles(this.posed, [], [], []);
  }
  /** As all stands at the end of a frame. `ends`: six numbers a pill. */
  frame(ends: ArrayLike<number>): void {
    this.shells.forEach((s, k) => { (this.places[k].array as Float32Array).set(s.now as ArrayLike<number>); this.trees[k].refit(); });
    this.solid = new PosedObstacles(this.posed, ends, [], []);
  }

  /** The first face on a way of `far` m along the unit vector `w`; false for none. `whether`: finds out, too, whether it begins inside what is closed. */
  meet(x: number, y: number, z: number, wx: number, wy: number, wz: number, far: number, whether: boolean): boolean {
    const { ray, normal } = this;
    ray.origin.set(x, y, z);
    ray.direction.set(wx, wy, wz);
    this.shell = -1;
    this.inside = false;
    let best = whether ? 100 : far;
    for (let k = 0; k < this.trees.length; k++) {
      const hit = this.trees[k].raycastFirst(ray, DoubleSide, 0, best);
      if (!hit || hit.faceIndex == null || hit.distance > best) continue;
      best = hit.distance;
      this.shell = k;
      this.face = hit.faceIndex;
      this.spot.copy(hit.point);
    }
    if (this.shell < 0) return false;
    this.distance = best;
    this.describe();
    const out = this.outward[this.shell] * (normal[0] * wx + normal[1] * wy + normal[2] * wz);
    if (out > 0 && this.shells[this.shell].shell.closed) {
      // skin has overtaken it: out by the nearest way
      const hit = this.trees[this.shell].closestPointToPoint(ray.origin, this.nearest);
      if (hit) { this.face = hit.faceIndex; this.spot.copy(hit.point); this.distance = 0; this.inside = true; this.describe(); }
      for (let c = 0; c < 3; c++) normal[c] *= this.outward[this.shell];
      this.side = 1;
      return true;
    }
    if (best > far) return false;
    const toward = normal[0] * wx + normal[1] * wy + normal[2] * wz > 0 ? -1 : 1;
    for (let c = 0; c < 3; c++) normal[c] *= toward;
    this.side = toward === this.outward[this.shell] ? 1 : -1;
    return true;
  }
  /** Normal by winding, and the weights of the spot. **Source:** barycentric coordinates by areas, Ericson 2005, from memory. */
  private describe(): void {
    const T = this.shells[this.shell].mesh.triangles, P = this.places[this.shell].array, a = 3 * T[3 * this.face], b = 3 * T[3 * this.face + 1], c = 3 * T[3 * this.face + 2], { normal, weights, spot } = this;
    const ux = P[b] - P[a], uy = P[b + 1] - P[a + 1], uz = P[b + 2] - P[a + 2], vx = P[c] - P[a], vy = P[c + 1] - P[a + 1], vz = P[c + 2] - P[a + 2], px = spot.x - P[a], py = spot.y - P[a + 1], pz = spot.z - P[a + 2];
    const nx = uy * vz - uz * vy, ny = uz * vx - ux * vz, nz = ux * vy - uy * vx, area = nx * nx + ny * ny + nz * nz || 1e-300, l = Math.sqrt(area);
    normal[0] = nx / l; normal[1] = ny / l; normal[2] = nz / l;
    weights[1] = (nx * (py * vz - pz * vy) + ny * (pz * vx - px * vz) + nz * (px * vy - py * vx)) / area;
    weights[2] = (nx * (uy * pz - uz * py) + ny * (uz * px - ux * pz) + nz * (ux * py - uy * px)) / area;
    weights[0] = 1 - weights[1] - weights[2];
  }
  /** Where a place of a face is at the share `t` of the frame, `lift` m outside it. */
  placeInto(out: Float64Array, o: number, shell: number, face: number, w: ArrayLike<number>, wo: number, t: number, lift = 0): void {
    const { corners, shells } = this, { mesh: { triangles }, before, now } = shells[shell], C = corners;
    for (let k = 0; k < 3; k++) for (let c = 0; c < 3; c++) { const q = 3 * triangles[3 * face + k] + c; C[3 * k + c] = before[q] + t * (now[q] - before[q]); }
    for (let c = 0; c < 3; c++) out[o + c] = w[wo] * C[c] + w[wo + 1] * C[3 + c] + w[wo + 2] * C[6 + c];
    if (lift === 0) return;
    const ux = C[3] - C[0], uy = C[4] - C[1], uz = C[5] - C[2], vx = C[6] - C[0], vy = C[7] - C[1], vz = C[8] - C[2], nx = uy * vz - uz * vy, ny = uz * vx - ux * vz, nz = ux * vy - uy * vx, k = (lift * this.outward[shell]) / (Math.hypot(nx, ny, nz) || 1e-300);
    out[o] += k * nx; out[o + 1] += k * ny; out[o + 2] += k * nz;
  }
}
