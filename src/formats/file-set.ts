/** One character's files: a single one, several, or all of them in a zip. Bytes in, named bytes out. */
import { Unzip, UnzipInflate, unzipSync } from 'fflate';
import { failure, type Result } from './result';

export interface NamedFile { name: string; bytes: Uint8Array }

export const CHARACTER_FILES = '.glb, .gltf with its files, .obj with its .mtl, or a .zip of them';
/** What is taken at most; stated on the screen before anything is uploaded. */
export const FILE_LIMITS = { megabytes: 256, files: 500, unpackedMegabytes: 1024 } as const;

const isZip = (b: Uint8Array): boolean => b.length > 4 && b[0] === 0x50 && b[1] === 0x4b && (b[2] === 3 || b[2] === 5);

/** Takes zips apart. Names keep their folders; what an archive holds besides files is left out. */
export function unpackFiles(files: readonly NamedFile[], mostMegabytes: number = FILE_LIMITS.unpackedMegabytes): Result<NamedFile[]> {
  const out: NamedFile[] = [];
  for (const file of files) {
    if (!isZip(file.bytes)) { out.push(file); continue; }
    const inside = unzip(file, mostMegabytes);
    if (!inside.ok) return inside;
    out.push(...inside.value);
  }
  if (out.length > FILE_LIMITS.files) return failure('unsupported', `These are ${out.length} files; at most ${FILE_LIMITS.files} make one character. Leave out what does not belong to it.`);
  return { ok: true, value: out, warnings: [] };
}

function unzip({ name, bytes }: NamedFile, mostMegabytes: number): Result<NamedFile[]> {
  const most = mostMegabytes * 1048576, out: NamedFile[] = [];
  const tooMuch = `it unpacks to more than ${mostMegabytes} MB`;
  let total = 0, open = 0, trouble: string | null = null;
  const unzipper = new Unzip((entry) => {
    // folders, and what one system's archiver puts beside every file
    if (entry.name.endsWith('/') || /(^|\/)(__MACOSX|\.)/.test(entry.name) || out.length >= FILE_LIMITS.files) return;
    const parts: Uint8Array[] = [];
    open++;
    entry.ondata = (error, chunk, final) => {
      if (error) { trouble ??= `“${entry.name}” in it is damaged`; return; }
      total += chunk.length;
      if (total > most) { trouble ??= tooMuch; entry.terminate(); return; }
      parts.push(chunk);
      if (final) { open--; out.push({ name: entry.name, bytes: joinBytes(parts) }); }
    };
    entry.start();
  });
  unzipper.register(UnzipInflate);
  try {
    // what it says of itself; what it turns out to be is counted above
    unzipSync(bytes, { filter: (f) => { total += f.originalSize; return false; } });
    if (total > most) trouble = tooMuch;
    total = 0;
    // a little at a time, so that what unpacks to too much is stopped on its way
    for (let at = 0; at < bytes.length && trouble === null; at += 65536) unzipper.push(bytes.subarray(at, at + 65536), at + 65536 >= bytes.length);
  } catch (cause) {
    trouble ??= cause instanceof Error ? cause.message : String(cause);
  }
  if (trouble === null && open > 0) trouble = 'it is cut off';
  if (trouble !== null) return failure('invalid', `The archive ${name} could not be unpacked: ${trouble}. Pack it again, or drop the files themselves.`, name);
  return { ok: true, value: out, warnings: [] };
}

function joinBytes(parts: readonly Uint8Array[]): Uint8Array {
  const out = new Uint8Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of parts) { out.set(p, at); at += p.length; }
  return out;
}

/** A file by the path another one names it with; folders count only where several have the name. */
export function findFile(files: readonly NamedFile[], uri: string, beside = ''): NamedFile | null {
  let wanted: string;
  try { wanted = decodeURIComponent(uri); } catch { wanted = uri; }
  wanted = wanted.replace(/\\/g, '/').replace(/^\.\//, '');
  const folder = beside.replace(/[^/]*$/, ''), last = wanted.replace(/^.*\//, '').toLowerCase();
  return files.find((f) => f.name === folder + wanted) ?? files.find((f) => f.name.replace(/^.*\//, '').toLowerCase() === last) ?? null;
}

/** Files put together into one body, to be sent as it is: names and lengths first. `unpackSet` takes it apart. */
const SET_MAGIC = 0x53464346; // "FCFS"
export function setParts(files: readonly NamedFile[]): Uint8Array[] {
  const header = new TextEncoder().encode(JSON.stringify(files.map((f) => ({ name: f.name, length: f.bytes.length })))), head = new Uint8Array(8);
  new DataView(head.buffer).setUint32(0, SET_MAGIC, true);
  new DataView(head.buffer).setUint32(4, header.length, true);
  return [head, header, ...files.map((f) => f.bytes)];
}
export const setBytes = (files: readonly NamedFile[]): Uint8Array => joinBytes(setParts(files));
/** Takes a body apart that `setBytes` put together; any other is one file of the given name. */
export function unpackSet(bytes: Uint8Array, name: string): Result<NamedFile[]> {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 8 || view.getUint32(0, true) !== SET_MAGIC) return { ok: true, value: [{ name, bytes }], warnings: [] };
  const damaged = failure('invalid', 'What was sent is not a set of files as this page sends it. Load the page again.');
  try {
    let at = 8 + view.getUint32(4, true);
    const list = JSON.parse(new TextDecoder().decode(bytes.subarray(8, at))) as { name: unknown; length: unknown }[], files: NamedFile[] = [];
    if (!Array.isArray(list) || list.length > FILE_LIMITS.files) return damaged;
    for (const f of list) {
      if (typeof f.name !== 'string' || typeof f.length !== 'number' || !Number.isSafeInteger(f.length) || f.length < 0 || at + f.length > bytes.length) return damaged;
      files.push({ name: f.name, bytes: bytes.subarray(at, at + f.length) });
      at += f.length;
    }
    return { ok: true, value: files, warnings: [] };
  } catch { return damaged; }
}
