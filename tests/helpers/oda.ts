import { readFileSync } from 'node:fs';
import type { Character } from '../../src/core/mesh/character';
import { readGlb } from '../../src/formats/gltf';

export const brambleBytes = (): Uint8Array => new Uint8Array(readFileSync('demo/cast/bramble.glb'));
export const odaBytes = (): Uint8Array => new Uint8Array(readFileSync('demo/cast/oda.glb'));
export const oda = (): Promise<Character> => character(odaBytes());
export const bramble = (): Promise<Character> => character(brambleBytes());
export const pim = (): Promise<Character> => character(new Uint8Array(readFileSync('demo/cast/pim.glb')));
async function character(bytes: Uint8Array): Promise<Character> {
  const read = await readGlb(bytes);
  if (!read.ok) throw new Error(read.error.message);
  return read.value;
}
