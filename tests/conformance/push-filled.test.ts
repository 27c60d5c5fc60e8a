/** Filled strands that are lifted out of a character and its clothes: in whatever order, and checked against the tree of three-mesh-bvh. */
import { beforeAll, describe, expect, it } from 'vitest';
import { defaultSway } from '../../src/core/document/schema';
import { growGuide } from '../../src/core/groom/grow';
import { rootPlace } from '../../src/core/groom/planting';
import { scatterRoots } from '../../src/core/groom/scatter';
import { makeRandom } from '../../src/core/math/random';
import { poseAtFrame, restPositions, skinPositions, type Character, type Pose } from '../../src/core/mesh/character';
import { Surface } from '../../src/core/mesh/surface';
import { filledColliders, pushFilled, type Deepest } from '../../src/core/sway/push-filled';
import { oda } from '../helpers/oda';

const NODES = 12, STRANDS = 240, settings = defaultSway();
let character: Character, pose: Pose, raw: Float32Array;
const lifted = (P: Float32Array, worst?: Deepest): { P: Float32Array; depth: number } => { const out = P.slice(), depth = pushFilled(character, [], settings, pose, out, NODES, worst); return { P: out, depth }; };
const strand = (P: Float32Array, s: number): Float32Array => P.subarray(3 * NODES * s, 3 * NODES * (s + 1));
const ordered = (order: readonly number[]): Float32Array => { const P = new Float32Array(3 * NODES * order.length); order.forEach((s, k) => P.set(strand(raw, s), 3 * NODES * k)); return P; };

beforeAll(async () => {
  character = await oda();
  const mesh = character.meshes.find((m) => m.hair.length > 0)!, rest = restPositions(character, mesh), surface = new Surface(rest, mesh.triangles), clip = character.clips.find((c) => c.name === 'look back')!;
  pose = poseAtFrame(character, clip, { fps: 24, cyclic: false }, 20);
  const faces = Uint32Array.from({ length: mesh.triangles.length / 3 }, (_, f) => f).filter((f) => [0, 1, 2].every((k) => mesh.hair[mesh.triangles[3 * f + k]] > 0.5)), roots = scatterRoots(surface, faces, STRANDS, 3), posed = new Float64Array(rest.length), random = makeRandom(6);
  skinPositions(character, mesh, pose, posed);
  const skin = new Surface(posed, mesh.triangles);
  raw = new Float32Array(3 * NODES * STRANDS);
  for (let s = 0; s < STRANDS; s++) {
    // grown on the skin as it stands, then drawn inwards, so that many end in head, collar or coat
    const at = rootPlace(skin, roots, s), shape = growGuide(skin, at, skin.normal(roots.faces[s]), { length: 0.16 + 0.14 * random(), pointCount: NODES, lie: 'falling', lift: 0.006 }), inward = 0.03 * random();
    for (let k = 0; k < NODES; k++) for (let c = 0; c < 3; c++) raw[3 * (NODES * s + k) + c] = at[c] + shape[3 * k + c] * (c === 1 ? 1 : 1 - inward * k);
  }
}, 120_000);

describe('filled strands lifted out', () => {
  it('come out the same to the bit in whatever order they are given', () => {
    const worst: Deepest = { strand: -1 }, all = lifted(raw, worst), back = Array.from({ length: STRANDS }, (_, k) => STRANDS - 1 - k), turned = lifted(ordered(back));
    expect(all.depth).toBeGreaterThan(0.002);
    expect(turned.depth).toBe(all.depth);
    back.forEach((s, k) => expect(strand(turned.P, k)).toEqual(strand(all.P, s)));
    // the deepest is told by its own number
    const other: Deepest = { strand: -1 };
    lifted(ordered(back), other);
    expect(other.strand).toBe(STRANDS - 1 - worst.strand);
    expect(other.below).toEqual(worst.below!.map(([k, depth, s]) => [k, depth, STRANDS - 1 - s]));
  });
  it('are told collider by collider, as deep as the trees of the meshes say', () => {
    const worst: Deepest = { strand: -1 }, { depth } = lifted(raw, worst), names = filledColliders(character, [], settings), below = new Map(worst.below!.map(([k, d, s]) => [names[k], { depth: d, strand: s }]));
    expect(Math.max(...worst.below!.map(([, d]) => d))).toBe(depth);
    expect([...below.keys()]).toEqual(expect.arrayContaining(['head', 'collar']));
    // of the deepest strand of each, some point beyond its first stretch is so deep in that mesh
    for (const [name, told] of below) {
      // of a mesh of parts that are stuck into each other only the outside counts
      if (!['head', 'collar', 'coat'].includes(name)) continue;
      const m = character.meshes.find((x) => x.name === name)!, Q = new Float64Array(m.positions.length);
      skinPositions(character, m, pose, Q);
      const tree = new Surface(Q, m.triangles), P = strand(raw, told.strand);
      let nearest = Infinity;
      for (let k = 2; k < NODES; k++) {
        const at = [P[3 * k], P[3 * k + 1], P[3 * k + 2]], hit = tree.nearest(at, 0.05);
        if (hit && hit.normal.reduce((d, n, c) => d + n * (at[c] - hit.point[c]), 0) < 0) nearest = Math.min(nearest, Math.abs(hit.distance - told.depth));
      }
      expect([name, nearest < 2e-4]).toEqual([name, true]);
    }
  });
  it('keep roots and lengths, and leave few points inside, of strands that are deep in something from the root on, as the tree of each mesh tells', () => {
    const { P } = lifted(raw), trees = character.meshes.filter((m) => ['head', 'collar', 'coat'].includes(m.name)).map((m) => { const Q = new Float64Array(m.positions.length); skinPositions(character, m, pose, Q); return new Surface(Q, m.triangles); });
    expect(trees).toHaveLength(3);
    const inside = (points: Float32Array): number => {
      let count = 0;
      for (let s = 0; s < STRANDS; s++) for (let k = 4; k < NODES; k++) {
        const o = 3 * (NODES * s + k), at = [points[o], points[o + 1], points[o + 2]];
        if (trees.some((t) => { const hit = t.nearest(at, 0.012); return hit !== null && hit.distance > 5e-4 && hit.normal.reduce((d, n, c) => d + n * (at[c] - hit.point[c]), 0) < 0; })) count++;
      }
      return count;
    };
    const before = inside(raw), after = inside(P);
    expect(before).toBeGreaterThan(60);
    expect(after).toBeLessThan(before / 5);
    for (let s = 0; s < STRANDS; s++) {
      const a = strand(raw, s), b = strand(P, s), far = (Q: Float32Array, k: number): number => Math.hypot(Q[3 * k] - Q[3 * k - 3], Q[3 * k + 1] - Q[3 * k - 2], Q[3 * k + 2] - Q[3 * k - 1]);
      expect(b.subarray(0, 3)).toEqual(a.subarray(0, 3));
      for (let k = 1; k < NODES; k++) expect(Math.abs(far(b, k) / far(a, k) - 1)).toBeLessThan(0.005);
    }
  });
});
