/** Hands a file to whoever sits before the screen. */
export function saveFile(content: Uint8Array | Blob, name: string, type = 'application/octet-stream'): void {
  const link = document.createElement('a'), url = URL.createObjectURL(content instanceof Blob ? content : new Blob([content as Uint8Array<ArrayBuffer>], { type }));
  link.href = url;
  link.download = name;
  link.click();
  // a browser may still be reading it
  setTimeout(() => URL.revokeObjectURL(url), 60_000);
}
/** Words as a file name. */
export const fileNameOf = (words: string): string => words.replace(/[^\p{L}\p{N}]+/gu, '-').replace(/^-|-$/g, '').toLowerCase();
