// Compiles the fast kernels (strands from src/core/sway/rod, nearest chains from src/core/groom/comb) when a source differs from the last time; the same bytes on every machine.
import './treatments.mjs';
import './fill-kernel.mjs';
import './contact-kernels.mjs';
import './draco.mjs';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { assemble } from './kernel/assemble.mjs';

const root = path.join(path.dirname(fileURLToPath(import.meta.url)), '..'), print = process.argv.includes('--print');

/** What is compiled: files in `folder`, in the order of their calls; the file that owns the names of the fields, and which of its exports. */
const KERNELS = [
  { name: 'KERNEL', names: 'KERNEL_FIELDS', folder: 'src/core/sway/rod', parts: ['predict', 'frames', 'loads', 'touch', 'stretch', 'bend', 'block-solve', 'length-projection', 'finish', 'step'], owner: 'arrays', fields: ['POINT_FIELDS', 'TOUCH_FIELDS', 'STRAND_FIELDS', 'SCRATCH_FIELDS'], numbers: ['h', 'gravityX', 'gravityY', 'gravityZ'], target: 'src/core/sway/fast/kernel-code.ts' },
  { name: 'CHAIN', names: 'CHAIN_NAMES', folder: 'src/core/groom/comb', parts: ['near-steps'], owner: 'near-steps', fields: ['CHAIN_FIELDS'], numbers: [], target: 'src/core/groom/comb/fast/chain-code.ts' },
];
const sums = [];
for (const kernel of KERNELS) sums.push(await compile(kernel));
if (print) console.log(sums.join('\n'));

async function compile({ name, names, folder: from, parts, owner, fields: kinds, numbers, target: to }) {
  const folder = path.join(root, from), target = path.join(root, to);
  const files = parts.map((part) => ({ name: `${part}.ts`, text: readFileSync(path.join(folder, `${part}.ts`), 'utf8') }));
  const own = [fileURLToPath(import.meta.url), path.join(root, 'scripts/kernel/translate.mjs'), path.join(root, 'scripts/kernel/assemble.mjs'), path.join(folder, `${owner}.ts`), path.join(root, 'package-lock.json')];
  const stamp = createHash('sha256').update(files.map((f) => f.text).join('\0')).update(own.map((p) => readFileSync(p, 'utf8')).join('\0')).digest('hex');
  if (!print && existsSync(target) && readFileSync(target, 'utf8').includes(stamp)) return '';

  const [{ build }, { declare, translate }] = await Promise.all([import('esbuild'), import('./kernel/translate.mjs')]);
  /** The names of the fields, from the file that owns them. */
  mkdirSync(path.join(root, 'dist'), { recursive: true });
  const fieldsFile = path.join(root, `dist/${owner}-fields.mjs`);
  await build({ entryPoints: [path.join(folder, `${owner}.ts`)], bundle: true, format: 'esm', outfile: fieldsFile, logLevel: 'warning' });
  const owned = await import(pathToFileURL(fieldsFile).href), fields = kinds.flatMap((kind) => Object.keys(owned[kind]));
  declare(files);
  const wasm = await assemble(owner, translate(files, fields, numbers), 1024), sum = createHash('sha256').update(wasm).digest('hex');
  if (print) return sum;
  mkdirSync(path.dirname(target), { recursive: true });
  writeFileSync(target, `/** Made by scripts/kernel.mjs from ${from}; not kept in the repository. Sources ${stamp}. */
/** Names of the fields in the order of \`setBase\`. */
export const ${names}: readonly string[] = ${JSON.stringify(fields)};
export const ${name}_SHA256 = '${sum}';
export const ${name}_CODE = '${Buffer.from(wasm).toString('base64')}';
`);
  console.log(`${to}: ${wasm.length} bytes, sha256 ${sum.slice(0, 12)}…`);
  return sum;
}
