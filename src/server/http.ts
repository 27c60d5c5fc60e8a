/** What all route handlers share: errors as JSON, same-origin writes, limits. */
import { createWriteStream } from 'node:fs';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { pipeline } from 'node:stream/promises';
import { z } from 'zod';
import { ContractError } from '../core/contract';
import { DamagedBlobError } from './db/blobs';
import { UserError } from './db/records';

type Handler<P> = (request: Request, params: P) => Promise<Response>;

/** Wraps a handler: `params` are awaited, errors become `{code, message, details}`, writes from other origins are refused. */
export function route<P = Record<string, never>>(handler: Handler<P>): (request: Request, context: { params: Promise<P> }) => Promise<Response> {
  return async (request, context) => {
    try {
      requireOwnHost(request);
      if (request.method !== 'GET' && request.method !== 'HEAD') requireSameOrigin(request);
      return await handler(request, await context.params);
    } catch (cause) {
      return errorResponse(cause);
    }
  };
}

export function errorResponse(cause: unknown): Response {
  if (cause instanceof UserError) return Response.json({ code: cause.code, message: cause.message, details: cause.details }, { status: cause.status });
  if (cause instanceof z.ZodError) {
    const issue = cause.issues[0];
    return Response.json({ code: 'invalid', message: `${issue.path.join('.') || 'The request'}: ${issue.message}`, details: cause.issues.slice(0, 20) }, { status: 400 });
  }
  if (cause instanceof ContractError) return Response.json({ code: 'invalid', message: cause.message }, { status: 400 });
  if (cause instanceof DamagedBlobError) return Response.json({ code: 'damaged', message: cause.message }, { status: 500 });
  if (cause instanceof SyntaxError) return Response.json({ code: 'invalid', message: 'The request is not JSON.' }, { status: 400 });
  console.error(cause);
  return Response.json({ code: 'internal', message: 'Something went wrong on the server; its log says what. Nothing was changed.' }, { status: 500 });
}

/** A page elsewhere that points its own name at this machine does not get through. */
function requireOwnHost(request: Request): void {
  const host = (request.headers.get('host') ?? '').replace(/:\d+$/, '');
  const own = ['127.0.0.1', 'localhost', '[::1]', process.env.FINE_COMB_HOST].filter(Boolean);
  if (process.env.FINE_COMB_HOST === '0.0.0.0' || own.includes(host)) return;
  throw new UserError(403, 'foreignHost', `This server does not answer to the name “${host}”.`);
}

function requireSameOrigin(request: Request): void {
  const site = request.headers.get('sec-fetch-site'), origin = request.headers.get('origin'), host = request.headers.get('host');
  const foreign = (site !== null && site !== 'same-origin' && site !== 'none') || (origin !== null && safeHost(origin) !== host);
  if (foreign) throw new UserError(403, 'foreignOrigin', 'Changes are only taken from Fine Comb’s own pages.');
}
const safeHost = (origin: string): string | null => { try { return new URL(origin).host; } catch { return null; } };

/** The pieces of a body of at most `most` bytes, as they come. */
async function* bodyPieces(request: Request, most: number): AsyncGenerator<Uint8Array> {
  const tooBig = (): UserError => new UserError(413, 'tooBig', `This is larger than the ${Math.round(most / 1048576)} MB taken here.`);
  if (Number(request.headers.get('content-length') ?? 0) > most) throw tooBig();
  let size = 0;
  const reader = request.body?.getReader();
  for (;;) {
    const next = await reader?.read();
    if (!next || next.done) return;
    size += next.value.length;
    if (size > most) { await reader!.cancel(); throw tooBig(); }
    yield next.value;
  }
}
/** Reads a body of at most `most` bytes. */
export async function readBody(request: Request, most: number): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  for await (const piece of bodyPieces(request, most)) parts.push(piece);
  const all = Buffer.concat(parts);
  return new Uint8Array(all.buffer, all.byteOffset, all.length);
}
/** Puts a body of at most `most` bytes into a file as it comes, and hands that on; the file is gone afterwards. */
export async function withBodyFile<T>(request: Request, most: number, then: (file: string) => Promise<T>): Promise<T> {
  const folder = await mkdtemp(path.join(tmpdir(), 'fine-comb-body-'));
  try {
    const file = path.join(folder, 'body');
    await pipeline(bodyPieces(request, most), createWriteStream(file));
    return await then(file);
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/** At most `most` calls in `windowMs`, counted for the whole server. */
export function rateLimit(most: number, windowMs: number): () => void {
  const calls: number[] = [];
  return () => {
    const now = Date.now();
    while (calls.length > 0 && calls[0] < now - windowMs) calls.shift();
    if (calls.length >= most) throw new UserError(429, 'tooMany', 'Too many uploads at once; try again in a minute.');
    calls.push(now);
  };
}

export const bytesResponse = (bytes: Uint8Array, type = 'application/octet-stream', forever = false): Response =>
  new Response(bytes as Uint8Array<ArrayBuffer>, { headers: { 'content-type': type, 'content-length': String(bytes.length), 'cache-control': forever ? 'private, max-age=31536000, immutable' : 'no-store' } });

/** Headers of a file to be kept. */
export const fileHeaders = (name: string, size?: number, type = 'application/octet-stream'): Record<string, string> => ({ 'content-type': type, 'content-disposition': `attachment; filename="${name.replace(/[^A-Za-z0-9._-]+/g, '-')}"`, ...(size === undefined ? {} : { 'content-length': String(size) }), 'cache-control': 'no-store' });
/** Of a page that stands alone and runs nothing. */
export const pageHeaders = { 'content-type': 'text/html; charset=utf-8', 'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'; img-src data:", 'cache-control': 'no-store' };
