// Every check; counts them all and closes with one line.
import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';

const only = process.argv.slice(2);
const wanted = (name) => only.length === 0 || only.includes(name);
let passed = 0, failed = 0;
/** What failed, by name, told at the very end: what stands above it may be long. */
const told = [];
const started = Date.now(), seconds = () => Math.round((Date.now() - started) / 1000);
const title = (text) => console.log(`\n── ${text} (${seconds()} s)`);
/** Whether a command ended well, and what it printed where it is `quiet`. */
const run = (command, args, quiet = false) => new Promise((resolve) => {
  const child = spawn(command, args, { stdio: ['ignore', quiet ? 'pipe' : 'inherit', quiet ? 'pipe' : 'inherit'], env: { ...process.env, NEXT_TELEMETRY_DISABLED: '1' } });
  let text = '';
  for (const stream of [child.stdout, child.stderr]) stream?.on('data', (b) => { text += b.toString(); });
  child.once('error', (e) => resolve({ ok: false, text: String(e) }));
  child.once('close', (code) => resolve({ ok: code === 0, text }));
});
const count = (what, { ok, text }) => {
  process.stdout.write(text);
  if (ok) passed++;
  else { failed++; console.log(`${what} failed`); told.push(`${what}\n${text.split('\n').slice(-20).join('\n')}`); }
};
/** The tests of a report that failed, each with the beginning of what it said, and the files that did not load. */
const failures = (report) => report.testResults.flatMap((file) => {
  const tests = file.assertionResults.filter((t) => t.status === 'failed')
    .map((t) => `${file.name}: ${t.fullName}\n${(t.failureMessages[0] ?? '').split('\n').slice(0, 12).join('\n')}`);
  return tests.length || file.status !== 'failed' ? tests : [`${file.name}\n${file.message}`];
});

mkdirSync('dist', { recursive: true });
// made once, before two of them would at a time
await run('node', ['scripts/kernel.mjs']);
// lint takes longer than all that stands beside it, and one core
const lint = wanted('lint') ? run('npm', ['run', '--silent', 'lint'], true) : null;
for (const [name, what] of [['typecheck', 'types'], ['layers', 'layers']]) {
  if (!wanted(name)) continue;
  title(what);
  count(what, await run('npm', ['run', '--silent', name]));
}
if (['integration', 'e2e'].some(wanted)) {
  title('build');
  count('the build', await run('node', ['scripts/build-if-changed.mjs']));
}
if (lint) { title('lint'); count('lint', await lint); }
for (const project of ['unit', 'conformance', 'integration', 'e2e']) {
  if (!wanted(project)) continue;
  title(project);
  const file = `dist/test-${project}.json`;
  rmSync(file, { force: true });
  const { ok } = await run('node_modules/.bin/vitest', ['run', '--project', project, '--reporter=default', '--reporter=json', `--outputFile.json=${file}`]);
  const report = existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : null;
  passed += report?.numPassedTests ?? 0;
  failed += report?.numFailedTests ?? 0;
  if (!ok && !report?.numFailedTests) failed++; // a file that did not even load
  if (!ok) told.push(...(report ? failures(report) : [`${project} gave no report`]));
}
for (const text of told) console.log(`\nFAILED ${text}`);
console.log(`\n${seconds()} s`);
console.log(`${passed} passed, ${failed} failed`);
process.exit(failed > 0 ? 1 : 0);
