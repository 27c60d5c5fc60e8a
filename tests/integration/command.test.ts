import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:net';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { startTrial } from '../../cli/trial';

const base = mkdtempSync(path.join(tmpdir(), 'fine-comb-command-'));
afterAll(() => { rmSync(base, { recursive: true, force: true }); });
const comb = (args: string[], env: Record<string, string> = {}): { code: number | null; out: string } => {
  const r = spawnSync('./comb', args, { env: { ...process.env, XDG_CONFIG_HOME: path.join(base, 'config'), ...env }, encoding: 'utf8', timeout: 60_000 });
  return { code: r.status, out: r.stdout + r.stderr };
};

describe('./comb', () => {
  it('says what it can do; a word it does not know is an error', () => {
    expect(comb([])).toMatchObject({ code: 0, out: expect.stringContaining('./comb demo') as string });
    const wrong = comb(['brush']);
    expect(wrong.code).toBe(1);
    expect(wrong.out).toContain('./comb test');
  });
  it('stop says so when nothing runs', () => {
    const r = comb(['stop'], { FINE_COMB_DATA: path.join(base, 'none') });
    expect([r.code, r.out]).toEqual([1, 'Nothing of this installation is running.\n']);
  });
  it('a foreign directory is told and left exactly as it was', () => {
    const data = path.join(base, 'foreign');
    mkdirSync(data);
    writeFileSync(path.join(data, 'diary.txt'), 'dear');
    const r = comb(['start'], { FINE_COMB_DATA: data });
    expect(r.code).toBe(1);
    expect(r.out).toMatch(/was not made by Fine Comb/);
    expect(readdirSync(data)).toEqual(['diary.txt']);
  });

  describe('with a port taken', () => {
    let server: Server, port: number;
    beforeAll(async () => { server = createServer(); await new Promise<void>((r) => { server.listen(0, '127.0.0.1', () => r()); }); port = (server.address() as { port: number }).port; });
    afterAll(() => { server.close(); });
    it('says which and what to do, for pages and for the database', () => {
      const pages = comb(['start'], { FINE_COMB_DATA: path.join(base, 'a'), FINE_COMB_PORT: String(port) });
      expect([pages.code, pages.out]).toEqual([1, expect.stringMatching(new RegExp(`Port ${port} is taken .*FINE_COMB_PORT`)) as string]);
      const database = comb(['start'], { FINE_COMB_DATA: path.join(base, 'b'), FINE_COMB_PORT: '47311', FINE_COMB_DB_PORT: String(port) });
      expect([database.code, database.out]).toEqual([1, expect.stringMatching(new RegExp(`Port ${port}, wanted for the database, is taken`)) as string]);
    });
  });
});

describe('the server', () => {
  it('starts empty without demo data wherever its directory lies, keeps what it has over a stop, and leaves nothing running', async () => {
    const trial = await startTrial({ demo: false, folder: 'what we have: a “drawer”' });
    try {
      const overview = async (): Promise<unknown> => (await fetch(`${trial.url}/api/overview`)).json();
      expect(await overview()).toEqual({ productions: [] });
      const { tubeGlb } = await import('../helpers/tube');
      const answer = await fetch(`${trial.url}/api/characters?fileName=My%20tube.glb`, { method: 'POST', body: (await tubeGlb()) as Uint8Array<ArrayBuffer> });
      expect(answer.status).toBe(201);
      const before = await overview();
      expect(before).toMatchObject({ productions: [{ assets: [{ name: 'My tube', fileName: 'My tube.glb', grooms: [{ name: 'hair', shot: 'bend' }] }] }] });
      await trial.stop();
      await expect(fetch(trial.url)).rejects.toThrow();
      await trial.restart();
      expect(await overview()).toEqual(before);
    } finally {
      await trial.stop();
      trial.remove();
    }
  });
});
