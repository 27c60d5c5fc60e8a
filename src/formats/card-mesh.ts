/** Hair cards as a mesh of a glTF document. */
import type { Accessor, Buffer, Document, Material, Primitive } from '@gltf-transform/core';
import { encode } from 'fast-png';
import type { CardMesh } from '../core/fill/cards';
import { Axes } from './axes';

export const pngOf = (size: number, data: Uint8Array): Uint8Array => encode({ width: size, height: size, data, channels: 4, depth: 8 });
type Numbers = Float32Array | Uint32Array | Uint16Array | Int16Array | Uint8Array;
export const accessorIn = (document: Document, buffer: Buffer) => (type: 'SCALAR' | 'VEC2' | 'VEC3' | 'VEC4' | 'MAT4', array: Numbers): Accessor => document.createAccessor().setType(type).setArray(array as Float32Array<ArrayBuffer>).setBuffer(buffer);

/** The material that hair cards are drawn with. */
export function cardMaterial(document: Document, atlas: number, colours: Uint8Array): Material {
  const texture = document.createTexture('hair atlas').setImage(pngOf(atlas, colours) as Uint8Array<ArrayBuffer>).setMimeType('image/png');
  return document.createMaterial('hair').setBaseColorTexture(texture).setAlphaMode('MASK').setAlphaCutoff(0.4).setDoubleSided(true).setMetallicFactor(0).setRoughnessFactor(0.55);
}

/** Cards in the rest pose, or some of their triangles; vertices that no triangle has are left out. `kept`: which of the mesh's vertices they are, in their order. */
export function cardPrimitive(document: Document, buffer: Buffer, mesh: CardMesh, material: Material | null, axes = new Axes(), triangles: Uint32Array = mesh.indices): { primitive: Primitive; kept: Uint32Array } {
  const kept = Uint32Array.from(new Set(triangles)).sort(), place = new Uint32Array(mesh.positions.length / 3), accessor = accessorIn(document, buffer);
  kept.forEach((v, k) => { place[v] = k; });
  const corners = Uint32Array.from(triangles, (v) => place[v]), take = (from: Float32Array, width: number): Float32Array => { const out = new Float32Array(width * kept.length); kept.forEach((v, k) => out.set(from.subarray(width * v, width * v + width), width * k)); return out; };
  const positions = take(mesh.positions, 3), normals = take(mesh.normals, 3), along = take(mesh.tangents, 3), tangents = new Float32Array(4 * kept.length);
  // the tangent of a normal map runs with u: across the card
  for (let v = 0; v < kept.length; v++) {
    const o = 3 * v, n = normals, t = along, x = n[o + 1] * t[o + 2] - n[o + 2] * t[o + 1], y = n[o + 2] * t[o] - n[o] * t[o + 2], z = n[o] * t[o + 1] - n[o + 1] * t[o], l = Math.hypot(x, y, z) || 1;
    const d = axes.directions([x / l, y / l, z / l], new Float32Array(3));
    tangents.set([d[0], d[1], d[2], -axes.sign], 4 * v);
  }
  axes.places(positions, positions);
  axes.directions(normals, normals);
  const turned = axes.winding(corners), indices = kept.length < 65535 ? Uint16Array.from(turned) : turned;
  const primitive = document.createPrimitive().setMaterial(material).setIndices(accessor('SCALAR', indices)).setAttribute('POSITION', accessor('VEC3', positions)).setAttribute('NORMAL', accessor('VEC3', normals)).setAttribute('TANGENT', accessor('VEC4', tangents)).setAttribute('TEXCOORD_0', accessor('VEC2', take(mesh.uvs, 2)));
  return { primitive, kept };
}
