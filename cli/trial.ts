/** A server of its own in a throw-away data directory, and a browser to look at it: for pictures, benchmarks and tests. */
import { spawn } from 'node:child_process';
import { cpSync, existsSync, mkdtempSync, readdirSync, renameSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { chromium, type Browser, type Page } from 'playwright-core';
import { readPlaces } from './places';

export interface Trial { url: string; data: string; env: Record<string, string>; stop: () => Promise<void>; kill: () => Promise<void>; restart: () => Promise<void>; remove: () => void }

const freePort = (): Promise<number> => new Promise((resolve, reject) => {
  const s = createServer();
  s.once('error', reject);
  s.listen(0, '127.0.0.1', () => { const { port } = s.address() as { port: number }; s.close(() => resolve(port)); });
});

/** Where a run of many trials keeps the demo production that they all begin with, made by the first of them. */
const KEPT = 'FINE_COMB_TRIAL_DEMO';

/** After these (ms) a trial says what hangs, before the test around it runs out of time and cannot. */
const START_EMPTY = 100_000, START_DEMO = 240_000, END = 60_000;

/** `folder`: name of the data directory, of a trial without demo data. */
export async function startTrial(options: { demo?: boolean; folder?: string } = {}): Promise<Trial> {
  const base = mkdtempSync(path.join(tmpdir(), 'fine-comb-')), kept = options.demo === false ? undefined : process.env[KEPT];
  if (kept && existsSync(kept)) copyData(kept, base);
  const env = { FINE_COMB_DATA: path.join(base, options.folder ?? 'data'), XDG_CONFIG_HOME: path.join(base, 'config'), FINE_COMB_PORT: String(await freePort()), FINE_COMB_DB_PORT: String(await freePort()) };
  const url = `http://127.0.0.1:${env.FINE_COMB_PORT}`;
  const run = (): Promise<ReturnType<typeof spawn>> => new Promise((resolve, reject) => {
    const child = spawn(process.execPath, ['--enable-source-maps', 'dist/serve.mjs', ...(options.demo === false ? [] : ['--demo'])], { env: { ...process.env, ...env }, stdio: ['ignore', 'pipe', 'pipe'] });
    let text = '';
    const read = (b: Buffer): void => { text += b.toString(); if (text.includes('Fine Comb is at')) { clearTimeout(clock); resolve(child); } };
    child.stdout.on('data', read);
    child.stderr.on('data', read);
    child.once('exit', (code) => reject(new Error(`the server ended with ${code}: ${text}`)));
    const clock = setTimeout(() => { child.kill('SIGINT'); reject(new Error(`the server does not start, and said: ${text}`)); }, options.demo === false ? START_EMPTY : START_DEMO).unref();
  });
  let child = await run();
  const end = (signal: NodeJS.Signals): Promise<void> => new Promise((resolve, reject) => {
    if (child.exitCode !== null || child.signalCode !== null) return resolve();
    child.once('exit', () => resolve());
    setTimeout(() => reject(new Error(`the server does not end on ${signal}`)), END).unref();
    child.kill(signal);
  });
  if (kept && !existsSync(kept)) {
    await end('SIGINT');
    copyData(base, kept);
    child = await run();
  }
  return { url, data: env.FINE_COMB_DATA, env, stop: () => end('SIGINT'), kill: () => end('SIGKILL'), restart: async () => { child = await run(); }, remove: () => rmSync(base, { recursive: true, force: true }) };
}

/** Copies what a stopped server has made; the password’s file is called after where the data is. */
function copyData(from: string, to: string): void {
  const half = `${to}-half`, secret = (base: string): string => path.basename(readPlaces({ FINE_COMB_DATA: path.join(base, 'data') }).secrets);
  cpSync(from, half, { recursive: true });
  const config = path.join(half, 'config', 'fine-comb');
  for (const name of readdirSync(config)) renameSync(path.join(config, name), path.join(config, secret(to)));
  rmSync(to, { recursive: true, force: true });
  renameSync(half, to);
}

export async function openBrowser(): Promise<Browser> {
  const executablePath = '/usr/bin/chromium';
  if (!existsSync(executablePath)) throw new Error('Chromium is not installed; run ./comb test or ./comb shots, which install it.');
  return chromium.launch({ executablePath, headless: true, args: ['--no-sandbox', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync', '--use-angle=swiftshader', '--enable-unsafe-swiftshader', '--ignore-gpu-blocklist'] });
}

/** Waits until the picture has come to rest. */
export async function settle(page: Page): Promise<void> {
  await page.waitForFunction(() => (window as unknown as { fineComb?: { settled: () => boolean } }).fineComb?.settled() === true, undefined, { timeout: 240_000, polling: 200 });
}
