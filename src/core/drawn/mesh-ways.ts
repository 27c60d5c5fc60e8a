/** How far it is from a line to each vertex of meshes, along their surface or through their inside, and where on the line that way begins. */
import { vertexNormals, weldByPosition } from '../mesh/surface';

/** By vertex: length of the shortest way, m, and the place on the line it begins at, m from its start. */
export interface Ways { distance: Float64Array; arc: Float64Array }
/** A line finely cut: places, 3 each, and how far each is along it. */
export interface FineLine { places: Float64Array; arcs: Float64Array }

/** Cuts a line of places (3 each) into pieces no longer than `step`. */
export function fineLine(places: readonly number[], step: number): FineLine {
  const out: number[] = [places[0], places[1], places[2]], arcs = [0];
  for (let k = 3; k < places.length; k += 3) {
    const d = [0, 1, 2].map((c) => places[k + c] - places[k - 3 + c]), length = Math.hypot(...d), n = Math.max(1, Math.ceil(length / step)), base = arcs[arcs.length - 1];
    for (let j = 1; j <= n; j++) { for (let c = 0; c < 3; c++) out.push(places[k - 3 + c] + (j / n) * d[c]); arcs.push(base + (j / n) * length); }
  }
  return { places: Float64Array.from(out), arcs: Float64Array.from(arcs) };
}

/** Smallest first. */
class Heap {
  private readonly at: number[] = [];
  private readonly key: number[] = [];
  get size(): number { return this.at.length; }
  push(v: number, k: number): void {
    let i = this.at.push(v) - 1;
    this.key.push(k);
    while (i > 0) {
      const up = (i - 1) >> 1;
      if (this.key[up] <= k) break;
      this.at[i] = this.at[up]; this.key[i] = this.key[up];
      i = up;
    }
    this.at[i] = v; this.key[i] = k;
  }
  /** The smallest; its key is in `lastKey`. */
  lastKey = 0;
  pop(): number {
    const first = this.at[0], v = this.at.pop()!, k = this.key.pop()!, n = this.at.length;
    this.lastKey = n === 0 ? k : this.key[0];
    if (n === 0) return v;
    let i = 0;
    for (let child = 1; child < n; child = 2 * i + 1) {
      if (child + 1 < n && this.key[child + 1] < this.key[child]) child++;
      if (this.key[child] >= k) break;
      this.at[i] = this.at[child]; this.key[i] = this.key[child];
      i = child;
    }
    this.at[i] = v; this.key[i] = k;
    return first;
  }
}

/** Share of the edges that may be open in a mesh that is taken as closed: models have small holes. Common practice, no source. */
const MOST_OPEN = 0.01;

/** A mesh as one thing for these questions: vertices in one place are one. */
export class WayMesh {
  readonly count: number;
  /** Welded vertex of each vertex. */
  readonly weld: Int32Array;
  /** Loose part of each welded vertex; −1 of those without a triangle. */
  readonly part: Int32Array;
  readonly parts: number;
  /** Whether it has an inside: as good as no edge is open. */
  readonly closed: boolean;
  readonly normals: Float64Array;
  /** Triangles at welded vertex v: `around[aroundAt[v] … aroundAt[v + 1])`, by number. */
  private readonly aroundAt: Int32Array;
  private readonly around: Int32Array;
  readonly corners: Int32Array;
  /** `positions` 3 × vertices, m. */
  constructor(readonly positions: ArrayLike<number>, triangles: ArrayLike<number>) {
    this.count = positions.length / 3;
    this.weld = weldByPosition(positions);
    const corners: number[] = [];
    for (let t = 0; t < triangles.length; t += 3) {
      const [a, b, c] = [this.weld[triangles[t]], this.weld[triangles[t + 1]], this.weld[triangles[t + 2]]];
      if (a !== b && b !== c && a !== c) corners.push(a, b, c);
    }
    this.corners = Int32Array.from(corners);
    this.normals = vertexNormals(positions, this.corners);
    this.aroundAt = new Int32Array(this.count + 1);
    for (const v of corners) this.aroundAt[v + 1]++;
    for (let v = 0; v < this.count; v++) this.aroundAt[v + 1] += this.aroundAt[v];
    const fill = this.aroundAt.slice();
    this.around = new Int32Array(corners.length);
    corners.forEach((v, k) => { this.around[fill[v]++] = Math.floor(k / 3); });
    const sides = new Map<number, number>();
    for (let t = 0; t < corners.length; t += 3) for (let k = 0; k < 3; k++) { const a = corners[t + k], b = corners[t + ((k + 1) % 3)], key = Math.min(a, b) * this.count + Math.max(a, b); sides.set(key, (sides.get(key) ?? 0) + 1); }
    let open = 0;
    for (const n of sides.values()) open += n % 2;
    this.closed = corners.length > 0 && open <= MOST_OPEN * sides.size;
    this.part = new Int32Array(this.count).fill(-1);
    let parts = 0;
    for (let v = 0; v < this.count; v++) {
      if (this.part[v] >= 0 || this.aroundAt[v] === this.aroundAt[v + 1]) continue;
      const waiting = [v];
      this.part[v] = parts;
      while (waiting.length > 0) { const w = waiting.pop()!; this.eachNeighbour(w, (u) => { if (this.part[u] < 0) { this.part[u] = parts; waiting.push(u); } }); }
      parts++;
    }
    this.parts = parts;
  }
  private eachNeighbour(v: number, visit: (u: number) => void): void {
    for (let k = this.aroundAt[v]; k < this.aroundAt[v + 1]; k++) { const t = 3 * this.around[k]; for (let c = 0; c < 3; c++) if (this.corners[t + c] !== v) visit(this.corners[t + c]); }
  }

  /**
   * Ways along the surface. In each loose part they begin at the vertices nearest to the line that face away from it, so that a tube is entered all
   * round. **Source:** fast marching on triangles, Kimmel and Sethian 1998, with the update by unfolding; from memory.
   */
  along(line: FineLine): Ways {
    const distance = new Float64Array(this.count).fill(Infinity), arc = new Float64Array(this.count), { positions: P, normals: N, part } = this, samples = line.arcs.length, near = new Float64Array(this.parts), who = new Int32Array(this.parts);
    const far = (v: number, s: number): number => Math.hypot(P[3 * v] - line.places[3 * s], P[3 * v + 1] - line.places[3 * s + 1], P[3 * v + 2] - line.places[3 * s + 2]), begin = (v: number, d: number, s: number): void => { if (d < distance[v]) { distance[v] = d; arc[v] = line.arcs[s]; } };
    for (let s = 0; s < samples; s++) {
      near.fill(Infinity);
      for (let v = 0; v < this.count; v++) { const p = part[v]; if (p < 0) continue; const d = far(v, s); if (d < near[p]) { near[p] = d; who[p] = v; } }
      for (let p = 0; p < this.parts; p++) begin(who[p], near[p], s);
      for (let v = 0; v < this.count; v++) {
        const p = part[v];
        if (p < 0) continue;
        const d = far(v, s);
        if (d > 1.6 * near[p]) continue;
        // the line lies behind its surface
        if (N[3 * v] * (line.places[3 * s] - P[3 * v]) + N[3 * v + 1] * (line.places[3 * s + 1] - P[3 * v + 1]) + N[3 * v + 2] * (line.places[3 * s + 2] - P[3 * v + 2]) < -0.05 * d) begin(v, d, s);
      }
    }
    this.march(distance, arc);
    return this.unwelded(distance, arc);
  }

  /** Lengths of ways from where they are known, on to all of the surface. */
  private march(distance: Float64Array, arc: Float64Array): void {
    const heap = new Heap(), done = new Uint8Array(this.count), { positions: P, corners } = this;
    for (let v = 0; v < this.count; v++) if (distance[v] < Infinity) heap.push(v, distance[v]);
    const edge = (a: number, b: number): number => Math.hypot(P[3 * a] - P[3 * b], P[3 * a + 1] - P[3 * b + 1], P[3 * a + 2] - P[3 * b + 2]);
    while (heap.size > 0) {
      const v = heap.pop();
      if (done[v]) continue;
      done[v] = 1;
      for (let k = this.aroundAt[v]; k < this.aroundAt[v + 1]; k++) {
        const t = 3 * this.around[k];
        for (let c = 0; c < 3; c++) {
          const u = corners[t + c];
          if (u === v || done[u]) continue;
          const w = corners[t] + corners[t + 1] + corners[t + 2] - u - v, b = edge(v, u);
          let d = distance[v] + b, from = arc[v];
          if (done[w]) {
            // the front is straight between v and w: unfold the triangle into the plane
            const a = edge(w, u), e = edge(v, w), way = acrossTriangle(distance[v], distance[w], e, b, a);
            if (way !== null && way.length < d) { d = way.length; from = arc[v] + way.share * (arc[w] - arc[v]); }
          }
          if (d < distance[u] - 1e-12) { distance[u] = d; arc[u] = from; heap.push(u, d); }
        }
      }
    }
  }

  /** Ways through the inside of a closed mesh, or through the room that the faces of an open one take up. */
  inside(line: FineLine, room: Room): Ways {
    const distance = new Float64Array(this.count).fill(Infinity), arc = new Float64Array(this.count), { positions: P, normals: N } = this, cells = room.ways(line);
    for (let v = 0; v < this.count; v++) {
      if (this.part[v] < 0) continue;
      room.eachNear(P[3 * v], P[3 * v + 1], P[3 * v + 2], (cell, x, y, z) => {
        if (cells.distance[cell] === Infinity) return;
        const d = Math.hypot(x, y, z), ahead = x * N[3 * v] + y * N[3 * v + 1] + z * N[3 * v + 2];
        // what lies before its surface is another part of the mesh
        if (this.closed && ahead > 0.25 * d) return;
        if (cells.distance[cell] + d < distance[v]) { distance[v] = cells.distance[cell] + d; arc[v] = cells.arc[cell]; }
      });
    }
    // what is thinner than the cells, or a loose part none of them reaches
    const reached = new Uint8Array(this.parts);
    for (let v = 0; v < this.count; v++) if (distance[v] < Infinity) reached[this.part[v]] = 1;
    if (reached.some((r) => r === 0)) {
      const straight = this.straight(line);
      for (let v = 0; v < this.count; v++) if (this.part[v] >= 0 && reached[this.part[v]] === 0) { distance[v] = straight.distance[v]; arc[v] = straight.arc[v]; }
    }
    this.march(distance, arc);
    return this.unwelded(distance, arc);
  }
  private straight(line: FineLine): Ways {
    const distance = new Float64Array(this.count).fill(Infinity), arc = new Float64Array(this.count), { positions: P } = this;
    for (let v = 0; v < this.count; v++) for (let s = 0; s < line.arcs.length; s++) { const d = Math.hypot(P[3 * v] - line.places[3 * s], P[3 * v + 1] - line.places[3 * s + 1], P[3 * v + 2] - line.places[3 * s + 2]); if (d < distance[v]) { distance[v] = d; arc[v] = line.arcs[s]; } }
    return { distance, arc };
  }
  private unwelded(distance: Float64Array, arc: Float64Array): Ways {
    for (let v = 0; v < this.count; v++) { const w = this.weld[v]; if (w !== v) { distance[v] = distance[w]; arc[v] = arc[w]; } }
    return { distance, arc };
  }
}

/** Way to a triangle's third corner from a straight front through its others at `dv` and `dw`; null where it would not come through the triangle. `e` = |vw|, `b` = |vu|, `a` = |wu|. */
function acrossTriangle(dv: number, dw: number, e: number, b: number, a: number): { length: number; share: number } | null {
  if (e < 1e-12 || Math.abs(dw - dv) >= e) return null;
  // v at the origin, w at (e, 0), u above; the source lies below the line
  const ux = (b * b + e * e - a * a) / (2 * e), uy = Math.sqrt(Math.max(0, b * b - ux * ux)), sx = (dv * dv - dw * dw + e * e) / (2 * e), sy2 = dv * dv - sx * sx;
  if (sy2 < 0) {
    // the front is flat here: two distances that no single place has
    const g = (dw - dv) / e, n = Math.sqrt(Math.max(0, 1 - g * g)), foot = ux - (uy * g) / Math.max(1e-9, n);
    return foot < 0 || foot > e ? null : { length: dv + ux * g + uy * n, share: foot / e };
  }
  const sy = -Math.sqrt(sy2), foot = sx + ((ux - sx) * -sy) / Math.max(1e-12, uy - sy);
  return foot < 0 || foot > e ? null : { length: Math.hypot(ux - sx, uy - sy), share: foot / e };
}

/** Cells at most, and along the longest side. */
const MOST_CELLS = 400_000, FINEST = 110;
const STEPS: [number, number, number][] = [];
for (let x = -1; x <= 1; x++) for (let y = -1; y <= 1; y++) for (let z = -1; z <= 1; z++) if (x !== 0 || y !== 0 || z !== 0) STEPS.push([x, y, z]);

/** The room inside meshes, in cells; steps from cell to cell do not go through their surface. */
export class Room {
  readonly cell: number;
  private readonly low: [number, number, number];
  private readonly size: [number, number, number];
  private readonly open: Uint8Array;
  /** Bit c: the step from this cell to the next along axis c goes through the surface. */
  private readonly wall: Uint8Array;
  constructor(mesh: WayMesh) {
    const { positions: P, corners } = mesh, low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity];
    for (const v of corners) for (let c = 0; c < 3; c++) { low[c] = Math.min(low[c], P[3 * v + c]); high[c] = Math.max(high[c], P[3 * v + c]); }
    const span = [0, 1, 2].map((c) => Math.max(1e-6, high[c] - low[c])), longest = Math.max(...span);
    let cell = longest / FINEST;
    const cellsAt = (h: number): number => span.reduce((n, s) => n * (Math.ceil(s / h) + 3), 1);
    while (cellsAt(cell) > MOST_CELLS) cell *= 1.08;
    this.cell = cell;
    // not on a grid that coordinates of models lie on
    this.low = [0, 1, 2].map((c) => low[c] - cell * [1.3819, 1.4142, 1.3591][c]) as [number, number, number];
    this.size = span.map((s) => Math.ceil(s / cell) + 3) as [number, number, number];
    const n = this.size[0] * this.size[1] * this.size[2];
    this.open = new Uint8Array(n);
    this.wall = new Uint8Array(n);
    if (mesh.closed) this.hollow(mesh); else this.shell(mesh);
  }
  private index(x: number, y: number, z: number): number { return (z * this.size[1] + y) * this.size[0] + x; }

  /** Cells whose middle lies inside by most of three rows, and the walls that rows go through: where parts lie in one another there are none. */
  private hollow({ positions: P, corners }: WayMesh): void {
    const { size, low, cell, open, wall } = this, stride = [1, size[0], size[0] * size[1]];
    for (let axis = 0; axis < 3; axis++) {
      const a = (axis + 1) % 3, b = (axis + 2) % 3, rows: [number, number][][] = [];
      for (let t = 0; t < corners.length; t += 3) {
        const q = [0, 1, 2].map((k) => 3 * corners[t + k]), range = (c: number): [number, number] => { const v = q.map((o) => P[o + c]); return [Math.max(0, Math.ceil((Math.min(...v) - low[c]) / cell - 0.5)), Math.min(size[c] - 1, Math.floor((Math.max(...v) - low[c]) / cell - 0.5))]; }, [a0, a1] = range(a), [b0, b1] = range(b);
        for (let j = a0; j <= a1; j++) for (let i = b0; i <= b1; i++) {
          const x = low[a] + (j + 0.5) * cell, y = low[b] + (i + 0.5) * cell;
          // where the row meets the triangle
          const side = (m: number, n: number): number => (P[q[n] + a] - P[q[m] + a]) * (y - P[q[m] + b]) - (P[q[n] + b] - P[q[m] + b]) * (x - P[q[m] + a]), s0 = side(1, 2), s1 = side(2, 0), s2 = side(0, 1);
          if (!((s0 > 0 && s1 > 0 && s2 > 0) || (s0 < 0 && s1 < 0 && s2 < 0))) continue;
          (rows[j * size[b] + i] ??= []).push([(s0 * P[q[0] + axis] + s1 * P[q[1] + axis] + s2 * P[q[2] + axis]) / (s0 + s1 + s2), s0 > 0 ? 1 : -1]);
        }
      }
      rows.forEach((hits, row) => {
        hits.sort((p, q) => p[0] - q[0]);
        const base = Math.floor(row / size[b]) * stride[a] + (row % size[b]) * stride[b];
        for (let k = 0, h = 0, around = 0; k < size[axis]; k++) {
          const place = low[axis] + (k + 0.5) * cell, o = base + k * stride[axis];
          while (h < hits.length && hits[h][0] < place) around += hits[h++][1];
          if (around !== 0) open[o]++;
          for (let g = h, on = around; g < hits.length && hits[g][0] < place + cell; g++) { const before = on; on += hits[g][1]; if ((before === 0) !== (on === 0)) wall[o] |= 1 << axis; }
        }
      });
    }
    for (let o = 0; o < open.length; o++) open[o] = open[o] >= 2 ? 1 : 0;
  }
  /** Cells that faces go through. */
  private shell({ positions: P, corners }: WayMesh): void {
    const { cell, low, size } = this;
    for (let t = 0; t < corners.length; t += 3) {
      const q = [0, 1, 2].map((k) => 3 * corners[t + k]), edge = (m: number, n: number): number => Math.hypot(...[0, 1, 2].map((c) => P[q[m] + c] - P[q[n] + c])), n = Math.max(1, Math.ceil((2 * Math.max(edge(0, 1), edge(1, 2), edge(2, 0))) / cell));
      for (let i = 0; i <= n; i++) for (let j = 0; i + j <= n; j++) {
        const at = [0, 1, 2].map((c) => Math.floor((P[q[0] + c] + (i / n) * (P[q[1] + c] - P[q[0] + c]) + (j / n) * (P[q[2] + c] - P[q[0] + c]) - low[c]) / cell));
        if (at.every((v, c) => v >= 0 && v < size[c])) this.open[this.index(at[0], at[1], at[2])] = 1;
      }
    }
  }

  /** Open cells round a place, with the way to their middle. */
  eachNear(px: number, py: number, pz: number, visit: (cell: number, x: number, y: number, z: number) => void, reach = 1): void {
    const { cell, low, size } = this, at = [px, py, pz].map((v, c) => Math.floor((v - low[c]) / cell));
    for (let z = at[2] - reach; z <= at[2] + reach; z++) for (let y = at[1] - reach; y <= at[1] + reach; y++) for (let x = at[0] - reach; x <= at[0] + reach; x++) {
      if (x < 0 || y < 0 || z < 0 || x >= size[0] || y >= size[1] || z >= size[2]) continue;
      const o = this.index(x, y, z);
      if (this.open[o] === 1) visit(o, low[0] + (x + 0.5) * cell - px, low[1] + (y + 0.5) * cell - py, low[2] + (z + 0.5) * cell - pz);
    }
  }

  /** Ways from a line to all cells: from the nearest open cells of each of its places. */
  ways(line: FineLine): Ways {
    const { size, cell, open, wall } = this, n = open.length, distance = new Float64Array(n).fill(Infinity), arc = new Float64Array(n), heap = new Heap(), done = new Uint8Array(n);
    for (let s = 0; s < line.arcs.length; s++) for (const reach of [1, 3]) {
      let any = false;
      this.eachNear(line.places[3 * s], line.places[3 * s + 1], line.places[3 * s + 2], (o, x, y, z) => { any = true; const d = Math.hypot(x, y, z); if (d < distance[o]) { distance[o] = d; arc[o] = line.arcs[s]; } }, reach);
      if (any) break;
    }
    for (let o = 0; o < n; o++) if (distance[o] < Infinity) heap.push(o, distance[o]);
    const stride = [1, size[0], size[0] * size[1]], free = (o: number, axis: number, way: number): boolean => way === 0 || (wall[way > 0 ? o : o - stride[axis]] & (1 << axis)) === 0;
    // a slanting step is free where one of the ways round its corners is
    const ORDERS = [[0, 1, 2], [0, 2, 1], [1, 0, 2], [1, 2, 0], [2, 0, 1], [2, 1, 0]], reaches = (o: number, step: readonly number[]): boolean => ORDERS.some((order) => { let at = o; for (const axis of order) { if (!free(at, axis, step[axis])) return false; at += step[axis] * stride[axis]; if (open[at] === 0) return false; } return true; });
    while (heap.size > 0) {
      const o = heap.pop();
      if (done[o]) continue;
      done[o] = 1;
      const x = o % size[0], y = Math.floor(o / size[0]) % size[1], z = Math.floor(o / stride[2]);
      for (const step of STEPS) {
        const X = x + step[0], Y = y + step[1], Z = z + step[2];
        if (X < 0 || Y < 0 || Z < 0 || X >= size[0] || Y >= size[1] || Z >= size[2]) continue;
        const to = this.index(X, Y, Z);
        if (open[to] === 0 || done[to]) continue;
        const d = distance[o] + cell * Math.hypot(step[0], step[1], step[2]);
        if (d >= distance[to] || !reaches(o, step)) continue;
        distance[to] = d;
        arc[to] = arc[o];
        heap.push(to, d);
      }
    }
    return { distance, arc };
  }
}
