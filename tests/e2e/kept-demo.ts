/** The demo production is made once in a run of these tests; every file begins with a copy of it. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { startTrial } from '../../cli/trial';

export default async function setUp(): Promise<() => void> {
  const dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-kept-'));
  process.env.FINE_COMB_TRIAL_DEMO = path.join(dir, 'demo');
  // here, as files run beside each other
  const first = await startTrial();
  await first.stop();
  first.remove();
  return () => { rmSync(dir, { recursive: true, force: true }); };
}
