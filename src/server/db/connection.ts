import knex, { type Knex } from 'knex';
import { serverEnv } from '../env';

export type Db = Knex;

export function openDatabase(env = serverEnv()): Db {
  return openConnection({ host: env.FINE_COMB_DB_HOST, port: env.FINE_COMB_DB_PORT, user: env.FINE_COMB_DB_USER, password: env.FINE_COMB_DB_PASSWORD, database: env.FINE_COMB_DB_NAME, charset: 'utf8mb4', supportBigNumbers: true, timezone: 'Z' }, 8);
}
/** Another pool to the same place: what `connectionOf` told, in a thread of its own. */
export function openConnection(connection: object, most: number): Db {
  const db = knex({ client: 'mysql2', connection: { ...connection }, pool: { min: 0, max: most } });
  SETTINGS.set(db, connection);
  return db;
}
/** Knex keeps the password to itself. */
const SETTINGS = new WeakMap<Db, object>();
export const connectionOf = (db: Db): object => SETTINGS.get(db) ?? {};

declare global {
  var fineCombDb: Db | undefined;
}

/** One pool a process; kept on the global object, since the page server may load this module more than once. */
export const database = (): Db => (globalThis.fineCombDb ??= openDatabase());
