/** `serve [--demo]`: database, migrations, demo data, bakes and pages in one go; Ctrl-C ends them all. */
import { spawn, type ChildProcess } from 'node:child_process';
import { openSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { get } from 'node:http';
import path from 'node:path';
import { json } from 'node:stream/consumers';
import { BakeRunner } from '../src/server/bake-runner';
import { openDatabase } from '../src/server/db/connection';
import { migrate } from '../src/server/db/migrations';
import { seedDemo } from '../src/server/seed';
import { serverEnv } from '../src/server/env';
import { claimDataDirectory, readPlaces, Told } from './places';
import { endLeftover, isAlive, pause, portIsFree, startDatabase, type RunningDatabase } from './mariadb';

const say = (text: string): void => { process.stdout.write(`${text}\n`); };

async function serve(demo: boolean): Promise<void> {
  const places = readPlaces();
  const address = `http://${places.host}:${places.port}`;
  claimDataDirectory(places);
  const pagePid = path.join(places.data, 'pages.pid'), ownPid = path.join(places.data, 'serve.pid');
  if (isAlive(ownPid, 'serve.mjs') && (await isOurs(address))) { say(`Fine Comb already runs at ${address}`); return; }
  await endLeftover(pagePid, 'next');
  if (!(await portIsFree(places.port, places.host))) throw new Told(`Port ${places.port} is taken by another program. Free it, or set FINE_COMB_PORT to another port.`);

  let database: RunningDatabase | null = null, pages: ChildProcess | null = null, runner: BakeRunner | null = null;
  let ending: Promise<void> | null = null;
  const end = (code: number): Promise<void> => (ending ??= (async () => {
    await runner?.stop().catch(() => undefined);
    if (pages && pages.exitCode === null) {
      const closed = new Promise<void>((r) => { pages!.once('exit', () => r()); });
      pages.kill('SIGTERM');
      await Promise.race([closed, pause(5000).then(() => { pages!.kill('SIGKILL'); })]);
    }
    await db?.destroy().catch(() => undefined);
    await database?.stop();
    rmSync(pagePid, { force: true });
    rmSync(ownPid, { force: true });
    process.exit(code);
  })());
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, () => { say('\nStopping …'); void end(0); });
  writeFileSync(ownPid, String(process.pid));

  const castFile = (name: string): Uint8Array => readFileSync(path.join(places.root, `demo/cast/${name}.glb`));
  let db: ReturnType<typeof openDatabase> | null = null;
  try {
    say('Starting the database …');
    database = await startDatabase(places);
    database.process.once('exit', () => { if (!ending) { say('The database ended by itself; stopping.'); void end(1); } });
    Object.assign(process.env, database.env);
    db = openDatabase(serverEnv());
    await migrate(db);
    if (demo && (await seedDemo(db, { oda: castFile('oda'), bramble: castFile('bramble'), pim: castFile('pim') }))) say('Made the demo production “Slack Water”.');
    runner = new BakeRunner(db, path.join(places.root, 'dist/bake-thread.mjs'), { info: (t) => say(t), error: (t) => say(`bakes: ${t}`) }, places.bakeThreads);
    void runner.loop();

    const log = openSync(path.join(places.data, 'pages.log'), 'a');
    pages = spawn(process.execPath, [path.join(places.root, 'node_modules/next/dist/bin/next'), 'start', '-H', places.host, '-p', String(places.port)],
      { cwd: places.root, env: { ...process.env, ...database.env, NODE_ENV: 'production', NEXT_TELEMETRY_DISABLED: '1' }, stdio: ['ignore', log, log], detached: true });
    writeFileSync(pagePid, String(pages.pid));
    pages.once('exit', () => { if (!ending) { say(`The page server ended by itself; ${path.join(places.data, 'pages.log')} says why. Stopping.`); void end(1); } });
    for (let k = 0; !(await isOurs(address)); k++) {
      if (k > 600) throw new Told(`The pages did not start; ${path.join(places.data, 'pages.log')} says why.`);
      await pause(100);
    }
    say(`\nFine Comb is at ${address}\nCtrl-C stops it; what you made stays in ${places.data}`);
  } catch (cause) {
    process.stderr.write(`${cause instanceof Told ? cause.message : cause instanceof Error ? (cause.stack ?? cause.message) : String(cause)}\n`);
    await end(1);
  }
}

/** Asked under a clock of its own: a start was seen to wait for ever where a `fetch` with a signal was to end by itself; why it did not is not known. */
const isOurs = (address: string): Promise<boolean> => new Promise((resolve) => {
  const request = get(`${address}/api/health`, { agent: false }, (answer) => {
    json(answer).then((said) => { resolve((said as { product?: string } | null)?.product === 'fine-comb'); }, () => { resolve(false); }).finally(() => { clearTimeout(clock); });
  }), clock = setTimeout(() => { request.destroy(); resolve(false); }, 2000);
  request.once('error', () => { clearTimeout(clock); resolve(false); });
});

try {
  await serve(process.argv.includes('--demo'));
} catch (cause) {
  process.stderr.write(`${cause instanceof Told ? cause.message : String(cause)}\n`);
  process.exit(1);
}
