/** Planted meshes as one glTF binary, metres, +Y up. */
import { Document, WebIO } from '@gltf-transform/core';
import type { SmallMesh } from '../core/fill/planted';

/** `colour`: linear, 0 … 1. */
export function writePlantedGlb(mesh: SmallMesh, name: string, colour: readonly [number, number, number]): Promise<Uint8Array> {
  const document = new Document(), buffer = document.createBuffer(), accessor = (type: 'VEC3' | 'SCALAR', array: Float32Array | Uint32Array) => document.createAccessor().setType(type).setArray(array as Float32Array<ArrayBuffer>).setBuffer(buffer);
  document.getRoot().getAsset().generator = 'Fine Comb';
  const material = document.createMaterial('planted').setBaseColorFactor([...colour, 1]).setMetallicFactor(0).setRoughnessFactor(0.6);
  const primitive = document.createPrimitive().setMaterial(material).setIndices(accessor('SCALAR', mesh.indices)).setAttribute('POSITION', accessor('VEC3', mesh.positions)).setAttribute('NORMAL', accessor('VEC3', mesh.normals));
  document.createScene(name).addChild(document.createNode(name).setMesh(document.createMesh(name).addPrimitive(primitive)));
  return new WebIO().writeBinary(document);
}
