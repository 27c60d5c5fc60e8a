/** Sets of faces: what grows, what belongs together, what is left of the other side. Faces by number, ascending. */
import { leadingNodes, type Character, type CharacterMesh } from '../mesh/character';
import { neighbours, weldByPosition, type Surface } from '../mesh/surface';

export class FaceTopology {
  private readonly weld: Int32Array;
  /** Faces round each vertex. */
  private readonly round = new Map<number, number[]>();
  readonly count: number;

  constructor(positions: ArrayLike<number>, private readonly triangles: Uint32Array) {
    this.weld = weldByPosition(positions);
    this.count = triangles.length / 3;
    for (let h = 0; h < triangles.length; h++) {
      const v = this.weld[triangles[h]], list = this.round.get(v);
      if (list) list.push((h / 3) | 0);
      else this.round.set(v, [(h / 3) | 0]);
    }
  }
  private beside(f: number, visit: (other: number) => void): void { for (let k = 0; k < 3; k++) for (const g of this.round.get(this.weld[this.triangles[3 * f + k]])!) visit(g); }

  /** With all faces that touch them. */
  grown(faces: Iterable<number>): Uint32Array {
    const out = new Set<number>(faces);
    for (const f of [...out]) this.beside(f, (g) => out.add(g));
    return sorted(out);
  }
  /** Without those that touch others. */
  shrunk(faces: Iterable<number>): Uint32Array {
    const all = new Set<number>(faces);
    return sorted([...all].filter((f) => { let inside = true; this.beside(f, (g) => { if (!all.has(g)) inside = false; }); return inside; }));
  }
  /** The loose part of the mesh that a face belongs to. */
  partOf(face: number): Uint32Array {
    const out = new Set([face]), waiting = [face];
    while (waiting.length > 0) this.beside(waiting.pop()!, (g) => { if (!out.has(g)) { out.add(g); waiting.push(g); } });
    return sorted(out);
  }
}

/** Faces of one material. */
export function facesOfMaterial(mesh: CharacterMesh, material: number): Uint32Array {
  return sorted(mesh.groups.filter((g) => g.material === material).flatMap((g) => Array.from({ length: g.count }, (_, k) => g.first + k)));
}
/** Faces whose corners a joint moves most. */
export function facesOfJoint(character: Character, mesh: CharacterMesh, node: number): Uint32Array {
  const lead = leadingNodes(character, mesh);
  return sorted(Array.from({ length: mesh.triangles.length / 3 }, (_, f) => f).filter((f) => [0, 1, 2].filter((k) => lead[mesh.triangles[3 * f + k]] === node).length >= 2));
}
/** Those faces and the ones across x = 0 of the rest pose. */
export function mirroredFaces(rest: Surface, faces: ArrayLike<number>): Uint32Array {
  const chosen = new Set<number>();
  for (let k = 0; k < faces.length; k++) chosen.add(faces[k]);
  const out = new Set(chosen);
  // asked of every face, so that none is left out where the other side is cut into triangles another way
  for (let f = 0; f < rest.triangles.length / 3; f++) {
    const c = rest.corners(f), mid = [0, 1, 2].map((x) => (c[0][x] + c[1][x] + c[2][x]) / 3), hit = rest.nearest([-mid[0], mid[1], mid[2]]);
    if (hit && chosen.has(hit.face)) out.add(f);
  }
  return sorted(out);
}
const sorted = (faces: Iterable<number>): Uint32Array => Uint32Array.from(faces).sort();

/** Seam edges that are tried. */
const SEAMS = 60;

/** Mirrored face of every face, −1 for none; see `mirroredEdges`. */
export function mirrorByWay(positions: ArrayLike<number>, triangles: Uint32Array): Int32Array | null {
  const twins = mirroredEdges(positions, triangles);
  return twins && Int32Array.from({ length: triangles.length / 3 }, (_, f) => (twins[3 * f] < 0 ? -1 : Math.floor(twins[3 * f] / 3)));
}

/**
 * Mirrored half-edge of every half-edge (3 × face + corner it begins at) by how the mesh hangs together, whatever its shape: from an edge in the middle (nearest x = 0 in
 * the rest pose) both sides are walked over at once. −1 on parts that do not hang on the middle; null where no edge in the middle has two
 * like sides.
 */
export function mirroredEdges(positions: ArrayLike<number>, triangles: Uint32Array): Int32Array | null {
  const weld = weldByPosition(positions), opposite = neighbours(triangles.map((v) => weld[v])), edges: [number, number][] = [], n = triangles.length;
  const next = (h: number): number => h - (h % 3) + ((h % 3) + 1) % 3, before = (h: number): number => h - (h % 3) + ((h % 3) + 2) % 3;
  for (let h = 0; h < n; h++) if (opposite[h] > h) edges.push([h, Math.abs(positions[3 * triangles[h]]) + Math.abs(positions[3 * triangles[next(h)]])]);
  edges.sort((a, b) => a[1] - b[1]);
  let best: Int32Array | null = null, most = 0;
  for (const [h] of edges.slice(0, SEAMS)) {
    const twin = new Int32Array(n).fill(-1), queue = [h];
    twin[h] = opposite[h];
    twin[opposite[h]] = h;
    let whole = true, reached = 0;
    // half-edge e of the one side and its twin: what follows the one comes before the other
    const pair = (e: number, t: number): void => {
      if (twin[e] < 0 && twin[t] < 0) { twin[e] = t; twin[t] = e; queue.push(e); reached++; }
      else if (twin[e] !== t) whole = false;
    };
    for (let k = 0; k < queue.length && whole; k++) {
      const e = queue[k], t = twin[e];
      pair(next(e), before(t));
      pair(before(e), next(t));
      if (opposite[e] >= 0 !== opposite[t] >= 0) whole = false;
      else if (opposite[e] >= 0) pair(opposite[e], opposite[t]);
    }
    if (whole && reached > most) { most = reached; best = twin; if (reached > n / 4) break; }
  }
  return best;
}
