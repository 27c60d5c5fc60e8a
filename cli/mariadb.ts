/** Our own MariaDB: a data directory of the project's, on the loopback interface only. */
import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir, userInfo } from 'node:os';
import path from 'node:path';
import mysql from 'mysql2/promise';
import { databasePassword, Told, type Places } from './places';

export interface RunningDatabase { process: ChildProcess; env: Record<string, string>; stop: () => Promise<void> }

const USER = 'comb';
const NAME = 'fine_comb';

const program = (names: string[]): string => {
  for (const name of names) for (const dir of ['/usr/sbin', '/usr/bin', '/usr/local/sbin', '/usr/local/bin']) if (existsSync(path.join(dir, name))) return path.join(dir, name);
  throw new Told(`MariaDB is not installed (no ${names[0]}). Run ./comb demo, which installs it, or install Debian's package mariadb-server.`);
};

export const portIsFree = (port: number, host = '127.0.0.1'): Promise<boolean> => new Promise((resolve) => {
  const probe = createServer();
  probe.once('error', () => resolve(false));
  probe.listen(port, host, () => probe.close(() => resolve(true)));
});

/** Whether the process a file names still runs, and is what `mark` says. */
export function isAlive(pidFile: string, mark: string): boolean {
  if (!existsSync(pidFile)) return false;
  const pid = Number(readFileSync(pidFile, 'utf8').trim());
  if (!Number.isInteger(pid) || pid <= 1) return false;
  try { return readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(mark); } catch { return false; }
}

/** Ends a process we started in an earlier life (a killed terminal leaves it behind), if it is still ours. */
export async function endLeftover(pidFile: string, mark: string): Promise<void> {
  if (!isAlive(pidFile, mark)) return;
  const pid = Number(readFileSync(pidFile, 'utf8').trim());
  process.kill(pid, 'SIGTERM');
  for (let k = 0; k < 100 && isAlive(pidFile, mark); k++) await pause(100);
  if (isAlive(pidFile, mark)) throw new Told(`A process of an earlier run (${pid}) does not end. Stop it and start again.`);
}

/** A way to a directory that MariaDB's programs can follow: they take blanks and colons in it for the end of its name. */
function plainWay(data: string): { data: string; close: () => void } {
  if (/^[\w./-]+$/.test(data)) return { data, close: () => undefined };
  const base = mkdtempSync(path.join(tmpdir(), 'fine-comb-way-')), link = path.join(base, 'data');
  symlinkSync(data, link);
  return { data: link, close: () => rmSync(base, { recursive: true, force: true }) };
}

export async function startDatabase(places: Places): Promise<RunningDatabase> {
  const ready = path.join(places.data, 'db-ready');
  const settings = path.join(places.data, 'mariadb.cnf'), pidFile = path.join(places.data, 'mariadb.pid');
  const socket = path.join(tmpdir(), `fine-comb-${createHash('sha256').update(places.data).digest('hex').slice(0, 10)}.sock`);
  const password = databasePassword(places, existsSync(ready));
  await endLeftover(pidFile, settings);
  if (!(await portIsFree(places.dbPort))) throw new Told(`Port ${places.dbPort}, wanted for the database, is taken by another program. Free it, or set FINE_COMB_DB_PORT to another port.`);
  const way = plainWay(places.data), dir = path.join(way.data, 'db');
  // of its own: a server that starts deletes the temporary tables of every other in the same directory
  const temporary = path.join(way.data, 'db-temporary');
  mkdirSync(temporary, { recursive: true, mode: 0o700 });
  const root = userInfo().uid === 0;
  if (!existsSync(ready)) {
    // a half-made directory holds nothing of anybody's: it never had the ready mark
    rmSync(dir, { recursive: true, force: true });
    mkdirSync(dir, { recursive: true, mode: 0o700 });
    try {
      execFileSync(program(['mariadb-install-db', 'mysql_install_db']), ['--no-defaults', `--datadir=${dir}`, `--tmpdir=${temporary}`, ...(root ? ['--user=root'] : []), '--auth-root-authentication-method=normal', '--skip-test-db'], { stdio: 'pipe' });
    } catch (cause) { way.close(); throw cause; }
  }
  writeFileSync(settings, `[mariadbd]
datadir=${dir}
tmpdir=${temporary}
socket=${socket}
pid-file=${path.join(way.data, 'mariadb.pid')}
port=${places.dbPort}
bind-address=127.0.0.1
${root ? 'user=root\n' : ''}skip-name-resolve
character-set-server=utf8mb4
collation-server=utf8mb4_unicode_ci
max_allowed_packet=64M
innodb_buffer_pool_size=256M
innodb_log_file_size=128M
log-error=${path.join(way.data, 'mariadb.log')}
`);
  const init = path.join(places.data, 'init.sql');
  writeFileSync(init, `create database if not exists ${NAME} character set utf8mb4;
create user if not exists '${USER}'@'127.0.0.1' identified by '${password}';
alter user '${USER}'@'127.0.0.1' identified by '${password}';
grant all privileges on \`${NAME}\`.* to '${USER}'@'127.0.0.1';
grant all privileges on \`${NAME}\\_test%\`.* to '${USER}'@'127.0.0.1';
alter user 'root'@'localhost' identified by '${password}';
delete from mysql.global_priv where User = '' or (User = 'root' and Host <> 'localhost');
flush privileges;
`, { mode: 0o600 });
  const child = spawn(program(['mariadbd', 'mysqld']), [`--defaults-file=${settings}`, `--init-file=${init}`], { stdio: 'ignore', detached: true });
  let gone = false;
  child.once('exit', () => { gone = true; way.close(); });
  const env = { FINE_COMB_DB_HOST: '127.0.0.1', FINE_COMB_DB_PORT: String(places.dbPort), FINE_COMB_DB_USER: USER, FINE_COMB_DB_PASSWORD: password, FINE_COMB_DB_NAME: NAME };
  try {
    for (let k = 0; ; k++) {
      try {
        const connection = await mysql.createConnection({ host: '127.0.0.1', port: places.dbPort, user: USER, password, database: NAME });
        await connection.end();
        break;
      } catch (cause) {
        if (gone || k > 600) throw new Told(`The database did not start; ${path.join(places.data, 'mariadb.log')} says why (${cause instanceof Error ? cause.message : String(cause)}).`);
        await pause(100);
      }
    }
  } finally {
    rmSync(init, { force: true });
  }
  writeFileSync(ready, '');
  return {
    process: child, env,
    stop: () => new Promise((resolve) => {
      if (gone) return resolve();
      child.once('exit', () => resolve());
      child.kill('SIGTERM');
    }),
  };
}

export const pause = (ms: number): Promise<void> => new Promise((r) => { setTimeout(r, ms); });
