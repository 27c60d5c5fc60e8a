import knex, { type Knex } from 'knex';
import { serverEnv } from '../env';

export type Db = Knex;

export function openDatabase(env = serverEnv()): Db {
  return knex({
    client: 'mysql2',
    connection: {
      host: env.FINE_COMB_DB_HOST, port: env.FINE_COMB_DB_PORT, user: env.FINE_COMB_DB_USER, password: env.FINE_COMB_DB_PASSWORD, database: env.FINE_COMB_DB_NAME,
      charset: 'utf8mb4', supportBigNumbers: true, timezone: 'Z',
    },
    pool: { min: 0, max: 8 },
  });
}

declare global {
  var fineCombDb: Db | undefined;
}

/** One pool a process; kept on the global object, since the page server may load this module more than once. */
export const database = (): Db => (globalThis.fineCombDb ??= openDatabase());
