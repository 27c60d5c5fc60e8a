import { describe, expect, it } from 'vitest';
import { makeRandom } from '../math/random';
import { neighbours } from '../mesh/surface';
import { NearMemory } from './fast/near-memory';
import { ShellFaces } from './shell-faces';
import { ShellGrid } from './shell-grid';
import { patchesOf } from './shell-mesh';

type P = [number, number, number];
const REACH = 0.0065;

/** A ball of bumps of about `radius`, as triangles. */
function bumpy(radius: number, rings: number): { triangles: Uint32Array; rest: Float64Array } {
  const rest: number[] = [], triangles: number[] = [], round = 2 * rings;
  for (let j = 0; j <= rings; j++) for (let i = 0; i < round; i++) {
    const a = (Math.PI * j) / rings, b = (2 * Math.PI * i) / round, r = radius * (1 + 0.12 * Math.sin(5 * a) * Math.cos(3 * b));
    rest.push(r * Math.sin(a) * Math.cos(b), r * Math.cos(a), r * Math.sin(a) * Math.sin(b));
  }
  for (let j = 0; j < rings; j++) for (let i = 0; i < round; i++) { const a = j * round + i, b = j * round + ((i + 1) % round); if (j > 0) triangles.push(a, b, a + round); if (j < rings - 1) triangles.push(b, b + round, a + round); }
  return { triangles: Uint32Array.from(triangles), rest: Float64Array.from(rest) };
}
/** The mesh at both ends of a frame: turned, moved, and swollen. */
function moved(rest: Float64Array, turn: number, shift: P, swell: number): Float64Array {
  const out = new Float64Array(rest.length), c = Math.cos(turn), s = Math.sin(turn);
  for (let v = 0; v < rest.length; v += 3) { const k = 1 + swell * Math.sin(40 * rest[v + 1]); out[v] = k * (c * rest[v] + s * rest[v + 2]) + shift[0]; out[v + 1] = k * rest[v + 1] + shift[1]; out[v + 2] = k * (-s * rest[v] + c * rest[v + 2]) + shift[2]; }
  return out;
}
interface Set { faces: ShellFaces; grid: ShellGrid }
function setOf(turn: number, shift: P, swell: number, away = 0, memory?: NearMemory): Set {
  const { triangles, rest } = bumpy(0.08, 24), { order, starts } = patchesOf(triangles, neighbours(triangles), rest), sorted = Uint32Array.from(order.flatMap((t) => [...triangles.subarray(3 * t, 3 * t + 3)]));
  const faces = new ShellFaces(sorted, neighbours(sorted), Int32Array.from(starts), rest.length / 3, memory), from = moved(rest, 0, [away, 0, 0], 0), to = moved(rest, turn, [shift[0] + away, shift[1], shift[2]], swell), low = new Float64Array(3).fill(Infinity), high = new Float64Array(3).fill(-Infinity);
  for (const Q of [from, to]) Q.forEach((v, a) => { low[a % 3] = Math.min(low[a % 3], v); high[a % 3] = Math.max(high[a % 3], v); });
  faces.from = from;
  faces.to = to;
  const grid = new ShellGrid(faces, starts, REACH, low, high);
  grid.build();
  return { faces, grid };
}
const place = ({ faces, grid }: Set, t0: number, t1: number): void => { faces.place(t0, t1); grid.placed(); grid.ready([-0.3, -0.3, -0.3, 0.3, 0.3, 0.3]); };
/** Distance from a place to a triangle by sampling its sides and its plane: slow, and none of the code that is tested. */
function toTriangle(p: P, a: P, b: P, c: P): number {
  const sub = (x: P, y: P): P => [x[0] - y[0], x[1] - y[1], x[2] - y[2]], dot = (x: P, y: P): number => x[0] * y[0] + x[1] * y[1] + x[2] * y[2], cross = (x: P, y: P): P => [x[1] * y[2] - x[2] * y[1], x[2] * y[0] - x[0] * y[2], x[0] * y[1] - x[1] * y[0]];
  const side = (x: P, y: P): number => { const d = sub(y, x), t = Math.max(0, Math.min(1, dot(sub(p, x), d) / dot(d, d))); return Math.hypot(...sub(p, [x[0] + t * d[0], x[1] + t * d[1], x[2] + t * d[2]])); };
  const n = cross(sub(b, a), sub(c, a)), inside = [[a, b], [b, c], [c, a]].every(([x, y]) => dot(cross(sub(y, x), sub(p, x)), n) >= 0);
  return Math.min(inside ? Math.abs(dot(sub(p, a), n)) / Math.hypot(...n) : Infinity, side(a, b), side(b, c), side(c, a));
}
const corner = (faces: ShellFaces, t: number, end: 0 | 9, q: number): P => { const o = faces.posedAt(t) + end + 3 * q; return [faces.pose[o], faces.pose[o + 1], faces.pose[o + 2]]; };
const distance = (faces: ShellFaces, t: number, end: 0 | 9, p: P): number => toTriangle(p, corner(faces, t, end, 0), corner(faces, t, end, 1), corner(faces, t, end, 2));

describe('the search for the triangle nearest a place', () => {
  it('finds what a search through all of them finds, now or where the place would go, of a mesh that turns, moves and swells', () => {
    const random = makeRandom(4);
    let found = 0, none = 0;
    for (const [turn, shift, swell] of [[0, [0, 0, 0], 0], [0.2, [0.01, 0, 0.004], 0], [0.05, [0, 0.03, 0], 0.05]] as [number, P, number][]) {
      const set = setOf(turn, shift, swell), { faces, grid } = set, A = new Float64Array(6);
      for (let s = 0; s < 8; s += 2) {
        place(set, s / 8, (s + 1) / 8);
        for (let k = 0; k < 40; k++) {
          const at = Math.floor(random() * faces.count), start = corner(faces, at, 0, 0), away = 0.014 * random() - 0.004, l = Math.hypot(...start);
          for (let c = 0; c < 3; c++) { A[c] = start[c] * (1 + away / l); A[3 + c] = A[c] + 0.002 * (random() - 0.5); }
          const t = grid.nearest(A, 0, 3, -1), p: P = [A[0], A[1], A[2]], q: P = [A[3], A[4], A[5]];
          let least = Infinity;
          for (let o = 0; o < faces.count; o++) least = Math.min(least, distance(faces, o, 0, p), distance(faces, o, 9, q));
          if (t < 0) { none++; expect(least).toBeGreaterThan(REACH - 1e-6); continue; }
          found++;
          // it may be nearer on its way than at either end: then it goes through
          const own = Math.min(distance(faces, t, 0, p), distance(faces, t, 9, q));
          if (!faces.crosses(t, A, 0, 3)) expect(own - least).toBeLessThan(1e-6);
        }
      }
    }
    expect(found).toBeGreaterThan(150);
    expect(none).toBeGreaterThan(80);
  });
  it('of those that face another way finds the nearest, and none where all face alike', () => {
    const set = setOf(0, [0, 0, 0], 0), { faces, grid } = set, random = makeRandom(9), A = new Float64Array(6);
    place(set, 0, 1 / 8);
    let other = 0;
    for (let k = 0; k < 120; k++) {
      const at = Math.floor(random() * faces.count), start = corner(faces, at, 0, 1), l = Math.hypot(...start), away = 0.003 * random();
      for (let c = 0; c < 3; c++) A[c] = A[3 + c] = start[c] * (1 - away / l);
      const first = grid.nearest(A, 0, 3, -1), o = faces.posedAt(first) + 18, N: P = [faces.pose[o], faces.pose[o + 1], faces.pose[o + 2]], second = grid.nearest(A, 0, 3, o), p: P = [A[0], A[1], A[2]];
      const facing = (t: number): number => { const w = faces.posedAt(t) + 18; return faces.pose[w] * N[0] + faces.pose[w + 1] * N[1] + faces.pose[w + 2] * N[2]; };
      let least = Infinity;
      for (let t = 0; t < faces.count; t++) if (facing(t) <= 0.8) least = Math.min(least, distance(faces, t, 0, p));
      if (second < 0) { expect(least).toBeGreaterThan(REACH - 1e-6); continue; }
      other++;
      expect(facing(second)).toBeLessThanOrEqual(0.8);
      expect(distance(faces, second, 0, p) - least).toBeLessThan(1e-6);
    }
    expect(other).toBeGreaterThan(5);
  });
  it('says the same whatever part of the space the hair is in', () => {
    const one = setOf(0.1, [0.01, 0, 0], 0.02), two = setOf(0.1, [0.01, 0, 0], 0.02), random = makeRandom(2), A = new Float64Array(6);
    place(one, 0.25, 0.375);
    two.faces.place(0.25, 0.375);
    two.grid.placed();
    two.grid.ready([0, 0, 0, 0.11, 0.11, 0.11]);
    for (let k = 0; k < 200; k++) {
      for (let c = 0; c < 3; c++) { A[c] = 0.1 * random(); A[3 + c] = A[c] + 0.003 * (random() - 0.5); }
      expect(two.grid.nearest(A, 0, 3, -1)).toBe(one.grid.nearest(A, 0, 3, -1));
    }
  });
  it('says the same far from the origin, where single numbers are coarse, as near it', () => {
    const near = setOf(0.1, [0.01, 0, 0], 0.02), far = setOf(0.1, [0.01, 0, 0], 0.02, 400), random = makeRandom(7), A = new Float64Array(6), B = new Float64Array(6);
    place(near, 0.25, 0.375);
    far.faces.place(0.25, 0.375);
    far.grid.placed();
    far.grid.ready([399.7, -0.3, -0.3, 400.3, 0.3, 0.3]);
    let found = 0;
    for (let k = 0; k < 900; k++) {
      for (let c = 0; c < 3; c++) { A[c] = 0.2 * random() - 0.1; A[3 + c] = A[c] + 0.003 * (random() - 0.5); B[c] = A[c] + (c === 0 ? 400 : 0); B[3 + c] = A[3 + c] + (c === 0 ? 400 : 0); }
      const t = near.grid.nearest(A, 0, 3, -1);
      const other = far.grid.nearest(B, 0, 3, -1), to = (u: number): number => Math.min(distance(near.faces, u, 0, [A[0], A[1], A[2]]), distance(near.faces, u, 9, [A[3], A[4], A[5]]));
      expect(other < 0).toBe(t < 0);
      if (t < 0) continue;
      found++;
      // what lies over an edge is as near to either side
      expect(Math.abs(to(other) - to(t))).toBeLessThan(1e-9);
    }
    expect(found).toBeGreaterThan(60);
  });
  it('says the same after its memory has grown', () => {
    const memory = new NearMemory(), one = setOf(0.1, [0.01, 0, 0], 0.02, 0, memory), two = setOf(0.1, [0.01, 0, 0], 0.02), random = makeRandom(3), A = new Float64Array(6), before = one.faces.pose;
    place(one, 0.25, 0.375);
    place(two, 0.25, 0.375);
    memory.take(64 << 20);
    expect(before.length).toBe(0);
    for (let k = 0; k < 200; k++) {
      for (let c = 0; c < 3; c++) { A[c] = 0.1 * random(); A[3 + c] = A[c] + 0.003 * (random() - 0.5); }
      expect(two.grid.nearest(A, 0, 3, -1)).toBe(one.grid.nearest(A, 0, 3, -1));
    }
  });
});
