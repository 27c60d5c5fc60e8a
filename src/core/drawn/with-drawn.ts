/** The character with the joints that were drawn, and its meshes hung on them. */
import { invertAffine, multiplyInto } from '../math/mat4';
import { findNode, nodeKey, poseCharacter, restPositions, type Character, type CharacterMesh, type CharacterNode, type Pose, type Skin } from '../mesh/character';
import { carrierOf, drawnKey, jointNames, meshesOf, type Drawn, type Given } from './drawn';
import { jointPlaces, packInfluences, unpackInfluences, type Influences } from './influences';

/** What is kept of a drawing that joints are made of. */
export function givenOf(character: Character, drawn: Drawn, influences: Influences, keep: (bytes: Uint8Array) => string): Given {
  return { carrier: nodeKey(character, carrierOf(character, drawn)), lines: jointPlaces(drawn).map((places, k) => ({ id: drawn.lines[k].id, name: drawn.lines[k].name, places, ...heldBy(character, drawn.meshes, places) })), meshes: [...drawn.meshes], weights: keep(packInfluences(influences)), of: drawnKey(drawn) };
}

/** What moves the skin nearest to places, as it came; nothing where a mesh has no joints. */
function heldBy(character: Character, names: readonly string[], places: readonly number[]): { held?: [string, number][][] } {
  const meshes = meshesOf(character, names).filter((m) => m.skin >= 0), rests = meshes.map((m) => restPositions(character, m));
  if (meshes.length === 0) return {};
  return { held: Array.from({ length: places.length / 3 }, (_, i): [string, number][] => {
    let least = Infinity, mesh = meshes[0], at = 0;
    meshes.forEach((m, k) => { const P = rests[k]; for (let v = 0; v < P.length; v += 3) { const d = (P[v] - places[3 * i]) ** 2 + (P[v + 1] - places[3 * i + 1]) ** 2 + (P[v + 2] - places[3 * i + 2]) ** 2; if (d < least) { least = d; mesh = m; at = v / 3; } } });
    return [0, 1, 2, 3].flatMap((q): [string, number][] => { const w = mesh.weights[4 * at + q]; return w > 0 ? [[nodeKey(character, character.skins[mesh.skin].joints[mesh.joints[4 * at + q]]), Math.min(1, w)]] : []; });
  }) };
}

/** Names of the joints a drawing gives, line by line. Nodes are named by them, so they are keys too. */
export const givenNames = (before: Character, given: Pick<Given, 'lines'>): string[][] => jointNames(before, given.lines);

/**
 * Nodes and skins that a drawing puts to a character: the nodes come after its own, in order, each with the number of what it hangs on; of each mesh its new
 * skin and, four a vertex, which of its joints. Throws in plain words where the drawing does not fit the character.
 */
export interface DrawnParts {
  nodes: CharacterNode[];
  meshes: { index: number; skin: Skin; joints: Uint16Array; weights: Float32Array }[];
}
export function drawnParts(character: Character, given: Given, weights: Uint8Array): DrawnParts {
  const carrier = findNode(character, given.carrier), meshes = given.meshes.map((n) => character.meshes.findIndex((m) => m.name === n)), gone = meshes.indexOf(-1);
  if (carrier < 0) throw new Error(`The chains of this groom are carried by “${given.carrier}”, which this character has not.`);
  if (gone >= 0) throw new Error(`The chains of this groom are drawn through “${given.meshes[gone]}”, which this character has not.`);
  const rest = poseCharacter(character, null, 0), first = character.nodes.length, nodes: CharacterNode[] = [], counts = meshes.map((m) => character.meshes[m].positions.length / 3), all = unpackInfluences(weights, counts.reduce((a, b) => a + b, 0)), worlds: Float64Array[] = [];
  if (!all) throw new Error(`The meshes ${given.meshes.map((n) => `“${n}”`).join(', ')} have other vertices than the chains were drawn through. Draw them again in Plant.`);
  const names = givenNames(character, given), up = rest.slice(16 * carrier, 16 * carrier + 16), inverse = invertAffine(up);
  if (!inverse) throw new Error(`“${given.carrier}” is scaled to nothing: it can carry no chain.`);
  given.lines.forEach(({ places }, k) => {
    let parent = carrier, world: Pose = up;
    for (let j = 0; j + 1 < places.length / 3; j++) {
      // as the carrier lies, where the line goes
      const back = invertAffine(world)!, [x, y, z] = places.slice(3 * j, 3 * j + 3), own = up.slice();
      own.set([x, y, z], 12);
      nodes.push({ name: names[k][j], parent, translation: [0, 1, 2].map((c) => back[c] * x + back[4 + c] * y + back[8 + c] * z + back[12 + c]) as [number, number, number], rotation: [0, 0, 0, 1], scale: [1, 1, 1] });
      worlds.push(own);
      world = own;
      parent = first + nodes.length - 1;
    }
  });
  let at = 0;
  return {
    nodes,
    meshes: meshes.map((index, k) => {
      const mesh = character.meshes[index], before: Skin = mesh.skin >= 0 ? character.skins[mesh.skin] : { joints: Uint16Array.of(mesh.node), inverseBind: Float32Array.of(1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1) }, n = before.joints.length, bind = bindOf(mesh, before, rest), count = counts[k];
      const skin: Skin = { joints: Uint16Array.from([...before.joints, ...nodes.map((_, j) => first + j)]), inverseBind: new Float32Array(16 * (n + nodes.length)) };
      skin.inverseBind.set(before.inverseBind);
      worlds.forEach((w, j) => { const m = new Float64Array(16); multiplyInto(m, 0, invertAffine(w)!, 0, bind, 0); skin.inverseBind.set(m, 16 * (n + j)); });
      const joints = new Uint16Array(4 * count), out = new Float32Array(4 * count);
      for (let v = 0; v < count; v++) {
        const mine: [number, number][] = [];
        for (let q = 0; q < 4; q++) {
          const w = all.weights[4 * (at + v) + q], j = all.joints[4 * (at + v) + q];
          if (w <= 0) continue;
          if (j > 0) { mine.push([n + j - 1, w]); continue; }
          // what stays, stays as it was
          if (mesh.skin < 0) mine.push([0, w]); else for (let b = 0; b < 4; b++) if (mesh.weights[4 * v + b] > 0) mine.push([mesh.joints[4 * v + b], w * mesh.weights[4 * v + b]]);
        }
        mine.sort((a, b) => b[1] - a[1] || a[0] - b[0]);
        const best = mine.slice(0, 4), sum = best.reduce((s, [, w]) => s + w, 0);
        best.forEach(([j, w], q) => { joints[4 * v + q] = j; out[4 * v + q] = w / sum; });
      }
      at += count;
      return { index, skin, joints, weights: out };
    }),
  };
}

/** The matrix that takes a mesh as it is stored to where it stands at rest: that of the joint which leads most of it. */
function bindOf(mesh: CharacterMesh, skin: Skin, rest: Pose): Float64Array {
  const sums = new Float64Array(skin.joints.length), out = new Float64Array(16);
  for (let k = 0; k < mesh.weights.length; k++) sums[mesh.joints[k]] += mesh.weights[k];
  const j = sums.reduce((best, w, i) => (w > sums[best] ? i : best), 0);
  multiplyInto(out, 0, rest, 16 * skin.joints[j], skin.inverseBind as unknown as Float64Array, 16 * j);
  return out;
}

/** Throws as `drawnParts`. */
export function withDrawn(character: Character, given: Given, weights: Uint8Array): Character {
  const parts = drawnParts(character, given, weights), skins = [...character.skins], meshes = [...character.meshes];
  for (const { index, skin, joints, weights: w } of parts.meshes) meshes[index] = { ...meshes[index], skin: skins.push(skin) - 1, joints, weights: w };
  return { ...character, nodes: [...character.nodes, ...parts.nodes], skins, meshes };
}
