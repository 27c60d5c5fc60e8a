/**
 * What hair presses on clothes by, so that these can feel it: the impulse of every contact with a worn mesh, summed over the substeps of a frame, at
 * the place of the mesh it was at. Contact and friction of a substep act on hair and mesh alike with opposite signs, so that what the mesh is told is
 * just what hair has got of it: momentum is handed on whole.
 */
import { closestOnTriangle } from '../mesh/closest';
import { restPositions, type Character } from '../mesh/character';
import { turnInto } from '../math/mat4';
import type { ContactFinder } from './contact';
import { gatherPresses } from './contact-told';
import { SLOTS } from './rod/arrays';
import type { RodSystem } from './rod-system';
import type { WornShell } from './scene';

/** Numbers of a press: number of the mesh, its place in the rest pose (m), the force on the mesh in the mean of the frame (N, world). */
export const PRESS_NUMBERS = 7;

export class Presses {
  static readonly madeAnew: ReadonlySet<string> = new Set(['impulses', 'ids', 'at', 'rest', 'meshes', 'corners', 'close', 'place', 'force', 'worn']);
  /** By contact slot: impulse on the hair in the frame (3, N·s), the contact it was, and the share of its edge. */
  private readonly impulses: Float64Array;
  private readonly ids: Int32Array;
  private readonly at: Float64Array;
  /** By shell: its mesh in the rest pose (3 × vertices, m), and the mesh's number in the character; −1 of the body, whose presses nobody asks for. */
  private readonly rest: Float64Array[];
  private readonly meshes: number[];
  private readonly corners = new Float64Array(9);
  private readonly close = new Float64Array(5);
  private readonly place = new Float64Array(3);
  private readonly force = new Float64Array(3);

  constructor(private readonly contacts: ContactFinder, private readonly system: RodSystem, private readonly worn: readonly WornShell[], character: Character, isBody: (mesh: WornShell['mesh']) => boolean) {
    const slots = SLOTS * system.pointCount;
    this.impulses = new Float64Array(3 * slots);
    this.ids = new Int32Array(slots).fill(-1);
    this.at = new Float64Array(slots);
    this.meshes = worn.map((w) => (isBody(w.mesh) ? -1 : character.meshes.indexOf(w.mesh)));
    const known = new Map<WornShell['mesh'], Float64Array>();
    this.rest = worn.map(({ mesh }) => { const P = known.get(mesh) ?? restPositions(character, mesh); known.set(mesh, P); return P; });
  }
  /** Whether any mesh is worn that could be pressed. */
  static any(worn: readonly WornShell[], isBody: (mesh: WornShell['mesh']) => boolean): boolean { return worn.some((w) => !isBody(w.mesh)); }

  begin(): void { this.impulses.fill(0); this.ids.fill(-1); }
  /** After a substep of `h` s. */
  add(h: number): void { gatherPresses(this.contacts, this.system, h, this.impulses, this.ids, this.at); }
  /** At the end of a frame of `time` s, hair at `points` (3 × n, m): `PRESS_NUMBERS` each, in the order of the strands. `home`: from where the run is computed to the world. */
  told(points: ArrayLike<number>, time: number, home: Float64Array): Float32Array {
    const { impulses, ids, at, contacts, worn, meshes, rest, corners, close, place, force } = this, out: number[] = [];
    for (let slot = 0; slot < ids.length; slot++) {
      if (ids[slot] < 0) continue;
      const q = contacts.shellOf(ids[slot]), mesh = meshes[q];
      if (mesh < 0) continue;
      const t = contacts.triangleOfContact(ids[slot]), { before, shell: { triangles } } = worn[q], p = 3 * Math.floor(slot / SLOTS), s = at[slot];
      for (let k = 0; k < 3; k++) for (let c = 0; c < 3; c++) corners[3 * k + c] = before[3 * triangles[3 * t + k] + c];
      for (let c = 0; c < 3; c++) place[c] = (1 - s) * points[p - 3 + c] + s * points[p + c];
      closestOnTriangle(corners, 0, place, 0, close);
      const [u, w] = sharesOf(corners, close), P = rest[q], a = 3 * triangles[3 * t], b = 3 * triangles[3 * t + 1], d = 3 * triangles[3 * t + 2];
      for (let c = 0; c < 3; c++) force[c] = -impulses[3 * slot + c] / time;
      turnInto(force, 0, force.slice(), 0, home);
      out.push(mesh, P[a] + u * (P[b] - P[a]) + w * (P[d] - P[a]), P[a + 1] + u * (P[b + 1] - P[a + 1]) + w * (P[d + 1] - P[a + 1]), P[a + 2] + u * (P[b + 2] - P[a + 2]) + w * (P[d + 2] - P[a + 2]), force[0], force[1], force[2]);
    }
    return Float32Array.from(out);
  }
}

/** Shares of the second and third corner (9 numbers in `C`) of a place on the triangle. */
function sharesOf(C: Float64Array, place: Float64Array): [number, number] {
  let aa = 0, ab = 0, bb = 0, d1 = 0, d2 = 0;
  for (let c = 0; c < 3; c++) { const u = C[3 + c] - C[c], v = C[6 + c] - C[c], p = place[c] - C[c]; aa += u * u; ab += u * v; bb += v * v; d1 += u * p; d2 += v * p; }
  const D = aa * bb - ab * ab;
  return D > 0 ? [(bb * d1 - ab * d2) / D, (aa * d2 - ab * d1) / D] : [0, 0];
}
