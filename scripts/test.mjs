// Every check in order; counts them all and closes with one line.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';

const only = process.argv.slice(2);
const wanted = (name) => only.length === 0 || only.includes(name);
let passed = 0, failed = 0;
const started = Date.now();
const run = (command, args) => spawnSync(command, args, { stdio: 'inherit', env: { ...process.env, NEXT_TELEMETRY_DISABLED: '1' } }).status === 0;
const title = (text) => console.log(`\n── ${text} (${Math.round((Date.now() - started) / 1000)} s)`);

for (const [name, what] of [['typecheck', 'types'], ['lint', 'lint'], ['layers', 'layers']]) {
  if (!wanted(name)) continue;
  title(what);
  if (run('npm', ['run', '--silent', name])) passed++;
  else { failed++; console.log(`${what} failed`); }
}
mkdirSync('dist', { recursive: true });
if (['integration', 'e2e'].some(wanted)) {
  title('build');
  if (run('node', ['scripts/build-if-changed.mjs'])) passed++;
  else { failed++; console.log('the build failed'); }
}
for (const project of ['unit', 'conformance', 'integration', 'e2e']) {
  if (!wanted(project)) continue;
  title(project);
  const file = `dist/test-${project}.json`;
  rmSync(file, { force: true });
  const ok = run('node_modules/.bin/vitest', ['run', '--project', project, '--reporter=default', '--reporter=json', `--outputFile.json=${file}`]);
  const report = existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : null;
  passed += report?.numPassedTests ?? 0;
  failed += report?.numFailedTests ?? 0;
  if (!ok && !report?.numFailedTests) failed++; // a file that did not even load
}
console.log(`\n${Math.round((Date.now() - started) / 1000)} s`);
console.log(`${passed} passed, ${failed} failed`);
process.exit(failed > 0 ? 1 : 0);
