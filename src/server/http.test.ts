import { describe, expect, it } from 'vitest';
import { z } from 'zod';
import { ContractError } from '../core/contract';
import { DamagedBlobError, hashOf } from './db/blobs';
import { UserError } from './db/records';
import { serverEnv } from './env';
import { bytesResponse, errorResponse, rateLimit, readBody, route } from './http';

const context = { params: Promise.resolve({}) };
const request = (method: string, headers: Record<string, string> = {}, body?: BodyInit): Request => new Request('http://127.0.0.1:4310/api/x', { method, headers: { host: '127.0.0.1:4310', ...headers }, body });
const handler = route(() => Promise.resolve(Response.json({ fine: true })));
const statusOf = async (r: Request): Promise<number> => (await handler(r, context)).status;

describe('who may ask', () => {
  it('reads are open to this machine’s own names only', async () => {
    expect(await statusOf(request('GET'))).toBe(200);
    expect(await statusOf(request('GET', { host: 'localhost:4310' }))).toBe(200);
    expect(await statusOf(request('GET', { host: '[::1]:4310' }))).toBe(200);
    expect(await statusOf(request('GET', { host: 'evil.example' }))).toBe(403);
    expect(await statusOf(request('GET', { host: '' }))).toBe(403);
  });
  it('writes are taken from our own pages and from programs, not from other sites', async () => {
    expect(await statusOf(request('POST'))).toBe(200);
    expect(await statusOf(request('POST', { origin: 'http://127.0.0.1:4310', 'sec-fetch-site': 'same-origin' }))).toBe(200);
    expect(await statusOf(request('POST', { origin: 'http://127.0.0.1:9999' }))).toBe(403);
    expect(await statusOf(request('POST', { origin: 'null' }))).toBe(403);
    expect(await statusOf(request('DELETE', { 'sec-fetch-site': 'same-site' }))).toBe(403);
  });
});

describe('errors', () => {
  const answer = async (cause: unknown): Promise<{ status: number; code: string; message: string }> => { const r = errorResponse(cause); return { status: r.status, ...((await r.json()) as { code: string; message: string }) }; };
  it('each kind has its status, a code and a sentence', async () => {
    expect(await answer(new UserError(409, 'behind', 'Reload.'))).toMatchObject({ status: 409, code: 'behind', message: 'Reload.' });
    expect(await answer(z.object({ a: z.number() }).safeParse({ a: 'x' }).error)).toMatchObject({ status: 400, code: 'invalid', message: expect.stringMatching(/^a: /) as string });
    expect(await answer(new ContractError('planting', '3 roots', 4))).toMatchObject({ status: 400, message: 'planting: expected 3 roots, got 4' });
    expect(await answer(new DamagedBlobError('ab'.repeat(32), 2, 'is missing'))).toMatchObject({ status: 500, code: 'damaged', message: 'Stored data abababababab… is damaged: chunk 2 is missing.' });
    expect(await answer(new SyntaxError('Unexpected token'))).toMatchObject({ status: 400, message: 'The request is not JSON.' });
  });
  it('what was not foreseen does not leak', async () => {
    const said = console.error;
    console.error = () => undefined;
    try { expect(await answer(new Error('password is hunter2'))).toMatchObject({ status: 500, message: expect.not.stringContaining('hunter2') as string }); } finally { console.error = said; }
  });
  it('a handler that throws answers with the error', async () => {
    const failing = route(() => Promise.reject(new UserError(404, 'notFound', 'Gone.')));
    expect((await failing(request('GET'), context)).status).toBe(404);
  });
});

describe('bodies', () => {
  it('come in whole, up to a limit, whether the length is told or not', async () => {
    const bytes = Uint8Array.from({ length: 5000 }, (_, i) => i & 255);
    expect(await readBody(request('PUT', {}, bytes), 5000)).toEqual(bytes);
    await expect(readBody(request('PUT', {}, bytes), 4999)).rejects.toMatchObject({ status: 413 });
    await expect(readBody(request('PUT', { 'content-length': '99999999' }, bytes), 6000)).rejects.toMatchObject({ status: 413 });
    expect((await readBody(request('PUT'), 10)).length).toBe(0);
  });
  it('go out with their length; content that never changes may be kept', () => {
    const plain = bytesResponse(Uint8Array.of(1, 2, 3)), forever = bytesResponse(Uint8Array.of(1), 'text/plain', true);
    expect(plain.headers.get('content-length')).toBe('3');
    expect(plain.headers.get('cache-control')).toBe('no-store');
    expect(forever.headers.get('cache-control')).toMatch(/immutable/);
  });
  it('uploads are limited in number', () => {
    const limit = rateLimit(3, 60_000);
    limit(); limit(); limit();
    expect(limit).toThrow(/Too many uploads/);
  });
});

describe('settings', () => {
  it('are checked, and what is missing is named', () => {
    expect(serverEnv({ FINE_COMB_DB_PORT: '4311', FINE_COMB_DB_PASSWORD: 'x' })).toMatchObject({ FINE_COMB_DB_HOST: '127.0.0.1', FINE_COMB_DB_PORT: 4311 });
    expect(() => serverEnv({})).toThrow(/FINE_COMB_DB_PORT, FINE_COMB_DB_PASSWORD.*\.\/comb/);
    expect(() => serverEnv({ FINE_COMB_DB_PORT: '99999', FINE_COMB_DB_PASSWORD: 'x' })).toThrow(/FINE_COMB_DB_PORT/);
  });
  it('hashes are SHA-256', () => {
    // Source: FIPS 180-2, the empty message
    expect(hashOf(new Uint8Array(0))).toBe('e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855');
  });
});
