/**
 * How often a mesh goes round a place: faces are sorted by where they lie as seen along each axis, and a ray along it is put against those of its cell alone.
 *
 * A ray meets a face where its place lies in it as seen along the axis. Edges are told from their lower end, in whichever face they come, and count at their
 * lower end and not at their upper, so that of all faces that meet at an edge or a corner a ray goes through as many one way as the other way: no direction
 * is a bad one. **Source:** winding number of a polygon by upward and downward crossings, Sunday 2001, *from memory*.
 */
const MOST_CELLS = 256;

/** Faces as seen along an axis. */
interface Seen { lowU: number; lowV: number; perU: number; perV: number; cells: number; first: Uint32Array; list: Uint32Array }

export class Winding {
  private readonly seen: (Seen | undefined)[] = [];

  /** `P`: 3 × vertices, m; kept, and not changed meanwhile. `outward` −1 where faces look inwards. */
  constructor(private readonly P: ArrayLike<number>, private readonly T: Uint32Array, private readonly outward: 1 | -1) {}

  /** Whether the mesh goes round place `k` of `A` (m), as two of three rays tell; also where parts of it overlap. */
  within(A: ArrayLike<number>, k: number): boolean {
    let inside = 0;
    for (let axis = 0; axis < 3 && inside < 2 && inside + 3 - axis >= 2; axis++) if (this.along(A, k, axis) >= 1) inside++;
    return inside >= 2;
  }

  /** How often it does, as the ray along an axis tells: 1 inside a closed mesh, 2 where two parts of it overlap. */
  along(A: ArrayLike<number>, k: number, axis: number): number {
    const { P, T } = this, { lowU, lowV, perU, perV, cells, first, list } = (this.seen[axis] ??= this.sort(axis)), a = axis, b = (axis + 1) % 3, c = (axis + 2) % 3, x = A[k + a], u = A[k + b], v = A[k + c], i = Math.floor((u - lowU) * perU), j = Math.floor((v - lowV) * perV);
    if (!(i >= 0 && j >= 0 && i < cells && j < cells)) return 0;
    const cell = i + cells * j;
    let count = 0;
    for (let s = first[cell]; s < first[cell + 1]; s++) {
      const t = 3 * list[s], p = 3 * T[t], q = 3 * T[t + 1], r = 3 * T[t + 2], pu = P[p + b], pv = P[p + c], qu = P[q + b], qv = P[q + c], ru = P[r + b], rv = P[r + c];
      const round = crossing(pu, pv, qu, qv, u, v) + crossing(qu, qv, ru, rv, u, v) + crossing(ru, rv, pu, pv, u, v);
      if (round === 0) continue;
      // the place before or behind it, by the face's plane
      const x0 = P[p + a], eu = qu - pu, ev = qv - pv, ex = P[q + a] - x0, fu = ru - pu, fv = rv - pv, fx = P[r + a] - x0, n = eu * fv - ev * fu, before = n * (x - x0) + (ev * fx - ex * fv) * (u - pu) + (ex * fu - eu * fx) * (v - pv);
      if (round > 0 ? before < 0 : before > 0) count += round;
    }
    return this.outward * count;
  }

  private sort(axis: number): Seen {
    const { P, T } = this, b = (axis + 1) % 3, c = (axis + 2) % 3, faces = T.length / 3, cells = Math.max(1, Math.min(MOST_CELLS, Math.ceil(Math.sqrt(faces))));
    let lowU = Infinity, lowV = Infinity, highU = -Infinity, highV = -Infinity;
    for (let h = 0; h < T.length; h++) { const u = P[3 * T[h] + b], v = P[3 * T[h] + c]; if (u < lowU) lowU = u; if (u > highU) highU = u; if (v < lowV) lowV = v; if (v > highV) highV = v; }
    // a little more, so that what lies on the far side is in a cell
    const perU = cells / Math.max(1e-12, (highU - lowU) * (1 + 1e-9)), perV = cells / Math.max(1e-12, (highV - lowV) * (1 + 1e-9)), first = new Uint32Array(cells * cells + 1);
    let list = new Uint32Array(0);
    for (let pass = 0; pass < 2; pass++) {
      for (let t = 0; t < faces; t++) {
        const p = 3 * T[3 * t], q = 3 * T[3 * t + 1], r = 3 * T[3 * t + 2], pu = P[p + b], pv = P[p + c], qu = P[q + b], qv = P[q + c], ru = P[r + b], rv = P[r + c];
        const i0 = place(Math.min(pu, qu, ru), lowU, perU, cells), i1 = place(Math.max(pu, qu, ru), lowU, perU, cells), j0 = place(Math.min(pv, qv, rv), lowV, perV, cells), j1 = place(Math.max(pv, qv, rv), lowV, perV, cells);
        for (let j = j0; j <= j1; j++) for (let i = i0; i <= i1; i++) { if (pass === 0) first[i + cells * j]++; else list[--first[i + cells * j]] = t; }
      }
      if (pass === 1) break;
      // sums, so that place q is the end of cell q; filling moves each back to its beginning
      for (let q = 1; q < first.length; q++) first[q] += first[q - 1];
      list = new Uint32Array(first[cells * cells - 1]);
      first[cells * cells] = list.length;
    }
    return { lowU, lowV, perU, perV, cells, first, list };
  }
}

const place = (v: number, low: number, per: number, cells: number): number => Math.max(0, Math.min(cells - 1, Math.floor((v - low) * per)));
/** 1 where the edge from p to q goes up past a place on its right, −1 where it goes down there, else 0. */
function crossing(pu: number, pv: number, qu: number, qv: number, u: number, v: number): number {
  if (pv <= v) return qv > v && (qu - pu) * (v - pv) - (u - pu) * (qv - pv) > 0 ? 1 : 0;
  return qv <= v && (pu - qu) * (v - qv) - (u - qu) * (pv - qv) > 0 ? -1 : 0;
}
