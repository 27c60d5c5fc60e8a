/** Hair cards as files: a glTF binary with a level of detail a mesh, the atlas as PNG, and what they are in words. */
import { Document, WebIO } from '@gltf-transform/core';
import { strToU8, zipSync } from 'fflate';
import type { CardSet } from '../core/fill/cards';
import { cardMaterial, cardPrimitive, pngOf } from './card-mesh';

/** A `.glb` of the cards in the rest pose, metres, +Y up: one node a level, named `NAME LOD 0` and so on. */
export async function writeCardsGlb(set: CardSet, name: string, colours: Uint8Array): Promise<Uint8Array> {
  const document = new Document(), buffer = document.createBuffer(), scene = document.createScene(name);
  document.getRoot().getAsset().generator = 'Fine Comb';
  const material = cardMaterial(document, set.atlas.size, colours);
  set.levels.forEach((m, level) => { scene.addChild(document.createNode(`${name} LOD ${level}`).setMesh(document.createMesh(`${name} LOD ${level}`).addPrimitive(cardPrimitive(document, buffer, m, material).primitive))); });
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
