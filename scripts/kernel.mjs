// Compiles the fast kernel from src/core/sway/rod when a source differs from the last time; the same bytes on every machine.
import './treatments.mjs';
import './fill-kernel.mjs';
import './draco.mjs';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';

const root = path.join(path.dirname(fileURLToPath(import.meta.url)), '..');
const folder = path.join(root, 'src/core/sway/rod'), target = path.join(root, 'src/core/sway/fast/kernel-code.ts');
const PARTS = ['predict', 'frames', 'loads', 'touch', 'stretch', 'bend', 'block-solve', 'length-projection', 'finish', 'step'];
const files = PARTS.map((name) => ({ name: `${name}.ts`, text: readFileSync(path.join(folder, `${name}.ts`), 'utf8') }));
const own = [fileURLToPath(import.meta.url), path.join(root, 'scripts/kernel/translate.mjs'), path.join(folder, 'arrays.ts'), path.join(root, 'package-lock.json')];
const stamp = createHash('sha256').update(files.map((f) => f.text).join('\0')).update(own.map((p) => readFileSync(p, 'utf8')).join('\0')).digest('hex');
if (!process.argv.includes('--print') && existsSync(target) && readFileSync(target, 'utf8').includes(stamp)) process.exit(0);

const [{ default: asc }, { build }, { declare, translate }] = await Promise.all([import('assemblyscript/asc'), import('esbuild'), import('./kernel/translate.mjs')]);
/** The names of the fields, from the file that owns them. */
mkdirSync(path.join(root, 'dist'), { recursive: true });
const fieldsFile = path.join(root, 'dist/kernel-fields.mjs');
await build({ entryPoints: [path.join(folder, 'arrays.ts')], bundle: true, format: 'esm', outfile: fieldsFile, logLevel: 'warning' });
const { POINT_FIELDS, TOUCH_FIELDS, STRAND_FIELDS, SCRATCH_FIELDS } = await import(pathToFileURL(fieldsFile).href);
const fields = [POINT_FIELDS, TOUCH_FIELDS, STRAND_FIELDS, SCRATCH_FIELDS].flatMap((f) => Object.keys(f));
declare(files);
const code = translate(files, fields, ['h', 'gravityX', 'gravityY', 'gravityZ']);
const outputs = new Map(), notes = [];
const { error } = await asc.main(['kernel.ts', '--outFile', 'kernel.wasm', '-O3', '--converge', '--noAssert', '--runtime', 'stub', '--enable', 'simd', '--importMemory', '--memoryBase', '1024'], {
  readFile: (name) => (name === 'kernel.ts' ? code : null),
  writeFile: (name, bytes) => { outputs.set(name, bytes); },
  listFiles: () => [],
  stderr: { write: (text) => { notes.push(text); } },
});
if (error) { writeFileSync(path.join(root, 'dist/kernel.as.ts'), code); throw new Error(`The fast kernel did not compile (see dist/kernel.as.ts):\n${notes.join('')}${error.message}`); }
const wasm = outputs.get('kernel.wasm'), sum = createHash('sha256').update(wasm).digest('hex');
if (process.argv.includes('--print')) { console.log(sum); process.exit(0); }
mkdirSync(path.dirname(target), { recursive: true });
writeFileSync(target, `/** Made by scripts/kernel.mjs from src/core/sway/rod; not kept in the repository. Sources ${stamp}. */
/** Names of the fields in the order of \`setBase\`. */
export const KERNEL_FIELDS: readonly string[] = ${JSON.stringify(fields)};
export const KERNEL_SHA256 = '${sum}';
export const KERNEL_CODE = '${Buffer.from(wasm).toString('base64')}';
`);
console.log(`fast kernel: ${wasm.length} bytes, sha256 ${sum.slice(0, 12)}…`);
