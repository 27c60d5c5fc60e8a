/** Checksums of zips: CRC-32 with the polynomial of IEEE 802.3, reflected. */
const TABLE = Uint32Array.from({ length: 256 }, (_, n) => { let c = n; for (let k = 0; k < 8; k++) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1; return c >>> 0; });
/** `before`: of the bytes that came before. */
export function crc32Of(bytes: Uint8Array, before = 0): number {
  let c = ~before >>> 0;
  for (let k = 0; k < bytes.length; k++) c = TABLE[(c ^ bytes[k]) & 255] ^ (c >>> 8);
  return ~c >>> 0;
}
