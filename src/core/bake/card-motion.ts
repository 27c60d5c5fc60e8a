/**
 * Hair cards moved by a bake: every vertex is bound to the guides that its card's strand follows, at its share of the length, and
 * moves with the turned places of those guides. This is the full movement that reductions are measured against.
 */
import type { CardMesh } from '../fill/cards';
import type { FilledStrands } from '../fill/strands';
import type { BakedView } from './baked';

/** Up to four guides, two points of each. */
const BONDS = 8;

export class CardMotion {
  readonly vertices: number;
  /** Guide point of each bond and its share; `BONDS` a vertex. */
  private readonly points: Uint32Array;
  private readonly weights: Float32Array;
  constructor(private readonly view: BakedView, readonly mesh: CardMesh, strands: FilledStrands) {
    const n = (this.vertices = mesh.positions.length / 3), last = view.pointCount - 1, { guides, weights } = strands.follow;
    this.points = new Uint32Array(BONDS * n);
    this.weights = new Float32Array(BONDS * n);
    for (let v = 0; v < n; v++) {
      const s = mesh.strands[mesh.card[v]], x = Math.max(0, Math.min(1, mesh.uvs[2 * v + 1])) * last, i = Math.min(last - 1, Math.floor(x)), t = x - i;
      for (let q = 0; q < 4; q++) for (let e = 0; e < 2; e++) {
        const o = BONDS * v + 2 * q + e;
        this.points[o] = guides[4 * s + q] * view.pointCount + i + e;
        this.weights[o] = weights[4 * s + q] * (e === 0 ? 1 - t : t);
      }
    }
  }
  /** Guide points a vertex is bound to, with their shares. */
  bondsOf(v: number): { point: number; weight: number }[] {
    return Array.from({ length: BONDS }, (_, k) => ({ point: this.points[BONDS * v + k], weight: this.weights[BONDS * v + k] })).filter((b) => b.weight > 0);
  }

  /** Vertices in a frame, 3 × vertices, m, world; normals too where asked. `points`, `turns`: of the guides in that frame. */
  at(points: ArrayLike<number>, turns: ArrayLike<number>, out: Float32Array, normals?: Float32Array): void {
    const { rest } = this.view, { positions: P, normals: N } = this.mesh;
    for (let v = 0; v < this.vertices; v++) {
      const a = 3 * v, px = P[a], py = P[a + 1], pz = P[a + 2], mx = N[a], my = N[a + 1], mz = N[a + 2];
      let x = 0, y = 0, z = 0, nx = 0, ny = 0, nz = 0;
      for (let k = BONDS * v; k < BONDS * (v + 1); k++) {
        const w = this.weights[k];
        if (w === 0) continue;
        const p = 3 * this.points[k], q = 4 * this.points[k], qx = turns[q], qy = turns[q + 1], qz = turns[q + 2], qw = turns[q + 3];
        const dx = px - rest[p], dy = py - rest[p + 1], dz = pz - rest[p + 2], ux = 2 * (qy * dz - qz * dy), uy = 2 * (qz * dx - qx * dz), uz = 2 * (qx * dy - qy * dx);
        x += w * (points[p] + dx + qw * ux + qy * uz - qz * uy);
        y += w * (points[p + 1] + dy + qw * uy + qz * ux - qx * uz);
        z += w * (points[p + 2] + dz + qw * uz + qx * uy - qy * ux);
        if (!normals) continue;
        const sx = 2 * (qy * mz - qz * my), sy = 2 * (qz * mx - qx * mz), sz = 2 * (qx * my - qy * mx);
        nx += w * (mx + qw * sx + qy * sz - qz * sy);
        ny += w * (my + qw * sy + qz * sx - qx * sz);
        nz += w * (mz + qw * sz + qx * sy - qy * sx);
      }
      out[a] = x; out[a + 1] = y; out[a + 2] = z;
      if (!normals) continue;
      const l = Math.sqrt(nx * nx + ny * ny + nz * nz) || 1;
      normals[a] = nx / l; normals[a + 1] = ny / l; normals[a + 2] = nz / l;
    }
  }
}
