/** OBJ text → meshes and polylines. **Source:** Wavefront OBJ as published with the Advanced Visualizer, appendix B1, *from memory*. */
import { ShapeUtils, Vector2, Vector3 } from 'three';
import type { CharacterMaterial, CharacterMesh } from '../core/mesh/character';
import { vertexNormals } from '../core/mesh/surface';
import { chainUp } from './chain-up';
import { failure, type Result } from './result';

export interface ObjModel {
  meshes: CharacterMesh[];
  materials: CharacterMaterial[];
  /** Places along each polyline, 3 × points. */
  lines: Float32Array[];
}

/** What is read at most. */
const MOST_LINES = 20_000_000, MOST_VERTICES = 4_000_000;

interface Part { name: string; corners: number[]; normals: number[]; textures: number[]; groups: { material: number; first: number; count: number }[] }

/** Colours of `.mtl` texts, where any are given, by material name. */
export function readObj(bytes: Uint8Array, mtl: readonly Uint8Array[] = []): Result<ObjModel> {
  const text = new TextDecoder().decode(bytes), warnings: string[] = [], P: number[] = [], N: number[] = [], T: number[] = [], colours: number[] = [], lines: number[][] = [];
  const materials: CharacterMaterial[] = [], byName = new Map<string, number>(), tints = readTints(mtl);
  const materialOf = (name: string): number => {
    let m = byName.get(name);
    if (m === undefined) byName.set(name, (m = materials.push({ name, color: tints.get(name) ?? [0.6, 0.6, 0.6], roughness: 0.8, metalness: 0, twoSided: true }) - 1));
    return m;
  };
  const parts = new Map<string, Part>();
  let part: Part | null = null, partName = 'mesh', material = 'plain', number = 0, bent = 0, unknown = 0, freeForm = 0;
  const open = (): Part => {
    let p = parts.get(partName);
    if (!p) parts.set(partName, (p = { name: partName, corners: [], normals: [], textures: [], groups: [] }));
    return p;
  };
  /** A vertex's number as written: from 1, or backwards from the last. */
  const index = (word: string, count: number): number => { const i = Number.parseInt(word, 10); return i < 0 ? count + i : i - 1; };
  const wrong = (what: string): { ok: false; error: ReturnType<typeof failure>['error'] } => failure('invalid', `Line ${number}: ${what}. The file is damaged or was written wrongly: export it again.`, `line ${number}`);
  let seen = false;
  for (let at = 0; at < text.length; ) {
    let end = text.indexOf('\n', at);
    if (end < 0) end = text.length;
    let line = text.slice(at, end);
    at = end + 1;
    if (++number > MOST_LINES) return failure('unsupported', `The file has more than ${MOST_LINES / 1e6} million lines. Reduce the mesh.`, `line ${number}`);
    // a line may go on in the next
    while (line.replace(/\r$/, '').endsWith('\\') && at < text.length) {
      let next = text.indexOf('\n', at);
      if (next < 0) next = text.length;
      line = line.replace(/\\\r?$/, ' ') + text.slice(at, next);
      at = next + 1;
      number++;
    }
    const words = line.trim().split(/\s+/), kind = words[0];
    if (kind === '' || kind.startsWith('#')) continue;
    if (kind === 'v') {
      const [x, y, z] = [Number(words[1]), Number(words[2]), Number(words[3])];
      if (!Number.isFinite(x + y + z)) return wrong(`“${line.trim().slice(0, 60)}” is not a place of three numbers`);
      P.push(x, y, z);
      if (words.length >= 7) colours[P.length / 3 - 1] = 1;
      if (P.length / 3 > MOST_VERTICES) return failure('unsupported', `The file has more than ${MOST_VERTICES / 1e6} million vertices. Reduce the mesh.`, `line ${number}`);
      seen = true;
    } else if (kind === 'vn') N.push(Number(words[1]) || 0, Number(words[2]) || 0, Number(words[3]) || 0);
    else if (kind === 'vt') T.push(Number(words[1]) || 0, Number(words[2]) || 0);
    else if (kind === 'f') {
      const corners: number[] = [], normals: number[] = [], textures: number[] = [];
      for (let k = 1; k < words.length && !words[k].startsWith('#'); k++) {
        const [v, u, n] = words[k].split('/'), a = index(v, P.length / 3), b = n ? index(n, N.length / 3) : -1, t = u ? index(u, T.length / 2) : -1;
        if (!(a >= 0 && a < P.length / 3)) return wrong(`a face names vertex ${v}, but ${P.length / 3} are there so far`);
        corners.push(a);
        normals.push(b >= 0 && b < N.length / 3 ? b : -1);
        textures.push(t >= 0 && t < T.length / 2 ? t : -1);
      }
      if (corners.length < 3) { unknown++; continue; }
      if (corners.length > 4) bent++;
      part ??= open();
      const m = materialOf(material), last = part.groups[part.groups.length - 1], first = part.corners.length / 3;
      for (const [a, b, c] of cut(corners, P)) { part.corners.push(corners[a], corners[b], corners[c]); part.normals.push(normals[a], normals[b], normals[c]); part.textures.push(textures[a], textures[b], textures[c]); }
      const added = part.corners.length / 3 - first;
      if (last && last.material === m && last.first + last.count === first) last.count += added;
      else part.groups.push({ material: m, first, count: added });
      seen = true;
    } else if (kind === 'l') {
      const points: number[] = [];
      for (let k = 1; k < words.length; k++) {
        const v = index(words[k].split('/')[0], P.length / 3);
        if (!(v >= 0 && v < P.length / 3)) return wrong(`a line names vertex ${words[k]}, but ${P.length / 3} are there so far`);
        points.push(v);
      }
      if (points.length >= 2) lines.push(points);
      seen = true;
    } else if (kind === 'o' || kind === 'g') { partName = words.slice(1).join(' ').slice(0, 100) || 'mesh'; part = null; }
    else if (kind === 'usemtl') material = words.slice(1).join(' ').slice(0, 100) || 'plain';
    else if (kind === 'curv') freeForm++;
    else if (!/^(vp|s|mtllib|lod|p|cstype|deg|parm|end|bmat|step)$/.test(kind)) unknown++;
  }
  if (!seen) return failure('notThisFormat', 'This is not an OBJ file: it has neither vertices nor faces. Export the mesh as .obj and choose that file.', 'line 1');
  if (unknown > 0) warnings.push(`${unknown.toLocaleString('en')} lines that mean nothing here were left out.`);
  if (freeForm > 0) warnings.push(`${freeForm === 1 ? 'A free-form curve was' : `${freeForm.toLocaleString('en')} free-form curves were`} left out: export curves as polylines (“l”).`);
  if (bent > 0) warnings.push(`${bent.toLocaleString('en')} faces with more than four corners were cut into triangles.`);
  if (colours.length > 0) warnings.push('Colours of single vertices are left out.');
  const meshes = [...parts.values()].filter((p) => p.corners.length > 0).map((p) => toMesh(p, P, N, T));
  // written edge by edge they are put together
  const chains = lines.every((l) => l.length === 2) ? chainUp(lines as [number, number][]) : lines;
  return { ok: true, value: { meshes, materials, lines: chains.map((l) => Float32Array.from({ length: 3 * l.length }, (_, a) => P[3 * l[Math.floor(a / 3)] + (a % 3)])) }, warnings };
}

/** Triangles of a polygon by the numbers of its corners. */
function cut(corners: readonly number[], P: readonly number[]): [number, number, number][] {
  const fan = Array.from({ length: corners.length - 2 }, (_, k) => [0, k + 1, k + 2] as [number, number, number]);
  if (corners.length < 4) return fan;
  // seen along its mean normal (Newell's), where it may be hollow
  const n = new Vector3();
  corners.forEach((v, k) => {
    const a = 3 * v, b = 3 * corners[(k + 1) % corners.length];
    n.x += (P[a + 1] - P[b + 1]) * (P[a + 2] + P[b + 2]); n.y += (P[a + 2] - P[b + 2]) * (P[a] + P[b]); n.z += (P[a] - P[b]) * (P[a + 1] + P[b + 1]);
  });
  if (n.lengthSq() === 0) return fan;
  n.normalize();
  const u = new Vector3(Math.abs(n.x) < 0.9 ? 1 : 0, Math.abs(n.x) < 0.9 ? 0 : 1, 0).cross(n).normalize(), w = n.clone().cross(u), p = new Vector3();
  const flat = corners.map((v) => { p.set(P[3 * v], P[3 * v + 1], P[3 * v + 2]); return new Vector2(p.dot(u), p.dot(w)); });
  const triangles = ShapeUtils.triangulateShape(flat, []) as [number, number, number][];
  return triangles.length === corners.length - 2 ? triangles : fan;
}

function toMesh({ name, corners, normals, textures, groups }: Part, P: readonly number[], N: readonly number[], T: readonly number[]): CharacterMesh {
  // one vertex for each place, normal and texture place that is used
  const known = new Map<string, number>(), places: number[] = [], given: number[] = [], points: number[] = [], uvs: number[] = [], triangles = new Uint32Array(corners.length);
  let lacking = false;
  corners.forEach((v, k) => {
    const n = normals[k], u = textures[k], key = `${v} ${n} ${u}`;
    if (n < 0) lacking = true;
    let w = known.get(key);
    if (w === undefined) {
      known.set(key, (w = places.length / 3));
      places.push(P[3 * v], P[3 * v + 1], P[3 * v + 2]);
      points.push(v);
      uvs.push(u >= 0 ? T[2 * u] : 0, u >= 0 ? T[2 * u + 1] : 0);
      if (n >= 0) given.push(N[3 * n], N[3 * n + 1], N[3 * n + 2]);
    }
    triangles[k] = w;
  });
  const positions = Float32Array.from(places);
  return {
    name, role: 'body', node: 0, skin: -1, positions, triangles, groups,
    normals: lacking || given.length !== places.length ? Float32Array.from(vertexNormals(positions, triangles)) : Float32Array.from(given),
    colors: new Float32Array(0), joints: new Uint16Array(0), weights: new Float32Array(0), hair: new Float32Array(0), morphs: [], morphRest: new Float32Array(0), points: Uint32Array.from(points), ...(textures.some((u) => u >= 0) ? { uvs: Float32Array.from(uvs) } : {}),
  };
}

function readTints(texts: readonly Uint8Array[]): Map<string, [number, number, number]> {
  const out = new Map<string, [number, number, number]>();
  let name = '';
  for (const text of texts) for (const line of new TextDecoder().decode(text).split(/\r?\n/)) {
    const [kind, ...words] = line.trim().split(/\s+/);
    if (kind === 'newmtl') name = words.join(' ').slice(0, 100);
    else if (kind === 'Kd') { const rgb = words.slice(0, 3).map(Number); if (rgb.length === 3 && rgb.every(Number.isFinite)) out.set(name, rgb.map((v) => Math.min(1, Math.max(0, v))) as [number, number, number]); }
  }
  return out;
}
