/** Bytes as text; the same in browsers and in Node. */
export function toBase64(bytes: Uint8Array): string {
  let text = '';
  for (let at = 0; at < bytes.length; at += 0x8000) text += String.fromCharCode(...bytes.subarray(at, at + 0x8000));
  return btoa(text);
}
/** Null for what is no such text. */
export function fromBase64(text: string): Uint8Array | null {
  try { return Uint8Array.from(atob(text), (c) => c.charCodeAt(0)); } catch { return null; }
}
