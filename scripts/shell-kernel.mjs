// Compiles the search of shells from src/core/sway/fast/near-shell.as when it differs from the last time.
import { createHash } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { assemble } from './kernel/assemble.mjs';

const root = path.join(path.dirname(fileURLToPath(import.meta.url)), '..'), target = path.join(root, 'src/core/sway/fast/near-shell-code.ts'), at = (p) => readFileSync(path.join(root, p), 'utf8');
const code = at('src/core/sway/fast/near-shell.as'), stamp = [code, at('scripts/shell-kernel.mjs'), at('scripts/kernel/assemble.mjs'), at('package-lock.json')].reduce((h, t) => h.update(t), createHash('sha256')).digest('hex');

if (!existsSync(target) || !readFileSync(target, 'utf8').includes(stamp)) {
  const wasm = await assemble('near-shell', code, 1024);
  writeFileSync(target, `/** Made by scripts/shell-kernel.mjs from src/core/sway/fast/near-shell.as; not kept in the repository. Sources ${stamp}. */\nexport const NEAR_SHELL_CODE = '${Buffer.from(wasm).toString('base64')}';\n`);
  console.log(`search of shells: ${wasm.length} bytes`);
}
