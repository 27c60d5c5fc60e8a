import { readFileSync } from 'node:fs';
import type { Character } from '../../src/core/mesh/character';
import { readGlb } from '../../src/formats/gltf';

export const odaBytes = (): Uint8Array => new Uint8Array(readFileSync('demo/cast/oda.glb'));
export async function oda(): Promise<Character> {
  const read = await readGlb(odaBytes());
  if (!read.ok) throw new Error(read.error.message);
  return read.value;
}
