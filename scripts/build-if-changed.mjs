// Builds the pages and the bundles when a source differs from the last build.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import path from 'node:path';

const hash = createHash('sha256');
const visit = (p) => {
  if (!existsSync(p)) return;
  if (statSync(p).isDirectory()) { for (const name of readdirSync(p).sort()) visit(path.join(p, name)); return; }
  if (/\.test\.tsx?$/.test(p)) return;
  hash.update(p).update(readFileSync(p));
};
for (const p of ['src', 'cli', 'demo/build.ts', 'demo/oda', 'demo/shape', 'public', 'scripts/bundle.mjs', 'scripts/kernel.mjs', 'scripts/treatments.mjs', 'scripts/fill-kernel.mjs', 'scripts/draco.mjs', 'scripts/kernel', 'tests/helpers', 'next.config.ts', 'postcss.config.mjs', 'tsconfig.json', 'package.json', 'package-lock.json']) visit(p);
const stamp = hash.digest('hex'), file = '.next/fine-comb-stamp';
if (existsSync(file) && readFileSync(file, 'utf8') === stamp && existsSync('dist/serve.mjs')) process.exit(0);
console.log('Building (about a minute) …');
const npm = (...args) => execFileSync('npm', ['run', '--silent', ...args], { stdio: ['ignore', 'inherit', 'inherit'], env: { ...process.env, NEXT_TELEMETRY_DISABLED: '1' } });
npm('bundle');
npm('build');
writeFileSync(file, stamp);
