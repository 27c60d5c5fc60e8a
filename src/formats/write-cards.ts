/** Hair cards as files: a glTF binary with a level of detail a mesh, the atlas as PNG, and what they are in words. */
import { Document, WebIO } from '@gltf-transform/core';
import { encode } from 'fast-png';
import { strToU8, zipSync } from 'fflate';
import type { CardSet } from '../core/fill/cards';

export const pngOf = (size: number, data: Uint8Array): Uint8Array => encode({ width: size, height: size, data, channels: 4, depth: 8 });

/** A `.glb` of the cards in the rest pose, metres, +Y up: one node a level, named `NAME LOD 0` and so on. */
export async function writeCardsGlb(set: CardSet, name: string, colours: Uint8Array): Promise<Uint8Array> {
  const document = new Document(), buffer = document.createBuffer(), scene = document.createScene(name);
  document.getRoot().getAsset().generator = 'Fine Comb';
  const texture = document.createTexture('hair atlas').setImage(pngOf(set.atlas.size, colours) as Uint8Array<ArrayBuffer>).setMimeType('image/png');
  const material = document.createMaterial('hair').setBaseColorTexture(texture).setAlphaMode('MASK').setAlphaCutoff(0.4).setDoubleSided(true).setMetallicFactor(0).setRoughnessFactor(0.55);
  set.levels.forEach((m, level) => {
    const tangents = new Float32Array((4 * m.positions.length) / 3), accessor = (type: 'VEC2' | 'VEC3' | 'VEC4' | 'SCALAR', array: Float32Array | Uint32Array) => document.createAccessor().setType(type).setArray(array as Float32Array<ArrayBuffer>).setBuffer(buffer);
    // the tangent of a normal map runs with u: across the card
    for (let v = 0; v < m.positions.length / 3; v++) {
      const o = 3 * v, n = m.normals, t = m.tangents, x = n[o + 1] * t[o + 2] - n[o + 2] * t[o + 1], y = n[o + 2] * t[o] - n[o] * t[o + 2], z = n[o] * t[o + 1] - n[o + 1] * t[o], l = Math.hypot(x, y, z) || 1;
      tangents.set([x / l, y / l, z / l, -1], 4 * v);
    }
    const primitive = document.createPrimitive().setMaterial(material).setIndices(accessor('SCALAR', m.indices)).setAttribute('POSITION', accessor('VEC3', m.positions)).setAttribute('NORMAL', accessor('VEC3', m.normals)).setAttribute('TANGENT', accessor('VEC4', tangents)).setAttribute('TEXCOORD_0', accessor('VEC2', m.uvs));
    scene.addChild(document.createNode(`${name} LOD ${level}`).setMesh(document.createMesh(`${name} LOD ${level}`).addPrimitive(primitive)));
  });
  return new WebIO().writeBinary(document);
}

/** All of it in one zip. */
export async function writeCardsZip(set: CardSet, name: string, colours: Uint8Array): Promise<Uint8Array> {
  const sheet = {
    made: 'Fine Comb', what: name, units: 'm', up: '+Y', pose: 'rest', levels: set.levels.map((m, level) => ({ level, cards: m.cards, triangles: m.indices.length / 3, vertices: m.positions.length / 3 })),
    atlas: { pixels: set.atlas.size, 'atlas-looks.png': 'red: share of the strand, root 0 to tip 255; green: the strand’s own number; blue: depth, 128 in the middle; alpha: opacity', 'atlas-ways.png': 'red, green: way of the strand across and along the card, 128 for none; alpha: opacity', 'atlas-colour.png': 'colour, sRGB; alpha: opacity' },
    measured: { 'area covered by cards and strands over area covered by either, six sides': set.figures.overlap, 'mean difference of opacity': set.figures.opacity },
  };
  return zipSync({ 'cards.glb': await writeCardsGlb(set, name, colours), 'atlas-looks.png': pngOf(set.atlas.size, set.atlas.looks), 'atlas-ways.png': pngOf(set.atlas.size, set.atlas.ways), 'atlas-colour.png': pngOf(set.atlas.size, colours), 'cards.json': strToU8(`${JSON.stringify(sheet, null, 2)}\n`) }, { level: 0 });
}
