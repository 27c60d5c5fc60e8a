/** The demo production is made once in a run of these tests; every file begins with a copy of it. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';

export default function setUp(): () => void {
  const dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-kept-'));
  process.env.FINE_COMB_TRIAL_DEMO = path.join(dir, 'demo');
  return () => { rmSync(dir, { recursive: true, force: true }); };
}
