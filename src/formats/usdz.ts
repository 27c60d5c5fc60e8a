/**
 * One file of several for delivery: a zip whose files are stored as they are and begin at multiples of 64 bytes, as OpenUSD's package
 * wants them. **Source:** ZIP application note 6.3 (PKWARE) and OpenUSD's usdz specification, *from memory*; checked with unzip and a reader of usdz.
 */
import { crc32Of } from './crc';

const ALIGN = 64;

/** Writes the package in a stream; each file's size must be known, as its place is. */
export async function* writeUsdz(files: readonly { name: string; size: number; pieces: () => AsyncIterable<Uint8Array> }[]): AsyncGenerator<Uint8Array> {
  const entries: { name: Uint8Array; crc: number; size: number; at: number }[] = [];
  let at = 0;
  for (const { name, size, pieces } of files) {
    const text = new TextEncoder().encode(name), begin = at, bare = 30 + text.length + 4, pad = (ALIGN - ((begin + bare) % ALIGN)) % ALIGN, head = new Uint8Array(bare + pad), view = new DataView(head.buffer);
    // the checksum is told in the head, before the file: one pass to find it, one to write
    let crc = 0, counted = 0;
    for await (const piece of pieces()) { crc = crc32Of(piece, crc); counted += piece.length; }
    if (counted !== size) throw new Error(`${name}: expected ${size} bytes, got ${counted}`);
    localHead(view, text, crc, size, 4 + pad);
    head.set(text, 30);
    // an extra field nobody has an own use for, as long as it takes
    view.setUint16(30 + text.length, 0x1986, true);
    view.setUint16(32 + text.length, pad, true);
    yield head;
    at += head.length;
    for await (const piece of pieces()) yield piece;
    at += size;
    entries.push({ name: text, crc, size, at: begin });
  }
  const start = at;
  for (const e of entries) {
    const record = new Uint8Array(46 + e.name.length), view = new DataView(record.buffer);
    view.setUint32(0, 0x02014b50, true); view.setUint16(4, 20, true); view.setUint16(6, 20, true);
    view.setUint16(12, 0, true); view.setUint16(14, DATE, true);
    view.setUint32(16, e.crc, true); view.setUint32(20, e.size, true); view.setUint32(24, e.size, true); view.setUint16(28, e.name.length, true); view.setUint32(42, e.at, true);
    record.set(e.name, 46);
    yield record;
    at += record.length;
  }
  const end = new Uint8Array(22), view = new DataView(end.buffer);
  view.setUint32(0, 0x06054b50, true); view.setUint16(8, entries.length, true); view.setUint16(10, entries.length, true); view.setUint32(12, at - start, true); view.setUint32(16, start, true);
  yield end;
}
/** 1980-01-01: the same bytes whenever it is written. */
const DATE = (1 << 5) | 1;
function localHead(view: DataView, name: Uint8Array, crc: number, size: number, extra: number): void {
  view.setUint32(0, 0x04034b50, true); view.setUint16(4, 20, true); view.setUint16(10, 0, true); view.setUint16(12, DATE, true);
  view.setUint32(14, crc, true); view.setUint32(18, size, true); view.setUint32(22, size, true); view.setUint16(26, name.length, true); view.setUint16(28, extra, true);
}
