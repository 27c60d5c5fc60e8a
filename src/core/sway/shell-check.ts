/** What is wrong with a mesh as a collider, in plain words. */
import { looseParts, weldByPosition } from '../mesh/surface';

export interface ShellCheck {
  /** Whether it can stop anything at all. */
  usable: boolean;
  /** Whether it encloses a volume: fewer than 2 % of its half-edges are borders. */
  closed: boolean;
  /** Whether its faces look inwards. */
  inverted: boolean;
  borders: number;
  /** Edges shared by more than two faces, or by two that look opposite ways. */
  crooked: number;
  /** Faces without an area. */
  empty: number;
  /** Each completes a sentence that begins with the mesh's name. */
  notes: string[];
}

/** `triangles` 3 × faces; `positions` 3 × vertices, m; vertices in one place are one. */
export function describeShell(triangles: ArrayLike<number>, positions: ArrayLike<number>): ShellCheck {
  const notes: string[] = [], weld = weldByPosition(positions), vertices = positions.length / 3, seen = new Map<number, number>();
  const flaw = (text: string): ShellCheck => ({ usable: false, closed: false, inverted: false, borders: 0, crooked: 0, empty: 0, notes: [text] });
  if (triangles.length < 3) return flaw('has no faces; it is left out.');
  for (let v = 0; v < positions.length; v++) if (!Number.isFinite(positions[v])) return flaw(`has a vertex (number ${Math.floor(v / 3)}) that is nowhere; it is left out. Export it again.`);
  let empty = 0, kept = 0, crooked = 0;
  for (let t = 0; t < triangles.length; t += 3) {
    const c = [weld[triangles[t]], weld[triangles[t + 1]], weld[triangles[t + 2]]];
    if (c[0] === c[1] || c[1] === c[2] || c[2] === c[0]) { empty++; continue; }
    const [A, B, C] = c.map((v) => [positions[3 * v], positions[3 * v + 1], positions[3 * v + 2]]);
    const n = [(B[1] - A[1]) * (C[2] - A[2]) - (B[2] - A[2]) * (C[1] - A[1]), (B[2] - A[2]) * (C[0] - A[0]) - (B[0] - A[0]) * (C[2] - A[2]), (B[0] - A[0]) * (C[1] - A[1]) - (B[1] - A[1]) * (C[0] - A[0])];
    if (!(Math.hypot(...n) > 1e-16)) { empty++; continue; }
    kept++;
    for (let k = 0; k < 3; k++) {
      // the way an edge is walked: +1 upwards by number, −1 downwards; of a sound one the sum over its faces is 0
      const a = c[k], b = c[(k + 1) % 3], key = Math.min(a, b) * vertices + Math.max(a, b), was = seen.get(key) ?? 0;
      seen.set(key, was + 16 + (a < b ? 1 : -1));
    }
  }
  if (kept === 0) return flaw('has no faces with an area; it is left out.');
  let borders = 0;
  for (const value of seen.values()) {
    const faces = (value + 8) >> 4, sum = value - 16 * faces;
    if (faces === 1) borders++;
    else if (faces > 2 || sum !== 0) crooked++;
  }
  const closed = borders < 0.02 * 3 * kept, inverted = closed && outwardSign(triangles, positions) < 0;
  if (inverted) notes.push('has its faces turned inwards; they are taken the other way round.');
  if (closed && borders > 0) notes.push(`has ${borders} open edges; it is taken as closed, and hair may slip in there.`);
  if (crooked > 0) notes.push(`has ${crooked} edges where more than two faces meet or neighbours look opposite ways; contact there may pull to the wrong side.`);
  if (empty > 0.01 * (triangles.length / 3)) notes.push(`has ${empty} faces without an area; they are skipped.`);
  return { usable: true, closed, inverted, borders, crooked, empty, notes };
}

/**
 * +1 where the faces of a closed mesh look outwards, −1 where they look inwards: by the volume it encloses, every part of it seen from
 * its own middle, so that small openings (a wrist, a neck) do not count for more the further away they are.
 */
export function outwardSign(triangles: ArrayLike<number>, positions: ArrayLike<number>): 1 | -1 {
  const parts = looseParts(triangles, weldByPosition(positions));
  const middles = new Map<number, [number, number, number, number]>();
  for (let h = 0; h < triangles.length; h++) {
    const r = parts[triangles[h]], m = middles.get(r) ?? [0, 0, 0, 0];
    for (let c = 0; c < 3; c++) m[c] += positions[3 * triangles[h] + c];
    m[3]++;
    middles.set(r, m);
  }
  let volume = 0;
  for (let t = 0; t < triangles.length; t += 3) {
    const m = middles.get(parts[triangles[t]])!, [a, b, d] = [0, 1, 2].map((k) => [0, 1, 2].map((c) => positions[3 * triangles[t + k] + c] - m[c] / m[3]));
    volume += a[0] * (b[1] * d[2] - b[2] * d[1]) + a[1] * (b[2] * d[0] - b[0] * d[2]) + a[2] * (b[0] * d[1] - b[1] * d[0]);
  }
  return volume < 0 ? -1 : 1;
}
