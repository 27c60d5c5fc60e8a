import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { startDatabase } from '../../cli/mariadb';
import { claimDataDirectory, readPlaces } from '../../cli/places';
import { openDatabase, type Db } from '../../src/server/db/connection';
import { migrate } from '../../src/server/db/migrations';
import { serverEnv } from '../../src/server/env';

const freePort = (): Promise<number> => new Promise((resolve) => { const s = createServer(); s.listen(0, '127.0.0.1', () => { const { port } = s.address() as { port: number }; s.close(() => resolve(port)); }); });

/** A real MariaDB of its own in a throw-away directory, migrated. */
export async function testDatabase(): Promise<{ db: Db; places: ReturnType<typeof readPlaces>; stop: () => Promise<void> }> {
  const base = mkdtempSync(path.join(tmpdir(), 'fine-comb-db-'));
  const places = readPlaces({ FINE_COMB_DATA: path.join(base, 'data'), XDG_CONFIG_HOME: path.join(base, 'config'), FINE_COMB_DB_PORT: String(await freePort()) });
  claimDataDirectory(places);
  const database = await startDatabase(places);
  const db = openDatabase(serverEnv(database.env));
  await migrate(db);
  return { db, places, stop: async () => { await db.destroy(); await database.stop(); rmSync(base, { recursive: true, force: true }); } };
}
