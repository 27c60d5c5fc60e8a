/** Process of one hand-over: cards and chains take their time, filled strands their room. It ends with its parent. */
import { openConnection } from './db/connection';
import { runExport } from './run-export';

export interface ExportOrder { id: string; owner: string; connection: object }
export interface ExportAnswer { message: string | null }

process.once('disconnect', () => process.exit());
process.once('message', (order) => { void carryOut(order as ExportOrder); });

async function carryOut({ id, owner, connection }: ExportOrder): Promise<void> {
  const db = openConnection(connection, 2);
  let message: string | null = null;
  try { await runExport(db, id, owner); } catch (cause) { message = cause instanceof Error ? cause.message : String(cause); }
  await db.destroy();
  process.send!({ message } satisfies ExportAnswer);
}
