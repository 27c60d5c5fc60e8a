/** Where this installation keeps its things, and under which ports. */
import { createHash, randomBytes } from 'node:crypto';
import { chmodSync, existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { availableParallelism, homedir } from 'node:os';
import path from 'node:path';
import { z } from 'zod';

/** Something the person at the keyboard has to know or do; printed without a stack. */
export class Told extends Error {}

export interface Places {
  root: string;
  data: string;
  secrets: string;
  host: string;
  port: number;
  dbPort: number;
  /** Threads that compute a bake. */
  bakeThreads: number;
}

const threadsSchema = z.coerce.number().int().min(1).max(64);
const portSchema = z.coerce.number().int().min(1024).max(65535);

export function readPlaces(env: Record<string, string | undefined> = process.env, root = process.cwd()): Places {
  const data = path.resolve(env.FINE_COMB_DATA ?? path.join(root, '.fine-comb'));
  const config = path.join(env.XDG_CONFIG_HOME ?? path.join(homedir(), '.config'), 'fine-comb');
  const port = (name: string, fallback: number): number => {
    const parsed = portSchema.safeParse(env[name] ?? fallback);
    if (!parsed.success) throw new Told(`${name} should be a port between 1024 and 65535, not “${env[name]}”.`);
    return parsed.data;
  };
  const threads = threadsSchema.safeParse(env.FINE_COMB_BAKE_THREADS ?? Math.max(1, availableParallelism() - 1));
  if (!threads.success) throw new Told(`FINE_COMB_BAKE_THREADS should be a number from 1 to 64, not “${env.FINE_COMB_BAKE_THREADS}”.`);
  return {
    root, data, bakeThreads: threads.data,
    // outside the repository, so that a copied or published checkout never carries the password
    secrets: path.join(config, `${createHash('sha256').update(data).digest('hex').slice(0, 16)}.json`),
    host: env.FINE_COMB_HOST ?? '127.0.0.1', port: port('FINE_COMB_PORT', 4310), dbPort: port('FINE_COMB_DB_PORT', 4311),
  };
}

const MARKER = 'fine-comb.json';

/** Makes the data directory, or checks that the one there is ours. */
export function claimDataDirectory(places: Places): void {
  const marker = path.join(places.data, MARKER);
  if (existsSync(places.data) && !existsSync(marker) && readdirSync(places.data).length > 0)
    throw new Told(`${places.data} exists and was not made by Fine Comb. Nothing in it was touched. Move it away, or set FINE_COMB_DATA to another directory.`);
  mkdirSync(places.data, { recursive: true });
  if (!existsSync(marker)) writeFileSync(marker, JSON.stringify({ product: 'fine-comb', made: new Date().toISOString() }));
}

/** The database password of this data directory; made on first use. */
export function databasePassword(places: Places, databaseExists: boolean): string {
  if (existsSync(places.secrets)) return z.object({ password: z.string().min(16) }).parse(JSON.parse(readFileSync(places.secrets, 'utf8'))).password;
  if (databaseExists) throw new Told(`The database in ${places.data} was made with a password that stood in ${places.secrets}, and that file is gone. Bring it back, or move ${places.data} away to begin with an empty database.`);
  mkdirSync(path.dirname(places.secrets), { recursive: true, mode: 0o700 });
  const password = randomBytes(24).toString('base64url');
  writeFileSync(places.secrets, JSON.stringify({ data: places.data, password }), { mode: 0o600 });
  chmodSync(places.secrets, 0o600);
  return password;
}
